//! The trial board as it is typed: a row a print.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_looks::{Credit, SCORE_U, Surface, Tried, credits, surface};
use wattotherm_measure::Unit;
use wattotherm_measure::entry::{Entry, Intake, Limit};
use wattotherm_measure::text::plain;

/// A print of the board, as it is typed.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct TrialPrint {
    /// Distance [mm].
    pub distance: Entry,
    /// Speed [mm/s].
    pub speed: Entry,
    /// Travel [mm/s].
    pub travel: Entry,
    /// Hop [mm].
    pub hop: Entry,
    /// Wipe [mm].
    pub wipe: Entry,
    /// Strings, 0 (none) to 5 (curtain).
    pub strings: Entry,
    /// Gaps after travel, 0 to 5.
    pub gaps: Entry,
    /// Blobs, 0 to 5.
    pub blobs: Entry,
    /// Minutes that the print took [min].
    pub minutes: Entry,
}

/// What of a print is set.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(super) enum Setting {
    Distance,
    Speed,
    Travel,
    Hop,
    Wipe,
}

impl Setting {
    /// In the order in which they are searched.
    pub const ALL: [Self; 5] = [
        Self::Distance,
        Self::Speed,
        Self::Travel,
        Self::Hop,
        Self::Wipe,
    ];

    /// Name in a sentence.
    pub const fn label(self) -> &'static str {
        match self {
            Self::Distance => "distance",
            Self::Speed => "speed",
            Self::Travel => "travel",
            Self::Hop => "hop",
            Self::Wipe => "wipe",
        }
    }

    /// Its unit.
    pub const fn unit(self) -> Unit {
        match self {
            Self::Distance | Self::Hop | Self::Wipe => Unit::Mm,
            Self::Speed | Self::Travel => Unit::MmPerS,
        }
    }

    /// Name of its field.
    pub const fn field(self) -> &'static str {
        self.label()
    }

    /// Limit of its field.
    pub fn limit(self) -> &'static Limit {
        match self {
            Self::Distance => &DISTANCE,
            Self::Speed => &SPEED,
            Self::Travel => &TRAVEL,
            Self::Hop => &HOP,
            Self::Wipe => &WIPE,
        }
    }

    /// What is typed for it.
    pub fn entry(self, p: &TrialPrint) -> &Entry {
        match self {
            Self::Distance => &p.distance,
            Self::Speed => &p.speed,
            Self::Travel => &p.travel,
            Self::Hop => &p.hop,
            Self::Wipe => &p.wipe,
        }
    }
}

pub(super) const DISTANCE: Limit = Limit::new(
    "distance",
    "retraction",
    Unit::Mm,
    [0.0, 20.0, 0.0, 12.0],
    "a longer pull draws melt into the cold path",
);
const SPEED: Limit = Limit::new(
    "speed",
    "speed",
    Unit::MmPerS,
    [1.0, 200.0, 5.0, 120.0],
    "drives pull at such speeds",
);
const TRAVEL: Limit = Limit::new(
    "travel",
    "travel",
    Unit::MmPerS,
    [5.0, 1_500.0, 40.0, 600.0],
    "heads travel at such speeds",
);
const HOP: Limit = Limit::new(
    "hop",
    "hop",
    Unit::Mm,
    [0.0, 5.0, 0.0, 2.0],
    "a lift is a few tenths",
);
const WIPE: Limit = Limit::new(
    "wipe",
    "wipe",
    Unit::Mm,
    [0.0, 20.0, 0.0, 10.0],
    "a wipe is a few millimetres",
);
pub(super) const SCORE: Limit = Limit::new(
    "strings",
    "score",
    Unit::One,
    [0.0, 5.0, 0.0, 5.0],
    "0 is none, 5 a curtain",
);
pub(super) const MINUTES: Limit = Limit::new(
    "minutes",
    "minutes",
    Unit::Minute,
    [0.5, 3_000.0, 1.0, 600.0],
    "a test print takes minutes",
);
/// Prints that a board holds at most.
pub(super) const MOST_PRINTS: usize = 40;

/// A print as it was made.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Made {
    /// Settings in the order of [`Setting::ALL`] [mm, mm/s].
    pub set: [f64; 5],
    /// Strings, gaps, blobs [1].
    pub seen: [f64; 3],
    pub minutes: Option<f64>,
}

impl Made {
    /// The worst of what is seen [1]: what cures strings and tears gaps is no cure.
    pub fn worst(&self) -> f64 {
        self.seen.iter().copied().fold(0.0, f64::max)
    }

    /// Distance [mm].
    pub fn distance(&self) -> f64 {
        self.set[0]
    }

