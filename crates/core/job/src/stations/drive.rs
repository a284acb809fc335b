//! Drive: steps per millimetre, measured and computed, and what else may be wrong with the feed.

use std::f64::consts::PI;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, decimals_for, fixed, plain, with_uncertainty};
use wattotherm_measure::{
    Component, FreshMean, Instrument, InstrumentKind, SettleOption, Verdict, combine, fresh_mean,
    what_would_settle,
};
use wattotherm_printer::GearFacts;

use super::times_the_blur;
use super::{Context, StationName, ask_for_more, band, blank, expanded_95, stopped};
use crate::finding::{Finding, PlainValue, Row};
use crate::house::{RuleId, ToleranceId};

/// What is typed at the drive.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct DriveReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Steps/mm set in the printer while feeding.
    pub steps_set: Entry,
    /// Mark above the inlet before feeding, M [mm].
    pub mark_mm: Entry,
    /// Length commanded, N [mm].
    pub feed_mm: Entry,
    /// Slow feed rate [mm/s].
    pub speed_mm_s: Entry,
    /// Nozzle temperature while feeding [°C].
    pub nozzle_c: Entry,
    /// Instrument, by id.
    pub instrument: String,
    /// What was left of the mark after each slow, loaded run, r [mm].
    pub runs: Vec<Entry>,
    /// Fast feed rate [mm/s].
    pub fast_mm_s: Entry,
    /// What was left after each fast run [mm].
    pub fast_runs: Vec<Entry>,
    /// What was left after each slow run with the filament out of the hot end [mm].
    pub free_runs: Vec<Entry>,
    /// Full steps of one motor turn.
    pub full_steps: Entry,
    /// Microsteps a full step.
    pub microsteps: Entry,
    /// Motor turns per turn of the drive wheel.
    pub gear_ratio: Entry,
    /// Effective diameter of the drive wheel [mm].
    pub drive_diameter_mm: Entry,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Limits of the fields.
pub const LIMITS: [Limit; 10] = [
    Limit::new(
        "steps_set",
        "steps per millimetre",
        "steps/mm",
        [1.0, 20_000.0, 50.0, 4_000.0],
        "no extruder has so few or so many",
    ),
    Limit::new(
        "mark_mm",
        "mark above the inlet",
        "mm",
        [20.0, 600.0, 50.0, 500.0],
        "a mark must leave room to feed and still be in reach of a rule",
    ),
    Limit::new(
        "feed_mm",
        "length to feed",
        "mm",
        [10.0, 500.0, 50.0, 400.0],
        "a shorter feed can't be measured, a longer one runs out of filament",
    ),
    Limit::new(
        "speed_mm_s",
        "slow feed rate",
        "mm/s",
        [0.1, 10.0, 0.5, 5.0],
        "faster than this slips by itself",
    ),
    Limit::new(
        "fast_mm_s",
        "fast feed rate",
        "mm/s",
        [0.5, 20.0, 2.0, 15.0],
        "a drive can't push faster through a nozzle",
    ),
    Limit::new(
        "nozzle_c",
        "nozzle temperature",
        "°C",
        [0.0, 500.0, 170.0, 320.0],
        "no hot end feeds outside this",
    ),
    Limit::new(
        "runs",
        "rest",
        "mm",
        [0.0, 1_000.0, 0.0, 1_000.0],
        "a mark that went into the inlet can't be measured: mark farther up and feed again",
    ),
    Limit::new(
        "full_steps",
        "full steps per turn",
        "",
        [20.0, 800.0, 200.0, 400.0],
        "motors have 200 or 400",
    ),
    Limit::new(
        "microsteps",
        "microsteps",
        "",
        [1.0, 256.0, 8.0, 256.0],
        "drivers divide a step into 1 to 256",
    ),
    Limit::new(
        "drive_diameter_mm",
        "drive wheel diameter",
        "mm",
        [2.0, 60.0, 4.0, 25.0],
        "drive wheels are smaller than a hand and larger than the filament",
    ),
];
const RATIO: Limit = Limit::new(
    "gear_ratio",
    "gear ratio",
    "",
    [0.1, 60.0, 1.0, 60.0],
    "a ratio is motor turns per turn of the drive wheel",
);

