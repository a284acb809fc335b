//! What a job begins with, and what happens to it on the way.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::{Parameter, Replacement};

use super::Stop;
use crate::chain::{StaleCause, Strength};
use crate::changed::{Lasts, says};
use crate::finding::Finding;

/// What a job begins with.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "with", rename_all = "snake_case", deny_unknown_fields)]
pub enum Begins {
    /// Parts were replaced, or are about to be.
    #[default]
    Parts,
    /// Something is wrong, and the cause isn't known.
    Symptom,
    /// Nothing is wrong: values are looked after.
    CheckUp {
        /// Which; none for all of them.
        #[serde(default)]
        parameters: Vec<Parameter>,
    },
    /// A machine that was bought back, or second-hand.
    Inspection,
    /// A filament that the printer hasn't printed yet.
    Filament,
}

/// What a machine of unknown past is asked for: the values of the machine that a careful buyer tries. Common
/// practice, no published source.
const OF_A_STRANGER: [Parameter; 6] = [
    Parameter::SensorType,
    Parameter::Ceiling,
    Parameter::HeaterLoop,
    Parameter::Drive,
    Parameter::Tram,
    Parameter::OffsetZ,
];

impl Begins {
    /// Whether it asks for a parameter without a part having shaken it: how strongly, and why, as a clause.
    #[must_use]
    pub fn asks_for(&self, parameter: Parameter) -> Option<(Strength, &'static str)> {
        match self {
            Self::Parts | Self::Symptom => None,
            Self::CheckUp { parameters } => (parameters.is_empty()
                || parameters.contains(&parameter))
            .then_some((Strength::Verify, "a check-up was asked for")),
            Self::Inspection => OF_A_STRANGER
                .contains(&parameter)
                .then_some((Strength::Verify, "nobody here knows this machine")),
            Self::Filament => parameter
                .per_filament()
                .then_some((Strength::Redo, "the filament is new here")),
        }
    }
}

/// How a job ends without being handed over.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Ending {
    /// The fault is still there.
    Unfixed,
    /// The job was not wanted after all, or begun by mistake.
    Cancelled,
}

impl Ending {
    /// In words, e.g. "closed unfixed".
    #[must_use]
    pub const fn says(self) -> &'static str {
        match self {
            Self::Unfixed => "closed unfixed",
            Self::Cancelled => "cancelled",
        }
    }
}

/// Something that happens to a job besides its stations being closed and opened again.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "deed", rename_all = "snake_case", deny_unknown_fields)]
pub enum Deed {
    /// Another part is to be replaced, or was; the same one once more, where it is on the job already.
    PartAdded {
        /// Which.
        part: Replacement,
        /// Why.
        reason: String,
    },
    /// A value is to be found anew, though no part shook it: what was mended rests on it.
    ValueAsked {
        /// Which.
        parameter: Parameter,
        /// Why.
        reason: String,
    },
    /// A part is not replaced after all.
    PartTaken {
        /// Which.
        part: Replacement,
        /// Why.
        reason: String,
    },
    /// The complaint came back.
    CameBack {
        /// After how many minutes of printing, where it was seen [min].
        after_min: Option<f64>,
        /// What was seen.
        reason: String,
    },
    /// A station is left out.
    Waived {
        /// Key of its stop.
        stop: String,
        /// Why.
        reason: String,
    },
    /// Something was changed and isn't as it belongs: for a try, or until somebody puts it right.
    Changed {
        /// What.
        what: String,
        /// How it was; may be blank.
        was: String,
        /// How it is now; may be blank.
        now: String,
        /// How long it is meant to last.
        lasts: Lasts,
        /// Why.
        reason: String,
    },
    /// Something that was changed is as it belongs again.
    PutBack {
        /// What, as it was named when it was changed.
        what: String,
        /// What else is to be said of it; may be blank.
        reason: String,
    },
    /// A wait begins whose end somebody wants to be told: annealing, drying, a soak.
    TimerSet {
        /// What waits.
        what: String,
        /// For how long [min].
        minutes: f64,
    },
    /// That wait is over, or was called off.
    TimerOver {
        /// What waited.
        what: String,
    },
    /// Work rests for a while; the job keeps its place.
    Paused {
        /// Why.
        reason: String,
    },
    /// Work goes on.
    Resumed {},
    /// Somebody else works on it.
    HandedOn {
        /// Who.
        to: String,
        /// What they need to know.
        reason: String,
    },
    /// The job ends without being handed over.
    Ended {
        /// How.
        how: Ending,
        /// Why.
        reason: String,
    },
    /// An ending was wrong: the job goes on.
    Reopened {
        /// Why.
        reason: String,
    },
}

