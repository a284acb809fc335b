//! What one simulated printer is built of. Invented figures of common sizes; no published source.

use fastrand::Rng;
use strum::VariantArray;
use wattotherm_heat::{SensorTable, sensor_type};

use crate::faults::{Fault, Faults};

/// Kinds of hot end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray)]
pub enum Kind {
    /// A small block, 30 W.
    Light,
    /// The usual block, 40 W.
    #[default]
    Standard,
    /// A large all-metal block, 60 W.
    Heavy,
}

impl Kind {
    /// All kinds.
    pub const ALL: &[Self] = Self::VARIANTS;
}

/// Parts and their properties, spread about their usual values by a seed.
#[derive(Clone, Debug)]
pub struct Build {
    /// Kind of hot end.
    pub kind: Kind,
    /// Supply [V].
    pub supply_v: f64,
    /// Resistance of the heater [Ω].
    pub heater_ohm: f64,
    /// Heat capacity of the cartridge [J/K].
    pub cartridge_j_k: f64,
    /// Cartridge to block [W/K].
    pub cartridge_w_k: f64,
    /// Heat capacity of block and nozzle [J/K].
    pub block_j_k: f64,
    /// Block to air by convection [W/K].
    pub air_w_k: f64,
    /// Radiating surface times emissivity [m²].
    pub radiating_m2: f64,
    /// More loss with the part fan at full [W/K].
    pub fan_w_k: f64,
    /// Block to heat sink through the heat break [W/K].
    pub break_w_k: f64,
    /// Heat capacity of the sink [J/K].
    pub sink_j_k: f64,
    /// Sink to air, hot-end fan as it runs [W/K].
    pub sink_w_k: f64,
    /// Lag of the sensor in its hole [s].
    pub sensor_lag_s: f64,
    /// Part of the rise over the air that a sensor loses to it.
    pub sensor_leak: f64,
    /// Sensor that is fitted.
    pub sensor: SensorTable,
    /// Sensor the firmware is set to.
    pub sensor_set: SensorTable,
    /// Heat capacity of the bed [J/K].
    pub bed_j_k: f64,
    /// Bed to air [W/K].
    pub bed_w_k: f64,
    /// Bed heater [W].
    pub bed_w: f64,
    /// Air [°C].
    pub ambient_c: f64,
    /// The firmware's limit [°C].
    pub limit_c: f64,
    /// How far below it a target must stay [°C].
    pub margin_c: f64,
    /// Steps that truly feed a millimetre.
    pub true_steps_mm: f64,
    /// Build volume [mm].
    pub volume_mm: [f64; 3],
    /// Nozzles: 1, or 2 on one head; a number.
    pub nozzles: u8,
    /// What is wrong.
    pub faults: Faults,
}

impl Build {
    /// A printer of this kind with parts spread by ±8 % from the seed, and these faults.
    #[must_use]
    pub fn new(kind: Kind, seed: u64, faults: impl IntoIterator<Item = Fault>) -> Self {
        let mut rng = Rng::with_seed(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ 0x77A7);
        let ambient_c = 22.0 + 3.0 * (2.0 * rng.f64() - 1.0);
        let mut about = |usual: f64| usual * (1.0 + 0.08 * (2.0 * rng.f64() - 1.0));
        let bead = SensorTable::NtcBeta {
            r25_ohm: 100_000.0,
            beta_k: 3950.0,
        };
        let (watts, cartridge, block, air, radiating, fan, through) = match kind {
            Kind::Light => (30.0, 2.2, 5.8, 0.036, 0.000_40, 0.009, 0.022),
            Kind::Standard => (40.0, 2.8, 9.2, 0.045, 0.000_55, 0.011, 0.026),
            Kind::Heavy => (60.0, 3.6, 16.4, 0.060, 0.000_80, 0.014, 0.024),
        };
        let faults: Faults = faults.into_iter().collect();
        let has = |f: Fault| faults.contains(&f);
        let mut b = Self {
            kind,
            supply_v: 24.0,
            heater_ohm: about(24.0 * 24.0 / watts),
            cartridge_j_k: about(cartridge),
            cartridge_w_k: about(1.1),
            block_j_k: about(block),
            air_w_k: about(air),
            radiating_m2: about(radiating),
            fan_w_k: about(fan),
            break_w_k: about(through),
            sink_j_k: about(30.0),
            sink_w_k: about(0.6),
            sensor_lag_s: about(1.1),
            sensor_leak: 0.004,
            sensor: bead,
            sensor_set: bead,
            bed_j_k: about(620.0),
            bed_w_k: about(1.3),
            bed_w: about(220.0),
            ambient_c,
            limit_c: if kind == Kind::Heavy { 300.0 } else { 275.0 },
            margin_c: 15.0,
            true_steps_mm: about(415.0),
            volume_mm: [235.0, 235.0, 250.0],
            nozzles: 1,
            faults: faults.clone(),
        };
        if has(Fault::SensorLoose) {
            b.sensor_lag_s = 11.0 + 4.0 * rng.f64();
            b.sensor_leak = 0.06;
        }
        if has(Fault::SensorWrongType)
            && let Some(other) = sensor_type(if rng.bool() { "ntc_10k_3950" } else { "pt1000" })
        {
            b.sensor = other.table;
        }
        if has(Fault::HeaterWeak) {
            b.heater_ohm /= 0.45 + 0.1 * rng.f64();
        }
        if has(Fault::HeaterLoose) {
            b.cartridge_w_k = 0.15 + 0.05 * rng.f64();
        }
        if has(Fault::HeaterWrongVoltage) {
            // Made for 12 V, put on 24 V: a quarter of the resistance.
            b.heater_ohm /= 4.0;
        }
        if has(Fault::FanDead) {
            b.sink_w_k = 0.03;
        } else if has(Fault::FanBlocked) {
            b.sink_w_k = 0.045;
        } else if has(Fault::FanReversed) {
            b.sink_w_k = 0.05;
        }
        if has(Fault::SockMissing) {
            b.air_w_k *= 1.7;
            b.radiating_m2 *= 2.0;
            b.fan_w_k = b.block_j_k * (0.0125 + 0.002 * rng.f64());
        }
        if has(Fault::LimitTooLow) {
            b.limit_c = 230.0;
        }
        b
    }

    /// The same with so many nozzles on its head: 1 or 2.
    #[must_use]
    pub fn with_nozzles(self, nozzles: u8) -> Self {
        Self {
            nozzles: nozzles.clamp(1, 2),
            ..self
        }
    }

    /// Heater power at full duty [W].
    #[must_use]
    pub fn heater_w(&self) -> f64 {
        self.supply_v * self.supply_v / self.heater_ohm
    }
}
