//! What a closing does besides being kept: what it fits, what it makes worthless, what it puts in doubt.

use serde_json::Value;
use wattotherm_heat::sensor_ids;
use wattotherm_measure::{Pen, Verdict};
use wattotherm_printer::{
    FACT_FIELDS, FactField, FilamentPath, Fitted, HotEndKind, Parameter, Part, PrinterFacts,
    Replacement, fields_of, read_fields, typed_fields,
};

use crate::chain::{ARROWS, Strength};
use crate::context::Context;
use crate::finding::Finding;
use crate::house::House;
use crate::route::{LeftOpen, Stop};
use crate::sheets::PUT_BACK;
use crate::stations::check::StepState;
use crate::stations::{Check, read};

/// One thing that a closing does. The store writes them, in the closing's transaction.
#[derive(Clone, Debug, PartialEq)]
pub enum Effect {
    /// A new piece is fitted at a place.
    Fit {
        /// The place.
        part: Part,
        /// In words, for the list of parts.
        description: String,
        /// What is known of it; none for a place of which nothing is kept.
        fitted: Option<Fitted>,
    },
    /// The piece that is there is known better.
    Learn {
        /// What was learnt, in words.
        description: String,
        /// What is known of it now.
        fitted: Fitted,
    },
    /// What was known of a piece is put right, by hand: what isn't told is not known any more.
    Correct {
        /// What was put right, in words.
        description: String,
        /// What is known of it now.
        fitted: Fitted,
    },
    /// A value in force was found for other parts: it holds no more.
    Forget(Parameter),
    /// A value of every filament that the job doesn't name is in doubt.
    Doubt {
        /// Which value.
        parameter: Parameter,
        /// How much.
        strength: Strength,
        /// Which value moved, e.g. "the drive".
        moved: &'static str,
    },
    /// What was changed at the printer is as it belongs again: its name.
    PutBack(String),
    /// A value stays unproven when the job ends.
    Leave(LeftOpen),
}

/// What closing `stop` with these readings and this finding does to the printer.
///
/// Domain: readings that the station took; `context` as the station was evaluated with.
#[must_use]
pub fn effects_of(
    stop: Stop,
    readings: &Value,
    finding: &Finding,
    context: &Context,
) -> Vec<Effect> {
    let settled = matches!(finding.facts.verdict, Verdict::Pass | Verdict::Adjust);
    let mut effects = match stop {
        Stop::Fit(r) if finding.facts.verdict == Verdict::Pass => {
            fits(r, readings, &context.printer)
        }
        Stop::HandOver if finding.facts.verdict == Verdict::Pass => put_back(readings),
        _ if settled => changes(&context.printer, &stop.station().learns(readings)),
        _ => Vec::new(),
    };
    // The ceiling's own station is about to set a new one.
    if stop != Stop::Parameter(Parameter::Ceiling, None) {
        effects.extend(forgotten(&context.printer, &effects, &context.house));
    }
    if let Stop::Parameter(upstream, None) = stop
        && finding.facts.verdict == Verdict::Adjust
    {
        effects.extend(
            ARROWS
                .iter()
                .filter(|a| a.upstream == upstream && a.downstream.per_filament())
                .map(|a| Effect::Doubt {
                    parameter: a.downstream,
                    strength: a.strength,
                    moved: upstream.in_sentence(),
                }),
        );
    }
    effects
}

/// What correcting a printer by hand does to it: `told` at its places, where `known` was.
#[must_use]
pub fn effects_of_edit(known: &[Fitted], told: &[Fitted], house: &House) -> Vec<Effect> {
    let mut effects: Vec<Effect> = told
        .iter()
        .filter_map(|new| {
            let old = known.iter().find(|o| o.part() == new.part());
            if old == Some(new)
                || old.is_none() && typed_fields(std::slice::from_ref(new)).is_empty()
            {
                return None;
            }
            Some(Effect::Correct {
                description: difference(old, new),
                fitted: new.clone(),
            })
        })
        .collect();
    effects.extend(forgotten(&PrinterFacts::of(known), &effects, house));
    effects
}

/// What was given back while the printer was looked over for the last time.
fn put_back(readings: &Value) -> Vec<Effect> {
    let ticks = read::<Check>(readings).map_or(Vec::new(), |check| check.steps);
    let done = ticks.into_iter().filter(|t| t.state == StepState::Done);
    done.filter_map(|t| t.id.strip_prefix(PUT_BACK).map(str::to_owned))
        .map(Effect::PutBack)
        .collect()
}

