//! Heater and ceiling: is the heater made for this supply, and how hot may this hot end go?

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::{SENSOR_TYPES, VoltageVerdict, heater_power, sensor_type};
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::capital;
use wattotherm_measure::{Pen, Unit, Verdict};
use wattotherm_printer::{
    BlockMaterial, Fitted, HeldBy, HotEndKind, NozzleMaterial, Parameter, PartLimit, PrinterFacts,
};

use super::set_up::rule_text;
use super::{SetUp, Station, known, print_temp_c};
use crate::caution::SignalWord;
use crate::context::Context;
use crate::finding::{Cause, Facts, PlainValue, Row, Words};
use crate::form::{Action, Field, Form};
use crate::house::RuleId;
use crate::sheets::hottest_print_c;

/// Heater cartridge and temperature ceiling.
pub struct Heater;

/// What is read at the heater, cold and unplugged, and what the hot end is built of.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct HeaterReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Supply [V].
    pub supply_v: Entry,
    /// Power marked on the heater [W].
    pub marked_w: Entry,
    /// Resistance at the heater's plug [Ω].
    pub ohm: Entry,
    /// Sensor type fitted, by id.
    pub sensor: String,
    /// Nozzle.
    pub nozzle: NozzleMaterial,
    /// Heater block.
    pub block: BlockMaterial,
    /// The firmware's own limit [°C]; blank where it isn't known.
    pub firmware_limit_c: Entry,
    /// Hottest target that the printer took when it was asked [°C].
    pub taken_c: Entry,
    /// Hottest print planned [°C].
    pub planned_c: Entry,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What was found of heater and ceiling.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct HeaterFound {
    /// Limits of the parts, the lowest first.
    limits: Vec<PartLimit>,
    ceiling_c: f64,
    held_by: HeldBy,
    supply_v: Option<f64>,
    marked_w: Option<f64>,
    ohm: Option<f64>,
    /// Power at this supply [W].
    power_w: Option<f64>,
    /// Current, and what the board's output is rated [A].
    amps: Option<f64>,
    rated_a: Option<f64>,
    planned_c: Option<f64>,
}

const SUPPLY: Limit = Limit::new(
    "supply_v",
    "supply",
    Unit::Volt,
    [5.0, 60.0, 12.0, 48.0],
    "hot ends run on low voltage; mains is for a licensed electrician",
);
const MARKED: Limit = Limit::new(
    "marked_w",
    "power marked on the heater",
    Unit::Watt,
    [5.0, 200.0, 20.0, 120.0],
    "cartridges are sold in this range",
);
const OHM: Limit = Limit::new(
    "ohm",
    "heater’s resistance",
    Unit::Ohm,
    [0.0, 10_000_000.0, 0.0, 10_000_000.0],
    "type 10 000 000 for an open circuit",
);
const FIRMWARE: Limit = Limit::new(
    "firmware_limit_c",
    "firmware limit",
    Unit::Celsius,
    [100.0, 600.0, 200.0, 500.0],
    "firmwares are built in this range",
);
const TAKEN: Limit = Limit::new(
    "taken_c",
    "target the printer took",
    Unit::Celsius,
    [0.0, 600.0, 0.0, 500.0],
    "no hot end goes hotter",
);
const PLANNED: Limit = Limit::new(
    "planned_c",
    "hottest print planned",
    Unit::Celsius,
    [150.0, 500.0, 170.0, 320.0],
    "filaments melt in this range",
);

impl Station for Heater {
    type Readings = HeaterReadings;
    type Own = HeaterFound;
    const ID: &'static str = "heater";
    const SETTLES: &'static [Parameter] = &[Parameter::Ceiling];

    fn start(context: &Context) -> HeaterReadings {
        HeaterReadings {
            supply_v: known(context.printer.supply_v, 1),
            marked_w: known(context.printer.heater_w, 1),
            sensor: context.printer.sensor.clone(),
            nozzle: context.printer.nozzle,
            block: context.printer.block,
            firmware_limit_c: known(context.printer.firmware_limit_c, 0),
            planned_c: known(
                Some(hottest_print_c(context).unwrap_or_else(|| print_temp_c(context))),
                0,
            ),
            ..HeaterReadings::default()
        }
    }

