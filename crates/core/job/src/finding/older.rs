//! Findings as older versions kept them.

use serde::Deserialize;
use serde_json::Value;
use wattotherm_gcode::Command;
use wattotherm_measure::{Unit, Verdict};

use super::{Band, BandWords, Cause, FINDING_VERSION, Facts, Finding, PlainValue, Row, Words};

/// A finding of this version or of one before it. One struct and no untagged choice, so that an error names the
/// field and the line where it is.
///
/// Version 1 had facts and words in one, bands with their texts, and the cause as a text.
#[derive(Deserialize)]
pub(super) struct AnyFinding {
    version: Option<u32>,
    facts: Option<Facts>,
    words: Option<Words>,
    station: Option<String>,
    quantity: Option<String>,
    unit: Option<String>,
    before: Option<f64>,
    after: Option<f64>,
    before_text: Option<String>,
    after_text: Option<String>,
    value_expanded: Option<f64>,
    verdict: Option<Verdict>,
    headline: Option<String>,
    sentence: Option<String>,
    line: Option<String>,
    #[serde(default)]
    bands: Vec<FirstBand>,
    #[serde(default)]
    rows: Vec<Row>,
    #[serde(default)]
    reasons: Vec<String>,
    #[serde(default)]
    settle: Vec<String>,
    cause: Option<String>,
    #[serde(default)]
    commands: Vec<Command>,
    #[serde(default)]
    plain: Vec<PlainValue>,
    next: Option<String>,
    send_back: Option<String>,
}

#[derive(Deserialize)]
struct FirstBand {
    label: String,
    unit: String,
    measured: f64,
    nominal: f64,
    error: f64,
    expanded: f64,
    dof: Option<f64>,
    limit: f64,
    verdict: Verdict,
    measured_text: String,
    nominal_text: String,
}

/// A finding without what every version has.
#[derive(Debug, thiserror::Error)]
#[error("missing field `{0}`")]
pub(super) struct Missing(&'static str);

impl TryFrom<AnyFinding> for Finding {
    type Error = Missing;

    fn try_from(any: AnyFinding) -> Result<Self, Missing> {
        match (any.facts, any.words) {
            (Some(facts), Some(words)) => Ok(Self {
                version: any.version.ok_or(Missing("version"))?,
                facts,
                words,
            }),
            (Some(_), None) => Err(Missing("words")),
            (None, Some(_)) => Err(Missing("facts")),
            (None, None) => from_first(AnyFinding {
                facts: None,
                words: None,
                ..any
            }),
        }
    }
}

/// Nothing is made up: what version 1 said stays as its words, what it decided becomes facts.
fn from_first(old: AnyFinding) -> Result<Finding, Missing> {
    let bands = old
        .bands
        .iter()
        .map(|b| Band {
            id: b.label.clone(),
            unit: Unit::of(&b.unit).unwrap_or_default(),
            measured: b.measured,
            nominal: b.nominal,
            error: b.error,
            expanded: b.expanded,
            dof: b.dof,
            limit: b.limit,
            verdict: b.verdict,
            one_sided: false,
            parts: Vec::new(),
        })
        .collect();
    let facts = Facts {
        station: old.station.ok_or(Missing("station"))?,
        unit: Unit::of(&old.unit.unwrap_or_default()).unwrap_or_default(),
        before: old.before,
        after: old.after,
        before_text: old.before_text,
        after_text: old.after_text,
        value_expanded: old.value_expanded,
        verdict: old.verdict.ok_or(Missing("verdict"))?,
        bands,
        cause: old.cause.as_ref().map(|_| Cause::Untyped),
        send_back: old.send_back,
        commands: old.commands,
        adjusts: None,
        own: Value::Null,
    };
    let words = Words {
        title: old.quantity.ok_or(Missing("quantity"))?,
        headline: old.headline.ok_or(Missing("headline"))?,
        sentence: old.sentence.ok_or(Missing("sentence"))?,
        line: old.line.ok_or(Missing("line"))?,
        bands: old
            .bands
            .into_iter()
            .map(|b| BandWords {
                label: b.label,
                measured: b.measured_text,
                budget: Vec::new(),
                helps: String::new(),
                nominal: b.nominal_text,
            })
            .collect(),
        rows: old.rows,
        reasons: old.reasons,
        settle: old.settle,
        cause: old.cause,
        plain: old.plain,
        next: old.next.unwrap_or_default(),
    };
    Ok(Finding {
        version: FINDING_VERSION,
        facts,
        words,
    })
}
