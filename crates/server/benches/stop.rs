//! `make bench`: how fast a stop is on the wire while everything else is busy: 16 clients evaluating, 100
//! pages looking, a deaf board beside. Prints figures; asserts nothing, since a shared machine is noisy.

#![allow(clippy::unwrap_used, clippy::print_stdout)]

#[path = "../../link/tests/board/mod.rs"]
mod board;

use std::io::{BufRead as _, BufReader};
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use board::{Manners, Running};
use serde_json::json;

const CLIENTS: usize = 16;
const PAGES: usize = 100;
const STOPS: usize = 400;

fn ms(d: Duration) -> f64 {
    d.as_secs_f64() * 1e3
}

fn main() {
    let folder = tempfile::tempdir().unwrap();
    let mut server = Command::new(env!("CARGO_BIN_EXE_wattotherm"))
        .args(["serve", "--listen", "127.0.0.1:0", "--data"])
        .arg(folder.path())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut line = String::new();
    BufReader::new(server.stdout.take().unwrap())
        .read_line(&mut line)
        .unwrap();
    let url = line.trim().rsplit(' ').next().unwrap().to_owned();
    let host = url.trim_start_matches("http://").to_owned();
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(1)
        .enable_all()
        .build()
        .unwrap();
    let connect = |manners: Manners| {
        let running = Running::new(manners, 3);
        running.look().latency_ms = 1;
        let at = running.behind_tcp(&runtime);
        let made: serde_json::Value = ureq::post(format!("{url}/api/v1/printers"))
            .send_json(json!({"name": format!("{manners:?}"), "kind": "bench", "facts": {}}))
            .unwrap()
            .body_mut()
            .read_json()
            .unwrap();
        let id = made["id"].as_i64().unwrap();
        ureq::post(format!("{url}/api/v1/printers/{id}/link"))
            .send_json(json!({"address": {"kind": "tcp", "host": at}, "report_every_s": 0.5}))
            .unwrap();
        (id, running)
    };
    let (good, board) = connect(Manners::Good);
    let (deaf, _) = connect(Manners::DeafWhileHeating);
    let over = AtomicBool::new(false);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            let agent: ureq::Agent = ureq::Agent::config_builder()
                .http_status_as_error(false)
                .timeout_global(Some(Duration::from_secs(2)))
                .build()
                .into();
            let _ = agent
                .post(format!("{url}/api/v1/printers/{deaf}/send"))
                .send_json(json!({"line": "M109 S200"}));
            let _ = agent
                .post(format!("{url}/api/v1/printers/{deaf}/heaters-off"))
                .send_json(json!({}));
        });
        for _ in 0..PAGES {
            scope.spawn(|| {
                let socket = std::net::TcpStream::connect(&host).unwrap();
                socket
                    .set_read_timeout(Some(Duration::from_millis(500)))
                    .unwrap();
                let (mut page, _) =
                    tungstenite::client(format!("ws://{host}/api/v1/live"), socket).unwrap();
                while !over.load(Ordering::Relaxed) {
                    let _ = page.read();
                }
            });
        }
        for _ in 0..CLIENTS {
            scope.spawn(|| {
                let agent = ureq::Agent::new_with_defaults();
                let path = format!("{url}/api/v1/stations/drive/evaluate");
                let body = json!({"readings": {"steps_set": "93", "mark_mm": "120", "feed_mm": "100", "instrument": "steel_rule", "runs": ["27.5", "27.0"]}});
                while !over.load(Ordering::Relaxed) {
                    if let Ok(mut answer) = agent.post(&path).send_json(&body) {
                        let _ = answer.body_mut().read_to_vec();
                    }
                }
            });
        }
        std::thread::sleep(Duration::from_secs(1));
        let agent = ureq::Agent::new_with_defaults();
        let (mut answered, mut heard) = (Vec::new(), Vec::new());
        for _ in 0..STOPS {
            board.look().stops = 0;
            let begun = Instant::now();
            agent
                .post(format!("{url}/api/v1/printers/{good}/stop"))
                .send_empty()
                .unwrap();
            answered.push(begun.elapsed());
            while board.look().stops == 0 && begun.elapsed() < Duration::from_secs(5) {
                std::thread::sleep(Duration::from_micros(200));
            }
            heard.push(begun.elapsed());
            std::thread::sleep(Duration::from_millis(15));
        }
        over.store(true, Ordering::Relaxed);
        for (what, mut all) in [("answered", answered), ("heard by the board", heard)] {
            all.sort_unstable();
            println!(
                "stop {what}, beside {CLIENTS} clients evaluating, {PAGES} pages, a deaf board: median {:.1} ms, 99 % {:.1} ms (aim 50), worst of {STOPS} {:.1} ms (aim 200)",
                ms(all[all.len() / 2]),
                ms(all[all.len() * 99 / 100]),
                ms(all[all.len() - 1])
            );
        }
    });
    server.kill().unwrap();
    server.wait().unwrap();
}
