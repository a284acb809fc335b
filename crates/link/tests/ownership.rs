//! Whose heat it is: what was switched on from here is taken back, what the printer itself heats is not.
#![allow(clippy::unwrap_used, clippy::float_cmp)] // targets are whole degrees

use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

use crate::board::{Manners, Running};
use tokio::sync::Notify;
use tokio::time::{sleep, timeout};
use wattotherm_gcode::{GuardLimits, Heater, HeaterLimit};
use wattotherm_link::routines::{RoutineError, control, hold};
use wattotherm_link::{Heaters, Link, LinkOptions, LinkState, LinkStatus, Opener, SendError, Way};

fn link_to(running: &Running) -> Link {
    let opener = Opener::new(running.behind_a_pipe(4_096));
    let mut limits: GuardLimits = crate::common::limits();
    limits.tools.push(HeaterLimit::new(230.0, "the liner"));
    Link::start(opener, "a board", LinkOptions::new(limits))
}

async fn connected(manners: Manners) -> (Running, Link) {
    let running = Running::new(manners, 7);
    let link = link_to(&running);
    assert!(link.connected_within(Duration::from_secs(30)).await);
    (running, link)
}

async fn becomes(link: &Link, what: &str, holds: impl FnMut(&LinkStatus) -> bool) -> LinkStatus {
    let mut watch = link.watch();
    timeout(Duration::from_secs(60), watch.until(holds))
        .await
        .unwrap_or_else(|_| panic!("{what}: {:#?}", link.status()))
        .unwrap()
}

#[tokio::test(start_paused = true)]
async fn closing_takes_back_what_was_switched_on_from_here_and_leaves_the_rest() {
    let (running, link) = connected(Manners::Good).await;
    link.send("M104 S200").await.unwrap();
    running.look().panel(1, 60.0);
    let status = becomes(&link, "both are seen", LinkStatus::foreign_heat).await;
    let own: Vec<Heater> = status.own_heat.iter().map(|o| o.heater).collect();
    assert_eq!(own, [Heater::Tool(0)], "the bed was set at the panel");
    link.close().await;
    assert_eq!(running.look().targets_c(), [0.0, 60.0]);
    assert_eq!(
        link.status().says,
        "Closed. Heat that was not switched on from here was left alone: the bed at 60 °C."
    );
}

#[tokio::test(start_paused = true)]
async fn a_print_from_the_card_is_recognised_left_alone_and_not_disturbed() {
    let (running, link) = connected(Manners::Good).await;
    {
        let mut board = running.look();
        board.card_print = true;
        board.panel(0, 210.0);
        board.panel(1, 60.0);
    }
    becomes(&link, "the print is seen", |s| s.card_print == Some(true)).await;
    let refused = link.send("M104 S180").await.unwrap_err();
    assert!(matches!(refused, SendError::Prints { .. }), "{refused}");
    assert!(
        link.send("G28")
            .await
            .unwrap_err()
            .to_string()
            .contains("would disturb it")
    );
    assert!(link.send("M105").await.is_ok(), "asking disturbs nobody");
    link.close().await;
    assert_eq!(running.look().targets_c(), [210.0, 60.0]);
    // Only a stop by hand touches it.
    let again = link_to(&running);
    assert!(again.connected_within(Duration::from_secs(30)).await);
    again.heaters_off();
    becomes(&again, "off", |s| s.heaters == Heaters::Off).await;
    assert_eq!(running.look().targets_c(), [0.0, 0.0]);
}

#[tokio::test(start_paused = true)]
async fn heat_that_somebody_changes_at_the_panel_is_theirs_from_then_on() {
    let (running, link) = connected(Manners::Good).await;
    link.send("M104 S200").await.unwrap();
    becomes(&link, "ours", |s| {
        s.own_heat.len() == 1 && s.told.is_empty()
    })
    .await;
    running.look().panel(0, 215.0);
    becomes(&link, "theirs", |s| s.own_heat.is_empty()).await;
    link.close().await;
    assert_eq!(running.look().targets_c()[0], 215.0);
}

