//! The board: reads lines, obeys, heats, reports.

use std::collections::VecDeque;
use std::fmt::Write as _;

use wattotherm_gcode::{FrameError, Habits, Machine, Words, command, unframed};
use wattotherm_heat::{Controller, ControllerSettings, Gains, OutputForm};

use crate::autotune::{Autotune, Progress};
use crate::build::Build;
use crate::faults::Fault;
use crate::motion::{Motion, Way};
use crate::physics::{STEP_S, World};
use crate::printing::{Moved, Printed, Truth};
use crate::second::{SECOND_MM, Second};
use crate::settings::{PROBE_Z_MM, Settings};

/// Physical steps between two decisions of the heater loop.
const STEPS_A_DECISION: u64 = 2;
/// Lines the board's buffer holds while it is busy.
const MOST_WAITING: usize = 32;
/// Moves that the board looks ahead over.
const MOST_QUEUED: usize = 16;
/// Longest line read.
const MOST_BYTES: usize = 256;

/// What keeps the board from its next line.
#[derive(Clone, Debug)]
enum Busy {
    /// Waits for a nozzle, the first or the second; seconds inside the window so far.
    Nozzle(bool, f64),
    /// Waits for the bed.
    Bed,
    /// A move that is waited for; seconds left.
    Moving(f64),
    /// The queue of moves is full: the answer waits for room.
    Room,
    /// A command that waits until all moves are done.
    Draining(Words),
    Autotune(Box<Autotune>),
}

/// A whole printer: bytes in by [`Twin::receive`], time by [`Twin::advance`], bytes out by
/// [`Twin::take_output`].
#[derive(Clone, Debug)]
pub struct Twin {
    /// Everything outside the board.
    pub world: World,
    settings: Settings,
    stored: Settings,
    input: Vec<u8>,
    waiting: VecDeque<String>,
    output: String,
    last_line: u64,
    numbered: bool,
    busy: Option<Busy>,
    motion: Motion,
    since_busy_s: f64,
    now_s: f64,
    left_s: f64,
    steps: u64,
    target_c: f64,
    bed_target_c: f64,
    second: Option<Second>,
    controller: Controller,
    report_every_s: f64,
    since_report_s: f64,
    /// Modes and place by the board's own count: the same reading of commands that guards it.
    machine: Machine,
    flow: f64,
    halted: bool,
    /// Runaway protection: since when, and at what temperature, it was last seen to rise or hold.
    watch: Option<(f64, f64)>,
    /// How many times faster than the wall clock it lives, as it says so itself: no real printer's clock
    /// runs at another speed, so whoever reads its clock must know that it is simulated.
    pub speed_says: String,
    /// How it prints; its own until something else is true of it.
    pub truth: Truth,
    /// What lies on its plate.
    printed: Printed,
    /// Commands run, in order: what tests compare with what was sent.
    pub ran: Vec<String>,
}

/// How this board does what boards do differently.
const HABITS: Habits = Habits {
    modes_rule_e: Some(true),
    home_mm: Some([0.0; 3]),
    counts_on: true,
};

fn controller_of(pid: &[f64; 3]) -> Controller {
    let gains =
        Gains::from_form(pid[0].max(0.01), pid[1], pid[2], OutputForm::Byte).unwrap_or(Gains {
            kp: 0.05,
            ki: 0.0,
            kd: 0.0,
        });
    // OK because 2 steps of 0.05 s are the sample time that these settings have.
    Controller::new(ControllerSettings::common(gains))
}

impl Twin {
    /// A printer just switched on.
    #[must_use]
    pub fn new(build: Build, seed: u64) -> Self {
        let wrong = if build.faults.contains(&Fault::WrongSteps) {
            1.0 / 3.0
        } else {
            1.0
        };
        let mut settings = Settings::old((build.true_steps_mm * wrong * 100.0).round() / 100.0);
        let second = (build.nozzles > 1).then(|| Second::in_a_room(build.ambient_c));
        if second.is_some() {
            settings.set("M218", 'X', SECOND_MM[0]);
            settings.set("M218", 'Y', SECOND_MM[1]);
        }
        let machine = Machine::switched_on(HABITS, usize::from(build.nozzles));
        let mut twin = Self {
            world: World::new(build, seed),
            stored: settings.clone(),
            controller: controller_of(&settings.gains("M301")),
            settings,
            input: Vec::new(),
            waiting: VecDeque::new(),
            output: String::new(),
            last_line: 0,
            numbered: false,
            busy: None,
            motion: Motion::default(),
            since_busy_s: 0.0,
            now_s: 0.0,
            left_s: 0.0,
            steps: 0,
            target_c: 0.0,
            bed_target_c: 0.0,
            second,
            report_every_s: 0.0,
            since_report_s: 0.0,
            machine,
            flow: 1.0,
            halted: false,
            watch: None,
            speed_says: "1".into(),
            truth: Truth::drawn(seed, true),
            printed: Printed::default(),
            ran: Vec::new(),
        };
        twin.output.push_str("start\n");
        twin
    }

