//! Paired comparison: how strong each of several things is, from which won against which.

use nalgebra::{DMatrix, DVector};
use statrs::distribution::{ContinuousCDF, Normal};

/// Strengths of things that were compared in pairs.
#[derive(Clone, Debug, PartialEq)]
pub struct Strengths {
    /// Logarithm of each strength [1]; they add up to 0. One more wins e times as often.
    pub log: Vec<f64>,
    /// Number of the strongest.
    pub best: usize,
    /// Number of the one after it.
    pub next: usize,
    /// By how much the best is ahead of the next [1].
    pub ahead: f64,
    /// Uncertainty of that at 95 % [1].
    pub expanded: f64,
    /// Numbers of those that the best is not ahead of by more than the uncertainty, itself among them.
    pub level: Vec<usize>,
}

impl Strengths {
    /// Whether the best is ahead by more than its uncertainty: no need to ask on.
    #[must_use]
    pub fn is_settled(&self) -> bool {
        self.level.len() == 1
    }
}

/// A draw of each compared pair that is laid to what was seen: without it one that never lost would be infinitely strong.
const DRAW: f64 = 0.5;
/// Steps of the fixed point at most; it ends long before.
const MOST_STEPS: usize = 10_000;

/// Strengths of `count` things (a number of) from wins: `(winner, loser)` each. None for fewer than two things, or where
/// somebody names one that there isn't, or where the pairs fall into groups that never met.
///
/// Formula: P(i wins over j) = πᵢ/(πᵢ + πⱼ); πᵢ ← Wᵢ/Σⱼ nᵢⱼ/(πᵢ + πⱼ) until it stands. `draw` [1] wins are added
/// either way to each pair that met; uncertainty by the inverse of Fisher's information.
/// Source: Bradley and Terry 1952; the iteration is Hunter's, "MM algorithms for generalized Bradley-Terry models", 2004.
#[must_use]
pub fn strengths(count: usize, wins: &[(usize, usize)]) -> Option<Strengths> {
    fit(count, wins, DRAW)
}

/// As [`strengths`], with so many wins [1] added either way to each pair that met; 0 is the likelihood alone, which has
/// an end only where each can be reached from each by wins.
pub(crate) fn fit(count: usize, wins: &[(usize, usize)], draw: f64) -> Option<Strengths> {
    if count < 2
        || wins
            .iter()
            .any(|(w, l)| *w >= count || *l >= count || w == l)
    {
        return None;
    }
    let mut won = DMatrix::<f64>::zeros(count, count);
    for (w, l) in wins {
        won[(*w, *l)] += 1.0;
    }
    for i in 0..count {
        for j in 0..i {
            if won[(i, j)] + won[(j, i)] > 0.0 {
                won[(i, j)] += draw;
                won[(j, i)] += draw;
            }
        }
    }
    if !hang_together(&won) {
        return None;
    }
    let met = &won + won.transpose();
    let mut pi = DVector::from_element(count, 1.0);
    for _ in 0..MOST_STEPS {
        let mut moved = 0.0_f64;
        let old = pi.clone();
        for i in 0..count {
            let against: f64 = (0..count)
                .filter(|j| *j != i)
                .map(|j| met[(i, j)] / (old[i] + old[j]))
                .sum();
            pi[i] = (won.row(i).sum() / against).max(1e-12);
        }
        let scale = (pi.map(f64::ln).sum() / old.len() as f64).exp();
        pi /= scale;
        for i in 0..count {
            moved = moved.max((pi[i].ln() - old[i].ln()).abs());
        }
        if moved < 1e-12 {
            break;
        }
    }
    let mut information = DMatrix::<f64>::zeros(count, count);
    for i in 0..count {
        for j in 0..count {
            if i != j {
                let w = met[(i, j)] * pi[i] * pi[j] / (pi[i] + pi[j]).powi(2);
                information[(i, j)] -= w;
                information[(i, i)] += w;
            }
        }
    }
    let covariance = information.pseudo_inverse(1e-12).ok()?;
    let log: Vec<f64> = pi.iter().map(|p| p.ln()).collect();
    let mut order: Vec<usize> = (0..count).collect();
    order.sort_by(|a, b| log[*b].total_cmp(&log[*a]));
    let (best, next) = (order[0], order[1]);
    let two_sided = Normal::new(0.0, 1.0).ok()?.inverse_cdf(0.975);
    let expanded = |other: usize| {
        let variance =
            covariance[(best, best)] + covariance[(other, other)] - 2.0 * covariance[(best, other)];
        two_sided * variance.max(0.0).sqrt()
    };
    Some(Strengths {
        ahead: log[best] - log[next],
        expanded: expanded(next),
        level: (0..count)
            .filter(|i| *i == best || log[best] - log[*i] <= expanded(*i))
            .collect(),
        log,
        best,
        next,
    })
}

/// Whether all met, directly or by way of others.
fn hang_together(won: &DMatrix<f64>) -> bool {
    let n = won.nrows();
    let mut reached = vec![false; n];
    let mut open = vec![0];
    while let Some(i) = open.pop() {
        if std::mem::replace(&mut reached[i], true) {
            continue;
        }
        open.extend((0..n).filter(|j| won[(i, *j)] + won[(*j, i)] > 0.0));
    }
    reached.into_iter().all(|r| r)
}

#[cfg(test)]
mod tests {
    use super::fit;

    /// Against PyPI's choix 0.4, `ilsr_pairwise` and `mm_pairwise`, by tools/reference/looks.py.
    #[test]
    fn strengths_are_those_of_a_library() {
        // Wins as (winner, loser), and logarithms of the strengths.
        type Case = (&'static [(usize, usize)], &'static [f64]);
        let cases: &[Case] = &include!("../tests/reference/pairs.rs");
        for (wins, expected) in cases {
            let got = fit(expected.len(), wins, 0.0).expect("all can be reached");
            for (g, e) in got.log.iter().zip(*expected) {
                assert!((g - e).abs() < 1e-6, "{:?} against {expected:?}", got.log);
            }
        }
    }
}
