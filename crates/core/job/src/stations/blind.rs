//! Blind choice at a station: tiles with their values hidden, the good ones named in two looks.

use serde::{Deserialize, Serialize};
use wattotherm_looks::{Picked, Tiles, pick};
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit};
use wattotherm_measure::text::{plain, spaced};
use wattotherm_measure::{Pen, Unit};
use wattotherm_toolpath::shuffled;

use super::pairs::{self, Paired};
pub(super) use super::tile_names::Names;
use super::tile_names::named;
use crate::finding::Words;
use crate::form::Field;

/// What two looks found.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Look {
    pub tiles: Tiles,
    pub picked: Picked,
    /// Share of tiles judged the same in both looks, and Cohen's kappa.
    pub share: f64,
    pub kappa: Option<f64>,
    /// Whether the order was known to the eye, and needn't have been.
    pub known: bool,
    /// What pairs laid beside each other said.
    #[serde(default)]
    pub paired: Option<Paired>,
}

/// The key of a shuffled piece, 0 for one in order.
pub(super) const KEY: Limit = Limit::new(
    "seed",
    "key of the piece",
    Unit::One,
    [0.0, 999_999.0, 0.0, 999_999.0],
    "it stands in the piece’s first line",
);
/// How many tiles.
pub(super) const COUNT: Limit = Limit::new(
    "count",
    "number of tiles",
    Unit::One,
    [3.0, 41.0, 3.0, 41.0],
    "three are the least, and more than 41 find no room",
);
/// Longest answer.
const MOST_ANSWER: usize = 80;
/// A key that differs from one search to the next, 1 to 9999.
pub(super) fn key_of(what: &str, round: u32) -> u32 {
    let hash = what.bytes().fold(0x811C_9DC5_u32, |h, b| {
        (h ^ u32::from(b)).wrapping_mul(0x0100_0193)
    });
    hash.wrapping_add(round.wrapping_mul(7_919)) % 9_999 + 1
}

/// The two looks as fields; `what` says how good ones are named.
pub(super) fn fields(what: &str) -> [Field; 2] {
    [
        Field::text("first", "First look", MOST_ANSWER).hint(&format!(
            "{what}; of neighbours that you can’t tell apart, both."
        )),
        Field::text("second", "Second look", MOST_ANSWER).hint(
            "Turn the plate round or lay them anew, and look again without the first answer.",
        ),
    ]
}

/// Two looks as typed: answers, and the key of the piece.
pub(super) struct Typed<'a> {
    pub seed: &'a Entry,
    pub first: &'a str,
    pub second: &'a str,
    /// Pairs, the better one first; blank for none.
    pub pairs: &'a str,
    pub names: Names,
    /// Whether the piece can hide its order.
    pub shuffles: bool,
}

/// Reads two looks at tiles.
pub(super) fn read(
    intake: &mut Intake<'_>,
    tiles: Option<Tiles>,
    typed: &Typed<'_>,
) -> Option<Look> {
    let seed = intake.may(&KEY, KEY.field, typed.seed).unwrap_or(0.0);
    for (path, answer) in [("first", typed.first), ("second", typed.second)] {
        super::snapshot::no_longer(intake, path, answer, MOST_ANSWER);
        if answer.trim().is_empty() {
            intake.push(FieldProblem::Count {
                field: path.into(),
                message: if path == "first" {
                    "Look, and name those that are good.".into()
                } else {
                    "Look once more, and name those that are good.".into()
                },
            });
        }
    }
    let tiles = tiles?;
    // OK because the limit keeps it between 0 and a million.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let seed = seed.round() as u32;
    let order = shuffled(tiles.count, seed);
    let first = named(intake, "first", typed.first, typed.names, &order);
    let second = named(intake, "second", typed.second, typed.names, &order);
    let (mut picked, agreed) = pick(&tiles, &first, &second)?;
    // Pairs settle looks that differ; where both named the same they have nothing to settle.
    let paired = if first == second {
        None
    } else {
        pairs::read(intake, typed.pairs, typed.names, &order)
    };
    if let Some([low, high]) = paired.and_then(|p| p.between) {
        picked = if low == 0 || high + 1 == tiles.count {
            Picked::AtEnd { first: low == 0 }
        } else {
            // Half a step more than by looks that agree: here they didn't.
            Picked::Settled {
                value: f64::midpoint(tiles.value(low), tiles.value(high)),
                expanded: tiles.step.abs() * (f64::from(high - low) / 2.0 + 1.0),
                tied: high - low + 1,
            }
        };
    }
    Some(Look {
        tiles,
        picked,
        share: agreed.share,
        kappa: agreed.kappa,
        known: seed == 0 && typed.shuffles,
        paired,
    })
}

