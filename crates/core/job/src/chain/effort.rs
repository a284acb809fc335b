//! What a station costs.

use std::iter::Sum;
use std::ops::Add;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::Parameter;

use super::Strength;

/// Minutes of hands, minutes of waiting, and filament used.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Effort {
    /// Minutes in which a person is busy.
    pub hands_min: f64,
    /// Minutes of heating, cooling or printing without hands.
    pub wait_min: f64,
    /// Filament used [m].
    pub filament_m: f64,
}

impl Effort {
    /// An effort of hands [min], waiting [min] and filament [m].
    #[must_use]
    pub const fn new(hands_min: f64, wait_min: f64, filament_m: f64) -> Self {
        Self {
            hands_min,
            wait_min,
            filament_m,
        }
    }
}

impl Add for Effort {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self {
            hands_min: self.hands_min + other.hands_min,
            wait_min: self.wait_min + other.wait_min,
            filament_m: self.filament_m + other.filament_m,
        }
    }
}

impl Sum for Effort {
    fn sum<I: Iterator<Item = Self>>(iter: I) -> Self {
        iter.fold(Self::default(), Add::add)
    }
}

/// What working through one parameter takes.
///
/// Source: our own estimate of common practice, no published source. Redo never costs less than
/// verify, so that a stronger plan is never a cheaper one.
#[must_use]
pub const fn effort_of(parameter: Parameter, strength: Strength) -> Effort {
    let (verify, redo) = match parameter {
        Parameter::SensorType => (Effort::new(3.0, 0.0, 0.0), Effort::new(6.0, 2.0, 0.0)),
        Parameter::Ceiling => (Effort::new(2.0, 0.0, 0.0), Effort::new(4.0, 0.0, 0.0)),
        Parameter::HeaterLoop => (Effort::new(3.0, 8.0, 0.0), Effort::new(5.0, 20.0, 0.0)),
        Parameter::Drive => (Effort::new(6.0, 5.0, 0.2), Effort::new(12.0, 5.0, 0.6)),
        Parameter::Profile => (Effort::new(3.0, 0.0, 0.0), Effort::new(8.0, 0.0, 0.0)),
        Parameter::Tram => (Effort::new(5.0, 5.0, 0.0), Effort::new(12.0, 5.0, 0.0)),
        Parameter::OffsetZ => (Effort::new(2.0, 6.0, 0.5), Effort::new(4.0, 12.0, 1.0)),
        Parameter::OffsetXy => (Effort::new(4.0, 8.0, 1.0), Effort::new(8.0, 16.0, 2.0)),
        Parameter::PrintTemp => (Effort::new(4.0, 25.0, 4.0), Effort::new(6.0, 50.0, 8.0)),
        Parameter::VolumetricLimit => (Effort::new(2.0, 4.0, 2.0), Effort::new(5.0, 8.0, 4.0)),
        Parameter::Flow => (Effort::new(2.0, 12.0, 1.5), Effort::new(6.0, 24.0, 3.0)),
        Parameter::PressureAdvance => (Effort::new(1.0, 8.0, 1.5), Effort::new(3.0, 16.0, 3.0)),
        Parameter::Retraction => (Effort::new(1.0, 12.0, 2.0), Effort::new(6.0, 40.0, 6.0)),
    };
    match strength {
        Strength::Verify => verify,
        Strength::Redo => redo,
    }
}
