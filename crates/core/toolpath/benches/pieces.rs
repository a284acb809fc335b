//! A test piece made: aim 50 ms each.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;

use wattotherm_toolpath::{PIECES, PieceFor, make_piece};

fn main() {
    divan::main();
}

#[divan::bench(sample_count = 10, args = PIECES.iter().map(|p| p.name))]
fn piece(b: divan::Bencher<'_, '_>, name: &str) {
    let facts = PieceFor {
        nozzles: 2,
        ..PieceFor::default()
    };
    let kind = PIECES.iter().find(|p| p.name == name).unwrap();
    b.bench(|| make_piece(kind, &facts, &BTreeMap::new()).unwrap());
}
