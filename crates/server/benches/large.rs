//! `make bench`: a workshop of years: 50 printers, 2 000 jobs, 100 000 entries. Prints figures; asserts
//! nothing, since a shared machine is noisy.

#![allow(clippy::unwrap_used, clippy::print_stdout, clippy::cast_precision_loss)]

mod common;

use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use common::{ms, start};
use rusqlite::{Connection, params};
use serde_json::json;
use wattotherm_printer::PrinterFacts;
use wattotherm_store::{OpenOptions, Store};

const PRINTERS: i64 = 50;
const JOBS: i64 = 2_000;
const NOTES_A_JOB: i64 = 35;
const CLIENTS: usize = 16;

/// A moment of the invented years.
fn at(job: i64, hour: i64) -> String {
    format!(
        "2026-{:02}-{:02}T{hour:02}:00:00.000Z",
        1 + job % 12,
        1 + job % 28
    )
}

/// Fills a new file past the application: a commit a row would take an hour.
fn fill(path: &std::path::Path, closings: &[(String, String, String, String)]) -> i64 {
    drop(Store::open(path, OpenOptions::default()).unwrap());
    let mut conn = Connection::open(path).unwrap();
    let tx = conn.transaction().unwrap();
    tx.execute("INSERT INTO filament VALUES (1, 'PLA, white', 'PLA')", [])
        .unwrap();
    for p in 1..=PRINTERS {
        tx.execute(
            "INSERT INTO printer (id, name, kind, invented, added_at) VALUES (?1, ?2, 'cube', 1, ?3)",
            params![p, format!("Printer {p}"), at(1, 1)],
        )
        .unwrap();
        for fitted in PrinterFacts::default().fitted() {
            tx.execute(
                "INSERT INTO fitting (printer_id, part, description, fitted, from_at) VALUES (?1, ?2, '', ?3, ?4)",
                params![p, fitted.part().id(), serde_json::to_string(&fitted).unwrap(), at(1, 1)],
            )
            .unwrap();
        }
    }
    for j in 1..=JOBS {
        let (printer, open) = (1 + j % PRINTERS, j > JOBS - PRINTERS);
        tx.execute(
            "INSERT INTO job (id, printer_id, complaint, shows, tried, customer, technician, opened_at, finished_at)
             VALUES (?1, ?2, 'Blobs since spring.', 'at_once', '', 'stage class', 'bench A', ?3, ?4)",
            params![j, printer, at(j, 9), (!open).then(|| at(j, 18))],
        )
        .unwrap();
        tx.execute(
            "INSERT INTO job_replacement VALUES (?1, 'nozzle_same')",
            [j],
        )
        .unwrap();
        tx.execute("INSERT INTO job_filament VALUES (?1, 1)", [j])
            .unwrap();
        let done = if open { 3 } else { closings.len() };
        for (station, text, readings, finding) in &closings[..done] {
            tx.execute(
                "INSERT INTO logbook (at, kind, printer_id, job_id, stop, who, text, verdict) VALUES (?1, 'closed', ?2, ?3, ?4, 'bench A', ?5, 'pass')",
                params![at(j, 10), printer, j, station, text],
            )
            .unwrap();
            tx.execute(
                "INSERT INTO closing VALUES (?1, ?2, ?3, ?4, ?5)",
                params![tx.last_insert_rowid(), j, station, readings, finding],
            )
            .unwrap();
        }
        for n in 0..NOTES_A_JOB {
            tx.execute(
                "INSERT INTO logbook (at, kind, printer_id, job_id, who, text) VALUES (?1, 'note', ?2, ?3, 'bench A', ?4)",
                params![at(j, 11), printer, j, format!("note {n} of job {j}")],
            )
            .unwrap();
        }
    }
    let entries = tx
        .query_row("SELECT count(*) FROM logbook", [], |r| r.get(0))
        .unwrap();
    tx.commit().unwrap();
    entries
}

