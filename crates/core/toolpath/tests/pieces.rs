//! Test pieces on many printers, read again by a small reader of its own; bodies by a library's reader of STL.
#![allow(
    clippy::unwrap_used,
    clippy::cast_precision_loss,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss
)]

use std::collections::{BTreeMap, HashMap};

use wattotherm_gcode::{Guard, GuardLimits, HeaterLimit};
use wattotherm_toolpath::{
    COMB_TEETH, Nozzles, PIECES, Piece, PieceFor, Prism, clear_path, make_piece, piece_named,
    write_stl,
};

fn set(of: &[(&str, f64)]) -> BTreeMap<String, f64> {
    of.iter().map(|(k, v)| ((*k).to_owned(), *v)).collect()
}

fn make(name: &str, facts: &PieceFor, of: &[(&str, f64)]) -> Piece {
    make_piece(piece_named(name).unwrap(), facts, &set(of))
        .unwrap_or_else(|e| panic!("{name}: {e}"))
}

/// One move of a piece, as this reader sees it: it splits at spaces and knows no more than these files have.
#[derive(Clone, Copy, Debug)]
struct Move {
    from: [f64; 3],
    to: [f64; 3],
    e: f64,
    mm_s: f64,
    hot: bool,
    tool: u8,
    advance: f64,
    /// Last filament taken back [mm].
    pulled: f64,
}

fn moves(text: &str) -> Vec<Move> {
    let (mut at, mut mm_s, mut hot, mut tool, mut advance, mut pulled) =
        ([0.0; 3], 0.0, false, 0, 0.0, 0.0);
    let mut out = Vec::new();
    for line in text.lines() {
        let line = line.split(';').next().unwrap();
        let mut words = line.split_whitespace();
        let Some(code) = words.next() else { continue };
        let words: Vec<(char, f64)> = words
            .map(|w| (w.chars().next().unwrap(), w[1..].parse().unwrap()))
            .collect();
        let get = |l: char| words.iter().find(|(c, _)| *c == l).map(|(_, v)| *v);
        match code {
            "M109" => hot = get('S').unwrap() >= 170.0,
            // A hot nozzle that is set to another heat stays hot enough to feed.
            "M104" => hot &= get('S').unwrap() >= 170.0,
            "M900" => advance = get('K').unwrap(),
            "T0" | "T1" => tool = code[1..].parse().unwrap(),
            "G0" | "G1" => {
                let from = at;
                for (i, l) in ['X', 'Y', 'Z'].into_iter().enumerate() {
                    at[i] = get(l).unwrap_or(at[i]);
                }
                mm_s = get('F').map_or(mm_s, |f| f / 60.0);
                let e = get('E').unwrap_or(0.0);
                if e < 0.0 {
                    pulled = -e;
                }
                out.push(Move {
                    from,
                    to: at,
                    e,
                    mm_s,
                    hot,
                    tool,
                    advance,
                    pulled,
                });
            }
            _ => {}
        }
    }
    out
}

fn flat(m: &Move) -> f64 {
    (m.to[0] - m.from[0]).hypot(m.to[1] - m.from[1])
}

/// A bead's cut by another way than the product's: a rectangle and two half circles.
fn cut(w: f64, h: f64) -> f64 {
    let rectangle = (w - h) * h;
    let circle = std::f64::consts::PI * h * h / 4.0;
    rectangle + circle
}

fn printers() -> Vec<PieceFor> {
    let mut rng = fastrand::Rng::with_seed(14);
    let mut between = move |a: f64, b: f64| a + (b - a) * rng.f64();
    (0..200)
        .map(|i| {
            let bore = [0.2, 0.25, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0, 1.2][i % 9];
            let direct = i % 2 == 0;
            PieceFor {
                bed_mm: [between(120.0, 500.0), between(120.0, 500.0)],
                height_mm: between(120.0, 500.0),
                rim_mm: between(0.0, 15.0),
                bore_mm: bore,
                nozzles: 1 + (i % 3 == 0) as u8,
                width_mm: (i % 4 == 1).then(|| bore * between(1.0, 1.45)),
                layer_mm: (i % 5 == 2).then(|| bore * between(0.3, 0.7)),
                filament_mm: if i % 7 == 0 { 2.85 } else { 1.75 },
                nozzle_c: between(190.0, 230.0),
                speed_mm_s: between(30.0, 200.0),
                travel_mm_s: between(80.0, 300.0),
                flow_limit_mm3_s: between(4.0, 25.0),
                retract_mm: if direct {
                    between(0.3, 1.5)
                } else {
                    between(2.0, 6.0)
                },
                hop_mm: if i % 6 == 0 { 0.4 } else { 0.0 },
                flow: between(0.9, 1.1),
                ..PieceFor::default()
            }
        })
        .collect()
}

