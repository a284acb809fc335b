//! Heater loop: does it hold, is it the loop at all, and which gains.
//!
//! First round: a hold test, an autotune, a rule; the finding adjusts. Second round: the verification
//! by step, hold and fan, with the gains that the printer then holds.

mod readings;

pub use readings::{HeaterLoopReadings, LIMITS, WrittenGains};

use readings::{Typed, typed};
use wattotherm_gcode::{read_back, set_heater_gains, store_settings};
use wattotherm_heat::{
    Gains, LoopFigures, OutputForm, TraceClass, TraceReading, Ultimate, VerifyResult, tune,
    ultimate_of,
};
use wattotherm_measure::entry::ReadingError;
use wattotherm_measure::text::{fixed, plain};
use wattotherm_measure::{Combined, Verdict, u_rectangular};

use super::{Context, StationName, band, blank, expanded_95, stopped};
use crate::chain::Strength;
use crate::finding::{Finding, PlainValue, Row};
use crate::house::{RuleId, ToleranceId};

/// Dead time and second lag beyond which sensor or cartridge sits loose [s]. Common practice, no
/// published source: seated, they come to 2 to 5 s.
pub const LOOSE_LAG_S: f64 = 8.0;
/// Heat sink beyond which filament softens in the cold zone [°C]. Common practice, no published source.
pub const SINK_MOST_C: f64 = 60.0;
/// Gains within this share are the same: firmwares print two decimals.
const SAME: f64 = 0.02;

fn same(a: &Gains, b: &Gains) -> bool {
    let near = |x: f64, y: f64| (x - y).abs() <= SAME * y.abs().max(1e-6) + 3e-5;
    near(a.kp, b.kp) && near(a.ki, b.ki) && near(a.kd, b.kd)
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
    let ku = readings.typed_ku.parse("")? / readings.form.full();
    let tu_s = readings.typed_tu_s.parse("s")?;
    tune(readings.rule, Some(Ultimate { ku, tu_s }), None)
}

/// A verification read off a display; none while overshoot, swing or dip are blank.
fn typed_verification(typed: &Typed) -> Option<VerifyResult> {
    let [overshoot, settle, swing, dip] = typed.seen;
    let (overshoot, swing, dip) = (overshoot?, swing?, dip?);
    Some(VerifyResult {
        trace: None,
        target_c: typed.target_c,
        reading: TraceReading {
            class: TraceClass::Steady,
            headline: String::new(),
            advice: String::new(),
            evidence: vec!["Figures read off the printer's display.".into()],
            marks: Vec::new(),
            target_c: Some(typed.target_c),
            mean_c: None,
            swing_c: Some(swing),
            period_s: None,
        },
        figures: LoopFigures {
            overshoot_c: Some(overshoot),
            settle_s: settle,
            // A swing of a given width, taken for a sine: its standard deviation is width/(2√2).
            hold_sd_c: Some(swing / 8.0_f64.sqrt()),
            hold_worst_c: Some(swing / 2.0),
            dip_c: Some(dip),
            recovery_s: None,
        },
        gains_now: None,
    })
}

/// Evaluates the heater loop.
///
/// Order: a part at fault stops it and no tuning is offered; then the verification decides; then the
/// rule's gains are proposed; then the hold test, where the house rule leaves a loop that holds alone.
/// Source: section 3 of the method notes; limits are house rules, common practice.
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &HeaterLoopReadings, context: &Context) -> Result<Finding, ReadingError> {
    let typed = typed(readings, context)?;
    let mut finding = blank(
        StationName::HeaterLoop,
        "heater loop",
        "",
        Verdict::MeasureAgain,
    );
    finding.before_text = typed
        .set
        .map(|g| g.text())
        .or_else(|| context.before_text.clone());
    if let Some(stop) = fault(&finding, readings, &typed, context) {
        return Ok(stop);
    }
    plant_rows(&mut finding, readings);
    let by_display = typed_verification(&typed);
    if let Some(v) = readings.verify.as_ref().or(by_display.as_ref()) {
        return Ok(verified(finding, v, readings, &typed, context));
    }
    if let Some(gains) = chosen(readings) {
        if typed.set.is_some_and(|s| same(&s, &gains)) {
            finding.headline = "These gains are set. Verify them.".into();
            finding.sentence =
                "Run the verification: step, hold and part fan show whether they hold.".into();
            finding.settle = vec!["run the verification".into()];
            finding.line = "set, not verified".into();
            finding.next = "Verify.".into();
            return Ok(finding);
        }
        let why = readings.rule.spec();
        propose(&mut finding, &gains, &format!("{}: {}", why.label, why.why));
        finding
            .reasons
            .push(format!("Rule: {}. {}", why.label, why.source));
        return Ok(finding);
    }
    Ok(held(finding, readings, &typed, context))
}

