//! What a log's class rests on: each a fact with its numbers, put into words by a pen.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::text::{fixed, plain};
use wattotherm_measure::{Pen, Unit};

/// One thing that was found in a log.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "is", rename_all = "snake_case")]
pub enum TraceFact {
    /// How a hold lay.
    Held {
        /// Mean [°C].
        mean_c: f64,
        /// Its target [°C]; none where the log has none.
        target_c: Option<f64>,
        /// Lowest but for one in a hundred [°C].
        low_c: f64,
        /// Highest but for one in a hundred [°C].
        high_c: f64,
        /// Length [s].
        span_s: f64,
    },
    /// One sample that the block can't have made, and no other.
    OneStray {
        /// When [s].
        at_s: f64,
        /// What it read [°C].
        temp_c: f64,
    },
    /// Off and back between two lines.
    Spike {
        /// The line before [°C].
        from_c: f64,
        /// The line that strays [°C].
        to_c: f64,
        /// The line after [°C].
        back_c: f64,
    },
    /// From one line to the next faster than the block.
    Jump {
        /// The line before [°C].
        from_c: f64,
        /// The line that strays [°C].
        to_c: f64,
        /// Time between them [s].
        within_s: f64,
        /// What could change in that time [°C].
        could_c: f64,
        /// How much more it was [°C].
        over_c: f64,
        /// By this log's own heat-up.
        own: bool,
    },
    /// A mark's short form of a jump or a spike.
    Step {
        /// The line before [°C].
        from_c: f64,
        /// The line that strays [°C].
        to_c: f64,
    },
    /// How many samples stray.
    OutOfReach {
        /// A number of samples out of reach.
        samples: usize,
        /// A number of samples in all.
        of: usize,
    },
    /// The reading stands still at an end of its table.
    Pinned {
        /// Where [°C].
        at_c: f64,
        /// How long [s].
        span_s: f64,
        /// At the bottom, an open circuit; else at the top, a short.
        open: bool,
    },
    /// Full duty, and it falls.
    Losing {
        /// How long [s].
        span_s: f64,
        /// At first [°C].
        from_c: f64,
        /// In the end [°C].
        to_c: f64,
    },
    /// More duty for the same temperature.
    LossGrew {
        /// Duty at first, 0 to 1 [1].
        duty_was: f64,
        /// Duty at the end, 0 to 1 [1].
        duty_is: f64,
        /// Temperature at first [°C].
        was_c: f64,
        /// Temperature at the end [°C].
        is_c: f64,
    },
    /// A dip that comes and goes with the part fan.
    UnderFan {
        /// Below the target while it blows [°C].
        dip_c: f64,
        /// Beside the target before it [°C].
        calm_c: f64,
    },
    /// A beat that chance doesn't make.
    Beat {
        /// Period [s].
        period_s: f64,
        /// Peak to peak [°C].
        swing_c: f64,
        /// A number of cycles.
        cycles: f64,
    },
    /// The part fan goes to the same beat.
    FanBeats,
    /// The duty stands still while the temperature swings.
    DutyStill,
    /// The duty goes to the same beat.
    DutyBeats,
    /// It falls while its target stands.
    Falls {
        /// By how much [°C].
        by_c: f64,
        /// Mean duty, 0 to 1 [1]; none where it isn't logged.
        duty: Option<f64>,
    },
    /// It moves evenly.
    Moves {
        /// By how much [°C].
        by_c: f64,
        /// In what time [s].
        span_s: f64,
    },
    /// It levels off below its target.
    LevelsOff {
        /// How far below [°C].
        below_c: f64,
        /// At full duty; else the duty isn't logged.
        full: bool,
    },
    /// It stands still beside its target.
    StandsOff {
        /// Above the target, below it if negative [°C].
        off_c: f64,
        /// Mean duty, 0 to 1 [1]; none where it isn't logged.
        duty: Option<f64>,
    },
    /// It scatters from sample to sample.
    Scatters {
        /// Two standard deviations [°C].
        by_c: f64,
    },
    /// Lines too rare to show a swing.
    RareLines {
        /// Time between two [s].
        every_s: f64,
    },
    /// It strays to no beat.
    Strays {
        /// At most [°C].
        by_c: f64,
    },
    /// Figures read off a display, not a log.
    ReadOffDisplay,
}

fn at_duty(duty: Option<f64>, unknown: &str) -> String {
    duty.map_or(unknown.to_owned(), |d| {
        format!(", at {} % duty", fixed(d * 100.0, 0))
    })
}

