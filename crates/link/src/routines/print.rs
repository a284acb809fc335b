//! A print, line by line: with its place, pause, going on, and an end that is always told.

use std::collections::VecDeque;
use std::pin::Pin;
use std::time::Duration;

use futures_util::FutureExt as _;
use serde::{Deserialize, Serialize};
use tokio::sync::mpsc::Receiver;
use tokio::time::timeout;
use utoipa::ToSchema;
use wattotherm_gcode::{Heater, Machine, Words, read_settings};
use wattotherm_measure::text::plain;

use super::{Control, RoutineError, broken, read_settings_text};
use crate::link::Link;
use crate::message::Answer;
use crate::status::SendError;

/// Lines that wait for their turn in the link: enough that none is missed, few enough that a stop is short.
const AHEAD: usize = 8;
/// Between two words on how far it is.
const SHOW_EVERY: Duration = Duration::from_millis(250);
/// How far the head is lifted off the part [mm], the most that there is room for, and how much filament is taken back [mm]. Common practice, no
/// published source: clear of what is printed, and no longer than a cold zone.
const LIFTS_MM: [f64; 4] = [10.0, 5.0, 2.0, 1.0];
const BACK_MM: f64 = 1.0;
/// How long what is left of a print may take once it was stopped.
const END_PATIENCE: Duration = Duration::from_secs(40);

/// A line of a print on its way.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PrintStep {
    /// Goes out.
    Line {
        /// Its number in the file.
        number: u64,
        /// As it is sent.
        text: String,
    },
    /// The file asks for a person: it pauses.
    Person {
        /// Its number in the file.
        number: u64,
    },
}

/// Where a print is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PrintPlace {
    /// The last line of the file that the printer took; a number.
    pub line: u64,
    /// The layer it is in, from 1; 0 before the first. A number.
    pub layer: usize,
    /// Layers in all; a number of.
    pub layers: usize,
    /// Height of that layer [mm].
    pub z_mm: f64,
}

/// What is known of a file's time: where each layer begins.
#[derive(Clone, Debug, Default)]
pub struct PrintClock {
    /// Each layer: the line it begins on, its height [mm], and the seconds gone until then.
    pub layers: Vec<(u64, f64, f64)>,
    /// Lines of the file; a number of.
    pub lines: u64,
    /// Seconds in all, as predicted.
    pub seconds: f64,
}

impl PrintClock {
    /// Where line `number` of the file is, and the seconds gone by then.
    #[must_use]
    pub fn at(&self, number: u64) -> (PrintPlace, f64) {
        let layer = self.layers.partition_point(|l| l.0 <= number);
        let before = layer.checked_sub(1).and_then(|i| self.layers.get(i));
        let (from, z_mm, from_s) = before.copied().unwrap_or((0, 0.0, 0.0));
        let (to, to_s) = self
            .layers
            .get(layer)
            .map_or((self.lines.max(from + 1), self.seconds), |l| (l.0, l.2));
        // OK because lines of a file count far below 2^52.
        #[allow(clippy::cast_precision_loss)]
        let part = (number.saturating_sub(from) as f64 / to.saturating_sub(from).max(1) as f64)
            .clamp(0.0, 1.0);
        let place = PrintPlace {
            line: number,
            layer,
            layers: self.layers.len(),
            z_mm,
        };
        (place, from_s + part * (to_s - from_s))
    }
}

/// What came of a print.
#[derive(Clone, Debug, PartialEq)]
pub struct Printed {
    /// How far it came.
    pub place: PrintPlace,
    /// Seconds by the printer's clock that it moved: without pauses, heating and homing.
    pub seconds: f64,
    /// Seconds that it paused.
    pub paused_s: f64,
    /// Whether the head was lifted off the part after it was broken off.
    pub lifted: bool,
    /// How it ended.
    pub end: Result<(), RoutineError>,
}

/// A line on its way: its number in the file, and what will come of it.
type Sent = (u64, Pin<Box<dyn Future<Output = Answer> + Send>>);

