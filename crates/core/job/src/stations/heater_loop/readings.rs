//! What is read at the heater loop, and its numbers.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::{Gains, HoldResult, OutputForm, TuneResult, TuningRule, VerifyResult};
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::plain;

use crate::stations::Context;

/// What became of gains that were written from here.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct WrittenGains {
    /// Gains written, as [`Gains::text`].
    pub gains: String,
    /// Whether the printer took them.
    pub taken: bool,
    /// Whether they were still there after it read its memory again.
    pub stored: bool,
    /// The same in a sentence.
    pub says: String,
}

/// What is read at the heater loop.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct HeaterLoopReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Print temperature to tune for [°C].
    pub target_c: Entry,
    /// Part fan while tuning [%].
    pub fan_percent: Entry,
    /// Form in which the gains stand.
    pub form: OutputForm,
    /// Proportional gain set.
    pub set_p: Entry,
    /// Integral gain set.
    pub set_i: Entry,
    /// Derivative gain set.
    pub set_d: Entry,
    /// Hold test.
    pub hold: Option<HoldResult>,
    /// Autotune.
    pub tune: Option<TuneResult>,
    /// Rule chosen.
    pub rule: TuningRule,
    /// What was written to the printer from here.
    pub written: Option<WrittenGains>,
    /// Verification.
    pub verify: Option<VerifyResult>,
    /// Heat sink after the hold, by touch thermometer [°C]; blank where it was not measured.
    pub sink_c: Entry,
    /// Ultimate gain read off a display, in `form`; for printers without a link.
    pub typed_ku: Entry,
    /// Ultimate period read off a display [s].
    pub typed_tu_s: Entry,
    /// Overshoot read off a display [°C].
    pub typed_overshoot_c: Entry,
    /// Seconds from 10 °C below the target until it stayed within 1.5 °C.
    pub typed_settle_s: Entry,
    /// Highest less lowest in the hold, read off a display [°C].
    pub typed_swing_c: Entry,
    /// Dip with the part fan, read off a display [°C].
    pub typed_dip_c: Entry,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Limits of the fields.
pub const LIMITS: [Limit; 12] = [
    Limit::new(
        "target_c",
        "print temperature",
        "°C",
        [100.0, 450.0, 170.0, 320.0],
        "filaments melt in this range",
    ),
    Limit::new(
        "fan_percent",
        "part fan",
        "%",
        [0.0, 100.0, 0.0, 100.0],
        "a fan runs from 0 to 100 %",
    ),
    Limit::new(
        "set_p",
        "gain P",
        "",
        [0.0, 1_200.0, 0.0, 1_200.0],
        "no hot end is held with more",
    ),
    Limit::new(
        "set_i",
        "gain I",
        "",
        [0.0, 1_200.0, 0.0, 1_200.0],
        "no hot end is held with more",
    ),
    Limit::new(
        "set_d",
        "gain D",
        "",
        [0.0, 20_000.0, 0.0, 20_000.0],
        "no hot end is held with more",
    ),
    Limit::new(
        "sink_c",
        "heat sink",
        "°C",
        [0.0, 250.0, 15.0, 120.0],
        "it lies between the room and the block",
    ),
    Limit::new(
        "typed_ku",
        "ultimate gain Ku",
        "",
        [0.001, 3_000.0, 0.001, 3_000.0],
        "autotunes report less",
    ),
    Limit::new(
        "typed_tu_s",
        "ultimate period Tu",
        "s",
        [1.0, 300.0, 4.0, 120.0],
        "hot ends swing in this range",
    ),
    Limit::new(
        "typed_overshoot_c",
        "overshoot",
        "°C",
        [0.0, 100.0, 0.0, 60.0],
        "beyond, the printer's own protection would have stopped it",
    ),
    Limit::new(
        "typed_settle_s",
        "time to settle",
        "s",
        [0.0, 3_600.0, 0.0, 1_200.0],
        "nobody waits longer",
    ),
    Limit::new(
        "typed_swing_c",
        "highest less lowest",
        "°C",
        [0.0, 100.0, 0.0, 60.0],
        "beyond, it isn't held at all",
    ),
    Limit::new(
        "typed_dip_c",
        "dip with the fan",
        "°C",
        [0.0, 150.0, 0.0, 80.0],
        "beyond, it isn't held at all",
    ),
];

pub(super) struct Typed {
    pub target_c: f64,
    pub set: Option<Gains>,
    pub sink_c: Option<f64>,
    /// Overshoot, settling, swing, dip, read off a display.
    pub seen: [Option<f64>; 4],
}

pub(super) fn typed(
    readings: &HeaterLoopReadings,
    context: &Context,
) -> Result<Typed, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let [
        target,
        fan,
        p,
        i,
        d,
        sink,
        ku,
        tu,
        overshoot,
        settle,
        swing,
        dip,
    ] = &LIMITS;
    let target_c = intake.need(target, "target_c", &readings.target_c);
    intake.may(fan, "fan_percent", &readings.fan_percent);
    let gains = [
        intake.may(p, "set_p", &readings.set_p),
        intake.may(i, "set_i", &readings.set_i),
        intake.may(d, "set_d", &readings.set_d),
    ];
    let sink_c = intake.may(sink, "sink_c", &readings.sink_c);
    intake.may(ku, "typed_ku", &readings.typed_ku);
    intake.may(tu, "typed_tu_s", &readings.typed_tu_s);
    let seen = [
        intake.may(overshoot, "typed_overshoot_c", &readings.typed_overshoot_c),
        intake.may(settle, "typed_settle_s", &readings.typed_settle_s),
        intake.may(swing, "typed_swing_c", &readings.typed_swing_c),
        intake.may(dip, "typed_dip_c", &readings.typed_dip_c),
    ];
    let top = context.house.ceiling(&context.printer);
    if target_c.is_some_and(|t| t > top.ceiling_c) {
        intake.conflict(
            "target_c",
            format!(
                "{} °C is above the ceiling of {} °C, held down by {}. Tune at or below it.",
                plain(target_c.unwrap_or(0.0), 0),
                plain(top.ceiling_c, 0),
                top.held_by
            ),
        );
    }
    let set = match gains {
        [Some(p), Some(i), Some(d)] => {
            let g = Gains::from_form(p, i, d, readings.form);
            if let Err(e) = &g {
                intake.conflict(
                    "set_p",
                    format!(
                        "These can't be gains for an {}: {e}.",
                        readings.form.label()
                    ),
                );
            }
            g.ok()
        }
        _ => None,
    };
    intake.finish()?;
    Ok(Typed {
        target_c: target_c.unwrap_or(0.0),
        set,
        sink_c,
        seen,
    })
}
