//! Volumetric limit: what comes out at rising flow, and where it begins to fall short.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use utoipa::ToSchema;
use wattotherm_looks::{BrokenLine, broken_line};
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, plain};
use wattotherm_measure::{Instrument, InstrumentKind, Pen, Unit, Verdict, default_instruments};
use wattotherm_printer::Parameter;

use super::flow::density_g_cm3;
use super::search::{
    FoundBy, MOST_NOTE, OwnOutcome, OwnSays, decide_against, for_a_piece, for_a_profile,
    from_trial, moved, note_field, note_shown, of_a_step, own_fields, read_own, unclear,
};
use super::{SetUp, Station, known, print_temp_c};
use crate::context::{Context, IN_FORCE};
use crate::finding::{Cause, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form};

/// Volumetric limit of one filament.
pub struct VolumetricLimit;

/// How what came out is measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Delivered {
    /// Each heap on a balance.
    #[default]
    Weighed,
    /// What went in, from a mark above the inlet.
    AtInlet,
}

/// A rung of the ladder.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct Rung {
    /// Flow asked for [mm³/s].
    pub flow: Entry,
    /// What came: grams of the heap, or millimetres that went in.
    pub got: Entry,
}

/// What is read off a ladder.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct VolumetricLimitReadings {
    /// Version of this shape: 2.
    pub version: u32,
    /// Limit in force [mm³/s]; blank if there is none.
    pub before: Entry,
    /// By a ladder or by prints of one's own.
    pub way: FoundBy,
    /// Weighed, or measured at the inlet.
    pub delivered: Delivered,
    /// Instrument, by id.
    pub instrument: String,
    /// Filament fed into each heap [mm].
    pub feed: Entry,
    /// Density of the filament [g/cm³], where heaps are weighed.
    pub density: Entry,
    /// Temperature of the ladder [°C].
    pub temp: Entry,
    /// What the seller claims [mm³/s]; blank if nothing.
    pub claimed: Entry,
    /// The ladder.
    pub rungs: Vec<Rung>,
    /// Prints of one's own: the limit that came out [mm³/s].
    pub best: Entry,
    /// How they went.
    pub outcome: OwnOutcome,
    /// In the technician's words.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What the ladder shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum State {
    /// A plateau and a fall.
    Found,
    /// No fall up to the last rung.
    NeverFalls,
    /// It falls from the first rung on.
    FallsAtOnce,
    /// The limit is known too coarsely.
    Coarse,
    /// Prints of one's own don't show it.
    Unclear,
}

/// What was found of the limit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct VolumetricLimitFound {
    /// Flow asked for [mm³/s] and the share of it that came, a rung each.
    ladder: Vec<(f64, f64)>,
    line: Option<BrokenLine>,
    /// What is set: 85 % of where it fell [mm³/s].
    best: Option<f64>,
    /// The level of the plateau, where it isn't what was fed [1].
    level: Option<f64>,
    temp_c: Option<f64>,
    claimed: Option<f64>,
    instrument: Option<Instrument>,
    state: State,
    note: String,
}

const FLOW: Limit = Limit::new(
    "best",
    "volumetric limit",
    Unit::Mm3PerS,
    [0.5, 100.0, 2.0, 60.0],
    "hot ends melt this much",
);
const GRAMS: Limit = Limit::new(
    "got",
    "heap",
    Unit::Gram,
    [0.005, 20.0, 0.02, 5.0],
    "a heap weighs a fraction of a gram to a few grams",
);
const INLET: Limit = Limit::new(
    "got",
    "fed",
    Unit::Mm,
    [0.5, 600.0, 5.0, 300.0],
    "it is what went in, from the mark",
);
const FEED: Limit = Limit::new(
    "feed",
    "fed a heap",
    Unit::Mm,
    [10.0, 500.0, 20.0, 300.0],
    "a short feed can’t be measured, a long one is a clew",
);
const DENSITY: Limit = Limit::new(
    "density",
    "density",
    Unit::GramPerCm3,
    [0.3, 8.0, 0.8, 4.0],
    "filaments lie between foamed and metal-filled",
);
const TEMP: Limit = Limit::new(
    "temp",
    "temperature",
    Unit::Celsius,
    [150.0, 450.0, 170.0, 320.0],
    "filaments melt in this range",
);

