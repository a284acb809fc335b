//! A finding for people.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::text::{decimals_for, join_or};
use wattotherm_measure::{PartOf, Pen, Verdict};

use super::{Band, Facts};

/// A line of the before-and-after table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Row {
    /// Name, e.g. "steps/mm".
    pub name: String,
    /// Before, as text.
    pub before: Option<String>,
    /// After or computed, as text.
    pub after: Option<String>,
}

impl Row {
    /// A line with what was before and what is now.
    #[must_use]
    pub fn new(name: impl Into<String>, before: Option<String>, after: Option<String>) -> Self {
        Self {
            name: name.into(),
            before,
            after,
        }
    }
}

/// The same value for a printer that takes its values from a file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct PlainValue {
    /// What it is, e.g. "millimetres per motor turn".
    pub name: String,
    /// The value with its unit.
    pub value: String,
}

/// One measured quantity in words.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct BandWords {
    /// What was measured, e.g. "fed".
    pub label: String,
    /// "92.75 ±0.57 mm".
    pub measured: String,
    /// "100.00 ±0.50 mm".
    pub nominal: String,
    /// What its uncertainty is made of, greatest first: "the instrument", "0.41 mm, 83 %".
    #[serde(default)]
    pub budget: Vec<PlainValue>,
    /// What would make it smaller; blank where nothing is known of it.
    #[serde(default)]
    pub helps: String,
}

/// What a part of an uncertainty is, and what helps against it.
const fn part_words(of: PartOf) -> (&'static str, &'static str) {
    match of {
        PartOf::Instrument => (
            "the instrument",
            "More readings, each set up anew, or a finer instrument would help most.",
        ),
        PartOf::Mark => (
            "the mark on the filament",
            "A finer instrument changes little: the mark is what counts. A longer feed or more runs would help most.",
        ),
        PartOf::Scatter => (
            "scatter of the readings",
            "The readings scatter: find what moves between them; more readings help too.",
        ),
        PartOf::Zero => (
            "zero, or thickness of the gauge",
            "More readings don’t help: set the zero anew between them, or use a finer gauge or instrument.",
        ),
        PartOf::Density => (
            "the filament’s density",
            "Weighing again doesn’t help: measure this filament’s density, or go by walls.",
        ),
        PartOf::Scale => (
            "the instrument’s scale",
            "More readings don’t help: check the instrument against a known length.",
        ),
    }
}

fn budget(band: &Band, pen: Pen) -> (Vec<PlainValue>, String) {
    let whole: f64 = band.parts.iter().map(|p| p.u * p.u).sum();
    if whole <= 0.0 {
        return (Vec::new(), String::new());
    }
    let lines = band
        .parts
        .iter()
        .map(|p| PlainValue {
            name: part_words(p.of).0.into(),
            value: format!(
                "{}, {:.0} %",
                // A standard uncertainty, to two digits.
                pen.plain(p.u, band.unit.of_difference(), decimals_for(p.u, 2)),
                100.0 * p.u * p.u / whole
            ),
        })
        .collect();
    let helps = band.parts.first().map_or("", |p| part_words(p.of).1);
    (lines, helps.into())
}

/// A finding for people: rendered from its facts, last. Nothing reads it back.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Words {
    /// Quantity set or checked, e.g. "steps per millimetre".
    pub title: String,
    /// The decision with its number, e.g. "Adjust: 93.0 → 100.3 steps/mm.".
    pub headline: String,
    /// One or two sentences that say why and what next.
    pub sentence: String,
    /// Result in one line for the traveller, e.g. "93.0 → 96.4 steps/mm ±0.3".
    pub line: String,
    /// The measured quantities, in the order of the facts.
    pub bands: Vec<BandWords>,
    /// Before and after, and computed figures.
    pub rows: Vec<Row>,
    /// How the number came about, one thing a sentence.
    pub reasons: Vec<String>,
    /// Only with [`wattotherm_measure::Verdict::MeasureAgain`]: what would settle it.
    pub settle: Vec<String>,
    /// Only with [`wattotherm_measure::Verdict::Stop`]: the likely fault, as part of a sentence.
    pub cause: Option<String>,
    /// The same for a machine that takes its values from a file.
    pub plain: Vec<PlainValue>,
    /// What to do next, in the imperative.
    pub next: String,
}

