//! Pieces printed through the protocol, as a host sends them; and photos of what came, measured.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;

use wattotherm_sight::{read_combs, read_lines, read_strings};
use wattotherm_toolpath::{COMB_TEETH, LINES_PITCH_MM, Piece, PieceFor, make_piece, piece_named};
use wattotherm_twin::{Build, Eyes, Kind, Printed, Truth, Twin};

fn piece(name: &str, facts: &PieceFor, set: &[(&str, f64)]) -> Piece {
    let set: BTreeMap<String, f64> = set.iter().map(|(k, v)| ((*k).to_owned(), *v)).collect();
    make_piece(piece_named(name).unwrap(), facts, &set).unwrap()
}

/// Sends a file line by line, each after the answer to the one before, and waits until all has moved.
fn print(twin: &mut Twin, gcode: &str) {
    twin.take_output();
    for line in gcode.lines() {
        let line = line.split(';').next().unwrap().trim();
        if line.is_empty() {
            continue;
        }
        let mut said = twin.ask(line);
        let mut waited = 0;
        while !said.contains("ok") {
            assert!(!said.contains("Error"), "{line}: {said}");
            twin.advance(1.0);
            said.push_str(&String::from_utf8_lossy(&twin.take_output()));
            waited += 1;
            assert!(waited < 3_000, "{line} is never answered: {said}");
        }
    }
    while !twin.is_idle() {
        twin.advance(1.0);
    }
}

#[test]
fn what_is_sent_line_by_line_lies_on_the_plate_as_its_file_says() {
    let facts = PieceFor::default();
    for name in ["tower", "posts", "lines", "ladder"] {
        let made = piece(name, &facts, &[]);
        let mut twin = Twin::new(Build::new(Kind::Standard, 3, []), 3);
        print(&mut twin, &made.gcode);
        let mut eyes = Eyes::new(twin.truth, 1);
        let mut by_file = Eyes::new(twin.truth, 1);
        let file = Printed::of_file(&made.gcode);
        // The same eyes find the same things, but for what the heater's wander changes.
        match name {
            "tower" => assert_eq!(Eyes::band_temps(twin.printed()), Eyes::band_temps(&file)),
            "posts" => assert_eq!(
                eyes.posts(twin.printed()).map(f64::to_bits),
                by_file.posts(&file).map(f64::to_bits)
            ),
            "lines" => assert_eq!(eyes.good_lines(twin.printed()), by_file.good_lines(&file)),
            _ => {
                let (sent, read) = (eyes.heaps(twin.printed(), 1.24), by_file.heaps(&file, 1.24));
                assert_eq!(sent.len(), read.len());
                assert!(sent.len() >= 8);
                for (a, b) in sent.iter().zip(&read) {
                    assert!((a - b).abs() < 0.015, "{sent:?} {read:?}");
                }
            }
        }
    }
}

#[test]
fn a_new_print_begins_on_a_free_plate() {
    let facts = PieceFor::default();
    let lines = piece("lines", &facts, &[]);
    let mut twin = Twin::new(Build::new(Kind::Standard, 3, []), 3);
    print(&mut twin, &lines.gcode);
    print(&mut twin, &piece("tower", &facts, &[("bands", 3.0)]).gcode);
    assert_eq!(Eyes::band_temps(twin.printed()).len(), 3);
    // None of the lines is left.
    assert!(Eyes::new(twin.truth, 1).good_lines(twin.printed()).len() < 3);
}

#[test]
fn an_end_that_homes_leaves_the_print_on_the_plate() {
    let facts = PieceFor {
        end: "M104 S0\nM140 S0\nG28 X".into(),
        ..PieceFor::default()
    };
    let mut twin = Twin::new(Build::new(Kind::Standard, 3, []), 3);
    print(&mut twin, &piece("tower", &facts, &[("bands", 3.0)]).gcode);
    assert_eq!(Eyes::band_temps(twin.printed()).len(), 3);
}

/// Mean of what a box's eight walls are [mm].
fn wall(twin: &Twin) -> f64 {
    let walls = Eyes::new(twin.truth, 4).walls(twin.printed()).unwrap();
    walls.iter().flatten().sum::<f64>() / 8.0
}

