//! Reads temperature logs: CSV, or a saved serial log.

mod clock;
mod columns;
mod csv;
mod serial;
mod taken;

pub use taken::{DutyScale, ReadAs, Taken, TemperatureUnit, TimeUnit};

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{Heater, read_temperatures};

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

/// How a log was written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TraceKind {
    /// A table with a heading line.
    #[default]
    Csv,
    /// What a printer said over its wire.
    Serial,
}

/// The log of one heater.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct HeaterTrace {
    /// Whose.
    pub heater: Heater,
    /// Its log.
    pub trace: Trace,
}

/// A file that was read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TraceFile {
    /// The heater that `trace` is of: the first nozzle, or what there is.
    pub heater: Heater,
    /// Its log.
    pub trace: Trace,
    /// The logs of the other heaters that were heated, nozzles first.
    pub others: Vec<HeaterTrace>,
    /// How it was written.
    pub kind: TraceKind,
    /// What it was taken for.
    pub taken: Taken,
    /// What had to be assumed, one a sentence.
    pub notes: Vec<String>,
    /// What is wrong; reading goes on after each.
    pub diagnostics: Vec<TraceDiagnostic>,
}

impl Default for TraceFile {
    fn default() -> Self {
        Self {
            heater: Heater::Tool(0),
            trace: Trace::default(),
            others: Vec::new(),
            kind: TraceKind::default(),
            taken: Taken::default(),
            notes: Vec::new(),
            diagnostics: Vec::new(),
        }
    }
}

/// Samples of one heater taken at most: a day at four a second.
const MOST_SAMPLES: usize = 350_000;
/// Diagnostics kept at most: the thousandth says nothing new.
const MOST_DIAGNOSTICS: usize = 50;

/// Reads a log. CSV has a heading line with a time and a temperature column, and may have target,
/// duty and fan, and all that once more for other nozzles ("tool1 target"), bed and chamber; separators are
/// comma, semicolon or tab, with decimal commas where the separator is not one. Anything else is read as a
/// serial log: lines with `T:205.1 /210.0 B:60.0 /60.0 … @:87`.
///
/// Never panics; every problem has its line and column, and reading goes on. Duty may be in 0 to 1,
/// percent, 0 to 127 or 0 to 255: the largest value of the file tells, and a note says what was taken.
#[must_use]
pub fn read_trace(text: &str) -> TraceFile {
    read_trace_as(text, &ReadAs::default())
}

/// [`read_trace`] with what the reader knows better than the file: its units, its scale, its interval.
#[must_use]
pub fn read_trace_as(text: &str, wanted: &ReadAs) -> TraceFile {
    let text = text.trim_start_matches('\u{feff}');
    let first = text
        .lines()
        .find(|l| !l.trim().is_empty())
        .unwrap_or_default();
    let serial = text
        .lines()
        .take(200)
        .any(|l| read_temperatures(l).is_some());
    if !serial && columns::heading(first).is_some() {
        csv::read_csv(text, wanted)
    } else {
        serial::read_serial(text, wanted)
    }
}

/// What a file said of one heater.
struct Logged {
    heater: Heater,
    samples: Vec<Sample>,
}

impl Logged {
    const fn new(heater: Heater) -> Self {
        Self {
            heater,
            samples: Vec::new(),
        }
    }

    /// Whether there is anything to judge: it was asked for heat, or it was warm.
    fn heats(&self) -> bool {
        self.samples
            .iter()
            .any(|s| s.target_c.map_or(s.temp_c > WARM_C, |t| t > 0.0))
    }
}

/// A heater whose targets aren't logged was heated if it was this warm [°C].
const WARM_C: f64 = 40.0;

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

/// Brings duty and fan to 0…1 and the time to its start. The first of `logged` that says anything is the file's.
fn finish(file: &mut TraceFile, mut logged: Vec<Logged>, wanted: &ReadAs) {
    let most = |get: fn(&Sample) -> Option<f64>| {
        logged
            .iter()
            .flat_map(|l| &l.samples)
            .filter_map(get)
            .fold(0.0_f64, f64::max)
    };
    let from_printer = file.kind == TraceKind::Serial;
    let most_duty = most(|s| s.duty);
    let scale = wanted.duty.unwrap_or(
        if from_printer && most_duty <= DutyScale::SevenBits.full() {
            // A printer's own report counts in steps of its timer, never in percent.
            DutyScale::SevenBits
        } else {
            DutyScale::holding(most_duty)
        },
    );
    let duty = scale.full();
    let fan = if from_printer {
        1.0
    } else {
        DutyScale::holding(most(|s| s.fan)).full()
    };
    if logged
        .iter()
        .flat_map(|l| &l.samples)
        .any(|s| s.duty.is_some())
    {
        file.taken.duty = Some(scale);
        if wanted.duty.is_some() {
            file.notes
                .push(format!("Duty is taken as {}, as chosen.", scale.name()));
            if most_duty > duty {
                file.notes.push(format!(
                    "It reads up to {most_duty:.0}: more than full power. Look whether it is counted so."
                ));
            }
        } else if duty > 1.0 {
            file.notes
                .push(format!("Duty is taken as {}.", scale.name()));
        }
    }
    let start = logged
        .iter()
        .filter_map(|l| l.samples.first())
        .map(|s| s.t_s)
        .fold(f64::INFINITY, f64::min);
    for s in logged.iter_mut().flat_map(|l| &mut l.samples) {
        s.t_s -= start;
        s.duty = s.duty.map(|d| (d / duty).clamp(0.0, 1.0));
        s.fan = s.fan.map(|f| (f / fan).clamp(0.0, 1.0));
    }
    logged.retain(|l| !l.samples.is_empty());
    // The first that heats is what the log is about; a cold nozzle beside a heated bed isn't.
    let main = logged.iter().position(Logged::heats).unwrap_or(0);
    for (i, l) in logged.into_iter().enumerate() {
        if i == main {
            file.heater = l.heater;
            file.trace = Trace::new(l.samples);
        } else if l.heats() {
            file.others.push(HeaterTrace {
                heater: l.heater,
                trace: Trace::new(l.samples),
            });
        }
    }
    file.taken.no_target = file.trace.samples.iter().all(|s| s.target_c.is_none());
}
