//! A printer's settings report, and what differs between two.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::text::plain;

use super::words::Words;

/// One stored value: command and letter, e.g. `M92 E`.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
pub struct SettingKey {
    /// Command, e.g. `M92`.
    pub code: String,
    /// Letter, e.g. `E`.
    pub letter: char,
}

/// What is wrong in a report, and where.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct SettingsDiagnostic {
    /// Line, from 1.
    pub line: u32,
    /// Column, from 1.
    pub column: u32,
    /// What is wrong.
    pub says: String,
}

/// All values of a report.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SettingsReport {
    /// Values by command and letter.
    pub values: BTreeMap<SettingKey, f64>,
    /// Lines that are no setting; reading goes on after each.
    pub diagnostics: Vec<SettingsDiagnostic>,
}

fn is_stored(code: &str) -> bool {
    super::command::command(code).is_some_and(|s| !s.keeps.is_empty())
}

/// Reads a settings report: one command a line, maybe behind `echo:`, with comments after `;`.
///
/// Never panics; lines that begin like a setting but aren't one are told with line and column.
#[must_use]
pub fn read_settings(text: &str) -> SettingsReport {
    let mut report = SettingsReport::default();
    for (i, raw) in text.lines().take(2_000).enumerate() {
        let body = raw.trim_start();
        let body = body.strip_prefix("echo:").unwrap_or(body).trim_start();
        let starts =
            body.starts_with(['M', 'm']) && body[1..].starts_with(|c: char| c.is_ascii_digit());
        if !starts {
            continue;
        }
        // Columns are counted in the line as it stands in the file.
        let before = raw.chars().count() - body.chars().count();
        match Words::read(body) {
            Ok(words) if is_stored(words.code()) => {
                for (letter, value) in words.words() {
                    if let Some(v) = value {
                        report.values.insert(
                            SettingKey {
                                code: words.code().to_owned(),
                                letter: *letter,
                            },
                            *v,
                        );
                    }
                }
            }
            Ok(_) => {}
            Err(e) => report.diagnostics.push(SettingsDiagnostic {
                line: u32::try_from(i + 1).unwrap_or(u32::MAX),
                column: u32::try_from(before + e.column).unwrap_or(u32::MAX),
                says: e.says,
            }),
        }
    }
    report
}

/// The stored values that a command asks for; none if it stores nothing.
#[must_use]
pub fn wanted_by(words: &Words) -> Vec<(SettingKey, f64)> {
    if !is_stored(words.code()) {
        return Vec::new();
    }
    words
        .words()
        .iter()
        .filter_map(|(l, v)| {
            v.map(|v| {
                (
                    SettingKey {
                        code: words.code().to_owned(),
                        letter: *l,
                    },
                    v,
                )
            })
        })
        .collect()
}

/// A value that differs, or that only one report has.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SettingChange {
    /// Command, e.g. `M92`.
    pub code: String,
    /// Letter, e.g. `E`.
    pub letter: String,
    /// What it is, e.g. "extruder steps/mm".
    pub says: String,
    /// Before.
    pub before: Option<String>,
    /// After.
    pub after: Option<String>,
    /// Parameter of the chain it belongs to, e.g. `drive`; none for the rest.
    pub parameter: Option<String>,
}

/// A value's meaning and the parameter of the chain it belongs to, by the table of commands.
#[must_use]
pub fn describe(key: &SettingKey) -> (&'static str, Option<&'static str>) {
    super::command::command(&key.code)
        .and_then(|s| s.kept(key.letter))
        .map_or(("setting", None), |k| (k.says, k.parameter))
}

/// What differs from `before` to `after`, in the order of the commands.
///
/// Values within half a unit of the fifth decimal are the same: reports print fewer digits.
#[must_use]
pub fn compare_settings(before: &SettingsReport, after: &SettingsReport) -> Vec<SettingChange> {
    let mut keys: Vec<&SettingKey> = before.values.keys().chain(after.values.keys()).collect();
    keys.sort();
    keys.dedup();
    keys.into_iter()
        .filter_map(|key| {
            let (b, a) = (before.values.get(key), after.values.get(key));
            if let (Some(b), Some(a)) = (b, a)
                && (a - b).abs() < 5e-6
            {
                return None;
            }
            let (says, parameter) = describe(key);
            Some(SettingChange {
                code: key.code.clone(),
                letter: key.letter.to_string(),
                says: says.to_owned(),
                before: b.map(|v| plain(*v, 5)),
                after: a.map(|v| plain(*v, 5)),
                parameter: parameter.map(str::to_owned),
            })
        })
        .collect()
}
