//! Check: steps to do and tick off, with parts counted out and in.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::{sensor_ids, sensor_options};
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, plain};
use wattotherm_measure::{Pen, Unit, Verdict};
use wattotherm_printer::{
    FACT_FIELDS, FactField, FactKind, Replacement, fields_of, read_fields, typed_fields,
};

use super::set_up::rule_text;
use super::{SetUp, Station};
use crate::context::Context;
use crate::finding::{Cause, Facts, Row, Words};
use crate::form::{Field, Form};
use crate::sheets::{MAKES_SAFE, Sheet, sheet};

/// Steps to tick off.
pub struct Check;

/// What became of one step.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum StepState {
    /// Not done yet.
    #[default]
    Open,
    /// Done, and its check holds.
    Done,
    /// Left out, with a reason.
    Skipped,
    /// Its check failed.
    Failed,
}

/// One step as ticked.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct StepTick {
    /// Which step; ticks of older versions have none and count by their place.
    pub id: String,
    /// What became of it.
    pub state: StepState,
    /// Why it was skipped, or what failed; for a step done outside its gate, why.
    pub reason: String,
    /// Nozzle when it was ticked [°C], where a connected printer said so.
    pub at_c: Option<f64>,
}

/// What is typed at a check.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct CheckReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// A tick for each step of the list.
    pub steps: Vec<StepTick>,
    /// Screws, clips, ties and springs taken out.
    pub counted_out: Entry,
    /// … and put back.
    pub counted_in: Entry,
    /// What was taken out by kind and where each lies, e.g. "4 screws M3 × 8: lid; clip: by the spool".
    pub parked: String,
    /// What is known of the new part, by the path of the printer's field.
    pub fitted: BTreeMap<String, Entry>,
    /// What was seen; also the place for a pasted settings report.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// A step that was not done as it stands.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Aside {
    /// The step's text.
    act: String,
    /// The technician's reason.
    reason: String,
    /// Nozzle when it was done outside its gate [°C].
    at_c: Option<f64>,
}

/// What is known of the new part, against the old one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Told {
    path: String,
    before: Option<String>,
    after: String,
}

/// What became of a list.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CheckFound {
    title: String,
    total: usize,
    done: usize,
    skipped: Vec<Aside>,
    outside: Vec<Aside>,
    failed: Option<Aside>,
    /// Pieces out and in, where they are counted.
    counted: Option<(f64, f64)>,
    told: Vec<Told>,
    /// Kinds of pieces and where they were parked; blank in what older versions kept.
    #[serde(default)]
    parked: String,
    /// What was seen, in the technician's words; blank in what older versions kept.
    #[serde(default)]
    note: String,
}

impl CheckFound {
    fn open(&self) -> usize {
        self.total - self.done - self.skipped.len()
    }
}

const OUT: Limit = Limit::new(
    "counted_out",
    "count",
    Unit::One,
    [0.0, 500.0, 0.0, 500.0],
    "count whole pieces",
);
const BACK: Limit = Limit::new(
    "counted_in",
    "count",
    Unit::One,
    [0.0, 500.0, 0.0, 500.0],
    "count whole pieces",
);

/// Ticks that are read at most.
const MOST_TICKS: usize = 100;
/// Longest note.
const MOST_NOTE: usize = 20_000;
/// Longest reason at a step.
const MOST_REASON: usize = 2_000;

/// The tick of every step of a list with its place among the readings: by its id, or by its place where no
/// tick has an id; an open one where there is none.
#[must_use]
pub fn ticks_of(list: &Sheet, typed: &[StepTick]) -> Vec<(usize, StepTick)> {
    let by_place = typed.iter().all(|t| t.id.is_empty());
    list.steps
        .iter()
        .enumerate()
        .map(|(place, step)| {
            let at = if by_place {
                (place < typed.len()).then_some(place)
            } else {
                typed.iter().position(|t| t.id == step.id)
            };
            let tick = at.and_then(|i| typed.get(i)).cloned();
            (at.unwrap_or(place), tick.unwrap_or_default())
        })
        .collect()
}

/// What was typed when this list was stopped last: what was taken out lies on the tray still. A tick says that something is
/// so now, and is given anew.
fn stopped_with(context: &Context) -> Option<CheckReadings> {
    let last: CheckReadings = serde_json::from_value(context.previous.clone()?).ok()?;
    let failed = last.steps.iter().any(|t| t.state == StepState::Failed);
    let left = last.counted_in.parse(Unit::One) != last.counted_out.parse(Unit::One);
    (failed || left).then_some(last)
}

