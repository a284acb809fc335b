//! Rendered photos: a scene in millimetres, a camera that looks from an angle, light from a side, blur, noise, JPEG.
//!
//! It shares nothing with what reads them: brightness is worked out point by point from the distance to each body.

use image::codecs::jpeg::JpegEncoder;
use image::{ExtendedColorType, GrayImage, ImageFormat, Luma};

/// What a camera does to a scene.
#[derive(Clone, Copy, Debug)]
pub struct Camera {
    /// Width and height [pixels].
    pub size: [u32; 2],
    /// Pixels a millimetre in the middle.
    pub scale: f64,
    /// Turned in the picture [rad].
    pub turn: f64,
    /// Perspective: change of scale a millimetre, in X and Y.
    pub lean: [f64; 2],
    /// Blur [pixels].
    pub blur: f64,
    /// Noise [brightness].
    pub noise: f64,
    /// Brightness left less right, as a part of it.
    pub light: f64,
    pub seed: u64,
}

impl Default for Camera {
    fn default() -> Self {
        Self {
            size: [1_600, 1_200],
            scale: 13.0,
            turn: 0.03,
            lean: [0.0004, -0.0006],
            blur: 1.2,
            noise: 5.0,
            light: 0.25,
            seed: 1,
        }
    }
}

impl Camera {
    /// A place of the scene [mm] in the picture [pixels].
    pub fn see(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        let (s, c) = self.turn.sin_cos();
        let (u, v) = (c * x - s * y, s * x + c * y);
        let far = 1.0 + self.lean[0] * u + self.lean[1] * v;
        [
            f64::from(self.size[0]) / 2.0 + self.scale * u / far,
            f64::from(self.size[1]) / 2.0 - self.scale * v / far,
        ]
    }

    /// The way back: a pixel's place in the scene [mm].
    fn trace(&self, [px, py]: [f64; 2]) -> [f64; 2] {
        let a = (px - f64::from(self.size[0]) / 2.0) / self.scale;
        let b = (f64::from(self.size[1]) / 2.0 - py) / self.scale;
        let far = 1.0 / (1.0 - self.lean[0] * a - self.lean[1] * b);
        let (u, v) = (a * far, b * far);
        let (s, c) = self.turn.sin_cos();
        [c * u + s * v, -s * u + c * v]
    }

    /// Corners of a rectangle of the scene, as a hand places them: off by some pixels.
    pub fn corners(&self, x: [f64; 2], y: [f64; 2], off_px: f64) -> [[f64; 2]; 4] {
        let mut rng = fastrand::Rng::with_seed(self.seed ^ 77);
        [[x[0], y[1]], [x[1], y[1]], [x[1], y[0]], [x[0], y[0]]].map(|p| {
            let [a, b] = self.see(p);
            [
                (a + off_px * (2.0 * rng.f64() - 1.0)) / f64::from(self.size[0]),
                (b + off_px * (2.0 * rng.f64() - 1.0)) / f64::from(self.size[1]),
            ]
        })
    }

    /// Takes the picture: `bright` says the brightness of a place, 0 to 1.
    pub fn take(&self, bright: impl Fn([f64; 2]) -> f64) -> GrayImage {
        let [w, h] = self.size.map(|v| v as usize);
        let mut rng = fastrand::Rng::with_seed(self.seed);
        let mut px = vec![0.0_f64; w * h];
        for y in 0..h {
            for x in 0..w {
                let mut sum = 0.0;
                for (i, j) in [(0.2, 0.3), (0.7, 0.2), (0.3, 0.8), (0.8, 0.7)] {
                    let at = self.trace([x as f64 + i, y as f64 + j]);
                    sum += bright(at);
                }
                let side = 1.0 + self.light * (0.5 - x as f64 / w as f64);
                px[y * w + x] = 200.0 * side * sum / 4.0;
            }
        }
        let soft = boxes(
            &boxes(&boxes(&px, w, h, self.blur), w, h, self.blur),
            w,
            h,
            self.blur,
        );
        let mut raw = GrayImage::new(self.size[0], self.size[1]);
        for (i, p) in raw.pixels_mut().enumerate() {
            let (a, b): (f64, f64) = (1.0 - rng.f64(), rng.f64());
            let n = (-2.0 * a.ln()).sqrt() * (std::f64::consts::TAU * b).cos();
            *p = Luma([(soft[i] + self.noise * n).clamp(0.0, 255.0) as u8]);
        }
        // As a camera keeps it.
        let mut jpeg = Vec::new();
        JpegEncoder::new_with_quality(&mut jpeg, 85)
            .encode(
                raw.as_raw(),
                self.size[0],
                self.size[1],
                ExtendedColorType::L8,
            )
            .unwrap();
        image::load_from_memory_with_format(&jpeg, ImageFormat::Jpeg)
            .unwrap()
            .into_luma8()
    }
}

/// Three of these are as good as a bell.
fn boxes(px: &[f64], w: usize, h: usize, sigma: f64) -> Vec<f64> {
    // A box of width 2r + 1 has a variance of r(r + 1)/3; fractions by mixing with the middle.
    let want = sigma * sigma / 3.0;
    let side = |p: &dyn Fn(isize) -> f64| {
        let (a, m, b) = (p(-1), p(0), p(1));
        let (c, d) = (p(-2), p(2));
        if want <= 2.0 / 3.0 {
            m + want / 2.0 * (a - 2.0 * m + b)
        } else {
            let k = ((want - 2.0 / 3.0) / (2.0 - 2.0 / 3.0)).min(1.0);
            (1.0 - k) * (a + m + b) / 3.0 + k * (a + b + c + d + m) / 5.0
        }
    };
    let clamp = |i: isize, n: usize| i.clamp(0, n as isize - 1) as usize;
    let mut mid = vec![0.0; w * h];
    for y in 0..h {
        for x in 0..w {
            mid[y * w + x] = side(&|k| px[y * w + clamp(x as isize + k, w)]);
        }
    }
    let mut out = vec![0.0; w * h];
    for y in 0..h {
        for x in 0..w {
            out[y * w + x] = side(&|k| mid[clamp(y as isize + k, h) * w + x]);
        }
    }
    out
}
