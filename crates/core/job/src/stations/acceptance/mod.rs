//! Acceptance: is the part good, and did it run long enough for the complaint to come back?

mod iso286;
mod run_length;
mod scale;
mod surface;

pub use iso286::{it_grade_by_formula_um, it_grade_um, tolerance_factor_um};
pub use run_length::{
    RunLength, run_at_random_min, run_at_same_point_min, run_length, shown_at_random,
    shown_at_same_point,
};
pub use surface::SurfaceScores;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{duration_min, fixed, join_and, plain};
use wattotherm_measure::{
    InstrumentKind, Pen, Reading, Unit, Verdict, default_instruments, fresh_mean,
};
use wattotherm_printer::{Parameter, is_soft};

use self::scale::{Scale, scales};
use self::surface::{Look, SURFACE_MOST};
use super::search::{MOST_NOTE, for_a_piece, note_field, note_shown};
use super::{Answer, SetUp, Station, expanded_95};
use crate::caution::SignalWord;
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, Finding, Row, Words};
use crate::form::{Field, Form, Measured};
use crate::house::{RuleId, ToleranceId};

/// Is the printer good, and for long enough?
pub struct Acceptance;

/// What is typed at acceptance.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct AcceptanceReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Edge the cube should have [mm].
    pub edge_mm: Entry,
    /// Instrument, by id.
    pub instrument: String,
    /// Edge in X, a reading each [mm].
    pub x_mm: Vec<Entry>,
    /// Edge in Y [mm].
    pub y_mm: Vec<Entry>,
    /// Edge in Z [mm].
    pub z_mm: Vec<Entry>,
    /// Strings, 0 (none) to 5 (curtain).
    pub strings: Entry,
    /// Is the first layer even and whole?
    pub first_layer_good: Answer,
    /// Are the walls even along the whole height?
    pub walls_even: Answer,
    /// Did the drive click or grind?
    pub clicking: Answer,
    /// Minutes printed without a fault in the acceptance run.
    pub clean_run_min: Entry,
    /// Did the complaint come back?
    pub came_back: Answer,
    /// Looks of the surface, as far as they were scored.
    pub surface: SurfaceScores,
    /// Is the customer's own piece as good as the reference? Asked where the house has it so.
    pub own_piece_good: Answer,
    /// In the technician's words.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// An edge of the cube.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Axis {
    X,
    Y,
    Z,
}

impl Axis {
    const ALL: [Self; 3] = [Self::X, Self::Y, Self::Z];

    const fn name(self) -> &'static str {
        match self {
            Self::X => "X",
            Self::Y => "Y",
            Self::Z => "Z",
        }
    }

    /// The readings' field, and the band's id.
    const fn field(self) -> &'static str {
        match self {
            Self::X => "x_mm",
            Self::Y => "y_mm",
            Self::Z => "z_mm",
        }
    }

    fn of(band: &Band) -> Option<Self> {
        Self::ALL.into_iter().find(|a| a.field() == band.id)
    }
}

/// Which symptom fails it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
enum Symptom {
    Edges,
    Strings,
    FirstLayer,
    Walls,
    Surface,
    OwnPiece,
}

/// What was found of the printer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AcceptanceFound {
    /// Grade of ISO 286-1 that sets the limit, and its width [µm]; none for a plain limit.
    grade: Option<(u8, f64)>,
    limit_mm: f64,
    run: RunLength,
    /// What it ran with.
    #[serde(default)]
    filament: Option<String>,
    clean_min: f64,
    strings: f64,
    strings_most: f64,
    symptom: Option<Symptom>,
    /// Limits of a soft filament were taken.
    #[serde(default)]
    soft: bool,
    /// The worst look of the surface that is out.
    #[serde(default)]
    worst: Option<(Look, f64)>,
    /// What scale an axis would need.
    #[serde(default)]
    scales: Vec<Scale>,
    #[serde(default)]
    note: String,
}

/// Minutes of printing after which a complaint came back at acceptance [min]; none where it didn't.
#[must_use]
pub fn ran_min(finding: &Finding) -> Option<f64> {
    let own = &finding.facts.own;
    let back = finding.facts.cause == Some(Cause::CameBack);
    let ran = own.get("clean_min").and_then(serde_json::Value::as_f64)?;
    (back && ran > 0.0).then_some(ran)
}

