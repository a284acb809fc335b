//! What would settle a "measure again".

use super::{Verdict, decide};

/// A way to measure better and the expanded uncertainty it is expected to reach.
#[derive(Clone, Debug, PartialEq)]
pub struct SettleOption<W> {
    /// The way, e.g. three more runs.
    pub way: W,
    /// Expected expanded uncertainty, in the unit of the error.
    pub expanded: f64,
}

/// Those ways that would decide, provided the error comes out as it is now.
///
/// An option decides where [`decide`] would no longer say measure again. Options come in the
/// order of preference and keep it. Domain: as [`decide`].
#[must_use]
pub fn what_would_settle<W>(
    error: f64,
    limit: f64,
    options: impl IntoIterator<Item = SettleOption<W>>,
) -> Vec<W> {
    options
        .into_iter()
        .filter(|o| decide(error, o.expanded, limit) != Verdict::MeasureAgain)
        .map(|o| o.way)
        .collect()
}
