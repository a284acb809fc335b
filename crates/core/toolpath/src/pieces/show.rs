//! Pieces that show by height, at corners and over time how a print comes out.

use wattotherm_measure::text::plain;

use super::draw::{done, layers, room, tall};
use super::facts::{PieceError, PieceFor};
use super::pen::Pen;
use super::raised::{InBand, number};
use super::solid::Prism;
use super::{Part, Piece, Settings};

/// What changes from band to band of a tower.
#[derive(Clone, Copy, PartialEq, Eq)]
enum By {
    Temperature,
    Flow,
    Fan,
    Speed,
}

/// First value and step of a tower's bands, as far as they aren't said.
fn bands(facts: &PieceFor, set: &Settings) -> (By, f64, f64) {
    let (from, step) = (set.get("from"), set.get("step"));
    let said = |first: f64, by: f64| {
        (
            if from < 0.0 { first } else { from },
            if step == 0.0 { by } else { step },
        )
    };
    match set.count("by") {
        0 => {
            // Two bands hotter than the printer has it, and never above its ceiling.
            let top = (facts.nozzle_c + 10.0).min(facts.ceiling_c);
            let (a, b) = said((top / 5.0).floor() * 5.0, -5.0);
            (By::Temperature, a, b)
        }
        1 => {
            let (a, b) = said(90.0, 5.0);
            (By::Flow, a, b)
        }
        2 => {
            let (a, b) = said(0.0, 25.0);
            (By::Fan, a, b)
        }
        _ => {
            let (a, b) = said(20.0, 20.0);
            (By::Speed, a, b)
        }
    }
}

