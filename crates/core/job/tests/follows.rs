//! One job that follows what happens: begun with anything, parts added and taken back, complaints that return,
//! stations left out, endings; and the laws that hold whatever happens.

#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};

use petgraph::graphmap::DiGraphMap;
use petgraph::visit::{Dfs, Reversed};
use proptest::prelude::*;
use serde_json::json;
use wattotherm_job::chain::{ARROWS, Strength, default_cell};
use wattotherm_job::effects::{Effect, effects_of};
use wattotherm_job::house::RuleId;
use wattotherm_job::route::{
    Begins, Deed, Ending, Event, JobFacts, LineState, Stop, Traveller, TravellerLine, parts_now,
};
use wattotherm_job::sheets::sheet;
use wattotherm_job::stations::{self, AnyStation, Check};
use wattotherm_job::{Changed, Context, Lasts};
use wattotherm_job::{Desk, Gate, Waits, what_now};
use wattotherm_measure::Verdict;
use wattotherm_printer::{HotEndKind, NozzleMount, Parameter, Part, Replacement};

mod story;

use story::{PETG, Story};

/// A job of a complaint on a lined hot end.
fn story(begins: Begins, replaced: &[Replacement]) -> Story {
    Story::new(JobFacts {
        begins,
        complaint: true,
        lined: true,
        ..story::facts(replaced)
    })
}

#[test]
fn a_symptom_is_looked_into_before_a_part_is_replaced() {
    let mut s = story(Begins::Symptom, &[]);
    assert_eq!(
        s.keys(),
        [
            "intake",
            "snapshot",
            "baseline",
            "cause",
            "acceptance",
            "compare",
            "hand_over"
        ]
    );
    s.works_until("cause").adds(Replacement::HotEndCoupler);
    assert_eq!(s.line("fit.hot_end_coupler").waits_for, ["cause"]);
    s.pass("cause");
    assert_eq!(s.card().now.as_deref(), Some("fit.hot_end_coupler"));
}

#[test]
fn a_check_up_verifies_what_was_asked_for_and_nothing_is_stripped() {
    let all = story(Begins::CheckUp { parameters: vec![] }, &[]);
    for &p in Parameter::ALL {
        if p == Parameter::OffsetXy {
            continue; // one nozzle
        }
        let key = Stop::Parameter(p, p.per_filament().then_some(PETG)).to_string();
        let line = all.line(&key);
        assert_eq!(
            (line.state, line.strength),
            (LineState::Open, Some(Strength::Verify)),
            "{key}"
        );
        assert!(
            line.reason.contains("a check-up was asked for"),
            "{}",
            line.reason
        );
    }
    assert!(!all.keys().contains(&"baseline".to_owned()));
    let mut two = story(
        Begins::CheckUp {
            parameters: vec![Parameter::Drive, Parameter::OffsetZ],
        },
        &[],
    );
    // What rests on them is opened only by a value that moves.
    assert_eq!(two.line("flow.7").state, LineState::Conditional);
    assert_eq!(
        two.works_through(),
        [
            "snapshot",
            "drive",
            "offset_z",
            "acceptance",
            "compare",
            "hand_over"
        ]
    );
}

#[test]
fn a_bought_back_machine_is_inspected_switched_on_cold_and_heated_attended() {
    let mut s = story(Begins::Inspection, &[]);
    let done = s.works_through();
    assert_eq!(
        done[..7],
        [
            "inspection",
            "worth",
            "snapshot",
            "sensor_type",
            "power_up",
            "ceiling",
            "first_heat"
        ]
    );
    assert!(done.contains(&"drive".to_owned()) && !done.contains(&"baseline".to_owned()));
}

#[test]
fn a_new_filament_redoes_what_belongs_to_it_and_nothing_of_the_machine() {
    let mut s = story(Begins::Filament, &[]);
    assert_eq!(s.line("flow.7").strength, Some(Strength::Redo));
    assert_eq!(
        s.works_through(),
        [
            "snapshot",
            "print_temp.7",
            "volumetric_limit.7",
            "flow.7",
            "pressure_advance.7",
            "retraction.7",
            "acceptance",
            "compare",
            "hand_over"
        ]
    );
}

