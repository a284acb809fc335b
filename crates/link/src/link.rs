//! One printer's link: a task that owns the wire, the guard and the queue, and a handle to it.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::sync::{mpsc, oneshot, watch};
use tokio::time::{Instant, sleep, sleep_until, timeout};
use wattotherm_core::gcode::{Allowed, Effect, Guard, GuardLimits, GuardState, read_temperatures};
use wattotherm_core::heat::Sample;

use crate::protocol::{Event, Patience, Protocol};
use crate::record::{Record, Way, Wire};
use crate::status::{Heaters, LinkState, LinkStatus, SendError};
use crate::transport::{BoxStream, Opener};

/// How a link behaves.
#[derive(Clone, Debug)]
pub struct LinkOptions {
    /// Bounds of the guard.
    pub limits: GuardLimits,
    /// Time between two temperature reports [s].
    pub report_every_s: f64,
    /// How long to wait for what.
    pub patience: Patience,
}

impl LinkOptions {
    /// One report a second, usual patience.
    #[must_use]
    pub fn new(limits: GuardLimits) -> Self {
        Self {
            limits,
            report_every_s: 1.0,
            patience: Patience::default(),
        }
    }

    /// With another time between reports [s].
    #[must_use]
    pub const fn reporting_every(mut self, seconds: f64) -> Self {
        self.report_every_s = seconds;
        self
    }

    /// With another patience.
    #[must_use]
    pub const fn with_patience(mut self, patience: Patience) -> Self {
        self.patience = patience;
        self
    }
}

type Answer = Result<Vec<String>, SendError>;

enum Message {
    Send(String, oneshot::Sender<Answer>),
    HeatersOff,
    Emergency,
    Release,
    Limits(GuardLimits),
    Close(oneshot::Sender<()>),
}

/// Samples kept: four hours at four a second.
const MOST_SAMPLES: usize = 57_600;
/// A report older than this says nothing about now.
const FRESH: Duration = Duration::from_secs(8);
/// Longest line read; longer ones are noise.
const MOST_LINE: usize = 4_096;

#[derive(Debug, Default)]
struct Samples(Mutex<VecDeque<Sample>>);

impl Samples {
    fn lock(&self) -> std::sync::MutexGuard<'_, VecDeque<Sample>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Handle of a link. Dropping all handles closes it, heaters first.
#[derive(Clone, Debug)]
pub struct Link {
    messages: mpsc::UnboundedSender<Message>,
    status: watch::Receiver<LinkStatus>,
    record: Arc<Record>,
    samples: Arc<Samples>,
}

impl std::fmt::Debug for Message {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Message")
    }
}

impl Link {
    /// Starts a link; it opens the way by itself and again after every loss.
    #[must_use]
    pub fn start(opener: Opener, address: &str, options: LinkOptions) -> Self {
        let (messages, inbox) = mpsc::unbounded_channel();
        let first = LinkStatus {
            says: format!("Connecting to {address} …"),
            address: address.to_owned(),
            ..LinkStatus::default()
        };
        let (status, watching) = watch::channel(first);
        let record = Arc::new(Record::default());
        let samples = Arc::new(Samples::default());
        let actor = Actor {
            opener,
            guard: Guard {
                limits: options.limits.clone(),
            },
            protocol: Protocol::new(options.patience),
            options,
            inbox,
            status,
            record: Arc::clone(&record),
            samples: Arc::clone(&samples),
            state: GuardState::default(),
            begun: Instant::now(),
            urgent: VecDeque::new(),
            ordinary: VecDeque::new(),
            current: None,
            reported: None,
            clock: Clock::default(),
            stopping: None,
            was_on: false,
        };
        tokio::spawn(actor.run());
        Self {
            messages,
            status: watching,
            record,
            samples,
        }
    }

    /// What is known now.
    #[must_use]
    pub fn status(&self) -> LinkStatus {
        self.status.borrow().clone()
    }

    /// What is known, each time it changes.
    #[must_use]
    pub fn watch(&self) -> watch::Receiver<LinkStatus> {
        self.status.clone()
    }

    /// Sends one command, if the guard lets it, and waits for its answer.
    /// # Errors
    /// [`SendError`].
    pub async fn send(&self, line: &str) -> Answer {
        let (reply, answer) = oneshot::channel();
        self.messages
            .send(Message::Send(line.to_owned(), reply))
            .map_err(|_| SendError::NotConnected)?;
        answer.await.unwrap_or(Err(SendError::NotConnected))
    }

