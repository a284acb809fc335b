//! G2 and G3: round moves in the plane of X and Y, helical where Z goes along.

use std::f64::consts::TAU;

/// A round move.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Arc {
    /// Its centre in X and Y [mm].
    pub centre_mm: [f64; 2],
    /// Its radius [mm].
    pub radius_mm: f64,
    /// Angle at which it begins [rad].
    pub from_rad: f64,
    /// Angle that it goes through [rad]; positive anticlockwise.
    pub sweep_rad: f64,
}

impl Arc {
    /// Reads a round move between two places [mm] by its centre (I, J from the begin) or its radius (R, negative for
    /// the longer way). `i`, `j`, `r` in mm.
    ///
    /// Source: ISO 6983-1 and NIST IR 6556, 3.5.3 (arc at feed rate). From the same place to the same place by its
    /// centre is a full circle; by a radius it is none, since every circle through it would do.
    /// # Errors
    /// What is wrong, in words.
    pub fn read(
        clockwise: bool,
        from: [f64; 2],
        to: [f64; 2],
        [i, j, r]: [Option<f64>; 3],
    ) -> Result<Self, &'static str> {
        let (dx, dy) = (to[0] - from[0], to[1] - from[1]);
        let chord = dx.hypot(dy);
        let centre = if let Some(r) = r {
            if chord < 1e-9 {
                return Err("a circle by its radius needs another end; write I and J");
            }
            // A file's last digit may leave the radius a little short of half the chord.
            let half = 0.5 * chord;
            if r.abs() < half * (1.0 - 1e-3) - 1e-3 {
                return Err("the radius is too small for the way");
            }
            let off = (r * r - half * half).max(0.0).sqrt() / chord;
            let side = if clockwise == (r > 0.0) { 1.0 } else { -1.0 };
            [
                from[0] + 0.5 * dx + side * off * dy,
                from[1] + 0.5 * dy - side * off * dx,
            ]
        } else {
            if i.is_none() && j.is_none() {
                return Err("a round move needs I and J, or R");
            }
            [from[0] + i.unwrap_or(0.0), from[1] + j.unwrap_or(0.0)]
        };
        let radius_mm = (from[0] - centre[0]).hypot(from[1] - centre[1]);
        if radius_mm < 1e-9 {
            return Err("a round move without a radius");
        }
        let from_rad = (from[1] - centre[1]).atan2(from[0] - centre[0]);
        let to_rad = (to[1] - centre[1]).atan2(to[0] - centre[0]);
        let mut sweep_rad = (to_rad - from_rad).rem_euclid(TAU);
        if chord < 1e-9 {
            sweep_rad = TAU;
        }
        if clockwise {
            sweep_rad = if chord < 1e-9 { -TAU } else { sweep_rad - TAU };
        }
        Ok(Self {
            centre_mm: centre,
            radius_mm,
            from_rad,
            sweep_rad,
        })
    }

    /// Length in the plane [mm].
    #[must_use]
    pub fn length_mm(&self) -> f64 {
        self.radius_mm * self.sweep_rad.abs()
    }

    /// The place in the plane [mm] at a part of the way, 0 to 1.
    #[must_use]
    pub fn at(&self, part: f64) -> [f64; 2] {
        let (sin, cos) = (self.from_rad + part * self.sweep_rad).sin_cos();
        [
            self.centre_mm[0] + self.radius_mm * cos,
            self.centre_mm[1] + self.radius_mm * sin,
        ]
    }

    /// The direction in the plane at a part of the way, 0 to 1; its length is 1.
    #[must_use]
    pub fn heading(&self, part: f64) -> [f64; 2] {
        let (sin, cos) = (self.from_rad + part * self.sweep_rad).sin_cos();
        let way = self.sweep_rad.signum();
        [-sin * way, cos * way]
    }

    /// The largest part of its speed that each of X and Y takes on the way [1].
    #[must_use]
    pub fn largest_heading(&self) -> [f64; 2] {
        let (lo, hi) = if self.sweep_rad < 0.0 {
            (self.from_rad + self.sweep_rad, self.from_rad)
        } else {
            (self.from_rad, self.from_rad + self.sweep_rad)
        };
        // X moves fastest where the radius stands along Y, and the other way round.
        let quarter = TAU / 4.0;
        let passes = |first: f64| {
            let n = ((lo - first) / (2.0 * quarter)).ceil();
            first + n * 2.0 * quarter <= hi
        };
        let ends = |axis: usize| {
            self.heading(0.0)[axis]
                .abs()
                .max(self.heading(1.0)[axis].abs())
        };
        [
            if passes(quarter) { 1.0 } else { ends(0) },
            if passes(0.0) { 1.0 } else { ends(1) },
        ]
    }

    /// What it covers of X and Y: least and largest [mm].
    #[must_use]
    pub fn covers_mm(&self) -> [[f64; 2]; 2] {
        let mut out = [[f64::INFINITY, f64::NEG_INFINITY]; 2];
        let mut take = |place: [f64; 2]| {
            for (range, at) in out.iter_mut().zip(place) {
                range[0] = range[0].min(at);
                range[1] = range[1].max(at);
            }
        };
        take(self.at(0.0));
        take(self.at(1.0));
        let quarter = TAU / 4.0;
        for k in -8..=8 {
            let part = (f64::from(k) * quarter - self.from_rad) / self.sweep_rad;
            if (0.0..=1.0).contains(&part) {
                take(self.at(part));
            }
        }
        out
    }
}
