//! Files beside the data file: named by what they hold, whole or not there, let go when nothing names them.
#![allow(clippy::unwrap_used)]

use std::fs::{self, File};
use std::io::Read as _;
use std::time::{Duration, SystemTime};

use crate::common::shop;
use wattotherm_heat::{Sample, Trace};
use wattotherm_store::{NewTrace, Source, StoreError};

const AT: &str = "2026-11-25T08:00:00.000Z";
/// SHA-256 of "abc". Source: FIPS 180-4, example computation of the standard.
const ABC: &str = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";

fn read(mut file: File) -> String {
    let mut text = String::new();
    file.read_to_string(&mut text).unwrap();
    text
}

#[test]
fn a_file_is_named_by_what_it_holds_and_the_same_content_is_kept_once() {
    let shop = shop(AT);
    let files = shop.store.files();
    let mut incoming = files.begin().unwrap();
    incoming.write(b"a").unwrap();
    incoming.write(b"bc").unwrap();
    let blob = incoming.keep("text/plain").unwrap();
    assert_eq!((blob.sha256.as_str(), blob.bytes), (ABC, 3));
    assert_eq!(files.keep(b"abc", "text/plain").unwrap(), blob);
    assert_eq!(read(files.open(ABC).unwrap()), "abc");
    let there = walk(&shop.folder.path().join("shop.files"));
    assert_eq!(there, [ABC], "one file, and nothing half-written");
}

fn walk(folder: &std::path::Path) -> Vec<String> {
    let mut all = Vec::new();
    for entry in fs::read_dir(folder).unwrap().flatten() {
        if entry.path().is_dir() {
            all.extend(walk(&entry.path()));
        } else {
            all.push(entry.file_name().to_string_lossy().into_owned());
        }
    }
    all
}

#[test]
fn what_is_no_name_reaches_no_other_file() {
    let shop = shop(AT);
    for name in ["../shop.sqlite", "", "ab", &ABC.to_uppercase(), ABC] {
        let e = shop.store.files().open(name).unwrap_err();
        assert!(matches!(e, StoreError::NotFound { .. }), "{name}: {e}");
    }
}

#[test]
fn an_upload_that_breaks_off_leaves_nothing() {
    let shop = shop(AT);
    let mut incoming = shop.store.files().begin().unwrap();
    incoming.write(&[7; 100_000]).unwrap();
    drop(incoming);
    assert!(walk(&shop.folder.path().join("shop.files")).is_empty());
}

fn trace() -> Trace {
    Trace::new((0..50).map(|i| Sample {
        t_s: f64::from(i) * 0.25,
        temp_c: 200.0 + f64::from(i) / 8.0,
        target_c: (i > 10).then_some(210.0),
        duty: Some(f64::from(i) / 100.0),
        fan: None,
    }))
}

#[test]
fn a_log_reads_back_as_it_was_kept_and_names_the_file_it_came_from() {
    let mut shop = shop(AT);
    let source = shop.store.files().keep(b"time,temp\n", "text/csv").unwrap();
    shop.store.enter_blob(&source, AT).unwrap();
    let trace = trace();
    let new = NewTrace {
        printer_id: shop.printer,
        job_id: None,
        kind: "file",
        target_c: Some(210.0),
        trace: &trace,
        source: Some(Source {
            sha256: &source.sha256,
            name: "night.csv",
        }),
    };
    let id = shop.store.keep_trace(&new, AT).unwrap();
    let (head, back) = shop.store.trace(id).unwrap();
    assert_eq!(back, trace);
    // Any program reads it: a heading, then a line a sample, blank where nothing is known.
    let text = read(shop.store.files().open(&head.sha256).unwrap());
    let lines: Vec<&str> = text.split("\r\n").collect();
    assert_eq!(lines[..2], ["t_s,temp_c,target_c,duty,fan", "0,200,,0,"]);
    assert_eq!(lines[12], "2.75,201.375,210,0.11,");

    // A file that is gone is said to be gone; nothing else breaks.
    let place = shop.folder.path().join("shop.files");
    fs::remove_file(place.join(&head.sha256[..2]).join(&head.sha256)).unwrap();
    assert!(matches!(
        shop.store.trace(id),
        Err(StoreError::NotFound { what: "file", .. })
    ));
    assert_eq!(shop.store.traces(shop.printer).unwrap().len(), 1);
    assert_eq!(shop.store.damaged_files().unwrap(), [head.sha256]);
}

#[test]
fn a_file_that_holds_something_else_is_found() {
    let mut shop = shop(AT);
    let blob = shop.store.files().keep(b"abc", "text/plain").unwrap();
    shop.store.enter_blob(&blob, AT).unwrap();
    assert!(shop.store.damaged_files().unwrap().is_empty());
    let place = shop.folder.path().join("shop.files").join("ba").join(ABC);
    fs::write(place, "abd").unwrap();
    assert_eq!(shop.store.damaged_files().unwrap(), [ABC]);
}

#[test]
fn files_that_nothing_names_for_a_day_are_let_go_and_no_others() {
    let mut shop = shop(AT);
    let trace = trace();
    let new = NewTrace {
        printer_id: shop.printer,
        job_id: None,
        kind: "hold",
        target_c: None,
        trace: &trace,
        source: None,
    };
    let id = shop.store.keep_trace(&new, AT).unwrap();
    let named = shop.store.trace(id).unwrap().0.sha256;
    let old = shop.store.files().keep(b"abc", "text/plain").unwrap();
    shop.store.enter_blob(&old, AT).unwrap();
    let fresh = shop.store.files().keep(b"abcd", "text/plain").unwrap();
    let folder = shop.folder.path().join("shop.files");
    let two_days = SystemTime::now() - Duration::from_secs(48 * 3600);
    let half = folder.join("incoming-left");
    fs::write(&half, "ab").unwrap();
    for path in [
        half,
        folder.join(&named[..2]).join(&named),
        folder.join("ba").join(ABC),
    ] {
        let file = File::options().append(true).open(path).unwrap();
        file.set_modified(two_days).unwrap();
    }
    assert_eq!(shop.store.sweep_files().unwrap(), 2);
    let mut left = walk(&folder);
    left.sort();
    let mut expected = vec![named, fresh.sha256];
    expected.sort();
    assert_eq!(left, expected);
    assert!(matches!(
        shop.store.blob(ABC),
        Err(StoreError::NotFound { .. })
    ));
}
