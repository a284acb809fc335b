//! Pairs of tiles laid beside each other, where two looks at all of them differ.

use serde::{Deserialize, Serialize};
use wattotherm_looks::strengths;
use wattotherm_measure::entry::Intake;
use wattotherm_measure::text::plain;

use super::snapshot::no_longer;
use super::tile_names::{Names, calls, named};
use crate::form::Field;

/// What pairs of tiles said.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Paired {
    /// Pairs that were laid, a number of.
    pub asked: usize,
    /// By how much the best is ahead of the next, as the logarithm of how often it wins [1]; none where not all met.
    pub ahead: Option<f64>,
    /// Uncertainty of that at 95 % [1].
    pub expanded: f64,
    /// What the best may be, by their values' numbers from the first to the last: neighbours that the rest lost to.
    pub between: Option<[u32; 2]>,
    /// The two to lay next, by their places on the plate.
    pub lay: Option<[u32; 2]>,
    pub names: Names,
}

/// Longest list of pairs.
const MOST_PAIRS: usize = 400;

/// How pairs are typed, and what it says.
const fn example(names: Names) -> [&'static str; 2] {
    match names {
        Names::Letters => ["F E, F G", "F was better than E and than G"],
        Names::Numbers => ["7 6, 7 8", "7 was better than 6 and than 8"],
    }
}

/// The field of pairs: asked for where both looks are there and differ.
pub(super) fn field(names: Names, first: &str, second: &str) -> Field {
    let [a, b] = [first, second].map(|answer| {
        let mut called: Vec<String> = calls(names, answer)
            .into_iter()
            .map(|c| c.to_ascii_uppercase())
            .collect();
        called.sort_unstable();
        called
    });
    let [typed, says] = example(names);
    Field::text("pairs", "Two beside each other, the better one first", MOST_PAIRS)
        .hint(&format!(
            "Where the looks differ: lay two beside each other, as often as it takes. “{typed}” says that {says}."
        ))
        .when(!a.is_empty() && !b.is_empty() && a != b)
}

/// What is typed, as the better and the other tile, by their values' numbers; a problem for what is no pair.
fn wins(intake: &mut Intake<'_>, pairs: &str, names: Names, order: &[u32]) -> Vec<(u32, u32)> {
    no_longer(intake, "pairs", pairs, MOST_PAIRS);
    let mut wins = Vec::new();
    for pair in pairs
        .split([',', ';', '\n'])
        .filter(|p| p.chars().any(char::is_alphanumeric))
    {
        let called = calls(names, pair);
        // One by one, so that their order stays: the better one first.
        let mut tile = |word: &str| named(intake, "pairs", word, names, order);
        if let [a, b] = &called[..] {
            match (&tile(a)[..], &tile(b)[..]) {
                ([better], [other]) if better != other => {
                    wins.push((*better, *other));
                    continue;
                }
                // What names none is said already.
                ([], _) | (_, []) => continue,
                _ => {}
            }
        }
        let [example, _] = example(names);
        intake.conflict(
            "pairs",
            format!("Name two different ones for each pair, the better one first: “{example}”."),
        );
    }
    wins
}

/// What the typed pairs say. None where there are none.
pub(super) fn read(
    intake: &mut Intake<'_>,
    pairs: &str,
    names: Names,
    order: &[u32],
) -> Option<Paired> {
    let wins = wins(intake, pairs, names, order);
    let mut met: Vec<u32> = wins.iter().flat_map(|(a, b)| [*a, *b]).collect();
    met.sort_unstable();
    met.dedup();
    let first = *met.first()?;
    let number = |tile: u32| met.iter().position(|m| *m == tile).unwrap_or(0);
    let by_number: Vec<(usize, usize)> =
        wins.iter().map(|(a, b)| (number(*a), number(*b))).collect();
    let found = strengths(met.len(), &by_number);
    let (between, lay) = match &found {
        // Groups that never met: one of each.
        None => (None, apart(first, &met, &wins).map(|other| [first, other])),
        Some(s) => {
            let level: Vec<u32> = s.level.iter().map(|i| met[*i]).collect();
            // The best is found where its neighbours on both sides were laid and lost: one never laid may be better.
            let last = u32::try_from(order.len()).unwrap_or(0).saturating_sub(1);
            let unmet = level.iter().find_map(|t| {
                let beside = [t.checked_sub(1), Some(t + 1).filter(|n| *n <= last)];
                let never = beside.into_iter().flatten().find(|n| !met.contains(n));
                never.map(|other| [*t, other])
            });
            let near = match level[..] {
                [one] => Some([one, one]),
                [low, high] if low + 1 == high => Some([low, high]),
                _ => None,
            };
            let best = met[s.best];
            let again = || level.iter().find(|t| **t != best).map(|t| [best, *t]);
            match (near, unmet) {
                (Some(near), None) => (Some(near), None),
                _ => (None, unmet.or_else(again)),
            }
        }
    };
    let on_plate = |tile: u32| {
        let place = order.iter().position(|t| *t == tile).unwrap_or(0);
        u32::try_from(place).unwrap_or(0)
    };
    Some(Paired {
        asked: wins.len(),
        ahead: found.as_ref().map(|s| s.ahead),
        expanded: found.as_ref().map_or(0.0, |s| s.expanded),
        between,
        lay: lay.map(|two| two.map(on_plate)),
        names,
    })
}

/// A tile that `first` met neither directly nor by way of others.
fn apart(first: u32, met: &[u32], wins: &[(u32, u32)]) -> Option<u32> {
    let mut reached = vec![first];
    while let Some(next) =
        wins.iter()
            .find_map(|(a, b)| match (reached.contains(a), reached.contains(b)) {
                (true, false) => Some(*b),
                (false, true) => Some(*a),
                _ => None,
            })
    {
        reached.push(next);
    }
    met.iter().copied().find(|t| !reached.contains(t))
}

impl Paired {
    /// What a place on the plate is called.
    fn call(self, place: u32) -> String {
        match self.names {
            Names::Letters => {
                let letter = u8::try_from(place.min(25)).unwrap_or(25);
                char::from(b'A' + letter).to_string()
            }
            Names::Numbers => (place + 1).to_string(),
        }
    }

    /// What they say, in a sentence.
    pub fn reason(self) -> String {
        let Some(ahead) = self.ahead else {
            return format!(
                "{} pairs: not all of them met, so they don’t say which is best.",
                self.asked
            );
        };
        let end = if self.between.is_some() {
            ""
        } else {
            "; not settled yet"
        };
        format!(
            "{} pairs: the best is ahead of the next by {} ±{} (Bradley and Terry){end}.",
            self.asked,
            plain(ahead, 1),
            plain(self.expanded, 1)
        )
    }

    /// The two to lay next; none where they are settled.
    pub fn next(self) -> Option<String> {
        let [a, b] = self.lay?.map(|place| self.call(place));
        Some(format!("{a} and {b} beside each other once more"))
    }
}