impl AcceptanceFound {
    fn missing_min(&self) -> f64 {
        self.run.minutes - self.clean_min
    }
}

/// What a caliper on an edge may be off by [mm].
const EDGE_OFF_MM: f64 = 0.02;
const EDGE: Limit = Limit::new(
    "edge_mm",
    "edge asked for",
    Unit::Mm,
    [5.0, 300.0, 10.0, 100.0],
    "a smaller cube can’t be measured well, a larger one is no quick test",
);
const SIDE: Limit = Limit::new(
    "x_mm",
    "edge",
    Unit::Mm,
    [1.0, 400.0, 9.0, 110.0],
    "a cube has a length",
);
const STRINGS: Limit = Limit::new(
    "strings",
    "strings score",
    Unit::One,
    [0.0, 5.0, 0.0, 5.0],
    "the pictures go from 0 to 5",
);
const RUN: Limit = Limit::new(
    "clean_run_min",
    "clean run",
    Unit::Minute,
    [0.0, 100_000.0, 0.0, 100_000.0],
    "time runs forward",
);

/// Readings of an edge at most.
const MOST_READINGS: usize = 20;

struct Typed {
    surface: Vec<(Look, f64)>,
    edge: f64,
    axes: Vec<(Axis, Vec<f64>)>,
    strings: f64,
    run: f64,
}

fn read(readings: &AcceptanceReadings, context: &Context) -> Result<Typed, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    super::snapshot::no_longer(&mut intake, "note", &readings.note, MOST_NOTE);
    let surface = surface::read(&mut intake, &readings.surface);
    let edge = intake.need(&EDGE, "edge_mm", &readings.edge_mm);
    let mut axes = Vec::new();
    for (axis, entries) in [
        (Axis::X, &readings.x_mm),
        (Axis::Y, &readings.y_mm),
        (Axis::Z, &readings.z_mm),
    ] {
        let key = axis.field();
        if entries.len() > MOST_READINGS {
            intake.count(key, "Twenty readings are enough. Remove some.");
        }
        let mut values = Vec::new();
        for (i, e) in entries.iter().take(MOST_READINGS).enumerate() {
            let path = format!("{key}.{i}");
            if let Some(v) = intake.may(&SIDE, &path, e) {
                values.push((path, v));
            }
        }
        intake.ask_outliers(&SIDE, &values, EDGE_OFF_MM);
        let values: Vec<f64> = values.into_iter().map(|(_, v)| v).collect();
        if values.is_empty() {
            intake.count(
                &format!("{key}.0"),
                format!("Type the cube’s edge in {}.", axis.name()),
            );
        }
        axes.push((axis, values));
    }
    let strings = intake.need(&STRINGS, "strings", &readings.strings);
    for (key, answer, label) in [
        (
            "first_layer_good",
            readings.first_layer_good,
            "whether the first layer is even",
        ),
        (
            "walls_even",
            readings.walls_even,
            "whether the walls are even",
        ),
        ("clicking", readings.clicking, "whether the drive clicked"),
        (
            "came_back",
            readings.came_back,
            "whether the complaint came back",
        ),
        (
            "own_piece_good",
            if own_piece(context) {
                readings.own_piece_good
            } else {
                Answer::Yes
            },
            "whether the customer’s own piece is as good as the reference",
        ),
    ] {
        if answer == Answer::Open {
            intake.push(FieldProblem::Count {
                field: key.into(),
                message: format!("Say {label}."),
            });
        }
    }
    let run = intake.need(&RUN, "clean_run_min", &readings.clean_run_min);
    intake.finish()?;
    Ok(Typed {
        surface,
        // OK because finish() fails where one of these is missing.
        edge: edge.unwrap_or_default(),
        axes,
        strings: strings.unwrap_or_default(),
        run: run.unwrap_or_default(),
    })
}

/// Whether the house lays a piece of the customer's own beside the reference.
fn own_piece(context: &Context) -> bool {
    context.house.option(RuleId::AcceptAs).id == "own_piece"
}

/// Whether the filament is a soft one, with limits of its own.
fn soft(context: &Context) -> bool {
    context
        .filament
        .as_ref()
        .is_some_and(|f| is_soft(&f.material))
}

