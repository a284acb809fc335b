//! Links to twins in the same process, with or without mischief on the wire.
#![allow(dead_code, clippy::unwrap_used)]

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _, DuplexStream};
use wattotherm_gcode::{GuardLimits, HeaterLimit};
use wattotherm_link::{Link, LinkOptions, Opener, Patience};
use wattotherm_twin::port::{Running, Speed};
use wattotherm_twin::{Build, Fault, Kind, Twin};

pub fn limits() -> GuardLimits {
    GuardLimits::new(
        HeaterLimit::new(250.0, "the temperature sensor"),
        110.0,
        [235.0, 235.0, 250.0],
    )
}

pub fn options() -> LinkOptions {
    LinkOptions::new(limits()).with_patience(Patience {
        silence_ms: 400,
        probes: 4,
        quiet_ms: 15,
        resends: 60,
    })
}

pub fn twin(seed: u64, faults: impl IntoIterator<Item = Fault>, speed: f64) -> Running {
    let twin = Twin::new(Build::new(Kind::Standard, seed, faults), seed);
    Running::new(twin, Speed::Times(speed))
}

pub async fn linked(running: &Running) -> Link {
    let here = running.clone();
    let opener = Opener::new(move || {
        let here = here.clone();
        async move { Ok::<_, std::io::Error>(here.pipe()) }
    });
    let link = Link::start(opener, "a pipe", options());
    assert!(link.connected_within(Duration::from_secs(20)).await);
    link
}

/// What a bad wire does, in shares of bytes or lines.
#[derive(Clone, Copy, Debug, Default)]
pub struct Mischief {
    /// Bytes lost, either way.
    pub dropped: f64,
    /// Bytes changed, to the printer.
    pub garbled: f64,
    /// Answers of `ok` said twice.
    pub doubled: f64,
    /// Answers of `ok` lost.
    pub swallowed: f64,
    /// Requests to send again that nobody made, a line.
    pub storm: f64,
}

/// A wire with mischief between a link and a twin. `cut` unplugs it; `deaf` lets nothing through.
#[derive(Clone)]
pub struct Wire {
    running: Running,
    mischief: Mischief,
    seed: u64,
    pub cut: Arc<AtomicBool>,
    pub deaf: Arc<AtomicBool>,
}

impl Wire {
    pub fn new(running: &Running, mischief: Mischief, seed: u64) -> Self {
        Self {
            running: running.clone(),
            mischief,
            seed,
            cut: Arc::default(),
            deaf: Arc::default(),
        }
    }

    pub fn link(&self) -> Link {
        let me = self.clone();
        let opener = Opener::new(move || {
            let me = me.clone();
            async move {
                if me.cut.load(Ordering::Relaxed) {
                    return Err(std::io::Error::from(std::io::ErrorKind::NotConnected));
                }
                Ok(me.open())
            }
        });
        Link::start(opener, "a bad wire", options())
    }

    fn open(&self) -> DuplexStream {
        let (ours, theirs) = tokio::io::duplex(64 * 1024);
        let me = self.clone();
        tokio::spawn(async move { me.carry(ours).await });
        theirs
    }

    async fn carry(self, host: DuplexStream) {
        let printer = self.running.pipe();
        let (mut host_read, mut host_write) = tokio::io::split(host);
        let (mut printer_read, mut printer_write) = tokio::io::split(printer);
        let mut rng = fastrand::Rng::with_seed(self.seed);
        let (mut up, mut down) = ([0_u8; 512], [0_u8; 512]);
        let mut said: Vec<u8> = Vec::new();
        let mut spoilt = false;
        let m = self.mischief;
        loop {
            if self.cut.load(Ordering::Relaxed) {
                return;
            }
            tokio::select! {
                n = host_read.read(&mut up) => {
                    let Ok(n @ 1..) = n else { return };
                    if self.deaf.load(Ordering::Relaxed) { continue }
                    let mut out = Vec::new();
                    for b in &up[..n] {
                        // One mishap a line: two alike cancel in an XOR checksum, which no sender can
                        // mend; that is what the read-back of every setting is for.
                        if *b == b'\n' {
                            spoilt = false;
                        }
                        if !spoilt && rng.f64() < m.dropped {
                            spoilt = true;
                            continue;
                        }
                        // The raw stops must be garbled too, or they would be no test.
                        if !spoilt && rng.f64() < m.garbled {
                            spoilt = true;
                            out.push(b ^ (1 << rng.u8(0..7)));
                        } else {
                            out.push(*b);
                        }
                    }
                    if printer_write.write_all(&out).await.is_err() { return }
                }
                n = printer_read.read(&mut down) => {
                    let Ok(n @ 1..) = n else { return };
                    if self.deaf.load(Ordering::Relaxed) { continue }
                    said.extend_from_slice(&down[..n]);
                    while let Some(end) = said.iter().position(|b| *b == b'\n') {
                        let line: Vec<u8> = said.drain(..=end).collect();
                        let ok = line.starts_with(b"ok");
                        if ok && rng.f64() < m.swallowed { continue }
                        let copies = if ok && rng.f64() < m.doubled { 2 } else { 1 };
                        for _ in 0..copies {
                            let kept: Vec<u8> = line.iter().filter(|_| rng.f64() >= m.dropped).copied().collect();
                            if host_write.write_all(&kept).await.is_err() { return }
                        }
                        if rng.f64() < m.storm {
                            let next = self.running.look().last_line() + 1;
                            for _ in 0..8 {
                                let ask = format!("Resend: {next}\nok\n");
                                if host_write.write_all(ask.as_bytes()).await.is_err() { return }
                            }
                        }
                    }
                }
                () = tokio::time::sleep(Duration::from_millis(20)) => {}
            }
        }
    }
}

/// Whether it comes to hold within a time.
pub async fn within(most: Duration, mut holds: impl FnMut() -> bool) -> bool {
    let until = tokio::time::Instant::now() + most;
    while tokio::time::Instant::now() < until {
        if holds() {
            return true;
        }
        tokio::time::sleep(Duration::from_millis(10)).await;
    }
    holds()
}
