//! New ceilings, and what stands above them.

use wattotherm_gcode::{Effect, GuardLimits};
use wattotherm_measure::text::plain;

use super::stop::Kind;
use super::{Actor, Order};
use crate::record::Way;
use crate::status::CeilingAlarm;

impl Actor {
    /// Takes new bounds; what stands above them comes down.
    pub(super) fn limit(&mut self, limits: GuardLimits) {
        self.guard.limits = limits;
        let swung = self.flights.iter().find_map(|(_, a)| {
            let a = a.as_ref()?;
            let (heater, target_c) = a.heat?;
            (a.effect == Effect::HeatAndWait && target_c > 0.0).then_some((heater, a.line.clone()))
        });
        if let Some((heater, line)) = swung
            && self.guard.allow(&line, &self.state, true).is_err()
        {
            let heater = self.heater_of(heater);
            self.stop(Kind::Only(vec![heater]));
            let state = self.status.get(|s| s.state);
            self.say(
                state,
                "The ceiling was lowered below what was being heated to: the heater was set to 0.",
            );
        }
        self.look_at_ceilings();
    }

    /// Raises an alarm for every target above its ceiling, and lowers those that were set from here.
    pub(super) fn look_at_ceilings(&mut self) {
        let status = self.status.now();
        let Some(t) = &status.temperatures else {
            return;
        };
        let own = self.heat.own();
        let tools = t.tools.len();
        let mut alarm = None;
        for (heater, channel) in t.each() {
            let limit = self.guard.limits.of(heater);
            if channel.target_c <= limit.ceiling_c + 0.05 {
                continue;
            }
            let is_own = own.iter().any(|o| o.heater == heater);
            let line = heater.target(tools, limit.ceiling_c);
            let waits = self.urgent.iter().any(|o| o.line == line)
                || self.flights.iter().any(|(o, _)| o.line == line);
            if is_own && !waits && self.stopping.is_none() && self.on_the_wire {
                self.note(
                    Way::Noted,
                    &format!(
                        "The target of {} stood at {} °C, above the ceiling of {} °C, held down by {}: it was lowered.",
                        heater.says(tools),
                        plain(channel.target_c, 1),
                        plain(limit.ceiling_c, 1),
                        limit.held_by
                    ),
                );
                self.urgent.push_back(Order::ours(&line));
            }
            alarm = Some(CeilingAlarm {
                heater,
                target_c: channel.target_c,
                ceiling_c: limit.ceiling_c,
                held_by: limit.held_by,
            });
        }
        self.status.change(|s| s.alarm = alarm);
    }
}
