//! A board of bad manners, written by hand for these tests alone: its own reader of lines, its own
//! checksum, its own heaters. It shares nothing with the link, the core or the twin.
#![allow(
    dead_code,
    clippy::cast_possible_truncation, // numbers of a line protocol, bounded by the tests that send them
    clippy::needless_range_loop
)]

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use tokio::io::{AsyncRead, AsyncReadExt as _, AsyncWrite, AsyncWriteExt as _};
use tokio::time::{Instant, MissedTickBehavior, interval};

/// What is wrong with it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Manners {
    /// Nothing: the test's own check.
    Good,
    /// Reads nothing while it heats and waits or tunes, stops included; reports all the same.
    DeafWhileHeating,
    /// Stands still for ever some time after it was told to heat: heater as it was, no word, no ear.
    Freezes,
    /// Says `ok` seconds late.
    SlowOk,
    /// Reports a target of 0 and full output while it tunes, and hears no stop meanwhile.
    TargetZeroOutputFull,
    /// Has a second nozzle.
    SecondTool,
    /// Heats the bed along with the nozzle, and reports no output at all.
    BedWithoutOutput,
    /// Its clock says anything.
    LyingClock,
    /// Starts anew now and then.
    Resets,
    /// Loses lines when more than a few wait.
    Swallows,
}

impl Manners {
    pub const ALL: [Self; 10] = [
        Self::Good,
        Self::DeafWhileHeating,
        Self::Freezes,
        Self::SlowOk,
        Self::TargetZeroOutputFull,
        Self::SecondTool,
        Self::BedWithoutOutput,
        Self::LyingClock,
        Self::Resets,
        Self::Swallows,
    ];
}

/// A heater: an element with its own heat in front of the mass that is measured.
#[derive(Clone, Copy, Debug)]
struct Plate {
    core_c: f64,
    at_c: f64,
    target_c: f64,
    output: f64,
    watts: f64,
    core_j_k: f64,
    mass_j_k: f64,
    flow_w_k: f64,
    loss_w_k: f64,
}

impl Plate {
    fn nozzle() -> Self {
        Self {
            core_c: 23.0,
            at_c: 23.0,
            target_c: 0.0,
            output: 0.0,
            watts: 40.0,
            core_j_k: 2.5,
            mass_j_k: 11.0,
            flow_w_k: 3.5,
            loss_w_k: 0.13,
        }
    }

    fn bed() -> Self {
        Self {
            watts: 220.0,
            core_j_k: 60.0,
            mass_j_k: 300.0,
            flow_w_k: 12.0,
            loss_w_k: 1.6,
            ..Self::nozzle()
        }
    }

    fn step(&mut self, dt: f64) {
        let flow = (self.core_c - self.at_c) * self.flow_w_k;
        self.core_c += (self.output * self.watts - flow) / self.core_j_k * dt;
        self.at_c += (flow - (self.at_c - 23.0) * self.loss_w_k) / self.mass_j_k * dt;
    }
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Busy {
    Wait(usize),
    Tune {
        at: usize,
        target_c: f64,
        since_s: f64,
    },
    Move(f64),
}

/// The board.
#[derive(Debug)]
pub struct Board {
    pub manners: Manners,
    plates: Vec<Plate>,
    tools: usize,
    now_s: f64,
    input: Vec<u8>,
    lines: VecDeque<String>,
    late: VecDeque<(f64, String)>,
    out: String,
    busy: Option<Busy>,
    last: u64,
    numbered: bool,
    report_s: f64,
    reported_s: f64,
    busy_said_s: f64,
    halted: bool,
    frozen: bool,
    freeze_at_s: Option<f64>,
    reset_at_s: Option<f64>,
    active: usize,
    pub card_print: bool,
    /// Emergency stops it heard.
    pub stops: u64,
    /// What it says is under way for at most this long.
    pub latency_ms: u64,
    /// A heater whose current can't be cut, and that the board reports as off.
    pub stuck_on: Option<usize>,
    /// Heater commands it ran.
    pub ran: Vec<String>,
    rng: fastrand::Rng,
}

impl Board {
    pub fn new(manners: Manners, seed: u64) -> Self {
        let tools = if manners == Manners::SecondTool { 2 } else { 1 };
        let mut plates = vec![Plate::nozzle(); tools];
        plates.push(Plate::bed());
        Self {
            manners,
            plates,
            tools,
            now_s: 0.0,
            input: Vec::new(),
            lines: VecDeque::new(),
            late: VecDeque::new(),
            out: "start\n".into(),
            busy: None,
            last: 0,
            numbered: false,
            report_s: 0.0,
            reported_s: 0.0,
            busy_said_s: 0.0,
            halted: false,
            frozen: false,
            freeze_at_s: None,
            reset_at_s: None,
            active: 0,
            card_print: false,
            stops: 0,
            latency_ms: 400,
            stuck_on: None,
            ran: Vec::new(),
            rng: fastrand::Rng::with_seed(seed),
        }
    }

