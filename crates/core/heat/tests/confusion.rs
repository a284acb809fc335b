//! The classifier against logs from a generator that shares nothing with it.
#![allow(clippy::unwrap_used)]

use crate::scenarios::{Kind, each_log};
use wattotherm_heat::{PhysicalLimits, TraceClass, read_class};

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
    each_log(SEEDS, |of, log| {
        let kind = of.kind;
        let class = read_class(log, &PhysicalLimits::default()).class;
        let place = (of, class);
        logs += 1;
        innocent += u32::from(!kind.is_the_loop());
        if class.is_the_loop() && !kind.is_the_loop() {
            tuned.push(place);
        }
        let sensor = [TraceClass::SensorIntermittent, TraceClass::OpenOrShort].contains(&class);
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
    });
    let share = |n: usize, of: u32| f64::from(u32::try_from(n).unwrap()) / f64::from(of);
    assert!(share(tuned.len(), innocent) <= 0.005, "{tuned:?}");
    assert!(share(accused.len(), logs) <= 0.005, "{accused:?}");
    assert!(share(wrong.len(), faults) <= 0.05, "{wrong:?}");
}
