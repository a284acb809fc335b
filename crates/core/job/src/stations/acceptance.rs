//! Acceptance: is the part good, and did it run long enough for the complaint to come back?

use serde::{Deserialize, Serialize};
use statrs::distribution::{ChiSquared, ContinuousCDF};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{duration_min, join_and, plain};
use wattotherm_measure::{InstrumentKind, Verdict, default_instruments, fresh_mean};

use super::answer::Answer;
use super::{Context, StationName, band, blank, expanded_95, stopped};
use crate::finding::{Band, Finding, Row};
use crate::house::{RuleId, ToleranceId};

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
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Limits of the fields.
pub const LIMITS: [Limit; 4] = [
    Limit::new(
        "edge_mm",
        "edge asked for",
        "mm",
        [5.0, 300.0, 10.0, 100.0],
        "a smaller cube can't be measured well, a larger one is no quick test",
    ),
    Limit::new(
        "x_mm",
        "edge",
        "mm",
        [1.0, 400.0, 9.0, 110.0],
        "a cube has a length",
    ),
    Limit::new(
        "strings",
        "strings score",
        "",
        [0.0, 5.0, 0.0, 5.0],
        "the pictures go from 0 to 5",
    ),
    Limit::new(
        "clean_run_min",
        "clean run",
        "min",
        [0.0, 100_000.0, 0.0, 100_000.0],
        "time runs forward",
    ),
];

/// Tolerance factor i of ISO 286-1 [µm] for a nominal size range.
///
/// Formula: i = 0.45·∛D + 0.001·D, D the geometric mean of the range's ends [mm].
/// Source: ISO 286-1:2010, annex B (grades IT5 to IT18, sizes up to 500 mm).
/// Domain: 0 < low < high ≤ 500.
#[must_use]
pub fn tolerance_factor_um(low_mm: f64, high_mm: f64) -> f64 {
    let d = (low_mm * high_mm).sqrt();
    0.45 * d.cbrt() + 0.001 * d
}

/// Nominal size ranges of ISO 286-1:2010, table 1, up to 500 mm [mm]: above … up to and including.
const RANGES: [(f64, f64); 13] = [
    (1.0, 3.0),
    (3.0, 6.0),
    (6.0, 10.0),
    (10.0, 18.0),
    (18.0, 30.0),
    (30.0, 50.0),
    (50.0, 80.0),
    (80.0, 120.0),
    (120.0, 180.0),
    (180.0, 250.0),
    (250.0, 315.0),
    (315.0, 400.0),
    (400.0, 500.0),
];

/// Widths of the grades IT11, IT12, IT13 [µm], a row for each of [`RANGES`].
/// Source: ISO 286-1:2010, table 1 (values from memory; the formula below checks them).
const IT11_TO_13_UM: [[f64; 3]; 13] = [
    [60.0, 100.0, 140.0],
    [75.0, 120.0, 180.0],
    [90.0, 150.0, 220.0],
    [110.0, 180.0, 270.0],
    [130.0, 210.0, 330.0],
    [160.0, 250.0, 390.0],
    [190.0, 300.0, 460.0],
    [220.0, 350.0, 540.0],
    [250.0, 400.0, 630.0],
    [290.0, 460.0, 720.0],
    [320.0, 520.0, 810.0],
    [360.0, 570.0, 890.0],
    [400.0, 630.0, 970.0],
];

fn range_of(size_mm: f64) -> Option<usize> {
    RANGES
        .into_iter()
        .position(|(low, high)| size_mm > low && size_mm <= high)
}

/// Width of an ISO 286-1 grade [µm] for a nominal size [mm], as the standard tabulates it.
///
/// Source: ISO 286-1:2010, table 1. Domain: grade 11 to 13, size above 1 up to 500 mm; none outside.
#[must_use]
pub fn it_grade_um(grade: u8, size_mm: f64) -> Option<f64> {
    let column = usize::from(grade.checked_sub(11)?);
    IT11_TO_13_UM[range_of(size_mm)?].get(column).copied()
}

