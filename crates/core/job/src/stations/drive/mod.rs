//! Drive: steps per millimetre, measured and computed, and what else may be wrong with the feed.

mod fault;
mod words;

use std::collections::BTreeMap;
use std::f64::consts::PI;

use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use wattotherm_gcode::{self as gcode, FeedOrder, feed_for_drive_test};
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::plain;
use wattotherm_measure::{
    FreshMean, Instrument, InstrumentKind, Pen, Reading, Series, SettleOption, Unit, Verdict,
    default_instruments, fresh_mean, what_would_settle,
};
use wattotherm_printer::{Fitted, GearFacts, Parameter};

use super::set_up::{rule_text, tolerance};
use super::taken::Taken;
use super::{SetUp, Station, expanded_95, known};
use crate::context::Context;
use crate::finding::{Band, Facts, Words};
use crate::form::{Field, Form};
use crate::house::{RuleId, ToleranceId};
use fault::{Fault, fault};

/// Extruder steps per millimetre.
pub struct Drive;

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

/// What would settle it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
enum Way {
    /// So many more runs.
    MoreRuns(usize),
    /// A feed of so many [mm] in so many runs.
    Longer(f64, usize),
    /// The same runs with another instrument.
    With(Instrument),
}

/// What was found of the drive.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DriveFound {
    set: f64,
    /// Value that the readings, or the build, ask for; none where nothing was fed.
    wanted: Option<f64>,
    mark_mm: f64,
    taken: Taken,
    /// Full steps and microsteps, where both are known.
    turn: Option<(f64, f64)>,
    /// What the build computes to.
    computed: Option<f64>,
    /// The house sets the computed value.
    by_build: bool,
    /// Loaded and free air are short alike.
    short_alike: bool,
    settle: Vec<Way>,
    fault: Option<Fault>,
    /// Largest error that a setting explains [%].
    stop_percent: f64,
}

const SET: Limit = Limit::new(
    "steps_set",
    "steps per millimetre",
    Unit::StepsPerMm,
    [1.0, 20_000.0, 50.0, 4_000.0],
    "no extruder has so few or so many",
);
const MARK: Limit = Limit::new(
    "mark_mm",
    "mark above the inlet",
    Unit::Mm,
    [20.0, 600.0, 50.0, 500.0],
    "a mark must leave room to feed and still be in reach of a rule",
);
const FEED: Limit = Limit::new(
    "feed_mm",
    "length to feed",
    Unit::Mm,
    [10.0, 500.0, 50.0, 400.0],
    "a shorter feed can’t be measured, a longer one runs out of filament",
);
const SLOW: Limit = Limit::new(
    "speed_mm_s",
    "slow feed rate",
    Unit::MmPerS,
    [0.1, 10.0, 0.5, 5.0],
    "faster than this slips by itself",
);
const FAST: Limit = Limit::new(
    "fast_mm_s",
    "fast feed rate",
    Unit::MmPerS,
    [0.5, 20.0, 2.0, 15.0],
    "a drive can’t push faster through a nozzle",
);
const NOZZLE: Limit = Limit::new(
    "nozzle_c",
    "nozzle temperature",
    Unit::Celsius,
    [0.0, 500.0, 170.0, 320.0],
    "no hot end feeds outside this",
);
/// What a mark read against a rule may be off by [mm].
const REST_OFF_MM: f64 = 0.5;
const REST: Limit = Limit::new(
    "runs",
    "rest",
    Unit::Mm,
    [0.0, 1_000.0, 0.0, 1_000.0],
    "a mark that went into the inlet can’t be measured: mark farther up and feed again",
);
const FULL_STEPS: Limit = Limit::new(
    "full_steps",
    "full steps per turn",
    Unit::One,
    [20.0, 800.0, 200.0, 400.0],
    "motors have 200 or 400",
);
const MICROSTEPS: Limit = Limit::new(
    "microsteps",
    "microsteps",
    Unit::One,
    [1.0, 256.0, 8.0, 256.0],
    "drivers divide a step into 1 to 256",
);
const RATIO: Limit = Limit::new(
    "gear_ratio",
    "gear ratio",
    Unit::One,
    [0.1, 60.0, 1.0, 60.0],
    "a ratio is motor turns per turn of the drive wheel",
);
const DIAMETER: Limit = Limit::new(
    "drive_diameter_mm",
    "drive wheel diameter",
    Unit::Mm,
    [2.0, 60.0, 4.0, 25.0],
    "drive wheels are smaller than a hand and larger than the filament",
);

