//! Flow: the multiplier of one filament, by the walls of a box or by mass.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, FisherSnedecor};
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, decimals_for, fixed, plain};
use wattotherm_measure::{
    Combined, Component, Instrument, InstrumentKind, Series, SettleOption, Verdict, combine,
    default_instruments, fresh_mean, what_would_settle,
};

use super::{
    Context, StationName, ask_for_more, band, blank, expanded_95, stopped, times_the_blur,
};
use crate::finding::{Band, Finding, PlainValue, Row};
use crate::house::ToleranceId;

/// How flow is measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FlowMethod {
    /// Thickness of single walls.
    #[default]
    Walls,
    /// Mass of a printed piece.
    Mass,
}

/// Where on the box a wall was measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum WallHeight {
    /// Near the bottom, above the first layers.
    #[default]
    Low,
    /// Near the top.
    High,
}

/// One wall reading.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct WallReading {
    /// Side of the box, 1 to 4.
    pub side: u8,
    /// Low or high.
    pub height: WallHeight,
    /// Thickness [mm].
    pub t_mm: Entry,
}

/// What is typed at flow.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct FlowReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Walls or mass.
    pub method: FlowMethod,
    /// Flow multiplier set while printing [%].
    pub flow_set_percent: Entry,
    /// Instrument, by id.
    pub instrument: String,
    /// Wall thickness the G-code asks for [mm].
    pub wall_mm: Entry,
    /// Wall readings, away from corners and seam.
    pub walls: Vec<WallReading>,
    /// Volume the G-code asks for [mm³].
    pub volume_mm3: Entry,
    /// Density of the filament [g/cm³].
    pub density_g_cm3: Entry,
    /// Mass on the balance, a weighing each [g].
    pub masses_g: Vec<Entry>,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Limits of the fields.
pub const LIMITS: [Limit; 6] = [
    Limit::new(
        "flow_set_percent",
        "flow set",
        "%",
        [10.0, 300.0, 60.0, 160.0],
        "beyond this it isn't flow that is wrong",
    ),
    Limit::new(
        "wall_mm",
        "wall asked for",
        "mm",
        [0.1, 5.0, 0.25, 2.0],
        "one wall is about as wide as the bore",
    ),
    Limit::new(
        "t_mm",
        "wall thickness",
        "mm",
        [0.02, 10.0, 0.15, 3.0],
        "one wall is about as wide as the bore",
    ),
    Limit::new(
        "volume_mm3",
        "volume",
        "mm³",
        [10.0, 10_000_000.0, 10.0, 10_000_000.0],
        "less can't be weighed",
    ),
    Limit::new(
        "density_g_cm3",
        "density",
        "g/cm³",
        [0.3, 8.0, 0.8, 4.0],
        "filaments lie between foamed and metal-filled",
    ),
    Limit::new(
        "masses_g",
        "mass",
        "g",
        [0.01, 5_000.0, 0.05, 5_000.0],
        "a printed piece weighs something",
    ),
];

/// Density of a common material [g/cm³]; none for others.
///
/// Source: common practice, no published source (makers' sheets agree within 2 %).
#[must_use]
pub fn density_g_cm3(material: &str) -> Option<f64> {
    match material.trim().to_ascii_uppercase().as_str() {
        "PLA" => Some(1.24),
        "PETG" => Some(1.27),
        "ABS" => Some(1.04),
        "ASA" => Some(1.07),
        "TPU" => Some(1.21),
        "PC" => Some(1.20),
        "PA12" => Some(1.01),
        _ => None,
    }
}

/// Beyond this the cause isn't flow. Common practice, no published source.
const MOST_ERROR_PERCENT: f64 = 30.0;

/// Significance of "walls vary along the height": our own judgement, strict because an accusation
/// sends the technician to strip a hot end.
const VARIATION_P: f64 = 0.01;

struct Typed {
    set: f64,
    nominal: f64,
    values: Vec<f64>,
    low: Vec<f64>,
    high: Vec<f64>,
}

