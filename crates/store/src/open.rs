//! Opening the file, with a copy of it before any migration.

use std::path::{Path, PathBuf};

use rusqlite::{Connection, OpenFlags};
use rusqlite_migration::{M, Migrations, SchemaVersion};

use crate::StoreError;
use crate::files::Files;
use crate::upgrade::{facts_to_fittings, samples_to_files};

fn steps(files: &Files) -> Vec<M<'static>> {
    let files = files.clone();
    vec![
        M::up(include_str!("../migrations/01-foundation.sql")),
        M::up(include_str!("../migrations/02-heat.sql")),
        M::up(include_str!("../migrations/03-stop.sql")),
        M::up_with_hook(include_str!("../migrations/04-fittings.sql"), |tx| {
            facts_to_fittings(tx)
        })
        .foreign_key_check(),
        M::up(include_str!("../migrations/05-drafts.sql")),
        M::up(include_str!("../migrations/06-units.sql")),
        M::up_with_hook(
            include_str!("../migrations/07-files.sql"),
            move |tx: &rusqlite::Transaction<'_>| samples_to_files(tx, &files),
        )
        .foreign_key_check(),
        M::up(include_str!("../migrations/08-deeds.sql")).foreign_key_check(),
        M::up(include_str!("../migrations/09-photos.sql")),
        M::up(include_str!("../migrations/10-own-steps.sql")),
        M::up(include_str!("../migrations/11-fault-cases.sql")),
        M::up(include_str!("../migrations/12-prints.sql")),
        M::up(include_str!("../migrations/13-made-prints.sql")),
        M::up(include_str!("../migrations/14-blocks.sql")),
    ]
}

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
    pub(crate) files: Files,
}

impl Store {
    /// Opens or creates the file at `path` and brings it up to date.
    ///
    /// A file of an older version is copied to `<name>.before-v<N>.sqlite` first, N the new version.
    /// # Errors
    /// [`StoreError`] if it can't be opened, copied, migrated or written.
    pub fn open(path: &Path, options: OpenOptions) -> Result<Self, StoreError> {
        Self::open_at(path, options, &steps(&Files::beside(path)))
    }