/// What is newly known against what was.
fn changes(facts: &PrinterFacts, newer: &[Fitted]) -> Vec<Effect> {
    let known = facts.fitted();
    newer
        .iter()
        .filter_map(|new| {
            let old = known.iter().find(|o| o.part() == new.part())?;
            let both = old.with(new);
            (both != *old).then(|| Effect::Learn {
                description: difference(Some(old), &both),
                fitted: both,
            })
        })
        .collect()
}

/// "bore 0.6 mm (was bore 0.4 mm)", for every field that differs.
fn difference(old: Option<&Fitted>, new: &Fitted) -> String {
    let old = old.map_or_else(Default::default, |o| typed_fields(std::slice::from_ref(o)));
    let new = typed_fields(std::slice::from_ref(new));
    let said: Vec<String> = FACT_FIELDS
        .iter()
        .filter(|f| old.get(f.path) != new.get(f.path))
        .map(|f| {
            let now = new.get(f.path).map_or_else(
                || format!("{} not known", f.label),
                |t| f.says(t, Pen::METRIC),
            );
            match old.get(f.path) {
                Some(was) => format!("{now} (was {})", f.says(was, Pen::METRIC)),
                None => now,
            }
        })
        .collect();
    said.join(", ")
}

/// A ceiling found with other parts is worth nothing.
fn forgotten(facts: &PrinterFacts, effects: &[Effect], house: &House) -> Option<Effect> {
    let after = with_effects(facts, effects);
    let moved = house.ceiling(&after).ceiling_c - house.ceiling(facts).ceiling_c;
    (moved.abs() > 1e-9).then_some(Effect::Forget(Parameter::Ceiling))
}

/// A printer's facts once the effects are written.
#[must_use]
pub fn with_effects(facts: &PrinterFacts, effects: &[Effect]) -> PrinterFacts {
    let mut fitted = facts.fitted();
    for effect in effects {
        let (Effect::Fit {
            fitted: Some(new), ..
        }
        | Effect::Learn { fitted: new, .. }
        | Effect::Correct { fitted: new, .. }) = effect
        else {
            continue;
        };
        for old in &mut fitted {
            if old.part() == new.part() {
                old.clone_from(new);
            }
        }
    }
    PrinterFacts::of(&fitted)
}

fn fits(r: Replacement, readings: &Value, facts: &PrinterFacts) -> Vec<Effect> {
    let asked: Vec<&FactField> = fields_of(r).into_iter().map(|(f, _)| f).collect();
    let mut told = read::<Check>(readings).map_or(Vec::new(), |check| {
        read_fields(
            asked.iter().copied(),
            &check.fitted,
            &check.confirmed,
            &sensor_ids(),
        )
        .unwrap_or_default()
    });
    // What the name of a replacement says of the new piece is known besides what was told.
    let named = match r {
        Replacement::HeatBreakToAllMetal => Some(Fitted::HeatBreak {
            kind: Some(HotEndKind::AllMetal),
        }),
        Replacement::TubeToDirectDrive => Some(Fitted::ExtruderDrive {
            path: Some(FilamentPath::Direct),
            gear_ratio: None,
            diameter_mm: None,
        }),
        _ => None,
    };
    if let Some(named) = named {
        match told.iter_mut().find(|t| t.part() == named.part()) {
            Some(t) => *t = t.with(&named),
            None => told.push(named),
        }
    }
    let known = facts.fitted();
    let mut effects: Vec<Effect> = Vec::new();
    // What isn't asked of a new piece is as it was: a nozzle of the same kind has the same bore.
    for place in &known {
        let told = told.iter().find(|t| t.part() == place.part());
        if told.is_none() && place.part() != r.part() {
            continue;
        }
        let new = told.map_or_else(|| place.clone(), |t| place.with(t));
        effects.push(Effect::Fit {
            part: place.part(),
            description: in_words(r, &new),
            fitted: Some(new),
        });
    }
    if !effects
        .iter()
        .any(|e| matches!(e, Effect::Fit { part, .. } if *part == r.part()))
    {
        effects.push(Effect::Fit {
            part: r.part(),
            description: r.label().to_owned(),
            fitted: None,
        });
    }
    effects
}

/// "nozzle, other bore: 0.6 mm, brass".
fn in_words(r: Replacement, new: &Fitted) -> String {
    let typed = typed_fields(std::slice::from_ref(new));
    let asked = fields_of(r);
    let said: Vec<String> = FACT_FIELDS
        .iter()
        .filter(|f| f.part == new.part() && asked.iter().any(|(a, _)| a.path == f.path))
        .filter_map(|f| typed.get(f.path).map(|text| f.says(text, Pen::METRIC)))
        .collect();
    if said.is_empty() {
        r.label().to_owned()
    } else {
        format!("{}: {}", r.label(), said.join(", "))
    }
}