#[test]
fn an_override_that_is_still_on_does_not_multiply_a_pieces_flow() {
    let thin = piece("box", &PieceFor::default(), &[("high", 3.0)]);
    let mut twin = Twin::new(Build::new(Kind::Standard, 3, []), 3);
    // Where no box lies, there is no wall to measure.
    assert_eq!(Eyes::new(twin.truth, 4).walls(twin.printed()), None);
    print(&mut twin, &thin.gcode);
    let without = wall(&twin);
    // As the printer lays it: its own flow is off, and a wall of 0.44 mm is known by it.
    let area = (0.44 - 0.2) * 0.2 + std::f64::consts::FRAC_PI_4 * 0.04;
    let expected = area / twin.truth.flow / 0.2 + 0.2 * (1.0 - std::f64::consts::FRAC_PI_4);
    assert!(
        (without - expected).abs() < 0.02,
        "{without} for {expected}"
    );
    twin.ask("M221 S130");
    print(&mut twin, &thin.gcode);
    assert!(
        (wall(&twin) - without).abs() < 0.01,
        "{} for {without}",
        wall(&twin)
    );
}

#[test]
fn patches_follow_the_offset_that_is_set_in_the_board() {
    let patches = piece("patches", &PieceFor::default(), &[("count", 5.0)]);
    let mut twin = Twin::new(Build::new(Kind::Standard, 3, []), 3);
    let mut thick = |offset: &str| {
        twin.ask(offset);
        print(&mut twin, &patches.gcode);
        let all = Eyes::new(twin.truth, 4).patches(twin.printed());
        assert_eq!(all.len(), 5);
        all.iter().map(|p| p[2]).sum::<f64>() / 5.0
    };
    let before = thick("M851 Z-1.62");
    // More negative is closer.
    let after = thick("M851 Z-1.70");
    assert!((before - after - 0.08).abs() < 0.01, "{before} {after}");
}

#[test]
fn a_cube_comes_a_little_small_as_plastic_shrinks_and_axes_have_play() {
    let cube = Printed::of_file(&piece("cube", &PieceFor::default(), &[]).gcode);
    let mut truth = Truth::drawn(5, true);
    truth.flow = 1.0;
    let [x, y, z] = Eyes::new(truth, 2).cube(&cube);
    for (size, play) in [
        (x, truth.backlash_mm[0]),
        (y, truth.backlash_mm[1]),
        (z, 0.0),
    ] {
        let expected = 20.0 * (1.0 - truth.shrinks) - play;
        assert!((size - expected).abs() < 0.05, "{size} for {expected}");
    }
    // More is fed than is asked for: X and Y grow, Z doesn't.
    truth.flow = 0.9;
    let [fat, _, high] = Eyes::new(truth, 2).cube(&cube);
    assert!(fat > x + 0.02 && (high - z).abs() < 0.03);
}

#[test]
fn a_photo_of_the_lines_names_one_that_is_as_good_as_the_best() {
    let facts = PieceFor::default();
    let (mut within, mut all) = (0, 0);
    for seed in 0..10 {
        let truth = Truth::drawn(seed, true);
        let lines = piece(
            "lines",
            &facts,
            &[
                ("from", 0.3),
                ("step", 0.05),
                ("count", 13.0),
                ("seed", 40.0),
            ],
        );
        let printed = Printed::of_file(&lines.gcode);
        let (photo, [low, high]) = Eyes::new(truth, seed).photo_from_above(&printed);
        // Corners round all lines, where they turn fast.
        let first = &lines.parts[0];
        let change = first.x_mm[0] + 20.0;
        let (front, back) = (
            first.y_mm[0] - 2.2,
            lines.parts.last().unwrap().y_mm[1] + 2.2,
        );
        let at = |x: f64, y: f64| {
            [
                (x - low[0]) / (high[0] - low[0]),
                (high[1] - y) / (high[1] - low[1]),
            ]
        };
        let (left, right) = (change - 12.0, change + 18.0);
        let corners = [
            at(left, back),
            at(right, back),
            at(right, front),
            at(left, front),
        ];
        let Ok(seen) = read_lines(&photo, &corners, 13, LINES_PITCH_MM) else {
            continue;
        };
        all += 1;
        let off = |i: usize| (lines.parts[12 - i].value - truth.pressure_s).abs();
        let best = seen
            .even
            .iter()
            .map(|i| off(*i))
            .fold(f64::INFINITY, f64::min);
        within += u32::from(best <= 0.05);
    }
    assert!(all >= 8, "{all} photos could be read");
    assert!(within + 1 >= all, "{within} of {all}");
}

