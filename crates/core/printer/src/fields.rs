//! The form of a printer as data: each fact once, with its limit, its place and where to find it.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::plain;
use wattotherm_measure::{Pen, Unit};

use crate::fitting::{Fitted, ScrewThread};
use crate::materials::{BlockMaterial, NozzleMaterial, NozzleMount};
use crate::parts::{Part, Replacement};

/// What a fact is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum FactKind {
    /// A number within its limit; [`Limit::field`] is the fact's path.
    Number(Limit),
    /// One of these: id and label.
    Choice(&'static [(&'static str, &'static str)]),
    /// A type of the table of temperature sensors.
    Sensor,
}

/// One fact of a printer.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FactField {
    /// Place and field, e.g. `nozzle.bore_mm`.
    pub path: &'static str,
    /// The place.
    pub part: Part,
    /// Name, e.g. "bore".
    pub label: &'static str,
    /// What it is.
    pub kind: FactKind,
    /// Where to find it.
    pub find: &'static str,
}

const fn number(part: Part, label: &'static str, limit: Limit, find: &'static str) -> FactField {
    FactField {
        path: limit.field,
        part,
        label,
        kind: FactKind::Number(limit),
        find,
    }
}

const fn choice(
    path: &'static str,
    part: Part,
    label: &'static str,
    options: &'static [(&'static str, &'static str)],
    find: &'static str,
) -> FactField {
    FactField {
        path,
        part,
        label,
        kind: FactKind::Choice(options),
        find,
    }
}

