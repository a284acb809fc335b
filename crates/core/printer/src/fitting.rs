//! What is fitted at a place of a printer, typed; everything may be unknown.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::materials::{
    BlockMaterial, FilamentPath, HotEndKind, HotEndMass, NozzleMaterial, NozzleMount,
};
use crate::parts::Part;

/// What is fitted at one place of a printer. A blank field is not known.
///
/// Units stand in the names. A row of the store holds one of these from one day to another; what holds for
/// the whole printer follows from all of them ([`crate::PrinterFacts::of`]).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "place", rename_all = "snake_case")]
pub enum Fitted {
    /// Frame and axes.
    Frame {
        /// Build volume in X [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        x_mm: Option<f64>,
        /// Build volume in Y [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        y_mm: Option<f64>,
        /// Build volume in Z [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        height_mm: Option<f64>,
        /// Number of nozzles, 1 or 2.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        nozzles: Option<f64>,
    },
    /// What carries the plate.
    Bed {
        /// Number of levelling screws.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        screws: Option<f64>,
        /// Their thread.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        thread: Option<ScrewThread>,
        /// Number of motors that lift the crossing, or the bed.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        z_motors: Option<f64>,
    },
    /// The plate that is printed on.
    BedSurface {
        /// Its thickness [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        thickness_mm: Option<f64>,
    },
    /// The bed probe.
    BedProbe {
        /// From the nozzle to the probe in X [mm], positive to the right.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        x_mm: Option<f64>,
        /// From the nozzle to the probe in Y [mm], positive to the back.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        y_mm: Option<f64>,
    },
    /// The nozzle.
    Nozzle {
        /// Its bore [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        bore_mm: Option<f64>,
        /// Its material.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        material: Option<NozzleMaterial>,
        /// How it is changed.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        mount: Option<NozzleMount>,
    },
    /// Heat break, with or without a liner.
    HeatBreak {
        /// Lined or all-metal.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        kind: Option<HotEndKind>,
    },
    /// The heater block.
    HeaterBlock {
        /// Its material.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        material: Option<BlockMaterial>,
        /// How heavy it is.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        mass: Option<HotEndMass>,
    },
    /// The heater cartridge.
    HeaterCartridge {
        /// Power marked on it [W].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        power_w: Option<f64>,
    },
    /// The temperature sensor of the hot end.
    TemperatureSensor {
        /// Its type, by the id of the table of sensors.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        kind: Option<String>,
    },
    /// Drive wheel and gears.
    ExtruderDrive {
        /// Where it sits.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        path: Option<FilamentPath>,
        /// Motor turns per turn of the drive wheel.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        gear_ratio: Option<f64>,
        /// Effective diameter of the drive wheel [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        diameter_mm: Option<f64>,
    },
    /// The extruder's motor.
    ExtruderMotor {
        /// Number of full steps of one turn.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        full_steps: Option<f64>,
    },
    /// The tube from the drive to the hot end.
    Tube {
        /// Outer diameter [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        outer_mm: Option<f64>,
        /// Inner diameter [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        inner_mm: Option<f64>,
        /// Length [mm].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        length_mm: Option<f64>,
    },
    /// Board, firmware and supply.
    ControlBoard {
        /// Supply [V].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        supply_v: Option<f64>,
        /// Greatest current of the hot end's heater output [A].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        heater_a: Option<f64>,
        /// Number of microsteps of the extruder's driver.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        microsteps: Option<f64>,
        /// The firmware's own temperature limit [°C].
        #[serde(default, skip_serializing_if = "Option::is_none")]
        limit_c: Option<f64>,
    },
}

/// Thread of the bed's screws.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[allow(missing_docs)] // each variant is its name
pub enum ScrewThread {
    M3,
    #[default]
    M4,
    M5,
}

impl ScrewThread {
    /// Identifiers and labels.
    pub const CHOICES: &'static [(&'static str, &'static str)] = &[
        ("M3", "M3, 0.5 mm a turn"),
        ("M4", "M4, 0.7 mm a turn"),
        ("M5", "M5, 0.8 mm a turn"),
    ];

    /// Pitch of the coarse thread [mm]. Source: ISO 261, coarse series: M3 0.5, M4 0.7, M5 0.8.
    #[must_use]
    pub const fn pitch_mm(self) -> f64 {
        match self {
            Self::M3 => 0.5,
            Self::M4 => 0.7,
            Self::M5 => 0.8,
        }
    }
}

impl Fitted {
    /// The place.
    #[must_use]
    pub const fn part(&self) -> Part {
        match self {
            Self::Frame { .. } => Part::Frame,
            Self::Bed { .. } => Part::Bed,
            Self::BedSurface { .. } => Part::BedSurface,
            Self::BedProbe { .. } => Part::BedProbe,
            Self::Nozzle { .. } => Part::Nozzle,
            Self::HeatBreak { .. } => Part::HeatBreak,
            Self::HeaterBlock { .. } => Part::HeaterBlock,
            Self::HeaterCartridge { .. } => Part::HeaterCartridge,
            Self::TemperatureSensor { .. } => Part::TemperatureSensor,
            Self::ExtruderDrive { .. } => Part::ExtruderDrive,
            Self::ExtruderMotor { .. } => Part::ExtruderMotor,
            Self::Tube { .. } => Part::Tube,
            Self::ControlBoard { .. } => Part::ControlBoard,
        }
    }
}
