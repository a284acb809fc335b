//! Sensor, heater, fans, board: what is joined by wires.

use wattotherm_measure::text::plain;

use super::strip::{raise_head, tug, unload, unplug};
use super::{Sheet, Step, list, step};
use crate::gate::Gate;
use crate::{Context, SignalWord};

/// Wires back where they were.
fn dress() -> Step {
    step(
        "dress",
        Gate::Unplugged,
        "Tape and ties back where they were.",
        "No wire is near the block or across a moving part.",
    )
}

pub(super) fn sensor(_: &Context) -> Sheet {
    list(
        "Strip and fit: temperature sensor",
        "Slide it out straight, seat the new one to the bottom, screw light.",
        vec![
            raise_head(),
            unload(),
            unplug(),
            step(
                "slack",
                Gate::Unplugged,
                "Tape off; cut the one or two ties that give slack.",
                "Which ties is noted: they go back.",
            ),
            step(
                "screw_out",
                Gate::Unplugged,
                "Screw out, onto the magnet tray; sensor out straight.",
                "It came without force.",
            )
            .not("Pulled while plastic holds it: warm the block gently, still unplugged."),
            step(
                "join",
                Gate::Unplugged,
                "New one at the plug, where there is one. Spliced only where there is not: sleeves rated for the place, longer than needed, outside the hot zone, shrunk by hot air.",
                "A pull at each wire moves nothing; no bare joint.",
            )
            .warned(
                SignalWord::Warning,
                "A bare joint reads wrong, and a heater that reads wrong runs away. No open flame at joints.",
            ),
            step(
                "seat",
                Gate::Unplugged,
                "To the bottom of its hole; screw light.",
                "It doesn’t slide, and nothing is crushed.",
            )
            .not("Screw tight: the bead breaks."),
            dress(),
            tug(),
        ],
    )
    .counted()
    .with(&[
        "hex key 1.5 or 2.0 mm",
        "multimeter",
        "magnet tray",
        "ties",
        "heat-proof tape",
        "sleeves and hot air, if it has no plug",
    ])
}

pub(super) fn heater(context: &Context) -> Sheet {
    let rated = match (context.printer.heater_w, context.printer.supply_v) {
        (Some(w), Some(v)) => format!(
            "This machine’s: {{{} W}} at {{{} V}}. Stop at a quarter more.",
            plain(w, 0),
            plain(v, 0)
        ),
        _ => "Stop at a quarter more than board and wiring are rated for.".into(),
    };
    let mut s = list(
        "Strip and fit: heater cartridge",
        "Measure it before it goes in; clamp it over its whole length.",
        vec![
            step(
                "ohms_first",
                Gate::Any,
                "Measure the new one’s resistance; voltage² by ohms is its power.",
                "It fits this machine’s supply.",
            )
            .warned(
                SignalWord::Danger,
                "Fire. A heater made for another voltage burns wiring and hot end.",
            ),
            raise_head(),
            unload(),
            unplug(),
            step(
                "slack",
                Gate::Unplugged,
                "Tape off; cut the ties that give slack; leads off at their screws or plug.",
                "Photographed first.",
            ),
            step(
                "clamp_out",
                Gate::Unplugged,
                "Loosen the clamp; slide it out straight.",
                "It came without force.",
            )
            .not("Pulled while plastic holds it."),
            step(
                "seat",
                Gate::Unplugged,
                "New one in over its whole length; clamp firm.",
                "It doesn’t turn by fingers.",
            )
            .not("Clamp loose: slow, hot at one end, trips."),
            step(
                "leads",
                Gate::Unplugged,
                "Leads on: ferrules on stranded wire.",
                "A pull at each moves nothing.",
            )
            .not("Tinned wire in a screw terminal: it creeps and burns."),
            dress(),
            tug(),
        ],
    )
    .counted()
    .with(&[
        "multimeter",
        "hex key 2.0 mm",
        "ferrules and crimper",
        "ties",
        "heat-proof tape",
    ]);
    s.hints.push(rated);
    s
}

pub(super) fn hot_end_fan(context: &Context) -> Sheet {
    let volts = context.printer.supply_v.map_or(String::new(), |v| {
        format!(" This machine’s supply: {{{} V}}.", plain(v, 0))
    });
    let mut s = list(
        "Strip and fit: hot-end fan",
        "Same voltage, same size, arrow toward the fins.",
        vec![
            raise_head(),
            unplug(),
            step(
                "compare",
                Gate::Unplugged,
                "Compare voltage, size and plug; find the arrow of its air.",
                "They match.",
            ),
            step(
                "fit",
                Gate::Unplugged,
                "Fit it with its arrow toward the fins; look twice.",
                "It turns freely, with no debris in its blades.",
            )
            .not("The wrong way round: it clogs within the hour."),
            step(
                "cover_free",
                Gate::Unplugged,
                "Cover on.",
                "It doesn’t press on the fan.",
            ),
            tug(),
        ],
    )
    .counted()
    .with(&["hex key 2.0 mm", "cross-head driver", "tray for screws"]);
    s.hints
        .push(format!("It starts by itself at {{50 °C}}.{volts}"));
    s
}

pub(super) fn part_fan(context: &Context) -> Sheet {
    let mut s = hot_end_fan(context);
    s.title = "Strip and fit: part fan";
    s.heading = "Same voltage, same size, its duct at the nozzle.".into();
    for step in &mut s.steps {
        if step.id == "fit" {
            step.act = "Fit it; its air leaves at the duct.".into();
            step.mistake = "Duct lower than the nozzle: it strikes parts.".into();
        }
    }
    s.hints.clear();
    s
}

pub(super) fn board(_: &Context) -> Sheet {
    list(
        "Strip and fit: control board or firmware",
        "Keep every setting first; then change it unplugged, plug by plug.",
        vec![
            unplug(),
            step(
                "photo",
                Gate::Unplugged,
                "Photograph every plug; mark those that look alike.",
                "Each has a name or a colour mark.",
            ),
            step(
                "ground",
                Gate::Unplugged,
                "Touch bare metal of the frame before you touch the board.",
                "Nothing is worked on carpet.",
            ),
            step(
                "over",
                Gate::Unplugged,
                "Move the plugs over one by one.",
                "Heaters sit on heater outputs, fans on fan outputs of the right voltage.",
            )
            .warned(
                SignalWord::Danger,
                "Fire. Heater and bed leads carry tens of amperes: terminals tight, ferrules on, no bare strand.",
            ),
            tug(),
        ],
    )
    .counted()
    .with(&["cross-head driver", "hex keys 2.0 to 2.5 mm", "labels", "ferrules and crimper"])
    .warned(
        SignalWord::Danger,
        "Mains. Supply, mains-voltage bed, inlet and earth are for a licensed electrician under the local code. Stop there.",
    )
}
