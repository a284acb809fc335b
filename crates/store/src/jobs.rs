//! Jobs: starting, typing, closing, reopening.

use std::collections::BTreeSet;

use rusqlite::{Connection, OptionalExtension, params};
use wattotherm_job::Context;
use wattotherm_job::chain::{ChainTables, StaleCause};
use wattotherm_job::effects::Effect;
use wattotherm_job::finding::Finding;
use wattotherm_job::route::{Begins, Deed, Event, JobFacts, Stop};
use wattotherm_measure::{Pen, Verdict};
use wattotherm_printer::{HotEndKind, NozzleMount, Parameter, Replacement};

use crate::doubt::{doubt_by_effects, doubt_by_parts, proven};
use crate::keep_deed::put_back_in;
use crate::logbook::{Line, append};
use crate::printers::{open_job, put_in, stale_in, unfit_in, write_effects};
use crate::records::{
    Closing, Filament, Job, JobEnd, JobFilter, JobHead, NewJob, NewSetting, Shows,
};
use crate::{Store, StoreError};

impl Store {
    /// Starts a job and returns its number.
    /// # Errors
    /// [`StoreError`] if printer or filament don't exist.
    pub fn start_job(&mut self, new: &NewJob, at: &str) -> Result<i64, StoreError> {
        let house = self.house()?;
        let tx = self.conn.transaction()?;
        let job_id = insert_job(&tx, new, at, None)?;
        let text = format!("Job {job_id} started: {}", begun(new));
        append(
            &tx,
            &Line {
                at,
                kind: "job",
                printer_id: Some(new.printer_id),
                job_id: Some(job_id),
                who: &new.technician,
                text: &text,
                ..Line::default()
            },
        )?;
        let mine = (new.printer_id, job_id);
        doubt_by_parts(
            &tx,
            &house.chain_tables(),
            mine,
            &new.filament_ids,
            &new.replaced,
        )?;
        tx.commit()?;
        Ok(job_id)
    }

    /// One job.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none.
    pub fn job(&self, id: i64) -> Result<Job, StoreError> {
        let mut job = self
            .conn
            .query_row(
                "SELECT id, printer_id, complaint, shows, tried, customer, technician, opened_at, finished_at, begins, ended FROM job WHERE id = ?1",
                [id],
                |r| {
                    let shows: String = r.get(3)?;
                    Ok(Job {
                        id: r.get(0)?,
                        printer_id: r.get(1)?,
                        complaint: r.get(2)?,
                        shows: Shows::from_id(&shows),
                        tried: r.get(4)?,
                        customer: r.get(5)?,
                        technician: r.get(6)?,
                        begins: serde_json::from_str(&r.get::<_, String>(9)?).unwrap_or_default(),
                        began_with: Vec::new(),
                        replaced: Vec::new(),
                        filaments: Vec::new(),
                        failure_times_min: Vec::new(),
                        opened_at: r.get(7)?,
                        finished_at: r.get(8)?,
                        ended: r.get::<_, Option<String>>(10)?.and_then(|e| JobEnd::from_id(&e)),
                    })
                },
            )
            .optional()?
            .ok_or(StoreError::NotFound { what: "job", id: id.to_string() })?;
        let mut statement = self
            .conn
            .prepare_cached("SELECT replacement FROM job_replacement WHERE job_id = ?1")?;
        for r in statement.query_map([id], |r| r.get::<_, String>(0))? {
            job.began_with.extend(Replacement::from_id(&r?));
        }
        job.began_with.sort_unstable();
        let mut statement = self.conn.prepare_cached(
            "SELECT f.id, f.name, f.material FROM job_filament j JOIN filament f ON f.id = j.filament_id WHERE j.job_id = ?1 ORDER BY f.id",
        )?;
        for f in statement.query_map([id], |r| {
            Ok(Filament {
                id: r.get(0)?,
                name: r.get(1)?,
                material: r.get(2)?,
            })
        })? {
            job.filaments.push(f?);
        }
        job.failure_times_min = self.failure_times(id)?;
        let mut parts: BTreeSet<Replacement> = job.began_with.iter().copied().collect();
        for entry in self.deeds(id)? {
            match entry.deed {
                Deed::PartAdded { part, .. } => {
                    parts.insert(part);
                }
                Deed::PartTaken { part, .. } => {
                    parts.remove(&part);
                }
                _ => {}
            }
        }
        job.replaced = parts.into_iter().collect();
        Ok(job)
    }