/// Every fact of a printer, by place. Limits: common practice, no published source.
pub static FACT_FIELDS: [FactField; 29] = [
    number(
        Part::Frame,
        "width",
        Limit::new(
            "frame.x_mm",
            "width of the build volume",
            Unit::Mm,
            [20.0, 2_000.0, 80.0, 600.0],
            "no printer of this trade is smaller or larger",
        ),
        "The maker’s sheet, or move the head from end to end and read X.",
    ),
    number(
        Part::Frame,
        "depth",
        Limit::new(
            "frame.y_mm",
            "depth of the build volume",
            Unit::Mm,
            [20.0, 2_000.0, 80.0, 600.0],
            "no printer of this trade is smaller or larger",
        ),
        "As the width, along Y.",
    ),
    number(
        Part::Frame,
        "height",
        Limit::new(
            "frame.height_mm",
            "height of the build volume",
            Unit::Mm,
            [20.0, 2_000.0, 80.0, 600.0],
            "no printer of this trade is smaller or larger",
        ),
        "As the width, along Z.",
    ),
    number(
        Part::Frame,
        "nozzles",
        Limit::new(
            "frame.nozzles",
            "number of nozzles",
            Unit::One,
            [1.0, 2.0, 1.0, 2.0],
            "one or two can be worked on",
        ),
        "Count them at the head.",
    ),
    number(
        Part::Bed,
        "levelling screws",
        Limit::new(
            "bed.screws",
            "number of screws",
            Unit::One,
            [0.0, 12.0, 3.0, 9.0],
            "count the screws that carry the bed",
        ),
        "Count the knobs or screws under the bed; 0 where it can’t be levelled by hand.",
    ),
    choice(
        "bed.thread",
        Part::Bed,
        "thread of the screws",
        ScrewThread::CHOICES,
        "Measure the screw’s outer diameter: 3, 4 or 5 mm.",
    ),
    number(
        Part::Bed,
        "Z motors",
        Limit::new(
            "bed.z_motors",
            "number of Z motors",
            Unit::One,
            [1.0, 4.0, 1.0, 4.0],
            "one to four motors lift a crossing or a bed",
        ),
        "Count the motors that lift the crossing or the bed.",
    ),
    number(
        Part::BedSurface,
        "thickness of the plate",
        Limit::new(
            "bed_surface.thickness_mm",
            "thickness of the plate",
            Unit::Mm,
            [0.1, 20.0, 0.2, 8.0],
            "plates are sheets, not blocks",
        ),
        "Caliper at the plate’s edge.",
    ),
    number(
        Part::BedProbe,
        "probe, X from the nozzle",
        Limit::new(
            "bed_probe.x_mm",
            "offset of the probe in X",
            Unit::Mm,
            [-150.0, 150.0, -100.0, 100.0],
            "a probe sits on the head",
        ),
        "Settings report, M851 X; positive to the right. Blank where there is no probe.",
    ),
    number(
        Part::BedProbe,
        "probe, Y from the nozzle",
        Limit::new(
            "bed_probe.y_mm",
            "offset of the probe in Y",
            Unit::Mm,
            [-150.0, 150.0, -100.0, 100.0],
            "a probe sits on the head",
        ),
        "Settings report, M851 Y; positive to the back. Blank where there is no probe.",
    ),
    number(
        Part::Nozzle,
        "bore",
        Limit::new(
            "nozzle.bore_mm",
            "bore",
            Unit::Mm,
            [0.1, 2.0, 0.15, 1.2],
            "nozzles are drilled in this range",
        ),
        "Stamped on a flat of the hex, or drill shanks from a set as gauges.",
    ),
    choice(
        "nozzle.material",
        Part::Nozzle,
        "material",
        NozzleMaterial::CHOICES,
        "Yellow is brass, a magnet holds most steels, plated copper is silvery and heavy.",
    ),
    choice(
        "nozzle.mount",
        Part::Nozzle,
        "how it is changed",
        NozzleMount::CHOICES,
        "A hex to hold a wrench is changed hot; a nozzle that comes out with a thin tube above it, by hand, is not.",
    ),
    choice(
        "heat_break.kind",
        Part::HeatBreak,
        "heat break",
        &[
            ("lined", "lined: plastic reaches the nozzle"),
            ("all_metal", "all-metal"),
        ],
        "Cold and unloaded, look in from above: white plastic down to the nozzle is a liner. In doubt: lined.",
    ),
    choice(
        "heater_block.material",
        Part::HeaterBlock,
        "material of the block",
        BlockMaterial::CHOICES,
        "Aluminium is light and grey; a scratch of the other shows red.",
    ),
    choice(
        "heater_block.mass",
        Part::HeaterBlock,
        "size of the block",
        &[
            ("light", "small"),
            ("standard", "usual, some 20 × 16 × 12 mm"),
            ("heavy", "large"),
        ],
        "Compare it with 20 × 16 × 12 mm.",
    ),
    number(
        Part::HeaterCartridge,
        "power, as marked",
        Limit::new(
            "heater_cartridge.power_w",
            "power of the heater",
            Unit::Watt,
            [5.0, 200.0, 20.0, 120.0],
            "cartridges of hot ends have 20 to 120 W",
        ),
        "Engraved on the cartridge or on a tag at its wires: volts and watts.",
    ),
    FactField {
        path: "temperature_sensor.kind",
        part: Part::TemperatureSensor,
        label: "temperature sensor",
        kind: FactKind::Sensor,
        find: "The firmware’s configuration; or measure its resistance cold at the plug.",
    },
    choice(
        "extruder_drive.path",
        Part::ExtruderDrive,
        "filament path",
        &[
            ("tube", "through a tube"),
            ("direct", "direct: the drive sits on the hot end"),
        ],
        "Look where the drive sits.",
    ),
    number(
        Part::ExtruderDrive,
        "gear ratio",
        Limit::new(
            "extruder_drive.gear_ratio",
            "gear ratio",
            Unit::One,
            [0.1, 60.0, 1.0, 60.0],
            "a ratio is motor turns per turn of the drive wheel",
        ),
        "Count the teeth: driven divided by driving. 1 without gears.",
    ),
    number(
        Part::ExtruderDrive,
        "drive wheel diameter",
        Limit::new(
            "extruder_drive.diameter_mm",
            "drive wheel diameter",
            Unit::Mm,
            [2.0, 60.0, 4.0, 25.0],
            "drive wheels are smaller than a hand and larger than the filament",
        ),
        "Caliper at the bottom of the teeth or the groove.",
    ),
    number(
        Part::ExtruderMotor,
        "full steps per turn",
        Limit::new(
            "extruder_motor.full_steps",
            "full steps per turn",
            Unit::One,
            [20.0, 800.0, 200.0, 400.0],
            "motors have 200 or 400",
        ),
        "On the motor’s plate: 1.8° is 200, 0.9° is 400.",
    ),
    number(
        Part::Tube,
        "outer diameter of the tube",
        Limit::new(
            "tube.outer_mm",
            "outer diameter of the tube",
            Unit::Mm,
            [2.0, 12.0, 3.0, 8.0],
            "tubes of printers are 3 to 8 mm",
        ),
        "Caliper at the tube’s end. Blank with a direct drive.",
    ),
    number(
        Part::Tube,
        "inner diameter of the tube",
        Limit::new(
            "tube.inner_mm",
            "inner diameter of the tube",
            Unit::Mm,
            [1.5, 6.0, 1.8, 4.2],
            "filament of 1.75 or 2.85 mm must pass",
        ),
        "Printed on the tube, or drill shanks as gauges.",
    ),
    number(
        Part::Tube,
        "length of the tube",
        Limit::new(
            "tube.length_mm",
            "length of the tube",
            Unit::Mm,
            [10.0, 2_500.0, 20.0, 1_500.0],
            "tubes reach from the drive to the head",
        ),
        "Tape along the tube from collet to collet, plus what is inside.",
    ),
    number(
        Part::ControlBoard,
        "supply",
        Limit::new(
            "control_board.supply_v",
            "supply",
            Unit::Volt,
            [5.0, 60.0, 11.0, 49.0],
            "boards run on 12, 24, 36 or 48 V; mains goes into the supply, not into the board",
        ),
        "On the supply’s label, output side: 12, 24, 36 or 48 V.",
    ),
    number(
        Part::ControlBoard,
        "heater output, most",
        Limit::new(
            "control_board.heater_a",
            "rating of the heater output",
            Unit::Ampere,
            [1.0, 40.0, 2.0, 20.0],
            "outputs of boards are rated 3 to 15 A",
        ),
        "The board’s sheet; the fuse beside the output is no more than it.",
    ),
    number(
        Part::ControlBoard,
        "microsteps",
        Limit::new(
            "control_board.microsteps",
            "microsteps",
            Unit::One,
            [1.0, 256.0, 8.0, 256.0],
            "drivers divide a step into 1 to 256",
        ),
        "Settings report or jumpers under the driver: 16 in most.",
    ),
    number(
        Part::ControlBoard,
        "firmware limit",
        Limit::new(
            "control_board.limit_c",
            "firmware limit",
            Unit::Celsius,
            [100.0, 500.0, 200.0, 450.0],
            "firmwares are built with limits of {100 to 500 °C}",
        ),
        "The firmware’s configuration, or the highest target that the printer’s menu takes plus its margin.",
    ),
];

