//! What a job's deeds come to: its parts now, since when, what came back, how it ended.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::text::join_and;
use wattotherm_printer::{Parameter, Part, Replacement};

use super::{Deed, Ending, Event, JobFacts, Stop};
use crate::finding::Cause;
use crate::stations::ran_min;

/// A replaced part after which the complaint came back: it didn't explain it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct FalseFix {
    /// Which part.
    pub part: Replacement,
    /// Its name.
    pub label: String,
    /// After how many minutes of printing the complaint came back, where that was seen [min].
    pub after_min: Vec<f64>,
    /// Count of times it came back after it.
    pub times: u32,
    /// The same in words, e.g. "it came back after 55 and 70 min".
    pub says: String,
}

impl FalseFix {
    fn came_back(&mut self, after_min: Option<f64>) {
        self.after_min.extend(after_min);
        self.times += 1;
        let minutes: Vec<String> = self.after_min.iter().map(|m| format!("{m:.0}")).collect();
        let minutes: Vec<&str> = minutes.iter().map(String::as_str).collect();
        self.says = match (minutes.is_empty(), self.times) {
            (true, 1) => "it came back".into(),
            (true, n) => format!("it came back {n} times"),
            (false, _) => format!("it came back after {} min", join_and(&minutes)),
        };
    }
}

/// How a job ended without being handed over.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct EndedHow {
    /// How.
    pub how: Ending,
    /// Why, in the technician's words.
    pub reason: String,
}

/// What the deeds of a job come to.
#[derive(Clone, Debug, Default)]
pub(super) struct Told {
    /// Parts on the job with the moment since when; 0 from the start.
    pub parts: BTreeMap<Replacement, u64>,
    /// When the complaint came back last.
    pub came_back: Option<u64>,
    /// Minutes of printing after which it came back, each time that was seen.
    pub returned_after_min: Vec<f64>,
    pub false_fixes: Vec<FalseFix>,
    /// Values that are to be found anew though no part shook them, with the moment since when.
    pub asked: BTreeMap<Parameter, u64>,
    pub paused: Option<String>,
    pub ended: Option<EndedHow>,
    /// Whether a new tube is seated under a nozzle backed off.
    tube_under_nozzle: bool,
}

impl Told {
    /// Folds a job’s deeds, oldest first.
    pub fn of(facts: &JobFacts, events: &[Event], tube_under_nozzle: bool) -> Self {
        let mut told = Self {
            tube_under_nozzle,
            parts: facts.replaced.iter().map(|r| (*r, 0)).collect(),
            ..Self::default()
        };
        let mut fitted: BTreeMap<Replacement, u64> = BTreeMap::new();
        for event in events {
            match event {
                Event::Closed {
                    seq,
                    stop: Stop::Fit(r),
                    finding,
                } if finding.facts.verdict == wattotherm_measure::Verdict::Pass => {
                    fitted.insert(*r, *seq);
                }
                // Said at acceptance it is the same as said anywhere.
                Event::Closed {
                    seq,
                    stop: Stop::Acceptance,
                    finding,
                } if finding.facts.cause == Some(Cause::CameBack) => {
                    told.came_back(*seq, ran_min(finding), &fitted);
                }
                // Whoever opens a station goes on with the job.
                Event::Reopened { stop, .. } => {
                    told.ended = None;
                    if let Stop::Fit(r) = stop {
                        fitted.remove(r);
                    }
                }
                Event::Did { seq, deed } => told.take(*seq, deed, &fitted),
                _ => {}
            }
        }
        told
    }

    fn take(&mut self, seq: u64, deed: &Deed, fitted: &BTreeMap<Replacement, u64>) {
        match deed {
            Deed::PartAdded { part, .. } => {
                self.parts.insert(*part, seq);
            }
            Deed::PartTaken { part, .. } => {
                self.parts.remove(part);
            }
            Deed::ValueAsked { parameter, .. } => {
                self.asked.insert(*parameter, seq);
            }
            Deed::CameBack { after_min, .. } => self.came_back(seq, *after_min, fitted),
            Deed::Paused { reason } => self.paused = Some(reason.clone()),
            Deed::Resumed {} => self.paused = None,
            Deed::Ended { how, reason } => {
                self.ended = Some(EndedHow {
                    how: *how,
                    reason: reason.clone(),
                });
            }
            Deed::Reopened { .. } => self.ended = None,
            Deed::Waived { .. }
            | Deed::HandedOn { .. }
            | Deed::Changed { .. }
            | Deed::PutBack { .. }
            | Deed::TimerSet { .. }
            | Deed::TimerOver { .. } => {}
        }
    }

    fn came_back(&mut self, seq: u64, after_min: Option<f64>, fitted: &BTreeMap<Replacement, u64>) {
        self.came_back = Some(seq);
        self.returned_after_min.extend(after_min);
        self.ended = None;
        for part in fitted.keys() {
            self.not_explained_by(*part, after_min);
        }
    }

    fn not_explained_by(&mut self, part: Replacement, after_min: Option<f64>) {
        let at = self.false_fixes.iter().position(|f| f.part == part);
        let at = at.unwrap_or_else(|| {
            self.false_fixes.push(FalseFix {
                part,
                label: part.label().to_owned(),
                after_min: Vec::new(),
                times: 0,
                says: String::new(),
            });
            self.false_fixes.len() - 1
        });
        self.false_fixes[at].came_back(after_min);
    }

    /// The moment since when a stop's closing counts: whatever it proved before that was proved of other parts.
    pub fn since(&self, stop: Stop) -> u64 {
        let newest = |which: &dyn Fn(Replacement) -> bool| {
            let mut of = self.parts.iter().filter(|(r, _)| which(**r)).peekable();
            of.peek()?;
            of.map(|(_, at)| *at).max()
        };
        let since = match stop {
            Stop::Intake | Stop::Inspection | Stop::Worth | Stop::Snapshot | Stop::Baseline => None,
            Stop::Cause => self.came_back,
            Stop::Fit(r) => self.parts.get(&r).copied(),
            Stop::TubeLength => self.parts.get(&Replacement::Tube).copied(),
            Stop::Probe => newest(&Replacement::moves_the_probe),
            Stop::Mesh => newest(&Replacement::wants_a_mesh),
            Stop::BedLoop => newest(&|r| r.part() == Part::ControlBoard),
            Stop::Gantry => newest(&Replacement::moves_the_gantry),
            Stop::PowerUp => newest(&Replacement::electrical),
            Stop::Heater => newest(&Replacement::brings_a_heater),
            Stop::FirstHeat => newest(&Replacement::heats_anew),
            Stop::HotTighten => newest(&|r| r.opens_the_joint(self.tube_under_nozzle)),
            Stop::FirstPrint => newest(&|_| true),
            Stop::Acceptance | Stop::Compare | Stop::HandOver => {
                newest(&|_| true).max(self.came_back)
            }
            // The chain knows which part shakes which value.
            Stop::Parameter(..) => None,
        };
        since.unwrap_or(0)
    }
}

/// Parts that are on a job now, given those that were on it when it began.
#[must_use]
pub fn parts_now(facts: &JobFacts, events: &[Event]) -> Vec<Replacement> {
    Told::of(facts, events, false).parts.into_keys().collect()
}
