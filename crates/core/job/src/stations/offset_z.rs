//! Z offset: how high the nozzle stands, by a measured patch, by paper, or by a feeler.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, decimals_for};
use wattotherm_measure::{
    FreshMean, Instrument, InstrumentKind, Pen, Reading, SettleOption, Unit, Verdict,
    default_instruments, fresh_mean, least_squares, what_would_settle,
};
use wattotherm_printer::Parameter;

use super::search::for_a_piece;
use super::set_up::tolerance;
use super::taken::{Taken, more};
use super::{SetUp, Station, asked, expanded_95, known};
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form};
use crate::house::{RuleId, ToleranceId};

/// Nozzle height.
pub struct OffsetZ;

/// How the gap is found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum GapMethod {
    /// Single-layer squares, thickness measured.
    #[default]
    Patch,
    /// Paper that just drags: the Z shown there is typed.
    Paper,
    /// Feeler gauge that just drags: the Z shown there is typed.
    Feeler,
    /// The printer's own routine: the offset that it found is typed.
    Routine,
    /// Trimmed while the first layer is laid: the trim that looked right is typed.
    Trim,
}

/// One measured square.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Patch {
    /// Place on the bed, from its left edge [mm].
    pub x_mm: f64,
    /// Place on the bed, from its front edge [mm].
    pub y_mm: f64,
    /// Thickness [mm].
    pub t_mm: Entry,
}

/// What is typed at the Z offset.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct OffsetZReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// How the gap is found.
    pub method: GapMethod,
    /// Offset set in the printer; more negative is closer [mm].
    pub offset_set_mm: Entry,
    /// Instrument, by id.
    pub instrument: String,
    /// Layer height commanded for the patches [mm].
    pub commanded_mm: Entry,
    /// Patches at five or nine places.
    pub patches: Vec<Patch>,
    /// Z shown where the gauge just drags, a touch each; by routine the offset found, by trim the trim that looked
    /// right [mm].
    pub touches_mm: Vec<Entry>,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What would settle it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
enum Way {
    More(usize),
    SamePatches(Instrument),
    ByPatches(Instrument),
}

/// What was found of the nozzle's height.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OffsetZFound {
    method: GapMethod,
    set_mm: f64,
    /// Offset that the readings ask for [mm].
    wanted_mm: f64,
    taken: Taken,
    settle: Vec<Way>,
    /// The patches' own tilt [mm], where there are four or more.
    tilt_mm: Option<f64>,
}

const SET: Limit = Limit::new(
    "offset_set_mm",
    "Z offset set",
    Unit::Mm,
    [-20.0, 20.0, -9.0, 9.0],
    "no probe sits farther from its nozzle",
);
const COMMANDED: Limit = Limit::new(
    "commanded_mm",
    "commanded layer height",
    Unit::Mm,
    [0.05, 1.5, 0.1, 0.8],
    "a first layer outside this doesn’t stick or isn’t one",
);
/// What patches on a bed that is not quite level may differ by, beside their readings [mm].
const PATCH_OFF_MM: f64 = 0.04;
const PATCH: Limit = Limit::new(
    "t_mm",
    "patch thickness",
    Unit::Mm,
    [0.01, 5.0, 0.05, 0.9],
    "a patch can’t be thinner than nothing or thicker than a few layers",
);
const TOUCH: Limit = Limit::new(
    "touches_mm",
    "Z shown",
    Unit::Mm,
    [-10.0, 10.0, -3.0, 3.0],
    "the gauge drags near zero",
);

const FOUND: Limit = Limit::new(
    "touches_mm",
    "offset found",
    Unit::Mm,
    [-20.0, 20.0, -9.0, 9.0],
    "no probe sits farther from its nozzle",
);
const TRIMMED: Limit = Limit::new(
    "touches_mm",
    "trim",
    Unit::Mm,
    [-2.0, 2.0, -0.5, 0.5],
    "a first layer that needs more is not trimmed, its offset is wrong",
);

/// Readings taken at most.
const MOST: usize = 25;
/// Beyond this nothing sits where it should. Common practice, no published source.
const MOST_ERROR_MM: f64 = 1.0;
/// The display shows hundredths of a millimetre: half of that either way.
const DISPLAY_HALF_WIDTH_MM: f64 = 0.005;

