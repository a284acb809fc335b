//! Data of every earlier version opens, and nothing of it is lost.
//!
//! The files were made by the versions themselves, from their invented demo data, before the change after
//! them; `expected.json` was read out of the newest of them with another language's SQLite and JSON
//! (Python 3.11, `sqlite3`, `json`), not with this code.
#![allow(clippy::unwrap_used)]

use std::fs;
use std::path::{Path, PathBuf};

use serde_json::{Value, json};
use wattotherm_job::route::{Begins, traveller};
use wattotherm_measure::Verdict;
use wattotherm_store::{JobEnd, JobFile, LogFilter, OpenOptions, Store};

fn fixture(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("tests/fixtures")
        .join(name)
}

fn read(name: &str) -> String {
    fs::read_to_string(fixture(name)).unwrap()
}

/// A copy of a database of an earlier version, opened by this one.
fn opened(name: &str) -> (Store, tempfile::TempDir) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shop.sqlite");
    fs::copy(fixture(name), &path).unwrap();
    (Store::open(&path, OpenOptions::default()).unwrap(), folder)
}

fn verdict(v: Verdict) -> Value {
    serde_json::to_value(v).unwrap()
}

/// What is expected, but as this version says it.
fn holds(store: &Store) {
    let want: Value = serde_json::from_str(&read("expected.json")).unwrap();
    let printers = store.printers().unwrap();
    for p in want["printers"].as_array().unwrap() {
        let got = printers
            .iter()
            .find(|g| g.name == p["name"].as_str().unwrap())
            .unwrap();
        assert_eq!(got.kind, p["kind"]);
        assert_eq!(got.unreadable, None);
        let facts = serde_json::to_value(&got.facts).unwrap();
        assert_eq!(facts["nozzle_mm"], p["bore_mm"], "{}", got.name);
        assert_eq!(facts["hot_end"], p["hot_end"], "{}", got.name);
        assert_eq!(facts["gear"], p["gear"], "{}", got.name);
        assert_eq!(facts["firmware_limit_c"], p["limit_c"], "{}", got.name);
    }
    for j in want["jobs"].as_array().unwrap() {
        let got = store.job(j["id"].as_i64().unwrap()).unwrap();
        assert_eq!(got.complaint, j["complaint"]);
        assert_eq!(got.technician, j["technician"]);
        assert_eq!(got.finished_at.is_some(), j["finished"]);
    }
    for c in want["closings"].as_array().unwrap() {
        let all = store.closings(c["job"].as_i64().unwrap()).unwrap();
        let got = all.iter().find(|g| g.seq == c["seq"]).unwrap();
        assert_eq!(got.stop, c["station"]);
        let f = serde_json::to_value(&got.finding).unwrap().to_string();
        assert_eq!(verdict(got.finding.facts.verdict), c["verdict"]);
        for text in ["line", "headline"] {
            let said = serde_json::to_string(&c[text]).unwrap();
            assert!(f.contains(&said), "{said} is not in {f}");
        }
        assert_eq!(json!(got.finding.facts.after), c["after"]);
    }
    for d in want["drafts"].as_array().unwrap() {
        let got = store
            .draft(d["job"].as_i64().unwrap(), d["station"].as_str().unwrap())
            .unwrap();
        assert_eq!(got.unwrap(), d["readings"]);
    }
    for s in want["settings_in_force"].as_array().unwrap() {
        let all = store.settings(s["printer"].as_i64().unwrap()).unwrap();
        let got = all.iter().find(|g| {
            g.until_at.is_none()
                && g.parameter.id() == s["parameter"].as_str().unwrap()
                && json!(g.filament_id) == s["filament"]
        });
        let got = got.unwrap_or_else(|| panic!("{s} is gone"));
        assert_eq!(json!(got.value), s["value"]);
        assert_eq!(json!(got.value_text), s["text"]);
    }
    let kept: usize = printers
        .iter()
        .map(|p| store.fittings(p.id).unwrap().len())
        .sum();
    assert!(kept as u64 >= want["fittings"].as_u64().unwrap());
    assert!(store.newest_entry().unwrap() as u64 >= want["log"].as_u64().unwrap());
    for t in want["traces"].as_array().unwrap() {
        let (_, trace) = store.trace(t["id"].as_i64().unwrap()).unwrap();
        assert_eq!(trace.samples.len() as u64, t["samples"].as_u64().unwrap());
    }
    assert_eq!(
        store.connections().unwrap().len() as u64,
        want["connections"].as_u64().unwrap()
    );
    // Every job's traveller can be folded from what is kept.
    let house = store.house().unwrap();
    for job in store.jobs().unwrap() {
        let facts = store.job_facts(&job).unwrap();
        let line = traveller(&house, &facts, &store.events(job.id).unwrap());
        assert!(!line.lines.is_empty());
    }
}

