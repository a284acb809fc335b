//! Logs as programs write them: clocks, units, columns; and what was once misread.
#![allow(clippy::unwrap_used, clippy::cast_precision_loss)]

use wattotherm_heat::{
    DutyScale, PhysicalLimits, ReadAs, SegmentKind, TemperatureUnit, TimeUnit, TraceClass,
    read_class, read_trace, read_trace_as,
};

/// A sound hold with its heat-up, a line a second, written by `line`.
fn sound(line: impl Fn(u32, f64, f64) -> String) -> String {
    (0..420)
        .map(|i| {
            let t = f64::from(i);
            let ripple = 0.25 * (t * 0.9).sin() + 0.15 * (t * 2.3).cos();
            let temp = if t < 90.0 {
                22.0 + 2.0 * t
            } else {
                201.5 + ripple.min(0.4)
            };
            line(i, temp, 202.0)
        })
        .collect::<Vec<_>>()
        .join("\n")
}

fn class_of(text: &str) -> TraceClass {
    let file = read_trace(text);
    assert!(file.trace.samples.len() > 300, "{:?}", file.diagnostics);
    read_class(&file.trace, &PhysicalLimits::default()).class
}

#[test]
fn clocks_of_every_kind_give_the_same_log() {
    let clock = |i: u32| {
        format!(
            "{:02}:{:02}:{:02}",
            (23 + (i + 3500) / 3600) % 24,
            (i + 3500) / 60 % 60,
            (i + 3500) % 60
        )
    };
    let files = [
        sound(|i, t, g| format!("{i},{t:.2},{g}")),
        sound(|i, t, g| format!("{},{t:.2},{g}", clock(i))),
        sound(|i, t, g| {
            format!(
                "2026-11-2{}T{}Z,{t:.2},{g}",
                if i < 100 { 5 } else { 6 },
                clock(i)
            )
        }),
        sound(|i, t, g| {
            format!(
                "2026-11-2{} {}.000,{t:.2},{g}",
                if i < 100 { 5 } else { 6 },
                clock(i)
            )
        }),
        sound(|i, t, g| format!("{},{t:.2},{g}", 1_780_000_000_000_u64 + u64::from(i) * 1000)),
        sound(|i, t, g| format!("{},{t:.2},{g}", 1_780_000_000 + i)),
    ];
    for body in files {
        let file = read_trace(&format!("Time,Actual,Target\n{body}"));
        assert!(file.diagnostics.is_empty(), "{:?}", file.diagnostics);
        assert_eq!(file.trace.samples.len(), 420);
        assert!(
            (file.trace.span_s() - 419.0).abs() < 1e-6,
            "{}",
            file.trace.span_s()
        );
    }
}

#[test]
fn a_clock_goes_on_past_midnight() {
    let file =
        read_trace("time,temp\n23:59:58,200\n23:59:59,200.1\n00:00:00,200.2\n00:00:03,200.1\n");
    let times: Vec<f64> = file.trace.samples.iter().map(|s| s.t_s).collect();
    assert_eq!(times, [0.0, 1.0, 2.0, 5.0]);
}

#[test]
fn a_serial_log_goes_on_past_midnight_and_may_carry_dates() {
    let times = |text: &str| -> Vec<f64> {
        read_trace(text)
            .trace
            .samples
            .iter()
            .map(|s| s.t_s)
            .collect()
    };
    let clocks = [
        "23:59:58.500",
        "[23:59:59.500]",
        "00:00:00.500",
        "00:00:02.500 Recv:",
    ];
    let dates = [
        "2026-11-25 23:59:58",
        "[2026-11-25 23:59:59]",
        "2026-11-26T00:00:00Z",
        "2026-11-26 00:00:02,",
    ];
    for stamps in [clocks, dates] {
        let text: String = stamps
            .iter()
            .map(|s| format!("{s} ok T:205.10 /210.00 B:60.00 /60.00 @:87 B@:0\n"))
            .collect();
        assert_eq!(times(&text), [0.0, 1.0, 2.0, 4.0], "{text}");
    }
}

