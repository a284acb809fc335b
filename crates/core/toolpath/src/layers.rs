//! Layers by where the beads lie, never by remarks.

use serde::Serialize;
use utoipa::ToSchema;

use crate::plan::Binds;
use crate::read::{LineRef, Move};

/// What lies at one height.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
#[schema(as = PathLayer)]
pub struct Layer {
    /// Height of the nozzle while it is laid [mm]; in a spiral, at the end of the turn.
    pub z_mm: f64,
    /// Its thickness [mm]: what it lies above the layer below.
    pub height_mm: f64,
    /// Which of parts printed one after the other it belongs to; a number, from 0.
    pub object: u32,
    /// Whether it is a turn of a spiral.
    pub spiral: bool,
    /// First line that lays a bead of it; a number.
    pub line: u64,
    /// Where that line stands in the file; a number of bytes.
    pub at: u64,
    /// Time from its first bead to the next layer's [s].
    pub seconds: f64,
    /// Filament used in it [mm].
    pub filament_mm: f64,
    /// Length of its beads [mm].
    pub printed_mm: f64,
    /// Length of its travel [mm].
    pub travel_mm: f64,
    /// Seconds by what binds.
    pub binds: Binds,
}

impl Layer {
    /// Whether it lies on the plate.
    #[must_use]
    pub fn is_first(&self) -> bool {
        self.z_mm - self.height_mm < 1e-6
    }
}

/// Heights closer than this are the same: a file's third digit [mm].
const SAME_Z_MM: f64 = 2e-3;
/// A turn of a spiral where no flat layer says how thick layers are [mm; common practice, no source].
const PITCH_MM: f64 = 0.2;
/// Layers of nearly the same time that may take turns: parts side by side with layers of their own.
const TAKE_TURNS: usize = 4;

/// Layers told apart; what goes on above them is counted with the last: a file that never lays two beads at one height
/// must not fill the memory.
const MOST_LAYERS: usize = 100_000;

/// Follows beads and tells the layers apart.
#[derive(Clone, Debug, Default)]
pub struct Layers {
    all: Vec<Layer>,
    current: Option<usize>,
}

impl Layers {
    /// Takes a move that lays a bead; true where it begins a layer.
    #[inline]
    pub fn see(&mut self, m: &Move, line: &LineRef<'_>) -> bool {
        let goes_on = self
            .now()
            .is_some_and(|l| (m.to_mm[2] - l.z_mm).abs() <= SAME_Z_MM);
        !goes_on && self.tell(m, line)
    }

    /// Tells where a bead at another height belongs.
    #[inline(never)]
    fn tell(&mut self, m: &Move, line: &LineRef<'_>) -> bool {
        let z = m.to_mm[2];
        let Some(current) = self.current.and_then(|i| self.all.get(i)) else {
            let rises = (z - m.from_mm[2]).abs() > 1e-6;
            let z = if rises {
                z.max(m.from_mm[2] + PITCH_MM)
            } else {
                z
            };
            self.begin(z, z, 0, rises, line);
            return true;
        };
        let (was, object, height) = (current.z_mm, current.object, current.height_mm);
        let spiral = current.spiral;
        if spiral && z < was && z > was - height - SAME_Z_MM {
            return false;
        }
        let rises = z - m.from_mm[2] > 1e-6;
        if rises && z > was {
            let pitch = if height > 0.02 { height } else { PITCH_MM };
            // A ramp up inside a part isn't a turn of a spiral: a turn rises slowly.
            let top = if z - m.from_mm[2] < pitch {
                was + pitch
            } else {
                z
            };
            self.begin(top.max(z), top.max(z) - was, object, true, line);
            return true;
        }
        if z > was {
            let below = self.below(z, object);
            self.begin(z, z - below, object, false, line);
            return true;
        }
        // Lower: back among the last few, or the first layer of another part.
        let back = self
            .all
            .iter()
            .rposition(|l| l.object == object && (l.z_mm - z).abs() <= SAME_Z_MM)
            .filter(|i| i + TAKE_TURNS >= self.all.len());
        let first = self.all.iter().find(|l| l.object == object);
        let restarts = first.is_some_and(|l| z <= l.z_mm + 0.05);
        match back {
            Some(i) if !restarts => {
                self.current = Some(i);
                false
            }
            _ if restarts => {
                self.begin(z, z, object + 1, false, line);
                true
            }
            _ => {
                let below = self.below(z, object);
                self.begin(z, z - below, object, false, line);
                true
            }
        }
    }

    fn below(&self, z: f64, object: u32) -> f64 {
        self.all
            .iter()
            .rev()
            .take(2 * TAKE_TURNS)
            .filter(|l| l.object == object && l.z_mm < z - SAME_Z_MM)
            .map(|l| l.z_mm)
            .fold(0.0, f64::max)
    }

    fn begin(&mut self, z_mm: f64, height_mm: f64, object: u32, spiral: bool, line: &LineRef<'_>) {
        if self.all.len() >= MOST_LAYERS {
            if let Some(last) = self.all.last_mut() {
                last.z_mm = last.z_mm.max(z_mm);
            }
            self.current = Some(self.all.len() - 1);
            return;
        }
        self.current = Some(self.all.len());
        self.all.push(Layer {
            z_mm,
            height_mm,
            object,
            spiral,
            line: line.number,
            at: line.at,
            seconds: 0.0,
            filament_mm: 0.0,
            printed_mm: 0.0,
            travel_mm: 0.0,
            binds: Binds::default(),
        });
    }

    /// Which layer is being laid, if any.
    #[must_use]
    pub const fn current(&self) -> Option<usize> {
        self.current
    }

    /// The layer being laid.
    #[must_use]
    pub fn now(&self) -> Option<&Layer> {
        self.current.and_then(|i| self.all.get(i))
    }

    /// All layers, to write into.
    pub fn all_mut(&mut self) -> &mut [Layer] {
        &mut self.all
    }

    /// The layers in the order they are laid, and apart from them the line that primes the nozzle at another height
    /// than the part's first layer, if there is one.
    #[must_use]
    pub fn finish(mut self) -> (Vec<Layer>, Option<Layer>) {
        let alone = self.all.iter().filter(|l| l.object == 0).count() == 1;
        let primes = alone && self.all.len() > 1 && self.all[1].object == 1;
        let prime = primes.then(|| self.all.remove(0));
        if prime.is_some() {
            self.all.iter_mut().for_each(|l| l.object -= 1);
        }
        (self.all, prime)
    }
}
