//! Hot tighten: the nozzle against the heat break, at temperature, and no seep after the wait.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::{Pen, Unit, Verdict};

use super::{Answer, SetUp, Station};
use crate::caution::SignalWord;
use crate::context::Context;
use crate::finding::{Cause, Facts, Row, Words};
use crate::form::{Action, Field, Form};
use crate::house::RuleId;
use crate::sheets::{holder, sock_is_off, tightening_c};

/// Nozzle tightened hot.
pub struct HotTighten;

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

/// What was found at the joint.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct HotTightenFound {
    at_c: f64,
    planned_c: f64,
    torque_nm: Option<f64>,
    waited_min: f64,
    /// It was too cold to prove anything.
    too_cold: bool,
    /// The look came too early.
    too_early: bool,
}

const AT: Limit = Limit::new(
    "at_c",
    "nozzle temperature",
    Unit::Celsius,
    [0.0, 500.0, 150.0, 320.0],
    "no nozzle is tightened hotter",
);
const TORQUE: Limit = Limit::new(
    "torque_nm",
    "torque",
    Unit::NewtonMetre,
    [0.1, 20.0, 1.0, 5.0],
    "M6 threads strip beyond; 2.5 to 3 N·m is usual",
);
const WAITED: Limit = Limit::new(
    "waited_min",
    "wait",
    Unit::Minute,
    [0.0, 600.0, 1.0, 60.0],
    "a shift has fewer minutes",
);

/// Least temperature for tightening [°C]: below, plastic in the thread reads as tight. Common practice.
const LEAST_C: f64 = 200.0;
/// How far below the planned temperature still counts [°C]. Common practice.
const NEAR_C: f64 = 10.0;
/// Least wait before the look [min]. Common practice.
const LEAST_WAIT_MIN: f64 = 2.0;
/// Most torque for a brass M6 nozzle [N·m]. Common practice: 2.5 to 3 hot.
const MOST_NM: f64 = 3.5;

impl Station for HotTighten {
    type Readings = HotTightenReadings;
    type Own = HotTightenFound;
    const ID: &'static str = "hot_tighten";

    fn start(_: &Context) -> HotTightenReadings {
        HotTightenReadings::default()
    }

    fn form(r: &HotTightenReadings, context: &Context) -> Form {
        let form = Form::default()
            .group(
                "",
                vec![
                    Field::number(&AT).named("Nozzle when tightened").needed(),
                    Field::number(&TORQUE).named("Torque, if measured"),
                    Field::number(&WAITED)
                        .named("Waited after extruding")
                        .needed(),
                ],
            )
            .large()
            .drawn("tighten")
            .unlinked(
                "Not connected: heat at the printer and read the temperature off its display.",
            );
        let form = match Self::set_up(r, context).target_c {
            Some(target_c) => form.act(
                format!(
                    "Heat to {} and stay hot",
                    context.house.pen.plain(target_c, Unit::Celsius, 0)
                ),
                Action::Warm { target_c },
            ),
            None => form,
        };
        form.act(
            "Tight now: take what it shows",
            Action::TakeTemperatures {
                nozzle: "at_c",
                bed: None,
            },
        )
        .group(
            "",
            vec![
                Field::yes_no("block_held", "Was the block held with a second tool?"),
                Field::yes_no("gap_left", "Is a gap left between hex and block?"),
                Field::yes_no("seeps", "Does plastic seep above the nozzle?"),
            ],
        )
    }

    fn set_up(_: &HotTightenReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        let at_c = tightening_c(context);
        let mut up = SetUp::new(format!(
            "Tighten the nozzle at {}, holding the block.",
            pen.plain(at_c, Unit::Celsius, 0)
        ))
        .hint(pen.text(&format!(
            "On the block the {}; {{2.5 to 3 N·m}}; then load, extrude {{50 mm}}, wait two minutes, look above the nozzle.",
            holder(context).trim_end_matches(" for the block")
        )))
        .rule(RuleId::HotTightening, context, "")
        .caution(
            SignalWord::Warning,
            "Burns and a broken heat break. Heat-proof gloves; second tool on the block, never on the heat sink or the wires. Never fingers under the nozzle.",
        );
        if sock_is_off(context) {
            up.hints.push(
                "Dry? Let it cool, then the sock back on before anything else is tried.".into(),
            );
        }
        up.target_c = Some(at_c);
        up
    }

