//! The drive's facts in words.

use wattotherm_measure::text::{count, decimals_for, fixed, plain};
use wattotherm_measure::{Pen, Unit, Verdict};

use super::fault::Fault;
use super::{DriveFound, Way, mm_per_motor_turn};
use crate::finding::{Facts, PlainValue, Row, Words, times_the_blur};
use crate::stations::taken::more;

pub(super) fn words(f: &Facts<DriveFound>, pen: Pen) -> Words {
    let own = &f.own;
    let mut w = Words::new("steps per millimetre").with_bands(f, pen, |_| "fed".into());
    let Some((band, fed)) = f
        .bands
        .first()
        .zip(w.bands.first().map(|b| b.measured.clone()))
    else {
        return w;
    };
    let u = f.value_expanded.unwrap_or(0.0);
    let steps = |v: f64| pen.with_uncertainty(v, u, Unit::StepsPerMm);
    let mm = |v, digits| pen.plain(v, Unit::Mm, digits);
    w.reasons = reasons(own, pen);
    let adjust = f.verdict == Verdict::Adjust;
    let wanted = own.wanted.unwrap_or(own.set);
    w.rows = rows(own, u, adjust);
    if let Some(fault) = &own.fault {
        let percent = 100.0 * band.error / band.nominal;
        let off = format!(
            "It fed {} for {}, {percent:+.0} %.",
            pen.fixed(band.measured, Unit::Mm, 1),
            mm(band.nominal, 0)
        );
        let (cause, sentence) = fault_in_words(fault, own, &off, pen);
        return w.stop(&cause, sentence);
    }
    let percent = (100.0 * band.error / band.nominal).abs();
    let short_or_long = if band.error < 0.0 { "short" } else { "long" };
    let digits = decimals_for(u, 2).min(1);
    let set = fixed(own.set, digits);
    match f.verdict {
        Verdict::Pass => w.say(
            format!("Pass: {set} steps/mm stays."),
            if own.by_build {
                format!(
                    "It is the drive’s computed value, and the house rule leaves it there. It \
                     feeds {percent:.1} % {short_or_long}; flow takes that up."
                )
            } else {
                format!(
                    "It feeds {fed} for {}, inside ±{}.",
                    mm(band.nominal, 1),
                    mm(band.limit, 2)
                )
            },
            steps(own.set),
            "Go on.",
        ),
        Verdict::Adjust | Verdict::Stop => {
            if let Some((full, micro)) = own.turn {
                w.plain.push(PlainValue {
                    name: "millimetres per motor turn".into(),
                    value: format!("{} mm", plain(mm_per_motor_turn(full, micro, wanted), 4)),
                });
            }
            w.say(
                format!("Adjust: {set} → {} steps/mm.", fixed(wanted, digits)),
                format!(
                    "It feeds {percent:.1} % {short_or_long}{}. Set the new value, then measure again.",
                    times_the_blur(band.error, band.expanded)
                ),
                format!("{set} → {}", steps(wanted)),
                "Set the new value, store it, read it back, then repeat this test.",
            )
        }
        Verdict::MeasureAgain => {
            let ways = own
                .settle
                .iter()
                .map(|way| match way {
                    Way::MoreRuns(n) => more(*n, "run", "runs"),
                    Way::Longer(feed, n) => {
                        format!("feed {} in {}", mm(*feed, 0), count(*n, "run", "runs"))
                    }
                    Way::With(i) => format!("the same runs measured with {}", i.describe(pen)),
                })
                .collect();
            w.unsettled(ways, "the feed").headed(
                format!("Measure again: {fed} fed could be right or wrong."),
                format!("{fed} fed, not settled"),
                "Add readings here; nothing is set.",
            )
        }
    }
}

fn reasons(own: &DriveFound, pen: Pen) -> Vec<String> {
    let mut reasons = vec![
        format!(
            "{} from a mark at {}, read with {}.",
            count(own.taken.n, "run", "runs"),
            pen.plain(own.mark_mm, Unit::Mm, 1),
            own.taken.instrument.describe(pen)
        ),
        own.taken.rests_on(pen, Unit::Mm, 2, "run", "runs"),
    ];
    if own.short_alike {
        reasons.push(
            "Loaded and free air are short alike: steps, gear ratio, or drive diameter.".into(),
        );
    }
    reasons
}

