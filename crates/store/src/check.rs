//! What a record must meet before it is kept, whichever way it comes: typed, sent or imported.

use jiff::Timestamp;
use wattotherm_job::route::Begins;
use wattotherm_printer::Parameter;

use crate::records::{NewFilament, NewJob, NewPrinter};

/// A record that is not kept.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct BadRecord {
    /// Path of the field.
    pub field: &'static str,
    /// What was wrong and what to do.
    pub message: String,
}

pub(crate) fn bad(field: &'static str, message: impl Into<String>) -> Result<(), BadRecord> {
    Err(BadRecord {
        field,
        message: message.into(),
    })
}

fn named(field: &'static str, text: &str, what: &str) -> Result<(), BadRecord> {
    let n = text.trim().chars().count();
    if n == 0 || n > 80 {
        return bad(field, format!("Type {what}, 1 to 80 characters."));
    }
    Ok(())
}

/// A moment as records carry it (RFC 3339).
/// # Errors
/// [`BadRecord`] for what is no moment.
pub fn check_moment(field: &'static str, text: &str) -> Result<(), BadRecord> {
    if text.len() > 40 || text.parse::<Timestamp>().is_err() {
        let shown: String = text.chars().take(40).collect();
        return bad(
            field,
            format!("“{shown}” is no date. Write it as 2026-01-31T08:30:00Z."),
        );
    }
    Ok(())
}

impl NewPrinter {
    /// Checks a printer.
    /// # Errors
    /// [`BadRecord`] for the first field that can't be meant.
    pub fn check(&self) -> Result<(), BadRecord> {
        named("name", &self.name, "the printer’s name")?;
        named("kind", &self.kind, "what kind of printer it is")?;
        let f = &self.facts;
        let size = |v: f64| v.is_finite() && (20.0..=2000.0).contains(&v);
        if !size(f.bed_x_mm) || !size(f.bed_y_mm) || !size(f.height_mm) {
            return bad(
                "facts.bed_x_mm",
                "A build volume is 20 to 2000 mm each way.",
            );
        }
        if !(0.1..=2.0).contains(&f.nozzle_mm) {
            return bad(
                "facts.nozzle_mm",
                format!(
                    "A bore of {} mm isn’t drilled. Type 0.1 to 2 mm.",
                    f.nozzle_mm
                ),
            );
        }
        if !(1..=2).contains(&f.nozzles) {
            return bad("facts.nozzles", "Type 1 or 2 nozzles.");
        }
        if f.firmware_limit_c
            .is_some_and(|c| !(100.0..=500.0).contains(&c))
        {
            return bad(
                "facts.firmware_limit_c",
                "A firmware limit is 100 to 500 °C.",
            );
        }
        let impossible = |v: &f64| !v.is_finite() || *v <= 0.0;
        if f.gear.is_some_and(|g| {
            [
                g.full_steps,
                g.microsteps,
                g.gear_ratio,
                g.drive_diameter_mm,
            ]
            .iter()
            .any(impossible)
        }) {
            return bad(
                "facts.gear",
                "Full steps, microsteps, ratio and diameter are all above zero.",
            );
        }
        Ok(())
    }
}

impl NewFilament {
    /// Checks a filament.
    /// # Errors
    /// [`BadRecord`] for the first field that can't be meant.
    pub fn check(&self) -> Result<(), BadRecord> {
        named("name", &self.name, "the filament’s name")?;
        named("material", &self.material, "its material")
    }
}

impl NewJob {
    /// Checks a job.
    /// # Errors
    /// [`BadRecord`] for the first field that can't be meant.
    pub fn check(&self) -> Result<(), BadRecord> {
        match &self.begins {
            Begins::Parts if self.replaced.is_empty() => {
                return bad("replaced", "Choose at least one part that was replaced.");
            }
            Begins::Filament if self.filament_ids.is_empty() => {
                return bad("filament_ids", "Choose the filament that is new.");
            }
            Begins::Symptom if self.complaint.trim().is_empty() => {
                return bad("complaint", "Type what is wrong, in the customer’s words.");
            }
            Begins::CheckUp { parameters } if parameters.len() > Parameter::ALL.len() => {
                return bad("begins", "A value is named twice.");
            }
            _ => {}
        }
        for (field, text, most) in [
            ("complaint", &self.complaint, 2000),
            ("tried", &self.tried, 2000),
            ("customer", &self.customer, 80),
            ("technician", &self.technician, 80),
        ] {
            if text.chars().count() > most {
                return bad(
                    field,
                    format!("That is too long. Type at most {most} characters."),
                );
            }
        }
        if self.failure_times_min.len() > 50
            || self
                .failure_times_min
                .iter()
                .any(|m| !m.is_finite() || *m <= 0.0 || *m > 100_000.0)
        {
            return bad(
                "failure_times_min",
                "Type minutes of printing, above 0 and at most 100 000.",
            );
        }
        if self.filament_ids.len() > 6 {
            return bad("filament_ids", "Six filaments in one job are enough.");
        }
        Ok(())
    }
}
