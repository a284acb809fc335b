//! What the printer says, and what follows from it.

use tokio::time::Instant;
use wattotherm_core::gcode::{GuardState, read_temperatures};
use wattotherm_core::heat::Sample;

use super::{Actor, End};
use crate::protocol::Event;
use crate::record::Way;
use crate::status::{Heaters, LinkState, SendError};

/// The printer's own clock where it has one, made to rise over restarts.
#[derive(Debug, Default)]
pub(super) struct Clock {
    base_s: f64,
    last_s: f64,
}

impl Clock {
    fn read(&mut self, uptime_s: Option<f64>, arrived_s: f64) -> f64 {
        let raw = uptime_s.unwrap_or(arrived_s);
        if self.base_s + raw < self.last_s - 0.5 {
            self.base_s = self.last_s - raw + 1.0;
        }
        self.last_s = (self.base_s + raw).max(self.last_s);
        self.last_s
    }
}

impl Actor {
    /// One line from the printer.
    pub(super) fn heard(&mut self, text: &str) {
        self.note(Way::Answered, text);
        let now_ms = self.now_ms();
        if let Some(t) = read_temperatures(text.strip_prefix("ok ").unwrap_or(text)) {
            let arrived = self.begun.elapsed().as_secs_f64();
            let t_s = self.clock.read(t.uptime_s, arrived);
            self.reported = Some(Instant::now());
            self.state.nozzle_c = Some(t.nozzle_c);
            let swings = self
                .current
                .as_ref()
                .is_some_and(|(o, _)| o.line.starts_with("M303"));
            let on = t.nozzle_target_c > 0.0 || t.bed_target_c.is_some_and(|b| b > 0.0) || swings;
            let fan = self.status.borrow().fan;
            self.samples.push(Sample {
                t_s,
                temp_c: t.nozzle_c,
                target_c: Some(t.nozzle_target_c),
                duty: t.nozzle_output.map(|o| (o / 127.0).clamp(0.0, 1.0)),
                fan: Some(fan),
            });
            self.status.send_modify(|s| {
                s.temperatures = Some(t);
                s.fresh = true;
                s.clock_s = t_s;
                s.heaters = if on { Heaters::On } else { Heaters::Off };
            });
        }
        self.protocol.line(text, now_ms);
    }

    /// Acts on what the protocol saw; some if the connection ends.
    pub(super) fn happen(&mut self) -> Option<End> {
        for event in self.protocol.take_events() {
            match event {
                Event::Done(lines) => self.done(lines),
                Event::Restarted => {
                    if let Some((order, _)) = self.current.take() {
                        let line = order.line.clone();
                        order.answer(Err(SendError::Lost { line }));
                    }
                    self.withdraw_waiting();
                    self.state = GuardState::default();
                    self.stopping = None;
                    self.was_on = false;
                    self.status.send_modify(|s| {
                        s.homed = false;
                        s.fan = 0.0;
                    });
                    // A board that starts because the port was opened has nothing to forget.
                    if self.reported.take().is_some() {
                        self.say(
                            LinkState::Connecting,
                            "The printer was started anew: targets and place are gone, stored settings are in force.",
                        );
                    }
                    self.greet();
                }
                Event::Complaint(says) => {
                    let lower = says.to_ascii_lowercase();
                    let halted = ["halt", "kill", "emergency"]
                        .iter()
                        .any(|w| lower.contains(w));
                    if halted {
                        // What is halted has its heaters off: that is what halting means.
                        self.status.send_modify(|s| s.heaters = Heaters::Off);
                        if self.stopping.is_none()
                            && self.status.borrow().state != LinkState::Halted
                        {
                            self.withdraw_waiting();
                            self.say(
                                LinkState::Halted,
                                format!("The printer halted itself: {says}. Find the cause before you release it."),
                            );
                        }
                    }
                }
                Event::Silent => {
                    return Some(End::Lost("the printer gives no answer any more.".into()));
                }
                Event::Noisy => {
                    return Some(End::Lost(
                        "the wire is too noisy: the same line was asked for again and again. Look at cable and plugs.".into(),
                    ));
                }
                Event::Lost => {
                    if let Some((order, _)) = self.current.take() {
                        let line = order.line.clone();
                        order.answer(Err(SendError::Lost { line }));
                    }
                    self.note(Way::Noted, "The printer counts otherwise; counting anew.");
                    self.greet();
                }
            }
        }
        None
    }

    fn done(&mut self, lines: Vec<String>) {
        let Some((order, allowed)) = self.current.take() else {
            return;
        };
        let complaint = self.protocol.take_complaint();
        let Some(allowed) = allowed else {
            // The greeting: it answers, and counts as we do.
            let again = if self.was_on {
                " Heaters were set to 0."
            } else {
                ""
            };
            if self.status.borrow().state != LinkState::Halted {
                self.say(LinkState::Connected, format!("Connected.{again}"));
            }
            self.was_on = false;
            return;
        };
        self.state.taken(&allowed);
        if let Some(fan) = fan_of(&allowed.line) {
            self.status.send_modify(|s| s.fan = fan);
        }
        let homed = self.state.homed;
        self.status.send_modify(|s| {
            s.homed = homed;
            s.busy_with = None;
        });
        if allowed.line == "M999" {
            self.say(LinkState::Connected, "Connected; the printer was released.");
        }
        let unknown = lines
            .iter()
            .any(|l| l.to_ascii_lowercase().contains("unknown command"));
        let line = order.line.clone();
        order.answer(match complaint {
            Some(says) => Err(SendError::Printer { says }),
            None if unknown => Err(SendError::NotKnown { line }),
            None => Ok(lines),
        });
    }
}

/// Part fan that a command sets, 0 to 1.
fn fan_of(line: &str) -> Option<f64> {
    if line.starts_with("M107") {
        return Some(0.0);
    }
    let rest = line.strip_prefix("M106")?;
    let full = rest
        .split_whitespace()
        .find_map(|w| w.strip_prefix('S')?.parse::<f64>().ok())
        .unwrap_or(255.0);
    Some((full / 255.0).clamp(0.0, 1.0))
}
