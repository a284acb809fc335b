//! Waits that somebody set a timer for: annealing, drying, a soak of the bed.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::Deed;

/// A timer as it was set.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Timer {
    /// What waits.
    pub what: String,
    /// For how long [min].
    pub minutes: f64,
}

/// Longest timer [min]: two days, as filament is dried.
pub const MOST_TIMER_MIN: f64 = 2_880.0;

impl Timer {
    /// "anneal at 100 °C: 12 min left", `since_min` [min] after it was set.
    #[must_use]
    pub fn says(&self, since_min: f64) -> String {
        let left = self.minutes - since_min;
        if left > 0.0 {
            format!("{}: {:.0} min left", self.what, left.ceil())
        } else if left > -1.0 {
            format!("{}: over now", self.what)
        } else {
            format!("{}: over for {:.0} min", self.what, -left)
        }
    }
}

/// Timers that were set and not ended, given a job's deeds, the oldest first, each with what belongs to it. One set
/// anew under its name begins again.
#[must_use]
pub fn running<'a, T>(deeds: impl IntoIterator<Item = (T, &'a Deed)>) -> Vec<(T, Timer)> {
    let mut open: Vec<(T, Timer)> = Vec::new();
    for (of, deed) in deeds {
        match deed {
            Deed::TimerSet { what, minutes } => {
                open.retain(|(_, t)| t.what != *what);
                let (what, minutes) = (what.clone(), *minutes);
                open.push((of, Timer { what, minutes }));
            }
            Deed::TimerOver { what } => open.retain(|(_, t)| t.what != *what),
            _ => {}
        }
    }
    open
}
