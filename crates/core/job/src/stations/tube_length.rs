//! Tube length: how long to cut the new tube, and how often it can be trimmed.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::count;
use wattotherm_measure::{Pen, Unit, Verdict};

use super::{SetUp, Station, known};
use crate::context::Context;
use crate::finding::{Cause, Facts, Row, Words};
use crate::form::{Field, Form};

/// The cut of a new tube.
pub struct TubeLength;

/// A place of the head, and the tube's way to it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct WayTo {
    /// Where the head stood, e.g. "back right".
    pub name: String,
    /// Way of the tube from end to end, both seats included [mm].
    pub way_mm: Entry,
}

/// What is measured before a tube is cut.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct TubeLengthReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Length of the old tube from end to end [mm].
    pub old_mm: Entry,
    /// The way with the head at its farthest places.
    pub ways: Vec<WayTo>,
    /// Slack beyond the longest way [mm].
    pub slack_mm: Entry,
    /// What a trim of a worn end takes [mm].
    pub trim_mm: Entry,
    /// Trims to keep in reserve.
    pub trims: Entry,
    /// Tightest bend anywhere on the way, as a radius [mm].
    pub bend_mm: Entry,
    /// Outer diameter of the tube [mm].
    pub outer_mm: Entry,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What was found of the tube's way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TubeLengthFound {
    old_mm: Option<f64>,
    /// The longest way [mm], and where the head stood.
    longest: Option<(f64, String)>,
    slack_mm: f64,
    trim_mm: f64,
    /// Cut length [mm].
    cut_mm: f64,
    /// Lengths after each trim that is left [mm].
    after_trims: Vec<f64>,
    /// Tightest bend, and the least that the tube bears [mm].
    bend_mm: Option<f64>,
    least_bend_mm: f64,
}

const LENGTH: Limit = Limit::new(
    "old_mm",
    "length of the tube",
    Unit::Mm,
    [10.0, 2_500.0, 20.0, 1_500.0],
    "tubes reach from the drive to the head",
);
const SLACK: Limit = Limit::new(
    "slack_mm",
    "slack",
    Unit::Mm,
    [0.0, 300.0, 0.0, 100.0],
    "more slack is more lost motion",
);
const TRIM: Limit = Limit::new(
    "trim_mm",
    "trim",
    Unit::Mm,
    [1.0, 100.0, 2.0, 30.0],
    "a trim takes the groove of the collet",
);
const TRIMS: Limit = Limit::new(
    "trims",
    "number of trims",
    Unit::One,
    [0.0, 10.0, 0.0, 5.0],
    "count whole trims",
);
const BEND: Limit = Limit::new(
    "bend_mm",
    "radius of the bend",
    Unit::Mm,
    [3.0, 2_000.0, 10.0, 1_000.0],
    "a bend is measured to its middle line",
);
const OUTER: Limit = Limit::new(
    "outer_mm",
    "outer diameter of the tube",
    Unit::Mm,
    [2.0, 12.0, 3.0, 8.0],
    "tubes of printers are 3 to 8 mm",
);

/// Slack that lets a head reach its corners without a pull [mm]. Common practice, no published source.
const SLACK_MM: f64 = 15.0;
/// A trim behind the groove of a collet [mm]. Common practice, no published source.
const TRIM_MM: f64 = 8.0;
/// Outer diameter where nothing is known of the tube [mm]. Common practice.
const OUTER_MM: f64 = 4.0;
/// Radius below which a tube kinks, in outer diameters. Common practice, no published source.
const KINKS_BELOW: f64 = 6.0;
/// Places that are read at most.
const MOST_WAYS: usize = 20;
/// Longest name of a place.
const MOST_NAME: usize = 40;
const CORNERS: [&str; 4] = ["front left", "front right", "back left", "back right"];

