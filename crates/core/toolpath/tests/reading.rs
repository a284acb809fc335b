//! Reading: whatever the bytes are, and what each kind of file is read as.
#![allow(
    clippy::unwrap_used,
    clippy::cast_possible_truncation,
    clippy::cast_precision_loss,
    clippy::cast_sign_loss
)]

use crate::common::{box_part, look};
use proptest::prelude::*;
use wattotherm_gcode::{Lexer, Marks, PlainMove, Short, TokenKind, plain_number, short_line};
use wattotherm_toolpath::{
    Edit, Limits, SurveyOptions, apply_edits, each_chunk, read_path, survey,
};

fn heights(text: &str) -> Vec<f64> {
    look(text)
        .layers
        .iter()
        .map(|l| (l.z_mm * 1e3).round() / 1e3)
        .collect()
}

fn line(x: f64, y: f64, e: f64) -> String {
    format!("G1 X{x} Y{y} E{e}\n")
}

#[test]
fn a_part_is_read_layer_by_layer_whether_filament_counts_on_or_from_nothing() {
    for relative in [false, true] {
        let s = look(&box_part(10, relative));
        assert_eq!(s.layers.len(), 10);
        for (i, l) in s.layers.iter().enumerate() {
            let z = 0.2 * f64::from(u32::try_from(i).unwrap() + 1);
            assert!(
                (l.z_mm - z).abs() < 1e-9 && (l.height_mm - 0.2).abs() < 1e-6,
                "{l:?}"
            );
            assert!((l.printed_mm - 200.0).abs() < 1e-6);
        }
        // 200 mm of beads a layer; the override of 95 % is what is used.
        assert!((s.bead_filament_mm - 10.0 * 200.0 * 0.0332).abs() < 0.02);
        assert!((s.filament_mm / s.commanded_filament_mm - 0.95).abs() < 1e-6);
        // All but the first come with a hop.
        assert_eq!(s.retractions, 20);
        let hopped = &s.retraction_kinds[0];
        assert!((hopped.distance_mm - 0.8).abs() < 2e-3 && (hopped.hop_mm - 0.4).abs() < 1e-6);
        assert!((hopped.speed_mm_s - 35.0).abs() < 1e-6);
        assert!(
            s.reading.diagnostics.is_empty(),
            "{:?}",
            s.reading.diagnostics
        );
        let sum: f64 = s.before_s + s.layers.iter().map(|l| l.seconds).sum::<f64>();
        assert!((sum - s.seconds).abs() < 1e-6);
    }
}

#[test]
fn a_spiral_has_a_layer_a_turn() {
    let mut text = String::from("M83\nG1 Z0.25 F1200\n");
    let around = [(30.0, 0.0), (30.0, 30.0), (0.0, 30.0), (0.0, 0.0)];
    for (x, y) in around {
        text += &line(x, y, 1.0);
    }
    let mut z = 0.25;
    for _ in 0..12 {
        for (x, y) in around {
            z += 0.25 / 4.0;
            text += &format!("G1 X{x} Y{y} Z{z:.4} E1\n");
        }
    }
    let s = look(&text);
    assert_eq!(s.layers.len(), 13);
    assert!(!s.layers[0].spiral && s.layers[1].spiral);
    assert!((s.layers[12].z_mm - 3.25).abs() < 1e-6);
    assert!(s.layers.iter().all(|l| (l.printed_mm - 120.0).abs() < 0.01));
}

