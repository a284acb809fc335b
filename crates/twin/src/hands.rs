//! Hands and eyes: what pulling, turning, feeding, measuring and looking would show at this machine.
//!
//! An opening that only tests and practice use: whoever talks to a printer over its wire can't see any of it. What is
//! seen follows from lengths, forces and temperatures of the body, not from a table of what a fault shows. Invented
//! figures of common sizes; no published source.

use std::collections::BTreeSet;

use fastrand::Rng;

use crate::ailments::Ailment;
use crate::build::Build;
use crate::faults::Fault;

/// What somebody sees or reads.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Seen {
    /// It is so, or it isn't.
    Yes(bool),
    /// A reading, in the unit that the question names.
    Reads(f64),
}

/// Force to push filament through a clean hot end at printing speed [N].
const CLEAN_N: f64 = 18.0;
/// How often a hand or an eye is wrong, 0 to 1.
const SLIPS: f64 = 0.01;
/// How often a customer leaves out something that is to be seen, 0 to 1.
const UNTOLD: f64 = 0.15;

/// A machine as hands and eyes find it.
#[derive(Clone, Debug)]
pub struct Hands {
    rng: Rng,
    /// Part of the bore's area that is free, 0 to 1.
    bore_free: f64,
    bore_mm: f64,
    marked_mm: f64,
    profile_mm: f64,
    tube_play_mm: f64,
    gap_mm: f64,
    liner_n: f64,
    liner_brown: bool,
    fan_air: f64,
    debris: bool,
    sink_c: f64,
    sensor: Circuit,
    sensor_type_off: bool,
    sensor_play_mm: f64,
    plug_play_mm: f64,
    watts_share: f64,
    clamp_share: f64,
    limit_c: f64,
    swing_k: f64,
    grip_n: f64,
    motor_n: f64,
    steps_factor: f64,
    spool_n: f64,
    water_percent: f64,
    lever_returns: bool,
    squish_off_mm: f64,
    bed_play_mm: f64,
    bed_tilt_mm: f64,
    leak_mg_min: f64,
    blob_g: f64,
    axis_play_mm: f64,
    /// What the plate holds of a part, as a share of what it should.
    hold: f64,
    off_temperature_k: f64,
    /// Made of: what each remedy sets right.
    wrong: Wrong,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Circuit {
    Whole,
    Open,
    Short,
    /// Makes and breaks contact while the loom moves.
    Breaking,
}

/// Names of what is wrong, for the remedies.
#[derive(Clone, Debug, Default)]
struct Wrong {
    faults: BTreeSet<Fault>,
    ailments: BTreeSet<Ailment>,
}

/// Where a print is when it goes wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum When {
    Never,
    AtOnce,
    AfterMinutes,
    HalfPrint,
    AtRandom,
}

impl Hands {
    /// The machine of a build, with what no wire tells of; severities by the seed.
    #[must_use]
    pub fn at(build: &Build, seed: u64, ailments: impl IntoIterator<Item = Ailment>) -> Self {
        let wrong = Wrong {
            faults: build.faults.clone(),
            ailments: ailments.into_iter().collect(),
        };
        let mut hands = Self {
            rng: Rng::with_seed(seed.wrapping_mul(0xD1B5_4A32_D192_ED03) ^ 0x4A4D),
            bore_free: 1.0,
            bore_mm: 0.4,
            marked_mm: 0.4,
            profile_mm: 0.4,
            tube_play_mm: 0.05,
            gap_mm: 0.0,
            liner_n: 2.0,
            liner_brown: false,
            fan_air: 1.0,
            debris: false,
            sink_c: 0.0,
            sensor: Circuit::Whole,
            sensor_type_off: false,
            sensor_play_mm: 0.0,
            plug_play_mm: 0.0,
            watts_share: 1.0,
            clamp_share: 1.0,
            limit_c: build.limit_c,
            swing_k: 0.6,
            grip_n: 70.0,
            motor_n: 90.0,
            steps_factor: 1.0,
            spool_n: 2.0,
            water_percent: 0.05,
            lever_returns: true,
            squish_off_mm: 0.0,
            bed_play_mm: 0.0,
            bed_tilt_mm: 0.02,
            leak_mg_min: 0.0,
            blob_g: 0.0,
            axis_play_mm: 0.0,
            hold: 1.0,
            off_temperature_k: 0.0,
            wrong,
        };
        hands.settle(build.ambient_c);
        hands
    }

