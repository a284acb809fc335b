//! Logs of several heaters: columns in any order, serial reports, and beds that are judged as beds.
#![allow(clippy::unwrap_used, clippy::cast_precision_loss)]

use crate::scenarios::dice::Dice;
use wattotherm_gcode::Heater;
use wattotherm_heat::{
    HoldResult, Sample, Trace, TraceClass, TraceFact, alarms_in_print, read_class_of, read_trace,
};
use wattotherm_measure::Pen;

/// Lines of a table with the same nozzle, second nozzle and bed in columns of any order.
fn table(heading: &str, order: &[char], separator: &str) -> String {
    let mut text = format!("{heading}\n");
    for i in 0..400_u32 {
        let t = f64::from(i);
        let cells: Vec<String> = order
            .iter()
            .map(|c| match c {
                's' => format!("{i}"),
                'n' => format!("{:.1}", (22.0 + 2.0 * t).min(210.0) + 0.2 * (t * 0.9).sin()),
                'N' => "210".into(),
                'd' => format!("{}", if i < 94 { 100 } else { 31 }),
                'm' => format!("{:.1}", (22.0 + 1.5 * t).min(180.0) + 0.2 * (t * 1.3).cos()),
                'M' => "180".into(),
                'b' => format!("{:.1}", (22.0 + 0.3 * t).min(60.0)),
                'B' => "60".into(),
                other => panic!("{other}"),
            })
            .collect();
        text += &cells.join(separator);
        text.push('\n');
    }
    text
}

#[test]
fn nozzle_and_bed_are_found_in_columns_of_any_order() {
    for (heading, order, separator) in [
        ("time,temp,target,duty,bed,bed target", "snNdbB", ","),
        (
            "Bed set;Bed actual;Time (s);Nozzle set;Nozzle actual;Nozzle power",
            "BbsNnd",
            ";",
        ),
        (
            "uptime\tT0\tT0 target\tT0 duty\tplate\tplate target",
            "snNdbB",
            "\t",
        ),
    ] {
        nozzle_and_bed(heading, order, separator);
    }
}

fn nozzle_and_bed(heading: &str, order: &str, separator: &str) {
    let order: Vec<char> = order.chars().collect();
    let file = read_trace(&table(heading, &order, separator));
    assert_eq!(file.heater, Heater::Tool(0), "{heading}");
    assert_eq!(file.trace.main_target_c(), Some(210.0), "{heading}");
    assert!(file.trace.samples[50].duty == Some(1.0), "{heading}");
    let [bed] = &file.others[..] else {
        panic!("{heading}: {}", file.others.len())
    };
    assert_eq!(
        (bed.heater, bed.trace.main_target_c()),
        (Heater::Bed, Some(60.0))
    );
    assert!((bed.trace.samples[100].temp_c - 52.0).abs() < 1e-9);
}

#[test]
fn two_nozzles_are_told_apart_however_they_are_numbered() {
    for (heading, order) in [
        ("time,tool0,tool0 target,tool1,tool1 target", "snNmM"),
        (
            "time,extruder,extruder target,extruder1,extruder1 target",
            "snNmM",
        ),
        ("time,nozzle 1,nozzle 1 set,nozzle 2,nozzle 2 set", "snNmM"),
        ("time,T1 set,T1,T0 set,T0", "sMmNn"),
        ("time,temp0,temp1,target0,target1", "snmNM"),
    ] {
        two_nozzles(heading, order);
    }
}

fn two_nozzles(heading: &str, order: &str) {
    let order: Vec<char> = order.chars().collect();
    let file = read_trace(&table(heading, &order, ","));
    assert_eq!(file.heater, Heater::Tool(0), "{heading}");
    assert_eq!(file.trace.main_target_c(), Some(210.0), "{heading}");
    assert_eq!(file.others.len(), 1, "{heading}");
    assert_eq!(file.others[0].heater, Heater::Tool(1), "{heading}");
    assert_eq!(
        file.others[0].trace.main_target_c(),
        Some(180.0),
        "{heading}"
    );
}

