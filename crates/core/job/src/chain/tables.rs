//! The two tables of the chain, and the shop's changes to them.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::{Parameter, Replacement};

use super::Strength;

/// One row of the first table as text, a letter a parameter in the order of [`Parameter::ALL`]:
/// `R` redo, `V` verify, `-` untouched. Common practice, no published source.
const fn row(replacement: Replacement) -> &'static [u8; 13] {
    match replacement {
        //                                     sensor ceiling loop drive profile tram Z XY temp vol flow PA retraction
        Replacement::NozzleSame => b"------RV--V-V",
        Replacement::NozzleOtherBore => b"----R-RVVRRRR",
        Replacement::NozzleOtherMaterial => b"--V---RVRVVVV",
        Replacement::HeatBreakSame => b"--V---RVV-V-V",
        Replacement::HeatBreakToAllMetal => b"-RR---RVRRVRR",
        Replacement::HeaterBlock => b"-VR---RVVVV-V",
        Replacement::HeaterCartridge => b"--R----------",
        Replacement::SensorSameType => b"VVR-----RVV-V",
        Replacement::SensorOtherType => b"RRR-----RVV-V",
        Replacement::SiliconeSock => b"--V----------",
        Replacement::HotEndFan => b"--V---------V",
        // The table has no row for the part fan: nothing is due unless a shop says so.
        Replacement::PartFan => b"-------------",
        Replacement::HotEndSame => b"VVR---RRVVVVV",
        Replacement::HotEndOther => b"RRR-R-RRRRRRR",
        Replacement::ExtruderDrive => b"---R-----VVVV",
        Replacement::ExtruderMotor => b"---R-----VV-V",
        Replacement::Tube | Replacement::HotEndCoupler | Replacement::ExtruderCoupler => {
            b"---------VVVR"
        }
        Replacement::TubeToDirectDrive => b"---R-VRVVVVRR",
        Replacement::FilamentCutter => b"------------V",
        Replacement::BedProbe | Replacement::BedSurface => b"-----VR------",
        Replacement::ControlBoard => b"RRRRVVRRVVVVV",
    }
}

/// What the table says a replacement does to a parameter, before any house rule.
#[must_use]
pub fn default_cell(replacement: Replacement, parameter: Parameter) -> Option<Strength> {
    // OK because a fieldless enum's discriminants count from 0 and ALL has 13 entries.
    match row(replacement)[parameter as usize] {
        b'R' => Some(Strength::Redo),
        b'V' => Some(Strength::Verify),
        _ => None,
    }
}

/// "`downstream` rests on `upstream`, with this strength."
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Arrow {
    /// The value rested upon.
    pub upstream: Parameter,
    /// The value that rests on it.
    pub downstream: Parameter,
    /// What becomes due downstream once the upstream value has moved.
    pub strength: Strength,
}

const fn arrow(upstream: Parameter, downstream: Parameter, strength: Strength) -> Arrow {
    Arrow {
        upstream,
        downstream,
        strength,
    }
}

use Parameter as P;
use Strength::{Redo as R, Verify as V};

/// The second table: what rests on what among the parameters. Common practice, no published source.
pub const ARROWS: [Arrow; 24] = [
    arrow(P::SensorType, P::Ceiling, R),
    arrow(P::SensorType, P::HeaterLoop, R),
    arrow(P::Ceiling, P::PrintTemp, V),
    arrow(P::HeaterLoop, P::PrintTemp, V),
    arrow(P::Drive, P::Flow, R),
    arrow(P::Drive, P::VolumetricLimit, V),
    arrow(P::Drive, P::Retraction, V),
    arrow(P::Drive, P::PressureAdvance, V),
    arrow(P::Tram, P::OffsetZ, R),
    arrow(P::OffsetZ, P::OffsetXy, V),
    arrow(P::Profile, P::OffsetZ, V),
    arrow(P::Profile, P::VolumetricLimit, R),
    arrow(P::Profile, P::Flow, R),
    arrow(P::Profile, P::PressureAdvance, R),
    arrow(P::Profile, P::Retraction, V),
    arrow(P::Profile, P::PrintTemp, V),
    arrow(P::PrintTemp, P::VolumetricLimit, R),
    arrow(P::PrintTemp, P::Flow, V),
    arrow(P::PrintTemp, P::PressureAdvance, V),
    arrow(P::PrintTemp, P::Retraction, R),
    arrow(P::VolumetricLimit, P::Flow, V),
    arrow(P::Flow, P::PressureAdvance, V),
    arrow(P::Flow, P::Retraction, V),
    arrow(P::PressureAdvance, P::Retraction, R),
];

/// A shop's change to one cell of the first table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CellOverride {
    /// Row.
    pub replacement: Replacement,
    /// Column.
    pub parameter: Parameter,
    /// The shop's strength; none means untouched.
    pub strength: Option<Strength>,
    /// Why the shop differs, in its own words.
    pub reason: String,
}

/// The first table as a shop uses it: the trade's cells with the shop's changes laid over them.
#[derive(Clone, Debug, Default)]
pub struct ChainTables {
    changed: BTreeMap<(Replacement, Parameter), Option<Strength>>,
}

impl ChainTables {
    /// The tables of the trade with these changes; a later change of the same cell wins.
    #[must_use]
    pub fn with_changes(
        changes: impl IntoIterator<Item = (Replacement, Parameter, Option<Strength>)>,
    ) -> Self {
        Self {
            changed: changes.into_iter().map(|(r, p, s)| ((r, p), s)).collect(),
        }
    }

    /// What replacing `replacement` does to `parameter` in this shop.
    #[must_use]
    pub fn cell(&self, replacement: Replacement, parameter: Parameter) -> Option<Strength> {
        self.changed
            .get(&(replacement, parameter))
            .copied()
            .unwrap_or_else(|| default_cell(replacement, parameter))
    }
}
