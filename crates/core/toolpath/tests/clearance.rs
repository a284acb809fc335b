//! A whole file before its first line: what a guard lets through, told line by line.
#![allow(clippy::unwrap_used, clippy::float_cmp)] // numbers that are taken over as they are

use proptest::prelude::*;
use wattotherm_gcode::{Guard, GuardLimits, HeaterLimit};
use wattotherm_toolpath::{Clearance, Limits, Nozzles, clear_path, factor_of};

const VOLUME: [f64; 3] = [200.0, 180.0, 150.0];

fn guard() -> Guard {
    Guard {
        limits: GuardLimits::new(HeaterLimit::new(240.0, "the liner"), 100.0, VOLUME),
    }
}

fn clear(text: &str) -> Clearance {
    clear_path(text.as_bytes(), &guard(), &Nozzles::ONE, 0, |_| true).unwrap()
}

const START: &str = "G90\nM83\nM190 S60\nM109 S210\nG28\n";

#[test]
fn a_part_as_programs_write_them_is_clear_and_says_what_it_heats_and_leaves_out() {
    let text = format!(
        "\u{feff}; made by hand\r\nM73 P0 R10\r\nM117 Layer 1\r\nG21\r\n{START}T0\r\nM204 P800\r\nM900 K0.04\r\nM486 S1\r\n\
         G1 Z0.2 F600\r\nG1 X50 Y50 F6000 ; over there\r\nG1X60Y50E.4F1800\r\nG2 X70 Y60 I10 J0 E0.6\r\n\
         G10\r\nG0 X20\r\nG11\r\nG92 E0\r\nG91\r\nG1 Z5\r\nG90\r\nG1 X60 E1\r\nM106 S128\r\nM600\r\nM104 S0\r\nM84 X Y E\r\n"
    );
    let got = clear(&text);
    assert_eq!(got.refused, []);
    assert!(got.is_clear());
    assert_eq!((got.nozzles_c, got.bed_c), (vec![Some(210.0)], Some(60.0)));
    assert_eq!(got.waits_for_person, 1);
    assert_eq!(got.sets, ["M204", "M900"]);
    let codes = |g: &[wattotherm_toolpath::Gone]| {
        g.iter()
            .map(|g| (g.code.clone(), g.line))
            .collect::<Vec<_>>()
    };
    assert_eq!(
        codes(&got.shows),
        [("M117".into(), 3), ("M73".into(), 2), ("T0".into(), 10)]
    );
    assert_eq!(codes(&got.unknown), [("M486".into(), 13)]);
    // What is sent behind each G90 and G91 counts too.
    assert_eq!(got.lines, 25);
}

#[test]
fn what_must_not_go_out_is_told_with_its_line_and_why() {
    let cases = [
        (
            "M104 S250",
            "250 °C is above the ceiling of 240 °C, held down by the liner",
        ),
        (
            "M140 S120",
            "120 °C is above the ceiling of 100 °C, held down by the bed",
        ),
        ("G1 X201", "X201 is outside 0 to 200 mm"),
        ("G1 Z-0.1", "Z-0.1 is outside 0 to 150 mm"),
        ("G20", "counts in inches"),
        ("G92 X0", "shifts where the head is taken to be"),
        ("G92", "shifts where the head is taken to be"),
        ("M92 E400", "changes a setting of the machine"),
        ("M500", "nothing that a print may do"),
        ("M302 P1", "nothing that a print may do"),
        ("M112", "nothing that a print may do"),
        ("T1", "a nozzle that this printer doesn’t have"),
        (
            "M104 T1 S200",
            "heats a nozzle that this printer doesn’t have",
        ),
        (
            "M109 R200 T1",
            "heats a nozzle that this printer doesn’t have",
        ),
        ("G5 X1 Y1 I1 J1 P1 Q1", "a motion that isn’t known here"),
        ("G1 X1e2", "can’t be read"),
        ("G1 X10 F0", "a speed of 0 mm/min can’t be meant"),
        // The end lies inside, the way doesn't: a half circle to the left of X 10.
        ("G1 X10 Y50\nG2 X10 Y90 I0 J20", "is outside 0 to 200 mm"),
        ("G3 X1 Y1", "G3 needs I with a value"),
        ("G1 E600", "moves 600 mm of filament at once"),
    ];
    for (line, why) in cases {
        let got = clear(&format!("{START}{line}\n"));
        assert_eq!(got.refused_lines, 1, "{line}: {:?}", got.refused);
        let number = 5 + line.lines().count() as u64;
        assert_eq!(got.refused[0].line, number, "{line}");
        assert!(
            got.refused[0].message.contains(why),
            "{line}: {}",
            got.refused[0].message
        );
        assert!(!got.refused[0].message.contains("Nothing was sent"));
    }
}

