//! Eyes and instruments on what the twin printed: they find its parts by themselves, as one who looks does.

use std::collections::BTreeMap;

use super::follow::{Laid, Printed};
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

    /// A number between 0 and 1.
    pub(super) fn part(&mut self) -> f64 {
        self.rng.f64()
    }

    pub(super) fn seed(&mut self) -> u64 {
        self.rng.u64(..)
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

    /// Temperatures of a tower's bands, from the plate up, as they were asked for to the degree [°C].
    #[must_use]
    pub fn band_temps(printed: &Printed) -> Vec<f64> {
        let mut layers: BTreeMap<i64, (f64, usize)> = BTreeMap::new();
        for l in above_the_first(printed) {
            // OK because a printer is colder than the sun.
            #[allow(clippy::cast_possible_truncation)]
            let band = layers.entry(l.asked_c.round() as i64).or_insert((l.z, 0));
            band.1 += 1;
        }
        let most = layers.values().map(|(_, n)| *n).max().unwrap_or(0);
        let mut bands: Vec<(f64, i64)> = layers
            .iter()
            .filter(|(_, (_, n))| n * 4 > most)
            .map(|(c, (z, _))| (*z, *c))
            .collect();
        bands.sort_by(|a, b| a.0.total_cmp(&b.0));
        // OK because a temperature is a small number.
        #[allow(clippy::cast_precision_loss)]
        bands.iter().map(|(_, c)| *c as f64).collect()
    }

    /// Masses of a flow ladder's heaps [g], as a balance reads them, in the order they were laid; the density [g/cm³].
    pub fn heaps(&mut self, printed: &Printed, density: f64) -> Vec<f64> {
        let mut heaps: Vec<([f64; 2], f64)> = Vec::new();
        for l in &printed.laid {
            let stands = (0..2).all(|i| (l.ends[0][i] - l.ends[1][i]).abs() < 1e-9);
            // What comes out while the nozzle stands, and more than a drop.
            if !stands || l.fed_mm < 5.0 {
                continue;
            }
            let flow = l.speed_mm_s * FILAMENT_MM2;
            let came = l.fed_mm * self.truth.delivered(flow, l.temp_c);
            let at = l.ends[0];
            match heaps
                .iter_mut()
                .find(|(p, _)| (p[0] - at[0]).hypot(p[1] - at[1]) < 2.0)
            {
                Some((_, all)) => *all += came,
                None => heaps.push((at, came)),
            }
        }
        heaps
            .iter()
            .map(|(_, came)| {
                let grams = came * FILAMENT_MM2 * density / 1_000.0;
                // The balance's last digit, and what sticks to the nozzle.
                ((grams + self.noise(0.002)) * 100.0).round() / 100.0
            })
            .collect()
    }

    /// Which lines keep their width where the speed changes, by number from the front.
    pub fn good_lines(&mut self, printed: &Printed) -> Vec<u32> {
        let seen: Vec<f64> = slow_fast_slow(printed)
            .iter()
            .map(|line| {
                let off = self.worst_width(line);
                (off + self.noise(0.012)).abs()
            })
            .collect();
        good(&seen, 0.012)
    }

    /// How far a line's width is off at its worst where the speed changes [share of the width].
    fn worst_width(&self, line: &[Laid]) -> f64 {
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

    /// Which cards close without ridges, by place: row by row from the front, each from the left.
    ///
    /// What closes is what fills the room between its neighbours: distance of the lines times height of the layer.
    pub fn good_cards(&mut self, printed: &Printed) -> Vec<u32> {
        let seen: Vec<f64> = cards(printed)
            .iter()
            .map(|laid_over_room| {
                let full = laid_over_room / self.truth.flow;
                (full - 1.0 + self.noise(0.006)).abs()
            })
            .collect();
        good(&seen, 0.006)
    }

    /// Thickness of a single-wall box's four walls, front, right, back, left, each low and high, as a caliper finds it [mm];
    /// none where no box lies there.
    pub fn walls(&mut self, printed: &Printed) -> Option<[[f64; 2]; 4]> {
        /// Lines over each other that make a wall, a number of.
        const LINES: usize = 8;
        let part: Vec<&Laid> = above_the_first(printed)
            .filter(|l| l.length() > 5.0)
            .collect();
        let reach = |axis: usize| {
            let all = || part.iter().map(|l| l.ends[0][axis]);
            [
                all().fold(f64::INFINITY, f64::min),
                all().fold(f64::NEG_INFINITY, f64::max),
            ]
        };
        let [[left, right], [front, back]] = [reach(0), reach(1)];
        let mut found = [[0.0; 2]; 4];
        for (side, (axis, at)) in [(1, front), (0, right), (1, back), (0, left)]
            .into_iter()
            .enumerate()
        {
            let wall: Vec<&&Laid> = part
                .iter()
                .filter(|l| l.ends.iter().all(|p| (p[axis] - at).abs() < 1e-6))
                .collect();
            let n = wall.len();
            if n < LINES {
                return None;
            }
            found[side] = [n / 4, 3 * n / 4].map(|i| {
                // A spiral rises all the way: how high a line is, is how far the one of the next turn lies above it.
                let width = self.bead(wall[i], wall[i + 1].z - wall[i].z);
                ((width + self.noise(0.008)) * 100.0).round() / 100.0
            });
        }
        Some(found)
    }

    /// First-layer patches, peeled off: the middle of each from the front left, row by row, and how thick a caliper
    /// finds it [mm].
    ///
    /// A patch is as thick as the room under the nozzle, where enough is fed to fill it.
    pub fn patches(&mut self, printed: &Printed) -> Vec<[f64; 3]> {
        // The line that primes lies alone; a patch has many lines.
        let piles: Vec<Vec<&Laid>> = piles(printed.laid.iter().collect())
            .into_iter()
            .filter(|pile| pile.len() > 8)
            .collect();
        let mut found: Vec<[f64; 3]> = piles
            .iter()
            .map(|pile| {
                let middle = [0, 1].map(|i| {
                    let all = || pile.iter().flat_map(|l| l.ends).map(|p| p[i]);
                    f64::midpoint(
                        all().fold(f64::INFINITY, f64::min),
                        all().fold(f64::NEG_INFINITY, f64::max),
                    )
                });
                [middle[0], middle[1], pile[0].z + pile[0].lifted_mm]
            })
            .collect();
        // OK because a plate has a few patches.
        #[allow(clippy::cast_precision_loss)]
        let n = found.len().max(1) as f64;
        let middle = [0, 1].map(|i| found.iter().map(|p| p[i]).sum::<f64>() / n);
        let truth = self.truth;
        for p in &mut found {
            let slope: f64 = (0..2).map(|i| truth.tilts[i] * (p[i] - middle[i])).sum();
            let room = (p[2] + truth.high_mm + slope).max(0.02);
            p[2] = ((room + self.noise(0.006)) * 100.0).round() / 100.0;
        }
        found.sort_by(|a, b| {
            (a[1] / 8.0)
                .round()
                .total_cmp(&(b[1] / 8.0).round())
                .then(a[0].total_cmp(&b[0]))
        });
        found
    }

    /// Sizes of a cube as a caliper finds them, X, Y, Z [mm].
    pub fn cube(&mut self, printed: &Printed) -> [f64; 3] {
        let mut low = [f64::INFINITY; 2];
        let mut high = [f64::NEG_INFINITY; 2];
        let mut top = 0.0_f64;
        let part: Vec<&Laid> = above_the_first(printed).collect();
        for l in &part {
            for p in l.ends {
                for i in 0..2 {
                    low[i] = low[i].min(p[i]);
                    high[i] = high[i].max(p[i]);
                }
            }
        }
        let layer = layer_of(printed);
        // The jaws close on the outer walls, and beside the letters on top.
        let outer: Vec<f64> = part
            .iter()
            .filter(|l| l.ends.iter().all(|p| (p[0] - low[0]).abs() < 1e-6))
            .map(|l| {
                top = top.max(l.z);
                self.bead(l, layer)
            })
            .collect();
        let width = outer.get(outer.len() / 2).copied().unwrap_or(0.0);
        let truth = self.truth;
        let mut caliper = |v: f64| ((v + self.noise(0.008)) * 100.0).round() / 100.0;
        [
            caliper((high[0] - low[0] + width) * (1.0 - truth.shrinks) - truth.backlash_mm[0]),
            caliper((high[1] - low[1] + width) * (1.0 - truth.shrinks) - truth.backlash_mm[1]),
            caliper(top * (1.0 - truth.shrinks)),
        ]
    }

    /// Width of a bead [mm] of a layer's height [mm].
    pub(super) fn bead(&self, l: &Laid, layer: f64) -> f64 {
        if l.length() < 1e-6 {
            return 0.0;
        }
        let area = l.fed_mm * FILAMENT_MM2 / l.length() / self.truth.flow;
        area / layer + layer * (1.0 - std::f64::consts::FRAC_PI_4)
    }

    pub(super) fn truth(&self) -> &Truth {
        &self.truth
    }

    /// Strings and gaps of a piece of posts, 0 to 5: what its long ways across air leave.
    pub fn posts(&mut self, printed: &Printed) -> [f64; 2] {
        let [strings, gaps] = self.after_ways(printed);
        [self.score(strings, 5.0), self.score(gaps, 5.0)]
    }

    /// Strings and gaps that the long ways across air leave [score], before any eye.
    pub(super) fn after_ways(&self, printed: &Printed) -> [f64; 2] {
        let foot = printed.laid.first().map_or(0.0, |l| l.z);
        let mut ways = Vec::new();
        for c in &printed.crossed {
            if c.length_mm > 20.0 && c.z > foot + 1e-6 {
                ways.push(self.truth.after_travel(c.settings, c.temp_c));
            }
        }
        // OK because a piece has a few thousand ways.
        #[allow(clippy::cast_precision_loss)]
        let n = ways.len().max(1) as f64;
        let mean = |k: usize| ways.iter().map(|w| w[k]).sum::<f64>() / n;
        [mean(0), mean(1)]
    }

    /// Which teeth of two combs meet across X and Y, to half a tooth, counted from the middle.
    ///
    /// The second nozzle's lines lie where its file says, moved by what its offset is off; the eye takes the pair that stands in
    /// one line.
    pub fn combs(&mut self, printed: &Printed) -> [f64; 2] {
        let long = |axis: usize, tool: u8| -> Vec<f64> {
            let mut at: Vec<f64> = printed
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

/// Beads above the first layer.
fn above_the_first(printed: &Printed) -> impl Iterator<Item = &Laid> {
    let first = printed
        .laid
        .iter()
        .map(|l| l.z)
        .fold(f64::INFINITY, f64::min);
    printed.laid.iter().filter(move |l| l.z > first + 1e-6)
}

/// Height of a layer [mm]: the least step between two heights that something was laid at; of a single layer its own.
pub(super) fn layer_of(printed: &Printed) -> f64 {
    let mut z: Vec<f64> = printed.laid.iter().map(|l| l.z).collect();
    z.sort_by(f64::total_cmp);
    z.windows(2)
        .map(|w| w[1] - w[0])
        .filter(|d| *d > 1e-3)
        .fold(f64::INFINITY, f64::min)
        .min(z.first().copied().unwrap_or(0.2).max(0.05))
}

/// Lines of three speeds, from the front to the back, each with its three parts.
pub(super) fn slow_fast_slow(printed: &Printed) -> Vec<Vec<Laid>> {
    let mut lines: Vec<Vec<Laid>> = Vec::new();
    for l in &printed.laid {
        let (a, b) = (l.ends[0], l.ends[1]);
        if (a[1] - b[1]).abs() > 1e-6 || (a[0] - b[0]).abs() < 5.0 {
            continue;
        }
        match lines
            .iter_mut()
            .find(|line| (line[0].ends[0][1] - a[1]).abs() < 1e-3)
        {
            Some(line) => line.push(*l),
            None => lines.push(vec![*l]),
        }
    }
    lines.retain(|line| {
        line.len() == 3
            && line[1].speed_mm_s > 1.3 * line[0].speed_mm_s
            && line[1].speed_mm_s > 1.3 * line[2].speed_mm_s
    });
    lines.sort_by(|a, b| a[0].ends[0][1].total_cmp(&b[0].ends[0][1]));
    lines
}

/// Lines in piles of those that lie beside each other.
fn piles(lines: Vec<&Laid>) -> Vec<Vec<&Laid>> {
    let mut piles: Vec<Vec<&Laid>> = Vec::new();
    for l in lines {
        let near = |o: &&Laid| {
            let across = |i: usize| {
                let (a, b) = (l.ends.map(|p| p[i]), o.ends.map(|p| p[i]));
                a[0].min(a[1]) - b[0].max(b[1]) < 1.5 && b[0].min(b[1]) - a[0].max(a[1]) < 1.5
            };
            across(0) && across(1)
        };
        match piles.iter_mut().find(|p| p.iter().rev().take(60).any(near)) {
            Some(p) => p.push(l),
            None => piles.push(vec![l]),
        }
    }
    piles
}

/// Cards by place, row by row from the front: what was laid on top of each over the room between its lines [1].
fn cards(printed: &Printed) -> Vec<f64> {
    let top = printed.laid.iter().map(|l| l.z).fold(0.0, f64::max);
    let layer = layer_of(printed);
    // Lines of one card lie beside each other; cards don't.
    let piles = piles(
        printed
            .laid
            .iter()
            .filter(|l| (l.z - top).abs() < 1e-6)
            .collect(),
    );
    let mut found: Vec<([f64; 2], f64)> = Vec::new();
    for pile in piles {
        let turned =
            |l: &Laid| (l.ends[0][1] - l.ends[1][1]).abs() > (l.ends[0][0] - l.ends[1][0]).abs();
        let longest = pile.iter().map(|l| l.length()).fold(0.0, f64::max);
        let lines: Vec<&&Laid> = pile.iter().filter(|l| l.length() > 0.9 * longest).collect();
        if lines.len() < 6 {
            continue;
        }
        let axis = usize::from(!turned(lines[0]));
        let mut at: Vec<f64> = lines.iter().map(|l| l.ends[0][axis]).collect();
        at.sort_by(f64::total_cmp);
        let mut apart: Vec<f64> = at
            .windows(2)
            .map(|w| w[1] - w[0])
            .filter(|d| *d > 0.05)
            .collect();
        apart.sort_by(f64::total_cmp);
        let Some(spacing) = apart.get(apart.len() / 2) else {
            continue;
        };
        let fed: f64 = lines.iter().map(|l| l.fed_mm).sum();
        let length: f64 = lines.iter().map(|l| l.length()).sum();
        let corner = [0, 1].map(|i| {
            pile.iter()
                .flat_map(|l| l.ends)
                .map(|p| p[i])
                .fold(f64::INFINITY, f64::min)
        });
        found.push((corner, fed * FILAMENT_MM2 / (length * spacing * layer)));
    }
    found.sort_by(|a, b| {
        let row = |p: [f64; 2]| (p[1] / 8.0).round();
        row(a.0)
            .total_cmp(&row(b.0))
            .then(a.0[0].total_cmp(&b.0[0]))
    });
    found.into_iter().map(|(_, full)| full).collect()
}
