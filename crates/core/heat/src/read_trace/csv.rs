//! Tables of time, temperature, target, duty and fan.

use wattotherm_gcode::Heater;

use super::super::trace::Sample;
use super::clock::{DAY_S, clock, number};
use super::columns::{Columns, HeaterColumns, heading};
use super::{
    Logged, MOST_SAMPLES, ReadAs, TemperatureUnit, TimeUnit, TraceFile, TraceKind, finish, note,
    shown,
};

/// A line of a table, and where it stands.
struct Line<'a> {
    /// Counted from 1.
    at: usize,
    cells: Vec<&'a str>,
    decimal_comma: bool,
}

impl Line<'_> {
    fn cell(&self, n: usize) -> &str {
        self.cells.get(n).map_or("", |c| c.trim().trim_matches('"'))
    }

    fn number(&self, n: Option<usize>) -> Option<f64> {
        n.and_then(|n| number(self.cell(n), self.decimal_comma))
    }

    /// Column at which a cell begins, counted from 1.
    fn column(&self, n: usize) -> usize {
        1 + self
            .cells
            .iter()
            .take(n)
            .map(|c| c.chars().count() + 1)
            .sum::<usize>()
    }
}

/// Epoch and uptime counters in milliseconds are too large for anything else.
const MILLISECONDS: f64 = 1e11;

/// Seconds of each line, past midnight too.
#[derive(Default)]
struct Times {
    days_s: f64,
    last_s: Option<f64>,
    /// Unit of times that are plain numbers, once there was one.
    unit: Option<TimeUnit>,
}

impl Times {
    /// `known` is the unit of a plain number, where it is known.
    fn of(
        &mut self,
        line: &Line,
        columns: &Columns,
        known: Option<TimeUnit>,
        file: &mut TraceFile,
    ) -> Option<f64> {
        let text = line.cell(columns.time);
        let Some(t) = clock(text, line.decimal_comma) else {
            let says = format!("“{}” is no time. The line is left out.", shown(text));
            note(file, line.at, line.column(columns.time), says);
            return None;
        };
        let clocked = text.contains(':');
        let mut t_s = if clocked {
            t
        } else {
            let unit = *self
                .unit
                .get_or_insert(known.unwrap_or(if t.abs() > MILLISECONDS {
                    TimeUnit::Milliseconds
                } else {
                    TimeUnit::Seconds
                }));
            t * unit.seconds()
        } + self.days_s;
        // Past midnight the clock begins anew.
        if clocked && self.last_s.is_some_and(|l| t_s < l - DAY_S / 2.0) {
            self.days_s += DAY_S;
            t_s += DAY_S;
        }
        self.last_s = Some(self.last_s.map_or(t_s, |l| l.max(t_s)));
        Some(t_s)
    }
}

/// What a line says of one heater; none, with a note, where it says nothing that reads.
fn sample(
    line: &Line,
    own: &HeaterColumns,
    unit: TemperatureUnit,
    fan: Option<usize>,
    t_s: f64,
    file: &mut TraceFile,
) -> Option<Sample> {
    let text = line.cell(own.temp);
    let Some(temp) = number(text, line.decimal_comma) else {
        let says = format!("“{}” is no temperature. It is left out.", shown(text));
        note(file, line.at, line.column(own.temp), says);
        return None;
    };
    let temp_c = unit.celsius(temp);
    if !(-300.0..=1_500.0).contains(&temp_c) {
        let says = format!("{temp_c} °C is no temperature of a heater. It is left out.");
        note(file, line.at, line.column(own.temp), says);
        return None;
    }
    Some(Sample {
        t_s,
        temp_c,
        // Off is off in any unit.
        target_c: line
            .number(own.target)
            .map(|v| if v == 0.0 { 0.0 } else { unit.celsius(v) }),
        duty: line.number(own.duty),
        fan: match own.heater {
            Heater::Tool(_) => line.number(fan),
            Heater::Bed | Heater::Chamber => None,
        },
    })
}

pub(super) fn read_csv(text: &str, wanted: &ReadAs) -> TraceFile {
    let mut file = TraceFile {
        kind: TraceKind::Csv,
        ..TraceFile::default()
    };
    let mut lines = text
        .lines()
        .enumerate()
        .skip_while(|(_, l)| l.trim().is_empty());
    let Some(columns) = lines.next().and_then(|(_, l)| heading(l)) else {
        return file;
    };
    let mut logged: Vec<Logged> = columns
        .heaters
        .iter()
        .map(|h| Logged::new(h.heater))
        .collect();
    let unit_of = |own: &HeaterColumns| wanted.temperatures.unwrap_or(own.unit);
    let known = wanted.times.or(columns.time_unit);
    let mut times = Times::default();
    for (i, text) in lines {
        if text.trim().is_empty() {
            continue;
        }
        if logged.iter().any(|l| l.samples.len() >= MOST_SAMPLES) {
            let says = format!("Only the first {MOST_SAMPLES} samples are taken.");
            note(&mut file, i + 1, 1, says);
            break;
        }
        let line = Line {
            at: i + 1,
            cells: text.split(columns.separator).collect(),
            decimal_comma: columns.separator != ',',
        };
        let Some(t_s) = times.of(&line, &columns, known, &mut file) else {
            continue;
        };
        // A program may report its heaters in turn, each on a line of its own.
        let some = columns
            .heaters
            .iter()
            .any(|h| !line.cell(h.temp).is_empty());
        // Two heaters may share a time on lines of their own; of one heater it rises.
        let mut late = false;
        for (own, log) in columns.heaters.iter().zip(&mut logged) {
            if some && line.cell(own.temp).is_empty() {
                continue;
            }
            if log.samples.last().is_some_and(|l| t_s <= l.t_s) {
                late = true;
            } else if let Some(s) = sample(&line, own, unit_of(own), columns.fan, t_s, &mut file) {
                log.samples.push(s);
            }
        }
        if late {
            let says = format!(
                "Time {} doesn’t rise. The line is left out.",
                shown(line.cell(columns.time))
            );
            note(&mut file, line.at, line.column(columns.time), says);
        }
    }
    file.taken.times = times.unit;
    if let Some(unit) = times.unit {
        if wanted.times.is_some() {
            file.notes
                .push(format!("Times are taken as {}, as chosen.", unit.name()));
        } else if columns.time_unit.is_none() {
            file.notes.push(format!(
                "The heading gives times no unit: {} are taken.",
                unit.name()
            ));
        }
    }
    if let Some(unit) = wanted.temperatures {
        let name = match unit {
            TemperatureUnit::Celsius => "°C",
            TemperatureUnit::Fahrenheit => "°F",
        };
        file.notes
            .push(format!("Temperatures are taken as {name}, as chosen."));
    } else if columns
        .heaters
        .iter()
        .any(|h| h.unit == TemperatureUnit::Fahrenheit)
    {
        file.notes
            .push("The heading says °F: temperatures are taken so.".into());
    }
    if columns.heaters.first().is_some_and(|h| h.duty.is_none()) {
        file.notes.push(
            "The file has no duty: heater faults can’t be told and no model can be fitted.".into(),
        );
    }
    finish(&mut file, logged, wanted);
    if let Some(own) = columns.heaters.iter().find(|h| h.heater == file.heater) {
        file.taken.temperatures = unit_of(own);
    }
    file
}
