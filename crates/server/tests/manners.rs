//! Two hundred boards of bad manners on one server: what the page says of each is true at every look, and
//! the server answers all the time.
#![cfg(unix)]
#![allow(clippy::unwrap_used)]

#[path = "../../link/tests/board/mod.rs"]
mod board;
mod common;

use std::process::Command;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

use board::{Manners, Running};
use common::{HANGS, Server};
use serde_json::{Value, json};

const SEEDS: u64 = 20;
const SECONDS: u64 = 30;

#[test]
fn with_two_hundred_boards_of_bad_manners_the_page_is_true_and_the_server_answers() {
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(1)
        .enable_all()
        .build()
        .unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut s = Server::serve(folder.path());
    let mut boards: Vec<(i64, Manners, Running)> = Vec::new();
    let mut hosts: Vec<(i64, String)> = Vec::new();
    for manners in Manners::ALL {
        for seed in 0..SEEDS {
            let running = Running::new(manners, seed * 13 + 1);
            running.look().latency_ms = 60;
            let host = running.behind_tcp(&runtime);
            let (_, made) = s.call(
                "POST",
                "/api/v1/printers",
                Some(&json!({"name": format!("{manners:?} {seed}"), "kind": "bench", "facts": {"firmware_limit_c": 265.0}})),
            );
            let id = made["id"].as_i64().unwrap();
            boards.push((id, manners, running.clone()));
            hosts.push((id, host));
        }
    }
    // Each waits for its first answer: sixteen at a time.
    std::thread::scope(|scope| {
        for some in hosts.chunks(hosts.len().div_ceil(16)) {
            let s = &s;
            scope.spawn(move || {
                for (id, host) in some {
                    let body =
                        json!({"address": {"kind": "tcp", "host": host}, "report_every_s": 0.5});
                    let (status, got) =
                        s.call("POST", &format!("/api/v1/printers/{id}/link"), Some(&body));
                    assert_eq!(status, 200, "{got}");
                }
            });
        }
    });
    let over = AtomicBool::new(false);
    let looks = AtomicU64::new(0);
    let until = Instant::now() + Duration::from_secs(SECONDS);
    let (latencies, wrong) = std::thread::scope(|scope| {
        // People at four pages do this and that, and wait for nothing.
        for hand in 0..4_u64 {
            let (s, boards, over) = (&s, &boards, &over);
            scope.spawn(move || {
                let mut rng = fastrand::Rng::with_seed(hand);
                let agent: ureq::Agent = ureq::Agent::config_builder()
                    .http_status_as_error(false)
                    .timeout_global(Some(Duration::from_millis(400)))
                    .build()
                    .into();
                while !over.load(Ordering::Relaxed) {
                    let (id, _, _) = &boards[rng.usize(0..boards.len())];
                    let at = format!("{}/api/v1/printers/{id}", s.url);
                    let (path, body) = match rng.u8(0..10) {
                        0 | 1 => ("send", json!({"line": "M104 T0 S190"})),
                        2 => ("send", json!({"line": "M109 T0 S205"})),
                        3 => ("send", json!({"line": "M140 S60"})),
                        4 => ("send", json!({"line": "M303 E0 S200 C4"})),
                        5 => (
                            "routine",
                            json!({"kind": "hold", "target_c": 180.0, "seconds": 30.0}),
                        ),
                        6 => ("routine", json!({"kind": "autotune", "target_c": 190.0})),
                        7 => ("stop", json!({})),
                        8 => ("release", json!({})),
                        _ => ("heaters-off", json!({})),
                    };
                    // Some answers come after minutes: nobody waits for them here.
                    let _ = agent.post(format!("{at}/{path}")).send_json(&body);
                    std::thread::sleep(Duration::from_millis(rng.u64(0..40)));
                }
            });
        }
        let health = scope.spawn(|| {
            let agent = ureq::Agent::new_with_defaults();
            let mut all = Vec::new();
            while !over.load(Ordering::Relaxed) {
                let begun = Instant::now();
                let mut answer = agent
                    .get(format!("{}/api/v1/health", s.url))
                    .call()
                    .unwrap();
                answer.body_mut().read_to_vec().unwrap();
                all.push(begun.elapsed());
                std::thread::sleep(Duration::from_millis(20));
            }
            all
        });
        let mut wrong: Option<String> = None;
        while Instant::now() < until && wrong.is_none() {
            let told = || -> Vec<bool> {
                boards
                    .iter()
                    .map(|(_, _, b)| b.look().is_told_to_heat())
                    .collect()
            };
            let before = told();
            let page = s.get("/api/v1/live/now");
            let after = told();
            for (i, (id, manners, _)) in boards.iter().enumerate() {
                let p: &Value = page
                    .as_array()
                    .unwrap()
                    .iter()
                    .find(|p| p["printer_id"] == *id)
                    .unwrap();
                looks.fetch_add(1, Ordering::Relaxed);
                let says_off = p["status"]["heaters"] == "off" || p["worst"] == "safe";
                if before[i] && after[i] && says_off {
                    wrong = Some(format!(
                        "{manners:?}, printer {id}: it heats, and the page says {p}"
                    ));
                }
            }
            std::thread::sleep(Duration::from_millis(60));
        }
        over.store(true, Ordering::Relaxed);
        (health.join().unwrap(), wrong)
    });
    assert_eq!(wrong, None);
    assert!(looks.load(Ordering::Relaxed) > 10_000);
    let mut latencies = latencies;
    latencies.sort_unstable();
    let (p99, worst) = (
        latencies[latencies.len() * 99 / 100],
        latencies[latencies.len() - 1],
    );
    std::io::Write::write_all(
        &mut std::io::stderr(),
        format!(
            "health beside 200 bad boards: 99 % {p99:?}, worst {worst:?} of {}\n",
            latencies.len()
        )
        .as_bytes(),
    )
    .unwrap();
    assert!(worst < HANGS, "health: worst {worst:?}");
    // Frozen, deaf or not: it ends when it is told to.
    let pid = s.id().to_string();
    assert!(Command::new("kill").arg(&pid).status().unwrap().success());
    assert!(s.gone_within(Duration::from_secs(15)));
}
