//! Lines in a row of pixels: where each one's edges are, between the pixels.

use statrs::function::erf::erf;

use super::field::{Field, SightError, median, smooth};

/// A line in one row: its edges [pixels].
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Ridge {
    pub from: f64,
    pub to: f64,
    /// How steep its edges are, as a part of its height [1/pixel].
    pub steep: f64,
}

impl Ridge {
    /// Half way between its edges [pixels].
    pub fn centre(&self) -> f64 {
        f64::midpoint(self.from, self.to)
    }

    /// From edge to edge [pixels].
    pub fn width(&self) -> f64 {
        self.to - self.from
    }
}

/// How far a row of means goes up and down, slow changes left out.
fn ripple(p: &[f64]) -> f64 {
    // OK because a field has at most 2 400 pixels a side.
    #[allow(clippy::cast_precision_loss)]
    let slow = smooth(p, p.len() as f64 / 6.0);
    p.iter()
        .zip(&slow)
        .map(|(a, b)| (a - b).powi(2))
        .sum::<f64>()
        / slow.len().max(1) as f64
}

/// The field turned so that its lines run from top to bottom.
pub(crate) fn upright(field: Field) -> Field {
    let across = ripple(&smooth(&field.mean_row(0, field.h), 1.0));
    let turned = field.turn();
    if ripple(&smooth(&turned.mean_row(0, turned.h), 1.0)) > across {
        turned
    } else {
        turned.turn()
    }
}

/// 1 where lines are brighter than the free edge of the field, -1 where they are darker.
///
/// The edge is the plate: a person leaves a little of it around. Lines may fill half of the rest.
pub(crate) fn polarity(p: &[f64]) -> f64 {
    let edge = (p.len() / 60).max(2);
    let plate = f64::midpoint(median(&p[..edge]), median(&p[p.len() - edge..]));
    let high = p.iter().copied().fold(f64::MIN, f64::max);
    let low = p.iter().copied().fold(f64::MAX, f64::min);
    if high - plate >= plate - low {
        1.0
    } else {
        -1.0
    }
}

/// Value where it crosses a level between two pixels.
fn crossing(p: &[f64], i: usize, j: usize, level: f64) -> f64 {
    // OK because a field has at most 2 400 pixels a side.
    #[allow(clippy::cast_precision_loss)]
    let (a, b) = (i as f64, j as f64);
    let step = p[j] - p[i];
    if step.abs() < 1e-12 {
        return f64::midpoint(a, b);
    }
    a + (b - a) * (level - p[i]) / step
}

/// How much a line must stand out, as a part of all that the row goes up and down [1]. Own judgement.
const STANDS_OUT: f64 = 0.3;

/// Lines of a row. Each edge lies where the row is half way between the line and the plate beside it: a blur as wide on
/// both sides moves that by nothing.
pub(crate) fn ridges(row: &[f64], sign: f64) -> Vec<Ridge> {
    let p: Vec<f64> = smooth(row, 1.0).iter().map(|v| v * sign).collect();
    let mut sorted = p.clone();
    sorted.sort_by(f64::total_cmp);
    let rank = |share: usize| sorted[(sorted.len() - 1) * share / 100];
    let least = STANDS_OUT * (rank(98) - rank(2));
    // Peaks and the valleys between them, alternating, by a change of at least `least`.
    let (mut peaks, mut valleys) = (Vec::new(), vec![0_usize]);
    let (mut high, mut low) = (0_usize, 0_usize);
    let mut rising = true;
    for i in 0..p.len() {
        if rising {
            if p[i] > p[high] {
                high = i;
            }
            if p[i] < p[low] && peaks.len() + 1 == valleys.len() && p[high] - p[low] < least {
                low = i;
                high = i;
                if let Some(v) = valleys.last_mut() {
                    *v = i;
                }
            } else if p[high] - p[i] >= least && p[high] - p[valleys[valleys.len() - 1]] >= least {
                peaks.push(high);
                low = i;
                rising = false;
            }
        } else {
            if p[i] < p[low] {
                low = i;
            }
            if p[i] - p[low] >= least {
                valleys.push(low);
                high = i;
                rising = true;
            }
        }
    }
    if !rising {
        valleys.push(low);
    }
    peaks
        .iter()
        .zip(valleys.windows(2))
        .map(|(peak, valley)| {
            let top = p[*peak];
            let edge = |towards: usize, step: isize| {
                let level = f64::midpoint(top, p[towards]);
                let mut i = *peak;
                while i != towards {
                    let next = i.saturating_add_signed(step);
                    if p[next] < level {
                        let steep = (p[i] - p[next]) / (top - p[towards]);
                        return (crossing(&p, i, next, level), steep);
                    }
                    i = next;
                }
                // OK because a field has at most 2 400 pixels a side.
                #[allow(clippy::cast_precision_loss)]
                let end = towards as f64;
                (end, 1.0)
            };
            let ((from, left), (to, right)) = (edge(valley[0], -1), edge(valley[1], 1));
            Ridge {
                from,
                to,
                steep: f64::midpoint(left, right),
            }
        })
        .collect()
}

