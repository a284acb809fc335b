//! A tower: scores of bands to the plateau of good values.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, FisherSnedecor};
use wattotherm_measure::{CONFIDENCE, least_squares, t_two_sided};

use crate::scatter::pooled;

/// A band as it was scored.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct TowerBand {
    /// Its value [unit of the value].
    pub value: f64,
    /// Its score [1], the higher the better.
    pub score: f64,
}

/// What a tower shows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tower {
    /// Predicted score of each band [1], in the order of the values.
    pub predicted: Vec<f64>,
    /// Uncertainty of one band's score, at 95 % [1]: what an eye can tell.
    pub expanded: f64,
    /// How much worse each band may be than the best, at 95 % [1]: what it is predicted to be worse, and the uncertainty of
    /// that.
    pub worse: Vec<f64>,
    /// Number of the best band.
    pub best: usize,
    /// First and last band of the plateau, by number: those around the best whose prediction isn't worse by more than
    /// an eye can tell.
    pub plateau: [usize; 2],
    /// Whether a curve was laid through all bands; each band with its neighbours otherwise.
    pub curve: bool,
    /// Standard deviation of one score [1].
    pub scatter: f64,
}

/// Fewest bands for a curve: its three coefficients and two to spare.
const CURVE_BANDS: usize = 5;
/// Chance that a curve that fits is said not to.
const MISFIT: f64 = 0.05;

/// Weights that turn scores into predictions, a row a band.
fn weights(values: &[f64], scores: &[f64], own: f64) -> (Vec<Vec<f64>>, f64, f64, bool) {
    let n = values.len();
    if n >= CURVE_BANDS {
        let (middle, half) = (
            (values[0] + values[n - 1]) / 2.0,
            (values[n - 1] - values[0]) / 2.0,
        );
        let rows: Vec<Vec<f64>> = values
            .iter()
            .map(|v| {
                let x = (v - middle) / half;
                vec![1.0, x, x * x]
            })
            .collect();
        if let Ok(fit) = least_squares(&rows, scores) {
            // OK because a tower has a dozen bands.
            #[allow(clippy::cast_precision_loss)]
            let free = fit.dof as f64;
            let fits = FisherSnedecor::new(free, 8.0)
                .is_ok_and(|f| (fit.residual_sd / own).powi(2) <= f.inverse_cdf(1.0 - MISFIT));
            if fits {
                let hat = rows
                    .iter()
                    .map(|a| {
                        let at: Vec<f64> = (0..3)
                            .map(|j| (0..3).map(|k| a[k] * fit.unit_covariance[(k, j)]).sum())
                            .collect();
                        rows.iter()
                            .map(|b| at.iter().zip(b).map(|(x, y)| x * y).sum())
                            .collect()
                    })
                    .collect();
                let (s, dof) = pooled(own, fit.residual_sd, fit.dof);
                return (hat, s, dof, true);
            }
        }
    }
    // Each with its neighbours, a quarter each: no form is asked of the curve.
    let local = (0..n)
        .map(|i| {
            let mut row = vec![0.0; n];
            let mut whole = 0.0;
            for (j, w) in [
                (i.checked_sub(1), 0.25),
                (Some(i), 0.5),
                (Some(i + 1), 0.25),
            ] {
                if let Some(j) = j.filter(|j| *j < n) {
                    row[j] = w;
                    whole += w;
                }
            }
            row.iter().map(|w| w / whole).collect()
        })
        .collect();
    (local, own, 8.0, false)
}

/// What a tower of bands shows, each score known to `own` [1] (standard). None for fewer than three bands, for two of one
/// value, or for numbers that are none.
///
/// Formula: a parabola by least squares through five bands or more, unless it misses them by more than the scores' own
/// doubt explains (F test at 5 %); else each with its neighbours. Plateau: bands around the best with
/// predicted ≥ best − U, U at 95 % of one band's score.
/// Source: NIST/SEMATECH e-Handbook 4.1.4.1 (least squares) and 4.1.4.4 (local regression).
#[must_use]
pub fn tower(bands: &[TowerBand], own: f64) -> Option<(Vec<TowerBand>, Tower)> {
    let mut bands = bands.to_vec();
    bands.sort_by(|a, b| a.value.total_cmp(&b.value));
    let distinct = bands
        .windows(2)
        .all(|w| w[1].value - w[0].value > 1e-9 * w[1].value.abs().max(1.0));
    if bands.len() < 3
        || !distinct
        || bands
            .iter()
            .any(|b| !b.value.is_finite() || !b.score.is_finite())
    {
        return None;
    }
    let values: Vec<f64> = bands.iter().map(|b| b.value).collect();
    let scores: Vec<f64> = bands.iter().map(|b| b.score).collect();
    let (hat, s, dof, curve) = weights(&values, &scores, own);
    let predicted: Vec<f64> = hat
        .iter()
        .map(|row| row.iter().zip(&scores).map(|(w, y)| w * y).sum())
        .collect();
    let best = (0..predicted.len()).max_by(|a, b| predicted[*a].total_cmp(&predicted[*b]))?;
    let t = t_two_sided(CONFIDENCE, dof).ok()?;
    let expanded = t * s;
    let worse = hat
        .iter()
        .zip(&predicted)
        .map(|(row, p)| {
            let variance: f64 = row
                .iter()
                .zip(&hat[best])
                .map(|(a, b)| (a - b).powi(2))
                .sum();
            predicted[best] - p + t * s * variance.sqrt()
        })
        .collect();
    let good = |i: usize| predicted[best] - predicted[i] <= expanded + 1e-9;
    let first = (0..best)
        .rev()
        .take_while(|i| good(*i))
        .last()
        .unwrap_or(best);
    let last = (best + 1..predicted.len())
        .take_while(|i| good(*i))
        .last()
        .unwrap_or(best);
    let found = Tower {
        predicted,
        worse,
        expanded,
        best,
        plateau: [first, last],
        curve,
        scatter: s,
    };
    Some((bands, found))
}