/// Limit of an edge [mm], and the grade that sets it.
fn cube_limit_mm(context: &Context, edge_mm: f64) -> (f64, Option<(u8, f64)>) {
    if soft(context) {
        return (context.house.tolerance(ToleranceId::CubeSoftMm), None);
    }
    let grade = match context.house.option(RuleId::CubeBy).id {
        "it11" => Some(11),
        "it12" => Some(12),
        "it13" => Some(13),
        _ => None,
    };
    match grade.and_then(|g| it_grade_um(g, edge_mm).map(|um| (g, um))) {
        Some((g, um)) => (um / 2000.0, Some((g, um))),
        None => (context.house.tolerance(ToleranceId::CubeMm), None),
    }
}

/// Where a wrong edge points: Z alone to the Z offset (the first layer is squeezed or lifted); X and Y alike to flow
/// (walls too thick or thin); one of X and Y out while the other is right, or the two out opposite ways, to no setting
/// of the filament at all: belt or steps of that axis. Common practice, no published source.
fn edges_point_to(bands: &[Band]) -> Option<Parameter> {
    let of = |axis| bands.iter().find(|b| Axis::of(b) == Some(axis));
    let wrong = |b: &Band| b.verdict == Verdict::Adjust;
    match (of(Axis::X), of(Axis::Y)) {
        (Some(x), Some(y)) if wrong(x) && wrong(y) => {
            ((x.error > 0.0) == (y.error > 0.0)).then_some(Parameter::Flow)
        }
        (Some(x), Some(y)) if wrong(x) || wrong(y) => {
            let right = if wrong(x) { y } else { x };
            (right.verdict != Verdict::Pass).then_some(Parameter::Flow)
        }
        (Some(b), None) | (None, Some(b)) if wrong(b) => Some(Parameter::Flow),
        _ => Some(Parameter::OffsetZ),
    }
}

