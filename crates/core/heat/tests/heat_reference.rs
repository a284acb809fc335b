//! Heater loops against PyPI's control 0.10.2 with scipy 1.17.1, by tools/reference/heater_loop.py.
#![allow(clippy::unwrap_used)]

use wattotherm_heat::{ControllerSettings, Gains, LoopScript, Plant, margins, simulate_loop};

struct Case {
    plant: [f64; 4],
    gains: [f64; 3],
    filter_s: f64,
    gain_margin: f64,
    phase_margin_deg: f64,
    overshoot_c: f64,
    /// (s, °C above the start) of a step of 5 °C.
    at: [(f64, f64); 6],
}

const CASES: [Case; 3] = [
    Case {
        plant: [400.0, 120.0, 3.0, 1.0],
        gains: [0.060, 0.0020, 0.0],
        filter_s: 0.0,
        gain_margin: 4.82679,
        phase_margin_deg: 43.6206,
        overshoot_c: 1.50529,
        at: [
            (5.0, 1.80310),
            (10.0, 5.16169),
            (20.0, 6.11496),
            (40.0, 5.17054),
            (80.0, 5.04173),
            (160.0, 5.00193),
        ],
    },
    Case {
        plant: [300.0, 90.0, 2.5, 2.0],
        gains: [0.050, 0.0010, 0.08],
        filter_s: 1.0,
        gain_margin: 3.66490,
        phase_margin_deg: 60.4318,
        overshoot_c: 0.42624,
        at: [
            (5.0, 1.05236),
            (10.0, 3.97791),
            (20.0, 5.42522),
            (40.0, 5.26258),
            (80.0, 5.10846),
            (160.0, 5.01848),
        ],
    },
    Case {
        plant: [450.0, 180.0, 0.0, 4.0],
        gains: [0.040, 0.0006, 0.0],
        filter_s: 0.0,
        gain_margin: 3.86345,
        phase_margin_deg: 61.5631,
        overshoot_c: 0.40044,
        at: [
            (5.0, 0.50386),
            (10.0, 2.98280),
            (20.0, 5.16114),
            (40.0, 5.35906),
            (80.0, 5.18383),
            (160.0, 5.04812),
        ],
    },
];

/// Five digits are printed.
const MARGIN: f64 = 2e-5;
/// A controller that decides a hundred times a second against a continuous one: half a sample is some
/// 10 ms of dead time, which at 0.8 °C/s moves the curve by about this [°C].
const STEP_C: f64 = 0.015;

fn plant_of(c: &Case) -> Plant {
    let [gain_c, tau_s, tau2_s, delay_s] = c.plant;
    Plant {
        gain_c,
        tau_s,
        tau2_s,
        delay_s,
        ambient_c: 25.0,
    }
}

fn settings_of(c: &Case) -> ControllerSettings {
    let [kp, ki, kd] = c.gains;
    ControllerSettings::common(Gains { kp, ki, kd })
        .filtered_over(c.filter_s)
        .with_band(None)
        .sampled_every(0.01)
}

#[test]
fn margins_are_those_of_the_reference_library() {
    for c in &CASES {
        let m = margins(&plant_of(c), &settings_of(c)).unwrap();
        assert!((m.gain / c.gain_margin - 1.0).abs() < MARGIN, "{m:?}");
        assert!(
            (m.phase_deg / c.phase_margin_deg - 1.0).abs() < MARGIN,
            "{m:?}"
        );
    }
}

#[test]
fn closed_loop_steps_are_those_of_the_reference_library() {
    for c in &CASES {
        // Small enough that the heater never saturates: the reference knows no limits.
        let script = LoopScript {
            start_c: 150.0,
            target_c: 155.0,
            fan_at_s: 1e9,
            end_s: 240.0,
            fan_duty: 0.0,
            dt_s: 0.01,
        };
        let run = simulate_loop(&plant_of(c), settings_of(c), &script);
        for (t, above) in c.at {
            let (_, got) = run
                .points
                .iter()
                .find(|(s, _)| (s - t).abs() < 0.005)
                .unwrap();
            assert!(
                (got - 150.0 - above).abs() < STEP_C,
                "{t} s: {} is not {above}",
                got - 150.0
            );
        }
        let over = run.figures.overshoot_c.unwrap();
        assert!(
            (over - c.overshoot_c).abs() < STEP_C,
            "{over} is not {}",
            c.overshoot_c
        );
    }
}

#[test]
fn a_loop_with_all_its_gain_margin_used_swings_and_with_half_of_it_does_not() {
    for c in &CASES {
        let m = margins(&plant_of(c), &settings_of(c)).unwrap();
        let spread = |share: f64| {
            let mut s = settings_of(c);
            let g = s.gains;
            let times = share * m.gain;
            s.gains = Gains {
                kp: g.kp * times,
                ki: g.ki * times,
                kd: g.kd * times,
            };
            let script = LoopScript {
                start_c: 150.0,
                target_c: 150.4,
                fan_at_s: 1e9,
                end_s: 400.0,
                fan_duty: 0.0,
                dt_s: 0.01,
            };
            let run = simulate_loop(&plant_of(c), s, &script);
            let late: Vec<f64> = run
                .points
                .iter()
                .filter(|p| p.0 > 300.0)
                .map(|p| p.1)
                .collect();
            late.iter().fold(f64::MIN, |m, v| m.max(*v))
                - late.iter().fold(f64::MAX, |m, v| m.min(*v))
        };
        assert!(spread(1.02) > 0.1, "past its margin it swings for ever");
        assert!(spread(0.5) < 0.02, "with half of it, it comes to rest");
    }
}