#[test]
fn cold_ohms_come_before_the_first_heating_and_tightening_after_it() {
    use Replacement as R;
    let s = story(
        Begins::Parts,
        &[
            R::NozzleSame,
            R::HeaterBlock,
            R::HeatBreakToAllMetal,
            R::SensorSameType,
            R::HeaterCartridge,
        ],
    );
    let keys = s.keys();
    let at = |key: &str| keys.iter().position(|k| k == key).unwrap();
    let careful = [
        "fit.heat_break_to_all_metal",
        "fit.heater_block",
        "fit.heater_cartridge",
        "fit.sensor_same_type",
        "fit.nozzle_same",
        "heater",
        "sensor_type",
        "power_up",
        "ceiling",
        "first_heat",
        "hot_tighten",
        "heater_loop",
    ];
    for pair in careful.windows(2) {
        assert!(at(pair[0]) < at(pair[1]), "{pair:?} in {keys:?}");
    }
    let waits = s.line("first_heat").waits_for;
    assert!(waits.contains(&"heater".into()) && waits.contains(&"sensor_type".into()));
    // Alone it is changed hot, and the heater that was there heats it.
    let nozzle = story(Begins::Parts, &[R::NozzleSame, R::HeaterCartridge]).keys();
    let at = |key: &str| nozzle.iter().position(|k| k == key).unwrap();
    assert!(at("fit.nozzle_same") < at("fit.heater_cartridge"));
}

#[test]
fn a_hot_end_and_a_tube_under_a_nozzle_backed_off_are_tightened_and_get_z_anew() {
    for r in [
        Replacement::HotEndSame,
        Replacement::HotEndOther,
        Replacement::Tube,
        Replacement::HotEndCoupler,
    ] {
        let s = story(Begins::Parts, &[r]);
        assert!(s.keys().contains(&"hot_tighten".to_owned()), "{r:?}");
        assert_eq!(s.line("offset_z").strength, Some(Strength::Redo), "{r:?}");
    }
    let mut metal = story(Begins::Parts, &[Replacement::Tube]);
    metal.facts.lined = false;
    assert!(!metal.keys().contains(&"hot_tighten".to_owned()));
    let mut pushed = story(Begins::Parts, &[Replacement::Tube]);
    pushed.chooses(RuleId::TubeOrNozzle, "nozzle_first");
    assert!(!pushed.keys().contains(&"offset_z".to_owned()));
}

#[test]
fn a_part_added_later_opens_what_it_shakes_and_keeps_the_rest() {
    let mut s = story(Begins::Parts, &[Replacement::ExtruderDrive]);
    s.works_until("acceptance").adds(Replacement::NozzleSame);
    assert_eq!(s.card().now.as_deref(), Some("fit.nozzle_same"));
    assert_eq!(
        s.line("drive").state,
        LineState::Closed,
        "a nozzle doesn’t touch it"
    );
    assert_eq!(
        s.line("flow.7").state,
        LineState::Open,
        "found with the old nozzle"
    );
    assert_eq!(s.line("first_print").state, LineState::Open);
    assert_eq!(s.line("power_up").state, LineState::Closed);
    // Taken back before it was fitted: all is as it was.
    s.did(Deed::PartTaken {
        part: Replacement::NozzleSame,
        reason: "the old one is sharp".into(),
    });
    assert_eq!(s.card().now.as_deref(), Some("acceptance"));
    assert_eq!(parts_now(&s.facts, &s.events), [Replacement::ExtruderDrive]);
}

#[test]
fn a_value_asked_for_on_the_way_is_found_anew_though_it_was_closed_before() {
    let ask = |p| Deed::ValueAsked {
        parameter: p,
        reason: "case 4: heater loop that isn’t tuned".into(),
    };
    // One that no part shook comes onto the route.
    let mut s = story(Begins::Symptom, &[]);
    s.works_until("cause").pass("cause");
    assert!(!s.keys().contains(&"heater_loop".to_owned()));
    s.did(ask(Parameter::HeaterLoop));
    assert_eq!(s.line("heater_loop").state, LineState::Open);
    assert!(
        s.line("heater_loop")
            .reason
            .contains("what was wrong may have moved it")
    );
    // Closed, and asked for once more: open again. Closed after it: closed.
    s.pass("heater_loop");
    assert_eq!(s.line("heater_loop").state, LineState::Closed);
    s.did(ask(Parameter::HeaterLoop));
    assert_eq!(s.line("heater_loop").state, LineState::Open);
    s.pass("heater_loop");
    assert_eq!(s.line("heater_loop").state, LineState::Closed);
}

