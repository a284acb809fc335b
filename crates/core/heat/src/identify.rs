//! A plant from a log: least squares on what the heater was given and what the sensor showed.

use nalgebra::{DMatrix, DVector};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::model::{Plant, Stepper};
use super::trace::{Sample, Trace};

/// A plant with how well it is known.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Identified {
    /// The plant, two lags and dead time.
    pub plant: Plant,
    /// Root mean square of what it leaves over [°C].
    pub residual_c: f64,
    /// Standard uncertainty of the gain [%].
    pub u_gain_percent: f64,
    /// Standard uncertainty of the longer time constant [%].
    pub u_tau_percent: f64,
    /// Standard uncertainty of dead time and second lag together [s].
    pub u_lag_s: f64,
    /// Samples used.
    pub samples: u32,
    /// Steps of the search.
    pub iterations: u32,
}

/// Why no plant comes out.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum IdentifyError {
    /// Too little to go by.
    #[error("the log holds {got} samples with heater duty: {need} or more are needed")]
    TooShort {
        /// Samples with duty.
        got: usize,
        /// Samples needed.
        need: usize,
    },
    /// The heater did nothing that could be answered.
    #[error("heater and temperature hardly changed: log a heat-up or an autotune")]
    NoChange,
    /// No plant fits.
    #[error(
        "no plant fits this log (it leaves {residual_c:.1} °C over): look for a fault before tuning"
    )]
    NoFit {
        /// What the best plant leaves over [°C].
        residual_c: f64,
    },
}

/// Fewest samples with duty.
const LEAST_SAMPLES: usize = 30;
/// Most points of the even grid a log is brought to.
const MOST_POINTS: usize = 10_000;
/// Steps of the search before it gives up.
const MOST_STEPS: u32 = 40;

/// Lags to start from besides the linear guess: τ1, τ2, L [s].
const USUAL: [(f64, f64, f64); 9] = [
    (60.0, 1.5, 0.6),
    (60.0, 3.0, 1.2),
    (110.0, 2.0, 0.8),
    (110.0, 4.0, 1.0),
    (180.0, 2.0, 1.0),
    (180.0, 4.0, 1.5),
    (350.0, 3.0, 1.0),
    (110.0, 12.0, 1.0),
    (180.0, 20.0, 2.0),
];

/// The log on an even grid: temperatures between samples, duty as its mean over each step.
struct Grid {
    dt: f64,
    /// Least dead time that the log can tell from none [s]: half its sample time.
    least_delay: f64,
    temp: Vec<f64>,
    duty: Vec<f64>,
}

fn even(trace: &Trace) -> Result<Grid, IdentifyError> {
    let known: Vec<(f64, f64, f64)> = trace
        .samples
        .iter()
        .filter_map(|s| s.duty.map(|d| (s.t_s, s.temp_c, d.clamp(0.0, 1.0))))
        .collect();
    if known.len() < LEAST_SAMPLES {
        return Err(IdentifyError::TooShort {
            got: known.len(),
            need: LEAST_SAMPLES,
        });
    }
    let start = known[0].0;
    let span = known[known.len() - 1].0 - start;
    let dt = (trace.period_s() / 2.0)
        .clamp(0.05, 1.0)
        .max(span / 10_000.0);
    // OK because dt is at least a ten-thousandth of the span.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let points = ((span / dt).floor() as usize).min(MOST_POINTS);
    let (mut temp, mut duty) = (Vec::with_capacity(points), Vec::with_capacity(points));
    let mut i = 0;
    for n in 0..points {
        #[allow(clippy::cast_precision_loss)]
        let t = start + n as f64 * dt;
        // Mean of the duty held over [t, t + dt).
        let (mut from, mut sum) = (t, 0.0);
        while i + 1 < known.len() && known[i + 1].0 <= t {
            i += 1;
        }
        let mut k = i;
        while from < t + dt {
            let until = known.get(k + 1).map_or(f64::INFINITY, |p| p.0).min(t + dt);
            sum += known[k].2 * (until - from);
            from = until;
            if k + 1 < known.len() { k += 1 } else { break }
        }
        let held = (from - t).max(1e-9);
        duty.push(sum / held);
        let here = known[i];
        let next = known.get(i + 1).unwrap_or(&here);
        let share = if next.0 > here.0 {
            (t - here.0) / (next.0 - here.0)
        } else {
            0.0
        };
        temp.push(here.1 + share * (next.1 - here.1));
    }
    let spread = |v: &[f64]| {
        v.iter().fold(f64::NEG_INFINITY, |m, x| m.max(*x))
            - v.iter().fold(f64::INFINITY, |m, x| m.min(*x))
    };
    if points < LEAST_SAMPLES || spread(&temp) < 1.0 || spread(&duty) < 0.05 {
        return Err(IdentifyError::NoChange);
    }
    Ok(Grid {
        dt,
        least_delay: (trace.period_s() / 2.0).min(1.0),
        temp,
        duty,
    })
}

