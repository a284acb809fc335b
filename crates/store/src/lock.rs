//! One server on one folder.

use std::fs::{File, OpenOptions, TryLockError};
use std::io::{ErrorKind, Read as _, Seek as _, Write as _};
use std::path::Path;

use crate::StoreError;

/// A claim on a data folder; it ends with the process, however that ends.
#[derive(Debug)]
pub struct FolderLock {
    _file: File,
}

impl FolderLock {
    /// Claims `folder`.
    /// # Errors
    /// [`StoreError::InUse`] where another server has it, [`StoreError::ReadOnly`] and [`StoreError::Io`]
    /// where no file can be made.
    pub fn take(folder: &Path) -> Result<Self, StoreError> {
        let path = folder.join("wattotherm.lock");
        let mut file = OpenOptions::new()
            .read(true)
            .write(true)
            .create(true)
            .truncate(false)
            .open(path)
            .map_err(|e| match e.kind() {
                ErrorKind::PermissionDenied | ErrorKind::ReadOnlyFilesystem => StoreError::ReadOnly,
                _ => e.into(),
            })?;
        match file.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => {
                let mut who = String::new();
                let _ = (&file).take(20).read_to_string(&mut who);
                return Err(StoreError::InUse {
                    folder: folder.display().to_string(),
                    process: who.trim().to_owned(),
                });
            }
            Err(TryLockError::Error(e)) => return Err(e.into()),
        }
        // Only for the message above; a full disk is no reason not to serve.
        let _ = file.set_len(0);
        let _ = file.rewind();
        let _ = write!(file, "{}", std::process::id());
        Ok(Self { _file: file })
    }
}
