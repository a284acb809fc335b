//! Two combs of different pitch: where their teeth meet, between the teeth.

use image::GrayImage;
use serde::Serialize;
use utoipa::ToSchema;

use super::field::{Corners, Field, SightError, median};
use super::ridges::{polarity, ridges, straight, upright};

/// What two combs show.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct CombsSeen {
    /// Where the teeth meet, counted from the middle tooth; to the right of the photo is positive, or up [1].
    pub tooth: f64,
    /// Expanded uncertainty of that, k = 2 [1].
    pub expanded: f64,
    /// Whether the teeth lie across the photo, so that up is positive.
    pub lie: bool,
    /// Whether the second nozzle's comb lies above the first's in the photo, or left of it.
    pub second_first: bool,
    /// Middles of the teeth of the first nozzle's comb and of the second's, as parts of the photo [1].
    pub drawn: [Vec<[f64; 2]>; 2],
}

/// Slices of each comb.
const SLICES: usize = 8;
/// How well a comb as a whole is placed against the other, u [pixels]. Own judgement; the rendered photos hold it.
const PLACED: f64 = 0.05;
/// How much wider one comb may look than the other, as parts of what it is [1]: beyond, these aren't the two combs. Own
/// judgement.
const WIDER: [f64; 2] = [0.4, 1.9];

/// Reads where two combs meet. `teeth`: of each comb, an odd number of; `more`: how much wider the second comb's pitch is,
/// as a part of the first's [1].
///
/// The teeth's distances from each other grow by the same step from pair to pair, so a straight line through all of them
/// is zero at the pair that meets: no single tooth decides.
/// # Errors
/// [`SightError`], saying how to take or mark the photo otherwise.
pub fn read_combs(
    photo: &GrayImage,
    corners: &Corners,
    teeth: usize,
    more: f64,
) -> Result<CombsSeen, SightError> {
    let field = upright(Field::cut(photo, corners)?);
    let near = comb(&field, [0.08, 0.42], teeth)?;
    let far = comb(&field, [0.58, 0.92], teeth)?;
    // OK because a comb has a few dozen teeth.
    #[allow(clippy::cast_precision_loss)]
    let number: Vec<f64> = (0..teeth).map(|i| i as f64 - (teeth / 2) as f64).collect();
    let [pitch_near, pitch_far] = [&near, &far].map(|c| straight(&number, c)[1]);
    // The second comb is the wider one; combs that don't differ as they should aren't these.
    let (first, second, second_far) = if pitch_far > pitch_near {
        (&near, &far, true)
    } else {
        (&far, &near, false)
    };
    let ratio = pitch_far.max(pitch_near) / pitch_far.min(pitch_near) - 1.0;
    if !(WIDER[0] * more..=WIDER[1] * more).contains(&ratio) {
        return Err(SightError::Uneven);
    }
    let off: Vec<f64> = first.iter().zip(second).map(|(a, b)| b - a).collect();
    let [at, slope] = straight(&number, &off);
    let left: f64 = number
        .iter()
        .zip(&off)
        .map(|(i, o)| (o - at - slope * i).powi(2))
        .sum();
    // OK because a comb has a few dozen teeth.
    #[allow(clippy::cast_precision_loss)]
    let n = teeth as f64;
    let s = (left / (n - 2.0)).sqrt();
    let tooth = -at / slope;
    let spread: f64 = number.iter().map(|i| i * i).sum();
    let u = (s * (1.0 / n + tooth * tooth / spread).sqrt()).hypot(PLACED) / slope.abs();
    // OK because a field has at most 2 400 pixels a side.
    #[allow(clippy::cast_precision_loss)]
    let high = field.h as f64;
    let lie = field.is_turned();
    let places = |c: &[f64], share: f64| -> Vec<[f64; 2]> {
        c.iter()
            .map(|x| field.in_photo([*x, share * high]))
            .collect()
    };
    Ok(CombsSeen {
        // Down in a photo is towards the one who took it.
        tooth: if lie { -tooth } else { tooth },
        expanded: 2.0 * u,
        lie,
        second_first: !second_far,
        drawn: if second_far {
            [places(first, 0.25), places(second, 0.75)]
        } else {
            [places(first, 0.75), places(second, 0.25)]
        },
    })
}

/// Middles of a comb's teeth where it ends towards the other, between two shares of the field's height.
fn comb(field: &Field, [from, to]: [f64; 2], teeth: usize) -> Result<Vec<f64>, SightError> {
    // OK because a field has at most 2 400 pixels a side.
    #[allow(
        clippy::cast_precision_loss,
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss
    )]
    let row = |share: f64| (share * field.h as f64) as usize;
    // OK because there are a few slices.
    #[allow(clippy::cast_precision_loss)]
    let share = |s: usize| from + (to - from) * s as f64 / SLICES as f64;
    let sign = polarity(&field.mean_row(row(from), row(to)));
    let mut middles = Vec::new();
    let mut centres: Vec<Vec<f64>> = vec![Vec::new(); teeth];
    let mut seen = Vec::new();
    for s in 0..SLICES {
        let found = ridges(&field.mean_row(row(share(s)), row(share(s + 1))), sign);
        seen.push(found.len());
        if found.len() == teeth {
            middles.push(f64::midpoint(share(s), share(s + 1)));
            for (all, r) in centres.iter_mut().zip(&found) {
                all.push(r.centre());
            }
        }
    }
    if middles.len() < SLICES / 2 {
        seen.sort_unstable();
        return Err(SightError::Count {
            seen: seen[SLICES / 2],
            wanted: teeth,
        });
    }
    // Teeth lean where the corners do, and fan out where the corners narrow: each is followed to the middle of the field,
    // where both combs end.
    // OK because a comb has a few dozen teeth.
    #[allow(clippy::cast_precision_loss)]
    let number: Vec<f64> = (0..teeth).map(|i| i as f64).collect();
    let slopes: Vec<f64> = centres.iter().map(|c| straight(&middles, c)[1]).collect();
    let [lean, fan] = straight(&number, &slopes);
    Ok(centres
        .iter()
        .zip(&number)
        .map(|(c, i)| {
            let moved: Vec<f64> = c
                .iter()
                .zip(&middles)
                .map(|(x, m)| x + (lean + fan * i) * (0.5 - m))
                .collect();
            median(&moved)
        })
        .collect())
}