#[test]
fn a_second_new_nozzle_in_one_job_is_fitted_and_measured_again() {
    let mut s = story(Begins::Parts, &[Replacement::NozzleSame]);
    s.works_until("acceptance").adds(Replacement::NozzleSame);
    for key in ["fit.nozzle_same", "hot_tighten", "offset_z"] {
        assert_eq!(s.line(key).state, LineState::Open, "{key}");
    }
}

#[test]
fn a_complaint_that_comes_back_goes_back_to_its_cause_with_the_false_fix_on_record() {
    let mut s = story(Begins::Parts, &[Replacement::NozzleSame]);
    s.works_until("acceptance").comes_back(55.0);
    assert_eq!(s.card().now.as_deref(), Some("cause"));
    assert_eq!(
        s.line("offset_z").state,
        LineState::Closed,
        "what was measured still holds"
    );
    let fixes = s.card().false_fixes;
    assert_eq!(fixes.len(), 1);
    assert_eq!(fixes[0].says, "it came back after 55 min");
    s.pass("cause").adds(Replacement::Tube);
    s.works_until("acceptance").comes_back(70.0);
    let fixes = s.card().false_fixes;
    assert_eq!(
        fixes.iter().map(|f| (f.part, f.times)).collect::<Vec<_>>(),
        [(Replacement::NozzleSame, 2), (Replacement::Tube, 1)]
    );
    assert_eq!(fixes[0].says, "it came back after 55 and 70 min");
    assert_eq!(
        s.card().now.as_deref(),
        Some("cause"),
        "looked for anew each time"
    );
    s.pass("cause")
        .adds(Replacement::HotEndCoupler)
        .works_through();
    assert!(s.card().now.is_none());
    assert_eq!(s.card().false_fixes.len(), 2, "the coupler held");
}

#[test]
fn a_complaint_that_comes_back_at_acceptance_is_a_return_like_any_other() {
    let mut s = story(Begins::Parts, &[Replacement::NozzleSame]);
    s.works_until("acceptance");
    let readings = json!({
        "edge_mm": "20", "x_mm": ["20.02", "20.03"], "y_mm": ["20.01", "20.02"], "z_mm": ["19.99", "20.00"], "strings": "1",
        "first_layer_good": "yes", "walls_even": "yes", "clicking": "no", "came_back": "yes", "clean_run_min": "38",
    });
    let finding = stations::Acceptance
        .evaluate(&readings, &Context::default())
        .unwrap();
    assert_eq!(finding.facts.verdict, Verdict::Stop);
    let (seq, stop) = (s.seq(), Stop::Acceptance);
    s.events.push(Event::Closed {
        seq,
        stop,
        finding: Box::new(finding),
    });
    assert_eq!(s.card().now.as_deref(), Some("cause"));
    assert_eq!(s.line("acceptance").waits_for, ["cause"]);
    assert_eq!(s.card().false_fixes[0].says, "it came back after 38 min");
    s.adds(Replacement::HotEndCoupler);
    s.works_through();
    assert!(s.card().lines.iter().all(|l| !l.is_open()));
}

#[test]
fn a_station_left_out_makes_unproven_what_rests_on_it() {
    let mut s = story(Begins::Parts, &[Replacement::ExtruderDrive]);
    s.works_until("drive").waives("drive");
    let drive = s.line("drive");
    assert_eq!(
        (drive.state, drive.line.as_str()),
        (LineState::Waived, "left out: no time before the show")
    );
    assert_eq!(s.line("flow.7").unproven, ["Drive"]);
    // Through the flow, though nothing says so directly.
    assert_eq!(s.line("pressure_advance.7").unproven, ["Drive"]);
    assert_eq!(s.line("acceptance").unproven, ["Drive"]);
    s.works_through();
    assert_eq!(
        s.line("flow.7").unproven,
        ["Drive"],
        "measured, and still on an unproven drive"
    );
    s.reopen("drive").pass("drive");
    assert!(s.card().lines.iter().all(|l| l.unproven.is_empty()));
}

#[test]
fn a_value_only_due_by_one_left_out_is_released_as_unproven() {
    let mut s = story(Begins::Parts, &[Replacement::HeaterCartridge]);
    s.works_until("heater_loop").waives("heater_loop");
    let line = s.line("print_temp.7");
    assert_eq!(line.state, LineState::Released);
    assert_eq!(
        line.reason,
        "Print temperature: released, but unproven, since the heater loop was left out."
    );
}

