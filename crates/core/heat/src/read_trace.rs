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
    /// Factor to seconds; none where the unit isn't said.
    unit_s: Option<f64>,
    /// Temperatures are in °F.
    fahrenheit: bool,
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
    // A name that begins with the word, before one that only has it in it.
    let find = |wanted: &[&str], not: &[usize]| {
        let free = |i: &usize| !not.contains(i);
        let begins = |n: &String| wanted.iter().any(|w| n.starts_with(w));
        let has = |n: &String| wanted.iter().any(|w| w.len() > 2 && n.contains(w));
        (0..names.len())
            .filter(free)
            .find(|i| begins(&names[*i]))
            .or_else(|| (0..names.len()).filter(free).find(|i| has(&names[*i])))
    };
    let time = find(
        &[
            "time", "t_s", "seconds", "sec", "ms", "min", "zeit", "date", "clock", "uptime",
        ],
        &[],
    )?;
    // Bed and chamber are other loops.
    let others: Vec<usize> = (0..names.len())
        .filter(|i| {
            ["bed", "chamber", "tool1", "t1", "extruder1"]
                .iter()
                .any(|w| names[*i].contains(w))
        })
        .chain([time])
        .collect();
    let target = find(&["target", "set", "soll", "goal", "ziel"], &others);
    let duty = find(&["duty", "power", "output", "pwm", "heater"], &others);
    let fan = find(&["fan"], &others);
    let taken: Vec<usize> = others
        .iter()
        .copied()
        .chain(target)
        .chain(duty)
        .chain(fan)
        .collect();
    let temp = find(
        &[
            "temp", "nozzle", "hot", "actual", "ist", "t0", "tool0", "extruder", "current",
            "reading",
        ],
        &taken,
    )?;
    let unit = names[time].as_str();
    let unit_s = if unit.contains("ms") || unit.contains("milli") {
        Some(0.001)
    } else if unit.contains("min") {
        Some(60.0)
    } else if unit.ends_with("_s")
        || unit.contains("sec")
        || unit.contains("(s)")
        || unit.contains("[s]")
    {
        Some(1.0)
    } else {
        None
    };
    let unit_of = |n: &str| {
        n.ends_with("_f")
            || ["°f", "(f)", "[f]", "degf", "deg f", "fahrenheit"]
                .iter()
                .any(|u| n.contains(u))
    };
    Some(Columns {
        separator,
        time,
        unit_s,
        fahrenheit: unit_of(&names[temp]),
        temp,
        target,
        duty,
        fan,
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
        .filter(|v| v.is_finite() && v.abs() < 1e15)
}

/// A day [s].
const DAY_S: f64 = 86_400.0;

/// Seconds of a time: a number, `HH:MM:SS.s`, `MM:SS`, or a date and a time after ISO 8601 (of which the day
/// counts too). Zones are left out: a log doesn't change them half-way.
fn clock(text: &str, decimal_comma: bool) -> Option<f64> {
    let t = text.trim().trim_matches('"');
    if !t.contains(':') {
        return number(t, decimal_comma);
    }
    let (date, time) = match t.split_once(['T', ' ']) {
        Some((d, rest)) => (Some(d), rest),
        None => (None, t),
    };
    let time = time.trim_end_matches('Z');
    let time = time
        .split(['+', '−'])
        .next()
        .unwrap_or(time)
        .replace(',', ".");
    let parts: Vec<f64> = time
        .split(':')
        .map(|p| {
            p.parse::<f64>()
                .ok()
                .filter(|v| (0.0..100_000.0).contains(v))
        })
        .collect::<Option<_>>()?;
    let day_s = match parts[..] {
        [h, m, s] => h * 3600.0 + m * 60.0 + s,
        [m, s] => m * 60.0 + s,
        _ => return None,
    };
    let Some(date) = date else {
        return Some(day_s);
    };
    let ymd: Vec<i64> = date
        .split('-')
        .map(|p| p.parse().ok())
        .collect::<Option<_>>()?;
    let [y, m, d] = ymd[..] else { return None };
    // Days from civil (Hinnant 2013, from memory): exact in the Gregorian calendar.
    let y = if m <= 2 { y - 1 } else { y };
    let era = y.div_euclid(400);
    let of_era = y - era * 400;
    let of_year = (153 * ((m + 9) % 12) + 2) / 5 + d - 1;
    // OK because a date of four digits is far inside a double.
    #[allow(clippy::cast_precision_loss)]
    let days = (era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year) as f64;
    Some(days * DAY_S + day_s)
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
    let mut days = 0.0;
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
            let got = if what == "time" {
                clock(cell, decimal_comma)
            } else {
                number(cell, decimal_comma)
            };
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
        let Some(temp) = need(columns.temp, "temperature") else {
            continue;
        };
        let celsius = |v: f64| {
            if columns.fahrenheit {
                (v - 32.0) / 1.8
            } else {
                v
            }
        };
        let temp_c = celsius(temp);
        if !(-300.0..=1_500.0).contains(&temp_c) {
            note(
                &mut file,
                i + 1,
                column_of(columns.temp),
                format!("{temp_c} °C is no temperature of a hot end. The line is left out."),
            );
            continue;
        }
        let clocked = cells.get(columns.time).is_some_and(|c| c.contains(':'));
        // Epoch and uptime counters in milliseconds are too large for anything else.
        let unit = columns
            .unit_s
            .unwrap_or(if t.abs() > 1e11 { 0.001 } else { 1.0 });
        let mut t_s = if clocked { t } else { t * unit };
        t_s += days;
        // Past midnight the clock begins anew.
        if clocked && samples.last().is_some_and(|l| t_s < l.t_s - DAY_S / 2.0) {
            days += DAY_S;
            t_s += DAY_S;
        }
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
            // Off is off in any unit.
            target_c: may(columns.target).map(|v| if v == 0.0 { 0.0 } else { celsius(v) }),
            duty: may(columns.duty),
            fan: may(columns.fan),
        });
    }
    if columns.fahrenheit {
        file.notes
            .push("The heading says °F: temperatures are taken so.".into());
    }
    if columns.duty.is_none() {
        file.notes.push(
            "The file has no duty: heater faults can't be told and no model can be fitted.".into(),
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
    let mut days = 0.0;
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
        let last = samples.last().map(|s| s.t_s);
        let stamp = t.uptime_s.or_else(|| {
            let s = leading_clock(line)? + days;
            // Past midnight the clock begins anew.
            if last.is_some_and(|l| s < l - DAY_S / 2.0) {
                days += DAY_S;
                return Some(s + DAY_S);
            }
            Some(s)
        });
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

/// Seconds from a clock at the start of the line: `12:34:56.7`, `[12:34:56]`, a date and a time, or `83.25`.
fn leading_clock(line: &str) -> Option<f64> {
    let line = line.trim_start().trim_start_matches('[');
    let mut words = line.split_whitespace();
    let first = words.next()?;
    // A date with its time behind a space.
    let stamp = match words.next() {
        Some(time) if first.contains('-') && time.contains(':') => format!("{first} {time}"),
        _ => first.to_owned(),
    };
    let stamp = stamp.trim_end_matches([']', ',', ';']);
    let told = match stamp.matches(':').count() {
        0 => stamp.contains('.'),
        n => n == 2,
    };
    if told { clock(stamp, false) } else { None }
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
