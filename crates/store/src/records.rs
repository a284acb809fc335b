//! The rows, as the rest of the application sees them.

use serde::{Deserialize, Serialize};
use strum::{EnumString, IntoStaticStr};
use utoipa::ToSchema;
use wattotherm_job::Changed;
use wattotherm_job::chain::Strength;
use wattotherm_job::finding::Finding;
use wattotherm_job::route::{Begins, Deed};
use wattotherm_measure::Verdict;
use wattotherm_printer::{Fitted, Parameter, Part, PrinterFacts, Replacement};

/// A printer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Printer {
    /// Row id.
    pub id: i64,
    /// Name in the shop.
    pub name: String,
    /// Kind in words, never a maker.
    pub kind: String,
    /// What stations need to know: follows from what is fitted.
    pub facts: PrinterFacts,
    /// Whether this is invented demo data.
    pub invented: bool,
    /// When it was added (RFC 3339).
    pub added_at: String,
    /// When it was retired; its history stays.
    #[serde(default)]
    pub retired_at: Option<String>,
    /// Why its facts can't be read, where they can't.
    #[serde(default)]
    pub unreadable: Option<String>,
}

/// Which jobs a list shows; what is blank lets all through.
#[derive(Clone, Debug, Default)]
pub struct JobFilter {
    /// Older than this job.
    pub before: Option<i64>,
    /// Of this printer.
    pub printer_id: Option<i64>,
    /// Open, or over.
    pub open: Option<bool>,
    /// Over in this way.
    pub ended: Option<JobEnd>,
    /// Containing this, whatever the case: number, printer, complaint, customer, technician, what was tried.
    pub text: String,
}

/// A job as a list shows it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct JobHead {
    /// Its number.
    pub id: i64,
    /// Its printer.
    pub printer_id: i64,
    /// Name of the printer.
    pub printer: String,
    /// The complaint.
    pub complaint: String,
    /// Begun at.
    pub opened_at: String,
    /// Over since.
    pub finished_at: Option<String>,
    /// What it began with.
    pub begins: Begins,
    /// How it ended; none while it is open.
    pub ended: Option<JobEnd>,
}

/// How a job ended.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema, EnumString, IntoStaticStr,
)]
#[strum(serialize_all = "snake_case")]
#[serde(rename_all = "snake_case")]
pub enum JobEnd {
    /// Handed over.
    HandedOver,
    /// The fault is still there.
    Unfixed,
    /// Called off.
    Cancelled,
}

impl JobEnd {
    pub(crate) fn id(self) -> &'static str {
        self.into()
    }
    pub(crate) fn from_id(id: &str) -> Option<Self> {
        id.parse().ok()
    }
}

/// Something of a printer that isn't as it belongs.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct ChangedAt {
    /// Since when.
    pub since: String,
    /// By which job.
    pub job_id: i64,
    /// In words.
    pub says: String,
    /// What it is.
    #[serde(flatten)]
    pub changed: Changed,
}

/// Something that happened to a job besides its stations.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DeedEntry {
    /// Number of its logbook entry.
    pub seq: i64,
    /// When.
    pub at: String,
    /// Who.
    pub who: String,
    /// What happened, in words.
    pub says: String,
    /// The same for programs.
    pub deed: Deed,
}

/// A printer to add.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPrinter {
    /// Name in the shop.
    pub name: String,
    /// Kind in words.
    pub kind: String,
    /// What stations need to know.
    #[serde(default)]
    pub facts: PrinterFacts,
    /// Whether this is invented demo data.
    #[serde(default)]
    pub invented: bool,
}

/// A filament.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Filament {
    /// Row id.
    pub id: i64,
    /// Name in the shop, e.g. "PETG, green".
    pub name: String,
    /// Material, e.g. "PETG".
    pub material: String,
}

/// A filament to add.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewFilament {
    /// Name in the shop.
    pub name: String,
    /// Material.
    pub material: String,
}

/// A part on a printer from one day to another.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Fitting {
    /// Which part.
    pub part: Part,
    /// What it is, e.g. "brass 0.4".
    pub description: String,
    /// What is known of it, typed; none where nothing but the words is kept.
    pub fitted: Option<Fitted>,
    /// Fitted at.
    pub from_at: String,
    /// Taken off at; none while it is fitted.
    pub until_at: Option<String>,
    /// Job that fitted it.
    pub job_id: Option<i64>,
}

/// A calibrated value from one day to another.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Setting {
    /// Which parameter.
    pub parameter: Parameter,
    /// Its filament; none for machine parameters.
    pub filament_id: Option<i64>,
    /// Value in the parameter's unit.
    pub value: Option<f64>,
    /// Value where it is a text.
    pub value_text: Option<String>,
    /// Expanded uncertainty (95 %).
    pub expanded: Option<f64>,
    /// In force from.
    pub from_at: String,
    /// In force until; none while it is in force.
    pub until_at: Option<String>,
    /// Logbook entry that set it.
    pub log_id: Option<i64>,
}

