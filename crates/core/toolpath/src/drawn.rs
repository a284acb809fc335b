//! One layer, bead by bead, to be drawn true to scale.

use std::io::Read;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::Machine;

use crate::bores::bead_width_mm;
use crate::chunks::ReadError;
use crate::dynamics::Dynamics;
use crate::layers::Layers;
use crate::limits::Limits;
use crate::plan::{Binds, Planner, Profile};
use crate::read::{Follow, Item, LineRef, Move, MoveKind, read_path};

/// What binds a move for most of its time.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Bound {
    /// The speed the file asks for.
    Commanded,
    /// Its acceleration.
    Acceleration,
    /// A corner.
    Corner,
    /// The top speed of an axis, or of a curve.
    Axis,
    /// The volumetric limit.
    Flow,
}

impl Bound {
    /// What most of the seconds are bound by.
    #[must_use]
    pub fn most(b: &Binds) -> Self {
        [
            (Self::Commanded, b.commanded_s),
            (Self::Acceleration, b.acceleration_s),
            (Self::Corner, b.corner_s),
            (Self::Axis, b.axis_s),
            (Self::Flow, b.flow_s),
        ]
        .into_iter()
        .max_by(|a, b| a.1.total_cmp(&b.1))
        .map_or(Self::Commanded, |(bound, _)| bound)
    }
}

/// A layer to be drawn; each list has an entry a move, in the order of the file. Travel has a width of 0.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DrawnLayer {
    /// Height of the nozzle [mm].
    pub z_mm: f64,
    /// Thickness of the layer [mm].
    pub height_mm: f64,
    /// X at begin and end, Y at begin and end [mm], four numbers a move.
    pub ends_mm: Vec<f32>,
    /// Width of the bead [mm]; 0 for travel.
    pub widths_mm: Vec<f32>,
    /// Highest speed that is reached [mm/s].
    pub speeds_mm_s: Vec<f32>,
    /// What binds each move for most of its time.
    pub bounds: Vec<Bound>,
    /// Number of the line of each move.
    pub lines: Vec<u64>,
    /// Whether there was more than is drawn.
    pub cut: bool,
}

/// Moves drawn of one layer.
const MOST_DRAWN: usize = 400_000;
/// Straight pieces of a full circle in a drawing; a number.
const PIECES: f64 = 72.0;

struct Collector {
    wanted: u64,
    layers: Layers,
    dynamics: Dynamics,
    planner: Planner,
    filament_mm2: f64,
    begun: bool,
    over: bool,
    moves: Vec<(Move, u64)>,
    profiles: Vec<(f32, Bound)>,
    out: DrawnLayer,
}

impl Follow for Collector {
    fn item(&mut self, item: &Item, line: LineRef<'_>, _: &Machine) -> bool {
        match item {
            Item::Move(m) => {
                if m.kind == MoveKind::Print && self.layers.see(m, &line) {
                    if self.begun {
                        self.over = true;
                        return false;
                    }
                    self.begun = line.number == self.wanted;
                    if let Some(now) = self.layers.now().filter(|_| self.begun) {
                        (self.out.z_mm, self.out.height_mm) = (now.z_mm, now.height_mm);
                    }
                }
                if self.begun {
                    if self.moves.len() >= MOST_DRAWN {
                        self.out.cut = true;
                        self.over = true;
                        return false;
                    }
                    let segment = self.dynamics.segment(m, 0);
                    let profiles = &mut self.profiles;
                    self.planner.push(segment, |_, p| note(profiles, p));
                    self.moves.push((m.clone(), line.number));
                }
            }
            Item::Set(s) => self.dynamics.set(s),
            Item::Wait(_) => self.dynamics.rest(),
            _ => {}
        }
        true
    }
}

#[allow(clippy::cast_possible_truncation)] // drawn, not computed with
fn note(profiles: &mut Vec<(f32, Bound)>, p: &Profile) {
    profiles.push((p.speeds_mm_s[1] as f32, Bound::most(&p.binds)));
}

/// The layer whose first bead is on a line; none where no layer begins there. At its two ends it is planned as if the path
/// rested.
/// # Errors
/// [`ReadError`].
pub fn draw_layer(
    from: impl Read + Send,
    limits: &Limits,
    line: u64,
    cores: usize,
    progress: impl FnMut(u64) -> bool,
) -> Result<Option<DrawnLayer>, ReadError> {
    let mut c = Collector {
        wanted: line,
        layers: Layers::default(),
        dynamics: Dynamics::new(limits),
        planner: Planner::new(limits.look_ahead),
        filament_mm2: limits.filament_mm2(),
        begun: false,
        over: false,
        moves: Vec::new(),
        profiles: Vec::new(),
        out: DrawnLayer::default(),
    };
    match read_path(from, cores, &mut c, progress) {
        Err(ReadError::Stopped) if c.over => {}
        other => {
            other?;
        }
    }
    if !c.begun {
        return Ok(None);
    }
    let profiles = &mut c.profiles;
    c.planner.finish(|_, p| note(profiles, p));
    for ((m, line), (speed, bound)) in c.moves.iter().zip(&c.profiles) {
        let width = match m.kind {
            MoveKind::Print => {
                let area = m.fed_mm * m.flow * c.filament_mm2 / m.length_mm;
                // A first layer that lies nearly on the plate has a height all the same.
                bead_width_mm(area, c.out.height_mm.max(0.02))
            }
            MoveKind::Travel | MoveKind::Wipe => 0.0,
            _ => continue,
        };
        let mut piece = |a: [f64; 2], b: [f64; 2]| {
            #[allow(clippy::cast_possible_truncation)] // drawn, not computed with
            {
                c.out
                    .ends_mm
                    .extend([a[0] as f32, b[0] as f32, a[1] as f32, b[1] as f32]);
                c.out.widths_mm.push(width as f32);
            }
            c.out.speeds_mm_s.push(*speed);
            c.out.bounds.push(*bound);
            c.out.lines.push(*line);
        };
        let (from, to) = ([m.from_mm[0], m.from_mm[1]], [m.to_mm[0], m.to_mm[1]]);
        match &m.arc {
            None => piece(from, to),
            Some(arc) => {
                // Where the words count from elsewhere the circle does too.
                let off = [from[0] - arc.at(0.0)[0], from[1] - arc.at(0.0)[1]];
                let at = |part: f64| {
                    let [x, y] = arc.at(part);
                    [x + off[0], y + off[1]]
                };
                let n = (arc.sweep_rad.abs() / std::f64::consts::TAU * PIECES)
                    .ceil()
                    .max(1.0);
                let mut k = 0.0;
                while k < n {
                    piece(at(k / n), at((k + 1.0) / n));
                    k += 1.0;
                }
            }
        }
    }
    Ok(Some(c.out))
}
