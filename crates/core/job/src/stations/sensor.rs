//! Sensor: does it read the room, and is it of the type the printer is set to?

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::{SENSOR_TYPES, SensorType, displayed_c, sensor_type};
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{fixed, plain};
use wattotherm_measure::{Combined, Verdict, u_rectangular};

use super::{Context, StationName, band, blank, expanded_95, stopped};
use crate::finding::{Finding, PlainValue, Row};
use crate::house::ToleranceId;

/// What is read at the sensor, everything cold.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SensorReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Type set in the firmware, by id.
    pub set_type: String,
    /// Room by thermometer [°C].
    pub room_c: Entry,
    /// Nozzle as the printer shows it [°C].
    pub shown_c: Entry,
    /// Bed as the printer shows it [°C]; blank where there is none.
    pub bed_c: Entry,
    /// Resistance at the sensor's plug, cold [Ω]; blank where it was not measured.
    pub ohm: Entry,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Limits of the fields.
pub const LIMITS: [Limit; 4] = [
    Limit::new(
        "room_c",
        "room temperature",
        "°C",
        [-10.0, 50.0, 5.0, 45.0],
        "nobody works in a colder or hotter room",
    ),
    Limit::new(
        "shown_c",
        "temperature shown",
        "°C",
        [-50.0, 1500.0, -50.0, 1500.0],
        "no board shows more",
    ),
    Limit::new(
        "bed_c",
        "bed temperature shown",
        "°C",
        [-50.0, 1500.0, -50.0, 1500.0],
        "no board shows more",
    ),
    Limit::new(
        "ohm",
        "resistance",
        "Ω",
        [0.0, 5_000_000.0, 0.0, 5_000_000.0],
        "no sensor of the trade has more",
    ),
];

/// Half width of a room thermometer beside the block [°C]. Common practice, no published source.
const THERMOMETER_C: f64 = 1.0;

fn fits(kind: &SensorType, ohm: f64, room_c: f64) -> bool {
    // The room is known to a degree or so, and a bead's curve is steep: allow for both.
    let low = kind.table.resistance_ohm(room_c + 2.0);
    let high = kind.table.resistance_ohm(room_c - 2.0);
    let (low, high) = (low.min(high), low.max(high));
    let t = kind.tolerance_percent / 100.0;
    ohm >= low * (1.0 - t) && ohm <= high * (1.0 + t)
}

