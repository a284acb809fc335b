//! A whole job as one JSON file, out and in.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_job::Context;
use wattotherm_job::finding::Finding;
use wattotherm_job::route::{Deed, Stop};

use crate::check::{BadRecord, check_moment};
use crate::jobs::insert_job;
use crate::logbook::{Line, append};
use crate::photos::{MOST_PHOTOS, Photo, put_photo};
use crate::printers::insert_printer;
use crate::records::{JobEnd, NewFilament, NewJob, NewPrinter};
use crate::{Store, StoreError};

/// Version of [`JobFile`] that this build writes; it reads this one and those before it. Version 1 had findings in
/// which facts and words were one; versions 1 and 2 called a stop's key `station`;
/// before version 4 a job began with parts, was handed over or open, and nothing else happened to it.
pub const FORMAT: u32 = 4;

/// Entries of one file: more than any job has, and written in a blink.
const MOST_ENTRIES: usize = 2_000;
/// Filaments of one file.
const MOST_FILAMENTS: usize = 20;

/// A job with its printer, filaments and all that happened, as a file.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct JobFile {
    /// Version of this format: 4, or 1 to 3 from an older build.
    pub wattotherm_job: u32,
    /// The printer; matched by name on import.
    pub printer: NewPrinter,
    /// Filaments; matched by name on import.
    pub filaments: Vec<NewFilament>,
    /// The job. Its ids count from 0 in `filaments`; `printer_id` is ignored.
    pub job: NewJob,
    /// Opened at (RFC 3339).
    pub opened_at: String,
    /// Over since.
    pub finished_at: Option<String>,
    /// How it ended; blank in files of older formats, whose finished jobs were all handed over.
    #[serde(default)]
    pub ended: Option<JobEnd>,
    /// Pictures; their files go beside it, in an export of everything.
    #[serde(default)]
    pub photos: Vec<TransferPhoto>,
    /// Closings, reopenings and what else happened, oldest first.
    pub entries: Vec<TransferEntry>,
}

/// One picture of a job.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TransferPhoto {
    /// Name of its file: SHA-256 of its content.
    pub sha256: String,
    /// Where it was taken, and what it shows. Its number is ignored.
    pub photo: Photo,
}

/// One closing, reopening or deed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TransferEntry {
    /// When (RFC 3339).
    pub at: String,
    /// Key of the stop on the route; a filament's number counts from 0 in `filaments`. Files of format 1
    /// and 2 call it `station`. Blank for a deed that concerns none.
    #[serde(alias = "station", default)]
    pub stop: String,
    /// Line of the logbook.
    pub text: String,
    /// Readings, for a closing.
    pub readings: Option<serde_json::Value>,
    /// Finding, for a closing.
    pub finding: Option<Finding>,
    /// What happened, for anything but a closing or a reopening.
    #[serde(default)]
    pub deed: Option<Deed>,
}

