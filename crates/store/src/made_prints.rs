//! Prints made: how far each came, and how long it took beside what was predicted.

use rusqlite::{OptionalExtension as _, Row, params};

use crate::logbook::{Line, append};
use crate::{Store, StoreError};

/// A print that was made or is being made.
#[derive(Clone, Debug, PartialEq)]
pub struct MadePrint {
    /// Its number.
    pub id: i64,
    /// The printer.
    pub printer_id: i64,
    /// The file, while it is kept.
    pub print_file_id: Option<i64>,
    /// What the file was called.
    pub name: String,
    /// When it began (RFC 3339).
    pub began_at: String,
    /// When it ended (RFC 3339).
    pub ended_at: Option<String>,
    /// `running`, `done`, `stopped`, `broken`, or `typed` for one that was made elsewhere.
    pub how: String,
    /// How it ended, in words.
    pub says: String,
    /// Seconds predicted, the printer's factor not in them.
    pub predicted_s: f64,
    /// Seconds that it took, without heating, homing and pauses.
    pub took_s: Option<f64>,
    /// Seconds that it paused.
    pub paused_s: f64,
    /// The last line that the printer took.
    pub line: u64,
    /// The layer it came to; 0 before the first.
    pub layer: u64,
    /// Layers in all.
    pub layers: u64,
    /// Height of that layer [mm].
    pub z_mm: f64,
}

/// A print to be kept.
#[derive(Clone, Debug)]
pub struct NewMadePrint<'a> {
    /// The printer.
    pub printer_id: i64,
    /// The file.
    pub print_file_id: i64,
    /// What it is called.
    pub name: &'a str,
    /// Seconds predicted, the printer's factor not in them.
    pub predicted_s: f64,
    /// Layers in all.
    pub layers: u64,
    /// Seconds that it took, typed for one that was made elsewhere; none for one that begins.
    pub took_s: Option<f64>,
}

/// How far a print is, or how it ended.
#[derive(Clone, Debug, Default)]
pub struct MadePrintEnd<'a> {
    /// `running`, `done`, `stopped` or `broken`.
    pub how: &'a str,
    /// In words.
    pub says: &'a str,
    /// Seconds that it took.
    pub took_s: Option<f64>,
    /// Seconds that it paused.
    pub paused_s: f64,
    /// The last line that the printer took.
    pub line: u64,
    /// The layer it came to.
    pub layer: u64,
    /// Height of that layer [mm].
    pub z_mm: f64,
}

const READ: &str = "SELECT id, printer_id, print_file_id, name, began_at, ended_at, how, says, predicted_s, took_s,
    paused_s, line, layer, layers, z_mm FROM made_print";

fn read(r: &Row<'_>) -> rusqlite::Result<MadePrint> {
    let whole = |i: usize| r.get::<_, i64>(i).map(i64::unsigned_abs);
    Ok(MadePrint {
        id: r.get(0)?,
        printer_id: r.get(1)?,
        print_file_id: r.get(2)?,
        name: r.get(3)?,
        began_at: r.get(4)?,
        ended_at: r.get(5)?,
        how: r.get(6)?,
        says: r.get(7)?,
        predicted_s: r.get(8)?,
        took_s: r.get(9)?,
        paused_s: r.get(10)?,
        line: whole(11)?,
        layer: whole(12)?,
        layers: whole(13)?,
        z_mm: r.get(14)?,
    })
}

fn count(n: u64) -> i64 {
    i64::try_from(n).unwrap_or(i64::MAX)
}

impl Store {
    /// Keeps a print that begins, or one that was made elsewhere and timed by hand. Its number.
    /// # Errors
    /// [`StoreError`] of the database; one print at a time runs on a printer.
    pub fn begin_made_print(
        &mut self,
        new: &NewMadePrint<'_>,
        at: &str,
    ) -> Result<i64, StoreError> {
        let tx = self.conn.transaction()?;
        let how = if new.took_s.is_some() {
            "typed"
        } else {
            "running"
        };
        tx.execute(
            "INSERT INTO made_print (printer_id, print_file_id, name, began_at, ended_at, how, predicted_s, took_s, layers)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
            params![
                new.printer_id,
                new.print_file_id,
                new.name,
                at,
                new.took_s.map(|_| at),
                how,
                new.predicted_s,
                new.took_s,
                count(new.layers)
            ],
        )?;
        let id = tx.last_insert_rowid();
        let text = match new.took_s {
            None => format!("Print of {} begun.", new.name),
            Some(_) => format!("Print of {} timed by the clock.", new.name),
        };
        append(
            &tx,
            &Line {
                at,
                kind: "print",
                printer_id: Some(new.printer_id),
                text: &text,
                ..Line::default()
            },
        )?;
        tx.commit()?;
        Ok(id)
    }

