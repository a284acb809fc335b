//! The second hot end: one block in the air, heated by a loop of its own. Nothing is wrong with it.

use crate::physics::STEP_S;

/// Heat capacity of block and nozzle [J/K], heater [W], loss to the air [W/K], and how much of the full output a degree
/// below the target asks for [1/K]. Invented, as of a standard hot end.
const BLOCK_J_K: f64 = 12.0;
const HEATER_W: f64 = 40.0;
const LOSS_W_K: f64 = 0.095;
const DUTY_A_DEGREE: f64 = 0.08;

/// Where it stands from the first, as both left the bench [mm].
pub(crate) const SECOND_MM: [f64; 2] = [24.0, 0.0];

/// The second hot end.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Second {
    pub at_c: f64,
    pub target_c: f64,
    pub duty: f64,
    room_c: f64,
}

impl Second {
    /// Cold, in a room so warm [°C].
    pub const fn in_a_room(room_c: f64) -> Self {
        Self {
            at_c: room_c,
            target_c: 0.0,
            duty: 0.0,
            room_c,
        }
    }

    /// Everything off; the metal stays as hot as it is.
    pub const fn off(&mut self) {
        self.target_c = 0.0;
        self.duty = 0.0;
    }

    /// One physical step.
    pub fn step(&mut self) {
        let loss_w = LOSS_W_K * (self.at_c - self.room_c);
        self.duty = if self.target_c > 0.0 {
            let holds = LOSS_W_K * (self.target_c - self.room_c) / HEATER_W;
            (holds + DUTY_A_DEGREE * (self.target_c - self.at_c)).clamp(0.0, 1.0)
        } else {
            0.0
        };
        self.at_c += STEP_S * (self.duty * HEATER_W - loss_w) / BLOCK_J_K;
    }
}
