//! The simulated printer that ships with Wattotherm.
//!
//! Its public face is the line protocol: whoever talks to it can't know that no metal is there.
//! [`Twin`] is the whole printer as a state machine: bytes in, time, bytes out. [`port`] puts it
//! behind TCP, a pseudo-terminal, or a pipe in the same process.
#![deny(missing_docs)]

mod ailments;
mod autotune;
mod build;
mod faults;

mod firmware;
mod hands;
mod motion;
mod physics;
pub mod port;
mod printing;
mod second;
mod settings;
mod system;

pub use ailments::Ailment;
pub use build::{Build, Kind};
pub use faults::{Fault, UnknownFault};
pub use firmware::Twin;
pub use hands::{Hands, Seen};
pub use physics::{Bench, Heat, World};
pub use printing::{Eyes, Printed, Truth};
