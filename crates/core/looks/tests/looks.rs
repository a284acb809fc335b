//! Looks into numbers, against libraries and drawn truths.
#![allow(clippy::unwrap_used, clippy::float_cmp)]

use proptest::prelude::*;
use wattotherm_looks::{
    Credited, Effect, Picked, SCORE_U, Tiles, TowerBand, Tried, agreement, broken_line, credits,
    pick, strengths, surface, tower,
};

/// The worked example of fifty answers that textbooks give: 0.70 of them equal, half of that by chance.
/// Source: common, from memory; the formula is Cohen's, 1960.
#[test]
fn kappa_of_the_textbook_is_two_fifths() {
    let mut answers = Vec::new();
    for (n, pair) in [(20, (1, 1)), (5, (1, 0)), (10, (0, 1)), (15, (0, 0))] {
        answers.extend(std::iter::repeat_n(pair, n));
    }
    let got = agreement(&answers).unwrap();
    assert!((got.share - 0.7).abs() < 1e-12);
    assert!((got.kappa.unwrap() - 0.4).abs() < 1e-12);
}

/// Against scikit-learn's `cohen_kappa_score`, by tools/reference/looks.py.
#[test]
fn kappa_is_that_of_a_library() {
    const CASES: [(&[u8], &[u8], f64); 3] = [
        (
            &[0, 2, 2, 0, 1, 2, 1, 2, 2, 0, 2, 0],
            &[1, 2, 2, 1, 1, 2, 1, 0, 2, 2, 2, 0],
            0.478_260_869_565_217_4,
        ),
        (
            &[
                0, 1, 4, 0, 2, 0, 2, 3, 4, 3, 3, 3, 4, 3, 1, 2, 0, 0, 1, 3, 1, 2, 3, 2, 3, 4, 3, 4,
                2, 4, 4, 3, 4, 1, 2, 0, 2, 4, 1, 2,
            ],
            &[
                4, 1, 1, 0, 2, 0, 2, 3, 4, 3, 0, 3, 0, 3, 1, 2, 2, 0, 2, 3, 2, 2, 3, 2, 3, 4, 3, 4,
                2, 4, 3, 3, 3, 1, 2, 0, 2, 4, 1, 2,
            ],
            0.714_738_510_301_109_5,
        ),
        (
            &[
                3, 4, 6, 4, 8, 4, 8, 5, 0, 6, 5, 0, 6, 2, 0, 5, 7, 5, 5, 4, 7, 0, 0, 0, 5,
            ],
            &[
                3, 4, 6, 4, 8, 4, 8, 5, 0, 6, 0, 2, 6, 2, 3, 5, 7, 5, 5, 4, 3, 0, 2, 0, 3,
            ],
            0.721_706_864_564_007_5,
        ),
    ];
    for (a, b, expected) in CASES {
        let rounds: Vec<(u8, u8)> = a.iter().copied().zip(b.iter().copied()).collect();
        let got = agreement(&rounds).unwrap().kappa.unwrap();
        assert!((got - expected).abs() < 1e-12, "{got} against {expected}");
    }
}

#[test]
fn one_answer_alone_agrees_by_chance() {
    assert_eq!(agreement(&[(3, 3), (3, 3)]).unwrap().kappa, None);
    assert_eq!(agreement::<u8>(&[]), None);
}

const CARDS: Tiles = Tiles {
    from: -20.0,
    step: 5.0,
    count: 9,
};

fn picked(first: &[u32], second: &[u32]) -> Picked {
    pick(&CARDS, first, second).unwrap().0
}

#[test]
fn the_same_card_twice_is_known_to_half_a_step() {
    let (got, agreed) = pick(&CARDS, &[5], &[5]).unwrap();
    assert_eq!(
        got,
        Picked::Settled {
            value: 5.0,
            expanded: 2.5,
            tied: 1
        }
    );
    assert_eq!(agreed.kappa, Some(1.0));
}

#[test]
fn neighbours_that_cannot_be_told_apart_give_their_middle_known_to_a_step() {
    let tie = Picked::Settled {
        value: 2.5,
        expanded: 5.0,
        tied: 2,
    };
    // One after the other, or both in both looks.
    assert_eq!(picked(&[5], &[4]), tie);
    assert_eq!(picked(&[5, 4], &[4, 5]), tie);
    assert!(pick(&CARDS, &[5], &[4]).unwrap().1.kappa.unwrap() < 0.0);
}