    /// Minutes of printing after which the complaint had shown when a job began [min].
    pub(crate) fn failure_times(&self, job_id: i64) -> Result<Vec<f64>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT minutes FROM failure_time WHERE job_id = ?1 ORDER BY rowid")?;
        let rows = statement.query_map([job_id], |r| r.get(0))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// All jobs, the newest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn jobs(&self) -> Result<Vec<Job>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT id FROM job ORDER BY id DESC")?;
        let ids: Vec<i64> = statement
            .query_map([], |r| r.get(0))?
            .collect::<Result<_, _>>()?;
        ids.into_iter().map(|id| self.job(id)).collect()
    }

    /// Jobs that are not handed over, the newest first: one a printer at most.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn open_jobs(&self) -> Result<Vec<Job>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT id FROM job WHERE finished_at IS NULL ORDER BY id DESC")?;
        let ids: Vec<i64> = statement
            .query_map([], |r| r.get(0))?
            .collect::<Result<_, _>>()?;
        ids.into_iter().map(|id| self.job(id)).collect()
    }

    /// The open job of a printer.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn open_job_of(&self, printer_id: i64) -> Result<Option<Job>, StoreError> {
        open_job(&self.conn, printer_id)?
            .map(|id| self.job(id))
            .transpose()
    }

    /// Jobs that a filter lets through, the newest first, at most `most`, with their printers' names.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn job_heads(&self, filter: &JobFilter, most: u32) -> Result<Vec<JobHead>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT j.id, j.printer_id, p.name, j.complaint, j.opened_at, j.finished_at, j.begins, j.ended
             FROM job j JOIN printer p ON p.id = j.printer_id
             WHERE (?1 IS NULL OR j.id < ?1) AND (?2 IS NULL OR j.printer_id = ?2)
               AND (?3 IS NULL OR (j.finished_at IS NULL) = ?3) AND (?6 IS NULL OR j.ended = ?6)
               AND (?4 = '' OR instr(lower('job ' || j.id || ' ' || p.name || ' ' || j.complaint || ' ' || j.customer
                    || ' ' || j.technician || ' ' || j.tried), ?4) > 0)
             ORDER BY j.id DESC LIMIT ?5",
        )?;
        let wanted = params![
            filter.before,
            filter.printer_id,
            filter.open,
            filter.text.trim().to_lowercase(),
            most,
            filter.ended.map(JobEnd::id)
        ];
        let rows = statement.query_map(wanted, |r| {
            Ok(JobHead {
                id: r.get(0)?,
                printer_id: r.get(1)?,
                printer: r.get(2)?,
                complaint: r.get(3)?,
                opened_at: r.get(4)?,
                finished_at: r.get(5)?,
                begins: serde_json::from_str(&r.get::<_, String>(6)?).unwrap_or_default(),
                ended: r
                    .get::<_, Option<String>>(7)?
                    .and_then(|e| JobEnd::from_id(&e)),
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// What the core's traveller needs to know of a job.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn job_facts(&self, job: &Job) -> Result<JobFacts, StoreError> {
        let begun = NewJob {
            printer_id: job.printer_id,
            complaint: job.complaint.clone(),
            shows: job.shows,
            begins: job.begins.clone(),
            replaced: job.began_with.clone(),
            filament_ids: job.filaments.iter().map(|f| f.id).collect(),
            ..NewJob::default()
        };
        let mut facts = self.planned_facts(&begun)?;
        facts.handed_over = job.ended == Some(JobEnd::HandedOver);
        if job.finished_at.is_some() {
            facts.stale.clear();
        }
        for s in self.settings(job.printer_id)? {
            if s.in_force_at(&job.opened_at) {
                let stop = Stop::Parameter(s.parameter, s.filament_id);
                if let Some(v) = s.value {
                    facts.initial.insert(stop, v);
                }
                if let Some(t) = s.value_text {
                    facts.initial_text.insert(stop, t);
                }
            }
        }
        Ok(facts)
    }

    /// The same of a job that isn't started yet: no value was in force before it.
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such printer.
    pub fn planned_facts(&self, new: &NewJob) -> Result<JobFacts, StoreError> {
        let printer = self.printer(new.printer_id)?;
        let mine = |f: i64| new.filament_ids.contains(&f);
        let mut filaments: Vec<(i64, String)> = self
            .filaments()?
            .into_iter()
            .filter(|f| mine(f.id))
            .map(|f| (f.id, f.name))
            .collect();
        filaments.sort_unstable();
        let mut facts = JobFacts {
            begins: new.begins.clone(),
            replaced: new.replaced.iter().copied().collect(),
            complaint: new.shows != Shows::NoComplaint || !new.complaint.trim().is_empty(),
            filaments,
            nozzles: printer.facts.nozzles,
            quick_nozzle: printer.facts.mount == Some(NozzleMount::QuickChange),
            probe: printer.facts.probe_mm.is_some(),
            gantry: printer.facts.z_motors.is_some_and(|n| n > 1.5),
            lined: printer.facts.hot_end == HotEndKind::Lined,
            ..JobFacts::default()
        };
        // Marks of this very job concern filaments it doesn't work through, or what it left when it ended first.
        for mark in stale_in(&self.conn, new.printer_id)? {
            if mark.filament_id.is_none_or(mine) {
                let cause = StaleCause {
                    strength: mark.strength,
                    clause: mark.clause,
                };
                facts
                    .stale
                    .insert((mark.parameter, mark.filament_id), cause);
            }
        }
        Ok(facts)
    }

    /// What happened in a job, oldest first.
    /// # Errors
    /// [`StoreError`] of the database, or a stored finding that doesn't read.
    pub fn events(&self, job_id: i64) -> Result<Vec<Event>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT l.id, l.kind, l.stop, c.finding, d.deed FROM logbook l
             LEFT JOIN closing c ON c.log_id = l.id LEFT JOIN deed d ON d.log_id = l.id
             WHERE l.job_id = ?1 AND (l.kind IN ('closed', 'reopened') OR d.deed IS NOT NULL) ORDER BY l.id",
        )?;
        let rows = statement.query_map([job_id], |r| {
            Ok((
                r.get::<_, i64>(0)?,
                r.get::<_, String>(1)?,
                r.get::<_, Option<String>>(2)?,
                r.get::<_, Option<String>>(3)?,
                r.get::<_, Option<String>>(4)?,
            ))
        })?;
        let mut events = Vec::new();
        for row in rows {
            let (id, kind, stop, finding, deed) = row?;
            let seq = u64::try_from(id).unwrap_or(0);
            if let Some(deed) = deed {
                // One that doesn't read any more is left out, and stays in the book.
                events.extend(
                    serde_json::from_str(&deed)
                        .ok()
                        .map(|deed| Event::Did { seq, deed }),
                );
                continue;
            }
            let Some(stop) = stop.and_then(|s| s.parse().ok()) else {
                continue;
            };
            match (kind.as_str(), finding) {
                ("closed", Some(f)) => events.push(Event::Closed {
                    seq,
                    stop,
                    finding: Box::new(finding_of(&f, stop.station().id())),
                }),
                _ => events.push(Event::Reopened { seq, stop }),
            }
        }
        Ok(events)
    }

    /// Closings of a job, oldest first.
    /// # Errors
    /// [`StoreError`] of the database, or a stored record that doesn't read.
    pub fn closings(&self, job_id: i64) -> Result<Vec<Closing>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT c.log_id, l.at, l.who, c.stop, c.readings, c.finding,
                    EXISTS (SELECT 1 FROM logbook s WHERE s.supersedes = l.id)
             FROM closing c JOIN logbook l ON l.id = c.log_id WHERE c.job_id = ?1 ORDER BY c.log_id",
        )?;
        let rows = statement.query_map([job_id], |r| {
            Ok((
                r.get(0)?,
                r.get(1)?,
                r.get(2)?,
                r.get::<_, String>(3)?,
                r.get::<_, String>(4)?,
                r.get::<_, String>(5)?,
                r.get(6)?,
            ))
        })?;
        let mut all = Vec::new();
        for row in rows {
            let (seq, at, who, stop, readings, finding, superseded) = row?;
            let finding = finding_of(&finding, &stop);
            all.push(Closing {
                seq,
                at,
                who,
                stop,
                readings: serde_json::from_str(&readings).unwrap_or_default(),
                finding,
                superseded,
            });
        }
        Ok(all)
    }

    /// Closes a station: readings, finding, logbook line, and the value it leaves, in one
    /// transaction. Returns the number of the logbook entry.
    /// # Errors
    /// [`StoreError`] of the database; then nothing is stored.
    pub fn close_station(
        &mut self,
        job: &Job,
        stop: Stop,
        readings: &serde_json::Value,
        finding: &Finding,
        effects: &[Effect],
        at: &str,
    ) -> Result<i64, StoreError> {
        let house = self.house()?;
        let tx = self.conn.transaction()?;
        let key = stop.to_string();
        let part = match stop {
            Stop::Fit(r) => Some(r.part()),
            _ => None,
        };
        let previous = last_closing(&tx, job.id, &key)?;
        // A sheet that was opened again is put right; nothing is fitted anew.
        let corrects = tx.query_row(
            "SELECT EXISTS (SELECT 1 FROM logbook WHERE job_id = ?1 AND stop = ?2 AND kind = 'reopened' AND id > ?3)",
            params![job.id, key, previous],
            |r| r.get(0),
        )?;
        let title = finding.words.title.as_str();
        let text = match stop {
            Stop::Parameter(p, _) => format!("{}: {}", p.label(), finding.words.line),
            _ => format!(
                "{}: {}",
                wattotherm_measure::text::capital(title),
                finding.words.line
            ),
        };
        let seq = append(
            &tx,
            &Line {
                at,
                kind: "closed",
                printer_id: Some(job.printer_id),
                job_id: Some(job.id),
                stop: Some(&key),
                part,
                who: &job.technician,
                text: &text,
                verdict: Some(finding.facts.verdict),
                supersedes: previous,
            },
        )?;
        tx.execute(
            "INSERT INTO closing (log_id, job_id, stop, readings, finding) VALUES (?1, ?2, ?3, ?4, ?5)",
            params![seq, job.id, key, readings.to_string(), serde_json::to_string(&finding.clone().in_units(Pen::METRIC))?],
        )?;
        tx.execute(
            "DELETE FROM draft WHERE job_id = ?1 AND stop = ?2",
            params![job.id, key],
        )?;
        note_down(&tx, job, &key, title, readings, at)?;
        if let (Stop::Fit(r), Verdict::Pass, false) = (stop, finding.facts.verdict, corrects) {
            set_aside(&tx, &house.chain_tables(), job, r, at)?;
        }
        match stop {
            Stop::Parameter(parameter, filament_id) => {
                keep_value(&tx, job, parameter, filament_id, finding, seq, at)?;
            }
            Stop::HandOver if finding.facts.verdict == Verdict::Pass => {
                tx.execute(
                    "UPDATE job SET finished_at = ?2, ended = 'handed_over' WHERE id = ?1",
                    params![job.id, at],
                )?;
                append(
                    &tx,
                    &Line {
                        at,
                        kind: "job",
                        printer_id: Some(job.printer_id),
                        job_id: Some(job.id),
                        who: &job.technician,
                        text: &format!("Job {} handed over", job.id),
                        ..Line::default()
                    },
                )?;
            }
            _ => {}
        }
        write_effects(&tx, job.printer_id, Some(job.id), effects, seq, at)?;
        doubt_by_effects(&tx, job, effects)?;
        put_back_in(&tx, job, effects, at)?;
        tx.commit()?;
        Ok(seq)
    }

    /// Opens a closed station again; the old closing stays in the logbook. Its readings come back
    /// as the draft.
    /// # Errors
    /// [`StoreError::Conflict`] if it isn't closed.
    pub fn reopen_station(
        &mut self,
        job: &Job,
        stop: Stop,
        reason: &str,
        at: &str,
    ) -> Result<i64, StoreError> {
        let key = stop.to_string();
        let tx = self.conn.transaction()?;
        let previous = last_closing(&tx, job.id, &key)?;
        let left_out: bool = tx.query_row(
            "SELECT EXISTS (SELECT 1 FROM deed d JOIN logbook l ON l.id = d.log_id
             WHERE d.job_id = ?1 AND l.stop = ?2 AND json_extract(d.deed, '$.deed') = 'waived')",
            params![job.id, key],
            |r| r.get(0),
        )?;
        if previous.is_none() && !left_out {
            return Err(StoreError::Conflict(
                "This station was never closed, so there is nothing to reopen.".into(),
            ));
        }
        if let Some(other) = open_job(&tx, job.printer_id)?.filter(|o| *o != job.id) {
            return Err(StoreError::Conflict(format!(
                "Job {other} is open on this printer, and there can be one. Hand it over first; then this one can be opened again."
            )));
        }
        let text = format!("Reopened: {reason}");
        let seq = append(
            &tx,
            &Line {
                at,
                kind: "reopened",
                printer_id: Some(job.printer_id),
                job_id: Some(job.id),
                stop: Some(&key),
                who: &job.technician,
                text: &text,
                supersedes: previous,
                ..Line::default()
            },
        )?;
        // What was typed since stays; after a stop everything is read anew.
        if let Some(previous) = previous {
            tx.execute(
            "INSERT OR IGNORE INTO draft (job_id, stop, readings, at) SELECT job_id, stop, readings, ?2 FROM closing WHERE log_id = ?1 AND (SELECT verdict FROM logbook WHERE id = ?1) IS NOT 'stop'",
            params![previous, at],
        )?;
            unfit_in(&tx, job.printer_id, previous, seq, at)?;
        }
        reopen_in(&tx, job.id)?;
        tx.commit()?;
        Ok(seq)
    }
}

