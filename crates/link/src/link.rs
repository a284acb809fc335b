//! One printer's link: the handle to the task that owns its wire.

use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use futures_util::FutureExt as _;
use tokio::sync::{mpsc, oneshot};
use tokio::time::timeout;
use wattotherm_gcode::{GuardLimits, Heater, Machine};
use wattotherm_heat::Sample;

use crate::actor::Actor;
use crate::message::{Answer, Message, Samples};
use crate::options::LinkOptions;
use crate::record::{Record, Wire};
use crate::status::{LinkState, LinkStatus, SendError};
use crate::transport::Opener;
use crate::watch::{Watch, told};

/// Between a failure of this program in a link and the next try.
const PICK_UP_AFTER: Duration = Duration::from_millis(300);
/// Handle of a link. Dropping all handles closes it, heaters first.
#[derive(Clone, Debug)]
pub struct Link {
    messages: mpsc::UnboundedSender<Message>,
    status: Watch<LinkStatus>,
    record: Arc<Record>,
    samples: Arc<Samples>,
    /// Which routine sends; 0 for all others.
    token: u64,
}

/// A routine's claim on a printer's heaters: while it lives, heat, fans and moves from elsewhere are
/// refused.
#[derive(Debug)]
pub struct Claim {
    link: Link,
}

impl Claim {
    /// The link as the routine uses it.
    #[must_use]
    pub const fn link(&self) -> &Link {
        &self.link
    }
}

impl Drop for Claim {
    fn drop(&mut self) {
        let _ = self.link.messages.send(Message::Disown(self.link.token));
    }
}

static TOKENS: AtomicU64 = AtomicU64::new(1);

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
        let (status, watching) = told(first);
        let record = Arc::new(Record::default());
        let samples = Arc::new(Samples::default());
        let runtime = options.runtime.clone();
        let mut actor = Actor::new(
            opener,
            options,
            inbox,
            status,
            Arc::clone(&record),
            Arc::clone(&samples),
        );
        let keeps_running = async move {
            // A failure of this program must not leave a heater on: the link is picked up again, and
            // what was switched on is owed its zero.
            while AssertUnwindSafe(actor.run()).catch_unwind().await.is_err() {
                tracing::error!("a printer’s link failed; it is picked up again");
                actor.pick_up();
                // What fails at once would fail without end.
                tokio::time::sleep(PICK_UP_AFTER).await;
            }
        };
        match runtime {
            Some(r) => drop(r.spawn(keeps_running)),
            None => drop(tokio::spawn(keeps_running)),
        }
        Self {
            messages,
            status: watching,
            record,
            samples,
            token: 0,
        }
    }

    /// What is known now.
    #[must_use]
    pub fn status(&self) -> LinkStatus {
        self.status.now()
    }

    /// What is known, each time it changes.
    #[must_use]
    pub fn watch(&self) -> Watch<LinkStatus> {
        self.status.clone()
    }

    /// Sends one command, if the guard lets it, and waits for its answer.
    /// # Errors
    /// [`SendError`].
    pub async fn send(&self, line: &str) -> Answer {
        self.send_meant(line, false).await
    }

    /// Like [`Link::send`]; `confirmed` where the guard asked and the answer was yes.
    /// # Errors
    /// [`SendError`].
    pub async fn send_meant(&self, line: &str, confirmed: bool) -> Answer {
        self.put(line, confirmed, false).await
    }

    /// Puts a line of a print behind those that wait; what comes back tells what became of it. Moves of a print may
    /// be in flight together, each checked against what those before it lead to.
    pub fn stream(&self, line: &str) -> impl Future<Output = Answer> + Send + use<> {
        self.put(line, false, true)
    }

    fn put(
        &self,
        line: &str,
        confirmed: bool,
        streams: bool,
    ) -> impl Future<Output = Answer> + Send + use<> {
        let (reply, answer) = oneshot::channel();
        let sent = self.messages.send(Message::Send {
            line: line.to_owned(),
            confirmed,
            token: self.token,
            streams,
            reply,
        });
        async move {
            sent.map_err(|_| SendError::NotConnected)?;
            answer.await.unwrap_or(Err(SendError::NotConnected))
        }
    }

    /// Modes and place of the printer as far as they are known; nothing of them once the link is closed.
    pub async fn machine(&self) -> Machine {
        let (reply, answer) = oneshot::channel();
        let _ = self.messages.send(Message::Machine(reply));
        answer.await.unwrap_or_default()
    }

    /// Claims heaters, fans and moves for a routine of this name.
    #[must_use]
    pub fn claim(&self, name: &str) -> Claim {
        self.claimed(name, false)
    }

    /// Claims the whole printer: nothing but questions and stops goes out from elsewhere. A print counts on every mode.
    #[must_use]
    pub fn claim_alone(&self, name: &str) -> Claim {
        self.claimed(name, true)
    }

    fn claimed(&self, name: &str, alone: bool) -> Claim {
        let token = TOKENS.fetch_add(1, Ordering::Relaxed);
        let _ = self.messages.send(Message::Own {
            token,
            name: name.to_owned(),
            alone,
        });
        Claim {
            link: Self {
                token,
                ..self.clone()
            },
        }
    }

    /// Sets every heater to 0, before everything else that waits; breaks off what the printer waits
    /// for. [`LinkStatus::heaters`] tells whether it came through.
    pub fn heaters_off(&self) {
        let _ = self.messages.send(Message::HeatersOff);
    }

    /// Sets these heaters to 0, in the same way.
    pub fn off(&self, heaters: &[Heater]) {
        let _ = self.messages.send(Message::Off(heaters.to_vec()));
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
        let _ = self.messages.send(Message::Limits(Box::new(limits)));
    }

    /// What was switched on from here to 0 where it can be said, then closed.
    pub async fn close(&self) {
        let (done, closed) = oneshot::channel();
        if self.messages.send(Message::Close(done)).is_ok() {
            let _ = timeout(Duration::from_secs(5), closed).await;
        }
    }

    /// Samples of a heater later than `t_s` by the printer's clock.
    #[must_use]
    pub fn samples_after(&self, heater: Heater, t_s: f64) -> Vec<Sample> {
        self.samples.after(heater, t_s)
    }

    /// What was sent and answered after line `seq` of the record.
    #[must_use]
    pub fn record_after(&self, seq: u64) -> Vec<Wire> {
        self.record.after(seq)
    }

    /// Waits until it is connected, at most this long.
    pub async fn connected_within(&self, most: Duration) -> bool {
        let mut watch = self.watch();
        let connected =
            watch.until(|s| s.state == LinkState::Connected && s.temperatures.is_some());
        timeout(most, connected).await.is_ok_and(|s| s.is_some())
    }
}
