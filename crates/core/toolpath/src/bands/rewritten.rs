//! Bands whose numbers stand in the moves themselves.

use wattotherm_gcode::{Lexer, Machine, TokenKind, Words};
use wattotherm_measure::text::plain;

use super::commanded::ending_of;
use super::words::{Word, has, rewritten};
use super::{BandKind, BandsError, Sheet, Wanted};
use crate::layers::{Layer, Layers};
use crate::read::{Follow, Item, LineRef, Move, MoveKind, Wait};

/// Lines kept back from a retraction to the feed after it; more than that is none.
const MOST_KEPT: usize = 4_096;

/// A line kept back until its retraction is seen whole.
struct Kept {
    number: u64,
    at: u64,
    bytes: Vec<u8>,
    ending: Vec<u8>,
    unit_mm: f64,
    to_z: f64,
    moves_z: bool,
    relative: bool,
    kind: MoveKind,
    fed_mm: f64,
    /// Where E counts to behind it [mm], as the file says.
    e_mm: f64,
    e_relative: bool,
}

/// A retraction under way.
struct Group {
    from_z: f64,
    band: usize,
    lines: Vec<Kept>,
    travels: bool,
}

pub(super) struct Rewritten<'a> {
    wanted: &'a Wanted,
    sheet: &'a mut Sheet,
    layers: Layers,
    band: Option<usize>,
    group: Option<Group>,
    /// What the changed file's absolute E is ahead of this one's [mm].
    e_ahead_mm: f64,
    /// Filament that is taken back now [mm], in this file and in the changed one.
    taken_mm: f64,
    taken_new_mm: f64,
    /// Speed in force in the changed file [mm/min], where it differs.
    feed_new: Option<f64>,
    base: Option<f64>,
    refused: Option<BandsError>,
}

/// Lengths closer than this are the same [mm].
const SAME_MM: f64 = 1e-7;

impl<'a> Rewritten<'a> {
    pub(super) fn new(wanted: &'a Wanted, sheet: &'a mut Sheet) -> Self {
        Self {
            wanted,
            sheet,
            layers: Layers::default(),
            band: None,
            group: None,
            e_ahead_mm: 0.0,
            taken_mm: 0.0,
            taken_new_mm: 0.0,
            feed_new: None,
            base: None,
            refused: None,
        }
    }

    pub(super) fn finish(mut self) -> (Option<f64>, Option<BandsError>) {
        // What is taken back at the very end, with nothing fed behind it, is in no band.
        self.group = None;
        (self.base, self.refused)
    }

    fn value(&self) -> Option<f64> {
        self.band.map(|b| self.sheet.bands[b].value)
    }

    /// Writes a line anew with these words; false where it can't be.
    fn write(&mut self, number: u64, at: u64, bytes: &[u8], words: &[Word]) -> bool {
        match rewritten(bytes, words) {
            Ok(put) if put == bytes => true,
            Ok(put) => {
                self.sheet.put(at, bytes.len(), put);
                true
            }
            Err(says) => {
                self.refused = Some(BandsError::Line { line: number, says });
                false
            }
        }
    }

    /// A line whose E feeds another length than the file says.
    fn write_e(&mut self, k: &Kept, fed_new_mm: f64, more: &[Word]) -> bool {
        let mut words: Vec<Word> = more.to_vec();
        if has(&k.bytes, b'E') {
            let e = if k.e_relative {
                fed_new_mm
            } else {
                self.e_ahead_mm += fed_new_mm - k.fed_mm;
                if self.e_ahead_mm.abs() < SAME_MM {
                    self.e_ahead_mm = 0.0;
                }
                k.e_mm + self.e_ahead_mm
            };
            let as_it_is = k.e_relative && (fed_new_mm - k.fed_mm).abs() < SAME_MM
                || !k.e_relative && self.e_ahead_mm == 0.0;
            if !as_it_is {
                words.push((b'E', e / k.unit_mm, 5));
            }
        }
        words.is_empty() || self.write(k.number, k.at, &k.bytes, &words)
    }

    /// What a feed becomes while filament is taken back: as much of it as was taken comes back, the rest is extra.
    fn fed_back(&mut self, fed_mm: f64) -> f64 {
        if self.taken_mm <= SAME_MM {
            return fed_mm;
        }
        let back = fed_mm.min(self.taken_mm);
        let back_new = back / self.taken_mm * self.taken_new_mm;
        self.taken_mm -= back;
        self.taken_new_mm -= back_new;
        if self.taken_mm <= SAME_MM {
            (self.taken_mm, self.taken_new_mm) = (0.0, 0.0);
        }
        fed_mm - back + back_new
    }