/// Runs of a series at most.
const MOST_RUNS: usize = 30;

/// Steps per millimetre of a drive as built.
///
/// Formula: steps/mm = full steps · microsteps · gear ratio / (π · d). Source: geometry; 200 · 16 ·
/// 3 / (π · 7.3 mm) = 418.6 (common practice). Domain: all > 0.
#[must_use]
pub fn computed_steps_per_mm(gear: &GearFacts) -> f64 {
    gear.full_steps * gear.microsteps * gear.gear_ratio / (PI * gear.drive_diameter_mm)
}

/// Filament for one motor turn [mm].
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
    let set = intake.need(&SET, "steps_set", &readings.steps_set);
    let mark = intake.need(&MARK, "mark_mm", &readings.mark_mm);
    let feed = intake.need(&FEED, "feed_mm", &readings.feed_mm);
    let slow = intake.may(&SLOW, "speed_mm_s", &readings.speed_mm_s);
    let faster = intake.may(&FAST, "fast_mm_s", &readings.fast_mm_s);
    intake.may(&NOZZLE, "nozzle_c", &readings.nozzle_c);
    if let (Some(m), Some(n)) = (mark, feed)
        && m <= n
    {
        intake.conflict(
            "mark_mm",
            format!(
                "The mark at {{{} mm}} goes into the inlet when {{{} mm}} are fed. Mark at least {{10 mm}} \
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
                "The fast feed of {{{} mm/s}} is not faster than the slow one.",
                plain(f, 2)
            ),
        );
    }
    let mut series = |name: &str, entries: &[Entry]| -> Vec<f64> {
        if entries.len() > MOST_RUNS {
            intake.count(name, "Thirty runs are enough. Remove some.");
        }
        let mut rests = Vec::new();
        for (i, entry) in entries.iter().take(MOST_RUNS).enumerate() {
            let path = format!("{name}.{i}");
            if let Some(rest) = intake.may(&REST, &path, entry) {
                rests.push((path, rest));
            }
        }
        if let (Some(m), Some(n)) = (mark, feed) {
            for (path, rest) in &rests {
                if *rest > m + 1.5 * n {
                    intake.conflict(
                        path,
                        format!(
                            "A rest of {{{} mm}} can’t be: the mark stood at {{{} mm}}.",
                            plain(*rest, 2),
                            plain(m, 2)
                        ),
                    );
                }
            }
        }
        intake.ask_outliers_by_ten(&REST, &rests);
        intake.ask_outliers(&REST, &rests, REST_OFF_MM);
        rests.iter().map(|(_, r)| mark.unwrap_or(0.0) - r).collect()
    };
    let fed = series("runs", &readings.runs);
    let fast = series("fast_runs", &readings.fast_runs);
    let free = series("free_runs", &readings.free_runs);
    ask_swapped(&mut intake, &fed, &fast, &free);
    let full = intake.may(&FULL_STEPS, "full_steps", &readings.full_steps);
    let micro = intake.may(&MICROSTEPS, "microsteps", &readings.microsteps);
    let ratio = intake.may(&RATIO, "gear_ratio", &readings.gear_ratio);
    let diameter = intake.may(&DIAMETER, "drive_diameter_mm", &readings.drive_diameter_mm);
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

/// How well a mark sits on filament [mm, half-width]: the width of the pen's line, whatever it is measured with. Common
/// practice, no published source.
const MARK_MM: f64 = 0.3;

/// Fields that look swapped: nothing feeds farther at speed than slowly, or farther through the nozzle than in free
/// air. Asked where the difference is more than two marks can make.
fn ask_swapped(intake: &mut Intake<'_>, fed: &[f64], fast: &[f64], free: &[f64]) {
    let mean = |v: &[f64]| Series::of(v).map(|s| s.mean);
    let Some(slow) = mean(fed) else { return };
    let far = 2.0 * (MARK_MM + REST_OFF_MM);
    if let Some(d) = mean(fast).map(|f| f - slow).filter(|d| *d > far) {
        intake.ask_whether(
            "fast_runs.0",
            format!(
                "The fast feed is {{{} mm}} longer than the slow one: slow and fast swapped? Type them in their fields, or confirm.",
                plain(d, 1)
            ),
        );
    }
    if let Some(d) = mean(free).map(|f| slow - f).filter(|d| *d > far) {
        intake.ask_whether(
            "free_runs.0",
            format!(
                "In free air it feeds {{{} mm}} less than through the nozzle: loaded and free swapped? Type them in their fields, or confirm.",
                plain(d, 1)
            ),
        );
    }
}

