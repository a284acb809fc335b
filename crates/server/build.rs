//! Builds the server again when the pages were built again: they are embedded in it.
#![allow(clippy::print_stdout)] // how a build script speaks to cargo

fn main() {
    println!("cargo:rerun-if-changed=../../web/dist");
}
