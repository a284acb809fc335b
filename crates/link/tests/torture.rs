//! A bad wire: whatever happens on it, no command runs twice or altered, and heaters end at zero or
//! the page says that it can't know.
#![allow(clippy::unwrap_used)]

mod common;

use std::sync::atomic::Ordering;
use std::time::Duration;

use common::{Mischief, Wire, linked, twin, within};
use tokio::time::{sleep, timeout};
use wattotherm_link::routines::{RoutineError, autotune, control};
use wattotherm_link::{Heaters, Link, LinkState, SendError};
use wattotherm_twin::port::Running;

/// Commands the twin ran, without the link's own questions.
fn ran(running: &Running) -> Vec<String> {
    let own = ["M105", "M155", "M110", "M115", "M27"];
    running
        .look()
        .ran
        .iter()
        .filter(|c| !own.iter().any(|o| c.starts_with(o)))
        .cloned()
        .collect()
}

/// Forty commands that can be told apart; what the caller was told of each.
async fn forty(link: &Link) -> Vec<(String, Result<Vec<String>, SendError>)> {
    let mut told = Vec::new();
    for i in 1..=40 {
        let line = format!("G92 E{i}");
        let answer = timeout(Duration::from_secs(60), link.send(&line)).await;
        told.push((line, answer.expect("an answer or a failure comes in time")));
    }
    told
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn no_command_runs_twice_or_altered_on_a_bad_wire() {
    let kinds = [
        (
            "dropped bytes",
            Mischief {
                dropped: 0.004,
                ..Mischief::default()
            },
        ),
        (
            "garbled bytes",
            Mischief {
                garbled: 0.01,
                ..Mischief::default()
            },
        ),
        (
            "doubled ok",
            Mischief {
                doubled: 0.3,
                ..Mischief::default()
            },
        ),
        (
            "lost ok",
            Mischief {
                swallowed: 0.15,
                ..Mischief::default()
            },
        ),
        (
            "resend storms",
            Mischief {
                storm: 0.2,
                ..Mischief::default()
            },
        ),
        (
            "all of it",
            Mischief {
                dropped: 0.002,
                garbled: 0.004,
                doubled: 0.1,
                swallowed: 0.05,
                storm: 0.05,
            },
        ),
    ];
    let mut runs = tokio::task::JoinSet::new();
    for (name, mischief) in kinds {
        for seed in 0..3 {
            runs.spawn(async move {
                let running = twin(seed, [], 1.0);
                let wire = Wire::new(&running, mischief, seed);
                let link = wire.link();
                assert!(
                    link.connected_within(Duration::from_secs(60)).await,
                    "{name} {seed}"
                );
                let told = forty(&link).await;
                // A lost connection is allowed, a wrong run is not.
                let settled = within(Duration::from_secs(10), || {
                    ran(&running).len() >= told.iter().filter(|t| t.1.is_ok()).count()
                })
                .await;
                assert!(
                    settled,
                    "{name} {seed}: what was acknowledged runs in the end"
                );
                let ran: Vec<String> = ran(&running)
                    .into_iter()
                    .filter(|c| c.starts_with("G92"))
                    .collect();
                let mut rest = told.iter();
                for command in &ran {
                    // In the order they were sent, each at most once, nothing that was not sent.
                    assert!(
                        rest.any(|(line, _)| line == command),
                        "{name} {seed}: {command} ran twice, altered or out of order: {ran:?}"
                    );
                }
                for (line, answer) in &told {
                    if answer.is_ok() {
                        assert!(
                            ran.contains(line),
                            "{name} {seed}: {line} was said to have run"
                        );
                    }
                }
                let whole = told.iter().filter(|t| t.1.is_ok()).count();
                assert!(
                    whole >= 30,
                    "{name} {seed}: only {whole} of 40 went through"
                );
            });
        }
    }
    while let Some(done) = runs.join_next().await {
        done.unwrap();
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_stop_comes_through_a_bad_wire() {
    for seed in 0..4 {
        let running = twin(seed, [], 4.0);
        let mischief = Mischief {
            dropped: 0.003,
            garbled: 0.006,
            swallowed: 0.1,
            ..Mischief::default()
        };
        let link = Wire::new(&running, mischief, seed).link();
        assert!(link.connected_within(Duration::from_secs(60)).await);
        let heating = link.clone();
        let waiting = tokio::spawn(async move { heating.send("M109 S200").await });
        assert!(
            within(Duration::from_secs(10), || running.look().targets_c().0
                > 0.0)
            .await
        );
        link.heaters_off();
        let off = within(Duration::from_secs(20), || {
            running.look().targets_c() == (0.0, 0.0)
        })
        .await;
        assert!(off, "seed {seed}: {:?}", link.status());
        let known = within(Duration::from_secs(20), || {
            link.status().heaters != Heaters::On
        })
        .await;
        assert!(known, "seed {seed}: {:?}", link.status());
        let _ = timeout(Duration::from_secs(30), waiting).await.unwrap();
        sleep(Duration::from_millis(300)).await;
        assert_eq!(
            running.look().targets_c(),
            (0.0, 0.0),
            "no heat command comes through late"
        );
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_stop_that_overtakes_a_heat_command_still_ends_at_zero() {
    // The stop comes within the same millisecond as the command: whatever was reported before, neither
    // may be left waiting for heat.
    let mut runs = tokio::task::JoinSet::new();
    for seed in 0..12_u64 {
        runs.spawn(async move {
            let running = twin(40 + seed, [], 2.0);
            let link = linked(&running).await;
            let line = ["M109 S200", "M104 S200", "M303 E0 S200 C5"][(seed % 3) as usize];
            let sending = link.send(line);
            tokio::pin!(sending);
            tokio::select! {
                biased;
                _ = &mut sending => {}
                () = sleep(Duration::from_micros(seed * 400)) => {}
            }
            link.heaters_off();
            let off = within(Duration::from_secs(12), || {
                let t = running.look();
                t.targets_c() == (0.0, 0.0) && t.is_idle() && t.world.duty < 1e-9
            })
            .await;
            assert!(off, "{line}, seed {seed}: {:?}", link.status());
            let known = within(Duration::from_secs(5), || {
                link.status().heaters == Heaters::Off
            })
            .await;
            assert!(known, "{line}, seed {seed}: {:?}", link.status());
            sleep(Duration::from_millis(200)).await;
            assert_eq!(
                running.look().targets_c(),
                (0.0, 0.0),
                "{line}, seed {seed}: late"
            );
        });
    }
    while let Some(done) = runs.join_next().await {
        done.unwrap();
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_sent_after_a_stop_waits_until_the_stop_is_confirmed() {
    let running = twin(60, [], 2.0);
    let link = linked(&running).await;
    link.send("M104 S180").await.unwrap();
    link.heaters_off();
    // Asked for after the stop: it comes through, after the zero.
    link.send("M104 S90").await.unwrap();
    let ran: Vec<String> = ran(&running);
    let at = |c: &str| ran.iter().position(|r| r == c);
    assert!(at("M104 S0").unwrap() < at("M104 S90").unwrap(), "{ran:?}");
    assert!(at("M140 S0").unwrap() < at("M104 S90").unwrap(), "{ran:?}");
    assert!((running.look().targets_c().0 - 90.0).abs() < 1e-9);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_emergency_stop_passes_a_waiting_line() {
    let running = twin(5, [], 1.0);
    let link = linked(&running).await;
    let heating = link.clone();
    let waiting = tokio::spawn(async move { heating.send("M109 S200").await });
    assert!(
        within(Duration::from_secs(5), || running.look().targets_c().0
            > 0.0)
        .await
    );
    link.emergency_stop();
    assert!(
        within(Duration::from_secs(2), || running.look().targets_c()
            == (0.0, 0.0))
        .await
    );
    assert!(matches!(
        waiting.await.unwrap(),
        Err(SendError::Lost { .. })
    ));
    assert!(
        within(Duration::from_secs(5), || link
            .status()
            .says
            .contains("heaters are off"))
        .await
    );
    assert_eq!(link.status().state, LinkState::Halted);
    assert_eq!(link.send("M104 S100").await, Err(SendError::Halted));
    link.release();
    assert!(
        within(Duration::from_secs(5), || link.status().state
            == LinkState::Connected)
        .await
    );
    assert!(link.send("M105").await.is_ok());
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn unplugged_in_mid_autotune_the_page_says_that_it_cant_know_and_the_heater_is_off_when_back()
{
    let running = twin(6, [], 10.0);
    let wire = Wire::new(&running, Mischief::default(), 6);
    let link = wire.link();
    assert!(link.connected_within(Duration::from_secs(20)).await);
    let (control, _remote) = control();
    let tuning = link.clone();
    let run = tokio::spawn(async move { autotune(control, &tuning, 200.0, 8, 0.0).await });
    assert!(
        within(Duration::from_secs(20), || {
            link.status().nozzle().is_some_and(|t| t.at_c > 60.0)
        })
        .await
    );
    wire.cut.store(true, Ordering::Relaxed);
    let logged = timeout(Duration::from_secs(30), run)
        .await
        .unwrap()
        .unwrap();
    assert!(
        matches!(logged.end, Err(RoutineError::Send(SendError::Lost { .. }))),
        "{:?}",
        logged.end
    );
    assert!(
        logged.trace.samples.len() > 5,
        "the log up to the loss is kept"
    );
    assert!(
        within(Duration::from_secs(5), || link.status().state
            == LinkState::Lost)
        .await
    );
    let status = link.status();
    assert_eq!(status.heaters, Heaters::Unknown);
    assert!(
        status.says.contains("Heaters may be on") && status.says.contains("switch the printer off"),
        "{}",
        status.says
    );
    assert_eq!(link.send("M105").await, Err(SendError::NotConnected));
    wire.cut.store(false, Ordering::Relaxed);
    let off = within(Duration::from_secs(30), || {
        link.status().state == LinkState::Connected
            && running.look().targets_c() == (0.0, 0.0)
            && link.status().heaters == Heaters::Off
    })
    .await;
    assert!(off, "{:?}", link.status());
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_printer_that_goes_silent_is_noticed_and_said() {
    let running = twin(7, [], 1.0);
    let wire = Wire::new(&running, Mischief::default(), 7);
    let link = wire.link();
    assert!(link.connected_within(Duration::from_secs(20)).await);
    link.send("M104 S150").await.unwrap();
    assert!(
        within(Duration::from_secs(5), || link.status().heaters
            == Heaters::On)
        .await
    );
    wire.deaf.store(true, Ordering::Relaxed);
    let answer = timeout(Duration::from_secs(30), link.send("M114"))
        .await
        .unwrap();
    assert!(matches!(answer, Err(SendError::Lost { .. })), "{answer:?}");
    assert!(
        within(Duration::from_secs(10), || link
            .status()
            .says
            .contains("Heaters may be on"))
        .await,
        "{:?}",
        link.status()
    );
    wire.deaf.store(false, Ordering::Relaxed);
    assert!(
        within(Duration::from_secs(30), || running.look().targets_c()
            == (0.0, 0.0))
        .await
    );
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_closed_link_and_a_dropped_one_leave_the_heaters_off() {
    let running = twin(8, [], 1.0);
    let link = linked(&running).await;
    link.send("M104 S150").await.unwrap();
    link.send("M140 S60").await.unwrap();
    link.close().await;
    assert_eq!(running.look().targets_c(), (0.0, 0.0));
    assert_eq!(link.status().state, LinkState::Closed);
    assert!(
        link.status().says.contains("heaters are off"),
        "{}",
        link.status().says
    );
    let link = linked(&running).await;
    link.send("M140 S60").await.unwrap();
    // One that waits for heat is in flight when the last handle goes.
    let waiting = link.clone();
    let heat = tokio::spawn(async move {
        let _ = timeout(Duration::from_secs(2), waiting.send("M109 S150")).await;
    });
    assert!(
        within(Duration::from_secs(5), || running.look().targets_c()
            == (150.0, 60.0))
        .await
    );
    heat.abort();
    let _ = heat.await;
    drop(link);
    assert!(
        within(Duration::from_secs(5), || running.look().targets_c()
            == (0.0, 0.0))
        .await
    );
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_restarted_printer_is_noticed() {
    let running = twin(9, [], 1.0);
    let link = linked(&running).await;
    link.send("M92 E300").await.unwrap();
    running.look().power_cycle();
    assert!(
        within(Duration::from_secs(5), || {
            link.record_after(0)
                .iter()
                .any(|w| w.text.contains("started anew"))
        })
        .await
    );
    assert!(
        within(Duration::from_secs(10), || link.status().state
            == LinkState::Connected)
        .await
    );
    let answer = link.send("M105").await;
    assert!(answer.is_ok(), "{answer:?} {:?}", link.record_after(0));
    assert!(!link.status().homed);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_guard_stands_in_front_of_every_send() {
    let running = twin(10, [], 1.0);
    let link = linked(&running).await;
    for (line, says) in [
        (
            "M104 S260",
            "above the ceiling of 250 °C, held down by the temperature sensor",
        ),
        ("G1 X10", "home first"),
        ("M83\nG1 E5", "no command"),
        ("M302 P1", "not among the commands"),
        ("G1 E10 F60", "strips it"),
        ("M303 E0 S249 C5", "less the swing"),
    ] {
        let refused = link.send(line).await.unwrap_err();
        assert!(
            matches!(refused, SendError::Refused(_)),
            "{line}: {refused}"
        );
        assert!(refused.to_string().contains(says), "{line}: {refused}");
    }
    assert!(ran(&running).is_empty(), "{:?}", ran(&running));
    assert!(
        link.record_after(0)
            .iter()
            .any(|w| w.text.contains("Nothing was sent"))
    );
}
