//! Cases: what is wrong with a machine. What was told and what is on record are gathered anew each time, and the page is
//! worked out of it.

pub mod earlier;
pub mod evidence;
pub mod job;
mod page;
pub mod shown;

use wattotherm_diagnosis::{Action, Facts, Outcome, SHIPPED, Told, Tried};
use wattotherm_job::due_by_age;
use wattotherm_measure::Pen;
use wattotherm_printer::{FilamentPath, HotEndKind};
use wattotherm_store::{FaultCase, Job, Printer, Store};

use crate::error::ApiError;
use crate::moment::days_since;
use crate::state::traveller_of;

pub use page::outcome_word;

/// A part touched within so many days is suspect. Judgement, no published source.
const RECENT_DAYS: f64 = 30.0;

/// What was told of a case, and what is on record around it.
pub struct Gathered {
    pub case: FaultCase,
    pub printer: Printer,
    pub told: Told,
    pub facts: Facts,
    pub job: Option<Job>,
    /// Parts replaced after which it came back, in words.
    false_fixes: Vec<String>,
    pen: Pen,
}

/// Name by which the prices keep what an hour of hands costs.
pub const HOUR: &str = "hour";

/// Gathers a case: its entries, what was replaced not long ago, false fixes of its job, parts past their age, the shop's
/// own cases and prices.
pub fn gather(store: &Store, id: i64) -> Result<Gathered, ApiError> {
    let case = store.fault_case(id)?;
    let printer = store.printer(case.printer_id)?;
    let house = store.house()?;
    let entries = store.case_entries(id)?;
    let told = Told::of(entries.iter().map(|e| &e.entry));
    let mut facts = told.facts();
    let job = case.job_id.map(|j| store.job(j)).transpose()?;
    let mut false_fixes = Vec::new();
    if let Some(job) = &job {
        let ids = job.replaced.iter().map(|r| r.id().to_owned());
        facts.replaced.extend(ids);
        for fix in traveller_of(store, job)?.false_fixes {
            false_fixes.push(format!("{}: {}", fix.label, fix.says));
            let fits = |a: &&Action| a.fits.iter().any(|r| r.part() == fix.part.part());
            if let Some(action) = SHIPPED.actions.iter().find(fits)
                && !facts.tried.iter().any(|t| t.action == action.id)
            {
                facts.tried.push(Tried {
                    action: action.id.into(),
                    outcome: Outcome::CameBack,
                });
            }
        }
    }
    for f in store.fittings(case.printer_id)? {
        if f.until_at.is_some() {
            continue;
        }
        if due_by_age(&house, f.part, days_since(&f.from_at)).is_some() {
            facts.aged.push(f.part);
        }
        // What was there when the printer was added was not replaced then.
        if f.job_id.is_some()
            && days_since(&f.from_at) < RECENT_DAYS
            && let Some(usual) = f.part.replacements().first()
        {
            facts.replaced.push(usual.id().to_owned());
        }
    }
    if printer.facts.path == FilamentPath::Direct {
        facts.impossible.push("coupler".into());
    }
    // Its tube ends above the heat break.
    if printer.facts.hot_end == HotEndKind::AllMetal {
        facts
            .impossible
            .extend(["tube_gap".into(), "liner_burnt".into()]);
    }
    facts.replaced.sort_unstable();
    facts.replaced.dedup();
    facts.learned = store.learned()?;
    facts
        .learned
        .retain(|cause, _| SHIPPED.cause(cause).is_some());
    facts.prices = store.prices()?;
    facts.per_hour = facts.prices.remove(HOUR);
    Ok(Gathered {
        case,
        printer,
        told,
        facts,
        job,
        false_fixes,
        pen: house.pen,
    })
}
