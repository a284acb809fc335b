//! Temperature logs made apart from everything that reads them: another model of a hot end (two bodies and a
//! sensor, stepped by Heun's method), other controllers, and faults put in by hand. Shares no code with the
//! twin, its control, or the classifier. Invented figures of common sizes; no published source.

pub mod dice;

pub use dice::Dice;
use wattotherm_heat::{Sample, Trace, TraceClass};

/// A block: heat capacity [J/K], heater [W], loss [W/K].
#[derive(Clone, Copy)]
pub struct Block {
    pub name: &'static str,
    pub capacity: f64,
    pub watts: f64,
    pub loss: f64,
}

pub const BLOCKS: [Block; 3] = [
    Block {
        name: "small",
        capacity: 6.0,
        watts: 65.0,
        loss: 0.09,
    },
    Block {
        name: "usual",
        capacity: 14.0,
        watts: 40.0,
        loss: 0.10,
    },
    Block {
        name: "heavy",
        capacity: 34.0,
        watts: 60.0,
        loss: 0.13,
    },
];

/// What controls the heater.
#[derive(Clone, Copy)]
enum Control {
    /// Gains per °C of duty: proportional, integral per second, derivative seconds.
    Pid(f64, f64, f64),
    /// On below, off above, by this much.
    Switch(f64),
}

/// What happens to a hot end, and what a reader of the log may say of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    Steady,
    Pause,
    Standby,
    TwoPrints,
    StopsShort,
    Hot360,
    GentleFan,
    Bunched,
    LinesMissing,
    CoolDown,
    DoorOpened,
    FanByLayer,
    SensorCreeps,
    AwayAndBack,
    NoTargets,
    Swings,
    SwingsBySwitch,
    SwingsInSecond,
    OneSampleDips,
    ContactComesAndGoes,
    WireBreaks,
    Shorted,
    HeaterDies,
    WeakHeater,
    FullAndLow,
    FanOnBlock,
    SockOff,
}

impl Kind {
    pub const ALL: [Self; 27] = [
        Self::Steady,
        Self::Pause,
        Self::Standby,
        Self::TwoPrints,
        Self::StopsShort,
        Self::Hot360,
        Self::GentleFan,
        Self::Bunched,
        Self::LinesMissing,
        Self::CoolDown,
        Self::DoorOpened,
        Self::FanByLayer,
        Self::SensorCreeps,
        Self::AwayAndBack,
        Self::NoTargets,
        Self::Swings,
        Self::SwingsBySwitch,
        Self::SwingsInSecond,
        Self::OneSampleDips,
        Self::ContactComesAndGoes,
        Self::WireBreaks,
        Self::Shorted,
        Self::HeaterDies,
        Self::WeakHeater,
        Self::FullAndLow,
        Self::FanOnBlock,
        Self::SockOff,
    ];

    /// Whether the loop is at fault: only then may a reader say "tune it".
    pub const fn is_the_loop(self) -> bool {
        matches!(
            self,
            Self::Swings | Self::SwingsBySwitch | Self::SwingsInSecond
        )
    }

    /// Whether the sensor or its wire is.
    pub const fn is_the_sensor(self) -> bool {
        matches!(
            self,
            Self::OneSampleDips | Self::ContactComesAndGoes | Self::WireBreaks | Self::Shorted
        )
    }

    /// The class that names the fault; none where nothing is wrong.
    pub const fn fault(self) -> Option<TraceClass> {
        match self {
            Self::Swings | Self::SwingsBySwitch | Self::SwingsInSecond => {
                Some(TraceClass::LoopSwinging)
            }
            Self::OneSampleDips | Self::ContactComesAndGoes => Some(TraceClass::SensorIntermittent),
            Self::WireBreaks | Self::Shorted => Some(TraceClass::OpenOrShort),
            Self::HeaterDies => Some(TraceClass::HeaterFailing),
            Self::WeakHeater | Self::FullAndLow => Some(TraceClass::NeverReaching),
            Self::FanOnBlock => Some(TraceClass::FanStealingHeat),
            Self::SockOff => Some(TraceClass::LossGrew),
            Self::StopsShort => Some(TraceClass::Offset),
            _ => None,
        }
    }
}

/// One moment of the truth: temperature of the sensor, target, duty, fan.
#[derive(Clone, Copy)]
pub struct Moment {
    t: f64,
    temp: f64,
    target: f64,
    duty: f64,
    fan: f64,
}

const STEP: f64 = 0.05;
/// What a table shows of a short [°C].
const SHORTED_C: f64 = 512.0;

