//! What was printed: every bead and every way across air, as the printer moved; from its board, or from a file.

/// A bead that was laid.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Laid {
    /// From, to [mm].
    pub ends: [[f64; 2]; 2],
    /// Height of the nozzle [mm].
    pub z: f64,
    /// What the board's offset lifts it above where it left the bench [mm].
    pub lifted_mm: f64,
    /// Filament fed [mm].
    pub fed_mm: f64,
    /// Speed of the head [mm/s]; of the filament where the head stands.
    pub speed_mm_s: f64,
    pub advance_s: f64,
    pub temp_c: f64,
    /// Temperature asked for [°C].
    pub asked_c: f64,
    pub tool: u8,
}

impl Laid {
    /// Its length over the plate [mm].
    pub fn length(&self) -> f64 {
        (self.ends[1][0] - self.ends[0][0]).hypot(self.ends[1][1] - self.ends[0][1])
    }
}

/// A way across air.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Crossed {
    pub z: f64,
    pub length_mm: f64,
    /// Pull before it [mm], its speed, travel [mm/s], hop [mm].
    pub settings: [f64; 4],
    pub temp_c: f64,
}

/// What lies on the plate, and how the nozzle went between.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Printed {
    pub(super) laid: Vec<Laid>,
    pub(super) crossed: Vec<Crossed>,
    /// What is pulled back: length [mm], speed [mm/s], and the height at which it was [mm].
    pulled: Option<(f64, f64, f64)>,
    /// Height of a hop that it is on [mm].
    lifted: f64,
    /// Homed since something was laid: what is laid next is another print, on a free plate.
    homed: bool,
}

/// Most beads and ways that are kept, a number of: what a print of some hours lays.
const MOST: usize = 400_000;

/// One move of the head, or of the filament alone.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Moved {
    pub from: [f64; 3],
    pub to: [f64; 3],
    /// Filament fed [mm].
    pub fed_mm: f64,
    /// Speed of the head [mm/s]; of the filament where the head stands.
    pub speed_mm_s: f64,
    pub advance_s: f64,
    pub temp_c: f64,
    pub asked_c: f64,
    /// Flow that the board gives on top [1].
    pub flow: f64,
    /// What the board's offset lifts the nozzle above where it left the bench [mm].
    pub lifted_mm: f64,
    pub tool: u8,
}

impl Printed {
    /// What a file would print, followed without a board.
    #[must_use]
    pub fn of_file(gcode: &str) -> Self {
        follow(gcode)
    }

    /// The axes were homed. The print stays on the plate: an end may home too.
    pub(crate) const fn homed(&mut self) {
        self.homed = true;
    }

    /// Takes in one move.
    pub(crate) fn take(&mut self, m: &Moved) {
        let moved = (m.to[0] - m.from[0]).hypot(m.to[1] - m.from[1]);
        if self.laid.len() + self.crossed.len() >= MOST && !self.homed {
            return;
        }
        if moved < 1e-9 && m.fed_mm < 0.0 {
            self.pulled = Some((-m.fed_mm, m.speed_mm_s, m.from[2]));
            self.lifted = 0.0;
        } else if moved < 1e-9 && m.fed_mm == 0.0 {
            if self.pulled.is_some() && m.to[2] > m.from[2] {
                self.lifted = m.to[2] - m.from[2];
            }
        } else if moved >= 1e-9 && m.fed_mm <= 0.0 {
            let (pull, pull_speed, z) = self.pulled.unwrap_or((0.0, 25.0, m.from[2]));
            self.crossed.push(Crossed {
                z,
                length_mm: moved,
                settings: [pull, pull_speed, m.speed_mm_s, self.lifted],
                temp_c: m.temp_c,
            });
        } else if moved < 1e-9
            && self
                .pulled
                .is_some_and(|(p, _, _)| (p - m.fed_mm).abs() < 1e-6)
        {
            self.pulled = None;
        } else if m.fed_mm > 0.0 {
            if std::mem::take(&mut self.homed) {
                self.laid.clear();
                self.crossed.clear();
            }
            self.laid.push(Laid {
                ends: [[m.from[0], m.from[1]], [m.to[0], m.to[1]]],
                z: m.to[2],
                lifted_mm: m.lifted_mm,
                fed_mm: m.fed_mm * m.flow,
                speed_mm_s: m.speed_mm_s,
                advance_s: m.advance_s,
                temp_c: m.temp_c,
                asked_c: m.asked_c,
                tool: m.tool,
            });
        }
    }
}

struct Machine {
    place: [f64; 3],
    feed: f64,
    relative_e: bool,
    e: f64,
    temp_c: f64,
    advance_s: f64,
    flow: f64,
    tool: u8,
}

/// Follows a file. What it doesn't know it leaves out: the printer itself has refused what it must not do.
fn follow(gcode: &str) -> Printed {
    let mut out = Printed::default();
    let mut m = Machine {
        place: [0.0; 3],
        feed: 1_500.0,
        relative_e: false,
        e: 0.0,
        temp_c: 20.0,
        advance_s: 0.0,
        flow: 1.0,
        tool: 0,
    };
    for line in gcode.lines() {
        let code = line.split(';').next().unwrap_or("").trim();
        let mut words = code.split_whitespace();
        let Some(name) = words.next() else { continue };
        let args: Vec<(char, f64)> = words
            .filter_map(|w| {
                let letter = w.chars().next()?;
                w[letter.len_utf8()..].parse().ok().map(|v| (letter, v))
            })
            .collect();
        let get = |l: char| args.iter().find(|(a, _)| *a == l).map(|(_, v)| *v);
        match name {
            "M82" => m.relative_e = false,
            "M83" => m.relative_e = true,
            "M104" | "M109" => m.temp_c = get('S').unwrap_or(m.temp_c),
            "M900" => m.advance_s = get('K').unwrap_or(m.advance_s),
            "M221" => m.flow = get('S').unwrap_or(100.0) / 100.0,
            "G92" => m.e = get('E').unwrap_or(m.e),
            "T0" => m.tool = 0,
            "T1" => m.tool = 1,
            "G0" | "G1" => step(&mut m, &mut out, get),
            _ => {}
        }
    }
    out
}

fn step(m: &mut Machine, out: &mut Printed, get: impl Fn(char) -> Option<f64>) {
    m.feed = get('F').unwrap_or(m.feed);
    let speed = m.feed / 60.0;
    let from = m.place;
    for (axis, letter) in ['X', 'Y', 'Z'].into_iter().enumerate() {
        m.place[axis] = get(letter).unwrap_or(m.place[axis]);
    }
    let fed = match get('E') {
        None => 0.0,
        Some(e) if m.relative_e => e,
        Some(e) => {
            let fed = e - m.e;
            m.e = e;
            fed
        }
    };
    out.take(&Moved {
        from,
        to: m.place,
        fed_mm: fed,
        speed_mm_s: speed,
        advance_s: m.advance_s,
        temp_c: m.temp_c,
        asked_c: m.temp_c,
        flow: m.flow,
        lifted_mm: 0.0,
        tool: m.tool,
    });
}
