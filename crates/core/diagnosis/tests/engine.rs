//! The engine against full enumeration, all permutations and brute force, on small models drawn at random.

#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_diagnosis::{
    Action, ActionKind, BLANK, Case, Cause, Engine, JUDGED_CASES, Model, Observation, Outcome,
    Reason, learned,
};

fn leak<T>(v: Vec<T>) -> &'static [T] {
    Box::leak(v.into_boxed_slice())
}

fn name(kind: char, i: usize) -> &'static str {
    Box::leak(format!("{kind}{i}").into_boxed_str())
}

/// Weights, P(yes) by cause and observation, minutes of each remedy and of each check.
#[derive(Clone, Debug)]
struct Drawn {
    weights: Vec<f64>,
    yes: Vec<Vec<f64>>,
    remedies: Vec<f64>,
    checks: Vec<f64>,
}

fn drawn(causes: usize, observations: usize) -> impl Strategy<Value = Drawn> {
    (
        proptest::collection::vec(0.5f64..10.0, causes),
        proptest::collection::vec(
            proptest::collection::vec(0.02f64..0.98, observations),
            causes,
        ),
        proptest::collection::vec(1.0f64..30.0, causes - 1),
        proptest::collection::vec(0.5f64..10.0, observations),
    )
        .prop_map(|(weights, yes, remedies, checks)| Drawn {
            weights,
            yes,
            remedies,
            checks,
        })
}

/// The last cause is none of the others: nothing mends it.
fn model(d: &Drawn) -> Model<'static> {
    let observations: Vec<Observation> = (0..d.checks.len())
        .map(|o| Observation {
            id: name('o', o),
            says: "",
            asks: "",
            base: 0.1,
            reads: None,
        })
        .collect();
    let causes: Vec<Cause> = d
        .weights
        .iter()
        .enumerate()
        .map(|(c, w)| Cause {
            id: name('c', c),
            label: "",
            weight: *w,
            hazard: false,
            shaken_by: &[],
            cured_by: &[],
            shows: leak(
                observations
                    .iter()
                    .enumerate()
                    .map(|(o, x)| (x.id, d.yes[c][o]))
                    .collect(),
            ),
        })
        .collect();
    let action = |id, minutes, kind| Action {
        id,
        minutes,
        kind,
        ..BLANK
    };
    let mut actions: Vec<Action> = observations
        .iter()
        .zip(&d.checks)
        .enumerate()
        .map(|(i, (o, m))| action(name('k', i), *m, ActionKind::Check(leak(vec![o.id]))))
        .collect();
    for (i, m) in d.remedies.iter().enumerate() {
        actions.push(action(
            name('r', i),
            *m,
            ActionKind::Remedy(leak(vec![(causes[i].id, 1.0)])),
        ));
    }
    Model {
        causes: leak(causes),
        observations: leak(observations),
        actions: leak(actions),
        ladders: &[],
        no_heat_when: &[],
        give_up_min: 60.0,
    }
}

/// Posterior by summing the whole joint table of causes and observations.
fn enumerated(d: &Drawn, answers: &[Option<bool>]) -> Vec<f64> {
    let n = answers.len();
    let mut by_cause = vec![0.0; d.weights.len()];
    for (c, w) in d.weights.iter().enumerate() {
        for world in 0..1u32 << n {
            let seen = |o: usize| world >> o & 1 == 1;
            if answers
                .iter()
                .enumerate()
                .any(|(o, a)| a.is_some_and(|yes| yes != seen(o)))
            {
                continue;
            }
            let p: f64 = (0..n)
                .map(|o| {
                    if seen(o) {
                        d.yes[c][o]
                    } else {
                        1.0 - d.yes[c][o]
                    }
                })
                .product();
            by_cause[c] += w * p;
        }
    }
    let all: f64 = by_cause.iter().sum();
    by_cause.iter().map(|p| p / all).collect()
}

/// Expected minutes of mending in this order, given up at the best place, by walking each cause through it.
fn cost_of(d: &Drawn, p: &[f64], order: &[usize]) -> f64 {
    let until = |n: usize| -> f64 {
        (0..d.weights.len())
            .map(|c| {
                let mut spent = 0.0;
                for r in &order[..n] {
                    spent += d.remedies[*r];
                    if *r == c {
                        return p[c] * spent;
                    }
                }
                p[c] * (spent + 60.0)
            })
            .sum()
    };
    (0..=order.len()).map(until).fold(f64::INFINITY, f64::min)
}

