//! Readings far from their series are asked about, and none is dropped.
#![allow(clippy::unwrap_used)]

use wattotherm_measure::entry::{FieldProblem, Intake, Limit};
use wattotherm_measure::{Unit, grubbs_critical};

const REST: Limit = Limit::new(
    "rest_mm",
    "rest",
    Unit::Mm,
    [-50.0, 500.0, -50.0, 500.0],
    "it is a length",
);

fn asked(values: &[f64], least: f64, confirmed: &[&str]) -> Vec<String> {
    let named: Vec<(String, f64)> = values
        .iter()
        .enumerate()
        .map(|(i, v)| (format!("runs.{i}"), *v))
        .collect();
    let confirmed: Vec<String> = confirmed.iter().map(|c| (*c).to_owned()).collect();
    let mut intake = Intake::new(&confirmed);
    intake.ask_outliers(&REST, &named, least);
    match intake.finish() {
        Ok(()) => Vec::new(),
        Err(e) => e.problems.iter().map(FieldProblem::to_string).collect(),
    }
}

/// Source: Grubbs 1969, table 1, two-sided 1 % (as in ISO 5725-2 and the NIST/SEMATECH e-Handbook's formula; from memory).
#[test]
fn critical_values_are_those_of_the_table() {
    for (n, want) in [(3, 1.155), (5, 1.764), (6, 1.973), (10, 2.482), (20, 3.001)] {
        let got = grubbs_critical(n, 0.01).unwrap();
        assert!((got - want).abs() < 0.001, "{n}: {got} against {want}");
    }
    assert_eq!(grubbs_critical(2, 0.01), None);
}

#[test]
fn one_of_three_that_is_far_is_asked_about_with_its_distance() {
    assert_eq!(
        asked(&[27.5, 72.5, 27.0], 0.5, &[]),
        [
            "72.5 mm is 45.25 mm from the others: mistyped? Type it again, or confirm it if it is right."
        ]
    );
    assert!(asked(&[27.5, 72.5, 27.0], 0.5, &["runs.1"]).is_empty());
    // Two can't say which of them it is; scatter of the usual size is no question.
    assert!(asked(&[27.5, 72.5], 0.5, &[]).is_empty());
    assert!(asked(&[27.5, 29.0, 27.0], 0.5, &[]).is_empty());
    assert!(asked(&[27.5, 27.5, 27.5, 28.5], 0.5, &[]).is_empty());
}

#[test]
fn from_five_on_a_test_decides() {
    assert_eq!(asked(&[20.1, 20.0, 19.9, 20.0, 23.0], 0.1, &[]).len(), 1);
    assert!(asked(&[20.1, 20.4, 19.6, 20.0, 20.9], 0.1, &[]).is_empty());
    // Readings that agree to the last digit make no outlier of what the instrument can be off by.
    assert!(asked(&[20.0, 20.0, 20.0, 20.0, 20.0, 20.15], 0.1, &[]).is_empty());
}

/// By simulation, with a generator of its own: of normal series one in a hundred is asked about at most.
#[test]
fn sound_series_are_hardly_ever_asked_about() {
    let mut state = 0x2545_F491_4F6C_DD1D_u64;
    let mut normal = || {
        let mut sum = 0.0;
        for _ in 0..12 {
            state = state
                .wrapping_mul(6_364_136_223_846_793_005)
                .wrapping_add(1_442_695_040_888_963_407);
            // OK because 53 bits fit a double.
            #[allow(clippy::cast_precision_loss)]
            let x = (state >> 11) as f64 / 9_007_199_254_740_992.0;
            sum += x;
        }
        sum - 6.0
    };
    for n in [5_usize, 8, 15] {
        let mut questions = 0_u32;
        for _ in 0..4_000 {
            let series: Vec<f64> = (0..n).map(|_| 100.0 + normal()).collect();
            questions += u32::from(!asked(&series, 0.0, &[]).is_empty());
        }
        assert!(questions <= 56, "{n}: {questions} of 4000");
    }
}