/// First guess for a dead time, by linear least squares on the integrated equation
/// T(t) − T(0) = (K/τ)∫u(s − L)ds − (1/τ)∫T ds + (Tamb/τ)·t, which needs no derivative of noisy
/// readings. Returns (K, τ, Tamb, residual).
fn linear_guess(grid: &Grid, delay: f64) -> Option<(f64, f64, f64, f64)> {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let shift = (delay / grid.dt).round() as usize;
    let (mut a, mut b) = ([[0.0_f64; 4]; 4], [0.0_f64; 4]);
    let (mut int_u, mut int_t, mut yy, mut n) = (0.0, 0.0, 0.0, 0.0);
    let t0 = grid.temp[0];
    for i in 0..grid.temp.len() {
        let u = if i >= shift {
            grid.duty[i - shift]
        } else {
            grid.duty[0]
        };
        #[allow(clippy::cast_precision_loss)]
        let t = i as f64 * grid.dt;
        let x = [int_u, int_t, t, 1.0];
        let y = grid.temp[i] - t0;
        for r in 0..4 {
            b[r] += x[r] * y;
            for c in 0..4 {
                a[r][c] += x[r] * x[c];
            }
        }
        yy += y * y;
        n += 1.0;
        int_u += u * grid.dt;
        int_t += grid.temp[i] * grid.dt;
    }
    let m = DMatrix::from_fn(4, 4, |r, c| a[r][c]);
    let v = DVector::from_fn(4, |r, _| b[r]);
    let solved = m.lu().solve(&v)?;
    let over_tau = -solved[1];
    if over_tau <= 1e-6 || solved[0] <= 0.0 {
        return None;
    }
    let rss = yy - solved.dot(&v);
    Some((
        solved[0] / over_tau,
        1.0 / over_tau,
        solved[2] / over_tau,
        (rss / n).max(0.0),
    ))
}

/// What the search turns: ln τ1, ln τ2, L. Gain, ambient and start enter linearly and are solved for.
type Theta = [f64; 3];

/// Responses of a plant of unit gain and the best linear parameters for them.
#[derive(Default)]
struct Projection {
    /// Response to the duty from rest.
    forced: Vec<f64>,
    /// What is left of a unit start.
    free: Vec<f64>,
    /// Gain, ambient, start.
    linear: [f64; 3],
    residuals: Vec<f64>,
    rss: f64,
}

