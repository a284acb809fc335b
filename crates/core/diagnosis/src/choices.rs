//! Repair, replace a part, or replace more: what each is expected to cost in the end.

use crate::beliefs::Beliefs;
use crate::case::Case;
use crate::engine::Engine;
use crate::evidence::{Facts, UnknownEvidence};
use crate::model::Model;

/// A way to mend a proven cause.
#[derive(Clone, Debug, PartialEq)]
pub struct Choice {
    /// The action, by id.
    pub action: &'static str,
    /// Chance that it mends it, 0 to 1.
    pub chance: f64,
    /// Minutes of hands of it alone [min].
    pub minutes: f64,
    /// Expected minutes in the end, with what follows where it doesn't hold [min].
    pub expected_min: f64,
    /// What it costs alone, and in the end, as numbers in the shop's money; none where no price is known.
    pub money: Option<[f64; 2]>,
}

/// All ways to mend a cause, the one that is expected to cost least first: by money where prices are known, else by
/// minutes; before it the mildest rung of its ladder. A way that doesn't hold is followed by the best of the others.
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
        if !engine.can_do(i, &case) {
            continue;
        }
        let mut after = case.clone();
        after.passed_over[i] = true;
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
            chance: *chance,
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
