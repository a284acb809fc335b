//! Commands, ceilings, sheets, house rules and typed numbers.

#![allow(clippy::unwrap_used, clippy::float_cmp)] // whole degrees come out exactly

use std::collections::BTreeSet;

use proptest::prelude::*;
use wattotherm_gcode::{
    FeedOrder, LEAST_EXTRUSION_C, feed_for_drive_test, read_back, set_flow_percent,
    set_steps_per_mm, set_z_offset_mm, store_settings,
};
use wattotherm_heat::SENSOR_TYPES;
use wattotherm_job::house::{Choice, House, RULES, RuleId, ToleranceId};
use wattotherm_job::sheets::{sheet, tightening_c};
use wattotherm_job::stations::{
    self, AnyStation,
    tram::{Finest, turn_in_words},
};
use wattotherm_job::{Caution, Context, Gate, SignalWord};
use wattotherm_measure::entry::{Entry, Intake, Limit};
use wattotherm_measure::{InstrumentKind, Reading, Series, Unit, default_instruments, fresh_mean};
use wattotherm_printer::{
    BlockMaterial, HeldBy, HotEndKind, NozzleMaterial, Parameter, Part, PrinterFacts, Replacement,
};

#[test]
fn commands_are_written_without_noise() {
    let line = |c: wattotherm_gcode::Command| c.line;
    assert_eq!(line(set_steps_per_mm(418.62).unwrap()), "M92 E418.62");
    assert_eq!(line(set_steps_per_mm(93.0).unwrap()), "M92 E93");
    assert_eq!(line(set_z_offset_mm(-1.6820).unwrap()), "M851 Z-1.682");
    assert_eq!(line(set_z_offset_mm(-0.000_01).unwrap()), "M851 Z0");
    assert_eq!(line(set_flow_percent(97.5).unwrap()), "M221 S97.5");
    assert_eq!(
        (line(store_settings()), line(read_back())),
        ("M500".into(), "M503".into())
    );
}

#[test]
fn impossible_values_are_never_written() {
    for bad in [f64::NAN, f64::INFINITY, -1.0, 0.0, 1e9] {
        assert!(set_steps_per_mm(bad).is_err(), "{bad}");
        assert!(set_flow_percent(bad).is_err(), "{bad}");
    }
    assert!(set_z_offset_mm(f64::NAN).is_err());
    assert_eq!(
        set_z_offset_mm(55.0).unwrap_err().to_string(),
        "Z offset of 55 is not possible: give -20 to 20"
    );
}

fn order(nozzle_c: Option<f64>) -> FeedOrder {
    FeedOrder {
        nozzle_c,
        ceiling_c: 235.0,
        feed_mm: 100.0,
        feed_mm_s: 1.5,
    }
}

#[test]
fn nothing_is_fed_cold_or_above_the_ceiling() {
    for cold in [f64::NAN, 0.0, LEAST_EXTRUSION_C - 0.1] {
        assert!(feed_for_drive_test(&order(Some(cold))).is_err(), "{cold}");
    }
    assert!(feed_for_drive_test(&order(Some(235.1))).is_err());
    assert!(feed_for_drive_test(&order(Some(235.0))).is_ok());
    let free: Vec<_> = feed_for_drive_test(&order(None))
        .unwrap()
        .into_iter()
        .map(|c| c.line)
        .collect();
    assert_eq!(
        free,
        ["M83", "G1 E100 F90"],
        "no heat where the filament is out of the hot end"
    );
    let mut far = order(Some(210.0));
    far.feed_mm = 501.0;
    assert!(feed_for_drive_test(&far).is_err());
}

