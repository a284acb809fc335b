//! Trial: a value found by the technician's own test prints, kept with its step and its before.
//!
//! Parameters that have no station of their own yet are worked through here, so that the
//! traveller, early cutoff and the report stay whole.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::{Pen, Unit, Verdict, u_rectangular};
use wattotherm_printer::Parameter;

use super::{SetUp, Station, expanded_type_b, known};
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form};
use crate::house::RuleId;

/// A value found by the technician's own trial.
pub struct Trial;

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

/// What a trial found.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TrialFound {
    parameter: Parameter,
    /// Step between neighbouring prints; none where the value is a text or there was none before.
    step: Option<f64>,
    best: Option<f64>,
    best_text: Option<String>,
    note: String,
}

/// What a trial of one parameter asks for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TrialSpec {
    /// Instruction.
    pub heading: &'static str,
    /// Bounds of the value; none where the value is a text.
    pub limit: Option<Limit>,
    /// Step between neighbouring test prints [unit of the parameter]: a smaller change can't be told apart.
    pub step: f64,
}

const fn number(
    heading: &'static str,
    label: &'static str,
    unit: Unit,
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
            Unit::Celsius,
            [150.0, 500.0, 180.0, 350.0, 1.0],
            "no hot end prints below or survives above",
        ),
        Parameter::HeaterLoop => {
            text("Hold the print temperature for 180 s. Does it stay within {1.5 K}?")
        }
        Parameter::Profile => number(
            "Set the bore, line width and layer heights in printer and profile.",
            "bore in the profile",
            Unit::Mm,
            [0.1, 2.0, 0.15, 1.2, 0.05],
            "nozzles are drilled in this range",
        ),
        Parameter::OffsetXy => text("Print the two combs and read both offsets."),
        Parameter::PrintTemp => number(
            "Print a temperature tower in steps of {5 K} and choose the middle of the good bands.",
            "print temperature",
            Unit::Celsius,
            [150.0, 450.0, 170.0, 320.0, 5.0],
            "filaments melt in this range",
        ),
        Parameter::VolumetricLimit => number(
            "Feed at rising flow and note where delivery falls 5 % below the plateau.",
            "volumetric limit",
            Unit::Mm3PerS,
            [0.5, 100.0, 2.0, 60.0, 1.0],
            "hot ends melt this much",
        ),
        Parameter::PressureAdvance => number(
            "Print the line pattern and choose the line without bulge or gap.",
            "pressure advance",
            Unit::Second,
            [0.0, 3.0, 0.0, 1.5, 0.01],
            "longer tubes than these don't exist",
        ),
        Parameter::Retraction => number(
            "Print the string towers and take the shortest retraction without strings.",
            "retraction",
            Unit::Mm,
            [0.0, 20.0, 0.0, 12.0, 0.2],
            "a longer pull draws melt into the cold path",
        ),
        // These have stations of their own; a trial of them would still be in order.
        Parameter::Drive => number(
            "Find the steps per millimetre.",
            "steps per millimetre",
            Unit::StepsPerMm,
            [1.0, 20_000.0, 1.0, 20_000.0, 1.0],
            "no extruder has so few or so many",
        ),
        Parameter::Tram => number(
            "Level the bed.",
            "height across the screws",
            Unit::Mm,
            [0.0, 5.0, 0.0, 5.0, 0.05],
            "a bed that far off isn't trammed by its screws",
        ),
        Parameter::OffsetZ => number(
            "Set the nozzle height.",
            "Z offset",
            Unit::Mm,
            [-20.0, 20.0, -20.0, 20.0, 0.02],
            "no probe sits farther from its nozzle",
        ),
        Parameter::Flow => number(
            "Find the flow.",
            "flow",
            Unit::Percent,
            [10.0, 300.0, 60.0, 160.0, 1.0],
            "beyond this it isn't flow that is wrong",
        ),
    }
}

/// Longest text kept for a value that is a text.
const MOST_CHARS: usize = 120;
/// Longest note.
const MOST_NOTE: usize = 20_000;
/// Of a note, what stands among the reasons.
const NOTE_SHOWN: usize = 400;

fn parameter_of(context: &Context) -> Parameter {
    context.parameter.unwrap_or(Parameter::PrintTemp)
}

