//! The heading line of a CSV: which column is what, and of which heater.

use wattotherm_gcode::Heater;

use super::{TemperatureUnit, TimeUnit};

/// The columns of one heater, by number.
pub(super) struct HeaterColumns {
    pub heater: Heater,
    pub temp: usize,
    /// Unit of its temperatures.
    pub unit: TemperatureUnit,
    pub target: Option<usize>,
    pub duty: Option<usize>,
}

/// What the heading says.
pub(super) struct Columns {
    pub separator: char,
    pub time: usize,
    /// Unit of times; none where it isn't said.
    pub time_unit: Option<TimeUnit>,
    /// The part fan.
    pub fan: Option<usize>,
    /// The heaters, the first nozzle first.
    pub heaters: Vec<HeaterColumns>,
}

const TIME: [&str; 10] = [
    "time", "t_s", "seconds", "sec", "ms", "min", "zeit", "date", "clock", "uptime",
];
const TARGET: [&str; 5] = ["target", "set", "soll", "goal", "ziel"];
const DUTY: [&str; 5] = ["duty", "power", "output", "pwm", "heater"];
const TEMP: [&str; 10] = [
    "temp", "nozzle", "hot", "actual", "ist", "t0", "tool0", "extruder", "current", "reading",
];
/// Words with which a nozzle's number is written.
const NOZZLE: [&str; 12] = [
    "tool", "extruder", "nozzle", "hotend", "temp", "target", "set", "actual", "duty", "power",
    "pwm", "t",
];

/// A nozzle's number as the heading writes it: "tool1", "T 1", "extruder_2 target".
fn nozzle_number(name: &str) -> Option<u8> {
    let tokens: Vec<&str> = name
        .split(|c: char| !c.is_alphanumeric())
        .filter(|t| !t.is_empty())
        .collect();
    let digits = |t: &str| {
        (t.len() == 1)
            .then(|| t.parse::<u8>().ok())
            .flatten()
            .filter(|n| *n < 9)
    };
    for (i, token) in tokens.iter().enumerate() {
        for word in NOZZLE {
            let Some(rest) = token.strip_prefix(word) else {
                continue;
            };
            let number = if rest.is_empty() {
                tokens.get(i + 1).copied().and_then(digits)
            } else {
                digits(rest)
            };
            if number.is_some() {
                return number;
            }
        }
    }
    None
}

/// Whose a column is; what names no heater is the first nozzle's.
fn heater_of(name: &str, first: u8) -> Heater {
    let has = |words: &[&str]| words.iter().any(|w| name.contains(w));
    if has(&["bed", "bett", "plate"]) {
        Heater::Bed
    } else if has(&["chamber", "enclosure", "kammer"]) {
        Heater::Chamber
    } else {
        Heater::Tool(nozzle_number(name).map_or(0, |n| n.saturating_sub(first)))
    }
}

/// Whether a column's name says °F.
fn in_fahrenheit(name: &str) -> bool {
    name.ends_with("_f")
        || ["°f", "(f)", "[f]", "degf", "deg f", "fahrenheit"]
            .iter()
            .any(|u| name.contains(u))
}

/// The unit of time, where the name says it.
fn time_unit(name: &str) -> Option<TimeUnit> {
    if name.contains("ms") || name.contains("milli") {
        Some(TimeUnit::Milliseconds)
    } else if name.contains("min") {
        Some(TimeUnit::Minutes)
    } else if name.ends_with("_s") || ["sec", "(s)", "[s]"].iter().any(|u| name.contains(u)) {
        Some(TimeUnit::Seconds)
    } else {
        None
    }
}

/// The first of `free` whose name begins with one of the words, before one that only has it in it.
fn find(names: &[String], free: &[usize], wanted: &[&str]) -> Option<usize> {
    let begins = |n: &str| wanted.iter().any(|w| n.starts_with(w));
    let has = |n: &str| wanted.iter().any(|w| w.len() > 2 && n.contains(w));
    let first = |of: &dyn Fn(&str) -> bool| free.iter().copied().find(|i| of(&names[*i]));
    first(&begins).or_else(|| first(&has))
}

/// Reads a heading line; none where it has no time or no temperature.
pub(super) fn heading(line: &str) -> Option<Columns> {
    let separator = ['\t', ';', ','].into_iter().find(|c| line.contains(*c))?;
    let names: Vec<String> = line
        .split(separator)
        .map(|n| n.trim().trim_matches('"').to_lowercase())
        .collect();
    let all: Vec<usize> = (0..names.len()).collect();
    let time = find(&names, &all, &TIME)?;
    let rest: Vec<usize> = all.into_iter().filter(|i| *i != time).collect();
    let fan = find(&names, &rest, &["fan"]);
    // Who counts nozzles from 1 has no 0, and no nozzle without a number.
    let bare = |i: &usize| {
        nozzle_number(&names[*i]).is_none() && heater_of(&names[*i], 0) == Heater::Tool(0)
    };
    let numbers = || rest.iter().filter_map(|i| nozzle_number(&names[*i]));
    let unnumbered = rest
        .iter()
        .filter(|i| Some(**i) != fan)
        .any(|i| bare(i) && TEMP.iter().any(|w| names[*i].contains(w)));
    let first = if unnumbered {
        0
    } else {
        numbers().min().unwrap_or(0)
    };
    let mut owners: Vec<Heater> = rest.iter().map(|i| heater_of(&names[*i], first)).collect();
    owners.sort_unstable();
    owners.dedup();
    let heaters: Vec<HeaterColumns> = owners
        .into_iter()
        .filter_map(|heater| {
            let mut own: Vec<usize> = rest
                .iter()
                .copied()
                .filter(|i| Some(*i) != fan && heater_of(&names[*i], first) == heater)
                .collect();
            let mut take = |words: &[&str]| {
                let found = find(&names, &own, words)?;
                own.retain(|i| *i != found);
                Some(found)
            };
            let target = take(&TARGET);
            let duty = take(&DUTY);
            let temp = match heater {
                Heater::Tool(_) => take(&TEMP).or_else(|| {
                    // "T1" alone is a temperature.
                    own.iter()
                        .copied()
                        .find(|i| nozzle_number(&names[*i]).is_some())
                }),
                Heater::Bed | Heater::Chamber => take(&TEMP).or_else(|| own.first().copied()),
            }?;
            Some(HeaterColumns {
                heater,
                temp,
                unit: if in_fahrenheit(&names[temp]) {
                    TemperatureUnit::Fahrenheit
                } else {
                    TemperatureUnit::Celsius
                },
                target,
                duty,
            })
        })
        .collect();
    (!heaters.is_empty()).then(|| Columns {
        separator,
        time,
        time_unit: time_unit(&names[time]),
        fan,
        heaters,
    })
}
