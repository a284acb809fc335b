//! What may be sent to a printer. One guard for all of them, and it lets through only what it knows.

use wattotherm_measure::text::plain;

use super::allowed::Allowed;
use super::arc::Arc;
use super::command::{Effect, MOST_TOOLS, Needs, Spec, Takes, command};
use super::machine::{AXES, Machine};
use super::settings::wanted_by;
use super::temperatures::Heater;
use super::words::Words;
use super::writer::LEAST_EXTRUSION_C;

/// How hot one heater may go.
#[derive(Clone, Debug, PartialEq)]
pub struct HeaterLimit {
    /// Highest target [°C].
    pub ceiling_c: f64,
    /// What holds it there.
    pub held_by: String,
}

impl HeaterLimit {
    /// `ceiling_c` [°C], held down by `held_by`.
    pub fn new(ceiling_c: f64, held_by: impl Into<String>) -> Self {
        Self {
            ceiling_c,
            held_by: held_by.into(),
        }
    }
}

/// Highest chamber target [°C]. Common practice, no published source: motors and belts of a closed
/// printer end near there.
pub const CHAMBER_CEILING_C: f64 = 70.0;

/// Bounds of one printer.
#[derive(Clone, Debug, PartialEq)]
pub struct GuardLimits {
    /// Each nozzle's ceiling; nozzles beyond the list have the lowest of it.
    pub tools: Vec<HeaterLimit>,
    /// The bed's.
    pub bed: HeaterLimit,
    /// The chamber's.
    pub chamber: HeaterLimit,
    /// Build volume [mm]: X, Y, Z.
    pub volume_mm: [f64; 3],
}

impl GuardLimits {
    /// One nozzle's ceiling [°C] for all of them, and the bed's.
    #[must_use]
    pub fn new(nozzle: HeaterLimit, bed_ceiling_c: f64, volume_mm: [f64; 3]) -> Self {
        Self {
            tools: vec![nozzle],
            bed: HeaterLimit::new(bed_ceiling_c, "the bed"),
            chamber: HeaterLimit::new(CHAMBER_CEILING_C, "the chamber"),
            volume_mm,
        }
    }

    /// The limit of a heater.
    #[must_use]
    pub fn of(&self, heater: Heater) -> HeaterLimit {
        match heater {
            Heater::Tool(n) => self
                .tools
                .get(usize::from(n))
                .cloned()
                .unwrap_or_else(|| self.any_tool()),
            Heater::Bed => self.bed.clone(),
            Heater::Chamber => self.chamber.clone(),
        }
    }

    /// The lowest of the nozzles' limits.
    #[must_use]
    pub fn any_tool(&self) -> HeaterLimit {
        self.tools
            .iter()
            .min_by(|a, b| a.ceiling_c.total_cmp(&b.ceiling_c))
            .cloned()
            // Nothing is known of any nozzle: nothing is heated.
            .unwrap_or_else(|| HeaterLimit::new(0.0, "a hot end that nothing is known of"))
    }
}

