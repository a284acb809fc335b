//! Acceptance beyond the cube: looks of the surface, the customer's own piece, soft filaments, scale of an axis.
#![allow(clippy::unwrap_used)]

use serde_json::{Value, json};
use wattotherm_job::Context;
use wattotherm_job::finding::{Cause, Finding};
use wattotherm_job::house::{Choice, RuleId};
use wattotherm_job::stations::station_named;
use wattotherm_measure::Verdict;
use wattotherm_printer::FilamentFacts;

fn accepted(over: &Value, context: &Context) -> Result<Finding, String> {
    let mut typed = json!({
        "edge_mm": "20", "instrument": "caliper", "x_mm": ["20.02", "20.03"], "y_mm": ["20.01", "20.02"],
        "z_mm": ["20.0", "19.99"], "strings": "1", "first_layer_good": "yes", "walls_even": "yes", "clicking": "no",
        "came_back": "no", "clean_run_min": "150",
    });
    for (k, v) in over.as_object().unwrap() {
        typed[k] = v.clone();
    }
    station_named("acceptance")
        .unwrap()
        .evaluate(&typed, context)
        .map_err(|e| format!("{e:?}"))
}

#[test]
fn a_bad_look_goes_back_to_the_station_that_cures_it_and_a_small_one_passes() {
    let context = Context::default();
    for (look, to) in [
        ("corners", "pressure_advance"),
        ("gaps", "flow"),
        ("blobs", "retraction"),
    ] {
        let f = accepted(&json!({"surface": {look: "4"}}), &context).unwrap();
        assert_eq!(f.facts.send_back.as_deref(), Some(to), "{look}");
        assert!(
            f.words.headline.starts_with("Not accepted:"),
            "{}",
            f.words.headline
        );
        // Where a technician would sand, it says what that can't do.
        assert!(f.words.reasons.iter().any(|r| r.contains("close no gap")));
        let f = accepted(&json!({"surface": {look: "2"}}), &context).unwrap();
        assert_eq!(f.facts.verdict, Verdict::Pass, "{look}");
    }
    // The worst of two counts.
    let f = accepted(&json!({"surface": {"corners": "3", "gaps": "5"}}), &context).unwrap();
    assert_eq!(f.facts.send_back.as_deref(), Some("flow"));
    let refused = accepted(&json!({"surface": {"corners": "7"}}), &context).unwrap_err();
    assert!(refused.contains("surface.corners"), "{refused}");
}

#[test]
fn an_edge_that_is_inside_without_its_doubt_says_what_it_could_be() {
    let says = |z: &str| {
        let f = accepted(&json!({"z_mm": [z, z, z]}), &Context::default()).unwrap();
        (f.facts.send_back, f.words.headline)
    };
    let (back, near) = says("20.09");
    assert_eq!(back.as_deref(), Some("offset_z"));
    assert!(near.ends_with("and could be over 20.10 mm."), "{near}");
    assert!(says("19.91").1.ends_with("and could be under 19.90 mm."));
    // Beyond it nothing more needs to be said.
    let (_, beyond) = says("20.15");
    assert!(
        beyond.starts_with("Not accepted: Z is 20.15") && !beyond.contains("could"),
        "{beyond}"
    );
    assert_eq!(says("20.08").0, None);
}

#[test]
fn shadows_beside_edges_are_the_frame_and_no_setting_of_a_filament() {
    let f = accepted(&json!({"surface": {"ringing": "4"}}), &Context::default()).unwrap();
    assert_eq!(
        (f.facts.verdict, f.facts.cause),
        (Verdict::Stop, Some(Cause::FrameRings))
    );
    assert!(f.words.sentence.contains("belts"));
}

#[test]
fn the_customer_s_own_piece_decides_where_the_house_has_it_so() {
    let mut context = Context::default();
    let yes = json!({"own_piece_good": "yes"});
    let no = json!({"own_piece_good": "no"});
    // Not asked: not needed, and a no says nothing.
    assert_eq!(
        accepted(&no, &context).unwrap().facts.verdict,
        Verdict::Pass
    );
    context.house.choices.insert(
        RuleId::AcceptAs,
        Choice {
            option: "own_piece".into(),
            reason: String::new(),
        },
    );
    let missing = accepted(&json!({}), &context).unwrap_err();
    assert!(missing.contains("own_piece_good"), "{missing}");
    assert_eq!(
        accepted(&yes, &context).unwrap().facts.verdict,
        Verdict::Pass
    );
    let f = accepted(&no, &context).unwrap();
    assert_eq!(f.facts.verdict, Verdict::MeasureAgain);
    assert!(
        f.words.headline.contains("worse than the reference"),
        "{}",
        f.words.headline
    );
    // Once it is said what is worse, it goes where that is cured.
    let said = accepted(
        &json!({"own_piece_good": "no", "surface": {"blobs": "4"}}),
        &context,
    );
    assert_eq!(said.unwrap().facts.send_back.as_deref(), Some("retraction"));
    let form = |c: &Context| {
        let s = station_named("acceptance").unwrap();
        s.form(&s.start(c), c)
            .fields()
            .find(|f| f.path == "own_piece_good")
            .map(|f| f.hidden)
    };
    assert_eq!(form(&context), Some(false));
    assert_eq!(form(&Context::default()), Some(true));
}

#[test]
fn a_soft_filament_has_limits_of_its_own() {
    let soft = Context {
        filament: Some(FilamentFacts {
            name: "soft, black".into(),
            material: "TPU".into(),
            print_temp_c: None,
        }),
        ..Context::default()
    };
    let typed = json!({"x_mm": ["20.18", "20.19"], "y_mm": ["20.17", "20.18"], "strings": "2"});
    assert_ne!(
        accepted(&typed, &Context::default()).unwrap().facts.verdict,
        Verdict::Pass
    );
    let f = accepted(&typed, &soft).unwrap();
    assert_eq!(f.facts.verdict, Verdict::Pass, "{}", f.words.headline);
    assert!(
        f.words
            .reasons
            .iter()
            .any(|r| r.contains("limits of its own"))
    );
    // It isn't without limits.
    let far = json!({"x_mm": ["20.6", "20.6"], "y_mm": ["20.6", "20.6"]});
    assert_eq!(
        accepted(&far, &soft).unwrap().facts.verdict,
        Verdict::Adjust
    );
}

#[test]
fn an_axis_that_is_out_has_the_scale_that_would_set_it_right_and_one_that_passes_has_none() {
    let f = accepted(
        &json!({"x_mm": ["20.40", "20.42"], "y_mm": ["20.01", "20.02"]}),
        &Context::default(),
    )
    .unwrap();
    let scales = f.facts.own["scales"].as_array().unwrap();
    assert_eq!(scales.len(), 1);
    // 20 over 20.41.
    assert!((scales[0]["percent"].as_f64().unwrap() - 97.991).abs() < 0.001);
    let row = f
        .words
        .rows
        .iter()
        .find(|r| r.name.contains("scale that would set X right"));
    assert!(row.is_some(), "{:?}", f.words.rows);
    assert!(
        f.words
            .reasons
            .iter()
            .any(|r| r.contains("One length doesn’t tell scale"))
    );
    // A few hundredths too large pass, and nothing is scaled.
    let fine = accepted(&json!({}), &Context::default()).unwrap();
    assert_eq!(fine.facts.verdict, Verdict::Pass);
    assert!(fine.facts.own["scales"].as_array().unwrap().is_empty());
}
