//! The thermal timeline: minutes against an integration of the heat balance step by step, and the laws of the clock
//! over any job. Sources: Newton's law of cooling; a first-order balance of heat.

#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_heat::Cooling;
use wattotherm_job::house::House;
use wattotherm_job::route::{Begins, LineState, Stop};
use wattotherm_job::timeline::{LegKind, Power, Start, Timeline};
use wattotherm_job::{Comes, Situation};
use wattotherm_measure::{Pen, Verdict};
use wattotherm_printer::{HotEndKind, PrinterFacts, Replacement};

mod story;

use story::Story;

/// A cooling of this hot end's own, and nobody connected.
const OWN: Start = Start {
    cooling: Cooling {
        tau_s: 280.0,
        ambient_c: 21.0,
        own: true,
    },
    nozzle_c: None,
};

fn printer() -> PrinterFacts {
    PrinterFacts {
        heater_w: Some(40.0),
        hot_end: HotEndKind::Lined,
        ..PrinterFacts::default()
    }
}

fn on_the_clock(s: &Story, start: &Start) -> Timeline {
    let card = s.card();
    let house = House::default();
    let printer = printer();
    let parts: Vec<Replacement> = s.facts.replaced.iter().copied().collect();
    Situation {
        house: &house,
        printer: &printer,
        filaments: &[(story::PETG, "PETG".into(), "PETG".into())],
        in_force: &[],
        closings: &[],
        card: &card,
        replaced: &parts,
        changed: &[],
        failure_times_min: &[],
        comes: Comes::AtRandom,
        last_print: None,
    }
    .timeline(start)
}

fn job(parts: &[Replacement]) -> Story {
    let mut s = Story::of(parts);
    s.facts.lined = true;
    s
}

/// Minutes in which a body of 12 J/K with τ = 280 s goes from one temperature to another, by Euler's method in
/// steps of 10 ms: another way than the formula.
fn integrated(mut at: f64, to: f64, watts: f64) -> f64 {
    let (capacity, loss, air, dt) = (12.0, 12.0 / 280.0, 21.0, 0.01);
    let mut seconds = 0.0;
    let rises = to > at;
    while (rises && at < to || !rises && at > to) && seconds < 36_000.0 {
        at += (watts - loss * (at - air)) / capacity * dt;
        seconds += dt;
    }
    seconds / 60.0
}

#[test]
fn minutes_are_those_of_the_heat_balance() {
    let t = on_the_clock(&job(&[Replacement::HeatBreakSame]), &OWN);
    let mut waits = 0;
    for leg in &t.legs {
        let [from, to] = leg.nozzle_c;
        let took = leg.to_min - leg.from_min;
        match leg.kind {
            LegKind::Heats => assert!((took - integrated(from, to, 40.0)).abs() < 0.01, "{leg:?}"),
            LegKind::Cools => assert!((took - integrated(from, to, 0.0)).abs() < 0.01, "{leg:?}"),
            LegKind::Work | LegKind::Runs => continue,
        }
        waits += 1;
    }
    assert!(waits >= 3, "up to print, down for the strip, up to tighten");
    assert!(t.own_cooling && !t.read_now);
}

#[test]
fn a_nozzle_job_is_one_heat_and_a_tube_is_cut_while_it_cools() {
    let nozzle = on_the_clock(&job(&[Replacement::NozzleSame]), &OWN);
    assert_eq!(
        nozzle.swings, 0,
        "changed hot, tightened hot, printed hot: {:#?}",
        nozzle.legs
    );
    let tube = on_the_clock(&job(&[Replacement::Tube]), &OWN);
    assert_eq!(tube.swings, 1);
    let said = tube.says(Pen::METRIC);
    assert!(said.contains("min") || said.contains("minute"), "{said}");
    let strip = on_the_clock(
        &job(&[
            Replacement::HeatBreakSame,
            Replacement::HeaterBlock,
            Replacement::Tube,
            Replacement::NozzleSame,
        ]),
        &OWN,
    );
    assert_eq!(strip.swings, 1, "one strip is one cool-down");
    let assembly = on_the_clock(&job(&[Replacement::HotEndSame]), &OWN);
    let cools = assembly
        .legs
        .iter()
        .find(|l| l.kind == LegKind::Cools)
        .unwrap();
    assert!(cools.meanwhile.is_empty() || cools.meanwhile.len() <= 3);
}