/// Why a file is not imported. Nothing of it is kept.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ImportError {
    /// Not JSON, or JSON of another shape.
    #[error("Line {line}, column {column}, {field}: {message}. Nothing was imported.")]
    Shape {
        /// Line in the file, from 1.
        line: usize,
        /// Column, from 1.
        column: usize,
        /// Path of the field.
        field: String,
        /// What was wrong.
        message: String,
    },
    /// Right shape, impossible content.
    #[error("{field}: {message} Nothing was imported.")]
    Content {
        /// Path of the field.
        field: String,
        /// What was wrong.
        message: String,
    },
    /// The database.
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl JobFile {
    /// Reads a file and checks it.
    /// # Errors
    /// [`ImportError`] with line and field.
    pub fn parse(text: &str) -> Result<Self, ImportError> {
        let mut reader = serde_json::Deserializer::from_str(text);
        let file: Self = serde_path_to_error::deserialize(&mut reader).map_err(|e| {
            let inner = e.inner();
            let (line, column) = (inner.line(), inner.column());
            let full = inner.to_string();
            let message = full.split(" at line ").next().unwrap_or(&full).to_owned();
            let path = e.path().to_string();
            let field = if path == "." {
                "the file".to_owned()
            } else {
                path
            };
            ImportError::Shape {
                line,
                column,
                field,
                message,
            }
        })?;
        let content = |field: String, message: String| Err(ImportError::Content { field, message });
        if !(1..=FORMAT).contains(&file.wattotherm_job) {
            return content(
                "wattotherm_job".into(),
                format!(
                    "Version {} can’t be read; this build reads versions 1 to {FORMAT}.",
                    file.wattotherm_job
                ),
            );
        }
        if file
            .job
            .filament_ids
            .iter()
            .any(|i| usize::try_from(*i).map_or(true, |i| i >= file.filaments.len()))
        {
            return content(
                "job.filament_ids".into(),
                "A number points past the list of filaments.".into(),
            );
        }
        let checked = |at: String, found: Result<(), BadRecord>| {
            found.map_err(|b| ImportError::Content {
                field: format!("{at}{}", b.field),
                message: b.message,
            })
        };
        checked("printer.".into(), file.printer.check())?;
        checked("job.".into(), file.job.check())?;
        checked(String::new(), check_moment("opened_at", &file.opened_at))?;
        if let Some(at) = &file.finished_at {
            checked(String::new(), check_moment("finished_at", at))?;
        }
        if file.photos.len() > MOST_PHOTOS {
            return content(
                "photos".into(),
                format!("A job has at most {MOST_PHOTOS} pictures."),
            );
        }
        for (i, p) in file.photos.iter().enumerate() {
            checked(format!("photos.{i}.photo."), p.photo.check())?;
        }
        if file.filaments.len() > MOST_FILAMENTS || file.entries.len() > MOST_ENTRIES {
            return content(
                "entries".into(),
                format!("A job has at most {MOST_ENTRIES} entries and {MOST_FILAMENTS} filaments."),
            );
        }
        for (i, f) in file.filaments.iter().enumerate() {
            checked(format!("filaments.{i}."), f.check())?;
        }
        for (i, e) in file.entries.iter().enumerate() {
            checked(format!("entries.{i}."), check_moment("at", &e.at))?;
            if e.text.chars().count() > 4_000 {
                return content(
                    format!("entries.{i}.text"),
                    "A line of the logbook has at most 4000 characters.".into(),
                );
            }
            if let Some(deed) = &e.deed {
                if let Err(refused) = deed.check_typed() {
                    return content(format!("entries.{i}.deed"), refused.to_string());
                }
                if e.finding.is_some() || e.readings.is_some() {
                    return content(
                        format!("entries.{i}.deed"),
                        "A deed has no readings.".into(),
                    );
                }
                if e.stop.is_empty() {
                    continue;
                }
            }
            let Ok(stop) = e.stop.parse::<Stop>() else {
                return content(
                    format!("entries.{i}.stop"),
                    format!(
                        "There is no station “{}”.",
                        e.stop.chars().take(40).collect::<String>()
                    ),
                );
            };
            if let Stop::Parameter(_, Some(f)) = stop
                && usize::try_from(f).map_or(true, |f| f >= file.filaments.len())
            {
                return content(
                    format!("entries.{i}.stop"),
                    "Its filament isn’t in the list.".into(),
                );
            }
            if e.readings.is_some() != e.finding.is_some() {
                return content(
                    format!("entries.{i}"),
                    "Readings and finding come together or not at all.".into(),
                );
            }
            // Shape of the readings, not their values: house rules differ from shop to shop.
            if let Some(r) = &e.readings
                && let Err(wattotherm_job::stations::EvaluateError::Shape { field, message }) =
                    stop.station().evaluate(r, &Context::default())
            {
                return content(
                    format!("entries.{i}.readings.{field}"),
                    format!("{message}."),
                );
            }
        }
        Ok(file)
    }
}

/// A deed that names a stop, by the key that it has here.
fn at_stop(deed: Deed, key: &str) -> Deed {
    match deed {
        Deed::Waived { reason, .. } => Deed::Waived {
            stop: key.to_owned(),
            reason,
        },
        other => other,
    }
}

/// The same station with its filament's number replaced.
fn renumber(stop: Stop, number: impl Fn(i64) -> Option<i64>) -> Stop {
    match stop {
        Stop::Parameter(p, Some(f)) => Stop::Parameter(p, number(f)),
        other => other,
    }
}

