//! Heater loop: does it hold, is it the loop at all, and which gains.
//!
//! First round: a hold test, an autotune, a rule; the finding adjusts. Second round: the verification
//! by step, hold and fan, with the gains that the printer then holds.

mod readings;
mod words;

pub use readings::{HeaterLoopReadings, WrittenGains};

use std::collections::BTreeMap;

use readings::{Typed, typed};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use wattotherm_gcode::{Heater, autotune_nozzle, read_back, set_heater_gains, store_settings};
use wattotherm_heat::{
    ControllerKind, Gains, Identified, Interval, LoopFigures, OutputForm, TUNING_RULES, TraceClass,
    TraceFact, TraceReading, TuningRule, Ultimate, VerifyResult, tune,
};
use wattotherm_measure::entry::ReadingError;
use wattotherm_measure::{Combined, Pen, Unit, Verdict, u_rectangular};
use wattotherm_printer::{Parameter, fan_off};

use super::set_up::{rule_text, tolerance};
use super::{SetUp, Station, known, print_temp_c};
use crate::caution::SignalWord;
use crate::chain::Strength;
use crate::context::{Context, FROM_SNAPSHOT, IN_FORCE};
use crate::finding::{Band, Cause, Facts, Words};
use crate::form::{Field, Form};
use crate::house::{RuleId, ToleranceId};

/// Hold, autotune, gains, verification.
pub struct HeaterLoop;

/// Dead time and second lag beyond which sensor or cartridge sits loose [s]. Common practice, no
/// published source: seated, they come to 2 to 5 s.
pub const LOOSE_LAG_S: f64 = 8.0;
/// Heat sink beyond which filament softens in the cold zone [°C]. Common practice, no published source.
pub const SINK_MOST_C: f64 = 60.0;
/// Gains within this share are the same: firmwares print two decimals.
const SAME: f64 = 0.02;

/// How far the work has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
enum Stage {
    /// Nothing tested.
    Untested,
    /// The hold test alone.
    Held,
    /// The hold test, and the house leaves a loop that holds.
    HoldsAndStays,
    /// A log that is too short.
    TooShort,
    /// The hold test shows something that no gains mend, or not what.
    LookFirst,
    /// Gains of the rule are proposed.
    Proposed,
    /// They are set, and not verified.
    SetNotVerified,
    /// Verified.
    Verified,
    /// A figure of the verification can lie on either side of its limit.
    AtTheLimit,
    /// The printer holds other gains than the ones that were set.
    NotStored,
    /// The verification failed, other gains are proposed.
    FailedProposed,
    /// The verification failed, and there are no other gains.
    Failed,
}

/// What a verification showed to be wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
enum Fails {
    Swings,
    Overshoots,
    SettlesLate,
    Dips,
    NeverSettles,
    NeverArrives,
}

/// What was found of the loop.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct HeaterLoopFound {
    stage: Stage,
    target_c: f64,
    /// Gains set, by the readings or by the record.
    set: Option<Gains>,
    /// Gains to write.
    proposed: Option<Gains>,
    /// Gains that the printer held at the verification.
    held: Option<Gains>,
    rule: TuningRule,
    ultimate: Option<Ultimate>,
    /// Where the true ultimate gain lies [duty/°C]; none for one that was typed.
    #[serde(default)]
    ku: Option<Interval>,
    plant: Option<Identified>,
    /// The log that decided.
    reading: Option<TraceReading>,
    /// The hold test holds.
    holds: bool,
    tuned: bool,
    fails: Vec<Fails>,
    /// Dip with the fan and its limit [°C], where that stopped it.
    dip_c: Option<(f64, f64)>,
    sink_c: Option<f64>,
}

fn same(a: &Gains, b: &Gains) -> bool {
    let near = |x: f64, y: f64| (x - y).abs() <= SAME * y.abs().max(1e-6) + 3e-5;
    near(a.kp, b.kp) && near(a.ki, b.ki) && near(a.kd, b.kd)
}

/// Gains that were written from here, where that went as `went` asks.
fn written(readings: &HeaterLoopReadings, went: impl Fn(&WrittenGains) -> bool) -> Option<Gains> {
    let written = readings.written.as_ref().filter(|w| went(w))?;
    Gains::from_text(&written.gains)
}

