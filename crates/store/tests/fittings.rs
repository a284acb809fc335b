//! What is fitted over time: by closings, taken back by reopening, put right by hand.

#![allow(clippy::unwrap_used)]

use crate::common::Shop;
use rusqlite::Connection;
use serde_json::{Value, json};
use wattotherm_job::Context;
use wattotherm_job::effects::{effects_of, effects_of_edit};
use wattotherm_job::house::House;
use wattotherm_job::route::Stop;
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_printer::{Fitted, HotEndKind, NozzleMaterial, Parameter, Part, Replacement};
use wattotherm_store::{Job, JobFile, LogFilter, NewJob, NewSetting, StoreError};

const DAY: [&str; 6] = [
    "2026-01-01T08:00:00.000Z",
    "2026-01-02T08:00:00.000Z",
    "2026-01-03T08:00:00.000Z",
    "2026-01-04T08:00:00.000Z",
    "2026-01-05T08:00:00.000Z",
    "2026-01-06T08:00:00.000Z",
];

fn shop() -> Shop {
    crate::common::shop(DAY[0])
}

impl Shop {
    fn job(&mut self, replaced: &[Replacement], day: &str) -> Result<Job, StoreError> {
        let new = NewJob {
            printer_id: self.printer,
            replaced: replaced.to_vec(),
            ..serde_json::from_value(json!({"printer_id": 0, "replaced": []})).unwrap()
        };
        let id = self.store.start_job(&new, day)?;
        self.store.job(id)
    }

    /// Closes the sheet of a replacement as the server does.
    fn fit(&mut self, job: &Job, r: Replacement, told: &[(&str, &str)], day: &str) {
        let context = Context {
            printer: self.store.printer(self.printer).unwrap().facts,
            list: Some(format!("fit.{}", r.id())),
            ..Context::default()
        };
        let mut readings: Value = stations::Check.start(&context);
        for step in readings["steps"].as_array_mut().unwrap() {
            step["state"] = json!("done");
        }
        readings["counted_out"] = json!("2");
        readings["counted_in"] = json!("2");
        for (path, text) in told {
            readings["fitted"][*path] = json!(text);
        }
        let finding = stations::Check.evaluate(&readings, &context).unwrap();
        let stop = Stop::Fit(r);
        let effects = effects_of(stop, &readings, &finding, &context);
        self.store
            .close_station(job, stop, &readings, &finding, &effects, day)
            .unwrap();
    }

    fn ceiling_in_force(&self) -> Option<f64> {
        let all = self.store.settings(self.printer).unwrap();
        all.iter()
            .find(|s| s.parameter == Parameter::Ceiling && s.until_at.is_none())
            .and_then(|s| s.value)
    }

    fn hot_end(&self, at: Option<&str>) -> HotEndKind {
        self.store
            .printer_at(self.printer, at)
            .unwrap()
            .facts
            .hot_end
    }
}

#[test]
fn a_conversion_is_what_the_printer_is_from_its_day_on_until_it_is_reopened() {
    let mut s = shop();
    let found = NewSetting {
        parameter: Parameter::Ceiling,
        filament_id: None,
        value: Some(235.0),
        value_text: None,
        expanded: None,
    };
    s.store.put_setting(s.printer, &found, DAY[1]).unwrap();
    let r = Replacement::HeatBreakToAllMetal;
    let job = s.job(&[r], DAY[2]).unwrap();
    s.fit(&job, r, &[], DAY[3]);
    assert_eq!(s.hot_end(None), HotEndKind::AllMetal);
    assert_eq!(s.hot_end(Some(DAY[2])), HotEndKind::Lined);
    assert_eq!(s.ceiling_in_force(), None, "it was found with the liner");
    s.store
        .reopen_station(&job, Stop::Fit(r), "the old one is back in", DAY[4])
        .unwrap();
    assert_eq!(s.hot_end(None), HotEndKind::Lined);
    assert_eq!(
        s.hot_end(Some(DAY[3])),
        HotEndKind::AllMetal,
        "history stays"
    );
    s.fit(&job, r, &[], DAY[5]);
    assert_eq!(s.hot_end(None), HotEndKind::AllMetal);
}

#[test]
fn a_new_bore_is_told_once_and_the_rest_of_the_nozzle_stays_as_it_was() {
    let mut s = shop();
    let r = Replacement::NozzleOtherBore;
    let job = s.job(&[r], DAY[1]).unwrap();
    s.fit(
        &job,
        r,
        &[("nozzle.bore_mm", "0.6"), ("nozzle.material", "")],
        DAY[2],
    );
    let facts = s.store.printer(s.printer).unwrap().facts;
    assert_eq!(
        (facts.nozzle_mm, facts.nozzle),
        (0.6, NozzleMaterial::Brass)
    );
    let nozzles: Vec<_> = s
        .store
        .fittings(s.printer)
        .unwrap()
        .into_iter()
        .filter(|f| f.part == Part::Nozzle)
        .collect();
    assert_eq!(nozzles.len(), 2);
    assert_eq!(
        nozzles[0].description,
        "nozzle, other bore: bore 0.6 mm, brass"
    );
    assert_eq!(nozzles[1].until_at.as_deref(), Some(DAY[2]));
}

