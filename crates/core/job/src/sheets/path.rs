//! Tube and couplers, drive, direct drive, cutter: the way of the filament.

use wattotherm_measure::text::plain;
use wattotherm_printer::Replacement;

use super::hot_end::before_cold;
use super::strip::{cool_down, raise_head, tug, unload, unplug};
use super::{Sheet, cold, fumes, lined, list, school, step};
use crate::gate::Gate;
use crate::house::RuleId;
use crate::{Context, SignalWord};

pub(super) fn tube(r: Replacement, context: &Context) -> Sheet {
    let (cut_by, tool) = match school(context, RuleId::TubeCutBy) {
        "guide" => ("a guide and a knife", "guide and knife"),
        "blade" => ("a blade", "sharp blade"),
        _ => ("a tube cutter", "tube cutter"),
    };
    let whole = r == Replacement::Tube;
    let mut steps = vec![
        raise_head(),
        unload(),
        cool_down(context),
        step(
            "tube_out",
            cold(context),
            if whole {
                "Clips off, collet down, tube out at both ends; cut the ties that hold it."
            } else {
                "Clip off, collet down, tube out; coupler out."
            },
            "Ties and clips are on the tray.",
        ),
        step(
            "old_end",
            Gate::Any,
            "Look at the old end: brown, groove from the collet, clump, oval?",
            "What you saw is noted below.",
        ),
    ];
    if whole {
        let cut = step(
                "cut",
                Gate::Any,
                &match context.tube_cut_mm {
                    Some(mm) => format!(
                        "Cut the new tube to {{{} mm}} with {cut_by}, square at both ends; burrs off.",
                        plain(mm, 0)
                    ),
                    None => format!(
                        "Cut the new tube to the old one’s length with {cut_by}, square at both ends; burrs off."
                    ),
                },
                "The end stands upright on the bench; filament slides through freely.",
            )
            .warned(
                SignalWord::Caution,
                "Sharp blade. Cut away from the hand. Side cutters crush the end.",
            )
            .not("Crushed or slanting: a gap, then a clog.");
        // Measured before, it needs no old tube beside it.
        steps.push(if context.tube_cut_mm.is_some() {
            cut.any_time()
        } else {
            cut
        });
    }
    steps.push(step(
        "coupler_play",
        Gate::Any,
        "Push the tube into the coupler and pull.",
        "At most {0.2 mm} of play. More: a new coupler.",
    ));
    if r != Replacement::ExtruderCoupler {
        let tube_first = school(context, RuleId::TubeOrNozzle) == "tube_first";
        steps.push(match (lined(context), tube_first) {
            (true, true) => step(
                "seat",
                cold(context),
                "Back the nozzle off half a turn, push the tube home. The nozzle is tightened up against it hot, at its own station.",
                "The tube sits on the bottom.",
            )
            .not("Nozzle not backed off: a gap stays that nobody sees."),
            (true, false) => step(
                "seat",
                cold(context),
                "Push the tube home on the nozzle, hard.",
                "It stands on the nozzle: no gap.",
            ),
            (false, _) => step(
                "seat",
                cold(context),
                "Push the tube down to its stop in the heat sink.",
                "It sits on the bottom.",
            ),
        });
    }
    steps.push(step(
        "lock",
        Gate::Any,
        "Clips on; push again, about {1 mm} more goes in; lock.",
        "A tug moves nothing.",
    ));
    if whole {
        steps.push(step(
            "corners",
            Gate::Any,
            &match context.printer.tube_mm {
                Some([outer, _, _]) => format!(
                    "Head to its farthest corners, then ties at a third and two thirds. No bend tighter than {{{} mm}}.",
                    plain(6.0 * outer, 0)
                ),
                None => "Head to its farthest corners, then ties at a third and two thirds.".into(),
            },
            "No kink, no pull.",
        ));
    }
    let title = match r {
        Replacement::HotEndCoupler => "Strip and fit: hot-end coupler",
        Replacement::ExtruderCoupler => "Strip and fit: extruder coupler",
        _ => "Strip and fit: tube",
    };
    let heading = if whole {
        "Cut square, seat to the bottom, prove that it holds."
    } else {
        "Seat the tube to the bottom, prove that the coupler holds."
    };
    let mut s = list(title, heading, steps).counted().by(if whole {
        RuleId::TubeReplaced
    } else {
        RuleId::TubeOrNozzle
    });
    s = if whole {
        s.with(&[tool, "new tube", "clips", "ties", "length of filament"])
    } else {
        s.with(&["wrench for the coupler", "new coupler", "clips"])
    };
    let top = context.ceiling();
    s.caution = fumes(context, top.ceiling_c);
    s.hints.push(format!(
        "Ceiling of this hot end: {{{} °C}}, held down by {}.",
        plain(top.ceiling_c, 0),
        top.held_by.says()
    ));
    s
}

