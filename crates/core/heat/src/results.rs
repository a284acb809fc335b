//! What is kept of a hold, an autotune and a verification: figures with the number of the log they
//! come from. Readings of the heater loop carry these, never samples.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::AutotuneReport;

use super::classify::{PhysicalLimits, TraceReading, read_class};
use super::control::OutputForm;
use super::figures::{LoopFigures, loop_figures};
use super::identify::{Identified, identify};
use super::interval::Interval;
use super::relay::{Ultimate, relay_from_trace};
use super::trace::Trace;

/// A hold test.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct HoldResult {
    /// Number of the kept log; none for figures typed in.
    pub trace: Option<i64>,
    /// Target [°C].
    pub target_c: f64,
    /// What the log shows.
    pub reading: TraceReading,
    /// Standard deviation in the hold [°C].
    pub sd_c: Option<f64>,
    /// Largest distance from the target in the hold [°C].
    pub worst_c: Option<f64>,
    /// Gains that the printer held then, as [`Gains::text`].
    #[serde(default)]
    pub gains_now: Option<String>,
}

/// Reads a hold test.
#[must_use]
pub fn hold_result(trace: &Trace, target_c: f64, limits: &PhysicalLimits) -> HoldResult {
    let points: Vec<(f64, f64)> = trace
        .samples
        .iter()
        .filter(|s| s.target_c.is_none_or(|t| t > 0.0))
        .map(|s| (s.t_s, s.temp_c))
        .collect();
    let start = points.first().map_or(0.0, |p| p.0);
    let figures = loop_figures(&points, target_c, start, None);
    HoldResult {
        trace: None,
        target_c,
        reading: read_class(trace, limits),
        sd_c: figures.hold_sd_c,
        worst_c: figures.hold_worst_c,
        gains_now: None,
    }
}

/// An autotune.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TuneResult {
    /// Number of the kept log; none for figures typed in.
    pub trace: Option<i64>,
    /// Target [°C].
    pub target_c: f64,
    /// Part fan meanwhile, 0 to 1.
    pub fan: f64,
    /// What the log shows.
    pub reading: TraceReading,
    /// Ultimate gain and period.
    pub ultimate: Option<Ultimate>,
    /// Where the true ultimate gain lies by the log's own swing [duty/°C], 95 %.
    #[serde(default)]
    pub ku: Option<Interval>,
    /// Gains that the printer proposes [P, I, D], output 0 to 255.
    pub printer_gains: Option<[f64; 3]>,
    /// The plant that fits the log.
    pub plant: Option<Identified>,
    /// Why none fits.
    pub no_plant: Option<String>,
}

/// Reads an autotune: the printer's own figures first, since it looks more often than it reports; the
/// log's where it gave none.
#[must_use]
pub fn tune_result(
    trace: &Trace,
    target_c: f64,
    fan: f64,
    report: &AutotuneReport,
    limits: &PhysicalLimits,
) -> TuneResult {
    let reported = match (report.ku, report.tu_s) {
        (Some(ku), Some(tu_s)) if ku > 0.0 && tu_s > 0.0 => Some(Ultimate {
            ku: ku / OutputForm::Byte.full(),
            tu_s,
        }),
        _ => None,
    };
    let swing = relay_from_trace(trace, target_c).ok();
    let ultimate = reported.or(swing.map(|r| r.ultimate));
    // The printer's own figure is one of those that the swing allows.
    let ku = swing.zip(ultimate).map(|(r, u)| Interval {
        low: r.ku.low.min(u.ku),
        high: r.ku.high.max(u.ku),
    });
    let (plant, no_plant) = match identify(trace, target_c) {
        Ok(p) => (Some(p.found), None),
        Err(e) => (None, Some(e.to_string())),
    };
    let printer_gains = match (report.kp, report.ki, report.kd) {
        (Some(p), Some(i), Some(d)) => Some([p, i, d]),
        _ => None,
    };
    // A relay swings: that is no fault of the loop. Only faults count here.
    TuneResult {
        trace: None,
        target_c,
        fan,
        reading: read_class(trace, limits),
        ultimate,
        ku,
        printer_gains,
        plant,
        no_plant,
    }
}

/// A verification by step, hold and fan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct VerifyResult {
    /// Number of the kept log; none for figures typed in.
    pub trace: Option<i64>,
    /// Target [°C].
    pub target_c: f64,
    /// What the log shows.
    pub reading: TraceReading,
    /// Figures of step, hold and fan.
    pub figures: LoopFigures,
    /// Gains that the printer held then, as [`Gains::text`].
    #[serde(default)]
    pub gains_now: Option<String>,
}
