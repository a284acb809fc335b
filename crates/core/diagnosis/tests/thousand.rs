//! A thousand machines drawn from the model itself, each taken to its cause in four ways; and machines whose likelihoods
//! are off by half from what the engine believes. Invented machines: this tells of the planning, not of the table.

#![allow(clippy::unwrap_used, clippy::print_stdout)] // it prints its table

use fastrand::Rng;
use wattotherm_diagnosis::{Action, Beliefs, Case, Engine, Outcome, SHIPPED};

const MACHINES: u64 = 1000;
/// How often a customer leaves a symptom out.
const UNTOLD: f64 = 0.15;

struct Machine {
    cause: usize,
    answers: Vec<bool>,
    told: Vec<usize>,
}

/// A machine: its cause by weight, its answers by likelihood, each wrong by `off` of itself either way.
fn machine(rng: &mut Rng, engine: &Engine<'_>, off: f64) -> Machine {
    let weights: Vec<f64> = SHIPPED.causes.iter().map(|c| c.weight).collect();
    // Nothing mends "none of these": it has no end to be measured.
    let n = weights.len() - 1;
    let mut left = rng.f64() * weights[..n].iter().sum::<f64>();
    let cause = (0..n)
        .find(|c| {
            left -= weights[*c];
            left <= 0.0
        })
        .unwrap_or(n - 1);
    let answers: Vec<bool> = (0..SHIPPED.observations.len())
        .map(|o| {
            let factor = if rng.bool() { 1.0 + off } else { 1.0 - off };
            rng.f64() < (engine.p_yes(cause, o) * factor).min(0.99)
        })
        .collect();
    let asked = SHIPPED.actions.iter().take_while(|a| a.id != "look");
    let told = asked
        .flat_map(Action::answers)
        .map(|id| SHIPPED.observation(id).unwrap())
        .filter(|o| answers[*o] && rng.f64() > UNTOLD)
        .collect();
    Machine {
        cause,
        answers,
        told,
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Way {
    Engine,
    MildestFirst,
    ReplaceTheLikeliest,
    Random,
}

#[derive(Default, Clone, Copy)]
struct Spent {
    steps: usize,
    minutes: f64,
    /// Minutes' worth of parts and risk.
    parts: f64,
    for_nothing: usize,
    found: bool,
}

fn next(
    way: Way,
    rng: &mut Rng,
    engine: &Engine<'_>,
    beliefs: &Beliefs,
    case: &Case,
) -> Option<usize> {
    let open = || {
        (0..SHIPPED.actions.len())
            .filter(|a| !SHIPPED.actions[*a].mends().is_empty() && case.tried[*a].is_none())
    };
    let cost = |a: usize| SHIPPED.actions[a].cost_min();
    let helps = |a: usize| -> f64 {
        let each = SHIPPED.actions[a].mends().iter();
        each.map(|(c, p)| beliefs.0[SHIPPED.cause(c).unwrap()] * p)
            .sum()
    };
    match way {
        Way::Engine => engine.propose(beliefs, case).action,
        Way::MildestFirst => open().min_by(|a, b| cost(*a).total_cmp(&cost(*b))),
        Way::ReplaceTheLikeliest => open().max_by(|a, b| helps(*a).total_cmp(&helps(*b))),
        Way::Random => {
            let all: Vec<usize> = open().collect();
            (!all.is_empty()).then(|| all[rng.usize(..all.len())])
        }
    }
}

fn course(way: Way, rng: &mut Rng, engine: &Engine<'_>, m: &Machine) -> Spent {
    let mut case = Case::new(&SHIPPED);
    for o in &m.told {
        case.answers[*o] = Some(true);
    }
    let mut spent = Spent::default();
    loop {
        let (beliefs, _) = engine.believed(&case);
        let Some(a) = next(way, rng, engine, &beliefs, &case) else {
            spent.minutes += SHIPPED.give_up_min;
            return spent;
        };
        let action = &SHIPPED.actions[a];
        spent.steps += 1;
        spent.minutes += action.minutes;
        spent.parts += action.also_min;
        for id in action.answers() {
            let o = SHIPPED.observation(id).unwrap();
            case.answers[o] = Some(m.answers[o]);
        }
        if action.answers().is_empty() {
            let mends = action
                .mends()
                .iter()
                .find(|(c, _)| SHIPPED.cause(c) == Some(m.cause));
            if mends.is_some_and(|(_, p)| rng.f64() < *p) {
                spent.found = true;
                return spent;
            }
            spent.for_nothing += usize::from(!action.fits.is_empty());
            case.tried[a] = Some(Outcome::NoHelp);
        }
    }
}

fn quantile(mut all: Vec<f64>, share: f64) -> f64 {
    all.sort_by(f64::total_cmp);
    #[allow(
        clippy::cast_precision_loss,
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss
    )]
    let at = (share * (all.len() - 1) as f64).round() as usize;
    all[at]
}

/// Prints the table of docs/method.md, "Diagnosis".
#[test]
fn the_engine_takes_fewer_minutes_and_parts_than_any_simple_way_even_where_its_likelihoods_are_off_by_half()
 {
    let engine = Engine::new(&SHIPPED);
    let mut minutes = Vec::new();
    for (off, ways) in [
        (
            0.0,
            vec![
                Way::Engine,
                Way::MildestFirst,
                Way::ReplaceTheLikeliest,
                Way::Random,
            ],
        ),
        (0.5, vec![Way::Engine, Way::ReplaceTheLikeliest]),
    ] {
        for way in ways {
            let runs: Vec<Spent> = (0..MACHINES)
                .map(|seed| {
                    let mut rng = Rng::with_seed(seed);
                    let m = machine(&mut rng, &engine, off);
                    course(way, &mut rng, &engine, &m)
                })
                .collect();
            let of = |f: &dyn Fn(&Spent) -> f64| {
                let all: Vec<f64> = runs.iter().map(f).collect();
                (quantile(all.clone(), 0.5), quantile(all, 0.9))
            };
            #[allow(clippy::cast_precision_loss)]
            let steps = of(&|s| s.steps as f64);
            let (half, most) = of(&|s| s.minutes);
            let parts = of(&|s| s.parts);
            let wasted: usize = runs.iter().map(|s| s.for_nothing).sum();
            let found = runs.iter().filter(|s| s.found).count();
            let name = match way {
                Way::Engine => "the engine",
                Way::MildestFirst => "mildest first",
                Way::ReplaceTheLikeliest => "replace the likeliest",
                Way::Random => "at random",
            };
            println!(
                "| {name}{} | {:.0} / {:.0} | {half:.0} / {most:.0} | {:.0} / {:.0} | {wasted} | {found} |",
                if off > 0.0 {
                    ", likelihoods off by half"
                } else {
                    ""
                },
                steps.0,
                steps.1,
                parts.0,
                parts.1
            );
            minutes.push((half, most, wasted));
        }
    }
    let engine = minutes[0];
    for other in &minutes[1..4] {
        assert!(engine.0 < other.0 && engine.1 < other.1 && engine.2 < other.2);
    }
    // Off by half it loses, and stays better than replacing what seems likeliest.
    let (off, likeliest) = (minutes[4], minutes[5]);
    assert!(off.0 < 2.0 * engine.0, "{} {}", off.0, engine.0);
    assert!(off.0 < likeliest.0 && off.2 < likeliest.2);
}