/// A straight line through (x, y) by least squares: its value at 0 and its slope.
pub(crate) fn straight(x: &[f64], y: &[f64]) -> [f64; 2] {
    // OK because there are a few dozen lines.
    #[allow(clippy::cast_precision_loss)]
    let n = x.len() as f64;
    let (mx, my) = (x.iter().sum::<f64>() / n, y.iter().sum::<f64>() / n);
    let over: f64 = x.iter().zip(y).map(|(a, b)| (a - mx) * (b - my)).sum();
    let under: f64 = x.iter().map(|a| (a - mx).powi(2)).sum();
    let slope = over / under;
    [my - slope * mx, slope]
}

/// The lines of each of several slices along a field, all with the same number of lines; and which slices they are.
pub(crate) fn in_slices(
    field: &Field,
    slices: usize,
    sign: f64,
    wanted: usize,
) -> Result<Vec<(usize, Vec<Ridge>)>, SightError> {
    let all: Vec<Vec<Ridge>> = (0..slices)
        .map(|s| {
            let (from, to) = (s * field.h / slices, (s + 1) * field.h / slices);
            ridges(&field.mean_row(from, to), sign)
        })
        .collect();
    let good: Vec<_> = all
        .iter()
        .enumerate()
        .filter(|(_, r)| r.len() == wanted)
        .map(|(s, r)| (s, r.clone()))
        .collect();
    if good.len() * 3 < slices * 2 {
        let mut seen: Vec<usize> = all.iter().map(Vec::len).collect();
        seen.sort_unstable();
        let seen = seen[seen.len() / 2];
        return Err(if seen == 0 || seen > 3 * wanted || seen == wanted {
            SightError::Faint
        } else {
            SightError::Count { seen, wanted }
        });
    }
    Ok(good)
}

/// A line of a width behind a blur: its brightness at a distance from its middle, as a part of what it would be without.
fn blurred(x: f64, width: f64, sigma: f64) -> f64 {
    let part = |at: f64| 0.5 * erf(at / (sigma * std::f64::consts::SQRT_2));
    part(x + width / 2.0) - part(x - width / 2.0)
}

/// True width behind a blur whose half-height width is this [pixels]: a narrow line looks wider than it is.
pub(crate) fn without_blur(half_height: f64, sigma: f64) -> f64 {
    let (mut low, mut high) = (0.0, half_height);
    for _ in 0..40 {
        let w = f64::midpoint(low, high);
        if blurred(half_height / 2.0, w.max(1e-6), sigma) > 0.5 * blurred(0.0, w.max(1e-6), sigma) {
            high = w;
        } else {
            low = w;
        }
    }
    f64::midpoint(low, high)
}

/// Blur of a photo [pixels], from how steep edges of lines of a half-height width are.
pub(crate) fn blur_of(half_height: f64, steep: f64) -> f64 {
    // No blur is wider than a bell that has the line's own half-height width.
    let (mut low, mut high) = (0.2, half_height / 2.36);
    if high <= low {
        return low;
    }
    for _ in 0..40 {
        let sigma = f64::midpoint(low, high);
        let width = without_blur(half_height, sigma).max(1e-6);
        let bell = |x: f64| (-x * x / (2.0 * sigma * sigma)).exp() / (sigma * 2.506_628_275);
        let at = half_height / 2.0;
        let edge = bell(at - width / 2.0) - bell(at + width / 2.0);
        if edge / blurred(0.0, width, sigma) > steep {
            low = sigma;
        } else {
            high = sigma;
        }
    }
    f64::midpoint(low, high)
}
