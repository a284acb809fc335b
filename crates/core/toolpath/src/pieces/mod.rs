//! Test pieces, made for one printer: what each is for, what it proves and what it doesn't, as G-code and as a body.

mod draw;
mod facts;
mod order;
mod pen;
mod raised;
mod show;
mod solid;
mod strokes;

use std::collections::BTreeMap;

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_measure::text::{join_or, plain};

pub use facts::{PieceError, PieceFor};
pub use order::shuffled;
pub use solid::{Prism, Triangle, write_stl};

/// A setting of a piece.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct PieceSetting {
    /// Its key, e.g. `from`.
    pub key: &'static str,
    /// What it is, with its unit.
    pub says: &'static str,
    /// Unless said [its unit].
    pub default: f64,
    /// Least [its unit].
    pub min: f64,
    /// Most [its unit].
    pub max: f64,
    /// What is done where nothing is said, for a default that is no value but a sign.
    pub unsaid: Option<&'static str>,
    /// The only values it takes, in words; none where any number from least to most will do.
    pub choices: &'static [PieceChoice],
}

/// A value that a setting can take.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct PieceChoice {
    /// As it is set [unit of the setting].
    pub value: f64,
    /// What it means.
    pub says: &'static str,
}

const fn choice(value: f64, says: &'static str) -> PieceChoice {
    PieceChoice { value, says }
}

impl PieceSetting {
    const fn unsaid(self, does: &'static str) -> Self {
        Self {
            unsaid: Some(does),
            ..self
        }
    }

    const fn one_of(self, choices: &'static [PieceChoice]) -> Self {
        Self { choices, ..self }
    }

    /// Whether it can have this value [its unit]; else what it takes.
    fn check(&self, value: f64) -> Result<(), String> {
        // OK because a choice is written out, and typed or picked as it is written.
        #[allow(clippy::float_cmp)]
        let chosen = self.choices.iter().any(|c| c.value == value);
        if !self.choices.is_empty() && !chosen {
            let all: Vec<String> = self.choices.iter().map(PieceChoice::shown).collect();
            let all: Vec<&str> = all.iter().map(String::as_str).collect();
            return Err(format!("{value} is none of them. Give {}.", join_or(&all)));
        }
        if !(self.min..=self.max).contains(&value) {
            return Err(format!(
                "{value} is out of range. Give {} to {}.",
                self.min, self.max
            ));
        }
        Ok(())
    }
}

impl PieceChoice {
    /// The number, and what it means where that isn't the number itself.
    #[must_use]
    pub fn shown(&self) -> String {
        let number = plain(self.value, 0);
        if number == self.says {
            number
        } else {
            format!("{number} for {}", self.says)
        }
    }
}

const fn set(key: &'static str, says: &'static str, [default, min, max]: [f64; 3]) -> PieceSetting {
    PieceSetting {
        key,
        says,
        default,
        min,
        max,
        unsaid: None,
        choices: &[],
    }
}

/// A kind of test piece.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct PieceKind {
    /// Its name, e.g. `box`.
    pub name: &'static str,
    /// In a few words.
    pub title: &'static str,
    /// What is found with it.
    pub finds: &'static str,
    /// What it proves.
    pub proves: &'static str,
    /// What it doesn't.
    pub proves_not: &'static str,
    /// What can be set.
    pub settings: &'static [PieceSetting],
}

/// One part of a piece that has a value of its own: a card, a line, a band, a heap.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Part {
    /// What is written on it: its number, or a letter where the key is kept.
    pub label: String,
    /// Its value [unit of the setting].
    pub value: f64,
    /// Where it begins and ends in X [mm].
    pub x_mm: [f64; 2],
    /// In Y [mm].
    pub y_mm: [f64; 2],
    /// In Z [mm].
    pub z_mm: [f64; 2],
}

