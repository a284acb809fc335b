//! A whole file before its first line goes out: what of it a printer's guard lets through.

use std::collections::BTreeMap;
use std::io::Read;

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_gcode::{
    Effect, Guard, Habits, Heater, LeftOut, Machine, PrintLine, PrintLines, Words,
};

use crate::chunks::{ReadError, each_chunk};
use crate::read::Diagnostic;

/// Refusals kept; the rest is counted.
const MOST_REFUSED: usize = 50;
/// Commands that are left out, told apart.
const MOST_GONE: usize = 40;
/// A nozzle that nobody has heated [°C].
const COLD_C: f64 = 20.0;

/// A command that is left out of a print.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct Gone {
    /// The command.
    pub code: String,
    /// The first line that it stands on; a number.
    pub line: u64,
    /// How often it stands there; a number.
    pub times: u64,
}

/// What a guard makes of a whole file.
#[derive(Clone, Debug, Default, PartialEq, Serialize, ToSchema)]
pub struct Clearance {
    /// Lines that go out; a number of.
    pub lines: u64,
    /// What a printer must not be sent: the first of it, with line and reason.
    pub refused: Vec<Diagnostic>,
    /// All lines that it must not be sent; a number of.
    pub refused_lines: u64,
    /// What is left out because it only shows or asks something.
    pub shows: Vec<Gone>,
    /// What is left out because nobody here knows what it does.
    pub unknown: Vec<Gone>,
    /// Lines at which it waits for a person; a number of.
    pub waits_for_person: u64,
    /// Hottest that each nozzle is set [°C], the first one's first; none where the file doesn't heat it.
    pub nozzles_c: Vec<Option<f64>>,
    /// Hottest that the bed is set [°C].
    pub bed_c: Option<f64>,
    /// Settings of the machine that it changes, each once, e.g. `M204`: to be set back when it ends.
    pub sets: Vec<String>,
}

impl Clearance {
    /// Whether it may be sent as a whole.
    #[must_use]
    pub const fn is_clear(&self) -> bool {
        self.refused_lines == 0 && self.lines > 0
    }

    fn refuse(&mut self, line: u64, message: String) {
        self.refused_lines += 1;
        if self.refused.len() < MOST_REFUSED {
            self.refused.push(Diagnostic {
                line,
                column: 1,
                message,
            });
        }
    }
}

/// What lasts after a print unless it is set back.
const LASTS: [&str; 10] = [
    "M201", "M203", "M204", "M205", "M207", "M208", "M220", "M221", "M420", "M900",
];

fn note(gone: &mut BTreeMap<String, Gone>, code: String, line: u64) {
    if let Some(g) = gone.get_mut(&code) {
        g.times += 1;
    } else if gone.len() < MOST_GONE {
        let g = Gone {
            code: code.clone(),
            line,
            times: 1,
        };
        gone.insert(code, g);
    }
}

struct Follow<'a> {
    guard: &'a Guard,
    machine: Machine,
    lines: PrintLines,
    out: Clearance,
    shows: BTreeMap<String, Gone>,
    unknown: BTreeMap<String, Gone>,
}

