//! `make bench`: tool paths as ratios within one run. The physical limit is counting a file's lines with the system's own tool.
//! Prints figures; asserts nothing, since a shared machine is noisy.
#![allow(clippy::unwrap_used, clippy::print_stdout, clippy::cast_precision_loss)]

use std::fs::File;
use std::io::{BufRead, BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

use wattotherm_gcode::Machine;
use wattotherm_toolpath::{
    Item, Limits, LineRef, SurveyOptions, Wanted, apply_edits, change_by_height, each_chunk,
    read_path, read_wanted, survey,
};

const HELPERS: usize = 1;
const RUNS: usize = 7;

/// An invented part of about so many bytes: curves in short moves, retractions, a change of layer.
fn write_part(path: &Path, bytes: u64) {
    let mut out = BufWriter::new(File::create(path).unwrap());
    let mut size = 0;
    let (mut e, mut z) = (0.0, 0.2);
    let mut line = String::new();
    writeln!(out, "M82\nG21\nG90\nM104 S210\nM106 S255\nG28").unwrap();
    while size < bytes {
        line.clear();
        line += &format!("; layer\nG1 Z{z:.2} F600\n");
        for k in 0..20_000_u32 {
            let a = f64::from(k) * 0.05;
            let r = 20.0 + 10.0 * (f64::from(k) * 0.013).sin();
            let (x, y) = (110.0 + r * a.cos(), 110.0 + r * a.sin());
            if k % 100 == 0 {
                line += &format!(
                    "G1 E{:.5} F2400\nG0 X{x:.3} Y{y:.3} F9000\nG1 E{e:.5} F2400\n",
                    e - 0.8
                );
            } else {
                e += 0.0332;
                let f = if k % 100 == 1 { " F3000" } else { "" };
                line += &format!("G1 X{x:.3} Y{y:.3} E{e:.5}{f}\n");
            }
        }
        line += "G92 E0\n";
        (e, z) = (0.0, z + 0.2);
        size += line.len() as u64;
        out.write_all(line.as_bytes()).unwrap();
    }
}

/// Milliseconds of several runs: least and median.
fn time(mut run: impl FnMut()) -> (f64, f64) {
    let mut all: Vec<f64> = (0..RUNS)
        .map(|_| {
            let start = Instant::now();
            run();
            start.elapsed().as_secs_f64() * 1e3
        })
        .collect();
    all.sort_by(f64::total_cmp);
    (all[0], all[RUNS / 2])
}

/// Highest memory that this process held [MB].
fn memory_mb() -> f64 {
    let text = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    text.lines()
        .find_map(|l| l.strip_prefix("VmHWM:"))
        .and_then(|l| l.split_whitespace().next()?.parse::<f64>().ok())
        .map_or(f64::NAN, |kb| kb / 1e3)
}

fn options() -> SurveyOptions<'static> {
    SurveyOptions {
        limits: Limits::default(),
        heating: None,
        cores: HELPERS,
    }
}

fn main() {
    let folder = tempfile::tempdir().unwrap();
    let file = |mb: u64| -> PathBuf {
        let path = folder.path().join(format!("{mb}.gcode"));
        write_part(&path, mb * 1_000_000);
        path
    };
    let hundred = file(100);
    let count = time(|| {
        let out = Command::new("wc").arg("-l").arg(&hundred).output().unwrap();
        assert!(out.status.success());
    });
    let row = |what: &str, got: (f64, f64), over: (f64, f64)| {
        println!(
            "{what:<44} {:>9.1} {:>9.1}   {:>6.2} {:>6.2}",
            got.0,
            got.1,
            got.0 / over.0,
            got.1 / over.1
        );
    };
    println!(
        "{:<44} {:>9} {:>9}   {:>6} {:>6}",
        "100 MB, ms", "least", "median", "ratio", "median"
    );
    row("counting its lines (wc -l)", count, count);
    row(
        "bare reading: every line into words",
        time(|| {
            let mut lines = 0;
            each_chunk(File::open(&hundred).unwrap(), HELPERS, |c| {
                lines += c.lines.len();
                true
            })
            .unwrap();
            assert!(lines > 3_000_000);
        }),
        count,
    );
    row(
        "following it: modes, places, moves",
        time(|| {
            let mut mm = 0.0;
            let mut follow = |i: &Item, _: LineRef<'_>, _: &Machine| {
                if let Item::Move(m) = i {
                    mm += m.length_mm;
                }
                true
            };
            read_path(File::open(&hundred).unwrap(), HELPERS, &mut follow, |_| {
                true
            })
            .unwrap();
            assert!(mm > 0.0);
        }),
        count,
    );
    row(
        "reading, time, what binds, layers",
        time(|| {
            survey(File::open(&hundred).unwrap(), &options(), |_| true).unwrap();
        }),
        count,
    );
    let changed = folder.path().join("changed.gcode");
    let filter = time(|| {
        let mut from = BufReader::with_capacity(1 << 18, File::open(&hundred).unwrap());
        let mut to = BufWriter::with_capacity(1 << 18, File::create(&changed).unwrap());
        let mut line = Vec::new();
        while from.read_until(b'\n', &mut line).unwrap() > 0 {
            to.write_all(&line).unwrap();
            line.clear();
        }
        to.flush().unwrap();
    });
    row("copying through a filter of lines", filter, filter);
    let (kind, values) = read_wanted("flow=1.0:1.2:0.05").unwrap();
    let wanted = Wanted {
        kind,
        values,
        every_mm: 5.0,
        from_mm: 0.0,
        profile_flow: 1.0,
        ceiling_c: 240.0,
    };
    row(
        "changing flow by height (over the filter)",
        time(|| {
            let got = change_by_height(File::open(&hundred).unwrap(), &wanted, HELPERS, |_| true)
                .unwrap();
            apply_edits(
                File::open(&hundred).unwrap(),
                &got.edits,
                BufWriter::with_capacity(1 << 18, File::create(&changed).unwrap()),
                |_| true,
            )
            .unwrap();
        }),
        filter,
    );
    println!("highest memory so far {:.0} MB", memory_mb());
    println!();
    let ten = file(10);
    let small = time(|| {
        survey(File::open(&ten).unwrap(), &options(), |_| true).unwrap();
    });
    println!("survey of 10 MB: {:.1} ms", small.0);
    let big = file(500);
    let start = Instant::now();
    let s = survey(File::open(&big).unwrap(), &options(), |_| true).unwrap();
    println!(
        "survey of 500 MB: {:.0} ms, {} layers, {} moves; highest memory {:.0} MB",
        start.elapsed().as_secs_f64() * 1e3,
        s.layers.len(),
        s.moves,
        memory_mb()
    );
    let read = |cores: usize| {
        time(|| {
            let mut lines = 0;
            each_chunk(File::open(&ten).unwrap(), cores, |c| {
                lines += c.lines.len();
                true
            })
            .unwrap();
            assert!(lines > 300_000);
        })
    };
    let (one, both) = (read(0), read(HELPERS));
    // A general-purpose reader of the registry, on one core, the text in memory already.
    let other = time(|| {
        let text = std::fs::read_to_string(&ten).unwrap();
        let program = gcode::parse(&text).unwrap();
        assert!(program.blocks.len() > 300_000);
    });
    println!(
        "bare reading of 10 MB: {:.1} ms on one core, {:.1} ms on two; a general reader {:.1} ms: {:.1} and {:.1} times as long",
        one.0,
        both.0,
        other.0,
        other.0 / one.0,
        other.0 / both.0
    );
}
