//! The judgement as data, for whoever wants to read it or to check the arithmetic with other tools.

use serde_json::{Value, json};

use crate::model::Model;

/// Weights, likelihoods, minutes and chances of a model, as JSON. All of it judgement, no published source.
#[must_use]
pub fn judgement(model: &Model<'_>) -> Value {
    let parts = |all: &[wattotherm_printer::Part]| -> Vec<&'static str> {
        all.iter().map(|p| p.id()).collect()
    };
    let causes = model.causes.iter().map(|c| {
        json!({
            "id": c.id,
            "label": c.label,
            "weight": c.weight,
            "hazard": c.hazard,
            "shaken_by": parts(c.shaken_by),
            "cured_by": parts(c.cured_by),
            "shows": c.shows.iter().map(|(o, p)| json!({"observation": o, "p": p})).collect::<Vec<_>>(),
        })
    });
    let observations = model.observations.iter().map(|o| {
        json!({
            "id": o.id,
            "asks": o.asks,
            "without": o.base,
            "yes_beyond": o.reads.map(|r| r.yes_beyond),
        })
    });
    let actions = model.actions.iter().map(|a| {
        json!({
            "id": a.id,
            "does": a.does,
            "minutes": a.minutes,
            "also_minutes": a.also_min,
            "answers": a.answers(),
            "mends": a.mends().iter().map(|(c, p)| json!({"cause": c, "p": p})).collect::<Vec<_>>(),
        })
    });
    json!({
        "causes": causes.collect::<Vec<_>>(),
        "observations": observations.collect::<Vec<_>>(),
        "actions": actions.collect::<Vec<_>>(),
    })
}