/// T(t) = K·forced + Tamb·(1 − free) + T0·free: three linear parameters for given lags, by normal
/// equations; residuals only after the first seconds, where an unknown state inside still fades.
fn project(grid: &Grid, p: &Theta, skip: usize, out: &mut Projection) -> Option<()> {
    let lags = Plant {
        gain_c: 1.0,
        tau_s: p[0].exp(),
        tau2_s: p[1].exp(),
        delay_s: p[2],
        ambient_c: 0.0,
    };
    let mut forced = Stepper::new(&lags, grid.dt, 0.0, grid.duty[0]);
    let mut free = Stepper::new(&lags, grid.dt, 1.0, 0.0);
    out.forced.clear();
    out.free.clear();
    let (mut h, mut f) = (0.0, 1.0);
    let (mut a, mut b) = ([[0.0_f64; 3]; 3], [0.0_f64; 3]);
    for (i, (temp, duty)) in grid.temp.iter().zip(&grid.duty).enumerate() {
        out.forced.push(h);
        out.free.push(f);
        if i >= skip {
            let x = [h, 1.0 - f, f];
            for r in 0..3 {
                b[r] += x[r] * temp;
                for c in 0..3 {
                    a[r][c] += x[r] * x[c];
                }
            }
        }
        h = forced.step(*duty);
        f = free.step(0.0);
    }
    let mut m = nalgebra::Matrix3::from_fn(|r, c| a[r][c]);
    // A start that has faded before the first residual has no say: keep the equations solvable.
    m[(2, 2)] += 1e-9 * (m[(0, 0)] + m[(1, 1)]).max(1e-12);
    let solved = m.lu().solve(&nalgebra::Vector3::from(b))?;
    out.linear = [solved[0], solved[1], solved[2]];
    out.residuals.clear();
    out.rss = 0.0;
    for i in skip..grid.temp.len() {
        let shown = out.linear[0] * out.forced[i]
            + out.linear[1] * (1.0 - out.free[i])
            + out.linear[2] * out.free[i];
        let r = grid.temp[i] - shown;
        out.rss += r * r;
        out.residuals.push(r);
    }
    out.rss.is_finite().then_some(())
}

fn kept_in_range(mut q: Theta, least_delay: f64) -> Theta {
    q[0] = q[0].clamp(0.5, 9.0);
    // The second lag stays the shorter one: exchanging them is the same plant.
    q[1] = q[1].clamp(-3.0, q[0] - 0.7);
    // A dead time too short for the log to show would make the ultimate gain anything.
    q[2] = q[2].clamp(least_delay, 60.0);
    q
}

