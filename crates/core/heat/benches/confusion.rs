//! The whole matrix of classes against scenarios, for the method notes: prints figures, asserts nothing.
#![allow(clippy::print_stdout, clippy::cast_precision_loss)]

#[path = "../tests/scenarios/mod.rs"]
mod scenarios;

use std::collections::BTreeMap;

use scenarios::each_log;
use wattotherm_heat::{PhysicalLimits, TraceClass, read_class};

const SEEDS: u64 = 50;

fn main() {
    // Asked by the test runner only whether it is there.
    if std::env::args().any(|a| a == "--test") {
        return;
    }
    let mut rows: BTreeMap<String, BTreeMap<String, usize>> = BTreeMap::new();
    let mut every: BTreeMap<String, [usize; 4]> = BTreeMap::new();
    each_log(SEEDS, |of, log| {
        let class = read_class(log, &PhysicalLimits::default()).class;
        *rows
            .entry(format!("{:?}, {} block", of.kind, of.block))
            .or_default()
            .entry(format!("{class:?}"))
            .or_default() += 1;
        let at = every
            .entry(format!("{:>5} s, {} °C", of.every_s, of.noise_c))
            .or_default();
        at[0] += 1;
        at[1] += usize::from(class.is_the_loop() && !of.kind.is_the_loop());
        let sensor = matches!(
            class,
            TraceClass::SensorIntermittent | TraceClass::OpenOrShort
        );
        at[2] += usize::from(sensor && !of.kind.is_the_sensor());
        at[3] += usize::from(of.kind.fault() == Some(class));
    });
    for (kind, classes) in &rows {
        let all: usize = classes.values().sum();
        let mut shares: Vec<(&String, f64)> = classes
            .iter()
            .map(|(c, n)| (c, 100.0 * *n as f64 / all as f64))
            .collect();
        shares.sort_by(|a, b| b.1.total_cmp(&a.1));
        let words: Vec<String> = shares.iter().map(|(c, p)| format!("{c} {p:.1}")).collect();
        println!("| {kind} | {all} | {} |", words.join(", "));
    }
    for (at, [all, tuned, accused, found]) in &every {
        println!(
            "| {at} | {all} | {:.2} % | {:.2} % | {found} |",
            100.0 * *tuned as f64 / *all as f64,
            100.0 * *accused as f64 / *all as f64
        );
    }
}
