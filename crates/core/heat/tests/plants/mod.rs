//! Hot ends that another program invents, and logs of a relay working them.
//!
//! Shares nothing with the fit: Runge-Kutta at a fiftieth of a second, losses by conduction and the fourth power, a
//! relay that sees its own noisy, filtered sensor. Truth is worked out from its physics.
#![allow(
    dead_code,
    clippy::unwrap_used,
    clippy::cast_precision_loss,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss
)]

use std::collections::VecDeque;

use wattotherm_heat::{Sample, Trace, identify};

pub const TARGET: f64 = 210.0;
pub const INTERVALS: [f64; 4] = [0.25, 0.5, 1.0, 2.0];
pub const NOISES: [f64; 3] = [0.02, 0.1, 0.3];

/// A made-up hot end: capacity 1, so that its loss is in °C/s.
#[derive(Clone, Copy, Debug)]
pub struct Hidden {
    pub heat: f64,
    pub conduct: f64,
    pub radiate: f64,
    pub sensor_s: f64,
    pub dead_s: f64,
    pub room: f64,
}

impl Hidden {
    pub fn invent(r: &mut fastrand::Rng) -> Self {
        let between = |r: &mut fastrand::Rng, a: f64, b: f64| a + (b - a) * r.f64();
        let tau = between(r, 60.0, 250.0);
        let gain = between(r, 280.0, 650.0);
        // None to a fifth of the loss at 210 °C is radiation.
        let share = between(r, 0.0, 0.3).max(0.05) - 0.05;
        let room = between(r, 12.0, 34.0);
        let whole = (TARGET - room) / tau;
        let fourth = |c: f64| ((c + 273.15) / 100.0).powi(4);
        Self {
            heat: gain / tau,
            conduct: (1.0 - share) / tau,
            radiate: share * whole / (fourth(TARGET) - fourth(room)),
            sensor_s: between(r, 1.0, 7.0),
            dead_s: between(r, 0.4, 4.0),
            room,
        }
    }
    pub fn loss(&self, c: f64) -> f64 {
        let fourth = |c: f64| ((c + 273.15) / 100.0).powi(4);
        self.conduct * (c - self.room) + self.radiate * (fourth(c) - fourth(self.room))
    }
    /// Rise at full duty and slope of the loss, about the target.
    pub fn truth(&self) -> Truth {
        let slope = (self.loss(TARGET + 0.5) - self.loss(TARGET - 0.5)).abs();
        let (gain, tau) = (self.heat / slope, 1.0 / slope);
        // Phase −180° by bisection on ω.
        let late = |w: f64| w * self.dead_s + (w * tau).atan() + (w * self.sensor_s).atan();
        let (mut a, mut b) = (1e-3, std::f64::consts::PI / self.dead_s);
        for _ in 0..100 {
            let m = (a + b) / 2.0;
            if late(m) < std::f64::consts::PI {
                a = m;
            } else {
                b = m;
            }
        }
        let size =
            gain / ((1.0 + (a * tau).powi(2)).sqrt() * (1.0 + (a * self.sensor_s).powi(2)).sqrt());
        Truth {
            gain,
            tau,
            rise: self.heat,
            lag: self.dead_s + self.sensor_s,
            ku: 1.0 / size,
            tu: 2.0 * std::f64::consts::PI / a,
        }
    }
}

#[derive(Clone, Copy, Debug)]
pub struct Truth {
    pub gain: f64,
    pub tau: f64,
    pub rise: f64,
    pub lag: f64,
    pub ku: f64,
    pub tu: f64,
}

pub fn normal(r: &mut fastrand::Rng) -> f64 {
    // Twelve of them have variance one.
    (0..12).map(|_| r.f64()).sum::<f64>() - 6.0
}