#[test]
fn the_weakest_part_holds_the_ceiling() {
    let mut house = House::default();
    let at = |kind, limit, house: &House| {
        let facts = PrinterFacts {
            hot_end: kind,
            firmware_limit_c: limit,
            ..PrinterFacts::default()
        };
        let c = house.ceiling(&facts);
        (c.ceiling_c, c.held_by)
    };
    assert_eq!(
        at(HotEndKind::Lined, Some(300.0), &house),
        (235.0, HeldBy::Liner)
    );
    // Common practice: a firmware limit of 250 allows 235.
    assert_eq!(
        at(HotEndKind::AllMetal, Some(250.0), &house),
        (235.0, HeldBy::FirmwareLimit)
    );
    assert_eq!(
        at(HotEndKind::AllMetal, Some(400.0), &house),
        (285.0, HeldBy::Sensor)
    );
    assert_eq!(at(HotEndKind::AllMetal, None, &house).0, 285.0);
    house.choices.insert(
        RuleId::LinedCeiling,
        Choice {
            option: "c240".into(),
            reason: String::new(),
        },
    );
    assert_eq!(at(HotEndKind::Lined, Some(500.0), &house).0, 240.0);
    house.choices.insert(
        RuleId::LinedCeiling,
        Choice {
            option: "nonsense".into(),
            reason: String::new(),
        },
    );
    assert_eq!(
        at(HotEndKind::Lined, Some(500.0), &house).0,
        235.0,
        "an unknown option is the default"
    );
}

#[test]
fn turns_are_said_as_at_the_bench() {
    for (turns, words) in [
        (0.0, "leave it"),
        (0.05, "leave it"),
        (0.25, "a quarter turn clockwise"),
        (-0.5, "half a turn anticlockwise"),
        (0.13, "an eighth of a turn clockwise"),
        (0.74, "three quarters of a turn clockwise"),
        (0.37, "⅜ of a turn clockwise"),
        (-1.0, "one turn anticlockwise"),
        (1.25, "1¼ turns clockwise"),
        (3.0, "3 turns clockwise"),
        (0.99, "one turn clockwise"),
    ] {
        assert_eq!(turn_in_words(turns, Finest::Eighth), words, "{turns}");
    }
}

#[test]
fn every_part_has_a_sheet_with_its_cautions() {
    let context = Context::default();
    for &r in Replacement::ALL {
        let s = sheet(&format!("fit.{}", r.id()), &context);
        assert!(s.steps.len() >= 2, "{}", r.id());
        let ids: BTreeSet<_> = s.steps.iter().map(|p| &*p.id).collect();
        assert_eq!(
            ids.len(),
            s.steps.len(),
            "{}: a tick belongs to one step",
            r.id()
        );
        let gates_and_acts = s
            .steps
            .iter()
            .all(|p| !p.act.is_empty() && p.act.ends_with(['.', '?']));
        assert!(gates_and_acts, "{}", r.id());
        if r.electrical() {
            let shock = |c: &Caution| {
                c.signal == SignalWord::Danger && c.text.contains("licensed electrician")
            };
            assert!(
                s.steps
                    .iter()
                    .any(|p| p.gate == Gate::Unplugged && p.caution.as_ref().is_some_and(shock)),
                "{}",
                r.id()
            );
        }
    }
    let nozzle = sheet("fit.nozzle_same", &context);
    assert!(
        nozzle.steps.iter().all(|p| !p.act.contains("N·m")),
        "tightening is a station of its own"
    );
    let hot = &stations::HotTighten;
    let up = hot.set_up(&hot.start(&context), &context);
    assert!(
        up.heading.contains("230 °C"),
        "of a filament nobody named: {}",
        up.heading
    );
    assert!(up.hints.iter().any(|h| h.contains("2.5 to 3 N·m")));
    let tube = sheet("fit.tube", &context);
    assert!(tube.counts && tube.caution.is_some_and(|c| c.text.contains("Fumes")));
    assert!(
        sheet("power_up", &context)
            .caution
            .is_some_and(|c| c.signal == SignalWord::Danger)
    );
}

#[test]
fn hot_tightening_never_exceeds_the_ceiling() {
    let mut context = Context::default();
    context.printer.firmware_limit_c = Some(230.0);
    for option in RULES[RuleId::HotTightening as usize].options {
        context.house.choices.insert(
            RuleId::HotTightening,
            Choice {
                option: option.id.into(),
                reason: String::new(),
            },
        );
        let steps = sheet("fit.nozzle_same", &context).steps;
        let hottest = steps
            .iter()
            .filter_map(|s| match s.gate {
                Gate::Hot { at_c } => at_c,
                _ => None,
            })
            .fold(0.0, f64::max);
        assert!(hottest <= 215.0, "{}: {hottest}", option.id);
        let tightened = tightening_c(&context);
        assert!(tightened <= 215.0, "{}: {tightened}", option.id);
    }
}

