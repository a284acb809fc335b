//! The task that owns the wire, the guard and the queue.

use std::collections::VecDeque;
use std::sync::Arc;
use std::time::Duration;

use tokio::sync::{mpsc, oneshot};
use tokio::time::{Instant, sleep_until};
use wattotherm_gcode::{Allowed, Effect, Guard, Heater, Machine, StopWord, stop_word};
use wattotherm_measure::text::{join_and, plain};

mod answers;
mod ceilings;
mod clock;
mod heaters;
mod queue;
mod stop;
mod wire;

use clock::Clock;
use heaters::HeatWatch;
use stop::{Kind, Stopping};

use crate::message::{Answer, Message, Samples};
use crate::options::LinkOptions;
use crate::protocol::Protocol;
use crate::record::{Record, Way};
use crate::status::{Heaters, LinkState, LinkStatus, SendError};
use crate::transport::{BoxStream, Opener};
use crate::watch::Told;

/// A report older than this says nothing about now.
const FRESH: Duration = Duration::from_secs(5);

#[derive(Default)]
struct Order {
    line: String,
    reply: Option<oneshot::Sender<Answer>>,
    /// Said to be meant, where the guard asks.
    confirmed: bool,
    /// Which routine sends it; 0 for all others.
    token: u64,
    /// A zero of a stop.
    zero: bool,
    /// A line of a print.
    streams: bool,
}

