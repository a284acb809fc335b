//! What a station needs to know besides its readings.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::ceiling::{BlockMaterial, HotEndKind, NozzleMaterial};
use crate::chain::Strength;
use crate::heat::HotEndMass;
use crate::house::House;
use crate::parameter::Parameter;
use crate::parts::Replacement;

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

/// Everything a station's arithmetic depends on besides readings. All fields have defaults, so
/// that a bare set of readings can be evaluated too.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Context {
    /// House rules.
    pub house: House,
    /// The printer.
    pub printer: PrinterFacts,
    /// The filament, for stations that belong to one.
    pub filament: Option<FilamentFacts>,
    /// Value in force before the job, in the parameter's unit.
    pub before: Option<f64>,
    /// The same for values that are texts.
    pub before_text: Option<String>,
    /// Redo or verify.
    pub strength: Option<Strength>,
    /// Adjusts at this station since it last passed.
    pub adjusts_so_far: u32,
    /// What was replaced in this job.
    pub replaced: Vec<Replacement>,
    /// Minutes of printing after which the complaint showed, one entry a time.
    pub failure_times_min: Vec<f64>,
    /// For a trial: which parameter.
    pub parameter: Option<Parameter>,
    /// For a check: which list, e.g. `intake` or `fit.tube`.
    pub list: Option<String>,
    /// Settings report kept when the job began.
    pub snapshot: Option<String>,
    /// Values that the job's stations left in the printer.
    pub expected: Vec<ExpectedSetting>,
    /// Readings with which this station was last closed in the job.
    pub previous: Option<serde_json::Value>,
}

/// A value that a station left in the printer's memory.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ExpectedSetting {
    /// Command, e.g. `M301`.
    pub code: String,
    /// Letter, e.g. `P`.
    pub letter: char,
    /// Value.
    pub value: f64,
    /// The station, e.g. "Heater loop".
    pub station: String,
}

impl Context {
    /// Whether gears or motor of the extruder were replaced in this job.
    #[must_use]
    pub fn fresh_drive(&self) -> bool {
        use crate::parts::Replacement as R;
        self.replaced.iter().any(|r| {
            matches!(
                r,
                R::ExtruderDrive | R::ExtruderMotor | R::TubeToDirectDrive | R::ControlBoard
            )
        })
    }
}
