//! What tiles on a plate are called, and who is meant by an answer.

use serde::{Deserialize, Serialize};
use wattotherm_measure::entry::Intake;

/// What tiles are called on the plate.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(super) enum Names {
    /// A, B, C by their places.
    Letters,
    /// 1, 2, 3 by their places.
    Numbers,
}

/// What an answer calls tiles by, one by one.
pub(super) fn calls(names: Names, answer: &str) -> Vec<String> {
    let words = answer
        .split(|c: char| !c.is_alphanumeric())
        .filter(|w| !w.is_empty());
    match names {
        Names::Letters => words.flat_map(str::chars).map(String::from).collect(),
        Names::Numbers => words.map(str::to_owned).collect(),
    }
}

/// The tiles that an answer names, by value's number; a problem for what names none.
pub(super) fn named(
    intake: &mut Intake<'_>,
    path: &str,
    answer: &str,
    names: Names,
    order: &[u32],
) -> Vec<u32> {
    let count = order.len();
    let mut out = Vec::new();
    let mut unknown = None;
    for word in calls(names, answer) {
        let place = match names {
            Names::Letters => match word.as_bytes() {
                [c] if c.is_ascii_alphabetic() => Some(usize::from(c.to_ascii_uppercase() - b'A')),
                _ => None,
            },
            Names::Numbers => word.parse::<usize>().ok().and_then(|n| n.checked_sub(1)),
        };
        match place.and_then(|p| order.get(p)) {
            Some(tile) => out.push(*tile),
            None => unknown = unknown.or(Some(word)),
        }
    }
    if let Some(word) = unknown {
        let last = match names {
            Names::Letters => {
                let last = u8::try_from(count.saturating_sub(1)).unwrap_or(25).min(25);
                format!("A to {}", char::from(b'A' + last))
            }
            Names::Numbers => format!("1 to {count}"),
        };
        let word: String = word.chars().take(12).collect();
        intake.conflict(path, format!("There is no “{word}”. Name {last}."));
    }
    out.sort_unstable();
    out.dedup();
    out
}
