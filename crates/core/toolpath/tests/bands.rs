//! Changes by height: what is written is read back by a small reader of its own, and all else is byte for byte.
#![allow(
    clippy::unwrap_used,
    clippy::cast_possible_truncation,
    clippy::cast_precision_loss,
    clippy::cast_sign_loss
)]

use crate::common::box_part;
use wattotherm_toolpath::{
    BandKind, BandTable, BandsError, Wanted, apply_edits, band_values, change_by_height,
    check_change, read_wanted,
};

fn wanted(set: &str, every_mm: f64) -> Wanted {
    let (kind, values) = read_wanted(set).unwrap();
    Wanted {
        kind,
        values,
        every_mm,
        from_mm: 0.0,
        profile_flow: 1.0,
        ceiling_c: 260.0,
    }
}

fn change(text: &str, wanted: &Wanted) -> Result<(String, BandTable), BandsError> {
    let changed = change_by_height(text.as_bytes(), wanted, 0, |_| true)?;
    let mut out = Vec::new();
    apply_edits(text.as_bytes(), &changed.edits, &mut out, |_| true).unwrap();
    check_change(text.as_bytes(), &out[..], wanted, 0).unwrap();
    Ok((String::from_utf8(out).unwrap(), changed.table))
}

/// One bead as a small reader sees it: its height and what was in force. Written apart from the product's: it
/// knows only the words of these fixtures, splits at spaces, and keeps everything as it goes.
#[derive(Clone, Debug, Default)]
struct Bead {
    z: f64,
    from: [f64; 2],
    to: [f64; 2],
    fed: f64,
    feed: f64,
    flow: f64,
    nozzle: f64,
    fan: f64,
    advance: f64,
    own: f64,
    /// Of the last retraction before it: length, speed, lift; and the speed of the last travel.
    taken: f64,
    taken_speed: f64,
    lift: f64,
    travel_speed: f64,
}

fn beads(text: &str) -> Vec<Bead> {
    let mut out = Vec::new();
    let mut now = Bead {
        flow: 1.0,
        ..Bead::default()
    };
    let (mut x, mut y, mut z, mut e, mut relative) = (0.0, 0.0, 0.0, 0.0, false);
    let (mut highest, mut away) = (0.0_f64, 0.0);
    for line in text.lines() {
        let line = line.split(';').next().unwrap().trim();
        let mut words = line.split_whitespace();
        let Some(code) = words.next() else { continue };
        let get = |l: char| {
            line.split_whitespace()
                .skip(1)
                .find_map(|w| w.strip_prefix(l))
                .map(|v| v.parse::<f64>().unwrap())
        };
        match code {
            "M82" => relative = false,
            "M83" => relative = true,
            "G92" => e = get('E').unwrap_or(e),
            "M104" | "M109" => now.nozzle = get('S').unwrap(),
            "M106" => now.fan = get('S').unwrap() / 255.0,
            "M107" => now.fan = 0.0,
            "M221" => now.flow = get('S').unwrap() / 100.0,
            "M900" => now.advance = get('K').unwrap(),
            "M207" => now.own = get('S').unwrap(),
            "G0" | "G1" => {
                now.feed = get('F').unwrap_or(now.feed);
                let fed = match get('E') {
                    None => 0.0,
                    Some(v) if relative => v,
                    Some(v) => v - e,
                };
                if !relative {
                    e = get('E').unwrap_or(e);
                }
                let to = [get('X').unwrap_or(x), get('Y').unwrap_or(y)];
                z = get('Z').unwrap_or(z);
                let moves = (to[0] - x).hypot(to[1] - y) > 0.0;
                highest = highest.max(z);
                if fed < 0.0 {
                    if away == 0.0 {
                        highest = z;
                    }
                    away -= fed;
                    now.taken = away;
                    now.taken_speed = now.feed / 60.0;
                } else if fed == 0.0 && moves {
                    now.travel_speed = now.feed / 60.0;
                } else if fed > 0.0 && moves {
                    now.lift = highest - z;
                    out.push(Bead {
                        z,
                        from: [x, y],
                        to,
                        fed,
                        ..now.clone()
                    });
                    highest = z;
                } else if fed > 0.0 {
                    away -= fed;
                    if away.abs() < 1e-4 {
                        away = 0.0;
                    }
                }
                [x, y] = to;
            }
            _ => {}
        }
    }
    out
}

