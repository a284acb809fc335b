//! How each piece is drawn.

use wattotherm_measure::text::plain;

use super::facts::{PieceError, PieceFor};
use super::order::shuffled;
use super::pen::Pen;
use super::raised::{InBand, number};
use super::solid::Prism;
use super::{Part, Piece, Settings};

/// Room between the line that primes and a piece [mm].
const BESIDE_PRIME_MM: f64 = 5.0;
/// Height of letters [mm].
const LETTERS_MM: f64 = 5.0;

/// The middle of what is left of the plate beside rim and priming line, if a piece of this size fits there [mm].
pub(super) fn room(facts: &PieceFor, size: [f64; 2], what: &str) -> Result<[f64; 2], PieceError> {
    let rim = facts.rim_mm;
    let low = [rim, rim + BESIDE_PRIME_MM];
    let high = [facts.bed_mm[0] - rim, facts.bed_mm[1] - rim];
    for (i, axis) in ["X", "Y"].into_iter().enumerate() {
        let has = high[i] - low[i];
        if size[i] > has {
            return Err(PieceError::new(
                what,
                format!(
                    "The piece is {} mm long in {axis}, and the plate has {} mm beside rim and priming line. Make it smaller.",
                    plain(size[i], 1),
                    plain(has, 1)
                ),
            ));
        }
    }
    Ok([
        f64::midpoint(low[0], high[0]),
        f64::midpoint(low[1], high[1]),
    ])
}

pub(super) fn tall(facts: &PieceFor, z: f64, what: &str) -> Result<(), PieceError> {
    if z + 5.0 <= facts.height_mm {
        return Ok(());
    }
    Err(PieceError::new(
        what,
        format!(
            "The piece is {} mm high, and the printer has {} mm. Make it lower.",
            plain(z, 1),
            plain(facts.height_mm, 1)
        ),
    ))
}

pub(super) fn done(pen: Pen<'_>, parts: Vec<Part>) -> Piece {
    let (gcode, body) = pen.end();
    Piece { gcode, parts, body }
}

pub(super) fn layers(facts: &PieceFor, high: f64) -> u32 {
    // OK because heights are bounded far below the largest number.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let n = (high / facts.layer()).round().max(1.0) as u32;
    n
}

/// A wall of one line that rises all the way round: nothing to start and stop, so nothing but flow shows.
pub(super) fn single_wall(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    let (side, h, w) = (set.get("side"), facts.layer(), facts.width());
    let turns = layers(facts, set.get("high"));
    let high = f64::from(turns) * h;
    // Its brim lies around it.
    let brim = 4.0 * w;
    let [mx, my] = room(facts, [side + 2.0 * brim; 2], "side")?;
    tall(facts, high, "high")?;
    let (from, to) = (
        [mx - side / 2.0, my - side / 2.0],
        [mx + side / 2.0, my + side / 2.0],
    );
    let mut pen = Pen::new(facts, "single-wall box");
    pen.prime();
    pen.with(w, facts.first_speed_mm_s);
    for ring in [3.5, 2.5, 1.5] {
        let by = (ring - 0.5) * pen.spacing();
        pen.ring(&Pen::corners(from, to, w / 2.0 - by));
    }
    let corners = Pen::corners(from, to, w / 2.0);
    pen.ring(&corners);
    pen.with(w, facts.speed_mm_s);
    let around: f64 = 4.0 * (side - w);
    for _ in 1..turns {
        for k in 1..=4 {
            let (a, b) = (corners[k - 1], corners[k % 4]);
            let length = (b[0] - a[0]).hypot(b[1] - a[1]);
            pen.rising(b, h * length / around);
        }
    }
    pen.body.push(Prism::frame(from, to, w, [0.0, high]));
    Ok(done(pen, Vec::new()))
}