#[test]
fn a_new_heater_or_sensor_and_the_hand_over_are_not_left_out() {
    let s = story(
        Begins::Parts,
        &[Replacement::HeaterCartridge, Replacement::SensorSameType],
    );
    for key in ["heater", "sensor_type", "first_heat", "hand_over"] {
        assert!(!s.line(key).can_waive, "{key}");
    }
    assert!(s.line("baseline").can_waive && s.line("acceptance").can_waive);
    let check = story(Begins::CheckUp { parameters: vec![] }, &[]);
    assert!(check.line("sensor_type").can_waive, "nothing new is heated");
}

#[test]
fn a_job_that_ended_has_nothing_to_do_and_goes_on_when_that_was_wrong() {
    let mut s = story(Begins::Symptom, &[]);
    s.works_until("cause");
    s.did(Deed::Ended {
        how: Ending::Unfixed,
        reason: "a new board costs more than the printer".into(),
    });
    let card = s.card();
    assert_eq!(
        (card.now.clone(), card.ended.as_ref().unwrap().how),
        (None, Ending::Unfixed)
    );
    assert!(!Waits::of(&card).due);
    // Whoever opens a station again, or says that it came back, goes on with the job.
    let ended = s.events.len();
    s.reopen("intake");
    assert_eq!(s.card().now.as_deref(), Some("intake"));
    s.events.truncate(ended);
    s.comes_back(30.0);
    assert!(s.card().ended.is_none());
    s.events.truncate(ended);
    s.did(Deed::Reopened {
        reason: "a board was given".into(),
    });
    assert_eq!(s.card().now.as_deref(), Some("cause"));
}

#[test]
fn a_paused_job_keeps_its_place_and_waits_for_no_hand() {
    let mut s = story(Begins::Parts, &[Replacement::Tube]);
    s.works_until("fit.tube");
    s.did(Deed::Paused {
        reason: "too tired for a blade".into(),
    });
    let waits = Waits::of(&s.card());
    assert_eq!(waits.says, "Paused: too tired for a blade.");
    assert!(!waits.due);
    let desk = Desk {
        printer: "Alder",
        job: Some(3),
        waits: &waits,
    };
    assert_eq!(
        what_now(&[desk]),
        ("Nothing to do now: the open jobs are paused.".into(), None)
    );
    s.did(Deed::Resumed {});
    assert_eq!(s.card().now.as_deref(), Some("fit.tube"));
}

#[test]
fn a_shop_that_levels_first_finds_levelling_first() {
    let mut s = story(Begins::CheckUp { parameters: vec![] }, &[]);
    let place = |s: &Story, key: &str| s.keys().iter().position(|k| k == key).unwrap();
    assert!(place(&s, "heater_loop") < place(&s, "tram"));
    s.chooses(RuleId::LoopOrLevel, "level_first");
    assert!(place(&s, "offset_z") < place(&s, "heater_loop"));
    // A swinging loop moves the nozzle's length: one that moved after levelling opens Z once more, and only then.
    s.works_until("heater_loop");
    assert_eq!(s.line("offset_z").state, LineState::Closed);
    s.close("heater_loop", Verdict::Adjust, 100.0, 110.0)
        .pass("heater_loop");
    assert_eq!(s.line("offset_z").state, LineState::Open);
    s.works_through();
    assert!(s.card().lines.iter().all(|l| !l.is_open()));
}

#[test]
fn small_jobs_have_minutes_that_people_believe() {
    // A nozzle of the same bore about 20 min of hands besides the prints, a cutter about 10: common practice.
    let hands = |r: Replacement| {
        let mut s = story(Begins::Parts, &[r]);
        s.facts.complaint = false;
        s.card().at_least.hands_min
    };
    let nozzle = hands(Replacement::NozzleSame);
    assert!(
        (18.0..=23.0).contains(&nozzle),
        "a nozzle of the same bore takes {nozzle} min"
    );
    let cutter = hands(Replacement::FilamentCutter);
    assert!(
        (9.0..=12.0).contains(&cutter),
        "a cutter takes {cutter} min"
    );
    let s = story(Begins::Parts, &[Replacement::FilamentCutter]);
    let mut planned = story(Begins::Parts, &[Replacement::FilamentCutter]);
    planned.facts.complaint = false;
    assert!(s.keys().contains(&"baseline".to_owned()));
    assert!(
        !planned.keys().contains(&"baseline".to_owned()),
        "nothing to compare"
    );
}

