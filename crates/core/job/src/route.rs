//! The traveller of a job: all its stations in order, where each stands, and what to do now.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::{Pen, Verdict};
use wattotherm_printer::{Parameter, Replacement};

use crate::chain::{
    ChainTables, Effort, Outcome, Plan, PlanInput, StaleCause, Status, Strength, plan,
};
use crate::finding::Finding;
use crate::house::{House, RuleId};
use crate::stations::{
    Acceptance, AnyStation, Check, Compare, Heater, HotTighten, Snapshot, station_for,
};

/// What a station of a job is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stop {
    /// Settings kept, photographs.
    Intake,
    /// Stored settings, kept.
    Snapshot,
    /// Test print with the old settings.
    Baseline,
    /// Strip and fit one part.
    Fit(Replacement),
    /// Look before heating.
    PowerUp,
    /// A new heater, measured before it gets power.
    Heater,
    /// Nozzle tightened hot.
    HotTighten,
    /// A parameter; with a filament's id where it belongs to one.
    Parameter(Parameter, Option<i64>),
    /// First print before tuning.
    FirstPrint,
    /// Cube and clean run.
    Acceptance,
    /// Stored settings at the end against the beginning.
    Compare,
    /// Store, report.
    HandOver,
}

impl fmt::Display for Stop {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Intake => f.write_str("intake"),
            Self::Snapshot => f.write_str("snapshot"),
            Self::Baseline => f.write_str("baseline"),
            Self::Fit(r) => write!(f, "fit.{}", r.id()),
            Self::PowerUp => f.write_str("power_up"),
            Self::Heater => f.write_str("heater"),
            Self::HotTighten => f.write_str("hot_tighten"),
            Self::Parameter(p, None) => f.write_str(p.id()),
            Self::Parameter(p, Some(id)) => write!(f, "{}.{id}", p.id()),
            Self::FirstPrint => f.write_str("first_print"),
            Self::Acceptance => f.write_str("acceptance"),
            Self::Compare => f.write_str("compare"),
            Self::HandOver => f.write_str("hand_over"),
        }
    }
}

/// A text that names no station.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("there is no station “{0}”")]
pub struct UnknownStop(pub String);

impl FromStr for Stop {
    type Err = UnknownStop;
    fn from_str(text: &str) -> Result<Self, UnknownStop> {
        let unknown = || UnknownStop(text.chars().take(40).collect());
        match text {
            "intake" => return Ok(Self::Intake),
            "snapshot" => return Ok(Self::Snapshot),
            "baseline" => return Ok(Self::Baseline),
            "power_up" => return Ok(Self::PowerUp),
            "heater" => return Ok(Self::Heater),
            "hot_tighten" => return Ok(Self::HotTighten),
            "first_print" => return Ok(Self::FirstPrint),
            "acceptance" => return Ok(Self::Acceptance),
            "compare" => return Ok(Self::Compare),
            "hand_over" => return Ok(Self::HandOver),
            _ => {}
        }
        if let Some(rest) = text.strip_prefix("fit.") {
            return Replacement::from_id(rest)
                .map(Self::Fit)
                .ok_or_else(unknown);
        }
        match text.split_once('.') {
            None => Parameter::from_id(text)
                .map(|p| Self::Parameter(p, None))
                .ok_or_else(unknown),
            Some((p, id)) => Parameter::from_id(p)
                .zip(id.parse().ok())
                .map(|(p, id)| Self::Parameter(p, Some(id)))
                .ok_or_else(unknown),
        }
    }
}

impl Stop {
    /// The station that is worked through there.
    #[must_use]
    pub fn station(self) -> &'static dyn AnyStation {
        match self {
            Self::Snapshot => &Snapshot,
            Self::Compare => &Compare,
            Self::Heater => &Heater,
            Self::HotTighten => &HotTighten,
            Self::Parameter(p, _) => station_for(p),
            Self::Acceptance => &Acceptance,
            Self::Intake
            | Self::Baseline
            | Self::Fit(_)
            | Self::PowerUp
            | Self::FirstPrint
            | Self::HandOver => &Check,
        }
    }
}

/// One entry of a job's history, oldest first.
#[derive(Clone, Debug, PartialEq)]
pub enum Event {
    /// A station was closed with a finding.
    Closed {
        /// Sequence number.
        seq: u64,
        /// Which station.
        stop: Stop,
        /// What it found.
        finding: Box<Finding>,
    },
    /// A closed station was opened again.
    Reopened {
        /// Sequence number.
        seq: u64,
        /// Which station.
        stop: Stop,
    },
}

