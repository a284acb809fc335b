//! What readings lead to: facts first, words last.
//!
//! A station turns readings into [`Facts`], and facts into [`Words`] by a [`Pen`] that knows the shop's units.
//! Whoever decides (the traveller, the store, effects, a page) reads facts; words are for people alone.

mod cause;
mod older;
mod words;

pub use cause::Cause;
pub(crate) use words::times_the_blur;
pub use words::{BandWords, PlainValue, Row, Words};

use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;
use wattotherm_gcode::Command;
use wattotherm_measure::{
    BudgetPart, CONFIDENCE, Combined, Pen, Unit, Verdict, decide, decide_one_sided,
    expanded_one_sided,
};

/// Shape in which findings are kept. Version 1 had facts and words in one, and texts for causes.
pub const FINDING_VERSION: u32 = 2;

/// One measured quantity against its limit: what a band plot shows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Band {
    /// Which quantity, e.g. `fed`: a name for programs.
    pub id: String,
    /// Unit of all numbers here.
    pub unit: Unit,
    /// Measured value [`unit`].
    pub measured: f64,
    /// Value it should have [`unit`].
    pub nominal: f64,
    /// Measured less nominal [`unit`].
    pub error: f64,
    /// Expanded uncertainty at 95 % [`unit`], ≥ 0.
    pub expanded: f64,
    /// Effective degrees of freedom; none means infinite.
    pub dof: Option<f64>,
    /// Greatest error allowed [`unit`], > 0.
    pub limit: f64,
    /// Verdict on this quantity alone.
    pub verdict: Verdict,
    /// Good only while it is small: its guard band has one side.
    #[serde(default)]
    pub one_sided: bool,
    /// What its standard uncertainty is made of [`unit`], greatest first.
    #[serde(default)]
    pub parts: Vec<BudgetPart>,
}

impl Band {
    /// A quantity measured as `measured` that should be `nominal`, with its expanded uncertainty, its degrees of
    /// freedom (infinite where nothing is known of them) and the limit of its error; decided by [`decide`].
    #[must_use]
    pub fn new(
        id: &str,
        unit: Unit,
        (measured, nominal): (f64, f64),
        (expanded, dof): (f64, f64),
        limit: f64,
    ) -> Self {
        let error = measured - nominal;
        Self {
            id: id.to_owned(),
            unit,
            measured,
            nominal,
            error,
            expanded,
            dof: dof.is_finite().then_some(dof),
            limit,
            verdict: decide(error, expanded, limit),
            one_sided: false,
            parts: Vec::new(),
        }
    }

    /// A quantity that is good only while it is small, such as a spread: its value, its combined uncertainty and its
    /// limit; decided by [`decide_one_sided`].
    #[must_use]
    pub fn small(id: &str, unit: Unit, value: f64, combined: Combined, limit: f64) -> Self {
        // It can't fail: the confidence is a constant inside (½, 1).
        let expanded = expanded_one_sided(combined, CONFIDENCE).unwrap_or(f64::INFINITY);
        Self {
            verdict: decide_one_sided(value, expanded, limit),
            one_sided: true,
            ..Self::new(id, unit, (value, 0.0), (expanded, combined.dof), limit)
        }
    }

    /// The same with what its uncertainty is made of, in any order.
    #[must_use]
    pub fn made_of(mut self, mut parts: Vec<BudgetPart>) -> Self {
        parts.sort_by(|a, b| b.u.total_cmp(&a.u));
        self.parts = parts;
        self
    }

    /// "92.75 ±0.57 mm".
    #[must_use]
    pub fn measured_text(&self, pen: Pen) -> String {
        pen.with_uncertainty(self.measured, self.expanded, self.unit)
    }

    /// "100.00 ±0.50 mm".
    #[must_use]
    pub fn nominal_text(&self, pen: Pen) -> String {
        pen.with_limit(self.nominal, self.limit, self.unit)
    }
}