/// Steps per millimetre of a drive as built.
///
/// Formula: steps/mm = full steps · microsteps · gear ratio / (π · d). Source: geometry; 200 · 16 ·
/// 3 / (π · 7.3 mm) = 418.6 (common practice). Domain: all > 0.
#[must_use]
pub fn computed_steps_per_mm(gear: &GearFacts) -> f64 {
    gear.full_steps * gear.microsteps * gear.gear_ratio / (PI * gear.drive_diameter_mm)
}

/// Millimetres of filament for one motor turn.
///
/// Formula: full steps · microsteps / (steps/mm). Source: geometry. Domain: all > 0.
#[must_use]
pub fn mm_per_motor_turn(full_steps: f64, microsteps: f64, steps_per_mm: f64) -> f64 {
    full_steps * microsteps / steps_per_mm
}

struct Typed {
    set: f64,
    mark: f64,
    feed: f64,
    fed: Vec<f64>,
    fast: Vec<f64>,
    free: Vec<f64>,
    turn: Option<(f64, f64)>,
    gear: Option<GearFacts>,
}

fn read(readings: &DriveReadings, context: &Context) -> Result<Typed, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let [
        set_l,
        mark_l,
        feed_l,
        slow_l,
        fast_l,
        temp_l,
        rest_l,
        full_l,
        micro_l,
        dia_l,
    ] = &LIMITS;
    let set = intake.need(set_l, "steps_set", &readings.steps_set);
    let mark = intake.need(mark_l, "mark_mm", &readings.mark_mm);
    let feed = intake.need(feed_l, "feed_mm", &readings.feed_mm);
    let slow = intake.may(slow_l, "speed_mm_s", &readings.speed_mm_s);
    let faster = intake.may(fast_l, "fast_mm_s", &readings.fast_mm_s);
    intake.may(temp_l, "nozzle_c", &readings.nozzle_c);
    if let (Some(m), Some(n)) = (mark, feed)
        && m <= n
    {
        intake.conflict(
            "mark_mm",
            format!(
                "The mark at {} mm goes into the inlet when {} mm are fed. Mark at least 10 mm \
                 farther up than you feed.",
                plain(m, 2),
                plain(n, 2)
            ),
        );
    }
    if let (Some(s), Some(f)) = (slow, faster)
        && f <= s
    {
        intake.conflict(
            "fast_mm_s",
            format!(
                "The fast feed of {} mm/s is not faster than the slow one.",
                plain(f, 2)
            ),
        );
    }
    let mut series = |name: &str, entries: &[Entry]| -> Vec<f64> {
        if entries.len() > 30 {
            intake.count(name, "Thirty runs are enough. Remove some.");
        }
        let mut rests = Vec::new();
        for (i, entry) in entries.iter().take(30).enumerate() {
            let path = format!("{name}.{i}");
            if let Some(rest) = intake.may(rest_l, &path, entry) {
                rests.push((path, rest));
            }
        }
        if let (Some(m), Some(n)) = (mark, feed) {
            for (path, rest) in &rests {
                if *rest > m + 1.5 * n {
                    intake.conflict(
                        path,
                        format!(
                            "A rest of {} mm can't be: the mark stood at {} mm.",
                            plain(*rest, 2),
                            plain(m, 2)
                        ),
                    );
                }
            }
        }
        intake.ask_outliers_by_ten(rest_l, &rests);
        rests.iter().map(|(_, r)| mark.unwrap_or(0.0) - r).collect()
    };
    let fed = series("runs", &readings.runs);
    let fast = series("fast_runs", &readings.fast_runs);
    let free = series("free_runs", &readings.free_runs);
    let full = intake.may(full_l, "full_steps", &readings.full_steps);
    let micro = intake.may(micro_l, "microsteps", &readings.microsteps);
    let ratio = intake.may(&RATIO, "gear_ratio", &readings.gear_ratio);
    let diameter = intake.may(dia_l, "drive_diameter_mm", &readings.drive_diameter_mm);
    let free_school = context.house.option(RuleId::MeasuringSteps).id == "free_air";
    if fed.is_empty() && (free.is_empty() || !free_school) {
        let message = "Type what is left of the mark after at least one run.";
        intake.count("runs.0", message);
    }
    let gear = match (full, micro, ratio, diameter) {
        (Some(full_steps), Some(microsteps), Some(gear_ratio), Some(drive_diameter_mm)) => {
            Some(GearFacts {
                full_steps,
                microsteps,
                gear_ratio,
                drive_diameter_mm,
            })
        }
        _ => None,
    };
    if context.house.option(RuleId::StepsOrFlow).id == "computed" && gear.is_none() {
        intake.count(
            "drive_diameter_mm",
            "The house rule sets the computed value. Type full steps, microsteps, gear ratio and \
             drive wheel diameter.",
        );
    }
    intake.finish()?;
    Ok(Typed {
        // OK because finish() fails where one of these is missing.
        set: set.unwrap_or_default(),
        mark: mark.unwrap_or_default(),
        feed: feed.unwrap_or_default(),
        fed,
        fast,
        free,
        turn: full.zip(micro),
        gear,
    })
}