/// Why a command is not sent.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum Refusal {
    /// Not readable as a command.
    #[error("“{line}” is no command: {why}. Nothing was sent.")]
    NotACommand {
        /// The line.
        line: String,
        /// What is wrong with it.
        why: String,
    },
    /// A command that Wattotherm doesn't send.
    #[error("{code} is not among the commands that are sent from here. Nothing was sent.")]
    Unknown {
        /// The command.
        code: String,
    },
    /// A letter that the command doesn't take here.
    #[error("{code} is not sent with {letter} from here{}. Nothing was sent.", if .takes.is_empty() { String::new() } else { format!(", only with {}", .takes) })]
    Letter {
        /// The command.
        code: String,
        /// The letter.
        letter: char,
        /// The letters it takes.
        takes: String,
    },
    /// Another zero for an axis.
    #[error(
        "G92 {letter} would shift where the head is taken to be, and no move could be checked any more. Nothing was sent; home instead (G28)."
    )]
    Shift {
        /// The axis.
        letter: char,
    },
    /// Too hot.
    #[error(
        "{got_c} °C is above the ceiling of {ceiling_c} °C, held down by {held_by}. Nothing was sent; ask for {ceiling_c} °C or less."
    )]
    TooHot {
        /// Asked for [°C].
        got_c: f64,
        /// Ceiling [°C].
        ceiling_c: f64,
        /// What holds it down.
        held_by: String,
    },
    /// Cold extrusion.
    #[error(
        "The nozzle is at {at}: moving filament below {least_c} °C strips it. Nothing was sent; heat first."
    )]
    TooCold {
        /// Where the nozzle is.
        at: String,
        /// Least for feeding [°C].
        least_c: f64,
    },
    /// Moving before homing.
    #[error("The head’s place is not known. Nothing was sent; home first (G28).")]
    NotHomed,
    /// One axis is homed, another not.
    #[error("{axis} is not homed. Nothing was sent; home first (G28).")]
    AxisNotHomed {
        /// The axis.
        axis: char,
    },
    /// Homed, but not yet moved.
    #[error(
        "Where the head stands along {axis} is not known since it was homed. Nothing was sent; ask for its place (M114), or move it with G90 first."
    )]
    PlaceUnknown {
        /// The axis.
        axis: char,
    },
    /// Whether moves count from zero or from the last place.
    #[error(
        "Whether {what} counts from zero or from the last place is not known since the printer was connected. Nothing was sent; send {way} first."
    )]
    ModeUnknown {
        /// What counts.
        what: &'static str,
        /// The command that settles it.
        way: &'static str,
    },
    /// How much filament a move feeds.
    #[error(
        "How much filament “E{e}” moves is not known: the extruder’s count is not. Nothing was sent; send M83 for relative feeding, or G92 E0."
    )]
    FeedUnknown {
        /// The word's value [mm].
        e: f64,
    },
    /// Which of several nozzles is meant.
    #[error(
        "It is not known which nozzle is in use. Nothing was sent; name it: {code} T0 S{target}."
    )]
    WhichTool {
        /// The command.
        code: &'static str,
        /// Target asked for [°C].
        target: String,
    },
    /// A further nozzle shifts all places, and it isn't known by how much.
    #[error(
        "It is not known which nozzle is in use, or where it stands from the first: the head’s place can’t be checked. Nothing was sent; ask for the offsets (M503), or pick the first (T0), then home (G28)."
    )]
    OtherTool,
    /// A nozzle that nobody knows where it stands.
    #[error(
        "Where T{to} stands from the first nozzle is not known, and a printer may move the head over by that. Nothing was sent; ask for the offsets (M503), or let the motors go first (M84)."
    )]
    NoOffset {
        /// The nozzle asked for; a number.
        to: u8,
    },
    /// Outside the volume with the offset of the nozzle in use.
    #[error(
        "{axis}{to_mm} with T{tool}, which stands {off_mm} mm off the first nozzle, may bring the head outside: with it, {axis} goes from {least_mm} to {most_mm} mm. Nothing was sent."
    )]
    OutsideWith {
        /// Axis.
        axis: char,
        /// Place asked for [mm].
        to_mm: f64,
        /// The nozzle in use; a number.
        tool: u8,
        /// How far it stands off the first, this way or that [mm].
        off_mm: f64,
        /// Least place that it reaches for certain [mm].
        least_mm: f64,
        /// Most [mm].
        most_mm: f64,
    },
    /// A change of nozzle may move the head out of the volume.
    #[error(
        "At {axis}{at_mm} a change to T{to}, which stands {off_mm} mm off the first nozzle, may bring the head out of 0 to {most_mm} mm. Nothing was sent; move {axis} further in first."
    )]
    ChangeOutside {
        /// Axis.
        axis: char,
        /// Where it is [mm].
        at_mm: f64,
        /// The nozzle asked for; a number.
        to: u8,
        /// How far that stands off the first, this way or that [mm].
        off_mm: f64,
        /// End of the axis [mm].
        most_mm: f64,
    },
    /// A place that nothing was reported of.
    #[error(
        "The printer has not reported anything yet. Nothing was sent; wait for its first temperatures."
    )]
    NoReport,
    /// Outside the volume.
    #[error("{axis}{to_mm} is outside 0 to {most_mm} mm. Nothing was sent.")]
    Outside {
        /// Axis.
        axis: char,
        /// Place asked for [mm].
        to_mm: f64,
        /// End of the axis [mm].
        most_mm: f64,
    },
    /// More filament than a slip of the finger should feed.
    #[error(
        "That moves {length_mm} mm of filament at once. Nothing was sent. If it is meant, send it again and say so."
    )]
    Asks {
        /// Length [mm].
        length_mm: f64,
    },
    /// A value that can't be meant.
    #[error("{code} {letter}{got} is not possible: {min} to {max}{}. Nothing was sent.", if *.whole { ", a whole number" } else { "" })]
    Value {
        /// Command.
        code: String,
        /// Letter.
        letter: char,
        /// Value [unit of the letter].
        got: f64,
        /// Least [the same].
        min: f64,
        /// Most [the same].
        max: f64,
        /// Whether only whole numbers are taken.
        whole: bool,
    },
    /// A value where none belongs.
    #[error("{code} takes {letter} without a value. Nothing was sent.")]
    Bare {
        /// Command.
        code: String,
        /// Letter.
        letter: char,
    },
    /// A value is missing.
    #[error("{code} needs {letter} with a value. Nothing was sent.")]
    Missing {
        /// Command.
        code: String,
        /// Letter.
        letter: char,
    },
}

