//! Lays beads: G-code of a piece, with its length, filament and body.

use std::fmt::Write as _;

use super::facts::PieceFor;
use super::solid::Prism;
use super::strokes::strokes;
use crate::bores::bead_area_mm2;

/// Travel shorter than this stays without retraction [mm]. Common practice, no published source.
const SHORT_MM: f64 = 2.0;
/// How far a nozzle that was lifted for good goes up [mm].
const UP_MM: f64 = 5.0;
/// From one nozzle's line that primes to the next one's [mm].
const PRIMES_APART_MM: f64 = 2.0;
/// Length of the line that primes the nozzle beside the plate's edge [mm].
const PRIME_MM: f64 = 60.0;

/// How filament is taken back over travel: one of these may change by height or by line.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Pull {
    pub(super) length_mm: f64,
    pub(super) speed_mm_s: f64,
    pub(super) travel_mm_s: f64,
    pub(super) hop_mm: f64,
}

/// A place as it is written: filament is reckoned from what the printer is told [mm].
fn written(place: [f64; 2]) -> [f64; 2] {
    place.map(|v| (v * 1e3).round() / 1e3)
}

pub(super) struct Pen<'a> {
    pub(super) facts: &'a PieceFor,
    out: String,
    at: [f64; 2],
    z: f64,
    height: f64,
    width: f64,
    speed: f64,
    feed: f64,
    pub(super) pull: Pull,
    /// Flow over that of the profile [1].
    pub(super) flow: f64,
    pub(super) body: Vec<Prism>,
    first: bool,
    tool: u8,
    nozzles: u8,
}

impl<'a> Pen<'a> {
    /// Heated, homed, with one nozzle.
    pub(super) fn new(facts: &'a PieceFor, title: &str) -> Self {
        Self::of_nozzles(facts, title, 1)
    }

    /// Heated, homed, with so many nozzles: the first is in use, the others are as hot.
    pub(super) fn of_nozzles(facts: &'a PieceFor, title: &str, nozzles: u8) -> Self {
        let mut pen = Self {
            facts,
            out: String::new(),
            at: [0.0; 2],
            z: 0.0,
            height: facts.layer(),
            width: facts.width(),
            speed: facts.speed_mm_s,
            feed: 0.0,
            pull: Pull {
                length_mm: facts.retract_mm,
                speed_mm_s: facts.retract_mm_s,
                travel_mm_s: facts.travel_mm_s,
                hop_mm: facts.hop_mm,
            },
            flow: 1.0,
            body: Vec::new(),
            first: true,
            tool: 0,
            nozzles,
        };
        pen.say(&format!("; {title}"));
        pen.say("; a test piece; stay with the printer");
        let heat = |text: &str| {
            text.replace("{nozzle}", &format!("{:.0}", facts.nozzle_c))
                .replace("{bed}", &format!("{:.0}", facts.bed_c))
        };
        if facts.start.trim().is_empty() {
            pen.say("G21\nG90\nM83\nM107");
            if facts.bed_c > 0.0 {
                pen.say(&heat("M140 S{bed}\nM190 S{bed}"));
            }
            pen.say(&heat("M109 S{nozzle}\nG28"));
        } else {
            pen.say(&heat(facts.start.trim_end()));
            pen.say("G21\nG90\nM83");
        }
        for tool in 1..nozzles {
            pen.say(&heat(&format!("M109 T{tool} S{{nozzle}}")));
        }
        // Its own flow is in its path: an override that is still on would multiply it once more.
        pen.say("M221 S100");
        pen
    }

    pub(super) fn say(&mut self, line: &str) {
        self.out.push_str(line);
        self.out.push('\n');
    }

    /// Where lines of the next beads lie, and how high they are [mm].
    pub(super) fn layer(&mut self, z: f64, height: f64) {
        self.z = z;
        self.height = height;
        let _ = writeln!(self.out, "G1 Z{z:.3} F600");
        self.feed = 600.0;
        let above = self.first && z > self.height * 1.5;
        if above {
            self.first = false;
            if self.facts.fan > 0.0 {
                let _ = writeln!(self.out, "M106 S{:.0}", self.facts.fan * 255.0);
            }
        }
    }

