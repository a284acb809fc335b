//! Reads temperature logs: CSV, or a saved serial log.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{Words, read_temperatures};

use super::trace::{Sample, Trace};

/// What is wrong in a file, and where.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct TraceDiagnostic {
    /// Line, from 1.
    pub line: u32,
    /// Column, from 1.
    pub column: u32,
    /// What is wrong and what becomes of it.
    pub says: String,
}

/// A file that was read.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TraceFile {
    /// The log.
    pub trace: Trace,
    /// "CSV" or "serial log".
    pub kind: String,
    /// What had to be assumed, one a sentence.
    pub notes: Vec<String>,
    /// What is wrong; reading goes on after each.
    pub diagnostics: Vec<TraceDiagnostic>,
}

/// Samples taken at most: a day at four a second.
const MOST_SAMPLES: usize = 350_000;
/// Diagnostics kept at most: the thousandth says nothing new.
const MOST_DIAGNOSTICS: usize = 50;

/// Reads a log. CSV has a heading line with a time and a temperature column, and may have target,
/// duty and fan; separators are comma, semicolon or tab, with decimal commas where the separator is
/// not one. Anything else is read as a serial log: lines with `T:205.1 /210.0 … @:87`.
///
/// Never panics; every problem has its line and column, and reading goes on. Duty may be in 0 to 1,
/// percent, 0 to 127 or 0 to 255: the largest value tells, and a note says what was taken.
#[must_use]
pub fn read_trace(text: &str) -> TraceFile {
    let text = text.trim_start_matches('\u{feff}');
    let first = text
        .lines()
        .find(|l| !l.trim().is_empty())
        .unwrap_or_default();
    let serial = text
        .lines()
        .take(200)
        .any(|l| read_temperatures(l).is_some());
    if !serial && heading(first).is_some() {
        read_csv(text)
    } else {
        read_serial(text)
    }
}

struct Columns {
    separator: char,
    time: usize,
    /// Factor to seconds.
    unit_s: f64,
    temp: usize,
    target: Option<usize>,
    duty: Option<usize>,
    fan: Option<usize>,
}

fn heading(line: &str) -> Option<Columns> {
    let separator = ['\t', ';', ','].into_iter().find(|c| line.contains(*c))?;
    let names: Vec<String> = line
        .split(separator)
        .map(|n| n.trim().trim_matches('"').to_lowercase())
        .collect();
    let find = |wanted: &[&str]| {
        names
            .iter()
            .position(|n| wanted.iter().any(|w| n.starts_with(w)))
    };
    let time = find(&["time", "t_s", "seconds", "sec", "ms", "min", "zeit"])?;
    let target = find(&["target", "set", "soll"]);
    let temp = names.iter().enumerate().position(|(i, n)| {
        Some(i) != target
            && ["temp", "nozzle", "hot", "actual", "ist", "t0"]
                .iter()
                .any(|w| n.starts_with(w))
            && !n.contains("target")
    })?;
    let unit = names[time].as_str();
    let unit_s = if unit.contains("ms") || unit.contains("milli") {
        0.001
    } else if unit.contains("min") {
        60.0
    } else {
        1.0
    };
    let target = target.or_else(|| names.iter().position(|n| n.contains("target")));
    Some(Columns {
        separator,
        time,
        unit_s,
        temp,
        target,
        duty: find(&["duty", "power", "output", "pwm", "heater"]),
        fan: find(&["fan"]),
    })
}

fn number(text: &str, decimal_comma: bool) -> Option<f64> {
    let t = text.trim().trim_matches('"');
    let t = if decimal_comma {
        t.replace(',', ".")
    } else {
        t.to_owned()
    };
    t.parse::<f64>()
        .ok()
        .filter(|v| v.is_finite() && v.abs() < 1e12)
}

fn note(file: &mut TraceFile, line: usize, column: usize, says: String) {
    if file.diagnostics.len() < MOST_DIAGNOSTICS {
        let fit = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
        file.diagnostics.push(TraceDiagnostic {
            line: fit(line),
            column: fit(column),
            says,
        });
    }
}

fn shown(text: &str) -> String {
    text.trim().chars().take(30).collect()
}

fn read_csv(text: &str) -> TraceFile {
    let mut file = TraceFile {
        kind: "CSV".into(),
        ..TraceFile::default()
    };
    let mut lines = text
        .lines()
        .enumerate()
        .skip_while(|(_, l)| l.trim().is_empty());
    let Some(columns) = lines.next().and_then(|(_, l)| heading(l)) else {
        return file;
    };
    let decimal_comma = columns.separator != ',';
    let mut samples: Vec<Sample> = Vec::new();
    for (i, line) in lines {
        if line.trim().is_empty() {
            continue;
        }
        if samples.len() >= MOST_SAMPLES {
            note(
                &mut file,
                i + 1,
                1,
                format!("Only the first {MOST_SAMPLES} samples are taken."),
            );
            break;
        }
        let cells: Vec<&str> = line.split(columns.separator).collect();
        let column_of = |n: usize| {
            1 + cells
                .iter()
                .take(n)
                .map(|c| c.chars().count() + 1)
                .sum::<usize>()
        };
        let mut need = |n: usize, what: &str| {
            let cell = cells.get(n).copied().unwrap_or_default();
            let got = number(cell, decimal_comma);
            if got.is_none() {
                note(
                    &mut file,
                    i + 1,
                    column_of(n),
                    format!("“{}” is no {what}. The line is left out.", shown(cell)),
                );
            }
            got
        };
        let Some(t) = need(columns.time, "time") else {
            continue;
        };
        let Some(temp_c) = need(columns.temp, "temperature") else {
            continue;
        };
        if !(-300.0..=1_500.0).contains(&temp_c) {
            note(
                &mut file,
                i + 1,
                column_of(columns.temp),
                format!("{temp_c} °C is no temperature of a hot end. The line is left out."),
            );
            continue;
        }
        let t_s = t * columns.unit_s;
        if samples.last().is_some_and(|l| t_s <= l.t_s) {
            note(
                &mut file,
                i + 1,
                column_of(columns.time),
                format!(
                    "Time {} doesn't rise. The line is left out.",
                    shown(cells[columns.time])
                ),
            );
            continue;
        }
        let may = |n: Option<usize>| {
            n.and_then(|n| cells.get(n))
                .and_then(|c| number(c, decimal_comma))
        };
        samples.push(Sample {
            t_s,
            temp_c,
            target_c: may(columns.target),
            duty: may(columns.duty),
            fan: may(columns.fan),
        });
    }
    if columns.duty.is_none() {
        file.notes.push(
            "The file has no duty: heater faults can't be told and no plant can be fitted.".into(),
        );
    }
    finish(&mut file, samples);
    file
}

