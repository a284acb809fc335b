//! Retractions: where filament is taken back, how far and how fast, and what the head does until it is fed again.

use std::collections::BTreeMap;

use serde::Serialize;
use utoipa::ToSchema;

use crate::read::{LineRef, Move, MoveKind};

/// One retraction, from its first move to the feed after it.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Retraction {
    /// Its first line, from 1.
    pub line: u64,
    /// Filament taken back [mm]; 0 where the board's own length was never said.
    pub distance_mm: f64,
    /// Its highest speed [mm/s].
    pub speed_mm_s: f64,
    /// How far the head lifts off between [mm].
    pub hop_mm: f64,
    /// Travel until filament is fed again [mm].
    pub travel_mm: f64,
    /// Whether the head moves while it is taken back.
    pub wiped: bool,
    /// Whether it is the board's own (G10).
    pub own: bool,
    from_z: f64,
    highest_z: f64,
}

/// Retractions that are alike.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct RetractionKind {
    /// Filament taken back [mm].
    pub distance_mm: f64,
    /// Its highest speed [mm/s].
    pub speed_mm_s: f64,
    /// How far the head lifts off [mm].
    pub hop_mm: f64,
    /// Whether the head moves while it is taken back.
    pub wiped: bool,
    /// Whether it is the board's own (G10).
    pub own: bool,
    /// How many there are; a number.
    pub count: u64,
    /// Travel after them, all together [mm].
    pub travel_mm: f64,
}

/// Kinds kept apart; the rest is only counted.
const MOST_KINDS: usize = 256;

/// Distance, speed, hop [thousandths], wiped, the board's own.
type Alike = (i64, i64, i64, bool, bool);

/// Follows a path and pairs what is taken back with what is fed again.
#[derive(Clone, Debug, Default)]
pub struct Retractions {
    open: Option<Retraction>,
    own: [Option<f64>; 3],
    count: u64,
    kinds: BTreeMap<Alike, (u64, f64)>,
}

#[allow(clippy::cast_possible_truncation)] // lengths and speeds of a printer
fn thousandths(v: f64) -> i64 {
    (v * 1e3).round() as i64
}

impl Retractions {
    /// Takes a move; gives the retraction that it ends.
    #[inline]
    pub fn see(&mut self, m: &Move, line: &LineRef<'_>) -> Option<Retraction> {
        // Nearly every move lays a bead and ends none.
        if m.kind == MoveKind::Print && self.open.is_none() {
            return None;
        }
        self.take(m, line)
    }

    #[inline(never)]
    fn take(&mut self, m: &Move, line: &LineRef<'_>) -> Option<Retraction> {
        match m.kind {
            MoveKind::Retract | MoveKind::Wipe => {
                let open = self.open.get_or_insert_with(|| Retraction {
                    line: line.number,
                    from_z: m.from_mm[2],
                    highest_z: m.from_mm[2],
                    ..Retraction::default()
                });
                open.distance_mm -= m.fed_mm;
                let e_speed = if m.kind == MoveKind::Wipe {
                    m.speed_mm_s * -m.fed_mm / m.length_mm
                } else {
                    m.speed_mm_s
                };
                open.speed_mm_s = open.speed_mm_s.max(e_speed);
                open.wiped |= m.kind == MoveKind::Wipe;
                None
            }
            MoveKind::Travel => {
                if let Some(open) = &mut self.open {
                    open.travel_mm += m.length_mm;
                    open.highest_z = open.highest_z.max(m.to_mm[2]);
                }
                None
            }
            MoveKind::Prime | MoveKind::Print => self.close(m.from_mm[2]),
        }
    }

    /// The board's own retraction begins or ends at a height.
    pub fn own(&mut self, begins: bool, z_mm: f64, line: LineRef<'_>) -> Option<Retraction> {
        if !begins {
            return self.close(z_mm);
        }
        let [distance_mm, speed_mm_s, hop_mm] = self.own.map(|v| v.unwrap_or(0.0));
        self.open.get_or_insert(Retraction {
            line: line.number,
            distance_mm,
            speed_mm_s,
            hop_mm,
            own: true,
            from_z: z_mm,
            highest_z: z_mm,
            ..Retraction::default()
        });
        None
    }

    /// What M207 says.
    pub fn set_own(&mut self, own: [Option<f64>; 3]) {
        for (had, now) in self.own.iter_mut().zip(own) {
            *had = now.or(*had);
        }
    }

    /// Ends the open one, with the nozzle at a height [mm].
    fn close(&mut self, z_mm: f64) -> Option<Retraction> {
        let mut done = self.open.take()?;
        // Going up to the next layer is no hop; what is above both ends is.
        done.hop_mm = done.hop_mm.max(done.highest_z - z_mm.max(done.from_z));
        if done.hop_mm < 1e-4 {
            done.hop_mm = 0.0;
        }
        self.count += 1;
        let key = (
            thousandths(done.distance_mm),
            thousandths(done.speed_mm_s),
            thousandths(done.hop_mm),
            done.wiped,
            done.own,
        );
        if self.kinds.len() < MOST_KINDS || self.kinds.contains_key(&key) {
            let kind = self.kinds.entry(key).or_default();
            kind.0 += 1;
            kind.1 += done.travel_mm;
        }
        Some(done)
    }

    /// How many there were, one that nothing ended included, and the kinds, the most frequent first.
    #[must_use]
    pub fn finish(mut self) -> (u64, Vec<RetractionKind>) {
        if let Some(open) = self.open {
            self.close(open.highest_z);
        }
        #[allow(clippy::cast_precision_loss)] // thousandths of a millimetre
        let mm = |v: i64| v as f64 / 1e3;
        let mut kinds: Vec<RetractionKind> = self
            .kinds
            .into_iter()
            .map(
                |((d, s, h, wiped, own), (count, travel_mm))| RetractionKind {
                    distance_mm: mm(d),
                    speed_mm_s: mm(s),
                    hop_mm: mm(h),
                    wiped,
                    own,
                    count,
                    travel_mm,
                },
            )
            .collect();
        kinds.sort_by_key(|k| std::cmp::Reverse(k.count));
        (self.count, kinds)
    }
}
