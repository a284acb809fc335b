//! Bands that a command sets.

use wattotherm_gcode::Machine;

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
            behind: (0, Vec::new()),
        }
    }

    /// The command that sets a value.
    fn command(&self, value: f64) -> String {
        match self.wanted.kind {
            BandKind::Temperature => format!("M104 S{}", short(value, 1)),
            BandKind::Fan => format!("M106 S{:.0}", value * 255.0),
            BandKind::PressureAdvance => format!("M900 K{}", short(value, 4)),
            BandKind::OwnRetraction => format!("M207 S{}", short(value, 3)),
            _ => format!("M221 S{}", short(value * 100.0, 2)),
        }
    }

    fn line(&self, band: usize) -> String {
        let b = &self.sheet.bands[band];
        format!(
            "{} ; {} to {} mm: {} {}{}",
            self.command(b.value),
            short(b.from_mm, 2),
            short(b.to_mm, 2),
            self.wanted.kind.what(),
            short(b.value, 4),
            self.wanted.kind.unit(),
        )
    }

    fn restored(&self) -> Option<String> {
        let base = self.base?;
        let text = self.command(base);
        Some(format!(
            "{text} ; {} as in the file",
            self.wanted.kind.what()
        ))
    }

    fn own(&mut self, value: f64, line: LineRef<'_>) {
        self.base = Some(value);
        if let Some(band) = self.in_force {
            let text = self.line(band);
            let ending = ending_of(line.ending);
            let put = if line.ending.is_empty() {
                [ending, text.as_bytes()].concat()
            } else {
                [text.as_bytes(), ending].concat()
            };
            self.sheet.put(line.next(), 0, put);
        }
    }

    /// What the file said, and why it is refused, if it is.
    pub(super) fn finish(self) -> (Option<f64>, Option<BandsError>) {
        // What the file sets behind the last bead is its own affair.
        let behind = self.behind.0;
        self.sheet
            .edits
            .retain(|e| e.at < behind || e.put.is_empty());
        let refused = self.no_base.then_some(BandsError::NoBase {
            what: self.wanted.kind.what(),
        });
        if self.in_force.is_some()
            && let Some(base) = self.base_then
        {
            let text = format!(
                "{} ; {} as in the file",
                self.command(base),
                self.wanted.kind.what()
            );
            let ending = ending_of(&self.behind.1);
            let put = if self.behind.1.is_empty() {
                [ending, text.as_bytes()].concat()
            } else {
                [text.as_bytes(), ending].concat()
            };
            self.sheet.put(behind, 0, put);
        }
        (self.base_then, refused)
    }
}

/// How lines of the file end; where the last has no end, a new line is begun.
pub(super) fn ending_of(ending: &[u8]) -> &[u8] {
    if ending.is_empty() { b"\n" } else { ending }
}

/// A number with no more than so many places, and none for nothing.
pub(super) fn short(value: f64, places: usize) -> String {
    let text = format!("{value:.places$}");
    if text.contains('.') {
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    } else {
        text
    }
}

impl Follow for Commanded<'_> {
    fn item(&mut self, item: &Item, line: LineRef<'_>, _: &Machine) -> bool {
        match item {
            Item::Move(m) if m.kind == MoveKind::Print => {
                self.layers.see(m, line);
                let Some((z, height)) = self.layers.now().map(|l| (l.z_mm, l.height_mm)) else {
                    return true;
                };
                let band = self.sheet.bead(z, height, m.length_mm, line);
                if band != self.in_force {
                    let was = std::mem::replace(&mut self.in_force, band);
                    let text = match band {
                        Some(band) => Some(self.line(band)),
                        None => self.restored(),
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