fn read(readings: &FlowReadings) -> Result<Typed, ReadingError> {
    let [set_l, wall_l, t_l, volume_l, density_l, mass_l] = &LIMITS;
    let mut intake = Intake::new(&readings.confirmed);
    let set = intake.need(set_l, "flow_set_percent", &readings.flow_set_percent);
    let (mut values, mut low, mut high) = (Vec::new(), Vec::new(), Vec::new());
    let nominal = match readings.method {
        FlowMethod::Walls => {
            let nominal = intake.need(wall_l, "wall_mm", &readings.wall_mm);
            let mut named = Vec::new();
            for (i, w) in readings.walls.iter().take(64).enumerate() {
                let path = format!("walls.{i}.t_mm");
                if let Some(t) = intake.may(t_l, &path, &w.t_mm) {
                    named.push((path, t));
                    match w.height {
                        WallHeight::Low => low.push(t),
                        WallHeight::High => high.push(t),
                    }
                }
            }
            intake.ask_outliers_by_ten(t_l, &named);
            values.extend(named.iter().map(|(_, t)| *t));
            if readings.walls.len() > 64 {
                intake.count("walls", "Sixty-four readings are enough. Remove some.");
            }
            if values.is_empty() {
                intake.count("walls.0.t_mm", "Type the thickness of at least one wall.");
            }
            nominal
        }
        FlowMethod::Mass => {
            let volume = intake.need(volume_l, "volume_mm3", &readings.volume_mm3);
            let density = intake.need(density_l, "density_g_cm3", &readings.density_g_cm3);
            for (i, m) in readings.masses_g.iter().take(30).enumerate() {
                values.extend(intake.may(mass_l, &format!("masses_g.{i}"), m));
            }
            if readings.masses_g.len() > 30 {
                intake.count("masses_g", "Thirty weighings are enough. Remove some.");
            }
            if values.is_empty() {
                intake.count("masses_g.0", "Type the mass of the printed piece.");
            }
            // mm³ to cm³.
            volume.zip(density).map(|(v, d)| v / 1000.0 * d)
        }
    };
    intake.finish()?;
    Ok(Typed {
        // OK because finish() fails where one of these is missing.
        set: set.unwrap_or_default(),
        nominal: nominal.unwrap_or(1.0),
        values,
        low,
        high,
    })
}

fn instrument_for(readings: &FlowReadings, context: &Context) -> Instrument {
    let (kind, fallback) = match readings.method {
        FlowMethod::Walls => (InstrumentKind::Caliper, 1),
        FlowMethod::Mass => (InstrumentKind::Balance, 3),
    };
    let unit = if readings.method == FlowMethod::Mass {
        "g"
    } else {
        "mm"
    };
    context
        .house
        .instrument(&readings.instrument, kind)
        .filter(|i| i.unit == unit)
        .or_else(|| context.house.instruments.iter().find(|i| i.kind == kind))
        .cloned()
        .unwrap_or_else(|| default_instruments().swap_remove(fallback))
}

fn uncertainty(
    typed: &Typed,
    mean: Combined,
    readings: &FlowReadings,
    context: &Context,
) -> Combined {
    match readings.method {
        FlowMethod::Walls => mean,
        FlowMethod::Mass => {
            let fraction = context.house.tolerance(ToleranceId::DensityPercent) / 100.0;
            combine(&[
                Component {
                    u: mean.u,
                    sensitivity: 1.0,
                    dof: mean.dof,
                },
                Component::type_b(fraction * typed.nominal / 3.0_f64.sqrt(), 1.0),
            ])
        }
    }
}