    /// Off and on again: what was not stored is gone, the metal stays as hot as it is.
    pub fn power_cycle(&mut self) {
        self.settings = self.stored.clone();
        self.controller = controller_of(&self.settings.gains("M301"));
        self.input.clear();
        self.waiting.clear();
        self.busy = None;
        self.motion = Motion::default();
        self.last_line = 0;
        self.numbered = false;
        self.target_c = 0.0;
        self.bed_target_c = 0.0;
        self.second.iter_mut().for_each(Second::off);
        self.world.duty = 0.0;
        self.world.bed_duty = 0.0;
        self.world.part_fan = 0.0;
        self.report_every_s = 0.0;
        self.machine = Machine::switched_on(HABITS, usize::from(self.world.build.nozzles));
        self.halted = false;
        self.watch = None;
        self.now_s = 0.0;
        self.output.clear();
        self.output.push_str("start\n");
    }

    /// Stored settings as text, for keeping them in a file.
    #[must_use]
    pub fn memory(&self) -> String {
        self.stored.report()
    }

    /// Switched on with these stored settings; damaged text changes nothing.
    pub fn with_memory(&mut self, text: &str) {
        if self.stored.take_report(text) {
            self.settings = self.stored.clone();
            self.controller = controller_of(&self.settings.gains("M301"));
        }
    }

    /// Targets of nozzle and bed [°C].
    #[must_use]
    pub const fn targets_c(&self) -> (f64, f64) {
        (self.target_c, self.bed_target_c)
    }

    /// What lies on its plate: its last print, until it was homed and lays something new.
    #[must_use]
    pub const fn printed(&self) -> &Printed {
        &self.printed
    }

    /// Number of the last line it ran.
    #[must_use]
    pub const fn last_line(&self) -> u64 {
        self.last_line
    }

    /// Whether it waits for nothing and has nothing to say.
    #[must_use]
    pub fn is_idle(&self) -> bool {
        self.busy.is_none() && self.waiting.is_empty() && self.motion.is_still()
    }

    /// Seconds that its axes have moved since it was switched on.
    #[must_use]
    pub const fn moved_s(&self) -> f64 {
        self.motion.moved_s
    }

    /// Seconds since it was switched on.
    #[must_use]
    pub const fn uptime_s(&self) -> f64 {
        self.now_s
    }

    /// Takes bytes as they come; a line counts when its end has come.
    pub fn receive(&mut self, bytes: &[u8]) {
        for b in bytes {
            if *b != b'\n' && *b != b'\r' {
                if self.input.len() < MOST_BYTES {
                    self.input.push(*b);
                }
                continue;
            }
            let line = String::from_utf8_lossy(&std::mem::take(&mut self.input))
                .trim()
                .to_owned();
            if line.is_empty() {
                continue;
            }
            // These two are obeyed as they come, whatever the board is busy with.
            match line.as_str() {
                "M112" => self.halt("emergency stop"),
                "M108" => self.break_out(),
                _ if self.waiting.len() < MOST_WAITING => self.waiting.push_back(line),
                _ => {}
            }
        }
        self.work();
    }

