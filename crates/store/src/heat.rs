//! Connections, temperature logs, the record of the wire, and how hot ends cool.

use rusqlite::{OptionalExtension, params};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::{Cooling, Trace};

use crate::files::enter;
use crate::{Store, StoreError, samples};

/// Where a printer is reached.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Connection {
    /// The printer.
    pub printer_id: i64,
    /// Its address as JSON.
    pub address: String,
    /// Whether it is to be connected when the server starts.
    pub wanted: bool,
}

/// A kept log without its samples.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TraceHead {
    /// Its number.
    pub id: i64,
    /// The printer.
    pub printer_id: i64,
    /// The job it was taken in.
    pub job_id: Option<i64>,
    /// What it is of, e.g. `hold`, `autotune`, `verify`, `file`.
    pub kind: String,
    /// Target [°C], where one was meant.
    pub target_c: Option<f64>,
    /// When it was kept.
    pub at: String,
    /// Name of its file.
    pub sha256: String,
}

fn head(r: &rusqlite::Row<'_>) -> rusqlite::Result<TraceHead> {
    Ok(TraceHead {
        id: r.get(0)?,
        printer_id: r.get(1)?,
        job_id: r.get(2)?,
        kind: r.get(3)?,
        target_c: r.get(4)?,
        at: r.get(5)?,
        sha256: r.get(6)?,
    })
}

/// The file that a log was read from.
#[derive(Clone, Copy, Debug)]
pub struct Source<'a> {
    /// Its name among the files.
    pub sha256: &'a str,
    /// Its name where it came from.
    pub name: &'a str,
}

/// A log to keep.
#[derive(Clone, Copy, Debug)]
pub struct NewTrace<'a> {
    /// The printer.
    pub printer_id: i64,
    /// The job.
    pub job_id: Option<i64>,
    /// What it is of.
    pub kind: &'a str,
    /// Target [°C].
    pub target_c: Option<f64>,
    /// The samples.
    pub trace: &'a Trace,
    /// The file it was read from, where it was.
    pub source: Option<Source<'a>>,
}

/// A line of the wire to keep.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewWire {
    /// The printer.
    pub printer_id: i64,
    /// When (RFC 3339).
    pub at: String,
    /// `sent`, `answered` or `noted`.
    pub way: &'static str,
    /// The line.
    pub text: String,
}

/// A kept line of the wire.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct WireLine {
    /// Its number.
    pub id: i64,
    /// When.
    pub at: String,
    /// `sent`, `answered` or `noted`.
    pub way: String,
    /// The line.
    pub text: String,
}

