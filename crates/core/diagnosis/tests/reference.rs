//! Posteriors of the shipped model against a general-purpose library for Bayesian networks: tools/reference/diagnosis.py,
//! PyPI's pgmpy, variable elimination. The judgement in it is ours; what is checked is the arithmetic.

#![allow(clippy::unwrap_used)]

use serde_json::Value;
use wattotherm_diagnosis::{Case, Engine, SHIPPED};
use wattotherm_printer::Part;

#[test]
fn posteriors_are_those_of_a_library_for_bayesian_networks() {
    let reference: Value = serde_json::from_str(include_str!("reference.json")).unwrap();
    let engine = Engine::new(&SHIPPED);
    let cases = reference["cases"].as_array().unwrap();
    assert!(cases.len() >= 8);
    for told in cases {
        let mut case = Case::new(&SHIPPED);
        let parts = told["parts"].as_array().unwrap().iter();
        case.replaced = parts
            .map(|p| Part::from_id(p.as_str().unwrap()).unwrap())
            .collect();
        for (o, yes) in told["evidence"].as_object().unwrap() {
            case.answers[SHIPPED.observation(o).unwrap()] = Some(yes == 1);
        }
        let (beliefs, _) = engine.believed(&case);
        for (id, p) in told["causes"].as_object().unwrap() {
            let got = beliefs.0[SHIPPED.cause(id).unwrap()];
            let expected = p.as_f64().unwrap();
            assert!(
                (got - expected).abs() < 1e-9,
                "{id}: {got}, the library says {expected}; were weights changed? Then run the tool again."
            );
        }
    }
}