    /// Source: common practice, no published source.
    fn facts(
        r: &HotTightenReadings,
        context: &Context,
    ) -> Result<Facts<HotTightenFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let at_c = intake.need(&AT, "at_c", &r.at_c);
        let torque_nm = intake.may(&TORQUE, "torque_nm", &r.torque_nm);
        let waited_min = intake.need(&WAITED, "waited_min", &r.waited_min);
        for (field, answered, message) in [
            (
                "block_held",
                r.block_held,
                "Say whether the block was held with a second tool.",
            ),
            (
                "gap_left",
                r.gap_left,
                "Say whether a gap is left between hex and block.",
            ),
            ("seeps", r.seeps, "Say whether plastic seeps."),
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
        let own = HotTightenFound {
            at_c,
            planned_c,
            torque_nm,
            waited_min,
            too_cold: at_c < LEAST_C.min(planned_c) || at_c < planned_c - NEAR_C,
            too_early: waited_min < LEAST_WAIT_MIN,
        };
        let open = own.too_cold || own.too_early;
        let mut facts = Facts::new(Self::ID, Unit::One, Verdict::Pass, own);
        let fault = if r.seeps == Answer::Yes {
            Some(Cause::NozzleLeaks)
        } else if r.gap_left == Answer::No {
            Some(Cause::NozzleOnBlock)
        } else if r.block_held == Answer::No {
            Some(Cause::BlockNotHeld)
        } else if torque_nm.is_some_and(|t| t > MOST_NM) {
            Some(Cause::OverTorque)
        } else {
            None
        };
        if let Some(cause) = fault {
            return Ok(facts.stopped(cause));
        }
        if open {
            facts.verdict = Verdict::MeasureAgain;
        }
        Ok(facts)
    }

    fn words(f: &Facts<HotTightenFound>, pen: Pen) -> Words {
        let own = &f.own;
        let c = |v| pen.plain(v, Unit::Celsius, 0);
        let mut w = Words::new("hot tightening");
        w.rows.push(Row::new(
            "nozzle when tightened",
            Some(c(own.planned_c)),
            Some(c(own.at_c)),
        ));
        if let Some(t) = own.torque_nm {
            w.rows.push(Row::new(
                "torque",
                Some(pen.text("{2.5 to 3 N·m}")),
                Some(pen.plain(t, Unit::NewtonMetre, 1)),
            ));
        }
        let waited = pen.plain(own.waited_min, Unit::Minute, 0);
        match (f.verdict, f.cause) {
            (_, Some(Cause::NozzleLeaks)) => w.stop(
                "plastic seeps above the nozzle",
                "The joint leaks. Cool down, take the nozzle out, clean both faces, and seat it against the heat break again. More torque doesn’t close a leak.",
            ),
            (_, Some(Cause::NozzleOnBlock)) => w.stop(
                "the nozzle sits on the block, not on the heat break",
                "Back the heat break out by half a turn so that the nozzle meets it first, then tighten hot again.",
            ),
            (_, Some(Cause::BlockNotHeld)) => w.stop(
                "the block was not held",
                "The heat break took the whole torque. Look at it from the side for a twist, and at the wires, before it is heated again.",
            ),
            (_, Some(_)) => w.stop(
                &format!(
                    "{} is more than the thread bears",
                    pen.plain(own.torque_nm.unwrap_or(0.0), Unit::NewtonMetre, 1)
                ),
                "Look for a stretched thread: take the nozzle out and try it by hand, then tighten to 2.5 to 3 N·m.",
            ),
            (Verdict::MeasureAgain, None) => {
                if own.too_cold {
                    w.settle
                        .push(format!("heat to {} and tighten again", c(own.planned_c)));
                }
                if own.too_early {
                    w.settle.push(format!(
                        "wait {} after extruding, then look again",
                        pen.plain(LEAST_WAIT_MIN, Unit::Minute, 0)
                    ));
                }
                let sentence = format!(
                    "What is tight cold opens when the block expands. To settle it: {}.",
                    w.settle.join("; ")
                );
                w.say(
                    "Not proven yet.",
                    sentence,
                    format!("at {}, not proven", c(own.at_c)),
                    "Tighten hot, wait, look.",
                )
            }
            _ => w.say(
                format!("Pass: tightened at {}, no seep.", c(own.at_c)),
                format!("Block held, gap left, dry after {waited}."),
                format!("at {}, dry after {waited}", c(own.at_c)),
                "Go on.",
            ),
        }
    }
}