    /// Speed [mm/s].
    pub fn speed(&self) -> f64 {
        self.set[1]
    }

    /// The same print with one setting changed.
    pub fn with(mut self, setting: Setting, value: f64) -> Self {
        for (s, v) in Setting::ALL.into_iter().zip(&mut self.set) {
            if s == setting {
                *v = value;
            }
        }
        self
    }

    /// Whether the settings are the same, as far as a profile takes them.
    pub fn same_settings(&self, other: &Self) -> bool {
        self.set
            .iter()
            .zip(other.set)
            .all(|(a, b)| (a - b).abs() < 0.005_f64.max(0.01 * a.abs()))
    }
}

/// Reads the board: prints with a score, in the order made.
pub(super) fn read(intake: &mut Intake<'_>, typed: &[TrialPrint]) -> Vec<Made> {
    let mut out = Vec::new();
    for (i, p) in typed.iter().take(MOST_PRINTS).enumerate() {
        let at = |name: &str| format!("prints.{i}.{name}");
        let looks = [
            ("strings", &p.strings),
            ("gaps", &p.gaps),
            ("blobs", &p.blobs),
        ];
        let looked = looks.iter().any(|(_, e)| !e.is_blank());
        let mut set = [0.0; 5];
        let mut whole = true;
        for (s, place) in Setting::ALL.into_iter().zip(&mut set) {
            let entry = s.entry(p);
            // Travel, hop and wipe are often left as they are: blank is nought, and the same in each row.
            let needed = looked && matches!(s, Setting::Distance | Setting::Speed);
            let value = if needed {
                intake.need(s.limit(), &at(s.field()), entry)
            } else {
                intake.may(s.limit(), &at(s.field()), entry)
            };
            whole &= !needed || value.is_some();
            *place = value.unwrap_or(0.0);
        }
        let seen = looks.map(|(name, e)| {
            // Strings must be looked at; what isn't said of the others is none.
            if name == "strings" && looked {
                intake.need(&SCORE, &at(name), e)
            } else {
                intake.may(&SCORE, &at(name), e)
            }
        });
        let minutes = intake.may(&MINUTES, &at("minutes"), &p.minutes);
        if looked && whole && seen[0].is_some() {
            out.push(Made {
                set,
                seen: seen.map(Option::unwrap_or_default),
                minutes,
            });
        }
    }
    if typed.len() > MOST_PRINTS {
        intake.count("prints", format!("A board holds {MOST_PRINTS} prints."));
    }
    out
}

/// What each change earned.
pub(super) fn credits_of(made: &[Made]) -> Vec<Vec<Credit>> {
    let all: Vec<(Vec<f64>, f64)> = made.iter().map(|m| (m.set.to_vec(), m.worst())).collect();
    credits(&all)
}

/// The print to go on from: the best one, of equals the one with the most prints of its travel, hop and wipe.
pub(super) fn go_on_from(made: &[Made]) -> Option<&Made> {
    made.iter()
        .enumerate()
        .min_by(|(i, a), (j, b)| {
            (a.worst().total_cmp(&b.worst()))
                .then(beside(made, b).count().cmp(&beside(made, a).count()))
                .then(j.cmp(i))
        })
        .map(|(_, m)| m)
}

/// Prints with the same travel, hop and wipe.
fn beside<'a>(made: &'a [Made], of: &'a Made) -> impl Iterator<Item = &'a Made> {
    made.iter().filter(|m| {
        m.set[2..]
            .iter()
            .zip(&of.set[2..])
            .all(|(a, b)| (a - b).abs() < 1e-6)
    })
}

/// The surface over distance and speed of those prints that have the travel, hop and wipe of the one to go on from.
pub(super) fn surface_of(made: &[Made], range: [[f64; 2]; 2]) -> Option<Surface> {
    let tried: Vec<Tried> = beside(made, go_on_from(made)?)
        .map(|m| Tried {
            distance: m.distance(),
            speed: m.speed(),
            score: m.worst(),
        })
        .collect();
    surface(&tried, range, SCORE_U)
}

/// A print as a row to type its score into.
pub(super) fn as_row(m: &Made) -> serde_json::Value {
    let [d, v, t, h, w] = m.set;
    let or_blank = |x: f64, decimals| {
        if x > 0.0 {
            plain(x, decimals)
        } else {
            String::new()
        }
    };
    serde_json::json!({
        "distance": plain(d, 1), "speed": plain(v, 0), "travel": or_blank(t, 0),
        "hop": plain(h, 2), "wipe": plain(w, 1), "strings": "", "gaps": "", "blobs": "", "minutes": "",
    })
}
