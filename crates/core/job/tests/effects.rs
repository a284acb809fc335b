//! What a closing does to the printer: the bench's own words for what must follow at once.
#![allow(clippy::unwrap_used)]

use serde_json::{Value, json};
use wattotherm_job::chain::Strength;
use wattotherm_job::effects::{Effect, effects_of, with_effects};
use wattotherm_job::finding::Finding;
use wattotherm_job::house::House;
use wattotherm_job::route::Stop;
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_job::{Context, guard_limits};
use wattotherm_measure::Verdict;
use wattotherm_printer::{
    HotEndKind, NozzleMaterial, Parameter, Part, PrinterFacts, Replacement, ScrewThread,
};

fn lined() -> PrinterFacts {
    PrinterFacts {
        firmware_limit_c: Some(300.0),
        ..PrinterFacts::default()
    }
}

/// A context at the sheet of a replacement, as the server makes it.
fn at_sheet(r: Replacement, printer: PrinterFacts) -> Context {
    Context {
        printer,
        replaced: vec![r],
        list: Some(format!("fit.{}", r.id())),
        ..Context::default()
    }
}

/// The sheet with every step ticked and what is told of the new part.
fn ticked(context: &Context, told: &[(&str, &str)]) -> Value {
    let mut r = stations::Check.start(context);
    for step in r["steps"].as_array_mut().unwrap() {
        step["state"] = json!("done");
    }
    r["counted_out"] = json!("4");
    r["counted_in"] = json!("4");
    for (path, text) in told {
        r["fitted"][*path] = json!(text);
    }
    r
}

/// Closes a sheet: the finding, what it does, and the facts after it.
fn fitted(
    r: Replacement,
    printer: PrinterFacts,
    told: &[(&str, &str)],
) -> (Finding, Vec<Effect>, PrinterFacts) {
    let context = at_sheet(r, printer);
    let readings = ticked(&context, told);
    let finding = stations::Check.evaluate(&readings, &context).unwrap();
    let effects = effects_of(Stop::Fit(r), &readings, &finding, &context);
    let after = with_effects(&context.printer, &effects);
    (finding, effects, after)
}

#[test]
fn going_all_metal_lifts_the_ceiling_and_the_guard_and_forgets_the_old_ceiling() {
    let house = House::default();
    let before = lined();
    assert!((house.ceiling(&before).ceiling_c - 235.0).abs() < 1e-9);
    let (_, effects, after) = fitted(Replacement::HeatBreakToAllMetal, before, &[]);
    assert_eq!(after.hot_end, HotEndKind::AllMetal);
    // 285 °C: the usual bead holds it now (the firmware's 300 less 15 is the same).
    assert!((house.ceiling(&after).ceiling_c - 285.0).abs() < 1e-9);
    assert!((guard_limits(&after, &house, None).tools[0].ceiling_c - 285.0).abs() < 1e-9);
    assert!(effects.contains(&Effect::Forget(Parameter::Ceiling)));
}

#[test]
fn a_ceiling_found_lower_binds_stations_and_guard_alike() {
    let house = House::default();
    let all_metal = PrinterFacts {
        hot_end: HotEndKind::AllMetal,
        ..lined()
    };
    for (found, holds, by) in [
        (Some(250.0), 250.0, "the ceiling found at its station"),
        (Some(400.0), 285.0, "the temperature sensor"),
        (None, 285.0, "the temperature sensor"),
    ] {
        let context = Context {
            printer: all_metal.clone(),
            ceiling_found_c: found,
            ..Context::default()
        };
        let guard = &guard_limits(&all_metal, &house, found).tools[0];
        let station = context.ceiling();
        assert!((guard.ceiling_c - holds).abs() < 1e-9 && (station.ceiling_c - holds).abs() < 1e-9);
        assert_eq!((station.held_by.says(), guard.held_by.as_str()), (by, by));
        let mut readings = stations::HeaterLoop.start(&context);
        readings["target_c"] = json!("260");
        let tuned = stations::HeaterLoop.evaluate(&readings, &context);
        assert_eq!(tuned.is_err(), holds < 260.0, "260 °C below {holds} °C");
    }
}