/// What a job began with, in words.
fn begun(new: &NewJob) -> String {
    let labels: Vec<&str> = new.replaced.iter().map(|r| r.label()).collect();
    let parts = wattotherm_measure::text::join_and(&labels);
    let with = match new.begins {
        Begins::Parts => return parts,
        Begins::Symptom => "something is wrong",
        Begins::CheckUp { .. } => "a check-up",
        Begins::Inspection => "a machine to look over",
        Begins::Filament => "a new filament",
    };
    if parts.is_empty() {
        with.to_owned()
    } else {
        format!("{with}; {parts}")
    }
}

/// The job is open again.
pub(crate) fn reopen_in(conn: &Connection, job_id: i64) -> Result<(), StoreError> {
    conn.execute(
        "UPDATE job SET finished_at = NULL, ended = NULL WHERE id = ?1",
        [job_id],
    )?;
    Ok(())
}

/// What was noted at a station is a note of the book, where it is found again.
fn note_down(
    conn: &Connection,
    job: &Job,
    stop: &str,
    title: &str,
    readings: &serde_json::Value,
    at: &str,
) -> Result<(), StoreError> {
    let note = readings["note"].as_str().map_or("", str::trim);
    if note.is_empty() {
        return Ok(());
    }
    let text = format!("{}: {note}", wattotherm_measure::text::capital(title));
    // Closed again with the same note, it stands in the book already.
    let known: bool = conn.query_row(
        "SELECT EXISTS (SELECT 1 FROM logbook WHERE job_id = ?1 AND kind = 'note' AND stop = ?2 AND text = ?3)",
        params![job.id, stop, text],
        |r| r.get(0),
    )?;
    if !known {
        let line = Line {
            at,
            kind: "note",
            printer_id: Some(job.printer_id),
            job_id: Some(job.id),
            stop: Some(stop),
            who: &job.technician,
            text: &text,
            ..Line::default()
        };
        append(conn, &line)?;
    }
    Ok(())
}

