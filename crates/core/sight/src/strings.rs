//! Strings between two posts, counted.

use image::GrayImage;
use serde::Serialize;
use utoipa::ToSchema;

use super::field::{Corners, Field, SightError, median};

/// Strings as a photo shows them.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct StringsSeen {
    /// How many cross from post to post [number of].
    pub count: usize,
    /// At least: those that nobody would doubt [number of].
    pub at_least: usize,
    /// At most: with what may be one [number of].
    pub at_most: usize,
    /// Thinnest string that would have been seen, as strong as the noise of this photo allows [brightness, 0 to 255].
    pub tells: f64,
    /// Each from end to end, as parts of the photo [1].
    pub drawn: Vec<Vec<[f64; 2]>>,
}

/// Columns that are looked at, evenly spread.
const COLUMNS: usize = 96;
/// Slopes tried to either side, each a hundredth of the gap.
const SLOPES: i32 = 12;
/// Sags tried, each a hundredth of the gap.
const SAGS: i32 = 8;
/// Most strings counted: more are a curtain.
const MOST: usize = 60;
/// How strong a way is over the spread of those that hold nothing [1]: it may be a string, it is counted, nobody would doubt
/// it. Own judgement; the rendered photos hold it.
const MAY_BE: f64 = 5.0;
const COUNTED: f64 = 6.5;
const SURE: f64 = 9.0;
/// A fainter one beside stronger ones may be a shadow or a scratch: its strength over the strongest [1], counted and sure. Own
/// judgement.
const FAINT: [f64; 2] = [0.08, 0.2];
/// Ways nearer than this anywhere are one string [pixels].
const SAME: f64 = 5.0;
/// Parts of a string that are looked at alone.
const PARTS: usize = 8;

/// A way a string may hang: heights of its two ends and its sag [pixels].
#[derive(Clone, Copy)]
struct Hang {
    left: f64,
    right: f64,
    sag: f64,
}

impl Hang {
    /// Height at a part of the way, 0 to 1 [pixels].
    fn at(&self, t: f64) -> f64 {
        self.left + (self.right - self.left) * t + 4.0 * self.sag * t * (1.0 - t)
    }
}

