//! Compare: what the printer holds at the end against the snapshot and against what the stations left.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{
    Command, SettingKey, SettingsReport, compare_settings, read_back, read_settings, store_settings,
};
use wattotherm_measure::Verdict;
use wattotherm_measure::entry::{FieldProblem, Intake, ReadingError};
use wattotherm_measure::text::{count, plain};

use super::answer::Answer;
use super::snapshot::report_of;
use super::{Context, StationName, blank};
use crate::context::ExpectedSetting;
use crate::finding::{Finding, Row};

/// What is read at the end.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct CompareReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// The settings report, read after the power cycle.
    pub report: String,
    /// Whether the printer was switched off and on before it was read.
    pub power_cycled: Answer,
    /// Why there is none, where a printer reports nothing.
    pub none_because: String,
    /// What the changes are that no station made.
    pub explained: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Reports print two to five decimals: within this a value is the one that was left.
fn same(a: f64, b: f64) -> bool {
    (a - b).abs() <= (1e-4 * b.abs()).max(1.1e-3)
}

fn gone<'a>(report: &SettingsReport, context: &'a Context) -> Vec<&'a ExpectedSetting> {
    context
        .expected
        .iter()
        .filter(|e| {
            let key = SettingKey {
                code: e.code.clone(),
                letter: e.letter,
            };
            !report.values.get(&key).is_some_and(|v| same(*v, e.value))
        })
        .collect()
}

/// Commands that put lost values back: one a command code, in the order they are expected.
fn put_back(lost: &[&ExpectedSetting]) -> Vec<Command> {
    let mut commands: Vec<(String, String)> = Vec::new();
    for e in lost {
        let word = format!("{}{}", e.letter, plain(e.value, 4));
        match commands.iter_mut().find(|(code, _)| *code == e.code) {
            Some((_, words)) => {
                words.push(' ');
                words.push_str(&word);
            }
            None => commands.push((e.code.clone(), word)),
        }
    }
    let mut lines: Vec<Command> = commands
        .into_iter()
        .map(|(code, words)| Command {
            line: format!("{code} {words}"),
            says: "set again".into(),
        })
        .collect();
    lines.push(store_settings());
    lines.push(read_back());
    lines
}

/// Evaluates the comparison: adjust when a value that a station left is not in the printer; measure
/// again while a change has no station and no explanation; pass otherwise.
///
/// Source: common practice, no published source.
/// # Errors
/// [`ReadingError`] for a text without settings, or nothing at all.
pub fn evaluate(readings: &CompareReadings, context: &Context) -> Result<Finding, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let report = report_of(&readings.report, &mut intake);
    let why = readings.none_because.trim();
    let need = |field: &str, message: &str| FieldProblem::Count {
        field: field.into(),
        message: message.into(),
    };
    if readings.report.trim().is_empty() && why.is_empty() {
        intake.push(need(
            "report",
            "Switch the printer off and on, then read the settings, paste them, or say why there are none.",
        ));
    } else if report.is_some() && readings.power_cycled == Answer::Open {
        intake.push(need(
            "power_cycled",
            "Say whether the printer was switched off and on before it was read.",
        ));
    }
    intake.finish()?;
    let mut finding = blank(StationName::Compare, "settings", "", Verdict::Pass);
    let Some(report) = report else {
        finding.headline = "Pass: nothing to compare.".into();
        finding.sentence = format!("Reason kept: {why}");
        finding.line = "no settings reported".into();
        finding.next = "Go on.".into();
        return Ok(finding);
    };
    let before = read_settings(context.snapshot.as_deref().unwrap_or_default());
    let changes = if before.values.is_empty() {
        Vec::new()
    } else {
        compare_settings(&before, &report)
    };
    let made_by = |code: &str, letter: &str| {
        context
            .expected
            .iter()
            .find(|e| e.code == code && letter == e.letter.to_string())
            .map(|e| e.station.as_str())
    };
    let mut unexplained = Vec::new();
    for c in &changes {
        let station = made_by(&c.code, &c.letter);
        if station.is_none() {
            unexplained.push(format!("{} {}", c.code, c.letter));
        }
        finding.rows.push(Row {
            name: format!(
                "{} {} {} ({})",
                c.code,
                c.letter,
                c.says,
                station.unwrap_or("no station")
            ),
            before: c.before.clone(),
            after: c.after.clone(),
        });
    }
    let lost = gone(&report, context);
    if !lost.is_empty() {
        finding.verdict = Verdict::Adjust;
        let mut stations: Vec<&str> = lost.iter().map(|e| e.station.as_str()).collect();
        stations.dedup();
        finding.headline = format!(
            "Adjust: {} of {} {} not in the printer.",
            count(lost.len(), "value", "values"),
            wattotherm_measure::text::join_and(&stations),
            if lost.len() == 1 { "is" } else { "are" }
        );
        finding.sentence = if readings.power_cycled == Answer::Yes {
            "The power cycle lost them: they were not stored. Send them again, store, and read once more after a power cycle. If they are lost again, the board's memory can't be written.".into()
        } else {
            "Send them again, store, switch off and on, and read once more.".into()
        };
        for e in &lost {
            let key = SettingKey {
                code: e.code.clone(),
                letter: e.letter,
            };
            let got = report
                .values
                .get(&key)
                .map_or("nothing".to_owned(), |v| plain(*v, 4));
            finding.reasons.push(format!(
                "{} left {} {} at {}; the printer holds {got}.",
                e.station,
                e.code,
                e.letter,
                plain(e.value, 4)
            ));
        }
        finding.line = format!("{} not stored", count(lost.len(), "value", "values"));
        finding.commands = put_back(&lost);
        finding.next = "Store, switch off and on, read again.".into();
        return Ok(finding);
    }
    let explained = readings.explained.trim();
    if !unexplained.is_empty() && explained.is_empty() {
        finding.verdict = Verdict::MeasureAgain;
        finding.headline = format!(
            "{} changed, and no station did it.",
            count(unexplained.len(), "setting", "settings")
        );
        finding.sentence = format!(
            "{}: say below why, or put {} back.",
            unexplained.join(", "),
            if unexplained.len() == 1 { "it" } else { "them" }
        );
        finding.settle = vec!["say why each changed".into()];
        finding.line = format!("{} unexplained", unexplained.len());
        finding.next = "Explain or put back.".into();
        return Ok(finding);
    }
    if !explained.is_empty() {
        finding.reasons.push(format!("Explained: {explained}"));
    }
    let kept = count(context.expected.len(), "value", "values");
    let proven = readings.power_cycled == Answer::Yes;
    finding.headline = if context.expected.is_empty() {
        "Pass: nothing was to be stored.".into()
    } else {
        format!("Pass: {kept} of this job stand in the printer.")
    };
    finding.sentence = if proven {
        "Read after a power cycle, so they are stored.".into()
    } else {
        "Read without a power cycle: in force, but not proven to be stored.".into()
    };
    finding.line = format!(
        "{kept} read back{}",
        if proven { " after a power cycle" } else { "" }
    );
    finding.next = "Go on.".into();
    Ok(finding)
}
