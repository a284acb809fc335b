//! Compare: what the printer holds at the end against the snapshot and against what the stations left.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{
    Command, SettingKey, SettingsReport, compare_settings, read_back, read_settings, store_settings,
};
use wattotherm_measure::entry::{FieldProblem, Intake, ReadingError};
use wattotherm_measure::text::{count, join_and, plain};
use wattotherm_measure::{Pen, Unit, Verdict};

use super::snapshot::{MOST_CHARS, MOST_REASON, no_longer, report_of};
use super::{Answer, SetUp, Station};
use crate::context::{Context, ExpectedSetting};
use crate::finding::{Facts, Row, Words};
use crate::form::{Action, Field, Form};

/// Stored settings at the end against the beginning.
pub struct Compare;

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

/// A setting that differs from the snapshot.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Changed {
    code: String,
    letter: String,
    says: String,
    before: Option<String>,
    after: Option<String>,
    /// The station that set it.
    by: Option<String>,
}

/// A value that a station left and the printer doesn't hold.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Lost {
    expected: ExpectedSetting,
    got: Option<f64>,
}

/// What the comparison showed.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct CompareFound {
    none_because: Option<String>,
    power_cycled: bool,
    changed: Vec<Changed>,
    lost: Vec<Lost>,
    explained: Option<String>,
    /// How many values this job's stations left.
    expected: usize,
}

/// Reports print two to five decimals: within this a value is the one that was left.
fn same(a: f64, b: f64) -> bool {
    (a - b).abs() <= (1e-4 * b.abs()).max(1.1e-3)
}

fn gone(report: &SettingsReport, context: &Context) -> Vec<Lost> {
    context
        .expected
        .iter()
        .filter_map(|e| {
            let key = SettingKey {
                code: e.code.clone(),
                letter: e.letter,
            };
            let got = report.values.get(&key).copied();
            (!got.is_some_and(|v| same(v, e.value))).then(|| Lost {
                expected: e.clone(),
                got,
            })
        })
        .collect()
}

