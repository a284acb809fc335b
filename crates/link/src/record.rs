//! What was sent and answered.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Which way a line went.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Way {
    /// To the printer.
    Sent,
    /// From the printer.
    Answered,
    /// Said by the link itself: connected, lost, refused.
    Noted,
}

/// A line of the record.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Wire {
    /// Its number, rising.
    pub seq: u64,
    /// Seconds since the link was made.
    pub t_s: f64,
    /// Which way it went.
    pub way: Way,
    /// The line.
    pub text: String,
}

/// Lines kept in memory; the store keeps all but temperature reports.
const MOST_LINES: usize = 4_000;

/// The record of one link.
#[derive(Debug, Default)]
pub(crate) struct Record {
    lines: Mutex<(u64, VecDeque<Wire>)>,
}

impl Record {
    pub fn push(&self, t_s: f64, way: Way, text: &str) {
        let mut guard = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        let (seq, lines) = &mut *guard;
        *seq += 1;
        if lines.len() >= MOST_LINES {
            lines.pop_front();
        }
        lines.push_back(Wire {
            seq: *seq,
            t_s,
            way,
            text: text.trim_end().chars().take(300).collect(),
        });
    }

    pub fn after(&self, seq: u64) -> Vec<Wire> {
        let guard = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        guard.1.iter().filter(|w| w.seq > seq).cloned().collect()
    }
}