#[test]
fn an_offset_written_to_the_board_brings_the_second_nozzles_lines_to_the_firsts() {
    let facts = PieceFor {
        nozzles: 2,
        ..PieceFor::default()
    };
    let combs = piece("combs", &facts, &[]);
    for seed in 0..4 {
        let mut twin = Twin::new(Build::new(Kind::Standard, seed, []).with_nozzles(2), seed);
        print(&mut twin, &combs.gcode);
        let off = Eyes::new(twin.truth, seed).combs(twin.printed());
        // The second comb is the wider one: a tooth to the right meets where its nozzle lays too far to the left. A
        // tooth is 0.05 mm; the eye is sure to half of one.
        for (teeth, true_mm) in off.into_iter().zip(twin.truth.offset_mm) {
            assert!(
                (teeth * 0.05 + true_mm).abs() < 0.035,
                "{off:?} {:?}",
                twin.truth.offset_mm
            );
        }
        let to = [24.0 - off[0] * 0.05, -off[1] * 0.05];
        twin.ask(&format!("M218 T1 X{:.3} Y{:.3}", to[0], to[1]));
        print(&mut twin, &combs.gcode);
        let left = Eyes::new(twin.truth, seed).combs(twin.printed());
        assert!(
            left.iter().all(|teeth| teeth.abs() < 0.6),
            "{off:?}, then {left:?}"
        );
    }
}

#[test]
fn a_photo_of_the_combs_finds_the_second_nozzle() {
    let facts = PieceFor {
        nozzles: 2,
        ..PieceFor::default()
    };
    let combs = Printed::of_file(&piece("combs", &facts, &[]).gcode);
    for seed in 0..6 {
        let truth = Truth::drawn(seed, true);
        let (photo, [low, high]) = Eyes::new(truth, seed).photo_from_above(&combs);
        // The combs for X lie left, those for Y right of them.
        let part = 27.5 / (high[0] - low[0]);
        let corners = [[0.005, 0.10], [part, 0.10], [part, 0.90], [0.005, 0.90]];
        let Ok(seen) = read_combs(&photo, &corners, COMB_TEETH, 0.05) else {
            panic!(
                "seed {seed}: {:?}",
                read_combs(&photo, &corners, COMB_TEETH, 0.05)
            );
        };
        let off = -seen.tooth * 0.05;
        assert!(
            (off - truth.offset_mm[0]).abs() <= 0.05 * seen.expanded,
            "{off} for {}",
            truth.offset_mm[0]
        );
    }
}

#[test]
fn a_photo_of_the_posts_has_the_strings_that_their_score_says() {
    let facts = PieceFor {
        nozzle_c: 212.0,
        ..PieceFor::default()
    };
    let truth = Truth::drawn(3, true);
    let mut counts = Vec::new();
    for distance in [0.5, 0.8 * truth.retract_mm, truth.retract_mm + 0.3] {
        let set = [
            ("from", distance),
            ("step", 0.0),
            ("bands", 1.0),
            ("speed", 25.0),
        ];
        let printed = Printed::of_file(&piece("posts", &facts, &set).gcode);
        let photo = Eyes::new(truth, 9).photo_of_posts(&printed);
        let corners = [[0.24, 0.06], [0.76, 0.06], [0.76, 0.95], [0.24, 0.95]];
        counts.push(read_strings(&photo, &corners).unwrap().count);
    }
    assert!(counts[0] > counts[1] && counts[1] > counts[2], "{counts:?}");
    assert_eq!(counts[2], 0);
}

#[test]
fn steam_strings_whatever_is_pulled_back() {
    let mut truth = Truth::drawn(3, true);
    truth.moist = 1.0;
    let [strings, _] = truth.after_travel([truth.retract_mm + 0.5, 25.0, 130.0, 0.0], truth.best_c);
    assert!(strings >= 2.5);
}

#[test]
fn cards_of_any_bore_close_at_the_true_flow() {
    let mut truth = Truth::drawn(6, true);
    for bore_mm in [0.25, 0.4, 0.6, 0.8] {
        for flow in [0.93, 1.0] {
            let facts = PieceFor {
                bore_mm,
                flow,
                ..PieceFor::default()
            };
            let cards = piece(
                "cards",
                &facts,
                &[("from", -4.0), ("step", 1.0), ("seed", 7.0)],
            );
            let printed = Printed::of_file(&cards.gcode);
            for off in [-2.0, 0.0, 3.0] {
                truth.flow = flow * (1.0 + off / 100.0);
                let good = Eyes::new(truth, 3).good_cards(&printed);
                let named = good.iter().map(|i| cards.parts[*i as usize].value);
                let best = named.map(|v| (v - off).abs()).fold(f64::INFINITY, f64::min);
                assert!(
                    best <= 1.0,
                    "bore {bore_mm}, {off} % off: the best named is {best} % away"
                );
            }
        }
    }
}
