//! Changes by height in parts that aren't a plain stack of layers: a spiral, parts one after the other, a raft, a
//! line that primes at a height of its own, round moves, inches, nozzles. Every kind is tried on every one: it holds
//! where it belongs, or it is refused with a reason; all else is byte for byte.
#![allow(clippy::unwrap_used, clippy::float_cmp)] // places that are repeated as they are written

use std::fmt::Write as _;

use wattotherm_toolpath::{
    BandKind, Wanted, apply_edits, change_by_height, check_change, read_wanted,
};

/// Retract, hop over, come down, give back.
fn over(out: &mut String, x: f64, y: f64, z: f64) {
    write!(
        out,
        "G1 E-0.8 F2100\nG1 Z{:.3} F720\nG0 X{x} Y{y} F7800\nG1 Z{z:.3} F720\nG1 E0.8 F2100\nG1 F1800\n",
        z + 0.4
    )
    .unwrap();
}

const START: &str = "G90\nM83\nM104 S210\nM106 S128\nM221 S95\nM900 K0.04\nM207 S2 F2400\nG28\n";

fn square(out: &mut String, at: f64) {
    for (x, y) in [
        (at + 20.0, at),
        (at + 20.0, at + 20.0),
        (at, at + 20.0),
        (at, at),
    ] {
        writeln!(out, "G1 X{x} Y{y} E0.66").unwrap();
    }
}

fn parts() -> Vec<(&'static str, String)> {
    let mut spiral = String::from(START);
    spiral += "G1 X30 Y30 Z0.2 F1800\n";
    square(&mut spiral, 30.0);
    let mut z = 0.2;
    for _ in 0..19 {
        for (x, y) in [(50, 30), (50, 50), (30, 50), (30, 30)] {
            z += 0.05;
            writeln!(spiral, "G1 X{x} Y{y} Z{z:.3} E0.66").unwrap();
        }
    }
    let mut turns = String::from(START);
    for at in [20.0, 120.0] {
        for l in 1..=20 {
            over(&mut turns, at - 4.0, at, 0.2 * f64::from(l));
            square(&mut turns, at);
        }
        turns += "G1 Z12 F720\n";
    }
    let mut raft = String::from(START);
    for z in [0.3, 0.55, 0.75]
        .into_iter()
        .chain((1..=17).map(|l| 0.9 + 0.2 * f64::from(l)))
    {
        over(&mut raft, 36.0, 40.0, z);
        square(&mut raft, 40.0);
    }
    let mut prime = String::from(START);
    prime += "G1 X5 Y5 Z0.3 F1800\nG1 Y150 E9\n";
    for l in 1..=20 {
        over(&mut prime, 56.0, 60.0, 0.2 * f64::from(l));
        square(&mut prime, 60.0);
    }
    let mut round = String::from(START);
    for l in 1..=20 {
        over(&mut round, 60.0, 60.0, 0.2 * f64::from(l));
        round += "G2 X80 Y60 I10 J0 E1.04\nG3 X60 Y60 R10 E1.04\nG1 X50 Y60 E0.3\nG1 X47 E-0.2 F3000\nG1 E0.2 F2100\nG1 F1800\n";
    }
    let mut inches = String::from("G20\n");
    // A sixty-fourth of an inch is 0.397 mm; words of length and filament in inches.
    inches += &START.replace("M207 S2 F2400", "M207 S0.08 F94.5");
    for l in 1..=10 {
        let z = f64::from(l) / 64.0;
        writeln!(
            inches,
            "G1 E-0.03 F82\nG1 Z{:.5} F28\nG0 X1.8 Y2 F307\nG1 Z{z:.5} F28\nG1 E0.03 F82\nG1 X3 Y2 E0.05 F70\nG1 X3 Y3 E0.05\nG1 X2 Y2 E0.05",
            z + 0.02
        )
        .unwrap();
    }
    let mut tools = String::from(START);
    for l in 1..=20 {
        writeln!(tools, "T{}", l % 2).unwrap();
        over(&mut tools, 36.0, 40.0, 0.2 * f64::from(l));
        square(&mut tools, 40.0);
    }
    vec![
        ("spiral", spiral),
        ("one after the other", turns),
        ("raft", raft),
        ("a line that primes", prime),
        ("round moves", round),
        ("inches", inches),
        ("two nozzles", tools),
    ]
}

/// What is in force at each bead, by a reader of these parts alone: height, then flow, nozzle, fan, advance and own
/// retraction.
fn in_force(text: &str) -> Vec<(f64, [f64; 5])> {
    let (mut out, mut now) = (Vec::new(), [1.0, 0.0, 0.0, 0.0, 0.0]);
    let (mut z, mut unit, mut at) = (0.0, 1.0, [0.0, 0.0]);
    for line in text.lines() {
        let line = line.split(';').next().unwrap();
        let mut words = line.split_whitespace();
        let Some(code) = words.next() else { continue };
        let get = |l: char| -> Option<f64> {
            line.split_whitespace()
                .skip(1)
                .find(|w| w.starts_with(l))
                .map(|w| w[1..].parse().unwrap())
        };
        match code {
            "G20" => unit = 25.4,
            "M104" => now[1] = get('S').unwrap(),
            "M106" => now[2] = get('S').unwrap() / 255.0,
            "M107" => now[2] = 0.0,
            "M221" => now[0] = get('S').unwrap() / 100.0,
            "M900" => now[3] = get('K').unwrap(),
            "M207" => now[4] = get('S').unwrap() * unit,
            "G0" | "G1" | "G2" | "G3" => {
                z = get('Z').map_or(z, |v| v * unit);
                let to = [get('X').unwrap_or(at[0]), get('Y').unwrap_or(at[1])];
                if get('E').is_some_and(|e| e > 0.0) && (to != at || code != "G1") {
                    out.push((z, now));
                }
                at = to;
            }
            _ => {}
        }
    }
    out
}

