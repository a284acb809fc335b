//! What is known of the heaters, worked out from what was sent and what was reported after it.

use std::collections::BTreeMap;

use wattotherm_gcode::{Heater, Temperatures};
use wattotherm_heat::{Coast, CoastLag};

use crate::status::{Heaters, OwnHeat};

/// Follows heat: what was asked for from here, what is reported, what rises by itself.
#[derive(Debug, Default)]
pub(super) struct HeatWatch {
    /// Targets [°C] that were asked for from here.
    own: BTreeMap<Heater, f64>,
    /// Heaters told to heat that no later report has answered yet.
    told: BTreeMap<Heater, Told>,
    coasts: BTreeMap<Heater, Coast>,
    rising: Vec<Heater>,
    /// Reports of boards that say nothing of their output: when one first showed zeros, and how hot.
    quiet_since: Option<(f64, Vec<f64>)>,
    /// Since when all reports show zeros [s].
    zero_since: Option<f64>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Told {
    /// On the wire.
    Sent,
    /// Acknowledged; the next report tells.
    Taken,
}

/// How long boards without an output in their reports must not rise before they count as off [s].
const QUIET_S: f64 = 6.0;

impl HeatWatch {
    /// A heat command goes on the wire.
    pub fn sent(&mut self, heater: Heater, target_c: f64) {
        if target_c > 0.0 {
            self.own.insert(heater, target_c);
            self.told.insert(heater, Told::Sent);
            self.quiet_since = None;
        }
    }

    /// A heat command was acknowledged, or its answer was lost: the next report tells what became of it.
    pub fn taken(&mut self, heater: Heater) {
        if let Some(t) = self.told.get_mut(&heater) {
            *t = Told::Taken;
        }
    }

    /// Nothing is on its way any more: the connection was opened anew, or the printer was started anew.
    pub fn nothing_told(&mut self) {
        self.told.clear();
        self.coasts.clear();
        self.rising.clear();
        self.quiet_since = None;
        self.zero_since = None;
    }

    /// Forgets what was switched on from here, e.g. because a print of the printer's own took over.
    pub fn disown(&mut self) {
        self.own.clear();
    }

    /// What was switched on from here.
    pub fn own(&self) -> Vec<OwnHeat> {
        self.own
            .iter()
            .map(|(heater, target_c)| OwnHeat {
                heater: *heater,
                target_c: *target_c,
            })
            .collect()
    }

    /// Whether heat was switched on from here, or may have been.
    pub fn is_own(&self) -> bool {
        !self.own.is_empty() || !self.told.is_empty()
    }

    /// Heaters told to heat that no later report has answered yet.
    pub fn told(&self) -> Vec<Heater> {
        self.told.keys().copied().collect()
    }

    /// Heaters that rise though they are reported to be off.
    pub fn rising(&self) -> &[Heater] {
        &self.rising
    }

    /// Takes a report; `swung` is the heater that an autotune in flight swings, whatever is reported.
    pub fn report(&mut self, t: &Temperatures, clock_s: f64, swung: Option<Heater>) {
        for (heater, channel) in t.each() {
            let heats = channel.heats() || swung == Some(heater) || self.told.contains_key(&heater);
            let lag = match heater {
                Heater::Tool(_) => CoastLag::NOZZLE,
                Heater::Bed | Heater::Chamber => CoastLag::BED,
            };
            let rises = self
                .coasts
                .entry(heater)
                .or_insert_with(|| Coast::new(lag))
                .see(clock_s, channel.at_c, heats);
            self.rising.retain(|h| *h != heater);
            if rises {
                self.rising.push(heater);
            }
            match self.told.get(&heater) {
                Some(Told::Sent) => {}
                Some(Told::Taken) => {
                    self.told.remove(&heater);
                    // The printer may have lowered it; what it took is what was switched on.
                    if channel.target_c > 0.0 {
                        self.own.insert(heater, channel.target_c);
                    } else if !channel.heats() {
                        self.own.remove(&heater);
                    }
                }
                None if swung == Some(heater) => {}
                None => {
                    let another = self
                        .own
                        .get(&heater)
                        .is_some_and(|own| (own - channel.target_c).abs() > 0.6);
                    // Somebody at the panel, or a print, has set another target: theirs from now on. Output
                    // without a target is nobody else's.
                    if another && (channel.target_c > 0.0 || !channel.heats()) {
                        self.own.remove(&heater);
                    }
                }
            }
        }
        self.quiet(t, clock_s);
        self.zero_since = if t.heats() {
            None
        } else {
            self.zero_since.or(Some(clock_s))
        };
    }

    /// How long all reports have shown zeros by now [s].
    pub fn zero_for_s(&self, clock_s: f64) -> f64 {
        self.zero_since.map_or(0.0, |since| clock_s - since)
    }

    fn quiet(&mut self, t: &Temperatures, clock_s: f64) {
        let now: Vec<f64> = t.each().map(|(_, c)| c.at_c).collect();
        if t.heats() {
            self.quiet_since = None;
            return;
        }
        match &self.quiet_since {
            Some((_, was))
                if was.len() == now.len() && now.iter().zip(was).all(|(n, w)| *n <= w + 0.5) => {}
            _ => self.quiet_since = Some((clock_s, now)),
        }
    }

    /// What is known after the last report. `busy_heating`: a heat command is in flight.
    pub fn verdict(&self, t: &Temperatures, clock_s: f64, busy_heating: bool) -> Heaters {
        if t.heats() || busy_heating || !self.told.is_empty() || !self.rising.is_empty() {
            return Heaters::On;
        }
        let tells_output = t.each().any(|(_, c)| c.output.is_some());
        let still = self
            .quiet_since
            .as_ref()
            .is_some_and(|(since, _)| clock_s >= since + QUIET_S);
        if tells_output || still {
            Heaters::Off
        } else {
            Heaters::Unknown
        }
    }
}
