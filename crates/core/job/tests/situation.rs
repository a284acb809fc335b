//! What is on record around a job: what its stations get of it, whether a value holds, what to do now.
#![allow(clippy::unwrap_used)]

use std::collections::BTreeSet;

use serde_json::json;
use wattotherm_gcode::Command;
use wattotherm_job::finding::Finding;
use wattotherm_job::house::House;
use wattotherm_job::route::{Event, JobFacts, LineState, Stop, Traveller, traveller};
use wattotherm_job::sheets::sheet;
use wattotherm_job::stations::{self, AnyStation as _};
use wattotherm_job::{
    ChainLink, ChainState, Closed, Comes, Context, Desk, InForce, Situation, Waits, what_now,
};
use wattotherm_measure::Verdict;
use wattotherm_printer::{Parameter, PrinterFacts, Replacement};

fn facts() -> JobFacts {
    JobFacts {
        replaced: [Replacement::ExtruderDrive].into(),
        filaments: vec![(7, "PETG, green".into())],
        nozzles: 1,
        ..JobFacts::default()
    }
}

fn card(events: &[Event]) -> Traveller {
    traveller(&House::default(), &facts(), events)
}

#[test]
fn what_a_passed_profile_saved_is_what_patches_and_walls_are_asked_by_and_no_other_bore_s() {
    let printer = PrinterFacts {
        nozzle_mm: 0.6,
        ..PrinterFacts::default()
    };
    let saved = json!({
        "version": 1, "before": "0.6", "bore": "0.6", "outer_width": "0,66", "layer": "0.3", "first_layer": "0.25",
        "name": "0.6 draft", "saved_printer": true, "saved_process": true
    });
    let station = Context {
        printer: printer.clone(),
        parameter: Some(Parameter::Profile),
        before: Some(0.6),
        ..Context::default()
    };
    let passed = stations::Profile.evaluate(&saved, &station).unwrap();
    assert_eq!(passed.facts.verdict, Verdict::Pass, "{passed:?}");
    // Before it was saved for this bore it says what to do, which nobody has done yet.
    let mut first = saved.clone();
    first["before"] = json!("0.4");
    let adjust = stations::Profile.evaluate(&first, &station).unwrap();
    assert_eq!(adjust.facts.verdict, Verdict::Adjust);
    let card = card(&[]);
    for (finding, nozzle_mm, [height, wall]) in [
        (&passed, 0.6, ["0.25", "0.66"]),
        (&adjust, 0.6, ["0.3", "0.675"]),
        (&passed, 0.8, ["0.4", "0.9"]),
    ] {
        let printer = PrinterFacts {
            nozzle_mm,
            ..printer.clone()
        };
        let closings = [Closed {
            stop: "profile",
            readings: &saved,
            finding,
        }];
        let filaments = [(7, "PETG, green".to_owned(), "PETG".to_owned())];
        let situation = Situation {
            house: &House::default(),
            printer: &printer,
            filaments: &filaments,
            in_force: &[],
            closings: &closings,
            card: &card,
            replaced: &[Replacement::NozzleOtherBore],
            changed: &[],
            failure_times_min: &[],
            comes: Comes::AtRandom,
            last_print: None,
        };
        let z = situation.context(Stop::Parameter(Parameter::OffsetZ, None));
        assert_eq!(stations::OffsetZ.start(&z)["commanded_mm"], height);
        let flow = situation.context(Stop::Parameter(Parameter::Flow, Some(7)));
        assert_eq!(stations::Flow.start(&flow)["wall_mm"], wall);
        // In a round that is repeated the last one's is asked again.
        let repeated = Context {
            adjusts_so_far: 1,
            previous: Some(json!({"wall_mm": "0,7"})),
            ..flow.clone()
        };
        assert_eq!(stations::Flow.start(&repeated)["wall_mm"], "0,7");
        // The page says so beside the field.
        let form = stations::Flow.form(&stations::Flow.start(&flow), &flow);
        let form = serde_json::to_string(&form).unwrap();
        assert_eq!(form.contains("the nozzle profile"), wall == "0.66");
    }
}

/// A finding with these commands, made of the simplest station's.
fn finding(verdict: Verdict, lines: &[&str]) -> Finding {
    let context = Context {
        parameter: Some(Parameter::PrintTemp),
        ..Context::default()
    };
    let readings = json!({"way": "own", "before": "230", "best": "230", "outcome": "good"});
    let mut f = stations::PrintTemp.evaluate(&readings, &context).unwrap();
    f.facts.verdict = verdict;
    f.facts.commands = lines
        .iter()
        .map(|line| Command {
            line: (*line).to_owned(),
            says: String::new(),
        })
        .collect();
    f
}

