//! Bed loop and gantry: by hand arithmetic, apart from the code they test.

#![allow(clippy::unwrap_used)]

mod common;

use common::{found, typed};
use proptest::prelude::*;
use serde_json::{Value, json};
use wattotherm_job::Context;
use wattotherm_job::finding::{Cause, Finding};
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_measure::Verdict;
use wattotherm_printer::{FilamentFacts, PrinterFacts};

fn bed(over: &Value) -> Finding {
    found(&stations::BedLoop, over, &Context::default())
}

const REPORT: &str =
    "bias: 92 d: 92 min: 59.62 max: 60.31\nKp: 210.56 Ki: 41.20 Kd: 715.00\nPID Autotune finished!";

#[test]
fn a_bed_is_judged_by_a_one_sided_band_around_its_limit() {
    // Limit 3 K. Two readings to ±0.5 K: u = 0.5 / √3 · √2 = 0.408, U = 1.645 · 0.408 = 0.67 K.
    for (high, verdict) in [
        ("62.3", Verdict::Pass),
        ("62.4", Verdict::MeasureAgain),
        ("63.6", Verdict::MeasureAgain),
    ] {
        let f = bed(&json!({"low_c": "60", "high_c": high}));
        assert_eq!(f.facts.verdict, verdict, "{high}: {:?}", f.facts.bands);
    }
    // Beyond it, nothing is set that was not found: first the autotune.
    let swings = bed(&json!({"low_c": "58", "high_c": "63"}));
    assert_eq!(swings.facts.verdict, Verdict::MeasureAgain);
    assert!(swings.facts.commands.is_empty());
    // On and off, twice as much is usual; and there are no gains to set.
    let on_off =
        |low: &str, high: &str| bed(&json!({"held": "on_off", "low_c": low, "high_c": high}));
    assert_eq!(on_off("57.5", "62.5").facts.verdict, Verdict::Pass);
    assert_eq!(on_off("55", "63").facts.cause, Some(Cause::BedSwings));
}

#[test]
fn gains_of_the_report_are_set_once_and_then_seen_to_hold() {
    let mut context = Context::default();
    let typed = json!({"low_c": "57", "high_c": "63", "report": REPORT});
    let first = found(&stations::BedLoop, &typed, &context);
    let lines: Vec<&str> = first
        .facts
        .commands
        .iter()
        .map(|c| c.line.as_str())
        .collect();
    assert_eq!(lines, ["M304 P210.56 I41.2 D715", "M500", "M503"]);
    context.previous = Some(typed);
    let start = stations::BedLoop.start(&context);
    assert_eq!(
        (&start["low_c"], &start["report"]),
        (&json!(""), &json!(REPORT)),
        "only what is read anew is blank"
    );
    let again = |over: Value| found(&stations::BedLoop, &over, &context).facts;
    assert_eq!(
        again(json!({})).verdict,
        Verdict::MeasureAgain,
        "set, and nobody saw it hold"
    );
    assert_eq!(
        again(json!({"low_c": "59.7", "high_c": "60.4"})).verdict,
        Verdict::Pass
    );
    // The same gains a second time mend nothing.
    assert_eq!(
        again(json!({"low_c": "57", "high_c": "63"})).cause,
        Some(Cause::BedSwings)
    );
}

#[test]
fn a_bed_that_never_comes_up_is_a_fire_and_no_matter_of_gains() {
    let f = bed(&json!({"low_c": "49", "high_c": "52", "report": REPORT}));
    assert_eq!(f.facts.cause, Some(Cause::NeverReaches));
    assert!(f.facts.commands.is_empty() && f.words.sentence.starts_with("Fire."));
    // Half a degree below is none of it.
    assert_eq!(
        bed(&json!({"low_c": "59", "high_c": "59.5"})).facts.cause,
        None
    );
}

#[test]
fn the_bed_of_a_filament_is_its_materials_and_a_hold_that_cannot_be_is_asked_about() {
    let context = Context {
        filament: Some(FilamentFacts {
            name: "black".into(),
            material: "ABS".into(),
            print_temp_c: None,
        }),
        ..Context::default()
    };
    assert_eq!(stations::BedLoop.start(&context)["target_c"], "100");
    let up = stations::BedLoop.set_up(&stations::BedLoop.start(&context), &context);
    assert_eq!(up.commands[0].line, "M303 E-1 S100 C8");
    let refused = |over: Value| {
        let typed = typed(&stations::BedLoop, &over, &Context::default());
        format!(
            "{:?}",
            stations::BedLoop
                .evaluate(&typed, &Context::default())
                .unwrap_err()
        )
    };
    assert!(refused(json!({"low_c": "62", "high_c": "58"})).contains("swapped"));
    assert!(refused(json!({"low_c": "62"})).contains("Read both"));
    assert!(refused(json!({})).contains("Read the lowest"));
    assert!(refused(json!({"report": "ok"})).contains("No Kp, Ki and Kd"));
}

fn gantry(heights: &[f64], lead: f64) -> Finding {
    let typed: Vec<String> = heights.iter().map(|h| format!("{h:.2}")).collect();
    let all: Vec<String> = (0..heights.len()).map(|i| format!("heights.{i}")).collect();
    found(
        &stations::Gantry,
        &json!({"heights": typed, "lead_mm": lead.to_string(), "confirmed": all}),
        &Context::default(),
    )
}

#[test]
fn a_crossing_asks_at_every_motor_and_says_how_far_to_turn() {
    for n in [2, 3, 4] {
        let context = Context {
            printer: PrinterFacts {
                z_motors: Some(f64::from(u8::try_from(n).unwrap())),
                ..PrinterFacts::default()
            },
            ..Context::default()
        };
        let start = stations::Gantry.start(&context);
        assert_eq!(start["heights"].as_array().unwrap().len(), n);
    }
    // 1.2 mm at 8 mm a turn: 54 degrees.
    let f = gantry(&[120.1, 121.3], 8.0);
    assert_eq!(f.facts.verdict, Verdict::Adjust);
    assert_eq!(
        f.words.rows[0].after.as_deref(),
        Some("lift by 54° of its screw")
    );
    assert_eq!(
        gantry(&[100.0, 116.0], 8.0).facts.cause,
        Some(Cause::GantrySlipped)
    );
}

proptest! {
    /// Whoever turns as told is level in one round.
    #[test]
    fn turning_as_told_levels_it(
        heights in proptest::collection::vec(10_000u32..11_400, 2..5), lead in prop::sample::select(vec![1.0, 2.0, 4.0, 8.0]),
    ) {
        let before: Vec<f64> = heights.iter().map(|h| f64::from(*h) / 100.0).collect();
        let f = gantry(&before, lead);
        let after: Vec<f64> = before.iter().zip(&f.words.rows).map(|(h, row)| {
            let degrees: f64 = row.after.as_deref().unwrap_or("").chars().filter(char::is_ascii_digit)
                .collect::<String>().parse().unwrap_or(0.0);
            h + degrees / 360.0 * lead
        }).collect();
        prop_assert_eq!(gantry(&after, lead).facts.verdict, Verdict::Pass, "{:?} -> {:?}", before, after);
    }
}
