//! The rules and the arithmetic of printer recalibration.
//!
//! Pure: no I/O, no clock, no async. Readings go in, findings come out. A test asserts the list of
//! dependencies so that it stays so.
#![deny(missing_docs)]

mod caution;
pub mod chain;
mod chain_link;
mod changed;
mod context;
mod desk;
pub mod effects;
pub mod finding;
pub mod form;
mod gate;
mod guard_limits;
pub mod house;
mod part_age;
pub mod photo;
pub mod route;
pub mod sheets;
mod situation;
pub mod stations;
pub mod timeline;

pub use caution::{Caution, SignalWord};
pub use chain_link::{ChainLink, ChainState};
pub use changed::{Changed, Lasts};
pub use context::{Comes, Context, ExpectedSetting, SavedLines, SlicedFile};
pub use desk::{Desk, Waits, what_now};
pub use gate::Gate;
pub use guard_limits::guard_limits;
pub use part_age::due_by_age;
pub use situation::{Closed, InForce, Situation};