/// A piece for one printer.
#[derive(Clone, Debug, PartialEq)]
pub struct Piece {
    /// What is printed.
    pub gcode: String,
    /// Its parts, in the order they are printed.
    pub parts: Vec<Part>,
    /// Its body, for a slicer of one's own; empty where only the path is the piece.
    pub body: Vec<Prism>,
}

/// From line to line of the slow-fast-slow lines [mm].
pub const LINES_PITCH_MM: f64 = 5.0;
/// Pitch of the first nozzle's comb [mm], unless set otherwise.
pub const COMB_PITCH_MM: f64 = 1.0;
/// Teeth of each comb, a number of, unless set otherwise: ten to either side of the middle one.
pub const COMB_TEETH: usize = 21;

/// All pieces. Sizes and ranges: handbook 5, table E (common practice, no published source).
pub const PIECES: &[PieceKind] = &[
    PieceKind {
        name: "box",
        title: "single-wall box",
        finds: "flow, by the thickness of its walls",
        proves: "how wide a line comes out, at eight places",
        proves_not: "nothing of top surfaces, strings or corners",
        settings: &[
            set("side", "length of a side [mm]", [40.0, 15.0, 80.0]),
            set("high", "height [mm]", [10.0, 3.0, 60.0]),
            set("wall", "thickness of the wall [mm]", [0.0, 0.0, 3.2]).unsaid("as usual"),
        ],
    },
    PieceKind {
        name: "patches",
        title: "first-layer patches",
        finds: "nozzle height and tilt of the bed",
        proves: "how thick the first layer is, at five or nine places",
        proves_not: "not whether a part holds: a patch is small",
        settings: &[
            set("count", "how many patches", [5.0, 5.0, 9.0])
                .one_of(&[choice(5.0, "5"), choice(9.0, "9")]),
            set("side", "length of a side [mm]", [20.0, 10.0, 40.0]),
            set("thick", "thickness [mm]", [0.0, 0.0, 1.6]).unsaid("as usual"),
        ],
    },
    PieceKind {
        name: "cards",
        title: "flow cards",
        finds: "flow, by the look of a top",
        proves: "which flow closes a top without ridges",
        proves_not: "not the width of walls, and not another speed",
        settings: &[
            set(
                "from",
                "least, in per cent of the flow",
                [-20.0, -40.0, 20.0],
            ),
            set("step", "from card to card [%]", [5.0, 0.5, 20.0]),
            set("count", "how many cards", [9.0, 2.0, 12.0]),
            set("seed", "order: a number shuffles it", [0.0, 0.0, 1e6]).unsaid("as it is"),
        ],
    },
    PieceKind {
        name: "tower",
        title: "band tower",
        finds: "temperature, flow, fan or speed, one of them by height",
        proves: "at which value bridges, overhangs, strings and bond are good together",
        proves_not: "not flow on walls to a per cent, and nothing of long prints",
        settings: &[
            set("by", "what changes", [0.0, 0.0, 3.0]).one_of(&[
                choice(0.0, "temperature"),
                choice(1.0, "flow"),
                choice(2.0, "fan"),
                choice(3.0, "speed"),
            ]),
            set("from", "lowest band [°C, % or mm/s]", [-1.0, -1.0, 500.0])
                .unsaid("as it suits the printer"),
            set(
                "step",
                "from band to band [°C, % or mm/s]",
                [0.0, -100.0, 100.0],
            )
            .unsaid("as usual"),
            set("bands", "how many bands", [5.0, 3.0, 14.0]),
            set("every", "height of a band [mm]", [10.0, 6.0, 20.0]),
        ],
    },
    PieceKind {
        name: "lines",
        title: "lines, slow, fast, slow",
        finds: "pressure advance",
        proves: "at which value a line keeps its width when the speed changes",
        proves_not: "not what corners look like: print the corners with what is found",
        settings: &[
            set("from", "least [s]", [0.0, 0.0, 2.0]),
            set("step", "from line to line [s]", [0.01, 0.001, 0.2]),
            set("count", "how many lines", [21.0, 5.0, 41.0]),
            set("seed", "order: a number shuffles it", [0.0, 0.0, 1e6]).unsaid("as it is"),
            set("slow", "slow [mm/s]", [20.0, 5.0, 200.0]),
            set("fast", "fast [mm/s]", [100.0, 20.0, 500.0]),
        ],
    },
    PieceKind {
        name: "corners",
        title: "corners",
        finds: "pressure advance, as parts show it",
        proves: "at which value corners neither bulge nor thin",
        proves_not: "nothing finer than its steps; it takes more filament than lines",
        settings: &[
            set("from", "least [s]", [0.0, 0.0, 2.0]),
            set("step", "from angle to angle [s]", [0.01, 0.001, 0.2]),
            set("count", "how many angles", [9.0, 3.0, 15.0]),
            set("speed", "speed [mm/s]", [80.0, 10.0, 500.0]),
        ],
    },
    PieceKind {
        name: "posts",
        title: "string posts",
        finds: "retraction: distance, speed, travel or hop, one of them",
        proves: "how many strings hang over many crossings, band by band",
        proves_not: "nothing of blobs on large walls; wet filament strings whatever is set",
        settings: &[
            set("by", "what changes", [0.0, 0.0, 3.0]).one_of(&[
                choice(0.0, "distance"),
                choice(1.0, "speed"),
                choice(2.0, "travel"),
                choice(3.0, "hop"),
            ]),
            set("from", "first value [mm or mm/s]", [0.4, 0.0, 1_000.0]),
            set(
                "step",
                "from band to band [mm or mm/s]",
                [0.4, -500.0, 500.0],
            ),
            set("bands", "how many bands", [5.0, 1.0, 12.0]),
            set("every", "height of a band [mm]", [6.0, 2.0, 20.0]),
            set(
                "speed",
                "retraction speed where it doesn’t change [mm/s]",
                [-1.0, -1.0, 200.0],
            )
            .unsaid("as the printer has it"),
            set(
                "travel",
                "travel where it doesn’t change [mm/s]",
                [-1.0, -1.0, 1_500.0],
            )
            .unsaid("as the printer has it"),
            set("hop", "hop where it doesn’t change [mm]", [-1.0, -1.0, 5.0])
                .unsaid("as the printer has it"),
            set("posts", "how many posts", [2.0, 2.0, 4.0]).one_of(&[
                choice(2.0, "2"),
                choice(3.0, "3"),
                choice(4.0, "4"),
            ]),
            set("apart", "between two posts [mm]", [60.0, 40.0, 80.0]),
        ],
    },
    PieceKind {
        name: "cube",
        title: "cube with X and Y on it",
        finds: "whether lengths come out as they should",
        proves: "X, Y and Z within the caliper",
        proves_not: "nothing of long prints: it is short",
        settings: &[set("side", "length of an edge [mm]", [20.0, 15.0, 40.0])],
    },
    PieceKind {
        name: "long",
        title: "long run",
        finds: "whether a fault comes back that needs time",
        proves: "walls, bridges and thousands of retractions over as long as is asked",
        proves_not: "nothing of large flows, and nothing of lengths",
        settings: &[
            set("minutes", "at least so long [min]", [60.0, 5.0, 1_500.0]),
            set("speed", "speed [mm/s]", [25.0, 3.0, 200.0]),
        ],
    },
    PieceKind {
        name: "combs",
        title: "combs of two nozzles",
        finds: "XY offset of the second nozzle",
        proves: "where the second nozzle’s lines meet the first’s, in both directions",
        proves_not: "nothing of its height",
        settings: &[
            set(
                "pitch",
                "pitch of the first nozzle’s comb [mm]",
                [COMB_PITCH_MM, 0.8, 3.0],
            ),
            set(
                "more",
                "how much wider the second’s is [mm]",
                [0.05, 0.02, 0.2],
            ),
            set(
                "teeth",
                "teeth to either side of the middle",
                [10.0, 4.0, 20.0],
            ),
        ],
    },
    PieceKind {
        name: "ladder",
        title: "flow ladder",
        finds: "the volumetric limit",
        proves: "how much comes out at each flow: weigh the heaps, or measure at the inlet",
        proves_not: "not what a hot end melts when it has just turned a corner",
        settings: &[
            set("from", "first flow [mm³/s]", [4.0, 0.5, 50.0]),
            set("step", "from heap to heap [mm³/s]", [2.0, 0.2, 20.0]),
            set("count", "how many heaps", [8.0, 3.0, 14.0]),
            set("feed", "filament a heap [mm]", [40.0, 10.0, 200.0]),
        ],
    },
];

