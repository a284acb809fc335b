//! The same link code over a pseudo-terminal as a serial port, over TCP, and in the same process.
#![allow(clippy::unwrap_used)]

use std::time::Duration;

use crate::common::{linked, options, twin};
use wattotherm_heat::{PhysicalLimits, SETTLE_BAND_C, TraceClass, read_class};
use wattotherm_link::routines::{autotune, control, hold, limit, verify, write_settings};
use wattotherm_link::{Address, Heaters, Link, LinkState};
use wattotherm_twin::Fault;

/// The same piece of work, whatever the wire.
async fn works(link: &Link) {
    assert!(
        link.connected_within(Duration::from_secs(20)).await,
        "{:?}",
        link.status()
    );
    let written = write_settings(link, &["M301 P30 I2 D100".into(), "M92 E417.25".into()])
        .await
        .unwrap();
    assert!(
        written.not_taken.is_empty() && written.not_stored.is_empty(),
        "{written:?}"
    );
    assert!(written.report.contains("M92 X80.00 Y80.00 Z400.00 E417.25"));
    link.send("G28").await.unwrap();
    assert!(link.status().homed);
    link.send("M104 S60").await.unwrap();
    let mut watch = link.watch();
    watch.until(|s| s.heaters == Heaters::On).await.unwrap();
    link.close().await;
    assert_eq!(link.status().state, LinkState::Closed);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn in_the_same_process() {
    let running = twin(1, [], 20.0);
    works(&linked(&running).await).await;
    assert_eq!(running.look().targets_c(), (0.0, 0.0));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn over_tcp() {
    let running = twin(2, [], 20.0);
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let host = listener.local_addr().unwrap().to_string();
    let printer = running.clone();
    tokio::spawn(async move { printer.serve_tcp(listener).await });
    let address = Address::Tcp { host };
    works(&Link::start(address.opener(), &address.says(), options())).await;
    assert_eq!(running.look().targets_c(), (0.0, 0.0));
}

#[cfg(unix)]
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn over_a_pseudo_terminal_as_a_serial_port() {
    let running = twin(3, [], 20.0);
    let (port, _kept) = running.pty().unwrap();
    let address = Address::Serial {
        port,
        baud: 115_200,
    };
    works(&Link::start(address.opener(), &address.says(), options())).await;
    assert_eq!(running.look().targets_c(), (0.0, 0.0));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_address_where_nobody_is_says_so() {
    let address = Address::Tcp {
        host: "127.0.0.1:1".into(),
    };
    let link = Link::start(address.opener(), &address.says(), options());
    let mut watch = link.watch();
    let status = watch
        .until(|s| s.state == LinkState::Lost)
        .await
        .unwrap()
        .clone();
    assert!(
        status.says.contains("127.0.0.1:1 can’t be opened"),
        "{}",
        status.says
    );
    link.close().await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn routines_do_their_work_and_leave_the_heater_off() {
    let running = twin(4, [], 120.0);
    let link = linked(&running).await;
    let (c, remote) = control();
    let held = hold(c, &link, 200.0, 150.0).await;
    held.end.unwrap();
    assert!(remote.progress.now().part > 0.95);
    let reading = read_class(&held.trace, &PhysicalLimits::default());
    assert!(
        matches!(reading.class, TraceClass::Steady | TraceClass::LoopSwinging),
        "{reading:?}"
    );
    let (c, _remote) = control();
    let tuned = autotune(c, &link, 200.0, 5, 0.0).await;
    let report = tuned.end.unwrap().report;
    assert!(
        report.ku.unwrap() > 5.0 && report.tu_s.unwrap() > 3.0,
        "{report:?}"
    );
    let (p, i, d) = (
        report.kp.unwrap() / 2.0,
        report.ki.unwrap() / 4.0,
        report.kd.unwrap(),
    );
    let line = format!("M301 P{p:.2} I{i:.2} D{d:.2}");
    write_settings(&link, &[line]).await.unwrap();
    let (c, _remote) = control();
    let verified = verify(c, &link, 200.0).await;
    let figures = verified.end.unwrap().figures;
    assert!(figures.overshoot_c.unwrap() < 5.0, "{figures:?}");
    assert!(figures.hold_sd_c.unwrap() < SETTLE_BAND_C, "{figures:?}");
    assert!(
        figures.dip_c.is_some() && figures.settle_s.is_some(),
        "{figures:?}"
    );
    let mut watch = link.watch();
    watch.until(|s| s.heaters == Heaters::Off).await.unwrap();
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_routine_is_stopped_by_hand_and_its_log_is_kept() {
    let running = twin(5, [], 30.0);
    let link = linked(&running).await;
    let (c, remote) = control();
    let working = link.clone();
    let run = tokio::spawn(async move { autotune(c, &working, 200.0, 8, 0.0).await });
    let mut watch = link.watch();
    watch
        .until(|s| s.nozzle().is_some_and(|t| t.at_c > 80.0))
        .await
        .unwrap();
    remote.stop();
    let logged = tokio::time::timeout(Duration::from_secs(15), run)
        .await
        .unwrap()
        .unwrap();
    assert_eq!(
        logged.end.unwrap_err().to_string(),
        "Stopped by hand. Heaters are set to 0."
    );
    assert!(!logged.trace.samples.is_empty());
    watch.until(|s| s.heaters == Heaters::Off).await.unwrap();
    assert!(running.look().is_idle());
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn settings_that_are_not_kept_are_noticed_at_once() {
    let running = twin(6, [Fault::SettingsNotSaved], 5.0);
    let link = linked(&running).await;
    let written = write_settings(&link, &["M301 P30 I2 D100".into()])
        .await
        .unwrap();
    assert!(written.not_taken.is_empty());
    assert_eq!(written.not_stored.len(), 3, "{written:?}");
    assert!(
        written.says.contains("M301 P is 22.4, not 30"),
        "{}",
        written.says
    );
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_firmware_limit_that_is_too_low_is_found_by_asking() {
    let running = twin(7, [Fault::LimitTooLow], 5.0);
    let link = linked(&running).await;
    let (c, _remote) = control();
    assert!((limit(c, &link, 235.0).await.unwrap() - 215.0).abs() < 0.1);
    let healthy = twin(7, [], 5.0);
    let link = linked(&healthy).await;
    let (c, _remote) = control();
    assert!((limit(c, &link, 235.0).await.unwrap() - 235.0).abs() < 0.1);
}
