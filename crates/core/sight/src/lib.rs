//! Photos measured where the eye is the only instrument: strings counted between two posts, widths of lines against
//! their own known spacing, the teeth of two combs that meet; and the pen that draws such photos for practice.
//!
//! It knows no station, printer or page. Each answer is a proposal with its doubt; what can't be read is an error
//! that says what to do.
#![deny(missing_docs)]

mod combs;
mod field;
mod lines;
mod pen;
mod ridges;
mod strings;

pub use image::GrayImage;

pub use combs::{CombsSeen, read_combs};
pub use field::{Corners, SightError};
pub use lines::{LineSeen, LinesSeen, read_lines};
pub use pen::Drawing;
pub use strings::{StringsSeen, read_strings};
