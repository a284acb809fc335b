//! Which deeds a job can have as it stands.

use super::changed::named;
use super::timers::MOST_TIMER_MIN;
use super::{Deed, Ending, LineState, Stop, Traveller};
use crate::changed::{Changed, Lasts};
use wattotherm_printer::Replacement;

/// Longest reason, in characters.
const MOST_REASON: usize = 400;
/// Longest name, of somebody or something.
const MOST_NAME: usize = 80;

/// Why a deed is not done. Each is a sentence for the technician.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum DeedRefused {
    /// What was typed can't be meant: which field, and what to do.
    #[error("{message}")]
    Typed {
        /// Field of the deed.
        field: &'static str,
        /// What was wrong and what to do.
        message: String,
    },
    /// The job isn't in a state for it.
    #[error("{0}")]
    State(String),
}

fn typed(field: &'static str, message: impl Into<String>) -> DeedRefused {
    DeedRefused::Typed {
        field,
        message: message.into(),
    }
}

impl Deed {
    /// The same without blanks around what was typed.
    #[must_use]
    pub fn trimmed(mut self) -> Self {
        let trim = |t: &mut String| *t = t.trim().to_owned();
        match &mut self {
            Self::HandedOn { to, reason } => {
                trim(to);
                trim(reason);
            }
            Self::Changed {
                what,
                was,
                now,
                reason,
                ..
            } => [what, was, now, reason].into_iter().for_each(trim),
            Self::PutBack { what, reason } => [what, reason].into_iter().for_each(trim),
            Self::PartAdded { reason, .. }
            | Self::PartTaken { reason, .. }
            | Self::ValueAsked { reason, .. }
            | Self::CameBack { reason, .. }
            | Self::Waived { reason, .. }
            | Self::Paused { reason }
            | Self::Ended { reason, .. }
            | Self::Reopened { reason } => trim(reason),
            Self::TimerSet { what, .. } | Self::TimerOver { what } => trim(what),
            Self::Resumed {} => {}
        }
        self
    }

    /// Checks what was typed of it, whatever the job.
    /// # Errors
    /// [`DeedRefused::Typed`] with the field and what to do.
    pub fn check_typed(&self) -> Result<(), DeedRefused> {
        let long = self.reason().chars().count() > MOST_REASON;
        let free = matches!(
            self,
            Self::Resumed {}
                | Self::HandedOn { .. }
                | Self::PutBack { .. }
                | Self::TimerSet { .. }
                | Self::TimerOver { .. }
        );
        if long || self.reason().trim().is_empty() && !free {
            return Err(typed("reason", "Say why, in 1 to 400 characters."));
        }
        match self {
            Self::CameBack {
                after_min: Some(m), ..
            } if !m.is_finite() || *m <= 0.0 || *m > 100_000.0 => Err(typed(
                "after_min",
                "Type minutes of printing, above 0 and at most 100 000, or leave it blank.",
            )),
            Self::HandedOn { to, .. } if to.trim().is_empty() || to.chars().count() > MOST_NAME => {
                Err(typed("to", "Type who goes on with it, 1 to 80 characters."))
            }
            Self::TimerSet { what, .. } | Self::TimerOver { what }
                if what.trim().is_empty() || what.chars().count() > MOST_NAME =>
            {
                Err(typed("what", "Name what waits, 1 to 80 characters."))
            }
            Self::TimerSet { minutes, .. } if !(1.0..=MOST_TIMER_MIN).contains(minutes) => {
                Err(typed(
                    "minutes",
                    "Type 1 to 2880 minutes; two days are the longest.",
                ))
            }
            Self::Changed { what, .. } | Self::PutBack { what, .. }
                if what.trim().is_empty() || what.chars().count() > MOST_NAME =>
            {
                Err(typed("what", "Name what was changed, 1 to 80 characters."))
            }
            Self::Changed { was, now, .. }
                if was.chars().count() > MOST_NAME || now.chars().count() > MOST_NAME =>
            {
                Err(typed(
                    "now",
                    "Keep how it was and how it is under 80 characters each.",
                ))
            }
            Self::Changed {
                was,
                lasts: Lasts::Loan,
                ..
            } if was.trim().is_empty() => Err(typed(
                "was",
                "Say how it was: whoever gives it back has to know.",
            )),
            _ => Ok(()),
        }
    }

