//! Laws of the chain, as properties of random jobs.

#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};

use petgraph::algo::toposort;
use petgraph::graphmap::DiGraphMap;
use petgraph::visit::Dfs;
use proptest::prelude::*;
use wattotherm_job::chain::{
    ARROWS, ChainTables, Outcome, Plan, PlanInput, Status, default_cell, plan,
};
use wattotherm_printer::{Parameter, Replacement};

fn graph() -> DiGraphMap<Parameter, ()> {
    let mut g = DiGraphMap::new();
    for &p in Parameter::ALL {
        g.add_node(p);
    }
    for a in ARROWS {
        g.add_edge(a.upstream, a.downstream, ());
    }
    g
}

fn some_parts() -> impl Strategy<Value = BTreeSet<Replacement>> {
    proptest::collection::btree_set(proptest::sample::select(Replacement::ALL.to_vec()), 1..5)
}

fn moves() -> impl Strategy<Value = Vec<bool>> {
    proptest::collection::vec(any::<bool>(), Parameter::ALL.len())
}

fn input(replaced: &BTreeSet<Replacement>, outcomes: &BTreeMap<Parameter, Outcome>) -> PlanInput {
    PlanInput {
        replaced: replaced.iter().map(|r| (*r, 0)).collect(),
        outcomes: outcomes.clone(),
        ..PlanInput::default()
    }
}

fn planned(p: &Plan) -> BTreeSet<Parameter> {
    p.lines
        .iter()
        .filter(|l| matches!(l.status, Status::Due | Status::Conditional))
        .map(|l| l.parameter)
        .collect()
}

/// Works a whole job through, always closing the ready station that `pick` chooses.
fn work_through(
    replaced: &BTreeSet<Replacement>,
    moved: &[bool],
    picks: &[usize],
) -> (Plan, usize) {
    let tables = ChainTables::default();
    let mut outcomes = BTreeMap::new();
    for step in 0..100 {
        let now = plan(&tables, &input(replaced, &outcomes));
        let ready: Vec<_> = now
            .lines
            .iter()
            .filter(|l| l.status == Status::Due && l.waits_for.is_empty())
            .map(|l| l.parameter)
            .collect();
        if ready.is_empty() {
            return (now, step);
        }
        let p = ready[picks.get(step).copied().unwrap_or(0) % ready.len()];
        let at = u64::try_from(step).unwrap() * 2 + 1;
        let changed_at = moved[p as usize].then_some(at);
        outcomes.insert(
            p,
            Outcome {
                closed_at: Some(at + 1),
                changed_at,
                ..Outcome::default()
            },
        );
    }
    panic!("a job never ended");
}

#[test]
fn the_order_of_work_is_a_topological_order() {
    let g = graph();
    assert!(toposort(&g, None).is_ok(), "the arrows form a circle");
    for a in ARROWS {
        assert!(
            a.upstream < a.downstream,
            "{:?} comes before {:?}",
            a.upstream,
            a.downstream
        );
    }
    assert!(Parameter::ALL.windows(2).all(|w| w[0] < w[1]));
    let set: BTreeSet<_> = ARROWS.iter().map(|a| (a.upstream, a.downstream)).collect();
    assert_eq!(set.len(), ARROWS.len(), "an arrow is listed twice");
}

#[test]
fn no_machine_parameter_rests_on_a_filament_parameter() {
    assert!(
        ARROWS
            .iter()
            .all(|a| !a.upstream.per_filament() || a.downstream.per_filament())
    );
}

