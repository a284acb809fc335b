//! The stations of heat: snapshot, sensor, heater and ceiling, heater loop, hot tightening, comparison.
#![allow(clippy::unwrap_used)]

use serde_json::{Value, json};
use wattotherm_gcode::AutotuneReport;
use wattotherm_heat::{
    Gains, LoopFigures, OutputForm, PhysicalLimits, SENSOR_TYPES, Sample, Trace, TraceClass,
    TuningRule, hold_result, tune_result,
};
use wattotherm_job::chain::Strength;
use wattotherm_job::finding::{Cause, Finding};
use wattotherm_job::house::ToleranceId;
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_job::{Context, ExpectedSetting};
use wattotherm_measure::Verdict;
use wattotherm_printer::{FilamentFacts, HotEndKind, Parameter, Replacement};

/// What a station finds, its starting readings overlaid with what is typed.
fn found(station: &dyn AnyStation, context: &Context, typed: &Value) -> Finding {
    station
        .evaluate(&laid_over(station, context, typed), context)
        .unwrap()
}

fn laid_over(station: &dyn AnyStation, context: &Context, typed: &Value) -> Value {
    let mut readings = station.start(context);
    for (k, v) in typed.as_object().unwrap() {
        readings[k] = v.clone();
    }
    readings
}

fn complaint(station: &dyn AnyStation, context: &Context, typed: &Value) -> String {
    station
        .evaluate(&laid_over(station, context, typed), context)
        .unwrap_err()
        .to_string()
}

const REPORT: &str = "echo:; steps\necho:  M92 X80.00 Y80.00 Z400.00 E415.00\necho:  M301 P22.40 I1.32 D95.00\necho:  M851 X-42.00 Y-8.00 Z-1.620\n";

#[test]
fn a_snapshot_keeps_what_reads_and_names_what_does_not() {
    let c = Context::default();
    let f = found(
        &stations::Snapshot,
        &c,
        &json!({ "report": format!("{REPORT}echo: M92 E1..5\n") }),
    );
    assert_eq!(f.facts.verdict, Verdict::Pass);
    assert_eq!(f.words.headline, "Pass: 10 settings kept.");
    assert!(
        f.words.reasons[0].starts_with("Line 5, column 12 doesn’t read"),
        "{:?}",
        f.words.reasons
    );
    let none = found(
        &stations::Snapshot,
        &c,
        &json!({"none_because": "no console on this one"}),
    );
    assert_eq!(none.words.line, "no settings reported");
    assert_eq!(
        complaint(&stations::Snapshot, &c, &json!({"report": "hello"})),
        "No setting was found in this text: no line begins with a setting command such as M92. Paste the whole answer to M503."
    );
    assert!(complaint(&stations::Snapshot, &c, &json!({})).contains("say why there are none"));
}

fn after_the_job() -> Context {
    let expected = |letter, value| ExpectedSetting {
        code: "M301".into(),
        letter,
        value,
        station: "Heater loop".into(),
    };
    Context {
        snapshot: Some(REPORT.into()),
        expected: vec![
            expected('P', 30.0),
            expected('I', 2.0),
            expected('D', 100.0),
        ],
        ..Context::default()
    }
}

#[test]
fn values_that_a_power_cycle_lost_are_sent_again() {
    let c = after_the_job();
    let kept = REPORT.replace("P22.40 I1.32 D95.00", "P30.00 I2.00 D100.00");
    let f = found(
        &stations::Compare,
        &c,
        &json!({"report": kept, "power_cycled": "yes"}),
    );
    assert_eq!(
        f.words.headline,
        "Pass: 3 values of this job stand in the printer."
    );
    assert_eq!(f.words.line, "3 values read back after a power cycle");
    assert_eq!(
        f.words.rows[0].name,
        "M301 D heater loop, derivative (Heater loop)"
    );
    let lost = found(
        &stations::Compare,
        &c,
        &json!({"report": REPORT, "power_cycled": "yes"}),
    );
    assert_eq!(lost.facts.verdict, Verdict::Adjust);
    assert_eq!(
        lost.words.headline,
        "Adjust: 3 values of Heater loop are not in the printer."
    );
    assert_eq!(lost.facts.commands[0].line, "M301 P30 I2 D100");
    assert!(
        lost.words.sentence.contains("they were not stored"),
        "{}",
        lost.words.sentence
    );
    assert!(lost.words.reasons[0].contains("left M301 P at 30; the printer holds 22.4"));
    let unproven = found(
        &stations::Compare,
        &c,
        &json!({"report": kept, "power_cycled": "no"}),
    );
    assert!(unproven.words.sentence.contains("not proven to be stored"));
    assert!(
        complaint(&stations::Compare, &c, &json!({"report": kept})).contains("switched off and on")
    );
}

