//! A file looked through: its layers, time, what binds, retractions, what it covers.

use std::io::Read;

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_gcode::Machine;

use crate::chunks::ReadError;
use crate::dynamics::Dynamics;
use crate::layers::{Layer, Layers};
use crate::limits::Limits;
use crate::plan::Binds;
use crate::planning::Planning;
use crate::read::{Follow, Item, LineRef, Move, MoveKind, Reading, Setting, Wait, read_path};
use crate::retractions::{RetractionKind, Retractions};

/// Time [s] that a nozzle (false) or bed (true) takes from one temperature to another [°C], where it is known.
pub type Heating<'a> = &'a (dyn Fn(bool, f64, f64) -> Option<f64> + Sync);

/// How a file is looked through.
#[derive(Clone)]
pub struct SurveyOptions<'a> {
    /// What the printer can do.
    pub limits: Limits,
    /// How long its heaters take.
    pub heating: Option<Heating<'a>>,
    /// Threads that read beside this one, with one more that plans; 0 for none at all.
    pub cores: usize,
}

/// What a path covers [mm].
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
#[schema(as = PathBounds)]
pub struct Bounds {
    /// Least and largest of X [mm].
    pub x_mm: [f64; 2],
    /// Least and largest of Y [mm].
    pub y_mm: [f64; 2],
    /// Least and largest of Z [mm].
    pub z_mm: [f64; 2],
}

impl Bounds {
    const EMPTY: Self = Self {
        x_mm: [f64::INFINITY, f64::NEG_INFINITY],
        y_mm: [f64::INFINITY, f64::NEG_INFINITY],
        z_mm: [f64::INFINITY, f64::NEG_INFINITY],
    };

    /// Branches and no minima: nearly no place of a path is one.
    #[inline]
    fn touch(&mut self, place: &[f64; 3]) {
        let ranges = [&mut self.x_mm, &mut self.y_mm, &mut self.z_mm];
        for (range, v) in ranges.into_iter().zip(place) {
            if *v < range[0] {
                range[0] = *v;
            }
            if *v > range[1] {
                range[1] = *v;
            }
        }
    }

    /// Takes a move; where it `goes_on` from the one taken before, its begin is taken already.
    #[inline]
    fn take(&mut self, m: &Move, goes_on: bool) {
        if !goes_on {
            self.touch(&m.from_mm);
        }
        self.touch(&m.to_mm);
        if let Some(arc) = &m.arc {
            let [x, y] = arc.covers_mm();
            let [sx, sy] = [m.from_mm[0] - arc.at(0.0)[0], m.from_mm[1] - arc.at(0.0)[1]];
            self.x_mm = [self.x_mm[0].min(x[0] + sx), self.x_mm[1].max(x[1] + sx)];
            self.y_mm = [self.y_mm[0].min(y[0] + sy), self.y_mm[1].max(y[1] + sy)];
        }
    }

    /// What this or another covers.
    fn with(self, other: Self) -> Self {
        let both = |a: [f64; 2], b: [f64; 2]| [a[0].min(b[0]), a[1].max(b[1])];
        Self {
            x_mm: both(self.x_mm, other.x_mm),
            y_mm: both(self.y_mm, other.y_mm),
            z_mm: both(self.z_mm, other.z_mm),
        }
    }

    fn any(self) -> Option<Self> {
        (self.x_mm[0] <= self.x_mm[1]).then_some(self)
    }
}

/// What a file is, as a whole.
#[derive(Clone, Debug)]
pub struct Survey {
    /// How long it takes [s], the printer's factor in it; heating only where it is known.
    pub seconds: f64,
    /// Filament used [mm], the flow override in it.
    pub filament_mm: f64,
    /// Filament used [mm], as the moves say.
    pub commanded_filament_mm: f64,
    /// Filament that is laid in beads [mm], as the moves say.
    pub bead_filament_mm: f64,
    /// Volume used [mm³].
    pub volume_mm3: f64,
    /// Length of beads [mm].
    pub printed_mm: f64,
    /// Length of travel [mm].
    pub travel_mm: f64,
    /// How often filament is taken back; a number.
    pub retractions: u64,
    /// Retractions that are alike, the most frequent first.
    pub retraction_kinds: Vec<RetractionKind>,
    /// What the beads cover.
    pub bounds: Option<Bounds>,
    /// What the beads above the first layer cover, without the line that primes; none where there is one layer.
    pub upper_bounds: Option<Bounds>,
    /// What all moves cover.
    pub moves_bounds: Option<Bounds>,
    /// Layers in the order they are laid.
    pub layers: Vec<Layer>,
    /// A line that primes the nozzle at a height of its own.
    pub prime: Option<Layer>,
    /// Time before the first bead [s].
    pub before_s: f64,
    /// Seconds by what binds.
    pub binds: Binds,
    /// Seconds of printing, travel, wiping, retracting, feeding.
    pub kinds_s: [f64; 5],
    /// Time that G4 waits [s].
    pub dwell_s: f64,
    /// Time that heating takes, where it is known [s].
    pub heating_s: f64,
    /// Waits for heat whose time isn't known; a number.
    pub unknown_heating: u64,
    /// Stops until somebody comes; a number.
    pub pauses: u64,
    /// Hottest the nozzle is set [°C].
    pub nozzle_c: Option<f64>,
    /// Hottest the bed is set [°C].
    pub bed_c: Option<f64>,
    /// Highest flow that the moves ask for [mm³/s].
    pub top_flow_mm3_s: f64,
    /// Nozzles in use, by number.
    pub tools: Vec<u8>,
    /// Moves; a number of.
    pub moves: u64,
    /// What reading it said.
    pub reading: Reading,
}

