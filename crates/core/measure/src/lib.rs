//! Measuring and deciding: instruments, uncertainty, verdicts.
//!
//! Numbers as typed ([`entry`]) and as written ([`Pen`]). Pure: no I/O, no clock, no async.
//!
//! Sources: JCGM 100:2008 (GUM), JCGM 106:2012, ISO 14253-1.
#![deny(missing_docs)]

pub mod entry;
mod fit;
mod instrument;
mod outlier;
mod pen;
mod series;
mod settle;
pub mod text;
mod uncertainty;
mod unit;
mod verdict;

pub use fit::{FitError, LeastSquares, least_squares};
pub use instrument::{Instrument, InstrumentKind, default_instruments};
pub use outlier::grubbs_critical;
pub use pen::{LengthScale, Pen, TemperatureScale};
pub use series::{BudgetPart, FreshMean, PartOf, Reading, Series, fresh_mean, u_of_mean};
pub use settle::{SettleOption, what_would_settle};
pub use uncertainty::{
    Combined, Component, UncertaintyError, combine, expanded, expanded_one_sided, t_two_sided,
    u_rectangular,
};
pub use unit::Unit;
pub use verdict::{Verdict, decide, decide_one_sided};

/// Level of confidence, a probability, of every expanded uncertainty unless a function says otherwise.
pub const CONFIDENCE: f64 = 0.95;
