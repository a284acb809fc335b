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
}

const fn set(key: &'static str, says: &'static str, [default, min, max]: [f64; 3]) -> PieceSetting {
    PieceSetting {
        key,
        says,
        default,
        min,
        max,
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
            set(
                "wall",
                "thickness of the wall, 0 as usual [mm]",
                [0.0, 0.0, 3.2],
            ),
        ],
    },
    PieceKind {
        name: "patches",
        title: "first-layer patches",
        finds: "nozzle height and tilt of the bed",
        proves: "how thick the first layer is, at five or nine places",
        proves_not: "not whether a part holds: a patch is small",
        settings: &[
            set("count", "how many patches, 5 or 9", [5.0, 5.0, 9.0]),
            set("side", "length of a side [mm]", [20.0, 10.0, 40.0]),
            set("thick", "thickness, 0 as usual [mm]", [0.0, 0.0, 1.6]),
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
            set(
                "seed",
                "order: 0 as it is, another number shuffles",
                [0.0, 0.0, 1e6],
            ),
        ],
    },
    PieceKind {
        name: "tower",
        title: "band tower",
        finds: "temperature, flow, fan or speed, one of them by height",
        proves: "at which value bridges, overhangs, strings and bond are good together",
        proves_not: "not flow on walls to a per cent, and nothing of long prints",
        settings: &[
            set(
                "by",
                "what changes: 0 temperature, 1 flow, 2 fan, 3 speed",
                [0.0, 0.0, 3.0],
            ),
            set(
                "from",
                "lowest band, in °C, % or mm/s; -1 as it suits the printer",
                [-1.0, -1.0, 500.0],
            ),
            set(
                "step",
                "from band to band, in the same; 0 as is usual",
                [0.0, -100.0, 100.0],
            ),
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
            set(
                "seed",
                "order: 0 as it is, another number shuffles",
                [0.0, 0.0, 1e6],
            ),
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
            set(
                "by",
                "what changes: 0 distance, 1 speed, 2 travel, 3 hop",
                [0.0, 0.0, 3.0],
            ),
            set("from", "first value, mm or mm/s", [0.4, 0.0, 1_000.0]),
            set(
                "step",
                "from band to band, mm or mm/s",
                [0.4, -500.0, 500.0],
            ),
            set("bands", "how many bands", [5.0, 1.0, 12.0]),
            set("every", "height of a band [mm]", [6.0, 2.0, 20.0]),
            set(
                "speed",
                "retraction speed where it doesn’t change [mm/s]; -1 as the printer has it",
                [-1.0, -1.0, 200.0],
            ),
            set(
                "travel",
                "travel where it doesn’t change [mm/s]; -1 as the printer has it",
                [-1.0, -1.0, 1_500.0],
            ),
            set(
                "hop",
                "hop where it doesn’t change [mm]; -1 as the printer has it",
                [-1.0, -1.0, 5.0],
            ),
            set("posts", "how many posts, 2 to 4", [2.0, 2.0, 4.0]),
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
        if !(spec.min..=spec.max).contains(value) {
            return Err(PieceError::new(
                key,
                format!(
                    "{value} is out of range. Give {} to {}.",
                    spec.min, spec.max
                ),
            ));
        }
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
