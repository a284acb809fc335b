//! Printers, filaments, fittings, settings.

use rusqlite::{Connection, OptionalExtension, Row, params};
use wattotherm_job::chain::Strength;
use wattotherm_printer::{Parameter, Part};

use crate::logbook::{Line, append};
use crate::records::{
    Filament, Fitting, NewFilament, NewPrinter, NewSetting, Printer, Setting, StaleMark,
};
use crate::{Store, StoreError};

fn printer_of(row: &Row<'_>) -> rusqlite::Result<(Printer, String)> {
    let facts: String = row.get(3)?;
    Ok((
        Printer {
            id: row.get(0)?,
            name: row.get(1)?,
            kind: row.get(2)?,
            facts: wattotherm_printer::PrinterFacts::default(),
            invented: row.get(4)?,
            added_at: row.get(5)?,
            unreadable: None,
        },
        facts,
    ))
}

/// Facts that don't read are taken for the most careful ones, and said to be unreadable: one damaged
/// row must not take the others off the page.
fn with_facts((mut printer, facts): (Printer, String)) -> Printer {
    match serde_json::from_str(&facts) {
        Ok(f) => printer.facts = f,
        Err(e) => {
            printer.unreadable = Some(format!(
                "What is fitted to this printer can't be read in the data file ({e}). It is treated as a lined hot end with the usual sensor."
            ));
        }
    }
    printer
}

const PRINTER: &str = "SELECT id, name, kind, facts, invented, added_at FROM printer";

impl Store {
    /// All printers by name.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn printers(&self) -> Result<Vec<Printer>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached(&format!("{PRINTER} ORDER BY name"))?;
        let rows = statement.query_map([], printer_of)?;
        Ok(rows.map(|r| r.map(with_facts)).collect::<Result<_, _>>()?)
    }

    /// One printer.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none.
    pub fn printer(&self, id: i64) -> Result<Printer, StoreError> {
        let found = self
            .conn
            .query_row(&format!("{PRINTER} WHERE id = ?1"), [id], printer_of)
            .optional()?
            .ok_or(StoreError::NotFound {
                what: "printer",
                id: id.to_string(),
            })?;
        Ok(with_facts(found))
    }

    /// Adds a printer and returns its id.
    /// # Errors
    /// [`StoreError::Conflict`] if the name is taken.
    pub fn add_printer(&mut self, new: &NewPrinter, at: &str) -> Result<i64, StoreError> {
        let tx = self.conn.transaction()?;
        let taken: bool = tx.query_row(
            "SELECT EXISTS (SELECT 1 FROM printer WHERE name = ?1)",
            [&new.name],
            |r| r.get(0),
        )?;
        if taken {
            return Err(StoreError::Conflict(format!(
                "There is already a printer called {}. Choose another name.",
                new.name
            )));
        }
        tx.execute(
            "INSERT INTO printer (name, kind, facts, invented, added_at) VALUES (?1, ?2, ?3, ?4, ?5)",
            params![new.name, new.kind, serde_json::to_string(&new.facts)?, new.invented, at],
        )?;
        let id = tx.last_insert_rowid();
        append(
            &tx,
            &Line {
                at,
                kind: "printer",
                printer_id: Some(id),
                text: &format!("{} added: {}", new.name, new.kind),
                ..Line::default()
            },
        )?;
        tx.commit()?;
        Ok(id)
    }

    /// All filaments by name.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn filaments(&self) -> Result<Vec<Filament>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT id, name, material FROM filament ORDER BY name")?;
        let rows = statement.query_map([], |r| {
            Ok(Filament {
                id: r.get(0)?,
                name: r.get(1)?,
                material: r.get(2)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Adds a filament, or finds it by name, and returns its id.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn add_filament(&mut self, new: &NewFilament) -> Result<i64, StoreError> {
        let id = self
            .conn
            .query_row(
                "SELECT id FROM filament WHERE name = ?1",
                [&new.name],
                |r| r.get(0),
            )
            .optional()?;
        if let Some(id) = id {
            return Ok(id);
        }
        self.conn.execute(
            "INSERT INTO filament (name, material) VALUES (?1, ?2)",
            params![new.name, new.material],
        )?;
        Ok(self.conn.last_insert_rowid())
    }

    /// Parts of a printer over time, the newest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn fittings(&self, printer_id: i64) -> Result<Vec<Fitting>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT part, description, from_at, until_at, job_id FROM fitting WHERE printer_id = ?1 ORDER BY from_at DESC, id DESC",
        )?;
        let rows = statement.query_map([printer_id], |r| {
            Ok((
                r.get::<_, String>(0)?,
                r.get(1)?,
                r.get(2)?,
                r.get(3)?,
                r.get(4)?,
            ))
        })?;
        let mut all = Vec::new();
        for row in rows {
            let (part, description, from_at, until_at, job_id) = row?;
            if let Some(part) = Part::from_id(&part) {
                all.push(Fitting {
                    part,
                    description,
                    from_at,
                    until_at,
                    job_id,
                });
            }
        }
        Ok(all)
    }

    /// Fits a part; the one before it ends here.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn fit(
        &mut self,
        printer_id: i64,
        part: Part,
        description: &str,
        job_id: Option<i64>,
        at: &str,
    ) -> Result<(), StoreError> {
        let tx = self.conn.transaction()?;
        fit_in(&tx, printer_id, part, description, job_id, at)?;
        tx.commit()?;
        Ok(())
    }

    /// Settings of a printer over time, the newest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn settings(&self, printer_id: i64) -> Result<Vec<Setting>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT parameter, filament_id, value, value_text, expanded, from_at, until_at, log_id
             FROM setting WHERE printer_id = ?1 ORDER BY from_at DESC, id DESC",
        )?;
        let rows = statement.query_map([printer_id], |r| {
            let name: String = r.get(0)?;
            Ok(Parameter::from_id(&name).map(|parameter| {
                Ok::<_, rusqlite::Error>(Setting {
                    parameter,
                    filament_id: r.get(1)?,
                    value: r.get(2)?,
                    value_text: r.get(3)?,
                    expanded: r.get(4)?,
                    from_at: r.get(5)?,
                    until_at: r.get(6)?,
                    log_id: r.get(7)?,
                })
            }))
        })?;
        let mut all = Vec::new();
        for row in rows {
            if let Some(setting) = row? {
                all.push(setting?);
            }
        }
        Ok(all)
    }

    /// Puts a value in force that was not found in a job, e.g. read off the printer.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn put_setting(
        &mut self,
        printer_id: i64,
        new: &NewSetting,
        at: &str,
    ) -> Result<(), StoreError> {
        self.printer(printer_id)?;
        let tx = self.conn.transaction()?;
        let shown = new.value.map_or_else(
            || new.value_text.clone().unwrap_or_default(),
            |v| wattotherm_measure::text::plain(v, 4),
        );
        let unit = wattotherm_measure::text::spaced(new.parameter.unit());
        let text = format!("{} noted: {shown}{unit}", new.parameter.label());
        let log = append(
            &tx,
            &Line {
                at,
                kind: "setting",
                printer_id: Some(printer_id),
                station: Some(new.parameter.id()),
                text: &text,
                ..Line::default()
            },
        )?;
        put_in(&tx, printer_id, new, Some(log), at)?;
        tx.commit()?;
        Ok(())
    }

    /// Filament values in doubt on a printer.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn stale(&self, printer_id: i64) -> Result<Vec<StaleMark>, StoreError> {
        stale_in(&self.conn, printer_id)
    }
}