impl Station for Acceptance {
    type Readings = AcceptanceReadings;
    type Own = AcceptanceFound;
    const ID: &'static str = "acceptance";
    const STAYS: &'static [&'static str] = &["edge_mm", "instrument"];

    fn start(_: &Context) -> AcceptanceReadings {
        let three = vec![Entry::default(); 3];
        AcceptanceReadings {
            edge_mm: "20".into(),
            instrument: "caliper".into(),
            x_mm: three.clone(),
            y_mm: three.clone(),
            z_mm: three,
            ..AcceptanceReadings::default()
        }
    }

    fn form(r: &AcceptanceReadings, context: &Context) -> Form {
        let least = run_length(context).minutes;
        let edges = [(Axis::X, &r.x_mm), (Axis::Y, &r.y_mm), (Axis::Z, &r.z_mm)]
            .into_iter()
            .flat_map(|(axis, entries)| {
                (0..entries.len().min(MOST_READINGS)).map(move |i| {
                    Field::number_at(format!("{}.{i}", axis.field()), &SIDE).named(format!(
                        "{} {}",
                        axis.name(),
                        i + 1
                    ))
                })
            });
        Form::default()
            .with_photo(
                "strings".into(),
                "strings of the first print".into(),
                Measured::Strings,
            )
            .with_piece(
                "cube",
                "Make the cube",
                &[("side", for_a_piece(&r.edge_mm, Unit::Mm))],
            )
            .with_piece(
                "long",
                "Make the long run",
                &[("minutes", plain(least.clamp(5.0, 1_500.0).ceil(), 0))],
            )
            .group("", edges.collect())
            .drawn_beside("cube")
            .group(
                "",
                vec![
                    Field::picture(&STRINGS, "strings").needed(),
                    Field::yes_no("first_layer_good", "Is the first layer even and whole?"),
                    Field::yes_no("walls_even", "Are the walls even along the height?"),
                    Field::yes_no("clicking", "Did the drive click or grind?"),
                    Field::yes_no("came_back", "Did the complaint come back?"),
                    Field::yes_no(
                        "own_piece_good",
                        "Is the customer’s own piece as good as the reference?",
                    )
                    .when(own_piece(context)),
                ],
            )
            .group(
                "",
                vec![
                    Field::number(&RUN).named("Ran clean for").needed(),
                    Field::number(&EDGE).named("Edge asked for").needed(),
                    Field::instrument(&[InstrumentKind::Caliper, InstrumentKind::Micrometer]),
                ],
            )
            .folded(
                "Surface, scored 0 (none) to 5 (all over)",
                surface::fields(),
            )
            .drawn("surface")
            .group("", vec![note_field()])
    }

    fn set_up(_: &AcceptanceReadings, context: &Context) -> SetUp {
        let run = run_length(context);
        SetUp::new(format!(
            "Print the cube, then run clean for {}.",
            duration_min(run.minutes)
        ))
        .hint(run.why())
        .hint(match context.house.option(RuleId::AcceptAs).id {
            "own_piece" => {
                "Lay a piece of the customer’s own beside the reference too, with a picture. One more trial costs an hour of the machine."
            }
            _ => "The verdicts of the stations decide. One more trial costs an hour of the machine.",
        })
        .hint(super::guide::hop(context))
        .rule(RuleId::CubeBy, context, "")
        .caution(
            SignalWord::Warning,
            "Fire. Stay in the room until the run is accepted: no unattended print before that.",
        )
    }

    /// Pass needs all of it: every edge inside the tolerance with its uncertainty, strings at most the
    /// house's score, first layer and walls good, no clicking, a clean run of the length of
    /// [`run_length`]. A failing observation names the station its symptom points at.
    /// Source: tolerances ISO 286-1; run length IEC 60605-4 / MIL-HDBK-781A; observations common
    /// practice.
    fn facts(
        r: &AcceptanceReadings,
        context: &Context,
    ) -> Result<Facts<AcceptanceFound>, ReadingError> {
        let typed = read(r, context)?;
        let fallback;
        let instrument = if let Some(i) = context
            .house
            .instrument(&r.instrument, InstrumentKind::Caliper)
        {
            i
        } else {
            fallback = default_instruments().swap_remove(1);
            &fallback
        };
        let (limit_mm, grade) = cube_limit_mm(context, typed.edge);
        let bands: Vec<Band> = typed
            .axes
            .iter()
            .filter_map(|(axis, values)| {
                let mean = fresh_mean(values, &Reading::once(instrument))?;
                Some(
                    Band::new(
                        axis.field(),
                        Unit::Mm,
                        (mean.series.mean, typed.edge),
                        (expanded_95(mean.combined), mean.combined.dof),
                        limit_mm,
                    )
                    .made_of(mean.parts),
                )
            })
            .collect();
        let strings_most = context.house.tolerance(if soft(context) {
            ToleranceId::StringsSoftScore
        } else {
            ToleranceId::StringsScore
        });
        let worst = typed
            .surface
            .iter()
            .copied()
            .filter(|(_, score)| *score > SURFACE_MOST)
            .max_by(|a, b| a.1.total_cmp(&b.1));
        let has = |verdict| bands.iter().any(|b| b.verdict == verdict);
        let (symptom, back) = if has(Verdict::Adjust) {
            (Some(Symptom::Edges), edges_point_to(&bands))
        } else if typed.strings > strings_most {
            (Some(Symptom::Strings), Some(Parameter::Retraction))
        } else if r.first_layer_good == Answer::No {
            (Some(Symptom::FirstLayer), Some(Parameter::OffsetZ))
        } else if r.walls_even == Answer::No {
            (Some(Symptom::Walls), Some(Parameter::Flow))
        } else if let Some((look, _)) = worst {
            (Some(Symptom::Surface), look.points_to())
        } else if own_piece(context) && r.own_piece_good == Answer::No {
            (Some(Symptom::OwnPiece), None)
        } else {
            (None, None)
        };
        let unsettled = has(Verdict::MeasureAgain);
        let own = AcceptanceFound {
            grade,
            limit_mm,
            run: run_length(context),
            filament: context.filament.as_ref().map(|f| f.name.clone()),
            clean_min: typed.run,
            strings: typed.strings,
            strings_most,
            symptom,
            soft: soft(context),
            worst,
            scales: scales(&bands),
            note: note_shown(&r.note),
        };
        let too_short = own.missing_min() > 0.5;
        let mut facts = Facts::new(Self::ID, Unit::One, Verdict::Pass, own);
        facts.bands = bands;
        // Hazard and unexplained faults first, then what a station can cure, then what only time shows.
        if r.came_back == Answer::Yes {
            return Ok(facts.stopped(Cause::CameBack));
        }
        if r.clicking == Answer::Yes {
            return Ok(facts.stopped(Cause::DriveClicks));
        }
        if symptom == Some(Symptom::Edges) && back.is_none() {
            return Ok(facts.stopped(Cause::BeltOrSteps));
        }
        if symptom == Some(Symptom::Surface) && back.is_none() {
            return Ok(facts.stopped(Cause::FrameRings));
        }
        if let Some(p) = back {
            facts.verdict = Verdict::Adjust;
            facts.send_back = Some(p.id().to_owned());
        } else if too_short || unsettled || symptom == Some(Symptom::OwnPiece) {
            facts.verdict = Verdict::MeasureAgain;
        }
        Ok(facts)
    }

    fn words(f: &Facts<AcceptanceFound>, pen: Pen) -> Words {
        let own = &f.own;
        let name = |id: &str| {
            let axis = Axis::ALL.into_iter().find(|a| a.field() == id);
            axis.map_or_else(|| id.to_owned(), |a| a.name().to_owned())
        };
        let mut w = Words::new("acceptance").with_bands(f, pen, name);
        w.reasons = vec![
            match own.grade {
                Some((g, um)) => {
                    format!("ISO 286-1 IT{g} at this size is {um:.0} µm, half to each side.")
                }
                None => format!(
                    "Each edge within ±{}.",
                    pen.plain(own.limit_mm, Unit::Mm, 3)
                ),
            },
            own.run.why(),
        ];
        w.reasons.extend(more_reasons(own));
        w.rows = w
            .bands
            .iter()
            .map(|b| {
                Row::new(
                    format!("{} edge", b.label),
                    Some(b.nominal.clone()),
                    Some(b.measured.clone()),
                )
            })
            .collect();
        for scale in &own.scales {
            w.rows.push(Row::new(
                format!("scale that would set {} right", name(&scale.axis)),
                Some("100 %".into()),
                Some(format!(
                    "{} ±{} %",
                    fixed(scale.percent, 2),
                    fixed(scale.expanded, 2)
                )),
            ));
        }
        let (ran, needed) = (duration_min(own.clean_min), duration_min(own.run.minutes));
        w.rows.push(Row::new(
            "clean run",
            Some(needed.clone()),
            Some(ran.clone()),
        ));
        match (f.verdict, f.cause) {
            (_, Some(Cause::CameBack)) => w.stop(
                &format!("the complaint came back after {ran}"),
                "The replaced part did not cure it, or not all of it. Look for what it hasn’t explained before you tune anything.",
            ),
            (_, Some(Cause::BeltOrSteps)) => {
                let out = wrong_edges(&w, f, pen);
                w.stop(
                    &out,
                    "Flow makes X and Y wrong alike; these are not. Look at belt tension, the pulley’s grub screw and the steps/mm of that axis, then print the cube again. Leave flow alone.",
                )
            }
            (_, Some(Cause::FrameRings)) => w.stop(
                "shadows beside edges: the frame rings",
                "No setting of a filament cures it. Look at belts, pulleys, loose screws and where the printer stands; slower corners hide it.",
            ),
            (_, Some(_)) => w.stop(
                "the drive clicks or grinds",
                "Something holds the filament back: partial clog, wrong tension, or too cold. Find it; no setting cures it.",
            ),
            (Verdict::Adjust, None) => not_accepted(w, f, pen),
            (Verdict::MeasureAgain, None) => {
                let missing = own.missing_min();
                let unsettled: Vec<&str> = f
                    .bands
                    .iter()
                    .filter(|b| b.verdict == Verdict::MeasureAgain)
                    .filter_map(|b| Axis::of(b).map(Axis::name))
                    .collect();
                let too_short = missing > 0.5;
                if too_short {
                    w.settle.push(format!(
                        "print {} more without a fault",
                        duration_min(missing)
                    ));
                }
                if own.symptom == Some(Symptom::OwnPiece) {
                    w.settle.push(
                        "say which look of the customer’s own piece is worse: score its surface below"
                            .into(),
                    );
                }
                if !unsettled.is_empty() {
                    w.settle.push(format!(
                        "measure the edge in {} again, in more places",
                        join_and(&unsettled)
                    ));
                }
                let refs: Vec<&str> = w.settle.iter().map(String::as_str).collect();
                let own_worse = own.symptom == Some(Symptom::OwnPiece);
                let failed = if own_worse { "" } else { "So far nothing failed. " };
                let sentence = format!("{failed}To settle it: {}.", join_and(&refs));
                w.say(
                    if own_worse {
                        "Not accepted yet: the customer’s own piece is worse than the reference.".into()
                    } else if too_short {
                        format!("Not long enough yet: {ran} of {needed} clean.")
                    } else {
                        "Measure again: an edge could be inside or outside.".into()
                    },
                    sentence,
                    format!("{ran} clean so far"),
                    "Keep it running; the job keeps its place.",
                )
            }
            _ => w.say(
                "Pass: accepted.",
                format!(
                    "The cube is inside its limits and it ran {ran} clean{}.",
                    own.filament
                        .as_ref()
                        .map_or(String::new(), |f| format!(" with {f}"))
                ),
                format!("cube and {ran} clean"),
                "Hand over.",
            ),
        }
    }
}