/// How far a relay test may swing above its target [°C]: it must end below the ceiling. Common
/// practice, no published source.
const RELAY_ROOM_C: f64 = 5.0;
/// Filament moved by one command without a question [mm]: the longest that a test here feeds.
const MOST_UNASKED_MM: f64 = 500.0;

/// The guard in front of a printer.
#[derive(Clone, Debug, PartialEq)]
pub struct Guard {
    /// Bounds.
    pub limits: GuardLimits,
}

impl Guard {
    /// Whether `line` may be sent to a printer in the state of `machine`.
    ///
    /// Rules: a command of the table with letters of its row inside their bounds; a target at most the
    /// ceiling of its own heater; a relay test that much lower that its swing stays below; no filament
    /// moved below [`LEAST_EXTRUSION_C`] by the *measured* temperature, nor more than half a metre at
    /// once unless `confirmed`; an axis moves only when it is homed, how it counts is known, and the end
    /// lies inside the volume. What turns the guards of the firmware off (cold extrusion allowed, ends
    /// unheeded, another zero, inches) is not in the table.
    /// # Errors
    /// [`Refusal`], in words for the technician.
    pub fn allow(
        &self,
        line: &str,
        machine: &Machine,
        confirmed: bool,
    ) -> Result<Allowed, Refusal> {
        let words = Words::read(line).map_err(|e| Refusal::NotACommand {
            line: line.chars().take(60).collect(),
            why: e.to_string(),
        })?;
        let code = words.code().to_owned();
        let spec = command(&code)
            .filter(|s| s.effect != Effect::ReportOnly && is_tool(&code))
            .ok_or_else(|| Refusal::Unknown { code: code.clone() })?;
        let heat = self.heat(spec, &words, machine)?;
        letters(spec, &code, &words)?;
        match code.as_str() {
            "G0" | "G1" => self.travels(
                AXES.map(|a| words.value(a)),
                words.value('E'),
                machine,
                confirmed,
            )?,
            "G2" | "G3" => self.rounds(&words, machine, confirmed)?,
            "G10" | "G11" => warm(machine)?,
            _ if code.starts_with('T') => self.changes(&code, machine)?,
            "G29" => {
                if machine.homed != [true; 3] {
                    return Err(Refusal::NotHomed);
                }
                placed(machine)?;
            }
            _ => {}
        }
        let read_back = if spec.effect == Effect::Set {
            wanted_by(&words)
        } else {
            Vec::new()
        };
        Ok(Allowed {
            line: words.line(),
            effect: spec.effect,
            heat,
            read_back,
            words,
        })
    }