#[test]
fn house_rules_fall_back_to_the_default_and_keep_the_shops_reason() {
    let mut house = House::default();
    assert_eq!(
        house.reason(RuleId::Clog),
        "Half of the broken heat breaks come from stripping."
    );
    house.choices.insert(
        RuleId::Clog,
        Choice {
            option: "strip".into(),
            reason: "ours come apart easily".into(),
        },
    );
    assert_eq!(
        (
            house.option(RuleId::Clog).id,
            house.reason(RuleId::Clog).as_str()
        ),
        ("strip", "ours come apart easily")
    );
    house.tolerances.insert(ToleranceId::TramMm, 0.1);
    assert!((house.tolerance(ToleranceId::TramMm) - 0.1).abs() < 1e-12);
    assert_eq!(
        house
            .instrument("micrometer", InstrumentKind::Caliper)
            .unwrap()
            .name,
        "micrometer"
    );
    assert_eq!(
        house
            .instrument("lost", InstrumentKind::Caliper)
            .unwrap()
            .name,
        "caliper"
    );
}

#[test]
fn a_balance_measures_no_millimetres_and_a_caliper_no_grams() {
    let house = House::default();
    let balance = house
        .instruments
        .iter()
        .find(|i| i.kind == InstrumentKind::Balance)
        .unwrap();
    let got = |id: &str, kind| house.instrument(id, kind).unwrap().kind;
    assert_eq!(got(&balance.id, InstrumentKind::Rule), InstrumentKind::Rule);
    assert_eq!(
        got("caliper", InstrumentKind::Balance),
        InstrumentKind::Balance
    );
    assert_eq!(
        got("caliper", InstrumentKind::Rule),
        InstrumentKind::Caliper
    );
}

#[test]
fn ids_are_unique_and_read_back() {
    for &p in Part::ALL {
        assert_eq!(Part::from_id(p.id()), Some(p));
        // Frame and bed are known, and stay.
        let stays = matches!(p, Part::Frame | Part::Bed);
        assert_eq!(p.replacements().is_empty(), stays, "{}", p.label());
    }
    for &p in Parameter::ALL {
        assert_eq!(Parameter::from_id(p.id()), Some(p));
    }
    for &r in Replacement::ALL {
        assert_eq!(Replacement::from_id(r.id()), Some(r));
        assert_eq!(serde_json::to_value(r).unwrap(), r.id());
    }
    assert_eq!(Part::from_id("oven"), None);
}

#[test]
fn a_series_of_equal_readings_rests_on_the_instrument() {
    let caliper = &default_instruments()[1];
    let mean = fresh_mean(&[0.45; 8], &Reading::once(caliper)).unwrap();
    assert!(!mean.scatters);
    assert!(
        mean.combined.u > caliper.shared_half_width / 3.0_f64.sqrt() - 1e-12,
        "the zero never averages out"
    );
    assert_eq!(Series::of(&[]), None);
    assert!(fresh_mean(&[], &Reading::once(caliper)).is_none());
}

const LENGTH: Limit = Limit {
    field: "length",
    label: "length",
    unit: Unit::Mm,
    min: 0.0,
    max: 1000.0,
    usual_min: 0.0,
    usual_max: 1000.0,
    why: "it is a length",
};

fn parsed(text: &str) -> Option<f64> {
    let mut intake = Intake::new(&[]);
    let value = intake.need(&LENGTH, "length", &Entry::from(text));
    assert_eq!(value.is_some(), intake.finish().is_ok(), "{text}");
    value
}

#[test]
fn numbers_are_read_as_people_type_them() {
    for (text, value) in [
        ("27,5", 27.5),
        (" 27.5 ", 27.5),
        ("27.5 mm", 27.5),
        ("27.5mm", 27.5),
        ("+3", 3.0),
        ("0", 0.0),
        (".5", 0.5),
        ("3 in", 76.2),
    ] {
        assert!((parsed(text).unwrap() - value).abs() < 1e-12, "{text}");
    }
    for text in [
        "", " ", "1.2.3", "1,000.5", "inf", "NaN", "1e3", "--3", "3 ft", "½", "0x10", "−5",
    ] {
        assert_eq!(parsed(text), None, "{text}");
    }
}

