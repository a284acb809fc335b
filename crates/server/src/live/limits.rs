//! The ceiling in force: one value in one place.

use wattotherm_gcode::GuardLimits;
use wattotherm_job::guard_limits;
use wattotherm_printer::Parameter;
use wattotherm_store::Store;

use crate::error::ApiError;
use crate::state::App;

/// What the guard of a printer must know: the ceiling of its parts, or the one found in a job where
/// that is lower; its name comes along.
/// # Errors
/// [`ApiError`] of the store.
pub fn limits_of(store: &Store, printer_id: i64) -> Result<(String, GuardLimits), ApiError> {
    let printer = store.printer(printer_id)?;
    let found = store
        .settings(printer_id)?
        .into_iter()
        .find(|s| s.parameter == Parameter::Ceiling && s.until_at.is_none())
        .and_then(|s| s.value);
    let limits = guard_limits(&printer.facts, &store.house()?, found);
    Ok((printer.name, limits))
}

impl App {
    /// Gives the guards the limits that hold after a change of facts, rules or ceilings; nothing if no
    /// entry of the logbook says that something may have changed.
    pub async fn refresh_guards(&self) {
        let ids = self.live.ids();
        if ids.is_empty() {
            return;
        }
        let before = self.live.limits_as_of();
        let changed = self
            .read(move |store| {
                let newest = store.newest_entry()?;
                if newest == before {
                    return Ok(None);
                }
                let limits: Vec<_> = ids
                    .iter()
                    .filter_map(|id| limits_of(store, *id).ok().map(|l| (*id, l.1)))
                    .collect();
                Ok(Some((newest, limits)))
            })
            .await;
        if let Ok(Some((newest, limits))) = changed {
            for (id, limits) in limits {
                self.live.put_limits(id, limits);
            }
            self.live.set_limits_as_of(newest);
        }
    }
}