#[test]
fn cells_and_sentences_read_as_the_trade_says() {
    use wattotherm_job::chain::Strength::{Redo, Verify};
    assert_eq!(
        default_cell(Replacement::NozzleSame, Parameter::OffsetZ),
        Some(Redo)
    );
    assert_eq!(
        default_cell(Replacement::NozzleSame, Parameter::Flow),
        Some(Verify)
    );
    assert_eq!(
        default_cell(Replacement::Tube, Parameter::Retraction),
        Some(Redo)
    );
    assert_eq!(
        default_cell(Replacement::HeaterCartridge, Parameter::Flow),
        None
    );
    assert_eq!(
        default_cell(Replacement::ControlBoard, Parameter::Profile),
        Some(Verify)
    );
    let tube = BTreeSet::from([Replacement::Tube]);
    let before = plan(&ChainTables::default(), &input(&tube, &BTreeMap::new()));
    assert_eq!(
        before.line(Parameter::Retraction).unwrap().reason,
        "Retraction: redo, since the tube was replaced."
    );
    assert_eq!(
        before.line(Parameter::HeaterLoop).unwrap().reason,
        "Heater loop: nothing it rests on was touched."
    );
    let heater = BTreeSet::from([Replacement::HeaterCartridge]);
    let hot = plan(&ChainTables::default(), &input(&heater, &BTreeMap::new()));
    assert_eq!(
        hot.line(Parameter::PrintTemp).unwrap().reason,
        "Print temperature: only if the heater loop moves."
    );
    assert_eq!(
        hot.line(Parameter::PressureAdvance).unwrap().status,
        Status::Conditional
    );
    assert!(hot.at_most.hands_min > hot.at_least.hands_min);
    let kept = BTreeMap::from([(
        Parameter::HeaterLoop,
        Outcome {
            closed_at: Some(2),
            changed_at: None,
            waived_at: None,
        },
    )]);
    let released = plan(&ChainTables::default(), &input(&heater, &kept));
    assert_eq!(
        released.line(Parameter::PrintTemp).unwrap().reason,
        "Print temperature: released, the heater loop came out as it was."
    );
    assert_eq!(
        released.line(Parameter::Retraction).unwrap().status,
        Status::Released
    );
}

#[test]
fn a_value_that_moves_after_its_downstream_was_closed_opens_it_again() {
    let drive = BTreeSet::from([Replacement::ExtruderDrive]);
    let mut outcomes = BTreeMap::from([
        (
            Parameter::Drive,
            Outcome {
                closed_at: Some(1),
                changed_at: None,
                waived_at: None,
            },
        ),
        (
            Parameter::VolumetricLimit,
            Outcome {
                closed_at: Some(2),
                changed_at: None,
                waived_at: None,
            },
        ),
        (
            Parameter::Flow,
            Outcome {
                closed_at: Some(3),
                changed_at: None,
                waived_at: None,
            },
        ),
    ]);
    let status = |o: &BTreeMap<_, _>| {
        plan(&ChainTables::default(), &input(&drive, o))
            .line(Parameter::Flow)
            .unwrap()
            .status
    };
    assert_eq!(status(&outcomes), Status::Closed);
    outcomes.insert(
        Parameter::Drive,
        Outcome {
            closed_at: Some(9),
            changed_at: Some(8),
            waived_at: None,
        },
    );
    assert_eq!(status(&outcomes), Status::Due);
}

#[test]
fn a_shop_changes_any_cell_and_the_change_wins() {
    let tables = ChainTables::with_changes([(
        Replacement::PartFan,
        Parameter::HeaterLoop,
        Some(wattotherm_job::chain::Strength::Verify),
    )]);
    let fan = BTreeSet::from([Replacement::PartFan]);
    let ours = plan(&tables, &input(&fan, &BTreeMap::new()));
    assert_eq!(
        ours.line(Parameter::HeaterLoop).unwrap().status,
        Status::Due
    );
    assert!(
        planned(&plan(
            &ChainTables::default(),
            &input(&fan, &BTreeMap::new())
        ))
        .is_empty()
    );
}