/// What was read of a value before a part was fitted that shakes it is no reading of what stands now. It goes from its
/// station and into the logbook: nothing that was typed is lost.
fn set_aside(
    conn: &Connection,
    tables: &ChainTables,
    job: &Job,
    fitted: Replacement,
    at: &str,
) -> Result<(), StoreError> {
    let mut drafts =
        conn.prepare("SELECT stop, readings FROM draft WHERE job_id = ?1 ORDER BY stop")?;
    let drafts: Vec<(String, String)> = drafts
        .query_map([job.id], |r| Ok((r.get(0)?, r.get(1)?)))?
        .collect::<Result<_, _>>()?;
    for (key, readings) in drafts {
        let Ok(stop @ Stop::Parameter(parameter, _)) = key.parse() else {
            continue;
        };
        if tables.cell(fitted, parameter).is_none() {
            continue;
        }
        let readings = serde_json::from_str(&readings).unwrap_or_default();
        let form = stop.station().form(&readings, &Context::default());
        let typed: Vec<String> = form.fields().filter_map(|f| f.shown(&readings)).collect();
        let text = format!(
            "{}: set aside, since it was read before the new {}: {}",
            parameter.label(),
            fitted.label(),
            typed.join(", ")
        );
        let line = Line {
            at,
            kind: "note",
            printer_id: Some(job.printer_id),
            job_id: Some(job.id),
            stop: Some(&key),
            who: &job.technician,
            text: &text,
            ..Line::default()
        };
        append(conn, &line)?;
        conn.execute(
            "DELETE FROM draft WHERE job_id = ?1 AND stop = ?2",
            params![job.id, key],
        )?;
    }
    Ok(())
}

