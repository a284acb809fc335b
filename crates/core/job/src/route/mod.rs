//! The route of a job: its stops in order, where each stands, and what to do now.
//!
//! [`traveller`] folds what happened to a job into its route card; nothing of it is stored.

mod card;
mod changed;
mod effort;
mod event;
mod history;
mod left;
mod order;
mod refused;
mod stop;
mod timers;
mod told;
mod words;

pub use card::{LineState, Traveller, TravellerLine};
pub use changed::still_changed;
pub use event::{Begins, Deed, Ending, Event, JobFacts};
pub use left::{LeftOpen, left_in_doubt};
pub use order::in_order;
pub(crate) use order::is_stripped;
pub use refused::DeedRefused;
pub use stop::{Stop, UnknownStop};
pub use timers::{MOST_TIMER_MIN, Timer, running};
pub use told::{EndedHow, FalseFix, parts_now};

use std::collections::BTreeMap;

use wattotherm_measure::Verdict;
use wattotherm_printer::{Parameter, Part};

use crate::chain::{
    Arrow, Asked, ChainTables, Effort, Outcome, Plan, PlanInput, PlanLine, Status, Strength,
    effort_of, plan,
};
use crate::house::House;
use history::{History, fold};
use told::Told;
use words::{reason_of, title_of};

/// Works out the traveller of a job from its facts and its history.
///
/// Preparation stops follow one another; parameters wait for what they rest on; acceptance waits for all of them
/// and hand over for acceptance. A closing counts only where nothing that it proved was replaced after it.
/// Source: order of work as common practice.
#[must_use]
pub fn traveller(house: &House, facts: &JobFacts, events: &[Event]) -> Traveller {
    let told = Told::of(facts, events, order::tube_under_nozzle(house, facts));
    let tables = house.chain_tables();
    let deeds = events.iter().filter_map(|e| match e {
        Event::Did { deed, .. } => Some(((), deed)),
        _ => None,
    });
    let writer = Writer {
        timers: running(deeds).into_iter().map(|(_, t)| t.what).collect(),
        house,
        facts,
        history: fold(events, facts, house.pen),
        new_sensor: shakes(&tables, &told, Parameter::SensorType),
        tables,
        told,
    };
    writer.write()
}

fn shakes(tables: &ChainTables, told: &Told, parameter: Parameter) -> bool {
    let mut parts = told.parts.keys();
    parts.any(|r| tables.cell(*r, parameter).is_some())
}

struct Writer<'a> {
    /// Timers that run, by what waits.
    timers: Vec<String>,
    house: &'a House,
    facts: &'a JobFacts,
    history: BTreeMap<Stop, History>,
    tables: ChainTables,
    told: Told,
    /// Whether the sensor, or what it is read by, was replaced.
    new_sensor: bool,
}