/// Gains that the chosen rule gives for the autotune.
#[must_use]
pub fn chosen(readings: &HeaterLoopReadings) -> Option<Gains> {
    if let Some(t) = &readings.tune {
        return tune(
            readings.rule,
            t.ultimate,
            t.plant.as_ref().map(|p| &p.plant),
        );
    }
    let (ku, tu) = readings.ku_and_tu();
    let ku = ku.parse(Unit::One)? / readings.form.full();
    let tu_s = tu.parse(Unit::Second)?;
    tune(readings.rule, Some(Ultimate { ku, tu_s }), None)
}

/// Whether every filament of the job is printed with the part fan off: then no dip with it matters.
fn fan_stays_off(context: &Context) -> bool {
    let mut all = context.filaments.iter().chain(&context.filament).peekable();
    all.peek().is_some() && all.all(|f| fan_off(&f.material))
}

/// A verification read off a display; none while overshoot, swing or dip are blank.
fn typed_verification(typed: &Typed, context: &Context) -> Option<VerifyResult> {
    let [overshoot, settle, swing, dip] = typed.seen;
    let (overshoot, swing) = (overshoot?, swing?);
    if dip.is_none() && !fan_stays_off(context) {
        return None;
    }
    Some(VerifyResult {
        trace: None,
        target_c: typed.target_c,
        reading: TraceReading {
            heater: Heater::Tool(0),
            class: TraceClass::Steady,
            facts: vec![TraceFact::ReadOffDisplay],
            headline: String::new(),
            advice: String::new(),
            evidence: Vec::new(),
            marks: Vec::new(),
            target_c: Some(typed.target_c),
            mean_c: None,
            swing_c: Some(swing),
            period_s: None,
            segments: Vec::new(),
        },
        figures: LoopFigures {
            overshoot_c: Some(overshoot),
            settle_s: settle,
            // A swing of a given width, taken for a sine: its standard deviation is width/(2√2).
            hold_sd_c: Some(swing / 8.0_f64.sqrt()),
            hold_worst_c: Some(swing / 2.0),
            dip_c: dip,
            recovery_s: None,
        },
        gains_now: None,
    })
}

/// Gains in force, or else as the printer held them when the job began.
fn gains_before(context: &Context) -> Option<(Gains, &'static str)> {
    let in_force = context.before_text.as_deref().and_then(Gains::from_text);
    let stored = || context.snapshot.as_deref().and_then(Gains::reported);
    in_force
        .map(|g| (g, IN_FORCE))
        .or_else(|| stored().map(|g| (g, FROM_SNAPSHOT)))
}

/// What the last round's readings hold under a name.
fn kept<T: DeserializeOwned>(context: &Context, name: &str) -> Option<T> {
    let value = context.previous.as_ref()?.get(name)?;
    serde_json::from_value(value.clone()).ok()
}

impl Station for HeaterLoop {
    type Readings = HeaterLoopReadings;
    type Own = HeaterLoopFound;
    const ID: &'static str = "heater_loop";
    const SETTLES: &'static [Parameter] = &[Parameter::HeaterLoop];

    /// The gains in force come from the last round; its autotune stays, so that another rule can be tried
    /// without another quarter of an hour.
    fn start(context: &Context) -> HeaterLoopReadings {
        let gains = gains_before(context).map(|(g, _)| g);
        let [p, i, d] = gains.map_or([None; 3], |g| g.in_form(OutputForm::Byte).map(Some));
        HeaterLoopReadings {
            target_c: kept(context, "target_c")
                .unwrap_or_else(|| known(Some(print_temp_c(context)), 0)),
            fan_percent: kept(context, "fan_percent").unwrap_or_else(|| "0".into()),
            form: OutputForm::Byte,
            set_p: known(p, 2),
            set_i: known(i, 2),
            set_d: known(d, 2),
            tune: kept(context, "tune").flatten(),
            rule: kept(context, "rule").unwrap_or_default(),
            controller: kept(context, "controller").unwrap_or_default(),
            written: kept(context, "written").flatten(),
            ..HeaterLoopReadings::default()
        }
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let from = gains_before(context).map(|(_, says)| says);
        from.into_iter()
            .flat_map(|says| ["set_p", "set_i", "set_d"].map(|path| (path, says)))
            .collect()
    }