/// The larger of scatter and two readings of the rule, its scale, and what they come to.
fn mean_of(values: &[f64], rule: &Instrument) -> Option<FreshMean> {
    // Mark and rest are both read from the rule: two readings a run.
    fresh_mean(values, rule, 2.0)
}

/// Evaluates the drive.
///
/// Formula: fed F = M - r; e = mean F - N; new = old · N / F.
/// u(F)² = max(s², u(M)² + u(r)²)/n + (scale · F)²/3.
/// Source: propagation by JCGM 100:2008, 5.1.2; the method is common practice, no published
/// source. Stops: reversed or no feed; beyond ±15 % (house rule), naming the likely wrong number
/// where gears or motor are new; slip (fed falls at speed); resistance (loaded short, free right).
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &DriveReadings, context: &Context) -> Result<Finding, ReadingError> {
    let typed = read(readings, context)?;
    let house = &context.house;
    let fallback;
    let rule = if let Some(i) = house.instrument(&readings.instrument, InstrumentKind::Rule) {
        i
    } else {
        fallback = wattotherm_measure::default_instruments().swap_remove(0);
        &fallback
    };
    let main_values = if typed.fed.is_empty() {
        &typed.free
    } else {
        &typed.fed
    };
    let Some(main) = mean_of(main_values, rule) else {
        debug_assert!(false, "read() asks for a run");
        return Err(ReadingError {
            problems: Vec::new(),
        });
    };
    let n_mm = typed.feed;
    let limit_mm = house.tolerance(ToleranceId::DrivePercent) / 100.0 * n_mm;
    let fed = main.series.mean;
    let expanded = expanded_95(main.combined);
    let band = band(
        "fed",
        "mm",
        (fed, n_mm),
        (expanded, main.combined.dof),
        limit_mm,
    );
    let error = band.error;
    let mut verdict = band.verdict;

    let computed = typed.gear.as_ref().map(computed_steps_per_mm);
    let by_rule = house.option(RuleId::StepsOrFlow).id == "computed";
    let target = match (by_rule, computed) {
        (true, Some(c)) => c,
        _ => typed.set * n_mm / fed,
    };
    if by_rule && computed.is_some() {
        // Two decimals are what is sent, so a value that agrees to them is the computed one.
        let same = (typed.set - target).abs() <= 0.005 + 1e-4 * target;
        verdict = if same { Verdict::Pass } else { Verdict::Adjust };
    }
    let after = (target * 100.0).round() / 100.0;
    let value_expanded = (target * expanded / fed).abs();

    let mut finding = blank(
        StationName::Drive,
        "steps per millimetre",
        "steps/mm",
        verdict,
    );
    finding.before = Some(typed.set);
    finding.value_expanded = Some(value_expanded);
    finding.reasons = reasons(&typed, &main, rule, error, n_mm);
    finding.rows = rows(&typed, after, computed, value_expanded, verdict);

    let percent = 100.0 * error / n_mm;
    let short_or_long = if error < 0.0 { "short" } else { "long" };
    let digits = decimals_for(value_expanded, 2).min(1);
    let set_text = fixed(typed.set, digits);
    let after_text = fixed(after, digits);
    match verdict {
        Verdict::Pass => {
            finding.headline = format!("Pass: {set_text} steps/mm stays.");
            finding.sentence = if by_rule && computed.is_some() {
                format!(
                    "It is the drive's computed value, and the house rule leaves it there. It \
                     feeds {:.1} % {short_or_long}; flow takes that up.",
                    percent.abs()
                )
            } else {
                format!(
                    "It feeds {} for {} mm, inside ±{} mm.",
                    band.measured_text,
                    plain(n_mm, 1),
                    plain(limit_mm, 2)
                )
            };
            finding.line = format!(
                "{} steps/mm",
                with_uncertainty(typed.set, value_expanded, "")
            );
            finding.next = "Go on.".into();
        }
        Verdict::Adjust => {
            finding.after = Some(after);
            finding.headline = format!("Adjust: {set_text} → {after_text} steps/mm.");
            finding.sentence = format!(
                "It feeds {:.1} % {short_or_long}{}. Set the new value, then measure again.",
                percent.abs(),
                times_the_blur(error, expanded)
            );
            finding.line = format!(
                "{set_text} → {} steps/mm",
                with_uncertainty(after, value_expanded, "")
            );
            finding.next =
                "Set the new value, store it, read it back, then repeat this test.".into();
            match gcode::set_steps_per_mm(after) {
                Ok(set) => {
                    finding.commands = vec![set, gcode::store_settings(), gcode::read_back()];
                }
                Err(e) => finding.reasons.push(e.to_string()),
            }
            if let Some((full, micro)) = typed.turn {
                finding.plain.push(PlainValue {
                    name: "millimetres per motor turn".into(),
                    value: format!("{} mm", plain(mm_per_motor_turn(full, micro, after), 4)),
                });
            }
        }
        Verdict::MeasureAgain | Verdict::Stop => {
            finding.settle = settle(&typed, &main, rule, error, limit_mm, context);
            finding.headline = format!(
                "Measure again: {} fed could be right or wrong.",
                band.measured_text
            );
            finding.sentence = ask_for_more(&finding.settle, "the feed");
            finding.line = format!("{} fed, not settled", band.measured_text);
            finding.next = "Add readings here; nothing is set.".into();
        }
    }
    finding.bands.push(band);
    Ok(match fault(&typed, &main, rule, context, limit_mm) {
        Some((cause, sentence)) => Finding {
            sentence,
            ..stopped(finding, &cause)
        },
        None => finding,
    })
}

