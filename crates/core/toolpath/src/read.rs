//! Reading a tool path: lines into moves, waits and settings, as a board would follow them.

use std::io::Read;

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_gcode::{AXES, Arc, Habits, Machine, PlainMove, Words};

use crate::chunks::{ReadError, each_chunk};

/// What can't be read, and where.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[schema(as = PathDiagnostic)]
pub struct Diagnostic {
    /// Number of the line, from 1.
    pub line: u64,
    /// Number of the byte in the line, from 1.
    pub column: usize,
    /// What is wrong, and what was made of it.
    pub message: String,
}

/// Diagnostics kept; the rest is counted.
const MOST_DIAGNOSTICS: usize = 200;

/// What a move does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MoveKind {
    /// Lays a bead.
    Print,
    /// Moves without feeding.
    Travel,
    /// Moves and takes filament back.
    Wipe,
    /// Takes filament back and stands.
    Retract,
    /// Feeds and stands.
    Prime,
}

/// One move, in millimetres and seconds.
#[derive(Clone, Debug, PartialEq)]
pub struct Move {
    /// Where it begins [mm].
    pub from_mm: [f64; 3],
    /// Where it ends [mm].
    pub to_mm: [f64; 3],
    /// Filament fed [mm], as the line says; negative is taken back.
    pub fed_mm: f64,
    /// Filament fed for each millimetre of its length [1].
    pub fed_per_mm: f64,
    /// The flow override (M221) in force [1].
    pub flow: f64,
    /// Speed asked for [mm/s], the speed override (M220) in it.
    pub speed_mm_s: f64,
    /// Length of the way [mm]; of the filament where nothing else moves.
    pub length_mm: f64,
    /// Directions of X, Y, Z at its begin [1]; of length 1, or 0 where only filament moves.
    pub enters: [f64; 3],
    /// Directions at its end [1].
    pub leaves: [f64; 3],
    /// How it is round, if it is.
    pub arc: Option<Arc>,
    /// What it does.
    pub kind: MoveKind,
    /// The nozzle that does it.
    pub tool: u8,
}

/// The planner's limits as files set them.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Setting {
    /// M204: acceleration of printing and of other moves [mm/s²].
    Accel(Option<f64>, Option<f64>),
    /// M203: top speeds of X, Y, Z, E [mm/s].
    TopSpeeds([Option<f64>; 4]),
    /// M201: top accelerations of X, Y, Z, E [mm/s²].
    TopAccels([Option<f64>; 4]),
    /// M205 with J: junction deviation [mm].
    Junction(f64),
    /// M205: sudden changes of X, Y, Z, E [mm/s].
    Jerks([Option<f64>; 4]),
    /// M104, M109: nozzle to [°C].
    Nozzle(f64),
    /// M140, M190: bed to [°C].
    Bed(f64),
    /// M106, M107: part fan, 0 to 1.
    Fan(f64),
    /// M221: flow override, a number.
    Flow(f64),
    /// M900: pressure advance [s].
    PressureAdvance(f64),
    /// M207: length [mm], speed [mm/s] and hop [mm] of the board's own retraction.
    OwnRetraction([Option<f64>; 3]),
}

/// What the head stands still for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Wait {
    /// G4 for so long [s].
    Dwell(f64),
    /// M109 (false) or M190 (true) to so much [°C].
    Heat {
        /// Whether it is the bed.
        bed: bool,
        /// Wanted [°C].
        to_c: f64,
    },
    /// G28, G29.
    Home,
    /// T: another nozzle.
    Tool(u8),
    /// G10, and G11 where it is false: the board's own retraction.
    OwnRetract(bool),
    /// M0, M1, M25, M226, M600: until somebody is there.
    Person,
}

/// What a line turned out to be.
#[derive(Clone, Debug, PartialEq)]
pub enum Item {
    /// A move.
    Move(Move),
    /// The head stands.
    Wait(Wait),
    /// Something set for what follows.
    Set(Setting),
    /// G92: the words count from elsewhere; E counts from the number, if one is said.
    Counts(Option<f64>),
    /// A mode, or something that isn't followed: kept as it is.
    Other,
}

/// The line that an item came from.
#[derive(Clone, Copy, Debug)]
pub struct LineRef<'a> {
    /// Its number, from 1.
    pub number: u64,
    /// Where its first byte stands in the file.
    pub at: u64,
    /// Its bytes without its end.
    pub bytes: &'a [u8],
    /// Its end: nothing, `\n`, `\r` or both.
    pub ending: &'a [u8],
    /// Millimetres that its lengths are written in: 1, or 25.4 for inches.
    pub unit_mm: f64,
}

impl LineRef<'_> {
    /// The byte behind it and its end.
    #[must_use]
    pub const fn next(&self) -> u64 {
        self.at + (self.bytes.len() + self.ending.len()) as u64
    }
}

