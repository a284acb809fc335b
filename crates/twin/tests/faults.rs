//! Each fault of the twin is found by the station meant to find it, and healthy twins are not accused.
#![allow(clippy::print_stdout, clippy::unwrap_used)]

mod common;

use common::Bench;
use wattotherm_job::finding::Finding;
use wattotherm_measure::Verdict;
use wattotherm_twin::{Fault, Kind};

const SEEDS: u64 = 20;
/// Stated rate; docs/method.md quotes the table that this prints.
const FOUND: f64 = 0.95;

/// The station meant to find a fault, and words that its cause must have.
fn meant_for(fault: Fault) -> (&'static str, &'static [&'static str]) {
    match fault {
        Fault::SensorOpen => ("sensor", &["circuit is open"]),
        Fault::SensorShort => ("sensor", &["shorted"]),
        Fault::SensorWrongType => ("sensor", &["the fitted sensor is a"]),
        Fault::SensorIntermittent => ("heater loop", &["sensor or wiring", "open or short"]),
        Fault::SensorLoose => ("heater loop", &["sits loose"]),
        Fault::HeaterWeak => ("heater", &["this heater makes"]),
        Fault::HeaterWrongVoltage => ("heater", &["this heater makes"]),
        Fault::HeaterLoose => ("heater loop", &["sits loose"]),
        Fault::FanDead | Fault::FanReversed | Fault::FanBlocked => {
            ("heater loop", &["heat sink gets too hot"])
        }
        Fault::SockMissing => ("heater loop", &["part fan steals heat"]),
        Fault::CouplerSlipping => ("tube sheet", &["coupler doesn't hold"]),
        Fault::PartialClog => ("drive", &["slip", "clog"]),
        Fault::GearSlip => ("drive", &["slip", "clog", "resistance"]),
        Fault::WrongSteps => ("drive", &["gear ratio"]),
        Fault::LimitTooLow => ("heater", &["the firmware allows"]),
        Fault::SettingsNotSaved => ("compare", &["not in the printer"]),
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
    for fault in Fault::ALL {
        let (station, words) = meant_for(fault);
        let (mut found, mut missed) = (0, Vec::new());
        let mut example = String::new();
        for seed in 0..SEEDS {
            let kind = Kind::ALL[(seed % 3) as usize];
            let f = at(station, &mut Bench::new(kind, seed, [fault]));
            let says = format!("{} {}", f.headline, f.cause.clone().unwrap_or_default());
            let settled = matches!(f.verdict, Verdict::Stop | Verdict::Adjust);
            if settled && words.iter().any(|w| says.contains(w)) {
                found += 1;
                example = f.headline;
            } else {
                missed.push((kind, seed, f.headline));
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
    for kind in Kind::ALL {
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
                if f.verdict != Verdict::Pass {
                    accused.push((kind, seed, station, f.headline, f.sentence));
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