/// What must not be done while something new was not measured cold, by its key.
fn heats(key: &str) -> bool {
    let cold = [
        "intake",
        "inspection",
        "worth",
        "snapshot",
        "baseline",
        "cause",
        "tube_length",
        "power_up",
        "heater",
        "sensor_type",
        "ceiling",
        "compare",
        "hand_over",
    ];
    !key.starts_with("fit.") && !cold.contains(&key)
}

fn waived_above(card: &Traveller, key: &str) -> BTreeSet<String> {
    let Ok(Stop::Parameter(p, f)) = key.parse() else {
        return BTreeSet::new();
    };
    let mut g = DiGraphMap::<Parameter, ()>::new();
    for a in ARROWS {
        g.add_edge(a.upstream, a.downstream, ());
    }
    let mut above = BTreeSet::new();
    if !g.contains_node(p) {
        return above;
    }
    let mut walk = Dfs::new(Reversed(&g), p);
    while let Some(up) = walk.next(Reversed(&g)) {
        let stop = Stop::Parameter(up, if up.per_filament() { f } else { None }).to_string();
        let line = card.lines.iter().find(|l| l.key == stop);
        if up != p && line.is_some_and(|l| l.state == LineState::Waived) {
            above.insert(line.unwrap().title.clone());
        }
    }
    above
}

