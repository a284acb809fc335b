//! Files beside the data file, each named by the SHA-256 of what it holds.
//!
//! A file is written beside its place, brought to the disk, then given its name: under a name there is
//! always the whole of it. The same content is kept once.

use std::fs::{self, File};
use std::io::{ErrorKind, Read as _, Write as _};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use rusqlite::{OptionalExtension as _, params};
use serde::Serialize;
use sha2::{Digest as _, Sha256};
use tempfile::NamedTempFile;

use crate::{Store, StoreError};

/// The folder of files of one data file.
#[derive(Clone, Debug)]
pub struct Files {
    folder: Arc<Path>,
}

/// A file that is kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Blob {
    /// SHA-256 of its content, in small hexadecimal digits.
    pub sha256: String,
    /// Its length.
    pub bytes: u64,
    /// What kind of content it is, e.g. `text/csv`.
    pub media: String,
}

/// A file that belongs to something.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Attachment {
    /// Its name among the files.
    pub sha256: String,
    /// What it is, e.g. `log`.
    pub kind: String,
    /// What it was called where it came from.
    pub name: String,
    /// When it was kept (RFC 3339).
    pub at: String,
    /// The log that was read from it.
    pub trace_id: Option<i64>,
}

/// A file on its way in.
#[derive(Debug)]
pub struct Incoming {
    file: NamedTempFile,
    hash: Sha256,
    bytes: u64,
    folder: Arc<Path>,
}

/// How long a file that nothing refers to is kept: somebody may still be about to name it.
const UNNAMED_KEPT: std::time::Duration = std::time::Duration::from_secs(24 * 3600);

impl Files {
    /// The folder that belongs to a data file: `shop.sqlite` has `shop.files`.
    pub(crate) fn beside(data: &Path) -> Self {
        Self {
            folder: data.with_extension("files").into(),
        }
    }

    fn place(folder: &Path, sha256: &str) -> PathBuf {
        // OK because a name is 64 hexadecimal digits wherever it comes from: see `is_name`.
        folder.join(&sha256[..2]).join(sha256)
    }

    /// Begins a file.
    /// # Errors
    /// [`StoreError::Io`], [`StoreError::DiskFull`] where the folder can't be written.
    pub fn begin(&self) -> Result<Incoming, StoreError> {
        fs::create_dir_all(&self.folder)?;
        Ok(Incoming {
            file: tempfile::Builder::new()
                .prefix("incoming-")
                .tempfile_in(&self.folder)?,
            hash: Sha256::new(),
            bytes: 0,
            folder: Arc::clone(&self.folder),
        })
    }

    /// Opens a file by its name.
    /// # Errors
    /// [`StoreError::NotFound`] for what is no name and for a file that is gone.
    pub fn open(&self, sha256: &str) -> Result<File, StoreError> {
        let gone = || StoreError::NotFound {
            what: "file",
            id: sha256.chars().take(64).collect(),
        };
        if !is_name(sha256) {
            return Err(gone());
        }
        File::open(Self::place(&self.folder, sha256)).map_err(|e| match e.kind() {
            ErrorKind::NotFound => gone(),
            _ => e.into(),
        })
    }

    /// Keeps `content`, whole.
    /// # Errors
    /// As [`Files::begin`].
    pub fn keep(&self, content: &[u8], media: &str) -> Result<Blob, StoreError> {
        let mut incoming = self.begin()?;
        incoming.write(content)?;
        incoming.keep(media)
    }
}

impl Incoming {
    /// Takes the next piece.
    /// # Errors
    /// [`StoreError::DiskFull`], [`StoreError::Io`].
    pub fn write(&mut self, piece: &[u8]) -> Result<(), StoreError> {
        self.file.write_all(piece)?;
        self.hash.update(piece);
        self.bytes += piece.len() as u64;
        Ok(())
    }

    /// Gives it its name. It is on the disk, its name too, when this returns.
    /// # Errors
    /// [`StoreError::DiskFull`], [`StoreError::Io`].
    pub fn keep(self, media: &str) -> Result<Blob, StoreError> {
        let sha256: String = self.hash.finalize().iter().map(hex).collect();
        let place = Files::place(&self.folder, &sha256);
        let parent = place.parent().unwrap_or(&self.folder);
        fs::create_dir_all(parent)?;
        self.file.as_file().sync_all()?;
        self.file
            .persist(&place)
            .map_err(|e| StoreError::from(e.error))?;
        // A name is on the disk only when its folder is.
        if let Ok(folder) = File::open(parent) {
            let _ = folder.sync_all();
        }
        Ok(Blob {
            sha256,
            bytes: self.bytes,
            media: media.to_owned(),
        })
    }
}

