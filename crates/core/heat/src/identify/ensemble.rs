//! The plants that a log allows.

use nalgebra::{SMatrix, SVector};

use super::body::{N, Theta, bounded, plant_at};
use super::fit::{Fit, Work};
use super::{Known, ultimate_of};
use crate::interval::Interval;
use crate::model::Plant;

/// Plants drawn.
pub const PLANTS: usize = 200;
/// Tries they are drawn from.
const TRIES: usize = 400;
/// Degrees of freedom of the proposal: heavier tails than the normal, so that none is missed.
const TAILS: f64 = 6.0;
/// Doubt of the dead time that the model itself leaves: so much [s], and so much of the time between reports. Set
/// by the coverage that tests found; no published source.
const MODEL_S: f64 = 0.02;
const MODEL_OF_PERIOD: f64 = 0.05;
/// The same log gives the same plants.
const SEED: u64 = 0x0BED_F00D;

/// Normal deviates of one seed (Box & Muller 1958).
struct Normal(fastrand::Rng);
impl Normal {
    fn next(&mut self) -> f64 {
        let u: f64 = 1.0 - self.0.f64();
        (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * self.0.f64()).cos()
    }
}

/// Draws plants about the best body: tries from a Student cloud of the fit's own covariance, weighed by what each
/// leaves over, and drawn again by weight.
pub(super) fn draw(fit: &Fit, best: &Theta, target_c: f64) -> Vec<Plant> {
    let mut here = Work::default();
    let floor = fit.cost(best, &mut here);
    let (normal, _) = fit.normal(best, &here.residuals);
    let spread: SMatrix<f64, N, N> = normal.cholesky().map_or_else(SMatrix::zeros, |c| {
        c.l()
            .transpose()
            .try_inverse()
            .unwrap_or_else(SMatrix::zeros)
    });
    let mut rng = Normal(fastrand::Rng::with_seed(SEED));
    let mut proposals: Vec<(Theta, f64)> = Vec::with_capacity(TRIES);
    for i in 0..TRIES {
        let mut p = *best;
        let mut lean = 0.0;
        if i > 0 {
            let z = SVector::<f64, N>::from_fn(|_, _| rng.next());
            let chi: f64 = (0..6).map(|_| rng.next().powi(2)).sum();
            let scale = (TAILS / chi.max(1e-9)).sqrt();
            let step = spread * z * scale;
            for k in 0..N {
                p[k] += step[k];
            }
            lean = z.norm_squared() * scale * scale;
        }
        // How often the cloud proposes it.
        #[allow(clippy::cast_precision_loss)]
        let proposed = -0.5 * (TAILS + N as f64) * (lean / TAILS).ln_1p();
        proposals.push((bounded(p), proposed));
    }
    let weighed = |some: &[(Theta, f64)]| {
        let mut work = Work::default();
        let weigh = |(p, proposed): &(Theta, f64)| {
            let weight = (-0.5 * (fit.cost(p, &mut work) - floor) - proposed).exp();
            (*p, weight)
        };
        some.iter().map(weigh).collect::<Vec<_>>()
    };
    let (some, others) = proposals.split_at(TRIES / 2);
    let mut tries = std::thread::scope(|s| {
        let other = s.spawn(|| weighed(others));
        let mut all = weighed(some);
        all.extend(other.join().unwrap_or_default());
        all
    });
    tries.retain(|(_, weight)| weight.is_finite());
    let total: f64 = tries.iter().map(|t| t.1).sum();
    // Evenly spaced over the weights, so that none is drawn oftener than it weighs.
    #[allow(clippy::cast_precision_loss)]
    let each = total / PLANTS as f64;
    let (mut sum, mut i) = (0.0, 0);
    (0..PLANTS)
        .map(|n| {
            #[allow(clippy::cast_precision_loss)]
            let want = (n as f64 + 0.5) * each;
            while i + 1 < tries.len() && sum + tries[i].1 < want {
                sum += tries[i].1;
                i += 1;
            }
            let mut plant = plant_at(&tries[i].0, target_c);
            // No body is two lags and a dead time to the hundredth of a second.
            let doubt = MODEL_S + MODEL_OF_PERIOD * fit.record.period_s;
            plant.delay_s = (plant.delay_s + doubt * rng.next()).max(0.01);
            plant
        })
        .collect()
}

/// What 95 of 100 of the plants lie between.
pub(super) fn known(ensemble: &[Plant]) -> Known {
    let of = |f: &dyn Fn(&Plant) -> f64| Interval::of_95(ensemble.iter().map(f));
    let ultimate: Vec<_> = ensemble.iter().filter_map(ultimate_of).collect();
    Known {
        gain_c: of(&|p| p.gain_c),
        tau_s: of(&|p| p.tau_s),
        rise_c_s: of(&|p| p.gain_c / p.tau_s),
        lag_s: of(&Plant::lag_s),
        ku: Interval::of_95(ultimate.iter().map(|u| u.ku)),
        tu_s: Interval::of_95(ultimate.iter().map(|u| u.tu_s)),
    }
}
