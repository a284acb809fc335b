//! The line protocol's words, frames, replies and settings, and the guard in front of every printer.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_gcode::{
    AutotuneReport, COMMANDS, Effect, FrameError, Guard, GuardLimits, Heater, HeaterLimit, Machine,
    Reply, StopWord, Words, checksum, compare_settings, framed, read_autotune, read_card_print,
    read_place, read_reply, read_settings, read_simulated_speed, read_temperatures, stop_word,
    unframed, wanted_by,
};

fn guard() -> Guard {
    Guard {
        limits: GuardLimits::new(
            HeaterLimit::new(235.0, "the liner"),
            110.0,
            [235.0, 235.0, 250.0],
        ),
    }
}

/// Homed, hot, and everything known.
fn hot() -> Machine {
    Machine {
        homed: [true; 3],
        place_mm: [Some(100.0); 3],
        relative: Some(false),
        e_relative: Some(true),
        e_mm: Some(0.0),
        tool: None,
        tools_c: vec![210.0],
        tools: Some(1),
        ..Machine::default()
    }
}

#[test]
fn the_guard_says_no_in_words_that_help() {
    let cold = Machine::default();
    let lost = Machine {
        relative: None,
        e_relative: None,
        ..hot()
    };
    let two = Machine {
        tools: Some(2),
        tools_c: vec![210.0, 24.0],
        ..hot()
    };
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
            "The nozzle is at an unknown temperature: moving filament below 170 °C strips it. Nothing was sent; heat first.",
        ),
        (
            "G1 X10",
            &cold,
            "The head’s place is not known. Nothing was sent; home first (G28).",
        ),
        (
            "G29",
            &cold,
            "The head’s place is not known. Nothing was sent; home first (G28).",
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
        (
            "M104 S1e3",
            &cold,
            "“M104 S1e3” is no command: column 7: write the number out, or a space before E. Nothing was sent.",
        ),
        (
            "M104 I3",
            &cold,
            "M104 is not sent with I from here, only with S, T. Nothing was sent.",
        ),
        (
            "M140 S60 R70",
            &cold,
            "M140 is not sent with R from here, only with S. Nothing was sent.",
        ),
        ("M109 R236", &cold, "236 °C is above the ceiling of 235 °C"),
        (
            "M141 S90",
            &cold,
            "90 °C is above the ceiling of 70 °C, held down by the chamber.",
        ),
        (
            "G28 O",
            &cold,
            "G28 is not sent with O from here, only with X, Y, Z. Nothing was sent.",
        ),
        (
            "G92 Z60",
            &hot(),
            "G92 Z would shift where the head is taken to be, and no move could be checked any more.",
        ),
        (
            "G20",
            &cold,
            "G20 is not among the commands that are sent from here.",
        ),
        (
            "G1 X10",
            &lost,
            "Whether a move counts from zero or from the last place is not known since the printer was connected. Nothing was sent; send G90 first.",
        ),
        ("G1 E5", &lost, "Whether the extruder counts from zero"),
        (
            "G1 E100000",
            &hot(),
            "That moves 100000 mm of filament at once. Nothing was sent. If it is meant, send it again and say so.",
        ),
        (
            "G1 X10",
            &two,
            "It is not known which nozzle is in use, or where it stands from the first",
        ),
        (
            "G1 E5",
            &two,
            "The nozzle is at 24 °C: moving filament below 170 °C strips it.",
        ),
        (
            "M104 S200",
            &two,
            "It is not known which nozzle is in use. Nothing was sent; name it: M104 T0 S200.",
        ),
        (
            "M106 P1.5",
            &cold,
            "M106 P1.5 is not possible: 0 to 9, a whole number. Nothing was sent.",
        ),
        (
            "T9",
            &cold,
            "T9 is not among the commands that are sent from here.",
        ),
    ];
    for (line, state, says) in cases {
        let refusal = guard().allow(line, state, false).unwrap_err().to_string();
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
        let allowed = guard().allow(line, &hot(), false).unwrap();
        assert_eq!((allowed.line.as_str(), allowed.effect), (sent, effect));
    }
    let set = guard().allow("M301 P30 I2 D100", &hot(), false).unwrap();
    assert_eq!(
        set.read_back.len(),
        3,
        "every value of a setting is looked for afterwards"
    );
}

