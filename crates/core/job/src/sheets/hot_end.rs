//! Nozzle, heat break, block, complete hot end, sock.

use wattotherm_measure::text::plain;
use wattotherm_printer::Replacement;

use super::strip::{cool_down, raise_head, tug, unload, unplug};
use super::{Sheet, Step, cold, fumes, holder, lined, list, school, step};
use crate::gate::Gate;
use crate::house::RuleId;
use crate::route::is_stripped;
use crate::{Context, SignalWord};

/// Nozzle at which threads are worked [°C]; never above the ceiling. Common practice, no source.
const WORK_C: f64 = 230.0;

fn top_c(context: &Context) -> f64 {
    context.ceiling().ceiling_c
}

/// Whether the sock comes off for a nozzle that is changed hot, in this shop.
fn sock_comes_off(context: &Context) -> bool {
    school(context, RuleId::SockAtHotChange) == "off"
        && school(context, RuleId::BlockHeldBy) != "brace"
}

/// Whether the sock is off when the nozzle of this job is tightened, and has to go back on cold.
pub(crate) fn sock_is_off(context: &Context) -> bool {
    is_stripped(context.replaced.iter().copied()) || sock_comes_off(context)
}

fn sock_off() -> Step {
    step(
        "sock_off",
        Gate::Any,
        "Take the silicone sock off before it is heated.",
        "The block’s flats are bare.",
    )
    .not("Torn while pulled off hot.")
}

pub(super) fn nozzle(context: &Context) -> Sheet {
    let top = top_c(context);
    let work = Gate::Hot {
        at_c: Some(WORK_C.min(top)),
    };
    let mut steps = vec![raise_head()];
    if sock_comes_off(context) {
        steps.push(sock_off());
    }
    steps.push(unload());
    steps.extend([
        step(
            "loosen",
            work,
            &format!(
                "Hold the block with the {}, never by the heat sink or the wires, and loosen the nozzle.",
                holder(context).trim_end_matches(" for the block")
            ),
            "The block didn’t turn.",
        )
        .warned(
            SignalWord::Warning,
            "Burns and a broken heat break. Heat-proof gloves; both tools on before you pull. Never fingers under the nozzle.",
        )
        .not("Wires twisted while countering."),
        step(
            "take_out",
            work,
            "Take it out in the socket and park it on ceramic or metal.",
            "Not on plastic.",
        ),
        step(
            "brush",
            work,
            "Clean the thread with the brass brush.",
            "No plastic stands in the bore above.",
        ),
        step(
            "start_new",
            work,
            "Put the new nozzle point down in the socket; first turns with the tool alone, by fingers.",
            "It turns freely for at least three turns.",
        ),
        step(
            "snug",
            work,
            if lined(context) {
                "Bring it snug against the tube."
            } else {
                "Bring it snug against the heat break."
            },
            "About half a millimetre is left between hex and block.",
        )
        .not("Tight against the block instead: it leaks."),
    ]);
    let mut s = list(
        "Strip and fit: nozzle",
        "Change the nozzle hot, holding the block with a second tool.",
        steps,
    )
    .with(&[
        "7 mm socket (6 mm on some)",
        holder(context),
        "heat-proof gloves",
        "brass brush",
        "torque driver, if there is one",
        "ceramic or metal rest",
    ]);
    s.caution = fumes(context, WORK_C.min(top));
    s.hints = vec![
        "It is tightened at its own station, after the first heating where one is due.".into(),
        format!(
            "Never below {{200 °C}} and never above this hot end’s ceiling of {{{} °C}}.",
            plain(top, 0)
        ),
    ];
    s
}