#[test]
fn parts_one_after_the_other_begin_again_and_a_raft_is_layers_of_its_own() {
    let mut text = String::from("M83\nG1 F1800\n");
    for at in [0.0, 50.0] {
        for l in 1..=5 {
            text += &format!("G1 Z{:.1}\nG0 X{at} Y0\n", 0.2 * f64::from(l));
            text += &line(at + 20.0, 0.0, 0.7);
        }
        text += "G0 Z20\n";
    }
    let s = look(&text);
    let objects: Vec<u32> = s.layers.iter().map(|l| l.object).collect();
    assert_eq!(objects, [0, 0, 0, 0, 0, 1, 1, 1, 1, 1]);
    assert!(s.layers.iter().all(|l| (l.height_mm - 0.2).abs() < 1e-9));
    // A raft: thick, less thick, a gap, then the part.
    let mut text = String::from("M83\nG1 F1800\n");
    for z in [0.3, 0.5, 0.75, 0.95] {
        text += &format!("G1 Z{z}\n{}{}", line(20.0, 0.0, 1.0), line(0.0, 0.0, 1.0));
    }
    assert_eq!(heights(&text), [0.3, 0.5, 0.75, 0.95]);
}

#[test]
fn a_line_that_primes_at_another_height_is_no_layer_of_the_part() {
    let mut text = String::from("M83\nG1 X5 Y5 Z0.3 F1800\nG1 Y150 E9\nG1 Z2\n");
    for z in [0.2, 0.4, 0.6] {
        text += &format!(
            "G1 Z{z}\nG0 X50 Y50\n{}{}",
            line(70.0, 50.0, 0.7),
            line(50.0, 70.0, 0.9)
        );
    }
    let s = look(&text);
    assert_eq!(heights(&text), [0.2, 0.4, 0.6]);
    assert!((s.prime.unwrap().filament_mm - 9.0).abs() < 1e-9);
}

#[test]
fn a_hop_is_no_layer_and_a_wipe_is_a_retraction() {
    let text = "M83\nG1 Z0.2 F1200\nG1 X20 E1 F1800\nG1 X18 E-0.5 F3000\nG1 E-0.3 F2100\nG1 Z0.8\nG0 X60\nG1 Z0.2\nG1 E0.8 F1500\nG1 X80 E1\nG10\nG0 X90\nG11\nG1 X95 E.2\n";
    let s = look(text);
    assert_eq!(heights(text), [0.2]);
    assert_eq!(s.retractions, 2);
    let wiped = s.retraction_kinds.iter().find(|k| k.wiped).unwrap();
    assert!((wiped.distance_mm - 0.8).abs() < 1e-9 && (wiped.hop_mm - 0.6).abs() < 1e-9);
    assert!((wiped.travel_mm - 43.2).abs() < 1e-9);
    assert!(s.retraction_kinds.iter().any(|k| k.own));
}

#[test]
fn what_lies_above_the_first_layer_is_known_without_the_line_that_primes() {
    let square = "G1 X60 Y50 E1\nG1 X60 Y60 E1\nG1 X50 Y60 E1\nG1 X50 Y50 E1\n";
    let text = format!(
        "M83\nG1 Z0.2 F600\nG0 X5 Y5 F3000\nG1 X100 Y5 E5\nG0 X50 Y50\n{square}G1 Z0.4\n{square}G1 Z0.6\n{square}"
    );
    let s = look(&text);
    let (all, upper) = (s.bounds.unwrap(), s.upper_bounds.unwrap());
    assert!((all.x_mm[0] - 5.0).abs() < 1e-9 && (all.y_mm[0] - 5.0).abs() < 1e-9);
    for (got, expected) in [(upper.x_mm, [50.0, 60.0]), (upper.y_mm, [50.0, 60.0])] {
        assert!((got[0] - expected[0]).abs() < 1e-9 && (got[1] - expected[1]).abs() < 1e-9);
    }
    // One layer has nothing above it.
    assert_eq!(look("M83\nG1 Z0.2 F600\nG1 X10 E1\n").upper_bounds, None);
}

