//! How long it must run clean until a complaint counts as gone.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, StudentsT};
use wattotherm_measure::text::{duration_min, plain};

use crate::context::{Comes, Context};
use crate::house::ToleranceId;

/// Least spread of the logarithms of times that come at "about the same point": ten percent, common practice,
/// no source. Two times that agree to the minute say little of the third.
const LEAST_SPREAD: f64 = 0.1;
/// From one time alone, so many times that. Common practice, no source, and no probability.
const ONE_TIME: f64 = 2.0;

/// The probability that a fault which is still there shows within a run, and comes at random.
///
/// Formula: 1 − (1 + t/(n·θ̂))^(−n), from n times with mean θ̂: an exponential time of unknown mean with the
/// scale-free prior 1/θ, integrated over what the times leave open. Equals the distribution function of
/// F(2, 2n) at t/θ̂. Source: Gelman et al., "Bayesian Data Analysis", 2.6 to 2.8 (from memory); checked by Monte Carlo and
/// against a reference library. Domain: times > 0 [min], t ≥ 0 [min]; none for no times.
#[must_use]
pub fn shown_at_random(times_min: &[f64], run_min: f64) -> Option<f64> {
    let total: f64 = times_min.iter().sum();
    // OK because complaints are counted in tens.
    #[allow(clippy::cast_precision_loss)]
    let n = times_min.len() as f64;
    (total > 0.0).then(|| 1.0 - (1.0 + run_min / total).powf(-n))
}

/// The run [min] within which a fault that comes at random would have shown with probability `p`: the inverse
/// of [`shown_at_random`]. Domain: 0 < p < 1.
#[must_use]
pub fn run_at_random_min(times_min: &[f64], p: f64) -> Option<f64> {
    let total: f64 = times_min.iter().sum();
    #[allow(clippy::cast_precision_loss)]
    let n = times_min.len() as f64;
    (total > 0.0).then(|| total * ((1.0 - p).powf(-1.0 / n) - 1.0))
}

/// Mean and standard deviation of the logarithms of times, and the predictive Student distribution's scale.
fn logarithms(times_min: &[f64]) -> Option<(f64, f64, StudentsT)> {
    if times_min.len() < 2 {
        return None;
    }
    #[allow(clippy::cast_precision_loss)]
    let n = times_min.len() as f64;
    let mean = times_min.iter().map(|t| t.ln()).sum::<f64>() / n;
    let variance = times_min
        .iter()
        .map(|t| (t.ln() - mean).powi(2))
        .sum::<f64>()
        / (n - 1.0);
    let spread = variance.sqrt().max(LEAST_SPREAD);
    let student = StudentsT::new(0.0, 1.0, n - 1.0).ok()?;
    Some((mean, spread * (1.0 + 1.0 / n).sqrt(), student))
}

/// The probability that a fault which is still there shows within a run, and always comes at about the same
/// point.
///
/// The next logarithm of a time is Student-distributed with n − 1 degrees of freedom about the mean of the
/// logarithms, with scale s·√(1 + 1/n): the prediction interval of a normal sample. Source: ISO 16269-8:2004 (from
/// memory). None from fewer than two times.
#[must_use]
pub fn shown_at_same_point(times_min: &[f64], run_min: f64) -> Option<f64> {
    let (mean, scale, student) = logarithms(times_min)?;
    Some(student.cdf((run_min.max(1e-9).ln() - mean) / scale))
}

/// The run [min] within which such a fault would have shown with probability `p`: the inverse of
/// [`shown_at_same_point`].
#[must_use]
pub fn run_at_same_point_min(times_min: &[f64], p: f64) -> Option<f64> {
    let (mean, scale, student) = logarithms(times_min)?;
    Some((mean + student.inverse_cdf(p) * scale).exp())
}

