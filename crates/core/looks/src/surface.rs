//! A response surface over distance and speed: where strings are fewest, how sure that is, what to print next.

use nalgebra::{Matrix2, Vector2};
use serde::{Deserialize, Serialize};
use statrs::distribution::{Continuous, ContinuousCDF, FisherSnedecor, Normal};
use wattotherm_measure::{CONFIDENCE, LeastSquares, least_squares, t_two_sided};

use crate::scatter::pooled;

/// A print: how far and fast was retracted, what score it had.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tried {
    /// Distance [mm].
    pub distance: f64,
    /// Speed [mm/s], > 0.
    pub speed: f64,
    /// Score [1], the lower the better.
    pub score: f64,
}

/// A setting with its predicted score.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Spot {
    /// Distance [mm].
    pub distance: f64,
    /// Speed [mm/s].
    pub speed: f64,
    /// Predicted score [1].
    pub score: f64,
    /// Its uncertainty at 95 % [1].
    pub expanded: f64,
}

/// Predictions over the range: rows of rising speed, in each rising distance.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Grid {
    /// Distances [mm].
    pub distances: Vec<f64>,
    /// Speeds [mm/s].
    pub speeds: Vec<f64>,
    /// Predicted scores [1], row by row.
    pub scores: Vec<f64>,
    /// Whether the best setting may lie there, at 95 %: no slope can be told from none. Empty where the surface has no
    /// bottom.
    pub may_be_best: Vec<bool>,
}

/// What the prints show.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Surface {
    /// Number of prints that it rests on.
    pub prints: usize,
    /// Number of terms of the fit.
    pub terms: usize,
    /// Standard deviation of one score [1].
    pub scatter: f64,
    /// The best setting within what was tried.
    pub best: Spot,
    /// The shortest, then slowest setting within what was tried that isn't worse than the best by more than U.
    pub chosen: Spot,
    /// What to print next.
    pub next: Spot,
    /// Expected improvement of it on the best print so far [1].
    pub improves: f64,
    /// Whether the fit has too few prints for a bottom: the next one is where it tells most.
    pub thin: bool,
    /// Predictions over the range.
    pub grid: Grid,
}

/// Terms in the order in which they come in, as prints carry them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Term {
    One,
    Distance,
    Speed,
    DistanceSquare,
    SpeedSquare,
    Product,
}

impl Term {
    const ORDER: [Self; 6] = [
        Self::One,
        Self::Distance,
        Self::Speed,
        Self::DistanceSquare,
        Self::SpeedSquare,
        Self::Product,
    ];

    fn at(self, [d, l]: [f64; 2]) -> f64 {
        match self {
            Self::One => 1.0,
            Self::Distance => d,
            Self::Speed => l,
            Self::DistanceSquare => d * d,
            Self::SpeedSquare => l * l,
            Self::Product => d * l,
        }
    }

    /// Slope in both directions.
    const fn slope(self, [d, l]: [f64; 2]) -> [f64; 2] {
        match self {
            Self::One => [0.0, 0.0],
            Self::Distance => [1.0, 0.0],
            Self::Speed => [0.0, 1.0],
            Self::DistanceSquare => [2.0 * d, 0.0],
            Self::SpeedSquare => [0.0, 2.0 * l],
            Self::Product => [l, d],
        }
    }
}

/// Places across the range in each direction.
const ACROSS: u32 = 25;
/// As many for drawing: what is kept stays small.
const DRAWN: u32 = 15;
/// A candidate is known well enough to be chosen if its score is known within this [1].
const KNOWN: f64 = 1.5;

struct Fit {
    terms: Vec<Term>,
    fit: LeastSquares,
    s: f64,
    dof: f64,
    t: f64,
    middle: [f64; 2],
    half: [f64; 2],
}

impl Fit {
    fn scaled(&self, distance: f64, speed: f64) -> [f64; 2] {
        [
            (distance - self.middle[0]) / self.half[0],
            (speed.ln() - self.middle[1]) / self.half[1],
        ]
    }

    /// Predicted score [1] and its standard error [1].
    fn at(&self, distance: f64, speed: f64) -> (f64, f64) {
        let x = self.scaled(distance, speed);
        let row: Vec<f64> = self.terms.iter().map(|t| t.at(x)).collect();
        let mean = row
            .iter()
            .zip(&self.fit.coefficients)
            .map(|(a, b)| a * b)
            .sum();
        (mean, self.s * self.fit.unit_variance(&row).max(0.0).sqrt())
    }

    fn spot(&self, distance: f64, speed: f64) -> Spot {
        let (score, error) = self.at(distance, speed);
        Spot {
            distance,
            speed,
            score,
            expanded: self.t * error,
        }
    }

