//! What a link and its task say to each other.

use std::collections::{BTreeMap, VecDeque};
use std::sync::{Mutex, MutexGuard, PoisonError};

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

/// Samples kept of each heater: four hours at four a second.
const MOST_SAMPLES: usize = 57_600;

/// What each heater was reported at.
#[derive(Debug, Default)]
pub(crate) struct Samples(Mutex<BTreeMap<Heater, VecDeque<Sample>>>);

impl Samples {
    fn lock(&self) -> MutexGuard<'_, BTreeMap<Heater, VecDeque<Sample>>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Those of a heater later than `t_s` by the printer's clock.
    pub fn after(&self, heater: Heater, t_s: f64) -> Vec<Sample> {
        let all = self.lock();
        let Some(samples) = all.get(&heater) else {
            return Vec::new();
        };
        // OK because samples rise in time.
        let from = samples.partition_point(|s| s.t_s <= t_s);
        samples.range(from..).copied().collect()
    }

    /// Adds one of a heater, if it is later than its last.
    pub fn push(&self, heater: Heater, sample: Sample) {
        let mut all = self.lock();
        let samples = all.entry(heater).or_default();
        if samples.back().is_none_or(|l| sample.t_s > l.t_s) {
            if samples.len() >= MOST_SAMPLES {
                samples.pop_front();
            }
            samples.push_back(sample);
        }
    }
}
