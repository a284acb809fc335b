//! What SQL alone can't bring up to date.

use rusqlite::{Connection, params};
use rusqlite_migration::{HookError, HookResult};
use wattotherm_printer::PrinterFacts;

use crate::files::{Files, enter};
use crate::logbook::{Line, append};
use crate::samples;

/// Schema 4: a printer's facts become what is fitted at each place.
///
/// What can't be read is kept word for word in the logbook, and the printer is taken for the most careful
/// one, as it was before.
pub(crate) fn facts_to_fittings(tx: &Connection) -> HookResult {
    let rows: Vec<(i64, String, String)> = {
        let mut old = tx.prepare("SELECT printer_id, facts, added_at FROM old_facts")?;
        let rows = old.query_map([], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))?;
        rows.collect::<Result<_, _>>()?
    };
    for (printer_id, text, added_at) in rows {
        match serde_json::from_str::<PrinterFacts>(&text) {
            Ok(facts) => {
                for fitted in facts.fitted() {
                    let json = serde_json::to_string(&fitted)
                        .map_err(|e| HookError::Hook(e.to_string()))?;
                    let part = fitted.part().id();
                    let there = tx.execute(
                        "UPDATE fitting SET fitted = ?3 WHERE printer_id = ?1 AND part = ?2 AND until_at IS NULL",
                        params![printer_id, part, json],
                    )?;
                    if there == 0 {
                        tx.execute(
                            "INSERT INTO fitting (printer_id, part, description, fitted, from_at) VALUES (?1, ?2, 'as the printer was added', ?3, ?4)",
                            params![printer_id, part, json, added_at],
                        )?;
                    }
                }
            }
            Err(e) => {
                let kept: String = text.chars().take(4_000).collect();
                append(
                    tx,
                    &Line {
                        at: &added_at,
                        kind: "printer",
                        printer_id: Some(printer_id),
                        text: &format!(
                            "What is fitted could not be read ({e}). It stood there: {kept}"
                        ),
                        ..Line::default()
                    },
                )
                .map_err(|e| HookError::Hook(e.to_string()))?;
            }
        }
    }
    tx.execute_batch("DROP TABLE old_facts")?;
    Ok(())
}

/// Schema 7: samples of temperature logs move from the table to files.
///
/// A log whose samples don't read goes there as it stands, so that nothing is thrown away.
pub(crate) fn samples_to_files(tx: &Connection, files: &Files) -> HookResult {
    let failed = |e: crate::StoreError| HookError::Hook(e.to_string());
    let mut old = tx.prepare(
        "SELECT id, printer_id, job_id, kind, target_c, at, samples FROM old_trace ORDER BY id",
    )?;
    let mut rows = old.query([])?;
    while let Some(r) = rows.next()? {
        let (at, text): (String, String) = (r.get(5)?, r.get(6)?);
        let blob = match samples::from_rows(&text) {
            Ok(trace) => files.keep(samples::write(&trace).as_bytes(), samples::MEDIA),
            Err(_) => files.keep(text.as_bytes(), "text/plain"),
        };
        let blob = blob.map_err(failed)?;
        enter(tx, &blob, &at).map_err(failed)?;
        tx.execute(
            "INSERT INTO trace (id, printer_id, job_id, kind, target_c, at, sha256)
             VALUES (?1, ?2, ?3, ?4, CASE WHEN ?5 BETWEEN -300 AND 1500 THEN ?5 END, ?6, ?7)",
            params![
                r.get::<_, i64>(0)?,
                r.get::<_, i64>(1)?,
                r.get::<_, Option<i64>>(2)?,
                r.get::<_, String>(3)?,
                r.get::<_, Option<f64>>(4)?,
                at,
                blob.sha256
            ],
        )?;
    }
    drop(rows);
    drop(old);
    tx.execute_batch("DROP TABLE old_trace")?;
    Ok(())
}
