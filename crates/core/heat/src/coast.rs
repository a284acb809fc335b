//! Whether metal that should be cooling is being heated all the same.

/// How long heat stored in a heater core goes on into the block after it was switched off [s]. Common
/// practice, no published source: a cartridge in its bore about ten seconds, a bed's plate a minute.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CoastLag {
    /// Time constant [s].
    pub tau_s: f64,
    /// Fastest rise believed while nothing was seen yet [°C/s].
    pub most_c_s: f64,
}

impl CoastLag {
    /// Of a hot end.
    pub const NOZZLE: Self = Self {
        tau_s: 12.0,
        most_c_s: 5.0,
    };
    /// Of a bed or a chamber.
    pub const BED: Self = Self {
        tau_s: 60.0,
        most_c_s: 0.8,
    };
}

/// Rise that noise and draughts make [°C].
const ROOM_C: f64 = 4.0;
/// A reading that jumps faster than this is the sensor, not the metal [°C/s].
const JUMP_C_S: f64 = 25.0;
/// After this long without heat nothing is stored any more [s].
const FORGET_S: f64 = 90.0;
/// Readings in a row beyond what is explained before it counts.
const ENOUGH: u32 = 3;

/// Watches one heater that is reported to be off.
///
/// Model: after switching off at a rise r [°C/s] the block gains at most r·τ·(1 − e^(−t/τ)), the
/// response of a first-order lag to a heat flow that ends. What rises beyond it is heated.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Coast {
    lag: CoastLag,
    /// Time [s], temperature [°C] and rise [°C/s] where it was last heated, or lowest since.
    from: Option<(f64, f64, f64)>,
    last: Option<(f64, f64)>,
    rate_c_s: Option<f64>,
    beyond: u32,
}

impl Coast {
    /// Before the first reading.
    #[must_use]
    pub const fn new(lag: CoastLag) -> Self {
        Self {
            lag,
            from: None,
            last: None,
            rate_c_s: None,
            beyond: 0,
        }
    }

    /// Takes a reading `temp_c` [°C] at `t_s` [s], `heats` as reported; true if it rises beyond what
    /// stored heat explains.
    pub fn see(&mut self, t_s: f64, temp_c: f64, heats: bool) -> bool {
        let before = self.last.replace((t_s, temp_c));
        let rate = before.and_then(|(t, c)| (t_s > t + 1e-3).then(|| (temp_c - c) / (t_s - t)));
        if heats {
            // Smoothed over some readings: one noisy pair says little.
            if let Some(r) = rate.filter(|r| r.abs() < JUMP_C_S) {
                self.rate_c_s = Some(self.rate_c_s.map_or(r, |was| was + 0.4 * (r - was)));
            }
            self.from = Some((t_s, temp_c, self.rate_c_s.unwrap_or(self.lag.most_c_s)));
            self.beyond = 0;
            return false;
        }
        let (t0, c0, r0) = *self.from.get_or_insert((t_s, temp_c, self.lag.most_c_s));
        let passed = (t_s - t0).max(0.0);
        let gain = r0.max(0.0) * self.lag.tau_s * (1.0 - (-passed / self.lag.tau_s).exp());
        let jumped = rate.is_some_and(|r| r.abs() > JUMP_C_S);
        if jumped {
            self.from = Some((t_s, temp_c, 0.0));
            self.beyond = 0;
        } else if temp_c > c0 + gain + ROOM_C {
            self.beyond += 1;
        } else {
            self.beyond = 0;
            if temp_c < c0 - 1.0 || passed > FORGET_S {
                self.from = Some((t_s, temp_c, 0.0));
            }
        }
        self.beyond >= ENOUGH
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A block with its heater core apart, by small steps: two masses, Newton's cooling. Written for
    /// this test alone; the twin's plant is another one.
    fn core_and_block(off_at_s: f64, stays_on: bool) -> bool {
        let (mut core, mut block) = (25.0_f64, 25.0_f64);
        let mut coast = Coast::new(CoastLag::NOZZLE);
        let mut found = false;
        for step in 0..2_400 {
            let t = f64::from(step) * 0.1;
            let asked = t < off_at_s;
            let power = if asked || stays_on { 40.0 } else { 0.0 };
            let flow = (core - block) * 4.0;
            core += (power - flow) / 3.0 * 0.1;
            block += (flow - (block - 25.0) * 0.12) / 11.0 * 0.1;
            if step % 10 == 0 {
                found |= coast.see(t, block, asked);
            }
        }
        found
    }

    #[test]
    fn stored_heat_is_no_heater_and_a_heater_that_stays_on_is_found() {
        for off_at_s in [5.0, 12.0, 30.0, 55.0] {
            assert!(!core_and_block(off_at_s, false), "off at {off_at_s} s");
            assert!(core_and_block(off_at_s, true), "stays on from {off_at_s} s");
        }
    }

    #[test]
    fn a_sensor_that_jumps_back_is_no_heater() {
        let mut coast = Coast::new(CoastLag::NOZZLE);
        for i in 0..60 {
            let t = f64::from(i);
            let dips = i % 7 == 3;
            let c = if dips { 22.0 } else { 200.0 - t };
            assert!(!coast.see(t, c, false), "at {t} s");
        }
    }
}