/// Heights at which something was laid [mm], from the plate up.
fn levels(all: &[Move]) -> Vec<f64> {
    let mut z: Vec<f64> = all
        .iter()
        .filter(|m| m.e > 0.0 && flat(m) > 1e-9)
        .map(|m| m.to[2])
        .collect();
    z.sort_by(f64::total_cmp);
    z.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
    z
}

/// How high the layer at this height is [mm]: as far as it lies above the one below, or the plate.
fn height_at(levels: &[f64], z: f64) -> f64 {
    let below = levels.iter().rev().find(|l| **l < z - 1e-6);
    z - below.copied().unwrap_or_default()
}

#[test]
fn every_piece_keeps_its_laws_on_two_hundred_printers() {
    let mut made: BTreeMap<&str, u32> = BTreeMap::new();
    for (n, facts) in printers().into_iter().enumerate() {
        for kind in PIECES {
            let small = match kind.name {
                "cards" => set(&[("count", 6.0)]),
                "combs" => set(&[
                    ("pitch", 3.0_f64.min(1.0_f64.max(1.7 * facts.width()))),
                    ("teeth", 6.0),
                ]),
                "lines" => set(&[("count", 15.0)]),
                "long" => set(&[("minutes", 12.0)]),
                _ => BTreeMap::new(),
            };
            let piece = match make_piece(kind, &facts, &small) {
                Ok(piece) => piece,
                Err(e) => {
                    // What doesn't fit says so, and only that is refused.
                    let room = e.says.contains("plate has")
                        || e.says.contains("one")
                        || e.says.contains("side by side")
                        || e.says.contains("printer has");
                    assert!(room, "{} on {n}: {e}", kind.name);
                    continue;
                }
            };
            *made.entry(kind.name).or_default() += 1;
            let name = format!("{} on printer {n}", kind.name);
            let all = moves(&piece.gcode);
            let (w, h) = (facts.width(), facts.layer());
            let filament = std::f64::consts::PI * (facts.filament_mm / 2.0).powi(2);
            let levels = levels(&all);
            let mut highest = 0.0_f64;
            for m in &all {
                let length = flat(m);
                assert!(m.e == 0.0 || m.hot, "{name}: fed cold: {m:?}");
                if length > 1e-9 {
                    // Inside, the line's own width too.
                    let out = (0..2).any(|i| {
                        m.to[i] - w / 2.0 < facts.rim_mm - 1e-3
                            || m.to[i] + w / 2.0 > facts.bed_mm[i] - facts.rim_mm + 1e-3
                    });
                    assert!(!out, "{name}: beyond the plate: {m:?}");
                    assert!(
                        m.to[2] > highest - 1e-6,
                        "{name}: through what is printed: {m:?}"
                    );
                }
                assert!(
                    m.to[2] >= 0.0 && m.to[2] <= facts.height_mm,
                    "{name}: {m:?}"
                );
                if m.e > 0.0 && length > 1e-9 {
                    highest = highest.max(m.to[2]);
                    // The cube's layers make its height even: each is as high as it lies above the one below.
                    let h = if kind.name == "cube" {
                        height_at(&levels, m.to[2])
                    } else {
                        h
                    };
                    let flow = cut(w, h) * m.mm_s * facts.flow;
                    // Cards may be fed more than the profile; the limit holds for them too.
                    let fed = m.e * filament / length * m.mm_s;
                    assert!(
                        fed <= facts.flow_limit_mm3_s * 1.002 + 1e-9,
                        "{name}: {fed} mm³/s at {m:?}"
                    );
                    if kind.name != "cards" && length > 1.0 {
                        let should = cut(w, h) * length * facts.flow / filament;
                        assert!(
                            (m.e / should - 1.0).abs() < 0.01,
                            "{name}: {} for {should}: {m:?}, {flow}",
                            m.e
                        );
                    }
                }
            }
            let guard = Guard {
                limits: GuardLimits::new(
                    HeaterLimit::new(facts.ceiling_c, "the liner"),
                    110.0,
                    [facts.bed_mm[0], facts.bed_mm[1], facts.height_mm],
                ),
            };
            let nozzles = if kind.name == "combs" {
                Nozzles {
                    count: 2,
                    offsets_mm: BTreeMap::from([(1, [Some(24.0), Some(0.4), Some(0.0)])]),
                }
            } else {
                Nozzles::ONE
            };
            let clear = clear_path(piece.gcode.as_bytes(), &guard, &nozzles, 0, |_| true).unwrap();
            assert!(clear.is_clear(), "{name}: {:?}", clear.refused);
            closed(&piece.body, &name);
        }
    }
    for kind in PIECES {
        let least = if kind.name == "combs" { 40 } else { 120 };
        assert!(
            made[kind.name] >= least,
            "{}: {}",
            kind.name,
            made[kind.name]
        );
    }
}

