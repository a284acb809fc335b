//! What was found on a job before a case, and that it is back.

use wattotherm_job::route::Deed;
use wattotherm_store::{FaultCase, Store};

use crate::error::ApiError;
use crate::found::{FoundShown, found_on};
use crate::moment::now;
use crate::state::{changed_of, traveller_of};

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
