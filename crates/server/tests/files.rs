//! Files in and out over HTTP: in pieces, whole or not there, never shown as a page.
#![allow(clippy::unwrap_used)]

use std::io::{Read as _, Write as _};
use std::net::TcpStream;
use std::process::Command;

use crate::common::Server;
use serde_json::{Value, json};

/// SHA-256 of a million letters "a". Source: FIPS 180-4, example computation of the standard.
const MILLION_A: &str = "cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0";

#[test]
fn a_file_comes_back_as_it_was_sent_under_the_name_of_its_content() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let content = vec![b'a'; 1_000_000];
    assert_eq!(s.send_file(&content), MILLION_A);
    // Once more is the same file.
    assert_eq!(s.send_file(&content), MILLION_A);
    let mut answer = ureq::get(format!("{}/api/v1/files/{MILLION_A}", s.url))
        .call()
        .unwrap();
    let header = |name: &str| answer.headers()[name].to_str().unwrap().to_owned();
    assert_eq!(header("content-type"), "application/octet-stream");
    assert_eq!(header("content-disposition"), "attachment");
    assert_eq!(header("x-content-type-options"), "nosniff");
    let mut back = Vec::new();
    answer
        .body_mut()
        .as_reader()
        .read_to_end(&mut back)
        .unwrap();
    assert!(back == content);
    // A page that was sent is bytes to us.
    let page = s.send_file(b"<script>alert(1)</script>");
    let answer = ureq::get(format!("{}/api/v1/files/{page}", s.url))
        .call()
        .unwrap();
    assert_eq!(answer.headers()["content-type"], "application/octet-stream");
}

#[test]
fn what_is_empty_too_large_or_not_there_is_said_kindly() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let (status, problem) = s.send_bytes(b"");
    assert_eq!(
        (status, &problem["detail"]),
        (422, &json!("The file is empty."))
    );
    let (status, problem) = s.send_bytes(&vec![0; 65 * 1024 * 1024]);
    assert_eq!(status, 413, "{problem}");
    let (status, problem) = s.call("GET", &format!("/api/v1/files/{MILLION_A}"), None);
    assert_eq!(status, 404);
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .starts_with("there is no file")
    );
    for name in ["..%2Fwattotherm.sqlite", "%2e%2e", "xyz"] {
        assert_eq!(s.call("GET", &format!("/api/v1/files/{name}"), None).0, 404);
    }
    let body = json!({"file": MILLION_A});
    assert_eq!(s.call("POST", "/api/v1/traces/read", Some(&body)).0, 404);
}

#[test]
fn a_client_that_leaves_in_the_middle_leaves_nothing_and_others_go_on() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let host = s.url.trim_start_matches("http://");
    let mut socket = TcpStream::connect(host).unwrap();
    let head = format!(
        "POST /api/v1/files HTTP/1.1\r\nhost: {host}\r\ncontent-type: application/octet-stream\r\ncontent-length: 9000000\r\n\r\n"
    );
    socket.write_all(head.as_bytes()).unwrap();
    socket.write_all(&vec![b'x'; 1_000_000]).unwrap();
    // While it is on its way others are answered.
    assert_eq!(s.call("GET", "/api/v1/bench", None).0, 200);
    drop(socket);
    s.send_file(b"the next");
    let gone = || {
        let files = folder.path().join("wattotherm.files");
        std::fs::read_dir(files)
            .unwrap()
            .flatten()
            .all(|e| e.path().is_dir())
    };
    let until = std::time::Instant::now() + crate::common::HANGS;
    while !gone() {
        assert!(
            std::time::Instant::now() < until,
            "a half file stays behind"
        );
        std::thread::yield_now();
    }
}

