//! Writes a deed with its line of the logbook.

use rusqlite::{Connection, params};
use wattotherm_job::effects::Effect;
use wattotherm_job::route::Deed;

use crate::StoreError;
use crate::logbook::{Line, append};
use crate::records::Job;

/// Keeps a deed with its line of the logbook, and returns the number of both.
pub(crate) fn keep_in(
    conn: &Connection,
    job: &Job,
    deed: &Deed,
    says: &str,
    stop: Option<&str>,
    at: &str,
) -> Result<i64, StoreError> {
    let seq = append(
        conn,
        &Line {
            at,
            kind: "deed",
            printer_id: Some(job.printer_id),
            job_id: Some(job.id),
            stop,
            part: match deed {
                Deed::PartAdded { part, .. } | Deed::PartTaken { part, .. } => Some(part.part()),
                _ => None,
            },
            who: &job.technician,
            text: says,
            ..Line::default()
        },
    )?;
    conn.execute(
        "INSERT INTO deed (log_id, job_id, deed) VALUES (?1, ?2, ?3)",
        params![seq, job.id, serde_json::to_string(deed)?],
    )?;
    Ok(seq)
}

/// Writes that a closing put back what was changed.
pub(crate) fn put_back_in(
    conn: &Connection,
    job: &Job,
    effects: &[Effect],
    at: &str,
) -> Result<(), StoreError> {
    for effect in effects {
        if let Effect::PutBack(what) = effect {
            let deed = Deed::PutBack {
                what: what.clone(),
                reason: String::new(),
            };
            keep_in(conn, job, &deed, &deed.says(str::to_owned), None, at)?;
        }
    }
    Ok(())
}
