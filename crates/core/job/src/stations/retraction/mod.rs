//! Retraction: the trial board. A print a row, one change at a time, the shortest and slowest that is clean.

mod board;
mod start;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_looks::{Credit, Credited, Effect, Surface};
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, duration_min, join_and, plain};
use wattotherm_measure::{Pen, Unit, Verdict};
use wattotherm_printer::{FilamentPath, HotEndKind, Parameter};

use self::board::{
    DISTANCE, MINUTES, Made, SCORE, Setting, as_row, credits_of, go_on_from, read, surface_of,
};
use self::start::{Begin, COLD_ZONE_MM, TubePath, begin};
use super::search::{
    MOST_NOTE, for_a_piece, for_a_profile, moved, note_field, note_shown, of_a_step,
};
use super::{SetUp, Station, known};
use crate::context::{Context, IN_FORCE};
use crate::finding::{Cause, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form, Measured};
use crate::house::{RuleId, ToleranceId};

pub use board::TrialPrint;

/// Retraction of one filament.
pub struct Retraction;

/// What is typed at the trial board.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct RetractionReadings {
    /// Version of this shape: 2.
    pub version: u32,
    /// Distance in force [mm]; blank if there is none.
    pub before: Entry,
    /// Prints in the order made.
    pub prints: Vec<TrialPrint>,
    /// Bore of the tube that is fitted [mm].
    pub bore: Entry,
    /// Its length [mm].
    pub length: Entry,
    /// What its bends add up to [°].
    pub bends: Entry,
    /// Bore of the tube of before [mm]; blank if it is the same.
    pub old_bore: Entry,
    /// Its length [mm].
    pub old_length: Entry,
    /// In the technician's words.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// A print that is proposed.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
struct Next {
    print: Made,
    why: Why,
}

/// Why this print is the next.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Why {
    /// Where slack and spring say it begins.
    Reckoned,
    /// The fit has too few prints: it tells most.
    TellsMost,
    /// The largest expected improvement.
    Improves,
    /// The one that is missing between two prints that differ in two settings.
    Missing,
    /// Neither distance nor speed promises anything: this is the next setting.
    NextSetting,
}

/// What the board shows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RetractionFound {
    prints: Vec<Made>,
    credits: Vec<Vec<Credit>>,
    surface: Option<Surface>,
    /// Number of the print that is taken: clean, shortest, slowest.
    taken: Option<usize>,
    next: Option<Next>,
    begin: Begin,
    limit: f64,
    all_metal: bool,
    /// Clean on the board, but other prints of the same settings are not.
    again_not: bool,
    /// Whether a round of this job set the distance before already.
    #[serde(default)]
    repeated: bool,
    /// What a print must promise to be worth making [score].
    #[serde(default = "usual_worth")]
    worth: f64,
    note: String,
}

/// What a print had to promise before a house could say so.
const fn usual_worth() -> f64 {
    ToleranceId::PrintWorthScore.spec().default
}

const BORE: Limit = Limit::new(
    "bore",
    "bore of the tube",
    Unit::Mm,
    [1.75, 4.5, 1.8, 2.2],
    "filament of 1.75 mm must pass",
);
const LENGTH: Limit = Limit::new(
    "length",
    "length of the tube",
    Unit::Mm,
    [20.0, 2_000.0, 60.0, 1_200.0],
    "tubes are a few centimetres to a metre long",
);
const BENDS: Limit = Limit::new(
    "bends",
    "bends, added up",
    Unit::One,
    [0.0, 720.0, 45.0, 360.0],
    "a tube makes half a turn or a whole one",
);
/// A shorter pull by less than this can't be told apart [mm]. Common practice, no published source.
const STEP_MM: f64 = 0.2;
/// Two speeds within this share are one [1].
const SAME_SPEED: f64 = 0.15;
/// Prints that a board must have before "nothing helps" is said.
const LEAST_PRINTS: usize = 5;
/// Speed to begin with [mm/s], by the shop's school. Common practice, no published source.
const SLOW_FIRST: f64 = 25.0;
const FAST_FIRST: f64 = 60.0;
/// Travel that is tried when distance and speed don't help: so many times as fast [1].
const FASTER: f64 = 1.5;
/// Wipe that is tried last [mm].
const WIPE_MM: f64 = 2.0;