impl Words {
    /// Words of a quantity, all else empty.
    #[must_use]
    pub fn new(title: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            ..Self::default()
        }
    }

    /// The measured quantities; `label` names each by its id.
    #[must_use]
    pub fn with_bands<O>(
        mut self,
        facts: &Facts<O>,
        pen: Pen,
        label: impl Fn(&str) -> String,
    ) -> Self {
        self.bands = facts
            .bands
            .iter()
            .map(|b: &Band| {
                let (budget, helps) = budget(b, pen);
                BandWords {
                    label: label(&b.id),
                    measured: b.measured_text(pen),
                    nominal: b.nominal_text(pen),
                    budget,
                    helps,
                }
            })
            .collect();
        self
    }

    /// Words of those bands that have this verdict, in the order of the facts.
    pub(crate) fn bands_of<'a, O>(
        &'a self,
        facts: &'a Facts<O>,
        verdict: Verdict,
    ) -> impl Iterator<Item = &'a BandWords> {
        let all = facts.bands.iter().zip(&self.bands);
        all.filter(move |(b, _)| b.verdict == verdict)
            .map(|(_, words)| words)
    }

    /// A stop: the fault as part of a sentence, and what it means.
    #[must_use]
    pub fn stop(mut self, cause: &str, sentence: impl Into<String>) -> Self {
        self.headline = format!("Stop: {cause}.");
        self.sentence = sentence.into();
        self.line = format!("stopped: {cause}");
        self.cause = Some(cause.to_owned());
        self.settle.clear();
        self.plain.clear();
        self.next = "Find the fault, then come back and measure again. Nothing is set.".into();
        self
    }

    /// A decision: headline, sentence, line for the traveller, what next.
    #[must_use]
    pub fn say(
        mut self,
        headline: impl Into<String>,
        sentence: impl Into<String>,
        line: impl Into<String>,
        next: impl Into<String>,
    ) -> Self {
        self.sentence = sentence.into();
        self.headed(headline, line, next)
    }

    /// Headline, line for the traveller and what next, for a sentence that stands.
    #[must_use]
    pub fn headed(
        mut self,
        headline: impl Into<String>,
        line: impl Into<String>,
        next: impl Into<String>,
    ) -> Self {
        self.headline = headline.into();
        self.line = line.into();
        self.next = next.into();
        self
    }

    /// Readings that can't decide whether `what` is right: says what would.
    #[must_use]
    pub fn unsettled(mut self, settle: Vec<String>, what: &str) -> Self {
        let refs: Vec<&str> = settle.iter().map(String::as_str).collect();
        self.sentence = if refs.is_empty() {
            format!(
                "The readings can’t show whether {what} is inside the limit, and no instrument of this \
                 shop would settle it: widen the limit in the house rules or get a finer instrument."
            )
        } else {
            format!(
                "The readings can’t show yet whether {what} is inside the limit. To settle it: {}.",
                join_or(&refs)
            )
        };
        self.settle = settle;
        self
    }

    /// The same after so many adjusts that another one is no answer.
    #[must_use]
    pub(crate) fn stopped_by_adjusts(self, adjusts: u32) -> Self {
        let cause = format!("{adjusts} adjusts without a pass: the cause lies elsewhere");
        let mut words = self.stop(
            &cause,
            "Another setting won’t hold either. Set nothing; find what moves the value: something loose, \
             slipping, clogged, or an instrument that doesn’t repeat.",
        );
        words.line = format!("stopped after {adjusts} adjusts");
        words
    }
}

/// How far outside its uncertainty an error is: ", 13 times what the reading can blur".
#[must_use]
pub(crate) fn times_the_blur(error: f64, expanded: f64) -> String {
    if expanded <= 0.0 {
        return String::new();
    }
    let ratio = error.abs() / expanded;
    if ratio >= 2.0 {
        format!(", {ratio:.0} times what the reading can blur")
    } else {
        ", more than the reading can blur".into()
    }
}