/// A kept finding; one that says so in the place of one that can't be read.
fn finding_of(text: &str, station: &str) -> Finding {
    serde_json::from_str(text).unwrap_or_else(|e| Finding::unreadable(station, &e.to_string()))
}

pub(crate) fn insert_job(
    tx: &Connection,
    new: &NewJob,
    at: &str,
    finished_at: Option<&str>,
) -> Result<i64, StoreError> {
    let printer: Option<(String, bool)> = tx
        .query_row(
            "SELECT name, retired_at IS NOT NULL FROM printer WHERE id = ?1",
            [new.printer_id],
            |r| Ok((r.get(0)?, r.get(1)?)),
        )
        .optional()?;
    let Some((name, retired)) = printer else {
        return Err(StoreError::NotFound {
            what: "printer",
            id: new.printer_id.to_string(),
        });
    };
    if finished_at.is_none() {
        if retired {
            return Err(StoreError::Conflict(format!(
                "{name} is retired. Take it back into the shop on its page first."
            )));
        }
        if let Some(job) = open_job(tx, new.printer_id)? {
            return Err(StoreError::Conflict(format!(
                "{name} has job {job} open, and there can be one. Go on with it, or hand it over first."
            )));
        }
    }
    tx.execute(
        "INSERT INTO job (printer_id, complaint, shows, tried, customer, technician, opened_at, finished_at, begins, ended) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
        params![
            new.printer_id, new.complaint, new.shows.id(), new.tried, new.customer, new.technician, at, finished_at,
            serde_json::to_string(&new.begins)?, finished_at.map(|_| JobEnd::HandedOver.id())
        ],
    )?;
    let job_id = tx.last_insert_rowid();
    for r in &new.replaced {
        tx.execute(
            "INSERT OR IGNORE INTO job_replacement VALUES (?1, ?2)",
            params![job_id, r.id()],
        )?;
    }
    for f in &new.filament_ids {
        let known: bool = tx.query_row(
            "SELECT EXISTS (SELECT 1 FROM filament WHERE id = ?1)",
            [f],
            |r| r.get(0),
        )?;
        if !known {
            return Err(StoreError::NotFound {
                what: "filament",
                id: f.to_string(),
            });
        }
        tx.execute(
            "INSERT OR IGNORE INTO job_filament VALUES (?1, ?2)",
            params![job_id, f],
        )?;
    }
    for m in &new.failure_times_min {
        tx.execute(
            "INSERT INTO failure_time VALUES (?1, ?2)",
            params![job_id, m],
        )?;
    }
    Ok(job_id)
}

