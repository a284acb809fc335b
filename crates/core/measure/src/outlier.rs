//! Readings that are far from the others of their series.

use statrs::distribution::{ContinuousCDF, StudentsT};

/// For fewer readings than this no test has power.
const TESTED_FROM: usize = 5;
/// For few readings: so many times the spread of the others, or what the instrument can be off by.
const FAR_TIMES: f64 = 5.0;
/// Chance that Grubbs' test asks about a reading that is none.
const LEVEL: f64 = 0.01;

/// Greatest distance from the mean [standard deviations] that `n` readings of one normal quantity have but
/// once in a hundred series.
///
/// Formula: (n − 1)/√n · √(t²/(n − 2 + t²)), t the upper α/(2n) point of Student's distribution with n − 2 degrees
/// of freedom. Source: Grubbs 1969; NIST/SEMATECH e-Handbook 1.3.5.17.1. None below three readings.
#[must_use]
pub fn grubbs_critical(n: usize, level: f64) -> Option<f64> {
    // OK because a series has far fewer than 2^52 readings.
    #[allow(clippy::cast_precision_loss)]
    let count = n as f64;
    if n < 3 {
        return None;
    }
    let t = StudentsT::new(0.0, 1.0, count - 2.0)
        .ok()?
        .inverse_cdf(1.0 - level / (2.0 * count));
    Some((count - 1.0) / count.sqrt() * (t * t / (count - 2.0 + t * t)).sqrt())
}

fn middle(sorted: &[f64]) -> f64 {
    let n = sorted.len();
    f64::midpoint(sorted[(n - 1) / 2], sorted[n / 2])
}

/// The reading farthest from the others where it is too far, with its distance from their median; none where
/// all agree. One at a time: a second one is asked about when the first is settled.
#[must_use]
pub(crate) fn far(values: &[f64], least: f64) -> Option<(usize, f64)> {
    if values.len() < 3 {
        return None;
    }
    let mut worst: Option<(usize, f64, f64)> = None;
    for (i, v) in values.iter().enumerate() {
        let mut others: Vec<f64> = values.to_vec();
        others.remove(i);
        others.sort_by(f64::total_cmp);
        let distance = (v - middle(&others)).abs();
        let spread = others[others.len() - 1] - others[0];
        if worst.is_none_or(|(_, d, _)| distance > d) {
            worst = Some((i, distance, spread));
        }
    }
    let (i, distance, spread) = worst?;
    let asked = if values.len() < TESTED_FROM {
        distance > FAR_TIMES * least.max(spread)
    } else {
        // OK because a series has far fewer than 2^52 readings.
        #[allow(clippy::cast_precision_loss)]
        let n = values.len() as f64;
        let mean = values.iter().sum::<f64>() / n;
        let s = (values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / (n - 1.0)).sqrt();
        // What the instrument can be off by is no outlier, however well the others agree.
        distance > 2.0 * least
            && grubbs_critical(values.len(), LEVEL)
                .is_some_and(|g| (values[i] - mean).abs() > g * s)
    };
    asked.then_some((i, distance))
}
