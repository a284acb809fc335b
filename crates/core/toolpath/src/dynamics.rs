//! What a board can do at each move: top speed, acceleration, how fast it is entered.

use crate::corner::slowing_corner2;
use crate::limits::{Corner, Limits};
use crate::plan::{Nominal, Segment};
use crate::read::{Move, MoveKind, Setting};

/// A board's limits while a file is followed: what the file sets, it obeys.
#[derive(Clone, Debug)]
pub(crate) struct Dynamics {
    accel: f64,
    travel_accel: f64,
    top_speed: [f64; 4],
    top_accel: [f64; 4],
    corner: Corner,
    flow_limit: f64,
    filament_mm2: f64,
    last: Option<Last>,
}

#[derive(Clone, Copy, Debug)]
struct Last {
    leaves: [f64; 4],
    top2: f64,
    accel: f64,
    stands: bool,
}

impl Dynamics {
    pub(crate) fn new(limits: &Limits) -> Self {
        Self {
            accel: limits.accel_mm_s2,
            travel_accel: limits.travel_accel_mm_s2.unwrap_or(limits.accel_mm_s2),
            top_speed: limits.max_speed_mm_s.all(),
            top_accel: limits.max_accel_mm_s2.all(),
            corner: limits.corner(),
            flow_limit: limits.flow_limit_mm3_s.unwrap_or(f64::INFINITY),
            filament_mm2: limits.filament_mm2(),
            last: None,
        }
    }

    /// The next move begins from a rest.
    pub(crate) fn rest(&mut self) {
        self.last = None;
    }

    pub(crate) fn set(&mut self, setting: &Setting) {
        let put = |into: &mut [f64; 4], from: &[Option<f64>; 4], least: f64| {
            for (into, from) in into.iter_mut().zip(from) {
                *into = from.filter(|v| *v >= least).unwrap_or(*into);
            }
        };
        match setting {
            Setting::Accel(print, travel) => {
                self.accel = print.filter(|a| *a >= 1.0).unwrap_or(self.accel);
                self.travel_accel = travel.filter(|a| *a >= 1.0).unwrap_or(self.travel_accel);
            }
            Setting::TopSpeeds(v) => put(&mut self.top_speed, v, 1e-3),
            Setting::TopAccels(v) => put(&mut self.top_accel, v, 1.0),
            Setting::Junction(j) if *j >= 0.0 => self.corner = Corner::Junction(*j),
            Setting::Jerks(v) if v.iter().any(Option::is_some) => {
                let mut jerk = match self.corner {
                    Corner::Jerk(jerk) => jerk,
                    // A board that counts in jerk, told of some axes only.
                    Corner::Junction(_) => [f64::INFINITY; 4],
                };
                put(&mut jerk, v, 0.0);
                self.corner = Corner::Jerk(jerk);
            }
            _ => {}
        }
    }

    /// A move as the planner sees it.
    #[inline(always)]
    pub(crate) fn segment(&mut self, m: &Move, owner: u32) -> Segment {
        let stands = matches!(m.kind, MoveKind::Retract | MoveKind::Prime);
        let signed_e = m.fed_per_mm * m.flow;
        let e = if stands { 1.0 } else { signed_e.abs() };
        let mut parts = m.enters.map(f64::abs);
        let mut curve = f64::INFINITY;
        if let Some(arc) = &m.arc {
            let flat = arc.length_mm() / m.length_mm;
            let largest = arc.largest_heading();
            parts[0] = largest[0] * flat;
            parts[1] = largest[1] * flat;
            // On a circle the board turns the speed with no more than its acceleration.
            let a = self.accel.min(self.top_accel[0]).min(self.top_accel[1]);
            curve = (a * arc.radius_mm).sqrt() / flat.max(1e-9);
        }
        // A limit is divided only where it binds.
        let mut axis = curve.min(m.speed_mm_s);
        let mut accel = match m.kind {
            MoveKind::Print => self.accel,
            MoveKind::Travel | MoveKind::Wipe => self.travel_accel,
            _ if self.top_accel[3].is_finite() => self.top_accel[3],
            _ => self.accel,
        };
        for (i, part) in [parts[0], parts[1], parts[2], e].into_iter().enumerate() {
            if part * axis > self.top_speed[i] {
                axis = self.top_speed[i] / part;
            }
            if part * accel > self.top_accel[i] {
                accel = self.top_accel[i] / part;
            }
        }
        let volume = e * self.filament_mm2;
        let (top, nominal) = if m.kind == MoveKind::Print && volume * axis > self.flow_limit {
            (self.flow_limit / volume, Nominal::Flow)
        } else if axis < m.speed_mm_s {
            (axis, Nominal::Axis)
        } else {
            (m.speed_mm_s, Nominal::Commanded)
        };
        let top2 = top * top;
        let [x, y, z] = m.enters;
        let (entry2, held) = match &self.last {
            Some(last) if !stands && !last.stands => {
                let least = last.top2.min(top2);
                let after = [x, y, z, signed_e];
                let lesser = accel.min(last.accel);
                match slowing_corner2(self.corner, last.leaves, after, lesser, least) {
                    Some(corner2) => (corner2, true),
                    None => (least, false),
                }
            }
            _ => (0.0, false),
        };
        let [x, y, z] = m.leaves;
        self.last = Some(Last {
            leaves: [x, y, z, signed_e],
            top2,
            accel,
            stands,
        });
        Segment {
            length_mm: m.length_mm,
            top2,
            accel_mm_s2: accel,
            entry2,
            held,
            nominal,
            owner,
            kind: m.kind as u8,
        }
    }
}