/// The mean of a series of feeds.
fn mean_of(values: &[f64], rule: &Instrument) -> Option<FreshMean> {
    // Mark and rest are both read from the rule: two readings a run.
    fresh_mean(values, &Reading::from_a_mark(rule, MARK_MM))
}

/// Steps in force, or else as the printer held them when the job began.
fn steps_before(context: &Context) -> Option<(f64, &'static str)> {
    context.before_or_stored("M92", 'E')
}

fn rule_for(readings: &DriveReadings, context: &Context) -> Instrument {
    context
        .house
        .instrument(&readings.instrument, InstrumentKind::Rule)
        .cloned()
        .unwrap_or_else(|| default_instruments().swap_remove(0))
}

impl Station for Drive {
    type Readings = DriveReadings;
    type Own = DriveFound;
    const ID: &'static str = "drive";
    const STAYS: &'static [&'static str] = &[
        "instrument",
        "mark_mm",
        "feed_mm",
        "speed_mm_s",
        "nozzle_c",
        "fast_mm_s",
    ];
    const SETTLES: &'static [Parameter] = &[Parameter::Drive];

    fn start(context: &Context) -> DriveReadings {
        let gear = context.printer.gear.as_ref();
        let fact = |get: fn(&GearFacts) -> f64| known(gear.map(get), 4);
        let temp = context.filament.as_ref().and_then(|f| f.print_temp_c);
        let blank = Entry::default;
        DriveReadings {
            steps_set: known(steps_before(context).map(|(v, _)| v), 3),
            mark_mm: "120".into(),
            feed_mm: "100".into(),
            speed_mm_s: "1.5".into(),
            nozzle_c: known(Some(temp.unwrap_or(210.0)), 0),
            instrument: "steel_rule".into(),
            runs: vec![blank(); 3],
            fast_mm_s: "5".into(),
            fast_runs: vec![blank()],
            free_runs: vec![blank()],
            full_steps: fact(|g| g.full_steps),
            microsteps: fact(|g| g.microsteps),
            gear_ratio: fact(|g| g.gear_ratio),
            drive_diameter_mm: fact(|g| g.drive_diameter_mm),
            ..DriveReadings::default()
        }
    }

    fn form(r: &DriveReadings, context: &Context) -> Form {
        let runs = |name: &'static str, entries: &[Entry], label: &dyn Fn(usize) -> String| {
            (0..entries.len().min(MOST_RUNS))
                .map(|i| Field::number_at(format!("{name}.{i}"), &REST).named(label(i + 1)))
                .collect::<Vec<Field>>()
        };
        let computed = context.house.option(RuleId::StepsOrFlow).id == "computed";
        let build = [
            (&FULL_STEPS, "Full steps per turn"),
            (&MICROSTEPS, "Microsteps"),
            (&RATIO, "Gear ratio"),
            (&DIAMETER, "Drive wheel"),
        ]
        .map(|(limit, label)| {
            let field = Field::number(limit).named(label);
            if computed { field.needed() } else { field }
        });
        let mut rests = runs("runs", &r.runs, &|n| format!("Run {n}, left over"));
        rests.push(Field::instrument(&[
            InstrumentKind::Rule,
            InstrumentKind::Caliper,
        ]));
        let set_up = vec![
            Field::number(&SET).named("Steps/mm set").needed(),
            Field::number(&MARK).named("Mark above inlet").needed(),
            Field::number(&FEED).named("Feed").needed(),
            Field::number(&SLOW).named("Slow feed"),
            Field::number(&NOZZLE).named("Nozzle"),
        ];
        let mut slips = vec![Field::number(&FAST).named("Fast feed")];
        slips.extend(runs("fast_runs", &r.fast_runs, &|_| {
            "Fast run, left over".into()
        }));
        slips.extend(runs("free_runs", &r.free_runs, &|_| {
            "Free in air, left over".into()
        }));
        Form::default()
            .group("", rests)
            .large()
            .drawn("drive")
            .more("One more run", "runs", json!(""))
            .folded(
                "Set-up: mark, feed, speed, steps set, the drive as built",
                [set_up, build.to_vec()].concat(),
            )
            .folded("Does it slip? One fast run, one run free in air", slips)
            .more("One more fast run", "fast_runs", json!(""))
            .more("One more free run", "free_runs", json!(""))
    }

    fn set_up(r: &DriveReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        let mark = r.mark_mm.parse(Unit::Mm).unwrap_or(120.0);
        let feed = r.feed_mm.parse(Unit::Mm).unwrap_or(100.0);
        let speed = r.speed_mm_s.parse(Unit::MmPerS).unwrap_or(1.5);
        let nozzle = r.nozzle_c.parse(Unit::Celsius);
        let free_air = context.house.option(RuleId::MeasuringSteps).id == "free_air";
        let mut up = SetUp::new(format!(
            "Mark the filament {} above the inlet, feed {}, measure what is left.",
            pen.plain(mark, Unit::Mm, 1),
            pen.plain(feed, Unit::Mm, 1)
        ))
        .hint("Mark afresh before every run.");
        if context.fresh_drive() {
            up = up.hint(pen.text("Direction first: feed {10 mm}. Does it go forward?"));
        }
        up.rule = Some(RuleId::MeasuringSteps);
        up.rule_text = Some(format!(
            "{} {} Limit {}.",
            rule_text(context, RuleId::StepsOrFlow),
            rule_text(context, RuleId::MeasuringSteps),
            tolerance(context, ToleranceId::DrivePercent, Unit::Percent)
        ));
        let order = FeedOrder {
            nozzle_c: if free_air {
                None
            } else {
                Some(nozzle.unwrap_or(0.0))
            },
            ceiling_c: context.ceiling().ceiling_c,
            feed_mm: feed,
            feed_mm_s: speed,
        };
        if !free_air && nozzle.is_none() {
            up.withheld = Some("Type the nozzle temperature to get the feed commands.".into());
        } else {
            match feed_for_drive_test(&order) {
                Ok(commands) => up.commands = commands,
                Err(e) => up.withheld = Some(e.says(pen)),
            }
        }
        up.hot(if free_air { None } else { nozzle }, pen)
    }

    /// Formula: fed F = M - r; e = mean F - N; new = old · N / F.
    /// u(F)² = (mark, rest and scatter pooled, [`fresh_mean`])/n + (scale · F)²/3.
    /// Source: propagation by JCGM 100:2008, 5.1.2; the method is common practice, no published
    /// source. Stops: reversed or no feed; beyond ±15 % (house rule), naming the likely wrong number
    /// where gears or motor are new; slip (fed falls at speed); resistance (loaded short, free right).
    fn facts(r: &DriveReadings, context: &Context) -> Result<Facts<DriveFound>, ReadingError> {
        let typed = read(r, context)?;
        let house = &context.house;
        let rule = rule_for(r, context);
        let main_values = if typed.fed.is_empty() {
            &typed.free
        } else {
            &typed.fed
        };
        let Some(main) = mean_of(main_values, &rule) else {
            debug_assert!(false, "read() asks for a run");
            return Err(ReadingError::default());
        };
        let limit_mm = house.tolerance(ToleranceId::DrivePercent) / 100.0 * typed.feed;
        let fed = main.series.mean;
        let expanded = expanded_95(main.combined);
        let band = Band::new(
            "fed",
            Unit::Mm,
            (fed, typed.feed),
            (expanded, main.combined.dof),
            limit_mm,
        )
        .made_of(main.parts.clone());
        let computed = typed.gear.as_ref().map(computed_steps_per_mm);
        let by_build = house.option(RuleId::StepsOrFlow).id == "computed" && computed.is_some();
        let target = computed
            .filter(|_| by_build)
            .unwrap_or(typed.set * typed.feed / fed);
        let verdict = if by_build {
            // Two decimals are what is sent, so a value that agrees to them is the computed one.
            let same = (typed.set - target).abs() <= 0.005 + 1e-4 * target;
            if same { Verdict::Pass } else { Verdict::Adjust }
        } else {
            band.verdict
        };
        let after = (target * 100.0).round() / 100.0;
        let free_short = mean_of(&typed.free, &rule)
            .is_some_and(|f| f.series.mean - typed.feed < -expanded_95(f.combined));
        let mut own = DriveFound {
            set: typed.set,
            wanted: Some(after).filter(|v| v.is_finite()),
            mark_mm: typed.mark,
            taken: Taken::of(&main, &rule),
            turn: typed.turn,
            computed,
            by_build,
            short_alike: !typed.fed.is_empty() && band.error < -expanded && free_short,
            settle: Vec::new(),
            fault: fault(&typed, &main, &rule, context, limit_mm),
            stop_percent: house.tolerance(ToleranceId::DriveStopPercent),
        };
        if verdict == Verdict::MeasureAgain {
            own.settle = settle(&typed, &main, &rule, band.error, limit_mm, context);
        }
        let cause = own.fault.as_ref().map(Fault::cause);
        let mut facts = Facts::new(Self::ID, Unit::StepsPerMm, verdict, own);
        facts.before = Some(typed.set);
        facts.value_expanded = Some((target * expanded / fed).abs()).filter(|u| u.is_finite());
        if verdict == Verdict::Adjust {
            facts.after = Some(after);
            if let Ok(set) = gcode::set_steps_per_mm(after) {
                facts.commands = vec![set, gcode::store_settings(), gcode::read_back()];
            }
        }
        facts.bands.push(band);
        Ok(match cause {
            Some(cause) => facts.stopped(cause),
            None => facts,
        })
    }

    fn words(f: &Facts<DriveFound>, pen: Pen) -> Words {
        words::words(f, pen)
    }

    fn learns(r: &DriveReadings) -> Vec<Fitted> {
        let number = |e: &Entry, limit: &Limit| e.parse(limit.unit).filter(|v| v.is_finite());
        vec![
            Fitted::ExtruderMotor {
                full_steps: number(&r.full_steps, &FULL_STEPS),
            },
            Fitted::ControlBoard {
                supply_v: None,
                heater_a: None,
                microsteps: number(&r.microsteps, &MICROSTEPS),
                limit_c: None,
            },
            Fitted::ExtruderDrive {
                path: None,
                gear_ratio: number(&r.gear_ratio, &RATIO),
                diameter_mm: number(&r.drive_diameter_mm, &DIAMETER),
            },
        ]
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let mut from = BTreeMap::new();
        if let Some((_, says)) = steps_before(context) {
            from.insert("steps_set", says);
        }
        if context.printer.gear.is_some() {
            for path in [
                "full_steps",
                "microsteps",
                "gear_ratio",
                "drive_diameter_mm",
            ] {
                from.insert(path, "what is fitted");
            }
        }
        from
    }
}