impl Station for TubeLength {
    type Readings = TubeLengthReadings;
    type Own = TubeLengthFound;
    const ID: &'static str = "tube_length";
    const STAYS: &'static [&'static str] = &[
        "old_mm", "ways", "slack_mm", "trim_mm", "trims", "bend_mm", "outer_mm",
    ];

    fn start(context: &Context) -> TubeLengthReadings {
        let tube = context.printer.tube_mm;
        TubeLengthReadings {
            old_mm: known(tube.map(|t| t[2]), 1),
            ways: CORNERS
                .map(|name| WayTo {
                    name: name.into(),
                    way_mm: Entry::default(),
                })
                .to_vec(),
            slack_mm: known(Some(SLACK_MM), 0),
            trim_mm: known(Some(TRIM_MM), 0),
            trims: "1".into(),
            outer_mm: known(Some(tube.map_or(OUTER_MM, |t| t[0])), 1),
            ..TubeLengthReadings::default()
        }
    }

    fn form(r: &TubeLengthReadings, _: &Context) -> Form {
        let mut ways = Vec::new();
        for (i, w) in r.ways.iter().take(MOST_WAYS).enumerate() {
            if !CORNERS.contains(&w.name.as_str()) {
                ways.push(Field::text(
                    format!("ways.{i}.name"),
                    "where the head stood",
                    MOST_NAME,
                ));
            }
            ways.push(Field::number_at(format!("ways.{i}.way_mm"), &LENGTH).named(name_of(i, w)));
        }
        Form::default()
            .group(
                "",
                vec![Field::number(&LENGTH).named("Old tube, end to end")],
            )
            .large()
            .group("Or the way to the head, at its highest", ways)
            .more(
                "One more place",
                "ways",
                serde_json::json!({"name": "", "way_mm": ""}),
            )
            .group(
                "",
                vec![
                    Field::number(&BEND).named("Tightest bend, radius"),
                    Field::number(&OUTER).named("Tube, outer diameter").needed(),
                    Field::number(&SLACK).named("Slack").needed(),
                    Field::number(&TRIM).named("One trim takes").needed(),
                    Field::number(&TRIMS).named("Trims in reserve").needed(),
                ],
            )
    }

    fn set_up(_: &TubeLengthReadings, _: &Context) -> SetUp {
        SetUp::new("Measure the old tube, or the way it has to reach, before it is cut.")
            .hint("The old one from end to end, with what sits inside the couplers; a shorter one is trimmed already.")
            .hint("The way: a string along it from seat to seat, head at each far corner and at the top.")
    }

    /// Formula: cut = longest way + slack + trims · trim, or the old tube's length where no way was measured; least
    /// bend = 6 · outer diameter.
    /// Source: common practice, no published source.
    fn facts(r: &TubeLengthReadings, _: &Context) -> Result<Facts<TubeLengthFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let old_mm = intake.may(&LENGTH, "old_mm", &r.old_mm);
        let mut longest: Option<(f64, String)> = None;
        for (i, w) in r.ways.iter().take(MOST_WAYS).enumerate() {
            let Some(mm) = intake.may(&LENGTH, &format!("ways.{i}.way_mm"), &w.way_mm) else {
                continue;
            };
            super::snapshot::no_longer(&mut intake, &format!("ways.{i}.name"), &w.name, MOST_NAME);
            if longest.as_ref().is_none_or(|(most, _)| mm > *most) {
                longest = Some((mm, name_of(i, w)));
            }
        }
        if r.ways.len() > MOST_WAYS {
            intake.count("ways", "Twenty places are enough. Remove some.");
        }
        if old_mm.is_none() && longest.is_none() {
            intake.count(
                "old_mm",
                "Type the old tube’s length, or the way to one place.",
            );
        }
        let bend_mm = intake.may(&BEND, "bend_mm", &r.bend_mm);
        let outer_mm = intake.need(&OUTER, "outer_mm", &r.outer_mm);
        let slack_mm = intake.need(&SLACK, "slack_mm", &r.slack_mm);
        let trim_mm = intake.need(&TRIM, "trim_mm", &r.trim_mm);
        let trims = intake.need(&TRIMS, "trims", &r.trims);
        intake.finish()?;
        // OK because finish() fails where one of these is missing.
        let [outer_mm, slack_mm, trim_mm, trims] =
            [outer_mm, slack_mm, trim_mm, trims].map(Option::unwrap_or_default);
        let cut_mm = match (&longest, old_mm) {
            (Some((way, _)), _) => way + slack_mm + trims.round() * trim_mm,
            (None, old) => old.unwrap_or_default(),
        };
        // Without a way nobody knows how much of it may go.
        let least = longest.as_ref().map(|(way, _)| *way);
        let after_trims = least.map_or(Vec::new(), |least| {
            std::iter::successors(Some(cut_mm - trim_mm), |l| Some(l - trim_mm))
                .take_while(|l| *l >= least - 1e-9)
                .collect()
        });
        let least_bend_mm = KINKS_BELOW * outer_mm;
        let mut facts = Facts::new(
            Self::ID,
            Unit::Mm,
            Verdict::Pass,
            TubeLengthFound {
                old_mm,
                longest,
                slack_mm,
                trim_mm,
                cut_mm,
                after_trims,
                bend_mm,
                least_bend_mm,
            },
        );
        facts.before = Some(cut_mm);
        if bend_mm.is_some_and(|b| b < least_bend_mm) {
            return Ok(facts.stopped(Cause::TubeKinks));
        }
        Ok(facts)
    }

    fn words(f: &Facts<TubeLengthFound>, pen: Pen) -> Words {
        let own = &f.own;
        let mm = |v| pen.plain(v, Unit::Mm, 0);
        let mut w = Words::new("tube length");
        w.rows
            .push(Row::new("cut to", own.old_mm.map(mm), Some(mm(own.cut_mm))));
        for (i, left) in own.after_trims.iter().enumerate() {
            let name = format!("after {}", count(i + 1, "trim", "trims"));
            w.rows.push(Row::new(name, None, Some(mm(*left))));
        }
        if let Some(bend) = own.bend_mm {
            let least = format!("at least {}", mm(own.least_bend_mm));
            w.rows
                .push(Row::new("tightest bend", Some(least), Some(mm(bend))));
        }
        if f.verdict == Verdict::Stop {
            return w.stop(
                &format!(
                    "a bend of {} kinks this tube",
                    mm(own.bend_mm.unwrap_or_default())
                ),
                format!(
                    "It bears {} or more. Lead it another way, tie it elsewhere or cut it longer; then measure again.",
                    mm(own.least_bend_mm)
                ),
            );
        }
        let sentence = match (&own.longest, own.old_mm) {
            (Some((way, name)), old) => {
                let pulled = old
                    .filter(|o| o < way)
                    .map_or(String::new(), |o| {
                        format!(" The old one is {} too short: it pulled there.", mm(way - o))
                    });
                format!(
                    "The longest way is {} at {name}; with {} of slack it can be trimmed {}.{pulled}",
                    mm(*way),
                    mm(own.slack_mm),
                    times(own.after_trims.len())
                )
            }
            _ => "As long as the old one. Move the head to its farthest corners once it is in: no pull, no kink.".into(),
        };
        w.say(
            format!("Pass: cut it to {}.", mm(own.cut_mm)),
            sentence,
            format!("cut to {}", mm(own.cut_mm)),
            "Cut it square, burrs off.",
        )
    }
}

fn name_of(i: usize, w: &WayTo) -> String {
    if w.name.trim().is_empty() {
        format!("place {}", i + 1)
    } else {
        w.name.chars().take(MOST_NAME).collect()
    }
}

fn times(n: usize) -> String {
    match n {
        0 => "no more".into(),
        1 => "once".into(),
        2 => "twice".into(),
        n => format!("{n} times"),
    }
}
