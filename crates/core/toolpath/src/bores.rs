//! Is the bigger bore worth it? Two files compared, or one estimated for another bore.

use std::io::Read;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::Machine;

use crate::chunks::ReadError;
use crate::dynamics::Dynamics;
use crate::layers::Layers;
use crate::plan::{Binds, Planner, Profile, Segment};
use crate::read::{Follow, Item, LineRef, Move, MoveKind, read_path};
use crate::survey::{Survey, SurveyOptions};
use crate::walls::seen;

/// Cross-section of a bead [mm²] of a width and a height [mm]: (w − h)·h + π(h/2)². A rectangle with half-round sides [common
/// practice, no source]. A bead narrower than high is taken as a round one of its width.
#[must_use]
pub fn bead_area_mm2(width_mm: f64, height_mm: f64) -> f64 {
    let h = height_mm.min(width_mm);
    (width_mm - h) * h + std::f64::consts::FRAC_PI_4 * h * h
}

/// Width of a bead [mm] of a cross-section [mm²] and a height [mm]; the other way round of [`bead_area_mm2`]. One with less in it than a
/// round bead of that height is taken as wide as it is high.
#[must_use]
pub fn bead_width_mm(area_mm2: f64, height_mm: f64) -> f64 {
    let round = std::f64::consts::FRAC_PI_4 * height_mm * height_mm;
    height_mm + ((area_mm2 - round) / height_mm).max(0.0)
}

/// The beads of a file.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Bead {
    /// Width [mm].
    pub width_mm: f64,
    /// Height of a layer [mm].
    pub height_mm: f64,
}

impl Bead {
    /// The beads of most of a file: the height of most of its length, and the width that its filament makes of it.
    #[must_use]
    pub fn of(survey: &Survey, filament_mm2: f64) -> Option<Self> {
        let mut heights: Vec<(i64, f64)> = Vec::new();
        #[allow(clippy::cast_possible_truncation)] // hundredths of a millimetre
        for layer in &survey.layers {
            let key = (layer.height_mm * 100.0).round() as i64;
            match heights.iter_mut().find(|(k, _)| *k == key) {
                Some((_, length)) => *length += layer.printed_mm,
                None => heights.push((key, layer.printed_mm)),
            }
        }
        let most = heights.into_iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
        #[allow(clippy::cast_precision_loss)]
        let height_mm = most.0 as f64 / 100.0;
        let area = survey.bead_filament_mm * filament_mm2 / survey.printed_mm;
        if height_mm <= 0.0 || !area.is_finite() {
            return None;
        }
        Some(Self {
            width_mm: bead_width_mm(area, height_mm),
            height_mm,
        })
    }
}

/// One of two files compared.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct BoreFile {
    /// How long it takes [s].
    pub seconds: f64,
    /// Volume of filament [mm³].
    pub volume_mm3: f64,
    /// Layers; a number of.
    pub layers: usize,
    /// Its beads.
    pub bead: Option<Bead>,
    /// Seconds by what binds.
    pub binds: Binds,
}

impl BoreFile {
    /// What matters of a file that was looked through.
    #[must_use]
    pub fn of(survey: &Survey, filament_mm2: f64) -> Self {
        Self {
            seconds: survey.seconds,
            volume_mm3: survey.volume_mm3,
            layers: survey.layers.len(),
            bead: Bead::of(survey, filament_mm2),
            binds: survey.binds,
        }
    }
}

/// Two files of one part, sliced for either bore.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Bores {
    /// The first.
    pub a: BoreFile,
    /// The second.
    pub b: BoreFile,
    /// What the second saves [s].
    pub saved_s: f64,
    /// That as a part of the first [%].
    pub saved_percent: f64,
}

