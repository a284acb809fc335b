//! The plant near a working point: one or two lags and a dead time.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Two lags and a dead time, G(s) = K·e^(−Ls)/((τ1 s + 1)(τ2 s + 1)); with τ2 = 0 the plant is first
/// order plus dead time (FOPDT). Input duty (0 to 1), output °C above `ambient_c`.
///
/// τ1 is the block's C/k; τ2 the cartridge, the sensor's bead and their paste together: the second
/// mass. `ambient_c` is what the plant falls back to as seen from the working point, below the room
/// where radiation bends the curve.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Plant {
    /// Gain K [°C per unit duty].
    pub gain_c: f64,
    /// First time constant τ1 [s], the longer one.
    pub tau_s: f64,
    /// Second time constant τ2 [s]; 0 for FOPDT.
    pub tau2_s: f64,
    /// Dead time L [s].
    pub delay_s: f64,
    /// Temperature without heat [°C].
    pub ambient_c: f64,
}

/// A plant that can't be.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("a plant needs a gain and a time constant above 0, and lags of 0 or more")]
pub struct ModelError;

impl Plant {
    /// A first-order plant with dead time.
    /// # Errors
    /// [`ModelError`] unless gain and time constant are > 0 and the dead time ≥ 0, all finite.
    pub fn fopdt(
        gain_c: f64,
        tau_s: f64,
        delay_s: f64,
        ambient_c: f64,
    ) -> Result<Self, ModelError> {
        Self {
            gain_c,
            tau_s,
            tau2_s: 0.0,
            delay_s,
            ambient_c,
        }
        .checked()
    }

    /// Two masses in a row: heater mass `c1_j_k` [J/K] that is heated, `c2_j_k` [J/K] that loses
    /// `loss_w_k` [W/K] to air and is measured, coupled by `coupling_w_k` [W/K]; `power_w` [W] at
    /// full duty.
    ///
    /// Formula: C1·Ṫ1 = P·u − g(T1 − T2), C2·Ṫ2 = g(T1 − T2) − k(T2 − Tair): K = P/k and the two
    /// time constants are those of s²·C1C2/(gk) + s·(C1(g + k) + C2·g)/(gk) + 1.
    /// # Errors
    /// [`ModelError`] unless all are > 0 and finite.
    pub fn two_mass(
        c1_j_k: f64,
        c2_j_k: f64,
        coupling_w_k: f64,
        loss_w_k: f64,
        power_w: f64,
        ambient_c: f64,
    ) -> Result<Self, ModelError> {
        let gk = coupling_w_k * loss_w_k;
        let b = (c1_j_k * (coupling_w_k + loss_w_k) + c2_j_k * coupling_w_k) / gk;
        let a = c1_j_k * c2_j_k / gk;
        // The roots are real: two masses with one coupling can't ring.
        let root = (b * b - 4.0 * a).max(0.0).sqrt();
        Self {
            gain_c: power_w / loss_w_k,
            tau_s: f64::midpoint(b, root),
            tau2_s: (b - root) / 2.0,
            delay_s: 0.0,
            ambient_c,
        }
        .checked()
    }

    /// Itself, if it can be.
    /// # Errors
    /// [`ModelError`].
    pub fn checked(self) -> Result<Self, ModelError> {
        let all = [
            self.gain_c,
            self.tau_s,
            self.tau2_s,
            self.delay_s,
            self.ambient_c,
        ];
        let fine = all.iter().all(|v| v.is_finite())
            && self.gain_c > 0.0
            && self.tau_s > 0.0
            && self.tau2_s >= 0.0
            && self.delay_s >= 0.0;
        if fine { Ok(self) } else { Err(ModelError) }
    }

    /// The first-order plant nearest to this one: half of the second lag goes to the dead time,
    /// half to the first lag. Source: the half rule, Skogestad 2003, J. Process Control 13, 291-309.
    #[must_use]
    pub fn as_fopdt(&self) -> Self {
        Self {
            tau_s: self.tau_s + self.tau2_s / 2.0,
            tau2_s: 0.0,
            delay_s: self.delay_s + self.tau2_s / 2.0,
            ..*self
        }
    }

    /// Duty that holds `temp_c` [°C], 0 to 1.
    #[must_use]
    pub fn holding_duty(&self, temp_c: f64) -> f64 {
        ((temp_c - self.ambient_c) / self.gain_c).clamp(0.0, 1.0)
    }

    /// Sum of the lags that make a loop sluggish: dead time and second lag [s].
    #[must_use]
    pub fn lag_s(&self) -> f64 {
        self.delay_s + self.tau2_s
    }
}

/// A plant stepping through time, input held between steps (exact, not by small differences).
#[derive(Clone, Debug)]
pub(crate) struct Stepper {
    gain: f64,
    e1: f64,
    e2: f64,
    cross: f64,
    two: bool,
    x1: f64,
    x2: f64,
    ambient: f64,
    past: Vec<f64>,
    at: usize,
    /// Part of a step that the dead time has beyond whole steps.
    part: f64,
}

impl Stepper {
    /// At rest at `start_c`, having been fed `duty` so far.
    pub(crate) fn new(plant: &Plant, dt_s: f64, start_c: f64, duty: f64) -> Self {
        debug_assert!(dt_s > 0.0);
        let two = plant.tau2_s > 1e-6;
        let (e1, e2) = (
            (-dt_s / plant.tau_s).exp(),
            if two {
                (-dt_s / plant.tau2_s).exp()
            } else {
                0.0
            },
        );
        // Equal time constants would divide by nothing: a hair apart is the same plant.
        let gap = plant.tau_s - plant.tau2_s;
        let gap = if gap.abs() < 1e-6 * plant.tau_s {
            1e-6 * plant.tau_s
        } else {
            gap
        };
        let steps = plant.delay_s / dt_s;
        let whole = steps.floor();
        // OK because a dead time is at most minutes and a step at least milliseconds.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let length = (whole as usize).min(200_000) + 2;
        Self {
            gain: plant.gain_c,
            e1,
            e2,
            cross: plant.tau_s / gap * (e1 - e2),
            two,
            x1: start_c - plant.ambient_c,
            x2: start_c - plant.ambient_c,
            ambient: plant.ambient_c,
            past: vec![duty; length],
            at: 0,
            part: steps - whole,
        }
    }

    /// One step with this duty; the temperature [°C] at its end.
    #[inline]
    pub(crate) fn step(&mut self, duty: f64) -> f64 {
        self.past[self.at] = duty;
        self.at += 1;
        if self.at == self.past.len() {
            self.at = 0;
        }
        // The oldest two entries surround the dead time.
        let older = self.past[self.at];
        let next = if self.at + 1 == self.past.len() {
            0
        } else {
            self.at + 1
        };
        let newer = self.past[next];
        let u = newer + (older - newer) * self.part;
        let to = self.gain * u;
        if self.two {
            self.x2 = to + (self.x2 - to) * self.e2 + (self.x1 - to) * self.cross;
        }
        self.x1 = to + (self.x1 - to) * self.e1;
        self.ambient + if self.two { self.x2 } else { self.x1 }
    }
}