impl Look {
    /// How the looks agree, and what they rest on.
    pub fn reasons(&self, w: &mut Words) {
        w.reasons.push(format!(
            "{} of tiles were judged the same in both looks{}.",
            format_args!("{} %", plain(100.0 * self.share, 0)),
            self.kappa.map_or(String::new(), |k| format!(
                " (Cohen’s kappa {}: 1 is always, 0 no better than chance)",
                plain(k, 2)
            ))
        ));
        if self.known {
            w.reasons.push(
                "The order was known: an eye that knows the values sees what it expects. Shuffle the next piece.".into(),
            );
        }
        if let Some(p) = self.paired {
            w.reasons.push(p.reason());
        }
        if let Picked::Settled { tied, .. } = self.picked
            && tied > 1
        {
            w.reasons.push(format!(
                "{tied} neighbours can’t be told apart: their middle is taken."
            ));
        }
    }

    /// Words where nothing is settled; `what` names the tiles.
    pub fn unsettled(&self, mut w: Words, what: &str, unit: Unit, pen: Pen) -> Words {
        let value = |v: f64| pen.plain(v, unit, 4);
        match self.picked {
            Picked::AtEnd { first } => {
                let at = if first {
                    self.tiles.value(0)
                } else {
                    self.tiles.value(self.tiles.count - 1)
                };
                let beyond = if (self.tiles.step > 0.0) == first {
                    "below"
                } else {
                    "above"
                };
                w.settle = vec![format!("{what} that go on {beyond} {}", value(at))];
                w.say(
                    format!(
                        "Measure again: the best is the last of the range, {}.",
                        value(at)
                    ),
                    format!(
                        "A better one may lie beyond. Print {what} that go on {beyond} {}.",
                        value(at)
                    ),
                    "not settled, the range ends",
                    "Print another range; nothing is set.",
                )
            }
            Picked::Apart { one, other } => {
                w.settle = vec![
                    self.paired.and_then(Paired::next).unwrap_or_else(|| {
                        format!("two of the {what} beside each other, the better one named, again and again")
                    }),
                    format!("another look at the same {what}, in better light"),
                    format!("{what} in twice the step"),
                ];
                // Both looks may say the same, and name tiles that are no neighbours.
                let agree = (one - other).abs() <= self.tiles.step.abs() * (1.0 + 1e-9);
                w.say(
                    if agree {
                        format!("Measure again: between the {what} named good lie others that are not.")
                    } else {
                        format!(
                            "Measure again: the first look says {}, the second {}.",
                            value(one),
                            value(other)
                        )
                    },
                    format!(
                        "The eye doesn’t tell these {what} apart. Look again in low light from the side, or print {what} in twice the step."
                    ),
                    "not settled, the looks differ",
                    "Look again, or print in larger steps; nothing is set.",
                )
            }
            Picked::Settled {
                value: v, expanded, ..
            } => {
                let step = self.tiles.step.abs();
                w.settle = vec![format!(
                    "{what} in steps of {}{} about {}",
                    plain(step / 5.0, 4),
                    spaced(pen.symbol(unit)),
                    value(v)
                )];
                let settle = w.settle[0].clone();
                w.say(
                    format!(
                        "Measure again: {} ±{} is too coarse to tell.",
                        value(v),
                        pen.plain(expanded, unit.of_difference(), 3)
                    ),
                    format!("To settle it: {settle}."),
                    "not settled",
                    "Print the finer steps; nothing is set.",
                )
            }
        }
    }
}