/// Whether each edge is shared by two faces, opposite ways, and the volume is the body's: by the divergence theorem over
/// the triangles as a general library reads them.
fn closed(body: &[Prism], name: &str) {
    let mut whole = 0.0;
    for prism in body {
        let mut bytes = Vec::new();
        write_stl(std::slice::from_ref(prism), &mut bytes).unwrap();
        let mesh = stl_io::read_stl(&mut std::io::Cursor::new(&bytes)).unwrap();
        mesh.validate().unwrap_or_else(|e| panic!("{name}: {e}"));
        let at = |i: usize| {
            let v = mesh.vertices[i];
            [f64::from(v[0]), f64::from(v[1]), f64::from(v[2])]
        };
        let mut edges: HashMap<(usize, usize), i32> = HashMap::new();
        let mut volume = 0.0;
        let mut surface = 0.0;
        for face in &mesh.faces {
            let [a, b, c] = face.vertices;
            for (x, y) in [(a, b), (b, c), (c, a)] {
                *edges.entry((x, y)).or_default() += 1;
            }
            let (p, q, r) = (at(a), at(b), at(c));
            let [u, v] = [q, r].map(|end| [0, 1, 2].map(|i| end[i] - p[i]));
            surface += 0.5
                * (u[1] * v[2] - u[2] * v[1])
                    .hypot(u[2] * v[0] - u[0] * v[2])
                    .hypot(u[0] * v[1] - u[1] * v[0]);
            volume += (p[0] * (q[1] * r[2] - q[2] * r[1]) - p[1] * (q[0] * r[2] - q[2] * r[0])
                + p[2] * (q[0] * r[1] - q[1] * r[0]))
                / 6.0;
        }
        for ((x, y), times) in &edges {
            assert_eq!(*times, 1, "{name}: an edge twice the same way");
            assert_eq!(edges.get(&(*y, *x)), Some(&1), "{name}: open");
        }
        let said = prism.volume_mm3();
        // An STL keeps a place in 24 bits: at 500 mm to 0.00003 mm, which is something for one bead of a letter.
        assert!(
            said > 0.0 && (volume - said).abs() < 1e-4 * said + 3e-5 * surface,
            "{name}: {volume} for {said}"
        );
        whole += volume;
    }
    assert!(body.is_empty() || whole > 0.0);
}

