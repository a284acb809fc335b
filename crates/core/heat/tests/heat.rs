//! Heat against published values and by laws.
#![allow(
    clippy::cast_possible_truncation,
    clippy::unwrap_used,
    clippy::float_cmp
)]

use proptest::prelude::*;
use wattotherm_gcode::{read_settings, read_temperatures};
use wattotherm_heat::{
    Controller, ControllerSettings, Cooling, Divider, Gains, HeatWord, LoopScript, OutputForm,
    PhysicalLimits, Plant, RelayCycle, Sample, SensorTable, TOUCH_SAFE_C, TUNING_RULES, Trace,
    TraceClass, TraceKind, TuningRule, Ultimate, VoltageVerdict, cooling_from, displayed_c,
    exact_relay_cycle, heat_word, heater_power, identify, loop_figures, read_class, read_trace,
    relay_analysis, relay_from_trace, simulate_loop, steinhart_hart_from_points, thinned, tune,
    ultimate_of, watts,
};

fn close(got: f64, want: f64, relative: f64) {
    assert!(
        (got - want).abs() <= relative * want.abs(),
        "{got} is not {want} within {relative}"
    );
}

const NTC: SensorTable = SensorTable::NtcBeta {
    r25_ohm: 100_000.0,
    beta_k: 3950.0,
};

#[test]
fn platinum_meets_the_table_of_iec_60751() {
    // IEC 60751:2008, table 1 (Pt100): values as the method notes quote them, two decimals.
    let pt100 = SensorTable::Platinum { r0_ohm: 100.0 };
    for (t, ohm) in [
        (-50.0, 80.31),
        (0.0, 100.0),
        (100.0, 138.51),
        (200.0, 175.86),
        (300.0, 212.05),
    ] {
        assert!(
            (pt100.resistance_ohm(t) - ohm).abs() < 0.005 + 1e-9,
            "{t} °C"
        );
        assert!(
            (pt100.temp_c(pt100.resistance_ohm(t)) - t).abs() < 1e-6,
            "back from {t} °C"
        );
    }
    close(
        SensorTable::Platinum { r0_ohm: 1000.0 }.resistance_ohm(200.0),
        1758.6,
        1e-4,
    );
}

#[test]
fn a_bead_meets_the_table_of_the_method_notes() {
    // 100 kΩ, B 3950 K, by the formula R25·exp(B(1/T − 1/298.15)), four digits.
    for (t, ohm) in [
        (20.0, 125_350.0),
        (25.0, 100_000.0),
        (100.0, 6_975.0),
        (200.0, 744.6),
        (250.0, 335.3),
    ] {
        close(NTC.resistance_ohm(t), ohm, 2e-4);
    }
}

#[test]
fn steinhart_hart_goes_through_its_three_points() {
    // Steinhart & Hart 1968: three equations, three coefficients; the points must come back.
    let points = [25.0, 150.0, 250.0].map(|t| (t, NTC.resistance_ohm(t)));
    let table = steinhart_hart_from_points(points).unwrap();
    for (t, r) in points {
        assert!((table.temp_c(r) - t).abs() < 1e-6);
        close(table.resistance_ohm(t), r, 1e-6);
    }
    // A pure beta sensor is the special case c = 0: in between the two forms agree.
    assert!((table.temp_c(NTC.resistance_ohm(200.0)) - 200.0).abs() < 1e-3);
    assert!(steinhart_hart_from_points([(20.0, 1.0), (20.0, 2.0), (30.0, 0.5)]).is_err());
    assert!(steinhart_hart_from_points([(20.0, 100.0), (30.0, 110.0), (40.0, 120.0)]).is_err());
}