struct Run<'a> {
    control: Control,
    link: &'a Link,
    clock: PrintClock,
    /// On their way, oldest first: the line's number and what will come of it.
    out: VecDeque<Sent>,
    place: PrintPlace,
    /// The file itself asks for a person.
    asked: bool,
    gone_s: f64,
    paused_s: f64,
    /// Seconds that heating and homing took.
    waited_s: f64,
    shown: tokio::time::Instant,
}

/// Sends a print to the printer. `steps` are its lines in order, cleared by the guard as a whole before; `sets` the
/// commands whose settings are set back at the end. Heaters are off when it ends, however it does; where it is broken
/// off the head is lifted off the part, if the printer still hears.
pub async fn print(
    control: Control,
    link: &Link,
    mut steps: Receiver<PrintStep>,
    clock: PrintClock,
    sets: &[String],
    heaters: &[Heater],
) -> Printed {
    let begun_s = link.status().clock_s;
    let before = if sets.is_empty() {
        None
    } else {
        read_settings_text(link).await.ok()
    };
    let mut run = Run {
        control,
        link,
        clock,
        out: VecDeque::new(),
        place: PrintPlace::default(),
        asked: false,
        gone_s: 0.0,
        paused_s: 0.0,
        waited_s: 0.0,
        shown: tokio::time::Instant::now(),
    };
    run.place.layers = run.clock.layers.len();
    let end = run.begin(&mut steps).await;
    let end = end.map_err(|e| why(link, e));
    let ended_s = link.status().clock_s;
    drop(steps);
    // Whatever else the file heated is its heat too.
    let mut all = heaters.to_vec();
    all.extend(link.status().own_heat.iter().map(|o| o.heater));
    all.sort_unstable();
    all.dedup();
    // Lines that wait are withdrawn with this, and nothing behind it is sent before it is confirmed.
    link.off(&all);
    run.out.clear();
    let still_there = !matches!(
        &end,
        Err(RoutineError::Broken { .. } | RoutineError::Send(SendError::NotConnected))
    );
    let mut lifted = false;
    if still_there {
        let tidy = async {
            if end.is_err() {
                lifted = lift(link).await.is_some();
            }
            let _ = link.send("M107").await;
            set_back(link, sets, before.as_deref()).await;
        };
        let _ = timeout(END_PATIENCE, tidy).await;
    }
    Printed {
        place: run.place,
        seconds: (ended_s - begun_s - run.paused_s - run.waited_s).max(0.0),
        paused_s: run.paused_s,
        lifted,
        end,
    }
}

/// Why a print ended, as the technician needs it.
fn why(link: &Link, e: RoutineError) -> RoutineError {
    match e {
        RoutineError::Send(SendError::Withdrawn { .. }) => RoutineError::Stopped,
        RoutineError::Send(
            SendError::Lost { .. } | SendError::NotConnected | SendError::Halted,
        ) => broken(&link.status()),
        e => e,
    }
}

/// Waits until the printer stands and has surely run all that was sent: an `ok` too many is taken for the next move's,
/// the answer to a question can't be.
async fn stand(link: &Link) -> Result<(), SendError> {
    link.send("G4 P1").await?;
    link.send("M105").await.map(drop)
}

/// Where the head was before it was lifted, and by how much [mm].
struct Lifted {
    z_mm: f64,
    by_mm: f64,
    relative: bool,
}

impl Lifted {
    /// The word that brings it down again, as moves count then.
    fn down(&self) -> String {
        let word = if self.relative {
            -self.by_mm
        } else {
            self.z_mm
        };
        format!("G0 Z{} F600", plain(word, 3))
    }
}

/// Lifts the head off the part, as far as its place is known and there is room above it.
async fn lift(link: &Link) -> Option<Lifted> {
    let _ = stand(link).await;
    let machine = link.machine().await;
    let (z_mm, relative) = (machine.place_mm[2]?, machine.relative?);
    for by_mm in LIFTS_MM {
        let word = if relative { by_mm } else { z_mm + by_mm };
        let line = format!("G0 Z{} F600", plain(word, 3));
        if link.send(&line).await.is_ok() {
            return Some(Lifted {
                z_mm,
                by_mm,
                relative,
            });
        }
    }
    None
}