/// Looks a path through while it is read.
struct Surveyor<'a, 'scope, 'env> {
    options: &'a SurveyOptions<'a>,
    dynamics: Dynamics,
    planning: Planning<'scope, 'env>,
    layers: Layers,
    retractions: Retractions,
    e_sum: [f64; 2],
    e_peak: [f64; 2],
    /// What is covered by beads of the first layer, by those above it, and by all other moves; which of them took the last
    /// move, where nothing came between.
    covered: [Bounds; 3],
    covers: Option<usize>,
    nozzle_now_c: f64,
    bed_now_c: f64,
    /// The nozzles that laid a bead, and the last of them.
    tools: u128,
    tool: u8,
    out: Totals,
}

#[derive(Default)]
struct Totals {
    bead: f64,
    printed: f64,
    travel: f64,
    dwell: f64,
    heating: f64,
    unknown_heating: u64,
    pauses: u64,
    nozzle_c: Option<f64>,
    bed_c: Option<f64>,
    top_flow: f64,
    moves: u64,
}

/// Room temperature that heating is counted from [°C; common practice, no source].
const ROOM_C: f64 = 22.0;

impl Surveyor<'_, '_, '_> {
    #[inline]
    fn owner(&self) -> u32 {
        u32::try_from(self.layers.current().map_or(0, |i| i + 1)).unwrap_or(u32::MAX)
    }

    #[inline]
    fn feed(&mut self, fed_mm: f64, flow: f64) -> [f64; 2] {
        let mut used = [0.0; 2];
        for (i, fed) in [fed_mm * flow, fed_mm].into_iter().enumerate() {
            self.e_sum[i] += fed;
            used[i] = (self.e_sum[i] - self.e_peak[i]).max(0.0);
            self.e_peak[i] += used[i];
        }
        used
    }

    #[inline]
    fn go(&mut self, m: &Move, line: &LineRef<'_>) {
        self.out.moves += 1;
        let covers = if m.kind == MoveKind::Print {
            self.layers.see(m, line);
            self.out.bead += m.fed_mm;
            self.out.printed += m.length_mm;
            if m.tool != self.tool || self.tools == 0 {
                self.tool = m.tool;
                self.tools |= 1 << m.tool.min(127);
            }
            let flow = m.fed_per_mm * m.flow * m.speed_mm_s;
            if flow > self.out.top_flow {
                self.out.top_flow = flow;
            }
            usize::from(self.layers.current().is_some_and(|i| i > 0))
        } else {
            2
        };
        self.covered[covers].take(m, self.covers == Some(covers));
        self.covers = Some(covers);
        self.retractions.see(m, line);
        let used = if m.fed_mm == 0.0 {
            [0.0; 2]
        } else {
            self.feed(m.fed_mm, m.flow)
        };
        let owner = self.owner();
        if let Some(i) = self.layers.current() {
            let layer = &mut self.layers.all_mut()[i];
            layer.filament_mm += used[0];
            match m.kind {
                MoveKind::Print => layer.printed_mm += m.length_mm,
                MoveKind::Travel | MoveKind::Wipe => layer.travel_mm += m.length_mm,
                _ => {}
            }
        }
        if matches!(m.kind, MoveKind::Travel | MoveKind::Wipe) {
            self.out.travel += m.length_mm;
        }
        let segment = self.dynamics.segment(m, owner);
        self.planning.push(segment);
    }

    fn heat(&mut self, bed: bool, to_c: f64, waits: bool) {
        let (hottest, now) = if bed {
            (&mut self.out.bed_c, &mut self.bed_now_c)
        } else {
            (&mut self.out.nozzle_c, &mut self.nozzle_now_c)
        };
        *hottest = Some(hottest.unwrap_or(0.0).max(to_c));
        let from_c = *now;
        if !waits {
            return;
        }
        *now = to_c;
        if to_c <= from_c {
            return;
        }
        match self.options.heating.and_then(|h| h(bed, from_c, to_c)) {
            Some(s) => {
                self.out.heating += s;
                // Heating isn't motion: the factor isn't about it.
                self.wait_for(s / self.options.limits.factor);
            }
            None => self.out.unknown_heating += 1,
        }
    }

    /// Time in which nothing moves, for whoever is being laid.
    fn wait_for(&mut self, s: f64) {
        let owner = self.owner();
        self.planning.wait(owner, s);
    }
}