/// Runs a kind on a block; every 0.05 s.
pub fn run(kind: Kind, block: Block, dice: &mut Dice) -> Vec<Moment> {
    let goal = match kind {
        Kind::Hot360 => 360.0,
        _ => (dice.between(200.0, 245.0) / 5.0).round() * 5.0,
    };
    let mut b = block;
    b.watts *= dice.between(0.92, 1.08);
    b.loss *= dice.between(0.85, 1.15);
    // A hot end for 360 °C has the heater for it.
    if kind == Kind::Hot360 {
        b.watts = b.watts.max(1.5 * b.loss * 340.0);
    }
    let air = dice.between(19.0, 26.0);
    let need = |rise: f64, b: &Block| b.loss * rise;
    if kind == Kind::WeakHeater {
        b.watts = need(goal - air, &b) * dice.between(0.55, 0.85);
    }
    if kind == Kind::FullAndLow {
        b.watts = need(goal - air - dice.between(3.0, 6.0), &b);
    }
    // A sound loop: bandwidth by the block's own rate.
    let rate = b.watts / b.capacity;
    let p = 0.11 / rate.max(0.4);
    let control = match kind {
        Kind::StopsShort => {
            // Proportional alone: stops where the error makes the duty that it needs.
            let duty = need(goal - air, &b) / b.watts;
            Control::Pid(duty / dice.between(4.0, 9.0), 0.0, 0.0)
        }
        Kind::Swings | Kind::SwingsInSecond => Control::Pid(3.0, 0.12, 0.0),
        Kind::SwingsBySwitch => Control::Switch(dice.between(1.5, 3.0)),
        _ => Control::Pid(p, p / 40.0, 2.0 * p),
    };
    // The sensor's lag and dead time: a loose one makes a loop swing.
    let swings = kind.is_the_loop();
    let lag = if swings {
        dice.between(3.0, 5.0)
    } else {
        dice.between(1.0, 2.0)
    };
    let dead = if swings {
        dice.between(2.0, 4.0)
    } else {
        dice.between(0.3, 1.0)
    };
    let length = match kind {
        Kind::WeakHeater | Kind::FullAndLow => 1500.0,
        _ => 900.0,
    };
    let warm = 0.5 * length;
    let event = warm + dice.between(0.0, 80.0);
    let (mut core, mut skin, mut sensor) = (air, air, air);
    let mut queue = std::collections::VecDeque::new();
    // OK because it is a few dozen steps.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let late = (dead / STEP) as usize;
    let (mut sum, mut before, mut on) = (0.0, air, false);
    let mut all = Vec::new();
    let mut t = 0.0;
    while t < length {
        let target = match kind {
            Kind::Pause if (event..event + 150.0).contains(&t) => 0.0,
            Kind::Standby if (event..event + 150.0).contains(&t) => 150.0,
            Kind::TwoPrints if (event - 150.0..event - 50.0).contains(&t) => 0.0,
            Kind::TwoPrints if t >= event - 50.0 => goal - 15.0,
            Kind::CoolDown if t > event => 0.0,
            Kind::AwayAndBack if (event..event + 60.0).contains(&t) => goal + 10.0,
            Kind::SwingsInSecond if t < 60.0 => 0.0,
            Kind::SwingsInSecond if t < 350.0 => 120.0,
            _ => goal,
        };
        let fan = match kind {
            Kind::GentleFan if t > event => 0.4,
            Kind::FanByLayer if t > 300.0 && (t / 35.0).fract() < 0.5 => 1.0,
            Kind::FanOnBlock if (event..event + 120.0).contains(&t) => 1.0,
            _ => 0.0,
        };
        let shown = *queue.front().unwrap_or(&sensor);
        let error = target - shown;
        let duty = if target <= 0.0 {
            sum = 0.0;
            0.0
        } else {
            match control {
                Control::Switch(h) => {
                    if shown > target + h {
                        on = false;
                    } else if shown < target - h {
                        on = true;
                    }
                    f64::from(u8::from(on))
                }
                Control::Pid(kp, ki, kd) => {
                    // Full heat far below, as boards have it; the integral only near.
                    if error > 12.0 && !matches!(kind, Kind::StopsShort) {
                        sum = need(target - air, &b) / b.watts / ki.max(1e-9);
                        if ki == 0.0 {
                            sum = 0.0;
                        }
                        before = shown;
                        1.0
                    } else {
                        let free = kp * error + ki * sum - kd * (shown - before) / STEP;
                        if (0.0..=1.0).contains(&free) || error * free < 0.0 {
                            sum += error * STEP;
                        }
                        before = shown;
                        free.clamp(0.0, 1.0)
                    }
                }
            }
        };
        let mut watts = b.watts * duty;
        let mut loss = b.loss;
        match kind {
            Kind::HeaterDies if t > event => watts = 0.0,
            Kind::SockOff if t > event - 100.0 => loss *= 1.5,
            Kind::GentleFan => loss *= 1.0 + 0.1 * fan,
            Kind::FanByLayer => loss *= 1.0 + 0.5 * fan,
            Kind::FanOnBlock => {
                loss *= 1.0 + fan * 1.12 * (b.watts / (b.loss * (goal - air)) - 1.0).max(0.6);
            }
            Kind::DoorOpened if (event..event + 25.0).contains(&t) => loss *= 2.5,
            _ => {}
        }
        // Heun's method on heater, block and sensor.
        let flow = |core: f64, skin: f64, sensor: f64| {
            let across = 2.5 * (core - skin);
            (
                (watts - across) / (0.25 * b.capacity),
                (across - loss * (skin - air)) / (0.75 * b.capacity),
                (skin - sensor) / lag,
            )
        };
        let a = flow(core, skin, sensor);
        let c = flow(core + STEP * a.0, skin + STEP * a.1, sensor + STEP * a.2);
        core += STEP * f64::midpoint(a.0, c.0);
        skin += STEP * f64::midpoint(a.1, c.1);
        sensor += STEP * f64::midpoint(a.2, c.2);
        queue.push_back(sensor);
        if queue.len() > late + 1 {
            queue.pop_front();
        }
        let mut temp = sensor;
        match kind {
            Kind::WireBreaks if t > event => temp = 0.0,
            Kind::Shorted if t > event => temp = SHORTED_C,
            _ => {}
        }
        all.push(Moment {
            t,
            temp,
            target,
            duty,
            fan,
        });
        t += STEP;
    }
    all
}

