//! What is on record around a station, and what the station needs to know of it.

use serde_json::Value;
use wattotherm_gcode::{Words, wanted_by};
use wattotherm_measure::Verdict;
use wattotherm_printer::{FilamentFacts, Parameter, PrinterFacts, Replacement};

use crate::changed::Changed;
use crate::context::{Comes, Context, ExpectedSetting, SavedLines, SlicedFile};
use crate::finding::Finding;
use crate::house::House;
use crate::route::{Stop, Traveller, TravellerLine};
use crate::stations::saved_lines;

/// A value in force on a printer.
#[derive(Clone, Debug, PartialEq)]
pub struct InForce {
    /// Which parameter.
    pub parameter: Parameter,
    /// Filament, for parameters that belong to one.
    pub filament_id: Option<i64>,
    /// The value, in the parameter's unit.
    pub value: Option<f64>,
    /// The value, where it is a text.
    pub text: Option<String>,
}

/// How a stop was closed.
#[derive(Clone, Copy, Debug)]
pub struct Closed<'a> {
    /// Its key.
    pub stop: &'a str,
    /// What was typed.
    pub readings: &'a Value,
    /// What came of it.
    pub finding: &'a Finding,
}

/// Everything on record around a job, as far as its stations ask for it.
#[derive(Clone, Copy, Debug)]
pub struct Situation<'a> {
    /// House rules.
    pub house: &'a House,
    /// The printer as it is, or as it was when the job was handed over.
    pub printer: &'a PrinterFacts,
    /// Filaments of the job, by number: name and material.
    pub filaments: &'a [(i64, String, String)],
    /// Values in force on the printer, the newest first; and those that it came with and this job made worthless.
    pub in_force: &'a [InForce],
    /// Closings of the job, the oldest first.
    pub closings: &'a [Closed<'a>],
    /// Its route card.
    pub card: &'a Traveller,
    /// What was replaced.
    pub replaced: &'a [Replacement],
    /// What of the printer isn't as it belongs.
    pub changed: &'a [Changed],
    /// Minutes of printing after which the complaint had shown when the job began.
    pub failure_times_min: &'a [f64],
    /// How it comes.
    pub comes: Comes,
    /// The last sliced file of the printer.
    pub last_print: Option<&'a SlicedFile>,
}

