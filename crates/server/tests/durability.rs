//! What is acknowledged is on disk, whatever happens next.

#![cfg(unix)]
#![allow(clippy::unwrap_used)]

use std::os::unix::fs::PermissionsExt as _;
use std::os::unix::process::CommandExt as _;
use std::process::Command;
use std::sync::mpsc;
use std::time::{Duration, Instant};

use crate::common::Server;
use serde_json::json;
use wattotherm_store::{About, LogFilter, OpenOptions, Store, StoreError};

/// Kills the server in the middle of a stream of writes, fifty times at moments drawn from a fixed
/// seed, and looks for every entry it had acknowledged.
#[test]
fn every_acknowledged_entry_outlives_fifty_power_cuts() {
    let folder = tempfile::tempdir().unwrap();
    let (mut acknowledged, mut draw) = (Vec::new(), 0x2545_f491_4f6c_dd1d_u64);
    for round in 0..50 {
        let mut server = Server::serve(folder.path());
        let url = server.url.clone();
        let (said, heard) = mpsc::channel();
        let writer = std::thread::spawn(move || {
            let agent = ureq::Agent::new_with_defaults();
            for n in 0.. {
                let text = format!("round {round} entry {n}");
                let sent = agent
                    .post(format!("{url}/api/v1/logbook"))
                    .send_json(json!({"text": text}));
                match sent {
                    Ok(r) if r.status() == 201 => said.send(text).unwrap(),
                    _ => return,
                }
            }
        });
        // At least one write is through before the cut; then xorshift picks the moment.
        acknowledged.push(heard.recv_timeout(Duration::from_secs(20)).unwrap());
        draw ^= draw << 13;
        draw ^= draw >> 7;
        draw ^= draw << 17;
        let cut = Instant::now() + Duration::from_micros(draw % 30_000);
        while Instant::now() < cut {
            acknowledged.extend(heard.try_recv());
        }
        server.kill();
        writer.join().unwrap();
        acknowledged.extend(heard.try_iter());
    }
    let store = Store::open(
        &folder.path().join("wattotherm.sqlite"),
        OpenOptions::default(),
    )
    .unwrap();
    let mut kept = std::collections::HashSet::new();
    let mut filter = LogFilter::default();
    loop {
        let page = store.logbook(&filter).unwrap();
        let Some(last) = page.last() else { break };
        filter.before = Some(last.id);
        kept.extend(page.into_iter().map(|e| e.text));
    }
    let lost: Vec<_> = acknowledged.iter().filter(|t| !kept.contains(*t)).collect();
    assert!(
        lost.is_empty(),
        "{} of {} acknowledged entries are gone: {lost:?}",
        lost.len(),
        acknowledged.len()
    );
    assert!(acknowledged.len() >= 50);
}

#[test]
fn a_typed_reading_is_there_after_a_power_cut() {
    let folder = tempfile::tempdir().unwrap();
    let mut s = Server::serve(folder.path());
    s.call(
        "POST",
        "/api/v1/printers",
        Some(&json!({"name": "Alder", "kind": "bed-slinger"})),
    );
    s.call(
        "POST",
        "/api/v1/jobs",
        Some(&json!({"printer_id": 1, "replaced": ["extruder_drive"]})),
    );
    let typed = json!({"readings": {"runs": ["27,5", "2"]}});
    assert_eq!(
        s.call("PUT", "/api/v1/jobs/1/stops/drive/draft", Some(&typed))
            .0,
        200
    );
    s.kill();
    let again = Server::serve(folder.path());
    let top = again.get("/api/v1/jobs/1/stops/drive");
    assert_eq!(
        (&top["readings"], top["kept"].as_bool()),
        (&typed["readings"], Some(true))
    );
}

#[test]
fn a_full_disk_says_so_and_loses_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("wattotherm.sqlite");
    drop(Store::open(&path, OpenOptions::default()).unwrap());
    let mut store = Store::open(
        &path,
        OpenOptions {
            max_pages: Some(60),
        },
    )
    .unwrap();
    let long = "x".repeat(4000);
    let mut written = 0;
    let error = loop {
        match store.note(
            About::default(),
            "",
            &format!("{written} {long}"),
            "2026-01-01T00:00:00.000Z",
        ) {
            Ok(_) => written += 1,
            Err(e) => break e,
        }
        assert!(written < 1000, "the disk never filled");
    };
    assert!(matches!(error, StoreError::DiskFull), "{error:?}");
    assert_eq!(
        error.to_string(),
        "The disk is full: nothing was saved. Free some space, then try again."
    );
    assert_eq!(store.logbook(&LogFilter::default()).unwrap().len(), written);
    drop(store);
    let mut store = Store::open(&path, OpenOptions::default()).unwrap();
    assert_eq!(store.logbook(&LogFilter::default()).unwrap().len(), written);
    store
        .note(
            About::default(),
            "",
            "room again",
            "2026-01-01T00:00:00.000Z",
        )
        .unwrap();
}

