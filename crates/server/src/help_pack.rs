//! All of a case in one zip, to write to somebody with: names only where that is wanted.

use std::fmt::Write as _;
use std::fs::File;
use std::io::Write as _;

use serde_json::json;
use wattotherm_store::{LogFilter, Store};

use crate::cases::gather;
use crate::cases::shown::CasePage;
use crate::error::ApiError;
use crate::moment::now;
use crate::zip_file::{Zip, ZipError};

/// Lines of the wire that go along.
const WIRE_LINES: usize = 300;
/// Heat logs that go along.
const LOGS: usize = 8;

/// What stands in a page as it is.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            _ => out.push(c),
        }
    }
    out
}

struct Page(String);

impl Page {
    fn heading(&mut self, text: &str) {
        let _ = writeln!(self.0, "<h2>{}</h2>", escaped(text));
    }
    fn list<T: AsRef<str>>(&mut self, lines: impl IntoIterator<Item = T>) {
        let mut any = false;
        self.0.push_str("<ul>\n");
        for line in lines {
            any = true;
            let _ = writeln!(self.0, "<li>{}</li>", escaped(line.as_ref()));
        }
        if !any {
            self.0.push_str("<li>nothing</li>\n");
        }
        self.0.push_str("</ul>\n");
    }
}

fn readable(page: &CasePage, names: bool, photos: &[String]) -> String {
    let mut out = Page(String::from(
        "<!doctype html>\n<html lang=\"en\"><meta charset=\"utf-8\"><title>What is wrong?</title>\n<body style=\"font:16px/1.5 sans-serif;max-width:46em;margin:2em auto\">\n",
    ));
    let _ = writeln!(
        out.0,
        "<h1>What is wrong with this printer?</h1>\n<p>{}; case {}, begun {}, written {}.</p>",
        escaped(&page.printer.kind),
        page.case.id,
        escaped(&page.case.begun_at),
        escaped(&now())
    );
    if !page.case.sentence.is_empty() {
        let _ = writeln!(out.0, "<p>“{}”</p>", escaped(&page.case.sentence));
    }
    if names && !page.case.who.is_empty() {
        let _ = writeln!(out.0, "<p>Asked by {}.</p>", escaped(&page.case.who));
    }
    out.heading("What was seen");
    out.list(
        page.seen
            .iter()
            .map(|s| format!("{}: {}", s.says, s.answer)),
    );
    out.heading("What was tried");
    out.list(
        page.tried
            .iter()
            .map(|t| format!("{} {} {}", t.does, t.says, t.reason)),
    );
    out.heading("What was replaced not long ago");
    out.list(&page.replaced);
    out.heading("What it may be");
    out.list(
        page.causes
            .iter()
            .map(|c| format!("{}: {} ({:.0} %)", c.label, c.word, 100.0 * c.p)),
    );
    out.heading("Ruled out");
    out.list(&page.ruled_out);
    out.heading("What the likeliest doesn’t explain");
    out.list(&page.unexplained);
    if !photos.is_empty() {
        out.heading("Pictures");
        for name in photos {
            let _ = writeln!(
                out.0,
                "<p><img src=\"{0}\" alt=\"{0}\" style=\"max-width:100%\"></p>",
                escaped(name)
            );
        }
    }
    out.0.push_str("<p>Beside this page: case.json with the same for programs, settings.json, wire.txt, heat logs as CSV (seconds, °C), pictures.</p>\n</body></html>\n");
    out.0
}

/// Writes the pack of a case into a temporary file.
/// # Errors
/// [`ApiError`] of the store or the disk.
pub fn help_pack(store: &Store, id: i64, names: bool) -> Result<File, ApiError> {
    let mut page = gather(store, id)?.page(store)?;
    if !names {
        page.case.who.clear();
    }
    let printer = page.printer.id;
    let zip_error = |e: std::io::Error| ApiError::Zip(ZipError::Io(e));
    let mut zip = Zip::new()?;
    let mut photos = Vec::new();
    if let Some(job) = page.case.job_id {
        for photo in store.photos(job)? {
            let name = format!("pictures/{:03}.jpg", photo.id);
            let blob = store.photo_file(photo.id)?;
            zip.copy(store, &blob.sha256, &name)?;
            photos.push(name);
        }
    }
    zip.begin("case.html")?
        .write_all(readable(&page, names, &photos).as_bytes())
        .map_err(zip_error)?;
    let job = page
        .case
        .job_id
        .map(|j| store.job(j))
        .transpose()?
        .map(|mut job| {
            if !names {
                job.customer.clear();
                job.technician.clear();
            }
            job
        });
    let mut book = store.logbook(&LogFilter {
        printer_id: Some(printer),
        ..LogFilter::default()
    })?;
    if !names {
        book.iter_mut().for_each(|e| e.who.clear());
    }
    zip.json(
        "case.json",
        &json!({"case": page, "job": job, "logbook": book}),
    )?;
    zip.json("settings.json", &store.settings(printer)?)?;
    let wire = store.wire(printer, None, None)?;
    let wire: Vec<String> = wire
        .iter()
        .take(WIRE_LINES)
        .rev()
        .map(|l| format!("{} {} {}", l.at, l.way, l.text))
        .collect();
    zip.begin("wire.txt")?
        .write_all(wire.join("\n").as_bytes())
        .map_err(zip_error)?;
    for head in store.traces(printer)?.into_iter().take(LOGS) {
        zip.copy(
            store,
            &head.sha256,
            &format!("heat/{:05}-{}.csv", head.id, head.kind),
        )?;
    }
    Ok(zip.finish()?)
}