/// What is said besides the limits.
fn more_reasons(own: &AcceptanceFound) -> Vec<String> {
    let mut more = Vec::new();
    if own.soft {
        more.push(
            "A soft filament has limits of its own: it gives under the jaws and stretches.".into(),
        );
    }
    if !own.scales.is_empty() {
        more.push(
            "One length doesn’t tell scale from a wall that is too fat: measure a second, longer one before you scale. Flow and steps come first."
                .into(),
        );
    }
    if own.worst.is_some() || own.symptom == Some(Symptom::Strings) {
        more.push(
            "Ironing, hot air and sanding hide lines. They close no gap where plastic is missing."
                .into(),
        );
    }
    if !own.note.is_empty() {
        more.push(own.note.clone());
    }
    more
}

/// "X is 20.45 ±0.04 mm and Y is …": edges that are out.
fn wrong_edges(w: &Words, f: &Facts<AcceptanceFound>, pen: Pen) -> String {
    let all: Vec<String> = (f.bands.iter().zip(&w.bands))
        .filter(|(b, _)| b.verdict == Verdict::Adjust)
        .map(|(b, said)| {
            let is = format!("{} is {}", said.label, said.measured);
            if b.error.abs() > b.limit {
                return is;
            }
            // Inside by its mean, and not with its doubt.
            let over = if b.error > 0.0 { "over" } else { "under" };
            let end = b.nominal + b.limit.copysign(b.error);
            format!("{is} and could be {over} {}", pen.fixed(end, b.unit, 2))
        })
        .collect();
    join_and(&all.iter().map(String::as_str).collect::<Vec<_>>())
}

