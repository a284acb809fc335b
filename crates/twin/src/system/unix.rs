//! The simulated printer as a serial port: a pseudo-terminal, where the system has such.

use std::io;

use tokio_serial::{SerialPort as _, SerialStream};

use crate::port::Running;

impl Running {
    /// Opens a pseudo-terminal and serves it; the name of the port to open is returned with the end
    /// that must be kept for as long as the port shall live.
    /// # Errors
    /// If the system gives no pseudo-terminal.
    pub fn pty(&self) -> io::Result<(String, SerialStream)> {
        let (ours, theirs) = SerialStream::pair()?;
        let name = theirs
            .name()
            .ok_or_else(|| io::Error::other("the pseudo-terminal has no name"))?;
        let me = self.clone();
        tokio::spawn(async move {
            let _ = me.serve(ours).await;
        });
        Ok((name, theirs))
    }
}
