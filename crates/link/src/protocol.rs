//! The line protocol from the sender's side, as a state machine: lines and time in, bytes and events
//! out. No I/O, so that every order of mishaps can be tried.
//!
//! One line is in flight, except behind a stop, whose zeros don't wait for what the printer is busy
//! with, and in a print, whose moves would starve the printer one by one. The printer counts lines, so
//! what it asks for tells what it has run: a line is only ever sent again under its old number, and the
//! printer runs a number once.

use std::collections::VecDeque;

use wattotherm_gcode::{Effect, Reply, Words, command, framed, read_reply};

/// How long to wait for what, in milliseconds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Patience {
    /// Without an answer to a quick command, or without any sign of life during a long one.
    pub silence_ms: u64,
    /// Times a line is sent again before the printer counts as silent.
    pub probes: u32,
    /// Least time between two sendings of the same line, doubled each time.
    pub quiet_ms: u64,
    /// Times one line may be asked for again before the wire counts as unusable.
    pub resends: u32,
}

impl Default for Patience {
    /// Common practice, no published source: firmwares say that they are busy every two seconds.
    fn default() -> Self {
        Self {
            silence_ms: 6_000,
            probes: 3,
            quiet_ms: 40,
            resends: 40,
        }
    }
}

/// What came of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Event {
    /// The oldest line in flight was run; what the printer said meanwhile.
    Done(Vec<String>),
    /// The printer was started anew: it has forgotten line numbers, targets and place.
    Restarted,
    /// The printer says that something is wrong.
    Complaint(String),
    /// The printer gives no answer any more.
    Silent,
    /// The same line was asked for too often.
    Noisy,
    /// The printer counts in a way that fits nothing sent: whether the last line ran is unknown.
    Lost,
}

#[derive(Clone, Debug)]
struct Flight {
    number: u64,
    long: bool,
    /// A question for temperatures: its answer can be told from a stray `ok`.
    asks: bool,
    answer: Vec<String>,
}

/// The sender.
#[derive(Clone, Debug)]
pub struct Protocol {
    patience: Patience,
    next: u64,
    past: VecDeque<(u64, String)>,
    /// Lines not acknowledged yet, oldest first.
    flights: VecDeque<Flight>,
    /// The line whose `ok` is awaited; below those in flight while lines are sent again.
    awaited: Option<u64>,
    /// The newest line that stands on the wire since lines were last sent again.
    on_wire: u64,
    written_ms: u64,
    life_ms: u64,
    heard_ms: u64,
    probes: u32,
    resends: u32,
    wait_ms: u64,
    again_at: Option<u64>,
    /// The printer answers `M105` with `ok T:…` on one line.
    one_line: bool,
    /// A bare `ok` to a question for temperatures counts from then on, if no better one came.
    bare_at: Option<u64>,
    /// A temperature was reported since the line in flight was sent.
    report_seen: bool,
    /// The printer says `ok` right after it has asked for a line: that one acknowledges nothing.
    after_resend: bool,
    out: String,
    events: Vec<Event>,
    complaint: Option<String>,
}

/// Lines kept for sending again.
const MOST_PAST: usize = 64;
/// How many times longer a printer is waited for that still reports temperatures.
const MOST_PATIENT: u32 = 8;
/// How long an `ok` that doesn't look like the answer waits for a better one.
const BARE_OK_MS: u64 = 600;
/// Lines of one answer kept.
const MOST_ANSWER: usize = 400;

impl Protocol {
    /// Before the first line.
    #[must_use]
    pub fn new(patience: Patience) -> Self {
        Self {
            patience,
            next: 1,
            past: VecDeque::new(),
            flights: VecDeque::new(),
            awaited: None,
            on_wire: 0,
            written_ms: 0,
            life_ms: 0,
            heard_ms: 0,
            probes: 0,
            resends: 0,
            wait_ms: patience.quiet_ms,
            again_at: None,
            one_line: false,
            bare_at: None,
            report_seen: false,
            after_resend: false,
            out: String::new(),
            events: Vec::new(),
            complaint: None,
        }
    }

