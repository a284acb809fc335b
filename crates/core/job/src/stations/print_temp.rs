//! Print temperature: a tower of bands, scored, to the plateau of good temperatures.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use utoipa::ToSchema;
use wattotherm_looks::{SCORE_U, Tower, TowerBand, tower};
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::plain;
use wattotherm_measure::{Pen, Unit, Verdict};
use wattotherm_printer::{NozzleMaterial, Parameter, Replacement, usual_print_c};

use super::search::{
    FoundBy, MOST_NOTE, OwnOutcome, OwnSays, decide_against, for_a_profile, from_trial, moved,
    note_field, note_shown, of_a_step, own_fields, read_own, unclear, way,
};
use super::{Answer, SetUp, Station, known};
use crate::context::{Context, IN_FORCE};
use crate::finding::{Cause, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form, Measured};
use crate::house::RuleId;

/// Print temperature of one filament.
pub struct PrintTemp;

/// What the customer needs more.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Wanted {
    /// A clean surface: the cool end of the plateau, strings count twice.
    #[default]
    Looks,
    /// Strength: the hot end of it, the bond counts twice.
    Strength,
}

/// A band of the tower, scored 0 (fails) to 4 (clean).
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct ScoredBand {
    /// Its temperature [°C].
    pub value: Entry,
    /// Bridge.
    pub bridge: Entry,
    /// Overhang.
    pub overhang: Entry,
    /// Strings.
    pub strings: Entry,
    /// Layer bond, snapped by hand.
    pub bond: Entry,
}

/// What is read off a tower.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct PrintTempReadings {
    /// Version of this shape: 2.
    pub version: u32,
    /// Temperature in force [°C]; blank if there is none.
    pub before: Entry,
    /// By a tower or by prints of one's own.
    pub way: FoundBy,
    /// What the customer needs more.
    pub wanted: Wanted,
    /// Bands of the tower.
    pub bands: Vec<ScoredBand>,
    /// Printed once more with the new value: as good as its band?
    pub again: Answer,
    /// Prints of one's own: the temperature that came out best [°C].
    pub best: Entry,
    /// How they went.
    pub outcome: OwnOutcome,
    /// In the technician's words.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What was found of the temperature.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PrintTempFound {
    wanted: Wanted,
    /// Scored bands [°C, 1] and what they show; none for prints of one's own.
    tower: Option<(Vec<TowerBand>, Tower)>,
    /// The temperature to set [°C].
    best: Option<f64>,
    state: State,
    ceiling_c: f64,
    note: String,
    /// Looks that stay poor all over the plateau, with the best score of each: temperature can't better them.
    #[serde(default)]
    left: Vec<(Shape, f64)>,
}

/// A look that layer and bore decide, once temperature is right.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Shape {
    Bridge,
    Overhang,
}

/// What the looks come to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum State {
    /// A plateau inside the tower, or prints of one's own that are good.
    Found,
    /// The best is the coolest band: cooler may be better.
    EndsCool,
    /// The best is the hottest band, and the hot end bears more.
    EndsHot,
    /// The print with the new value was not as good as its band.
    NotAgain,
    /// Prints of one's own don't show it.
    Unclear,
}

const TEMP: Limit = Limit::new(
    "best",
    "print temperature",
    Unit::Celsius,
    [150.0, 450.0, 170.0, 320.0],
    "filaments melt in this range",
);
const SCORE: Limit = Limit::new(
    "score",
    "score",
    Unit::One,
    [0.0, 4.0, 0.0, 4.0],
    "0 fails, 4 is clean",
);
/// From band to band [°C]. Common practice, no published source.
const STEP_C: f64 = 5.0;
/// Bands to begin with.
const BANDS: i32 = 5;
/// Bands that are read at most.
const MOST_BANDS: usize = 14;
/// A look that stays at this or below all over the plateau isn't the temperature's to better [1]. Common practice, no source.
const POOR: f64 = 2.0;
/// A best band below this is no good temperature [1]. Our own judgement.
const LEAST_GOOD: f64 = 2.0;

