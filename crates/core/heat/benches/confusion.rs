//! The whole matrix of classes against scenarios, for the method notes: prints figures, asserts nothing.
#![allow(clippy::print_stdout, clippy::cast_precision_loss)]

#[path = "../tests/scenarios/mod.rs"]
mod scenarios;

use std::collections::BTreeMap;

use scenarios::{BLOCKS, Dice, Kind, Pencil, run, write};
use wattotherm_heat::{PhysicalLimits, TraceClass, read_class};

const SEEDS: u64 = 50;
const EVERY_S: [f64; 5] = [0.25, 1.0, 2.0, 5.0, 10.0];
const NOISE_C: [f64; 3] = [0.02, 0.15, 0.5];

fn main() {
    // Asked by the test runner only whether it is there.
    if std::env::args().any(|a| a == "--test") {
        return;
    }
    let mut rows: BTreeMap<String, BTreeMap<String, usize>> = BTreeMap::new();
    let mut every: BTreeMap<String, [usize; 4]> = BTreeMap::new();
    for kind in Kind::ALL {
        for (b, block) in BLOCKS.into_iter().enumerate() {
            for seed in 0..SEEDS {
                let mut dice = Dice::new(seed * 7919 + kind as u64 * 31 + b as u64 * 101);
                let truth = run(kind, block, &mut dice);
                for every_s in EVERY_S {
                    for noise_c in NOISE_C {
                        let log = write(kind, &truth, Pencil { every_s, noise_c }, &mut dice);
                        let class = read_class(&log, &PhysicalLimits::default()).class;
                        let name = format!("{kind:?}, {} block", block.name);
                        *rows
                            .entry(name)
                            .or_default()
                            .entry(format!("{class:?}"))
                            .or_default() += 1;
                        let at = every
                            .entry(format!("{every_s:>5} s, {noise_c} °C"))
                            .or_default();
                        at[0] += 1;
                        at[1] += usize::from(class.is_the_loop() && !kind.is_the_loop());
                        at[2] += usize::from(
                            matches!(
                                class,
                                TraceClass::SensorIntermittent | TraceClass::OpenOrShort
                            ) && !kind.is_the_sensor(),
                        );
                        at[3] += usize::from(kind.fault() == Some(class));
                    }
                }
            }
        }
    }
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