#[tokio::test(start_paused = true)]
async fn a_routine_owns_its_heater_and_says_so() {
    let (running, link) = connected(Manners::Good).await;
    let claim = link.claim("hold test");
    let (c, remote) = control();
    let routine = tokio::spawn(async move { hold(c, claim.link(), 180.0, 600.0).await });
    becomes(&link, "it heats", |s| s.heaters == Heaters::On).await;
    for line in ["M104 S150", "M109 S150", "M106 S255", "G28"] {
        let refused = link.send(line).await.unwrap_err();
        assert_eq!(
            refused.to_string(),
            format!(
                "The hold test has the printer while it runs. “{line}” was not sent. Stop the hold test first, or wait for its end."
            )
        );
    }
    assert!(link.send("M115").await.is_ok());
    assert_eq!(running.look().targets_c()[0], 180.0);
    // A stop ends it, whoever's heater it is.
    link.heaters_off();
    remote.stop();
    assert_eq!(routine.await.unwrap().end, Err(RoutineError::Stopped));
    becomes(&link, "off", |s| s.heaters == Heaters::Off).await;
    assert!(
        link.send("M104 S90").await.is_ok(),
        "it owns nothing any more"
    );
}

#[tokio::test(start_paused = true)]
async fn a_lowered_ceiling_ends_what_heats_above_it() {
    let (running, link) = connected(Manners::Good).await;
    let heating = link.clone();
    let waiting = tokio::spawn(async move { heating.send("M109 S240").await });
    becomes(&link, "it heats", |s| {
        s.nozzle().is_some_and(|n| n.at_c > 60.0)
    })
    .await;
    link.set_limits(GuardLimits {
        tools: vec![HeaterLimit::new(220.0, "the liner")],
        ..crate::common::limits()
    });
    let off = timeout(Duration::from_secs(5), async {
        while running.look().is_told_to_heat() {
            sleep(Duration::from_millis(10)).await;
        }
    });
    off.await.expect("set to 0");
    let _ = waiting.await.unwrap();
    assert!(link.record_after(0).iter().any(|w| {
        w.way == Way::Noted
            && w.text
                .contains("The ceiling was lowered below what was being heated to")
    }));
}

#[tokio::test(start_paused = true)]
async fn a_target_above_the_ceiling_that_is_not_ours_is_an_alarm_and_stays() {
    let (running, link) = connected(Manners::SecondTool).await;
    running.look().panel(1, 240.0);
    let status = becomes(&link, "the alarm", |s| s.alarm.is_some()).await;
    let alarm = status.alarm.unwrap();
    assert_eq!(
        (alarm.heater, alarm.target_c, alarm.ceiling_c),
        (Heater::Tool(1), 240.0, 230.0),
        "the second nozzle has a ceiling of its own"
    );
    assert_eq!(running.look().targets_c()[1], 240.0, "not ours to change");
    let refused = link.send("M104 T1 S235").await.unwrap_err().to_string();
    assert!(refused.contains("ceiling of 230 °C"), "{refused}");
}

#[tokio::test(start_paused = true)]
async fn a_stop_typed_by_hand_goes_the_stops_way() {
    for line in ["m112", "M112 ; now", "N3 M112*17"] {
        let (running, link) = connected(Manners::Good).await;
        link.send("M104 S200").await.unwrap();
        let heating = link.clone();
        // The queue is taken: whatever is typed now would wait for minutes.
        let waiting = tokio::spawn(async move { heating.send("M109 S230").await });
        becomes(&link, "it waits", |s| s.busy_with.is_some()).await;
        assert!(link.send(line).await.is_ok());
        let status = becomes(&link, "halted", |s| {
            s.state == LinkState::Halted && s.stopping.is_none()
        })
        .await;
        assert_eq!(status.heaters, Heaters::Off, "{line}");
        assert!(!running.look().heats());
        assert!(waiting.await.unwrap().is_err());
    }
}