    /// The body that follows from what is wrong, severities drawn anew.
    fn settle(&mut self, room_c: f64) {
        let faults = self.wrong.faults.clone();
        for fault in faults {
            self.with_fault(fault);
        }
        let ailments = self.wrong.ailments.clone();
        for ailment in ailments {
            self.with_ailment(ailment);
        }
        // What the fan carries off against what comes down the heat break.
        let paste = if self.wrong.ailments.contains(&Ailment::BreakPasteDry) {
            2.6
        } else {
            1.0
        };
        self.sink_c = room_c + 16.0 * paste / (0.08 + 0.92 * self.fan_air).powf(0.55);
    }

    fn with_fault(&mut self, fault: Fault) {
        let mut between = |a: f64, b: f64| a + (b - a) * self.rng.f64();
        match fault {
            Fault::SensorOpen => self.sensor = Circuit::Open,
            Fault::SensorShort => self.sensor = Circuit::Short,
            Fault::SensorIntermittent => self.sensor = Circuit::Breaking,
            Fault::SensorLoose => self.sensor_play_mm = between(0.6, 2.0),
            Fault::SensorWrongType => self.sensor_type_off = true,
            Fault::HeaterWeak => self.watts_share = between(0.4, 0.6),
            Fault::HeaterLoose => {
                self.clamp_share = between(0.15, 0.3);
                self.watts_share = 1.0;
            }
            Fault::HeaterWrongVoltage => self.watts_share = 4.0,
            Fault::FanDead => self.fan_air = 0.0,
            Fault::FanReversed => self.fan_air = between(0.04, 0.1),
            Fault::FanBlocked => {
                self.fan_air = between(0.03, 0.12);
                self.debris = true;
            }
            // It cools the block; nothing of it is in the path of the filament.
            Fault::SockMissing | Fault::SettingsNotSaved => {}
            Fault::CouplerSlipping => self.tube_play_mm = between(1.0, 3.0),
            Fault::PartialClog => self.bore_free = between(0.12, 0.24),
            Fault::GearSlip => self.grip_n = between(14.0, 22.0),
            Fault::WrongSteps => self.steps_factor = 1.0 / 3.0,
            Fault::LimitTooLow => self.limit_c = 200.0,
        }
    }

    fn with_ailment(&mut self, ailment: Ailment) {
        let mut between = |a: f64, b: f64| a + (b - a) * self.rng.f64();
        match ailment {
            Ailment::NozzleClogged => self.bore_free = between(0.0, 0.05),
            Ailment::NozzleWorn => self.bore_mm = self.marked_mm + between(0.06, 0.2),
            Ailment::TubeGap => self.gap_mm = between(1.0, 3.5),
            Ailment::LinerBurnt => {
                self.liner_n = between(45.0, 80.0);
                self.liner_brown = true;
            }
            // Its heat shows in the sink.
            Ailment::BreakPasteDry => {}
            Ailment::PlugLoose => self.plug_play_mm = between(0.5, 3.0),
            Ailment::LoopUntuned => self.swing_k = between(4.0, 12.0),
            Ailment::MotorCurrentLow => self.motor_n = between(8.0, 15.0),
            Ailment::SpoolStiff => self.spool_n = between(50.0, 75.0),
            Ailment::FilamentWet => self.water_percent = between(0.4, 1.2),
            Ailment::CutterStuck => self.lever_returns = false,
            Ailment::ProfileOfOtherBore => {
                self.bore_mm = if self.rng.bool() { 0.6 } else { 0.25 };
                self.marked_mm = self.bore_mm;
            }
            Ailment::NozzleTooNear => self.squish_off_mm = -between(0.06, 0.15),
            Ailment::NozzleTooFar => self.squish_off_mm = between(0.06, 0.2),
            Ailment::BedLoose => {
                self.bed_play_mm = between(0.2, 1.5);
                self.bed_tilt_mm = between(0.15, 0.6);
            }
            Ailment::ThreadsLeak => self.leak_mg_min = between(4.0, 40.0),
            Ailment::Blob => self.blob_g = between(3.0, 30.0),
            Ailment::AxisLoose => self.axis_play_mm = between(0.3, 1.5),
            Ailment::PlateGreasy => self.hold = between(0.1, 0.4),
            Ailment::TooHotForFilament => self.off_temperature_k = between(18.0, 30.0),
            Ailment::TooColdForFilament => self.off_temperature_k = -between(18.0, 30.0),
        }
    }

