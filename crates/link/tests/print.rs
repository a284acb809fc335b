//! A print over the wire: all of it once and in order, paused and gone on with, stopped, cut, and how fast.
#![allow(clippy::unwrap_used, clippy::cast_precision_loss)]

use std::sync::atomic::Ordering;
use std::time::Duration;

use crate::common::{Mischief, Wire, linked, options, twin, within};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::sync::mpsc;
use tokio::time::{Instant, sleep, timeout};
use wattotherm_gcode::Heater;
use wattotherm_link::routines::{
    PrintClock, PrintStep, Printed, Remote, RoutineError, control, print,
};
use wattotherm_link::{Heaters, Link, LinkState, Opener};
use wattotherm_twin::port::Running;

const MOVES: usize = 400;

/// A square, many times over, written as it goes out.
fn part() -> Vec<String> {
    let mut all: Vec<String> = [
        "G90",
        "M83",
        "M104 S200",
        "M109 S200",
        "G28",
        "G0 Z0.2 F600",
    ]
    .map(str::to_owned)
    .into();
    all.push("G1 F3000".into());
    for i in 0..MOVES {
        let (x, y) = [(50, 50), (56, 50), (56, 56), (50, 56)][i % 4];
        // Each is told from the others by what it feeds; no number ends in a zero.
        all.push(format!("G1 X{x} Y{y} E0.{}", 1_001 + 10 * i));
    }
    all.push("M104 S0".into());
    all
}

fn clock(lines: usize) -> PrintClock {
    PrintClock {
        layers: vec![(7, 0.2, 0.0), (200, 0.4, 30.0)],
        lines: lines as u64,
        seconds: 60.0,
    }
}

/// Starts a print of these lines; its remote, and what will come of it.
fn begin(link: &Link, lines: Vec<String>) -> (Remote, tokio::task::JoinHandle<Printed>) {
    let (control, remote) = control();
    let link = link.clone();
    let task = tokio::spawn(async move {
        let claim = link.claim_alone("print");
        let (put, take) = mpsc::channel(64);
        let clock = clock(lines.len());
        tokio::spawn(async move {
            for (i, text) in lines.into_iter().enumerate() {
                let number = i as u64 + 1;
                let step = match text.as_str() {
                    "M0" => PrintStep::Person { number },
                    _ => PrintStep::Line { number, text },
                };
                if put.send(step).await.is_err() {
                    return;
                }
            }
        });
        print(
            control,
            claim.link(),
            take,
            clock,
            &[],
            &[Heater::Tool(0), Heater::Bed],
        )
        .await
    });
    (remote, task)
}

/// Moves of the part that the printer ran, in order.
fn laid(running: &Running) -> Vec<String> {
    let ran = running.look().ran.clone();
    ran.into_iter()
        .filter(|l| l.starts_with("G1 X") && l.contains('E'))
        .collect()
}

fn wanted() -> Vec<String> {
    part()
        .into_iter()
        .filter(|l| l.starts_with("G1 X"))
        .collect()
}