fn first_speed(context: &Context) -> f64 {
    if context.house.option(RuleId::RetractionSearch).id == "fast_first" {
        FAST_FIRST
    } else {
        SLOW_FIRST
    }
}

/// Range to search [mm], [mm/s]: about where it begins, and never far beyond what was printed.
fn range(begin: &Begin, path: FilamentPath, made: &[Made]) -> [[f64; 2]; 2] {
    let (usual, beyond) = match path {
        FilamentPath::Direct => ([0.2, 2.5], 0.6),
        FilamentPath::Tube => ([(begin.distance - 2.5).max(0.4), begin.distance + 2.0], 1.2),
    };
    let hull = |of: fn(&Made) -> f64| {
        made.iter()
            .map(of)
            .reduce(f64::min)
            .zip(made.iter().map(of).reduce(f64::max))
    };
    let speeds = [10.0_f64, 70.0];
    match (hull(Made::distance), hull(Made::speed)) {
        (Some((short, long)), Some((slow, fast))) => [
            [
                short.min(usual[0].max(short - beyond)),
                long.max(usual[1].min(long + beyond)),
            ],
            [
                slow.min(speeds[0].max(slow / 2.0)),
                fast.max(speeds[1].min(fast * 2.0)),
            ],
        ],
        _ => [usual, speeds],
    }
}

fn nothing_seen(set: [f64; 5]) -> Made {
    Made {
        set,
        seen: [0.0; 3],
        minutes: None,
    }
}

/// To what a profile takes.
fn rounded(mut m: Made) -> Made {
    m.set[0] = (m.set[0] * 10.0).round() / 10.0;
    m.set[1] = m.set[1].round();
    m
}

/// What to print next, and why; none where nothing more is promised.
fn next(
    made: &[Made],
    credits: &[Vec<Credit>],
    surface: Option<&Surface>,
    begun: &Begin,
    context: &Context,
) -> Option<Next> {
    let say = |print: Made, why| {
        Some(Next {
            print: rounded(print),
            why,
        })
    };
    let last = made.last()?;
    // Two changes at once credit neither: the print between them comes first, if its score would tell anything.
    if let Some(Credit {
        against: Some(j),
        to: Credited::Neither { missing, .. },
        by,
        expanded,
    }) = credits.last().and_then(|c| c.first())
        && by.abs() > *expanded
    {
        let setting = Setting::ALL[*missing];
        let between = made[*j].with(setting, last.set[*missing]);
        if !made.iter().any(|m| m.same_settings(&between)) {
            return say(between, Why::Missing);
        }
    }
    let best = go_on_from(made)?;
    let like_best = |d: f64, v: f64| nothing_seen([d, v, best.set[2], best.set[3], best.set[4]]);
    let fresh = |m: &Made| !made.iter().any(|o| o.same_settings(m));
    if surface.is_none() {
        let path = context.printer.path;
        let [[low, high], _] = range(begun, path, made);
        let reckoned = rounded(like_best(begun.distance, best.speed()));
        if fresh(&reckoned) {
            return say(reckoned, Why::Reckoned);
        }
        // To the side that has more room.
        let d = if begun.distance - low > high - begun.distance {
            f64::midpoint(low, begun.distance)
        } else {
            f64::midpoint(begun.distance, high)
        };
        let third = rounded(like_best(d, best.speed()));
        if fresh(&third) {
            return say(third, Why::TellsMost);
        }
    }
    if let Some(s) = surface
        && (s.thin || s.improves >= context.house.tolerance(ToleranceId::PrintWorthScore))
    {
        let proposed = rounded(like_best(s.next.distance, s.next.speed));
        if fresh(&proposed) {
            let why = if s.thin {
                Why::TellsMost
            } else {
                Why::Improves
            };
            return say(proposed, why);
        }
    }
    // Nothing is known of speed while all have one: half of it on the best print, twice where it is slow already.
    let one_speed = made
        .iter()
        .all(|m| (m.speed() / best.speed()).ln().abs() <= SAME_SPEED);
    if one_speed && surface.is_some() {
        let speed = if best.speed() > SLOW_FIRST * (1.0 - SAME_SPEED) {
            best.speed() / 2.0
        } else {
            best.speed() * 2.0
        };
        return say(like_best(best.distance(), speed), Why::TellsMost);
    }
    // Distance and speed promise nothing: travel, then hop, then wipe, each changed alone on the best print.
    let [_, _, travel, hop, wipe] = best.set;
    [
        (hop > 0.0, Setting::Hop, 0.0),
        (travel > 0.0, Setting::Travel, (travel * FASTER).round()),
        (wipe <= 0.0, Setting::Wipe, WIPE_MM),
    ]
    .into_iter()
    // Each once: what earned nothing on one print won't on its like.
    .find(|(open, s, v)| *open && made.iter().all(|m| (m.set[*s as usize] - v).abs() > 1e-6))
    .and_then(|(_, setting, value)| say(best.with(setting, value), Why::NextSetting))
}