#[test]
fn what_isn_t_waited_for_is_cold_and_what_isn_t_homed_is_lost() {
    let why = |text: &str| {
        let got = clear(text);
        (
            got.refused.first().map_or(0, |d| d.line),
            got.refused
                .first()
                .map_or(String::new(), |d| d.message.clone()),
        )
    };
    // Told to heat, not waited for.
    let (line, says) = why("G90\nM83\nG28\nM104 S210\nG1 X10 E1\n");
    assert_eq!(line, 5);
    assert!(says.contains("the nozzle is at 20 °C") || says.contains("The nozzle is at 20 °C"));
    // Cooled in the middle, by a band of temperatures too low.
    let (line, says) = why(&format!("{START}G1 X10 E1\nM104 S150\nG1 X20 E1\n"));
    assert_eq!(line, 8);
    assert!(says.contains("150 °C"));
    // A band that only lowers it within reason goes through.
    assert!(clear(&format!("{START}G1 X10 E1\nM104 S195\nG1 X20 E1\n")).is_clear());
    let (line, says) = why("G90\nM83\nM109 S210\nG1 X10 E1\n");
    assert_eq!(line, 4);
    assert!(says.contains("not known"));
    // Motors let go in the middle.
    let (line, _) = why(&format!("{START}G1 X10\nM84\nG1 X20\n"));
    assert_eq!(line, 8);
    // How filament counts was never said.
    let (_, says) = why("G90\nM109 S210\nG28\nG1 X10 E1\n");
    assert!(says.contains("extruder counts"));
}

/// What a line does to a head, read in another way than the guard's: by splitting at blanks.
fn naive(text: &str) -> bool {
    let (mut at, mut relative, mut hot, mut homed) = ([0.0_f64; 3], false, false, false);
    for line in text.lines() {
        let mut words = line.split(' ');
        let code = words.next().unwrap();
        let words: Vec<(char, f64)> = words
            .filter_map(|w| Some((w.chars().next()?, w[1..].parse().ok()?)))
            .collect();
        match code {
            "G28" => {
                homed = true;
                at = [0.0; 3];
            }
            "G90" => relative = false,
            "G91" => relative = true,
            "M109" => {
                hot = words.iter().any(|(l, v)| *l == 'S' && *v >= 170.0);
                if words.iter().any(|(l, v)| *l == 'S' && *v > 240.0) {
                    return false;
                }
            }
            "G1" => {
                for (letter, v) in words {
                    if letter == 'E' {
                        if !hot {
                            return false;
                        }
                        continue;
                    }
                    let axis = match letter {
                        'X' => 0,
                        'Y' => 1,
                        'Z' => 2,
                        _ => continue,
                    };
                    if !homed {
                        return false;
                    }
                    at[axis] = if relative { at[axis] + v } else { v };
                    if at[axis] < -1e-9 || at[axis] > VOLUME[axis] + 1e-9 {
                        return false;
                    }
                }
            }
            _ => {}
        }
    }
    true
}

