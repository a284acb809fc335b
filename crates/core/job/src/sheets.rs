//! Strip-and-fit sheets and the plain checks of every job. Common practice, no published source;
//! a maker's own sheet, where there is one, goes first.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_measure::text::plain;
use wattotherm_printer::{Part, Replacement};

use crate::gate::Gate;
use crate::house::RuleId;
use crate::{Caution, Context, SignalWord};

/// One step.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Step {
    /// Name of the step within its list: a tick belongs to it, whatever place the step has.
    pub id: &'static str,
    /// State the machine must be in.
    pub gate: Gate,
    /// The same on a chip; empty for any.
    pub gate_says: String,
    /// What to do.
    pub act: String,
    /// What proves it; may be empty.
    pub check: String,
    /// Caution at this step.
    pub caution: Option<Caution>,
}

/// A list of steps.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Sheet {
    /// Name, e.g. "Strip and fit: tube".
    pub title: &'static str,
    /// Instruction as heading.
    pub heading: String,
    /// Steps in order.
    pub steps: Vec<Step>,
    /// Whether screws, clips and springs are counted out and in.
    pub counts: bool,
    /// House rule that decides here.
    pub rule: Option<RuleId>,
    /// Caution of the whole list.
    pub caution: Option<Caution>,
    /// Tools, usual mistakes.
    pub hints: Vec<String>,
}

fn step(id: &'static str, gate: Gate, act: &str, check: &str) -> Step {
    Step {
        id,
        gate,
        gate_says: String::new(),
        act: act.into(),
        check: check.into(),
        caution: None,
    }
}

fn with(mut step: Step, signal: SignalWord, text: &str) -> Step {
    step.caution = Some(Caution::new(signal, text));
    step
}

fn list(title: &'static str, heading: &str, steps: Vec<Step>) -> Sheet {
    Sheet {
        title,
        heading: heading.into(),
        steps,
        counts: false,
        rule: None,
        caution: None,
        hints: Vec::new(),
    }
}

/// The list with this name: `intake`, `baseline`, `power_up`, `first_print`, `hand_over`, or
/// `fit.` and a replacement's id. An unknown name gives the steps of every job.
#[must_use]
pub fn sheet(name: &str, context: &Context) -> Sheet {
    let pen = context.house.pen;
    let mut s = written(name, context);
    s.heading = pen.text(&s.heading);
    for hint in &mut s.hints {
        *hint = pen.text(hint);
    }
    for step in &mut s.steps {
        step.act = pen.text(&step.act);
        step.check = pen.text(&step.check);
        step.gate_says = step.gate.says(pen);
    }
    s
}

/// The list as it stands here: quantities in braces.
fn written(name: &str, context: &Context) -> Sheet {
    match name {
        "intake" => intake(),
        "baseline" => baseline(),
        "power_up" => power_up(),
        "first_print" => first_print(context),
        "hand_over" => hand_over(),
        _ => match name
            .strip_prefix("fit.")
            .and_then(Replacement::from_id)
            .map(Replacement::part)
        {
            Some(Part::Nozzle) => nozzle(context),
            Some(Part::Tube | Part::HotEndCoupler | Part::ExtruderCoupler) => tube(context),
            part => any_part(part),
        },
    }
}

fn intake() -> Sheet {
    let mut s = list(
        "Intake",
        "Look at the printer and keep what it knows before you touch anything.",
        vec![
            step(
                "look",
                Gate::Any,
                "Look for what is missing, loose, or was changed; switch on, home, and listen.",
                "What you found is noted below.",
            ),
            step(
                "photograph",
                Gate::Any,
                "Photograph wiring and parts before loosening anything.",
                "Fan, leads and tube ends are in the picture.",
            ),
            step(
                "ask",
                Gate::Any,
                "Ask when in a print the complaint shows, and what was already tried.",
                "It stands in the job.",
            ),
        ],
    );
    s.hints
        .push("The next station keeps the stored settings.".into());
    s
}

fn baseline() -> Sheet {
    let mut s = list(
        "Baseline print",
        "Print the test piece with the old settings, where the printer still can.",
        vec![step(
            "print_old",
            Gate::Live,
            "Print the test piece with the old settings.",
            "Strings, walls and first layer are noted below.",
        )],
    );
    s.hints
        .push("Skip it with a reason where it can't print: the reason is kept.".into());
    s
}

