//! Bytes in and out while there is a way to the printer.

use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::sync::oneshot;
use tokio::time::{Instant, sleep_until};
use wattotherm_measure::text::plain;

use super::stop::Stopping;
use super::{Actor, End, Order};
use crate::message::Message;
use crate::record::Way;
use crate::status::SendError;
use crate::transport::BoxStream;

/// Longest line read; longer ones are noise.
const MOST_LINE: usize = 4_096;
/// Without a byte taken for this long the way counts as gone.
const MOST_STUCK: Duration = Duration::from_secs(5);
/// How long closing waits for its zeros to be confirmed.
const CLOSE_PATIENCE: Duration = Duration::from_secs(3);

impl Actor {
    pub(super) async fn serve(&mut self, stream: BoxStream) -> End {
        let (mut reader, mut writer) = tokio::io::split(stream);
        let mut buffer = [0_u8; 2_048];
        let mut line: Vec<u8> = Vec::new();
        self.out.clear();
        self.mid_line = false;
        self.stuck_since = None;
        self.on_the_wire = true;
        self.forget();
        self.state.tools_c.clear();
        self.heat.nothing_told();
        self.reported = None;
        self.unasked = None;
        self.greet();
        let mut closing: Option<(Instant, Option<oneshot::Sender<()>>)> = None;
        // Without a handle left nobody asks any more; the printer is still listened to.
        let mut asked = true;
        loop {
            self.pump();
            self.gather();
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
                        self.withdraw_waiting();
                        self.stop_own();
                        closing = Some((Instant::now() + CLOSE_PATIENCE, Some(done)));
                    }
                    None => {
                        asked = false;
                        if closing.is_none() {
                            self.stop_own();
                            closing = Some((Instant::now() + CLOSE_PATIENCE, None));
                        }
                    }
                    // Whoever still asks after the end has begun is turned away: heat least of all goes out.
                    Some(Message::Send { line, reply, .. }) if closing.is_some() => {
                        let _ = reply.send(Err(SendError::Withdrawn { line }));
                    }
                    Some(m) => self.obey(m),
                },
                // Neither end waits for the other: what the printer doesn't take stays in `out`.
                sent = writer.write(&self.out), if !self.out.is_empty() => match sent {
                    Ok(0) => return End::Lost("the connection takes no more bytes.".into()),
                    Err(e) => return End::Lost(format!("{e}.")),
                    Ok(n) => {
                        // OK because n is at most the length of `out` and at least 1.
                        self.mid_line = self.out[n - 1] != b'\n';
                        self.out.drain(..n);
                        self.stuck_since = None;
                        if self.out.is_empty()
                            && let Err(e) = writer.flush().await
                        {
                            return End::Lost(format!("{e}."));
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
            self.insist();
            self.age();
            if self.out.is_empty() {
                self.stuck_since = None;
            } else if self.stuck_since.get_or_insert_with(Instant::now).elapsed() > MOST_STUCK {
                return End::Lost("it takes no more bytes.".into());
            }
        }
    }

    /// Moves what the protocol wants to send to what is to be written.
    pub(super) fn gather(&mut self) {
        let out = self.protocol.take_output();
        // A print's moves would bury what was said.
        if !self.prints_from_here() {
            for l in out.lines().filter(|l| !l.trim().is_empty()) {
                self.note(Way::Sent, l);
            }
        }
        self.out.extend_from_slice(out.as_bytes());
    }

    /// Throws away what the way has not taken yet; the protocol sends its line once more, without heat.
    pub(super) fn drop_output(&mut self) {
        self.gather();
        if self.out.is_empty() {
            return;
        }
        self.out.clear();
        if self.mid_line {
            self.out.push(b'\n');
            self.mid_line = false;
        }
        let now = self.now_ms();
        self.protocol.rewrite(now);
    }

    pub(super) fn wake_at(&self) -> Instant {
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

    pub(super) fn greet(&mut self) {
        let now = self.now_ms();
        self.fail_flights_quietly();
        self.urgent.clear();
        if self.stopping.as_ref().is_some_and(Stopping::is_emergency) {
            // It is owed the hard stop before anything else.
            self.protocol.abandon();
            self.raw("M112");
            self.say_emergency();
            return;
        }
        if self.stopping.is_some() {
            // What it was told to heat and wait for before the connection was lost may still go on.
            self.raw("M108");
        }
        // An earlier half line on the wire ends here.
        self.protocol.greet(now);
        self.flights.push_back((Order::ours("M110 N0"), None));
        if self.stopping.is_some() {
            self.send_zeros();
        }
        let every = plain(self.options.report_every_s, 2);
        // First the question whose answer sets a wrong count of answers right.
        for line in ["M105", &format!("M155 S{every}"), "M115", "M27"] {
            self.urgent.push_back(Order::ours(line));
        }
    }
}