#[test]
fn a_box_has_the_plastic_of_its_walls_and_rises_all_the_way() {
    let facts = PieceFor {
        rim_mm: 0.0,
        ..PieceFor::default()
    };
    let piece = make("box", &facts, &[]);
    let all = moves(&piece.gcode);
    let rising: Vec<&Move> = all
        .iter()
        .filter(|m| m.e > 0.0 && m.to[2] > m.from[2])
        .collect();
    assert_eq!(
        rising.len(),
        4 * 49,
        "50 turns of 0.2 mm, the first lies flat"
    );
    assert!((rising.last().unwrap().to[2] - 10.0).abs() < 1e-6);
    // Four sides of 40 mm, less a line's width each, fifty times, as a bead of 0.44 × 0.20 mm.
    let fed: f64 = all
        .iter()
        .filter(|m| m.e > 0.0 && m.to[2] > 0.2 + 1e-9)
        .map(|m| m.e)
        .sum();
    let by_hand =
        49.0 * 4.0 * (40.0 - 0.44) * (0.24 * 0.2 + std::f64::consts::PI * 0.01) / 2.405_28;
    assert!((fed / by_hand - 1.0).abs() < 1e-3, "{fed} {by_hand}");
    assert!(
        (piece.body[0].volume_mm3() - (1_600.0 - (40.0_f64 - 0.88).powi(2)) * 10.0).abs() < 1e-6
    );
}

#[test]
fn bands_lines_cards_and_heaps_carry_the_values_that_they_say() {
    let facts = PieceFor::default();
    let posts = make(
        "posts",
        &facts,
        &[("from", 0.6), ("step", 0.3), ("bands", 4.0)],
    );
    let read = moves(&posts.gcode);
    assert_eq!(posts.parts.len(), 4);
    for part in &posts.parts {
        let inside: Vec<&Move> = read
            .iter()
            .filter(|m| {
                m.e == 0.0
                    && flat(m) > 20.0
                    && m.to[2] > part.z_mm[0] + 1e-6
                    && m.to[2] < part.z_mm[1] + 1e-6
            })
            .collect();
        assert!(inside.len() >= 60, "many crossings: {}", inside.len());
        assert!(
            inside.iter().all(|m| (m.pulled - part.value).abs() < 1e-9),
            "{}",
            part.label
        );
        assert!((part.z_mm[1] - part.z_mm[0] - 6.0).abs() < 1e-6);
    }
    for (by, of) in [(1.0, 20.0), (2.0, 80.0), (3.0, 0.2)] {
        let by_other = make(
            "posts",
            &facts,
            &[("by", by), ("from", of), ("step", of), ("bands", 3.0)],
        );
        let values: Vec<f64> = by_other.parts.iter().map(|p| p.value).collect();
        assert_eq!(values.len(), 3);
        for part in &by_other.parts {
            let layer = |m: &&Move| m.to[2] > part.z_mm[0] + 0.3 && m.to[2] < part.z_mm[1] + 1e-6;
            let has = match by as u32 {
                1 => read_speed(&by_other.gcode, part.z_mm),
                2 => {
                    moves(&by_other.gcode)
                        .iter()
                        .filter(|m| m.e == 0.0 && flat(m) > 20.0)
                        .find(layer)
                        .unwrap()
                        .mm_s
                }
                // A hop is as high over the bead that it goes to as is said: it may come from the layer below.
                _ => {
                    let all = moves(&by_other.gcode);
                    let lands = |at: usize| all[at..].iter().find(|m| m.e > 0.0 && flat(m) > 1.0);
                    (0..all.len())
                        .filter(|at| all[*at].e == 0.0 && flat(&all[*at]) > 20.0)
                        .filter_map(|at| Some((all[at], lands(at)?)))
                        .find(|(_, bead)| layer(bead))
                        .map(|(travel, bead)| travel.to[2] - bead.to[2])
                        .unwrap()
                }
            };
            assert!(
                (has - part.value).abs() < 0.02,
                "{by}: {has} for {}",
                part.value
            );
        }
    }
    let lines = make("lines", &facts, &[]);
    let read = moves(&lines.gcode);
    for part in &lines.parts {
        let middle = f64::midpoint(part.y_mm[0], part.y_mm[1]);
        let fast = read
            .iter()
            .find(|m| m.e > 0.0 && (m.to[1] - middle).abs() < 1e-3 && (flat(m) - 40.0).abs() < 1e-3)
            .unwrap();
        assert!((fast.advance - part.value).abs() < 1e-9);
        // As fast as asked, or as the limit lets it: 8 over 0.0794 mm².
        assert!(fast.mm_s > 90.0, "{}", fast.mm_s);
    }
    let in_order = make("cards", &facts, &[]);
    let shuffled = make("cards", &facts, &[("seed", 7.0)]);
    let values = |p: &Piece| p.parts.iter().map(|c| c.value).collect::<Vec<_>>();
    assert_eq!(
        values(&in_order),
        [-20.0, -15.0, -10.0, -5.0, 0.0, 5.0, 10.0, 15.0, 20.0]
    );
    assert_ne!(values(&in_order), values(&shuffled));
    let mut sorted = values(&shuffled);
    sorted.sort_by(f64::total_cmp);
    assert_eq!(sorted, values(&in_order));
    for piece in [&in_order, &shuffled] {
        let read = moves(&piece.gcode);
        for card in &piece.parts {
            let bead = read
                .iter()
                .find(|m| {
                    m.e > 0.0
                        && flat(m) > 20.0
                        && m.to[2] > 0.5
                        && m.to[1] > card.y_mm[0]
                        && m.to[1] < card.y_mm[1]
                        && m.from[0].min(m.to[0]) > card.x_mm[0] - 1e-6
                        && m.from[0].max(m.to[0]) < card.x_mm[1]
                })
                .unwrap();
            let usual = cut(0.44, 0.2) * flat(bead) / 2.405_28;
            assert!(
                (100.0 * (bead.e / usual - 1.0) - card.value).abs() < 0.1,
                "{}",
                card.label
            );
        }
    }
    let ladder = make("ladder", &facts, &[]);
    let heaps: Vec<Move> = moves(&ladder.gcode)
        .into_iter()
        .filter(|m| m.e > 20.0)
        .collect();
    assert_eq!(heaps.len(), ladder.parts.len());
    for (heap, part) in heaps.iter().zip(&ladder.parts) {
        assert!(
            (heap.e - 40.0).abs() < 1e-9 && (heap.mm_s * 2.405_28 / part.value - 1.0).abs() < 0.01
        );
    }
}

