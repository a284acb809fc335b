//! What may be sent to a printer. One guard for all of them.

use super::settings::{SettingKey, wanted_by};
use super::words::Words;
use super::writer::LEAST_EXTRUSION_C;
use crate::text::plain;

/// Bounds of one printer.
#[derive(Clone, Debug, PartialEq)]
pub struct GuardLimits {
    /// Ceiling of the hot end's parts [°C].
    pub ceiling_c: f64,
    /// What holds it there.
    pub held_by: String,
    /// Ceiling of the bed [°C].
    pub bed_ceiling_c: f64,
    /// Build volume [mm]: X, Y, Z.
    pub volume_mm: [f64; 3],
}

/// What the guard knows of the printer's state.
#[derive(Clone, Debug, PartialEq)]
pub struct GuardState {
    /// Axes homed since power-on.
    pub homed: bool,
    /// Nozzle as last reported [°C].
    pub nozzle_c: Option<f64>,
    /// Moves count from the last place (G91).
    pub relative: bool,
    /// Place of the head [mm].
    pub place_mm: [f64; 3],
    /// Whether the extruder counts from its last place (M83).
    pub e_relative: bool,
    /// Extruder as last commanded [mm].
    pub e_mm: f64,
}

impl Default for GuardState {
    fn default() -> Self {
        Self {
            homed: false,
            nozzle_c: None,
            relative: false,
            place_mm: [0.0; 3],
            e_relative: false,
            e_mm: 0.0,
        }
    }
}

/// What a command does, as far as the link must know.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Effect {
    /// Asks only.
    Ask,
    /// Sets a heater's target.
    Heat,
    /// Heats and waits, or swings the heater: answers late.
    HeatAndWait,
    /// Moves or extrudes.
    Move,
    /// Changes a stored value: read back and compared.
    Set,
    /// Writes or reads the printer's memory.
    Memory,
    /// Stops: goes first.
    Stop,
    /// Everything else that is harmless: fans, modes.
    Mode,
}