/// A job as far as its traveller cares.
#[derive(Clone, Debug, Default)]
pub struct JobFacts {
    /// What was replaced.
    pub replaced: BTreeSet<Replacement>,
    /// Filaments the job works through: id and name.
    pub filaments: Vec<(i64, String)>,
    /// Values in doubt from earlier jobs, by parameter and filament.
    pub stale: BTreeMap<(Parameter, i64), StaleCause>,
    /// Values in force when the job began, by station.
    pub initial: BTreeMap<Stop, f64>,
    /// The same for texts.
    pub initial_text: BTreeMap<Stop, String>,
    /// How many nozzles the printer has.
    pub nozzles: u8,
}

/// Where a line of the traveller stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LineState {
    /// To be done.
    Open,
    /// Due only if something moves.
    Conditional,
    /// Done.
    Closed,
    /// Not needed after all.
    Released,
    /// Stopped by a fault; still to be done.
    Stopped,
}

/// One line of the traveller.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TravellerLine {
    /// Key of the station, e.g. `flow.3`.
    pub key: String,
    /// Name, e.g. "Flow, PETG green".
    pub title: String,
    /// Where it stands.
    pub state: LineState,
    /// Redo or verify, for parameters.
    pub strength: Option<Strength>,
    /// Why it is here, one sentence.
    pub reason: String,
    /// Result or short reason, one line.
    pub line: String,
    /// Keys of stations that come first; empty means it can be worked on now.
    pub waits_for: Vec<String>,
    /// What it takes at most.
    pub effort: Effort,
    /// The fault that stopped it last, as part of a sentence.
    pub cause: Option<String>,
    /// Verdict of the last closing.
    pub verdict: Option<Verdict>,
    /// Adjusts since it last passed.
    pub adjusts: u32,
}

/// The route card of a job.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Traveller {
    /// Stations in order.
    pub lines: Vec<TravellerLine>,
    /// Parameters that nothing touched, as one sentence; none if all are on the card.
    pub untouched: Option<String>,
    /// Open work whatever the results.
    pub at_least: Effort,
    /// Open work if every value on the way moves.
    pub at_most: Effort,
    /// Key of the station to work on now; none when the job is done.
    pub now: Option<String>,
}

/// How a stop was closed last.
#[derive(Clone, Debug)]
struct Last {
    verdict: Verdict,
    line: String,
    cause: Option<String>,
}

#[derive(Clone, Debug, Default)]
struct History {
    closed_at: Option<u64>,
    changed_at: Option<u64>,
    adjusts: u32,
    last: Option<Last>,
    number: Option<f64>,
    text: Option<String>,
}

fn fold(events: &[Event], facts: &JobFacts, pen: Pen) -> BTreeMap<Stop, History> {
    let mut all: BTreeMap<Stop, History> = BTreeMap::new();
    for event in events {
        match event {
            Event::Reopened { stop, .. } => {
                let h = all.entry(*stop).or_default();
                h.closed_at = None;
                h.adjusts = 0;
            }
            Event::Closed { seq, stop, finding } => {
                let h = all.entry(*stop).or_insert_with(|| History {
                    number: facts.initial.get(stop).copied(),
                    text: facts.initial_text.get(stop).cloned(),
                    ..History::default()
                });
                // What is kept is said in metric units.
                let said = (pen != Pen::METRIC).then(|| finding.clone().in_units(pen).words);
                let words = said.as_ref().unwrap_or(&finding.words);
                h.last = Some(Last {
                    verdict: finding.facts.verdict,
                    line: words.line.clone(),
                    cause: words.cause.clone(),
                });
                if moved(h, finding) {
                    h.changed_at = Some(*seq);
                }
                h.number = finding.facts.kept().or(h.number);
                if let Some(t) = finding.facts.kept_text() {
                    h.text = Some(t.to_owned());
                }
                match finding.facts.verdict {
                    Verdict::Pass => {
                        h.closed_at = Some(*seq);
                        h.adjusts = 0;
                    }
                    Verdict::Adjust => {
                        h.closed_at = None;
                        h.adjusts += 1;
                    }
                    Verdict::MeasureAgain | Verdict::Stop => h.closed_at = None,
                }
            }
        }
    }
    all
}

