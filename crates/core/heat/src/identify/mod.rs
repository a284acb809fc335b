//! A plant from a log: what the heater was given and what the sensor showed, the whole record from cold.
//!
//! The answer is never a plant alone: it is the plants that the log allows, drawn from what it says.

mod body;
mod ensemble;
mod record;

use nalgebra::{DMatrix, DVector, SMatrix, SVector};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::model::Plant;
use super::relay::ultimate_of;
use super::trace::Trace;
use body::{N, Theta, bounded, impulse, plant_at, shown_by};
use record::{Record, Shown, Switch};

pub use ensemble::Interval;

/// A plant with how well it is known.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Identified {
    /// The plant about its target, two lags and dead time: the likeliest.
    pub plant: Plant,
    /// Root mean square of what it leaves over [°C].
    pub residual_c: f64,
    /// What 95 of 100 plants that the log allows lie between; none for a plant kept by an older version.
    #[serde(default)]
    pub known: Option<Known>,
    /// Samples used.
    pub samples: u32,
    /// Steps of the search.
    pub iterations: u32,
}

/// How well a plant is known, each at 95 %.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Known {
    /// Gain K [°C per unit duty].
    pub gain_c: Interval,
    /// Longer time constant [s].
    pub tau_s: Interval,
    /// First rise at full duty, K/τ [°C/s].
    pub rise_c_s: Interval,
    /// Dead time and second lag together [s].
    pub lag_s: Interval,
    /// Ultimate gain [duty/°C].
    pub ku: Interval,
    /// Ultimate period [s].
    pub tu_s: Interval,
}

/// An identified plant and the plants that the log allows.
#[derive(Clone, Debug, PartialEq)]
pub struct Identification {
    /// What is kept.
    pub found: Identified,
    /// Plants drawn from what the log says, equally likely.
    pub ensemble: Vec<Plant>,
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
    /// The search ran out of steps before it came to rest.
    #[error("the search for a plant came to no end: log a heat-up from cold and an autotune")]
    NotSettled,
    /// The room would have to be somewhere else.
    #[error("the plant that fits would stand in a room of {room_c:.0} °C: no plant")]
    Room {
        /// That room [°C].
        room_c: f64,
    },
    /// The log allows plants too unlike each other.
    #[error(
        "the log leaves too much open ({what} from {low:.3} to {high:.3}): log a heat-up from cold and an autotune, a report a second"
    )]
    Vague {
        /// What is open.
        what: &'static str,
        /// From [unit of what is open].
        low: f64,
        /// To [unit of what is open].
        high: f64,
    },
}

/// Fewest samples with duty.
const LEAST_SAMPLES: usize = 30;
/// Steps of the search in each round before it gives up.
const MOST_STEPS: u32 = 30;
/// A step that makes a plant likelier by less than this, in units of twice the log of its likelihood, is rest.
const NO_MORE: f64 = 0.01;
/// The variance is itself estimated, and from neighbours: widened by so much. Set by the coverage that tests found.
const OWN_DOUBT: f64 = 1.2;
/// Most times round of switches and noise, and how far a switch moves that is at rest [s].
const ROUNDS: u32 = 8;
const AT_REST_S: f64 = 0.01;
/// A room that no workshop has, beyond what is taken for it before the fit, in standard deviations.
const ROOM_OFF: f64 = 4.0;
/// Widest ratio between the ends of an interval that is still a plant.
const WIDEST: f64 = 3.0;

/// Lags to start from: τ2, L [s].
const STARTS: [(f64, f64); 5] = [(1.5, 0.6), (4.0, 1.2), (2.5, 3.0), (9.0, 1.5), (18.0, 3.0)];

/// What is taken for likely before the log is read: mean and standard deviation of each parameter.
///
/// Wide for what the log must say; the room is the block's own temperature where the log begins cold, else that of
/// a workshop. Judgement, no published source.
#[derive(Clone, Copy)]
struct Prior {
    mean: Theta,
    sd: Theta,
}