#[test]
fn heaters_that_report_in_turn_each_keep_their_lines() {
    let mut text = String::from("time_s,temp,target,bed_temp,bed_target\n");
    for i in 0..200_u32 {
        text += &if i % 2 == 0 {
            format!("{i},{:.1},200,,\n", 199.5 + 0.1 * f64::from(i % 5))
        } else {
            format!("{i},,,{:.1},60\n", 60.0 + 0.1 * f64::from(i % 3))
        };
    }
    let file = read_trace(&text);
    assert!(file.diagnostics.is_empty(), "{:?}", file.diagnostics);
    assert_eq!(file.trace.samples.len(), 100);
    assert_eq!(file.others[0].trace.samples.len(), 100);
    // A line that says nothing of either is still told, by its place.
    let torn = read_trace(&format!("{text}200,,,,\n201,hot,200,60.1,60\n"));
    let told: Vec<(u32, u32)> = torn
        .diagnostics
        .iter()
        .map(|d| (d.line, d.column))
        .collect();
    assert_eq!(told, [(202, 5), (202, 7), (203, 5)]);
}

#[test]
fn two_heaters_may_share_a_time_on_lines_of_their_own() {
    let mut text = String::from("time_s,temp,target,bed_temp,bed_target\n");
    for i in 0..100_u32 {
        text += &format!("{i},199.9,200,,\n{i},,,60.1,60\n");
    }
    let file = read_trace(&format!("{text}99,199.8,200,,\n"));
    assert_eq!(file.trace.samples.len(), 100);
    assert_eq!(file.others[0].trace.samples.len(), 100);
    // The nozzle's last time comes twice.
    let told: Vec<(u32, u32)> = file
        .diagnostics
        .iter()
        .map(|d| (d.line, d.column))
        .collect();
    assert_eq!(told, [(202, 1)]);
}

#[test]
fn a_serial_log_gives_nozzles_bed_and_chamber_and_leaves_out_what_stays_cold() {
    let line = |t1: &str, chamber: &str| {
        format!(
            "ok T:205.1 /210.0 B:59.8 /60.0 {chamber} T0:205.1 /210.0 T1:{t1} @:87 B@:30 @0:87 @1:0\n"
        )
    };
    let warm: String = (0..60)
        .map(|_| line("181.0 /180.0", "C:45.0 /45.0"))
        .collect();
    let file = read_trace(&warm);
    let heaters: Vec<Heater> = file.others.iter().map(|o| o.heater).collect();
    assert_eq!(file.heater, Heater::Tool(0));
    assert_eq!(heaters, [Heater::Tool(1), Heater::Bed, Heater::Chamber]);
    let cold: String = (0..60).map(|_| line("24.0 /0.0", "C:31.0 /0.0")).collect();
    let heaters: Vec<Heater> = read_trace(&cold).others.iter().map(|o| o.heater).collect();
    assert_eq!(heaters, [Heater::Bed]);
}

#[test]
fn a_log_in_which_only_the_bed_is_heated_is_the_beds() {
    let text: String = (0..300)
        .map(|i| {
            format!(
                "ok T:24.0 /0.0 B:{:.1} /60.0 @:0 B@:60\n",
                60.0 + 0.1 * f64::from(i % 3)
            )
        })
        .collect();
    let file = read_trace(&text);
    assert_eq!(file.heater, Heater::Bed);
    assert!(file.others.is_empty());
}

/// What may be wrong with a bed.
#[derive(Clone, Copy, Debug, PartialEq)]
enum BedTale {
    SoundOnOff,
    SoundLoop,
    LooseSensor,
    HeaterGone,
    TooWeak,
}

