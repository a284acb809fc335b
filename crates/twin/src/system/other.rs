//! No pseudo-terminal here.

use std::io;

use crate::port::Running;

impl Running {
    /// Says that there is none.
    /// # Errors
    /// Always.
    pub fn pty(&self) -> io::Result<(String, ())> {
        Err(io::Error::new(
            io::ErrorKind::Unsupported,
            "This system has no pseudo-terminals. Use --listen.",
        ))
    }
}