/// Whether this finding leaves another value than was in force, by more than its uncertainty.
fn moved(h: &History, finding: &Finding) -> bool {
    let u = finding.facts.value_expanded.unwrap_or(0.0);
    let number = match (h.number.or(finding.facts.before), finding.facts.kept()) {
        (Some(was), Some(is)) => (is - was).abs() > u,
        // A value where there was none rests on nothing older.
        (None, Some(_)) => true,
        (_, None) => false,
    };
    let text = match (
        h.text.as_deref().or(finding.facts.before_text.as_deref()),
        finding.facts.kept_text(),
    ) {
        (Some(was), Some(is)) => was != is,
        (None, Some(_)) => true,
        (_, None) => false,
    };
    number || text
}

/// Minutes and metres of the stations that aren't parameters. Our own estimate of common practice.
const fn effort_of_stop(stop: Stop) -> Effort {
    match stop {
        Stop::Intake => Effort::new(8.0, 0.0, 0.0),
        Stop::Baseline | Stop::FirstPrint => Effort::new(4.0, 35.0, 5.0),
        Stop::Fit(_) => Effort::new(20.0, 10.0, 0.2),
        Stop::Snapshot | Stop::Compare => Effort::new(2.0, 1.0, 0.0),
        Stop::Heater => Effort::new(3.0, 0.0, 0.0),
        Stop::HotTighten => Effort::new(6.0, 6.0, 0.1),
        Stop::PowerUp => Effort::new(6.0, 4.0, 0.0),
        Stop::Acceptance => Effort::new(10.0, 60.0, 8.0),
        Stop::HandOver => Effort::new(8.0, 0.0, 0.0),
        Stop::Parameter(..) => Effort::new(0.0, 0.0, 0.0),
    }
}

fn reason_of(stop: Stop) -> String {
    match stop {
        Stop::Intake => "Keep pictures and the story before anything is touched.".into(),
        Stop::Snapshot => {
            "The only copy if the board is reset, and what the end is compared with.".into()
        }
        Stop::Heater => {
            "A heater made for another voltage is a fire: measure before it gets power.".into()
        }
        Stop::HotTighten => {
            "The joint was opened; what is tight cold opens when the block expands.".into()
        }
        Stop::Compare => {
            "New values that were never stored are gone at the next power cycle.".into()
        }
        Stop::Baseline => "Something to compare with after the repair.".into(),
        Stop::Fit(r) => {
            let clause = r.was_replaced();
            format!("{}{}.", clause[..1].to_uppercase(), &clause[1..])
        }
        Stop::PowerUp => "Wires were joined or unplugged.".into(),
        Stop::FirstPrint => {
            "The old settings once more, so that the part alone explains the difference.".into()
        }
        Stop::Acceptance => "It rests on all of them and is always the last.".into(),
        Stop::HandOver => "Whole, looked over, reported.".into(),
        Stop::Parameter(p, _) => format!("{}.", p.label()),
    }
}

fn title_of(stop: Stop, facts: &JobFacts) -> String {
    match stop {
        Stop::Intake => "Intake".into(),
        Stop::Snapshot => "Settings snapshot".into(),
        Stop::Heater => "Heater".into(),
        Stop::HotTighten => "Hot tighten".into(),
        Stop::Compare => "Settings compared".into(),
        Stop::Baseline => "Baseline print".into(),
        Stop::Fit(r) => format!("Strip and fit: {}", r.part().label()),
        Stop::PowerUp => "Power-up checks".into(),
        Stop::FirstPrint => "First print".into(),
        Stop::Acceptance => "Acceptance".into(),
        Stop::HandOver => "Hand over".into(),
        Stop::Parameter(p, filament) => {
            let several = facts.filaments.len() > 1;
            let name = filament.and_then(|id| facts.filaments.iter().find(|(f, _)| *f == id));
            match name {
                Some((_, n)) if several => format!("{}, {n}", p.label()),
                _ => p.label().to_owned(),
            }
        }
    }
}