/// What a file said as a whole.
#[derive(Clone, Debug, Default, PartialEq, Serialize, ToSchema)]
pub struct Reading {
    /// Lines of the file; a number of.
    pub lines: u64,
    /// Lines that say something; a number of.
    pub said: u64,
    /// Lines that are kept and not followed; a number of.
    pub kept: u64,
    /// What can't be read; the first 200.
    pub diagnostics: Vec<Diagnostic>,
    /// All that can't be read; a number of.
    pub wrong: u64,
    /// Whether it says how filament counts (M82 or M83) before it feeds.
    pub says_e_mode: bool,
    /// The first line that feeds while that can't be told; a number of.
    pub unsure_e_line: Option<u64>,
}

impl Reading {
    /// Notes what is wrong at a column of a line.
    fn wrong_at(&mut self, line: u64, column: usize, message: impl Into<String>) {
        self.wrong += 1;
        if self.diagnostics.len() < MOST_DIAGNOSTICS {
            self.diagnostics.push(Diagnostic {
                line,
                column,
                message: message.into(),
            });
        }
    }

    /// Notes what is wrong with a line.
    pub(crate) fn wrong(&mut self, line: u64, message: impl Into<String>) {
        self.wrong_at(line, 1, message);
    }
}

/// Follows a path line by line.
pub trait Follow {
    /// Takes an item; `machine` is the board's state behind it. False stops the reading.
    fn item(&mut self, item: &Item, line: LineRef<'_>, machine: &Machine) -> bool;
}

impl<F: FnMut(&Item, LineRef<'_>, &Machine) -> bool> Follow for F {
    fn item(&mut self, item: &Item, line: LineRef<'_>, machine: &Machine) -> bool {
        self(item, line, machine)
    }
}

/// State of reading.
struct Reader {
    machine: Machine,
    /// What M82 and M83 last said: where boards differ after a G90, it stays.
    e_relative_said: bool,
    inches: bool,
    /// What G92 took off each axis [mm].
    shift_mm: [f64; 3],
    speed: f64,
    flow: f64,
    feed_said: bool,
    out: Reading,
}

/// The value where it is one, 0 where it isn't known: a path is drawn from the corner of the bed then.
#[inline]
fn place(machine: &Machine) -> [f64; 3] {
    let [x, y, z] = machine.place_mm;
    [x.unwrap_or(0.0), y.unwrap_or(0.0), z.unwrap_or(0.0)]
}

impl Reader {
    fn new() -> Self {
        let habits = Habits {
            modes_rule_e: None,
            home_mm: Some([0.0; 3]),
            counts_on: true,
        };
        Self {
            machine: Machine::switched_on(habits, 1),
            e_relative_said: false,
            inches: false,
            shift_mm: [0.0; 3],
            speed: 1.0,
            flow: 1.0,
            feed_said: false,
            out: Reading::default(),
        }
    }

    /// A straight or round move by its words [mm, mm/min].
    #[inline]
    fn go(
        &mut self,
        line: u64,
        to: [Option<f64>; 3],
        e: Option<f64>,
        feed: Option<f64>,
        round: Option<(bool, [Option<f64>; 3])>,
    ) -> Item {
        let (from, e_was) = (place(&self.machine), self.machine.e_mm.unwrap_or(0.0));
        self.machine.moved(to, e, feed);
        let to = place(&self.machine);
        let fed_mm = match e {
            Some(_) => self.machine.e_mm.unwrap_or(0.0) - e_was,
            None => 0.0,
        };
        self.feed_said |= feed.is_some();
        if e.is_some() && !self.out.says_e_mode && self.out.unsure_e_line.is_none() {
            self.out.unsure_e_line = Some(line);
            self.out.wrong(
                line,
                "how filament counts (M82 or M83) was not said before; read as absolute",
            );
        }
        if !self.feed_said && self.out.said > 0 {
            self.feed_said = true;
            self.out
                .wrong(line, "no speed was said yet; 20 mm/s is taken");
        }
        let d = [to[0] - from[0], to[1] - from[1], to[2] - from[2]];
        let arc = match round {
            None => None,
            Some((clockwise, words)) => {
                match Arc::read(clockwise, [from[0], from[1]], [to[0], to[1]], words) {
                    Ok(arc) => Some(arc),
                    Err(says) => {
                        self.out
                            .wrong(line, format!("{says}; read as a straight move"));
                        None
                    }
                }
            }
        };
        let flat2 = match &arc {
            Some(arc) => arc.length_mm() * arc.length_mm(),
            None => d[0] * d[0] + d[1] * d[1],
        };
        let way = (flat2 + d[2] * d[2]).sqrt();
        let stands = way < 1e-9;
        if stands && fed_mm == 0.0 {
            return Item::Other;
        }
        let kind = match (stands, fed_mm > 0.0, fed_mm < 0.0) {
            (false, true, _) => MoveKind::Print,
            (false, _, true) => MoveKind::Wipe,
            (false, ..) => MoveKind::Travel,
            (true, true, _) => MoveKind::Prime,
            (true, ..) => MoveKind::Retract,
        };
        let length_mm = if stands { fed_mm.abs() } else { way };
        // One division for all that counts for each millimetre.
        let per_mm = 1.0 / length_mm;
        let (enters, leaves) = match &arc {
            _ if stands => ([0.0; 3], [0.0; 3]),
            Some(arc) => {
                let flat = arc.length_mm() * per_mm;
                let along = |part: f64| {
                    let [x, y] = arc.heading(part);
                    [x * flat, y * flat, d[2] * per_mm]
                };
                (along(0.0), along(1.0))
            }
            None => {
                let u = [d[0] * per_mm, d[1] * per_mm, d[2] * per_mm];
                (u, u)
            }
        };
        let shifted = |p: [f64; 3]| {
            [
                p[0] + self.shift_mm[0],
                p[1] + self.shift_mm[1],
                p[2] + self.shift_mm[2],
            ]
        };
        Item::Move(Move {
            from_mm: shifted(from),
            to_mm: shifted(to),
            fed_mm,
            fed_per_mm: fed_mm * per_mm,
            flow: self.flow,
            speed_mm_s: self.machine.feed_mm_min.unwrap_or(1_200.0).max(1e-3) / 60.0 * self.speed,
            length_mm,
            enters,
            leaves,
            arc,
            kind,
            tool: self.machine.tool.unwrap_or(0),
        })
    }