#[test]
fn a_change_that_no_station_made_is_asked_about() {
    let c = Context {
        expected: Vec::new(),
        ..after_the_job()
    };
    let moved = REPORT.replace("Z-1.620", "Z-1.500");
    let f = found(
        &stations::Compare,
        &c,
        &json!({"report": moved, "power_cycled": "yes"}),
    );
    assert_eq!(f.facts.verdict, Verdict::MeasureAgain);
    assert!(
        f.words.sentence.starts_with("M851 Z: say below why"),
        "{}",
        f.words.sentence
    );
    let told = found(
        &stations::Compare,
        &c,
        &json!({"report": moved, "power_cycled": "yes", "explained": "the customer’s baby step"}),
    );
    assert_eq!(told.facts.verdict, Verdict::Pass);
}

#[test]
fn a_sensor_is_judged_by_the_room_and_by_its_resistance() {
    let c = Context::default();
    let at = |typed: Value| found(&stations::Sensor, &c, &typed);
    let right = at(json!({"room_c": "22", "shown_c": "22,8", "ohm": "114800"}));
    assert_eq!(
        right.facts.verdict,
        Verdict::Pass,
        "{}",
        right.words.headline
    );
    assert_eq!(right.facts.kept_text(), Some("glass bead, 100 kΩ, B 3950"));
    // 10 kΩ at 25 °C has 11.4 kΩ at 22 °C by R25·exp(B(1/T − 1/298.15)).
    let wrong = at(json!({"room_c": "22", "shown_c": "84", "ohm": "11440"}));
    assert_eq!(wrong.facts.verdict, Verdict::Stop);
    assert!(
        wrong.words.headline.contains("10 kΩ")
            && wrong.words.headline.contains("set to glass bead, 100 kΩ"),
        "{}",
        wrong.words.headline
    );
    assert!(
        wrong
            .words
            .sentence
            .contains("At a true 200 °C the printer would show"),
        "{}",
        wrong.words.sentence
    );
    let open = at(json!({"room_c": "22", "shown_c": "0", "bed_c": "22,4"}));
    assert!(
        open.words.headline.contains("circuit is open")
            && open.words.sentence.contains("the bed reads right")
    );
    let short = at(json!({"room_c": "22", "shown_c": "350"}));
    assert!(short.words.headline.contains("shorted"));
    let warm = at(json!({"room_c": "22", "shown_c": "25,5"}));
    assert_eq!(warm.facts.verdict, Verdict::MeasureAgain);
    let odd = at(json!({"room_c": "22", "shown_c": "40"}));
    assert!(
        odd.facts.verdict == Verdict::Stop
            && odd
                .words
                .sentence
                .contains("Measure the sensor’s resistance cold")
    );
    let unknown = at(json!({"room_c": "22", "shown_c": "22", "ohm": "30"}));
    assert!(
        unknown
            .words
            .headline
            .contains("30 Ω at 22 °C is no sensor of the list"),
        "{}",
        unknown.words.headline
    );
}

#[test]
fn a_heater_for_another_voltage_is_stopped_before_it_burns() {
    let c = Context::default();
    let at = |ohm: &str| found(&stations::Heater, &c, &json!({ "ohm": ohm }));
    // P = V²/R: 24 V on 14.4 Ω make 40 W; on 3.6 Ω 160 W, a 12 V part (method notes, section 2).
    assert_eq!(at("14.4").facts.verdict, Verdict::Pass);
    let burns = at("3.6");
    assert!(
        burns
            .words
            .headline
            .contains("makes 160 W at 24 V, not 40 W")
            && burns.words.sentence.starts_with("Fire."),
        "{}",
        burns.words.headline
    );
    assert!(at("57.6").words.sentence.contains("higher voltage"));
    assert!(at("10000000").words.headline.contains("open circuit"));
    assert!(at("0.3").words.headline.contains("short circuit"));
    assert!(complaint(&stations::Heater, &c, &json!({})).contains("heater’s resistance"));
}

#[test]
fn the_ceiling_names_the_part_that_holds_it_and_the_firmware_that_is_too_low() {
    let mut c = Context {
        parameter: Some(Parameter::Ceiling),
        before: Some(240.0),
        ..Context::default()
    };
    c.printer.firmware_limit_c = Some(275.0);
    let lined = found(&stations::Heater, &c, &json!({"planned_c": "230"}));
    assert_eq!(lined.words.headline, "Adjust: ceiling 240 → 235 °C.");
    assert!(lined.words.sentence.starts_with("The liner holds it down."));
    let too_hot = found(&stations::Heater, &c, &json!({"planned_c": "250"}));
    assert!(
        too_hot.facts.verdict == Verdict::Stop
            && too_hot
                .words
                .sentence
                .contains("Raising the firmware limit doesn’t raise that")
    );
    // A firmware limit of 230 takes 215 at most: it refuses within 15 °C (common practice).
    let low = found(
        &stations::Heater,
        &c,
        &json!({"planned_c": "230", "taken_c": "215"}),
    );
    assert!(
        low.words.headline.contains("the firmware allows 215 °C"),
        "{}",
        low.words.headline
    );
    assert!(
        low.words
            .sentence
            .contains("The parts would bear it: the liner allows 235 °C"),
        "{}",
        low.words.sentence
    );
}

