//! The bigger bore: a part bound by flow gains little, a free one much; two files and one estimate say the same.
#![allow(
    clippy::unwrap_used,
    clippy::cast_possible_truncation,
    clippy::cast_precision_loss,
    clippy::cast_sign_loss
)]

use crate::common::look_with;
use wattotherm_toolpath::{
    AxisLimits, Bead, Limits, NewBore, SurveyOptions, bead_area_mm2, compare_bores, estimate_bore,
};

#[test]
fn a_bead_has_the_area_that_the_handbook_says() {
    assert!((bead_area_mm2(0.45, 0.20) - 0.0814).abs() < 5e-5);
    assert!((bead_area_mm2(0.65, 0.30) - 0.1757).abs() < 5e-5);
}

/// Invented parts, sliced plainly: walls round a square with a hole, lines inside.
struct Part {
    size: f64,
    height: f64,
    wall_mm: f64,
    infill: f64,
    speed: f64,
    outer_speed: f64,
}

fn sliced(p: &Part, width: f64, layer: f64) -> String {
    let mut out = vec!["M83".to_owned(), "G90".into(), "G1 F600 Z5".into()];
    let e_mm = bead_area_mm2(width, layer) / Limits::default().filament_mm2();
    let walls = (p.wall_mm / width).round() as usize;
    let ring = |out: &mut Vec<String>, low: f64, size: f64, f: f64| {
        out.push(format!(
            "G1 E-0.8 F2400\nG0 X{low:.3} Y{low:.3} F9000\nG1 E0.8 F2400"
        ));
        let to = low + size;
        for (i, (x, y)) in [(to, low), (to, to), (low, to), (low, low)]
            .into_iter()
            .enumerate()
        {
            let f = if i == 0 {
                format!(" F{f:.0}")
            } else {
                String::new()
            };
            out.push(format!("G1 X{x:.3} Y{y:.3} E{:.5}{f}", size * e_mm));
        }
    };
    let count = (p.height / layer).round() as usize;
    for l in 1..=count {
        out.push(format!("G1 Z{:.3} F600", l as f64 * layer));
        let f = p.speed * 60.0;
        for w in 0..walls {
            let in_mm = (w as f64 + 0.5) * width;
            // The line that is seen is printed slower.
            let f = if w == 0 { p.outer_speed * 60.0 } else { f };
            ring(&mut out, 50.0 + in_mm, p.size - 2.0 * in_mm, f);
        }
        for w in 0..walls {
            let hole = p.size / 4.0;
            let off = (w as f64 + 0.5) * width;
            let f = if w == 0 { p.outer_speed * 60.0 } else { f };
            ring(&mut out, 50.0 + 1.5 * hole - off, hole + 2.0 * off, f);
        }
        let inner = p.size - 2.0 * walls as f64 * width;
        let lines = (inner * p.infill / width).round() as usize;
        out.push("G1 E-0.8 F2400".into());
        for i in 0..lines {
            let at = 50.0 + (p.size - inner) / 2.0 + (i as f64 + 0.5) * inner / lines as f64;
            let (a, b) = (50.0 + (p.size - inner) / 2.0, 50.0 + (p.size + inner) / 2.0);
            let (a, b) = if i % 2 == 0 { (a, b) } else { (b, a) };
            let (from, to) = if l % 2 == 0 {
                ((a, at), (b, at))
            } else {
                ((at, a), (at, b))
            };
            out.push(format!("G0 X{:.3} Y{:.3} F9000", from.0, from.1));
            if i == 0 {
                out.push("G1 E0.8 F2400".into());
            }
            out.push(format!(
                "G1 X{:.3} Y{:.3} E{:.5} F{f:.0}",
                to.0,
                to.1,
                inner * e_mm
            ));
        }
    }
    out.join("\n")
}

fn limits(flow: f64) -> Limits {
    Limits {
        accel_mm_s2: 1_200.0,
        junction_mm: Some(0.03),
        max_speed_mm_s: AxisLimits {
            z: Some(12.0),
            e: Some(60.0),
            ..AxisLimits::default()
        },
        flow_limit_mm3_s: Some(flow),
        ..Limits::default()
    }
}

/// What the bigger bore saves [%]: by two files, and by the estimate from the first.
fn saved(p: &Part, flow: f64, speed_then: f64) -> (f64, f64) {
    let flow_then = flow;
    let slower = Part {
        speed: speed_then,
        ..*p
    };
    let (now, then) = (sliced(p, 0.45, 0.2), sliced(&slower, 0.65, 0.3));
    let a = look_with(now.as_bytes(), limits(flow));
    let b = look_with(then.as_bytes(), limits(flow_then));
    let files = compare_bores(&a, &b, limits(flow).filament_mm2());
    // The file's own beads are read out of it.
    let bead = Bead::of(&a, limits(flow).filament_mm2()).unwrap();
    assert!(
        (bead.width_mm - 0.45).abs() < 2e-3 && (bead.height_mm - 0.2).abs() < 1e-9,
        "{bead:?}"
    );
    let options = SurveyOptions {
        limits: limits(flow),
        heating: None,
        cores: 0,
    };
    let new = NewBore {
        width_mm: 0.65,
        height_mm: 0.3,
        speed_mm_s: Some(speed_then),
        flow_limit_mm3_s: Some(flow_then),
    };
    let got = estimate_bore(now.as_bytes(), &options, bead, &new, |_| true).unwrap();
    assert!((got.now_s - a.seconds).abs() < 1e-6 * a.seconds);
    assert_eq!(
        (got.layers_now, got.layers_then),
        (a.layers.len(), b.layers.len())
    );
    // The outline's outermost and the hole's innermost line are seen: a square and a quarter of it.
    let seen = 4.0 * (p.size - 0.45 + p.size / 4.0 + 0.45) * a.layers.len() as f64;
    assert!(
        (got.outer_mm / seen - 1.0).abs() < 0.01,
        "{} {seen}",
        got.outer_mm
    );
    (files.saved_percent, got.saved_percent)
}

#[test]
fn where_flow_binds_the_bigger_bore_saves_about_a_twentieth() {
    // Dense and fast, with a hot end that melts 5 mm³/s through either bore.
    let part = Part {
        size: 60.0,
        height: 12.0,
        wall_mm: 1.35,
        infill: 0.5,
        speed: 140.0,
        outer_speed: 70.0,
    };
    let (files, estimate) = saved(&part, 5.0, 140.0);
    assert!((2.0..9.0).contains(&files), "{files}");
    assert!((files - estimate).abs() < 5.0, "{files} {estimate}");
}

#[test]
fn where_it_does_not_the_bigger_bore_saves_about_a_third() {
    // The wider lines are laid slower, as profiles for big bores have it.
    let part = Part {
        size: 60.0,
        height: 12.0,
        wall_mm: 1.35,
        infill: 0.15,
        speed: 60.0,
        outer_speed: 30.0,
    };
    let (files, estimate) = saved(&part, 30.0, 36.0);
    assert!((25.0..42.0).contains(&files), "{files}");
    assert!((files - estimate).abs() < 7.0, "{files} {estimate}");
}
