//! Z offset: how high the nozzle stands, by a measured patch, by paper, or by a feeler.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, decimals_for, fixed, plain};
use wattotherm_measure::{
    FreshMean, Instrument, InstrumentKind, SettleOption, Verdict, default_instruments, fresh_mean,
    least_squares, what_would_settle,
};

use super::{Context, StationName, ask_for_more, band, blank, expanded_95, stopped};
use crate::finding::{Finding, PlainValue, Row};
use crate::house::ToleranceId;

/// How the gap is found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum GapMethod {
    /// Single-layer squares, thickness measured.
    #[default]
    Patch,
    /// Paper that just drags: the Z shown there is typed.
    Paper,
    /// Feeler gauge that just drags: the Z shown there is typed.
    Feeler,
}

/// One measured square.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Patch {
    /// Place on the bed, from its left edge [mm].
    pub x_mm: f64,
    /// Place on the bed, from its front edge [mm].
    pub y_mm: f64,
    /// Thickness [mm].
    pub t_mm: Entry,
}

/// What is typed at the Z offset.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct OffsetZReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// How the gap is found.
    pub method: GapMethod,
    /// Offset set in the printer; more negative is closer [mm].
    pub offset_set_mm: Entry,
    /// Instrument, by id.
    pub instrument: String,
    /// Layer height commanded for the patches [mm].
    pub commanded_mm: Entry,
    /// Patches at five or nine places.
    pub patches: Vec<Patch>,
    /// Z shown where the gauge just drags, a touch each [mm].
    pub touches_mm: Vec<Entry>,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Limits of the fields.
pub const LIMITS: [Limit; 4] = [
    Limit {
        field: "offset_set_mm",
        label: "Z offset set",
        unit: "mm",
        min: -20.0,
        max: 20.0,
        usual_min: -9.0,
        usual_max: 9.0,
        why: "no probe sits farther from its nozzle",
    },
    Limit {
        field: "commanded_mm",
        label: "commanded layer height",
        unit: "mm",
        min: 0.05,
        max: 1.5,
        usual_min: 0.1,
        usual_max: 0.8,
        why: "a first layer outside this doesn't stick or isn't one",
    },
    Limit {
        field: "t_mm",
        label: "patch thickness",
        unit: "mm",
        min: 0.01,
        max: 5.0,
        usual_min: 0.05,
        usual_max: 0.9,
        why: "a patch can't be thinner than nothing or thicker than a few layers",
    },
    Limit {
        field: "touches_mm",
        label: "Z shown",
        unit: "mm",
        min: -10.0,
        max: 10.0,
        usual_min: -3.0,
        usual_max: 3.0,
        why: "the gauge drags near zero",
    },
];

/// Beyond this nothing sits where it should. Common practice, no published source.
const MOST_ERROR_MM: f64 = 1.0;

/// The display shows hundredths of a millimetre: half of that either way.
const DISPLAY_HALF_WIDTH_MM: f64 = 0.005;

struct Typed {
    set: f64,
    nominal: f64,
    values: Vec<f64>,
    places: Vec<(f64, f64)>,
}

fn read(readings: &OffsetZReadings, gauge_mm: f64) -> Result<Typed, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let set = intake.need(&LIMITS[0], "offset_set_mm", &readings.offset_set_mm);
    let mut values = Vec::new();
    let mut places = Vec::new();
    let nominal = match readings.method {
        GapMethod::Patch => {
            let nominal = intake.need(&LIMITS[1], "commanded_mm", &readings.commanded_mm);
            let mut named = Vec::new();
            for (i, p) in readings.patches.iter().take(25).enumerate() {
                let path = format!("patches.{i}.t_mm");
                if let Some(t) = intake.may(&LIMITS[2], &path, &p.t_mm) {
                    named.push((path, t));
                    places.push((p.x_mm, p.y_mm));
                }
            }
            intake.ask_outliers_by_ten(&LIMITS[2], &named);
            values.extend(named.iter().map(|(_, t)| *t));
            if readings.patches.len() > 25 {
                intake.count("patches", "Twenty-five patches are enough. Remove some.");
            }
            if values.is_empty() {
                intake.count(
                    "patches.0.t_mm",
                    "Type the thickness of at least one patch.",
                );
            }
            nominal
        }
        GapMethod::Paper | GapMethod::Feeler => {
            if readings.touches_mm.len() > 25 {
                intake.count("touches_mm", "Twenty-five touches are enough. Remove some.");
            }
            for (i, z) in readings.touches_mm.iter().take(25).enumerate() {
                if let Some(z) = intake.may(&LIMITS[3], &format!("touches_mm.{i}"), z) {
                    // The true gap is the gauge; the printer believes it is z.
                    values.push(gauge_mm - z);
                }
            }
            if values.is_empty() {
                intake.count(
                    "touches_mm.0",
                    "Type the Z shown where the gauge just drags.",
                );
            }
            Some(0.0)
        }
    };
    intake.finish()?;
    Ok(Typed {
        // OK because finish() fails where one of these is missing.
        set: set.unwrap_or_default(),
        nominal: nominal.unwrap_or_default(),
        values,
        places,
    })
}