/// Fits a plant to a log with heater duty: a linear guess over dead times, then output error by
/// Levenberg-Marquardt on the three lags, with gain, ambient and start projected out at each step.
///
/// Source: least squares; Levenberg 1944, Marquardt 1963; variable projection, Golub & Pereyra 1973,
/// SIAM J. Numer. Anal. 10, 413-432. Uncertainties from the Jacobian, widened for the residual's
/// correlation from sample to sample. Domain: log of a heat-up, a relay test or any run in which the
/// heater was worked.
/// # Errors
/// [`IdentifyError`].
pub fn identify(trace: &Trace) -> Result<Identified, IdentifyError> {
    let grid = even(trace)?;
    let mut guess: Option<(f64, (f64, f64, f64, f64))> = None;
    for delay in [
        0.0, 1.0, 2.0, 3.0, 4.0, 6.0, 8.0, 11.0, 15.0, 20.0, 28.0, 40.0,
    ] {
        if let Some(g) = linear_guess(&grid, delay)
            && guess.is_none_or(|(_, best)| g.3 < best.3)
        {
            guess = Some((delay, g));
        }
    }
    let (delay, (_, tau, _, _)) = guess.unwrap_or((3.0, (0.0, 150.0, 0.0, 0.0)));
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let skip = ((8.0 / grid.dt) as usize).min(grid.temp.len() / 10);
    let mut p = kept_in_range(
        [
            tau.clamp(2.0, 5e3).ln(),
            (delay * 0.5).clamp(0.3, 30.0).ln(),
            (delay * 0.6).max(0.2),
        ],
        grid.least_delay,
    );
    let no_fit = IdentifyError::NoFit {
        residual_c: f64::NAN,
    };
    let (mut here, mut tried) = (Projection::default(), Projection::default());
    project(&grid, &p, skip, &mut here).ok_or(no_fit)?;
    // The search goes downhill from where it starts: begin at the best of some usual hot ends.
    for (tau, tau2, delay) in USUAL {
        let q = kept_in_range([f64::ln(tau), f64::ln(tau2), delay], grid.least_delay);
        if project(&grid, &q, skip, &mut tried).is_some()
            && tried.linear[0] > 0.0
            && (tried.rss < here.rss || here.linear[0] <= 0.0)
        {
            p = q;
            std::mem::swap(&mut here, &mut tried);
        }
    }
    let mut lambda = 1e-3;
    let mut iterations = 0;
    while iterations < MOST_STEPS {
        iterations += 1;
        let columns = slopes(&grid, &p, skip, &here, &mut tried).ok_or(no_fit)?;
        let normal = nalgebra::Matrix3::from_fn(|a, b| dot(&columns[a], &columns[b]));
        let gradient = nalgebra::Vector3::from_fn(|a, _| dot(&columns[a], &here.residuals));
        let before = here.rss;
        let mut better = false;
        for _ in 0..8 {
            let mut damped = normal;
            for i in 0..3 {
                damped[(i, i)] += lambda * normal[(i, i)].max(1e-9);
            }
            if let Some(step) = damped.lu().solve(&gradient) {
                let q = kept_in_range(
                    [p[0] + step[0], p[1] + step[1], p[2] + step[2]],
                    grid.least_delay,
                );
                if project(&grid, &q, skip, &mut tried).is_some()
                    && tried.rss < here.rss
                    && tried.linear[0] > 0.0
                {
                    p = q;
                    std::mem::swap(&mut here, &mut tried);
                    lambda = (lambda * 0.2).max(1e-12);
                    better = true;
                    break;
                }
            }
            lambda *= 5.0;
        }
        if !better || before - here.rss < 1e-6 * before {
            break;
        }
    }
    report(&grid, &p, skip, &here, iterations)
}

/// How far below the target the part of a log begins that a model for the loop is fitted to [°C].
const NEAR_C: f64 = 60.0;
/// How far below its target an autotune begins [°C]: the heat-up before the swing shows the slow lag,
/// which the swing alone doesn't.
pub const AUTOTUNE_BELOW_C: f64 = 65.0;

/// The part of a log that a loop's model is fitted to: from [`NEAR_C`] below the target on.
///
/// Far below, radiation and convection have another slope; nearer, a swing about the target alone
/// shows the fast lags but not the slow one. Common practice, no published source; the figure is the
/// one at which the predictions for simulated printers were best.
#[must_use]
pub fn working_part(trace: &Trace, target_c: f64) -> Trace {
    let from = trace.first_reaching_s(target_c - NEAR_C).unwrap_or(0.0);
    trace.between(from, f64::INFINITY)
}

/// A relay test's log with its switches put where they were: at the crossings of the target.
///
/// A report a second says only that the heater switched since the last one; a relay switches when its
/// target is crossed, and when that was the temperatures tell. Without it half a second of doubt at every
/// switch adds up in a block that forgets nothing for minutes.
#[must_use]
pub fn sharpened(trace: &Trace, target_c: f64) -> Trace {
    let mut samples: Vec<Sample> = Vec::with_capacity(trace.samples.len() * 2);
    for w in trace.samples.windows(2) {
        let (a, b) = (w[0], w[1]);
        samples.push(a);
        let switched = match (a.duty, b.duty) {
            (Some(x), Some(y)) => (x - y).abs() > 0.2,
            _ => false,
        };
        let (below, above) = (a.temp_c - target_c, b.temp_c - target_c);
        if switched && below * above < 0.0 {
            let share = below / (below - above);
            samples.push(Sample {
                t_s: a.t_s + share * (b.t_s - a.t_s),
                temp_c: target_c,
                ..b
            });
        }
    }
    samples.extend(trace.samples.last());
    Trace::new(samples)
}

