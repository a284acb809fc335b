//! Mesh: the heights that a probe found over the plate, and what of them is tilt, warp, or dirt.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Intake, ReadingError};
use wattotherm_measure::{Pen, Unit, Verdict, least_squares};

use super::set_up::tolerance;
use super::{SetUp, Station};
use crate::context::Context;
use crate::finding::{Cause, Facts, Row, Words};
use crate::form::{Field, Form};
use crate::house::ToleranceId;

/// The plate's heights.
pub struct Mesh;

/// What is pasted of a mesh.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct MeshReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// The heights as the printer reports them, a row a line; numbers without a point are counted as labels.
    pub heights: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// A point that stands alone.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
struct Spike {
    /// Its line and place in the line, counted from 1.
    row: usize,
    column: usize,
    /// Above its neighbours [mm].
    above_mm: f64,
}

/// What was found of the plate.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MeshFound {
    rows: usize,
    columns: usize,
    /// Highest less lowest as reported [mm].
    range_mm: f64,
    /// The plane's part of it from corner to corner [mm].
    tilt_mm: f64,
    /// Highest less lowest of what the plane leaves [mm].
    warp_mm: f64,
    /// Middle less edge of what the plane leaves [mm]: above 0 it is domed.
    dome_mm: f64,
    spike: Option<Spike>,
    tilt_most_mm: f64,
    warp_most_mm: f64,
}

/// Longest text.
const MOST_CHARS: usize = 20_000;
/// Rows and columns that are read: three make a middle, beyond it nobody pastes.
const LEAST: usize = 3;
const MOST: usize = 40;
/// Heights beyond this are no plate [mm].
const MOST_MM: f64 = 10.0;
/// A point that stands so far off all its neighbours is dirt, or a touch that failed [mm]. Common practice.
const SPIKE_MM: f64 = 0.1;
/// Tilt that is left to the mesh, in limits of the tram. Common practice: a mesh is for warp, screws are for tilt.
const TILT_LIMITS: f64 = 4.0;

/// The rows of a pasted report: every line with two or more numbers that have a point.
fn rows_of(text: &str) -> Vec<Vec<f64>> {
    text.lines()
        .map(|line| {
            line.split(|c: char| !(c.is_ascii_digit() || matches!(c, '.' | '-' | '+')))
                .filter(|word| word.contains('.'))
                .filter_map(|word| word.parse::<f64>().ok())
                .filter(|v| v.is_finite())
                .collect::<Vec<f64>>()
        })
        .filter(|row| row.len() > 1)
        .collect()
}

/// The point that stands farthest from all its neighbours, where one stands beyond [`SPIKE_MM`] on the same side of
/// every one of them. `rows` is what the plate's own smooth shape leaves: the corner of a domed plate is no dirt.
fn spike_of(rows: &[Vec<f64>]) -> Option<Spike> {
    let mut worst: Option<Spike> = None;
    for (r, row) in rows.iter().enumerate() {
        for (c, here) in row.iter().enumerate() {
            let around = |at: usize, to: usize| at.saturating_sub(1)..=(at + 1).min(to - 1);
            let near: Vec<f64> = around(r, rows.len())
                .flat_map(|dr| around(c, row.len()).map(move |dc| (dr, dc)))
                .filter(|place| *place != (r, c))
                .map(|(dr, dc)| here - rows[dr][dc])
                .collect();
            let least = near.iter().copied().fold(f64::INFINITY, f64::min);
            let most = near.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            let above_mm = if least > SPIKE_MM {
                least
            } else if most < -SPIKE_MM {
                most
            } else {
                continue;
            };
            if worst
                .as_ref()
                .is_none_or(|w| above_mm.abs() > w.above_mm.abs())
            {
                worst = Some(Spike {
                    row: r + 1,
                    column: c + 1,
                    above_mm,
                });
            }
        }
    }
    worst
}

/// Coefficients of a least-squares fit, and what it leaves.
fn fitted(design: &[Vec<f64>], heights: &[f64]) -> (Vec<f64>, Vec<f64>) {
    let fit = least_squares(design, heights).map(|fit| fit.coefficients);
    // It can't fail: a grid of three by three holds all six terms.
    let by = fit.unwrap_or_else(|_| vec![0.0; design[0].len()]);
    let left = design
        .iter()
        .zip(heights)
        .map(|(d, z)| z - d.iter().zip(&by).map(|(a, b)| a * b).sum::<f64>())
        .collect();
    (by, left)
}