    fn kept(m: &Move, line: LineRef<'_>, machine: &Machine) -> Kept {
        Kept {
            number: line.number,
            at: line.at,
            bytes: line.bytes.to_vec(),
            ending: line.ending.to_vec(),
            unit_mm: line.unit_mm,
            to_z: m.to_mm[2],
            moves_z: (m.to_mm[2] - m.from_mm[2]).abs() > SAME_MM,
            relative: machine.relative == Some(true),
            kind: m.kind,
            fed_mm: m.fed_mm,
            e_mm: machine.e_mm.unwrap_or(0.0),
            e_relative: machine.e_relative == Some(true),
        }
    }

    /// Takes back another length: known once the last of it is read.
    fn distance(&mut self, m: &Move, line: LineRef<'_>, machine: &Machine) -> bool {
        let takes = matches!(m.kind, MoveKind::Retract | MoveKind::Wipe);
        if takes && (self.band.is_some() || self.group.is_some()) {
            let band = self.band.unwrap_or(0);
            let group = self.group.get_or_insert_with(|| Group {
                from_z: m.from_mm[2],
                band,
                lines: Vec::new(),
                travels: false,
            });
            if group.lines.len() < MOST_KEPT {
                group.lines.push(Self::kept(m, line, machine));
                return true;
            }
        }
        if !self.taken_back() {
            return false;
        }
        let k = Self::kept(m, line, machine);
        let fed_new = match m.kind {
            MoveKind::Retract | MoveKind::Wipe => {
                self.taken_mm -= m.fed_mm;
                self.taken_new_mm -= m.fed_mm;
                m.fed_mm
            }
            MoveKind::Travel => 0.0,
            MoveKind::Prime | MoveKind::Print => self.fed_back(m.fed_mm),
        };
        self.write_e(&k, fed_new, &[])
    }

    /// Writes what was taken back in one piece.
    fn taken_back(&mut self) -> bool {
        let Some(group) = self.group.take() else {
            return true;
        };
        let had: f64 = -group.lines.iter().map(|k| k.fed_mm).sum::<f64>();
        let wanted = self.sheet.bands[group.band].value;
        self.base.get_or_insert(had);
        for k in &group.lines {
            let fed_new = k.fed_mm * wanted / had;
            self.taken_mm -= k.fed_mm;
            self.taken_new_mm -= fed_new;
            if !self.write_e(k, fed_new, &[]) {
                return false;
            }
        }
        true
    }

    /// Writes a line's speed anew, or the file's own where the line before it had another.
    fn speed(&mut self, m: &Move, line: LineRef<'_>, machine: &Machine) -> bool {
        let flat = (m.to_mm[0] - m.from_mm[0]).hypot(m.to_mm[1] - m.from_mm[1]) > SAME_MM;
        let meant = match self.wanted.kind {
            BandKind::RetractionSpeed => m.kind == MoveKind::Retract,
            _ => m.kind == MoveKind::Travel && flat,
        };
        let file = machine.feed_mm_min.unwrap_or(1_200.0);
        let wanted = self.value().filter(|_| meant).map(|v| v * 60.0);
        if meant && wanted.is_some() {
            self.base.get_or_insert(m.speed_mm_s);
        }
        let says = has(line.bytes, b'F');
        let in_force = if says {
            file
        } else {
            self.feed_new.unwrap_or(file)
        };
        let target = wanted.unwrap_or(file);
        self.feed_new = Some(target);
        if (in_force - target).abs() < 1e-6 {
            return true;
        }
        let word = (b'F', target / line.unit_mm, 3);
        self.write(line.number, line.at, line.bytes, &[word])
    }

    /// Lifts by another height: known once filament is fed again.
    fn hop(&mut self, m: &Move, line: LineRef<'_>, machine: &Machine) -> bool {
        match m.kind {
            MoveKind::Retract | MoveKind::Wipe | MoveKind::Travel => {
                if self.group.is_none()
                    && m.kind != MoveKind::Travel
                    && let Some(band) = self.band
                {
                    self.group = Some(Group {
                        from_z: m.from_mm[2],
                        band,
                        lines: Vec::new(),
                        travels: false,
                    });
                }
                if let Some(group) = &mut self.group {
                    if group.lines.len() >= MOST_KEPT {
                        self.group = None;
                        return true;
                    }
                    group.travels |= m.kind == MoveKind::Travel
                        && (m.to_mm[0] - m.from_mm[0]).hypot(m.to_mm[1] - m.from_mm[1]) > SAME_MM;
                    group.lines.push(Self::kept(m, line, machine));
                }
                true
            }
            MoveKind::Prime | MoveKind::Print => {
                let down = Self::kept(m, line, machine);
                match self.group.take() {
                    Some(group) => self.lifted(&group, &down, m.from_mm[2]),
                    None => true,
                }
            }
        }
    }