fn lines() -> impl Strategy<Value = Vec<String>> {
    let line = prop_oneof![
        1 => Just("G28".to_owned()),
        1 => Just("G90".to_owned()),
        1 => Just("G91".to_owned()),
        1 => (150_u32..260).prop_map(|c| format!("M109 S{c}")),
        6 => (0_u32..210, 0_u32..190).prop_map(|(x, y)| format!("G1 X{x} Y{y} E0.1")),
        3 => (-20_i32..160).prop_map(|z| format!("G1 Z{z} F600")),
    ];
    proptest::collection::vec(line, 1..30)
}

proptest! {
    #[test]
    fn a_file_is_clear_exactly_when_a_second_reader_finds_nothing_wrong(lines in lines()) {
        let text = format!("G90\nM83\n{}\n", lines.join("\n"));
        let got = clear(&text);
        prop_assert_eq!(got.refused_lines == 0, naive(&text), "{}: {:?}", text, got.refused);
    }

    #[test]
    fn no_bytes_make_it_panic_and_no_line_is_counted_twice(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
        let got = clear_path(&bytes[..], &guard(), &Nozzles::ONE, 0, |_| true).unwrap();
        let ends = bytes.iter().filter(|b| matches!(b, b'\n' | b'\r')).count() as u64;
        prop_assert!(got.refused_lines <= ends + 1);
    }
}

#[test]
fn a_second_core_finds_the_same() {
    let mut text = String::from(START);
    for i in 0..60_000 {
        text.push_str(&format!("G1 X{} Y{} E0.02\n", i % 190, (i * 7) % 170));
    }
    text.push_str("G1 X500\n");
    let alone = clear(&text);
    let both = clear_path(text.as_bytes(), &guard(), &Nozzles::ONE, 1, |_| true).unwrap();
    assert_eq!(alone, both);
    assert_eq!(alone.refused[0].line, 60_006);
    let stopped = clear_path(text.as_bytes(), &guard(), &Nozzles::ONE, 1, |_| false);
    assert!(stopped.is_err());
}

#[test]
fn a_printer_s_factor_is_as_sure_as_its_prints_make_it() {
    assert_eq!(factor_of(&[]), None);
    // The handbook's case: 44.5 min predicted, 43 taken.
    let one = factor_of(&[(44.5 * 60.0, 43.0 * 60.0)]).unwrap();
    assert!((one.value - 0.966_29).abs() < 1e-5);
    // Student t(0.975; 8) = 2.306 (table): 2.306 · 0.05 · 0.966.
    assert!((one.u - 2.306 * 0.05 * one.value).abs() < 1e-4, "{one:?}");
    assert!((one.spread / one.u - 2.0_f64.sqrt()).abs() < 1e-9);
    // Ten alike prints: narrower, never nothing.
    let ten = factor_of(&[(1_000.0, 1_050.0); 10]).unwrap();
    assert!(ten.u < one.u / 2.5 && ten.u > 0.0, "{ten:?}");
    // Scatter beyond the doubt widens it. Pooled by hand: (8·0.05² + 2·0.2²)/(8 + 2) for ratios 0.8, 1.0, 1.2.
    let wide = factor_of(&[(100.0, 80.0), (100.0, 100.0), (100.0, 120.0)]).unwrap();
    let pooled: f64 = (8.0 * 0.0025 + 0.08) / 10.0;
    // Student t(0.975; 10) = 2.228 (table).
    assert!(
        (wide.u - 2.228 * (pooled / 3.0).sqrt()).abs() < 1e-4,
        "{wide:?}"
    );
    assert_eq!(factor_of(&[(0.0, 5.0), (f64::NAN, 1.0)]), None);
}

