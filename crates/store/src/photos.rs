//! Pictures of a job: what was photographed at which stop, and what was drawn on it.

use rusqlite::{OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_job::route::Stop;

use crate::check::{BadRecord, bad, check_moment};
use crate::files::{Blob, enter};
use crate::logbook::{Line, append};
use crate::records::Job;
use crate::{Store, StoreError};

/// How something is pointed at on a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum MarkShape {
    /// From its tail to its tip.
    Arrow,
    /// Around what lies between two corners.
    Ring,
}

/// One thing drawn on a picture.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PhotoMark {
    /// Its shape.
    pub shape: MarkShape,
    /// Where the pen began, from the left and from the top [parts of width and height].
    pub from: [f64; 2],
    /// Where it ended [parts of width and height].
    pub to: [f64; 2],
}

/// A picture of a job.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Photo {
    /// Its number.
    pub id: i64,
    /// Key of the stop where it was taken.
    pub stop: String,
    /// Step that it belongs to; blank for the stop as a whole.
    pub step: String,
    /// Width [pixels].
    pub width: u32,
    /// Height [pixels].
    pub height: u32,
    /// What it shows, in words.
    pub caption: String,
    /// What was drawn on it.
    pub marks: Vec<PhotoMark>,
    /// Kept at.
    pub at: String,
}

/// What is said of a picture.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct PhotoWords {
    /// What it shows.
    pub caption: String,
    /// What is drawn on it.
    pub marks: Vec<PhotoMark>,
}

/// Pictures of a job at most.
pub const MOST_PHOTOS: usize = 300;
/// Marks on a picture at most.
const MOST_MARKS: usize = 50;
/// Longest caption [characters].
const MOST_CAPTION: usize = 400;

/// Checks what is said of a picture, whichever way it comes.
pub(crate) fn check_words(caption: &str, marks: &[PhotoMark]) -> Result<(), BadRecord> {
    let inside = |v: &f64| (0.0..=1.0).contains(v);
    if marks.len() > MOST_MARKS || !marks.iter().all(|m| m.from.iter().chain(&m.to).all(inside)) {
        return bad(
            "marks",
            format!("Draw at most {MOST_MARKS} marks, all of them on the picture."),
        );
    }
    if caption.chars().count() > MOST_CAPTION {
        return bad(
            "caption",
            format!("Say it in at most {MOST_CAPTION} characters."),
        );
    }
    Ok(())
}

impl PhotoWords {
    /// Checks what is said of a picture.
    /// # Errors
    /// [`BadRecord`] for the first field that can't be meant.
    pub fn check(&self) -> Result<(), BadRecord> {
        check_words(&self.caption, &self.marks)
    }
}

impl Photo {
    /// Checks a picture that comes in a file.
    pub(crate) fn check(&self) -> Result<(), BadRecord> {
        check_moment("at", &self.at)?;
        let size = 1..=10_000;
        if !size.contains(&self.width) || !size.contains(&self.height) {
            return bad("width", "A picture is 1 to 10 000 pixels each way.");
        }
        check_words(&self.caption, &self.marks)
    }
}

/// A picture to keep: where it was taken, and how large it is [pixels].
#[derive(Clone, Copy, Debug)]
pub struct NewPhoto<'a> {
    /// Where.
    pub stop: Stop,
    /// Step; blank for the stop as a whole.
    pub step: &'a str,
    /// What it was called where it came from.
    pub name: &'a str,
    /// What it shows, as far as that is known; at most as long as a caption.
    pub caption: &'a str,
    /// Width and height [pixels].
    pub size: [u32; 2],
}

const COLUMNS: &str = "p.id, p.stop, p.step, p.width, p.height, p.caption, p.marks, p.at";

fn photo(r: &Row<'_>) -> rusqlite::Result<Photo> {
    Ok(Photo {
        id: r.get(0)?,
        stop: r.get(1)?,
        step: r.get(2)?,
        width: r.get(3)?,
        height: r.get(4)?,
        caption: r.get(5)?,
        marks: serde_json::from_str(&r.get::<_, String>(6)?).unwrap_or_default(),
        at: r.get(7)?,
    })
}