/// Compares two files that were looked through under the same limits.
#[must_use]
pub fn compare_bores(a: &Survey, b: &Survey, filament_mm2: f64) -> Bores {
    let saved_s = a.seconds - b.seconds;
    Bores {
        a: BoreFile::of(a, filament_mm2),
        b: BoreFile::of(b, filament_mm2),
        saved_s,
        saved_percent: 100.0 * saved_s / a.seconds.max(1e-9),
    }
}

/// What another bore would be used for.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewBore {
    /// Its beads' width [mm].
    pub width_mm: f64,
    /// Its layers' height [mm].
    pub height_mm: f64,
    /// Its top speed of printing [mm/s]; as the file says where it isn't given.
    pub speed_mm_s: Option<f64>,
    /// Its volumetric limit [mm³/s]; as the limits say where it isn't given.
    pub flow_limit_mm3_s: Option<f64>,
}

/// What the same part would take with another bore. An estimate: the clock has the last word.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct BoreEstimate {
    /// Its beads now.
    pub bead: Bead,
    /// How long it takes now [s].
    pub now_s: f64,
    /// How long it would take [s].
    pub then_s: f64,
    /// What is saved, as a part of now [%].
    pub saved_percent: f64,
    /// Length of lines that are seen [mm], now.
    pub outer_mm: f64,
    /// Length of all other lines [mm], now.
    pub inner_mm: f64,
    /// Layers now; a number of.
    pub layers_now: usize,
    /// Layers then; a number of.
    pub layers_then: usize,
    /// Part of the time that the volumetric limit binds now [%].
    pub flow_bound_now_percent: f64,
    /// Part of the time that the volumetric limit binds then [%].
    pub flow_bound_then_percent: f64,
    /// The thinnest wall then [mm]: one line.
    pub smallest_wall_mm: f64,
}

/// Classes of time that scale alike.
const OUTER: usize = 0;
const INNER: usize = 1;
const REST: usize = 2;

#[derive(Default)]
struct Class {
    now_s: f64,
    then_s: f64,
    now_flow_s: f64,
    then_flow_s: f64,
    length_mm: f64,
}

struct Estimator<'a> {
    bead: Bead,
    new: &'a NewBore,
    filament_mm2: f64,
    layers: Layers,
    held: Vec<Move>,
    now: (Dynamics, Planner),
    then: (Dynamics, Planner),
    classes: [Class; 3],
    waits_s: f64,
}

/// Moves of one layer that are told apart; more are handed on as they are.
const MOST_HELD: usize = 2_000_000;

impl Estimator<'_> {
    /// Plans the held layer, as it is and as it would be.
    fn layer(&mut self) {
        let seen = seen(&self.held, self.bead.width_mm);
        let area = bead_area_mm2(self.new.width_mm, self.new.height_mm);
        for (mut m, seen) in self.held.drain(..).zip(seen) {
            let class = match (m.kind, seen) {
                (MoveKind::Print, true) => OUTER,
                (MoveKind::Print, false) => INNER,
                _ => REST,
            };
            #[allow(clippy::cast_possible_truncation)]
            let owner = class as u32;
            self.classes[class].length_mm += m.length_mm;
            let classes = &mut self.classes;
            let segment = self.now.0.segment(&m, owner);
            self.now.1.push(segment, |s, p| note(classes, s, p, false));
            if m.kind == MoveKind::Print {
                m.fed_per_mm = area / self.filament_mm2;
                m.fed_mm = m.fed_per_mm * m.length_mm;
                m.flow = 1.0;
                m.speed_mm_s = self
                    .new
                    .speed_mm_s
                    .map_or(m.speed_mm_s, |v| m.speed_mm_s.min(v));
            }
            let segment = self.then.0.segment(&m, owner);
            self.then.1.push(segment, |s, p| note(classes, s, p, true));
        }
    }

    fn rest(&mut self) {
        self.layer();
        self.now.0.rest();
        self.then.0.rest();
    }
}