proptest! {
    #[test]
    fn more_replaced_parts_never_yield_a_smaller_plan(some in some_parts(), more in some_parts()) {
        let all: BTreeSet<_> = some.union(&more).copied().collect();
        let (a, b) = (plan(&ChainTables::default(), &input(&some, &BTreeMap::new())), plan(&ChainTables::default(), &input(&all, &BTreeMap::new())));
        prop_assert!(planned(&a).is_subset(&planned(&b)));
        prop_assert!(a.at_least.hands_min <= b.at_least.hands_min);
        prop_assert!(a.at_most.hands_min <= b.at_most.hands_min);
        for (x, y) in a.lines.iter().zip(&b.lines) {
            let rank = |l: &wattotherm_job::chain::PlanLine| match l.status {
                Status::Due => 2,
                Status::Conditional => 1,
                _ => 0,
            };
            prop_assert!(rank(x) <= rank(y), "{:?}", x.parameter);
            prop_assert!(x.effort.hands_min <= y.effort.hands_min, "{:?}", x.parameter);
            if x.status == Status::Due {
                prop_assert!(x.strength <= y.strength, "{:?} was weakened", x.parameter);
            }
        }
    }

    #[test]
    fn nothing_that_neither_table_reaches_is_in_the_plan(some in some_parts(), moved in moves(), picks in proptest::collection::vec(0usize..8, 20)) {
        let g = graph();
        let mut reached = BTreeSet::new();
        for &p in Parameter::ALL {
            if some.iter().any(|r| default_cell(*r, p).is_some()) {
                let mut dfs = Dfs::new(&g, p);
                while let Some(q) = dfs.next(&g) {
                    reached.insert(q);
                }
            }
        }
        let first = plan(&ChainTables::default(), &input(&some, &BTreeMap::new()));
        prop_assert_eq!(planned(&first), reached.clone());
        let (last, _) = work_through(&some, &moved, &picks);
        for l in &last.lines {
            prop_assert_eq!(l.status == Status::Untouched, !reached.contains(&l.parameter));
        }
    }

    #[test]
    fn an_unchanged_upstream_releases_exactly_what_hung_on_it_alone(some in some_parts()) {
        let g = graph();
        let first = plan(&ChainTables::default(), &input(&some, &BTreeMap::new()));
        let Some(up) = first.lines.iter().find(|l| l.status == Status::Due && l.waits_for.is_empty()).map(|l| l.parameter) else {
            return Ok(());
        };
        let kept = BTreeMap::from([(up, Outcome { closed_at: Some(2), changed_at: None, waived_at: None })]);
        let after = plan(&ChainTables::default(), &input(&some, &kept));
        for (a, b) in first.lines.iter().zip(&after.lines) {
            // Independent of the walk: still conditional exactly if some other open due one reaches it.
            let other = first.lines.iter().filter(|l| l.status == Status::Due && l.parameter != up).any(|l| {
                let mut dfs = Dfs::new(&g, l.parameter);
                std::iter::from_fn(|| dfs.next(&g)).any(|q| q == b.parameter && q != l.parameter)
            });
            if a.status == Status::Conditional {
                prop_assert_eq!(b.status == Status::Released, !other, "{:?}", b.parameter);
            }
        }
    }

    #[test]
    fn the_outcome_does_not_depend_on_the_order_of_independent_stations(
        some in some_parts(), moved in moves(), a in proptest::collection::vec(0usize..8, 30), b in proptest::collection::vec(0usize..8, 30),
    ) {
        let ((x, steps_x), (y, steps_y)) = (work_through(&some, &moved, &a), work_through(&some, &moved, &b));
        prop_assert_eq!(steps_x, steps_y);
        for (l, m) in x.lines.iter().zip(&y.lines) {
            prop_assert_eq!(l.status, m.status);
            prop_assert_eq!(l.strength, m.strength);
            prop_assert!(!matches!(l.status, Status::Due | Status::Conditional));
        }
    }

    #[test]
    fn every_station_waits_only_for_stations_before_it(some in some_parts()) {
        let p = plan(&ChainTables::default(), &input(&some, &BTreeMap::new()));
        for l in &p.lines {
            prop_assert!(l.waits_for.iter().all(|u| *u < l.parameter));
        }
    }
}
