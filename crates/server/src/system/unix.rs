//! Signals and limits of Unix.

use tokio::signal::unix::{Signal, SignalKind, signal};

/// How many files and sockets the system lets this process open.
pub fn open_files() -> u64 {
    rustix::process::getrlimit(rustix::process::Resource::Nofile)
        .current
        .unwrap_or(u64::MAX)
}

/// The signals that end a server: from a terminal, from a service manager, from a terminal that closes.
pub struct Stopped([Signal; 3]);

impl Stopped {
    /// Listens from now on.
    /// # Errors
    /// If the system refuses.
    pub fn listen() -> std::io::Result<Self> {
        Ok(Self([
            signal(SignalKind::interrupt())?,
            signal(SignalKind::terminate())?,
            signal(SignalKind::hangup())?,
        ]))
    }

    /// Resolves at the first of them.
    pub async fn wait(self) {
        let [mut interrupt, mut terminate, mut hangup] = self.0;
        tokio::select! {
            _ = interrupt.recv() => {}
            _ = terminate.recv() => {}
            _ = hangup.recv() => {}
        }
    }
}
