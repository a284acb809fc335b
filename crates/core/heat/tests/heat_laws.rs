//! Laws of heat: what must hold whatever the printer.
#![allow(clippy::cast_possible_truncation, clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_heat::{
    ControllerKind, ControllerSettings, Cooling, Gains, LoopScript, OutputForm, PhysicalLimits,
    Plant, SENSOR_TYPES, Sample, TOUCH_SAFE_C, TUNING_RULES, Trace, TraceClass, Trial, TuningRule,
    cooling_from, displayed_c, exact_relay_cycle, identify, loop_figures, margins, read_class,
    read_trace, simulate_loop, thinned, tune, ultimate_of,
};
use wattotherm_printer::HotEndMass;

/// Hot ends of the trade: 2 to 5 s of lag, minutes of time constant, enough heat for 300 °C.
fn any_plant() -> impl Strategy<Value = Plant> {
    (
        320.0..600.0_f64,
        60.0..250.0_f64,
        1.0..4.0_f64,
        0.3..2.0_f64,
        15.0..30.0_f64,
    )
        .prop_map(|(gain_c, tau_s, tau2_s, delay_s, ambient_c)| Plant {
            gain_c,
            tau_s,
            tau2_s,
            delay_s,
            ambient_c,
        })
}

/// The log of a simulated loop, as a printer would report it, with a board's unrest.
fn log_of(plant: &Plant, gains: Gains, noise: f64) -> Trace {
    let script = LoopScript {
        start_c: plant.ambient_c,
        target_c: 210.0,
        fan_at_s: 1e9,
        end_s: 400.0,
        fan_duty: 0.0,
        dt_s: 0.05,
    };
    let run = simulate_loop(plant, ControllerSettings::common(gains), &script);
    let mut next = 0.0;
    let mut samples = Vec::new();
    for (i, (t, c)) in run.points.iter().enumerate() {
        if *t + 1e-9 >= next {
            next += 1.0;
            // A spread that repeats, so that a failing case can be run again.
            let unrest = noise * (((i * 7_919) % 101) as f64 / 50.0 - 1.0);
            samples.push(Sample {
                t_s: *t,
                temp_c: c + unrest,
                target_c: Some(210.0),
                duty: Some(0.4),
                fan: Some(0.0),
            });
        }
    }
    Trace::new(samples)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn no_loop_however_badly_tuned_is_taken_for_a_broken_sensor(
        plant in any_plant(), kp in 0.005..1.5_f64, ki in 0.0..0.1_f64, kd in 0.0..2.0_f64, noise in 0.0..0.4_f64,
    ) {
        let log = log_of(&plant, Gains { kp, ki, kd }, noise);
        let reading = read_class(&log, &PhysicalLimits::default());
        prop_assert!(
            !matches!(reading.class, TraceClass::SensorIntermittent | TraceClass::OpenOrShort),
            "{reading:?}"
        );
    }

    #[test]
    fn one_impossible_fall_among_any_loop_is_marked_where_it_is(plant in any_plant(), at in 120_usize..350, fall in 35.0..120.0_f64) {
        let mut log = log_of(&plant, Gains { kp: 0.1, ki: 0.004, kd: 0.2 }, 0.1);
        for s in &mut log.samples[at..at + 2] {
            s.temp_c -= fall;
        }
        let reading = read_class(&log, &PhysicalLimits::default());
        prop_assert_eq!(reading.class, TraceClass::SensorIntermittent);
        let t = log.samples[at].t_s;
        prop_assert!(reading.marks.iter().any(|m| m.from_s <= t && t <= m.to_s), "{:?}", reading.marks);
    }

    #[test]
    fn a_logs_class_does_not_depend_on_when_it_was_taken(plant in any_plant(), kp in 0.02..0.6_f64, later in 0.0..1e6_f64) {
        let log = log_of(&plant, Gains { kp, ki: 0.003, kd: 0.1 }, 0.1);
        let moved = Trace::new(log.samples.iter().map(|s| Sample { t_s: s.t_s + later, ..*s }));
        let limits = PhysicalLimits::default();
        prop_assert_eq!(read_class(&log, &limits).class, read_class(&moved, &limits).class);
    }

    #[test]
    fn thinning_keeps_every_height_and_the_order(temps in proptest::collection::vec(0.0..400.0_f64, 5..800), most in 4_usize..200) {
        let samples: Vec<Sample> = (0_u32..).zip(&temps).map(|(i, c)| Sample { t_s: f64::from(i), temp_c: *c, ..Sample::default() }).collect();
        let few = thinned(&samples, most);
        let high = |s: &[Sample]| s.iter().map(|s| s.temp_c).fold(f64::MIN, f64::max);
        let low = |s: &[Sample]| s.iter().map(|s| s.temp_c).fold(f64::MAX, f64::min);
        prop_assert!(few.len() <= most.max(samples.len().min(most)) + 2);
        prop_assert!((high(&few) - high(&samples)).abs() < 1e-12 && (low(&few) - low(&samples)).abs() < 1e-12);
        prop_assert!(few.windows(2).all(|w| w[0].t_s < w[1].t_s));
    }

    #[test]
    fn twice_the_gain_has_half_the_gain_margin(plant in any_plant(), kp in 0.01..0.1_f64, ki in 0.0001..0.002_f64) {
        let at = |k: f64| {
            let g = Gains { kp: kp * k, ki: ki * k, kd: 0.0 };
            margins(&plant, &ControllerSettings::common(g))
        };
        if let (Some(one), Some(two)) = (at(1.0), at(2.0)) {
            prop_assert!((one.gain / two.gain - 2.0).abs() < 1e-6, "{one:?} {two:?}");
        }
    }

    #[test]
    fn the_ultimate_gain_is_where_the_margin_of_a_pure_gain_ends(plant in any_plant()) {
        let u = ultimate_of(&plant).unwrap();
        let pure = ControllerSettings::common(Gains { kp: u.ku, ki: 0.0, kd: 0.0 });
        let m = margins(&plant, &pure).unwrap();
        prop_assert!((m.gain - 1.0).abs() < 1e-6 && m.phase_deg.abs() < 1e-3, "{m:?}");
    }

    #[test]
    fn rules_made_for_margins_keep_them_and_no_simulation_runs_away(plant in any_plant()) {
        let trial = Trial { plant: &plant, ensemble: &[], target_c: 210.0, controller: ControllerKind::FullHeatBand };
        for run in trial.compare(ultimate_of(&plant)) {
            let run_of = run.run.unwrap();
            let m = run_of.margins.unwrap();
            // Ziegler & Nichols 1942 ask for none; a filtered derivative can leave them hardly any.
            let least = match run.rule {
                TuningRule::Amigo => 1.6,
                _ => 0.8,
            };
            prop_assert!(m.gain > least, "{}: {m:?}", run.label);
            prop_assert!(run_of.points.iter().all(|c| c.is_finite() && *c < 300.0));
        }
    }

    #[test]
    fn the_describing_function_errs_by_less_than_a_third_on_hot_ends(plant in any_plant()) {
        // Åström & Hägglund 1984: the swing is taken for a sine.
        let fopdt = plant.as_fopdt();
        let cycle = exact_relay_cycle(&plant, 0.4);
        let ku = 4.0 * 0.4 / (std::f64::consts::PI * cycle.amplitude_c);
        let exact = ultimate_of(&fopdt).unwrap();
        prop_assert!((ku / exact.ku - 1.0).abs() < 0.34, "{ku} against {}", exact.ku);
        prop_assert!((cycle.period_s / exact.tu_s - 1.0).abs() < 0.1);
    }

    #[test]
    fn a_cooling_log_gives_its_own_time_constant_back(tau_s in 60.0..900.0_f64, from_c in 150.0..280.0_f64) {
        let log = Trace::new((0..600).map(|i| {
            let t = f64::from(i);
            Sample { t_s: t, temp_c: 24.0 + (from_c - 24.0) * (-t / tau_s).exp(), target_c: Some(0.0), duty: Some(0.0), fan: Some(0.0) }
        }));
        if let Some(own) = cooling_from(&log, 24.0) {
            prop_assert!((own.tau_s / tau_s - 1.0).abs() < 1e-6, "{own:?}");
            let left = own.touch_safe_in_s(from_c).unwrap();
            let then = 24.0 + (from_c - 24.0) * (-left / tau_s).exp();
            prop_assert!((then - TOUCH_SAFE_C).abs() < 1e-6);
        }
    }

    #[test]
    fn hotter_is_touch_safe_later(tau_s in 60.0..900.0_f64, a in 50.0..300.0_f64, more in 0.1..50.0_f64) {
        let c = Cooling { tau_s, ambient_c: 22.0, own: true };
        prop_assert!(c.touch_safe_in_s(a + more).unwrap() > c.touch_safe_in_s(a).unwrap());
    }

    #[test]
    fn the_right_type_shows_the_truth(i in 0_usize..6, t in 5.0..280.0_f64) {
        let table = SENSOR_TYPES[i].table;
        prop_assert!((displayed_c(&table, &table, t) - t).abs() < 1e-6);
    }

    #[test]
    fn a_log_written_as_a_file_is_read_back(temps in proptest::collection::vec(15.0..280.0_f64, 2..60), separator in prop::sample::select(vec![",", ";", "\t"])) {
        let mut text = ["time_s", "temp_c", "target", "duty"].join(separator);
        for (i, c) in (0_u32..).zip(&temps) {
            text.push_str(&format!("\n{i}{separator}{c:.2}{separator}210{separator}0.5"));
        }
        let file = read_trace(&text);
        prop_assert!(file.diagnostics.is_empty(), "{:?}", file.diagnostics);
        prop_assert_eq!(file.trace.samples.len(), temps.len());
        for (s, c) in file.trace.samples.iter().zip(&temps) {
            prop_assert!((s.temp_c - c).abs() <= 0.005 + 1e-9 && s.target_c == Some(210.0) && s.duty == Some(0.5));
        }
    }
}

