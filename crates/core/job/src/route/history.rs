//! What became of each stop, folded from a job's events.

use std::collections::BTreeMap;

use wattotherm_measure::{Pen, Verdict};

use super::{Deed, Event, JobFacts, Stop};
use crate::finding::Finding;

/// How a stop was closed last.
#[derive(Clone, Debug)]
pub(super) struct Last {
    pub at: u64,
    pub verdict: Verdict,
    pub line: String,
    pub cause: Option<String>,
}

#[derive(Clone, Debug, Default)]
pub(super) struct History {
    pub closed_at: Option<u64>,
    pub changed_at: Option<u64>,
    /// When it was left out, and why.
    pub waived: Option<(u64, String)>,
    pub adjusts: u32,
    pub last: Option<Last>,
    number: Option<f64>,
    text: Option<String>,
}

impl History {
    /// Whether it stands closed by something later than `since`.
    pub fn closed(&self, since: u64) -> bool {
        self.closed_at.is_some_and(|at| at > since)
    }

    /// Why it was left out later than `since`, where it isn't closed.
    pub fn waived(&self, since: u64) -> Option<&str> {
        let (at, reason) = self.waived.as_ref()?;
        (*at > since && !self.closed(since)).then_some(reason)
    }
}

pub(super) fn fold(events: &[Event], facts: &JobFacts, pen: Pen) -> BTreeMap<Stop, History> {
    let mut all: BTreeMap<Stop, History> = BTreeMap::new();
    for event in events {
        match event {
            Event::Reopened { stop, .. } => {
                let h = all
                    .entry(*stop)
                    .or_insert_with(|| History::begun(*stop, facts));
                h.closed_at = None;
                h.waived = None;
                h.adjusts = 0;
            }
            Event::Did {
                seq,
                deed: Deed::Waived { stop, reason },
            } => {
                if let Ok(stop) = stop.parse() {
                    let h = all
                        .entry(stop)
                        .or_insert_with(|| History::begun(stop, facts));
                    h.waived = Some((*seq, reason.clone()));
                    h.closed_at = None;
                }
            }
            Event::Did { .. } => {}
            Event::Closed { seq, stop, finding } => {
                let h = all
                    .entry(*stop)
                    .or_insert_with(|| History::begun(*stop, facts));
                h.close(*seq, finding, pen);
            }
        }
    }
    all
}

impl History {
    fn begun(stop: Stop, facts: &JobFacts) -> Self {
        Self {
            number: facts.initial.get(&stop).copied(),
            text: facts.initial_text.get(&stop).cloned(),
            ..Self::default()
        }
    }

    fn close(&mut self, seq: u64, finding: &Finding, pen: Pen) {
        // What is kept is said in metric units.
        let said = (pen != Pen::METRIC).then(|| finding.clone().in_units(pen).words);
        let words = said.as_ref().unwrap_or(&finding.words);
        self.last = Some(Last {
            at: seq,
            verdict: finding.facts.verdict,
            line: words.line.clone(),
            cause: words.cause.clone(),
        });
        self.waived = None;
        if self.moved(finding) {
            self.changed_at = Some(seq);
        }
        self.number = finding.facts.kept().or(self.number);
        if let Some(t) = finding.facts.kept_text() {
            self.text = Some(t.to_owned());
        }
        match finding.facts.verdict {
            Verdict::Pass => {
                self.closed_at = Some(seq);
                self.adjusts = 0;
            }
            Verdict::Adjust => {
                self.closed_at = None;
                self.adjusts += 1;
            }
            Verdict::MeasureAgain | Verdict::Stop => self.closed_at = None,
        }
    }

    /// Whether this finding leaves another value than was in force, by more than its uncertainty.
    fn moved(&self, finding: &Finding) -> bool {
        let u = finding.facts.value_expanded.unwrap_or(0.0);
        let number = match (self.number.or(finding.facts.before), finding.facts.kept()) {
            (Some(was), Some(is)) => (is - was).abs() > u,
            // A value where there was none rests on nothing older.
            (None, Some(_)) => true,
            (_, None) => false,
        };
        let text = match (
            self.text
                .as_deref()
                .or(finding.facts.before_text.as_deref()),
            finding.facts.kept_text(),
        ) {
            (Some(was), Some(is)) => was != is,
            (None, Some(_)) => true,
            (_, None) => false,
        };
        number || text
    }
}
