//! Serial ports of Unix.

use tokio_serial::SerialStream;

/// Whoever else opens the port would garble every line.
pub fn keep_alone(stream: &mut SerialStream) {
    let _ = stream.set_exclusive(true);
}
