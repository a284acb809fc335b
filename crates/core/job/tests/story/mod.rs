//! A job's story as tests tell it: closings, reopenings and deeds, and the route card that they come to.

use serde_json::json;
use wattotherm_job::Context;
use wattotherm_job::finding::Finding;
use wattotherm_job::house::{Choice, House, RuleId};
use wattotherm_job::route::{Deed, Event, JobFacts, Traveller, TravellerLine, traveller};
use wattotherm_job::stations::{self, AnyStation as _};
use wattotherm_measure::Verdict;
use wattotherm_printer::{Parameter, Replacement};

/// The filament of these jobs.
pub const PETG: i64 = 7;

/// Facts of a job with these parts and one filament.
pub fn facts(replaced: &[Replacement]) -> JobFacts {
    JobFacts {
        replaced: replaced.iter().copied().collect(),
        filaments: vec![(PETG, "PETG, green".into())],
        nozzles: 1,
        ..JobFacts::default()
    }
}

/// A finding that leaves this value, as a search by prints would.
fn finding(verdict: Verdict, before: f64, after: f64) -> Box<Finding> {
    let context = Context {
        parameter: Some(Parameter::PrintTemp),
        ..Context::default()
    };
    let readings = json!({"way": "own", "before": "230", "best": "230", "outcome": "good"});
    let mut f = stations::PrintTemp.evaluate(&readings, &context).unwrap();
    f.facts.verdict = verdict;
    f.facts.before = Some(before);
    f.facts.after = (verdict == Verdict::Adjust).then_some(after);
    f.facts.value_expanded = Some(0.1);
    f.words.line = format!("{before} → {after}");
    Box::new(f)
}

pub struct Story {
    pub facts: JobFacts,
    pub house: House,
    pub events: Vec<Event>,
}

#[allow(dead_code)] // each test file tells its own part of it
impl Story {
    pub fn new(facts: JobFacts) -> Self {
        Self {
            facts,
            house: House::default(),
            events: Vec::new(),
        }
    }

    pub fn of(replaced: &[Replacement]) -> Self {
        Self::new(facts(replaced))
    }

    pub fn seq(&self) -> u64 {
        self.events.len() as u64 + 1
    }

    pub fn close(&mut self, key: &str, verdict: Verdict, before: f64, after: f64) -> &mut Self {
        self.events.push(Event::Closed {
            seq: self.seq(),
            stop: key.parse().unwrap(),
            finding: finding(verdict, before, after),
        });
        self
    }

    pub fn pass(&mut self, key: &str) -> &mut Self {
        self.close(key, Verdict::Pass, 100.0, 100.0)
    }

    pub fn reopen(&mut self, key: &str) -> &mut Self {
        self.events.push(Event::Reopened {
            seq: self.seq(),
            stop: key.parse().unwrap(),
        });
        self
    }

    pub fn did(&mut self, deed: Deed) -> &mut Self {
        self.events.push(Event::Did {
            seq: self.seq(),
            deed,
        });
        self
    }

    pub fn adds(&mut self, part: Replacement) -> &mut Self {
        let reason = "it was worn too".into();
        self.did(Deed::PartAdded { part, reason })
    }

    pub fn waives(&mut self, stop: &str) -> &mut Self {
        let (stop, reason) = (stop.to_owned(), "no time before the show".into());
        self.did(Deed::Waived { stop, reason })
    }

    pub fn comes_back(&mut self, after_min: f64) -> &mut Self {
        let (after_min, reason) = (Some(after_min), "thin walls again".into());
        self.did(Deed::CameBack { after_min, reason })
    }

    pub fn card(&self) -> Traveller {
        traveller(&self.house, &self.facts, &self.events)
    }

    pub fn keys(&self) -> Vec<String> {
        self.card().lines.into_iter().map(|l| l.key).collect()
    }

    pub fn line(&self, key: &str) -> TravellerLine {
        let card = self.card();
        let line = card.lines.iter().find(|l| l.key == key).cloned();
        line.unwrap_or_else(|| panic!("no {key} in {:?}", self.keys()))
    }

    pub fn works_until(&mut self, key: &str) -> &mut Self {
        for _ in 0..60 {
            match self.card().now {
                Some(now) if now != key => self.pass(&now),
                _ => break,
            };
        }
        assert_eq!(self.card().now.as_deref(), Some(key));
        self
    }

    pub fn works_through(&mut self) -> Vec<String> {
        let mut done = Vec::new();
        while let Some(now) = self.card().now {
            assert!(done.len() < 80, "the job never ends: {done:?}");
            self.pass(&now);
            done.push(now);
        }
        done
    }

    pub fn chooses(&mut self, rule: RuleId, option: &str) -> &mut Self {
        let (option, reason) = (option.into(), String::new());
        self.house.choices.insert(rule, Choice { option, reason });
        self
    }
}