    /// The truth: whether current flows through any heater.
    pub fn heats(&self) -> bool {
        self.plates.iter().any(|p| p.output > 0.0)
    }

    /// The truth: whether any heater has a target or is being swung.
    pub fn is_told_to_heat(&self) -> bool {
        self.plates.iter().any(|p| p.target_c > 0.0) || matches!(self.busy, Some(Busy::Tune { .. }))
    }

    /// Measured, nozzles first, then the bed.
    pub fn at_c(&self) -> Vec<f64> {
        self.plates.iter().map(|p| p.at_c).collect()
    }

    pub fn targets_c(&self) -> Vec<f64> {
        self.plates.iter().map(|p| p.target_c).collect()
    }

    /// Somebody turns the knob at the panel.
    pub fn panel(&mut self, plate: usize, target_c: f64) {
        self.plates[plate].target_c = target_c;
    }

    pub fn warm_up(&mut self, plate: usize, at_c: f64) {
        self.plates[plate].at_c = at_c;
        self.plates[plate].core_c = at_c;
    }

    /// Switched off and on at its switch.
    pub fn power_cycle(&mut self) {
        self.reset();
        self.frozen = false;
        self.freeze_at_s = None;
    }

    fn reset(&mut self) {
        for p in &mut self.plates {
            p.target_c = 0.0;
            p.output = 0.0;
        }
        self.input.clear();
        self.lines.clear();
        self.late.clear();
        self.busy = None;
        self.last = 0;
        self.numbered = false;
        self.report_s = 0.0;
        self.halted = false;
        self.active = 0;
        self.out.push_str("start\n");
    }

    fn deaf(&self) -> bool {
        let waits = matches!(self.busy, Some(Busy::Wait(_) | Busy::Tune { .. }));
        let tunes = matches!(self.busy, Some(Busy::Tune { .. }));
        self.frozen
            || self.manners == Manners::DeafWhileHeating && waits
            || self.manners == Manners::TargetZeroOutputFull && tunes
    }

    pub fn receive(&mut self, bytes: &[u8]) {
        if self.frozen {
            return;
        }
        self.input.extend_from_slice(bytes);
        let ends = |b: &u8| matches!(b, b'\n' | b'\r');
        while let Some(end) = self.input.iter().position(ends) {
            let mut line: Vec<u8> = self.input.drain(..=end).take(200).collect();
            line.retain(|b| !ends(b));
            let line = String::from_utf8_lossy(&line).trim().to_owned();
            if line.is_empty() {
                continue;
            }
            if !self.deaf() {
                if line == "M112" {
                    self.stops += 1;
                    self.halt();
                    continue;
                }
                if line == "M108" {
                    self.break_off();
                    continue;
                }
            }
            // A buffer of a few lines; what comes on top of it is gone without a word.
            let full = self.manners == Manners::Swallows && self.lines.len() >= 3;
            if !full && self.lines.len() < 40 {
                self.lines.push_back(line);
            }
        }
    }

    fn halt(&mut self) {
        self.halted = true;
        self.busy = None;
        self.lines.clear();
        for p in &mut self.plates {
            p.target_c = 0.0;
            p.output = 0.0;
        }
        self.out.push_str("Error:Printer halted. kill() called!\n");
    }