#[tokio::test(start_paused = true)]
async fn a_heater_that_rises_though_it_is_reported_off_is_heat() {
    let (running, link) = connected(Manners::Good).await;
    becomes(&link, "off at first", |s| s.heaters == Heaters::Off).await;
    // A transistor that no longer opens: current flows, and the board knows nothing of it.
    running.look().stuck_on = Some(0);
    let status = becomes(&link, "found", |s| !s.rising.is_empty()).await;
    assert_eq!(status.heaters, Heaters::On);
    assert!(
        status.nozzle().unwrap().at_c < 120.0,
        "found late: {status:#?}"
    );
    assert!(status.metal()[0].heats);
}

#[tokio::test(start_paused = true)]
async fn a_failure_of_this_program_in_a_link_leaves_no_heater_on() {
    let running = Running::new(Manners::Good, 9);
    tokio::spawn(running.clone().live());
    let there = running.clone();
    let opened = Arc::new(AtomicU32::new(0));
    let wire = Arc::new(Notify::new());
    let (count, cut) = (Arc::clone(&opened), Arc::clone(&wire));
    let opener = Opener::new(move || {
        let (there, cut) = (there.clone(), Arc::clone(&cut));
        let n = count.fetch_add(1, Ordering::Relaxed);
        async move {
            // A defect of our own, wherever it may sit.
            assert_ne!(n, 1, "a defect");
            let (ours, theirs) = tokio::io::duplex(4_096);
            tokio::spawn(async move {
                tokio::select! {
                    () = there.serve(ours) => {}
                    () = cut.notified() => {}
                }
            });
            Ok::<_, std::io::Error>(theirs)
        }
    });
    let link = Link::start(opener, "a board", LinkOptions::new(crate::common::limits()));
    assert!(link.connected_within(Duration::from_secs(30)).await);
    link.send("M104 S200").await.unwrap();
    becomes(&link, "it heats", |s| s.heaters == Heaters::On).await;
    wire.notify_one();
    let mut watch = link.watch();
    let lost = watch.until(|s| s.state == LinkState::Lost);
    timeout(Duration::from_secs(10), lost).await.unwrap();
    assert_eq!(
        running.look().targets_c()[0],
        200.0,
        "nobody could say it yet"
    );
    becomes(&link, "taken back", |s| s.heaters == Heaters::Off).await;
    assert_eq!(running.look().targets_c()[0], 0.0);
    assert!(opened.load(Ordering::Relaxed) >= 3);
}

#[tokio::test(start_paused = true)]
async fn releasing_a_printer_before_its_stop_is_confirmed_forgets_nothing() {
    // One that hears nothing while it heats: released or not, nobody may say that it is off.
    let (running, link) = connected(Manners::DeafWhileHeating).await;
    let heating = link.clone();
    tokio::spawn(async move { heating.send("M109 S240").await });
    becomes(&link, "it heats", |s| {
        s.nozzle().is_some_and(|n| n.at_c > 40.0)
    })
    .await;
    link.emergency_stop();
    becomes(&link, "halted", |s| s.state == LinkState::Halted).await;
    link.release();
    for _ in 0..200 {
        sleep(Duration::from_millis(100)).await;
        let status = link.status();
        assert!(running.look().is_told_to_heat());
        assert_ne!(status.heaters, Heaters::Off, "{status:#?}");
        assert!(status.stopping.is_some(), "{status:#?}");
    }
    // One that hears: released, zeroed, and confirmed.
    let (running, link) = connected(Manners::Good).await;
    link.send("M104 S200").await.unwrap();
    link.emergency_stop();
    link.release();
    becomes(&link, "connected and off", |s| {
        s.state == LinkState::Connected && s.heaters == Heaters::Off && s.stopping.is_none()
    })
    .await;
    assert!(!running.look().is_told_to_heat());
    assert!(link.send("M104 S60").await.is_ok());
}
