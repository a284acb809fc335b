//! The traveller of whole jobs, folded from their history.

#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use wattotherm_job::chain::{StaleCause, Strength};
use wattotherm_job::house::{Choice, RuleId};
use wattotherm_job::route::{LineState, Stop};
use wattotherm_measure::Verdict;
use wattotherm_printer::{Parameter, Replacement};

mod story;

use story::{PETG, Story};

fn drive_job() -> Story {
    let mut s = Story::of(&[Replacement::ExtruderDrive]);
    for key in [
        "intake",
        "snapshot",
        "baseline",
        "fit.extruder_drive",
        "power_up",
    ] {
        s.pass(key);
    }
    s
}

#[test]
fn a_job_is_worked_from_intake_to_hand_over() {
    let mut s = Story::of(&[Replacement::ExtruderDrive]);
    let mut done = Vec::new();
    while let Some(now) = s.card().now {
        assert!(done.len() < 40, "the job never ends: {done:?}");
        s.pass(&now);
        done.push(now);
    }
    assert_eq!(
        done,
        [
            "intake",
            "snapshot",
            "baseline",
            "fit.extruder_drive",
            "power_up",
            "drive",
            "first_print",
            "volumetric_limit.7",
            "flow.7",
            "pressure_advance.7",
            "retraction.7",
            "acceptance",
            "compare",
            "hand_over",
        ]
    );
    let card = s.card();
    assert_eq!(
        (card.at_least.hands_min, card.at_most.hands_min),
        (0.0, 0.0)
    );
    assert!(
        card.untouched
            .unwrap()
            .starts_with("Sensor type, Temperature ceiling, Heater loop")
    );
}

#[test]
fn preparation_follows_one_after_another() {
    let s = Story::of(&[Replacement::Tube, Replacement::HeaterBlock]);
    assert_eq!(s.line("baseline").waits_for, ["intake", "snapshot"]);
    assert_eq!(
        s.line("fit.tube").waits_for,
        [
            "intake",
            "snapshot",
            "baseline",
            "tube_length",
            "fit.heater_block"
        ]
    );
    assert_eq!(s.line("power_up").waits_for.len(), 6);
    let hot = s.line("hot_tighten").waits_for;
    for first in ["power_up", "ceiling", "first_heat"] {
        assert!(hot.contains(&first.to_owned()), "tightened before {first}");
    }
    assert!(
        s.line("heater_loop")
            .waits_for
            .contains(&"fit.tube".to_owned())
    );
    let tube_only = Story::of(&[Replacement::Tube]);
    assert!(
        tube_only.card().lines.iter().all(|l| l.key != "power_up"),
        "no wire was joined"
    );
    let keys = |r: Replacement| -> Vec<String> {
        let card = Story::of(&[r]).card();
        card.lines.into_iter().map(|l| l.key).collect()
    };
    assert!(keys(Replacement::HeaterCartridge).contains(&"heater".to_owned()));
    assert!(keys(Replacement::NozzleSame).contains(&"hot_tighten".to_owned()));
    let tube = keys(Replacement::Tube);
    assert!(!tube.contains(&"heater".to_owned()) && !tube.contains(&"hot_tighten".to_owned()));
}

#[test]
fn a_drive_that_moved_makes_flow_a_redo_and_one_that_did_not_leaves_it_a_verify() {
    let mut moved = drive_job();
    moved
        .close("drive", Verdict::Adjust, 93.0, 100.0)
        .close("drive", Verdict::Pass, 100.0, 100.0);
    assert_eq!(moved.line("flow.7").strength, Some(Strength::Redo));
    let mut still = drive_job();
    still
        .facts
        .initial
        .insert(Stop::Parameter(Parameter::Drive, None), 93.0);
    still.close("drive", Verdict::Pass, 93.0, 93.0);
    assert_eq!(still.line("flow.7").strength, Some(Strength::Verify));
}

