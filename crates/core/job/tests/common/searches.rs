//! Readings for every verdict of the stations that are settled by test prints.

use serde_json::{Value, json};
use wattotherm_job::Context;
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_printer::{FilamentFacts, FilamentPath, PrinterFacts};

pub fn soft() -> FilamentFacts {
    FilamentFacts {
        name: "TPU, natural".into(),
        material: "TPU".into(),
        print_temp_c: None,
    }
}

pub fn before(value: f64) -> Context {
    Context {
        before: Some(value),
        ..Context::default()
    }
}

/// Bands of a tower: temperature, then bridge, overhang, strings, bond.
pub fn bands(rows: &[(u32, [u32; 4])]) -> Value {
    rows.iter()
        .map(|(c, [bridge, overhang, strings, bond])| {
            json!({"value": c.to_string(), "bridge": bridge, "overhang": overhang, "strings": strings, "bond": bond})
        })
        .collect()
}

pub fn good_tower() -> Value {
    bands(&[
        (230, [2, 2, 1, 4]),
        (225, [3, 3, 2, 4]),
        (220, [4, 3, 3, 4]),
        (215, [4, 4, 4, 3]),
        (210, [4, 4, 4, 2]),
        (205, [2, 2, 2, 1]),
    ])
}

/// Rungs of a ladder from 4 by 2 mm³/s: grams of the heaps.
pub fn rungs(grams: &[&str]) -> Value {
    grams
        .iter()
        .zip(0..)
        .map(|(g, i)| json!({"flow": (4 + 2 * i).to_string(), "got": g}))
        .collect()
}

/// A print of the board: distance, speed, travel, hop; strings.
pub fn print(set: [f64; 4], strings: u32) -> Value {
    let [distance, speed, travel, hop] = set;
    let travel = if travel > 0.0 {
        json!(travel)
    } else {
        json!("")
    };
    json!({"distance": distance, "speed": speed, "travel": travel, "hop": hop, "wipe": "0", "strings": strings, "gaps": "", "blobs": "", "minutes": ""})
}

pub fn board(prints: &[([f64; 4], u32)]) -> Value {
    let prints: Vec<Value> = prints.iter().map(|(set, s)| print(*set, *s)).collect();
    json!({ "prints": prints })
}

