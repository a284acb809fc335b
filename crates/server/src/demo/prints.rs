//! Invented parts, sliced here: to see what the prints page is for.

use std::f64::consts::{PI, TAU};
use std::fmt::Write as _;

use wattotherm_store::{NewPrintFile, Store, StoreError};
use wattotherm_toolpath::{Limits, bead_area_mm2};

use crate::moment::now;

/// How an invented part is sliced.
struct Slicing {
    width: f64,
    layer: f64,
    speed: f64,
}

/// Lays beads of one width and height.
struct Pen {
    out: String,
    e_per_mm: f64,
    at: [f64; 2],
}

impl Pen {
    fn to(&mut self, x: f64, y: f64) {
        let e = (x - self.at[0]).hypot(y - self.at[1]) * self.e_per_mm;
        let _ = writeln!(self.out, "G1 X{x:.3} Y{y:.3} E{e:.5}");
        self.at = [x, y];
    }

    fn begin(&mut self, x: f64, y: f64, speed: f64) {
        let _ = writeln!(
            self.out,
            "G1 E-0.8 F2100\nG0 X{x:.3} Y{y:.3} F7800\nG1 E0.8 F2100\nG1 F{:.0}",
            speed * 60.0
        );
        self.at = [x, y];
    }
}

/// A holder for garden labels: a rounded foot that narrows to a slim top, lines inside.
fn holder(s: &Slicing) -> String {
    let mut pen = Pen {
        out: "; an invented part\nG21\nG90\nM83\nM140 S60\nM104 S215\nM190 S60\nM109 S215\nG28\nM106 S0\n".into(),
        e_per_mm: bead_area_mm2(s.width, s.layer) / Limits::default().filament_mm2(),
        at: [0.0; 2],
    };
    let (height, middle) = (40.0, 110.0);
    let mut z = s.layer;
    while z <= height + 1e-9 {
        let half =
            12.0 + 9.0 * (0.5 + 0.5 * (PI * z / height).cos()) + 1.5 * (TAU * z / 20.0).sin();
        let _ = writeln!(pen.out, "G1 Z{z:.3} F720");
        if (z / s.layer - 2.0).abs() < 0.5 {
            pen.out.push_str("M106 S255\n");
        }
        for wall in 0..2 {
            let r = half - (f64::from(wall) + 0.5) * s.width;
            let speed = if wall == 0 { 0.5 * s.speed } else { s.speed };
            // A square with well-rounded corners.
            let point = |k: u32| {
                let a = TAU * f64::from(k) / 96.0;
                let stretch = (a.cos().powi(4) + a.sin().powi(4)).powf(-0.25);
                [
                    middle + r * stretch * a.cos(),
                    middle + r * stretch * a.sin(),
                ]
            };
            let [x, y] = point(0);
            pen.begin(x, y, speed);
            for k in 1..=96 {
                let [x, y] = point(k);
                pen.to(x, y);
            }
        }
        let inner = half - 2.6 * s.width;
        let mut x = -inner * 0.85;
        let mut up = true;
        pen.begin(middle + x, middle - inner * 0.8, s.speed);
        while x < inner * 0.85 {
            let y = if up { inner * 0.8 } else { -inner * 0.8 };
            pen.to(middle + x, middle + y);
            x += s.width * 4.5;
            if x < inner * 0.85 {
                pen.to(middle + x, middle + y);
            }
            up = !up;
        }
        z += s.layer;
    }
    pen.out
        .push_str("G1 E-2 F2100\nM107\nM104 S0\nM140 S0\nG91\nG1 Z10 F720\nG90\nM84\n");
    pen.out
}

/// Keeps two slicings of one part, for a bore of 0.4 and of 0.6 mm.
pub fn fill(store: &mut Store) -> Result<(), StoreError> {
    let both = [
        (
            "label-holder-0.6.gcode",
            Slicing {
                width: 0.65,
                layer: 0.3,
                speed: 60.0,
            },
        ),
        (
            "label-holder.gcode",
            Slicing {
                width: 0.45,
                layer: 0.2,
                speed: 80.0,
            },
        ),
    ];
    for (name, slicing) in both {
        let files = store.files().clone();
        let blob = files.keep(holder(&slicing).as_bytes(), "application/octet-stream")?;
        let at = now();
        store.enter_blob(&blob, &at)?;
        let new = NewPrintFile {
            sha256: &blob.sha256,
            name,
            printer_id: None,
            made_from: None,
            change: None,
            bead_mm: Some([slicing.width, slicing.layer]),
        };
        store.keep_print_file(&new, &at)?;
    }
    Ok(())
}
