//! Snapshot: every stored setting, read and kept before anything is touched.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{SettingsReport, describe, read_settings};
use wattotherm_measure::Verdict;
use wattotherm_measure::entry::{FieldProblem, Intake, ReadingError};
use wattotherm_measure::text::{count, plain};

use super::{Context, StationName, blank};
use crate::finding::{Finding, Row};

/// What is read at the snapshot.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SnapshotReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// The settings report, as read from the printer or pasted.
    pub report: String,
    /// Why there is none, where a printer reports nothing.
    pub none_because: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Longest report kept.
const MOST_CHARS: usize = 40_000;

/// Reads a report and complains where it doesn't read; none where it is blank.
pub(super) fn report_of(text: &str, intake: &mut Intake<'_>) -> Option<SettingsReport> {
    if text.chars().count() > MOST_CHARS {
        intake.conflict(
            "report",
            "The report is too long. Keep it under 40 000 characters.",
        );
        return None;
    }
    if text.trim().is_empty() {
        return None;
    }
    let report = read_settings(text);
    if report.values.is_empty() {
        let first = report.diagnostics.first().map_or_else(
            || "no line begins with a setting command such as M92".to_owned(),
            |d| format!("line {}, column {}: {}", d.line, d.column, d.says),
        );
        intake.conflict(
            "report",
            format!("No setting was found in this text: {first}. Paste the whole answer to M503."),
        );
        return None;
    }
    Some(report)
}

/// Evaluates a snapshot: pass when there is a report with settings in it, or a reason why not.
///
/// Source: common practice, no published source.
/// # Errors
/// [`ReadingError`] for a text without settings, or nothing at all.
pub fn evaluate(readings: &SnapshotReadings, _: &Context) -> Result<Finding, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let report = report_of(&readings.report, &mut intake);
    let why = readings.none_because.trim();
    if readings.report.trim().is_empty() && why.is_empty() {
        intake.push(FieldProblem::Count {
            field: "report".into(),
            message: "Read the settings, paste them, or say why there are none.".into(),
        });
    }
    intake.finish()?;
    let mut finding = blank(StationName::Snapshot, "settings", "", Verdict::Pass);
    finding.next = "Go on.".into();
    let Some(report) = report else {
        finding.headline = "Pass: no settings to keep.".into();
        finding.sentence = format!("Reason kept: {why}");
        finding.line = "no settings reported".into();
        return Ok(finding);
    };
    let n = count(report.values.len(), "setting", "settings");
    finding.headline = format!("Pass: {n} kept.");
    finding.sentence =
        "They are compared with what the printer holds before it is handed over.".into();
    finding.line = format!("{n} kept");
    finding.rows = report
        .values
        .iter()
        .map(|(key, value)| Row {
            name: format!("{} {} {}", key.code, key.letter, describe(key).0),
            before: None,
            after: Some(plain(*value, 5)),
        })
        .collect();
    finding.reasons = report
        .diagnostics
        .iter()
        .take(10)
        .map(|d| {
            format!(
                "Line {}, column {} doesn't read: {}.",
                d.line, d.column, d.says
            )
        })
        .collect();
    Ok(finding)
}