    /// The heat that a command asks for, if it does and may.
    fn heat(
        &self,
        spec: &Spec,
        words: &Words,
        machine: &Machine,
    ) -> Result<Option<(Option<Heater>, f64)>, Refusal> {
        if !matches!(spec.effect, Effect::Heat | Effect::HeatAndWait) {
            return Ok(None);
        }
        let needs_tool = matches!(spec.code, "M104" | "M109") && !words.has('T');
        if needs_tool
            && machine.tool.is_none()
            && machine.tools.is_some_and(|n| n > 1)
            && let Some(c) = words.value('S').or(words.value('R'))
        {
            return Err(Refusal::WhichTool {
                code: spec.code,
                target: plain(c, 1),
            });
        }
        // OK because a cast saturates, and what no row allows is refused right after this.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let tool = |letter| words.value(letter).map(|n: f64| Heater::Tool(n as u8));
        let (heater, room_c) = match spec.code {
            "M140" | "M190" => (Some(Heater::Bed), 0.0),
            "M141" | "M191" => (Some(Heater::Chamber), 0.0),
            "M303" if words.value('E').is_some_and(|e| e < 0.0) => {
                (Some(Heater::Bed), RELAY_ROOM_C)
            }
            "M303" => (tool('E'), RELAY_ROOM_C),
            _ => (tool('T'), 0.0),
        };
        // Without a number it is the nozzle in use; while it isn't known which, the lowest ceiling counts.
        let in_use = match (machine.tool, machine.tools) {
            (Some(t), _) => Some(Heater::Tool(t)),
            (None, Some(1)) => Some(Heater::Tool(0)),
            (None, _) => None,
        };
        let limit = heater
            .or(in_use)
            .map_or_else(|| self.limits.any_tool(), |h| self.limits.of(h));
        let most_c = limit.ceiling_c - room_c;
        let held_by = match (spec.code, heater) {
            ("M303", Some(Heater::Bed)) => "the bed, less the swing of the test".to_owned(),
            ("M303", _) => "the ceiling, less the swing of the test".to_owned(),
            _ => limit.held_by,
        };
        let mut target_c = 0.0_f64;
        for got_c in ['S', 'R'].into_iter().filter_map(|l| words.value(l)) {
            if got_c > most_c {
                return Err(Refusal::TooHot {
                    got_c,
                    ceiling_c: most_c,
                    held_by,
                });
            }
            target_c = target_c.max(got_c);
        }
        Ok(Some((heater, target_c)))
    }

    /// Whether a straight move by its words X, Y, Z and E [mm] may be sent: what [`Guard::allow`] asks of G0
    /// and G1, without reading words.
    /// # Errors
    /// [`Refusal`], in words for the technician.
    pub fn travels(
        &self,
        to: [Option<f64>; 3],
        e: Option<f64>,
        machine: &Machine,
        confirmed: bool,
    ) -> Result<(), Refusal> {
        if let Some(e) = e {
            feed(e, machine, confirmed)?;
        }
        for (i, axis) in AXES.into_iter().enumerate() {
            let Some(v) = to[i] else { continue };
            if machine.homed == [false; 3] {
                return Err(Refusal::NotHomed);
            }
            if !machine.homed[i] {
                return Err(Refusal::AxisNotHomed { axis });
            }
            placed(machine)?;
            if machine.relative.is_none() {
                return Err(Refusal::ModeUnknown {
                    what: "a move",
                    way: "G90",
                });
            }
            let to_mm = machine
                .leads_to_mm(i, v)
                .ok_or(Refusal::PlaceUnknown { axis })?;
            self.inside(i, to_mm, machine)?;
        }
        Ok(())
    }