#[test]
fn a_station_gets_the_value_in_force_the_snapshot_and_its_own_last_readings() {
    let snapshot = json!({"report": "M92 E93.00"});
    let (first, second) = (json!({"runs": ["20"]}), json!({"runs": ["21"]}));
    let pass = finding(Verdict::Pass, &[]);
    let closings = [
        ("snapshot", &snapshot),
        ("drive", &first),
        ("drive", &second),
    ]
    .map(|(stop, readings)| Closed {
        stop,
        readings,
        finding: &pass,
    });
    let in_force = [
        (Parameter::Drive, None, 93.0),
        (Parameter::Flow, Some(8), 91.0),
        (Parameter::Flow, Some(7), 98.0),
        (Parameter::PrintTemp, Some(7), 235.0),
    ]
    .map(|(parameter, filament_id, value)| InForce {
        parameter,
        filament_id,
        value: Some(value),
        text: None,
    });
    let filaments = [
        (7, "PETG, green".to_owned(), "PETG".to_owned()),
        (8, "PLA".to_owned(), "PLA".to_owned()),
    ];
    let card = card(&[]);
    let situation = Situation {
        house: &House::default(),
        printer: &PrinterFacts::default(),
        filaments: &filaments,
        in_force: &in_force,
        closings: &closings,
        card: &card,
        replaced: &[Replacement::ExtruderDrive],
        changed: &[],
        failure_times_min: &[55.0],
        comes: Comes::AtRandom,
        last_print: None,
    };
    let drive = situation.context(Stop::Parameter(Parameter::Drive, None));
    assert_eq!(drive.before, Some(93.0));
    assert_eq!(drive.stored("M92", 'E'), Some(93.0));
    assert_eq!(drive.previous.as_ref(), Some(&second));
    // A station of the machine runs with the first filament loaded, hot as that one wants it.
    let loaded = drive.filament.unwrap();
    assert_eq!(
        (loaded.name.as_str(), loaded.print_temp_c),
        ("PETG, green", Some(235.0))
    );
    let flow = situation.context(Stop::Parameter(Parameter::Flow, Some(7)));
    assert_eq!(
        (flow.before, flow.previous, flow.list),
        (Some(98.0), None, None)
    );
    let intake = situation.context(Stop::Intake);
    assert_eq!(
        (intake.parameter, intake.list.as_deref()),
        (None, Some("intake"))
    );
    // What was read with the drive before is nothing of the new one; a new heater is nothing to it.
    let nothing = json!({});
    for (fitted, keeps) in [
        ("fit.heater_cartridge", true),
        ("fit.extruder_drive", false),
    ] {
        let mut closings = closings.to_vec();
        closings.push(Closed {
            stop: fitted,
            readings: &nothing,
            finding: &pass,
        });
        let later = Situation {
            closings: &closings,
            ..situation
        };
        let drive = later.context(Stop::Parameter(Parameter::Drive, None));
        assert_eq!(drive.previous.is_some(), keeps, "{fitted}");
    }
}

#[test]
fn the_printer_is_expected_to_hold_what_each_station_left_last_and_nothing_of_the_comparison() {
    let nothing = json!({});
    let old = finding(Verdict::Adjust, &["M92 E95", "M500"]);
    let new = finding(Verdict::Adjust, &["M92 E96.4", "M500"]);
    let passed = finding(Verdict::Pass, &["M92 E99"]);
    let again = finding(Verdict::Adjust, &["M92 E1", "M900 K1"]);
    let closings = [
        ("drive", &old),
        ("drive", &new),
        ("drive", &passed),
        ("compare", &again),
    ]
    .map(|(stop, finding)| Closed {
        stop,
        readings: &nothing,
        finding,
    });
    let card = card(&[]);
    let situation = Situation {
        house: &House::default(),
        printer: &PrinterFacts::default(),
        filaments: &[],
        in_force: &[],
        closings: &closings,
        card: &card,
        replaced: &[],
        changed: &[],
        failure_times_min: &[],
        comes: Comes::AtRandom,
        last_print: None,
    };
    let expected: Vec<(String, char, f64)> = situation
        .expected()
        .into_iter()
        .map(|e| (e.code, e.letter, e.value))
        .collect();
    assert_eq!(expected, [("M92".to_owned(), 'E', 96.4)]);
}

