//! How a mean was taken: with what, how often, how they scatter. Shared by the stations that measure a series.

use serde::{Deserialize, Serialize};
use wattotherm_measure::{FreshMean, Instrument, Pen, Unit};

/// A series as it was taken.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Taken {
    /// How many readings.
    pub n: usize,
    /// Their standard deviation.
    pub s: f64,
    /// They scatter more than the instrument explains, by a test.
    pub scatters: bool,
    /// What they were taken with.
    pub instrument: Instrument,
}

impl Taken {
    /// What was taken, with what.
    pub fn of(mean: &FreshMean, instrument: &Instrument) -> Self {
        Self {
            n: mean.series.n,
            s: mean.series.s,
            scatters: mean.scatters,
            instrument: instrument.clone(),
        }
    }

    /// What the uncertainty rests on; `one` and `many` name the readings, e.g. "run" and "runs".
    pub fn rests_on(&self, pen: Pen, unit: Unit, decimals: usize, one: &str, many: &str) -> String {
        if self.n == 1 {
            format!("One {one}: the uncertainty rests on the instrument alone.")
        } else if self.scatters {
            format!(
                "The {many} scatter by {}, more than the instrument explains.",
                pen.plain(self.s, unit.of_difference(), decimals)
            )
        } else {
            format!(
                "The {many} agree as well as the instrument can see; its limit and their scatter count together."
            )
        }
    }
}

/// "one more run", "3 more runs".
pub(super) fn more(n: usize, one: &str, many: &str) -> String {
    if n == 1 {
        format!("one more {one}")
    } else {
        format!("{n} more {many}")
    }
}