/// What was found, in numbers and names. `O` is what only its station knows of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Facts<O = Value> {
    /// Station that found it, e.g. `drive`.
    pub station: String,
    /// Unit of `before`, `after` and `value_expanded`.
    pub unit: Unit,
    /// Value in force when the readings were taken [`unit`].
    pub before: Option<f64>,
    /// Proposed value [`unit`]; only with [`Verdict::Adjust`].
    pub after: Option<f64>,
    /// The same for quantities that are names, such as the type of a sensor.
    pub before_text: Option<String>,
    /// See `before_text`.
    pub after_text: Option<String>,
    /// Expanded uncertainty (95 %) of the value itself [`unit`].
    pub value_expanded: Option<f64>,
    /// The decision.
    pub verdict: Verdict,
    /// Measured quantities against their limits; the first is the station's main one.
    pub bands: Vec<Band>,
    /// Only with [`Verdict::Stop`]: the likely fault.
    pub cause: Option<Cause>,
    /// Station to go back to, where the symptom points at one.
    pub send_back: Option<String>,
    /// Commands to send, in order; never with [`Verdict::Stop`].
    pub commands: Vec<Command>,
    /// Adjusts without a pass so far, where they are what stops it.
    pub adjusts: Option<u32>,
    /// What only this station knows of; null in what an older version kept.
    #[schema(value_type = Value)]
    pub own: O,
}

impl<O> Facts<O> {
    /// Facts with only what every station fills.
    #[must_use]
    pub fn new(station: &str, unit: Unit, verdict: Verdict, own: O) -> Self {
        Self {
            station: station.to_owned(),
            unit,
            before: None,
            after: None,
            before_text: None,
            after_text: None,
            value_expanded: None,
            verdict,
            bands: Vec::new(),
            cause: None,
            send_back: None,
            commands: Vec::new(),
            adjusts: None,
            own,
        }
    }

    /// The same as a stop: no new value, nothing to send.
    #[must_use]
    pub fn stopped(mut self, cause: Cause) -> Self {
        self.verdict = Verdict::Stop;
        self.after = None;
        self.after_text = None;
        self.commands.clear();
        self.cause = Some(cause);
        self
    }

    /// The same with other facts of its own.
    pub fn with_own<P>(self, own: P) -> (Facts<P>, O) {
        let facts = Facts {
            station: self.station,
            unit: self.unit,
            before: self.before,
            after: self.after,
            before_text: self.before_text,
            after_text: self.after_text,
            value_expanded: self.value_expanded,
            verdict: self.verdict,
            bands: self.bands,
            cause: self.cause,
            send_back: self.send_back,
            commands: self.commands,
            adjusts: self.adjusts,
            own,
        };
        (facts, self.own)
    }

    /// The value [`unit`] in force once the finding has been acted on: the new one after an adjust, the old
    /// one after a pass; none where nothing is settled.
    #[must_use]
    pub const fn kept(&self) -> Option<f64> {
        match self.verdict {
            Verdict::Pass => self.before,
            Verdict::Adjust => self.after,
            Verdict::MeasureAgain | Verdict::Stop => None,
        }
    }

    /// As [`Facts::kept`] for names; after a pass the new one where it was set and seen to hold at once.
    #[must_use]
    pub fn kept_text(&self) -> Option<&str> {
        match self.verdict {
            Verdict::Pass => self.after_text.as_deref().or(self.before_text.as_deref()),
            Verdict::Adjust => self.after_text.as_deref(),
            Verdict::MeasureAgain | Verdict::Stop => None,
        }
    }
}

/// What a station concludes from readings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(try_from = "older::AnyFinding")]
pub struct Finding {
    /// Shape: [`FINDING_VERSION`].
    pub version: u32,
    /// Numbers and names.
    pub facts: Facts,
    /// The same for people.
    pub words: Words,
}

impl Finding {
    /// In the place of a kept finding that can't be read any more: it decides nothing.
    #[must_use]
    pub fn unreadable(station: &str, why: &str) -> Self {
        let mut words = Words::new("a record that can’t be read");
        words.headline = "This record can’t be read".into();
        words.sentence = format!(
            "What this station was closed with is damaged in the data file ({why}). Work through it again."
        );
        words.line = "its record can’t be read".into();
        words.next = "Work through this station again.".into();
        Self {
            version: FINDING_VERSION,
            facts: Facts::new(station, Unit::One, Verdict::MeasureAgain, Value::Null),
            words,
        }
    }
}