/// Two pillars with a bridge at the top of each band, an overhang to either side, a thin post behind, and a gap to cross.
pub(super) fn tower(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const PILLAR: [f64; 2] = [8.0, 10.0];
    const GAP: f64 = 30.0;
    /// How far the overhangs reach [mm], and how far out they go for each millimetre up: 45 and 60 degrees.
    const REACH: f64 = 6.0;
    const SLOPES: [f64; 2] = [1.0, 1.732];
    const POST: f64 = 3.0;
    const BEHIND: f64 = 8.0;
    let (by, first, step) = bands(facts, set);
    let count = set.count("bands");
    let h = facts.layer();
    let in_a_band = layers(facts, set.get("every"));
    let high = f64::from(count * in_a_band + 2) * h;
    let size = [
        2.0 * (PILLAR[0] + REACH) + GAP,
        PILLAR[1] + BEHIND + POST.max(3.0 * facts.width()) + facts.width(),
    ];
    let [mx, my] = room(facts, size, "every")?;
    tall(facts, high, "bands")?;
    let (least, most, what) = match by {
        By::Temperature => (170.0, facts.ceiling_c, "°C"),
        By::Flow => (50.0, 150.0, "% of the flow"),
        By::Fan => (0.0, 100.0, "% of the fan"),
        By::Speed => (5.0, 500.0, "mm/s"),
    };
    let value = |band: u32| first + f64::from(band) * step;
    for band in 0..count {
        if !(least..=most).contains(&value(band)) {
            return Err(PieceError::new(
                "from",
                format!(
                    "Band {} would have {} {what}, and this printer has {} to {} for it.",
                    band + 1,
                    plain(value(band), 1),
                    plain(least, 0),
                    plain(most, 0)
                ),
            ));
        }
    }
    // In front of the pillars there is room for a number that stands out by one line.
    let front = my - size[1] / 2.0 + facts.width();
    let y = [front, front + PILLAR[1]];
    let left = [mx - GAP / 2.0 - PILLAR[0], mx - GAP / 2.0];
    let right = [mx + GAP / 2.0, mx + GAP / 2.0 + PILLAR[0]];
    let side = POST.max(3.0 * facts.width());
    let post = [
        [mx - side / 2.0, y[1] + BEHIND],
        [mx + side / 2.0, y[1] + BEHIND + side],
    ];
    let mut pen = Pen::new(facts, "band tower");
    pen.prime();
    let mut parts = Vec::new();
    for l in 0..count * in_a_band + 2 {
        let z = f64::from(l + 1) * h;
        pen.layer(z, h);
        // Two layers to stand on belong to no band.
        let place = l.checked_sub(2).map(|k| (k / in_a_band, k % in_a_band));
        let mut speed = if l == 0 {
            facts.first_speed_mm_s
        } else {
            facts.speed_mm_s
        };
        if let Some((band, k)) = place {
            let v = value(band);
            if by == By::Speed {
                speed = v;
            }
            if k == 0 {
                pen.say(&format!("; band {}: {} {what}", band + 1, plain(v, 1)));
                match by {
                    By::Temperature => pen.say(&format!("M104 S{v:.0}")),
                    By::Fan => pen.say(&format!("M106 S{:.0}", v * 2.55)),
                    By::Flow => pen.flow = v / 100.0,
                    By::Speed => {}
                }
                parts.push(Part {
                    label: plain(v, 1),
                    value: v,
                    x_mm: [mx - size[0] / 2.0, mx + size[0] / 2.0],
                    y_mm: [my - size[1] / 2.0, my + size[1] / 2.0],
                    z_mm: [z - h, z - h + f64::from(in_a_band) * h],
                });
            }
        }
        pen.with(facts.width(), speed);
        // The foot joins both pillars; the last two layers of a band bridge them.
        let k = place.map_or(0, |(_, k)| k);
        let out = SLOPES.map(|s| (f64::from(k) * h * s).min(REACH));
        let whole = place.is_none_or(|(_, k)| k + 2 >= in_a_band);
        let rects = if whole {
            vec![[[left[0] - out[0], y[0]], [right[1] + out[1], y[1]]]]
        } else {
            vec![
                [[left[0] - out[0], y[0]], [left[1], y[1]]],
                [[right[0], y[0]], [right[1] + out[1], y[1]]],
            ]
        };
        for [from, to] in &rects {
            pen.fill(*from, *to, 0);
            pen.body.push(Prism::cuboid(*from, *to, [z - h, z]));
        }
        if let Some((band, k)) = place {
            let layer = InBand {
                k,
                of: in_a_band,
                height: h,
                z,
            };
            let place = [right[0], y[0]];
            number(&mut pen, &plain(value(band), 0), place, PILLAR[0], layer);
        }
        pen.fill(post[0], post[1], 0);
    }
    pen.body.push(Prism::cuboid(post[0], post[1], [0.0, high]));
    pen.flow = 1.0;
    Ok(done(pen, parts))
}

/// Nested right angles, each with its own pressure advance.
pub(super) fn corners(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const PITCH: f64 = 5.0;
    const SHORTEST: f64 = 20.0;
    const NUMBERS: f64 = 16.0;
    const LAYERS: u32 = 4;
    let count = set.count("count");
    let long = SHORTEST + f64::from(count - 1) * PITCH;
    let [mx, my] = room(facts, [long + NUMBERS, long], "count")?;
    let (left, low) = (mx - (long + NUMBERS) / 2.0, my - long / 2.0);
    let value = |n: u32| set.get("from") + f64::from(n) * set.get("step");
    let corner = |n: u32| [left + f64::from(n) * PITCH, low + f64::from(n) * PITCH];
    let h = facts.layer();
    let mut pen = Pen::new(facts, "corners");
    pen.prime();
    let mut parts = Vec::new();
    for l in 0..LAYERS {
        pen.layer(f64::from(l + 1) * h, h);
        let speed = if l == 0 {
            facts.first_speed_mm_s
        } else {
            set.get("speed")
        };
        pen.with(facts.width(), speed);
        for n in 0..count {
            let [x, y] = corner(n);
            let v = value(n);
            pen.say(&format!("M900 K{}", plain(v, 4)));
            pen.go([x, low + long]);
            pen.line([x, y]);
            pen.line([left + long, y]);
            if l == 0 {
                parts.push(Part {
                    label: plain(v, 3),
                    value: v,
                    x_mm: [x, left + long],
                    y_mm: [y, low + long],
                    z_mm: [0.0, f64::from(LAYERS) * h],
                });
            }
        }
        if l == 0 {
            pen.say("M900 K0");
            for (n, part) in (0_u32..).zip(&parts) {
                let [_, y] = corner(n);
                pen.write(&part.label, [left + long + 2.0, y - 1.5], 3.0);
            }
        }
    }
    pen.say("M900 K0");
    Ok(done(pen, parts))
}