    fn form(_: &HeaterLoopReadings, _: &Context) -> Form {
        use readings as f;
        let rules: Vec<(&str, &str)> = TUNING_RULES
            .iter()
            .map(|r| (r.rule.id(), r.label))
            .collect();
        let controllers = ControllerKind::ALL.map(|c| (<&str>::from(c), c.label()));
        Form::default()
            .group(
                "",
                vec![
                    Field::number(&f::TARGET).needed(),
                    Field::number(&f::FAN),
                    Field::number(&f::SINK),
                    Field::result("hold", "hold test"),
                    Field::result("tune", "autotune"),
                    Field::result("verify", "verification"),
                    Field::result("written", "what was written"),
                ],
            )
            .group(
                "Rule",
                vec![
                    Field::choice("rule", "rule", &rules),
                    Field::choice("controller", "the printer heats", &controllers),
                ],
            )
            .folded(
                "Gains set",
                vec![
                    Field::choice(
                        "form",
                        "form of the gains",
                        &[
                            ("byte", OutputForm::Byte.label()),
                            ("unit", OutputForm::Unit.label()),
                        ],
                    ),
                    Field::number(&f::SET_P),
                    Field::number(&f::SET_I),
                    Field::number(&f::SET_D),
                ],
            )
            .folded(
                "Read off the display",
                std::iter::once(Field::text(
                    "report",
                    "report of its autotune",
                    f::MOST_REPORT,
                ))
                .chain(
                    [
                        &f::KU,
                        &f::TU,
                        &f::OVERSHOOT,
                        &f::SETTLE,
                        &f::SWING,
                        &f::DIP,
                    ]
                    .map(Field::number),
                )
                .collect(),
            )
    }

    fn set_up(r: &HeaterLoopReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        let target = r.target_c.parse(Unit::Celsius);
        let mut up = SetUp::new(target.map_or_else(
            || "Hold the print temperature, then tune and verify.".into(),
            |t| format!("Hold {}, then tune and verify.", pen.plain(t, Unit::Celsius, 0)),
        ))
        .hint(if fan_stays_off(context) {
            "Tune at the temperature you will print with, part fan off: this filament is printed without it, and no dip with it is asked."
        } else {
            "Tune at the temperature you will print with."
        })
        .caution(
            SignalWord::Warning,
            "Fire and burns. Stay with it from the first degree to the last; hands and sleeves off the hot end; ventilate, for hot plastic and liners give off fumes. If the reading stands still while it heats, stop at once. Mains-side work is for a licensed electrician under the local code.",
        );
        up.target_c = target;
        let top = context.ceiling().ceiling_c;
        // Where a part is at fault no tuning is offered, not even as a line to copy.
        let at_fault = Self::facts(r, context).is_ok_and(|f| f.cause.is_some());
        let line = target
            .filter(|t| *t <= top && !at_fault)
            .and_then(|t| autotune_nozzle(t).ok());
        if let Some(line) = line {
            up.hints.push(format!(
                "Without a link: send {} from its console, stay with it, and paste what it reports.",
                line.line
            ));
        }
        up.rule = Some(RuleId::RetuneLoop);
        let most = |id, unit| tolerance(context, id, unit);
        up.rule_text = Some(format!(
            "{} Overshoot {}, settled {}, spread {}, dip {} at most.",
            rule_text(context, RuleId::RetuneLoop),
            most(ToleranceId::LoopOvershootC, Unit::Kelvin),
            most(ToleranceId::LoopSettleS, Unit::Second),
            most(ToleranceId::LoopSdC, Unit::Kelvin),
            most(ToleranceId::LoopDipC, Unit::Kelvin)
        ));
        up
    }

    /// Order: a part at fault stops it and no tuning is offered; then the verification decides; then the
    /// rule's gains are proposed; then the hold test, where the house rule leaves a loop that holds alone.
    /// Source: section 3 of the method notes; limits are house rules, common practice.
    fn facts(
        r: &HeaterLoopReadings,
        context: &Context,
    ) -> Result<Facts<HeaterLoopFound>, ReadingError> {
        let mut typed = typed(r, context)?;
        // What was written from here and read back is set, whatever stood before.
        let was = typed.set;
        typed.set = written(r, |w| w.stored).or(was);
        let recorded = context.before_text.as_deref();
        let own = HeaterLoopFound {
            stage: Stage::Untested,
            target_c: typed.target_c,
            set: typed.set,
            proposed: None,
            held: None,
            rule: r.rule,
            ultimate: r.tune.as_ref().and_then(|t| t.ultimate),
            ku: r.tune.as_ref().and_then(|t| t.ku),
            plant: r.tune.as_ref().and_then(|t| t.plant),
            reading: None,
            holds: false,
            tuned: r.tune.is_some(),
            fails: Vec::new(),
            dip_c: None,
            sink_c: typed.sink_c,
        };
        let mut facts = Facts::new(Self::ID, Unit::One, Verdict::MeasureAgain, own);
        facts.before_text = typed
            .set
            .map(|g| g.text())
            .or_else(|| recorded.map(str::to_owned));
        if let Some(cause) = fault(&mut facts.own, r, &typed, context) {
            return Ok(facts.stopped(cause));
        }
        let by_display = typed_verification(&typed, context);
        if let Some(v) = r.verify.as_ref().or(by_display.as_ref()) {
            // What was written from here isn't what stood there before.
            facts.before_text = (was.map(|g| g.text())).or_else(|| recorded.map(str::to_owned));
            return Ok(verified(facts, v, r, &typed, context));
        }
        if let Some(gains) = chosen(r) {
            if typed.set.is_some_and(|s| same(&s, &gains)) {
                facts.own.stage = Stage::SetNotVerified;
                return Ok(facts);
            }
            facts.own.stage = Stage::Proposed;
            return Ok(propose(facts, &gains));
        }
        Ok(held(facts, r, context))
    }