    fn open_at(path: &Path, options: OpenOptions, steps: &[M<'_>]) -> Result<Self, StoreError> {
        match Self::open_once(path, options, steps, false) {
            // Shared memory wants room of its own beside the file. Without it this process can still work
            // on the file alone: reading goes on, and writing says why it can't.
            Err(e) if e.wants_room() => Self::open_once(path, options, steps, true),
            other => other,
        }
    }

    fn open_once(
        path: &Path,
        options: OpenOptions,
        steps: &[M<'_>],
        alone: bool,
    ) -> Result<Self, StoreError> {
        let named = || path.display().to_string();
        let existed = path.metadata().is_ok_and(|m| m.len() > 0);
        let mut conn = Connection::open(path).map_err(|source| StoreError::Open {
            path: named(),
            source,
        })?;
        if conn.is_readonly("main")? {
            return Err(StoreError::ReadOnly);
        }
        // Longer than any write of our own takes; whoever holds it longer is told of, not waited for.
        conn.busy_timeout(BUSY_PATIENCE)?;
        if alone {
            conn.pragma_update(None, "locking_mode", "EXCLUSIVE")?;
        }
        if existed && !is_ours(&conn).map_err(|e| foreign(e, path))? {
            return Err(StoreError::Foreign { path: named() });
        }
        conn.pragma_update(None, "journal_mode", "WAL")?;
        // FULL: a commit is on the disk, not only in its cache, before it is answered.
        conn.pragma_update(None, "synchronous", "FULL")?;
        // Off while tables are made anew: dropping one would be taken for deleting its rows.
        conn.pragma_update(None, "foreign_keys", "OFF")?;
        if let Some(pages) = options.max_pages {
            conn.pragma_update(None, "max_page_count", pages)?;
        }
        let migrations = Migrations::from_slice(steps);
        let version = match migrations.current_version(&conn)? {
            SchemaVersion::NoneSet => 0,
            SchemaVersion::Inside(n) => n.get(),
            SchemaVersion::Outside(n) => {
                return Err(StoreError::Newer {
                    path: named(),
                    found: n.get(),
                    known: steps.len(),
                });
            }
        };
        if existed && version > 0 && version < steps.len() {
            let copy = path.with_extension(format!("before-v{}.sqlite", steps.len()));
            conn.backup("main", &copy, None)?;
        }
        if version < steps.len() {
            migrations.to_latest(&mut conn)?;
        }
        conn.pragma_update(None, "foreign_keys", "ON")?;
        Ok(Self {
            conn,
            path: path.to_owned(),
            files: Files::beside(path),
        })
    }

    /// The same file through a connection of its own that only reads: it sees every commit and waits for no
    /// write.
    /// # Errors
    /// [`StoreError`] where there can't be a second one, as on a disk that is full.
    pub fn reader(&self) -> Result<Self, StoreError> {
        let conn = Connection::open_with_flags(&self.path, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
        conn.busy_timeout(BUSY_PATIENCE)?;
        conn.query_row("SELECT count(*) FROM sqlite_master", [], |_| Ok(()))?;
        Ok(Self {
            conn,
            path: self.path.clone(),
            files: self.files.clone(),
        })
    }

    /// Looks the whole database through: pages, indexes, and that what is named is there.
    /// # Errors
    /// [`StoreError::Damaged`] with what was found first.
    pub fn check_whole(&self) -> Result<(), StoreError> {
        let first = |sql: &str| -> Result<Option<String>, StoreError> {
            let mut statement = self.conn.prepare(sql)?;
            let mut rows = statement.query([])?;
            Ok(rows.next()?.map(|r| r.get(0)).transpose()?)
        };
        let said = first("PRAGMA integrity_check")?.filter(|s| s != "ok");
        let unnamed = first("SELECT \"table\" || ' ' || rowid FROM pragma_foreign_key_check")?;
        match said.or_else(|| unnamed.map(|row| format!("{row} names a row that isn’t there"))) {
            Some(detail) => Err(StoreError::Damaged { detail }),
            None => Ok(()),
        }
    }

    /// Where the file is.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.path
    }
}

/// How long a write waits for another program that holds the file.
const BUSY_PATIENCE: std::time::Duration = std::time::Duration::from_millis(700);

/// Whether a file that is there was made by this program: it has no tables yet, or the first of ours.
fn is_ours(conn: &Connection) -> rusqlite::Result<bool> {
    let (tables, ours): (i64, i64) = conn.query_row(
        "SELECT count(*), count(*) FILTER (WHERE name IN ('printer', 'logbook', 'closing'))
         FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'",
        [],
        |r| Ok((r.get(0)?, r.get(1)?)),
    )?;
    Ok(tables == 0 || ours == 3)
}

fn foreign(e: rusqlite::Error, path: &Path) -> StoreError {
    if e.sqlite_error_code() == Some(rusqlite::ErrorCode::NotADatabase) {
        return StoreError::Foreign {
            path: path.display().to_string(),
        };
    }
    e.into()
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]

    use super::*;
    use crate::About;
    use crate::LogFilter;

    const AT: &str = "2026-01-01T08:00:00.000Z";

    fn with_a_note(path: &Path) {
        let mut store = Store::open(path, OpenOptions::default()).unwrap();
        store
            .note(About::default(), "", "before the change", AT)
            .unwrap();
    }

    #[test]
    fn a_copy_is_made_before_a_migration_and_opens_by_itself() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("shop.sqlite");
        with_a_note(&path);
        let mut next = steps(&Files::beside(&path));
        let known = next.len();
        next.push(M::up("CREATE TABLE later (id INTEGER PRIMARY KEY) STRICT;"));
        drop(Store::open_at(&path, OpenOptions::default(), &next).unwrap());
        let copy = folder
            .path()
            .join(format!("shop.before-v{}.sqlite", known + 1));
        let old = Store::open(&copy, OpenOptions::default()).unwrap();
        assert_eq!(
            old.logbook(&LogFilter::default()).unwrap()[0].text,
            "before the change"
        );
        let newer = Store::open(&path, OpenOptions::default()).unwrap_err();
        assert!(
            matches!(newer, StoreError::Newer { found, known: k, .. } if (found, k) == (known + 1, known)),
            "an older build leaves a newer file alone: {newer}"
        );
    }

    #[test]
    fn a_migration_that_fails_changes_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("shop.sqlite");
        with_a_note(&path);
        let mut broken = steps(&Files::beside(&path));
        broken.push(M::up("CREATE TABLE later (id INTEGER); THIS IS NO SQL;"));
        assert!(Store::open_at(&path, OpenOptions::default(), &broken).is_err());
        let store = Store::open(&path, OpenOptions::default()).unwrap();
        assert_eq!(store.logbook(&LogFilter::default()).unwrap().len(), 1);
    }

    #[test]
    fn a_new_file_needs_no_copy() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("shop.sqlite");
        with_a_note(&path);
        with_a_note(&path);
        let files = std::fs::read_dir(folder.path()).unwrap().count();
        assert_eq!(
            files, 1,
            "the write-ahead log is folded in when the file is closed"
        );
    }
}