/// Width of an ISO 286-1 grade [µm] by its formula, unrounded.
///
/// Formula: IT6 to IT13 are 10, 16, 25, 40, 64, 100, 160, 250 times i. Source: ISO 286-1:2010,
/// annex B. The table rounds, in a few ranges by a step more than plain rounding would.
/// Domain: grade 6 to 13, size above 1 up to 500 mm; none outside.
#[must_use]
pub fn it_grade_by_formula_um(grade: u8, size_mm: f64) -> Option<f64> {
    let factor = *[10.0, 16.0, 25.0, 40.0, 64.0, 100.0, 160.0, 250.0]
        .get(usize::from(grade.checked_sub(6)?))?;
    let (low, high) = RANGES[range_of(size_mm)?];
    Some(factor * tolerance_factor_um(low, high))
}

/// Clean running time [min] after which a fault with mean time `mean_min` is shown gone.
///
/// Formula: t = -θ·ln(1 - c). Source: exponential test plan without failure, IEC 60605-4 /
/// MIL-HDBK-781A. Domain: mean > 0, 0 < confidence < 1.
#[must_use]
pub fn clean_run_min(mean_min: f64, confidence: f64) -> f64 {
    debug_assert!(mean_min > 0.0 && confidence > 0.0 && confidence < 1.0);
    -mean_min * (1.0 - confidence).ln()
}

/// Two-sided bounds of the mean time [min] from times to failure, at 90 %.
///
/// Formula: 2T/χ²(0.95; 2r) ≤ θ ≤ 2T/χ²(0.05; 2r) with r failures in a total time T.
/// Source: IEC 60605-4 / MIL-HDBK-781A (failure-terminated). Domain: all times > 0; none if empty.
#[must_use]
pub fn mean_time_bounds_min(times_min: &[f64]) -> Option<(f64, f64)> {
    if times_min.is_empty() {
        return None;
    }
    let total: f64 = times_min.iter().sum();
    // OK because complaints are counted in tens.
    #[allow(clippy::cast_precision_loss)]
    let chi = ChiSquared::new(2.0 * times_min.len() as f64).ok()?;
    Some((
        2.0 * total / chi.inverse_cdf(0.95),
        2.0 * total / chi.inverse_cdf(0.05),
    ))
}

/// How long the acceptance run has to be, and why.
#[derive(Clone, Debug, PartialEq)]
pub struct RunLength {
    /// Minutes.
    pub minutes: f64,
    /// One sentence.
    pub why: String,
}

/// Works out the clean run from the complaint's times to failure and the house rules.
#[must_use]
pub fn run_length(context: &Context) -> RunLength {
    let least = context.house.tolerance(ToleranceId::CleanRunLeastMin);
    let percent = context.house.tolerance(ToleranceId::CleanConfidencePercent);
    let times: Vec<f64> = context
        .failure_times_min
        .iter()
        .copied()
        .filter(|t| t.is_finite() && *t > 0.0)
        .collect();
    // OK because complaints are counted in tens.
    #[allow(clippy::cast_precision_loss)]
    let mean = times.iter().sum::<f64>() / times.len().max(1) as f64;
    if times.is_empty() {
        return RunLength {
            minutes: least,
            why: format!(
                "No time to failure was noted, so the house's least run of {} applies.",
                duration_min(least)
            ),
        };
    }
    let needed = clean_run_min(mean, percent / 100.0);
    let factor = plain(needed / mean, 1);
    let bounds = match mean_time_bounds_min(&times) {
        Some((low, high)) if times.len() > 1 => format!(
            " From {} times the mean lies between {} and {} (90 %).",
            times.len(),
            duration_min(low),
            duration_min(high)
        ),
        _ => String::new(),
    };
    RunLength {
        minutes: needed.max(least),
        why: format!(
            "The fault came after about {}. A clean run of {} ({factor} times that) shows it gone with {} % confidence.{bounds}",
            duration_min(mean),
            duration_min(needed),
            plain(percent, 1)
        ),
    }
}