/// Speed of taking back within a range of heights [mm/s].
fn read_speed(text: &str, z: [f64; 2]) -> f64 {
    let all = moves(text);
    let inside = |m: &&Move| m.to[2] > z[0] + 0.3 && m.to[2] < z[1] + 1e-6;
    all.iter().filter(|m| m.e < 0.0).find(inside).unwrap().mm_s
}

#[test]
fn the_second_nozzles_comb_is_wider_by_what_is_said() {
    let facts = PieceFor {
        nozzles: 2,
        ..PieceFor::default()
    };
    let piece = make("combs", &facts, &[]);
    let teeth = |tool: u8| -> Vec<f64> {
        let mut at: Vec<f64> = moves(&piece.gcode)
            .iter()
            .filter(|m| m.e > 0.0 && m.tool == tool && (m.to[1] - m.from[1]).abs() > 10.0)
            .map(|m| m.to[0])
            .collect();
        at.sort_by(f64::total_cmp);
        at
    };
    let (a, b) = (teeth(0), teeth(1));
    assert_eq!((a.len(), b.len()), (21, 21));
    for k in 0..20 {
        assert!((a[k + 1] - a[k] - 1.0).abs() < 2e-3 && (b[k + 1] - b[k] - 1.05).abs() < 2e-3);
    }
    assert!((a[10] - b[10]).abs() < 1e-6, "the middle ones meet");
    let off: Vec<f64> = piece.parts.iter().map(|p| p.value).collect();
    assert!((off[0] + 0.5).abs() < 1e-9 && off[10].abs() < 1e-9);
    // Heated before it feeds, cold at the end, whatever the shop's own end sets to 0.
    let own_end = PieceFor {
        end: "M104 S0\nM84".into(),
        ..facts.clone()
    };
    for gcode in [piece.gcode, make("combs", &own_end, &[]).gcode] {
        let at = |line: &str| gcode.lines().position(|l| l.starts_with(line));
        assert!(at("M109 T1 S").unwrap() < at("T1").unwrap());
        assert!(at("M104 T1 S0").unwrap() > at("T1").unwrap());
    }
    let one = make_piece(
        piece_named("combs").unwrap(),
        &PieceFor::default(),
        &BTreeMap::new(),
    );
    assert!(one.unwrap_err().says.contains("this printer has one"));
}

