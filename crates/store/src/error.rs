//! What can go wrong on disk.

/// Why the store did not do what was asked.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// No such row.
    #[error("there is no {what} {id}")]
    NotFound {
        /// Kind of row.
        what: &'static str,
        /// Its id.
        id: String,
    },
    /// A row that is named is not there.
    #[error("A printer, filament or job that is named here doesn’t exist. Nothing was saved.")]
    Reference,
    /// A value that can't be kept.
    #[error("A value here can’t be kept: it is outside what is possible. Nothing was saved.")]
    Check,
    /// A value that can't be kept, with what would do.
    #[error("{0}")]
    Value(String),
    /// The row contradicts one that is there.
    #[error("{0}")]
    Conflict(String),
    /// The disk is full.
    #[error("The disk is full: nothing was saved. Free some space, then try again.")]
    DiskFull,
    /// The file can't be written.
    #[error(
        "The data file can’t be written: it is read-only. Nothing was saved. Make it writable, then try again."
    )]
    ReadOnly,
    /// The file can't be opened.
    #[error("The data file {path} can’t be opened: {source}")]
    Open {
        /// Path of the file.
        path: String,
        /// What SQLite says.
        source: rusqlite::Error,
    },
    /// Another program holds the file.
    #[error(
        "Another program is using the data file just now. Nothing was saved. Try again in a moment."
    )]
    Busy,
    /// Another server has the folder.
    #[error("Another Wattotherm serves {folder} already{}. Use its page, or end it first.", if .process.is_empty() { String::new() } else { format!(" (process {})", .process) })]
    InUse {
        /// The folder.
        folder: String,
        /// Number of its process, where it could be read.
        process: String,
    },
    /// Not one of our files.
    #[error(
        "{path} is not a Wattotherm data file. It was left as it is. Move it away, or name another folder with --data."
    )]
    Foreign {
        /// Path of the file.
        path: String,
    },
    /// Written by a newer program.
    #[error(
        "{path} was written by a newer Wattotherm (data version {found}; this one knows {known}). It was left as it is. Use the newer program, or open the copy that it made beside the file before."
    )]
    Newer {
        /// Path of the file.
        path: String,
        /// Version of its data.
        found: usize,
        /// Newest version that this build knows.
        known: usize,
    },
    /// Pages of the file are damaged.
    #[error(
        "The data file is damaged ({detail}). End the server, copy the whole folder away, then put back a copy of the file: a backup, or the one named “before” beside it."
    )]
    Damaged {
        /// What SQLite says.
        detail: String,
    },
    /// The file couldn't be brought up to date.
    #[error("The data file couldn’t be brought up to date: {0}")]
    Migration(rusqlite_migration::Error),
    /// A stored JSON doesn't read.
    #[error("a stored record doesn’t read: {0}")]
    Json(#[from] serde_json::Error),
    /// A log's file doesn't read.
    #[error("a log’s file doesn’t read: {0}")]
    Csv(#[from] csv::Error),
    /// Copying or creating files failed.
    #[error("The data folder can’t be used: {0}")]
    Io(std::io::Error),
    /// Anything else of SQLite.
    #[error("the database failed: {0}")]
    Sqlite(rusqlite::Error),
}

impl StoreError {
    /// Whether it comes from a disk without room, as far as opening is concerned.
    pub(crate) fn wants_room(&self) -> bool {
        use rusqlite::ErrorCode as C;
        match self {
            Self::DiskFull => true,
            Self::Sqlite(e) | Self::Open { source: e, .. } => matches!(
                e.sqlite_error_code(),
                Some(C::SystemIoFailure | C::CannotOpen | C::DiskFull)
            ),
            _ => false,
        }
    }
}

impl From<rusqlite::Error> for StoreError {
    fn from(e: rusqlite::Error) -> Self {
        use rusqlite::ErrorCode as C;
        match e.sqlite_error().map(|e| e.extended_code) {
            Some(rusqlite::ffi::SQLITE_CONSTRAINT_FOREIGNKEY) => return Self::Reference,
            Some(rusqlite::ffi::SQLITE_CONSTRAINT_CHECK) => return Self::Check,
            _ => {}
        }
        match e.sqlite_error_code() {
            Some(C::DiskFull) => Self::DiskFull,
            Some(C::ReadOnly) => Self::ReadOnly,
            Some(C::DatabaseBusy | C::DatabaseLocked) => Self::Busy,
            Some(C::DatabaseCorrupt | C::NotADatabase) => Self::Damaged {
                detail: e.to_string(),
            },
            _ => Self::Sqlite(e),
        }
    }
}

impl From<std::io::Error> for StoreError {
    fn from(e: std::io::Error) -> Self {
        use std::io::ErrorKind as K;
        match e.kind() {
            K::StorageFull | K::QuotaExceeded => Self::DiskFull,
            K::ReadOnlyFilesystem => Self::ReadOnly,
            _ => Self::Io(e),
        }
    }
}

impl From<rusqlite_migration::Error> for StoreError {
    fn from(e: rusqlite_migration::Error) -> Self {
        match e {
            rusqlite_migration::Error::RusqliteError { err, .. } => match Self::from(err) {
                Self::Sqlite(err) => Self::Migration(err.into()),
                known => known,
            },
            other => Self::Migration(other),
        }
    }
}
