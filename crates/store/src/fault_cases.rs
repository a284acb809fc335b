//! What is wrong with a machine: cases, and what was told of them.

use std::collections::BTreeMap;

use rusqlite::{OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use strum::{EnumString, IntoStaticStr};
use utoipa::ToSchema;
use wattotherm_diagnosis::Entry;

use crate::logbook::{Line, append};
use crate::{Store, StoreError};

/// How a case ended.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema, EnumString, IntoStaticStr,
)]
#[serde(rename_all = "snake_case")]
#[strum(serialize_all = "snake_case")]
pub enum CaseEnd {
    /// The cause is known.
    Proven,
    /// All that could be looked at is in order.
    NothingFound,
    /// Nobody goes on with it.
    GivenUp,
}

/// A case: something is wrong with a printer, and the cause is looked for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct FaultCase {
    /// Its number.
    pub id: i64,
    /// The printer.
    pub printer_id: i64,
    /// The job that it belongs to.
    pub job_id: Option<i64>,
    /// What the customer said.
    pub sentence: String,
    /// Who looks for it.
    pub who: String,
    /// Begun at.
    pub begun_at: String,
    /// Over since.
    pub ended_at: Option<String>,
    /// How it ended.
    pub ended: Option<CaseEnd>,
    /// The cause that was proven, by id.
    pub cause: Option<String>,
    /// Whether the shop's weights learn from it.
    pub counts: bool,
    /// The day on which somebody asks again, e.g. 2026-12-03.
    pub follow_up: Option<String>,
}

/// A case to begin.
#[derive(Clone, Debug, Default, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct NewCase {
    /// The printer.
    pub printer_id: i64,
    /// The job that it belongs to.
    pub job_id: Option<i64>,
    /// The stop of that job which leads here, by key: what it has shown is known.
    pub stop: Option<String>,
    /// A heat log that leads here, by number: what it shows is known.
    pub trace: Option<i64>,
    /// What the customer said.
    pub sentence: String,
    /// Who looks for it.
    pub who: String,
}

/// Something that was told of a case, with its moment.
#[derive(Clone, Debug, PartialEq)]
pub struct EntryAt {
    /// When.
    pub at: String,
    /// What.
    pub entry: Entry,
}

const COLUMNS: &str =
    "id, printer_id, job_id, sentence, who, begun_at, ended_at, ended, cause, counts, follow_up";

fn read(r: &Row<'_>) -> rusqlite::Result<FaultCase> {
    Ok(FaultCase {
        id: r.get(0)?,
        printer_id: r.get(1)?,
        job_id: r.get(2)?,
        sentence: r.get(3)?,
        who: r.get(4)?,
        begun_at: r.get(5)?,
        ended_at: r.get(6)?,
        ended: r.get::<_, Option<String>>(7)?.and_then(|e| e.parse().ok()),
        cause: r.get(8)?,
        counts: r.get(9)?,
        follow_up: r.get(10)?,
    })
}

impl Store {
    /// One case.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none.
    pub fn fault_case(&self, id: i64) -> Result<FaultCase, StoreError> {
        let sql = format!("SELECT {COLUMNS} FROM fault_case WHERE id = ?1");
        self.conn
            .prepare_cached(&sql)?
            .query_row([id], read)
            .optional()?
            .ok_or(StoreError::NotFound {
                what: "case",
                id: id.to_string(),
            })
    }