fn permutations(n: usize) -> Vec<Vec<usize>> {
    if n == 0 {
        return vec![Vec::new()];
    }
    let mut all = Vec::new();
    for shorter in permutations(n - 1) {
        for at in 0..=shorter.len() {
            let mut longer = shorter.clone();
            longer.insert(at, n - 1);
            all.push(longer);
        }
    }
    all
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    #[test]
    fn beliefs_are_those_of_full_enumeration(d in drawn(5, 6), answers in proptest::collection::vec(proptest::option::of(any::<bool>()), 6)) {
        let m = model(&d);
        let (got, _) = Engine::new(&m).believed(&Case::seen(&m, &answers));
        for (a, b) in got.0.iter().zip(enumerated(&d, &answers)) {
            prop_assert!((a - b).abs() < 1e-12, "{a} {b}");
        }
    }

    #[test]
    fn the_order_of_probability_over_cost_is_the_best_of_all(d in drawn(6, 2)) {
        let m = model(&d);
        let (engine, case) = (Engine::new(&m), Case::new(&m));
        let (beliefs, _) = engine.believed(&case);
        let got = engine.expected_minutes(&beliefs, &case);
        let best = permutations(d.remedies.len()).iter().map(|o| cost_of(&d, &beliefs.0, o)).fold(f64::INFINITY, f64::min);
        prop_assert!((got - best).abs() < 1e-9, "{got} {best}");
    }

    #[test]
    fn a_check_is_proposed_exactly_where_brute_force_says_that_it_saves(d in drawn(5, 3)) {
        let m = model(&d);
        let p = enumerated(&d, &[None; 3]);
        let least = |p: &[f64]| permutations(d.remedies.len()).iter().map(|o| cost_of(&d, p, o)).fold(f64::INFINITY, f64::min);
        let now = least(&p);
        let with: Vec<f64> = (0..3).map(|o| {
            let mut rest = 0.0;
            for yes in [true, false] {
                let mut answers = [None; 3];
                answers[o] = Some(yes);
                let chance: f64 = p.iter().enumerate().map(|(c, p)| p * if yes { d.yes[c][o] } else { 1.0 - d.yes[c][o] }).sum();
                rest += chance * least(&enumerated(&d, &answers));
            }
            d.checks[o] + rest
        }).collect();
        let best = with.iter().copied().fold(f64::INFINITY, f64::min);
        // Where it is most likely none of them, nothing is looked for.
        prop_assume!(p[4] < 0.7);
        let (engine, case) = (Engine::new(&m), Case::new(&m));
        let (beliefs, _) = engine.believed(&case);
        let got = engine.propose(&beliefs, &case);
        let checks = matches!(got.reason, Reason::Saves(_));
        // Where two are as good as each other, either will do.
        if (best - now).abs() > 0.3 {
            prop_assert_eq!(checks, best < now);
        }
        if checks {
            prop_assert!(got.expected_min < best + 0.3, "{} {}", got.expected_min, best);
        } else {
            prop_assert!((got.expected_min - now).abs() < 1e-9);
        }
    }

    #[test]
    fn two_at_once_never_outweighs_what_it_is_part_of(d in drawn(5, 6), answers in proptest::collection::vec(proptest::option::of(any::<bool>()), 6)) {
        let m = model(&d);
        if let Some(pair) = Engine::new(&m).two_at_once(&Case::seen(&m, &answers)) {
            prop_assert!(pair.p > 0.0 && pair.p <= 1.0);
            prop_assert!(pair.causes[0] < pair.causes[1] && pair.causes[1] < 4, "none of these makes no pair");
        }
    }

    /// Closed form of a Dirichlet distribution's mean, by adding cases one at a time to an urn that begins with the judgement.
    #[test]
    fn learning_is_an_urn_to_which_each_case_adds_one(weights in proptest::collection::vec(0.5f64..10.0, 5), cases in proptest::collection::vec(0usize..5, 0..60)) {
        let all: f64 = weights.iter().sum();
        let mut urn: Vec<f64> = weights.iter().map(|w| w / all * JUDGED_CASES).collect();
        let mut counts = [0.0; 5];
        for c in &cases {
            urn[*c] += 1.0;
            counts[*c] += 1.0;
        }
        let balls: f64 = urn.iter().sum();
        for (got, balls_of_one) in learned(&weights, &counts).iter().zip(&urn) {
            prop_assert!((got - balls_of_one / balls).abs() < 1e-12);
        }
    }

    #[test]
    fn a_remedy_without_help_weighs_against_what_it_mends_as_bayes_says(d in drawn(5, 2), which in 0usize..4) {
        let m = model(&d);
        let engine = Engine::new(&m);
        let action = m.action(name('r', which)).unwrap();
        let mut case = Case::new(&m);
        case.tried[action] = Some(Outcome::NoHelp);
        // What mends for certain and didn't help was not it; the others share what it had.
        let all: f64 = d.weights.iter().sum::<f64>() - d.weights[which];
        for (c, p) in engine.believed(&case).0.0.iter().enumerate() {
            let expected = if c == which { 0.0 } else { d.weights[c] / all };
            prop_assert!((p - expected).abs() < 1e-12);
        }
        // It is not proposed again.
        prop_assert_ne!(engine.propose(&engine.believed(&case).0, &case).action, Some(action));
    }

    #[test]
    fn what_nobody_can_tell_changes_no_belief_and_is_not_asked_again(d in drawn(5, 3)) {
        let m = model(&d);
        let engine = Engine::new(&m);
        let mut case = Case::new(&m);
        for o in 0..3 {
            case.unsure[o] = true;
        }
        let (beliefs, _) = engine.believed(&case);
        prop_assert_eq!(&beliefs, &engine.before(&case));
        let got = engine.propose(&beliefs, &case);
        prop_assert!(got.action.is_none_or(|a| m.actions[a].answers().is_empty()));
    }
}
