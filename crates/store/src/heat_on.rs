//! Heat that was switched on from here and is not known to be off.

use rusqlite::{Connection, params};
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

/// What one look at a printer's heat showed; kept whole or not at all.
#[derive(Clone, Debug, PartialEq)]
pub struct HeatSeen {
    /// The printer.
    pub printer_id: i64,
    /// When it was looked at (RFC 3339, milliseconds).
    pub at: String,
    /// Whether what was noted before then is known to be off, or not ours.
    pub off: bool,
    /// What is on now.
    pub on: Vec<HeatOn>,
    /// What became of heat, for the logbook.
    pub log: Vec<String>,
}

impl Store {
    /// Keeps what was seen of heat, in the order in which it was seen.
    /// # Errors
    /// [`StoreError`] of the database; then nothing of it is kept.
    pub fn keep_heat_seen(&mut self, seen: &[HeatSeen]) -> Result<(), StoreError> {
        let t = self.conn.transaction()?;
        for s in seen {
            if s.off {
                off(&t, s.printer_id, &s.at)?;
            }
            for heat in &s.on {
                put(&t, heat)?;
            }
            for text in &s.log {
                log(&t, s.printer_id, text, &s.at)?;
            }
        }
        Ok(t.commit()?)
    }

    /// Keeps that heat is switched on: written before the command goes out, so that it is there whatever
    /// becomes of this program.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn put_heat_on(&mut self, heat: &HeatOn) -> Result<(), StoreError> {
        put(&self.conn, heat)
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

    /// Forgets a printer's heat that was noted before a moment (RFC 3339, milliseconds): it is known to be off, or
    /// not ours. What was noted later may be on.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn heat_is_off(&mut self, printer_id: i64, at: &str) -> Result<(), StoreError> {
        off(&self.conn, printer_id, at)
    }

    /// Writes into the logbook what became of a printer's heat, and returns the entry's number.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn log_heat(&mut self, printer_id: i64, text: &str, at: &str) -> Result<i64, StoreError> {
        log(&self.conn, printer_id, text, at)
    }
}

fn put(conn: &Connection, heat: &HeatOn) -> Result<(), StoreError> {
    conn.execute(
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

fn off(conn: &Connection, printer_id: i64, at: &str) -> Result<(), StoreError> {
    conn.execute(
        "DELETE FROM heat_on WHERE printer_id = ?1 AND at < ?2",
        params![printer_id, at],
    )?;
    Ok(())
}

fn log(conn: &Connection, printer_id: i64, text: &str, at: &str) -> Result<i64, StoreError> {
    append(
        conn,
        &Line {
            at,
            kind: "heat",
            printer_id: Some(printer_id),
            text,
            ..Line::default()
        },
    )
}