    /// Whether a place [mm] lies inside the volume, and the head too, whichever way the board counts the offset of the
    /// nozzle in use.
    fn inside(&self, axis: usize, to_mm: f64, machine: &Machine) -> Result<(), Refusal> {
        let most_mm = self.limits.volume_mm[axis];
        let lies_in = |at_mm: f64| (0.0..=most_mm).contains(&at_mm);
        if !lies_in(to_mm) {
            return Err(Refusal::Outside {
                axis: AXES[axis],
                to_mm,
                most_mm,
            });
        }
        let tool = machine.tool.unwrap_or(0);
        let Some(off_mm) = machine.offset_mm(tool).map(|o| o[axis].abs()) else {
            return Ok(());
        };
        if lies_in(to_mm - off_mm) && lies_in(to_mm + off_mm) {
            return Ok(());
        }
        Err(Refusal::OutsideWith {
            axis: AXES[axis],
            to_mm,
            tool,
            off_mm,
            least_mm: off_mm,
            most_mm: most_mm - off_mm,
        })
    }

    /// Whether another nozzle may be picked: a board that is homed may move the head over by the offset, this way or
    /// that.
    fn changes(&self, code: &str, machine: &Machine) -> Result<(), Refusal> {
        let Ok(to) = code[1..].parse::<u8>() else {
            return Ok(());
        };
        let stays = machine.tools.is_none_or(|n| n < 2) || machine.tool == Some(to);
        // With motors let go nothing is moved over. Which nozzle is in use must be found out somehow: by the first.
        if stays || machine.let_go || to == 0 && machine.tool.is_none() {
            return Ok(());
        }
        let off_mm = machine.offset_mm(to).ok_or(Refusal::NoOffset { to })?;
        let by_mm = machine.change_moves_mm(to).ok_or(Refusal::OtherTool)?;
        if machine.homed == [false; 3] {
            return Err(Refusal::NotHomed);
        }
        for (i, axis) in AXES.into_iter().enumerate() {
            if by_mm[i] == 0.0 {
                continue;
            }
            if !machine.homed[i] {
                return Err(Refusal::AxisNotHomed { axis });
            }
            let at_mm = machine.place_mm[i].ok_or(Refusal::PlaceUnknown { axis })?;
            let (off_mm, most_mm) = (off_mm[i].abs(), self.limits.volume_mm[i]);
            if at_mm - off_mm < 0.0 || at_mm + off_mm > most_mm {
                return Err(Refusal::ChangeOutside {
                    axis,
                    at_mm,
                    to,
                    off_mm,
                    most_mm,
                });
            }
        }
        Ok(())
    }

    /// A round move: all of it lies inside, not only its end.
    fn rounds(&self, words: &Words, machine: &Machine, confirmed: bool) -> Result<(), Refusal> {
        let to = AXES.map(|a| words.value(a));
        self.travels(to, words.value('E'), machine, confirmed)?;
        let at = |i: usize| {
            let axis = AXES[i];
            let unknown = Refusal::PlaceUnknown { axis };
            if machine.homed == [false; 3] {
                return Err(Refusal::NotHomed);
            }
            if !machine.homed[i] {
                return Err(Refusal::AxisNotHomed { axis });
            }
            let from = machine.place_mm[i].ok_or_else(|| unknown.clone())?;
            let end = match to[i] {
                None => from,
                Some(v) => machine.leads_to_mm(i, v).ok_or(unknown)?,
            };
            Ok((from, end))
        };
        placed(machine)?;
        let ((x, to_x), (y, to_y)) = (at(0)?, at(1)?);
        let by = ['I', 'J', 'R'].map(|l| words.value(l));
        let arc = Arc::read(words.code() == "G2", [x, y], [to_x, to_y], by).map_err(|why| {
            Refusal::NotACommand {
                line: words.line(),
                why: why.into(),
            }
        })?;
        for (i, [least, most]) in arc.covers_mm().into_iter().enumerate() {
            self.inside(i, least, machine)?;
            self.inside(i, most, machine)?;
        }
        Ok(())
    }
}

/// Commands that name a tool have one that exists; all others pass.
fn is_tool(code: &str) -> bool {
    code.strip_prefix('T')
        .is_none_or(|n| n.parse::<usize>().is_ok_and(|n| n < MOST_TOOLS))
}