/// From cold under a relay until it has swung six times.
pub fn relay_log(h: &Hidden, interval: f64, noise: f64, r: &mut fastrand::Rng) -> Trace {
    let dt = 0.02_f64;
    let (mut block, mut sensor) = (h.room, h.room);
    let mut pipe = VecDeque::from(vec![0.0; (h.dead_s / dt).round() as usize]);
    // Reports come when they come, not when the relay looks.
    let (mut duty, mut ups, mut t, mut next) = (0.0, 0, 0.0_f64, interval * r.f64());
    let mut switched = 0.0;
    let mut seen = VecDeque::new();
    let mut samples = Vec::new();
    while ups < 8 && t < 1_800.0 {
        if (t / 0.1).fract() < dt / 0.1 {
            seen.push_back(sensor + noise * normal(r));
            if seen.len() > 8 {
                seen.pop_front();
            }
            let mean = seen.iter().sum::<f64>() / seen.len() as f64;
            let on = t > 5.0 && mean < TARGET;
            // A relay that chattered in the noise of its own sensor would be no test: it waits.
            if on != (duty > 0.5) && t > switched + 1.5 {
                switched = t;
                ups += u32::from(on);
                duty = if on { 1.0 } else { 0.0 };
            }
        }
        if t >= next {
            samples.push(Sample {
                t_s: t,
                temp_c: ((sensor + noise * normal(r)) * 100.0).round() / 100.0,
                target_c: Some(TARGET),
                duty: Some(duty),
                fan: None,
            });
            next += interval;
        }
        pipe.push_back(duty);
        let u = pipe.pop_front().unwrap();
        let slope = |b: f64| h.heat * u - h.loss(b);
        let k1 = slope(block);
        let k2 = slope(block + dt / 2.0 * k1);
        let k3 = slope(block + dt / 2.0 * k2);
        let k4 = slope(block + dt * k3);
        let middle = block + dt / 2.0 * k2;
        block += dt / 6.0 * (k1 + 2.0 * k2 + 2.0 * k3 + k4);
        sensor += dt * (middle - sensor) / h.sensor_s / (1.0 + dt / 2.0 / h.sensor_s);
        t += dt;
    }
    Trace::new(samples)
}

/// What is stated of a plant.
pub const QUANTITIES: [&str; 6] = ["K", "τ", "K/τ", "lag", "Ku", "Tu"];

/// One interval and noise: plants found, and how many of their statements hold.
#[derive(Clone, Debug, Default)]
pub struct Cell {
    pub interval: f64,
    pub noise: f64,
    pub found: u32,
    pub none: u32,
    pub within: [u32; 6],
    /// Half the interval of Ku over the truth, in the middle.
    pub half_ku: f64,
}

/// As many plants in each of the twelve cells, on both processors.
pub fn coverage(plants: u32) -> Vec<Cell> {
    let cells: Vec<(f64, f64)> = INTERVALS
        .iter()
        .flat_map(|i| NOISES.iter().map(|n| (*i, *n)))
        .collect();
    let next = std::sync::atomic::AtomicUsize::new(0);
    let done = std::sync::Mutex::new(vec![Cell::default(); cells.len()]);
    std::thread::scope(|s| {
        for _ in 0..2 {
            s.spawn(|| {
                loop {
                    let at = next.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
                    let Some((interval, noise)) = cells.get(at) else {
                        return;
                    };
                    let cell = covered(plants, *interval, *noise);
                    done.lock().unwrap()[at] = cell;
                }
            });
        }
    });
    done.into_inner().unwrap()
}

fn covered(plants: u32, interval: f64, noise: f64) -> Cell {
    let mut cell = Cell {
        interval,
        noise,
        ..Cell::default()
    };
    let mut r = fastrand::Rng::with_seed(41);
    let mut widths = Vec::new();
    for _ in 0..plants {
        let hidden = Hidden::invent(&mut r);
        let truth = hidden.truth();
        let log = relay_log(&hidden, interval, noise, &mut r.fork());
        let Ok(got) = identify(&log, TARGET) else {
            cell.none += 1;
            continue;
        };
        cell.found += 1;
        let k = got.found.known.unwrap();
        let stated = [k.gain_c, k.tau_s, k.rise_c_s, k.lag_s, k.ku, k.tu_s];
        let true_ones = [
            truth.gain, truth.tau, truth.rise, truth.lag, truth.ku, truth.tu,
        ];
        for (n, (s, t)) in cell.within.iter_mut().zip(stated.iter().zip(true_ones)) {
            *n += u32::from(s.holds(t));
        }
        widths.push((k.ku.high - k.ku.low) / 2.0 / truth.ku);
    }
    widths.sort_by(f64::total_cmp);
    cell.half_ku = widths.get(widths.len() / 2).copied().unwrap_or(f64::NAN);
    cell
}
