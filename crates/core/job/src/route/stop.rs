//! Stops: the places on a job's route, and the keys by which they are known.

use std::fmt;
use std::str::FromStr;

use wattotherm_printer::{Parameter, Replacement};

use crate::stations::{
    Acceptance, AnyStation, BedLoop, Check, Compare, Gantry, Heater, HotTighten, Mesh, Probe,
    Snapshot, TubeLength, Worth, station_for,
};

/// What a station of a job is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stop {
    /// Settings kept, photographs.
    Intake,
    /// A machine of unknown past, looked over.
    Inspection,
    /// What a machine of unknown past is missing, and what it comes to.
    Worth,
    /// Stored settings, kept.
    Snapshot,
    /// Test print with the old settings.
    Baseline,
    /// Looking for the cause of a complaint.
    Cause,
    /// How long a new tube is cut.
    TubeLength,
    /// Strip and fit one part.
    Fit(Replacement),
    /// A new heater, measured before it gets power.
    Heater,
    /// Switched on cold, and looked at.
    PowerUp,
    /// Heated for the first time, attended.
    FirstHeat,
    /// Nozzle tightened hot.
    HotTighten,
    /// The bed probe, tried and measured in.
    Probe,
    /// The plate's heights, probed.
    Mesh,
    /// The bed's heater loop.
    BedLoop,
    /// A crossing that hangs on several motors.
    Gantry,
    /// A parameter; with a filament's id where it belongs to one.
    Parameter(Parameter, Option<i64>),
    /// First print before tuning.
    FirstPrint,
    /// Cube and clean run.
    Acceptance,
    /// Stored settings at the end against the beginning.
    Compare,
    /// Store, report.
    HandOver,
}

impl fmt::Display for Stop {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Intake => f.write_str("intake"),
            Self::Snapshot => f.write_str("snapshot"),
            Self::Baseline => f.write_str("baseline"),
            Self::Inspection => f.write_str("inspection"),
            Self::Worth => f.write_str("worth"),
            Self::TubeLength => f.write_str("tube_length"),
            Self::Probe => f.write_str("probe"),
            Self::Mesh => f.write_str("mesh"),
            Self::BedLoop => f.write_str("bed_loop"),
            Self::Gantry => f.write_str("gantry"),
            Self::Cause => f.write_str("cause"),
            Self::FirstHeat => f.write_str("first_heat"),
            Self::Fit(r) => write!(f, "fit.{}", r.id()),
            Self::PowerUp => f.write_str("power_up"),
            Self::Heater => f.write_str("heater"),
            Self::HotTighten => f.write_str("hot_tighten"),
            Self::Parameter(p, None) => f.write_str(p.id()),
            Self::Parameter(p, Some(id)) => write!(f, "{}.{id}", p.id()),
            Self::FirstPrint => f.write_str("first_print"),
            Self::Acceptance => f.write_str("acceptance"),
            Self::Compare => f.write_str("compare"),
            Self::HandOver => f.write_str("hand_over"),
        }
    }
}

/// A text that names no station.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("there is no station “{0}”")]
pub struct UnknownStop(pub String);

impl FromStr for Stop {
    type Err = UnknownStop;
    fn from_str(text: &str) -> Result<Self, UnknownStop> {
        let unknown = || UnknownStop(text.chars().take(40).collect());
        match text {
            "intake" => return Ok(Self::Intake),
            "snapshot" => return Ok(Self::Snapshot),
            "inspection" => return Ok(Self::Inspection),
            "baseline" => return Ok(Self::Baseline),
            "worth" => return Ok(Self::Worth),
            "tube_length" => return Ok(Self::TubeLength),
            "probe" => return Ok(Self::Probe),
            "mesh" => return Ok(Self::Mesh),
            "bed_loop" => return Ok(Self::BedLoop),
            "gantry" => return Ok(Self::Gantry),
            "cause" => return Ok(Self::Cause),
            "first_heat" => return Ok(Self::FirstHeat),
            "power_up" => return Ok(Self::PowerUp),
            "heater" => return Ok(Self::Heater),
            "hot_tighten" => return Ok(Self::HotTighten),
            "first_print" => return Ok(Self::FirstPrint),
            "acceptance" => return Ok(Self::Acceptance),
            "compare" => return Ok(Self::Compare),
            "hand_over" => return Ok(Self::HandOver),
            _ => {}
        }
        if let Some(rest) = text.strip_prefix("fit.") {
            return Replacement::from_id(rest)
                .map(Self::Fit)
                .ok_or_else(unknown);
        }
        match text.split_once('.') {
            None => Parameter::from_id(text)
                .map(|p| Self::Parameter(p, None))
                .ok_or_else(unknown),
            Some((p, id)) => Parameter::from_id(p)
                .zip(id.parse().ok())
                .map(|(p, id)| Self::Parameter(p, Some(id)))
                .ok_or_else(unknown),
        }
    }
}

impl Stop {
    /// The station that is worked through there.
    #[must_use]
    pub fn station(self) -> &'static dyn AnyStation {
        match self {
            Self::Snapshot => &Snapshot,
            Self::Compare => &Compare,
            Self::Heater => &Heater,
            Self::HotTighten => &HotTighten,
            Self::Worth => &Worth,
            Self::TubeLength => &TubeLength,
            Self::Probe => &Probe,
            Self::Mesh => &Mesh,
            Self::BedLoop => &BedLoop,
            Self::Gantry => &Gantry,
            Self::Parameter(p, _) => station_for(p),
            Self::Acceptance => &Acceptance,
            Self::Intake
            | Self::Inspection
            | Self::Baseline
            | Self::Cause
            | Self::Fit(_)
            | Self::PowerUp
            | Self::FirstHeat
            | Self::FirstPrint
            | Self::HandOver => &Check,
        }
    }
}

impl Stop {
    /// Whether a job may go on without it, given whether its sensor is new.
    ///
    /// Handing over is the end itself. A new heater or sensor that nobody measured is not heated: a fire is no
    /// matter of opinion.
    #[must_use]
    pub const fn can_waive(self, new_sensor: bool) -> bool {
        match self {
            Self::HandOver | Self::Heater | Self::FirstHeat => false,
            Self::Parameter(Parameter::SensorType, _) => !new_sensor,
            _ => true,
        }
    }
}