/// A log drawn by a formula, one sample a second.
fn drawn(seconds: u32, temp: impl Fn(f64) -> f64, duty: f64) -> Trace {
    Trace::new((0..seconds).map(|i| {
        let t = f64::from(i);
        Sample {
            t_s: t,
            temp_c: temp(t),
            target_c: Some(210.0),
            duty: Some(duty),
            fan: Some(0.0),
        }
    }))
}

fn hold_of(trace: &Trace) -> Value {
    serde_json::to_value(hold_result(trace, 210.0, &PhysicalLimits::default())).unwrap()
}

fn steady() -> Value {
    hold_of(&drawn(200, |t| 210.0 + 0.2 * (t / 9.0).sin(), 0.4))
}

/// An autotune whose figures are given, without a plant.
fn tuned() -> Value {
    let report = AutotuneReport {
        ku: Some(50.0),
        tu_s: Some(18.7),
        ..AutotuneReport::default()
    };
    let trace = drawn(200, |t| 210.0 + 2.0 * (t / 3.0).sin(), 0.4);
    serde_json::to_value(tune_result(
        &trace,
        210.0,
        0.0,
        &report,
        &PhysicalLimits::default(),
    ))
    .unwrap()
}

fn loop_context() -> Context {
    Context {
        parameter: Some(Parameter::HeaterLoop),
        before_text: Some("P 22.40 I 1.32 D 95.00".into()),
        strength: Some(Strength::Redo),
        replaced: vec![Replacement::HeaterCartridge],
        ..Context::default()
    }
}

#[test]
fn swings_that_the_block_cannot_make_stop_the_station_and_no_tuning_is_offered() {
    // 200 falling to the 160s and back within two seconds, again and again, as a breaking wire does.
    let torn = drawn(240, |t| if t % 20.0 < 2.0 { 165.0 } else { 205.0 }, 0.5);
    let f = found(
        &stations::HeaterLoop,
        &loop_context(),
        &json!({"hold": hold_of(&torn), "tune": tuned()}),
    );
    assert_eq!(f.facts.verdict, Verdict::Stop);
    assert!(
        f.words.headline.contains("sensor or wiring"),
        "{}",
        f.words.headline
    );
    assert!(
        f.words.sentence.contains("Don’t tune"),
        "{}",
        f.words.sentence
    );
    assert!(
        f.facts.commands.is_empty() && f.facts.after_text.is_none() && f.words.plain.is_empty()
    );
    assert!(f.words.reasons.iter().any(|r| r.contains("in that time")));
}

#[test]
fn the_loop_goes_from_hold_to_tune_to_verify() {
    let c = loop_context();
    let at = |typed: Value| found(&stations::HeaterLoop, &c, &typed);
    assert!(at(json!({})).words.headline.contains("first"));
    let held = at(json!({ "hold": steady() }));
    assert!(
        held.facts.verdict == Verdict::MeasureAgain
            && held.words.headline.contains("Now run the autotune"),
        "{}",
        held.words.headline
    );
    // Ziegler & Nichols 1942 on Ku 50, Tu 18.7 s: P 30.0, I 3.21, D 70.1 (fact of the trade in the method notes).
    let proposed = at(json!({"hold": steady(), "tune": tuned(), "rule": "ziegler_nichols"}));
    assert_eq!(proposed.words.headline, "Adjust: P 30.00 I 3.21 D 70.12.");
    assert_eq!(proposed.facts.commands[0].line, "M301 P30 I3.21 D70.12");
    assert!(
        proposed
            .words
            .plain
            .iter()
            .any(|p| p.name == "output 0-1" && p.value.starts_with("P 0.11765"))
    );
    let set = json!({"tune": tuned(), "rule": "ziegler_nichols", "set_p": "30", "set_i": "3.21", "set_d": "70.12"});
    assert!(at(set.clone()).words.headline.contains("Verify them"));
    let verify = |figures: LoopFigures, now: &str| {
        let reading = hold_result(
            &drawn(200, |_| 210.0, 0.4),
            210.0,
            &PhysicalLimits::default(),
        )
        .reading;
        let mut typed = set.clone();
        typed["verify"] = json!({"trace": null, "target_c": 210.0, "reading": reading, "figures": figures, "gains_now": now});
        at(typed)
    };
    let good = LoopFigures {
        overshoot_c: Some(1.0),
        settle_s: Some(12.0),
        hold_sd_c: Some(0.1),
        hold_worst_c: Some(0.3),
        dip_c: Some(1.2),
        recovery_s: Some(20.0),
    };
    let pass = verify(good, "P 30.00 I 3.21 D 70.12");
    assert_eq!(pass.words.headline, "Pass: the loop holds 210 °C.");
    assert_eq!(pass.facts.kept_text(), Some("P 30.00 I 3.21 D 70.12"));
    assert_eq!(pass.facts.bands.len(), 4);
    let lost = verify(good, "P 22.40 I 1.32 D 95.00");
    assert_eq!(
        lost.words.headline,
        "Adjust: the printer holds P 22.40 I 1.32 D 95.00."
    );
    assert_eq!(lost.facts.commands[0].line, "M301 P30 I3.21 D70.12");
    let rings = verify(
        LoopFigures {
            overshoot_c: Some(9.0),
            settle_s: None,
            ..good
        },
        "P 30.00 I 3.21 D 70.12",
    );
    assert!(
        rings.facts.verdict == Verdict::MeasureAgain
            && rings
                .words
                .headline
                .contains("it overshoots and it doesn’t settle"),
        "{}",
        rings.words.headline
    );
    let blown = verify(
        LoopFigures {
            dip_c: Some(14.0),
            ..good
        },
        "P 30.00 I 3.21 D 70.12",
    );
    assert!(
        blown.facts.verdict == Verdict::Stop
            && blown.words.headline.contains("part fan steals heat")
    );
}

