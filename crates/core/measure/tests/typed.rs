//! What a technician types, as instruments show it.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_measure::Unit;
use wattotherm_measure::entry::{Entry, Intake, Limit};

fn read(text: &str, unit: Unit) -> Option<f64> {
    Entry::from(text).parse(unit)
}

#[test]
fn prefixes_and_words_of_instruments_are_read() {
    for (text, unit, want) in [
        ("118.9 kΩ", Unit::Ohm, 118_900.0),
        ("118,9k", Unit::Ohm, 118_900.0),
        ("0.1189 MΩ", Unit::Ohm, 118_900.0),
        ("14,4 ohm", Unit::Ohm, 14.4),
        ("14.4 \u{2126}", Unit::Ohm, 14.4),
        ("1 1/4 in", Unit::Mm, 31.75),
        ("1 1/4 mm", Unit::Mm, 1.25),
        ("3/8\"", Unit::Mm, 9.525),
        ("12 cm", Unit::Mm, 120.0),
        ("35 µm", Unit::Mm, 0.035),
        ("1.5 kg", Unit::Gram, 1_500.0),
        ("2 min", Unit::Second, 120.0),
        ("250 Ncm", Unit::NewtonMetre, 2.5),
        ("2.5 Nm", Unit::NewtonMetre, 2.5),
        ("392 °F", Unit::Celsius, 200.0),
    ] {
        let got = read(text, unit).unwrap_or_else(|| panic!("“{text}” isn’t read"));
        assert!((got - want).abs() < 1e-9 * want, "“{text}”: {got}");
    }
    for (text, unit) in [
        ("12 Ω", Unit::Mm),
        ("1/0", Unit::Mm),
        ("1 1/", Unit::Mm),
        ("1.5 1/4", Unit::Mm),
        ("5 kg", Unit::Mm),
        ("1e300", Unit::Mm),
        ("inf", Unit::Ohm),
    ] {
        assert_eq!(read(text, unit), None, "“{text}”");
    }
}

const OHM: Limit = Limit::new(
    "ohm",
    "resistance",
    Unit::Ohm,
    [0.0, 1e7, 50_000.0, 200_000.0],
    "that is all",
);

#[test]
fn an_open_line_is_a_finding_and_not_a_number() {
    for text in ["OL", "0L", "ol", "O.L", "∞", "OL kΩ", "open"] {
        let mut intake = Intake::new(&[]);
        assert_eq!(intake.may(&OHM, "ohm", &Entry::from(text)), None);
        let said = intake.finish().unwrap_err().problems.remove(0).to_string();
        assert!(said.contains("open line"), "{text}: {said}");
    }
}

#[test]
fn a_prefix_that_was_left_out_is_asked_about() {
    let mut intake = Intake::new(&[]);
    assert_eq!(intake.may(&OHM, "ohm", &Entry::from("118.9")), None);
    let problem = intake.finish().unwrap_err().problems.remove(0);
    assert_eq!(problem.code(), "did_you_mean");
    assert!((problem.suggestion().unwrap() - 118_900.0).abs() < 1e-6);
}

proptest! {
    #[test]
    fn any_text_is_read_or_not_and_never_panics(text in "[0-9 ./,kΩmM°F\"-]{0,12}|\\PC{0,12}") {
        for unit in Unit::ALL {
            if let Some(v) = read(&text, *unit) {
                prop_assert!(v.is_finite());
            }
        }
    }

    #[test]
    fn a_number_with_a_prefix_is_a_thousand_times_the_bare_one(v in 0.001_f64..1_000.0) {
        let bare = read(&format!("{v:.3}"), Unit::Ohm).unwrap();
        let kilo = read(&format!("{v:.3} kΩ"), Unit::Ohm).unwrap();
        prop_assert!((kilo - 1_000.0 * bare).abs() < 1e-6);
    }
}

#[test]
fn a_whole_score_beyond_its_end_is_no_slipped_point() {
    const SCORE: Limit = Limit::new(
        "score",
        "score",
        Unit::One,
        [0.0, 5.0, 0.0, 5.0],
        "it is counted so",
    );
    const RATIO: Limit = Limit::new(
        "ratio",
        "ratio",
        Unit::One,
        [0.5, 20.0, 0.5, 10.0],
        "gears are small",
    );
    let suggested = |limit: &Limit, text: &str| {
        let none = Vec::new();
        let mut intake = Intake::new(&none);
        intake.need(limit, limit.field, &Entry::from(text));
        intake.finish().unwrap_err().problems[0].suggestion()
    };
    assert_eq!(suggested(&SCORE, "9"), None);
    assert_eq!(suggested(&SCORE, "10"), Some(1.0));
    assert_eq!(suggested(&RATIO, "34.4"), Some(3.44));
}