    /// Sets both heaters to 0, before everything else that waits; breaks off what the printer waits
    /// for. [`LinkStatus::heaters`] tells whether it came through.
    pub fn heaters_off(&self) {
        let _ = self.messages.send(Message::HeatersOff);
    }

    /// Emergency stop: past the queue, past the line in flight, again until it is answered.
    pub fn emergency_stop(&self) {
        let _ = self.messages.send(Message::Emergency);
    }

    /// Takes a halted printer back into work.
    pub fn release(&self) {
        let _ = self.messages.send(Message::Release);
    }

    /// Gives the guard new bounds.
    pub fn set_limits(&self, limits: GuardLimits) {
        let _ = self.messages.send(Message::Limits(limits));
    }

    /// Heaters to 0 where it can be said, then closed.
    pub async fn close(&self) {
        let (done, closed) = oneshot::channel();
        if self.messages.send(Message::Close(done)).is_ok() {
            let _ = timeout(Duration::from_secs(5), closed).await;
        }
    }

    /// Samples later than `t_s` by the printer's clock.
    #[must_use]
    pub fn samples_after(&self, t_s: f64) -> Vec<Sample> {
        let samples = self.samples.lock();
        // OK because samples rise in time.
        let from = samples.partition_point(|s| s.t_s <= t_s);
        samples.range(from..).copied().collect()
    }

    /// What was sent and answered after line `seq` of the record.
    #[must_use]
    pub fn record_after(&self, seq: u64) -> Vec<Wire> {
        self.record.after(seq)
    }

    /// Waits until it is connected, at most this long.
    pub async fn connected_within(&self, most: Duration) -> bool {
        let mut watch = self.watch();
        timeout(
            most,
            watch.wait_for(|s| s.state == LinkState::Connected && s.temperatures.is_some()),
        )
        .await
        .is_ok_and(|r| r.is_ok())
    }
}

/// The printer's own clock where it has one, made to rise over restarts.
#[derive(Debug, Default)]
struct Clock {
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

struct Order {
    line: String,
    reply: Option<oneshot::Sender<Answer>>,
}

impl Order {
    fn ours(line: &str) -> Self {
        Self {
            line: line.to_owned(),
            reply: None,
        }
    }
    fn answer(self, answer: Answer) {
        if let Some(r) = self.reply {
            let _ = r.send(answer);
        }
    }
}

/// A stop that is not confirmed yet.
struct Stopping {
    since: Instant,
    again_at: Instant,
    emergency: bool,
}

struct Actor {
    opener: Opener,
    options: LinkOptions,
    guard: Guard,
    protocol: Protocol,
    inbox: mpsc::UnboundedReceiver<Message>,
    status: watch::Sender<LinkStatus>,
    record: Arc<Record>,
    samples: Arc<Samples>,
    state: GuardState,
    begun: Instant,
    urgent: VecDeque<Order>,
    ordinary: VecDeque<Order>,
    current: Option<(Order, Option<Allowed>)>,
    reported: Option<Instant>,
    clock: Clock,
    stopping: Option<Stopping>,
    /// Heaters were on, or may have been, when the way was lost.
    was_on: bool,
}

/// Why a connection ended.
enum End {
    Lost(String),
    Closed(Option<oneshot::Sender<()>>),
}

/// How long a stop is repeated before the page says that it can't know.
const STOP_FOR: Duration = Duration::from_secs(10);
/// After this a stop that the printer doesn't act on becomes an emergency stop.
const STOP_PATIENCE: Duration = Duration::from_secs(4);

impl Actor {
    fn now_ms(&self) -> u64 {
        // OK because a link doesn't live for half a billion years.
        #[allow(clippy::cast_possible_truncation)]
        let ms = self.begun.elapsed().as_millis() as u64;
        ms
    }

    fn note(&self, way: Way, text: &str) {
        self.record
            .push(self.begun.elapsed().as_secs_f64(), way, text);
    }

    fn say(&self, state: LinkState, says: impl Into<String>) {
        let says = says.into();
        self.note(Way::Noted, &says);
        self.status.send_modify(|s| {
            s.state = state;
            s.says = says;
        });
    }