#[test]
fn gains_written_from_here_and_seen_to_hold_are_the_ones_kept() {
    let c = loop_context();
    let at = |typed: &Value| found(&stations::HeaterLoop, &c, typed);
    // The old gains stand in the fields; the new ones went straight to the printer.
    let mut typed = json!({
        "tune": tuned(), "rule": "ziegler_nichols", "set_p": "22.4", "set_i": "1.32", "set_d": "95",
        "written": {"gains": "P 30.00 I 3.21 D 70.12", "taken": true, "stored": true, "says": "Written."}
    });
    let set = at(&typed);
    assert_eq!(
        set.words.headline, "These gains are set. Verify them.",
        "they need not be set a second time"
    );
    assert!(set.facts.commands.is_empty());
    let steady = drawn(200, |_| 210.0, 0.4);
    let reading = hold_result(&steady, 210.0, &PhysicalLimits::default()).reading;
    let verify = |overshoot_c: f64, now: Option<&str>| {
        json!({
            "trace": null, "target_c": 210.0, "reading": reading, "gains_now": now,
            "figures": {"overshoot_c": overshoot_c, "settle_s": 12.0, "hold_sd_c": 0.1, "hold_worst_c": 0.3, "dip_c": 1.2, "recovery_s": 20.0}
        })
    };
    for now in [Some("P 30.00 I 3.21 D 70.12"), None] {
        typed["verify"] = verify(1.0, now);
        let pass = at(&typed);
        assert_eq!(pass.facts.kept_text(), Some("P 30.00 I 3.21 D 70.12"));
        assert_eq!(
            pass.facts.before_text.as_deref(),
            Some("P 22.40 I 1.32 D 95.00"),
            "it moved: what rests on it is looked at again"
        );
        assert_eq!(pass.facts.commands[0].line, "M301 P30 I3.21 D70.12");
        assert!(
            pass.words.line.starts_with("P 30.00 I 3.21 D 70.12"),
            "{}",
            pass.words.line
        );
        // They overshoot: the same are not proposed as a way out.
        typed["verify"] = verify(12.0, now);
        let fails = at(&typed);
        assert_eq!(fails.facts.verdict, Verdict::MeasureAgain);
        assert!(fails.facts.commands.is_empty(), "{}", fails.words.headline);
    }
    // Nobody knows what stood there before: the new ones are new all the same.
    let mut unknown = typed.clone();
    for path in ["set_p", "set_i", "set_d"] {
        unknown[path] = json!("");
    }
    unknown["verify"] = verify(1.0, None);
    let new_here = Context {
        before_text: None,
        ..c.clone()
    };
    let unknown = found(&stations::HeaterLoop, &new_here, &unknown).facts;
    assert_eq!(
        (unknown.before_text.as_deref(), unknown.kept_text()),
        (None, Some("P 30.00 I 3.21 D 70.12"))
    );
    // Taken, but not stored: they are still to be written.
    typed["verify"] = Value::Null;
    typed["written"]["stored"] = json!(false);
    assert_eq!(at(&typed).facts.verdict, Verdict::Adjust);
}

