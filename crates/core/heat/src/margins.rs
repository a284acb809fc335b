//! How far a loop is from swinging: gain and phase margin.

use std::f64::consts::PI;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::control::ControllerSettings;
use super::model::Plant;

/// Margins of a loop. Usual wishes: gain margin 2 or more, phase margin 45° or more (Åström & Hägglund
/// 2006, "Advanced PID Control", section 4.6).
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Margins {
    /// How many times the gain may grow before the loop swings.
    pub gain: f64,
    /// How much later the phase may come [°].
    pub phase_deg: f64,
}

/// Frequency range that hot ends lie in [rad/s], and steps over it.
const LOW: f64 = 1e-4;
const HIGH: f64 = 30.0;
const STEPS: u32 = 4_000;

/// Size and phase [rad] of plant and controller in series at `w` [rad/s].
fn open_loop(plant: &Plant, s: &ControllerSettings, w: f64) -> (f64, f64) {
    let g = &s.gains;
    let lag = |tau: f64| ((w * tau).hypot(1.0), (w * tau).atan());
    let (m1, p1) = lag(plant.tau_s);
    let (m2, p2) = lag(plant.tau2_s);
    // Controller: Kp + Ki/jw + jw·Kd/(1 + jw·Tf), parts real and imaginary.
    let tf = s.derivative_filter_s;
    let filtered = g.kd * w / (1.0 + (w * tf).powi(2));
    let (re, im) = (g.kp + filtered * w * tf, filtered - g.ki / w);
    (
        plant.gain_c * re.hypot(im) / (m1 * m2),
        im.atan2(re) - p1 - p2 - w * plant.delay_s,
    )
}

/// Gain and phase margin of a loop, continuous in time: of all crossings of −180° the one nearest to gain 1, of
/// all crossings of gain 1 the one nearest to −180°.
///
/// A loop with a strong integral can lie beyond −180° at low frequencies, where its gain is high, and come back:
/// the first crossing is then not the one that counts. Source: definitions as in any textbook of control (Åström
/// & Murray, "Feedback Systems", 2008, 9.3); checked against a reference library. None where the phase or the gain
/// crosses nothing in the range of hot ends: such a loop can't swing there.
#[must_use]
pub fn margins(plant: &Plant, settings: &ControllerSettings) -> Option<Margins> {
    let at = |i: u32| LOW * (HIGH / LOW).powf(f64::from(i) / f64::from(STEPS));
    let bisect = |mut a: f64, mut b: f64, crossed: &dyn Fn(f64) -> bool| {
        for _ in 0..60 {
            let mid = f64::midpoint(a, b);
            if crossed(mid) {
                b = mid;
            } else {
                a = mid;
            }
        }
        f64::midpoint(a, b)
    };
    let late = |w: f64| open_loop(plant, settings, w).1 < -PI;
    let small = |w: f64| open_loop(plant, settings, w).0 < 1.0;
    // Each crossing, whichever way, as the frequency where it is.
    let crossings = |side: &dyn Fn(f64) -> bool| -> Vec<f64> {
        (1..=STEPS)
            .filter(|i| side(at(i - 1)) != side(at(*i)))
            .map(|i| {
                let after = side(at(i));
                bisect(at(i - 1), at(i), &|w| side(w) == after)
            })
            .collect()
    };
    let gain = crossings(&late)
        .into_iter()
        .map(|w| 1.0 / open_loop(plant, settings, w).0)
        .min_by(|a, b| a.ln().abs().total_cmp(&b.ln().abs()))?;
    let phase = crossings(&small)
        .into_iter()
        .map(|w| open_loop(plant, settings, w).1 + PI)
        .min_by(|a, b| a.abs().total_cmp(&b.abs()))?;
    Some(Margins {
        gain,
        phase_deg: phase.to_degrees(),
    })
}