    /// Keeps how far a print is; with another `how` than `running` it has ended.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn put_made_print(
        &mut self,
        id: i64,
        end: &MadePrintEnd<'_>,
        at: &str,
    ) -> Result<(), StoreError> {
        let tx = self.conn.transaction()?;
        let ended = (end.how != "running").then_some(at);
        tx.execute(
            "UPDATE made_print SET how = ?2, says = ?3, took_s = ?4, paused_s = ?5, line = ?6, layer = ?7, z_mm = ?8, ended_at = ?9
             WHERE id = ?1 AND how = 'running'",
            params![
                id,
                end.how,
                end.says,
                end.took_s,
                end.paused_s,
                count(end.line),
                count(end.layer),
                end.z_mm,
                ended
            ],
        )?;
        if ended.is_some() {
            let (printer_id, name): (i64, String) = tx.query_row(
                "SELECT printer_id, name FROM made_print WHERE id = ?1",
                [id],
                |r| Ok((r.get(0)?, r.get(1)?)),
            )?;
            append(
                &tx,
                &Line {
                    at,
                    kind: "print",
                    printer_id: Some(printer_id),
                    text: &format!("Print of {name}: {}", end.says),
                    ..Line::default()
                },
            )?;
        }
        tx.commit()?;
        Ok(())
    }

    /// Ends prints that a server left running which ended without a word; how many.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn end_lost_made_prints(&mut self, at: &str) -> Result<usize, StoreError> {
        let lost: Vec<MadePrint> = {
            let mut all = self
                .conn
                .prepare(&format!("{READ} WHERE how = 'running'"))?;
            let rows = all.query_map([], read)?;
            rows.collect::<Result<_, _>>()?
        };
        for run in &lost {
            let says = format!(
                "Wattotherm ended while it printed, after line {} (layer {} of {}). The printer stands where it ran out of moves: look whether it is hot, lift the head, take the part off.",
                run.line, run.layer, run.layers
            );
            let end = MadePrintEnd {
                how: "broken",
                says: &says,
                took_s: None,
                paused_s: run.paused_s,
                line: run.line,
                layer: run.layer,
                z_mm: run.z_mm,
            };
            self.put_made_print(run.id, &end, at)?;
        }
        Ok(lost.len())
    }

    /// Prints of a file, the newest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn made_prints_of_file(&self, print_file_id: i64) -> Result<Vec<MadePrint>, StoreError> {
        let mut all = self.conn.prepare_cached(&format!(
            "{READ} WHERE print_file_id = ?1 ORDER BY id DESC LIMIT 50"
        ))?;
        let rows = all.query_map([print_file_id], read)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Prints of a printer, the newest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn made_prints_of_printer(&self, printer_id: i64) -> Result<Vec<MadePrint>, StoreError> {
        let mut all = self.conn.prepare_cached(&format!(
            "{READ} WHERE printer_id = ?1 ORDER BY id DESC LIMIT 50"
        ))?;
        let rows = all.query_map([printer_id], read)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// What was predicted and what it took [s], of a printer's prints that came to their end since its limits were
    /// last changed: other limits make other predictions.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn timed_prints(&self, printer_id: i64) -> Result<Vec<(f64, f64)>, StoreError> {
        let mut all = self.conn.prepare_cached(
            "SELECT predicted_s, took_s FROM made_print
             WHERE printer_id = ?1 AND how IN ('done', 'typed') AND took_s > 0
               AND began_at >= coalesce((SELECT at FROM path_limits WHERE printer_id = ?1), '')
             ORDER BY id DESC LIMIT 30",
        )?;
        let rows = all.query_map([printer_id], |r| Ok((r.get(0)?, r.get(1)?)))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// What a printer's axes can do, as JSON, and whether a report said it or somebody typed it.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn path_limits(&self, printer_id: i64) -> Result<Option<(String, String)>, StoreError> {
        Ok(self
            .conn
            .query_row(
                "SELECT limits, source FROM path_limits WHERE printer_id = ?1",
                [printer_id],
                |r| Ok((r.get(0)?, r.get(1)?)),
            )
            .optional()?)
    }

    /// Keeps what a printer's axes can do, as JSON; `source` is `report` or `typed`. The same again changes nothing.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn put_path_limits(
        &mut self,
        printer_id: i64,
        limits: &str,
        source: &str,
        at: &str,
    ) -> Result<(), StoreError> {
        self.conn.execute(
            "INSERT INTO path_limits (printer_id, limits, source, at) VALUES (?1, ?2, ?3, ?4)
             ON CONFLICT(printer_id) DO UPDATE SET limits = excluded.limits, source = excluded.source, at = excluded.at
             WHERE path_limits.limits <> excluded.limits",
            params![printer_id, limits, source, at],
        )?;
        Ok(())
    }
}
