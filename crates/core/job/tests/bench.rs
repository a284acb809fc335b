//! Probe, tube length and worth: by hand arithmetic and by simulation, apart from the code they test.

#![allow(clippy::unwrap_used)]

mod common;

use common::found;
use proptest::prelude::*;
use serde_json::{Value, json};
use statrs::distribution::{ContinuousCDF, Normal};
use wattotherm_job::Context;
use wattotherm_job::finding::{Cause, Finding};
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_measure::Verdict;
use wattotherm_printer::PrinterFacts;

fn probe(touches: &[String], over: &Value) -> Finding {
    let mut typed = json!({
        "touches_mm": touches, "nozzle_x_mm": "117.5", "nozzle_y_mm": "117.5",
        "probe_x_mm": "157.4", "probe_y_mm": "125.6", "set_x_mm": "-40", "set_y_mm": "-8",
    });
    for (k, v) in over.as_object().unwrap() {
        typed[k] = v.clone();
    }
    found(&stations::Probe, &typed, &Context::default())
}

/// Touches of a probe that truly scatters by `sigma_mm` around a height, as a display of thousandths shows them.
fn touches(sigma_mm: f64, n: usize, seed: u64) -> Vec<String> {
    let mut rng = fastrand::Rng::with_seed(seed);
    let normal = Normal::new(1.3, sigma_mm.max(1e-9)).unwrap();
    (0..n)
        .map(|_| {
            format!(
                "{:.3}",
                normal.inverse_cdf(rng.f64().clamp(1e-6, 1.0 - 1e-6))
            )
        })
        .collect()
}

/// Over 400 probes each: the wrong answer must be rare, whatever the true scatter. At the 5 % points of χ² a wrong
/// verdict comes at most once in twenty.
#[test]
fn a_probe_is_passed_or_stopped_wrongly_at_most_once_in_twenty() {
    let verdicts = |sigma: f64| {
        let all = (0..400).map(|seed| probe(&touches(sigma, 10, seed), &json!({})).facts.verdict);
        let all: Vec<Verdict> = all.collect();
        let share = |v| all.iter().filter(|a| **a == v).count() as f64 / 400.0;
        (
            share(Verdict::Pass),
            share(Verdict::MeasureAgain),
            share(Verdict::Stop),
        )
    };
    let (pass, _, stop) = verdicts(0.0101);
    assert!(pass <= 0.08, "just outside, and {pass} passed");
    assert!(stop <= 0.10, "just outside, and {stop} stopped: too sure");
    let (_, _, stop) = verdicts(0.0099);
    assert!(stop <= 0.08, "just inside, and {stop} stopped");
    let (pass, _, stop) = verdicts(0.003);
    assert!(pass >= 0.99 && stop <= 0.0, "a good probe: {pass} passed");
    let (pass, _, stop) = verdicts(0.03);
    assert!(stop >= 0.97 && pass <= 0.0, "a loose probe: {stop} stopped");
}

/// Worked example: ten readings with s = 0.0058 mm. The 95 % point of a χ² with 9 degrees of freedom is 16.919, the
/// 5 % point 3.325 (tables of any text book, e.g. NIST/SEMATECH e-Handbook 1.3.6.7.4), so the true scatter is between
/// 0.0042 and 0.0095 mm: inside 0.01 mm.
#[test]
fn the_bounds_of_a_scatter_are_those_of_the_table() {
    let typed: Vec<String> = [0.0, 6.0, -6.0, 7.0, -7.0, 5.0, -5.0, 6.0, -6.0, 0.0]
        .iter()
        .map(|um| format!("{:.3}", 1.3 + um / 1000.0))
        .collect();
    let values: Vec<f64> = typed.iter().map(|t| t.parse().unwrap()).collect();
    let mean = values.iter().sum::<f64>() / 10.0;
    let s = (values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / 9.0).sqrt();
    let f = probe(&typed, &json!({}));
    let own = &f.facts.own;
    let of = |name: &str| own[name].as_f64().unwrap();
    // The display's half digit of 0.0005 mm adds 0.0003 mm in quadrature.
    let shown = (s * s + 0.0005_f64.powi(2) / 3.0).sqrt();
    assert!((of("s_mm") - shown).abs() < 1e-9);
    assert!((of("s_most_mm") - shown * (9.0_f64 / 3.325).sqrt()).abs() < 2e-6);
    assert!((of("s_least_mm") - shown * (9.0_f64 / 16.919).sqrt()).abs() < 2e-6);
    assert_eq!(f.facts.verdict, Verdict::Pass);
}

