//! The end of the server, five hundred times: each signal, at any moment of heating, holding, tuning and
//! verifying. Heaters are at zero, or it is said: on stderr, in the logbook, and on the page after the next
//! start.
#![cfg(unix)]
#![allow(clippy::unwrap_used)]

#[path = "../../link/tests/board/mod.rs"]
mod board;
mod common;

use std::io::Read as _;
use std::process::{Command, Stdio};
use std::sync::Mutex;
use std::time::{Duration, Instant};

use board::{Manners, Running};
use common::Server;
use serde_json::{Value, json};

const ENDS: u64 = 500;
/// Servers at once: each sleeps most of the time.
const AT_ONCE: u64 = 16;

/// What became of an end.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Became {
    Zero,
    Told,
    TakenBack,
}

fn board_on(runtime: &tokio::runtime::Runtime, manners: Manners, seed: u64) -> (Running, String) {
    let running = Running::new(manners, seed);
    running.look().latency_ms = 40;
    let host = running.behind_tcp(runtime);
    (running, host)
}

fn within(seconds: f64, mut holds: impl FnMut() -> bool) -> bool {
    let until = Instant::now() + Duration::from_secs_f64(seconds);
    while Instant::now() < until {
        if holds() {
            return true;
        }
        std::thread::sleep(Duration::from_millis(15));
    }
    holds()
}

fn end_of(runtime: &tokio::runtime::Runtime, n: u64) -> (&'static str, &'static str, Became) {
    let mut rng = fastrand::Rng::with_seed(n * 31 + 7);
    let signal = ["INT", "TERM", "HUP", "KILL"][(n % 4) as usize];
    let manners = match n % 7 {
        0 => Manners::DeafWhileHeating,
        1 => Manners::SlowOk,
        _ => Manners::Good,
    };
    let (running, host) = board_on(runtime, manners, n);
    let folder = tempfile::tempdir().unwrap();
    let err = tempfile::NamedTempFile::new().unwrap();
    let data = folder.path().to_str().unwrap().to_owned();
    let mut command = Command::new(env!("CARGO_BIN_EXE_wattotherm"));
    command
        .args(["serve", "--listen", "127.0.0.1:0", "--data", &data])
        .stderr(Stdio::from(err.reopen().unwrap()));
    let mut s = Server::spawn(&mut command);
    let (_, made) = s.call(
        "POST",
        "/api/v1/printers",
        Some(&json!({"name": "Yew", "kind": "bed-slinger", "facts": {"firmware_limit_c": 275.0}})),
    );
    let id = made["id"].as_i64().unwrap();
    let link = format!("/api/v1/printers/{id}/link");
    let address = json!({"address": {"kind": "tcp", "host": host}, "report_every_s": 0.25});
    assert_eq!(s.call("POST", &link, Some(&address)).0, 200);
    // What runs when the end comes.
    let routine = |kind: &str| {
        let body = json!({"kind": kind, "target_c": 200.0, "seconds": 60.0, "cycles": 5});
        s.call(
            "POST",
            &format!("/api/v1/printers/{id}/routine"),
            Some(&body),
        );
    };
    let line = |line: &str| {
        let body = json!({"line": line}).to_string();
        let (url, path) = (s.url.clone(), format!("/api/v1/printers/{id}/send"));
        // Some answer only after minutes: nobody waits for them.
        std::thread::spawn(move || {
            let _ = ureq::post(format!("{url}{path}"))
                .header("content-type", "application/json")
                .send(body);
        });
    };
    let what = ["hold", "autotune", "verify", "lines", "wait", "bed"][(n / 4 % 6) as usize];
    match what {
        "lines" => {
            line("M104 S190");
            for _ in 0..4 {
                line("G28");
            }
        }
        "wait" => line("M109 S210"),
        "bed" => line("M140 S60"),
        kind => routine(kind),
    }
    std::thread::sleep(Duration::from_millis(rng.u64(0..2_500)));
    let pid = s.id().to_string();
    assert!(
        Command::new("kill")
            .args(["-s", signal, &pid])
            .status()
            .unwrap()
            .success()
    );
    assert!(
        s.gone_within(Duration::from_secs(12)),
        "{n}: {signal} doesn’t end it"
    );
    let on = || running.look().is_told_to_heat();
    if signal != "KILL" {
        if within(0.3, || !on()) {
            return (signal, what, Became::Zero);
        }
        // Then it was said, by name and with what to do, in the terminal and in the logbook.
        let mut said = String::new();
        err.reopen().unwrap().read_to_string(&mut said).unwrap();
        assert!(
            said.contains("Yew: it could not be confirmed that its heaters are off. Switch it off at its mains switch."),
            "{n} {signal} {what} {manners:?}: on, and stderr says only: {said:?}"
        );
    } else if !on() {
        return (signal, what, Became::Zero);
    }
    let again = Server::serve(folder.path());
    let page = || -> Value {
        let all = again.get("/api/v1/live/now");
        all[0].clone()
    };
    if manners == Manners::DeafWhileHeating {
        // It can't be switched off from here; that is what the page says.
        let told = within(15.0, || {
            let p = page();
            let hot = p["says"].as_str().unwrap_or_default();
            p["left_over"].is_string()
                || hot.contains("Heated")
                || hot.contains("not confirmed")
                || !on()
        });
        assert!(told, "{n} {signal} {what}: {}", page());
        return (signal, what, Became::Told);
    }
    let told_or_off = within(10.0, || page()["left_over"].is_string() || !on());
    assert!(told_or_off, "{n} {signal} {what}: {}", page());
    assert!(within(20.0, || !on()), "{n} {signal} {what}: {}", page());
    let logged = within(10.0, || {
        let log = again.get("/api/v1/logbook");
        let all = log.as_array().unwrap();
        all.iter().any(|e| e["kind"] == "heat")
    });
    assert!(
        logged,
        "{n} {signal} {what}: {}",
        again.get("/api/v1/logbook")
    );
    (signal, what, Became::TakenBack)
}

#[test]
fn five_hundred_ends_leave_no_heat_on_without_a_word() {
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(1)
        .enable_all()
        .build()
        .unwrap();
    let next = std::sync::atomic::AtomicU64::new(0);
    let table = Mutex::new(std::collections::BTreeMap::new());
    std::thread::scope(|scope| {
        for _ in 0..AT_ONCE {
            scope.spawn(|| {
                loop {
                    let n = next.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
                    if n >= ENDS {
                        return;
                    }
                    let (signal, _, became) = end_of(&runtime, n);
                    *table.lock().unwrap().entry((signal, became)).or_insert(0) += 1;
                }
            });
        }
    });
    let table = table.into_inner().unwrap();
    // Shown with --nocapture; docs/safety.md holds a run of it.
    let lines: Vec<String> = table
        .iter()
        .map(|((signal, became), n)| format!("{signal:>5} {became:?}: {n}"))
        .collect();
    std::io::Write::write_all(
        &mut std::io::stderr(),
        format!("{}\n", lines.join("\n")).as_bytes(),
    )
    .unwrap();
    let all: u64 = table.values().sum();
    assert_eq!(all, ENDS);
    // What ends in order leaves heat on only where nobody hears.
    let zero: u64 = table
        .iter()
        .filter(|((s, b), _)| *s != "KILL" && *b == Became::Zero)
        .map(|(_, n)| n)
        .sum();
    assert!(zero > 300, "{table:?}");
}
