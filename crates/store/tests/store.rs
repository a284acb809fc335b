//! What is kept, and that all of it or none of it is.

#![allow(clippy::unwrap_used)]

use serde_json::json;
use wattotherm_job::Context;
use wattotherm_job::effects::effects_of;
use wattotherm_job::house::{Choice, OwnStep, RuleId, ToleranceId};
use wattotherm_job::route::Stop;
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_measure::Verdict;
use wattotherm_printer::{Parameter, Part, Replacement};
use wattotherm_store::{
    About, JobFile, LogFilter, NewFilament, NewJob, NewPrinter, NewSetting, OpenOptions, Store,
    StoreError,
};

const AT: [&str; 4] = [
    "2026-01-01T08:00:00.000Z",
    "2026-01-02T08:00:00.000Z",
    "2026-01-03T08:00:00.000Z",
    "2026-01-04T08:00:00.000Z",
];

struct Shop {
    store: Store,
    printer: i64,
    filament: i64,
    folder: tempfile::TempDir,
}

fn shop() -> Shop {
    let crate::common::Shop {
        mut store,
        folder,
        printer,
    } = crate::common::shop(AT[0]);
    let filament = store
        .add_filament(&NewFilament {
            name: "PLA".into(),
            material: "PLA".into(),
        })
        .unwrap();
    Shop {
        store,
        printer,
        filament,
        folder,
    }
}

impl Shop {
    /// As if all were handed over.
    fn end_jobs(&self) {
        rusqlite::Connection::open(self.folder.path().join("shop.sqlite"))
            .unwrap()
            .execute("UPDATE job SET finished_at = opened_at", [])
            .unwrap();
    }

    /// Its settings of the drive, the newest first.
    fn drives(&self) -> Vec<wattotherm_store::Setting> {
        let mut all = self.store.settings(self.printer).unwrap();
        all.retain(|x| x.parameter == Parameter::Drive);
        all
    }

    fn soft_filament(&mut self) -> i64 {
        let tpu = NewFilament {
            name: "TPU".into(),
            material: "TPU".into(),
        };
        self.store.add_filament(&tpu).unwrap()
    }

    fn job(&mut self, replaced: &[Replacement]) -> wattotherm_store::Job {
        let new = NewJob {
            printer_id: self.printer,
            replaced: replaced.to_vec(),
            filament_ids: vec![self.filament],
            ..NewJob::default()
        };
        let id = self.store.start_job(&new, AT[1]).unwrap();
        self.store.job(id).unwrap()
    }

    fn put(&mut self, parameter: Parameter, filament_id: Option<i64>, value: f64, at: &str) {
        let new = NewSetting {
            parameter,
            filament_id,
            value: Some(value),
            value_text: None,
            expanded: None,
        };
        self.store.put_setting(self.printer, &new, at).unwrap();
    }

    fn drive(&mut self, job: &wattotherm_store::Job, set: f64, runs: &[f64]) -> i64 {
        let readings = json!({"steps_set": set, "mark_mm": 120, "feed_mm": 100, "instrument": "caliper", "runs": runs});
        let context = Context::default();
        let finding = stations::Drive.evaluate(&readings, &context).unwrap();
        let stop = Stop::Parameter(Parameter::Drive, None);
        let effects = effects_of(stop, &readings, &finding, &context);
        self.store
            .close_station(job, stop, &readings, &finding, &effects, AT[2])
            .unwrap()
    }
}

#[test]
fn a_setting_ends_where_the_next_begins_and_none_is_overwritten() {
    let mut s = shop();
    s.put(Parameter::Drive, None, 93.0, AT[0]);
    s.put(Parameter::Drive, None, 95.0, AT[1]);
    s.put(Parameter::Flow, Some(s.filament), 98.0, AT[1]);
    let drive = s.drives();
    assert_eq!(
        (drive[0].value, drive[0].until_at.as_deref()),
        (Some(95.0), None)
    );
    assert_eq!(
        (drive[1].value, drive[1].until_at.as_deref()),
        (Some(93.0), Some(AT[1]))
    );
}