    /// Force that the hot end asks for at a speed, as a multiple of the printing speed, after some minutes [N].
    fn resists_n(&self, speed: f64, minutes: f64) -> f64 {
        let area = (self.bore_mm / 0.4).powi(2) * self.bore_free.max(0.002);
        let melt = CLEAN_N * speed.powf(0.4) / area.powf(0.9);
        // Filament that softens above the block swells in the cold part.
        let creep = if self.sink_c > 60.0 {
            4.0 * (minutes - 12.0).max(0.0)
        } else {
            0.0
        };
        // A tube that backs out, or stands off, leaves room in which a clump grows.
        let room = self.gap_mm + (self.tube_play_mm - 0.2).max(0.0);
        let clump = room * 1.4 * (minutes - 15.0).max(0.0);
        melt + self.liner_n + creep + clump
    }

    /// Part of the asked length that comes out, 0 to 1, and whether the motor stalls or the gear grinds.
    fn comes(&self, speed: f64, minutes: f64) -> (f64, bool, bool) {
        if !self.lever_returns {
            return (0.0, false, false);
        }
        let asks = self.resists_n(speed, minutes) + self.spool_n;
        let grinds = asks > self.grip_n;
        let stalls = asks > self.motor_n;
        let most = self.grip_n.min(self.motor_n);
        // Beyond what can be pushed it falls off fast: the melt resists by a power of the speed.
        let share = (most / asks).min(1.0).powf(2.2);
        (share * self.steps_factor, stalls, grinds && !stalls)
    }

    fn when(&self) -> When {
        let thin = |minutes: f64| self.comes(1.0, minutes).0 < 0.93 * self.steps_factor.max(0.34);
        let starts = self.comes(1.0, 0.0).0 < 0.93;
        if !self.heats() || self.blob_g > 1.0 {
            When::AtOnce
        } else if matches!(self.sensor, Circuit::Breaking) || self.spool_n > 30.0 && !starts {
            When::AtRandom
        } else if starts || self.other_than_flow() {
            When::AtOnce
        } else if thin(40.0) && self.sink_c > 60.0 {
            When::AfterMinutes
        } else if thin(90.0) {
            When::HalfPrint
        } else {
            When::Never
        }
    }

    /// Whether the profile is one of another nozzle.
    fn other_bore(&self) -> bool {
        (self.marked_mm - self.profile_mm).abs() > 0.01
    }

    /// Whether something else than the flow is wrong from the first metre.
    fn other_than_flow(&self) -> bool {
        self.other_bore()
            || self.bore_mm > self.marked_mm + 0.01
            || self.water_percent > 0.25
            || self.squish_off_mm.abs() > 0.05
            || self.off_temperature_k.abs() > 12.0
            || self.sensor_type_off
            || self.axis_play_mm > 0.2
            || self.limit_c < 220.0
    }

