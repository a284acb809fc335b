//! Checks against something outside the project. Each source stands beside its numbers.

#![allow(clippy::unwrap_used)]

use serde_json::json;
use wattotherm_job::Context;
use wattotherm_job::stations::{
    self, AnyStation,
    acceptance::{
        it_grade_by_formula_um, it_grade_um, run_at_random_min, run_at_same_point_min,
        shown_at_random, shown_at_same_point, tolerance_factor_um,
    },
    drive::{computed_steps_per_mm, mm_per_motor_turn},
};
use wattotherm_measure::{
    Component, Reading, SettleOption, Verdict, combine, decide, default_instruments, expanded,
    fresh_mean, least_squares, t_two_sided, u_rectangular, what_would_settle,
};
use wattotherm_printer::{GearFacts, ScrewThread};

fn close(got: f64, want: f64, tolerance: f64, what: &str) {
    assert!(
        (got - want).abs() <= tolerance,
        "{what}: got {got}, want {want} ±{tolerance}"
    );
}

/// JCGM 100:2008, H.1 (end gauge calibration): components of H.1.3 to H.1.6 in nm, u_c = 32 nm,
/// ν_eff = 16 after truncation, U99 = 93 nm with t99(16) = 2.92.
#[test]
fn gum_h1_end_gauge_comes_out_as_published() {
    let combined = combine(&[
        Component {
            u: 25.0,
            sensitivity: 1.0,
            dof: 18.0,
        },
        Component {
            u: 9.7,
            sensitivity: 1.0,
            dof: 25.6,
        },
        Component {
            u: 2.9,
            sensitivity: 1.0,
            dof: 50.0,
        },
        Component {
            u: 16.6,
            sensitivity: 1.0,
            dof: 2.0,
        },
    ]);
    close(combined.u, 32.0, 0.5, "u_c [nm]");
    close(
        combined.dof.floor(),
        16.0,
        0.0,
        "effective degrees of freedom",
    );
    let u99 = t_two_sided(0.99, combined.dof.floor()).unwrap() * combined.u;
    close(u99, 93.0, 0.5, "U99 [nm]");
    close(
        50.000_838,
        50.000_623 + 215.0e-6,
        1e-9,
        "length of H.1.2 [mm]",
    );
}

/// Student's t, two-sided 95 %: JCGM 100:2008, table G.2 (two decimals) and the three-decimal
/// values of the NIST/SEMATECH e-Handbook 1.3.6.7.2.
#[test]
fn student_t_agrees_with_the_published_table() {
    let table = [
        (1.0, 12.706),
        (2.0, 4.303),
        (4.0, 2.776),
        (9.0, 2.262),
        (16.0, 2.120),
        (30.0, 2.042),
        (f64::INFINITY, 1.960),
    ];
    for (dof, want) in table {
        close(
            t_two_sided(0.95, dof).unwrap(),
            want,
            0.000_5,
            &format!("t(0.95, {dof})"),
        );
    }
    assert!(t_two_sided(0.95, 0.5).is_err());
    assert!(t_two_sided(1.0, 3.0).is_err());
    assert!(u_rectangular(-1.0).is_err());
    assert!(u_rectangular(f64::NAN).is_err());
}

/// Linear propagation of the drive's model by PyPI uncertainties 3.2.2; t quantiles by scipy:
/// tools/reference/propagation.py.
#[test]
fn drive_uncertainty_agrees_with_a_reference_library() {
    let rule = &default_instruments()[0];
    let cases = [
        (vec![27.5, 27.0], 100.0, 120.0, 93.0, REFERENCE[0]),
        (vec![23.4], 100.0, 120.0, 93.0, REFERENCE[1]),
        (
            vec![40.0, 40.2, 39.9, 40.1],
            200.0,
            240.0,
            418.6,
            REFERENCE[2],
        ),
    ];
    for (rests, feed, mark, steps, [fed, u_fed, new, u_new]) in cases {
        let values: Vec<f64> = rests.iter().map(|r| mark - r).collect();
        let mean = fresh_mean(&values, &Reading::from_a_mark(rule, 0.0)).unwrap();
        let u = expanded(mean.combined, 0.95).unwrap();
        close(mean.series.mean, fed, 1e-8, "fed [mm]");
        close(u, u_fed, 1e-6, "U(fed) [mm]");
        close(steps * feed / mean.series.mean, new, 1e-7, "new steps/mm");
        close(
            steps * feed / mean.series.mean * u / mean.series.mean,
            u_new,
            1e-5,
            "U(new) [steps/mm]",
        );
    }
    close(
        t_two_sided(0.95, 16.76).unwrap(),
        T_16_76,
        1e-8,
        "t(0.95, 16.76)",
    );
    close(
        t_two_sided(0.99, 16.0).unwrap(),
        T99_16,
        1e-8,
        "t(0.99, 16)",
    );
}