#[test]
fn a_fitting_ends_the_one_before_it() {
    let mut s = shop();
    s.store
        .fit(s.printer, Part::Nozzle, "brass 0.4", None, AT[0])
        .unwrap();
    s.store
        .fit(s.printer, Part::Nozzle, "steel 0.6", None, AT[2])
        .unwrap();
    let all = s.store.fittings(s.printer).unwrap();
    assert_eq!(
        (all[0].description.as_str(), all[0].until_at.as_deref()),
        ("steel 0.6", None)
    );
    assert_eq!(
        (all[1].description.as_str(), all[1].until_at.as_deref()),
        ("brass 0.4", Some(AT[2]))
    );
}

#[test]
fn closing_keeps_readings_finding_value_and_log_together_and_drops_the_draft() {
    let mut s = shop();
    s.put(Parameter::Drive, None, 93.0, AT[0]);
    let job = s.job(&[Replacement::ExtruderDrive]);
    s.store
        .save_draft(job.id, "drive", &json!({"runs": ["27"]}), AT[2])
        .unwrap();
    let seq = s.drive(&job, 93.0, &[27.0, 27.1]);
    let closings = s.store.closings(job.id).unwrap();
    assert_eq!(
        (
            closings.len(),
            closings[0].seq,
            closings[0].finding.facts.verdict
        ),
        (1, seq, Verdict::Adjust)
    );
    assert_eq!(s.store.draft(job.id, "drive").unwrap(), None);
    let setting = s
        .store
        .settings(s.printer)
        .unwrap()
        .into_iter()
        .find(|x| x.parameter == Parameter::Drive)
        .unwrap();
    assert_eq!(
        (setting.value, setting.log_id),
        (closings[0].finding.facts.after, Some(seq))
    );
    let line = &s.store.logbook(&LogFilter::default()).unwrap()[0];
    assert_eq!((line.id, line.verdict), (seq, Some(Verdict::Adjust)));
}

#[test]
fn a_second_closing_supersedes_the_first_in_the_open() {
    let mut s = shop();
    let job = s.job(&[Replacement::ExtruderDrive]);
    let first = s.drive(&job, 93.0, &[27.0, 27.1]);
    let second = s.drive(&job, 100.3, &[20.0, 20.0]);
    let closings = s.store.closings(job.id).unwrap();
    assert_eq!(
        closings.iter().map(|c| c.superseded).collect::<Vec<_>>(),
        [true, false]
    );
    let log = s
        .store
        .logbook(&LogFilter {
            job_id: Some(job.id),
            ..LogFilter::default()
        })
        .unwrap();
    let entry = |id| log.iter().find(|e| e.id == id).unwrap();
    assert_eq!(
        (entry(second).supersedes, entry(first).superseded_by),
        (Some(first), Some(second))
    );
}

#[test]
fn a_stop_leaves_the_value_as_it_was() {
    let mut s = shop();
    s.put(Parameter::Drive, None, 93.0, AT[0]);
    let job = s.job(&[Replacement::ExtruderDrive]);
    s.drive(&job, 93.0, &[70.0, 70.0]);
    let drive = s.drives();
    assert_eq!((drive.len(), drive[0].value), (1, Some(93.0)));
}

#[test]
fn reopening_gives_the_readings_back_and_needs_a_closing() {
    let mut s = shop();
    let job = s.job(&[Replacement::ExtruderDrive]);
    let stop = Stop::Parameter(Parameter::Drive, None);
    assert!(matches!(
        s.store.reopen_station(&job, stop, "why not", AT[2]),
        Err(StoreError::Conflict(_))
    ));
    s.drive(&job, 100.0, &[20.0, 20.0]);
    s.store
        .reopen_station(&job, stop, "gear slipped", AT[3])
        .unwrap();
    assert_eq!(
        s.store.draft(job.id, "drive").unwrap().unwrap()["runs"],
        json!([20.0, 20.0])
    );
    assert_eq!(s.store.events(job.id).unwrap().len(), 2);
}

