//! Check: steps to do and tick off, with parts counted out and in.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::sensor_ids;
use wattotherm_measure::Verdict;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::plain;
use wattotherm_printer::{FactField, Replacement, fields_of, read_fields, typed_fields};

use super::{Context, StationName, blank, stopped};
use crate::finding::{Finding, Row};
use crate::sheets::{Sheet, sheet};

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
    /// What is known of the new part, by the path of the printer's field.
    pub fitted: BTreeMap<String, Entry>,
    /// What was seen; also the place for a pasted settings report.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

const COUNT: Limit = Limit {
    field: "counted_out",
    label: "count",
    unit: "",
    min: 0.0,
    max: 500.0,
    usual_min: 0.0,
    usual_max: 500.0,
    why: "count whole pieces",
};

/// Ticks that are read at most.
const MOST_TICKS: usize = 100;

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

/// Evaluates a check: pass when every step is done or skipped with a reason and what came out went
/// back; stop when a step failed or pieces are left over; measure again while steps are open.
///
/// Source: common practice, no published source.
/// # Errors
/// [`ReadingError`] for a skip without a reason or a count that isn't one.
pub fn evaluate(readings: &CheckReadings, context: &Context) -> Result<Finding, ReadingError> {
    let list: Sheet = sheet(context.list.as_deref().unwrap_or("intake"), context);
    let mut intake = Intake::new(&readings.confirmed);
    if readings.note.chars().count() > 20_000 {
        intake.conflict(
            "note",
            "The note is too long. Keep it under 20 000 characters.",
        );
    }
    if readings.steps.len() > MOST_TICKS {
        intake.count(
            "steps",
            format!("This list has {} steps.", list.steps.len()),
        );
    }
    let ticks = ticks_of(&list, &readings.steps);
    for ((i, tick), step) in ticks.iter().zip(&list.steps) {
        let needs = match tick.state {
            StepState::Skipped => "Say why this step is skipped.".to_owned(),
            StepState::Failed => "Say what failed.".to_owned(),
            StepState::Open => continue,
            StepState::Done => match tick.at_c.and_then(|c| step.gate.broken(c)) {
                Some(why) => why,
                None => continue,
            },
        };
        if tick.reason.trim().is_empty() {
            intake.push(FieldProblem::Count {
                field: format!("steps.{i}.reason"),
                message: needs,
            });
        }
    }
    let mut counts = (None, None);
    if list.counts {
        counts.0 = intake.need(&COUNT, "counted_out", &readings.counted_out);
        counts.1 = intake.need(&COUNT, "counted_in", &readings.counted_in);
    }
    let asked = asked_of(context);
    for (field, needed) in &asked {
        if *needed && readings.fitted.get(field.path).is_none_or(Entry::is_blank) {
            intake.push(FieldProblem::Count {
                field: format!("fitted.{}", field.path),
                message: format!("Say the new part’s {}.", field.label),
            });
        }
    }
    let confirmed: Vec<String> = readings
        .confirmed
        .iter()
        .map(|c| c.strip_prefix("fitted.").unwrap_or(c).to_owned())
        .collect();
    if let Err(bad) = read_fields(
        asked.iter().map(|(f, _)| *f),
        &readings.fitted,
        &confirmed,
        &sensor_ids(),
    ) {
        for problem in bad.problems {
            intake.push(problem.under("fitted"));
        }
    }
    intake.finish()?;

    let total = list.steps.len();
    let tally = |state: StepState| ticks.iter().filter(|(_, t)| t.state == state).count();
    let (done, skipped) = (tally(StepState::Done), tally(StepState::Skipped));
    let mut finding = blank(StationName::Check, list.title, "", Verdict::Pass);
    finding.rows.push(Row {
        name: "steps done".into(),
        before: None,
        after: Some(format!("{done} of {total}")),
    });
    if let (Some(out), Some(back)) = counts {
        finding.rows.push(Row {
            name: "pieces out, in".into(),
            before: Some(format!("{out:.0}")),
            after: Some(format!("{back:.0}")),
        });
    }
    let was = typed_fields(&context.printer.fitted());
    for (field, _) in &asked {
        let now = readings.fitted.get(field.path).map(Entry::shown);
        if let Some(now) = now.filter(|n| !n.is_empty()) {
            finding.rows.push(Row {
                name: field.label.to_owned(),
                before: was.get(field.path).map(|t| field.says(t)),
                after: Some(field.says(&now)),
            });
        }
    }
    for ((_, tick), step) in ticks.iter().zip(&list.steps) {
        if tick.state == StepState::Skipped {
            finding
                .reasons
                .push(format!("Skipped “{}”: {}", step.act, tick.reason.trim()));
        }
        if tick.state == StepState::Done && tick.at_c.is_some_and(|c| step.gate.broken(c).is_some())
        {
            finding.reasons.push(format!(
                "Done at {} °C, outside its gate, “{}”: {}",
                plain(tick.at_c.unwrap_or(0.0), 0),
                step.act,
                tick.reason.trim()
            ));
        }
    }
    let failed = ticks
        .iter()
        .zip(&list.steps)
        .find(|((_, t), _)| t.state == StepState::Failed);
    if let Some(((_, tick), step)) = failed {
        let mut stop = stopped(finding, tick.reason.trim());
        stop.sentence = format!(
            "This step failed: “{}”. Mend it before you go on.",
            step.act
        );
        return Ok(stop);
    }
    if let (Some(out), Some(back)) = counts
        && (out - back).abs() > 0.5
    {
        let cause = format!("{out:.0} pieces came out, {back:.0} went back");
        let mut stop = stopped(finding, &cause);
        stop.sentence =
            "Find where the rest belongs, or where it fell, before the printer moves or heats."
                .into();
        return Ok(stop);
    }
    let open = total - done - skipped;
    if open > 0 {
        finding.verdict = Verdict::MeasureAgain;
        finding.headline = if open == 1 {
            "One step is still open.".into()
        } else {
            format!("{open} steps are still open.")
        };
        finding.sentence = "Do each step and tick it, or skip it with a reason.".into();
        finding.settle = vec!["do the open steps".into()];
        finding.line = format!("{done} of {total} steps done");
        finding.next = "Go on with the next step.".into();
        return Ok(finding);
    }
    finding.headline = "Pass: every step is done.".into();
    finding.sentence = if skipped > 0 {
        format!("{skipped} skipped with a reason, which is kept.")
    } else {
        "Nothing is left over.".into()
    };
    finding.line = match counts {
        (Some(out), Some(back)) => format!("counted out {out:.0}, in {back:.0}"),
        _ => format!(
            "{} done",
            wattotherm_measure::text::count(done, "step", "steps")
        ),
    };
    finding.next = "Go on.".into();
    Ok(finding)
}