fn main() {
    // The closings of a whole job, as the demo has one.
    let (mut demo, url) = start(&["demo"]);
    let file: serde_json::Value = ureq::get(format!("{url}/api/v1/jobs/1/export"))
        .call()
        .unwrap()
        .body_mut()
        .read_json()
        .unwrap();
    demo.kill().unwrap();
    demo.wait().unwrap();
    let text = |v: &serde_json::Value| v.as_str().unwrap_or_default().replace(".0", ".1");
    let closings: Vec<_> = file["entries"]
        .as_array()
        .unwrap()
        .iter()
        .map(|e| {
            (
                text(&e["stop"]),
                text(&e["text"]),
                e["readings"].to_string(),
                e["finding"].to_string(),
            )
        })
        .collect();
    let folder = tempfile::tempdir().unwrap();
    let entries = fill(&folder.path().join("wattotherm.sqlite"), &closings);
    println!("{PRINTERS} printers, {JOBS} jobs, {entries} entries of the logbook");
    let (mut shop, url) = start(&["serve", "--data", folder.path().to_str().unwrap()]);
    let agent = ureq::Agent::new_with_defaults();
    let open = JOBS - 3;
    for (path, aim) in [
        ("bench".to_owned(), 50),
        ("jobs".into(), 50),
        (format!("jobs/{open}"), 50),
        (format!("jobs/{open}/stops/offset_z"), 50),
        ("printers/7".into(), 50),
        ("house".into(), 50),
        ("logbook".into(), 10),
        ("logbook?printer=7".into(), 10),
        ("logbook?job=77".into(), 10),
        ("find?text=note%207%20of%20job%201999".into(), 50),
        ("jobs/77/export".into(), 50),
    ] {
        let mut took: Vec<Duration> = (0..41)
            .map(|_| {
                let begun = Instant::now();
                let mut answer = agent.get(format!("{url}/api/v1/{path}")).call().unwrap();
                answer.body_mut().read_to_vec().unwrap();
                begun.elapsed()
            })
            .collect();
        took.sort_unstable();
        println!(
            "{path}: median {:.2} ms, worst of 41 {:.2} ms (aim {aim} ms)",
            ms(took[20]),
            ms(took[40])
        );
    }

    // Sixteen clients evaluate in a job while drafts are written beside them.
    let over = AtomicBool::new(false);
    let readings = json!({"method": "patch", "offset_set_mm": "-1.62", "commanded_mm": "0.2", "instrument": "caliper",
        "patches": [{"x_mm": 47, "y_mm": 47, "t_mm": "0.20"}, {"x_mm": 188, "y_mm": 47, "t_mm": "0.21"}, {"x_mm": 117, "y_mm": 117, "t_mm": "0.20"}]});
    let mut all: Vec<Duration> = std::thread::scope(|scope| {
        scope.spawn(|| {
            let mut n = 0;
            while !over.load(Ordering::Relaxed) {
                n += 1;
                let body = json!({"base": n, "changes": [{"path": "/offset_set_mm", "value": format!("-1.{n}")}]});
                let path = format!("{url}/api/v1/jobs/{open}/stops/offset_z/draft");
                ureq::put(path).send_json(body).unwrap();
            }
            println!("{n} drafts were kept meanwhile");
        });
        let clients: Vec<_> = (0..CLIENTS)
            .map(|_| {
                scope.spawn(|| {
                    let agent = ureq::Agent::new_with_defaults();
                    let body =
                        json!({"readings": readings, "job": {"id": open, "stop": "offset_z"}});
                    // Written once: what a client needs to write it is not the server's time.
                    let body = body.to_string();
                    let path = format!("{url}/api/v1/stations/offset_z/evaluate");
                    (0..300)
                        .map(|_| {
                            let begun = Instant::now();
                            let post = agent.post(&path).content_type("application/json");
                            let mut answer = post.send(&body).unwrap();
                            answer.body_mut().read_to_vec().unwrap();
                            begun.elapsed()
                        })
                        .collect::<Vec<_>>()
                })
            })
            .collect();
        let all = clients
            .into_iter()
            .flat_map(|c| c.join().unwrap())
            .collect();
        over.store(true, Ordering::Relaxed);
        all
    });
    all.sort_unstable();
    println!(
        "evaluate in a job, {CLIENTS} clients, drafts written beside: median {:.2} ms, 99 % {:.2} ms (aim 5 ms)",
        ms(all[all.len() / 2]),
        ms(all[all.len() * 99 / 100])
    );
    shop.kill().unwrap();
    shop.wait().unwrap();
}
