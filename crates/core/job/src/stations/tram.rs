//! Tram: the bed's plane, and how far to turn each screw.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::{
    CONFIDENCE, Combined, Instrument, InstrumentKind, LeastSquares, Pen, SettleOption, Unit,
    Verdict, expanded_one_sided, least_squares, u_rectangular, what_would_settle,
};
use wattotherm_printer::{Fitted, Parameter, ScrewThread};

use super::set_up::tolerance;
use super::{SetUp, Station};
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form};
use crate::house::ToleranceId;

/// The bed's plane.
pub struct Tram;

/// What a height reading means.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HeightSense {
    /// Gap between nozzle and bed: more is farther.
    #[default]
    Gap,
    /// Height of the bed, by probe or dial: more is closer.
    BedHeight,
}

/// What turning a screw clockwise, seen from above, does.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Clockwise {
    /// It compresses the spring and lowers the bed: the common arrangement.
    #[default]
    Lowers,
    /// It raises the bed.
    Raises,
}

/// A place where the height was read.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct HeightPoint {
    /// Name, e.g. "front left".
    pub name: String,
    /// Position from the bed's left edge [mm].
    pub x_mm: Entry,
    /// Position from the bed's front edge [mm].
    pub y_mm: Entry,
    /// Reading [mm].
    pub z_mm: Entry,
    /// Whether a screw sits here.
    pub screw: bool,
}

/// What is typed at the tram.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct TramReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// What a reading means.
    pub sense: HeightSense,
    /// What clockwise does.
    pub clockwise: Clockwise,
    /// The screws' thread.
    pub thread: ScrewThread,
    /// Instrument, by id.
    pub instrument: String,
    /// Places read; at least three of them screws.
    pub points: Vec<HeightPoint>,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

const PLACE: Limit = Limit::new(
    "x_mm",
    "position",
    Unit::Mm,
    [0.0, 2_000.0, 0.0, 2_000.0],
    "positions are counted from the bed’s front left corner",
);
/// What heights of a bed that was trammed once may differ by [mm].
const HEIGHT_OFF_MM: f64 = 0.3;
const HEIGHT: Limit = Limit::new(
    "z_mm",
    "height",
    Unit::Mm,
    [-20.0, 20.0, -5.0, 5.0],
    "a bed that far off isn’t trammed by its screws",
);

/// Places read at most.
const MOST_PLACES: usize = 100;
/// Longest name of a place.
const MOST_NAME: usize = 40;

/// What the plane leaves over.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
enum Warp {
    Twisted,
    Hollow,
    Domed,
}

/// What would settle it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
enum Way {
    With(Instrument),
    /// The mean of so many readings, with an instrument of this half width [mm].
    Repeat(f64, f64),
}

/// One screw.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Screw {
    name: String,
    /// The plane's height there less the mean over the screws [mm].
    up_mm: f64,
    /// Turns clockwise, seen from above.
    turns: f64,
}

/// What was found of the bed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TramFound {
    places: usize,
    instrument: Option<Instrument>,
    /// Half width of a reading [mm].
    half_width_mm: f64,
    /// Pitch of the screws [mm].
    #[serde(default = "coarse_pitch")]
    pitch_mm: f64,
    screws: Vec<Screw>,
    /// Most that the plane leaves over [mm], and its shape; none with three places.
    warp: Option<(f64, Warp)>,
    worst_mm: f64,
    limit_mm: f64,
    settle: Vec<Way>,
}

/// Turns beyond which a screw runs out of thread or spring. Common practice, no published source.
const MOST_TURNS: f64 = 4.0;

struct Height {
    name: String,
    x: f64,
    y: f64,
    /// Height of the bed, up positive [mm].
    up: f64,
    screw: bool,
}