/// What a bead has of a kind.
fn of(kind: BandKind, b: &Bead) -> f64 {
    match kind {
        BandKind::Flow => b.flow,
        BandKind::Temperature => b.nozzle,
        BandKind::Fan => b.fan,
        BandKind::PressureAdvance => b.advance,
        BandKind::OwnRetraction => b.own,
        BandKind::RetractionDistance => b.taken,
        BandKind::RetractionSpeed => b.taken_speed,
        BandKind::TravelSpeed => b.travel_speed,
        BandKind::Hop => b.lift,
        BandKind::FirstLayerFlow => 1.0,
    }
}

/// Each kind with three values that it hasn't now, and what the fixture has of it.
const EACH: [(&str, f64); 9] = [
    ("flow=1.15:1.25:0.05", 0.95),
    ("temperature=195:205:5", 210.0),
    ("fan=0,0.4,1", 128.0 / 255.0),
    ("pressure_advance=0:0.1:0.05", 0.04),
    ("own_retraction=0.5:1.5:0.5", 2.0),
    ("retraction_distance=0.4:1.2:0.4", 0.8),
    ("retraction_speed=20:40:10", 35.0),
    ("travel_speed=80:120:20", 130.0),
    ("hop=0,0.2,1", 0.4),
];

fn fixtures() -> Vec<(&'static str, String)> {
    let with_own = |text: String| text.replacen("G28", "M207 S2 F2400\nG28", 1);
    let plain = with_own(box_part(20, false));
    vec![
        ("absolute", plain.clone()),
        ("relative", with_own(box_part(20, true))),
        ("other line ends", plain.replace('\n', "\r\n")),
        (
            "sets its own in the middle",
            plain.replacen(
                "; layer 7\n",
                "; layer 7\nM221 S90\nM104 S215\nM106 S200\nM900 K0.06\nM207 S3\n",
                1,
            ),
        ),
        ("no last line end", plain.trim_end().to_owned()),
    ]
}

#[test]
fn every_kind_holds_in_its_bands_and_nowhere_else() {
    for (name, text) in fixtures() {
        let before = beads(&text);
        for (set, has) in EACH {
            // The middle of layers 4 to 15 lies between 0.6 and 3.0 mm.
            let w = Wanted {
                from_mm: 0.6,
                every_mm: 0.8,
                ..wanted(set, 0.8)
            };
            let (out, table) = change(&text, &w).unwrap();
            let after = beads(&out);
            assert_eq!(before.len(), after.len(), "{name} {set}");
            assert_eq!(table.bands.len(), 3);
            // Moves carry the first of a layer's retractions over from the layer below: the band of the place they are made in.
            let carried = !w.kind.is_command();
            for (i, (was, is)) in before.iter().zip(&after).enumerate() {
                assert_eq!(
                    (was.from, was.to, was.z),
                    (is.from, is.to, is.z),
                    "{name} {set} bead {i}"
                );
                assert!(
                    (was.fed - is.fed).abs() < 2e-5,
                    "{name} {set} bead {i}: {} {}",
                    was.fed,
                    is.fed
                );
                assert!((was.feed - is.feed).abs() < 1e-9, "{name} {set} bead {i}");
                let made_at = if carried {
                    before[i.saturating_sub(i % 4 + 1)].z
                } else {
                    was.z
                };
                if w.kind == BandKind::Hop && i % 4 > 0 {
                    // Only the first bead comes from a travel.
                    assert!((of(w.kind, is)).abs() < 1e-9);
                    continue;
                }
                let nth = ((made_at - 0.1 - 0.6) / 0.8 + 1e-9).floor();
                let value = if (0.0..3.0).contains(&nth) {
                    w.values[nth as usize]
                } else {
                    of(w.kind, was)
                };
                let got = of(w.kind, is);
                let rounding = if w.kind == BandKind::Fan {
                    2.5e-3
                } else {
                    2e-4
                };
                assert!(
                    (got - value).abs() < rounding,
                    "{name} {set} bead {i} at {}: {got} is not {value}",
                    was.z
                );
                for (other, _) in EACH {
                    let kind = read_wanted(other).unwrap().0;
                    if kind != w.kind
                        && !(w.kind == BandKind::RetractionDistance
                            && kind == BandKind::RetractionSpeed)
                    {
                        assert!(
                            (of(kind, was) - of(kind, is)).abs() < 1e-4,
                            "{name} {set} changes {other} at bead {i}"
                        );
                    }
                }
            }
            assert!(
                before.iter().any(|b| (of(w.kind, b) - has).abs() < 3e-3),
                "{name} {set}"
            );
        }
    }
}

