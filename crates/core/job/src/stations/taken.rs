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
    /// The uncertainty rests on the instrument alone.
    pub instrument_alone: bool,
    /// What they were taken with.
    pub instrument: Instrument,
}

impl Taken {
    /// What was taken, with what.
    pub fn of(mean: &FreshMean, instrument: &Instrument) -> Self {
        Self {
            n: mean.series.n,
            s: mean.series.s,
            instrument_alone: mean.instrument_alone,
            instrument: instrument.clone(),
        }
    }

    /// What the uncertainty rests on; `one` and `many` name the readings, e.g. "run" and "runs".
    pub fn rests_on(&self, pen: Pen, unit: Unit, decimals: usize, one: &str, many: &str) -> String {
        if self.n == 1 {
            format!("One {one}: the uncertainty rests on the instrument alone.")
        } else if self.instrument_alone {
            format!(
                "The {many} agree better than the instrument can see, so its limit sets the uncertainty."
            )
        } else {
            format!(
                "The {many} scatter by {}, more than the instrument explains.",
                pen.plain(self.s, unit.of_difference(), decimals)
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
