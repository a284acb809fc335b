//! Limits a shop may change. Defaults are common practice, no published source.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::Unit;

/// One limit.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)] // each variant is its label, below
pub enum ToleranceId {
    DrivePercent,
    DriveStopPercent,
    TramMm,
    OffsetZMm,
    OffsetXyMm,
    FlowPercent,
    DensityPercent,
    CubeMm,
    StringsScore,
    CubeSoftMm,
    StringsSoftScore,
    PrintWorthScore,
    CleanConfidencePercent,
    CleanRunLeastMin,
    CleanRunMostMin,
    FirmwareMarginC,
    SensorRoomC,
    LoopOvershootC,
    LoopSettleS,
    LoopSdC,
    LoopDipC,
    IdleHeatMin,
    ProbeMm,
    ProbeXyMm,
    MeshMm,
    BedSpreadC,
    GantryMm,
    PartAgeDays,
}

/// A limit with its bounds.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct ToleranceSpec {
    /// Which limit.
    pub id: ToleranceId,
    /// What it limits.
    pub label: &'static str,
    /// Unit.
    pub unit: Unit,
    /// Value [its unit] unless the shop says otherwise.
    pub default: f64,
    /// Least value accepted [its unit].
    pub min: f64,
    /// Greatest value accepted [its unit].
    pub max: f64,
    /// Where the default comes from; quantities in braces, as [`wattotherm_measure::Pen::text`] reads them.
    pub why: &'static str,
}

impl ToleranceId {
    /// The limit's description.
    #[must_use]
    pub const fn spec(self) -> &'static ToleranceSpec {
        // OK because TOLERANCES has one entry a variant, in order; a test holds it.
        &TOLERANCES[self as usize]
    }
}

const fn t(
    id: ToleranceId,
    label: &'static str,
    unit: Unit,
    [default, min, max]: [f64; 3],
    why: &'static str,
) -> ToleranceSpec {
    ToleranceSpec {
        id,
        label,
        unit,
        default,
        min,
        max,
        why,
    }
}

use ToleranceId as T;

