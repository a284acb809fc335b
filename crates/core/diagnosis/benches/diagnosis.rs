//! The next check after an answer, and two at once, at 40 causes, 60 observations and 60 actions: prints figures, asserts
//! nothing.
#![allow(clippy::print_stdout, clippy::cast_precision_loss)]

use std::time::Instant;

use fastrand::Rng;
use wattotherm_diagnosis::{Action, ActionKind, Case, Cause, Engine, Model, Observation, SHIPPED};

fn leak<T>(v: Vec<T>) -> &'static [T] {
    Box::leak(v.into_boxed_slice())
}

fn name(kind: char, i: usize) -> &'static str {
    Box::leak(format!("{kind}{i}").into_boxed_str())
}

/// A model of that size: each check answers two, each remedy mends two.
fn model(causes: usize, observations: usize, actions: usize) -> Model<'static> {
    let mut rng = Rng::with_seed(7);
    let seen: Vec<Observation> = (0..observations)
        .map(|o| Observation {
            id: name('o', o),
            says: "",
            asks: "",
            base: 0.08,
            reads: None,
        })
        .collect();
    let all: Vec<Cause> = (0..causes)
        .map(|c| Cause {
            id: name('c', c),
            label: "",
            weight: 1.0 + 9.0 * rng.f64(),
            hazard: c % 5 == 0,
            shaken_by: &[],
            cured_by: &[],
            shows: leak(
                (0..10)
                    .map(|_| (seen[rng.usize(..observations)].id, 0.05 + 0.9 * rng.f64()))
                    .collect(),
            ),
        })
        .collect();
    let done: Vec<Action> = (0..actions)
        .map(|a| {
            let kind = if a < actions / 2 {
                let of = |k: usize| seen[(2 * a + k) % observations].id;
                ActionKind::Check(leak(vec![of(0), of(1)]))
            } else {
                let mut of = |k: usize| (all[(2 * a + k) % (causes - 1)].id, 0.6 + 0.3 * rng.f64());
                ActionKind::Remedy(leak(vec![of(0), of(1)]))
            };
            Action {
                id: name('a', a),
                minutes: 1.0 + 20.0 * rng.f64(),
                kind,
                ..SHIPPED.actions[0]
            }
        })
        .collect();
    Model {
        causes: leak(all),
        observations: leak(seen),
        actions: leak(done),
        ladders: &[],
        no_heat_when: &[],
        give_up_min: 180.0,
    }
}

fn worst_ms(times: usize, mut work: impl FnMut(usize)) -> f64 {
    (0..times)
        .map(|i| {
            let at = Instant::now();
            work(i);
            at.elapsed().as_secs_f64() * 1000.0
        })
        .fold(0.0, f64::max)
}

fn main() {
    // Asked by the test runner only whether it is there.
    if std::env::args().any(|a| a == "--test") {
        return;
    }
    for (what, m) in [("shipped", SHIPPED), ("40 × 60 × 60", model(40, 60, 60))] {
        let engine = Engine::new(&m);
        let n = m.observations.len();
        let case = |i: usize| {
            let mut case = Case::new(&m);
            for k in 0..(i % 12) {
                case.answers[(7 * i + 5 * k) % n] = Some((i + k).is_multiple_of(3));
            }
            case
        };
        let next = worst_ms(200, |i| {
            let case = case(i);
            let (beliefs, _) = engine.believed(&case);
            std::hint::black_box(engine.propose(&beliefs, &case));
        });
        let pairs = worst_ms(200, |i| {
            std::hint::black_box(engine.two_at_once(&case(i)));
        });
        println!(
            "{what}: next check {next:.2} ms (aim 50), two at once {pairs:.2} ms (aim 200), worst of 200"
        );
    }
}
