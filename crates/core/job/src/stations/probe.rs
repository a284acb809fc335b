//! Bed probe: does it repeat, and where does it sit beside the nozzle?

use serde::{Deserialize, Serialize};
use statrs::distribution::{ChiSquared, ContinuousCDF};
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::{Pen, Unit, Verdict};
use wattotherm_printer::Fitted;

use super::set_up::tolerance;
use super::{SetUp, Station, expanded_type_b, known};
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, Row, Words};
use crate::form::{Field, Form};
use crate::house::ToleranceId;

/// The probe's touches and its place.
pub struct Probe;

/// What is read at the probe.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ProbeReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Heights at which it triggered over one spot [mm].
    pub touches_mm: Vec<Entry>,
    /// X shown with the nozzle over the mark [mm].
    pub nozzle_x_mm: Entry,
    /// Y shown with the nozzle over the mark [mm].
    pub nozzle_y_mm: Entry,
    /// X shown with the probe over the same mark [mm].
    pub probe_x_mm: Entry,
    /// Y shown with the probe over the same mark [mm].
    pub probe_y_mm: Entry,
    /// Offset in X that the printer holds [mm].
    pub set_x_mm: Entry,
    /// Offset in Y that the printer holds [mm].
    pub set_y_mm: Entry,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What was found of the probe.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ProbeFound {
    touches: usize,
    /// Standard deviation of the touches [mm], and the 95 % bounds of what it may truly be.
    s_mm: f64,
    s_least_mm: f64,
    s_most_mm: f64,
    /// More touches of the same scatter that would settle it.
    more: Option<usize>,
    /// From the nozzle to the probe [mm], as measured.
    offset_mm: [f64; 2],
    set_mm: [f64; 2],
}

const TOUCH: Limit = Limit::new(
    "touches_mm",
    "trigger height",
    Unit::Mm,
    [-20.0, 30.0, -6.0, 15.0],
    "a probe triggers near the plate",
);
const PLACE: Limit = Limit::new(
    "nozzle_x_mm",
    "position",
    Unit::Mm,
    [-100.0, 2_000.0, -50.0, 700.0],
    "the head’s position as the display shows it",
);
const SET: Limit = Limit::new(
    "set_x_mm",
    "offset set",
    Unit::Mm,
    [-150.0, 150.0, -100.0, 100.0],
    "a probe sits on the head",
);

/// What touches at one spot may differ by before one of them is asked about [mm].
const TOUCH_OFF_MM: f64 = 0.1;
/// Touches to begin with. Common practice, no published source.
const TOUCHES: usize = 10;
/// Fewest touches that say anything of a scatter.
const LEAST_TOUCHES: usize = 5;
/// Touches that are read at most.
const MOST_TOUCHES: usize = 50;
/// How well an eye brings nozzle or probe over a mark [mm]: half width. Our own estimate, no source.
const EYE_MM: f64 = 0.2;

/// Bounds of a true standard deviation [unit of `s`] at 95 % each way, from `n` ≥ 2 readings that scatter by `s`.
///
/// Formula: s·√((n − 1)/χ²), at the 5 % and 95 % points of χ² with n − 1 degrees of freedom. Source: any text on
/// the variance of a normal sample, e.g. NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.5.8.
fn bounds(s: f64, n: usize) -> (f64, f64) {
    // OK because there are at most 50 touches.
    #[allow(clippy::cast_precision_loss)]
    let dof = (n - 1) as f64;
    let Ok(chi) = ChiSquared::new(dof) else {
        return (0.0, f64::INFINITY);
    };
    let at = |p: f64| s * (dof / chi.inverse_cdf(p)).sqrt();
    (at(0.95), at(0.05))
}

/// Half of the last digit that the readings show [mm]: touches that all read 1.25 agree no better than that.
fn half_digit(values: &[f64]) -> f64 {
    let shows = |digit: f64| {
        let on = |v: &f64| ((v / digit).round() * digit - v).abs() < 1e-6;
        values.iter().all(on)
    };
    [0.1, 0.01].into_iter().find(|d| shows(*d)).unwrap_or(0.001) / 2.0
}

