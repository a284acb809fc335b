//! Everything a shop has, as one zip of open formats.

use std::fs::File;
use std::io::Write;

use wattotherm_store::{LogFilter, Store};

use crate::zip_file::{Zip, ZipError};

const READ_ME: &str = "Everything of a workshop, from Wattotherm.

jobs/        a file a job: import it at another shop (JSON, described by docs/job.schema.json)
logbook.csv  every entry of the logbook, oldest first (RFC 4180, UTF-8)
printers.json, filaments.json, house.json
             printers with what is and was fitted and set; filaments; house rules
cases.json   what was wrong: what was told of each case, and what it came to
traces/      temperature logs: seconds, temperature and target in degrees Celsius, duty and fan from 0 to 1 (CSV)
files/       files as they were sent, each named by the SHA-256 of what it holds; files.csv says what each was called
missing.txt  only where files that belong to the data are gone: their names

Numbers are in degrees Celsius and millimetres, whatever the shop is shown. Times are RFC 3339.
";

/// Writes everything into a temporary file and winds it back.
///
/// # Errors
/// [`ZipError`] of database or disk.
pub fn everything(store: &Store) -> Result<File, ZipError> {
    let mut zip = Zip::new()?;
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
    let mut cases = Vec::new();
    for case in store.all_cases()? {
        let entries: Vec<_> = store
            .case_entries(case.id)?
            .into_iter()
            .map(|e| serde_json::json!({"at": e.at, "entry": e.entry}))
            .collect();
        cases.push(serde_json::json!({"case": case, "entries": entries}));
    }
    zip.json("cases.json", &cases)?;
    zip.finish()
}

fn logbook(store: &Store, zip: &mut Zip) -> Result<(), ZipError> {
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

fn printers(store: &Store, zip: &mut Zip) -> Result<(), ZipError> {
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

fn traces(store: &Store, zip: &mut Zip) -> Result<(), ZipError> {
    for head in store.all_traces()? {
        let name = format!("traces/trace-{:05}.csv", head.id);
        zip.copy(store, &head.sha256, &name)?;
    }
    Ok(())
}

fn files(store: &Store, zip: &mut Zip) -> Result<(), ZipError> {
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
