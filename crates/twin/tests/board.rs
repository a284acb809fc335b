//! The board of the twin keeps its word: limits, protection, protocol, memory, extrusion.
#![allow(clippy::unwrap_used)]

use crate::common::Bench;
use wattotherm_gcode::{framed, read_temperatures};
use wattotherm_heat::SensorTable;
use wattotherm_twin::{Build, Fault, Kind, Twin, UnknownFault};

fn twin(seed: u64, faults: &[Fault]) -> Twin {
    Twin::new(
        Build::new(Kind::Standard, seed, faults.iter().copied()),
        seed,
    )
}

fn shown(twin: &mut Twin) -> f64 {
    let answer = twin.ask("M105");
    read_temperatures(answer.trim_start_matches("ok ").trim())
        .unwrap()
        .nozzle()
        .at_c
}

/// Lets it live for a while and gives back what it said.
fn live(twin: &mut Twin, seconds: f64) -> String {
    twin.advance(seconds);
    String::from_utf8(twin.take_output()).unwrap()
}

#[test]
fn a_target_above_the_limit_less_its_margin_is_lowered_and_said() {
    let mut t = twin(1, &[]);
    let said = t.ask("M104 S300");
    assert!(said.contains("target limited to 260"), "{said}");
    assert!((t.targets_c().0 - 260.0).abs() < 1e-9);
    let mut low = twin(1, &[Fault::LimitTooLow]);
    low.ask("M104 S230");
    assert!((low.targets_c().0 - 215.0).abs() < 1e-9);
    let refused = low.ask("M303 E0 S230 C5");
    assert!(refused.contains("target above the limit"), "{refused}");
    assert!(low.is_idle());
}

#[test]
fn protection_halts_a_heater_whose_sensor_breaks_off() {
    let mut t = twin(2, &[]);
    t.ask("M104 S200");
    live(&mut t, 60.0);
    assert!(t.world.duty > 0.0);
    t.world.build.sensor = SensorTable::Platinum { r0_ohm: 1e9 };
    let said = live(&mut t, 5.0);
    assert!(
        said.contains("Error:halted: nozzle sensor out of range"),
        "{said}"
    );
    assert_eq!((t.targets_c(), t.world.duty), ((0.0, 0.0), 0.0));
    assert!(t.ask("M104 S200").contains("Error:halted"));
    t.ask("M999");
    assert!(!t.ask("M104 S0").contains("Error"));
}

#[test]
fn protection_halts_a_heater_that_does_not_heat() {
    let mut t = twin(3, &[]);
    t.world.build.heater_ohm = 1e6;
    t.ask("M104 S200");
    let said = live(&mut t, 60.0);
    assert!(
        said.contains("Error:halted: nozzle does not heat"),
        "{said}"
    );
}

#[test]
fn waiting_says_busy_and_a_break_ends_it() {
    let mut t = twin(4, &[]);
    t.receive(b"M109 S200\n");
    assert!(!t.is_idle());
    let said = live(&mut t, 9.0);
    assert!(
        said.matches("busy").count() >= 4,
        "every two seconds: {said}"
    );
    assert!(!said.contains("ok"));
    t.receive(b"M108\n");
    assert!(t.is_idle() && live(&mut t, 0.1).starts_with("ok"));
    // The other commands wait their turn behind what it is busy with.
    t.receive(b"M109 S60\nM105\n");
    assert!(!live(&mut t, 1.0).contains("T:"));
    let later = live(&mut t, 200.0);
    assert!(later.contains("ok\nok T:"), "{later}");
}

#[test]
fn reports_come_as_often_as_asked_and_carry_its_own_clock() {
    let mut t = twin(5, &[]);
    t.ask("M155 S0.25");
    let said = live(&mut t, 10.0);
    let times: Vec<f64> = said
        .lines()
        .filter_map(read_temperatures)
        .map(|r| r.uptime_s.unwrap())
        .collect();
    assert!((39..=40).contains(&times.len()), "{times:?}");
    assert!(
        times.windows(2).all(|w| (w[1] - w[0] - 0.25).abs() < 0.011),
        "{times:?}"
    );
    t.ask("M155 S0");
    assert_eq!(live(&mut t, 5.0), "");
}

#[test]
fn the_same_seed_gives_the_same_printer_and_another_seed_another() {
    let log = |seed: u64| {
        let mut b = Bench::new(Kind::Light, seed, []);
        b.hold(20.0);
        b.twin.world.heat.block_c
    };
    assert!((log(7) - log(7)).abs() < 1e-12);
    assert!((log(7) - log(8)).abs() > 1e-3);
    let (a, b) = (
        Build::new(Kind::Heavy, 1, []),
        Build::new(Kind::Heavy, 2, []),
    );
    assert!((a.heater_w() - b.heater_w()).abs() > 1e-6);
    for seed in 0..50 {
        let w = Build::new(Kind::Standard, seed, []).heater_w();
        assert!(
            (36.0..44.5).contains(&w),
            "within eight percent of 40 W: {w}"
        );
    }
}

#[test]
fn a_line_out_of_turn_is_asked_for_again_and_never_run() {
    let mut t = twin(6, &[]);
    t.ask(framed(0, "M110 N0").trim());
    t.ask(framed(1, "G92 E0").trim());
    for (line, asks) in [
        (framed(3, "G92 E3"), "Resend: 2"),
        (framed(1, "G92 E9"), "Resend: 2"),
        ("N2 G92 E2*1\n".to_owned(), "Resend: 2"),
        ("G92 E7\n".to_owned(), "Resend: 2"),
    ] {
        let said = t.ask(line.trim());
        assert!(
            said.contains(asks) && said.ends_with("ok\n"),
            "{line}: {said}"
        );
    }
    assert_eq!(t.ran, ["G92 E0"]);
    t.ask(framed(2, "G92 E2").trim());
    assert_eq!(t.ran, ["G92 E0", "G92 E2"]);
}