pub fn examples(add: &mut dyn FnMut(&'static str, &'static dyn AnyStation, Value, &Context)) {
    let own = |before: &str, best: &str, outcome: &str| json!({"way": "own", "before": before, "best": best, "outcome": outcome});
    let t: &dyn AnyStation = &stations::PrintTemp;
    add("pass", t, json!({"bands": good_tower()}), &before(215.0));
    add("adjust", t, json!({"bands": good_tower()}), &before(235.0));
    add(
        "strength",
        t,
        json!({"bands": good_tower(), "wanted": "strength"}),
        &before(235.0),
    );
    add(
        "the tower ends",
        t,
        json!({"bands": bands(&[
            (220, [4, 4, 4, 4]), (215, [3, 3, 3, 3]), (210, [2, 2, 2, 2]), (205, [1, 1, 1, 1]),
        ])}),
        &before(200.0),
    );
    add(
        "nothing good",
        t,
        json!({"bands": bands(&[
            (220, [1, 1, 0, 1]), (215, [1, 1, 1, 1]), (210, [1, 0, 1, 1]),
        ])}),
        &before(215.0),
    );
    let again = Context {
        adjusts_so_far: 1,
        ..before(215.0)
    };
    add(
        "not again",
        t,
        json!({"bands": good_tower(), "again": "no"}),
        &again,
    );
    add(
        "own, good",
        t,
        own("215", "225", "good"),
        &Context::default(),
    );
    add(
        "own, unclear",
        t,
        own("215", "", "unclear"),
        &Context::default(),
    );

    let v: &dyn AnyStation = &stations::VolumetricLimit;
    // 200 mm of 1.75 mm at 1.24 g/cm³ are 0.596 g.
    let falls = rungs(&[
        "0.596", "0.594", "0.597", "0.595", "0.593", "0.560", "0.510", "0.462",
    ]);
    add("pass", v, json!({"rungs": falls}), &pla(Some(11.4)));
    add(
        "adjust, half of what was claimed",
        v,
        json!({"rungs": falls, "claimed": "30"}),
        &pla(Some(24.0)),
    );
    add(
        "never falls",
        v,
        json!({"rungs": rungs(&["0.596", "0.594", "0.597", "0.595", "0.596"])}),
        &pla(None),
    );
    add(
        "holds far enough",
        v,
        json!({"rungs": rungs(&["0.596", "0.594", "0.597", "0.595", "0.596"])}),
        &pla(Some(8.0)),
    );
    add(
        "falls at once",
        v,
        json!({"rungs": rungs(&["0.590", "0.540", "0.490", "0.440", "0.390"])}),
        &pla(None),
    );
    let inlet = json!({"delivered": "at_inlet", "instrument": "steel_rule", "rungs": rungs(&["163", "162", "163", "161", "150", "138"])});
    add("the drive", v, inlet, &pla(None));
    add(
        "coarse",
        v,
        json!({"feed": "20", "rungs": rungs(&["0.06", "0.06", "0.06", "0.06", "0.05", "0.05"])}),
        &pla(None),
    );
    add(
        "own, none",
        v,
        own("8", "", "none_good"),
        &Context::default(),
    );

    let p: &dyn AnyStation = &stations::PressureAdvance;
    let direct = |before: Option<f64>| Context {
        before,
        printer: PrinterFacts {
            path: FilamentPath::Direct,
            ..PrinterFacts::default()
        },
        ..Context::default()
    };
    let lines = |first: &str, second: &str| json!({"from": "0", "step": "0.005", "count": "21", "seed": "0", "first": first, "second": second});
    add("pass", p, lines("9, 10", "9"), &direct(Some(0.045)));
    add("adjust", p, lines("9", "9"), &direct(Some(0.06)));
    add("first", p, lines("9 10", "10"), &direct(None));
    add("apart", p, lines("5", "14"), &direct(Some(0.04)));
    let mut by_pairs = lines("9", "12");
    by_pairs["pairs"] = "9 10, 9 8, ".repeat(9).into();
    add("apart, settled by pairs", p, by_pairs, &direct(Some(0.06)));
    add("at the end", p, lines("21", "21"), &direct(Some(0.04)));
    let again = Context {
        adjusts_so_far: 1,
        ..direct(Some(0.04))
    };
    let mut uneven = lines("9", "9");
    uneven["corners"] = "no".into();
    add("corners uneven", p, uneven, &again);
    add(
        "own, none",
        p,
        own("0.5", "", "none_good"),
        &Context::default(),
    );

    let r: &dyn AnyStation = &stations::Retraction;
    add(
        "pass",
        r,
        board(&[([4.8, 25.0, 120.0, 0.0], 1)]),
        &before(4.8),
    );
    add(
        "shorter",
        r,
        board(&[([4.8, 25.0, 120.0, 0.0], 0), ([4.2, 25.0, 120.0, 0.0], 0)]),
        &before(4.8),
    );
    add(
        "hop off",
        r,
        board(&[
            ([4.8, 25.0, 120.0, 0.2], 4),
            ([4.8, 60.0, 120.0, 0.2], 4),
            ([4.8, 15.0, 120.0, 0.2], 3),
            ([4.8, 15.0, 120.0, 0.0], 1),
        ]),
        &before(4.8),
    );
    add(
        "measure again",
        r,
        board(&[([4.8, 25.0, 120.0, 0.0], 4)]),
        &before(4.8),
    );
    add(
        "two at once",
        r,
        board(&[([4.8, 25.0, 120.0, 0.2], 4), ([5.4, 15.0, 120.0, 0.2], 2)]),
        &before(4.8),
    );
    let flat: Vec<([f64; 4], u32)> = [
        (4.8, 25.0),
        (3.0, 25.0),
        (5.8, 25.0),
        (4.0, 25.0),
        (4.8, 12.0),
        (4.8, 60.0),
        (3.0, 60.0),
        (5.8, 12.0),
        (3.0, 12.0),
        (5.8, 60.0),
        (4.0, 12.0),
        (4.0, 60.0),
    ]
    .iter()
    .map(|(d, s)| ([*d, *s, 0.0, 0.0], 4))
    .collect();
    let mut flat = board(&flat);
    flat["prints"].as_array_mut().unwrap().push(json!({
        "distance": 4.8, "speed": 25, "travel": "", "hop": "0", "wipe": "2", "strings": 4, "gaps": "", "blobs": "", "minutes": "",
    }));
    add("nothing helps", r, flat, &before(4.8));
    let tubes = json!({
        "prints": [print([4.8, 25.0, 120.0, 0.0], 3)], "bore": "1.9", "length": "400", "old_bore": "2.0",
    });
    add("a narrower tube", r, tubes, &before(4.8));

    let x: &dyn AnyStation = &stations::OffsetXy;
    let two = Context {
        before_text: Some("18, 0".into()),
        ..Context::default()
    };
    let combs = |teeth: &[[&str; 2]]| json!({"readings": teeth.iter().map(|[x, y]| json!({"x": x, "y": y})).collect::<Vec<_>>()});
    add("pass", x, combs(&[["0", "0"], ["0", "0"]]), &two);
    add("adjust", x, combs(&[["3", "-2"], ["3", "-2"]]), &two);
    add("measure again", x, combs(&[["0.5", "0"]]), &two);
    add("loose", x, combs(&[["-2", "0"], ["3", "1"]]), &two);
    add("beyond the comb", x, combs(&[["10", "0"]]), &two);

    let f: &dyn AnyStation = &stations::Flow;
    let cards = |step: &str, from: &str, first: &str, second: &str| json!({"method": "cards", "flow_set_percent": "100", "from": from, "step": step, "count": "9", "seed": "0", "first": first, "second": second});
    add(
        "cards, coarse",
        f,
        cards("5", "-20", "f g", "F"),
        &Context::default(),
    );
    add(
        "cards, fine",
        f,
        cards("1", "-4", "E", "EF"),
        &Context::default(),
    );
    add(
        "cards, apart",
        f,
        cards("5", "-20", "b", "G"),
        &Context::default(),
    );
    let mut by_pairs = cards("1", "-4", "B", "F");
    by_pairs["pairs"] = "F E, F B".into();
    add(
        "cards, apart, pairs not settled",
        f,
        by_pairs,
        &Context::default(),
    );
    add(
        "bands",
        f,
        json!({"method": "tower", "flow_set_percent": "96", "from": "100", "step": "5", "count": "6", "first": "2 3 4", "second": "2 3", "first_layer_percent": "105"}),
        &Context::default(),
    );
}

/// A grey PLA, and the value that is set before.
pub fn pla(before: Option<f64>) -> Context {
    Context {
        before,
        filament: Some(FilamentFacts {
            name: "PLA, grey".into(),
            material: "PLA".into(),
            print_temp_c: Some(215.0),
        }),
        ..Context::default()
    }
}
