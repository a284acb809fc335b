//! A station's form, its readings and its complaints are one thing said once.

#![allow(clippy::unwrap_used)]

mod common;

use std::collections::BTreeSet;

use common::examples;
use proptest::prelude::*;
use serde_json::{Value, json};
use wattotherm_job::Context;
use wattotherm_job::form::{Field, FieldKind, Form};
use wattotherm_job::sheets::sheet;
use wattotherm_job::stations::{self, AnyStation, EvaluateError};
use wattotherm_measure::Pen;
use wattotherm_measure::entry::{FieldProblem, Limit};

/// Where a path stands in readings; keys of a new part's fields have dots of their own.
fn at<'a>(json: &'a mut Value, path: &str) -> Option<&'a mut Value> {
    let (mut head, mut rest) = path.split_once('.').unwrap_or((path, ""));
    if json.get(path).is_some() {
        (head, rest) = (path, "");
    }
    let next = match json {
        Value::Object(map) => map.get_mut(head)?,
        Value::Array(items) => items.get_mut(head.parse::<usize>().ok()?)?,
        _ => return None,
    };
    if rest.is_empty() {
        Some(next)
    } else {
        at(next, rest)
    }
}

/// Every leaf of readings by its path.
fn leaves(json: &Value, path: &str, out: &mut BTreeSet<String>) {
    let below = |name: &str| {
        if path.is_empty() {
            name.to_owned()
        } else {
            format!("{path}.{name}")
        }
    };
    match json {
        Value::Object(map) => map.iter().for_each(|(k, v)| leaves(v, &below(k), out)),
        Value::Array(items) => items
            .iter()
            .enumerate()
            .for_each(|(i, v)| leaves(v, &below(&i.to_string()), out)),
        _ => {
            out.insert(path.to_owned());
        }
    }
}

fn problems(station: &dyn AnyStation, readings: &Value, context: &Context) -> Vec<FieldProblem> {
    match station.evaluate(readings, context) {
        Ok(_) => Vec::new(),
        Err(EvaluateError::Readings(e)) => e.problems,
        Err(e) => panic!("{station:?}: {e}"),
    }
}

fn numbers(form: &Form) -> Vec<(Field, Limit)> {
    form.fields()
        .filter_map(|f| Some((f.clone(), f.limit?)))
        .collect()
}

/// Parts of readings that no field types: they are laid in beside what is typed.
fn laid_in(path: &str) -> bool {
    path == "version"
        || path == "confirmed"
        || path.starts_with("confirmed.")
        || path.ends_with(".id")
        || path.ends_with(".at_c")
        // Results of routines are one field each.
        || ["hold", "tune", "verify", "written"]
            .iter()
            .any(|r| path.starts_with(&format!("{r}.")))
        // Where a patch or a wall is comes with it; a reason is asked where a step needs one.
        || (path.starts_with("patches.") && (path.ends_with("x_mm") || path.ends_with("y_mm")))
        || (path.starts_with("walls.") && (path.ends_with(".side") || path.ends_with(".height")))
        || (path.starts_with("steps.") && path.ends_with(".reason"))
}

/// Fields of the way that wasn't chosen: by patches or by touches, by walls or by mass.
fn of_another_way(readings: &Value, path: &str) -> bool {
    let method = readings["method"].as_str().unwrap_or_default();
    let of = |names: &[&str]| {
        names
            .iter()
            .any(|n| path == *n || path.starts_with(&format!("{n}.")))
    };
    // Pairs are laid only where two looks differ; the examples name what is good by one letter or number each.
    let named = |look: &str| {
        let typed = readings[look].as_str().unwrap_or_default().to_lowercase();
        let apart = if method == "cards" { "" } else { " " };
        let words: BTreeSet<String> = typed
            .replace(',', " ")
            .split(apart)
            .map(|w| w.trim().to_owned())
            .filter(|w| !w.is_empty())
            .collect();
        words
    };
    if path == "pairs"
        && (named("first").is_empty()
            || named("second").is_empty()
            || named("first") == named("second"))
    {
        return true;
    }
    match method {
        "patch" => of(&["touches_mm"]),
        "paper" | "feeler" | "routine" | "trim" => of(&["patches", "commanded_mm"]),
        "walls" => of(&["volume_mm3", "density_g_cm3", "masses_g"]) || of(BY_EYE),
        "mass" => of(&["walls", "wall_mm"]) || of(BY_EYE),
        "cards" | "tower" => of(&[
            "walls",
            "wall_mm",
            "volume_mm3",
            "density_g_cm3",
            "masses_g",
            "instrument",
            "override_percent",
            "seed",
        ]),
        _ => match readings["way"].as_str().unwrap_or_default() {
            "piece" => {
                of(&["best", "outcome"])
                    || (readings["delivered"] == "at_inlet" && of(&["density"]))
            }
            "own" => {
                of(&["wanted", "bands", "again", "corners"])
                    || of(&[
                        "rungs",
                        "claimed",
                        "temp",
                        "density",
                        "feed",
                        "instrument",
                        "delivered",
                    ])
                    || of(BY_EYE)
            }
            _ => false,
        },
    }
}

