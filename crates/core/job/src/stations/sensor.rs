//! Sensor: does it read the room, and is it of the type the printer is set to?

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::{SENSOR_TYPES, SensorType, displayed_c, sensor_type};
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{join_and, join_or, plain};
use wattotherm_measure::{Pen, Unit, Verdict, u_rectangular};
use wattotherm_printer::{Fitted, Parameter};

use super::set_up::tolerance;
use super::{SetUp, Station, expanded_type_b};
use crate::caution::SignalWord;
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, PlainValue, Row, Words};
use crate::form::{Action, Field, Form};
use crate::house::ToleranceId;

/// The temperature sensor, cold.
pub struct Sensor;

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

/// What was found of the sensor.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SensorFound {
    set_type: String,
    room_c: f64,
    shown_c: f64,
    bed_c: Option<f64>,
    ohm: Option<f64>,
    /// Type set as it was known before, where it was another.
    known_as: Option<String>,
    /// The bed reads the room too: board and supply are sound.
    bed_right: bool,
    /// The type that the resistance belongs to, where it isn't the one set.
    fitted_type: Option<String>,
    /// All types of the list that the resistance may be of.
    #[serde(default)]
    fits: Vec<String>,
}

const ROOM: Limit = Limit::new(
    "room_c",
    "room temperature",
    Unit::Celsius,
    [-10.0, 50.0, 5.0, 45.0],
    "nobody works in a colder or hotter room",
);
const SHOWN: Limit = Limit::new(
    "shown_c",
    "temperature shown",
    Unit::Celsius,
    [-50.0, 1500.0, -50.0, 1500.0],
    "no board shows more",
);
const BED: Limit = Limit::new(
    "bed_c",
    "bed temperature shown",
    Unit::Celsius,
    [-50.0, 1500.0, -50.0, 1500.0],
    "no board shows more",
);
const OHM: Limit = Limit::new(
    "ohm",
    "resistance",
    Unit::Ohm,
    [0.0, 5_000_000.0, 0.0, 5_000_000.0],
    "no sensor of the trade has more",
);

impl SensorFound {
    /// Where a circuit that shows an end of the table is broken, by what the sensor measures at its plug.
    fn beyond_the_plug(&self, pen: Pen) -> String {
        let Some(ohm) = self.ohm else {
            return "Power off and unplug: check the plug, then the wire or ribbon, then the sensor, before anything is changed in the firmware. ".into();
        };
        let ohm = pen.plain(ohm, Unit::Ohm, 0);
        match self.fits.first().and_then(|id| sensor_type(id)) {
            Some(kind) => format!(
                "At its plug it measures {ohm}, as a {} does here: sensor and wire are sound. Power off: look at the plug’s pins, the socket and the board.{} ",
                kind.label,
                which(&self.fits, pen)
            ),
            None => format!(
                "At its plug it measures {ohm}, which no sensor of the list has here: the sensor or its wire is broken. Power off and replace it. "
            ),
        }
    }
}

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

/// What was meant [Ω] where `ohm` isn't of the type set and a prefix that was left out would make it so, or, where it is
/// of no type at all, a point that slipped.
fn slipped(kind: &SensorType, ohm: f64, room_c: f64) -> Option<f64> {
    if fits(kind, ohm, room_c) {
        return None;
    }
    let of_none = !SENSOR_TYPES.iter().any(|s| fits(s, ohm, room_c));
    let points: &[f64] = if of_none { &[10.0, 0.1] } else { &[] };
    let mut meant = [1_000.0, 0.001].iter().chain(points).map(|by| ohm * by);
    meant.find(|m| fits(kind, *m, room_c))
}

/// Where a second reading tells sensors that agree in the room [°C]: warm, and not yet hot.
const TELLS_C: f64 = 100.0;