    fn words(f: &Facts<HeaterLoopFound>, pen: Pen) -> Words {
        words::words(f, pen)
    }
}

/// A fault that no gains mend.
fn fault(
    own: &mut HeaterLoopFound,
    readings: &HeaterLoopReadings,
    typed: &Typed,
    context: &Context,
) -> Option<Cause> {
    let seen: [Option<&TraceReading>; 3] = [
        readings.hold.as_ref().map(|h| &h.reading),
        readings.tune.as_ref().map(|t| &t.reading),
        readings.verify.as_ref().map(|v| &v.reading),
    ];
    if let Some(reading) = seen.into_iter().flatten().find(|r| r.class.is_fault()) {
        own.reading = Some(reading.clone());
        return Some(match reading.class {
            TraceClass::SensorIntermittent => Cause::SensorIntermittent,
            TraceClass::OpenOrShort => Cause::SensorOpenOrShort,
            TraceClass::HeaterFailing => Cause::HeaterFailing,
            _ => Cause::NeverReaches,
        });
    }
    if own
        .plant
        .as_ref()
        .is_some_and(|p| p.plant.lag_s() > LOOSE_LAG_S)
    {
        return Some(Cause::SensorLoose);
    }
    // Read by the printer's log or off its display: a dip beyond its limit is the fan's or the sock's.
    let by_display = typed_verification(typed, context);
    if let Some(v) = readings.verify.as_ref().or(by_display.as_ref()) {
        let dip = figure_bands(&v.figures, context)
            .into_iter()
            .find(|b| b.id == "dip" && b.verdict == Verdict::Adjust);
        own.dip_c = dip.map(|b| (b.measured, b.limit));
        if own.dip_c.is_some() {
            return Some(Cause::FanStealsHeat);
        }
    }
    typed
        .sink_c
        .filter(|s| *s > SINK_MOST_C)
        .map(|_| Cause::SinkTooHot)
}

fn propose(mut facts: Facts<HeaterLoopFound>, gains: &Gains) -> Facts<HeaterLoopFound> {
    facts.verdict = Verdict::Adjust;
    facts.own.proposed = Some(*gains);
    sets(facts, gains)
}

/// These gains are the new ones, with the commands that set and keep them.
fn sets(mut facts: Facts<HeaterLoopFound>, gains: &Gains) -> Facts<HeaterLoopFound> {
    facts.after_text = Some(gains.text());
    if let Ok(set) = set_heater_gains(gains.in_form(OutputForm::Byte)) {
        facts.commands = vec![set, store_settings(), read_back()];
    }
    facts
}

/// Without gains to propose: the hold test, if there is one.
fn held(
    mut facts: Facts<HeaterLoopFound>,
    readings: &HeaterLoopReadings,
    context: &Context,
) -> Facts<HeaterLoopFound> {
    let Some(hold) = &readings.hold else {
        return facts;
    };
    facts.own.reading = Some(hold.reading.clone());
    let limit = context.house.tolerance(ToleranceId::LoopSdC);
    if let Some(sd) = hold.sd_c {
        facts.bands.push(spread_band(sd, limit));
    }
    let inside = facts.bands.iter().all(|b| b.verdict == Verdict::Pass);
    let holds = hold.reading.class == TraceClass::Steady && hold.sd_c.is_some() && inside;
    let only_verify = context.strength == Some(Strength::Verify)
        || context.house.option(RuleId::RetuneLoop).id == "when_it_swings";
    facts.own.holds = holds;
    facts.own.stage = if holds && only_verify {
        facts.verdict = Verdict::Pass;
        Stage::HoldsAndStays
    } else if hold.reading.class == TraceClass::TooShort {
        Stage::TooShort
    } else if hold.reading.class != TraceClass::Steady && !hold.reading.class.is_the_loop() {
        Stage::LookFirst
    } else {
        Stage::Held
    };
    facts
}