#[test]
fn fahrenheit_is_read_where_the_heading_says_so() {
    let fahrenheit = sound(|i, t, g| format!("{i},{:.1},{:.1}", 1.8 * g + 32.0, 1.8 * t + 32.0));
    let file = read_trace(&format!(
        "time (s);setpoint (°F);nozzle (°F)\n{}",
        fahrenheit.replace(',', ";")
    ));
    // 202 °C: 1.8 · 202 + 32 = 395.6 °F (ISO 80000-5).
    assert_eq!(file.trace.main_target_c(), Some(202.0));
    assert!(file.notes.iter().any(|n| n.contains("°F")));
    // Even without the heading a hold in °F is no broken sensor, and no loop to tune.
    let class = class_of(&format!("time,target,actual\n{fahrenheit}"));
    assert!(!class.is_fault() && !class.is_the_loop(), "{class:?}");
}

#[test]
fn columns_are_found_in_any_order_and_the_bed_is_no_nozzle() {
    let text = "Bed actual;Bed target;Fan;Nozzle target;Duty;Nozzle actual;Uptime (ms)\n60,1;60;0,5;210;0,4;209,7;1500\n60,0;60;0,5;210;0,5;209,9;2500\n";
    let file = read_trace(text);
    let s = file.trace.samples[1];
    assert_eq!(
        (s.t_s, s.temp_c, s.target_c, s.duty, s.fan),
        (1.0, 209.9, Some(210.0), Some(0.5), Some(0.5))
    );
}

#[test]
fn a_hold_at_360_is_no_short_and_a_cold_room_no_open_circuit() {
    let hot = sound(|i, t, _| format!("{i},{:.2},360", t + 158.0 + f64::from(i % 7) * 0.05));
    assert_eq!(
        class_of(&format!("time_s,temp,target\n{hot}")),
        TraceClass::Steady
    );
    let cold = sound(|i, _, _| format!("{i},{:.1},0", 0.4 + f64::from(i % 3) * 0.2));
    assert_eq!(
        class_of(&format!("time_s,temp,target\n{cold}")),
        TraceClass::TooShort
    );
}

#[test]
fn a_pause_is_a_piece_of_its_own_and_the_verdict_names_the_hold_that_swings() {
    let text: String = (0..1500_u32)
        .map(|i| {
            let t = f64::from(i);
            let (target, temp) = match i {
                0..90 => (200, 22.0 + 2.0 * t),
                90..400 => (200, 200.0 + 0.3 * (t * 1.1).sin()),
                400..700 => (0, 22.0 + 178.0 * (-(t - 400.0) / 120.0).exp()),
                700..790 => (230, 37.0 + 2.15 * (t - 700.0)),
                _ => (230, 230.0 + 5.0 * (std::f64::consts::TAU * t / 38.0).sin()),
            };
            format!("{i},{temp:.2},{target}\n")
        })
        .collect();
    let file = read_trace(&format!("time_s,temp,target\n{text}"));
    let reading = read_class(&file.trace, &PhysicalLimits::default());
    let kinds: Vec<(SegmentKind, TraceClass)> =
        reading.segments.iter().map(|s| (s.kind, s.class)).collect();
    assert_eq!(
        kinds,
        [
            (SegmentKind::HeatUp, TraceClass::TooShort),
            (SegmentKind::Hold, TraceClass::Steady),
            (SegmentKind::Pause, TraceClass::TooShort),
            (SegmentKind::HeatUp, TraceClass::TooShort),
            (SegmentKind::Hold, TraceClass::LoopSwinging),
        ]
    );
    assert!(
        reading.headline.contains("at 230 °C, 13.2 to 25.0 min"),
        "{}",
        reading.headline
    );
    assert!((reading.period_s.unwrap() - 38.0).abs() < 1.0);
    assert!((reading.swing_c.unwrap() - 10.0).abs() < 0.5);
}

