//! Trial: a value found by the technician's own test prints, kept with its step and its before.
//!
//! Parameters that have no station of their own yet are worked through here, so that the
//! traveller, early cutoff and the report stay whole.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{plain, spaced};
use wattotherm_measure::{Combined, Verdict, u_rectangular};
use wattotherm_printer::Parameter;

use super::{Context, StationName, band, blank, expanded_95, stopped};
use crate::finding::{Finding, PlainValue, Row};

/// How the trial went.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TrialOutcome {
    /// Not answered yet.
    #[default]
    Open,
    /// The value typed under "best now" is good.
    Good,
    /// The prints don't show which value is best.
    Unclear,
    /// No value gives a good print.
    NoneGood,
}

/// What is typed at a trial.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct TrialReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Value set before the trial; blank if there was none.
    pub before: Entry,
    /// Value that came out best.
    pub best: Entry,
    /// How the trial went.
    pub outcome: TrialOutcome,
    /// How it was found, in the technician's words.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What a trial of one parameter asks for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TrialSpec {
    /// Instruction.
    pub heading: &'static str,
    /// Bounds of the value; none where the value is a text.
    pub limit: Option<Limit>,
    /// Step between neighbouring test prints: a smaller change can't be told apart.
    pub step: f64,
}

const fn number(
    heading: &'static str,
    label: &'static str,
    unit: &'static str,
    [min, max, usual_min, usual_max, step]: [f64; 5],
    why: &'static str,
) -> TrialSpec {
    TrialSpec {
        heading,
        limit: Some(Limit::new(
            "best",
            label,
            unit,
            [min, max, usual_min, usual_max],
            why,
        )),
        step,
    }
}

const fn text(heading: &'static str) -> TrialSpec {
    TrialSpec {
        heading,
        limit: None,
        step: 0.0,
    }
}

/// The trial of a parameter. Steps and bounds are common practice, no published source.
#[must_use]
pub const fn trial_spec(parameter: Parameter) -> TrialSpec {
    match parameter {
        Parameter::SensorType => {
            text("Compare the sensor's type with the type set in the printer.")
        }
        Parameter::Ceiling => number(
            "Find the weakest part of the hot end and set the ceiling to it.",
            "ceiling",
            "°C",
            [150.0, 500.0, 180.0, 350.0, 1.0],
            "no hot end prints below or survives above",
        ),
        Parameter::HeaterLoop => {
            text("Hold the print temperature for 180 s. Does it stay within 1.5 °C?")
        }
        Parameter::Profile => number(
            "Set the bore, line width and layer heights in printer and profile.",
            "bore in the profile",
            "mm",
            [0.1, 2.0, 0.15, 1.2, 0.05],
            "nozzles are drilled in this range",
        ),
        Parameter::OffsetXy => text("Print the two combs and read both offsets."),
        Parameter::PrintTemp => number(
            "Print a temperature tower in steps of 5 °C and choose the middle of the good bands.",
            "print temperature",
            "°C",
            [150.0, 450.0, 170.0, 320.0, 5.0],
            "filaments melt in this range",
        ),
        Parameter::VolumetricLimit => number(
            "Feed at rising flow and note where delivery falls 5 % below the plateau.",
            "volumetric limit",
            "mm³/s",
            [0.5, 100.0, 2.0, 60.0, 1.0],
            "hot ends melt this much",
        ),
        Parameter::PressureAdvance => number(
            "Print the line pattern and choose the line without bulge or gap.",
            "pressure advance",
            "s",
            [0.0, 3.0, 0.0, 1.5, 0.01],
            "longer tubes than these don't exist",
        ),
        Parameter::Retraction => number(
            "Print the string towers and take the shortest retraction without strings.",
            "retraction",
            "mm",
            [0.0, 20.0, 0.0, 12.0, 0.2],
            "a longer pull draws melt into the cold path",
        ),
        // These have stations of their own; a trial of them would still be in order.
        Parameter::Drive => number(
            "Find the steps per millimetre.",
            "steps per millimetre",
            "steps/mm",
            [1.0, 20_000.0, 1.0, 20_000.0, 1.0],
            "no extruder has so few or so many",
        ),
        Parameter::Tram => number(
            "Level the bed.",
            "height across the screws",
            "mm",
            [0.0, 5.0, 0.0, 5.0, 0.05],
            "a bed that far off isn't trammed by its screws",
        ),
        Parameter::OffsetZ => number(
            "Set the nozzle height.",
            "Z offset",
            "mm",
            [-20.0, 20.0, -20.0, 20.0, 0.02],
            "no probe sits farther from its nozzle",
        ),
        Parameter::Flow => number(
            "Find the flow.",
            "flow",
            "%",
            [10.0, 300.0, 60.0, 160.0, 1.0],
            "beyond this it isn't flow that is wrong",
        ),
    }
}

/// Longest text kept for a value that is a text.
const MOST_CHARS: usize = 120;