/// What is typed in the fields, as what is fitted at each of their places. Blank is not known. `sensors` are
/// the ids of the table of sensors.
///
/// # Errors
/// [`ReadingError`] with every field that can't be, or is asked about.
pub fn read_fields<'a>(
    fields: impl IntoIterator<Item = &'a FactField>,
    typed: &BTreeMap<String, Entry>,
    confirmed: &[String],
    sensors: &[&str],
) -> Result<Vec<Fitted>, ReadingError> {
    let mut intake = Intake::new(confirmed);
    let mut places: BTreeMap<&str, Map<String, Value>> = BTreeMap::new();
    for field in fields {
        let (place, name) = field.path.split_once('.').unwrap_or((field.path, ""));
        let map = places.entry(place).or_default();
        let Some(entry) = typed.get(field.path).filter(|e| !e.is_blank()) else {
            continue;
        };
        let value = match field.kind {
            FactKind::Number(limit) => intake.may(&limit, field.path, entry).map(Value::from),
            FactKind::Choice(options) => {
                let known = options.iter().any(|(id, _)| *id == entry.shown());
                known.then(|| Value::from(entry.shown()))
            }
            FactKind::Sensor => {
                let known = sensors.contains(&entry.shown().as_str());
                known.then(|| Value::from(entry.shown()))
            }
        };
        match (value, field.kind) {
            (Some(v), _) => {
                map.insert(name.to_owned(), v);
            }
            (None, FactKind::Number(_)) => {}
            (None, _) => intake.push(FieldProblem::Conflict {
                field: field.path.to_owned(),
                message: format!(
                    "“{}” is no {} of the list. Choose one.",
                    entry.shown(),
                    field.label
                ),
            }),
        }
    }
    intake.finish()?;
    Ok(places
        .into_iter()
        .filter_map(|(place, mut map)| {
            map.insert("place".into(), place.into());
            // OK because every path is a place and a field of it: a test reads them all.
            serde_json::from_value(map.into()).ok()
        })
        .collect())
}

