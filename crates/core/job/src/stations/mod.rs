//! Stations: readings in, one finding out.
//!
//! Every station is `fn evaluate(&Readings, &Context) -> Result<Finding, ReadingError>`, pure, in
//! a file of its own. [`evaluate`] finds the station by name and reads its JSON.

pub mod acceptance;
mod answer;
pub mod check;
pub mod compare;
pub mod drive;
pub mod flow;
pub mod heater;
pub mod heater_loop;
pub mod hot_tighten;
mod offset_z;
pub mod sensor;
mod setup;
pub mod snapshot;
pub mod tram;
mod trial;

pub use answer::Answer;
pub use offset_z::{GapMethod, OffsetZReadings, Patch};
pub use setup::{SetUp, set_up, start};
pub use trial::{TrialOutcome, TrialReadings, TrialSpec, trial_spec};

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Limit, ReadingError};
use wattotherm_measure::text::{decimals_for, fixed, spaced, with_uncertainty};
use wattotherm_measure::{Verdict, decide};

use crate::context::Context;
use crate::finding::{Band, Finding};

/// A kind of worktop.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum StationName {
    /// Extruder steps per millimetre.
    Drive,
    /// Bed plane.
    Tram,
    /// Nozzle height.
    OffsetZ,
    /// Flow multiplier.
    Flow,
    /// Is the printer good, and for long enough?
    Acceptance,
    /// A value found by the technician's own trial.
    Trial,
    /// Steps to tick off.
    Check,
    /// Stored settings, kept before anything is touched.
    Snapshot,
    /// Stored settings at the end against the beginning.
    Compare,
    /// Temperature sensor, cold.
    Sensor,
    /// Heater cartridge and temperature ceiling.
    Heater,
    /// Hold, autotune, gains, verification.
    HeaterLoop,
    /// Nozzle tightened hot.
    HotTighten,
}

impl StationName {
    /// All stations.
    pub const ALL: [Self; 13] = [
        Self::Drive,
        Self::Tram,
        Self::OffsetZ,
        Self::Flow,
        Self::Acceptance,
        Self::Trial,
        Self::Check,
        Self::Snapshot,
        Self::Compare,
        Self::Sensor,
        Self::Heater,
        Self::HeaterLoop,
        Self::HotTighten,
    ];

    /// Identifier used in URLs and on the command line.
    #[must_use]
    pub const fn id(self) -> &'static str {
        match self {
            Self::Drive => "drive",
            Self::Tram => "tram",
            Self::OffsetZ => "offset_z",
            Self::Flow => "flow",
            Self::Acceptance => "acceptance",
            Self::Trial => "trial",
            Self::Check => "check",
            Self::Snapshot => "snapshot",
            Self::Compare => "compare",
            Self::Sensor => "sensor",
            Self::Heater => "heater",
            Self::HeaterLoop => "heater_loop",
            Self::HotTighten => "hot_tighten",
        }
    }

    /// The station with this [`StationName::id`], if there is one.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|s| s.id() == id)
    }

    /// Limits of the station's number fields.
    #[must_use]
    pub const fn limits(self) -> &'static [Limit] {
        match self {
            Self::Drive => &drive::LIMITS,
            Self::Tram => &tram::LIMITS,
            Self::OffsetZ => &offset_z::LIMITS,
            Self::Flow => &flow::LIMITS,
            Self::Acceptance => &acceptance::LIMITS,
            Self::Sensor => &sensor::LIMITS,
            Self::Heater => &heater::LIMITS,
            Self::HeaterLoop => &heater_loop::LIMITS,
            Self::HotTighten => &hot_tighten::LIMITS,
            Self::Trial | Self::Check | Self::Snapshot | Self::Compare => &[],
        }
    }
}

/// Why a station gives no finding.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum EvaluateError {
    /// The JSON has another shape than the station's readings.
    #[error("{field}: {message}")]
    Shape {
        /// Path of the field.
        field: String,
        /// What was wrong.
        message: String,
    },
    /// The shape is right, the values are not.
    #[error(transparent)]
    Readings(#[from] ReadingError),
}

/// Evaluates a station's readings given as JSON.
///
/// # Errors
/// [`EvaluateError::Shape`] for JSON that isn't this station's, [`EvaluateError::Readings`] with
/// every field that is missing, out of range, or asks "did you mean".
pub fn evaluate(
    station: StationName,
    readings: &serde_json::Value,
    context: &Context,
) -> Result<Finding, EvaluateError> {
    let finding = match station {
        StationName::Drive => drive::evaluate(&read(readings)?, context)?,
        StationName::Tram => tram::evaluate(&read(readings)?, context)?,
        StationName::OffsetZ => offset_z::evaluate(&read(readings)?, context)?,
        StationName::Flow => flow::evaluate(&read(readings)?, context)?,
        StationName::Acceptance => acceptance::evaluate(&read(readings)?, context)?,
        StationName::Trial => trial::evaluate(&read(readings)?, context)?,
        StationName::Check => check::evaluate(&read(readings)?, context)?,
        StationName::Snapshot => snapshot::evaluate(&read(readings)?, context)?,
        StationName::Compare => compare::evaluate(&read(readings)?, context)?,
        StationName::Sensor => sensor::evaluate(&read(readings)?, context)?,
        StationName::Heater => heater::evaluate(&read(readings)?, context)?,
        StationName::HeaterLoop => heater_loop::evaluate(&read(readings)?, context)?,
        StationName::HotTighten => hot_tighten::evaluate(&read(readings)?, context)?,
    };
    Ok(stop_after_three_adjusts(finding, context))
}