    fn form(r: &HeaterReadings, context: &Context) -> Form {
        let mut types = vec![("", "not known")];
        types.extend(SENSOR_TYPES.iter().map(|s| (s.id, s.label)));
        // A new heater is measured before it gets power; otherwise the ceiling alone may be asked.
        let cold = [
            Field::number(&OHM).named("Heater, cold at its leads"),
            Field::number(&SUPPLY).named("Supply"),
            Field::number(&MARKED).named("Marked on the heater"),
        ];
        let mut measured = if context.parameter.is_none() {
            cold.map(Field::needed).to_vec()
        } else {
            cold.to_vec()
        };
        measured.push(Field::number(&PLANNED).named("Hottest print planned"));
        let form = Form::default()
            .group("", measured)
            .large()
            .drawn("ceiling")
            .group(
                "",
                vec![
                    Field::choice("sensor", "Sensor", &types).as_list(),
                    Field::choice("nozzle", "Nozzle", NozzleMaterial::CHOICES).as_list(),
                    Field::choice("block", "Heater block", BlockMaterial::CHOICES).as_list(),
                    Field::number(&FIRMWARE).named("Firmware limit"),
                ],
            )
            .group(
                "",
                vec![Field::number(&TAKEN).named("Target the printer took")],
            )
            .unlinked(
                "Not connected: set the planned target on the display and type which one it took.",
            );
        let planned = r
            .planned_c
            .parse(Unit::Celsius)
            .filter(|c| (PLANNED.min..=PLANNED.max).contains(c));
        match planned {
            Some(target_c) => form.act(
                format!(
                    "Ask the printer: does it take {}? The heater is on for a moment",
                    context.house.pen.plain(target_c, Unit::Celsius, 0)
                ),
                Action::AskLimit { target_c },
            ),
            None => form,
        }
    }

    fn set_up(_: &HeaterReadings, context: &Context) -> SetUp {
        let mut up = SetUp::new(if context.parameter.is_some() {
            "Find what holds the ceiling down, and measure the heater where it is new."
        } else {
            "Measure the new heater cold, before it gets power."
        })
        .hint("Resistance: at the heater’s leads, unplugged. Watts are V²/R.")
        .caution(
            SignalWord::Danger,
            "Fire and electric shock. Power off and pull the mains plug. A heater for a lower voltage burns: never try it. Mains-side work is for a licensed electrician under the local code.",
        );
        if context.printer.hot_end == HotEndKind::Lined {
            up.rule = Some(RuleId::LinedCeiling);
            up.rule_text = Some(format!(
                "Ceiling of a lined hot end: {}",
                rule_text(context, RuleId::LinedCeiling)
            ));
        }
        up
    }