#[test]
fn limits_are_read_out_of_a_settings_report() {
    let report = "echo:; motion\necho:  M203 X300.0 Y250.0 Z12.0 E60.0\necho:  M201 X3000 Y2000 Z200 E5000\n\
                  echo:  M204 P1000.00 R1500.00 T1200.00\necho:  M205 J0.040\n";
    let got = Limits::reported(&wattotherm_gcode::read_settings(report)).unwrap();
    assert!((got.accel_mm_s2 - 1_000.0).abs() < 1e-9);
    assert_eq!(got.travel_accel_mm_s2, Some(1_200.0));
    assert_eq!(got.max_speed_mm_s.all(), [300.0, 250.0, 12.0, 60.0]);
    assert_eq!(
        got.max_accel_mm_s2.all(),
        [3_000.0, 2_000.0, 200.0, 5_000.0]
    );
    assert_eq!(got.junction_mm, Some(0.04));
    let jerk = Limits::reported(&wattotherm_gcode::read_settings(
        "M204 S800\nM205 X8 Y8 Z0.4 E5\n",
    ))
    .unwrap();
    assert_eq!(jerk.jerk_mm_s.unwrap().all(), [8.0, 8.0, 0.4, 5.0]);
    assert_eq!(
        Limits::reported(&wattotherm_gcode::read_settings("M92 E93")),
        None
    );
}

fn with_two(text: &str, second_mm: Option<[f64; 3]>) -> Clearance {
    let nozzles = Nozzles {
        count: 2,
        offsets_mm: second_mm.map(|o| (1, o.map(Some))).into_iter().collect(),
    };
    clear_path(text.as_bytes(), &guard(), &nozzles, 0, |_| true).unwrap()
}

#[test]
fn a_file_for_two_nozzles_is_clear_where_the_head_reaches_whichever_way_the_offset_counts() {
    let text = format!(
        "{START}M109 T1 S225\nG1 Z0.2 F600\nG1 X100 Y50 F6000\nG1 X120 E1\nT1\nG1 E2 F300\nG1 X60 Y50 F6000\nG1 X80 E1\nT0\nG1 X100 Y60\nG1 X120 E1\nM104 T1 S0\nM104 S0\n"
    );
    let got = with_two(&text, Some([24.0, -0.3, 0.0]));
    assert_eq!(got.refused, []);
    assert_eq!(got.nozzles_c, [Some(210.0), Some(225.0)]);

    // There is no third one to heat; switching it off does nothing.
    let third = with_two(&format!("{START}M104 T2 S200\nM104 T2 S0\n"), None);
    assert_eq!(
        third.refused.iter().map(|d| d.line).collect::<Vec<_>>(),
        [6],
        "{:?}",
        third.refused
    );

    // Where it stands isn't known: from the change on nothing can be checked.
    let unknown = with_two(&text, None);
    assert_eq!(unknown.refused[0].line, 10);
    assert!(
        unknown.refused[0].message.contains("Where T1 stands"),
        "{:?}",
        unknown.refused
    );

    // 60 mm to the left of what is asked for lies beside the bed.
    let far = with_two(&text, Some([64.0, 0.0, 0.0]));
    let says = &far.refused[0];
    assert_eq!(says.line, 12, "{says:?}");
    assert!(
        says.message.contains("with it, X goes from 64 to 136 mm"),
        "{says:?}"
    );

    // The second nozzle is lower: at 0.2 mm the first may stand below the bed, and then the head must not go there.
    let low = with_two(&text, Some([24.0, 0.0, 0.4]));
    assert!(!low.is_clear());
    // At the rim a change may bring the head beside the bed.
    let rim = "G90\nM83\nM109 S210\nG28\nG1 Z5\nG1 X190 Y50\nT1\n";
    let refused = with_two(rim, Some([24.0, 0.0, 0.0])).refused;
    assert!(
        refused[0].message.starts_with("At X190 a change to T1"),
        "{refused:?}"
    );
    // The second one is cold until it is waited for.
    let cold = text.replace("M109 T1 S225", "M104 T1 S225");
    let refused = with_two(&cold, Some([24.0, 0.0, 0.0])).refused;
    assert_eq!(refused[0].line, 11, "{refused:?}");
    assert!(refused[0].message.contains("strips it"), "{refused:?}");
}