#[test]
fn touches_that_a_coarse_display_shows_alike_are_not_taken_for_perfect() {
    let alike = vec!["1.2".to_owned(); 10];
    let f = probe(&alike, &json!({}));
    assert_ne!(
        f.facts.verdict,
        Verdict::Pass,
        "tenths can’t show hundredths"
    );
    let fine = vec!["1.250".to_owned(); 4];
    let refused = stations::Probe.evaluate(
        &json!({"touches_mm": fine, "nozzle_x_mm": "1", "nozzle_y_mm": "1", "probe_x_mm": "2", "probe_y_mm": "2", "set_x_mm": "0", "set_y_mm": "0"}),
        &Context::default(),
    );
    assert!(format!("{:?}", refused.unwrap_err()).contains("at least five touches"));
}

/// The sign, by a drawing: the probe sits 40 mm left of and 8 mm in front of the nozzle. With the nozzle over the
/// mark the head shows 117.5; to bring the probe there the head goes right by 40 and back by 8.
#[test]
fn the_probes_place_is_set_as_measured_and_passes_once_it_is_set() {
    let steady = touches(0.002, 10, 3);
    let f = probe(&steady, &json!({"set_x_mm": "-44", "set_y_mm": "-8"}));
    assert_eq!(f.facts.verdict, Verdict::Adjust);
    let lines: Vec<&str> = f.facts.commands.iter().map(|c| c.line.as_str()).collect();
    assert_eq!(lines, ["M851 X-39.9 Y-8.1", "M500", "M503"]);
    let again = probe(&steady, &json!({"set_x_mm": "-39.9", "set_y_mm": "-8.1"}));
    assert_eq!(again.facts.verdict, Verdict::Pass);
    // A scatter that stops it sets nothing, however far off the place is.
    let loose = touches(0.05, 10, 3);
    let stop = probe(&loose, &json!({"set_x_mm": "-44"}));
    assert_eq!(stop.facts.cause, Some(Cause::ProbeScatters));
    assert!(stop.facts.commands.is_empty());
}

#[test]
fn more_touches_are_asked_for_only_where_they_would_settle_it() {
    // s of about 0.007: inside, but ten touches can't show it.
    let f = (0..50)
        .map(|seed| probe(&touches(0.007, 10, seed), &json!({})))
        .find(|f| f.facts.verdict == Verdict::MeasureAgain)
        .unwrap();
    assert!(
        f.words.settle[0].ends_with("more touches"),
        "{:?}",
        f.words.settle
    );
    assert!(f.words.headline.starts_with("Measure again"));
}

#[test]
fn a_tube_is_cut_to_its_longest_way_with_slack_and_trims() {
    let ways = json!([
        {"name": "front left", "way_mm": "402"}, {"name": "back right", "way_mm": "418"}, {"name": "top", "way_mm": "411"},
    ]);
    let typed =
        json!({"old_mm": "410", "ways": ways, "slack_mm": "15", "trim_mm": "8", "trims": "2"});
    let f = found(&stations::TubeLength, &typed, &Context::default());
    assert_eq!(f.facts.before, Some(449.0), "418 + 15 + 2 x 8");
    // Trimmed 441, 433, 425: a fourth would leave 417, less than the way.
    assert_eq!(f.facts.own["after_trims"], json!([441.0, 433.0, 425.0]));
    assert!(
        f.words.sentence.contains("418 mm at back right")
            && f.words.sentence.contains("8 mm too short")
    );
    let old = found(
        &stations::TubeLength,
        &json!({"old_mm": "410"}),
        &Context::default(),
    );
    assert_eq!(
        (old.facts.before, old.facts.own["after_trims"].clone()),
        (Some(410.0), json!([]))
    );
    let none = stations::TubeLength.evaluate(
        &stations::TubeLength.start(&Context::default()),
        &Context::default(),
    );
    assert!(none.is_err(), "neither the old one nor a way");
}

