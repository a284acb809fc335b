//! The twin prints: physics of feed, melt, ooze and bond over the moves of a piece, and eyes that look at what came.
//!
//! Its truth is inside; what eyes and instruments find of it comes out of [`Eyes`], a second opening beside the
//! protocol, for practice and for tests.

mod eyes;
mod follow;
mod picture;
mod truth;

pub use eyes::Eyes;
pub(crate) use follow::Moved;
pub use follow::Printed;
pub use truth::Truth;
