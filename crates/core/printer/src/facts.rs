//! What is known of a printer and a filament.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::materials::{BlockMaterial, HotEndKind, NozzleMaterial};

/// How heavy a hot end is: bounds for what it can do.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HotEndMass {
    /// A small block, some 8 J/K.
    Light,
    /// The usual block, some 12 J/K.
    #[default]
    Standard,
    /// A large or all-metal high-flow block, some 20 J/K.
    Heavy,
}

impl HotEndMass {
    /// Heat capacity of block, nozzle and cartridge [J/K]; common practice: 3 to 7 cm³ of aluminium
    /// at 2.4 J/(cm³·K) and some brass.
    #[must_use]
    pub const fn capacity_j_k(self) -> f64 {
        match self {
            Self::Light => 8.0,
            Self::Standard => 12.0,
            Self::Heavy => 20.0,
        }
    }
    /// In words.
    #[must_use]
    pub const fn label(self) -> &'static str {
        match self {
            Self::Light => "small block",
            Self::Standard => "usual block",
            Self::Heavy => "large block",
        }
    }
}

/// How filament gets from the drive to the hot end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FilamentPath {
    /// The drive stands off and pushes through a tube.
    #[default]
    Tube,
    /// The drive sits on the hot end.
    Direct,
}

/// The drive as built, for the computed steps/mm.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct GearFacts {
    /// Full steps of one motor turn, e.g. 200.
    pub full_steps: f64,
    /// Microsteps a full step, e.g. 16.
    pub microsteps: f64,
    /// Motor turns per turn of the drive wheel, e.g. 3.
    pub gear_ratio: f64,
    /// Effective diameter of the drive wheel [mm].
    pub drive_diameter_mm: f64,
}

/// A printer as far as stations care.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct PrinterFacts {
    /// Build volume in X [mm].
    pub bed_x_mm: f64,
    /// Build volume in Y [mm].
    pub bed_y_mm: f64,
    /// Build volume in Z [mm].
    pub height_mm: f64,
    /// Tube or direct drive.
    pub path: FilamentPath,
    /// Lined or all-metal.
    pub hot_end: HotEndKind,
    /// Bore of the fitted nozzle [mm].
    pub nozzle_mm: f64,
    /// How many nozzles: 1 or 2.
    pub nozzles: u8,
    /// The firmware's own temperature limit [°C].
    pub firmware_limit_c: Option<f64>,
    /// The drive as built.
    pub gear: Option<GearFacts>,
    /// Sensor type set in the firmware, by id; empty where it isn't known.
    pub sensor: String,
    /// Material of the nozzle.
    pub nozzle: NozzleMaterial,
    /// Material of the heater block.
    pub block: BlockMaterial,
    /// How heavy the heater block is.
    pub mass: HotEndMass,
    /// Supply [V].
    pub supply_v: f64,
    /// Power marked on the heater [W].
    pub heater_w: f64,
}

impl Default for PrinterFacts {
    fn default() -> Self {
        Self {
            bed_x_mm: 235.0,
            bed_y_mm: 235.0,
            height_mm: 250.0,
            path: FilamentPath::Tube,
            hot_end: HotEndKind::Lined,
            nozzle_mm: 0.4,
            nozzles: 1,
            firmware_limit_c: None,
            gear: None,
            sensor: "ntc_100k_3950".into(),
            nozzle: NozzleMaterial::Brass,
            block: BlockMaterial::Aluminium,
            mass: HotEndMass::Standard,
            supply_v: 24.0,
            heater_w: 40.0,
        }
    }
}

/// A filament as far as stations care.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FilamentFacts {
    /// Name in the shop, e.g. "PETG, green".
    pub name: String,
    /// Material, e.g. "PETG".
    pub material: String,
    /// Print temperature in force [°C].
    pub print_temp_c: Option<f64>,
}