impl Station for Retraction {
    type Readings = RetractionReadings;
    type Own = RetractionFound;
    const ID: &'static str = "retraction";
    const VERSION: u32 = 2;
    const SETTLES: &'static [Parameter] = &[Parameter::Retraction];
    const STAYS: &'static [&'static str] = &[
        "prints",
        "bore",
        "length",
        "bends",
        "old_bore",
        "old_length",
        "note",
    ];

    fn start(context: &Context) -> RetractionReadings {
        let tube = context.printer.tube_mm;
        let first = context.before.unwrap_or_else(|| {
            let fitted = tube.map(|[_, bore_mm, length_mm]| TubePath {
                bore_mm,
                length_mm,
                bends_deg: 180.0,
            });
            let printer = &context.printer;
            begin(
                fitted,
                None,
                printer.path,
                printer.hot_end,
                material(context),
            )
            .distance
        });
        RetractionReadings {
            before: known(context.before, 2),
            prints: vec![TrialPrint {
                distance: known(Some(first), 2),
                speed: known(Some(first_speed(context)), 0),
                hop: known(Some(0.0), 1),
                wipe: known(Some(0.0), 1),
                ..TrialPrint::default()
            }],
            bore: known(tube.map(|t| t[1]), 2),
            length: known(tube.map(|t| t[2]), 0),
            bends: known(Some(180.0), 0),
            ..RetractionReadings::default()
        }
    }

    fn upgrade(_: u32, readings: Value) -> Value {
        // A trial's value is a print of the board; how it looked was not kept as a score.
        let get = |name: &str| readings.get(name).cloned().unwrap_or_else(|| "".into());
        json!({
            "version": 2, "before": get("before"), "note": get("note"), "bends": "180",
            "prints": [{"distance": get("best"), "speed": "", "hop": "0", "wipe": "0"}],
        })
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let mut from = BTreeMap::new();
        if context.before.is_some() {
            from.insert("before", IN_FORCE);
        }
        if context.printer.tube_mm.is_some() {
            from.insert("bore", "the printer’s record");
            from.insert("length", "the printer’s record");
        }
        from
    }

    fn form(r: &RetractionReadings, context: &Context) -> Form {
        let rows = (0..r.prints.len().min(board::MOST_PRINTS)).flat_map(|i| {
            let at = |name: &str| format!("prints.{i}.{name}");
            let mut row: Vec<Field> = Setting::ALL
                .into_iter()
                .map(|s| {
                    Field::number_at(at(s.field()), s.limit())
                        .named(wattotherm_measure::text::capital(s.label()))
                })
                .collect();
            for (name, label) in [("strings", "Strings"), ("gaps", "Gaps"), ("blobs", "Blobs")] {
                row.push(Field::number_at(at(name), &SCORE).named(label));
            }
            row.push(Field::number_at(at("minutes"), &MINUTES).named("Took"));
            row
        });
        // The next print stands ready to be scored, with what is proposed.
        let mut quiet = Intake::new(&r.confirmed);
        let made = read(&mut quiet, &r.prints);
        let proposed = Self::facts(r, context)
            .ok()
            .and_then(|f| f.own.next)
            .map(|n| n.print)
            .or_else(|| made.last().copied())
            .map_or_else(
                || json!({"distance": "", "speed": "", "travel": "", "hop": "0", "wipe": "0", "strings": "", "gaps": "", "blobs": "", "minutes": ""}),
                |m| as_row(&m),
            );
        let tube = context.printer.path == FilamentPath::Tube;
        // One print a row: two posts with a single band of the settings that stand in the last one.
        let last = r.prints.last();
        let of = |s: Setting| last.map_or(String::new(), |p| for_a_piece(s.entry(p), s.unit()));
        let prints = r.prints.len().min(board::MOST_PRINTS);
        let mut form = Form::default().pictured_prints(prints);
        for i in 0..prints {
            form = form.with_photo(
                format!("prints.{i}.strings"),
                format!("strings of print {}", i + 1),
                Measured::Strings,
            );
        }
        form.with_piece(
            "posts",
            "Make these posts",
            &[
                ("from", of(Setting::Distance)),
                ("step", "0".into()),
                ("bands", "1".into()),
                ("every", "20".into()),
                ("speed", of(Setting::Speed)),
                ("travel", of(Setting::Travel)),
                ("hop", of(Setting::Hop)),
            ],
        )
        .group(
            "Prints in the order made; looks from 0 (none) to 5",
            rows.collect(),
        )
        .table(9)
        .told()
        .drawn("strings")
        .more("One more print", "prints", proposed)
        .group(
            "",
            vec![Field::number_at("before", &DISTANCE).named("Distance set before")],
        )
        .drawn("valley")
        .folded(
            "Where it begins: slack and spring of the tube",
            // A direct drive has none.
            vec![
                Field::number(&BORE).named("Bore of the tube").when(tube),
                Field::number(&LENGTH).named("Length").when(tube),
                Field::number(&BENDS).named("Bends, in degrees").when(tube),
                Field::number_at("old_bore", &BORE)
                    .named("Bore of the old tube")
                    .when(tube),
                Field::number_at("old_length", &LENGTH)
                    .named("Its length")
                    .when(tube),
            ],
        )
        .group("", vec![note_field()])
    }

    fn set_up(_: &RetractionReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        let up = SetUp::new("Print two posts, look at the strings between them, and change one setting a print.")
            .hint("The first print after a part was changed has the old settings: it shows what the part alone did.");
        let up = super::guide::guide(Parameter::Retraction, context)
            .iter()
            .fold(up, |up, hint| up.hint(pen.text(hint)));
        up.rule(
            RuleId::RetractionSearch,
            context,
            &format!(
                " Strings at most {}.",
                plain(context.house.tolerance(ToleranceId::StringsScore), 1)
            ),
        )
        .hot(None, pen)
    }

    /// Formula: start = slack + spring + melt, or the old value less what the new tube no longer loses; a print is clean if
    /// the worst of strings, gaps and blobs meets the house rule; of clean prints the shortest, then the slowest. Next
    /// print by [`surface`](wattotherm_looks::surface).
    /// Source: handbook 2, section 10, and 5, F.
    fn facts(
        r: &RetractionReadings,
        context: &Context,
    ) -> Result<Facts<RetractionFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let before = intake.may(&DISTANCE, "before", &r.before);
        super::snapshot::no_longer(&mut intake, "note", &r.note, MOST_NOTE);
        let bore = intake.may(&BORE, "bore", &r.bore);
        let length = intake.may(&LENGTH, "length", &r.length);
        let bends_deg = intake.may(&BENDS, "bends", &r.bends).unwrap_or(180.0);
        let old_bore = intake.may(&BORE, "old_bore", &r.old_bore);
        let old_length = intake.may(&LENGTH, "old_length", &r.old_length);
        let prints = read(&mut intake, &r.prints);
        if prints.is_empty() {
            intake.count("prints.0.strings", "Print, look, and score the strings.");
        }
        intake.finish()?;
        let tube = |b: Option<f64>, l: Option<f64>| {
            b.zip(l).map(|(bore_mm, length_mm)| TubePath {
                bore_mm,
                length_mm,
                bends_deg,
            })
        };
        let fitted = tube(bore, length);
        let old = before
            .zip(tube(old_bore.or(bore), old_length.or(length)))
            .filter(|_| old_bore.is_some() || old_length.is_some());
        let path = context.printer.path;
        let begun = begin(
            fitted,
            old,
            path,
            context.printer.hot_end,
            material(context),
        );
        let limit = context.house.tolerance(ToleranceId::StringsScore);
        let credits = credits_of(&prints);
        let surface = surface_of(&prints, range(&begun, path, &prints));
        let clean = |m: &Made| m.worst() <= limit + 1e-9;
        let taken = prints
            .iter()
            .enumerate()
            .filter(|(_, m)| clean(m) && newest_clean(&prints, m, limit))
            .min_by(|(_, a), (_, b)| {
                a.distance()
                    .total_cmp(&b.distance())
                    .then(a.speed().total_cmp(&b.speed()))
            })
            .map(|(i, _)| i);
        let again_not = prints
            .iter()
            .any(|m| clean(m) && !newest_clean(&prints, m, limit));
        let proposed = next(&prints, &credits, surface.as_ref(), &begun, context);
        let own = RetractionFound {
            taken,
            next: if taken.is_some() {
                shorter(&prints, taken, surface.as_ref(), limit)
            } else {
                proposed
            },
            begin: begun,
            limit,
            all_metal: context.printer.hot_end == HotEndKind::AllMetal,
            again_not,
            repeated: context.adjusts_so_far > 0,
            worth: context.house.tolerance(ToleranceId::PrintWorthScore),
            note: note_shown(&r.note),
            prints,
            credits,
            surface,
        };
        let mut facts = Facts::new(Self::ID, Unit::Mm, Verdict::MeasureAgain, own);
        facts.before = before;
        facts.value_expanded = Some(of_a_step(STEP_MM));
        let taken = facts.own.taken.map(|i| facts.own.prints[i]);
        let Some(taken) = taken else {
            if facts.own.next.is_none() && facts.own.prints.len() >= LEAST_PRINTS {
                return Ok(facts.stopped(Cause::NoGoodValue));
            }
            return Ok(facts);
        };
        // In force, clean, and no clean one is shorter by what can be told: the slowest of its prints.
        let holds = before.and_then(|b| {
            let prints = &facts.own.prints;
            let of = prints.iter().enumerate().filter(|(_, m)| {
                (m.distance() - b).abs() < 0.05 && clean(m) && newest_clean(prints, m, limit)
            });
            of.min_by(|(_, m), (_, o)| m.speed().total_cmp(&o.speed()))
                .map(|(i, _)| i)
                .filter(|_| b - taken.distance() < STEP_MM - 1e-9)
        });
        if let Some(kept) = holds {
            facts.own.taken = Some(kept);
            facts.verdict = Verdict::Pass;
        } else {
            facts.verdict = Verdict::Adjust;
            facts.after = Some(taken.distance());
            if let Ok(set) = gcode::set_retraction(taken.distance(), taken.speed()) {
                facts.commands = vec![set];
            }
        }
        Ok(facts)
    }

    fn words(f: &Facts<RetractionFound>, pen: Pen) -> Words {
        let own = &f.own;
        let mut w = Words::new("retraction");
        let mm = |v: f64| pen.plain(v, Unit::Mm, 2);
        let says = |m: &Made| settings_said(m, pen);
        for (i, (made, credit)) in own.prints.iter().zip(&own.credits).enumerate() {
            w.rows.push(Row::new(
                format!("print {}: {}", i + 1, says(made)),
                None,
                Some(format!(
                    "{}; {}",
                    looks_said(made),
                    credit
                        .iter()
                        .map(|c| credit_said(c, made, &own.prints, pen))
                        .collect::<Vec<_>>()
                        .join("; ")
                )),
            ));
        }
        let lost = own.begin.slack + own.begin.spring;
        if lost > 0.0 {
            let melt = own
                .begin
                .melt
                .map_or(String::new(), |m| format!(" and {} for the melt", mm(m)));
            w.reasons.push(format!(
                "The tube loses {} by slack and {} by spring{melt}: begin at {}.",
                mm(own.begin.slack),
                mm(own.begin.spring),
                mm(own.begin.distance)
            ));
        } else {
            w.reasons.push(format!(
                "Without a tube: begin at {}.",
                mm(own.begin.distance)
            ));
        }
        if let Some(s) = &own.surface {
            w.reasons.push(format!(
                "Fit of {} through {}: best {} at {}, score {} ±{}.",
                count(s.terms, "term", "terms"),
                count(s.prints, "print", "prints"),
                mm(s.best.distance),
                pen.plain(s.best.speed, Unit::MmPerS, 0),
                plain(s.best.score.max(0.0), 1),
                plain(s.best.expanded, 1)
            ));
        }
        let minutes: f64 = own.prints.iter().filter_map(|m| m.minutes).sum();
        if minutes > 0.0 {
            w.reasons.push(format!(
                "{} so far, {} of printing.",
                count(own.prints.len(), "print", "prints"),
                duration_min(minutes)
            ));
        }
        let first = own.prints.first().map(Made::distance);
        let was = f.before.filter(|_| !own.repeated);
        if was.zip(first).is_some_and(|(b, d)| (b - d).abs() >= 0.05) {
            w.reasons.push(
                "The first print hasn’t the old settings: what the new part alone did isn’t known."
                    .into(),
            );
        }
        if own.again_not {
            w.reasons.push(
                "A setting that was clean once was not when it was printed again: the newest print counts.".into(),
            );
        }
        let long = own.taken.map(|i| own.prints[i].distance());
        if own.all_metal && long.is_some_and(|d| d > COLD_ZONE_MM) {
            w.reasons.push(format!(
                "All-metal: a pull beyond about {} draws melt into the cold zone, where it jams.",
                mm(COLD_ZONE_MM)
            ));
        }
        if !own.note.is_empty() {
            w.reasons.push(own.note.clone());
        }
        if f.cause.is_some() {
            return w.stop(
                "no setting of the retraction gives a clean print",
                format!(
                    "More prints promise less than {} of a score. Look at the filament (dry it), the temperature, the gap between tube and nozzle, and the couplers.",
                    plain(own.worth, 2)
                ),
            );
        }
        let next_said = own
            .next
            .as_ref()
            .map(|n| (says(&n.print), why_said(n, own)));
        match f.verdict {
            Verdict::Pass => {
                let was = f.before.map_or(String::new(), mm);
                let more = next_said.map_or(String::new(), |(p, _)| {
                    format!(" Shorter may do: {p} promises it. Print it only if the pull grinds.")
                });
                let kept = own.taken.map(|i| (i, own.prints[i]));
                let as_printed = kept.map_or(String::new(), |(i, m)| {
                    w.plain = plain_values(&m);
                    format!(" Keep all of it as print {} had it: {}.", i + 1, says(&m))
                });
                w.say(
                    format!("Pass: {was} stays."),
                    format!("Its print is clean, and no clean one is shorter.{as_printed}{more}"),
                    was,
                    "Go on.",
                )
            }
            Verdict::Adjust => {
                let taken = own.taken.map(|i| own.prints[i]);
                let now = f.after.map_or(String::new(), mm);
                w.plain = taken.map_or(Vec::new(), |t| plain_values(&t));
                let line = moved(f.before.map(mm), &now);
                w.say(
                    format!("Adjust: {line}."),
                    format!(
                        "Set it as it was printed: {}.",
                        taken.map_or(String::new(), |t| says(&t))
                    ),
                    line,
                    "Set it in the profile, then close.",
                )
            }
            _ => match next_said {
                Some((print, why)) => {
                    w.settle = vec![format!("a print with {print}")];
                    w.say(
                        format!("Measure again: print {print}."),
                        why,
                        format!(
                            "{}, none clean yet",
                            count(own.prints.len(), "print", "prints")
                        ),
                        "Print it, look, and score it; nothing is set.",
                    )
                }
                None => {
                    w.settle = vec!["a print with one setting changed".into()];
                    w.say(
                        "Measure again: no print is clean yet.",
                        "Change one setting of the best print, and look again.",
                        "none clean yet",
                        "Print again; nothing is set.",
                    )
                }
            },
        }
    }
}

