//! What the guard knows of a board is what the board itself counts, after any commands.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_gcode::{Guard, GuardLimits, HeaterLimit, Machine};
use wattotherm_twin::{Build, Kind, Twin};

/// Place and filament as the board says them [mm], read here by hand.
fn said(twin: &mut Twin) -> [f64; 4] {
    let answer = twin.ask("M114");
    let number = |name: &str| -> f64 {
        let from = answer.find(name).unwrap() + name.len();
        let text = answer[from..].split_whitespace().next().unwrap();
        text.parse().unwrap()
    };
    [number("X:"), number("Y:"), number("Z:"), number("E:")]
}

fn line() -> impl Strategy<Value = String> {
    let fixed = prop::sample::select(vec![
        "G28",
        "G28 X",
        "G28 Z",
        "G29",
        "G90",
        "G91",
        "M82",
        "M83",
        "G92 E0",
        "G92 E-4.5",
        "M84",
        "M18",
        "M92 E93",
        "M92 X80",
        "M501",
        "M410",
        "M106 S128",
        "M107",
        "T0",
        "M851 Z-1.5",
        "M400",
    ]);
    let axis = (prop::sample::select(vec!['X', 'Y', 'Z']), -30.0..120.0_f64)
        .prop_map(|(l, v)| format!("G1 {l}{v:.2} F3000"));
    let both = (0.0..100.0_f64, -5.0..20.0_f64).prop_map(|(x, e)| format!("G1 X{x:.2} E{e:.2}"));
    let feed = (-20.0..20.0_f64).prop_map(|e| format!("G1 E{e:.2} F120"));
    prop_oneof![4 => fixed.prop_map(str::to_owned), 3 => axis, 1 => both, 1 => feed]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    #[test]
    fn what_the_guard_knows_the_board_counts(lines in prop::collection::vec(line(), 1..60)) {
        let guard = Guard { limits: GuardLimits::new(HeaterLimit::new(250.0, "the liner"), 110.0, [235.0, 235.0, 250.0]) };
        let mut known = Machine { tools: Some(1), tools_c: vec![220.0], ..Machine::default() };
        let mut twin = Twin::new(Build::new(Kind::Standard, 1, []), 1);
        // The board would refuse to feed cold; the guard was told that it is hot.
        twin.world.heat.block_c = 220.0;
        twin.world.free_air = true;
        let mut sent = 0;
        for line in &lines {
            let Ok(allowed) = guard.allow(line, &known, false) else { continue };
            twin.ask(&allowed.line);
            twin.advance(600.0);
            prop_assert!(twin.is_idle(), "{line}");
            known.follow(allowed.words());
            sent += 1;
            let counted = said(&mut twin);
            for (i, place) in known.place_mm.into_iter().chain([known.e_mm]).enumerate() {
                if let Some(at) = place {
                    prop_assert!((at - counted[i]).abs() < 0.006, "{} after {line}: known {at}, counted {}", "XYZE".as_bytes()[i] as char, counted[i]);
                }
            }
            if let Some(fan) = known.fan {
                prop_assert!((fan - twin.world.part_fan).abs() < 1e-9, "fan after {line}");
            }
        }
        prop_assert!(sent > 0 || lines.len() < 20, "nothing passed the guard");
    }
}