struct Typed {
    edge: f64,
    axes: Vec<(&'static str, Vec<f64>)>,
    strings: f64,
    run: f64,
}

fn read(readings: &AcceptanceReadings) -> Result<Typed, ReadingError> {
    let [edge_l, axis_l, strings_l, run_l] = &LIMITS;
    let mut intake = Intake::new(&readings.confirmed);
    let edge = intake.need(edge_l, "edge_mm", &readings.edge_mm);
    let mut axes = Vec::new();
    for (name, key, entries) in [
        ("X", "x_mm", &readings.x_mm),
        ("Y", "y_mm", &readings.y_mm),
        ("Z", "z_mm", &readings.z_mm),
    ] {
        if entries.len() > 20 {
            intake.count(key, "Twenty readings are enough. Remove some.");
        }
        let mut values = Vec::new();
        for (i, e) in entries.iter().take(20).enumerate() {
            values.extend(intake.may(axis_l, &format!("{key}.{i}"), e));
        }
        if values.is_empty() {
            intake.count(
                &format!("{key}.0"),
                format!("Type the cube's edge in {name}."),
            );
        }
        axes.push((name, values));
    }
    let strings = intake.need(strings_l, "strings", &readings.strings);
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
    ] {
        if answer == Answer::Open {
            intake.push(FieldProblem::Count {
                field: key.into(),
                message: format!("Say {label}."),
            });
        }
    }
    let run = intake.need(run_l, "clean_run_min", &readings.clean_run_min);
    intake.finish()?;
    Ok(Typed {
        // OK because finish() fails where one of these is missing.
        edge: edge.unwrap_or_default(),
        axes,
        strings: strings.unwrap_or_default(),
        run: run.unwrap_or_default(),
    })
}

fn cube_limit_mm(context: &Context, edge_mm: f64) -> (f64, String) {
    let plain_mm = context.house.tolerance(ToleranceId::CubeMm);
    let grade = match context.house.option(RuleId::CubeBy).id {
        "it11" => Some(11),
        "it12" => Some(12),
        "it13" => Some(13),
        _ => None,
    };
    match grade.and_then(|g| it_grade_um(g, edge_mm).map(|um| (g, um))) {
        Some((g, um)) => (
            um / 2000.0,
            format!("ISO 286-1 IT{g} at this size is {um:.0} µm, half to each side."),
        ),
        None => (
            plain_mm,
            format!("Each edge within ±{} mm.", plain(plain_mm, 3)),
        ),
    }
}