/// Evaluates flow.
///
/// Formula: new multiplier = old · target / mean, by wall thickness [mm] or by mass [g] with
/// target = volume · density. By mass the density's own uncertainty is added; repeating doesn't
/// shrink it.
/// Source: common practice, no published source; uncertainty as [`fresh_mean`]; the test for walls
/// that vary along the height is a one-way analysis of variance (NIST/SEMATECH e-Handbook 7.4.3).
/// # Errors
/// [`ReadingError`] with every field that is missing or impossible.
pub fn evaluate(readings: &FlowReadings, context: &Context) -> Result<Finding, ReadingError> {
    let typed = read(readings)?;
    let instrument = instrument_for(readings, context);
    let Some(mean) = fresh_mean(&typed.values, &instrument, 1.0) else {
        debug_assert!(false, "read() asks for a reading");
        return Err(ReadingError {
            problems: Vec::new(),
        });
    };
    let combined = uncertainty(&typed, mean.combined, readings, context);
    let expanded = expanded_95(combined);
    let limit_fraction = context.house.tolerance(ToleranceId::FlowPercent) / 100.0;
    let (label, unit, what) = match readings.method {
        FlowMethod::Walls => ("wall", "mm", "the wall"),
        FlowMethod::Mass => ("mass", "g", "the mass"),
    };
    let band = band(
        label,
        unit,
        (mean.series.mean, typed.nominal),
        (expanded, combined.dof),
        limit_fraction * typed.nominal,
    );
    let after = (typed.set * typed.nominal / mean.series.mean * 10.0).round() / 10.0;
    let value_expanded = typed.set * typed.nominal / mean.series.mean * expanded / mean.series.mean;
    let percent = 100.0 * band.error / typed.nominal;

    let mut finding = blank(StationName::Flow, "flow multiplier", "%", band.verdict);
    finding.before = Some(typed.set);
    finding.value_expanded = Some(value_expanded);
    finding.reasons = vec![
        format!(
            "{} with {}.",
            count(typed.values.len(), "reading", "readings"),
            instrument.describe()
        ),
        if mean.series.n == 1 {
            "One reading: the uncertainty rests on the instrument alone.".into()
        } else if mean.instrument_alone {
            "The readings agree better than the instrument can see, so its limit sets the uncertainty.".into()
        } else {
            format!(
                "The readings scatter by {} {unit}, more than the instrument explains.",
                plain(mean.series.s, 3)
            )
        },
    ];
    if readings.method == FlowMethod::Walls && typed.values.len() < 8 {
        finding
            .reasons
            .push("Four sides at two heights are the rule: eight readings.".into());
    }
    let multiplier = |p: f64| format!("{} % = {}", fixed(p, 1), fixed(p / 100.0, 3));
    finding.rows = vec![Row {
        name: "flow".into(),
        before: Some(multiplier(typed.set)),
        after: (band.verdict == Verdict::Adjust).then(|| multiplier(after)),
    }];
    decide(
        &mut finding,
        &band,
        &typed,
        after,
        (value_expanded, percent),
        limit_fraction,
    );
    if band.verdict == Verdict::MeasureAgain {
        finding.settle = settle(&typed, &mean.series, &instrument, &band, readings, context);
        finding.headline = format!(
            "Measure again: {} could be right or wrong.",
            band.measured_text
        );
        finding.sentence = ask_for_more(&finding.settle, what);
        finding.line = format!("{label} {}, not settled", band.measured_text);
        finding.next = "Add readings here; nothing is set.".into();
    }
    let limit = band.limit;
    finding.bands.push(band);
    if let Some(step) = varies_along_height(&typed.low, &typed.high, limit) {
        let cause = format!(
            "the walls differ by {} mm between bottom and top",
            fixed(step, 3)
        );
        let mut stop = stopped(finding, &cause);
        stop.sentence = "Flow can't cure that: something changed while it printed. Look for a \
                         partial clog, slip at the drive, or a gap above the nozzle."
            .into();
        return Ok(stop);
    }
    if percent.abs() > MOST_ERROR_PERCENT {
        let cause = format!("{percent:+.0} % is not a flow error");
        let mut stop = stopped(finding, &cause);
        stop.sentence =
            "Check that the profile's bore and width are those printed, then the drive.".into();
        stop.send_back = Some("drive".into());
        return Ok(stop);
    }
    Ok(finding)
}