#[test]
fn a_nozzle_read_hot_cools_first_and_one_read_cold_does_not() {
    let mut s = job(&[Replacement::HotEndFan]);
    for key in ["intake", "snapshot"] {
        s.pass(key);
    }
    let hot = Start {
        nozzle_c: Some(215.0),
        ..OWN
    };
    let t = on_the_clock(&s, &hot);
    let first_cold = t.legs.iter().find(|l| l.kind == LegKind::Cools).unwrap();
    assert!((first_cold.nozzle_c[0] - 215.0).abs() < 60.0 && t.read_now);
    let said = t.says(Pen::METRIC);
    assert!(
        said.contains("cools to 48 °C") || said.contains("heats to"),
        "{said}"
    );
    assert!(t.says(Pen::IMPERIAL).contains("°F"));
}

fn any_job() -> impl Strategy<Value = (Vec<Replacement>, bool, u8, f64, f64, Option<f64>)> {
    (
        proptest::collection::btree_set(proptest::sample::select(Replacement::ALL.to_vec()), 0..5)
            .prop_map(|s| s.into_iter().collect()),
        any::<bool>(),
        0u8..12,
        60.0..900.0f64,
        12.0..34.0f64,
        proptest::option::of(10.0..290.0f64),
    )
}

proptest! {
    #[test]
    fn every_open_stop_is_on_the_clock_once_in_order_and_every_gate_is_met((parts, lined, done, tau_s, ambient_c, nozzle_c) in any_job()) {
        let mut s = job(&parts);
        s.facts.lined = lined;
        s.facts.begins = Begins::Parts;
        for _ in 0..done {
            match s.card().now {
                Some(now) => { s.close(&now, Verdict::Pass, 100.0, 100.0); }
                None => break,
            }
        }
        let start = Start { cooling: Cooling { tau_s, ambient_c, own: false }, nozzle_c };
        let t = on_the_clock(&s, &start);
        let card = s.card();
        let due: Vec<String> = card.lines.iter()
            .filter(|l| matches!(l.state, LineState::Open | LineState::Stopped))
            .filter(|l| l.effort.hands_min + l.effort.wait_min > 0.0)
            .map(|l| l.key.clone()).collect();
        let mut seen: Vec<String> = t.legs.iter().map(|l| l.stop.clone()).collect();
        seen.dedup();
        prop_assert_eq!(&seen, &due);
        let mut at = 0.0;
        for pair in t.legs.windows(2) {
            prop_assert!((pair[0].nozzle_c[1] - pair[1].nozzle_c[0]).abs() < 1e-9, "the nozzle jumps: {:?}", pair);
        }
        for leg in &t.legs {
            prop_assert!((leg.from_min - at).abs() < 1e-9 && leg.to_min > leg.from_min, "{:?}", leg);
            at = leg.to_min;
            let [from, to] = leg.nozzle_c;
            match leg.kind {
                LegKind::Heats => prop_assert!(to > from && leg.power == Power::Live, "{:?}", leg),
                LegKind::Cools => prop_assert!(to < from, "{:?}", leg),
                LegKind::Work | LegKind::Runs => prop_assert!((to - from).abs() < 1e-9),
            }
            if leg.power == Power::Unplugged {
                prop_assert!(to <= 48.0 + 1e-9, "hot and unplugged: {:?}", leg);
                prop_assert_ne!(leg.kind, LegKind::Runs);
            }
            prop_assert!(leg.meanwhile.len() <= 3);
            // What is measured cold is cold, what is tightened is hot.
            let hands = matches!(leg.kind, LegKind::Work);
            match leg.stop.parse::<Stop>().unwrap() {
                Stop::Heater if hands => prop_assert!(to <= 48.0 + 1e-9),
                Stop::HotTighten if hands => prop_assert!(to >= 195.0 - 1e-9, "{:?}", leg),
                _ => {}
            }
        }
        prop_assert!((t.total_min - at).abs() < 1e-9);
        let cold_again = t.legs.iter().filter(|l| l.kind == LegKind::Cools && l.nozzle_c[1] <= 48.0).count();
        prop_assert_eq!(t.swings as usize, cold_again);
        prop_assert!(t.hottest_c <= 300.0);
    }
}
