//! What a printer is built of, and the ways in which a part gets replaced.

use serde::{Deserialize, Serialize};
use strum::{EnumString, IntoStaticStr, VariantArray};
use utoipa::ToSchema;

/// Something replaceable.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[derive(ToSchema, EnumString, IntoStaticStr, VariantArray)]
#[strum(serialize_all = "snake_case")]
#[allow(missing_docs)] // each variant is its label, below
pub enum Part {
    Nozzle,
    HeatBreak,
    HeaterBlock,
    HeaterCartridge,
    TemperatureSensor,
    SiliconeSock,
    HotEndFan,
    PartFan,
    HotEndAssembly,
    ExtruderDrive,
    ExtruderMotor,
    Tube,
    HotEndCoupler,
    ExtruderCoupler,
    FilamentCutter,
    BedProbe,
    BedSurface,
    ControlBoard,
    Frame,
    Bed,
}

impl Part {
    /// Every part, from the nozzle upward and outward.
    pub const ALL: &[Self] = Self::VARIANTS;

    /// Name, e.g. "heater block".
    #[must_use]
    pub const fn label(self) -> &'static str {
        match self {
            Self::Nozzle => "nozzle",
            Self::HeatBreak => "heat break",
            Self::HeaterBlock => "heater block",
            Self::HeaterCartridge => "heater cartridge",
            Self::TemperatureSensor => "temperature sensor",
            Self::SiliconeSock => "silicone sock",
            Self::HotEndFan => "hot-end fan",
            Self::PartFan => "part fan",
            Self::HotEndAssembly => "complete hot end",
            Self::ExtruderDrive => "extruder drive",
            Self::ExtruderMotor => "extruder motor",
            Self::Tube => "tube",
            Self::HotEndCoupler => "hot-end coupler",
            Self::ExtruderCoupler => "extruder coupler",
            Self::FilamentCutter => "filament cutter",
            Self::BedProbe => "bed probe",
            Self::BedSurface => "bed surface",
            Self::ControlBoard => "control board or firmware",
            Self::Frame => "frame",
            Self::Bed => "bed",
        }
    }

    /// Identifier used in JSON and the database.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.into()
    }

    /// The part with this [`Part::id`], if there is one.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        id.parse().ok()
    }

    /// The ways in which this part can have been replaced; the first is the usual one.
    #[must_use]
    pub fn replacements(self) -> Vec<Replacement> {
        Replacement::ALL
            .iter()
            .copied()
            .filter(|r| r.part() == self)
            .collect()
    }
}

/// A part together with how the new one differs from the old: one row of the chain's first table.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[derive(ToSchema, EnumString, IntoStaticStr, VariantArray)]
#[strum(serialize_all = "snake_case")]
#[allow(missing_docs)] // each variant is its label, below
pub enum Replacement {
    NozzleSame,
    NozzleOtherBore,
    NozzleOtherMaterial,
    HeatBreakSame,
    HeatBreakToAllMetal,
    HeaterBlock,
    HeaterCartridge,
    SensorSameType,
    SensorOtherType,
    SiliconeSock,
    HotEndFan,
    PartFan,
    HotEndSame,
    HotEndOther,
    ExtruderDrive,
    ExtruderMotor,
    Tube,
    HotEndCoupler,
    ExtruderCoupler,
    TubeToDirectDrive,
    FilamentCutter,
    BedProbe,
    BedSurface,
    ControlBoard,
}

impl Replacement {
    /// Every row, in the order of the table.
    pub const ALL: &[Self] = Self::VARIANTS;

    /// The part that was replaced.
    #[must_use]
    pub const fn part(self) -> Part {
        match self {
            Self::NozzleSame | Self::NozzleOtherBore | Self::NozzleOtherMaterial => Part::Nozzle,
            Self::HeatBreakSame | Self::HeatBreakToAllMetal => Part::HeatBreak,
            Self::HeaterBlock => Part::HeaterBlock,
            Self::HeaterCartridge => Part::HeaterCartridge,
            Self::SensorSameType | Self::SensorOtherType => Part::TemperatureSensor,
            Self::SiliconeSock => Part::SiliconeSock,
            Self::HotEndFan => Part::HotEndFan,
            Self::PartFan => Part::PartFan,
            Self::HotEndSame | Self::HotEndOther => Part::HotEndAssembly,
            Self::ExtruderDrive | Self::TubeToDirectDrive => Part::ExtruderDrive,
            Self::ExtruderMotor => Part::ExtruderMotor,
            Self::Tube => Part::Tube,
            Self::HotEndCoupler => Part::HotEndCoupler,
            Self::ExtruderCoupler => Part::ExtruderCoupler,
            Self::FilamentCutter => Part::FilamentCutter,
            Self::BedProbe => Part::BedProbe,
            Self::BedSurface => Part::BedSurface,
            Self::ControlBoard => Part::ControlBoard,
        }
    }

