//! Heat that was switched on from here and is not known to be off.

use rusqlite::params;
use wattotherm_gcode::Heater;

use crate::logbook::{Line, append};
use crate::{Store, StoreError};

/// Heat that may still be on.
#[derive(Clone, Debug, PartialEq)]
pub struct HeatOn {
    /// The printer.
    pub printer_id: i64,
    /// The heater.
    pub heater: Heater,
    /// Its target [°C].
    pub target_c: f64,
    /// What it was switched on for, e.g. "autotune".
    pub why: String,
    /// Since when (RFC 3339).
    pub at: String,
}

impl Store {
    /// Keeps that heat is switched on: written before the command goes out, so that it is there whatever
    /// becomes of this program.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn put_heat_on(&mut self, heat: &HeatOn) -> Result<(), StoreError> {
        self.conn.execute(
            "INSERT OR REPLACE INTO heat_on VALUES (?1, ?2, ?3, ?4, ?5)",
            params![
                heat.printer_id,
                serde_json::to_string(&heat.heater)?,
                heat.target_c,
                heat.why,
                heat.at
            ],
        )?;
        Ok(())
    }

    /// All heat that may still be on.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn heat_on(&self) -> Result<Vec<HeatOn>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT printer_id, heater, target_c, why, at FROM heat_on")?;
        let rows = statement.query_map([], |r| {
            let heater: String = r.get(1)?;
            Ok(HeatOn {
                printer_id: r.get(0)?,
                // What doesn't read is taken for the nozzle: the most dangerous.
                heater: serde_json::from_str(&heater).unwrap_or(Heater::Tool(0)),
                target_c: r.get(2)?,
                why: r.get(3)?,
                at: r.get(4)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Forgets a printer's heat: it is known to be off, or not ours.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn heat_is_off(&mut self, printer_id: i64) -> Result<(), StoreError> {
        self.conn
            .execute("DELETE FROM heat_on WHERE printer_id = ?1", [printer_id])?;
        Ok(())
    }

    /// Writes into the logbook what became of a printer's heat, and returns the entry's number.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn log_heat(&mut self, printer_id: i64, text: &str, at: &str) -> Result<i64, StoreError> {
        append(
            &self.conn,
            &Line {
                at,
                kind: "heat",
                printer_id: Some(printer_id),
                text,
                ..Line::default()
            },
        )
    }
}
