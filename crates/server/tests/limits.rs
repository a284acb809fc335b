//! Limits of connections, of bad requests, and of what an import may bring.
#![allow(clippy::unwrap_used)]

mod common;

use std::io::{Read as _, Write as _};
use std::net::TcpStream;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use common::printer::Printer;
use common::{HANGS, Page, Server};
use serde_json::json;
use wattotherm_twin::port::Speed;
use wattotherm_twin::{Build, Kind, Twin};

fn printer(s: &Server, name: &str) -> i64 {
    let body = json!({"name": name, "kind": "bed-slinger", "facts": {}});
    s.call("POST", "/api/v1/printers", Some(&body)).1["id"]
        .as_i64()
        .unwrap()
}

/// A twin so many times as fast as life, connected as this printer; it ends with what is returned.
fn connected(s: &Server, id: i64, times: f64) -> Printer {
    let twin = Twin::new(Build::new(Kind::Standard, 1, []), 1);
    let twin = Printer::new(twin, Speed::Times(times));
    twin.connect(s, id);
    twin
}

/// Asks until there is an answer.
fn within<T>(most: Duration, mut asks: impl FnMut() -> Option<T>) -> T {
    let until = Instant::now() + most;
    loop {
        if let Some(answer) = asks() {
            return answer;
        }
        assert!(Instant::now() < until, "nothing came within {most:?}");
        std::thread::sleep(Duration::from_millis(40));
    }
}

/// A server that may open 1024 files, as a shell gives it.
fn with_1024_descriptors(data: &std::path::Path) -> Server {
    let mut command = Command::new("sh");
    command.args([
        "-c",
        "ulimit -n 1024; exec \"$0\" serve --listen 127.0.0.1:0 --data \"$1\"",
        env!("CARGO_BIN_EXE_wattotherm"),
        data.to_str().unwrap(),
    ]);
    Server::spawn(&mut command)
}

#[test]
fn with_every_descriptor_wanted_by_somebody_stop_and_health_still_answer() {
    let folder = tempfile::tempdir().unwrap();
    let s = with_1024_descriptors(folder.path());
    let id = printer(&s, "Alder");
    let host = s.url.trim_start_matches("http://").to_owned();
    // Idle ones, half a head, half a body: more than there are descriptors. Then half bodies alone.
    let mut held = Vec::new();
    for i in 0..2_200 {
        let Ok(mut socket) = TcpStream::connect(&host) else {
            break;
        };
        match if i < 1_100 { i % 3 } else { 2 } {
            0 => {}
            1 => drop(socket.write_all(b"GET /api/v1/bench HTTP/1.1\r\nHos")),
            _ => drop(write!(
                socket,
                "POST /api/v1/logbook HTTP/1.1\r\nHost: {host}\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{{"
            )),
        }
        held.push(socket);
    }
    assert!(held.len() > 2_000, "{}", held.len());
    for _ in 0..20 {
        let begun = Instant::now();
        assert_eq!(s.get("/api/v1/health")["status"], "ok");
        let (status, _) = s.call("POST", &format!("/api/v1/printers/{id}/stop"), None);
        assert_eq!(status, 409, "nothing is connected; but it was answered");
        assert!(begun.elapsed() < HANGS);
    }
}

#[test]
fn half_sent_requests_are_given_up_and_hold_the_end_up_no_longer_than_a_moment() {
    let folder = tempfile::tempdir().unwrap();
    let mut s = Server::serve(folder.path());
    let host = s.url.trim_start_matches("http://").to_owned();
    let mut socket = TcpStream::connect(&host).unwrap();
    write!(
        socket,
        "POST /api/v1/logbook HTTP/1.1\r\nHost: {host}\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{{\"text\":"
    )
    .unwrap();
    let _page = Page::open(&s);
    std::thread::sleep(Duration::from_millis(100));
    let pid = s.id().to_string();
    assert!(
        Command::new("kill")
            .args(["-s", "HUP", &pid])
            .status()
            .unwrap()
            .success()
    );
    assert!(s.gone_within(Duration::from_secs(5)));
    let mut rest = Vec::new();
    let _ = socket.read_to_end(&mut rest);
}

#[test]
fn a_hundred_and_seventy_pages_leave_room_and_the_newest_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let mut pages: Vec<Page> = (0..170).map(|_| Page::open(&s)).collect();
    assert!(pages.last_mut().unwrap().next("beat").is_some());
    assert_eq!(s.get("/api/v1/health")["status"], "ok");
    // The oldest gave their places up.
    let mut first = pages.remove(0);
    let begun = Instant::now();
    while first.next("beat").is_some() && begun.elapsed() < HANGS {}
    assert!(begun.elapsed() < HANGS);
}

