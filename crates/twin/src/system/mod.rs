//! What only one kind of system has; a test holds that it stands nowhere else.

#[cfg(not(unix))]
mod other;
#[cfg(unix)]
mod unix;
