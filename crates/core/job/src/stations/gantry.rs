//! Gantry: is a crossing that hangs on several motors as high at each of them?

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::join_and;
use wattotherm_measure::{Combined, Pen, Unit, Verdict, u_rectangular};

use super::set_up::tolerance;
use super::{SetUp, Station};
use crate::caution::SignalWord;
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, Row, Words};
use crate::form::{Field, Form};
use crate::house::ToleranceId;

/// A crossing that several motors lift.
pub struct Gantry;

/// What is read at the gantry.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct GantryReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// From the frame up to the crossing, at each motor [mm].
    pub heights: Vec<Entry>,
    /// What a whole turn of a screw lifts [mm].
    pub lead_mm: Entry,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// One motor's side.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Side {
    /// Above the lowest [mm].
    above_mm: f64,
    /// Turns of its screw that lift it to the highest.
    turns: f64,
}

/// What was found of the gantry.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct GantryFound {
    sides: Vec<Side>,
    limit_mm: f64,
}

const HEIGHT: Limit = Limit::new(
    "heights",
    "height at a motor",
    Unit::Mm,
    [0.5, 1_000.0, 5.0, 600.0],
    "measure from the frame to the crossing with a caliper or gauge blocks",
);
const LEAD: Limit = Limit::new(
    "lead_mm",
    "lead of the screws",
    Unit::Mm,
    [0.5, 20.0, 1.0, 16.0],
    "count the turns for a centimetre: usually 2, 4 or 8 mm a turn",
);
/// A caliper against a frame sees this much [mm]. Common practice, no published source.
const SEEN_MM: f64 = 0.05;
/// Beyond this a screw has jumped, or a coupler slips [mm]. Common practice, no published source.
const SLIPPED_MM: f64 = 15.0;

fn motors(context: &Context) -> usize {
    // OK because the field's limit is four.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let n = context.printer.z_motors.unwrap_or(2.0) as usize;
    n.clamp(2, 4)
}

fn side_name(i: usize, of: usize) -> &'static str {
    match (i, of) {
        (0, 2) => "left",
        (1, 2) => "right",
        (0, 3) => "front left",
        (1, 3) => "front right",
        (_, 3) => "back",
        (0, _) => "front left",
        (1, _) => "front right",
        (2, _) => "back left",
        _ => "back right",
    }
}

