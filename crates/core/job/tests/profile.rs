//! The nozzle profile: what rests on the bore, and who speaks of another one.
#![allow(clippy::unwrap_used)]

use serde_json::{Value, json};
use wattotherm_job::stations::{self, AnyStation, other_bore};
use wattotherm_job::{Context, SlicedFile};
use wattotherm_measure::Verdict;
use wattotherm_printer::{Parameter, PrinterFacts};

fn fitted(bore: f64, before: f64) -> Context {
    Context {
        printer: PrinterFacts {
            nozzle_mm: bore,
            ..PrinterFacts::default()
        },
        parameter: Some(Parameter::Profile),
        before: Some(before),
        ..Context::default()
    }
}

fn with(context: &Context, more: &Value) -> Value {
    let mut r = stations::Profile.start(context);
    let typed = more.as_object().unwrap().clone();
    r.as_object_mut().unwrap().extend(typed);
    r
}

fn row(finding: &wattotherm_job::finding::Finding, name: &str) -> [String; 2] {
    let rows = &finding.words.rows;
    let r = rows.iter().find(|r| r.name == name).unwrap();
    [&r.before, &r.after].map(|t| t.clone().unwrap_or_default())
}

#[test]
fn a_new_bore_makes_a_table_of_all_that_rests_on_it_and_passes_once_it_is_saved_in_both_places() {
    let context = fitted(0.6, 0.4);
    let old = json!({"outer_width": "0,42", "infill_width": "0.5", "layer": "0.2", "first_layer": "0.25", "outer_speed": "80", "flow_limit": "12"});
    let first = stations::Profile
        .evaluate(&with(&context, &old), &context)
        .unwrap();
    assert_eq!(first.facts.verdict, Verdict::Adjust);
    assert_eq!(first.facts.after, Some(0.6));
    assert_eq!(row(&first, "bore"), ["0.4 mm", "0.6 mm, as fitted"]);
    // 0.42 of 0.4 is 105 %: 0.63 of 0.6. 0.2 of 0.4 is a half: 0.3.
    assert_eq!(
        row(&first, "width, outer wall"),
        ["0.42 mm", "0.63 mm: the same share of the bore"]
    );
    assert_eq!(
        row(&first, "layer"),
        ["0.2 mm", "0.3 mm: the same share of the bore"]
    );
    assert_eq!(row(&first, "first layer"), ["0.25 mm", ""]);
    assert_eq!(
        row(&first, "width, inner walls"),
        ["not read off", "0.66 mm: 110 % of the bore"]
    );
    // By hand: (0.63 − 0.30)·0.30 + π·0.15² = 0.16969 mm²; 12 / 0.16969 = 70.7 mm/s.
    assert_eq!(
        row(&first, "speed, outer wall"),
        ["80 mm/s", "70 mm/s: 12 mm³/s over a bead of 0.17 mm²"]
    );
    assert!(row(&first, "speed, infill")[1].starts_with("at most 58 mm/s"));

    // Set, not ticked yet: it says where to save it.
    let context = fitted(0.6, 0.6);
    let set =
        json!({"outer_width": "0.63", "layer": "0.3", "outer_speed": "70", "flow_limit": "12"});
    let problem = stations::Profile
        .evaluate(&with(&context, &set), &context)
        .unwrap_err()
        .to_string();
    assert!(
        problem.contains("Save the bore with the printer"),
        "{problem}"
    );
    assert!(
        problem.contains("Save widths, layers and speeds"),
        "{problem}"
    );
    let mut saved = set;
    saved["saved_printer"] = json!(true);
    saved["saved_process"] = json!(true);
    let last = stations::Profile
        .evaluate(&with(&context, &saved), &context)
        .unwrap();
    assert_eq!(last.facts.verdict, Verdict::Pass);
    assert_eq!(last.facts.kept(), Some(0.6));
    // One width of the old bore left behind is found.
    saved["inner_width"] = json!("0.44");
    let left = stations::Profile
        .evaluate(&with(&context, &saved), &context)
        .unwrap();
    assert_eq!(left.facts.verdict, Verdict::Adjust);
    assert_eq!(
        row(&left, "width, inner walls"),
        ["0.44 mm", "0.66 mm: 110 % of the bore"]
    );
}

#[test]
fn whatever_is_proposed_passes_when_it_is_read_off_again() {
    for bore in [0.2, 0.25, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0, 1.2] {
        for before in [0.2, 0.4, 0.6, 1.0] {
            let context = fitted(bore, before);
            let old = json!({"outer_width": format!("{:.2}", before * 1.05), "layer": format!("{:.2}", before * 0.5),
                "first_layer": format!("{:.2}", before * 0.6), "outer_speed": "60", "inner_speed": "90", "infill_speed": "150", "flow_limit": "11"});
            let mut r = with(&context, &old);
            for key in ["saved_printer", "saved_process"] {
                r[key] = json!(true);
            }
            let first = stations::Profile.evaluate(&r, &context).unwrap();
            let keys = [
                ("layer", "layer"),
                ("first layer", "first_layer"),
                ("width, first layer", "first_width"),
                ("width, outer wall", "outer_width"),
                ("width, inner walls", "inner_width"),
                ("width, infill and top", "infill_width"),
                ("speed, outer wall", "outer_speed"),
                ("speed, inner walls", "inner_speed"),
                ("speed, infill", "infill_speed"),
            ];
            for plain in &first.words.plain {
                let key = keys.iter().find(|(name, _)| *name == plain.name).unwrap().1;
                r[key] = json!(plain.value);
            }
            r["before"] = json!(bore.to_string());
            let context = fitted(bore, bore);
            let again = stations::Profile.evaluate(&r, &context).unwrap();
            assert_eq!(
                again.facts.verdict,
                Verdict::Pass,
                "{before} → {bore}: {:?}",
                again.words.rows
            );
        }
    }
}

#[test]
fn the_last_file_is_taken_along_and_an_older_trial_is_read() {
    let mut context = fitted(0.4, 0.4);
    context.last_print = Some(SlicedFile {
        name: "holder.gcode".into(),
        width_mm: 0.65,
        height_mm: 0.3,
    });
    context.volumetric_limit = Some(9.0);
    let r = stations::Profile.start(&context);
    assert_eq!(r["file_width"], "0.65");
    assert_eq!(r["flow_limit"], "9");
    // As a trial kept it before there was this station.
    let older = json!({"version": 0, "before": "0.4", "best": "0.6", "outcome": "good", "note": "copied", "confirmed": ["best"]});
    let got = stations::Profile
        .evaluate(&older, &fitted(0.6, 0.4))
        .unwrap();
    assert_eq!(got.facts.after, Some(0.6));
}

#[test]
fn file_nozzle_and_profile_name_the_odd_one() {
    let says = |file, fitted, profile| other_bore(file, fitted, profile).unwrap_or_default();
    assert_eq!(says([0.45, 0.2], 0.4, None), "");
    assert_eq!(says([0.45, 0.2], 0.4, Some(0.4)), "");
    assert!(says([0.65, 0.3], 0.4, Some(0.4)).contains("sliced for another bore than the 0.4 mm"));
    assert!(says([0.65, 0.3], 0.4, Some(0.6)).contains("look at the nozzle"));
    assert!(says([0.45, 0.2], 0.4, Some(0.6)).contains("profile was set for 0.6 mm"));
    // Thick beads of a bore are its own.
    assert_eq!(says([0.6, 0.3], 0.4, None), "");
    assert!(!says([0.45, 0.34], 0.4, None).is_empty());
}