    /// Formula: P = V²/R against the mark, see [`heater_power`]; I = V/R, or P/V where only the mark is known; the
    /// ceiling as [`wattotherm_printer::ceiling`].
    /// Source: Joule's and Ohm's laws; bounds common practice, no published source.
    fn facts(r: &HeaterReadings, context: &Context) -> Result<Facts<HeaterFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let must_measure = context.parameter.is_none();
        let mut measured = |limit: &Limit, entry: &Entry, must: bool| {
            if must {
                intake.need(limit, limit.field, entry)
            } else {
                intake.may(limit, limit.field, entry)
            }
        };
        let ohm = measured(&OHM, &r.ohm, must_measure);
        let with_ohm = ohm.is_some() || must_measure;
        let supply_v = measured(&SUPPLY, &r.supply_v, with_ohm);
        let marked_w = measured(&MARKED, &r.marked_w, with_ohm);
        let firmware_limit_c = intake.may(&FIRMWARE, "firmware_limit_c", &r.firmware_limit_c);
        let taken_c = intake.may(&TAKEN, "taken_c", &r.taken_c);
        let planned_c = intake.may(&PLANNED, "planned_c", &r.planned_c);
        if !r.sensor.is_empty() && sensor_type(&r.sensor).is_none() {
            intake.push(FieldProblem::Conflict {
                field: "sensor".into(),
                message: "There is no such sensor type. Choose one of the list.".into(),
            });
        }
        intake.finish()?;
        let top = context.house.ceiling(&PrinterFacts {
            sensor: r.sensor.clone(),
            nozzle: r.nozzle,
            block: r.block,
            firmware_limit_c: firmware_limit_c.or(context.printer.firmware_limit_c),
            ..context.printer.clone()
        });
        // The ceiling of the parts, or what the firmware takes if that is less.
        let (ceiling_c, held_by) = match taken_c {
            Some(t) if t < top.ceiling_c - 0.5 => (t, HeldBy::Firmware),
            _ => (top.ceiling_c, top.held_by),
        };
        let power = ohm
            .zip(supply_v)
            .zip(marked_w)
            .map(|((r, v), w)| heater_power(v, r, w));
        let amps = supply_v.and_then(|v| {
            ohm.filter(|r| *r > 0.0)
                .map(|r| v / r)
                .or_else(|| marked_w.map(|w| w / v))
        });
        let rated_a = context.printer.heater_a;
        let own = HeaterFound {
            limits: top.limits,
            ceiling_c,
            held_by,
            supply_v,
            marked_w,
            ohm,
            power_w: power.map(|p| p.watts).filter(|w| w.is_finite()),
            amps,
            rated_a,
            planned_c,
        };
        let mut facts = Facts::new(Self::ID, Unit::Celsius, Verdict::Pass, own);
        let fault = match power.map(|p| p.verdict) {
            Some(VoltageVerdict::TooLowAVoltage) => Some(Cause::HeaterOfLowerVoltage),
            Some(VoltageVerdict::TooWeak) => Some(Cause::HeaterTooWeak),
            Some(VoltageVerdict::TooStrong) => Some(Cause::HeaterTooStrong),
            Some(VoltageVerdict::Open) => Some(Cause::HeaterOpen),
            Some(VoltageVerdict::Shorted) => Some(Cause::HeaterShorted),
            Some(VoltageVerdict::Right) | None => amps
                .zip(rated_a)
                .filter(|(a, rated)| a > rated)
                .map(|_| Cause::HeaterOverload),
        };
        let too_hot = planned_c.is_some_and(|p| p > ceiling_c + 0.5);
        if let Some(cause) = fault.or(too_hot.then_some(Cause::PlannedTooHot)) {
            return Ok(facts.stopped(cause));
        }
        facts.value_expanded = Some(0.5);
        facts.before = Some(ceiling_c);
        if let Some(old) = context.before
            && context.parameter.is_some()
            && (old - ceiling_c).abs() > 0.5
        {
            facts.verdict = Verdict::Adjust;
            facts.before = Some(old);
            facts.after = Some(ceiling_c);
        }
        Ok(facts)
    }

    fn words(f: &Facts<HeaterFound>, pen: Pen) -> Words {
        let own = &f.own;
        let c = |v| pen.plain(v, Unit::Celsius, 0);
        let mut w = Words::new("temperature ceiling");
        w.rows = own
            .limits
            .iter()
            .map(|l| Row::new(l.part.says(), None, Some(c(l.most_c))))
            .collect();
        if let (Some(p), Some(v), Some(marked)) = (own.power_w, own.supply_v, own.marked_w) {
            w.rows.push(Row::new(
                format!("heater at {}", pen.plain(v, Unit::Volt, 1)),
                Some(pen.plain(marked, Unit::Watt, 0)),
                Some(pen.fixed(p, Unit::Watt, 1)),
            ));
        }
        if let Some(cause) = f.cause {
            return stopped(w, cause, own, pen);
        }
        w.plain.push(PlainValue {
            name: "highest target".into(),
            // A configuration wants °C, whatever the shop is shown.
            value: Pen::METRIC.plain(own.ceiling_c, Unit::Celsius, 0),
        });
        let watts = match (own.ohm, own.supply_v) {
            (Some(r), Some(v)) => {
                format!(" The heater makes {}.", pen.fixed(v * v / r, Unit::Watt, 0))
            }
            _ => String::new(),
        };
        let held_by = own.held_by.says();
        let sentence = format!("{} holds it down.{watts}", capital(held_by));
        match (f.before, f.after) {
            (Some(old), Some(new)) => {
                let moved = format!("{} → {}", pen.plain_number(old, Unit::Celsius, 0), c(new));
                w.say(
                    format!("Adjust: ceiling {moved}."),
                    sentence,
                    moved.clone(),
                    "Targets above it are refused from now on.",
                )
            }
            _ => w.say(
                format!("Pass: targets up to {}.", c(own.ceiling_c)),
                sentence,
                format!("{}, held by {held_by}", c(own.ceiling_c)),
                "Go on.",
            ),
        }
    }

    fn learns(r: &HeaterReadings) -> Vec<Fitted> {
        let number = |e: &Entry, limit: &Limit| e.parse(limit.unit).filter(|v| v.is_finite());
        vec![
            Fitted::Nozzle {
                bore_mm: None,
                material: Some(r.nozzle),
                mount: None,
            },
            Fitted::HeaterBlock {
                material: Some(r.block),
                mass: None,
            },
            Fitted::TemperatureSensor {
                kind: Some(r.sensor.clone()).filter(|t| !t.is_empty()),
            },
            Fitted::HeaterCartridge {
                power_w: number(&r.marked_w, &MARKED),
            },
            Fitted::ControlBoard {
                supply_v: number(&r.supply_v, &SUPPLY),
                heater_a: None,
                microsteps: None,
                limit_c: number(&r.firmware_limit_c, &FIRMWARE),
            },
        ]
    }
}