    /// Name as on the traveller, e.g. "nozzle, other bore".
    #[must_use]
    pub const fn label(self) -> &'static str {
        match self {
            Self::NozzleSame => "nozzle, same bore and material",
            Self::NozzleOtherBore => "nozzle, other bore",
            Self::NozzleOtherMaterial => "nozzle, other material",
            Self::HeatBreakSame => "heat break, same kind",
            Self::HeatBreakToAllMetal => "heat break, lined to all-metal",
            Self::HeaterBlock => "heater block",
            Self::HeaterCartridge => "heater cartridge",
            Self::SensorSameType => "temperature sensor, same type",
            Self::SensorOtherType => "temperature sensor, other type",
            Self::SiliconeSock => "silicone sock",
            Self::HotEndFan => "hot-end fan",
            Self::PartFan => "part fan",
            Self::HotEndSame => "complete hot end, same kind",
            Self::HotEndOther => "complete hot end, other kind",
            Self::ExtruderDrive => "extruder drive or gears",
            Self::ExtruderMotor => "extruder motor",
            Self::Tube => "tube",
            Self::HotEndCoupler => "hot-end coupler",
            Self::ExtruderCoupler => "extruder coupler",
            Self::TubeToDirectDrive => "tube drive to direct drive",
            Self::FilamentCutter => "filament cutter",
            Self::BedProbe => "bed probe",
            Self::BedSurface => "bed surface",
            Self::ControlBoard => "control board or firmware",
        }
    }

    /// Clause for a reason sentence, e.g. "the nozzle was replaced by one of another bore".
    #[must_use]
    pub const fn was_replaced(self) -> &'static str {
        match self {
            Self::NozzleSame => "the nozzle was replaced",
            Self::NozzleOtherBore => "the nozzle was replaced by one of another bore",
            Self::NozzleOtherMaterial => "the nozzle was replaced by one of another material",
            Self::HeatBreakSame => "the heat break was replaced",
            Self::HeatBreakToAllMetal => "the hot end went from lined to all-metal",
            Self::HeaterBlock => "the heater block was replaced",
            Self::HeaterCartridge => "the heater cartridge was replaced",
            Self::SensorSameType => "the temperature sensor was replaced",
            Self::SensorOtherType => "the temperature sensor was replaced by another type",
            Self::SiliconeSock => "the silicone sock was replaced",
            Self::HotEndFan => "the hot-end fan was replaced",
            Self::PartFan => "the part fan was replaced",
            Self::HotEndSame => "the complete hot end was replaced",
            Self::HotEndOther => "the complete hot end was replaced by another kind",
            Self::ExtruderDrive => "the extruder drive was replaced",
            Self::ExtruderMotor => "the extruder motor was replaced",
            Self::Tube => "the tube was replaced",
            Self::HotEndCoupler => "the hot-end coupler was replaced",
            Self::ExtruderCoupler => "the extruder coupler was replaced",
            Self::TubeToDirectDrive => "the tube drive became a direct drive",
            Self::FilamentCutter => "the filament cutter was replaced",
            Self::BedProbe => "the bed probe was replaced",
            Self::BedSurface => "the bed surface was replaced",
            Self::ControlBoard => "the control board or firmware was replaced",
        }
    }

    /// The row with this [`Replacement::id`], if there is one.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        id.parse().ok()
    }

    /// Identifier used in JSON, URLs and the database, e.g. `nozzle_other_bore`.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.into()
    }

    /// Whether a new heater cartridge comes with this part.
    #[must_use]
    pub const fn brings_a_heater(self) -> bool {
        matches!(
            self,
            Self::HeaterCartridge | Self::HotEndSame | Self::HotEndOther
        )
    }

    /// Whether fitting this part opens the joint of nozzle and heat break: the tube too, where it is seated under a
    /// nozzle that is backed off.
    #[must_use]
    pub const fn opens_the_joint(self, tube_under_nozzle: bool) -> bool {
        match self.part() {
            Part::Nozzle | Part::HeatBreak | Part::HeaterBlock | Part::HotEndAssembly => true,
            Part::Tube | Part::HotEndCoupler => tube_under_nozzle,
            _ => false,
        }
    }

    /// Whether what heats, or what tells how hot it is, was opened or joined anew: the next heating is a first one.
    #[must_use]
    pub const fn heats_anew(self) -> bool {
        matches!(
            self.part(),
            Part::HeatBreak
                | Part::HeaterBlock
                | Part::HeaterCartridge
                | Part::TemperatureSensor
                | Part::HotEndAssembly
                | Part::HotEndFan
                | Part::ControlBoard
        )
    }

    /// Whether fitting this part may leave the bed probe somewhere else beside the nozzle.
    #[must_use]
    pub const fn moves_the_probe(self) -> bool {
        matches!(
            self,
            Self::BedProbe | Self::TubeToDirectDrive | Self::HotEndOther
        )
    }

    /// Whether a mesh that was probed before this part says nothing any more.
    #[must_use]
    pub const fn wants_a_mesh(self) -> bool {
        self.moves_the_probe() || matches!(self.part(), Part::BedSurface)
    }

    /// Whether fitting this part can leave a crossing askew: its motors run by another board, or its head was taken off.
    #[must_use]
    pub const fn moves_the_gantry(self) -> bool {
        matches!(self, Self::TubeToDirectDrive) || matches!(self.part(), Part::ControlBoard)
    }

    /// Whether fitting this part joins or unplugs wires, so that power-up checks follow.
    #[must_use]
    pub const fn electrical(self) -> bool {
        matches!(
            self.part(),
            Part::HeaterBlock
                | Part::HeaterCartridge
                | Part::TemperatureSensor
                | Part::HotEndFan
                | Part::PartFan
                | Part::HotEndAssembly
                | Part::HeatBreak
                | Part::ExtruderMotor
                | Part::ExtruderDrive
                | Part::FilamentCutter
                | Part::BedProbe
                | Part::ControlBoard
        )
    }
}
