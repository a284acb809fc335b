//! Stops: heaters to zero past everything that waits, and the emergency stop, each until it is confirmed.

use std::time::Duration;

use tokio::time::Instant;
use wattotherm_gcode::{Effect, Heater};

use super::{Actor, Order};
use crate::record::Way;
use crate::status::{Heaters, LinkState, StopUnderWay};

/// What is to be stopped.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Kind {
    /// Everything, at once, and the printer halts.
    Emergency,
    /// All heaters.
    All,
    /// These heaters.
    Only(Vec<Heater>),
}

/// A stop that is not confirmed yet. It outlives the connection.
#[derive(Debug)]
pub(super) struct Stopping {
    kind: Kind,
    since: Instant,
    last_sent: Option<Instant>,
    sent: u32,
    pub again_at: Instant,
    /// Zeros on the wire that are not acknowledged yet.
    zeros_out: usize,
    /// All zeros were acknowledged since the connection was opened.
    pub taken: bool,
    /// The printer said that it halted.
    pub halted: bool,
}

/// Time between two tries at first, and after [`STOP_PATIENCE`].
const AGAIN: Duration = Duration::from_millis(700);
const AGAIN_LATER: Duration = Duration::from_secs(2);
/// After this a stop that the printer doesn't act on becomes an emergency stop.
const STOP_PATIENCE: Duration = Duration::from_secs(4);
/// A relay test that isn't heard of stays off no longer than this [s]. Common practice, no published
/// source: half a swing of a heavy block is under half a minute.
const LONGEST_SWING_S: f64 = 40.0;
/// After this it is said that it can't be confirmed.
const SAY_AFTER: Duration = Duration::from_secs(10);

/// Said once it has taken longer than a printer that hears would need.
const UNCONFIRMED: &str = "The printer has not confirmed that its heaters are off: it can’t be known from here. Switch it off at its switch. The stop is sent again and again.";

impl Stopping {
    fn new(kind: Kind) -> Self {
        let now = Instant::now();
        Self {
            kind,
            since: now,
            last_sent: None,
            sent: 0,
            again_at: now + AGAIN,
            zeros_out: 0,
            taken: false,
            halted: false,
        }
    }

    fn seen(&self) -> StopUnderWay {
        StopUnderWay {
            emergency: self.kind == Kind::Emergency,
            since: self.since,
            last_sent: self.last_sent,
            sent: self.sent,
            taken: self.taken,
        }
    }

    /// Whether it is the hard one.
    pub fn is_emergency(&self) -> bool {
        self.kind == Kind::Emergency
    }

    /// The same from the beginning, as a stop of all heaters: the printer was released before it confirmed.
    pub fn anew(self) -> Self {
        Self::new(Kind::All)
    }

    /// The printer was started anew: it is halted no more, its heaters are still to be confirmed.
    pub fn soften(&mut self) {
        if self.is_emergency() {
            self.kind = Kind::All;
        }
        self.lost_wire();
    }

    fn put_on_the_wire(&mut self) {
        self.last_sent = Some(Instant::now());
        self.sent = self.sent.saturating_add(1);
    }

    /// The connection is gone: what was on the wire may have been lost with it.
    pub fn lost_wire(&mut self) {
        self.zeros_out = 0;
        self.taken = false;
    }
}

impl Actor {
    /// Begins a stop, or makes one under way the stronger of both.
    pub(super) fn stop(&mut self, kind: Kind) {
        self.withdraw_waiting();
        self.protocol.withdraw_heat();
        let before = self.stopping.take();
        let since = before.as_ref().map(|s| s.since);
        let kind = match (before.map(|s| s.kind), kind) {
            (_, Kind::Emergency) | (Some(Kind::Emergency), _) => Kind::Emergency,
            (_, Kind::All) | (Some(Kind::All), _) => Kind::All,
            (Some(Kind::Only(mut a)), Kind::Only(b)) => {
                a.extend(b);
                a.sort_unstable();
                a.dedup();
                Kind::Only(a)
            }
            (None, only) => only,
        };
        let emergency = kind == Kind::Emergency;
        let mut stopping = Stopping::new(kind);
        stopping.since = since.unwrap_or(stopping.since);
        self.stopping = Some(stopping);
        self.said_unconfirmed = false;
        if !self.on_the_wire {
            self.status.change(|s| {
                s.heaters = Heaters::Unknown;
                s.says = "The stop could not be said: there is no connection. Heaters may be on: switch the printer off at its switch. It is said as soon as the connection is back.".into();
            });
            self.show_stop();
            return;
        }
        // What is not on the wire yet must not go out ahead of the stop, heat least of all.
        self.drop_output();
        if emergency {
            self.fail_flights_quietly();
            self.urgent.clear();
            self.protocol.abandon();
            self.raw("M112");
            if let Some(s) = &mut self.stopping {
                s.put_on_the_wire();
            }
            // What ends with the connected state reads why.
            self.show_stop();
            self.say_emergency();
        } else {
            self.send_zeros();
        }
        self.status.change(|s| s.heaters = Heaters::Unknown);
        self.show_stop();
    }

    pub(super) fn say_emergency(&self) {
        self.say(
            LinkState::Halted,
            if self.said_unconfirmed {
                UNCONFIRMED
            } else {
                "Emergency stop sent; waiting for the printer to confirm it."
            },
        );
    }

