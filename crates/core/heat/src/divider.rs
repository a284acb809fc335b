//! How a board reads a sensor: a divider with a pull-up, and a converter with steps.

use serde::Serialize;
use utoipa::ToSchema;

use super::sensor::SensorTable;

/// A board's sensor input.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Divider {
    /// Pull-up resistor [Ω]; 4.7 kΩ is common.
    pub pull_up_ohm: f64,
    /// Number of steps of the converter over its full range, oversampling counted in.
    pub counts: f64,
    /// Lowest temperature the board's table shows [°C].
    pub bottom_c: f64,
    /// Highest temperature the board's table shows [°C].
    pub top_c: f64,
}

impl Default for Divider {
    /// 4.7 kΩ, a 10-bit converter oversampled sixteen times, a table from 0 to 350 °C.
    /// Common practice, no published source.
    fn default() -> Self {
        Self {
            pull_up_ohm: 4_700.0,
            counts: 16_383.0,
            bottom_c: 0.0,
            top_c: 350.0,
        }
    }
}

impl Divider {
    /// Counts [1] that a resistance [Ω] gives: n·R/(R + pull-up), in whole counts.
    #[must_use]
    pub fn counts_of(&self, resistance_ohm: f64) -> f64 {
        if resistance_ohm.is_infinite() {
            return self.counts;
        }
        (self.counts * resistance_ohm / (resistance_ohm + self.pull_up_ohm)).round()
    }

    /// Temperature [°C] that the board shows for `counts` with the table it is set to. A full-scale
    /// count (open circuit) is one end of the table, a zero count (short) the other.
    #[must_use]
    pub fn shown_c(&self, counts: f64, set: &SensorTable) -> f64 {
        let hottest = if set.falls() {
            counts <= 0.5
        } else {
            counts >= self.counts - 0.5
        };
        let coldest = if set.falls() {
            counts >= self.counts - 0.5
        } else {
            counts <= 0.5
        };
        if hottest {
            return self.top_c;
        }
        if coldest {
            return self.bottom_c;
        }
        let r = self.pull_up_ohm * counts / (self.counts - counts);
        set.temp_c(r).clamp(self.bottom_c, self.top_c)
    }
}

/// Temperature [°C] the printer shows when a sensor of curve `fitted` at `true_c` [°C] is read with
/// the curve `set`. Without the converter's steps: the curve itself.
#[must_use]
pub fn displayed_c(fitted: &SensorTable, set: &SensorTable, true_c: f64) -> f64 {
    let d = Divider::default();
    set.temp_c(fitted.resistance_ohm(true_c))
        .clamp(d.bottom_c, d.top_c)
}

/// A point of the curve for a wrong sensor type.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct WrongTypePoint {
    /// True temperature [°C].
    pub true_c: f64,
    /// Temperature shown [°C].
    pub shown_c: f64,
}

/// What the printer shows over 20 to 300 °C when the set type is not the fitted one.
#[must_use]
pub fn wrong_type_curve(fitted: &SensorTable, set: &SensorTable) -> Vec<WrongTypePoint> {
    (2..=30)
        .map(|i| {
            let true_c = f64::from(i) * 10.0;
            WrongTypePoint {
                true_c,
                shown_c: displayed_c(fitted, set, true_c),
            }
        })
        .collect()
}