#[test]
fn a_bend_tighter_than_six_diameters_stops_it() {
    let mut context = Context {
        printer: PrinterFacts::default(),
        ..Context::default()
    };
    context.printer.tube_mm = Some([4.0, 2.0, 410.0]);
    let at = |bend: &str| found(&stations::TubeLength, &json!({"bend_mm": bend}), &context).facts;
    assert_eq!(at("23.9").cause, Some(Cause::TubeKinks));
    assert_eq!(at("24").verdict, Verdict::Pass);
    // What is known of the fitted tube is filled in.
    assert_eq!(stations::TubeLength.start(&context)["old_mm"], "410");
    assert_eq!(stations::TubeLength.start(&context)["outer_mm"], "4");
}

#[test]
fn a_machine_that_costs_more_than_it_is_worth_is_stopped_and_hands_count() {
    let pieces = json!([
        {"name": "plate", "state": "damaged", "price": "22.5"}, {"name": "fan", "state": "missing", "price": "9"},
        {"name": "screen", "state": "there", "price": ""},
    ]);
    let context = Context {
        hands_left_min: Some([90.0, 240.0]),
        ..Context::default()
    };
    let with = |worth: &str, hour: &str| {
        found(
            &stations::Worth,
            &json!({"worth": worth, "paid": "40", "hour": hour, "pieces": pieces}),
            &context,
        )
    };
    // 40 + 31.50 + 1.5 h x 24 = 107.50 at least, 40 + 31.50 + 4 h x 24 = 167.50 at most.
    let dear = with("107", "24");
    assert_eq!(dear.facts.cause, Some(Cause::CostsMoreThanWorth));
    let between = with("108", "24");
    assert_eq!(between.facts.verdict, Verdict::Pass);
    assert!(
        between
            .words
            .sentence
            .contains("costs more than it is worth"),
        "{}",
        between.words.sentence
    );
    let worth_it = with("170", "24");
    assert!(!worth_it.words.sentence.contains("costs more"));
    assert_eq!(worth_it.words.line, "108 to 168 of 170");
    let uncounted = with("100", "");
    assert_eq!(uncounted.words.line, "71.50 of 100");
    let open = stations::Worth.evaluate(
        &json!({"worth": "5", "paid": "1", "pieces": [{"name": "fan", "state": "open"}]}),
        &context,
    );
    assert!(
        format!("{:?}", open.unwrap_err())
            .contains("Say of the fan whether it is there, missing or damaged.")
    );
}

