//! A board's own reading of moves: independent of the guard, with the habits in which boards differ.
#![allow(clippy::cast_possible_truncation)] // numbers of heaters and tools

/// Habits in which boards differ.
#[derive(Clone, Copy, Debug, Default)]
pub struct Habits {
    /// G90 and G91 change how E counts too.
    pub modes_take_e: bool,
    /// While G91 is in force E is relative, whatever M82 says.
    pub g91_rules_e: bool,
    /// Numbers are read with exponents.
    pub exponents: bool,
    /// Homing ends in the middle of the bed, ten above it.
    pub homes_in_the_middle: bool,
    /// Starts with relative moves in force, as a board that was never reset.
    pub starts_relative: bool,
    /// Nozzles.
    pub tools: usize,
}

/// What a board did that must never happen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Harm {
    Outside { axis: usize, at_mm: f64 },
    Cold { at_c: f64 },
    TooHot { heater: usize, target_c: f64 },
}

/// Motion, modes and heaters of a board. Places are of the metal, not of the display.
#[derive(Clone, Debug)]
pub struct Machine {
    pub habits: Habits,
    /// Ceilings: nozzles, then bed, then chamber.
    pub ceilings_c: Vec<f64>,
    pub volume_mm: [f64; 3],
    pub at_mm: [f64; 3],
    /// What the display says less where the metal is.
    shift_mm: [f64; 3],
    scale: f64,
    relative: bool,
    e_relative: bool,
    e_mm: f64,
    pub tool: usize,
    offset_mm: [f64; 3],
    pub nozzles_c: Vec<f64>,
    pub fed_mm: f64,
}

impl Machine {
    pub fn new(habits: Habits, volume_mm: [f64; 3], ceilings_c: Vec<f64>) -> Self {
        Self {
            habits,
            ceilings_c,
            volume_mm,
            // Wherever it was left.
            at_mm: [200.0, 10.0, 3.0],
            shift_mm: [-200.0, -10.0, -3.0],
            scale: 1.0,
            relative: habits.starts_relative,
            e_relative: habits.starts_relative,
            e_mm: 40.0,
            tool: 0,
            offset_mm: [30.0, -2.0, 0.5],
            nozzles_c: vec![20.0; habits.tools],
            fed_mm: 0.0,
        }
    }

    /// Switched off and on: it thinks that it stands at zero, wherever it does.
    pub fn reset(&mut self) {
        self.relative = false;
        self.e_relative = false;
        self.scale = 1.0;
        self.e_mm = 0.0;
        self.tool = 0;
        for i in 0..3 {
            self.shift_mm[i] = -self.at_mm[i];
        }
    }

    /// Its answer to M114.
    pub fn says(&self) -> String {
        let shown = |i: usize| self.at_mm[i] + self.shift_mm[i];
        format!(
            "X:{:.2} Y:{:.2} Z:{:.2} E:{:.2} Count X:1",
            shown(0),
            shown(1),
            shown(2),
            self.e_mm
        )
    }

    fn words(&self, line: &str) -> Vec<(char, Option<f64>)> {
        let bytes = line.as_bytes();
        let mut out = Vec::new();
        let mut i = 0;
        while i < bytes.len() {
            let c = bytes[i].to_ascii_uppercase() as char;
            i += 1;
            if c == ';' {
                break;
            }
            if !c.is_ascii_alphabetic() {
                continue;
            }
            let from = i;
            while i < bytes.len() {
                let b = bytes[i] as char;
                let exponent = self.habits.exponents
                    && i > from
                    && (b == 'e' || b == 'E')
                    && bytes
                        .get(i + 1)
                        .is_some_and(|n| n.is_ascii_digit() || *n == b'-');
                if b.is_ascii_digit() || matches!(b, '.' | '-' | '+') || exponent {
                    i += 1;
                } else {
                    break;
                }
            }
            out.push((c, line[from..i].parse().ok()));
        }
        out
    }

