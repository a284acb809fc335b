//! Numbers as they were typed into a field, in their bounds.

use wattotherm_measure::entry::Entry as Typed;
use wattotherm_measure::text::plain;
use wattotherm_measure::{Pen, Unit};

use crate::error::ApiError;

/// What is wrong with a field.
pub fn values(field: &'static str, message: impl Into<String>) -> ApiError {
    ApiError::Values {
        field,
        message: message.into(),
    }
}

fn within(
    field: &'static str,
    typed: &Typed,
    unit: Unit,
    [low, high]: [f64; 2],
    says: impl Fn(f64) -> String,
) -> Result<f64, ApiError> {
    let value = parsed(field, typed, unit)?;
    if !(low..=high).contains(&value) {
        let message = format!(
            "{} can’t be meant: type {} to {}.",
            says(value),
            says(low),
            says(high)
        );
        return Err(values(field, message));
    }
    Ok(value)
}

fn parsed(field: &'static str, typed: &Typed, unit: Unit) -> Result<f64, ApiError> {
    typed
        .parse(unit)
        .ok_or_else(|| values(field, format!("“{}” is no number.", typed.shown())))
}

/// A number as it was typed, in its own unit; none where nothing is typed. Its bounds are looked at elsewhere.
pub fn unbounded_or(field: &'static str, typed: &Typed) -> Result<Option<f64>, ApiError> {
    if typed.is_blank() {
        return Ok(None);
    }
    parsed(field, typed, Unit::One).map(Some)
}

/// A number as it was typed, in its own unit.
pub fn number(field: &'static str, typed: &Typed, bounds: [f64; 2]) -> Result<f64, ApiError> {
    within(field, typed, Unit::One, bounds, |v| plain(v, 6))
}

/// The same, or none where nothing is typed.
pub fn number_or(
    field: &'static str,
    typed: &Typed,
    bounds: [f64; 2],
) -> Result<Option<f64>, ApiError> {
    if typed.is_blank() {
        return Ok(None);
    }
    number(field, typed, bounds).map(Some)
}

/// A quantity as it was typed, `bounds` in its unit, with the unit in what is said; none where nothing is typed.
pub fn quantity_or(
    field: &'static str,
    typed: &Typed,
    unit: Unit,
    bounds: [f64; 2],
    pen: Pen,
) -> Result<Option<f64>, ApiError> {
    if typed.is_blank() {
        return Ok(None);
    }
    within(field, typed, unit, bounds, |v| pen.plain(v, unit, 2)).map(Some)
}