fn gauge_for(readings: &OffsetZReadings, context: &Context) -> Instrument {
    let kind = match readings.method {
        GapMethod::Patch => InstrumentKind::Caliper,
        GapMethod::Paper => InstrumentKind::Paper,
        GapMethod::Feeler => InstrumentKind::Feeler,
    };
    let mut gauge = context
        .house
        .instrument(&readings.instrument, kind)
        .filter(|i| readings.method == GapMethod::Patch || i.kind == kind)
        .or_else(|| context.house.instruments.iter().find(|i| i.kind == kind))
        .cloned()
        .unwrap_or_else(|| default_instruments().swap_remove(1));
    if readings.method != GapMethod::Patch {
        // Each touch is read off the display; the gauge's own thickness is shared by all.
        gauge.half_width = DISPLAY_HALF_WIDTH_MM;
    }
    gauge
}

/// Evaluates the Z offset.
///
/// Formula: e = mean t - h by patch; e = gauge - mean z by paper or feeler (the gap is larger
/// than the printer believes where e > 0); new offset = old - e, in the convention "more negative
/// is closer". The same patches give the tilt by a least-squares plane.
/// Source: common practice, no published source; uncertainty as [`fresh_mean`].
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &OffsetZReadings, context: &Context) -> Result<Finding, ReadingError> {
    let gauge = gauge_for(readings, context);
    let gauge_mm = gauge.nominal.unwrap_or(0.10);
    let typed = read(readings, gauge_mm)?;
    let Some(mean) = fresh_mean(&typed.values, &gauge, 1.0) else {
        debug_assert!(false, "read() asks for a reading");
        return Err(ReadingError {
            problems: Vec::new(),
        });
    };
    let expanded = expanded_95(mean.combined);
    let limit = context.house.tolerance(ToleranceId::OffsetZMm);
    let label = match readings.method {
        GapMethod::Patch => "patch",
        GapMethod::Paper | GapMethod::Feeler => "gap at Z 0",
    };
    let band = band(
        label,
        "mm",
        (mean.series.mean, typed.nominal),
        (expanded, mean.combined.dof),
        limit,
    );
    let error = band.error;
    let after = ((typed.set - error) * 1000.0).round() / 1000.0;
    let way = if error > 0.0 { "closer" } else { "farther" };
    let digits = decimals_for(expanded, 1).clamp(2, 3);
    let amount = fixed(error.abs(), digits);

    let mut finding = blank(StationName::OffsetZ, "nozzle offset Z", "mm", band.verdict);
    finding.before = Some(typed.set);
    finding.value_expanded = Some(expanded);
    finding.reasons = reasons(&typed, &mean, &gauge, readings.method);
    let new = (band.verdict == Verdict::Adjust).then(|| fixed(after, digits));
    finding.rows = vec![Row {
        name: "Z offset, mm".into(),
        before: Some(fixed(typed.set, digits)),
        after: new,
    }];
    match band.verdict {
        Verdict::Pass => {
            finding.headline = format!("Pass: Z offset {} mm stays.", fixed(typed.set, digits));
            finding.sentence = format!(
                "The nozzle stands within {} mm of where it should.",
                plain(limit, 3)
            );
            finding.line = format!(
                "{} mm ±{}",
                fixed(typed.set, digits),
                fixed(expanded, digits)
            );
            finding.next = "Go on.".into();
        }
        Verdict::Adjust => {
            finding.after = Some(after);
            finding.headline = format!(
                "Adjust: {amount} mm {way}, {} → {} mm.",
                fixed(typed.set, digits),
                fixed(after, digits)
            );
            let where_now = if error > 0.0 {
                "too far from the bed"
            } else {
                "too close to the bed"
            };
            finding.sentence = format!(
                "The nozzle stands {amount} mm {where_now}. Set the new offset, then repeat."
            );
            finding.line = format!(
                "{} → {} mm ±{}, {way}",
                fixed(typed.set, digits),
                fixed(after, digits),
                fixed(expanded, digits)
            );
            finding.next = format!(
                "Set the new offset: the nozzle comes {amount} mm {way}. Store it, then repeat."
            );
            if let Ok(set) = gcode::set_z_offset_mm(after) {
                finding.commands = vec![set, gcode::store_settings(), gcode::read_back()];
            }
            finding.plain.push(PlainValue {
                name: "Z offset".into(),
                value: format!("{} mm", plain(after, 3)),
            });
        }
        Verdict::MeasureAgain | Verdict::Stop => {
            finding.settle = settle(&mean, &gauge, readings.method, error, limit, context);
            finding.headline = format!(
                "Measure again: {} could be right or wrong.",
                band.measured_text
            );
            finding.sentence = ask_for_more(&finding.settle, "the nozzle's height");
            finding.line = format!("{label} {}, not settled", band.measured_text);
            finding.next = "Add readings here; nothing is set.".into();
        }
    }
    finding.bands.push(band);
    if error.abs() - expanded > MOST_ERROR_MM {
        let cause = format!("the nozzle is {amount} mm off");
        return Ok(Finding {
            sentence:
                "That is not an offset. Look for a nozzle, probe or plate that isn't seated, \
                       or for the wrong offset typed. Start 1 mm high."
                    .into(),
            ..stopped(finding, &cause)
        });
    }
    Ok(add_tilt(finding, &typed, &gauge, context))
}