/// A bed, made apart from the application's own model: a plate of one temperature under a slow sensor, losing to
/// the room by conduction and by the 5/4 power of free convection, stepped finely; heated on and off or by a plain
/// proportional and integral loop.
fn bed(tale: BedTale, seed: u64) -> Trace {
    let mut dice = Dice::new(seed);
    let capacity = dice.between(250.0, 900.0);
    let area = dice.between(0.03, 0.12);
    let weak = if tale == BedTale::TooWeak { 0.7 } else { 1.9 };
    let loss = |over: f64| area * (3.0 * over.max(0.0).powf(1.25) + 4.0 * over);
    let power = weak * loss(60.0 - 21.0) + if tale == BedTale::TooWeak { 0.0 } else { 60.0 };
    let every = [0.5, 1.0, 2.0][usize::try_from(seed % 3).unwrap()];
    let noise = dice.between(0.02, 0.15);
    let (mut plate, mut shown, mut sum, mut on) = (21.0_f64, 21.0_f64, 0.0, true);
    let (dt, mut samples, mut next) = (0.1, Vec::new(), 0.0);
    let mut t = 0.0;
    while t < 1800.0 {
        let duty = match tale {
            BedTale::SoundOnOff | BedTale::LooseSensor => {
                on = if on { shown < 60.3 } else { shown < 59.7 };
                f64::from(u8::from(on))
            }
            _ => {
                let error = 60.0 - shown;
                if error.abs() < 4.0 {
                    sum += error * dt;
                }
                (0.25 * error + 0.004 * sum).clamp(0.0, 1.0)
            }
        };
        let heats = !(tale == BedTale::HeaterGone && t > 900.0);
        plate += dt * (if heats { duty * power } else { 0.0 } - loss(plate - 21.0)) / capacity;
        shown += dt * (plate - shown) / 4.0;
        if t >= next {
            let torn = tale == BedTale::LooseSensor && t > 400.0 && dice.even() < 0.02;
            samples.push(Sample {
                t_s: t,
                temp_c: shown + noise * dice.normal()
                    - if torn { dice.between(12.0, 40.0) } else { 0.0 },
                target_c: Some(60.0),
                duty: Some(duty),
                fan: None,
            });
            next += every;
        }
        t += dt;
    }
    Trace::new(samples)
}

#[test]
fn beds_are_judged_as_beds() {
    use BedTale::{HeaterGone, LooseSensor, SoundLoop, SoundOnOff, TooWeak};
    let wanted = |tale| match tale {
        SoundOnOff | SoundLoop => TraceClass::Steady,
        LooseSensor => TraceClass::SensorIntermittent,
        HeaterGone => TraceClass::HeaterFailing,
        TooWeak => TraceClass::NeverReaching,
    };
    for tale in [SoundOnOff, SoundLoop, LooseSensor, HeaterGone, TooWeak] {
        let mut right = 0;
        for seed in 0..50 {
            let reading = read_class_of(Heater::Bed, &bed(tale, seed));
            let sound = matches!(tale, SoundOnOff | SoundLoop);
            assert!(
                !(sound && reading.class.is_fault()),
                "{tale:?} {seed}: {:?} {:?}",
                reading.class,
                reading.evidence
            );
            assert!(!reading.advice.contains("sock") && !reading.advice.contains("block"));
            right += u32::from(reading.class == wanted(tale));
        }
        assert!(right >= 48, "{tale:?}: {right} of 50");
    }
}

#[test]
fn a_readings_words_follow_the_pen_and_its_facts_do_not() {
    let log: Vec<Sample> = (0..400_u32)
        .map(|i| Sample {
            t_s: f64::from(i),
            temp_c: if i < 90 {
                22.0 + 2.0 * f64::from(i)
            } else {
                206.0
            } + 0.1 * f64::from(i % 3),
            target_c: Some(202.0),
            duty: Some(0.4),
            fan: None,
        })
        .collect();
    let metric = read_class_of(Heater::Tool(0), &Trace::new(log));
    let imperial = metric.clone().worded(Pen::IMPERIAL);
    assert_eq!(metric.facts, imperial.facts);
    // 206.1 °C is 403.0 °F, 202 °C is 395.6 °F, and 4.1 °C of distance 7.4 °F (ISO 80000-5).
    assert!(
        metric.evidence[0].contains("Mean 206.1 °C against 202 °C"),
        "{:?}",
        metric.evidence
    );
    assert!(
        imperial.evidence[0].contains("Mean 403.0 °F against 395.6 °F")
            && imperial.evidence[1].contains("7.4 °F above its target"),
        "{:?}",
        imperial.evidence
    );
    assert!(!imperial.evidence.concat().contains("°C"));
}