    /// Whether the board sees a reading that it dares to heat by.
    fn heats(&self) -> bool {
        matches!(self.sensor, Circuit::Whole | Circuit::Breaking) && self.plug_play_mm < 0.4
    }

    /// What somebody sees, hears or reads of an observation, by its id; none for one that this machine can't show. Two
    /// looks may differ.
    pub fn look(&mut self, observation: &str) -> Option<Seen> {
        let late = 90.0;
        let (share, stalls, grinds) = self.comes(1.0, 0.0);
        let (later, late_stall, late_grind) = self.comes(1.0, late);
        let worst = share.min(later);
        let when = self.when();
        let flows = self.heats() && self.blob_g < 1.0;
        let yes = match observation {
            "at_once" => when == When::AtOnce,
            "after_minutes" => when == When::AfterMinutes,
            "half_print" => when == When::HalfPrint,
            "at_random" => when == When::AtRandom,
            "first_layer_only" => {
                self.squish_off_mm.abs() > 0.05 || self.bed_tilt_mm > 0.1 || self.hold < 0.3
            }
            "one_filament" => self.water_percent > 0.25 || self.off_temperature_k.abs() > 12.0,
            "since_swap" => {
                self.sensor_type_off
                    || self.steps_factor < 0.9
                    || self.other_bore() && self.bore_mm < self.marked_mm + 0.01
            }
            "new_nozzle_for_a_while" => false,
            "thin" => flows && worst < 0.93 && worst > 0.08 || self.bore_mm < 0.3,
            "nothing_comes" => flows && worst < 0.08 && self.lever_returns,
            "clicks" => flows && (stalls || late_stall),
            "grinding_dust" => flows && (grinds || late_grind) && self.lever_returns,
            "fat_lines" => self.bore_mm > self.profile_mm + 0.04,
            "strings" => {
                self.water_percent > 0.25
                    || self.off_temperature_k > 12.0
                    || self.sensor_play_mm > 0.5
            }
            "hiss" | "bubbles" => self.water_percent > 0.3,
            "weak_layers" => self.off_temperature_k < -12.0,
            "ridges" => self.squish_off_mm < -0.05,
            "loose_strands" => self.squish_off_mm > 0.05,
            "plate_uneven" => self.bed_tilt_mm > 0.1,
            "rattles" => self.bed_play_mm > 0.6 || self.axis_play_mm > 0.8,
            "ringing" => self.axis_play_mm > 0.25,
            "swings" | "hold_swings" => self.heats() && self.swing_k > 3.0,
            "jumps" => self.sensor == Circuit::Breaking,
            "jumps_when_moved" => {
                self.sensor == Circuit::Breaking && self.rng.f64() < 0.95
                    || (0.4..1.2).contains(&self.plug_play_mm)
            }
            "reads_end" => !self.heats(),
            "slow_heat" => self.heats() && self.watts_share * self.clamp_share < 0.7,
            "too_hot_or_cold" => self.sensor_type_off,
            "refuses_target" => self.limit_c < 220.0,
            "one_factor" | "fed_off_alike" => (self.steps_factor - 1.0).abs() > 0.05,
            "motor_hot" => self.motor_n < 12.0,
            "burnt_smell" => self.liner_brown || self.leak_mg_min > 25.0,
            "debris_in_fan" => self.debris,
            "drops_above_nozzle" => self.leak_mg_min > 1.0,
            "plastic_all_over" => self.blob_g > 1.0,
            "part_dragged" => self.blob_g > 1.0 || self.hold < 0.5,
            "wont_load" => !self.lever_returns,
            "overshoots" => self.sensor_play_mm > 0.5,
            "free_feed_nothing" => flows && self.lever_returns && self.comes(0.5, 0.0).0 < 0.08,
            // A strand leaves a bore that is half closed on one side.
            "free_feed_curls" => {
                flows && (0.06..0.8).contains(&self.bore_free) && self.comes(0.5, 0.0).0 >= 0.08
            }
            "bore_wide" => self.bore_mm > self.marked_mm + 0.04,
            "tube_clump" => self.gap_mm > 0.3 || self.tube_play_mm > 0.8,
            "tube_brown" => self.liner_brown,
            "fan_wrong" => self.fan_air < 0.5,
            "ohms_wrong" => {
                matches!(self.sensor, Circuit::Open | Circuit::Short) || self.plug_play_mm > 2.0
            }
            "pin_loose" => self.plug_play_mm > 0.4,
            "sensor_moves" => self.sensor_play_mm > 0.3,
            "other_type" => self.sensor_type_off,
            // Whoever measures the heater's ohms has its clamp under the fingers.
            "watts_off" => (self.watts_share - 1.0).abs() > 0.2 || self.clamp_share < 0.5,
            "limit_low" => self.limit_c < 220.0,
            "slips_fast" => {
                flows && self.comes(3.0, 0.0).0 / self.comes(0.3, 0.0).0.max(0.01) < 0.9
            }
            "clicks_in_air" => self.motor_n < 20.0,
            "spool_stiff" => self.spool_n > 15.0,
            "other_spool_good" => self.water_percent > 0.25 || self.off_temperature_k.abs() > 12.0,
            "lever_stays" => !self.lever_returns,
            "profile_bore_off" => self.other_bore(),
            "patch_off" => self.squish_off_mm.abs() > 0.04 || self.bed_tilt_mm > 0.2,
            "bed_rocks" => self.bed_play_mm > 0.1,
            "leak_hot" => self.leak_mg_min > 1.0,
            "axis_play" => self.axis_play_mm > 0.15,
            "tube_moves" => {
                let read = self.tube_play_mm + 0.05 * (self.rng.f64() - 0.5);
                return Some(Seen::Reads((read.max(0.0) * 10.0).round() / 10.0));
            }
            "sink_c" => {
                let read = self.sink_c + 2.0 * (self.rng.f64() - 0.5);
                return self.heats().then(|| Seen::Reads(read.round()));
            }
            _ => return None,
        };
        let slips = self.rng.f64() < SLIPS;
        Some(Seen::Yes(yes != slips))
    }