/// A nozzle that brings its own heat break: cold, by hand, and nothing is tightened hot.
pub(super) fn nozzle_quick(context: &Context) -> Sheet {
    list(
        "Strip and fit: nozzle",
        "Change the nozzle cold, by hand, and see that no wire turns with it.",
        vec![
            raise_head(),
            unload(),
            cool_down(context),
            step(
                "let_go",
                cold(context),
                "Open what holds the nozzle: latch, knurled ring or clip.",
                "Heater and sensor stay where they are.",
            ),
            step(
                "out",
                cold(context),
                "Draw it straight out, its thin tube with it.",
                "Nothing turned, no plastic is left in the sink.",
            )
            .not("Wires turned with it."),
            step(
                "in",
                cold(context),
                "Push or turn the new one in by hand to its stop; close what holds it.",
                "It sits without play, and the block doesn’t tilt.",
            )
            .not("A wrench on it: hand-tight is tight."),
        ],
    )
    .with(&[
        "spare nozzle of the right bore",
        "thermal paste, where its maker asks for it",
    ])
}

/// A nozzle in a hot end that comes apart anyway: started cold, tightened hot at its own station.
pub(super) fn nozzle_cold(context: &Context) -> Sheet {
    list(
        "Strip and fit: nozzle",
        "Start the nozzle cold in the new pieces; it is tightened hot later.",
        vec![
            step(
                "thread",
                cold(context),
                "Look at thread and faces: no plastic, no burr.",
                "The nozzle turns in by fingers all the way.",
            ),
            step(
                "finger_tight",
                cold(context),
                "Turn it in until it meets the heat break, finger tight.",
                "About half a millimetre is left between hex and block.",
            )
            .not("Nozzle bottomed on the block first: it leaks."),
        ],
    )
    .with(&[
        "7 mm socket (6 mm on some)",
        holder(context),
        "heat-proof gloves",
    ])
}

pub(super) fn heat_break(r: Replacement, context: &Context) -> Sheet {
    let to_all_metal = r == Replacement::HeatBreakToAllMetal;
    let mut steps = vec![raise_head(), unload(), unplug()];
    steps.extend([
        step(
            "tube_out",
            Gate::Unplugged,
            "Collet down, tube up and out; if it is grooved, take the coupler out with it.",
            "The end comes out whole: brown, clumped or oval is noted below.",
        ),
        step(
            "hang",
            Gate::Unplugged,
            "Cover and fans aside, without hanging on their wires.",
            "They are parked and tied up.",
        ),
        step(
            "wires_out",
            Gate::Unplugged,
            "Loosen the heater’s clamp and the sensor’s screw; slide both out straight.",
            "Both came without force.",
        )
        .not("Pulled while plastic holds them: warm it, don’t pull."),
        step(
            "apart",
            Gate::Unplugged,
            "Block off the heat break, held in a vise or by two wrenches on flats. Seized: heat it, penetrant, patience.",
            "Neither is twisted; a twisted heat break is scrap.",
        )
        .warned(
            SignalWord::Warning,
            "Heated pieces stay hot for minutes. Gloves, eye protection, no open flame.",
        ),
        step(
            "compare",
            Gate::Unplugged,
            if to_all_metal {
                "Old and new side by side: in the new one the tube ends at the top."
            } else {
                "Old and new side by side: the tube ends at the same depth."
            },
            "Thread and lengths match.",
        ),
        step(
            "paste",
            Gate::Unplugged,
            "Thermal paste on the sink side of the heat break only, thin.",
            "None near the hot side.",
        )
        .not("Paste in the hot zone."),
        step(
            "break_in",
            Gate::Unplugged,
            "Heat break into the block by fingers to the bottom, then back by what leaves the nozzle to meet it, or as its maker says.",
            "It turns freely.",
        )
        .not("Overtightened: it snaps."),
        step(
            "into_sink",
            Gate::Unplugged,
            "Into the sink, block square to the carriage, grub screw one turn.",
            "It doesn’t wobble.",
        ),
        step(
            "wires_in",
            Gate::Unplugged,
            "Heater and sensor in to the bottom, wires on either side of the screw; clamp firm, sensor screw light.",
            "No wire is under the screw.",
        )
        .not("Sensor wire crushed; sensor screw tight."),
        step(
            "tube_in",
            Gate::Unplugged,
            "Tube in to the bottom, lock; push again, about {1 mm} more goes in; lock.",
            "A tug moves nothing.",
        ),
        step(
            "fans_back",
            Gate::Unplugged,
            "Fans and cover back on.",
            "The hot-end fan blows toward the fins.",
        )
        .not("Fan the wrong way round."),
        tug(),
    ]);
    let mut s = list(
        "Strip and fit: heat break",
        "Heat break, block, then nozzle: fingers first, and no force where plastic holds.",
        steps,
    )
    .counted()
    .by(RuleId::NewPart)
    .with(&[
        "hex keys 1.5 to 2.5 mm",
        holder(context),
        "thermal paste",
        "tube cutter",
        "multimeter",
        "new grub screw",
        "tray for screws",
    ]);
    s.hints = vec![
        "Grub screw and clamp once more when it is hot and tightened; the sock goes on cold."
            .into(),
        match school(context, RuleId::NewPart) {
            "single" => "Single parts: sensor and heater are moved over by hand. Spare sensor and screw at hand before they are drawn.",
            _ => "This shop stocks complete assemblies: one plugged in saves moving sensor and heater. Take one if it is on the shelf, and change the part on this job.",
        }
        .into(),
    ];
    s
}

