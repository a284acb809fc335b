//! What rests on what, what a replaced part shakes, and what early cutoff releases.
//!
//! A printer's parameters hang from its parts. [`tables`] holds the two tables of the trade
//! (common practice, no published source); [`plan`] walks them the way an incremental build
//! system does. Source: Mokhov, Mitchell, Peyton Jones, "Build systems à la carte", 2018
//! (early cutoff).

mod effort;
mod plan;
mod reasons;
mod tables;

pub use effort::{Effort, effort_of};
pub use plan::{Asked, Outcome, Plan, PlanInput, PlanLine, StaleCause, Status, plan};
pub use tables::{ARROWS, Arrow, CellOverride, ChainTables, default_cell};

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How strongly a cause shakes a parameter. `Verify < Redo`.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Strength {
    /// A quick check; redo only if it fails.
    Verify,
    /// The old value is presumed wrong.
    Redo,
}

impl Strength {
    /// "verify" or "redo".
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Verify => "verify",
            Self::Redo => "redo",
        }
    }

    /// The strength with this [`Strength::word`]; verify for any other.
    #[must_use]
    pub fn of_word(word: &str) -> Self {
        if word == Self::Redo.word() {
            Self::Redo
        } else {
            Self::Verify
        }
    }
}