#[test]
fn a_verification_off_the_display_asks_which_gains_it_was_made_with() {
    let c = loop_context();
    let seen = json!({
        "tune": tuned(), "rule": "ziegler_nichols", "set_p": "22.4", "set_i": "1.32", "set_d": "95",
        "typed_overshoot_c": "1", "typed_settle_s": "12", "typed_swing_c": "0.5", "typed_dip_c": "1"
    });
    let asked = complaint(&stations::HeaterLoop, &c, &seen);
    assert!(asked.contains("Which gains did it hold with?"), "{asked}");
    let mut blank = seen.clone();
    for path in ["set_p", "set_i", "set_d"] {
        blank[path] = json!("");
    }
    blank["confirmed"] = json!(["set_p"]);
    let asked = complaint(&stations::HeaterLoop, &c, &blank);
    assert!(
        asked.contains("Type those that the printer held."),
        "{asked}"
    );
    let mut sure = seen.clone();
    sure["confirmed"] = json!(["set_p"]);
    let old = found(&stations::HeaterLoop, &c, &sure);
    assert_eq!(old.facts.kept_text(), Some("P 22.40 I 1.32 D 95.00"));
    let mut new = seen;
    for (path, gain) in [("set_p", "30"), ("set_i", "3.21"), ("set_d", "70.12")] {
        new[path] = json!(gain);
    }
    let new = found(&stations::HeaterLoop, &c, &new);
    assert_eq!(new.facts.kept_text(), Some("P 30.00 I 3.21 D 70.12"));
}

#[test]
fn a_steady_loop_is_left_alone_where_it_is_only_verified() {
    let c = Context {
        strength: Some(Strength::Verify),
        ..loop_context()
    };
    let f = found(&stations::HeaterLoop, &c, &json!({ "hold": steady() }));
    assert_eq!(f.words.headline, "Pass: it holds 210 °C.");
    let hot = found(
        &stations::HeaterLoop,
        &c,
        &json!({"hold": steady(), "sink_c": "78"}),
    );
    assert!(hot.facts.verdict == Verdict::Stop && hot.words.headline.contains("heat sink"));
    assert!(
        complaint(&stations::HeaterLoop, &c, &json!({"target_c": "260"}))
            .contains("above the ceiling of 235 °C, held down by the liner")
    );
}

#[test]
fn another_rule_can_be_tried_in_the_next_round_without_another_autotune() {
    let mut c = loop_context();
    c.previous =
        Some(json!({"tune": tuned(), "rule": "simc", "target_c": "215", "fan_percent": "30"}));
    let begun = stations::HeaterLoop.start(&c);
    assert_eq!(begun["tune"], tuned());
    assert_eq!(
        (begun["target_c"].as_str(), begun["set_p"].as_str()),
        (Some("215"), Some("22.4"))
    );
    assert_eq!(begun["verify"], Value::Null);
}

fn filament(material: &str, print_temp_c: Option<f64>) -> FilamentFacts {
    FilamentFacts {
        name: format!("{material}, grey"),
        material: material.into(),
        print_temp_c,
    }
}

#[test]
fn a_nozzle_is_tightened_at_the_hottest_print_of_this_job_and_never_above_the_ceiling() {
    let planned = |filaments: Vec<FilamentFacts>, hot_end: HotEndKind| {
        let mut c = Context {
            filaments,
            ..Context::default()
        };
        c.printer.hot_end = hot_end;
        stations::HotTighten
            .set_up(&stations::HotTighten.start(&c), &c)
            .target_c
            .map(f64::round)
    };
    let metal = HotEndKind::AllMetal;
    assert_eq!(
        planned(vec![filament("PLA", Some(208.0))], metal),
        Some(208.0)
    );
    let two = vec![filament("PLA", Some(208.0)), filament("PETG", Some(243.0))];
    assert_eq!(planned(two.clone(), metal), Some(243.0));
    assert_eq!(planned(two, HotEndKind::Lined), Some(235.0), "the liner");
    // No temperature yet: what its material usually wants, and never so cold that plastic reads as tight.
    assert_eq!(
        planned(vec![filament("PLA, matt", None)], metal),
        Some(210.0)
    );
    assert_eq!(
        planned(vec![filament("wax", Some(170.0))], metal),
        Some(200.0)
    );
}

#[test]
fn a_hot_tightening_is_proven_by_temperature_gap_and_wait() {
    // Hotter than this lined hot end may get: the ceiling holds it down.
    let c = Context {
        filaments: vec![filament("PETG", Some(245.0))],
        ..Context::default()
    };
    let good = json!({"at_c": "233", "block_held": "yes", "gap_left": "yes", "torque_nm": "2,8", "waited_min": "2", "seeps": "no"});
    let with = |k: &str, v: &str| {
        let mut t = good.clone();
        t[k] = json!(v);
        found(&stations::HotTighten, &c, &t)
    };
    assert_eq!(
        found(&stations::HotTighten, &c, &good).words.headline,
        "Pass: tightened at 233 °C, no seep."
    );
    assert!(
        with("seeps", "yes")
            .words
            .headline
            .contains("seeps above the nozzle")
    );
    assert!(
        with("gap_left", "no")
            .words
            .headline
            .contains("sits on the block")
    );
    assert!(with("block_held", "no").words.sentence.contains("twist"));
    assert!(
        with("torque_nm", "4.5")
            .words
            .headline
            .contains("more than the thread bears")
    );
    let cold = with("at_c", "180");
    assert!(
        cold.facts.verdict == Verdict::MeasureAgain
            && cold.words.sentence.contains("heat to 235 °C"),
        "{}",
        cold.words.sentence
    );
    assert!(
        with("waited_min", "1")
            .words
            .sentence
            .contains("wait 2 min")
    );
}

