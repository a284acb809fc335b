//! What to do next: the action after which the least is to be expected.

use crate::beliefs::Beliefs;
use crate::case::{Case, Outcome};
use crate::engine::Engine;

/// Why an action is proposed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Reason {
    /// It could burn or hurt: that is looked at first, cold and unplugged.
    Hazard,
    /// It tells more than it costs: what it saves of the rest [min].
    Saves(f64),
    /// It is shorter than a remedy that can break a part, and tells something.
    Spares,
    /// It proves the likeliest cause before a part is spent on it.
    Proves,
    /// Mending it now is the shortest way.
    Mends,
    /// Nothing is left that would help.
    NothingLeft,
}

/// An action with why, and what is to be expected to the end.
#[derive(Clone, Debug, PartialEq)]
pub struct Proposal {
    /// Its place in the model; none where nothing is left.
    pub action: Option<usize>,
    /// Why.
    pub reason: Reason,
    /// Expected minutes to the end, this one included.
    pub expected_min: f64,
}

/// From this chance on, 0 to 1, a hazard is looked at before anything else. Judgement, no published source.
pub const HAZARD_FROM: f64 = 0.1;
/// … and by this factor over what it was before anything was seen. Judgement, no published source.
const RAISED: f64 = 1.2;
/// Beyond this chance, 0 to 1, that it is none of the causes, nothing more is looked for. Judgement, no published source.
pub const NONE_FROM: f64 = 0.7;
/// Nothing is mended on less than this chance that it helps, 0 to 1. Judgement, no published source.
const TRY_FROM: f64 = 0.05;
/// No part is spent, or risked, on less than this chance that it helps, 0 to 1. Judgement, no published source.
const SPEND_FROM: f64 = 0.4;
/// A cause counts as proven from this chance on, 0 to 1 … Judgement, no published source.
pub const PROVEN_FROM: f64 = 0.85;
/// … once an answer was seen that it gives at least this often …
const PROOF_YES: f64 = 0.85;
/// … and that is seen at most this often without it.
const PROOF_BASE: f64 = 0.06;
/// A proof costs less than the remedy over this, a ratio. Judgement, no published source.
const PROOF_SHARE: f64 = 3.0;
/// A check tells of a hazard that changes the chance of its yes by more than this, 0 to 1. Judgement, no published source.
const TELLS_OF_DANGER: f64 = 0.2;
/// Beyond this chance of one cause, 0 to 1, no other hazard is looked for first. Judgement, no published source.
const SETTLED: f64 = 0.9;
/// Two actions whose expected minutes differ by less are alike: the milder one is taken [min].
const ALIKE_MIN: f64 = 0.25;

/// A check that is still open, with what it leaves.
#[derive(Clone, Copy)]
struct OpenCheck {
    action: usize,
    /// Its own minutes.
    minutes: f64,
    /// Expected minutes with it.
    expected_min: f64,
    /// Whether it is done cold and tells of what may burn.
    of_danger: bool,
}

/// The one that leaves least; of those alike the shortest.
fn best_of(checks: impl Iterator<Item = OpenCheck> + Clone) -> Option<OpenCheck> {
    let least = checks
        .clone()
        .map(|c| c.expected_min)
        .fold(f64::INFINITY, f64::min);
    checks
        .filter(|c| c.expected_min < least + ALIKE_MIN)
        .min_by(|a, b| a.minutes.total_cmp(&b.minutes))
}