proptest! {
    #[test]
    fn every_table_turns_back_what_it_gave(t in -40.0..420.0_f64, r25 in 1e3..1e6_f64, beta in 3000.0..5000.0_f64) {
        let sh = steinhart_hart_from_points([0.0, 120.0, 300.0].map(|t| (t, NTC.resistance_ohm(t)))).unwrap();
        for table in [SensorTable::NtcBeta { r25_ohm: r25, beta_k: beta }, SensorTable::Platinum { r0_ohm: 1000.0 }, sh] {
            let back = table.temp_c(table.resistance_ohm(t));
            prop_assert!((back - t).abs() < 1e-4, "{table:?}: {t} came back as {back}");
        }
    }

    #[test]
    fn gains_keep_their_text_and_their_form(p in 0.5..900.0_f64, i in 0.0..90.0_f64, d in 0.0..900.0_f64) {
        let g = Gains::from_form(p, i, d, OutputForm::Byte).unwrap();
        let back = Gains::from_text(&g.text()).unwrap();
        for (a, b) in g.in_form(OutputForm::Byte).into_iter().zip(back.in_form(OutputForm::Byte)) {
            prop_assert!((a - b).abs() <= 0.005 + 1e-9);
        }
        let [up, ui, ud] = g.in_form(OutputForm::Unit);
        let unit = Gains::from_form(up, ui, ud, OutputForm::Unit).unwrap();
        prop_assert!((unit.kp - g.kp).abs() < 1e-12 && (unit.ki - g.ki).abs() < 1e-12 && (unit.kd - g.kd).abs() < 1e-12);
    }

    #[test]
    fn no_file_makes_the_readers_panic(text in ".{0,400}") {
        let file = read_trace(&text);
        for d in &file.diagnostics {
            prop_assert!(d.line >= 1 && d.column >= 1);
        }
        let _ = read_settings(&text);
        let _ = read_temperatures(&text);
    }

    #[test]
    fn half_damaged_logs_are_read_line_by_line(
        cells in proptest::collection::vec("[0-9TB@:/ .,;*a-f-]{0,24}", 0..60),
    ) {
        for heading in ["time_s,temp_c,target,duty\n", "T:20.0 /0.0 @:0\n"] {
            let text = format!("{heading}{}", cells.join("\n"));
            let file = read_trace(&text);
            prop_assert!(file.trace.samples.windows(2).all(|w| w[1].t_s > w[0].t_s));
            prop_assert!(file.trace.samples.iter().all(|s| s.temp_c.is_finite()));
            for d in &file.diagnostics {
                prop_assert!(d.line as usize <= text.lines().count());
            }
        }
    }

    #[test]
    fn a_thinned_log_keeps_its_peaks(n in 10_usize..5000, most in 10_usize..400, at in 0_usize..5000) {
        let at = at % n;
        let samples: Vec<Sample> = (0..n).map(|i| Sample { t_s: i as f64, temp_c: if i == at { 250.0 } else { 200.0 }, ..Sample::default() }).collect();
        let thin = thinned(&samples, most);
        prop_assert!(thin.len() <= most + 2);
        prop_assert!(thin.iter().any(|s| s.temp_c == 250.0));
        prop_assert!(thin.windows(2).all(|w| w[1].t_s > w[0].t_s));
    }

    #[test]
    fn the_controller_stays_between_nothing_and_full(readings in proptest::collection::vec(-20.0..400.0_f64, 1..200)) {
        let mut c = Controller::new(ControllerSettings::common(Gains::from_times(0.1, 20.0, 5.0)));
        for r in readings {
            let u = c.update(210.0, r);
            prop_assert!((0.0..=1.0).contains(&u));
        }
    }
}

#[test]
fn an_open_bead_reads_the_bottom_and_a_short_the_top() {
    let d = Divider::default();
    assert_eq!(d.shown_c(d.counts_of(f64::INFINITY), &NTC), 0.0);
    assert_eq!(d.shown_c(d.counts_of(0.0), &NTC), 350.0);
    let pt = SensorTable::Platinum { r0_ohm: 1000.0 };
    assert_eq!(d.shown_c(d.counts_of(f64::INFINITY), &pt), 350.0);
    assert_eq!(d.shown_c(d.counts_of(0.0), &pt), 0.0);
    // In between the converter's steps are finer than the bench can see.
    for t in [20.0, 100.0, 210.0, 280.0] {
        assert!(
            (d.shown_c(d.counts_of(NTC.resistance_ohm(t)), &NTC) - t).abs() < 0.2,
            "{t}"
        );
    }
}

