//! A machine of unknown past, and the search for a cause.

use super::every_job::known_changes;
use super::{Sheet, list, school, step};
use crate::gate::Gate;
use crate::house::RuleId;
use crate::{Context, SignalWord};

pub(super) fn inspection(context: &Context) -> Sheet {
    let mut s = list(
        "Inspection",
        "Look the machine over before it costs more than it is worth.",
        vec![
            step(
                "accessories",
                Gate::Any,
                "Lay its accessories out against the list: there, missing, damaged.",
                "What is missing or damaged is noted below.",
            ),
            step(
                "frame",
                Gate::Unplugged,
                "Frame screws, bed wheels, eccentric nuts; is the plate straight?",
                "Nothing rocks, everything rolls, the plate lies flat on a rule.",
            )
            .warned(
                SignalWord::Danger,
                "Electric shock. Look at inlet, cable and earth first; damaged mains parts are for a licensed electrician under the local code.",
            ),
            step(
                "plugs",
                Gate::Unplugged,
                "Ribbon, plugs, pins; card slot free.",
                "Seated, no bent pin, no melted plug, no bare joint.",
            ),
            step(
                "boots",
                Gate::Live,
                "Switch on, heat nothing: does it start, do the temperatures read room?",
                "Both within {3 K} of the thermometer.",
            ),
            step(
                "homes",
                Gate::Live,
                "Home it, hand on the switch.",
                "All axes stop at their switches.",
            ),
            step(
                "changed",
                Gate::Live,
                "Read what the last owner changed in its settings; the next station keeps them.",
                "What looks strange is noted below.",
            ),
        ],
    );
    s.steps.extend(known_changes(context));
    s.hints = vec![
        "The next station keeps the running sum: cost so far and expected against what the machine is worth.".into(),
    ];
    s
}

pub(super) fn cause(context: &Context) -> Sheet {
    let heading = if context.cause_found.is_some() {
        "The cause was found. Read it once more, and close this."
    } else if context.false_fixes.is_empty() {
        "Look for the cause before a part is replaced: the cheapest check first."
    } else {
        "It came back. Look for the cause again; what was replaced did not explain it."
    };
    let mut s = list(
        "Find the cause",
        heading,
        vec![
            step(
                "when",
                Gate::Any,
                "When does it show: at once, after ten to forty minutes, after half a print, at random while moving, in the first layer only, with one filament only?",
                "It is noted below; it is the strongest witness.",
            ),
            step(
                "cheap_first",
                Gate::Any,
                "Check what costs a minute before what costs an hour: pull at the tube, turn the fan, turn the spool, look into the plug.",
                "Each check with what it showed is noted below.",
            )
            .warned(
                SignalWord::Warning,
                "Heater and wiring are checked cold and unplugged, first.",
            ),
            step(
                "name",
                Gate::Any,
                "Name the cause. If a part has to be replaced, add it to the job: the plan follows.",
                "The cause is noted below.",
            ),
        ],
    );
    s.names_cause = true;
    if context.cause_found.is_some() {
        return s;
    }
    s.hints.push(
        match school(context, RuleId::FirstSuspect) {
            "nozzle" => "Thin flow? This shop looks at the nozzle first: feed {30 mm} in the air; curling is partly clogged.",
            "tube" => "Thin flow? This shop looks at couplers and tube first: push and pull, at most {0.2 mm} of play.",
            "fan" => "Thin flow? This shop looks at the hot-end fan first: it turns by {50 °C}, toward the fins, blades clean.",
            _ => "Thin flow? What the evidence says comes first; a habit finds what it looks for.",
        }
        .into(),
    );
    s.hints.push(
        match school(context, RuleId::Clog) {
            "strip" => "A clog is stripped at once in this shop: heat break held, never twisted; cold and unplugged for wires.",
            _ => "A clog, mildest first: {20 K} hotter and push; needle from below; pull; plug of heat creep, fan off and attended; nozzle off; strip last. Feed {30 mm} after each: straight is clear.",
        }
        .into(),
    );
    for fix in &context.false_fixes {
        s.hints.push(format!("Not explained by the new {fix}."));
    }
    s
}