#[test]
fn a_pick_at_the_end_asks_for_another_range_and_picks_apart_say_so() {
    assert_eq!(picked(&[0], &[0]), Picked::AtEnd { first: true });
    assert_eq!(picked(&[7], &[8]), Picked::AtEnd { first: false });
    assert_eq!(
        picked(&[2], &[6]),
        Picked::Apart {
            one: -10.0,
            other: 10.0
        }
    );
    // Good ones with a bad one between them.
    assert!(matches!(picked(&[3, 5], &[3, 5]), Picked::Apart { .. }));
    assert_eq!(pick(&CARDS, &[], &[3]), None);
    assert_eq!(pick(&CARDS, &[9], &[3]), None);
}

#[test]
fn one_that_never_lost_is_ahead_and_not_infinitely_so() {
    let wins: Vec<(usize, usize)> = (0..12).flat_map(|_| [(0, 1), (0, 2), (1, 2)]).collect();
    let got = strengths(3, &wins).unwrap();
    assert_eq!((got.best, got.next), (0, 1));
    assert!(got.ahead.is_finite() && got.log.iter().sum::<f64>().abs() < 1e-9);
    assert!(got.is_settled());
    // One win proves nothing.
    assert!(!strengths(2, &[(0, 1)]).unwrap().is_settled());
    assert_eq!(
        strengths(3, &[(0, 1)]),
        None,
        "the third never met the others"
    );
    assert_eq!(strengths(2, &[(0, 2)]), None);
}

/// Against scipy's simplex from many starts, and an interval by another bisection: tools/reference/looks.py. Level,
/// break, fall, place of 5 % less, its interval.
#[test]
fn a_broken_line_is_that_of_a_library() {
    const CASES: [([f64; 11], [f64; 6]); 3] = [
        (
            [
                0.9968, 0.9947, 0.999, 1.0017, 1.0045, 0.9004, 0.7978, 0.6969, 0.603, 0.5065,
                0.4011,
            ],
            [
                0.998_972, 12.0, 0.049_674, 13.005_534, 12.901_176, 13.145_320,
            ],
        ),
        (
            [
                0.9751, 0.9762, 0.9864, 0.8608, 0.6131, 0.3797, 0.1353, -0.1025, -0.342, -0.5829,
                -0.8178,
            ],
            [
                0.979_233, 8.978_707, 0.119_840, 9.387_265, 9.316_004, 9.457_935,
            ],
        ),
        (
            [
                1.0197, 1.0176, 1.0216, 1.0233, 1.0134, 1.019, 0.9861, 0.9293, 0.8648, 0.8101,
                0.7498,
            ],
            [
                1.019_1, 14.894_221, 0.029_59, 16.616_255, 16.371_193, 16.846_335,
            ],
        ),
    ];
    let x: Vec<f64> = (0..11).map(|i| 4.0 + 2.0 * f64::from(i)).collect();
    for (y, [level, breaks, falls, at, low, high]) in CASES {
        let got = broken_line(&x, &y, 0.05, 0.005).unwrap();
        for (g, e) in [
            (got.level, level),
            (got.breaks, breaks),
            (got.falls, falls),
            (got.at, at),
            (got.within[0], low),
            (got.within[1], high),
        ] {
            assert!((g - e).abs() < 2e-3 * e.abs(), "{got:?}: {g} against {e}");
        }
    }
}

#[test]
fn what_never_falls_has_no_limit() {
    let x: Vec<f64> = (0..8).map(|i| 4.0 + 2.0 * f64::from(i)).collect();
    let y: Vec<f64> = (0..8).map(|i| 1.0 + 0.004 * f64::from(i % 3)).collect();
    assert_eq!(broken_line(&x, &y, 0.05, 0.005), None);
}

/// A source of normal numbers that shares nothing with the code: the sum of twelve even ones.
fn normal(rng: &mut fastrand::Rng) -> f64 {
    (0..12).map(|_| rng.f64()).sum::<f64>() - 6.0
}

#[test]
fn nineteen_of_twenty_intervals_of_a_limit_hold_it() {
    let mut rng = fastrand::Rng::with_seed(11);
    let (mut held, mut found) = (0, 0);
    for _ in 0..400 {
        let (level, k, falls) = (
            0.9 + 0.1 * rng.f64(),
            7.0 + 9.0 * rng.f64(),
            0.02 + 0.06 * rng.f64(),
        );
        let x: Vec<f64> = (0..10).map(|i| 4.0 + 2.0 * f64::from(i)).collect();
        let y: Vec<f64> = x
            .iter()
            .map(|x| level - falls * (x - k).max(0.0) + 0.006 * normal(&mut rng))
            .collect();
        let Some(got) = broken_line(&x, &y, 0.05, 0.006) else {
            continue;
        };
        found += 1;
        let truth = k + 0.05 * level / falls;
        held += u32::from((got.within[0]..=got.within[1]).contains(&truth));
    }
    assert!(found > 380, "{found}");
    assert!(held * 100 >= found * 92, "{held} of {found}");
}