impl Writer<'_> {
    fn write(self) -> Traveller {
        let plans = self.plans();
        let mut lines: Vec<TravellerLine> = Vec::new();
        let mut untouched = Vec::new();
        // Machine parameters come out alike in every filament's plan: nothing they rest on belongs to
        // a filament. So the first plan speaks for them.
        let machine = |p: Parameter| plans[0].1.line(p);
        let mut prepared: Vec<String> = Vec::new();
        for stop in order::preparation(self.house, &self.tables, self.facts, &self.told) {
            let lines_before = lines.len();
            // A value that no part shakes is one like the others: nothing waits for it in line. Of a strange machine
            // nobody knows what was shaken.
            let strict = match stop {
                Stop::Parameter(p, _) => {
                    if let Some(l) = machine(p) {
                        self.push_parameter(&mut lines, &mut untouched, l, None, &prepared);
                    }
                    shakes(&self.tables, &self.told, p) || self.facts.begins == Begins::Inspection
                }
                stop => {
                    lines.push(self.plain(stop, &prepared));
                    true
                }
            };
            if strict {
                prepared.extend(open_keys(&lines[lines_before..]));
            }
        }
        for p in order::machine_values(self.house) {
            if p == Parameter::Tram && self.wants_a_gantry() {
                lines.push(self.plain(Stop::Gantry, &prepared));
            }
            if let Some(l) = machine(p) {
                self.push_parameter(&mut lines, &mut untouched, l, None, &prepared);
            }
            if p == Parameter::HeaterLoop && self.wants_a_bed_loop() {
                lines.push(self.plain(Stop::BedLoop, &prepared));
            }
            if p == Parameter::Tram && self.wants_a_mesh() {
                let tram = lines.iter().filter(|l| l.key == p.id() && l.is_open());
                let mut waits_for = prepared.clone();
                waits_for.extend(tram.map(|l| l.key.clone()));
                lines.push(self.plain(Stop::Mesh, &waits_for));
            }
        }
        if order::wants_first_print(self.house, &self.tables, self.facts, &self.told) {
            let open = open_keys(&lines);
            lines.push(self.plain(Stop::FirstPrint, &open));
        }
        for (id, plan) in &plans {
            for l in plan.lines.iter().filter(|l| l.parameter.per_filament()) {
                self.push_parameter(&mut lines, &mut untouched, l, *id, &prepared);
            }
        }
        if self.facts.handed_over {
            // What this build or these house rules would ask for today was no part of a job that is over.
            lines.retain(|l| !l.is_open() || self.was_touched(&l.key));
        }
        self.push_ending(&mut lines);
        untouched.sort_unstable();
        untouched.dedup();
        let (at_least, at_most) = efforts(&lines);
        let now = lines
            .iter()
            .find(|l| l.is_open() && l.state != LineState::Conditional && l.waits_for.is_empty())
            .filter(|_| self.told.ended.is_none())
            .map(|l| l.key.clone());
        let untouched: Vec<&str> = untouched.into_iter().map(Parameter::label).collect();
        Traveller {
            untouched: (!untouched.is_empty()).then(|| untouched.join(", ")),
            at_least,
            at_most,
            now,
            false_fixes: self.told.false_fixes,
            returned_after_min: self.told.returned_after_min,
            timers: self.timers,
            paused: self.told.paused,
            ended: self.told.ended,
            lines,
        }
    }

    /// A printer that probes its plate does it again where plate, probe or their owner are new.
    fn wants_a_mesh(&self) -> bool {
        let mut parts = self.told.parts.keys();
        let new = parts.any(|r| r.wants_a_mesh());
        self.facts.probe && (new || self.facts.begins == Begins::Inspection)
    }

    /// A new board holds the bed by its own gains; of a strange machine nobody knows by which.
    fn wants_a_bed_loop(&self) -> bool {
        let mut parts = self.told.parts.keys();
        parts.any(|r| r.part() == Part::ControlBoard) || self.facts.begins == Begins::Inspection
    }

    /// A crossing on several motors is made level before the bed's screws are asked for.
    fn wants_a_gantry(&self) -> bool {
        let mut parts = self.told.parts.keys();
        let moved = parts.any(|r| r.moves_the_gantry());
        self.facts.gantry && (moved || self.facts.begins.asks_for(Parameter::Tram).is_some())
    }

    fn was_touched(&self, key: &str) -> bool {
        key.parse()
            .is_ok_and(|stop: Stop| self.history.contains_key(&stop))
    }

    fn plans(&self) -> Vec<(Option<i64>, Plan)> {
        if self.facts.filaments.is_empty() {
            return vec![(None, self.plan_for(None))];
        }
        let filaments = self.facts.filaments.iter();
        filaments
            .map(|(id, _)| (Some(*id), self.plan_for(Some(*id))))
            .collect()
    }

    fn plan_for(&self, filament: Option<i64>) -> Plan {
        let mut input = PlanInput {
            replaced: self.told.parts.clone(),
            ..PlanInput::default()
        };
        if order::levels_first(self.house) {
            input.again.push(Arrow {
                upstream: Parameter::HeaterLoop,
                downstream: Parameter::OffsetZ,
                strength: Strength::Verify,
            });
        }
        if self.facts.nozzles < 2 {
            input.absent.insert(Parameter::OffsetXy);
        }
        // A tube that is seated under a nozzle backed off leaves the nozzle somewhere else.
        for r in self.told.parts.keys() {
            let of_tube = !matches!(r.part(), Part::Nozzle);
            if of_tube && order::opens_the_joint(self.house, self.facts, *r) {
                input.also.push((*r, Parameter::OffsetZ, Strength::Redo));
            }
        }
        for &p in Parameter::ALL {
            let of = if p.per_filament() { filament } else { None };
            // A check-up without a filament has no values of a filament to look after.
            let asked = || {
                let asked = self.told.asked.contains_key(&p);
                asked.then_some((Strength::Verify, "what was wrong may have moved it"))
            };
            if let Some((strength, why)) = self.facts.begins.asks_for(p).or_else(asked)
                && (of.is_some() || !p.per_filament())
            {
                input.asked.insert(p, Asked { strength, why });
            }
            if let Some(h) = self.history.get(&Stop::Parameter(p, of)) {
                input.outcomes.insert(
                    p,
                    Outcome {
                        // What was closed before somebody asked for it anew counts no more.
                        closed_at: h
                            .closed_at
                            .filter(|at| self.told.asked.get(&p).is_none_or(|asked| at > asked)),
                        changed_at: h.changed_at,
                        waived_at: h.waived(0).and(h.waived.as_ref()).map(|(at, _)| *at),
                    },
                );
            }
            if let Some(s) = self.facts.stale.get(&(p, of)) {
                input.stale.insert(p, s.clone());
            }
        }
        plan(&self.tables, &input)
    }

    /// The line of a stop that isn't a parameter.
    fn plain(&self, stop: Stop, waits_for: &[String]) -> TravellerLine {
        let nothing = History::default();
        let h = self.history.get(&stop).unwrap_or(&nothing);
        let since = self.told.since(stop);
        let last = h.last.as_ref().filter(|l| l.at > since);
        let waived = h.waived(since);
        let state = if h.closed(since) {
            LineState::Closed
        } else if waived.is_some() {
            LineState::Waived
        } else if last.is_some_and(|l| l.verdict == Verdict::Stop) {
            LineState::Stopped
        } else {
            LineState::Open
        };
        let line = match (waived, last) {
            (Some(reason), _) => format!("left out: {reason}"),
            (None, Some(l)) => l.line.clone(),
            (None, None) => String::new(),
        };
        TravellerLine {
            key: stop.to_string(),
            title: title_of(stop, self.facts),
            state,
            strength: None,
            reason: reason_of(stop),
            line,
            waits_for: match state {
                LineState::Closed | LineState::Waived => Vec::new(),
                _ => waits_for.to_vec(),
            },
            effort: effort::effort_of_stop(stop),
            cause: last.and_then(|l| l.cause.clone()),
            verdict: last.map(|l| l.verdict),
            adjusts: h.adjusts,
            unproven: Vec::new(),
            waived: waived.map(str::to_owned),
            can_waive: stop.can_waive(self.new_sensor),
        }
    }

    fn push_parameter(
        &self,
        lines: &mut Vec<TravellerLine>,
        untouched: &mut Vec<Parameter>,
        l: &PlanLine,
        filament: Option<i64>,
        prepared: &[String],
    ) {
        if l.status == Status::Untouched {
            untouched.push(l.parameter);
            return;
        }
        let of = |p: Parameter| Stop::Parameter(p, if p.per_filament() { filament } else { None });
        let stop = of(l.parameter);
        let nothing = History::default();
        let h = self.history.get(&stop).unwrap_or(&nothing);
        let stopped = h.last.as_ref().is_some_and(|l| l.verdict == Verdict::Stop);
        let state = match l.status {
            Status::Due if stopped => LineState::Stopped,
            Status::Due => LineState::Open,
            Status::Conditional => LineState::Conditional,
            Status::Closed => LineState::Closed,
            Status::Waived => LineState::Waived,
            Status::Released | Status::Untouched => LineState::Released,
        };
        let short = l
            .reason
            .split_once(": ")
            .map_or(l.reason.as_str(), |(_, r)| r)
            .trim_end_matches('.');
        let line = match (&h.last, state, &h.waived) {
            (_, LineState::Waived, Some((_, reason))) => format!("left out: {reason}"),
            (Some(l), LineState::Closed | LineState::Stopped | LineState::Open, _) => {
                l.line.clone()
            }
            _ => short.to_owned(),
        };
        let mut waits_for = prepared.to_vec();
        waits_for.extend(l.waits_for.iter().map(|p| of(*p).to_string()));
        if matches!(
            state,
            LineState::Closed | LineState::Released | LineState::Waived
        ) {
            waits_for.clear();
        }
        lines.push(TravellerLine {
            key: stop.to_string(),
            title: title_of(stop, self.facts),
            state,
            strength: l.strength,
            reason: l.reason.clone(),
            line,
            waits_for,
            effort: l.effort,
            verdict: h.last.as_ref().map(|l| l.verdict),
            cause: h.last.as_ref().and_then(|l| l.cause.clone()),
            adjusts: h.adjusts,
            unproven: l
                .unproven
                .iter()
                .map(|p| title_of(of(*p), self.facts))
                .collect(),
            waived: h
                .waived
                .as_ref()
                .filter(|_| state == LineState::Waived)
                .map(|(_, why)| why.clone()),
            can_waive: stop.can_waive(self.new_sensor),
        });
    }

    /// Acceptance, settings compared, hand over: each after all before it.
    fn push_ending(&self, lines: &mut Vec<TravellerLine>) {
        let open = open_keys(lines);
        let mut acceptance = self.plain(Stop::Acceptance, &open);
        let left_out = lines.iter().filter(|l| l.state == LineState::Waived);
        acceptance.unproven = left_out.map(|l| l.title.clone()).collect();
        // A station reopened after acceptance makes the acceptance print say nothing about it.
        if acceptance.state == LineState::Closed && !open.is_empty() {
            acceptance.state = LineState::Open;
            acceptance.waits_for = open;
            acceptance.reason = "Acceptance: again, since a station was opened after it.".into();
            acceptance.line = "again, a station was opened after it".into();
        }
        let settled = |l: &TravellerLine| matches!(l.state, LineState::Closed | LineState::Waived);
        let accepted = settled(&acceptance);
        lines.push(acceptance);
        let mut compare = self.plain(Stop::Compare, &[]);
        if !accepted {
            if settled(&compare) {
                compare.state = LineState::Open;
            }
            compare.waits_for = vec![Stop::Acceptance.to_string()];
        }
        let compared = settled(&compare);
        lines.push(compare);
        let mut hand_over = self.plain(Stop::HandOver, &[]);
        if !compared {
            if settled(&hand_over) {
                hand_over.state = LineState::Open;
            }
            let first = if accepted {
                Stop::Compare
            } else {
                Stop::Acceptance
            };
            hand_over.waits_for = vec![first.to_string()];
        }
        lines.push(hand_over);
    }
}

fn open_keys(lines: &[TravellerLine]) -> Vec<String> {
    let open = lines.iter().filter(|l| l.is_open());
    open.map(|l| l.key.clone()).collect()
}

/// What is left to do whatever the results, and if every value on the way moves.
fn efforts(lines: &[TravellerLine]) -> (Effort, Effort) {
    let (mut at_least, mut at_most) = (Effort::default(), Effort::default());
    for l in lines.iter().filter(|l| l.is_open()) {
        at_most = at_most + l.effort;
        let due = l.state != LineState::Conditional;
        match (l.key.parse(), l.strength) {
            (Ok(Stop::Parameter(p, _)), Some(s)) if due => at_least = at_least + effort_of(p, s),
            (Ok(Stop::Parameter(..)), _) => {}
            _ => at_least = at_least + l.effort,
        }
    }
    (at_least, at_most)
}