    /// What a customer tells of it: some of what is to be seen without a tool, and one thing at least where there is one.
    pub fn told(&mut self, symptoms: &[&'static str]) -> Vec<&'static str> {
        let seen: Vec<&'static str> = symptoms
            .iter()
            .copied()
            .filter(|s| self.look(s) == Some(Seen::Yes(true)))
            .collect();
        let mut told: Vec<&'static str> = Vec::new();
        while told.is_empty() && !seen.is_empty() {
            let said = seen.iter().filter(|_| self.rng.f64() > UNTOLD);
            told.extend(said.copied());
        }
        told
    }

    /// Whether a test print is good.
    #[must_use]
    pub fn prints_well(&self) -> bool {
        let flow = self.comes(1.0, 0.0).0.min(self.comes(1.0, 90.0).0);
        self.heats()
            && self.sensor != Circuit::Breaking
            && flow > 0.93
            && !self.other_than_flow()
            && self.blob_g < 1.0
            && self.leak_mg_min < 1.0
            && self.hold > 0.5
            && self.bed_tilt_mm < 0.1
            && self.swing_k < 3.0
            && self.sensor_play_mm < 0.3
            && (self.watts_share - 1.0).abs() < 0.2
            && self.clamp_share > 0.5
    }

    /// Does what an action says, by its id; whether it was what this machine needed.
    pub fn mend(&mut self, action: &str) -> bool {
        use Ailment as A;
        use Fault as F;
        let luck = self.rng.f64();
        let (faults, ailments): (&[F], &[A]) = match action {
            "push_hot" if luck < 0.25 => (&[F::PartialClog], &[A::NozzleClogged]),
            "needle" if luck < 0.4 => (&[F::PartialClog], &[A::NozzleClogged]),
            "soft_pull" if luck < 0.55 => (&[F::PartialClog], &[A::NozzleClogged]),
            "clean_path" if luck < 0.7 => (&[F::PartialClog], &[A::NozzleClogged]),
            "nozzle" => (&[F::PartialClog], &[A::NozzleClogged, A::NozzleWorn]),
            "strip" => (
                &[F::PartialClog],
                &[A::NozzleClogged, A::TubeGap, A::LinerBurnt],
            ),
            "seat_tube" => (&[], &[A::TubeGap]),
            "coupler" => (&[F::CouplerSlipping], &[]),
            "liner" => (&[], &[A::LinerBurnt]),
            "free_fan" => (&[F::FanDead, F::FanReversed, F::FanBlocked], &[]),
            "heat_break" => (&[], &[A::BreakPasteDry]),
            "seat_plug" => (&[], &[A::PlugLoose]),
            "sensor" => (
                &[
                    F::SensorOpen,
                    F::SensorShort,
                    F::SensorIntermittent,
                    F::SensorLoose,
                ],
                &[],
            ),
            "seat_sensor" => (&[F::SensorLoose], &[]),
            "set_type" => (&[F::SensorWrongType], &[]),
            "heater" => (&[F::HeaterWeak, F::HeaterLoose, F::HeaterWrongVoltage], &[]),
            "raise_limit" => (&[F::LimitTooLow], &[]),
            "tune_loop" => (&[], &[A::LoopUntuned]),
            "drive" => (&[F::GearSlip], &[]),
            "set_steps" => (&[F::WrongSteps], &[]),
            "set_current" => (&[], &[A::MotorCurrentLow]),
            "free_spool" => (&[], &[A::SpoolStiff]),
            "dry" => (&[], &[A::FilamentWet]),
            "cutter" => (&[], &[A::CutterStuck]),
            "set_profile" => (&[], &[A::ProfileOfOtherBore]),
            "set_z" => (&[], &[A::NozzleTooNear, A::NozzleTooFar]),
            "bed_nuts" if luck < 0.6 => (&[], &[A::BedLoose]),
            "bed" if luck < 0.7 => (&[], &[A::BedLoose]),
            "bed_wheels" => (&[], &[A::BedLoose]),
            "tighten_hot" => (&[], &[A::ThreadsLeak]),
            "blob_soften" | "blob_air" if luck < 0.75 => (&[], &[A::Blob]),
            "hot_end" => (
                &[
                    F::SensorOpen,
                    F::SensorShort,
                    F::SensorIntermittent,
                    F::SensorLoose,
                    F::HeaterWeak,
                    F::HeaterLoose,
                    F::HeaterWrongVoltage,
                    F::PartialClog,
                ],
                &[
                    A::Blob,
                    A::NozzleClogged,
                    A::NozzleWorn,
                    A::LinerBurnt,
                    A::BreakPasteDry,
                    A::ThreadsLeak,
                ],
            ),
            "axis" => (&[], &[A::AxisLoose]),
            "hold_part" => (&[], &[A::PlateGreasy]),
            "set_temperature" => (&[], &[A::TooHotForFilament, A::TooColdForFilament]),
            _ => (&[], &[]),
        };
        let before = self.wrong.faults.len() + self.wrong.ailments.len();
        self.wrong.faults.retain(|f| !faults.contains(f));
        self.wrong.ailments.retain(|a| !ailments.contains(a));
        let mended = self.wrong.faults.len() + self.wrong.ailments.len() < before;
        if mended {
            let room_c = 22.0;
            let build = Build {
                ambient_c: room_c,
                limit_c: 275.0,
                faults: self.wrong.faults.clone(),
                ..Build::new(crate::Kind::Standard, 1, [])
            };
            let seed = self.rng.u64(..);
            *self = Self::at(&build, seed, self.wrong.ailments.clone());
        }
        mended
    }
}
