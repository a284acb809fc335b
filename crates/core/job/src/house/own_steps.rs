//! Steps of the shop's own: added to a list or put in the place of one of its steps, for all jobs to come.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::route::Stop;
use crate::sheets::{MAKES_SAFE, Sheet, Step};
use crate::stations::{Check, Station};

/// Most steps of its own that a shop keeps at one list.
pub const MOST_OWN_STEPS: usize = 30;
/// Longest text of one of them.
pub const MOST_STEP_CHARS: usize = 300;
/// Longest name of a step or a list.
const MOST_NAME_CHARS: usize = 60;

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
        let stop: Result<Stop, _> = self.list.parse();
        if !stop.is_ok_and(|s| s.station().id() == Check::ID) {
            return Err(("list", "There is no such list of steps.".into()));
        }
        let name = |t: &str| {
            t.chars().count() <= MOST_NAME_CHARS
                && t.chars().all(|c| c.is_alphanumeric() || "_.:-".contains(c))
        };
        if self.id.is_empty() || !name(&self.id) {
            return Err(("id", "Name the step by letters, digits and _.".into()));
        }
        if MAKES_SAFE.contains(&self.id.as_str()) {
            return Err((
                "id",
                "This step makes the work safe: its words stay. Put a step of your own beside it."
                    .into(),
            ));
        }
        if !name(&self.after) {
            return Err(("after", "Choose the step that it follows.".into()));
        }
        if self.act.trim().is_empty() {
            return Err(("act", "Write down what to do.".into()));
        }
        for (field, text) in [("act", &self.act), ("check", &self.check)] {
            if text.chars().count() > MOST_STEP_CHARS {
                return Err((
                    field,
                    format!("Keep it under {MOST_STEP_CHARS} characters."),
                ));
            }
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
