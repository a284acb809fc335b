//! Printers, filaments, fittings, settings.

use std::collections::HashMap;

use rusqlite::{Connection, OptionalExtension, Row, params};
use wattotherm_job::chain::Strength;
use wattotherm_job::effects::Effect;
use wattotherm_measure::Pen;
use wattotherm_printer::{Fitted, Parameter, Part, PrinterFacts};

use crate::logbook::{Line, append};
use crate::records::{
    Filament, Fitting, NewFilament, NewPrinter, NewSetting, Printer, Setting, StaleMark,
};
use crate::{Store, StoreError};

fn printer_of(row: &Row<'_>) -> rusqlite::Result<Printer> {
    Ok(Printer {
        id: row.get(0)?,
        name: row.get(1)?,
        kind: row.get(2)?,
        facts: PrinterFacts::default(),
        invented: row.get(3)?,
        added_at: row.get(4)?,
        retired_at: row.get(5)?,
        unreadable: None,
    })
}

const PRINTER: &str = "SELECT id, name, kind, invented, added_at, retired_at FROM printer";

/// What is kept of the pieces at a printer's places; with why, where one can't be read.
#[derive(Debug, Default)]
pub(crate) struct Known {
    pub fitted: Vec<Fitted>,
    unreadable: Option<String>,
}

impl Known {
    fn take(&mut self, json: &str) {
        match serde_json::from_str(json) {
            Ok(f) => self.fitted.push(f),
            Err(e) => {
                self.unreadable = Some(format!(
                    "What is fitted to this printer can’t be read in the data file ({e}). It is treated as a lined hot end with the usual sensor."
                ));
            }
        }
    }

    /// Facts that don't read are taken for the most careful ones, and said to be unreadable: one damaged
    /// row must not take the others off the page.
    fn put_into(self, printer: &mut Printer) {
        printer.facts = if self.unreadable.is_some() {
            PrinterFacts::default()
        } else {
            PrinterFacts::of(&self.fitted)
        };
        printer.unreadable = self.unreadable;
    }
}

/// What is at the places of a printer now, or was at a moment.
pub(crate) fn known_in(
    conn: &Connection,
    printer_id: i64,
    at: Option<&str>,
) -> Result<Known, StoreError> {
    let mut statement = conn.prepare_cached(
        "SELECT fitted FROM fitting WHERE printer_id = ?1 AND fitted IS NOT NULL
           AND CASE WHEN ?2 IS NULL THEN until_at IS NULL
                    ELSE from_at <= ?2 AND (until_at IS NULL OR until_at > ?2) END
         ORDER BY id",
    )?;
    let mut known = Known::default();
    for json in statement.query_map(params![printer_id, at], |r| r.get::<_, String>(0))? {
        known.take(&json?);
    }
    Ok(known)
}