struct Typed {
    set: f64,
    nominal: f64,
    values: Vec<f64>,
    places: Vec<(f64, f64)>,
}

fn read(readings: &OffsetZReadings, gauge_mm: f64) -> Result<Typed, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let set = intake.need(&SET, "offset_set_mm", &readings.offset_set_mm);
    let mut values = Vec::new();
    let mut places = Vec::new();
    let nominal = match readings.method {
        GapMethod::Patch => {
            let nominal = intake.need(&COMMANDED, "commanded_mm", &readings.commanded_mm);
            let mut named = Vec::new();
            for (i, p) in readings.patches.iter().take(MOST).enumerate() {
                let path = format!("patches.{i}.t_mm");
                if let Some(t) = intake.may(&PATCH, &path, &p.t_mm) {
                    named.push((path, t));
                    places.push((p.x_mm, p.y_mm));
                }
            }
            intake.ask_outliers_by_ten(&PATCH, &named);
            intake.ask_outliers(&PATCH, &named, PATCH_OFF_MM);
            values.extend(named.iter().map(|(_, t)| *t));
            if readings.patches.len() > MOST {
                intake.count("patches", "Twenty-five patches are enough. Remove some.");
            }
            if values.is_empty() {
                intake.count(
                    "patches.0.t_mm",
                    "Type the thickness of at least one patch.",
                );
            }
            nominal
        }
        GapMethod::Paper | GapMethod::Feeler | GapMethod::Routine | GapMethod::Trim => {
            let (limit, _, ask) = touched_by(readings.method);
            if readings.touches_mm.len() > MOST {
                intake.count("touches_mm", "Twenty-five touches are enough. Remove some.");
            }
            for (i, z) in readings.touches_mm.iter().take(MOST).enumerate() {
                let Some(z) = intake.may(limit, &format!("touches_mm.{i}"), z) else {
                    continue;
                };
                values.extend(match readings.method {
                    // What is set less what is right: the nozzle stands so much too high.
                    GapMethod::Routine => set.map(|set| set - z),
                    GapMethod::Trim => Some(-z),
                    // The true gap is the gauge; the printer believes it is z.
                    _ => Some(gauge_mm - z),
                });
            }
            if values.is_empty() {
                intake.count("touches_mm.0", ask);
            }
            Some(0.0)
        }
    };
    intake.finish()?;
    Ok(Typed {
        // OK because finish() fails where one of these is missing.
        set: set.unwrap_or_default(),
        nominal: nominal.unwrap_or_default(),
        values,
        places,
    })
}

/// What is typed for a way that reads no thickness: its limit, the name of one, what to type.
const fn touched_by(method: GapMethod) -> (&'static Limit, &'static str, &'static str) {
    match method {
        GapMethod::Routine => (
            &FOUND,
            "offset found",
            "Run the routine and type the offset that it found.",
        ),
        GapMethod::Trim => (
            &TRIMMED,
            "trim that looked right",
            "Type the trim that looked right: less than 0 is closer.",
        ),
        _ => (
            &TOUCH,
            "Z shown",
            "Type the Z shown where the gauge just drags.",
        ),
    }
}

/// How well an eye tells a first layer that is pressed on rightly [mm]: half width. Our own estimate, no source.
const EYE_MM: f64 = 0.01;

/// What all runs of a routine may be off by together [mm]: the probe's own trigger. Our own estimate, no source.
const ROUTINE_MM: f64 = 0.01;

/// Offset in force, or else as the printer held it when the job began.
fn offset_before(context: &Context) -> Option<(f64, &'static str)> {
    context.before_or_stored("M851", 'Z')
}

fn kind_for(method: GapMethod) -> InstrumentKind {
    match method {
        GapMethod::Patch => InstrumentKind::Caliper,
        GapMethod::Paper => InstrumentKind::Paper,
        GapMethod::Feeler => InstrumentKind::Feeler,
        GapMethod::Routine | GapMethod::Trim => InstrumentKind::HeightGauge,
    }
}