fn reasons(typed: &Typed, mean: &FreshMean, gauge: &Instrument, method: GapMethod) -> Vec<String> {
    let n = typed.values.len();
    let first = match method {
        GapMethod::Patch => format!(
            "{} at {} mm commanded, measured with {}.",
            count(n, "patch", "patches"),
            plain(typed.nominal, 3),
            gauge.describe()
        ),
        GapMethod::Paper | GapMethod::Feeler => format!(
            "{} with {}, {} mm thick ±{} mm.",
            count(n, "touch", "touches"),
            gauge.name,
            plain(gauge.nominal.unwrap_or(0.10), 3),
            plain(gauge.shared_half_width, 3)
        ),
    };
    let second = if mean.series.n == 1 {
        "One reading: the uncertainty rests on the instrument alone.".into()
    } else if mean.instrument_alone {
        "The readings agree better than the instrument can see, so its limit sets the uncertainty."
            .into()
    } else {
        format!(
            "The readings scatter by {} mm, more than the instrument explains.",
            plain(mean.series.s, 3)
        )
    };
    vec![first, second]
}

fn settle(
    mean: &FreshMean,
    gauge: &Instrument,
    method: GapMethod,
    error: f64,
    limit: f64,
    context: &Context,
) -> Vec<String> {
    let predicted = |n: usize, i: &Instrument| {
        expanded_95(wattotherm_measure::u_of_mean(
            mean.series.s,
            n,
            mean.series.mean,
            i,
            1.0,
        ))
    };
    let n = mean.series.n;
    let what = if method == GapMethod::Patch {
        ("patch", "patches")
    } else {
        ("touch", "touches")
    };
    let more = (1..=16).map(|k| SettleOption {
        says: if k == 1 {
            format!("one more {}", what.0)
        } else {
            format!("{k} more {}", what.1)
        },
        expanded: predicted(n + k, gauge),
    });
    let finer = context
        .house
        .instruments
        .iter()
        .filter(|i| method == GapMethod::Patch && i.kind == InstrumentKind::Micrometer)
        .filter(|i| i.half_width < gauge.half_width)
        .map(|i| SettleOption {
            says: format!("the same patches measured with {}", i.describe()),
            expanded: predicted(n, i),
        });
    let by_patch = context
        .house
        .instruments
        .iter()
        .filter(|i| method != GapMethod::Patch && i.kind == InstrumentKind::Caliper)
        .map(|i| SettleOption {
            says: format!("five first-layer patches measured with {}", i.describe()),
            expanded: predicted(5, i),
        });
    [
        what_would_settle(error, limit, more).into_iter().next(),
        what_would_settle(error, limit, finer.chain(by_patch))
            .into_iter()
            .next(),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// The patches' own tilt: a row, and a stop where it hides the offset.
fn add_tilt(mut finding: Finding, typed: &Typed, gauge: &Instrument, context: &Context) -> Finding {
    if typed.places.len() < 4 {
        return finding;
    }
    let design: Vec<Vec<f64>> = typed
        .places
        .iter()
        .map(|(x, y)| vec![1.0, *x, *y])
        .collect();
    let Ok(fit) = least_squares(&design, &typed.values) else {
        return finding;
    };
    let heights: Vec<f64> = typed
        .places
        .iter()
        .map(|(x, y)| fit.coefficients[1] * x + fit.coefficients[2] * y)
        .collect();
    let (low, high) = heights
        .iter()
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), z| {
            (l.min(*z), h.max(*z))
        });
    let tilt = high - low;
    finding.rows.push(Row {
        name: "tilt over the patches, mm".into(),
        before: Some(fixed(tilt, 2)),
        after: None,
    });
    let limit = context.house.tolerance(ToleranceId::TramMm);
    if tilt > 3.0 * limit && tilt > 4.0 * gauge.half_width {
        let cause = format!(
            "the bed is tilted by {} mm over the patches",
            fixed(tilt, 2)
        );
        let mut stop = stopped(finding, &cause);
        stop.sentence =
            "One offset can't be right everywhere. Tram the bed first, then print new patches."
                .into();
        stop.next = "Tram the bed, then come back.".into();
        stop.send_back = Some("tram".into());
        return stop;
    }
    finding
}
