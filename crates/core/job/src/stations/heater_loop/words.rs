//! The loop's facts in words.

use wattotherm_heat::{Gains, Interval, OutputForm, TraceReading, ultimate_of};
use wattotherm_measure::text::{fixed, join_and};
use wattotherm_measure::{Pen, Unit, Verdict};

use super::{Fails, HeaterLoopFound, LOOSE_LAG_S, SINK_MOST_C, Stage};
use crate::finding::{Cause, Facts, PlainValue, Row, Words};

pub(super) fn words(f: &Facts<HeaterLoopFound>, pen: Pen) -> Words {
    let own = &f.own;
    let mut w = Words::new("heater loop").with_bands(f, pen, |id| {
        match id {
            "overshoot" => "overshoot",
            "settled" => "settled after",
            "dip" => "dip with the fan",
            _ => "spread in the hold",
        }
        .to_owned()
    });
    let reading = own.reading.clone().map(|r| r.worded(pen));
    if let Some(reading) = &reading {
        w.reasons.clone_from(&reading.evidence);
    }
    if let Some(cause) = f.cause {
        return stopped(w, cause, own, reading.as_ref(), pen);
    }
    w.rows = plant_rows(own, pen);
    if let Some(gains) = &own.proposed {
        w.plain = plain_gains(gains);
    }
    let at = pen.plain(own.target_c, Unit::Celsius, 0);
    let rule = own.rule.spec();
    let proposed = own.proposed.map(|g| g.text()).unwrap_or_default();
    let adjust = format!("Adjust: {proposed}.");
    let then = "Write, store and read back, then verify.";
    let next = "Write, then verify with step, hold and fan.";
    match own.stage {
        Stage::Untested
        | Stage::TooShort
        | Stage::LookFirst
        | Stage::Held
        | Stage::HoldsAndStays => held(w, own, reading.as_ref(), &at),
        Stage::SetNotVerified => {
            w.settle = vec!["run the verification".into()];
            w.say(
                "These gains are set. Verify them.",
                "Run the verification: step, hold and part fan show whether they hold.",
                "set, not verified",
                "Verify.",
            )
        }
        Stage::Proposed => {
            w.reasons
                .push(format!("Rule: {}. {}", rule.label, rule.source));
            w.say(
                adjust,
                format!("{}: {} {then}", rule.label, rule.why),
                proposed,
                next,
            )
        }
        Stage::NotStored => {
            let held = own.held.map(|g| g.text()).unwrap_or_default();
            w.say(
                format!("Adjust: the printer holds {held}."),
                format!(
                    "The printer holds other gains than the ones set here: they were not stored, or something else set them. {then}"
                ),
                format!("not stored: the printer held {held}"),
                next,
            )
        }
        Stage::Verified => {
            let gains = f.kept_text().map_or(String::new(), |g| format!("{g}, "));
            w.say(
                format!("Pass: the loop holds {at}."),
                "Step, hold and part fan are inside their limits. The gains stay.",
                format!("{gains}verified at {at}"),
                "Go on.",
            )
        }
        Stage::AtTheLimit => {
            let near: Vec<String> = w
                .bands_of(f, Verdict::MeasureAgain)
                .map(|b| format!("{} {}", b.label, b.measured))
                .collect();
            let near = join_and(&near.iter().map(String::as_str).collect::<Vec<_>>());
            w.settle = vec!["verify once more".into(), "choose a calmer rule".into()];
            w.say(
                format!("Verify again: {near} may be inside its limit or not."),
                "A figure so near its limit can’t be told from one beyond it. Run the verification once more, or choose a calmer rule.",
                "at its limit",
                "Verify once more.",
            )
        }
        Stage::FailedProposed => w.say(
            adjust,
            format!(
                "With the gains set, {}. {} is proposed instead. {then}",
                fails(own),
                rule.label
            ),
            proposed,
            next,
        ),
        Stage::Failed => {
            let failed = fails(own);
            w.settle = vec!["other gains".into()];
            w.say(
                format!("Not good enough: {failed}."),
                if own.tuned {
                    "Choose a calmer rule below and write it, or run the autotune again."
                } else {
                    "Run the autotune at this temperature, then choose a rule."
                },
                failed,
                "Choose other gains.",
            )
        }
    }
}