fn gauge_for(readings: &OffsetZReadings, context: &Context) -> Instrument {
    let kind = kind_for(readings.method);
    let mut gauge = context
        .house
        .instrument(&readings.instrument, kind)
        .filter(|i| readings.method == GapMethod::Patch || i.kind == kind)
        .or_else(|| context.house.instruments.iter().find(|i| i.kind == kind))
        .cloned()
        .unwrap_or_else(|| default_instruments().swap_remove(1));
    if readings.method != GapMethod::Patch {
        // Each touch is read off the display; the gauge's own thickness is shared by all.
        gauge.half_width = DISPLAY_HALF_WIDTH_MM;
    }
    if readings.method == GapMethod::Routine {
        gauge.shared_half_width = gauge.shared_half_width.max(ROUTINE_MM);
    }
    if readings.method == GapMethod::Trim {
        "eye".clone_into(&mut gauge.id);
        "an eye on the first layer".clone_into(&mut gauge.name);
        gauge.shared_half_width = EYE_MM;
    }
    gauge
}

/// Height to which patches are commanded: half the bore, as high as a line of this nozzle still presses on. Common
/// practice, no source.
fn commanded(context: &Context) -> (Entry, Option<&'static str>) {
    let saved = context.saved_lines.first_layer_mm;
    asked(
        context,
        "commanded_mm",
        saved,
        context.printer.nozzle_mm * 0.5,
    )
}