proptest! {
    /// Whatever is added, taken back, closed, left out, opened again, whatever comes back.
    #[test]
    fn the_laws_of_the_plan_hold_whatever_happens(
        begins in prop_oneof![
            Just(Begins::Parts), Just(Begins::Symptom), Just(Begins::Inspection), Just(Begins::Filament),
            Just(Begins::CheckUp { parameters: vec![] }),
        ],
        replaced in proptest::collection::btree_set(proptest::sample::select(Replacement::ALL.to_vec()), 0..4),
        lined in any::<bool>(),
        probe in any::<bool>(),
        deeds in proptest::collection::vec((0u8..12, any::<proptest::sample::Index>(), proptest::sample::select(Replacement::ALL.to_vec())), 40),
    ) {
        let mut s = story(begins, &replaced.iter().copied().collect::<Vec<_>>());
        s.facts.lined = lined;
        s.facts.probe = probe;
        for (what, pick, part) in deeds {
            let before = s.card();
            match (what, &before.now) {
                (0, _) => { s.adds(part); }
                (1, _) => {
                    let parts = parts_now(&s.facts, &s.events);
                    if !parts.is_empty() {
                        let part = parts[pick.index(parts.len())];
                        s.did(Deed::PartTaken { part, reason: "not needed".into() });
                    }
                }
                (2, _) => { s.comes_back(40.0); }
                (3, _) => {
                    let open: Vec<_> = before.lines.iter().filter(|l| l.is_open() && l.can_waive).map(|l| l.key.clone()).collect();
                    if !open.is_empty() {
                        let key = open[pick.index(open.len())].clone();
                        s.waives(&key);
                    }
                }
                (4, _) => {
                    let done: Vec<_> = before.lines.iter().filter(|l| matches!(l.state, LineState::Closed | LineState::Waived)).map(|l| l.key.clone()).collect();
                    if !done.is_empty() {
                        let key = done[pick.index(done.len())].clone();
                        s.reopen(&key);
                    }
                }
                (5, Some(now)) => { let now = now.clone(); s.close(&now, Verdict::Adjust, 100.0, 110.0); }
                (6, Some(now)) => { let now = now.clone(); s.close(&now, Verdict::Stop, 100.0, 100.0); }
                (_, Some(now)) => { let now = now.clone(); s.pass(&now); }
                (_, None) => {}
            }
            let card = s.card();
            let state: BTreeMap<&str, &TravellerLine> = card.lines.iter().map(|l| (l.key.as_str(), l)).collect();
            prop_assert_eq!(state.len(), card.lines.len(), "a station stands twice on the card");
            prop_assert!(card.at_least.hands_min <= card.at_most.hands_min + 1e-9);
            for l in &card.lines {
                prop_assert!(l.waits_for.iter().all(|w| state.get(w.as_str()).is_some_and(|u| u.is_open()) && *w != l.key), "{} waits for {:?}", l.key, l.waits_for);
                if let Ok(Stop::Parameter(..)) = l.key.parse() {
                    prop_assert_eq!(l.unproven.iter().cloned().collect::<BTreeSet<_>>(), waived_above(&card, &l.key), "{}", l.key);
                }
                if !l.can_waive {
                    prop_assert_ne!(l.state, LineState::Waived, "{}", &l.key);
                }
            }
            // Nothing is heated before what is new was measured cold, and joints are tightened after that.
            if let Some(now) = card.now.as_deref().filter(|k| heats(k)) {
                for first in ["heater", "power_up", "first_heat"] {
                    let open = state.get(first).is_some_and(|l| l.is_open());
                    prop_assert!(!open || now == "first_heat" && first == "first_heat", "{now} before {first}");
                }
                let parts = parts_now(&s.facts, &s.events);
                let new_sensor = parts.iter().any(|r| default_cell(*r, Parameter::SensorType).is_some());
                prop_assert!(!new_sensor || !state["sensor_type"].is_open(), "{now} before the sensor");
            }
            // Done work is kept where no new part shakes it.
            if what == 0 {
                for l in before.lines.iter().filter(|l| l.state == LineState::Closed) {
                    if let Ok(Stop::Parameter(p, _)) = l.key.parse()
                        && default_cell(part, p).is_none()
                        && p != Parameter::OffsetZ
                    {
                        prop_assert_eq!(state[l.key.as_str()].state, LineState::Closed, "{} after {:?}", l.key, part);
                    }
                }
            }
            if what == 2 {
                prop_assert!(state["cause"].is_open() && state["acceptance"].is_open());
            }
        }
        // It can always be brought to an end.
        for _ in 0..120 {
            let Some(now) = s.card().now else { break };
            s.pass(&now);
        }
        prop_assert!(s.card().now.is_none());
        prop_assert!(s.card().lines.iter().all(|l| !l.is_open()));
    }

    /// A strip over several parts: every shared step once, nothing of a part lost, hot work before the plug is
    /// pulled, pieces counted once.
    #[test]
    fn the_sheets_of_a_strip_are_one(
        parts in proptest::collection::btree_set(proptest::sample::select(Replacement::ALL.to_vec()), 1..6),
        lined in any::<bool>(),
        nozzle_first in any::<bool>(),
        all_unplugged in any::<bool>(),
    ) {
        let mut s = story(Begins::Parts, &parts.iter().copied().collect::<Vec<_>>());
        s.facts.lined = lined;
        if nozzle_first {
            s.chooses(RuleId::TubeOrNozzle, "nozzle_first");
        }
        if all_unplugged {
            s.chooses(RuleId::PowerWhileWorking, "all");
        }
        let order: Vec<Replacement> = s.keys().iter().filter_map(|k| k.strip_prefix("fit.").and_then(Replacement::from_id)).collect();
        prop_assert_eq!(order.len(), parts.len());
        let mut context = Context {
            replaced: order.clone(),
            strip: order.clone(),
            house: s.house.clone(),
            ..Context::default()
        };
        context.printer.hot_end = if lined { HotEndKind::Lined } else { HotEndKind::AllMetal };
        let alone = Context { strip: Vec::new(), ..context.clone() };
        let (mut seen, mut alone_ids) = (Vec::new(), Vec::new());
        let (mut unplugged, mut hot) = (false, false);
        let mut counted = 0;
        for r in &order {
            let name = format!("fit.{}", r.id());
            let (merged, whole) = (sheet(&name, &context), sheet(&name, &alone));
            counted += usize::from(merged.counts);
            for step in &merged.steps {
                if step.gate == Gate::Unplugged {
                    unplugged = true;
                }
                // What was hot is let cool by a step of its own before hands go cold work.
                match step.gate {
                    Gate::Hot { .. } => hot = true,
                    _ if matches!(&*step.id, "cool_down" | "unplug" | "bed_cold") => hot = false,
                    gate => prop_assert!(!(hot && gate.needs_cold()), "{:?}: {} while it is hot", order, step.id),
                }
                prop_assert!(!(unplugged && matches!(step.gate, Gate::Hot { .. })), "{:?}: {} is hot after the plug was pulled", order, step.id);
                seen.push(step.id.to_string());
            }
            let shared = ["raise_head", "unload", "unplug", "cool_down", "tug", "sock_on", "sock_off"];
            let own = |s: &wattotherm_job::sheets::Sheet| -> Vec<String> { s.steps.iter().map(|p| p.id.to_string()).filter(|id| !shared.contains(&id.as_str())).collect() };
            // A nozzle of a hot end that comes apart is started cold; by itself it is changed hot.
            let apart = |p: &Replacement| matches!(p.part(), Part::HeatBreak | Part::HeaterBlock | Part::HotEndAssembly);
            let cold_start = r.part() == Part::Nozzle && order.iter().any(apart);
            let wanted = if cold_start { vec!["thread".to_owned(), "finger_tight".to_owned()] } else { own(&whole) };
            prop_assert_eq!(own(&merged), wanted);
            alone_ids.extend(whole.steps.iter().map(|p| p.id.to_string()).filter(|id| shared.contains(&id.as_str())));
        }
        for id in ["raise_head", "unload", "unplug", "tug"] {
            let times = seen.iter().filter(|s| *s == id).count();
            prop_assert_eq!(times, usize::from(alone_ids.iter().any(|a| a == id)), "{} in {:?}", id, &seen);
        }
        let any_counts = order.iter().any(|r| sheet(&format!("fit.{}", r.id()), &alone).counts);
        prop_assert_eq!(counted, usize::from(any_counts));
        // Fingers first, hot later: a nozzle started in new pieces is not heated on its sheet.
        if order.iter().any(|r| matches!(r.part(), Part::HeatBreak | Part::HeaterBlock | Part::HotEndAssembly)) {
            for r in order.iter().filter(|r| r.part() == Part::Nozzle) {
                let cold = sheet(&format!("fit.{}", r.id()), &context);
                let hot = cold.steps.iter().any(|p| matches!(p.gate, Gate::Hot { .. }));
                prop_assert!(!hot);
            }
        }
    }
}

