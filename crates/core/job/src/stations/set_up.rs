//! What a worktop shows before anything is typed: instruction, caution, house rule, commands.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::Command;
use wattotherm_measure::{Pen, Unit};
use wattotherm_printer::FactFieldShown;

use crate::caution::{Caution, SignalWord};
use crate::context::Context;
use crate::house::{RuleId, ToleranceId};

/// What a worktop shows before readings.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SetUp {
    /// What to do, as heading.
    pub heading: String,
    /// More to know, a sentence each.
    pub hints: Vec<String>,
    /// Caution of this station.
    pub caution: Option<Caution>,
    /// The house rule that decides here.
    pub rule: Option<RuleId>,
    /// Its choice and limit in one sentence.
    pub rule_text: Option<String>,
    /// Commands for the set-up.
    pub commands: Vec<Command>,
    /// Why commands are withheld.
    pub withheld: Option<String>,
    /// Nozzle temperature that the work asks for [°C].
    pub target_c: Option<f64>,
    /// What is asked of a new part; typed under `fitted`.
    pub part_fields: Vec<FactFieldShown>,
}

impl SetUp {
    /// An instruction.
    #[must_use]
    pub fn new(heading: impl Into<String>) -> Self {
        Self {
            heading: heading.into(),
            ..Self::default()
        }
    }

    /// The same with one thing more to know.
    #[must_use]
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hints.push(hint.into());
        self
    }

    /// The same with a caution.
    #[must_use]
    pub fn caution(mut self, signal: SignalWord, text: impl Into<String>) -> Self {
        self.caution = Some(Caution::new(signal, text));
        self
    }

    /// The same with the caution of a hot nozzle, at `c` [°C] where that is known.
    #[must_use]
    pub fn hot(self, c: Option<f64>, pen: Pen) -> Self {
        let at = c.map_or(String::new(), |c| {
            format!(", {}", pen.plain(c, Unit::Celsius, 0))
        });
        self.caution(
            SignalWord::Caution,
            format!(
                "Hot nozzle{at}. Keep hands and sleeves off the hot end, and never put fingers under \
                 the nozzle. Stay with it while it heats. Ventilate."
            ),
        )
    }

    /// The same with the house rule that decides, and what else is to be said of it.
    #[must_use]
    pub fn rule(mut self, rule: RuleId, context: &Context, more: &str) -> Self {
        self.rule = Some(rule);
        self.rule_text = Some(format!("{}{more}", rule_text(context, rule)));
        self
    }

    /// The same with a limit that decides.
    #[must_use]
    pub fn limit(mut self, says: impl Into<String>) -> Self {
        self.rule_text = Some(says.into());
        self
    }
}

/// The option in force for a rule, as a sentence.
pub(super) fn rule_text(context: &Context, rule: RuleId) -> String {
    format!(
        "{}.",
        context.house.pen.text(context.house.option(rule).label)
    )
}

/// A tolerance with its unit, in the shop's.
pub(super) fn tolerance(context: &Context, id: ToleranceId, unit: Unit) -> String {
    let value = context.house.tolerance(id);
    context.house.pen.plain(value, unit.of_difference(), 3)
}