impl Engine<'_> {
    /// Expected minutes of a check and of what follows it, each of its answers weighed by how likely it is.
    fn with_check(&self, beliefs: &Beliefs, case: &Case, action: usize, open: &[usize]) -> f64 {
        // All answers that it gives at once: two of them are four ways.
        let mut ways = vec![(beliefs.clone(), 1.0)];
        for o in open {
            ways = ways
                .into_iter()
                .flat_map(|(b, p)| {
                    [true, false].map(|yes| {
                        let (next, q) = self.after(&b, *o, yes);
                        (next, p * q)
                    })
                })
                .filter(|(_, p)| *p > 1e-12)
                .collect();
        }
        let each = ways.iter();
        let rest: f64 = each.map(|(b, p)| p * self.expected_minutes(b, case)).sum();
        self.model.actions[action].cost_min() + rest
    }

    /// Whether it uses up a part, or may break one.
    fn spends(&self, action: usize) -> bool {
        let action = &self.model.actions[action];
        action.can_break || !action.fits.is_empty()
    }

    fn proves(&self, cause: usize, observation: usize) -> bool {
        self.p_yes(cause, observation) >= PROOF_YES
            && self.model.observations[observation].base <= PROOF_BASE
    }

    /// Whether an answer was seen that proves a cause.
    fn proof_seen(&self, cause: usize, case: &Case) -> bool {
        (0..case.answers.len()).any(|o| case.answers[o] == Some(true) && self.proves(cause, o))
    }

    /// The cause that is proven: likely enough, and an answer or a remedy says so; none otherwise.
    #[must_use]
    pub fn proven(&self, beliefs: &Beliefs, case: &Case) -> Option<usize> {
        let cause = beliefs.likeliest();
        let mended = |a: usize| self.mends[a].iter().any(|(c, _)| *c == cause);
        let helped =
            (0..case.tried.len()).any(|a| case.tried[a] == Some(Outcome::Helped) && mended(a));
        let last = self.model.causes.len() - 1;
        (cause != last
            && (helped || beliefs.0[cause] > PROVEN_FROM && self.proof_seen(cause, case)))
        .then_some(cause)
    }

    /// The cheapest check that proves what a remedy mends, for less than a third of its cost, where the remedy spends
    /// more than hands; none once a proof was seen.
    fn proof_of(&self, beliefs: &Beliefs, case: &Case, remedy: usize) -> Option<usize> {
        let cause = self.likeliest_of(remedy, beliefs)?;
        let action = &self.model.actions[remedy];
        if action.also_min <= 0.0 || self.proof_seen(cause, case) {
            return None;
        }
        let may_prove = |i: usize| {
            let mut asked = self.answers[i].iter();
            self.can_do(i, case) && asked.any(|o| case.open(*o) && self.proves(cause, *o))
        };
        let cost = |i: usize| self.model.actions[i].cost_min();
        (0..self.answers.len())
            .filter(|i| cost(*i) * PROOF_SHARE < action.cost_min() && may_prove(*i))
            .min_by(|a, b| cost(*a).total_cmp(&cost(*b)))
    }

    fn open_checks(&self, beliefs: &Beliefs, case: &Case, danger: &[usize]) -> Vec<OpenCheck> {
        let checks = self
            .model
            .actions
            .iter()
            .enumerate()
            .filter_map(|(i, action)| {
                let open: Vec<usize> = self.answers[i]
                    .iter()
                    .copied()
                    .filter(|o| case.open(*o))
                    .collect();
                if open.is_empty() || !self.can_do(i, case) {
                    return None;
                }
                let tells = |c: &usize| {
                    let told = |o: &usize| self.p_yes(*c, *o) - self.model.observations[*o].base;
                    open.iter().any(|o| told(o).abs() > TELLS_OF_DANGER)
                };
                Some(OpenCheck {
                    action: i,
                    minutes: action.minutes,
                    expected_min: self.with_check(beliefs, case, i, &open),
                    of_danger: action.cold && danger.iter().any(tells),
                })
            });
        checks.collect()
    }

    /// The next action: a hazard first; then the check that saves most, where one saves more than it costs; else the
    /// remedy of the greatest probability over cost, its cause proven first where a part would be spent and a proof is
    /// cheap, a milder rung of its ladder before it. Nothing that can break a part is proposed while a shorter check is
    /// open that tells anything, and nothing at all once a remedy helped or all causes are ruled out.
    #[must_use]
    pub fn propose(&self, beliefs: &Beliefs, case: &Case) -> Proposal {
        let now_min = self.expected_minutes(beliefs, case);
        let nothing = Proposal {
            action: None,
            reason: Reason::NothingLeft,
            expected_min: 0.0,
        };
        if case.tried.contains(&Some(Outcome::Helped)) {
            return nothing;
        }
        let none = beliefs.0.last().copied().unwrap_or(0.0);
        if none > NONE_FROM {
            return Proposal {
                expected_min: self.model.give_up_min * none,
                ..nothing
            };
        }
        let causes = self.model.causes;
        let hazards = || (0..causes.len()).filter(|c| causes[*c].hazard);
        let in_danger: f64 = hazards().map(|c| beliefs.0[c]).sum();
        // What is looked at first is what may well be it, not any wire.
        let danger: Vec<usize> = hazards()
            .filter(|c| beliefs.0[*c] > HAZARD_FROM * in_danger)
            .collect();
        let checks = self.open_checks(beliefs, case, &danger);
        let by = |check: OpenCheck, reason| Proposal {
            action: Some(check.action),
            reason,
            expected_min: check.expected_min,
        };
        // A suspect is what something speaks for: a danger no likelier than before anything was seen is none.
        let before = self.before(case).0;
        let usual: f64 = hazards().map(|c| before[c]).sum();
        let suspect = in_danger > HAZARD_FROM && in_danger > RAISED * usual;
        let settled = beliefs.0.iter().any(|p| *p > SETTLED);
        if suspect
            && !settled
            && let Some(check) = best_of(checks.iter().copied().filter(|c| c.of_danger))
        {
            return by(check, Reason::Hazard);
        }
        if self.proven(beliefs, case).is_none()
            && let Some(check) =
                best_of(checks.iter().copied()).filter(|c| c.expected_min < now_min)
        {
            return by(check, Reason::Saves(now_min - check.expected_min));
        }
        let course = self.course(beliefs, case);
        let worth = |a: usize| {
            let least = if self.spends(a) { SPEND_FROM } else { TRY_FROM };
            self.helps(a, &beliefs.0) > least
        };
        let Some(first) = course.into_iter().map(|(a, _)| a).find(|a| worth(*a)) else {
            return Proposal {
                expected_min: now_min,
                ..nothing
            };
        };
        let i = self
            .milder(first, beliefs, case)
            .first()
            .copied()
            .unwrap_or(first);
        let remedy = &self.model.actions[i];
        if remedy.can_break && self.proven(beliefs, case).is_none() {
            // What it leaves, without its own minutes: whether it tells anything at all.
            let tells = |c: &OpenCheck| {
                now_min - (c.expected_min - self.model.actions[c.action].cost_min()) > ALIKE_MIN
            };
            let shorter = checks
                .iter()
                .filter(|c| c.minutes < remedy.minutes && tells(c));
            if let Some(check) = shorter.min_by(|a, b| a.minutes.total_cmp(&b.minutes)) {
                return by(*check, Reason::Spares);
            }
        }
        if let Some(i) = self.proof_of(beliefs, case, i)
            && let Some(check) = checks.iter().find(|c| c.action == i)
        {
            return by(*check, Reason::Proves);
        }
        Proposal {
            action: Some(i),
            reason: Reason::Mends,
            expected_min: now_min,
        }
    }
}
