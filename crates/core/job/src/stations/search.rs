//! What all searches by test prints share: the value in force against the best one, and a value that the technician
//! found by prints of their own.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit};
use wattotherm_measure::text::plain;
use wattotherm_measure::{Pen, Unit, Verdict, u_rectangular};

use super::expanded_type_b;
use crate::finding::{Band, Facts, Words};
use crate::form::Field;

/// How a value was found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FoundBy {
    /// By the test piece of this station.
    #[default]
    Piece,
    /// By prints of one's own.
    Own,
}

/// How prints of one's own went.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum OwnOutcome {
    /// Not answered yet.
    #[default]
    Open,
    /// The value typed is good.
    Good,
    /// The prints don't show which value is best.
    Unclear,
    /// No value gives a good print.
    NoneGood,
}

/// Longest note.
pub(super) const MOST_NOTE: usize = 20_000;
/// Of a note, what stands among the reasons.
const NOTE_SHOWN: usize = 400;

/// A note as far as it stands among the reasons.
pub(super) fn note_shown(note: &str) -> String {
    note.trim().chars().take(NOTE_SHOWN).collect()
}

/// The choice between the piece, in its words, and prints of one's own.
pub(super) fn way(piece: &str) -> Field {
    Field::choice(
        "way",
        "Found by",
        &[("piece", piece), ("own", "prints of my own")],
    )
}

/// What is asked of prints of one's own: the value, and how it went.
pub(super) fn own_fields(limit: &Limit) -> Vec<Field> {
    vec![
        Field::number_at("best", limit).named("Best now"),
        Field::choice(
            "outcome",
            "How did it go?",
            &[
                ("good", "the value under “Best now” is good"),
                ("unclear", "the prints don’t show it"),
                ("none_good", "no value is good"),
            ],
        )
        .needed(),
    ]
}

/// What is typed, as a piece takes it: the number in the unit in which it is kept; blank where there is none.
pub(super) fn for_a_piece(entry: &Entry, unit: Unit) -> String {
    entry.parse(unit).map_or(String::new(), |v| plain(v, 4))
}

/// The field for what was seen.
pub(super) fn note_field() -> Field {
    Field::text("note", "What you saw", MOST_NOTE)
}

/// Readings that an older version kept as a trial: they were prints of one's own.
pub(super) fn from_trial(mut readings: Value) -> Value {
    if let Some(fields) = readings.as_object_mut() {
        fields.insert("way".into(), "own".into());
    }
    readings
}

/// What prints of one's own say.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum OwnSays {
    /// This value is good [unit of the search].
    Good(f64),
    Unclear,
    NoneGood,
}

/// Reads prints of one's own; a problem where something is missing.
pub(super) fn read_own(
    intake: &mut Intake<'_>,
    limit: &Limit,
    best: &Entry,
    outcome: OwnOutcome,
) -> Option<OwnSays> {
    match outcome {
        OwnOutcome::Open => {
            intake.push(FieldProblem::Count {
                field: "outcome".into(),
                message: "Say how the prints went.".into(),
            });
            intake.may(limit, "best", best);
            None
        }
        OwnOutcome::Good => intake.need(limit, "best", best).map(OwnSays::Good),
        OwnOutcome::Unclear => {
            intake.may(limit, "best", best);
            Some(OwnSays::Unclear)
        }
        OwnOutcome::NoneGood => {
            intake.may(limit, "best", best);
            Some(OwnSays::NoneGood)
        }
    }
}

/// Uncertainty of a value out of a search in steps [unit of the step]: half a step either way, at 95 %.
/// Source: resolution of a stepped search as JCGM 100:2008, 4.3.7.
pub(super) fn of_a_step(step: f64) -> f64 {
    expanded_type_b(u_rectangular(step / 2.0).unwrap_or(step))
}

/// Decides a search: the best value against the one in force. Without one in force the best is set.
pub(super) fn decide_against<O>(
    facts: &mut Facts<O>,
    id: &str,
    best: f64,
    expanded: f64,
    limit: f64,
) {
    facts.value_expanded = Some(expanded);
    facts.verdict = match facts.before {
        Some(before) => {
            let band = Band::new(
                id,
                facts.unit,
                (best, before),
                (expanded, f64::INFINITY),
                limit,
            );
            let verdict = band.verdict;
            facts.bands.push(band);
            verdict
        }
        None => Verdict::Adjust,
    };
    if facts.verdict == Verdict::Adjust {
        facts.after = Some(best);
    }
}

/// A value as it is typed into a profile: °C and millimetres, whatever the shop is shown.
pub(super) fn for_a_profile(value: f64, unit: Unit) -> String {
    Pen::METRIC.plain(value, unit, 4)
}

/// "Adjust: 215 °C → 225 °C." or "Adjust: 225 °C." where nothing was set, with the line for the traveller.
pub(super) fn moved(was: Option<String>, now: &str) -> String {
    match was {
        Some(was) => format!("{was} → {now}"),
        None => now.to_owned(),
    }
}

/// Words for prints of one's own that show nothing.
pub(super) fn unclear(mut w: Words) -> Words {
    w.settle = vec![
        "repeat the print with the neighbouring values only".into(),
        "take twice the step".into(),
    ];
    w.say(
        "Measure again: the prints don’t show it.",
        "Repeat the print with the neighbouring values only, or take twice the step.",
        "not settled",
        "Print again; nothing is set.",
    )
}