/// Counts strings that cross the field from its left side to its right side.
///
/// Each height, slope and sag is tried: the brightness along it, against what lies above and below, over the noise of all
/// ways that hold nothing. A string must be there in nearly all of its parts.
/// # Errors
/// [`SightError::Corners`] and [`SightError::Small`].
pub fn read_strings(photo: &GrayImage, corners: &Corners) -> Result<StringsSeen, SightError> {
    let field = Field::cut(photo, corners)?;
    let columns = sharp_columns(&field);
    let rows = field.h;
    // OK because a field has at most 2 400 pixels a side.
    #[allow(clippy::cast_precision_loss)]
    let (high, wide) = (rows as f64, field.w as f64);
    // OK because there are a hundred columns.
    #[allow(clippy::cast_precision_loss)]
    let part: Vec<f64> = (0..COLUMNS)
        .map(|c| (c as f64 + 0.5) / COLUMNS as f64)
        .collect();
    let at = |c: usize, y: f64| -> Option<f64> {
        if !(0.0..=high - 1.0).contains(&y) {
            return None;
        }
        // OK because it lies inside the field.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        Some(columns[c][y.round() as usize])
    };
    let along = |h: &Hang| -> Option<[f64; PARTS]> {
        let mut sums = [0.0; PARTS];
        for (c, t) in part.iter().enumerate() {
            sums[c * PARTS / COLUMNS] += at(c, h.at(*t))?;
        }
        // OK because there are twelve columns a part.
        #[allow(clippy::cast_precision_loss)]
        Some(sums.map(|s| s * PARTS as f64 / COLUMNS as f64))
    };
    // OK because there are eight parts.
    #[allow(clippy::cast_precision_loss)]
    let mean = |p: &[f64; PARTS]| p.iter().sum::<f64>() / PARTS as f64;
    let mut all: Vec<(Hang, [f64; PARTS])> = Vec::new();
    for row in 0..rows {
        for slope in -SLOPES..=SLOPES {
            for sag in 0..=SAGS {
                // OK because it is a row of a field.
                #[allow(clippy::cast_precision_loss)]
                let left = row as f64;
                let hang = Hang {
                    left,
                    right: left + f64::from(slope) * 0.01 * wide,
                    sag: f64::from(sag) * 0.01 * wide,
                };
                if let Some(parts) = along(&hang) {
                    all.push((hang, parts));
                }
            }
        }
    }
    if all.is_empty() {
        return Err(SightError::Small(u32::try_from(rows).unwrap_or(u32::MAX)));
    }
    // Ways that hold nothing spread by noise alone; most ways hold nothing.
    let strengths: Vec<f64> = all.iter().map(|(_, p)| mean(p)).collect();
    let middle = median(&strengths);
    let spread = |values: &[f64], m: f64| {
        1.483 * median(&values.iter().map(|v| (v - m).abs()).collect::<Vec<_>>())
    };
    let noise = spread(&strengths, middle).max(0.15);
    let parts_of: Vec<f64> = all.iter().map(|(_, p)| p[0]).collect();
    let part_noise = spread(&parts_of, median(&parts_of)).max(0.4);
    // Filament is brighter than what is behind it, or darker: whichever stands out more.
    let most = strengths.iter().copied().fold(f64::MIN, f64::max) - middle;
    let least = middle - strengths.iter().copied().fold(f64::MAX, f64::min);
    let sign = if most >= least { 1.0 } else { -1.0 };
    let mut order: Vec<usize> = (0..all.len())
        .filter(|i| sign * (strengths[*i] - middle) > MAY_BE * noise)
        .collect();
    order.sort_by(|a, b| (sign * strengths[*b]).total_cmp(&(sign * strengths[*a])));
    let strongest = order
        .first()
        .map_or(0.0, |i| sign * (strengths[*i] - middle));
    let mut taken: Vec<(Hang, f64)> = Vec::new();
    let (mut at_least, mut count) = (0, 0);
    let mut drawn = Vec::new();
    for i in order {
        if taken.len() >= MOST {
            break;
        }
        let (hang, parts) = &all[i];
        let strength = sign * (strengths[i] - middle);
        // What leans on a string that is counted already is that string.
        let beside = |other: &Hang| {
            [0.1, 0.3, 0.5, 0.7, 0.9]
                .iter()
                .any(|t| (other.at(*t) - hang.at(*t)).abs() < SAME)
        };
        if taken.iter().any(|(h, _)| beside(h)) {
            continue;
        }
        let there = parts
            .iter()
            .filter(|p| sign * (**p - middle) > (2.0 * part_noise).max(0.3 * strength))
            .count();
        if there + 2 < PARTS {
            continue;
        }
        taken.push((*hang, strength));
        let sure = strength > SURE * noise && there == PARTS && strength > FAINT[1] * strongest;
        let likely = strength > COUNTED * noise && strength > FAINT[0] * strongest;
        at_least += usize::from(sure);
        count += usize::from(likely);
        if likely {
            drawn.push(
                part.iter()
                    .step_by(8)
                    .chain(part.last())
                    .map(|t| field.in_photo([t * wide, hang.at(*t)]))
                    .collect(),
            );
        }
    }
    Ok(StringsSeen {
        count,
        at_least,
        at_most: taken.len(),
        tells: COUNTED * noise,
        drawn,
    })
}

/// Brightness of each column against what lies above and below it: only thin things stay.
fn sharp_columns(field: &Field) -> Vec<Vec<f64>> {
    (0..COLUMNS)
        .map(|c| {
            let (from, to) = (
                c * field.w / COLUMNS,
                ((c + 1) * field.w / COLUMNS).max(c * field.w / COLUMNS + 1),
            );
            let column: Vec<f64> = (0..field.h)
                .map(|y| {
                    let row = &field.row(y)[from..to];
                    // OK because a column is a few dozen pixels wide.
                    #[allow(clippy::cast_precision_loss)]
                    let n = row.len() as f64;
                    row.iter().map(|p| f64::from(*p)).sum::<f64>() / n
                })
                .collect();
            let fine = super::field::smooth(&column, 1.2);
            let coarse = super::field::smooth(&column, 6.0);
            fine.iter().zip(&coarse).map(|(a, b)| a - b).collect()
        })
        .collect()
}
