//! The one table of commands: which letters each takes, within which bounds, and what it does.
//!
//! What is not in the table is not sent, and neither is a known command with a letter that is not in
//! its row: a preset, a second limit or a bed's letter can do what the command itself is kept from.

/// What a command does, as far as guard and link must know.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Effect {
    /// Asks only.
    Ask,
    /// Sets a heater's target.
    Heat,
    /// Heats and waits, or swings the heater: answers late.
    HeatAndWait,
    /// Moves or extrudes.
    Move,
    /// Changes a stored value: read back and compared.
    Set,
    /// Writes or reads the printer's memory.
    Memory,
    /// Stops: goes first.
    Stop,
    /// Blows: fans change what a heater needs.
    Fan,
    /// Everything else that is harmless: modes, counts.
    Mode,
    /// Never sent from here; known because settings reports carry it.
    ReportOnly,
}

/// What may stand behind a letter.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Takes {
    /// Nothing: the letter alone.
    Flag,
    /// A whole number from .0 to .1.
    Whole(f64, f64),
    /// A number from .0 to .1.
    Number(f64, f64),
}

/// Which letters must be there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Needs {
    /// None.
    Nothing,
    /// At least one of these, with a value.
    OneOf(&'static [char]),
}

/// A value that the printer remembers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Kept {
    /// Its letter; none for all letters that aren't named before.
    pub letter: Option<char>,
    /// What it is, e.g. "extruder steps/mm".
    pub says: &'static str,
    /// Parameter of the chain it belongs to, e.g. `drive`; none for the rest.
    pub parameter: Option<&'static str>,
}

const fn one(letter: char, says: &'static str, parameter: Option<&'static str>) -> Kept {
    Kept {
        letter: Some(letter),
        says,
        parameter,
    }
}

const fn rest(says: &'static str, parameter: Option<&'static str>) -> Kept {
    Kept {
        letter: None,
        says,
        parameter,
    }
}

/// A row of the table.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spec {
    /// The command, e.g. `M92`; `T` for every tool change.
    pub code: &'static str,
    /// What it does.
    pub effect: Effect,
    /// What of it the printer remembers, and a settings report carries; empty if nothing.
    pub keeps: &'static [Kept],
    /// Which letters must be there.
    pub needs: Needs,
    /// The letters it takes; every other one is refused.
    pub letters: &'static [(char, Takes)],
}

/// Tools a board may have: common practice, no published source.
pub const MOST_TOOLS: usize = 8;
/// Highest target that any command may carry [°C], whatever the ceiling. Common practice: no hot end
/// of the trade goes beyond.
pub const MOST_TARGET_C: f64 = 500.0;

use Effect as E;
use Takes::{Flag, Number, Whole};

const TOOL: (char, Takes) = ('T', Whole(0.0, 7.0));
const AXES: (f64, f64) = (-1_000.0, 1_000.0);

const fn row(code: &'static str, effect: Effect, letters: &'static [(char, Takes)]) -> Spec {
    Spec {
        code,
        effect,
        keeps: &[],
        needs: Needs::Nothing,
        letters,
    }
}

const fn needing(mut spec: Spec, one_of: &'static [char]) -> Spec {
    spec.needs = Needs::OneOf(one_of);
    spec
}

const fn kept(mut spec: Spec, keeps: &'static [Kept]) -> Spec {
    spec.keeps = keeps;
    spec
}

const fn heat(code: &'static str, effect: Effect, letters: &'static [(char, Takes)]) -> Spec {
    needing(row(code, effect, letters), &['S', 'R'])
}

const TARGET: Takes = Number(0.0, MOST_TARGET_C);
const MOVE: &[(char, Takes)] = &[
    ('X', Number(AXES.0, AXES.1)),
    ('Y', Number(AXES.0, AXES.1)),
    ('Z', Number(AXES.0, AXES.1)),
    ('E', Number(-1e6, 1e6)),
    ('F', Number(1.0, 60_000.0)),
];

const ROUND: &[(char, Takes)] = &[
    ('X', Number(AXES.0, AXES.1)),
    ('Y', Number(AXES.0, AXES.1)),
    ('Z', Number(AXES.0, AXES.1)),
    ('E', Number(-1e6, 1e6)),
    ('F', Number(1.0, 60_000.0)),
    ('I', Number(AXES.0, AXES.1)),
    ('J', Number(AXES.0, AXES.1)),
    ('R', Number(AXES.0, AXES.1)),
];
const MOTORS: &[(char, Takes)] = &[
    ('X', Flag),
    ('Y', Flag),
    ('Z', Flag),
    ('E', Flag),
    ('S', Number(0.0, 7_200.0)),
];
const SPEEDS: &[(char, Takes)] = &[
    ('X', Number(0.1, 2_000.0)),
    ('Y', Number(0.1, 2_000.0)),
    ('Z', Number(0.1, 2_000.0)),
    ('E', Number(0.1, 2_000.0)),
];
const ACCELS: &[(char, Takes)] = &[
    ('X', Number(1.0, 100_000.0)),
    ('Y', Number(1.0, 100_000.0)),
    ('Z', Number(1.0, 100_000.0)),
    ('E', Number(1.0, 100_000.0)),
];