#[test]
fn a_printer_is_put_right_and_renamed_and_the_book_says_so() {
    let mut s = shop();
    let known = s.store.fitted(s.printer).unwrap();
    let told = [Fitted::Nozzle {
        bore_mm: Some(0.8),
        material: None,
        mount: None,
    }];
    let effects = effects_of_edit(&known, &told, &House::default());
    s.store
        .edit_printer(s.printer, "Birch", "cube", &effects, DAY[1])
        .unwrap();
    let p = s.store.printer(s.printer).unwrap();
    assert_eq!(
        (p.name.as_str(), p.kind.as_str(), p.facts.nozzle_mm),
        ("Birch", "cube", 0.8)
    );
    let book = s.store.logbook(&Default::default()).unwrap();
    assert_eq!(
        book[0].text,
        "Birch put right: renamed, was Alder; kind: cube; bore 0.8 mm (was bore 0.4 mm), material not known (was brass)"
    );
    // Nothing changed: nothing written.
    let known = s.store.fitted(s.printer).unwrap();
    let none = effects_of_edit(&known, &known, &House::default());
    s.store
        .edit_printer(s.printer, "Birch", "cube", &none, DAY[2])
        .unwrap();
    assert_eq!(
        s.store.logbook(&Default::default()).unwrap().len(),
        book.len()
    );
}

#[test]
fn a_retired_printer_takes_no_job_and_keeps_its_history() {
    let mut s = shop();
    let job = s.job(&[Replacement::NozzleSame], DAY[1]).unwrap();
    let refused = s.store.retire_printer(s.printer, true, DAY[2]).unwrap_err();
    assert_eq!(
        refused.to_string(),
        format!("Alder has an open job. Hand job {} over first.", job.id)
    );
    finish(&s, job.id);
    s.store.retire_printer(s.printer, true, DAY[2]).unwrap();
    let refused = s.job(&[Replacement::NozzleSame], DAY[3]).unwrap_err();
    assert_eq!(
        refused.to_string(),
        "Alder is retired. Take it back into the shop on its page first."
    );
    assert!(!s.store.fittings(s.printer).unwrap().is_empty());
    s.store.retire_printer(s.printer, false, DAY[3]).unwrap();
    assert!(s.job(&[Replacement::NozzleSame], DAY[3]).is_ok());
}

fn finish(s: &Shop, job: i64) {
    Connection::open(s.folder.path().join("shop.sqlite"))
        .unwrap()
        .execute(
            "UPDATE job SET finished_at = ?2 WHERE id = ?1",
            rusqlite::params![job, DAY[2]],
        )
        .unwrap();
}

#[test]
fn a_printer_has_one_open_job_however_another_would_come() {
    let mut s = shop();
    let first = s.job(&[Replacement::NozzleSame], DAY[1]).unwrap();
    s.fit(&first, Replacement::NozzleSame, &[], DAY[1]);
    let refused = s.job(&[Replacement::NozzleSame], DAY[2]).unwrap_err();
    assert!(matches!(refused, StoreError::Conflict(_)));
    // By a file.
    let file: JobFile = s.store.export(first.id).unwrap();
    assert!(s.store.import(&file, DAY[2]).is_err());
    // By reopening.
    finish(&s, first.id);
    let second = s.job(&[Replacement::NozzleSame], DAY[3]).unwrap();
    let refused = s
        .store
        .reopen_station(&first, Stop::Fit(Replacement::NozzleSame), "again", DAY[4])
        .unwrap_err();
    assert_eq!(
        refused.to_string(),
        format!(
            "Job {} is open on this printer, and there can be one. Hand it over first; then this one can be opened again.",
            second.id
        )
    );
    // And by whoever writes past all of it.
    let raw = Connection::open(s.folder.path().join("shop.sqlite")).unwrap();
    assert!(
        raw.execute("UPDATE job SET finished_at = NULL", [])
            .is_err()
    );
}

#[test]
fn what_was_read_before_a_part_went_in_is_set_aside_and_stands_in_the_logbook() {
    let mut s = shop();
    let heater = Replacement::HeaterCartridge;
    let job = s.job(&[heater], DAY[0]).unwrap();
    let read = json!({"target_c": "235", "sink_c": " ", "verify": {"target_c": 235.0}});
    let type_both = |s: &mut Shop, at: &str| {
        for stop in ["heater_loop", "drive"] {
            s.store.save_draft(job.id, stop, &read, at).unwrap();
        }
    };
    let draft = |s: &Shop, stop: &str| s.store.draft(job.id, stop).unwrap();
    type_both(&mut s, DAY[1]);
    s.fit(&job, heater, &[], DAY[1]);
    assert_eq!(draft(&s, "heater_loop"), None);
    assert!(draft(&s, "drive").is_some(), "a heater moves no steps");
    let log = s.store.logbook(&LogFilter::default()).unwrap();
    let set_aside: Vec<&str> = (log.iter().filter(|l| l.kind == "note"))
        .map(|l| l.text.as_str())
        .collect();
    assert_eq!(
        set_aside,
        [
            "Heater loop: set aside, since it was read before the new heater cartridge: print temperature 235 °C, verification"
        ]
    );
    // The sheet put right is no new part: what was read since stays.
    type_both(&mut s, DAY[2]);
    s.store
        .reopen_station(&job, Stop::Fit(heater), "miscounted", DAY[3])
        .unwrap();
    s.fit(&job, heater, &[], DAY[4]);
    assert!(draft(&s, "heater_loop").is_some());
}