fn reasons(
    typed: &Typed,
    main: &FreshMean,
    rule: &Instrument,
    error: f64,
    n_mm: f64,
) -> Vec<String> {
    let runs = count(main.series.n, "run", "runs");
    let mut reasons = vec![format!(
        "{runs} from a mark at {} mm, read with {}.",
        plain(typed.mark, 1),
        rule.describe()
    )];
    reasons.push(if main.series.n == 1 {
        "One run: the uncertainty rests on the instrument alone.".into()
    } else if main.instrument_alone {
        "The runs agree better than the instrument can see, so its limit sets the uncertainty."
            .into()
    } else {
        format!(
            "The runs scatter by {} mm, more than the instrument explains.",
            plain(main.series.s, 2)
        )
    });
    if let (Some(free), true) = (mean_of(&typed.free, rule), !typed.fed.is_empty()) {
        let free_error = free.series.mean - n_mm;
        if error < -expanded_95(main.combined) && free_error < -expanded_95(free.combined) {
            reasons.push(
                "Loaded and free air are short alike: steps, gear ratio, or drive diameter.".into(),
            );
        }
    }
    reasons
}

fn rows(typed: &Typed, after: f64, computed: Option<f64>, u: f64, verdict: Verdict) -> Vec<Row> {
    let new = (verdict == Verdict::Adjust).then_some(after);
    let digits = decimals_for(u, 2).min(2);
    let mut rows = vec![Row {
        name: "steps/mm".into(),
        before: Some(fixed(typed.set, digits)),
        after: new.map(|v| fixed(v, digits)),
    }];
    if let Some((full, micro)) = typed.turn {
        rows.push(Row {
            name: "mm per motor turn".into(),
            before: Some(fixed(mm_per_motor_turn(full, micro, typed.set), 3)),
            after: new.map(|v| fixed(mm_per_motor_turn(full, micro, v), 3)),
        });
    }
    if let Some(c) = computed {
        rows.push(Row {
            name: "computed steps/mm".into(),
            before: None,
            after: Some(fixed(c, 1)),
        });
    }
    rows
}

