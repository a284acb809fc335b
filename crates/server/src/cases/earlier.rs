//! What was found on a job, and that it is back.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_diagnosis::SHIPPED;
use wattotherm_job::route::Deed;
use wattotherm_store::{DeedEntry, FaultCase, Store};

use crate::error::ApiError;
use crate::moment::now;
use crate::state::{changed_of, traveller_of};

/// What a case of a job has found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct FoundShown {
    /// Number of the case.
    pub case: i64,
    /// What it was, in words.
    pub cause: &'static str,
    /// It was said since that the complaint came back: it was taken for the cause, and wasn't, or not alone.
    pub came_back: bool,
}

/// The causes that were proven on a job, the newest first.
pub fn found_on(store: &Store, job: i64) -> Result<Vec<FoundShown>, ApiError> {
    let deeds = store.deeds(job)?;
    let shown = |c: FaultCase| {
        let ended_at = c.ended_at?;
        let came_back = |d: &DeedEntry| matches!(d.deed, Deed::CameBack { .. });
        Some(FoundShown {
            case: c.id,
            cause: SHIPPED.cause_named(c.cause.as_deref()?)?.label,
            came_back: deeds.iter().any(|d| d.at >= ended_at && came_back(d)),
        })
    };
    let proven = store.proven_cases()?.into_iter();
    let of_it = proven.filter(|c| c.job_id == Some(job));
    Ok(of_it.filter_map(shown).collect())
}

/// The job that a case belongs to: its own, or the one that is open on its printer.
fn job_of(store: &Store, case: &FaultCase) -> Result<Option<i64>, ApiError> {
    Ok(match case.job_id {
        Some(job) => Some(job),
        None => store.open_job_of(case.printer_id)?.map(|j| j.id),
    })
}

/// What was found on the job of `case` before it, the newest first.
pub fn earlier(store: &Store, case: &FaultCase) -> Result<Vec<FoundShown>, ApiError> {
    let Some(job) = job_of(store, case)? else {
        return Ok(Vec::new());
    };
    let mut found = found_on(store, job)?;
    found.retain(|f| f.case < case.id);
    Ok(found)
}

/// What case `then` had proven didn't hold: the complaint is back on its job, and the shop's weights learn nothing from
/// it.
pub fn is_back(store: &mut Store, case: &FaultCase, then: i64) -> Result<(), ApiError> {
    let known = earlier(store, case)?;
    let held = known.iter().any(|f| f.case == then && !f.came_back);
    let Some(job) = job_of(store, case)?.filter(|_| held) else {
        return Err(ApiError::Conflict(
            "Only a cause that was proven on this job before, and hasn’t come back yet, can be back."
                .into(),
        ));
    };
    let job = store.job(job)?;
    let card = traveller_of(store, &job)?;
    let deed = Deed::CameBack {
        after_min: None,
        reason: format!("case {}: the same as in case {then}", case.id),
    };
    let changed = changed_of(store, job.printer_id, None)?;
    deed.check(&card, &job.replaced, &changed, job.finished_at.is_some())?;
    store.case_to_job(case.id, job.id)?;
    store.add_deed(&job, &deed, &deed.says(str::to_owned), &[], &now())?;
    let then = store.fault_case(then)?;
    if then.counts {
        store.count_case(&then, false, &now())?;
    }
    Ok(())
}
