//! Eyes and instruments on what the twin printed.

use super::follow::{Followed, follow};
use super::truth::Truth;

/// Somebody who looks at a printed piece: what they say has the noise of an eye, drawn from a seed.
pub struct Eyes {
    truth: Truth,
    rng: fastrand::Rng,
}

/// Cross-section of the filament [mm²].
const FILAMENT_MM2: f64 = 2.405;

impl Eyes {
    /// Eyes for what a printer with this truth prints.
    #[must_use]
    pub fn new(truth: Truth, seed: u64) -> Self {
        Self {
            truth,
            rng: fastrand::Rng::with_seed(seed),
        }
    }

    /// A normal number, by Box and Muller.
    fn noise(&mut self, sd: f64) -> f64 {
        let (a, b) = (1.0 - self.rng.f64(), self.rng.f64());
        sd * (-2.0 * a.ln()).sqrt() * (std::f64::consts::TAU * b).cos()
    }

    /// As an eye scores: whole numbers.
    fn score(&mut self, true_score: f64, most: f64) -> f64 {
        (true_score + self.noise(0.3)).round().clamp(0.0, most)
    }

    /// Scores of bands: at each temperature [°C] bridge, overhang, strings, bond, 0 to 4.
    pub fn bands(&mut self, temps_c: &[f64]) -> Vec<[f64; 4]> {
        let truth = self.truth;
        temps_c
            .iter()
            .map(|c| truth.band(*c).map(|s| self.score(s, 4.0)))
            .collect()
    }

    /// Masses of a flow ladder's heaps [g], as a balance reads them: the file, places of the heaps in X and Y [mm], and
    /// the density [g/cm³].
    pub fn heaps(&mut self, gcode: &str, heaps: &[[[f64; 2]; 2]], density: f64) -> Vec<f64> {
        let followed = follow(gcode);
        heaps
            .iter()
            .map(|[x, y]| {
                let came: f64 = followed
                    .laid
                    .iter()
                    .filter(|l| (0..2).all(|i| (l.ends[0][i] - l.ends[1][i]).abs() < 1e-9))
                    .filter(|l| {
                        (x[0]..=x[1]).contains(&l.ends[0][0])
                            && (y[0]..=y[1]).contains(&l.ends[0][1])
                    })
                    .map(|l| {
                        let flow = l.speed_mm_s * FILAMENT_MM2;
                        l.fed_mm * self.truth.delivered(flow, l.temp_c)
                    })
                    .sum();
                let grams = came * FILAMENT_MM2 * density / 1_000.0;
                // The balance's last digit, and what sticks to the nozzle.
                ((grams + self.noise(0.002)) * 100.0).round() / 100.0
            })
            .collect()
    }

    /// Which lines keep their width where the speed changes, by number: the file, and where each lies in Y [mm].
    pub fn good_lines(&mut self, gcode: &str, lines_y: &[[f64; 2]]) -> Vec<u32> {
        let followed = follow(gcode);
        let seen: Vec<f64> = lines_y
            .iter()
            .map(|y| {
                let off = self.worst_width(&followed, *y);
                (off + self.noise(0.012)).abs()
            })
            .collect();
        good(&seen, 0.012)
    }

    /// How far a line's width is off at its worst where the speed changes [share of the width].
    fn worst_width(&self, f: &Followed, y: [f64; 2]) -> f64 {
        let line: Vec<_> = f
            .laid
            .iter()
            .filter(|l| {
                let (a, b) = (l.ends[0], l.ends[1]);
                (a[1] - b[1]).abs() < 1e-6
                    && (y[0]..=y[1]).contains(&a[1])
                    && (a[0] - b[0]).abs() > 5.0
            })
            .collect();
        line.windows(2)
            .map(|w| {
                let jump =
                    (w[1].speed_mm_s - w[0].speed_mm_s) / w[0].speed_mm_s.max(w[1].speed_mm_s);
                // What the melt lags by, less what the advance gives; as a share of the time that the eye has there.
                let left = (self.truth.pressure_s - w[1].advance_s) / self.truth.pressure_s;
                0.5 * jump * left
            })
            .max_by(|a, b| a.abs().total_cmp(&b.abs()))
            .unwrap_or(0.0)
    }