fn power_up() -> Sheet {
    let mut s = list(
        "Power-up checks",
        "Switch on cold and look before you heat.",
        vec![
            step(
                "sensor_room",
                Gate::Live,
                "Compare the sensor's reading with the room.",
                "Within {3 K} of the thermometer.",
            ),
            step(
                "axes",
                Gate::Live,
                "Move all axes slowly to their ends.",
                "No cable or tube pulls.",
            ),
            with(
                step(
                    "first_heat",
                    Gate::Live,
                    "Heat for the first time and watch.",
                    "It rises at once and steadily; the hot-end fan starts by {50 °C} and blows toward the fins.",
                ),
                SignalWord::Warning,
                "Fire. Stay with it. If the reading stands still while the heater is on, switch off at once.",
            ),
        ],
    );
    s.caution = Some(Caution::new(
        SignalWord::Danger,
        "Mains. Supply, mains-voltage bed, inlet and earth are for a licensed electrician under the local code. Stop there.",
    ));
    s
}

fn first_print(context: &Context) -> Sheet {
    let old = context.house.option(RuleId::FirstPrint).id == "old_settings";
    let act = if old {
        "Print the test piece with the old settings, nothing else changed."
    } else {
        "Print the test piece with the new estimates."
    };
    let mut s = list(
        "First print",
        "Print once before you tune the filament's settings.",
        vec![step(
            "print_first",
            Gate::Live,
            act,
            "What differs from the baseline is noted below.",
        )],
    );
    s.rule = Some(RuleId::FirstPrint);
    s
}

fn hand_over() -> Sheet {
    list(
        "Hand over",
        "Look it over once more, and leave nothing open.",
        vec![
            step(
                "go_over",
                Gate::Any,
                "Go over the printer once: plugs, ties, clips, covers, fan, plate.",
                "Everything that came off is on.",
            ),
            step(
                "sisters",
                Gate::Any,
                "Look at the sister machines with the same part.",
                "What you saw is noted below.",
            ),
            step(
                "report",
                Gate::Any,
                "Print the report and hand it over with the old part.",
                "",
            ),
        ],
    )
}

fn before_wiring() -> Step {
    with(
        step(
            "unplug",
            Gate::Unplugged,
            "Switch off, pull the mains plug, wait for the supply to discharge.",
            "No lamp, no fan, no voltage.",
        ),
        SignalWord::Danger,
        "Electric shock. Switched off is not unplugged. Mains-side work is for a licensed electrician under the local code.",
    )
}

fn unload() -> Step {
    with(
        step(
            "unload",
            Gate::HOT,
            "Push {10 to 30 mm} forward until it flows, then pull the filament out.",
            "It comes out whole. If it won't, say so: that is an observation.",
        ),
        SignalWord::Caution,
        "Burns. The nozzle and what flows from it are hot.",
    )
}

fn after() -> Step {
    step(
        "tug",
        Gate::Any,
        "Pull gently at every connector; look for pinched wires and ties left off.",
        "No wire crosses a moving part.",
    )
}

/// Temperature at which a nozzle of this printer is tightened [°C]: by the house rule, never above the
/// ceiling.
#[must_use]
pub fn tightening_c(context: &Context) -> f64 {
    let top = context.house.ceiling(&context.printer).ceiling_c;
    let wanted = match context.house.option(RuleId::HotTightening).id {
        "c220" => 220.0,
        "c230" => 230.0,
        "c235" => 235.0,
        _ => context
            .filament
            .as_ref()
            .and_then(|f| f.print_temp_c)
            .unwrap_or(top),
    };
    wanted.min(top)
}