/// What is asked where an eye judges.
const BY_EYE: &[&str] = &[
    "from",
    "step",
    "count",
    "seed",
    "first",
    "second",
    "pairs",
    "first_layer_percent",
];

#[test]
fn a_piece_that_a_form_asks_for_exists_with_all_that_is_set_of_it() {
    for example in examples() {
        let form = example.station.form(&example.readings(), &example.context);
        for asked in form.pieces {
            let piece = wattotherm_toolpath::piece_named(asked.name)
                .unwrap_or_else(|| panic!("{:?}: no piece {}", example.station, asked.name));
            for key in asked.set.keys() {
                let known = ["nozzle", "flow"].contains(key)
                    || piece.settings.iter().any(|s| s.key == *key);
                assert!(known, "{:?}: {} has no {key}", example.station, asked.name);
            }
        }
    }
}

#[test]
fn a_form_names_every_field_of_its_readings_and_no_other() {
    for example in examples() {
        let mut readings = example.readings();
        let form = example.station.form(&readings, &example.context);
        let mut there = BTreeSet::new();
        leaves(&readings, "", &mut there);
        let asked: BTreeSet<String> = form.fields().map(|f| f.path.clone()).collect();
        assert_eq!(
            asked.len(),
            form.fields().count(),
            "{:?} asks twice",
            example.station
        );
        for path in &asked {
            let known = at(&mut readings, path).is_some() || path.starts_with("fitted.");
            assert!(
                known,
                "{:?}, {}: no {path} in the readings",
                example.station, example.name
            );
        }
        for path in there {
            // Not every list counts pieces.
            let counts = |list: &str| sheet(list, &example.context).counts;
            let uncounted = (path.starts_with("counted_") || path == "parked")
                && example.context.list.as_deref().is_some_and(|l| !counts(l));
            // A place or a piece of the usual list is the name of its own field.
            let is_a_label = path.ends_with(".name") && {
                let name = at(&mut readings, &path).and_then(|v| v.as_str().map(str::to_owned));
                form.fields().any(|f| Some(&f.label) == name.as_ref())
            };
            assert!(
                asked.contains(&path)
                    || is_a_label
                    || uncounted
                    || laid_in(&path)
                    || of_another_way(&readings, &path),
                "{:?}, {}: nobody asks for {path}",
                example.station,
                example.name
            );
        }
    }
}

#[test]
fn a_number_beyond_its_limit_is_refused_at_its_field_with_the_limit_in_the_message() {
    for example in examples() {
        let readings = example.readings();
        for (field, limit) in numbers(&example.station.form(&readings, &example.context)) {
            for value in [
                limit.min - 1.0 - limit.min.abs(),
                limit.max + 1.0 + limit.max.abs(),
            ] {
                for pen in [Pen::METRIC, Pen::IMPERIAL] {
                    let mut context = example.context.clone();
                    context.house.pen = pen;
                    let mut bad = readings.clone();
                    *at(&mut bad, &field.path).unwrap() = json!(value);
                    let all = problems(example.station, &bad, &context);
                    let found = all
                        .iter()
                        .find(|p| p.field() == field.path && p.code() == "out_of_range");
                    let said = found.map(|p| p.says(pen)).unwrap_or_default();
                    let most = pen.plain(limit.max, limit.unit, 4);
                    assert!(
                        said.contains(&most),
                        "{:?}, {}: {value} in {} gives “{said}”, {all:?}",
                        example.station,
                        example.name,
                        field.path
                    );
                }
            }
        }
    }
}

#[test]
fn what_is_needed_and_blank_is_asked_for_at_its_field() {
    for example in examples() {
        let readings = example.readings();
        let form = example.station.form(&readings, &example.context);
        for field in form.fields().filter(|f| f.needed) {
            let mut blank = readings.clone();
            let Some(place) = at(&mut blank, &field.path) else {
                continue;
            };
            *place = match field.kind {
                FieldKind::YesNo => json!("open"),
                FieldKind::Choice { .. } if place.as_str() == Some("good") => json!("open"),
                _ => json!(""),
            };
            // A report may be replaced by a reason, and readings by what a display showed.
            if blank["none_because"]
                .as_str()
                .is_some_and(|s| !s.is_empty())
            {
                continue;
            }
            let got = example.station.evaluate(&blank, &example.context);
            match got {
                Err(EvaluateError::Readings(e)) => assert!(
                    e.problems.iter().any(|p| p.field() == field.path
                        || p.field().starts_with(&format!("{}.", field.path))),
                    "{:?}, {}: {} blank gives {:?}",
                    example.station,
                    example.name,
                    field.path,
                    e.problems
                ),
                // A choice that can't be blank is a matter of shape.
                Err(EvaluateError::Shape { field: at, .. }) => assert_eq!(at, field.path),
                other => panic!(
                    "{:?}, {}: {} blank gives {other:?}",
                    example.station, example.name, field.path
                ),
            }
        }
    }
}

