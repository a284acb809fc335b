//! The queue in front of the wire: what may go out next, and whose it is.

use std::time::Duration;

use tokio::time::Instant;
use wattotherm_gcode::{Allowed, Effect, Heater, Machine, StopWord, Temperatures, stop_word};

use super::stop::Kind;
use super::{Actor, FRESH, Order};
use crate::record::Way;
use crate::status::{Heaters, LinkState, SendError};

/// Time between two questions whether the printer prints from its own card, while something is hot.
const ASK_CARD: Duration = Duration::from_secs(5);
/// Lines of a print in flight. Common practice, no published source: boards hold four lines, or 128 bytes, that
/// they have not looked at yet; what comes beyond is lost.
const MOST_LINES: usize = 4;
const MOST_BYTES: usize = 120;
/// What number and checksum add to a line, at most.
const FRAME_BYTES: usize = 14;

/// Commands that may go behind moves not answered yet: they neither heat nor wait, and what they lead to is known
/// before they are answered.
const BEHIND: [&str; 7] = ["G0", "G1", "G2", "G3", "G92", "M106", "M107"];

fn goes_behind(allowed: &Allowed) -> bool {
    allowed.heat.is_none() && BEHIND.contains(&allowed.words().code())
}

impl Actor {
    pub(super) fn ordered(&mut self, order: Order) {
        // A stop typed by hand is a stop.
        match stop_word(&order.line) {
            Some(StopWord::Emergency) => {
                self.stop(Kind::Emergency);
                order.answer(Ok(vec!["Emergency stop sent.".into()]));
            }
            Some(StopWord::BreakOff) => {
                self.raw("M108");
                order.answer(Ok(vec!["Sent past the queue.".into()]));
            }
            Some(StopWord::StandStill) => {
                self.withdraw_waiting();
                self.raw("M410");
                self.forget();
                order.answer(Ok(vec![
                    "Sent past the queue; home before the next move.".into(),
                ]));
            }
            None if self.state_is(LinkState::Halted) => order.answer(Err(SendError::Halted)),
            None => self.ordinary.push_back(order),
        }
    }

    /// Sends the next orders that the guard lets through.
    pub(super) fn pump(&mut self) {
        while self.on_the_wire {
            let free = self.protocol.is_free() && self.flights.is_empty();
            if !free && !self.has_room() {
                return;
            }
            // What was asked for after a stop waits until the stop is confirmed.
            let next = match self.urgent.pop_front() {
                None if self.stopping.is_none() => self.ordinary.pop_front(),
                urgent => urgent,
            };
            let Some(order) = next else {
                return;
            };
            if self.reported.is_none_or(|r| r.elapsed() > FRESH) {
                self.state.tools_c.clear();
            }
            match self.may(&order) {
                Err(e) if free => {
                    self.note(Way::Noted, &e.to_string());
                    order.answer(Err(e));
                }
                Ok(allowed) if free || goes_behind(&allowed) => self.launch(order, allowed),
                // Its turn comes once those before it are answered.
                _ => {
                    self.ordinary.push_front(order);
                    return;
                }
            }
        }
    }

    fn launch(&mut self, order: Order, allowed: Allowed) {
        let long = matches!(allowed.effect, Effect::HeatAndWait | Effect::Move);
        if let Some((heater, target_c)) = allowed.heat
            && target_c > 0.0
        {
            let heater = self.heater_of(heater);
            self.heat.sent(heater, target_c);
            self.off_by_report = false;
            self.show_own();
            self.status.change(|s| s.heaters = Heaters::On);
        }
        let now = self.now_ms();
        self.protocol.send_behind(&allowed.line, long, now);
        if long && !order.streams {
            let with = allowed.line.clone();
            self.status.change(|s| s.busy_with = Some(with));
        }
        self.flights.push_back((order, Some(allowed)));
    }

    /// Whether all that is in flight is moves of a print.
    pub(super) fn prints_from_here(&self) -> bool {
        !self.flights.is_empty() && self.flights.iter().all(|(o, _)| o.streams)
    }