/// Evaluates acceptance.
///
/// Pass needs all of it: every edge inside the tolerance with its uncertainty, strings at most the
/// house's score, first layer and walls good, no clicking, a clean run of the length of
/// [`run_length`]. A failing observation names the station its symptom points at.
/// Source: tolerances ISO 286-1; run length IEC 60605-4 / MIL-HDBK-781A; observations common
/// practice.
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &AcceptanceReadings, context: &Context) -> Result<Finding, ReadingError> {
    let typed = read(readings)?;
    let fallback;
    let instrument = if let Some(i) = context
        .house
        .instrument(&readings.instrument, InstrumentKind::Caliper)
    {
        i
    } else {
        fallback = default_instruments().swap_remove(1);
        &fallback
    };
    let (limit_mm, limit_why) = cube_limit_mm(context, typed.edge);
    let bands: Vec<Band> = typed
        .axes
        .iter()
        .filter_map(|(axis, values)| {
            let mean = fresh_mean(values, instrument, 1.0)?;
            let expanded = expanded_95(mean.combined);
            Some(band(
                axis,
                "mm",
                (mean.series.mean, typed.edge),
                (expanded, mean.combined.dof),
                limit_mm,
            ))
        })
        .collect();
    let run = run_length(context);
    let strings_most = context.house.tolerance(ToleranceId::StringsScore);

    let mut finding = blank(StationName::Acceptance, "acceptance", "", Verdict::Pass);
    finding.reasons = vec![limit_why, run.why.clone()];
    finding.rows = bands
        .iter()
        .map(|b| Row {
            name: format!("{} edge", b.label),
            before: Some(b.nominal_text.clone()),
            after: Some(b.measured_text.clone()),
        })
        .collect();
    finding.rows.push(Row {
        name: "clean run".into(),
        before: Some(duration_min(run.minutes)),
        after: Some(duration_min(typed.run)),
    });
    finding.line = format!("cube and {} clean", duration_min(typed.run));

    // Hazard and unexplained faults first, then what a station can cure, then what only time shows.
    let stop = if readings.came_back == Answer::Yes {
        Some((
            format!("the complaint came back after {}", duration_min(typed.run)),
            "The replaced part did not cure it, or not all of it. Look for what it hasn't explained before you tune anything.",
        ))
    } else if readings.clicking == Answer::Yes {
        Some((
            "the drive clicks or grinds".to_owned(),
            "Something holds the filament back: partial clog, wrong tension, or too cold. Find it; no setting cures it.",
        ))
    } else {
        None
    };
    let wrong = wrong_edges(&bands);
    let failing = if !wrong.is_empty() {
        Some(edge_fault(&wrong))
    } else if typed.strings > strings_most {
        Some((
            format!(
                "strings score {}, at most {} is accepted",
                plain(typed.strings, 1),
                plain(strings_most, 1)
            ),
            "retraction",
        ))
    } else if readings.first_layer_good == Answer::No {
        Some(("the first layer is not even".into(), "offset_z"))
    } else if readings.walls_even == Answer::No {
        Some(("the walls are not even".into(), "flow"))
    } else {
        None
    };
    let unsettled: Vec<&str> = bands
        .iter()
        .filter(|b| b.verdict == Verdict::MeasureAgain)
        .map(|b| b.label.as_str())
        .collect();
    let missing_min = run.minutes - typed.run;

    finding.bands = bands.clone();
    if let Some((cause, sentence)) = stop {
        finding.sentence = sentence.into();
        let sentence = finding.sentence.clone();
        return Ok(Finding {
            sentence,
            ..stopped(finding, &cause)
        });
    }
    if let Some((what, back)) = failing {
        finding.verdict = Verdict::Adjust;
        let label = wattotherm_printer::Parameter::from_id(back)
            .map_or(back, wattotherm_printer::Parameter::label);
        finding.headline = format!("Not accepted: {what}.");
        finding.sentence = format!("Go back to “{label}”, not to the start. Then print again.");
        finding.line = format!("not accepted: {what}");
        finding.next = format!("Reopen “{label}”.");
        finding.send_back = Some(back.into());
        return Ok(finding);
    }
    if missing_min > 0.5 || !unsettled.is_empty() {
        finding.verdict = Verdict::MeasureAgain;
        if missing_min > 0.5 {
            finding.settle.push(format!(
                "print {} more without a fault",
                duration_min(missing_min)
            ));
        }
        if !unsettled.is_empty() {
            finding.settle.push(format!(
                "measure the edge in {} again, in more places",
                join_and(&unsettled)
            ));
        }
        let refs: Vec<&str> = finding.settle.iter().map(String::as_str).collect();
        finding.headline = if missing_min > 0.5 {
            format!(
                "Not long enough yet: {} of {} clean.",
                duration_min(typed.run),
                duration_min(run.minutes)
            )
        } else {
            "Measure again: an edge could be inside or outside.".into()
        };
        finding.sentence = format!("So far nothing failed. To settle it: {}.", join_and(&refs));
        finding.line = format!("{} clean so far", duration_min(typed.run));
        finding.next = "Keep it running; the job keeps its place.".into();
        return Ok(finding);
    }
    finding.headline = "Pass: accepted.".into();
    finding.sentence = format!(
        "The cube is inside its limits and it ran {} clean.",
        duration_min(typed.run)
    );
    finding.next = "Hand over.".into();
    Ok(finding)
}

fn wrong_edges(bands: &[Band]) -> Vec<&Band> {
    bands
        .iter()
        .filter(|b| b.verdict == Verdict::Adjust)
        .collect()
}

/// Where a wrong edge points: Z alone to the Z offset (the first layer is squeezed or lifted);
/// X and Y to flow (walls too thick or thin). Common practice, no published source.
fn edge_fault(wrong: &[&Band]) -> (String, &'static str) {
    let texts: Vec<String> = wrong
        .iter()
        .map(|b| format!("{} is {}", b.label, b.measured_text))
        .collect();
    let refs: Vec<&str> = texts.iter().map(String::as_str).collect();
    let back = if wrong.iter().all(|b| b.label == "Z") {
        "offset_z"
    } else {
        "flow"
    };
    (join_and(&refs), back)
}