fn read(readings: &TramReadings) -> Result<Vec<Height>, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let mut heights = Vec::new();
    if readings.points.len() > MOST_PLACES {
        intake.count("points", "A hundred places are enough. Remove some.");
    }
    let mut named = Vec::new();
    for (i, p) in readings.points.iter().take(MOST_PLACES).enumerate() {
        let x = intake.need(&PLACE, &format!("points.{i}.x_mm"), &p.x_mm);
        let y = intake.need(&PLACE, &format!("points.{i}.y_mm"), &p.y_mm);
        let z = intake.need(&HEIGHT, &format!("points.{i}.z_mm"), &p.z_mm);
        named.extend(z.map(|z| (format!("points.{i}.z_mm"), z)));
        if let (Some(x), Some(y), Some(z)) = (x, y, z) {
            let up = match readings.sense {
                HeightSense::Gap => -z,
                HeightSense::BedHeight => z,
            };
            heights.push(Height {
                name: name_of(i, p),
                x,
                y,
                up,
                screw: p.screw,
            });
        }
    }
    if readings.points.iter().filter(|p| p.screw).count() < 3 {
        intake.count(
            "points",
            "Read the height at three screws or more: three points make a plane.",
        );
    }
    intake.ask_outliers(&HEIGHT, &named, HEIGHT_OFF_MM);
    intake.finish()?;
    Ok(heights)
}

/// How finely screws are turned.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Finest {
    /// Eighths of a turn.
    Eighth,
    /// Sixteenths.
    Sixteenth,
    /// Five degrees.
    FiveDegrees,
}

impl Finest {
    /// Steps of one turn [no unit].
    const fn parts(self) -> f64 {
        match self {
            Self::Eighth => 8.0,
            Self::Sixteenth => 16.0,
            Self::FiveDegrees => 72.0,
        }
    }

    /// The coarsest that still brings a bed inside `limit_mm` [mm] on screws of this pitch [mm]: two screws rounded
    /// by half a step each, opposite ways, may use up a quarter of the limit.
    #[must_use]
    pub fn for_limit(limit_mm: f64, pitch_mm: f64) -> Self {
        [Self::Eighth, Self::Sixteenth]
            .into_iter()
            .find(|f| pitch_mm / f.parts() <= limit_mm / 4.0)
            .unwrap_or(Self::FiveDegrees)
    }
}

/// A turn of a screw as one says it at the bench: "a quarter turn clockwise".
#[must_use]
pub fn turn_in_words(turns_clockwise: f64, finest: Finest) -> String {
    let way = if turns_clockwise > 0.0 {
        "clockwise"
    } else {
        "anticlockwise"
    };
    let parts = finest.parts();
    let steps = (turns_clockwise.abs() * parts).round();
    if steps < 1.0 {
        return "leave it".into();
    }
    let eighths = steps * 8.0 / parts;
    if eighths.fract() > 1e-9 {
        let turns = steps / parts;
        let (whole, rest) = (turns.floor(), turns.fract());
        let part = if finest == Finest::Sixteenth {
            format!("{:.0}/16", rest * 16.0)
        } else {
            format!("{:.0}°", rest * 360.0)
        };
        return match (whole < 1.0, finest) {
            (true, Finest::Sixteenth) => format!("{part} of a turn {way}"),
            (true, _) => format!("{part} {way}"),
            (false, _) if whole < 2.0 => format!("one turn and {part} {way}"),
            (false, _) => format!("{whole:.0} turns and {part} {way}"),
        };
    }
    let whole = (eighths / 8.0).floor();
    // OK because a rest of 0 to 7.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let rest = (eighths - 8.0 * whole) as u8;
    let fraction = match rest {
        0 => "",
        1 => "⅛",
        2 => "¼",
        3 => "⅜",
        4 => "½",
        5 => "⅝",
        6 => "¾",
        _ => "⅞",
    };
    let amount = match (whole < 1.0, rest) {
        (true, 1) => "an eighth of a turn".into(),
        (true, 2) => "a quarter turn".into(),
        (true, 4) => "half a turn".into(),
        (true, 6) => "three quarters of a turn".into(),
        (true, _) => format!("{fraction} of a turn"),
        (false, 0) if whole < 2.0 => "one turn".into(),
        (false, 0) => format!("{whole:.0} turns"),
        (false, _) => format!("{whole:.0}{fraction} turns"),
    };
    format!("{amount} {way}")
}

