//! Looks turned into numbers: what an eye says of test prints, with its doubt.
//!
//! Pure: no I/O, no clock, no async. Nothing here knows a station, a printer or a page.
#![deny(missing_docs)]

mod agreement;
mod blind;
mod board;
mod broken_line;
mod pairs;
mod scatter;
mod strings;
mod surface;
mod tower;

pub use agreement::{Agreement, agreement};
pub use blind::{Picked, Tiles, pick};
pub use board::{Credit, Credited, Effect, credits};
pub use broken_line::{BrokenLine, broken_line};
pub use pairs::{Strengths, strengths};
pub use scatter::{SCORE_U, pooled};
pub use strings::{STRINGS_IN_PICTURES, strings_score};
pub use surface::{Grid, Spot, Surface, Tried, surface};
pub use tower::{Tower, TowerBand, tower};
