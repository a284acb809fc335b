//! The pen that draws what a simulated printer printed, as a camera would see it.

use image::GrayImage;

/// A picture that is being drawn: brightness 0 to 255.
#[derive(Clone, Debug)]
pub struct Drawing {
    w: usize,
    h: usize,
    px: Vec<f32>,
}

/// Most pixels a side.
const MOST: u32 = 2_000;

impl Drawing {
    /// An empty plate of a size [pixels], at most 2 000 a side, and a brightness [0 to 255].
    #[must_use]
    pub fn new(size: [u32; 2], plate: f32) -> Self {
        let [w, h] = size.map(|s| s.clamp(1, MOST) as usize);
        Self {
            w,
            h,
            px: vec![plate; w * h],
        }
    }

    /// Draws a way with round ends: corners and width [pixels], brightness [0 to 255].
    pub fn stroke(&mut self, way: &[[f64; 2]], width: f64, bright: f32) {
        for pair in way.windows(2) {
            self.capsule(pair[0], pair[1], width / 2.0, bright);
        }
    }

    /// Draws an upright box between two corners [pixels].
    pub fn fill(&mut self, from: [f64; 2], to: [f64; 2], bright: f32) {
        let span = |a: f64, b: f64, most: usize| {
            // OK because it is held inside the picture.
            #[allow(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                clippy::cast_precision_loss
            )]
            let (low, high) = (
                a.min(b).clamp(0.0, most as f64) as usize,
                a.max(b).clamp(0.0, most as f64) as usize,
            );
            low..high
        };
        for y in span(from[1], to[1], self.h) {
            for x in span(from[0], to[0], self.w) {
                self.px[y * self.w + x] = bright;
            }
        }
    }

    fn capsule(&mut self, a: [f64; 2], b: [f64; 2], radius: f64, bright: f32) {
        // OK because it is held inside the picture.
        #[allow(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            clippy::cast_precision_loss
        )]
        let span = |i: usize, most: usize| {
            let low = (a[i].min(b[i]) - radius - 1.0).clamp(0.0, most as f64) as usize;
            let high = (a[i].max(b[i]) + radius + 2.0).clamp(0.0, most as f64) as usize;
            low..high
        };
        let (d, long) = ([b[0] - a[0], b[1] - a[1]], (b[0] - a[0]).hypot(b[1] - a[1]));
        for y in span(1, self.h) {
            for x in span(0, self.w) {
                // OK because a picture has at most 2 000 pixels a side.
                #[allow(clippy::cast_precision_loss)]
                let p = [x as f64 + 0.5 - a[0], y as f64 + 0.5 - a[1]];
                let t = if long < 1e-9 {
                    0.0
                } else {
                    ((p[0] * d[0] + p[1] * d[1]) / (long * long)).clamp(0.0, 1.0)
                };
                let off = (p[0] - t * d[0]).hypot(p[1] - t * d[1]);
                // OK because it is a share between 0 and 1.
                #[allow(clippy::cast_possible_truncation)]
                let share = (radius - off + 0.5).clamp(0.0, 1.0) as f32;
                let at = &mut self.px[y * self.w + x];
                *at += share * (bright - *at);
            }
        }
    }

    /// The picture with a camera's blur [pixels] and grain; the grain is a number for each pixel, about -1 to 1.
    #[must_use]
    pub fn taken(&self, blur: f32, mut grain: impl FnMut() -> f32) -> GrayImage {
        // OK because a picture has at most 2 000 pixels a side.
        #[allow(clippy::cast_possible_truncation)]
        let mut out = GrayImage::new(self.w as u32, self.h as u32);
        // OK because brightness lies between 0 and 255.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        for (to, from) in out.pixels_mut().zip(&self.px) {
            to.0[0] = from.clamp(0.0, 255.0) as u8;
        }
        let mut soft = imageproc::filter::gaussian_blur_f32(&out, blur.max(0.1));
        for p in soft.pixels_mut() {
            // OK because it is held between 0 and 255.
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            let v = (f32::from(p.0[0]) + grain()).clamp(0.0, 255.0) as u8;
            p.0[0] = v;
        }
        soft
    }
}
