//! Tests of this crate in one program: each program more is linked anew. What lives by the clock has programs of its own,
//! which run one after the other.
#![allow(clippy::unwrap_used)]

mod common;

mod api;
mod blocks;
mod cases;
mod conversion;
mod diagnose;
mod documented;
mod durability;
mod everything;
mod files;
mod pages;
mod photos;
mod pieces;
mod prints;
mod twin;
mod two_nozzles;
mod words_are_for_people;