fn spread_band(sd: f64, limit: f64) -> Band {
    // Standard deviation of a standard deviation over some 24 independent samples of a hold.
    let u = sd / (2.0_f64 * 23.0).sqrt();
    Band::small("spread", Unit::Kelvin, sd, Combined { u, dof: 23.0 }, limit)
}

fn figure_bands(figures: &LoopFigures, context: &Context) -> Vec<Band> {
    let limit = |id| context.house.tolerance(id);
    // A reading's step and the time between two readings.
    let temp = u_rectangular(0.15).unwrap_or(0.1);
    let time = u_rectangular(1.0).unwrap_or(0.6);
    let mut bands = Vec::new();
    if let Some(sd) = figures.hold_sd_c {
        bands.push(spread_band(sd, limit(ToleranceId::LoopSdC)));
    }
    for (id, unit, value, u, tolerance) in [
        (
            "overshoot",
            Unit::Kelvin,
            figures.overshoot_c,
            temp,
            ToleranceId::LoopOvershootC,
        ),
        (
            "settled",
            Unit::Second,
            figures.settle_s,
            time,
            ToleranceId::LoopSettleS,
        ),
        (
            "dip",
            Unit::Kelvin,
            figures.dip_c,
            temp,
            ToleranceId::LoopDipC,
        ),
    ] {
        let asked = id != "dip" || !fan_stays_off(context);
        if let Some(v) = value.filter(|_| asked) {
            let combined = Combined {
                u,
                dof: f64::INFINITY,
            };
            bands.push(Band::small(id, unit, v, combined, limit(tolerance)));
        }
    }
    bands
}

/// Step, hold and fan against their limits.
fn verified(
    mut facts: Facts<HeaterLoopFound>,
    v: &VerifyResult,
    readings: &HeaterLoopReadings,
    typed: &Typed,
    context: &Context,
) -> Facts<HeaterLoopFound> {
    facts.own.reading = Some(v.reading.clone());
    facts.own.target_c = v.target_c;
    // The gains that were verified must be the ones that were left here.
    let now = v.gains_now.as_deref().and_then(Gains::from_text);
    let left = written(readings, |w| w.taken).or(typed.set);
    if let (Some(now), Some(set)) = (now, left)
        && !same(&now, &set)
    {
        facts.own.stage = Stage::NotStored;
        facts.own.held = Some(now);
        facts.before_text = Some(now.text());
        return propose(facts, &set);
    }
    let tried = now.or(left);
    facts.own.set = tried;
    let f = &v.figures;
    facts.bands = figure_bands(f, context);
    // A figure that is above its limit by more than it can be off fails.
    let mut fails: Vec<Fails> = facts
        .bands
        .iter()
        .filter(|b| b.verdict == Verdict::Adjust)
        .map(|b| match b.id.as_str() {
            "overshoot" => Fails::Overshoots,
            "settled" => Fails::SettlesLate,
            "dip" => Fails::Dips,
            _ => Fails::Swings,
        })
        .collect();
    if f.settle_s.is_none() {
        fails.push(Fails::NeverSettles);
    }
    if f.overshoot_c.is_none() {
        fails.push(Fails::NeverArrives);
    }
    let good = fails.is_empty();
    facts.own.fails = fails;
    if good
        && facts
            .bands
            .iter()
            .any(|b| b.verdict == Verdict::MeasureAgain)
    {
        facts.own.stage = Stage::AtTheLimit;
        return facts;
    }
    if good {
        facts.verdict = Verdict::Pass;
        facts.own.stage = Stage::Verified;
        // What was seen to hold is what the record keeps.
        let was = facts.before_text.as_deref().and_then(Gains::from_text);
        return match tried.filter(|t| !was.is_some_and(|w| same(&w, t))) {
            Some(new) => sets(facts, &new),
            None => facts,
        };
    }
    match chosen(readings).filter(|g| tried.is_none_or(|s| !same(&s, g))) {
        Some(gains) => {
            facts.own.stage = Stage::FailedProposed;
            propose(facts, &gains)
        }
        None => {
            facts.own.stage = Stage::Failed;
            facts
        }
    }
}
