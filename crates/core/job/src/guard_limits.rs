//! What the guard in front of a printer must know.

use wattotherm_gcode::{GuardLimits, HeaterLimit};
use wattotherm_printer::PrinterFacts;

use crate::house::House;

/// Highest bed target that the guard lets through [°C]. Common practice: beds and their glue end here.
const BED_CEILING_C: f64 = 120.0;

/// Limits of a printer: the ceiling of its parts, or the one found at the ceiling's station
/// (`found_c` [°C]) where that is lower.
///
/// Nothing is recorded of a second hot end: it may go as hot as the most careful one, and never hotter than
/// the first. Domain: `found_c` finite.
#[must_use]
pub fn guard_limits(facts: &PrinterFacts, house: &House, found_c: Option<f64>) -> GuardLimits {
    let top = house.ceiling(facts).or_found(found_c);
    let first = HeaterLimit::new(top.ceiling_c, top.held_by.says());
    let careful = house.ceiling(&PrinterFacts::default());
    let other = if first.ceiling_c < careful.ceiling_c {
        first.clone()
    } else {
        HeaterLimit::new(
            careful.ceiling_c,
            format!("{} that a second hot end may have", careful.held_by.says()),
        )
    };
    let volume_mm = [facts.bed_x_mm, facts.bed_y_mm, facts.height_mm];
    let mut limits = GuardLimits::new(first, BED_CEILING_C, volume_mm);
    limits.tools.push(other);
    limits
}