/// What is fitted as it would be typed: the way back of [`read_fields`].
#[must_use]
pub fn typed_fields(fitted: &[Fitted]) -> BTreeMap<String, String> {
    let mut typed = BTreeMap::new();
    for one in fitted {
        let Ok(Value::Object(map)) = serde_json::to_value(one) else {
            continue;
        };
        let place = one.part().id();
        for (name, value) in map.iter().filter(|(n, _)| *n != "place") {
            let text = match value {
                Value::Number(n) => n.as_f64().map(|n| plain(n, 4)),
                Value::String(s) => Some(s.clone()),
                _ => None,
            };
            if let Some(t) = text {
                typed.insert(format!("{place}.{name}"), t);
            }
        }
    }
    typed
}

/// As [`typed_fields`], with numbers in the units of a shop: "0.0157 in".
#[must_use]
pub fn typed_in(fitted: &[Fitted], pen: Pen) -> BTreeMap<String, String> {
    let mut typed = typed_fields(fitted);
    for field in &FACT_FIELDS {
        if let FactKind::Number(limit) = field.kind
            && pen.symbol(limit.unit) != limit.unit.symbol()
            && let Some(text) = typed.get_mut(field.path)
            && let Some(value) = Entry::from(text.as_str()).parse(limit.unit)
        {
            *text = pen.plain(value, limit.unit, 4);
        }
    }
    typed
}

impl Fitted {
    /// This with what is known newer laid over it; another place stays as it is.
    #[must_use]
    pub fn with(&self, newer: &Self) -> Self {
        let (Ok(Value::Object(mut old)), Ok(Value::Object(new))) =
            (serde_json::to_value(self), serde_json::to_value(newer))
        else {
            return self.clone();
        };
        if self.part() != newer.part() {
            return self.clone();
        }
        old.extend(new);
        serde_json::from_value(old.into()).unwrap_or_else(|_| self.clone())
    }
}

