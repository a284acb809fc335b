//! What a job leaves in doubt when it ends.

use wattotherm_printer::Parameter;

use super::{LineState, Stop, Traveller};
use crate::chain::Strength;

/// A value that a job left unproven.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LeftOpen {
    /// Which.
    pub parameter: Parameter,
    /// Of which filament; none for a value of the machine.
    pub filament_id: Option<i64>,
    /// How strongly.
    pub strength: Strength,
    /// Why, as a clause.
    pub clause: String,
}

/// What stays in doubt when job `number` ends as its card says: values that are open, and those left out. What only
/// waits for another value to move stays with that one.
#[must_use]
pub fn left_in_doubt(card: &Traveller, number: i64) -> Vec<LeftOpen> {
    let lines = card.lines.iter();
    lines
        .filter_map(|l| {
            let Ok(Stop::Parameter(parameter, filament_id)) = l.key.parse() else {
                return None;
            };
            let how = match l.state {
                LineState::Waived => "left out",
                LineState::Open | LineState::Stopped => "left open",
                LineState::Conditional | LineState::Closed | LineState::Released => return None,
            };
            Some(LeftOpen {
                parameter,
                filament_id,
                strength: l.strength.unwrap_or(Strength::Verify),
                clause: format!("it was {how} in job {number}"),
            })
        })
        .collect()
}
