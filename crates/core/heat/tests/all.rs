//! All tests of this crate in one program: each program more is linked anew.
#![allow(clippy::unwrap_used)]

mod plants;
mod scenarios;

mod confusion;
mod heat;
mod heat_laws;
mod heat_reference;
mod heaters_of_a_log;
mod identification;
mod logs;