fn settle(
    typed: &Typed,
    main: &FreshMean,
    rule: &Instrument,
    error: f64,
    limit_mm: f64,
    context: &Context,
) -> Vec<Way> {
    let predicted = |n: usize, instrument: &Instrument, longer: f64| {
        let u = wattotherm_measure::u_of_mean(
            main.series.s,
            n,
            main.series.mean * longer,
            &Reading::from_a_mark(instrument, MARK_MM),
        );
        expanded_95(u) / longer
    };
    let now = main.series.n;
    let more_runs = (1..=12).map(|more| SettleOption {
        way: Way::MoreRuns(more),
        expanded: predicted(now + more, rule, 1.0),
    });
    let longer = (now..=now + 6)
        .filter(|_| typed.feed <= 200.0)
        .map(|n| SettleOption {
            way: Way::Longer(typed.feed * 2.0, n),
            expanded: predicted(n, rule, 2.0),
        });
    let finer = context
        .house
        .instruments
        .iter()
        .filter(|i| i.unit == "mm" && i.half_width > 0.0 && i.half_width < rule.half_width)
        .filter(|i| matches!(i.kind, InstrumentKind::Rule | InstrumentKind::Caliper))
        .map(|i| SettleOption {
            way: Way::With(i.clone()),
            expanded: predicted(now, i, 1.0),
        });
    let first = |options: &mut dyn Iterator<Item = SettleOption<Way>>| {
        what_would_settle(error, limit_mm, options)
            .into_iter()
            .next()
    };
    let (mut more_runs, mut longer, mut finer) = (more_runs, longer, finer);
    [first(&mut more_runs), first(&mut longer), first(&mut finer)]
        .into_iter()
        .flatten()
        .collect()
}