#[test]
fn what_is_not_changed_is_there_byte_for_byte() {
    for (name, text) in fixtures() {
        for (set, _) in EACH {
            let w = wanted(set, 1.2);
            let (out, _) = change(&text, &w).unwrap();
            let put: Vec<&str> = out.split_inclusive('\n').collect();
            let had: Vec<&str> = text.split_inclusive('\n').collect();
            if w.kind.is_command() {
                // Take out what was put in, and it is the file. Where the last line had no end it has one now.
                let ours = |l: &&str| !(l.contains(" mm: ") || l.contains("as in the file"));
                let left: String = put.into_iter().filter(|l| ours(l)).collect();
                assert_eq!(left.trim_end(), text.trim_end(), "{name} {set}");
            } else {
                // Line for line the same but for the numbers meant.
                let meant: &[char] = match w.kind {
                    BandKind::RetractionDistance => &['E'],
                    BandKind::Hop => &['Z'],
                    _ => &['F'],
                };
                let bare = |line: &str| -> String {
                    let ending: String = line.chars().skip_while(|c| !c.is_control()).collect();
                    let words = line.split_whitespace().filter(|w| !w.starts_with(meant));
                    words.collect::<Vec<_>>().join(" ") + &ending
                };
                assert_eq!(put.len(), had.len(), "{name} {set}");
                let mut others = 0;
                for (a, b) in had.iter().zip(&put) {
                    assert_eq!(bare(a), bare(b), "{name} {set}");
                    others += usize::from(a != b);
                }
                assert!(
                    others > 0 && others < had.len() / 2,
                    "{name} {set}: {others} of {}",
                    had.len()
                );
            }
        }
    }
}

#[test]
fn the_first_layer_alone_is_fed_more() {
    for relative in [false, true] {
        let text = box_part(6, relative);
        let (out, table) = change(
            &text,
            &Wanted {
                profile_flow: 1.02,
                ..wanted("first_layer_flow=1.05", 10.0)
            },
        )
        .unwrap();
        assert!((table.bands[0].effective - 1.071).abs() < 1e-9);
        for (was, is) in beads(&text).iter().zip(beads(&out)) {
            let factor = if was.z < 0.3 { 1.05 } else { 1.0 };
            assert!(
                (is.fed - was.fed * factor).abs() < 2e-5,
                "at {}: {} {}",
                was.z,
                was.fed,
                is.fed
            );
        }
    }
}

#[test]
fn a_hop_is_put_where_there_is_none_and_taken_where_there_is_one() {
    for relative in [false, true] {
        let text = box_part(8, relative);
        let (flat, _) = change(&text, &wanted("hop=0", 1.6)).unwrap();
        assert!(beads(&flat).iter().skip(1).all(|b| b.lift.abs() < 1e-9));
    }
    // A file whose travel stays at its height.
    let mut text = String::from("M83\nG1 Z0.2 F600\nG1 X10 E1 F1800\n");
    for i in 1..6 {
        text += &format!(
            "G1 E-1 F2400\nG0 X{} F9000\nG1 E1 F2400\nG1 X{} E1 F1800\n",
            20 * i,
            20 * i + 10
        );
    }
    let (out, table) = change(&text, &wanted("hop=0.5", 1.0)).unwrap();
    assert_eq!((table.base, table.edits), (Some(0.0), 10));
    let after = beads(&out);
    assert!(
        after[1..]
            .iter()
            .all(|b| (b.lift - 0.5).abs() < 1e-9 && (b.z - 0.2).abs() < 1e-9)
    );
    assert!(out.contains("G1 Z0.7\nG0 X20"));
}

#[test]
fn what_was_taken_back_in_pieces_and_while_wiping_is_changed_in_proportion() {
    let text = "M83\nG1 Z.2 F600\nG1 X10 E1 F1800\nG1 X8 E-0.6 F3000\nG1 E-0.2 F2400\nG0 X50\nG1 E0.9\nG1 X60 E1 F1800\n";
    let (out, _) = change(text, &wanted("retraction=1.6", 5.0)).unwrap();
    assert!(out.contains("G1 X8 E-1.2 F3000\nG1 E-0.4 F2400\n"), "{out}");
    // What was fed beyond what was taken is fed as before.
    assert!(out.contains("G1 E1.7\n"), "{out}");
}

