//! How long looks take to become numbers: a surface with its next print, a ladder, a tower.
#![allow(clippy::unwrap_used, clippy::print_stdout)]

use std::hint::black_box;
use std::time::Instant;

use wattotherm_looks::{SCORE_U, TowerBand, Tried, broken_line, surface, tower};

fn median(mut run: impl FnMut()) -> f64 {
    let mut times: Vec<f64> = (0..41)
        .map(|_| {
            let begun = Instant::now();
            run();
            begun.elapsed().as_secs_f64() * 1_000.0
        })
        .collect();
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}

fn main() {
    let tried: Vec<Tried> = (0..14_u32)
        .map(|i| Tried {
            distance: 1.0 + 0.3 * f64::from(i % 7),
            speed: 15.0 * f64::from(1 + i % 4),
            score: f64::from((i * 7) % 5),
        })
        .collect();
    let range = [[0.4, 4.0], [10.0, 70.0]];
    let board = median(|| {
        black_box(surface(black_box(&tried), range, SCORE_U));
    });
    let x: Vec<f64> = (0..12_u32).map(|i| 4.0 + 2.0 * f64::from(i)).collect();
    let y: Vec<f64> = x
        .iter()
        .map(|x| 1.0 - 0.05 * (x - 13.0_f64).max(0.0))
        .collect();
    let ladder = median(|| {
        black_box(broken_line(black_box(&x), &y, 0.05, 0.005));
    });
    let bands: Vec<TowerBand> = (0..9_u32)
        .map(|i| TowerBand {
            value: 200.0 + 5.0 * f64::from(i),
            score: f64::from((i * 3) % 5),
        })
        .collect();
    let plateau = median(|| {
        black_box(tower(black_box(&bands), 0.2));
    });
    println!("surface with its next print, 14 prints: {board:.2} ms (aim 10)");
    println!("ladder with its interval, 12 rungs: {ladder:.2} ms");
    println!("tower of nine bands: {plateau:.3} ms");
}
