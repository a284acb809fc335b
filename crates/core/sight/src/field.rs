//! The part of a photo that is looked at: four corners that a person placed, turned into an upright rectangle.

use image::GrayImage;
use imageproc::geometric_transformations::{Border, Interpolation, Projection, warp_into};

/// Corners in the photo, as parts of its width and height, 0 to 1: top left, top right, bottom right, bottom left.
pub type Corners = [[f64; 2]; 4];

/// Why a photo can't be read.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum SightError {
    /// The corners don't span a field.
    #[error(
        "The corners cross each other, or lie too close. Place them round the part, one after the other."
    )]
    Corners,
    /// Too few pixels for what is to be seen.
    #[error("The part is only {0} pixels wide in this photo. Take it from nearer.")]
    Small(u32),
    /// Another number than the piece has.
    #[error(
        "{seen} lines are seen, and the piece has {wanted}. Place the corners so that all are inside, with a free edge around."
    )]
    Count {
        /// How many were seen [number of].
        seen: usize,
        /// How many the piece has [number of].
        wanted: usize,
    },
    /// Lines don't stand out from what is behind them.
    #[error(
        "Lines can’t be told from what is behind them. Take the photo with light from the side."
    )]
    Faint,
    /// Spacing that no print of the piece has.
    #[error(
        "The lines stand unevenly, as no print of this piece does. Place the corners anew, or take the photo from straight above."
    )]
    Uneven,
}

/// Least pixels along a side of a field.
const LEAST: f64 = 60.0;
/// Most pixels along a side of a field: more tells nothing more.
const MOST: f64 = 2_400.0;

/// An upright rectangle cut out of a photo; brightness 0 to 255.
pub(crate) struct Field {
    pub w: usize,
    pub h: usize,
    pub px: Vec<f32>,
    /// From the field back to parts of the photo.
    back: Projection,
    photo: [f64; 2],
    turned: bool,
}

fn apart(a: [f64; 2], b: [f64; 2]) -> f64 {
    (a[0] - b[0]).hypot(a[1] - b[1])
}

/// Whether the corners go round once, clockwise in a photo, with no corner bent inwards.
fn goes_round(c: &Corners) -> bool {
    (0..4).all(|i| {
        let (a, b, d) = (c[i], c[(i + 1) % 4], c[(i + 2) % 4]);
        (b[0] - a[0]) * (d[1] - b[1]) - (b[1] - a[1]) * (d[0] - b[0]) > 0.0
    })
}

impl Field {
    /// Cuts out what the corners span.
    /// # Errors
    /// [`SightError::Corners`] and [`SightError::Small`].
    pub fn cut(photo: &GrayImage, corners: &Corners) -> Result<Self, SightError> {
        let size = [f64::from(photo.width()), f64::from(photo.height())];
        if corners
            .iter()
            .flatten()
            .any(|v| !(-0.001..=1.001).contains(v))
        {
            return Err(SightError::Corners);
        }
        let c = corners.map(|[x, y]| [x * size[0], y * size[1]]);
        if !goes_round(&c) {
            return Err(SightError::Corners);
        }
        let wide = apart(c[0], c[1]).max(apart(c[3], c[2]));
        let high = apart(c[0], c[3]).max(apart(c[1], c[2]));
        if wide.min(high) < LEAST {
            // OK because it is below sixty.
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            return Err(SightError::Small(wide.min(high) as u32));
        }
        let (w, h) = (wide.min(MOST).round(), high.min(MOST).round());
        // OK because a photo has fewer pixels a side than f32 counts exactly.
        #[allow(clippy::cast_possible_truncation)]
        let at = |[x, y]: [f64; 2]| (x as f32, y as f32);
        let to = [[0.0, 0.0], [w, 0.0], [w, h], [0.0, h]].map(at);
        let way = Projection::from_control_points(c.map(at), to).ok_or(SightError::Corners)?;
        // OK because both lie between 60 and 2 400.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let mut out = GrayImage::new(w as u32, h as u32);
        warp_into(
            photo,
            way,
            Interpolation::Bilinear,
            Border::Replicate,
            &mut out,
        );
        Ok(Self {
            w: out.width() as usize,
            h: out.height() as usize,
            px: out.pixels().map(|p| f32::from(p.0[0])).collect(),
            back: way.invert(),
            photo: size,
            turned: false,
        })
    }

    /// With its sides exchanged, so that what ran across runs along.
    pub fn turn(self) -> Self {
        let mut px = Vec::with_capacity(self.px.len());
        for x in 0..self.w {
            px.extend((0..self.h).map(|y| self.px[y * self.w + x]));
        }
        Self {
            w: self.h,
            h: self.w,
            px,
            turned: !self.turned,
            ..self
        }
    }

    /// Whether its sides are exchanged.
    pub const fn is_turned(&self) -> bool {
        self.turned
    }

    /// A row of pixels, brightness [0 to 255].
    pub fn row(&self, y: usize) -> &[f32] {
        &self.px[y * self.w..(y + 1) * self.w]
    }

    /// Mean of the rows from..to, pixel by pixel [0 to 255].
    pub fn mean_row(&self, from: usize, to: usize) -> Vec<f64> {
        let mut sum = vec![0.0; self.w];
        for y in from..to {
            for (s, p) in sum.iter_mut().zip(self.row(y)) {
                *s += f64::from(*p);
            }
        }
        // OK because a field has at most 2 400 rows.
        #[allow(clippy::cast_precision_loss)]
        let n = (to - from).max(1) as f64;
        sum.iter().map(|s| s / n).collect()
    }

    /// A place of the field [pixels] as parts of the photo [1].
    pub fn in_photo(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        let [x, y] = if self.turned { [y, x] } else { [x, y] };
        // OK because a photo has fewer pixels a side than f32 counts exactly.
        #[allow(clippy::cast_possible_truncation)]
        let (px, py) = self.back * (x as f32, y as f32);
        [f64::from(px) / self.photo[0], f64::from(py) / self.photo[1]]
    }
}

/// The median; of an even number the upper of the two in the middle.
pub(crate) fn median(values: &[f64]) -> f64 {
    let mut v = values.to_vec();
    v.sort_by(f64::total_cmp);
    v.get(v.len() / 2).copied().unwrap_or(0.0)
}

/// Smooths by a bell of a width [pixels].
pub(crate) fn smooth(p: &[f64], sigma: f64) -> Vec<f64> {
    // OK because a bell here is a few pixels wide.
    #[allow(clippy::cast_possible_truncation)]
    let reach = (3.0 * sigma).ceil() as isize;
    let bell: Vec<f64> = (-reach..=reach)
        // OK because it is a few pixels.
        .map(|i| (-(i as f64).powi(2) / (2.0 * sigma * sigma)).exp())
        .collect();
    let n = isize::try_from(p.len()).unwrap_or(0);
    (0..n)
        .map(|i| {
            let (mut sum, mut weight) = (0.0, 0.0);
            for (k, b) in (-reach..=reach).zip(&bell) {
                if let Some(v) = usize::try_from(i + k).ok().and_then(|j| p.get(j)) {
                    sum += b * v;
                    weight += b;
                }
            }
            sum / weight
        })
        .collect()
}