fn hash_of(mut file: File) -> Result<String, StoreError> {
    let mut hash = Sha256::new();
    let mut piece = vec![0; 64 * 1024];
    loop {
        let n = file.read(&mut piece)?;
        if n == 0 {
            return Ok(hash.finalize().iter().map(hex).collect());
        }
        hash.update(&piece[..n]);
    }
}

fn hex(byte: &u8) -> String {
    format!("{byte:02x}")
}

fn is_name(text: &str) -> bool {
    text.len() == 64 && text.bytes().all(|c| matches!(c, b'0'..=b'9' | b'a'..=b'f'))
}

impl Store {
    /// Files beside this data file.
    #[must_use]
    pub const fn files(&self) -> &Files {
        &self.files
    }

    /// Enters a file that is there.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn enter_blob(&mut self, blob: &Blob, at: &str) -> Result<(), StoreError> {
        enter(&self.conn, blob, at)
    }

    /// A file that was entered.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none of that name.
    pub fn blob(&self, sha256: &str) -> Result<Blob, StoreError> {
        self.conn
            .query_row(
                "SELECT sha256, bytes, media FROM blob WHERE sha256 = ?1",
                [sha256],
                |r| {
                    Ok(Blob {
                        sha256: r.get(0)?,
                        bytes: r.get::<_, i64>(1)?.unsigned_abs(),
                        media: r.get(2)?,
                    })
                },
            )
            .optional()?
            .ok_or_else(|| StoreError::NotFound {
                what: "file",
                id: sha256.chars().take(64).collect(),
            })
    }

    /// Files that belong to something, the oldest first.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn attachments(&self) -> Result<Vec<Attachment>, StoreError> {
        let mut all = self
            .conn
            .prepare("SELECT sha256, kind, name, at, trace_id FROM attachment ORDER BY id")?;
        let rows = all.query_map([], |r| {
            Ok(Attachment {
                sha256: r.get(0)?,
                kind: r.get(1)?,
                name: r.get(2)?,
                at: r.get(3)?,
                trace_id: r.get(4)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Lets go of files that nothing names for a day: uploads that were never used, and what a server that
    /// was killed left half-written. How many went.
    /// # Errors
    /// [`StoreError`] of database or disk.
    pub fn sweep_files(&mut self) -> Result<usize, StoreError> {
        let now = std::time::SystemTime::now();
        let Ok(folders) = fs::read_dir(&self.files.folder) else {
            return Ok(0);
        };
        let mut gone = 0;
        let old = |path: &Path| {
            let changed = path.metadata().and_then(|m| m.modified());
            changed.is_ok_and(|at| now.duration_since(at).is_ok_and(|d| d > UNNAMED_KEPT))
        };
        for entry in folders.flatten().map(|e| e.path()) {
            let within = if entry.is_dir() {
                fs::read_dir(&entry)?.flatten().map(|e| e.path()).collect()
            } else {
                vec![entry]
            };
            for path in within.into_iter().filter(|p| old(p)) {
                let name = path.file_name().unwrap_or_default().to_string_lossy();
                let named: bool = self.conn.query_row(
                    "SELECT EXISTS (SELECT 1 FROM trace WHERE sha256 = ?1)
                         OR EXISTS (SELECT 1 FROM attachment WHERE sha256 = ?1)
                         OR EXISTS (SELECT 1 FROM print_file WHERE sha256 = ?1)",
                    [&name],
                    |r| r.get(0),
                )?;
                if !named {
                    self.conn
                        .execute("DELETE FROM blob WHERE sha256 = ?1", [&name])?;
                    fs::remove_file(&path)?;
                    gone += 1;
                }
            }
        }
        Ok(gone)
    }

    /// Files that are entered but gone, or hold something else than their name says: what a folder that was
    /// copied in part shows.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn damaged_files(&self) -> Result<Vec<String>, StoreError> {
        let mut all = self
            .conn
            .prepare("SELECT sha256 FROM blob ORDER BY sha256")?;
        let names = all.query_map([], |r| r.get::<_, String>(0))?;
        let mut damaged = Vec::new();
        for name in names {
            let name = name?;
            let whole = self.files.open(&name).and_then(hash_of);
            if !whole.is_ok_and(|hash| hash == name) {
                damaged.push(name);
            }
        }
        Ok(damaged)
    }
}

pub(crate) fn enter(conn: &rusqlite::Connection, blob: &Blob, at: &str) -> Result<(), StoreError> {
    conn.execute(
        "INSERT INTO blob (sha256, bytes, media, at) VALUES (?1, ?2, ?3, ?4) ON CONFLICT DO NOTHING",
        params![blob.sha256, i64::try_from(blob.bytes).unwrap_or(i64::MAX), blob.media, at],
    )?;
    Ok(())
}