#[test]
fn a_wrong_beta_agrees_at_room_temperature_and_lies_when_hot() {
    let other = SensorTable::NtcBeta {
        r25_ohm: 100_000.0,
        beta_k: 4267.0,
    };
    assert!((displayed_c(&other, &NTC, 25.0) - 25.0).abs() < 0.01);
    // By hand: ln(R/R25) = 4267·(1/473.15 − 1/298.15) = −5.2934; 1/T = 1/298.15 − 5.2934/3950, T = 496.6 K.
    assert!(
        (displayed_c(&other, &NTC, 200.0) - 223.4).abs() < 0.1,
        "{}",
        displayed_c(&other, &NTC, 200.0)
    );
}

#[test]
fn watts_tell_the_wrong_voltage() {
    // Method notes, section 2: 24 V on 3.6 Ω makes 160 W: a 12 V part.
    close(watts(24.0, 3.6), 160.0, 1e-12);
    assert_eq!(
        heater_power(24.0, 3.6, 40.0).verdict,
        VoltageVerdict::TooLowAVoltage
    );
    assert_eq!(
        heater_power(24.0, 14.4, 40.0).verdict,
        VoltageVerdict::Right
    );
    assert_eq!(
        heater_power(12.0, 14.4, 40.0).verdict,
        VoltageVerdict::TooWeak
    );
    assert_eq!(
        heater_power(24.0, f64::INFINITY, 40.0).verdict,
        VoltageVerdict::Open
    );
    assert_eq!(
        heater_power(24.0, 0.1, 40.0).verdict,
        VoltageVerdict::Shorted
    );
}

#[test]
fn the_exact_relay_cycle_and_the_describing_function_differ_as_the_notes_say() {
    // Method notes, section 3 (Åström & Hägglund 1984): K 1, τ 20, L 2, d 1.
    let plant = Plant::fopdt(1.0, 20.0, 2.0, 0.0).unwrap();
    let cycle = exact_relay_cycle(&plant, 1.0);
    close(cycle.amplitude_c, 0.09516, 1e-4);
    close(cycle.period_s, 7.636, 1e-4);
    let estimated = relay_analysis(1.0, cycle, 0.0).unwrap();
    close(estimated.ku, 13.38, 1e-3);
    let truth = ultimate_of(&plant).unwrap();
    close(truth.ku, 16.35, 1e-3);
    close(truth.tu_s, 7.70, 1e-3);
    let wide = relay_analysis(
        1.0,
        RelayCycle {
            amplitude_c: 5.0,
            period_s: 10.0,
        },
        3.0,
    )
    .unwrap();
    close(wide.ku, 4.0 / (std::f64::consts::PI * 4.0), 1e-12);
    assert!(
        relay_analysis(
            1.0,
            RelayCycle {
                amplitude_c: 1.0,
                period_s: 10.0
            },
            1.0
        )
        .is_err()
    );
}

#[test]
fn a_simulated_relay_meets_the_exact_cycle() {
    // Method against method: a relay run step by step on the plant, read by `relay_from_trace`.
    let plant = Plant::fopdt(500.0, 150.0, 5.0, 25.0).unwrap();
    let trace = relay_run(&plant, 200.0, 0.35, 0.35, 400.0, 0.02);
    let found = relay_from_trace(&trace, 200.0).unwrap();
    let (cycle, half) = (found.cycle, found.half_step);
    let exact = exact_relay_cycle(&plant, 0.35);
    close(half, 0.35, 1e-6);
    close(cycle.amplitude_c, exact.amplitude_c, 0.01);
    close(cycle.period_s, exact.period_s, 0.01);
}