/// Works out the traveller of a job from its facts and its history.
///
/// Preparation stations follow one another; parameters wait for what they rest on; acceptance
/// waits for all of them and hand over for acceptance. Source: order of work as common practice.
#[must_use]
pub fn traveller(house: &House, facts: &JobFacts, events: &[Event]) -> Traveller {
    let history = fold(events, facts, house.pen);
    let tables = house.chain_tables();
    let mut lines = Vec::new();

    let mut prep = vec![Stop::Intake, Stop::Snapshot, Stop::Baseline];
    prep.extend(facts.replaced.iter().map(|r| Stop::Fit(*r)));
    if facts.replaced.iter().any(|r| r.electrical()) {
        prep.push(Stop::PowerUp);
    }
    if facts.replaced.iter().any(|r| r.brings_a_heater()) {
        prep.push(Stop::Heater);
    }
    if facts.replaced.iter().any(|r| r.opens_the_joint()) {
        prep.push(Stop::HotTighten);
    }
    let mut before: Vec<Stop> = Vec::new();
    for stop in prep {
        lines.push(plain_line(stop, facts, &history, &before));
        before.push(stop);
    }
    let prepared: Vec<String> = open_keys(&before, &history);

    let plans: Vec<(Option<i64>, Plan)> = if facts.filaments.is_empty() {
        vec![(None, plan_for(&tables, facts, &history, None))]
    } else {
        facts
            .filaments
            .iter()
            .map(|(id, _)| (Some(*id), plan_for(&tables, facts, &history, Some(*id))))
            .collect()
    };
    let mut untouched = Vec::new();
    // Machine parameters come out alike in every filament's plan: nothing they rest on belongs to
    // a filament. So the first plan speaks for them.
    let first = &plans[0].1;
    for l in first.lines.iter().filter(|l| !l.parameter.per_filament()) {
        push_parameter(
            &mut lines,
            &mut untouched,
            l,
            None,
            facts,
            &history,
            &prepared,
        );
    }
    let machine_open: Vec<String> = lines
        .iter()
        .filter(|l| is_open(l))
        .map(|l| l.key.clone())
        .collect();
    if house.option(RuleId::FirstPrint).id == "old_settings" {
        let mut line = plain_line(Stop::FirstPrint, facts, &history, &[]);
        if line.state != LineState::Closed {
            line.waits_for = machine_open;
        }
        lines.push(line);
    }
    for (id, plan) in &plans {
        for l in plan.lines.iter().filter(|l| l.parameter.per_filament()) {
            push_parameter(
                &mut lines,
                &mut untouched,
                l,
                *id,
                facts,
                &history,
                &prepared,
            );
        }
    }
    let open: Vec<String> = lines
        .iter()
        .filter(|l| is_open(l))
        .map(|l| l.key.clone())
        .collect();
    let mut acceptance = plain_line(Stop::Acceptance, facts, &history, &[]);
    if acceptance.state != LineState::Closed {
        acceptance.waits_for.clone_from(&open);
    }
    // A station reopened after acceptance makes the acceptance print say nothing about it.
    if acceptance.state == LineState::Closed && !open.is_empty() {
        acceptance.state = LineState::Open;
        acceptance.waits_for = open;
        acceptance.reason = "Acceptance: again, since a station was opened after it.".into();
        acceptance.line = "again, a station was opened after it".into();
    }
    let accepted = acceptance.state == LineState::Closed;
    lines.push(acceptance);
    let mut compare = plain_line(Stop::Compare, facts, &history, &[]);
    if !accepted {
        if compare.state == LineState::Closed {
            compare.state = LineState::Open;
        }
        compare.waits_for = vec!["acceptance".into()];
    }
    let compared = compare.state == LineState::Closed;
    lines.push(compare);
    let mut hand_over = plain_line(Stop::HandOver, facts, &history, &[]);
    if !compared {
        if hand_over.state == LineState::Closed {
            hand_over.state = LineState::Open;
        }
        hand_over.waits_for = vec![if accepted { "compare" } else { "acceptance" }.into()];
    }
    lines.push(hand_over);

    let undone = |l: &&TravellerLine| matches!(l.state, LineState::Open | LineState::Stopped);
    let prep_effort: Effort = lines
        .iter()
        .filter(undone)
        .filter(|l| !matches!(l.key.parse(), Ok(Stop::Parameter(..))))
        .map(|l| l.effort)
        .sum();
    let (mut at_least, mut at_most) = (prep_effort, prep_effort);
    for l in &lines {
        if let Ok(Stop::Parameter(p, _)) = l.key.parse() {
            match (l.state, l.strength) {
                (LineState::Open | LineState::Stopped, Some(s)) => {
                    at_least = at_least + crate::chain::effort_of(p, s);
                    at_most = at_most + l.effort;
                }
                (LineState::Conditional, _) => at_most = at_most + l.effort,
                _ => {}
            }
        }
    }
    let now = lines
        .iter()
        .find(|l| is_open(l) && l.state != LineState::Conditional && l.waits_for.is_empty())
        .map(|l| l.key.clone());
    untouched.dedup();
    let untouched = (!untouched.is_empty()).then(|| {
        let lower: Vec<String> = untouched
            .iter()
            .map(|p: &Parameter| p.label().to_owned())
            .collect();
        lower.join(", ")
    });
    Traveller {
        lines,
        untouched,
        at_least,
        at_most,
        now,
    }
}