    async fn run(mut self) {
        let mut pause = Duration::from_millis(400);
        loop {
            let opened = self.open().await;
            let end = match opened {
                Ok(Ok(stream)) => {
                    pause = Duration::from_millis(400);
                    self.serve(stream).await
                }
                Ok(Err(e)) => End::Lost(format!("{} can't be opened: {e}.", self.address())),
                Err(end) => end,
            };
            self.fail_all();
            match end {
                End::Closed(done) => {
                    let off = self.status.borrow().heaters == Heaters::Off;
                    self.say(
                        LinkState::Closed,
                        if off {
                            "Closed; heaters are off."
                        } else {
                            "Closed. It can't be known from here whether heaters are off: look at the printer."
                        },
                    );
                    if let Some(d) = done {
                        let _ = d.send(());
                    }
                    return;
                }
                End::Lost(why) => self.lost(&why),
            }
            // Whoever asks while the way is gone is told so at once.
            let until = Instant::now() + pause;
            pause = (pause * 2).min(Duration::from_secs(5));
            loop {
                let message = tokio::select! {
                    m = self.inbox.recv() => m,
                    () = sleep_until(until) => break,
                };
                if let Some(done) = self.while_away(message) {
                    self.say(LinkState::Closed, "Closed.");
                    if let Some(d) = done {
                        let _ = d.send(());
                    }
                    return;
                }
            }
        }
    }

    /// Opens the way while orders are turned away; an inner `Err` is a failure to open.
    async fn open(&mut self) -> Result<std::io::Result<BoxStream>, End> {
        let opener = self.opener.clone();
        let opening = opener.open();
        tokio::pin!(opening);
        loop {
            tokio::select! {
                got = &mut opening => return Ok(got),
                m = self.inbox.recv() => {
                    if let Some(done) = self.while_away(m) {
                        return Err(End::Closed(done));
                    }
                }
            }
        }
    }

    /// Handles a message without a way; some if the link is to close.
    #[allow(clippy::option_option)]
    fn while_away(&mut self, message: Option<Message>) -> Option<Option<oneshot::Sender<()>>> {
        match message {
            None => Some(None),
            Some(Message::Close(done)) => Some(Some(done)),
            Some(Message::Send(line, reply)) => {
                Order {
                    line,
                    reply: Some(reply),
                }
                .answer(Err(SendError::NotConnected));
                None
            }
            Some(Message::Limits(l)) => {
                self.guard.limits = l;
                None
            }
            Some(Message::HeatersOff | Message::Emergency) => {
                self.was_on = true;
                self.status.send_modify(|s| {
                    s.heaters = Heaters::Unknown;
                    s.says = "The stop could not be said: there is no connection. Heaters may be on: switch the printer off at its switch. It is said as soon as the connection is back.".into();
                });
                None
            }
            Some(Message::Release) => None,
        }
    }

    fn address(&self) -> String {
        self.status.borrow().address.clone()
    }

    fn lost(&mut self, why: &str) {
        let before = self.status.borrow().clone();
        let on = before.heaters != Heaters::Off && before.state != LinkState::Connecting;
        self.was_on |= on;
        let heat = if self.was_on {
            " Heaters may be on, and it can't be said or known from here: switch the printer off at its switch."
        } else {
            ""
        };
        let says = format!("Not connected: {why}{heat} Trying again.");
        // Said once, not at every attempt.
        if before.state == LinkState::Lost && before.says == says {
            return;
        }
        let was_on = self.was_on;
        self.say(LinkState::Lost, says);
        self.status.send_modify(|s| {
            s.fresh = false;
            s.busy_with = None;
            if was_on {
                s.heaters = Heaters::Unknown;
            }
        });
    }

    fn fail_all(&mut self) {
        if let Some((order, _)) = self.current.take() {
            let line = order.line.clone();
            order.answer(Err(SendError::Lost { line }));
        }
        for order in self.urgent.drain(..).chain(self.ordinary.drain(..)) {
            order.answer(Err(SendError::NotConnected));
        }
    }

    fn withdraw_waiting(&mut self) {
        for order in self.ordinary.drain(..) {
            let line = order.line.clone();
            order.answer(Err(SendError::Withdrawn { line }));
        }
    }