/// The list that a context asks for.
fn list_of(context: &Context) -> Sheet {
    sheet(context.list.as_deref().unwrap_or("intake"), context)
}

/// What a sheet of strip and fit asks of the new part, and whether it must be told.
#[must_use]
pub fn asked_of(context: &Context) -> Vec<(&'static FactField, bool)> {
    context
        .list
        .as_deref()
        .and_then(|l| l.strip_prefix("fit."))
        .and_then(Replacement::from_id)
        .map_or(Vec::new(), fields_of)
}

/// Cold work that is ticked while what makes it safe is still open: out of order, or it was done and not ticked.
fn ask_order(list: &Sheet, ticks: &[(usize, StepTick)], intake: &mut Intake<'_>) {
    let steps = || list.steps.iter().zip(ticks);
    let Some((at, (safe, (i, _)))) = steps()
        .enumerate()
        .find(|(_, (s, (_, tick)))| MAKES_SAFE.contains(&&*s.id) && tick.state == StepState::Open)
    else {
        return;
    };
    let too_early = steps()
        .skip(at + 1)
        .find(|(s, (_, tick))| s.gate.needs_cold() && tick.state == StepState::Done);
    if let Some((early, _)) = too_early {
        intake.push(FieldProblem::Count {
            field: format!("steps.{i}.state"),
            message: format!(
                "“{}” is done and “{}” isn’t ticked. Tick it too; or untick what came after it, and do it in this order.",
                first_sentence(&early.act),
                first_sentence(&safe.act)
            ),
        });
    }
}

fn first_sentence(text: &str) -> &str {
    text.split(['.', ';', ',']).next().unwrap_or(text)
}

fn part_field(field: &FactField, needed: bool) -> Field {
    let path = format!("fitted.{}", field.path);
    let f = match field.kind {
        FactKind::Number(limit) => Field::number_at(path, &limit).named(field.label),
        FactKind::Choice(options) => Field::choice(&path, field.label, options),
        FactKind::Sensor => Field::choice(&path, field.label, &sensor_options()),
    };
    let f = f.hint(field.find);
    if needed { f.needed() } else { f }
}

fn ask_part(r: &CheckReadings, context: &Context, intake: &mut Intake<'_>) -> Vec<Told> {
    let asked = asked_of(context);
    for (field, needed) in &asked {
        if *needed && r.fitted.get(field.path).is_none_or(Entry::is_blank) {
            intake.push(FieldProblem::Count {
                field: format!("fitted.{}", field.path),
                message: format!("Say the new part’s {}.", field.label),
            });
        }
    }
    let confirmed: Vec<String> = r
        .confirmed
        .iter()
        .map(|c| c.strip_prefix("fitted.").unwrap_or(c).to_owned())
        .collect();
    if let Err(bad) = read_fields(
        asked.iter().map(|(f, _)| *f),
        &r.fitted,
        &confirmed,
        &sensor_ids(),
    ) {
        for problem in bad.problems {
            intake.push(problem.under("fitted"));
        }
    }
    let was = typed_fields(&context.printer.fitted());
    asked
        .iter()
        .filter_map(|(field, _)| {
            let after = r.fitted.get(field.path).map(Entry::shown)?;
            (!after.is_empty()).then(|| Told {
                path: field.path.to_owned(),
                before: was.get(field.path).cloned(),
                after,
            })
        })
        .collect()
}

impl Station for Check {
    type Readings = CheckReadings;
    type Own = CheckFound;
    const ID: &'static str = "check";

    fn start(context: &Context) -> CheckReadings {
        let stopped = stopped_with(context).unwrap_or_default();
        let list = list_of(context);
        // A case was the search: its answer is written down already. What the shop adds is still to be done.
        let found = context.cause_found.clone().filter(|_| list.names_cause);
        let known_done = |own: bool| match found {
            Some(_) if !own => StepState::Done,
            _ => StepState::default(),
        };
        let known = typed_fields(&context.printer.fitted());
        CheckReadings {
            steps: list
                .steps
                .iter()
                .map(|s| StepTick {
                    id: s.id.clone().into_owned(),
                    state: known_done(s.own),
                    ..StepTick::default()
                })
                .collect(),
            // What must be told changes by the very name of the replacement: it isn't taken from the old part.
            fitted: asked_of(context)
                .into_iter()
                .map(|(f, needed)| {
                    let text = known.get(f.path).filter(|_| !needed);
                    let cut = context.tube_cut_mm.filter(|_| f.path == "tube.length_mm");
                    let typed = stopped.fitted.get(f.path).filter(|e| !e.is_blank());
                    let entry = match (typed, cut) {
                        (Some(typed), _) => typed.clone(),
                        (None, Some(mm)) => plain(mm, 1).as_str().into(),
                        (None, None) => text.map_or_else(Entry::default, |t| t.as_str().into()),
                    };
                    (f.path.to_owned(), entry)
                })
                .collect(),
            counted_out: stopped.counted_out,
            parked: stopped.parked,
            note: found.unwrap_or_default(),
            ..CheckReadings::default()
        }
    }