    /// Runs a line; what harm it did.
    pub fn run(&mut self, line: &str) -> Option<Harm> {
        let words = self.words(line);
        let (letter, number) = *words.first()?;
        let code = format!("{letter}{}", number.unwrap_or(-1.0));
        let has = |l: char| words[1..].iter().any(|(c, _)| *c == l);
        let value = |l: char| {
            words[1..]
                .iter()
                .find(|(c, _)| *c == l)
                .and_then(|(_, v)| *v)
        };
        match code.as_str() {
            "G20" => self.scale = 25.4,
            "G21" => self.scale = 1.0,
            "G90" | "G91" => {
                self.relative = code == "G91";
                if self.habits.modes_take_e {
                    self.e_relative = self.relative;
                }
            }
            "M82" => self.e_relative = false,
            "M83" => self.e_relative = true,
            "G92" => {
                for (i, l) in ['X', 'Y', 'Z'].into_iter().enumerate() {
                    if let Some(v) = value(l) {
                        self.shift_mm[i] = v * self.scale - self.at_mm[i];
                    }
                }
                if let Some(e) = value('E') {
                    self.e_mm = e * self.scale;
                }
            }
            "G28" => self.home([has('X'), has('Y'), has('Z')]),
            "G29" => self.at_mm = [50.0, 60.0, 5.0],
            "G0" | "G1" => return self.travel(&value),
            "M92" => {
                // Another scale: what it shows and where it is part ways.
                for (i, l) in ['X', 'Y', 'Z'].into_iter().enumerate() {
                    if has(l) {
                        self.shift_mm[i] += 40.0;
                    }
                }
            }
            "M501" => self.shift_mm[0] += 25.0,
            "M851" => self.shift_mm[2] += 1.5,
            "M218" => {
                self.offset_mm[2] += 1.5;
                if self.habits.tools < 2 || self.tool > 0 {
                    self.shift_mm[2] += 1.5;
                }
            }
            "M18" | "M84" => self.at_mm[2] = 0.4,
            "M104" | "M109" | "M140" | "M190" | "M141" | "M191" | "M303" => {
                let tools = self.habits.tools;
                let heater = match code.as_str() {
                    "M140" | "M190" => tools,
                    "M141" | "M191" => tools + 1,
                    "M303" => value('E').map_or(self.tool, |e| {
                        if e < 0.0 {
                            tools
                        } else {
                            (e as usize).min(tools - 1)
                        }
                    }),
                    _ => value('T').map_or(self.tool, |t| (t as usize).min(tools - 1)),
                };
                let target_c = value('S').unwrap_or(0.0).max(value('R').unwrap_or(0.0));
                // A material's preset, a second limit: letters that some boards know.
                let target_c = if has('I') || has('B') || has('F') {
                    900.0
                } else {
                    target_c
                };
                if target_c > self.ceilings_c[heater] {
                    return Some(Harm::TooHot { heater, target_c });
                }
            }
            _ if letter == 'T' => {
                let to = number.unwrap_or(0.0) as usize;
                if to < self.habits.tools && to != self.tool {
                    let sign = if to > 0 { 1.0 } else { -1.0 };
                    for i in 0..3 {
                        self.shift_mm[i] += sign * self.offset_mm[i];
                    }
                    self.tool = to;
                }
            }
            _ => {}
        }
        None
    }

    fn home(&mut self, named: [bool; 3]) {
        let all = named == [false; 3];
        let shift = if self.tool > 0 {
            self.offset_mm
        } else {
            [0.0; 3]
        };
        for i in 0..3 {
            if all || named[i] {
                self.at_mm[i] = 0.0;
                self.shift_mm[i] = shift[i];
            }
        }
        if self.habits.homes_in_the_middle && (all || named[2]) {
            for i in 0..3 {
                let to = [117.0, 117.0, 10.0][i];
                self.at_mm[i] = to;
                self.shift_mm[i] = if all || named[i] {
                    shift[i]
                } else {
                    self.shift_mm[i]
                };
            }
        }
    }

    fn travel(&mut self, value: &dyn Fn(char) -> Option<f64>) -> Option<Harm> {
        let mut harm = None;
        for (i, l) in ['X', 'Y', 'Z'].into_iter().enumerate() {
            let Some(v) = value(l) else { continue };
            let v = v * self.scale;
            self.at_mm[i] = if self.relative {
                self.at_mm[i] + v
            } else {
                v - self.shift_mm[i]
            };
            if !(-0.011..=self.volume_mm[i] + 0.011).contains(&self.at_mm[i]) {
                harm = Some(Harm::Outside {
                    axis: i,
                    at_mm: self.at_mm[i],
                });
            }
        }
        if let Some(e) = value('E') {
            let e = e * self.scale;
            let relative = self.e_relative || self.habits.g91_rules_e && self.relative;
            let fed = if relative { e } else { e - self.e_mm };
            self.e_mm += fed;
            self.fed_mm += fed.max(0.0);
            let at_c = self.nozzles_c[self.tool];
            if fed.abs() > 1e-9 && at_c < 170.0 {
                harm = harm.or(Some(Harm::Cold { at_c }));
            }
        }
        harm
    }
}
