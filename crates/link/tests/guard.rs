//! The guard against a board's own interpreter: whatever is typed, the head stays inside the volume,
//! nothing is fed cold, and no target passes a ceiling.
#![allow(clippy::unwrap_used)]

#[path = "board/interpreter.rs"]
mod interpreter;

use interpreter::{Habits, Machine as Metal};
use wattotherm_gcode::{Guard, GuardLimits, HeaterLimit, Machine, read_place};

/// Programs tried; each of 4 to 24 lines.
const PROGRAMS: u32 = 1_000_000;
const VOLUME: [f64; 3] = [235.0, 235.0, 250.0];

fn line(rng: &mut fastrand::Rng) -> String {
    const WHOLE: &[&str] = &[
        "G28",
        "G28",
        "G28 X",
        "G28 Y Z",
        "G28 X0 Y0",
        "G28 Z",
        "G28 O",
        "G29",
        "G90",
        "G91",
        "M82",
        "M83",
        "G20",
        "G21",
        "T0",
        "T1",
        "T2",
        "G92 E0",
        "G92 Z60",
        "G92 X0 Y0",
        "G92",
        "M501",
        "M502",
        "M92 X80",
        "M92 E93",
        "M84",
        "M18 X",
        "M851 Z-1",
        "M218 T1 X20",
        "M302 P1",
        "M302 S0",
        "M211 S0",
        "M410",
        "M999",
        "M104 S1e3",
        "M104 I1",
        "M140 S60 B200",
        "M109 R240 F1",
        "M303 E-1 S200",
        "M303 E0 S249 C5",
        "M206 X-50",
        "M428",
        "G10 L2",
        "G53 G1 X400",
        "G54",
        "M600",
        "G1",
        "G0 F3000",
        "G1 E5 F300",
        "G1 E5 F300",
        "G1 E-2 F1800",
        "G1 X20 Y30 E0.4",
        "G26",
        "G5 X10",
        "G2 X300 I5",
    ];
    if rng.u8(0..10) < 6 {
        return WHOLE[rng.usize(0..WHOLE.len())].to_owned();
    }
    let code = [
        "G0", "G1", "G1", "G1", "g1", "M104", "M109", "M140", "M190", "M141", "M303", "G92",
    ][rng.usize(0..12)];
    let mut out = code.to_owned();
    for _ in 0..rng.u8(1..4) {
        let letter = ['X', 'Y', 'Z', 'E', 'F', 'S', 'T', 'R', 'I', 'B', 'P'][rng.usize(0..11)];
        let v = match rng.u8(0..5) {
            0 => rng.f64() * 20.0 - 10.0,
            1 => f64::from(rng.i32(-300..400)),
            2 => 0.0,
            3 => rng.f64() * 280.0,
            _ => f64::from(rng.u8(0..4)),
        };
        let space = if rng.bool() { " " } else { "" };
        let exponent = if rng.u8(0..30) == 0 { "e2" } else { "" };
        out += &format!("{space}{letter}{v:.2}{exponent}");
    }
    out
}

