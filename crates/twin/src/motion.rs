//! The axes: moves one after the other, each as long as metal needs for it.

use std::collections::VecDeque;

/// A way of the head.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Way {
    /// Its length [mm].
    pub length_mm: f64,
    /// Directions where it begins and where it ends; of length 1.
    enters: [f64; 3],
    leaves: [f64; 3],
}

fn unit(v: [f64; 3]) -> [f64; 3] {
    let l = v.iter().map(|c| c * c).sum::<f64>().sqrt().max(1e-12);
    v.map(|c| c / l)
}

impl Way {
    /// Along a line.
    pub fn straight(from: [f64; 3], to: [f64; 3]) -> Self {
        let d = [to[0] - from[0], to[1] - from[1], to[2] - from[2]];
        let u = unit(d);
        Self {
            length_mm: d.iter().map(|c| c * c).sum::<f64>().sqrt(),
            enters: u,
            leaves: u,
        }
    }

    /// Round a centre at I, J from the begin, or by a radius; what can't be one is a line.
    pub fn round(
        clockwise: bool,
        from: [f64; 3],
        to: [f64; 3],
        [i, j, r]: [Option<f64>; 3],
    ) -> Self {
        let (dx, dy, dz) = (to[0] - from[0], to[1] - from[1], to[2] - from[2]);
        let chord = dx.hypot(dy);
        let (ci, cj) = match r {
            None => (i.unwrap_or(0.0), j.unwrap_or(0.0)),
            Some(r) if chord > 1e-9 => {
                let off = (r * r - chord * chord / 4.0).max(0.0).sqrt() / chord;
                let off = if clockwise == (r > 0.0) { off } else { -off };
                (dx / 2.0 + off * dy, dy / 2.0 - off * dx)
            }
            Some(_) => (0.0, 0.0),
        };
        let radius = ci.hypot(cj);
        if radius < 1e-9 {
            return Self::straight(from, to);
        }
        let begin = (-cj).atan2(-ci);
        let end = (dy - cj).atan2(dx - ci);
        let turn = if clockwise { begin - end } else { end - begin };
        let mut sweep = turn.rem_euclid(std::f64::consts::TAU);
        if chord < 1e-9 {
            sweep = std::f64::consts::TAU;
        }
        let side = if clockwise { -1.0 } else { 1.0 };
        let flat = radius * sweep;
        let heading = |a: f64| unit([-a.sin() * side, a.cos() * side, dz / flat.max(1e-9)]);
        Self {
            length_mm: flat.hypot(dz),
            enters: heading(begin),
            leaves: heading(begin + side * sweep),
        }
    }
}

/// Moves under way.
#[derive(Clone, Debug)]
pub(crate) struct Motion {
    /// Seconds of each, the one under way first.
    queue: VecDeque<f64>,
    /// Direction and speed [mm/s] at the end of the last.
    last: Option<([f64; 3], f64)>,
    /// Share of the speed asked for.
    pub speed: f64,
    /// Seconds moved since it was switched on.
    pub moved_s: f64,
}

impl Default for Motion {
    fn default() -> Self {
        Self {
            queue: VecDeque::new(),
            last: None,
            speed: 1.0,
            moved_s: 0.0,
        }
    }
}

impl Motion {
    /// How many moves are under way.
    pub fn len(&self) -> usize {
        self.queue.len()
    }

    /// Whether nothing moves.
    pub fn is_still(&self) -> bool {
        self.queue.is_empty()
    }

    /// Everything stands at once.
    pub fn stand(&mut self) {
        self.queue.clear();
        self.last = None;
    }

    /// Seconds of a move at a speed [mm/s] with an acceleration [mm/s²]: a corner is taken as fast as the way goes
    /// straight on, so a right angle is a stop. Invented, and not the planner of core.
    pub fn seconds(&self, way: &Way, asked_mm_s: f64, accel: f64) -> f64 {
        let v = asked_mm_s * self.speed;
        let accel = accel.max(10.0);
        let through = self.last.filter(|_| !self.queue.is_empty()).map_or(
            0.0,
            |(was, speed): ([f64; 3], f64)| {
                let along: f64 = (0..3).map(|i| was[i] * way.enters[i]).sum();
                along.max(0.0).powi(2) * speed.min(v)
            },
        );
        // Gaining speed takes longer than the speed alone; a short move never gets there.
        let gain = (v - through).powi(2) / (2.0 * accel * v);
        let never = (2.0 * way.length_mm / accel).sqrt();
        (way.length_mm / v + gain).min((way.length_mm / v).max(never))
    }

    /// Puts a move behind the others.
    pub fn add(&mut self, way: Way, seconds: f64) {
        self.queue.push_back(seconds);
        self.last = Some((way.leaves, way.length_mm / seconds.max(1e-9)));
    }

    /// Lets time pass [s].
    pub fn pass(&mut self, mut seconds: f64) {
        while seconds > 0.0 {
            let Some(front) = self.queue.front_mut() else {
                return;
            };
            let takes = front.min(seconds);
            *front -= takes;
            seconds -= takes;
            self.moved_s += takes;
            if *front <= 1e-12 {
                self.queue.pop_front();
            }
        }
    }
}