fn placed(machine: &Machine) -> Result<(), Refusal> {
    match machine.tools {
        None => Err(Refusal::NoReport),
        Some(_) if machine.is_placed() => Ok(()),
        Some(_) => Err(Refusal::OtherTool),
    }
}

/// Whether the nozzle in use is hot enough to move filament, by what is measured.
fn warm(machine: &Machine) -> Result<(), Refusal> {
    let at_c = machine.feeding_c();
    if at_c.is_some_and(|t| t >= LEAST_EXTRUSION_C) {
        return Ok(());
    }
    Err(Refusal::TooCold {
        at: at_c.map_or("an unknown temperature".into(), |t| {
            format!("{} °C", plain(t, 0))
        }),
        least_c: LEAST_EXTRUSION_C,
    })
}

fn feed(e: f64, machine: &Machine, confirmed: bool) -> Result<(), Refusal> {
    warm(machine)?;
    if machine.e_relative.is_none() {
        return Err(Refusal::ModeUnknown {
            what: "the extruder",
            way: "M83",
        });
    }
    let length_mm = machine.fed_mm(e).ok_or(Refusal::FeedUnknown { e })?;
    if length_mm.abs() > MOST_UNASKED_MM && !confirmed {
        return Err(Refusal::Asks { length_mm });
    }
    Ok(())
}

/// Every letter is one of the row's, inside its bounds; what the command needs is there.
fn letters(spec: &Spec, code: &str, words: &Words) -> Result<(), Refusal> {
    let code = || code.to_owned();
    for (letter, value) in words.words() {
        let letter = *letter;
        let Some(takes) = spec.letter(letter) else {
            if spec.code == "G92" && AXES.contains(&letter) {
                return Err(Refusal::Shift { letter });
            }
            return Err(Refusal::Letter {
                code: code(),
                letter,
                takes: spec.letters_listed(),
            });
        };
        let (min, max, whole) = match takes {
            Takes::Flag => {
                // Homing is often written with a zero behind the axis.
                if value.is_some_and(|v| v.abs() > 1e-9) {
                    return Err(Refusal::Bare {
                        code: code(),
                        letter,
                    });
                }
                continue;
            }
            Takes::Whole(min, max) => (min, max, true),
            Takes::Number(min, max) => (min, max, false),
        };
        let got = value.ok_or_else(|| Refusal::Missing {
            code: code(),
            letter,
        })?;
        let fits = (min..=max).contains(&got) && !(whole && got.fract().abs() > 1e-9);
        if !fits {
            return Err(Refusal::Value {
                code: code(),
                letter,
                got,
                min,
                max,
                whole,
            });
        }
    }
    if let Needs::OneOf(needed) = spec.needs
        && !needed.iter().any(|l| words.value(*l).is_some())
    {
        return Err(Refusal::Missing {
            code: code(),
            letter: needed[0],
        });
    }
    Ok(())
}

/// A stop that must go past every queue, however it is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StopWord {
    /// `M112`: everything off, at once.
    Emergency,
    /// `M108`: what is waited for is broken off.
    BreakOff,
    /// `M410`: motors stand still.
    StandStill,
}

/// Whether a typed line is a stop: in any case, with a comment, a line number, or rubbish behind it.
#[must_use]
pub fn stop_word(line: &str) -> Option<StopWord> {
    let line = line.split([';', '*']).next().unwrap_or_default();
    let mut words = line.split_whitespace().map(str::to_ascii_uppercase);
    let mut first = words.next()?;
    let numbered = first
        .strip_prefix('N')
        .is_some_and(|n| !n.is_empty() && n.chars().all(|c| c.is_ascii_digit()));
    if numbered {
        first = words.next()?;
    }
    if first == "M" {
        first.push_str(&words.next()?);
    }
    let digits: String = first
        .strip_prefix('M')?
        .chars()
        .take_while(char::is_ascii_digit)
        .collect();
    match digits.trim_start_matches('0') {
        "112" => Some(StopWord::Emergency),
        "108" => Some(StopWord::BreakOff),
        "410" => Some(StopWord::StandStill),
        _ => None,
    }
}
