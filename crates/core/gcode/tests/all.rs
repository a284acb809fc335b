//! All tests of this crate in one program: each program more is linked anew.
#![allow(clippy::unwrap_used)]

mod lexer;
mod protocol;