    #[inline]
    fn plain(&mut self, line: u64, m: &PlainMove) -> Item {
        let unit = if self.inches { 25.4 } else { 1.0 };
        let word = |i: usize| m.value(i).map(|v| v * unit);
        self.go(line, [word(0), word(1), word(2)], word(3), word(4), None)
    }

    fn other(&mut self, line: u64, bytes: &[u8]) -> Item {
        let words = match Words::of_file(bytes) {
            Ok(Some(words)) => words,
            Ok(None) => {
                self.out.kept += 1;
                return Item::Other;
            }
            Err(e) => {
                if follows(bytes) {
                    self.out
                        .wrong_at(line, e.column, format!("{}; the line is left out", e.says));
                } else {
                    self.out.kept += 1;
                }
                return Item::Other;
            }
        };
        let words = if self.inches {
            words.scaled("XYZEFIJR", 25.4)
        } else {
            words
        };
        let value = |l: char| words.value(l);
        let four = |k: f64| ['X', 'Y', 'Z', 'E'].map(|l| value(l).map(|v| v * k));
        let set = |s: Setting| Item::Set(s);
        match words.code() {
            code @ ("G0" | "G1" | "G2" | "G3") => {
                let round =
                    matches!(code, "G2" | "G3").then(|| (code == "G2", ['I', 'J', 'R'].map(value)));
                self.go(line, AXES.map(value), value('E'), value('F'), round)
            }
            "G4" => {
                let s = value('S').or_else(|| value('P').map(|ms| ms / 1e3));
                Item::Wait(Wait::Dwell(s.unwrap_or(0.0).clamp(0.0, 86_400.0)))
            }
            // With other words it sets an offset.
            "G10" if !words.has('L') && !words.has('P') => Item::Wait(Wait::OwnRetract(true)),
            "G11" => Item::Wait(Wait::OwnRetract(false)),
            "G20" => self.units(true),
            "G21" => self.units(false),
            "G28" | "G29" => {
                self.shift_mm = [0.0; 3];
                self.follow(&words);
                Item::Wait(Wait::Home)
            }
            "G92" => {
                let was = place(&self.machine);
                self.follow(&words);
                let now = place(&self.machine);
                for i in 0..3 {
                    self.shift_mm[i] += was[i] - now[i];
                }
                Item::Counts(value('E'))
            }
            "G90" | "G91" => {
                self.follow(&words);
                // OK because a file that feeds after a mode without M82 or M83 is told of.
                if self.machine.e_relative.is_none() {
                    self.machine.e_relative = Some(self.e_relative_said);
                }
                Item::Other
            }
            code @ ("M82" | "M83") => {
                self.e_relative_said = code == "M83";
                self.machine.e_relative = Some(self.e_relative_said);
                self.out.says_e_mode = true;
                Item::Other
            }
            "M204" => {
                let both = value('S');
                set(Setting::Accel(value('P').or(both), value('T').or(both)))
            }
            "M203" => set(Setting::TopSpeeds(four(1.0))),
            "M201" => set(Setting::TopAccels(four(1.0))),
            "M205" => match value('J') {
                Some(j) => set(Setting::Junction(j)),
                None => set(Setting::Jerks(four(1.0))),
            },
            code @ ("M104" | "M109" | "M140" | "M190") => {
                let Some(to_c) = value('S').or_else(|| value('R')) else {
                    return Item::Other;
                };
                let bed = matches!(code, "M140" | "M190");
                if matches!(code, "M109" | "M190") {
                    Item::Wait(Wait::Heat { bed, to_c })
                } else if bed {
                    set(Setting::Bed(to_c))
                } else {
                    set(Setting::Nozzle(to_c))
                }
            }
            "M106" | "M107" if value('P').is_none_or(|p| p < 0.5) => {
                self.follow(&words);
                set(Setting::Fan(self.machine.fan.unwrap_or(0.0)))
            }
            "M207" => {
                let speed = value('F').map(|f| f / 60.0);
                set(Setting::OwnRetraction([value('S'), speed, value('Z')]))
            }
            "M220" => {
                if let Some(percent) = value('S') {
                    self.speed = (percent / 100.0).clamp(0.01, 10.0);
                }
                Item::Other
            }
            "M221" => {
                if let Some(percent) = value('S') {
                    self.flow = (percent / 100.0).clamp(0.0, 10.0);
                }
                set(Setting::Flow(self.flow))
            }
            "M900" => value('K').map_or(Item::Other, |k| set(Setting::PressureAdvance(k))),
            "M0" | "M1" | "M25" | "M226" | "M600" => Item::Wait(Wait::Person),
            code if code.starts_with('T') => {
                let Ok(tool) = code[1..].parse::<u8>() else {
                    return Item::Other;
                };
                self.follow(&words);
                Item::Wait(Wait::Tool(tool))
            }
            _ => {
                self.out.kept += 1;
                Item::Other
            }
        }
    }

