//! All tests of this crate in one program: each program more is linked anew.
#![allow(clippy::unwrap_used)]

mod common;

mod bands;
mod bores;
mod clearance;
mod pieces;
mod reading;
mod strange_parts;
mod time;