    /// The open case of a printer.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn open_case_of(&self, printer_id: i64) -> Result<Option<FaultCase>, StoreError> {
        let sql =
            format!("SELECT {COLUMNS} FROM fault_case WHERE printer_id = ?1 AND ended_at IS NULL");
        let mut statement = self.conn.prepare_cached(&sql)?;
        Ok(statement.query_row([printer_id], read).optional()?)
    }

    /// Cases that are open, or that somebody wants to ask about again; the newest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn cases_to_watch(&self) -> Result<Vec<FaultCase>, StoreError> {
        let sql = format!(
            "SELECT {COLUMNS} FROM fault_case WHERE ended_at IS NULL OR follow_up IS NOT NULL ORDER BY id DESC LIMIT 200"
        );
        let mut statement = self.conn.prepare_cached(&sql)?;
        let rows = statement.query_map([], read)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// All cases, the oldest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn all_cases(&self) -> Result<Vec<FaultCase>, StoreError> {
        let sql = format!("SELECT {COLUMNS} FROM fault_case ORDER BY id");
        let mut statement = self.conn.prepare_cached(&sql)?;
        let rows = statement.query_map([], read)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Cases whose cause is known, the newest first, at most 500.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn proven_cases(&self) -> Result<Vec<FaultCase>, StoreError> {
        let sql = format!(
            "SELECT {COLUMNS} FROM fault_case WHERE ended = 'proven' ORDER BY id DESC LIMIT 500"
        );
        let mut statement = self.conn.prepare_cached(&sql)?;
        let rows = statement.query_map([], read)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Begins a case and returns its number.
    /// # Errors
    /// [`StoreError::Conflict`] where one of the printer is open; [`StoreError::NotFound`] without such a printer or job.
    pub fn begin_case(&mut self, new: &NewCase, at: &str) -> Result<i64, StoreError> {
        self.printer(new.printer_id)?;
        if let Some(open) = self.open_case_of(new.printer_id)? {
            return Err(StoreError::Conflict(format!(
                "Case {} is open on this printer. Go on with it.",
                open.id
            )));
        }
        if let Some(job) = new.job_id
            && self.job(job)?.printer_id != new.printer_id
        {
            return Err(StoreError::Value("That job is of another printer.".into()));
        }
        let tx = self.conn.transaction()?;
        tx.execute(
            "INSERT INTO fault_case (printer_id, job_id, sentence, who, begun_at) VALUES (?1, ?2, ?3, ?4, ?5)",
            params![new.printer_id, new.job_id, new.sentence, new.who, at],
        )?;
        let id = tx.last_insert_rowid();
        let text = match new.sentence.as_str() {
            "" => format!("Case {id}: what is wrong?"),
            said => format!("Case {id}: what is wrong? “{said}”"),
        };
        append(
            &tx,
            &Line {
                at,
                kind: "case",
                printer_id: Some(new.printer_id),
                job_id: new.job_id,
                who: &new.who,
                text: &text,
                ..Line::default()
            },
        )?;
        tx.commit()?;
        Ok(id)
    }

    /// What was told of a case, the oldest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn case_entries(&self, id: i64) -> Result<Vec<EntryAt>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT at, entry FROM fault_entry WHERE case_id = ?1 ORDER BY seq")?;
        let rows = statement.query_map([id], |r| Ok((r.get(0)?, r.get::<_, String>(1)?)))?;
        let mut all = Vec::new();
        for row in rows {
            let (at, entry) = row?;
            // One that doesn't read any more decides nothing.
            if let Ok(entry) = serde_json::from_str(&entry) {
                all.push(EntryAt { at, entry });
            }
        }
        Ok(all)
    }

    /// Keeps what was told of a case; `lines` go into the logbook.
    /// # Errors
    /// [`StoreError::Conflict`] where it is over; [`StoreError::Value`] where it has more entries than anybody needs.
    pub fn tell_case(
        &mut self,
        case: &FaultCase,
        entries: &[Entry],
        lines: &[String],
        at: &str,
    ) -> Result<(), StoreError> {
        if case.ended_at.is_some() {
            return Err(StoreError::Conflict(
                "This case is over. Open it again first.".into(),
            ));
        }
        let tx = self.conn.transaction()?;
        let kept: i64 = tx.query_row(
            "SELECT count(*) FROM fault_entry WHERE case_id = ?1",
            [case.id],
            |r| r.get(0),
        )?;
        if usize::try_from(kept).unwrap_or(0) + entries.len() > MOST_ENTRIES {
            return Err(StoreError::Value(format!(
                "This case has {MOST_ENTRIES} entries. End it, and begin another."
            )));
        }
        for entry in entries {
            tx.execute(
                "INSERT INTO fault_entry (case_id, at, entry) VALUES (?1, ?2, ?3)",
                params![case.id, at, serde_json::to_string(entry)?],
            )?;
        }
        for text in lines {
            append(&tx, &line_of(case, text, at))?;
        }
        tx.commit()?;
        Ok(())
    }

    /// Ends a case, or opens it again with `end` none.
    /// # Errors
    /// [`StoreError::Conflict`] where another case of the printer is open.
    pub fn end_case(
        &mut self,
        case: &FaultCase,
        end: Option<(CaseEnd, Option<&str>, bool)>,
        text: &str,
        at: &str,
    ) -> Result<(), StoreError> {
        if end.is_none()
            && let Some(open) = self.open_case_of(case.printer_id)?
        {
            return Err(StoreError::Conflict(format!(
                "Case {} is open on this printer. End it first.",
                open.id
            )));
        }
        let tx = self.conn.transaction()?;
        let word: Option<&'static str> = end.map(|(e, ..)| e.into());
        let cause = end.and_then(|(_, cause, _)| cause);
        let counts = end.is_some_and(|(.., counts)| counts);
        tx.execute(
            "UPDATE fault_case SET ended_at = ?2, ended = ?3, cause = ?4, counts = ?5 WHERE id = ?1",
            params![case.id, end.map(|_| at), word, cause, counts],
        )?;
        append(&tx, &line_of(case, text, at))?;
        tx.commit()?;
        Ok(())
    }

    /// Says to which job a case belongs.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn case_to_job(&mut self, id: i64, job_id: i64) -> Result<(), StoreError> {
        self.conn.execute(
            "UPDATE fault_case SET job_id = ?2 WHERE id = ?1",
            params![id, job_id],
        )?;
        Ok(())
    }

    /// Sets the day on which somebody asks again; none takes it off.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn follow_up(
        &mut self,
        case: &FaultCase,
        day: Option<&str>,
        at: &str,
    ) -> Result<(), StoreError> {
        let tx = self.conn.transaction()?;
        tx.execute(
            "UPDATE fault_case SET follow_up = ?2 WHERE id = ?1",
            params![case.id, day],
        )?;
        let text = match day {
            Some(day) => format!("Case {}: ask again on {day}", case.id),
            None => format!("Case {}: nobody has to ask again", case.id),
        };
        append(&tx, &line_of(case, &text, at))?;
        tx.commit()?;
        Ok(())
    }

    /// Lets the weights learn from a case, or forget it.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn count_case(
        &mut self,
        case: &FaultCase,
        counts: bool,
        at: &str,
    ) -> Result<(), StoreError> {
        let tx = self.conn.transaction()?;
        tx.execute(
            "UPDATE fault_case SET counts = ?2 WHERE id = ?1",
            params![case.id, counts],
        )?;
        let text = match counts {
            true => format!("Case {} counts for the shop’s weights", case.id),
            false => format!("Case {} counts no more for the shop’s weights", case.id),
        };
        append(&tx, &line_of(case, &text, at))?;
        tx.commit()?;
        Ok(())
    }

    /// Cases of this shop that count, by the cause that was proven.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn learned(&self) -> Result<BTreeMap<String, f64>, StoreError> {
        let mut statement = self.conn.prepare_cached(
            "SELECT cause, count(*) FROM fault_case WHERE ended = 'proven' AND counts = 1 AND cause IS NOT NULL GROUP BY cause",
        )?;
        let rows = statement.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// What parts cost this shop, by the ids of replacements, and what an hour of hands does, by `hour`.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn prices(&self) -> Result<BTreeMap<String, f64>, StoreError> {
        let mut statement = self
            .conn
            .prepare_cached("SELECT what, price FROM house_price")?;
        let rows = statement.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Sets a price; none takes it off.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn set_price(&mut self, what: &str, price: Option<f64>) -> Result<(), StoreError> {
        match price {
            Some(price) => self.conn.execute(
                "INSERT INTO house_price (what, price) VALUES (?1, ?2) ON CONFLICT (what) DO UPDATE SET price = ?2",
                params![what, price],
            )?,
            None => self
                .conn
                .execute("DELETE FROM house_price WHERE what = ?1", [what])?,
        };
        Ok(())
    }
}

/// Most entries of one case.
const MOST_ENTRIES: usize = 500;

fn line_of<'a>(case: &'a FaultCase, text: &'a str, at: &'a str) -> Line<'a> {
    Line {
        at,
        kind: "case",
        printer_id: Some(case.printer_id),
        job_id: case.job_id,
        who: &case.who,
        text,
        ..Line::default()
    }
}
