//! XY offset of a second nozzle: two combs of lines, and where their lines meet.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, fixed, plain};
use wattotherm_measure::{Combined, Component, Pen, Series, Unit, Verdict, combine, u_rectangular};
use wattotherm_printer::Parameter;
use wattotherm_toolpath::{COMB_PITCH_MM, COMB_TEETH};

use super::search::{MOST_NOTE, for_a_piece, note_field, note_shown};
use super::set_up::tolerance;
use super::{SetUp, Station, expanded_95};
use crate::context::{Context, FROM_SNAPSHOT, IN_FORCE};
use crate::finding::{Band, Cause, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form, Measured};
use crate::house::ToleranceId;

/// XY offset of the second nozzle.
pub struct OffsetXy;

/// A reading of both combs.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct CombReading {
    /// Tooth that meets best across X, counted from the middle: to the right is positive.
    pub x: Entry,
    /// Across Y; away from you is positive.
    pub y: Entry,
}

/// What is read off the combs.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct OffsetXyReadings {
    /// Version of this shape: 2.
    pub version: u32,
    /// Offset set while printing, X [mm].
    pub set_x: Entry,
    /// Y [mm].
    pub set_y: Entry,
    /// How much wider the second nozzle's pitch is [mm].
    pub more: Entry,
    /// Readings, a print each.
    pub readings: Vec<CombReading>,
    /// In the technician's words.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What was found of the offset.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OffsetXyFound {
    /// Set while printing [mm].
    set: [f64; 2],
    /// To set [mm].
    wanted: [f64; 2],
    prints: usize,
    more_mm: f64,
    /// Which comb's best tooth is its last.
    ends: Option<Across>,
    /// Readings of one comb differ by more than two teeth.
    differ: bool,
    note: String,
}

/// Which comb.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Across {
    X,
    Y,
}

const OFFSET: Limit = Limit::new(
    "set_x",
    "offset set",
    Unit::Mm,
    [-200.0, 200.0, -150.0, 150.0],
    "nozzles stand side by side",
);
const TOOTH: Limit = Limit::new(
    "x",
    "tooth",
    Unit::One,
    [-20.0, 20.0, -20.0, 20.0],
    "a comb has at most twenty teeth to either side",
);
const MORE: Limit = Limit::new(
    "more",
    "difference of the pitches",
    Unit::Mm,
    [0.02, 0.2, 0.02, 0.2],
    "a smaller one can’t be read, a larger one tells little",
);
/// Teeth to either side, as the piece has them.
const TEETH: f64 = 10.0;
const MOST_PRINTS: usize = 12;

/// An offset as it is kept, X and Y; blank where none is: 0 would set the second nozzle onto the first.
fn typed_offset(text: Option<&str>) -> [String; 2] {
    let mut parts = text
        .unwrap_or_default()
        .split(", ")
        .map(|p| p.trim().to_owned());
    let mut next = || parts.next().unwrap_or_default();
    [next(), next()]
}

/// What is set while the combs are printed: the value in force, else what was typed in the round before, else what the
/// snapshot says.
fn set_now(context: &Context) -> ([String; 2], Option<&'static str>) {
    if let Some(in_force) = &context.before_text {
        return (typed_offset(Some(in_force)), Some(IN_FORCE));
    }
    // A stop puts nothing into force; what was set while it was found is still set.
    if let Some(typed) = context.previous.as_ref() {
        let text = |name: &str| typed.get(name).and_then(Value::as_str).unwrap_or_default();
        return (["set_x", "set_y"].map(|name| text(name).to_owned()), None);
    }
    // A printer with one nozzle may list an offset of 0 as well; where the second one stands it doesn't say then.
    match ['X', 'Y'].map(|l| context.stored("M218", l)) {
        [Some(x), Some(y)] if x != 0.0 || y != 0.0 => {
            ([x, y].map(|v| plain(v, 3)), Some(FROM_SNAPSHOT))
        }
        _ => (typed_offset(None), None),
    }
}

fn said([x, y]: [f64; 2]) -> String {
    format!("{}, {}", plain(x, 3), plain(y, 3))
}