impl Station for OffsetZ {
    type Readings = OffsetZReadings;
    type Own = OffsetZFound;
    const ID: &'static str = "offset_z";
    const STAYS: &'static [&'static str] = &["method", "instrument"];
    const SETTLES: &'static [Parameter] = &[Parameter::OffsetZ];

    fn start(context: &Context) -> OffsetZReadings {
        let (method, instrument) = match context.house.option(RuleId::NozzleGap).id {
            "paper" => (GapMethod::Paper, "paper"),
            "feeler" => (GapMethod::Feeler, "feeler"),
            "probe" if context.printer.probe_mm.is_some() => (GapMethod::Routine, ""),
            "trim" => (GapMethod::Trim, ""),
            _ => (GapMethod::Patch, "caliper"),
        };
        let (w, d) = (context.printer.bed_x_mm, context.printer.bed_y_mm);
        let patch = |(fx, fy): (f64, f64)| Patch {
            x_mm: w * fx,
            y_mm: d * fy,
            t_mm: Entry::default(),
        };
        OffsetZReadings {
            method,
            offset_set_mm: known(offset_before(context).map(|(v, _)| v), 3),
            instrument: instrument.into(),
            commanded_mm: commanded(context).0,
            patches: [(0.2, 0.2), (0.8, 0.2), (0.5, 0.5), (0.2, 0.8), (0.8, 0.8)]
                .map(patch)
                .to_vec(),
            touches_mm: vec![Entry::default(); 3],
            ..OffsetZReadings::default()
        }
    }

    fn form(r: &OffsetZReadings, _: &Context) -> Form {
        const PLACES: [&str; 5] = [
            "front left",
            "front right",
            "middle",
            "back left",
            "back right",
        ];
        let method = Field::choice(
            "method",
            "Found by",
            &[
                ("patch", "measured patches"),
                ("paper", "paper"),
                ("feeler", "feeler gauge"),
                ("routine", "the printer’s routine"),
                ("trim", "trimmed on the layer"),
            ],
        )
        .sets("patch", "instrument", "caliper")
        .sets("paper", "instrument", "paper")
        .sets("feeler", "instrument", "feeler");
        let with = match r.method {
            GapMethod::Patch => {
                Field::instrument(&[InstrumentKind::Caliper, InstrumentKind::Micrometer])
            }
            GapMethod::Paper => Field::instrument(&[InstrumentKind::Paper]),
            GapMethod::Feeler => Field::instrument(&[InstrumentKind::Feeler]),
            GapMethod::Routine | GapMethod::Trim => {
                Field::instrument(&[InstrumentKind::HeightGauge])
                    .when(r.method == GapMethod::Routine)
            }
        };
        let set = Field::number(&SET).named("Z offset set").needed();
        let form = Form::default().group("", vec![method]).drawn("patches");
        match r.method {
            GapMethod::Patch => {
                let form = form.with_piece(
                    "patches",
                    "Make the patches",
                    &[("thick", for_a_piece(&r.commanded_mm, Unit::Mm))],
                );
                let mut fields: Vec<Field> = (0..r.patches.len().min(MOST))
                    .map(|i| {
                        let label = PLACES
                            .get(i)
                            .map_or_else(|| format!("patch {}", i + 1), ToString::to_string);
                        Field::number_at(format!("patches.{i}.t_mm"), &PATCH).named(label)
                    })
                    .collect();
                fields.push(with);
                // The next one lies where the first of the five lay, then the second …
                let again = r.patches.get(r.patches.len() % PLACES.len());
                let (x_mm, y_mm) = again.map_or((0.0, 0.0), |p| (p.x_mm, p.y_mm));
                let next = json!({"x_mm": x_mm, "y_mm": y_mm, "t_mm": ""});
                let commanded = Field::number(&COMMANDED).named("Commanded height").needed();
                form.group("", fields)
                    .large()
                    .more("One more patch", "patches", next)
                    .group("", vec![set, commanded])
            }
            GapMethod::Paper | GapMethod::Feeler | GapMethod::Routine | GapMethod::Trim => {
                let (limit, name, _) = touched_by(r.method);
                let what = match r.method {
                    GapMethod::Routine => "Run",
                    GapMethod::Trim => "Layer",
                    _ => "Touch",
                };
                let touch = |i| {
                    Field::number_at(format!("touches_mm.{i}"), limit)
                        .named(format!("{what} {}, {name}", i + 1))
                };
                let n = r.touches_mm.len().min(MOST);
                form.group("", (0..n).map(touch).collect())
                    .large()
                    .more(
                        &format!("One more {}", what.to_lowercase()),
                        "touches_mm",
                        json!(""),
                    )
                    .group("", vec![set, with])
            }
        }
    }

    fn set_up(r: &OffsetZReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        SetUp::new(match r.method {
            GapMethod::Paper | GapMethod::Feeler => {
                "Lower the warm nozzle until the gauge just drags, and type the Z shown."
            }
            GapMethod::Routine => {
                "Run the printer’s own routine three times, warm, and type each offset that it found."
            }
            GapMethod::Trim => {
                "Lay the first layer and trim Z until it is pressed on evenly; type the trim."
            }
            GapMethod::Patch => "Print the first-layer patches, let them cool, and measure each one.",
        })
        .hint("At working temperature: a hot nozzle is longer.")
        .hint(pen.text("After a new nozzle, plate or probe start {1 mm} high."))
        .rule(
            RuleId::NozzleGap,
            context,
            &format!(
                " Limit {}.",
                tolerance(context, ToleranceId::OffsetZMm, Unit::Mm)
            ),
        )
        .hot(None, pen)
    }

    /// Formula: e = mean t - h by patch; e = set - mean found by routine; e = -mean trim by trim; e = gauge - mean z
    /// by paper or feeler (the gap is larger
    /// than the printer believes where e > 0); new offset = old - e, in the convention "more negative
    /// is closer". The same patches give the tilt by a least-squares plane.
    /// Source: common practice, no published source; uncertainty as [`fresh_mean`].
    fn facts(r: &OffsetZReadings, context: &Context) -> Result<Facts<OffsetZFound>, ReadingError> {
        let gauge = gauge_for(r, context);
        let typed = read(r, gauge.nominal.unwrap_or(0.10))?;
        let Some(mean) = fresh_mean(&typed.values, &Reading::once(&gauge)) else {
            debug_assert!(false, "read() asks for a reading");
            return Err(ReadingError::default());
        };
        let expanded = expanded_95(mean.combined);
        let limit = context.house.tolerance(ToleranceId::OffsetZMm);
        let band = Band::new(
            if r.method == GapMethod::Patch {
                "patch"
            } else {
                "gap"
            },
            Unit::Mm,
            (mean.series.mean, typed.nominal),
            (expanded, mean.combined.dof),
            limit,
        )
        .made_of(mean.parts.clone());
        let error = band.error;
        let after = ((typed.set - error) * 1000.0).round() / 1000.0;
        let tilt_mm = tilt(&typed);
        let mut own = OffsetZFound {
            method: r.method,
            set_mm: typed.set,
            wanted_mm: after,
            taken: Taken::of(&mean, &gauge),
            settle: Vec::new(),
            tilt_mm,
        };
        if band.verdict == Verdict::MeasureAgain {
            own.settle = settle(&mean, &gauge, r.method, error, limit, context);
        }
        let mut facts = Facts::new(Self::ID, Unit::Mm, band.verdict, own);
        facts.before = Some(typed.set);
        facts.value_expanded = Some(expanded);
        if band.verdict == Verdict::Adjust {
            facts.after = Some(after);
            if let Ok(set) = gcode::set_z_offset_mm(after) {
                facts.commands = vec![set, gcode::store_settings(), gcode::read_back()];
            }
        }
        facts.bands.push(band);
        if error.abs() - expanded > MOST_ERROR_MM {
            return Ok(facts.stopped(Cause::NozzleFarOff));
        }
        // Where the bed's tilt hides the offset, one offset can't be right everywhere.
        let tram = context.house.tolerance(ToleranceId::TramMm);
        if tilt_mm.is_some_and(|t| t > 3.0 * tram && t > 4.0 * gauge.half_width) {
            facts.send_back = Some("tram".into());
            return Ok(facts.stopped(Cause::BedTilted));
        }
        Ok(facts)
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let before = offset_before(context).map(|(_, says)| ("offset_set_mm", says));
        let profile = commanded(context).1.map(|says| ("commanded_mm", says));
        before.into_iter().chain(profile).collect()
    }

    fn words(f: &Facts<OffsetZFound>, pen: Pen) -> Words {
        let own = &f.own;
        let label = match own.method {
            GapMethod::Patch => "patch",
            GapMethod::Paper | GapMethod::Feeler => "gap at Z 0",
            GapMethod::Routine => "offset against the routine’s",
            GapMethod::Trim => "trim",
        };
        let mut w = Words::new("nozzle offset Z").with_bands(f, pen, |_| label.to_owned());
        let Some((band, measured)) = f.bands.first().zip(w.bands.first()) else {
            return w;
        };
        let measured = measured.measured.clone();
        let expanded = band.expanded;
        let digits = decimals_for(expanded, 1).clamp(2, 3);
        let mm = |v| pen.fixed(v, Unit::Mm, digits);
        let number = |v| pen.fixed_number(v, Unit::Mm, digits);
        let amount = mm(band.error.abs());
        let way = if band.error > 0.0 {
            "closer"
        } else {
            "farther"
        };
        w.reasons = reasons(own, band, pen);
        w.rows
            .push(Row::new("Z offset", Some(mm(own.set_mm)), f.after.map(mm)));
        if let Some(t) = own.tilt_mm {
            let t = Some(pen.fixed(t, Unit::Mm, 2));
            w.rows.push(Row::new("tilt over the patches", t, None));
        }
        match (f.verdict, f.cause) {
            (_, Some(Cause::BedTilted)) => {
                let tilt = pen.fixed(own.tilt_mm.unwrap_or(0.0), Unit::Mm, 2);
                let mut w = w.stop(
                    &format!("the bed is tilted by {tilt} over the patches"),
                    "One offset can’t be right everywhere. Tram the bed first, then print new patches.",
                );
                w.next = "Tram the bed, then come back.".into();
                w
            }
            (_, Some(_)) => w.stop(
                &format!("the nozzle is {amount} off"),
                pen.text("That is not an offset. Look for a nozzle, probe or plate that isn’t seated, or for the wrong offset typed. Start {1 mm} high."),
            ),
            (Verdict::Pass, None) => w.say(
                format!("Pass: Z offset {} stays.", mm(own.set_mm)),
                format!(
                    "The nozzle stands within {} of where it should.",
                    pen.plain(band.limit, Unit::Mm, 3)
                ),
                format!("{} ±{}", mm(own.set_mm), number(expanded)),
                "Go on.",
            ),
            (Verdict::Adjust, None) => {
                let where_now = if band.error > 0.0 {
                    "too far from the bed"
                } else {
                    "too close to the bed"
                };
                w.plain.push(PlainValue {
                    name: "Z offset".into(),
                    // A configuration wants millimetres, whatever the shop is shown.
                    value: Pen::METRIC.plain(own.wanted_mm, Unit::Mm, 3),
                });
                let moved = format!("{} → {}", number(own.set_mm), mm(own.wanted_mm));
                w.say(
                    format!("Adjust: {amount} {way}, {moved}."),
                    format!(
                        "The nozzle stands {amount} {where_now}. Set the new offset, then repeat."
                    ),
                    format!("{moved} ±{}, {way}", number(expanded)),
                    format!(
                        "Set the new offset: the nozzle comes {amount} {way}. Store it, then repeat."
                    ),
                )
            }
            _ => {
                let ways = own.settle.iter().map(|s| way_in_words(s, own, pen)).collect();
                w.unsettled(ways, "the nozzle’s height").headed(
                    format!("Measure again: {measured} could be right or wrong."),
                    format!("{label} {measured}, not settled"),
                    "Add readings here; nothing is set.",
                )
            }
        }
    }
}

