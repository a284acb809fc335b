//! What was seen, replaced and tried, as it is told.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::{Part, Replacement};

use crate::case::{Case, Outcome};
use crate::model::Model;

/// Yes, no, that nobody can tell, or a number in the unit that the question names.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(untagged)]
#[schema(as = EvidenceAnswer)]
pub enum Answer {
    /// `yes`, `no`, or `unsure`.
    Word(String),
    /// A number.
    Number(f64),
}

/// One thing that was seen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Evidence {
    /// Which observation, by id.
    pub observation: String,
    /// What it was.
    pub answer: Answer,
}

/// A remedy that was tried.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Tried {
    /// Which action, by id.
    pub action: String,
    /// What it did.
    pub outcome: Outcome,
}

/// What is known of the case.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Facts {
    /// What was replaced, by the ids of replacements.
    pub replaced: Vec<String>,
    /// What was seen; of two answers to one question the later counts.
    pub evidence: Vec<Evidence>,
    /// Remedies that were tried; of two tries the later counts.
    pub tried: Vec<Tried>,
    /// Checks and remedies that were passed over, by the ids of actions.
    pub passed_over: Vec<String>,
    /// Parts that are older than the shop lets them become.
    pub aged: Vec<Part>,
    /// Causes that this machine can't have, by id: it lacks the piece.
    pub impossible: Vec<String>,
    /// This shop's own cases: number of cases by the cause that was proven.
    pub learned: BTreeMap<String, f64>,
    /// What parts cost, in the shop's money, as numbers by the ids of replacements.
    pub prices: BTreeMap<String, f64>,
    /// What an hour of hands costs, as a number of the shop's money; none where nobody said.
    pub per_hour: Option<f64>,
}

/// Evidence that can't be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UnknownEvidence {
    /// Field of [`Facts`].
    pub field: String,
    /// What was wrong and what to do.
    pub message: String,
}

/// Most things that are taken at once.
const MOST: usize = 500;

fn short(text: &str) -> String {
    text.chars().take(40).collect()
}

fn unknown(field: String, what: &str, id: &str) -> UnknownEvidence {
    UnknownEvidence {
        field,
        message: format!("There is no {what} “{}”. The list has them all.", short(id)),
    }
}

impl Evidence {
    /// The answer: yes or no; none where nobody could tell. `field` names it in a complaint.
    fn read(
        &self,
        model: &Model<'_>,
        at: usize,
        field: &str,
    ) -> Result<Option<bool>, UnknownEvidence> {
        let asked = &model.observations[at];
        let wrong = |message: String| UnknownEvidence {
            field: format!("{field}.answer"),
            message,
        };
        match &self.answer {
            Answer::Word(w) => match w.as_str() {
                "yes" => Ok(Some(true)),
                "no" => Ok(Some(false)),
                "unsure" => Ok(None),
                _ => Err(wrong(format!(
                    "“{}” is neither yes, no nor unsure.",
                    short(w)
                ))),
            },
            Answer::Number(n) => match asked.reads {
                Some(reads) if (reads.bounds[0]..=reads.bounds[1]).contains(n) => {
                    Ok(Some(*n > reads.yes_beyond))
                }
                Some(_) => Err(wrong(format!("{n} can’t be meant. Read it again."))),
                None => Err(wrong("Answer this one with yes or no.".into())),
            },
        }
    }
}

impl Facts {
    /// The case by places in the model.
    /// # Errors
    /// [`UnknownEvidence`] for an id that isn't in the model, an answer that is neither yes, no, unsure nor a number, a
    /// number where none is asked, or more entries than anybody needs.
    pub fn read(&self, model: &Model<'_>) -> Result<Case, UnknownEvidence> {
        let lists = [
            ("evidence", self.evidence.len()),
            ("replaced", self.replaced.len()),
            ("tried", self.tried.len()),
            ("passed_over", self.passed_over.len()),
            ("aged", self.aged.len()),
            ("impossible", self.impossible.len()),
        ];
        if let Some((name, _)) = lists.iter().find(|(_, n)| *n > MOST) {
            return Err(UnknownEvidence {
                field: (*name).into(),
                message: format!("{MOST} entries are enough."),
            });
        }
        let mut case = Case::new(model);
        for (i, id) in self.replaced.iter().enumerate() {
            let known = Replacement::from_id(id)
                .ok_or_else(|| unknown(format!("replaced.{i}"), "replacement", id))?;
            case.replaced.push(known.part());
        }
        case.aged.clone_from(&self.aged);
        for (id, n) in &self.learned {
            let field = format!("learned.{}", short(id));
            let Some(at) = model.cause(id) else {
                return Err(unknown(field, "cause", id));
            };
            if !(n.is_finite() && (0.0..=1e6).contains(n)) {
                return Err(UnknownEvidence {
                    field,
                    message: "Give a number of cases from 0.".into(),
                });
            }
            case.learned[at] = *n;
        }
        for (i, e) in self.evidence.iter().enumerate() {
            let field = format!("evidence.{i}");
            let Some(at) = model.observation(&e.observation) else {
                return Err(unknown(
                    format!("{field}.observation"),
                    "observation",
                    &e.observation,
                ));
            };
            case.answers[at] = e.read(model, at, &field)?;
            case.unsure[at] = case.answers[at].is_none();
        }
        let action =
            |field: String, id: &str| model.action(id).ok_or_else(|| unknown(field, "action", id));
        for (i, t) in self.tried.iter().enumerate() {
            case.tried[action(format!("tried.{i}"), &t.action)?] = Some(t.outcome);
        }
        for (i, id) in self.impossible.iter().enumerate() {
            let Some(at) = model.cause(id) else {
                return Err(unknown(format!("impossible.{i}"), "cause", id));
            };
            case.impossible[at] = true;
        }
        for (i, id) in self.passed_over.iter().enumerate() {
            case.passed_over[action(format!("passed_over.{i}"), id)?] = true;
        }
        Ok(case)
    }

    /// What an action costs, in the shop's money; a part without a price costs nothing here.
    pub(crate) fn money(&self, action: &crate::model::Action) -> f64 {
        let part = action.fits.first().and_then(|r| self.prices.get(r.id()));
        let hands = action.minutes / 60.0 * self.per_hour.unwrap_or(0.0);
        part.copied().unwrap_or(0.0) + hands
    }
}
