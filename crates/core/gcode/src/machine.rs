//! What is known of a printer's modes and place: the board's own idea of them, or nothing.

use super::allowed::Allowed;
use super::words::Words;

/// X, Y, Z in this order.
pub const AXES: [char; 3] = ['X', 'Y', 'Z'];

/// A printer's modes and place as far as they follow from what was sent and answered. What a panel, a
/// card or a restart may have changed is unknown, and unknown is never guessed.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Machine {
    /// Axes homed since the motors were last let go.
    pub homed: [bool; 3],
    /// Place of the head [mm]; none after homing until a move or the printer says where it is.
    pub place_mm: [Option<f64>; 3],
    /// Whether X, Y, Z count from the last place (G91).
    pub relative: Option<bool>,
    /// Whether E counts from its last place. Boards differ in whether G90 and G91 change it, so after
    /// those it is known only where all of them agree.
    pub e_relative: Option<bool>,
    /// Filament as last commanded [mm].
    pub e_mm: Option<f64>,
    /// The nozzle in use.
    pub tool: Option<u8>,
    /// Measured temperature of each nozzle [°C]; empty while no fresh report is there.
    pub tools_c: Vec<f64>,
    /// Nozzles that the printer reports; none before its first report.
    pub tools: Option<usize>,
}

impl Machine {
    /// Forgets modes and place, keeps what is measured: after a restart, a new connection, a print of
    /// the printer's own, or an answer that went missing.
    pub fn forget(&mut self) {
        *self = Self {
            tools_c: std::mem::take(&mut self.tools_c),
            tools: self.tools,
            ..Self::default()
        };
    }

    /// The temperature [°C] that decides whether filament may be fed: the nozzle in use, or the coldest
    /// while it isn't known which one that is.
    #[must_use]
    pub fn feeding_c(&self) -> Option<f64> {
        match self.tool {
            Some(t) if self.tools_c.len() > 1 => self.tools_c.get(usize::from(t)).copied(),
            _ => self.tools_c.iter().copied().reduce(f64::min),
        }
    }

    /// Whether the place of the head can be known at all: with a second nozzle in use every place is
    /// shifted by that nozzle's offset.
    #[must_use]
    pub fn is_placed(&self) -> bool {
        match self.tools {
            None => false,
            Some(n) => n < 2 || self.tool == Some(0),
        }
    }

    /// How much filament [mm] an E word moves; none where that can't be known.
    #[must_use]
    pub fn fed_mm(&self, e: f64) -> Option<f64> {
        match self.e_relative? {
            true => Some(e),
            false => Some(e - self.e_mm?),
        }
    }

    /// Where a word of an axis [mm] leads; none where that can't be known.
    #[must_use]
    pub fn leads_to_mm(&self, axis: usize, word: f64) -> Option<f64> {
        match self.relative? {
            true => Some(self.place_mm[axis]? + word),
            false => Some(word),
        }
    }

    /// Takes the place [mm] that the printer says.
    pub fn said(&mut self, place_mm: [f64; 3]) {
        for (i, at_mm) in place_mm.into_iter().enumerate() {
            if self.homed[i] && self.is_placed() {
                self.place_mm[i] = Some(at_mm);
            }
        }
    }

    fn unhome(&mut self) {
        self.homed = [false; 3];
        self.place_mm = [None; 3];
    }

    /// Follows a command that the printer has taken.
    pub fn taken(&mut self, sent: &Allowed) {
        let w = sent.words();
        match w.code() {
            "G28" => self.home(w),
            // Probing ends somewhere over the bed.
            "G29" => self.place_mm = [None; 3],
            "G90" => {
                self.relative = Some(false);
                if self.e_relative != Some(false) {
                    self.e_relative = None;
                }
            }
            "G91" => {
                self.relative = Some(true);
                if self.e_relative != Some(true) {
                    self.e_relative = None;
                }
            }
            // On some boards G91 rules over M82.
            "M82" => self.e_relative = (self.relative == Some(false)).then_some(false),
            "M83" => self.e_relative = Some(true),
            "G92" => self.e_mm = w.value('E').or(self.e_mm),
            "G0" | "G1" => {
                for (i, axis) in AXES.into_iter().enumerate() {
                    if let Some(v) = w.value(axis) {
                        self.place_mm[i] = self.leads_to_mm(i, v);
                    }
                }
                if let Some(e) = w.value('E') {
                    self.e_mm = match self.e_relative {
                        Some(true) => self.e_mm.map(|was| was + e),
                        Some(false) => Some(e),
                        None => None,
                    };
                }
            }
            // The scale of an axis, the memory, the motors: what was the place is another one.
            "M92" => {
                for (i, axis) in AXES.into_iter().enumerate() {
                    if w.has(axis) {
                        self.homed[i] = false;
                        self.place_mm[i] = None;
                    }
                }
                if w.has('E') {
                    self.e_mm = None;
                }
            }
            "M501" => {
                self.unhome();
                self.e_mm = None;
            }
            "M218" | "M851" | "M18" | "M84" | "M410" => self.unhome(),
            "M112" | "M999" => self.forget(),
            code if code.starts_with('T') => {
                let to = code[1..].parse().ok();
                if to.is_none() || self.tool != to {
                    self.tool = to;
                    self.unhome();
                    self.e_mm = None;
                }
            }
            _ => {}
        }
    }

    fn home(&mut self, w: &Words) {
        let named = AXES.map(|a| w.has(a));
        let all = named == [false; 3];
        for (i, is_named) in named.into_iter().enumerate() {
            self.homed[i] |= all || is_named;
            // Homing one axis may lift another, or drive to where the bed is probed.
            self.place_mm[i] = None;
        }
    }
}
