//! Samples that the block can't have made: off and back faster than it heats or cools.

use super::super::trace::Sample;
use super::PhysicalLimits;
use super::segments::{Piece, SegmentKind};
use super::swing::line;

/// What this block can do, and where that is known from.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Reach {
    /// Fastest rise [°C/s].
    pub heat_c_s: f64,
    /// Time constant of the fastest cooling [s].
    pub cool_tau_s: f64,
    /// Air [°C].
    pub ambient_c: f64,
    /// From this log's own heat-up.
    pub own: bool,
}

/// A rise that was seen may be beaten by this factor: another duty, another voltage. Common practice, no source.
const HEAT_MARGIN: f64 = 1.6;
/// A part fan at full may carry off this many times what still air does. Common practice, no source.
const FAN_TIMES: f64 = 4.0;
/// Seconds over which a rate of the block is taken.
const RATE_S: f64 = 10.0;

impl Reach {
    /// From the heat-up and the cooling in the log where they are there, else from what is known of the block.
    pub(crate) fn of(samples: &[Sample], pieces: &[Piece], known: &PhysicalLimits) -> Self {
        let mut reach = Self {
            heat_c_s: known.heat_c_s,
            cool_tau_s: known.cool_tau_s,
            ambient_c: known.ambient_c,
            own: false,
        };
        let mut rise: Option<f64> = None;
        let mut tau: Option<f64> = None;
        for p in pieces {
            let part = &samples[p.from..p.to];
            let (Some(a), Some(b)) = (part.first(), part.last()) else {
                continue;
            };
            match p.kind {
                SegmentKind::HeatUp if b.temp_c - a.temp_c > 40.0 => {
                    for r in rates(part) {
                        rise = Some(rise.unwrap_or(0.0).max(r.0));
                    }
                }
                SegmentKind::Pause | SegmentKind::CoolDown if a.temp_c - b.temp_c > 30.0 => {
                    for (r, at) in rates(part) {
                        if r < 0.0 && at > reach.ambient_c + 30.0 {
                            let own = (at - reach.ambient_c) / -r;
                            tau = Some(tau.unwrap_or(f64::INFINITY).min(own));
                        }
                    }
                }
                _ => {}
            }
        }
        if let Some(r) = rise.filter(|r| *r > 0.05) {
            reach.heat_c_s = (HEAT_MARGIN * r).min(known.heat_c_s.max(1.0));
            reach.own = true;
            if tau.is_none() {
                // What holds the temperature is what it loses: the duty in the hold, of the rise at full.
                tau = held_loss(samples, pieces, r, reach.ambient_c);
            }
        }
        if let Some(t) = tau {
            reach.cool_tau_s = reach.cool_tau_s.max(t / FAN_TIMES);
        }
        reach
    }

    /// How far it can go in `dt` from `at` [°C], up or down.
    fn far(&self, up: bool, at: f64, dt: f64) -> f64 {
        if up {
            self.heat_c_s * dt
        } else {
            (at - self.ambient_c).max(20.0) * (1.0 - (-dt / self.cool_tau_s).exp())
        }
    }
}

/// Rates over some ten seconds [°C/s] and the temperature there. The median of the steps in each, so that a
/// dip in it doesn't count.
fn rates(part: &[Sample]) -> Vec<(f64, f64)> {
    let mut all = Vec::new();
    let mut from = 0;
    for i in 1..part.len() {
        if part[i].t_s - part[from].t_s < RATE_S {
            continue;
        }
        let window = &part[from..=i];
        let mut steps: Vec<f64> = window
            .windows(2)
            .map(|w| (w[1].temp_c - w[0].temp_c) / (w[1].t_s - w[0].t_s))
            .collect();
        let middle = steps.len() / 2;
        let median = *steps.select_nth_unstable_by(middle, f64::total_cmp).1;
        let points: Vec<(f64, f64)> = window.iter().map(|s| (s.t_s, s.temp_c)).collect();
        let (slope, at, _) = line(&points);
        // Of many steps the median holds against a dip; of few there is only the line.
        let rate = if steps.len() >= 6 {
            if slope.abs() < median.abs() {
                slope
            } else {
                median
            }
        } else {
            slope
        };
        all.push((rate, at));
        from = i;
    }
    all
}

