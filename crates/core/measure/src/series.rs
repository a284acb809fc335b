//! A series of readings of one quantity.

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

/// The mean of fresh readings with its uncertainty.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FreshMean {
    /// Mean and scatter.
    pub series: Series,
    /// Combined standard uncertainty of the mean.
    pub combined: Combined,
    /// Whether the uncertainty rests on the instrument alone (one reading, or a scatter smaller
    /// than the instrument can see).
    pub instrument_alone: bool,
}

/// Uncertainty of the mean of readings that were each set up afresh.
///
/// Formula: u² = max(s², a²/3 · k)/n + u_shared² + (scale·mean)²/3, with a the half-width of one
/// reading and k = `readings_each` (2 where every value is the difference of two readings).
/// Fresh readings have independent errors, so their part shrinks with n; the shared zero and the
/// scale don't. The scatter counts with n - 1 degrees of freedom where it exceeds what the
/// instrument explains, otherwise the type B limit stands.
///
/// Source: JCGM 100:2008, 4.2.3, 4.3.7, 5.1.2; taking the larger of scatter and limit is common
/// practice, no published source. Domain: finite values; none for an empty slice.
#[must_use]
pub fn fresh_mean(
    values: &[f64],
    instrument: &Instrument,
    readings_each: f64,
) -> Option<FreshMean> {
    let series = Series::of(values)?;
    let combined = u_of_mean(series.s, series.n, series.mean, instrument, readings_each);
    let limit = (readings_each / 3.0).sqrt() * instrument.half_width;
    Some(FreshMean {
        series,
        combined,
        instrument_alone: series.n == 1 || series.s <= limit,
    })
}

/// The uncertainty that [`fresh_mean`] would have for this scatter and count.
pub fn u_of_mean(
    s: f64,
    n: usize,
    mean: f64,
    instrument: &Instrument,
    readings_each: f64,
) -> Combined {
    // OK because counts are small.
    #[allow(clippy::cast_precision_loss)]
    let count = n as f64;
    let limit = (readings_each / 3.0).sqrt() * instrument.half_width;
    let scatter_rules = n > 1 && s > limit;
    let (u_one, dof) = if scatter_rules {
        (s, count - 1.0)
    } else {
        (limit, f64::INFINITY)
    };
    let root3 = 3.0_f64.sqrt();
    combine(&[
        Component {
            u: u_one / count.sqrt(),
            sensitivity: 1.0,
            dof,
        },
        Component::type_b(instrument.shared_half_width / root3, 1.0),
        Component::type_b(instrument.scale_fraction * mean.abs() / root3, 1.0),
    ])
}