fn is_open(l: &TravellerLine) -> bool {
    matches!(
        l.state,
        LineState::Open | LineState::Stopped | LineState::Conditional
    )
}

fn plan_for(
    tables: &ChainTables,
    facts: &JobFacts,
    history: &BTreeMap<Stop, History>,
    filament: Option<i64>,
) -> Plan {
    let mut input = PlanInput {
        replaced: facts.replaced.clone(),
        ..PlanInput::default()
    };
    if facts.nozzles < 2 {
        input.absent.insert(Parameter::OffsetXy);
    }
    for &p in Parameter::ALL {
        let key = Stop::Parameter(p, if p.per_filament() { filament } else { None });
        if let Some(h) = history.get(&key) {
            input.outcomes.insert(
                p,
                Outcome {
                    closed_at: h.closed_at,
                    changed_at: h.changed_at,
                },
            );
        }
        if let Some(s) = filament.and_then(|f| facts.stale.get(&(p, f))) {
            input.stale.insert(p, s.clone());
        }
    }
    plan(tables, &input)
}

fn open_keys(stops: &[Stop], history: &BTreeMap<Stop, History>) -> Vec<String> {
    stops
        .iter()
        .filter(|s| history.get(s).is_none_or(|h| h.closed_at.is_none()))
        .map(ToString::to_string)
        .collect()
}

fn plain_line(
    stop: Stop,
    facts: &JobFacts,
    history: &BTreeMap<Stop, History>,
    before: &[Stop],
) -> TravellerLine {
    let h = history.get(&stop).cloned().unwrap_or_default();
    let closed = h.closed_at.is_some();
    let state = match (&h.last, closed) {
        (_, true) => LineState::Closed,
        (Some(l), false) if l.verdict == Verdict::Stop => LineState::Stopped,
        _ => LineState::Open,
    };
    let title = title_of(stop, facts);
    TravellerLine {
        key: stop.to_string(),
        reason: reason_of(stop),
        line: h.last.as_ref().map_or(String::new(), |l| l.line.clone()),
        title,
        state,
        strength: None,
        waits_for: if closed {
            Vec::new()
        } else {
            open_keys(before, history)
        },
        effort: effort_of_stop(stop),
        verdict: h.last.as_ref().map(|l| l.verdict),
        cause: h.last.and_then(|l| l.cause),
        adjusts: h.adjusts,
    }
}

fn push_parameter(
    lines: &mut Vec<TravellerLine>,
    untouched: &mut Vec<Parameter>,
    l: &crate::chain::PlanLine,
    filament: Option<i64>,
    facts: &JobFacts,
    history: &BTreeMap<Stop, History>,
    prepared: &[String],
) {
    if l.status == Status::Untouched {
        untouched.push(l.parameter);
        return;
    }
    let stop = Stop::Parameter(l.parameter, filament);
    let h = history.get(&stop).cloned().unwrap_or_default();
    let stopped = h.last.as_ref().is_some_and(|l| l.verdict == Verdict::Stop);
    let state = match l.status {
        Status::Due if stopped => LineState::Stopped,
        Status::Due => LineState::Open,
        Status::Conditional => LineState::Conditional,
        Status::Closed => LineState::Closed,
        Status::Released | Status::Untouched => LineState::Released,
    };
    let short = l
        .reason
        .split_once(": ")
        .map_or(l.reason.as_str(), |(_, r)| r)
        .trim_end_matches('.');
    let line = match (&h.last, state) {
        (Some(l), LineState::Closed | LineState::Stopped | LineState::Open) => l.line.clone(),
        _ => short.to_owned(),
    };
    let mut waits_for = prepared.to_vec();
    waits_for.extend(
        l.waits_for.iter().map(|p| {
            Stop::Parameter(*p, if p.per_filament() { filament } else { None }).to_string()
        }),
    );
    if matches!(state, LineState::Closed | LineState::Released) {
        waits_for.clear();
    }
    lines.push(TravellerLine {
        key: stop.to_string(),
        title: title_of(stop, facts),
        state,
        strength: l.strength,
        reason: l.reason.clone(),
        line,
        waits_for,
        effort: l.effort,
        verdict: h.last.as_ref().map(|l| l.verdict),
        cause: h.last.and_then(|l| l.cause),
        adjusts: h.adjusts,
    });
}
