//! Whose heat it is, and what becomes of it: noted on disk before it is switched on, taken back when
//! nobody watches over it any more, left alone when it is the printer's own.

use std::time::{Duration, Instant};

use wattotherm_gcode::Heater;
use wattotherm_link::Heaters;
use wattotherm_measure::text::{join_and, plain};
use wattotherm_store::HeatOn;

use super::Live;
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

/// What the store is to be told after a look at all printers.
#[derive(Default)]
pub struct Notes {
    pub on: Vec<HeatOn>,
    pub off: Vec<i64>,
    pub log: Vec<(i64, String)>,
}

impl Live {
    /// Looks at every printer's heat: what the store should know of it, what nobody watches over.
    pub(super) fn look_at_heat(&self, allowed: Duration) -> Notes {
        let mut notes = Notes::default();
        let nobody_for = self.nobody_for();
        for (id, c) in self.lock().iter_mut() {
            let status = c.link.status();
            // A printer that waits for heat answers no greeting; its reports say what it does all the same.
            let fresh = status.fresh;
            // What a dead server left behind.
            if let Some(left) = &mut c.left_over
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
                    notes.log.push((*id, format!("{} {became}", left.says)));
                    notes.off.push(*id);
                    c.left_over = None;
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
            if c.left_over.is_none() && own != c.noted {
                if own.is_empty() {
                    // Gone from our hands, but only once nothing of a stop is open any more.
                    if fresh && status.stopping.is_none() {
                        notes.off.push(*id);
                        c.noted = own;
                    }
                } else {
                    let why = running.map_or("by hand", |r| r.kind.says());
                    notes.on.extend(own.iter().map(|n| HeatOn {
                        printer_id: *id,
                        heater: n.heater,
                        target_c: n.target_c,
                        why: why.to_owned(),
                        at: now(),
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
                notes.log.push((
                    *id,
                    "A stop could not be confirmed: whether heaters are off can't be known from here.".into(),
                ));
            } else if c.logged.unconfirmed && !unconfirmed && status.heaters == Heaters::Off {
                notes
                    .log
                    .push((*id, "The stop is confirmed now: heaters are off.".into()));
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
                continue;
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
                notes.log.push((
                    *id,
                    format!(
                        "Heat was set to 0: nobody was at a page for {} min, and nothing ran.",
                        plain(allowed.as_secs_f64() / 60.0, 1)
                    ),
                ));
            }
        }
        notes
    }
}
