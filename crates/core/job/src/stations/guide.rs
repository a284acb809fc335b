//! How a search is begun and in which order it goes, by the schools of the shop. Common practice, no published source.

use wattotherm_measure::text::plain;
use wattotherm_printer::material_card;
use wattotherm_printer::{FilamentPath, HotEndKind, Parameter, Replacement};

use crate::context::Context;
use crate::house::RuleId;

/// What else is said where a parameter is searched; quantities in braces.
pub(super) fn guide(parameter: Parameter, context: &Context) -> Vec<String> {
    let school = |rule: RuleId| context.house.option(rule).id;
    let converted = context.replaced.contains(&Replacement::HeatBreakToAllMetal);
    let shifted = school(RuleId::AllMetalConversion) == "shifted";
    let mut says = Vec::new();
    if parameter == Parameter::PrintTemp
        && let Some(f) = &context.filament
        && let Some(card) = material_card(&f.material)
    {
        says.extend(card.says(f.material.trim()));
    }
    match parameter {
        Parameter::PrintTemp if converted => says.push(match (shifted, context.before) {
            (true, Some(old)) => format!(
                "After the conversion: begin the tower at {{{} °C}}, {{5 to 10 K}} above the old value.",
                plain(old + 5.0, 0)
            ),
            (true, None) => "After the conversion: begin {5 to 10 K} hotter than before.".into(),
            (false, _) => "After the conversion: begin at the old value.".into(),
        }),
        Parameter::Retraction => {
            says.push(
                match school(RuleId::RetractionSearch) {
                    "fast_first" => {
                        "Speed first, from {60 mm/s} down; then distance, in steps of {0.2 mm}. Fast pulls grind: look at the filament."
                    }
                    _ => {
                        "Distance first, at {25 mm/s}; then speed, in steps of {10 mm/s}; then travel, then wipe. One change a print."
                    }
                }
                .into(),
            );
            says.push(hop(context).into());
            if context.replaced.contains(&Replacement::TubeToDirectDrive)
                || context.printer.path == FilamentPath::Direct
            {
                says.push("A direct drive wants {0.5 to 2 mm}.".into());
            }
            if converted && shifted {
                says.push("After the conversion: begin shorter than before, and step up.".into());
            }
            if context.printer.hot_end == HotEndKind::AllMetal || converted {
                says.push(
                    "All-metal: keep the pull shorter than the cold zone, or melt is drawn into it and jams."
                        .into(),
                );
            }
        }
        Parameter::Profile => {
            let bore = context.printer.nozzle_mm;
            let range = |least: f64, most: f64| {
                format!("{{{} to {} mm}}", plain(least * bore, 2), plain(most * bore, 2))
            };
            let follows = format!(
                "Bore {{{} mm}}: lines {} wide, layers {} high.",
                plain(bore, 2),
                range(1.0, 1.2),
                range(0.25, 0.75)
            );
            says.push(
                match school(RuleId::ProfileAfterBore) {
                    "makers" => "Take the maker’s default for this bore, under its own name.",
                    "diameter_only" => {
                        "The diameter alone is changed: widths and layers of the old bore stay, and print wrong. Look at each."
                    }
                    _ => "Copy the profile, name it by the bore, and redo every width and layer.",
                }
                .into(),
            );
            says.push(follows);
        }
        _ => {}
    }
    says
}

/// What the shop does about a hop, where strings are looked at.
pub(super) fn hop(context: &Context) -> &'static str {
    match context.house.option(RuleId::Hop).id {
        "on" => "Hop stays on: it leaves no wipe, so some strings are its own.",
        _ => "Hop off while it is tuned; on only where the nozzle strikes parts.",
    }
}