#[test]
fn other_filaments_fall_into_doubt_and_a_redo_is_never_weakened() {
    let mut s = shop();
    let other = s.soft_filament();
    s.put(Parameter::Retraction, Some(other), 5.0, AT[0]);
    s.job(&[Replacement::Tube]);
    s.end_jobs();
    s.job(&[Replacement::FilamentCutter]);
    let marks = s.store.stale(s.printer).unwrap();
    let retraction = marks
        .iter()
        .find(|m| m.parameter == Parameter::Retraction)
        .unwrap();
    assert_eq!(
        (retraction.filament_id, retraction.strength.word()),
        (Some(other), "redo")
    );
    assert_eq!(
        retraction.clause,
        "the tube was replaced in job 1, with another filament"
    );
    let mine = marks
        .iter()
        .filter(|m| m.filament_id == Some(s.filament))
        .count();
    assert_eq!(mine, 0);
}

#[test]
fn a_moved_machine_value_puts_other_filaments_in_doubt_too() {
    let mut s = shop();
    let other = s.soft_filament();
    s.put(Parameter::Flow, Some(other), 101.0, AT[0]);
    let job = s.job(&[Replacement::BedSurface]);
    assert!(s.store.stale(s.printer).unwrap().is_empty());
    s.drive(&job, 93.0, &[27.0, 27.1]);
    let marks = s.store.stale(s.printer).unwrap();
    let flow = marks
        .iter()
        .find(|m| m.parameter == Parameter::Flow)
        .unwrap();
    assert_eq!(
        (flow.strength.word(), flow.clause.as_str()),
        ("redo", "the drive moved in job 1, with another filament")
    );
}

#[test]
fn house_rules_outlive_the_process_and_bad_ones_are_refused() {
    let mut s = shop();
    let choice = Choice {
        option: "c240".into(),
        reason: "tested here".into(),
    };
    s.store
        .choose(RuleId::LinedCeiling, &choice, AT[1])
        .unwrap();
    s.store
        .set_tolerance(ToleranceId::TramMm, 0.08, AT[1])
        .unwrap();
    let mut rule = s.store.house().unwrap().instruments[0].clone();
    rule.half_width = 0.25;
    s.store.set_instrument(&rule, AT[1]).unwrap();
    rule.half_width = 0.0;
    assert!(
        s.store
            .set_instrument(&rule, AT[1])
            .unwrap_err()
            .to_string()
            .contains("no instrument is exact")
    );
    assert!(
        s.store
            .set_tolerance(ToleranceId::TramMm, f64::NAN, AT[1])
            .is_err()
    );
    let path = s.store.path().to_owned();
    drop(s.store);
    let house = Store::open(&path, OpenOptions::default())
        .unwrap()
        .house()
        .unwrap();
    assert_eq!(house.option(RuleId::LinedCeiling).id, "c240");
    assert_eq!(house.reason(RuleId::LinedCeiling), "tested here");
    assert!((house.tolerance(ToleranceId::TramMm) - 0.08).abs() < 1e-12);
    assert!((house.instruments[0].half_width - 0.25).abs() < 1e-12);
    drop(s.folder);
}

#[test]
fn steps_of_the_shop_are_kept_in_order_replaced_by_name_and_taken_away() {
    let mut s = shop();
    let step = |id: &str, act: &str| OwnStep {
        list: "hand_over".into(),
        id: id.into(),
        after: String::new(),
        act: act.into(),
        check: String::new(),
    };
    for (id, act) in [
        ("b", "Blow it out"),
        ("a", "Wipe it"),
        ("b", "Blow it out twice"),
    ] {
        s.store.set_own_step(&step(id, act), AT[1]).unwrap();
    }
    let acts = |s: &Store| -> Vec<String> {
        let own = s.house().unwrap().own_steps;
        own.into_iter().map(|o| o.act).collect()
    };
    assert_eq!(acts(&s.store), ["Blow it out twice", "Wipe it"]);
    for i in 2..30 {
        s.store
            .set_own_step(&step(&format!("s{i}"), "Look"), AT[1])
            .unwrap();
    }
    assert!(
        s.store
            .set_own_step(&step("one_more", "Look"), AT[1])
            .is_err()
    );
    s.store
        .set_own_step(&step("a", "Wipe it dry"), AT[1])
        .unwrap();
    s.store.drop_own_step("hand_over", "b", AT[1]).unwrap();
    assert!(s.store.drop_own_step("hand_over", "b", AT[1]).is_err());
    assert_eq!(acts(&s.store)[0], "Wipe it dry");
}

