//! Looks of a surface at acceptance, and the station each points at.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::Unit;
use wattotherm_measure::entry::{Entry, Intake, Limit};
use wattotherm_printer::Parameter;

use crate::form::Field;

/// Scores of a surface, 0 (none) to 5 (all over); blank where it wasn't looked at.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SurfaceScores {
    /// Corners that bulge or are thin.
    pub corners: Entry,
    /// Shadows beside edges and letters.
    pub ringing: Entry,
    /// Gaps between lines.
    pub gaps: Entry,
    /// Blobs and pits.
    pub blobs: Entry,
}

/// A look of a surface.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(super) enum Look {
    Corners,
    Ringing,
    Gaps,
    Blobs,
}

const SCORE: Limit = Limit::new(
    "surface",
    "score of the surface",
    Unit::One,
    [0.0, 5.0, 0.0, 5.0],
    "looks go from 0 (none) to 5 (all over)",
);

/// Highest score that is accepted [1]: what a customer doesn't see at arm's length. Common practice, no source.
pub(super) const SURFACE_MOST: f64 = 2.0;

impl Look {
    pub const ALL: [Self; 4] = [Self::Corners, Self::Ringing, Self::Gaps, Self::Blobs];

    const fn field(self) -> &'static str {
        match self {
            Self::Corners => "surface.corners",
            Self::Ringing => "surface.ringing",
            Self::Gaps => "surface.gaps",
            Self::Blobs => "surface.blobs",
        }
    }

    /// As it is said in a sentence.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Corners => "corners that bulge or are thin",
            Self::Ringing => "shadows beside edges",
            Self::Gaps => "gaps between lines",
            Self::Blobs => "blobs and pits",
        }
    }

    /// Where it points; shadows come from the frame and belts, which no setting of a filament cures. Common practice, no
    /// source.
    pub const fn points_to(self) -> Option<Parameter> {
        match self {
            Self::Corners => Some(Parameter::PressureAdvance),
            Self::Gaps => Some(Parameter::Flow),
            Self::Blobs => Some(Parameter::Retraction),
            Self::Ringing => None,
        }
    }

    fn of(self, scores: &SurfaceScores) -> &Entry {
        match self {
            Self::Corners => &scores.corners,
            Self::Ringing => &scores.ringing,
            Self::Gaps => &scores.gaps,
            Self::Blobs => &scores.blobs,
        }
    }
}

/// The fields of all looks.
pub(super) fn fields() -> Vec<Field> {
    [
        "Corners bulge or are thin",
        "Shadows beside edges",
        "Gaps between lines",
        "Blobs and pits",
    ]
    .into_iter()
    .zip(Look::ALL)
    .map(|(label, look)| Field::number_at(look.field(), &SCORE).named(label))
    .collect()
}

/// What was scored, in order.
pub(super) fn read(intake: &mut Intake, scores: &SurfaceScores) -> Vec<(Look, f64)> {
    Look::ALL
        .into_iter()
        .filter_map(|look| {
            let v = intake.may(&SCORE, look.field(), look.of(scores))?;
            Some((look, v))
        })
        .collect()
}
