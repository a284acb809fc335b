//! Text that stands out from a wall: of each stroke what one layer cuts.

use super::pen::Pen;
use super::solid::Prism;
use super::strokes::strokes;

/// What a layer at a height above the text's foot [mm] lays of a text so high [mm], along the wall from its left end: pieces
/// from, to [mm], left to right. `thick`: how thick a stroke is [mm].
fn raised(text: &str, high: f64, at: f64, thick: f64) -> Vec<[f64; 2]> {
    let half = thick / 2.0;
    let mut cuts: Vec<[f64; 2]> = strokes(text, high)
        .0
        .into_iter()
        .filter_map(|[a, b]| {
            let (low, top) = (a[1].min(b[1]), a[1].max(b[1]));
            if at < low - half || at > top + half {
                return None;
            }
            if top - low < 1e-9 {
                return Some([a[0].min(b[0]) - half, a[0].max(b[0]) + half]);
            }
            let lean = (b[0] - a[0]) / (b[1] - a[1]);
            let x = a[0] + lean * (at.clamp(low, top) - a[1]);
            let wide = half * lean.hypot(1.0);
            Some([x - wide, x + wide])
        })
        .collect();
    cuts.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let mut joined: Vec<[f64; 2]> = Vec::new();
    for cut in cuts {
        match joined.last_mut() {
            Some(last) if cut[0] <= last[1] + half => last[1] = last[1].max(cut[1]),
            _ => joined.push(cut),
        }
    }
    joined
}

/// A layer of a band.
#[derive(Clone, Copy)]
pub(super) struct InBand {
    /// Which layer of the band, from 0.
    pub k: u32,
    /// How many layers the band has.
    pub of: u32,
    /// How high a layer is [mm].
    pub height: f64,
    /// Top of this layer [mm].
    pub z: f64,
}

/// Letters take at most this share of a band's height [1].
const MOST_OF_BAND: f64 = 0.6;
/// Letters lower than so many lines can't be read [1]. Our own estimate, no source.
const LEAST_LINES: f64 = 5.0;
/// Lines that stay free beside a number, both sides together [1].
const FREE_LINES: f64 = 2.0;
/// Shortest bead that is laid for a dot [mm].
const DOT_MM: f64 = 0.3;

/// A band's value, standing out by one line from the front of a pillar so wide [mm] that begins at a place: what one layer
/// lays of it. Where a bore is too wide for the letters, there is none.
pub(super) fn number(pen: &mut Pen<'_>, text: &str, [x, y]: [f64; 2], wide: f64, layer: InBand) {
    let w = pen.facts.width();
    let band = f64::from(layer.of) * layer.height;
    // How long the text is grows with how high it is; its strokes stand out at both ends by half a line.
    let unit = strokes(text, 1.0).1;
    let high = ((wide - (FREE_LINES + 1.0) * w) / unit).min(band * MOST_OF_BAND);
    if high < LEAST_LINES * w {
        return;
    }
    let left = x + (wide - high * unit) / 2.0;
    let at = (f64::from(layer.k) + 0.5) * layer.height - (band - high) / 2.0;
    for [from, to] in raised(text, high, at, w) {
        // A bead is rounded at both ends by half its width.
        let a = left + from + w / 2.0;
        let b = (left + to - w / 2.0).max(a + DOT_MM);
        pen.go([a, y - w / 2.0]);
        pen.line([b, y - w / 2.0]);
        pen.body.push(Prism::cuboid(
            [a - w / 2.0, y - w],
            [b + w / 2.0, y],
            [layer.z - layer.height, layer.z],
        ));
    }
}

#[cfg(test)]
mod tests {
    use super::raised;

    #[test]
    fn a_zero_is_two_posts_between_two_beams() {
        let cut = |at: f64| raised("0", 4.0, at, 0.5);
        assert_eq!(cut(0.0), [[-0.25, 2.25]]);
        assert_eq!(cut(4.0), [[-0.25, 2.25]]);
        assert_eq!(cut(2.0), [[-0.25, 0.25], [1.75, 2.25]]);
        assert!(cut(4.5).is_empty() && cut(-0.5).is_empty());
    }

    #[test]
    fn letters_beside_each_other_stay_apart() {
        assert_eq!(raised("11", 4.0, 1.0, 0.4).len(), 2);
        // Higher up each has its flag beside its post.
        assert_eq!(raised("11", 4.0, 3.2, 0.4).len(), 4);
    }
}
