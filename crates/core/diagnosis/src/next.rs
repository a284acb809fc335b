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
fn remedies(model: &Model<'_>, beliefs: &Beliefs, done: &[bool]) -> Vec<(usize, f64)> {
    let mut all: Vec<(usize, f64)> = model
        .actions
        .iter()
        .enumerate()
        .filter(|(i, _)| !done[*i])
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
pub fn expected_minutes(model: &Model<'_>, beliefs: &Beliefs, done: &[bool]) -> f64 {
    let mut mended = vec![false; model.causes.len()];
    let mut open = 1.0;
    let mut cost = 0.0;
    for (i, _) in remedies(model, beliefs, done) {
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
fn with_check(
    model: &Model<'_>,
    beliefs: &Beliefs,
    done: &[bool],
    action: &Action,
    open: &[usize],
) -> f64 {
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
        .map(|(b, p)| p * expected_minutes(model, b, done))
        .sum();
    action.cost_min() + rest
}

/// A check that proves what a remedy mends for less than a third of its cost, where the remedy spends more than hands.
fn proof_of(
    model: &Model<'_>,
    beliefs: &Beliefs,
    answers: &[Option<bool>],
    done: &[bool],
    remedy: usize,
) -> Option<(usize, f64)> {
    let action = &model.actions[remedy];
    let ActionKind::Remedy(mends) = action.kind else {
        return None;
    };
    let cause = mends
        .iter()
        .filter_map(|id| model.cause(id))
        .max_by(|a, b| beliefs.0[*a].total_cmp(&beliefs.0[*b]))?;
    let proves = |o: &usize| {
        model.p_yes(cause, *o) >= PROOF_YES && model.observations[*o].base <= PROOF_BASE
    };
    let checks = model.actions.iter().enumerate().filter_map(|(i, a)| {
        let ActionKind::Check(ids) = a.kind else {
            return None;
        };
        let seen: Vec<usize> = ids.iter().filter_map(|id| model.observation(id)).collect();
        // Once a proof of it is seen, another adds nothing.
        let open: Vec<usize> = seen.into_iter().filter(|o| answers[*o].is_none()).collect();
        (!done[i] && open.iter().any(proves)).then_some((i, open))
    });
    let proven = (0..answers.len()).any(|o| answers[o] == Some(true) && proves(&o));
    let cheap = |i: &usize| model.actions[*i].cost_min() * 3.0 < action.cost_min();
    if proven || action.also_min <= 0.0 {
        return None;
    }
    checks
        .filter(|(i, _)| cheap(i))
        .min_by(|(a, _), (b, _)| {
            model.actions[*a]
                .cost_min()
                .total_cmp(&model.actions[*b].cost_min())
        })
        .map(|(i, open)| {
            (
                i,
                with_check(model, beliefs, done, &model.actions[i], &open),
            )
        })
}

/// The next action: a hazard first; then the check that saves most, where one saves more than it costs; else the remedy
/// of the greatest probability over cost, its cause proven first where a part would be spent and a proof is cheap. Nothing that can break a part is proposed while a cheaper check is open that
/// tells anything. `answers` are by place of the observation, `done` by place of the action.
#[must_use]
pub fn propose(
    model: &Model<'_>,
    beliefs: &Beliefs,
    answers: &[Option<bool>],
    done: &[bool],
) -> Proposal {
    let now_min = expected_minutes(model, beliefs, done);
    let mut best: Option<(usize, f64)> = None;
    let mut hazard: Option<(usize, f64)> = None;
    let mut cheapest: Option<(usize, f64)> = None;
    let hazards = || (0..model.causes.len()).filter(|c| model.causes[*c].hazard);
    let in_danger: f64 = hazards().map(|c| beliefs.0[c]).sum();
    // What is looked at first is what may well be it, not any wire.
    let danger: Vec<usize> = hazards()
        .filter(|c| beliefs.0[*c] > HAZARD_FROM * in_danger.max(HAZARD_FROM))
        .collect();
    for (i, action) in model.actions.iter().enumerate() {
        let ActionKind::Check(ids) = action.kind else {
            continue;
        };
        let open: Vec<usize> = ids
            .iter()
            .filter_map(|id| model.observation(id))
            .filter(|o| answers[*o].is_none())
            .collect();
        if done[i] || open.is_empty() {
            continue;
        }
        let expected = with_check(model, beliefs, done, action, &open);
        let better = |to: Option<(usize, f64)>| {
            to.is_none_or(|(j, e)| {
                expected < e - ALIKE_MIN
                    || (expected < e + ALIKE_MIN && action.minutes < model.actions[j].minutes)
            })
        };
        if better(best) {
            best = Some((i, expected));
        }
        let tells_of_danger = danger.iter().any(|c| {
            open.iter()
                .any(|o| (model.p_yes(*c, *o) - model.observations[*o].base).abs() > 0.2)
        });
        if action.cold && tells_of_danger && better(hazard) {
            hazard = Some((i, expected));
        }
        // What it leaves, without its own cost: whether it tells anything at all.
        let tells = now_min - (expected - action.cost_min());
        if tells > ALIKE_MIN
            && cheapest.is_none_or(|(j, _)| action.minutes < model.actions[j].minutes)
        {
            cheapest = Some((i, expected));
        }
    }
    let settled = beliefs.0.iter().copied().fold(0.0, f64::max) > 0.9;
    if in_danger > HAZARD_FROM
        && !settled
        && let Some((i, expected_min)) = hazard
    {
        return Proposal {
            action: Some(i),
            reason: Reason::Hazard,
            expected_min,
        };
    }
    if let Some((i, expected_min)) = best.filter(|(_, e)| *e < now_min - 1e-9) {
        return Proposal {
            action: Some(i),
            reason: Reason::Saves(now_min - expected_min),
            expected_min,
        };
    }
    let Some((i, _)) = remedies(model, beliefs, done).first().copied() else {
        return Proposal {
            action: None,
            reason: Reason::NothingLeft,
            expected_min: now_min,
        };
    };
    if model.actions[i].can_break
        && let Some((j, expected_min)) = cheapest
        && model.actions[j].minutes < model.actions[i].minutes
    {
        return Proposal {
            action: Some(j),
            reason: Reason::Saves(now_min - (expected_min - model.actions[j].cost_min())),
            expected_min,
        };
    }
    if let Some((j, expected_min)) = proof_of(model, beliefs, answers, done, i) {
        return Proposal {
            action: Some(j),
            reason: Reason::Proves,
            expected_min,
        };
    }
    Proposal {
        action: Some(i),
        reason: Reason::Mends,
        expected_min: now_min,
    }
}