/// Commands that put lost values back: one a command code, in the order they are expected.
fn put_back(lost: &[Lost]) -> Vec<Command> {
    let mut commands: Vec<(&str, String)> = Vec::new();
    for Lost { expected: e, .. } in lost {
        let word = format!("{}{}", e.letter, plain(e.value, 4));
        match commands.iter_mut().find(|(code, _)| *code == e.code) {
            Some((_, words)) => {
                words.push(' ');
                words.push_str(&word);
            }
            None => commands.push((&e.code, word)),
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

impl Station for Compare {
    type Readings = CompareReadings;
    type Own = CompareFound;
    const ID: &'static str = "compare";

    fn start(_: &Context) -> CompareReadings {
        CompareReadings::default()
    }

    fn form(r: &CompareReadings, context: &Context) -> Form {
        let facts = Self::facts(r, context).ok();
        let unexplained = facts
            .as_ref()
            .is_some_and(|f| f.own.changed.iter().any(|c| c.by.is_none()));
        let form = Form::default()
            .group(
                "",
                vec![Field::yes_no(
                    "power_cycled",
                    "Was the printer switched off and on before this reading?",
                )],
            )
            .group(
                "",
                vec![
                    Field::report("report", "Settings report", MOST_CHARS).needed(),
                    Field::text("none_because", "No report? Say why", MOST_REASON)
                        .when(r.report.trim().is_empty()),
                ],
            )
            .group(
                "",
                vec![
                    Field::text(
                        "explained",
                        "Why did it change, where no station did it?",
                        MOST_REASON,
                    )
                    .when(unexplained || !r.explained.trim().is_empty()),
                ],
            )
            .drawn("changes");
        if facts.is_some_and(|f| !f.commands.is_empty()) {
            return form.act("Write and store them again", Action::WriteCommands);
        }
        form
    }

    fn set_up(_: &CompareReadings, _: &Context) -> SetUp {
        let mut up = SetUp::new("Switch the printer off and on, then read its settings once more.")
            .hint("What was never stored is gone now, on the bench and not at the customer’s.");
        up.commands = vec![read_back()];
        up
    }

    /// Adjust when a value that a station left is not in the printer; measure again while a change has no station
    /// and no explanation; pass otherwise.
    ///
    /// Source: common practice, no published source.
    fn facts(r: &CompareReadings, context: &Context) -> Result<Facts<CompareFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let report = report_of(&r.report, &mut intake);
        no_longer(&mut intake, "none_because", &r.none_because, MOST_REASON);
        no_longer(&mut intake, "explained", &r.explained, MOST_REASON);
        let why = r.none_because.trim();
        let need = |field: &str, message: &str| FieldProblem::Count {
            field: field.into(),
            message: message.into(),
        };
        if r.report.trim().is_empty() && why.is_empty() {
            intake.push(need(
                "report",
                "Switch the printer off and on, then read the settings, paste them, or say why there are none.",
            ));
        } else if report.is_some() && r.power_cycled == Answer::Open {
            intake.push(need(
                "power_cycled",
                "Say whether the printer was switched off and on before it was read.",
            ));
        }
        intake.finish()?;
        let mut own = CompareFound {
            power_cycled: r.power_cycled == Answer::Yes,
            expected: context.expected.len(),
            ..CompareFound::default()
        };
        let Some(report) = report else {
            own.none_because = Some(why.to_owned());
            return Ok(Facts::new(Self::ID, Unit::One, Verdict::Pass, own));
        };
        let before = read_settings(context.snapshot.as_deref().unwrap_or_default());
        if !before.values.is_empty() {
            own.changed = compare_settings(&before, &report)
                .into_iter()
                .map(|c| Changed {
                    by: context
                        .expected
                        .iter()
                        .find(|e| e.code == c.code && c.letter == e.letter.to_string())
                        .map(|e| e.station.clone()),
                    code: c.code,
                    letter: c.letter,
                    says: c.says,
                    before: c.before,
                    after: c.after,
                })
                .collect();
        }
        own.lost = gone(&report, context);
        own.explained = Some(r.explained.trim().to_owned()).filter(|e| !e.is_empty());
        let commands = put_back(&own.lost);
        let lost = !own.lost.is_empty();
        let unexplained = own.changed.iter().any(|c| c.by.is_none()) && own.explained.is_none();
        let verdict = match (lost, unexplained) {
            (true, _) => Verdict::Adjust,
            (false, true) => Verdict::MeasureAgain,
            (false, false) => Verdict::Pass,
        };
        let mut facts = Facts::new(Self::ID, Unit::One, verdict, own);
        if lost {
            facts.commands = commands;
        }
        Ok(facts)
    }

    fn words(f: &Facts<CompareFound>, _: Pen) -> Words {
        let own = &f.own;
        let mut w = Words::new("settings");
        if let Some(why) = &own.none_because {
            return w.say(
                "Pass: nothing to compare.",
                format!("Reason kept: {why}"),
                "no settings reported",
                "Go on.",
            );
        }
        w.rows = own
            .changed
            .iter()
            .map(|c| {
                Row::new(
                    format!(
                        "{} {} {} ({})",
                        c.code,
                        c.letter,
                        c.says,
                        c.by.as_deref().unwrap_or("no station")
                    ),
                    c.before.clone(),
                    c.after.clone(),
                )
            })
            .collect();
        match f.verdict {
            Verdict::Adjust | Verdict::Stop => lost(w, own),
            Verdict::MeasureAgain => {
                let names: Vec<String> = own
                    .changed
                    .iter()
                    .filter(|c| c.by.is_none())
                    .map(|c| format!("{} {}", c.code, c.letter))
                    .collect();
                w.settle = vec!["say why each changed".into()];
                w.say(
                    format!(
                        "{} changed, and no station did it.",
                        count(names.len(), "setting", "settings")
                    ),
                    format!(
                        "{}: say below why, or put {} back.",
                        names.join(", "),
                        if names.len() == 1 { "it" } else { "them" }
                    ),
                    format!("{} unexplained", names.len()),
                    "Explain or put back.",
                )
            }
            Verdict::Pass => {
                if let Some(why) = &own.explained {
                    w.reasons.push(format!("Explained: {why}"));
                }
                let kept = count(own.expected, "value", "values");
                let headline = if own.expected == 0 {
                    "Pass: nothing was to be stored.".into()
                } else {
                    format!("Pass: {kept} of this job stand in the printer.")
                };
                let (sentence, after) = if own.power_cycled {
                    (
                        "Read after a power cycle, so they are stored.",
                        " after a power cycle",
                    )
                } else {
                    (
                        "Read without a power cycle: in force, but not proven to be stored.",
                        "",
                    )
                };
                w.say(
                    headline,
                    sentence,
                    format!("{kept} read back{after}"),
                    "Go on.",
                )
            }
        }
    }
}

fn lost(mut w: Words, own: &CompareFound) -> Words {
    let mut stations: Vec<&str> = own
        .lost
        .iter()
        .map(|l| l.expected.station.as_str())
        .collect();
    stations.dedup();
    let n = count(own.lost.len(), "value", "values");
    w.reasons = own
        .lost
        .iter()
        .map(|Lost { expected: e, got }| {
            format!(
                "{} left {} {} at {}; the printer holds {}.",
                e.station,
                e.code,
                e.letter,
                plain(e.value, 4),
                got.map_or("nothing".to_owned(), |v| plain(v, 4))
            )
        })
        .collect();
    w.say(
        format!(
            "Adjust: {n} of {} {} not in the printer.",
            join_and(&stations),
            if own.lost.len() == 1 { "is" } else { "are" }
        ),
        if own.power_cycled {
            "The power cycle lost them: they were not stored. Send them again, store, and read once more after a power cycle. If they are lost again, the board’s memory can’t be written."
        } else {
            "Send them again, store, switch off and on, and read once more."
        },
        format!("{n} not stored"),
        "Store, switch off and on, read again.",
    )
}