#[test]
fn what_is_wrong_with_a_request_is_the_requests_fault_and_said_as_a_problem() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let id = printer(&s, "Alder");
    let job = |printer: i64, filament: i64, minutes: f64| json!({"printer_id": printer, "replaced": ["nozzle_same"], "filament_ids": [filament], "failure_times_min": [minutes]});
    let filament = s
        .call(
            "POST",
            "/api/v1/filaments",
            Some(&json!({"name": "PLA", "material": "PLA"})),
        )
        .1["id"]
        .as_i64()
        .unwrap();
    let cases = [
        (
            "POST",
            "/api/v1/jobs".to_owned(),
            Some(job(999, filament, 20.0)),
            404,
        ),
        ("POST", "/api/v1/jobs".into(), Some(job(id, 999, 20.0)), 404),
        (
            "POST",
            "/api/v1/jobs".into(),
            Some(job(id, filament, -1.0)),
            422,
        ),
        (
            "POST",
            "/api/v1/plan".into(),
            Some(job(999, filament, 20.0)),
            404,
        ),
        (
            "POST",
            "/api/v1/logbook".into(),
            Some(json!({"text": "hello", "printer_id": 999})),
            404,
        ),
        (
            "POST",
            "/api/v1/logbook".into(),
            Some(json!({"text": "hello", "job_id": 999})),
            404,
        ),
        (
            "POST",
            format!("/api/v1/printers/{id}/settings"),
            Some(json!({"parameter": "print_temp", "filament_id": 999, "value": 210.0})),
            404,
        ),
        ("GET", "/api/v1/printers/abc".into(), None, 400),
        ("GET", "/api/v1/logbook?printer=abc".into(), None, 400),
        ("GET", "/api/v1/heat/wrong-type?fitted=x".into(), None, 400),
        ("GET", "/api/v1/jobs/99999999999999999999".into(), None, 400),
        ("GET", "/api/v1/jobs/999".into(), None, 404),
    ];
    for (method, path, body, wanted) in cases {
        let agent: ureq::Agent = ureq::Agent::config_builder()
            .http_status_as_error(false)
            .build()
            .into();
        let request = ureq::http::Request::builder()
            .method(method)
            .uri(format!("{}{path}", s.url))
            .header("content-type", "application/json")
            .body(body.map(|b| b.to_string()).unwrap_or_default())
            .unwrap();
        let mut answer = agent.run(request).unwrap();
        let kind = answer.headers()["content-type"]
            .to_str()
            .unwrap()
            .to_owned();
        let text = answer.body_mut().read_to_string().unwrap();
        assert_eq!(answer.status().as_u16(), wanted, "{method} {path}: {text}");
        assert_eq!(kind, "application/problem+json", "{method} {path}");
        let problem: serde_json::Value = serde_json::from_str(&text).unwrap();
        assert!(problem["detail"].as_str().unwrap().len() > 10, "{text}");
    }
}

#[test]
fn a_host_or_an_origin_named_twice_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let host = s.url.trim_start_matches("http://").to_owned();
    for twice in [
        format!("Host: {host}\r\nHost: {host}\r\n"),
        format!("Host: {host}\r\nOrigin: http://{host}\r\nOrigin: http://elsewhere\r\n"),
    ] {
        let mut socket = TcpStream::connect(&host).unwrap();
        write!(
            socket,
            "GET /api/v1/health HTTP/1.1\r\n{twice}Connection: close\r\n\r\n"
        )
        .unwrap();
        let mut answer = String::new();
        let _ = socket.read_to_string(&mut answer);
        let status = answer.split(' ').nth(1).unwrap_or_default();
        assert!(matches!(status, "403" | "400"), "{answer}");
    }
}

#[test]
fn a_data_file_that_another_program_holds_answers_503_with_a_retry_and_works_again() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let other = rusqlite::Connection::open(folder.path().join("wattotherm.sqlite")).unwrap();
    other.execute_batch("BEGIN EXCLUSIVE").unwrap();
    let begun = Instant::now();
    let note = json!({"text": "while it is held"});
    let (status, problem) = s.call("POST", "/api/v1/logbook", Some(&note));
    assert_eq!(
        (status, problem["detail"].as_str()),
        (
            503,
            Some(
                "Another program is using the data file just now. Nothing was saved. Try again in a moment."
            )
        )
    );
    assert!(begun.elapsed() < HANGS);
    other.execute_batch("COMMIT").unwrap();
    assert_eq!(s.call("POST", "/api/v1/logbook", Some(&note)).0, 201);
}