    /// Starts counting at 1: `N0 M110 N0`. Its `ok` ends in [`Event::Done`].
    pub fn greet(&mut self, now_ms: u64) {
        *self = Self {
            one_line: self.one_line,
            ..Self::new(self.patience)
        };
        self.past.push_back((0, "M110 N0".into()));
        self.launch(0, false, now_ms);
    }

    /// Whether a line may be sent.
    #[must_use]
    pub fn is_free(&self) -> bool {
        self.flights.is_empty() && self.awaited.is_none()
    }

    /// Sends a line. `long` for what answers late: heating and waiting, moving, autotune.
    pub fn send(&mut self, command: &str, long: bool, now_ms: u64) {
        debug_assert!(self.is_free());
        let number = self.next;
        self.next += 1;
        self.past.push_back((number, command.to_owned()));
        if self.past.len() > MOST_PAST {
            self.past.pop_front();
        }
        self.launch(number, long, now_ms);
    }

    /// Whether nothing is being sent again: each line in flight stands on the wire once, in order.
    #[must_use]
    pub fn is_in_order(&self) -> bool {
        self.again_at.is_none()
            && self.on_wire + 1 == self.next
            && self.flights.front().map(|f| f.number) == self.awaited
    }

    /// Bytes on the wire that nothing was answered to yet.
    #[must_use]
    pub fn bytes_in_flight(&self) -> usize {
        let first = self.flights.front().map_or(self.next, |f| f.number);
        let lines = self.past.iter().rev().take_while(|(n, _)| *n >= first);
        lines.map(|(n, c)| framed(*n, c).len()).sum()
    }

    /// Sends a line behind those in flight, without waiting for their answers; `long` as in [`Protocol::send`].
    pub fn send_behind(&mut self, command: &str, long: bool, now_ms: u64) {
        if self.is_free() {
            self.send(command, long, now_ms);
            return;
        }
        let number = self.next;
        self.next += 1;
        self.past.push_back((number, command.to_owned()));
        if self.past.len() > MOST_PAST {
            self.past.pop_front();
        }
        self.flights.push_back(Flight {
            number,
            long,
            asks: command.starts_with("M105"),
            answer: Vec::new(),
        });
        // While older lines are sent again, this one's turn comes behind them.
        if self.on_wire + 1 == number {
            self.out.push_str(&framed(number, command));
            self.on_wire = number;
        }
    }

    fn launch(&mut self, number: u64, long: bool, now_ms: u64) {
        let asks = self
            .past
            .back()
            .is_some_and(|(n, c)| *n == number && c.starts_with("M105"));
        self.flights.push_back(Flight {
            number,
            long,
            asks,
            answer: Vec::new(),
        });
        self.bare_at = None;
        self.report_seen = false;
        self.probes = 0;
        self.resends = 0;
        self.wait_ms = self.patience.quiet_ms;
        self.life_ms = now_ms;
        self.write(number, now_ms);
    }

    fn write(&mut self, number: u64, now_ms: u64) {
        if let Some((_, command)) = self.past.iter().find(|(n, _)| *n == number) {
            self.out.push_str(&framed(number, command));
        }
        self.awaited = Some(number);
        self.on_wire = number;
        self.written_ms = now_ms;
        self.again_at = None;
    }

    /// Sends what is awaited once more: what was to be written has been thrown away.
    pub fn rewrite(&mut self, now_ms: u64) {
        self.out.clear();
        if let Some(awaited) = self.awaited {
            self.write(awaited, now_ms);
        }
    }

