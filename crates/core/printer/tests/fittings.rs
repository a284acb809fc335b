//! What is typed, what is fitted, what is known of a printer: three faces of one thing.
#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use wattotherm_measure::entry::Entry;
use wattotherm_printer::{
    BlockMaterial, FACT_FIELDS, FactField, FactKind, FilamentPath, Fitted, GearFacts, HotEndKind,
    HotEndMass, NozzleMaterial, Part, PrinterFacts, Replacement, ScrewThread, fields_of,
    read_fields, typed_fields,
};

const SENSORS: [&str; 2] = ["pt1000", "ntc_100k_3950"];

fn typed(pairs: &[(&str, &str)]) -> BTreeMap<String, Entry> {
    pairs
        .iter()
        .map(|(p, t)| ((*p).to_owned(), Entry::Text((*t).to_owned())))
        .collect()
}

/// The message for one field typed alone; none where it is taken.
fn said(path: &str, text: &str) -> Option<String> {
    read_fields(&FACT_FIELDS, &typed(&[(path, text)]), &[], &SENSORS)
        .err()
        .map(|e| e.to_string())
}

#[test]
fn every_field_is_a_place_and_a_field_of_it_and_comes_back_as_typed() {
    let paths: BTreeSet<&str> = FACT_FIELDS.iter().map(|f| f.path).collect();
    assert_eq!(paths.len(), FACT_FIELDS.len(), "a path stands twice");
    for field in &FACT_FIELDS {
        let text = match field.kind {
            FactKind::Number(limit) => {
                assert_eq!(limit.field, field.path);
                format!("{}", limit.usual_max)
            }
            FactKind::Choice(options) => options[options.len() - 1].0.to_owned(),
            FactKind::Sensor => SENSORS[0].to_owned(),
        };
        let fitted =
            read_fields(&FACT_FIELDS, &typed(&[(field.path, &text)]), &[], &SENSORS).unwrap();
        let back = typed_fields(&fitted);
        assert_eq!(back.len(), 1, "{}: {back:?}", field.path);
        assert_eq!(back[field.path], text);
        assert!(!field.find.is_empty(), "{} can’t be found", field.path);
        assert!(field.path.starts_with(field.part.id()));
    }
}

#[test]
fn what_no_printer_has_is_asked_about_or_refused() {
    let asked = said("control_board.supply_v", "230").unwrap();
    assert!(asked.contains("12, 24, 36 or 48 V"), "{asked}");
    let asked = said("heater_cartridge.power_w", "400").unwrap();
    assert!(asked.contains("Did you mean 40 W?"), "{asked}");
    assert!(
        said("nozzle.bore_mm", "4")
            .unwrap()
            .contains("Did you mean 0.4 mm?")
    );
    assert!(
        said("nozzle.material", "glass")
            .unwrap()
            .contains("“glass”")
    );
    assert!(said("temperature_sensor.kind", "none").is_some());
    assert_eq!(said("control_board.supply_v", "24"), None);
    assert_eq!(said("nozzle.bore_mm", "0,6"), None);
}

#[test]
fn nothing_known_is_the_most_careful_printer_with_nothing_measured() {
    let facts = PrinterFacts::of(&read_fields(&FACT_FIELDS, &BTreeMap::new(), &[], &[]).unwrap());
    assert_eq!(facts.hot_end, HotEndKind::Lined);
    assert_eq!(facts.nozzle, NozzleMaterial::Brass);
    assert_eq!(facts.block, BlockMaterial::Aluminium);
    assert_eq!(
        (facts.supply_v, facts.heater_w, facts.gear),
        (None, None, None)
    );
    assert_eq!(facts.sensor, "");
}

#[test]
fn what_is_told_of_a_new_part_is_laid_over_what_was_known() {
    let old = Fitted::Nozzle {
        bore_mm: Some(0.4),
        material: Some(NozzleMaterial::Steel),
        mount: None,
    };
    let new = Fitted::Nozzle {
        bore_mm: Some(0.6),
        material: None,
        mount: None,
    };
    let want = Fitted::Nozzle {
        bore_mm: Some(0.6),
        material: Some(NozzleMaterial::Steel),
        mount: None,
    };
    assert_eq!(old.with(&new), want);
    assert_eq!(old.with(&Fitted::HeatBreak { kind: None }), old);
}