fn fails(own: &HeaterLoopFound) -> String {
    let says: Vec<&str> = own
        .fails
        .iter()
        .map(|f| match f {
            Fails::Swings => "it swings in the hold",
            Fails::Overshoots => "it overshoots",
            Fails::SettlesLate => "it settles late",
            Fails::Dips => "it dips with the fan",
            Fails::NeverSettles => "it doesn’t settle",
            Fails::NeverArrives => "it doesn’t reach the target",
        })
        .collect();
    join_and(&says)
}

fn held(mut w: Words, own: &HeaterLoopFound, reading: Option<&TraceReading>, at: &str) -> Words {
    let Some(reading) = reading else {
        w.settle = vec!["run the hold test, or drop a log in".into()];
        return w.say(
            format!("Hold {at} first."),
            "The hold test shows whether it is the loop at all: a breaking wire swings too.",
            "not tested yet",
            "Run the hold test.",
        );
    };
    let line = reading.class.label();
    match own.stage {
        Stage::HoldsAndStays => w.say(
            format!("Pass: it holds {at}."),
            "The gains stay as they are.",
            format!("holds {at}, gains stay"),
            "Go on.",
        ),
        Stage::TooShort => {
            w.settle = vec!["a longer log".into()];
            w.say(
                "The log is too short to judge.",
                reading.advice.as_str(),
                line,
                "Run the autotune.",
            )
        }
        Stage::LookFirst => {
            w.settle = vec!["look, then hold again".into()];
            w.say(
                reading.headline.as_str(),
                reading.advice.as_str(),
                line,
                "Look at what it names, then run the hold test again. Where nothing is found, run the autotune.",
            )
        }
        _ => {
            w.settle = vec![format!("run the autotune at {at}")];
            w.say(
                format!("{} Now run the autotune.", reading.headline),
                if own.holds {
                    "House rule: the loop is tuned whenever anything in the heat path was replaced."
                } else {
                    reading.advice.as_str()
                },
                line,
                "Run the autotune.",
            )
        }
    }
}

fn stopped(
    w: Words,
    cause: Cause,
    own: &HeaterLoopFound,
    reading: Option<&TraceReading>,
    pen: Pen,
) -> Words {
    let mut w = match cause {
        Cause::SensorLoose => w.stop(
            "sensor or heater cartridge sits loose",
            "The reading follows the heater far too late. Power off, unplug, cold: is the sensor at the bottom of its hole and its screw light, is the cartridge clamped over its whole length? Then run the autotune again.",
        ),
        Cause::FanStealsHeat => w.stop(
            "the part fan steals heat",
            "Is the sock on, and does the air go to the part and not to the block? Mend that before you tune: gains can’t heat the room.",
        ),
        Cause::SinkTooHot => w.stop(
            "the heat sink gets too hot",
            "The hot-end fan is dead, blocked or blows the wrong way: filament softens in the cold zone and jams. Power off, unplug; turn the fan by hand, clear its blades, and look that the arrow points to the fins.",
        ),
        _ => {
            let (label, advice) = reading
                .map_or(("a part is at fault", ""), |r| (r.class.label(), &r.advice));
            return w.stop(label, advice);
        }
    };
    w.reasons = vec![match (cause, own.dip_c, own.sink_c) {
        (Cause::FanStealsHeat, Some((dip, limit)), _) => format!(
            "{} below the target while the part fan blows; {} is allowed.",
            pen.fixed(dip, Unit::Kelvin, 1),
            pen.plain(limit, Unit::Kelvin, 1)
        ),
        (Cause::SinkTooHot, _, Some(sink)) => format!(
            "Heat sink {}; above {} filament softens.",
            pen.plain(sink, Unit::Celsius, 0),
            pen.plain(SINK_MOST_C, Unit::Celsius, 0)
        ),
        _ => format!(
            "The sensor answers {} s late; seated parts take 2 to 5 s.",
            fixed(
                own.plant.as_ref().map_or(LOOSE_LAG_S, |p| p.plant.lag_s()),
                1
            )
        ),
    }];
    w
}