proptest! {
    /// However often it is trimmed, the tube reaches its farthest place, and one trim more would not.
    #[test]
    fn trims_never_leave_a_tube_shorter_than_its_way(
        ways in proptest::collection::vec(100u32..900, 1..6), slack in 0u32..60, trim in 2u32..25, trims in 0u32..5,
    ) {
        let list: Vec<Value> = ways.iter().map(|w| json!({"name": "", "way_mm": w.to_string()})).collect();
        let typed = json!({"ways": list, "slack_mm": slack.to_string(), "trim_mm": trim.to_string(), "trims": trims.to_string()});
        let mut all = stations::TubeLength.start(&Context::default());
        for (k, v) in typed.as_object().unwrap() { all[k] = v.clone(); }
        // One way far from the others is no slip here.
        let f = stations::TubeLength.evaluate(&all, &Context::default()).unwrap();
        let longest = f64::from(*ways.iter().max().unwrap());
        let cut = f.facts.before.unwrap();
        let after: Vec<f64> = f.facts.own["after_trims"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
        prop_assert!(after.len() >= trims as usize);
        prop_assert!(after.iter().all(|l| *l >= longest - 1e-9));
        let last = after.last().copied().unwrap_or(cut);
        prop_assert!(last - f64::from(trim) < longest);
    }
}

fn mesh(text: &str) -> Finding {
    found(
        &stations::Mesh,
        &json!({ "heights": text }),
        &Context::default(),
    )
}

fn grid(n: usize, m: usize, z: impl Fn(f64, f64) -> f64) -> String {
    let rows: Vec<String> = (0..n)
        .map(|r| {
            let at = |i: usize, of: usize| i as f64 / (of - 1) as f64;
            let row: Vec<String> = (0..m)
                .map(|c| format!("{:+.4}", z(at(c, m), at(r, n))))
                .collect();
            format!(" {r} {}", row.join(" "))
        })
        .collect();
    format!("Bilinear grid:\n      0 1 2 3\n{}", rows.join("\n"))
}

/// A plane alone is all tilt and no warp; its rise is known: 0.06 mm along X and 0.03 mm along Y.
#[test]
fn a_plane_is_tilt_and_a_bowl_is_warp() {
    let plane = mesh(&grid(4, 5, |x, y| 0.06 * x - 0.03 * y + 0.2));
    assert_eq!(plane.facts.verdict, Verdict::Pass);
    let of = |f: &Finding, name: &str| f.facts.own[name].as_f64().unwrap();
    assert!((of(&plane, "tilt_mm") - 0.09).abs() < 1e-3 && of(&plane, "warp_mm") < 1e-3);
    assert_eq!(
        (&plane.facts.own["rows"], &plane.facts.own["columns"]),
        (&json!(4), &json!(5))
    );
    // A bowl 0.3 mm deep at its middle, on a grid that has one.
    let bowl = mesh(&grid(5, 5, |x, y| {
        0.6 * ((x - 0.5).powi(2) + (y - 0.5).powi(2))
    }));
    assert!(of(&bowl, "tilt_mm") < 1e-6 && (of(&bowl, "warp_mm") - 0.3).abs() < 1e-3);
    assert!(of(&bowl, "dome_mm") < 0.0, "hollow");
    let steep = mesh(&grid(4, 4, |x, _| 0.5 * x));
    assert_eq!(
        (steep.facts.cause, steep.facts.send_back.as_deref()),
        (Some(Cause::BedTilted), Some("tram"))
    );
    let bent = mesh(&grid(5, 5, |x, y| {
        -1.2 * ((x - 0.5).powi(2) + (y - 0.5).powi(2))
    }));
    assert_eq!(bent.facts.cause, Some(Cause::PlateBent));
}

#[test]
fn a_point_that_stands_alone_is_dirt_and_neither_tilt_nor_warp() {
    let mut text = grid(4, 4, |x, y| 0.02 * x + 0.01 * y);
    let at = text.find("+0.0000 +0.0067").unwrap();
    text.replace_range(at..at + 7, "+0.6000");
    let f = mesh(&text);
    assert_eq!(f.facts.verdict, Verdict::MeasureAgain);
    assert!(
        f.words
            .headline
            .contains("row 1, place 1 stands 0.60 mm above the shape of all the others"),
        "{}",
        f.words.headline
    );
}

#[test]
fn what_is_no_grid_is_refused_kindly() {
    let refused = |text: &str| {
        format!(
            "{:?}",
            stations::Mesh
                .evaluate(&json!({"heights": text}), &Context::default())
                .unwrap_err()
        )
    };
    assert!(refused("").contains("Paste the heights"));
    assert!(refused("ok\nT:21.0 /0.0").contains("No grid of heights"));
    assert!(
        refused("0.1 0.2 0.3\n0.1 0.2\n0.1 0.2 0.3")
            .contains("Row 2 has 2 heights and the first has 3")
    );
    assert!(refused("0.1 0.2 0.3\n0.1 99.0 0.3\n0.1 0.2 0.3").contains("10 mm"));
}

#[test]
fn a_nozzle_that_is_its_own_probe_has_no_place_to_measure() {
    let blank = json!({
        "touches_mm": touches(0.002, 10, 8), "nozzle_x_mm": "", "nozzle_y_mm": "", "probe_x_mm": "", "probe_y_mm": "",
        "set_x_mm": "0", "set_y_mm": "0",
    });
    let f = found(&stations::Probe, &blank, &Context::default());
    assert_eq!(f.facts.verdict, Verdict::Pass);
    let mut beside = blank.clone();
    beside["set_x_mm"] = json!("-40");
    let mut typed = stations::Probe.start(&Context::default());
    for (k, v) in beside.as_object().unwrap() {
        typed[k] = v.clone();
    }
    assert!(
        stations::Probe
            .evaluate(&typed, &Context::default())
            .is_err()
    );
}
