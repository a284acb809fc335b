//! What is read at the heater loop, and its numbers.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::{
    ControllerKind, Gains, HoldResult, OutputForm, TUNING_RULES, TuneResult, TuningRule,
    VerifyResult,
};
use wattotherm_measure::Unit;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{join_or, plain};

use super::{chosen, same};
use crate::context::Context;
use crate::stations::reported::last_named;

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
    /// What the printer reported after its own autotune, pasted; for printers without a link.
    pub report: String,
    /// How the printer's controller goes about a step: what the rules are tried with.
    pub controller: ControllerKind,
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

pub(super) const TARGET: Limit = Limit::new(
    "target_c",
    "print temperature",
    Unit::Celsius,
    [100.0, 450.0, 170.0, 320.0],
    "filaments melt in this range",
);
pub(super) const FAN: Limit = Limit::new(
    "fan_percent",
    "part fan",
    Unit::Percent,
    [0.0, 100.0, 0.0, 100.0],
    "a fan runs from 0 to 100 %",
);
pub(super) const SET_P: Limit = Limit::new(
    "set_p",
    "gain P",
    Unit::One,
    [0.0, 1_200.0, 0.0, 1_200.0],
    "no hot end is held with more",
);
pub(super) const SET_I: Limit = Limit::new(
    "set_i",
    "gain I",
    Unit::One,
    [0.0, 1_200.0, 0.0, 1_200.0],
    "no hot end is held with more",
);
pub(super) const SET_D: Limit = Limit::new(
    "set_d",
    "gain D",
    Unit::One,
    [0.0, 20_000.0, 0.0, 20_000.0],
    "no hot end is held with more",
);
pub(super) const SINK: Limit = Limit::new(
    "sink_c",
    "heat sink",
    Unit::Celsius,
    [0.0, 250.0, 15.0, 120.0],
    "it lies between the room and the block",
);
pub(super) const KU: Limit = Limit::new(
    "typed_ku",
    "ultimate gain Ku",
    Unit::One,
    [0.001, 3_000.0, 0.001, 3_000.0],
    "autotunes report less",
);
pub(super) const TU: Limit = Limit::new(
    "typed_tu_s",
    "ultimate period Tu",
    Unit::Second,
    [1.0, 300.0, 4.0, 120.0],
    "hot ends swing in this range",
);
pub(super) const OVERSHOOT: Limit = Limit::new(
    "typed_overshoot_c",
    "overshoot",
    Unit::Kelvin,
    [0.0, 100.0, 0.0, 60.0],
    "beyond, the printer’s own protection would have stopped it",
);
pub(super) const SETTLE: Limit = Limit::new(
    "typed_settle_s",
    "time to settle",
    Unit::Second,
    [0.0, 3_600.0, 0.0, 1_200.0],
    "nobody waits longer",
);
pub(super) const SWING: Limit = Limit::new(
    "typed_swing_c",
    "highest less lowest",
    Unit::Kelvin,
    [0.0, 100.0, 0.0, 60.0],
    "beyond, it isn’t held at all",
);
pub(super) const DIP: Limit = Limit::new(
    "typed_dip_c",
    "dip with the fan",
    Unit::Kelvin,
    [0.0, 150.0, 0.0, 80.0],
    "beyond, it isn’t held at all",
);

/// Longest report.
pub(super) const MOST_REPORT: usize = 20_000;

impl HeaterLoopReadings {
    /// Ultimate gain, in `form`, and period [s]: typed, or else those that the pasted report ends with.
    pub(super) fn ku_and_tu(&self) -> (Entry, Entry) {
        let or_reported = |typed: &Entry, name: &str| match last_named(&self.report, name) {
            Some(found) if typed.is_blank() => plain(found, 4).as_str().into(),
            _ => typed.clone(),
        };
        (
            or_reported(&self.typed_ku, "ku"),
            or_reported(&self.typed_tu_s, "tu"),
        )
    }
}

pub(super) struct Typed {
    pub target_c: f64,
    pub set: Option<Gains>,
    pub sink_c: Option<f64>,
    /// Overshoot, settling, swing, dip, read off a display.
    pub seen: [Option<f64>; 4],
}

/// Ultimate gains of hot ends [duty/°C]. Common practice, no published source.
const USUAL_KU: std::ops::Range<f64> = 0.02..3.0;