fn bands(values: &[(f64, f64)]) -> Vec<TowerBand> {
    values
        .iter()
        .map(|(value, score)| TowerBand {
            value: *value,
            score: *score,
        })
        .collect()
}

/// Six bands of a soft filament: a plateau, not a peak.
#[test]
fn a_tower_gives_a_plateau() {
    let (sorted, got) = tower(
        &bands(&[
            (240.0, 1.0),
            (235.0, 2.0),
            (230.0, 3.25),
            (225.0, 3.5),
            (220.0, 3.25),
            (215.0, 2.0),
        ]),
        0.2,
    )
    .unwrap();
    assert!(got.curve);
    let plateau = got.plateau.map(|i| sorted[i].value);
    assert_eq!(plateau, [220.0, 230.0], "{got:?}");
}

/// Against numpy's `polyfit` of the second degree.
#[test]
fn the_curve_of_a_tower_is_a_parabola_by_least_squares() {
    let (_, got) = tower(
        &bands(&[
            (215.0, 2.0),
            (220.0, 3.25),
            (225.0, 3.5),
            (230.0, 3.25),
            (235.0, 2.0),
            (240.0, 1.0),
        ]),
        0.4,
    )
    .unwrap();
    let expected = include!("reference/parabola.rs");
    for (g, e) in got.predicted.iter().zip(expected) {
        assert!((g - e).abs() < 1e-9, "{:?}", got.predicted);
    }
}

#[test]
fn a_cliff_is_not_smoothed_into_a_hill() {
    // Good to 230, then nothing bonds at all: a parabola would put the best where it already falls.
    let (sorted, got) = tower(
        &bands(&[
            (205.0, 0.0),
            (210.0, 0.0),
            (215.0, 4.0),
            (220.0, 4.0),
            (225.0, 4.0),
            (230.0, 4.0),
            (235.0, 0.0),
            (240.0, 0.0),
        ]),
        SCORE_U,
    )
    .unwrap();
    assert!(!got.curve);
    let plateau = got.plateau.map(|i| sorted[i].value);
    assert_eq!(plateau, [220.0, 225.0]);
}

proptest! {
    #[test]
    fn the_best_band_is_on_the_plateau_and_no_band_beats_it(
        scores in prop::collection::vec(0.0_f64..4.0, 3..10),
        first in 180.0_f64..260.0,
    ) {
        let all: Vec<(f64, f64)> = scores
            .iter()
            .enumerate()
            .map(|(i, s)| (first + 5.0 * f64::from(u32::try_from(i).unwrap()), *s))
            .collect();
        let (_, got) = tower(&bands(&all), SCORE_U).unwrap();
        prop_assert!((got.plateau[0]..=got.plateau[1]).contains(&got.best));
        let top = got.predicted[got.best];
        prop_assert!(got.predicted.iter().all(|p| *p <= top));
    }
}

#[test]
fn the_board_says_which_change_earned_what() {
    // Distance, speed, travel, hop.
    let board = [
        (vec![4.8, 25.0, 120.0, 0.2], 5.0),
        // The tube was swapped: the same settings again.
        (vec![4.8, 25.0, 120.0, 0.2], 4.0),
        (vec![4.8, 60.0, 120.0, 0.2], 4.0),
        (vec![4.8, 15.0, 120.0, 0.2], 3.0),
        (vec![4.8, 15.0, 120.0, 0.0], 1.0),
        (vec![4.2, 15.0, 200.0, 0.0], 0.0),
    ];
    let got = credits(&board);
    let one = |setting, effect| Credited::One { setting, effect };
    let to = |n: usize| -> Vec<Credited> { got[n].iter().map(|c| c.to.clone()).collect() };
    assert_eq!(to(0), [Credited::First]);
    assert_eq!(to(1), [Credited::Again]);
    assert_eq!(to(2), [one(1, Effect::NotSeen)], "fast doesn’t help");
    assert_eq!(to(3), [one(1, Effect::Better)], "slow does");
    assert_eq!(to(4), [one(3, Effect::Better)], "hop off");
    assert_eq!((got[4][0].against, got[4][0].by), (Some(3), -2.0));
    assert_eq!(
        to(5),
        [Credited::Neither {
            changed: vec![0, 2],
            missing: 0
        }]
    );
}

#[test]
fn a_print_that_stands_between_two_credits_both_changes() {
    let board = [
        (vec![4.8, 25.0], 2.0),
        (vec![5.4, 15.0], 0.0),
        (vec![4.8, 15.0], 0.0),
    ];
    let got = credits(&board);
    let last: Vec<(Option<usize>, Credited)> =
        got[2].iter().map(|c| (c.against, c.to.clone())).collect();
    assert_eq!(
        last,
        [
            (
                Some(1),
                Credited::One {
                    setting: 0,
                    effect: Effect::NotSeen
                }
            ),
            (
                Some(0),
                Credited::One {
                    setting: 1,
                    effect: Effect::Better
                }
            ),
        ]
    );
}