/// Where delivery counts as fallen, below the plateau [1]. Source: handbook 2, section 6; common practice.
const SHARE: f64 = 0.05;
/// Of where it fell, what is set [1]. Source: the same.
const USED: f64 = 0.85;
/// A limit in force is right within this share of the one found [1]. Our own judgement.
const NEAR: f64 = 0.10;
/// A plateau beyond this share off what was fed isn't melt, it is the drive [1].
const LEVEL_OFF: f64 = 0.10;
/// Cross-section of filament of 1.75 mm [mm²].
const FILAMENT_MM2: f64 = 2.405;
/// Rungs to begin with, and at most.
const RUNGS: u32 = 8;
const MOST_RUNGS: usize = 30;

fn kind_of(delivered: Delivered) -> &'static [InstrumentKind] {
    match delivered {
        Delivered::Weighed => &[InstrumentKind::Balance],
        Delivered::AtInlet => &[InstrumentKind::Rule, InstrumentKind::Caliper],
    }
}

fn instrument_for(r: &VolumetricLimitReadings, context: &Context) -> Instrument {
    let kinds = kind_of(r.delivered);
    let own = &context.house.instruments;
    own.iter()
        .find(|i| i.id == r.instrument && kinds.contains(&i.kind))
        .or_else(|| own.iter().find(|i| kinds.contains(&i.kind)))
        .cloned()
        .or_else(|| {
            default_instruments()
                .into_iter()
                .find(|i| kinds.contains(&i.kind))
        })
        .unwrap_or_else(|| default_instruments().swap_remove(0))
}