/// A relay about `bias` on a plant; starts at the target.
fn relay_run(plant: &Plant, target: f64, bias: f64, half: f64, seconds: f64, dt: f64) -> Trace {
    // Euler on purpose: another integration than the one under test.
    let mut t = target - 2.0;
    let delay = (plant.delay_s / dt).round() as usize;
    let mut past = vec![bias + half; delay + 1];
    let mut samples = Vec::new();
    for i in 0..(seconds / dt) as usize {
        let duty = if t < target { bias + half } else { bias - half };
        past.push(duty);
        let u = past[past.len() - 1 - delay];
        t += dt * (plant.gain_c * u + plant.ambient_c - t) / plant.tau_s;
        if i % 5 == 0 {
            samples.push(Sample {
                t_s: i as f64 * dt,
                temp_c: t,
                target_c: Some(target),
                duty: Some(duty),
                fan: None,
            });
        }
    }
    Trace::new(samples)
}

#[test]
fn tuning_rules_give_their_worked_numbers() {
    let u = Some(Ultimate {
        ku: 10.0,
        tu_s: 20.0,
    });
    let gains = |rule| tune(rule, u, None).unwrap();
    // Ziegler & Nichols 1942: 0.6 Ku, Tu/2, Tu/8.
    let zn = gains(TuningRule::ZieglerNichols);
    assert_eq!((zn.kp, zn.ti_s(), zn.td_s()), (6.0, 10.0, 2.5));
    // Tyreus & Luyben 1992: Ku/2.2, 2.2 Tu, Tu/6.3.
    let tl = gains(TuningRule::TyreusLuyben);
    close(tl.kp, 4.5455, 1e-4);
    close(tl.ti_s(), 44.0, 1e-9);
    close(tl.td_s(), 3.1746, 1e-4);
    // Variants in common use, no published source.
    assert!((gains(TuningRule::SomeOvershoot).kp - 3.3).abs() < 1e-12);
    assert!((gains(TuningRule::NoOvershoot).kp - 2.0).abs() < 1e-12);
    assert!(tune(TuningRule::Simc, u, None).is_none());

    // K 2, τ 10, L 2, worked by hand from the published formulas.
    let plant = Plant::fopdt(2.0, 10.0, 2.0, 0.0).unwrap();
    let gains = |rule| tune(rule, None, Some(&plant)).unwrap();
    // Cohen & Coon 1953: r = 0.2; Kc = 2.5·(4/3 + 0.05); Ti = 2·33.2/14.6; Td = 8/11.4.
    let cc = gains(TuningRule::CohenCoon);
    close(cc.kp, 3.458_33, 1e-5);
    close(cc.ti_s(), 4.547_95, 1e-5);
    close(cc.td_s(), 0.701_754, 1e-5);
    // Skogestad 2003, τc = L: Kc = 10/(2·4), Ti = min(10, 16).
    let simc = gains(TuningRule::Simc);
    close(simc.kp, 1.25, 1e-12);
    close(simc.ti_s(), 10.0, 1e-12);
    assert_eq!(simc.kd, 0.0);
    // Åström & Hägglund 2004: K = (0.2 + 2.25)/2, Ti = 2·(0.8 + 8)/(2 + 1), Td = 10/(0.6 + 10).
    let amigo = gains(TuningRule::Amigo);
    close(amigo.kp, 1.225, 1e-12);
    close(amigo.ti_s(), 5.866_67, 1e-5);
    close(amigo.td_s(), 0.943_396, 1e-5);
    for (i, s) in TUNING_RULES.iter().enumerate() {
        assert_eq!(s.rule as usize, i);
        assert!(!s.source.is_empty());
    }
}

#[test]
fn an_autotune_of_the_trade_shows_its_rule_by_its_ratio() {
    // Fact of the trade (method notes, section 3): P 30.01, I 3.21, D 70.06.
    let g = Gains::from_form(30.01, 3.21, 70.06, OutputForm::Byte).unwrap();
    close(g.ti_s() / g.td_s(), 4.0, 2.5e-3);
    let tu = 2.0 * g.ti_s();
    close(tu, 18.7, 1e-3);
    close(g.in_form(OutputForm::Byte)[0] / 0.6, 50.0, 1e-3);
}