fn range(values: impl Iterator<Item = f64>) -> f64 {
    let (low, high) = values.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| {
        (l.min(v), h.max(v))
    });
    high - low
}

// OK because rows and columns are at most forty.
#[allow(clippy::cast_precision_loss)]
fn measured(rows: &[Vec<f64>], context: &Context) -> MeshFound {
    let (n, m) = (rows.len(), rows[0].len());
    let place = |i: usize, of: usize| i as f64 / (of - 1) as f64 - 0.5;
    let mut design = Vec::new();
    let mut heights = Vec::new();
    for (r, row) in rows.iter().enumerate() {
        for (c, z) in row.iter().enumerate() {
            design.push(vec![1.0, place(c, m), place(r, n)]);
            heights.push(*z);
        }
    }
    let (plane, left) = fitted(&design, &heights);
    let bowl: Vec<Vec<f64>> = design
        .iter()
        .map(|d| {
            let (x, y) = (d[1], d[2]);
            vec![1.0, x, y, x * x, y * y, x * y]
        })
        .collect();
    let (_, rough) = fitted(&bowl, &heights);
    let rough: Vec<Vec<f64>> = rough.chunks(m).map(<[f64]>::to_vec).collect();
    // How far it stands from the shape of all the others: with it, the fit would lean toward it.
    let spike = spike_of(&rough).map(|s| {
        let at = (s.row - 1) * m + s.column - 1;
        let (mut others, mut of_others) = (bowl.clone(), heights.clone());
        let here = others.remove(at);
        let z = of_others.remove(at);
        let (by, _) = fitted(&others, &of_others);
        let smooth: f64 = here.iter().zip(&by).map(|(a, b)| a * b).sum();
        Spike {
            above_mm: z - smooth,
            ..s
        }
    });
    let mean = |inner: bool| {
        let of: Vec<f64> = design
            .iter()
            .zip(&left)
            .filter(|(d, _)| (d[1].abs() < 0.3 && d[2].abs() < 0.3) == inner)
            .map(|(_, z)| *z)
            .collect();
        of.iter().sum::<f64>() / of.len().max(1) as f64
    };
    MeshFound {
        rows: n,
        columns: m,
        range_mm: range(heights.iter().copied()),
        tilt_mm: plane[1].abs() + plane[2].abs(),
        warp_mm: range(left.iter().copied()),
        dome_mm: mean(true) - mean(false),
        spike,
        tilt_most_mm: TILT_LIMITS * context.house.tolerance(ToleranceId::TramMm),
        warp_most_mm: context.house.tolerance(ToleranceId::MeshMm),
    }
}

impl Station for Mesh {
    type Readings = MeshReadings;
    type Own = MeshFound;
    const ID: &'static str = "mesh";

    fn start(_: &Context) -> MeshReadings {
        MeshReadings::default()
    }

    fn form(_: &MeshReadings, _: &Context) -> Form {
        Form::default().group(
            "",
            vec![
                Field::text(
                    "heights",
                    "Heights, as the printer reports them",
                    MOST_CHARS,
                )
                .needed(),
            ],
        )
    }

    fn set_up(_: &MeshReadings, context: &Context) -> SetUp {
        SetUp::new("Probe the plate at its working temperature, and paste the heights.")
            .hint("A gantry that hangs on two motors is levelled by its own routine first; then the screws, then the mesh.")
            .hint("Plate clean, nozzle clean, probe tried before: a mesh measures what it touches.")
            .limit(format!(
                "Screws are for tilt, a mesh is for warp: at most {} of it.",
                tolerance(context, ToleranceId::MeshMm, Unit::Mm)
            ))
            .hot(None, context.house.pen)
    }

