//! Findings as older versions kept them.

use serde::Deserialize;
use serde_json::Value;
use wattotherm_gcode::Command;
use wattotherm_measure::{Unit, Verdict};

use super::{Band, BandWords, Cause, FINDING_VERSION, Facts, Finding, PlainValue, Row, Words};

/// A finding of this version or of one before it.
#[derive(Deserialize)]
#[serde(untagged)]
pub(super) enum AnyFinding {
    /// Facts and words.
    Present {
        version: u32,
        facts: Facts,
        words: Words,
    },
    /// Version 1.
    First(Box<First>),
}

/// Version 1: facts and words in one, bands with their texts, the cause a text.
#[derive(Deserialize)]
pub(super) struct First {
    station: String,
    quantity: String,
    unit: String,
    before: Option<f64>,
    after: Option<f64>,
    before_text: Option<String>,
    after_text: Option<String>,
    value_expanded: Option<f64>,
    verdict: Verdict,
    headline: String,
    sentence: String,
    line: String,
    bands: Vec<FirstBand>,
    rows: Vec<Row>,
    reasons: Vec<String>,
    settle: Vec<String>,
    cause: Option<String>,
    commands: Vec<Command>,
    plain: Vec<PlainValue>,
    next: String,
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

impl From<AnyFinding> for Finding {
    fn from(any: AnyFinding) -> Self {
        match any {
            AnyFinding::Present {
                version,
                facts,
                words,
            } => Self {
                version,
                facts,
                words,
            },
            AnyFinding::First(old) => from_first(*old),
        }
    }
}

/// Nothing is made up: what version 1 said stays as its words, what it decided becomes facts.
fn from_first(old: First) -> Finding {
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
        })
        .collect();
    let facts = Facts {
        station: old.station,
        unit: Unit::of(&old.unit).unwrap_or_default(),
        before: old.before,
        after: old.after,
        before_text: old.before_text,
        after_text: old.after_text,
        value_expanded: old.value_expanded,
        verdict: old.verdict,
        bands,
        cause: old.cause.as_ref().map(|_| Cause::Untyped),
        send_back: old.send_back,
        commands: old.commands,
        adjusts: None,
        own: Value::Null,
    };
    let words = Words {
        title: old.quantity,
        headline: old.headline,
        sentence: old.sentence,
        line: old.line,
        bands: old
            .bands
            .into_iter()
            .map(|b| BandWords {
                label: b.label,
                measured: b.measured_text,
                nominal: b.nominal_text,
            })
            .collect(),
        rows: old.rows,
        reasons: old.reasons,
        settle: old.settle,
        cause: old.cause,
        plain: old.plain,
        next: old.next,
    };
    Finding {
        version: FINDING_VERSION,
        facts,
        words,
    }
}
