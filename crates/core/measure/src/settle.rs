//! What would settle a "measure again".

use super::{Verdict, decide};

/// A way to measure better and the expanded uncertainty it is expected to reach.
#[derive(Clone, Debug, PartialEq)]
pub struct SettleOption {
    /// Imperative phrase, e.g. "take 3 more runs".
    pub says: String,
    /// Expected expanded uncertainty, in the unit of the error.
    pub expanded: f64,
}

/// Phrases of those options that would decide, provided the error comes out as it is now.
///
/// An option decides where [`decide`] would no longer say measure again. Options come in the
/// order of preference and keep it. Domain: as [`decide`].
#[must_use]
pub fn what_would_settle(
    error: f64,
    limit: f64,
    options: impl IntoIterator<Item = SettleOption>,
) -> Vec<String> {
    options
        .into_iter()
        .filter(|o| decide(error, o.expanded, limit) != Verdict::MeasureAgain)
        .map(|o| o.says)
        .collect()
}