#[test]
fn touch_safe_is_48_degrees_and_cooling_follows_newton() {
    // ISO 13732-1:2006: 48 °C for contact of ten minutes, bare metal.
    assert_eq!(TOUCH_SAFE_C, 48.0);
    let c = Cooling {
        tau_s: 300.0,
        ambient_c: 24.0,
        own: true,
    };
    // (216 − 24)/(48 − 24) = 8: ln 8 · 300 s.
    close(
        c.touch_safe_in_s(216.0).unwrap(),
        300.0 * 8.0_f64.ln(),
        1e-12,
    );
    assert_eq!(c.touch_safe_in_s(40.0), Some(0.0));
    assert_eq!(
        Cooling {
            ambient_c: 50.0,
            ..c
        }
        .touch_safe_in_s(90.0),
        None
    );
    let log = Trace::new((0..400).map(|i| Sample {
        t_s: f64::from(i),
        temp_c: 24.0 + 190.0 * (-f64::from(i) / 222.0).exp(),
        target_c: Some(0.0),
        duty: Some(0.0),
        fan: None,
    }));
    close(cooling_from(&log, 24.0).unwrap().tau_s, 222.0, 1e-6);
    assert_eq!(heat_word(Some(0.0), 0.0), HeatWord::Unknown);
    assert_eq!(heat_word(Some(48.0), 0.0), HeatWord::Safe);
    assert_eq!(heat_word(Some(48.1), 0.0), HeatWord::Warm);
    assert_eq!(heat_word(Some(30.0), 200.0), HeatWord::Warm);
    assert_eq!(heat_word(Some(214.0), 0.0), HeatWord::Hot);
}

/// A loop on a plant as a log, one sample every `dt`.
fn loop_log(plant: &Plant, rule: TuningRule, target: f64) -> Trace {
    let gains = tune(rule, ultimate_of(plant), Some(plant)).unwrap();
    let settings = ControllerSettings::common(gains);
    let mut controller = Controller::new(settings);
    let dt = 0.1;
    let delay = (plant.delay_s / dt).round() as usize;
    let (mut x1, mut x2) = (25.0, 25.0);
    let mut past = vec![0.0; delay + 1];
    let mut samples = Vec::new();
    for i in 0..4000_u32 {
        let duty = controller.update(target, x2);
        past.push(duty);
        let u = past[past.len() - 1 - delay];
        for _ in 0..10 {
            x1 += 0.01 * (plant.gain_c * u + plant.ambient_c - x1) / plant.tau_s;
            x2 += 0.01 * (x1 - x2) / plant.tau2_s;
        }
        samples.push(Sample {
            t_s: f64::from(i) * dt,
            temp_c: x2,
            target_c: Some(target),
            duty: Some(duty),
            fan: None,
        });
    }
    Trace::new(samples)
}

#[test]
fn a_known_plant_is_identified_from_its_log() {
    for (k, tau, tau2, delay) in [
        (450.0, 140.0, 4.0, 2.0),
        (600.0, 200.0, 8.0, 1.0),
        (300.0, 90.0, 2.0, 4.0),
    ] {
        let plant = Plant {
            gain_c: k,
            tau_s: tau,
            tau2_s: tau2,
            delay_s: delay,
            ambient_c: 24.0,
        };
        let found = identify(&loop_log(&plant, TuningRule::ZieglerNichols, 210.0), 210.0)
            .unwrap()
            .found;

        let known = found.known.unwrap();
        close(found.plant.gain_c / found.plant.tau_s, k / tau, 0.01);
        close(found.plant.gain_c, k, 0.06);
        close(found.plant.tau_s, tau, 0.06);
        close(found.plant.lag_s(), tau2 + delay, 0.06);
        assert!(known.gain_c.holds(k), "{found:?}");
        assert!(known.tau_s.holds(tau), "{found:?}");
        // When, between two reports, the duty changed isn't in the log.
        let lag = known.lag_s.low - 0.1..=known.lag_s.high + 0.1;
        assert!(lag.contains(&(tau2 + delay)), "{found:?}");
        assert!(found.residual_c < 0.5, "{found:?}");
    }
}

