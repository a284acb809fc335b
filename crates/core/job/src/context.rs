//! What a station needs to know besides its readings.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{SettingKey, read_settings};
use wattotherm_printer::{Ceiling, FilamentFacts, Parameter, PrinterFacts, Replacement};

use crate::chain::Strength;
use crate::changed::Changed;
use crate::house::House;

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
    /// All filaments of the job.
    pub filaments: Vec<FilamentFacts>,
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
    /// For strip and fit: the parts that are done in one strip with this one.
    pub strip: Vec<Replacement>,
    /// Parts after which the complaint came back, in words.
    pub false_fixes: Vec<String>,
    /// What a case of this job has found since it last came back, in words.
    pub cause_found: Option<String>,
    /// What of the printer isn't as it belongs.
    pub changed: Vec<Changed>,
    /// What was noted at the baseline print.
    pub baseline: Option<String>,
    /// Minutes of printing after which the complaint showed, one entry a time.
    pub failure_times_min: Vec<f64>,
    /// How it comes.
    pub comes: Comes,
    /// Ceiling in force, as its station found it [°C].
    pub ceiling_found_c: Option<f64>,
    /// Volumetric limit in force for the job's filament [mm³/s].
    pub volumetric_limit: Option<f64>,
    /// The last sliced file that this printer printed or that was made for it.
    pub last_print: Option<SlicedFile>,
    /// What this job’s nozzle profile has saved.
    pub saved_lines: SavedLines,
    /// For a trial: which parameter.
    pub parameter: Option<Parameter>,
    /// Minutes of hands that the card still asks for: at least, at most [min].
    pub hands_left_min: Option<[f64; 2]>,
    /// Length to which this job cuts its tube [mm].
    pub tube_cut_mm: Option<f64>,
    /// For a check: which list, e.g. `intake` or `fit.tube`.
    pub list: Option<String>,
    /// Settings report kept when the job began.
    pub snapshot: Option<String>,
    /// Values that the job's stations left in the printer.
    pub expected: Vec<ExpectedSetting>,
    /// Readings with which this station was last closed in the job.
    pub previous: Option<serde_json::Value>,
}

/// How a complaint comes, as the technician has it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Comes {
    /// Now and then: the next time is as likely in any minute.
    #[default]
    AtRandom,
    /// After about the same time of printing, always.
    SamePoint,
}

/// A sliced file, as far as a profile must agree with it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SlicedFile {
    /// What it is called.
    pub name: String,
    /// Width of its beads [mm].
    pub width_mm: f64,
    /// Height of its layers [mm].
    pub height_mm: f64,
}

/// A value that a station left in the printer's memory.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ExpectedSetting {
    /// Command, e.g. `M301`.
    pub code: String,
    /// Letter, e.g. `P`.
    pub letter: char,
    /// Value [unit of the letter].
    pub value: f64,
    /// The station, e.g. "Heater loop".
    pub station: String,
}

/// What of a profile that agrees with the fitted bore later stations lay lines by.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SavedLines {
    /// Width of the outer wall [mm].
    pub outer_width_mm: Option<f64>,
    /// Height of the first layer [mm].
    pub first_layer_mm: Option<f64>,
}

/// Where a station takes a value from that is in force, for the word beside its field.
pub const IN_FORCE: &str = "the value in force";
/// See [`IN_FORCE`].
pub const FROM_PROFILE: &str = "the nozzle profile";
/// See [`IN_FORCE`].
pub const FROM_SNAPSHOT: &str = "the snapshot";

impl Context {
    /// How hot the hot end may go: the same that the guard of the link holds.
    #[must_use]
    pub fn ceiling(&self) -> Ceiling {
        (self.house.ceiling(&self.printer)).or_found(self.ceiling_found_c)
    }

    /// A setting [unit of its letter] as it stood in the printer when the job began: command and letter, e.g. `M92` and `E`.
    #[must_use]
    pub fn stored(&self, code: &str, letter: char) -> Option<f64> {
        let key = SettingKey {
            code: code.to_owned(),
            letter,
        };
        let report = read_settings(self.snapshot.as_deref()?);
        report.values.get(&key).copied()
    }

    /// The value in force, or else the one that stood in the printer when the job began; with where it is from.
    #[must_use]
    pub fn before_or_stored(&self, code: &str, letter: char) -> Option<(f64, &'static str)> {
        let in_force = self.before.map(|v| (v, IN_FORCE));
        in_force.or_else(|| self.stored(code, letter).map(|v| (v, FROM_SNAPSHOT)))
    }

    /// Whether gears or motor of the extruder were replaced in this job.
    #[must_use]
    pub fn fresh_drive(&self) -> bool {
        use wattotherm_printer::Replacement as R;
        self.replaced.iter().any(|r| {
            matches!(
                r,
                R::ExtruderDrive | R::ExtruderMotor | R::TubeToDirectDrive | R::ControlBoard
            )
        })
    }
}
