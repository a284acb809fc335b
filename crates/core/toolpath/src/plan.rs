//! The speed along a path, and from it the time and what binds.

use serde::Serialize;
use utoipa::ToSchema;

/// What binds, in this order everywhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Nominal {
    /// The speed that the file asks for.
    Commanded,
    /// The top speed of an axis, or of a curve under its acceleration.
    Axis,
    /// The volumetric limit.
    Flow,
}

/// A move as the planner sees it.
#[derive(Clone, Copy, Debug)]
pub struct Segment {
    /// Length along the path [mm]; of the filament where nothing else moves.
    pub length_mm: f64,
    /// Square of the highest speed on it [mm²/s²].
    pub top2: f64,
    /// Acceleration along it [mm/s²].
    pub accel_mm_s2: f64,
    /// Square of the speed [mm²/s²] at which it may be entered; no more than either move's top speed.
    pub entry2: f64,
    /// Whether a corner (and not one of the two top speeds) makes that bound.
    pub held: bool,
    /// What makes its top speed.
    pub nominal: Nominal,
    /// Whose time it is: an index of the caller's.
    pub owner: u32,
    /// What it is to the caller.
    pub kind: u8,
}

/// Speeds and seconds of a planned move.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Profile {
    /// Speed at its begin, at its fastest, at its end [mm/s].
    pub speeds_mm_s: [f64; 3],
    /// Time to gain speed, at speed, and to lose it [s].
    pub phases_s: [f64; 3],
    /// What binds.
    pub binds: Binds,
}

/// Seconds by what binds.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, ToSchema)]
pub struct Binds {
    /// At the speed the file asks for [s].
    pub commanded_s: f64,
    /// Gaining or losing speed [s].
    pub acceleration_s: f64,
    /// Held by a corner: within a quarter of its speed on a ramp from or to it [s].
    pub corner_s: f64,
    /// At the top speed of an axis [s].
    pub axis_s: f64,
    /// At the volumetric limit [s].
    pub flow_s: f64,
}

impl Binds {
    /// All together [s].
    #[must_use]
    pub fn sum_s(&self) -> f64 {
        self.commanded_s + self.acceleration_s + self.corner_s + self.axis_s + self.flow_s
    }

    /// Adds another's seconds.
    pub fn add(&mut self, other: &Self) {
        self.commanded_s += other.commanded_s;
        self.acceleration_s += other.acceleration_s;
        self.corner_s += other.corner_s;
        self.axis_s += other.axis_s;
        self.flow_s += other.flow_s;
    }

    /// All multiplied by a number.
    #[must_use]
    pub fn scaled(&self, by: f64) -> Self {
        Self {
            commanded_s: self.commanded_s * by,
            acceleration_s: self.acceleration_s * by,
            corner_s: self.corner_s * by,
            axis_s: self.axis_s * by,
            flow_s: self.flow_s * by,
        }
    }
}

/// How much faster than its corner a ramp may be and still be held by it. Our own convention, no source: so a curve of short
/// moves counts as corners, and a long straight's ramp as acceleration.
const HELD_TO: f64 = 1.25;
/// Segments kept back until their speeds are certain.
const BATCH: usize = 4_096;
/// More than this is never kept: the path is then planned as if it rested there.
const MOST_KEPT: usize = 1 << 20;

/// Plans a path while it is read: backward, then forward over it with constant acceleration, which is the
/// time-optimal profile under these limits. Source: Bobrow, Dubowsky, Gibson 1985 (phase-plane argument).
///
/// What lies ahead matters only as far as the braking distance. So segments are kept back until a plan that
/// rests after them and one that never needs to brake agree; from there back both are exact.
#[derive(Debug)]
pub struct Planner {
    look_ahead: Option<usize>,
    kept: Vec<Segment>,
    /// Square of the speed [mm²/s²] at the begin of the first kept segment, and the corner its ramp began at.
    start2: f64,
    start_anchor2: f64,
    /// That speed [mm/s].
    start: f64,
    batch: usize,
    back2: Vec<f64>,
    back_anchor2: Vec<f64>,
    /// Whether a plan had to rest where the path doesn't.
    pub rested: bool,
}

impl Planner {
    /// A planner that sees `look_ahead` moves, or the whole path.
    #[must_use]
    pub fn new(look_ahead: Option<usize>) -> Self {
        Self {
            look_ahead,
            kept: Vec::new(),
            start2: 0.0,
            start_anchor2: -1.0,
            start: 0.0,
            batch: look_ahead.unwrap_or(BATCH),
            back2: Vec::new(),
            back_anchor2: Vec::new(),
            rested: false,
        }
    }

    /// Takes the next move; hands on those whose speeds are certain now.
    pub fn push(&mut self, segment: Segment, done: impl FnMut(&Segment, &Profile)) {
        self.kept.push(segment);
        if self.kept.len() >= self.batch {
            if self.look_ahead.is_some() {
                self.run(1, done);
            } else {
                self.run_certain(done);
            }
        }
    }

