//! The printer's metal: where heat goes, what the sensor shows, what the extruder feeds.

use fastrand::Rng;
use wattotherm_heat::Divider;

use crate::build::Build;
use crate::faults::Fault;

/// Stefan-Boltzmann constant [W/(m²·K⁴)]; CODATA 2018.
const SIGMA: f64 = 5.670_374_419e-8;
/// Step of the integration [s]; a fourth of it changes temperatures by less than a millikelvin, as a
/// test shows.
pub(crate) const STEP_S: f64 = 0.05;

/// Temperatures [°C].
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Heat {
    /// Heater cartridge.
    pub cartridge_c: f64,
    /// Block and nozzle.
    pub block_c: f64,
    /// Heat sink.
    pub sink_c: f64,
    /// The sensor's bead.
    pub bead_c: f64,
    /// Bed.
    pub bed_c: f64,
}

impl Heat {
    fn plus(self, k: Self, h: f64) -> Self {
        Self {
            cartridge_c: self.cartridge_c + h * k.cartridge_c,
            block_c: self.block_c + h * k.block_c,
            sink_c: self.sink_c + h * k.sink_c,
            bead_c: self.bead_c + h * k.bead_c,
            bed_c: self.bed_c + h * k.bed_c,
        }
    }
}

/// What a technician at the bench could read off the machine with hands, rule, balance and touch
/// thermometer. Used by tests and practice only; the protocol doesn't show it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bench {
    /// Filament that went in at the inlet since the last look [mm].
    pub fed_mm: f64,
    /// Plastic that came out since the last look, as millimetres of filament.
    pub came_out_mm: f64,
    /// Block by a touch thermometer [°C].
    pub block_c: f64,
    /// Heat sink by a touch thermometer [°C].
    pub sink_c: f64,
    /// Room [°C].
    pub room_c: f64,
    /// Sensor by multimeter at its plug [Ω]; infinite for open.
    pub sensor_ohm: f64,
    /// Heater by multimeter at its plug [Ω].
    pub heater_ohm: f64,
    /// Whether the hot-end fan turns.
    pub fan_turns: bool,
    /// Whether it blows toward the fins.
    pub fan_toward_fins: bool,
    /// Play of the tube in its coupler [mm].
    pub tube_play_mm: f64,
}

/// Everything outside the board.
#[derive(Clone, Debug)]
pub struct World {
    /// Parts.
    pub build: Build,
    /// Temperatures.
    pub heat: Heat,
    /// Heater duty, 0 to 1.
    pub duty: f64,
    /// Bed duty, 0 to 1.
    pub bed_duty: f64,
    /// Part fan, 0 to 1.
    pub part_fan: f64,
    /// Filament out of the hot end.
    pub free_air: bool,
    /// Energy put into the hot end since the start [J].
    pub energy_in_j: f64,
    /// Energy lost to the air by the hot end since the start [J].
    pub energy_out_j: f64,
    divider: Divider,
    rng: Rng,
    /// Seconds until the sensor's contact opens or closes again.
    contact_s: f64,
    contact_open: bool,
    shown_c: f64,
    fed_mm: f64,
    came_out_mm: f64,
}

impl World {
    /// Cold, off, as built.
    #[must_use]
    pub fn new(build: Build, seed: u64) -> Self {
        let t = build.ambient_c;
        let mut world = Self {
            heat: Heat {
                cartridge_c: t,
                block_c: t,
                sink_c: t,
                bead_c: t,
                bed_c: t,
            },
            duty: 0.0,
            bed_duty: 0.0,
            part_fan: 0.0,
            free_air: false,
            energy_in_j: 0.0,
            energy_out_j: 0.0,
            divider: Divider::default(),
            rng: Rng::with_seed(seed ^ 0x5EED),
            contact_s: 20.0,
            contact_open: false,
            shown_c: t,
            fed_mm: 0.0,
            came_out_mm: 0.0,
            build,
        };
        world.shown_c = world.read_once();
        world
    }

    /// Heat the hot end gives to the air and its sink's air [W].
    fn lost_w(&self, h: &Heat) -> f64 {
        let b = &self.build;
        (b.air_w_k + b.fan_w_k * self.part_fan) * (h.block_c - b.ambient_c)
            + radiated_w(b.radiating_m2, h.block_c, b.ambient_c)
            + b.sink_w_k * (h.sink_c - b.ambient_c)
    }

    fn slopes(&self, h: &Heat) -> Heat {
        let b = &self.build;
        let cartridge = b.cartridge_w_k * (h.cartridge_c - h.block_c);
        let through = b.break_w_k * (h.block_c - h.sink_c);
        let air = (b.air_w_k + b.fan_w_k * self.part_fan) * (h.block_c - b.ambient_c)
            + radiated_w(b.radiating_m2, h.block_c, b.ambient_c);
        let seen = h.block_c - b.sensor_leak * (h.block_c - b.ambient_c);
        Heat {
            cartridge_c: (self.duty * b.heater_w() - cartridge) / b.cartridge_j_k,
            block_c: (cartridge - through - air) / b.block_j_k,
            sink_c: (through - b.sink_w_k * (h.sink_c - b.ambient_c)) / b.sink_j_k,
            bead_c: (seen - h.bead_c) / b.sensor_lag_s,
            bed_c: (self.bed_duty * b.bed_w - b.bed_w_k * (h.bed_c - b.ambient_c)) / b.bed_j_k,
        }
    }

