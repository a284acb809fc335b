//! What is known of a printer's modes and place: the board's own idea of them, or nothing.

use std::collections::BTreeMap;

use super::words::Words;

/// X, Y, Z in this order.
pub const AXES: [char; 3] = ['X', 'Y', 'Z'];

/// Where boards differ. What isn't known of a board is `None`, and then everything that hangs on it is
/// unknown too.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Habits {
    /// Whether G90 and G91 set how E counts as well.
    pub modes_rule_e: Option<bool>,
    /// Where homing leaves the head [mm].
    pub home_mm: Option<[f64; 3]>,
    /// Whether this is the board's own count, which goes on when the motors are let go: to the board the
    /// head is where it last counted, to everybody else its place is lost.
    pub counts_on: bool,
}

/// A printer's modes and place as far as they follow from what was sent and answered. What a panel, a
/// card or a restart may have changed is unknown, and unknown is never guessed.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Machine {
    /// How this board does what boards do differently.
    pub habits: Habits,
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
    /// Speed of moves as last commanded [mm/min].
    pub feed_mm_min: Option<f64>,
    /// Part fan as last commanded, 0 to 1.
    pub fan: Option<f64>,
    /// The nozzle in use.
    pub tool: Option<u8>,
    /// Measured temperature of each nozzle [°C]; empty while no fresh report is there.
    pub tools_c: Vec<f64>,
    /// Nozzles that the printer reports; none before its first report.
    pub tools: Option<usize>,
    /// Whether the motors were let go and nothing was homed since: then a change of nozzle moves nothing over.
    pub let_go: bool,
    /// Where each further nozzle stands from the first [mm], as the printer has it; what it didn't say is none.
    pub offsets_mm: BTreeMap<u8, [Option<f64>; 3]>,
}

impl Machine {
    /// A board's own idea just after it was switched on [common practice, no published source]: counting
    /// from zero, nothing homed, the first nozzle in use, fan off.
    #[must_use]
    pub fn switched_on(habits: Habits, tools: usize) -> Self {
        Self {
            habits,
            homed: [false; 3],
            place_mm: [Some(0.0); 3],
            relative: Some(false),
            e_relative: Some(false),
            e_mm: Some(0.0),
            feed_mm_min: Some(1_200.0),
            fan: Some(0.0),
            tool: Some(0),
            tools_c: Vec::new(),
            tools: Some(tools),
            let_go: true,
            offsets_mm: BTreeMap::new(),
        }
    }