/// The facts that fitting a part may change, with whether they must be told; those of the new part.
#[must_use]
pub fn fields_of(replacement: Replacement) -> Vec<(&'static FactField, bool)> {
    use Replacement as R;
    let (asked, needed): (&[&str], &[&str]) = match replacement {
        R::NozzleOtherBore => (&["nozzle.material"], &["nozzle.bore_mm"]),
        R::NozzleOtherMaterial => (&[], &["nozzle.material"]),
        R::HeaterBlock => (&["heater_block.material", "heater_block.mass"], &[]),
        R::HotEndOther => (
            &[
                "nozzle.material",
                "heater_block.material",
                "heater_block.mass",
                "heater_cartridge.power_w",
                "temperature_sensor.kind",
            ],
            &["heat_break.kind", "nozzle.bore_mm"],
        ),
        R::HeaterCartridge => (&["heater_cartridge.power_w"], &[]),
        R::SensorOtherType => (&[], &["temperature_sensor.kind"]),
        R::ExtruderDrive => (
            &["extruder_drive.gear_ratio", "extruder_drive.diameter_mm"],
            &[],
        ),
        R::TubeToDirectDrive => (
            &[
                "extruder_drive.gear_ratio",
                "extruder_drive.diameter_mm",
                "tube.length_mm",
                "frame.x_mm",
                "frame.y_mm",
                "frame.height_mm",
            ],
            &[],
        ),
        R::ExtruderMotor => (&["extruder_motor.full_steps"], &[]),
        R::Tube => (&["tube.outer_mm", "tube.inner_mm", "tube.length_mm"], &[]),
        R::BedProbe => (&["bed_probe.x_mm", "bed_probe.y_mm"], &[]),
        R::BedSurface => (&["bed_surface.thickness_mm"], &[]),
        R::ControlBoard => (
            &[
                "control_board.supply_v",
                "control_board.heater_a",
                "control_board.microsteps",
                "control_board.limit_c",
            ],
            &[],
        ),
        _ => (&[], &[]),
    };
    FACT_FIELDS
        .iter()
        .filter_map(|f| {
            let must = needed.contains(&f.path);
            (must || asked.contains(&f.path)).then_some((f, must))
        })
        .collect()
}

/// One choice of a field.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct FactOption {
    /// Id, as it is typed.
    pub id: String,
    /// Name.
    pub label: String,
}

/// A field as a page renders it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct FactFieldShown {
    /// Path, e.g. `nozzle.bore_mm`.
    pub path: String,
    /// Name of the place, as heading of its group.
    pub group: String,
    /// Name.
    pub label: String,
    /// Unit of a number.
    pub unit: String,
    /// Choices; empty for a number.
    pub options: Vec<FactOption>,
    /// Where to find it.
    pub find: String,
    /// Whether it must be told.
    pub needed: bool,
}

impl FactField {
    /// What is typed in it, in words: "bore 0.6 mm".
    #[must_use]
    pub fn says(&self, text: &str, pen: Pen) -> String {
        let value = self.value_says(text, pen);
        match self.kind {
            FactKind::Number(_) => format!("{} {value}", self.label),
            FactKind::Choice(_) | FactKind::Sensor => value,
        }
    }

    /// As [`FactField::says`], without the name: "0.6 mm".
    #[must_use]
    pub fn value_says(&self, text: &str, pen: Pen) -> String {
        match self.kind {
            FactKind::Number(limit) => Entry::from(text)
                .parse(limit.unit)
                .map_or_else(|| text.to_owned(), |v| pen.plain(v, limit.unit, 4)),
            FactKind::Choice(options) => options
                .iter()
                .find(|(id, _)| *id == text)
                .map_or(text, |(_, label)| label)
                .to_owned(),
            FactKind::Sensor => text.to_owned(),
        }
    }

    /// As a page renders it; `sensors` by id and label.
    #[must_use]
    pub fn shown(&self, needed: bool, sensors: &[(&str, &str)], pen: Pen) -> FactFieldShown {
        let own = |pairs: &[(&str, &str)]| {
            pairs
                .iter()
                .map(|(a, b)| FactOption {
                    id: (*a).to_owned(),
                    label: (*b).to_owned(),
                })
                .collect()
        };
        let (unit, options) = match self.kind {
            FactKind::Number(limit) => (pen.symbol(limit.unit), Vec::new()),
            FactKind::Choice(options) => ("", own(options)),
            FactKind::Sensor => ("", own(sensors)),
        };
        FactFieldShown {
            path: self.path.to_owned(),
            group: self.part.label().to_owned(),
            label: self.label.to_owned(),
            unit: unit.to_owned(),
            options,
            find: self.find.to_owned(),
            needed,
        }
    }
}
