//! A plateau that breaks off: where delivery begins to fall.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, FisherSnedecor};

use crate::scatter::pooled;

/// A level up to a break, then a straight fall.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct BrokenLine {
    /// The level [unit of y].
    pub level: f64,
    /// Where it breaks [unit of x].
    pub breaks: f64,
    /// How fast it falls beyond [unit of y over unit of x], > 0.
    pub falls: f64,
    /// Where it has fallen by the share asked for [unit of x].
    pub at: f64,
    /// Where `at` lies at 95 %: least, most [unit of x]; an end that no reading bounds is the last reading's.
    pub within: [f64; 2],
    /// Standard deviation of one reading [unit of y].
    pub scatter: f64,
}

/// Steps of a search between two readings.
const FINE: u32 = 400;

/// Sum of squares about the best level and fall for a break at `k`; with level and fall.
fn about(x: &[f64], y: &[f64], k: f64) -> (f64, f64, f64) {
    let over: Vec<f64> = x.iter().map(|x| (x - k).max(0.0)).collect();
    // OK because a ladder has a dozen rungs.
    #[allow(clippy::cast_precision_loss)]
    let n = x.len() as f64;
    let (mean_o, mean_y) = (over.iter().sum::<f64>() / n, y.iter().sum::<f64>() / n);
    let oo: f64 = over.iter().map(|o| (o - mean_o).powi(2)).sum();
    let oy: f64 = over
        .iter()
        .zip(y)
        .map(|(o, y)| (o - mean_o) * (y - mean_y))
        .sum();
    // It falls or stays: a delivery that rises is scatter.
    let falls = if oo > 0.0 { (-oy / oo).max(0.0) } else { 0.0 };
    let level = mean_y + falls * mean_o;
    let square = over
        .iter()
        .zip(y)
        .map(|(o, y)| (y - level + falls * o).powi(2))
        .sum();
    (square, level, falls)
}

/// Sum of squares for a line that has fallen by `share` exactly at `at` and breaks at `k`.
fn through(x: &[f64], y: &[f64], k: f64, at: f64, share: f64) -> f64 {
    let shape: Vec<f64> = x
        .iter()
        .map(|x| 1.0 - share * (x - k).max(0.0) / (at - k))
        .collect();
    let (gg, gy) = shape
        .iter()
        .zip(y)
        .fold((0.0, 0.0), |(gg, gy), (g, y)| (gg + g * g, gy + g * y));
    let level = if gg > 0.0 { gy / gg } else { 0.0 };
    shape
        .iter()
        .zip(y)
        .map(|(g, y)| (y - level * g).powi(2))
        .sum()
}

/// The least of a function over an interval: a grid, then thirds.
fn least(from: f64, to: f64, f: impl Fn(f64) -> f64) -> (f64, f64) {
    let step = (to - from) / f64::from(FINE);
    let mut best = (f(from), from);
    for i in 1..=FINE {
        let at = from + f64::from(i) * step;
        let value = f(at);
        if value < best.0 {
            best = (value, at);
        }
    }
    let (mut low, mut high) = ((best.1 - step).max(from), (best.1 + step).min(to));
    for _ in 0..60 {
        let (a, b) = (low + (high - low) / 3.0, high - (high - low) / 3.0);
        if f(a) <= f(b) {
            high = b;
        } else {
            low = a;
        }
    }
    let at = f64::midpoint(low, high);
    let value = f(at);
    if value < best.0 { (value, at) } else { best }
}

/// Fits a level and a fall to readings, each known to `own` [unit of y] (standard), and finds where it has fallen by a
/// share [1] of the level. None for fewer than four readings, or where nothing falls by that share inside them.
///
/// Formula: y = c − b·max(0, x − k), least squares over c, b and k; the interval of `at` holds all places at which the
/// sum of squares rises by no more than F(95 %; 1, ν)·σ².
/// Source: Hudson, "Fitting segmented curves whose join points have to be estimated", 1966; profile interval:
/// Bates and Watts, "Nonlinear regression analysis and its applications", 1988, 6.1.
#[must_use]
pub fn broken_line(x: &[f64], y: &[f64], share: f64, own: f64) -> Option<BrokenLine> {
    let n = x.len();
    if n < 4 || y.len() != n || x.iter().chain(y).any(|v| !v.is_finite()) {
        return None;
    }
    let (first, last) = x
        .iter()
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| {
            (a.min(*v), b.max(*v))
        });
    if last <= first {
        return None;
    }
    let (square, breaks) = least(first, last, |k| about(x, y, k).0);
    let (_, level, falls) = about(x, y, breaks);
    if falls <= 0.0 || level <= 0.0 {
        return None;
    }
    let at = breaks + share * level / falls;
    if at > last {
        return None;
    }
    // OK because a ladder has a dozen rungs.
    #[allow(clippy::cast_precision_loss)]
    let residual = (square / (n - 3) as f64).sqrt();
    let (s, dof) = pooled(own, residual, n - 3);
    let most = FisherSnedecor::new(1.0, dof).ok()?.inverse_cdf(0.95) * s * s + square;
    let profile = |at: f64| {
        let from = first - (last - first);
        least(from, at - 1e-6 * (last - first), |k| {
            through(x, y, k, at, share)
        })
        .0
    };
    // From the fit outward until the readings speak against it; then halved.
    let edge = |to: f64| {
        let (mut inside, mut outside) = (at, to);
        if profile(to) <= most {
            return to;
        }
        for _ in 0..24 {
            let middle = f64::midpoint(inside, outside);
            if profile(middle) <= most {
                inside = middle;
            } else {
                outside = middle;
            }
        }
        inside
    };
    Some(BrokenLine {
        level,
        breaks,
        falls,
        at,
        within: [edge(first), edge(last)],
        scatter: s,
    })
}