    async fn serve(&mut self, stream: BoxStream) -> End {
        let (mut reader, mut writer) = tokio::io::split(stream);
        let mut buffer = [0_u8; 2_048];
        let mut line: Vec<u8> = Vec::new();
        self.state = GuardState::default();
        self.reported = None;
        self.stopping = None;
        self.greet();
        let mut closing: Option<(Instant, Option<oneshot::Sender<()>>)> = None;
        loop {
            self.pump();
            let out = self.protocol.take_output();
            if !out.is_empty() {
                for l in out.lines().filter(|l| !l.trim().is_empty()) {
                    self.note(Way::Sent, l);
                }
                let written = timeout(Duration::from_secs(5), async {
                    writer.write_all(out.as_bytes()).await?;
                    writer.flush().await
                });
                match written.await {
                    Ok(Ok(())) => {}
                    Ok(Err(e)) => return End::Lost(format!("{e}.")),
                    Err(_) => return End::Lost("it takes no more bytes.".into()),
                }
            }
            if let Some((until, _)) = &closing {
                let quiet = self.stopping.is_none() && self.protocol.is_free();
                if quiet || Instant::now() >= *until {
                    return End::Closed(closing.and_then(|(_, d)| d));
                }
            }
            let wake = self.wake_at();
            tokio::select! {
                biased;
                m = self.inbox.recv() => match m {
                    Some(Message::Close(done)) => {
                        let raw = self.stop(false).unwrap_or_default();
                        let _ = writer.write_all(raw.as_bytes()).await;
                        closing = Some((Instant::now() + Duration::from_secs(3), Some(done)));
                    }
                    None if closing.is_none() => {
                        let raw = self.stop(false).unwrap_or_default();
                        let _ = writer.write_all(raw.as_bytes()).await;
                        closing = Some((Instant::now() + Duration::from_secs(3), None));
                    }
                    None => sleep(Duration::from_millis(20)).await,
                    Some(m) => {
                        if let Some(raw) = self.obey(m) {
                            let _ = writer.write_all(raw.as_bytes()).await;
                            let _ = writer.flush().await;
                        }
                    }
                },
                got = reader.read(&mut buffer) => match got {
                    Ok(0) => return End::Lost("the connection was closed.".into()),
                    Err(e) => return End::Lost(format!("{e}.")),
                    Ok(n) => {
                        for b in &buffer[..n] {
                            if *b == b'\n' || *b == b'\r' {
                                let text = String::from_utf8_lossy(&line).trim().to_owned();
                                line.clear();
                                if !text.is_empty() {
                                    self.heard(&text);
                                }
                            } else if line.len() < MOST_LINE {
                                line.push(*b);
                            }
                        }
                    }
                },
                () = sleep_until(wake) => {}
            }
            let now = self.now_ms();
            self.protocol.tick(now);
            if let Some(end) = self.happen() {
                return end;
            }
            if let Some(raw) = self.insist() {
                let _ = writer.write_all(raw.as_bytes()).await;
                let _ = writer.flush().await;
            }
            self.age();
        }
    }

    fn wake_at(&self) -> Instant {
        let far = Instant::now() + Duration::from_millis(500);
        let protocol = self
            .protocol
            .wakes_at_ms()
            .map(|ms| self.begun + Duration::from_millis(ms));
        let stop = self.stopping.as_ref().map(|s| s.again_at);
        [protocol, stop]
            .into_iter()
            .flatten()
            .fold(far, Instant::min)
    }

    fn greet(&mut self) {
        let now = self.now_ms();
        // An earlier half line on the wire ends here.
        self.protocol.greet(now);
        self.current = Some((Order::ours("M110 N0"), None));
        self.urgent.clear();
        if self.was_on {
            self.urgent.push_back(Order::ours("M104 S0"));
            self.urgent.push_back(Order::ours("M140 S0"));
        }
        let every = wattotherm_core::text::plain(self.options.report_every_s, 2);
        self.urgent
            .push_back(Order::ours(&format!("M155 S{every}")));
        self.urgent.push_back(Order::ours("M105"));
    }

    /// A message while connected; bytes to write past the queue.
    fn obey(&mut self, message: Message) -> Option<String> {
        match message {
            Message::Send(line, reply) => {
                let order = Order {
                    line,
                    reply: Some(reply),
                };
                if self.status.borrow().state == LinkState::Halted {
                    order.answer(Err(SendError::Halted));
                } else {
                    self.ordinary.push_back(order);
                }
                None
            }
            Message::Limits(l) => {
                self.guard.limits = l;
                None
            }
            Message::HeatersOff => self.stop(false),
            Message::Emergency => self.stop(true),
            Message::Release => {
                if self.status.borrow().state == LinkState::Halted {
                    self.protocol.abandon();
                    self.greet();
                    self.urgent.push_front(Order::ours("M999"));
                    self.stopping = None;
                    self.say(LinkState::Connecting, "Releasing the printer …");
                }
                None
            }
            Message::Close(_) => None,
        }
    }

