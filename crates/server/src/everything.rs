//! Everything a shop has, as one zip of open formats.

use std::fs::File;
use std::io::{Seek, SeekFrom, Write};

use serde::Serialize;
use wattotherm_store::{LogFilter, Store, StoreError};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

const READ_ME: &str = "Everything of a workshop, from Wattotherm.

jobs/        a file a job: import it at another shop (JSON, described by docs/job.schema.json)
logbook.csv  every entry of the logbook, oldest first (RFC 4180, UTF-8)
printers.json, filaments.json, house.json
             printers with what is and was fitted and set; filaments; house rules
traces/      temperature logs: seconds, temperature and target in degrees Celsius, duty and fan from 0 to 1 (CSV)
files/       files as they were sent, each named by the SHA-256 of what it holds; files.csv says what each was called
missing.txt  only where files that belong to the data are gone: their names

Numbers are in degrees Celsius and millimetres, whatever the shop is shown. Times are RFC 3339.
";

/// Why the zip could not be made.
#[derive(Debug, thiserror::Error)]
pub enum EverythingError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error("The zip can't be written: {0}")]
    Io(#[from] std::io::Error),
    #[error("The zip can't be written: {0}")]
    Zip(#[from] zip::result::ZipError),
    #[error("The zip can't be written: {0}")]
    Csv(#[from] csv::Error),
    #[error("The zip can't be written: {0}")]
    Json(#[from] serde_json::Error),
}

struct Zip {
    inner: ZipWriter<File>,
    /// Names of files that are gone: one of them must not keep all the rest from going out.
    missing: Vec<String>,
}

impl Zip {
    fn begin(&mut self, name: &str) -> Result<&mut ZipWriter<File>, EverythingError> {
        self.inner.start_file(name, SimpleFileOptions::default())?;
        Ok(&mut self.inner)
    }

    fn copy(&mut self, store: &Store, sha256: &str, name: &str) -> Result<(), EverythingError> {
        match store.files().open(sha256) {
            Ok(mut file) => {
                std::io::copy(&mut file, self.begin(name)?)?;
            }
            Err(StoreError::NotFound { .. }) => self.missing.push(format!("{name} ({sha256})")),
            Err(e) => return Err(e.into()),
        }
        Ok(())
    }

    fn json(&mut self, name: &str, value: &impl Serialize) -> Result<(), EverythingError> {
        Ok(serde_json::to_writer_pretty(self.begin(name)?, value)?)
    }
}

/// Writes everything into a temporary file and winds it back.
///
/// # Errors
/// [`EverythingError`] of database or disk.
pub fn everything(store: &Store) -> Result<File, EverythingError> {
    let mut zip = Zip {
        inner: ZipWriter::new(tempfile::tempfile()?),
        missing: Vec::new(),
    };
    zip.begin("README.txt")?.write_all(READ_ME.as_bytes())?;
    logbook(store, &mut zip)?;
    for job in store.jobs()? {
        zip.json(
            &format!("jobs/job-{:05}.json", job.id),
            &store.export(job.id)?,
        )?;
    }
    printers(store, &mut zip)?;
    traces(store, &mut zip)?;
    files(store, &mut zip)?;
    zip.json("filaments.json", &store.filaments()?)?;
    zip.json("house.json", &store.house()?)?;
    if !zip.missing.is_empty() {
        let missing = zip.missing.join("\n");
        zip.begin("missing.txt")?.write_all(missing.as_bytes())?;
    }
    let mut file = zip.inner.finish()?;
    file.seek(SeekFrom::Start(0))?;
    Ok(file)
}

fn logbook(store: &Store, zip: &mut Zip) -> Result<(), EverythingError> {
    // It is read the newest first, a page at a time; a book is written from its beginning.
    let mut pages = Vec::new();
    let mut before = None;
    loop {
        let page = store.logbook(&LogFilter {
            before,
            ..LogFilter::default()
        })?;
        let Some(oldest) = page.last() else { break };
        before = Some(oldest.id);
        pages.push(page);
    }
    let mut csv = csv::Writer::from_writer(zip.begin("logbook.csv")?);
    for entry in pages.iter().rev().flat_map(|p| p.iter().rev()) {
        csv.serialize(entry)?;
    }
    csv.flush()?;
    Ok(())
}

fn printers(store: &Store, zip: &mut Zip) -> Result<(), EverythingError> {
    let mut all = Vec::new();
    for printer in store.printers()? {
        let id = printer.id;
        all.push(serde_json::json!({
            "printer": printer,
            "fitted": store.fittings(id)?,
            "settings": store.settings(id)?,
        }));
    }
    zip.json("printers.json", &all)
}

fn traces(store: &Store, zip: &mut Zip) -> Result<(), EverythingError> {
    for head in store.all_traces()? {
        let name = format!("traces/trace-{:05}.csv", head.id);
        zip.copy(store, &head.sha256, &name)?;
    }
    Ok(())
}

fn files(store: &Store, zip: &mut Zip) -> Result<(), EverythingError> {
    let all = store.attachments()?;
    let mut csv = csv::Writer::from_writer(zip.begin("files.csv")?);
    for file in &all {
        csv.serialize(file)?;
    }
    csv.flush()?;
    drop(csv);
    let names: std::collections::BTreeSet<&str> = all.iter().map(|a| a.sha256.as_str()).collect();
    for name in names {
        zip.copy(store, name, &format!("files/{name}"))?;
    }
    Ok(())
}
