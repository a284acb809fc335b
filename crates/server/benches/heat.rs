//! `make bench`: heat. Prints figures; asserts nothing, since a shared machine is noisy.

#![allow(clippy::unwrap_used, clippy::print_stdout, clippy::cast_precision_loss)]

mod common;

use std::net::TcpStream;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

use common::start;
use serde_json::json;
use wattotherm_heat::{
    ControllerSettings, Gains, LoopScript, Plant, Sample, Trace, compare_rules, identify,
    read_class, read_trace, simulate_loop, ultimate_of,
};
use wattotherm_twin::port::{Running, Speed};
use wattotherm_twin::{Build, Kind, Twin};

fn plant() -> Plant {
    Plant {
        gain_c: 300.0,
        tau_s: 107.0,
        tau2_s: 3.5,
        delay_s: 0.7,
        ambient_c: 25.0,
    }
}

fn gains() -> Gains {
    Gains {
        kp: 0.14,
        ki: 0.005,
        kd: 0.28,
    }
}

/// Median and worst of `n` runs [ms].
fn timed<T>(n: usize, mut work: impl FnMut() -> T) -> (f64, f64) {
    let mut all: Vec<f64> = (0..n)
        .map(|_| {
            let begun = Instant::now();
            std::hint::black_box(work());
            begun.elapsed().as_secs_f64() * 1e3
        })
        .collect();
    all.sort_by(f64::total_cmp);
    (all[n / 2], all[n - 1])
}

/// A log of this many samples, ten a second, made by the loop in simulation.
fn long_log(samples: usize) -> Trace {
    let dt = 0.1;
    let script = LoopScript {
        start_c: 25.0,
        target_c: 210.0,
        fan_at_s: 1_000.0,
        end_s: samples as f64 * dt,
        fan_duty: 0.05,
        dt_s: dt,
    };
    let run = simulate_loop(&plant(), ControllerSettings::common(gains()), &script);
    // Duty is not in a run's points: what holds the temperature, with some unrest.
    let duty = |c: f64, i: usize| {
        (plant().holding_duty(c) + 0.05 * ((i % 37) as f64 / 37.0 - 0.5)).clamp(0.0, 1.0)
    };
    let every = run.points.len() as f64 / samples as f64;
    Trace::new((0..samples).map(|i| {
        // OK because i·every stays below the number of points.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let (_, c) = run.points[((i as f64 * every) as usize).min(run.points.len() - 1)];
        Sample {
            t_s: i as f64 * dt,
            temp_c: c,
            target_c: Some(210.0),
            duty: Some(if c < 200.0 { 1.0 } else { duty(c, i) }),
            fan: Some(0.0),
        }
    }))
}

fn core_figures() {
    let hour = LoopScript {
        start_c: 25.0,
        target_c: 210.0,
        fan_at_s: 1_800.0,
        end_s: 3_600.0,
        fan_duty: 0.08,
        dt_s: 0.01,
    };
    let settings = ControllerSettings::common(gains());
    let (m, w) = timed(21, || simulate_loop(&plant(), settings, &hour));
    println!("an hour of loop at 10 ms steps: median {m:.1} ms, worst {w:.1} ms (aim 20 ms)");
    let log = long_log(30_000);
    let (m, w) = timed(11, || identify(&log).ok());
    println!("fit of a 30 000-sample log: median {m:.1} ms, worst {w:.1} ms (aim 50 ms)");
    let (m, w) = timed(11, || {
        read_class(&log, &wattotherm_heat::PhysicalLimits::default())
    });
    println!("class of a 30 000-sample log: median {m:.2} ms, worst {w:.2} ms");
    let text: String = std::iter::once("time_s,temp_c,target,duty".to_owned())
        .chain(log.samples.iter().map(|s| {
            format!(
                "{:.1},{:.2},210,{:.3}",
                s.t_s,
                s.temp_c,
                s.duty.unwrap_or(0.0)
            )
        }))
        .collect::<Vec<_>>()
        .join("\n");
    let (m, w) = timed(11, || read_trace(&text));
    println!(
        "reading it from a file of {:.1} MB: median {m:.1} ms, worst {w:.1} ms",
        text.len() as f64 / 1e6
    );
    let ultimate = ultimate_of(&plant());
    let (m, w) = timed(11, || compare_rules(&plant(), ultimate, 210.0, 0.08));
    println!("comparing seven rules: median {m:.1} ms, worst {w:.1} ms");
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
    core_figures();
    fifty_printers();
}
