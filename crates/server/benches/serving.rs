//! `make bench`: how fast it answers, starts and loads. Prints figures; asserts nothing, since a
//! shared machine is noisy.

#![allow(clippy::unwrap_used, clippy::print_stdout, clippy::cast_precision_loss)]

mod common;

use std::time::{Duration, Instant};

use common::{ms, start};
use serde_json::json;

const CLIENTS: usize = 16;
const CALLS: usize = 500;

/// Median and 99th percentile [ms] of evaluations by 16 clients at once over kept connections.
fn evaluate(url: &str, body: &serde_json::Value) -> (f64, f64) {
    let mut all: Vec<Duration> = std::thread::scope(|scope| {
        let clients: Vec<_> = (0..CLIENTS)
            .map(|_| {
                scope.spawn(|| {
                    let agent = ureq::Agent::new_with_defaults();
                    let path = format!("{url}/api/v1/stations/drive/evaluate");
                    (0..CALLS)
                        .map(|_| {
                            let begun = Instant::now();
                            let mut answer = agent.post(&path).send_json(body).unwrap();
                            answer.body_mut().read_to_vec().unwrap();
                            begun.elapsed()
                        })
                        .collect::<Vec<_>>()
                })
            })
            .collect();
        clients
            .into_iter()
            .flat_map(|c| c.join().unwrap())
            .collect()
    });
    all.sort_unstable();
    (ms(all[all.len() / 2]), ms(all[all.len() * 99 / 100]))
}

fn main() {
    // A file with the demo's jobs, as a shop would have: taken over by import.
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().to_str().unwrap();
    let begun = Instant::now();
    let (mut demo, url) = start(&["demo"]);
    let fresh = begun.elapsed();
    println!("demo, filled afresh and listening: {:.0} ms", ms(fresh));
    let (mut shop, shop_url) = start(&["serve", "--data", data]);
    for job in 1..=5 {
        let file: serde_json::Value = ureq::get(format!("{url}/api/v1/jobs/{job}/export"))
            .call()
            .unwrap()
            .body_mut()
            .read_json()
            .unwrap();
        ureq::post(format!("{shop_url}/api/v1/import"))
            .send_json(&file)
            .unwrap();
    }
    shop.kill().unwrap();
    shop.wait().unwrap();
    let mut starts: Vec<f64> = (0..11)
        .map(|_| {
            let begun = Instant::now();
            let (mut child, _) = start(&["serve", "--data", data]);
            let took = begun.elapsed();
            child.kill().unwrap();
            child.wait().unwrap();
            ms(took)
        })
        .collect();
    starts.sort_by(f64::total_cmp);
    println!(
        "start to listening, demo jobs on disk: median {:.0} ms, worst of 11 {:.0} ms (aim 300 ms)",
        starts[5], starts[10]
    );

    let readings = json!({"steps_set": "93", "mark_mm": "120", "feed_mm": "100", "instrument": "steel_rule", "runs": ["27.5", "27.0"]});
    let (median, p99) = evaluate(&url, &json!({"readings": readings}));
    println!("evaluate, {CLIENTS} clients: median {median:.2} ms, 99 % {p99:.2} ms (aim 5 ms)");
    let (median, p99) = evaluate(
        &url,
        &json!({"readings": readings, "job": {"id": 3, "stop": "drive"}}),
    );
    println!("evaluate in a job, {CLIENTS} clients: median {median:.2} ms, 99 % {p99:.2} ms");

    let page = ureq::get(&url)
        .call()
        .unwrap()
        .body_mut()
        .read_to_string()
        .unwrap();
    let scripts: Vec<&str> = page
        .split('"')
        .filter(|s| s.starts_with("/assets/") && s.ends_with(".js"))
        .collect();
    let agent: ureq::Agent = ureq::Agent::config_builder().build().into();
    let bytes: usize = scripts
        .iter()
        .map(|s| {
            let mut answer = agent
                .get(format!("{url}{s}"))
                .header("accept-encoding", "gzip")
                .call()
                .unwrap();
            answer.body_mut().read_to_vec().unwrap().len()
        })
        .sum();
    println!(
        "first page: {} scripts, {:.0} kB compressed (aim 300 kB)",
        scripts.len(),
        bytes as f64 / 1e3
    );
    demo.kill().unwrap();
    demo.wait().unwrap();
}