impl Setting {
    /// Whether it was in force at a moment.
    #[must_use]
    pub fn in_force_at(&self, at: &str) -> bool {
        self.from_at.as_str() <= at && self.until_at.as_deref().is_none_or(|u| u > at)
    }
}

/// A value that is put in force.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSetting {
    /// Which parameter.
    pub parameter: Parameter,
    /// Its filament; none for machine parameters.
    #[serde(default)]
    pub filament_id: Option<i64>,
    /// Value in the parameter's unit.
    #[serde(default)]
    pub value: Option<f64>,
    /// Value where it is a text.
    #[serde(default)]
    pub value_text: Option<String>,
    /// Expanded uncertainty (95 %).
    #[serde(default)]
    pub expanded: Option<f64>,
}

/// When in a print a complaint shows.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    ToSchema,
    EnumString,
    IntoStaticStr,
)]
#[strum(serialize_all = "snake_case")]
#[serde(rename_all = "snake_case")]
pub enum Shows {
    /// From the first minute.
    AtOnce,
    /// After some time of printing.
    AfterAWhile,
    /// Now and then.
    AtRandom,
    /// Nothing is wrong: a planned change.
    #[default]
    NoComplaint,
}

impl Shows {
    pub(crate) fn id(self) -> &'static str {
        self.into()
    }
    pub(crate) fn from_id(id: &str) -> Self {
        id.parse().unwrap_or_default()
    }
}

/// A job.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Job {
    /// Row id, also the job's number.
    pub id: i64,
    /// Its printer.
    pub printer_id: i64,
    /// Complaint in the customer's words.
    pub complaint: String,
    /// When it shows.
    pub shows: Shows,
    /// What was already tried.
    pub tried: String,
    /// Who brought it.
    pub customer: String,
    /// Who works on it.
    pub technician: String,
    /// What it began with.
    pub begins: Begins,
    /// Parts that were on it when it began.
    pub began_with: Vec<Replacement>,
    /// Parts that are on it now.
    pub replaced: Vec<Replacement>,
    /// Filaments worked through.
    pub filaments: Vec<Filament>,
    /// Minutes of printing after which the complaint showed.
    pub failure_times_min: Vec<f64>,
    /// Opened at.
    pub opened_at: String,
    /// Over since; none while it is open.
    pub finished_at: Option<String>,
    /// How it ended; none while it is open.
    pub ended: Option<JobEnd>,
}

/// A job to start.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewJob {
    /// Its printer.
    pub printer_id: i64,
    /// Complaint in the customer's words.
    #[serde(default)]
    pub complaint: String,
    /// When it shows.
    #[serde(default)]
    pub shows: Shows,
    /// What was already tried.
    #[serde(default)]
    pub tried: String,
    /// Who brought it.
    #[serde(default)]
    pub customer: String,
    /// Who works on it.
    #[serde(default)]
    pub technician: String,
    /// What it begins with.
    #[serde(default)]
    pub begins: Begins,
    /// What was replaced, or is to be.
    #[serde(default)]
    pub replaced: Vec<Replacement>,
    /// Filaments to work through.
    #[serde(default)]
    pub filament_ids: Vec<i64>,
    /// Minutes of printing after which the complaint showed.
    #[serde(default)]
    pub failure_times_min: Vec<f64>,
}

/// A line of the logbook.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct LogEntry {
    /// Number of the entry; rises with time.
    pub id: i64,
    /// When (RFC 3339).
    pub at: String,
    /// What kind: job, closed, reopened, note, setting, fitting, rule, import.
    pub kind: String,
    /// Printer concerned.
    pub printer_id: Option<i64>,
    /// Job concerned.
    pub job_id: Option<i64>,
    /// Stop on the route concerned.
    pub stop: Option<String>,
    /// Part concerned.
    pub part: Option<Part>,
    /// Who.
    pub who: String,
    /// What happened, one sentence.
    pub text: String,
    /// Verdict, for closings.
    pub verdict: Option<Verdict>,
    /// Entry that this one replaces.
    pub supersedes: Option<i64>,
    /// Entry that replaces this one.
    pub superseded_by: Option<i64>,
}

/// One closing of a station.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Closing {
    /// Number of its logbook entry.
    pub seq: i64,
    /// When.
    pub at: String,
    /// Who.
    pub who: String,
    /// Key of its stop on the route.
    pub stop: String,
    /// Readings as typed.
    pub readings: serde_json::Value,
    /// What they led to.
    pub finding: Finding,
    /// Whether the station was reopened or closed again after this.
    pub superseded: bool,
}

/// A filament's value in doubt.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct StaleMark {
    /// Which parameter.
    pub parameter: Parameter,
    /// Of which filament; none for a value of the machine.
    pub filament_id: Option<i64>,
    /// How strongly.
    pub strength: Strength,
    /// Why, as a clause.
    pub clause: String,
}