/// −∂residual/∂θ of the projected problem, by differences.
fn slopes(
    grid: &Grid,
    p: &Theta,
    skip: usize,
    here: &Projection,
    work: &mut Projection,
) -> Option<Vec<Vec<f64>>> {
    (0..3)
        .map(|i| {
            let h = if i < 2 { 1e-4 } else { 1e-3 };
            let mut q = *p;
            q[i] += h;
            project(grid, &q, skip, work)?;
            Some(
                here.residuals
                    .iter()
                    .zip(&work.residuals)
                    .map(|(a, b)| (a - b) / h)
                    .collect(),
            )
        })
        .collect()
}

fn report(
    grid: &Grid,
    p: &Theta,
    skip: usize,
    here: &Projection,
    iterations: u32,
) -> Result<Identified, IdentifyError> {
    let n = here.residuals.len();
    #[allow(clippy::cast_precision_loss)]
    let count = n as f64;
    let residual_c = (here.rss / count).sqrt();
    let (low, high) = grid
        .temp
        .iter()
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), t| {
            (l.min(*t), h.max(*t))
        });
    if !residual_c.is_finite() || residual_c > 0.2 * (high - low) + 1.0 || here.linear[0] <= 1.0 {
        return Err(IdentifyError::NoFit { residual_c });
    }
    let plant = Plant {
        gain_c: here.linear[0],
        tau_s: p[0].exp(),
        tau2_s: p[1].exp(),
        delay_s: p[2],
        ambient_c: here.linear[1],
    };
    // Slopes by the three lags at fixed linear parameters, and by the linear ones themselves.
    let mut columns: Vec<Vec<f64>> = Vec::with_capacity(6);
    let mut work = Projection::default();
    for i in 0..3 {
        let h = if i < 2 { 1e-4 } else { 1e-3 };
        let mut q = *p;
        q[i] += h;
        project(grid, &q, skip, &mut work).ok_or(IdentifyError::NoFit { residual_c })?;
        let [k, a, s] = here.linear;
        columns.push(
            (skip..grid.temp.len())
                .map(|j| {
                    (k * (work.forced[j] - here.forced[j])
                        + (s - a) * (work.free[j] - here.free[j]))
                        / h
                })
                .collect(),
        );
    }
    columns.push(here.forced[skip..].to_vec());
    columns.push(here.free[skip..].iter().map(|f| 1.0 - f).collect());
    columns.push(here.free[skip..].to_vec());
    let mut normal = DMatrix::from_fn(6, 6, |a, b| dot(&columns[a], &columns[b]));
    normal[(5, 5)] += 1e-9 * normal[(4, 4)].max(1e-12);
    // Neighbouring residuals say the same thing: count them as fewer.
    let lag_one = (dot(&here.residuals[1..], &here.residuals[..n - 1]) / here.rss.max(1e-12))
        .clamp(0.0, 0.999);
    let widen = (1.0 + lag_one) / (1.0 - lag_one);
    let variance = here.rss / (count - 6.0).max(1.0) * widen;
    let m = normal.try_inverse().map(|m| m * variance);
    let at = |r: usize, c: usize| m.as_ref().map_or(f64::INFINITY, |m| m[(r, c)]);
    let t2 = plant.tau2_s;
    let u_lag = (t2 * t2 * at(1, 1) + at(2, 2) + 2.0 * t2 * at(1, 2))
        .max(0.0)
        .sqrt();
    Ok(Identified {
        plant,
        residual_c,
        u_gain_percent: (100.0 * at(3, 3).max(0.0).sqrt() / plant.gain_c).min(999.0),
        u_tau_percent: (100.0 * at(0, 0).max(0.0).sqrt()).min(999.0),
        u_lag_s: u_lag.min(999.0),
        samples: u32::try_from(n).unwrap_or(u32::MAX),
        iterations,
    })
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(x, y)| x * y).sum()
}