#[test]
fn a_second_server_on_the_folder_and_one_open_to_the_network_are_told_off() {
    let folder = tempfile::tempdir().unwrap();
    let _first = Server::serve(folder.path());
    let second = Command::new(env!("CARGO_BIN_EXE_wattotherm"))
        .args(["serve", "--listen", "127.0.0.1:0", "--data"])
        .arg(folder.path())
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&second.stderr).into_owned();
    assert!(
        !second.status.success() && said.contains("Another Wattotherm serves"),
        "{said}"
    );
    // Beyond this computer: loud, and no printer.
    let other = tempfile::tempdir().unwrap();
    let err = tempfile::NamedTempFile::new().unwrap();
    let mut command = Command::new(env!("CARGO_BIN_EXE_wattotherm"));
    command
        .args(["serve", "--listen", "0.0.0.0:0", "--data"])
        .arg(other.path())
        .stderr(Stdio::from(err.reopen().unwrap()));
    let mut open = Server::spawn(&mut command);
    open.url = open.url.replace("0.0.0.0", "127.0.0.1");
    let id = printer(&open, "Birch");
    let (status, problem) = open.call(
        "POST",
        &format!("/api/v1/printers/{id}/link"),
        Some(&json!({"address": {"kind": "tcp", "host": "127.0.0.1:9"}})),
    );
    assert_eq!(status, 403, "{problem}");
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("there is no sign-in yet"),
        "{problem}"
    );
    let mut said = String::new();
    err.reopen().unwrap().read_to_string(&mut said).unwrap();
    assert!(said.starts_with("WARNING: 0.0.0.0:"), "{said}");
}

#[test]
fn an_import_meets_what_typing_meets() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let id = printer(&s, "Alder");
    let job = json!({"printer_id": id, "replaced": ["nozzle_same"], "complaint": "thin"});
    let made = s.call("POST", "/api/v1/jobs", Some(&job)).1["id"].clone();
    let file = s.get(&format!("/api/v1/jobs/{made}/export"));
    let bad: [(&str, serde_json::Value, &str); 7] = [
        ("/printer/name", json!("x".repeat(81)), "printer.name"),
        (
            "/printer/facts/bed_x_mm",
            json!(-4.0),
            "printer.facts.bed_x_mm",
        ),
        (
            "/job/failure_times_min",
            json!([-1.0]),
            "job.failure_times_min",
        ),
        ("/job/replaced", json!([]), "job.replaced"),
        ("/job/complaint", json!("x".repeat(3_000)), "job.complaint"),
        ("/opened_at", json!("yesterday"), "opened_at"),
        (
            "/filaments",
            json!([{"name": "", "material": "PLA"}]),
            "filaments.0.name",
        ),
    ];
    let before = s.get("/api/v1/jobs").as_array().unwrap().len();
    for (path, value, field) in bad {
        let mut spoilt = file.clone();
        *spoilt.pointer_mut(path).unwrap() = value;
        let (status, problem) = s.call("POST", "/api/v1/import", Some(&spoilt));
        assert_eq!(status, 422, "{path}: {problem}");
        assert_eq!(problem["errors"][0]["field"], field, "{problem}");
    }
    let many: Vec<_> = (0..2_001)
        .map(|_| json!({"at": "2026-01-01T08:00:00Z", "stop": "drive", "text": "x", "readings": null, "finding": null}))
        .collect();
    let mut long = file.clone();
    long["entries"] = json!(many);
    let (status, problem) = s.call("POST", "/api/v1/import", Some(&long));
    assert_eq!(status, 422, "{problem}");
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("at most 2000 entries"),
        "{problem}"
    );
    assert_eq!(s.get("/api/v1/jobs").as_array().unwrap().len(), before);
}