impl Follow<'_> {
    fn plain(&mut self, line: u64, m: &wattotherm_gcode::PlainMove) {
        let to = [m.value(0), m.value(1), m.value(2)];
        let (e, feed) = (m.value(3), m.value(4));
        if feed.is_some_and(|f| !(1.0..=60_000.0).contains(&f)) {
            self.out.refuse(
                line,
                format!("a speed of {} mm/min can’t be meant", feed.unwrap_or(0.0)),
            );
        } else if let Err(e) = self.guard.travels(to, e, &self.machine, false) {
            self.out.refuse(line, why(&e.to_string()));
        } else {
            self.out.lines += 1;
        }
        // Followed all the same: one wrong line isn't a thousand.
        self.machine.moved(to, e, feed);
    }

    fn other(&mut self, line: u64, bytes: &[u8]) {
        match self.lines.line(bytes) {
            PrintLine::Nothing => {}
            PrintLine::Person => self.out.waits_for_person += 1,
            PrintLine::LeaveOut(code, LeftOut::Unknown) => note(&mut self.unknown, code, line),
            PrintLine::LeaveOut(code, _) => note(&mut self.shows, code, line),
            PrintLine::Refuse(why) => self.out.refuse(line, why),
            PrintLine::Send(words) => self.goes(line, &words),
            PrintLine::SendAndSay(words, says) => {
                self.goes(line, &words);
                if let Ok(w) = Words::read(says) {
                    self.goes(line, &w);
                }
            }
        }
    }

    fn goes(&mut self, line: u64, words: &Words) {
        match self.guard.allow(&words.line(), &self.machine, false) {
            Err(e) => self.out.refuse(line, why(&e.to_string())),
            Ok(allowed) => {
                self.out.lines += 1;
                if let Some((heater, c)) = allowed.heat {
                    self.heated(heater, c, allowed.effect == Effect::HeatAndWait);
                }
            }
        }
        let code = words.code();
        if LASTS.contains(&code) && !self.out.sets.iter().any(|s| s == code) {
            self.out.sets.push(code.to_owned());
        }
        self.machine.follow(words);
    }

    /// A nozzle is as hot as it was waited for; where it is only told, it may be as cold as it is told.
    fn heated(&mut self, heater: Option<Heater>, to_c: f64, waits: bool) {
        let hottest = |was: &mut Option<f64>| *was = Some(was.map_or(to_c, |h| h.max(to_c)));
        let tool = match heater {
            Some(Heater::Tool(n)) => usize::from(n),
            Some(Heater::Bed) => return hottest(&mut self.out.bed_c),
            Some(Heater::Chamber) => return,
            None => usize::from(self.machine.tool.unwrap_or(0)),
        };
        if let Some(was) = self.out.nozzles_c.get_mut(tool) {
            hottest(was);
        }
        if let Some(c) = self.machine.tools_c.get_mut(tool) {
            *c = if waits { to_c } else { c.min(to_c.max(COLD_C)) };
        }
    }
}

/// A refusal speaks of one line that wasn't sent; here none is.
fn why(refusal: &str) -> String {
    refusal
        .split(" Nothing was sent")
        .next()
        .unwrap_or(refusal)
        .trim_end_matches(['.', ';'])
        .to_owned()
}

/// The nozzles that a file may use.
#[derive(Clone, Debug, PartialEq)]
pub struct Nozzles {
    /// How many; a number.
    pub count: usize,
    /// Where each further one stands from the first [mm], as far as the printer says.
    pub offsets_mm: BTreeMap<u8, [Option<f64>; 3]>,
}

impl Nozzles {
    /// A printer with one.
    pub const ONE: Self = Self {
        count: 1,
        offsets_mm: BTreeMap::new(),
    };
}

/// Reads a whole file as [`PrintLines`] would send it to a printer with such `nozzles`, the first of them in use, and
/// asks its guard of every line: a nozzle counts as cold until the file waits for it, the head as lost until the file
/// homes it. What depends on where homing ends is asked again when it goes out. `progress` hears how many bytes are
/// read.
/// # Errors
/// [`ReadError`].
pub fn clear_path(
    from: impl Read + Send,
    guard: &Guard,
    nozzles: &Nozzles,
    cores: usize,
    mut progress: impl FnMut(u64) -> bool,
) -> Result<Clearance, ReadError> {
    let machine = Machine {
        habits: Habits {
            // Where homing ends is a corner of the bed, or above it.
            home_mm: Some([0.0; 3]),
            ..Habits::default()
        },
        tools: Some(nozzles.count),
        tools_c: vec![COLD_C; nozzles.count.max(1)],
        tool: Some(0),
        offsets_mm: nozzles.offsets_mm.clone(),
        ..Machine::default()
    };
    let mut follow = Follow {
        guard,
        machine,
        lines: PrintLines::new(nozzles.count),
        out: Clearance {
            nozzles_c: vec![None; nozzles.count.max(1)],
            ..Clearance::default()
        },
        shows: BTreeMap::new(),
        unknown: BTreeMap::new(),
    };
    let mut before = 0;
    each_chunk(from, cores, |chunk| {
        for line in &chunk.lines {
            let number = before + u64::from(line.number) + 1;
            if line.plain {
                follow.plain(number, &line.moves);
            } else {
                follow.other(number, &chunk.bytes[line.start as usize..line.end as usize]);
            }
        }
        before += chunk.ends;
        if chunk.unfinished {
            follow
                .out
                .refuse(before + 1, "the line is too long to be sent".into());
        }
        progress(chunk.at + chunk.bytes.len() as u64)
    })?;
    let mut out = follow.out;
    out.shows = follow.shows.into_values().collect();
    out.unknown = follow.unknown.into_values().collect();
    Ok(out)
}