/// The same as a browser sees it: 507 with the way out, and the draft it could not keep is not said
/// to be kept.
#[test]
fn a_full_disk_is_an_answer_and_not_a_crash() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("wattotherm.sqlite");
    drop(Store::open(&path, OpenOptions::default()).unwrap());
    let options = OpenOptions {
        max_pages: Some(60),
    };
    let store = Store::open(&path, options).unwrap();
    let router = wattotherm_server::app_router(
        wattotherm_server::App::new(store).unwrap(),
        vec!["bench".into()],
    );
    let runtime = tokio::runtime::Runtime::new().unwrap();
    let send = |text: &str| {
        let request = axum::http::Request::post("/api/v1/logbook")
            .header("host", "bench")
            .header("content-type", "application/json")
            .body(axum::body::Body::from(json!({"text": text}).to_string()))
            .unwrap();
        runtime.block_on(async {
            let answer = tower::ServiceExt::oneshot(router.clone(), request)
                .await
                .unwrap();
            let status = answer.status().as_u16();
            let body = axum::body::to_bytes(answer.into_body(), 100_000)
                .await
                .unwrap();
            (
                status,
                serde_json::from_slice::<serde_json::Value>(&body).unwrap(),
            )
        })
    };
    let long = "x".repeat(3900);
    let (status, problem) = (0..1000)
        .map(|_| send(&long))
        .find(|(s, _)| *s != 201)
        .unwrap();
    assert_eq!(status, 507);
    assert_eq!(problem["code"], "disk_full");
    assert_eq!(
        problem["detail"],
        "The disk is full: nothing was saved. Free some space, then try again."
    );
}

/// Root writes whatever it likes, so as root the server runs as nobody (65534) here.
#[test]
fn a_read_only_file_is_refused_with_the_way_out() {
    let folder = tempfile::tempdir().unwrap();
    let open = |p: &std::path::Path, mode| {
        std::fs::set_permissions(p, std::fs::Permissions::from_mode(mode)).unwrap();
    };
    let file = folder.path().join("wattotherm.sqlite");
    drop(Store::open(&file, OpenOptions::default()).unwrap());
    let binary = folder.path().join("server");
    std::fs::copy(env!("CARGO_BIN_EXE_wattotherm"), &binary).unwrap();
    open(&binary, 0o755);
    open(&file, 0o444);
    open(folder.path(), 0o555);
    let mut command = Command::new(&binary);
    command
        .args(["serve", "--listen", "127.0.0.1:0", "--data"])
        .arg(folder.path());
    let root = std::fs::metadata("/proc/self")
        .map(|m| std::os::unix::fs::MetadataExt::uid(&m))
        .unwrap()
        == 0;
    if root {
        command.uid(65534).gid(65534);
    }
    let before = std::fs::read(&file).unwrap();
    let output = command.output().unwrap();
    open(folder.path(), 0o755);
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(!output.status.success());
    assert!(said.contains("The data file can’t be written: it is read-only. Nothing was saved. Make it writable, then try again."), "{said}");
    assert_eq!(std::fs::read(&file).unwrap(), before);
}

#[test]
fn the_logbook_is_never_rewritten() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("wattotherm.sqlite");
    let mut store = Store::open(&path, OpenOptions::default()).unwrap();
    store
        .note(
            About::default(),
            "",
            "as it was",
            "2026-01-01T00:00:00.000Z",
        )
        .unwrap();
    drop(store);
    let raw = rusqlite::Connection::open(&path).unwrap();
    for sql in ["UPDATE logbook SET text = 'better'", "DELETE FROM logbook"] {
        assert_eq!(
            raw.execute(sql, []).unwrap_err().to_string(),
            "the logbook is append-only"
        );
    }
}
