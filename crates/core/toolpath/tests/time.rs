//! Time and what binds: check values of the handbook, laws, and an integrator of its own written in another language.
#![allow(
    clippy::unwrap_used,
    clippy::cast_possible_truncation,
    clippy::cast_precision_loss,
    clippy::cast_sign_loss
)]

use crate::common::{look_with, plain};
use proptest::prelude::*;
use wattotherm_toolpath::{AxisLimits, Limits};

fn near(got: f64, want: f64, within: f64) {
    assert!((got - want).abs() <= within, "{got} is not {want}");
}

fn seconds(text: &str, limits: Limits) -> f64 {
    look_with(text.as_bytes(), limits).seconds
}

#[test]
fn a_straight_way_takes_what_the_handbook_says() {
    let l = || plain(1_000.0, 0.05);
    near(seconds("G1 X100 F6000", l()), 1.1, 1e-9);
    near(seconds("G1 X5 F6000", l()), 0.141_421_356, 1e-8);
    // From rest to rest round a square of 50 mm.
    let square = "G1 X50 F6000\nG1 Y50\nG1 X0\nG1 Y0\n";
    near(seconds(square, l()), 2.337_70, 5e-6);
}

#[test]
fn a_corner_is_taken_as_fast_as_the_handbook_says() {
    use wattotherm_toolpath::{Corner, corner_speed2};
    let at = |inner_deg: f64| {
        let turn = (180.0 - inner_deg).to_radians();
        let after = [turn.cos(), turn.sin(), 0.0, 0.0];
        corner_speed2(Corner::Junction(0.05), [1.0, 0.0, 0.0, 0.0], after, 1_000.0).sqrt()
    };
    near(at(90.0), 10.987, 5e-4);
    near(at(120.0), 17.978, 5e-4);
    assert!(at(180.0).is_infinite());
    near(at(0.0), 0.0, 1e-3);
    // Jerk of 8 mm/s round a right angle: each axis changes by all of the speed.
    let jerk = Corner::Jerk([8.0, 8.0, f64::INFINITY, f64::INFINITY]);
    let v2 = corner_speed2(jerk, [1.0, 0.0, 0.0, 0.0], [0.0, 1.0, 0.0, 0.0], 1.0);
    near(v2.sqrt(), 8.0, 1e-9);
}

#[test]
fn a_quarter_of_a_circle_is_as_long_as_it_is() {
    let s = look_with(
        b"M83\nG1 X10 Y0 F3000\nG3 X0 Y10 I-10 J0 E1\n",
        plain(1_000.0, 0.05),
    );
    near(s.printed_mm, 15.707_963, 1e-6);
    // By its radius it is the same, and the other way round it covers as much.
    let s = look_with(
        b"M83\nG1 X10 Y0 F3000\nG3 X0 Y10 R10 E1\n",
        plain(1_000.0, 0.05),
    );
    near(s.printed_mm, 15.707_963, 1e-6);
    let s = look_with(
        b"M83\nG1 X10 F3000\nG2 X10 Y0 I-10 J0 E1\n",
        plain(1_000.0, 0.05),
    );
    near(s.printed_mm, 62.831_853, 1e-6);
    let b = s.bounds.unwrap();
    for (got, want) in [(b.x_mm, [-10.0, 10.0]), (b.y_mm, [-10.0, 10.0])] {
        near(got[0], want[0], 1e-9);
        near(got[1], want[1], 1e-9);
    }
}

