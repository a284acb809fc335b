//! A log in the pieces that its target makes: heating up, holding, pausing, cooling.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::super::trace::Sample;

/// What a piece of a log is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SegmentKind {
    /// On the way up to its target.
    HeatUp,
    /// At its target, or levelled off.
    Hold,
    /// Held well below the hottest target of the log: no print runs there.
    Standby,
    /// The heater is off, and it is heated again afterwards.
    Pause,
    /// On the way down: to a lower target, or off to the end.
    CoolDown,
}

/// A piece: samples `from..to` of one kind, under one target [°C].
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Piece {
    pub kind: SegmentKind,
    pub from: usize,
    pub to: usize,
    pub target_c: Option<f64>,
}

/// Nearer than this it has arrived [°C].
const ARRIVED_C: f64 = 3.0;
/// A hold this much below the hottest one is a standby [°C].
const STANDBY_C: f64 = 30.0;
/// Levelled off: it changes by less than this [°C] …
const LEVEL_C: f64 = 1.5;
/// … within this time [s].
const LEVEL_S: f64 = 60.0;

/// Cuts a log by its targets. A log without any target is one hold about the temperature at which it stayed
/// longest; what comes before and after is on the way.
pub(crate) fn pieces(samples: &[Sample]) -> Vec<Piece> {
    if samples.iter().all(|s| s.target_c.is_none()) {
        return by_plateau(samples);
    }
    let mut all = Vec::new();
    let hottest = samples
        .iter()
        .filter_map(|s| s.target_c)
        .fold(0.0, f64::max);
    let mut from = 0;
    for i in 1..=samples.len() {
        let ends = i == samples.len()
            || (samples[i].target_c.unwrap_or(0.0) - samples[from].target_c.unwrap_or(0.0)).abs()
                > 0.5;
        if ends {
            under_one_target(samples, from, i, hottest, &mut all);
            from = i;
        }
    }
    all
}

fn under_one_target(
    samples: &[Sample],
    from: usize,
    to: usize,
    hottest: f64,
    all: &mut Vec<Piece>,
) {
    let mut add = |kind, from: usize, to: usize, target_c| {
        if from < to {
            all.push(Piece {
                kind,
                from,
                to,
                target_c,
            });
        }
    };
    let target = samples[from].target_c.unwrap_or(0.0);
    if target <= 0.0 {
        let again = samples[to..]
            .iter()
            .any(|s| s.target_c.is_some_and(|t| t > 0.0));
        let kind = if again {
            SegmentKind::Pause
        } else {
            SegmentKind::CoolDown
        };
        add(kind, from, to, None);
        return;
    }
    let start_c = samples[from].temp_c;
    let way = if start_c > target + ARRIVED_C {
        SegmentKind::CoolDown
    } else {
        SegmentKind::HeatUp
    };
    let arrived = (from..to)
        .find(|&i| (samples[i].temp_c - target).abs() <= ARRIVED_C)
        .or_else(|| levelled(samples, from, to))
        .unwrap_or(to);
    add(way, from, arrived, Some(target));
    let kind = if target < hottest - STANDBY_C {
        SegmentKind::Standby
    } else {
        SegmentKind::Hold
    };
    add(kind, arrived, to, Some(target));
}

/// First sample of a stretch up to the end in which it no longer goes anywhere: each minute's mean like the last.
fn levelled(samples: &[Sample], from: usize, to: usize) -> Option<usize> {
    let end_s = samples[to - 1].t_s;
    let mean = |a: f64, b: f64| {
        let all = &samples[from..to];
        let part = &all[all.partition_point(|s| s.t_s < a)..all.partition_point(|s| s.t_s < b)];
        let (sum, n) = part
            .iter()
            .fold((0.0, 0.0_f64), |(sum, n), s| (sum + s.temp_c, n + 1.0));
        (n > 0.0).then(|| sum / n)
    };
    let last = mean(end_s - LEVEL_S / 2.0, end_s + 1.0)?;
    let mut start = end_s - LEVEL_S / 2.0;
    while let Some(m) = mean(start - LEVEL_S / 2.0, start) {
        if (m - last).abs() > LEVEL_C {
            break;
        }
        start -= LEVEL_S / 2.0;
    }
    if end_s - start < LEVEL_S {
        return None;
    }
    (from..to).find(|&i| samples[i].t_s >= start)
}

fn by_plateau(samples: &[Sample]) -> Vec<Piece> {
    // OK because temperatures were checked to be of a hot end.
    #[allow(clippy::cast_possible_truncation)]
    let bin = |t: f64| (t / 4.0).floor() as i64;
    let mut counts = std::collections::BTreeMap::new();
    for s in samples.iter().filter(|s| s.temp_c > 60.0) {
        *counts.entry(bin(s.temp_c)).or_insert(0_usize) += 1;
    }
    let Some((most, n)) = counts.into_iter().max_by_key(|(_, n)| *n) else {
        return Vec::new();
    };
    if n * 5 < samples.len() {
        return Vec::new();
    }
    // OK because a bin's number is small.
    #[allow(clippy::cast_precision_loss)]
    let level = (most as f64 + 0.5) * 4.0;
    let near = |s: &Sample| (s.temp_c - level).abs() <= 15.0;
    let Some(from) = samples.iter().position(near) else {
        return Vec::new();
    };
    let to = samples.iter().rposition(near).map_or(from, |i| i + 1);
    let mut all = Vec::new();
    for (kind, a, b) in [
        (SegmentKind::HeatUp, 0, from),
        (SegmentKind::Hold, from, to),
        (SegmentKind::CoolDown, to, samples.len()),
    ] {
        if a < b {
            all.push(Piece {
                kind,
                from: a,
                to: b,
                target_c: None,
            });
        }
    }
    all
}
