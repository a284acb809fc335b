//! Tests of this crate in one program: each program more is linked anew. What lives by the clock has programs of its own,
//! which run one after the other.
#![allow(clippy::unwrap_used)]

mod common;

mod board;
mod diagnosis;
mod faults;
mod machine;
mod physics;
mod prediction;
mod printing;
