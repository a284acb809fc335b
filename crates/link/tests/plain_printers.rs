//! Printers that are less able than the twin, played from a script, and work that goes wrong.
#![allow(clippy::unwrap_used)]

use std::sync::{Arc, Mutex};
use std::time::Duration;

use crate::common::{linked, options, twin};
use tokio::io::{AsyncBufReadExt as _, AsyncWriteExt as _, BufReader};
use tokio::time::{sleep, timeout};
use wattotherm_gcode::{GuardLimits, Heater, HeaterLimit, unframed};
use wattotherm_link::routines::{RoutineError, control, hold, warm, write_settings};
use wattotherm_link::{Heaters, Link, LinkState, Opener, SendError, Way};
use wattotherm_twin::Fault;

/// A printer that answers each command as the script says; `None` means not at all.
struct Scripted {
    heard: Arc<Mutex<Vec<String>>>,
    opener: Opener,
}

impl Scripted {
    fn new(answer: fn(&str) -> Option<String>) -> Self {
        let heard = Arc::new(Mutex::new(Vec::new()));
        let noted = Arc::clone(&heard);
        let opener = Opener::new(move || {
            let noted = Arc::clone(&noted);
            async move {
                let (ours, theirs) = tokio::io::duplex(16 * 1024);
                tokio::spawn(async move {
                    let (read, mut write) = tokio::io::split(ours);
                    let mut lines = BufReader::new(read).lines();
                    while let Ok(Some(line)) = lines.next_line().await {
                        if line.trim().is_empty() {
                            continue;
                        }
                        let command = unframed(&line).unwrap().1.to_owned();
                        noted.lock().unwrap().push(command.clone());
                        if let Some(text) = answer(&command)
                            && write.write_all(text.as_bytes()).await.is_err()
                        {
                            return;
                        }
                    }
                });
                Ok::<_, std::io::Error>(theirs)
            }
        });
        Self { heard, opener }
    }

    fn link(&self) -> Link {
        Link::start(self.opener.clone(), "a script", options())
    }

    fn heard(&self) -> Vec<String> {
        self.heard.lock().unwrap().clone()
    }
}