    /// Checks that this can happen to a job that stands as its card says, with these parts, at a printer at
    /// which this is changed; `finished` says whether it is over.
    /// # Errors
    /// [`DeedRefused`] with what to do instead.
    pub fn check(
        &self,
        card: &Traveller,
        parts: &[Replacement],
        changed: &[Changed],
        finished: bool,
    ) -> Result<(), DeedRefused> {
        self.check_typed()?;
        let over = matches!(self, Self::Reopened { .. } | Self::CameBack { .. });
        if finished && !over {
            return Err(DeedRefused::State(
                "This job is over. Open it again first, or start a new one.".into(),
            ));
        }
        match self {
            Self::PartTaken { part, .. } => may_take(*part, card, parts),
            Self::Waived { stop, .. } => may_waive(stop, card),
            Self::Changed { what, .. } => match named(changed, what) {
                Some(c) => Err(DeedRefused::State(format!(
                    "That is changed already ({}). Put it back first, so that how it belongs isn’t lost.",
                    c.says()
                ))),
                None => Ok(()),
            },
            Self::PutBack { what, .. } if named(changed, what).is_none() => Err(
                DeedRefused::State(format!("“{what}” isn’t on record as changed.")),
            ),
            Self::TimerOver { what } if !card.timers.contains(what) => {
                Err(DeedRefused::State(format!("No timer “{what}” runs here.")))
            }
            Self::Paused { .. } if card.paused.is_some() => {
                Err(DeedRefused::State("This job is paused already.".into()))
            }
            Self::Resumed {} if card.paused.is_none() => {
                Err(DeedRefused::State("This job isn’t paused.".into()))
            }
            Self::Reopened { .. } if !finished => {
                Err(DeedRefused::State("This job is open already.".into()))
            }
            Self::Ended {
                how: Ending::Cancelled,
                ..
            } => may_cancel(card),
            Self::PartAdded { .. }
            | Self::ValueAsked { .. }
            | Self::CameBack { .. }
            | Self::PutBack { .. }
            | Self::Paused { .. }
            | Self::Resumed {}
            | Self::TimerSet { .. }
            | Self::TimerOver { .. }
            | Self::HandedOn { .. }
            | Self::Ended { .. }
            | Self::Reopened { .. } => Ok(()),
        }
    }
}

fn may_take(part: Replacement, card: &Traveller, parts: &[Replacement]) -> Result<(), DeedRefused> {
    if !parts.contains(&part) {
        return Err(DeedRefused::State(format!(
            "The {} isn’t on this job.",
            part.label()
        )));
    }
    let key = Stop::Fit(part).to_string();
    let fitted = |l: &super::TravellerLine| l.key == key && l.state == LineState::Closed;
    match card.lines.iter().find(|l| fitted(l)) {
        Some(l) => Err(DeedRefused::State(format!(
            "The new one is fitted by this job’s record. If it never was, open “{}” again first; if the old one went back in, that is another part fitted: add it.",
            l.title
        ))),
        None => Ok(()),
    }
}

fn may_waive(stop: &str, card: &Traveller) -> Result<(), DeedRefused> {
    let Some(line) = card.lines.iter().find(|l| l.key == stop) else {
        return Err(typed("stop", "This job has no such station."));
    };
    if !line.is_open() {
        return Err(DeedRefused::State(format!("“{}” isn’t open.", line.title)));
    }
    if !line.can_waive {
        return Err(DeedRefused::State(match line.key.parse() {
            Ok(Stop::HandOver) => {
                "A job ends by its hand over. To end it otherwise, close it unfixed or cancel it."
                    .into()
            }
            _ => format!(
                "“{}” can’t be left out: what is new and gets hot is measured cold and heated attended. Send it to someone licensed if it can’t be done here.",
                line.title
            ),
        }));
    }
    Ok(())
}

/// A job that fitted something is part of the printer's history: it can't be called off as if nothing was.
fn may_cancel(card: &Traveller) -> Result<(), DeedRefused> {
    let fitted = card
        .lines
        .iter()
        .find(|l| matches!(l.key.parse(), Ok(Stop::Fit(_))) && l.state == LineState::Closed);
    match fitted {
        Some(l) => Err(DeedRefused::State(format!(
            "“{}” is done: the printer isn’t as it was. Close the job unfixed; what is open stays in doubt.",
            l.title
        ))),
        None => Ok(()),
    }
}
