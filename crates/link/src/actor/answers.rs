//! What the printer says, and what follows from it.

use tokio::time::Instant;
use wattotherm_gcode::{
    Allowed, Effect, Heater, Temperatures, Words, read_card_print, read_place,
    read_simulated_speed, read_temperatures,
};
use wattotherm_heat::Sample;

use super::{Actor, End, Order};
use crate::protocol::Event;
use crate::record::Way;
use crate::status::{Heaters, LinkState, SendError};

impl Actor {
    /// One line from the printer.
    pub(super) fn heard(&mut self, text: &str) {
        if text != "ok" || !self.prints_from_here() {
            self.note(Way::Answered, text);
        }
        let now_ms = self.now_ms();
        let asked = text.strip_prefix("ok ");
        let body = asked.unwrap_or(text);
        if let Some(t) = read_temperatures(body) {
            // What comes by itself is made when it is sent; an answer may have been under way for seconds.
            // So while reports come by themselves, answers count for the order of lines only.
            let by_itself = self.unasked.is_some_and(|u| u.elapsed() < self.silence());
            if asked.is_none() {
                self.unasked = Some(Instant::now());
                self.reported(&t);
            } else if !by_itself {
                self.reported(&t);
            }
        } else if let Some(prints) = read_card_print(body) {
            self.prints(prints);
        } else if let Some(speed) = read_simulated_speed(body) {
            self.clock
                .simulated(speed, self.begun.elapsed().as_secs_f64());
        }
        self.protocol.line(text, now_ms);
    }

    fn reported(&mut self, t: &Temperatures) {
        let arrived = self.begun.elapsed().as_secs_f64();
        let t_s = self.clock.read(t.uptime_s, arrived);
        let now = Instant::now();
        self.reported = Some(now);
        self.state.tools_c = t.tools.iter().map(|c| c.at_c).collect();
        self.state.tools = Some(t.tools.len());
        let swung = self.flights.iter().find_map(|(_, a)| {
            let a = a.as_ref().filter(|a| a.line.starts_with("M303"))?;
            Some(self.heater_of(a.heat?.0))
        });
        self.heat.report(t, t_s, swung);
        let fan = self.status.get(|s| s.fan);
        for (heater, c) in t.each() {
            let sample = Sample {
                t_s,
                temp_c: c.at_c,
                target_c: Some(c.target_c),
                duty: c.duty(),
                // It blows on what is printed, not on the bed's sensor.
                fan: matches!(heater, Heater::Tool(_)).then_some(fan),
            };
            self.samples.push(heater, sample);
        }
        let verdict = self.heat.verdict(t, t_s, self.heat_in_flight());
        self.off_by_report = verdict == Heaters::Off;
        let rising = self.heat.rising().to_vec();
        let (own, told) = (self.heat.own(), self.heat.told());
        let known = self.known(verdict);
        // All at once: nobody sees new temperatures beside what was known before them.
        self.status.change(|s| {
            s.heaters = known;
            s.own_heat = own;
            s.told = told;
            s.temperatures = Some(t.clone());
            s.reported = Some(now);
            s.fresh = true;
            s.clock_s = t_s;
            s.rising = rising;
        });
        self.look_at_ceilings();
        self.ask_offsets();
    }

    /// Forgets modes and place, and where further nozzles stand: that is asked anew.
    pub(super) fn forget(&mut self) {
        self.state.forget();
        self.offsets_asked = false;
    }

    /// Asks a printer with several nozzles once where they stand: without it no place can be checked with any but the
    /// first.
    fn ask_offsets(&mut self) {
        let several = self.state.tools.is_some_and(|n| n > 1);
        if several && !self.offsets_asked && self.state_is(LinkState::Connected) {
            self.offsets_asked = true;
            self.urgent.push_back(Order::ours("M503"));
        }
    }

    /// What is known of the heaters: off only once a stop under way is confirmed.
    const fn known(&self, verdict: Heaters) -> Heaters {
        match verdict {
            Heaters::Off if self.stopping.is_some() => Heaters::Unknown,
            v => v,
        }
    }

    pub(super) fn show_heaters(&self) {
        let status = self.status.now();
        if let Some(t) = status.temperatures.as_ref().filter(|_| status.fresh) {
            let verdict = self.heat.verdict(t, status.clock_s, self.heat_in_flight());
            let known = self.known(verdict);
            self.status.change(|s| s.heaters = known);
        }
    }