    /// The line that primes, along the front rim; a further nozzle's lies behind that of the one before, in the
    /// middle of the rim: there the head stays over the plate whichever way its offset counts.
    pub(super) fn prime(&mut self) {
        let (rim, h) = (self.facts.rim_mm, self.height);
        let long = PRIME_MM.min(self.facts.bed_mm[0] - 2.0 * rim - 2.0);
        let behind = rim + 1.0 + PRIMES_APART_MM * f64::from(self.tool);
        let from = if self.tool == 0 {
            rim + 1.0
        } else {
            (self.facts.bed_mm[0] - long) / 2.0
        };
        self.layer(h, h);
        self.go([from, behind]);
        self.speed = self.facts.first_speed_mm_s;
        self.line([from + long, behind]);
    }

    pub(super) fn with(&mut self, width: f64, speed_mm_s: f64) {
        self.width = width;
        self.speed = speed_mm_s;
    }

    fn feed_to(&mut self, mm_s: f64) -> String {
        // A whole number of mm/min, never above what was meant.
        let feed = (mm_s * 60.0).floor().max(1.0);
        if (feed - self.feed).abs() < 0.5 {
            return String::new();
        }
        self.feed = feed;
        format!(" F{feed:.0}")
    }

    /// Moves without laying anything.
    pub(super) fn go(&mut self, to: [f64; 2]) {
        let to = written(to);
        let far = (to[0] - self.at[0]).hypot(to[1] - self.at[1]);
        if far < 1e-6 {
            return;
        }
        let pulls = far > SHORT_MM && self.pull.length_mm > 0.0;
        if pulls {
            let f = self.feed_to(self.pull.speed_mm_s);
            let _ = writeln!(self.out, "G1 E-{:.4}{f}", self.pull.length_mm);
        }
        let hops = far > SHORT_MM && self.pull.hop_mm > 0.0;
        if hops {
            let f = self.feed_to(10.0);
            let _ = writeln!(self.out, "G1 Z{:.3}{f}", self.z + self.pull.hop_mm);
        }
        let f = self.feed_to(self.pull.travel_mm_s);
        let _ = writeln!(self.out, "G0 X{:.3} Y{:.3}{f}", to[0], to[1]);
        if hops {
            let f = self.feed_to(10.0);
            let _ = writeln!(self.out, "G1 Z{:.3}{f}", self.z);
        }
        if pulls {
            let f = self.feed_to(self.pull.speed_mm_s);
            let _ = writeln!(self.out, "G1 E{:.4}{f}", self.pull.length_mm);
        }
        self.at = to;
    }

    /// The most that the bead may be laid with [mm/s].
    fn at_most(&self) -> f64 {
        let area = bead_area_mm2(self.width, self.height) * self.flow * self.facts.flow;
        self.speed.min(self.facts.flow_limit_mm3_s / area)
    }

    /// Filament of a bead [mm].
    fn e(&self, length: f64) -> f64 {
        bead_area_mm2(self.width, self.height) * length / self.facts.filament_mm2()
            * self.flow
            * self.facts.flow
    }

    /// Lays a bead; `rise` of the height goes along with it.
    pub(super) fn rising(&mut self, to: [f64; 2], rise: f64) {
        let to = written(to);
        let length = (to[0] - self.at[0]).hypot(to[1] - self.at[1]);
        if length < 1e-6 {
            return;
        }
        let f = self.feed_to(self.at_most());
        let e = self.e(length);
        let z = if rise > 0.0 {
            self.z += rise;
            format!(" Z{:.4}", self.z)
        } else {
            String::new()
        };
        let _ = writeln!(self.out, "G1 X{:.3} Y{:.3}{z} E{e:.5}{f}", to[0], to[1]);
        self.at = to;
    }

    /// Lays a bead.
    pub(super) fn line(&mut self, to: [f64; 2]) {
        self.rising(to, 0.0);
    }

    /// Lays a bead round some corners and back to the first.
    pub(super) fn ring(&mut self, corners: &[[f64; 2]]) {
        self.go(corners[0]);
        for to in corners[1..].iter().chain(&corners[..1]) {
            self.line(*to);
        }
    }

