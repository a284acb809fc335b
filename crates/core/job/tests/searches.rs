//! Searches by test prints as a technician walks them, print by print.
#![allow(clippy::unwrap_used)]

mod common;

use common::found;
use common::searches::{bands, before, board, pla, rungs, soft};
use serde_json::{Value, json};
use wattotherm_job::Context;
use wattotherm_job::house::ToleranceId;
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_measure::{Pen, Verdict};

/// A new tube: a little better by itself; fast doesn't help, slow does a bit, hop off cures it.
#[test]
fn after_a_tube_swap_the_board_says_what_each_change_earned() {
    let context = before(4.8);
    let prints = [
        ([4.8, 40.0, 150.0, 0.2], 4),
        ([4.8, 60.0, 150.0, 0.2], 4),
        ([4.8, 20.0, 150.0, 0.2], 3),
        ([4.8, 20.0, 150.0, 0.0], 1),
    ];
    for n in 1..=3 {
        let f = found(&stations::Retraction, &board(&prints[..n]), &context);
        assert_eq!(f.facts.verdict, Verdict::MeasureAgain, "{n} prints");
        assert!(
            !f.words.settle.is_empty(),
            "{n} prints: what would settle it"
        );
    }
    let f = found(&stations::Retraction, &board(&prints), &context);
    assert_eq!(f.facts.verdict, Verdict::Pass);
    let said: Vec<&str> = f
        .words
        .rows
        .iter()
        .filter_map(|r| r.after.as_deref())
        .collect();
    assert!(
        said[1].contains("speed 40 mm/s → 60 mm/s: no difference that can be seen"),
        "{said:?}"
    );
    assert!(
        said[2].contains("speed 60 mm/s → 20 mm/s: earned 1"),
        "{said:?}"
    );
    assert!(said[3].contains("hop 0.2 mm → 0 mm: earned 2"), "{said:?}");
    // What passed is more than its distance.
    assert!(
        f.words.sentence.contains("as print 4 had it"),
        "{}",
        f.words.sentence
    );
    let plain: Vec<(&str, &str)> = f
        .words
        .plain
        .iter()
        .map(|p| (p.name.as_str(), p.value.as_str()))
        .collect();
    assert!(plain.contains(&("hop", "0 mm")) && plain.contains(&("retraction speed", "20 mm/s")));
}

#[test]
fn a_setting_that_was_clean_once_and_not_again_is_not_taken() {
    let prints = [
        ([4.8, 25.0, 150.0, 0.0], 3),
        ([4.2, 25.0, 150.0, 0.0], 0),
        ([4.2, 25.0, 150.0, 0.0], 3),
    ];
    let f = found(&stations::Retraction, &board(&prints), &before(4.8));
    assert_eq!(f.facts.verdict, Verdict::MeasureAgain);
    assert!(
        f.words
            .reasons
            .iter()
            .any(|r| r.contains("the newest print counts"))
    );
}

#[test]
fn a_board_that_did_not_begin_with_the_old_settings_says_what_it_cannot_know() {
    let f = found(
        &stations::Retraction,
        &board(&[([4.2, 25.0, 150.0, 0.0], 1)]),
        &before(4.8),
    );
    assert_eq!(f.facts.after, Some(4.2));
    assert!(
        f.words
            .reasons
            .iter()
            .any(|r| r.contains("what the new part alone did isn’t known"))
    );
}

/// Every print that the board proposes changes one setting of an earlier one.
#[test]
fn the_board_never_proposes_two_changes_at_once() {
    // Strings of a machine that wants 3.4 mm at 20 mm/s.
    let strings = |d: f64, v: f64| -> u32 {
        let s = 2.2 * (3.4 - d).max(0.0) + 1.5 * (v / 20.0).ln().abs() + 0.4;
        // OK because it lies between 0 and 5.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let s = s.round().clamp(0.0, 5.0) as u32;
        s
    };
    let mut prints: Vec<([f64; 4], u32)> = vec![([1.0, 60.0, 150.0, 0.0], strings(1.0, 60.0))];
    for _ in 0..10 {
        let f = found(&stations::Retraction, &board(&prints), &before(1.0)).facts;
        if f.verdict != Verdict::MeasureAgain {
            assert_eq!(f.verdict, Verdict::Adjust);
            return;
        }
        let set: Vec<f64> = f.own["next"]["print"]["set"]
            .as_array()
            .unwrap()
            .iter()
            .map(|v| v.as_f64().unwrap())
            .collect();
        let alone = prints
            .iter()
            .any(|(p, _)| (0..4).filter(|i| (p[*i] - set[*i]).abs() > 1e-6).count() <= 1);
        assert!(alone, "{set:?} after {prints:?}");
        prints.push(([set[0], set[1], set[2], set[3]], strings(set[0], set[1])));
    }
    panic!("not found in ten prints: {prints:?}");
}