#[test]
fn what_binds_is_told_apart() {
    let mut l = plain(1_000.0, 0.05);
    l.flow_limit_mm3_s = Some(12.0);
    // A bead of 0.65 by 0.30 mm has 0.1757 mm²: no faster than 68.3 mm/s.
    let e = 0.175_69 / l.filament_mm2() * 200.0;
    let s = look_with(format!("M83\nG1 X200 E{e:.6} F9000").as_bytes(), l.clone());
    near(s.binds.flow_s, 200.0 / 68.3 - 68.3 / 1_000.0, 2e-3);
    near(s.binds.sum_s(), s.seconds, 1e-9);
    l.max_speed_mm_s = AxisLimits {
        x: Some(50.0),
        ..AxisLimits::default()
    };
    let s = look_with(b"G1 X200 F9000", l.clone());
    near(s.binds.axis_s, 200.0 / 50.0 - 0.05, 1e-9);
    let s = look_with(b"G1 X200 F1200", l);
    near(s.binds.commanded_s, 10.0 - 0.02, 1e-9);
    // A slow zigzag of short ways is held by its corners.
    let mut zigzag = String::from("G1 F9000\n");
    for i in 0..400 {
        zigzag += &format!("G1 X{} Y{}\n", f64::from(i) * 0.02, f64::from(i % 2) * 0.02);
    }
    let s = look_with(zigzag.as_bytes(), plain(2_000.0, 0.05));
    assert!(s.binds.corner_s > 0.5 * s.seconds, "{:?}", s.binds);
}

#[test]
fn filament_alone_is_as_fast_as_the_extruder_and_a_dwell_waits() {
    let mut l = plain(1_000.0, 0.05);
    l.max_speed_mm_s.e = Some(20.0);
    l.max_accel_mm_s2.e = Some(400.0);
    let s = look_with(b"M83\nG1 E-5 F6000\nG4 P500\nG4 S2\nG1 E5", l);
    near(s.seconds, 2.0 * (5.0 / 20.0 + 20.0 / 400.0) + 2.5, 1e-9);
    near(s.dwell_s, 2.5, 1e-12);
}

#[test]
fn what_the_file_sets_of_the_limits_is_obeyed() {
    let s = |text: &str| seconds(text, plain(1_000.0, 0.05));
    near(s("M204 S500\nG1 X100 F6000"), 1.2, 1e-9);
    near(s("M203 X50\nG1 X100 F6000"), 2.05, 1e-9);
    near(s("M201 X250\nG1 X100 F6000"), 1.4, 1e-9);
    near(s("M220 S50\nG1 X100 F6000"), 2.05, 1e-9);
    near(
        s("M205 J0\nG1 X50 F6000\nG1 X50 Y50"),
        2.0 * (0.5 + 0.1),
        1e-9,
    );
}

#[test]
fn heating_is_counted_where_somebody_knows_it_and_named_where_not() {
    use wattotherm_toolpath::{SurveyOptions, survey};
    let text = b"M140 S60\nM104 S150\nM190 S60\nM109 S210\nG1 X100 F6000";
    let known = |bed: bool, from: f64, to: f64| (!bed).then_some((to - from) / 4.0);
    let options = SurveyOptions {
        limits: plain(1_000.0, 0.05),
        heating: Some(&known),
        cores: 0,
    };
    let s = survey(&text[..], &options, |_| true).unwrap();
    near(s.heating_s, (210.0 - 22.0) / 4.0, 1e-9);
    near(s.seconds, 1.1 + s.heating_s, 1e-9);
    assert_eq!(s.unknown_heating, 1);
    assert_eq!((s.nozzle_c, s.bed_c), (Some(210.0), Some(60.0)));
}