/// Output of tools/reference/propagation.py: fed, U(fed), new, U(new).
const REFERENCE: [[f64; 4]; 3] = [
    [92.75, 0.648_540_145, 100.269_541_779, 0.701_119_387],
    [96.6, 0.807_584_095, 96.273_291_925, 0.804_852_789],
    [199.95, 0.438_445_742, 418.704_676_169, 0.918_125_945],
];
const T_16_76: f64 = 2.112_119_374;
const T99_16: f64 = 2.920_781_622;

/// NIST StRD, linear regression, data set Norris: certified values of the intercept, slope, their
/// standard deviations and the residual standard deviation.
#[test]
fn least_squares_reaches_the_certified_values_of_norris() {
    let rows: Vec<Vec<f64>> = NORRIS.iter().map(|(_, x)| vec![1.0, *x]).collect();
    let y: Vec<f64> = NORRIS.iter().map(|(y, _)| *y).collect();
    let fit = least_squares(&rows, &y).unwrap();
    close(
        fit.coefficients[0],
        -0.262_323_073_774_029,
        1e-11,
        "intercept",
    );
    close(fit.coefficients[1], 1.002_116_818_020_45, 1e-13, "slope");
    close(
        fit.residual_sd,
        0.884_796_396_144_373,
        1e-12,
        "residual standard deviation",
    );
    let sd = |d: &[f64]| fit.unit_variance(d).sqrt() * fit.residual_sd;
    close(
        sd(&[1.0, 0.0]),
        0.232_818_234_301_152,
        1e-12,
        "sd of intercept",
    );
    close(
        sd(&[0.0, 1.0]),
        0.429_796_848_199_937e-3,
        1e-14,
        "sd of slope",
    );
    assert!(least_squares(&[vec![1.0, 2.0]], &[1.0]).is_err());
    assert!(
        least_squares(
            &[vec![1.0, 2.0], vec![2.0, 4.0], vec![3.0, 6.0]],
            &[1.0, 2.0, 3.0]
        )
        .is_err()
    );
}

const NORRIS: [(f64, f64); 36] = [
    (0.1, 0.2),
    (338.8, 337.4),
    (118.1, 118.2),
    (888.0, 884.6),
    (9.2, 10.1),
    (228.1, 226.5),
    (668.5, 666.3),
    (998.5, 996.3),
    (449.1, 448.6),
    (778.9, 777.0),
    (559.2, 558.2),
    (0.3, 0.4),
    (0.1, 0.6),
    (778.1, 775.5),
    (668.8, 666.9),
    (339.3, 338.0),
    (448.9, 447.5),
    (10.8, 11.6),
    (557.7, 556.0),
    (228.3, 228.1),
    (998.0, 995.8),
    (888.8, 887.6),
    (119.6, 120.2),
    (0.3, 0.3),
    (0.6, 0.3),
    (557.6, 556.8),
    (339.3, 339.1),
    (888.0, 887.2),
    (998.5, 999.0),
    (778.9, 779.0),
    (10.2, 11.1),
    (117.6, 118.3),
    (228.9, 229.2),
    (668.4, 669.1),
    (449.2, 448.9),
    (0.2, 0.5),
];