impl Station for Trial {
    type Readings = TrialReadings;
    type Own = TrialFound;
    const ID: &'static str = "trial";

    fn start(context: &Context) -> TrialReadings {
        let bore =
            (context.parameter == Some(Parameter::Profile)).then_some(context.printer.nozzle_mm);
        TrialReadings {
            before: match &context.before_text {
                Some(t) => t.as_str().into(),
                None => known(context.before, 3),
            },
            best: known(bore, 3),
            ..TrialReadings::default()
        }
    }

    fn form(_: &TrialReadings, context: &Context) -> Form {
        let parameter = parameter_of(context);
        let value = |path: &str, label: &str| match &trial_spec(parameter).limit {
            Some(limit) => Field::number_at(path, limit).named(label),
            None => Field::text(path, label, MOST_CHARS),
        };
        Form::default()
            .group(
                "",
                vec![value("before", "Set before"), value("best", "Best now")],
            )
            .large()
            .group(
                "",
                vec![
                    Field::choice(
                        "outcome",
                        "How did it go?",
                        &[
                            ("good", "the value under “Best now” is good"),
                            ("unclear", "the prints don’t show it"),
                            ("none_good", "no value is good"),
                        ],
                    )
                    .needed(),
                    Field::text("note", "What you saw", MOST_NOTE),
                ],
            )
    }

    fn set_up(_: &TrialReadings, context: &Context) -> SetUp {
        let parameter = parameter_of(context);
        let up = SetUp::new(context.house.pen.text(trial_spec(parameter).heading)).hint(
            "Find it by your own test prints. Wattotherm keeps the record, and what hangs on it is released when the value stays.",
        );
        let up = super::guide::guide(parameter, context)
            .iter()
            .fold(up, |up, hint| up.hint(context.house.pen.text(hint)));
        let up = match parameter {
            Parameter::Profile => up.rule(RuleId::ProfileAfterBore, context, ""),
            Parameter::PrintTemp => up.rule(RuleId::AllMetalConversion, context, ""),
            Parameter::Retraction => up.rule(RuleId::RetractionSearch, context, ""),
            _ => up,
        };
        if parameter == Parameter::Profile {
            up
        } else {
            up.hot(None, context.house.pen)
        }
    }

    /// Formula: e = best - before, known to half a step either way (rectangular); the limit is one
    /// step. A text has moved when it differs.
    /// Source: resolution of a stepped search as JCGM 100:2008, 4.3.7; the steps are common practice.
    fn facts(r: &TrialReadings, context: &Context) -> Result<Facts<TrialFound>, ReadingError> {
        let parameter = parameter_of(context);
        let spec = trial_spec(parameter);
        let mut intake = Intake::new(&r.confirmed);
        if r.outcome == TrialOutcome::Open {
            intake.push(FieldProblem::Count {
                field: "outcome".into(),
                message: "Say how the trial went.".into(),
            });
        }
        super::snapshot::no_longer(&mut intake, "note", &r.note, MOST_NOTE);
        let wants_value = r.outcome == TrialOutcome::Good;
        let (mut before, mut best) = (None, None);
        let (mut before_text, mut best_text) = (None, None);
        if let Some(limit) = &spec.limit {
            before = intake.may(limit, "before", &r.before);
            best = if wants_value {
                intake.need(limit, "best", &r.best)
            } else {
                intake.may(limit, "best", &r.best)
            };
            // A profile is for the nozzle that is fitted.
            let bore = context.printer.nozzle_mm;
            if parameter == Parameter::Profile
                && best.is_some_and(|b| (b - bore).abs() > 0.005)
                && !r.confirmed.iter().any(|c| c == "best")
            {
                intake.push(FieldProblem::DidYouMean {
                    field: "best".into(),
                    label: "fitted nozzle".into(),
                    unit: limit.unit,
                    got: r.best.shown(),
                    suggestion: bore,
                });
            }
        } else {
            before_text = short_text(&mut intake, "before", &r.before);
            best_text = short_text(&mut intake, "best", &r.best);
            if wants_value && best_text.is_none() {
                intake.push(FieldProblem::Missing {
                    field: "best".into(),
                    label: format!("value found for {}", parameter.in_sentence()),
                });
            }
        }
        intake.finish()?;
        let own = TrialFound {
            parameter,
            step: None,
            best,
            best_text: best_text.clone(),
            note: r.note.trim().chars().take(NOTE_SHOWN).collect(),
        };
        let mut facts = Facts::new(Self::ID, parameter.unit(), Verdict::Pass, own);
        facts.before = before;
        facts.before_text.clone_from(&before_text);
        match r.outcome {
            TrialOutcome::NoneGood => return Ok(facts.stopped(Cause::NoGoodValue)),
            TrialOutcome::Unclear | TrialOutcome::Open => {
                facts.verdict = Verdict::MeasureAgain;
                return Ok(facts);
            }
            TrialOutcome::Good => {}
        }
        let moved = if let (Some(a), Some(b)) = (before, best) {
            let half_step = u_rectangular(spec.step / 2.0).unwrap_or(spec.step);
            let expanded = expanded_type_b(half_step);
            let band = Band::new(
                "value",
                parameter.unit(),
                (b, a),
                (expanded, f64::INFINITY),
                spec.step,
            );
            facts.value_expanded = Some(expanded);
            facts.own.step = Some(spec.step);
            let verdict = band.verdict;
            facts.bands.push(band);
            verdict != Verdict::Pass
        } else {
            before_text != best_text || before != best
        };
        if moved {
            facts.verdict = Verdict::Adjust;
            facts.after = best;
            facts.after_text = best_text;
        }
        Ok(facts)
    }

