//! The trial board: which change between prints earned what.

use serde::{Deserialize, Serialize};
use wattotherm_measure::CONFIDENCE;

use crate::scatter::SCORE_U;

/// What a single change did.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Effect {
    /// The score fell by more than its uncertainty.
    Better,
    /// It rose by more.
    Worse,
    /// It moved by less than an eye can tell.
    NotSeen,
}

/// To what a print's score is owed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "credited", rename_all = "snake_case")]
pub enum Credited {
    /// There is no earlier print.
    First,
    /// It is an earlier one again: how far two such prints differ.
    Again,
    /// One setting alone was changed against an earlier print.
    One {
        /// Number of the setting.
        setting: usize,
        /// What it did.
        effect: Effect,
    },
    /// Two settings or more: it credits neither. The print that is missing is the earlier one with only this setting
    /// changed.
    Neither {
        /// Numbers of all settings that changed.
        changed: Vec<usize>,
        /// Number of the setting to change alone.
        missing: usize,
    },
}

/// A print of the board against an earlier one that it differs from little.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Credit {
    /// Number of that earlier print; none for the first.
    pub against: Option<usize>,
    /// To what the difference is owed.
    pub to: Credited,
    /// By how much the score moved [1]; 0 for the first.
    pub by: f64,
    /// Uncertainty of that at 95 % [1].
    pub expanded: f64,
}

/// Two settings are the same within this share [1].
const SAME: f64 = 1e-6;

/// Which settings differ between two prints, by number.
fn changed(a: &[f64], b: &[f64]) -> Vec<usize> {
    (0..a.len().min(b.len()))
        .filter(|i| (a[*i] - b[*i]).abs() > SAME * a[*i].abs().max(b[*i].abs()).max(1.0))
        .collect()
}

/// Credits of prints in the order made: settings [their own units, always in one order] and score [1], the lower the
/// better. Of each print one a setting that alone was changed against an earlier print, the latest such; or one where
/// there is none.
///
/// Source: one factor at a time, NIST/SEMATECH e-Handbook 5.3.3; a score is known to half a step (JCGM 100:2008, 4.3.7).
#[must_use]
pub fn credits(prints: &[(Vec<f64>, f64)]) -> Vec<Vec<Credit>> {
    let expanded = wattotherm_measure::t_two_sided(CONFIDENCE, f64::INFINITY).unwrap_or(2.0)
        * std::f64::consts::SQRT_2
        * SCORE_U;
    prints
        .iter()
        .enumerate()
        .map(|(n, (settings, score))| {
            let earlier: Vec<(usize, Vec<usize>)> = prints[..n]
                .iter()
                .enumerate()
                .map(|(i, (other, _))| (i, changed(other, settings)))
                .collect();
            let credit = |against: usize, to: Credited| Credit {
                against: Some(against),
                to,
                by: score - prints[against].1,
                expanded,
            };
            // Of those that differ as little, the latest: it was printed under the nearest conditions.
            let nearest = earlier.iter().min_by_key(|(i, c)| (c.len(), n - i));
            let Some((against, changed)) = nearest else {
                return vec![Credit {
                    against: None,
                    to: Credited::First,
                    by: 0.0,
                    expanded: 0.0,
                }];
            };
            match changed.as_slice() {
                [] => vec![credit(*against, Credited::Again)],
                [_] => (0..settings.len())
                    .filter_map(|setting| {
                        let alone = earlier.iter().rev().find(|(_, c)| *c == [setting])?;
                        let by = score - prints[alone.0].1;
                        let effect = if by < -expanded {
                            Effect::Better
                        } else if by > expanded {
                            Effect::Worse
                        } else {
                            Effect::NotSeen
                        };
                        Some(credit(alone.0, Credited::One { setting, effect }))
                    })
                    .collect(),
                [missing, ..] => vec![credit(
                    *against,
                    Credited::Neither {
                        missing: *missing,
                        changed: changed.clone(),
                    },
                )],
            }
        })
        .collect()
}
