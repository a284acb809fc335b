//! Pass, adjust, measure again or stop.

use serde::{Deserialize, Serialize};
use strum::{EnumString, IntoStaticStr};
use utoipa::ToSchema;

/// What a station decides.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    Hash,
    Serialize,
    Deserialize,
    ToSchema,
    EnumString,
    IntoStaticStr,
)]
#[serde(rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum Verdict {
    /// Keep the value, go on.
    Pass,
    /// Set the proposed value, then repeat.
    Adjust,
    /// The readings can't decide; the finding says what would.
    MeasureAgain,
    /// Implausible or hazardous: find the fault, set nothing.
    Stop,
}

impl Verdict {
    /// "Pass", "Adjust", "Measure again", "Stop".
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Pass => "Pass",
            Self::Adjust => "Adjust",
            Self::MeasureAgain => "Measure again",
            Self::Stop => "Stop",
        }
    }

    /// Identifier used in JSON and the database.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.into()
    }
}

/// Decides from an error, its expanded uncertainty and a limit, all in one unit.
///
/// Pass when |e| + U ≤ L; adjust when |e| > U and not pass; otherwise measure again. Stop is each
/// station's own to say.
/// Source: ISO 14253-1 (conformity proven only inside the limit less the uncertainty);
/// JCGM 106:2012, 8.3 (guarded acceptance). Domain: finite, U ≥ 0, L > 0.
///
/// # Example
/// ```
/// use wattotherm_measure::{Verdict, decide};
/// assert_eq!(decide(0.1, 0.3, 0.5), Verdict::Pass);
/// assert_eq!(decide(-7.3, 0.6, 0.5), Verdict::Adjust);
/// assert_eq!(decide(0.3, 0.8, 0.5), Verdict::MeasureAgain);
/// ```
#[must_use]
pub fn decide(error: f64, expanded: f64, limit: f64) -> Verdict {
    debug_assert!(error.is_finite() && expanded >= 0.0 && limit > 0.0);
    // A reading that sits on the limit to the last printed digit is on it: without the slack
    // 20.1 - 20 would exceed 0.1 by a rounding error of the subtraction.
    let slack = 1e-9 * limit;
    if error.abs() + expanded <= limit + slack {
        Verdict::Pass
    } else if error.abs() > expanded {
        Verdict::Adjust
    } else {
        Verdict::MeasureAgain
    }
}

/// Decides from a quantity that is good only while it is small (a spread, a dip, an overshoot, a range), its one-sided
/// expanded uncertainty ([`crate::expanded_one_sided`]) and the limit, all in one unit.
///
/// Pass when x + U ≤ L; adjust when x − U > L; otherwise measure again. Source: JCGM 106:2012, 8.3 (one-sided guard
/// band). Domain: finite, U ≥ 0, L > 0.
#[must_use]
pub fn decide_one_sided(value: f64, expanded: f64, limit: f64) -> Verdict {
    debug_assert!(value.is_finite() && expanded >= 0.0 && limit > 0.0);
    let slack = 1e-9 * limit;
    if value + expanded <= limit + slack {
        Verdict::Pass
    } else if value - expanded > limit + slack {
        Verdict::Adjust
    } else {
        Verdict::MeasureAgain
    }
}