/// Evaluates a trial.
///
/// Formula: e = best - before, known to half a step either way (rectangular); the limit is one
/// step. A text has moved when it differs.
/// Source: resolution of a stepped search as JCGM 100:2008, 4.3.7; the steps are common practice.
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &TrialReadings, context: &Context) -> Result<Finding, ReadingError> {
    let parameter = context.parameter.unwrap_or(Parameter::PrintTemp);
    let spec = trial_spec(parameter);
    let mut intake = Intake::new(&readings.confirmed);
    if readings.outcome == TrialOutcome::Open {
        intake.push(FieldProblem::Count {
            field: "outcome".into(),
            message: "Say how the trial went.".into(),
        });
    }
    let wants_value = readings.outcome == TrialOutcome::Good;
    let (mut before, mut best) = (None, None);
    let (mut before_text, mut best_text) = (None, None);
    if let Some(limit) = &spec.limit {
        before = intake.may(limit, "before", &readings.before);
        best = if wants_value {
            intake.need(limit, "best", &readings.best)
        } else {
            intake.may(limit, "best", &readings.best)
        };
        // A profile is for the nozzle that is fitted.
        let bore = context.printer.nozzle_mm;
        if parameter == Parameter::Profile
            && best.is_some_and(|b| (b - bore).abs() > 0.005)
            && !readings.confirmed.iter().any(|c| c == "best")
        {
            intake.push(FieldProblem::DidYouMean {
                field: "best".into(),
                label: "fitted nozzle".into(),
                unit: limit.unit.into(),
                got: readings.best.shown(),
                suggestion: bore,
            });
        }
    } else {
        before_text = short_text(&mut intake, "before", &readings.before);
        best_text = short_text(&mut intake, "best", &readings.best);
        if wants_value && best_text.is_none() {
            intake.push(FieldProblem::Missing {
                field: "best".into(),
                label: format!("value found for {}", parameter.in_sentence()),
            });
        }
    }
    intake.finish()?;

    let unit = parameter.unit();
    let mut finding = blank(StationName::Trial, parameter.label(), unit, Verdict::Pass);
    finding.before = before;
    finding.before_text.clone_from(&before_text);
    finding
        .reasons
        .push("Found by your own trial; Wattotherm keeps the record and the step.".into());
    if !readings.note.trim().is_empty() {
        finding
            .reasons
            .push(readings.note.trim().chars().take(400).collect());
    }
    let shown = |n: Option<f64>, t: &Option<String>| match (n, t) {
        (Some(v), _) => format!("{}{}", plain(v, 4), spaced(unit)),
        (None, Some(t)) => t.clone(),
        (None, None) => "not set".into(),
    };
    let (was, now) = (shown(before, &before_text), shown(best, &best_text));
    match readings.outcome {
        TrialOutcome::NoneGood => {
            let cause = format!("no value of {} gives a good print", parameter.in_sentence());
            let mut stop = stopped(finding, &cause);
            stop.sentence =
                "Then it isn't this setting. Look for a part that is worn, loose or clogged."
                    .into();
            return Ok(stop);
        }
        TrialOutcome::Unclear | TrialOutcome::Open => {
            finding.verdict = Verdict::MeasureAgain;
            finding.headline = "Measure again: the prints don't show it.".into();
            finding.settle = vec![
                "repeat the print with the neighbouring values only".into(),
                "take twice the step".into(),
            ];
            finding.sentence =
                "Repeat the print with the neighbouring values only, or take twice the step."
                    .into();
            finding.line = "not settled".into();
            finding.next = "Print again; nothing is set.".into();
            return Ok(finding);
        }
        TrialOutcome::Good => {}
    }
    let moved = if let (Some(a), Some(b)) = (before, best) {
        let half_step = u_rectangular(spec.step / 2.0).unwrap_or(spec.step);
        let expanded = expanded_95(Combined {
            u: half_step,
            dof: f64::INFINITY,
        });
        let band = band(
            parameter.label(),
            unit,
            (b, a),
            (expanded, f64::INFINITY),
            spec.step,
        );
        finding.value_expanded = Some(expanded);
        let verdict = band.verdict;
        finding.bands.push(band);
        finding.reasons.push(format!(
            "Steps of {}{}: a smaller change can't be told apart.",
            plain(spec.step, 3),
            spaced(unit)
        ));
        verdict != Verdict::Pass
    } else {
        before_text != best_text || before != best
    };
    finding.rows.push(Row {
        name: parameter.label().into(),
        before: Some(was.clone()),
        after: moved.then(|| now.clone()),
    });
    if moved {
        finding.verdict = Verdict::Adjust;
        finding.after = best;
        finding.after_text = best_text;
        finding.headline = format!("Adjust: {was} → {now}.");
        finding.sentence = "Set the new value and store it. Then print once more with it.".into();
        finding.line = format!("{was} → {now}");
        finding.next = "Set it, store it, print once more with it; then close with the same value on both sides.".into();
        finding.plain.push(PlainValue {
            name: parameter.label().into(),
            value: now,
        });
    } else {
        finding.headline = format!("Pass: {was} stays.");
        finding.sentence = "The old value holds.".into();
        finding.line = was;
        finding.next = "Go on.".into();
    }
    Ok(finding)
}

fn short_text(intake: &mut Intake<'_>, path: &str, entry: &Entry) -> Option<String> {
    let full = match entry {
        Entry::Text(t) => t.trim().to_owned(),
        Entry::Number(n) => n.to_string(),
        Entry::Empty => String::new(),
    };
    if full.chars().count() > MOST_CHARS {
        intake.conflict(
            path,
            format!("That is too long. Type at most {MOST_CHARS} characters."),
        );
    }
    (!full.is_empty()).then_some(full)
}