fn not_accepted(w: Words, f: &Facts<AcceptanceFound>, pen: Pen) -> Words {
    let own = &f.own;
    let what = match own.symptom {
        Some(Symptom::Edges) | None => wrong_edges(&w, f, pen),
        Some(Symptom::Strings) => format!(
            "strings score {}, at most {} is accepted",
            plain(own.strings, 1),
            plain(own.strings_most, 1)
        ),
        Some(Symptom::FirstLayer) => "the first layer is not even".into(),
        Some(Symptom::Walls) => "the walls are not even".into(),
        // The own piece fails nothing by itself: it asks which look is worse.
        Some(Symptom::Surface | Symptom::OwnPiece) => own
            .worst
            .map(|(look, score)| {
                format!(
                    "{} score {}, at most {} is accepted",
                    look.name(),
                    plain(score, 1),
                    plain(SURFACE_MOST, 1)
                )
            })
            .unwrap_or_default(),
    };
    let back = f.send_back.as_deref().unwrap_or_default();
    let label = match Parameter::from_id(back) {
        Some(p) => p.label(),
        None => back,
    };
    w.say(
        format!("Not accepted: {what}."),
        format!("Go back to “{label}”, not to the start. Then print again."),
        format!("not accepted: {what}"),
        format!("Reopen “{label}”."),
    )
}
