//! Boards of bad manners: whatever they do, it is never said that heaters are off or metal is safe
//! while the board's own heater is on. Time is the runtime's own and runs by itself.
#![allow(clippy::unwrap_used)]

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use crate::board::{Manners, Running};
use tokio::time::{sleep, timeout};
use wattotherm_gcode::{GuardLimits, Heater, HeaterLimit};
use wattotherm_heat::HeatWord;
use wattotherm_link::routines::{autotune, control, hold};
use wattotherm_link::{Heaters, Link, LinkOptions, Opener, Patience};

const SEEDS: u64 = 20;

fn limits() -> GuardLimits {
    GuardLimits::new(
        HeaterLimit::new(250.0, "the temperature sensor"),
        110.0,
        [235.0, 235.0, 250.0],
    )
}

fn link_to(running: &Running) -> Link {
    let opener = Opener::new(running.behind_a_pipe(256));
    let options = LinkOptions::new(limits()).with_patience(Patience {
        silence_ms: 3_000,
        ..Patience::default()
    });
    Link::start(opener, "a board of bad manners", options)
}

/// Looks all the time; what was wrongly said. How often it looked is counted.
async fn watched(link: Link, running: Running, looks: Arc<AtomicU64>) -> String {
    loop {
        {
            let board = running.look();
            let status = link.status();
            looks.fetch_add(1, Ordering::Relaxed);
            if board.heats() {
                if status.heaters == Heaters::Off {
                    return format!("“off” while it heats: {status:#?}");
                }
                let cold = status.metal().into_iter().find(|m| {
                    let plate = match m.heater {
                        Heater::Tool(n) => usize::from(n),
                        _ => board.at_c().len() - 1,
                    };
                    m.word == HeatWord::Safe && board.targets_c()[plate] > 0.0
                });
                if let Some(m) = cold {
                    return format!("“safe” while it heats: {m:?} {status:#?}");
                }
            }
        }
        sleep(Duration::from_millis(5)).await;
    }
}

/// Does what people do, in any order; ends with a stop.
async fn played(link: &Link, running: &Running, rng: &mut fastrand::Rng) {
    for _ in 0..rng.u8(3..8) {
        let patient = Duration::from_secs(rng.u64(1..12));
        match rng.u8(0..9) {
            0 => drop(timeout(patient, link.send("M104 T0 S190")).await),
            1 => drop(timeout(patient, link.send("M109 T0 S215")).await),
            2 => drop(timeout(patient, link.send("M303 E0 S200 C5")).await),
            3 => drop(timeout(patient, link.send("M140 S60")).await),
            4 => {
                let (c, remote) = control();
                drop(timeout(patient, hold(c, link, 180.0, 60.0)).await);
                remote.stop();
            }
            5 => {
                let (c, remote) = control();
                drop(timeout(patient, autotune(c, link, 190.0, 3, 0.0)).await);
                remote.stop();
            }
            6 if running.look().at_c().len() > 2 => {
                drop(timeout(patient, link.send("M104 T1 S170")).await);
            }
            7 => link.heaters_off(),
            _ => drop(timeout(patient, link.send("G28")).await),
        }
        sleep(Duration::from_millis(rng.u64(0..6_000))).await;
    }
    if rng.u8(0..3) == 0 {
        link.emergency_stop();
    } else {
        link.heaters_off();
    }
}

fn run(manners: Manners, seed: u64) -> String {
    let runtime = tokio::runtime::Builder::new_current_thread()
        .enable_time()
        .start_paused(true)
        .build()
        .unwrap();
    runtime.block_on(async move {
        let mut rng = fastrand::Rng::with_seed(seed * 977 + manners as u64);
        let running = Running::new(manners, seed);
        let link = link_to(&running);
        assert!(
            link.connected_within(Duration::from_secs(60)).await,
            "{manners:?} {seed}: {:?}",
            link.status()
        );
        let looks = Arc::new(AtomicU64::new(0));
        let looking = watched(link.clone(), running.clone(), Arc::clone(&looks));
        let playing = async {
            played(&link, &running, &mut rng).await;
            sleep(Duration::from_secs(40)).await;
        };
        tokio::select! {
            wrong = looking => panic!("{manners:?}, seed {seed}: {wrong}\n{:#?}", link.record_after(0)),
            () = playing => {}
        }
        assert!(looks.load(Ordering::Relaxed) > 5_000);
        // In the end it is off and known to be, or it is said that it can't be known, and why.
        let status = link.status();
        let on = running.look().heats() || running.look().is_told_to_heat();
        let known = status.heaters == Heaters::Off;
        assert!(
            !on || status.heaters != Heaters::Off,
            "{manners:?} {seed}: {status:#?}"
        );
        if !known && on {
            assert!(
                status.says.contains("switch") && status.stopping.is_some(),
                "{manners:?} {seed}: unknown, and nothing said of it: {status:#?}"
            );
        }
        match manners {
            // Whoever hears ends at zero.
            Manners::Good
            | Manners::SlowOk
            | Manners::SecondTool
            | Manners::BedWithoutOutput
            | Manners::LyingClock
            | Manners::Resets
            | Manners::Swallows => assert!(!on, "{manners:?} {seed}: still heats: {status:#?}\n{:#?}", link.record_after(0)),
            _ => {}
        }
        format!("{:?}", status.heaters)
    })
}

fn boards(manners: &[Manners]) {
    for m in manners {
        let ends: Vec<String> = (0..SEEDS).map(|seed| run(*m, seed)).collect();
        let off = ends.iter().filter(|e| *e == "Off").count();
        // A board that hears is known in the end, most of the time: unless it was halted for good.
        if matches!(m, Manners::Good | Manners::LyingClock | Manners::SecondTool) {
            assert!(off >= 12, "{m:?}: known to be off {off} times of {SEEDS}");
        }
    }
}

#[test]
fn boards_that_hear_are_off_in_the_end_and_never_said_to_be_off_before() {
    boards(&[Manners::Good, Manners::LyingClock, Manners::SecondTool]);
}

#[test]
fn boards_that_answer_late_reset_or_lose_lines_are_never_said_to_be_off_while_they_heat() {
    boards(&[
        Manners::SlowOk,
        Manners::Resets,
        Manners::Swallows,
        Manners::BedWithoutOutput,
    ]);
}

#[test]
fn boards_that_hear_nothing_are_never_said_to_be_off_while_they_heat() {
    boards(&[
        Manners::DeafWhileHeating,
        Manners::Freezes,
        Manners::TargetZeroOutputFull,
    ]);
}
