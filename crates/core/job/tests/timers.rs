//! Timers, filaments that want no fan, and where pieces are parked.

#![allow(clippy::unwrap_used)]

mod common;

use common::{found, typed};
use proptest::prelude::*;
use serde_json::json;
use wattotherm_job::house::{Choice, House, RuleId, ToleranceId};
use wattotherm_job::route::{Deed, Timer, running};
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_job::{Context, due_by_age};
use wattotherm_measure::Verdict;
use wattotherm_printer::{FilamentFacts, Parameter, Part, fan_off};

fn set(what: &str, minutes: f64) -> Deed {
    Deed::TimerSet {
        what: what.into(),
        minutes,
    }
}

#[test]
fn a_timer_says_how_long_it_runs_and_for_how_long_it_is_over() {
    let t = Timer {
        what: "anneal at 100 °C".into(),
        minutes: 60.0,
    };
    assert_eq!(t.says(0.0), "anneal at 100 °C: 60 min left");
    assert_eq!(t.says(59.2), "anneal at 100 °C: 1 min left");
    assert_eq!(t.says(60.4), "anneal at 100 °C: over now");
    assert_eq!(t.says(72.0), "anneal at 100 °C: over for 12 min");
}

#[test]
fn a_timer_wants_a_name_and_minutes_that_somebody_waits() {
    assert!(set("dry", 480.0).check_typed().is_ok());
    for bad in [
        set(" ", 5.0),
        set("dry", 0.0),
        set("dry", 2_881.0),
        set("dry", f64::NAN),
    ] {
        assert!(bad.check_typed().is_err(), "{bad:?}");
    }
}

proptest! {
    /// Of each name at most one runs: the one that was set last and not ended since.
    #[test]
    fn of_each_name_the_last_one_runs(deeds in proptest::collection::vec((0u8..3, proptest::option::of(1u32..99)), 0..20)) {
        let all: Vec<Deed> = deeds.iter().map(|(name, minutes)| match minutes {
            Some(m) => set(&name.to_string(), f64::from(*m)),
            None => Deed::TimerOver { what: name.to_string() },
        }).collect();
        let run = running(all.iter().enumerate());
        for name in 0u8..3 {
            let last = deeds.iter().enumerate().rev().find(|(_, (n, _))| *n == name);
            let expected = last.and_then(|(i, (_, m))| m.map(|m| (i, f64::from(m))));
            let got: Vec<(usize, f64)> = run.iter().filter(|(_, t)| t.what == name.to_string()).map(|(i, t)| (*i, t.minutes)).collect();
            prop_assert_eq!(got, expected.into_iter().collect::<Vec<_>>());
        }
    }
}

fn heater_loop(material: &str) -> Context {
    Context {
        parameter: Some(Parameter::HeaterLoop),
        filament: Some(FilamentFacts {
            name: "black".into(),
            material: material.into(),
            print_temp_c: Some(230.0),
        }),
        ..Context::default()
    }
}

#[test]
fn no_dip_with_the_fan_is_asked_where_it_never_runs() {
    let verified = |material: &str, dip: &str| {
        let context = heater_loop(material);
        let seen = json!({
            "typed_overshoot_c": "1", "typed_settle_s": "25", "typed_swing_c": "0.8", "typed_dip_c": dip,
        });
        found(&stations::HeaterLoop, &seen, &context).facts
    };
    assert_eq!(verified("ABS", "").verdict, Verdict::Pass);
    assert_ne!(
        verified("PETG", "").verdict,
        Verdict::Pass,
        "a dip is asked there"
    );
    // A dip that was read all the same says nothing against a loop that never meets a fan.
    assert_eq!(verified("ASA", "20").verdict, Verdict::Pass);
    assert_eq!(verified("PETG", "20").verdict, Verdict::Stop);
    for (material, off) in [
        ("PA6-CF", true),
        ("pc", true),
        ("PCTG", false),
        ("PLA+", false),
        ("", false),
    ] {
        assert_eq!(fan_off(material), off, "{material}");
    }
}

#[test]
fn where_pieces_are_parked_is_kept_with_the_count() {
    let context = Context {
        list: Some("fit.part_fan".into()),
        ..Context::default()
    };
    let mut typed = stations::Check.start(&context);
    for step in typed["steps"].as_array_mut().unwrap() {
        step["state"] = json!("done");
    }
    typed["counted_out"] = json!("4");
    typed["counted_in"] = json!("4");
    typed["parked"] = json!("4 screws M3 × 8: in the lid");
    let f = stations::Check.evaluate(&typed, &context).unwrap();
    assert_eq!(f.facts.verdict, Verdict::Pass);
    assert!(
        f.words
            .reasons
            .contains(&"Parked: 4 screws M3 × 8: in the lid".to_owned()),
        "{:?}",
        f.words.reasons
    );
}

#[test]
fn parts_are_due_by_age_only_where_the_shop_replaces_them_so() {
    let mut house = House::default();
    assert_eq!(due_by_age(&house, Part::Tube, 9_999.0), None);
    house.choices.insert(
        RuleId::PartsReplaced,
        Choice {
            option: "by_age".into(),
            reason: String::new(),
        },
    );
    assert_eq!(due_by_age(&house, Part::Tube, 365.0), None);
    assert_eq!(
        due_by_age(&house, Part::ControlBoard, 9_999.0),
        None,
        "a board doesn’t wear"
    );
    assert_eq!(
        due_by_age(&house, Part::Tube, 400.7).unwrap(),
        "Due by age: tube, fitted 400 days ago; this shop replaces it after 365."
    );
    house.tolerances.insert(ToleranceId::PartAgeDays, 500.0);
    assert_eq!(due_by_age(&house, Part::Tube, 400.7), None);
}

#[test]
fn a_pasted_report_of_the_autotune_is_read_as_typed_figures_are() {
    let context = heater_loop("PETG");
    let up = stations::HeaterLoop.set_up(&stations::HeaterLoop.start(&context), &context);
    assert!(
        up.hints
            .iter()
            .any(|h| h.contains("send M303 E0 S230 C8 from"))
    );
    // Where a part is at fault no tuning is offered, not even as a line to copy.
    let hot_sink = typed(&stations::HeaterLoop, &json!({"sink_c": "80"}), &context);
    let up = stations::HeaterLoop.set_up(&hot_sink, &context);
    assert!(!up.hints.iter().any(|h| h.contains("M303")));
    let report = " bias: 92 d: 92 min: 228.1 max: 232.0 Ku: 40.1 Tu: 19.9\n bias: 91 d: 91 min: 228.0 max: 231.9 Ku: 50.0 Tu: 18.7\n Kp: 30 Ki: 3.2 Kd: 70\nPID Autotune finished";
    let facts = |over| found(&stations::HeaterLoop, &over, &context).facts;
    let pasted = facts(json!({"report": report}));
    let by_hand = facts(json!({"typed_ku": "50", "typed_tu_s": "18.7"}));
    assert_eq!(pasted.verdict, Verdict::Adjust);
    assert_eq!(pasted.after_text, by_hand.after_text);
    let unreadable = typed(&stations::HeaterLoop, &json!({"report": "ok"}), &context);
    let refused = stations::HeaterLoop.evaluate(&unreadable, &context);
    assert!(format!("{:?}", refused.unwrap_err()).contains("No Ku and Tu"));
}
