//! `make bench`: logs, identification, loops in simulation.

#![allow(clippy::cast_precision_loss, clippy::unwrap_used)]

use divan::Bencher;
use wattotherm_heat::{
    ControllerKind, ControllerSettings, Gains, LoopScript, PhysicalLimits, Plant, Sample, Trace,
    Trial, identify, read_class, read_trace, simulate_loop, ultimate_of,
};

#[path = "../tests/plants/mod.rs"]
mod plants;

fn main() {
    divan::main();
}

const PLANT: Plant = Plant {
    gain_c: 300.0,
    tau_s: 107.0,
    tau2_s: 3.5,
    delay_s: 0.7,
    ambient_c: 25.0,
};
const GAINS: Gains = Gains {
    kp: 0.14,
    ki: 0.005,
    kd: 0.28,
};
/// Samples of a long log: fifty minutes at ten a second.
const SAMPLES: usize = 30_000;

fn long_log() -> Trace {
    let dt = 0.1;
    let script = LoopScript {
        start_c: 25.0,
        target_c: 210.0,
        fan_at_s: 1_000.0,
        end_s: SAMPLES as f64 * dt,
        fan_duty: 0.05,
        dt_s: dt,
    };
    let run = simulate_loop(&PLANT, ControllerSettings::common(GAINS), &script);
    // Duty is not in a run's points: what holds the temperature, with some unrest.
    let duty = |c: f64, i: usize| {
        (PLANT.holding_duty(c) + 0.05 * ((i % 37) as f64 / 37.0 - 0.5)).clamp(0.0, 1.0)
    };
    Trace::new((0..SAMPLES).map(|i| {
        let (_, c) = run.points[(i * run.points.len() / SAMPLES).min(run.points.len() - 1)];
        Sample {
            t_s: i as f64 * dt,
            temp_c: c,
            target_c: Some(210.0),
            duty: Some(if c < 200.0 { 1.0 } else { duty(c, i) }),
            fan: Some(0.0),
        }
    }))
}

#[divan::bench]
fn an_hour_of_loop_at_10_ms(bencher: Bencher<'_, '_>) {
    let hour = LoopScript {
        start_c: 25.0,
        fan_at_s: 1_800.0,
        end_s: 3_600.0,
        dt_s: 0.01,
        ..LoopScript::usual(210.0)
    };
    bencher.bench_local(|| simulate_loop(&PLANT, ControllerSettings::common(GAINS), &hour));
}

/// An autotune from cold, a report a second, and one with fifty.
#[divan::bench(sample_count = 20, args = [1.0, 0.02])]
fn identification_with_intervals(bencher: Bencher<'_, '_>, interval: f64) {
    let mut r = fastrand::Rng::with_seed(5);
    let hidden = plants::Hidden::invent(&mut r);
    let log = plants::relay_log(&hidden, interval, 0.1, &mut r);
    bencher.bench_local(|| identify(&log, plants::TARGET).unwrap());
}

#[divan::bench]
fn class_of_30_000_samples(bencher: Bencher<'_, '_>) {
    let log = long_log();
    bencher.bench_local(|| read_class(&log, &PhysicalLimits::default()));
}

#[divan::bench]
fn reading_30_000_lines(bencher: Bencher<'_, '_>) {
    let mut text = "time_s,temp_c,target,duty".to_owned();
    for s in long_log().samples {
        let duty = s.duty.unwrap_or(0.0);
        text.push_str(&format!("\n{:.1},{:.2},210,{duty:.3}", s.t_s, s.temp_c));
    }
    bencher
        .counter(divan::counter::BytesCount::of_str(&text))
        .bench_local(|| read_trace(&text));
}

#[divan::bench(sample_count = 20)]
fn seven_rules_on_two_hundred_plants(bencher: Bencher<'_, '_>) {
    let ensemble: Vec<Plant> = (0..200)
        .map(|i| Plant {
            gain_c: 300.0 + f64::from(i % 20),
            tau_s: 100.0 + f64::from(i % 13),
            ..PLANT
        })
        .collect();
    let trial = Trial {
        plant: &PLANT,
        ensemble: &ensemble,
        target_c: 210.0,
        controller: ControllerKind::FullHeatBand,
    };
    bencher.bench_local(|| trial.compare(ultimate_of(&PLANT)));
}
