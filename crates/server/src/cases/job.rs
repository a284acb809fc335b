//! The job that follows from a proven cause: opened, or the open one extended.

use wattotherm_diagnosis::{Action, Answer, Outcome, SHIPPED, Told};
use wattotherm_job::route::{Begins, Deed, Stop};
use wattotherm_measure::Pen;
use wattotherm_printer::Replacement;
use wattotherm_store::{FaultCase, Job, NewJob, Shows, Store};

use super::gather;
use crate::error::ApiError;
use crate::moment::now;
use crate::state::{changed_of, traveller_of};

/// Opens a job for what mends a proven cause, or extends the one that is open. None where it needs neither part nor
/// value.
pub fn open_or_extend(
    store: &mut Store,
    case: &FaultCase,
    action: &Action,
    label: &str,
    filament_ids: &[i64],
) -> Result<Option<i64>, ApiError> {
    let part: Option<Replacement> = action.fits.first().copied();
    if part.is_none() && action.settles.is_empty() {
        return Ok(None);
    }
    let reason = format!("case {}: {label}", case.id);
    let asked = action.settles.iter().map(|parameter| Deed::ValueAsked {
        parameter: *parameter,
        reason: reason.clone(),
    });
    if let Some(job) = store.open_job_of(case.printer_id)? {
        let fitted = part.map(|part| Deed::PartAdded {
            part,
            reason: reason.clone(),
        });
        for deed in fitted.into_iter().chain(asked) {
            add(store, &job, case, &deed)?;
        }
        store.case_to_job(case.id, job.id)?;
        return Ok(Some(job.id));
    }
    let told = gather(store, case.id)?;
    let tried: Vec<String> = told
        .told
        .tried
        .iter()
        .filter(|t| t.outcome != Outcome::Helped)
        .filter_map(|t| SHIPPED.action_named(&t.action))
        .map(|a| Pen::METRIC.text(a.does))
        .collect();
    let new = NewJob {
        printer_id: case.printer_id,
        complaint: if case.sentence.is_empty() {
            label.to_owned()
        } else {
            case.sentence.clone()
        },
        shows: shows(&told.told),
        tried: tried.join(" ").chars().take(2000).collect(),
        technician: case.who.clone(),
        begins: match part {
            Some(_) => Begins::Parts,
            None => Begins::CheckUp {
                parameters: action.settles.to_vec(),
            },
        },
        replaced: part.into_iter().collect(),
        filament_ids: filament_ids.to_vec(),
        ..NewJob::default()
    };
    new.check()?;
    let id = store.start_job(&new, &now())?;
    store.case_to_job(case.id, id)?;
    // A check-up asks for them by itself.
    if part.is_some() {
        for deed in asked {
            add(store, &store.job(id)?, case, &deed)?;
        }
    }
    Ok(Some(id))
}

/// Notes a deed at a job, unless what it asks for is on its route already: still open there, or put there since the
/// case began or the complaint last came back. What was fitted or found before that is done once more: the case is
/// about it.
fn add(store: &mut Store, job: &Job, case: &FaultCase, deed: &Deed) -> Result<(), ApiError> {
    let card = traveller_of(store, job)?;
    let open = |of: &dyn Fn(Stop) -> bool| {
        let open = card.lines.iter().filter(|l| l.is_open());
        open.filter_map(|l| l.key.parse().ok()).any(of)
    };
    let deeds = store.deeds(job.id)?;
    let came_back = deeds
        .iter()
        .filter(|d| matches!(d.deed, Deed::CameBack { .. }));
    let since = came_back
        .map(|d| &d.at)
        .max()
        .map_or(&case.begun_at, |at| at.max(&case.begun_at));
    let asked_since = |same: &dyn Fn(&Deed) -> bool| {
        let mut later = deeds.iter().filter(|d| d.at >= *since);
        later.any(|d| same(&d.deed))
    };
    let on_the_route = match deed {
        Deed::PartAdded { part, .. } => {
            let begun_with = job.opened_at >= *since && job.replaced.contains(part);
            let same = |d: &Deed| matches!(d, Deed::PartAdded { part: p, .. } if p == part);
            begun_with || open(&|stop| stop == Stop::Fit(*part)) || asked_since(&same)
        }
        Deed::ValueAsked { parameter, .. } => {
            let of = |stop| matches!(stop, Stop::Parameter(p, _) if p == *parameter);
            let same =
                |d: &Deed| matches!(d, Deed::ValueAsked { parameter: p, .. } if p == parameter);
            open(&of) || asked_since(&same)
        }
        _ => false,
    };
    if on_the_route {
        return Ok(());
    }
    let changed = changed_of(store, job.printer_id, None)?;
    deed.check(&card, &job.replaced, &changed, job.finished_at.is_some())?;
    store.add_deed(job, deed, &deed.says(str::to_owned), &[], &now())?;
    Ok(())
}

/// When it shows, as a job asks for it.
fn shows(told: &Told) -> Shows {
    let yes = |id: &str| {
        let given = told.seen.iter().find(|s| s.observation == id);
        given.is_some_and(|s| s.answer == Answer::Word("yes".into()))
    };
    if yes("after_minutes") || yes("half_print") {
        Shows::AfterAWhile
    } else if yes("at_random") {
        Shows::AtRandom
    } else {
        Shows::AtOnce
    }
}