/// A look with this score or less fails its band [1]. Our own judgement.
const FAILS: f64 = 1.0;

/// How much each look counts: bridge, overhang, strings, bond.
const fn weights(wanted: Wanted) -> [f64; 4] {
    match wanted {
        Wanted::Looks => [1.0, 1.0, 2.0, 1.0],
        Wanted::Strength => [1.0, 1.0, 1.0, 2.0],
    }
}

/// What a score that is put together from so many is known to [1]: half a step either way, and as much again, since an eye
/// doesn't score alike twice (our own judgement).
fn own_u(w: [f64; 4]) -> f64 {
    let squares: f64 = w.iter().map(|w| w * w).sum();
    std::f64::consts::SQRT_2 * SCORE_U * squares.sqrt() / w.iter().sum::<f64>()
}

fn ceiling(context: &Context) -> f64 {
    context.ceiling().ceiling_c
}

/// Where a tower begins in the middle [°C]: what is in force, or what the material usually wants, moved by what was
/// fitted. Common practice, no published source: 5 to 10 K for an all-metal hot end after a lined one, and for steel after
/// brass.
fn middle_c(context: &Context) -> f64 {
    let material = context.filament.as_ref().map(|f| f.material.as_str());
    let usual = material.and_then(usual_print_c).unwrap_or(210.0);
    let fresh = |r: Replacement| context.replaced.contains(&r);
    let shifted = context.house.option(RuleId::AllMetalConversion).id == "shifted";
    let mut shift = 0.0;
    if shifted && fresh(Replacement::HeatBreakToAllMetal) {
        shift += STEP_C;
    }
    if fresh(Replacement::NozzleOtherMaterial) && context.printer.nozzle == NozzleMaterial::Steel {
        shift += STEP_C;
    }
    let begun = context.before.unwrap_or(usual) + shift;
    (begun / STEP_C).round() * STEP_C
}

fn blank(value: f64) -> ScoredBand {
    ScoredBand {
        value: known(Some(value), 1),
        ..ScoredBand::default()
    }
}