fn read_serial(text: &str) -> TraceFile {
    let mut file = TraceFile {
        kind: "serial log".into(),
        ..TraceFile::default()
    };
    let mut samples: Vec<Sample> = Vec::new();
    let mut fan = 0.0;
    let (mut clocked, mut counted) = (0_usize, 0_usize);
    for (i, line) in text.lines().enumerate() {
        if samples.len() >= MOST_SAMPLES {
            note(
                &mut file,
                i + 1,
                1,
                format!("Only the first {MOST_SAMPLES} samples are taken."),
            );
            break;
        }
        // The part fan as it was commanded.
        if let Some(at) = line.find("M106").or_else(|| line.find("M107"))
            && let Ok(words) = Words::read(line[at..].split('*').next().unwrap_or_default())
        {
            fan = if words.code() == "M107" {
                0.0
            } else {
                words.value('S').unwrap_or(255.0).clamp(0.0, 255.0) / 255.0
            };
        }
        let Some(t) = read_temperatures(line) else {
            if line.contains("T:") && line.contains('/') {
                let column = line.find("T:").map_or(1, |b| line[..b].chars().count() + 1);
                note(
                    &mut file,
                    i + 1,
                    column,
                    format!(
                        "“{}” is no temperature report. The line is left out.",
                        shown(&line[line.find("T:").unwrap_or(0)..])
                    ),
                );
            }
            continue;
        };
        let stamp = t.uptime_s.or_else(|| leading_clock(line));
        let last = samples.last().map(|s| s.t_s);
        let t_s = match (stamp, last) {
            (Some(s), Some(l)) if s <= l => {
                note(
                    &mut file,
                    i + 1,
                    1,
                    format!("Time {s} doesn't rise. The line is left out."),
                );
                continue;
            }
            (Some(s), _) => {
                clocked += 1;
                s
            }
            (None, l) => {
                counted += 1;
                l.map_or(0.0, |l| l + 1.0)
            }
        };
        samples.push(Sample {
            t_s,
            temp_c: t.nozzle().at_c,
            target_c: Some(t.nozzle().target_c),
            duty: t.nozzle().output,
            fan: Some(fan),
        });
    }
    if samples.is_empty() {
        let first: String = shown(text.lines().next().unwrap_or_default());
        note(
            &mut file,
            1,
            1,
            format!(
                "“{first}” begins neither a table with time and temperature nor a serial log with T: reports."
            ),
        );
    }
    if counted > clocked {
        file.notes
            .push("The log has no clock: one report a second is assumed.".into());
    }
    finish(&mut file, samples);
    file
}

/// Seconds from a clock at the start of the line: `12:34:56.7`, `[12:34:56]` or `83.25`.
fn leading_clock(line: &str) -> Option<f64> {
    let word = line.trim_start().trim_start_matches('[');
    let end = word
        .find(|c: char| !(c.is_ascii_digit() || c == ':' || c == '.'))
        .unwrap_or(word.len());
    let word = &word[..end];
    if word.is_empty() {
        return None;
    }
    let parts: Vec<f64> = word
        .split(':')
        .map(|p| p.parse().ok())
        .collect::<Option<_>>()?;
    match parts[..] {
        [s] if word.contains('.') => Some(s),
        [h, m, s] => Some(h * 3600.0 + m * 60.0 + s),
        _ => None,
    }
}

/// Brings duty and fan to 0…1 and the time to its start.
fn finish(file: &mut TraceFile, mut samples: Vec<Sample>) {
    let most =
        |get: fn(&Sample) -> Option<f64>| samples.iter().filter_map(get).fold(0.0_f64, f64::max);
    let from_printer = file.kind == "serial log";
    let scale = |m: f64| {
        // A printer's own report counts in steps of its timer, never in percent.
        if from_printer && m <= 127.0 {
            (127.0, "0 to 127")
        } else if m <= 1.0 {
            (1.0, "0 to 1")
        } else if m <= 100.0 {
            (100.0, "percent")
        } else if m <= 127.0 {
            (127.0, "0 to 127")
        } else {
            (255.0, "0 to 255")
        }
    };
    let (duty, name) = scale(most(|s| s.duty));
    let fan = if from_printer {
        1.0
    } else {
        scale(most(|s| s.fan)).0
    };
    if duty > 1.0 {
        file.notes.push(format!("Duty is taken as {name}."));
    }
    let start = samples.first().map_or(0.0, |s| s.t_s);
    for s in &mut samples {
        s.t_s -= start;
        s.duty = s.duty.map(|d| (d / duty).clamp(0.0, 1.0));
        s.fan = s.fan.map(|f| (f / fan).clamp(0.0, 1.0));
    }
    file.trace = Trace::new(samples);
}
