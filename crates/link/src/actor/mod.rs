//! The task that owns the wire, the guard and the queue.

use std::collections::VecDeque;
use std::sync::Arc;
use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::sync::{mpsc, oneshot, watch};
use tokio::time::{Instant, sleep_until, timeout};
use wattotherm_core::gcode::{Allowed, Effect, Guard, GuardState};

mod answers;
mod stop;

use answers::Clock;
use stop::Stopping;

use crate::link::{Answer, LinkOptions, Message, Samples};
use crate::protocol::Protocol;
use crate::record::{Record, Way};
use crate::status::{Heaters, LinkState, LinkStatus, SendError};
use crate::transport::{BoxStream, Opener};

/// A report older than this says nothing about now.
const FRESH: Duration = Duration::from_secs(8);
/// Longest line read; longer ones are noise.
const MOST_LINE: usize = 4_096;

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

pub(crate) struct Actor {
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

impl Actor {
    pub fn new(
        opener: Opener,
        options: LinkOptions,
        inbox: mpsc::UnboundedReceiver<Message>,
        status: watch::Sender<LinkStatus>,
        record: Arc<Record>,
        samples: Arc<Samples>,
    ) -> Self {
        Self {
            opener,
            guard: Guard {
                limits: options.limits.clone(),
            },
            protocol: Protocol::new(options.patience),
            options,
            inbox,
            status,
            record,
            samples,
            state: GuardState::default(),
            begun: Instant::now(),
            urgent: VecDeque::new(),
            ordinary: VecDeque::new(),
            current: None,
            reported: None,
            clock: Clock::default(),
            stopping: None,
            was_on: false,
        }
    }

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

    pub async fn run(mut self) {
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
        // Without a handle left nobody asks any more; the printer is still listened to.
        let mut asked = true;
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
                m = self.inbox.recv(), if asked => match m {
                    Some(Message::Close(done)) => {
                        let raw = self.stop(false).unwrap_or_default();
                        let _ = writer.write_all(raw.as_bytes()).await;
                        closing = Some((Instant::now() + Duration::from_secs(3), Some(done)));
                    }
                    None => {
                        asked = false;
                        if closing.is_none() {
                            let raw = self.stop(false).unwrap_or_default();
                            let _ = writer.write_all(raw.as_bytes()).await;
                            closing = Some((Instant::now() + Duration::from_secs(3), None));
                        }
                    }
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
        if self.was_on || self.stopping.is_some() {
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

    /// Sends the next order that the guard lets through.
    fn pump(&mut self) {
        while self.protocol.is_free() && self.current.is_none() {
            // What was asked for after a stop waits until the stop is confirmed.
            let next = match self.urgent.pop_front() {
                None if self.stopping.is_none() => self.ordinary.pop_front(),
                urgent => urgent,
            };
            let Some(order) = next else {
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