#[test]
fn one_damaged_row_takes_no_page_down() {
    let folder = tempfile::tempdir().unwrap();
    let mut s = Server::serve(folder.path());
    let (one, two) = (printer(&s, "Alder"), printer(&s, "Birch"));
    let job = json!({"printer_id": one, "replaced": ["nozzle_same"]});
    let made = s.call("POST", "/api/v1/jobs", Some(&job)).1["id"].clone();
    s.end();
    rusqlite::Connection::open(folder.path().join("wattotherm.sqlite"))
        .unwrap()
        .execute(
            "UPDATE fitting SET fitted = 'not json' WHERE printer_id = ?1",
            [one],
        )
        .unwrap();
    let s = Server::serve(folder.path());
    for path in [
        "/api/v1/bench".to_owned(),
        "/api/v1/jobs".into(),
        format!("/api/v1/jobs/{made}"),
        format!("/api/v1/printers/{two}"),
    ] {
        assert_eq!(s.call("GET", &path, None).0, 200, "{path}");
    }
    let page = s.get(&format!("/api/v1/printers/{one}"));
    assert!(
        page["printer"]["unreadable"]
            .as_str()
            .unwrap()
            .contains("can’t be read"),
        "{page}"
    );
}

#[test]
fn what_a_failed_write_did_not_keep_of_the_wire_comes_with_the_next() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let id = printer(&s, "Alder");
    let _board = connected(&s, id, 1.0);
    let other = rusqlite::Connection::open(folder.path().join("wattotherm.sqlite")).unwrap();
    other.execute_batch("BEGIN EXCLUSIVE").unwrap();
    let send = format!("/api/v1/printers/{id}/send");
    assert_eq!(s.call("POST", &send, Some(&json!({"line": "M114"}))).0, 200);
    // Longer than the record waits before it is written, and than a write waits for the file.
    std::thread::sleep(Duration::from_secs(4));
    other.execute_batch("COMMIT").unwrap();
    let wire = s.get(&format!("/api/v1/printers/{id}/wire?find=M114"));
    assert_eq!(wire.as_array().unwrap().len(), 1, "{wire}");
}

#[test]
fn heat_that_can_not_be_noted_on_disk_is_not_switched_on() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let id = printer(&s, "Aspen");
    let _board = connected(&s, id, 20.0);
    // The disk takes everything but what is noted of heat.
    let other = rusqlite::Connection::open(folder.path().join("wattotherm.sqlite")).unwrap();
    other
        .execute_batch(
            "CREATE TRIGGER torn BEFORE INSERT ON heat_on BEGIN SELECT RAISE(FAIL, 'a bad sector'); END",
        )
        .unwrap();
    let part = "G28\nM140 S60\nM104 S210\nM109 S210\nG90\nM83\nG1 X50 Y50 Z0.2 F3000\nG1 X90 E3 F900\nG1 X90 Y90 E3\n";
    let (status, made) = s.post_bytes("/api/v1/prints?name=part.gcode", part.as_bytes());
    assert_eq!(status, 201, "{made}");
    let print = format!("/api/v1/prints/{}", made["id"]);
    let begin = json!({"printer_id": id});
    let (status, begun) = s.call("POST", &format!("{print}/print"), Some(&begin));
    assert_eq!(status, 202, "{begun}");
    let ended = within(Duration::from_secs(20), || {
        let runs = s.get(&format!("{print}/runs"));
        (runs[0]["how"] != "running").then(|| runs[0].clone())
    });
    assert_eq!(ended["how"], "broken", "{ended}");
    assert!(
        ended["says"]
            .as_str()
            .unwrap()
            .starts_with("Nothing was sent: "),
        "{ended}"
    );
    // Nor by a routine, and the board was never asked for heat.
    let hold = json!({"kind": "hold", "target_c": 200.0, "seconds": 30.0});
    let (status, begun) = s.call(
        "POST",
        &format!("/api/v1/printers/{id}/routine"),
        Some(&hold),
    );
    assert!(status == 200 || status == 202, "{begun}");
    let failed = within(Duration::from_secs(20), || {
        let all = s.get("/api/v1/live/now");
        let failed = all[0]["routine"]["done"]["failed"].as_str()?.to_owned();
        failed.contains("switched on").then_some(failed)
    });
    assert!(failed.starts_with("Nothing was switched on: "), "{failed}");
    // What is asked for now is on record after all that went out before it.
    let send = format!("/api/v1/printers/{id}/send");
    assert_eq!(s.call("POST", &send, Some(&json!({"line": "M114"}))).0, 200);
    within(Duration::from_secs(20), || {
        let wire = s.get(&format!("/api/v1/printers/{id}/wire?find=M114"));
        (!wire.as_array()?.is_empty()).then_some(())
    });
    for code in ["M104", "M109", "M140", "G28"] {
        let wire = s.get(&format!("/api/v1/printers/{id}/wire?find={code}"));
        assert_eq!(wire.as_array().map(Vec::len), Some(0), "{wire}");
    }
}