fn scatter(values: &[f64]) -> f64 {
    // OK because there are at most 50 touches.
    #[allow(clippy::cast_precision_loss)]
    let n = values.len() as f64;
    let mean = values.iter().sum::<f64>() / n;
    let variance = values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / (n - 1.0);
    // What the display rounds away is scatter nobody saw.
    (variance + half_digit(values).powi(2) / 3.0).sqrt()
}

impl Station for Probe {
    type Readings = ProbeReadings;
    type Own = ProbeFound;
    const ID: &'static str = "probe";
    /// Where the probe sits doesn't move by setting a number.
    const STAYS: &'static [&'static str] = &[
        "touches_mm",
        "nozzle_x_mm",
        "nozzle_y_mm",
        "probe_x_mm",
        "probe_y_mm",
    ];

    fn start(context: &Context) -> ProbeReadings {
        let set = |letter, i: usize| {
            let stored = context.stored("M851", letter);
            known(context.printer.probe_mm.map(|p| p[i]).or(stored), 2)
        };
        ProbeReadings {
            touches_mm: vec![Entry::default(); TOUCHES],
            set_x_mm: set('X', 0),
            set_y_mm: set('Y', 1),
            ..ProbeReadings::default()
        }
    }

    fn form(r: &ProbeReadings, _: &Context) -> Form {
        let touches = r.touches_mm.iter().enumerate();
        let apart = !nozzle_touches(r);
        let at = |path: &str, label: &str| {
            let field = Field::number_at(path, &PLACE).named(label);
            if apart {
                field.needed()
            } else {
                field.when(false)
            }
        };
        let held = |path: &str, label: &str| Field::number_at(path, &SET).named(label).needed();
        Form::default()
            .group(
                "Touches at one spot",
                touches
                    .map(|(i, _)| {
                        Field::number_at(format!("touches_mm.{i}"), &TOUCH)
                            .named(format!("touch {}", i + 1))
                    })
                    .collect(),
            )
            .large()
            .more("One more touch", "touches_mm", "".into())
            .group(
                "The same mark on the plate",
                vec![
                    at("nozzle_x_mm", "X, nozzle over it"),
                    at("nozzle_y_mm", "Y, nozzle over it"),
                    at("probe_x_mm", "X, probe over it"),
                    at("probe_y_mm", "Y, probe over it"),
                ],
            )
            .group(
                "",
                vec![
                    held("set_x_mm", "Offset set, X"),
                    held("set_y_mm", "Offset set, Y"),
                ],
            )
    }

    fn set_up(_: &ProbeReadings, context: &Context) -> SetUp {
        SetUp::new("Touch one spot ten times, then bring nozzle and probe over the same mark.")
            .hint("Nothing heated or moved in X and Y between the touches; type each height that the display shows.")
            .hint("A pen mark on tape: nozzle over it, read X and Y; then the probe over it, read them again. Where the nozzle itself touches, both offsets are 0 and there is nothing to mark.")
            .limit(format!(
                "Touches scatter by at most {}; offset in X and Y within {}.",
                tolerance(context, ToleranceId::ProbeMm, Unit::Mm),
                tolerance(context, ToleranceId::ProbeXyMm, Unit::Mm)
            ))
            .caution(
                crate::SignalWord::Caution,
                "Pinch and crash. Hands off plate and head while it moves; a hand on the switch the first time.",
            )
    }

    /// Formula: s of the touches with the display's rounding, against its limit by the χ² bounds of what it may truly
    /// be; offset = position with the nozzle over a mark less position with the probe over it, against the offset set.
    /// Source: χ² bounds NIST/SEMATECH e-Handbook 1.3.5.8; limits common practice, no published source.
    fn facts(r: &ProbeReadings, context: &Context) -> Result<Facts<ProbeFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let mut named = Vec::new();
        for (i, t) in r.touches_mm.iter().take(MOST_TOUCHES).enumerate() {
            let path = format!("touches_mm.{i}");
            named.extend(intake.may(&TOUCH, &path, t).map(|v| (path, v)));
        }
        if r.touches_mm.len() > MOST_TOUCHES {
            intake.count("touches_mm", "Fifty touches are enough. Remove some.");
        }
        if named.len() < LEAST_TOUCHES {
            intake.count(
                "touches_mm.0",
                "Type at least five touches, better ten: fewer say nothing of a scatter.",
            );
        }
        intake.ask_outliers(&TOUCH, &named, TOUCH_OFF_MM);
        let apart = !nozzle_touches(r);
        let mut at = |path: &str, entry: &Entry| {
            if apart {
                intake.need(&PLACE, path, entry)
            } else {
                intake.may(&PLACE, path, entry)
            }
        };
        let places = [
            at("nozzle_x_mm", &r.nozzle_x_mm),
            at("nozzle_y_mm", &r.nozzle_y_mm),
            at("probe_x_mm", &r.probe_x_mm),
            at("probe_y_mm", &r.probe_y_mm),
        ];
        let set = [
            intake.need(&SET, "set_x_mm", &r.set_x_mm),
            intake.need(&SET, "set_y_mm", &r.set_y_mm),
        ];
        intake.finish()?;
        // OK because finish() fails where one of these is missing.
        let [nx, ny, px, py] = places.map(Option::unwrap_or_default);
        let set_mm = set.map(Option::unwrap_or_default);
        let offset_mm = if apart { [nx - px, ny - py] } else { set_mm };
        let touches: Vec<f64> = named.iter().map(|(_, v)| *v).collect();
        let s_mm = scatter(&touches);
        let (s_least_mm, s_most_mm) = bounds(s_mm, touches.len());
        let most = context.house.tolerance(ToleranceId::ProbeMm);
        let scatter = Band {
            verdict: if s_most_mm <= most {
                Verdict::Pass
            } else if s_least_mm > most {
                Verdict::Adjust
            } else {
                Verdict::MeasureAgain
            },
            one_sided: true,
            ..Band::new(
                "scatter",
                Unit::Mm,
                (s_mm, 0.0),
                (s_most_mm - s_mm, f64::INFINITY),
                most,
            )
        };
        // Nozzle and probe are each brought over the mark by eye.
        let eye = expanded_type_b(EYE_MM / 3.0_f64.sqrt() * 2.0_f64.sqrt());
        let limit = context.house.tolerance(ToleranceId::ProbeXyMm);
        let place = |id, i: usize| {
            Band::new(
                id,
                Unit::Mm,
                (offset_mm[i], set_mm[i]),
                (eye, f64::INFINITY),
                limit,
            )
        };
        let bands = vec![scatter, place("x", 0), place("y", 1)];
        let more = (bands[0].verdict == Verdict::MeasureAgain)
            .then(|| (touches.len() + 1..=MOST_TOUCHES).find(|n| bounds(s_mm, *n).1 <= most))
            .flatten()
            .map(|n| n - touches.len());
        let own = ProbeFound {
            touches: touches.len(),
            s_mm,
            s_least_mm,
            s_most_mm,
            more,
            offset_mm,
            set_mm,
        };
        let scatters = bands[0].verdict;
        let in_place = bands[1..].iter().all(|b| b.verdict == Verdict::Pass);
        let verdict = match scatters {
            Verdict::MeasureAgain => Verdict::MeasureAgain,
            _ if in_place => Verdict::Pass,
            // A place that may be wrong is set as it was measured: no reading is needed for that.
            _ => Verdict::Adjust,
        };
        let mut facts = Facts::new(Self::ID, Unit::Mm, verdict, own);
        facts.bands = bands;
        if scatters == Verdict::Adjust {
            return Ok(facts.stopped(Cause::ProbeScatters));
        }
        if verdict == Verdict::Adjust
            && let Ok(set) = gcode::set_probe_xy_mm(offset_mm.map(tenth))
        {
            facts.commands = vec![set, gcode::store_settings(), gcode::read_back()];
        }
        Ok(facts)
    }

    fn words(f: &Facts<ProbeFound>, pen: Pen) -> Words {
        let own = &f.own;
        let place = |p: [f64; 2]| {
            format!(
                "X {}, Y {}",
                pen.fixed(p[0], Unit::Mm, 1),
                pen.fixed(p[1], Unit::Mm, 1)
            )
        };
        let mut w = Words::new("bed probe").with_bands(f, pen, |id| match id {
            "x" => "offset X".to_owned(),
            "y" => "offset Y".to_owned(),
            _ => "scatter of the touches".to_owned(),
        });
        let s = pen.fixed(own.s_mm, Unit::Mm, 4);
        w.rows.push(Row::new(
            "probe, from the nozzle",
            Some(place(own.set_mm)),
            (f.verdict == Verdict::Adjust).then(|| place(own.offset_mm)),
        ));
        w.reasons = vec![format!(
            "{} touches scatter by {s}; truly it may be {} to {}.",
            own.touches,
            pen.fixed(own.s_least_mm, Unit::Mm, 4),
            pen.fixed(own.s_most_mm, Unit::Mm, 4)
        )];
        match f.verdict {
            Verdict::Stop => w.stop(
                &format!("the probe scatters by {s}"),
                "No mesh and no offset holds on it. Look at its mount, its plug and its tip, at play in the carriage and at a plate that isn’t clean; then touch again.",
            ),
            Verdict::MeasureAgain => {
                let settle = own
                    .more
                    .map(|n| super::taken::more(n, "touch", "touches"))
                    .into_iter()
                    .collect();
                w.unsettled(settle, "the probe’s scatter").headed(
                    format!("Measure again: a scatter of {s} could be right or wrong."),
                    format!("scatter {s}, not settled"),
                    "Add touches here; nothing is set.",
                )
            }
            Verdict::Adjust => w.say(
                format!("Adjust: the probe sits at {}.", place(own.offset_mm)),
                format!("The printer holds {}. Set what was measured.", place(own.set_mm)),
                format!("{} → {}", place(own.set_mm), place(own.offset_mm)),
                "Set the new offset and store it; Z is measured after it.",
            ),
            Verdict::Pass => w.say(
                format!("Pass: it repeats, and sits at {}.", place(own.set_mm)),
                format!("{} touches scatter by {s}.", own.touches),
                format!("repeats within {s}, {}", place(own.set_mm)),
                "Go on.",
            ),
        }
    }

    fn learns(r: &ProbeReadings) -> Vec<Fitted> {
        let at = |e: &Entry| e.parse(Unit::Mm).filter(|v| v.is_finite());
        let offset =
            |nozzle: &Entry, probe: &Entry| at(nozzle).zip(at(probe)).map(|(n, p)| tenth(n - p));
        if nozzle_touches(r) {
            return vec![Fitted::BedProbe {
                x_mm: Some(0.0),
                y_mm: Some(0.0),
            }];
        }
        vec![Fitted::BedProbe {
            x_mm: offset(&r.nozzle_x_mm, &r.probe_x_mm),
            y_mm: offset(&r.nozzle_y_mm, &r.probe_y_mm),
        }]
    }
}

/// Whether the nozzle itself is the probe: both offsets are 0, and there is no place to measure.
fn nozzle_touches(r: &ProbeReadings) -> bool {
    let zero = |e: &Entry| e.parse(Unit::Mm).is_some_and(|v| v.abs() < 1e-9);
    zero(&r.set_x_mm) && zero(&r.set_y_mm)
}

/// An offset as it is set [mm]: an eye sees no more than tenths.
fn tenth(mm: f64) -> f64 {
    (mm * 10.0).round() / 10.0
}
