//! The logbook: only ever appended to.

use rusqlite::{Connection, params};
use wattotherm_measure::Verdict;
use wattotherm_printer::Part;

use crate::records::LogEntry;
use crate::{Store, StoreError};

/// A line to append.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Line<'a> {
    pub at: &'a str,
    pub kind: &'a str,
    pub printer_id: Option<i64>,
    pub job_id: Option<i64>,
    pub stop: Option<&'a str>,
    pub part: Option<Part>,
    pub who: &'a str,
    pub text: &'a str,
    pub verdict: Option<Verdict>,
    pub supersedes: Option<i64>,
}

/// What a note is about; all may be blank.
#[derive(Clone, Copy, Debug, Default)]
pub struct About {
    /// Printer concerned.
    pub printer_id: Option<i64>,
    /// Job concerned.
    pub job_id: Option<i64>,
    /// Part concerned.
    pub part: Option<Part>,
}

pub(crate) fn append(conn: &Connection, line: &Line<'_>) -> Result<i64, StoreError> {
    conn.execute(
        "INSERT INTO logbook (at, kind, printer_id, job_id, stop, part, who, text, verdict, supersedes)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
        params![
            line.at,
            line.kind,
            line.printer_id,
            line.job_id,
            line.stop,
            line.part.map(Part::id),
            line.who,
            line.text,
            line.verdict.map(Verdict::id),
            line.supersedes
        ],
    )?;
    Ok(conn.last_insert_rowid())
}

/// Which entries to show.
#[derive(Clone, Debug, Default)]
pub struct LogFilter {
    /// Of one printer.
    pub printer_id: Option<i64>,
    /// Of one job.
    pub job_id: Option<i64>,
    /// Of one part.
    pub part: Option<Part>,
    /// Containing this text.
    pub text: Option<String>,
    /// Older than this entry.
    pub before: Option<i64>,
}

/// Entries given at once.
const PAGE: i64 = 200;

impl Store {
    /// Entries, the newest first, at most 200.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn logbook(&self, filter: &LogFilter) -> Result<Vec<LogEntry>, StoreError> {
        // Only what is asked for is asked: a condition that may be none keeps an index from being used.
        let mut conditions = Vec::new();
        if filter.printer_id.is_some() {
            conditions.push("l.printer_id = ?1");
        }
        if filter.job_id.is_some() {
            conditions.push("l.job_id = ?2");
        }
        if filter.part.is_some() {
            conditions.push(
                "(l.part = ?3 OR EXISTS (SELECT 1 FROM job_replacement r WHERE r.job_id = l.job_id AND r.replacement IN (SELECT value FROM json_each(?6))))",
            );
        }
        if filter.text.is_some() {
            conditions.push("instr(lower(l.text), lower(?4)) > 0");
        }
        if filter.before.is_some() {
            conditions.push("l.id < ?5");
        }
        conditions
            .push("?1 IS ?1 AND ?2 IS ?2 AND ?3 IS ?3 AND ?4 IS ?4 AND ?5 IS ?5 AND ?6 IS ?6");
        let mut statement = self.conn.prepare_cached(&format!(
            "SELECT l.id, l.at, l.kind, l.printer_id, l.job_id, l.stop, l.part, l.who, l.text, l.verdict, l.supersedes,
                    (SELECT MIN(s.id) FROM logbook s WHERE s.supersedes = l.id)
             FROM logbook l WHERE {} ORDER BY l.id DESC LIMIT ?7",
            conditions.join(" AND ")
        ))?;
        let rows_of_part: Vec<&str> = filter
            .part
            .map(|p| p.replacements().iter().map(|r| r.id()).collect())
            .unwrap_or_default();
        let rows = statement.query_map(
            params![
                filter.printer_id,
                filter.job_id,
                filter.part.map(Part::id),
                filter.text,
                filter.before,
                serde_json::to_string(&rows_of_part)?,
                PAGE
            ],
            |r| {
                let part: Option<String> = r.get(6)?;
                let verdict: Option<String> = r.get(9)?;
                Ok(LogEntry {
                    id: r.get(0)?,
                    at: r.get(1)?,
                    kind: r.get(2)?,
                    printer_id: r.get(3)?,
                    job_id: r.get(4)?,
                    stop: r.get(5)?,
                    part: part.as_deref().and_then(Part::from_id),
                    who: r.get(7)?,
                    text: r.get(8)?,
                    verdict: verdict.as_deref().and_then(|v| v.parse().ok()),
                    supersedes: r.get(10)?,
                    superseded_by: r.get(11)?,
                })
            },
        )?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Number of the newest entry; 0 while there is none. Everything that a plan or a station's
    /// context depends on leaves an entry, so an unchanged number means that nothing changed.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn newest_entry(&self) -> Result<i64, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT coalesce(max(id), 0) FROM logbook")?;
        Ok(statement.query_row([], |r| r.get(0))?)
    }

    /// Writes a note and returns its number.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn note(
        &mut self,
        about: About,
        who: &str,
        text: &str,
        at: &str,
    ) -> Result<i64, StoreError> {
        append(
            &self.conn,
            &Line {
                at,
                kind: "note",
                printer_id: about.printer_id,
                job_id: about.job_id,
                part: about.part,
                who,
                text,
                ..Line::default()
            },
        )
    }
}