/// How long the acceptance run has to be, and what that rests on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RunLength {
    /// The run [min].
    pub minutes: f64,
    /// Least run of the house [min].
    pub least_min: f64,
    /// Longest run of the house [min].
    #[serde(default)]
    pub most_min: f64,
    /// How the complaint comes.
    #[serde(default)]
    pub comes: Comes,
    /// Times to failure that were noted.
    pub times: usize,
    /// Their mean [min]; none without any.
    pub mean_min: Option<f64>,
    /// Clean run by the times alone [min].
    pub needed_min: Option<f64>,
    /// Probability that is wanted [%].
    pub percent: f64,
    /// Probability that the run reaches [%]; none where none can be claimed.
    #[serde(default)]
    pub reaches_percent: Option<f64>,
}

/// Works out the clean run from the complaint's times to failure and the house rules.
#[must_use]
pub fn run_length(context: &Context) -> RunLength {
    let least_min = context.house.tolerance(ToleranceId::CleanRunLeastMin);
    let most_min = context
        .house
        .tolerance(ToleranceId::CleanRunMostMin)
        .max(least_min);
    let percent = context.house.tolerance(ToleranceId::CleanConfidencePercent);
    let times: Vec<f64> = context
        .failure_times_min
        .iter()
        .copied()
        .filter(|t| t.is_finite() && *t > 0.0)
        .collect();
    // OK because complaints are counted in tens.
    #[allow(clippy::cast_precision_loss)]
    let mean = times.iter().sum::<f64>() / times.len().max(1) as f64;
    let mean_min = (!times.is_empty()).then_some(mean);
    let p = percent / 100.0;
    let needed_min = match context.comes {
        Comes::AtRandom => run_at_random_min(&times, p),
        Comes::SamePoint => {
            run_at_same_point_min(&times, p).or_else(|| mean_min.map(|m| ONE_TIME * m))
        }
    };
    let minutes = needed_min.unwrap_or(least_min).clamp(least_min, most_min);
    let reaches = match context.comes {
        Comes::AtRandom => shown_at_random(&times, minutes),
        Comes::SamePoint => shown_at_same_point(&times, minutes),
    };
    RunLength {
        minutes,
        least_min,
        most_min,
        comes: context.comes,
        times: times.len(),
        mean_min,
        needed_min,
        percent,
        reaches_percent: reaches.map(|r| 100.0 * r),
    }
}

/// "9 in 10", "2 in 3", "99 in 100" of a probability [%], rounded down.
fn of_such_runs(percent: f64) -> String {
    let found = [
        (1, 4),
        (1, 3),
        (1, 2),
        (2, 3),
        (3, 4),
        (4, 5),
        (9, 10),
        (19, 20),
        (99, 100),
    ]
    .into_iter()
    .rfind(|(k, n)| f64::from(*k) / f64::from(*n) <= percent / 100.0 + 1e-6);
    match found {
        Some((k, n)) => format!("{k} in {n} such runs"),
        None => format!("{} % of such runs", plain(percent, 0)),
    }
}

impl RunLength {
    /// What it rests on, in a sentence or two.
    #[must_use]
    pub fn why(&self) -> String {
        let (Some(mean), Some(needed)) = (self.mean_min, self.needed_min) else {
            return format!(
                "No time to failure was noted, so the house’s least run of {} applies.",
                duration_min(self.least_min)
            );
        };
        let seen = match (self.comes, self.times) {
            (Comes::AtRandom, 1) => format!("It came once, after {}.", duration_min(mean)),
            (Comes::AtRandom, n) => format!(
                "It came {n} times at random, after {} on average.",
                duration_min(mean)
            ),
            (Comes::SamePoint, _) => {
                format!("It always came after about {}.", duration_min(mean))
            }
        };
        let shows = match self.reaches_percent {
            Some(p) => format!(
                "had the fault still been there, {} would have shown it.",
                of_such_runs(p)
            ),
            None => "twice that time, as is common practice; from one time no probability follows."
                .into(),
        };
        let cut = if needed > self.most_min {
            format!(
                " {} % would take {}; the house’s longest run is {}.",
                plain(self.percent, 1),
                duration_min(needed),
                duration_min(self.most_min)
            )
        } else {
            String::new()
        };
        format!(
            "{seen} A clean run of {}: {shows}{cut}",
            duration_min(self.minutes)
        )
    }
}
