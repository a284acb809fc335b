//! What to do next: the action after which the least is to be expected.

use crate::beliefs::Beliefs;
use crate::model::{Action, ActionKind, Model};

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
/// An answer proves a cause that gives it at least this often … Judgement, no published source.
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

fn mends(model: &Model<'_>, action: &Action, beliefs: &Beliefs) -> f64 {
    match action.kind {
        ActionKind::Remedy(ids) => ids
            .iter()
            .filter_map(|id| model.cause(id))
            .map(|c| beliefs.0[c])
            .sum(),
        ActionKind::Check(_) => 0.0,
    }
}

/// Remedies that may help, the one with the greatest probability over cost first.
fn remedies(model: &Model<'_>, beliefs: &Beliefs) -> Vec<(usize, f64)> {
    let mut all: Vec<(usize, f64)> = model
        .actions
        .iter()
        .enumerate()
        .map(|(i, a)| (i, mends(model, a, beliefs)))
        .filter(|(_, p)| *p > 1e-9)
        .collect();
    let ratio = |(i, p): &(usize, f64)| p / model.actions[*i].cost_min();
    all.sort_by(|a, b| ratio(b).total_cmp(&ratio(a)).then(a.0.cmp(&b.0)));
    all
}

/// Expected minutes of mending one remedy after another by probability over cost, and of giving up after the last.
///
/// Formula: Σ cost(i) · P(not mended before i) + give-up · P(never mended). For single causes and remedies that share
/// none the order is optimal. Source: Heckerman, Breese, Rommelse 1995.
#[must_use]
pub fn expected_minutes(model: &Model<'_>, beliefs: &Beliefs) -> f64 {
    let mut mended = vec![false; model.causes.len()];
    let mut open = 1.0;
    let mut cost = 0.0;
    for (i, _) in remedies(model, beliefs) {
        let action = &model.actions[i];
        let ActionKind::Remedy(ids) = action.kind else {
            continue;
        };
        let mut helps = 0.0;
        for c in ids.iter().filter_map(|id| model.cause(id)) {
            if !mended[c] {
                mended[c] = true;
                helps += beliefs.0[c];
            }
        }
        // A remedy that mends nothing more than those before it is not done.
        if helps <= 1e-9 {
            continue;
        }
        cost += action.cost_min() * open;
        open -= helps;
    }
    cost + open.max(0.0) * model.give_up_min
}

/// Expected minutes of a check and of what follows it, each of its answers weighed by how likely it is.
fn with_check(model: &Model<'_>, beliefs: &Beliefs, action: &Action, open: &[usize]) -> f64 {
    // All answers that it gives at once: two of them are four ways.
    let mut ways = vec![(beliefs.clone(), 1.0)];
    for o in open {
        ways = ways
            .into_iter()
            .flat_map(|(b, p)| {
                [true, false].map(|yes| {
                    let (next, q) = b.after(model, *o, yes);
                    (next, p * q)
                })
            })
            .filter(|(_, p)| *p > 1e-12)
            .collect();
    }
    let rest: f64 = ways
        .iter()
        .map(|(b, p)| p * expected_minutes(model, b))
        .sum();
    action.cost_min() + rest
}

/// The cheapest check that proves what a remedy mends, for less than a third of its cost, where the remedy spends more
/// than hands; none once a proof was seen.
fn proof_of(
    model: &Model<'_>,
    beliefs: &Beliefs,
    answers: &[Option<bool>],
    remedy: usize,
) -> Option<usize> {
    let action = &model.actions[remedy];
    let ActionKind::Remedy(mends) = action.kind else {
        return None;
    };
    let cause = mends
        .iter()
        .filter_map(|id| model.cause(id))
        .max_by(|a, b| beliefs.0[*a].total_cmp(&beliefs.0[*b]))?;
    let proves =
        |o: usize| model.p_yes(cause, o) >= PROOF_YES && model.observations[o].base <= PROOF_BASE;
    let proven = (0..answers.len()).any(|o| answers[o] == Some(true) && proves(o));
    if proven || action.also_min <= 0.0 {
        return None;
    }
    let may_prove = |a: &Action| match a.kind {
        ActionKind::Check(ids) => ids
            .iter()
            .filter_map(|id| model.observation(id))
            .any(|o| answers[o].is_none() && proves(o)),
        ActionKind::Remedy(_) => false,
    };
    let checks = model.actions.iter().enumerate();
    checks
        .filter(|(_, a)| a.cost_min() * PROOF_SHARE < action.cost_min() && may_prove(a))
        .min_by(|(_, a), (_, b)| a.cost_min().total_cmp(&b.cost_min()))
        .map(|(i, _)| i)
}

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

