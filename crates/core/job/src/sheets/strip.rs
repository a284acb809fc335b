//! Sheets of several parts as one strip: one unload, one cool-down, one count.

use super::{Sheet, Step, of_part, step};
use crate::gate::Gate;
use crate::route::in_order;
use crate::{Context, SignalWord};
use wattotherm_printer::Replacement;

/// Steps that a strip needs once, before all else.
const ONCE_BEFORE: [&str; 5] = ["raise_head", "unload", "unplug", "cool_down", "sock_off"];
/// Steps that a strip needs once, after all else.
const ONCE_AFTER: [&str; 1] = ["tug"];

pub(super) fn raise_head() -> Step {
    step(
        "raise_head",
        Gate::Any,
        "Cover or lower the bed, raise the head about {100 mm}, to the middle of its travel.",
        "Both hands reach the hot end.",
    )
}

pub(super) fn unload() -> Step {
    step(
        "unload",
        Gate::HOT,
        "Push {10 to 30 mm} forward until it flows, then pull the filament out.",
        "It comes out whole. If it won’t, say so: that is an observation.",
    )
    .warned(
        SignalWord::Caution,
        "Burns. The nozzle and what flows from it are hot.",
    )
}

pub(super) fn unplug() -> Step {
    step(
        "unplug",
        Gate::Unplugged,
        "Switch off, pull the mains plug, wait for the supply to discharge and the hot end to cool.",
        "No lamp, no fan, no voltage; the block can be touched.",
    )
    .warned(
        SignalWord::Danger,
        "Electric shock. Switched off is not unplugged. Mains-side work is for a licensed electrician under the local code.",
    )
}

pub(super) fn cool_down(context: &Context) -> Step {
    step(
        "cool_down",
        super::cold(context),
        "Heaters off; wait until the hot end can be touched.",
        "At {48 °C} or less, read or waited for.",
    )
}

pub(super) fn tug() -> Step {
    step(
        "tug",
        Gate::Any,
        "Pull gently at every connector; look for pinched wires and ties left off; move the head to all its ends.",
        "Nothing comes out, nothing pulls, no wire crosses a moving part.",
    )
}

/// Parts of the strip that a part belongs to, in the order of work.
fn strip_of(r: Replacement, context: &Context) -> Vec<Replacement> {
    let mut parts = context.strip.clone();
    if !parts.contains(&r) {
        parts.push(r);
    }
    in_order(&context.house, parts)
}

/// The sheet of one part, without what the sheets of its strip before it have done already and those after it
/// will do.
///
/// Laws: over a strip every step stands once; nothing is heated once it was unplugged.
pub(super) fn merged(r: Replacement, context: &Context) -> Sheet {
    let strip = strip_of(r, context);
    let mut sheet = of_part(r, &strip, context);
    let place = strip.iter().position(|p| *p == r).unwrap_or(0);
    let has = |parts: &[Replacement], id: &str| {
        parts.iter().any(|p| {
            of_part(*p, &strip, context)
                .steps
                .iter()
                .any(|s| s.id == id)
        })
    };
    let (before, after) = (&strip[..place], &strip[place + 1..]);
    sheet.steps.retain(|s| {
        let done = ONCE_BEFORE.contains(&&*s.id) && has(before, &s.id);
        // Unplugged is cold. What is only unplugged later is still hot here.
        let cold = s.id == "cool_down" && has(before, "unplug");
        let later = ONCE_AFTER.contains(&&*s.id) && has(after, &s.id);
        !(done || cold || later)
    });
    let counted_later = after.iter().any(|p| of_part(*p, &strip, context).counts);
    if sheet.counts && counted_later {
        sheet.counts = false;
        sheet.hints.push(
            "Keep what comes out apart: it is counted with the last part of this strip.".into(),
        );
    }
    if !before.is_empty() {
        let names: Vec<&str> = before.iter().map(|p| p.part().label()).collect();
        sheet.hints.push(format!(
            "Same strip as {}: the machine stays as it is.",
            wattotherm_measure::text::join_and(&names)
        ));
    }
    sheet
}

/// Tools and consumables of all parts of a job, once each, in the order in which they are taken up.
#[must_use]
pub fn tools_of(context: &Context) -> Vec<String> {
    let mut all: Vec<String> = Vec::new();
    let parts = in_order(&context.house, context.replaced.iter().copied());
    for r in &parts {
        for tool in of_part(*r, &parts, context).tools {
            if !all.contains(&tool) {
                all.push(tool);
            }
        }
    }
    all
}