/// How a log is written.
#[derive(Clone, Copy)]
pub struct Pencil {
    /// Between two lines [s].
    pub every_s: f64,
    /// Of the reading, standard deviation [°C].
    pub noise_c: f64,
}

/// Writes a log of a run, with the troubles that belong to the log and not to the heat.
pub fn write(kind: Kind, run: &[Moment], pencil: Pencil, dice: &mut Dice) -> Trace {
    let with_duty = dice.even() < 0.6;
    let with_fan = dice.even() < 0.5 || kind == Kind::FanByLayer || kind == Kind::FanOnBlock;
    let mut samples = Vec::new();
    let mut next = 0.0;
    let mut gone_until = -1.0;
    let event = 400.0 + dice.between(0.0, 60.0);
    for m in run {
        if m.t < next {
            continue;
        }
        next += pencil.every_s * dice.between(0.97, 1.03);
        if kind == Kind::LinesMissing && dice.even() < 0.15 {
            continue;
        }
        let mut temp = m.temp + pencil.noise_c * dice.normal();
        if kind == Kind::WireBreaks && m.temp <= 0.0 {
            temp = 0.0;
        }
        if kind == Kind::Shorted && m.temp >= SHORTED_C {
            temp = SHORTED_C;
        }
        if kind == Kind::SensorCreeps && m.t > 350.0 {
            temp -= (m.t - 350.0) * 0.012;
        }
        if kind == Kind::OneSampleDips && m.t > 200.0 && dice.even() < 0.03 {
            temp -= dice.between(18.0, 60.0);
        }
        if kind == Kind::ContactComesAndGoes {
            if m.t > gone_until && m.t > 200.0 && dice.even() < pencil.every_s / 40.0 {
                gone_until = m.t + dice.between(0.5, 8.0);
            }
            if m.t < gone_until {
                temp -= 45.0;
            }
        }
        samples.push(Sample {
            t_s: (m.t * 1000.0).round() / 1000.0,
            // Reported in hundredths.
            temp_c: (temp * 100.0).round() / 100.0,
            target_c: (kind != Kind::NoTargets).then_some(m.target),
            duty: with_duty.then_some((m.duty * 127.0).round() / 127.0),
            fan: with_fan.then_some(m.fan),
        });
    }
    if kind == Kind::Bunched {
        // The program slept: some lines are stamped together when it wakes, again and again.
        let asleep = 5.0 * pencil.every_s;
        let mut wakes = event;
        let mut k = 0;
        for s in &mut samples {
            if s.t_s > wakes {
                wakes += 90.0 * pencil.every_s.max(1.0);
            }
            if s.t_s > wakes - asleep {
                k += 1;
                s.t_s = wakes + 0.004 * f64::from(k);
            } else {
                k = 0;
            }
        }
    }
    Trace::new(samples)
}

/// What a log is of, and how it was written.
#[derive(Clone, Copy, Debug)]
#[allow(dead_code)] // the test's failures show what the bench counts by
pub struct Written {
    pub kind: Kind,
    pub block: &'static str,
    pub seed: u64,
    /// Between two lines [s].
    pub every_s: f64,
    /// Of the reading, standard deviation [°C].
    pub noise_c: f64,
}

/// Hands out a log of each kind of run on each block, written in every way, for so many seeds.
pub fn each_log(seeds: u64, mut take: impl FnMut(Written, &Trace)) {
    for kind in Kind::ALL {
        for (b, block) in BLOCKS.into_iter().enumerate() {
            for seed in 0..seeds {
                let mut dice = Dice::new(seed * 7919 + kind as u64 * 31 + b as u64 * 101);
                let truth = run(kind, block, &mut dice);
                for every_s in [0.25, 1.0, 2.0, 5.0, 10.0] {
                    for noise_c in [0.02, 0.15, 0.5] {
                        let log = write(kind, &truth, Pencil { every_s, noise_c }, &mut dice);
                        let block = block.name;
                        let written = Written {
                            kind,
                            block,
                            seed,
                            every_s,
                            noise_c,
                        };
                        take(written, &log);
                    }
                }
            }
        }
    }
}
