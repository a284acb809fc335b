//! The line protocol's words, frames, replies and settings, and the guard in front of every printer.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_core::gcode::{
    AutotuneReport, Effect, FrameError, Guard, GuardLimits, GuardState, Reply, Words, checksum,
    compare_settings, framed, read_autotune, read_reply, read_settings, read_temperatures,
    unframed, wanted_by,
};

fn guard() -> Guard {
    Guard {
        limits: GuardLimits {
            ceiling_c: 235.0,
            held_by: "the liner".into(),
            bed_ceiling_c: 110.0,
            volume_mm: [235.0, 235.0, 250.0],
        },
    }
}

fn hot() -> GuardState {
    GuardState {
        homed: true,
        nozzle_c: Some(210.0),
        ..GuardState::default()
    }
}

#[test]
fn the_guard_says_no_in_words_that_help() {
    let cold = GuardState::default();
    let cases = [
        (
            "M104 S236",
            &cold,
            "236 °C is above the ceiling of 235 °C, held down by the liner. Nothing was sent; ask for 235 °C or less.",
        ),
        (
            "M303 E0 S232 C5",
            &cold,
            "232 °C is above the ceiling of 230 °C, held down by the ceiling, less the swing of the test. Nothing was sent; ask for 230 °C or less.",
        ),
        (
            "M140 S120",
            &cold,
            "120 °C is above the ceiling of 110 °C, held down by the bed. Nothing was sent; ask for 110 °C or less.",
        ),
        (
            "G1 E5 F60",
            &cold,
            "The nozzle is at an unknown temperature: feeding below 170 °C strips the filament. Nothing was sent; heat first.",
        ),
        (
            "G1 X10",
            &cold,
            "The head's place is not known. Nothing was sent; home first (G28).",
        ),
        (
            "G29",
            &cold,
            "The head's place is not known. Nothing was sent; home first (G28).",
        ),
        (
            "G1 X300",
            &hot(),
            "X300 is outside 0 to 235 mm. Nothing was sent.",
        ),
        (
            "G1 Z-0.1",
            &hot(),
            "Z-0.1 is outside 0 to 250 mm. Nothing was sent.",
        ),
        (
            "M92 E0.5",
            &cold,
            "M92 E0.5 is not possible: 1 to 20000. Nothing was sent.",
        ),
        (
            "M301",
            &cold,
            "M301 needs P with a value. Nothing was sent.",
        ),
        (
            "M104",
            &cold,
            "M104 needs S with a value. Nothing was sent.",
        ),
        (
            "M302 P1",
            &cold,
            "M302 is not among the commands that are sent from here. Nothing was sent.",
        ),
        (
            "home",
            &cold,
            "“home” is no command: column 1: a command begins with G, M or T and a whole number. Nothing was sent.",
        ),
        ("M104 S2OO", &cold, "“M104 S2OO” is no command"),
    ];
    for (line, state, says) in cases {
        let refusal = guard().allow(line, state).unwrap_err().to_string();
        assert!(refusal.starts_with(says), "{line}: {refusal}");
    }
}

#[test]
fn the_guard_lets_the_work_through_and_knows_what_it_does() {
    for (line, sent, effect) in [
        ("m104 s210 ; print", "M104 S210", Effect::Heat),
        ("M109 S235", "M109 S235", Effect::HeatAndWait),
        ("M303 E0 S230 C6", "M303 E0 S230 C6", Effect::HeatAndWait),
        (
            "M301 P30.01 I3.21 D70.06",
            "M301 P30.01 I3.21 D70.06",
            Effect::Set,
        ),
        ("G28", "G28", Effect::Move),
        ("M500", "M500", Effect::Memory),
        ("M112", "M112", Effect::Stop),
        ("M503", "M503", Effect::Ask),
        ("G1 E-5 F1800", "G1 E-5 F1800", Effect::Move),
    ] {
        let allowed = guard().allow(line, &hot()).unwrap();
        assert_eq!((allowed.line.as_str(), allowed.effect), (sent, effect));
    }
    let set = guard().allow("M301 P30 I2 D100", &hot()).unwrap();
    assert_eq!(
        set.read_back.len(),
        3,
        "every value of a setting is looked for afterwards"
    );
}