pub(super) fn block(context: &Context) -> Sheet {
    let mut s = heat_break(Replacement::HeatBreakSame, context);
    s.title = "Strip and fit: heater block";
    s.heading =
        "Move heater and sensor over without force; seat the nozzle against the heat break.".into();
    s.rule = None;
    s
}

pub(super) fn assembly(context: &Context) -> Sheet {
    list(
        "Strip and fit: complete hot end",
        "Compare old and new before a screw is turned, then change it cold.",
        vec![
            step(
                "compare",
                Gate::Any,
                "Compare the new one with the old: bore, connectors, sensor, voltage, heat sink and fan.",
                "They match, or what differs is told below.",
            )
            .not("A bare hot end ordered in place of the assembly.")
            .any_time(),
            raise_head(),
            unload(),
            unplug(),
            step(
                "cover",
                Gate::Unplugged,
                "Take the cover off; park it with its screws.",
                "Screws are on the tray.",
            ),
            step(
                "plugs",
                Gate::Unplugged,
                "Peel any glue off, then pull each plug at its body.",
                "Photographed first; no wire was pulled.",
            ),
            step(
                "screws",
                Gate::Unplugged,
                "Two screws out; wiggle it straight down.",
                "It comes without a twist.",
            ),
            step(
                "fan_over",
                Gate::Unplugged,
                "Move the fan over where the new one has none; mind the fins.",
                "It blows toward the fins.",
            ),
            step(
                "wires_up",
                Gate::Unplugged,
                "Wires one by one through their guide; slide it up until it seats.",
                "No step to one side.",
            ),
            step(
                "screws_in",
                Gate::Unplugged,
                "Screws alternately until snug.",
                "It sits square.",
            ),
            step(
                "plugs_in",
                Gate::Unplugged,
                "Plugs in; cover on.",
                "No wire is pinched under the cover.",
            ),
            tug(),
        ],
    )
    .counted()
    .by(RuleId::NewPart)
    .with(&["long hex key 2.0 or 2.5 mm", holder(context), "7 mm socket (6 mm on some)", "tweezers", "tray for screws"])
}

pub(super) fn sock(context: &Context) -> Sheet {
    list(
        "Strip and fit: silicone sock",
        "Change the sock cold.",
        vec![
            cool_down(context),
            step(
                "sock_cold",
                Gate::Cold,
                "Peel the old one off; wipe the block.",
                "No plastic sticks to it.",
            ),
            step(
                "sock_on",
                Gate::Cold,
                "Press the new one on all round.",
                "It sits flat, and the nozzle’s tip is free.",
            ),
        ],
    )
}

/// What a fan, a cutter or a cover needs before it: heat off, hands safe.
pub(super) fn before_cold(context: &Context) -> Vec<Step> {
    vec![raise_head(), cool_down(context)]
}
