//! What readings lead to: one type for every station.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::Command;
use wattotherm_measure::Verdict;

/// One measured quantity against its limit: what a band plot shows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Band {
    /// What was measured, e.g. "fed".
    pub label: String,
    /// Unit of all numbers here.
    pub unit: String,
    /// Measured value.
    pub measured: f64,
    /// Value it should have.
    pub nominal: f64,
    /// Measured less nominal.
    pub error: f64,
    /// Expanded uncertainty at 95 %, ≥ 0.
    pub expanded: f64,
    /// Effective degrees of freedom; none means infinite.
    pub dof: Option<f64>,
    /// Greatest error allowed, > 0.
    pub limit: f64,
    /// Verdict on this quantity alone.
    pub verdict: Verdict,
    /// "92.75 ±0.57 mm".
    pub measured_text: String,
    /// "100 ±0.50 mm".
    pub nominal_text: String,
}

/// A line of the before-and-after table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Row {
    /// Name with its unit, e.g. "steps/mm".
    pub name: String,
    /// Before, as text.
    pub before: Option<String>,
    /// After or computed, as text.
    pub after: Option<String>,
}

/// The same value for a printer that takes its values from a file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct PlainValue {
    /// What it is, e.g. "millimetres per motor turn".
    pub name: String,
    /// The value with its unit.
    pub value: String,
}

/// What a station concludes from readings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Finding {
    /// Station that found it, e.g. `drive`.
    pub station: String,
    /// Quantity set or checked, e.g. "steps per millimetre".
    pub quantity: String,
    /// Unit of `before`, `after` and `value_expanded`; empty for a text or a count.
    pub unit: String,
    /// Value in force when the readings were taken.
    pub before: Option<f64>,
    /// Proposed value; only with [`Verdict::Adjust`].
    pub after: Option<f64>,
    /// The same for quantities that are texts.
    pub before_text: Option<String>,
    /// See `before_text`.
    pub after_text: Option<String>,
    /// Expanded uncertainty (95 %) of the value itself, in `unit`.
    pub value_expanded: Option<f64>,
    /// The decision.
    pub verdict: Verdict,
    /// The decision with its number, e.g. "Adjust: 93.0 → 100.3 steps/mm".
    pub headline: String,
    /// One or two sentences that say why and what next.
    pub sentence: String,
    /// Result in one line for the traveller, e.g. "93.0 → 96.4 steps/mm ±0.3".
    pub line: String,
    /// Measured quantities against their limits; the first is the station's main one.
    pub bands: Vec<Band>,
    /// Before and after, and computed figures.
    pub rows: Vec<Row>,
    /// How the number came about, one thing a sentence.
    pub reasons: Vec<String>,
    /// Only with [`Verdict::MeasureAgain`]: what would settle it.
    pub settle: Vec<String>,
    /// Only with [`Verdict::Stop`]: the likely fault.
    pub cause: Option<String>,
    /// Commands to send, in order; never with [`Verdict::Stop`].
    pub commands: Vec<Command>,
    /// The same for a machine that takes its values from a file.
    pub plain: Vec<PlainValue>,
    /// What to do next, in the imperative.
    pub next: String,
    /// Station to go back to, where the symptom points at one.
    pub send_back: Option<String>,
}

impl Finding {
    /// In the place of a kept finding that can't be read any more: it decides nothing.
    #[must_use]
    pub fn unreadable(station: &str, why: &str) -> Self {
        Self {
            station: station.to_owned(),
            quantity: "a record that can't be read".into(),
            unit: String::new(),
            before: None,
            after: None,
            before_text: None,
            after_text: None,
            value_expanded: None,
            verdict: Verdict::MeasureAgain,
            headline: "This record can't be read".into(),
            sentence: format!(
                "What this station was closed with is damaged in the data file ({why}). Work through it again."
            ),
            line: "its record can't be read".into(),
            bands: Vec::new(),
            rows: Vec::new(),
            reasons: Vec::new(),
            settle: Vec::new(),
            cause: None,
            commands: Vec::new(),
            plain: Vec::new(),
            next: "Work through this station again.".into(),
            send_back: None,
        }
    }

    /// The value in force once the finding has been acted on: the new one after an adjust, the old
    /// one after a pass; none where nothing is settled.
    #[must_use]
    pub const fn kept(&self) -> Option<f64> {
        match self.verdict {
            Verdict::Pass => self.before,
            Verdict::Adjust => self.after,
            Verdict::MeasureAgain | Verdict::Stop => None,
        }
    }

    /// As [`Finding::kept`] for texts.
    #[must_use]
    pub fn kept_text(&self) -> Option<&str> {
        match self.verdict {
            Verdict::Pass => self.before_text.as_deref(),
            Verdict::Adjust => self.after_text.as_deref(),
            Verdict::MeasureAgain | Verdict::Stop => None,
        }
    }
}
