//! What happens to a job besides its stations is kept with its line in the book, does what follows from it, and
//! goes along in a file.

#![allow(clippy::unwrap_used)]

use crate::common::{Shop, shop};
use serde_json::json;
use wattotherm_job::Lasts;
use wattotherm_job::chain::Strength;
use wattotherm_job::route::{Deed, Ending, LeftOpen, Stop, left_in_doubt, traveller};
use wattotherm_printer::{Parameter, Replacement};
use wattotherm_store::{
    Job, JobEnd, JobFile, LogFilter, MarkShape, NewFilament, NewJob, NewPhoto, NewSetting,
    PhotoMark, PhotoWords, StoreError,
};

const DAY: [&str; 3] = [
    "2026-01-01T08:00:00.000Z",
    "2026-01-02T08:00:00.000Z",
    "2026-01-03T08:00:00.000Z",
];

fn start(s: &mut Shop, replaced: &[Replacement]) -> Job {
    let new = NewJob {
        printer_id: s.printer,
        replaced: replaced.to_vec(),
        technician: "bench A".into(),
        failure_times_min: vec![52.0],
        ..NewJob::default()
    };
    let id = s.store.start_job(&new, DAY[1]).unwrap();
    s.store.job(id).unwrap()
}

fn did(s: &mut Shop, job: &Job, deed: &Deed) -> Job {
    s.store
        .add_deed(job, deed, &deed.says(str::to_owned), &[], DAY[2])
        .unwrap();
    s.store.job(job.id).unwrap()
}

fn because(reason: &str) -> String {
    reason.to_owned()
}

#[test]
fn parts_come_and_go_and_what_the_job_began_with_stays() {
    let mut s = shop(DAY[0]);
    let job = start(&mut s, &[Replacement::NozzleSame]);
    let added = Deed::PartAdded {
        part: Replacement::Tube,
        reason: because("its end is brown"),
    };
    let job = did(&mut s, &job, &added);
    assert_eq!(job.replaced, [Replacement::NozzleSame, Replacement::Tube]);
    assert_eq!(job.began_with, [Replacement::NozzleSame]);
    let taken = Deed::PartTaken {
        part: Replacement::NozzleSame,
        reason: because("it is sharp"),
    };
    let job = did(&mut s, &job, &taken);
    assert_eq!(job.replaced, [Replacement::Tube]);
    let log = s.store.logbook(&LogFilter::default()).unwrap();
    assert!(
        log.iter()
            .any(|l| l.text == "Added to the job: tube; its end is brown" && l.who == "bench A")
    );
}

#[test]
fn a_part_added_later_puts_the_other_filaments_in_doubt() {
    let mut s = shop(DAY[0]);
    let other = NewFilament {
        name: "TPU".into(),
        material: "TPU".into(),
    };
    let other = s.store.add_filament(&other).unwrap();
    let retraction = NewSetting {
        parameter: Parameter::Retraction,
        filament_id: Some(other),
        value: Some(2.0),
        value_text: None,
        expanded: None,
    };
    s.store.put_setting(s.printer, &retraction, DAY[0]).unwrap();
    let job = start(&mut s, &[Replacement::SiliconeSock]);
    assert!(s.store.stale(s.printer).unwrap().is_empty());
    let added = Deed::PartAdded {
        part: Replacement::Tube,
        reason: because("kinked"),
    };
    did(&mut s, &job, &added);
    let marks = s.store.stale(s.printer).unwrap();
    let of = |p: Parameter| marks.iter().find(|m| m.parameter == p);
    let retraction = of(Parameter::Retraction).unwrap();
    assert_eq!(
        (retraction.filament_id, retraction.strength),
        (Some(other), Strength::Redo)
    );
    assert_eq!(of(Parameter::Flow).unwrap().strength, Strength::Verify);
    assert!(
        of(Parameter::PrintTemp).is_none(),
        "a tube doesn’t touch it"
    );
}

