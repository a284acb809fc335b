//! Chance for logs, apart from the twin's.

/// A small generator of its own: xorshift64* (Vigna 2016, from memory) and Box-Muller.
pub struct Dice(u64);

impl Dice {
    pub fn new(seed: u64) -> Self {
        Self(
            seed.wrapping_mul(0x9E37_79B9_7F4A_7C15)
                .wrapping_add(0x1234_5678_9ABC_DEF1)
                | 1,
        )
    }
    fn bits(&mut self) -> u64 {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        self.0.wrapping_mul(0x2545_F491_4F6C_DD1D)
    }
    /// Even over 0…1.
    pub fn even(&mut self) -> f64 {
        // OK because 53 bits fit a double exactly.
        #[allow(clippy::cast_precision_loss)]
        let x = (self.bits() >> 11) as f64;
        x / 9_007_199_254_740_992.0
    }
    pub fn between(&mut self, a: f64, b: f64) -> f64 {
        a + (b - a) * self.even()
    }
    pub fn normal(&mut self) -> f64 {
        let u = self.even().max(1e-12);
        (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * self.even()).cos()
    }
}