pub(super) fn drive(r: Replacement, context: &Context) -> Sheet {
    let motor = r == Replacement::ExtruderMotor;
    list(
        if motor {
            "Strip and fit: extruder motor"
        } else {
            "Strip and fit: extruder drive"
        },
        "Note tension and position first; set screw on the flat, path in line.",
        vec![
            raise_head(),
            unload(),
            unplug(),
            step(
                "note",
                Gate::Unplugged,
                "Note the idler’s tension and where the gear sits on its shaft.",
                "Photographed.",
            ),
            step(
                "clean",
                Gate::Unplugged,
                "Clean the gears of dust; look for worn or blunt teeth.",
                "Teeth are sharp, no dust is left.",
            ),
            step(
                "fit",
                Gate::Unplugged,
                if motor {
                    "Fit the new motor with its plug the same way; gear to its old place, set screw on the flat."
                } else {
                    "Fit the new gears; set screw on the flat, filament path in line."
                },
                "It turns by hand without a tight spot.",
            )
            .not("Set screw beside the flat: it slips under load."),
            step(
                "tension",
                cold(context),
                "Idler back to its tension.",
                "Filament is marked by the teeth, not flattened.",
            ),
            tug(),
        ],
    )
    .counted()
    .with(&["hex keys 1.5 to 2.5 mm", "brass brush", "tray for screws"])
}

pub(super) fn to_direct(context: &Context) -> Sheet {
    let mut s = list(
        "Strip and fit: tube drive to direct drive",
        "Move the drive onto the carriage; belt, wheels, limits and cables follow.",
        vec![
            raise_head(),
            unload(),
            unplug(),
            step(
                "belt_note",
                Gate::Unplugged,
                "Note the belt’s tension, then loosen it.",
                "Its note when plucked, or its give, is written below.",
            ),
            step(
                "mount",
                Gate::Unplugged,
                "Mount drive and hot end on the carriage.",
                "Nothing touches frame, plate or fan duct.",
            ),
            step(
                "wheels",
                Gate::Unplugged,
                "Adjust the carriage’s wheels.",
                "No play, and it still rolls by a finger.",
            ),
            step(
                "belt_back",
                Gate::Unplugged,
                "Belt back to the same tension.",
                "As noted.",
            ),
            step(
                "short_tube",
                Gate::Unplugged,
                "Cut the tube to its new short length, square, and seat it.",
                "No gap at either end.",
            )
            .warned(SignalWord::Caution, "Sharp blade. Cut away from the hand."),
            step(
                "reach",
                Gate::Unplugged,
                "Move the head by hand to all corners and to the top.",
                "No cable pulls; the new ends of travel are written below.",
            ),
            tug(),
        ],
    )
    .counted()
    .with(&[
        "hex keys 1.5 to 2.5 mm",
        "wrench for eccentric nuts",
        "tube cutter",
        "rule",
        "ties",
    ]);
    s.hints = vec![
        "The carriage is heavier: accelerations may have to come down.".into(),
        "Retraction and pressure advance start from the range of a direct drive.".into(),
        "New ends of travel also belong into the firmware’s limits, or the head runs into the frame.".into(),
    ];
    if context.printer.probe_mm.is_some() {
        s.hints
            .push("The probe’s place from the nozzle is measured at its own station.".into());
    }
    s
}

pub(super) fn cutter(context: &Context) -> Sheet {
    let mut steps = before_cold(context);
    steps.splice(1..1, [unload()]);
    steps.retain(|s| s.id != "cool_down");
    steps.push(unplug());
    steps.extend([
        step(
            "park",
            Gate::Unplugged,
            "Cover off; park ribbon clip and tape.",
            "Nothing hangs on the ribbon.",
        ),
        step(
            "spring",
            Gate::Unplugged,
            "Hold the lever while its spring is let out slowly; old blade out.",
            "The spring is on the tray.",
        )
        .warned(
            SignalWord::Caution,
            "Flying spring, sharp blade. Eye protection.",
        ),
        step(
            "blade",
            Gate::Unplugged,
            "New blade on its lever, spring ends in their seats.",
            "Pressed, the lever goes all the way down; the blade moves freely and comes back by itself.",
        )
        .not("Lever stays level: not seated, again."),
        step(
            "close",
            Gate::Unplugged,
            "Module back on its slot, screws, cover, ribbon clip and tape.",
            "It sits without a gap.",
        ),
        tug(),
    ]);
    list(
        "Strip and fit: filament cutter",
        "Change the blade with the filament out and the spring held.",
        steps,
    )
    .counted()
    .with(&["hex key 1.5 mm", "tweezers", "eye protection"])
}
