//! Finding by words: printers, jobs, filaments, parts and what was noted.

use rusqlite::{Row, params_from_iter};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::{Store, StoreError};

/// What was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FoundKind {
    /// A printer.
    Printer,
    /// A job, by its number, complaint, customer, technician or what was tried.
    Job,
    /// A filament.
    Filament,
    /// A part that is or was fitted.
    Part,
    /// A line of the logbook.
    Note,
}

/// One thing that was found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Found {
    /// What it is.
    pub kind: FoundKind,
    /// Its printer, where it has one.
    pub printer_id: Option<i64>,
    /// Its job, where it has one.
    pub job_id: Option<i64>,
    /// In words.
    pub text: String,
}

/// Words that are looked for at most.
const MOST_WORDS: usize = 8;
/// Hits of each kind at most.
const MOST_OF_A_KIND: usize = 8;

/// Where each kind is looked for: printer, job, the words to show, the words to look in, and the order.
const PLACES: [(FoundKind, &str); 4] = [
    (
        FoundKind::Printer,
        "SELECT p.id, NULL, p.name || ', ' || p.kind AS says, p.name || ' ' || p.kind AS place FROM printer p ORDER BY p.retired_at IS NOT NULL, p.name",
    ),
    (
        FoundKind::Job,
        "SELECT j.printer_id, j.id, 'Job ' || j.id || ', ' || p.name || ': ' || iif(j.complaint = '', 'planned change', j.complaint) AS says,
                'job ' || j.id || ' ' || p.name || ' ' || j.complaint || ' ' || j.customer || ' ' || j.technician || ' ' || j.tried AS place
         FROM job j JOIN printer p ON p.id = j.printer_id ORDER BY j.finished_at IS NOT NULL, j.id DESC",
    ),
    (
        FoundKind::Filament,
        "SELECT NULL, NULL, 'Filament ' || name || ', ' || material AS says, name || ' ' || material AS place FROM filament ORDER BY name",
    ),
    (
        FoundKind::Part,
        "SELECT f.printer_id, f.job_id, p.name || ': ' || replace(f.part, '_', ' ') || ', ' || f.description AS says,
                p.name || ' ' || replace(f.part, '_', ' ') || ' ' || f.description AS place
         FROM fitting f JOIN printer p ON p.id = f.printer_id ORDER BY f.until_at IS NOT NULL, f.id DESC",
    ),
];

/// The fewest letters that the index of notes can look for.
const INDEXED_LETTERS: usize = 3;

impl Store {
    /// What holds all words, whatever their case, by kind; nothing for no words.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn find(&self, text: &str) -> Result<Vec<Found>, StoreError> {
        let mut words: Vec<String> = text
            .split_whitespace()
            .take(MOST_WORDS)
            .map(str::to_lowercase)
            .collect();
        if words.is_empty() {
            return Ok(Vec::new());
        }
        // The longest first: it leaves the fewest rows to look at for the others.
        words.sort_by_key(|w| std::cmp::Reverse(w.len()));
        let mut found = Vec::new();
        for (kind, place) in PLACES {
            let sql = format!(
                "SELECT * FROM ({place}) WHERE {} LIMIT {MOST_OF_A_KIND}",
                holds_all("place", 1, words.len())
            );
            found.extend(self.hits(kind, &sql, &words)?);
        }
        found.extend(self.find_notes(&words)?);
        Ok(found)
    }

    /// Notes with all words, the newest first: the long ones by the index, the others in what it leaves.
    fn find_notes(&self, words: &[String]) -> Result<Vec<Found>, StoreError> {
        let (indexed, short): (Vec<String>, Vec<String>) = words
            .iter()
            .cloned()
            .partition(|w| w.chars().count() >= INDEXED_LETTERS);
        // By the index's own number, so that it stops at the eighth and sorts nothing.
        let (from, newest) = if indexed.is_empty() {
            ("logbook l WHERE l.kind = 'note'", "l.id")
        } else {
            (
                "note_words JOIN logbook l ON l.id = note_words.rowid WHERE note_words MATCH ?1",
                "note_words.rowid",
            )
        };
        let wanted: Vec<String> = indexed
            .iter()
            .map(|w| format!("\"{}\"", w.replace('"', "\"\"")))
            .collect();
        let wanted = (!wanted.is_empty()).then(|| wanted.join(" "));
        let sql = format!(
            "SELECT l.printer_id, l.job_id, l.text FROM {from} AND {} ORDER BY {newest} DESC LIMIT {MOST_OF_A_KIND}",
            holds_all(
                "l.text || ' ' || l.who",
                1 + usize::from(wanted.is_some()),
                short.len()
            )
        );
        self.hits(FoundKind::Note, &sql, wanted.iter().chain(&short))
    }

    fn hits<'a>(
        &self,
        kind: FoundKind,
        sql: &str,
        words: impl IntoIterator<Item = &'a String>,
    ) -> Result<Vec<Found>, StoreError> {
        let hit = |r: &Row<'_>| {
            Ok(Found {
                kind,
                printer_id: r.get(0)?,
                job_id: r.get(1)?,
                text: r.get(2)?,
            })
        };
        let mut statement = self.conn.prepare_cached(sql)?;
        let rows = statement.query_map(params_from_iter(words), hit)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }
}

/// The condition that a place holds each of some parameters.
fn holds_all(place: &str, first: usize, count: usize) -> String {
    let all: Vec<String> = (first..first + count)
        .map(|i| format!("instr(lower({place}), ?{i}) > 0"))
        .collect();
    if all.is_empty() {
        "true".to_owned()
    } else {
        all.join(" AND ")
    }
}
