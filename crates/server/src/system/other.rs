//! The same where there are neither Unix signals nor its limits.

/// No limit is known.
pub const fn open_files() -> u64 {
    u64::MAX
}

/// Ctrl+C.
pub struct Stopped(());

impl Stopped {
    /// Listens once it is waited for.
    /// # Errors
    /// None.
    pub const fn listen() -> std::io::Result<Self> {
        Ok(Self(()))
    }

    /// Resolves at Ctrl+C.
    pub async fn wait(self) {
        let _ = tokio::signal::ctrl_c().await;
    }
}