fn reasons(own: &OffsetZFound, band: &Band, pen: Pen) -> Vec<String> {
    let gauge = &own.taken.instrument;
    let first = match own.method {
        GapMethod::Patch => format!(
            "{} at {} commanded, measured with {}.",
            count(own.taken.n, "patch", "patches"),
            pen.plain(band.nominal, Unit::Mm, 3),
            gauge.describe(pen)
        ),
        GapMethod::Routine => format!(
            "{} of the printer’s routine.",
            count(own.taken.n, "run", "runs")
        ),
        GapMethod::Trim => format!(
            "{} trimmed by eye, which tells ±{}.",
            count(own.taken.n, "layer", "layers"),
            pen.plain(EYE_MM, Unit::Mm, 3)
        ),
        GapMethod::Paper | GapMethod::Feeler => format!(
            "{} with {}, {} thick ±{}.",
            count(own.taken.n, "touch", "touches"),
            gauge.name,
            pen.plain(gauge.nominal.unwrap_or(0.10), Unit::Mm, 3),
            pen.plain(gauge.shared_half_width, Unit::Mm, 3)
        ),
    };
    let second = own.taken.rests_on(pen, Unit::Mm, 3, "reading", "readings");
    vec![first, second]
}

fn way_in_words(way: &Way, own: &OffsetZFound, pen: Pen) -> String {
    let (one, many) = match own.method {
        GapMethod::Patch => ("patch", "patches"),
        GapMethod::Paper | GapMethod::Feeler => ("touch", "touches"),
        GapMethod::Routine => ("run", "runs"),
        GapMethod::Trim => ("layer", "layers"),
    };
    match way {
        Way::More(n) => more(*n, one, many),
        Way::SamePatches(i) => format!("the same patches measured with {}", i.describe(pen)),
        Way::ByPatches(i) => {
            format!("five first-layer patches measured with {}", i.describe(pen))
        }
    }
}