#[test]
fn a_limit_that_cannot_be_meant_is_named() {
    let wrong = |l: Limits| l.checked().unwrap_err().field;
    assert_eq!(wrong(plain(0.0, 0.05)), "accel_mm_s2");
    assert_eq!(wrong(plain(1_000.0, -1.0)), "junction_mm");
    assert_eq!(
        wrong(Limits {
            look_ahead: Some(1),
            ..Limits::default()
        }),
        "look_ahead"
    );
    assert_eq!(
        wrong(Limits {
            factor: 0.0,
            ..Limits::default()
        }),
        "factor"
    );
    assert!(serde_json::from_str::<Limits>(r#"{"acel": 1}"#).is_err());
}

/// A path of straight moves that print, travel and feed.
#[derive(Clone, Debug)]
struct Step {
    to: [f64; 2],
    e: f64,
    f: f64,
}

fn text(steps: &[Step]) -> String {
    let mut out = String::from("M83\nG90\n");
    for s in steps {
        out += &format!("G1 X{} Y{} E{} F{}\n", s.to[0], s.to[1], s.e, s.f);
    }
    out
}

fn steps(most: usize) -> impl Strategy<Value = Vec<Step>> {
    let step = (
        (0.0..40.0_f64),
        (0.0..40.0_f64),
        (0.0..3.0_f64),
        (300.0..12_000.0_f64),
    )
        .prop_map(|(x, y, e, f)| Step {
            to: [(x * 100.0).round() / 100.0, (y * 100.0).round() / 100.0],
            e: (e * 1e3).round() / 1e3,
            f: f.round(),
        });
    prop::collection::vec(step, 2..most)
}

fn some_limits() -> impl Strategy<Value = Limits> {
    (
        300.0..5_000.0_f64,
        prop::option::of(0.005..0.2_f64),
        prop::option::of(4.0..20.0_f64),
        2.0..30.0_f64,
        prop::option::of(20.0..120.0_f64),
    )
        .prop_map(|(accel, junction, x_max, jerk, flow)| Limits {
            accel_mm_s2: accel,
            junction_mm: junction,
            jerk_mm_s: Some(AxisLimits {
                x: Some(jerk),
                y: Some(jerk),
                z: Some(1.0),
                e: Some(jerk),
            }),
            max_speed_mm_s: AxisLimits {
                x: x_max.map(|v| v * 10.0),
                ..AxisLimits::default()
            },
            max_accel_mm_s2: AxisLimits {
                y: Some(accel * 0.8),
                ..AxisLimits::default()
            },
            flow_limit_mm3_s: flow,
            ..Limits::default()
        })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn raising_any_limit_never_lengthens_a_print(steps in steps(30), l in some_limits(), which in 0_usize..6, by in 1.0..3.0_f64) {
        let mut more = l.clone();
        match which {
            0 => more.accel_mm_s2 *= by,
            1 => more.junction_mm = l.junction_mm.map(|j| j * by),
            2 => more.flow_limit_mm3_s = l.flow_limit_mm3_s.map(|f| f * by),
            3 => more.max_speed_mm_s.x = l.max_speed_mm_s.x.map(|v| v * by),
            4 => more.max_accel_mm_s2.y = l.max_accel_mm_s2.y.map(|v| v * by),
            _ => more.jerk_mm_s = l.jerk_mm_s.map(|j| AxisLimits { x: j.x.map(|v| v * by), ..j }),
        }
        let text = text(&steps);
        prop_assert!(seconds(&text, more) <= seconds(&text, l) + 1e-9);
    }

    #[test]
    fn a_move_split_in_two_takes_as_long_and_is_bound_by_the_same(steps in steps(20), l in some_limits(), part in 0.1..0.9_f64) {
        let mut halves = Vec::new();
        let mut from = [0.0, 0.0];
        for s in &steps {
            let mid = [from[0] + part * (s.to[0] - from[0]), from[1] + part * (s.to[1] - from[1])];
            // What is no way at all stays one move.
            if (s.to[0] - from[0]).hypot(s.to[1] - from[1]) > 0.5 {
                halves.push(Step { to: mid, e: s.e * part, f: s.f });
                halves.push(Step { to: s.to, e: s.e * (1.0 - part), f: s.f });
            } else {
                halves.push(s.clone());
            }
            from = s.to;
        }
        let a = look_with(text(&steps).as_bytes(), l.clone());
        let b = look_with(text(&halves).as_bytes(), l);
        prop_assert!((a.seconds - b.seconds).abs() < 2e-4 * a.seconds, "{} {}", a.seconds, b.seconds);
        prop_assert!((a.binds.corner_s - b.binds.corner_s).abs() < 1e-3 * a.seconds);
        prop_assert!((a.binds.flow_s - b.binds.flow_s).abs() < 1e-3 * a.seconds);
    }

    #[test]
    fn a_path_run_backward_takes_as_long(steps in steps(30), l in some_limits()) {
        // Travel only, so that no feed has a direction; each way keeps its own speed.
        let there: Vec<Step> = std::iter::once(Step { to: [0.0, 0.0], e: 0.0, f: 6_000.0 })
            .chain(steps.iter().map(|s| Step { e: 0.0, ..s.clone() }))
            .collect();
        let mut back = vec![Step { to: there[there.len() - 1].to, e: 0.0, f: 6_000.0 }];
        for i in (0..there.len() - 1).rev() {
            back.push(Step { to: there[i].to, e: 0.0, f: there[i + 1].f });
        }
        let way = |steps: &[Step]| {
            let first = steps[0].to;
            let rest = text(&steps[1..]);
            // The way to the begin is left out: the head counts from there.
            look_with(format!("G92 X{} Y{}\n{rest}", first[0], first[1]).as_bytes(), l.clone()).seconds
        };
        let (a, b) = (way(&there), way(&back));
        prop_assert!((a - b).abs() < 1e-9 * a.max(1.0), "{a} {b}");
    }

    #[test]
    fn a_planner_that_sees_less_is_never_faster_and_one_that_sees_all_is_as_fast(steps in steps(40), l in some_limits()) {
        let text = text(&steps);
        let all = seconds(&text, l.clone());
        let mut before = f64::INFINITY;
        for n in [2, 4, 16, 64] {
            let s = seconds(&text, Limits { look_ahead: Some(n), ..l.clone() });
            prop_assert!(s <= before + 1e-9 && s >= all - 1e-9);
            before = s;
        }
        prop_assert!((before - all).abs() < 1e-9);
    }
}

#[test]
fn no_profile_exceeds_a_limit_anywhere() {
    use wattotherm_toolpath::{Planner, Segment};
    let mut random = fastrand::Rng::with_seed(5);
    for _ in 0..200 {
        let n = 3 + random.usize(..60);
        let mut segments: Vec<Segment> = Vec::new();
        for i in 0..n {
            let top2 = (5.0 + 150.0 * random.f64()).powi(2);
            let least = segments.last().map_or(0.0, |s| s.top2.min(top2));
            let corner = (60.0 * random.f64()).powi(2);
            segments.push(Segment {
                length_mm: 0.02 + 8.0 * random.f64().powi(3),
                top2,
                accel_mm_s2: 300.0 + 3_000.0 * random.f64(),
                entry2: if i == 0 { 0.0 } else { corner.min(least) },
                held: corner < least,
                nominal: wattotherm_toolpath::Nominal::Commanded,
                owner: u32::try_from(i).unwrap(),
                kind: 0,
            });
        }
        let mut planner = Planner::new(random.bool().then_some(2 + random.usize(..20)));
        let mut out = Vec::new();
        for s in &segments {
            planner.push(*s, |s, p| out.push((*s, *p)));
        }
        planner.finish(|s, p| out.push((*s, *p)));
        assert_eq!(out.len(), n);
        let mut speed = 0.0;
        for (i, (s, p)) in out.iter().enumerate() {
            assert_eq!(s.owner as usize, i);
            near(p.speeds_mm_s[0], speed, 1e-6);
            assert!(p.speeds_mm_s[0].powi(2) <= s.entry2 + 1e-6);
            assert!(p.speeds_mm_s[1].powi(2) <= s.top2 + 1e-6);
            // Sampled finely: nowhere faster, nowhere harder, and all of the way is gone.
            let mut way = 0.0;
            let total: f64 = p.phases_s.iter().sum();
            let dt = total / 2_000.0;
            let at = |t: f64| {
                let [up, flat, _] = p.phases_s;
                if t < up {
                    p.speeds_mm_s[0] + s.accel_mm_s2 * t
                } else if t < up + flat {
                    p.speeds_mm_s[1]
                } else {
                    p.speeds_mm_s[1] - s.accel_mm_s2 * (t - up - flat)
                }
            };
            for k in 0..2_000 {
                let v = at((f64::from(k) + 0.5) * dt);
                assert!(v * v <= s.top2 + 1e-3 && v >= -1e-6);
                way += v * dt;
            }
            near(way, s.length_mm, 1e-4 * s.length_mm + 1e-6);
            speed = p.speeds_mm_s[2];
        }
        near(speed, 0.0, 1e-9);
    }
}

/// On random short paths every other way of going, on a grid of small steps and with caps of its own, is slower; the one without
/// caps of its own is as fast. Speeds on the grid are those that a step forward and a step backward allow.
#[test]
fn no_finer_stepping_finds_a_faster_way() {
    let mut random = fastrand::Rng::with_seed(8);
    for _ in 0..60 {
        let mut text = String::from("G90\nG92 X0 Y0\n");
        let (mut at, mut heading) = ([0.0_f64; 2], 0.0_f64);
        let mut ways: Vec<(f64, f64, f64)> = Vec::new();
        for _ in 0..2 + random.usize(..6) {
            let turn = std::f64::consts::PI * (random.f64() - 0.5) * 1.6;
            heading += turn;
            let length = 0.2 + 4.0 * random.f64();
            let speed = 10.0 + 80.0 * random.f64();
            at = [
                at[0] + length * heading.cos(),
                at[1] + length * heading.sin(),
            ];
            text += &format!("G1 X{:.9} Y{:.9} F{:.6}\n", at[0], at[1], speed * 60.0);
            ways.push((length, speed, turn));
        }
        let (a, j) = (500.0 + 2_000.0 * random.f64(), 0.02 + 0.1 * random.f64());
        let planned = seconds(&text, plain(a, j));
        let steps = 400;
        for own_caps in [false, true, true, true] {
            // The largest speed at each place of the grid.
            let mut most = vec![0.0];
            let mut step_mm = Vec::new();
            for (i, (length, speed, turn)) in ways.iter().enumerate() {
                if i > 0 {
                    // Half the angle turned: sin(θ/2) = cos(turn/2).
                    let half = (turn / 2.0).cos();
                    let corner = (a * j * half / (1.0 - half)).sqrt();
                    let end = most.len() - 1;
                    most[end] = corner.min(*speed).min(ways[i - 1].1);
                }
                for _ in 0..steps {
                    most.push(*speed);
                    step_mm.push(length / f64::from(steps));
                }
            }
            let end = most.len() - 1;
            most[end] = 0.0;
            if own_caps {
                let period = 5.0 + 200.0 * random.f64();
                for (k, v) in most.iter_mut().enumerate() {
                    *v *= 0.75 + 0.25 * (k as f64 / period).sin();
                }
            }
            for k in 0..step_mm.len() {
                most[k + 1] = most[k + 1].min((most[k] * most[k] + 2.0 * a * step_mm[k]).sqrt());
            }
            for k in (0..step_mm.len()).rev() {
                most[k] = most[k].min((most[k + 1] * most[k + 1] + 2.0 * a * step_mm[k]).sqrt());
            }
            let stepped: f64 = (0..step_mm.len())
                .map(|k| 2.0 * step_mm[k] / (most[k] + most[k + 1]))
                .sum();
            assert!(
                stepped > planned * (1.0 - 2e-3),
                "{stepped} is faster than {planned}"
            );
            if !own_caps {
                assert!(
                    stepped < planned * (1.0 + 5e-3),
                    "{planned} is faster than any: {stepped}"
                );
            }
        }
    }
}

/// Random paths with arcs, filament alone, limits of axes, and corners of both forms: times by a fine integrator,
/// tools/reference/path_time.py (numpy), which shares no formula of corners and no planner with this.
#[test]
fn times_are_those_of_a_fine_integrator_in_another_language() {
    #[derive(serde::Deserialize)]
    struct Case {
        text: String,
        limits: Limits,
        seconds: f64,
    }
    let cases: Vec<Case> = serde_json::from_str(include_str!("path_time.json")).unwrap();
    assert!(cases.len() >= 20);
    for (i, c) in cases.iter().enumerate() {
        let got = seconds(&c.text, c.limits.clone());
        assert!(
            (got / c.seconds - 1.0).abs() < 5e-3,
            "case {i}: {got} is not {}",
            c.seconds
        );
    }
}