#[test]
fn a_time_after_which_it_came_back_is_one_more_time_to_failure_and_opens_the_job() {
    let mut s = shop(DAY[0]);
    let job = start(&mut s, &[Replacement::NozzleSame]);
    let ended = Deed::Ended {
        how: Ending::Cancelled,
        reason: because("wrong printer"),
    };
    let over = did(&mut s, &job, &ended);
    assert_eq!(
        (over.ended, over.finished_at.is_some()),
        (Some(JobEnd::Cancelled), true)
    );
    let back = Deed::CameBack {
        after_min: Some(70.0),
        reason: because("thin again"),
    };
    // There can be one open job of a printer.
    let second = start(&mut s, &[Replacement::Tube]);
    let refused = s.store.add_deed(&over, &back, "it came back", &[], DAY[2]);
    assert!(matches!(refused, Err(StoreError::Conflict(_))));
    did(&mut s, &second, &ended);
    let again = did(&mut s, &over, &back);
    assert_eq!((&again.ended, &again.finished_at), (&None, &None));
    assert_eq!(
        again.failure_times_min,
        [52.0],
        "what was known when it began"
    );
    let facts = s.store.job_facts(&again).unwrap();
    let events = s.store.events(again.id).unwrap();
    let card = traveller(&s.store.house().unwrap(), &facts, &events);
    assert_eq!(card.returned_after_min, [70.0]);
}

#[test]
fn a_job_that_ends_unfixed_leaves_its_open_values_in_doubt_those_of_the_machine_too() {
    let mut s = shop(DAY[0]);
    let job = start(&mut s, &[Replacement::ExtruderDrive]);
    let card = {
        let facts = s.store.job_facts(&job).unwrap();
        traveller(
            &s.store.house().unwrap(),
            &facts,
            &s.store.events(job.id).unwrap(),
        )
    };
    let left: Vec<LeftOpen> = left_in_doubt(&card, job.id);
    assert!(
        left.iter()
            .any(|l| l.parameter == Parameter::Drive && l.filament_id.is_none())
    );
    let ended = Deed::Ended {
        how: Ending::Unfixed,
        reason: because("no gear to be had"),
    };
    s.store
        .add_deed(&job, &ended, "closed unfixed", &left, DAY[2])
        .unwrap();
    let marks = s.store.stale(s.printer).unwrap();
    let drive = marks
        .iter()
        .find(|m| m.parameter == Parameter::Drive)
        .unwrap();
    assert_eq!((drive.filament_id, drive.strength), (None, Strength::Redo));
    assert_eq!(drive.clause, format!("it was left open in job {}", job.id));
    // The next job opens it, whatever it is about.
    let next = start(&mut s, &[Replacement::SiliconeSock]);
    let facts = s.store.job_facts(&next).unwrap();
    assert!(facts.stale.contains_key(&(Parameter::Drive, None)));
}

#[test]
fn whoever_goes_on_with_a_job_is_who_closes_its_stations() {
    let mut s = shop(DAY[0]);
    let job = start(&mut s, &[Replacement::Tube]);
    let on = Deed::HandedOn {
        to: "bench C".into(),
        reason: String::new(),
    };
    let job = did(&mut s, &job, &on);
    assert_eq!(job.technician, "bench C");
    let entry = s.store.deeds(job.id).unwrap().remove(0);
    assert_eq!(
        (entry.says.as_str(), entry.who.as_str()),
        ("Handed on to bench C", "bench A")
    );
}

#[test]
fn deeds_and_pictures_go_along_in_a_file() {
    let mut s = shop(DAY[0]);
    let job = start(&mut s, &[Replacement::NozzleSame]);
    let back = Deed::CameBack {
        after_min: None,
        reason: because("strings"),
    };
    let waived = Deed::Waived {
        stop: "baseline".into(),
        reason: because("it can’t print"),
    };
    did(&mut s, &job, &back);
    s.store
        .add_deed(&job, &waived, "left out", &[], DAY[2])
        .unwrap();
    let blob = s
        .store
        .files()
        .keep(b"no jpeg, but a file", "image/jpeg")
        .unwrap();
    let new = NewPhoto {
        caption: "",
        stop: Stop::Baseline,
        step: "",
        name: "tip.jpg",
        size: [40, 20],
    };
    let id = s.store.add_photo(&job, new, &blob, DAY[2]).unwrap();
    let words = PhotoWords {
        caption: "a clump".into(),
        marks: vec![PhotoMark {
            shape: MarkShape::Ring,
            from: [0.1, 0.2],
            to: [0.3, 0.4],
        }],
    };
    s.store.describe_photo(id, &words).unwrap();
    let ended = Deed::Ended {
        how: Ending::Unfixed,
        reason: because("no time"),
    };
    did(&mut s, &job, &ended);
    let text = serde_json::to_string(&s.store.export(job.id).unwrap()).unwrap();
    let file = JobFile::parse(&text).unwrap();
    let copy = s.store.import(&file, DAY[2]).unwrap();
    let said = |s: &Shop, id: i64| -> Vec<Deed> {
        s.store
            .deeds(id)
            .unwrap()
            .into_iter()
            .map(|d| d.deed)
            .collect()
    };
    assert_eq!(said(&s, copy), [back, waived, ended]);
    assert_eq!(s.store.job(copy).unwrap().ended, Some(JobEnd::Unfixed));
    let photos = s.store.photos(copy).unwrap();
    assert_eq!(
        (photos[0].caption.as_str(), &photos[0].marks),
        ("a clump", &words.marks)
    );
    assert_eq!(s.store.photo_file(photos[0].id).unwrap(), blob);
    // In a shop without the file the job comes all the same.
    let mut elsewhere = shop(DAY[0]);
    let alone = elsewhere.store.import(&file, DAY[2]).unwrap();
    assert!(elsewhere.store.photos(alone).unwrap().is_empty());
    assert_eq!(said(&elsewhere, alone).len(), 3);
}

