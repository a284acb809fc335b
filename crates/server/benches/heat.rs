//! `make bench`: printers at work. Prints figures; asserts nothing, since a shared machine is noisy.

#![allow(clippy::unwrap_used, clippy::print_stdout, clippy::cast_precision_loss)]

mod common;

use std::net::TcpStream;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

use common::start;
use serde_json::json;
use wattotherm_twin::port::{Running, Speed};
use wattotherm_twin::{Build, Kind, Twin};

fn twin_figures() {
    let begun = Instant::now();
    let mut twin = Twin::new(Build::new(Kind::Standard, 1, []), 1);
    twin.ask("M155 S1");
    twin.ask("M104 S210");
    for _ in 0..3_600 {
        twin.advance(1.0);
        twin.take_output();
    }
    let took = begun.elapsed().as_secs_f64();
    println!("twin: {:.0} simulated seconds a second", 3_600.0 / took);
}

/// Processor seconds and resident megabytes of a process. Linux only.
fn used(pid: u32) -> Option<(f64, f64)> {
    let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).ok()?;
    let fields: Vec<&str> = stat.rsplit_once(')')?.1.split_whitespace().collect();
    let ticks: f64 = fields.get(11)?.parse::<f64>().ok()? + fields.get(12)?.parse::<f64>().ok()?;
    let status = std::fs::read_to_string(format!("/proc/{pid}/status")).ok()?;
    let kb: f64 = status
        .lines()
        .find_map(|l| l.strip_prefix("VmRSS:"))?
        .trim()
        .trim_end_matches(" kB")
        .parse()
        .ok()?;
    // A hundred ticks a second, as Linux has on every common machine.
    Some((ticks / 100.0, kb / 1e3))
}

/// Reads a page's stream until the socket is closed; counts bytes.
fn browse(url: &str, bytes: &Arc<AtomicU64>) {
    let host = url.trim_start_matches("http://").to_owned();
    let bytes = Arc::clone(bytes);
    std::thread::spawn(move || {
        let socket = TcpStream::connect(&host).unwrap();
        let (mut page, _) =
            tungstenite::client(format!("ws://{host}/api/v1/live"), socket).unwrap();
        while let Ok(message) = page.read() {
            bytes.fetch_add(message.len() as u64, Ordering::Relaxed);
        }
    });
}

fn fifty_printers() {
    const PRINTERS: usize = 50;
    const BROWSERS: usize = 10;
    const SECONDS: f64 = 20.0;
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .worker_threads(1)
        .build()
        .unwrap();
    let hosts: Vec<String> = (0..PRINTERS)
        .map(|i| {
            let twin = Twin::new(Build::new(Kind::ALL[i % 3], i as u64, []), i as u64);
            let running = Running::new(twin, Speed::Times(1.0));
            let listener = runtime
                .block_on(tokio::net::TcpListener::bind("127.0.0.1:0"))
                .unwrap();
            let host = listener.local_addr().unwrap().to_string();
            runtime.spawn(async move { running.serve_tcp(listener).await });
            host
        })
        .collect();
    let folder = tempfile::tempdir().unwrap();
    let (mut server, url) = start(&["serve", "--data", folder.path().to_str().unwrap()]);
    for (i, host) in hosts.iter().enumerate() {
        let made: serde_json::Value = ureq::post(format!("{url}/api/v1/printers"))
            .send_json(json!({"name": format!("Tree {i}"), "kind": "bench", "facts": {}}))
            .unwrap()
            .body_mut()
            .read_json()
            .unwrap();
        let id = &made["id"];
        ureq::post(format!("{url}/api/v1/printers/{id}/link"))
            .send_json(json!({"address": {"kind": "tcp", "host": host}, "report_every_s": 0.25}))
            .unwrap();
        ureq::post(format!("{url}/api/v1/printers/{id}/send"))
            .send_json(json!({"line": "M104 S180"}))
            .unwrap();
    }
    let bytes = Arc::new(AtomicU64::new(0));
    for _ in 0..BROWSERS {
        browse(&url, &bytes);
    }
    std::thread::sleep(Duration::from_secs(3));
    let (cpu0, _) = used(server.id()).unwrap_or_default();
    let sent0 = bytes.load(Ordering::Relaxed);
    std::thread::sleep(Duration::from_secs_f64(SECONDS));
    let (cpu1, memory) = used(server.id()).unwrap_or_default();
    let sent = (bytes.load(Ordering::Relaxed) - sent0) as f64;
    println!(
        "{PRINTERS} printers at 4 reports a second, {BROWSERS} browsers' streams: {:.1} % of a core, {memory:.0} MB, {:.0} kB/s to the browsers (aim 25 % of a core)",
        100.0 * (cpu1 - cpu0) / SECONDS,
        sent / SECONDS / 1e3
    );
    server.kill().unwrap();
    server.wait().unwrap();
}

fn main() {
    twin_figures();
    fifty_printers();
}
