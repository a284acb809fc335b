//! A printer's parts, what is calibrated on it, what is known of it, and how hot its hot end may go.
//!
//! Pure: no I/O, no clock, no async.
#![deny(missing_docs)]

mod card;
mod ceiling;
mod facts;
mod fields;
mod fitting;
mod materials;
mod parameter;
mod parts;

pub use card::{MaterialCard, material_card};
pub use ceiling::{Ceiling, CeilingRules, HeldBy, PartLimit, ceiling};
pub use facts::{FilamentFacts, GearFacts, PrinterFacts};
pub use fields::{
    FACT_FIELDS, FactField, FactFieldShown, FactKind, FactOption, fields_of, read_fields,
    typed_fields, typed_in,
};
pub use fitting::{Fitted, ScrewThread};
pub use materials::{
    BlockMaterial, FilamentPath, HotEndKind, HotEndMass, NozzleMaterial, NozzleMount, fan_off,
    is_soft, kind_of, usual_bed_c, usual_print_c,
};
pub use parameter::Parameter;
pub use parts::{Part, Replacement};
