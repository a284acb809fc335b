//! Repair, replace a part, or replace more: what each is expected to cost in the end.

use crate::beliefs::Beliefs;
use crate::case::{Case, Outcome};
use crate::engine::Engine;
use crate::evidence::{Facts, UnknownEvidence};
use crate::model::Model;

/// What share is left of a remedy's chance where it was done, the fault came back, and its cause is proven all the same:
/// it was done badly, the part was a wrong one, or it can't hold here. Judgement, no published source.
pub const AGAIN: f64 = 0.5;

/// A way to mend a proven cause.
#[derive(Clone, Debug, PartialEq)]
pub struct Choice {
    /// The action, by id.
    pub action: &'static str,
    /// Chance that it mends it, 0 to 1.
    pub chance: f64,
    /// Whether it was done before, and the fault came back.
    pub came_back: bool,
    /// Minutes of hands of it alone [min].
    pub minutes: f64,
    /// Expected minutes in the end, with what follows where it doesn't hold [min].
    pub expected_min: f64,
    /// What it costs alone, and in the end, as numbers in the shop's money; none where no price is known.
    pub money: Option<[f64; 2]>,
}

/// All ways to mend a cause, the one that is expected to cost least first: by money where prices are known, else by
/// minutes; before it the mildest rung of its ladder. A way that doesn't hold is followed by the best of the others. One
/// after which the fault came back is a way still, with [`AGAIN`]: the cause is proven, and a new part can be a wrong one.
/// # Errors
/// [`UnknownEvidence`] for facts that can't be read, or a cause that isn't in the model.
pub fn choices(
    model: &Model<'_>,
    facts: &Facts,
    cause: &str,
) -> Result<Vec<Choice>, UnknownEvidence> {
    let case: Case = facts.read(model)?;
    let engine = Engine::new(model);
    let at = model.cause(cause).ok_or_else(|| UnknownEvidence {
        field: "cause".into(),
        message: "There is no such cause. The list has them all.".into(),
    })?;
    let mut sure = vec![0.0; model.causes.len()];
    sure[at] = 1.0;
    let sure = Beliefs(sure);
    let priced = !facts.prices.is_empty() || facts.per_hour.is_some();
    let mut all = Vec::new();
    for (i, mends) in engine.mends.iter().enumerate() {
        let Some((_, chance)) = mends.iter().find(|(c, _)| *c == at) else {
            continue;
        };
        let came_back = case.tried[i] == Some(Outcome::CameBack);
        let mut after = case.clone();
        if came_back {
            after.tried[i] = None;
        }
        if !engine.can_do(i, &after) {
            continue;
        }
        after.passed_over[i] = true;
        let chance = chance * if came_back { AGAIN } else { 1.0 };
        let action = &model.actions[i];
        let fails = 1.0 - chance;
        let money = |a: usize| facts.money(&model.actions[a]);
        let rest_min = engine.expected(
            &sure,
            &after,
            |a| model.actions[a].minutes,
            model.give_up_min,
        );
        all.push(Choice {
            action: action.id,
            chance,
            came_back,
            minutes: action.minutes,
            expected_min: action.minutes + fails * rest_min,
            money: priced.then(|| {
                let own = money(i);
                [own, own + fails * engine.money(&sure, &after, money)]
            }),
        });
    }
    let key = |c: &Choice| c.money.map_or(c.expected_min, |[_, all]| all);
    all.sort_by(|a, b| key(a).total_cmp(&key(b)));
    // Of a ladder its mildest open rung comes first.
    if let Some(first) = all.first().and_then(|c| model.action(c.action))
        && let Some(milder) = engine.milder(first, &sure, &case).first()
        && let Some(at) = all
            .iter()
            .position(|c| c.action == model.actions[*milder].id)
    {
        all[..=at].rotate_right(1);
    }
    Ok(all)
}