#[test]
fn a_file_with_a_deed_or_a_mark_that_nobody_can_mean_is_refused_by_its_place() {
    let mut s = shop(DAY[0]);
    let job = start(&mut s, &[Replacement::NozzleSame]);
    let back = Deed::CameBack {
        after_min: Some(40.0),
        reason: because("strings"),
    };
    did(&mut s, &job, &back);
    let blob = s.store.files().keep(b"a file", "image/jpeg").unwrap();
    let new = NewPhoto {
        caption: "",
        stop: Stop::Baseline,
        step: "",
        name: "tip.jpg",
        size: [40, 20],
    };
    s.store.add_photo(&job, new, &blob, DAY[2]).unwrap();
    let good = serde_json::to_value(s.store.export(job.id).unwrap()).unwrap();
    assert!(JobFile::parse(&good.to_string()).is_ok());
    let entry = good["entries"].as_array().unwrap().iter();
    let at = entry.clone().position(|e| !e["deed"].is_null()).unwrap();
    let refused = |path: &str, value: serde_json::Value| {
        let mut bad = good.clone();
        *bad.pointer_mut(path).unwrap() = value;
        JobFile::parse(&bad.to_string()).unwrap_err().to_string()
    };
    for (path, value, says) in [
        (
            format!("/entries/{at}/deed/after_min"),
            json!(-4.0),
            "Type minutes of printing",
        ),
        (format!("/entries/{at}/deed/reason"), json!(""), "Say why"),
        (
            "/photos/0/photo/width".into(),
            json!(0),
            "photos.0.photo.width: A picture is 1 to 10 000",
        ),
        (
            "/photos/0/photo/marks".into(),
            json!([{"shape": "ring", "from": [0, 0], "to": [3, 0.5]}]),
            "photos.0.photo.marks: Draw at most 50 marks",
        ),
    ] {
        let said = refused(&path, value);
        assert!(said.contains(says), "{path}: {said}");
    }
}

#[test]
fn what_is_changed_stays_on_the_printers_record_until_a_later_job_puts_it_back() {
    let mut s = shop(DAY[0]);
    let job = start(&mut s, &[Replacement::SensorSameType]);
    let changed = |what: &str, was: &str, now: &str, lasts| Deed::Changed {
        what: what.into(),
        was: was.into(),
        now: now.into(),
        lasts,
        reason: because("to try it"),
    };
    did(&mut s, &job, &changed("sensor type", "1", "5", Lasts::Loan));
    did(
        &mut s,
        &job,
        &changed("covers", "", "left off", Lasts::Alteration),
    );
    let says = |s: &Shop| -> Vec<String> {
        let all = s.store.changed(s.printer, None).unwrap();
        all.into_iter().map(|c| c.says).collect()
    };
    assert_eq!(says(&s), ["sensor type: 5, was 1", "covers: left off"]);
    // It outlives the job that did it.
    let ended = Deed::Ended {
        how: Ending::Unfixed,
        reason: because("no part"),
    };
    did(&mut s, &job, &ended);
    let second = start(&mut s, &[Replacement::Tube]);
    assert_eq!(says(&s).len(), 2);
    let back = Deed::PutBack {
        what: "Covers".into(),
        reason: String::new(),
    };
    did(&mut s, &second, &back);
    let left = s.store.changed(s.printer, None).unwrap();
    assert_eq!((left.len(), left[0].job_id), (1, job.id));
    // As it was on the day before, all was as it belongs.
    assert!(s.store.changed(s.printer, Some(DAY[0])).unwrap().is_empty());
}