impl Prior {
    fn of(record: &Record) -> Self {
        let (room, doubt) = if record.cold {
            (record.first_c.min(40.0), 2.0)
        } else {
            (24.0, 7.0)
        };
        let inside = if record.cold { 1.0 } else { 15.0 };
        Self {
            mean: [6.1, 4.9, 1.1, 1.5, 0.03, room, record.first_c, 0.0, 0.0],
            sd: [0.9, 0.9, 1.2, 4.0, 0.1, doubt, 3.0, inside, 0.03],
        }
    }
}

/// What a fit works with; kept so that nothing is asked of the memory anew.
#[derive(Default)]
struct Work {
    residuals: Vec<f64>,
    impulse: Vec<f64>,
    columns: Vec<Vec<f64>>,
    /// What the switches were shifted by [s].
    shift_s: Vec<f64>,
}

/// A fit at one place: what is left over, and what it costs.
struct Fit {
    record: Record,
    target_c: f64,
    prior: Prior,
    /// Variance of one reading, widened for neighbours that say the same [K²].
    variance: f64,
}

impl Fit {
    /// What is left over, reading by reading, then what the switches had to be shifted, in the same unit; and the
    /// sum of squares of both.
    fn residuals(&self, p: &Theta, work: &mut Work) -> f64 {
        let r = &mut work.residuals;
        shown_by(p, &self.record, r);
        for (w, s) in r.iter_mut().zip(&self.record.shown) {
            *w = s.temp_c - *w;
        }
        self.shift_switches(p, work);
        dot(&work.residuals, &work.residuals)
    }
    /// Puts each switch where, between its two reports, it fits best: they enter linearly, and are solved for.
    fn shift_switches(&self, p: &Theta, work: &mut Work) {
        let (record, n) = (&self.record, self.record.shown.len());
        let m = record.switches.len();
        if m == 0 {
            return;
        }
        impulse(
            p,
            self.target_c,
            record.dt,
            record.steps + 2,
            &mut work.impulse,
        );
        let late = p[3] / record.dt;
        let response = |s: &Switch, at: &Shown| {
            #[allow(clippy::cast_precision_loss)]
            let since = at.step as f64 + at.part - s.at(record.dt) - late;
            if since <= 0.0 {
                return 0.0;
            }
            // OK because it is at most the record's length.
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            let whole = since as usize;
            let (a, b) = (work.impulse[whole], work.impulse[whole + 1]);
            -s.by * (a + (b - a) * since.fract())
        };
        work.columns.resize_with(m, Vec::new);
        for (c, s) in work.columns.iter_mut().zip(&record.switches) {
            c.clear();
            c.extend(record.shown.iter().map(|at| response(s, at)));
        }
        let sd = self.variance.sqrt();
        // A switch has touched nothing before it: its column begins there.
        let begin: Vec<usize> = work
            .columns
            .iter()
            .map(|c| c.iter().position(|v| *v != 0.0).unwrap_or(n))
            .collect();
        let normal = DMatrix::from_fn(m, m, |a, b| {
            if b > a {
                return 0.0;
            }
            let from = begin[a].max(begin[b]);
            let own = if a == b {
                (sd / record.switches[a].doubt_s).powi(2)
            } else {
                0.0
            };
            dot(&work.columns[a][from..], &work.columns[b][from..]) + own
        });
        let right = DVector::from_fn(m, |a, _| {
            let s = &record.switches[a];
            dot(&work.columns[a][begin[a]..], &work.residuals[begin[a]..])
                - (sd / s.doubt_s).powi(2) * s.moved_s
        });
        let Some(shift) = normal.cholesky().map(|c| c.solve(&right)) else {
            return;
        };
        work.shift_s.clear();
        work.shift_s.extend(shift.iter());
        for (a, c) in work.columns.iter().enumerate() {
            for (r, v) in work.residuals[begin[a]..].iter_mut().zip(&c[begin[a]..]) {
                *r -= shift[a] * v;
            }
        }
        work.residuals.extend(
            record
                .switches
                .iter()
                .zip(&work.shift_s)
                .map(|(s, by)| (s.moved_s + by) * sd / s.doubt_s),
        );
    }
    fn prior_cost(&self, p: &Theta) -> f64 {
        (0..N)
            .map(|i| ((p[i] - self.prior.mean[i]) / self.prior.sd[i]).powi(2))
            .sum()
    }
    /// Twice the negative logarithm of what is likely, up to a constant.
    fn cost(&self, p: &Theta, work: &mut Work) -> f64 {
        let rss = self.residuals(p, work);
        if rss.is_finite() {
            rss / self.variance + self.prior_cost(p)
        } else {
            f64::INFINITY
        }
    }
    /// Normal matrix and gradient at `p`, whose residuals are `here`.
    fn normal(&self, p: &Theta, here: &[f64]) -> (SMatrix<f64, N, N>, SVector<f64, N>) {
        let column = |i: usize, work: &mut Work| {
            let h = [1e-4, 1e-4, 1e-3, 2e-3, 1e-4, 1e-3, 1e-3, 1e-3, 1e-4][i];
            let mut q = *p;
            q[i] += h;
            self.residuals(&q, work);
            let slopes = here.iter().zip(&work.residuals);
            slopes.map(|(a, b)| (a - b) / h).collect::<Vec<f64>>()
        };
        let columns: Vec<Vec<f64>> = std::thread::scope(|s| {
            let other = s.spawn(|| {
                let mut work = Work::default();
                (N / 2..N).map(|i| column(i, &mut work)).collect::<Vec<_>>()
            });
            let mut work = Work::default();
            let mut all: Vec<_> = (0..N / 2).map(|i| column(i, &mut work)).collect();
            all.extend(other.join().unwrap_or_default());
            all
        });
        let normal = SMatrix::from_fn(|a, b| {
            let own = if a == b {
                self.prior.sd[a].powi(-2)
            } else {
                0.0
            };
            dot(&columns[a], &columns[b]) / self.variance + own
        });
        let gradient = SVector::from_fn(|a, _| {
            dot(&columns[a], here) / self.variance
                + (self.prior.mean[a] - p[a]) / self.prior.sd[a].powi(2)
        });
        (normal, gradient)
    }
    /// Levenberg-Marquardt from `p`: where it came to, the cost there, steps taken, and whether it came to rest.
    fn descend(&self, mut p: Theta, most: u32) -> (Theta, f64, u32, bool) {
        let (mut here, mut tried) = (Work::default(), Work::default());
        let mut cost = self.cost(&p, &mut here);
        let mut lambda = 1e-2;
        for taken in 1..=most {
            let (normal, gradient) = self.normal(&p, &here.residuals);
            let before = cost;
            let mut better = false;
            for _ in 0..10 {
                let mut damped = normal;
                for i in 0..N {
                    damped[(i, i)] *= 1.0 + lambda;
                }
                if let Some(step) = damped.lu().solve(&gradient) {
                    let mut q = p;
                    for i in 0..N {
                        q[i] += step[i];
                    }
                    let q = bounded(q);
                    let c = self.cost(&q, &mut tried);
                    if c < cost {
                        (p, cost) = (q, c);
                        std::mem::swap(&mut here, &mut tried);
                        lambda = (lambda * 0.2).max(1e-9);
                        better = true;
                        break;
                    }
                }
                lambda *= 4.0;
            }
            if !better || before - cost < NO_MORE {
                return (p, cost, taken, true);
            }
        }
        (p, cost, most, false)
    }
}

