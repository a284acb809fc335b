//! Identified models predict what the twin then does: the twin's metal is five masses with radiation,
//! the model two lags and a dead time.
#![allow(clippy::print_stdout, clippy::unwrap_used)]

mod common;

use common::{Bench, TARGET_C};
use wattotherm_heat::{
    ControllerSettings, LoopFigures, LoopScript, TUNING_RULES, simulate_loop, tune,
};
use wattotherm_twin::Kind;

/// Stated tolerances of a prediction, for every case; docs/method.md quotes them.
const OVERSHOOT_C: f64 = 0.5;
const SETTLE_S: f64 = 10.0;

#[test]
fn what_the_simulation_says_of_a_rule_is_what_the_twin_does() {
    println!(
        "| hot end | rule | n | overshoot, worst difference [°C] | settling, median and worst difference [s] |"
    );
    println!("|---|---|---|---|---|");
    for &kind in Kind::ALL {
        for rule in TUNING_RULES.map(|r| r.rule) {
            let (mut over, mut settle) = (Vec::new(), Vec::new());
            for seed in 0..6 {
                let mut bench = Bench::new(kind, seed, []);
                let tuned = bench.autotune();
                let found = tuned.plant.unwrap();
                let gains = tune(rule, tuned.ultimate, Some(&found.plant)).unwrap();
                let said = simulate_loop(
                    &found.plant,
                    ControllerSettings::common(gains),
                    &LoopScript::usual(TARGET_C),
                )
                .figures;
                let mut bench = Bench::new(kind, seed, []);
                bench.set(&gains);
                let did: LoopFigures =
                    serde_json::from_value(bench.verify()["figures"].clone()).unwrap();
                over.push((did.overshoot_c.unwrap() - said.overshoot_c.unwrap()).abs());
                settle.push((did.settle_s.unwrap() - said.settle_s.unwrap()).abs());
            }
            over.sort_by(f64::total_cmp);
            settle.sort_by(f64::total_cmp);
            println!(
                "| {kind:?} | {} | {} | {:.1} | {:.0}, {:.0} |",
                rule.spec().label,
                over.len(),
                over.last().unwrap(),
                settle[settle.len() / 2],
                settle.last().unwrap()
            );
            assert!(
                over.last().unwrap() <= &OVERSHOOT_C,
                "{kind:?} {rule:?}: {over:?}"
            );
            assert!(
                settle.last().unwrap() <= &SETTLE_S,
                "{kind:?} {rule:?}: {settle:?}"
            );
        }
    }
}
