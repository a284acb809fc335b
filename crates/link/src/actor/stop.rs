//! Stops: heaters to zero past everything that waits, and the emergency stop, each until it is confirmed.

use std::time::Duration;

use tokio::time::Instant;
use wattotherm_core::gcode::Effect;

use super::{Actor, Order};
use crate::record::Way;
use crate::status::{Heaters, LinkState, SendError};

/// A stop that is not confirmed yet.
pub(super) struct Stopping {
    since: Instant,
    pub again_at: Instant,
    emergency: bool,
}

/// How long a stop is repeated before the page says that it can't know.
const STOP_FOR: Duration = Duration::from_secs(10);
/// After this a stop that the printer doesn't act on becomes an emergency stop.
const STOP_PATIENCE: Duration = Duration::from_secs(4);

impl Actor {
    /// Begins a stop; bytes to write at once.
    pub(super) fn stop(&mut self, emergency: bool) -> Option<String> {
        self.withdraw_waiting();
        self.protocol.withdraw_heat();
        let now = Instant::now();
        self.stopping = Some(Stopping {
            since: now,
            again_at: now + Duration::from_millis(700),
            emergency,
        });
        self.status.send_modify(|s| s.heaters = Heaters::Unknown);
        if emergency {
            if let Some((order, _)) = self.current.take() {
                let line = order.line.clone();
                order.answer(Err(SendError::Lost { line }));
            }
            self.urgent.clear();
            self.protocol.abandon();
            self.say(
                LinkState::Halted,
                "Emergency stop sent; waiting for the printer to confirm it.",
            );
            return self.raw("M112");
        }
        self.urgent.push_back(Order::ours("M104 S0"));
        self.urgent.push_back(Order::ours("M140 S0"));
        if self.waits_for_heat() {
            self.raw("M108")
        } else {
            None
        }
    }

    /// Without a number, past the printer's queue; an open half line is ended first.
    fn raw(&self, command: &str) -> Option<String> {
        self.note(Way::Sent, command);
        Some(format!("\n{command}\n"))
    }

    /// Repeats a stop that is not confirmed; bytes to write.
    pub(super) fn insist(&mut self) -> Option<String> {
        // A report of zero may be older than what is still on its way: only when nothing is does it count.
        let on_its_way = !self.urgent.is_empty() || self.waits_for_heat();
        let confirmed = self.status.borrow().heaters == Heaters::Off && !on_its_way;
        let stopping = self.stopping.as_mut()?;
        let now = Instant::now();
        if confirmed {
            let emergency = stopping.emergency;
            self.stopping = None;
            if emergency {
                self.say(
                    LinkState::Halted,
                    "Emergency stop: the printer reports that its heaters are off. Find the cause, then release it or switch it off and on.",
                );
            }
            return None;
        }
        if now < stopping.again_at {
            return None;
        }
        if now > stopping.since + STOP_FOR {
            self.stopping = None;
            self.say(
                self.status.borrow().state,
                "The printer didn't confirm that its heaters are off: it can't be known from here. Switch it off at its switch.",
            );
            return None;
        }
        stopping.again_at = now + Duration::from_millis(700);
        let stuck =
            !stopping.emergency && now > stopping.since + STOP_PATIENCE && !self.urgent.is_empty();
        if stuck {
            // It hears nothing while it waits for heat: the hard stop is all that is left.
            return self.stop(true);
        }
        if stopping.emergency {
            return self.raw("M112");
        }
        if self.waits_for_heat() {
            self.raw("M108")
        } else {
            None
        }
    }

    /// Whether the line in flight heats and answers late.
    fn waits_for_heat(&self) -> bool {
        self.current
            .as_ref()
            .and_then(|(_, a)| a.as_ref())
            .is_some_and(|a| a.effect == Effect::HeatAndWait)
    }
}
