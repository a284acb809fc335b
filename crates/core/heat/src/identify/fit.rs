//! How well a body explains a record, and the way downhill from there.

use nalgebra::{DMatrix, DVector, SMatrix, SVector};

use super::body::{N, Theta, bounded, impulse, shown_by};
use super::record::{Record, Shown, Switch};

/// A step that makes a plant likelier by less than this, in units of twice the log of its likelihood, is rest.
const NO_MORE: f64 = 0.01;
/// The variance is itself estimated, and from neighbours: widened by so much. Set by the coverage that tests found.
const OWN_DOUBT: f64 = 1.2;
/// Differences by which the slopes of each parameter are taken: small beside what it is known to, large beside rounding.
const DIFFERENCE: Theta = [1e-4, 1e-4, 1e-3, 2e-3, 1e-4, 1e-3, 1e-3, 1e-3, 1e-4];

/// What is taken for likely before the log is read: mean and standard deviation of each parameter.
///
/// Wide for what the log must say (K about 450 °C, τ about 134 s, τ2 about 3 s, L about 1.5 s); the room is the block's own temperature where the log begins cold, else that of
/// a workshop. Judgement, no published source.
#[derive(Clone, Copy)]
pub(super) struct Prior {
    pub mean: Theta,
    pub sd: Theta,
}

impl Prior {
    /// What is likely before this log is read: a log that begins cold says the room itself.
    pub fn of(record: &Record) -> Self {
        let (room, doubt) = if record.cold {
            (record.first_c.min(40.0), 2.0)
        } else {
            (24.0, 7.0)
        };
        let inside = if record.cold { 1.0 } else { 15.0 };
        Self {
            mean: [6.1, 4.9, 1.1, 1.5, 0.03, room, record.first_c, 0.0, 0.0],
            sd: [0.9, 0.9, 1.2, 4.0, 0.1, doubt, 3.0, inside, 0.03],
        }
    }
}

/// What a fit works with; kept so that nothing is asked of the memory anew.
#[derive(Default)]
pub(super) struct Work {
    pub residuals: Vec<f64>,
    impulse: Vec<f64>,
    columns: Vec<Vec<f64>>,
    /// What the switches were shifted by [s].
    pub shift_s: Vec<f64>,
}

/// A fit at one place: what is left over, and what it costs.
pub(super) struct Fit {
    pub record: Record,
    pub target_c: f64,
    pub prior: Prior,
    /// Variance of one reading, widened for neighbours that say the same [K²].
    pub variance: f64,
}