    /// Whether no slope can be told from none there (Box and Hunter 1954), where the surface is curved both ways.
    fn may_be_best(&self, distance: f64, speed: f64) -> bool {
        let x = self.scaled(distance, speed);
        let n = self.terms.len();
        let mut gradient = Vector2::zeros();
        let mut covariance = Matrix2::zeros();
        let slopes: Vec<[f64; 2]> = self.terms.iter().map(|t| t.slope(x)).collect();
        for (slope, c) in slopes.iter().zip(&self.fit.coefficients) {
            gradient += Vector2::new(slope[0], slope[1]) * *c;
        }
        for i in 0..n {
            for j in 0..n {
                let v = self.fit.unit_covariance[(i, j)] * self.s * self.s;
                for a in 0..2 {
                    for b in 0..2 {
                        covariance[(a, b)] += slopes[i][a] * slopes[j][b] * v;
                    }
                }
            }
        }
        let Some(inverse) = covariance.try_inverse() else {
            return false;
        };
        let statistic = (gradient.transpose() * inverse * gradient)[(0, 0)];
        FisherSnedecor::new(2.0, self.dof)
            .is_ok_and(|f| statistic <= 2.0 * f.inverse_cdf(CONFIDENCE))
    }
}

fn fit_of(tried: &[Tried], range: [[f64; 2]; 2], own: f64) -> Option<Fit> {
    let middle = [
        f64::midpoint(range[0][0], range[0][1]),
        f64::midpoint(range[1][0].ln(), range[1][1].ln()),
    ];
    let half = [
        (range[0][1] - range[0][0]) / 2.0,
        (range[1][1].ln() - range[1][0].ln()) / 2.0,
    ];
    let at = |t: &Tried| {
        [
            (t.distance - middle[0]) / half[0],
            (t.speed.ln() - middle[1]) / half[1],
        ]
    };
    let levels = |axis: usize| {
        let mut all: Vec<f64> = tried.iter().map(|t| at(t)[axis]).collect();
        all.sort_by(f64::total_cmp);
        all.dedup_by(|a, b| (*a - *b).abs() < 0.02);
        all.len()
    };
    let levels = [levels(0), levels(1)];
    let scores: Vec<f64> = tried.iter().map(|t| t.score).collect();
    let mut terms: Vec<Term> = Vec::new();
    let mut kept: Option<LeastSquares> = None;
    for term in Term::ORDER {
        let carried = match term {
            Term::One => true,
            Term::Distance => levels[0] >= 2,
            Term::Speed => levels[1] >= 2,
            Term::DistanceSquare => levels[0] >= 3,
            Term::SpeedSquare => levels[1] >= 3,
            Term::Product => levels[0] >= 2 && levels[1] >= 2,
        };
        // Two prints more than terms, or there is nothing to see the scatter by.
        if !carried || tried.len() < terms.len() + 3 {
            continue;
        }
        let mut more = terms.clone();
        more.push(term);
        let rows: Vec<Vec<f64>> = tried
            .iter()
            .map(|t| more.iter().map(|m| m.at(at(t))).collect())
            .collect();
        if let Ok(fit) = least_squares(&rows, &scores) {
            terms = more;
            kept = Some(fit);
        }
    }
    let fit = kept?;
    let (s, dof) = pooled(own, fit.residual_sd, fit.dof);
    Some(Fit {
        terms,
        fit,
        s,
        dof,
        t: t_two_sided(CONFIDENCE, dof).ok()?,
        middle,
        half,
    })
}

/// Expected improvement of a normal prediction on `least` [all in one unit]: E max(least − Y, 0).
///
/// Formula: (f − μ)·Φ(z) + σ·φ(z), z = (f − μ)/σ. Source: Jones, Schonlau, Welch 1998, equation 15. Domain: σ ≥ 0.
pub(crate) fn expected_improvement(least: f64, mean: f64, sd: f64) -> f64 {
    let gain = least - mean;
    match Normal::new(0.0, 1.0) {
        Ok(n) if sd > 0.0 => {
            let z = gain / sd;
            (gain * n.cdf(z) + sd * n.pdf(z)).max(0.0)
        }
        _ => gain.max(0.0),
    }
}

fn across([from, to]: [f64; 2]) -> impl Iterator<Item = f64> {
    (0..ACROSS).map(move |i| from + (to - from) * f64::from(i) / f64::from(ACROSS - 1))
}

