//! A technician who does what the words say, at beds that another program invents.
#![allow(clippy::unwrap_used, clippy::cast_precision_loss, clippy::print_stdout)]

use serde_json::{Value, json};
use wattotherm_job::Context;
use wattotherm_job::finding::Finding;
use wattotherm_job::stations::{self, AnyStation as _};
use wattotherm_measure::Verdict;

struct Bed {
    /// Screws: place [mm], height of the bed there [mm].
    screws: Vec<(f64, f64, f64)>,
    /// What no screw cures, at each screw.
    warp: Vec<f64>,
    pitch: f64,
    thread: &'static str,
    lowers: bool,
}

fn between(r: &mut fastrand::Rng, a: f64, b: f64) -> f64 {
    a + (b - a) * r.f64()
}

fn invented(r: &mut fastrand::Rng) -> Bed {
    let count = [3, 4, 4, 6][r.usize(0..4)];
    let (w, d) = (between(r, 120.0, 500.0), between(r, 120.0, 500.0));
    let places: Vec<(f64, f64)> = match count {
        3 => vec![(20.0, 20.0), (w, 25.0), (w / 2.0, d)],
        4 => vec![(20.0, 20.0), (w, 20.0), (20.0, d), (w, d)],
        _ => vec![
            (20.0, 20.0),
            (w, 20.0),
            (20.0, d),
            (w, d),
            (20.0, d / 2.0),
            (w, d / 2.0),
        ],
    };
    let (pitch, thread) = [(0.5, "M3"), (0.7, "M4"), (0.8, "M5")][r.usize(0..3)];
    let size = between(r, 0.05, 0.9);
    Bed {
        warp: places.iter().map(|_| between(r, -0.02, 0.02)).collect(),
        screws: places
            .into_iter()
            .map(|(x, y)| (x, y, between(r, -size, size)))
            .collect(),
        pitch,
        thread,
        lowers: r.bool(),
    }
}

impl Bed {
    /// A plate on more screws than three is a stiff plane through them: what is read at each.
    fn read(&self, r: &mut fastrand::Rng) -> Vec<f64> {
        let plane = plane(&self.screws);
        self.screws
            .iter()
            .zip(&self.warp)
            .map(|((x, y, _), warp)| {
                let up = plane[0] + plane[1] * x + plane[2] * y + warp;
                // A dial within ±0.01 mm, oftener near the truth than far from it.
                let off = between(r, -0.005, 0.005) + between(r, -0.005, 0.005);
                ((up + off) * 1_000.0).round() / 1_000.0
            })
            .collect()
    }
}

/// Least squares by Cramer's rule on centred sums.
fn plane(points: &[(f64, f64, f64)]) -> [f64; 3] {
    let n = points.len() as f64;
    let mean = |f: &dyn Fn(&(f64, f64, f64)) -> f64| points.iter().map(f).sum::<f64>() / n;
    let (mx, my, mz) = (mean(&|p| p.0), mean(&|p| p.1), mean(&|p| p.2));
    let sum = |f: &dyn Fn(f64, f64, f64) -> f64| {
        points
            .iter()
            .map(|p| f(p.0 - mx, p.1 - my, p.2 - mz))
            .sum::<f64>()
    };
    let (xx, yy, xy) = (
        sum(&|x, _, _| x * x),
        sum(&|_, y, _| y * y),
        sum(&|x, y, _| x * y),
    );
    let (xz, yz) = (sum(&|x, _, z| x * z), sum(&|_, y, z| y * z));
    let det = xx * yy - xy * xy;
    let (b, c) = ((xz * yy - yz * xy) / det, (yz * xx - xz * xy) / det);
    [mz - b * mx - c * my, b, c]
}

/// Turns clockwise that a technician makes who reads these words.
fn turned(words: &str) -> f64 {
    if words == "leave it" {
        return 0.0;
    }
    let sign = if words.ends_with("anticlockwise") {
        -1.0
    } else {
        assert!(words.ends_with("clockwise"), "{words}");
        1.0
    };
    let mut turns = 0.0;
    let mut plain = words
        .replace("anticlockwise", "")
        .replace("clockwise", "")
        .replace(" of a turn", "")
        .replace("three quarters", "¾")
        .replace("a quarter turn", "¼")
        .replace("half a turn", "½")
        .replace("an eighth", "⅛")
        .replace(" turns", " ")
        .replace("one turn", "1")
        .replace(" and ", " ");
    for (sign, part) in "⅛¼⅜½⅝¾⅞".chars().zip(1_u8..) {
        if plain.contains(sign) {
            turns += f64::from(part) / 8.0;
            plain = plain.replace(sign, " ");
        }
    }
    for word in plain.split_whitespace() {
        turns += if let Some(degrees) = word.strip_suffix('°') {
            degrees.parse::<f64>().unwrap() / 360.0
        } else if let Some(n) = word.strip_suffix("/16") {
            n.parse::<f64>().unwrap() / 16.0
        } else {
            word.parse::<f64>()
                .unwrap_or_else(|_| panic!("“{word}” in “{words}”"))
        };
    }
    sign * turns
}

fn found(bed: &Bed, heights: &[f64]) -> Finding {
    let points: Vec<Value> = bed
        .screws
        .iter()
        .zip(heights)
        .enumerate()
        .map(|(i, ((x, y, _), z))| json!({"name": format!("screw {i}"), "x_mm": x, "y_mm": y, "z_mm": z, "screw": true}))
        .collect();
    let readings = json!({
        "version": 1, "sense": "bed_height", "clockwise": if bed.lowers { "lowers" } else { "raises" },
        "thread": bed.thread, "instrument": "height_gauge", "points": points
    });
    let confirmed: Vec<String> = (0..points.len())
        .map(|i| format!("points.{i}.z_mm"))
        .collect();
    let mut readings = readings;
    readings["confirmed"] = json!(confirmed);
    stations::Tram
        .evaluate(&readings, &Context::default())
        .unwrap()
}

#[test]
fn a_bed_whose_screws_are_turned_as_the_words_say_is_level_within_two_rounds() {
    let mut r = fastrand::Rng::with_seed(11);
    let mut rounds = [0_u32; 3];
    for n in 0..1_000 {
        let mut bed = invented(&mut r);
        let mut passed = false;
        for (round, count) in rounds.iter_mut().enumerate() {
            let heights = bed.read(&mut r);
            let f = found(&bed, &heights);
            match f.facts.verdict {
                Verdict::Pass => {
                    *count += 1;
                    passed = true;
                    break;
                }
                Verdict::Adjust => {}
                other => panic!("bed {n}, round {round}: {other:?}: {}", f.words.headline),
            }
            for (screw, row) in bed.screws.iter_mut().zip(&f.words.rows) {
                let turns = turned(row.after.as_deref().unwrap());
                screw.2 += if bed.lowers { -1.0 } else { 1.0 } * turns * bed.pitch;
            }
        }
        assert!(passed, "bed {n} isn’t level after two rounds");
    }
    println!(
        "level at once {}, after one round {}, after two {}",
        rounds[0], rounds[1], rounds[2]
    );
    assert!(rounds[1] > 800, "{rounds:?}");
}