/// Whether the newest print of the same settings, which speaks for them, is clean.
fn newest_clean(prints: &[Made], of: &Made, limit: f64) -> bool {
    let newest = prints.iter().rev().find(|m| m.same_settings(of));
    newest.is_some_and(|m| m.worst() <= limit + 1e-9)
}

/// A shorter print that the fit promises to be clean, where one is.
fn shorter(
    made: &[Made],
    taken: Option<usize>,
    surface: Option<&Surface>,
    limit: f64,
) -> Option<Next> {
    let taken = made[taken?];
    let s = surface?;
    let worth = taken.distance() - s.chosen.distance >= STEP_MM && s.chosen.score <= limit;
    let print = rounded(nothing_seen([
        s.chosen.distance,
        s.chosen.speed,
        taken.set[2],
        taken.set[3],
        taken.set[4],
    ]));
    let other = (print.speed() / taken.speed()).ln().abs() > SAME_SPEED
        || taken.distance() - print.distance() >= STEP_MM;
    (worth && other && !made.iter().any(|m| m.same_settings(&print))).then_some(Next {
        print,
        why: Why::Improves,
    })
}

/// What a print had, as it is typed into a profile.
fn plain_values(m: &Made) -> Vec<PlainValue> {
    let names = [
        (Setting::Distance, "retraction"),
        (Setting::Speed, "retraction speed"),
        (Setting::Travel, "travel speed"),
        (Setting::Hop, "hop"),
        (Setting::Wipe, "wipe"),
    ];
    names
        .into_iter()
        .filter(|(s, _)| m.set[*s as usize] > 0.0 || *s == Setting::Hop)
        .map(|(s, name)| PlainValue {
            name: name.into(),
            value: for_a_profile(m.set[s as usize], s.unit()),
        })
        .collect()
}