pub(crate) fn stale_in(conn: &Connection, printer_id: i64) -> Result<Vec<StaleMark>, StoreError> {
    let mut statement = conn.prepare_cached(
        "SELECT parameter, filament_id, strength, clause FROM stale WHERE printer_id = ?1",
    )?;
    let rows = statement.query_map([printer_id], |r| {
        Ok((
            r.get::<_, String>(0)?,
            r.get::<_, i64>(1)?,
            r.get::<_, String>(2)?,
            r.get::<_, String>(3)?,
        ))
    })?;
    let mut all = Vec::new();
    for row in rows {
        let (parameter, filament_id, strength, clause) = row?;
        if let Some(parameter) = Parameter::from_id(&parameter) {
            all.push(StaleMark {
                parameter,
                filament_id,
                strength: Strength::of_word(&strength),
                clause,
            });
        }
    }
    Ok(all)
}

pub(crate) fn fit_in(
    conn: &Connection,
    printer_id: i64,
    part: Part,
    description: &str,
    job_id: Option<i64>,
    at: &str,
) -> Result<(), StoreError> {
    conn.execute(
        "UPDATE fitting SET until_at = ?3 WHERE printer_id = ?1 AND part = ?2 AND until_at IS NULL",
        params![printer_id, part.id(), at],
    )?;
    conn.execute(
        "INSERT INTO fitting (printer_id, part, description, from_at, job_id) VALUES (?1, ?2, ?3, ?4, ?5)",
        params![printer_id, part.id(), description, at, job_id],
    )?;
    Ok(())
}

pub(crate) fn put_in(
    conn: &Connection,
    printer_id: i64,
    new: &NewSetting,
    log_id: Option<i64>,
    at: &str,
) -> Result<(), StoreError> {
    conn.execute(
        "UPDATE setting SET until_at = ?4
         WHERE printer_id = ?1 AND parameter = ?2 AND filament_id IS ?3 AND until_at IS NULL",
        params![printer_id, new.parameter.id(), new.filament_id, at],
    )?;
    conn.execute(
        "INSERT INTO setting (printer_id, parameter, filament_id, value, value_text, expanded, from_at, log_id)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
        params![printer_id, new.parameter.id(), new.filament_id, new.value, new.value_text, new.expanded, at, log_id],
    )?;
    Ok(())
}