/// All commands. Bounds are wide enough for any machine of the trade and narrow enough for a slipped
/// decimal point. Common practice, no published source.
pub const COMMANDS: &[Spec] = &[
    row("G0", E::Move, MOVE),
    row("G1", E::Move, MOVE),
    needing(row("G2", E::Move, ROUND), &['I', 'J', 'R']),
    needing(row("G3", E::Move, ROUND), &['I', 'J', 'R']),
    row(
        "G4",
        E::Move,
        &[('S', Number(0.0, 3_600.0)), ('P', Number(0.0, 3_600_000.0))],
    ),
    row("G10", E::Move, &[]),
    row("G11", E::Move, &[]),
    row("G21", E::Mode, &[]),
    row("G28", E::Move, &[('X', Flag), ('Y', Flag), ('Z', Flag)]),
    row("G29", E::Move, &[]),
    row("G90", E::Mode, &[]),
    row("G91", E::Mode, &[]),
    needing(row("G92", E::Mode, &[('E', Number(-1e6, 1e6))]), &['E']),
    row("T", E::Mode, &[]),
    row("M17", E::Mode, MOTORS),
    row("M18", E::Mode, MOTORS),
    row("M27", E::Ask, &[]),
    row("M82", E::Mode, &[]),
    row("M83", E::Mode, &[]),
    row("M84", E::Mode, MOTORS),
    heat("M104", E::Heat, &[('S', TARGET), TOOL]),
    row("M105", E::Ask, &[TOOL]),
    row(
        "M106",
        E::Fan,
        &[('S', Number(0.0, 255.0)), ('P', Whole(0.0, 9.0))],
    ),
    row("M107", E::Fan, &[('P', Whole(0.0, 9.0))]),
    row("M108", E::Stop, &[]),
    heat(
        "M109",
        E::HeatAndWait,
        &[('S', TARGET), ('R', TARGET), TOOL],
    ),
    row("M110", E::Mode, &[('N', Whole(0.0, 1e9))]),
    row("M112", E::Stop, &[]),
    row("M114", E::Ask, &[]),
    row("M115", E::Ask, &[]),
    row("M119", E::Ask, &[]),
    heat("M140", E::Heat, &[('S', TARGET)]),
    heat("M141", E::Heat, &[('S', TARGET)]),
    row("M155", E::Mode, &[('S', Number(0.0, 60.0))]),
    heat("M190", E::HeatAndWait, &[('S', TARGET), ('R', TARGET)]),
    heat("M191", E::HeatAndWait, &[('S', TARGET), ('R', TARGET)]),
    row("M220", E::Mode, &[('S', Number(10.0, 300.0))]),
    row("M221", E::Mode, &[('S', Number(10.0, 300.0)), TOOL]),
    heat(
        "M303",
        E::HeatAndWait,
        &[
            ('E', Whole(-1.0, 7.0)),
            ('S', TARGET),
            ('C', Whole(3.0, 20.0)),
        ],
    ),
    // Answers once all moves are done.
    row("M400", E::Move, &[]),
    row("M410", E::Stop, &[]),
    row("M500", E::Memory, &[]),
    row("M501", E::Memory, &[]),
    row("M503", E::Ask, &[('S', Whole(0.0, 1.0))]),
    row("M999", E::Stop, &[]),
    kept(
        needing(
            row(
                "M92",
                E::Set,
                &[
                    ('X', Number(1.0, 20_000.0)),
                    ('Y', Number(1.0, 20_000.0)),
                    ('Z', Number(1.0, 40_000.0)),
                    ('E', Number(1.0, 20_000.0)),
                    TOOL,
                ],
            ),
            &['X', 'Y', 'Z', 'E'],
        ),
        &[
            one('E', "extruder steps/mm", Some("drive")),
            rest("axis steps/mm", None),
        ],
    ),
    kept(
        needing(
            row(
                "M207",
                E::Set,
                &[
                    ('S', Number(0.0, 20.0)),
                    ('F', Number(1.0, 60_000.0)),
                    ('Z', Number(0.0, 10.0)),
                ],
            ),
            &['S', 'F', 'Z'],
        ),
        &[
            one('S', "retraction length", Some("retraction")),
            rest("retraction", Some("retraction")),
        ],
    ),
    kept(
        needing(
            row(
                "M208",
                E::Set,
                &[('S', Number(-10.0, 10.0)), ('F', Number(1.0, 60_000.0))],
            ),
            &['S', 'F'],
        ),
        &[rest("retraction", Some("retraction"))],
    ),
    kept(
        needing(
            row(
                "M218",
                E::Set,
                &[
                    TOOL,
                    ('X', Number(-200.0, 200.0)),
                    ('Y', Number(-200.0, 200.0)),
                    ('Z', Number(-20.0, 20.0)),
                ],
            ),
            &['X', 'Y', 'Z'],
        ),
        &[rest("nozzle offset XY", Some("offset_xy"))],
    ),
    kept(
        needing(
            row(
                "M301",
                E::Set,
                &[
                    ('E', Whole(0.0, 7.0)),
                    ('P', Number(0.01, 1_200.0)),
                    ('I', Number(0.0, 1_200.0)),
                    ('D', Number(0.0, 20_000.0)),
                ],
            ),
            &['P', 'I', 'D'],
        ),
        &[
            one('P', "heater loop, proportional", Some("heater_loop")),
            one('I', "heater loop, integral", Some("heater_loop")),
            one('D', "heater loop, derivative", Some("heater_loop")),
            rest("heater loop", Some("heater_loop")),
        ],
    ),
    kept(
        needing(
            row(
                "M304",
                E::Set,
                &[
                    ('P', Number(0.01, 5_000.0)),
                    ('I', Number(0.0, 5_000.0)),
                    ('D', Number(0.0, 50_000.0)),
                ],
            ),
            &['P', 'I', 'D'],
        ),
        &[rest("bed loop", None)],
    ),
    kept(
        needing(
            row(
                "M851",
                E::Set,
                &[
                    ('X', Number(-200.0, 200.0)),
                    ('Y', Number(-200.0, 200.0)),
                    ('Z', Number(-20.0, 20.0)),
                ],
            ),
            &['X', 'Y', 'Z'],
        ),
        &[
            one('Z', "nozzle offset Z", Some("offset_z")),
            rest("probe offset", None),
        ],
    ),
    kept(
        needing(
            row("M900", E::Set, &[('K', Number(0.0, 10.0)), TOOL]),
            &['K'],
        ),
        &[rest("pressure advance", Some("pressure_advance"))],
    ),
    kept(
        needing(row("M201", E::Mode, ACCELS), &['X', 'Y', 'Z', 'E']),
        &[rest("acceleration", None)],
    ),
    kept(
        needing(row("M203", E::Mode, SPEEDS), &['X', 'Y', 'Z', 'E']),
        &[rest("greatest speed", None)],
    ),
    kept(
        needing(
            row(
                "M204",
                E::Mode,
                &[
                    ('P', Number(1.0, 100_000.0)),
                    ('R', Number(1.0, 100_000.0)),
                    ('S', Number(1.0, 100_000.0)),
                    ('T', Number(1.0, 100_000.0)),
                ],
            ),
            &['P', 'R', 'S', 'T'],
        ),
        &[rest("acceleration", None)],
    ),
    kept(
        needing(
            row(
                "M205",
                E::Mode,
                &[
                    ('X', Number(0.0, 200.0)),
                    ('Y', Number(0.0, 200.0)),
                    ('Z', Number(0.0, 200.0)),
                    ('E', Number(0.0, 200.0)),
                    ('J', Number(0.0, 5.0)),
                    ('S', Number(0.0, 200.0)),
                    ('T', Number(0.0, 200.0)),
                    ('B', Number(0.0, 1e6)),
                ],
            ),
            &['X', 'Y', 'Z', 'E', 'J', 'S', 'T'],
        ),
        &[rest("setting", None)],
    ),
    kept(row("M206", E::ReportOnly, &[]), &[rest("setting", None)]),
    kept(
        row("M305", E::ReportOnly, &[]),
        &[rest("temperature sensor", Some("sensor_type"))],
    ),
    kept(
        row(
            "M420",
            E::Mode,
            &[('S', Whole(0.0, 1.0)), ('Z', Number(0.0, 100.0))],
        ),
        &[rest("setting", None)],
    ),
    kept(
        row("M906", E::ReportOnly, &[]),
        &[rest("motor current", None)],
    ),
];

/// The row of a command, e.g. `M92`, `T1`.
#[must_use]
pub fn command(code: &str) -> Option<&'static Spec> {
    let code = if code.starts_with('T') { "T" } else { code };
    COMMANDS.iter().find(|s| s.code == code)
}

impl Spec {
    /// What may stand behind a letter; none if the command doesn't take it.
    #[must_use]
    pub fn letter(&self, letter: char) -> Option<Takes> {
        self.letters
            .iter()
            .find(|(l, _)| *l == letter)
            .map(|(_, t)| *t)
    }

    /// What is remembered of a letter; none if nothing.
    #[must_use]
    pub fn kept(&self, letter: char) -> Option<&'static Kept> {
        let named = self.keeps.iter().find(|k| k.letter == Some(letter));
        named.or_else(|| self.keeps.iter().find(|k| k.letter.is_none()))
    }

    /// The letters it takes as a list, e.g. "S, T".
    #[must_use]
    pub fn letters_listed(&self) -> String {
        let all: Vec<String> = self.letters.iter().map(|(l, _)| l.to_string()).collect();
        all.join(", ")
    }
}