#[test]
fn what_cannot_be_meant_is_refused_with_its_name() {
    let facts = PieceFor::default();
    let refused = |name: &str, facts: &PieceFor, of: &[(&str, f64)]| {
        make_piece(piece_named(name).unwrap(), facts, &set(of))
            .unwrap_err()
            .to_string()
    };
    assert!(refused("box", &facts, &[("length", 4.0)]).contains("box takes side, high"));
    assert!(refused("box", &facts, &[("side", 400.0)]).contains("Give 15 to 80"));
    let small = PieceFor {
        bed_mm: [70.0, 70.0],
        ..facts.clone()
    };
    assert!(refused("cards", &small, &[]).contains("the plate has"));
    let hot = PieceFor {
        nozzle_c: 250.0,
        ..facts.clone()
    };
    assert!(refused("cube", &hot, &[]).contains("above the ceiling of 235 °C"));
    assert!(
        refused(
            "posts",
            &facts,
            &[("from", 1.0), ("step", -0.5), ("bands", 4.0)]
        )
        .contains("Band 4 would have -0.5 mm of retraction")
    );
    assert!(refused("lines", &facts, &[("slow", 120.0)]).contains("faster than the slow one"));
}

#[test]
fn a_setting_of_a_few_values_takes_those_alone() {
    for (name, key, takes) in [
        ("tower", "by", vec![0.0, 1.0, 2.0, 3.0]),
        ("posts", "posts", vec![2.0, 3.0, 4.0]),
        ("patches", "count", vec![5.0, 9.0]),
    ] {
        let kind = piece_named(name).unwrap();
        let tries = |v: f64| make_piece(kind, &PieceFor::default(), &set(&[(key, v)]));
        for v in &takes {
            assert!(tries(*v).is_ok(), "{name} {key} {v}");
        }
        for v in [takes[0] + 0.5, takes[takes.len() - 1] + 1.0, -1.0, f64::NAN] {
            let e = tries(v).unwrap_err();
            assert_eq!(e.field, key);
            assert!(e.says.contains(&plain(takes[0])), "{}", e.says);
        }
    }
    fn plain(v: f64) -> String {
        format!("Give {v}")
    }
}

#[test]
fn the_shops_own_blocks_stand_at_begin_and_end_with_the_temperatures() {
    let facts = PieceFor {
        start: "G28\nM190 S{bed}\nM109 S{nozzle} ; {nozzle}".into(),
        end: "M104 S0\nM140 S0\nG91\nG1 Z10".into(),
        ..PieceFor::default()
    };
    let text = make("cube", &facts, &[]).gcode;
    assert!(text.contains("M190 S60\nM109 S210 ; 210\n") && !text.contains('{'));
    assert!(text.ends_with("G91\nG1 Z10\n") && !text.contains("M84"));
}

#[test]
fn a_tower_has_each_bands_heat_before_it_and_never_above_the_ceiling() {
    let facts = PieceFor {
        nozzle_c: 228.0,
        ceiling_c: 235.0,
        ..PieceFor::default()
    };
    let piece = make("tower", &facts, &[]);
    let values: Vec<f64> = piece.parts.iter().map(|p| p.value).collect();
    assert_eq!(values, [235.0, 230.0, 225.0, 220.0, 215.0]);
    // What is set where the nozzle stands in the middle of each band.
    for part in &piece.parts {
        let middle = f64::midpoint(part.z_mm[0], part.z_mm[1]);
        let (mut set, mut z) = (0.0, 0.0);
        for line in piece.gcode.lines() {
            if let Some(s) = line.strip_prefix("M104 S").or(line.strip_prefix("M109 S")) {
                set = s.parse().unwrap();
            }
            if let Some(rest) = line.strip_prefix("G1 Z") {
                z = rest.split(' ').next().unwrap().parse().unwrap();
            }
            if z >= middle {
                break;
            }
        }
        assert!((set - part.value).abs() < 0.5, "{set} at {part:?}");
    }
    let hot = make_piece(
        piece_named("tower").unwrap(),
        &facts,
        &set(&[("from", 245.0)]),
    );
    assert!(hot.unwrap_err().says.contains("170 to 235"));
}