#[test]
fn the_logbook_is_filtered_by_printer_part_and_words() {
    let mut s = shop();
    s.job(&[Replacement::NozzleSame]);
    s.store
        .note(
            About {
                printer_id: Some(s.printer),
                ..About::default()
            },
            "bench A",
            "Brushed the NOZZLE tip",
            AT[2],
        )
        .unwrap();
    let count = |f: LogFilter| s.store.logbook(&f).unwrap().len();
    assert_eq!(
        count(LogFilter {
            printer_id: Some(s.printer),
            ..LogFilter::default()
        }),
        3
    );
    assert_eq!(
        count(LogFilter {
            printer_id: Some(99),
            ..LogFilter::default()
        }),
        0
    );
    assert_eq!(
        count(LogFilter {
            part: Some(Part::Nozzle),
            ..LogFilter::default()
        }),
        1
    );
    assert_eq!(
        count(LogFilter {
            part: Some(Part::Tube),
            ..LogFilter::default()
        }),
        0
    );
    assert_eq!(
        count(LogFilter {
            text: Some("nozzle tip".into()),
            ..LogFilter::default()
        }),
        1
    );
    assert_eq!(
        count(LogFilter {
            text: Some("%' OR 1=1 --".into()),
            ..LogFilter::default()
        }),
        0
    );
}

#[test]
fn a_job_survives_export_and_import_and_junk_imports_nothing() {
    let mut s = shop();
    let job = s.job(&[Replacement::ExtruderDrive]);
    s.drive(&job, 93.0, &[27.0, 27.1]);
    s.drive(&job, 100.3, &[20.0, 20.0]);
    let file = s.store.export(job.id).unwrap();
    let text = serde_json::to_string_pretty(&file).unwrap();
    let again = JobFile::parse(&text).unwrap();
    assert_eq!(again, file);
    let mut elsewhere = shop();
    let id = elsewhere.store.import(&again, AT[3]).unwrap();
    assert_eq!(elsewhere.store.export(id).unwrap(), file);
    let jobs = s.store.jobs().unwrap().len();
    for (broken, says) in [
        (
            "",
            "Line 1, column 0, the file: EOF while parsing a value. Nothing was imported.",
        ),
        ("[1, 2]", "Nothing was imported."),
        ("{\"wattotherm_job\": 1}", "missing field"),
    ] {
        let error = JobFile::parse(broken).unwrap_err().to_string();
        assert!(error.contains(says), "{broken}: {error}");
    }
    let unknown = text.replacen("\"complaint\"", "\"compliant\"", 1);
    let error = JobFile::parse(&unknown).unwrap_err().to_string();
    assert!(
        error.contains("unknown field `compliant`") && error.contains("job"),
        "{error}"
    );
    assert_eq!(s.store.jobs().unwrap().len(), jobs);
}

#[test]
fn a_job_on_a_printer_or_filament_that_is_not_there_leaves_no_trace() {
    let mut s = shop();
    let before = s.store.logbook(&LogFilter::default()).unwrap().len();
    for (printer_id, filament) in [(99, s.filament), (s.printer, 99)] {
        let new = NewJob {
            printer_id,
            replaced: vec![Replacement::Tube],
            filament_ids: vec![filament],
            ..NewJob::default()
        };
        assert!(matches!(
            s.store.start_job(&new, AT[1]),
            Err(StoreError::NotFound { .. })
        ));
    }
    assert!(s.store.jobs().unwrap().is_empty());
    assert_eq!(
        s.store.logbook(&LogFilter::default()).unwrap().len(),
        before
    );
}