fn settle(
    mean: &FreshMean,
    gauge: &Instrument,
    method: GapMethod,
    error: f64,
    limit: f64,
    context: &Context,
) -> Vec<Way> {
    let predicted = |n: usize, i: &Instrument| {
        expanded_95(wattotherm_measure::u_of_mean(
            mean.series.s,
            n,
            mean.series.mean,
            &Reading::once(i),
        ))
    };
    let n = mean.series.n;
    let more = (1..=16).map(|k| SettleOption {
        way: Way::More(k),
        expanded: predicted(n + k, gauge),
    });
    let of_kind = |kind| {
        let all = context.house.instruments.iter();
        all.filter(move |i| i.kind == kind)
    };
    let finer = of_kind(InstrumentKind::Micrometer)
        .filter(|i| method == GapMethod::Patch && i.half_width < gauge.half_width)
        .map(|i| SettleOption {
            way: Way::SamePatches(i.clone()),
            expanded: predicted(n, i),
        });
    let by_patch = of_kind(InstrumentKind::Caliper)
        .filter(|_| method != GapMethod::Patch)
        .map(|i| SettleOption {
            way: Way::ByPatches(i.clone()),
            expanded: predicted(5, i),
        });
    [
        what_would_settle(error, limit, more).into_iter().next(),
        what_would_settle(error, limit, finer.chain(by_patch))
            .into_iter()
            .next(),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// The patches' own tilt [mm]: none with fewer than four.
fn tilt(typed: &Typed) -> Option<f64> {
    if typed.places.len() < 4 {
        return None;
    }
    let design: Vec<Vec<f64>> = typed
        .places
        .iter()
        .map(|(x, y)| vec![1.0, *x, *y])
        .collect();
    let fit = least_squares(&design, &typed.values).ok()?;
    let heights = typed
        .places
        .iter()
        .map(|(x, y)| fit.coefficients[1] * x + fit.coefficients[2] * y);
    let (low, high) = heights.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), z| {
        (l.min(z), h.max(z))
    });
    Some(high - low)
}