fn note(classes: &mut [Class; 3], s: &Segment, p: &Profile, then: bool) {
    let class = &mut classes[s.owner as usize];
    let seconds: f64 = p.phases_s.iter().sum();
    if then {
        class.then_s += seconds;
        class.then_flow_s += p.binds.flow_s;
    } else {
        class.now_s += seconds;
        class.now_flow_s += p.binds.flow_s;
    }
}

impl Follow for Estimator<'_> {
    fn item(&mut self, item: &Item, line: LineRef<'_>, _: &Machine) -> bool {
        match item {
            Item::Move(m) => {
                let begins = m.kind == MoveKind::Print && self.layers.see(m, &line);
                if begins || self.held.len() >= MOST_HELD {
                    self.layer();
                }
                self.held.push(m.clone());
            }
            Item::Set(s) => {
                // The same limits for what stands before it.
                self.layer();
                self.now.0.set(s);
                self.then.0.set(s);
            }
            Item::Wait(w) => {
                self.rest();
                if let crate::read::Wait::Dwell(s) = w {
                    self.waits_s += s;
                }
            }
            _ => {}
        }
        true
    }
}

/// Estimates a file for another bore: lines that are seen scale with the number of layers (h / h'), the others with the cross-section
/// (w·h / w'·h'), travel with the layers; each move's speed is the least of what is commanded and what the volumetric
/// limit allows. Common practice, no source.
/// # Errors
/// [`ReadError`].
pub fn estimate_bore(
    from: impl Read + Send,
    options: &SurveyOptions<'_>,
    bead: Bead,
    new: &NewBore,
    progress: impl FnMut(u64) -> bool,
) -> Result<BoreEstimate, ReadError> {
    let limits = &options.limits;
    let mut then = limits.clone();
    then.flow_limit_mm3_s = new.flow_limit_mm3_s.or(limits.flow_limit_mm3_s);
    let mut e = Estimator {
        bead,
        new,
        filament_mm2: limits.filament_mm2(),
        layers: Layers::default(),
        held: Vec::new(),
        now: (Dynamics::new(limits), Planner::new(limits.look_ahead)),
        then: (Dynamics::new(&then), Planner::new(limits.look_ahead)),
        classes: Default::default(),
        waits_s: 0.0,
    };
    read_path(from, options.cores, &mut e, progress)?;
    e.layer();
    let classes = &mut e.classes;
    e.now.1.finish(|s, p| note(classes, s, p, false));
    e.then.1.finish(|s, p| note(classes, s, p, true));
    let layers = bead.height_mm / new.height_mm;
    let lines = bead.width_mm * bead.height_mm / (new.width_mm * new.height_mm);
    let scale = [layers, lines, layers];
    let sum = |of: &dyn Fn(usize, &Class) -> f64| -> f64 {
        e.classes.iter().enumerate().map(|(i, c)| of(i, c)).sum()
    };
    let factor = limits.factor;
    let now_s = (sum(&|_, c| c.now_s) + e.waits_s) * factor;
    let then_s = (sum(&|i, c| c.then_s * scale[i]) + e.waits_s) * factor;
    let count = e.layers.finish().0.len();
    #[allow(
        clippy::cast_precision_loss,
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss
    )]
    let layers_then = (count as f64 * layers).round().max(1.0) as usize;
    Ok(BoreEstimate {
        bead,
        now_s,
        then_s,
        saved_percent: 100.0 * (now_s - then_s) / now_s.max(1e-9),
        outer_mm: e.classes[OUTER].length_mm,
        inner_mm: e.classes[INNER].length_mm,
        layers_now: count,
        layers_then,
        flow_bound_now_percent: 100.0 * sum(&|_, c| c.now_flow_s) * factor / now_s.max(1e-9),
        flow_bound_then_percent: 100.0 * sum(&|i, c| c.then_flow_s * scale[i]) * factor
            / then_s.max(1e-9),
        smallest_wall_mm: new.width_mm,
    })
}