#[test]
fn the_guards_state_follows_what_the_printer_took() {
    let g = guard();
    let mut s = GuardState {
        nozzle_c: Some(210.0),
        ..GuardState::default()
    };
    let take = |line: &str, s: &mut GuardState| s.taken(&g.allow(line, s).unwrap());
    take("G28", &mut s);
    take("G91", &mut s);
    take("G1 X200", &mut s);
    assert!(g.allow("G1 X40", &s).is_err(), "relative moves add up");
    take("G90", &mut s);
    take("G1 X40", &mut s);
    assert!((s.place_mm[0] - 40.0).abs() < 1e-9);
    take("G1 E50", &mut s);
    take("G92 E0", &mut s);
    assert!(
        g.allow(
            "G1 E-1",
            &GuardState {
                nozzle_c: Some(20.0),
                ..s.clone()
            }
        )
        .is_ok(),
        "pulling back is not feeding"
    );
    take("M112", &mut s);
    assert!(!s.homed, "a stop loses the place");
}

#[test]
fn a_frame_carries_its_number_and_finds_its_damage() {
    // Common practice of the protocol: XOR of all bytes before the star.
    assert_eq!(framed(0, "M110 N0"), "N0 M110 N0*125\n");
    assert_eq!(checksum(b"N0 M110 N0"), 125);
    assert_eq!(unframed("N12 M105*23"), Err(FrameError::Checksum));
    assert_eq!(unframed("N12 M105"), Err(FrameError::Half));
    assert_eq!(unframed("M105*121"), Err(FrameError::Half));
    assert_eq!(unframed("M112"), Ok((None, "M112")));
}

#[test]
fn replies_are_told_apart() {
    for (line, reply) in [
        ("ok", Reply::Ok(String::new())),
        ("ok T:20.0 /0.0", Reply::Ok("T:20.0 /0.0".into())),
        ("okay then", Reply::Other("okay then".into())),
        ("Resend: 12", Reply::Resend(12)),
        ("rs N7", Reply::Resend(7)),
        ("Resend: x", Reply::Other("Resend: x".into())),
        ("echo:busy: processing", Reply::Busy),
        (
            "Error:halted: too hot",
            Reply::Error("halted: too hot".into()),
        ),
        ("start", Reply::Started),
    ] {
        assert_eq!(read_reply(line), reply, "{line}");
    }
    let t = read_temperatures("T:205.1 /210.0 B:60.0 /60.0 @:87 B@:30 UP:12.25").unwrap();
    assert_eq!(
        (
            t.nozzle_c,
            t.nozzle_target_c,
            t.bed_c,
            t.nozzle_output,
            t.uptime_s
        ),
        (205.1, 210.0, Some(60.0), Some(87.0), Some(12.25))
    );
    assert_eq!(
        read_temperatures("T:205.1 /2!0.0"),
        None,
        "half a report was damaged on the way"
    );
    let mut report = AutotuneReport::default();
    assert!(read_autotune(
        "bias: 92 d: 92 min: 196.56 max: 203.91 Ku: 31.9 Tu: 18.7",
        &mut report
    ));
    assert_eq!(
        (report.d, report.max_c, report.ku, report.tu_s),
        (Some(92.0), Some(203.91), Some(31.9), Some(18.7))
    );
    assert!(!read_autotune("echo:busy: processing", &mut report));
}

#[test]
fn a_settings_report_is_read_and_compared_by_meaning() {
    let before = read_settings("echo:  M92 X80 Y80 Z400 E93\necho:  M851 Z-1.62\nM900 K0.05\n");
    let after = read_settings("M92 X80 Y80 Z400 E100.27\nM851 Z-1.620001\nM207 S0.8\n");
    let changes = compare_settings(&before, &after);
    let told: Vec<String> = changes
        .iter()
        .map(|c| {
            format!(
                "{} {} {} {:?} {:?}",
                c.code,
                c.letter,
                c.says,
                c.before.as_deref(),
                c.after.as_deref()
            )
        })
        .collect();
    assert_eq!(
        told,
        [
            "M207 S retraction length None Some(\"0.8\")",
            "M900 K pressure advance Some(\"0.05\") None",
            "M92 E extruder steps/mm Some(\"93\") Some(\"100.27\")",
        ]
    );
    assert_eq!(changes[2].parameter.as_deref(), Some("drive"));
}