/// What the file set of the machine, back to what it was.
async fn set_back(link: &Link, sets: &[String], before: Option<&str>) {
    if sets.is_empty() {
        return;
    }
    for code in ["M220", "M221"] {
        if sets.iter().any(|s| s == code) {
            let _ = link.send(&format!("{code} S100")).await;
        }
    }
    let Some(before) = before else { return };
    let report = read_settings(before);
    for code in sets {
        let words: String = report
            .values
            .iter()
            .filter(|(k, _)| k.code == *code)
            .map(|(k, v)| format!(" {}{}", k.letter, plain(*v, 5)))
            .collect();
        if !words.is_empty() {
            let _ = link.send(&format!("{code}{words}")).await;
        }
    }
}

impl Run<'_> {
    /// A file counts on the first nozzle until it names another.
    async fn begin(&mut self, steps: &mut Receiver<PrintStep>) -> Result<(), RoutineError> {
        if self.link.status().tools() > 1 {
            self.link.send("T0").await?;
        }
        self.all(steps).await
    }

    async fn all(&mut self, steps: &mut Receiver<PrintStep>) -> Result<(), RoutineError> {
        let mut ended = false;
        loop {
            if self.control.stop.now() {
                return Err(RoutineError::Stopped);
            }
            let pauses = self.control.pausing.now();
            if pauses && self.out.is_empty() {
                self.pause().await?;
                continue;
            }
            if ended && self.out.is_empty() {
                break;
            }
            let takes = !pauses && !ended && self.out.len() < AHEAD;
            tokio::select! {
                biased;
                // Nobody who could stop it is there any more: it ends.
                stop = self.control.stop.next() => if stop.unwrap_or(true) {
                    return Err(RoutineError::Stopped);
                },
                _ = self.control.pausing.next() => {}
                got = next_of(&mut self.out), if !self.out.is_empty() => {
                    let (number, answer) = got;
                    answer?;
                    self.took(number);
                }
                step = steps.recv(), if takes => match step {
                    None => ended = true,
                    Some(PrintStep::Person { number }) => {
                        self.control.pause.change(|p| *p = true);
                        self.place.line = number;
                        self.asked = true;
                    }
                    Some(PrintStep::Line { number, text }) => self.send(number, &text).await?,
                },
            }
        }
        // The last line was taken; what it began goes on until the printer stands.
        stand(self.link).await?;
        self.show("printed", false);
        Ok(())
    }

    /// Puts a line on its way. What heats, homes or waits is waited for alone: its time isn't the print's.
    async fn send(&mut self, number: u64, text: &str) -> Result<(), RoutineError> {
        if !stands(text) {
            self.out.push_back((number, self.link.stream(text).boxed()));
            return Ok(());
        }
        while let Some((number, answer)) = self.out.pop_front() {
            answer.await?;
            self.took(number);
        }
        let from_s = self.link.status().clock_s;
        let says = waits_for(text);
        self.shown = tokio::time::Instant::now();
        self.show(&says, false);
        let answer = self.link.stream(text);
        tokio::pin!(answer);
        loop {
            tokio::select! {
                biased;
                stop = self.control.stop.next() => if stop.unwrap_or(true) {
                    return Err(RoutineError::Stopped);
                },
                _ = self.control.pausing.next() => {
                    let then = if self.control.pausing.now() { "; it pauses then" } else { "" };
                    self.show(&format!("{says}{then}"), false);
                }
                got = &mut answer => {
                    got?;
                    break;
                }
            }
        }
        self.waited_s += self.link.status().clock_s - from_s;
        self.took(number);
        Ok(())
    }

    /// The printer took line `number` of the file.
    fn took(&mut self, number: u64) {
        if number <= self.place.line {
            return;
        }
        let before = self.place.layer;
        (self.place, self.gone_s) = self.clock.at(number);
        if self.place.layer != before || self.shown.elapsed() >= SHOW_EVERY {
            self.shown = tokio::time::Instant::now();
            self.show("printing", false);
        }
    }

    fn show(&self, says: &str, paused: bool) {
        let seconds = self.clock.seconds.max(1e-9);
        let progress = super::Progress {
            says: says.to_owned(),
            part: (self.gone_s / seconds).clamp(0.0, 1.0),
            left_s: Some((seconds - self.gone_s).max(0.0)),
            paused,
            print: Some(self.place),
        };
        self.control.progress.change(|p| *p = progress);
    }

    /// Lifts the head, waits until it may go on, and puts it back where it was.
    async fn pause(&mut self) -> Result<(), RoutineError> {
        let from_s = self.link.status().clock_s;
        self.show("lifting the head", true);
        stand(self.link).await?;
        let was = self.link.machine().await;
        let back = take_back(&was);
        if let Some([back, _]) = &back {
            self.link.send(back).await?;
        }
        let lifted = lift(self.link).await;
        let says = if std::mem::take(&mut self.asked) {
            "paused: the file asks for you; head lifted, heaters kept"
        } else {
            "paused: head lifted, heaters kept"
        };
        self.show(says, true);
        self.wait_for_go().await?;
        self.show("going on", true);
        if let Some(lifted) = lifted {
            self.link.send(&lifted.down()).await?;
        }
        if let Some([_, forth]) = &back {
            self.link.send(forth).await?;
        }
        if let Some(feed) = was.feed_mm_min {
            self.link.send(&format!("G1 F{}", plain(feed, 3))).await?;
        }
        self.paused_s += self.link.status().clock_s - from_s;
        self.show("printing", false);
        Ok(())
    }

    async fn wait_for_go(&mut self) -> Result<(), RoutineError> {
        let mut status = self.link.watch();
        loop {
            if self.control.stop.now() {
                return Err(RoutineError::Stopped);
            }
            if !self.control.pausing.now() {
                return Ok(());
            }
            let now = self.link.status();
            if now.state != crate::status::LinkState::Connected {
                return Err(RoutineError::Broken { says: now.says });
            }
            if now.stopping.is_some() {
                return Err(RoutineError::Stopped);
            }
            tokio::select! {
                stop = self.control.stop.next() => if stop.unwrap_or(true) {
                    return Err(RoutineError::Stopped);
                },
                _ = self.control.pausing.next() => {}
                _ = status.next() => {}
            }
        }
    }
}