#[test]
fn the_database_of_schema_6_opens() {
    let (store, folder) = opened("database-6.sqlite");
    holds(&store);
    // Samples of logs were JSON in a table: now each log has its file, and none is lost.
    assert!(store.damaged_files().unwrap().is_empty());
    store.check_whole().unwrap();
    let raw = rusqlite::Connection::open(fixture("database-6.sqlite")).unwrap();
    let mut all = raw
        .prepare(
            "SELECT id, json_array_length(samples), json_extract(samples, '$[#-1][1]') FROM trace",
        )
        .unwrap();
    let rows = all
        .query_map([], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))
        .unwrap();
    let mut logs = 0;
    for row in rows {
        let (id, samples, last_c): (i64, i64, f64) = row.unwrap();
        let samples = usize::try_from(samples).unwrap();
        let (_, trace) = store.trace(id).unwrap();
        assert_eq!(trace.samples.len(), samples);
        assert!((trace.samples[samples - 1].temp_c - last_c).abs() < 1e-9);
        logs += 1;
    }
    assert!(logs > 0);
    assert!(folder.path().join("shop.files").is_dir());
}

#[test]
fn the_database_of_schema_7_opens_and_its_jobs_stand_as_they_stood() {
    let (store, _folder) = opened("database-7.sqlite");
    store.check_whole().unwrap();
    let house = store.house().unwrap();
    let jobs = store.jobs().unwrap();
    assert_eq!(jobs.len(), 7);
    for job in jobs {
        assert_eq!(job.begins, Begins::Parts);
        assert_eq!(job.replaced, job.began_with);
        assert!(!job.replaced.is_empty());
        let facts = store.job_facts(&job).unwrap();
        let card = traveller(&house, &facts, &store.events(job.id).unwrap());
        if job.finished_at.is_some() {
            assert_eq!(job.ended, Some(JobEnd::HandedOver));
            // What today's plan would ask for was no part of it.
            assert_eq!(card.now, None);
            assert!(card.lines.iter().all(|l| !l.is_open()), "job {}", job.id);
        } else {
            assert_eq!(job.ended, None);
            assert!(card.now.is_some(), "job {}", job.id);
        }
    }
    let raw = rusqlite::Connection::open(fixture("database-7.sqlite")).unwrap();
    let marks: i64 = raw
        .query_row("SELECT count(*) FROM stale", [], |r| r.get(0))
        .unwrap();
    let printers = store.printers().unwrap();
    let kept: usize = printers
        .iter()
        .map(|p| store.stale(p.id).unwrap().len())
        .sum();
    assert_eq!(kept, usize::try_from(marks).unwrap());
}

#[test]
fn the_database_of_schema_5_opens() {
    holds(&opened("database-5.sqlite").0);
}

#[test]
fn the_database_of_schema_3_opens() {
    holds(&opened("database-3.sqlite").0);
}

#[test]
fn the_database_of_schema_2_opens() {
    holds(&opened("database-2.sqlite").0);
}

#[test]
fn what_an_older_version_kept_goes_on_being_worked_with() {
    let (mut store, _folder) = opened("database-3.sqlite");
    let job = store.job(3).unwrap();
    let readings = store.draft(3, "drive").unwrap().unwrap();
    store
        .save_draft(3, "drive", &readings, "2026-12-01T08:00:00.000Z")
        .unwrap();
    let stop = "intake".parse().unwrap();
    store
        .reopen_station(&job, stop, "looked again", "2026-12-01T08:01:00.000Z")
        .unwrap();
    let entries = store.logbook(&LogFilter::default()).unwrap();
    assert!(entries.iter().any(|e| e.text == "Reopened: looked again"));
}

#[test]
fn job_files_of_older_formats_import_and_export_the_same() {
    for name in [
        "job-1-finished.json",
        "job-1-open.json",
        "job-2-finished.json",
        "job-2-open.json",
        "job-3-finished.json",
        "job-3-open.json",
    ] {
        let folder = tempfile::tempdir().unwrap();
        let mut store =
            Store::open(&folder.path().join("shop.sqlite"), OpenOptions::default()).unwrap();
        let file = JobFile::parse(&read(name)).unwrap();
        let id = store.import(&file, "2026-12-01T08:00:00.000Z").unwrap();
        let out = serde_json::to_value(store.export(id).unwrap()).unwrap();
        let before: Value = serde_json::from_str(&read(name)).unwrap();
        assert_eq!(out["job"]["complaint"], before["job"]["complaint"]);
        assert_eq!(out["filaments"], before["filaments"]);
        // Before format 4 a job began with parts, and one that was over was handed over.
        assert_eq!(out["job"]["begins"]["with"], "parts");
        let over = before["finished_at"].is_string();
        assert_eq!(out["ended"] == "handed_over", over, "{name}");
        let (got, want) = (
            out["entries"].as_array().unwrap(),
            before["entries"].as_array().unwrap(),
        );
        assert_eq!(got.len(), want.len());
        for (g, w) in got.iter().zip(want) {
            // Formats 1 and 2 said station for stop.
            let stop = w.get("station").unwrap_or(&w["stop"]);
            assert_eq!(&g["stop"], stop);
            assert_eq!(g["at"], w["at"]);
            assert_eq!(g["readings"], w["readings"]);
        }
    }
}