fn settle(
    typed: &Typed,
    main: &FreshMean,
    rule: &Instrument,
    error: f64,
    limit_mm: f64,
    context: &Context,
) -> Vec<String> {
    let predicted = |n: usize, instrument: &Instrument, longer: f64| {
        let u = wattotherm_measure::u_of_mean(
            main.series.s,
            n,
            main.series.mean * longer,
            instrument,
            2.0,
        );
        expanded_95(u) / longer
    };
    let now = main.series.n;
    let more_runs = (1..=12).map(|more| SettleOption {
        says: if more == 1 {
            "one more run".into()
        } else {
            format!("{more} more runs")
        },
        expanded: predicted(now + more, rule, 1.0),
    });
    let longer = (now..=now + 6)
        .filter(|_| typed.feed <= 200.0)
        .map(|n| SettleOption {
            says: format!(
                "feed {} mm in {}",
                plain(typed.feed * 2.0, 0),
                count(n, "run", "runs")
            ),
            expanded: predicted(n, rule, 2.0),
        });
    let finer = context
        .house
        .instruments
        .iter()
        .filter(|i| i.unit == "mm" && i.half_width > 0.0 && i.half_width < rule.half_width)
        .filter(|i| matches!(i.kind, InstrumentKind::Rule | InstrumentKind::Caliper))
        .map(|i| SettleOption {
            says: format!("the same runs measured with {}", i.describe()),
            expanded: predicted(now, i, 1.0),
        });
    let first = |options: &mut dyn Iterator<Item = SettleOption>| {
        what_would_settle(error, limit_mm, options)
            .into_iter()
            .next()
    };
    let mut more_runs = more_runs;
    let mut longer = longer;
    let mut finer = finer;
    [first(&mut more_runs), first(&mut longer), first(&mut finer)]
        .into_iter()
        .flatten()
        .collect()
}

/// Whether the feed shows a fault that no setting cures: its name and what to do.
fn fault(
    typed: &Typed,
    main: &FreshMean,
    rule: &Instrument,
    context: &Context,
    limit_mm: f64,
) -> Option<(String, String)> {
    let fed = main.series.mean;
    let expanded = expanded_95(main.combined);
    let n_mm = typed.feed;
    if fed < -expanded {
        return Some((
            "the drive runs backward".into(),
            "The mark moved away from the inlet. The direction is reversed: turn the motor plug \
             round with the printer unplugged, or invert the extruder's direction in the firmware."
                .into(),
        ));
    }
    if fed.abs() <= expanded.max(0.01 * n_mm) {
        return Some((
            "nothing was fed".into(),
            "The mark didn't move. Is the motor plugged in, the idler closed, the gear's set screw \
             tight, the path free?"
                .into(),
        ));
    }
    let differs = |other: &FreshMean| {
        let both = combine(&[
            Component {
                u: main.combined.u,
                sensitivity: 1.0,
                dof: main.combined.dof,
            },
            Component {
                u: other.combined.u,
                sensitivity: -1.0,
                dof: other.combined.dof,
            },
        ]);
        let difference = other.series.mean - fed;
        (difference.abs() > expanded_95(both) && difference.abs() > limit_mm).then_some(difference)
    };
    if !typed.fed.is_empty() {
        if let Some(fast) = mean_of(&typed.fast, rule)
            && let Some(d) = differs(&fast)
            && d < 0.0
        {
            return Some((
                "it slips when it feeds faster".into(),
                format!(
                    "{} mm less came at the faster feed: slip, a partial clog, or too cold. Not \
                     the steps. Look for dust at the gear, then at the nozzle.",
                    plain(-d, 1)
                ),
            ));
        }
        if let Some(free) = mean_of(&typed.free, rule)
            && let Some(d) = differs(&free)
            && d > 0.0
        {
            return Some((
                "resistance downstream of the drive".into(),
                format!(
                    "Free in air it feeds {} mm more than loaded. The drive is right; the hot end, \
                     tube or nozzle holds the filament back.",
                    plain(d, 1)
                ),
            ));
        }
    }
    let percent = 100.0 * (fed - n_mm) / n_mm;
    let bound = context.house.tolerance(ToleranceId::DriveStopPercent);
    if percent.abs() <= bound {
        return None;
    }
    let needed = typed.set * n_mm / fed;
    let off = format!(
        "It fed {fed:.1} mm for {} mm, {percent:+.0} %.",
        plain(n_mm, 0)
    );
    let Some(gear) = &typed.gear else {
        return Some(if context.fresh_drive() {
            (
                "far off right after the drive was replaced".into(),
                format!(
                    "{off} Type full steps, microsteps, gear ratio and drive wheel diameter: the \
                     computed value will show which number is wrong."
                ),
            )
        } else {
            (
                format!("beyond ±{} % with the drive untouched", plain(bound, 1)),
                format!(
                    "{off} A setting doesn't drift that far: look for slip, a clog, a loose gear, \
                     or a wrong value set earlier."
                ),
            )
        });
    };
    Some(name_wrong_number(typed.set, needed, gear, &off))
}