#[test]
fn a_number_corrected_by_hand_before_a_pass_counts_as_moved() {
    let mut s = drive_job();
    s.facts
        .initial
        .insert(Stop::Parameter(Parameter::Drive, None), 139.5);
    s.close("drive", Verdict::Stop, 139.5, 139.5);
    assert_eq!(s.line("drive").state, LineState::Stopped);
    s.close("drive", Verdict::Pass, 418.6, 418.6);
    assert_eq!(s.line("drive").state, LineState::Closed);
    assert_eq!(s.line("flow.7").strength, Some(Strength::Redo));
}

#[test]
fn a_reopened_station_that_comes_out_the_same_disturbs_nothing() {
    let mut s = drive_job();
    s.close("drive", Verdict::Adjust, 93.0, 100.0)
        .pass("drive")
        .pass("first_print");
    for key in ["volumetric_limit.7", "flow.7"] {
        s.pass(key);
    }
    s.reopen("drive");
    assert_eq!(s.line("drive").state, LineState::Open);
    s.pass("drive");
    assert_eq!(
        s.line("flow.7").state,
        LineState::Closed,
        "the same value again"
    );
    s.reopen("drive")
        .close("drive", Verdict::Adjust, 100.0, 104.0)
        .close("drive", Verdict::Pass, 104.0, 104.0);
    assert_eq!(
        s.line("flow.7").state,
        LineState::Open,
        "flow was measured at the old value"
    );
}

#[test]
fn adjusts_are_counted_until_a_pass_or_a_reopening() {
    let mut s = drive_job();
    for n in 1..=3 {
        s.close("drive", Verdict::Adjust, 93.0, 93.0 + f64::from(n));
        assert_eq!(s.line("drive").adjusts, u32::try_from(n).unwrap());
    }
    s.pass("drive");
    assert_eq!(s.line("drive").adjusts, 0);
    s.close("drive", Verdict::Adjust, 93.0, 99.0)
        .reopen("drive");
    assert_eq!(s.line("drive").adjusts, 0);
}

#[test]
fn acceptance_is_last_and_falls_when_something_is_opened_after_it() {
    let mut s = Story::of(&[Replacement::NozzleSame]);
    while let Some(now) = s.card().now {
        s.pass(&now);
    }
    assert_eq!(s.line("hand_over").state, LineState::Closed);
    s.reopen("offset_z");
    assert_eq!(s.line("acceptance").state, LineState::Open);
    assert_eq!(s.line("acceptance").waits_for, ["offset_z"]);
    assert_eq!(s.line("hand_over").state, LineState::Open);
    assert_eq!(s.card().now.as_deref(), Some("offset_z"));
}

#[test]
fn each_filament_of_a_job_has_lines_of_its_own() {
    let mut s = Story::of(&[Replacement::Tube]);
    s.facts.filaments.push((9, "TPU, black".into()));
    assert_eq!(s.line("retraction.9").title, "Retraction, TPU, black");
    assert_eq!(s.line("retraction.7").title, "Retraction, PETG, green");
    let machine: Vec<_> = s
        .card()
        .lines
        .into_iter()
        .filter(|l| l.key == "drive")
        .collect();
    assert!(machine.is_empty());
    s.close("retraction.7", Verdict::Pass, 4.8, 4.8);
    assert_eq!(s.line("retraction.9").state, LineState::Open);
}

#[test]
fn a_value_in_doubt_is_due_with_its_reason() {
    let mut s = Story::of(&[Replacement::HeaterCartridge]);
    let stale = StaleCause {
        strength: Strength::Redo,
        clause: "the tube was replaced in job 3, with another filament".into(),
    };
    s.facts
        .stale
        .insert((Parameter::Retraction, Some(PETG)), stale);
    let line = s.line("retraction.7");
    assert_eq!(line.state, LineState::Open);
    assert_eq!(
        line.reason,
        "Retraction: redo, since the tube was replaced in job 3, with another filament."
    );
}

