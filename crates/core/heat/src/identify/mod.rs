//! A plant from a log: what the heater was given and what the sensor showed, the whole record from cold.
//!
//! The answer is never a plant alone: it is the plants that the log allows, drawn from what it says.

mod body;
mod ensemble;
mod fit;
mod record;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::interval::Interval;
use super::model::Plant;
use super::relay::ultimate_of;
use super::trace::Trace;
use body::{Theta, bounded, plant_at};
use fit::{Fit, Prior, Work, dot, variance};
use record::Record;

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
        "none fits this log (it leaves {residual_c:.1} °C over): look for a fault before tuning"
    )]
    NoFit {
        /// What the best plant leaves over [°C].
        residual_c: f64,
    },
    /// The search ran out of steps before it came to rest.
    #[error("the search came to no end: log a heat-up from cold and an autotune")]
    NotSettled,
    /// The room would have to be somewhere else.
    #[error(
        "what fits this log would need a room of {room_c:.0} °C: log a heat-up from cold and an autotune"
    )]
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
/// Steps from each of the usual lags before the likeliest is chosen.
const START_STEPS: u32 = 5;
/// Fewest and most times round of switches and noise, and how far a switch moves that is at rest [s].
const LEAST_ROUNDS: u32 = 3;
const ROUNDS: u32 = 8;
const AT_REST_S: f64 = 0.01;
/// A room that no workshop has: so many standard deviations from what is taken for it before the fit. Judgement, no
/// published source.
const ROOM_OFF: f64 = 4.0;
/// Widest ratio between the ends of an interval that is still a plant. Judgement, no published source.
const WIDEST: f64 = 3.0;

/// Lags to start from: τ2, L [s].
const STARTS: [(f64, f64); 5] = [(1.5, 0.6), (4.0, 1.2), (2.5, 3.0), (9.0, 1.5), (18.0, 3.0)];

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
    let readings = record.shown.len();
    let mut fit = Fit {
        record,
        target_c,
        prior,
        variance: 1.0,
    };
    let no_fit = |residual_c| IdentifyError::NoFit { residual_c };
    let start = best_start(&fit).ok_or(no_fit(f64::NAN))?;
    let (p, iterations, rested) = come_to_rest(&mut fit, start);
    let mut work = Work::default();
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
        ("rise at full duty, °C/s,", known.rise_c_s),
        ("ultimate gain, duty/°C,", known.ku),
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

/// The likeliest of the usual lags after a few steps downhill.
fn best_start(fit: &Fit) -> Option<Theta> {
    let rise = first_rise(&fit.record);
    let tries = STARTS.map(|(tau2, delay)| {
        let mut p = fit.prior.mean;
        p[2] = f64::ln(tau2);
        p[3] = delay;
        if let Some(rise) = rise {
            p[0] = (rise * p[1].exp()).max(60.0).ln();
        }
        let (p, cost, ..) = fit.descend(bounded(p), START_STEPS);
        (p, cost)
    });
    let finite = tries.into_iter().filter(|(_, cost)| cost.is_finite());
    finite.min_by(|a, b| a.1.total_cmp(&b.1)).map(|(p, _)| p)
}

/// Downhill until nothing moves: where it came to, steps taken, and whether it came to rest. The noise is known only
/// once the rest is, and a switch moves as the rest does: round again until none does.
fn come_to_rest(fit: &mut Fit, mut p: Theta) -> (Theta, u32, bool) {
    let readings = fit.record.shown.len();
    let mut work = Work::default();
    let (mut iterations, mut rested) = (0, false);
    for round in 0..ROUNDS {
        fit.residuals(&p, &mut work);
        fit.variance = variance(&work.residuals[..readings]);
        let moved = std::mem::take(&mut work.shift_s);
        if round >= LEAST_ROUNDS && moved.iter().all(|m| m.abs() < AT_REST_S) {
            break;
        }
        fit.record.move_switches(&moved);
        let (q, _, steps, done) = fit.descend(p, MOST_STEPS);
        (p, rested) = (q, done);
        iterations += steps;
    }
    (p, iterations, rested)
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

/// How far below its target an autotune begins [°C]: the heat-up before the swing shows the slow lag,
/// which the swing alone doesn't.
pub const AUTOTUNE_BELOW_C: f64 = 65.0;