    /// Forgets modes and place, keeps what is measured: after a restart, a new connection, a print of
    /// the printer's own, or an answer that went missing.
    pub fn forget(&mut self) {
        *self = Self {
            habits: self.habits,
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

    /// Whether the place of the head can be known at all: with a further nozzle in use every place is
    /// shifted by that nozzle's offset, so that must be known.
    #[must_use]
    pub fn is_placed(&self) -> bool {
        match (self.tools, self.tool) {
            (None, _) => false,
            (Some(n), _) if n < 2 => true,
            (Some(_), Some(tool)) => self.offset_mm(tool).is_some(),
            (Some(_), None) => false,
        }
    }

    /// Where a nozzle stands from the first [mm], if all of it is known.
    #[must_use]
    pub fn offset_mm(&self, tool: u8) -> Option<[f64; 3]> {
        if tool == 0 {
            return Some([0.0; 3]);
        }
        let [x, y, z] = *self.offsets_mm.get(&tool)?;
        Some([x?, y?, z?])
    }

    /// How far [mm] a change to nozzle `to` may move the head, or shift what its place is called: boards differ in
    /// which of the two they do, and in the sign. None where that isn't known.
    #[must_use]
    pub fn change_moves_mm(&self, to: u8) -> Option<[f64; 3]> {
        let (from, to) = (self.offset_mm(self.tool?)?, self.offset_mm(to)?);
        Some([to[0] - from[0], to[1] - from[1], to[2] - from[2]])
    }

    /// Takes what the printer's settings report says of a further nozzle: a line `M218` with its nozzle. A length that
    /// it doesn't list it doesn't have, so that is 0 [common practice, no published source].
    pub fn said_offset(&mut self, words: &Words) {
        if let Some(tool) = further_nozzle(words) {
            let says = AXES.map(|a| Some(words.value(a).unwrap_or(0.0)));
            self.offsets_mm.insert(tool, says);
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
    #[inline]
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

    /// Loses the place along an axis.
    fn lose(&mut self, axis: usize) {
        if !self.habits.counts_on {
            self.place_mm[axis] = None;
        }
    }

    fn lose_e(&mut self) {
        if !self.habits.counts_on {
            self.e_mm = None;
        }
    }

    fn unhome(&mut self) {
        self.homed = [false; 3];
        (0..3).for_each(|i| self.lose(i));
    }

    /// What G90 or G91 makes of how E counts.
    fn e_after_mode(&self, relative: bool) -> Option<bool> {
        match self.habits.modes_rule_e {
            Some(true) => Some(relative),
            Some(false) => self.e_relative,
            // Known only where boards of both kinds agree.
            None => self.e_relative.filter(|e| *e == relative),
        }
    }

    /// Follows a command that the printer has taken.
    pub fn follow(&mut self, w: &Words) {
        match w.code() {
            "G28" => self.home(w),
            // Probing ends somewhere over the bed.
            "G29" => (0..3).for_each(|i| self.lose(i)),
            code @ ("G90" | "G91") => {
                let relative = code == "G91";
                self.relative = Some(relative);
                self.e_relative = self.e_after_mode(relative);
            }
            // On some boards G91 rules over M82.
            "M82" => {
                let ruled = self.habits.modes_rule_e.is_none() && self.relative != Some(false);
                self.e_relative = (!ruled).then_some(false);
            }
            "M83" => self.e_relative = Some(true),
            "G92" => {
                self.e_mm = w.value('E').or(self.e_mm);
                for (i, axis) in AXES.into_iter().enumerate() {
                    self.place_mm[i] = w.value(axis).or(self.place_mm[i]);
                }
            }
            "G0" | "G1" | "G2" | "G3" => {
                self.moved(AXES.map(|a| w.value(a)), w.value('E'), w.value('F'));
            }
            // OK because an output of 255 is a fan at full speed.
            "M106" if w.value('P').is_none_or(|p| p < 0.5) => {
                self.fan = Some(w.value('S').unwrap_or(255.0).clamp(0.0, 255.0) / 255.0);
            }
            "M107" if w.value('P').is_none_or(|p| p < 0.5) => self.fan = Some(0.0),
            // The scale of an axis, the memory, the motors: what was the place is another one.
            "M92" => {
                for (i, axis) in AXES.into_iter().enumerate() {
                    if w.has(axis) {
                        self.homed[i] = false;
                        self.lose(i);
                    }
                }
                if w.has('E') {
                    self.lose_e();
                }
            }
            "M501" => {
                self.unhome();
                self.lose_e();
                self.offsets_mm.clear();
            }
            "M218" => {
                match further_nozzle(w) {
                    Some(tool) => {
                        let known = self.offsets_mm.entry(tool).or_default();
                        for (i, axis) in AXES.into_iter().enumerate() {
                            known[i] = w.value(axis).or(known[i]);
                        }
                    }
                    // Which nozzle it is meant for is the board's secret.
                    None => self.offsets_mm.clear(),
                }
                // The first of several stays where it is; another's place is called otherwise now. What it does to a
                // printer with one nobody knows.
                let first_of_several = self.tools.is_some_and(|n| n > 1) && self.tool == Some(0);
                if !first_of_several {
                    self.unhome();
                }
            }
            "M18" | "M84" => {
                self.unhome();
                self.let_go = true;
            }
            "M851" | "M410" => self.unhome(),
            "M112" | "M999" if self.habits.counts_on => self.homed = [false; 3],
            "M112" | "M999" => self.forget(),
            code if code.starts_with('T') => {
                let to = code[1..].parse().ok();
                if to.is_none() || self.tool != to {
                    match to.and_then(|to| self.change_moves_mm(to)) {
                        // Where it stands is called otherwise now, or it moved over; it is as homed as it was.
                        Some(by_mm) => {
                            for (i, by_mm) in by_mm.into_iter().enumerate() {
                                if by_mm != 0.0 {
                                    self.lose(i);
                                }
                            }
                        }
                        None => self.unhome(),
                    }
                    self.tool = to;
                    self.lose_e();
                }
            }
            _ => {}
        }
    }

    /// Follows a move by its words: X, Y, Z and E [mm], F [mm/min].
    #[inline]
    pub fn moved(&mut self, to: [Option<f64>; 3], e: Option<f64>, feed_mm_min: Option<f64>) {
        for (i, word) in to.into_iter().enumerate() {
            if let Some(v) = word {
                self.place_mm[i] = self.leads_to_mm(i, v);
            }
        }
        if let Some(e) = e {
            self.e_mm = match self.e_relative {
                Some(true) => self.e_mm.map(|was| was + e),
                Some(false) => Some(e),
                None => None,
            };
        }
        self.feed_mm_min = feed_mm_min.or(self.feed_mm_min);
    }

    fn home(&mut self, w: &Words) {
        let named = AXES.map(|a| w.has(a));
        let all = named == [false; 3];
        self.let_go = false;
        for (i, is_named) in named.into_iter().enumerate() {
            self.homed[i] |= all || is_named;
            match self.habits.home_mm {
                Some(home) if all || is_named => self.place_mm[i] = Some(home[i]),
                Some(_) => {}
                // Homing one axis may lift another, or drive to where the bed is probed.
                None => self.place_mm[i] = None,
            }
        }
    }
}

/// The further nozzle that an `M218` names.
fn further_nozzle(words: &Words) -> Option<u8> {
    let tool = words.value('T').filter(|t| (1.0..256.0).contains(t))?;
    // OK because it lies in the range just asked for.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    Some(tool as u8)
}
