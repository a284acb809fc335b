//! From replaced parts and results so far to what is due, conditional, closed or released.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::{Parameter, Replacement};

use super::reasons;
use super::tables::{ARROWS, Arrow, ChainTables};
use super::{Effort, Strength, effort_of};

/// What the job has found about one parameter so far. Moments are sequence numbers of the
/// logbook: only their order matters.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Outcome {
    /// When the station last closed with a pass; none while it is open.
    pub closed_at: Option<u64>,
    /// When the value last moved by more than its uncertainty; none while it is as it was.
    pub changed_at: Option<u64>,
    /// When it was left out with a reason; none where it wasn't.
    pub waived_at: Option<u64>,
}

/// A parameter that a job asks for without a part having shaken it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Asked {
    /// How strongly.
    pub strength: Strength,
    /// Clause, e.g. "a check-up was asked for".
    pub why: &'static str,
}

/// A filament's value that an earlier job left in doubt.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StaleCause {
    /// What the earlier job's parts demanded.
    pub strength: Strength,
    /// Clause, e.g. "job 231 replaced the nozzle with another filament loaded".
    pub clause: String,
}

/// All that a plan depends on.
#[derive(Clone, Debug, Default)]
pub struct PlanInput {
    /// Rows of the first table that apply, with the moment since when; 0 from the start. What was closed before
    /// it was closed with another part.
    pub replaced: BTreeMap<Replacement, u64>,
    /// Cells that this printer's build adds to the first table.
    pub also: Vec<(Replacement, Parameter, Strength)>,
    /// Arrows of a shop that takes the downstream value first: they hold nothing back, and open it again where the
    /// upstream one moves after it was closed.
    pub again: Vec<Arrow>,
    /// What is asked for without a part.
    pub asked: BTreeMap<Parameter, Asked>,
    /// Values in doubt from earlier jobs.
    pub stale: BTreeMap<Parameter, StaleCause>,
    /// Results so far.
    pub outcomes: BTreeMap<Parameter, Outcome>,
    /// Parameters this printer doesn't have, e.g. XY offset with one nozzle.
    pub absent: BTreeSet<Parameter>,
}

/// Where a parameter stands on the traveller.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Status {
    /// To be worked through.
    Due,
    /// Due only if something it rests on moves.
    Conditional,
    /// Worked through; it passed.
    Closed,
    /// Left out with a reason; whatever rests on it is unproven.
    Waived,
    /// What it rests on came out as it was: nothing to do.
    Released,
    /// Neither table reaches it.
    Untouched,
}

/// One parameter of a plan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PlanLine {
    /// Which parameter.
    pub parameter: Parameter,
    /// Where it stands.
    pub status: Status,
    /// Redo or verify: now for `due` and `closed`, at most for `conditional`.
    pub strength: Option<Strength>,
    /// One sentence why.
    pub reason: String,
    /// Parameters that must be settled first; empty means it can be worked on now.
    pub waits_for: Vec<Parameter>,
    /// What it takes at most, if it is due or conditional.
    pub effort: Effort,
    /// Parameters left out on which it rests, through any number of arrows.
    pub unproven: Vec<Parameter>,
}

/// The parameters of a job with their reasons and totals.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Plan {
    /// One line a parameter, in the order of work.
    pub lines: Vec<PlanLine>,
    /// What is due whatever the results.
    pub at_least: Effort,
    /// What is due if every value on the way moves.
    pub at_most: Effort,
}

impl Plan {
    /// The line of one parameter; none if the printer doesn't have it.
    #[must_use]
    pub fn line(&self, parameter: Parameter) -> Option<&PlanLine> {
        self.lines.iter().find(|l| l.parameter == parameter)
    }
}

/// Works out the plan.
///
/// A cell of the first table makes a parameter due at once. An arrow makes what lies downstream
/// conditional: due with the arrow's strength once the upstream value has moved, released once
/// everything upstream is settled and came out as it was. A closing counts only if nothing
/// upstream moved after it.
///
/// Source: early cutoff after Mokhov, Mitchell, Peyton Jones 2018; tables common practice.
/// Domain: any input. The result depends on the order of moments in `outcomes` only where one
/// parameter rests on the other.
#[must_use]
pub fn plan(tables: &ChainTables, input: &PlanInput) -> Plan {
    let mut walk = Walk {
        tables,
        input,
        state: BTreeMap::new(),
    };
    let lines: Vec<PlanLine> = Parameter::ALL
        .iter()
        .copied()
        .filter(|p| !input.absent.contains(p))
        .map(|p| walk.visit(p))
        .collect();
    let at_least = lines
        .iter()
        .filter(|l| l.status == Status::Due)
        .filter_map(|l| l.strength.map(|s| effort_of(l.parameter, s)))
        .sum();
    let at_most = lines.iter().map(|l| l.effort).sum();
    Plan {
        lines,
        at_least,
        at_most,
    }
}

struct Visited {
    status: Status,
    changed_at: Option<u64>,
    unproven: BTreeSet<Parameter>,
}

struct Walk<'a> {
    tables: &'a ChainTables,
    input: &'a PlanInput,
    state: BTreeMap<Parameter, Visited>,
}

