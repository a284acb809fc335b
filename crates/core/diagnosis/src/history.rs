//! What was told of a case, in the order in which it was told: what counts is folded from it.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::case::Outcome;
use crate::evidence::{Answer, Evidence, Facts, Tried, UnknownEvidence};
use crate::model::Model;

/// Where an answer comes from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = EvidenceFrom)]
pub enum From {
    /// Somebody looked, or asked.
    #[default]
    Seen,
    /// A customer's sentence, taken by hand.
    Sentence,
    /// A station of a job.
    Station,
    /// A heat log.
    Log,
    /// The connected printer.
    Printer,
}

/// One thing that was told.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "entry", rename_all = "snake_case", deny_unknown_fields)]
#[schema(as = CaseEntry)]
pub enum Entry {
    /// Something was seen, or couldn't be told.
    Seen {
        /// Which observation, by id.
        observation: String,
        /// What it was.
        answer: Answer,
        /// Where it comes from.
        #[serde(default)]
        from: From,
    },
    /// An answer is taken back: it counts no more.
    TakenBack {
        /// Which observation, by id.
        observation: String,
    },
    /// A remedy was tried; the later of two tries counts.
    Tried {
        /// Which action, by id.
        action: String,
        /// What it did.
        outcome: Outcome,
        /// After how many minutes of printing it came back, where it did and was seen [min].
        #[serde(default)]
        after_min: Option<f64>,
        /// What else is to be said; why a milder rung was left out.
        #[serde(default)]
        reason: String,
    },
    /// A try is taken back, or a check that was passed over is wanted after all.
    Undone {
        /// Which action, by id.
        action: String,
    },
    /// A check or a remedy is passed over.
    PassedOver {
        /// Which action, by id.
        action: String,
        /// Why.
        reason: String,
    },
}

/// Longest text of an entry, in characters.
const LONGEST: usize = 400;

impl Entry {
    /// Whether it can be read.
    /// # Errors
    /// [`UnknownEvidence`] for an id that isn't in the model, an answer that doesn't fit its question, a time that is
    /// none, or a text that is too long.
    pub fn check(&self, model: &Model<'_>) -> Result<(), UnknownEvidence> {
        let wrong = |field: &str, message: &str| UnknownEvidence {
            field: field.into(),
            message: message.into(),
        };
        let known = |id: &String| match model.action(id) {
            Some(_) => Ok(()),
            None => Err(wrong(
                "action",
                "There is no such action. The list has them all.",
            )),
        };
        match self {
            Self::Seen {
                observation,
                answer,
                ..
            } => {
                let one = Facts {
                    evidence: vec![Evidence {
                        observation: observation.clone(),
                        answer: answer.clone(),
                    }],
                    ..Facts::default()
                };
                one.read(model).map(|_| ())
            }
            Self::TakenBack { observation } => match model.observation(observation) {
                Some(_) => Ok(()),
                None => Err(wrong(
                    "observation",
                    "There is no such observation. The list has them all.",
                )),
            },
            Self::Tried {
                action,
                after_min,
                reason,
                ..
            } => {
                known(action)?;
                if after_min.is_some_and(|m| !(m.is_finite() && (0.0..=100_000.0).contains(&m))) {
                    return Err(wrong(
                        "after_min",
                        "Give the minutes of printing, from 0 to 100 000, or leave it blank.",
                    ));
                }
                short_enough(reason)
            }
            Self::Undone { action } => known(action),
            Self::PassedOver { action, reason } => {
                known(action)?;
                if reason.trim().is_empty() {
                    return Err(wrong("reason", "Say why it is passed over."));
                }
                short_enough(reason)
            }
        }
    }
}

fn short_enough(reason: &str) -> Result<(), UnknownEvidence> {
    if reason.chars().count() > LONGEST {
        return Err(UnknownEvidence {
            field: "reason".into(),
            message: format!("Say it in at most {LONGEST} characters."),
        });
    }
    Ok(())
}

/// An answer that counts.
#[derive(Clone, Debug, PartialEq)]
pub struct SeenEntry {
    /// Which observation, by id.
    pub observation: String,
    /// What it was.
    pub answer: Answer,
    /// Where it comes from.
    pub from: From,
    /// Its place among the entries.
    pub at: usize,
}

/// A try that counts.
#[derive(Clone, Debug, PartialEq)]
pub struct TriedEntry {
    /// Which action, by id.
    pub action: String,
    /// What it did.
    pub outcome: Outcome,
    /// After how many minutes of printing it came back [min].
    pub after_min: Option<f64>,
    /// What else was said.
    pub reason: String,
    /// Its place among the entries.
    pub at: usize,
}

/// What counts of all that was told.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Told {
    /// Answers, in the order in which they were first given.
    pub seen: Vec<SeenEntry>,
    /// Tries, in their order.
    pub tried: Vec<TriedEntry>,
    /// Actions that were passed over, with why.
    pub passed_over: Vec<(String, String)>,
}

impl Told {
    /// Folds entries, the oldest first.
    #[must_use]
    pub fn of<'a>(entries: impl IntoIterator<Item = &'a Entry>) -> Self {
        let mut told = Self::default();
        for (at, entry) in entries.into_iter().enumerate() {
            match entry.clone() {
                Entry::Seen {
                    observation,
                    answer,
                    from,
                } => {
                    let new = SeenEntry {
                        observation,
                        answer,
                        from,
                        at,
                    };
                    match told
                        .seen
                        .iter_mut()
                        .find(|s| s.observation == new.observation)
                    {
                        Some(old) => *old = new,
                        None => told.seen.push(new),
                    }
                }
                Entry::TakenBack { observation } => {
                    told.seen.retain(|s| s.observation != observation);
                }
                Entry::Tried {
                    action,
                    outcome,
                    after_min,
                    reason,
                } => {
                    told.passed_over.retain(|(a, _)| *a != action);
                    told.tried.retain(|t| t.action != action);
                    told.tried.push(TriedEntry {
                        action,
                        outcome,
                        after_min,
                        reason,
                        at,
                    });
                }
                Entry::Undone { action } => {
                    told.tried.retain(|t| t.action != action);
                    told.passed_over.retain(|(a, _)| *a != action);
                }
                Entry::PassedOver { action, reason } => {
                    told.passed_over.retain(|(a, _)| *a != action);
                    told.passed_over.push((action, reason));
                }
            }
        }
        told
    }

    /// The same as facts for the engine, without what is known from elsewhere.
    #[must_use]
    pub fn facts(&self) -> Facts {
        Facts {
            evidence: self
                .seen
                .iter()
                .map(|s| Evidence {
                    observation: s.observation.clone(),
                    answer: s.answer.clone(),
                })
                .collect(),
            tried: self
                .tried
                .iter()
                .map(|t| Tried {
                    action: t.action.clone(),
                    outcome: t.outcome,
                })
                .collect(),
            passed_over: self.passed_over.iter().map(|(a, _)| a.clone()).collect(),
            ..Facts::default()
        }
    }
}