/// ISO 286-1:2010, table 1, sizes above 18 up to 30 mm: IT6 to IT13 are 13, 21, 33, 52, 84, 130,
/// 210, 330 µm; above 30 up to 50 mm: 16, 25, 39, 62, 100, 160, 250, 390 µm (from memory).
#[test]
fn iso_286_grades_come_out_as_tabulated() {
    for (size, widths) in [
        (20.0, [13.0, 21.0, 33.0, 52.0, 84.0, 130.0, 210.0, 330.0]),
        (30.0, [13.0, 21.0, 33.0, 52.0, 84.0, 130.0, 210.0, 330.0]),
        (50.0, [16.0, 25.0, 39.0, 62.0, 100.0, 160.0, 250.0, 390.0]),
    ] {
        for (grade, want) in (6_u8..).zip(widths) {
            let formula = it_grade_by_formula_um(grade, size).unwrap();
            let rounded = if want < 100.0 {
                formula.round()
            } else {
                (formula / 10.0).round() * 10.0
            };
            close(rounded, want, 0.0, &format!("IT{grade} at {size} mm"));
        }
    }
    close(
        tolerance_factor_um(18.0, 30.0),
        1.307,
        0.000_5,
        "i of 18 to 30 mm [µm]",
    );
    for grade in 11..=13 {
        // Below 3 mm the standard departs from its formula.
        for size in [
            5.0, 8.0, 15.0, 20.0, 40.0, 70.0, 100.0, 150.0, 200.0, 300.0, 350.0, 450.0,
        ] {
            let (table, formula) = (
                it_grade_um(grade, size).unwrap(),
                it_grade_by_formula_um(grade, size).unwrap(),
            );
            assert!(
                (table / formula - 1.0).abs() < 0.12,
                "IT{grade} at {size}: table {table}, formula {formula}"
            );
        }
    }
    assert_eq!(it_grade_um(14, 20.0), None);
    assert_eq!(it_grade_um(11, 0.5), None);
    assert_eq!(it_grade_um(11, f64::NAN), None);
}

/// ISO 261, coarse pitches: M3 0.5, M4 0.7, M5 0.8 mm.
#[test]
fn screw_pitches_are_those_of_iso_261() {
    let pitches = [ScrewThread::M3, ScrewThread::M4, ScrewThread::M5].map(ScrewThread::pitch_mm);
    for (got, want) in pitches.into_iter().zip([0.5, 0.7, 0.8]) {
        close(got, want, 0.0, "pitch [mm]");
    }
}

/// The handbook's table of the method notes, section "Long enough": 9 θ for 90 % from one time, 3.46 from three, 2.92
/// from five. And `tools/reference/clean_run.py` with scipy 1.17.1: F(2, 2n) for times at random, Student t for
/// the logarithms of times that come at about the same point.
#[test]
fn a_clean_run_is_as_long_as_the_predictive_distribution_says() {
    for (n, want) in [(1, 9.0), (3, 3.463), (5, 2.924)] {
        let times = vec![40.0; n];
        let run = run_at_random_min(&times, 0.9).unwrap();
        close(run / 40.0, want, 0.001, "times the mean");
        close(
            shown_at_random(&times, run).unwrap(),
            0.9,
            1e-12,
            "and back",
        );
    }
    // scipy.stats.f(2, 2*3).cdf(2.5) = 0.8376…: 1 − (1 + 2.5/3)^−3 = 0.83771.
    close(
        shown_at_random(&[55.0, 70.0, 62.0], 2.5 * 187.0 / 3.0).unwrap(),
        0.837_716,
        1e-6,
        "F(2, 6) at 2.5",
    );
    // exp(mean(ln) + t(0.9; 2)·s·√(4/3)) for 55, 70, 62: s = 0.12075, t(0.9; 2) = 1.885618 (any table of Student's t).
    let logs = [55.0_f64.ln(), 70.0_f64.ln(), 62.0_f64.ln()];
    let mean = logs.iter().sum::<f64>() / 3.0;
    let s = (logs.iter().map(|l| (l - mean).powi(2)).sum::<f64>() / 2.0).sqrt();
    let want = (mean + 1.885_618_083 * s * (4.0_f64 / 3.0).sqrt()).exp();
    let run = run_at_same_point_min(&[55.0, 70.0, 62.0], 0.9).unwrap();
    close(run, want, 1e-4, "log-normal prediction [min]");
    close(
        shown_at_same_point(&[55.0, 70.0, 62.0], run).unwrap(),
        0.9,
        1e-9,
        "and back",
    );
    assert_eq!(run_at_same_point_min(&[60.0], 0.9), None);
    assert_eq!(shown_at_random(&[], 60.0), None);
}