#[test]
fn a_new_nozzle_of_the_same_kind_changes_nothing_that_is_known() {
    let before = PrinterFacts {
        nozzle_mm: 0.6,
        nozzle: NozzleMaterial::Steel,
        ..lined()
    };
    let (_, effects, after) = fitted(Replacement::NozzleSame, before.clone(), &[]);
    assert_eq!(after, before);
    assert!(matches!(
        &effects[..],
        [Effect::Fit {
            part: Part::Nozzle,
            fitted: Some(_),
            ..
        }]
    ));
}

#[test]
fn a_new_bore_must_be_told_and_is_what_the_stations_then_expect() {
    let context = at_sheet(Replacement::NozzleOtherBore, lined());
    let refused = stations::Check
        .evaluate(&ticked(&context, &[]), &context)
        .unwrap_err();
    assert!(
        refused.to_string().contains("Say the new part’s bore."),
        "{refused}"
    );
    let told = [("nozzle.bore_mm", "0.6"), ("nozzle.material", "steel")];
    let (finding, effects, after) = fitted(Replacement::NozzleOtherBore, lined(), &told);
    let row = finding
        .words
        .rows
        .iter()
        .find(|r| r.name == "bore")
        .unwrap();
    assert_eq!(row.before.as_deref(), Some("0.4 mm"));
    assert_eq!(row.after.as_deref(), Some("0.6 mm"));
    let Effect::Fit { description, .. } = &effects[0] else {
        panic!("{effects:?}")
    };
    assert_eq!(description, "nozzle, other bore: bore 0.6 mm, steel");
    let expects = |station: &dyn AnyStation, parameter| {
        let context = Context {
            printer: after.clone(),
            parameter,
            ..Context::default()
        };
        station.start(&context)
    };
    assert_eq!(
        expects(&stations::Flow, Some(Parameter::Flow))["wall_mm"],
        "0.675"
    );
    assert_eq!(expects(&stations::OffsetZ, None)["commanded_mm"], "0.3");
    assert_eq!(
        expects(&stations::Profile, Some(Parameter::Profile))["bore"],
        "0.6"
    );
}

#[test]
fn a_profile_for_another_bore_than_the_fitted_one_is_asked_about() {
    let context = Context {
        printer: PrinterFacts {
            nozzle_mm: 0.6,
            ..lined()
        },
        parameter: Some(Parameter::Profile),
        ..Context::default()
    };
    let mut r = stations::Profile.start(&context);
    r["bore"] = json!("0.4");
    r["before"] = json!("0.6");
    let asked = stations::Profile.evaluate(&r, &context).unwrap_err();
    assert!(
        asked.to_string().contains("Did you mean 0.6 mm?"),
        "{asked}"
    );
    r["confirmed"] = json!(["bore"]);
    assert!(stations::Profile.evaluate(&r, &context).is_ok());
}

#[test]
fn what_a_measuring_station_shows_of_a_part_is_learnt_and_nothing_else() {
    let context = Context {
        printer: lined(),
        parameter: Some(Parameter::Ceiling),
        before: Some(235.0),
        ..Context::default()
    };
    let mut r = stations::Heater.start(&context);
    r["nozzle"] = json!("steel");
    r["marked_w"] = json!("50");
    let finding = stations::Heater.evaluate(&r, &context).unwrap();
    let effects = effects_of(
        Stop::Parameter(Parameter::Ceiling, None),
        &r,
        &finding,
        &context,
    );
    let after = with_effects(&context.printer, &effects);
    assert_eq!(
        (after.nozzle, after.heater_w),
        (NozzleMaterial::Steel, Some(50.0))
    );
    assert_eq!(effects.len(), 2, "{effects:?}");
    let want = PrinterFacts {
        nozzle: NozzleMaterial::Steel,
        heater_w: Some(50.0),
        ..lined()
    };
    assert_eq!(after, want);
}

