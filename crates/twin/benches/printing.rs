//! A piece of half an hour printed by the twin through its protocol: aim 200 ms.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;

use wattotherm_toolpath::{PieceFor, make_piece, piece_named};
use wattotherm_twin::{Build, Kind, Twin};

fn main() {
    divan::main();
}

#[divan::bench(sample_count = 10)]
fn a_long_run_of_thirty_minutes(b: divan::Bencher<'_, '_>) {
    let set = BTreeMap::from([("minutes".to_owned(), 30.0)]);
    let piece = make_piece(piece_named("long").unwrap(), &PieceFor::default(), &set).unwrap();
    let lines: Vec<&str> = piece
        .gcode
        .lines()
        .map(|l| l.split(';').next().unwrap_or("").trim())
        .filter(|l| !l.is_empty())
        .collect();
    b.bench_local(|| {
        let mut twin = Twin::new(Build::new(Kind::Standard, 3, []), 3);
        for line in &lines {
            let mut said = twin.ask(line);
            while !said.contains("ok") {
                twin.advance(0.5);
                said = String::from_utf8_lossy(&twin.take_output()).into_owned();
            }
        }
        assert!(twin.uptime_s() > 1_500.0, "{}", twin.uptime_s());
        twin.printed().clone()
    });
}