/// Fits a body to a log with heater duty and says what plants about `target_c` [°C] the log allows.
///
/// Output error by Levenberg-Marquardt on a heated mass with curved loss, a sensor lag and a dead time, over the
/// whole record; then plants drawn about it and weighed by how well each fits. Neighbouring residuals that say the
/// same count as fewer. When the heater switched between two reports isn't known: each switch is put where it fits,
/// between them.
///
/// Source: Levenberg 1944, Marquardt 1963; sampling importance resampling, Rubin 1988; effective number of
/// correlated readings, Bartlett 1946. Domain: log of a heat-up, a relay test or any run in which the heater was
/// worked.
/// # Errors
/// [`IdentifyError`].
pub fn identify(trace: &Trace, target_c: f64) -> Result<Identification, IdentifyError> {
    let record = Record::new(trace)?;
    let prior = Prior::of(&record);
    let rise = first_rise(&record);
    let readings = record.shown.len();
    let mut fit = Fit {
        record,
        target_c,
        prior,
        variance: 1.0,
    };
    let mut best: Option<(Theta, f64)> = None;
    let mut iterations = 0;
    for (tau2, delay) in STARTS {
        let mut p = prior.mean;
        p[2] = f64::ln(tau2);
        p[3] = delay;
        if let Some(rise) = rise {
            p[0] = (rise * p[1].exp()).max(60.0).ln();
        }
        let (p, cost, steps, _) = fit.descend(bounded(p), 5);
        iterations += steps;
        if best.is_none_or(|(_, c)| cost < c) {
            best = Some((p, cost));
        }
    }
    let no_fit = |residual_c| IdentifyError::NoFit { residual_c };
    let (mut p, _) = best
        .filter(|(_, c)| c.is_finite())
        .ok_or(no_fit(f64::NAN))?;
    let mut work = Work::default();
    // The noise is known only once the rest is, and a switch moves as the rest does: round again until none moves.
    let mut rested = false;
    for round in 0..ROUNDS {
        fit.residuals(&p, &mut work);
        fit.variance = variance(&work.residuals[..readings]);
        let moved = std::mem::take(&mut work.shift_s);
        if round >= 3 && moved.iter().all(|m| m.abs() < AT_REST_S) {
            break;
        }
        fit.record.move_switches(&moved);
        let (q, _, steps, done) = fit.descend(p, MOST_STEPS);
        (p, rested) = (q, done);
        iterations += steps;
    }
    fit.residuals(&p, &mut work);
    let left = &work.residuals[..readings];
    let rss = dot(left, left);
    fit.variance = variance(&work.residuals[..readings]);
    #[allow(clippy::cast_precision_loss)]
    let residual_c = (rss / readings as f64).sqrt();
    let (low, high) = fit
        .record
        .shown
        .iter()
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), s| {
            (l.min(s.temp_c), h.max(s.temp_c))
        });
    if !residual_c.is_finite() || residual_c > 0.05 * (high - low) + 1.0 {
        return Err(no_fit(residual_c));
    }
    if !rested {
        return Err(IdentifyError::NotSettled);
    }
    if (p[5] - prior.mean[5]).abs() > ROOM_OFF * prior.sd[5] {
        return Err(IdentifyError::Room { room_c: p[5] });
    }
    let ensemble = ensemble::draw(&fit, &p, target_c);
    let known = ensemble::known(&ensemble);
    for (what, i) in [
        ("rise at full duty", known.rise_c_s),
        ("ultimate gain", known.ku),
    ] {
        if i.high > WIDEST * i.low {
            return Err(IdentifyError::Vague {
                what,
                low: i.low,
                high: i.high,
            });
        }
    }
    Ok(Identification {
        found: Identified {
            plant: plant_at(&p, target_c),
            residual_c,
            known: Some(known),
            samples: u32::try_from(readings).unwrap_or(u32::MAX),
            iterations,
        },
        ensemble,
    })
}

