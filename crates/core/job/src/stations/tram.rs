//! Tram: the bed's plane, and how far to turn each screw.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{fixed, plain};
use wattotherm_measure::{
    Combined, InstrumentKind, LeastSquares, SettleOption, Verdict, least_squares, u_rectangular,
    what_would_settle,
};
use wattotherm_printer::ScrewThread;

use super::{Context, StationName, ask_for_more, band, blank, expanded_95, stopped};
use crate::finding::{Finding, PlainValue, Row};
use crate::house::ToleranceId;

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

/// Limits of the fields.
pub const LIMITS: [Limit; 2] = [
    Limit {
        field: "x_mm",
        label: "position",
        unit: "mm",
        min: 0.0,
        max: 2_000.0,
        usual_min: 0.0,
        usual_max: 2_000.0,
        why: "positions are counted from the bed's front left corner",
    },
    Limit {
        field: "z_mm",
        label: "height",
        unit: "mm",
        min: -20.0,
        max: 20.0,
        usual_min: -5.0,
        usual_max: 5.0,
        why: "a bed that far off isn't trammed by its screws",
    },
];

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
    if readings.points.len() > 100 {
        intake.count("points", "A hundred places are enough. Remove some.");
    }
    for (i, p) in readings.points.iter().take(100).enumerate() {
        let x = intake.need(&LIMITS[0], &format!("points.{i}.x_mm"), &p.x_mm);
        let y = intake.need(&LIMITS[0], &format!("points.{i}.y_mm"), &p.y_mm);
        let z = intake.need(&LIMITS[1], &format!("points.{i}.z_mm"), &p.z_mm);
        if let (Some(x), Some(y), Some(z)) = (x, y, z) {
            let up = match readings.sense {
                HeightSense::Gap => -z,
                HeightSense::BedHeight => z,
            };
            let name = if p.name.trim().is_empty() {
                format!("place {}", i + 1)
            } else {
                p.name.chars().take(40).collect()
            };
            heights.push(Height {
                name,
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
    intake.finish()?;
    Ok(heights)
}

/// A turn of a screw as one says it at the bench: "a quarter turn clockwise".
#[must_use]
pub fn turn_in_words(turns_clockwise: f64) -> String {
    let eighths = (turns_clockwise.abs() * 8.0).round();
    if eighths < 1.0 {
        return "leave it".into();
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
    let way = if turns_clockwise > 0.0 {
        "clockwise"
    } else {
        "anticlockwise"
    };
    format!("{amount} {way}")
}

/// What shape the plane leaves over, if it is more than the limit.
fn warp_name(heights: &[Height], residuals: &[f64]) -> &'static str {
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
        "twisted: two opposite corners stand high"
    } else if bowl > 0.0 {
        "hollow: the middle lies low"
    } else {
        "domed: the middle stands high"
    }
}

/// Evaluates the tram.
///
/// Formula: least-squares plane z = a + b·x + c·y through the heights; for each screw the plane's
/// height less the mean over the screws; turns = Δz / pitch. The error is the plane's height
/// across the screws (largest less smallest), its uncertainty that of the difference between those
/// two screws, u·√(dᵀ(XᵀX)⁻¹d) with u the instrument's rectangular uncertainty. What the plane
/// leaves over is warp: no screw cures it.
/// Source: least squares as in [`least_squares`]; pitch ISO 261; the method is common practice.
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible, or points on one line.
pub fn evaluate(readings: &TramReadings, context: &Context) -> Result<Finding, ReadingError> {
    let heights = read(readings)?;
    let design: Vec<Vec<f64>> = heights.iter().map(|h| vec![1.0, h.x, h.y]).collect();
    let ups: Vec<f64> = heights.iter().map(|h| h.up).collect();
    let fit = least_squares(&design, &ups).map_err(|e| ReadingError {
        problems: vec![FieldProblem::Conflict {
            field: "points".into(),
            message: format!("No plane: {e}."),
        }],
    })?;
    let at =
        |h: &Height| fit.coefficients[0] + fit.coefficients[1] * h.x + fit.coefficients[2] * h.y;
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
        return Err(ReadingError {
            problems: Vec::new(),
        });
    };
    let instrument = context
        .house
        .instrument(&readings.instrument, InstrumentKind::HeightGauge);
    let half_width = instrument.map_or(0.01, |i| i.half_width.max(i.shared_half_width));
    let expanded_for = |half: f64| {
        let u =
            u_rectangular(half).unwrap_or(f64::INFINITY) * difference_factor(&fit, high.0, low.0);
        expanded_95(Combined {
            u,
            dof: f64::INFINITY,
        })
    };
    let expanded = expanded_for(half_width);
    let limit = context.house.tolerance(ToleranceId::TramMm);
    let tilt = high.1 - low.1;
    let band = band(
        "across the screws",
        "mm",
        (tilt, 0.0),
        (expanded, f64::INFINITY),
        limit,
    );
    let warp = fit.residuals.iter().fold(0.0_f64, |m, r| m.max(r.abs()));

    let turns: Vec<(&Height, f64)> = screws
        .iter()
        .map(|(h, z)| {
            // A screw whose place stands high must go down.
            let down_turns = (z - mean) / readings.thread.pitch_mm();
            let sign = match readings.clockwise {
                Clockwise::Lowers => 1.0,
                Clockwise::Raises => -1.0,
            };
            (*h, sign * down_turns)
        })
        .collect();

    let mut finding = blank(
        StationName::Tram,
        "height across the screws",
        "mm",
        band.verdict,
    );
    finding.before = Some(tilt);
    finding.value_expanded = Some(expanded);
    finding.reasons.push(format!(
        "Plane through {} places, read with {}.",
        heights.len(),
        instrument.map_or_else(
            || "an instrument of ±0.01 mm".into(),
            wattotherm_measure::Instrument::describe
        )
    ));
    if fit.dof > 0 {
        finding.reasons.push(if warp > limit {
            format!(
                "The plane leaves {} mm over: the bed is {}. That is warp: for a mesh, not for screws.",
                fixed(warp, 2),
                warp_name(&heights, &fit.residuals)
            )
        } else {
            format!("The plane leaves only {} mm over: the bed is flat enough.", fixed(warp, 3))
        });
    }
    match band.verdict {
        Verdict::Pass => {
            finding.headline = format!("Pass: {} across the screws.", band.measured_text);
            finding.sentence = format!("Inside {} mm. Leave the screws alone.", plain(limit, 3));
            finding.line = format!("{} across", band.measured_text);
            finding.next = "Go on.".into();
        }
        Verdict::Adjust => {
            finding.after = Some(0.0);
            finding.rows = turns
                .iter()
                .map(|(h, t)| Row {
                    name: h.name.clone(),
                    before: Some(format!("{} mm", fixed(at(h) - mean, 2))),
                    after: Some(turn_in_words(*t)),
                })
                .collect();
            finding.plain = turns
                .iter()
                .map(|(h, t)| PlainValue {
                    name: h.name.clone(),
                    value: format!(
                        "{:.0}° {}",
                        t.abs() * 360.0,
                        if *t > 0.0 {
                            "clockwise"
                        } else {
                            "anticlockwise"
                        }
                    ),
                })
                .collect();
            finding.headline = format!("Adjust: {} across the screws.", band.measured_text);
            finding.sentence = format!(
                "Turn the screws as shown, seen from above. Then read again: about {} mm should be left at each place.",
                fixed(warp.max(half_width), 2)
            );
            finding.line = format!("was {}, screws turned", band.measured_text);
            finding.next = "Turn the screws, then read all heights again.".into();
        }
        Verdict::MeasureAgain | Verdict::Stop => {
            let finer = context
                .house
                .instruments
                .iter()
                .filter(|i| i.unit == "mm" && i.half_width > 0.0 && i.half_width < half_width)
                .filter(|i| i.kind == InstrumentKind::HeightGauge)
                .map(|i| SettleOption {
                    says: format!("read the heights with {}", i.describe()),
                    expanded: expanded_for(i.half_width),
                });
            let repeats = [2.0_f64, 4.0, 9.0].into_iter().map(|n| SettleOption {
                says: format!(
                    "type the mean of {n:.0} readings at each place, with an instrument of ±{} mm",
                    plain(half_width / n.sqrt(), 3)
                ),
                expanded: expanded_for(half_width / n.sqrt()),
            });
            finding.settle = what_would_settle(tilt, limit, finer.chain(repeats));
            finding.settle.truncate(2);
            finding.headline = format!(
                "Measure again: {} could be level or not.",
                band.measured_text
            );
            finding.sentence = ask_for_more(&finding.settle, "the bed");
            finding.line = format!("{} across, not settled", band.measured_text);
            finding.next = "Read again; leave the screws alone.".into();
        }
    }
    finding.bands.push(band);
    let most = turns.iter().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()));
    if let Some((h, t)) = most
        && t.abs() > MOST_TURNS
    {
        let cause = format!("the {} screw would need {:.1} turns", h.name, t.abs());
        return Ok(Finding {
            sentence:
                "A bed that far off isn't trammed by its screws: look for a shifted plate, a \
                       loose carriage wheel, a missing spring, or a head crossing out of level."
                    .into(),
            ..stopped(finding, &cause)
        });
    }
    Ok(finding)
}

/// √(dᵀ(XᵀX)⁻¹d) for the difference between two places.
fn difference_factor(fit: &LeastSquares, a: &Height, b: &Height) -> f64 {
    fit.unit_variance(&[0.0, a.x - b.x, a.y - b.y])
        .max(0.0)
        .sqrt()
}