fn changed(what: &str, was: &str, lasts: Lasts) -> Changed {
    Changed {
        what: what.into(),
        was: was.into(),
        now: "5".into(),
        lasts,
    }
}

#[test]
fn what_was_changed_for_a_try_is_asked_for_at_the_hand_over_and_given_back_by_its_tick() {
    let context = Context {
        list: Some("hand_over".into()),
        changed: vec![
            changed("sensor type", "1", Lasts::Loan),
            changed("covers", "", Lasts::Alteration),
        ],
        ..Context::default()
    };
    let asked: Vec<String> = sheet("hand_over", &context)
        .steps
        .into_iter()
        .map(|s| s.act)
        .collect();
    assert!(asked.contains(&"Give back what was changed for a try: sensor type to 1.".to_owned()));
    assert!(asked.contains(&"Put right: covers (5).".to_owned()));
    let mut typed = Check.start(&context);
    for step in typed["steps"].as_array_mut().unwrap() {
        let stays = step["id"] == "put_back:covers";
        step["state"] = json!(if stays { "skipped" } else { "done" });
        step["reason"] = json!(if stays { "the new fan needs air" } else { "" });
    }
    let finding = Check.evaluate(&typed, &context).unwrap();
    let effects = effects_of(Stop::HandOver, &typed, &finding, &context);
    assert_eq!(effects, [Effect::PutBack("sensor type".into())]);
    // An open loan keeps the hand over open.
    typed["steps"][1]["state"] = json!("open");
    let open = Check.evaluate(&typed, &context).unwrap();
    assert_eq!(open.facts.verdict, Verdict::MeasureAgain);
}

#[test]
fn a_change_is_noted_once_and_a_loan_says_how_it_was() {
    let s = story(Begins::Parts, &[Replacement::Tube]);
    let card = s.card();
    let deed = |what: &str, was: &str, lasts| Deed::Changed {
        what: what.into(),
        was: was.into(),
        now: "260".into(),
        lasts,
        reason: "to try it".into(),
    };
    let known = [changed("Ceiling", "235", Lasts::Loan)];
    let check = |deed: &Deed| deed.check(&card, &[], &known, false);
    assert!(check(&deed("sensor type", "1", Lasts::Loan)).is_ok());
    let unsaid = check(&deed("sensor type", " ", Lasts::Loan)).unwrap_err();
    assert!(unsaid.to_string().contains("Say how it was"));
    let twice = check(&deed("ceiling ", "260", Lasts::Loan)).unwrap_err();
    assert!(twice.to_string().contains("Ceiling: 5, was 235"), "{twice}");
    let back = |what: &str| Deed::PutBack {
        what: what.into(),
        reason: String::new(),
    };
    assert!(check(&back("ceiling")).is_ok());
    assert!(check(&back("fan")).is_err());
    // A change asks for nothing on the route.
    let mut with = story(Begins::Parts, &[Replacement::Tube]);
    with.did(deed("ceiling", "235", Lasts::Loan));
    assert_eq!(with.keys(), s.keys());
}