/// Any command of the protocol, sensible or not.
fn any_command() -> impl Strategy<Value = String> {
    let code = prop::sample::select(vec![
        "M104", "M109", "M140", "M190", "M303", "G0", "G1", "G28", "M92", "M301", "M302", "M999",
        "M211", "G10",
    ]);
    let word = (
        prop::sample::select(vec!['X', 'Y', 'Z', 'E', 'F', 'S', 'P', 'I', 'D', 'C', 'R']),
        -600.0..900.0_f64,
    );
    (code, prop::collection::vec(word, 0..5)).prop_map(|(code, words)| {
        let mut seen = Vec::new();
        let mut line = code.to_owned();
        for (l, v) in words {
            if !seen.contains(&l) {
                seen.push(l);
                line.push_str(&format!(" {l}{v:.2}"));
            }
        }
        line
    })
}

proptest! {
    #[test]
    fn nothing_above_the_ceiling_outside_the_volume_or_cold_is_ever_let_through(
        line in any_command(), homed: bool, nozzle in prop::option::of(0.0..300.0_f64), relative: bool,
    ) {
        let state = GuardState { homed, nozzle_c: nozzle, relative, place_mm: [100.0; 3], ..GuardState::default() };
        if let Ok(allowed) = guard().allow(&line, &state) {
            let w = Words::read(&allowed.line).unwrap();
            let s = w.value('S').unwrap_or(0.0);
            match w.code() {
                "M104" | "M109" | "M303" => prop_assert!((0.0..=235.0).contains(&s), "{line}"),
                "M140" | "M190" => prop_assert!((0.0..=110.0).contains(&s), "{line}"),
                "G0" | "G1" => {
                    for (axis, most) in [('X', 235.0), ('Y', 235.0), ('Z', 250.0)] {
                        if let Some(v) = w.value(axis) {
                            let to = if relative { 100.0 + v } else { v };
                            prop_assert!(homed && (0.0..=most).contains(&to), "{line}");
                        }
                    }
                    if w.value('E').is_some_and(|e| e > 0.0) {
                        prop_assert!(nozzle.is_some_and(|t| t >= 170.0), "{line}");
                    }
                }
                "M302" | "M211" | "G10" => prop_assert!(false, "{line} turns a guard off or is unknown"),
                _ => {}
            }
        }
    }

    #[test]
    fn a_frame_comes_back_and_any_single_changed_byte_is_found(n in 0_u64..100_000, line in any_command(), at in 0_usize..80, flip in 1_u8..128) {
        let text = framed(n, &line);
        let body = text.trim_end();
        prop_assert_eq!(unframed(body), Ok((Some(n), line.as_str())));
        let mut bytes = body.as_bytes().to_vec();
        let at = at % bytes.len();
        bytes[at] ^= flip;
        if let Ok(changed) = String::from_utf8(bytes)
            && changed.trim() == changed
            && !changed.contains(['\n', '\r'])
        {
            // Either it is refused, or what is left reads as no numbered line at all.
            let read = unframed(&changed);
            prop_assert!(!matches!(read, Ok((Some(_), _))), "{changed}: {read:?}");
        }
    }

    #[test]
    fn a_set_value_is_found_again_in_the_report_that_repeats_it(e in 1.0..20_000.0_f64) {
        let words = Words::read(&format!("M92 E{e:.2}")).unwrap();
        let report = read_settings(&format!("echo:  {}", words.line()));
        for (key, value) in wanted_by(&words) {
            prop_assert!((report.values[&key] - value).abs() < 1e-9);
        }
    }

    #[test]
    fn no_line_makes_the_readers_panic(line in "\\PC{0,120}") {
        let _ = (Words::read(&line), read_reply(&line), read_temperatures(&line), unframed(&line), read_settings(&line));
        let _ = read_autotune(&line, &mut AutotuneReport::default());
        let _ = guard().allow(&line, &hot());
    }
}