fn open_checks(
    model: &Model<'_>,
    beliefs: &Beliefs,
    answers: &[Option<bool>],
    danger: &[usize],
) -> Vec<OpenCheck> {
    let checks = model.actions.iter().enumerate().filter_map(|(i, action)| {
        let ActionKind::Check(ids) = action.kind else {
            return None;
        };
        let open: Vec<usize> = ids
            .iter()
            .filter_map(|id| model.observation(id))
            .filter(|o| answers[*o].is_none())
            .collect();
        let tells = |c: &usize| {
            open.iter().any(|o| {
                (model.p_yes(*c, *o) - model.observations[*o].base).abs() > TELLS_OF_DANGER
            })
        };
        (!open.is_empty()).then(|| OpenCheck {
            action: i,
            minutes: action.minutes,
            expected_min: with_check(model, beliefs, action, &open),
            of_danger: action.cold && danger.iter().any(tells),
        })
    });
    checks.collect()
}

/// The next action: a hazard first; then the check that saves most, where one saves more than it costs; else the remedy
/// of the greatest probability over cost, its cause proven first where a part would be spent and a proof is cheap.
/// Nothing that can break a part is proposed while a shorter check is open that tells anything. `answers` are by place of
/// the observation.
#[must_use]
pub fn propose(model: &Model<'_>, beliefs: &Beliefs, answers: &[Option<bool>]) -> Proposal {
    let now_min = expected_minutes(model, beliefs);
    let hazards = || (0..model.causes.len()).filter(|c| model.causes[*c].hazard);
    let in_danger: f64 = hazards().map(|c| beliefs.0[c]).sum();
    // What is looked at first is what may well be it, not any wire.
    let danger: Vec<usize> = hazards()
        .filter(|c| beliefs.0[*c] > HAZARD_FROM * in_danger)
        .collect();
    let checks = open_checks(model, beliefs, answers, &danger);
    let by = |check: OpenCheck, reason| Proposal {
        action: Some(check.action),
        reason,
        expected_min: check.expected_min,
    };
    let settled = beliefs.0.iter().any(|p| *p > SETTLED);
    if in_danger > HAZARD_FROM
        && !settled
        && let Some(check) = best_of(checks.iter().copied().filter(|c| c.of_danger))
    {
        return by(check, Reason::Hazard);
    }
    if let Some(check) = best_of(checks.iter().copied()).filter(|c| c.expected_min < now_min) {
        return by(check, Reason::Saves(now_min - check.expected_min));
    }
    let Some((i, _)) = remedies(model, beliefs).first().copied() else {
        return Proposal {
            action: None,
            reason: Reason::NothingLeft,
            expected_min: now_min,
        };
    };
    let remedy = &model.actions[i];
    if remedy.can_break {
        // What it leaves, without its own minutes: whether it tells anything at all.
        let tells = |c: &OpenCheck| {
            now_min - (c.expected_min - model.actions[c.action].cost_min()) > ALIKE_MIN
        };
        let shorter = checks
            .iter()
            .filter(|c| c.minutes < remedy.minutes && tells(c));
        if let Some(check) = shorter.min_by(|a, b| a.minutes.total_cmp(&b.minutes)) {
            return by(*check, Reason::Spares);
        }
    }
    if let Some(i) = proof_of(model, beliefs, answers, i)
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