    fn lifted(&mut self, group: &Group, down: &Kept, to_z: f64) -> bool {
        if !group.travels {
            return true;
        }
        let wanted = self.sheet.bands[group.band].value;
        let base = group.from_z.max(to_z);
        let highest = group.lines.iter().map(|k| k.to_z).fold(base, f64::max);
        let had = highest - base;
        self.base.get_or_insert(if had < 1e-4 { 0.0 } else { had });
        if had >= 1e-4 {
            let lift = |z: f64| {
                if z > base {
                    base + (z - base) * wanted / had
                } else {
                    z
                }
            };
            let mut new_z = group.from_z;
            for k in &group.lines {
                let to = lift(k.to_z);
                if k.moves_z && has(&k.bytes, b'Z') {
                    // Only differences are written: the words may count from elsewhere.
                    let word = if k.relative {
                        to - new_z
                    } else {
                        to - k.to_z + word_of(&k.bytes, b'Z') * k.unit_mm
                    };
                    if !self.write(k.number, k.at, &k.bytes, &[(b'Z', word / k.unit_mm, 4)]) {
                        return false;
                    }
                }
                new_z = to;
            }
            return true;
        }
        // Up and down again at one height: between layers the head goes up anyhow.
        let level = group.lines.iter().all(|k| !k.moves_z) && (to_z - group.from_z).abs() < SAME_MM;
        let first = group.lines.iter().find(|k| k.kind == MoveKind::Travel);
        let (Some(first), true, true) = (first, level, wanted > 0.0) else {
            return true;
        };
        let text = |k: &Kept, up: bool| {
            let z = match (k.relative, up) {
                (true, true) => wanted,
                (true, false) => -wanted,
                (false, true) => group.from_z + wanted,
                (false, false) => to_z,
            };
            let word = plain(z / k.unit_mm, 4);
            [format!("G1 Z{word}").as_bytes(), ending_of(&k.ending)].concat()
        };
        self.sheet.put(first.at, 0, text(first, true));
        self.sheet.put(down.at, 0, text(down, false));
        true
    }

    /// Feeds more or less in the first layer of each part.
    fn first_layer(&mut self, m: &Move, line: LineRef<'_>, machine: &Machine) -> bool {
        let k = Self::kept(m, line, machine);
        let first = self.layers.now().is_none_or(Layer::is_first);
        if !first && self.e_ahead_mm != 0.0 {
            // Once over, the file's own count holds again.
            let before = (k.e_mm - k.fed_mm) / k.unit_mm;
            let text = format!("G92 E{}", plain(before, 5));
            self.sheet.put(
                line.at,
                0,
                [text.as_bytes(), ending_of(line.ending)].concat(),
            );
            self.e_ahead_mm = 0.0;
        }
        let factor = match (first, m.kind) {
            (true, MoveKind::Print) => self.wanted.values.first().copied().unwrap_or(1.0),
            _ => 1.0,
        };
        self.write_e(&k, k.fed_mm * factor, &[])
    }
}

/// Whether a line is a move with a speed.
fn moves_with_speed(line: &[u8]) -> bool {
    matches!(Words::of_file(line), Ok(Some(w)) if matches!(w.code(), "G0" | "G1") && w.has('F'))
}

/// The number behind a letter, 0 if there is none.
fn word_of(line: &[u8], letter: u8) -> f64 {
    Lexer::new(line)
        .flatten()
        .find_map(|t| match t.kind {
            TokenKind::Word(l, v) if l == letter => v,
            _ => None,
        })
        .unwrap_or(0.0)
}

impl Follow for Rewritten<'_> {
    fn item(&mut self, item: &Item, line: LineRef<'_>, machine: &Machine) -> bool {
        match item {
            Item::Move(m) => {
                if m.kind == MoveKind::Print {
                    self.layers.see(m, &line);
                    if let Some((z, height)) = self.layers.now().map(|l| (l.z_mm, l.height_mm)) {
                        self.band = self.sheet.bead(z, height, m.length_mm, line);
                    }
                }
                match self.wanted.kind {
                    BandKind::RetractionDistance => self.distance(m, line, machine),
                    BandKind::Hop => self.hop(m, line, machine),
                    BandKind::FirstLayerFlow => self.first_layer(m, line, machine),
                    _ => self.speed(m, line, machine),
                }
            }
            Item::Counts(e) => {
                let whole = self.wanted.kind != BandKind::RetractionDistance || self.taken_back();
                if e.is_some() {
                    self.e_ahead_mm = 0.0;
                }
                whole
            }
            // The way goes on elsewhere: what was kept back isn't one lift.
            Item::Wait(Wait::Home | Wait::Tool(_)) => {
                let whole = self.wanted.kind != BandKind::RetractionDistance || self.taken_back();
                self.group = None;
                whole
            }
            // A move with a speed alone sets the file's; an F of any other command is none.
            Item::Other if moves_with_speed(line.bytes) => {
                self.feed_new = None;
                true
            }
            _ => true,
        }
    }
}