    /// What it has to say since the last time.
    pub fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.output).into_bytes()
    }

    /// Lines in, answer out, at once: for tests without a wire.
    pub fn ask(&mut self, line: &str) -> String {
        self.receive(format!("{line}\n").as_bytes());
        String::from_utf8_lossy(&self.take_output()).into_owned()
    }

    /// Moves time on.
    pub fn advance(&mut self, seconds: f64) {
        self.left_s += seconds.clamp(0.0, 3_600.0);
        while self.left_s >= STEP_S {
            self.left_s -= STEP_S;
            self.tick();
        }
    }

    fn tick(&mut self) {
        self.world.step();
        self.second.iter_mut().for_each(Second::step);
        self.steps += 1;
        self.now_s += STEP_S;
        if self.steps.is_multiple_of(STEPS_A_DECISION) {
            self.decide();
        }
        self.progress();
        if self.report_every_s > 0.0 {
            self.since_report_s += STEP_S;
            if self.since_report_s >= self.report_every_s - 1e-9 {
                self.since_report_s = 0.0;
                let report = self.temperatures();
                let _ = writeln!(self.output, "{report}");
            }
        }
        if self.busy.is_none() && !self.waiting.is_empty() {
            self.work();
        }
    }

    fn decide(&mut self) {
        let shown = self.world.shown_c();
        if self.halted {
            self.world.duty = 0.0;
            self.world.bed_duty = 0.0;
            self.second.iter_mut().for_each(Second::off);
            return;
        }
        let mut said = String::new();
        let mut ended = None;
        let tuning = if let Some(Busy::Autotune(tune)) = &mut self.busy {
            let bed = tune.bed;
            let temp = if bed { self.world.heat.bed_c } else { shown };
            match tune.step(temp, self.now_s, &mut said) {
                Progress::Going => {}
                Progress::Done => ended = Some(None),
                Progress::Failed(why) => ended = Some(Some(why)),
            }
            Some((bed, tune.duty()))
        } else {
            None
        };
        self.output.push_str(&said);
        self.world.duty = match tuning {
            Some((false, duty)) => duty,
            _ if self.target_c > 0.0 => self.controller.update(self.target_c, shown),
            _ => 0.0,
        };
        self.world.bed_duty = match tuning {
            Some((true, duty)) => duty,
            _ if self.bed_target_c > self.world.heat.bed_c + 0.3 => 1.0,
            _ if self.bed_target_c > 0.0 => {
                let hold = self.world.build.bed_w_k
                    * (self.bed_target_c - self.world.build.ambient_c)
                    / self.world.build.bed_w;
                (hold + 0.3 * (self.bed_target_c - self.world.heat.bed_c)).clamp(0.0, 1.0)
            }
            _ => 0.0,
        };
        if let Some(why) = ended {
            self.busy = None;
            self.target_c = 0.0;
            self.world.duty = 0.0;
            match why {
                None => self.output.push_str("ok\n"),
                Some(w) => {
                    let _ = writeln!(self.output, "Error:{w}\nok");
                }
            }
            self.work();
        }
        self.protect(shown);
    }

    /// Runaway protection: a reading off its table, or full heat without a rise.
    fn protect(&mut self, shown: f64) {
        let wanted = match &self.busy {
            Some(Busy::Autotune(t)) if !t.bed => t.target_c,
            _ => self.target_c,
        };
        if wanted <= 0.0 {
            self.watch = None;
            return;
        }
        if shown <= 0.5 || shown >= 349.5 {
            self.halt("nozzle sensor out of range, heaters off");
            return;
        }
        let (since, at) = *self.watch.get_or_insert((self.now_s, shown));
        let heating = shown < wanted - 8.0;
        if !heating || shown >= at + 2.0 {
            self.watch = Some((self.now_s, shown));
        } else if self.now_s - since > 40.0 {
            self.halt("nozzle does not heat, heaters off");
        }
    }

    fn halt(&mut self, why: &str) {
        self.halted = true;
        self.target_c = 0.0;
        self.bed_target_c = 0.0;
        self.second.iter_mut().for_each(Second::off);
        self.world.duty = 0.0;
        self.world.bed_duty = 0.0;
        self.busy = None;
        self.waiting.clear();
        self.motion.stand();
        self.watch = None;
        self.ran.push("M112".into());
        let _ = writeln!(self.output, "Error:halted: {why}");
    }

    fn break_out(&mut self) {
        if let Some(busy) = self.busy.take() {
            if matches!(busy, Busy::Autotune(_)) {
                self.target_c = 0.0;
                self.world.duty = 0.0;
            }
            self.output.push_str("ok\n");
        }
    }

    fn progress(&mut self) {
        self.motion.pass(STEP_S);
        let Some(busy) = &mut self.busy else { return };
        self.since_busy_s += STEP_S;
        let done = match busy {
            Busy::Nozzle(second, inside) => {
                let (at_c, target_c) = match self.second.filter(|_| *second) {
                    Some(s) => (s.at_c, s.target_c),
                    None => (self.world.shown_c(), self.target_c),
                };
                if (at_c - target_c).abs() < 1.0 || target_c <= 0.0 {
                    *inside += STEP_S;
                } else {
                    *inside = 0.0;
                }
                *inside > 3.0
            }
            Busy::Bed => self.world.heat.bed_c >= self.bed_target_c - 1.0,
            Busy::Moving(left) => {
                *left -= STEP_S;
                *left <= 0.0
            }
            Busy::Room => self.motion.len() < MOST_QUEUED,
            Busy::Draining(_) => self.motion.is_still(),
            Busy::Autotune(_) => false,
        };
        if done {
            match self.busy.take() {
                Some(Busy::Draining(words)) => {
                    if self.obey(&words) {
                        self.output.push_str("ok\n");
                    }
                }
                _ => self.output.push_str("ok\n"),
            }
            self.work();
        } else if self.since_busy_s >= 2.0 {
            self.since_busy_s = 0.0;
            self.output.push_str("echo:busy: processing\n");
        }
    }

    fn work(&mut self) {
        while self.busy.is_none() {
            let Some(line) = self.waiting.pop_front() else {
                return;
            };
            self.line(&line);
        }
    }

    fn again(&mut self, why: &str) {
        let (last, next) = (self.last_line, self.last_line + 1);
        let _ = writeln!(
            self.output,
            "Error:{why}, last line: {last}\nResend: {next}\nok"
        );
    }

    fn line(&mut self, line: &str) {
        let (number, command) = match unframed(line) {
            Ok(f) => f,
            Err(FrameError::Checksum) => return self.again("checksum mismatch"),
            Err(_) => return self.again("line without number or checksum"),
        };
        let command = command.to_owned();
        let Ok(words) = Words::read(&command) else {
            if number.is_none() && self.numbered {
                return self.again("line without number");
            }
            let shown: String = command.chars().take(40).collect();
            let _ = writeln!(self.output, "echo:Unknown command: \"{shown}\"\nok");
            self.last_line = number.unwrap_or(self.last_line);
            return;
        };
        match number {
            Some(n) if words.code() == "M110" => {
                self.last_line = words.value('N').map_or(n, |v| {
                    // OK because words hold numbers below 1e9.
                    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
                    let n = v.max(0.0) as u64;
                    n
                });
                self.numbered = true;
                self.output.push_str("ok\n");
                return;
            }
            Some(n) if n != self.last_line + 1 => return self.again("wrong line number"),
            Some(n) => {
                self.last_line = n;
                self.numbered = true;
            }
            None if self.numbered => return self.again("line without number"),
            None => {}
        }
        if self.halted && words.code() != "M999" {
            self.output.push_str("Error:halted\nok\n");
            return;
        }
        self.ran.push(command);
        if self.obey(&words) {
            self.output.push_str("ok\n");
        }
    }

    /// Runs a command; true if `ok` can be said at once.
    fn obey(&mut self, w: &Words) -> bool {
        if !self.motion.is_still() && stands_for(w) {
            self.busy = Some(Busy::Draining(w.clone()));
            return false;
        }
        let before = self.machine.clone();
        self.machine.follow(w);
        self.world.part_fan = self.machine.fan.unwrap_or_default();
        match w.code() {
            "M999" => self.halted = false,
            "M104" | "M109" => {
                let most = self.world.build.limit_c - self.world.build.margin_c;
                let asked = w.value('S').unwrap_or(0.0).max(0.0);
                if asked > most {
                    let _ = writeln!(self.output, "echo:target limited to {most:.0}");
                }
                let second = self.is_second(w.value('T'));
                if let Some(s) = self.second.as_mut().filter(|_| second) {
                    s.target_c = asked.min(most);
                } else {
                    self.target_c = asked.min(most);
                    self.controller = controller_of(&self.settings.gains("M301"));
                }
                if w.code() == "M109" {
                    self.busy = Some(Busy::Nozzle(second, 0.0));
                    return false;
                }
            }
            "M140" | "M190" => {
                self.bed_target_c = w.value('S').unwrap_or(0.0).clamp(0.0, 110.0);
                if w.code() == "M190" {
                    self.busy = Some(Busy::Bed);
                    return false;
                }
            }
            "M105" => {
                let report = self.temperatures();
                let _ = writeln!(self.output, "ok {report}");
                return false;
            }
            "M155" => {
                self.report_every_s = w.value('S').unwrap_or(0.0).clamp(0.0, 60.0);
                self.since_report_s = 0.0;
            }
            "G28" => {
                self.printed.homed();
                self.busy = Some(Busy::Moving(12.0));
                return false;
            }
            "G29" => {
                self.busy = Some(Busy::Moving(40.0));
                return false;
            }
            "G0" | "G1" | "G2" | "G3" => return self.travel(w, &before),
            "G4" => {
                let seconds = w.value('S').or_else(|| w.value('P').map(|ms| ms / 1e3));
                self.busy = Some(Busy::Moving(seconds.unwrap_or_default()));
                return false;
            }
            code @ ("G10" | "G11") => {
                let length = self.settings.get("M207", 'S');
                let fed = if code == "G10" { -length } else { length };
                self.world.feed(fed, 30.0, self.settings.get("M92", 'E'));
            }
            "M220" => self.motion.speed = w.value('S').unwrap_or(100.0) / 100.0,
            "M303" => {
                let cycles = w.value('C').unwrap_or(5.0).clamp(3.0, 20.0);
                let bed = w.value('E').is_some_and(|e| e < 0.0);
                let target = w.value('S').unwrap_or(150.0);
                if w.value('E').is_some_and(|e| e > 0.5) {
                    self.output
                        .push_str("Error:autotune stopped, only the first nozzle is tuned here\n");
                    return true;
                }
                if target > self.world.build.limit_c - self.world.build.margin_c {
                    self.output
                        .push_str("Error:autotune stopped, target above the limit\n");
                    return true;
                }
                // OK because cycles lie between 3 and 20.
                #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
                let tune = Autotune::new(target, bed, cycles as u32, self.now_s);
                self.watch = None;
                self.busy = Some(Busy::Autotune(Box::new(tune)));
                return false;
            }
            "M500" => {
                if !self.world.build.faults.contains(&Fault::SettingsNotSaved) {
                    self.stored = self.settings.clone();
                }
                self.output.push_str("echo:settings stored\n");
            }
            "M501" => {
                self.settings = self.stored.clone();
                self.controller = controller_of(&self.settings.gains("M301"));
            }
            "M503" => self.output.push_str(&self.settings.report()),
            "M27" => self.output.push_str("Not SD printing\n"),
            "M115" => {
                let (speed, nozzles) = (&self.speed_says, self.world.build.nozzles);
                let _ = writeln!(
                    self.output,
                    "NAME:bench printer EXTRUDERS:{nozzles} SIMULATED_SPEED:{speed}\nCap:AUTOREPORT_TEMP:1"
                );
            }
            "M114" => {
                let [x, y, z] = self.machine.place_mm.map(Option::unwrap_or_default);
                let e = self.machine.e_mm.unwrap_or_default();
                let _ = writeln!(self.output, "X:{x:.2} Y:{y:.2} Z:{z:.2} E:{e:.2}");
            }
            "M221" => self.flow = w.value('S').unwrap_or(100.0) / 100.0,
            code if self.settings.take(w) => {
                if code == "M301" {
                    self.controller = controller_of(&self.settings.gains("M301"));
                }
            }
            // The other nozzle comes over the place.
            code if self.second.is_some() && code.starts_with('T') => {
                self.busy = Some(Busy::Moving(1.5));
                return false;
            }
            // Known, and nothing of it shows on this board.
            code if command(code).is_some() => {}
            code => {
                let _ = writeln!(self.output, "echo:Unknown command: \"{code}\"");
            }
        }
        true
    }

    /// A move from where the board was.
    fn travel(&mut self, w: &Words, before: &Machine) -> bool {
        let feed_mm_s = (self.machine.feed_mm_min.unwrap_or_default() / 60.0).max(0.05);
        let [from, to] = [before, &self.machine].map(|m| m.place_mm.map(Option::unwrap_or_default));
        let by = ['I', 'J', 'R'].map(|l| w.value(l));
        let way = match w.code() {
            code @ ("G2" | "G3") => Way::round(code == "G2", from, to, by),
            _ => Way::straight(from, to),
        };
        let mut fed = w
            .value('E')
            .and_then(|e| before.fed_mm(e))
            .unwrap_or_default();
        let second = self.second.filter(|_| self.is_second(None));
        let (at_c, asked_c) = match second {
            Some(s) => (s.at_c, s.target_c),
            None => (self.world.shown_c(), self.target_c),
        };
        if fed > 0.0 && at_c < 165.0 && !self.world.free_air {
            self.output.push_str("echo:cold extrusion prevented\n");
            fed = 0.0;
        }
        let moves = way.length_mm > 1e-9;
        let accel = self.settings.get("M204", 'P');
        let seconds = if moves {
            self.motion.seconds(&way, feed_mm_s, accel)
        } else {
            fed.abs() / feed_mm_s
        };
        // What is set otherwise than it left the bench moves the second nozzle's lines the other way.
        let lies = |[x, y, z]: [f64; 3]| match second {
            Some(_) => [
                x + SECOND_MM[0] - self.settings.get("M218", 'X'),
                y + SECOND_MM[1] - self.settings.get("M218", 'Y'),
                z,
            ],
            None => [x, y, z],
        };
        self.printed.take(&Moved {
            from: lies(from),
            to: lies(to),
            fed_mm: fed,
            speed_mm_s: feed_mm_s,
            advance_s: self.settings.get("M900", 'K'),
            temp_c: at_c,
            asked_c,
            flow: self.flow,
            lifted_mm: self.settings.get("M851", 'Z') - PROBE_Z_MM,
            tool: self.machine.tool.unwrap_or_default(),
        });
        // What the second one melts is of its own spool and drive.
        if fed.abs() > 0.0 && seconds > 0.0 && second.is_none() {
            self.world.feed(
                fed * self.flow,
                fed.abs() / seconds,
                self.settings.get("M92", 'E'),
            );
        }
        if seconds <= 0.0 {
            return true;
        }
        if !moves {
            self.busy = Some(Busy::Moving(seconds));
            return false;
        }
        self.motion.add(way, seconds);
        if self.motion.len() < MOST_QUEUED {
            return true;
        }
        self.busy = Some(Busy::Room);
        false
    }

    fn temperatures(&mut self) -> String {
        let bed = self.world.bed_shown_c();
        let target = match &self.busy {
            Some(Busy::Autotune(t)) if !t.bed => t.target_c,
            _ => self.target_c,
        };
        let (at, duty) = (self.world.shown_c(), self.world.duty * 127.0);
        let bed = format!("B:{bed:.2} /{:.2}", self.bed_target_c);
        let (bed_duty, up) = (self.world.bed_duty * 127.0, self.now_s);
        let Some(s) = self.second else {
            return format!("T:{at:.2} /{target:.2} {bed} @:{duty:.0} B@:{bed_duty:.0} UP:{up:.2}");
        };
        let second_duty = s.duty * 127.0;
        let (active, active_target, active_duty) = if self.is_second(None) {
            (s.at_c, s.target_c, second_duty)
        } else {
            (at, target, duty)
        };
        format!(
            "T:{active:.2} /{active_target:.2} {bed} T0:{at:.2} /{target:.2} T1:{:.2} /{:.2} @:{active_duty:.0} B@:{bed_duty:.0} @0:{duty:.0} @1:{second_duty:.0} UP:{up:.2}",
            s.at_c, s.target_c
        )
    }

    /// Whether a command means the second nozzle: by its word, or because that is in use.
    fn is_second(&self, word: Option<f64>) -> bool {
        let tool = word.unwrap_or_else(|| f64::from(self.machine.tool.unwrap_or_default()));
        self.second.is_some() && tool > 0.5
    }
}

/// Whether a command waits until all moves are done. Feeding without moving does on this board.
fn stands_for(w: &Words) -> bool {
    let feeds_only = || w.has('E') && !['X', 'Y', 'Z'].iter().any(|a| w.has(*a));
    match w.code() {
        "G0" | "G1" => feeds_only(),
        code if code.starts_with('T') => true,
        code => matches!(
            code,
            "G4" | "G10"
                | "G11"
                | "G28"
                | "G29"
                | "M84"
                | "M18"
                | "M109"
                | "M190"
                | "M303"
                | "M400"
        ),
    }
}