#[test]
fn two_nozzles_bring_the_xy_offset_and_one_does_not() {
    let mut s = Story::of(&[Replacement::NozzleSame]);
    assert!(s.card().lines.iter().all(|l| l.key != "offset_xy"));
    s.facts.nozzles = 2;
    assert_eq!(s.line("offset_xy").strength, Some(Strength::Verify));
}

#[test]
fn house_rules_shape_the_route() {
    let mut s = Story::of(&[Replacement::HeaterBlock]);
    assert_eq!(s.line("heater_loop").strength, Some(Strength::Redo));
    let mut choose = |rule, option: &str| {
        s.house.choices.insert(
            rule,
            Choice {
                option: option.into(),
                reason: String::new(),
            },
        );
    };
    choose(RuleId::RetuneLoop, "when_it_swings");
    choose(RuleId::FirstPrint, "new_estimates");
    assert_eq!(s.line("heater_loop").strength, Some(Strength::Verify));
    assert!(s.card().lines.iter().all(|l| l.key != "first_print"));
}

#[test]
fn keys_of_stations_read_back_as_written() {
    let stops = [
        Stop::Intake,
        Stop::Snapshot,
        Stop::Baseline,
        Stop::PowerUp,
        Stop::Heater,
        Stop::HotTighten,
        Stop::Compare,
        Stop::FirstPrint,
        Stop::Acceptance,
        Stop::HandOver,
    ]
    .into_iter()
    .chain(Replacement::ALL.iter().copied().map(Stop::Fit))
    .chain(
        Parameter::ALL
            .iter()
            .copied()
            .map(|p| Stop::Parameter(p, None)),
    )
    .chain(
        Parameter::ALL
            .iter()
            .copied()
            .map(|p| Stop::Parameter(p, Some(12))),
    );
    for stop in stops {
        assert_eq!(stop.to_string().parse::<Stop>().as_ref(), Ok(&stop));
    }
    for bad in ["", "oven", "flow.", "flow.x", "fit.oven", "fit."] {
        assert_eq!(
            bad.parse::<Stop>().unwrap_err().to_string(),
            format!("there is no station “{bad}”")
        );
    }
}

proptest! {
    /// Whatever verdicts fall, a job that ends has nothing open, and "at least" never exceeds "at most".
    #[test]
    fn any_history_gives_a_consistent_card(
        replaced in proptest::collection::btree_set(proptest::sample::select(Replacement::ALL.to_vec()), 1..4),
        verdicts in proptest::collection::vec(0u8..6, 60),
    ) {
        let mut s = Story::of(&replaced.iter().copied().collect::<Vec<_>>());
        let mut value = BTreeMap::<String, f64>::new();
        for v in verdicts {
            let card = s.card();
            prop_assert!(card.at_least.hands_min <= card.at_most.hands_min);
            prop_assert!(card.at_least.wait_min <= card.at_most.wait_min);
            let keys: BTreeSet<_> = card.lines.iter().map(|l| l.key.clone()).collect();
            prop_assert_eq!(keys.len(), card.lines.len(), "a station stands twice on the card");
            for l in &card.lines {
                prop_assert!(l.waits_for.iter().all(|w| keys.contains(w)), "{} waits for a stranger", l.key);
                prop_assert!(!l.waits_for.contains(&l.key));
            }
            let Some(now) = card.now else {
                prop_assert!(card.lines.iter().all(|l| matches!(l.state, LineState::Closed | LineState::Released)));
                break;
            };
            let at = *value.entry(now.clone()).or_insert(100.0);
            match v {
                0 => s.close(&now, Verdict::Stop, at, at),
                1 => {
                    value.insert(now.clone(), at + 5.0);
                    s.close(&now, Verdict::Adjust, at, at + 5.0)
                }
                _ => s.close(&now, Verdict::Pass, at, at),
            };
        }
    }
}