/// Headline, sentence and commands of a pass or an adjust.
fn decide(
    finding: &mut Finding,
    band: &Band,
    typed: &Typed,
    after: f64,
    (value_expanded, percent): (f64, f64),
    limit_fraction: f64,
) {
    let digits = decimals_for(value_expanded, 1).min(1);
    let u_text = fixed(value_expanded, 1);
    match band.verdict {
        Verdict::Pass => {
            finding.headline = format!("Pass: flow {} % stays.", fixed(typed.set, digits));
            finding.sentence = format!(
                "{} of {}, inside ±{} %.",
                band.measured_text,
                band.nominal_text,
                plain(limit_fraction * 100.0, 2)
            );
            finding.line = format!("{} % ±{u_text}", fixed(typed.set, 1));
            finding.next = "Go on.".into();
        }
        Verdict::Adjust => {
            finding.after = Some(after);
            let much = if percent > 0.0 {
                "too much"
            } else {
                "too little"
            };
            finding.headline = format!(
                "Adjust: flow {} → {} %.",
                fixed(typed.set, 1),
                fixed(after, 1)
            );
            finding.sentence = format!(
                "It lays {:.1} % {much}{}. Set the new flow, then print again.",
                percent.abs(),
                times_the_blur(band.error, band.expanded)
            );
            finding.line = format!("{} → {} % ±{u_text}", fixed(typed.set, 1), fixed(after, 1));
            finding.next =
                "Put the new multiplier into the filament's profile, then print and measure again."
                    .into();
            if let Ok(set) = gcode::set_flow_percent(after) {
                finding.commands = vec![set];
            }
            finding.plain.push(PlainValue {
                name: "flow multiplier in the profile".into(),
                value: plain(after / 100.0, 3),
            });
            finding.reasons.push(
                "The command is an override for trying: it multiplies what the profile already has. \
                 The profile keeps the value."
                    .into(),
            );
        }
        Verdict::MeasureAgain | Verdict::Stop => {}
    }
}

fn settle(
    typed: &Typed,
    series: &Series,
    instrument: &Instrument,
    band: &Band,
    readings: &FlowReadings,
    context: &Context,
) -> Vec<String> {
    let predicted = |n: usize, i: &Instrument| {
        let u = wattotherm_measure::u_of_mean(series.s, n, series.mean, i, 1.0);
        expanded_95(uncertainty(typed, u, readings, context))
    };
    let n = series.n;
    let more = (1..=24).map(|k| SettleOption {
        says: if k == 1 {
            "one more reading".into()
        } else {
            format!("{k} more readings")
        },
        expanded: predicted(n + k, instrument),
    });
    let finer = context
        .house
        .instruments
        .iter()
        .filter(|i| i.kind == InstrumentKind::Micrometer && i.unit == instrument.unit)
        .filter(|i| i.half_width < instrument.half_width)
        .map(|i| SettleOption {
            says: format!("the same places measured with {}", i.describe()),
            expanded: predicted(n.max(4), i),
        });
    [
        what_would_settle(band.error, band.limit, more)
            .into_iter()
            .next(),
        what_would_settle(band.error, band.limit, finer)
            .into_iter()
            .next(),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// Difference between high and low walls, if it is significant and larger than the limit.
fn varies_along_height(low: &[f64], high: &[f64], limit: f64) -> Option<f64> {
    let (a, b) = (Series::of(low)?, Series::of(high)?);
    if a.n < 2 || b.n < 2 {
        return None;
    }
    // OK because there are at most 64 readings.
    #[allow(clippy::cast_precision_loss)]
    let (na, nb) = (a.n as f64, b.n as f64);
    let step = b.mean - a.mean;
    if step.abs() <= limit {
        return None;
    }
    let within = ((na - 1.0) * a.s.powi(2) + (nb - 1.0) * b.s.powi(2)) / (na + nb - 2.0);
    let between = step.powi(2) * na * nb / (na + nb);
    if within <= 0.0 {
        return Some(step.abs());
    }
    let f = FisherSnedecor::new(1.0, na + nb - 2.0).ok()?;
    (1.0 - f.cdf(between / within) < VARIATION_P).then_some(step.abs())
}
