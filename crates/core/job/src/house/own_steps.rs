//! Steps of the shop's own: added to a list or put in the place of one of its steps, for all jobs to come.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::sheets::{Sheet, Step};

/// Most steps of its own that a shop keeps at one list.
pub const MOST_OWN_STEPS: usize = 30;
/// Longest text of one of them.
pub const MOST_STEP_CHARS: usize = 300;

/// A step of the shop's own.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OwnStep {
    /// The list: `intake`, `fit.nozzle_same` and the like.
    pub list: String,
    /// Its name within the list: a new one, or that of the step in whose place it stands.
    pub id: String,
    /// The step that it follows; blank: the first. Not looked at where it stands in the place of one.
    #[serde(default)]
    pub after: String,
    /// What to do.
    pub act: String,
    /// What proves it; may be blank.
    #[serde(default)]
    pub check: String,
}

impl OwnStep {
    /// What is wrong with it: which field, and a sentence.
    /// # Errors
    /// The first field that is blank or too long.
    pub fn checked(&self) -> Result<(), (&'static str, String)> {
        let long = |t: &str| t.chars().count() > MOST_STEP_CHARS;
        if self.list.is_empty() || self.list.chars().count() > 60 {
            return Err(("list", "Say to which list it belongs.".into()));
        }
        let named = (1..=60).contains(&self.id.chars().count())
            && self
                .id
                .chars()
                .all(|c| c.is_alphanumeric() || "_.:-".contains(c));
        if !named {
            return Err(("id", "Name the step by letters, digits and _.".into()));
        }
        if self.act.trim().is_empty() {
            return Err(("act", "Write down what to do.".into()));
        }
        if long(&self.act) {
            return Err((
                "act",
                format!("Keep it under {MOST_STEP_CHARS} characters."),
            ));
        }
        if long(&self.check) {
            return Err((
                "check",
                format!("Keep it under {MOST_STEP_CHARS} characters."),
            ));
        }
        Ok(())
    }
}

/// Puts the shop's own steps into a list. One in the place of a step takes its words and leaves its gate and its
/// caution: nobody rewords a danger away. One whose neighbour isn't there stands at the end.
pub fn put_in(list: &mut Sheet, name: &str, own: &[OwnStep]) {
    for mine in own.iter().filter(|o| o.list == name) {
        if let Some(step) = list.steps.iter_mut().find(|s| s.id == mine.id) {
            step.act.clone_from(&mine.act);
            step.check.clone_from(&mine.check);
            step.own = true;
            continue;
        }
        let at = if mine.after.is_empty() {
            0
        } else {
            let before = list.steps.iter().position(|s| s.id == mine.after);
            before.map_or(list.steps.len(), |i| i + 1)
        };
        list.steps.insert(at, Step::own(mine));
    }
}