    /// Whether one more move of a print may go behind those in flight: the next order is one, nothing is being sent
    /// again, and the printer's buffer holds it.
    fn has_room(&self) -> bool {
        self.urgent.is_empty()
            && self.stopping.is_none()
            && self.ordinary.front().is_some_and(|o| {
                o.streams
                    && self.protocol.bytes_in_flight() + o.line.len() + FRAME_BYTES <= MOST_BYTES
            })
            && self.flights.len() < MOST_LINES
            && self
                .flights
                .iter()
                .all(|(o, a)| o.streams && a.as_ref().is_some_and(goes_behind))
            && self.protocol.is_in_order()
    }

    /// The machine as those in flight will leave it.
    fn ahead(&self) -> Machine {
        let mut machine = self.state.clone();
        for allowed in self.flights.iter().filter_map(|(_, a)| a.as_ref()) {
            machine.follow(allowed.words());
        }
        machine
    }

    /// Whether an order may go out: the guard, whose the heater is, and whose the printer is.
    pub(super) fn may(&self, order: &Order) -> Result<Allowed, SendError> {
        let allowed = if self.flights.is_empty() {
            self.guard
                .allow(&order.line, &self.state, order.confirmed)?
        } else {
            self.guard
                .allow(&order.line, &self.ahead(), order.confirmed)?
        };
        let line = || allowed.line.clone();
        let zero = allowed.heat.is_some_and(|(_, t)| t <= 0.0);
        let disturbs = !matches!(allowed.effect, Effect::Ask | Effect::Stop)
            && !allowed.line.starts_with("M110")
            && !allowed.line.starts_with("M155");
        if disturbs && !zero && self.status.get(|s| s.card_print) == Some(true) {
            return Err(SendError::Prints { line: line() });
        }
        if order.reply.is_some()
            && let Some(owner) = &self.owner
            && owner.token != order.token
            && (owner.alone && disturbs
                || matches!(
                    allowed.effect,
                    Effect::Heat | Effect::HeatAndWait | Effect::Fan | Effect::Move
                ))
        {
            return Err(SendError::Owned {
                line: line(),
                owner: owner.name.clone(),
            });
        }
        Ok(allowed)
    }

    /// The heater that a command without a number means.
    pub(super) fn heater_of(&self, heater: Option<Heater>) -> Heater {
        heater.unwrap_or(Heater::Tool(self.state.tool.unwrap_or(0)))
    }

    /// Whether a command that heats is on its way or at work.
    pub(super) fn heat_in_flight(&self) -> bool {
        self.flights
            .iter()
            .filter_map(|(_, a)| a.as_ref())
            .any(|a| a.heat.is_some_and(|(_, t)| t > 0.0))
    }

    pub(super) fn show_own(&self) {
        let (own, told) = (self.heat.own(), self.heat.told());
        self.status.change(|s| {
            s.own_heat = own;
            s.told = told;
        });
    }

    /// Without a report for this long they don't come by themselves any more.
    pub(super) fn silence(&self) -> Duration {
        Duration::from_secs_f64(self.options.report_every_s.clamp(0.2, 60.0)) * 3
    }

    /// Lets a report grow old, and asks where reports don't come by themselves.
    pub(super) fn age(&mut self) {
        let Some(reported) = self.reported else {
            return;
        };
        let old = reported.elapsed();
        if old > FRESH && self.status.get(|s| s.fresh) {
            self.off_by_report = false;
            self.status.change(|s| {
                s.fresh = false;
                s.heaters = Heaters::Unknown;
            });
        }
        let idle =
            !self.state_is(LinkState::Halted) && self.protocol.is_free() && self.flights.is_empty();
        // A print never stands still for a question; it makes room for one.
        let prints = self.prints_from_here();
        if !idle && !prints {
            return;
        }
        let asked = |me: &Self, line: &str| me.urgent.iter().any(|o| o.line == line);
        if old > self.silence() && !asked(self, "M105") {
            self.urgent.push_back(Order::ours("M105"));
        }
        // A print from the card is looked for while something is hot, and watched until it ends.
        let hot = !prints
            && self.status.get(|s| {
                s.card_print == Some(true)
                    || s.temperatures.as_ref().is_some_and(Temperatures::heats)
            });
        let due = self.asked_card.is_none_or(|a| a.elapsed() > ASK_CARD);
        if hot && due && !self.no_card && !asked(self, "M27") && self.stopping.is_none() {
            self.asked_card = Some(Instant::now());
            self.urgent.push_back(Order::ours("M27"));
        }
    }
}