/// Steepest rise of the log over ten seconds or three samples [°C/s]: where the search begins.
fn first_rise(record: &Record) -> Option<f64> {
    let s = &record.shown;
    // OK because a window of readings is few.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let window = ((10.0 / record.period_s).ceil() as usize).max(3);
    s.windows(window + 1)
        .map(|w| {
            #[allow(clippy::cast_precision_loss)]
            let time = (w[window].step - w[0].step).max(1) as f64 * record.dt;
            (w[window].temp_c - w[0].temp_c) / time
        })
        .max_by(f64::total_cmp)
        .filter(|r| *r > 0.05)
}

/// Variance of a reading, widened for neighbours that say the same thing.
fn variance(residuals: &[f64]) -> f64 {
    let (n, rss) = (residuals.len(), dot(residuals, residuals));
    let lag_one = (dot(&residuals[1..], &residuals[..n - 1]) / rss.max(1e-12)).clamp(0.0, 0.98);
    #[allow(clippy::cast_precision_loss)]
    let free = (n.saturating_sub(N)).max(1) as f64;
    (rss / free).max(1e-4) * (1.0 + lag_one) / (1.0 - lag_one) * OWN_DOUBT
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(x, y)| x * y).sum()
}

/// How far below its target an autotune begins [°C]: the heat-up before the swing shows the slow lag,
/// which the swing alone doesn't.
pub const AUTOTUNE_BELOW_C: f64 = 65.0;