    fn form(r: &CheckReadings, context: &Context) -> Form {
        let list = list_of(context);
        let mut steps = Vec::new();
        for ((i, tick), step) in ticks_of(&list, &r.steps).iter().zip(&list.steps) {
            steps.push(Field::choice(
                &format!("steps.{i}.state"),
                &step.act,
                &[
                    ("open", "open"),
                    ("done", "done"),
                    ("skipped", "skipped"),
                    ("failed", "failed"),
                ],
            ));
            let outside =
                tick.state == StepState::Done && tick.at_c.is_some_and(|c| step.gate.broken(c));
            if outside || matches!(tick.state, StepState::Skipped | StepState::Failed) {
                let reason = Field::text(format!("steps.{i}.reason"), "why", MOST_REASON);
                steps.push(reason.needed());
            }
        }
        let failed = r.steps.iter().any(|t| t.state == StepState::Failed);
        let mut form = Form::default().group("", steps);
        let asked = asked_of(context);
        if !asked.is_empty() {
            let fields = asked.iter().map(|(f, needed)| part_field(f, *needed));
            form = form.group("The new part", fields.collect());
        }
        if list.counts {
            let [out, back] =
                [(&OUT, "counted out"), (&BACK, "counted in")].map(|(limit, name)| {
                    let count = Field::number(limit).named(name);
                    if failed { count } else { count.needed() }
                });
            form = form.group(
                "Small pieces",
                vec![
                    out,
                    back,
                    Field::text("parked", "kinds, and where they lie", MOST_REASON),
                ],
            );
        }
        form.group("", vec![Field::text("note", "what you saw", MOST_NOTE)])
    }

    fn set_up(_: &CheckReadings, context: &Context) -> SetUp {
        let list = list_of(context);
        let sensors = sensor_options();
        SetUp {
            heading: list.heading,
            hints: list.hints,
            caution: list.caution,
            rule: list.rule,
            rule_text: list.rule.map(|r| rule_text(context, r)),
            part_fields: asked_of(context)
                .into_iter()
                .map(|(f, needed)| f.shown(needed, &sensors, context.house.pen))
                .collect(),
            ..SetUp::default()
        }
    }

    /// Pass when every step is done or skipped with a reason and what came out went back; stop when a step failed
    /// or pieces are left over; measure again while steps are open.
    ///
    /// Source: common practice, no published source.
    fn facts(r: &CheckReadings, context: &Context) -> Result<Facts<CheckFound>, ReadingError> {
        let list = list_of(context);
        let mut intake = Intake::new(&r.confirmed);
        if r.note.chars().count() > MOST_NOTE {
            intake.conflict(
                "note",
                "The note is too long. Keep it under 20 000 characters.",
            );
        }
        // A search that names nothing would pass whatever was found.
        if list.names_cause && r.note.trim().is_empty() {
            intake.push(FieldProblem::Count {
                field: "note".into(),
                message: "Write down the cause, or that none was found.".into(),
            });
        }
        if r.steps.len() > MOST_TICKS {
            intake.count(
                "steps",
                format!("This list has {} steps.", list.steps.len()),
            );
        }
        super::snapshot::no_longer(&mut intake, "parked", &r.parked, MOST_REASON);
        let ticks = ticks_of(&list, &r.steps);
        ask_order(&list, &ticks, &mut intake);
        let mut own = CheckFound {
            title: list.title.to_owned(),
            total: list.steps.len(),
            done: 0,
            skipped: Vec::new(),
            outside: Vec::new(),
            failed: None,
            counted: None,
            told: Vec::new(),
            parked: if list.counts {
                r.parked.trim().to_owned()
            } else {
                String::new()
            },
            note: r.note.trim().to_owned(),
        };
        for ((i, tick), step) in ticks.iter().zip(&list.steps) {
            let path = format!("steps.{i}.reason");
            super::snapshot::no_longer(&mut intake, &path, &tick.reason, MOST_REASON);
            let outside = tick.at_c.filter(|c| step.gate.broken(*c));
            let aside = Aside {
                act: step.act.clone(),
                reason: tick.reason.trim().to_owned(),
                at_c: outside,
            };
            let needs = match tick.state {
                StepState::Open => continue,
                StepState::Skipped => {
                    own.skipped.push(aside);
                    "Say why this step is skipped.".to_owned()
                }
                StepState::Failed => {
                    own.failed.get_or_insert(aside);
                    "Say what failed.".to_owned()
                }
                StepState::Done => {
                    own.done += 1;
                    let Some(at_c) = outside else { continue };
                    own.outside.push(aside);
                    step.gate.says_broken(at_c)
                }
            };
            if tick.reason.trim().is_empty() {
                intake.push(FieldProblem::Count {
                    field: path,
                    message: needs,
                });
            }
        }
        // A step that failed stops the sheet where it is: pieces lie on the tray, and no part is fitted yet.
        let failed = own.failed.is_some();
        if list.counts {
            let mut count = |limit: &Limit, entry: &Entry| {
                if failed {
                    intake.may(limit, limit.field, entry)
                } else {
                    intake.need(limit, limit.field, entry)
                }
            };
            let out = count(&OUT, &r.counted_out);
            own.counted = out.zip(count(&BACK, &r.counted_in));
        }
        if !failed {
            own.told = ask_part(r, context, &mut intake);
        }
        intake.finish()?;
        let left_over = own
            .counted
            .is_some_and(|(out, back)| (out - back).abs() > 0.5);
        let fault = if own.failed.is_some() {
            Some(Cause::StepFailed)
        } else {
            left_over.then_some(Cause::PiecesLeft)
        };
        let open = own.open() > 0;
        let mut facts = Facts::new(Self::ID, Unit::One, Verdict::Pass, own);
        if let Some(cause) = fault {
            return Ok(facts.stopped(cause));
        }
        if open {
            facts.verdict = Verdict::MeasureAgain;
        }
        Ok(facts)
    }

