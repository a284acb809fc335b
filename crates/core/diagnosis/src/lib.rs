//! What is wrong with it? Causes, observations and actions as data; beliefs by Bayes; the next action by what it saves.
//!
//! Pure: no I/O, no clock, no async. All weights, likelihoods and minutes are judgement, no published source; the
//! arithmetic is that of decision-theoretic troubleshooting (Heckerman, Breese, Rommelse, "Decision-theoretic
//! troubleshooting", 1995).
#![deny(missing_docs)]

mod actions;
mod beliefs;
mod causes;
mod diagnose;
mod evidence;
mod model;
mod next;
mod observations;
mod pairs;

pub use actions::ACTIONS;
pub use beliefs::{Beliefs, believed};
pub use causes::CAUSES;
pub use diagnose::{
    Believed, Diagnosis, Known, NextAction, TwoAtOnce, WhyNext, diagnose, everything_known,
};
pub use evidence::{Answer, Evidence, Facts, UnknownEvidence};
pub use model::{Action, ActionKind, Cause, Model, Observation, SHIPPED};
pub use next::{Proposal, Reason, expected_minutes, propose};
pub use observations::OBSERVATIONS;
pub use pairs::{Pair, two_at_once};