#[test]
fn a_cold_step_ticked_hot_wants_a_reason() {
    let c = Context {
        list: Some("fit.heater_cartridge".into()),
        ..Context::default()
    };
    let begun = stations::Check.start(&c);
    let ids = begun["steps"].as_array().unwrap();
    let (n, cold) = (
        ids.len(),
        ids.iter().position(|s| s["id"] == "slack").unwrap(),
    );
    let tick = |at: Option<f64>, reason: &str| -> Value {
        let steps: Vec<Value> = (0..n).map(|i| json!({"state": "done", "reason": if i == cold { reason } else { "" }, "at_c": if i == cold { at } else { None }})).collect();
        json!({"steps": steps, "counted_out": "4", "counted_in": "4"})
    };
    let refused = complaint(&stations::Check, &c, &tick(Some(183.0), ""));
    assert!(
        refused.contains("needs cold, and the nozzle was at 183 °C") && refused.contains("48 °C"),
        "{refused}"
    );
    assert_eq!(
        found(&stations::Check, &c, &tick(Some(31.0), ""))
            .facts
            .verdict,
        Verdict::Pass
    );
    let reasoned = found(
        &stations::Check,
        &c,
        &tick(Some(183.0), "sensor lies beside the block"),
    );
    assert!(
        reasoned.words.reasons[0].contains("Done at 183 °C, outside its gate"),
        "{:?}",
        reasoned.words.reasons
    );
}

#[test]
fn gains_are_read_in_the_form_the_firmware_writes_them() {
    let mut c = loop_context();
    c.before_text = None;
    let unit = json!({"form": "unit", "set_p": "0.0878", "set_i": "0.00518", "set_d": "0.3725", "hold": steady()});
    let f = found(&stations::HeaterLoop, &c, &unit);
    let gains = Gains::from_text(&f.facts.before_text.unwrap()).unwrap();
    assert!((gains.in_form(OutputForm::Byte)[0] - 22.39).abs() < 0.01);
    assert!(
        complaint(
            &stations::HeaterLoop,
            &c,
            &json!({"form": "unit", "set_p": "22.4", "set_i": "1.3", "set_d": "95"})
        )
        .contains("can’t be gains")
    );
    assert_eq!(TuningRule::default().spec().label, "Tyreus-Luyben");
    assert_eq!(
        TraceClass::SensorIntermittent.label(),
        "sensor or wiring: faster than heat can"
    );
}

#[test]
fn a_printer_without_a_link_is_tuned_from_what_its_display_shows() {
    let c = loop_context();
    let tuned = json!({"typed_ku": "50", "typed_tu_s": "18.7", "rule": "ziegler_nichols"});
    let f = found(&stations::HeaterLoop, &c, &tuned);
    assert_eq!(f.words.headline, "Adjust: P 30.00 I 3.21 D 70.12.");
    let mut verified = tuned.clone();
    for (k, v) in [
        ("set_p", "30"),
        ("set_i", "3.21"),
        ("set_d", "70.12"),
        ("typed_overshoot_c", "2"),
        ("typed_settle_s", "20"),
        ("typed_swing_c", "1"),
        ("typed_dip_c", "2"),
    ] {
        verified[k] = json!(v);
    }
    assert_eq!(
        found(&stations::HeaterLoop, &c, &verified).words.headline,
        "Pass: the loop holds 210 °C."
    );
    verified["typed_swing_c"] = json!("4");
    let swings = found(&stations::HeaterLoop, &c, &verified);
    assert!(
        swings.words.headline.contains("it swings in the hold"),
        "{}",
        swings.words.headline
    );
}

