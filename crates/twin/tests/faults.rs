//! Each fault of the twin is found by the station meant to find it, and healthy twins are not accused.
#![allow(clippy::print_stdout, clippy::unwrap_used)]

use crate::common::Bench;
use wattotherm_job::finding::{Cause, Finding};
use wattotherm_measure::Verdict;
use wattotherm_twin::{Fault, Kind};

const SEEDS: u64 = 20;
/// Stated rate; docs/method.md quotes the table that this prints.
const FOUND: f64 = 0.95;

/// The station meant to find a fault, and the causes that it may name.
fn meant_for(fault: Fault) -> (&'static str, &'static [Cause]) {
    use Cause as C;
    match fault {
        Fault::SensorOpen => ("sensor", &[C::SensorOpen]),
        Fault::SensorShort => ("sensor", &[C::SensorShorted]),
        Fault::SensorWrongType => ("sensor", &[C::WrongSensorType]),
        Fault::SensorIntermittent => (
            "heater loop",
            &[C::SensorIntermittent, C::SensorOpenOrShort],
        ),
        Fault::SensorLoose | Fault::HeaterLoose => ("heater loop", &[C::SensorLoose]),
        Fault::HeaterWeak => ("heater", &[C::HeaterTooWeak]),
        Fault::HeaterWrongVoltage => ("heater", &[C::HeaterOfLowerVoltage]),
        Fault::FanDead | Fault::FanReversed | Fault::FanBlocked => {
            ("heater loop", &[C::SinkTooHot])
        }
        Fault::SockMissing => ("heater loop", &[C::FanStealsHeat]),
        Fault::CouplerSlipping => ("tube sheet", &[C::StepFailed]),
        Fault::PartialClog => ("drive", &[C::SlipsWhenFast, C::ResistanceDownstream]),
        Fault::GearSlip => (
            "drive",
            &[
                C::SlipsWhenFast,
                C::ResistanceDownstream,
                C::FarOffUntouched,
            ],
        ),
        Fault::WrongSteps => ("drive", &[C::RatioLeftOut]),
        Fault::LimitTooLow => ("heater", &[C::PlannedTooHot]),
        // Nothing is broken: the values are sent and stored again.
        Fault::SettingsNotSaved => ("compare", &[]),
    }
}

fn at(station: &str, bench: &mut Bench) -> Finding {
    match station {
        "sensor" => bench.at_sensor(),
        "heater" => bench.at_heater(),
        "heater loop" => bench.at_loop(),
        "drive" => bench.at_drive(),
        "tube sheet" => bench.at_tube(),
        _ => bench.at_compare(),
    }
}

#[test]
fn each_fault_is_found_by_the_station_meant_to_find_it() {
    println!("| fault | station | found | of | as what |");
    println!("|---|---|---|---|---|");
    let mut poor = Vec::new();
    for &fault in Fault::ALL {
        let (station, causes) = meant_for(fault);
        let (mut found, mut missed) = (0, Vec::new());
        let mut example = String::new();
        for seed in 0..SEEDS {
            let kind = Kind::ALL[(seed % 3) as usize];
            let f = at(station, &mut Bench::new(kind, seed, [fault]));
            let named = match f.facts.cause {
                Some(c) => causes.contains(&c),
                None => causes.is_empty() && f.facts.verdict == Verdict::Adjust,
            };
            if named {
                found += 1;
                example = f.words.headline;
            } else {
                missed.push((kind, seed, f.words.headline));
            }
        }
        println!("| {fault} | {station} | {found} | {SEEDS} | {example} |");
        #[allow(clippy::cast_precision_loss)]
        if f64::from(found) < FOUND * SEEDS as f64 {
            poor.push((fault, missed));
        }
    }
    assert!(poor.is_empty(), "{poor:#?}");
}

#[test]
fn healthy_printers_are_not_accused() {
    let mut accused = Vec::new();
    for &kind in Kind::ALL {
        for seed in 0..SEEDS {
            for station in [
                "sensor",
                "heater",
                "heater loop",
                "drive",
                "tube sheet",
                "compare",
            ] {
                let f = at(station, &mut Bench::new(kind, seed, []));
                if f.facts.verdict != Verdict::Pass {
                    accused.push((kind, seed, station, f.words.headline, f.words.sentence));
                }
            }
        }
    }
    assert!(
        accused.is_empty(),
        "{} of {}: {accused:#?}",
        accused.len(),
        3 * SEEDS * 6
    );
}
