//! The ceiling in force: one value in one place.

use wattotherm_core::Parameter;
use wattotherm_core::ceiling::ceiling;
use wattotherm_core::gcode::{GuardLimits, HeaterLimit};
use wattotherm_core::stations::PrinterFacts;
use wattotherm_store::Store;

use crate::error::ApiError;
use crate::state::App;

/// Highest bed target that the guard lets through [°C]. Common practice: beds and their glue end here.
const BED_CEILING_C: f64 = 120.0;

/// What the guard of a printer must know: the ceiling of its parts, or the one found in a job where
/// that is lower; its name comes along.
/// # Errors
/// [`ApiError`] of the store.
pub fn limits_of(store: &Store, printer_id: i64) -> Result<(String, GuardLimits), ApiError> {
    let printer = store.printer(printer_id)?;
    let house = store.house()?;
    let top = ceiling(&printer.facts, &house);
    let found = store
        .settings(printer_id)?
        .into_iter()
        .find(|s| s.parameter == Parameter::Ceiling && s.until_at.is_none())
        .and_then(|s| s.value);
    let first = match found {
        Some(c) if c < top.ceiling_c => HeaterLimit::new(c, "the ceiling found at its station"),
        _ => HeaterLimit::new(top.ceiling_c, top.held_by),
    };
    // Nothing is recorded of a second hot end: it may go as hot as the most careful one, and never hotter
    // than the first.
    let careful = ceiling(&PrinterFacts::default(), &house);
    let other = if first.ceiling_c < careful.ceiling_c {
        first.clone()
    } else {
        HeaterLimit::new(
            careful.ceiling_c,
            format!("{} that a second hot end may have", careful.held_by),
        )
    };
    let f = &printer.facts;
    let mut limits = GuardLimits::new(first, BED_CEILING_C, [f.bed_x_mm, f.bed_y_mm, f.height_mm]);
    limits.tools.push(other);
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
            .with(move |store| {
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