/// The kind of a name.
#[must_use]
pub fn piece_named(name: &str) -> Option<&'static PieceKind> {
    PIECES.iter().find(|p| p.name == name)
}

/// What is set of a piece, checked.
pub(crate) struct Settings(BTreeMap<&'static str, f64>);

impl Settings {
    /// Value of a key [its unit]; every key of the piece has one.
    pub fn get(&self, key: &str) -> f64 {
        self.0.get(key).copied().unwrap_or_default()
    }

    /// A whole number.
    // OK because bounds are far below the largest number, and above 0.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    pub fn count(&self, key: &str) -> u32 {
        self.get(key).round() as u32
    }
}

/// Makes a piece for a printer. `set` are values by key, in the unit of each setting.
///
/// Laws: inside the plate less its rim; filament is the bead's area times the length drawn; no flow above the limit.
/// # Errors
/// [`PieceError`] naming the fact or the setting that can't be meant, or the room that is missing.
pub fn make_piece(
    kind: &PieceKind,
    facts: &PieceFor,
    set: &BTreeMap<String, f64>,
) -> Result<Piece, PieceError> {
    facts.check()?;
    let mut values: BTreeMap<&'static str, f64> =
        kind.settings.iter().map(|s| (s.key, s.default)).collect();
    for (key, value) in set {
        let Some(spec) = kind.settings.iter().find(|s| s.key == key) else {
            let keys: Vec<&str> = kind.settings.iter().map(|s| s.key).collect();
            return Err(PieceError::new(
                key,
                format!("{} takes {}.", kind.name, keys.join(", ")),
            ));
        };
        spec.check(*value).map_err(|e| PieceError::new(key, e))?;
        values.insert(spec.key, *value);
    }
    let settings = Settings(values);
    let facts = &as_asked(kind, facts, &settings)?;
    match kind.name {
        "box" => draw::single_wall(facts, &settings),
        "patches" => draw::patches(facts, &settings),
        "cards" => draw::cards(facts, &settings),
        "lines" => draw::lines(facts, &settings),
        "posts" => draw::posts(facts, &settings),
        "cube" => draw::cube(facts, &settings),
        "combs" => draw::combs(facts, &settings),
        "tower" => show::tower(facts, &settings),
        "corners" => show::corners(facts, &settings),
        "long" => show::long_run(facts, &settings),
        _ => draw::ladder(facts, &settings),
    }
}

/// Facts with the line or the layer that a piece is asked for: what is measured on it is what was asked.
fn as_asked(kind: &PieceKind, facts: &PieceFor, set: &Settings) -> Result<PieceFor, PieceError> {
    let mut facts = facts.clone();
    let (key, asked) = match kind.name {
        "box" => ("wall", set.get("wall")),
        "patches" => ("thick", set.get("thick")),
        _ => return Ok(facts),
    };
    if asked > 0.0 {
        if key == "wall" {
            facts.width_mm = Some(asked);
        } else {
            facts.layer_mm = Some(asked);
        }
        facts.check().map_err(|e| PieceError::new(key, e.says))?;
    }
    Ok(facts)
}
