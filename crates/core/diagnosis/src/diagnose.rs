//! The whole of it: from what was seen and replaced to causes, the next action and its minutes.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_printer::Replacement;

use crate::beliefs::Beliefs;
use crate::engine::Engine;
use crate::evidence::{Facts, UnknownEvidence};
use crate::model::{ActionKind, Model};
use crate::next::Reason;
use crate::weighing::Weighed;

/// A cause and how likely it is.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Believed {
    /// The cause, by id.
    pub id: &'static str,
    /// How likely it is, 0 to 1.
    pub p: f64,
    /// How likely it was before anything was seen, 0 to 1.
    pub before: f64,
    /// What speaks for it, the strongest first.
    pub speaks: Vec<Weighed>,
    /// What speaks against it, the strongest first.
    pub against: Vec<Weighed>,
}

/// Why an action is proposed.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
#[serde(tag = "reason", rename_all = "snake_case")]
pub enum WhyNext {
    /// It could burn or hurt: that is looked at first, cold and unplugged.
    Hazard,
    /// It saves more of the rest than it costs.
    Saves {
        /// Minutes saved, its own taken off [min].
        minutes: f64,
        /// The two likeliest causes that it may tell apart, by id.
        between: [&'static str; 2],
    },
    /// It is shorter than a remedy that can break a part, and tells something.
    Spares,
    /// It proves the likeliest cause before a part is spent on it.
    Proves,
    /// Mending it now is the shortest way.
    Mends,
}

/// What to do next.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct NextAction {
    /// The action, by id.
    pub id: &'static str,
    /// `check` or `remedy`.
    pub kind: &'static str,
    /// Minutes of hands [min].
    pub minutes: f64,
    /// Why.
    pub why: WhyNext,
}

/// Two causes at once.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct TwoAtOnce {
    /// The two, by id.
    pub ids: [&'static str; 2],
    /// How likely it is that it is those two, 0 to 1.
    pub p: f64,
}

/// What is believed, and what to do.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Diagnosis {
    /// All causes, the likeliest first.
    pub causes: Vec<Believed>,
    /// What to do next; none where nothing is left that would help.
    pub next: Option<NextAction>,
    /// Expected minutes to the end [min].
    pub expected_minutes: f64,
    /// Expected cost to the end, as a number of the shop's money; none where no price is known.
    pub expected_cost: Option<f64>,
    /// Two at once, where no single cause explains what was seen.
    pub two_at_once: Option<TwoAtOnce>,
    /// The cause that is proven, by id: likely enough, and an answer or a remedy says so.
    pub proven: Option<&'static str>,
    /// No cause is proven, and nothing is left that is worth doing.
    pub nothing_found: bool,
    /// What was seen and the likeliest cause doesn't explain, or what it should show and doesn't, by id.
    pub unexplained: Vec<&'static str>,
}