/// The types that a resistance may be of, and what a second one would tell: "An A or a B. At 100 °C an A has 7 kΩ, a B
/// 5 kΩ: measure once more there." Blank for one type or none.
fn which(ids: &[String], pen: Pen) -> String {
    let kinds: Vec<&SensorType> = ids.iter().filter_map(|id| sensor_type(id)).collect();
    if kinds.len() < 2 {
        return String::new();
    }
    let names: Vec<&str> = kinds.iter().map(|k| k.label).collect();
    let there: Vec<String> = kinds
        .iter()
        .map(|k| {
            format!(
                "a {} has {}",
                k.label,
                pen.plain(k.table.resistance_ohm(TELLS_C).round(), Unit::Ohm, 0)
            )
        })
        .collect();
    let there: Vec<&str> = there.iter().map(String::as_str).collect();
    format!(
        " It may be a {}. At {} {}: unplugged, with gloves, warm it to that with hot air and measure once more.",
        join_or(&names),
        pen.plain(TELLS_C, Unit::Celsius, 0),
        join_and(&there)
    )
}

impl Station for Sensor {
    type Readings = SensorReadings;
    type Own = SensorFound;
    const ID: &'static str = "sensor";
    const SETTLES: &'static [Parameter] = &[Parameter::SensorType];

    fn start(context: &Context) -> SensorReadings {
        SensorReadings {
            set_type: context.printer.sensor.clone(),
            ..SensorReadings::default()
        }
    }

    fn form(r: &SensorReadings, context: &Context) -> Form {
        let mut types = vec![("", "not known")];
        types.extend(SENSOR_TYPES.iter().map(|s| (s.id, s.label)));
        let form = Form::default()
            .group(
                "",
                vec![
                    Field::number(&ROOM).named("Room, by thermometer").needed(),
                    Field::number(&SHOWN).named("Nozzle, as shown").needed(),
                    Field::number(&BED).named("Bed, as shown"),
                    Field::number(&OHM).named("Resistance at the plug"),
                ],
            )
            .large()
            .drawn("sensor")
            .unlinked("Not connected: read both temperatures off the printer’s display.")
            .act(
                "Take both from the printer",
                Action::TakeTemperatures {
                    nozzle: "shown_c",
                    bed: Some("bed_c"),
                },
            )
            .group(
                "",
                vec![
                    Field::choice("set_type", "Sensor type set in the printer", &types)
                        .as_list()
                        .needed(),
                ],
            );
        let another = "What the printer would show with another sensor fitted";
        let fits = Self::facts(r, context).is_ok_and(|f| f.own.fitted_type.is_some());
        let form = if fits {
            form.group(another, Vec::new())
        } else {
            form.folded(another, Vec::new())
        };
        form.drawn("wrong_type")
    }

    fn set_up(_: &SensorReadings, context: &Context) -> SetUp {
        SetUp::new("Cold: compare the sensor with the room before you heat.")
            .hint("Hold the thermometer to the block until it stands still.")
            .hint("Resistance: at the sensor’s plug, unplugged from the board.")
            .limit(format!(
                "Within {} of the room.",
                tolerance(context, ToleranceId::SensorRoomC, Unit::Kelvin)
            ))
            .caution(
                SignalWord::Danger,
                "Electric shock. Power off and pull the mains plug before you unplug a sensor or a heater. Mains-side work is for a licensed electrician under the local code.",
            )
    }

