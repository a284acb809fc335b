//! Zips of open formats.

use std::fs::File;
use std::io::{Seek, SeekFrom, Write};

use serde::Serialize;
use wattotherm_store::{Store, StoreError};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

/// Why the zip could not be made.
#[derive(Debug, thiserror::Error)]
pub enum ZipError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error("The zip can’t be written: {0}")]
    Io(#[from] std::io::Error),
    #[error("The zip can’t be written: {0}")]
    Zip(#[from] zip::result::ZipError),
    #[error("The zip can’t be written: {0}")]
    Csv(#[from] csv::Error),
    #[error("The zip can’t be written: {0}")]
    Json(#[from] serde_json::Error),
}

/// A zip that is being written into a temporary file.
pub struct Zip {
    inner: ZipWriter<File>,
    /// Names of files that are gone: one of them must not keep all the rest from going out.
    missing: Vec<String>,
}

impl Zip {
    /// An empty one.
    pub fn new() -> Result<Self, ZipError> {
        Ok(Self {
            inner: ZipWriter::new(tempfile::tempfile()?),
            missing: Vec::new(),
        })
    }

    /// Ends it, says what was missing, and winds it back.
    pub fn finish(mut self) -> Result<File, ZipError> {
        if !self.missing.is_empty() {
            let missing = self.missing.join("\n");
            self.begin("missing.txt")?.write_all(missing.as_bytes())?;
        }
        let mut file = self.inner.finish()?;
        file.seek(SeekFrom::Start(0))?;
        Ok(file)
    }

    /// Begins a file in it.
    pub fn begin(&mut self, name: &str) -> Result<&mut ZipWriter<File>, ZipError> {
        self.inner.start_file(name, SimpleFileOptions::default())?;
        Ok(&mut self.inner)
    }

    /// Copies a kept file into it.
    pub fn copy(&mut self, store: &Store, sha256: &str, name: &str) -> Result<(), ZipError> {
        match store.files().open(sha256) {
            Ok(mut file) => {
                std::io::copy(&mut file, self.begin(name)?)?;
            }
            Err(StoreError::NotFound { .. }) => self.missing.push(format!("{name} ({sha256})")),
            Err(e) => return Err(e.into()),
        }
        Ok(())
    }

    /// Writes a value as JSON.
    pub fn json(&mut self, name: &str, value: &impl Serialize) -> Result<(), ZipError> {
        Ok(serde_json::to_writer_pretty(self.begin(name)?, value)?)
    }
}