#[test]
fn inches_relative_moves_and_new_zeros_are_followed() {
    let s = look("G20\nM83\nG1 X1 Y1 F60\nG1 X2 E0.1\n");
    assert!((s.printed_mm - 25.4).abs() < 1e-9 && (s.filament_mm - 2.54).abs() < 1e-9);
    let s = look("M83\nG91\nG1 Z.2\nG1 X10 E1 F600\nG1 Y10 E1\nG90\nM83\nG1 X0 Y0 E1\n");
    assert!((s.printed_mm - 20.0 - 200.0_f64.sqrt()).abs() < 1e-9);
    // G92 on Z moves no plate: the second bead lies where the head is.
    let s = look("M83\nG1 Z5 F600\nG92 Z0.2\nG1 X10 E1\nG92 X0\nG1 X10 E1\n");
    let b = s.bounds.unwrap();
    assert!((b.z_mm[1] - 5.0).abs() < 1e-9 && (b.x_mm[1] - 20.0).abs() < 1e-9);
    // Two nozzles.
    let s = look("M83\nT0\nG1 X10 E1 F600\nT1\nG1 X20 E1\n");
    assert_eq!(s.tools, [0, 1]);
}

#[test]
fn what_cannot_be_read_is_named_with_its_place() {
    let s = look(
        "M83\nG1 X10 F600\nG1 X1e5 E1\nG1 X99999999999 E1\nM117 50% X1e9 done\nMAKE_A=1 NAME='part'\n\u{e4}\nG2 X5 Y5\nG1 X11 E1\n",
    );
    let at: Vec<(u64, usize)> = s
        .reading
        .diagnostics
        .iter()
        .map(|d| (d.line, d.column))
        .collect();
    assert_eq!(at, [(3, 5), (4, 5), (8, 1)]);
    assert_eq!(s.reading.kept, 3);
    // How filament counts was never said: it is told, and read as absolute.
    let s = look("G1 X10 E1 F600\nG1 X20 E2\n");
    assert_eq!(s.reading.unsure_e_line, Some(1));
    assert!((s.filament_mm - 2.0).abs() < 1e-9);
    assert!(s.reading.diagnostics[0].message.contains("M82 or M83"));
}

#[test]
fn numbers_that_touch_and_small_letters_are_read() {
    let a = look("M83\nG1X1.Y-.5E+.01F600\n");
    let b = look("m83\n  g01 x1 y-0.5 e0.01 f600 ; so\n");
    let c = look("N1 M83*1\nN2 G1 (to the left) X1 Y-.5 E.01 F600*45\n");
    for s in [a, b, c] {
        assert!((s.printed_mm - 1.25_f64.sqrt()).abs() < 1e-9, "{s:?}");
        assert!((s.filament_mm - 0.01).abs() < 1e-12);
    }
}

#[test]
fn every_way_to_end_a_line_reads_the_same_and_counts_the_same() {
    let text = box_part(3, false);
    let whole = look(&text);
    for ending in ["\r\n", "\r"] {
        let s = look(&text.replace('\n', ending));
        assert_eq!(s.reading.lines, whole.reading.lines);
        assert_eq!(
            s.layers.iter().map(|l| l.line).collect::<Vec<_>>(),
            whole.layers.iter().map(|l| l.line).collect::<Vec<_>>()
        );
        assert!((s.seconds - whole.seconds).abs() < 1e-12);
    }
    let s = look(&format!("\u{feff}{}", text.trim_end()));
    assert!((s.seconds - whole.seconds).abs() < 1e-12);
}

/// A reader that gives a few bytes at a time.
struct Slow<'a>(&'a [u8], usize);
impl std::io::Read for Slow<'_> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let n = self.0.len().min(self.1).min(into.len());
        into[..n].copy_from_slice(&self.0[..n]);
        self.0 = &self.0[n..];
        Ok(n)
    }
}