#[test]
fn whatever_is_typed_a_board_stays_inside_never_feeds_cold_and_never_passes_a_ceiling() {
    let mut rng = fastrand::Rng::with_seed(20_260);
    let (mut sent, mut moved, mut fed) = (0_u64, 0_u64, 0_u64);
    for program in 0..PROGRAMS {
        let tools = if rng.u8(0..4) == 0 { 2 } else { 1 };
        let habits = Habits {
            modes_take_e: rng.bool(),
            g91_rules_e: rng.bool(),
            exponents: rng.bool(),
            homes_in_the_middle: rng.bool(),
            starts_relative: rng.bool(),
            tools,
        };
        let mut limits = GuardLimits::new(HeaterLimit::new(235.0, "the liner"), 110.0, VOLUME);
        let mut ceilings_c = vec![235.0; tools];
        if tools > 1 {
            limits.tools.push(HeaterLimit::new(200.0, "the liner"));
            ceilings_c[1] = 200.0;
        }
        ceilings_c.extend([110.0, 70.0]);
        let guard = Guard { limits };
        let mut metal = Metal::new(habits, VOLUME, ceilings_c);
        if rng.bool() {
            metal.nozzles_c.fill(205.0);
        }
        let mut known = Machine::default();
        let mut story = Vec::new();
        for _ in 0..rng.u8(4..24) {
            match rng.u8(0..24) {
                // The board says when it starts anew.
                0 => {
                    metal.reset();
                    known.forget();
                    story.push("(switched off and on)".to_owned());
                }
                // The wire was pulled and put back: the board goes on as it was.
                1 => {
                    known.forget();
                    story.push("(connected anew)".to_owned());
                }
                2 | 3 => {
                    for c in &mut metal.nozzles_c {
                        *c = if rng.bool() { 205.0 } else { 40.0 };
                    }
                    // That takes minutes; the link forgets a report after seconds.
                    known.tools_c.clear();
                }
                4 => known.tools_c.clear(),
                5 => {
                    if let Some(place) = read_place(&metal.says()) {
                        known.said(place);
                    }
                }
                _ => {}
            }
            // Reports come in time, or not at all.
            if rng.u8(0..12) > 0 {
                known.tools_c = metal.nozzles_c.clone();
                known.tools = Some(tools);
            }
            let typed = line(&mut rng);
            let Ok(allowed) = guard.allow(&typed, &known, rng.bool()) else {
                continue;
            };
            sent += 1;
            moved +=
                u64::from(allowed.line.contains(['X', 'Y', 'Z']) && allowed.line.starts_with('G'));
            story.push(allowed.line.clone());
            let before = metal.fed_mm;
            let harm = metal.run(&allowed.line);
            fed += u64::from(metal.fed_mm > before);
            assert_eq!(harm, None, "program {program}, {habits:?}: {story:#?}");
            known.follow(allowed.words());
        }
    }
    // A guard that let nothing through would be safe and useless.
    assert!(
        sent > 1_000_000 && moved > 20_000 && fed > 5_000,
        "{sent} lines went out, {moved} moved, {fed} fed"
    );
}

/// A head with two nozzles, by its carriage. Boards differ in the sign in which they count the offset, and in whether a
/// change moves the carriage over or only names its place anew. None moves over before it was homed [common practice, no
/// published source].
struct TwoNozzles {
    sign: f64,
    moves_over: bool,
    tool: usize,
    offset_mm: [f64; 3],
    carriage_mm: [f64; 3],
    shown_mm: [f64; 3],
    relative: bool,
    homed: bool,
}

impl TwoNozzles {
    fn shift(&self, i: usize) -> f64 {
        if self.tool == 1 {
            self.sign * self.offset_mm[i]
        } else {
            0.0
        }
    }

    /// Runs a line; the axis that left the volume, and where to.
    fn run(&mut self, line: &str) -> Option<(usize, f64)> {
        let mut parts = line.split(' ');
        let code = parts.next().unwrap();
        let word = |axis: usize| {
            line.split(' ')
                .skip(1)
                .find_map(|w| w.strip_prefix(['X', 'Y', 'Z'][axis]))
                .map(|v| v.parse::<f64>().unwrap_or(0.0))
        };
        match code {
            "G28" => {
                self.homed = true;
                for i in 0..3 {
                    self.carriage_mm[i] = 0.0;
                    self.shown_mm[i] = -self.shift(i);
                }
            }
            "M84" => self.homed = false,
            "G90" | "G91" => self.relative = code == "G91",
            "G0" | "G1" => {
                for i in 0..3 {
                    let Some(v) = word(i) else { continue };
                    self.shown_mm[i] = if self.relative {
                        self.shown_mm[i] + v
                    } else {
                        v
                    };
                    self.carriage_mm[i] = self.shown_mm[i] + self.shift(i);
                }
            }
            "M218" => {
                for i in 0..3 {
                    self.offset_mm[i] = word(i).unwrap_or(self.offset_mm[i]);
                }
            }
            "T0" | "T1" if self.tool != usize::from(code == "T1") => {
                self.tool = usize::from(code == "T1");
                for i in 0..3 {
                    if self.moves_over && self.homed {
                        self.carriage_mm[i] = self.shown_mm[i] + self.shift(i);
                    } else {
                        self.shown_mm[i] = self.carriage_mm[i] - self.shift(i);
                    }
                }
            }
            _ => {}
        }
        (0..3)
            .map(|i| (i, self.carriage_mm[i]))
            .find(|(i, at)| !(-0.011..=VOLUME[*i] + 0.011).contains(at))
    }
}

