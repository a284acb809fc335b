//! The one sentence that says why a parameter stands where it stands.

use wattotherm_measure::text::{join_and, join_or};
use wattotherm_printer::{Parameter, Replacement};

use super::{Status, Strength};

pub(super) struct Facts<'a> {
    pub parameter: Parameter,
    pub status: Status,
    pub strength: Option<Strength>,
    pub parts: Vec<Replacement>,
    pub stale: Option<&'a str>,
    pub asked: Option<&'a str>,
    pub unproven: Vec<Parameter>,
    pub moved: Vec<Parameter>,
    pub pending: Vec<Parameter>,
    pub still: Vec<Parameter>,
    pub changed: bool,
}

pub(super) fn sentence(facts: &Facts<'_>) -> String {
    let label = facts.parameter.label();
    match facts.status {
        Status::Due => {
            let word = facts.strength.map_or("verify", Strength::word);
            format!("{label}: {word}, since {}.", causes(facts))
        }
        Status::Closed if facts.changed => format!("{label}: done, and its value moved."),
        Status::Closed => format!("{label}: done, it came out as it was."),
        Status::Conditional => {
            let names: Vec<&str> = facts.pending.iter().map(|p| p.in_sentence()).collect();
            format!("{label}: only if {} moves.", join_or(&names))
        }
        Status::Waived => format!("{label}: left out."),
        Status::Released if !facts.unproven.is_empty() => {
            let names: Vec<&str> = facts.unproven.iter().map(|p| p.in_sentence()).collect();
            format!(
                "{label}: released, but unproven, since {} {} left out.",
                join_and(&names),
                if names.len() == 1 { "was" } else { "were" }
            )
        }
        Status::Released => {
            let names: Vec<&str> = facts.still.iter().map(|p| p.in_sentence()).collect();
            let as_they_were = if names.len() == 1 {
                "it was"
            } else {
                "they were"
            };
            format!(
                "{label}: released, {} came out as {as_they_were}.",
                join_and(&names)
            )
        }
        Status::Untouched => format!("{label}: nothing it rests on was touched."),
    }
}

fn causes(facts: &Facts<'_>) -> String {
    let mut clauses: Vec<String> = facts
        .parts
        .iter()
        .map(|r| r.was_replaced().to_owned())
        .collect();
    clauses.extend(
        facts
            .moved
            .iter()
            .map(|p| format!("{} moved", p.in_sentence())),
    );
    clauses.extend(facts.stale.map(str::to_owned));
    clauses.extend(facts.asked.map(str::to_owned));
    let refs: Vec<&str> = clauses.iter().map(String::as_str).collect();
    join_and(&refs)
}
