//! Every finding in both systems of units: the same facts, other words.

#![allow(clippy::unwrap_used)]

mod common;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use common::{Example, examples};
use wattotherm_job::Context;
use wattotherm_job::finding::{Finding, Words};
use wattotherm_job::stations::STATIONS;
use wattotherm_measure::{Pen, Verdict};

fn with_pen(context: &Context, pen: Pen) -> Context {
    let mut context = context.clone();
    context.house.pen = pen;
    context
}

fn found(example: &Example, pen: Pen) -> Finding {
    let context = with_pen(&example.context, pen);
    example
        .station
        .evaluate(&example.readings(), &context)
        .unwrap_or_else(|e| panic!("{:?}, {}: {e}", example.station, example.name))
}

fn all_of(w: &Words) -> Vec<String> {
    let mut said = vec![
        w.headline.clone(),
        w.sentence.clone(),
        w.line.clone(),
        w.next.clone(),
    ];
    for b in &w.bands {
        said.push(format!("{}: {} against {}", b.label, b.measured, b.nominal));
    }
    for r in &w.rows {
        let text = |t: &Option<String>| t.clone().unwrap_or_else(|| "-".into());
        said.push(format!(
            "{}: {} > {}",
            r.name,
            text(&r.before),
            text(&r.after)
        ));
    }
    said.extend(w.reasons.iter().cloned());
    said.extend(w.settle.iter().map(|s| format!("settle: {s}")));
    said.extend(w.plain.iter().map(|p| format!("{} = {}", p.name, p.value)));
    said.retain(|s| !s.is_empty());
    said
}

#[test]
fn every_finding_reads_in_both_systems_of_units() {
    let mut pages: BTreeMap<&str, String> = BTreeMap::new();
    for example in examples() {
        let page = pages.entry(example.station.id()).or_default();
        let (metric, imperial) = (found(&example, Pen::METRIC), found(&example, Pen::IMPERIAL));
        let verdict = metric.facts.verdict.id();
        let cause = metric
            .facts
            .cause
            .map_or(String::new(), |c| format!(" {c:?}"));
        writeln!(page, "== {}: {verdict}{cause}", example.name).unwrap();
        for (m, i) in all_of(&metric.words).iter().zip(all_of(&imperial.words)) {
            writeln!(page, "{m}").unwrap();
            if *m != i {
                writeln!(page, "    {i}").unwrap();
            }
        }
        writeln!(page).unwrap();
    }
    for (station, page) in pages {
        insta::assert_snapshot!(station, page);
    }
}

#[test]
fn units_change_the_words_and_never_the_facts() {
    for example in examples() {
        let (metric, imperial) = (found(&example, Pen::METRIC), found(&example, Pen::IMPERIAL));
        assert_eq!(
            metric.facts.verdict, imperial.facts.verdict,
            "{}",
            example.name
        );
        assert_eq!(metric.facts.bands, imperial.facts.bands, "{}", example.name);
        assert_eq!(metric.facts.commands, imperial.facts.commands);
        assert_eq!(metric.facts.kept(), imperial.facts.kept());
        // Rendered again from what is kept, they say the same.
        assert_eq!(metric.clone().in_units(Pen::IMPERIAL).words, imperial.words);
        assert_eq!(imperial.in_units(Pen::METRIC).words, metric.words);
        // And what is kept survives being written and read.
        let text = serde_json::to_string(&metric).unwrap();
        let back: Finding = serde_json::from_str(&text).unwrap();
        assert_eq!(
            back.in_units(Pen::IMPERIAL).words,
            metric.in_units(Pen::IMPERIAL).words
        );
    }
}

/// Units that a word may keep in either system: what firmware and profiles want.
const METRIC_ALWAYS: [&str; 5] = ["steps/mm", "mm per motor turn", "mm³", "mm²", "mm/"];

#[test]
fn no_length_or_temperature_is_left_in_the_other_system() {
    for example in examples() {
        let words = found(&example, Pen::IMPERIAL).words;
        for mut said in all_of(&words) {
            for keep in METRIC_ALWAYS {
                said = said.replace(keep, "");
            }
            // A value for a configuration file is in the file's unit.
            if said.contains(" = ") {
                continue;
            }
            // Names of instruments and threads, and what a log's reader says, keep theirs.
            let log = example.station.id() == "heater_loop" && said.contains("against");
            let metric = [" mm", "°C"].iter().any(|u| said.contains(u));
            assert!(
                !metric || log,
                "{:?}, {}: {said}",
                example.station,
                example.name
            );
        }
    }
}

#[test]
fn the_examples_reach_every_verdict_of_every_station() {
    let mut seen: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for example in examples() {
        let verdict = found(&example, Pen::METRIC).facts.verdict;
        seen.entry(example.station.id())
            .or_default()
            .insert(verdict.id());
    }
    // A snapshot can't be wrong; nothing is adjusted at a joint, a sheet or a sensor; lost settings are an adjust.
    let never = |station: &str| match station {
        "snapshot" => vec![Verdict::Adjust, Verdict::MeasureAgain, Verdict::Stop],
        "hot_tighten" | "check" | "sensor" => vec![Verdict::Adjust],
        "heater" => vec![Verdict::MeasureAgain],
        "tube_length" | "worth" => vec![Verdict::Adjust, Verdict::MeasureAgain],
        "mesh" => vec![Verdict::Adjust],
        "profile" => vec![Verdict::Stop],
        "compare" => vec![Verdict::Stop],
        _ => Vec::new(),
    };
    for station in STATIONS {
        let seen = &seen[station.id()];
        for verdict in [
            Verdict::Pass,
            Verdict::Adjust,
            Verdict::MeasureAgain,
            Verdict::Stop,
        ] {
            let expected = !never(station.id()).contains(&verdict);
            assert_eq!(
                seen.contains(verdict.id()),
                expected,
                "{station:?} {verdict:?}"
            );
        }
    }
}
