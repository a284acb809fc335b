//! Snapshot: every stored setting, read and kept before anything is touched.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{SettingsReport, describe, read_back, read_settings};
use wattotherm_measure::entry::{FieldProblem, Intake, ReadingError};
use wattotherm_measure::text::{count, plain};
use wattotherm_measure::{Pen, Unit, Verdict};

use super::{SetUp, Station};
use crate::context::Context;
use crate::finding::{Facts, Row, Words};
use crate::form::{Field, Form};

/// Stored settings, kept before anything is touched.
pub struct Snapshot;

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

/// One setting as it was read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Kept {
    code: String,
    letter: char,
    value: f64,
}

/// A line of a report that doesn't read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Unread {
    line: u32,
    column: u32,
    says: String,
}

/// What was kept.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SnapshotFound {
    settings: Vec<Kept>,
    unread: Vec<Unread>,
    /// Why there is none.
    none_because: Option<String>,
}

/// Longest report kept.
pub(super) const MOST_CHARS: usize = 40_000;
/// Longest reason or explanation kept.
pub(super) const MOST_REASON: usize = 2_000;

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

/// Complains of a text that is longer than its field.
pub(super) fn no_longer(intake: &mut Intake<'_>, path: &str, text: &str, most: usize) {
    if text.chars().count() > most {
        intake.conflict(
            path,
            format!("That is too long. Type at most {most} characters."),
        );
    }
}

impl Station for Snapshot {
    type Readings = SnapshotReadings;
    type Own = SnapshotFound;
    const ID: &'static str = "snapshot";

    fn start(_: &Context) -> SnapshotReadings {
        SnapshotReadings::default()
    }

    fn form(r: &SnapshotReadings, _: &Context) -> Form {
        Form::default().group(
            "",
            vec![
                Field::report("report", "Settings report", MOST_CHARS).needed(),
                Field::text("none_because", "No report? Say why", MOST_REASON)
                    .when(r.report.trim().is_empty()),
            ],
        )
    }

    fn set_up(_: &SnapshotReadings, _: &Context) -> SetUp {
        let mut up = SetUp::new("Read every stored setting and keep it.").hint(
            "Connected: one press. Otherwise send M503 from the printer’s own console and paste the whole answer.",
        );
        up.commands = vec![read_back()];
        up
    }

    /// Pass when there is a report with settings in it, or a reason why not.
    ///
    /// Source: common practice, no published source.
    fn facts(r: &SnapshotReadings, _: &Context) -> Result<Facts<SnapshotFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let report = report_of(&r.report, &mut intake);
        no_longer(&mut intake, "none_because", &r.none_because, MOST_REASON);
        let why = r.none_because.trim();
        if r.report.trim().is_empty() && why.is_empty() {
            intake.push(FieldProblem::Count {
                field: "report".into(),
                message: "Read the settings, paste them, or say why there are none.".into(),
            });
        }
        intake.finish()?;
        let own = match report {
            None => SnapshotFound {
                settings: Vec::new(),
                unread: Vec::new(),
                none_because: Some(why.to_owned()),
            },
            Some(report) => SnapshotFound {
                settings: report
                    .values
                    .iter()
                    .map(|(key, value)| Kept {
                        code: key.code.clone(),
                        letter: key.letter,
                        value: *value,
                    })
                    .collect(),
                unread: report
                    .diagnostics
                    .iter()
                    .take(10)
                    .map(|d| Unread {
                        line: d.line,
                        column: d.column,
                        says: d.says.clone(),
                    })
                    .collect(),
                none_because: None,
            },
        };
        Ok(Facts::new(Self::ID, Unit::One, Verdict::Pass, own))
    }

    fn words(f: &Facts<SnapshotFound>, _: Pen) -> Words {
        let mut w = Words::new("settings");
        if let Some(why) = &f.own.none_because {
            return w.say(
                "Pass: no settings to keep.",
                format!("Reason kept: {why}"),
                "no settings reported",
                "Go on.",
            );
        }
        w.rows = f
            .own
            .settings
            .iter()
            .map(|s| {
                let key = wattotherm_gcode::SettingKey {
                    code: s.code.clone(),
                    letter: s.letter,
                };
                Row::new(
                    format!("{} {} {}", s.code, s.letter, describe(&key).0),
                    None,
                    Some(plain(s.value, 5)),
                )
            })
            .collect();
        w.reasons = f
            .own
            .unread
            .iter()
            .map(|u| {
                format!(
                    "Line {}, column {} doesn’t read: {}.",
                    u.line, u.column, u.says
                )
            })
            .collect();
        let n = count(f.own.settings.len(), "setting", "settings");
        w.say(
            format!("Pass: {n} kept."),
            "They are compared with what the printer holds before it is handed over.",
            format!("{n} kept"),
            "Go on.",
        )
    }
}
