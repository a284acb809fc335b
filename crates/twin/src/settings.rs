//! What the board remembers, and what of it outlives a power cycle.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use wattotherm_gcode::{SettingKey, Words, read_settings, wanted_by};

/// A line of the report: a heading, or a command with its letters, each with its decimals and the value
/// that the board left the bench with long ago: a loop tuned for another hot end.
enum Line {
    Heading(&'static str),
    Values(&'static str, &'static [(char, usize, f64)]),
}

use Line::{Heading, Values};

/// The probe's offset in Z as it left the bench [mm].
pub(crate) const PROBE_Z_MM: f64 = -1.62;

const LINES: &[Line] = &[
    Heading("steps per unit"),
    Values(
        "M92",
        &[
            ('X', 2, 80.0),
            ('Y', 2, 80.0),
            ('Z', 2, 400.0),
            ('E', 2, 93.0),
        ],
    ),
    Heading("motion"),
    Values(
        "M203",
        &[
            ('X', 1, 300.0),
            ('Y', 1, 300.0),
            ('Z', 1, 12.0),
            ('E', 1, 60.0),
        ],
    ),
    Values(
        "M201",
        &[
            ('X', 0, 3_000.0),
            ('Y', 0, 2_000.0),
            ('Z', 0, 200.0),
            ('E', 0, 5_000.0),
        ],
    ),
    Values(
        "M204",
        &[('P', 0, 1_000.0), ('R', 0, 1_500.0), ('T', 0, 1_200.0)],
    ),
    Values("M205", &[('J', 3, 0.05)]),
    Heading("heater loops"),
    Values("M301", &[('P', 2, 22.4), ('I', 2, 1.32), ('D', 2, 95.0)]),
    Values("M304", &[('P', 2, 96.0), ('I', 2, 8.2), ('D', 2, 280.0)]),
    Heading("offsets"),
    Values(
        "M851",
        &[('X', 3, -42.0), ('Y', 3, -8.0), ('Z', 3, PROBE_Z_MM)],
    ),
    Values(
        "M218",
        &[('T', 0, 1.0), ('X', 3, 0.0), ('Y', 3, 0.0), ('Z', 3, 0.0)],
    ),
    Heading("filament"),
    Values("M900", &[('K', 3, 0.0)]),
    Values("M207", &[('S', 2, 4.8), ('F', 1, 2_400.0)]),
];

/// Settings in the board's memory.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Settings(BTreeMap<SettingKey, f64>);

fn key(code: &str, letter: char) -> SettingKey {
    SettingKey {
        code: code.to_owned(),
        letter,
    }
}

impl Settings {
    /// As it left the bench, but for the extruder's steps/mm.
    pub fn old(extruder_steps_mm: f64) -> Self {
        let mut all = BTreeMap::new();
        for line in LINES {
            if let Values(code, letters) = line {
                all.extend(letters.iter().map(|(l, _, v)| (key(code, *l), *v)));
            }
        }
        all.insert(key("M92", 'E'), extruder_steps_mm);
        Self(all)
    }

    /// A value; 0 if the board has none of that name.
    pub fn get(&self, code: &str, letter: char) -> f64 {
        self.0.get(&key(code, letter)).copied().unwrap_or_default()
    }

    /// Gains of a heater loop: P, I, D.
    pub fn gains(&self, code: &str) -> [f64; 3] {
        ['P', 'I', 'D'].map(|l| self.get(code, l))
    }

    /// Sets one value, if the board has it.
    pub fn set(&mut self, code: &str, letter: char, value: f64) -> bool {
        let slot = self.0.get_mut(&key(code, letter));
        slot.map(|s| *s = value).is_some()
    }

    /// Takes the values of a command; true if one of them is ours.
    pub fn take(&mut self, words: &Words) -> bool {
        let mut any = false;
        for (key, value) in wanted_by(words) {
            any |= self.set(&key.code, key.letter, value);
        }
        any
    }

    /// Takes the values of a report; true if one of them is ours.
    pub fn take_report(&mut self, text: &str) -> bool {
        let mut any = false;
        for (key, value) in read_settings(text).values {
            any |= self.set(&key.code, key.letter, value);
        }
        any
    }

    /// All of them as the board prints them.
    pub fn report(&self) -> String {
        let mut out = String::new();
        for line in LINES {
            match line {
                Heading(says) => {
                    let _ = writeln!(out, "echo:; {says}");
                }
                Values(code, letters) => {
                    let _ = write!(out, "echo:  {code}");
                    for (letter, digits, _) in *letters {
                        let _ = write!(out, " {letter}{:.digits$}", self.get(code, *letter));
                    }
                    out.push('\n');
                }
            }
        }
        out
    }
}