/// A fault that no gains mend.
fn fault(
    finding: &Finding,
    readings: &HeaterLoopReadings,
    typed: &Typed,
    context: &Context,
) -> Option<Finding> {
    let seen: [Option<&TraceReading>; 3] = [
        readings.hold.as_ref().map(|h| &h.reading),
        readings.tune.as_ref().map(|t| &t.reading),
        readings.verify.as_ref().map(|v| &v.reading),
    ];
    let stop = |cause: &str, sentence: String, evidence: &[String]| {
        let mut s = stopped(finding.clone(), cause);
        s.sentence = sentence;
        s.reasons = evidence.to_vec();
        Some(s)
    };
    if let Some(reading) = seen.into_iter().flatten().find(|r| r.class.is_fault()) {
        return stop(
            reading.class.label(),
            reading.advice.clone(),
            &reading.evidence,
        );
    }
    if let Some(plant) = readings.tune.as_ref().and_then(|t| t.plant.as_ref())
        && plant.plant.lag_s() > LOOSE_LAG_S
    {
        return stop(
            "sensor or heater cartridge sits loose",
            "The reading follows the heater far too late. Power off, unplug, cold: is the sensor at the bottom of its hole and its screw light, is the cartridge clamped over its whole length? Then run the autotune again.".into(),
            &[format!(
                "The sensor answers {} s late; seated parts take 2 to 5 s.",
                fixed(plant.plant.lag_s(), 1)
            )],
        );
    }
    if let Some(v) = &readings.verify {
        let limit = context.house.tolerance(ToleranceId::LoopDipC);
        if let Some(dip) = v.figures.dip_c.filter(|d| *d > limit) {
            return stop(
                "the part fan steals heat",
                "Is the sock on, and does the air go to the part and not to the block? Mend that before you tune: gains can't heat the room.".into(),
                &[format!(
                    "{} °C below the target while the part fan blows; {} °C is allowed.",
                    fixed(dip, 1),
                    plain(limit, 1)
                )],
            );
        }
    }
    if let Some(sink) = typed.sink_c.filter(|s| *s > SINK_MOST_C) {
        return stop(
            "the heat sink gets too hot",
            "The hot-end fan is dead, blocked or blows the wrong way: filament softens in the cold zone and jams. Power off, unplug; turn the fan by hand, clear its blades, and look that the arrow points to the fins.".into(),
            &[format!(
                "Heat sink {} °C; above {} °C filament softens.",
                plain(sink, 0),
                plain(SINK_MOST_C, 0)
            )],
        );
    }
    None
}

fn plant_rows(finding: &mut Finding, readings: &HeaterLoopReadings) {
    let Some(t) = &readings.tune else { return };
    let mut row = |name: &str, after: String| {
        finding.rows.push(Row {
            name: name.into(),
            before: None,
            after: Some(after),
        });
    };
    if let Some(u) = t.ultimate {
        row("ultimate gain Ku, 0-255", fixed(u.ku * 255.0, 1));
        row("ultimate period Tu, s", fixed(u.tu_s, 1));
    }
    if let Some(p) = &t.plant {
        // The relay takes its swing for a sine; the plant says how far off that is.
        if let Some(u) = ultimate_of(&p.plant) {
            row(
                "by the plant: Ku, Tu",
                format!("{}, {}", fixed(u.ku * 255.0, 1), fixed(u.tu_s, 1)),
            );
        }
        // Near the target gain and time constant trade against each other; their ratio is what the
        // loop feels, and that is well known.
        row(
            "first rise at full duty, °C/s",
            fixed(p.plant.gain_c / p.plant.tau_s, 2),
        );
        let known = |v: f64, percent: f64| {
            if percent < 30.0 {
                format!("{} ±{} %", fixed(v, 0), fixed(percent.max(1.0), 0))
            } else {
                format!("about {}, not well known", fixed(v, 0))
            }
        };
        row("plant gain K, °C", known(p.plant.gain_c, p.u_gain_percent));
        row("time constant, s", known(p.plant.tau_s, p.u_tau_percent));
        row("second lag and dead time, s", fixed(p.plant.lag_s(), 1));
        row("left over by the fit, °C", fixed(p.residual_c, 2));
    }
}