#[test]
fn a_soft_filament_has_a_plateau_of_its_own_and_its_card_is_shown() {
    let context = Context {
        filament: Some(soft()),
        before: Some(240.0),
        ..Context::default()
    };
    let six = bands(&[
        (235, [1, 2, 2, 4]),
        (230, [2, 3, 3, 4]),
        (225, [3, 4, 3, 4]),
        (220, [4, 4, 4, 4]),
        (215, [4, 4, 3, 3]),
        (210, [2, 3, 2, 1]),
    ]);
    let f = found(&stations::PrintTemp, &json!({ "bands": six }), &context);
    assert_eq!(f.facts.verdict, Verdict::Adjust);
    let after = f.facts.after.unwrap();
    assert!((215.0..=225.0).contains(&after), "{after}");
    let station: &dyn AnyStation = &stations::PrintTemp;
    let hints = station.set_up(&station.start(&context), &context).hints;
    assert!(
        hints
            .iter()
            .any(|h| h.starts_with("TPU usually: nozzle 213 to 237 °C, bed 45 °C")),
        "{hints:?}"
    );
}

#[test]
fn what_temperature_cannot_better_is_a_finer_layer_s_and_then_a_smaller_bore_s() {
    let context = Context {
        filament: Some(soft()),
        before: Some(220.0),
        ..Context::default()
    };
    let says = |overhang: [u32; 6]| {
        let six: Vec<(u32, [u32; 4])> = [235, 230, 225, 220, 215, 210]
            .into_iter()
            .zip([
                [2, 2, 4],
                [3, 3, 4],
                [4, 3, 4],
                [4, 4, 4],
                [4, 3, 3],
                [2, 2, 1],
            ])
            .zip(overhang)
            .map(|((c, [bridge, strings, bond]), o)| (c, [bridge, o, strings, bond]))
            .collect();
        let f = found(
            &stations::PrintTemp,
            &json!({ "bands": bands(&six) }),
            &context,
        );
        (
            f.facts.verdict,
            f.words.reasons.iter().any(|r| {
                r.contains("Overhangs score at most 2")
                    && r.contains("finer layer next; if that isn’t enough, with a smaller bore")
            }),
        )
    };
    // Six bands, a plateau, and overhangs that sag on all of it: the temperature stays, the layer is next.
    assert_eq!(says([2, 2, 2, 2, 2, 1]), (Verdict::Pass, true));
    // With the finer layer they come better, and with the smaller bore well: nothing more is said.
    assert_eq!(says([2, 2, 3, 3, 2, 1]), (Verdict::Pass, false));
    assert_eq!(says([3, 4, 4, 4, 4, 2]), (Verdict::Pass, false));
}

#[test]
fn cards_that_cannot_be_told_apart_are_settled_by_their_middle_and_then_by_the_fine_set() {
    let cards = |from: &str, step: &str, set: &str, first: &str, second: &str| {
        json!({
            "method": "cards", "flow_set_percent": set, "from": from, "step": step, "count": "9", "seed": "0",
            "first": first, "second": second,
        })
    };
    let coarse = found(
        &stations::Flow,
        &cards("-20", "5", "100", "F", "G"),
        &Context::default(),
    );
    assert_eq!(coarse.facts.after, Some(107.5));
    assert!(
        coarse.facts.commands.is_empty(),
        "a card has its flow in its path"
    );
    let begun = {
        let station: &dyn AnyStation = &stations::Flow;
        let context = Context {
            before: Some(107.5),
            adjusts_so_far: 1,
            previous: Some(cards("-20", "5", "100", "F", "G")),
            ..Context::default()
        };
        station.start(&context)
    };
    // The fine set, about what is set now, under another key.
    assert_eq!(
        (&begun["from"], &begun["step"]),
        (&json!("-4"), &json!("1"))
    );
    assert_ne!(begun["seed"], json!("0"));
    let fine = found(
        &stations::Flow,
        &cards("-4", "1", "107.5", "D", "DE"),
        &Context::default(),
    );
    assert_eq!(fine.facts.verdict, Verdict::Pass);
}

#[test]
fn an_override_multiplies_what_the_profile_has() {
    let tower = json!({
        "method": "tower", "flow_set_percent": "96", "from": "90", "step": "5", "count": "6",
        "first": "4 5", "second": "4 5",
    });
    let f = found(&stations::Flow, &tower, &Context::default());
    // Bands of 105 and 110 %: their middle over a profile of 96 %. The last band's override is left on: it goes back.
    assert_eq!(f.facts.after, Some(103.2));
    let sent: Vec<&str> = f.facts.commands.iter().map(|c| c.line.as_str()).collect();
    assert_eq!(sent, ["M221 S100"]);
}