impl Station for VolumetricLimit {
    type Readings = VolumetricLimitReadings;
    type Own = VolumetricLimitFound;
    const ID: &'static str = "volumetric_limit";
    const VERSION: u32 = 2;
    const SETTLES: &'static [Parameter] = &[Parameter::VolumetricLimit];
    const STAYS: &'static [&'static str] = &[
        "way",
        "delivered",
        "instrument",
        "feed",
        "density",
        "temp",
        "claimed",
        "rungs",
        "best",
        "outcome",
        "note",
    ];

    fn start(context: &Context) -> VolumetricLimitReadings {
        let density = context
            .filament
            .as_ref()
            .and_then(|f| density_g_cm3(&f.material));
        VolumetricLimitReadings {
            before: known(context.before, 2),
            instrument: "balance".into(),
            feed: known(Some(200.0), 0),
            density: known(density, 2),
            temp: known(Some(print_temp_c(context)), 0),
            rungs: (0..RUNGS)
                .map(|i| Rung {
                    flow: known(Some(4.0 + 2.0 * f64::from(i)), 1),
                    got: Entry::default(),
                })
                .collect(),
            ..VolumetricLimitReadings::default()
        }
    }

    fn upgrade(_: u32, readings: Value) -> Value {
        from_trial(readings)
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let from = context.before.map(|_| ("before", IN_FORCE));
        from.into_iter().collect()
    }

    fn form(r: &VolumetricLimitReadings, _: &Context) -> Form {
        let way = super::search::way("a ladder of flows");
        let before = Field::number_at("before", &FLOW).named("Set before");
        if r.way == FoundBy::Own {
            return Form::default()
                .group("", vec![way])
                .group("", vec![before])
                .group("", own_fields(&FLOW))
                .large()
                .group("", vec![note_field()]);
        }
        let weighed = r.delivered == Delivered::Weighed;
        let (limit, label) = if weighed {
            (&GRAMS, "Heap")
        } else {
            (&INLET, "Went in")
        };
        let rows = (0..r.rungs.len().min(MOST_RUNGS)).flat_map(|i| {
            [
                Field::number_at(format!("rungs.{i}.flow"), &FLOW).named("Flow"),
                Field::number_at(format!("rungs.{i}.got"), limit).named(label),
            ]
        });
        let last = r.rungs.last().and_then(|x| x.flow.parse(Unit::Mm3PerS));
        let next = last.map_or(String::new(), |v| plain(v + 2.0, 1));
        let first = r.rungs.first().and_then(|x| x.flow.parse(Unit::Mm3PerS));
        let step = first
            .zip(r.rungs.get(1).and_then(|x| x.flow.parse(Unit::Mm3PerS)))
            .map_or(String::new(), |(a, b)| plain(b - a, 2));
        Form::default()
            .with_piece(
                "ladder",
                "Make this ladder",
                &[
                    ("from", first.map_or(String::new(), |v| plain(v, 2))),
                    ("step", step),
                    ("count", r.rungs.len().min(14).to_string()),
                    ("feed", for_a_piece(&r.feed, Unit::Mm)),
                    ("nozzle", for_a_piece(&r.temp, Unit::Celsius)),
                ],
            )
            .group(
                "",
                vec![
                    way,
                    Field::choice(
                        "delivered",
                        "What came is",
                        &[
                            ("weighed", "weighed, heap by heap"),
                            ("at_inlet", "measured at the inlet"),
                        ],
                    )
                    .sets("weighed", "instrument", "balance")
                    .sets("at_inlet", "instrument", "steel_rule"),
                ],
            )
            .group("The ladder", rows.collect())
            .table(2)
            .drawn_beside("ladder")
            .more("One more rung", "rungs", json!({"flow": next, "got": ""}))
            .group(
                "",
                [
                    Some(Field::number(&FEED).named("Fed a heap").needed()),
                    weighed.then(|| Field::number(&DENSITY).named("Density").needed()),
                    Some(Field::number(&TEMP).named("At").needed()),
                    Some(Field::number_at("claimed", &FLOW).named("Claimed by the seller")),
                    Some(before),
                    Some(Field::instrument(kind_of(r.delivered))),
                ]
                .into_iter()
                .flatten()
                .collect(),
            )
            .group("", vec![note_field()])
    }

    fn set_up(_: &VolumetricLimitReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        SetUp::new("Feed the same length at rising flow, into heaps apart, and weigh each.")
            .hint("Delivery holds at first, then falls: the hot end melts no faster. Go on two rungs beyond the fall.")
            .hint(pen.text("At the inlet a longer feed tells more: {200 mm} and a mark."))
            .limit(format!(
                "The limit is where delivery is {} % below the plateau; {} % of it is set.",
                plain(100.0 * SHARE, 0),
                plain(100.0 * USED, 0)
            ))
            .hot(Some(print_temp_c(context)), pen)
    }

    /// Formula: share = grams/(feed·area·density) or fed/feed; plateau and fall by [`broken_line`]; set = 85 % of where it
    /// is 5 % below the plateau, U of it from the fit's interval.
    /// Source: handbook 2, section 6 (common practice, no published source); Hudson 1966 for the fit.
    fn facts(
        r: &VolumetricLimitReadings,
        context: &Context,
    ) -> Result<Facts<VolumetricLimitFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let before = intake.may(&FLOW, "before", &r.before);
        super::snapshot::no_longer(&mut intake, "note", &r.note, MOST_NOTE);
        let mut own = VolumetricLimitFound {
            ladder: Vec::new(),
            line: None,
            best: None,
            level: None,
            temp_c: None,
            claimed: None,
            instrument: None,
            state: State::Found,
            note: note_shown(&r.note),
        };
        if r.way == FoundBy::Own {
            let says = read_own(&mut intake, &FLOW, &r.best, r.outcome);
            intake.finish()?;
            let mut facts = Facts::new(Self::ID, Unit::Mm3PerS, Verdict::MeasureAgain, own);
            facts.before = before;
            match says {
                Some(OwnSays::Good(best)) => {
                    facts.own.best = Some(best);
                    decide_against(&mut facts, "value", best, of_a_step(1.0), 1.0);
                }
                Some(OwnSays::NoneGood) => return Ok(facts.stopped(Cause::NoGoodValue)),
                _ => facts.own.state = State::Unclear,
            }
            return Ok(facts);
        }
        let weighed = r.delivered == Delivered::Weighed;
        let feed = intake.need(&FEED, "feed", &r.feed);
        let density = if weighed {
            intake.need(&DENSITY, "density", &r.density)
        } else {
            Some(0.0)
        };
        own.temp_c = intake.need(&TEMP, "temp", &r.temp);
        own.claimed = intake.may(&FLOW, "claimed", &r.claimed);
        let (limit, whole) = if weighed {
            // What should lie on the balance [g].
            let whole = feed
                .zip(density)
                .map(|(f, d)| f * FILAMENT_MM2 * d / 1_000.0);
            (&GRAMS, whole)
        } else {
            (&INLET, feed)
        };
        for (i, rung) in r.rungs.iter().take(MOST_RUNGS).enumerate() {
            let path = format!("rungs.{i}.flow");
            if rung.got.is_blank() {
                intake.may(&FLOW, &path, &rung.flow);
                continue;
            }
            let flow = intake.need(&FLOW, &path, &rung.flow);
            let got = intake.need(limit, &format!("rungs.{i}.got"), &rung.got);
            if let (Some(flow), Some(got), Some(whole)) = (flow, got, whole) {
                own.ladder.push((flow, got / whole));
            }
        }
        if r.rungs.len() > MOST_RUNGS {
            intake.count("rungs", "Thirty rungs are enough.");
        }
        if own.ladder.len() < 4 {
            intake.count(
                "rungs.0.got",
                "Read at least four rungs, the last ones beyond the fall.",
            );
        }
        intake.finish()?;
        own.ladder.sort_by(|a, b| a.0.total_cmp(&b.0));
        let instrument = instrument_for(r, context);
        // One heap on the balance, or a mark and a rest at the inlet.
        let each = if weighed { 1.0 } else { 2.0_f64.sqrt() };
        let whole = whole.unwrap_or(1.0);
        let u =
            each * instrument.half_width.max(instrument.shared_half_width) / 3.0_f64.sqrt() / whole;
        let (x, y): (Vec<f64>, Vec<f64>) = own.ladder.iter().copied().unzip();
        let line = broken_line(&x, &y, SHARE, u.max(0.002));
        own.instrument = Some(instrument);
        let level = line.map_or_else(
            || y.iter().sum::<f64>() / f64::from(u32::try_from(y.len()).unwrap_or(1)),
            |l| l.level,
        );
        own.level = ((level - 1.0).abs() > LEVEL_OFF).then_some(level);
        own.line = line;
        let mut facts = Facts::new(Self::ID, Unit::Mm3PerS, Verdict::MeasureAgain, own);
        facts.before = before;
        // At the inlet there is no density to doubt: what doesn't go in is the drive.
        if !weighed && facts.own.level.is_some() && line.is_none_or(|l| l.breaks > x[0]) {
            facts.send_back = Some("drive".into());
            return Ok(facts.stopped(Cause::FeedUnexplained));
        }
        let last = x.last().copied().unwrap_or_default();
        match line {
            None => {
                facts.own.state = State::NeverFalls;
                // Whatever the limit is, what is in force lies below it.
                if before.is_some_and(|b| b <= USED * last) {
                    facts.verdict = Verdict::Pass;
                }
            }
            // Of a plateau there are two rungs, or there is none.
            Some(l) if x.iter().filter(|q| **q <= l.breaks + 1e-9).count() < 2 => {
                facts.own.state = State::FallsAtOnce;
            }
            Some(l) => {
                let best = (USED * l.at * 10.0).round() / 10.0;
                let expanded = USED * (l.at - l.within[0]).max(l.within[1] - l.at);
                facts.own.best = Some(best);
                let near = NEAR * best;
                if before.is_none() && expanded > near {
                    facts.value_expanded = Some(expanded);
                } else {
                    decide_against(&mut facts, "limit", best, expanded, near);
                }
                if facts.verdict == Verdict::MeasureAgain {
                    facts.own.state = State::Coarse;
                }
            }
        }
        Ok(facts)
    }

    fn words(f: &Facts<VolumetricLimitFound>, pen: Pen) -> Words {
        let own = &f.own;
        let q = |v: f64| pen.plain(v, Unit::Mm3PerS, 1);
        let mut w = Words::new("volumetric limit").with_bands(f, pen, |_| "limit to set".into());
        for (flow, share) in &own.ladder {
            w.rows.push(Row::new(
                format!("at {}", q(*flow)),
                None,
                Some(format!("{} % came", plain(100.0 * share, 1))),
            ));
        }
        let at = own.temp_c.map_or(String::new(), |c| {
            format!(" at {}", pen.plain(c, Unit::Celsius, 0))
        });
        if let Some(l) = &own.line {
            let half = (l.at - l.within[0]).max(l.within[1] - l.at);
            w.reasons.push(format!(
                "Delivery is 5 % below its plateau at {} ±{}{at}; 85 % of that is {}.",
                q(l.at),
                plain(half, 1),
                q(USED * l.at)
            ));
            if let Some(claimed) = own.claimed {
                let found = format!("{} ±{}{at}", q(l.at), plain(half, 1));
                w.reasons.push(if claimed > l.within[1] {
                    format!(
                        "Claimed {}, found {found}{}: the claim may be for another nozzle, filament or temperature.",
                        q(claimed),
                        if claimed > 2.0 * l.at { ", less than half" } else { "" }
                    )
                } else {
                    format!("Claimed {}, found {found}: the claim holds.", q(claimed))
                });
            }
        }
        if let Some(i) = &own.instrument {
            w.reasons.push(format!(
                "{}, read with {}.",
                count(own.ladder.len(), "rung", "rungs"),
                i.describe(pen)
            ));
        }
        if let Some(level) = own.level.filter(|_| f.cause.is_none()) {
            w.reasons.push(format!(
                "The plateau itself is {} % of what was fed: density, diameter, or the drive’s steps are off. The limit doesn’t hang on it.",
                plain(100.0 * level, 0)
            ));
        }
        if own.ladder.is_empty() {
            w.reasons.push("Found by prints of your own.".into());
        }
        if !own.note.is_empty() {
            w.reasons.push(own.note.clone());
        }
        match f.cause {
            Some(Cause::FeedUnexplained) => {
                return w.stop(
                    &format!(
                        "at the slowest rungs {} % of what was fed went in",
                        plain(100.0 * own.level.unwrap_or(1.0), 0)
                    ),
                    "That isn’t melt running short: the drive feeds another length than it is told. Find its steps first.",
                );
            }
            Some(_) => {
                return w.stop(
                    "no flow gives a good print",
                    "Then it isn’t the limit. Look for a partial clog, slip at the drive, or a gap above the nozzle.",
                );
            }
            None => {}
        }
        let last = own.ladder.last().map_or(String::new(), |(v, _)| q(*v));
        match (own.state, f.verdict) {
            (State::NeverFalls, Verdict::Pass) => {
                let was = f.before.map_or(String::new(), q);
                w.say(
                    format!("Pass: {was} stays."),
                    format!(
                        "Delivery holds up to {last}. More may be had: go on with rungs above it."
                    ),
                    format!("{was}, holds to {last}"),
                    "Go on, or print rungs above the last.",
                )
            }
            (State::NeverFalls, _) => {
                w.settle = vec![format!("rungs above {last}")];
                w.say(
                    format!("Measure again: delivery holds up to {last}."),
                    format!("The limit lies beyond. Print rungs above {last}."),
                    format!("above {last}"),
                    "Print higher rungs; nothing is set.",
                )
            }
            (State::FallsAtOnce, _) => {
                let first = own.ladder.first().map_or(String::new(), |(v, _)| q(*v));
                w.settle = vec![format!("three rungs below {first}")];
                w.say(
                    format!("Measure again: it falls from {first} on."),
                    format!("There is no plateau to fall from. Print three rungs below {first}; if it falls there too, look for a partial clog or too cold a nozzle."),
                    "not settled, no plateau",
                    "Print lower rungs; nothing is set.",
                )
            }
            (State::Unclear, _) => unclear(w),
            (_, Verdict::Pass) => {
                let was = f.before.map_or(String::new(), q);
                w.say(
                    format!("Pass: {was} stays."),
                    "It is what this hot end melts, with room to spare.",
                    was,
                    "Go on.",
                )
            }
            (_, Verdict::Adjust) => {
                let now = f.after.map_or(String::new(), q);
                w.rows.insert(
                    0,
                    Row::new("volumetric limit", f.before.map(q), Some(now.clone())),
                );
                w.plain.push(PlainValue {
                    name: "volumetric limit".into(),
                    value: for_a_profile(f.after.unwrap_or_default(), Unit::Mm3PerS),
                });
                let line = moved(f.before.map(q), &now);
                w.say(
                    format!("Adjust: {line}."),
                    "Put it into the filament’s profile: speeds follow from it.",
                    line,
                    "Set it, then close.",
                )
            }
            _ => {
                let expanded = f.value_expanded.unwrap_or_default();
                w.settle = vec![
                    "rungs in half the step about the fall".into(),
                    "a longer feed for each".into(),
                ];
                w.say(
                    format!(
                        "Measure again: {} ±{} is too coarse.",
                        own.best.map_or(String::new(), q),
                        plain(expanded, 1)
                    ),
                    "Print rungs in half the step about the fall, or feed a longer piece into each.",
                    "not settled",
                    "Print finer rungs; nothing is set.",
                )
            }
        }
    }
}