impl Store {
    /// Keeps a picture of a job and returns its number.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn add_photo(
        &mut self,
        job: &Job,
        new: NewPhoto<'_>,
        blob: &Blob,
        at: &str,
    ) -> Result<i64, StoreError> {
        let tx = self.conn.transaction()?;
        enter(&tx, blob, at)?;
        let name: String = new.name.chars().take(200).collect();
        let name = if name.is_empty() { "picture" } else { &name };
        tx.execute(
            "INSERT INTO attachment (sha256, kind, name, at, job_id) VALUES (?1, 'photo', ?2, ?3, ?4)",
            params![blob.sha256, name, at, job.id],
        )?;
        let attachment = tx.last_insert_rowid();
        let key = new.stop.to_string();
        tx.execute(
            "INSERT INTO photo (attachment_id, job_id, stop, step, width, height, at, caption) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
            params![attachment, job.id, key, new.step, new.size[0], new.size[1], at, new.caption],
        )?;
        let id = tx.last_insert_rowid();
        append(
            &tx,
            &Line {
                at,
                kind: "photo",
                printer_id: Some(job.printer_id),
                job_id: Some(job.id),
                stop: Some(&key),
                who: &job.technician,
                text: &format!("Picture {id} kept"),
                ..Line::default()
            },
        )?;
        tx.commit()?;
        Ok(id)
    }

    /// Pictures of a job, the oldest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn photos(&self, job_id: i64) -> Result<Vec<Photo>, StoreError> {
        let sql = format!(
            "SELECT {COLUMNS} FROM photo p WHERE p.job_id = ?1 AND p.taken_back_at IS NULL ORDER BY p.id"
        );
        let mut all = self.conn.prepare_cached(&sql)?;
        let rows = all.query_map([job_id], photo)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// The newest pictures of a printer's jobs, at most `most`, each with its job.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn photos_of_printer(
        &self,
        printer_id: i64,
        most: u32,
    ) -> Result<Vec<(i64, Photo)>, StoreError> {
        let sql = format!(
            "SELECT {COLUMNS}, p.job_id AS job FROM photo p JOIN job j ON j.id = p.job_id
             WHERE j.printer_id = ?1 AND p.taken_back_at IS NULL ORDER BY p.id DESC LIMIT ?2"
        );
        let mut all = self.conn.prepare_cached(&sql)?;
        let rows = all.query_map(params![printer_id, most], |r| {
            Ok((r.get("job")?, photo(r)?))
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// The file of a picture.
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such picture, or it was taken back.
    pub fn photo_file(&self, id: i64) -> Result<Blob, StoreError> {
        let sha256: Option<String> = self
            .conn
            .query_row(
                "SELECT a.sha256 FROM photo p JOIN attachment a ON a.id = p.attachment_id
                 WHERE p.id = ?1 AND p.taken_back_at IS NULL",
                [id],
                |r| r.get(0),
            )
            .optional()?;
        match sha256 {
            Some(sha256) => self.blob(&sha256),
            None => Err(no_photo(id)),
        }
    }

    /// Says what a picture shows, and what is drawn on it.
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such picture.
    pub fn describe_photo(&mut self, id: i64, words: &PhotoWords) -> Result<(), StoreError> {
        let n = self.conn.execute(
            "UPDATE photo SET caption = ?2, marks = ?3 WHERE id = ?1 AND taken_back_at IS NULL",
            params![id, words.caption, serde_json::to_string(&words.marks)?],
        )?;
        (n == 1).then_some(()).ok_or_else(|| no_photo(id))
    }

    /// Takes a picture back: it is shown no more.
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such picture.
    pub fn take_photo_back(&mut self, id: i64, at: &str) -> Result<(), StoreError> {
        let n = self.conn.execute(
            "UPDATE photo SET taken_back_at = ?2 WHERE id = ?1 AND taken_back_at IS NULL",
            params![id, at],
        )?;
        (n == 1).then_some(()).ok_or_else(|| no_photo(id))
    }
}

/// Puts a picture of a job file in, where its file is here; one whose file isn't comes with the file later or never.
pub(crate) fn put_photo(
    conn: &rusqlite::Connection,
    job_id: i64,
    stop: &str,
    sha256: &str,
    photo: &Photo,
) -> Result<(), StoreError> {
    let here: bool = conn.query_row(
        "SELECT EXISTS (SELECT 1 FROM blob WHERE sha256 = ?1)",
        [sha256],
        |r| r.get(0),
    )?;
    if !here {
        return Ok(());
    }
    conn.execute(
        "INSERT INTO attachment (sha256, kind, name, at, job_id) VALUES (?1, 'photo', 'picture', ?2, ?3)",
        params![sha256, photo.at, job_id],
    )?;
    conn.execute(
        "INSERT INTO photo (attachment_id, job_id, stop, step, width, height, caption, marks, at) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
        params![
            conn.last_insert_rowid(),
            job_id,
            stop,
            photo.step,
            photo.width,
            photo.height,
            photo.caption,
            serde_json::to_string(&photo.marks)?,
            photo.at
        ],
    )?;
    Ok(())
}

fn no_photo(id: i64) -> StoreError {
    StoreError::NotFound {
        what: "picture",
        id: id.to_string(),
    }
}