impl Store {
    /// Where printers are reached.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn connections(&self) -> Result<Vec<Connection>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT printer_id, address, wanted FROM connection")?;
        let rows = statement.query_map([], |r| {
            Ok(Connection {
                printer_id: r.get(0)?,
                address: r.get(1)?,
                wanted: r.get(2)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Keeps where a printer is reached.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn put_connection(&mut self, c: &Connection) -> Result<(), StoreError> {
        self.conn.execute(
            "INSERT OR REPLACE INTO connection VALUES (?1, ?2, ?3)",
            params![c.printer_id, c.address, c.wanted],
        )?;
        Ok(())
    }

    /// Keeps a log, whole, and returns its number.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn keep_trace(&mut self, new: &NewTrace<'_>, at: &str) -> Result<i64, StoreError> {
        self.put_trace(None, new, at)
    }

    /// Keeps a log in the place of another, or as one of its own.
    fn put_trace(
        &mut self,
        instead_of: Option<i64>,
        new: &NewTrace<'_>,
        at: &str,
    ) -> Result<i64, StoreError> {
        let blob = self
            .files
            .keep(samples::write(new.trace).as_bytes(), samples::MEDIA)?;
        let tx = self.conn.transaction()?;
        enter(&tx, &blob, at)?;
        if let Some(id) = instead_of {
            tx.execute(
                "UPDATE trace SET target_c = ?2, sha256 = ?3 WHERE id = ?1",
                params![id, new.target_c, blob.sha256],
            )?;
            tx.commit()?;
            return Ok(id);
        }
        tx.execute(
            "INSERT INTO trace (printer_id, job_id, kind, target_c, at, sha256) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            params![new.printer_id, new.job_id, new.kind, new.target_c, at, blob.sha256],
        )?;
        let id = tx.last_insert_rowid();
        if let Some(source) = new.source {
            tx.execute(
                "INSERT INTO attachment (sha256, kind, name, at, trace_id) VALUES (?1, 'log', ?2, ?3, ?4)",
                params![source.sha256, source.name, at, id],
            )?;
        }
        tx.commit()?;
        Ok(id)
    }

    /// Keeps a file that was read once more, another way: in the place of log `kept` while that is the same file of the
    /// same printer and nothing has been entered for the printer since it was kept, else beside it. Returns its number.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn keep_trace_again(
        &mut self,
        kept: i64,
        new: &NewTrace<'_>,
        at: &str,
    ) -> Result<i64, StoreError> {
        // What rests on a log was entered after it: a record isn't changed behind its reader.
        let free = self
            .conn
            .query_row(
                "SELECT 1 FROM trace t JOIN attachment a ON a.trace_id = t.id
                 WHERE t.id = ?1 AND t.printer_id = ?2 AND t.job_id IS ?3 AND t.kind = ?4 AND a.sha256 = ?5
                 AND NOT EXISTS (SELECT 1 FROM logbook l WHERE l.printer_id = t.printer_id AND l.at >= t.at)",
                params![
                    kept,
                    new.printer_id,
                    new.job_id,
                    new.kind,
                    new.source.map(|s| s.sha256)
                ],
                |_| Ok(()),
            )
            .optional()?;
        self.put_trace(free.map(|()| kept), new, at)
    }

    /// A kept log.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none.
    pub fn trace(&self, id: i64) -> Result<(TraceHead, Trace), StoreError> {
        let head = self
            .conn
            .query_row(
                "SELECT id, printer_id, job_id, kind, target_c, at, sha256 FROM trace WHERE id = ?1",
                [id],
                head,
            )
            .optional()?
            .ok_or(StoreError::NotFound {
                what: "log",
                id: id.to_string(),
            })?;
        let trace = samples::read(self.files.open(&head.sha256)?)?;
        Ok((head, trace))
    }

    /// Logs of a printer, the newest first, at most 100.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn traces(&self, printer_id: i64) -> Result<Vec<TraceHead>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT id, printer_id, job_id, kind, target_c, at, sha256 FROM trace WHERE printer_id = ?1 ORDER BY id DESC LIMIT 100",
        )?;
        let rows = statement.query_map([printer_id], head)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// The newest logs of all printers, the newest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn newest_traces(&self, most: u32) -> Result<Vec<TraceHead>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT id, printer_id, job_id, kind, target_c, at, sha256 FROM trace ORDER BY id DESC LIMIT ?1",
        )?;
        let rows = statement.query_map([most], head)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// All logs, the oldest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn all_traces(&self) -> Result<Vec<TraceHead>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT id, printer_id, job_id, kind, target_c, at, sha256 FROM trace ORDER BY id",
        )?;
        let rows = statement.query_map([], head)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Keeps lines of the wire, in one transaction.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn keep_wire(&mut self, lines: &[NewWire]) -> Result<(), StoreError> {
        let tx = self.conn.transaction()?;
        {
            let mut statement = tx.prepare_cached(
                "INSERT INTO wire (printer_id, at, way, text) VALUES (?1, ?2, ?3, ?4)",
            )?;
            for l in lines {
                statement.execute(params![l.printer_id, l.at, l.way, l.text])?;
            }
        }
        tx.commit()?;
        Ok(())
    }

    /// Lets go of old lines of the wire: those before `before` (RFC 3339), and all but the newest
    /// `most` of each printer. A few thousand at a time, so that nobody waits long; how many went.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn prune_wire(&mut self, before: &str, most: u32) -> Result<usize, StoreError> {
        Ok(self.conn.execute(
            "DELETE FROM wire WHERE id IN (
                SELECT id FROM wire WHERE at < ?1
                UNION
                SELECT w.id FROM (SELECT DISTINCT printer_id AS p FROM wire) JOIN wire w ON w.printer_id = p
                WHERE w.id <= (SELECT id FROM wire n WHERE n.printer_id = p ORDER BY id DESC LIMIT 1 OFFSET ?2)
                LIMIT 5000)",
            params![before, most],
        )?)
    }

    /// Lines of a printer's wire, the newest first, at most 300: those containing `find`, older than
    /// `before`.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn wire(
        &self,
        printer_id: i64,
        find: Option<&str>,
        before: Option<i64>,
    ) -> Result<Vec<WireLine>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT id, at, way, text FROM wire WHERE printer_id = ?1
               AND (?2 IS NULL OR instr(lower(text), lower(?2)) > 0) AND (?3 IS NULL OR id < ?3)
             ORDER BY id DESC LIMIT 300",
        )?;
        let rows = statement.query_map(params![printer_id, find, before], |r| {
            Ok(WireLine {
                id: r.get(0)?,
                at: r.get(1)?,
                way: r.get(2)?,
                text: r.get(3)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// How a printer's hot end cools, where it was found.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn cooling(&self, printer_id: i64) -> Result<Option<Cooling>, StoreError> {
        Ok(self
            .conn
            .query_row(
                "SELECT tau_s, ambient_c FROM cooling WHERE printer_id = ?1",
                [printer_id],
                |r| {
                    Ok(Cooling {
                        tau_s: r.get(0)?,
                        ambient_c: r.get(1)?,
                        own: true,
                    })
                },
            )
            .optional()?)
    }

    /// Keeps how a printer's hot end cools.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn put_cooling(
        &mut self,
        printer_id: i64,
        c: &Cooling,
        at: &str,
    ) -> Result<(), StoreError> {
        self.conn.execute(
            "INSERT OR REPLACE INTO cooling VALUES (?1, ?2, ?3, ?4)",
            params![printer_id, c.tau_s, c.ambient_c, at],
        )?;
        Ok(())
    }
}
