//! House rules: a shop's choices where good practitioners differ, its tolerances and instruments.

mod own_steps;
mod rules;
mod tolerances;

pub use own_steps::{MOST_OWN_STEPS, MOST_STEP_CHARS, OwnStep, put_in};
pub use rules::{RULES, RuleId, RuleOption, RuleSpec};
pub use tolerances::{TOLERANCES, ToleranceId, ToleranceSpec};

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_heat::sensor_type;
use wattotherm_measure::{Instrument, InstrumentKind, Pen, default_instruments};
use wattotherm_printer::{Ceiling, CeilingRules, Parameter, PrinterFacts, Replacement};

use crate::chain::{CellOverride, ChainTables, Strength};

/// A shop's answer to one question.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Choice {
    /// Identifier of the option.
    pub option: String,
    /// Why, in the shop's own words; empty keeps the default's reason.
    #[serde(default)]
    pub reason: String,
}

/// All house rules of a shop. What is not said is the default.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct House {
    /// Answers that differ from the default, by [`RuleId`].
    pub choices: BTreeMap<RuleId, Choice>,
    /// Tolerances that differ from the default, by [`ToleranceId`].
    pub tolerances: BTreeMap<ToleranceId, f64>,
    /// Instruments.
    pub instruments: Vec<Instrument>,
    /// Changes to the chain's first table.
    pub cells: Vec<CellOverride>,
    /// Steps of its own at its lists, in the order in which they were added.
    pub own_steps: Vec<OwnStep>,
    /// Units in which the shop is shown its numbers.
    pub pen: Pen,
}

impl Default for House {
    fn default() -> Self {
        Self {
            choices: BTreeMap::new(),
            tolerances: BTreeMap::new(),
            instruments: default_instruments(),
            cells: Vec::new(),
            own_steps: Vec::new(),
            pen: Pen::METRIC,
        }
    }
}

impl House {
    /// The option in force for a rule.
    #[must_use]
    pub fn option(&self, rule: RuleId) -> &'static RuleOption {
        let spec = rule.spec();
        self.choices
            .get(&rule)
            .and_then(|c| spec.options.iter().find(|o| o.id == c.option))
            .unwrap_or(&spec.options[0])
    }

    /// Why that option is in force: the shop's reason, or the default's.
    #[must_use]
    pub fn reason(&self, rule: RuleId) -> String {
        match self.choices.get(&rule) {
            Some(c) if !c.reason.trim().is_empty() => c.reason.clone(),
            _ => self.pen.text(rule.spec().why),
        }
    }

    /// A tolerance in its unit.
    #[must_use]
    pub fn tolerance(&self, id: ToleranceId) -> f64 {
        let spec = id.spec();
        self.tolerances.get(&id).copied().unwrap_or(spec.default)
    }

    /// Ceiling of a hot end with these facts, by this shop's rules.
    #[must_use]
    pub fn ceiling(&self, facts: &PrinterFacts) -> Ceiling {
        let lined_c = match self.option(RuleId::LinedCeiling).id {
            "c240" => 240.0,
            "c250" => 250.0,
            _ => 235.0,
        };
        let rules = CeilingRules {
            lined_c,
            firmware_margin_c: self.tolerance(ToleranceId::FirmwareMarginC),
            sensor_most_c: sensor_type(&facts.sensor).map(|s| s.most_c),
        };
        wattotherm_printer::ceiling(facts, rules)
    }

    /// The instrument with this identifier where it measures what the kind measures, or else the first of the
    /// kind: a balance measures no millimetres.
    #[must_use]
    pub fn instrument(&self, id: &str, kind: InstrumentKind) -> Option<&Instrument> {
        self.instruments
            .iter()
            .find(|i| i.id == id && i.kind.measures_as(kind))
            .or_else(|| self.instruments.iter().find(|i| i.kind == kind))
    }

    /// The chain's first table as this shop uses it: the trade's cells, what the house rules say,
    /// then the shop's own cells, which win.
    #[must_use]
    pub fn chain_tables(&self) -> ChainTables {
        let mut changes = Vec::new();
        if self.option(RuleId::SameBoreNozzle).id == "z_only" {
            for &parameter in Parameter::ALL {
                if parameter != Parameter::OffsetZ {
                    changes.push((Replacement::NozzleSame, parameter, None));
                }
            }
        }
        if self.option(RuleId::RetuneLoop).id == "when_it_swings" {
            for &replacement in Replacement::ALL {
                let cell = crate::chain::default_cell(replacement, Parameter::HeaterLoop);
                if cell == Some(Strength::Redo) {
                    changes.push((replacement, Parameter::HeaterLoop, Some(Strength::Verify)));
                }
            }
        }
        changes.extend(
            self.cells
                .iter()
                .map(|c| (c.replacement, c.parameter, c.strength)),
        );
        ChainTables::with_changes(changes)
    }
}
