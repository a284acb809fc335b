//! The printer's own clock, believed only where it agrees with this computer's.

/// Seconds by the printer. Its `UP:` is free of the port's jitter, but a damaged digit or a lying board
/// must neither shorten a hold nor empty the curve: what disagrees with the time that has passed here is
/// not believed, and the time that has passed here counts.
#[derive(Debug)]
pub(super) struct Clock {
    /// Seconds of the printer's a second of this computer's: 1 unless it says that it is simulated.
    speed: f64,
    /// Where counting began: reading [s], and when by this computer [s].
    from: Option<(f64, f64)>,
    last_s: f64,
    /// What has to be added to `UP:` for it to go on where the readings are.
    shift_s: Option<f64>,
}

/// How far the printer's clock may be off [s]: the jitter of ports and of a busy board.
const OFF_S: f64 = 1.5;
/// And a share of the time counted, for a quartz that isn't trimmed.
const OFF_SHARE: f64 = 0.01;

impl Default for Clock {
    fn default() -> Self {
        Self {
            speed: 1.0,
            from: None,
            last_s: 0.0,
            shift_s: None,
        }
    }
}

impl Clock {
    /// Takes over that the printer is simulated and lives `speed` times as fast; infinite for a clock
    /// that follows no wall clock at all. `arrived_s` is now.
    pub fn simulated(&mut self, speed: f64, arrived_s: f64) {
        self.speed = speed;
        if self.from.is_some() {
            self.from = Some((self.last_s, arrived_s));
        }
    }

    /// The time of a report [s], never falling.
    pub fn read(&mut self, uptime_s: Option<f64>, arrived_s: f64) -> f64 {
        let Some((from_s, from_arrived_s)) = self.from else {
            let first = uptime_s.unwrap_or(arrived_s).clamp(0.0, 1e9);
            self.shift_s = uptime_s.map(|u| first - u);
            self.from = Some((first, arrived_s));
            self.last_s = first;
            return first;
        };
        let free = self.speed.is_infinite();
        let speed = if free { 1.0 } else { self.speed };
        let passed_s = (arrived_s - from_arrived_s).max(0.0);
        let expected_s = from_s + passed_s * speed;
        let off_s = (OFF_SHARE * passed_s + OFF_S) * speed;
        let said = uptime_s.zip(self.shift_s).map(|(u, shift)| u + shift);
        let believed = said.filter(|s| {
            let near = (s - expected_s).abs() <= off_s;
            *s >= self.last_s - 1e-9 && (near || free && *s < self.last_s + 3_600.0)
        });
        let t_s = believed.unwrap_or(expected_s).max(self.last_s);
        if believed.is_none() {
            // It goes on from here: after a restart its clock begins anew, and a damaged digit is made
            // good at the next report.
            self.shift_s = uptime_s.map(|u| t_s - u);
        }
        if free {
            self.from = Some((t_s, arrived_s));
        }
        self.last_s = t_s;
        t_s
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Readings of a clock fed with reports a second apart.
    fn readings(up: impl Fn(u32) -> Option<f64>) -> Vec<f64> {
        let mut clock = Clock::default();
        (0..120).map(|i| clock.read(up(i), f64::from(i))).collect()
    }

    #[test]
    fn whatever_the_printer_says_a_minute_takes_a_minute() {
        let liars: [fn(u32) -> Option<f64>; 8] = [
            |i| Some(f64::from(i)),
            |_| None,
            |i| Some(f64::from(i) * 10.0),
            |i| Some(f64::from(i) * 2.0),
            |i| Some(if i % 9 == 4 { 9e5 } else { f64::from(i) }),
            |i| Some(f64::from(i % 20)),
            |i| Some(1e6 - f64::from(i)),
            |i| (i % 3 == 0).then_some(f64::from(i) + 4_000.0),
        ];
        for (n, up) in liars.into_iter().enumerate() {
            let t = readings(up);
            let passed = t[119] - t[0];
            assert!(
                (passed - 119.0).abs() < 4.5,
                "clock {n}: {passed} s of 119 s"
            );
            assert!(t.windows(2).all(|w| w[1] >= w[0]), "clock {n} falls");
            // No pair of reports is ever far from the second between them.
            let most = t.windows(2).map(|w| w[1] - w[0]).fold(0.0, f64::max);
            assert!(most < 4.0, "clock {n} jumps by {most} s");
        }
    }

    #[test]
    fn a_true_clock_is_free_of_the_ports_jitter() {
        let mut clock = Clock::default();
        let mut rng = 12_345_u32;
        for i in 0..200 {
            rng = rng.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let jitter = f64::from(rng >> 16) / 65_536.0 * 0.3;
            let t = clock.read(Some(f64::from(i)), f64::from(i) + jitter);
            assert!((t - f64::from(i)).abs() < 1e-9);
        }
    }

    #[test]
    fn a_printer_that_says_it_is_simulated_keeps_its_own_speed() {
        let mut clock = Clock::default();
        clock.simulated(60.0, 0.0);
        let t: Vec<f64> = (0..10)
            .map(|i| clock.read(Some(f64::from(i) * 60.0), f64::from(i)))
            .collect();
        assert!((t[9] - t[0] - 540.0).abs() < 1e-9);
    }
}
