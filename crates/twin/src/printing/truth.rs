//! What is true of the twin's hot end, filament and axes, and the physics that follows from it.

/// The truth of one printer with one filament. All of it is invented; ranges are those of common printers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Truth {
    /// Temperature at which this filament looks and holds best, looks counted twice [°C].
    pub best_c: f64,
    /// Flow at which the hot end falls 5 % short at that temperature [mm³/s].
    pub limit_mm3_s: f64,
    /// Time constant of the melt's pressure [s]: the right pressure advance.
    pub pressure_s: f64,
    /// Shortest retraction that leaves no strings at the gentle speed [mm].
    pub retract_mm: f64,
    /// Speed at which a pull grips best [mm/s]: faster ones slip.
    pub grips_mm_s: f64,
    /// Strings that a hop of 0.2 mm leaves by itself [score].
    pub hop_strings: f64,
    /// Multiplier that lays what is asked for [1].
    pub flow: f64,
    /// Where the second nozzle really stands less where it is set [mm].
    pub offset_mm: [f64; 2],
    /// How much the plastic shrinks while it cools [1].
    pub shrinks: f64,
    /// Lost motion of the axes X and Y [mm].
    pub backlash_mm: [f64; 2],
    /// How much higher than its offset says the nozzle stands at the middle of the plate [mm]; less than 0 is nearer.
    pub high_mm: f64,
    /// By how much more for each millimetre to the right and to the back [1].
    pub tilts: [f64; 2],
    /// Water in the filament, 0 (dry) to 1 (it hisses): no pull stops what steam pushes out.
    pub moist: f64,
}

impl Truth {
    /// A truth drawn from a seed. `tube`: the drive pushes through a tube.
    #[must_use]
    pub fn drawn(seed: u64, tube: bool) -> Self {
        let mut rng = fastrand::Rng::with_seed(seed ^ 0x5eed_7e57);
        let mut between = |a: f64, b: f64| a + (b - a) * rng.f64();
        Self {
            best_c: between(205.0, 222.0),
            limit_mm3_s: between(7.5, 18.0),
            pressure_s: if tube {
                between(0.35, 0.85)
            } else {
                between(0.022, 0.078)
            },
            retract_mm: if tube {
                between(2.4, 4.6)
            } else {
                between(0.5, 1.3)
            },
            grips_mm_s: between(18.0, 30.0),
            hop_strings: between(1.5, 2.5),
            flow: between(0.88, 1.12),
            offset_mm: [between(-0.35, 0.35), between(-0.35, 0.35)],
            shrinks: between(0.000_5, 0.002),
            backlash_mm: [between(0.0, 0.03), between(0.0, 0.03)],
            high_mm: between(-0.07, 0.09),
            // As a bed lies after it was trammed.
            tilts: [between(-0.000_1, 0.000_1), between(-0.000_1, 0.000_1)],
            moist: 0.0,
        }
    }

    /// Share of what is fed that comes [1] at a flow [mm³/s] and a temperature [°C]: melt runs short softly, and later the
    /// hotter it is.
    #[must_use]
    pub fn delivered(&self, flow_mm3_s: f64, temp_c: f64) -> f64 {
        const SOFT: f64 = 0.7;
        const FALLS: f64 = 0.045;
        let limit = self.limit_mm3_s * (1.0 + 0.012 * (temp_c - self.best_c)).max(0.2);
        let short = |q: f64, begins: f64| SOFT * (1.0 + ((q - begins) / SOFT).exp()).ln();
        // Where it begins to run short, so that 5 % are missing at the limit.
        let begins = limit - SOFT * ((0.05 / FALLS / SOFT).exp() - 1.0).ln();
        (1.0 - FALLS * short(flow_mm3_s, begins)).max(0.1)
    }

    /// Scores of a band at a temperature [°C], 0 to 4, before any eye: bridge, overhang, strings, bond.
    #[must_use]
    pub fn band(&self, temp_c: f64) -> [f64; 4] {
        let hot = temp_c - self.best_c;
        let fades = |at: f64, over: f64| 4.0 / (1.0 + ((hot - at) / over).exp());
        [
            fades(16.0, 5.0),
            fades(18.0, 5.5),
            fades(11.0, 4.0),
            4.0 / (1.0 + ((-hot - 9.0) / 3.5).exp()),
        ]
    }

    /// Strings and gaps [score] after travel, for a pull of a length [mm] and a speed [mm/s], a travel [mm/s], a hop [mm]
    /// and a temperature [°C].
    #[must_use]
    pub fn after_travel(
        &self,
        [length_mm, speed_mm_s, travel_mm_s, hop_mm]: [f64; 4],
        temp_c: f64,
    ) -> [f64; 2] {
        // What slips of the pull when it is faster than the drive grips, and what oozes while it is slower.
        let fast = (speed_mm_s / self.grips_mm_s).ln().max(0.0);
        let slow = (self.grips_mm_s / speed_mm_s).ln().max(0.0);
        let pulled = length_mm * (1.0 - 0.12 * fast) - 0.1 * slow;
        let missing = (self.retract_mm - pulled) / self.retract_mm;
        let ooze = ((temp_c - self.best_c) / 14.0).exp() * (130.0 / travel_mm_s).powf(0.3);
        let strings = 7.0 * missing.max(0.0) * ooze
            + 0.35 * slow
            + self.hop_strings * (hop_mm / 0.2).min(1.0)
            + 3.0 * self.moist;
        let too_long = (pulled - self.retract_mm) / self.retract_mm - 0.55;
        [
            strings.clamp(0.0, 5.0),
            (5.0 * too_long.max(0.0)).clamp(0.0, 5.0),
        ]
    }
}