pub(crate) fn read<T: DeserializeOwned>(json: &serde_json::Value) -> Result<T, EvaluateError> {
    serde_path_to_error::deserialize(json).map_err(|e| EvaluateError::Shape {
        field: e.path().to_string(),
        message: e.inner().to_string(),
    })
}

/// Adjusts without a pass before the station stops. Common practice, no published source.
pub const MOST_ADJUSTS: u32 = 3;

/// Three adjusts without a pass is a stop: the cause lies elsewhere.
fn stop_after_three_adjusts(finding: Finding, context: &Context) -> Finding {
    if finding.verdict != Verdict::Adjust || context.adjusts_so_far < MOST_ADJUSTS {
        return finding;
    }
    let cause = format!(
        "{} adjusts without a pass: the cause lies elsewhere",
        context.adjusts_so_far
    );
    Finding {
        headline: format!("Stop: {cause}."),
        sentence: "Another setting won't hold either. Set nothing; find what moves the value: \
                   something loose, slipping, clogged, or an instrument that doesn't repeat."
            .into(),
        line: format!("stopped after {} adjusts", context.adjusts_so_far),
        ..stopped(finding, &cause)
    }
}

/// Turns a finding into a stop: no new value, nothing to send.
fn stopped(finding: Finding, cause: &str) -> Finding {
    Finding {
        verdict: Verdict::Stop,
        after: None,
        after_text: None,
        commands: Vec::new(),
        plain: Vec::new(),
        settle: Vec::new(),
        headline: format!("Stop: {cause}."),
        line: format!("stopped: {cause}"),
        cause: Some(cause.to_owned()),
        next: "Find the fault, then come back and measure again. Nothing is set.".into(),
        ..finding
    }
}

/// Builds the band of one quantity and decides on it.
fn band(
    label: &str,
    unit: &str,
    (measured, nominal): (f64, f64),
    (expanded, dof): (f64, f64),
    limit: f64,
) -> Band {
    let error = measured - nominal;
    Band {
        label: label.to_owned(),
        unit: unit.to_owned(),
        measured,
        nominal,
        error,
        expanded,
        dof: dof.is_finite().then_some(dof),
        limit,
        verdict: decide(error, expanded, limit),
        measured_text: with_uncertainty(measured, expanded, unit),
        nominal_text: format!(
            "{} ±{}{}",
            fixed(nominal, decimals_for(limit, 2)),
            fixed(limit, decimals_for(limit, 2)),
            spaced(unit)
        ),
    }
}

/// A finding with only what every station fills; the rest is empty.
fn blank(station: StationName, quantity: &str, unit: &str, verdict: Verdict) -> Finding {
    Finding {
        station: station.id().to_owned(),
        quantity: quantity.to_owned(),
        unit: unit.to_owned(),
        before: None,
        after: None,
        before_text: None,
        after_text: None,
        value_expanded: None,
        verdict,
        headline: String::new(),
        sentence: String::new(),
        line: String::new(),
        bands: Vec::new(),
        rows: Vec::new(),
        reasons: Vec::new(),
        settle: Vec::new(),
        cause: None,
        commands: Vec::new(),
        plain: Vec::new(),
        next: String::new(),
        send_back: None,
    }
}

/// "thirteen times more than your rule can blur" in numbers: how far outside its uncertainty an
/// error is.
fn times_the_blur(error: f64, expanded: f64) -> String {
    if expanded <= 0.0 {
        return String::new();
    }
    let ratio = error.abs() / expanded;
    if ratio >= 2.0 {
        format!(", {ratio:.0} times what the reading can blur")
    } else {
        ", more than the reading can blur".into()
    }
}

/// The sentence that asks for better readings.
fn ask_for_more(settle: &[String], what: &str) -> String {
    if settle.is_empty() {
        return format!(
            "The readings can't show whether {what} is inside the limit, and no instrument of this \
             shop would settle it: widen the limit in the house rules or get a finer instrument."
        );
    }
    let refs: Vec<&str> = settle.iter().map(String::as_str).collect();
    format!(
        "The readings can't show yet whether {what} is inside the limit. To settle it: {}.",
        wattotherm_measure::text::join_or(&refs)
    )
}

/// No uncertainty can fail here: the confidence is a constant inside (0, 1).
fn expanded_95(combined: wattotherm_measure::Combined) -> f64 {
    wattotherm_measure::expanded(combined, wattotherm_measure::CONFIDENCE).unwrap_or(f64::INFINITY)
}
