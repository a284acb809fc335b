//! Where a search for the retraction begins: slack of the tube, spring of the filament, and the melt.

use serde::{Deserialize, Serialize};
use wattotherm_printer::{FilamentPath, HotEndKind, kind_of};

/// A tube as far as it loses motion.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct TubePath {
    /// Bore [mm].
    pub bore_mm: f64,
    /// Length [mm].
    pub length_mm: f64,
    /// What its bends add up to [°].
    pub bends_deg: f64,
}

/// What a starting distance is made of [mm].
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Begin {
    /// Slack of the tube.
    pub slack: f64,
    /// Spring of the filament.
    pub spring: f64,
    /// What draws the melt back; none where an old value stands for it.
    pub melt: Option<f64>,
    /// Where to begin.
    pub distance: f64,
}

/// Filament [mm].
const DIAMETER_MM: f64 = 1.75;
/// Its cross-section [mm²].
const AREA_MM2: f64 = 2.405;
/// Force at which a drive usually pushes [N]. Common practice, no published source.
const FORCE_N: f64 = 30.0;
/// What draws the melt back [mm]: 0.5 to 1. Common practice, no published source.
const MELT_MM: f64 = 0.75;
/// A pull longer than the cold zone of an all-metal hot end draws melt into it [mm]. Common practice, no published source.
pub(super) const COLD_ZONE_MM: f64 = 2.0;

/// Stiffness of a material [GPa]; that of the stiffest common one where it isn't known.
/// Source: handbook 2, section 10, for the first and the last; the others common practice, no published source.
fn stiffness_gpa(material: &str) -> f64 {
    match kind_of(material).as_str() {
        "PETG" | "PET" => 2.1,
        "ABS" | "ASA" => 2.2,
        "PA" => 1.7,
        "PC" => 2.3,
        "TPU" | "TPE" => 0.026,
        _ => 3.5,
    }
}

/// Lost motion of a tube [mm]: slack θ·(bore − d), spring F·L/(E·A).
/// Source: handbook 2, section 10: geometry, and Hooke's law. Domain: bore ≥ filament; less is no slack.
pub(super) fn lost(tube: TubePath, material: &str) -> (f64, f64) {
    let slack = tube.bends_deg.to_radians() * (tube.bore_mm - DIAMETER_MM).max(0.0);
    let spring = FORCE_N * tube.length_mm / (stiffness_gpa(material) * 1_000.0 * AREA_MM2);
    (slack, spring)
}

/// Where to begin [mm]: from an old value and an old tube less what a new one no longer loses; else from slack, spring
/// and melt. Not beyond 12 mm: a soft filament asks for lengths that no retraction reaches.
pub(super) fn begin(
    tube: Option<TubePath>,
    old: Option<(f64, TubePath)>,
    path: FilamentPath,
    hot_end: HotEndKind,
    material: &str,
) -> Begin {
    let (slack, spring) = match (path, tube) {
        (FilamentPath::Tube, Some(t)) => lost(t, material),
        (FilamentPath::Tube, None) => (0.79, 1.43),
        (FilamentPath::Direct, _) => (0.0, 0.0),
    };
    let (melt, distance) = match old {
        Some((value, tube)) => {
            let (old_slack, old_spring) = lost(tube, material);
            (None, value - (old_slack - slack) - (old_spring - spring))
        }
        None => (Some(MELT_MM), slack + spring + MELT_MM),
    };
    let most = match (path, hot_end) {
        (FilamentPath::Direct, HotEndKind::AllMetal) => COLD_ZONE_MM,
        _ => 12.0,
    };
    Begin {
        slack,
        spring,
        melt,
        distance: (distance.clamp(0.2, most) * 10.0).round() / 10.0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tube(bore_mm: f64, length_mm: f64) -> TubePath {
        TubePath {
            bore_mm,
            length_mm,
            bends_deg: 180.0,
        }
    }

    /// Check values of handbook 2, section 10.
    #[test]
    fn slack_and_spring_are_those_of_the_handbook() {
        assert!((lost(tube(2.0, 400.0), "PLA").0 - 0.79).abs() < 0.005);
        assert!((lost(tube(1.9, 400.0), "PLA").0 - 0.47).abs() < 0.005);
        assert!((lost(tube(2.0, 400.0), "PLA").1 - 1.43).abs() < 0.005);
        // The handbook rounds to 190: at 30 N over 400 mm, 0.026 GPa.
        assert!((lost(tube(2.0, 400.0), "TPU").1 - 191.9).abs() < 0.1);
    }

    #[test]
    fn a_narrower_tube_begins_shorter_by_what_it_no_longer_loses() {
        let got = begin(
            Some(tube(1.9, 400.0)),
            Some((4.8, tube(2.0, 400.0))),
            FilamentPath::Tube,
            HotEndKind::Lined,
            "PLA",
        );
        assert!((got.distance - 4.5).abs() < 1e-9, "{got:?}");
    }
}
