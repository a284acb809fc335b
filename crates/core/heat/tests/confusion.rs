//! The classifier against logs from a generator that shares nothing with it.
#![allow(clippy::unwrap_used)]

use crate::scenarios::{BLOCKS, Dice, Kind, Pencil, run, write};
use wattotherm_heat::{PhysicalLimits, TraceClass, read_class};

const EVERY_S: [f64; 5] = [0.25, 1.0, 2.0, 5.0, 10.0];
const NOISE_C: [f64; 3] = [0.02, 0.15, 0.5];
/// `make bench` has fifty.
const SEEDS: u64 = 3;

/// What a log without duty can show of a fault that only the duty tells from another.
fn without_duty(kind: Kind) -> Option<TraceClass> {
    match kind {
        Kind::FullAndLow => Some(TraceClass::Offset),
        Kind::SockOff => Some(TraceClass::Steady),
        _ => None,
    }
}

#[test]
fn nothing_but_the_loop_is_tuned_and_no_sensor_is_accused_without_cause() {
    let (mut logs, mut innocent) = (0_u32, 0_u32);
    let (mut tuned, mut accused) = (Vec::new(), Vec::new());
    let (mut faults, mut wrong) = (0_u32, Vec::new());
    for kind in Kind::ALL {
        for (b, block) in BLOCKS.into_iter().enumerate() {
            for seed in 0..SEEDS {
                let mut dice = Dice::new(seed * 7919 + kind as u64 * 31 + b as u64 * 101);
                let truth = run(kind, block, &mut dice);
                for every_s in EVERY_S {
                    for noise_c in NOISE_C {
                        let log = write(kind, &truth, Pencil { every_s, noise_c }, &mut dice);
                        let reading = read_class(&log, &PhysicalLimits::default());
                        let class = reading.class;
                        let place = (kind, block.name, seed, every_s, noise_c, class);
                        logs += 1;
                        innocent += u32::from(!kind.is_the_loop());
                        if class.is_the_loop() && !kind.is_the_loop() {
                            tuned.push(place);
                        }
                        let sensor = matches!(
                            class,
                            TraceClass::SensorIntermittent | TraceClass::OpenOrShort
                        );
                        if sensor && !kind.is_the_sensor() {
                            accused.push(place);
                        }
                        if let Some(fault) = kind.fault() {
                            faults += 1;
                            let duty = log.samples[0].duty.is_some();
                            let named = class == fault
                                || (!duty && without_duty(kind) == Some(class))
                                || matches!(class, TraceClass::CannotSay | TraceClass::TooShort);
                            if !named {
                                wrong.push(place);
                            }
                        }
                    }
                }
            }
        }
    }
    let share = |n: usize, of: u32| f64::from(u32::try_from(n).unwrap()) / f64::from(of);
    assert!(share(tuned.len(), innocent) <= 0.005, "{tuned:?}");
    assert!(share(accused.len(), logs) <= 0.005, "{accused:?}");
    assert!(share(wrong.len(), faults) <= 0.05, "{wrong:?}");
}