impl TraceFact {
    /// The fact in a sentence, in this pen's units.
    #[must_use]
    pub fn words(&self, pen: Pen) -> String {
        let at = |c: f64| pen.fixed(c, Unit::Celsius, 1);
        let bare = |c: f64| pen.fixed_number(c, Unit::Celsius, 1);
        let by = |c: f64| pen.fixed(c, Unit::Kelvin, 1);
        let s = |v: f64| plain(v, 0);
        match self {
            Self::Held { mean_c, target_c: Some(t), low_c, high_c, span_s } => format!(
                "Mean {} against {}, {} to {} over {} s.",
                at(*mean_c),
                pen.plain(*t, Unit::Celsius, 1),
                bare(*low_c),
                at(*high_c),
                s(*span_s)
            ),
            Self::Held { mean_c, target_c: None, low_c, high_c, span_s } => format!(
                "No target in the log: mean {}, {} to {} over {} s.",
                at(*mean_c),
                bare(*low_c),
                at(*high_c),
                s(*span_s)
            ),
            Self::OneStray { at_s, temp_c } => format!(
                "One stray sample at {} s: {}. One proves nothing; more would be the sensor or its wire.",
                s(*at_s),
                at(*temp_c)
            ),
            Self::Spike { from_c, to_c, back_c } => format!(
                "{} → {} → {} from one line to the next: what still cools can’t heat up already.",
                bare(*from_c),
                bare(*to_c),
                at(*back_c)
            ),
            Self::Jump { from_c, to_c, within_s, could_c, over_c, own } => format!(
                "{} → {} within {} s; {} {} in that time ({} too much).",
                bare(*from_c),
                at(*to_c),
                plain(*within_s, 2),
                if *own {
                    "by its own heat-up it can change by no more than"
                } else {
                    "no heater of its kind changes by more than"
                },
                by(*could_c),
                by(*over_c)
            ),
            Self::Step { from_c, to_c } => format!("{} → {}", bare(*from_c), at(*to_c)),
            Self::OutOfReach { samples, of } => {
                format!("{samples} of {of} samples are out of reach.")
            }
            Self::Pinned { at_c, span_s, open } => format!(
                "{} without a change for {} s: {}.",
                at(*at_c),
                s(*span_s),
                if *open {
                    "the bottom of the table, an open circuit with a glass bead"
                } else {
                    "the top of the table, a short with a glass bead"
                }
            ),
            Self::Losing { span_s, from_c, to_c } => format!(
                "Full duty for {} s while the temperature fell from {} to {}.",
                s(*span_s),
                bare(*from_c),
                at(*to_c)
            ),
            Self::LossGrew { duty_was, duty_is, was_c, is_c } => format!(
                "{} % duty at first, {} % at the end, for {} and then {}.",
                fixed(duty_was * 100.0, 0),
                fixed(duty_is * 100.0, 0),
                at(*was_c),
                at(*is_c)
            ),
            Self::UnderFan { dip_c, calm_c } => format!(
                "{} below the target while the part fan blows, within {} before it.",
                by(*dip_c),
                by(*calm_c)
            ),
            Self::Beat { period_s, swing_c, cycles } => format!(
                "A beat of {} s, {} from top to bottom, {} times over: chance makes such a beat less than once in a thousand times.",
                s(*period_s),
                by(*swing_c),
                s(cycles.floor())
            ),
            Self::FanBeats => "The part fan goes up and down to the same beat.".into(),
            Self::DutyStill => "The duty stands still meanwhile: it isn’t the loop that makes the temperature swing.".into(),
            Self::DutyBeats => "The duty swings to the same beat.".into(),
            Self::Falls { by_c, duty } => format!(
                "It falls by {} while its target stands{}: the heater, or a sensor that slips out. Stay with it, and log the duty.",
                by(*by_c),
                at_duty(*duty, ", and duty is not logged")
            ),
            Self::Moves { by_c, span_s } => {
                format!("It moves by {} over {} s, evenly.", by(*by_c), s(*span_s))
            }
            Self::LevelsOff { below_c, full } => format!(
                "{}, and it levels off {} below the target.",
                if *full { "Full duty" } else { "The duty isn’t logged" },
                by(*below_c)
            ),
            Self::StandsOff { off_c, duty } => format!(
                "It stands still, {} {} its target{}.",
                by(off_c.abs()),
                if *off_c < 0.0 { "below" } else { "above" },
                at_duty(*duty, "; log the duty: at full it would lack power")
            ),
            Self::Scatters { by_c } => format!(
                "It scatters by ±{} from one sample to the next, with no beat in it.",
                by(*by_c)
            ),
            Self::RareLines { every_s } => {
                format!("A line every {} s can hide a swing.", s(*every_s))
            }
            Self::Strays { by_c } => format!(
                "It strays by up to {}, to no beat that stands out from chance.",
                by(*by_c)
            ),
            Self::ReadOffDisplay => "Figures read off the printer’s display.".into(),
        }
    }
}