const LONG: Duration = Duration::from_secs(60);

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_print_goes_out_whole_once_and_in_order_and_leaves_the_heaters_off() {
    let running = twin(3, [], 60.0);
    let link = linked(&running).await;
    let (remote, task) = begin(&link, part());
    let mut layers = Vec::new();
    let mut watch = remote.progress.clone();
    let seen = tokio::spawn(async move {
        while let Some(p) = watch.next().await {
            layers.extend(p.print.map(|p| p.layer));
        }
        layers
    });
    let printed = timeout(LONG, task).await.unwrap().unwrap();
    assert_eq!(printed.end, Ok(()));
    assert_eq!(laid(&running), wanted());
    assert_eq!(printed.place.line, part().len() as u64);
    drop(remote);
    let layers = seen.await.unwrap();
    assert!(layers.contains(&1) && layers.contains(&2), "{layers:?}");
    assert!(within(LONG, || link.status().heaters == Heaters::Off).await);
    // Heating is no printing: a square of 24 mm at 50 mm/s takes no minute of the nozzle's.
    let moved = running.look().moved_s();
    assert!(
        (printed.seconds - moved).abs() < 0.25 * moved + 4.0,
        "{} s printed, {moved} s moved",
        printed.seconds
    );
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_bad_wire_loses_and_doubles_nothing_of_a_print() {
    let mischiefs = [
        Mischief {
            garbled: 0.002,
            ..Mischief::default()
        },
        Mischief {
            dropped: 0.002,
            ..Mischief::default()
        },
        Mischief {
            doubled: 0.02,
            swallowed: 0.01,
            ..Mischief::default()
        },
        Mischief {
            storm: 0.01,
            ..Mischief::default()
        },
    ];
    for (i, mischief) in mischiefs.into_iter().enumerate() {
        let running = twin(5, [], 60.0);
        let wire = Wire::new(&running, mischief, 11 + i as u64);
        let link = wire.link();
        assert!(link.connected_within(LONG).await);
        let (_remote, task) = begin(&link, part());
        let printed = timeout(2 * LONG, task).await.unwrap().unwrap();
        let laid = laid(&running);
        assert!(
            wanted().starts_with(&laid),
            "{mischief:?}: something twice or out of order"
        );
        // A wire that can't be trusted may end it, and then says so.
        if printed.end.is_ok() {
            assert_eq!(laid.len(), MOVES, "{mischief:?}");
        } else {
            assert!(
                matches!(&printed.end, Err(RoutineError::Broken { says }) if !says.is_empty())
                    || matches!(printed.end, Err(RoutineError::Send(_))),
                "{mischief:?}: {:?}",
                printed.end
            );
        }
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_pause_lifts_the_head_keeps_the_heat_and_goes_on_where_it_was() {
    let running = twin(7, [], 60.0);
    let link = linked(&running).await;
    let mut lines = part();
    // The file itself asks for a person once, too.
    lines.insert(210, "M0".into());
    let (remote, task) = begin(&link, lines);
    assert!(within(LONG, || laid(&running).len() > 20).await);
    remote.pause(true);
    let paused = |p: &wattotherm_link::routines::Progress| p.says.starts_with("paused");
    assert!(within(LONG, || paused(&remote.progress.now())).await);
    let count = laid(&running).len();
    let z = link.machine().await.place_mm[2].unwrap();
    assert!((z - 10.2).abs() < 1e-6, "lifted to {z}");
    assert!(running.look().targets_c().0 > 199.0, "heaters are kept");
    // Nobody else moves the head meanwhile, or changes how moves count; questions are answered.
    for line in [
        "G1 X10",
        "G91",
        "M82",
        "M92 E100",
        "M204 S100",
        "M500",
        "M106 S0",
    ] {
        let refused = link.send(line).await;
        assert!(
            matches!(refused, Err(wattotherm_link::SendError::Owned { .. })),
            "{line}: {refused:?}"
        );
    }
    assert!(link.send("M105").await.is_ok());
    sleep(Duration::from_millis(200)).await;
    assert_eq!(laid(&running).len(), count, "nothing is laid in a pause");
    remote.pause(false);
    assert!(
        within(LONG, || paused(&remote.progress.now())
            && laid(&running).len() > count)
        .await,
        "it pauses again where the file asks for a person"
    );
    assert!(remote.progress.now().says.contains("the file asks for you"));
    remote.pause(false);
    let printed = timeout(LONG, task).await.unwrap().unwrap();
    assert_eq!(printed.end, Ok(()));
    assert!(printed.paused_s > 1.0);
    assert_eq!(laid(&running), wanted());
    // What was taken back was given again, and the height is the file's.
    let ran = running.look().ran.clone();
    let times = |line: &str| ran.iter().filter(|l| *l == line).count();
    assert_eq!((times("G1 E-1 F1800"), times("G1 E1 F1800")), (2, 2));
    assert_eq!((times("G0 Z10.2 F600"), times("G0 Z0.2 F600")), (2, 3));
    assert_eq!(times("G1 F3000"), 3, "the speed is the file’s again");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn near_the_top_a_pause_lifts_as_far_as_there_is_room() {
    let running = twin(8, [], 60.0);
    let link = linked(&running).await;
    let lines: Vec<String> = part()
        .into_iter()
        .map(|l| l.replace("G0 Z0.2 F600", "G0 Z244 F60000"))
        .collect();
    let (remote, task) = begin(&link, lines);
    assert!(within(LONG, || laid(&running).len() > 5).await);
    remote.pause(true);
    assert!(within(LONG, || remote.progress.now().says.starts_with("paused")).await);
    let z = link.machine().await.place_mm[2].unwrap();
    assert!((z - 249.0).abs() < 1e-6, "of 250 mm there are 6 left: {z}");
    remote.pause(false);
    let printed = timeout(LONG, task).await.unwrap().unwrap();
    assert_eq!(printed.end, Ok(()));
    let ran = running.look().ran.clone();
    assert!(
        ran.iter().any(|l| l == "G0 Z244 F600"),
        "down to where it was"
    );
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_stop_takes_the_heat_away_first_and_then_lifts_the_head() {
    let running = twin(9, [], 40.0);
    let link = linked(&running).await;
    let (remote, task) = begin(&link, part());
    assert!(within(LONG, || laid(&running).len() > 20).await);
    remote.stop();
    let printed = timeout(LONG, task).await.unwrap().unwrap();
    assert_eq!(printed.end, Err(RoutineError::Stopped));
    assert!(printed.lifted);
    assert!(printed.place.line > 20 && printed.place.line < 300);
    assert!(laid(&running).len() < 120, "what waited was withdrawn");
    assert!((running.look().targets_c().0).abs() < 1e-9);
    let ran = running.look().ran.clone();
    let at = |line: &str| ran.iter().rposition(|l| l == line).unwrap();
    assert!(
        at("M104 S0") < at("G0 Z10.2 F600"),
        "{:?}",
        &ran[ran.len() - 8..]
    );
    assert!(within(LONG, || link.status().heaters == Heaters::Off).await);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_print_that_is_stopped_before_it_is_homed_does_not_say_that_the_head_was_lifted() {
    let running = twin(10, [], 20.0);
    let link = linked(&running).await;
    let (remote, task) = begin(&link, part());
    assert!(within(LONG, || remote.progress.now().says.starts_with("heating")).await);
    remote.stop();
    let printed = timeout(LONG, task).await.unwrap().unwrap();
    assert_eq!(printed.end, Err(RoutineError::Stopped));
    assert!(!printed.lifted && printed.place.layer == 0);
    assert!(running.look().targets_c().0.abs() < 1e-9);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_cut_wire_ends_a_print_and_the_heat_goes_off_as_soon_as_it_is_back() {
    let running = twin(13, [], 40.0);
    let wire = Wire::new(&running, Mischief::default(), 1);
    let link = wire.link();
    assert!(link.connected_within(LONG).await);
    let (_remote, task) = begin(&link, part());
    assert!(within(LONG, || laid(&running).len() > 20).await);
    wire.cut.store(true, Ordering::Relaxed);
    let printed = timeout(LONG, task).await.unwrap().unwrap();
    assert!(
        matches!(&printed.end, Err(RoutineError::Broken { says }) if says.contains("Not connected")),
        "{:?}",
        printed.end
    );
    assert!(printed.place.line > 20, "where it ended is told");
    assert!(running.look().targets_c().0 > 199.0, "nobody could say it");
    wire.cut.store(false, Ordering::Relaxed);
    assert!(
        within(LONG, || link.status().state == LinkState::Connected
            && link.status().heaters == Heaters::Off)
        .await
    );
    assert!(running.look().targets_c().0.abs() < 1e-9);
    let count = laid(&running).len();
    sleep(Duration::from_millis(300)).await;
    assert_eq!(laid(&running).len(), count, "nothing goes on by itself");
}

/// A board written for this test alone, at the end of a line of so many bytes a second that is as late as a USB
/// converter is: takes each line when its last byte is there, and says `ok`.
async fn slow_board(mut wire: tokio::io::DuplexStream, bytes_s: f64, late: Duration) {
    let (mut line, mut one) = (Vec::new(), [0_u8; 1]);
    let mut said = std::collections::VecDeque::new();
    let mut hot = 0;
    let began = Instant::now();
    let mut free_at = began;
    loop {
        let until = said.front().map_or_else(
            || Instant::now() + Duration::from_secs(3600),
            |(t, _): &(Instant, String)| *t,
        );
        tokio::select! {
            biased;
            () = tokio::time::sleep_until(until) => {
                let (_, text) = said.pop_front().unwrap();
                if wire.write_all(text.as_bytes()).await.is_err() {
                    return;
                }
            }
            n = wire.read(&mut one) => {
                if !matches!(n, Ok(1)) {
                    return;
                }
                // Each byte has its own time on the wire.
                free_at = free_at.max(Instant::now()) + Duration::from_secs_f64(1.0 / bytes_s);
                if one[0] != b'\n' {
                    line.push(one[0]);
                    continue;
                }
                let text = String::from_utf8(std::mem::take(&mut line)).unwrap();
                hot = if text.contains("M109") { 200 } else { hot };
                let answer = if text.contains("M105") {
                    format!("ok T:{hot}.0 /{hot}.0 B:20.0 /0.0 @:0 B@:0\n")
                } else if text.contains("M114") {
                    "X:0.00 Y:0.00 Z:0.00 E:0.00\nok\n".into()
                } else {
                    "ok\n".into()
                };
                said.push_back((free_at + late, answer));
            }
        }
    }
}

/// Moves a second on a wire of 115 200 baud, answers 2 ms late: in simulated time.
async fn moves_a_second(one_by_one: bool) -> f64 {
    let opener = Opener::new(move || async move {
        let (ours, theirs) = tokio::io::duplex(4096);
        // Ten bits a byte.
        tokio::spawn(slow_board(ours, 11_520.0, Duration::from_millis(2)));
        Ok::<_, std::io::Error>(theirs)
    });
    let link = Link::start(opener, "a slow wire", options());
    assert!(link.connected_within(LONG).await);
    for line in ["G90", "M83", "M109 S200", "M105", "G28", "G1 F3000"] {
        link.send(line).await.unwrap();
    }
    let began = Instant::now();
    let mut answers = Vec::new();
    for i in 0..MOVES {
        let line = format!("G1 X{:.3} Y{:.3} E0.01234", 50.0 + i as f64 * 0.01, 60.111);
        if one_by_one {
            link.send(&line).await.unwrap();
        } else {
            answers.push(link.stream(&line));
        }
    }
    for answer in answers {
        answer.await.unwrap();
    }
    MOVES as f64 / began.elapsed().as_secs_f64()
}

#[tokio::test(start_paused = true)]
async fn a_small_window_brings_the_wire_near_what_it_can_carry() {
    let alone = moves_a_second(true).await;
    let window = moves_a_second(false).await;
    // 170 one by one, 330 with the window.
    // About 35 bytes a line: 330 a second is all that the wire carries.
    assert!(
        window > 1.4 * alone && window > 280.0 && window < 340.0,
        "{alone} {window}"
    );
}