#[test]
fn five_lines_written_at_once_are_no_broken_sensor() {
    // A heat-up at 4 °C/s: six seconds of silence, then five lines within 20 ms.
    let text: String = (0..300_u32)
        .map(|i| {
            let temp = (22.0 + 4.0 * f64::from(i)).min(210.0 + f64::from(i % 5) * 0.05);
            let stamp = if (20..25).contains(&i) {
                25.0 + f64::from(i) * 0.004
            } else {
                f64::from(i) + if i >= 25 { 1.0 } else { 0.0 }
            };
            format!("{stamp:.3},{temp:.2},210\n")
        })
        .collect();
    let file = read_trace(&format!("time_s,temp,target\n{text}"));
    assert_eq!(
        read_class(&file.trace, &PhysicalLimits::default()).class,
        TraceClass::Steady
    );
}

#[test]
fn a_slow_log_tells_a_broken_contact_by_how_it_comes_back() {
    // 35 °C down and up again within ten seconds each; the block of this log heats 2 °C/s.
    let text: String = (0..90_u32)
        .map(|i| {
            let t = f64::from(i) * 10.0;
            let temp = if t < 90.0 {
                22.0 + 2.0 * t
            } else {
                202.0 + f64::from(i % 3) * 0.1
            };
            let temp = if [30, 48, 61].contains(&i) {
                temp - 60.0
            } else {
                temp
            };
            format!("{t},{temp:.1},202\n")
        })
        .collect();
    let file = read_trace(&format!("time_s,temp,target\n{text}"));
    assert_eq!(
        read_class(&file.trace, &PhysicalLimits::default()).class,
        TraceClass::SensorIntermittent
    );
    // The same without the heat-up, and smaller: what it is can't be said, and it is not the loop.
    let held: String = (0..90_u32)
        .map(|i| {
            let dip = if [30, 48, 61].contains(&i) { 20.0 } else { 0.0 };
            format!(
                "{},{:.1},202\n",
                i * 10,
                202.0 + f64::from(i % 3) * 0.1 - dip
            )
        })
        .collect();
    let file = read_trace(&format!("time_s,temp,target\n{held}"));
    let class = read_class(&file.trace, &PhysicalLimits::default()).class;
    assert_eq!(class, TraceClass::CannotSay);
}

#[test]
fn a_log_that_levels_off_a_little_low_is_told_so() {
    let log = |duty: f64| -> String {
        (0..1300_u32)
            .map(|i| {
                format!(
                    "{i},{:.2},210,{duty}\n",
                    207.0 - 185.0 * (-f64::from(i) / 60.0).exp()
                )
            })
            .collect()
    };
    let class = |duty| {
        let file = read_trace(&format!("time_s,temp,target,duty\n{}", log(duty)));
        read_class(&file.trace, &PhysicalLimits::default()).class
    };
    assert_eq!(class(0.6), TraceClass::Offset);
    assert_eq!(class(1.0), TraceClass::NeverReaching);
}

#[test]
fn what_the_reader_knows_better_than_a_heading_makes_the_same_log_of_it() {
    // The same hold as it was, and as a program without units in its heading wrote it down.
    let plain = sound(|i, t, g| format!("{i},{t:.3},{g},{:.4}", f64::from(i % 5) / 40.0));
    let plain = read_trace(&format!("time (s),temp,target,duty\n{plain}"));
    let other = sound(|i, t, g| {
        format!(
            "{},{:.3},{:.3},{:.2}",
            i * 1_000,
            t * 9.0 / 5.0 + 32.0,
            g * 9.0 / 5.0 + 32.0,
            // A tenth at most in steps of a timer looks like percent.
            255.0 * f64::from(i % 5) / 40.0
        )
    });
    let other = format!("time,temp,target,duty\n{other}");
    let guessed = read_trace(&other);
    let taken = guessed.taken;
    assert_eq!(taken.temperatures, TemperatureUnit::Celsius);
    assert_eq!(taken.times, Some(TimeUnit::Seconds));
    assert_eq!(taken.duty, Some(DutyScale::Percent));
    let told = "The heading gives times no unit: seconds are taken.";
    assert!(
        guessed.notes.iter().any(|n| n == told),
        "{:?}",
        guessed.notes
    );
    let meant = ReadAs {
        temperatures: Some(TemperatureUnit::Fahrenheit),
        times: Some(TimeUnit::Milliseconds),
        duty: Some(DutyScale::EightBits),
        every_s: None,
    };
    let read = read_trace_as(&other, &meant);
    assert_eq!(read.taken.temperatures, TemperatureUnit::Fahrenheit);
    assert_eq!(read.taken.duty, Some(DutyScale::EightBits));
    assert_eq!(read.trace.samples.len(), plain.trace.samples.len());
    for (a, b) in read.trace.samples.iter().zip(&plain.trace.samples) {
        assert!((a.t_s - b.t_s).abs() < 1e-9);
        assert!((a.temp_c - b.temp_c).abs() < 2e-3, "{a:?} {b:?}");
        assert!((a.target_c.unwrap() - b.target_c.unwrap()).abs() < 1e-3);
        assert!(
            (a.duty.unwrap() - b.duty.unwrap()).abs() < 1e-4,
            "{a:?} {b:?}"
        );
    }
    assert_eq!(
        class_of(&other),
        TraceClass::CannotSay,
        "taken for what it isn’t"
    );
    assert_eq!(
        read_class(&read.trace, &PhysicalLimits::default()).class,
        TraceClass::Steady
    );
}