#[test]
fn nothing_follows_from_a_stop() {
    let context = at_sheet(Replacement::HeatBreakToAllMetal, lined());
    let mut r = ticked(&context, &[]);
    r["steps"][0]["state"] = json!("failed");
    r["steps"][0]["reason"] = json!("the thread is torn");
    let finding = stations::Check.evaluate(&r, &context).unwrap();
    assert_eq!(finding.facts.verdict, Verdict::Stop);
    let stop = Stop::Fit(Replacement::HeatBreakToAllMetal);
    assert_eq!(effects_of(stop, &r, &finding, &context), []);
}

#[test]
fn a_machine_value_that_moved_puts_other_filaments_in_doubt_by_the_arrows() {
    let context = Context {
        parameter: Some(Parameter::Drive),
        before: Some(93.0),
        ..Context::default()
    };
    let mut r = stations::Drive.start(&context);
    for (field, text) in [
        ("steps_set", "93"),
        ("mark_mm", "120"),
        ("feed_mm", "100"),
        ("nozzle_c", "210"),
    ] {
        r[field] = json!(text);
    }
    r["runs"] = json!(["27.5", "27.0", "27.5"]);
    let finding = stations::Drive.evaluate(&r, &context).unwrap();
    assert_eq!(finding.facts.verdict, Verdict::Adjust);
    let effects = effects_of(
        Stop::Parameter(Parameter::Drive, None),
        &r,
        &finding,
        &context,
    );
    // Handbook: the flow rests on the drive; a filament that wasn't loaded keeps a flow found with the old steps.
    assert!(effects.iter().any(|e| matches!(
        e,
        Effect::Doubt {
            parameter: Parameter::Flow,
            strength: Strength::Redo | Strength::Verify,
            ..
        }
    )));
    assert!(
        effects
            .iter()
            .all(|e| !matches!(e, Effect::Doubt { parameter, .. } if !parameter.per_filament()))
    );
}

#[test]
fn a_bed_of_three_screws_is_trammed_at_three_and_what_was_trammed_is_known_of_the_bed() {
    let context = Context {
        printer: PrinterFacts {
            bed_screws: Some(3.0),
            ..lined()
        },
        parameter: Some(Parameter::Tram),
        ..Context::default()
    };
    let mut r = stations::Tram.start(&context);
    let points = r["points"].as_array_mut().unwrap();
    assert_eq!(points.iter().filter(|p| p["screw"] == true).count(), 3);
    for p in points.iter_mut() {
        p["z_mm"] = json!("0.10");
    }
    r["thread"] = json!("M3");
    let finding = stations::Tram.evaluate(&r, &context).unwrap();
    assert_eq!(finding.facts.verdict, Verdict::Pass);
    let effects = effects_of(
        Stop::Parameter(Parameter::Tram, None),
        &r,
        &finding,
        &context,
    );
    let after = with_effects(&context.printer, &effects);
    assert_eq!(
        (after.bed_screws, after.bed_thread),
        (Some(3.0), Some(ScrewThread::M3))
    );
}

#[test]
fn a_heater_that_overloads_the_boards_output_is_stopped_where_the_rating_is_known() {
    // Ohm's law: 24 V on 4.8 Ω draws 5 A and makes 120 W; 24 V on 14.4 Ω draws 1.67 A and makes 40 W.
    let with = |rated, ohm: &str, marked: &str| {
        let context = Context {
            printer: PrinterFacts {
                heater_a: rated,
                supply_v: Some(24.0),
                ..lined()
            },
            ..Context::default()
        };
        let mut r = stations::Heater.start(&context);
        r["ohm"] = json!(ohm);
        r["marked_w"] = json!(marked);
        r["planned_c"] = json!("200");
        stations::Heater.evaluate(&r, &context).unwrap()
    };
    let over = with(Some(4.0), "4.8", "120");
    assert_eq!(over.facts.verdict, Verdict::Stop);
    assert_eq!(
        over.words.headline,
        "Stop: this heater draws 5.0 A, and the board’s output is rated 4 A."
    );
    assert_eq!(with(Some(4.0), "14.4", "40").facts.verdict, Verdict::Pass);
    assert_eq!(with(None, "4.8", "120").facts.verdict, Verdict::Pass);
}
