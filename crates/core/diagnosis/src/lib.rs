//! What is wrong with it? Causes, observations and actions as data; beliefs by Bayes; the next action by what it saves.
//!
//! Pure: no I/O, no clock, no async. All weights, likelihoods and minutes are judgement, no published source; the
//! arithmetic is that of decision-theoretic troubleshooting (Heckerman, Breese, Rommelse, "Decision-theoretic
//! troubleshooting", 1995).
#![deny(missing_docs)]

mod actions;
mod beliefs;
mod case;
mod causes;
mod choices;
mod course;
mod diagnose;
mod engine;
mod evidence;
mod history;
mod judgement;
mod ladders;
mod model;
mod next;
mod observations;
mod pairs;
mod prevention;
mod sentence;
mod weighing;
mod words;

pub use actions::{ACTIONS, BLANK};
pub use beliefs::{Beliefs, JUDGED_CASES, learned};
pub use case::{Case, Outcome};
pub use causes::CAUSES;
pub use choices::{AGAIN, Choice, choices};
pub use diagnose::{
    Believed, Diagnosis, Known, NextAction, TwoAtOnce, WhyNext, diagnose, everything_known, milder,
};
pub use engine::Engine;
pub use evidence::{Answer, Evidence, Facts, Tried, UnknownEvidence};
pub use history::{Entry, From, SeenEntry, Told, TriedEntry};
pub use judgement::judgement;
pub use ladders::LADDERS;
pub use model::{Action, ActionKind, Cause, Ladder, Model, Observation, PrinterDoes, SHIPPED};
pub use next::{Proposal, Reason};
pub use observations::OBSERVATIONS;
pub use pairs::Pair;
pub use prevention::{hits_sisters, prevents};
pub use sentence::{Proposed, proposals};
pub use weighing::Weighed;
pub use words::{POSSIBLE_FROM, chance_word, why_words};
