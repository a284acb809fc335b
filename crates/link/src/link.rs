//! One printer's link: the handle to the task that owns its wire.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use tokio::sync::{mpsc, oneshot, watch};
use tokio::time::timeout;
use wattotherm_core::gcode::GuardLimits;
use wattotherm_core::heat::Sample;

use crate::actor::Actor;
use crate::protocol::Patience;
use crate::record::{Record, Wire};
use crate::status::{LinkState, LinkStatus, SendError};
use crate::transport::Opener;

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

pub(crate) type Answer = Result<Vec<String>, SendError>;

pub(crate) enum Message {
    Send(String, oneshot::Sender<Answer>),
    HeatersOff,
    Emergency,
    Release,
    Limits(GuardLimits),
    Close(oneshot::Sender<()>),
}

/// Samples kept: four hours at four a second.
const MOST_SAMPLES: usize = 57_600;

#[derive(Debug, Default)]
pub(crate) struct Samples(Mutex<VecDeque<Sample>>);

impl Samples {
    fn lock(&self) -> std::sync::MutexGuard<'_, VecDeque<Sample>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Adds one, if it is later than the last.
    pub fn push(&self, sample: Sample) {
        let mut samples = self.lock();
        if samples.back().is_none_or(|l| sample.t_s > l.t_s) {
            if samples.len() >= MOST_SAMPLES {
                samples.pop_front();
            }
            samples.push_back(sample);
        }
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
        let actor = Actor::new(
            opener,
            options,
            inbox,
            status,
            Arc::clone(&record),
            Arc::clone(&samples),
        );
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