#[test]
fn the_guards_machine_follows_what_the_printer_took() {
    let g = guard();
    let mut m = Machine {
        tools_c: vec![210.0],
        tools: Some(1),
        ..Machine::default()
    };
    let take = |line: &str, m: &mut Machine| {
        m.follow(
            g.allow(line, m, false)
                .unwrap_or_else(|e| panic!("{line}: {e}"))
                .words(),
        );
    };
    let no = |line: &str, m: &Machine| g.allow(line, m, false).unwrap_err().to_string();
    take("G28 X", &mut m);
    take("G90", &mut m);
    assert!(
        no("G1 Y10", &m).starts_with("Y is not homed."),
        "one axis homed is one axis"
    );
    take("G28", &mut m);
    take("G91", &mut m);
    assert!(
        no("G1 X10", &m)
            .starts_with("Where the head stands along X is not known since it was homed."),
        "many printers home in the middle of the bed"
    );
    m.said([117.5, 117.5, 10.0]);
    take("G1 X100", &mut m);
    assert!(
        no("G1 X40", &m).starts_with("X257.5 is outside"),
        "relative moves add up"
    );
    take("G90", &mut m);
    take("G1 X40", &mut m);
    assert_eq!(m.place_mm[0], Some(40.0));
    assert!(
        no("G1 E5", &m).starts_with("Whether the extruder"),
        "G91 and G90 leave E in doubt"
    );
    take("M82", &mut m);
    assert!(
        no("G1 E5", &m).starts_with("How much filament"),
        "its count is not known"
    );
    take("G92 E0", &mut m);
    take("G1 E50", &mut m);
    assert_eq!(m.e_mm, Some(50.0));
    take("M92 X80", &mut m);
    assert!(
        no("G1 X40", &m).starts_with("X is not homed."),
        "another scale, another place"
    );
    take("G28", &mut m);
    take("M501", &mut m);
    assert!(!m.homed[2], "the memory may hold another scale");
    take("G28", &mut m);
    take("M112", &mut m);
    assert_eq!(
        (m.homed, m.relative),
        ([false; 3], None),
        "a stop loses everything"
    );
    assert_eq!(m.tools_c, [210.0], "but not what is measured");
}

#[test]
fn each_nozzle_has_its_own_ceiling_and_an_unknown_one_the_lowest() {
    let mut g = guard();
    g.limits.tools = vec![
        HeaterLimit::new(285.0, "the sensor"),
        HeaterLimit::new(235.0, "the liner"),
    ];
    let one = hot();
    let unknown = Machine {
        tools: None,
        ..hot()
    };
    let second = Machine {
        tools: Some(2),
        tool: Some(1),
        ..hot()
    };
    let says = |line: &str, m: &Machine| {
        g.allow(line, m, false)
            .map(|a| a.line)
            .map_err(|e| e.to_string())
    };
    assert_eq!(
        says("M104 S280", &one),
        Ok("M104 S280".into()),
        "a single nozzle is the first"
    );
    for (line, m) in [
        ("M104 S280", &unknown),
        ("M104 S280", &second),
        ("M104 T1 S280", &one),
        ("M104 T7 S280", &one),
    ] {
        let refused = says(line, m).unwrap_err();
        assert!(
            refused.contains("ceiling of 235 °C, held down by the liner"),
            "{line}: {refused}"
        );
    }
    assert_eq!(says("M104 T0 S280", &second), Ok("M104 T0 S280".into()));
    assert!(
        says("M303 E1 S231 C5", &one)
            .unwrap_err()
            .contains("ceiling of 230 °C")
    );
}

#[test]
fn a_stop_is_a_stop_however_it_is_typed() {
    for line in [
        "M112",
        "m112",
        " m112 ; now",
        "N5 M112*33",
        "M112!",
        "M 112",
        "M0112",
        "M112.0",
        "n12 m112",
    ] {
        assert_eq!(stop_word(line), Some(StopWord::Emergency), "{line}");
    }
    assert_eq!(stop_word("m108"), Some(StopWord::BreakOff));
    assert_eq!(stop_word("M410"), Some(StopWord::StandStill));
    for line in [
        "",
        ";M112",
        "M1120",
        "M11",
        "M117 M112",
        "G1 X112",
        "N",
        "*",
    ] {
        assert_eq!(stop_word(line), None, "{line}");
    }
}

