//! Sliced parts that are kept.

use rusqlite::{OptionalExtension as _, Row, params};

use crate::{Store, StoreError};

/// A sliced part.
#[derive(Clone, Debug, PartialEq)]
pub struct PrintFile {
    /// Its number.
    pub id: i64,
    /// Its content's name among the files.
    pub sha256: String,
    /// What it is called.
    pub name: String,
    /// The printer that it is for, if that is known.
    pub printer_id: Option<i64>,
    /// The file that it was made from by a change.
    pub made_from: Option<i64>,
    /// What was changed, as JSON.
    pub change: Option<String>,
    /// When it was kept (RFC 3339).
    pub kept_at: String,
    /// Its length in bytes.
    pub bytes: u64,
    /// Width and height of its beads [mm], where they are known.
    pub bead_mm: Option<[f64; 2]>,
}

/// A sliced part to be kept.
#[derive(Clone, Debug)]
pub struct NewPrintFile<'a> {
    /// Its content's name among the files.
    pub sha256: &'a str,
    /// What it is called.
    pub name: &'a str,
    /// The printer that it is for.
    pub printer_id: Option<i64>,
    /// The file that it was made from.
    pub made_from: Option<i64>,
    /// What was changed, as JSON.
    pub change: Option<&'a str>,
    /// Width and height of its beads [mm], where they are known.
    pub bead_mm: Option<[f64; 2]>,
}

const READ: &str =
    "SELECT p.id, p.sha256, p.name, p.printer_id, p.made_from, p.change, p.kept_at, b.bytes,
    p.bead_width_mm, p.bead_height_mm
    FROM print_file p JOIN blob b ON b.sha256 = p.sha256";

fn read(r: &Row<'_>) -> rusqlite::Result<PrintFile> {
    Ok(PrintFile {
        id: r.get(0)?,
        sha256: r.get(1)?,
        name: r.get(2)?,
        printer_id: r.get(3)?,
        made_from: r.get(4)?,
        change: r.get(5)?,
        kept_at: r.get(6)?,
        bytes: r.get::<_, i64>(7)?.unsigned_abs(),
        bead_mm: (r.get::<_, Option<f64>>(8)?)
            .zip(r.get::<_, Option<f64>>(9)?)
            .map(|(width, height)| [width, height]),
    })
}

impl Store {
    /// Keeps a sliced part; the same content is kept once, under the name it came with first. Its number.
    /// # Errors
    /// [`StoreError`] of the database; its content must be entered before.
    pub fn keep_print_file(&mut self, new: &NewPrintFile<'_>, at: &str) -> Result<i64, StoreError> {
        self.conn.execute(
            "INSERT INTO print_file (sha256, name, printer_id, made_from, change, kept_at, bead_width_mm, bead_height_mm)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8) ON CONFLICT(sha256) DO NOTHING",
            params![
                new.sha256,
                new.name,
                new.printer_id,
                new.made_from,
                new.change,
                at,
                new.bead_mm.map(|b| b[0]),
                new.bead_mm.map(|b| b[1])
            ],
        )?;
        Ok(self.conn.query_row(
            "SELECT id FROM print_file WHERE sha256 = ?1",
            [new.sha256],
            |r| r.get(0),
        )?)
    }

    /// All sliced parts, the newest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn print_files(&self) -> Result<Vec<PrintFile>, StoreError> {
        let mut all = self
            .conn
            .prepare(&format!("{READ} ORDER BY p.id DESC LIMIT 500"))?;
        let rows = all.query_map([], read)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// A sliced part.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none of that number.
    pub fn print_file(&self, id: i64) -> Result<PrintFile, StoreError> {
        self.conn
            .query_row(&format!("{READ} WHERE p.id = ?1"), [id], read)
            .optional()?
            .ok_or_else(|| StoreError::NotFound {
                what: "print",
                id: id.to_string(),
            })
    }

    /// The sliced part that a printer printed last, or else the newest that was made for it.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn last_print_of(&self, printer_id: i64) -> Result<Option<PrintFile>, StoreError> {
        let mut last = self.conn.prepare_cached(&format!(
            "{READ} WHERE p.id = coalesce(
                (SELECT print_file_id FROM made_print WHERE printer_id = ?1 AND print_file_id IS NOT NULL ORDER BY id DESC LIMIT 1),
                (SELECT id FROM print_file WHERE printer_id = ?1 ORDER BY id DESC LIMIT 1))"
        ))?;
        Ok(last.query_row([printer_id], read).optional()?)
    }

    /// Lets a sliced part go; those made from it stay. Its content goes with the next sweep.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none of that number.
    pub fn drop_print_file(&mut self, id: i64) -> Result<(), StoreError> {
        self.print_file(id)?;
        let tx = self.conn.transaction()?;
        tx.execute(
            "UPDATE print_file SET made_from = NULL WHERE made_from = ?1",
            [id],
        )?;
        tx.execute("DELETE FROM print_file WHERE id = ?1", [id])?;
        tx.commit()?;
        Ok(())
    }
}