#[test]
fn a_scale_that_the_duty_goes_beyond_is_doubted() {
    let log = sound(|i, t, g| format!("{i},{t:.2},{g},{}", if i < 90 { 255 } else { 60 }));
    let log = format!("time,temp,target,duty\n{log}");
    let read = read_trace_as(
        &log,
        &ReadAs {
            duty: Some(DutyScale::Percent),
            ..ReadAs::default()
        },
    );
    let notes = read.notes.join(" ");
    assert!(
        notes.contains("reads up to 255: more than full power"),
        "{notes}"
    );
}

#[test]
fn reports_without_a_clock_come_as_often_as_the_reader_says() {
    let log = sound(|_, t, g| format!("ok T:{t:.2} /{g:.1} @:40"));
    let guessed = read_trace(&log);
    assert_eq!(guessed.taken.every_s, Some(1.0));
    let read = read_trace_as(
        &log,
        &ReadAs {
            every_s: Some(0.25),
            ..ReadAs::default()
        },
    );
    assert!((read.trace.span_s() - guessed.trace.span_s() / 4.0).abs() < 1e-9);
    assert!(
        read.notes
            .iter()
            .any(|n| n.contains("a report every 0.25 s is taken, as chosen")),
        "{:?}",
        read.notes
    );
    // A log with a clock has nothing to choose there.
    let clocked = sound(|i, t, g| format!("{i}.0 ok T:{t:.2} /{g:.1} @:40"));
    assert_eq!(read_trace(&clocked).taken.every_s, None);
}

#[test]
fn lines_farther_apart_than_a_loop_swings_judge_nothing() {
    // A swing of 20 s, looked at every 60 s: it seems to stand still, or to swing slowly.
    let swings = |every: f64, beat: f64| {
        let rows: String = (0..200)
            .map(|i| {
                let t = f64::from(i) * every;
                format!(
                    "{t},{:.2},210\n",
                    210.0 + 6.0 * (t * std::f64::consts::TAU / beat).sin()
                )
            })
            .collect();
        format!("time (s),temp,target\n{rows}")
    };
    for beat in [20.0, 19.0, 21.5, 12.0, 45.0] {
        let file = read_trace(&swings(60.0, beat));
        let reading = read_class(&file.trace, &PhysicalLimits::default());
        assert_eq!(reading.class, TraceClass::CannotSay, "{beat} {reading:?}");
        assert_eq!(
            reading.headline,
            "Its lines are too far apart to judge it by."
        );
        assert!(reading.advice.contains("a line a second"));
    }
    assert_eq!(class_of_any(&swings(1.0, 20.0)), TraceClass::LoopSwinging);
}

fn class_of_any(text: &str) -> TraceClass {
    read_class(&read_trace(text).trace, &PhysicalLimits::default()).class
}