/// Squares of one layer where the bed is measured.
pub(super) fn patches(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    let (side, h) = (set.get("side"), facts.layer());
    let nine = set.count("count") > 5;
    let size = [
        facts.bed_mm[0] - 2.0 * facts.rim_mm,
        facts.bed_mm[1] - 2.0 * facts.rim_mm - BESIDE_PRIME_MM,
    ];
    if size[0].min(size[1]) < 3.0 * side + 6.0 {
        return Err(PieceError::new(
            "side",
            "Three patches don’t fit side by side. Make them smaller.",
        ));
    }
    let [mx, my] = room(facts, size, "side")?;
    let mut pen = Pen::new(facts, "first-layer patches");
    pen.prime();
    pen.with(facts.width(), facts.first_speed_mm_s);
    let mut parts = Vec::new();
    for row in 0..3_u8 {
        for column in 0..3_u8 {
            let corner = (row != 1) && (column != 1) || (row == 1 && column == 1);
            if !nine && !corner {
                continue;
            }
            let at = |i: u8, middle: f64, of: f64| {
                middle + (f64::from(i) - 1.0) * (of - side) / 2.0 - side / 2.0
            };
            let from = [at(column, mx, size[0]), at(row, my, size[1])];
            let to = [from[0] + side, from[1] + side];
            pen.fill(from, to, 0);
            pen.body.push(Prism::cuboid(from, to, [0.0, h]));
            parts.push(Part {
                label: (parts.len() + 1).to_string(),
                value: h,
                x_mm: [from[0], to[0]],
                y_mm: [from[1], to[1]],
                z_mm: [0.0, h],
            });
        }
    }
    Ok(done(pen, parts))
}

/// Cards of three layers with a top in one direction; a letter on the tab beside each.
pub(super) fn cards(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const CARD: [f64; 2] = [30.0, 22.0];
    const TAB: f64 = 8.0;
    const GAP: f64 = 4.0;
    let count = set.count("count");
    let columns: u32 = if count <= 4 { 2 } else { 3 };
    let rows = count.div_ceil(columns);
    let cell = [CARD[0] + TAB + GAP, CARD[1] + GAP];
    let size = [
        f64::from(columns) * cell[0] - GAP,
        f64::from(rows) * cell[1] - GAP,
    ];
    let [mx, my] = room(facts, size, "count")?;
    let h = facts.layer();
    let order = shuffled(count, set.count("seed"));
    let mut pen = Pen::new(facts, "flow cards");
    pen.prime();
    let mut parts = Vec::new();
    let place = |n: u32| {
        [
            mx - size[0] / 2.0 + f64::from(n % columns) * cell[0],
            my - size[1] / 2.0 + f64::from(n / columns) * cell[1],
        ]
    };
    // All cards layer by layer: none is printed beside one that stands higher.
    for l in 0..3_u32 {
        pen.layer(f64::from(l + 1) * h, h);
        for n in 0..count {
            let card = order[n as usize];
            let percent = set.get("from") + f64::from(card) * set.get("step");
            let from = place(n);
            let to = [from[0] + CARD[0], from[1] + CARD[1]];
            let tab = [to[0] + TAB, to[1]];
            let speed = if l == 0 {
                facts.first_speed_mm_s
            } else {
                facts.speed_mm_s
            };
            pen.with(facts.width(), speed);
            if l < 3 {
                pen.flow = 1.0 + percent / 100.0;
                pen.cover(from, to, if l == 1 { 1 } else { 0 });
                pen.flow = 1.0;
                if l < 2 {
                    pen.fill([to[0], from[1]], tab, 1);
                }
            }
            let letter = char::from(b'A' + u8::try_from(n).unwrap_or(0)).to_string();
            if l == 2 {
                pen.write(&letter, [to[0] + 2.5, from[1] + 7.0], LETTERS_MM);
            }
            if l == 0 {
                pen.body.push(Prism::cuboid(from, to, [0.0, 3.0 * h]));
                pen.body
                    .push(Prism::cuboid([to[0], from[1]], tab, [0.0, 2.0 * h]));
                parts.push(Part {
                    label: letter,
                    value: percent,
                    x_mm: [from[0], to[0]],
                    y_mm: [from[1], to[1]],
                    z_mm: [0.0, 3.0 * h],
                });
            }
        }
    }
    Ok(done(pen, parts))
}

