//! What happens to a job besides its stations: kept beside a line of the logbook.

use rusqlite::params;
use wattotherm_job::route::{Deed, Ending, LeftOpen, Stop, still_changed};

use crate::doubt::{doubt_by_parts, doubt_left};
use crate::jobs::reopen_in;
use crate::keep_deed::keep_in;
use crate::printers::open_job;
use crate::records::{ChangedAt, DeedEntry, Job, JobEnd};
use crate::{Store, StoreError};

impl Store {
    /// What of a printer isn't as it belongs, with the job that changed it, by all its jobs so far; or by the
    /// jobs up to a moment.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn changed(
        &self,
        printer_id: i64,
        until: Option<&str>,
    ) -> Result<Vec<ChangedAt>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT l.at, d.job_id, d.deed FROM deed d JOIN logbook l ON l.id = d.log_id
             WHERE l.printer_id = ?1 AND (?2 IS NULL OR l.at <= ?2) ORDER BY d.log_id",
        )?;
        let rows = statement.query_map(params![printer_id, until], |r| {
            Ok((r.get(0)?, r.get(1)?, r.get::<_, String>(2)?))
        })?;
        let mut deeds: Vec<((String, i64), Deed)> = Vec::new();
        for row in rows {
            let (at, job, deed) = row?;
            if let Ok(deed) = serde_json::from_str(&deed) {
                deeds.push(((at, job), deed));
            }
        }
        let all = still_changed(deeds.iter().map(|(of, deed)| (of, deed)));
        Ok(all
            .into_iter()
            .map(|((at, job_id), changed)| ChangedAt {
                since: at.clone(),
                job_id: *job_id,
                says: changed.says(),
                changed,
            })
            .collect())
    }

    /// What happened to a job besides its stations, oldest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn deeds(&self, job_id: i64) -> Result<Vec<DeedEntry>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT d.log_id, l.at, l.who, l.text, d.deed FROM deed d JOIN logbook l ON l.id = d.log_id
             WHERE d.job_id = ?1 ORDER BY d.log_id",
        )?;
        let rows = statement.query_map([job_id], |r| {
            Ok((
                r.get(0)?,
                r.get(1)?,
                r.get(2)?,
                r.get(3)?,
                r.get::<_, String>(4)?,
            ))
        })?;
        let mut all = Vec::new();
        for row in rows {
            let (seq, at, who, says, deed) = row?;
            // One that doesn't read any more decides nothing; its line stays in the book.
            if let Ok(deed) = serde_json::from_str(&deed) {
                all.push(DeedEntry {
                    seq,
                    at,
                    who,
                    says,
                    deed,
                });
            }
        }
        Ok(all)
    }

    /// Keeps what happened to a job, and what follows from it: who works on it, whether it is open, what it leaves
    /// in doubt. `says` is its line of the logbook. Returns the number of the entry.
    /// # Errors
    /// [`StoreError::Conflict`] where another job of the printer is open; [`StoreError`] of the database.
    pub fn add_deed(
        &mut self,
        job: &Job,
        deed: &Deed,
        says: &str,
        left: &[LeftOpen],
        at: &str,
    ) -> Result<i64, StoreError> {
        let house = self.house()?;
        let tx = self.conn.transaction()?;
        if job.finished_at.is_some()
            && let Some(other) = open_job(&tx, job.printer_id)?.filter(|o| *o != job.id)
        {
            return Err(StoreError::Conflict(format!(
                "Job {other} is open on this printer, and there can be one. Hand it over first; then this one can be opened again."
            )));
        }
        let stop: Option<Stop> = match deed {
            Deed::Waived { stop, .. } => stop.parse().ok(),
            Deed::PartAdded { part, .. } | Deed::PartTaken { part, .. } => Some(Stop::Fit(*part)),
            _ => None,
        };
        let key = stop.map(|s| s.to_string());
        let seq = keep_in(&tx, job, deed, says, key.as_deref(), at)?;
        match deed {
            Deed::PartAdded { part, .. } => {
                let mine: Vec<i64> = job.filaments.iter().map(|f| f.id).collect();
                let tables = house.chain_tables();
                doubt_by_parts(&tx, &tables, (job.printer_id, job.id), &mine, &[*part])?;
                // What was typed of the part before belongs to the one before.
                tx.execute(
                    "DELETE FROM draft WHERE job_id = ?1 AND stop = ?2 AND EXISTS (SELECT 1 FROM closing WHERE job_id = ?1 AND stop = ?2)",
                    params![job.id, key],
                )?;
            }
            Deed::HandedOn { to, .. } => {
                tx.execute(
                    "UPDATE job SET technician = ?2 WHERE id = ?1",
                    params![job.id, to],
                )?;
            }
            Deed::Ended { how, .. } => {
                let end = match how {
                    Ending::Unfixed => JobEnd::Unfixed,
                    Ending::Cancelled => JobEnd::Cancelled,
                };
                tx.execute(
                    "UPDATE job SET finished_at = ?2, ended = ?3 WHERE id = ?1",
                    params![job.id, at, end.id()],
                )?;
                // A job that was called off before anything was fitted leaves the printer as it was.
                if *how == Ending::Unfixed {
                    doubt_left(&tx, job, left)?;
                }
            }
            Deed::CameBack { .. } | Deed::Reopened { .. } => reopen_in(&tx, job.id)?,
            Deed::PartTaken { .. }
            | Deed::ValueAsked { .. }
            | Deed::Waived { .. }
            | Deed::Changed { .. }
            | Deed::PutBack { .. }
            | Deed::Paused { .. }
            | Deed::TimerSet { .. }
            | Deed::TimerOver { .. }
            | Deed::Resumed {} => {}
        }
        tx.commit()?;
        Ok(seq)
    }
}
