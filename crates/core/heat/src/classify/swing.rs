//! Whether a hold swings: a line in the spectrum that chance does not make, that lasts, and that is large.

use super::super::trace::Sample;

/// A swing that is there beyond doubt.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Swing {
    /// Peak to peak of the line [°C].
    pub swing_c: f64,
    /// Period [s].
    pub period_s: f64,
    /// Cycles in the window.
    pub cycles: f64,
    /// Amplitude of the duty at the same period; none where duty is not logged.
    pub duty: Option<f64>,
    /// Amplitude of the part fan at the same period; none where the fan is not logged.
    pub fan: Option<f64>,
}

/// The chance that noise alone makes such a line, at most.
const FALSE_ALARM: f64 = 1e-3;
/// Cycles that must be there.
const CYCLES: f64 = 4.0;
/// Samples a cycle that must be there.
const SAMPLES_A_CYCLE: f64 = 4.0;
/// Part of the variance that the line and its double must explain.
const EXPLAINS: f64 = 0.45;
/// Frequencies looked at, for each that the window can tell apart.
const FINER: f64 = 3.0;
/// Points of a window at most: more are averaged.
const POINTS: usize = 400;

/// A line's phasor at a frequency [1/s] by least squares over unevenly spaced points: (a, b) of
/// a·cos + b·sin.
fn phasor(points: &[(f64, f64)], f: f64) -> (f64, f64) {
    let w = std::f64::consts::TAU * f;
    let (mut cc, mut ss, mut cs, mut yc, mut ys) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for &(t, y) in points {
        let (s, c) = (w * t).sin_cos();
        cc += c * c;
        ss += s * s;
        cs += c * s;
        yc += y * c;
        ys += y * s;
    }
    let det = cc * ss - cs * cs;
    if det.abs() < 1e-9 {
        return (0.0, 0.0);
    }
    ((yc * ss - ys * cs) / det, (ys * cc - yc * cs) / det)
}

fn amplitude((a, b): (f64, f64)) -> f64 {
    a.hypot(b)
}

/// Points averaged so that there are no more than [`POINTS`], less their straight line.
fn level(samples: &[Sample], get: impl Fn(&Sample) -> Option<f64>) -> Vec<(f64, f64)> {
    let every = samples.len().div_ceil(POINTS).max(1);
    let mut points: Vec<(f64, f64)> = samples
        .chunks(every)
        .filter_map(|part| {
            let (mut t, mut y, mut n) = (0.0, 0.0, 0.0);
            for s in part {
                if let Some(v) = get(s) {
                    t += s.t_s;
                    y += v;
                    n += 1.0;
                }
            }
            (n > 0.0).then(|| (t / n, y / n))
        })
        .collect();
    let (slope, at, mid) = line(&points);
    for p in &mut points {
        p.1 -= at + slope * (p.0 - mid);
    }
    points
}

/// Slope, mean, and mean time of points.
pub(crate) fn line(points: &[(f64, f64)]) -> (f64, f64, f64) {
    // OK because a log has far fewer than 2^52 points.
    #[allow(clippy::cast_precision_loss)]
    let n = points.len().max(1) as f64;
    let mid = points.iter().map(|p| p.0).sum::<f64>() / n;
    let at = points.iter().map(|p| p.1).sum::<f64>() / n;
    let (mut up, mut down) = (0.0, 0.0);
    for (t, y) in points {
        up += (t - mid) * (y - at);
        down += (t - mid).powi(2);
    }
    (if down > 0.0 { up / down } else { 0.0 }, at, mid)
}

/// The swing of a window, if there is one beyond doubt.
///
/// Lomb-Scargle by least squares; false-alarm probability 1 − (1 − (1 − p)^((N−3)/2))^M with p the part of
/// the variance that the line explains and M the frequencies that the window can tell apart. Sources:
/// Lomb 1976 and Scargle 1982 (from memory), Baluev 2008 for the normalisation (from memory). That the line
/// must be there in both halves, in step and of like size, is our own guard against slow wandering.
pub(crate) fn swing(samples: &[Sample]) -> Option<Swing> {
    let points = level(samples, |s| Some(s.temp_c));
    let (first, last) = (points.first()?.0, points.last()?.0);
    let span = last - first;
    // OK because there are at most a few hundred points.
    #[allow(clippy::cast_precision_loss)]
    let n = points.len() as f64;
    if points.len() < 16 || span <= 0.0 {
        return None;
    }
    let gap = span / (n - 1.0);
    let variance = points.iter().map(|p| p.1 * p.1).sum::<f64>() / n;
    let (slowest, fastest) = (CYCLES / span, (1.0 / (SAMPLES_A_CYCLE * gap)).min(0.25));
    if variance < 1e-6 || fastest <= slowest {
        return None;
    }
    let step = 1.0 / (FINER * span);
    let mut best = (0.0, 0.0);
    let mut f = slowest;
    while f <= fastest {
        let power = amplitude(phasor(&points, f)).powi(2) / 2.0;
        if power > best.0 {
            best = (power, f);
        }
        f += step;
    }
    let f = best.1;
    let explained = (best.0 / variance).min(1.0 - 1e-12);
    let apart = (fastest - slowest) * span;
    let one = (1.0 - explained).powf((n - 3.0) / 2.0);
    let chance = 1.0 - (1.0 - one).powf(apart.max(1.0));
    // A swing that is no sine has its double beside it.
    let double = if 2.0 * f <= 1.0 / (2.0 * gap) {
        amplitude(phasor(&points, 2.0 * f)).powi(2) / 2.0 / variance
    } else {
        0.0
    };
    let half = points.len() / 2;
    let whole = phasor(&points, f);
    let lasts = [&points[..half], &points[half..]].iter().all(|part| {
        let own = phasor(part, f);
        let size = amplitude(own) / amplitude(whole);
        let along = (own.0 * whole.0 + own.1 * whole.1) / (amplitude(own) * amplitude(whole));
        (0.5..=1.7).contains(&size) && along > 0.4
    });
    if chance > FALSE_ALARM || explained + double < EXPLAINS || !lasts {
        return None;
    }
    let beside = |get: &dyn Fn(&Sample) -> Option<f64>| {
        let own = level(samples, get);
        (own.len() * 10 >= points.len() * 8).then(|| amplitude(phasor(&own, f)))
    };
    Some(Swing {
        swing_c: 2.0 * amplitude(whole),
        period_s: 1.0 / f,
        cycles: span * f,
        duty: beside(&|s| s.duty),
        fan: beside(&|s| s.fan),
    })
}