/// What shape the plane leaves over.
fn warp_of(heights: &[Height], residuals: &[f64]) -> Warp {
    let n = heights.len();
    // OK because there are at most 100 points.
    #[allow(clippy::cast_precision_loss)]
    let count = n as f64;
    let (cx, cy) = heights
        .iter()
        .fold((0.0, 0.0), |(x, y), h| (x + h.x / count, y + h.y / count));
    let overlap = |shape: &dyn Fn(f64, f64) -> f64| {
        let values: Vec<f64> = heights.iter().map(|h| shape(h.x - cx, h.y - cy)).collect();
        let mean = values.iter().sum::<f64>() / count;
        let norm: f64 = values
            .iter()
            .map(|v| (v - mean).powi(2))
            .sum::<f64>()
            .sqrt();
        if norm <= 1e-9 {
            return 0.0;
        }
        values
            .iter()
            .zip(residuals)
            .map(|(v, r)| (v - mean) * r)
            .sum::<f64>()
            / norm
    };
    let twist = overlap(&|x, y| x * y);
    let bowl = overlap(&|x, y| x * x + y * y);
    if twist.abs() >= bowl.abs() {
        Warp::Twisted
    } else if bowl > 0.0 {
        Warp::Hollow
    } else {
        Warp::Domed
    }
}

/// Name of a place.
fn name_of(i: usize, p: &HeightPoint) -> String {
    if p.name.trim().is_empty() {
        format!("place {}", i + 1)
    } else {
        p.name.chars().take(MOST_NAME).collect()
    }
}

/// Where the levelling screws of a bed are, as parts of its width and depth: three, four or six, as beds are
/// commonly built (common practice, no published source); the technician moves what is elsewhere. Other
/// counts begin as four.
fn screw_places(screws: Option<f64>) -> Vec<(&'static str, f64, f64)> {
    const NEAR: f64 = 0.13;
    const FAR: f64 = 1.0 - NEAR;
    let corners = [
        ("front left", NEAR, NEAR),
        ("front right", FAR, NEAR),
        ("back left", NEAR, FAR),
        ("back right", FAR, FAR),
    ];
    match screws.unwrap_or(4.0) {
        n if (n - 3.0).abs() < 0.5 => vec![corners[0], corners[1], ("back middle", 0.5, FAR)],
        n if (n - 6.0).abs() < 0.5 => {
            let mut six = corners.to_vec();
            six.extend([("left middle", NEAR, 0.5), ("right middle", FAR, 0.5)]);
            six
        }
        _ => corners.to_vec(),
    }
}

/// Of what an older version kept.
const fn coarse_pitch() -> f64 {
    0.7
}

impl TramFound {
    fn finest(&self) -> Finest {
        Finest::for_limit(self.limit_mm, self.pitch_mm)
    }
}

