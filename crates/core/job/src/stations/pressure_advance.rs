//! Pressure advance: lines slow, fast, slow, and the ones without bulge or gap.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_looks::{Picked, Tiles};
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::{Pen, Unit, Verdict};
use wattotherm_printer::{FilamentPath, Parameter};
use wattotherm_toolpath::LINES_PITCH_MM;

use super::blind::{self, COUNT, KEY, Look, Names};
use super::pairs;
use super::search::{
    FoundBy, MOST_NOTE, OwnOutcome, OwnSays, decide_against, for_a_piece, for_a_profile,
    from_trial, moved, note_field, note_shown, of_a_step, own_fields, read_own, unclear, way,
};
use super::{Answer, SetUp, Station, known};
use crate::context::{Context, IN_FORCE};
use crate::finding::{Cause, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form, Measured};

/// Pressure advance of one filament.
pub struct PressureAdvance;

/// What is read off the lines.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct PressureAdvanceReadings {
    /// Version of this shape: 2.
    pub version: u32,
    /// Value in force [s]; blank if there is none.
    pub before: Entry,
    /// By lines or by prints of one's own.
    pub way: FoundBy,
    /// Value of the first line [s].
    pub from: Entry,
    /// From line to line [s].
    pub step: Entry,
    /// How many lines.
    pub count: Entry,
    /// Key of the piece; 0 if the lines lie in order.
    pub seed: Entry,
    /// First look: numbers of good lines.
    pub first: String,
    /// Second look.
    pub second: String,
    /// Pairs laid beside each other, the better one first.
    pub pairs: String,
    /// Corners printed with it: even, neither bulging nor thin?
    pub corners: Answer,
    /// Prints of one's own: the value that came out best [s].
    pub best: Entry,
    /// How they went.
    pub outcome: OwnOutcome,
    /// In the technician's words.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What was found of the pressure advance.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PressureAdvanceFound {
    look: Option<Look>,
    /// Usual range of such a path [s].
    usual: [f64; 2],
    path: FilamentPath,
    best: Option<f64>,
    /// Corners printed with it don't look right.
    corners_bad: bool,
    note: String,
}

const VALUE: Limit = Limit::new(
    "best",
    "pressure advance",
    Unit::Second,
    [0.0, 3.0, 0.0, 1.5],
    "longer tubes than these don’t exist",
);
const STEP: Limit = Limit::new(
    "step",
    "step",
    Unit::Second,
    [0.000_5, 0.2, 0.001, 0.1],
    "finer steps are never seen, coarser ones tell nothing",
);

/// Usual values by the path [s]: least, most; and a step that an eye can see [s]. Common practice, no published source.
const fn usual(path: FilamentPath) -> ([f64; 2], f64) {
    match path {
        FilamentPath::Direct => ([0.02, 0.08], 0.005),
        FilamentPath::Tube => ([0.3, 0.9], 0.05),
    }
}
/// Lines to begin with.
const LINES: f64 = 21.0;

