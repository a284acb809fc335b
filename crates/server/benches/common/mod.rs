//! What the benches share: a server of their own, and milliseconds.

use std::io::{BufRead as _, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// A server on a port of its own with these arguments, and its address.
pub fn start(args: &[&str]) -> (Child, String) {
    let mut child = Command::new(env!("CARGO_BIN_EXE_wattotherm"))
        .args(args)
        .args(["--listen", "127.0.0.1:0"])
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut line = String::new();
    BufReader::new(child.stdout.take().unwrap())
        .read_line(&mut line)
        .unwrap();
    (child, line.trim().rsplit(' ').next().unwrap().to_owned())
}

/// In milliseconds.
#[allow(dead_code)]
pub fn ms(d: Duration) -> f64 {
    d.as_secs_f64() * 1e3
}