    /// Begins a stop; bytes to write at once.
    fn stop(&mut self, emergency: bool) -> Option<String> {
        self.withdraw_waiting();
        self.protocol.withdraw_heat();
        let now = Instant::now();
        self.stopping = Some(Stopping {
            since: now,
            again_at: now + Duration::from_millis(700),
            emergency,
        });
        self.status.send_modify(|s| s.heaters = Heaters::Unknown);
        if emergency {
            if let Some((order, _)) = self.current.take() {
                let line = order.line.clone();
                order.answer(Err(SendError::Lost { line }));
            }
            self.urgent.clear();
            self.protocol.abandon();
            self.say(
                LinkState::Halted,
                "Emergency stop sent; waiting for the printer to confirm it.",
            );
            return self.raw("M112");
        }
        self.urgent.push_back(Order::ours("M104 S0"));
        self.urgent.push_back(Order::ours("M140 S0"));
        let long = self
            .current
            .as_ref()
            .and_then(|(_, a)| a.as_ref())
            .is_some_and(|a| a.effect == Effect::HeatAndWait);
        if long { self.raw("M108") } else { None }
    }

    /// Without a number, past the printer's queue; an open half line is ended first.
    fn raw(&self, command: &str) -> Option<String> {
        self.note(Way::Sent, command);
        Some(format!("\n{command}\n"))
    }

    /// Repeats a stop that is not confirmed; bytes to write.
    fn insist(&mut self) -> Option<String> {
        let confirmed = self.status.borrow().heaters == Heaters::Off;
        let stopping = self.stopping.as_mut()?;
        let now = Instant::now();
        if confirmed {
            let emergency = stopping.emergency;
            self.stopping = None;
            if emergency {
                self.say(
                    LinkState::Halted,
                    "Emergency stop: the printer reports that its heaters are off. Find the cause, then release it or switch it off and on.",
                );
            }
            return None;
        }
        if now < stopping.again_at {
            return None;
        }
        if now > stopping.since + STOP_FOR {
            self.stopping = None;
            self.say(
                self.status.borrow().state,
                "The printer didn't confirm that its heaters are off: it can't be known from here. Switch it off at its switch.",
            );
            return None;
        }
        stopping.again_at = now + Duration::from_millis(700);
        let stuck =
            !stopping.emergency && now > stopping.since + STOP_PATIENCE && !self.urgent.is_empty();
        if stuck {
            // It hears nothing while it waits for heat: the hard stop is all that is left.
            return self.stop(true);
        }
        if stopping.emergency {
            return self.raw("M112");
        }
        let waits = self
            .current
            .as_ref()
            .and_then(|(_, a)| a.as_ref())
            .is_some_and(|a| a.effect == Effect::HeatAndWait);
        if waits { self.raw("M108") } else { None }
    }

    /// One line from the printer.
    fn heard(&mut self, text: &str) {
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
            {
                let mut samples = self.samples.lock();
                if samples.back().is_none_or(|l| t_s > l.t_s) {
                    if samples.len() >= MOST_SAMPLES {
                        samples.pop_front();
                    }
                    samples.push_back(Sample {
                        t_s,
                        temp_c: t.nozzle_c,
                        target_c: Some(t.nozzle_target_c),
                        duty: t.nozzle_output.map(|o| (o / 127.0).clamp(0.0, 1.0)),
                        fan: Some(fan),
                    });
                }
            }
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
    fn happen(&mut self) -> Option<End> {
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

    /// Sends the next order that the guard lets through.
    fn pump(&mut self) {
        while self.protocol.is_free() && self.current.is_none() {
            let Some(order) = self
                .urgent
                .pop_front()
                .or_else(|| self.ordinary.pop_front())
            else {
                return;
            };
            if self.reported.is_none_or(|r| r.elapsed() > FRESH) {
                self.state.nozzle_c = None;
            }
            match self.guard.allow(&order.line, &self.state) {
                Err(refusal) => {
                    self.note(Way::Noted, &refusal.to_string());
                    order.answer(Err(refusal.into()));
                }
                Ok(allowed) => {
                    let long = matches!(allowed.effect, Effect::HeatAndWait | Effect::Move);
                    let now = self.now_ms();
                    self.protocol.send(&allowed.line, long, now);
                    if long {
                        let with = allowed.line.clone();
                        self.status.send_modify(|s| s.busy_with = Some(with));
                    }
                    self.current = Some((order, Some(allowed)));
                }
            }
        }
    }

    /// Lets a report grow old, and asks where reports don't come by themselves.
    fn age(&mut self) {
        let Some(reported) = self.reported else {
            return;
        };
        let old = reported.elapsed();
        let every = Duration::from_secs_f64(self.options.report_every_s.clamp(0.2, 60.0));
        if old > FRESH && self.status.borrow().fresh {
            self.status.send_modify(|s| s.fresh = false);
        }
        let halted = self.status.borrow().state == LinkState::Halted;
        let asked = self.urgent.iter().any(|o| o.line == "M105");
        if old > every * 3 && !asked && !halted && self.protocol.is_free() && self.current.is_none()
        {
            self.urgent.push_back(Order::ours("M105"));
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
