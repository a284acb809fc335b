//! Bed surface and probe.

use super::strip::{tug, unplug};
use super::{Sheet, cold, list, step};
use crate::gate::Gate;
use crate::{Context, SignalWord};

pub(super) fn surface(context: &Context) -> Sheet {
    list(
        "Strip and fit: bed surface",
        "Bed cold; plate flat and clean; Z before it goes to zero.",
        vec![
            step(
                "bed_cold",
                cold(context),
                "Wait until bed and nozzle can be touched.",
                "At {48 °C} or less.",
            ),
            step(
                "rock",
                cold(context),
                "Rock the bed by hand: screws, wheels, eccentric nuts.",
                "No play, and it still rolls.",
            ),
            step(
                "lay",
                cold(context),
                "Lay the new plate on, clean and flat; clips where neither fan duct nor probe passes.",
                "It lies on all its face.",
            ),
            step(
                "raise_z",
                Gate::Any,
                "Start {1 mm} high: the first move to zero with a thicker plate drives the nozzle into it.",
                "Z is found anew before anything homes to zero.",
            )
            .warned(
                SignalWord::Caution,
                "A scratched plate and a bent nozzle. Hand on the switch at the first homing.",
            ),
        ],
    )
    .with(&["cleaner and cloth", "wrench for eccentric nuts"])
}

pub(super) fn probe(_: &Context) -> Sheet {
    list(
        "Strip and fit: bed probe",
        "Same height, same place; then its place measured anew.",
        vec![
            unplug(),
            step(
                "compare",
                Gate::Unplugged,
                "Compare plug, mount and length of the pin.",
                "They match, or what differs is told below.",
            ),
            step(
                "fit",
                Gate::Unplugged,
                "Fit it square; wire clear of every moving part.",
                "It stands clear of the plate with its pin in.",
            ),
            step(
                "place",
                Gate::Unplugged,
                "Measure its place, X and Y from the nozzle.",
                "It is told below and set in the printer.",
            ),
            tug(),
        ],
    )
    .counted()
    .with(&["hex key 2.0 mm", "rule", "tray for screws"])
}
