//! The twin's metal obeys its own laws.
#![allow(clippy::cast_possible_truncation, clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_gcode::{framed, read_temperatures};
use wattotherm_heat::{Sample, Trace, identify, relay_from_trace};
use wattotherm_twin::{Build, Fault, Kind, Twin, World};

/// Watt-seconds that the balance may miss per joule put in: the trapezoid of the losses.
const BALANCE: f64 = 1e-5;

#[test]
fn what_goes_in_is_stored_or_lost() {
    for &kind in Kind::ALL {
        let mut world = World::new(Build::new(kind, 3, []), 3);
        for i in 0..20_000 {
            world.duty = if (i / 2_000) % 2 == 0 { 0.7 } else { 0.1 };
            world.part_fan = if i > 12_000 { 1.0 } else { 0.0 };
            world.integrate(0.05);
        }
        let miss = world.energy_in_j - world.energy_out_j - world.stored_j();
        assert!(
            miss.abs() < BALANCE * world.energy_in_j,
            "{kind:?}: {miss} J of {} J",
            world.energy_in_j
        );
    }
}

#[test]
fn a_finer_step_changes_nothing_that_can_be_measured() {
    let run = |dt: f64| {
        let mut world = World::new(Build::new(Kind::Light, 5, []), 5);
        let steps = (200.0 / dt).round() as usize;
        for i in 0..steps {
            world.duty = if i < steps / 2 { 1.0 } else { 0.2 };
            world.integrate(dt);
        }
        world.heat.block_c
    };
    let fine = run(0.0025);
    let errors: Vec<f64> = [0.4, 0.2, 0.05]
        .iter()
        .map(|dt| (run(*dt) - fine).abs())
        .collect();
    assert!(errors[2] < 1e-3, "{errors:?}");
    // Fourth order: half the step, a sixteenth of the error (some slack for the switch of duty).
    assert!(errors[1] < errors[0] / 8.0 + 1e-9, "{errors:?}");
}

/// Runs commands on a twin and keeps its temperature reports.
fn logged(twin: &mut Twin, seconds: f64, fan: f64) -> Vec<Sample> {
    let mut samples = Vec::new();
    let mut text = String::new();
    for _ in 0..(seconds / 0.25) as usize {
        twin.advance(0.25);
        text.push_str(&String::from_utf8(twin.take_output()).unwrap());
    }
    for line in text.lines() {
        if let Some(t) = read_temperatures(line) {
            samples.push(Sample {
                t_s: t.uptime_s.unwrap(),
                temp_c: t.nozzle().at_c,
                target_c: Some(t.nozzle().target_c),
                duty: t.nozzle().duty(),
                fan: Some(fan),
            });
        }
    }
    samples
}

#[test]
fn an_autotune_swings_and_its_log_gives_the_plant() {
    for &kind in Kind::ALL {
        let mut twin = Twin::new(Build::new(kind, 11, []), 11);
        twin.ask("M155 S1");
        twin.receive(b"M303 E0 S210 C6\n");
        let log = Trace::new(logged(&mut twin, 600.0, 0.0));
        assert!(twin.is_idle(), "{kind:?} still swings");
        let end = log
            .samples
            .iter()
            .rposition(|s| s.target_c == Some(210.0))
            .unwrap();
        let swing = Trace::new(log.samples[..end].iter().copied());
        let found = identify(&swing, 210.0).unwrap().found;
        let relay = relay_from_trace(&swing, 210.0).unwrap();
        let (cycle, half, ultimate) = (relay.cycle, relay.half_step, relay.ultimate);
        assert!(
            (0.2..0.5).contains(&half),
            "{kind:?}: half a step of {half}"
        );
        assert!(
            (1.0..4.0).contains(&cycle.amplitude_c),
            "{kind:?}: {cycle:?}"
        );
        assert!(
            (5.0..30.0).contains(&ultimate.tu_s),
            "{kind:?}: {ultimate:?}"
        );
        assert!(found.residual_c < 0.8, "{found:?}");
    }
}

#[test]
fn settings_outlive_a_power_cycle_only_if_stored() {
    let build = Build::new(Kind::Standard, 1, []);
    let mut twin = Twin::new(build, 1);
    twin.ask("M301 P30 I2 D100");
    twin.power_cycle();
    assert!(twin.ask("M503").contains("M301 P22.40"));
    twin.ask("M301 P30 I2 D100");
    assert!(twin.ask("M500").contains("stored"));
    twin.power_cycle();
    assert!(twin.ask("M503").contains("M301 P30.00 I2.00 D100.00"));
    let mut bad = Twin::new(Build::new(Kind::Standard, 1, [Fault::SettingsNotSaved]), 1);
    bad.ask("M301 P30 I2 D100");
    assert!(bad.ask("M500").contains("stored"), "it claims so");
    bad.ask("M501");
    assert!(bad.ask("M503").contains("M301 P22.40"));
}

#[test]
fn a_line_is_run_once_however_often_it_comes() {
    let mut twin = Twin::new(Build::new(Kind::Standard, 1, []), 1);
    twin.ask("N0 M110*125");
    for _ in 0..3 {
        twin.ask(framed(1, "G92 E0").trim());
    }
    assert_eq!(twin.ran, ["G92 E0"]);
    let answer = twin.ask("N2 M105*99");
    assert!(answer.contains("Resend: 2"), "{answer}");
}

proptest! {
    #[test]
    fn no_bytes_make_the_board_panic(bytes in proptest::collection::vec(any::<u8>(), 0..600)) {
        let mut twin = Twin::new(Build::new(Kind::Standard, 1, []), 1);
        twin.receive(&bytes);
        twin.receive(b"\n");
        twin.advance(1.0);
        let _ = twin.take_output();
    }
}