    fn follow(&mut self, words: &Words) {
        self.machine.follow(words);
    }

    fn units(&mut self, inches: bool) -> Item {
        self.inches = inches;
        Item::Other
    }
}

/// Whether a line's command is one whose words matter to a path: a text behind `M117` is no wrong word.
fn follows(bytes: &[u8]) -> bool {
    let start = bytes
        .iter()
        .position(|c| !c.is_ascii_whitespace())
        .unwrap_or(0);
    let line = &bytes[start..];
    let end = line
        .iter()
        .skip(1)
        .position(|c| !c.is_ascii_digit())
        .map_or(line.len(), |n| n + 1);
    let code = String::from_utf8_lossy(&line[..end]).to_ascii_uppercase();
    let number = code.get(1..).and_then(|n| n.parse::<u16>().ok());
    match code.as_bytes().first() {
        // A numbered line: its command stands behind.
        Some(b'N') => follows(line.get(end..).unwrap_or_default()),
        Some(b'G') => {
            matches!(number, Some(0..=4 | 10 | 11 | 20 | 21 | 28 | 29 | 90..=92))
        }
        Some(b'M') => matches!(
            number,
            Some(
                82 | 83 | 104 | 106 | 107 | 109 | 140 | 190 | 201 | 203
                    ..=205 | 207 | 220 | 221 | 900
            )
        ),
        _ => false,
    }
}

/// Reads a path and hands each line that says something to `follow`, in order. `progress` hears how many
/// bytes are read, a few times a megabyte; where it says false, or the follower does, reading stops.
/// Lines are lexed on `cores` threads beside this one.
///
/// Places, lengths and fed filament are in mm whatever the file's units; arcs are kept round. Where the file
/// doesn't say how filament counts, it is read as absolute, and that is told.
/// # Errors
/// [`ReadError`].
pub fn read_path(
    from: impl Read + Send,
    cores: usize,
    follow: &mut impl Follow,
    mut progress: impl FnMut(u64) -> bool,
) -> Result<Reading, ReadError> {
    let mut reader = Reader::new();
    each_chunk(from, cores, |chunk| {
        let first = reader.out.lines + 1;
        for line in &chunk.lines {
            let number = first + u64::from(line.number);
            let (start, end) = (line.start as usize, line.end as usize);
            let bytes = &chunk.bytes[start..end];
            reader.out.said += 1;
            let item = if line.plain {
                reader.plain(number, &line.moves)
            } else {
                reader.other(number, bytes)
            };
            let line = LineRef {
                number,
                at: chunk.at + start as u64,
                bytes,
                ending: &chunk.bytes[end..chunk.past(end)],
                unit_mm: if reader.inches { 25.4 } else { 1.0 },
            };
            if !follow.item(&item, line, &reader.machine) {
                return false;
            }
        }
        reader.out.lines += chunk.ends;
        if chunk.unfinished {
            let line = reader.out.lines + 1;
            reader
                .out
                .wrong(line, "the line is too long; it is kept and not followed");
        }
        progress(chunk.at + chunk.bytes.len() as u64)
    })?;
    Ok(reader.out)
}