#[test]
fn a_log_without_heat_gives_no_plant() {
    let flat = Trace::new((0..200).map(|i| Sample {
        t_s: f64::from(i),
        temp_c: 24.0,
        target_c: Some(0.0),
        duty: Some(0.0),
        fan: None,
    }));
    assert!(identify(&flat, 210.0).is_err());
    assert!(identify(&Trace::default(), 210.0).is_err());
}

#[test]
fn a_loop_simulation_settles_at_its_target_whatever_the_step() {
    let plant = Plant {
        gain_c: 450.0,
        tau_s: 140.0,
        tau2_s: 4.0,
        delay_s: 2.0,
        ambient_c: 24.0,
    };
    let gains = tune(TuningRule::TyreusLuyben, ultimate_of(&plant), Some(&plant)).unwrap();
    let mut overshoots = Vec::new();
    for dt_s in [0.05, 0.02, 0.01] {
        let script = LoopScript {
            dt_s,
            ..LoopScript::usual(210.0)
        };
        let run = simulate_loop(&plant, ControllerSettings::common(gains), &script);
        assert!(run.figures.hold_sd_c.unwrap() < 0.2);
        overshoots.push(run.figures.overshoot_c.unwrap());
    }
    assert!(
        (overshoots[0] - overshoots[2]).abs() < 0.15,
        "{overshoots:?}"
    );
}

#[test]
fn figures_say_what_a_drawn_step_shows() {
    // Rises 10 °C/s to 204, back to 200 by t = 30, dips 3 °C under the fan for 10 s.
    let at = |t: f64| match t {
        t if t < 5.0 => 160.0 + 10.0 * t.min(4.4),
        t if t < 30.0 => 204.0 - (t - 5.0) * 0.16,
        t if (240.0..250.0).contains(&t) => 197.0,
        _ => 200.0,
    };
    let points: Vec<(f64, f64)> = (0..3000)
        .map(|i| (f64::from(i) * 0.1, at(f64::from(i) * 0.1)))
        .collect();
    let f = loop_figures(&points, 200.0, 0.0, Some((240.0, 300.0)));
    assert!((f.overshoot_c.unwrap() - 4.0).abs() < 1e-9);
    // Inside ±1.5 from 204 − 0.16·(t − 5) = 201.5, t = 20.6; 190 at 3.0.
    assert!((f.settle_s.unwrap() - 17.6).abs() < 0.2, "{f:?}");
    assert_eq!(f.hold_sd_c, Some(0.0));
    assert_eq!(f.dip_c, Some(3.0));
    assert!((f.recovery_s.unwrap() - 10.0).abs() < 0.2);
}

fn drawn(seconds: u32, shape: impl Fn(f64) -> (f64, f64, f64)) -> Trace {
    Trace::new((0..seconds).map(|i| {
        let t = f64::from(i);
        let (temp_c, duty, fan) = shape(t);
        Sample {
            t_s: t,
            temp_c,
            target_c: Some(200.0),
            duty: Some(duty),
            fan: Some(fan),
        }
    }))
}