impl Walk<'_> {
    fn visit(&mut self, parameter: Parameter) -> PlanLine {
        let parts = self.shaken_by(parameter);
        let stale = self.input.stale.get(&parameter);
        let asked = self.input.asked.get(&parameter);
        let direct = parts
            .iter()
            .map(|(_, s, _)| *s)
            .chain(stale.map(|s| s.strength))
            .chain(asked.map(|a| a.strength))
            .max();

        let (mut moved, mut pending, mut still) = (Vec::new(), Vec::new(), Vec::new());
        let mut unproven = BTreeSet::new();
        for arrow in ARROWS.iter().filter(|a| a.downstream == parameter) {
            let Some(up) = self.state.get(&arrow.upstream) else {
                continue; // absent on this printer
            };
            unproven.extend(&up.unproven);
            if up.status == Status::Waived {
                unproven.insert(arrow.upstream);
            }
            match (up.changed_at, up.status) {
                (Some(at), _) => moved.push((arrow.upstream, arrow.strength, at)),
                (None, Status::Due | Status::Conditional) => {
                    pending.push((arrow.upstream, arrow.strength));
                }
                (None, Status::Closed | Status::Waived | Status::Released) => {
                    still.push(arrow.upstream);
                }
                (None, Status::Untouched) => {}
            }
        }

        let outcome = self
            .input
            .outcomes
            .get(&parameter)
            .copied()
            .unwrap_or_default();
        for arrow in self
            .input
            .again
            .iter()
            .filter(|a| a.downstream == parameter)
        {
            let up = self.state.get(&arrow.upstream).and_then(|v| v.changed_at);
            let found_before = |at: u64| outcome.closed_at.is_some_and(|c| c < at);
            moved.extend(
                up.filter(|at| found_before(*at))
                    .map(|at| (arrow.upstream, arrow.strength, at)),
            );
        }
        // What was found before something under it moved, or before a part was replaced, says nothing.
        let since = moved
            .iter()
            .map(|(_, _, at)| *at)
            .chain(parts.iter().map(|(_, _, at)| *at))
            .max()
            .unwrap_or(0);
        let closed = outcome.closed_at.is_some_and(|at| at > since);
        let waived = outcome.waived_at.is_some_and(|at| at > since);
        let now = direct
            .into_iter()
            .chain(moved.iter().map(|(_, s, _)| *s))
            .max();
        let at_most = now.into_iter().chain(pending.iter().map(|(_, s)| *s)).max();

        let status = if closed {
            Status::Closed
        } else if waived {
            Status::Waived
        } else if now.is_some() {
            Status::Due
        } else if !pending.is_empty() {
            Status::Conditional
        } else if !still.is_empty() {
            Status::Released
        } else {
            Status::Untouched
        };
        let strength = match status {
            Status::Due | Status::Closed | Status::Waived => now,
            Status::Conditional => at_most,
            Status::Released | Status::Untouched => None,
        };
        let waits_for = Parameter::ALL
            .iter()
            .copied()
            .filter(|u| self.is_open_upstream(*u, parameter))
            .collect();
        let effort = match (status, at_most) {
            (Status::Due | Status::Conditional, Some(s)) => effort_of(parameter, s),
            _ => Effort::default(),
        };
        let reason = reasons::sentence(&reasons::Facts {
            parameter,
            status,
            strength,
            parts: parts.iter().map(|(r, _, _)| *r).collect(),
            stale: stale.map(|s| s.clause.as_str()),
            asked: asked.map(|a| a.why),
            unproven: unproven.iter().copied().collect(),
            moved: moved.iter().map(|(p, _, _)| *p).collect(),
            pending: pending.iter().map(|(p, _)| *p).collect(),
            still,
            changed: outcome.changed_at.is_some(),
        });
        self.state.insert(
            parameter,
            Visited {
                status,
                changed_at: outcome.changed_at,
                unproven: unproven.clone(),
            },
        );
        PlanLine {
            parameter,
            status,
            strength,
            reason,
            waits_for,
            effort,
            unproven: unproven.into_iter().collect(),
        }
    }

    /// Replaced parts that shake a parameter, how strongly, and since when.
    fn shaken_by(&self, parameter: Parameter) -> Vec<(Replacement, Strength, u64)> {
        let also = |r: Replacement| {
            let mut cells = self.input.also.iter();
            cells
                .find(|(a, p, _)| *a == r && *p == parameter)
                .map(|(_, _, s)| *s)
        };
        self.input
            .replaced
            .iter()
            .filter_map(|(r, at)| {
                let cell = self.tables.cell(*r, parameter).max(also(*r));
                cell.map(|s| (*r, s, *at))
            })
            .collect()
    }

    /// Whether `upstream` is still open and `parameter` rests on it.
    fn is_open_upstream(&self, upstream: Parameter, parameter: Parameter) -> bool {
        ARROWS
            .iter()
            .any(|a| a.downstream == parameter && a.upstream == upstream)
            && self
                .state
                .get(&upstream)
                .is_some_and(|v| matches!(v.status, Status::Due | Status::Conditional))
    }
}