    /// Takes heat commands that have not surely run out of what may be sent again: after a stop they
    /// must not come through late. The numbers stay, with a question in their place.
    pub fn withdraw_heat(&mut self) {
        for (_, line) in &mut self.past {
            let Ok(words) = Words::read(line) else {
                continue;
            };
            let heats = command(words.code())
                .is_some_and(|s| matches!(s.effect, Effect::Heat | Effect::HeatAndWait));
            let to_zero = ['S', 'R']
                .iter()
                .all(|l| words.value(*l).is_none_or(|v| v <= 0.0));
            if heats && !to_zero {
                *line = "M105".into();
            }
        }
    }

    /// Gives up the line in flight without knowing whether it ran.
    pub fn abandon(&mut self) {
        self.flights.clear();
        self.awaited = None;
        self.again_at = None;
        self.bare_at = None;
    }

    /// Takes one line of the printer.
    pub fn line(&mut self, line: &str, now_ms: u64) {
        let reply = read_reply(line);
        let after_resend = std::mem::take(&mut self.after_resend);
        match reply {
            Reply::Ok(rest) => {
                self.life_ms = now_ms;
                if after_resend {
                    return;
                }
                if !self.is_the_answer(&rest, now_ms) {
                    return;
                }
                if !rest.is_empty()
                    && let Some(f) = self.flights.front_mut()
                {
                    f.answer.push(rest);
                }
                self.acknowledged(now_ms);
            }
            Reply::Resend(number) => {
                self.after_resend = true;
                self.complaint = None;
                self.life_ms = now_ms;
                self.asked_for(number, now_ms);
            }
            Reply::Busy => {
                self.life_ms = now_ms;
                self.probes = 0;
            }
            Reply::Started => {
                self.abandon();
                self.events.push(Event::Restarted);
            }
            Reply::Error(says) => {
                // Behind a damaged line stands a request; that is no complaint about the printer.
                let about_line = ["checksum", "line number", "last line"]
                    .iter()
                    .any(|w| says.to_ascii_lowercase().contains(w));
                if !about_line {
                    self.complaint = Some(says.clone());
                    self.events.push(Event::Complaint(says));
                }
            }
            Reply::Other(text) => {
                self.heard_ms = now_ms;
                self.report_seen |= text.starts_with("T:");
                if let Some(f) = self.flights.front_mut() {
                    // Long commands report as they go: that is a sign of life.
                    if f.answer.len() < MOST_ANSWER && !text.starts_with("T:") {
                        f.answer.push(text);
                    }
                }
            }
        }
    }

    /// Whether an `ok` may belong to what is awaited. A board that was started while it was greeted says one
    /// `ok` too many, and from then on each line would count as run one line early. The answer to a question
    /// for temperatures has temperatures in it, so there the count is set right.
    fn is_the_answer(&mut self, rest: &str, now_ms: u64) -> bool {
        let with_report = rest.contains("T:") || rest.contains("T0:");
        self.one_line |= with_report;
        let asks = self
            .flights
            .front()
            .is_some_and(|f| f.asks && self.awaited == Some(f.number));
        // A report in an `ok` to something else answers a question asked before.
        if with_report == asks && self.awaited.is_some() {
            return true;
        }
        if !with_report && !self.one_line && self.report_seen {
            return true;
        }
        self.bare_at.get_or_insert(now_ms + BARE_OK_MS);
        false
    }

    fn acknowledged(&mut self, now_ms: u64) {
        self.bare_at = None;
        self.report_seen = false;
        let Some(awaited) = self.awaited else {
            // An `ok` to nothing: said twice, or late.
            return;
        };
        self.has_run(awaited);
        self.again_at = None;
        if awaited < self.on_wire {
            // Its copy is there already.
            self.awaited = Some(awaited + 1);
            self.written_ms = now_ms;
            self.probes = 0;
        } else if awaited + 1 < self.next {
            self.write(awaited + 1, now_ms);
        } else {
            self.awaited = None;
        }
    }

    /// Ends the flights up to `number`.
    fn has_run(&mut self, number: u64) {
        while self.flights.front().is_some_and(|f| f.number <= number) {
            if let Some(f) = self.flights.pop_front() {
                self.events.push(Event::Done(f.answer));
            }
        }
    }

