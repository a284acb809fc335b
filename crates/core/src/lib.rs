//! The rules and the arithmetic of printer recalibration.
//!
//! Pure: no I/O, no clock, no async. Readings go in, findings come out. A test asserts the list of
//! dependencies so that it stays so.
#![deny(missing_docs)]

pub mod ceiling;
pub mod chain;
pub mod entry;
pub mod finding;
pub mod gcode;
pub mod heat;
pub mod house;
pub mod measure;
mod parameter;
mod parts;
pub mod route;
pub mod sheets;
pub mod stations;
pub mod text;

pub use parameter::Parameter;
pub use parts::{Part, Replacement};