/// Strings of a drawn truth: fewest at `d0`, a little fewer the slower, rounded as an eye scores.
fn seen(d: f64, v: f64, d0: f64, rng: &mut fastrand::Rng) -> f64 {
    let short = (d0 - d).max(0.0);
    let long = (d - d0 - 0.8).max(0.0);
    let fast = (v / 30.0).ln().abs();
    (2.4 * short + 1.2 * long + 0.8 * fast + 0.25 * normal(rng))
        .round()
        .clamp(0.0, 5.0)
}

const RANGE: [[f64; 2]; 2] = [[0.4, 4.0], [15.0, 60.0]];

#[test]
fn following_the_board_finds_a_clean_setting_in_a_few_prints() {
    let mut rng = fastrand::Rng::with_seed(4);
    let mut needed = Vec::new();
    for _ in 0..60 {
        let d0 = 0.8 + 2.2 * rng.f64();
        let mut tried: Vec<Tried> = [(0.8, 30.0), (1.6, 30.0), (3.2, 30.0)]
            .iter()
            .map(|(d, v)| Tried {
                distance: *d,
                speed: *v,
                score: seen(*d, *v, d0, &mut rng),
            })
            .collect();
        while tried.len() < 14 && tried.iter().all(|t| t.score > 0.5) {
            let next = surface(&tried, RANGE, SCORE_U).unwrap().next;
            tried.push(Tried {
                distance: next.distance,
                speed: next.speed,
                score: seen(next.distance, next.speed, d0, &mut rng),
            });
        }
        needed.push(tried.len());
    }
    needed.sort_unstable();
    assert!(needed[30] <= 5, "half of them within five: {needed:?}");
    assert!(needed[54] <= 10, "nine of ten within ten: {needed:?}");
}

#[test]
fn each_next_print_changes_one_setting_of_an_earlier_one() {
    let mut rng = fastrand::Rng::with_seed(9);
    let mut tried: Vec<Tried> = Vec::new();
    for (d, v) in [(0.8, 30.0), (1.6, 30.0), (2.4, 30.0)] {
        tried.push(Tried {
            distance: d,
            speed: v,
            score: seen(d, v, 2.0, &mut rng),
        });
    }
    for _ in 0..8 {
        let next = surface(&tried, RANGE, SCORE_U).unwrap().next;
        assert!(
            tried
                .iter()
                .any(|t| (t.distance - next.distance).abs() < 1e-9
                    || (t.speed / next.speed - 1.0).abs() < 1e-9),
            "{next:?}"
        );
        tried.push(Tried {
            distance: next.distance,
            speed: next.speed,
            score: seen(next.distance, next.speed, 2.0, &mut rng),
        });
    }
}

#[test]
fn the_chosen_setting_is_the_shortest_that_is_not_worse_and_lies_within_what_was_tried() {
    let tried: Vec<Tried> = [
        (0.5, 30.0, 4.0),
        (1.0, 30.0, 2.0),
        (1.5, 30.0, 1.0),
        (2.0, 30.0, 0.0),
        (2.5, 30.0, 0.0),
        (3.0, 30.0, 1.0),
        (2.0, 15.0, 1.0),
        (2.0, 60.0, 1.0),
        (1.5, 20.0, 1.0),
    ]
    .iter()
    .map(|(d, v, s)| Tried {
        distance: *d,
        speed: *v,
        score: *s,
    })
    .collect();
    let got = surface(&tried, RANGE, SCORE_U).unwrap();
    assert!(got.terms >= 5 && !got.thin);
    assert!((1.6..2.6).contains(&got.best.distance), "{:?}", got.best);
    assert!(got.chosen.distance <= got.best.distance);
    assert!(got.chosen.score <= got.best.score + got.best.expanded + 1e-9);
    assert!(got.grid.may_be_best.iter().any(|b| *b) && !got.grid.may_be_best.iter().all(|b| *b));
    assert_eq!(
        got.grid.scores.len(),
        got.grid.distances.len() * got.grid.speeds.len()
    );
}

#[test]
fn a_board_of_two_prints_or_without_numbers_has_no_surface() {
    let t = |score| Tried {
        distance: 1.0,
        speed: 30.0,
        score,
    };
    assert_eq!(surface(&[t(1.0), t(2.0)], RANGE, SCORE_U), None);
    assert_eq!(
        surface(&[t(1.0), t(2.0), t(f64::NAN)], RANGE, SCORE_U),
        None
    );
}
