//! A picture of what was printed, drawn with the application's pen: lines as wide as they came, strings where they hang.

use wattotherm_sight::{Drawing, GrayImage};

use super::eyes::{Eyes, layer_of, slow_fast_slow};
use super::follow::{Laid, Printed};

/// Longest side of a picture [pixels].
const LONGEST: f64 = 1_600.0;
/// Brightness of a dark plate, of bright plastic and of a string with light on it [0 to 255]. Invented.
const PLATE: f32 = 62.0;
const PLASTIC: f32 = 186.0;
const STRING: f32 = 205.0;

impl Eyes {
    /// A photo of two posts from the side, as many strings between them as their score has.
    pub fn photo_of_posts(&mut self, printed: &Printed) -> GrayImage {
        let [strings, _] = self.after_ways(printed);
        let mut d = Drawing::new([1_400, 1_000], PLATE);
        d.fill([120.0, 60.0], [330.0, 960.0], PLASTIC);
        d.fill([1_070.0, 60.0], [1_280.0, 960.0], PLASTIC);
        // A hair at a score of 1, a curtain at 5.
        // OK because a score lies between 0 and 5.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let count = (22.0 * (strings / 5.0).powf(1.9)).round() as u32;
        for i in 0..count {
            let y = 120.0 + 760.0 * (f64::from(i) + 0.5) / f64::from(count);
            let (fall, sag) = (20.0 * (self.part() - 0.5), 30.0 * self.part());
            let way: Vec<[f64; 2]> = (0..=40)
                .map(|k| {
                    let t = f64::from(k) / 40.0;
                    [330.0 + 740.0 * t, y + fall * t + 4.0 * sag * t * (1.0 - t)]
                })
                .collect();
            d.stroke(&way, 2.5 + 1.5 * self.part(), STRING);
        }
        self.taken(&d)
    }

    /// A photo from straight above: the last layer, every line as wide as it came. And where the picture begins and ends on the
    /// plate: X, Y [mm].
    pub fn photo_from_above(&mut self, printed: &Printed) -> (GrayImage, [[f64; 2]; 2]) {
        let layer = layer_of(printed);
        let top = printed.laid.iter().map(|l| l.z).fold(0.0, f64::max);
        // The line that primes a nozzle is its first, at the edge of the plate: a photo leaves it out.
        let mut primed = [false; 2];
        let seen: Vec<Laid> = printed
            .laid
            .iter()
            .filter(|l| std::mem::replace(&mut primed[usize::from(l.tool.min(1))], true))
            .filter(|l| (l.z - top).abs() < 1e-6)
            .map(|l| self.where_it_lies(l))
            .collect();
        let mut low = [f64::INFINITY; 2];
        let mut high = [f64::NEG_INFINITY; 2];
        for p in seen.iter().flat_map(|l| l.ends) {
            for i in 0..2 {
                low[i] = low[i].min(p[i] - 3.0);
                high[i] = high[i].max(p[i] + 3.0);
            }
        }
        if !low[0].is_finite() {
            (low, high) = ([0.0; 2], [10.0; 2]);
        }
        let scale = LONGEST / (high[0] - low[0]).max(high[1] - low[1]);
        let at = |p: [f64; 2]| [(p[0] - low[0]) * scale, (high[1] - p[1]) * scale];
        // OK because a plate's part is drawn on at most 1 600 pixels.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let size = [0, 1].map(|i| ((high[i] - low[i]) * scale).ceil() as u32);
        let mut d = Drawing::new(size, PLATE);
        let swelling = slow_fast_slow(printed);
        for l in &seen {
            let width = self.bead(l, layer);
            let line = swelling
                .iter()
                .find(|line| line.iter().any(|o| o.ends == l.ends));
            let before = line.and_then(|line| {
                let i = line.iter().position(|o| o.ends == l.ends)?;
                line.get(i.checked_sub(1)?)
            });
            let pieces = if before.is_some() { 40 } else { 1 };
            for k in 0..pieces {
                let (a, b) = (
                    f64::from(k) / f64::from(pieces),
                    f64::from(k + 1) / f64::from(pieces),
                );
                let on = |t: f64| [0, 1].map(|i| l.ends[0][i] + t * (l.ends[1][i] - l.ends[0][i]));
                let long = (l.ends[1][0] - l.ends[0][0]).abs();
                let swell = before.map_or(0.0, |o| self.swell(o, l, a * long));
                d.stroke(
                    &[at(on(a)), at(on(b))],
                    width * (1.0 + swell) * scale,
                    PLASTIC,
                );
            }
        }
        (self.taken(&d), [low, high])
    }

    /// How much wider a line is than it should be, so far [mm] behind a change of speed, as a part of its width.
    fn swell(&self, before: &Laid, l: &Laid, behind_mm: f64) -> f64 {
        let lag = self.truth().pressure_s;
        let jump = (l.speed_mm_s - before.speed_mm_s) / before.speed_mm_s.max(l.speed_mm_s);
        // What the melt lags behind, less what the advance gives; it is gone after the way that the lag takes.
        let left = (lag - l.advance_s) / lag;
        let fades = (lag * l.speed_mm_s).clamp(3.0, 12.0);
        -0.5 * jump * left * (-behind_mm / fades).exp()
    }

    /// Where a line really lies: the second nozzle's are off by what its offset is off.
    fn where_it_lies(&self, l: &Laid) -> Laid {
        let off = if l.tool == 1 {
            self.truth().offset_mm
        } else {
            [0.0; 2]
        };
        Laid {
            ends: l.ends.map(|p| [p[0] + off[0], p[1] + off[1]]),
            ..*l
        }
    }

    fn taken(&mut self, d: &Drawing) -> GrayImage {
        let mut grain = fastrand::Rng::with_seed(self.seed());
        d.taken(1.1, move || 14.0 * (grain.f32() + grain.f32() - 1.0))
    }
}
