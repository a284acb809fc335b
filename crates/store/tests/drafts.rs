//! Two pages type at one station: what is typed apart merges, what is typed twice is shown, nothing is lost.

#![allow(clippy::unwrap_used)]

use crate::common::Shop;
use proptest::prelude::*;
use serde_json::{Value, json};
use wattotherm_store::{Change, Draft, NewJob, Store};

const AT: &str = "2026-01-01T08:00:00.000Z";

struct Desk {
    store: Store,
    job: i64,
    _folder: tempfile::TempDir,
}

fn desk() -> Desk {
    let Shop {
        mut store,
        folder,
        printer,
    } = crate::common::shop(AT);
    let job = json!({"printer_id": printer, "replaced": ["extruder_drive"]});
    let job: NewJob = serde_json::from_value(job).unwrap();
    let job = store.start_job(&job, AT).unwrap();
    Desk {
        store,
        job,
        _folder: folder,
    }
}

fn begun() -> Value {
    json!({"mark_mm": "120", "runs": ["", "", ""], "note": ""})
}

impl Desk {
    /// A page that has seen `base` types `text` at `path`.
    fn types(&mut self, base: u64, path: &str, text: &str) -> Draft {
        let change = Change {
            path: path.into(),
            value: json!(text),
            base: None,
        };
        self.store
            .change_draft(self.job, "drive", base, vec![change], &begun(), AT)
            .unwrap()
    }
}

#[test]
fn what_is_typed_in_different_fields_merges_whichever_comes_first() {
    let mut d = desk();
    d.types(0, "/runs/0", "27.5");
    d.types(0, "/runs/1", "27.0");
    let last = d.types(0, "/note", "slow feed");
    assert_eq!(
        last.readings,
        json!({"mark_mm": "120", "runs": ["27.5", "27.0", ""], "note": "slow feed"})
    );
    assert_eq!(last.conflicts, []);
}

#[test]
fn two_values_for_one_field_are_both_there_until_somebody_chooses() {
    let mut d = desk();
    let first = d.types(0, "/runs/0", "27.5");
    let second = d.types(0, "/runs/0", "26.5");
    assert_eq!(
        second.readings["runs"][0], "27.5",
        "what was kept first stays"
    );
    let [conflict] = &second.conflicts[..] else {
        panic!("{second:?}")
    };
    assert_eq!(
        (&conflict.kept, &conflict.other),
        (&json!("27.5"), &json!("26.5"))
    );
    // The first page hears of it with its next write, in another field.
    let heard = d.types(first.revision, "/note", "x");
    assert_eq!(heard.conflicts, second.conflicts);
    // And whoever has seen it chooses.
    let chosen = d.types(heard.revision, "/runs/0", "26.5");
    assert_eq!(
        (&chosen.readings["runs"][0], chosen.conflicts.len()),
        (&json!("26.5"), 0)
    );
}

#[test]
fn a_field_in_conflict_that_is_typed_on_keeps_what_stands_and_the_newest_of_the_other() {
    let mut d = desk();
    d.types(0, "/runs/0", "27");
    let seen = d.types(0, "/runs/0", "2");
    let on = Change {
        path: "/runs/0".into(),
        value: json!("26.5"),
        base: Some(0),
    };
    let note = Change {
        path: "/note".into(),
        value: json!("x"),
        base: None,
    };
    let after = d
        .store
        .change_draft(d.job, "drive", seen.revision, vec![on, note], &begun(), AT)
        .unwrap();
    assert_eq!(after.readings["runs"][0], "27");
    assert_eq!(after.readings["note"], "x");
    assert_eq!(after.conflicts[0].other, json!("26.5"));
    assert_eq!(after.conflicts.len(), 1);
}

#[test]
fn the_same_value_typed_twice_is_no_conflict_and_leaving_a_value_settles_one() {
    let mut d = desk();
    d.types(0, "/mark_mm", "130");
    assert_eq!(d.types(0, "/mark_mm", "130").conflicts, []);
    let seen = d.types(0, "/mark_mm", "140");
    assert_eq!(seen.conflicts.len(), 1);
    assert_eq!(d.types(seen.revision, "/mark_mm", "130").conflicts, []);
}

#[test]
fn a_list_that_grew_elsewhere_is_not_cut_by_a_page_that_did_not_see_it() {
    let mut d = desk();
    let seen = d.types(0, "/runs/3", "27.2");
    assert_eq!(seen.readings["runs"].as_array().unwrap().len(), 4);
    let whole = Change {
        path: "/runs".into(),
        value: json!(["27.0"]),
        base: None,
    };
    let after = d
        .store
        .change_draft(d.job, "drive", 0, vec![whole], &begun(), AT)
        .unwrap();
    assert_eq!(after.readings, seen.readings);
    assert_eq!(after.conflicts[0].other, json!(["27.0"]));
}

#[test]
fn a_whole_write_keeps_what_differs_and_a_place_that_is_none_changes_nothing() {
    let mut d = desk();
    d.types(0, "/runs/0", "27.5");
    let mut all = begun();
    all["mark_mm"] = json!("150");
    let whole = d.store.save_draft(d.job, "drive", &all, AT).unwrap();
    assert_eq!(whole.readings, all);
    assert_eq!(
        d.types(whole.revision, "/nowhere/at/all", "1").readings,
        all
    );
    assert_eq!(d.store.draft(d.job, "drive").unwrap().unwrap(), all);
}

proptest! {
    // Every write goes to the disk.
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// However the writes of two pages interleave: fields of one page alone end as it typed them last, and a
    /// value typed by either is there or in a conflict.
    #[test]
    fn nothing_typed_is_lost(order in prop::collection::vec((any::<bool>(), 0..3_usize, "[0-9]{1,3}"), 1..12)) {
        let mut d = desk();
        let mut seen = [0_u64, 0];
        // Fields 0 and 1 belong to a page each, field 2 is typed in by both.
        for (second, field, text) in &order {
            let page = usize::from(*second);
            let path = if *field == 2 { "/note".to_owned() } else { format!("/runs/{page}") };
            let got = d.types(seen[page], &path, text);
            seen[page] = got.revision;
            let there = got.readings.pointer(&path) == Some(&json!(text));
            let other = got.conflicts.iter().any(|c| c.path == path && c.other == json!(text));
            prop_assert!(there || other, "{path} {text}: {got:?}");
        }
        let last = d.store.whole_draft(d.job, "drive").unwrap().unwrap();
        for page in [false, true] {
            let typed = order.iter().rfind(|(p, f, _)| *p == page && *f != 2).map(|(_, _, t)| t.clone());
            if let Some(t) = typed {
                prop_assert_eq!(&last.readings["runs"][usize::from(page)], &json!(t));
            }
        }
    }
}