/// As long as is asked, in few grams: two thin posts that are walked between, and a bridge now and then.
pub(super) fn long_run(facts: &PieceFor, set: &Settings) -> Result<Piece, PieceError> {
    const SIDE: f64 = 12.0;
    const GAP: f64 = 50.0;
    /// Every so many layers a bridge joins both posts.
    const BRIDGES: u32 = 50;
    let h = facts.layer();
    let size = [2.0 * SIDE + GAP, SIDE];
    let [mx, my] = room(facts, size, "minutes")?;
    let posts = [-1.0, 1.0].map(|s: f64| {
        let x = mx + s * (GAP + SIDE) / 2.0 - SIDE / 2.0;
        [[x, my - SIDE / 2.0], [x + SIDE, my + SIDE / 2.0]]
    });
    // Seconds of a layer by way over speed, and by pulls: metal takes longer, never less.
    let speed = set.get("speed");
    let area = crate::bead_area_mm2(facts.width(), h);
    let laid = |mm_s: f64| mm_s.min(facts.flow_limit_mm3_s / (area * facts.flow));
    let rings = 2.0 * 2.0 * 4.0 * (SIDE - 2.0 * facts.width()).max(1.0);
    let crossings = 4.0 * (GAP / facts.travel_mm_s + 2.0 * facts.retract_mm / facts.retract_mm_s);
    let full = size[0] * size[1] * h / area;
    let bridges = |l: u32| l == 0 || l % BRIDGES == BRIDGES - 1;
    let wanted = set.get("minutes") * 60.0;
    let (mut all, mut seconds) = (0, 0.0);
    while seconds < wanted || all < 10 {
        seconds += match (all, bridges(all)) {
            (0, _) => full / laid(facts.first_speed_mm_s.min(speed)),
            (_, true) => full / laid(speed),
            (_, false) => rings / laid(speed) + crossings,
        };
        all += 1;
        if f64::from(all) * h + 6.0 > facts.height_mm {
            return Err(PieceError::new(
                "minutes",
                format!(
                    "At {} mm/s the printer has height for {} min. Print slower, or shorter.",
                    plain(speed, 0),
                    plain((seconds / 60.0).floor(), 0)
                ),
            ));
        }
    }
    let high = f64::from(all) * h;
    tall(facts, high, "minutes")?;
    let mut pen = Pen::new(facts, "long run");
    pen.prime();
    for l in 0..all {
        let z = f64::from(l + 1) * h;
        pen.layer(z, h);
        pen.with(
            facts.width(),
            if l == 0 {
                facts.first_speed_mm_s.min(speed)
            } else {
                speed
            },
        );
        if bridges(l) {
            pen.fill(posts[0][0], posts[1][1], 0);
            pen.body
                .push(Prism::cuboid(posts[0][0], posts[1][1], [z - h, z]));
            continue;
        }
        // Outer walls of both, then inner walls of both: four crossings a layer.
        for inset in [0.5, 1.5] {
            for [from, to] in &posts {
                pen.ring(&Pen::corners(*from, *to, inset * pen.spacing()));
            }
        }
        for [from, to] in &posts {
            pen.body
                .push(Prism::frame(*from, *to, 2.0 * facts.width(), [z - h, z]));
        }
    }
    let part = Part {
        label: plain(set.get("minutes"), 0),
        value: set.get("minutes"),
        x_mm: [mx - size[0] / 2.0, mx + size[0] / 2.0],
        y_mm: [my - size[1] / 2.0, my + size[1] / 2.0],
        z_mm: [0.0, high],
    };
    Ok(done(pen, vec![part]))
}