/// The oldest on its way: its number, and what came of it.
async fn next_of(out: &mut VecDeque<Sent>) -> (u64, Answer) {
    let Some((number, answer)) = out.front_mut() else {
        return std::future::pending().await;
    };
    let number = *number;
    let answer = answer.await;
    out.pop_front();
    (number, answer)
}

/// The code of a line as it is sent.
fn code(line: &str) -> &str {
    line.split(' ').next().unwrap_or_default()
}

/// Whether a line keeps the printer standing.
fn stands(line: &str) -> bool {
    matches!(code(line), "M109" | "M190" | "M191" | "G28" | "G29")
}

fn waits_for(line: &str) -> String {
    let to = Words::read(line)
        .ok()
        .and_then(|w| w.value('S').or_else(|| w.value('R')))
        .map(|c| plain(c, 0));
    match (code(line), to) {
        ("M109", Some(c)) => format!("heating the nozzle to {c} °C"),
        ("M190", Some(c)) => format!("heating the bed to {c} °C"),
        ("M191", Some(c)) => format!("heating the chamber to {c} °C"),
        ("G28", _) => "homing".into(),
        _ => "measuring the bed".into(),
    }
}

/// Lines that take filament back and give it again, as far as it is known how it counts.
fn take_back(machine: &Machine) -> Option<[String; 2]> {
    let line = |e: f64| format!("G1 E{} F1800", plain(e, 5));
    match machine.e_relative? {
        true => Some([line(-BACK_MM), line(BACK_MM)]),
        false => {
            let e = machine.e_mm?;
            Some([line(e - BACK_MM), line(e)])
        }
    }
}