proptest! {
    #[test]
    fn no_part_is_ever_hotter_than_the_ceiling_allows(lined: bool, limit in prop::option::of(150.0..500.0_f64), steel: bool, copper: bool, sensor in 0_usize..7) {
        let facts = PrinterFacts {
            hot_end: if lined { HotEndKind::Lined } else { HotEndKind::AllMetal },
            firmware_limit_c: limit,
            nozzle: if steel { NozzleMaterial::Steel } else { NozzleMaterial::Brass },
            block: if copper { BlockMaterial::Copper } else { BlockMaterial::Aluminium },
            sensor: SENSOR_TYPES.get(sensor).map_or(String::new(), |s| s.id.to_owned()),
            ..PrinterFacts::default()
        };
        let top = House::default().ceiling(&facts);
        prop_assert!(top.limits.iter().all(|l| top.ceiling_c <= l.most_c));
        prop_assert!(top.limits.iter().any(|l| l.part == top.held_by && (l.most_c - top.ceiling_c).abs() < 1e-12));
        // Raising the firmware limit never raises what the parts hold down.
        let raised = PrinterFacts { firmware_limit_c: limit.map(|l| l + 100.0), ..facts.clone() };
        let parts = |c: &wattotherm_printer::Ceiling| {
            c.limits.iter().filter(|l| l.part != HeldBy::FirmwareLimit).map(|l| l.most_c).fold(f64::MAX, f64::min)
        };
        prop_assert!(House::default().ceiling(&raised).ceiling_c <= parts(&top));
    }

    #[test]
    fn any_number_in_bounds_is_read_and_any_other_is_refused(value in -5000.0_f64..5000.0) {
        let text = format!("{value:.3}");
        let rounded: f64 = text.parse().unwrap();
        prop_assert_eq!(parsed(&text), (0.0..=1000.0).contains(&rounded).then_some(rounded));
        prop_assert_eq!(parsed(&text.replace('.', ",")), parsed(&text));
    }

    #[test]
    fn no_text_panics_the_reader(text in "\\PC*") {
        parsed(&text);
    }

    #[test]
    fn more_fresh_readings_never_know_less(s in 0.0_f64..0.2, n in 2_usize..20) {
        let caliper = &default_instruments()[1];
        let values: Vec<f64> = (0..n).map(|i| 10.0 + if i % 2 == 0 { s } else { -s }).collect();
        let twice: Vec<f64> = values.iter().chain(&values).copied().collect();
        let (few, many) = (fresh_mean(&values, &Reading::once(caliper)).unwrap(), fresh_mean(&twice, &Reading::once(caliper)).unwrap());
        prop_assert!(many.combined.u <= few.combined.u + 1e-12);
    }
}

#[test]
fn steps_of_a_list_have_names_of_their_own_and_a_tick_belongs_to_its_name() {
    let context = Context {
        list: Some("fit.tube".into()),
        ..Context::default()
    };
    for list in [
        "intake",
        "baseline",
        "power_up",
        "first_print",
        "hand_over",
        "fit.nozzle_same",
        "fit.tube",
        "fit.part_fan",
    ] {
        let steps = sheet(list, &context).steps;
        let names: std::collections::BTreeSet<&str> = steps.iter().map(|s| &*s.id).collect();
        assert_eq!(names.len(), steps.len(), "{list}");
    }
    // Ticked in a list that had its steps in another order, and one step fewer.
    let mut readings = stations::Check.start(&context);
    let ticks = readings["steps"].as_array_mut().unwrap();
    ticks.reverse();
    ticks.retain(|t| t["id"] != "lock");
    for t in ticks.iter_mut() {
        t["state"] = serde_json::json!("done");
    }
    readings["counted_out"] = serde_json::json!("2");
    readings["counted_in"] = serde_json::json!("2");
    let found = stations::Check.evaluate(&readings, &context).unwrap();
    assert_eq!(found.words.headline, "One step is still open.");
}