impl Station for Tram {
    type Readings = TramReadings;
    type Own = TramFound;
    const ID: &'static str = "tram";
    const STAYS: &'static [&'static str] = &["sense", "clockwise", "thread", "instrument"];
    const SETTLES: &'static [Parameter] = &[Parameter::Tram];

    fn start(context: &Context) -> TramReadings {
        let (w, d) = (context.printer.bed_x_mm, context.printer.bed_y_mm);
        let mm = |v: f64| super::known(Some(v), 1);
        TramReadings {
            thread: context.printer.bed_thread.unwrap_or_default(),
            instrument: "height_gauge".into(),
            points: screw_places(context.printer.bed_screws)
                .iter()
                .map(|(name, x, y)| (*name, w * x, d * y, true))
                .chain([("middle", w / 2.0, d / 2.0, false)])
                .map(|(name, x, y, screw)| HeightPoint {
                    name: name.to_owned(),
                    x_mm: mm(x),
                    y_mm: mm(y),
                    z_mm: Entry::default(),
                    screw,
                })
                .collect(),
            ..TramReadings::default()
        }
    }

    fn form(r: &TramReadings, _: &Context) -> Form {
        let places = || r.points.iter().take(MOST_PLACES).enumerate();
        let mut heights: Vec<Field> = places()
            .map(|(i, p)| {
                let name = name_of(i, p);
                let label = if p.screw {
                    format!("{name}, screw")
                } else {
                    name
                };
                Field::number_at(format!("points.{i}.z_mm"), &HEIGHT)
                    .named(label)
                    .needed()
            })
            .collect();
        heights.push(Field::instrument(&[
            InstrumentKind::HeightGauge,
            InstrumentKind::Feeler,
            InstrumentKind::Paper,
        ]));
        let positions = places().flat_map(|(i, p)| {
            let name = name_of(i, p);
            let at = |axis: &str, from: &str| {
                Field::number_at(format!("points.{i}.{axis}_mm"), &PLACE)
                    .named(format!("{name}, from {from}"))
                    .needed()
            };
            [
                Field::text(format!("points.{i}.name"), "name", MOST_NAME)
                    .named(format!("Name of place {}", i + 1)),
                at("x", "left"),
                at("y", "front"),
                Field::tick(
                    format!("points.{i}.screw"),
                    &format!("A screw sits at {name}"),
                ),
            ]
        });
        Form::default()
            .group("", heights)
            .drawn_beside("bed")
            .folded(
                "How this bed is built: reading, thread, springs",
                vec![
                    Field::choice(
                        "sense",
                        "A larger reading means",
                        &[
                            ("gap", "gap wider, bed lower"),
                            ("bed_height", "bed higher"),
                        ],
                    ),
                    Field::choice(
                        "clockwise",
                        "Clockwise, seen from above",
                        &[("lowers", "lowers the bed"), ("raises", "raises the bed")],
                    ),
                    Field::choice("thread", "Thread of the screws", ScrewThread::CHOICES),
                ],
            )
            .folded(
                "Places: names, where they are, which have a screw",
                positions.collect(),
            )
    }

    fn set_up(_: &TramReadings, context: &Context) -> SetUp {
        SetUp::new("Heat bed and nozzle, then read the height at every screw.")
            .hint("Clean the nozzle tip first: a bead of plastic reads as height.")
            .limit(format!(
                "At most {} across the screws.",
                tolerance(context, ToleranceId::TramMm, Unit::Mm)
            ))
            .hot(None, context.house.pen)
    }

    /// Formula: least-squares plane z = a + b·x + c·y through the heights; for each screw the plane's
    /// height less the mean over the screws; turns = Δz / pitch. The error is the plane's height
    /// across the screws (largest less smallest), its uncertainty that of the difference between those
    /// two screws, u·√(dᵀ(XᵀX)⁻¹d) with u the instrument's rectangular uncertainty. What the plane
    /// leaves over is warp: no screw cures it.
    /// Source: least squares as in [`least_squares`]; pitch ISO 261; the method is common practice.
    fn facts(r: &TramReadings, context: &Context) -> Result<Facts<TramFound>, ReadingError> {
        let heights = read(r)?;
        let design: Vec<Vec<f64>> = heights.iter().map(|h| vec![1.0, h.x, h.y]).collect();
        let ups: Vec<f64> = heights.iter().map(|h| h.up).collect();
        let fit = least_squares(&design, &ups).map_err(|e| ReadingError {
            problems: vec![FieldProblem::Conflict {
                field: "points".into(),
                message: format!("No plane: {e}."),
            }],
        })?;
        let at = |h: &Height| {
            fit.coefficients[0] + fit.coefficients[1] * h.x + fit.coefficients[2] * h.y
        };
        let screws: Vec<(&Height, f64)> = heights
            .iter()
            .filter(|h| h.screw)
            .map(|h| (h, at(h)))
            .collect();
        // OK because read() asks for three screws or more and there are at most 100.
        #[allow(clippy::cast_precision_loss)]
        let mean = screws.iter().map(|(_, z)| z).sum::<f64>() / screws.len() as f64;
        let by_height = |a: &&(&Height, f64), b: &&(&Height, f64)| a.1.total_cmp(&b.1);
        let (Some(high), Some(low)) = (
            screws.iter().max_by(by_height),
            screws.iter().min_by(by_height),
        ) else {
            debug_assert!(false, "read() asks for three screws");
            return Err(ReadingError::default());
        };
        let instrument = context
            .house
            .instrument(&r.instrument, InstrumentKind::HeightGauge);
        let half_width = instrument.map_or(0.01, |i| i.half_width.max(i.shared_half_width));
        let factor = difference_factor(&fit, high.0, low.0);
        let combined_for = |half: f64| Combined {
            u: u_rectangular(half).unwrap_or(f64::INFINITY) * factor,
            dof: f64::INFINITY,
        };
        let expanded_for =
            |half: f64| expanded_one_sided(combined_for(half), CONFIDENCE).unwrap_or(f64::INFINITY);
        let limit = context.house.tolerance(ToleranceId::TramMm);
        let tilt = high.1 - low.1;
        let mut band = Band::small("tilt", Unit::Mm, tilt, combined_for(half_width), limit);
        // A tilt that is really there is turned out, also one that may be inside: turning costs nothing.
        if band.verdict == Verdict::MeasureAgain && tilt > band.expanded {
            band.verdict = Verdict::Adjust;
        }
        let worst = fit.residuals.iter().fold(0.0_f64, |m, r| m.max(r.abs()));
        let sign = match r.clockwise {
            Clockwise::Lowers => 1.0,
            Clockwise::Raises => -1.0,
        };
        let mut own = TramFound {
            places: heights.len(),
            instrument: instrument.cloned(),
            half_width_mm: half_width,
            screws: screws
                .iter()
                .map(|(h, z)| Screw {
                    name: h.name.clone(),
                    up_mm: z - mean,
                    // A screw whose place stands high must go down.
                    turns: sign * (z - mean) / r.thread.pitch_mm(),
                })
                .collect(),
            warp: (fit.dof > 0).then(|| (worst, warp_of(&heights, &fit.residuals))),
            worst_mm: worst,
            pitch_mm: r.thread.pitch_mm(),
            limit_mm: limit,
            settle: Vec::new(),
        };
        if band.verdict == Verdict::MeasureAgain {
            own.settle = settle(tilt, limit, half_width, context, &expanded_for);
        }
        let beyond = own.screws.iter().any(|s| s.turns.abs() > MOST_TURNS);
        let mut facts = Facts::new(Self::ID, Unit::Mm, band.verdict, own);
        facts.before = Some(tilt);
        facts.value_expanded = Some(band.expanded);
        facts.after = (band.verdict == Verdict::Adjust).then_some(0.0);
        facts.bands.push(band);
        Ok(if beyond {
            facts.stopped(Cause::BedBeyondScrews)
        } else {
            facts
        })
    }

    fn words(f: &Facts<TramFound>, pen: Pen) -> Words {
        let own = &f.own;
        let mm = |v, digits| pen.fixed(v, Unit::Mm, digits);
        let mut w = Words::new("height across the screws")
            .with_bands(f, pen, |_| "across the screws".into());
        let across = w
            .bands
            .first()
            .map_or_else(String::new, |b| b.measured.clone());
        w.reasons.push(format!(
            "Plane through {} places, read with {}.",
            own.places,
            own.instrument.as_ref().map_or_else(
                || pen.text("an instrument of {±0.01 mm}"),
                |i| i.describe(pen)
            )
        ));
        if let Some((warp, shape)) = own.warp {
            w.reasons.push(if warp > own.limit_mm {
                format!(
                    "The plane leaves {} over: the bed is {}. That is warp: for a mesh, not for screws.",
                    mm(warp, 2),
                    match shape {
                        Warp::Twisted => "twisted: two opposite corners stand high",
                        Warp::Hollow => "hollow: the middle lies low",
                        Warp::Domed => "domed: the middle stands high",
                    }
                )
            } else {
                format!(
                    "The plane leaves only {} over: the bed is flat enough.",
                    mm(warp, 3)
                )
            });
        }
        match (f.verdict, f.cause) {
            (_, Some(_)) => {
                let most = own
                    .screws
                    .iter()
                    .max_by(|a, b| a.turns.abs().total_cmp(&b.turns.abs()));
                let cause = most.map_or_else(String::new, |s| {
                    format!("the {} screw would need {:.1} turns", s.name, s.turns.abs())
                });
                w.stop(
                    &cause,
                    "A bed that far off isn’t trammed by its screws: look for a shifted plate, a loose carriage wheel, a missing spring, or a head crossing out of level.",
                )
            }
            (Verdict::Pass, None) => w.say(
                format!("Pass: {across} across the screws."),
                format!(
                    "Inside {}. Leave the screws alone.",
                    pen.plain(own.limit_mm, Unit::Mm, 3)
                ),
                format!("{across} across"),
                "Go on.",
            ),
            (Verdict::Adjust, None) => {
                for s in &own.screws {
                    w.rows.push(Row::new(
                        s.name.as_str(),
                        Some(mm(s.up_mm, 2)),
                        Some(turn_in_words(s.turns, own.finest())),
                    ));
                    let way = if s.turns > 0.0 {
                        "clockwise"
                    } else {
                        "anticlockwise"
                    };
                    w.plain.push(PlainValue {
                        name: s.name.clone(),
                        value: format!("{:.0}° {way}", s.turns.abs() * 360.0),
                    });
                }
                w.say(
                    format!("Adjust: {across} across the screws."),
                    format!(
                        "Turn the screws as shown, seen from above. Then read again: about {} should be left at each place.",
                        mm(own.worst_mm.max(own.half_width_mm), 2)
                    ),
                    format!("was {across}, screws turned"),
                    "Turn the screws, then read all heights again.",
                )
            }
            _ => {
                let ways = own
                    .settle
                    .iter()
                    .map(|way| match way {
                        Way::With(i) => format!("read the heights with {}", i.describe(pen)),
                        Way::Repeat(n, half) => format!(
                            "type the mean of {n:.0} readings at each place, with an instrument of ±{}",
                            pen.plain(*half, Unit::Mm, 3)
                        ),
                    })
                    .collect();
                w.unsettled(ways, "the bed").headed(
                    format!("Measure again: {across} could be level or not."),
                    format!("{across} across, not settled"),
                    "Read again; leave the screws alone.",
                )
            }
        }
    }

    fn learns(r: &TramReadings) -> Vec<Fitted> {
        // OK because a bed has a handful of screws.
        #[allow(clippy::cast_precision_loss)]
        let screws = r.points.iter().filter(|p| p.screw).count() as f64;
        vec![Fitted::Bed {
            screws: Some(screws),
            z_motors: None,
            thread: Some(r.thread),
        }]
    }
}

fn settle(
    tilt: f64,
    limit: f64,
    half_width: f64,
    context: &Context,
    expanded_for: &dyn Fn(f64) -> f64,
) -> Vec<Way> {
    let finer = context
        .house
        .instruments
        .iter()
        .filter(|i| i.unit == "mm" && i.half_width > 0.0 && i.half_width < half_width)
        .filter(|i| i.kind == InstrumentKind::HeightGauge)
        .map(|i| SettleOption {
            way: Way::With(i.clone()),
            expanded: expanded_for(i.half_width),
        });
    let repeats = [2.0_f64, 4.0, 9.0].into_iter().map(|n| SettleOption {
        way: Way::Repeat(n, half_width / n.sqrt()),
        expanded: expanded_for(half_width / n.sqrt()),
    });
    let mut ways = what_would_settle(tilt, limit, finer.chain(repeats));
    ways.truncate(2);
    ways
}

/// √(dᵀ(XᵀX)⁻¹d) for the difference between two places.
fn difference_factor(fit: &LeastSquares, a: &Height, b: &Height) -> f64 {
    fit.unit_variance(&[0.0, a.x - b.x, a.y - b.y])
        .max(0.0)
        .sqrt()
}