    /// The reading against the room, and the resistance, where it was measured, against the table of the type set.
    ///
    /// Source: tables as in [`wattotherm_heat::SensorTable`]; limits common practice, no published source.
    fn facts(r: &SensorReadings, context: &Context) -> Result<Facts<SensorFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let kind = sensor_type(&r.set_type);
        if kind.is_none() {
            intake.push(FieldProblem::Count {
                field: "set_type".into(),
                message: "Choose the sensor type that is set in the printer.".into(),
            });
        }
        let room_c = intake.need(&ROOM, "room_c", &r.room_c);
        let shown_c = intake.need(&SHOWN, "shown_c", &r.shown_c);
        let bed_c = intake.may(&BED, "bed_c", &r.bed_c);
        let ohm = intake.may(&OHM, "ohm", &r.ohm);
        if let (Some(kind), Some(room_c), Some(ohm)) = (kind, room_c, ohm)
            && let Some(suggestion) = slipped(kind, ohm, room_c)
            && !r.confirmed.iter().any(|c| c == "ohm")
        {
            intake.push(FieldProblem::DidYouMean {
                field: "ohm".into(),
                label: OHM.label.into(),
                unit: Unit::Ohm,
                got: r.ohm.shown(),
                suggestion,
            });
        }
        intake.finish()?;
        let (Some(kind), Some(room_c), Some(shown_c)) = (kind, room_c, shown_c) else {
            return Err(ReadingError::default());
        };
        let limit = context.house.tolerance(ToleranceId::SensorRoomC);
        let own = SensorFound {
            set_type: kind.id.to_owned(),
            room_c,
            shown_c,
            bed_c,
            ohm,
            known_as: context.before_text.clone().filter(|t| *t != kind.label),
            bed_right: bed_c.is_some_and(|b| (b - room_c).abs() <= limit + 2.0),
            fitted_type: None,
            fits: ohm.map_or_else(Vec::new, |r| {
                let fit = SENSOR_TYPES.iter().filter(|s| fits(s, r, room_c));
                fit.map(|s| s.id.to_owned()).collect()
            }),
        };
        let mut facts = Facts::new(Self::ID, Unit::One, Verdict::Pass, own);
        facts.before_text = Some(kind.label.to_owned());
        // Pinned to an end of the table: no type explains that.
        if shown_c <= 1.0 && room_c > 4.0 || shown_c >= 345.0 {
            let open = (shown_c <= 1.0) == kind.table.falls();
            return Ok(facts.stopped(if open {
                Cause::SensorOpen
            } else {
                Cause::SensorShorted
            }));
        }
        let u = u_rectangular(THERMOMETER_C).unwrap_or(0.6);
        facts.bands.push(Band::new(
            "shown",
            Unit::Celsius,
            (shown_c, room_c),
            (expanded_type_b(u), f64::INFINITY),
            limit,
        ));
        if ohm.is_some_and(|r| !fits(kind, r, room_c)) {
            facts.own.fitted_type = facts.own.fits.first().cloned();
            let cause = if facts.own.fits.is_empty() {
                Cause::UnknownSensor
            } else {
                Cause::WrongSensorType
            };
            return Ok(facts.stopped(cause));
        }
        let (error, expanded) = ((shown_c - room_c).abs(), expanded_type_b(u));
        if error + expanded <= limit {
            return Ok(facts);
        }
        if error - expanded <= limit {
            facts.verdict = Verdict::MeasureAgain;
            return Ok(facts);
        }
        Ok(facts.stopped(Cause::SensorOffRoom))
    }

    fn words(f: &Facts<SensorFound>, pen: Pen) -> Words {
        let own = &f.own;
        let c = |v: f64, digits| pen.fixed(v, Unit::Celsius, digits);
        let kind = sensor_type(&own.set_type);
        let label = kind.map_or(own.set_type.as_str(), |k| k.label);
        let has_ohm = kind
            .map_or(f64::NAN, |k| k.table.resistance_ohm(own.room_c))
            .round();
        let mut w = Words::new("sensor type").with_bands(f, pen, |_| "shown".into());
        if let Some(known) = &own.known_as {
            w.rows.push(Row::new(
                "type set",
                Some(known.clone()),
                Some(label.to_owned()),
            ));
        }
        if let Some(b) = own.bed_c {
            w.rows.push(Row::new("bed", None, Some(c(b, 1))));
        }
        if let (Some(r), false) = (own.ohm, f.bands.is_empty()) {
            w.rows.push(Row::new(
                format!("resistance at {}", c(own.room_c, 0)),
                Some(pen.plain(has_ohm, Unit::Ohm, 0)),
                Some(pen.plain(r, Unit::Ohm, 1)),
            ));
        }
        w.plain.push(PlainValue {
            name: "sensor type in the firmware".into(),
            value: label.to_owned(),
        });
        let off = pen.fixed(own.shown_c - own.room_c, Unit::Kelvin, 1);
        match (f.verdict, f.cause) {
            (_, Some(cause @ (Cause::SensorOpen | Cause::SensorShorted))) => w.stop(
                if cause == Cause::SensorOpen {
                    "the sensor’s circuit is open"
                } else {
                    "the sensor is shorted"
                },
                format!(
                    "It shows {} in a room of {}{}. {}Set back whatever was changed while looking.",
                    c(own.shown_c, 0),
                    c(own.room_c, 0),
                    if own.bed_right {
                        ", and the bed reads right, so board and supply are sound"
                    } else {
                        ""
                    },
                    own.beyond_the_plug(pen)
                ),
            ),
            (_, Some(Cause::WrongSensorType)) => {
                let other = own.fitted_type.as_deref().and_then(sensor_type);
                let shows = other
                    .zip(kind)
                    .map_or(f64::NAN, |(o, k)| displayed_c(&o.table, &k.table, 200.0));
                w.stop(
                    &format!(
                        "the fitted sensor is a {}, the printer is set to {label}",
                        other.map_or("other type", |o| o.label)
                    ),
                    format!(
                        "At a true {} the printer would show {}.{} Heat nothing. Fit the sensor the printer is set to, or set the printer to this one, then measure again.",
                        c(200.0, 0),
                        c(shows, 0),
                        which(&own.fits, pen)
                    ),
                )
            }
            (_, Some(Cause::UnknownSensor)) => w.stop(
                &format!(
                    "{} at {} is no sensor of the list",
                    pen.plain(own.ohm.unwrap_or(f64::NAN), Unit::Ohm, 0),
                    c(own.room_c, 0)
                ),
                format!(
                    "A {label} has {} Ω there. Measure at the sensor’s own plug, unplugged from the board; if it stays, replace the sensor.",
                    plain(has_ohm, 0)
                ),
            ),
            (_, Some(_)) => w.stop(
                &format!(
                    "it shows {} in a room of {}",
                    c(own.shown_c, 1),
                    c(own.room_c, 1)
                ),
                if own.ohm.is_some() {
                    "Its resistance is right, so the board reads it wrong: plug, pull-up or board. Heat nothing."
                } else {
                    "A wrong type, a bad plug, or a block that is still warm. Heat nothing. Measure the sensor’s resistance cold, at its plug, unplugged: it tells the type."
                },
            ),
            (Verdict::MeasureAgain, None) => {
                w.settle = vec!["read again once the block has the room’s temperature".into()];
                w.say(
                    format!(
                        "It shows {} against {} in the room.",
                        c(own.shown_c, 1),
                        c(own.room_c, 1)
                    ),
                    "Too near the limit to tell. Let the hot end reach the room, hold the thermometer to the block, and read again.",
                    format!("{off} off"),
                    "Wait, then read again.",
                )
            }
            _ => w.say(
                format!(
                    "Pass: it reads the room within {}.",
                    pen.fixed((own.shown_c - own.room_c).abs().max(0.1), Unit::Kelvin, 1)
                ),
                if own.ohm.is_some() {
                    format!("Its resistance is that of a {label}.{}", which(&own.fits, pen))
                } else {
                    "Two types can agree in the room and differ when hot: measure the resistance where the type isn’t certain.".into()
                },
                format!("{label}, {off} off"),
                "Go on.",
            ),
        }
    }

    fn learns(r: &SensorReadings) -> Vec<Fitted> {
        vec![Fitted::TemperatureSensor {
            kind: Some(r.set_type.clone()).filter(|t| !t.is_empty()),
        }]
    }
}
