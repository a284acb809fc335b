//! Predictions against the clock: what a printer's times are multiplied by.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::{Combined, expanded};

/// How far a prediction is off before any print was timed, as a share. Judgement, no published source: what a
/// board does at its buffers and between lines is some per cent of a print.
const DOUBT: f64 = 0.05;
/// Degrees of freedom of that doubt: it is known to a quarter (JCGM 100:2008, G.4.2).
const DOUBT_DOF: f64 = 8.0;
/// Confidence of what is stated.
const LEVEL: f64 = 0.95;

/// What the times of a printer are multiplied by, found from its finished prints.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[schema(as = ClockFactor)]
pub struct Factor {
    /// Clock over prediction [1].
    pub value: f64,
    /// Its expanded uncertainty at 95 % [1].
    pub u: f64,
    /// How far a single print may be off it, expanded at 95 % [1].
    pub spread: f64,
    /// Prints it rests on; a number of.
    pub prints: usize,
}

/// The factor of a printer from (predicted, taken) pairs [s].
///
/// Mean of the ratios; their scatter pooled with a doubt of 5 % that is itself known to a quarter (JCGM 100:2008,
/// 4.2.3, G.4.2, H.3.6), so that one print alone promises nothing; a single print by the same variance and one more
/// (prediction interval). Domain: positive, finite; others are left out. None without a pair.
#[must_use]
pub fn factor_of(pairs: &[(f64, f64)]) -> Option<Factor> {
    let ratios: Vec<f64> = pairs
        .iter()
        .filter(|(p, t)| *p > 0.0 && *t > 0.0 && p.is_finite() && t.is_finite())
        .map(|(p, t)| t / p)
        .collect();
    if ratios.is_empty() {
        return None;
    }
    // OK because prints of a workshop count far below 2^52.
    #[allow(clippy::cast_precision_loss)]
    let n = ratios.len() as f64;
    let value = ratios.iter().sum::<f64>() / n;
    let squares: f64 = ratios.iter().map(|r| (r - value).powi(2)).sum();
    let dof = DOUBT_DOF + n - 1.0;
    let own = DOUBT * value;
    let pooled = (DOUBT_DOF * own * own + squares) / dof;
    let stated = |u: f64| expanded(Combined { u, dof }, LEVEL).ok();
    Some(Factor {
        value,
        u: stated((pooled / n).sqrt())?,
        spread: stated((pooled * (1.0 + 1.0 / n)).sqrt())?,
        prints: ratios.len(),
    })
}
