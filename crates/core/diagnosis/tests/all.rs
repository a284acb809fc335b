//! All tests of this crate in one program: each program more is linked anew.
#![allow(clippy::unwrap_used)]

mod engine;
mod history;
mod reference;
mod sentences;
mod stories;
mod thousand;