    /// The corners of a rectangle, `inset` inside it [mm].
    pub(super) fn corners(from: [f64; 2], to: [f64; 2], inset: f64) -> [[f64; 2]; 4] {
        let (a, b) = (
            [from[0] + inset, from[1] + inset],
            [to[0] - inset, to[1] - inset],
        );
        [a, [b[0], a[1]], b, [a[0], b[1]]]
    }

    /// Spacing at which beads side by side fill their layer: as far apart as their cut is large [mm].
    pub(super) fn spacing(&self) -> f64 {
        bead_area_mm2(self.width, self.height) / self.height
    }

    /// Fills a rectangle with lines along one axis, each as long as it; what is left over is shared between them.
    pub(super) fn fill(&mut self, from: [f64; 2], to: [f64; 2], along: usize) {
        let room = (to[1 - along] - from[1 - along] - self.width).max(0.0);
        let between = self.between(room);
        let step = room / f64::from(between.max(1));
        self.lines_beside([from, to], along, (between, step, 0.0));
    }

    /// The same, each line exactly its own cut from the next, in the middle of the rectangle: where the look of a top is
    /// judged, lines that share what is left over would lie too far apart.
    pub(super) fn cover(&mut self, from: [f64; 2], to: [f64; 2], along: usize) {
        let room = (to[1 - along] - from[1 - along] - self.width).max(0.0);
        let (between, step) = (self.between(room), self.spacing());
        let left = room - f64::from(between) * step;
        self.lines_beside([from, to], along, (between, step, left / 2.0));
    }

    /// How many spacings fit into a room [mm].
    fn between(&self, room: f64) -> u32 {
        // OK because a plate has thousands of lines at most.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let n = (room / self.spacing() + 1e-9).floor() as u32;
        n
    }

    fn lines_beside(
        &mut self,
        [from, to]: [[f64; 2]; 2],
        along: usize,
        (between, step, begin): (u32, f64, f64),
    ) {
        let across = 1 - along;
        let inset = self.width / 2.0;
        for n in 0..=between {
            let at = from[across] + inset + begin + f64::from(n) * step;
            let ends = [from[along] + inset, to[along] - inset];
            let ends = if n % 2 == 0 { ends } else { [ends[1], ends[0]] };
            let place = |v: f64| if along == 0 { [v, at] } else { [at, v] };
            if n == 0 {
                self.go(place(ends[0]));
            } else {
                self.line(place(ends[0]));
            }
            self.line(place(ends[1]));
        }
    }

    /// Writes a text from its lower left corner, so tall [mm].
    pub(super) fn write(&mut self, text: &str, at: [f64; 2], high: f64) {
        for [a, b] in strokes(text, high).0 {
            self.go([at[0] + a[0], at[1] + a[1]]);
            self.line([at[0] + b[0], at[1] + b[1]]);
        }
    }

    /// Feeds filament standing [mm], at a flow [mm³/s].
    pub(super) fn heap(&mut self, length_mm: f64, flow_mm3_s: f64) {
        let f = self.feed_to(flow_mm3_s / self.facts.filament_mm2());
        let _ = writeln!(self.out, "G1 E{length_mm:.4}{f}");
    }

    /// Takes up another nozzle.
    pub(super) fn nozzle(&mut self, tool: u8) {
        if tool != self.tool {
            self.tool = tool;
            let _ = writeln!(self.out, "T{tool}");
            // Wherever that one stands, it is far from what comes next.
            self.at = [f64::INFINITY; 2];
        }
    }

    /// Ends it: lifted, cold, motors let go.
    pub(super) fn end(mut self) -> (String, Vec<Prism>) {
        let f = self.feed_to(self.pull.speed_mm_s);
        let _ = writeln!(self.out, "G1 E-1{f}");
        let up = (self.z + UP_MM).min(self.facts.height_mm);
        let _ = writeln!(self.out, "G0 Z{up:.3} F600");
        // The shop's own end needn't know of what this piece heated besides the first.
        for tool in 1..self.nozzles {
            self.say(&format!("M104 T{tool} S0"));
        }
        if self.facts.end.trim().is_empty() {
            self.say("M107\nM104 S0\nM140 S0\nM84");
        } else {
            let end = self.facts.end.trim_end().to_owned();
            self.say(&end);
        }
        (self.out, self.body)
    }
}