#[test]
fn a_file_that_is_no_database_is_not_touched() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("letter.txt");
    std::fs::write(
        &path,
        "Dear workshop, this is a letter and no database at all.".repeat(40),
    )
    .unwrap();
    let before = std::fs::read(&path).unwrap();
    assert!(Store::open(&path, OpenOptions::default()).is_err());
    assert_eq!(std::fs::read(&path).unwrap(), before);
}

#[test]
fn logs_the_wire_connections_and_cooling_are_kept() {
    use wattotherm_heat::{Cooling, Sample, Trace};
    use wattotherm_store::{Connection, NewTrace, NewWire};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shop.sqlite");
    let mut store = Store::open(&path, OpenOptions::default()).unwrap();
    let new = NewPrinter {
        name: "Alder".into(),
        kind: "bed-slinger".into(),
        facts: wattotherm_printer::PrinterFacts::default(),
        invented: false,
    };
    let at = "2026-01-02T08:00:00.000Z";
    let id = store.add_printer(&new, at).unwrap();
    let trace = Trace::new((0..5).map(|i| Sample {
        t_s: f64::from(i) * 0.25,
        temp_c: 200.123_4 + f64::from(i),
        target_c: (i > 0).then_some(210.0),
        duty: (i > 1).then_some(0.512_34),
        fan: None,
    }));
    let kept = store
        .keep_trace(
            &NewTrace {
                printer_id: id,
                job_id: None,
                kind: "hold",
                target_c: Some(210.0),
                trace: &trace,
                source: None,
            },
            at,
        )
        .unwrap();
    let line = |text: &str| NewWire {
        printer_id: id,
        at: at.into(),
        way: "sent",
        text: text.into(),
    };
    store
        .keep_wire(&[line("N1 M104 S210*1"), line("N2 M105*2")])
        .unwrap();
    let connection = Connection {
        printer_id: id,
        address: r#"{"kind":"tcp","host":"127.0.0.1:4871"}"#.into(),
        wanted: true,
    };
    store.put_connection(&connection).unwrap();
    let cooling = Cooling {
        tau_s: 275.5,
        ambient_c: 21.0,
        own: true,
    };
    store.put_cooling(id, &cooling, at).unwrap();
    drop(store);
    // Everything is there for whoever opens the file next.
    let store = Store::open(&path, OpenOptions::default()).unwrap();
    let (head, back) = store.trace(kept).unwrap();
    assert_eq!((head.kind.as_str(), head.target_c), ("hold", Some(210.0)));
    assert_eq!(back.samples.len(), 5);
    assert_eq!(back.samples[0].target_c, None);
    assert!((back.samples[4].temp_c - 204.123).abs() < 1e-9);
    assert_eq!(back.samples[4].duty, Some(0.5123));
    assert_eq!(store.traces(id).unwrap(), [head]);
    assert!(store.trace(kept + 1).is_err());
    assert_eq!(store.wire(id, None, None).unwrap().len(), 2);
    let found = store.wire(id, Some("s210"), None).unwrap();
    assert_eq!(found[0].text, "N1 M104 S210*1");
    assert!(store.wire(id, None, Some(found[0].id)).unwrap().is_empty());
    assert_eq!(store.connections().unwrap(), [connection]);
    assert_eq!(store.cooling(id).unwrap(), Some(cooling));
    assert_eq!(store.cooling(id + 1).unwrap(), None);
}

#[test]
fn an_export_holds_every_entry_of_a_long_job() {
    let mut s = shop();
    let job = s.job(&[Replacement::NozzleSame]);
    let stop: Stop = "intake".parse().unwrap();
    let readings = json!({"version": 1});
    let finding = stations::Check
        .evaluate(
            &readings,
            &Context {
                list: Some("intake".into()),
                ..Context::default()
            },
        )
        .unwrap();
    for i in 0..130 {
        s.store
            .close_station(&job, stop, &readings, &finding, &[], AT[1])
            .unwrap();
        s.store
            .reopen_station(&job, stop, &format!("again {i}"), AT[1])
            .unwrap();
    }
    let file = s.store.export(job.id).unwrap();
    assert_eq!(file.entries.len(), 260, "more than one page of the logbook");
    assert!(
        file.entries[1].text.ends_with("again 0"),
        "the oldest first"
    );
}