/// What prints show over a range of distances [mm] and speeds [mm/s], each score known to `own` [1] (standard). None for
/// fewer than three prints, or a range that is none.
///
/// Formula: least squares of the score on distance and log speed, their squares and their product, as many terms as
/// leave two prints over; the next print changes one setting of an earlier one and has the largest expected improvement, or,
/// while there are too few prints for a bottom, the largest doubt.
/// Source: NIST/SEMATECH e-Handbook 5.5.3 (response surface), Box and Hunter 1954 (where the best may lie), Jones,
/// Schonlau, Welch 1998 (expected improvement).
#[must_use]
pub fn surface(tried: &[Tried], range: [[f64; 2]; 2], own: f64) -> Option<Surface> {
    let usable = range
        .iter()
        .all(|[a, b]| a.is_finite() && b.is_finite() && b > a)
        && range[1][0] > 0.0
        && tried
            .iter()
            .all(|t| t.distance.is_finite() && t.speed > 0.0 && t.score.is_finite());
    if !usable || tried.len() < 3 {
        return None;
    }
    let fit = fit_of(tried, range, own)?;
    let bottom = [Term::DistanceSquare, Term::SpeedSquare]
        .iter()
        .all(|t| fit.terms.contains(t));
    let thin = !fit.terms.contains(&Term::DistanceSquare);

    // Nothing is chosen outside what was tried: a parabola knows nothing there.
    let hull = |of: fn(&Tried) -> f64| {
        tried
            .iter()
            .map(of)
            .fold([f64::INFINITY, f64::NEG_INFINITY], |[a, b], v| {
                [a.min(v), b.max(v)]
            })
    };
    let (wide, fast) = (hull(|t| t.distance), hull(|t| t.speed));
    let mut inside: Vec<Spot> = across(wide)
        .flat_map(|d| across(fast.map(f64::ln)).map(move |l| (d, l.exp())))
        .map(|(d, v)| fit.spot(d, v))
        .collect();
    inside.extend(tried.iter().map(|t| fit.spot(t.distance, t.speed)));
    let best = *inside.iter().min_by(|a, b| a.score.total_cmp(&b.score))?;
    let chosen = inside
        .iter()
        .filter(|s| s.score <= best.score + best.expanded && s.expanded <= KNOWN)
        .min_by(|a, b| (a.distance.total_cmp(&b.distance)).then(a.speed.total_cmp(&b.speed)))
        .copied()
        .unwrap_or(best);

    let least = tried.iter().map(|t| t.score).fold(f64::INFINITY, f64::min);
    let new = |d: f64, v: f64| {
        tried.iter().all(|t| {
            (t.distance - d).abs() > 0.04 * (range[0][1] - range[0][0])
                || (t.speed / v).ln().abs() > 0.08
        })
    };
    // One setting of an earlier print changed, the other kept.
    let mut candidates: Vec<(f64, f64)> = Vec::new();
    for t in tried {
        candidates.extend(across(range[0]).map(|d| (d, t.speed)));
        if !thin {
            candidates.extend(across(range[1].map(f64::ln)).map(|l| (t.distance, l.exp())));
        }
    }
    candidates.retain(|(d, v)| new(*d, *v));
    let improves = |d: f64, v: f64| {
        let (mean, error) = fit.at(d, v);
        expected_improvement(least, mean, error)
    };
    let next = candidates
        .iter()
        .max_by(|a, b| {
            let worth = |(d, v): &(f64, f64)| {
                if thin {
                    fit.at(*d, *v).1
                } else {
                    improves(*d, *v)
                }
            };
            worth(a).total_cmp(&worth(b))
        })
        .map_or((best.distance, best.speed), |c| *c);

    let coarse = |[from, to]: [f64; 2]| {
        (0..DRAWN).map(move |i| from + (to - from) * f64::from(i) / f64::from(DRAWN - 1))
    };
    let distances: Vec<f64> = coarse(range[0]).collect();
    let speeds: Vec<f64> = coarse(range[1].map(f64::ln)).map(f64::exp).collect();
    let places = || {
        speeds
            .iter()
            .flat_map(|v| distances.iter().map(move |d| (*d, *v)))
    };
    let grid = Grid {
        // To a hundredth: it is drawn, not reckoned with.
        scores: places()
            .map(|(d, v)| (fit.at(d, v).0 * 100.0).round() / 100.0)
            .collect(),
        may_be_best: if bottom {
            places().map(|(d, v)| fit.may_be_best(d, v)).collect()
        } else {
            Vec::new()
        },
        distances: distances.clone(),
        speeds: speeds.clone(),
    };
    Some(Surface {
        prints: tried.len(),
        terms: fit.terms.len(),
        scatter: fit.s,
        best,
        chosen,
        next: fit.spot(next.0, next.1),
        improves: improves(next.0, next.1),
        thin,
        grid,
    })
}

#[cfg(test)]
mod tests {
    use super::expected_improvement;

    #[test]
    fn expected_improvement_is_the_mean_of_what_is_gained() {
        // E max(f − Y, 0) by the trapezoid rule over ±10 σ: 200 000 steps.
        for (least, mean, sd) in [
            (1.0, 1.4, 0.5),
            (3.0, 1.0, 0.2),
            (0.5, 2.0, 1.5),
            (0.0, 0.0, 1.0),
        ] {
            let n = 200_000;
            let h = 20.0 * sd / f64::from(n);
            let sum: f64 = (0..=n)
                .map(|i| {
                    let y = mean - 10.0 * sd + f64::from(i) * h;
                    let density = (-0.5 * ((y - mean) / sd).powi(2)).exp()
                        / (sd * std::f64::consts::TAU.sqrt());
                    let end = if i == 0 || i == n { 0.5 } else { 1.0 };
                    end * (least - y).max(0.0) * density * h
                })
                .sum();
            let got = expected_improvement(least, mean, sd);
            assert!((got - sum).abs() < 1e-6, "{got} against {sum}");
        }
        assert!((expected_improvement(2.0, 1.5, 0.0) - 0.5).abs() < 1e-12);
        assert!(expected_improvement(1.0, 1.5, 0.0) < 1e-12);
    }
}