#[test]
fn a_plant_is_found_again_from_the_swing_it_makes() {
    // Relay by hand: full and nothing about 210 °C, one report a second, as an autotune logs it.
    for (gain_c, tau_s, tau2_s, delay_s) in [
        (380.0, 110.0, 2.2, 0.8),
        (450.0, 160.0, 3.0, 1.2),
        (340.0, 90.0, 1.6, 1.6),
    ] {
        let plant = Plant {
            gain_c,
            tau_s,
            tau2_s,
            delay_s,
            ambient_c: 23.0,
        };
        let (mut temp, mut x1) = (150.0 - 23.0, 150.0 - 23.0);
        let dt = 0.01;
        let mut heating = true;
        let mut past = std::collections::VecDeque::from(vec![1.0; (delay_s / dt) as usize]);
        let mut samples = Vec::new();
        for i in 0..18_000_u32 {
            let duty = if heating { 1.0 } else { 0.0 };
            past.push_back(duty);
            let u = past.pop_front().unwrap();
            x1 += dt * (gain_c * u - x1) / tau_s;
            temp += dt * (x1 - temp) / tau2_s;
            heating = if temp + 23.0 > 210.0 {
                false
            } else if temp + 23.0 < 210.0 {
                true
            } else {
                heating
            };
            if i % 100 == 0 {
                samples.push(Sample {
                    t_s: f64::from(i) * dt,
                    temp_c: temp + 23.0,
                    target_c: Some(210.0),
                    duty: Some(duty),
                    fan: None,
                });
            }
        }
        let found = identify(&Trace::new(samples), 210.0).unwrap().found;
        // What the loop feels: the rise at full duty, and the lag.
        let rise = found.plant.gain_c / found.plant.tau_s;
        assert!((rise / (gain_c / tau_s) - 1.0).abs() < 0.12, "{found:?}");
        assert!(
            (found.plant.lag_s() - plant.lag_s()).abs() < 0.9,
            "{found:?}"
        );
    }
}