fn nth(kind: BandKind) -> Option<usize> {
    Some(match kind {
        BandKind::Flow => 0,
        BandKind::Temperature => 1,
        BandKind::Fan => 2,
        BandKind::PressureAdvance => 3,
        BandKind::OwnRetraction => 4,
        _ => return None,
    })
}

#[test]
fn every_kind_on_every_strange_part_holds_in_its_bands_or_says_why_it_can_not() {
    let kinds = [
        "flow=1.15:1.25:0.05",
        "temperature=195:205:5",
        "fan=0,0.4,1",
        "pressure_advance=0:0.1:0.05",
        "own_retraction=0.5:1.5:0.5",
        "retraction_distance=0.4:1.2:0.4",
        "retraction_speed=20:40:10",
        "travel_speed=80:120:20",
        "hop=0,0.2,1",
        "first_layer_flow=1.05",
    ];
    let mut held = 0;
    for (name, text) in parts() {
        let before = in_force(&text);
        for set in kinds {
            let (kind, values) = read_wanted(set).unwrap();
            let w = Wanted {
                kind,
                values: values.clone(),
                every_mm: 0.8,
                from_mm: 0.6,
                profile_flow: 1.0,
                ceiling_c: 260.0,
            };
            let changed = match change_by_height(text.as_bytes(), &w, 0, |_| true) {
                Ok(changed) => changed,
                Err(e) => {
                    // A spiral takes nothing back, and nothing is hopped over; whether M207 counts in inches can't be told.
                    let says = e.to_string();
                    let known = match name {
                        "spiral" => says.contains("The file has no"),
                        "inches" => set.starts_with("own") && says.contains("counts in inches"),
                        _ => false,
                    };
                    assert!(known, "{name} {set}: {says}");
                    continue;
                }
            };
            let mut out = Vec::new();
            apply_edits(text.as_bytes(), &changed.edits, &mut out, |_| true).unwrap();
            check_change(text.as_bytes(), &out[..], &w, 0).unwrap();
            let out = String::from_utf8(out).unwrap();
            held += 1;
            let Some(i) = nth(kind) else {
                // Line for line the same but for the numbers meant.
                let meant: &[char] = match kind {
                    BandKind::RetractionDistance | BandKind::FirstLayerFlow => &['E'],
                    BandKind::Hop => &['Z'],
                    _ => &['F'],
                };
                let bare = |text: &str| -> Vec<String> {
                    let of = |l: &str| {
                        let words = l.split_whitespace().filter(|w| !w.starts_with(meant));
                        words.collect::<Vec<_>>().join(" ")
                    };
                    // A speed of its own may stand on a line of its own.
                    text.lines()
                        .map(of)
                        .filter(|l| !l.is_empty() && l != "G1")
                        .collect()
                };
                assert_eq!(bare(&text), bare(&out), "{name} {set}");
                assert_ne!(text, out, "{name} {set}");
                continue;
            };
            // What was put in, taken out: the file.
            let ours = |l: &&str| !(l.contains(" mm: ") || l.contains("as in the file"));
            let left: String = out.split_inclusive('\n').filter(ours).collect();
            assert_eq!(left, text, "{name} {set}");
            let after = in_force(&out);
            assert_eq!(before.len(), after.len(), "{name} {set}");
            // A layer belongs to the band of its middle; between two layers either may hold.
            let layer = if name == "inches" { 25.4 / 64.0 } else { 0.25 };
            let mut in_bands = 0;
            for ((z, was), (_, is)) in before.iter().zip(&after) {
                let of = |z: f64| {
                    let n = ((z - 0.6) / 0.8 + 1e-9).floor();
                    // Bands of a part: what is beyond them has what it had.
                    (0..3)
                        .find(|k| (f64::from(*k) - n).abs() < 1e-9)
                        .map_or(was[i], |k| values[usize::try_from(k).unwrap()])
                };
                let may = [0.0, 0.5, 1.0, 1.3].map(|part| of(z - part * layer));
                let prime = name == "a line that primes" && (*z - 0.3).abs() < 1e-9;
                let fits = may.iter().any(|v| (v - is[i]).abs() < 3e-3) || prime;
                assert!(fits, "{name} {set} at {z}: {} is none of {may:?}", is[i]);
                in_bands += usize::from((is[i] - was[i]).abs() > 3e-3);
                for other in (0..5).filter(|o| *o != i) {
                    assert!(
                        (was[other] - is[other]).abs() < 1e-9,
                        "{name} {set} changes {other}"
                    );
                }
            }
            assert!(
                in_bands * 4 > before.len(),
                "{name} {set}: {in_bands} of {}",
                before.len()
            );
        }
    }
    // Of 70, only what a spiral has nothing of is refused.
    assert!(held >= 65, "{held}");
}