fn nozzle(context: &Context) -> Sheet {
    let top = context.house.ceiling(&context.printer).ceiling_c;
    let work = Gate::Hot {
        at_c: Some(230.0_f64.min(top)),
    };
    let mut s = list(
        "Strip and fit: nozzle",
        "Change the nozzle hot, holding the block with a second tool.",
        vec![
            step(
                "lower_bed",
                Gate::HOT,
                "Cover or lower the bed, raise the head about {100 mm} to the middle.",
                "",
            ),
            unload(),
            with(
                step(
                    "loosen",
                    work,
                    "Hold the block with the second tool, never the heat sink or the wires, and loosen the nozzle.",
                    "The block didn't turn.",
                ),
                SignalWord::Warning,
                "Burns and a broken heat break. Heat-proof gloves; both tools on before you pull. Never fingers under the nozzle.",
            ),
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
                "Bring it snug against the heat break or tube.",
                "About half a millimetre is left between hex and block.",
            ),
        ],
    );
    s.hints = vec![
        "Tools: 7 mm socket (6 mm on some), second wrench, heat-proof gloves, brass brush.".into(),
        "Usual mistakes: nozzle tight against the block instead of the heat break; tightened cold; sock torn; wires twisted.".into(),
        format!("Never below {{200 °C}} and never above this hot end's ceiling of {{{} °C}}.", plain(top, 0)),
    ];
    s
}

fn tube(context: &Context) -> Sheet {
    let mut s = list(
        "Strip and fit: tube and couplers",
        "Cut square, seat to the bottom, prove that it holds.",
        vec![
            unload(),
            step(
                "tube_out",
                Gate::Warm,
                "Clips off, collet down, tube out at both ends; cut the ties that hold it.",
                "Ties and clips are on the tray.",
            ),
            step(
                "old_end",
                Gate::Any,
                "Look at the old end: brown, groove from the collet, clump, oval?",
                "What you saw is noted below.",
            ),
            with(
                step(
                    "cut",
                    Gate::Any,
                    "Cut the new tube to the old one's length with a tube cutter, square at both ends.",
                    "The end stands upright on the bench; filament slides through freely.",
                ),
                SignalWord::Caution,
                "Sharp blade. Cut away from the hand; side cutters crush the end.",
            ),
            step(
                "coupler_play",
                Gate::Any,
                "Push the tube into the coupler and pull.",
                "At most {0.2 mm} of play. More: a new coupler.",
            ),
            with(
                step(
                    "seat",
                    Gate::HOT,
                    "Lined hot end: back the nozzle off half a turn, push the tube home, tighten the nozzle up against it.",
                    "The tube sits on the bottom.",
                ),
                SignalWord::Warning,
                "Burns. Gloves, second tool on the block.",
            ),
            step(
                "lock",
                Gate::Any,
                "Clips on; push again, about {1 mm} more goes in; lock.",
                "A tug moves nothing.",
            ),
            step(
                "ties",
                Gate::Any,
                "Head to its farthest corners, then ties at a third and two thirds.",
                "No kink, no pull.",
            ),
        ],
    );
    s.counts = true;
    s.rule = Some(RuleId::TubeReplaced);
    s.caution = Some(Caution::new(
        SignalWord::Warning,
        "Fumes. Never heat a liner above the ceiling, and no open flame on tube or joints. Ventilate; keep birds out of the room.",
    ));
    let top = context.house.ceiling(&context.printer);
    s.hints.push(format!(
        "Ceiling of this hot end: {{{} °C}}, held down by {}.",
        plain(top.ceiling_c, 0),
        top.held_by.says()
    ));
    s
}

fn any_part(part: Option<Part>) -> Sheet {
    let mut s = list(
        "Strip and fit",
        "Fit the new part after the maker's own sheet.",
        vec![
            unload(),
            step(
                "cover_bed",
                Gate::Any,
                "Cover or lower the bed, raise the head about {100 mm} to the middle.",
                "",
            ),
            before_wiring(),
            step(
                "compare",
                Gate::Cold,
                "Compare the new part with the old one: size, plugs, voltage.",
                "They match, or the difference is noted below.",
            ),
            step(
                "fit",
                Gate::Cold,
                "Fit the part; screws evenly, first turns by hand.",
                "It sits without a step or a gap.",
            ),
            after(),
        ],
    );
    s.counts = true;
    if let Some(p) = part {
        s.heading = format!(
            "Fit the new part ({}) after the maker's own sheet.",
            p.label()
        );
        if p == Part::HotEndAssembly || p == Part::HeatBreak {
            s.rule = Some(RuleId::NewPart);
        }
    }
    s
}