fn last_closing(conn: &Connection, job_id: i64, stop: &str) -> Result<Option<i64>, StoreError> {
    Ok(conn.query_row(
        "SELECT MAX(log_id) FROM closing WHERE job_id = ?1 AND stop = ?2",
        params![job_id, stop],
        |r| r.get(0),
    )?)
}

/// Puts the value a closing leaves into the printer's history, and marks or clears doubt.
fn keep_value(
    conn: &Connection,
    job: &Job,
    parameter: Parameter,
    filament_id: Option<i64>,
    finding: &Finding,
    seq: i64,
    at: &str,
) -> Result<(), StoreError> {
    if finding.facts.verdict == Verdict::Pass {
        proven(conn, job.printer_id, parameter, filament_id)?;
    }
    let (value, value_text) = (
        finding.facts.kept(),
        finding.facts.kept_text().map(str::to_owned),
    );
    if value.is_none() && value_text.is_none() {
        return Ok(());
    }
    let in_force: Option<(Option<f64>, Option<String>)> = conn
        .query_row(
            "SELECT value, value_text FROM setting WHERE printer_id = ?1 AND parameter = ?2 AND filament_id IS ?3 AND until_at IS NULL",
            params![job.printer_id, parameter.id(), filament_id],
            |r| Ok((r.get(0)?, r.get(1)?)),
        )
        .optional()?;
    let same = in_force
        .as_ref()
        .is_some_and(|(v, t)| *v == value && *t == value_text);
    if !same {
        let new = NewSetting {
            parameter,
            filament_id,
            value,
            value_text,
            expanded: finding.facts.value_expanded,
        };
        put_in(conn, job.printer_id, &new, Some(seq), at)?;
    }
    Ok(())
}
