//! Ways to reach a twin: TCP, a pseudo-terminal, a pipe in the same process.

use std::io;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use tokio::io::{AsyncRead, AsyncReadExt as _, AsyncWrite, AsyncWriteExt as _, DuplexStream};
use tokio::net::TcpListener;
use tokio::time::{Instant, MissedTickBehavior, interval};

use crate::firmware::Twin;

/// How fast its time runs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Speed {
    /// Seconds of its own a second; 1 is real time.
    Times(f64),
    /// As fast as it can while a command keeps it busy, real time otherwise.
    Free,
}

/// A twin whose time runs, shared between its ports and whoever looks at it.
#[derive(Clone, Debug)]
pub struct Running {
    twin: Arc<Mutex<Twin>>,
    speed: Speed,
    /// Stored settings are kept here.
    memory: Option<PathBuf>,
}

impl Running {
    /// Starts its time when served.
    #[must_use]
    pub fn new(mut twin: Twin, speed: Speed) -> Self {
        twin.speed_says = match speed {
            Speed::Times(times) => format!("{times}"),
            Speed::Free => "free".into(),
        };
        Self {
            twin: Arc::new(Mutex::new(twin)),
            speed,
            memory: None,
        }
    }

    /// With a file that outlives it, as a board's memory does; an existing one is read.
    #[must_use]
    pub fn remembering(mut self, file: PathBuf) -> Self {
        if let Ok(text) = std::fs::read_to_string(&file) {
            self.look().with_memory(&text);
        }
        self.memory = Some(file);
        self
    }

    /// The twin itself, for tests and practice.
    pub fn look(&self) -> MutexGuard<'_, Twin> {
        self.twin.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Speaks the protocol over `stream` until it ends.
    /// # Errors
    /// If the stream fails.
    pub async fn serve<S: AsyncRead + AsyncWrite + Unpin>(&self, mut stream: S) -> io::Result<()> {
        let mut tick = interval(Duration::from_millis(5));
        tick.set_missed_tick_behavior(MissedTickBehavior::Skip);
        let mut last = Instant::now();
        let mut buffer = [0_u8; 1024];
        let mut kept = self.look().memory();
        loop {
            let n = tokio::select! {
                n = stream.read(&mut buffer) => match n? {
                    0 => return Ok(()),
                    n => n,
                },
                _ = tick.tick() => 0,
            };
            let passed = last.elapsed().as_secs_f64().min(0.25);
            last = Instant::now();
            let out = {
                let mut twin = self.look();
                twin.receive(&buffer[..n]);
                match self.speed {
                    Speed::Times(times) => twin.advance(passed * times),
                    Speed::Free if twin.is_idle() => twin.advance(passed),
                    Speed::Free => twin.advance(2.0),
                }
                twin.take_output()
            };
            if !out.is_empty() {
                stream.write_all(&out).await?;
                stream.flush().await?;
            }
            if let Some(file) = &self.memory {
                let now = self.look().memory();
                if now != kept {
                    std::fs::write(file, &now)?;
                    kept = now;
                }
            }
        }
    }

    /// Takes one caller after the other, as a serial port does; never ends by itself.
    /// # Errors
    /// If the listener fails.
    pub async fn serve_tcp(&self, listener: TcpListener) -> io::Result<()> {
        loop {
            let (stream, _) = tokio::select! {
                got = listener.accept() => got?,
                // Metal cools while nobody asks.
                () = self.idle() => continue,
            };
            stream.set_nodelay(true)?;
            // A caller who hangs up is no failure of the printer.
            let _ = self.serve(stream).await;
        }
    }

    async fn idle(&self) {
        tokio::time::sleep(Duration::from_millis(50)).await;
        let times = match self.speed {
            Speed::Times(t) => t,
            Speed::Free => 1.0,
        };
        self.look().advance(0.05 * times);
    }

    /// Serves a pipe in this process; the other end is returned.
    #[must_use]
    pub fn pipe(&self) -> DuplexStream {
        let (ours, theirs) = tokio::io::duplex(64 * 1024);
        let me = self.clone();
        tokio::spawn(async move {
            let _ = me.serve(ours).await;
        });
        theirs
    }
}
