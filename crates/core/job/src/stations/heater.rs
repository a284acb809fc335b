//! Heater and ceiling: is the heater made for this supply, and how hot may this hot end go?

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::{VoltageVerdict, heater_power, sensor_type};
use wattotherm_measure::Verdict;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{fixed, plain};
use wattotherm_printer::{BlockMaterial, Ceiling, NozzleMaterial, PrinterFacts};

use super::{Context, StationName, blank, stopped};
use crate::finding::{Finding, PlainValue, Row};

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

/// Limits of the fields.
pub const LIMITS: [Limit; 6] = [
    Limit::new(
        "supply_v",
        "supply",
        "V",
        [5.0, 60.0, 12.0, 48.0],
        "hot ends run on low voltage; mains is for a licensed electrician",
    ),
    Limit::new(
        "marked_w",
        "power marked on the heater",
        "W",
        [5.0, 200.0, 20.0, 120.0],
        "cartridges are sold in this range",
    ),
    Limit::new(
        "ohm",
        "heater's resistance",
        "Ω",
        [0.0, 10_000_000.0, 0.0, 10_000_000.0],
        "type 10 000 000 for an open circuit",
    ),
    Limit::new(
        "firmware_limit_c",
        "firmware limit",
        "°C",
        [100.0, 600.0, 200.0, 500.0],
        "firmwares are built in this range",
    ),
    Limit::new(
        "taken_c",
        "target the printer took",
        "°C",
        [0.0, 600.0, 0.0, 500.0],
        "no hot end goes hotter",
    ),
    Limit::new(
        "planned_c",
        "hottest print planned",
        "°C",
        [150.0, 500.0, 170.0, 320.0],
        "filaments melt in this range",
    ),
];

/// Evaluates heater and ceiling.
///
/// Formula: P = V²/R against the mark, see [`heater_power`]; the ceiling as [`ceiling`].
/// Source: Joule's law; bounds common practice, no published source.
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &HeaterReadings, context: &Context) -> Result<Finding, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let [supply, marked, ohm, firmware, taken, planned] = &LIMITS;
    // A new heater is measured before it gets power; otherwise the ceiling alone may be asked.
    let must_measure = context.parameter.is_none();
    let ohm = if must_measure {
        intake.need(ohm, "ohm", &readings.ohm)
    } else {
        intake.may(ohm, "ohm", &readings.ohm)
    };
    let (supply_v, marked_w) = if ohm.is_some() || must_measure {
        (
            intake.need(supply, "supply_v", &readings.supply_v),
            intake.need(marked, "marked_w", &readings.marked_w),
        )
    } else {
        (
            intake.may(supply, "supply_v", &readings.supply_v),
            intake.may(marked, "marked_w", &readings.marked_w),
        )
    };
    let firmware_limit_c = intake.may(firmware, "firmware_limit_c", &readings.firmware_limit_c);
    let taken_c = intake.may(taken, "taken_c", &readings.taken_c);
    let planned_c = intake.may(planned, "planned_c", &readings.planned_c);
    if !readings.sensor.is_empty() && sensor_type(&readings.sensor).is_none() {
        intake.push(FieldProblem::Conflict {
            field: "sensor".into(),
            message: "There is no such sensor type. Choose one of the list.".into(),
        });
    }
    intake.finish()?;
    let facts = PrinterFacts {
        sensor: readings.sensor.clone(),
        nozzle: readings.nozzle,
        block: readings.block,
        firmware_limit_c: firmware_limit_c.or(context.printer.firmware_limit_c),
        ..context.printer.clone()
    };
    let top = context.house.ceiling(&facts);
    let mut finding = blank(
        StationName::Heater,
        "temperature ceiling",
        "°C",
        Verdict::Pass,
    );
    for limit in &top.limits {
        finding.rows.push(Row {
            name: format!("{}, °C", limit.part),
            before: None,
            after: Some(plain(limit.most_c, 0)),
        });
    }
    if let (Some(r), Some(v), Some(w)) = (ohm, supply_v, marked_w)
        && let Some(stop) = heater_stop(&mut finding, v, r, w)
    {
        return Ok(stop);
    }
    if let Some(stop) = overload(&finding, context, supply_v, ohm, marked_w) {
        return Ok(stop);
    }
    let (ceiling_c, held_by) = lowered(&top, taken_c);
    if let Some(wanted) = planned_c.filter(|p| *p > ceiling_c + 0.5) {
        let firmware_alone = taken_c.is_some_and(|t| t < top.ceiling_c - 0.5)
            || held_by == "the firmware limit less its margin";
        let cause = format!(
            "{} °C is planned, and {held_by} allows {} °C",
            plain(wanted, 0),
            plain(ceiling_c, 0)
        );
        let parts: Vec<_> = top
            .limits
            .iter()
            .filter(|l| l.part != "the firmware limit less its margin")
            .collect();
        let mut stop = stopped(finding, &cause);
        stop.sentence = match parts.first() {
            Some(p) if firmware_alone && p.most_c >= wanted => format!(
                "The parts would bear it: {} allows {} °C. Raise the firmware limit as its maker describes, then measure again.",
                p.part,
                plain(p.most_c, 0)
            ),
            Some(p) => format!(
                "{} holds it down to {} °C. Raising the firmware limit doesn't raise that. Plan a cooler print, or fit parts that bear it.",
                capital(&p.part),
                plain(p.most_c, 0)
            ),
            None => stop.sentence,
        };
        return Ok(stop);
    }
    finding.plain.push(PlainValue {
        name: "highest target".into(),
        value: format!("{} °C", plain(ceiling_c, 0)),
    });
    finding.value_expanded = Some(0.5);
    finding.before = Some(ceiling_c);
    finding.line = format!("{} °C, held by {held_by}", plain(ceiling_c, 0));
    finding.next = "Go on.".into();
    let watts = match (ohm, supply_v) {
        (Some(r), Some(v)) => format!(" The heater makes {} W.", fixed(v * v / r, 0)),
        _ => String::new(),
    };
    finding.sentence = format!("{} holds it down.{watts}", capital(&held_by));
    match context.before {
        Some(old) if context.parameter.is_some() && (old - ceiling_c).abs() > 0.5 => {
            finding.verdict = Verdict::Adjust;
            finding.before = Some(old);
            finding.after = Some(ceiling_c);
            finding.headline = format!(
                "Adjust: ceiling {} → {} °C.",
                plain(old, 0),
                plain(ceiling_c, 0)
            );
            finding.line = format!("{} → {} °C", plain(old, 0), plain(ceiling_c, 0));
            finding.next = "Targets above it are refused from now on.".into();
        }
        _ => {
            finding.headline = format!("Pass: targets up to {} °C.", plain(ceiling_c, 0));
        }
    }
    Ok(finding)
}