/// Lines whose speed changes twice, each with its own pressure advance; ticks where it changes.
pub(super) fn lines(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const ENDS: f64 = 20.0;
    const FAST: f64 = 40.0;
    const PITCH: f64 = super::LINES_PITCH_MM;
    const NUMBERS: f64 = 16.0;
    let count = set.count("count");
    let size = [2.0 * ENDS + FAST + NUMBERS, f64::from(count) * PITCH + 8.0];
    let [mx, my] = room(facts, size, "count")?;
    let (slow, fast) = (set.get("slow"), set.get("fast"));
    if fast <= slow {
        return Err(PieceError::new(
            "fast",
            "The fast part is to be faster than the slow one.",
        ));
    }
    let (left, low) = (mx - size[0] / 2.0, my - size[1] / 2.0 + 4.0);
    let mut pen = Pen::new(facts, "lines, slow, fast, slow");
    pen.prime();
    let mut parts = Vec::new();
    let h = facts.layer();
    let seed = set.count("seed");
    let order = shuffled(count, seed);
    for (n, line) in (0_u32..).zip(order) {
        let value = set.get("from") + f64::from(line) * set.get("step");
        let y = low + f64::from(n) * PITCH;
        pen.say(&format!("M900 K{}", plain(value, 4)));
        pen.with(facts.width(), slow);
        pen.go([left, y]);
        pen.line([left + ENDS, y]);
        pen.with(facts.width(), fast);
        pen.line([left + ENDS + FAST, y]);
        pen.with(facts.width(), slow);
        pen.line([left + 2.0 * ENDS + FAST, y]);
        parts.push(Part {
            // Where a key hides the order, a line is called by its place.
            label: if seed == 0 {
                plain(value, 3)
            } else {
                (n + 1).to_string()
            },
            value,
            x_mm: [left, left + 2.0 * ENDS + FAST],
            y_mm: [y - facts.width() / 2.0, y + facts.width() / 2.0],
            z_mm: [0.0, h],
        });
    }
    pen.say("M900 K0");
    pen.with(facts.width(), facts.first_speed_mm_s);
    let top = low + f64::from(count - 1) * PITCH;
    for x in [left + ENDS, left + ENDS + FAST] {
        for y in [low - 4.0, top + 1.5] {
            pen.go([x, y]);
            pen.line([x, y + 2.5]);
        }
    }
    for (n, part) in (0_u32..).zip(&parts) {
        // Every other line: numbers need room.
        if n % 2 == 0 {
            let y = low + f64::from(n) * PITCH - 1.5;
            pen.write(&part.label, [left + 2.0 * ENDS + FAST + 2.0, y], 3.0);
        }
    }
    Ok(done(pen, parts))
}

/// Posts that the nozzle goes between many times a layer; one setting of the retraction by height.
pub(super) fn posts(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const POST: f64 = 8.0;
    let (count, bands) = (set.count("posts"), set.count("bands"));
    let apart = set.get("apart");
    let h = facts.layer();
    let in_a_band = layers(facts, set.get("every"));
    let high = f64::from(bands * in_a_band + 2) * h;
    let size = [
        apart + POST,
        if count > 2 {
            apart + POST + 2.0 * facts.width()
        } else {
            POST + 4.0
        },
    ];
    let [mx, my] = room(facts, size, "apart")?;
    tall(facts, high, "bands")?;
    let by = set.count("by");
    for (key, least) in [("speed", 1.0), ("travel", 5.0)] {
        let v = set.get(key);
        if v >= 0.0 && v < least {
            return Err(PieceError::new(
                key,
                format!(
                    "{} is too slow. Give at least {}, or -1.",
                    plain(v, 2),
                    plain(least, 0)
                ),
            ));
        }
    }
    let (least, most, what) = match by {
        0 => (0.0, 20.0, "mm of retraction"),
        1 => (1.0, 200.0, "mm/s of retraction"),
        2 => (5.0, 1_500.0, "mm/s of travel"),
        _ => (0.0, 5.0, "mm of hop"),
    };
    let value = |band: u32| set.get("from") + f64::from(band) * set.get("step");
    for band in 0..bands {
        if !(least..=most).contains(&value(band)) {
            return Err(PieceError::new(
                "step",
                format!(
                    "Band {} would have {} {what}. Stay within {least} to {most}.",
                    band + 1,
                    plain(value(band), 3)
                ),
            ));
        }
    }
    let places: Vec<[f64; 2]> = [[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]]
        .into_iter()
        .take(count as usize)
        .map(|[x, y]| {
            let y = if count > 2 { y } else { 0.0 };
            [
                mx + x * apart / 2.0 - POST / 2.0,
                my + y * apart / 2.0 - POST / 2.0,
            ]
        })
        .collect();
    let mut pen = Pen::new(facts, "string posts");
    for (key, place) in [
        ("speed", &mut pen.pull.speed_mm_s),
        ("travel", &mut pen.pull.travel_mm_s),
        ("hop", &mut pen.pull.hop_mm),
    ] {
        if set.get(key) >= 0.0 {
            *place = set.get(key);
        }
    }
    let usual = pen.pull;
    pen.prime();
    let mut parts = Vec::new();
    for l in 0..bands * in_a_band + 2 {
        let z = f64::from(l + 1) * h;
        pen.layer(z, h);
        // Two layers to stand on belong to no band.
        let band = l.checked_sub(2).map(|k| k / in_a_band);
        pen.pull = usual;
        if let Some(band) = band {
            let v = value(band);
            match by {
                0 => pen.pull.length_mm = v,
                1 => pen.pull.speed_mm_s = v,
                2 => pen.pull.travel_mm_s = v,
                _ => pen.pull.hop_mm = v,
            }
            if (l - 2).is_multiple_of(in_a_band) {
                pen.say(&format!("; band {}: {}", band + 1, plain(v, 3)));
                let from = z - h;
                parts.push(Part {
                    label: plain(v, 2),
                    value: v,
                    x_mm: [mx - size[0] / 2.0, mx + size[0] / 2.0],
                    y_mm: [my - size[1] / 2.0, my + size[1] / 2.0],
                    z_mm: [from, from + f64::from(in_a_band) * h],
                });
            }
        }
        let speed = if l == 0 {
            facts.first_speed_mm_s
        } else {
            facts.speed_mm_s
        };
        pen.with(facts.width(), speed);
        // Outer walls of all, then inner walls of all: each layer crosses twice.
        for inset in [0.5, 1.5] {
            for (i, from) in places.iter().enumerate() {
                let to = [from[0] + POST, from[1] + POST];
                let by = inset * pen.spacing();
                pen.ring(&Pen::corners(*from, to, by));
                // The band's value stands out from the first post's front.
                if let Some(band) = band.filter(|_| inset < 1.0 && i == 0) {
                    let layer = InBand {
                        k: (l - 2) % in_a_band,
                        of: in_a_band,
                        height: h,
                        z,
                    };
                    number(&mut pen, &plain(value(band), 2), *from, POST, layer);
                }
            }
        }
    }
    for from in &places {
        let to = [from[0] + POST, from[1] + POST];
        pen.body
            .push(Prism::frame(*from, to, 2.0 * facts.width(), [0.0, high]));
    }
    Ok(done(pen, parts))
}

