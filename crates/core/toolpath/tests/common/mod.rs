//! What the tests of tool paths share: fixtures written line by line, and one call to look a text through.
#![allow(dead_code, clippy::unwrap_used)]

use wattotherm_toolpath::{Limits, Survey, SurveyOptions, survey};

pub fn look_with(text: &[u8], limits: Limits) -> Survey {
    let options = SurveyOptions {
        limits,
        heating: None,
        cores: 0,
    };
    survey(text, &options, |_| true).unwrap()
}

pub fn look(text: &str) -> Survey {
    look_with(text.as_bytes(), Limits::default())
}

/// Limits without anything but an acceleration and a junction deviation.
pub fn plain(accel_mm_s2: f64, junction_mm: f64) -> Limits {
    Limits {
        accel_mm_s2,
        junction_mm: Some(junction_mm),
        ..Limits::default()
    }
}

/// A square of four walls at a height, retracted and hopped to, with a change of layer. Written with absolute E.
pub fn box_part(layers: usize, relative: bool) -> String {
    let mut out = vec![
        (if relative { "M83" } else { "M82" }).to_owned(),
        "G21".into(),
        "G90".into(),
        "M104 S210 ; first".into(),
        "M106 S128".into(),
        "M900 K0.04".into(),
        "M221 S95".into(),
        "G28".into(),
        "G92 E0".into(),
    ];
    let mut e = 0.0;
    let feed = |e: &mut f64, by: f64| {
        *e += by;
        format!("E{:.5}", if relative { by } else { *e })
    };
    for l in 1..=layers {
        let z = 0.2 * l as f64;
        out.push(format!("; layer {l}"));
        out.push(format!("G1 Z{z:.3} F720"));
        for (at, size) in [(50.0, 30.0), (100.0, 20.0)] {
            out.push(format!("G1 {} F2100", feed(&mut e, -0.8)));
            out.push(format!("G1 Z{:.3} F720", z + 0.4));
            out.push(format!("G0 X{at:.3} Y{at:.3} F7800"));
            out.push(format!("G1 Z{z:.3} F720"));
            out.push(format!("G1 {} F2100", feed(&mut e, 0.8)));
            for (i, (x, y)) in [
                (at + size, at),
                (at + size, at + size),
                (at, at + size),
                (at, at),
            ]
            .into_iter()
            .enumerate()
            {
                let f = if i == 0 { " F1800" } else { "" };
                let e = feed(&mut e, size * 0.0332);
                out.push(format!("G1 X{x:.3} Y{y:.3} {e}{f}"));
            }
        }
        if l % 7 == 0 && !relative {
            out.push("G92 E0".into());
            e = 0.0;
        }
    }
    out.push("M107".into());
    out.push("M104 S0".into());
    out.push("M84".into());
    out.join("\n") + "\n"
}