    /// Formula: a least-squares plane over the points; tilt = its rise from corner to corner, warp = the range of what
    /// it leaves; a point beyond all its neighbours is a spike.
    /// Source: common practice, no published source.
    fn facts(r: &MeshReadings, context: &Context) -> Result<Facts<MeshFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        super::snapshot::no_longer(&mut intake, "heights", &r.heights, MOST_CHARS);
        let rows = rows_of(&r.heights);
        if r.heights.trim().is_empty() {
            intake.count("heights", "Paste the heights, a row a line.");
        } else if rows.len() < LEAST || rows[0].len() < LEAST {
            intake.conflict(
                "heights",
                "No grid of heights can be read: three rows of three numbers like 0.035 or more.",
            );
        } else if rows.len() > MOST || rows.iter().any(|row| row.len() > MOST) {
            intake.conflict("heights", "Forty rows and columns are enough.");
        } else if let Some(i) = rows.iter().position(|row| row.len() != rows[0].len()) {
            intake.conflict(
                "heights",
                format!(
                    "Row {} has {} heights and the first has {}. Paste the whole grid.",
                    i + 1,
                    rows[i].len(),
                    rows[0].len()
                ),
            );
        } else if rows.iter().flatten().any(|z| z.abs() > MOST_MM) {
            intake.conflict(
                "heights",
                "A height is beyond {10 mm}: that is no plate. Paste the mesh alone.",
            );
        }
        intake.finish()?;
        let own = measured(&rows, context);
        let (spike, tilted, bent) = (
            own.spike.is_some(),
            own.tilt_mm > own.tilt_most_mm,
            own.warp_mm > own.warp_most_mm,
        );
        let mut facts = Facts::new(Self::ID, Unit::Mm, Verdict::Pass, own);
        // Dirt first: it makes tilt and warp of itself.
        if spike {
            facts.verdict = Verdict::MeasureAgain;
        } else if tilted {
            facts.send_back = Some("tram".into());
            return Ok(facts.stopped(Cause::BedTilted));
        } else if bent {
            return Ok(facts.stopped(Cause::PlateBent));
        }
        Ok(facts)
    }

    fn words(f: &Facts<MeshFound>, pen: Pen) -> Words {
        let own = &f.own;
        let mm = |v| pen.fixed(v, Unit::Mm, 2);
        let mut w = Words::new("mesh");
        let shape = if own.dome_mm.abs() < 0.02 {
            "flat but for its edges"
        } else if own.dome_mm > 0.0 {
            "domed"
        } else {
            "hollow"
        };
        w.rows = vec![
            Row::new(
                "points",
                None,
                Some(format!("{} × {}", own.columns, own.rows)),
            ),
            Row::new("highest less lowest", None, Some(mm(own.range_mm))),
            Row::new("tilt, corner to corner", None, Some(mm(own.tilt_mm))),
            Row::new("warp", None, Some(format!("{}, {shape}", mm(own.warp_mm)))),
        ];
        match (f.cause, &own.spike) {
            (Some(Cause::BedTilted), _) => {
                let mut w = w.stop(
                    &format!("the bed is tilted by {}", mm(own.tilt_mm)),
                    "A mesh would carry the tilt through the whole part. Tram the bed, then probe again.",
                );
                w.next = "Tram the bed, then come back.".into();
                w
            }
            (Some(_), _) => w.stop(
                &format!("the plate is {shape} by {}", mm(own.warp_mm)),
                "More than a mesh should hide. Look for dirt and clips under the plate, heat it through for ten minutes and probe again; a plate that stays bent is replaced.",
            ),
            (None, Some(s)) => {
                let side = if s.above_mm > 0.0 { "above" } else { "below" };
                let at = format!("row {}, place {}", s.row, s.column);
                w.unsettled(
                    vec!["the plate wiped there and the mesh probed again".into()],
                    "the plate",
                )
                .headed(
                    format!(
                        "Measure again: {at} stands {} {side} the shape of all the others.",
                        mm(s.above_mm.abs())
                    ),
                    format!("{at} stands alone, not settled"),
                    "Wipe plate and nozzle, look at that place, probe again.",
                )
            }
            (None, None) => w.say(
                format!("Pass: warp {}, {shape}.", mm(own.warp_mm)),
                format!("Tilt {}, inside what the screws leave.", mm(own.tilt_mm)),
                format!("warp {}, tilt {}", mm(own.warp_mm), mm(own.tilt_mm)),
                "Go on.",
            ),
        }
    }
}
