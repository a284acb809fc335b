//! Identified models predict what the twin then does: the twin's metal is five masses with radiation,
//! the model two lags and a dead time.
#![allow(clippy::print_stdout, clippy::unwrap_used)]

use crate::common::{Bench, TARGET_C};
use wattotherm_heat::{
    ControllerKind, LoopFigures, TUNING_RULES, Trial, TuningRule, identify, tune,
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
                let allowed = identify(&bench.swung, TARGET_C).unwrap().ensemble;
                let trial = Trial {
                    plant: &found.plant,
                    ensemble: &allowed,
                    target_c: TARGET_C,
                    controller: ControllerKind::FullHeatBand,
                };
                let run = trial.run(gains);
                let (said, band) = (run.figures, run.band.unwrap().settle_s);
                let mut bench = Bench::new(kind, seed, []);
                bench.set(&gains);
                let did: LoopFigures =
                    serde_json::from_value(bench.verify()["figures"].clone()).unwrap();
                // Margins that leave nothing: nothing is promised.
                if band.is_none() {
                    assert!(
                        matches!(rule, TuningRule::CohenCoon | TuningRule::ZieglerNichols),
                        "{rule:?}: only the harsh ones promise nothing"
                    );
                    continue;
                }
                over.push((did.overshoot_c.unwrap() - said.overshoot_c.unwrap()).abs());
                let settled = did.settle_s.unwrap();
                settle.push((settled - said.settle_s.unwrap()).abs());
            }
            over.sort_by(f64::total_cmp);
            settle.sort_by(f64::total_cmp);
            println!(
                "| {kind:?} | {} | {} | {:.1} | {:.0}, {:.0} |",
                rule.spec().label,
                over.len(),
                over.last().unwrap_or(&f64::NAN),
                settle.get(settle.len() / 2).unwrap_or(&f64::NAN),
                settle.last().unwrap_or(&f64::NAN)
            );
            assert!(
                over.iter().all(|o| *o <= OVERSHOOT_C),
                "{kind:?} {rule:?}: {over:?}"
            );
            assert!(
                settle.iter().all(|s| *s <= SETTLE_S),
                "{kind:?} {rule:?}: {settle:?}"
            );
        }
    }
}
