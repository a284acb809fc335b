//! A case as far as the engine cares: what was replaced, seen and tried, by place in the model.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::Part;

use crate::model::Model;

/// What a remedy did.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    /// Nothing changed.
    NoHelp,
    /// It helped for a while, and the fault came back: a false fix.
    CameBack,
    /// The fault is gone.
    Helped,
}

/// What is known of one machine.
#[derive(Clone, Debug, PartialEq)]
pub struct Case {
    /// Parts that were replaced before it was brought.
    pub replaced: Vec<Part>,
    /// Parts that are older than the shop lets them become.
    pub aged: Vec<Part>,
    /// Number of cases of this shop by place of the cause that was proven.
    pub learned: Vec<f64>,
    /// Causes that this machine can't have: it lacks the piece. By place of the cause.
    pub impossible: Vec<bool>,
    /// Answers by place of the observation.
    pub answers: Vec<Option<bool>>,
    /// Observations that were looked at, and nobody could tell.
    pub unsure: Vec<bool>,
    /// What remedies did, by place of the action; none where it wasn't done.
    pub tried: Vec<Option<Outcome>>,
    /// Whether a check was passed over, by place of the action.
    pub passed_over: Vec<bool>,
}

impl Case {
    /// A machine of which nothing is known.
    #[must_use]
    pub fn new(model: &Model<'_>) -> Self {
        Self {
            replaced: Vec::new(),
            aged: Vec::new(),
            impossible: vec![false; model.causes.len()],
            learned: vec![0.0; model.causes.len()],
            answers: vec![None; model.observations.len()],
            unsure: vec![false; model.observations.len()],
            tried: vec![None; model.actions.len()],
            passed_over: vec![false; model.actions.len()],
        }
    }

    /// One of which these answers are known, by place of the observation.
    #[must_use]
    pub fn seen(model: &Model<'_>, answers: &[Option<bool>]) -> Self {
        Self {
            answers: answers.to_vec(),
            ..Self::new(model)
        }
    }

    /// Whether an observation can still be asked for.
    pub(crate) fn open(&self, observation: usize) -> bool {
        self.answers[observation].is_none() && !self.unsure[observation]
    }
}
