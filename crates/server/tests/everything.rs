//! Everything goes out as one zip of open formats, and is read here by other libraries than wrote the pages.
#![allow(clippy::unwrap_used)]

use std::io::Read as _;

use crate::common::Server;
use serde_json::{Value, json};

fn download(s: &Server) -> zip::ZipArchive<std::io::Cursor<Vec<u8>>> {
    let mut got = ureq::get(format!("{}/api/v1/everything", s.url))
        .call()
        .unwrap();
    assert_eq!(got.headers()["content-type"], "application/zip");
    let bytes = got
        .body_mut()
        .with_config()
        .limit(200 << 20)
        .read_to_vec()
        .unwrap();
    zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap()
}

fn text(zip: &mut zip::ZipArchive<std::io::Cursor<Vec<u8>>>, name: &str) -> String {
    let mut out = String::new();
    zip.by_name(name).unwrap().read_to_string(&mut out).unwrap();
    out
}

#[test]
fn a_zip_holds_every_entry_every_job_and_every_log() {
    let s = Server::demo();
    // More entries than any page of the logbook holds, with what a careless writer of CSV trips over.
    for i in 0..260 {
        let note =
            json!({"text": format!("note {i}, \"quoted\", 0,4 mm\nsecond line"), "who": "T"});
        assert_eq!(s.call("POST", "/api/v1/logbook", Some(&note)).0, 201);
    }
    let mut zip = download(&s);
    let book = text(&mut zip, "logbook.csv");
    let mut rows = csv::Reader::from_reader(book.as_bytes());
    let at = |name: &str, rows: &mut csv::Reader<&[u8]>| {
        rows.headers()
            .unwrap()
            .iter()
            .position(|h| h == name)
            .unwrap()
    };
    let (id, said) = (at("id", &mut rows), at("text", &mut rows));
    let rows: Vec<csv::StringRecord> = rows.records().map(Result::unwrap).collect();
    let ids: Vec<i64> = rows.iter().map(|r| r[id].parse().unwrap()).collect();
    let newest = s.get("/api/v1/logbook")[0]["id"].as_i64().unwrap();
    assert_eq!(ids, (1..=newest).collect::<Vec<_>>());
    assert!(
        rows.iter()
            .any(|r| &r[said] == "note 7, \"quoted\", 0,4 mm\nsecond line")
    );
    // A job of it is the job file, which another shop takes in.
    let job: Value = serde_json::from_str(&text(&mut zip, "jobs/job-00001.json")).unwrap();
    assert_eq!(job, s.get("/api/v1/jobs/1/export"));
    let folder = tempfile::tempdir().unwrap();
    let other = Server::serve(folder.path());
    assert_eq!(other.call("POST", "/api/v1/import", Some(&job)).0, 201);
    // Every log, sample by sample.
    let heads: Vec<String> = zip
        .file_names()
        .map(|n| n.unwrap().into_owned())
        .filter(|n| n.starts_with("traces/"))
        .collect();
    assert!(!heads.is_empty());
    for name in heads {
        let number: i64 = name
            .trim_start_matches("traces/trace-")
            .trim_end_matches(".csv")
            .parse()
            .unwrap();
        let kept = s.get(&format!("/api/v1/traces/{number}"));
        let mut log = csv::Reader::from_reader(std::io::Cursor::new(text(&mut zip, &name)));
        let temps: Vec<f64> = log
            .records()
            .map(|r| r.unwrap()[1].parse().unwrap())
            .collect();
        let samples = kept["samples"].as_array().unwrap();
        assert_eq!(temps.len(), samples.len());
        for (t, sample) in temps.iter().zip(samples) {
            assert!((t - sample["temp_c"].as_f64().unwrap()).abs() < 1e-9);
        }
    }
    let printers: Value = serde_json::from_str(&text(&mut zip, "printers.json")).unwrap();
    assert_eq!(
        printers.as_array().unwrap().len(),
        s.get("/api/v1/bench")["rows"].as_array().unwrap().len()
    );
    for name in ["README.txt", "filaments.json", "house.json"] {
        assert!(!text(&mut zip, name).is_empty());
    }
}
