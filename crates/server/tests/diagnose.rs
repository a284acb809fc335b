//! The diagnostician on the command line and over HTTP: one path, one answer.

#![allow(clippy::unwrap_used)]

use crate::common::{Server, run};
use serde_json::{Value, json};

#[test]
fn command_line_and_http_say_the_same() {
    let facts = json!({
        "replaced": ["nozzle_same"],
        "evidence": [{"observation": "half_print", "answer": "yes"}, {"observation": "tube_moves", "answer": 0.5}],
    });
    let out = run(&["diagnose"], &facts.to_string());
    assert!(out.status.success());
    let printed: Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!(printed["causes"][0]["id"], "coupler");
    assert!(printed["expected_minutes"].as_f64().unwrap() > 0.0);
    let sum: f64 = printed["causes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|c| c["p"].as_f64().unwrap())
        .sum();
    assert!((sum - 1.0).abs() < 1e-9);
    let s = Server::demo();
    let (status, answered) = s.call("POST", "/api/v1/diagnose", Some(&facts));
    assert_eq!((status, answered), (200, printed));
    let list: Value = serde_json::from_slice(&run(&["diagnose", "--list"], "").stdout).unwrap();
    assert_eq!(s.get("/api/v1/diagnose"), list);
    for kind in ["causes", "observations", "actions", "replacements"] {
        assert!(list[kind].as_array().unwrap().len() > 20, "{kind}");
    }
}

#[test]
fn what_it_does_not_know_is_said_and_nothing_is_printed() {
    let bad = json!({"evidence": [{"observation": "mood", "answer": "yes"}]});
    let out = run(&["diagnose"], &bad.to_string());
    assert!(!out.status.success() && out.stdout.is_empty());
    assert!(String::from_utf8_lossy(&out.stderr).contains("There is no observation “mood”."));
    let (status, problem) = Server::demo().call("POST", "/api/v1/diagnose", Some(&bad));
    assert_eq!(
        (status, &problem["errors"][0]["field"]),
        (422, &json!("evidence"))
    );
}
