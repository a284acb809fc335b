//! All tests of this crate in one program: each program more is linked anew.
#![allow(clippy::unwrap_used)]

mod common;

mod bad_files;
mod deeds;
mod drafts;
mod files;
mod fittings;
mod heat_seen;
mod older_versions;
mod refuses;
mod store;