#[test]
fn a_timer_is_ended_only_where_one_runs_and_asks_for_nothing_on_the_route() {
    let mut s = story(Begins::Parts, &[Replacement::Tube]);
    let keys = s.keys();
    let over = |what: &str| Deed::TimerOver { what: what.into() };
    let check = |s: &Story, deed: &Deed| deed.check(&s.card(), &[], &[], false);
    assert!(check(&s, &over("dry")).is_err());
    s.did(Deed::TimerSet {
        what: "dry".into(),
        minutes: 240.0,
    });
    assert_eq!((s.card().timers, s.keys()), (vec!["dry".to_owned()], keys));
    assert!(check(&s, &over("anneal")).is_err());
    assert!(check(&s, &over("dry")).is_ok());
    s.did(over("dry"));
    assert!(check(&s, &over("dry")).is_err());
}

#[test]
fn a_new_board_has_its_bed_held_and_its_crossing_made_level_before_the_screws() {
    let mut s = story(Begins::Parts, &[Replacement::ControlBoard]);
    let at = |s: &Story, key: &str| s.keys().iter().position(|k| k == key);
    assert_eq!(at(&s, "gantry"), None, "one motor lifts it");
    s.facts.gantry = true;
    assert!(at(&s, "heater_loop") < at(&s, "bed_loop") && at(&s, "bed_loop") < at(&s, "drive"));
    assert!(at(&s, "gantry").is_some() && at(&s, "gantry") < at(&s, "tram"));
    // A nozzle moves neither.
    let mut nozzle = story(Begins::Parts, &[Replacement::NozzleSame]);
    nozzle.facts.gantry = true;
    assert_eq!(
        (at(&nozzle, "bed_loop"), at(&nozzle, "gantry")),
        (None, None)
    );
}

#[test]
fn the_probe_is_measured_in_where_it_may_sit_elsewhere_before_bed_and_z() {
    let mut s = story(Begins::Parts, &[Replacement::TubeToDirectDrive]);
    assert!(!s.keys().contains(&"probe".to_owned()), "it has none");
    s.facts.probe = true;
    let keys = s.keys();
    let at = |key: &str| keys.iter().position(|k| k == key).unwrap();
    assert!(at("probe") < at("tram") && at("probe") < at("offset_z"));
    assert!(at("fit.tube_to_direct_drive") < at("probe"));
    let mut nozzle = story(Begins::Parts, &[Replacement::NozzleSame]);
    nozzle.facts.probe = true;
    assert!(!nozzle.keys().contains(&"probe".to_owned()));
}

#[test]
fn a_nozzle_with_its_own_heat_break_is_changed_cold_and_not_tightened() {
    let mut s = story(Begins::Parts, &[Replacement::NozzleSame]);
    assert!(s.keys().contains(&"hot_tighten".to_owned()));
    s.facts.quick_nozzle = true;
    let keys = s.keys();
    assert!(!keys.contains(&"hot_tighten".to_owned()));
    assert!(
        keys.contains(&"offset_z".to_owned()),
        "it stands somewhere else all the same"
    );
    // A tube seated under a nozzle is another matter.
    s.adds(Replacement::Tube);
    assert!(s.keys().contains(&"hot_tighten".to_owned()));
    let mut context = Context {
        replaced: vec![Replacement::NozzleSame],
        ..Context::default()
    };
    context.printer.mount = Some(NozzleMount::QuickChange);
    let steps = sheet("fit.nozzle_same", &context).steps;
    let after_cold = steps.iter().skip_while(|s| s.id != "cool_down");
    assert!(after_cold.clone().count() > 2);
    assert!(
        after_cold
            .into_iter()
            .all(|s| !matches!(s.gate, Gate::Hot { .. }))
    );
}
