//! How long a clean run has to be until a complaint is shown gone.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ChiSquared, ContinuousCDF};
use wattotherm_measure::text::{duration_min, plain};

use crate::context::Context;
use crate::house::ToleranceId;

/// Clean running time [min] after which a fault with mean time `mean_min` is shown gone.
///
/// Formula: t = -θ·ln(1 - c). Source: exponential test plan without failure, IEC 60605-4 /
/// MIL-HDBK-781A. Domain: mean > 0, 0 < confidence < 1.
#[must_use]
pub fn clean_run_min(mean_min: f64, confidence: f64) -> f64 {
    debug_assert!(mean_min > 0.0 && confidence > 0.0 && confidence < 1.0);
    -mean_min * (1.0 - confidence).ln()
}

/// Two-sided bounds of the mean time [min] from times to failure, at 90 %.
///
/// Formula: 2T/χ²(0.95; 2r) ≤ θ ≤ 2T/χ²(0.05; 2r) with r failures in a total time T.
/// Source: IEC 60605-4 / MIL-HDBK-781A (failure-terminated). Domain: all times > 0; none if empty.
#[must_use]
pub fn mean_time_bounds_min(times_min: &[f64]) -> Option<(f64, f64)> {
    if times_min.is_empty() {
        return None;
    }
    let total: f64 = times_min.iter().sum();
    // OK because complaints are counted in tens.
    #[allow(clippy::cast_precision_loss)]
    let chi = ChiSquared::new(2.0 * times_min.len() as f64).ok()?;
    Some((
        2.0 * total / chi.inverse_cdf(0.95),
        2.0 * total / chi.inverse_cdf(0.05),
    ))
}

/// How long the acceptance run has to be, and what that rests on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RunLength {
    /// The run [min].
    pub minutes: f64,
    /// Least run of the house [min].
    pub least_min: f64,
    /// Times to failure that were noted.
    pub times: usize,
    /// Their mean [min]; none without any.
    pub mean_min: Option<f64>,
    /// Bounds of the mean at 90 % [min], from more than one time.
    pub bounds_min: Option<(f64, f64)>,
    /// Clean run by the mean alone [min].
    pub needed_min: Option<f64>,
    /// Confidence [%].
    pub percent: f64,
}

/// Works out the clean run from the complaint's times to failure and the house rules.
#[must_use]
pub fn run_length(context: &Context) -> RunLength {
    let least_min = context.house.tolerance(ToleranceId::CleanRunLeastMin);
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
    let needed_min = mean_min.map(|m| clean_run_min(m, percent / 100.0));
    RunLength {
        minutes: needed_min.unwrap_or(least_min).max(least_min),
        least_min,
        times: times.len(),
        mean_min,
        bounds_min: mean_time_bounds_min(&times).filter(|_| times.len() > 1),
        needed_min,
        percent,
    }
}

impl RunLength {
    /// What it rests on, in a sentence or two.
    #[must_use]
    pub fn why(&self) -> String {
        let (Some(mean), Some(needed)) = (self.mean_min, self.needed_min) else {
            return format!(
                "No time to failure was noted, so the house's least run of {} applies.",
                duration_min(self.least_min)
            );
        };
        let bounds = self.bounds_min.map_or(String::new(), |(low, high)| {
            format!(
                " From {} times the mean lies between {} and {} (90 %).",
                self.times,
                duration_min(low),
                duration_min(high)
            )
        });
        format!(
            "The fault came after about {}. A clean run of {} ({} times that) shows it gone with {} % confidence.{bounds}",
            duration_min(mean),
            duration_min(needed),
            plain(needed / mean, 1),
            plain(self.percent, 1)
        )
    }
}
