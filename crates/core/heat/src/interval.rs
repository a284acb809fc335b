//! From where to where something lies.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// From where to where, in the unit of what it is of.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Interval {
    /// Lower end [unit of the quantity].
    pub low: f64,
    /// Upper end [unit of the quantity].
    pub high: f64,
}

impl Interval {
    /// The middle 95 % of `values`; both ends 0 for none.
    #[must_use]
    pub fn of_95(values: impl IntoIterator<Item = f64>) -> Self {
        let mut v: Vec<f64> = values.into_iter().collect();
        v.sort_by(f64::total_cmp);
        let at = |share: f64| {
            let Some(last) = v.len().checked_sub(1) else {
                return 0.0;
            };
            #[allow(clippy::cast_precision_loss)]
            let place = share * last as f64;
            // OK because a share of the last place is a place.
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            let whole = place as usize;
            let next = v[(whole + 1).min(last)];
            v[whole] + (next - v[whole]) * place.fract()
        };
        Self {
            low: at(0.025),
            high: at(0.975),
        }
    }

    /// Whether `value` lies in it.
    #[must_use]
    pub fn holds(&self, value: f64) -> bool {
        (self.low..=self.high).contains(&value)
    }
}