impl Deed {
    /// The technician's reason; empty for a deed that needs none.
    #[must_use]
    pub fn reason(&self) -> &str {
        match self {
            Self::PartAdded { reason, .. }
            | Self::PartTaken { reason, .. }
            | Self::ValueAsked { reason, .. }
            | Self::CameBack { reason, .. }
            | Self::Waived { reason, .. }
            | Self::Changed { reason, .. }
            | Self::PutBack { reason, .. }
            | Self::Paused { reason }
            | Self::HandedOn { reason, .. }
            | Self::Ended { reason, .. }
            | Self::Reopened { reason } => reason,
            Self::Resumed {} | Self::TimerSet { .. } | Self::TimerOver { .. } => "",
        }
    }

    /// What happened, as a line of the logbook.
    #[must_use]
    pub fn says(&self, title_of: impl Fn(&str) -> String) -> String {
        match self {
            Self::PartAdded { part, reason } => {
                format!("Added to the job: {}; {reason}", part.label())
            }
            Self::ValueAsked { parameter, reason } => {
                format!("To be found anew: {}; {reason}", parameter.label())
            }
            Self::PartTaken { part, reason } => {
                format!("Taken off the job: {}; {reason}", part.label())
            }
            Self::CameBack {
                after_min: Some(m),
                reason,
            } => format!("The complaint came back after {m:.0} min: {reason}"),
            Self::CameBack { reason, .. } => format!("The complaint came back: {reason}"),
            Self::Waived { stop, reason } => {
                format!("Left out, unproven: {}; {reason}", title_of(stop))
            }
            Self::Changed {
                what,
                was,
                now,
                lasts,
                reason,
            } => {
                let lasts = match lasts {
                    Lasts::Loan => "Changed for a try",
                    Lasts::Alteration => "Altered",
                };
                format!("{lasts}: {}; {reason}", says(what, was, now))
            }
            Self::PutBack { what, reason } if reason.is_empty() => format!("Put back: {what}"),
            Self::PutBack { what, reason } => format!("Put back: {what}; {reason}"),
            Self::Paused { reason } => format!("Paused: {reason}"),
            Self::Resumed {} => "Work goes on".into(),
            Self::TimerSet { what, minutes } => format!("Timer set: {what}, {minutes:.0} min"),
            Self::TimerOver { what } => format!("Timer ended: {what}"),
            Self::HandedOn { to, reason } if reason.is_empty() => format!("Handed on to {to}"),
            Self::HandedOn { to, reason } => format!("Handed on to {to}: {reason}"),
            Self::Ended { how, reason } => format!("The job was {}: {reason}", how.says()),
            Self::Reopened { reason } => format!("The job goes on: {reason}"),
        }
    }
}

/// One entry of a job's history, oldest first.
#[derive(Clone, Debug, PartialEq)]
pub enum Event {
    /// A station was closed with a finding.
    Closed {
        /// Sequence number.
        seq: u64,
        /// Which station.
        stop: Stop,
        /// What it found.
        finding: Box<Finding>,
    },
    /// A closed station was opened again.
    Reopened {
        /// Sequence number.
        seq: u64,
        /// Which station.
        stop: Stop,
    },
    /// Anything else.
    Did {
        /// Sequence number.
        seq: u64,
        /// What.
        deed: Deed,
    },
}

/// A job as far as its traveller cares.
#[derive(Clone, Debug, Default)]
pub struct JobFacts {
    /// What it began with.
    pub begins: Begins,
    /// Parts that were on it when it began.
    pub replaced: BTreeSet<Replacement>,
    /// Whether there is a complaint: without one it is a planned change.
    pub complaint: bool,
    /// Filaments the job works through: id and name.
    pub filaments: Vec<(i64, String)>,
    /// Values in doubt from earlier jobs, by parameter and filament; none of it for a value of the machine.
    pub stale: BTreeMap<(Parameter, Option<i64>), StaleCause>,
    /// Values in force when the job began, by station.
    pub initial: BTreeMap<Stop, f64>,
    /// The same for texts.
    pub initial_text: BTreeMap<Stop, String>,
    /// How many nozzles the printer has.
    pub nozzles: u8,
    /// Whether a liner reaches down to the nozzle, so that a new tube is seated under a nozzle backed off.
    pub lined: bool,
    /// Whether its nozzle is changed cold by hand, with a heat break of its own.
    pub quick_nozzle: bool,
    /// Whether the printer has a bed probe.
    pub probe: bool,
    /// Several motors lift its crossing.
    pub gantry: bool,
    /// Whether the job was handed over.
    pub handed_over: bool,
}