/// Every limit.
pub const TOLERANCES: [ToleranceSpec; 28] = [
    t(
        T::DrivePercent,
        "Drive: length fed",
        Unit::Percent,
        [0.5, 0.05, 5.0],
        "Half a percent is what flow can’t hide.",
    ),
    t(
        T::DriveStopPercent,
        "Drive: stop beyond",
        Unit::Percent,
        [15.0, 5.0, 50.0],
        "No drive drifts that far. Something is wrong or broken.",
    ),
    t(
        T::TramMm,
        "Bed tram: height across the screws",
        Unit::Mm,
        [0.05, 0.005, 0.5],
        "A quarter of a {0.2 mm} first layer.",
    ),
    t(
        T::OffsetZMm,
        "Z offset: height of the nozzle",
        Unit::Mm,
        [0.02, 0.005, 0.2],
        "A tenth of a {0.2 mm} first layer.",
    ),
    t(
        T::OffsetXyMm,
        "XY offset: second nozzle against the first",
        Unit::Mm,
        [0.05, 0.01, 0.3],
        "An eighth of a {0.4 mm} line: a seam of two colours stays closed.",
    ),
    t(
        T::FlowPercent,
        "Flow: wall thickness or mass",
        Unit::Percent,
        [3.0, 0.5, 10.0],
        "What a caliper can just prove on a {0.45 mm} wall.",
    ),
    t(
        T::DensityPercent,
        "Flow by mass: density known to",
        Unit::Percent,
        [1.0, 0.1, 10.0],
        "Colour and fillers move it by about this much.",
    ),
    t(
        T::CubeMm,
        "Test cube: each edge",
        Unit::Mm,
        [0.10, 0.01, 1.0],
        "Usual for a printed {20 mm} cube.",
    ),
    t(
        T::StringsScore,
        "Strings: score at most",
        Unit::One,
        [1.0, 0.0, 5.0],
        "A hair here and there brushes off.",
    ),
    t(
        T::CubeSoftMm,
        "Test cube of a soft filament: each edge",
        Unit::Mm,
        [0.25, 0.02, 2.0],
        "It gives under the jaws, and its walls swell more.",
    ),
    t(
        T::StringsSoftScore,
        "Strings of a soft filament: score at most",
        Unit::One,
        [2.0, 0.0, 5.0],
        "It stretches between nozzle and part; a few hairs are cut off.",
    ),
    t(
        T::PrintWorthScore,
        "Trial board: another print must promise",
        Unit::One,
        [0.5, 0.1, 3.0],
        "Half a score is what an eye just sees; where an hour of the machine is dear, ask for more.",
    ),
    t(
        T::CleanConfidencePercent,
        "Clean run: would have shown the fault in",
        Unit::Percent,
        [90.0, 50.0, 99.9],
        "Had the fault still been there, nine in ten such runs would have shown it.",
    ),
    t(
        T::CleanRunLeastMin,
        "Clean run: at least",
        Unit::Minute,
        [30.0, 1.0, 10_000.0],
        "Long enough for the whole machine to be warm.",
    ),
    t(
        T::CleanRunMostMin,
        "Clean run: at most",
        Unit::Minute,
        [720.0, 1.0, 20_000.0],
        "A working day and the evening. What a longer run would show more is said, and is yours to weigh.",
    ),
    t(
        T::FirmwareMarginC,
        "Firmware refuses targets within",
        Unit::Kelvin,
        [15.0, 0.0, 50.0],
        "Of its own limit: a limit of {250 °C} allows {235 °C}.",
    ),
    t(
        T::SensorRoomC,
        "Sensor against the room",
        Unit::Kelvin,
        [3.0, 0.5, 15.0],
        "What a glass bead of five percent may be off, and the thermometer a little.",
    ),
    t(
        T::LoopOvershootC,
        "Heater loop: overshoot after a step",
        Unit::Kelvin,
        [5.0, 0.5, 30.0],
        "More chars filament and softens a liner.",
    ),
    t(
        T::LoopSettleS,
        "Heater loop: settled after",
        Unit::Second,
        [60.0, 5.0, 600.0],
        "A print begins about a minute after its temperature is reached.",
    ),
    t(
        T::LoopSdC,
        "Heater loop: standard deviation in the hold",
        Unit::Kelvin,
        [0.5, 0.05, 5.0],
        "Walls show swings of some two degrees as bands.",
    ),
    t(
        T::LoopDipC,
        "Heater loop: dip with the part fan",
        Unit::Kelvin,
        [5.0, 0.5, 30.0],
        "More, and layers bond badly until it is made up.",
    ),
    t(
        T::IdleHeatMin,
        "Heat with nobody there: off after",
        Unit::Minute,
        [15.0, 0.2, 240.0],
        "Long enough for a screw, too short for a fire. Prints and routines don’t count.",
    ),
    t(
        T::ProbeMm,
        "Bed probe: scatter of its touches",
        Unit::Mm,
        [0.01, 0.001, 0.1],
        "A twentieth of a thin layer. More, and a mesh measures the probe.",
    ),
    t(
        T::ProbeXyMm,
        "Bed probe: its place in X and Y",
        Unit::Mm,
        [1.0, 0.2, 5.0],
        "A pen mark and an eye see {0.3 mm}; a bed is flat over a millimetre.",
    ),
    t(
        T::MeshMm,
        "Mesh: warp of the plate",
        Unit::Mm,
        [0.4, 0.05, 2.0],
        "Two layers. More, and the first ones of a part show it.",
    ),
    t(
        T::BedSpreadC,
        "Bed loop: highest less lowest in the hold",
        Unit::Kelvin,
        [3.0, 1.0, 15.0],
        "A bed breathes with its temperature; {3 K} move it by a few hundredths of a millimetre.",
    ),
    t(
        T::GantryMm,
        "Gantry: height across its motors",
        Unit::Mm,
        [0.2, 0.05, 2.0],
        "A layer’s height over the width: what is left, the bed’s screws or the mesh take up.",
    ),
    t(
        T::PartAgeDays,
        "Wearing parts by age: replaced after, in days",
        Unit::One,
        [365.0, 7.0, 3_650.0],
        "Obeyed where parts are replaced by age. Plastic hardens and springs tire in about a year of work.",
    ),
];
