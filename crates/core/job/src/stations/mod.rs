//! Stations: readings in, one finding out. Each is a file of its own and a line in [`STATIONS`].

pub mod acceptance;
mod bed_loop;
mod blind;
pub mod check;
mod compare;
pub mod drive;
pub mod flow;
mod gantry;
mod guide;
mod heater;
pub mod heater_loop;
mod hot_tighten;
mod mesh;
mod offset_xy;
mod offset_z;
mod pairs;
mod pressure_advance;
mod print_temp;
mod probe;
mod profile;
mod reported;
mod retraction;
mod search;
mod sensor;
mod set_up;
mod snapshot;
mod station;
mod taken;
mod tile_names;
pub mod tram;
mod tube_length;
mod volumetric_limit;
mod worth;

pub use acceptance::{Acceptance, ran_min};
pub use bed_loop::{BedHeld, BedLoop, BedLoopReadings};
pub use check::Check;
pub use compare::Compare;
pub use drive::Drive;
pub use flow::Flow;
pub use gantry::{Gantry, GantryReadings};
pub use heater::{Heater, HeaterReadings};
pub use heater_loop::HeaterLoop;
pub use hot_tighten::HotTighten;
pub use mesh::{Mesh, MeshReadings};
pub use offset_xy::{CombReading, OffsetXy, OffsetXyReadings};
pub use offset_z::{GapMethod, OffsetZ, OffsetZReadings, Patch};
pub use pressure_advance::{PressureAdvance, PressureAdvanceReadings};
pub use print_temp::{PrintTemp, PrintTempReadings, ScoredBand, Wanted};
pub use probe::{Probe, ProbeReadings};
pub use profile::{Profile, ProfileReadings, other_bore, saved_lines};
pub use retraction::{Retraction, RetractionReadings, TrialPrint};
pub use search::{FoundBy, OwnOutcome};
pub use sensor::{Sensor, SensorReadings};
pub use set_up::SetUp;
pub use snapshot::Snapshot;
pub use station::{
    Answer, AnyStation, EvaluateError, MOST_ADJUSTS, STATIONS, Station, add_station, all_stations,
    station_for, station_named,
};
pub use tram::Tram;
pub use tube_length::{TubeLength, TubeLengthReadings, WayTo};
pub use volumetric_limit::{Delivered, Rung, VolumetricLimit, VolumetricLimitReadings};
pub use worth::{ListedPiece, PieceState, Worth, WorthReadings};

pub(crate) use station::read;

use wattotherm_measure::text::plain;
use wattotherm_measure::{Combined, expanded};

use crate::context::{Context, FROM_PROFILE};

/// Expanded uncertainty at the level of confidence of the application.
fn expanded_95(combined: Combined) -> f64 {
    // It can't fail: the confidence is a constant inside (0, 1).
    expanded(combined, wattotherm_measure::CONFIDENCE).unwrap_or(f64::INFINITY)
}

/// A limit known to be rectangular or the like: expanded, with nothing known of its freedom.
fn expanded_type_b(u: f64) -> f64 {
    expanded_95(Combined {
        u,
        dof: f64::INFINITY,
    })
}

/// A known value as it is typed; blank where it isn't known.
fn known(value: Option<f64>, decimals: usize) -> wattotherm_measure::entry::Entry {
    value.map_or_else(Default::default, |v| plain(v, decimals).as_str().into())
}

/// What a test piece is asked for: as it was typed in the round that is repeated, as this job's nozzle profile saved
/// it, or as usual; and where it is from, if from the profile.
fn asked(
    context: &Context,
    name: &str,
    saved: Option<f64>,
    usual: f64,
) -> (wattotherm_measure::entry::Entry, Option<&'static str>) {
    let last = context.previous.as_ref().and_then(|p| p.get(name));
    let typed = last
        .and_then(serde_json::Value::as_str)
        .filter(|t| !t.is_empty());
    match typed.filter(|_| context.adjusts_so_far > 0) {
        Some(typed) => (typed.into(), None),
        None => (
            known(Some(saved.unwrap_or(usual)), 3),
            saved.map(|_| FROM_PROFILE),
        ),
    }
}

/// Print temperature that the job works for [°C]; 210 where no filament says so.
fn print_temp_c(context: &Context) -> f64 {
    let top = context.ceiling().ceiling_c;
    context
        .filament
        .as_ref()
        .and_then(|f| f.print_temp_c)
        .unwrap_or(210.0)
        .min(top)
}