impl Station for PrintTemp {
    type Readings = PrintTempReadings;
    type Own = PrintTempFound;
    const ID: &'static str = "print_temp";
    const VERSION: u32 = 2;
    const SETTLES: &'static [Parameter] = &[Parameter::PrintTemp];
    const STAYS: &'static [&'static str] = &["way", "wanted", "bands", "best", "outcome", "note"];

    fn start(context: &Context) -> PrintTempReadings {
        let top = (ceiling(context) / STEP_C).floor() * STEP_C;
        let half = f64::from(BANDS / 2) * STEP_C;
        let hottest = (middle_c(context) + half).min(top);
        PrintTempReadings {
            before: known(context.before, 1),
            // The hottest stands below: what is printed first leaves nothing to cook.
            bands: (0..BANDS)
                .map(|i| blank(hottest - f64::from(i) * STEP_C))
                .collect(),
            ..PrintTempReadings::default()
        }
    }

    fn upgrade(_: u32, readings: Value) -> Value {
        from_trial(readings)
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let from = context.before.map(|_| ("before", IN_FORCE));
        from.into_iter().collect()
    }

    fn form(r: &PrintTempReadings, context: &Context) -> Form {
        let by_piece = r.way == FoundBy::Piece;
        let mut form = Form::default()
            .group("", vec![way("a tower of bands")])
            .group(
                "",
                vec![
                    Field::number_at("before", &TEMP).named("Set before"),
                    Field::choice(
                        "wanted",
                        "What does the customer need?",
                        &[("looks", "a clean surface"), ("strength", "strength")],
                    )
                    .when(by_piece),
                ],
            );
        if by_piece {
            let cell = |i: usize, name: &str, label: &str| {
                Field::number_at(format!("bands.{i}.{name}"), &SCORE).named(label)
            };
            let rows = (0..r.bands.len().min(MOST_BANDS)).flat_map(|i| {
                vec![
                    Field::number_at(format!("bands.{i}.value"), &TEMP).named("Band"),
                    cell(i, "bridge", "Bridge"),
                    cell(i, "overhang", "Overhang"),
                    cell(i, "strings", "Strings"),
                    cell(i, "bond", "Bond"),
                ]
            });
            let last = r.bands.last().and_then(|b| b.value.parse(Unit::Celsius));
            let next = last.map_or(String::new(), |c| plain(c - STEP_C, 1));
            let of = |i: usize| r.bands.get(i).and_then(|b| b.value.parse(Unit::Celsius));
            let step = of(0)
                .zip(of(1))
                .map_or(String::new(), |(a, b)| plain(b - a, 1));
            for (i, band) in r.bands.iter().take(MOST_BANDS).enumerate() {
                let at = band.value.parse(Unit::Celsius);
                form = form.with_photo(
                    format!("bands.{i}.strings"),
                    at.map_or_else(
                        || format!("strings of band {}", i + 1),
                        |c| {
                            format!(
                                "strings of band {}, {}",
                                i + 1,
                                context.house.pen.plain(c, Unit::Celsius, 0)
                            )
                        },
                    ),
                    Measured::StringsGood,
                );
            }
            form = form
                .with_piece(
                    "tower",
                    "Make this tower",
                    &[
                        ("from", of(0).map_or(String::new(), |c| plain(c, 1))),
                        ("step", step),
                        ("bands", r.bands.len().to_string()),
                    ],
                )
                .group("Bands, scored 0 (fails) to 4 (clean)", rows.collect())
                .table(5)
                .drawn("scores")
                .more(
                    "One more band",
                    "bands",
                    json!({"value": next, "bridge": "", "overhang": "", "strings": "", "bond": ""}),
                );
        } else {
            form = form.group("", own_fields(&TEMP)).large();
        }
        let again = Field::yes_no(
            "again",
            "Printed once more with the new value: as good as its band?",
        )
        .when(by_piece && context.adjusts_so_far > 0);
        form.group("", vec![again, note_field()])
    }

    fn set_up(_: &PrintTempReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        let top = ceiling(context);
        let up = SetUp::new(pen.text(
            "Print a tower in bands of {5 K}, score each, and take the plateau, not the peak.",
        ))
        .hint("The hottest band stands at the foot. Snap each band by hand for its bond, last of all.");
        let up = super::guide::guide(Parameter::PrintTemp, context)
            .iter()
            .fold(up, |up, hint| up.hint(pen.text(hint)));
        let up = if context.printer.nozzle == NozzleMaterial::Steel {
            up.hint(
                pen.text("A steel nozzle leads heat worse than brass: {5 to 10 K} more is usual."),
            )
        } else {
            up
        };
        up.rule(
            RuleId::AllMetalConversion,
            context,
            &format!(" No band above {}.", pen.plain(top, Unit::Celsius, 0)),
        )
        .hot(Some(middle_c(context).min(top)), pen)
    }

    /// Formula: weighted mean of the looks; plateau by [`tower`]; its cool end for looks, its hot end for strength. What is
    /// in force passes if it lies on the plateau.
    /// Source: handbook 2, section 7 (common practice, no published source); uncertainty of a score as JCGM 100:2008, 4.3.7.
    fn facts(
        r: &PrintTempReadings,
        context: &Context,
    ) -> Result<Facts<PrintTempFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let ceiling_c = ceiling(context);
        let before = intake.may(&TEMP, "before", &r.before);
        super::snapshot::no_longer(&mut intake, "note", &r.note, MOST_NOTE);
        let mut own = PrintTempFound {
            wanted: r.wanted,
            tower: None,
            best: None,
            state: State::Found,
            ceiling_c,
            note: note_shown(&r.note),
            left: Vec::new(),
        };
        let too_hot = |intake: &mut Intake<'_>, path: &str, c: Option<f64>| {
            if c.is_some_and(|c| c > ceiling_c + 0.01) {
                intake.conflict(
                    path,
                    format!(
                        "The hot end’s ceiling is {{{} °C}}. No print is made above it.",
                        plain(ceiling_c, 0)
                    ),
                );
            }
        };
        if r.way == FoundBy::Own {
            let says = read_own(&mut intake, &TEMP, &r.best, r.outcome);
            if let Some(OwnSays::Good(c)) = says {
                too_hot(&mut intake, "best", Some(c));
            }
            intake.finish()?;
            let mut facts = Facts::new(Self::ID, Unit::Celsius, Verdict::MeasureAgain, own);
            facts.before = before;
            match says {
                Some(OwnSays::Good(best)) => {
                    facts.own.best = Some(best);
                    decide_against(&mut facts, "value", best, of_a_step(STEP_C), STEP_C);
                }
                Some(OwnSays::NoneGood) => return Ok(facts.stopped(Cause::NoGoodValue)),
                _ => facts.own.state = State::Unclear,
            }
            return Ok(facts);
        }
        let mut bands = Vec::new();
        let mut failing = Vec::new();
        let mut shapes: Vec<(f64, [f64; 2])> = Vec::new();
        let w = weights(r.wanted);
        for (i, b) in r.bands.iter().take(MOST_BANDS).enumerate() {
            let looks = [&b.bridge, &b.overhang, &b.strings, &b.bond];
            let names = ["bridge", "overhang", "strings", "bond"];
            if looks.iter().all(|l| l.is_blank()) {
                intake.may(&TEMP, &format!("bands.{i}.value"), &b.value);
                continue;
            }
            let path = format!("bands.{i}.value");
            let value = intake.need(&TEMP, &path, &b.value);
            too_hot(&mut intake, &path, value);
            let scores: Vec<Option<f64>> = looks
                .iter()
                .zip(names)
                .map(|(l, name)| intake.need(&SCORE, &format!("bands.{i}.{name}"), l))
                .collect();
            let sum = scores
                .iter()
                .zip(w)
                .map(|(s, w)| s.map(|s| s * w))
                .sum::<Option<f64>>();
            if let (Some(value), Some(sum)) = (value, sum) {
                let score = sum / w.iter().sum::<f64>();
                if bands
                    .iter()
                    .any(|b: &TowerBand| (b.value - value).abs() < 0.5)
                {
                    intake.conflict(&path, "Two bands have the same temperature.");
                }
                bands.push(TowerBand { value, score });
                if let [Some(bridge), Some(overhang), ..] = scores[..] {
                    shapes.push((value, [bridge, overhang]));
                }
                if scores.iter().flatten().any(|s| *s <= FAILS) {
                    failing.push(value);
                }
            }
        }
        if r.bands.len() > MOST_BANDS {
            intake.count("bands", "A tower has at most fourteen bands.");
        }
        if bands.len() < 3 {
            intake.count("bands.0.bridge", "Score at least three bands.");
        }
        intake.finish()?;
        let Some((sorted, mut found)) = tower(&bands, own_u(w)) else {
            debug_assert!(false, "three bands of different temperatures have a tower");
            return Err(ReadingError::default());
        };
        // What fails one look is no good band, however good its other looks.
        let fails = |i: usize| failing.iter().any(|v| (v - sorted[i].value).abs() < 0.01);
        let good = |from: usize, to: usize| -> usize {
            let way: Vec<usize> = if from <= to {
                (from..=to).collect()
            } else {
                (to..=from).rev().collect()
            };
            way.into_iter()
                .take_while(|i| !fails(*i))
                .last()
                .unwrap_or(from)
        };
        found.plateau = found.plateau.map(|end| good(found.best, end));
        let at = |i: usize| sorted[i].value;
        let [low, high] = found.plateau.map(at);
        own.left = [Shape::Bridge, Shape::Overhang]
            .into_iter()
            .enumerate()
            .map(|(k, shape)| {
                let best = shapes
                    .iter()
                    .filter(|(c, _)| (low - 0.01..=high + 0.01).contains(c))
                    .map(|(_, s)| s[k])
                    .fold(0.0, f64::max);
                (shape, best)
            })
            .filter(|(_, best)| *best <= POOR)
            .collect();
        let (first, last) = (at(0), at(sorted.len() - 1));
        let step = (last - first) / f64::from(u32::try_from(sorted.len() - 1).unwrap_or(1));
        let top_score = found.predicted[found.best];
        let best = match r.wanted {
            Wanted::Looks => low,
            Wanted::Strength => high,
        };
        let on_plateau = |c: f64| (low - step / 2.0..=high + step / 2.0).contains(&c);
        let whole = found.plateau == [0, sorted.len() - 1];
        let ends_hot = found.best + 1 == sorted.len() && last + step <= ceiling_c + 0.01;
        own.tower = Some((sorted, found.clone()));
        own.best = Some(best);
        let mut facts = Facts::new(Self::ID, Unit::Celsius, Verdict::Pass, own);
        facts.before = before;
        facts.value_expanded = Some(of_a_step(step));
        if top_score < LEAST_GOOD {
            return Ok(facts.stopped(Cause::NoGoodValue));
        }
        let stays = before.is_some_and(on_plateau);
        if found.best == 0 && !whole && !stays {
            facts.own.state = State::EndsCool;
            facts.verdict = Verdict::MeasureAgain;
        } else if ends_hot && !whole && !stays {
            facts.own.state = State::EndsHot;
            facts.verdict = Verdict::MeasureAgain;
        } else if stays && context.adjusts_so_far > 0 && r.again != Answer::Yes {
            if r.again == Answer::Open {
                let mut intake = Intake::new(&r.confirmed);
                intake.count(
                    "again",
                    "Print once more with the new value, and say whether it is as good as its band.",
                );
                intake.finish()?;
            }
            facts.own.state = State::NotAgain;
            facts.verdict = Verdict::MeasureAgain;
        } else if !stays {
            facts.verdict = Verdict::Adjust;
            facts.after = Some(best);
        }
        Ok(facts)
    }

    fn words(f: &Facts<PrintTempFound>, pen: Pen) -> Words {
        let own = &f.own;
        let c = |v: f64| pen.plain(v, Unit::Celsius, 0);
        let mut w = Words::new("print temperature").with_bands(f, pen, |_| "temperature".into());
        if let Some((bands, found)) = &own.tower {
            for (i, band) in bands.iter().enumerate().rev() {
                let on = (found.plateau[0]..=found.plateau[1]).contains(&i);
                w.rows.push(Row::new(
                    c(band.value),
                    None,
                    Some(format!(
                        "scored {}, evened out {}{}",
                        plain(band.score, 2),
                        plain(found.predicted[i], 2),
                        if on { ", on the plateau" } else { "" }
                    )),
                ));
            }
            let [low, high] = found.plateau.map(|i| bands[i].value);
            w.reasons.push(format!(
                "Plateau: {} to {}. Bands within {} of the best can’t be told from it.",
                c(low),
                c(high),
                plain(found.expanded, 1)
            ));
            w.reasons
                .push("A band that fails one look, 0 or 1, is on no plateau.".into());
            w.reasons.push(
                match own.wanted {
                    Wanted::Looks => "Strings count twice; of a plateau the cool end is taken, for a clean surface.",
                    Wanted::Strength => "The bond counts twice; of a plateau the hot end is taken, for strength.",
                }
                .into(),
            );
            let chosen = bands
                .iter()
                .position(|b| own.best.is_some_and(|c| (b.value - c).abs() < 0.01));
            if let Some(worse) = chosen.map(|i| found.worse[i]).filter(|w| *w > 0.0) {
                w.reasons.push(format!(
                    "What is taken scores at most {} worse than the best.",
                    plain(worse, 1)
                ));
            }
            if !found.curve {
                w.reasons.push(
                    "No smooth curve fits these scores: each band is judged with its neighbours alone.".into(),
                );
            }
        } else {
            w.reasons.push(format!(
                "Found by prints of your own, in steps of {}.",
                pen.plain(STEP_C, Unit::Kelvin, 0)
            ));
        }
        for (shape, best) in &own.left {
            w.reasons.push(format!(
                "{} score at most {} all over the plateau: temperature doesn’t better them. Print with a finer layer next; if that isn’t enough, with a smaller bore.",
                match shape {
                    Shape::Bridge => "Bridges",
                    Shape::Overhang => "Overhangs",
                },
                plain(*best, 1)
            ));
        }
        if !own.note.is_empty() {
            w.reasons.push(own.note.clone());
        }
        if f.cause.is_some() {
            return w.stop(
                "no temperature gives a good print",
                "Then it isn’t the temperature. Look at the filament (wet, or another material than it says), the part fan, and for a partial clog.",
            );
        }
        let end = |bands: &[TowerBand], hot: bool| {
            let of = if hot { bands.last() } else { bands.first() };
            of.map_or(String::new(), |b| c(b.value))
        };
        if let (State::EndsCool | State::EndsHot, Some((bands, _))) = (own.state, &own.tower) {
            let hot = own.state == State::EndsHot;
            let way = if hot { "hotter" } else { "cooler" };
            let mut settle = format!("two more bands, {way}");
            if hot {
                settle += &format!(", none above {}", c(own.ceiling_c));
            }
            w.settle = vec![settle.clone()];
            return w.say(
                format!(
                    "Measure again: the best band is the {} one, {}.",
                    if hot { "hottest" } else { "coolest" },
                    end(bands, hot)
                ),
                format!("The plateau may go on beyond. Print {settle}."),
                "not settled, the tower ends",
                "Print the bands that are missing; nothing is set.",
            );
        }
        match (own.state, f.verdict) {
            (State::NotAgain, _) => {
                w.settle = vec!["the tower once more, with dry filament".into()];
                w.say(
                    "Measure again: the print isn’t as good as its band was.",
                    "Something else changed between both prints: the filament took up water, the fan, the speed. Find it, then print the tower once more.",
                    "not settled",
                    "Print the tower once more; nothing is set.",
                )
            }
            (State::Unclear, _) => unclear(w),
            (_, Verdict::Pass) => {
                let was = f.before.map_or(String::new(), c);
                w.say(
                    format!("Pass: {was} stays."),
                    "It lies among the good ones.",
                    was,
                    "Go on.",
                )
            }
            (_, Verdict::Adjust) => {
                let now = f.after.map_or(String::new(), c);
                w.rows.insert(
                    0,
                    Row::new("print temperature", f.before.map(c), Some(now.clone())),
                );
                w.plain.push(PlainValue {
                    name: "print temperature".into(),
                    value: for_a_profile(f.after.unwrap_or_default(), Unit::Celsius),
                });
                let line = moved(f.before.map(c), &now);
                w.say(
                    format!("Adjust: {line}."),
                    "Put it into the filament’s profile, then print once more with it.",
                    line,
                    "Set it, print once more with it, then close.",
                )
            }
            _ => {
                w.settle = vec!["bands in half the step about both values".into()];
                w.say(
                    "Measure again: old and new value can’t be told apart in these steps.",
                    "Print bands in half the step about both values.",
                    "not settled",
                    "Print the bands; nothing is set.",
                )
            }
        }
    }
}