impl Situation<'_> {
    fn value(&self, parameter: Parameter, filament_id: Option<i64>) -> Option<&InForce> {
        let mut all = self.in_force.iter();
        all.find(|s| s.parameter == parameter && s.filament_id == filament_id)
    }

    fn last(&self, stop: &str) -> Option<&Closed<'_>> {
        self.closings.iter().rev().find(|c| c.stop == stop)
    }

    /// Readings with which a station was last closed; none once a part went in that shakes its value: they are of the part
    /// before.
    fn previous(&self, stop: Stop) -> Option<&Value> {
        let key = stop.to_string();
        let at = self.closings.iter().rposition(|c| c.stop == key)?;
        let (closed, later) = self.closings[at..].split_first()?;
        let fitted = later.iter().filter_map(|c| match c.stop.parse() {
            Ok(Stop::Fit(r)) if c.finding.facts.verdict == Verdict::Pass => Some(r),
            _ => None,
        });
        let fitted: Vec<Replacement> = fitted.collect();
        let gone = match stop {
            Stop::Parameter(p, _) if !fitted.is_empty() => {
                let tables = self.house.chain_tables();
                fitted.iter().any(|r| tables.cell(*r, p).is_some())
            }
            _ => false,
        };
        (!gone).then_some(closed.readings)
    }

    /// What was noted at a check.
    fn noted_at(&self, stop: Stop) -> Option<String> {
        let note = self.last(&stop.to_string())?.readings["note"].as_str()?;
        (!note.trim().is_empty()).then(|| note.trim().to_owned())
    }

    /// Parts that are taken out and put in together with the part of `stop`: fitted one after another with it, and
    /// those still to be fitted, where nothing else was done in between.
    fn strip(&self, stop: Stop) -> Vec<Replacement> {
        let part_of = |c: &Closed<'_>| match c.stop.parse() {
            Ok(Stop::Fit(r)) => Some(r),
            _ => None,
        };
        let line = |stop: Stop| {
            let key = stop.to_string();
            self.card.lines.iter().find(move |l| l.key == key)
        };
        let open = |r: &Replacement| line(Stop::Fit(*r)).is_some_and(TravellerLine::is_open);
        let key = stop.to_string();
        let closed = line(stop).is_some_and(|l| !l.is_open());
        let at = self.closings.iter().rposition(|c| c.stop == key);
        // One that is closed belongs to the run of fittings that it was closed in, one that is open to the last run.
        let from = at
            .filter(|_| closed)
            .map_or(self.closings.len(), |at| at + 1);
        let after: Vec<Replacement> = self.closings[from..].iter().map_while(part_of).collect();
        let goes_on = from + after.len() == self.closings.len();
        let fitted: Vec<Replacement> = (self.closings[..from].iter().rev())
            .map_while(part_of)
            .chain(after)
            .collect();
        let parts = self.replaced.iter().copied();
        parts
            .filter(|r| fitted.contains(r) || goes_on && open(r))
            .collect()
    }

    /// What the station at `stop` needs to know besides its readings.
    #[must_use]
    pub fn context(&self, stop: Stop) -> Context {
        let (parameter, filament_id) = match stop {
            Stop::Parameter(p, f) => (Some(p), f),
            _ => (None, None),
        };
        // Stations of the machine run with the job's first filament loaded.
        let mut filaments = self.filaments.iter();
        let filament = filaments.find(|(id, _, _)| filament_id.is_none_or(|f| f == *id));
        let before = parameter.and_then(|p| self.value(p, filament_id));
        let key = stop.to_string();
        let line = self.card.lines.iter().find(|l| l.key == key);
        let snapshot = self.last(&Stop::Snapshot.to_string());
        let facts_of = |(id, name, material): &(i64, String, String)| FilamentFacts {
            name: name.clone(),
            material: material.clone(),
            print_temp_c: self
                .value(Parameter::PrintTemp, Some(*id))
                .and_then(|s| s.value),
        };
        Context {
            house: self.house.clone(),
            printer: self.printer.clone(),
            filament: filament.map(facts_of),
            filaments: self.filaments.iter().map(facts_of).collect(),
            before: before.and_then(|s| s.value),
            before_text: before.and_then(|s| s.text.clone()),
            strength: line.and_then(|l| l.strength),
            adjusts_so_far: line.map_or(0, |l| l.adjusts),
            replaced: self.replaced.to_vec(),
            strip: match stop {
                Stop::Fit(_) => self.strip(stop),
                _ => Vec::new(),
            },
            false_fixes: (self.card.false_fixes.iter())
                .map(|f| format!("{}: {}", f.label, f.says))
                .collect(),
            cause_found: None,
            changed: self.changed.to_vec(),
            baseline: self.noted_at(Stop::Baseline),
            // A time after which it came back is one more time to failure.
            failure_times_min: (self.failure_times_min.iter())
                .chain(&self.card.returned_after_min)
                .copied()
                .collect(),
            comes: self.comes,
            ceiling_found_c: self.value(Parameter::Ceiling, None).and_then(|s| s.value),
            volumetric_limit: filament
                .and_then(|(id, _, _)| self.value(Parameter::VolumetricLimit, Some(*id)))
                .and_then(|s| s.value),
            last_print: self.last_print.cloned(),
            hands_left_min: (stop == Stop::Worth)
                .then_some([self.card.at_least.hands_min, self.card.at_most.hands_min]),
            tube_cut_mm: self
                .last(&Stop::TubeLength.to_string())
                .and_then(|c| c.finding.facts.kept()),
            saved_lines: (self.last(&Stop::Parameter(Parameter::Profile, None).to_string()))
                .map_or_else(SavedLines::default, |c| {
                    saved_lines(&c.finding.facts, self.printer.nozzle_mm)
                }),
            parameter,
            snapshot: snapshot
                .and_then(|c| c.readings["report"].as_str())
                .map(str::to_owned),
            expected: self.expected(),
            previous: self.previous(stop).cloned(),
            list: parameter.is_none().then_some(key),
        }
    }

    /// Values that the job's stations left in the printer's memory: the commands of the last closing of each that set
    /// something, in the order of the route card.
    #[must_use]
    pub fn expected(&self) -> Vec<ExpectedSetting> {
        let mut expected: Vec<ExpectedSetting> = Vec::new();
        for line in &self.card.lines {
            // Settings compared puts back what other stations left: it leaves nothing of its own.
            let set = |c: &&Closed<'_>| {
                let f = &c.finding.facts;
                // What was set and seen to hold at once passes with its new value.
                let sets = f.verdict == Verdict::Adjust
                    || f.verdict == Verdict::Pass && f.after_text.is_some();
                sets && c.stop == line.key && c.stop != Stop::Compare.to_string()
            };
            let Some(closed) = self.closings.iter().rev().find(set) else {
                continue;
            };
            for command in &closed.finding.facts.commands {
                let Ok(words) = Words::read(&command.line) else {
                    continue;
                };
                for (key, value) in wanted_by(&words) {
                    expected.retain(|e| e.code != key.code || e.letter != key.letter);
                    expected.push(ExpectedSetting {
                        code: key.code,
                        letter: key.letter,
                        value,
                        station: line.title.clone(),
                    });
                }
            }
        }
        expected
    }
}
