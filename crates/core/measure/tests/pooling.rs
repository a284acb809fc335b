//! Instrument and scatter pooled; guard bands of one side. Reference figures: tools/reference/propagation.py (scipy).
#![allow(clippy::unwrap_used, clippy::cast_precision_loss)]

use proptest::prelude::*;
use wattotherm_measure::{
    Combined, PartOf, Reading, Verdict, decide_one_sided, default_instruments, expanded,
    expanded_one_sided, fresh_mean, u_of_mean,
};

/// F(0.99; n − 1, 8) by scipy.
const F99: [(usize, f64); 4] = [
    (2, 11.258_624_143),
    (3, 8.649_110_641),
    (5, 7.006_076_623),
    (10, 5.910_618_849),
];

#[test]
fn a_scatter_is_more_than_the_instrument_explains_only_by_the_test() {
    let rule = &default_instruments()[0];
    let own = (2.0 / 3.0_f64).sqrt() * rule.half_width;
    for (n, f) in F99 {
        for (factor, says) in [(0.999, false), (1.001, true)] {
            // A series with exactly this standard deviation: two ends, the rest in the middle.
            let s = own * f.sqrt() * factor;
            let end = s * ((n as f64 - 1.0) / 2.0).sqrt();
            let mut values = vec![100.0; n];
            values[0] += end;
            values[n - 1] -= end;
            let mean = fresh_mean(&values, &Reading::from_a_mark(rule, 0.0)).unwrap();
            assert_eq!(mean.scatters, says, "{n} {factor} {}", mean.series.s / s);
        }
    }
}

#[test]
fn a_mark_has_its_own_line_and_a_finer_instrument_does_not_mend_it() {
    let all = default_instruments();
    let (rule, caliper) = (&all[0], &all[1]);
    let of = |i| fresh_mean(&[92.0, 92.4], &Reading::from_a_mark(i, 0.3)).unwrap();
    assert_eq!(of(rule).parts[0].of, PartOf::Instrument);
    assert_eq!(of(caliper).parts[0].of, PartOf::Mark);
    // Half a millimetre on one run: neither is below what the mark alone gives.
    let one = fresh_mean(&[92.0], &Reading::from_a_mark(caliper, 0.3)).unwrap();
    assert!(one.combined.u > 0.3 / 3.0_f64.sqrt());
    assert!(one.combined.u < 0.31 / 3.0_f64.sqrt());
}

#[test]
fn a_guard_band_of_one_side_takes_the_upper_point_of_student() {
    // scipy: t(0.95; 23) = 1.713871528, t(0.95; 5) = 2.015048373; the normal one 1.644853627.
    for (dof, t) in [
        (23.0, 1.713_871_528),
        (5.0, 2.015_048_373),
        (f64::INFINITY, 1.644_853_627),
    ] {
        let got = expanded_one_sided(Combined { u: 1.0, dof }, 0.95).unwrap();
        assert!((got - t).abs() < 1e-8, "{dof}: {got}");
    }
    assert_eq!(decide_one_sided(0.40, 0.09, 0.5), Verdict::Pass);
    assert_eq!(decide_one_sided(0.45, 0.09, 0.5), Verdict::MeasureAgain);
    assert_eq!(decide_one_sided(0.55, 0.09, 0.5), Verdict::MeasureAgain);
    assert_eq!(decide_one_sided(0.60, 0.09, 0.5), Verdict::Adjust);
    // A limit minus itself is nothing: on the limit to the last printed digit is on it.
    assert_eq!(decide_one_sided(0.1 + 0.2, 0.0, 0.3), Verdict::Pass);
}

proptest! {
    #[test]
    fn uncertainty_has_no_step_where_scatter_and_limit_meet(s in 0.0_f64..2.0, n in 2_usize..12, mark in 0.0_f64..0.5) {
        let rule = &default_instruments()[0];
        let reading = Reading::from_a_mark(rule, mark);
        let at = |s: f64| expanded(u_of_mean(s, n, 100.0, &reading), 0.95).unwrap();
        prop_assert!((at(s + 1e-6) - at(s)).abs() < 1e-5);
        prop_assert!(at(s + 0.05) >= at(s));
    }

    #[test]
    fn more_readings_of_the_same_scatter_never_know_less(share in 0.0_f64..4.0, n in 2_usize..12) {
        // Up to four times what the instrument explains: beyond it the F test says that something else moves.
        let caliper = &default_instruments()[1];
        let s = share * caliper.half_width / 3.0_f64.sqrt();
        let at = |n: usize| expanded(u_of_mean(s, n, 20.0, &Reading::once(caliper)), 0.95).unwrap();
        prop_assert!(at(n + 1) <= at(n) + 1e-12);
    }

    #[test]
    fn the_parts_make_the_whole(values in prop::collection::vec(90.0_f64..95.0, 1..9), mark in 0.0_f64..0.5) {
        let rule = &default_instruments()[0];
        let mean = fresh_mean(&values, &Reading::from_a_mark(rule, mark)).unwrap();
        let whole: f64 = mean.parts.iter().map(|p| p.u * p.u).sum();
        prop_assert!((whole.sqrt() - mean.combined.u).abs() < 1e-12);
        prop_assert!(mean.parts.windows(2).all(|w| w[0].u >= w[1].u));
    }
}