/// A shop with one log that was read from a file, and that file's name.
fn shop_with_a_log(folder: &std::path::Path) -> (Server, i64, String) {
    let s = Server::serve(folder);
    let printer = json!({"name": "Elder", "kind": "cube", "facts": {}});
    let id = s.call("POST", "/api/v1/printers", Some(&printer)).1["id"]
        .as_i64()
        .unwrap();
    let lines: Vec<String> = (0..60)
        .map(|i| format!("{i},{}", 200.0 + f64::from(i % 3) * 0.1))
        .collect();
    let sent = s.send_file(format!("time_s,temp_c\n{}", lines.join("\n")).as_bytes());
    let body = json!({"file": sent, "name": "night, \"hot\".csv", "printer_id": id});
    let (status, view) = s.call("POST", "/api/v1/traces/read", Some(&body));
    assert_eq!(status, 200, "{view}");
    let kept = view["kept"]["sha256"].as_str().unwrap().to_owned();
    assert_ne!(kept, sent, "as it was sent, and as any program reads it");
    (s, id, sent)
}

#[test]
fn a_log_of_the_bed_alone_is_read_as_a_beds_and_never_kept_as_a_nozzles() {
    let folder = tempfile::tempdir().unwrap();
    let (s, id, _) = shop_with_a_log(folder.path());
    let lines: Vec<String> = (0..300)
        .map(|i| {
            format!(
                "ok T:24.0 /0.0 B:{:.1} /60.0 @:0 B@:60",
                60.0 + f64::from(i % 3) * 0.1
            )
        })
        .collect();
    let sent = s.send_file(lines.join("\n").as_bytes());
    let read = |more: Value| {
        let mut body = json!({"file": sent, "name": "bed.log", "printer_id": id});
        body.as_object_mut()
            .unwrap()
            .extend(more.as_object().unwrap().clone());
        s.call("POST", "/api/v1/traces/read", Some(&body))
    };
    let (status, view) = read(json!({}));
    assert_eq!(
        (status, &view["of"], &view["kept"]),
        (200, &json!("The bed"), &Value::Null)
    );
    assert_eq!(view["reading"]["advice"], "Leave it alone.");
    assert!(
        view["notes"].to_string().contains("this one was read"),
        "{view}"
    );
    // As a hold test of the nozzle it is refused, with what to give instead.
    let (status, problem) = read(json!({"target_c": 210.0}));
    assert_eq!(status, 422);
    assert!(
        problem.to_string().contains("only the bed is heated"),
        "{problem}"
    );
}

#[test]
fn a_log_that_was_misread_is_read_again_in_its_own_place_until_something_rests_on_it() {
    let folder = tempfile::tempdir().unwrap();
    let (s, id, _) = shop_with_a_log(folder.path());
    let lines: Vec<String> = (0..300)
        .map(|i| format!("{i},{}", 410.0 + f64::from(i % 3) * 0.2))
        .collect();
    let sent = s.send_file(format!("time,temp\n{}", lines.join("\n")).as_bytes());
    let read = |kept: Value, read_as: Value| {
        let body = json!({"file": sent, "name": "room.csv", "printer_id": id, "kept": kept, "read_as": read_as});
        s.call("POST", "/api/v1/traces/read", Some(&body))
    };
    let kept_ones = || {
        let (_, all) = s.call("GET", &format!("/api/v1/printers/{id}/traces"), None);
        all.as_array().unwrap().len()
    };
    let before = kept_ones();
    let (status, first) = read(Value::Null, json!({}));
    assert_eq!(status, 200, "{first}");
    assert_eq!(first["taken"]["temperatures"], "celsius");
    assert_eq!(first["taken"]["no_target"], true);
    let at = first["kept"]["id"].clone();
    // 410 °F are 210 °C.
    let meant = json!({"temperatures": "fahrenheit", "target": "210"});
    let (status, again) = read(at.clone(), meant.clone());
    assert_eq!(status, 200, "{again}");
    assert_eq!(again["kept"]["id"], at);
    assert_eq!(kept_ones(), before + 1);
    let (_, shown) = s.call("GET", &format!("/api/v1/traces/{at}"), None);
    let temp = shown["samples"][0]["temp_c"].as_f64().unwrap();
    assert!((temp - 210.0).abs() < 0.01, "{temp}");
    assert_eq!(shown["samples"][0]["target_c"], 210.0);
    // Something was entered for the printer meanwhile: what it may rest on stays as it was.
    let note = json!({"printer_id": id, "text": "Looked at the log.", "who": ""});
    let (status, noted) = s.call("POST", "/api/v1/logbook", Some(&note));
    assert!(status < 300, "{noted}");
    let (_, third) = read(at.clone(), json!({}));
    assert_ne!(third["kept"]["id"], at);
    assert_eq!(kept_ones(), before + 2);
    let (status, problem) = read(at, json!({"target": "9000"}));
    assert_eq!(
        (status, &problem["errors"][0]["field"]),
        (422, &json!("target"))
    );
    assert_eq!(
        problem["detail"],
        "9000 °C can’t be meant: type 30 °C to 500 °C."
    );
}