impl Station for Gantry {
    type Readings = GantryReadings;
    type Own = GantryFound;
    const ID: &'static str = "gantry";
    const STAYS: &'static [&'static str] = &["lead_mm"];

    fn start(context: &Context) -> GantryReadings {
        GantryReadings {
            heights: vec![Entry::default(); motors(context)],
            lead_mm: "8".into(),
            ..GantryReadings::default()
        }
    }

    fn form(r: &GantryReadings, _: &Context) -> Form {
        let of = r.heights.len().clamp(2, 4);
        let sides = (0..of)
            .map(|i| {
                Field::number_at(format!("heights.{i}"), &HEIGHT)
                    .named(side_name(i, of))
                    .needed()
            })
            .collect();
        Form::default()
            .group("From the frame up to the crossing", sides)
            .large()
            .group(
                "",
                vec![Field::number(&LEAD).named("A turn lifts").needed()],
            )
    }

    fn set_up(_: &GantryReadings, context: &Context) -> SetUp {
        SetUp::new("Measure from the frame up to the crossing, at every motor that lifts it.")
            .hint("Before the screws of the bed: they would only follow a crossing that hangs askew.")
            .hint("Motors off, and the head in the middle. A printer with a levelling routine of its own runs it first; then measure all the same.")
            .limit(format!(
                "Highest less lowest: at most {}.",
                tolerance(context, ToleranceId::GantryMm, Unit::Mm)
            ))
            .caution(
                SignalWord::Caution,
                "Pinched fingers. Motors off before a screw is turned; hold the crossing, it can drop.",
            )
    }

    /// Formula: range = highest less lowest; turns = (highest less this one) / lead.
    /// Source: common practice, no published source; guard band by JCGM 106:2012.
    fn facts(r: &GantryReadings, context: &Context) -> Result<Facts<GantryFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let lead = intake.need(&LEAD, "lead_mm", &r.lead_mm);
        if r.heights.len() < 2 || r.heights.len() > 4 {
            intake.count("heights", "Two, three or four motors lift a crossing.");
        }
        let heights: Vec<f64> = r
            .heights
            .iter()
            .take(4)
            .enumerate()
            .filter_map(|(i, h)| intake.need(&HEIGHT, &format!("heights.{i}"), h))
            .collect();
        intake.finish()?;
        let low = heights.iter().copied().fold(f64::INFINITY, f64::min);
        let high = heights.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let lead = lead.unwrap_or(8.0);
        let limit_mm = context.house.tolerance(ToleranceId::GantryMm);
        let combined = Combined {
            u: u_rectangular(SEEN_MM).unwrap_or(SEEN_MM) * std::f64::consts::SQRT_2,
            dof: f64::INFINITY,
        };
        let mut band = Band::small("range", Unit::Mm, high - low, combined, limit_mm);
        // A difference that is really there is turned out, also one that may be inside: turning costs nothing.
        if band.verdict == Verdict::MeasureAgain && high - low > band.expanded {
            band.verdict = Verdict::Adjust;
        }
        let own = GantryFound {
            sides: heights
                .iter()
                .map(|h| Side {
                    above_mm: h - low,
                    turns: (high - h) / lead,
                })
                .collect(),
            limit_mm,
        };
        let mut facts = Facts::new(Self::ID, Unit::Mm, band.verdict, own);
        facts.before = Some(high - low);
        facts.value_expanded = Some(band.expanded);
        facts.after = (band.verdict == Verdict::Adjust).then_some(0.0);
        facts.bands.push(band);
        Ok(if high - low > SLIPPED_MM {
            facts.stopped(Cause::GantrySlipped)
        } else {
            facts
        })
    }

    fn words(f: &Facts<GantryFound>, pen: Pen) -> Words {
        let own = &f.own;
        let mm = |v| pen.fixed(v, Unit::Mm, 2);
        let of = own.sides.len();
        let mut w = Words::new("height across the motors")
            .with_bands(f, pen, |_| "highest less lowest".into());
        let lifts: Vec<String> = (own.sides.iter().enumerate())
            .filter(|(_, s)| s.turns > 1e-9)
            .map(|(i, s)| {
                format!(
                    "{} by {:.0}° of its screw",
                    side_name(i, of),
                    s.turns * 360.0
                )
            })
            .collect();
        let lifts: Vec<&str> = lifts.iter().map(String::as_str).collect();
        let across = w
            .bands
            .first()
            .map_or_else(String::new, |b| b.measured.clone());
        for (i, s) in own.sides.iter().enumerate() {
            let turn = if f.verdict == Verdict::Adjust && s.turns > 1e-9 {
                format!("lift by {:.0}° of its screw", s.turns * 360.0)
            } else {
                String::new()
            };
            w.rows.push(Row::new(
                side_name(i, of),
                Some(format!("+{}", mm(s.above_mm))),
                Some(turn).filter(|t| !t.is_empty()),
            ));
        }
        match (f.cause, f.verdict) {
            (Some(_), _) => w.stop(
                &format!("the crossing hangs askew by {across}"),
                "A coupler slips, a nut jumped its screw, or a motor doesn’t turn. Look at each before the crossing is bent.",
            ),
            (None, Verdict::Pass) => w.say(
                format!("Pass: {across} across the motors."),
                format!("Inside {}.", pen.plain(own.limit_mm, Unit::Mm, 2)),
                format!("{across} across"),
                "Go on.",
            ),
            (None, Verdict::Adjust) => w.say(
                format!("Adjust: {across} across the motors."),
                format!(
                    "Motors off. By hand at the couplers, lift {}. Then measure again.",
                    join_and(&lifts)
                ),
                format!("was {across}, screws turned"),
                "Turn the screws, then measure all sides again.",
            ),
            _ => w
                .unsettled(
                    vec!["gauge blocks or the same feeler under both sides".into()],
                    "the crossing",
                )
                .headed(
                    format!("Measure again: {across} across the motors."),
                    format!("{across}, not settled"),
                    "Measure again, with blocks instead of the caliper.",
                ),
        }
    }
}