impl Station for PressureAdvance {
    type Readings = PressureAdvanceReadings;
    type Own = PressureAdvanceFound;
    const ID: &'static str = "pressure_advance";
    const VERSION: u32 = 2;
    const SETTLES: &'static [Parameter] = &[Parameter::PressureAdvance];
    const STAYS: &'static [&'static str] = &[
        "way", "from", "step", "count", "seed", "first", "second", "best", "outcome", "note",
    ];

    fn start(context: &Context) -> PressureAdvanceReadings {
        let (range, step) = usual(context.printer.path);
        let span = step * (LINES - 1.0);
        // About what is in force, or over what is usual, with room to either side.
        let middle = context.before.unwrap_or(f64::midpoint(range[0], range[1]));
        let from = ((middle - span / 2.0) / step).round() * step;
        PressureAdvanceReadings {
            before: known(context.before, 4),
            from: known(Some(from.max(0.0)), 4),
            step: known(Some(step), 4),
            count: known(Some(LINES), 0),
            seed: known(
                Some(f64::from(blind::key_of(
                    &format!("{:?} {:?}", context.filament, context.before),
                    context.adjusts_so_far,
                ))),
                0,
            ),
            ..PressureAdvanceReadings::default()
        }
    }

    fn upgrade(_: u32, readings: Value) -> Value {
        from_trial(readings)
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let from = context.before.map(|_| ("before", IN_FORCE));
        from.into_iter().collect()
    }

    fn form(r: &PressureAdvanceReadings, context: &Context) -> Form {
        let mut form = Form::default().group("", vec![way("lines, slow, fast, slow")]);
        if r.way == FoundBy::Piece {
            form = form
                .with_piece(
                    "lines",
                    "Make these lines",
                    &[
                        ("from", for_a_piece(&r.from, Unit::Second)),
                        ("step", for_a_piece(&r.step, Unit::Second)),
                        ("count", for_a_piece(&r.count, Unit::One)),
                        ("seed", for_a_piece(&r.seed, Unit::One)),
                    ],
                )
                .group("", {
                    let mut looks = blind::fields("The numbers of good lines").to_vec();
                    looks.push(pairs::field(Names::Numbers, &r.first, &r.second));
                    looks
                })
                .drawn("lines")
                .group(
                    "The piece",
                    vec![
                        Field::number_at("before", &VALUE).named("Set before"),
                        Field::number_at("from", &VALUE)
                            .named("First line")
                            .needed(),
                        Field::number(&STEP).named("Step").needed(),
                        Field::number(&COUNT).named("Lines").needed(),
                        Field::number(&KEY)
                            .named("Key")
                            .hint("0 if the lines lie in order of their values."),
                    ],
                );
        } else {
            form = form.group(
                "",
                vec![Field::number_at("before", &VALUE).named("Set before")],
            );
            form = form.group("", own_fields(&VALUE)).large();
        }
        let lines = r
            .count
            .parse(Unit::One)
            .filter(|n| (5.0..=41.0).contains(n));
        if let (FoundBy::Piece, Some(n)) = (r.way, lines) {
            // OK because it lies between 5 and 41.
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            let measured = Measured::EvenLines {
                count: n.round() as usize,
                pitch_mm: LINES_PITCH_MM,
            };
            for look in ["first", "second"] {
                let says = format!("lines that keep their width, as the {look} look");
                form = form.with_photo(look.into(), says, measured);
            }
        }
        let corners = Field::yes_no(
            "corners",
            "Corners printed with the value in force: even, neither bulging nor thin?",
        )
        .when(r.way == FoundBy::Piece && context.adjusts_so_far > 0);
        form.group("", vec![corners, note_field()])
    }

    fn set_up(_: &PressureAdvanceReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        let ([low, high], _) = usual(context.printer.path);
        let path = match context.printer.path {
            FilamentPath::Direct => "A direct drive",
            FilamentPath::Tube => "A drive with a tube",
        };
        SetUp::new("Print the lines, and name those that keep their width where the speed changes.")
            .hint("Too little: thin after it gets fast, a bulge after it gets slow. Too much: the other way round.")
            .hint("The lines are numbered by their places; which value lies where is kept until you have looked twice.")
            .limit(format!(
                "{path} usually has {} to {}.",
                pen.plain_number(low, Unit::Second, 2),
                pen.plain(high, Unit::Second, 2)
            ))
            .hot(None, pen)
    }

    /// Formula: middle of the good lines, ± half of what they span and half a step; two looks.
    /// Source: handbook 2, section 9 (common practice, no published source).
    fn facts(
        r: &PressureAdvanceReadings,
        context: &Context,
    ) -> Result<Facts<PressureAdvanceFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let path = context.printer.path;
        let (range, default_step) = usual(path);
        let before = intake.may(&VALUE, "before", &r.before);
        super::snapshot::no_longer(&mut intake, "note", &r.note, MOST_NOTE);
        let own = PressureAdvanceFound {
            look: None,
            usual: range,
            path,
            best: None,
            corners_bad: false,
            note: note_shown(&r.note),
        };
        let (mut says, mut look) = (None, None);
        if r.way == FoundBy::Own {
            says = read_own(&mut intake, &VALUE, &r.best, r.outcome);
        } else {
            let from = intake.need(&VALUE, "from", &r.from);
            let step = intake.need(&STEP, "step", &r.step);
            let count = intake.need(&COUNT, "count", &r.count);
            let tiles = from.zip(step).zip(count).map(|((from, step), n)| Tiles {
                from,
                step,
                // OK because the limit keeps it between 3 and 41.
                #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
                count: n.round() as u32,
            });
            let typed = blind::Typed {
                seed: &r.seed,
                first: &r.first,
                second: &r.second,
                pairs: &r.pairs,
                names: Names::Numbers,
                shuffles: true,
            };
            look = blind::read(&mut intake, tiles, &typed);
        }
        intake.finish()?;
        let mut facts = Facts::new(Self::ID, Unit::Second, Verdict::MeasureAgain, own);
        facts.before = before;
        facts.own.look = look;
        let found = match (says, look.map(|l| (l.picked, l.tiles.step))) {
            (Some(OwnSays::NoneGood), _) => return Ok(facts.stopped(Cause::NoGoodValue)),
            (Some(OwnSays::Good(best)), _) => Some((best, of_a_step(default_step), default_step)),
            (
                _,
                Some((
                    Picked::Settled {
                        value, expanded, ..
                    },
                    step,
                )),
            ) => {
                // As fine as a profile takes it; 0 is a value, below it there is none.
                let value = ((value / 0.001).round() * 0.001).max(0.0);
                Some((value, expanded, expanded.max(step)))
            }
            _ => None,
        };
        let Some((best, expanded, limit)) = found else {
            return Ok(facts);
        };
        facts.own.best = Some(best);
        decide_against(&mut facts, "value", best, expanded, limit);
        // What is in force lies among lines that can't be told apart.
        if r.way == FoundBy::Piece && before.is_some_and(|b| (b - best).abs() <= expanded + 1e-9) {
            facts.verdict = Verdict::Pass;
            facts.after = None;
        }
        if facts.verdict == Verdict::Pass && r.way == FoundBy::Piece && context.adjusts_so_far > 0 {
            match r.corners {
                Answer::Open => {
                    let mut intake = Intake::new(&r.confirmed);
                    intake.count(
                        "corners",
                        "Print corners with the value in force, and say how they look.",
                    );
                    intake.finish()?;
                }
                Answer::No => {
                    facts.own.corners_bad = true;
                    facts.verdict = Verdict::MeasureAgain;
                }
                Answer::Yes => {}
            }
        }
        if facts.verdict == Verdict::Adjust
            && let Ok(set) = gcode::set_pressure_advance_s(best)
        {
            facts.commands = vec![set];
        }
        Ok(facts)
    }

    fn words(f: &Facts<PressureAdvanceFound>, pen: Pen) -> Words {
        let own = &f.own;
        let s = |v: f64| pen.plain(v, Unit::Second, 3);
        let mut w =
            Words::new("pressure advance").with_bands(f, pen, |_| "pressure advance".into());
        if let Some(look) = own.look {
            look.reasons(&mut w);
        } else {
            w.reasons.push("Found by prints of your own.".into());
        }
        let [low, high] = own.usual;
        if let Some(best) = own.best
            && !(low / 2.0..=high * 1.5).contains(&best)
        {
            w.reasons.push(format!(
                "{} is unusual for {}, {} to {}: look for slip, a loose tube, or a partial clog before you trust it.",
                s(best),
                match own.path {
                    FilamentPath::Direct => "a direct drive",
                    FilamentPath::Tube => "a drive with a tube",
                },
                pen.plain_number(low, Unit::Second, 2),
                s(high)
            ));
        }
        if !own.note.is_empty() {
            w.reasons.push(own.note.clone());
        }
        if f.cause.is_some() {
            return w.stop(
                "no value of the pressure advance gives a good line",
                "Then it isn’t this setting. Look for slip at the drive, play in the tube’s couplers, or a partial clog.",
            );
        }
        if own.corners_bad {
            w.settle =
                vec!["lines at the speed and temperature that parts are printed with".into()];
            return w.say(
                "Measure again: the corners don’t bear it out.",
                "Print the lines again at the speed and temperature that parts are printed with, then the corners.",
                "not settled, corners uneven",
                "Print the lines again; nothing is set.",
            );
        }
        match f.verdict {
            Verdict::Pass => {
                let was = f.before.map_or(String::new(), s);
                w.say(
                    format!("Pass: {was} stays."),
                    "Lines keep their width where the speed changes.",
                    was,
                    "Go on.",
                )
            }
            Verdict::Adjust => {
                let now = f.after.map_or(String::new(), s);
                w.rows.push(Row::new(
                    "pressure advance",
                    f.before.map(s),
                    Some(now.clone()),
                ));
                w.plain.push(PlainValue {
                    name: "pressure advance".into(),
                    value: for_a_profile(f.after.unwrap_or_default(), Unit::Second),
                });
                let line = moved(f.before.map(s), &now);
                w.say(
                    format!("Adjust: {line}."),
                    "Set it, then print the corners with it.",
                    line,
                    "Set it, print the corners with it, then close.",
                )
            }
            _ => match own.look {
                Some(look) => look.unsettled(w, "lines", Unit::Second, pen),
                None => unclear(w),
            },
        }
    }
}
