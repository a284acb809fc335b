//! What scale an axis would need, from one length.

use serde::{Deserialize, Serialize};
use wattotherm_measure::Verdict;

use crate::finding::Band;

/// A scale that would bring an axis to its length.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Scale {
    /// The band's id.
    pub axis: String,
    /// Scale [%].
    pub percent: f64,
    /// Expanded uncertainty of it [%].
    pub expanded: f64,
}

/// Scales of the axes that are out, beyond their uncertainty; what passes is left as it is.
///
/// Formula: scale = 100 · asked / measured; U by the same ratio. One length doesn't tell scale from a constant part: a wall
/// that is too fat adds the same to every length.
pub(super) fn scales(bands: &[Band]) -> Vec<Scale> {
    bands
        .iter()
        .filter(|b| b.verdict != Verdict::Pass && b.error.abs() > b.expanded && b.measured > 0.0)
        .map(|b| Scale {
            axis: b.id.clone(),
            percent: 100.0 * b.nominal / b.measured,
            expanded: 100.0 * b.nominal / b.measured.powi(2) * b.expanded,
        })
        .collect()
}
