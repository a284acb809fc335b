//! The thermal timeline of a job: power and nozzle over its open work, with the minutes that heating and cooling
//! take on this very hot end, and what can be done meanwhile.

mod machine;
mod needs;

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_heat::{Cooling, TOUCH_SAFE_C};
use wattotherm_measure::{Pen, Unit};

use crate::context::Context;
use crate::gate::Gate;
use crate::route::{LineState, Stop};
use crate::situation::Situation;
pub use machine::{Machine, Power};
use needs::{Need, needs_of, print_c};

/// What a stretch of the timeline is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LegKind {
    /// Hands at work.
    Work,
    /// The machine works by itself: a print, a routine.
    Runs,
    /// It heats.
    Heats,
    /// It cools.
    Cools,
}

/// A stretch of the timeline.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Leg {
    /// Key of the stop that it is for.
    pub stop: String,
    /// Name of that stop.
    pub title: String,
    /// What it is.
    pub kind: LegKind,
    /// When it begins, from now on [min].
    pub from_min: f64,
    /// When it ends [min].
    pub to_min: f64,
    /// Nozzle at its beginning and end [°C].
    pub nozzle_c: [f64; 2],
    /// Power.
    pub power: Power,
    /// While it heats or cools: what can be done on this printer.
    pub meanwhile: Vec<String>,
}

/// The open work of a job on the clock.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Timeline {
    /// Stretches, each beginning where the one before ends.
    pub legs: Vec<Leg>,
    /// Minutes in all.
    pub total_min: f64,
    /// How often it is heated up and cooled down again for cold work.
    pub swings: u32,
    /// Whether its cooling was found on this hot end; otherwise it is the usual one.
    pub own_cooling: bool,
    /// Whether the nozzle's temperature at its beginning is read from the printer; otherwise it is taken for cold.
    pub read_now: bool,
    /// State of the machine by what was ticked last.
    pub machine: Machine,
    /// Hottest nozzle on it [°C].
    pub hottest_c: f64,
}

/// What a timeline starts from.
#[derive(Clone, Copy, Debug)]
pub struct Start {
    /// How this hot end cools.
    pub cooling: Cooling,
    /// Nozzle now [°C], where a connected printer says so.
    pub nozzle_c: Option<f64>,
}

/// Power of a heater that nobody noted [W]. Common practice.
const USUAL_W: f64 = 40.0;
/// A nozzle within so much of what is asked is there [K].
const NEAR_K: f64 = 5.0;
/// Warm plastic is worked at [°C]. Common practice: 60 to 90.
const WARM_C: f64 = 75.0;
/// Waits shorter than this leave no time for anything [min].
const WORTH_FILLING_MIN: f64 = 1.0;
/// Things to do meanwhile that are named at most.
const MOST_MEANWHILE: usize = 3;

struct Clock<'a> {
    start: &'a Start,
    power_w: f64,
    capacity_j_k: f64,
    legs: Vec<Leg>,
    now_min: f64,
    nozzle_c: f64,
    power: Power,
    swings: u32,
}

impl Clock<'_> {
    fn leg(&mut self, stop: &(String, String), kind: LegKind, minutes: f64, to_c: f64) {
        if minutes <= 1e-9 {
            self.nozzle_c = to_c;
            return;
        }
        let from_c = self.nozzle_c;
        self.legs.push(Leg {
            stop: stop.0.clone(),
            title: stop.1.clone(),
            kind,
            from_min: self.now_min,
            to_min: self.now_min + minutes,
            nozzle_c: [from_c, to_c],
            power: self.power,
            meanwhile: Vec::new(),
        });
        self.now_min += minutes;
        self.nozzle_c = to_c;
    }

    fn heats_to(&mut self, stop: &(String, String), to_c: f64) {
        if self.nozzle_c >= to_c - NEAR_K {
            return;
        }
        // A hot end that can't get there is a fault for its station to find: it is drawn with the usual power.
        let rises = |w| {
            let cooling = &self.start.cooling;
            cooling.rises_in_s(self.nozzle_c, to_c, w, self.capacity_j_k)
        };
        let s = rises(self.power_w).or_else(|| rises(4.0 * USUAL_W));
        self.power = Power::Live;
        self.leg(stop, LegKind::Heats, s.unwrap_or(0.0) / 60.0, to_c);
    }

    fn falls_to(&mut self, stop: &(String, String), to_c: f64) {
        if self.nozzle_c <= to_c {
            return;
        }
        if to_c <= TOUCH_SAFE_C {
            self.swings += 1;
        }
        let s = self.start.cooling.falls_in_s(self.nozzle_c, to_c);
        self.leg(stop, LegKind::Cools, s.unwrap_or(0.0) / 60.0, to_c);
    }

    fn works(&mut self, stop: &(String, String), need: &Need, print_c: f64) {
        match need.gate {
            Gate::Any => {}
            Gate::Live => self.power = Power::Live,
            Gate::Cold => self.falls_to(stop, TOUCH_SAFE_C),
            Gate::Unplugged => {
                self.falls_to(stop, TOUCH_SAFE_C);
                self.power = Power::Unplugged;
            }
            Gate::Warm => {
                self.heats_to(stop, WARM_C);
                self.falls_to(stop, WARM_C + NEAR_K);
            }
            Gate::Hot { at_c } => {
                self.power = Power::Live;
                self.heats_to(stop, at_c.unwrap_or(print_c));
            }
        }
        let at = self.nozzle_c;
        self.leg(stop, LegKind::Work, need.hands_min, at);
        self.leg(stop, LegKind::Runs, need.wait_min, at);
    }
}

