//! The state a machine must be in for a step.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::TOUCH_SAFE_C;
use wattotherm_measure::text::plain;
use wattotherm_measure::{Pen, Unit};

/// The state a machine must be in for a step.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Gate {
    /// Any.
    #[default]
    Any,
    /// Mains plug pulled, and cold.
    Unplugged,
    /// Switched on.
    Live,
    /// Safe to touch.
    Cold,
    /// Warm, and to be handled with care.
    Warm,
    /// Hot enough for the work.
    Hot {
        /// What the nozzle should be at [°C]; none for the print temperature of what is loaded.
        at_c: Option<f64>,
    },
}

/// Nozzle below which nothing is soft enough for work that wants it hot [°C]. Common practice, no source.
const HOT_C: f64 = 150.0;

impl Gate {
    /// Hot, at the print temperature.
    pub const HOT: Self = Self::Hot { at_c: None };

    /// On a chip beside the step; empty for any.
    #[must_use]
    pub fn says(self, pen: Pen) -> String {
        match self {
            Self::Any => String::new(),
            Self::Unplugged => "unplugged".into(),
            Self::Live => "live".into(),
            Self::Cold => "cold".into(),
            Self::Warm => "warm to touch".into(),
            Self::Hot { at_c: None } => "hot".into(),
            Self::Hot { at_c: Some(c) } => format!("hot, {}", pen.plain(c, Unit::Celsius, 0)),
        }
    }

    /// Whether it asks for a nozzle that can be touched.
    #[must_use]
    pub const fn needs_cold(self) -> bool {
        matches!(self, Self::Cold | Self::Unplugged)
    }

    /// Whether a nozzle at `at_c` [°C] breaks it.
    #[must_use]
    pub fn broken(self, at_c: f64) -> bool {
        self.needs_cold() && at_c > TOUCH_SAFE_C || matches!(self, Self::Hot { .. }) && at_c < HOT_C
    }

    /// What to say of a step done with the nozzle at `at_c` [°C], which broke it; quantities in braces.
    #[must_use]
    pub fn says_broken(self, at_c: f64) -> String {
        let shown = plain(at_c, 0);
        if self.needs_cold() {
            format!(
                "This step needs cold, and the nozzle was at {{{shown} °C}}: burns. Wait until it is at {{{} °C}} or less (the strip below counts down), untick and tick again, or say why not.",
                plain(TOUCH_SAFE_C, 0)
            )
        } else {
            format!(
                "This step needs heat, and the nozzle was at {{{shown} °C}}. Heat it, untick and tick again, or say why not."
            )
        }
    }
}
