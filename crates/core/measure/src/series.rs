//! A series of readings of one quantity, and what its uncertainty is made of.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, FisherSnedecor};
use utoipa::ToSchema;

use super::{Combined, Component, Instrument, combine};

/// Mean and scatter of readings.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Series {
    /// How many readings.
    pub n: usize,
    /// Arithmetic mean [unit of the readings].
    pub mean: f64,
    /// Experimental standard deviation [unit of the readings]; 0 for a single reading.
    pub s: f64,
}

impl Series {
    /// Mean and standard deviation of `values`; none for an empty slice.
    ///
    /// Source: JCGM 100:2008, 4.2.1 and 4.2.2. Two passes, so that a large mean with a small
    /// scatter keeps its digits.
    #[must_use]
    pub fn of(values: &[f64]) -> Option<Self> {
        if values.is_empty() {
            return None;
        }
        // OK because a series has far fewer than 2^52 readings.
        #[allow(clippy::cast_precision_loss)]
        let n = values.len() as f64;
        let mean = values.iter().sum::<f64>() / n;
        let square: f64 = values.iter().map(|v| (v - mean).powi(2)).sum();
        let s = if values.len() > 1 {
            (square / (n - 1.0)).sqrt()
        } else {
            0.0
        };
        Some(Self {
            n: values.len(),
            mean,
            s,
        })
    }
}

/// Degrees of freedom of an instrument's limit: doubted by a quarter. Source: JCGM 100:2008, G.4.2 (½·0.25⁻² = 8).
const LIMIT_DOF: f64 = 8.0;
/// Chance that a scatter the instrument explains is said to be more.
const SCATTER_LEVEL: f64 = 0.01;

/// How one value of a series comes about.
#[derive(Clone, Copy, Debug)]
pub struct Reading<'a> {
    /// What it is read with.
    pub instrument: &'a Instrument,
    /// Readings of the instrument in one value [no unit]: 2 for a difference.
    pub each: f64,
    /// Half-width of what is set up afresh for each value besides, such as a mark on filament [unit of the
    /// readings].
    pub mark: f64,
}

impl<'a> Reading<'a> {
    /// One reading a value.
    #[must_use]
    pub const fn once(instrument: &'a Instrument) -> Self {
        Self {
            instrument,
            each: 1.0,
            mark: 0.0,
        }
    }

    /// Two readings a value, one of them at a mark within ±`mark` [unit of the readings].
    #[must_use]
    pub const fn from_a_mark(instrument: &'a Instrument, mark: f64) -> Self {
        Self {
            instrument,
            each: 2.0,
            mark,
        }
    }

    /// Variance of one value by instrument and mark.
    fn variances(&self) -> (f64, f64) {
        (
            self.each * self.instrument.half_width.powi(2) / 3.0,
            self.mark.powi(2) / 3.0,
        )
    }
}

/// What an uncertainty has a part from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PartOf {
    /// The instrument, each reading anew.
    Instrument,
    /// What is set up afresh for each value, such as a mark.
    Mark,
    /// Scatter beyond both.
    Scatter,
    /// The zero that all readings share.
    Zero,
    /// The instrument's scale.
    Scale,
    /// A density that a mass is compared by.
    Density,
}

/// A part of an uncertainty.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct BudgetPart {
    /// Of what.
    pub of: PartOf,
    /// Standard uncertainty that it gives the result [unit of the result].
    pub u: f64,
}

/// The mean of fresh readings with its uncertainty.
#[derive(Clone, Debug, PartialEq)]
pub struct FreshMean {
    /// Mean and scatter.
    pub series: Series,
    /// Combined standard uncertainty of the mean.
    pub combined: Combined,
    /// What it is made of, greatest first.
    pub parts: Vec<BudgetPart>,
    /// Whether the readings scatter more than the instrument explains, by an F test at 1 %.
    pub scatters: bool,
}

/// Uncertainty of the mean of readings that were each set up afresh.
///
/// Formula: u² = (ν0·σ0² + (n − 1)·s²)/((ν0 + n − 1)·n) + u_shared² + (scale·mean)²/3: the instrument's own variance
/// σ0² (rectangular, with what is set up afresh) with ν0 = 8 degrees of freedom, pooled with the scatter s² of
/// n − 1. Continuous in s, falls with n. Fresh readings have independent errors, so their part shrinks with n; the
/// shared zero and the scale don't. One reading stands on the limit alone, which it can't exceed.
///
/// Source: JCGM 100:2008, 4.2.3, 4.3.7, 5.1.2, G.4.2, and H.3.6 for pooling. Domain: finite values; none for an
/// empty slice.
#[must_use]
pub fn fresh_mean(values: &[f64], reading: &Reading<'_>) -> Option<FreshMean> {
    let series = Series::of(values)?;
    let (combined, parts) = budget(series.s, series.n, series.mean, reading);
    let (instrument, mark) = reading.variances();
    // OK because counts are small.
    #[allow(clippy::cast_precision_loss)]
    let free = series.n as f64 - 1.0;
    let scatters = series.n > 1
        && FisherSnedecor::new(free, LIMIT_DOF).is_ok_and(|f| {
            series.s.powi(2) > f.inverse_cdf(1.0 - SCATTER_LEVEL) * (instrument + mark)
        });
    Some(FreshMean {
        series,
        combined,
        parts,
        scatters,
    })
}

/// The uncertainty that [`fresh_mean`] would have for this scatter and count.
#[must_use]
pub fn u_of_mean(s: f64, n: usize, mean: f64, reading: &Reading<'_>) -> Combined {
    budget(s, n, mean, reading).0
}

fn budget(s: f64, n: usize, mean: f64, reading: &Reading<'_>) -> (Combined, Vec<BudgetPart>) {
    // OK because counts are small.
    #[allow(clippy::cast_precision_loss)]
    let count = n as f64;
    let (instrument, mark) = reading.variances();
    let own = instrument + mark;
    let (pooled, dof) = if n > 1 {
        let free = count - 1.0;
        (
            (LIMIT_DOF * own + free * s * s) / (LIMIT_DOF + free),
            LIMIT_DOF + free,
        )
    } else {
        (own, f64::INFINITY)
    };
    let root3 = 3.0_f64.sqrt();
    let zero = reading.instrument.shared_half_width / root3;
    let scale = reading.instrument.scale_fraction * mean.abs() / root3;
    let combined = combine(&[
        Component {
            u: (pooled / count).sqrt(),
            sensitivity: 1.0,
            dof,
        },
        Component::type_b(zero, 1.0),
        Component::type_b(scale, 1.0),
    ]);
    // What the pooled variance has beyond instrument and mark is scatter; where it has less, both share it.
    let shrunk = if own > 0.0 {
        (pooled / own).min(1.0)
    } else {
        0.0
    };
    let mut parts: Vec<BudgetPart> = [
        (PartOf::Instrument, (shrunk * instrument / count).sqrt()),
        (PartOf::Mark, (shrunk * mark / count).sqrt()),
        (PartOf::Scatter, ((pooled - own).max(0.0) / count).sqrt()),
        (PartOf::Zero, zero),
        (PartOf::Scale, scale),
    ]
    .into_iter()
    .filter(|(_, u)| *u > 0.0)
    .map(|(of, u)| BudgetPart { of, u })
    .collect();
    parts.sort_by(|a, b| b.u.total_cmp(&a.u));
    (combined, parts)
}