#[test]
fn rules_that_need_nothing_known_give_nothing() {
    for spec in TUNING_RULES {
        assert!(tune(spec.rule, None, None).is_none(), "{}", spec.label);
    }
}

#[test]
fn gains_that_no_printer_can_run_are_refused_in_both_forms() {
    for (p, i, d) in [
        (0.0, 1.0, 1.0),
        (-1.0, 0.0, 0.0),
        (f64::NAN, 0.0, 0.0),
        (22.0, f64::INFINITY, 0.0),
    ] {
        assert!(Gains::from_form(p, i, d, OutputForm::Byte).is_err());
    }
    assert!(
        Gains::from_form(22.4, 1.3, 95.0, OutputForm::Unit).is_err(),
        "gains of the other form"
    );
    for text in ["P 1 I 2", "P x I 2 D 3", "", "P 22.4 I 1.32 D 95.0 X 3"] {
        assert!(Gains::from_text(text).is_none(), "{text}");
    }
}

#[test]
fn a_run_that_never_arrives_has_no_figures_to_boast_of() {
    let short: Vec<(f64, f64)> = (0..100).map(|i| (f64::from(i), 150.0)).collect();
    let f = loop_figures(&short, 210.0, 0.0, None);
    assert_eq!(
        (f.overshoot_c, f.settle_s, f.hold_sd_c, f.dip_c),
        (None, None, None, None)
    );
    assert!(HotEndMass::Heavy.capacity_j_k() > HotEndMass::Light.capacity_j_k());
}
