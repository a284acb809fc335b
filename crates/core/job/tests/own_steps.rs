//! Steps of the shop's own in its lists.

#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use serde_json::Value;
use wattotherm_job::Context;
use wattotherm_job::house::OwnStep;
use wattotherm_job::sheets::{Step, sheet};
use wattotherm_job::stations::{self, AnyStation};

fn own(id: &str, after: &str, act: &str) -> OwnStep {
    OwnStep {
        list: "fit.nozzle_same".into(),
        id: id.into(),
        after: after.into(),
        act: act.into(),
        check: String::new(),
    }
}

fn with(steps: Vec<OwnStep>) -> Vec<Step> {
    let mut context = Context::default();
    context.house.own_steps = steps;
    sheet("fit.nozzle_same", &context).steps
}

fn ids(steps: &[Step]) -> Vec<String> {
    steps.iter().map(|s| s.id.to_string()).collect()
}

#[test]
fn an_added_step_stands_where_it_was_put_and_only_in_its_list() {
    let plain = with(Vec::new());
    let second = plain[1].id.to_string();
    let steps = with(vec![
        own("wipe", &second, "Wipe {the} seat"),
        own("lamp", "", "Lamp on"),
    ]);
    assert_eq!(ids(&steps)[0], "lamp");
    assert_eq!(ids(&steps)[3], "wipe");
    assert_eq!(steps[3].act, "Wipe {the} seat", "its words are no template");
    assert!(steps[3].own && !steps[1].own);
    let mut context = Context::default();
    context.house.own_steps = vec![own("wipe", &second, "Wipe the seat")];
    assert!(sheet("hand_over", &context).steps.iter().all(|s| !s.own));
}

#[test]
fn a_bettered_step_takes_new_words_and_keeps_gate_and_caution() {
    let plain = with(Vec::new());
    let (i, warned) = plain
        .iter()
        .enumerate()
        .find(|(_, s)| s.caution.is_some())
        .unwrap();
    let steps = with(vec![own(&warned.id, "", "Our way")]);
    assert_eq!(ids(&steps), ids(&plain));
    assert_eq!(
        (&*steps[i].act, &steps[i].caution, steps[i].gate),
        ("Our way", &warned.caution, warned.gate)
    );
}

#[test]
fn a_step_without_words_or_with_too_many_is_refused() {
    assert!(own("x", "", "Do it").checked().is_ok());
    assert_eq!(own("x", "", "  ").checked().unwrap_err().0, "act");
    assert_eq!(
        own("x", "", &"a".repeat(301)).checked().unwrap_err().0,
        "act"
    );
    assert_eq!(own("a/b", "", "Do it").checked().unwrap_err().0, "id");
    assert_eq!(own("", "", "Do it").checked().unwrap_err().0, "id");
    assert_eq!(own("x", "a b", "Do it").checked().unwrap_err().0, "after");
    let elsewhere = |list: &str| OwnStep {
        list: list.into(),
        ..own("x", "", "Do it")
    };
    assert!(elsewhere("hand_over").checked().is_ok());
    for no_list in ["", "kitchen", "drive"] {
        assert_eq!(
            elsewhere(no_list).checked().unwrap_err().0,
            "list",
            "{no_list}"
        );
    }
    // What makes the work safe says so in its own words.
    for safe in ["unplug", "cool_down", "bed_cold"] {
        assert_eq!(
            own(safe, "", "Go on").checked().unwrap_err().0,
            "id",
            "{safe}"
        );
    }
}

proptest! {
    /// Whatever a shop adds, the steps that ship stay, each once and in their order.
    #[test]
    fn what_ships_stays_in_order(puts in proptest::collection::vec((0usize..12, 0usize..14), 0..12)) {
        let plain = ids(&with(Vec::new()));
        let steps = puts.iter().map(|(name, after)| {
            let after = plain.get(*after).cloned().unwrap_or_else(|| format!("own_{after}"));
            own(&format!("own_{name}"), &after, "Look")
        }).collect::<Vec<_>>();
        // One of a name, as the store keeps them.
        let mut seen = std::collections::BTreeSet::new();
        let steps: Vec<OwnStep> = steps.into_iter().filter(|s| seen.insert(s.id.clone())).collect();
        let n = steps.len();
        let got = ids(&with(steps));
        prop_assert_eq!(got.len(), plain.len() + n);
        let kept: Vec<String> = got.into_iter().filter(|id| plain.contains(id)).collect();
        prop_assert_eq!(kept, plain);
    }
}

#[test]
fn a_search_that_a_case_has_ended_is_written_down_but_for_the_shops_own_step() {
    let mut context = Context {
        list: Some("cause".into()),
        ..Context::default()
    };
    context.house.own_steps = vec![OwnStep {
        list: "cause".into(),
        ..own("ask", "", "Ask the customer once more")
    }];
    let begun = |context: &Context| {
        let readings = stations::Check.start(context);
        let open = |s: &Value| s["state"] == "open";
        let all = readings["steps"].as_array().unwrap().clone();
        let open: Vec<String> = (all.iter().filter(|s| open(s)))
            .map(|s| s["id"].as_str().unwrap().to_owned())
            .collect();
        (readings["note"].as_str().unwrap().to_owned(), open)
    };
    let (note, open) = begun(&context);
    assert!(note.is_empty() && open.len() == 4, "{open:?}");
    context.cause_found = Some("Case 3: weak, loose or wrong heater.".into());
    assert_eq!(
        begun(&context),
        (
            "Case 3: weak, loose or wrong heater.".into(),
            vec!["ask".into()]
        )
    );
    // Another list has nothing of it.
    context.list = Some("hand_over".into());
    assert!(begun(&context).0.is_empty());
}