impl Situation<'_> {
    /// The timeline of what is open on this job's card, whatever its results.
    #[must_use]
    pub fn timeline(&self, start: &Start) -> Timeline {
        let machine = Machine::after(self);
        let mut clock = Clock {
            start,
            power_w: self.printer.heater_w.unwrap_or(USUAL_W),
            capacity_j_k: self.printer.mass.capacity_j_k(),
            legs: Vec::new(),
            now_min: 0.0,
            nozzle_c: start.nozzle_c.unwrap_or(start.cooling.ambient_c),
            power: machine.power,
            swings: 0,
        };
        // A nozzle that says it is hot is on a machine that is switched on.
        if start.nozzle_c.is_some() {
            clock.power = Power::Live;
        }
        let mut any_time: Vec<(usize, String)> = Vec::new();
        for line in self.card.lines.iter().filter(|l| l.is_open()) {
            if line.state == LineState::Conditional {
                continue;
            }
            let Ok(stop) = line.key.parse::<Stop>() else {
                continue;
            };
            let context: Context = self.context(stop);
            let of = (line.key.clone(), line.title.clone());
            for need in needs_of(stop, line, &context) {
                clock.works(&of, &need, print_c(&context));
                let made = clock.legs.len();
                any_time.extend(need.any_time.into_iter().map(|what| (made, what)));
            }
        }
        let Clock {
            mut legs,
            now_min,
            swings,
            ..
        } = clock;
        for (i, leg) in legs.iter_mut().enumerate() {
            let waits = matches!(leg.kind, LegKind::Heats | LegKind::Cools)
                && leg.to_min - leg.from_min >= WORTH_FILLING_MIN;
            if waits {
                let later = any_time.iter().filter(|(at, _)| *at > i + 1);
                leg.meanwhile = later
                    .map(|(_, what)| what.clone())
                    .take(MOST_MEANWHILE)
                    .collect();
            }
        }
        Timeline {
            hottest_c: legs.iter().flat_map(|l| l.nozzle_c).fold(0.0, f64::max),
            legs,
            total_min: now_min,
            swings,
            own_cooling: start.cooling.own,
            read_now: start.nozzle_c.is_some(),
            machine,
        }
    }
}

impl Timeline {
    /// Whether what comes first is a wait for heat or cold.
    #[must_use]
    pub fn waits_now(&self) -> bool {
        let first = self.legs.first().map(|l| l.kind);
        matches!(first, Some(LegKind::Heats | LegKind::Cools))
    }

    /// What comes next on the clock, in a sentence.
    #[must_use]
    pub fn says(&self, pen: Pen) -> String {
        let c = |v| pen.plain(v, Unit::Celsius, 0);
        let wait = |leg: &Leg| match leg.kind {
            LegKind::Heats => format!("heats to {}", c(leg.nozzle_c[1])),
            _ => format!("cools to {}", c(leg.nozzle_c[1])),
        };
        let long = |leg: &Leg| minutes(leg.to_min - leg.from_min);
        let is_wait = |l: &&Leg| matches!(l.kind, LegKind::Heats | LegKind::Cools);
        let Some(first) = self.legs.first() else {
            return String::new();
        };
        let taken = if self.own_cooling {
            ""
        } else {
            " as a usual hot end does"
        };
        match self.legs.iter().find(is_wait) {
            Some(leg) if leg.from_min <= 0.0 => {
                let meanwhile = match leg.meanwhile.first() {
                    Some(what) => format!(" Meanwhile: {what}"),
                    None => String::new(),
                };
                format!(
                    "For “{}” it {}, which takes {}{taken}.{meanwhile}",
                    leg.title,
                    wait(leg),
                    long(leg)
                )
            }
            Some(leg) => format!(
                "After {} it {} for “{}”, which takes {}{taken}.",
                minutes(leg.from_min),
                wait(leg),
                leg.title,
                long(leg)
            ),
            None if first.power == Power::Unplugged => "All that is left is done unplugged.".into(),
            None => "Nothing that is left waits for heat or cold.".into(),
        }
    }
}

fn minutes(min: f64) -> String {
    if min <= 1.0 {
        "a minute".into()
    } else {
        // A wait is said no shorter than it is.
        format!("{:.0} min", min.ceil())
    }
}
