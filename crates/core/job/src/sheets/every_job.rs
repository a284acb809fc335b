//! What every job has: intake, prints before and after, power-up, first heating, hand over.

use wattotherm_printer::Part;

use super::{Sheet, Step, fumes, list, school, step, tightening_c, tools_of};
use crate::changed::Lasts;
use crate::gate::Gate;
use crate::house::RuleId;
use crate::{Context, SignalWord};

/// What the id of a step begins with that puts back what was changed; its name follows.
pub(crate) const PUT_BACK: &str = "put_back:";

pub(super) fn intake(context: &Context) -> Sheet {
    let mut steps = vec![
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
    ];
    if school(context, RuleId::MakersInstructions) == "first" {
        steps.push(step(
            "read",
            Gate::Any,
            "Read the maker’s own sheet for the part, where there is one: it goes first.",
            "What differs from here is noted below.",
        ));
    }
    steps.extend(known_changes(context));
    let tools = tools_of(context);
    if !tools.is_empty() {
        steps.push(step(
            "lay_out",
            Gate::Any,
            &format!("Lay out: {}.", tools.join("; ")),
            "Nothing is missing. Tired, late or hurried? The job keeps its place: pause it.",
        ));
    }
    let mut s = list(
        "Intake",
        "Look at the printer and keep what it knows before you touch anything.",
        steps,
    )
    .by(RuleId::MakersInstructions);
    s.hints
        .push("The next station keeps the stored settings.".into());
    s
}

/// What isn't as it belongs since an earlier job, looked at before anything is touched.
pub(super) fn known_changes(context: &Context) -> Option<Step> {
    let known: Vec<String> = context
        .changed
        .iter()
        .map(|c| plain_text(&c.says()))
        .collect();
    (!known.is_empty()).then(|| {
        step(
            "known_changes",
            Gate::Any,
            &format!(
                "Changed at this printer before: {}. Look whether it still is.",
                known.join("; ")
            ),
            "It is; or it is put back under “Something happened”.",
        )
    })
}

pub(super) fn baseline() -> Sheet {
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
        .push("Skip it with a reason where it can’t print: the reason is kept.".into());
    s
}

pub(super) fn power_up(context: &Context) -> Sheet {
    let mut steps = vec![
        step(
            "sensor_room",
            Gate::Live,
            "Switch on and heat nothing. Compare the sensor’s reading with the room.",
            "Within {3 K} of the thermometer.",
        ),
        step(
            "axes",
            Gate::Live,
            "Move all axes slowly to their ends.",
            "No cable or tube pulls.",
        ),
    ];
    let has = |part: Part| context.replaced.iter().any(|r| r.part() == part);
    if has(Part::FilamentCutter) {
        steps.push(step(
            "one_cut",
            Gate::Live,
            "Cut a piece of filament once under power.",
            "Its face is clean and square.",
        ));
    }
    if has(Part::PartFan) {
        steps.push(step(
            "part_fan",
            Gate::Live,
            "Run the part fan at half and at full.",
            "It starts at half, and its air reaches the nozzle.",
        ));
    }
    if has(Part::BedProbe) {
        steps.push(step(
            "probe_by_hand",
            Gate::Live,
            "Trigger the probe by hand while Z comes down slowly, high above the plate.",
            "Z stops at once.",
        ));
    }
    list(
        "Power-up checks",
        "Switch on cold and look before you heat.",
        steps,
    )
    .warned(
        SignalWord::Danger,
        "Mains. Supply, mains-voltage bed, inlet and earth are for a licensed electrician under the local code. Stop there.",
    )
}

fn rises() -> Step {
    step(
        "first_heat",
        Gate::Live,
        "Heat to {60 °C} for the first time and watch.",
        "It rises at once and steadily; the hot-end fan starts by {50 °C} and blows toward the fins.",
    )
    .warned(
        SignalWord::Warning,
        "Fire. Stay with it. If the reading stands still while the heater is on, switch off at once.",
    )
}

pub(super) fn first_heat(context: &Context) -> Sheet {
    let to = tightening_c(context);
    let mut s = list(
        "First heating",
        "Heat for the first time, and stay with it.",
        vec![
            rises(),
            step(
                "go_up",
                Gate::Live,
                &format!("Then to {{{} °C}}, still watching.", to.round()),
                "No smoke, no smell of hot plastic, no jump in the reading.",
            ),
        ],
    );
    s.caution = fumes(context, to);
    s
}

pub(super) fn first_print(context: &Context) -> Sheet {
    let piece = match school(context, RuleId::FirstPiece) {
        "quick" => "a quick small piece",
        "harsh" => "a harsh piece: overhangs, thin walls, long travels",
        _ if context.baseline.is_some() => "the baseline piece again",
        _ => "the test piece",
    };
    let speed = match school(context, RuleId::FirstPrintSpeed) {
        "two_thirds" => ", at 67 % of its speed",
        "stress" => ", at 150 % of its speed",
        _ => "",
    };
    let mut s = list(
        "First print",
        "Print once before you tune the filament’s settings.",
        vec![step(
            "print_first",
            Gate::Live,
            &format!("Print {piece} with the old settings, nothing else changed{speed}."),
            "What differs from the baseline is noted below.",
        )],
    )
    .by(RuleId::FirstPiece);
    if let Some(seen) = &context.baseline {
        s.hints
            .push(format!("The baseline showed: {}", plain_text(seen)));
    }
    s
}

/// A technician's own words among texts of the program, in which braces mean quantities.
fn plain_text(text: &str) -> String {
    text.replace(['{', '}'], "")
}

pub(super) fn hand_over(context: &Context) -> Sheet {
    let covers = match school(context, RuleId::Covers) {
        "leave_off" => {
            "Go over the printer once: plugs, ties, clips, sock, fan, plate. Covers may stay off."
        }
        _ => "Go over the printer once: plugs, ties, clips, covers, sock, fan, plate.",
    };
    let mut steps = vec![step(
        "go_over",
        Gate::Any,
        covers,
        "Everything that came off is on.",
    )];
    for c in &context.changed {
        let (what, was, now) = (plain_text(&c.what), plain_text(&c.was), plain_text(&c.now));
        let id = format!("{PUT_BACK}{}", c.what);
        steps.push(match c.lasts {
            Lasts::Loan => step(
                id,
                Gate::Any,
                &format!("Give back what was changed for a try: {what} to {was}."),
                "It reads as it was. Left as it is? Skip it and say why: it stays on record.",
            ),
            Lasts::Alteration => step(
                id,
                Gate::Any,
                &match (was.as_str(), now.as_str()) {
                    ("", "") => format!("Put right: {what}."),
                    ("", now) => format!("Put right: {what} ({now})."),
                    (was, _) => format!("Put right: {what}, was {was}."),
                },
                "Put right. Left as it is? Skip it and say why: it stays on record.",
            ),
        });
    }
    steps.extend([
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
    ]);
    list(
        "Hand over",
        "Look it over once more, and leave nothing open.",
        steps,
    )
}