fn held_loss(samples: &[Sample], pieces: &[Piece], rise: f64, ambient: f64) -> Option<f64> {
    let hold = pieces
        .iter()
        .filter(|p| p.kind == SegmentKind::Hold)
        .max_by_key(|p| p.to - p.from)?;
    let (mut duty, mut temp, mut n) = (0.0, 0.0, 0.0);
    for s in &samples[hold.from..hold.to] {
        if let Some(d) = s.duty {
            duty += d;
            temp += s.temp_c;
            n += 1.0;
        }
    }
    (n >= 20.0 && duty > 0.0).then(|| (temp / n - ambient).max(20.0) / (duty / n * rise))
}

/// Doubt of one sample [°C] from the usual distance of a sample to the line between its neighbours; a
/// median, so that strays don't count. A curve bends little from one sample to the next but where samples are
/// rare, and there this is too large, on the careful side.
pub(crate) fn noise(samples: &[Sample]) -> f64 {
    let mut off: Vec<f64> = samples
        .windows(3)
        .map(|w| {
            let part = (w[1].t_s - w[0].t_s) / (w[2].t_s - w[0].t_s);
            (w[1].temp_c - (w[0].temp_c + (w[2].temp_c - w[0].temp_c) * part)).abs()
        })
        .collect();
    if off.is_empty() {
        return 0.1;
    }
    let middle = off.len() / 2;
    let (_, m, _) = off.select_nth_unstable_by(middle, f64::total_cmp);
    // Median of |x| is 0.6745 σ for a normal x; the distance to the middle of two has 1.5 times the variance.
    (*m / 0.6745 / 1.5_f64.sqrt()).max(0.03)
}

/// A sample that the block can't have made.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Stray {
    /// Its index.
    pub at: usize,
    /// How far it could have gone [°C].
    pub could: f64,
    /// How much farther it went [°C].
    pub over: f64,
    /// Off and back between two samples, rather than faster than the block.
    pub back: bool,
}

/// Off and back within this time is a spike [s].
const SPIKE_S: f64 = 4.5;
/// Less noise than this is not believed [°C].
const LEAST_NOISE_C: f64 = 0.2;
/// What a sample between two others may lie beside them, beyond its noise [°C].
const BESIDE_C: f64 = 3.0;

/// Changes that the block can't have made. `usual_s` is the usual time between samples.
pub(crate) fn strays(samples: &[Sample], reach: &Reach, usual_s: f64) -> Vec<Stray> {
    let slack = 6.0 * noise(samples).min(1.0) + 1.0;
    let mut found: Vec<Stray> = Vec::new();
    for (i, w) in samples.windows(2).enumerate() {
        let (a, b) = (w[0], w[1]);
        let dt = b.t_s - a.t_s;
        // A pause in the log says nothing about rates.
        if dt > (5.0 * usual_s).max(5.0) {
            continue;
        }
        let change = b.temp_c - a.temp_c;
        // A stamp can be late by as much as a sample is apart.
        let could = reach.far(change > 0.0, a.temp_c, dt.max(usual_s)) + slack;
        if change.abs() > could {
            found.push(Stray {
                at: i + 1,
                could,
                over: change.abs() - could,
                back: false,
            });
        }
    }
    // Off and back between two samples: a block that still falls can't rise already.
    for (i, w) in samples.windows(3).enumerate() {
        let (a, b, c) = (w[0], w[1], w[2]);
        let beside = f64::midpoint(a.temp_c, c.temp_c);
        let off = (b.temp_c - beside).abs();
        let apart = (a.temp_c - c.temp_c).abs();
        // What any noise would hide comes first: most samples end there.
        if c.t_s - a.t_s <= SPIKE_S
            && off > 8.0 * LEAST_NOISE_C + BESIDE_C
            && apart < 0.35 * off
            && off
                > 8.0
                    * noise(&samples[i.saturating_sub(30)..(i + 33).min(samples.len())])
                        .max(LEAST_NOISE_C)
                    + BESIDE_C
            && !found.iter().any(|s| s.at == i + 1 || s.at == i + 2)
        {
            found.push(Stray {
                at: i + 1,
                could: BESIDE_C,
                over: off - BESIDE_C,
                back: true,
            });
        }
    }
    found.sort_by_key(|s| s.at);
    found
}