impl Order {
    fn ours(line: &str) -> Self {
        Self {
            line: line.to_owned(),
            ..Self::default()
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
    status: Told<LinkStatus>,
    record: Arc<Record>,
    samples: Arc<Samples>,
    state: Machine,
    begun: Instant,
    urgent: VecDeque<Order>,
    ordinary: VecDeque<Order>,
    /// On the wire and not answered yet, oldest first; without an allowance: the greeting.
    flights: VecDeque<(Order, Option<Allowed>)>,
    /// Bytes that the way has not taken yet.
    out: Vec<u8>,
    /// The last byte taken is in the middle of a line.
    mid_line: bool,
    stuck_since: Option<Instant>,
    on_the_wire: bool,
    reported: Option<Instant>,
    /// When a report last came by itself.
    unasked: Option<Instant>,
    asked_card: Option<Instant>,
    /// The printer doesn't know `M27`.
    no_card: bool,
    /// Whether it was asked where its further nozzles stand, since that was last forgotten.
    offsets_asked: bool,
    clock: Clock,
    heat: HeatWatch,
    /// The newest report, and nothing on its way, says that all heaters are off.
    off_by_report: bool,
    stopping: Option<Stopping>,
    said_unconfirmed: bool,
    /// The routine that has the printer.
    owner: Option<Owner>,
}

/// A routine that has the printer.
struct Owner {
    token: u64,
    name: String,
    /// Modes and settings are its own too.
    alone: bool,
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
        status: Told<LinkStatus>,
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
            state: Machine::default(),
            begun: Instant::now(),
            urgent: VecDeque::new(),
            ordinary: VecDeque::new(),
            flights: VecDeque::new(),
            out: Vec::new(),
            mid_line: false,
            stuck_since: None,
            on_the_wire: false,
            reported: None,
            unasked: None,
            asked_card: None,
            no_card: false,
            offsets_asked: false,
            clock: Clock::default(),
            heat: HeatWatch::default(),
            off_by_report: false,
            stopping: None,
            said_unconfirmed: false,
            owner: None,
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
        self.status.change(|s| {
            s.state = state;
            s.says = says;
        });
    }

    fn state_is(&self, state: LinkState) -> bool {
        self.status.get(|s| s.state) == state
    }

    /// After a failure of this program itself: what was switched on is owed a zero.
    pub fn pick_up(&mut self) {
        self.lost("Wattotherm failed in this printer’s link and picks it up again.");
    }

    pub async fn run(&mut self) {
        let mut pause = Duration::from_millis(400);
        loop {
            let opened = self.open().await;
            let end = match opened {
                Ok(Ok(stream)) => {
                    pause = Duration::from_millis(400);
                    let end = self.serve(stream).await;
                    self.on_the_wire = false;
                    end
                }
                Ok(Err(e)) => End::Lost(format!("{} can’t be opened: {e}.", self.address())),
                Err(end) => end,
            };
            self.fail_all();
            match end {
                End::Closed(done) => {
                    self.closed(done);
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
                    self.closed(done);
                    return;
                }
            }
        }
    }

    /// Says what is known at the end.
    fn closed(&mut self, done: Option<oneshot::Sender<()>>) {
        let status = self.status.now();
        let unknown = self.stopping.is_some() || self.heat.is_own();
        let says = if unknown {
            "Closed. It can’t be known from here whether heaters are off: look at the printer."
                .to_owned()
        } else if status.heaters == Heaters::On && status.fresh {
            let left: Vec<String> = status
                .temperatures
                .iter()
                .flat_map(|t| {
                    let tools = t.tools.len();
                    t.each()
                        .filter(|(_, c)| c.target_c > 0.0)
                        .map(move |(h, c)| {
                            format!("{} at {} °C", h.says(tools), plain(c.target_c, 0))
                        })
                        .collect::<Vec<_>>()
                })
                .collect();
            let left: Vec<&str> = left.iter().map(String::as_str).collect();
            format!(
                "Closed. Heat that was not switched on from here was left alone: {}.",
                join_and(&left)
            )
        } else if status.heaters == Heaters::Off {
            "Closed; heaters are off.".to_owned()
        } else {
            "Closed. Nothing was switched on from here.".to_owned()
        };
        self.say(LinkState::Closed, says);
        if let Some(d) = done {
            let _ = d.send(());
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
            None => return Some(None),
            Some(Message::Close(done)) => return Some(Some(done)),
            Some(Message::Send { line, reply, .. }) => {
                let stops = stop_word(&line) == Some(StopWord::Emergency);
                Order {
                    line,
                    reply: Some(reply),
                    ..Order::default()
                }
                .answer(Err(SendError::NotConnected));
                if stops {
                    self.stop(Kind::Emergency);
                }
            }
            Some(m) => self.obey(m),
        }
        None
    }

    fn address(&self) -> String {
        self.status.get(|s| s.address.clone())
    }

    fn lost(&mut self, why: &str) {
        self.on_the_wire = false;
        let before = self.status.now();
        if let Some(s) = &mut self.stopping {
            s.lost_wire();
        } else if self.heat.is_own() {
            // What was switched on from here is switched off as soon as there is a way again.
            let own = self.heat.own().into_iter().map(|o| o.heater).collect();
            self.stop(Kind::Only(own));
        }
        let heat = if self.stopping.is_some() {
            " Heaters may be on, and it can’t be said or known from here: switch the printer off at its switch."
        } else {
            ""
        };
        let says = format!("Not connected: {why}{heat} Trying again.");
        // Said once, not at every attempt.
        if before.state != LinkState::Lost || before.says != says {
            self.say(LinkState::Lost, says);
        }
        self.off_by_report = false;
        self.status.change(|s| {
            s.fresh = false;
            s.busy_with = None;
            s.heaters = Heaters::Unknown;
        });
        self.show_stop();
    }

    fn fail_all(&mut self) {
        for (order, allowed) in std::mem::take(&mut self.flights) {
            self.unanswered(allowed.as_ref());
            let line = order.line.clone();
            order.answer(Err(SendError::Lost { line }));
        }
        for order in self.urgent.drain(..).chain(self.ordinary.drain(..)) {
            order.answer(Err(SendError::NotConnected));
        }
    }

    /// Nobody knows whether this has run: neither place nor modes follow from it any more.
    fn unanswered(&mut self, allowed: Option<&Allowed>) {
        if let Some(a) = allowed {
            if let Some((heater, target_c)) = a.heat
                && target_c > 0.0
            {
                let heater = self.heater_of(heater);
                self.heat.taken(heater);
            }
            if !matches!(a.effect, Effect::Ask | Effect::Heat | Effect::HeatAndWait) {
                self.forget();
            }
        }
    }

    fn withdraw_waiting(&mut self) {
        for order in self.ordinary.drain(..) {
            let line = order.line.clone();
            order.answer(Err(SendError::Withdrawn { line }));
        }
    }

    fn fail_flights_quietly(&mut self) {
        for (order, allowed) in std::mem::take(&mut self.flights) {
            self.unanswered(allowed.as_ref());
            let line = order.line.clone();
            order.answer(Err(SendError::Lost { line }));
        }
    }

    /// Zeros what was switched on from here, and nothing else: a print that runs from the printer's own
    /// card, or heat that somebody set at the panel, is theirs.
    fn stop_own(&mut self) {
        let own: Vec<Heater> = self.heat.own().into_iter().map(|o| o.heater).collect();
        if !own.is_empty() {
            self.stop(Kind::Only(own));
        }
    }

    fn obey(&mut self, message: Message) {
        match message {
            Message::Send {
                line,
                confirmed,
                token,
                streams,
                reply,
            } => self.ordered(Order {
                line,
                reply: Some(reply),
                confirmed,
                token,
                zero: false,
                streams,
            }),
            Message::Machine(reply) => {
                let _ = reply.send(self.state.clone());
            }
            Message::Limits(l) => self.limit(*l),
            Message::HeatersOff => self.stop(Kind::All),
            Message::Off(heaters) => self.stop(Kind::Only(heaters)),
            Message::Emergency => self.stop(Kind::Emergency),
            Message::Own { token, name, alone } => {
                self.owner = Some(Owner {
                    token,
                    name: name.clone(),
                    alone,
                });
                self.status.change(|s| s.owner = Some(name));
            }
            Message::Disown(token) => {
                if self.owner.as_ref().is_some_and(|o| o.token == token) {
                    self.owner = None;
                    self.status.change(|s| s.owner = None);
                }
            }
            Message::Release => {
                if self.state_is(LinkState::Halted) && self.on_the_wire {
                    // A stop that was not confirmed stays owed: its zeros follow once the printer listens.
                    let owed = self.stopping.take();
                    self.said_unconfirmed = false;
                    self.protocol.abandon();
                    self.greet();
                    self.urgent.push_front(Order::ours("M999"));
                    self.stopping = owed.map(Stopping::anew);
                    self.show_stop();
                    self.say(LinkState::Connecting, "Releasing the printer …");
                }
            }
            Message::Close(_) => {}
        }
    }
}