    /// Takes many moves.
    pub fn extend(&mut self, segments: &[Segment], mut done: impl FnMut(&Segment, &Profile)) {
        if self.look_ahead.is_some() {
            for segment in segments {
                self.push(*segment, &mut done);
            }
            return;
        }
        self.kept.extend_from_slice(segments);
        if self.kept.len() >= self.batch {
            self.run_certain(done);
        }
    }

    /// Plans what is kept to a rest and hands it on.
    pub fn finish(&mut self, mut done: impl FnMut(&Segment, &Profile)) {
        if self.look_ahead.is_some() {
            while !self.kept.is_empty() {
                self.run(1, &mut done);
            }
        } else {
            self.run(self.kept.len(), done);
        }
        (self.start2, self.start) = (0.0, 0.0);
        self.start_anchor2 = -1.0;
    }

    /// Speeds from a rest at the end back to each junction.
    fn backward(&mut self) {
        let n = self.kept.len();
        self.back2.resize(n + 1, 0.0);
        self.back_anchor2.resize(n + 1, -1.0);
        let (back, anchors) = (&mut self.back2[..=n], &mut self.back_anchor2[..=n]);
        back[n] = 0.0;
        anchors[n] = -1.0;
        for (i, s) in self.kept.iter().enumerate().rev() {
            let reach = back[i + 1] + 2.0 * s.accel_mm_s2 * s.length_mm;
            if s.entry2 <= reach {
                back[i] = s.entry2;
                anchors[i] = if s.held { s.entry2 } else { -1.0 };
            } else {
                back[i] = reach;
                anchors[i] = anchors[i + 1];
            }
        }
    }

    fn run_certain(&mut self, done: impl FnMut(&Segment, &Profile)) {
        self.backward();
        // The same without any need to brake: where both agree, nothing behind matters any more.
        let n = self.kept.len();
        let mut free = f64::INFINITY;
        let mut certain = 0;
        for (i, s) in self.kept.iter().enumerate().rev() {
            free = s.entry2.min(free + 2.0 * s.accel_mm_s2 * s.length_mm);
            if free <= self.back2[i] {
                certain = i;
                break;
            }
        }
        if certain == 0 {
            if n < MOST_KEPT {
                self.batch = n * 2;
                return;
            }
            self.rested = true;
            certain = n;
        }
        self.forward(certain, done);
        self.batch = BATCH.max(self.kept.len() * 2);
    }

    fn run(&mut self, n: usize, done: impl FnMut(&Segment, &Profile)) {
        self.backward();
        self.forward(n, done);
    }

    /// Hands on the first `n` with their final speeds.
    fn forward(&mut self, n: usize, mut done: impl FnMut(&Segment, &Profile)) {
        for (i, s) in self.kept.drain(..n).enumerate() {
            let reach = self.start2 + 2.0 * s.accel_mm_s2 * s.length_mm;
            let wanted = self.back2[i + 1];
            let (end2, end_anchor2) = if wanted <= reach {
                (wanted, self.back_anchor2[i + 1])
            } else {
                (reach, self.start_anchor2)
            };
            let profile = profile(
                &s,
                (self.start2, self.start),
                end2,
                self.start_anchor2,
                self.back_anchor2[i + 1],
            );
            done(&s, &profile);
            self.start = profile.speeds_mm_s[2];
            self.start2 = end2;
            self.start_anchor2 = end_anchor2;
        }
    }
}

/// Time of one move between two speeds that both can be reached: the square of its first and that speed, the square
/// of its last. Roots and divisions are what it costs, so none is taken twice or for nothing.
#[inline]
fn profile(
    s: &Segment,
    (start2, start): (f64, f64),
    end2: f64,
    up_from2: f64,
    down_to2: f64,
) -> Profile {
    let (a, length) = (s.accel_mm_s2, s.length_mm);
    let peak2 = s
        .top2
        .min(0.5 * (start2 + end2) + a * length)
        .max(start2.max(end2));
    let peak = if peak2 > start2 { peak2.sqrt() } else { start };
    let end = if peak2 > end2 { end2.sqrt() } else { peak };
    let mut binds = Binds::default();
    let (mut up_s, mut down_s, mut ramps_mm) = (0.0, 0.0, 0.0);
    if peak > start || peak > end {
        let per_a = 1.0 / a;
        (up_s, down_s) = ((peak - start) * per_a, (peak - end) * per_a);
        ramps_mm = (2.0 * peak2 - start2 - end2) * (0.5 * per_a);
        let held = |anchor2: f64, from: f64| {
            if anchor2 > 0.0 && peak > from {
                ((HELD_TO * anchor2.sqrt()).min(peak) - from).max(0.0) * per_a
            } else {
                0.0
            }
        };
        binds.corner_s = held(up_from2, start) + held(down_to2, end);
        binds.acceleration_s = up_s + down_s - binds.corner_s;
    }
    let at_speed_s = if peak > 0.0 {
        (length - ramps_mm).max(0.0) / peak
    } else {
        0.0
    };
    match s.nominal {
        Nominal::Commanded => binds.commanded_s = at_speed_s,
        Nominal::Axis => binds.axis_s = at_speed_s,
        Nominal::Flow => binds.flow_s = at_speed_s,
    }
    Profile {
        speeds_mm_s: [start, peak, end],
        phases_s: [up_s, at_speed_s, down_s],
        binds,
    }
}
