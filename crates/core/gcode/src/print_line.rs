//! What of a print's file goes to a printer, line by line.

use super::command::{Effect, command};
use super::words::Words;

/// Why a line is left out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum LeftOut {
    /// It shows or asks something only: the print is the same without it.
    Shows,
    /// It picks the only nozzle there is.
    OneNozzle,
    /// This program doesn't know it. What it would have done isn't done.
    Unknown,
}

/// What becomes of a line.
#[derive(Clone, Debug, PartialEq)]
pub enum PrintLine {
    /// It says nothing to a printer.
    Nothing,
    /// It goes out.
    Send(Words),
    /// It goes out, and behind it how filament counts: boards differ in what G90 and G91 make of that.
    SendAndSay(Words, &'static str),
    /// It asks for a person: the print pauses.
    Person,
    /// It isn't sent: its command, and why.
    LeaveOut(String, LeftOut),
    /// A print must not say this: why.
    Refuse(String),
}

/// Reads the lines of a print. What was looked through and what is sent later goes through the same rules.
///
/// Common practice, no published source: files of prints carry commands for displays, which a printer prints
/// as well without; commands that change the machine's own settings or its memory don't belong in one.
#[derive(Clone, Debug)]
pub struct PrintLines {
    tools: usize,
    /// As M82 or M83 last said.
    e_says: Option<&'static str>,
}

/// Shown, asked or counted only.
const SHOWS: [&str; 14] = [
    "M27", "M31", "M73", "M75", "M76", "M77", "M78", "M105", "M110", "M114", "M115", "M117",
    "M118", "M300",
];
/// They ask for a person.
const PERSON: [&str; 5] = ["M0", "M1", "M25", "M226", "M600"];
/// Settings that a print may set: they are set back when it ends.
const MAY_SET: [&str; 3] = ["M207", "M208", "M900"];
/// They do what nobody here checks, or what a print must leave alone, known to the guard or not.
const NEVER: [&str; 13] = [
    "M112", "M211", "M302", "M303", "M410", "M428", "M502", "M906", "M155", "M108", "M999", "M501",
    "M500",
];

impl PrintLines {
    /// For a printer with so many nozzles; a number.
    #[must_use]
    pub const fn new(tools: usize) -> Self {
        Self {
            tools,
            e_says: None,
        }
    }

    /// Reads one line of the file.
    pub fn line(&mut self, bytes: &[u8]) -> PrintLine {
        match Words::of_file(bytes) {
            Ok(None) => {
                let text = String::from_utf8_lossy(bytes);
                let said = text.split([';', '(']).next().unwrap_or_default().trim();
                if said.is_empty() || said == "%" {
                    return PrintLine::Nothing;
                }
                let first = said.split_whitespace().next().unwrap_or_default();
                PrintLine::LeaveOut(first.chars().take(24).collect(), LeftOut::Unknown)
            }
            Ok(Some(words)) => self.words(words),
            Err(e) => {
                let text = String::from_utf8_lossy(bytes).to_ascii_uppercase();
                let code: String = text
                    .trim()
                    .chars()
                    .take_while(char::is_ascii_alphanumeric)
                    .collect();
                if SHOWS.contains(&code.as_str()) {
                    return PrintLine::LeaveOut(code, LeftOut::Shows);
                }
                PrintLine::Refuse(format!("it can’t be read: {e}"))
            }
        }
    }

    fn words(&mut self, words: Words) -> PrintLine {
        let code = words.code();
        let refuse = |why: &str| PrintLine::Refuse(format!("{code} {why}"));
        if SHOWS.contains(&code) {
            return PrintLine::LeaveOut(code.into(), LeftOut::Shows);
        }
        if PERSON.contains(&code) {
            return PrintLine::Person;
        }
        if NEVER.contains(&code) {
            return refuse("is nothing that a print may do");
        }
        match code {
            "G20" => return refuse("counts in inches: slice the part in millimetres"),
            "G92" if ['X', 'Y', 'Z'].iter().any(|a| words.has(*a)) => {
                return refuse(
                    "shifts where the head is taken to be, and no move could be checked",
                );
            }
            // Without words it sets all to zero, the place too.
            "G92" if !words.has('E') => {
                return refuse(
                    "shifts where the head is taken to be, and no move could be checked",
                );
            }
            "M82" => self.e_says = Some("M82"),
            "M83" => self.e_says = Some("M83"),
            "G90" | "G91" => {
                return match self.e_says {
                    Some(says) => PrintLine::SendAndSay(words, says),
                    None => PrintLine::Send(words),
                };
            }
            "T0" if self.tools == 1 => return PrintLine::LeaveOut("T0".into(), LeftOut::OneNozzle),
            _ => {}
        }
        let nozzle = code.strip_prefix('T').and_then(|n| n.parse::<usize>().ok());
        if nozzle.is_some_and(|n| n >= self.tools) {
            return refuse("picks a nozzle that this printer doesn’t have");
        }
        if matches!(code, "M104" | "M109") && self.heats_none(&words) {
            return refuse("heats a nozzle that this printer doesn’t have");
        }
        match command(code) {
            Some(spec) if spec.effect == Effect::Set && !MAY_SET.contains(&code) => {
                refuse("changes a setting of the machine: set it at its station, not in a print")
            }
            Some(spec) if spec.effect != Effect::ReportOnly => PrintLine::Send(words),
            _ if code.starts_with('G') => refuse("is a motion that isn’t known here"),
            _ => PrintLine::LeaveOut(code.into(), LeftOut::Unknown),
        }
    }

    /// Whether it heats a nozzle that there is none of; switching one off that isn't there does nothing.
    #[allow(clippy::cast_precision_loss)] // a handful of nozzles
    fn heats_none(&self, words: &Words) -> bool {
        let to_c = words.value('S').or_else(|| words.value('R'));
        words.value('T').is_some_and(|n| n >= self.tools as f64) && to_c != Some(0.0)
    }
}