/// By Monte Carlo, with a generator of its own: θ drawn so that the prior is even in ln θ over a wide range, n times drawn
/// from it, kept where their mean is near 1, and one more time: it lies within the run for as many as stated.
#[test]
fn of_faults_that_are_still_there_as_many_show_as_is_said() {
    let mut state = 88_172_645_463_325_252_u64;
    let mut even = || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        // OK because 53 bits fit a double.
        #[allow(clippy::cast_precision_loss)]
        let x = (state >> 11) as f64 / 9_007_199_254_740_992.0;
        x.max(1e-15)
    };
    for n in [1_usize, 2, 5] {
        let (mut within, mut all) = (0_u32, 0_u32);
        let run = run_at_random_min(&vec![1.0; n], 0.9).unwrap();
        while all < 20_000 {
            let theta = (even() * 16.0 - 8.0).exp();
            let mut time = || -theta * even().ln();
            let times: Vec<f64> = (0..n).map(|_| time()).collect();
            #[allow(clippy::cast_precision_loss)]
            let mean = times.iter().sum::<f64>() / n as f64;
            if !(0.8..1.25).contains(&mean) {
                continue;
            }
            all += 1;
            within += u32::from(time() <= run * mean);
        }
        let share = f64::from(within) / f64::from(all);
        // Binomial standard deviation 0.0021; the range of ln θ is cut at e^±8.
        assert!((share - 0.9).abs() < 0.01, "{n} times: {share}");
    }
}

/// Geometry with common practice figures (no published source): 200 × 16 × 3 / (π × 7.3) = 418.6.
#[test]
fn computed_steps_follow_the_drive_as_built() {
    let gear = GearFacts {
        full_steps: 200.0,
        microsteps: 16.0,
        gear_ratio: 3.0,
        drive_diameter_mm: 7.3,
    };
    close(computed_steps_per_mm(&gear), 418.6, 0.05, "steps/mm");
    close(
        mm_per_motor_turn(200.0, 16.0, 93.0),
        34.41,
        0.005,
        "mm per motor turn",
    );
}

/// Common practice, no source: one run with a ±0.5 mm rule on 100 mm leaves about 0.8 mm; four
/// runs over 200 mm leave 0.2 %.
#[test]
fn a_steel_rule_can_not_pass_half_a_percent_with_one_run() {
    let rule = &default_instruments()[0];
    let one = expanded(
        fresh_mean(&[100.0], &Reading::from_a_mark(rule, 0.0))
            .unwrap()
            .combined,
        0.95,
    )
    .unwrap();
    close(one, 0.8, 0.03, "U of one run [mm]");
    assert_eq!(decide(0.0, one, 0.5), Verdict::MeasureAgain);
    let four = expanded(
        fresh_mean(&[200.0; 4], &Reading::from_a_mark(rule, 0.0))
            .unwrap()
            .combined,
        0.95,
    )
    .unwrap();
    close(
        four / 200.0,
        0.002_16,
        0.000_1,
        "relative U of four runs over 200 mm",
    );
    let settled = what_would_settle(
        0.0,
        0.5,
        [SettleOption {
            way: "four runs over 200 mm",
            expanded: four / 2.0,
        }],
    );
    assert_eq!(settled, ["four runs over 200 mm"]);
}

/// ISO 14253-1: conformity is proven only inside the limit less the uncertainty; and the trade's
/// own "20.05 is a pass" on a 20 mm cube of ±0.10 mm.
#[test]
fn a_cube_of_20_05_passes_and_one_of_20_12_does_not() {
    let readings = |x: &str| {
        json!({"edge_mm": "20", "instrument": "caliper", "x_mm": [x, x, x], "y_mm": [x, x, x], "z_mm": ["20.0"], "strings": 0,
               "first_layer_good": "yes", "walls_even": "yes", "clicking": "no", "came_back": "no", "clean_run_min": 31})
    };
    let verdict = |x: &str| {
        stations::Acceptance
            .evaluate(&readings(x), &Context::default())
            .unwrap()
            .facts
            .verdict
    };
    assert_eq!(verdict("20.05"), Verdict::Pass);
    assert_eq!(verdict("20,05"), Verdict::Pass);
    assert_eq!(verdict("20.12"), Verdict::Adjust);
    // Inside the limit, and more than the caliper can blur: the guard band makes it an adjust.
    assert_eq!(verdict("20.095"), Verdict::Adjust);
}