#[test]
fn with_two_nozzles_the_head_stays_inside_whichever_way_a_board_counts_their_offset() {
    let mut rng = fastrand::Rng::with_seed(20_262);
    let guard = Guard {
        limits: GuardLimits::new(HeaterLimit::new(235.0, "the liner"), 110.0, VOLUME),
    };
    let (mut moved_with_second, mut changed) = (0_u64, 0_u64);
    for program in 0..40_000 {
        let offset_mm = [
            rng.f64() * 70.0 - 35.0,
            f64::from(rng.i32(-3..4)),
            f64::from(rng.i32(-2..3)) * 0.25,
        ];
        let mut board = TwoNozzles {
            sign: if rng.bool() { 1.0 } else { -1.0 },
            moves_over: rng.bool(),
            tool: 0,
            offset_mm,
            carriage_mm: [90.0, 80.0, 7.0],
            shown_mm: [0.0; 3],
            relative: false,
            homed: false,
        };
        let mut known = Machine {
            tools: Some(2),
            tools_c: vec![205.0; 2],
            ..Machine::default()
        };
        let mut story = Vec::new();
        for _ in 0..45 {
            if rng.u8(0..5) == 0 {
                // The report lists what is in force.
                let [x, y, z] = board.offset_mm;
                let line = format!("M218 T1 X{x} Y{y} Z{z}");
                known.said_offset(&wattotherm_gcode::Words::read(&line).unwrap());
            }
            if rng.u8(0..6) == 0 {
                let [x, y, z] = board.shown_mm;
                let place = read_place(&format!("X:{x:.2} Y:{y:.2} Z:{z:.2} E:0.00 Count X:1"));
                known.said(place.unwrap());
            }
            let at = |rng: &mut fastrand::Rng| match rng.u8(0..4) {
                0 => f64::from(rng.u8(0..4)),
                1 => f64::from(rng.u8(225..236)),
                2 => f64::from(rng.i32(-30..300)),
                _ => f64::from(rng.u8(40..190)),
            };
            let typed = match rng.u8(0..16) {
                0 => "G28".to_owned(),
                1 | 2 => "G90".to_owned(),
                3 => "G91".to_owned(),
                4..=6 => format!("T{}", rng.u8(0..2)),
                8 if rng.bool() => "M84".to_owned(),
                7 => format!(
                    "M218 T1 {}{}",
                    ['X', 'Y', 'Z'][rng.usize(0..3)],
                    rng.i32(-40..41)
                ),
                _ => {
                    let mut line = "G1".to_owned();
                    for axis in ['X', 'Y', 'Z'] {
                        if rng.bool() {
                            line += &format!(" {axis}{}", at(&mut rng));
                        }
                    }
                    line
                }
            };
            let Ok(allowed) = guard.allow(&typed, &known, false) else {
                continue;
            };
            story.push(allowed.line.clone());
            changed += u64::from(allowed.line.starts_with('T'));
            moved_with_second += u64::from(allowed.line.starts_with("G1 ") && board.tool == 1);
            assert_eq!(
                board.run(&allowed.line),
                None,
                "program {program}, offset {offset_mm:?}, sign {}, moves over {}: {story:#?}",
                board.sign,
                board.moves_over
            );
            known.follow(allowed.words());
        }
    }
    assert!(
        moved_with_second > 10_000 && changed > 50_000,
        "{moved_with_second} moves with the second nozzle, {changed} changes"
    );
}
