//! What speaks for a cause and what against it.

use serde::Serialize;
use utoipa::ToSchema;

use crate::beliefs::Beliefs;
use crate::case::{Case, Outcome};
use crate::engine::Engine;

/// From this ratio on something speaks for a cause, and below its inverse against it. Judgement, no published source.
const SPEAKS: f64 = 2.0;
/// A cause that would show something this often, 0 to 1, has to explain why it doesn't. Judgement, no published source.
const SHOULD_SHOW: f64 = 0.85;

/// Something that was seen, or that a remedy did, and how many times likelier it is with a cause than without it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct Weighed {
    /// Id of the observation or the action.
    pub id: &'static str,
    /// How many times likelier, above 0; below 1 it speaks against the cause.
    pub times: f64,
}

impl Engine<'_> {
    /// What speaks for a cause, what against it; the strongest first.
    #[must_use]
    pub fn weighed(&self, cause: usize, case: &Case) -> (Vec<Weighed>, Vec<Weighed>) {
        let before = self.before(case).0;
        let others = 1.0 - before[cause];
        // How much likelier with the cause than with all others, as they were believed before anything was seen.
        let times = |p: &dyn Fn(usize) -> f64| {
            let rest: f64 = (0..before.len())
                .filter(|c| *c != cause)
                .map(|c| before[c] * p(c))
                .sum();
            p(cause) / (rest / others).max(1e-12)
        };
        let mut all = Vec::new();
        for (o, answer) in self.known(case).into_iter().enumerate() {
            let Some(yes) = answer else { continue };
            let p = |c: usize| match yes {
                true => self.p_yes(c, o),
                false => 1.0 - self.p_yes(c, o),
            };
            all.push(Weighed {
                id: self.model.observations[o].id,
                times: times(&p),
            });
        }
        for (a, outcome) in case.tried.iter().enumerate() {
            let Some(outcome) = *outcome else { continue };
            if outcome == Outcome::CameBack && self.came_back_shows[a].is_some() {
                continue;
            }
            all.push(Weighed {
                id: self.model.actions[a].id,
                times: times(&|c| self.p_outcome(c, a, outcome)),
            });
        }
        let (mut speaks, mut against): (Vec<_>, Vec<_>) = all
            .into_iter()
            .filter(|w| w.times > SPEAKS || w.times < 1.0 / SPEAKS)
            .partition(|w| w.times > 1.0);
        speaks.sort_by(|a, b| b.times.total_cmp(&a.times));
        against.sort_by(|a, b| a.times.total_cmp(&b.times));
        (speaks, against)
    }

    /// What the likeliest cause leaves unexplained: seen and no likelier with it, or not seen though it should be.
    #[must_use]
    pub fn unexplained(&self, beliefs: &Beliefs, case: &Case) -> Vec<&'static str> {
        let cause = beliefs.likeliest();
        let stays = |o: usize, yes: bool| {
            let p = self.p_yes(cause, o);
            match yes {
                true => p <= self.model.observations[o].base,
                false => p >= SHOULD_SHOW,
            }
        };
        let known = self.known(case).into_iter().enumerate();
        known
            .filter_map(|(o, a)| a.filter(|yes| stays(o, *yes)).map(|_| o))
            .map(|o| self.model.observations[o].id)
            .collect()
    }
}