/// A long file reads the same on one thread and on three, in pieces and at once.
#[test]
fn a_long_file_reads_the_same_on_all_cores() {
    let mut text = box_part(1, true);
    for i in 0..60_000 {
        text += &format!("G1 X{}.{:03} Y{} E.0{}\n", i % 97, i % 1_000, i % 53, i % 9);
        if i % 5_000 == 0 {
            text += &";".repeat(300_000);
            text += "\n";
        }
    }
    let timed = |cores: usize| {
        let options = SurveyOptions {
            limits: Limits {
                flow_limit_mm3_s: Some(3.0),
                ..Limits::default()
            },
            heating: None,
            cores,
        };
        let s = survey(text.as_bytes(), &options, |_| true).unwrap();
        assert!(s.moves > 50_000);
        (s.seconds.to_bits(), s.binds, s.kinds_s, s.layers)
    };
    assert_eq!(timed(0), timed(1), "planned here or on a thread beside");
    let read = |cores: usize, piece: usize| {
        let mut sum = 0.0;
        let mut count = 0_u64;
        let reading = read_path(
            Slow(text.as_bytes(), piece),
            cores,
            &mut |i: &wattotherm_toolpath::Item,
                  l: wattotherm_toolpath::LineRef<'_>,
                  _: &wattotherm_gcode::Machine| {
                if let wattotherm_toolpath::Item::Move(m) = i {
                    sum += m.length_mm * (l.number % 1_000) as f64;
                    count += 1;
                }
                true
            },
            |_| true,
        )
        .unwrap();
        (sum, count, reading.lines)
    };
    let one = read(0, usize::MAX);
    assert_eq!(one.2, text.lines().count() as u64);
    assert!(read(3, usize::MAX) == one && read(1, 1_013) == one);
}

#[test]
fn a_file_that_rises_with_every_bead_fills_no_memory() {
    let mut text = String::from("M83\nG1 F1800\n");
    for i in 0..120_000 {
        text += &format!("G1 Z{:.3}\nG1 X{} E.1\n", 0.01 * f64::from(i), i % 2);
    }
    let s = look(&text);
    assert_eq!(s.layers.len(), 100_000);
    let sum: f64 = s.layers.iter().map(|l| l.printed_mm).sum();
    assert!((sum - s.printed_mm).abs() < 1e-6 && s.printed_mm > 119_990.0);
}

#[test]
fn reading_stops_when_it_is_told_to() {
    let text = box_part(2_000, true);
    let mut seen = 0;
    let got = read_path(
        text.as_bytes(),
        2,
        &mut |_: &wattotherm_toolpath::Item,
              _: wattotherm_toolpath::LineRef<'_>,
              _: &wattotherm_gcode::Machine| true,
        |n| {
            seen = n;
            n < 300_000
        },
    );
    assert!(matches!(got, Err(wattotherm_toolpath::ReadError::Stopped)));
    assert!(seen < text.len() as u64);
}