    fn asked_for(&mut self, number: u64, now_ms: u64) {
        if number == self.next {
            // It has run all there was: an acknowledgement, whatever became of the `ok`.
            if self.awaited.is_some() {
                self.on_wire = self.next - 1;
                self.awaited = Some(self.on_wire);
                self.acknowledged(now_ms);
            }
            return;
        }

        if !self.past.iter().any(|(n, _)| *n == number) {
            self.abandon();
            self.events.push(Event::Lost);
            return;
        }
        // What it asks for is the first that it has not run.
        self.has_run(number.saturating_sub(1));
        if self.awaited == Some(number) && self.again_at.is_some() {
            // Asked already; the copy is on its way.
            return;
        }
        self.resends += 1;
        if self.resends > self.patience.resends {
            self.abandon();
            self.events.push(Event::Noisy);
            return;
        }
        // Not at once if it was just sent: the request may be an echo of an earlier copy, and every
        // copy sent for an echo makes another echo.
        let just_sent = self.awaited == Some(number) && now_ms < self.written_ms + self.wait_ms;
        self.awaited = Some(number);
        if just_sent {
            self.again_at = Some(self.written_ms + self.wait_ms);
            self.wait_ms = (self.wait_ms * 2).min(2_000);
        } else {
            self.write(number, now_ms);
        }
    }

    /// Lets time pass.
    pub fn tick(&mut self, now_ms: u64) {
        if self.bare_at.is_some_and(|t| now_ms >= t) {
            self.acknowledged(now_ms);
        }
        let Some(awaited) = self.awaited else { return };
        if self.again_at.is_some_and(|t| now_ms >= t) {
            self.write(awaited, now_ms);
        }
        if now_ms < self.due_ms() {
            return;
        }
        // Reports still come while an `ok` stays away: it is alive, and busy or deaf. Ask for longer.
        let talks = now_ms < self.heard_ms + self.patience.silence_ms;
        let most = self.patience.probes * if talks { MOST_PATIENT } else { 1 };
        if self.probes >= most {
            self.abandon();
            self.events.push(Event::Silent);
            return;
        }
        self.probes += 1;
        self.life_ms = now_ms;
        // Ends a half line that a lost byte left open; then the same number again.
        self.out.push('\n');
        self.write(awaited, now_ms);
    }

    /// When [`Protocol::tick`] has something to do, if a line is awaited.
    #[must_use]
    pub fn wakes_at_ms(&self) -> Option<u64> {
        self.awaited?;
        let due = self.due_ms();
        let soonest = [self.again_at, self.bare_at].into_iter().flatten().min();
        Some(soonest.map_or(due, |t| t.min(due)))
    }

    fn due_ms(&self) -> u64 {
        let long = self.flights.front().is_some_and(|f| f.long);
        let since = self.life_ms.max(self.written_ms);
        // A long command that says nothing about being busy may be at it all the same.
        since + self.patience.silence_ms * if long { 2 } else { 1 }
    }

    /// Bytes to write since the last time.
    pub fn take_output(&mut self) -> String {
        std::mem::take(&mut self.out)
    }

    /// What happened since the last time.
    pub fn take_events(&mut self) -> Vec<Event> {
        std::mem::take(&mut self.events)
    }