fn plant_rows(own: &HeaterLoopFound, pen: Pen) -> Vec<Row> {
    let mut rows = Vec::new();
    let mut row = |name: &str, after: String| rows.push(Row::new(name, None, Some(after)));
    if let Some(u) = own.ultimate {
        let between = own.ku.filter(|_| own.plant.is_none()).map(|k| {
            format!(
                ", by its swing {} to {}",
                fixed(k.low * 255.0, 1),
                fixed(k.high * 255.0, 1)
            )
        });
        row(
            "ultimate gain Ku, 0-255",
            fixed(u.ku * 255.0, 1) + &between.unwrap_or_default(),
        );
        row("ultimate period Tu", pen.fixed(u.tu_s, Unit::Second, 1));
    }
    if let Some(p) = &own.plant {
        // The relay takes its swing for a sine; the plant says how far off that is.
        let between = |i: &Interval, unit, digits| {
            format!(
                "{} to {}",
                pen.fixed_number(i.low, unit, digits),
                pen.fixed(i.high, unit, digits)
            )
        };
        if let Some(u) = ultimate_of(&p.plant) {
            row(
                "by the model: Ku, Tu",
                match &p.known {
                    Some(k) => format!(
                        "{} to {}, {}",
                        fixed(k.ku.low * 255.0, 1),
                        fixed(k.ku.high * 255.0, 1),
                        between(&k.tu_s, Unit::Second, 1)
                    ),
                    None => format!("{}, {}", fixed(u.ku * 255.0, 1), fixed(u.tu_s, 1)),
                },
            );
        }
        // Near the target gain and time constant trade against each other; their ratio is what the
        // loop feels, and that is well known.
        row(
            "rise at full duty",
            match &p.known {
                Some(k) => format!("{}/s", between(&k.rise_c_s, Unit::Kelvin, 2)),
                None => format!(
                    "{}/s",
                    pen.fixed(p.plant.gain_c / p.plant.tau_s, Unit::Kelvin, 2)
                ),
            },
        );
        row(
            "gain K",
            p.known.as_ref().map_or_else(
                || pen.fixed(p.plant.gain_c, Unit::Kelvin, 0),
                |k| between(&k.gain_c, Unit::Kelvin, 0),
            ),
        );
        row(
            "time constant",
            p.known.as_ref().map_or_else(
                || pen.fixed(p.plant.tau_s, Unit::Second, 0),
                |k| between(&k.tau_s, Unit::Second, 0),
            ),
        );
        row(
            "second lag and dead time",
            p.known.as_ref().map_or_else(
                || pen.fixed(p.plant.lag_s(), Unit::Second, 1),
                |k| between(&k.lag_s, Unit::Second, 1),
            ),
        );
        row(
            "left over by the fit",
            pen.fixed(p.residual_c, Unit::Kelvin, 2),
        );
    }
    rows
}

fn plain_gains(gains: &Gains) -> Vec<PlainValue> {
    [OutputForm::Byte, OutputForm::Unit]
        .map(|form| {
            let [p, i, d] = gains.in_form(form);
            let digits = if form == OutputForm::Byte { 2 } else { 5 };
            PlainValue {
                name: form.label().into(),
                value: format!(
                    "P {} I {} D {}",
                    fixed(p, digits),
                    fixed(i, digits),
                    fixed(d, digits)
                ),
            }
        })
        .to_vec()
}
