//! `wattotherm twin`: the simulated printer as a program of its own.

#![allow(clippy::unwrap_used)]

use std::io::{BufRead as _, BufReader, Write as _};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

fn twin(args: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_wattotherm"));
    command.arg("twin").args(args);
    command
}

/// A running twin and where it is reached.
struct Running(Child, String);

impl Running {
    fn start(args: &[&str]) -> Self {
        let mut child = twin(args).stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap())
            .read_line(&mut line)
            .unwrap();
        assert!(line.starts_with("Simulated printer on "), "{line}");
        let at = line.trim().rsplit(' ').next().unwrap().to_owned();
        Self(child, at)
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        // SIGKILL: the mains plug.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Sends lines one after the other and gives back everything that was answered.
fn talk(host: &str, lines: &[&str]) -> String {
    let mut socket = TcpStream::connect(host).unwrap();
    socket
        .set_read_timeout(Some(Duration::from_secs(10)))
        .unwrap();
    let mut reader = BufReader::new(socket.try_clone().unwrap());
    let mut all = String::new();
    for line in lines {
        writeln!(socket, "{line}").unwrap();
        loop {
            let mut answer = String::new();
            reader.read_line(&mut answer).unwrap();
            all.push_str(&answer);
            if answer.starts_with("ok") {
                break;
            }
        }
    }
    all
}

#[test]
fn faults_are_listed_and_wrong_words_say_what_is_right() {
    let list = twin(&["--fault", "list"]).output().unwrap();
    let text = String::from_utf8(list.stdout).unwrap();
    assert_eq!(text.lines().count(), 18, "{text}");
    assert!(
        text.lines()
            .all(|l| l.chars().all(|c| c.is_ascii_lowercase() || c == '-'))
    );
    for (args, says) in [
        (
            vec!["--listen", "127.0.0.1:0", "--fault", "gremlin"],
            "there is no fault “gremlin”; faults are sensor-open,",
        ),
        (
            vec!["--listen", "127.0.0.1:0", "--speed", "0"],
            "A speed is 0.1 to 1000, or free.",
        ),
        (
            vec!["--listen", "127.0.0.1:0", "--kind", "huge"],
            "There is no hot end “huge”. Hot ends are light, standard, heavy.",
        ),
        (
            vec![],
            "Say where it listens: --listen 127.0.0.1:4871, or --pty.",
        ),
    ] {
        let out = twin(&args).output().unwrap();
        let said = String::from_utf8(out.stderr).unwrap();
        assert!(
            !out.status.success() && said.contains(says),
            "{args:?}: {said}"
        );
    }
}

#[test]
fn a_boards_memory_outlives_the_plug_and_what_was_not_stored_does_not() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("memory.json");
    let args = [
        "--listen",
        "127.0.0.1:0",
        "--memory",
        file.to_str().unwrap(),
    ];
    {
        let first = Running::start(&args);
        let said = talk(&first.1, &["M301 P30 I2 D100", "M500", "M92 E300", "M503"]);
        assert!(said.starts_with("start\n"), "{said}");
        assert!(said.contains("M301 P30.00 I2.00 D100.00") && said.contains("E300.00"));
        // The port writes the file a moment after the answer.
        let until = std::time::Instant::now() + Duration::from_secs(5);
        while !Path::new(&file).exists() && std::time::Instant::now() < until {
            std::thread::sleep(Duration::from_millis(20));
        }
    }
    let second = Running::start(&args);
    let said = talk(&second.1, &["M503"]);
    assert!(said.contains("M301 P30.00 I2.00 D100.00"), "{said}");
    assert!(!said.contains("E300.00"), "set, never stored: {said}");
}

#[test]
fn it_heats_at_its_own_pace_and_stops_at_once() {
    let fast = Running::start(&["--listen", "127.0.0.1:0", "--speed", "200", "--seed", "4"]);
    let said = talk(&fast.1, &["M109 S200", "M105"]);
    assert!(said.contains("busy"), "it says that it is at it: {said}");
    let last = said.lines().last().unwrap();
    assert!(
        last.starts_with("ok T:") && last.contains("/200.00"),
        "{last}"
    );
    let mut socket = TcpStream::connect(&fast.1).unwrap();
    socket
        .set_read_timeout(Some(Duration::from_secs(5)))
        .unwrap();
    writeln!(socket, "M112").unwrap();
    let mut answer = String::new();
    BufReader::new(socket).read_line(&mut answer).unwrap();
    assert_eq!(answer, "Error:halted: emergency stop\n");
}

#[cfg(unix)]
#[test]
fn a_pseudo_terminal_is_named_and_there() {
    let running = Running::start(&["--pty"]);
    assert!(Path::new(&running.1).exists(), "{}", running.1);
}