#[test]
fn what_to_do_now_is_the_job_that_has_waited_longest_and_a_stop_says_its_cause() {
    let open = Waits::of(&card(&[]));
    assert_eq!(
        (open.says.as_str(), open.stopped, open.closed),
        ("Next: Intake.", false, 0)
    );
    let mut broken = finding(Verdict::Stop, &[]);
    broken.words.cause = Some("the wire is broken".into());
    let stopped = Waits::of(&card(&[Event::Closed {
        seq: 1,
        stop: Stop::Intake,
        finding: Box::new(broken),
    }]));
    assert_eq!(stopped.says, "Stopped at Intake: the wire is broken.");
    assert!(stopped.stopped && stopped.due && open.due);
    let idle = Waits::without_job(&BTreeSet::new());
    let doubtful = Waits::without_job(&BTreeSet::from([Parameter::Retraction, Parameter::Flow]));
    assert_eq!(
        (doubtful.says.as_str(), doubtful.in_doubt, doubtful.due),
        (
            "In doubt since its last job: flow, retraction. The next job opens them.",
            2,
            true
        )
    );
    let desk = |printer, job, waits| Desk {
        printer,
        job,
        waits,
    };
    let all = [
        desk("Alder", None, &idle),
        desk("Rowan", Some(9), &open),
        desk("Larch", Some(4), &stopped),
    ];
    assert_eq!(
        what_now(&all),
        (
            "Larch: Stopped at Intake: the wire is broken.".into(),
            Some(2)
        )
    );
    assert_eq!(what_now(&all[..1]).1, None);
    assert_eq!(what_now(&[]).0, "Add your first printer.");
}

#[test]
fn a_link_holds_unless_its_job_is_open_it_is_in_doubt_or_it_was_never_set() {
    let card = card(&[]);
    let link = |p, values: &[&str], doubt, card| {
        let values = values.iter().map(ToString::to_string).collect();
        ChainLink::new(p, values, doubt, card)
    };
    let state = |l: &ChainLink| l.state;
    let holds = link(Parameter::Drive, &["93 steps/mm"], None, None);
    assert_eq!(
        (state(&holds), holds.reason.as_str()),
        (ChainState::Holds, "Drive: holds.")
    );
    assert_eq!(
        state(&link(Parameter::Drive, &[], None, None)),
        ChainState::NeverSet
    );
    let doubt = link(
        Parameter::Flow,
        &["98 %"],
        Some("the nozzle was replaced"),
        None,
    );
    assert_eq!(doubt.state, ChainState::InDoubt);
    assert!(doubt.reason.ends_with("since the nozzle was replaced."));
    // The open job says it first, whatever the doubt.
    let open = link(Parameter::Drive, &["93 steps/mm"], Some("x"), Some(&card));
    assert_eq!(open.state, ChainState::Open);
    let line = card.lines.iter().find(|l| l.key == "drive").unwrap();
    assert_eq!((line.state, &open.reason), (LineState::Open, &line.reason));
    assert!(open.parts.contains(&"extruder drive"), "{:?}", open.parts);
}

#[test]
fn a_nozzle_after_its_hot_end_was_built_is_changed_hot_and_the_first_strip_stays_what_it_was() {
    let (break_, nozzle) = (Replacement::HeatBreakSame, Replacement::NozzleSame);
    let house = House::default();
    let facts = JobFacts {
        replaced: [break_, nozzle].into(),
        ..JobFacts::default()
    };
    let pass = finding(Verdict::Pass, &[]);
    let none = json!({});
    // The hot end was fitted and switched on; the nozzle came to the job later.
    let closed = ["fit.heat_break_same", "power_up"];
    let events: Vec<Event> = (1..)
        .zip(closed)
        .map(|(seq, stop)| Event::Closed {
            seq,
            stop: stop.parse().unwrap(),
            finding: Box::new(pass.clone()),
        })
        .collect();
    let ids = |closings: &[&str], stop: Stop| -> Vec<String> {
        let closings: Vec<Closed<'_>> = closings
            .iter()
            .map(|stop| Closed {
                stop,
                readings: &none,
                finding: &pass,
            })
            .collect();
        let context = Situation {
            house: &house,
            printer: &PrinterFacts::default(),
            filaments: &[],
            in_force: &[],
            closings: &closings,
            card: &traveller(&house, &facts, &events),
            replaced: &[break_, nozzle],
            changed: &[],
            failure_times_min: &[],
            comes: Comes::AtRandom,
            last_print: None,
        }
        .context(stop);
        let list = sheet(&stop.to_string(), &context);
        list.steps.iter().map(|s| s.id.to_string()).collect()
    };
    let hot = ids(&closed, Stop::Fit(nozzle));
    assert!(
        hot.iter().any(|i| i == "unload") && hot.iter().any(|i| i == "loosen"),
        "{hot:?}"
    );
    let first = ids(&closed, Stop::Fit(break_));
    assert!(
        first.iter().any(|i| i == "unload") && first.iter().any(|i| i == "tug"),
        "{first:?}"
    );
    // In one strip it is started cold in the new pieces.
    let cold = ids(&closed[..1], Stop::Fit(nozzle));
    assert!(
        cold.iter().any(|i| i == "finger_tight") && !cold.iter().any(|i| i == "unload"),
        "{cold:?}"
    );
}