impl Store {
    /// All printers by name, retired ones among them.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn printers(&self) -> Result<Vec<Printer>, StoreError> {
        let mut known: HashMap<i64, Known> = HashMap::new();
        let mut pieces = self.conn.prepare_cached(
            "SELECT printer_id, fitted FROM fitting WHERE until_at IS NULL AND fitted IS NOT NULL ORDER BY id",
        )?;
        for row in pieces.query_map([], |r| Ok((r.get::<_, i64>(0)?, r.get::<_, String>(1)?)))? {
            let (id, json) = row?;
            known.entry(id).or_default().take(&json);
        }
        let mut statement = self
            .conn
            .prepare_cached(&format!("{PRINTER} ORDER BY name"))?;
        let mut printers: Vec<Printer> = statement
            .query_map([], printer_of)?
            .collect::<Result<_, _>>()?;
        for p in &mut printers {
            known.remove(&p.id).unwrap_or_default().put_into(p);
        }
        Ok(printers)
    }

    /// One printer.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none.
    pub fn printer(&self, id: i64) -> Result<Printer, StoreError> {
        self.printer_at(id, None)
    }

    /// One printer as it was at a moment, as far as what was fitted goes; none for now.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none.
    pub fn printer_at(&self, id: i64, at: Option<&str>) -> Result<Printer, StoreError> {
        let mut printer = self
            .conn
            .query_row(&format!("{PRINTER} WHERE id = ?1"), [id], printer_of)
            .optional()?
            .ok_or(StoreError::NotFound {
                what: "printer",
                id: id.to_string(),
            })?;
        known_in(&self.conn, id, at)?.put_into(&mut printer);
        Ok(printer)
    }

    /// What is known of the pieces at a printer's places.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn fitted(&self, printer_id: i64) -> Result<Vec<Fitted>, StoreError> {
        Ok(known_in(&self.conn, printer_id, None)?.fitted)
    }

    /// Adds a printer and returns its id.
    /// # Errors
    /// [`StoreError::Conflict`] if the name is taken.
    pub fn add_printer(&mut self, new: &NewPrinter, at: &str) -> Result<i64, StoreError> {
        self.add_printer_with(new, &new.facts.fitted(), at)
    }

    /// Adds a printer of which this is known, and no more; its facts aren't looked at.
    /// # Errors
    /// [`StoreError::Conflict`] if the name is taken.
    pub fn add_printer_with(
        &mut self,
        new: &NewPrinter,
        fitted: &[Fitted],
        at: &str,
    ) -> Result<i64, StoreError> {
        let tx = self.conn.transaction()?;
        free_name(&tx, &new.name, None)?;
        let id = insert_printer(&tx, new, fitted, at)?;
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

    /// Renames or corrects a printer.
    /// # Errors
    /// [`StoreError::Conflict`] if the name is taken, [`StoreError::NotFound`] if there is no such printer.
    pub fn edit_printer(
        &mut self,
        id: i64,
        name: &str,
        kind: &str,
        effects: &[Effect],
        at: &str,
    ) -> Result<(), StoreError> {
        let old = self.printer(id)?;
        let tx = self.conn.transaction()?;
        free_name(&tx, name, Some(id))?;
        tx.execute(
            "UPDATE printer SET name = ?2, kind = ?3 WHERE id = ?1",
            params![id, name, kind],
        )?;
        let mut said = Vec::new();
        if old.name != name {
            said.push(format!("renamed, was {}", old.name));
        }
        if old.kind != kind {
            said.push(format!("kind: {kind}"));
        }
        said.extend(effects.iter().filter_map(|e| match e {
            Effect::Correct { description, .. } => Some(description.clone()),
            _ => None,
        }));
        if said.is_empty() {
            return Ok(());
        }
        let log = append(
            &tx,
            &Line {
                at,
                kind: "printer",
                printer_id: Some(id),
                text: &format!("{name} put right: {}", said.join("; ")),
                ..Line::default()
            },
        )?;
        write_effects(&tx, id, None, effects, log, at)?;
        tx.commit()?;
        Ok(())
    }

    /// Takes a printer out of the shop, or back in; its history stays.
    /// # Errors
    /// [`StoreError::Conflict`] while a job is open, [`StoreError::NotFound`] if there is no such printer.
    pub fn retire_printer(&mut self, id: i64, retired: bool, at: &str) -> Result<(), StoreError> {
        let printer = self.printer(id)?;
        if printer.retired_at.is_some() == retired {
            return Ok(());
        }
        let tx = self.conn.transaction()?;
        if retired && let Some(job) = open_job(&tx, id)? {
            return Err(StoreError::Conflict(format!(
                "{} has an open job. Hand job {job} over first.",
                printer.name
            )));
        }
        tx.execute(
            "UPDATE printer SET retired_at = ?2 WHERE id = ?1",
            params![id, retired.then_some(at)],
        )?;
        let word = if retired {
            "retired"
        } else {
            "taken back into the shop"
        };
        append(
            &tx,
            &Line {
                at,
                kind: "printer",
                printer_id: Some(id),
                text: &format!("{} {word}", printer.name),
                ..Line::default()
            },
        )?;
        tx.commit()?;
        Ok(())
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
            "SELECT part, description, from_at, until_at, job_id, fitted FROM fitting WHERE printer_id = ?1 ORDER BY from_at DESC, id DESC",
        )?;
        let rows = statement.query_map([printer_id], |r| {
            Ok((
                r.get::<_, String>(0)?,
                r.get(1)?,
                r.get(2)?,
                r.get(3)?,
                r.get(4)?,
                r.get::<_, Option<String>>(5)?,
            ))
        })?;
        let mut all = Vec::new();
        for row in rows {
            let (part, description, from_at, until_at, job_id, fitted) = row?;
            if let Some(part) = Part::from_id(&part) {
                all.push(Fitting {
                    part,
                    description,
                    from_at,
                    until_at,
                    job_id,
                    fitted: fitted.and_then(|f| serde_json::from_str(&f).ok()),
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
        let known = known_in(&tx, printer_id, None)?;
        let same = known.fitted.iter().find(|f| f.part() == part);
        fit_in(
            &tx,
            printer_id,
            &Piece {
                part,
                description,
                fitted: same,
                job_id,
                log_id: None,
            },
            at,
        )?;
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
            |v| Pen::METRIC.plain(v, new.parameter.unit(), 4),
        );
        let text = format!("{} noted: {shown}", new.parameter.label());
        let log = append(
            &tx,
            &Line {
                at,
                kind: "setting",
                printer_id: Some(printer_id),
                stop: Some(new.parameter.id()),
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
            r.get::<_, Option<i64>>(1)?,
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

/// A piece that comes to its place.
pub(crate) struct Piece<'a> {
    pub part: Part,
    pub description: &'a str,
    pub fitted: Option<&'a Fitted>,
    pub job_id: Option<i64>,
    pub log_id: Option<i64>,
}

pub(crate) fn fit_in(
    conn: &Connection,
    printer_id: i64,
    piece: &Piece<'_>,
    at: &str,
) -> Result<(), StoreError> {
    conn.execute(
        "UPDATE fitting SET until_at = max(from_at, ?3) WHERE printer_id = ?1 AND part = ?2 AND until_at IS NULL",
        params![printer_id, piece.part.id(), at],
    )?;
    let json = piece.fitted.map(serde_json::to_string).transpose()?;
    conn.execute(
        "INSERT INTO fitting (printer_id, part, description, fitted, from_at, job_id, log_id) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)",
        params![printer_id, piece.part.id(), piece.description, json, at, piece.job_id, piece.log_id],
    )?;
    Ok(())
}

fn free_name(conn: &Connection, name: &str, own: Option<i64>) -> Result<(), StoreError> {
    let taken: bool = conn.query_row(
        "SELECT EXISTS (SELECT 1 FROM printer WHERE name = ?1 AND id IS NOT ?2)",
        params![name, own],
        |r| r.get(0),
    )?;
    if taken {
        return Err(StoreError::Conflict(format!(
            "There is already a printer called {name}. Choose another name."
        )));
    }
    Ok(())
}

pub(crate) fn insert_printer(
    conn: &Connection,
    new: &NewPrinter,
    fitted: &[Fitted],
    at: &str,
) -> Result<i64, StoreError> {
    conn.execute(
        "INSERT INTO printer (name, kind, invented, added_at) VALUES (?1, ?2, ?3, ?4)",
        params![new.name, new.kind, new.invented, at],
    )?;
    let id = conn.last_insert_rowid();
    for one in fitted {
        let piece = Piece {
            part: one.part(),
            description: "as the printer was added",
            fitted: Some(one),
            job_id: None,
            log_id: None,
        };
        fit_in(conn, id, &piece, at)?;
    }
    Ok(id)
}

/// The open job of a printer, if there is one.
pub(crate) fn open_job(conn: &Connection, printer_id: i64) -> Result<Option<i64>, StoreError> {
    Ok(conn
        .query_row(
            "SELECT id FROM job WHERE printer_id = ?1 AND finished_at IS NULL",
            [printer_id],
            |r| r.get(0),
        )
        .optional()?)
}

/// Writes what the core says that a closing or a correction does; filaments' doubts are the job's.
pub(crate) fn write_effects(
    conn: &Connection,
    printer_id: i64,
    job_id: Option<i64>,
    effects: &[Effect],
    log: i64,
    at: &str,
) -> Result<(), StoreError> {
    let known = known_in(conn, printer_id, None)?.fitted;
    let there = |part: Part| known.iter().find(|k| k.part() == part);
    for effect in effects {
        let (part, description, fitted) = match effect {
            Effect::Fit {
                part,
                description,
                fitted,
            } => {
                // What isn't told of the new piece is as it was.
                let new = fitted
                    .as_ref()
                    .map(|f| there(*part).map_or_else(|| f.clone(), |old| old.with(f)));
                (*part, description, new)
            }
            Effect::Learn {
                description,
                fitted,
            } => {
                let old = there(fitted.part());
                let new = old.map_or_else(|| fitted.clone(), |old| old.with(fitted));
                if old == Some(&new) {
                    continue;
                }
                (fitted.part(), description, Some(new))
            }
            Effect::Correct {
                description,
                fitted,
            } => (fitted.part(), description, Some(fitted.clone())),
            Effect::Forget(parameter) => {
                conn.execute(
                    "UPDATE setting SET until_at = max(from_at, ?3)
                     WHERE printer_id = ?1 AND parameter = ?2 AND filament_id IS NULL AND until_at IS NULL",
                    params![printer_id, parameter.id(), at],
                )?;
                continue;
            }
            Effect::Doubt { .. } | Effect::Leave(_) | Effect::PutBack(_) => continue,
        };
        let piece = Piece {
            part,
            description,
            fitted: fitted.as_ref(),
            job_id,
            log_id: Some(log),
        };
        fit_in(conn, printer_id, &piece, at)?;
    }
    Ok(())
}

/// Takes back what a closing fitted or learnt: the pieces before it are there again.
pub(crate) fn unfit_in(
    conn: &Connection,
    printer_id: i64,
    closing: i64,
    log: i64,
    at: &str,
) -> Result<(), StoreError> {
    let mut statement = conn.prepare_cached(
        "SELECT f.part, (SELECT p.id FROM fitting p WHERE p.printer_id = f.printer_id AND p.part = f.part AND p.id < f.id ORDER BY p.id DESC LIMIT 1)
         FROM fitting f WHERE f.printer_id = ?1 AND f.log_id = ?2 AND f.until_at IS NULL",
    )?;
    let pieces: Vec<(String, Option<i64>)> = statement
        .query_map(params![printer_id, closing], |r| Ok((r.get(0)?, r.get(1)?)))?
        .collect::<Result<_, _>>()?;
    for (part, before) in pieces {
        conn.execute(
            "UPDATE fitting SET until_at = max(from_at, ?3) WHERE printer_id = ?1 AND part = ?2 AND until_at IS NULL",
            params![printer_id, part, at],
        )?;
        if let Some(before) = before {
            conn.execute(
                "INSERT INTO fitting (printer_id, part, description, fitted, from_at, job_id, log_id)
                 SELECT printer_id, part, description, fitted, ?2, job_id, ?3 FROM fitting WHERE id = ?1",
                params![before, at, log],
            )?;
        }
    }
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