    /// The printer says whether it prints from its own card.
    fn prints(&mut self, prints: bool) {
        if self.status.get(|s| s.card_print) == Some(prints) {
            return;
        }
        self.status.change(|s| s.card_print = Some(prints));
        if prints {
            // Its heat is its own from now on, and where its head is nobody here knows.
            self.heat.disown();
            self.forget();
            self.show_own();
            self.note(
                Way::Noted,
                "The printer prints from its own card: its heat is left alone.",
            );
        }
    }

    /// Acts on what the protocol saw; some if the connection ends.
    pub(super) fn happen(&mut self) -> Option<End> {
        for event in self.protocol.take_events() {
            match event {
                Event::Done(lines) => self.done(lines),
                Event::Restarted => {
                    self.fail_flights_quietly();
                    self.withdraw_waiting();
                    self.forget();
                    self.state.tools_c.clear();
                    self.heat.nothing_told();
                    if let Some(s) = &mut self.stopping {
                        s.soften();
                    }
                    self.status.change(|s| {
                        s.homed = false;
                        s.fan = 0.0;
                        s.card_print = None;
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
                    if halted && let Some(s) = &mut self.stopping {
                        s.halted = true;
                    }
                    // A halted printer should have its heaters off; only its reports show whether it has.
                    if halted && self.stopping.is_none() && !self.state_is(LinkState::Halted) {
                        self.withdraw_waiting();
                        self.forget();
                        self.say(
                            LinkState::Halted,
                            format!("The printer halted itself: {says}. Find the cause before you release it."),
                        );
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
                    self.note(Way::Noted, "The printer counts otherwise; counting anew.");
                    self.forget();
                    self.greet();
                }
            }
        }
        None
    }

    fn done(&mut self, lines: Vec<String>) {
        let Some((order, allowed)) = self.flights.pop_front() else {
            return;
        };
        let complaint = self.protocol.take_complaint();
        let Some(allowed) = allowed else {
            // The greeting: it answers, and counts as we do.
            let again = if self.stopping.is_some() {
                " Heaters are being set to 0."
            } else {
                ""
            };
            if !self.state_is(LinkState::Halted) {
                self.say(LinkState::Connected, format!("Connected.{again}"));
            }
            return;
        };
        let unknown = lines
            .iter()
            .any(|l| l.to_ascii_lowercase().contains("unknown command"));
        if let Some((heater, target_c)) = allowed.heat
            && target_c > 0.0
        {
            let heater = self.heater_of(heater);
            self.heat.taken(heater);
        }
        if order.zero {
            self.zero_taken();
        }
        let kept_away = lines.iter().any(|l| {
            let l = l.to_ascii_lowercase();
            l.contains("prevented") || l.contains("too long")
        });
        if complaint.is_some() || unknown || kept_away {
            // Whether and how far it ran is the printer's secret.
            if !matches!(
                allowed.effect,
                Effect::Ask | Effect::Heat | Effect::HeatAndWait
            ) {
                self.forget();
            }
        } else {
            self.state.follow(allowed.words());
        }
        self.after(&allowed, &lines, unknown);
        let homed = self.state.homed == [true; 3];
        self.status.change(|s| {
            s.homed = homed;
            s.busy_with = None;
        });
        let line = order.line.clone();
        order.answer(match complaint {
            Some(says) => Err(SendError::Printer { says }),
            None if unknown => Err(SendError::NotKnown { line }),
            None => Ok(lines),
        });
    }

    /// What follows from a command that was answered.
    fn after(&mut self, allowed: &Allowed, lines: &[String], unknown: bool) {
        let code = allowed.words().code().to_owned();
        match code.as_str() {
            "M106" | "M107" => {
                if let Some(fan) = fan_of(&allowed.line) {
                    self.status.change(|s| s.fan = fan);
                }
            }
            "M999" => {
                self.offsets_asked = false;
                self.say(LinkState::Connected, "Connected; the printer was released.");
            }
            "M27" if unknown => self.no_card = true,
            "M114" => {
                if let Some(place) = lines.iter().find_map(|l| read_place(l)) {
                    self.state.said(place);
                }
            }
            "M503" => {
                let said = lines.iter().filter_map(|l| {
                    let l = l.strip_prefix("echo:").unwrap_or(l).trim();
                    Words::read(l).ok().filter(|w| w.code() == "M218")
                });
                for words in said {
                    self.state.said_offset(&words);
                }
            }
            // What it has stored is in force now: it is asked for before anything else goes out.
            "M501" => {
                self.offsets_asked = false;
                self.ask_offsets();
            }
            // Homing ends where the printer wants it to, and with another nozzle its place is called otherwise: it is
            // asked where that is.
            "G28" | "G29" => self.urgent.push_back(Order::ours("M114")),
            _ if code.starts_with('T') => self.urgent.push_back(Order::ours("M114")),
            _ => {}
        }
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
