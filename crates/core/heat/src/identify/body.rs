//! The body that is fitted: a heated mass that loses more than in proportion as it gets hot, a sensor behind it,
//! a dead time.

use super::record::Record;
use crate::model::Plant;

/// What a fit turns.
pub(super) const N: usize = 9;
/// ln K, ln τ, ln τ2, L [s], β [per 100 K], room [°C], start [°C], block above the sensor at the start [K], γ [per
/// (100 K)²].
pub(super) type Theta = [f64; N];

/// Bounds of each.
const LEAST: Theta = [3.4, 1.5, -3.0, 0.01, -0.15, -10.0, -30.0, -80.0, -0.1];
const MOST: Theta = [8.0, 8.0, 4.5, 60.0, 0.5, 90.0, 400.0, 80.0, 0.15];

/// Within bounds, with the second lag the shorter one: exchanging them is the same body.
pub(super) fn bounded(mut p: Theta) -> Theta {
    for i in 0..N {
        p[i] = p[i].clamp(LEAST[i], MOST[i]);
    }
    p[2] = p[2].min(p[1] - 0.7);
    p
}

/// What the sensor would have shown at each reading of the record.
///
/// τ·ẋ = K·u(t − L) − x·(1 + β·x/100 K + γ·(x/100 K)²), τ2·ẏ = x − y, temperatures above the room: β and γ carry
/// what radiation and rising convection add. Each step is exact for the slope at its start.
pub(super) fn shown_by(p: &Theta, record: &Record, out: &mut Vec<f64>) {
    let (gain, tau, tau2) = (p[0].exp(), p[1].exp(), p[2].exp());
    let (beta, gamma) = (p[4] / 100.0, p[8] / 10_000.0);
    let dt = record.dt;
    let e2 = (-dt / tau2).exp();
    let late = p[3] / dt;
    let mut y = p[6] - p[5];
    let mut x = y + p[7];
    out.clear();
    let mut next = record.shown.iter();
    let mut want = next.next();
    let mut before = record.given_until(-late);
    for step in 0..=record.steps {
        let from = y;
        #[allow(clippy::cast_precision_loss)]
        let until = record.given_until((step + 1) as f64 - late);
        let duty = (until - before) / dt;
        before = until;
        let loss = (1.0 + x * (beta + gamma * x)).max(0.2);
        let z = loss * dt / tau;
        // e^(−z) for a step that is short beside the lag.
        let faded = 1.0 / (1.0 + z * (1.0 + z * (0.5 + z / 6.0)));
        let to = gain * duty / loss;
        let x_next = to + (x - to) * faded;
        let rise = (x_next - x) / dt * tau2;
        y = x_next - rise + (y - x + rise) * e2;
        x = x_next;
        while let Some(w) = want.filter(|w| w.step == step) {
            out.push(p[5] + from + (y - from) * w.part);
            want = next.next();
        }
    }
}

/// The plant that the body is about `target_c`.
pub(super) fn plant_at(p: &Theta, target_c: f64) -> Plant {
    let above = target_c - p[5];
    let (beta, gamma) = (p[4] * above / 100.0, p[8] * (above / 100.0).powi(2));
    let slope = (1.0 + 2.0 * beta + 3.0 * gamma).max(0.2);
    Plant {
        gain_c: p[0].exp() / slope,
        tau_s: p[1].exp() / slope,
        tau2_s: p[2].exp(),
        delay_s: p[3],
        ambient_c: target_c - above * (1.0 + beta + gamma) / slope,
    }
}

/// What shifting a unit switch by a second does to what is shown, at each step after the switch [K/s]: the impulse
/// response about `target_c`, after the dead time.
pub(super) fn impulse(p: &Theta, target_c: f64, dt: f64, steps: usize, out: &mut Vec<f64>) {
    let plant = plant_at(p, target_c);
    let (e1, e2) = ((-dt / plant.tau_s).exp(), (-dt / plant.tau2_s).exp());
    let size = plant.gain_c / (plant.tau_s - plant.tau2_s);
    let (mut slow, mut fast) = (size, size);
    out.clear();
    for _ in 0..steps {
        out.push(slow - fast);
        slow *= e1;
        fast *= e2;
    }
}