/// A Ku that no hot end has in this form, and hot ends have in the other.
fn ask_form(intake: &mut Intake<'_>, ku: f64, form: OutputForm) {
    let other = match form {
        OutputForm::Byte => OutputForm::Unit,
        OutputForm::Unit => OutputForm::Byte,
    };
    if !USUAL_KU.contains(&(ku / form.full())) && USUAL_KU.contains(&(ku / other.full())) {
        intake.ask_whether(
            "typed_ku",
            format!(
                "A Ku of {} is none of a hot end for {}; for {} it is usual. Choose that form, or confirm.",
                plain(ku, 3),
                form.label(),
                other.label()
            ),
        );
    }
}

pub(super) fn typed(
    readings: &HeaterLoopReadings,
    context: &Context,
) -> Result<Typed, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let target_c = intake.need(&TARGET, "target_c", &readings.target_c);
    intake.may(&FAN, "fan_percent", &readings.fan_percent);
    let gains = [
        intake.may(&SET_P, "set_p", &readings.set_p),
        intake.may(&SET_I, "set_i", &readings.set_i),
        intake.may(&SET_D, "set_d", &readings.set_d),
    ];
    let sink_c = intake.may(&SINK, "sink_c", &readings.sink_c);
    crate::stations::snapshot::no_longer(&mut intake, "report", &readings.report, MOST_REPORT);
    let (shown_ku, shown_tu) = readings.ku_and_tu();
    if !readings.report.trim().is_empty() && (shown_ku.is_blank() || shown_tu.is_blank()) {
        intake.conflict(
            "report",
            "No Ku and Tu can be read in it. Paste the lines of the autotune, or type both below.",
        );
    }
    let ku = intake.may(&KU, "typed_ku", &shown_ku);
    let tu = intake.may(&TU, "typed_tu_s", &shown_tu);
    if let Some(ku) = ku {
        ask_form(&mut intake, ku, readings.form);
    }
    let rule = readings.rule.spec();
    if ku.is_some() && tu.is_some() && readings.tune.is_none() && !rule.from_ultimate {
        let by_ku: Vec<&str> = TUNING_RULES
            .iter()
            .filter(|r| r.from_ultimate)
            .map(|r| r.label)
            .collect();
        intake.conflict(
            "rule",
            format!(
                "{} needs a model, which only a log gives. Drop a log of the autotune in, or choose {}.",
                rule.label,
                join_or(&by_ku)
            ),
        );
    }
    let seen = [
        intake.may(&OVERSHOOT, "typed_overshoot_c", &readings.typed_overshoot_c),
        intake.may(&SETTLE, "typed_settle_s", &readings.typed_settle_s),
        intake.may(&SWING, "typed_swing_c", &readings.typed_swing_c),
        intake.may(&DIP, "typed_dip_c", &readings.typed_dip_c),
    ];
    let top = context.ceiling();
    if target_c.is_some_and(|t| t > top.ceiling_c) {
        intake.conflict(
            "target_c",
            format!(
                "{{{} °C}} is above the ceiling of {{{} °C}}, held down by {}. Tune at or below it.",
                plain(target_c.unwrap_or(0.0), 0),
                plain(top.ceiling_c, 0),
                top.held_by.says()
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
                        "These can’t be gains for an {}: {e}.",
                        readings.form.label()
                    ),
                );
            }
            g.ok()
        }
        _ => None,
    };
    // Read off a display: nothing but the technician knows which gains the printer held meanwhile.
    let by_eye = readings.verify.is_none() && seen.iter().any(Option::is_some);
    if let Some(found) = chosen(readings).filter(|_| by_eye) {
        let which = format!("Which gains did it hold with? {} were found", found.text());
        match set {
            None => intake.conflict(
                "set_p",
                format!("{which}. Type those that the printer held."),
            ),
            Some(set) if !same(&set, &found) => intake.ask_whether(
                "set_p",
                format!(
                    "{which}, {} stand here as set. Type those that the printer held, or confirm these.",
                    set.text()
                ),
            ),
            Some(_) => {}
        }
    }
    intake.finish()?;
    Ok(Typed {
        target_c: target_c.unwrap_or(0.0),
        set,
        sink_c,
        seen,
    })
}