#[test]
fn what_is_measured_on_a_piece_is_what_was_asked_for() {
    let facts = PieceFor {
        rim_mm: 0.0,
        ..PieceFor::default()
    };
    // A wall's bead has the area of a stadium: (w − h)·h + π·h²/4.
    for wall in [0.4, 0.45, 0.6] {
        let piece = make("box", &facts, &[("wall", wall)]);
        let all = moves(&piece.gcode);
        let high = all.iter().rev().find(|m| m.e > 0.0).unwrap();
        let long = (high.to[0] - high.from[0]).hypot(high.to[1] - high.from[1]);
        let area = high.e * std::f64::consts::FRAC_PI_4 * 1.75 * 1.75 / long;
        let h = 0.2;
        let stadium = (wall - h) * h + std::f64::consts::FRAC_PI_4 * h * h;
        assert!(
            (area / stadium - 1.0).abs() < 1e-3,
            "{wall}: {area} for {stadium}"
        );
    }
    for thick in [0.16, 0.25] {
        let piece = make("patches", &facts, &[("thick", thick)]);
        let all = moves(&piece.gcode);
        assert!(
            all.iter()
                .filter(|m| m.e > 0.0)
                .all(|m| (m.to[2] - thick).abs() < 1e-6)
        );
    }
    // What the bore can't lay is refused under the name of its setting.
    let e = make_piece(piece_named("box").unwrap(), &facts, &set(&[("wall", 1.4)])).unwrap_err();
    assert_eq!(e.field, "wall");
}

#[test]
fn a_long_run_lasts_at_least_as_long_as_is_asked() {
    for minutes in [12.0, 45.0] {
        let piece = make("long", &PieceFor::default(), &[("minutes", minutes)]);
        // Way over speed, without any slowing down: metal takes longer.
        let seconds: f64 = moves(&piece.gcode).iter().map(|m| flat(m) / m.mm_s).sum();
        assert!(
            seconds >= minutes * 60.0 && seconds < minutes * 75.0,
            "{seconds} s for {minutes} min"
        );
    }
    let short = PieceFor {
        height_mm: 60.0,
        ..PieceFor::default()
    };
    let long = make_piece(
        piece_named("long").unwrap(),
        &short,
        &set(&[("minutes", 900.0)]),
    );
    assert!(long.unwrap_err().says.contains("has height for"));
}

#[test]
fn corners_nest_each_with_its_own_advance() {
    let piece = make(
        "corners",
        &PieceFor::default(),
        &[("from", 0.3), ("step", 0.05)],
    );
    assert_eq!(piece.parts.len(), 9);
    for part in &piece.parts {
        let [x, y] = [part.x_mm[0], part.y_mm[0]];
        let at_corner: Vec<f64> = moves(&piece.gcode)
            .iter()
            .filter(|m| m.e > 0.0 && (m.to[0] - x).abs() < 2e-3 && (m.to[1] - y).abs() < 2e-3)
            .map(|m| m.advance)
            .collect();
        assert_eq!(at_corner.len(), 4, "a corner a layer at {part:?}");
        assert!(at_corner.iter().all(|a| (a - part.value).abs() < 1e-6));
    }
}

#[test]
fn a_cube_is_as_high_as_it_is_wide_whatever_the_layer() {
    for bore_mm in [0.25, 0.4, 0.6, 0.8, 1.0] {
        let facts = PieceFor {
            bore_mm,
            flow_limit_mm3_s: 20.0,
            ..PieceFor::default()
        };
        let cube = make("cube", &facts, &[]);
        // The highest long bead is its top; the letters stand on it.
        let top = moves(&cube.gcode)
            .iter()
            .filter(|m| m.e > 0.0 && flat(m) > 15.0)
            .map(|m| m.to[2])
            .fold(0.0, f64::max);
        assert!((top - 20.0).abs() < 0.002, "bore {bore_mm}: {top}");
    }
}

#[test]
fn combs_have_as_many_teeth_as_is_said_of_them() {
    let facts = PieceFor {
        nozzles: 2,
        ..PieceFor::default()
    };
    let combs = make("combs", &facts, &[]);
    // The second nozzle's, in both directions.
    assert_eq!(combs.parts.len(), 2 * COMB_TEETH);
}