    fn words(f: &Facts<CheckFound>, pen: Pen) -> Words {
        let own = &f.own;
        let mut w = Words::new(own.title.as_str());
        let of = format!("{} of {}", own.done, own.total);
        w.rows.push(Row::new("steps done", None, Some(of.clone())));
        if let Some((out, back)) = own.counted {
            w.rows.push(Row::new(
                "pieces out, in",
                Some(format!("{out:.0}")),
                Some(format!("{back:.0}")),
            ));
        }
        for told in &own.told {
            if let Some(field) = FACT_FIELDS.iter().find(|f| f.path == told.path) {
                w.rows.push(Row::new(
                    field.label,
                    told.before.as_ref().map(|t| field.value_says(t, pen)),
                    Some(field.value_says(&told.after, pen)),
                ));
            }
        }
        if !own.parked.is_empty() {
            w.reasons.push(format!("Parked: {}", own.parked));
        }
        if !own.note.is_empty() {
            w.reasons.push(format!("Noted: {}", own.note));
        }
        for s in &own.skipped {
            w.reasons.push(format!("Skipped “{}”: {}", s.act, s.reason));
        }
        for o in &own.outside {
            w.reasons.push(format!(
                "Done at {}, outside its gate, “{}”: {}",
                pen.plain(o.at_c.unwrap_or(0.0), Unit::Celsius, 0),
                o.act,
                o.reason
            ));
        }
        if let Some(failed) = &own.failed {
            return w.stop(
                &failed.reason,
                format!(
                    "This step failed: “{}” Mend it before you go on.",
                    failed.act
                ),
            );
        }
        match (f.verdict, own.counted) {
            (Verdict::Stop, Some((out, back))) => w.stop(
                &format!("{out:.0} pieces came out, {back:.0} went back"),
                "Find where the rest belongs, or where it fell, before the printer moves or heats.",
            ),
            (Verdict::MeasureAgain, _) => {
                w.settle = vec!["do the open steps".into()];
                w.say(
                    match own.open() {
                        1 => "One step is still open.".into(),
                        n => format!("{n} steps are still open."),
                    },
                    "Do each step and tick it, or skip it with a reason.",
                    format!("{of} steps done"),
                    "Go on with the next step.",
                )
            }
            (_, counted) => w.say(
                "Pass: every step is done.",
                if own.skipped.is_empty() {
                    "Nothing is left over.".into()
                } else {
                    format!(
                        "{} skipped with a reason, which is kept.",
                        own.skipped.len()
                    )
                },
                counted.map_or_else(
                    || format!("{} done", count(own.done, "step", "steps")),
                    |(out, back)| format!("counted out {out:.0}, in {back:.0}"),
                ),
                "Go on.",
            ),
        }
    }
}
