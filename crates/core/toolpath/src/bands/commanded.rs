//! Bands that a command sets.

use wattotherm_gcode::Machine;
use wattotherm_measure::text::plain;

use super::{BandKind, BandsError, Sheet, Wanted};
use crate::layers::Layers;
use crate::read::{Follow, Item, LineRef, MoveKind, Setting, Wait};

pub(super) struct Commanded<'a> {
    wanted: &'a Wanted,
    sheet: &'a mut Sheet,
    layers: Layers,
    in_force: Option<usize>,
    /// What the file itself has set last.
    base: Option<f64>,
    /// That, when the last bead was laid.
    base_then: Option<f64>,
    no_base: bool,
    /// The first line that would set a length while the file counts in inches.
    inches: Option<u64>,
    /// The byte behind the last bead, and how its line ends.
    behind: (u64, Vec<u8>),
}

impl<'a> Commanded<'a> {
    pub(super) fn new(wanted: &'a Wanted, sheet: &'a mut Sheet) -> Self {
        Self {
            base: (wanted.kind == BandKind::Flow).then_some(1.0),
            wanted,
            sheet,
            layers: Layers::default(),
            in_force: None,
            base_then: None,
            no_base: false,
            inches: None,
            behind: (0, Vec::new()),
        }
    }

    /// The command that sets a value.
    fn command(&self, value: f64) -> String {
        match self.wanted.kind {
            BandKind::Temperature => format!("M104 S{}", plain(value, 1)),
            BandKind::Fan => format!("M106 S{:.0}", value * 255.0),
            BandKind::PressureAdvance => format!("M900 K{}", plain(value, 4)),
            BandKind::OwnRetraction => format!("M207 S{}", plain(value, 3)),
            _ => format!("M221 S{}", plain(value * 100.0, 2)),
        }
    }

    fn line(&self, band: usize) -> String {
        let b = &self.sheet.bands[band];
        format!(
            "{} ; {} to {} mm: {} {}{}",
            self.command(b.value),
            plain(b.from_mm, 2),
            plain(b.to_mm, 2),
            self.wanted.kind.what(),
            plain(b.value, 4),
            self.wanted.kind.unit(),
        )
    }

    /// The command that sets again what the file has.
    fn restored(&self, base: f64) -> String {
        format!(
            "{} ; {} as in the file",
            self.command(base),
            self.wanted.kind.what()
        )
    }

    fn own(&mut self, value: f64, line: LineRef<'_>) {
        self.base = Some(value);
        if let Some(band) = self.in_force {
            self.sheet
                .put(line.next(), 0, behind(&self.line(band), line.ending));
        }
    }

    /// What the file said, and why it is refused, if it is.
    pub(super) fn finish(self) -> (Option<f64>, Option<BandsError>) {
        // What the file sets behind the last bead is its own affair.
        let (end, ending) = &self.behind;
        self.sheet.edits.retain(|e| e.at < *end);
        let refused = match self.inches {
            Some(line) => Some(BandsError::Inches { line }),
            None => self.no_base.then_some(BandsError::NoBase {
                what: self.wanted.kind.what(),
            }),
        };
        if self.in_force.is_some()
            && let Some(base) = self.base_then
        {
            self.sheet
                .put(*end, 0, behind(&self.restored(base), ending));
        }
        (self.base_then, refused)
    }
}

/// A line put behind another that ends so; where that has no end, it begins on a new one.
fn behind(text: &str, ending: &[u8]) -> Vec<u8> {
    let end = ending_of(ending);
    if ending.is_empty() {
        [end, text.as_bytes()].concat()
    } else {
        [text.as_bytes(), end].concat()
    }
}

/// How lines of the file end; where the last has no end, a new line is begun.
pub(super) fn ending_of(ending: &[u8]) -> &[u8] {
    if ending.is_empty() { b"\n" } else { ending }
}

impl Follow for Commanded<'_> {
    fn item(&mut self, item: &Item, line: LineRef<'_>, _: &Machine) -> bool {
        match item {
            Item::Move(m) if m.kind == MoveKind::Print => {
                self.layers.see(m, &line);
                let Some((z, height)) = self.layers.now().map(|l| (l.z_mm, l.height_mm)) else {
                    return true;
                };
                let band = self.sheet.bead(z, height, m.length_mm, line);
                if band != self.in_force {
                    if self.wanted.kind == BandKind::OwnRetraction && line.unit_mm > 1.0 {
                        self.inches = self.inches.or(Some(line.number));
                    }
                    let was = std::mem::replace(&mut self.in_force, band);
                    let text = match band {
                        Some(band) => Some(self.line(band)),
                        None => self.base.map(|base| self.restored(base)),
                    };
                    match text {
                        Some(text) => {
                            let put = [text.as_bytes(), ending_of(line.ending)].concat();
                            self.sheet.put(line.at, 0, put);
                        }
                        None => self.no_base |= was.is_some(),
                    }
                }
                self.base_then = self.base;
                if self.behind.1 != line.ending {
                    self.behind.1 = line.ending.to_vec();
                }
                self.behind.0 = line.next();
            }
            Item::Set(set) => match (self.wanted.kind, set) {
                (BandKind::Flow, Setting::Flow(v))
                | (BandKind::Temperature, Setting::Nozzle(v))
                | (BandKind::Fan, Setting::Fan(v))
                | (BandKind::PressureAdvance, Setting::PressureAdvance(v))
                | (BandKind::OwnRetraction, Setting::OwnRetraction([Some(v), ..])) => {
                    self.own(*v, line);
                }
                _ => {}
            },
            Item::Wait(Wait::Heat { bed: false, to_c })
                if self.wanted.kind == BandKind::Temperature =>
            {
                self.own(*to_c, line);
            }
            _ => {}
        }
        true
    }
}