    /// Puts the zeros of a stop on the wire: behind the line in flight, but without waiting for it.
    pub(super) fn send_zeros(&mut self) {
        if self.waits_for_heat() {
            self.raw("M108");
        }
        let tools = self.state.tools.unwrap_or(1);
        let heaters: Vec<Heater> = match self.stopping.as_ref().map(|s| &s.kind) {
            Some(Kind::Only(only)) => only.clone(),
            Some(_) => {
                // OK because a report has at most eight tools.
                #[allow(clippy::cast_possible_truncation)]
                let mut all: Vec<Heater> = (0..tools as u8).map(Heater::Tool).collect();
                all.push(Heater::Bed);
                if self
                    .status
                    .get(|s| s.temperatures.as_ref().is_some_and(|t| t.chamber.is_some()))
                {
                    all.push(Heater::Chamber);
                }
                all
            }
            None => return,
        };
        let now = self.now_ms();
        for heater in &heaters {
            self.send_behind(&heater.target(tools, 0.0), now, true);
        }
        // The answer to this can't be mistaken for another line's: with it the zeros have run.
        self.send_behind("M105", now, true);
        if let Some(s) = &mut self.stopping {
            s.put_on_the_wire();
            s.zeros_out = heaters.len() + 1;
            s.taken = false;
        }
    }

    fn send_behind(&mut self, line: &str, now_ms: u64, zero: bool) {
        if let Ok(allowed) = self.guard.allow(line, &self.state, true) {
            self.protocol.send_behind(&allowed.line, false, now_ms);
            let order = Order {
                zero,
                ..Order::ours(line)
            };
            self.flights.push_back((order, Some(allowed)));
        }
    }

    /// A zero of the stop was acknowledged.
    pub(super) fn zero_taken(&mut self) {
        if let Some(s) = &mut self.stopping {
            s.zeros_out = s.zeros_out.saturating_sub(1);
            s.taken = s.zeros_out == 0;
        }
        self.show_stop();
    }

    /// Ends a stop that the last report confirms, tries again one that isn't.
    pub(super) fn insist(&mut self) {
        let Some(stopping) = &self.stopping else {
            return;
        };
        let now = Instant::now();
        if self.confirms(stopping) {
            let emergency = stopping.kind == Kind::Emergency;
            self.stopping = None;
            self.show_stop();
            self.show_heaters();
            if emergency {
                self.say(
                    LinkState::Halted,
                    "Emergency stop: the printer reports that its heaters are off. Find the cause, then release it or switch it off and on.",
                );
            } else if self.said_unconfirmed {
                self.said_unconfirmed = false;
                self.say(
                    LinkState::Connected,
                    "Connected. Heaters are off: confirmed now.",
                );
            }
            return;
        }
        if now < stopping.again_at {
            return;
        }
        let (waited, emergency, since) = (
            now - stopping.since,
            stopping.kind == Kind::Emergency,
            stopping.since,
        );
        if let Some(s) = &mut self.stopping {
            s.again_at = now
                + if waited > STOP_PATIENCE {
                    AGAIN_LATER
                } else {
                    AGAIN
                };
        }
        if waited > SAY_AFTER && !self.said_unconfirmed {
            self.said_unconfirmed = true;
            let state = self.status.get(|s| s.state);
            self.say(state, UNCONFIRMED);
        }
        if !self.on_the_wire {
            return;
        }
        if emergency {
            self.raw("M112");
            if let Some(s) = &mut self.stopping {
                s.put_on_the_wire();
            }
        } else if waited > STOP_PATIENCE && self.still_heats(since) {
            // It hears nothing, or hears and heats on: the hard stop is all that is left.
            self.stop(Kind::Emergency);
        } else if self.waits_for_heat() {
            self.raw("M108");
        } else if self.protocol.is_free()
            && self.flights.is_empty()
            && self.stopping.as_ref().is_some_and(|s| s.zeros_out == 0)
        {
            // Not sent yet, or taken while the report still says heat or none came: zeros, and a question.
            self.send_zeros();
        }
        self.show_stop();
    }

    /// Whether the newest report, made after the stop's own zeros, shows that what was to be stopped is off.
    fn confirms(&self, stopping: &Stopping) -> bool {
        // Nobody acknowledges the hard stop. A board that halts says so; one that hears nothing while it
        // swings its heater shows zeros too, half of the time.
        let clock_s = self.status.get(|s| s.clock_s);
        let answered = match stopping.kind {
            Kind::Emergency => stopping.halted || self.heat.zero_for_s(clock_s) > LONGEST_SWING_S,
            _ => stopping.taken,
        };
        let reported = self.reported.is_some_and(|r| {
            stopping.last_sent.is_some_and(|sent| r > sent) && r.elapsed() < super::FRESH
        });
        if !answered || !reported || self.heat_in_flight() {
            return false;
        }
        match &stopping.kind {
            Kind::Only(only) => {
                let status = self.status.now();
                let quiet = |h: &Heater| {
                    !self.heat.rising().contains(h)
                        && status
                            .temperatures
                            .as_ref()
                            .and_then(|t| t.of(*h).copied())
                            .is_none_or(|c| !c.heats())
                };
                only.iter().all(quiet)
            }
            _ => self.off_by_report,
        }
    }

    /// Whether a fresh report since the stop says that something is heated, or none has come.
    fn still_heats(&self, since: Instant) -> bool {
        self.reported.is_none_or(|r| r <= since) || !self.off_by_report
    }

    /// Whether the oldest line in flight heats and answers late, or is the greeting, before which the
    /// printer may have been told to.
    pub(super) fn waits_for_heat(&self) -> bool {
        self.flights
            .front()
            .is_some_and(|(_, a)| a.as_ref().is_none_or(|a| a.effect == Effect::HeatAndWait))
    }

    /// Without a number, past the printer's queue; an open half line is ended first.
    pub(super) fn raw(&mut self, command: &str) {
        self.note(Way::Sent, command);
        self.out
            .extend_from_slice(format!("\n{command}\n").as_bytes());
    }

    pub(super) fn show_stop(&self) {
        let seen = self.stopping.as_ref().map(Stopping::seen);
        self.status.change(|s| s.stopping = seen);
    }
}