    /// What the printer complained about since the line in flight was sent.
    pub fn take_complaint(&mut self) -> Option<String> {
        self.complaint.take()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn greeted() -> Protocol {
        let mut p = Protocol::new(Patience::default());
        p.greet(0);
        assert_eq!(p.take_output(), "N0 M110 N0*125\n");
        p.line("ok", 1);
        assert_eq!(p.take_events(), [Event::Done(vec![])]);
        p
    }

    fn sent(p: &mut Protocol, command: &str) -> String {
        p.send(command, false, 10);
        p.take_output()
    }

    #[test]
    fn a_damaged_line_is_sent_again_under_its_number() {
        let mut p = greeted();
        let first = sent(&mut p, "M92 E100");
        for l in ["Error:checksum mismatch, last line: 0", "Resend: 1", "ok"] {
            p.line(l, 12);
        }
        p.tick(10 + 40);
        assert_eq!(p.take_output(), first);
        assert_eq!(
            p.take_events(),
            [],
            "the ok behind a request acknowledges nothing"
        );
        p.line("ok", 13);
        assert_eq!(p.take_events(), [Event::Done(vec![])]);
    }

    #[test]
    fn an_ok_too_many_is_set_right_at_the_next_question_for_temperatures() {
        let mut p = greeted();
        sent(&mut p, "M105");
        // It belongs to a greeting that was sent before the board had started.
        p.line("ok", 11);
        assert_eq!(p.take_events(), [], "a bare ok is no answer to that");
        p.line("ok T:21.0 /0.0", 12);
        assert_eq!(p.take_events().len(), 1);
        sent(&mut p, "M109 S200");
        p.line("ok", 13);
        assert_eq!(p.take_events().len(), 1);
        // A board that never says more than ok is believed after a moment.
        sent(&mut p, "M105");
        p.line("ok", 20);
        p.tick(20 + BARE_OK_MS);
        assert_eq!(p.take_events(), [Event::Done(vec![])]);
    }

    #[test]
    fn what_is_sent_behind_does_not_wait_for_the_line_in_flight() {
        let mut p = greeted();
        sent(&mut p, "M109 S200");
        p.send_behind("M104 S0", false, 11);
        p.send_behind("M105", false, 11);
        assert_eq!(
            p.take_output().lines().count(),
            2,
            "both stand on the wire at once"
        );
        p.line("ok", 12);
        assert_eq!(p.take_events(), [Event::Done(vec![])]);
        assert_eq!(p.take_output(), "", "nothing is sent twice");
        p.line("Resend: 2", 13);
        p.line("ok", 13);
        p.tick(500);
        assert!(
            p.take_output().starts_with("N2 M104 S0*"),
            "a lost one is sent again under its number"
        );
        p.line("ok", 501);
        assert!(
            p.take_output().starts_with("N3 M105*"),
            "and what followed it"
        );
        p.line("ok T:20.0 /0.0", 502);
        assert_eq!(p.take_events().len(), 2);
        assert!(p.is_free());
    }

    #[test]
    fn a_request_for_the_next_line_is_an_acknowledgement() {
        let mut p = greeted();
        sent(&mut p, "G92 E0");
        p.line("Resend: 2", 12);
        p.line("ok", 12);
        assert_eq!(p.take_output(), "");
        assert_eq!(p.take_events(), [Event::Done(vec![])]);
    }

    #[test]
    fn a_doubled_ok_is_made_good_when_the_printer_asks() {
        let mut p = greeted();
        sent(&mut p, "G92 E0");
        p.line("ok", 11);
        let second = sent(&mut p, "G92 E1");
        // This ok belongs to the first line; the second was lost on the way.
        p.line("ok", 12);
        let third = sent(&mut p, "G92 E2");
        p.line("Resend: 2", 13);
        p.line("ok", 13);
        assert_eq!(p.take_output(), second);
        p.line("ok", 14);
        assert_eq!(p.take_output(), third);
        assert_eq!(p.take_events().len(), 2, "the third is not done yet");
        p.line("ok", 15);
        assert_eq!(p.take_events().len(), 1);
    }

    #[test]
    fn a_storm_of_requests_does_not_feed_itself() {
        let mut p = greeted();
        sent(&mut p, "G92 E0");
        for _ in 0..20 {
            p.line("Resend: 1", 20);
            p.line("ok", 20);
        }
        assert_eq!(p.take_output(), "", "not at once: they may be echoes");
        p.tick(10 + 40);
        assert_eq!(
            p.take_output().matches("G92").count(),
            1,
            "one copy for twenty requests"
        );
    }

    #[test]
    fn a_silent_printer_is_asked_three_times_and_then_given_up() {
        let mut p = greeted();
        sent(&mut p, "M105");
        let mut now = 10;
        for _ in 0..3 {
            now += 6_000;
            p.tick(now);
            assert!(p.take_output().contains("N1 M105"));
        }
        p.tick(now + 6_000);
        assert_eq!(p.take_events(), [Event::Silent]);
        assert!(p.is_free());
    }

    #[test]
    fn a_withdrawn_heat_command_is_not_sent_again() {
        let mut p = greeted();
        sent(&mut p, "M104 S210");
        p.line("ok", 11);
        p.withdraw_heat();
        sent(&mut p, "M104 S0");
        p.line("Resend: 1", 12);
        p.line("ok", 12);
        assert!(p.take_output().starts_with("N1 M105*"));
        p.line("ok", 13);
        assert!(p.take_output().starts_with("N2 M104 S0*"));
    }

    #[test]
    fn a_restart_forgets_the_line_in_flight() {
        let mut p = greeted();
        sent(&mut p, "M109 S210");
        p.line("start", 15);
        assert_eq!(p.take_events(), [Event::Restarted]);
        assert!(p.is_free());
    }

    /// A printer that counts, as the protocol is meant: it runs a number once, in order.
    struct Counting {
        last: u64,
        ran: Vec<String>,
    }

    impl Counting {
        fn hears(&mut self, line: &str) -> Vec<String> {
            let again = |last: u64| {
                vec![
                    "Error:checksum mismatch".to_owned(),
                    format!("Resend: {}", last + 1),
                    "ok".into(),
                ]
            };
            match wattotherm_gcode::unframed(line) {
                Ok((Some(n), "M110 N0")) => {
                    self.last = n;
                    vec!["ok".into()]
                }
                Ok((Some(n), command)) if n == self.last + 1 => {
                    self.last = n;
                    if command == "M105" {
                        return vec!["ok T:20.0 /0.0".into()];
                    }
                    self.ran.push(command.to_owned());
                    vec!["ok".into()]
                }
                _ => again(self.last),
            }
        }
    }

    /// What happens to one line on the wire.
    #[derive(Clone, Copy, Debug)]
    enum Mishap {
        None,
        Lost,
        Garbled,
        AnswerLost,
        OkTwice,
    }

    /// Carries what was written to the printer, and its answers back, with what happens on the way.
    fn carry(
        p: &mut Protocol,
        printer: &mut Counting,
        mishaps: &mut impl Iterator<Item = Mishap>,
        now: u64,
    ) {
        for line in p.take_output().lines().filter(|l| !l.is_empty()) {
            let mishap = mishaps.next().unwrap_or(Mishap::None);
            let answers = match mishap {
                Mishap::Lost => continue,
                // One byte: two alike changes cancel in an XOR, which no sender can mend.
                // That is what the read-back of every setting is for.
                Mishap::Garbled => printer.hears(&line.replacen(' ', "_", 1)),
                _ => printer.hears(line),
            };
            if matches!(mishap, Mishap::AnswerLost) {
                continue;
            }
            for a in answers {
                p.line(&a, now);
                if a == "ok" && matches!(mishap, Mishap::OkTwice) {
                    p.line("ok", now);
                }
            }
        }
    }

    fn mishaps() -> impl proptest::strategy::Strategy<Value = Vec<Mishap>> {
        use proptest::prelude::*;
        let one = prop_oneof![
            6 => Just(Mishap::None),
            1 => Just(Mishap::Lost),
            1 => Just(Mishap::Garbled),
            1 => Just(Mishap::AnswerLost),
            1 => Just(Mishap::OkTwice),
        ];
        proptest::collection::vec(one, 0..60)
    }

    proptest::proptest! {
        #[test]
        fn whatever_happens_on_the_wire_a_printer_runs_each_command_once_in_order(mishaps in mishaps()) {
            let mut mishaps = mishaps.into_iter();
            let mut printer = Counting { last: 0, ran: Vec::new() };
            let mut p = Protocol::new(Patience::default());
            let mut now = 0;
            p.greet(now);
            let mut sent = Vec::new();
            let mut gave_up = false;
            for _ in 0..4_000 {
                now += 20;
                p.tick(now);
                carry(&mut p, &mut printer, &mut mishaps, now);
                gave_up |= p.take_events().iter().any(|e| !matches!(e, Event::Done(_) | Event::Complaint(_)));
                if gave_up {
                    break;
                }
                if p.is_free() && sent.len() < 12 {
                    let command = format!("G92 E{}", sent.len() + 100);
                    p.send(&command, false, now);
                    sent.push(command);
                }
            }
            proptest::prop_assert!(
                sent.starts_with(&printer.ran),
                "sent {sent:?}, ran {:?}", printer.ran
            );
            if !gave_up {
                proptest::prop_assert_eq!(printer.ran.len(), 12, "a wire that heals brings all through");
            }
        }

        #[test]
        fn with_several_moves_in_flight_a_printer_still_runs_each_once_in_order(mishaps in mishaps(), window in 2_usize..5) {
            let mut mishaps = mishaps.into_iter();
            let mut printer = Counting { last: 0, ran: Vec::new() };
            let mut p = Protocol::new(Patience::default());
            let mut now = 0;
            p.greet(now);
            let mut sent = Vec::new();
            let mut done = 0;
            let mut asked = false;
            let mut gave_up = false;
            for _ in 0..20_000 {
                now += 20;
                p.tick(now);
                carry(&mut p, &mut printer, &mut mishaps, now);
                for e in p.take_events() {
                    done += usize::from(matches!(e, Event::Done(_)));
                    gave_up |= !matches!(e, Event::Done(_) | Event::Complaint(_));
                }
                if gave_up {
                    break;
                }
                // An `ok` too many is taken for the next line's. The answer to a question can't be: with it all
                // before it have run.
                if sent.len() == 30 && p.is_free() && !asked {
                    asked = true;
                    p.send("M105", false, now);
                }
                while sent.len() < 30 && (p.is_free() || done > 0 && p.flights.len() < window && p.is_in_order()) {
                    let command = format!("G1 X{}", sent.len() + 100);
                    p.send_behind(&command, true, now);
                    sent.push(command);
                }
            }
            proptest::prop_assert!(
                sent.starts_with(&printer.ran),
                "sent {sent:?}, ran {:?}", printer.ran
            );
            if !gave_up {
                proptest::prop_assert_eq!(printer.ran.len(), 30, "a wire that heals brings all through");
                proptest::prop_assert_eq!(done, 32, "each is answered once, greeting and question too");
            }
        }

        #[test]
        fn no_answer_makes_the_reader_panic(lines in proptest::collection::vec(".{0,60}", 0..40)) {
            let mut p = Protocol::new(Patience::default());
            p.greet(0);
            for (now, l) in (0_u64..).zip(&lines) {
                p.line(l, now * 50);
                p.tick(now * 50);
                if p.is_free() {
                    p.send("M105", now % 2 == 0, now * 50);
                }
            }
            let _ = (p.take_output(), p.take_events(), p.take_complaint());
        }

        #[test]
        fn requests_for_any_number_never_send_what_was_not_asked_for(numbers in proptest::collection::vec(0_u64..20, 0..30)) {
            let mut p = Protocol::new(Patience::default());
            p.greet(0);
            p.line("ok", 1);
            for (now, n) in (1_u64..).zip(&numbers) {
                if p.is_free() {
                    p.send(&format!("G92 E{now}"), false, now * 100);
                }
                let _ = p.take_output();
                p.line(&format!("Resend: {n}"), now * 100 + 60);
                for line in p.take_output().lines().filter(|l| !l.is_empty()) {
                    proptest::prop_assert!(line.starts_with(&format!("N{n} ")) , "asked for {n}, sent {line}");
                }
            }
        }
    }
}