    /// Which cards close without ridges, by place: the file, and where each card lies: X, Y [mm]; the width and height of its
    /// lines [mm], and the multiplier of the profile [1].
    pub fn good_cards(
        &mut self,
        gcode: &str,
        cards: &[[[f64; 2]; 2]],
        [width, height]: [f64; 2],
        multiplier: f64,
    ) -> Vec<u32> {
        let followed = follow(gcode);
        let area = (width - height) * height + std::f64::consts::PI * height * height / 4.0;
        let top = followed.laid.iter().map(|l| l.z).fold(0.0, f64::max);
        let seen: Vec<f64> = cards
            .iter()
            .map(|[x, y]| {
                let inside =
                    |p: [f64; 2]| (x[0]..=x[1]).contains(&p[0]) && (y[0]..=y[1]).contains(&p[1]);
                let (mut fed, mut length) = (0.0, 0.0);
                for l in &followed.laid {
                    if (l.z - top).abs() < 1e-6 && l.ends.iter().all(|p| inside(*p)) {
                        fed += l.fed_mm;
                        length += (l.ends[1][0] - l.ends[0][0]).hypot(l.ends[1][1] - l.ends[0][1]);
                    }
                }
                // What is laid over what is asked for, as this filament flows.
                let laid = fed * FILAMENT_MM2 / (length * area) * multiplier / self.truth.flow;
                (laid - 1.0 + self.noise(0.006)).abs()
            })
            .collect();
        good(&seen, 0.006)
    }

    /// Strings and gaps of a piece of posts, 0 to 5: the worst that its long ways across air leave.
    pub fn posts(&mut self, gcode: &str) -> [f64; 2] {
        let followed = follow(gcode);
        let foot = followed.laid.first().map_or(0.0, |l| l.z);
        let mut ways = Vec::new();
        for c in &followed.crossed {
            if c.length_mm > 20.0 && c.z > foot + 1e-6 {
                ways.push(self.truth.after_travel(c.settings, c.temp_c));
            }
        }
        // OK because a piece has a few thousand ways.
        #[allow(clippy::cast_precision_loss)]
        let n = ways.len().max(1) as f64;
        let mean = |k: usize| ways.iter().map(|w| w[k]).sum::<f64>() / n;
        [self.score(mean(0), 5.0), self.score(mean(1), 5.0)]
    }

    /// Which teeth of two combs meet across X and Y, to half a tooth, counted from the middle: the file.
    ///
    /// The second nozzle's lines lie where its file says, moved by what its offset is off; the eye takes the pair that stands in
    /// one line.
    pub fn combs(&mut self, gcode: &str) -> [f64; 2] {
        let followed = follow(gcode);
        let long = |axis: usize, tool: u8| -> Vec<f64> {
            let mut at: Vec<f64> = followed
                .laid
                .iter()
                .filter(|l| l.tool == tool)
                .filter(|l| {
                    // Teeth that stand across this axis, and not the line that primes.
                    (l.ends[0][axis] - l.ends[1][axis]).abs() < 1e-6
                        && (8.0..20.0).contains(&(l.ends[0][1 - axis] - l.ends[1][1 - axis]).abs())
                })
                .map(|l| l.ends[0][axis])
                .collect();
            at.sort_by(f64::total_cmp);
            at
        };
        [0, 1].map(|axis| {
            let (first, second) = (long(axis, 0), long(axis, 1));
            let middle = first.len() / 2;
            let off: Vec<f64> = first
                .iter()
                .zip(&second)
                .map(|(a, b)| (b + self.truth.offset_mm[axis] - a).abs() + self.noise(0.006))
                .collect();
            let best = (0..off.len())
                .min_by(|a, b| off[*a].total_cmp(&off[*b]))
                .unwrap_or(middle);
            // OK because a comb has a few dozen teeth.
            #[allow(clippy::cast_precision_loss)]
            let tooth = |i: usize| i as f64 - middle as f64;
            // Two neighbours that stand as well: between them.
            let beside = [best.checked_sub(1), Some(best + 1)]
                .into_iter()
                .flatten()
                .find(|i| off.get(*i).is_some_and(|o| o - off[best] < 0.008));
            beside.map_or(tooth(best), |i| f64::midpoint(tooth(best), tooth(i)))
        })
    }
}

/// Those that look as good as the best one, as far as an eye can tell.
fn good(seen: &[f64], tells: f64) -> Vec<u32> {
    let best = seen.iter().copied().fold(f64::INFINITY, f64::min);
    (0_u32..)
        .zip(seen)
        .filter(|(_, s)| **s <= best + tells)
        .map(|(i, _)| i)
        .collect()
}