fn material(context: &Context) -> &str {
    context
        .filament
        .as_ref()
        .map_or("", |f| f.material.as_str())
}

/// "4.8 mm at 25 mm/s, travel 120 mm/s, hop 0.2 mm".
fn settings_said(m: &Made, pen: Pen) -> String {
    let mut says = format!(
        "{} at {}",
        pen.plain(m.distance(), Unit::Mm, 2),
        pen.plain(m.speed(), Unit::MmPerS, 0)
    );
    for s in [Setting::Travel, Setting::Hop, Setting::Wipe] {
        let v = m.set[s as usize];
        if v > 0.0 {
            says += &format!(", {} {}", s.label(), pen.plain(v, s.unit(), 2));
        }
    }
    says
}

/// "strings 2, gaps 1".
fn looks_said(m: &Made) -> String {
    let mut says = format!("strings {}", plain(m.seen[0], 1));
    for (name, v) in [("gaps", m.seen[1]), ("blobs", m.seen[2])] {
        if v > 0.0 {
            says += &format!(", {name} {}", plain(v, 1));
        }
    }
    says
}

fn credit_said(c: &Credit, m: &Made, made: &[Made], pen: Pen) -> String {
    let by = |v: f64| plain(v.abs(), 1);
    let Some(j) = c.against else {
        return "the first".into();
    };
    let against = format!("print {}", j + 1);
    let change = |k: usize| {
        let s = Setting::ALL[k];
        format!(
            "{} {} → {}",
            s.label(),
            pen.plain(made[j].set[k], s.unit(), 2),
            pen.plain(m.set[k], s.unit(), 2)
        )
    };
    match &c.to {
        Credited::First => "the first".into(),
        Credited::Again if c.by.abs() <= c.expanded => format!("{against} again: the same"),
        Credited::Again => format!(
            "{against} again: {} by {}, and no setting was changed",
            if c.by < 0.0 { "better" } else { "worse" },
            by(c.by)
        ),
        Credited::One { setting, effect } => format!(
            "{}: {}, against {against}",
            change(*setting),
            match effect {
                Effect::Better => format!("earned {}", by(c.by)),
                Effect::Worse => format!("cost {}", by(c.by)),
                Effect::NotSeen => "no difference that can be seen".into(),
            }
        ),
        Credited::Neither { changed, .. } => {
            let names: Vec<&str> = changed.iter().map(|k| Setting::ALL[*k].label()).collect();
            format!(
                "{} changed at once against {against}: credits none of them",
                join_and(&names)
            )
        }
    }
}

fn why_said(n: &Next, own: &RetractionFound) -> String {
    match n.why {
        Why::Reckoned => "That is where slack and spring of the tube say it begins.".into(),
        Why::TellsMost => "Too few prints for a bottom yet: this one tells most.".into(),
        Why::Improves => {
            let gain = own.surface.as_ref().map_or(0.0, |s| s.improves);
            format!("It promises {} of a score on the best print so far.", plain(gain, 1))
        }
        Why::Missing => "Two settings changed at once, which credits neither. This print is the one that is missing.".into(),
        Why::NextSetting => "Distance and speed promise nothing more. This setting comes next, alone, on the best print.".into(),
    }
}
