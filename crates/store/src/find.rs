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
const PLACES: [(FoundKind, &str); 5] = [
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
    (
        FoundKind::Note,
        "SELECT l.printer_id, l.job_id, l.text AS says, l.text || ' ' || l.who AS place FROM logbook l WHERE l.kind = 'note' ORDER BY l.id DESC",
    ),
];

impl Store {
    /// What holds all words, whatever their case, by kind; nothing for no words.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn find(&self, text: &str) -> Result<Vec<Found>, StoreError> {
        let words: Vec<String> = text
            .split_whitespace()
            .take(MOST_WORDS)
            .map(str::to_lowercase)
            .collect();
        // The longest first: it leaves the fewest rows to look at for the others.
        let mut words = words;
        words.sort_by_key(|w| std::cmp::Reverse(w.len()));
        let mut found = Vec::new();
        if words.is_empty() {
            return Ok(found);
        }
        let all: Vec<String> = (1..=words.len())
            .map(|i| format!("instr(lower(place), ?{i}) > 0"))
            .collect();
        for (kind, place) in PLACES {
            let mut statement = self.conn.prepare_cached(&format!(
                "SELECT * FROM ({place}) WHERE {} LIMIT {MOST_OF_A_KIND}",
                all.join(" AND ")
            ))?;
            let hit = |r: &Row<'_>| {
                Ok(Found {
                    kind,
                    printer_id: r.get(0)?,
                    job_id: r.get(1)?,
                    text: r.get(2)?,
                })
            };
            for row in statement.query_map(params_from_iter(&words), hit)? {
                found.push(row?);
            }
        }
        Ok(found)
    }
}
