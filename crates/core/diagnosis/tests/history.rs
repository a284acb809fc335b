//! What counts of all that was told.

#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_diagnosis::{Answer, Entry, From, Outcome, SHIPPED, Told};

fn seen(o: &str, yes: bool) -> Entry {
    Entry::Seen {
        observation: o.into(),
        answer: Answer::Word(if yes { "yes" } else { "no" }.into()),
        from: From::Seen,
    }
}

fn entry() -> impl Strategy<Value = Entry> {
    let o = prop::sample::select(vec!["thin", "hiss", "clicks"]);
    let a = prop::sample::select(vec!["needle", "dry"]);
    let outcome = prop::sample::select(vec![Outcome::NoHelp, Outcome::CameBack, Outcome::Helped]);
    prop_oneof![
        (o.clone(), any::<bool>()).prop_map(|(o, yes)| seen(o, yes)),
        o.prop_map(|o| Entry::TakenBack {
            observation: o.into()
        }),
        (a.clone(), outcome).prop_map(|(a, outcome)| Entry::Tried {
            action: a.into(),
            outcome,
            after_min: None,
            reason: String::new()
        }),
        a.clone().prop_map(|a| Entry::Undone { action: a.into() }),
        a.prop_map(|a| Entry::PassedOver {
            action: a.into(),
            reason: "no tool".into()
        }),
    ]
}

proptest! {
    /// Read backward, by hand: the last word on each question is the one that counts.
    #[test]
    fn the_last_word_on_each_question_counts(entries in prop::collection::vec(entry(), 0..25)) {
        let told = Told::of(&entries);
        for o in ["thin", "hiss", "clicks"] {
            let last = entries.iter().rev().find_map(|e| match e {
                Entry::Seen { observation, answer, .. } if observation == o => Some(Some(answer.clone())),
                Entry::TakenBack { observation } if observation == o => Some(None),
                _ => None,
            });
            let got = told.seen.iter().find(|s| s.observation == o).map(|s| s.answer.clone());
            prop_assert_eq!(got, last.flatten());
        }
        for a in ["needle", "dry"] {
            let last = entries.iter().rev().find(|e| matches!(e, Entry::Tried { action, .. } | Entry::Undone { action } | Entry::PassedOver { action, .. } if action == a));
            let tried = told.tried.iter().find(|t| t.action == a).map(|t| t.outcome);
            match last {
                Some(Entry::Tried { outcome, .. }) => prop_assert_eq!(tried, Some(*outcome)),
                Some(Entry::Undone { .. }) | None => prop_assert_eq!(tried, None),
                // Passing over what was tried takes nothing back.
                _ => {}
            }
        }
        prop_assert!(told.facts().read(&SHIPPED).is_ok());
    }
}

#[test]
fn what_cannot_be_meant_is_refused_with_its_field() {
    let field = |e: Entry| e.check(&SHIPPED).unwrap_err().field;
    assert_eq!(field(seen("mood", true)), "evidence.0.observation");
    assert_eq!(
        field(Entry::Undone {
            action: "pray".into()
        }),
        "action"
    );
    let tried = |after_min, reason: &str| Entry::Tried {
        action: "needle".into(),
        outcome: Outcome::CameBack,
        after_min,
        reason: reason.into(),
    };
    assert_eq!(field(tried(Some(-1.0), "")), "after_min");
    assert_eq!(field(tried(Some(f64::NAN), "")), "after_min");
    assert_eq!(field(tried(None, &"x".repeat(401))), "reason");
    assert_eq!(
        field(Entry::PassedOver {
            action: "needle".into(),
            reason: "  ".into()
        }),
        "reason"
    );
    assert!(
        tried(Some(40.0), "held for an evening")
            .check(&SHIPPED)
            .is_ok()
    );
}