    fn break_off(&mut self) {
        match self.busy.take() {
            Some(Busy::Tune { at, .. }) => {
                self.plates[at].output = 0.0;
                self.ok();
            }
            Some(Busy::Wait(_)) => self.ok(),
            other => self.busy = other,
        }
    }

    fn ok(&mut self) {
        self.answer("ok\n");
    }

    fn answer(&mut self, text: &str) {
        let slow = self.manners == Manners::SlowOk;
        let wait = if slow {
            0.5 + 4.5 * self.rng.f64()
        } else {
            0.0
        };
        // Late answers keep their order.
        let at = self.late.back().map_or(0.0, |l| l.0).max(self.now_s + wait);
        self.late.push_back((at, text.to_owned()));
    }

    /// Lets time pass.
    pub fn advance(&mut self, seconds: f64) {
        let mut left = seconds;
        while left > 0.0 {
            let dt = left.min(0.02);
            left -= dt;
            self.tick(dt);
        }
    }

    fn tick(&mut self, dt: f64) {
        self.now_s += dt;
        for (i, p) in self.plates.iter_mut().enumerate() {
            let stuck = self.stuck_on == Some(i);
            let told = p.output;
            p.output = if stuck { 1.0 } else { told };
            p.step(dt);
            p.output = told;
        }
        if self.frozen {
            return;
        }
        if self.freeze_at_s.is_some_and(|t| self.now_s >= t) {
            self.frozen = true;
            return;
        }
        if self.reset_at_s.is_some_and(|t| self.now_s >= t) {
            self.reset_at_s = None;
            self.reset();
        }
        self.control();
        self.go_on(dt);
        while self.busy.is_none() {
            let Some(line) = self.lines.pop_front() else {
                break;
            };
            self.line(&line);
        }
        while self.late.front().is_some_and(|l| l.0 <= self.now_s) {
            if let Some((_, text)) = self.late.pop_front() {
                self.out.push_str(&text);
            }
        }
        if self.report_s > 0.0 && self.now_s >= self.reported_s + self.report_s {
            self.reported_s = self.now_s;
            let report = self.report();
            self.out.push_str(&report);
            self.out.push('\n');
        }
        if self.busy.is_some() && self.now_s >= self.busy_said_s + 2.0 {
            self.busy_said_s = self.now_s;
            self.out.push_str("echo:busy: processing\n");
        }
    }

    /// Heaters as the board drives them: full below, nothing above.
    fn control(&mut self) {
        if self.halted {
            return;
        }
        for p in &mut self.plates {
            p.output = if p.target_c > 0.0 && p.at_c < p.target_c {
                1.0
            } else {
                0.0
            };
        }
        if let Some(Busy::Tune { at, target_c, .. }) = self.busy {
            let p = &mut self.plates[at];
            p.output = if p.at_c < target_c { 1.0 } else { 0.0 };
        }
    }

    fn go_on(&mut self, dt: f64) {
        let done = match &mut self.busy {
            None => return,
            Some(Busy::Wait(i)) => self.plates[*i].at_c >= self.plates[*i].target_c - 1.0,
            Some(Busy::Tune { since_s, .. }) => self.now_s > *since_s + 90.0,
            Some(Busy::Move(left)) => {
                *left -= dt;
                *left <= 0.0
            }
        };
        if done {
            if let Some(Busy::Tune { at, .. }) = self.busy {
                self.plates[at].output = 0.0;
                self.out
                    .push_str("bias: 92 d: 92 min: 196.56 max: 203.91 Ku: 31.9 Tu: 18.7\n");
            }
            self.busy = None;
            self.ok();
        }
    }

    fn again(&mut self) {
        let next = self.last + 1;
        let text = format!(
            "Error:wrong line, last line: {}\nResend: {next}\nok\n",
            self.last
        );
        self.answer(&text);
    }

