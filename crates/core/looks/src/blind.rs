//! Blind choice: tiles whose values are hidden behind letters or numbers, the good ones named twice.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::agreement::{Agreement, agreement};

/// Tiles in even steps of a value.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Tiles {
    /// Value of the first [unit of the value].
    pub from: f64,
    /// From tile to tile [unit of the value], not 0.
    pub step: f64,
    /// Number of tiles.
    pub count: u32,
}

impl Tiles {
    /// Value of the tile with this number, from 0 [unit of the value].
    #[must_use]
    pub fn value(&self, index: u32) -> f64 {
        self.from + f64::from(index) * self.step
    }
}

/// What two looks come to.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "picked", rename_all = "snake_case")]
pub enum Picked {
    /// One tile, or neighbours that can't be told apart.
    Settled {
        /// The middle of those that were named [unit of the value].
        value: f64,
        /// How far the truth may be from it, ± [unit of the value]: half of what they span, and half a step.
        expanded: f64,
        /// Number of tiles that were named, in either look.
        tied: u32,
    },
    /// The range ends at what was named: the best may lie beyond.
    AtEnd {
        /// Whether it is the first tile; the last otherwise.
        first: bool,
    },
    /// Looks more than a step apart, or good tiles with bad ones between them: the eye doesn't tell these tiles.
    Apart {
        /// Middle of the first look [unit of the value].
        one: f64,
        /// Middle of the second [unit of the value].
        other: f64,
    },
}

/// What two looks at tiles come to, each the numbers (from 0) of the tiles that were good; with how well they agree,
/// tile by tile. None where a look named none, or one that there isn't.
///
/// Source: common practice, no published source: neighbours that can't be told apart are a tie, and its middle is taken; a
/// pick at the end asks for another range. Agreement by [`agreement`].
#[must_use]
pub fn pick(tiles: &Tiles, first: &[u32], second: &[u32]) -> Option<(Picked, Agreement)> {
    let all = || first.iter().chain(second).copied();
    if first.is_empty() || second.is_empty() || all().any(|i| i >= tiles.count) {
        return None;
    }
    let rounds: Vec<(bool, bool)> = (0..tiles.count)
        .map(|i| (first.contains(&i), second.contains(&i)))
        .collect();
    let agreed = agreement(&rounds)?;
    let middle = |look: &[u32]| {
        let low = look.iter().min().copied().unwrap_or(0);
        let high = look.iter().max().copied().unwrap_or(0);
        f64::midpoint(f64::from(low), f64::from(high))
    };
    let (one, other) = (middle(first), middle(second));
    let (low, high) = (all().min()?, all().max()?);
    let holes = (low..=high).any(|i| !all().any(|a| a == i));
    let at = |place: f64| tiles.from + place * tiles.step;
    let picked = if holes || (one - other).abs() > 1.0 {
        Picked::Apart {
            one: at(one),
            other: at(other),
        }
    } else if low == 0 {
        Picked::AtEnd { first: true }
    } else if high + 1 == tiles.count {
        Picked::AtEnd { first: false }
    } else {
        Picked::Settled {
            value: at(f64::midpoint(f64::from(low), f64::from(high))),
            expanded: tiles.step.abs() * (f64::from(high - low) + 1.0) / 2.0,
            tied: high - low + 1,
        }
    };
    Some((picked, agreed))
}
