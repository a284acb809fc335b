//! Saved serial logs: lines with `T:205.1 /210.0 … @:87`.

use wattotherm_gcode::{Heater, Words, read_temperatures};
use wattotherm_measure::text::plain;

use super::super::trace::Sample;
use super::clock::{DAY_S, leading_clock};
use super::{
    Logged, MOST_SAMPLES, ReadAs, TemperatureUnit, TraceFile, TraceKind, finish, note, shown,
};

/// The part fan as it was commanded, 0 to 1.
fn commanded_fan(line: &str) -> Option<f64> {
    let at = line.find("M106").or_else(|| line.find("M107"))?;
    let words = Words::read(line[at..].split('*').next().unwrap_or_default()).ok()?;
    Some(if words.code() == "M107" {
        0.0
    } else {
        words.value('S').unwrap_or(255.0).clamp(0.0, 255.0) / 255.0
    })
}

/// From one report to the next where nothing says it [s].
const EVERY_S: f64 = 1.0;

pub(super) fn read_serial(text: &str, wanted: &ReadAs) -> TraceFile {
    let mut file = TraceFile {
        kind: TraceKind::Serial,
        ..TraceFile::default()
    };
    let unit = wanted.temperatures.unwrap_or_default();
    let every = wanted.every_s.unwrap_or(EVERY_S);
    file.taken.temperatures = unit;
    let mut logged: Vec<Logged> = Vec::new();
    let mut last: Option<f64> = None;
    let mut fan = 0.0;
    let (mut taken, mut clocked, mut counted) = (0_usize, 0_usize, 0_usize);
    let mut days = 0.0;
    for (i, line) in text.lines().enumerate() {
        if taken >= MOST_SAMPLES {
            let says = format!("Only the first {MOST_SAMPLES} samples are taken.");
            note(&mut file, i + 1, 1, says);
            break;
        }
        fan = commanded_fan(line).unwrap_or(fan);
        let Some(t) = read_temperatures(line) else {
            if line.contains("T:") && line.contains('/') {
                let column = line.find("T:").map_or(1, |b| line[..b].chars().count() + 1);
                let says = format!(
                    "“{}” is no temperature report. The line is left out.",
                    shown(&line[line.find("T:").unwrap_or(0)..])
                );
                note(&mut file, i + 1, column, says);
            }
            continue;
        };
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
                let says = format!("Time {s} doesn’t rise. The line is left out.");
                note(&mut file, i + 1, 1, says);
                continue;
            }
            (Some(s), _) => {
                clocked += 1;
                s
            }
            (None, l) => {
                counted += 1;
                l.map_or(0.0, |l| l + every)
            }
        };
        last = Some(t_s);
        taken += 1;
        for (heater, c) in t.each() {
            let at = logged.iter().position(|l| l.heater == heater);
            let at = at.unwrap_or_else(|| {
                logged.push(Logged::new(heater));
                logged.len() - 1
            });
            logged[at].samples.push(Sample {
                t_s,
                temp_c: unit.celsius(c.at_c),
                // Off is off in any unit.
                target_c: Some(if c.target_c == 0.0 {
                    0.0
                } else {
                    unit.celsius(c.target_c)
                }),
                duty: c.output,
                fan: matches!(heater, Heater::Tool(_)).then_some(fan),
            });
        }
    }
    if logged.is_empty() {
        let first: String = shown(text.lines().next().unwrap_or_default());
        let says = format!(
            "“{first}” begins neither a table with time and temperature nor a serial log with T: reports."
        );
        note(&mut file, 1, 1, says);
    }
    if unit == TemperatureUnit::Fahrenheit {
        file.notes
            .push("Temperatures are taken as °F, as chosen.".into());
    }
    if counted > clocked {
        file.taken.every_s = Some(every);
        file.notes.push(wanted.every_s.map_or_else(
            || "The log has no clock: one report a second is assumed.".into(),
            |s| {
                format!(
                    "The log has no clock: a report every {} s is taken, as chosen.",
                    plain(s, 3)
                )
            },
        ));
    }
    logged.sort_by_key(|l| l.heater);
    finish(&mut file, logged, wanted);
    file
}
