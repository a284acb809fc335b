//! The job that follows from a proven cause: opened, or the open one extended.

use wattotherm_diagnosis::{Action, Answer, Outcome, SHIPPED, Told};
use wattotherm_job::route::{Begins, Deed};
use wattotherm_measure::Pen;
use wattotherm_printer::Replacement;
use wattotherm_store::{FaultCase, NewJob, Shows, Store};

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
    if let Some(job) = store.open_job_of(case.printer_id)? {
        let fitted = part.into_iter().map(|part| Deed::PartAdded {
            part,
            reason: reason.clone(),
        });
        let asked = action.settles.iter().map(|parameter| Deed::ValueAsked {
            parameter: *parameter,
            reason: reason.clone(),
        });
        for deed in fitted.chain(asked) {
            let job = store.job(job.id)?;
            let card = traveller_of(store, &job)?;
            let changed = changed_of(store, job.printer_id, None)?;
            deed.check(&card, &job.replaced, &changed, false)?;
            let says = deed.says(str::to_owned);
            store.add_deed(&job, &deed, &says, &[], &now())?;
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
        .filter_map(|t| SHIPPED.actions.iter().find(|a| a.id == t.action))
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
    if part.is_some() && !action.settles.is_empty() {
        for parameter in action.settles {
            let deed = Deed::ValueAsked {
                parameter: *parameter,
                reason: reason.clone(),
            };
            let job = store.job(id)?;
            store.add_deed(&job, &deed, &deed.says(str::to_owned), &[], &now())?;
        }
    }
    Ok(Some(id))
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