    fn words(f: &Facts<TrialFound>, pen: Pen) -> Words {
        let own = &f.own;
        let label = own.parameter.label();
        let unit = own.parameter.unit();
        let mut w = Words::new(label).with_bands(f, pen, |_| label.to_owned());
        w.reasons
            .push("Found by your own trial; Wattotherm keeps the record and the step.".into());
        if !own.note.is_empty() {
            w.reasons.push(own.note.clone());
        }
        let shown = |n: Option<f64>, t: &Option<String>| match (n, t) {
            (Some(v), _) => pen.plain(v, unit, 4),
            (None, Some(t)) => t.clone(),
            (None, None) => "not set".into(),
        };
        let was = shown(f.before, &f.before_text);
        let now = shown(own.best, &own.best_text);
        if f.cause.is_some() {
            return w.stop(
                &format!(
                    "no value of {} gives a good print",
                    own.parameter.in_sentence()
                ),
                "Then it isn't this setting. Look for a part that is worn, loose or clogged.",
            );
        }
        if f.verdict == Verdict::MeasureAgain {
            w.settle = vec![
                "repeat the print with the neighbouring values only".into(),
                "take twice the step".into(),
            ];
            return w.say(
                "Measure again: the prints don't show it.",
                "Repeat the print with the neighbouring values only, or take twice the step.",
                "not settled",
                "Print again; nothing is set.",
            );
        }
        if let Some(step) = own.step {
            w.reasons.push(format!(
                "Steps of {}: a smaller change can't be told apart.",
                pen.plain(step, unit.of_difference(), 3)
            ));
        }
        let moved = f.verdict == Verdict::Adjust;
        w.rows.push(Row::new(
            label,
            Some(was.clone()),
            moved.then(|| now.clone()),
        ));
        if moved {
            w.plain.push(PlainValue {
                name: label.into(),
                // A profile wants °C and millimetres, whatever the shop is shown.
                value: match own.best {
                    Some(v) => Pen::METRIC.plain(v, unit, 4),
                    None => now.clone(),
                },
            });
            w.say(
                format!("Adjust: {was} → {now}."),
                "Set the new value and store it. Then print once more with it.",
                format!("{was} → {now}"),
                "Set it, store it, print once more with it; then close with the same value on both sides.",
            )
        } else {
            w.say(
                format!("Pass: {was} stays."),
                "The old value holds.",
                was,
                "Go on.",
            )
        }
    }
}

fn short_text(intake: &mut Intake<'_>, path: &str, entry: &Entry) -> Option<String> {
    let full = match entry {
        Entry::Text(t) => t.trim().to_owned(),
        Entry::Number(n) => n.to_string(),
        Entry::Empty => String::new(),
    };
    super::snapshot::no_longer(intake, path, &full, MOST_CHARS);
    (!full.is_empty()).then_some(full)
}
