//! What a link and its task say to each other.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

use tokio::sync::oneshot;
use wattotherm_gcode::{GuardLimits, Heater, Machine};
use wattotherm_heat::Sample;

use crate::status::SendError;

pub(crate) type Answer = Result<Vec<String>, SendError>;

pub(crate) enum Message {
    Send {
        line: String,
        confirmed: bool,
        token: u64,
        /// A line of a print: it may go out behind others of its kind.
        streams: bool,
        reply: oneshot::Sender<Answer>,
    },
    HeatersOff,
    Off(Vec<Heater>),
    Emergency,
    Release,
    Limits(Box<GuardLimits>),
    /// A routine has the heaters, fans and moves; `alone` everything but questions and stops.
    Own {
        token: u64,
        name: String,
        alone: bool,
    },
    Disown(u64),
    /// Asks for modes and place as they are known.
    Machine(oneshot::Sender<Machine>),
    Close(oneshot::Sender<()>),
}

/// Samples kept: four hours at four a second.
const MOST_SAMPLES: usize = 57_600;

#[derive(Debug, Default)]
pub(crate) struct Samples(Mutex<VecDeque<Sample>>);

impl Samples {
    pub fn lock(&self) -> std::sync::MutexGuard<'_, VecDeque<Sample>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Adds one, if it is later than the last.
    pub fn push(&self, sample: Sample) {
        let mut samples = self.lock();
        if samples.back().is_none_or(|l| sample.t_s > l.t_s) {
            if samples.len() >= MOST_SAMPLES {
                samples.pop_front();
            }
            samples.push_back(sample);
        }
    }
}
