//! Opening the file, with a copy of it before any migration.

use std::path::{Path, PathBuf};

use rusqlite::Connection;
use rusqlite_migration::{M, Migrations, SchemaVersion};

use crate::StoreError;

const STEPS: &[M<'static>] = &[M::up(include_str!("../migrations/01-foundation.sql"))];

/// How to open.
#[derive(Clone, Copy, Debug, Default)]
pub struct OpenOptions {
    /// Greatest size of the file in pages of 4 KiB; none means as the disk allows.
    pub max_pages: Option<u32>,
}

/// The open file. One at a time writes.
#[derive(Debug)]
pub struct Store {
    pub(crate) conn: Connection,
    path: PathBuf,
}

impl Store {
    /// Opens or creates the file at `path` and brings it up to date.
    ///
    /// A file of an older version is copied to `<name>.before-v<N>.sqlite` first.
    /// # Errors
    /// [`StoreError`] if it can't be opened, copied, migrated or written.
    pub fn open(path: &Path, options: OpenOptions) -> Result<Self, StoreError> {
        let existed = path.exists();
        let mut conn = Connection::open(path).map_err(|source| StoreError::Open {
            path: path.display().to_string(),
            source,
        })?;
        if conn.is_readonly("main")? {
            return Err(StoreError::ReadOnly);
        }
        conn.busy_timeout(std::time::Duration::from_secs(5))?;
        conn.pragma_update(None, "journal_mode", "WAL")?;
        // FULL: a commit is on the disk, not only in its cache, before it is answered.
        conn.pragma_update(None, "synchronous", "FULL")?;
        conn.pragma_update(None, "foreign_keys", "ON")?;
        if let Some(pages) = options.max_pages {
            conn.pragma_update(None, "max_page_count", pages)?;
        }
        let migrations = Migrations::from_slice(STEPS);
        let version = match migrations.current_version(&conn)? {
            SchemaVersion::NoneSet => 0,
            SchemaVersion::Inside(n) | SchemaVersion::Outside(n) => n.get(),
        };
        if existed && version > 0 && version < STEPS.len() {
            let copy = path.with_extension(format!("before-v{}.sqlite", STEPS.len()));
            conn.backup("main", &copy, None)?;
        }
        migrations.to_latest(&mut conn)?;
        Ok(Self {
            conn,
            path: path.to_owned(),
        })
    }

    /// Where the file is.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.path
    }
}