#[test]
fn an_autotunes_result_prefers_what_the_printer_saw_and_falls_back_on_the_log() {
    use wattotherm_heat::OutputForm;
    // A swing of ±2 °C every 12 s under a relay of full and nothing.
    let log = Trace::new((0..240).map(|i| {
        let t = f64::from(i);
        let swing = if t < 30.0 {
            6.0 * (t - 30.0)
        } else {
            2.0 * ((t - 0.4) / 12.0 * std::f64::consts::TAU).sin()
        };
        Sample {
            t_s: t,
            temp_c: 210.0 + swing,
            target_c: Some(210.0),
            duty: Some(if swing < 0.0 { 1.0 } else { 0.0 }),
            fan: Some(0.0),
        }
    }));
    let limits = PhysicalLimits::default();
    let reported = AutotuneReport {
        ku: Some(51.0),
        tu_s: Some(11.5),
        kp: Some(30.6),
        ki: Some(5.3),
        kd: Some(44.0),
        ..AutotuneReport::default()
    };
    let by_printer = tune_result(&log, 210.0, 0.3, &reported, &limits);
    let u = by_printer.ultimate.unwrap();
    assert!((u.ku * OutputForm::Byte.full() - 51.0).abs() < 1e-9 && (u.tu_s - 11.5).abs() < 1e-9);
    assert_eq!(by_printer.printer_gains, Some([30.6, 5.3, 44.0]));
    assert!((by_printer.fan - 0.3).abs() < 1e-12);
    let by_log = tune_result(&log, 210.0, 0.0, &AutotuneReport::default(), &limits);
    let u = by_log.ultimate.unwrap();
    // Åström & Hägglund 1984: Ku = 4·0.5/(π·2), Tu = 12 s.
    assert!(
        (u.ku - 2.0 / (std::f64::consts::PI * 2.0)).abs() < 0.02,
        "{u:?}"
    );
    assert!((u.tu_s - 12.0).abs() < 0.2, "{u:?}");
    assert_eq!(by_log.printer_gains, None);
}

#[test]
fn every_heat_station_begins_with_readings_that_it_can_read() {
    let contexts: [(&dyn AnyStation, Context); 6] = [
        (&stations::Snapshot, Context::default()),
        (&stations::Compare, after_the_job()),
        (&stations::Sensor, Context::default()),
        (&stations::Heater, Context::default()),
        (&stations::HeaterLoop, loop_context()),
        (&stations::HotTighten, Context::default()),
    ];
    for (station, context) in contexts {
        let begun = station.start(&context);
        match station.evaluate(&begun, &context) {
            Ok(f) => assert_ne!(f.facts.verdict, Verdict::Pass, "{station:?} passes unread"),
            Err(e) => assert!(!e.to_string().is_empty()),
        }
        let up = station.set_up(&begun, &context);
        assert!(
            up.heading.ends_with('.') && !up.heading.contains("  "),
            "{}",
            up.heading
        );
        let mut odd = begun.clone();
        odd["version"] = json!("one");
        assert!(station.evaluate(&odd, &context).is_err());
        odd = begun;
        odd["surprise"] = json!(1);
        let complaint = station.evaluate(&odd, &context).unwrap_err().to_string();
        assert!(complaint.contains("surprise"), "{complaint}");
    }
}

#[test]
fn a_resistance_tells_where_a_pinned_sensor_is_broken() {
    let read = |ohm: &str| {
        found(
            &stations::Sensor,
            &Context::default(),
            &json!({"version": 1, "set_type": "ntc_100k_3950", "room_c": "22", "shown_c": "0", "bed_c": "22", "ohm": ohm}),
        )
    };
    // 100 kΩ, B 3950 at 22 °C: 114.6 kΩ (handbook formula).
    let sound = read("114.6 kΩ");
    assert_eq!(sound.facts.cause, Some(Cause::SensorOpen));
    assert!(
        sound.words.sentence.contains("sensor and wire are sound"),
        "{}",
        sound.words.sentence
    );
    let broken = read("3.1 MΩ");
    assert!(
        broken.words.sentence.contains("no sensor of the list"),
        "{}",
        broken.words.sentence
    );
    let unmeasured = read("");
    assert!(
        unmeasured.words.sentence.contains("check the plug"),
        "{}",
        unmeasured.words.sentence
    );
}

#[test]
fn sensors_that_agree_in_the_room_are_all_named_with_where_they_differ() {
    let f = found(
        &stations::Sensor,
        &Context::default(),
        &json!({"version": 1, "set_type": "ntc_100k_3950", "room_c": "25", "shown_c": "25", "ohm": "100k"}),
    );
    assert_eq!(f.facts.verdict, Verdict::Pass);
    let fits = f.facts.own["fits"].as_array().unwrap();
    assert!(fits.len() >= 2, "{fits:?}");
    assert!(
        f.words.sentence.contains("At 100 °C"),
        "{}",
        f.words.sentence
    );
    for id in fits {
        let label = SENSOR_TYPES.iter().find(|s| s.id == id).unwrap().label;
        assert!(
            f.words.sentence.contains(label),
            "{label}: {}",
            f.words.sentence
        );
    }
}

