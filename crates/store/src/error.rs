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
    /// The row contradicts one that is there.
    #[error("{0}")]
    Conflict(String),
    /// The disk is full.
    #[error("The disk is full: nothing was saved. Free some space, then try again.")]
    DiskFull,
    /// The file can't be written.
    #[error(
        "The data file can't be written: it is read-only. Nothing was saved. Make it writable, then try again."
    )]
    ReadOnly,
    /// The file can't be opened.
    #[error("The data file {path} can't be opened: {source}")]
    Open {
        /// Path of the file.
        path: String,
        /// What SQLite says.
        source: rusqlite::Error,
    },
    /// The file is of a newer or broken version.
    #[error("The data file couldn't be brought up to date: {0}")]
    Migration(#[from] rusqlite_migration::Error),
    /// A stored JSON doesn't read.
    #[error("a stored record doesn't read: {0}")]
    Json(#[from] serde_json::Error),
    /// Copying or creating files failed.
    #[error("The data folder can't be used: {0}")]
    Io(#[from] std::io::Error),
    /// Anything else of SQLite.
    #[error("the database failed: {0}")]
    Sqlite(rusqlite::Error),
}

impl From<rusqlite::Error> for StoreError {
    fn from(e: rusqlite::Error) -> Self {
        use rusqlite::ErrorCode as C;
        match e.sqlite_error_code() {
            Some(C::DiskFull) => Self::DiskFull,
            Some(C::ReadOnly) => Self::ReadOnly,
            _ => Self::Sqlite(e),
        }
    }
}