fn propose(finding: &mut Finding, gains: &Gains, why: &str) {
    finding.verdict = Verdict::Adjust;
    finding.after_text = Some(gains.text());
    finding.headline = format!("Adjust: {}.", gains.text());
    finding.sentence = format!("{why} Write, store and read back, then verify.");
    finding.line = gains.text();
    finding.next = "Write, then verify with step, hold and fan.".into();
    if let Ok(set) = set_heater_gains(gains.in_form(OutputForm::Byte)) {
        finding.commands = vec![set, store_settings(), read_back()];
    }
    for form in [OutputForm::Byte, OutputForm::Unit] {
        let [p, i, d] = gains.in_form(form);
        let digits = if form == OutputForm::Byte { 2 } else { 5 };
        finding.plain.push(PlainValue {
            name: form.label().into(),
            value: format!(
                "P {} I {} D {}",
                fixed(p, digits),
                fixed(i, digits),
                fixed(d, digits)
            ),
        });
    }
}

/// Without gains to propose: the hold test, if there is one.
fn held(
    mut finding: Finding,
    readings: &HeaterLoopReadings,
    typed: &Typed,
    context: &Context,
) -> Finding {
    let at = plain(typed.target_c, 0);
    let Some(hold) = &readings.hold else {
        finding.headline = format!("Hold {at} °C first.");
        finding.sentence =
            "The hold test shows whether it is the loop at all: a breaking wire swings too.".into();
        finding.settle = vec!["run the hold test, or drop a log in".into()];
        finding.line = "not tested yet".into();
        finding.next = "Run the hold test.".into();
        return finding;
    };
    finding.reasons.clone_from(&hold.reading.evidence);
    let limit = context.house.tolerance(ToleranceId::LoopSdC);
    if let Some(sd) = hold.sd_c {
        finding.bands.push(spread_band(sd, limit));
    }
    let holds = hold.reading.class == TraceClass::Steady && hold.sd_c.is_some_and(|s| s <= limit);
    let only_verify = context.strength == Some(Strength::Verify)
        || context.house.option(RuleId::RetuneLoop).id == "when_it_swings";
    if holds && only_verify {
        finding.verdict = Verdict::Pass;
        finding.headline = format!("Pass: it holds {at} °C.");
        finding.sentence = "The gains stay as they are.".into();
        finding.line = format!("holds {at} °C, gains stay");
        finding.next = "Go on.".into();
        return finding;
    }
    if hold.reading.class == TraceClass::TooShort {
        finding.headline = "The log is too short to judge.".into();
        finding.sentence.clone_from(&hold.reading.advice);
        finding.settle = vec!["a longer log".into()];
    } else {
        finding.headline = format!("{} Now run the autotune.", hold.reading.headline);
        finding.sentence = if holds {
            format!(
                "{}: the loop is tuned whenever anything in the heat path was replaced.",
                "House rule"
            )
        } else {
            hold.reading.advice.clone()
        };
        finding.settle = vec![format!("run the autotune at {at} °C")];
    }
    finding.line = hold.reading.class.label().to_owned();
    finding.next = "Run the autotune.".into();
    finding
}

fn spread_band(sd: f64, limit: f64) -> crate::finding::Band {
    // Standard deviation of a standard deviation over some 24 independent samples of a hold.
    let u = sd / (2.0_f64 * 23.0).sqrt();
    let expanded = expanded_95(Combined { u, dof: 23.0 });
    band(
        "spread in the hold",
        "°C",
        (sd, 0.0),
        (expanded, 23.0),
        limit,
    )
}