    fn line(&mut self, line: &str) {
        let mut body = line;
        if let Some(star) = line.rfind('*') {
            body = &line[..star];
            let sum = body.bytes().fold(0_u8, |s, b| s ^ b);
            if line[star + 1..].trim().parse::<u8>() != Ok(sum) {
                return self.again();
            }
        } else if self.numbered {
            return self.again();
        }
        let mut words = body.split_whitespace();
        let mut number = None;
        let mut code = words.next().unwrap_or_default().to_owned();
        if let Some(n) = code.strip_prefix('N').and_then(|n| n.parse::<u64>().ok()) {
            number = Some(n);
            code = words.next().unwrap_or_default().to_owned();
        }
        let rest: Vec<(char, f64)> = words
            .filter_map(|w| {
                let mut c = w.chars();
                let l = c.next()?;
                Some((l, c.as_str().parse().unwrap_or(0.0)))
            })
            .collect();
        let value = |l: char| rest.iter().find(|(c, _)| *c == l).map(|(_, v)| *v);
        if code == "M110" {
            self.last = value('N').map_or(0, |n| n as u64);
            self.numbered = true;
            return self.ok();
        }
        if let Some(n) = number {
            if n != self.last + 1 {
                return self.again();
            }
            self.last = n;
        }
        if self.halted {
            if code == "M999" {
                self.halted = false;
                return self.ok();
            }
            // A halted board says nothing more.
            return;
        }
        let bed = self.tools;
        let tool = value('T').map_or(self.active, |t| (t as usize).min(self.tools - 1));
        match code.as_str() {
            "M104" | "M109" => self.heat(&code, tool, value('S').unwrap_or(0.0)),
            "M140" | "M190" => self.heat(&code, bed, value('S').unwrap_or(0.0)),
            "M303" => {
                let at = match value('E') {
                    Some(e) if e < 0.0 => bed,
                    Some(e) => (e as usize).min(self.tools - 1),
                    None => 0,
                };
                self.told();
                self.ran.push(body.to_owned());
                self.busy = Some(Busy::Tune {
                    at,
                    target_c: value('S').unwrap_or(150.0),
                    since_s: self.now_s,
                });
            }
            "M105" => {
                let report = format!("ok {}\n", self.report());
                self.answer(&report);
            }
            "M155" => {
                self.report_s = value('S').unwrap_or(0.0);
                self.ok();
            }
            "M27" => {
                let says = if self.card_print {
                    "SD printing byte 1200/90000\nok\n"
                } else {
                    "Not SD printing\nok\n"
                };
                self.answer(says);
            }
            "G28" | "G29" => self.busy = Some(Busy::Move(6.0)),
            "T0" => {
                self.active = 0;
                self.ok();
            }
            "T1" => {
                self.active = 1.min(self.tools - 1);
                self.ok();
            }
            _ => self.ok(),
        }
    }

    fn told(&mut self) {
        match self.manners {
            Manners::Freezes if self.freeze_at_s.is_none() => {
                self.freeze_at_s = Some(self.now_s + 0.2 + 8.0 * self.rng.f64());
            }
            Manners::Resets if self.reset_at_s.is_none() => {
                self.reset_at_s = Some(self.now_s + 1.0 + 12.0 * self.rng.f64());
            }
            _ => {}
        }
    }

    fn heat(&mut self, code: &str, plate: usize, target_c: f64) {
        self.plates[plate].target_c = target_c;
        self.ran.push(format!("{code} {plate} {target_c}"));
        if target_c > 0.0 {
            self.told();
        }
        // Its current flows from the very moment, not from the next look at the heater.
        self.control();
        if (code == "M109" || code == "M190") && target_c > 0.0 {
            self.busy = Some(Busy::Wait(plate));
        } else {
            self.ok();
        }
    }