#[test]
fn what_an_earlier_version_kept_of_a_log_still_reads_with_all_its_sentences() {
    let kept = serde_json::json!({
        "trace": 3, "target_c": 210.0, "sd_c": 0.2, "worst_c": 0.6,
        "reading": {
            "class": "sensor_intermittent", "headline": "Sensor or wiring.", "advice": "Don’t tune.",
            "evidence": ["200.0 → 164.0 °C within 1 s."],
            "marks": [{"from_s": 12.0, "to_s": 13.0, "says": "200.0 → 164.0 °C"}],
            "target_c": 210.0, "mean_c": 209.8, "swing_c": 1.0, "period_s": null
        }
    });
    let hold: HoldResult = serde_json::from_value(kept).unwrap();
    let reading = hold.reading.worded(Pen::IMPERIAL);
    assert_eq!(reading.evidence, ["200.0 → 164.0 °C within 1 s."]);
    assert_eq!(reading.marks[0].says, "200.0 → 164.0 °C");
    assert!(reading.headline.starts_with("Sensor or wiring"));
}

#[test]
fn facts_go_to_json_and_back() {
    let facts = [
        TraceFact::Jump {
            from_c: 60.5,
            to_c: 20.25,
            within_s: 0.5,
            could_c: 1.5,
            over_c: 38.75,
            own: false,
        },
        TraceFact::DutyStill,
        TraceFact::StandsOff {
            off_c: -2.5,
            duty: None,
        },
    ];
    let text = serde_json::to_string(&facts).unwrap();
    assert_eq!(
        serde_json::from_str::<Vec<TraceFact>>(&text).unwrap(),
        facts
    );
    let reading = read_class_of(Heater::Bed, &bed(BedTale::LooseSensor, 1));
    assert!(
        matches!(
            reading.facts[0],
            TraceFact::Jump { .. } | TraceFact::Spike { .. }
        ) && !reading.evidence.concat().contains("hot end"),
        "{:?}",
        reading.evidence
    );
}

/// Four minutes of a nozzle that holds 210 °C, its reading put through `seen`.
fn held(seen: impl Fn(u32, f64) -> f64) -> Trace {
    let mut dice = Dice::new(7);
    Trace::new((0..240_u32).map(|i| {
        let true_c = 210.0 + 0.15 * dice.normal();
        Sample {
            t_s: f64::from(i),
            temp_c: seen(i, true_c),
            target_c: Some(210.0),
            duty: Some(0.31),
            fan: Some(0.4),
        }
    }))
}

#[test]
fn each_nozzle_is_watched_while_it_prints_whichever_is_at_fault() {
    let sound = || held(|_, c| c);
    // A contact that comes and goes: no block of metal falls by sixty degrees within a second and is back in the next.
    let loose = || held(|i, c| if i % 23 == 5 { c - 60.0 } else { c });
    let cold = || {
        Trace::new((0..240_u32).map(|i| Sample {
            t_s: f64::from(i),
            temp_c: 23.0,
            target_c: Some(0.0),
            duty: Some(0.0),
            fan: Some(0.4),
        }))
    };
    let alarms = |first: Trace, second: Trace| {
        alarms_in_print([(Heater::Tool(0), first), (Heater::Tool(1), second)])
    };
    assert_eq!(alarms(sound(), sound()), []);
    assert_eq!(alarms(sound(), cold()), []);
    assert_eq!(
        alarms(sound(), loose()),
        [(Heater::Tool(1), TraceClass::SensorIntermittent)]
    );
    assert_eq!(
        alarms(loose(), cold()),
        [(Heater::Tool(0), TraceClass::SensorIntermittent)]
    );
    assert_eq!(alarms_in_print([]), []);
}
