//! What only one kind of system has; a test holds that it stands nowhere else.

#[cfg(unix)]
mod unix;
#[cfg(unix)]
pub use unix::{Stopped, open_files};

#[cfg(not(unix))]
mod other;
#[cfg(not(unix))]
pub use other::{Stopped, open_files};