/// A command that may be sent.
#[derive(Clone, Debug, PartialEq)]
pub struct Allowed {
    /// The command in its one form.
    pub line: String,
    /// What it does.
    pub effect: Effect,
    /// Values to find in a settings report afterwards.
    pub read_back: Vec<(SettingKey, f64)>,
    /// The words, for following the state.
    words: Words,
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
        "The nozzle is at {at}: feeding below {least_c} °C strips the filament. Nothing was sent; heat first."
    )]
    TooCold {
        /// Where the nozzle is.
        at: String,
        /// Least for feeding [°C].
        least_c: f64,
    },
    /// Moving before homing.
    #[error("The head's place is not known. Nothing was sent; home first (G28).")]
    NotHomed,
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
    /// A value that can't be meant.
    #[error("{code} {letter}{got} is not possible: {min} to {max}. Nothing was sent.")]
    Value {
        /// Command.
        code: String,
        /// Letter.
        letter: char,
        /// Value.
        got: f64,
        /// Least.
        min: f64,
        /// Most.
        max: f64,
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

/// Bounds of settable values: command, letter, least, most. Wide enough for any machine of the
/// trade, narrow enough for a slipped decimal point. Common practice, no published source.
const BOUNDS: [(&str, char, f64, f64); 19] = [
    ("M92", 'X', 1.0, 20_000.0),
    ("M92", 'Y', 1.0, 20_000.0),
    ("M92", 'Z', 1.0, 40_000.0),
    ("M92", 'E', 1.0, 20_000.0),
    ("M301", 'P', 0.01, 1_200.0),
    ("M301", 'I', 0.0, 1_200.0),
    ("M301", 'D', 0.0, 20_000.0),
    ("M304", 'P', 0.01, 5_000.0),
    ("M304", 'I', 0.0, 5_000.0),
    ("M304", 'D', 0.0, 50_000.0),
    ("M851", 'X', -200.0, 200.0),
    ("M851", 'Y', -200.0, 200.0),
    ("M851", 'Z', -20.0, 20.0),
    ("M218", 'X', -200.0, 200.0),
    ("M218", 'Y', -200.0, 200.0),
    ("M218", 'Z', -20.0, 20.0),
    ("M900", 'K', 0.0, 10.0),
    ("M207", 'S', 0.0, 20.0),
    ("M221", 'S', 10.0, 300.0),
];

/// The guard in front of a printer.
#[derive(Clone, Debug, PartialEq)]
pub struct Guard {
    /// Bounds.
    pub limits: GuardLimits,
}

impl Guard {
    /// Whether `line` may be sent to a printer in `state`.
    ///
    /// Rules: known command; target at most the ceiling of the parts; a relay test that much lower
    /// that its swing stays below; no extrusion below [`LEAST_EXTRUSION_C`] by the *measured*
    /// temperature; moves only when homed and inside the volume; values inside their bounds. What
    /// turns the guards of the firmware off (cold extrusion allowed, ends unheeded) is unknown here.
    /// # Errors
    /// [`Refusal`], in words for the technician.
    pub fn allow(&self, line: &str, state: &GuardState) -> Result<Allowed, Refusal> {
        let shown: String = line.chars().take(60).collect();
        let words = Words::read(line).map_err(|e| Refusal::NotACommand {
            line: shown,
            why: e.to_string(),
        })?;
        let code = words.code().to_owned();
        let effect = match code.as_str() {
            "M105" | "M115" | "M503" | "M114" | "M119" => Effect::Ask,
            "M104" | "M140" => Effect::Heat,
            "M109" | "M190" | "M303" => Effect::HeatAndWait,
            "G0" | "G1" | "G28" | "G29" => Effect::Move,
            "M92" | "M218" | "M301" | "M304" | "M851" | "M900" | "M207" | "M208" => Effect::Set,
            "M500" | "M501" => Effect::Memory,
            "M108" | "M112" | "M999" => Effect::Stop,
            "M82" | "M83" | "G90" | "G91" | "G92" | "M106" | "M107" | "M110" | "M155" | "M221"
            | "M400" => Effect::Mode,
            _ => return Err(Refusal::Unknown { code }),
        };
        match code.as_str() {
            "M104" | "M109" => {
                self.heat(&words, 'S', self.limits.ceiling_c, &self.limits.held_by)?;
            }
            "M140" | "M190" => self.heat(&words, 'S', self.limits.bed_ceiling_c, "the bed")?,
            "M303" => {
                let (most, by) = if words.value('E').is_some_and(|e| e < 0.0) {
                    (
                        self.limits.bed_ceiling_c,
                        "the bed, less the swing of the test",
                    )
                } else {
                    (
                        self.limits.ceiling_c - RELAY_ROOM_C,
                        "the ceiling, less the swing of the test",
                    )
                };
                self.heat(&words, 'S', most, by)?;
                bounded(&words, 'C', 3.0, 20.0)?;
            }
            "G0" | "G1" => self.travel(&words, state)?,
            "G29" if !state.homed => return Err(Refusal::NotHomed),
            "M106" => bounded(&words, 'S', 0.0, 255.0)?,
            "M155" => bounded(&words, 'S', 0.0, 60.0)?,
            _ => {}
        }
        if effect == Effect::Set && words.words().iter().all(|(_, v)| v.is_none()) {
            let letter = BOUNDS.iter().find(|b| b.0 == code).map_or('S', |b| b.1);
            return Err(Refusal::Missing { code, letter });
        }
        for (_, letter, min, max) in BOUNDS.iter().filter(|b| b.0 == code) {
            bounded(&words, *letter, *min, *max)?;
        }
        let read_back = if effect == Effect::Set {
            wanted_by(&words)
        } else {
            Vec::new()
        };
        Ok(Allowed {
            line: words.line(),
            effect,
            read_back,
            words,
        })
    }

    fn heat(&self, words: &Words, letter: char, most_c: f64, held_by: &str) -> Result<(), Refusal> {
        let Some(got_c) = words.value(letter) else {
            return Err(Refusal::Missing {
                code: words.code().to_owned(),
                letter,
            });
        };
        if got_c > most_c {
            return Err(Refusal::TooHot {
                got_c,
                ceiling_c: most_c,
                held_by: held_by.to_owned(),
            });
        }
        bounded(words, letter, 0.0, 500.0)
    }

    fn travel(&self, words: &Words, state: &GuardState) -> Result<(), Refusal> {
        let feeds = words.value('E').is_some_and(|e| {
            if state.e_relative {
                e > 0.0
            } else {
                e > state.e_mm
            }
        });
        if feeds && state.nozzle_c.is_none_or(|t| t < LEAST_EXTRUSION_C) {
            return Err(Refusal::TooCold {
                at: state.nozzle_c.map_or("an unknown temperature".into(), |t| {
                    format!("{} °C", plain(t, 0))
                }),
                least_c: LEAST_EXTRUSION_C,
            });
        }
        for (i, axis) in ['X', 'Y', 'Z'].into_iter().enumerate() {
            let Some(v) = words.value(axis) else { continue };
            if !state.homed {
                return Err(Refusal::NotHomed);
            }
            let to_mm = if state.relative {
                state.place_mm[i] + v
            } else {
                v
            };
            let most_mm = self.limits.volume_mm[i];
            if !(0.0..=most_mm).contains(&to_mm) {
                return Err(Refusal::Outside {
                    axis,
                    to_mm,
                    most_mm,
                });
            }
        }
        bounded(words, 'F', 1.0, 60_000.0)?;
        // A length of filament in one command: more is a slipped decimal point.
        bounded(words, 'E', -1_000.0, 100_000.0)
    }
}

fn bounded(words: &Words, letter: char, min: f64, max: f64) -> Result<(), Refusal> {
    match words.value(letter) {
        Some(got) if got < min || got > max => Err(Refusal::Value {
            code: words.code().to_owned(),
            letter,
            got,
            min,
            max,
        }),
        _ => Ok(()),
    }
}

impl GuardState {
    /// Follows a command that the printer has taken.
    pub fn taken(&mut self, sent: &Allowed) {
        let w = &sent.words;
        match w.code() {
            "G28" => {
                self.homed = true;
                self.place_mm = [0.0; 3];
            }
            "G90" => self.relative = false,
            "G91" => self.relative = true,
            "M82" => self.e_relative = false,
            "M83" => self.e_relative = true,
            "G92" => self.e_mm = w.value('E').unwrap_or(self.e_mm),
            "G0" | "G1" => {
                for (i, axis) in ['X', 'Y', 'Z'].into_iter().enumerate() {
                    if let Some(v) = w.value(axis) {
                        self.place_mm[i] = if self.relative {
                            self.place_mm[i] + v
                        } else {
                            v
                        };
                    }
                }
                if let Some(e) = w.value('E') {
                    self.e_mm = if self.e_relative { self.e_mm + e } else { e };
                }
            }
            "M112" | "M999" => {
                *self = Self {
                    nozzle_c: self.nozzle_c,
                    ..Self::default()
                }
            }
            _ => {}
        }
    }
}