/// A cube of two walls, full below and above, with lines inside; X and Y stand out on its sides.
pub(super) fn cube(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const FULL: u32 = 3;
    let (side, first, w) = (set.get("side"), facts.layer(), facts.width());
    let all = layers(facts, side);
    // Layers above the first are a little thinner or thicker than usual: it is as high as it is wide, whatever the layer.
    let h = (side - first) / f64::from(all - 1);
    let high = side;
    let [mx, my] = room(facts, [side + 4.0; 2], "side")?;
    tall(facts, high, "side")?;
    let (from, to) = (
        [mx - side / 2.0, my - side / 2.0],
        [mx + side / 2.0, my + side / 2.0],
    );
    let mut pen = Pen::new(facts, "cube");
    pen.prime();
    for l in 0..all {
        pen.layer(first + f64::from(l) * h, if l == 0 { first } else { h });
        let speed = if l == 0 {
            facts.first_speed_mm_s
        } else {
            facts.speed_mm_s
        };
        pen.with(w, speed);
        let gap = pen.spacing();
        pen.ring(&Pen::corners(from, to, w / 2.0));
        pen.ring(&Pen::corners(from, to, w / 2.0 + gap));
        let inset = w + 1.5 * gap - w / 2.0;
        let (a, b) = (
            [from[0] + inset, from[1] + inset],
            [to[0] - inset, to[1] - inset],
        );
        let full = l < FULL || l + FULL >= all;
        let along = (l % 2) as usize;
        if full {
            pen.fill(a, b, along);
        } else {
            // A line every fifth place: enough to carry the top.
            let across = 1 - along;
            let mut at = a[across] + 2.5 * gap;
            let mut up = true;
            while at < b[across] - gap {
                let ends = if up {
                    [a[along], b[along]]
                } else {
                    [b[along], a[along]]
                };
                let place = |v: f64| if along == 0 { [v, at] } else { [at, v] };
                pen.go(place(ends[0]));
                pen.line(place(ends[1]));
                up = !up;
                at += 5.0 * gap;
            }
        }
    }
    // The letters lie on top: X points right, Y away.
    pen.layer(high + h, h);
    pen.with(w, facts.first_speed_mm_s);
    pen.write("X", [mx + 2.0, my - 5.5], LETTERS_MM);
    pen.write("Y", [mx - 5.5, my + 1.0], LETTERS_MM);
    pen.body.push(Prism::cuboid(from, to, [0.0, high]));
    Ok(done(pen, Vec::new()))
}