impl Store {
    /// A job as a file.
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such job.
    pub fn export(&self, job_id: i64) -> Result<JobFile, StoreError> {
        let job = self.job(job_id)?;
        // As it was when the job was handed over.
        let printer = self.printer_at(job.printer_id, job.finished_at.as_deref())?;
        let position = |id: i64| {
            job.filaments
                .iter()
                .position(|f| f.id == id)
                .and_then(|p| i64::try_from(p).ok())
        };
        let closings = self.closings(job_id)?;
        let deeds = self.deeds(job_id)?;
        // Page by page, the newest first, until all are there.
        let mut filter = crate::LogFilter {
            job_id: Some(job_id),
            ..crate::LogFilter::default()
        };
        let mut lines = Vec::new();
        loop {
            let page = self.logbook(&filter)?;
            let Some(oldest) = page.last() else { break };
            filter.before = Some(oldest.id);
            lines.extend(page);
        }
        let mut entries = Vec::new();
        for line in lines.into_iter().rev() {
            let stop = line.stop.as_deref().and_then(|s| s.parse::<Stop>().ok());
            let deed = deeds
                .iter()
                .find(|d| d.seq == line.id)
                .map(|d| d.deed.clone());
            // A note stands in its station's readings too.
            if line.kind == "note" || stop.is_none() && deed.is_none() {
                continue;
            }
            let closing = closings.iter().find(|c| c.seq == line.id);
            let stop = stop.map_or(String::new(), |s| renumber(s, position).to_string());
            entries.push(TransferEntry {
                at: line.at,
                deed: deed.map(|d| at_stop(d, &stop)),
                stop,
                text: line.text,
                readings: closing.map(|c| c.readings.clone()),
                finding: closing.map(|c| c.finding.clone()),
            });
        }
        Ok(JobFile {
            wattotherm_job: FORMAT,
            printer: NewPrinter {
                name: printer.name,
                kind: printer.kind,
                facts: printer.facts,
                invented: printer.invented,
            },
            filaments: job
                .filaments
                .iter()
                .map(|f| NewFilament {
                    name: f.name.clone(),
                    material: f.material.clone(),
                })
                .collect(),
            job: NewJob {
                printer_id: 0,
                complaint: job.complaint.clone(),
                shows: job.shows,
                tried: job.tried.clone(),
                customer: job.customer.clone(),
                technician: job.technician.clone(),
                begins: job.begins.clone(),
                replaced: job.began_with.clone(),
                filament_ids: (0..).take(job.filaments.len()).collect(),
                failure_times_min: self.failure_times(job_id)?,
            },
            opened_at: job.opened_at,
            finished_at: job.finished_at,
            ended: job.ended,
            photos: self.photos_with_files(job_id, position)?,
            entries,
        })
    }

    fn photos_with_files(
        &self,
        job_id: i64,
        position: impl Fn(i64) -> Option<i64> + Copy,
    ) -> Result<Vec<TransferPhoto>, StoreError> {
        let mut all = Vec::new();
        for mut photo in self.photos(job_id)? {
            let sha256 = self.photo_file(photo.id)?.sha256;
            if let Ok(stop) = photo.stop.parse::<Stop>() {
                photo.stop = renumber(stop, position).to_string();
            }
            all.push(TransferPhoto { sha256, photo });
        }
        Ok(all)
    }

    /// Takes a job in as a new one and returns its number. All or nothing. Pictures come with it where their files
    /// are here.
    /// # Errors
    /// [`ImportError::Store`] of the database.
    pub fn import(&mut self, file: &JobFile, at: &str) -> Result<i64, ImportError> {
        let tx = self.conn.transaction().map_err(StoreError::from)?;
        let job_id = import_in(&tx, file, at)?;
        tx.commit().map_err(StoreError::from)?;
        Ok(job_id)
    }
}

