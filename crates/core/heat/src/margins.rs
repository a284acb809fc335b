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
const STEPS: u32 = 250;

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
    let late = |(_, phase): (f64, f64)| phase < -PI;
    let small = |(size, _): (f64, f64)| size < 1.0;
    // Where between two frequencies the side changes.
    let bisect = |mut a: f64, mut b: f64, side: &dyn Fn((f64, f64)) -> bool| {
        let after = side(open_loop(plant, settings, b));
        for _ in 0..40 {
            let mid = f64::midpoint(a, b);
            if side(open_loop(plant, settings, mid)) == after {
                b = mid;
            } else {
                a = mid;
            }
        }
        open_loop(plant, settings, f64::midpoint(a, b))
    };
    let (mut gain, mut phase): (Option<f64>, Option<f64>) = (None, None);
    let mut before = open_loop(plant, settings, LOW);
    for i in 1..=STEPS {
        let here = open_loop(plant, settings, at(i));
        if late(before) != late(here) {
            let g = 1.0 / bisect(at(i - 1), at(i), &late).0;
            if gain.is_none_or(|b| g.ln().abs() < b.ln().abs()) {
                gain = Some(g);
            }
        }
        if small(before) != small(here) {
            let p = bisect(at(i - 1), at(i), &small).1 + PI;
            if phase.is_none_or(|b| p.abs() < b.abs()) {
                phase = Some(p);
            }
        }
        before = here;
    }
    let (gain, phase) = (gain?, phase?);
    Some(Margins {
        gain,
        phase_deg: phase.to_degrees(),
    })
}
