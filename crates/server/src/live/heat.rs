//! Whose heat it is, and what becomes of it: noted on disk before it is switched on, taken back when
//! nobody watches over it any more, left alone when it is the printer's own.

use std::sync::{MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use wattotherm_gcode::Heater;
use wattotherm_link::Heaters;
use wattotherm_measure::text::{join_and, plain};
use wattotherm_store::{HeatOn, HeatSeen};

use super::{Connected, Live};
use crate::moment::now;

/// Heat as the store has it.
#[derive(Clone, Debug, PartialEq)]
pub struct Noted {
    heater: Heater,
    target_c: f64,
}

/// Heat that a server which ended without a word left on.
#[derive(Clone, Debug, PartialEq)]
pub struct LeftOver {
    /// In words.
    pub says: String,
    heaters: Vec<Heater>,
    zero: bool,
    zeroed: bool,
    /// Its end was seen. It is shown until that is kept.
    ended: bool,
}

impl LeftOver {
    /// From what the store has; none if it has nothing.
    pub fn of(left: &[HeatOn], zero: bool) -> Option<Self> {
        let first = left.first()?;
        let what: Vec<String> = left
            .iter()
            .map(|h| format!("{} at {} °C", h.heater.says(1), plain(h.target_c, 0)))
            .collect();
        let what: Vec<&str> = what.iter().map(String::as_str).collect();
        let then = if zero {
            "It is set to 0 as soon as the printer answers."
        } else {
            "House rules leave it on: look after it."
        };
        Some(Self {
            says: format!(
                "The server ended while heat was on ({}, {}, since {}). {then}",
                first.why,
                join_and(&what),
                clock_time(&first.at)
            ),
            heaters: left.iter().map(|h| h.heater).collect(),
            zero,
            zeroed: false,
            ended: false,
        })
    }
}

/// What the logbook was last told of a printer's heat.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Logged {
    unconfirmed: bool,
}

/// Hours and minutes of a moment, by this computer's time zone.
fn clock_time(at: &str) -> String {
    at.parse::<jiff::Timestamp>().map_or_else(
        |_| at.to_owned(),
        |t| {
            t.to_zoned_datetime(jiff::tz::TimeZone::system())
                .strftime("%H:%M")
                .to_string()
        },
    )
}

/// Warned so long before idle heat goes off: the sixth part of the time allowed, two minutes at most.
fn warn_before(allowed: Duration) -> Duration {
    (allowed / 6).min(Duration::from_secs(120))
}

impl Live {
    /// Looks at every printer's heat: what nobody watches over goes off, what the store should know of it waits to be kept.
    pub(super) fn look_at_heat(&self, allowed: Duration) {
        let nobody_for = self.nobody_for();
        for (id, c) in self.lock().iter_mut() {
            // Before the look: what is noted meanwhile is newer.
            let mut seen = HeatSeen {
                printer_id: *id,
                at: now(),
                off: false,
                on: Vec::new(),
                log: Vec::new(),
            };
            look(c, nobody_for, allowed, &mut seen);
            if seen.off || !seen.on.is_empty() || !seen.log.is_empty() {
                self.lock_heat().push(seen);
            }
        }
    }

    fn lock_heat(&self) -> MutexGuard<'_, Vec<HeatSeen>> {
        self.heat_to_keep
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
    }

    /// Hands out what was seen of heat and isn't kept yet, the oldest first; it comes back by one of the next two.
    pub(super) fn heat_to_keep(&self) -> Vec<HeatSeen> {
        std::mem::take(&mut self.lock_heat())
    }

    /// It could not be kept: it waits again, before what was seen since.
    pub(super) fn heat_is_unkept(&self, seen: Vec<HeatSeen>) {
        self.lock_heat().splice(..0, seen);
    }

    /// It is kept: what a dead server left on, and is known to be over, is shown no more.
    pub(super) fn heat_is_kept(&self, kept: &[HeatSeen]) {
        let mut printers = self.lock();
        for seen in kept.iter().filter(|s| s.off) {
            if let Some(c) = printers.get_mut(&seen.printer_id) {
                c.left_over.take_if(|left| left.ended);
            }
        }
    }
}

/// Looks at one printer's heat.
fn look(c: &mut Connected, nobody_for: Duration, allowed: Duration, seen: &mut HeatSeen) {
    let status = c.link.status();
    // A printer that waits for heat answers no greeting; its reports say what it does all the same.
    let fresh = status.fresh;
    // What a dead server left behind.
    if let Some(left) = c.left_over.as_mut().filter(|l| !l.ended)
        && fresh
    {
        let prints = status.card_print == Some(true);
        let heats = status
            .metal()
            .iter()
            .any(|m| left.heaters.contains(&m.heater) && m.heats);
        if prints || status.heaters == Heaters::Off {
            let became = if prints {
                "The printer prints from its own card now: its heat was left alone."
            } else if left.zeroed {
                "It was set to 0, and the printer reports that it is off."
            } else {
                "The printer reports that it is off."
            };
            seen.log.push(format!("{} {became}", left.says));
            seen.off = true;
            left.ended = true;
        } else if left.zero && !left.zeroed && heats {
            left.zeroed = true;
            c.link.off(&left.heaters);
        }
    }
    let running = c.routine.as_ref().filter(|r| r.is_running());
    // What is on now.
    let own: Vec<Noted> = status
        .own_heat
        .iter()
        .map(|o| Noted {
            heater: o.heater,
            target_c: o.target_c,
        })
        .collect();
    if c.left_over.as_ref().is_none_or(|l| l.ended) && own != c.noted {
        if own.is_empty() {
            // Gone from our hands, but only once nothing of a stop is open any more.
            if fresh && status.stopping.is_none() {
                seen.off = true;
                c.noted = own;
            }
        } else {
            let why = running.map_or("by hand", |r| r.kind.says());
            seen.on.extend(own.iter().map(|n| HeatOn {
                printer_id: seen.printer_id,
                heater: n.heater,
                target_c: n.target_c,
                why: why.to_owned(),
                at: seen.at.clone(),
            }));
            c.noted = own;
        }
    }
    // A stop that is not confirmed stands in the logbook.
    let unconfirmed = status
        .stopping
        .as_ref()
        .is_some_and(|s| s.since.elapsed() > Duration::from_secs(10));
    if unconfirmed && !c.logged.unconfirmed {
        seen.log.push(
            "A stop could not be confirmed: whether heaters are off can’t be known from here."
                .into(),
        );
    } else if c.logged.unconfirmed && !unconfirmed && status.heaters == Heaters::Off {
        seen.log
            .push("The stop is confirmed now: heaters are off.".into());
    }
    c.logged.unconfirmed = unconfirmed;
    // Heat with nobody there.
    let idle_heat = !status.own_heat.is_empty()
        && running.is_none()
        && status.card_print != Some(true)
        && status.stopping.is_none();
    if !idle_heat {
        c.heat_since = None;
        c.idle_off_in_s = None;
        return;
    }
    let since = *c.heat_since.get_or_insert_with(Instant::now);
    let idle = nobody_for.min(since.elapsed());
    let left = allowed.saturating_sub(idle);
    c.idle_off_in_s = (left <= warn_before(allowed)).then_some(left.as_secs());
    if left.is_zero() {
        let heaters: Vec<Heater> = status.own_heat.iter().map(|o| o.heater).collect();
        c.link.off(&heaters);
        c.heat_since = None;
        c.idle_off_in_s = None;
        seen.log.push(format!(
            "Heat was set to 0: nobody was at a page for {} min, and nothing ran.",
            plain(allowed.as_secs_f64() / 60.0, 1)
        ));
    }
}