impl Station for OffsetXy {
    type Readings = OffsetXyReadings;
    type Own = OffsetXyFound;
    const ID: &'static str = "offset_xy";
    const VERSION: u32 = 2;
    const SETTLES: &'static [Parameter] = &[Parameter::OffsetXy];
    const STAYS: &'static [&'static str] = &["more"];

    fn start(context: &Context) -> OffsetXyReadings {
        let [x, y] = set_now(context).0;
        OffsetXyReadings {
            set_x: x.as_str().into(),
            set_y: y.as_str().into(),
            more: 0.05.into(),
            readings: vec![CombReading::default()],
            ..OffsetXyReadings::default()
        }
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let from = set_now(context).1;
        from.into_iter()
            .flat_map(|from| [("set_x", from), ("set_y", from)])
            .collect()
    }

    fn upgrade(_: u32, readings: Value) -> Value {
        // A trial kept both numbers as one text.
        let typed = |name: &str| {
            readings
                .get(name)
                .and_then(Value::as_str)
                .map(str::to_owned)
        };
        let [x, y] = typed_offset(typed("before").as_deref());
        json!({"version": 2, "set_x": x, "set_y": y, "more": "0.05", "readings": [{}], "note": typed("note").unwrap_or_default()})
    }

    fn form(r: &OffsetXyReadings, _: &Context) -> Form {
        let rows = (0..r.readings.len().min(MOST_PRINTS)).flat_map(|i| {
            [
                Field::number_at(format!("readings.{i}.x"), &TOOTH).named("Tooth across X"),
                Field::number_at(format!("readings.{i}.y"), &TOOTH).named("Tooth across Y"),
            ]
        });
        let more = r.more.parse(Unit::Mm).filter(|m| (0.02..=0.2).contains(m));
        let mut form = Form::default().pictured_prints(r.readings.len().min(MOST_PRINTS));
        for i in 0..r.readings.len().min(MOST_PRINTS) {
            for (axis, across, lie) in [("x", "X", false), ("y", "Y", true)] {
                form = form.with_photo(
                    format!("readings.{i}.{axis}"),
                    format!("teeth across {across} of print {}", i + 1),
                    Measured::Combs {
                        teeth: COMB_TEETH,
                        more: more.unwrap_or(0.05) / COMB_PITCH_MM,
                        lie,
                    },
                );
            }
        }
        form.with_piece(
            "combs",
            "Make the combs",
            &[("more", for_a_piece(&r.more, Unit::Mm))],
        )
        .group(
            "Which teeth meet? 0 is the middle, right and away are positive",
            rows.collect(),
        )
        .table(2)
        .drawn("combs")
        .more("One more print", "readings", json!({"x": "", "y": ""}))
        .group(
            "",
            vec![
                Field::number_at("set_x", &OFFSET)
                    .named("Offset set, X")
                    .needed(),
                Field::number_at("set_y", &OFFSET)
                    .named("Offset set, Y")
                    .needed(),
                Field::number(&MORE)
                    .named("Second comb is wider by")
                    .needed(),
            ],
        )
        .group("", vec![note_field()])
    }

    fn set_up(_: &OffsetXyReadings, context: &Context) -> SetUp {
        SetUp::new("Print both combs with both nozzles, and see which teeth meet.")
            .hint("The second nozzle’s teeth stand wider by a twentieth of a millimetre: each tooth from the middle is that much of offset.")
            .hint("Print it twice: nozzles that differ between two prints are loose.")
            .limit(format!(
                "Limit {}.",
                tolerance(context, ToleranceId::OffsetXyMm, Unit::Mm)
            ))
            .hot(None, context.house.pen)
    }

    /// Formula: error = −mean tooth · δ; new offset = old + error, per axis; u² = δ²/12/n + s²/n.
    /// Source: vernier of two pitches, handbook 2, section 5: u = δ/(2√3) a reading (JCGM 100:2008, 4.3.7).
    fn facts(
        r: &OffsetXyReadings,
        context: &Context,
    ) -> Result<Facts<OffsetXyFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let set = [
            intake.need(&OFFSET, "set_x", &r.set_x),
            intake.need(&OFFSET, "set_y", &r.set_y),
        ];
        let more = intake.need(&MORE, "more", &r.more);
        super::snapshot::no_longer(&mut intake, "note", &r.note, MOST_NOTE);
        let (mut x, mut y) = (Vec::new(), Vec::new());
        for (i, reading) in r.readings.iter().take(MOST_PRINTS).enumerate() {
            let first = i == 0;
            if !first && reading.x.is_blank() && reading.y.is_blank() {
                continue;
            }
            x.extend(intake.need(&TOOTH, &format!("readings.{i}.x"), &reading.x));
            y.extend(intake.need(&TOOTH, &format!("readings.{i}.y"), &reading.y));
        }
        if r.readings.len() > MOST_PRINTS {
            intake.count("readings", "Twelve prints are enough.");
        }
        intake.finish()?;
        // OK because `finish` fails where one of these is missing.
        let more_mm = more.unwrap_or(0.05);
        let set = set.map(Option::unwrap_or_default);
        let limit = context.house.tolerance(ToleranceId::OffsetXyMm);
        let half = u_rectangular(more_mm / 2.0).unwrap_or(more_mm);
        let measured = |teeth: &[f64]| {
            let s = Series::of(teeth)?;
            // OK because there are a dozen prints at most.
            #[allow(clippy::cast_precision_loss)]
            let n = s.n as f64;
            let parts = [
                Component::type_b(half / n.sqrt(), 1.0),
                Component {
                    u: s.s * more_mm / n.sqrt(),
                    sensitivity: 1.0,
                    dof: (n - 1.0).max(1.0),
                },
            ];
            let combined = if s.s > 0.0 {
                combine(&parts)
            } else {
                Combined {
                    u: parts[0].u,
                    dof: f64::INFINITY,
                }
            };
            // The second comb is the wider one: a tooth to the right meets where its nozzle lays too far to the left.
            Some((-s.mean * more_mm, combined))
        };
        let mut wanted = set;
        let mut bands = Vec::new();
        for (axis, teeth) in [(0, &x), (1, &y)] {
            let Some((error, combined)) = measured(teeth) else {
                continue;
            };
            wanted[axis] = ((set[axis] + error) * 1000.0).round() / 1000.0;
            bands.push(Band::new(
                ["x", "y"][axis],
                Unit::Mm,
                (error, 0.0),
                (expanded_95(combined), combined.dof),
                limit,
            ));
        }
        let last = |teeth: &[f64]| teeth.iter().any(|t| t.abs() >= TEETH - 0.25);
        let spread = |teeth: &[f64]| {
            let (low, high) = teeth
                .iter()
                .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), t| {
                    (a.min(*t), b.max(*t))
                });
            high - low
        };
        let own = OffsetXyFound {
            set,
            wanted,
            prints: x.len(),
            more_mm,
            ends: match (last(&x), last(&y)) {
                (true, _) => Some(Across::X),
                (_, true) => Some(Across::Y),
                _ => None,
            },
            differ: spread(&x).max(spread(&y)) > 2.0,
            note: note_shown(&r.note),
        };
        let verdicts: Vec<Verdict> = bands.iter().map(|b| b.verdict).collect();
        let verdict = [Verdict::Adjust, Verdict::MeasureAgain]
            .into_iter()
            .find(|v| verdicts.contains(v))
            .unwrap_or(Verdict::Pass);
        let mut facts = Facts::new(Self::ID, Unit::One, verdict, own);
        facts.before_text = Some(said(set));
        facts.bands = bands;
        if facts.own.differ {
            return Ok(facts.stopped(Cause::NozzlesLoose));
        }
        if facts.verdict == Verdict::Adjust {
            facts.after_text = Some(said(wanted));
            if let Ok(command) = gcode::set_nozzle_offset_mm(wanted) {
                facts.commands = vec![command];
            }
        }
        Ok(facts)
    }

    fn words(f: &Facts<OffsetXyFound>, pen: Pen) -> Words {
        let own = &f.own;
        let mut w = Words::new("XY offset").with_bands(f, pen, |id| {
            if id == "x" {
                "off in X".into()
            } else {
                "off in Y".into()
            }
        });
        let mm = |v: f64| pen.fixed(v, Unit::Mm, 3);
        for (i, name) in ["X", "Y"].into_iter().enumerate() {
            w.rows.push(Row::new(
                name,
                Some(mm(own.set[i])),
                (f.verdict == Verdict::Adjust).then(|| mm(own.wanted[i])),
            ));
        }
        w.reasons.push(format!(
            "{}; a tooth is {}, read to half a tooth.",
            count(own.prints, "print", "prints"),
            pen.plain(own.more_mm, Unit::Mm, 3)
        ));
        if own.prints == 1 {
            w.reasons
                .push("One print doesn’t show whether the nozzles stay where they are.".into());
        }
        if !own.note.is_empty() {
            w.reasons.push(own.note.clone());
        }
        if f.cause.is_some() {
            return w.stop(
                "the second nozzle stands elsewhere from print to print",
                "An offset can’t cure that. Look for play where the nozzle or its carrier is held, and for a belt that slips.",
            );
        }
        let both = |v: [f64; 2]| format!("X {}, Y {}", mm(v[0]), mm(v[1]));
        match f.verdict {
            Verdict::Pass => w.say(
                format!("Pass: {} stays.", both(own.set)),
                "Both combs meet in their middles.",
                both(own.set),
                "Go on.",
            ),
            Verdict::Adjust => {
                w.plain = ["X", "Y"]
                    .into_iter()
                    .zip(own.wanted)
                    .map(|(name, v)| PlainValue {
                        name: format!("offset of the second nozzle, {name}"),
                        value: format!("{} mm", fixed(v, 3)),
                    })
                    .collect();
                let beyond = own.ends.map_or("", |_| {
                    " The best tooth is the comb’s last: more may be left, the next print shows it."
                });
                w.say(
                    format!("Adjust: {} → {}.", both(own.set), both(own.wanted)),
                    format!("Set it, store it, and print the combs again.{beyond}"),
                    format!("{} → {}", both(own.set), both(own.wanted)),
                    "Set it, store it, print the combs again.",
                )
            }
            _ => w
                .unsettled(
                    vec![
                        "two more prints of the combs".into(),
                        "combs with a smaller difference".into(),
                    ],
                    "the offset",
                )
                .headed(
                    "Measure again: the combs can’t show yet whether the nozzles agree.",
                    "not settled",
                    "Print the combs again; nothing is set.",
                ),
        }
    }
}
