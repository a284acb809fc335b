//! Widths of lines, against the spacing that the piece is known to have.

use image::GrayImage;
use serde::Serialize;
use utoipa::ToSchema;

use super::field::{Corners, Field, SightError, median};
use super::ridges::{Ridge, blur_of, in_slices, polarity, straight, upright, without_blur};

/// A line, as the photo shows it.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct LineSeen {
    /// Its width [mm].
    pub width_mm: f64,
    /// Expanded uncertainty of that, k = 2 [mm].
    pub expanded_mm: f64,
    /// How far its width is off at its worst, along its way [mm].
    pub uneven_mm: f64,
    /// Its middle from end to end, as parts of the photo [1].
    pub drawn: Vec<[f64; 2]>,
}

/// Lines of a piece.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct LinesSeen {
    /// In their order from left to right of the photo, or from top to bottom.
    pub lines: Vec<LineSeen>,
    /// Those that keep their width as well as the best one does, as far as the photo tells; indices.
    pub even: Vec<usize>,
    /// What the photo can't tell in unevenness [mm].
    pub tells_mm: f64,
    /// Pixels a millimetre [1/mm].
    pub pixels_mm: f64,
    /// Whether the lines lie across the photo, so that they are counted from its top.
    pub lie: bool,
}

/// Slices along a line: each as long as a change of speed leaves its mark.
const SLICES: usize = 24;
/// A line as wide as this many pixels is read [pixels]; a narrower one isn't.
const LEAST_WIDTH: f64 = 3.0;
/// How far one distance between neighbours may be off the others [parts of a pitch]: more is no print of the piece. Own
/// judgement.
const UNEVEN: f64 = 0.15;
/// An edge lies within this of where it is read, both edges alike [pixels]. Own judgement; the rendered photos hold it.
const EDGE: f64 = 0.2;
/// Median of |x₁ − x₂| of two normal numbers over their standard deviation: 0.6745·√2.
const MEDIAN_STEP: f64 = 0.954;
/// Variance of a median over that of a mean, of many normal numbers: π/2.
const MEDIAN_COSTS: f64 = std::f64::consts::FRAC_PI_2;

/// Reads widths of lines. `count`: how many the piece has; `pitch_mm`: from line to line [mm].
///
/// Formula: width = pixels between half heights, the photo's blur taken out, · pitch / pixels a pitch, the scale a straight
/// line over the photo; unevenness = largest distance of three neighbouring slices' mean from the line's median.
/// # Errors
/// [`SightError`], saying how to take or mark the photo otherwise.
pub fn read_lines(
    photo: &GrayImage,
    corners: &Corners,
    count: usize,
    pitch_mm: f64,
) -> Result<LinesSeen, SightError> {
    let field = upright(Field::cut(photo, corners)?);
    let sign = polarity(&field.mean_row(field.h * 2 / 5, field.h * 3 / 5));
    let slices = in_slices(&field, SLICES, sign, count)?;
    // OK because a piece has a few dozen lines.
    #[allow(clippy::cast_precision_loss)]
    let number: Vec<f64> = (0..count).map(|i| i as f64).collect();
    let centres: Vec<f64> = (0..count)
        .map(|i| {
            median(
                &slices
                    .iter()
                    .map(|(_, r)| r[i].centre())
                    .collect::<Vec<_>>(),
            )
        })
        .collect();
    // Distances between neighbours change evenly over a photo taken from an angle; the corners took out most.
    let gaps: Vec<f64> = centres.windows(2).map(|w| w[1] - w[0]).collect();
    let [at, slope] = straight(&number[..count - 1], &gaps);
    let pitch = median(&gaps);
    if gaps
        .iter()
        .zip(&number)
        .any(|(g, i)| (g - at - slope * i).abs() > UNEVEN * pitch)
    {
        return Err(SightError::Uneven);
    }
    let pixels_mm = |i: f64| (at + slope * (i - 0.5)) / pitch_mm;
    // OK because a slice is a few dozen pixels.
    #[allow(clippy::cast_precision_loss)]
    let middle = |slice: usize| (slice as f64 + 0.5) * field.h as f64 / SLICES as f64;
    let every = || slices.iter().flat_map(|(_, r)| r);
    let sigma = blur_of(
        median(&every().map(Ridge::width).collect::<Vec<_>>()),
        median(&every().map(|r| r.steep).collect::<Vec<_>>()),
    );
    let mut lines = Vec::new();
    let mut noise = Vec::new();
    for i in 0..count {
        let widths: Vec<f64> = slices
            .iter()
            .map(|(_, r)| without_blur(r[i].width(), sigma) / pixels_mm(number[i]))
            .collect();
        let width = median(&widths);
        if width * pixels_mm(number[i]) < LEAST_WIDTH {
            return Err(SightError::Small(
                u32::try_from(field.w).unwrap_or(u32::MAX),
            ));
        }
        // Neighbouring slices differ by noise alone, as the width changes slowly.
        let steps: Vec<f64> = widths.windows(2).map(|w| (w[1] - w[0]).abs()).collect();
        let s = median(&steps) / MEDIAN_STEP;
        noise.push(s);
        let uneven = widths
            .windows(3)
            .map(|w| (w.iter().sum::<f64>() / 3.0 - width).abs())
            .fold(0.0, f64::max);
        // OK because there are two dozen slices.
        #[allow(clippy::cast_precision_loss)]
        let n = widths.len() as f64;
        let edge = EDGE / pixels_mm(number[i]) / 3.0_f64.sqrt();
        lines.push(LineSeen {
            width_mm: width,
            expanded_mm: 2.0 * (MEDIAN_COSTS * s * s / n + edge * edge).sqrt(),
            uneven_mm: uneven,
            drawn: slices
                .iter()
                .map(|(s, r)| field.in_photo([r[i].centre(), middle(*s)]))
                .collect(),
        });
    }
    // The largest of a dozen means of three, by noise alone, spreads about as much as one of them.
    let tells_mm = 2.0 * median(&noise) / 3.0_f64.sqrt();
    let best = lines
        .iter()
        .map(|l| l.uneven_mm)
        .fold(f64::INFINITY, f64::min);
    let even = (0..count)
        .filter(|i| lines[*i].uneven_mm <= best + tells_mm)
        .collect();
    Ok(LinesSeen {
        lines,
        even,
        tells_mm,
        pixels_mm: pitch / pitch_mm,
        lie: field.is_turned(),
    })
}