/// Two combs a direction: the first nozzle's and, a little wider, the second's.
pub(super) fn combs(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const TOOTH: f64 = 15.0;
    if facts.nozzles < 2 {
        return Err(PieceError::new(
            "nozzles",
            "Combs are for two nozzles, and this printer has one.",
        ));
    }
    let (pitch, more) = (set.get("pitch"), set.get("more"));
    let teeth = set.count("teeth");
    if pitch < 1.6 * facts.width() {
        return Err(PieceError::new(
            "pitch",
            format!(
                "Lines {} mm wide need {} mm from line to line.",
                plain(facts.width(), 2),
                plain(1.6 * facts.width(), 2)
            ),
        ));
    }
    let half = f64::from(teeth) * (pitch + more);
    let long = 2.0 * half + facts.width();
    let size = [long + 2.0 * TOOTH + 12.0, long.max(2.0 * TOOTH + 2.0)];
    let [mx, my] = room(facts, size, "teeth")?;
    let mut pen = Pen::of_nozzles(facts, "combs of two nozzles", 2);
    let h = facts.layer();
    let mut parts = Vec::new();
    // For X the teeth stand up, side by side; for Y they lie.
    let across_x = [mx - size[0] / 2.0 + long / 2.0, my];
    let across_y = [mx + size[0] / 2.0 - TOOTH, my];
    for tool in 0..2_u8 {
        pen.nozzle(tool);
        pen.with(facts.width(), facts.first_speed_mm_s);
        pen.prime();
        let step = if tool == 0 { pitch } else { pitch + more };
        for (axis, middle) in [(0, across_x), (1, across_y)] {
            for k in 0..=2 * teeth {
                let off = (f64::from(k) - f64::from(teeth)) * step;
                // The first nozzle's teeth end where the second's begin.
                let (near, far) = if tool == 0 {
                    (-TOOTH, -0.5)
                } else {
                    (0.5, TOOTH)
                };
                let place = |along: f64| {
                    if axis == 0 {
                        [middle[0] + off, middle[1] + along]
                    } else {
                        [middle[0] + along, middle[1] + off]
                    }
                };
                pen.go(place(near));
                pen.line(place(far));
                if tool == 1 {
                    let (a, b) = (place(near), place(far));
                    parts.push(Part {
                        label: plain((f64::from(k) - f64::from(teeth)) * more, 2),
                        value: (f64::from(k) - f64::from(teeth)) * more,
                        x_mm: [a[0].min(b[0]), a[0].max(b[0])],
                        y_mm: [a[1].min(b[1]), a[1].max(b[1])],
                        z_mm: [0.0, h],
                    });
                }
            }
        }
    }
    pen.nozzle(0);
    Ok(done(pen, parts))
}

/// The same length fed at rising flow, each into a heap of its own.
pub(super) fn ladder(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const GAP: f64 = 22.0;
    const ABOVE: f64 = 12.0;
    let count = set.count("count");
    // OK because there are fourteen heaps at most.
    let columns = (1..=count)
        .rev()
        .find(|c| f64::from(*c) * GAP <= facts.bed_mm[0] - 2.0 * facts.rim_mm)
        .unwrap_or(1);
    let rows = count.div_ceil(columns);
    let size = [f64::from(columns) * GAP, f64::from(rows) * GAP];
    let [mx, my] = room(facts, size, "count")?;
    tall(facts, ABOVE, "count")?;
    let mut pen = Pen::new(facts, "flow ladder");
    pen.prime();
    // High above the plate, so that a heap never reaches the nozzle.
    pen.layer(ABOVE, facts.layer());
    let mut parts = Vec::new();
    for n in 0..count {
        let flow = set.get("from") + f64::from(n) * set.get("step");
        let at = [
            mx - size[0] / 2.0 + (f64::from(n % columns) + 0.5) * GAP,
            my - size[1] / 2.0 + (f64::from(n / columns) + 0.5) * GAP,
        ];
        pen.go(at);
        // What was taken back is there again before it is measured.
        pen.say("G4 P500");
        pen.heap(set.get("feed"), flow);
        pen.say("G4 P1500");
        parts.push(Part {
            label: plain(flow, 1),
            value: flow,
            x_mm: [at[0] - GAP / 2.0, at[0] + GAP / 2.0],
            y_mm: [at[1] - GAP / 2.0, at[1] + GAP / 2.0],
            z_mm: [0.0, ABOVE],
        });
    }
    Ok(done(pen, parts))
}
