//! The route card: where each stop of a job stands.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::Verdict;

use super::{EndedHow, FalseFix};
use crate::chain::{Effort, Strength};

/// Where a line of the traveller stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LineState {
    /// To be done.
    Open,
    /// Due only if something moves.
    Conditional,
    /// Done.
    Closed,
    /// Not needed after all.
    Released,
    /// Stopped by a fault; still to be done.
    Stopped,
    /// Left out with a reason: what rests on it is unproven.
    Waived,
}

/// One line of the traveller.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TravellerLine {
    /// Key of the station, e.g. `flow.3`.
    pub key: String,
    /// Name, e.g. "Flow, PETG green".
    pub title: String,
    /// Where it stands.
    pub state: LineState,
    /// Redo or verify, for parameters.
    pub strength: Option<Strength>,
    /// Why it is here, one sentence.
    pub reason: String,
    /// Result or short reason, one line.
    pub line: String,
    /// Keys of stations that come first; empty means it can be worked on now.
    pub waits_for: Vec<String>,
    /// What it takes at most.
    pub effort: Effort,
    /// The fault that stopped it last, as part of a sentence.
    pub cause: Option<String>,
    /// Verdict of the last closing.
    pub verdict: Option<Verdict>,
    /// Adjusts since it last passed.
    pub adjusts: u32,
    /// Names of the stations left out on which this one rests.
    pub unproven: Vec<String>,
    /// Why it was left out, where it was.
    pub waived: Option<String>,
    /// Whether it can be left out with a reason.
    pub can_waive: bool,
}

/// The route card of a job.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Traveller {
    /// Stations in order.
    pub lines: Vec<TravellerLine>,
    /// Parameters that nothing touched, as one sentence; none if all are on the card.
    pub untouched: Option<String>,
    /// Open work whatever the results.
    pub at_least: Effort,
    /// Open work if every value on the way moves.
    pub at_most: Effort,
    /// Key of the station to work on now; none when the job is done.
    pub now: Option<String>,
    /// Replaced parts after which the complaint came back.
    pub false_fixes: Vec<FalseFix>,
    /// Minutes of printing after which the complaint came back in this job, the first time first [min].
    pub returned_after_min: Vec<f64>,
    /// Timers that run, or are over and not ended, by what waits.
    pub timers: Vec<String>,
    /// Why the job rests, while it does.
    pub paused: Option<String>,
    /// How it ended, where it wasn't handed over.
    pub ended: Option<EndedHow>,
}

impl TravellerLine {
    /// Whether something is left to be done here, now or if a value moves.
    #[must_use]
    pub fn is_open(&self) -> bool {
        matches!(
            self.state,
            LineState::Open | LineState::Stopped | LineState::Conditional
        )
    }
}
