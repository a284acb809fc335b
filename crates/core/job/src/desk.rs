//! What to do now: one sentence for a printer, and one for the whole shop.

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::Parameter;

use crate::route::{LineState, Traveller};

/// What a printer waits for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Waits {
    /// One sentence.
    pub says: String,
    /// Whether it waits for a hand: work, or a value in doubt.
    pub due: bool,
    /// How many of its values are in doubt while no job is open.
    pub in_doubt: usize,
    /// Whether it is stopped by a fault.
    pub stopped: bool,
    /// Key of the stop to work on now; none where nothing is to be done.
    pub now_key: Option<String>,
    /// Stops that are closed.
    pub closed: usize,
    /// All stops but those that were released.
    pub all: usize,
}

impl Waits {
    /// What a printer without a job waits for, with what is in doubt of its values.
    #[must_use]
    pub fn without_job(in_doubt: &BTreeSet<Parameter>) -> Self {
        let names: Vec<&str> = in_doubt
            .iter()
            .map(|p| p.in_sentence().trim_start_matches("the "))
            .collect();
        Self {
            says: match names.as_slice() {
                [] => "Nothing to do.".into(),
                names => format!(
                    "In doubt since its last job: {}. The next job opens them.",
                    names.join(", ")
                ),
            },
            due: !names.is_empty(),
            in_doubt: names.len(),
            stopped: false,
            now_key: None,
            closed: 0,
            all: 0,
        }
    }

    /// What the printer of a job waits for.
    #[must_use]
    pub fn of(card: &Traveller) -> Self {
        let counted = card.lines.iter().filter(|l| l.state != LineState::Released);
        // A job that rests waits for no hand.
        let now = card.now.as_ref().filter(|_| card.paused.is_none());
        let line = now.and_then(|k| card.lines.iter().find(|l| l.key == *k));
        Self {
            says: match (&card.paused, line) {
                (Some(reason), _) => format!("Paused: {}.", reason.trim_end_matches('.')),
                (None, Some(l)) if l.state == LineState::Stopped => format!(
                    "Stopped at {}: {}.",
                    l.title,
                    l.cause.as_deref().unwrap_or(&l.line)
                ),
                (None, Some(l)) => format!("Next: {}.", l.title),
                (None, None) => "Nothing to do.".into(),
            },
            due: now.is_some(),
            in_doubt: 0,
            stopped: line.is_some_and(|l| l.state == LineState::Stopped),
            now_key: now.cloned(),
            closed: counted
                .clone()
                .filter(|l| l.state == LineState::Closed)
                .count(),
            all: counted.count(),
        }
    }
}

/// A printer of the shop, for [`what_now`].
#[derive(Clone, Copy, Debug)]
pub struct Desk<'a> {
    /// The printer's name.
    pub printer: &'a str,
    /// Number of its open job; rises with time.
    pub job: Option<i64>,
    /// What it waits for.
    pub waits: &'a Waits,
}

/// What to do now in the whole shop, one sentence, and which of `desks` it speaks of.
///
/// The oldest open job comes first: it has waited longest.
#[must_use]
pub fn what_now(desks: &[Desk<'_>]) -> (String, Option<usize>) {
    let next = desks
        .iter()
        .enumerate()
        .filter(|(_, d)| d.waits.now_key.is_some())
        .min_by_key(|(_, d)| d.job.unwrap_or(i64::MAX));
    match next {
        Some((i, d)) => (format!("{}: {}", d.printer, d.waits.says), Some(i)),
        None if desks.is_empty() => ("Add your first printer.".into(), None),
        None if desks.iter().any(|d| d.job.is_some()) => {
            ("Nothing to do now: the open jobs are paused.".into(), None)
        }
        None => ("No job is open. Start one beside its printer.".into(), None),
    }
}
