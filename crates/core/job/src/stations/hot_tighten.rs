//! Hot tighten: the nozzle against the heat break, at temperature, and no seep after the wait.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::Verdict;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::plain;

use super::answer::Answer;
use super::{Context, StationName, blank, stopped};
use crate::finding::{Finding, Row};
use crate::sheets::tightening_c;

/// What is noted at the hot tightening.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct HotTightenReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Nozzle when it was tightened [°C], from the printer or read off its display.
    pub at_c: Entry,
    /// Was the block held with a second tool?
    pub block_held: Answer,
    /// Is a gap left between hex and block?
    pub gap_left: Answer,
    /// Torque [N·m], where a torque driver was used.
    pub torque_nm: Entry,
    /// Minutes waited after extruding.
    pub waited_min: Entry,
    /// Does plastic seep above the nozzle?
    pub seeps: Answer,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Limits of the fields.
pub const LIMITS: [Limit; 3] = [
    Limit::new(
        "at_c",
        "nozzle temperature",
        "°C",
        [0.0, 500.0, 150.0, 320.0],
        "no nozzle is tightened hotter",
    ),
    Limit::new(
        "torque_nm",
        "torque",
        "N·m",
        [0.1, 20.0, 1.0, 5.0],
        "M6 threads strip beyond; 2.5 to 3 N·m is usual",
    ),
    Limit::new(
        "waited_min",
        "wait",
        "min",
        [0.0, 600.0, 1.0, 60.0],
        "a shift has fewer minutes",
    ),
];

/// Least temperature for tightening [°C]: below, plastic in the thread reads as tight. Common practice.
const LEAST_C: f64 = 200.0;
/// How far below the planned temperature still counts [°C]. Common practice.
const NEAR_C: f64 = 10.0;
/// Least wait before the look [min]. Common practice.
const LEAST_WAIT_MIN: f64 = 2.0;
/// Most torque for a brass M6 nozzle [N·m]. Common practice: 2.5 to 3 hot.
const MOST_NM: f64 = 3.5;

/// Evaluates the hot tightening.
///
/// Source: common practice, no published source.
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &HotTightenReadings, context: &Context) -> Result<Finding, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let [at, torque, waited] = &LIMITS;
    let at_c = intake.need(at, "at_c", &readings.at_c);
    let torque_nm = intake.may(torque, "torque_nm", &readings.torque_nm);
    let waited_min = intake.need(waited, "waited_min", &readings.waited_min);
    for (field, answered, message) in [
        (
            "block_held",
            readings.block_held,
            "Say whether the block was held with a second tool.",
        ),
        (
            "gap_left",
            readings.gap_left,
            "Say whether a gap is left between hex and block.",
        ),
        ("seeps", readings.seeps, "Say whether plastic seeps."),
    ] {
        if answered == Answer::Open {
            intake.push(FieldProblem::Count {
                field: field.into(),
                message: message.into(),
            });
        }
    }
    intake.finish()?;
    let (at_c, waited_min) = (at_c.unwrap_or(0.0), waited_min.unwrap_or(0.0));
    let planned_c = tightening_c(context);
    let mut finding = blank(StationName::HotTighten, "hot tightening", "", Verdict::Pass);
    finding.rows.push(Row {
        name: "nozzle when tightened, °C".into(),
        before: Some(plain(planned_c, 0)),
        after: Some(plain(at_c, 0)),
    });
    if let Some(t) = torque_nm {
        finding.rows.push(Row {
            name: "torque, N·m".into(),
            before: Some("2.5 to 3".into()),
            after: Some(plain(t, 1)),
        });
    }
    let stop = |cause: &str, sentence: &str| {
        let mut s = stopped(finding.clone(), cause);
        sentence.clone_into(&mut s.sentence);
        s
    };
    if readings.seeps == Answer::Yes {
        return Ok(stop(
            "plastic seeps above the nozzle",
            "The joint leaks. Cool down, take the nozzle out, clean both faces, and seat it against the heat break again. More torque doesn't close a leak.",
        ));
    }
    if readings.gap_left == Answer::No {
        return Ok(stop(
            "the nozzle sits on the block, not on the heat break",
            "Back the heat break out by half a turn so that the nozzle meets it first, then tighten hot again.",
        ));
    }
    if readings.block_held == Answer::No {
        return Ok(stop(
            "the block was not held",
            "The heat break took the whole torque. Look at it from the side for a twist, and at the wires, before it is heated again.",
        ));
    }
    if torque_nm.is_some_and(|t| t > MOST_NM) {
        return Ok(stop(
            &format!(
                "{} N·m is more than the thread bears",
                plain(torque_nm.unwrap_or(0.0), 1)
            ),
            "Look for a stretched thread: take the nozzle out and try it by hand, then tighten to 2.5 to 3 N·m.",
        ));
    }
    let mut settle = Vec::new();
    if at_c < LEAST_C.min(planned_c) || at_c < planned_c - NEAR_C {
        settle.push(format!(
            "heat to {} °C and tighten again",
            plain(planned_c, 0)
        ));
    }
    if waited_min < LEAST_WAIT_MIN {
        settle.push(format!(
            "wait {} min after extruding, then look again",
            plain(LEAST_WAIT_MIN, 0)
        ));
    }
    if !settle.is_empty() {
        finding.verdict = Verdict::MeasureAgain;
        finding.headline = "Not proven yet.".into();
        finding.sentence = format!(
            "What is tight cold opens when the block expands. To settle it: {}.",
            settle.join("; ")
        );
        finding.line = format!("at {} °C, not proven", plain(at_c, 0));
        finding.settle = settle;
        finding.next = "Tighten hot, wait, look.".into();
        return Ok(finding);
    }
    finding.headline = format!("Pass: tightened at {} °C, no seep.", plain(at_c, 0));
    finding.sentence = format!(
        "Block held, gap left, dry after {} min.",
        plain(waited_min, 0)
    );
    finding.line = format!(
        "at {} °C, dry after {} min",
        plain(at_c, 0),
        plain(waited_min, 0)
    );
    finding.next = "Go on.".into();
    Ok(finding)
}