fn stopped(w: Words, cause: Cause, own: &HeaterFound, pen: Pen) -> Words {
    let c = |v| pen.plain(v, Unit::Celsius, 0);
    let makes = || {
        format!(
            "this heater makes {} at {}, not {}",
            pen.fixed(own.power_w.unwrap_or(f64::NAN), Unit::Watt, 0),
            pen.plain(own.supply_v.unwrap_or(f64::NAN), Unit::Volt, 1),
            pen.plain(own.marked_w.unwrap_or(f64::NAN), Unit::Watt, 0)
        )
    };
    match cause {
        Cause::HeaterOfLowerVoltage => w.stop(
            &makes(),
            "Fire. It is made for a lower voltage. Don’t connect it: take it out of the shop’s stock and fit one for this supply.",
        ),
        Cause::HeaterTooStrong => w.stop(
            &makes(),
            "More than a quarter over its mark: another heater than it says, or a supply set too high. Measure the supply under load; fit the right heater before it is switched on.",
        ),
        Cause::HeaterTooWeak => w.stop(
            &makes(),
            "It is made for a higher voltage, or worn out. It would heat slowly and stop short. Fit the right one.",
        ),
        Cause::HeaterOpen => w.stop(
            "the heater is an open circuit",
            "Measure at the cartridge’s own leads. If it stays open, replace it.",
        ),
        Cause::HeaterShorted => w.stop(
            &format!(
                "{} is nearly a short circuit",
                pen.plain(own.ohm.unwrap_or(f64::NAN), Unit::Ohm, 2)
            ),
            "Fire. Don’t connect it: look for a bare lead, replace the heater.",
        ),
        Cause::HeaterOverload => w.stop(
            &format!(
                "this heater draws {}, and the board’s output is rated {}",
                pen.fixed(own.amps.unwrap_or(f64::NAN), Unit::Ampere, 1),
                pen.plain(own.rated_a.unwrap_or(f64::NAN), Unit::Ampere, 1)
            ),
            "Fire. Terminals and switch of the board overheat. Fit a heater of fewer watts, or a board or an outside switch that is rated for it.",
        ),
        _ => {
            let wanted = own.planned_c.unwrap_or(own.ceiling_c);
            let firmware = matches!(own.held_by, HeldBy::Firmware | HeldBy::FirmwareLimit);
            let parts = own
                .limits
                .iter()
                .find(|l| l.part != HeldBy::FirmwareLimit);
            let sentence = match parts {
                Some(p) if firmware && p.most_c >= wanted => format!(
                    "The parts would bear it: {} allows {}. Raise the firmware limit as its maker describes, then measure again.",
                    p.part.says(),
                    c(p.most_c)
                ),
                Some(p) => format!(
                    "{} holds it down to {}. Raising the firmware limit doesn’t raise that. Plan a cooler print, or fit parts that bear it.",
                    capital(p.part.says()),
                    c(p.most_c)
                ),
                None => "Plan a cooler print, or fit parts that bear it.".into(),
            };
            w.stop(
                &format!(
                    "{} is planned, and {} allows {}",
                    c(wanted),
                    own.held_by.says(),
                    c(own.ceiling_c)
                ),
                sentence,
            )
        }
    }
}