#[test]
fn what_a_form_says_of_a_number_is_that_number() {
    for example in examples() {
        let readings = example.readings();
        let form = example.station.form(&readings, &example.context);
        let mut shop = example.context.clone();
        shop.house.pen = Pen::IMPERIAL;
        let abroad = example.station.form(&readings, &shop);
        for ((field, limit), other) in numbers(&form).into_iter().zip(numbers(&abroad)) {
            assert_eq!(field.value, other.0.value, "{}", field.path);
            let Some(value) = field.value else {
                assert_eq!(field.says, "");
                continue;
            };
            assert_eq!(field.says, Pen::METRIC.plain(value, limit.unit, 4));
            assert_eq!(other.0.says, Pen::IMPERIAL.plain(value, limit.unit, 4));
            assert_eq!(other.0.symbol, Pen::IMPERIAL.symbol(limit.unit));
            assert!(
                limit.min < limit.max
                    && limit.usual_min >= limit.min
                    && limit.usual_max <= limit.max
            );
        }
    }
}

#[test]
fn a_shop_of_inches_and_fahrenheit_begins_with_its_own_numbers_and_finds_the_same() {
    for example in examples() {
        let mut shop = example.context.clone();
        shop.house.pen = Pen::IMPERIAL;
        let (here, abroad) = (
            example.station.start(&example.context),
            example.station.start(&shop),
        );
        let (a, b) = (
            example.station.form(&here, &example.context),
            example.station.form(&abroad, &shop),
        );
        for ((m, limit), (i, _)) in numbers(&a).into_iter().zip(numbers(&b)) {
            let close = match (m.value, i.value) {
                // To the last digit: what was in force must not move because it was shown.
                (Some(x), Some(y)) => (x - y).abs() < 1e-9,
                (None, None) => true,
                _ => false,
            };
            assert!(
                close,
                "{:?} {}: {:?} {:?} {limit:?}",
                example.station, m.path, m.value, i.value
            );
        }
    }
}

#[test]
fn what_the_snapshot_knows_is_filled_in_and_says_where_it_is_from() {
    let report = "echo: M92 X80.00 Y80.00 Z400.00 E93.00\necho: M301 P22.40 I1.32 D95.00\necho: M851 X-40.00 Y-10.00 Z-1.62\n";
    let kept = Context {
        snapshot: Some(report.into()),
        ..Context::default()
    };
    let cases: [(&dyn AnyStation, &str, &str); 3] = [
        (&stations::Drive, "steps_set", "93"),
        (&stations::OffsetZ, "offset_set_mm", "-1.62"),
        (&stations::HeaterLoop, "set_p", "22.4"),
    ];
    for (station, path, value) in cases {
        let from = |readings: &Value, context: &Context| {
            let form = station.form(readings, context);
            let field = form.fields().find(|f| f.path == path).unwrap();
            field.from.clone()
        };
        let mut begun = station.start(&kept);
        assert_eq!(begun[path], value, "{station:?}");
        assert_eq!(from(&begun, &kept).as_deref(), Some("the snapshot"));
        // What is typed over it is the technician's; what is in force goes before the snapshot.
        begun[path] = json!("7");
        assert_eq!(from(&begun, &kept), None);
        let in_force = Context {
            before: Some(3.5),
            before_text: Some("P 20.00 I 1.00 D 90.00".into()),
            ..kept.clone()
        };
        let begun = station.start(&in_force);
        assert_ne!(begun[path], value);
        assert_eq!(
            from(&begun, &in_force).as_deref(),
            Some("the value in force")
        );
        // Nothing known, nothing said.
        let bare = station.start(&Context::default());
        assert_eq!(
            (bare[path].as_str(), from(&bare, &Context::default())),
            (Some(""), None)
        );
    }
}

proptest! {
    /// A value typed in the shop's unit is the value in the kept one. The way there is written again here.
    #[test]
    fn typed_units_are_understood(fahrenheit in -40.0_f64..600.0, inches in 0.0_f64..20.0) {
        use wattotherm_measure::{Unit, entry::Entry};
        let c = Entry::from(format!("{fahrenheit:.3} °F").as_str()).parse(Unit::Celsius).unwrap();
        prop_assert!(((fahrenheit - 32.0) * 5.0 / 9.0 - c).abs() < 1e-3);
        let k = Entry::from(format!("{fahrenheit:.3}F").as_str()).parse(Unit::Kelvin).unwrap();
        prop_assert!((fahrenheit * 5.0 / 9.0 - k).abs() < 1e-3);
        let mm = Entry::from(format!("{inches:.4} in").as_str()).parse(Unit::Mm).unwrap();
        prop_assert!((mm / 25.4 - inches).abs() < 1e-4);
        // What measures something else is no answer.
        for other in ["in", "K", "mm"] {
            let typed = Entry::from(format!("{inches:.4} {other}").as_str());
            prop_assert!(typed.parse(Unit::Celsius).is_none());
        }
    }
}
