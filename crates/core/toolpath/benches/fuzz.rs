//! `make bench`: ten million files that nobody would write, read to their end. Each byte string is made of pieces of lines and of
//! bytes by chance; what is asserted is that nothing panics, every number is one, and without edits every byte comes back.
#![allow(clippy::unwrap_used, clippy::print_stdout)]

use std::time::Instant;

use wattotherm_toolpath::{
    Limits, SurveyOptions, Wanted, apply_edits, change_by_height, read_wanted, survey,
};

const FILES: u32 = 10_000_000;
const PIECES: [&str; 40] = [
    "G1 ",
    "G0",
    "g01",
    "G2 ",
    "G3 ",
    "G4 P",
    "G10",
    "G11",
    "G20\n",
    "G21\n",
    "G28\n",
    "G90\n",
    "G91\n",
    "G92 E0",
    "G92 Z",
    "M82\n",
    "M83\n",
    "M104 S",
    "M109 R",
    "M106 S",
    "M107\n",
    "M203 X",
    "M204 ",
    "M205 J",
    "M220 S",
    "M221 S",
    "M900 K",
    "T1\n",
    "X",
    "Y-",
    "Z.",
    "E+",
    "F",
    "I",
    "J",
    "R",
    "1e5",
    "99999999999",
    "\r\n",
    ";(\u{e9}",
];

fn bytes(random: &mut fastrand::Rng, out: &mut Vec<u8>) {
    out.clear();
    if random.bool() {
        // A part that can be changed, before whatever comes.
        out.extend(b"M83\nG1 Z.4 F600\nG1 X5 E1\nG1 E-1\nG0 X9\nG1 E1\nG1 X12 E1\n");
    }
    for _ in 0..random.usize(..24) {
        match random.u8(..8) {
            0 => out.push(random.u8(..)),
            1 | 2 => out.extend(format!("{:.3}", 60.0 * (random.f64() - 0.3)).bytes()),
            3 => out.push(b'\n'),
            4 => out.push(b' '),
            _ => out.extend(PIECES[random.usize(..PIECES.len())].bytes()),
        }
    }
}

fn main() {
    let start = Instant::now();
    let mut random = fastrand::Rng::with_seed(13);
    let options = SurveyOptions {
        limits: Limits::default(),
        heating: None,
        cores: 0,
    };
    let sets = [
        "flow=1.1",
        "retraction=1",
        "hop=0.4",
        "travel_speed=90",
        "first_layer_flow=1.1",
        "retraction_speed=30",
    ];
    let wanted: Vec<Wanted> = sets
        .iter()
        .map(|set| {
            let (kind, values) = read_wanted(set).unwrap();
            Wanted {
                kind,
                values,
                every_mm: 500.0,
                from_mm: 0.0,
                profile_flow: 1.0,
                ceiling_c: 240.0,
            }
        })
        .collect();
    let (mut text, mut back) = (Vec::new(), Vec::new());
    let mut changed = 0_u32;
    for i in 0..FILES {
        bytes(&mut random, &mut text);
        let s = survey(&text[..], &options, |_| true).unwrap();
        assert!(
            s.seconds.is_finite() && s.filament_mm.is_finite(),
            "{text:?}"
        );
        back.clear();
        apply_edits(&text[..], &[], &mut back, |_| true).unwrap();
        assert!(back == text);
        let one = &wanted[i as usize % wanted.len()];
        changed += u32::from(change_by_height(&text[..], one, 0, |_| true).is_ok());
    }
    println!(
        "{FILES} files read, {changed} changed by height, no panic: {:.0} s",
        start.elapsed().as_secs_f64()
    );
}