impl Follow for Surveyor<'_, '_, '_> {
    #[inline]
    fn item(&mut self, item: &Item, line: LineRef<'_>, machine: &Machine) -> bool {
        if let Item::Move(m) = item {
            self.go(m, &line);
            return true;
        }
        self.covers = None;
        match item {
            Item::Set(s) => {
                self.dynamics.set(s);
                match s {
                    Setting::Nozzle(c) => self.heat(false, *c, false),
                    Setting::Bed(c) => self.heat(true, *c, false),
                    Setting::OwnRetraction(own) => self.retractions.set_own(*own),
                    _ => {}
                }
            }
            Item::Wait(wait) => {
                self.dynamics.rest();
                match wait {
                    Wait::Dwell(s) => {
                        self.out.dwell += s;
                        self.wait_for(*s);
                    }
                    Wait::Heat { bed, to_c } => self.heat(*bed, *to_c, true),
                    Wait::Person => self.out.pauses += 1,
                    Wait::OwnRetract(begins) => {
                        let z = machine.place_mm[2].unwrap_or(0.0);
                        self.retractions.own(*begins, z, line);
                    }
                    Wait::Home | Wait::Tool(_) => {}
                }
            }
            Item::Move(_) | Item::Counts(_) | Item::Other => {}
        }
        true
    }
}

/// Looks a file through: layers, time and what binds, retractions, what it covers. Memory is that of its layers.
///
/// Time is that of the time-optimal profile under the limits (Bobrow, Dubowsky, Gibson 1985), or with a look-ahead that of
/// a planner that rests at the end of what it sees. A move of filament alone begins and ends at rest; so does
/// everything around a wait. Homing isn't counted: how far and how fast is the board's own. What the file sets of its limits (M201, M203, M204, M205) it obeys from there on.
/// # Errors
/// [`ReadError`].
pub fn survey(
    from: impl Read + Send,
    options: &SurveyOptions<'_>,
    progress: impl FnMut(u64) -> bool,
) -> Result<Survey, ReadError> {
    std::thread::scope(|scope| survey_within(scope, from, options, progress))
}

fn survey_within<'scope, 'env>(
    scope: &'scope std::thread::Scope<'scope, 'env>,
    from: impl Read + Send,
    options: &SurveyOptions<'_>,
    progress: impl FnMut(u64) -> bool,
) -> Result<Survey, ReadError> {
    let limits = &options.limits;
    let mut s = Surveyor {
        options,
        dynamics: Dynamics::new(limits),
        planning: Planning::new((options.cores > 0).then_some(scope), limits.look_ahead),
        layers: Layers::default(),
        retractions: Retractions::default(),
        e_sum: [0.0; 2],
        e_peak: [0.0; 2],
        covered: [Bounds::EMPTY; 3],
        covers: None,
        nozzle_now_c: ROOM_C,
        bed_now_c: ROOM_C,
        tools: 0,
        tool: 0,
        out: Totals::default(),
    };
    let mut reading = read_path(from, options.cores, &mut s, progress)?;
    let times = s.planning.finish();
    if times.rested {
        reading.wrong(
            reading.lines,
            "before here are more than a million moves that never slow down; they are timed as if the path rested",
        );
    }
    let factor = limits.factor;
    let (heating_s, dwell_s) = (s.out.heating, s.out.dwell * factor);
    let scaled = |owner: usize| {
        let (seconds, binds) = times.owners.get(owner).copied().unwrap_or_default();
        (seconds * factor, binds.scaled(factor))
    };
    let mut binds = Binds::default();
    let mut moving = 0.0;
    for owner in 0..times.owners.len() {
        let (seconds, of) = scaled(owner);
        moving += seconds;
        binds.add(&of);
    }
    for (i, layer) in s.layers.all_mut().iter_mut().enumerate() {
        (layer.seconds, layer.binds) = scaled(i + 1);
    }
    let before_s = scaled(0).0;
    let [first, upper, others] = s.covered;
    let beads = first.with(upper);
    let (layers, prime) = s.layers.finish();
    let (retractions, retraction_kinds) = s.retractions.finish();
    Ok(Survey {
        seconds: moving,
        filament_mm: s.e_peak[0],
        commanded_filament_mm: s.e_peak[1],
        bead_filament_mm: s.out.bead,
        volume_mm3: s.e_peak[0] * limits.filament_mm2(),
        printed_mm: s.out.printed,
        travel_mm: s.out.travel,
        retractions,
        retraction_kinds,
        bounds: beads.any(),
        upper_bounds: upper.any(),
        moves_bounds: beads.with(others).any(),
        layers,
        prime,
        before_s,
        binds,
        kinds_s: times.kinds_s.map(|k| k * factor),
        dwell_s,
        heating_s,
        unknown_heating: s.out.unknown_heating,
        pauses: s.out.pauses,
        nozzle_c: s.out.nozzle_c,
        bed_c: s.out.bed_c,
        top_flow_mm3_s: s.out.top_flow * limits.filament_mm2(),
        tools: (0..128).filter(|t| s.tools >> t & 1 == 1).collect(),
        moves: s.out.moves,
        reading,
    })
}