/// The ceiling of the parts, or what the firmware takes if that is less.
fn lowered(top: &Ceiling, taken_c: Option<f64>) -> (f64, String) {
    match taken_c {
        Some(t) if t < top.ceiling_c - 0.5 => (t, "the firmware".to_owned()),
        _ => (top.ceiling_c, top.held_by.clone()),
    }
}

/// A heater that draws more than the board's output is made for, where that is known.
///
/// Formula: I = V/R, or P/V where only the mark is known. Source: Ohm's law.
fn overload(
    finding: &Finding,
    context: &Context,
    supply_v: Option<f64>,
    ohm: Option<f64>,
    marked_w: Option<f64>,
) -> Option<Finding> {
    let (rated, v) = (context.printer.heater_a?, supply_v?);
    let amps = ohm
        .filter(|r| *r > 0.0)
        .map(|r| v / r)
        .or_else(|| marked_w.map(|w| w / v))?;
    if amps <= rated {
        return None;
    }
    let cause = format!(
        "this heater draws {} A, and the board's output is rated {} A",
        fixed(amps, 1),
        plain(rated, 1)
    );
    let mut stop = stopped(finding.clone(), &cause);
    stop.sentence = "Fire. Terminals and switch of the board overheat. Fit a heater of fewer watts, or a board or an outside switch that is rated for it.".into();
    Some(stop)
}

fn heater_stop(finding: &mut Finding, v: f64, r: f64, marked_w: f64) -> Option<Finding> {
    let p = heater_power(v, r, marked_w);
    if p.watts.is_finite() {
        finding.rows.push(Row {
            name: format!("heater at {} V, W", plain(v, 1)),
            before: Some(plain(marked_w, 0)),
            after: Some(fixed(p.watts, 1)),
        });
    }
    let (cause, says) = match p.verdict {
        VoltageVerdict::Right => return None,
        VoltageVerdict::TooLowAVoltage => (
            format!(
                "this heater makes {} W at {} V, not {} W",
                fixed(p.watts, 0),
                plain(v, 1),
                plain(marked_w, 0)
            ),
            "Fire. It is made for a lower voltage. Don't connect it: take it out of the shop's stock and fit one for this supply.",
        ),
        VoltageVerdict::TooWeak => (
            format!(
                "this heater makes {} W at {} V, not {} W",
                fixed(p.watts, 0),
                plain(v, 1),
                plain(marked_w, 0)
            ),
            "It is made for a higher voltage, or worn out. It would heat slowly and stop short. Fit the right one.",
        ),
        VoltageVerdict::Open => (
            "the heater is an open circuit".to_owned(),
            "Measure at the cartridge's own leads. If it stays open, replace it.",
        ),
        VoltageVerdict::Shorted => (
            format!("{} Ω is nearly a short circuit", plain(r, 2)),
            "Fire. Don't connect it: look for a bare lead, replace the heater.",
        ),
    };
    let mut stop = stopped(finding.clone(), &cause);
    says.clone_into(&mut stop.sentence);
    Some(stop)
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars
        .next()
        .map_or(String::new(), |c| c.to_uppercase().chain(chars).collect())
}