#[test]
fn every_heater_of_a_report_is_read() {
    let t = read_temperatures(
        "T:31.0 /0.0 B:92.0 /0.0 C:40.5 /45.0 T0:205.1 /210.0 T1:31.0 /0.0 @:0 B@:64 C@:12 @0:87 @1:0",
    )
    .unwrap();
    assert_eq!(t.tools.len(), 2);
    assert_eq!(
        (t.tools[0].target_c, t.tools[0].output),
        (210.0, Some(87.0))
    );
    assert_eq!((t.tools[1].at_c, t.tools[1].output), (31.0, Some(0.0)));
    assert!(t.bed.unwrap().heats(), "output without a target is heat");
    assert!((t.of(Heater::Chamber).unwrap().target_c - 45.0).abs() < 1e-9);
    // The output without a number belongs to the nozzle in use.
    let t = read_temperatures("T:24.0 /0.0 T0:205.1 /210.0 T1:24.0 /0.0 @:127").unwrap();
    assert_eq!((t.tools[0].output, t.tools[1].output), (None, Some(127.0)));
    for damaged in [
        "T:205.1 /210.0 T1:24.0 /0.0",
        "T:205.1",
        "T:205.1 /210.0 B:6!0 /60.0",
        "T:205.1 /210.0 B@:127",
        "T:9999 /0.0",
        "T0:20.0 /0.0 T9:20.0 /0.0 @9:1 T1:2x /0",
    ] {
        assert_eq!(read_temperatures(damaged), None, "{damaged}");
    }
    assert_eq!(read_card_print("Not SD printing"), Some(false));
    assert_eq!(read_card_print("SD printing byte 123/4567"), Some(true));
    assert_eq!(read_card_print("echo:busy: processing"), None);
    assert_eq!(
        read_place("X:10.00 Y:-2.50 Z:5.00 E:0.00 Count X:800 Y:0 Z:2000"),
        Some([10.0, -2.5, 5.0])
    );
    assert_eq!(read_place("X:10.00 Y:1x Z:5.00"), None);
    assert_eq!(
        read_simulated_speed("NAME:twin SIMULATED_SPEED:6"),
        Some(6.0)
    );
    assert_eq!(read_simulated_speed("NAME:a board of metal"), None);
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
            t.nozzle().at_c,
            t.nozzle().target_c,
            t.bed.map(|b| b.at_c),
            t.nozzle().output,
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
        let state = Machine { homed: [homed; 3], tools_c: nozzle.into_iter().collect(), relative: Some(relative), ..hot() };
        if let Ok(allowed) = guard().allow(&line, &state, true) {
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
                    if w.value('E').is_some() {
                        prop_assert!(nozzle.is_some_and(|t| t >= 170.0), "{line}");
                    }
                }
                // Bare it takes filament back, as G1 E-… does; with any word it would set an offset.
                "G10" => prop_assert!(w.words().is_empty() && nozzle.is_some_and(|t| t >= 170.0), "{line}"),
                "M302" | "M211" => prop_assert!(false, "{line} turns a guard off or is unknown"),
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
    fn a_letter_that_is_not_in_the_row_is_never_let_through(row in 0..COMMANDS.len(), letter in prop::char::range('A', 'Z'), v in 0_u32..60) {
        let spec = &COMMANDS[row];
        let line = format!("{}{} {letter}{v}", spec.code, if spec.code == "T" { "0" } else { "" });
        if let Ok(allowed) = guard().allow(&line, &hot(), true) {
            prop_assert!(spec.letter(letter).is_some(), "{line} went out as {}", allowed.line);
        }
    }

    #[test]
    fn no_line_makes_the_readers_panic(line in "\\PC{0,120}") {
        let _ = (Words::read(&line), read_reply(&line), read_temperatures(&line), unframed(&line), read_settings(&line));
        let _ = read_autotune(&line, &mut AutotuneReport::default());
        let _ = (guard().allow(&line, &hot(), false), stop_word(&line), read_place(&line), read_simulated_speed(&line));
    }
}