fn rows(own: &DriveFound, u: f64, adjust: bool) -> Vec<Row> {
    let new = own.wanted.filter(|_| adjust);
    let digits = decimals_for(u, 2).min(2);
    let mut rows = vec![Row::new(
        "steps/mm",
        Some(fixed(own.set, digits)),
        new.map(|v| fixed(v, digits)),
    )];
    if let Some((full, micro)) = own.turn {
        let turn = |v| fixed(mm_per_motor_turn(full, micro, v), 3);
        rows.push(Row::new(
            "mm per motor turn",
            Some(turn(own.set)),
            new.map(turn),
        ));
    }
    if let Some(c) = own.computed {
        rows.push(Row::new("computed steps/mm", None, Some(fixed(c, 1))));
    }
    rows
}

fn fault_in_words(fault: &Fault, own: &DriveFound, off: &str, pen: Pen) -> (String, String) {
    let set = plain(own.set, 2);
    let mm = |v| pen.plain(v, Unit::Mm, 1);
    let start = |computed: f64| {
        format!(
            "{off} This drive computes to {computed:.1} steps/mm. Set that, then measure again."
        )
    };
    match fault {
        Fault::Backward => (
            "the drive runs backward".into(),
            "The mark moved away from the inlet. The direction is reversed: turn the motor plug \
             round with the printer unplugged, or invert the extruder’s direction in the firmware."
                .into(),
        ),
        Fault::NothingFed => (
            "nothing was fed".into(),
            "The mark didn’t move. Is the motor plugged in, the idler closed, the gear’s set screw \
             tight, the path free?"
                .into(),
        ),
        Fault::Slips { less_mm } => (
            "it slips when it feeds faster".into(),
            format!(
                "{} less came at the faster feed: slip, a partial clog, or too cold. Not \
                 the steps. Look for dust at the gear, then at the nozzle.",
                mm(*less_mm)
            ),
        ),
        Fault::Resistance { more_mm } => (
            "resistance downstream of the drive".into(),
            format!(
                "Free in air it feeds {} more than loaded. The drive is right; the hot end, \
                 tube or nozzle holds the filament back.",
                mm(*more_mm)
            ),
        ),
        Fault::FarOff { after_work: true } => (
            "far off right after the drive was replaced".into(),
            format!(
                "{off} Type full steps, microsteps, gear ratio and drive wheel diameter: the \
                 computed value will show which number is wrong."
            ),
        ),
        Fault::FarOff { after_work: false } => (
            format!(
                "beyond ±{} % with the drive untouched",
                plain(own.stop_percent, 1)
            ),
            format!(
                "{off} A setting doesn’t drift that far: look for slip, a clog, a loose gear, \
                 or a wrong value set earlier."
            ),
        ),
        Fault::RatioLeftOut { ratio, computed } => (
            format!(
                "the gear ratio of {} was left out of {set} steps/mm",
                plain(*ratio, 3)
            ),
            start(*computed),
        ),
        Fault::StepsOfOtherMicrosteps {
            theirs,
            ours,
            computed,
        } => (
            format!(
                "{set} steps/mm belongs to {} microsteps or another motor, not to {}",
                plain(*theirs, 4),
                plain(*ours, 0)
            ),
            start(*computed),
        ),
        Fault::StepsOfOtherDrive { computed } => (
            format!("{set} steps/mm is not this drive’s value"),
            start(*computed),
        ),
        Fault::NoSuchRatio { ratio } => (
            format!("the gear ratio of {} is not in this drive", plain(*ratio, 3)),
            format!(
                "{off} It feeds as if there were no gear. Count the teeth and type the ratio anew."
            ),
        ),
        Fault::OtherMicrosteps { runs_at, typed } => (
            format!(
                "the driver runs at {} microsteps, not {}",
                plain(*runs_at, 4),
                plain(*typed, 0)
            ),
            format!("{off} Correct the microsteps, compute anew, set that and measure again."),
        ),
        Fault::Unexplained { needed, computed } => (
            "neither the setting nor the drive’s build explains the feed".into(),
            format!(
                "{off} Needed {needed:.1}, computed {computed:.1} steps/mm. Check gear ratio and drive \
                 wheel diameter, then look for slip."
            ),
        ),
    }
}