#[test]
fn a_replacement_asks_only_for_what_it_can_change() {
    for &r in Replacement::ALL {
        for (field, _) in fields_of(r) {
            let same = field.part == r.part();
            assert!(
                same || r == Replacement::HotEndOther
                    || r == Replacement::TubeToDirectDrive
                        && matches!(field.part, Part::Frame | Part::Tube),
                "{r:?} asks for {}",
                field.path
            );
        }
    }
    let must = |r| -> Vec<&FactField> {
        fields_of(r)
            .into_iter()
            .filter(|f| f.1)
            .map(|f| f.0)
            .collect()
    };
    assert_eq!(must(Replacement::NozzleOtherBore)[0].path, "nozzle.bore_mm");
    assert!(must(Replacement::NozzleSame).is_empty());
}

fn any_facts() -> impl Strategy<Value = PrinterFacts> {
    let gear = (
        20.0..800.0_f64,
        1.0..256.0_f64,
        0.1..60.0_f64,
        2.0..60.0_f64,
    );
    let enums = (0..2_u8, 0..2_u8, 0..3_u8, 0..2_u8, 0..3_u8, 0..4_u8);
    let some = prop::option::of::<std::ops::Range<f64>>;
    (
        prop::option::of(gear),
        enums,
        (
            some(100.0..500.0),
            some(5.0..60.0),
            some(5.0..200.0),
            some(0.1..20.0),
        ),
        prop::option::of([-150.0..150.0_f64, -150.0..150.0]),
        prop::option::of([2.0..12.0_f64, 1.5..6.0, 10.0..2500.0]),
        (1..=2_u8, 0.1..2.0_f64, some(0.0..12.0)),
    )
        .prop_map(
            |(
                gear,
                e,
                (limit, supply, watts, plate),
                probe_mm,
                tube_mm,
                (nozzles, bore, screws),
            )| PrinterFacts {
                gear: gear.map(|(full_steps, microsteps, gear_ratio, drive_diameter_mm)| {
                    GearFacts {
                        full_steps,
                        microsteps,
                        gear_ratio,
                        drive_diameter_mm,
                    }
                }),
                path: if e.0 == 0 {
                    FilamentPath::Tube
                } else {
                    FilamentPath::Direct
                },
                hot_end: if e.1 == 0 {
                    HotEndKind::Lined
                } else {
                    HotEndKind::AllMetal
                },
                nozzle: [
                    NozzleMaterial::Brass,
                    NozzleMaterial::Copper,
                    NozzleMaterial::Steel,
                ][usize::from(e.2)],
                block: if e.3 == 0 {
                    BlockMaterial::Aluminium
                } else {
                    BlockMaterial::Copper
                },
                mass: [HotEndMass::Light, HotEndMass::Standard, HotEndMass::Heavy]
                    [usize::from(e.4)],
                bed_thread: [
                    None,
                    Some(ScrewThread::M3),
                    Some(ScrewThread::M4),
                    Some(ScrewThread::M5),
                ][usize::from(e.5)],
                sensor: if e.5 == 0 {
                    String::new()
                } else {
                    SENSORS[0].to_owned()
                },
                firmware_limit_c: limit,
                supply_v: supply,
                heater_w: watts,
                heater_a: supply.map(|v| v / 5.0),
                plate_mm: plate,
                probe_mm,
                tube_mm,
                nozzles,
                nozzle_mm: bore,
                bed_screws: screws,
                ..PrinterFacts::default()
            },
        )
}

proptest! {
    #[test]
    fn facts_and_fittings_say_the_same(facts in any_facts()) {
        prop_assert_eq!(PrinterFacts::of(&facts.fitted()), facts);
    }

    #[test]
    fn no_typed_text_panics(path in 0..FACT_FIELDS.len(), text in ".{0,12}") {
        let _ = read_fields(&FACT_FIELDS, &typed(&[(FACT_FIELDS[path].path, &text)]), &[], &SENSORS);
    }
}