    fn report(&mut self) -> String {
        let tuned = match self.busy {
            Some(Busy::Tune { at, target_c, .. }) => Some((at, target_c)),
            _ => None,
        };
        let hides = self.manners == Manners::TargetZeroOutputFull;
        let target = |i: usize| match tuned {
            Some((at, _)) if at == i && hides => 0.0,
            Some((at, c)) if at == i => c,
            _ => self.plates[i].target_c,
        };
        let p = &self.plates;
        let (n, bed) = (self.active, self.tools);
        let mut text = format!(
            "T:{:.2} /{:.2} B:{:.2} /{:.2}",
            p[n].at_c,
            target(n),
            p[bed].at_c,
            target(bed)
        );
        if self.tools > 1 {
            for i in 0..self.tools {
                text += &format!(" T{i}:{:.2} /{:.2}", p[i].at_c, target(i));
            }
        }
        if self.manners != Manners::BedWithoutOutput {
            text += &format!(
                " @:{:.0} B@:{:.0}",
                p[n].output * 127.0,
                p[bed].output * 127.0
            );
            if self.tools > 1 {
                for i in 0..self.tools {
                    text += &format!(" @{i}:{:.0}", p[i].output * 127.0);
                }
            }
        }
        let up = match self.manners {
            Manners::LyingClock => match self.rng.u8(0..4) {
                0 => self.rng.f64() * 1e6,
                1 => self.now_s * 10.0,
                2 => 0.0,
                _ => self.now_s,
            },
            _ => self.now_s,
        };
        text + &format!(" UP:{up:.2}")
    }

    pub fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.out).into_bytes()
    }
}

/// A board whose time runs.
#[derive(Clone, Debug)]
pub struct Running(Arc<Mutex<Board>>);

impl Running {
    pub fn new(manners: Manners, seed: u64) -> Self {
        Self(Arc::new(Mutex::new(Board::new(manners, seed))))
    }

    /// Its time begins to run, and whoever connects to the port is served; the port.
    pub fn behind_tcp(&self, runtime: &tokio::runtime::Runtime) -> String {
        let listener = runtime
            .block_on(tokio::net::TcpListener::bind("127.0.0.1:0"))
            .expect("a free port");
        let host = listener.local_addr().expect("its address").to_string();
        runtime.spawn(self.clone().live());
        let there = self.clone();
        runtime.spawn(async move {
            while let Ok((stream, _)) = listener.accept().await {
                let _ = stream.set_nodelay(true);
                tokio::spawn(there.clone().serve(stream));
            }
        });
        host
    }

    /// Its time begins to run, and a pipe that holds so many bytes leads to it.
    pub fn behind_a_pipe(
        &self,
        bytes: usize,
    ) -> impl Fn() -> std::future::Ready<std::io::Result<tokio::io::DuplexStream>> + use<> {
        tokio::spawn(self.clone().live());
        let there = self.clone();
        move || {
            let (ours, theirs) = tokio::io::duplex(bytes);
            tokio::spawn(there.clone().serve(ours));
            std::future::ready(Ok(theirs))
        }
    }

    pub fn look(&self) -> MutexGuard<'_, Board> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Lets its time run by the clock of the runtime, whether or not somebody is connected.
    pub async fn live(self) {
        let mut tick = interval(Duration::from_millis(10));
        tick.set_missed_tick_behavior(MissedTickBehavior::Delay);
        let mut last = Instant::now();
        loop {
            tick.tick().await;
            let passed = last.elapsed().as_secs_f64();
            last = Instant::now();
            self.look().advance(passed.min(1.0));
        }
    }

    /// Carries bytes until the stream ends.
    pub async fn serve<S: AsyncRead + AsyncWrite + Unpin>(self, mut stream: S) {
        let mut tick = interval(Duration::from_millis(10));
        let mut buffer = [0_u8; 512];
        // What it says is under way for a while: a port's buffer, a bridge, a network.
        let latency = {
            let mut board = self.look();
            let most = board.latency_ms.max(1);
            Duration::from_millis(board.rng.u64(0..most))
        };
        let mut under_way: VecDeque<(Instant, Vec<u8>)> = VecDeque::new();
        loop {
            let frozen = self.look().frozen;
            tokio::select! {
                // A frozen board reads nothing: the way to it fills up.
                n = stream.read(&mut buffer), if !frozen => match n {
                    Ok(n @ 1..) => self.look().receive(&buffer[..n]),
                    _ => return,
                },
                _ = tick.tick() => {}
            }
            let out = self.look().take_output();
            if !out.is_empty() {
                under_way.push_back((Instant::now() + latency, out));
            }
            while under_way
                .front()
                .is_some_and(|(at, _)| *at <= Instant::now())
            {
                let out = under_way.pop_front().map(|(_, o)| o).unwrap_or_default();
                if stream.write_all(&out).await.is_err() {
                    return;
                }
            }
        }
    }
}
