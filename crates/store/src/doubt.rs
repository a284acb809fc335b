//! Values in doubt: marked, and cleared once they are proven.

use rusqlite::{Connection, params};
use wattotherm_job::chain::{ChainTables, Strength};
use wattotherm_job::effects::Effect;
use wattotherm_job::route::LeftOpen;
use wattotherm_printer::{Parameter, Replacement};

use crate::StoreError;
use crate::records::Job;

pub(crate) fn other_filaments(
    conn: &Connection,
    printer_id: i64,
    except: &[i64],
) -> Result<Vec<i64>, StoreError> {
    let mut statement =
        conn.prepare_cached("SELECT DISTINCT filament_id FROM setting WHERE printer_id = ?1 AND filament_id IS NOT NULL")?;
    let mut all: Vec<i64> = statement
        .query_map([printer_id], |r| r.get(0))?
        .collect::<Result<_, _>>()?;
    all.retain(|f| !except.contains(f));
    Ok(all)
}

pub(crate) fn mark_stale(
    conn: &Connection,
    printer_id: i64,
    parameter: Parameter,
    filament: Option<i64>,
    strength: Strength,
    clause: &str,
    job_id: i64,
) -> Result<(), StoreError> {
    // A redo is never weakened to a verify by a later job.
    conn.execute(
        "INSERT INTO stale VALUES (?1, ?2, ?3, ?4, ?5, ?6)
         ON CONFLICT (printer_id, parameter, coalesce(filament_id, 0)) DO UPDATE SET strength = excluded.strength, clause = excluded.clause, job_id = excluded.job_id
         WHERE stale.strength <> 'redo'",
        params![printer_id, parameter.id(), filament, strength.word(), clause, job_id],
    )?;
    Ok(())
}

/// Values of the filaments that a job doesn't name are in doubt where its machine values moved, and what a job
/// leaves is in doubt.
pub(crate) fn doubt_by_effects(
    conn: &Connection,
    job: &Job,
    effects: &[Effect],
) -> Result<(), StoreError> {
    let mine: Vec<i64> = job.filaments.iter().map(|f| f.id).collect();
    for effect in effects {
        let (parameter, strength, moved) = match effect {
            Effect::Doubt {
                parameter,
                strength,
                moved,
            } => (parameter, strength, moved),
            Effect::Leave(left) => {
                doubt_left(conn, job, std::slice::from_ref(left))?;
                continue;
            }
            _ => continue,
        };
        let clause = format!("{moved} moved in job {}, with another filament", job.id);
        for filament in other_filaments(conn, job.printer_id, &mine)? {
            mark_stale(
                conn,
                job.printer_id,
                *parameter,
                Some(filament),
                *strength,
                &clause,
                job.id,
            )?;
        }
    }
    Ok(())
}

/// Values of the other filaments on a printer are in doubt once a part of a job shakes them, until they are next
/// used.
pub(crate) fn doubt_by_parts(
    conn: &Connection,
    tables: &ChainTables,
    (printer_id, job_id): (i64, i64),
    mine: &[i64],
    parts: &[Replacement],
) -> Result<(), StoreError> {
    for filament in other_filaments(conn, printer_id, mine)? {
        for parameter in Parameter::ALL.iter().copied().filter(|p| p.per_filament()) {
            let strongest = parts
                .iter()
                .filter_map(|r| tables.cell(*r, parameter).map(|s| (s, *r)))
                .max_by_key(|(s, _)| *s);
            if let Some((strength, r)) = strongest {
                let clause = format!(
                    "{} in job {job_id}, with another filament",
                    r.was_replaced()
                );
                mark_stale(
                    conn,
                    printer_id,
                    parameter,
                    Some(filament),
                    strength,
                    &clause,
                    job_id,
                )?;
            }
        }
    }
    Ok(())
}

/// Values that a job leaves unproven when it ends.
pub(crate) fn doubt_left(
    conn: &Connection,
    job: &Job,
    left: &[LeftOpen],
) -> Result<(), StoreError> {
    for l in left {
        mark_stale(
            conn,
            job.printer_id,
            l.parameter,
            l.filament_id,
            l.strength,
            &l.clause,
            job.id,
        )?;
    }
    Ok(())
}

/// A value is proven: no doubt is left of it.
pub(crate) fn proven(
    conn: &Connection,
    printer_id: i64,
    parameter: Parameter,
    filament_id: Option<i64>,
) -> Result<(), StoreError> {
    conn.execute(
        "DELETE FROM stale WHERE printer_id = ?1 AND parameter = ?2 AND filament_id IS ?3",
        params![printer_id, parameter.id(), filament_id],
    )?;
    Ok(())
}