/// What is wrong with it, and what to do next.
/// # Errors
/// [`UnknownEvidence`] for evidence that can't be read.
pub fn diagnose(model: &Model<'_>, facts: &Facts) -> Result<Diagnosis, UnknownEvidence> {
    let case = facts.read(model)?;
    let engine = Engine::new(model);
    let before = engine.before(&case);
    let (beliefs, _) = engine.believed(&case);
    let proposal = engine.propose(&beliefs, &case);
    let mut order: Vec<usize> = (0..model.causes.len()).collect();
    order.sort_by(|a, b| beliefs.0[*b].total_cmp(&beliefs.0[*a]).then(a.cmp(b)));
    let next = proposal.action.map(|i| {
        let action = &model.actions[i];
        NextAction {
            id: action.id,
            kind: match action.kind {
                ActionKind::Check(_) => "check",
                ActionKind::Remedy(_) => "remedy",
            },
            minutes: action.minutes,
            why: match proposal.reason {
                Reason::Hazard => WhyNext::Hazard,
                Reason::Saves(minutes) => WhyNext::Saves {
                    minutes,
                    between: tells_apart(&engine, i, &beliefs),
                },
                Reason::Spares => WhyNext::Spares,
                Reason::Proves => WhyNext::Proves,
                Reason::Mends | Reason::NothingLeft => WhyNext::Mends,
            },
        }
    });
    let pair = engine.two_at_once(&case);
    let priced = !facts.prices.is_empty() || facts.per_hour.is_some();
    let expected_cost = priced.then(|| {
        let money = |a: usize| facts.money(&model.actions[a]);
        let own = proposal
            .action
            .filter(|a| !model.actions[*a].answers().is_empty());
        own.map_or(0.0, money) + engine.money(&beliefs, &case, money)
    });
    let proven = engine.proven(&beliefs, &case);
    Ok(Diagnosis {
        causes: order
            .iter()
            .map(|c| {
                let (speaks, against) = engine.weighed(*c, &case);
                Believed {
                    id: model.causes[*c].id,
                    p: beliefs.0[*c],
                    before: before.0[*c],
                    speaks,
                    against,
                }
            })
            .collect(),
        next,
        expected_minutes: proposal.expected_min,
        expected_cost,
        two_at_once: pair.map(|p| TwoAtOnce {
            ids: p.causes.map(|c| model.causes[c].id),
            p: p.p,
        }),
        proven: proven.map(|c| model.causes[c].id),
        nothing_found: proven.is_none() && proposal.action.is_none(),
        unexplained: engine.unexplained(&beliefs, &case),
    })
}

/// Milder rungs that were not tried and may mend the likeliest of what an action mends, by id; the mildest first.
/// # Errors
/// [`UnknownEvidence`] for facts that can't be read, or an action that isn't in the model.
pub fn milder(
    model: &Model<'_>,
    facts: &Facts,
    action: &str,
) -> Result<Vec<&'static str>, UnknownEvidence> {
    let case = facts.read(model)?;
    let engine = Engine::new(model);
    let at = model.action(action).ok_or_else(|| UnknownEvidence {
        field: "action".into(),
        message: "There is no such action. The list has them all.".into(),
    })?;
    let (beliefs, _) = engine.believed(&case);
    let all = engine.milder(at, &beliefs, &case);
    Ok(all.into_iter().map(|i| model.actions[i].id).collect())
}

/// The likeliest pair of causes that a check tells apart: the product of their chances and of how differently it answers.
fn tells_apart(engine: &Engine<'_>, action: usize, beliefs: &Beliefs) -> [&'static str; 2] {
    let p = &beliefs.0;
    let mut best = ([0, 0], -1.0);
    for a in 0..p.len() {
        for b in a + 1..p.len() {
            let apart = engine.answers[action]
                .iter()
                .map(|o| (engine.p_yes(a, *o) - engine.p_yes(b, *o)).abs())
                .fold(0.0, f64::max);
            let worth = p[a] * p[b] * apart;
            if worth > best.1 {
                best = ([a, b], worth);
            }
        }
    }
    let [a, b] = best.0;
    let (a, b) = if p[a] >= p[b] { (a, b) } else { (b, a) };
    [engine.model.causes[a].id, engine.model.causes[b].id]
}

/// Names of everything that the engine knows.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Known {
    /// Causes.
    pub causes: Vec<&'static str>,
    /// Observations.
    pub observations: Vec<&'static str>,
    /// Actions.
    pub actions: Vec<&'static str>,
    /// Replacements.
    pub replacements: Vec<&'static str>,
}

/// Names of everything that a model knows.
#[must_use]
pub fn everything_known(model: &Model<'_>) -> Known {
    Known {
        causes: model.causes.iter().map(|c| c.id).collect(),
        observations: model.observations.iter().map(|o| o.id).collect(),
        actions: model.actions.iter().map(|a| a.id).collect(),
        replacements: Replacement::ALL.iter().map(|r| r.id()).collect(),
    }
}