/// Without automatic reports, without busy lines: what old boards say.
fn old_board(command: &str) -> Option<String> {
    Some(match command.split(' ').next().unwrap_or_default() {
        "M155" => "echo:Unknown command: \"M155\"\nok\n".into(),
        "M105" => "ok T:21.50 /0.00 B:21.00 /0.00 @:0\n".into(),
        _ => "ok\n".into(),
    })
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_board_without_automatic_reports_is_asked() {
    let printer = Scripted::new(old_board);
    let link = printer.link();
    assert!(link.connected_within(Duration::from_secs(5)).await);
    let first = link.samples_after(Heater::Tool(0), -1.0).len();
    sleep(Duration::from_secs(7)).await;
    assert!(
        link.samples_after(Heater::Tool(0), -1.0).len() > first,
        "it is asked again and again"
    );
    assert!(link.status().fresh && link.status().heaters == Heaters::Off);
    assert_eq!(
        link.send("M155 S1").await,
        Err(SendError::NotKnown {
            line: "M155 S1".into()
        })
    );
}

fn complaining(command: &str) -> Option<String> {
    Some(match command.split(' ').next().unwrap_or_default() {
        "M105" => "ok T:21.50 /0.00 B:21.00 /0.00 @:0\n".into(),
        "G28" => "Error:homing failed\nok\n".into(),
        "M500" => "Error:memory can’t be written\nok\n".into(),
        _ => "ok\n".into(),
    })
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_the_printer_complains_about_is_told_in_its_words() {
    let printer = Scripted::new(complaining);
    let link = printer.link();
    assert!(link.connected_within(Duration::from_secs(5)).await);
    let failed = link.send("G28").await.unwrap_err();
    assert_eq!(failed.to_string(), "The printer says: homing failed");
    assert_eq!(
        link.status().state,
        LinkState::Connected,
        "no reason to stop"
    );
    // This board's report holds nothing of what was set: said as not taken, and nothing is stored.
    let written = write_settings(&link, &["M92 E100".into()]).await.unwrap();
    assert!(
        written
            .says
            .starts_with("Not taken: M92 E is nothing, not 100"),
        "{}",
        written.says
    );
    assert!(!printer.heard().iter().any(|c| c == "M500"));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_refused_line_ends_a_writing_before_anything_else_is_sent() {
    let running = twin(31, [], 5.0);
    let link = linked(&running).await;
    let lines = [
        "M92 E410".to_owned(),
        "M301 P99999".into(),
        "M851 Z-1".into(),
    ];
    let refused = write_settings(&link, &lines).await.unwrap_err();
    assert!(
        refused
            .to_string()
            .contains("M301 P99999 is not possible: 0.01 to 1200"),
        "{refused}"
    );
    let ran = running.look().ran.clone();
    assert!(
        ran.iter().any(|c| c == "M92 E410")
            && !ran.iter().any(|c| c.starts_with("M851") || c == "M500"),
        "{ran:?}"
    );
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_heater_that_never_gets_there_ends_the_hold_with_its_log() {
    let running = twin(32, [Fault::HeaterWeak, Fault::SockMissing], 150.0);
    let link = linked(&running).await;
    let (c, _remote) = control();
    let logged = timeout(Duration::from_secs(60), hold(c, &link, 245.0, 60.0))
        .await
        .unwrap();
    let end = logged.end.unwrap_err();
    // Either the routine sees that it stands still, or the printer's own protection does.
    let said = end.to_string();
    assert!(
        matches!(end, RoutineError::NotReached { .. }) && said.contains("245 °C was wanted")
            || said.contains("halted itself"),
        "{said}"
    );
    assert!(logged.trace.samples.len() > 60);
    sleep(Duration::from_millis(300)).await;
    assert_eq!(running.look().targets_c(), (0.0, 0.0));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_sensor_that_breaks_off_halts_the_printer_and_the_link_says_so() {
    let running = twin(33, [], 60.0);
    let link = linked(&running).await;
    link.send("M104 S200").await.unwrap();
    let mut watch = link.watch();
    watch
        .until(|s| s.nozzle().is_some_and(|t| t.at_c > 100.0))
        .await
        .unwrap();
    running.look().world.build.sensor = wattotherm_heat::SensorTable::Platinum { r0_ohm: 1e9 };
    let halted = timeout(
        Duration::from_secs(20),
        watch.until(|s| s.state == LinkState::Halted),
    )
    .await;
    let status = halted.unwrap().unwrap();
    assert!(
        status.says.contains("halted itself") && status.says.contains("sensor out of range"),
        "{}",
        status.says
    );
    assert_eq!(link.send("M104 S150").await, Err(SendError::Halted));
    // The halting itself is no proof; a report with zeros is.
    let off = timeout(
        Duration::from_secs(5),
        watch.until(|s| s.heaters == Heaters::Off),
    )
    .await;
    assert_eq!(off.unwrap().unwrap().state, LinkState::Halted);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn staying_hot_is_only_for_what_ended_well() {
    let running = twin(34, [], 100.0);
    let link = linked(&running).await;
    let (c, _remote) = control();
    warm(c, &link, 190.0).await.end.unwrap();
    assert!(
        (running.look().targets_c().0 - 190.0).abs() < 0.1,
        "hot for the hands"
    );
    let (c, remote) = control();
    remote.stop();
    assert_eq!(warm(c, &link, 200.0).await.end, Err(RoutineError::Stopped));
    sleep(Duration::from_millis(500)).await;
    assert_eq!(running.look().targets_c(), (0.0, 0.0));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_record_keeps_the_order_and_who_said_what() {
    let running = twin(35, [], 5.0);
    let link = linked(&running).await;
    link.send("M503").await.unwrap();
    let _ = link.send("M999999").await;
    let record = link.record_after(0);
    assert!(
        record
            .windows(2)
            .all(|w| w[0].seq < w[1].seq && w[0].t_s <= w[1].t_s)
    );
    let at = |way: Way, text: &str| {
        record
            .iter()
            .position(|w| w.way == way && w.text.contains(text))
    };
    let (asked, told) = (
        at(Way::Sent, "M503").unwrap(),
        at(Way::Answered, "M92 X80.00").unwrap(),
    );
    assert!(asked < told);
    assert!(at(Way::Noted, "Nothing was sent").is_some());
    let middle = record[record.len() / 2].seq;
    assert!(link.record_after(middle).iter().all(|w| w.seq > middle));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn new_limits_bind_the_next_command() {
    let running = twin(36, [], 5.0);
    let link = linked(&running).await;
    link.send("M104 S240").await.unwrap();
    link.set_limits(GuardLimits {
        tools: vec![HeaterLimit::new(220.0, "the liner")],
        ..crate::common::limits()
    });
    let lowered = timeout(Duration::from_millis(400), async {
        while (running.look().targets_c().0 - 220.0).abs() > 0.1 {
            sleep(Duration::from_millis(5)).await;
        }
    });
    lowered
        .await
        .expect("a target that stands above it is lowered at once");
    assert!(link.record_after(0).iter().any(|w| {
        w.way == Way::Noted
            && w.text
                .contains("The target of the nozzle stood at 240 °C, above the ceiling of 220 °C")
    }));
    let refused = link.send("M104 S240").await.unwrap_err();
    assert!(
        refused
            .to_string()
            .contains("ceiling of 220 °C, held down by the liner"),
        "{refused}"
    );
}
