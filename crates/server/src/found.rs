//! What the cases of a job have found.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_diagnosis::SHIPPED;
use wattotherm_job::route::Deed;
use wattotherm_store::{DeedEntry, FaultCase, Store, StoreError};

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
pub fn found_on(store: &Store, job: i64) -> Result<Vec<FoundShown>, StoreError> {
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
