//! What readings are taken with.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::pen::Pen;
use crate::unit::Unit;

/// What an instrument measures.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum InstrumentKind {
    /// Lengths of tens of millimetres.
    Rule,
    /// Thickness and edges by jaws.
    Caliper,
    /// Thickness by screw.
    Micrometer,
    /// Mass.
    Balance,
    /// A blade of known thickness.
    Feeler,
    /// A sheet of paper as gauge.
    Paper,
    /// Height by a dial indicator or by the printer's own probe.
    HeightGauge,
}

impl InstrumentKind {
    /// Whether it measures what the other measures: lengths, or mass.
    #[must_use]
    pub fn measures_as(self, other: Self) -> bool {
        (self == Self::Balance) == (other == Self::Balance)
    }
}

/// An instrument with its limits.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Instrument {
    /// Identifier, e.g. `steel_rule`.
    pub id: String,
    /// Name, e.g. "steel rule".
    pub name: String,
    /// What it measures.
    pub kind: InstrumentKind,
    /// Unit of its readings and limits, "mm" or "g".
    pub unit: String,
    /// Every fresh reading lies within ± this [the instrument's unit] of the truth (rectangular).
    pub half_width: f64,
    /// Error that all readings of one series share, ± (rectangular): the zero, set once. For a
    /// paper, feeler or height gauge: its thickness or zero.
    pub shared_half_width: f64,
    /// Relative scale error shared by all readings, ± (rectangular), as a fraction.
    pub scale_fraction: f64,
    /// Thickness of a gauge [mm]; none for other kinds.
    pub nominal: Option<f64>,
}

impl Instrument {
    /// "steel rule ±0.5 mm".
    #[must_use]
    pub fn describe(&self, pen: Pen) -> String {
        let width = if self.half_width > 0.0 {
            self.half_width
        } else {
            self.shared_half_width
        };
        let unit = Unit::of(&self.unit).unwrap_or_default();
        format!("{} ±{}", self.name, pen.plain(width, unit, 4))
    }
}

/// Instruments every shop begins with.
///
/// Source: resolutions and limits are common practice, no published source, and the shop edits
/// them. The shared zero errors are half of the usual last digit (our own judgement): the zero is
/// set once for a series, and repeating doesn't shrink what all readings have in common.
#[must_use]
pub fn default_instruments() -> Vec<Instrument> {
    use InstrumentKind as K;
    let make =
        |id: &str, name: &str, kind, unit: &str, half_width, shared, scale, nominal| Instrument {
            id: id.into(),
            name: name.into(),
            kind,
            unit: unit.into(),
            half_width,
            shared_half_width: shared,
            scale_fraction: scale,
            nominal,
        };
    vec![
        make(
            "steel_rule",
            "steel rule",
            K::Rule,
            "mm",
            0.5,
            0.0,
            0.001,
            None,
        ),
        make(
            "caliper",
            "caliper",
            K::Caliper,
            "mm",
            0.02,
            0.005,
            0.0,
            None,
        ),
        make(
            "micrometer",
            "micrometer",
            K::Micrometer,
            "mm",
            0.004,
            0.0005,
            0.0,
            None,
        ),
        make(
            "balance",
            "balance",
            K::Balance,
            "g",
            0.01,
            0.005,
            0.0,
            None,
        ),
        make(
            "feeler",
            "feeler gauge 0.10",
            K::Feeler,
            "mm",
            0.0,
            0.005,
            0.0,
            Some(0.10),
        ),
        make(
            "paper",
            "paper 80 g/m²",
            K::Paper,
            "mm",
            0.0,
            0.01,
            0.0,
            Some(0.10),
        ),
        make(
            "height_gauge",
            "dial or probe",
            K::HeightGauge,
            "mm",
            0.01,
            0.0,
            0.0,
            None,
        ),
    ]
}