#[test]
fn a_claimed_flow_may_be_less_than_half_true() {
    let readings = json!({
        "claimed": "30",
        "rungs": rungs(&["0.596", "0.594", "0.597", "0.595", "0.593", "0.560", "0.510", "0.462"]),
    });
    let f = found(&stations::VolumetricLimit, &readings, &pla(None));
    assert!(
        f.words.reasons.iter().any(
            |r| r.contains("Claimed 30 mm³/s, found 13.8 mm³/s ±0.5 at 215 °C, less than half")
        )
    );
    let honest = json!({
        "claimed": "12",
        "rungs": rungs(&["0.596", "0.594", "0.597", "0.595", "0.593", "0.560", "0.510", "0.462"]),
    });
    let f = found(&stations::VolumetricLimit, &honest, &pla(None));
    assert!(
        f.words
            .reasons
            .iter()
            .any(|r| r.contains("the claim holds"))
    );
}

#[test]
fn a_piece_is_asked_for_in_the_units_that_it_is_made_in() {
    let mut context = before(4.8);
    context.house.pen = Pen::IMPERIAL;
    let station: &dyn AnyStation = &stations::Retraction;
    let mut readings = station.start(&context);
    readings["prints"][0]["distance"] = "0.189 in".into();
    readings["prints"][0]["travel"] = "6 in/s".into();
    let piece = station.form(&readings, &context).pieces.remove(0);
    assert_eq!(piece.name, "posts");
    assert_eq!(
        (piece.set["from"].as_str(), piece.set["travel"].as_str()),
        ("4.8006", "152.4")
    );
}

#[test]
fn a_piece_is_as_thick_as_its_station_reckons_with() {
    // What differs between the piece and what is asked for would be laid to the flow, or to the nozzle's height.
    for (station, path, typed, piece, key) in [
        (
            &stations::Flow as &dyn AnyStation,
            "wall_mm",
            "0.48",
            "box",
            "wall",
        ),
        (
            &stations::OffsetZ,
            "commanded_mm",
            "0.24",
            "patches",
            "thick",
        ),
    ] {
        let context = Context::default();
        let mut readings = station.start(&context);
        let asked = |readings: &Value| {
            let made = station.form(readings, &context).pieces.remove(0);
            assert_eq!(made.name, piece);
            made.set[key].clone()
        };
        let begun: f64 = readings[path].as_str().unwrap().parse().unwrap();
        assert!((asked(&readings).parse::<f64>().unwrap() - begun).abs() < 1e-9);
        readings[path] = typed.into();
        assert_eq!(asked(&readings), typed);
    }
}

#[test]
fn what_an_older_version_kept_as_a_trial_is_read_as_prints_of_ones_own() {
    let old: Value = json!({"version": 1, "before": "230", "best": "240", "outcome": "good", "note": "", "confirmed": []});
    let station: &dyn AnyStation = &stations::VolumetricLimit;
    let old_limit = json!({"version": 1, "before": "9", "best": "11", "outcome": "good", "note": "", "confirmed": []});
    let f = station.evaluate(&old_limit, &Context::default()).unwrap();
    assert_eq!(
        (f.facts.verdict, f.facts.after),
        (Verdict::Adjust, Some(11.0))
    );
    let station: &dyn AnyStation = &stations::PrintTemp;
    let hot = station.evaluate(&old, &Context::default()).unwrap_err();
    assert!(hot.to_string().contains("ceiling is 235 °C"), "{hot}");
    // A retraction was kept without a score: it is there to be scored.
    let station: &dyn AnyStation = &stations::Retraction;
    let asks = station.evaluate(&old, &Context::default()).unwrap_err();
    assert!(!asks.to_string().is_empty());
}

#[test]
fn a_house_whose_prints_are_dear_stops_earlier() {
    // Distances and speeds that all leave some strings: more of the same promises little.
    let prints: Vec<Value> = [(3.0, 25, 3), (4.0, 25, 2), (5.0, 25, 2), (4.0, 15, 3), (5.0, 40, 2), (6.0, 25, 2)]
        .iter()
        .map(|(d, v, s)| json!({"distance": d, "speed": v, "travel": 150, "hop": "0", "wipe": "0", "strings": s, "gaps": "0", "blobs": "0"}))
        .collect();
    let next = |worth: f64| {
        let mut context = pla(Some(3.0));
        context
            .house
            .tolerances
            .insert(ToleranceId::PrintWorthScore, worth);
        let f = found(
            &stations::Retraction,
            &json!({ "prints": prints }),
            &context,
        );
        f.facts.own["next"]["why"].clone()
    };
    assert_eq!(next(0.1), "improves");
    // What promises less than three scores isn't printed for distance and speed: the next setting comes.
    assert_eq!(next(3.0), "next_setting");
}