fn import_in(tx: &rusqlite::Connection, file: &JobFile, at: &str) -> Result<i64, StoreError> {
    use rusqlite::{OptionalExtension, params};
    let known: Option<i64> = tx
        .query_row(
            "SELECT id FROM printer WHERE name = ?1",
            [&file.printer.name],
            |r| r.get(0),
        )
        .optional()?;
    let printer_id = if let Some(id) = known {
        id
    } else {
        // It was like that when the job was worked on, not since today.
        insert_printer(
            tx,
            &file.printer,
            &file.printer.facts.fitted(),
            &file.opened_at,
        )?
    };
    let mut ids = Vec::new();
    for f in &file.filaments {
        tx.execute(
            "INSERT OR IGNORE INTO filament (name, material) VALUES (?1, ?2)",
            params![f.name, f.material],
        )?;
        ids.push(
            tx.query_row("SELECT id FROM filament WHERE name = ?1", [&f.name], |r| {
                r.get(0)
            })?,
        );
    }
    let id_of = |n: i64| usize::try_from(n).ok().and_then(|n| ids.get(n)).copied();
    let mut new = file.job.clone();
    new.printer_id = printer_id;
    new.filament_ids = file
        .job
        .filament_ids
        .iter()
        .filter_map(|n| id_of(*n))
        .collect();
    let job_id = insert_job(tx, &new, &file.opened_at, file.finished_at.as_deref())?;
    if let Some(ended) = file.ended.filter(|_| file.finished_at.is_some()) {
        tx.execute(
            "UPDATE job SET ended = ?2 WHERE id = ?1",
            params![job_id, ended.id()],
        )?;
    }
    let text = format!("Job {job_id} imported, {} entries", file.entries.len());
    append(
        tx,
        &Line {
            at,
            kind: "import",
            printer_id: Some(printer_id),
            job_id: Some(job_id),
            text: &text,
            ..Line::default()
        },
    )?;
    for p in &file.photos {
        let key = match p.photo.stop.parse::<Stop>() {
            Ok(stop) => renumber(stop, id_of).to_string(),
            Err(_) => continue,
        };
        put_photo(tx, job_id, &key, &p.sha256, &p.photo)?;
    }
    for e in &file.entries {
        let key = match e.stop.parse::<Stop>() {
            Ok(stop) => renumber(stop, id_of).to_string(),
            Err(_) if e.deed.is_some() => String::new(),
            Err(_) => continue,
        };
        if let Some(deed) = &e.deed {
            let line = Line {
                at: &e.at,
                kind: "deed",
                printer_id: Some(printer_id),
                job_id: Some(job_id),
                stop: (!key.is_empty()).then_some(key.as_str()),
                who: &new.technician,
                text: &e.text,
                ..Line::default()
            };
            let seq = append(tx, &line)?;
            let deed = at_stop(deed.clone(), &key);
            tx.execute(
                "INSERT INTO deed (log_id, job_id, deed) VALUES (?1, ?2, ?3)",
                params![seq, job_id, serde_json::to_string(&deed)?],
            )?;
            continue;
        }
        let previous: Option<i64> = tx.query_row(
            "SELECT MAX(log_id) FROM closing WHERE job_id = ?1 AND stop = ?2",
            params![job_id, key],
            |r| r.get(0),
        )?;
        let kind = if e.finding.is_some() {
            "closed"
        } else {
            "reopened"
        };
        let line = Line {
            at: &e.at,
            kind,
            printer_id: Some(printer_id),
            job_id: Some(job_id),
            stop: Some(&key),
            who: &new.technician,
            text: &e.text,
            verdict: e.finding.as_ref().map(|f| f.facts.verdict),
            supersedes: previous,
            ..Line::default()
        };
        let seq = append(tx, &line)?;
        if let (Some(r), Some(f)) = (&e.readings, &e.finding) {
            let r = without_logs(r);
            tx.execute(
                "INSERT INTO closing (log_id, job_id, stop, readings, finding) VALUES (?1, ?2, ?3, ?4, ?5)",
                params![seq, job_id, key, r.to_string(), serde_json::to_string(f)?],
            )?;
        }
    }
    Ok(job_id)
}

/// Readings without the numbers of kept logs: a file carries the figures, and here the number would
/// belong to another log.
fn without_logs(readings: &serde_json::Value) -> serde_json::Value {
    let mut readings = readings.clone();
    for name in ["hold", "tune", "verify"] {
        if let Some(result) = readings.get_mut(name).and_then(|v| v.as_object_mut()) {
            result.insert("trace".into(), serde_json::Value::Null);
        }
    }
    readings
}
