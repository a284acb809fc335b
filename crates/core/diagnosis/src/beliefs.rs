//! Beliefs: how likely each cause is, given what was seen, replaced and tried.

use wattotherm_printer::Part;

use crate::case::{Case, Outcome};
use crate::engine::Engine;

/// How many times likelier a cause is that hangs on a part touched just now. Judgement, no published source.
pub const SHAKEN: f64 = 5.0;
/// What share is left of the weight of a cause whose piece was replaced. Judgement, no published source.
pub const CURED: f64 = 0.15;
/// How many times likelier a cause is whose piece is older than the shop lets it become. Judgement, no published source.
pub const AGED: f64 = 2.0;
/// As how many cases of the shop the judgement counts. Judgement, no published source.
pub const JUDGED_CASES: f64 = 20.0;
/// How much of a remedy's chance counts against a cause when the fault came back after it, 0 to 1: it may have failed
/// anew. Judgement, no published source.
pub const FALSE_FIX: f64 = 0.8;
/// Chance that a fault is gone after a remedy that doesn't mend its cause, 0 to 1. Judgement, no published source.
pub const BY_CHANCE: f64 = 0.05;

/// Likelihood of each cause, in the order of the model; they sum to 1.
#[derive(Clone, Debug, PartialEq)]
pub struct Beliefs(pub Vec<f64>);

impl Beliefs {
    /// Weights made to sum to 1. Domain: none below 0, one above.
    pub(crate) fn of(mut weights: Vec<f64>) -> Self {
        let sum: f64 = weights.iter().sum();
        if sum > 0.0 {
            weights.iter_mut().for_each(|w| *w /= sum);
        }
        Self(weights)
    }

    /// The likeliest cause.
    #[must_use]
    pub fn likeliest(&self) -> usize {
        let by = |a: &usize, b: &usize| self.0[*a].total_cmp(&self.0[*b]);
        (0..self.0.len()).max_by(by).unwrap_or(0)
    }
}

/// Shares of causes before a machine is known: the judgement as so many cases, and this shop's own cases added to it.
///
/// Formula: (n₀·wᵢ + nᵢ) ⁄ (n₀ + Σn), wᵢ the judged shares, n₀ the cases that the judgement counts as: the mean of a
/// Dirichlet distribution. Domain: weights and counts not below 0.
#[must_use]
pub fn learned(weights: &[f64], cases: &[f64]) -> Vec<f64> {
    let all: f64 = weights.iter().sum();
    let seen: f64 = cases.iter().sum();
    let one = |(w, n): (&f64, &f64)| (JUDGED_CASES * w / all + n) / (JUDGED_CASES + seen);
    weights.iter().zip(cases).map(one).collect()
}

impl Engine<'_> {
    /// What is believed before anything is seen.
    #[must_use]
    pub fn before(&self, case: &Case) -> Beliefs {
        let causes = self.model.causes;
        let judged: Vec<f64> = causes.iter().map(|c| c.weight).collect();
        let touched =
            |parts: &[Part], by: &[Part], f: f64| match parts.iter().any(|p| by.contains(p)) {
                true => f,
                false => 1.0,
            };
        let weights = learned(&judged, &case.learned)
            .into_iter()
            .zip(causes)
            .zip(&case.impossible)
            .map(|((share, cause), impossible)| {
                if *impossible {
                    return 0.0;
                }
                share
                    * touched(cause.shaken_by, &case.replaced, SHAKEN)
                    * touched(cause.cured_by, &case.replaced, CURED)
                    // What a new piece cures wears in the old one.
                    * touched(cause.cured_by, &case.aged, AGED)
            });
        Beliefs::of(weights.collect())
    }

    /// The same after an answer, and how likely that answer was.
    ///
    /// Formula: Bayes over causes that are wrong one at a time, observations independent given the cause.
    #[must_use]
    pub fn after(&self, beliefs: &Beliefs, observation: usize, yes: bool) -> (Beliefs, f64) {
        let each = beliefs.0.iter().enumerate();
        let weights: Vec<f64> = each
            .map(|(c, p)| {
                let q = self.p_yes(c, observation);
                p * if yes { q } else { 1.0 - q }
            })
            .collect();
        let sum = weights.iter().sum();
        (Beliefs::of(weights), sum)
    }

    /// Chance of what a remedy did, 0 to 1, given a cause.
    #[must_use]
    pub fn p_outcome(&self, cause: usize, action: usize, outcome: Outcome) -> f64 {
        let mends = self.mends[action].iter().find(|(c, _)| *c == cause);
        let chance = mends.map_or(0.0, |(_, p)| *p);
        match outcome {
            Outcome::NoHelp => 1.0 - chance,
            Outcome::CameBack => 1.0 - FALSE_FIX * chance,
            Outcome::Helped => chance.max(BY_CHANCE),
        }
    }

    /// Answers, and what follows from remedies after which the fault came back.
    pub(crate) fn known(&self, case: &Case) -> Vec<Option<bool>> {
        let mut answers = case.answers.clone();
        for (a, outcome) in case.tried.iter().enumerate() {
            if let (Some(Outcome::CameBack), Some(o)) = (outcome, self.came_back_shows[a]) {
                answers[o] = answers[o].or(Some(true));
            }
        }
        answers
    }

    /// What is believed after all answers and remedies, and how likely the answers were together.
    #[must_use]
    pub fn believed(&self, case: &Case) -> (Beliefs, f64) {
        let mut beliefs = self.before(case);
        let mut all = 1.0;
        for (o, answer) in self.known(case).into_iter().enumerate() {
            if let Some(yes) = answer {
                let (next, p) = self.after(&beliefs, o, yes);
                beliefs = next;
                all *= p;
            }
        }
        for (a, outcome) in case.tried.iter().enumerate() {
            let Some(outcome) = *outcome else { continue };
            // What the return shows has been counted as an answer.
            if outcome == Outcome::CameBack && self.came_back_shows[a].is_some() {
                continue;
            }
            let each = beliefs.0.iter().enumerate();
            let weights: Vec<f64> = each
                .map(|(c, p)| p * self.p_outcome(c, a, outcome))
                .collect();
            all *= weights.iter().sum::<f64>();
            beliefs = Beliefs::of(weights);
        }
        (beliefs, all)
    }
}