fn everything(s: &Server) -> zip::ZipArchive<std::io::Cursor<Vec<u8>>> {
    let mut got = ureq::get(format!("{}/api/v1/everything", s.url))
        .call()
        .unwrap();
    zip::ZipArchive::new(std::io::Cursor::new(got.body_mut().read_to_vec().unwrap())).unwrap()
}

fn text(zip: &mut zip::ZipArchive<std::io::Cursor<Vec<u8>>>, name: &str) -> String {
    let mut out = String::new();
    zip.by_name(name).unwrap().read_to_string(&mut out).unwrap();
    out
}

#[test]
fn a_file_that_was_sent_goes_out_with_everything_and_one_that_is_gone_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let (s, _, sent) = shop_with_a_log(folder.path());
    let mut zip = everything(&s);
    assert!(text(&mut zip, &format!("files/{sent}")).starts_with("time_s,temp_c\n0,200"));
    let list = text(&mut zip, "files.csv");
    let row = csv::Reader::from_reader(list.as_bytes())
        .records()
        .next()
        .unwrap()
        .unwrap();
    assert_eq!((&row[0], &row[2]), (sent.as_str(), "night, \"hot\".csv"));
    assert!(!zip.file_names().any(|n| n.unwrap() == "missing.txt"));

    let files = folder.path().join("wattotherm.files");
    std::fs::remove_file(files.join(&sent[..2]).join(&sent)).unwrap();
    let mut zip = everything(&s);
    assert_eq!(
        text(&mut zip, "missing.txt"),
        format!("files/{sent} ({sent})")
    );
    assert!(
        text(&mut zip, "logbook.csv").contains("Elder"),
        "all the rest goes out"
    );
}

#[test]
fn the_check_says_that_data_are_whole_or_names_what_is_not() {
    let folder = tempfile::tempdir().unwrap();
    let (mut s, _, sent) = shop_with_a_log(folder.path());
    s.kill();
    let check = |data: &std::path::Path| {
        let out = Command::new(env!("CARGO_BIN_EXE_wattotherm"))
            .args(["check", "--data"])
            .arg(data)
            .output()
            .unwrap();
        let said = [out.stdout, out.stderr].concat();
        (out.status.success(), String::from_utf8(said).unwrap())
    };
    assert_eq!(check(folder.path()), (true, "The data is whole.\n".into()));
    let place = folder
        .path()
        .join("wattotherm.files")
        .join(&sent[..2])
        .join(&sent);
    std::fs::write(place, "something else").unwrap();
    let (whole, said) = check(folder.path());
    assert!(
        !whole && said.starts_with("1 of the files") && said.contains(&sent),
        "{said}"
    );
    let empty = tempfile::tempdir().unwrap();
    let (whole, said) = check(empty.path());
    assert!(
        !whole && said.starts_with("There is no data file"),
        "{said}"
    );
}
