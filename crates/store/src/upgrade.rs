//! What SQL alone can't bring up to date.

use rusqlite::{Connection, params};
use rusqlite_migration::{HookError, HookResult};
use wattotherm_printer::PrinterFacts;

use crate::logbook::{Line, append};

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