fn figure_bands(figures: &LoopFigures, context: &Context) -> Vec<crate::finding::Band> {
    let limit = |id| context.house.tolerance(id);
    // A reading's step and the time between two readings.
    let temp = expanded_95(Combined {
        u: u_rectangular(0.15).unwrap_or(0.1),
        dof: f64::INFINITY,
    });
    let time = expanded_95(Combined {
        u: u_rectangular(1.0).unwrap_or(0.6),
        dof: f64::INFINITY,
    });
    let mut bands = Vec::new();
    for (label, unit, value, expanded, id) in [
        (
            "overshoot",
            "°C",
            figures.overshoot_c,
            temp,
            ToleranceId::LoopOvershootC,
        ),
        (
            "settled after",
            "s",
            figures.settle_s,
            time,
            ToleranceId::LoopSettleS,
        ),
        (
            "dip with the fan",
            "°C",
            figures.dip_c,
            temp,
            ToleranceId::LoopDipC,
        ),
    ] {
        if let Some(v) = value {
            bands.push(band(
                label,
                unit,
                (v, 0.0),
                (expanded, f64::INFINITY),
                limit(id),
            ));
        }
    }
    if let Some(sd) = figures.hold_sd_c {
        bands.insert(0, spread_band(sd, limit(ToleranceId::LoopSdC)));
    }
    bands
}

/// Step, hold and fan against their limits.
fn verified(
    mut finding: Finding,
    v: &VerifyResult,
    readings: &HeaterLoopReadings,
    typed: &Typed,
    context: &Context,
) -> Finding {
    finding.reasons.clone_from(&v.reading.evidence);
    // The gains that were verified must be the ones that were left here.
    let now = v.gains_now.as_deref().and_then(Gains::from_text);
    let written = readings
        .written
        .as_ref()
        .filter(|w| w.taken)
        .and_then(|w| Gains::from_text(&w.gains));
    if let (Some(now), Some(set)) = (now, written.or(typed.set))
        && !same(&now, &set)
    {
        propose(
            &mut finding,
            &set,
            "The printer holds other gains than the ones set here: they were not stored, or something else set them.",
        );
        finding.before_text = Some(now.text());
        finding.headline = format!("Adjust: the printer holds {}.", now.text());
        finding.line = format!("not stored: the printer held {}", now.text());
        return finding;
    }
    let f = &v.figures;
    finding.bands = figure_bands(f, context);
    let mut failed: Vec<&str> = Vec::new();
    // A figure above its limit by more than its uncertainty fails; one inside it passes.
    for b in &finding.bands {
        if b.measured > b.limit {
            failed.push(match b.label.as_str() {
                "overshoot" => "it overshoots",
                "settled after" => "it settles late",
                "dip with the fan" => "it dips with the fan",
                _ => "it swings in the hold",
            });
        }
    }
    if f.settle_s.is_none() {
        failed.push("it doesn't settle");
    }
    if f.overshoot_c.is_none() {
        failed.push("it doesn't reach the target");
    }
    let at = plain(v.target_c, 0);
    if failed.is_empty() {
        finding.verdict = Verdict::Pass;
        finding.headline = format!("Pass: the loop holds {at} °C.");
        finding.sentence =
            "Step, hold and part fan are inside their limits. The gains stay.".into();
        let gains = finding.before_text.clone().unwrap_or_default();
        finding.line = format!("{gains}, verified at {at} °C");
        finding.next = "Go on.".into();
        return finding;
    }
    let failed = wattotherm_measure::text::join_and(&failed);
    match chosen(readings).filter(|g| typed.set.is_none_or(|s| !same(&s, g))) {
        Some(gains) => {
            let rule = readings.rule.spec().label;
            propose(
                &mut finding,
                &gains,
                &format!("With the gains set, {failed}. {rule} is proposed instead."),
            );
        }
        None => {
            finding.headline = format!("Not good enough: {failed}.");
            finding.sentence = if readings.tune.is_some() {
                "Choose a calmer rule below and write it, or run the autotune again.".into()
            } else {
                "Run the autotune at this temperature, then choose a rule.".into()
            };
            finding.settle = vec!["other gains".into()];
            finding.line = failed.clone();
            finding.next = "Choose other gains.".into();
        }
    }
    finding
}
