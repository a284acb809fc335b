//! What was seen and what was replaced.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::{Part, Replacement};

use crate::model::Model;

/// Yes, no, or a number in the unit that the question names.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(untagged)]
pub enum Answer {
    /// `yes` or `no`.
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

/// What is known of the case.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Facts {
    /// What was replaced, by the ids of replacements.
    pub replaced: Vec<String>,
    /// What was seen; of two answers to one question the later counts.
    pub evidence: Vec<Evidence>,
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

impl Facts {
    /// Answers by place of the observation, and the parts that were replaced.
    /// # Errors
    /// [`UnknownEvidence`] for an id that isn't in the model, an answer that is neither yes, no nor a number, or a
    /// number where none is asked.
    pub fn read(
        &self,
        model: &Model<'_>,
    ) -> Result<(Vec<Option<bool>>, Vec<Part>), UnknownEvidence> {
        let wrong = |field: String, message: String| UnknownEvidence { field, message };
        let short = |text: &str| text.chars().take(40).collect::<String>();
        if self.evidence.len() > MOST || self.replaced.len() > MOST {
            return Err(wrong(
                "evidence".into(),
                format!("{MOST} entries are enough."),
            ));
        }
        let mut parts = Vec::new();
        for (i, id) in self.replaced.iter().enumerate() {
            let known = Replacement::from_id(id).ok_or_else(|| {
                wrong(
                    format!("replaced.{i}"),
                    format!(
                        "There is no replacement “{}”. The list has them all.",
                        short(id)
                    ),
                )
            })?;
            parts.push(known.part());
        }
        let mut answers = vec![None; model.observations.len()];
        for (i, e) in self.evidence.iter().enumerate() {
            let at = model.observation(&e.observation).ok_or_else(|| {
                wrong(
                    format!("evidence.{i}.observation"),
                    format!(
                        "There is no observation “{}”. The list has them all.",
                        short(&e.observation)
                    ),
                )
            })?;
            let asked = &model.observations[at];
            let answer = match &e.answer {
                Answer::Word(w) if w == "yes" => true,
                Answer::Word(w) if w == "no" => false,
                Answer::Number(n) if n.is_finite() && asked.yes_beyond.is_some() => {
                    asked.yes_beyond.is_some_and(|most| *n > most)
                }
                Answer::Number(_) => {
                    return Err(wrong(
                        format!("evidence.{i}.answer"),
                        "Answer this one with yes or no.".into(),
                    ));
                }
                Answer::Word(w) => {
                    return Err(wrong(
                        format!("evidence.{i}.answer"),
                        format!("“{}” is neither yes nor no.", short(w)),
                    ));
                }
            };
            answers[at] = Some(answer);
        }
        Ok((answers, parts))
    }
}