#[test]
fn trace_classes_are_told_apart() {
    let limits = PhysicalLimits::default();
    let class = |t: &Trace| read_class(t, &limits).class;
    let wave = |t: f64, period: f64| (2.0 * std::f64::consts::PI * t / period).sin();
    assert_eq!(
        class(&drawn(300, |t| (200.0 + 0.3 * wave(t, 9.0), 0.3, 0.0))),
        TraceClass::Steady
    );
    assert_eq!(
        class(&drawn(300, |t| (
            200.0 + 6.0 * wave(t, 40.0),
            0.3 - 0.2 * wave(t, 40.0),
            0.0
        ))),
        TraceClass::LoopSwinging
    );
    assert_eq!(
        class(&drawn(300, |t| (
            if t > 100.0 { 0.0 } else { 200.0 },
            0.3,
            0.0
        ))),
        TraceClass::OpenOrShort
    );
    assert_eq!(
        class(&drawn(300, |t| (
            200.0 - (t - 100.0).max(0.0) * 0.4,
            if t > 90.0 { 1.0 } else { 0.3 },
            0.0
        ))),
        TraceClass::HeaterFailing
    );
    assert_eq!(
        class(&drawn(300, |t| (
            if (150.0..220.0).contains(&t) {
                193.0
            } else {
                200.0
            },
            0.4,
            if (145.0..220.0).contains(&t) {
                1.0
            } else {
                0.0
            }
        ))),
        TraceClass::FanStealingHeat
    );
    assert_eq!(
        class(&drawn(400, |t| (
            20.0 + 150.0 * (1.0 - (-t / 60.0).exp()),
            1.0,
            0.0
        ))),
        TraceClass::NeverReaching
    );
    assert_eq!(
        class(&drawn(20, |_| (200.0, 0.3, 0.0))),
        TraceClass::TooShort
    );
}

#[test]
fn swings_of_200_to_the_160s_that_the_block_cannot_make_are_the_sensor() {
    // Fact of the trade (method notes, section 3): swings of 200 falling to the 160s during a print.
    let log = drawn(300, |t| {
        (
            if (t as u32) % 37 < 2 && t > 60.0 {
                164.0
            } else {
                200.0
            },
            0.35,
            0.5,
        )
    });
    let reading = read_class(&log, &PhysicalLimits::default());
    assert_eq!(reading.class, TraceClass::SensorIntermittent);
    assert!(reading.class.is_fault());
    assert!(reading.advice.starts_with("Don’t tune."));
    assert!(
        reading.evidence[0].contains("200.0 → 164.0 °C within 1 s")
            || reading.evidence[0].contains("164.0 → 200.0 °C within 1 s"),
        "{:?}",
        reading.evidence
    );
    let marked: Vec<f64> = reading.marks.iter().map(|m| m.to_s).collect();
    assert!(
        marked.contains(&74.0) && marked.contains(&76.0),
        "{marked:?}"
    );
}

#[test]
fn trace_files_are_read_with_line_and_column() {
    let csv = "time_s;temp;target;duty %\n0;20,5;200;100\n1;x;200;100\n2;22,5;200;100\n1;23;200;100\n3;9000;200;50\n4;24,0;200;50\n";
    let file = read_trace(csv);
    assert_eq!(file.kind, TraceKind::Csv);
    let temps: Vec<f64> = file.trace.samples.iter().map(|s| s.temp_c).collect();
    assert_eq!(temps, [20.5, 22.5, 24.0]);
    assert_eq!(file.trace.samples[2].duty, Some(0.5));
    let said: Vec<(u32, u32, &str)> = file
        .diagnostics
        .iter()
        .map(|d| (d.line, d.column, d.says.as_str()))
        .collect();
    assert_eq!(
        said,
        [
            (3, 3, "“x” is no temperature. It is left out."),
            (5, 1, "Time 1 doesn’t rise. The line is left out."),
            (
                6,
                3,
                "9000 °C is no temperature of a heater. It is left out."
            ),
        ]
    );
    let log = "start\nok T:20.1 /0.0 B:21.0 /0.0 @:0 B@:0\nSend: M106 S127\n T:2x.0 /210.0 @:127\n T:30.0 /210.0 @:127\n";
    let file = read_trace(log);
    assert_eq!(file.kind, TraceKind::Serial);
    assert_eq!(file.trace.samples.len(), 2);
    assert_eq!(file.trace.samples[1].duty, Some(1.0));
    assert!((file.trace.samples[1].fan.unwrap() - 127.0 / 255.0).abs() < 1e-9);
    assert_eq!(
        (file.diagnostics[0].line, file.diagnostics[0].column),
        (4, 2)
    );
    assert!(file.notes.iter().any(|n| n.contains("one report a second")));
    assert!(!read_trace("a picture of a cat").diagnostics.is_empty());
}
