//! Step, hold and fan-kick figures of a heater loop.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Band about the target that counts as settled [°C]. Handbook figure, common practice.
pub const SETTLE_BAND_C: f64 = 1.5;

/// How far below the target the settling is timed from [°C].
const APPROACH_C: f64 = 10.0;

/// What a step, a hold and a fan kick show. None where the run doesn't reach that far.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct LoopFigures {
    /// Above the target at most [°C], ≥ 0.
    pub overshoot_c: Option<f64>,
    /// From 10 °C below the target to the last entry into ±1.5 °C [s]; 0 for a run that starts there.
    /// Not from the crossing: a loop that creeps up to it would be timed from whatever noise carries it
    /// across.
    pub settle_s: Option<f64>,
    /// Standard deviation in the hold [°C].
    pub hold_sd_c: Option<f64>,
    /// Largest distance from the target in the hold [°C].
    pub hold_worst_c: Option<f64>,
    /// Below the target at most while the fan blows [°C], ≥ 0.
    pub dip_c: Option<f64>,
    /// From the fan's start until back for good within ±1.5 °C [s].
    pub recovery_s: Option<f64>,
}

/// Works the figures out of (time, temperature) pairs of rising time.
///
/// The step starts at `step_s`; the hold is what lies settled between the step and `fan_s`; the fan
/// blows from `fan_s` to `fan_end_s`. Source: section 3 of the method notes; common practice.
#[must_use]
pub fn loop_figures(
    points: &[(f64, f64)],
    target_c: f64,
    step_s: f64,
    fan: Option<(f64, f64)>,
) -> LoopFigures {
    let mut figures = LoopFigures::default();
    let end = points.last().map_or(step_s, |p| p.0);
    let hold_end = fan.map_or(end, |(from, _)| from);
    let inside = |t: f64| (t - target_c).abs() <= SETTLE_BAND_C;
    // Starting at the target is a hold without a step.
    let start = points.iter().find(|p| p.0 >= step_s).map(|p| p.1);
    let first = if start.is_some_and(inside) {
        Some(step_s)
    } else {
        points
            .iter()
            .find(|p| p.0 >= step_s && p.0 < hold_end && p.1 >= target_c - APPROACH_C)
            .map(|p| p.0)
    };
    if let Some(first) = first {
        let after = || {
            points
                .iter()
                .filter(|p| p.0 >= first && (p.0 < hold_end || fan.is_none()))
        };
        figures.overshoot_c = Some(after().map(|p| p.1 - target_c).fold(0.0, f64::max));
        let last_out = after().filter(|p| !inside(p.1)).map(|p| p.0).next_back();
        let settled = last_out.map_or(first, |t| {
            after().find(|p| p.0 > t).map_or(hold_end, |p| p.0)
        });
        let still_out = after().next_back().is_some_and(|p| !inside(p.1));
        if !still_out {
            figures.settle_s = Some(settled - first);
        }
        // The hold is judged over its last 120 s, or all of it after settling if shorter.
        let from = (hold_end - 120.0).max(if still_out { first } else { settled });
        let hold: Vec<f64> = after().filter(|p| p.0 >= from).map(|p| p.1).collect();
        if hold.len() >= 10 {
            // OK because a hold has at most some hundred thousand samples.
            #[allow(clippy::cast_precision_loss)]
            let n = hold.len() as f64;
            let mean = hold.iter().sum::<f64>() / n;
            let ss: f64 = hold.iter().map(|t| (t - mean).powi(2)).sum();
            figures.hold_sd_c = Some((ss / (n - 1.0)).sqrt());
            figures.hold_worst_c = Some(
                hold.iter()
                    .map(|t| (t - target_c).abs())
                    .fold(0.0, f64::max),
            );
        }
    }
    if let Some((from, to)) = fan {
        let blown: Vec<_> = points.iter().filter(|p| p.0 >= from && p.0 <= to).collect();
        if let Some(last) = blown.last() {
            figures.dip_c = Some(blown.iter().map(|p| target_c - p.1).fold(0.0, f64::max));
            let last_out = blown
                .iter()
                .filter(|p| !inside(p.1))
                .map(|p| p.0)
                .next_back();
            if inside(last.1) {
                figures.recovery_s = Some(last_out.map_or(0.0, |t| t - from));
            }
        }
    }
    figures
}