#[test]
fn a_sensor_whose_error_and_doubt_reach_the_limit_does_not_pass() {
    let limit = Context::default().house.tolerance(ToleranceId::SensorRoomC);
    let read = |off: f64| {
        let shown = format!("{:.1}", 22.0 + off);
        found(
            &stations::Sensor,
            &Context::default(),
            &json!({"version": 1, "set_type": "ntc_100k_3950", "room_c": "22", "shown_c": shown}),
        )
        .facts
        .verdict
    };
    // U of a room thermometer of ±1 °C is 1.1 °C.
    assert_eq!(read(limit), Verdict::MeasureAgain);
    assert_eq!(read(limit - 0.5), Verdict::MeasureAgain);
    assert_eq!(read(limit - 1.2), Verdict::Pass);
    assert_eq!(read(limit + 1.2), Verdict::Stop);
}

#[test]
fn a_figure_at_its_limit_is_verified_again_and_neither_passes_nor_fails() {
    let limit = Context::default().house.tolerance(ToleranceId::LoopDipC);
    let read = |dip: f64| {
        let readings = json!({
            "version": 1, "target_c": "210", "set_p": "22.4", "set_i": "1.32", "set_d": "95",
            "typed_overshoot_c": "1", "typed_settle_s": "20", "typed_swing_c": "0.4", "typed_dip_c": format!("{dip:.2}")
        });
        found(&stations::HeaterLoop, &loop_context(), &readings)
    };
    assert_eq!(read(limit - 0.3).facts.verdict, Verdict::Pass);
    let at = read(limit - 0.05);
    assert_eq!(at.facts.verdict, Verdict::MeasureAgain);
    assert!(
        at.words.headline.contains("Verify again"),
        "{}",
        at.words.headline
    );
}

#[test]
fn a_heater_a_quarter_over_its_mark_stops() {
    // 24 V: 40 W are 14.4 Ω; 10.5 Ω are 54.9 W, 37 % over; 12 Ω are 48 W, 20 % over.
    let read = |ohm: &str| {
        found(
            &stations::Heater,
            &Context::default(),
            &json!({"ohm": ohm, "supply_v": "24", "marked_w": "40"}),
        )
        .facts
        .cause
    };
    assert_eq!(read("14,4 ohm"), None);
    assert_eq!(read("12"), None);
    assert_eq!(read("10.5"), Some(Cause::HeaterTooStrong));
    assert_eq!(read("3.6"), Some(Cause::HeaterOfLowerVoltage));
}

#[test]
fn a_dip_read_off_the_display_leads_to_fan_and_sock_as_a_log_does() {
    let limit = Context::default().house.tolerance(ToleranceId::LoopDipC);
    let readings = json!({
        "target_c": "210", "set_p": "22.4", "set_i": "1.32", "set_d": "95", "typed_overshoot_c": "1",
        "typed_settle_s": "20", "typed_swing_c": "0.4", "typed_dip_c": format!("{:.1}", limit + 3.0)
    });
    let f = found(&stations::HeaterLoop, &loop_context(), &readings);
    assert_eq!(f.facts.cause, Some(Cause::FanStealsHeat));
}

#[test]
fn a_typed_ku_says_which_rules_need_a_model_and_asks_about_the_other_form() {
    let typed = |rule: &str, ku: &str, form: &str| json!({"target_c": "210", "typed_ku": ku, "typed_tu_s": "18", "rule": rule, "form": form});
    let context = loop_context();
    let said = complaint(
        &stations::HeaterLoop,
        &context,
        &typed("simc", "50", "byte"),
    );
    assert!(
        said.contains("SIMC needs a model") && said.contains("Tyreus-Luyben"),
        "{said}"
    );
    let said = complaint(
        &stations::HeaterLoop,
        &context,
        &typed("tyreus_luyben", "0.2", "byte"),
    );
    assert!(said.contains("for output 0-1 it is usual"), "{said}");
    let f = found(
        &stations::HeaterLoop,
        &context,
        &typed("tyreus_luyben", "50", "byte"),
    );
    assert_eq!(f.facts.verdict, Verdict::Adjust);
}

#[test]
fn feeds_that_look_swapped_are_asked_about_and_count_once_confirmed() {
    let typed = |fast: &str, free: &str| json!({"steps_set": "415", "runs": ["20", "20.2"], "fast_runs": [fast], "free_runs": [free]});
    let context = Context {
        parameter: Some(Parameter::Drive),
        ..Context::default()
    };
    let said = complaint(&stations::Drive, &context, &typed("15", "20"));
    assert!(said.contains("slow and fast swapped"), "{said}");
    let said = complaint(&stations::Drive, &context, &typed("20", "26"));
    assert!(said.contains("loaded and free swapped"), "{said}");
    let mut right = typed("15", "26");
    right["confirmed"] = json!(["fast_runs.0", "free_runs.0"]);
    found(&stations::Drive, &context, &right);
}