#[test]
fn the_first_print_is_held_against_the_settings_of_before_the_job_alone() {
    let prints: Vec<Value> = [("0.8", 3), ("1.0", 1)]
        .iter()
        .map(|(d, s)| json!({"distance": d, "speed": "25", "travel": "150", "hop": "0", "wipe": "0", "strings": s, "gaps": "0", "blobs": "0"}))
        .collect();
    let typed = json!({ "prints": prints, "before": "1" });
    for (adjusts_so_far, says) in [(0, true), (1, false)] {
        let context = Context {
            adjusts_so_far,
            ..pla(Some(1.0))
        };
        let f = found(&stations::Retraction, &typed, &context);
        let unknown = f
            .words
            .reasons
            .iter()
            .any(|r| r.contains("what the new part alone did"));
        assert_eq!(
            unknown, says,
            "{adjusts_so_far} adjusts: {:?}",
            f.words.reasons
        );
    }
}

#[test]
fn lines_named_good_with_others_between_them_are_not_said_to_differ_from_look_to_look() {
    let typed = json!({"from": "0.3", "step": "0.05", "count": "13", "seed": "0", "first": "4, 7", "second": "4, 7"});
    let f = found(&stations::PressureAdvance, &typed, &pla(Some(0.6)));
    assert_eq!(f.facts.verdict, Verdict::MeasureAgain);
    assert!(
        f.words.headline.contains("between the lines named good"),
        "{}",
        f.words.headline
    );
}

#[test]
fn looks_that_differ_are_settled_by_pairs_once_one_wins_often_enough() {
    let lines = |pairs: &str| {
        let typed = json!({"from": "0.3", "step": "0.05", "count": "13", "seed": "0", "first": "4", "second": "7", "pairs": pairs});
        found(&stations::PressureAdvance, &typed, &pla(Some(0.6)))
    };
    // Without pairs the looks differ; a few don't settle it, and it says which two to lay again.
    assert_eq!(lines("").facts.verdict, Verdict::MeasureAgain);
    let few = lines("7 4, 4 7");
    assert_eq!(few.facts.verdict, Verdict::MeasureAgain);
    assert!(
        few.words.settle[0].contains("beside each other once more"),
        "{:?}",
        few.words.settle
    );
    // Nine wins of nine over line 4 say nothing of 6 and 8, which nobody laid.
    let far = lines(&["7 4"; 9].join(", "));
    assert_eq!(far.facts.verdict, Verdict::MeasureAgain);
    assert!(
        far.words.settle[0].starts_with("7 and 6 beside"),
        "{:?}",
        far.words.settle
    );
    // Nine over either neighbour do: line 7 is 0.6 s, and stays.
    let many = lines(&["7 6, 7 8"; 9].join(", "));
    assert_eq!(many.facts.verdict, Verdict::Pass, "{}", many.words.headline);
    assert!(
        many.words
            .reasons
            .iter()
            .any(|r| r.starts_with("18 pairs: the best is ahead"))
    );
    // Two that win from each other in turn, and from their neighbours, are a tie: the middle, and wider.
    let tie = lines(&["10 9, 10 11, 9 10, 9 8, 10 11, 9 8, 10 8, 9 11"; 5].join(", "));
    assert!(
        tie.words.headline.contains("0.725"),
        "{}",
        tie.words.headline
    );
    // Two pairs that never met say nothing of the best.
    let apart = lines("4 5, 7 8");
    assert!(
        apart
            .words
            .reasons
            .iter()
            .any(|r| r.contains("not all of them met"))
    );
    assert!(apart.words.settle[0].starts_with("4 and 7 beside"));
    // What hangs together by way of another has met: the next pair joins the groups.
    let chained = lines("4 5, 5 6, 8 9");
    assert!(chained.words.settle[0].starts_with("4 and 8 beside"));
    // What is no pair is asked about.
    let typed = json!({"from": "0.3", "step": "0.05", "count": "13", "seed": "0", "first": "4", "second": "7", "pairs": "7"});
    let station: &dyn AnyStation = &stations::PressureAdvance;
    let mut readings = station.start(&pla(Some(0.6)));
    for (k, v) in typed.as_object().unwrap() {
        readings[k] = v.clone();
    }
    let e = station.evaluate(&readings, &pla(Some(0.6))).unwrap_err();
    assert!(
        format!("{e:?}").contains("the better one first: “7 6, 7 8”."),
        "{e:?}"
    );
}