#[test]
fn filament_is_fed_hot_by_the_steps_that_are_set() {
    let mut t = twin(7, &[]);
    t.ask("M83");
    t.world.look();
    assert!(t.ask("G1 E50 F300").contains("cold extrusion prevented"));
    assert!(t.world.look().fed_mm.abs() < 1e-9);
    t.ask("M104 S210");
    live(&mut t, 200.0);
    t.receive(b"G1 E100 F90\n");
    live(&mut t, 80.0);
    let right = t.world.look();
    assert!((right.fed_mm - 100.0).abs() < 0.5, "{right:?}");
    assert!((right.came_out_mm / right.fed_mm - 1.0).abs() < 0.01);
    // Half the steps feed half the length.
    let steps = t.world.build.true_steps_mm / 2.0;
    t.ask(&format!("M92 E{steps:.2}"));
    t.receive(b"G1 E100 F90\n");
    live(&mut t, 80.0);
    assert!((t.world.look().fed_mm - 50.0).abs() < 0.5);
}

#[test]
fn a_slipping_coupler_loses_what_the_drive_fed_and_a_clog_shows_when_it_is_fast() {
    let fed = |faults: &[Fault], speed: u32| {
        let mut t = twin(8, faults);
        t.ask("M83");
        t.ask("M104 S210");
        live(&mut t, 200.0);
        t.world.look();
        t.receive(format!("G1 E100 F{}\n", speed * 60).as_bytes());
        live(&mut t, 150.0);
        t.world.look()
    };
    let slips = fed(&[Fault::CouplerSlipping], 1);
    assert!(
        (slips.fed_mm - 100.0).abs() < 0.5 && slips.came_out_mm < 95.0,
        "{slips:?}"
    );
    assert!(slips.tube_play_mm > 0.2);
    let (slow, fast) = (fed(&[Fault::PartialClog], 1), fed(&[Fault::PartialClog], 5));
    assert!(
        slow.fed_mm > 99.0 && fast.fed_mm < 92.0,
        "{slow:?} {fast:?}"
    );
}

#[test]
fn a_power_cycle_keeps_the_metal_hot_and_forgets_the_rest() {
    let mut t = twin(9, &[]);
    t.ask("G28");
    live(&mut t, 15.0);
    t.ask("M104 S200");
    t.ask("M106 S255");
    live(&mut t, 120.0);
    let before = shown(&mut t);
    t.power_cycle();
    assert!(
        String::from_utf8(t.take_output())
            .unwrap()
            .starts_with("start")
    );
    assert_eq!(
        (t.targets_c(), t.world.part_fan, t.world.duty),
        ((0.0, 0.0), 0.0, 0.0)
    );
    assert!((shown(&mut t) - before).abs() < 3.0, "metal stays hot");
    live(&mut t, 1_500.0);
    assert!(shown(&mut t) < 48.0, "and cools by itself");
}

#[test]
fn faults_are_named_as_on_the_command_line() {
    for &fault in Fault::ALL {
        assert_eq!(fault.to_string().parse::<Fault>().unwrap(), fault);
    }
    let wrong: Result<Fault, UnknownFault> = "gremlin".parse();
    assert!(
        wrong
            .unwrap_err()
            .to_string()
            .starts_with("there is no fault “gremlin”; faults are sensor-open, sensor-short")
    );
}

#[test]
fn a_second_nozzle_heats_feeds_and_stops_by_itself() {
    let build = Build::new(Kind::Standard, 8, []).with_nozzles(2);
    let mut t = Twin::new(build, 8);
    let told =
        |t: &mut Twin| read_temperatures(t.ask("M105").trim_start_matches("ok ").trim()).unwrap();
    assert_eq!(told(&mut t).tools.len(), 2);
    t.ask("M104 T1 S210");
    live(&mut t, 240.0);
    let now = told(&mut t);
    assert!(
        (now.tools[1].at_c - 210.0).abs() < 3.0 && (now.tools[1].target_c - 210.0).abs() < 0.01
    );
    assert!(now.tools[0].at_c < 40.0 && now.tools[0].target_c < 0.01);
    // Cold as the first one is, it feeds nothing; the second does.
    let mut said_of = |lines: &[&str]| {
        lines.iter().fold(String::new(), |said, line| {
            let answer = t.ask(line);
            said + &answer + &live(&mut t, 15.0)
        })
    };
    let cold = said_of(&["M83", "G28", "G1 X50 Y50 F6000", "G1 X60 E1 F600"]);
    assert!(cold.contains("cold extrusion prevented"), "{cold}");
    let hot = said_of(&["T1", "G1 X50 Y50 F6000", "G1 X60 E1 F600"]);
    assert!(!hot.contains("prevented"), "{hot}");
    // A stop is a stop for both.
    t.ask("M112");
    live(&mut t, 5.0);
    assert!(told_off(&mut t));
}

/// Whether every target that it reports is 0.
fn told_off(t: &mut Twin) -> bool {
    t.ask("M999");
    read_temperatures(t.ask("M105").trim_start_matches("ok ").trim())
        .unwrap()
        .each()
        .all(|(_, c)| c.target_c == 0.0)
}