/// Evaluates a cold sensor: the reading against the room, and the resistance, where it was measured,
/// against the table of the type set.
///
/// Source: tables as in [`wattotherm_heat::SensorTable`]; limits common practice, no published source.
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &SensorReadings, context: &Context) -> Result<Finding, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let kind = sensor_type(&readings.set_type);
    if kind.is_none() {
        intake.push(FieldProblem::Count {
            field: "set_type".into(),
            message: "Choose the sensor type that is set in the printer.".into(),
        });
    }
    let [room, shown, bed, ohm] = &LIMITS;
    let room_c = intake.need(room, "room_c", &readings.room_c);
    let shown_c = intake.need(shown, "shown_c", &readings.shown_c);
    let bed_c = intake.may(bed, "bed_c", &readings.bed_c);
    let ohm = intake.may(ohm, "ohm", &readings.ohm);
    intake.finish()?;
    let (Some(kind), Some(room_c), Some(shown_c)) = (kind, room_c, shown_c) else {
        return Err(ReadingError {
            problems: Vec::new(),
        });
    };
    let limit = context.house.tolerance(ToleranceId::SensorRoomC);
    let mut finding = blank(StationName::Sensor, "sensor type", "", Verdict::Pass);
    finding.before_text = Some(kind.label.to_owned());
    if let Some(known) = context.before_text.as_ref().filter(|t| **t != kind.label) {
        finding.rows.push(Row {
            name: "type set".into(),
            before: Some(known.clone()),
            after: Some(kind.label.to_owned()),
        });
    }
    finding.plain.push(PlainValue {
        name: "sensor type in the firmware".into(),
        value: kind.label.to_owned(),
    });
    if let Some(b) = bed_c {
        finding.rows.push(Row {
            name: "bed, °C".into(),
            before: None,
            after: Some(fixed(b, 1)),
        });
    }
    let bed_right = bed_c.is_some_and(|b| (b - room_c).abs() <= limit + 2.0);
    // Pinned to an end of the table: no type explains that.
    if shown_c <= 1.0 && room_c > 4.0 || shown_c >= 345.0 {
        let open = (shown_c <= 1.0) == kind.table.falls();
        let cause = if open {
            "the sensor's circuit is open"
        } else {
            "the sensor is shorted"
        };
        let mut stop = stopped(finding, cause);
        stop.sentence = format!(
            "It shows {} °C in a room of {} °C{}. Power off and unplug: check the plug, then the wire or ribbon, then the sensor, before anything is changed in the firmware. Set back whatever was changed while looking.",
            fixed(shown_c, 0),
            fixed(room_c, 0),
            if bed_right {
                ", and the bed reads right, so board and supply are sound"
            } else {
                ""
            }
        );
        return Ok(stop);
    }
    let fitted: Vec<&SensorType> = ohm.map_or(Vec::new(), |r| {
        SENSOR_TYPES.iter().filter(|s| fits(s, r, room_c)).collect()
    });
    let resistance_right = ohm.is_none() || fitted.iter().any(|f| f.id == kind.id);
    let error = shown_c - room_c;
    let u = u_rectangular(THERMOMETER_C).unwrap_or(0.6);
    finding.bands.push(band(
        "shown",
        "°C",
        (shown_c, room_c),
        (
            expanded_95(Combined {
                u,
                dof: f64::INFINITY,
            }),
            f64::INFINITY,
        ),
        limit,
    ));
    if let Some(r) = ohm {
        finding.rows.push(Row {
            name: format!("resistance at {} °C, Ω", fixed(room_c, 0)),
            before: Some(plain(kind.table.resistance_ohm(room_c).round(), 0)),
            after: Some(plain(r, 1)),
        });
    }
    if !resistance_right {
        let r = ohm.unwrap_or(f64::NAN);
        if let Some(other) = fitted.first() {
            let cause = format!(
                "the fitted sensor is a {}, the printer is set to {}",
                other.label, kind.label
            );
            let shows = displayed_c(&other.table, &kind.table, 200.0);
            let mut stop = stopped(finding, &cause);
            stop.sentence = format!(
                "At a true 200 °C the printer would show {} °C. Heat nothing. Fit the sensor the printer is set to, or set the printer to this one, then measure again.",
                fixed(shows, 0)
            );
            stop.send_back = None;
            return Ok(stop);
        }
        let mut stop = stopped(
            finding,
            &format!(
                "{} Ω at {} °C is no sensor of the list",
                plain(r, 0),
                fixed(room_c, 0)
            ),
        );
        stop.sentence = format!(
            "A {} has {} Ω there. Measure at the sensor's own plug, unplugged from the board; if it stays, replace the sensor.",
            kind.label,
            plain(kind.table.resistance_ohm(room_c).round(), 0)
        );
        return Ok(stop);
    }
    if error.abs() > limit {
        if error.abs() - 2.0 * u <= limit {
            finding.verdict = Verdict::MeasureAgain;
            finding.headline = format!(
                "It shows {} °C against {} °C in the room.",
                fixed(shown_c, 1),
                fixed(room_c, 1)
            );
            finding.sentence = "Too near the limit to tell. Let the hot end reach the room, hold the thermometer to the block, and read again.".into();
            finding.settle = vec!["read again once the block has the room's temperature".into()];
            finding.line = format!("{} °C off", fixed(error, 1));
            finding.next = "Wait, then read again.".into();
            return Ok(finding);
        }
        let mut stop = stopped(
            finding,
            &format!(
                "it shows {} °C in a room of {} °C",
                fixed(shown_c, 1),
                fixed(room_c, 1)
            ),
        );
        stop.sentence = if ohm.is_some() {
            "Its resistance is right, so the board reads it wrong: plug, pull-up or board. Heat nothing.".into()
        } else {
            "A wrong type, a bad plug, or a block that is still warm. Heat nothing. Measure the sensor's resistance cold, at its plug, unplugged: it tells the type.".into()
        };
        return Ok(stop);
    }
    finding.headline = format!(
        "Pass: it reads the room within {} °C.",
        fixed(error.abs().max(0.1), 1)
    );
    finding.sentence = if ohm.is_some() {
        format!("Its resistance is that of a {}.", kind.label)
    } else {
        "Two types can agree in the room and differ when hot: measure the resistance where the type isn't certain.".into()
    };
    finding.line = format!("{}, {} °C off", kind.label, fixed(error, 1));
    finding.next = "Go on.".into();
    Ok(finding)
}