/// Ratios this close are taken as the same; drive diameters are known to a few percent.
const ALIKE: f64 = 0.08;

fn alike(a: f64, b: f64) -> bool {
    (a / b - 1.0).abs() < ALIKE
}

/// Names the number that explains a feed far off, by comparing what is set, what the feed needs,
/// and what the drive's build computes to.
fn name_wrong_number(set: f64, needed: f64, gear: &GearFacts, off: &str) -> (String, String) {
    let computed = computed_steps_per_mm(gear);
    let powers = [2.0, 4.0, 8.0, 16.0, 0.5, 0.25, 0.125, 0.0625];
    if alike(needed, computed) {
        let factor = computed / set;
        let start = format!(
            "{off} This drive computes to {computed:.1} steps/mm. Set that, then measure again."
        );
        if gear.gear_ratio > 1.1 && alike(factor, gear.gear_ratio) {
            return (
                format!(
                    "the gear ratio of {} was left out of {} steps/mm",
                    plain(gear.gear_ratio, 3),
                    plain(set, 2)
                ),
                start,
            );
        }
        if let Some(p) = powers.into_iter().find(|p| alike(factor, *p)) {
            return (
                format!(
                    "{} steps/mm belongs to {} microsteps or another motor, not to {}",
                    plain(set, 2),
                    plain(gear.microsteps / p, 4),
                    plain(gear.microsteps, 0)
                ),
                start,
            );
        }
        return (
            format!("{} steps/mm is not this drive's value", plain(set, 2)),
            start,
        );
    }
    let factor = needed / computed;
    if gear.gear_ratio > 1.1 && alike(factor, 1.0 / gear.gear_ratio) {
        return (
            format!(
                "the gear ratio of {} is not in this drive",
                plain(gear.gear_ratio, 3)
            ),
            format!(
                "{off} It feeds as if there were no gear. Count the teeth and type the ratio anew."
            ),
        );
    }
    if let Some(p) = powers.into_iter().find(|p| alike(factor, *p)) {
        return (
            format!(
                "the driver runs at {} microsteps, not {}",
                plain(gear.microsteps * p, 4),
                plain(gear.microsteps, 0)
            ),
            format!("{off} Correct the microsteps, compute anew, set that and measure again."),
        );
    }
    (
        "neither the setting nor the drive's build explains the feed".into(),
        format!(
            "{off} Needed {needed:.1}, computed {computed:.1} steps/mm. Check gear ratio and drive \
             wheel diameter, then look for slip."
        ),
    )
}
