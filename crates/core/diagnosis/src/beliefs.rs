//! Beliefs: how likely each cause is, given what was seen.

use wattotherm_printer::Part;

use crate::model::{Cause, Model};

/// How many times likelier a cause is that hangs on a part touched just now. Judgement, no published source.
pub const SHAKEN: f64 = 5.0;
/// What share is left of the weight of a cause whose piece was replaced. Judgement, no published source.
pub const CURED: f64 = 0.15;

/// Likelihood of each cause, in the order of the model; they sum to 1.
#[derive(Clone, Debug, PartialEq)]
pub struct Beliefs(pub Vec<f64>);

/// Weight of a cause before anything is seen.
fn weight(cause: &Cause, replaced: &[Part]) -> f64 {
    let touched = |parts: &[Part]| parts.iter().any(|p| replaced.contains(p));
    let shaken = if touched(cause.shaken_by) {
        SHAKEN
    } else {
        1.0
    };
    let cured = if touched(cause.cured_by) { CURED } else { 1.0 };
    cause.weight * shaken * cured
}

impl Beliefs {
    /// What is believed before anything is seen.
    #[must_use]
    pub fn before(model: &Model<'_>, replaced: &[Part]) -> Self {
        Self::of(model.causes.iter().map(|c| weight(c, replaced)).collect())
    }

    /// Weights made to sum to 1. Domain: none below 0, one above.
    fn of(mut weights: Vec<f64>) -> Self {
        let sum: f64 = weights.iter().sum();
        if sum > 0.0 {
            weights.iter_mut().for_each(|w| *w /= sum);
        }
        Self(weights)
    }

    /// The same after an answer, and how likely that answer was.
    ///
    /// Formula: Bayes over causes that are wrong one at a time, observations independent given the cause.
    #[must_use]
    pub fn after(&self, model: &Model<'_>, observation: usize, yes: bool) -> (Self, f64) {
        let weights: Vec<f64> = self
            .0
            .iter()
            .enumerate()
            .map(|(c, p)| {
                let q = model.p_yes(c, observation);
                p * if yes { q } else { 1.0 - q }
            })
            .collect();
        let sum = weights.iter().sum();
        (Self::of(weights), sum)
    }
}

/// What is believed after all answers, and how likely they were together.
#[must_use]
pub fn believed(model: &Model<'_>, replaced: &[Part], answers: &[Option<bool>]) -> (Beliefs, f64) {
    let mut beliefs = Beliefs::before(model, replaced);
    let mut all = 1.0;
    for (o, answer) in answers.iter().enumerate() {
        if let Some(yes) = answer {
            let (next, p) = beliefs.after(model, o, *yes);
            beliefs = next;
            all *= p;
        }
    }
    (beliefs, all)
}