/// The words of a line by a reader of another kind: a regular walk over characters, numbers by the standard library.
fn by_hand(line: &str) -> Option<PlainMove> {
    let code = line.split(';').next().unwrap().to_ascii_uppercase();
    let mut words: Vec<(char, String)> = Vec::new();
    for c in code.chars().filter(|c| !matches!(c, ' ' | '\t')) {
        if c.is_ascii_alphabetic() {
            words.push((c, String::new()));
        } else {
            words.last_mut()?.1.push(c);
        }
    }
    let (g, rest) = words.split_first()?;
    let code = match (g.0, g.1.as_str()) {
        ('G', "0" | "00") => 0,
        ('G', "1" | "01") => 1,
        _ => return None,
    };
    let mut out = PlainMove {
        code,
        ..PlainMove::default()
    };
    for (letter, number) in rest {
        let i = ['X', 'Y', 'Z', 'E', 'F'].iter().position(|l| l == letter)?;
        // A thousand kilometres are no number of a printer's.
        out.values[i] = number.parse().ok().filter(|v: &f64| v.abs() < 1e9)?;
        if out.has >> i & 1 == 1 {
            return None;
        }
        out.has |= 1 << i;
    }
    Some(out)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(3_000))]

    #[test]
    fn any_number_is_the_standard_librarys(sign in "[-+]?", whole in "[0-9]{0,9}", point in any::<bool>(), part in "[0-9]{0,9}", behind in "[ A-Z;\n]{0,9}") {
        let number = if point { format!("{sign}{whole}.{part}") } else { format!("{sign}{whole}") };
        let digits = whole.len() + if point { part.len() } else { 0 };
        let got = plain_number(format!("{number}{behind}").as_bytes(), 0);
        let want: Option<f64> = number.parse().ok().filter(|v: &f64| v.abs() < 1e9);
        if digits == 0 || digits > 15 {
            prop_assert_eq!(got, None);
        } else {
            prop_assert_eq!(got.map(|g| g.0.to_bits()), want.map(f64::to_bits));
            prop_assert!(got.is_none_or(|g| g.1 == number.len()));
        }
    }

    #[test]
    fn a_plain_line_is_read_as_by_hand_and_by_the_lexer(line in "[Gg](0|1|00|01)( {0,2}[XYZEFxyzef][-+]?[0-9]{0,4}\\.?[0-9]{0,6}){0,5} {0,2}(;.*)?") {
        prop_assume!(!line.contains(['\n', '\r']));
        let (short, end) = short_line(line.as_bytes(), 0);
        prop_assert_eq!(end, line.len());
        let tokens: Result<Vec<_>, _> = Lexer::new(line.as_bytes()).collect();
        // Whatever is written plainly is read the short way, but for what could be an exponent.
        let upper = line.split(';').next().unwrap().to_ascii_uppercase();
        let touches = upper.as_bytes().windows(2).any(|w| w[1] == b'E' && (w[0].is_ascii_digit() || w[0] == b'.'));
        prop_assert!(touches || by_hand(&line).is_none() || matches!(short, Short::Move(_)), "{line}");
        if let Short::Move(m) = short {
            prop_assert_eq!(by_hand(&line), Some(m));
            let words: Vec<(u8, f64)> = tokens.unwrap().into_iter().filter_map(|t| match t.kind {
                TokenKind::Word(l, v) if l != b'G' => Some((l, v.unwrap())),
                _ => None,
            }).collect();
            for (l, v) in words {
                let i = b"XYZEF".iter().position(|c| *c == l).unwrap();
                prop_assert_eq!(m.value(i), Some(v));
            }
        }
    }

    #[test]
    fn a_plain_line_among_others_is_read_as_by_hand(
        line in "[Gg](0|1|00|01)( {0,2}[XYZEFxyzef][-+]?[0-9]{0,9}\\.?[0-9]{0,9}){0,5} {0,2}(;.{0,40})?",
        before in 0_usize..80,
        ending in prop::sample::select(vec!["\n", "\r\n", "\r"]),
        behind in 0_usize..90,
    ) {
        prop_assume!(!line.contains(['\n', '\r']));
        let text = format!(";{}{ending}{line}{ending};{}", "-".repeat(before), "7".repeat(behind));
        let mut got = Vec::new();
        each_chunk(text.as_bytes(), 0, |c| {
            got.extend(c.lines.iter().map(|l| (l.number, l.start, l.end, l.plain.then_some(l.moves))));
            true
        }).unwrap();
        prop_assert_eq!(got.len(), 1);
        let (number, start, end, moves) = got[0];
        prop_assert_eq!((number, &text[start as usize..end as usize]), (1, &line[..]));
        // The short way may leave a line to the lexer; what it reads is what stands there.
        if let Some(moves) = moves {
            prop_assert_eq!(Some(moves), by_hand(&line));
        }
    }

    #[test]
    fn lines_that_are_written_nearly_alike_are_not_taken_for_each_other(
        lines in prop::collection::vec("G[01]( ?[XYZEF]-?[0-9]{1,2}\\.?[0-9]{0,2}){1,3} {0,2}(;[a-z]?)?", 1..30),
        ending in prop::sample::select(vec!["\n", "\r\n", "\r"]),
    ) {
        let text = lines.join(ending);
        let mut got = Vec::new();
        each_chunk(text.as_bytes(), 0, |c| {
            got.extend(c.lines.iter().map(|l| (l.plain.then_some(l.moves), c.bytes[l.start as usize..l.end as usize].to_vec())));
            true
        }).unwrap();
        prop_assert_eq!(got.len(), lines.len());
        for (line, (moves, bytes)) in lines.iter().zip(got) {
            prop_assert_eq!(line.as_bytes(), &bytes[..]);
            // A number that an E touches could be an exponent: that is the lexer's.
            let touches = line.as_bytes().windows(2).any(|w| w[1] == b'E' && (w[0].is_ascii_digit() || w[0] == b'.'));
            prop_assert!(moves.is_none() || moves == by_hand(line), "{} {:?}", line, moves);
            prop_assert!(moves.is_some() || touches || by_hand(line).is_none(), "{}", line);
        }
    }

    #[test]
    fn a_line_as_files_write_it_is_read_by_its_marks(
        words in prop::sample::subsequence(vec!['X', 'Y', 'Z', 'E', 'F'], 1..=5).prop_shuffle(),
        numbers in prop::collection::vec((any::<bool>(), 0_u32..10_000_000, 0_usize..=7, 0_u32..10_000_000), 5),
        code in 0_u8..2,
    ) {
        let mut line = format!("G{code}");
        let mut want = PlainMove { code, ..PlainMove::default() };
        for (word, (negative, whole, places, part)) in words.iter().zip(numbers) {
            let part = format!("{part:07}");
            let point = if places == 0 { String::new() } else { format!(".{}", &part[..places]) };
            let number = format!("{}{whole}{point}", if negative { "-" } else { "" });
            line += &format!(" {word}{number}");
            let i = "XYZEF".find(*word).unwrap();
            want.has |= 1 << i;
            want.values[i] = number.parse().unwrap();
        }
        let text = format!("G28 X Y ; home\n{line}\nM107 ; {}", "-".repeat(80));
        let mut marks = Marks::default();
        marks.read(text.as_bytes());
        let mut got = PlainMove::default();
        let end = marks.usual_move(text.as_bytes(), 15, &mut got);
        // What is longer is left to the way that reads any line.
        if line.len() > 60 {
            return Ok(());
        }
        prop_assert_eq!(end, Some(15 + line.len()), "{}", line);
        prop_assert_eq!(got, want);
        // Minus nothing is minus nothing.
        prop_assert_eq!(got.values.map(f64::to_bits), want.values.map(f64::to_bits));
    }

    #[test]
    fn any_bytes_are_read_to_their_end_and_written_back_as_they_were(bytes in prop::collection::vec(prop_oneof![4 => prop::sample::select(b"G1X0.5 YZEF-\n\r;M(*)N".to_vec()), 1 => any::<u8>()], 0..600)) {
        let mut back = Vec::new();
        each_chunk(&bytes[..], 0, |c| { back.extend_from_slice(&c.bytes); true }).unwrap();
        prop_assert_eq!(&back, &bytes);
        let mut written = Vec::new();
        apply_edits(&bytes[..], &[], &mut written, |_| true).unwrap();
        prop_assert_eq!(&written, &bytes);
        // Nothing in them makes a survey panic, or a number that is none.
        let s = crate::common::look_with(&bytes, wattotherm_toolpath::Limits::default());
        prop_assert!(s.seconds.is_finite() && s.filament_mm.is_finite());
    }

    #[test]
    fn edits_are_put_where_they_belong(text in "[a-z]{0,80}", places in prop::collection::vec((0_usize..80, 0_u32..5, "[A-Z]{0,4}"), 0..8)) {
        let mut at = 0;
        let mut want = text.clone().into_bytes();
        let mut edits = Vec::new();
        for (gap, cut, put) in places {
            at += gap % 9;
            if at + cut as usize > text.len() { break; }
            edits.push(Edit { at: at as u64, cut, put: put.into_bytes().into_boxed_slice() });
            at += cut as usize + 1;
        }
        for e in edits.iter().rev() {
            let at = usize::try_from(e.at).unwrap();
            want.splice(at..at + e.cut as usize, e.put.iter().copied());
        }
        for piece in [1, 7, 1_000] {
            let mut got = Vec::new();
            apply_edits(Slow(text.as_bytes(), piece), &edits, &mut got, |_| true).unwrap();
            prop_assert_eq!(&got, &want);
        }
    }
}