impl Fit {
    /// What is left over, reading by reading, then what the switches had to be shifted, in the same unit; and the
    /// sum of squares of both.
    pub fn residuals(&self, p: &Theta, work: &mut Work) -> f64 {
        let r = &mut work.residuals;
        shown_by(p, &self.record, r);
        for (w, s) in r.iter_mut().zip(&self.record.shown) {
            *w = s.temp_c - *w;
        }
        self.shift_switches(p, work);
        dot(&work.residuals, &work.residuals)
    }
    /// Puts each switch where, between its two reports, it fits best: they enter linearly, and are solved for.
    fn shift_switches(&self, p: &Theta, work: &mut Work) {
        let (record, n) = (&self.record, self.record.shown.len());
        let m = record.switches.len();
        if m == 0 {
            return;
        }
        impulse(
            p,
            self.target_c,
            record.dt,
            record.steps + 2,
            &mut work.impulse,
        );
        let late = p[3] / record.dt;
        let response = |s: &Switch, at: &Shown| {
            #[allow(clippy::cast_precision_loss)]
            let since = at.step as f64 + at.part - s.at(record.dt) - late;
            if since <= 0.0 {
                return 0.0;
            }
            // OK because it is at most the record's length.
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            let whole = since as usize;
            let (a, b) = (work.impulse[whole], work.impulse[whole + 1]);
            -s.by * (a + (b - a) * since.fract())
        };
        work.columns.resize_with(m, Vec::new);
        for (c, s) in work.columns.iter_mut().zip(&record.switches) {
            c.clear();
            c.extend(record.shown.iter().map(|at| response(s, at)));
        }
        let sd = self.variance.sqrt();
        // A switch has touched nothing before it: its column begins there.
        let begin: Vec<usize> = work
            .columns
            .iter()
            .map(|c| c.iter().position(|v| *v != 0.0).unwrap_or(n))
            .collect();
        let normal = DMatrix::from_fn(m, m, |a, b| {
            if b > a {
                return 0.0;
            }
            let from = begin[a].max(begin[b]);
            let own = if a == b {
                (sd / record.switches[a].doubt_s).powi(2)
            } else {
                0.0
            };
            dot(&work.columns[a][from..], &work.columns[b][from..]) + own
        });
        let right = DVector::from_fn(m, |a, _| {
            let s = &record.switches[a];
            dot(&work.columns[a][begin[a]..], &work.residuals[begin[a]..])
                - (sd / s.doubt_s).powi(2) * s.moved_s
        });
        let Some(shift) = normal.cholesky().map(|c| c.solve(&right)) else {
            return;
        };
        work.shift_s.clear();
        work.shift_s.extend(shift.iter());
        for (a, c) in work.columns.iter().enumerate() {
            for (r, v) in work.residuals[begin[a]..].iter_mut().zip(&c[begin[a]..]) {
                *r -= shift[a] * v;
            }
        }
        work.residuals.extend(
            record
                .switches
                .iter()
                .zip(&work.shift_s)
                .map(|(s, by)| (s.moved_s + by) * sd / s.doubt_s),
        );
    }
    fn prior_cost(&self, p: &Theta) -> f64 {
        (0..N)
            .map(|i| ((p[i] - self.prior.mean[i]) / self.prior.sd[i]).powi(2))
            .sum()
    }
    /// Twice the negative logarithm of what is likely, up to a constant [1].
    pub fn cost(&self, p: &Theta, work: &mut Work) -> f64 {
        let rss = self.residuals(p, work);
        if rss.is_finite() {
            rss / self.variance + self.prior_cost(p)
        } else {
            f64::INFINITY
        }
    }
    /// Normal matrix and gradient at `p`, whose residuals are `here`.
    pub fn normal(&self, p: &Theta, here: &[f64]) -> (SMatrix<f64, N, N>, SVector<f64, N>) {
        let column = |i: usize, work: &mut Work| {
            let h = DIFFERENCE[i];
            let mut q = *p;
            q[i] += h;
            self.residuals(&q, work);
            let slopes = here.iter().zip(&work.residuals);
            slopes.map(|(a, b)| (a - b) / h).collect::<Vec<f64>>()
        };
        let columns: Vec<Vec<f64>> = std::thread::scope(|s| {
            let other = s.spawn(|| {
                let mut work = Work::default();
                (N / 2..N).map(|i| column(i, &mut work)).collect::<Vec<_>>()
            });
            let mut work = Work::default();
            let mut all: Vec<_> = (0..N / 2).map(|i| column(i, &mut work)).collect();
            all.extend(other.join().unwrap_or_default());
            all
        });
        let normal = SMatrix::from_fn(|a, b| {
            let own = if a == b {
                self.prior.sd[a].powi(-2)
            } else {
                0.0
            };
            dot(&columns[a], &columns[b]) / self.variance + own
        });
        let gradient = SVector::from_fn(|a, _| {
            dot(&columns[a], here) / self.variance
                + (self.prior.mean[a] - p[a]) / self.prior.sd[a].powi(2)
        });
        (normal, gradient)
    }
    /// Levenberg-Marquardt from `p`: where it came to, the cost there, steps taken, and whether it came to rest.
    pub fn descend(&self, mut p: Theta, most: u32) -> (Theta, f64, u32, bool) {
        let (mut here, mut tried) = (Work::default(), Work::default());
        let mut cost = self.cost(&p, &mut here);
        let mut lambda = 1e-2;
        for taken in 1..=most {
            let (normal, gradient) = self.normal(&p, &here.residuals);
            let before = cost;
            let mut better = false;
            for _ in 0..10 {
                let mut damped = normal;
                for i in 0..N {
                    damped[(i, i)] *= 1.0 + lambda;
                }
                if let Some(step) = damped.lu().solve(&gradient) {
                    let mut q = p;
                    for i in 0..N {
                        q[i] += step[i];
                    }
                    let q = bounded(q);
                    let c = self.cost(&q, &mut tried);
                    if c < cost {
                        (p, cost) = (q, c);
                        std::mem::swap(&mut here, &mut tried);
                        lambda = (lambda * 0.2).max(1e-9);
                        better = true;
                        break;
                    }
                }
                lambda *= 4.0;
            }
            if !better || before - cost < NO_MORE {
                return (p, cost, taken, true);
            }
        }
        (p, cost, most, false)
    }
}

/// Variance of a reading, widened for neighbours that say the same thing.
pub(super) fn variance(residuals: &[f64]) -> f64 {
    let (n, rss) = (residuals.len(), dot(residuals, residuals));
    let lag_one = (dot(&residuals[1..], &residuals[..n - 1]) / rss.max(1e-12)).clamp(0.0, 0.98);
    #[allow(clippy::cast_precision_loss)]
    let free = (n.saturating_sub(N)).max(1) as f64;
    (rss / free).max(1e-4) * (1.0 + lag_one) / (1.0 - lag_one) * OWN_DOUBT
}

pub(super) fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(x, y)| x * y).sum()
}
