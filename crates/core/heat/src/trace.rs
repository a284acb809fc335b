//! A temperature log.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// One moment of a log. Temperatures [°C], duty and fan 0 to 1; what the log doesn't say is none.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Sample {
    /// Seconds from the log's start.
    pub t_s: f64,
    /// Temperature shown [°C].
    pub temp_c: f64,
    /// Target [°C]; 0 for off.
    #[serde(default)]
    pub target_c: Option<f64>,
    /// Heater duty, 0 to 1.
    #[serde(default)]
    pub duty: Option<f64>,
    /// Part fan, 0 to 1.
    #[serde(default)]
    pub fan: Option<f64>,
}

/// A log: samples of rising time.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Trace {
    /// The samples.
    pub samples: Vec<Sample>,
}

impl Trace {
    /// Keeps what is finite, plausible as numbers, and later than what came before.
    #[must_use]
    pub fn new(samples: impl IntoIterator<Item = Sample>) -> Self {
        let mut kept: Vec<Sample> = Vec::new();
        for s in samples {
            let fine = s.t_s.is_finite() && s.temp_c.is_finite() && s.temp_c.abs() < 2_000.0;
            if fine && kept.last().is_none_or(|l| s.t_s > l.t_s) {
                kept.push(s);
            }
        }
        Self { samples: kept }
    }

    /// The same log with a target [°C] given beside it, where it has none of its own.
    #[must_use]
    pub fn with_target(mut self, target_c: f64) -> Self {
        if self.samples.iter().all(|s| s.target_c.is_none()) {
            for s in &mut self.samples {
                s.target_c = Some(target_c);
            }
        }
        self
    }

    /// Length [s].
    #[must_use]
    pub fn span_s(&self) -> f64 {
        match (self.samples.first(), self.samples.last()) {
            (Some(a), Some(b)) => b.t_s - a.t_s,
            _ => 0.0,
        }
    }

    /// Median time between samples [s]; 1 for fewer than two samples.
    #[must_use]
    pub fn period_s(&self) -> f64 {
        let mut gaps: Vec<f64> = self
            .samples
            .windows(2)
            .map(|w| w[1].t_s - w[0].t_s)
            .collect();
        if gaps.is_empty() {
            return 1.0;
        }
        let middle = gaps.len() / 2;
        let (_, m, _) = gaps.select_nth_unstable_by(middle, f64::total_cmp);
        *m
    }

    /// The part from `from_s` to `to_s`.
    #[must_use]
    pub fn between(&self, from_s: f64, to_s: f64) -> Self {
        Self {
            samples: self
                .samples
                .iter()
                .filter(|s| s.t_s >= from_s && s.t_s <= to_s)
                .copied()
                .collect(),
        }
    }

    /// Time [s] of the first sample at or above `temp_c`.
    #[must_use]
    pub fn first_reaching_s(&self, temp_c: f64) -> Option<f64> {
        self.samples
            .iter()
            .find(|s| s.temp_c >= temp_c)
            .map(|s| s.t_s)
    }

    /// Target that stood longest, by samples.
    #[must_use]
    pub fn main_target_c(&self) -> Option<f64> {
        let mut counts: std::collections::BTreeMap<i64, usize> = std::collections::BTreeMap::new();
        for t in self
            .samples
            .iter()
            .filter_map(|s| s.target_c)
            .filter(|t| *t > 0.0)
        {
            // OK because a temperature in tenths is far inside an i64.
            #[allow(clippy::cast_possible_truncation)]
            let tenths = (t * 10.0).round() as i64;
            *counts.entry(tenths).or_default() += 1;
        }
        // OK because tenths of a plausible temperature are exact.
        #[allow(clippy::cast_precision_loss)]
        counts
            .into_iter()
            .max_by_key(|(_, n)| *n)
            .map(|(t, _)| t as f64 / 10.0)
    }
}
