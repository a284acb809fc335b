//! A printer's parts, what is calibrated on it, what is known of it, and how hot its hot end may go.
//!
//! Pure: no I/O, no clock, no async.
#![deny(missing_docs)]

mod ceiling;
mod facts;
mod materials;
mod parameter;
mod parts;

pub use ceiling::{Ceiling, CeilingRules, PartLimit, ceiling};
pub use facts::{FilamentFacts, FilamentPath, GearFacts, HotEndMass, PrinterFacts};
pub use materials::{BlockMaterial, HotEndKind, NozzleMaterial};
pub use parameter::Parameter;
pub use parts::{Part, Replacement};