    /// One step of `dt_s` by the classical Runge-Kutta method of fourth order (Kutta 1901).
    pub fn integrate(&mut self, dt_s: f64) {
        let h0 = self.heat;
        let k1 = self.slopes(&h0);
        let k2 = self.slopes(&h0.plus(k1, dt_s / 2.0));
        let k3 = self.slopes(&h0.plus(k2, dt_s / 2.0));
        let k4 = self.slopes(&h0.plus(k3, dt_s));
        let out0 = self.lost_w(&h0);
        self.heat = h0
            .plus(k1, dt_s / 6.0)
            .plus(k2, dt_s / 3.0)
            .plus(k3, dt_s / 3.0)
            .plus(k4, dt_s / 6.0);
        self.energy_in_j += self.duty * self.build.heater_w() * dt_s;
        self.energy_out_j += f64::midpoint(out0, self.lost_w(&self.heat)) * dt_s;
    }

    /// Heat stored in the hot end above the air [J].
    #[must_use]
    pub fn stored_j(&self) -> f64 {
        let (b, h) = (&self.build, &self.heat);
        b.cartridge_j_k * (h.cartridge_c - b.ambient_c)
            + b.block_j_k * (h.block_c - b.ambient_c)
            + b.sink_j_k * (h.sink_c - b.ambient_c)
    }

    /// Moves time on by one [`STEP_S`], contacts and sensor reading included.
    pub(crate) fn step(&mut self) {
        self.integrate(STEP_S);
        if self.build.faults.contains(&Fault::SensorIntermittent) {
            self.contact_s -= STEP_S;
            if self.contact_s <= 0.0 {
                self.contact_open = !self.contact_open;
                self.contact_s = if self.contact_open {
                    0.4 + 1.6 * self.rng.f64()
                } else {
                    4.0 + 25.0 * self.rng.f64()
                };
            }
        }
        // The board takes several readings a report: a filter of a third of a second.
        let now = self.read_once();
        self.shown_c += (now - self.shown_c) * (STEP_S / 0.3);
        if (now - self.shown_c).abs() < 0.02 {
            self.shown_c = now;
        }
    }

    /// Resistance at the sensor's plug [Ω].
    fn sensor_ohm(&self) -> f64 {
        let faults = &self.build.faults;
        let sensor = self.build.sensor.resistance_ohm(self.heat.bead_c);
        if faults.contains(&Fault::SensorOpen) {
            f64::INFINITY
        } else if faults.contains(&Fault::SensorShort) {
            0.0
        } else if self.contact_open {
            // A strand that hardly touches: some kilohms in series.
            sensor + 1_800.0
        } else {
            sensor
        }
    }

    fn read_once(&mut self) -> f64 {
        let counts = self.divider.counts_of(self.sensor_ohm());
        let pinned = counts <= 0.5 || counts >= self.divider.counts - 0.5;
        let noise = if pinned {
            0.0
        } else {
            (self.rng.f64() + self.rng.f64() + self.rng.f64() - 1.5) * 1.6
        };
        self.divider
            .shown_c((counts + noise).round(), &self.build.sensor_set)
    }

    /// What the board shows for the nozzle [°C].
    #[must_use]
    pub const fn shown_c(&self) -> f64 {
        self.shown_c
    }

    /// What the board shows for the bed [°C].
    #[must_use]
    pub fn bed_shown_c(&mut self) -> f64 {
        self.heat.bed_c + 0.06 * (self.rng.f64() - 0.5)
    }

    /// Turns the drive so that it would feed `asked_mm` at `speed_mm_s`, with `steps_mm` set.
    pub(crate) fn feed(&mut self, asked_mm: f64, speed_mm_s: f64, steps_mm: f64) {
        let has = |f: Fault| self.build.faults.contains(&f);
        let turned = asked_mm * steps_mm / self.build.true_steps_mm;
        let mut grip = 1.0;
        let loaded = !self.free_air;
        if has(Fault::GearSlip) && loaded {
            grip -= 0.02 + 0.022 * (speed_mm_s - 1.0).max(0.0);
        }
        if has(Fault::PartialClog) && loaded {
            grip -= 0.035 * (speed_mm_s - 1.2).max(0.0);
        }
        let fed = turned * grip.clamp(0.2, 1.0) * (1.0 + 0.0008 * (self.rng.f64() - 0.5));
        self.fed_mm += fed;
        // A tube that backs out of its coupler takes up filament without pushing it out.
        let lost = if has(Fault::CouplerSlipping) {
            0.06 + 0.16 * self.rng.f64()
        } else {
            0.004 * self.rng.f64()
        };
        self.came_out_mm += fed * (1.0 - lost);
    }

    /// What can be seen and measured at the bench; fed and delivered lengths start again at 0.
    pub fn look(&mut self) -> Bench {
        let has = |f: Fault| self.build.faults.contains(&f);
        let bench = Bench {
            fed_mm: self.fed_mm,
            came_out_mm: self.came_out_mm,
            block_c: self.heat.block_c,
            sink_c: self.heat.sink_c,
            room_c: self.build.ambient_c,
            sensor_ohm: self.sensor_ohm(),
            heater_ohm: self.build.heater_ohm,
            fan_turns: !has(Fault::FanDead),
            fan_toward_fins: !has(Fault::FanReversed),
            tube_play_mm: if has(Fault::CouplerSlipping) {
                1.2
            } else {
                0.1
            },
        };
        self.fed_mm = 0.0;
        self.came_out_mm = 0.0;
        bench
    }
}

fn radiated_w(area_m2: f64, hot_c: f64, air_c: f64) -> f64 {
    SIGMA * area_m2 * ((hot_c + 273.15).powi(4) - (air_c + 273.15).powi(4))
}