#[test]
fn lists_are_read_and_what_cannot_be_meant_is_refused_with_its_reason() {
    assert_eq!(
        band_values(1.15, 1.40, 0.05).unwrap(),
        [1.15, 1.2, 1.25, 1.3, 1.35, 1.4]
    );
    assert_eq!(
        band_values(240.0, 220.0, -10.0).unwrap(),
        [240.0, 230.0, 220.0]
    );
    assert!(
        band_values(1.0, 2.0, 0.0).is_err()
            && band_values(1.0, 2.0, -0.1).is_err()
            && band_values(0.0, 1e9, 1e-3).is_err()
    );
    let says = |set: &str| read_wanted(set).unwrap_err().to_string();
    assert!(says("colour=1").contains("retraction_speed"));
    assert!(says("flow=a").contains("“a”"));
    assert!(says("flow").contains("flow=1.15"));
    for kind in BandKind::all() {
        assert_eq!(read_wanted(&format!("{}=1", kind.name())).unwrap().0, kind);
    }
    let text = box_part(10, false);
    let refused = |w: &Wanted| change(&text, w).unwrap_err().to_string();
    assert!(
        refused(&wanted("flow=1.1:1.3:0.1", 1.0))
            .contains("outside the part, whose top is 2.00 mm")
    );
    assert!(refused(&wanted("temperature=255:265:5", 0.5)).contains("above the ceiling of 260 °C"));
    assert!(refused(&wanted("flow=3", 1.0)).contains("beyond its limits"));
    assert!(
        refused(&Wanted {
            from_mm: 5.0,
            ..wanted("flow=1.1", 1.0)
        })
        .contains("outside the part")
    );
    assert!(refused(&wanted("flow=1.1", 0.0)).contains("0.05 to 500 mm"));
    // Nothing to change, nothing printed, no way to tell, no way back.
    let bare = "M83\nG1 Z.2 F600\nG1 X10 E1\nG1 Z.4\nG1 X0 E1\nG1 Z.6\nG1 X10 E1\n";
    let says = |text: &str, w: &Wanted| change(text, w).unwrap_err().to_string();
    assert!(says(bare, &wanted("hop=0.4", 0.6)).contains("no travel after a retraction"));
    assert!(says("M83\nG0 X5\n", &wanted("flow=1.1", 1.0)).contains("no bead"));
    assert!(
        says(&bare[4..], &wanted("flow=1.1", 1.0))
            .contains("Line 2 feeds filament, and no M82 or M83")
    );
    assert!(says(bare, &wanted("pressure_advance=0.05", 0.3)).contains("goes on above the bands"));
    let numbered = bare.replace("G1 X0 E1", "N5 G1 E-1\nN6 G1 E1\nN7 G1 X0 E1");
    assert!(says(&numbered, &wanted("retraction=2", 1.0)).contains("line number"));
}

#[test]
fn profile_and_override_multiply() {
    let text = box_part(20, true);
    let w = Wanted {
        profile_flow: 1.12,
        ..wanted("flow=1.15:1.40:0.05", 0.6)
    };
    let (_, table) = change(&text, &w).unwrap();
    let effective: Vec<f64> = table.bands.iter().map(|b| b.effective).collect();
    assert_eq!(effective, [1.288, 1.344, 1.4, 1.456, 1.512, 1.568]);
    assert_eq!(table.base, Some(0.95));
}

#[test]
fn a_speed_that_another_command_has_is_no_speed_of_moves() {
    let text = "M83\nG1 Z.2 F600\nG1 X10 E1 F1800\nG0 X20 F6000\nM900 F2\nM117 From here\nG0 X30\nG1 X40 E1\nG1 F900\nG1 X50 E1\n";
    let (out, _) = change(text, &wanted("travel_speed=150", 5.0)).unwrap();
    assert!(
        out.contains(
            "G0 X20 F9000\nM900 F2\nM117 From here\nG0 X30\nG1 X40 E1 F6000\nG1 F900\nG1 X50 E1\n"
        ),
        "{out}"
    );
}
