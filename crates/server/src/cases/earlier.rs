//! What was found on the same job before, and that it is back.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_diagnosis::SHIPPED;
use wattotherm_job::route::Deed;
use wattotherm_store::{CaseEnd, FaultCase, Store};

use crate::error::ApiError;
use crate::moment::now;
use crate::state::{changed_of, traveller_of};

/// An earlier case of the same job whose cause was proven.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct EarlierShown {
    /// Its number.
    pub case: i64,
    /// What it was, in words.
    pub cause: &'static str,
    /// Since when it is over.
    pub ended_at: String,
    /// It was said since that the complaint came back.
    pub came_back: bool,
}

/// The job that a case belongs to: its own, or the one that is open on its printer.
fn job_of(store: &Store, case: &FaultCase) -> Result<Option<i64>, ApiError> {
    Ok(match case.job_id {
        Some(job) => Some(job),
        None => store.open_job_of(case.printer_id)?.map(|j| j.id),
    })
}

/// Earlier cases of the job of `case`, the newest first.
pub fn earlier(store: &Store, case: &FaultCase) -> Result<Vec<EarlierShown>, ApiError> {
    let Some(job) = job_of(store, case)? else {
        return Ok(Vec::new());
    };
    let deeds = store.deeds(job)?;
    let of_it = |c: &FaultCase| c.job_id == Some(job) && c.id < case.id;
    let shown = |c: FaultCase| {
        let ended_at = c.ended_at?;
        let cause = SHIPPED.cause_named(c.cause.as_deref()?)?.label;
        let came_back = deeds
            .iter()
            .any(|d| d.at >= ended_at && matches!(d.deed, Deed::CameBack { .. }));
        Some(EarlierShown {
            case: c.id,
            cause,
            ended_at,
            came_back,
        })
    };
    let proven = store.proven_cases()?.into_iter();
    Ok(proven.filter(of_it).filter_map(shown).collect())
}

/// What was proven then didn't hold: the complaint is back on its job, and the shop's weights learn nothing from it.
pub fn is_back(store: &mut Store, case: &FaultCase, then: &FaultCase) -> Result<(), ApiError> {
    let job = job_of(store, case)?.filter(|_| then.ended == Some(CaseEnd::Proven));
    let Some(job) = job.filter(|job| then.job_id == Some(*job) && then.id < case.id) else {
        return Err(ApiError::Conflict(
            "Only a case of the same job whose cause was proven before can be the same again."
                .into(),
        ));
    };
    store.case_to_job(case.id, job)?;
    let job = store.job(job)?;
    let card = traveller_of(store, &job)?;
    let deed = Deed::CameBack {
        after_min: None,
        reason: format!("case {}: the same as in case {}", case.id, then.id),
    };
    let changed = changed_of(store, job.printer_id, None)?;
    deed.check(&card, &job.replaced, &changed, job.finished_at.is_some())?;
    store.add_deed(&job, &deed, &deed.says(str::to_owned), &[], &now())?;
    if then.counts {
        store.count_case(then, false, &now())?;
    }
    Ok(())
}
