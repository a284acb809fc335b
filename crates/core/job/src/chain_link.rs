//! A parameter as a link of a printer's chain: what it hangs on, and whether it holds.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::{Parameter, Part, Replacement};

use crate::chain::{ARROWS, default_cell};
use crate::route::{LineState, Stop, Traveller};

/// Whether a link holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ChainState {
    /// Calibrated and untouched since.
    Holds,
    /// To be worked through in the open job.
    Open,
    /// Opens only if something moves.
    Conditional,
    /// In doubt for a filament that was not worked through.
    InDoubt,
    /// No value noted yet.
    NeverSet,
}

/// One parameter as a link of a printer's chain.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct ChainLink {
    /// Which parameter.
    pub parameter: Parameter,
    /// Name.
    pub label: String,
    /// Values in force, with unit; one a filament.
    pub values: Vec<String>,
    /// Whether the link holds.
    pub state: ChainState,
    /// Why, one sentence.
    pub reason: String,
    /// Parameters it rests on.
    pub rests_on: Vec<Parameter>,
    /// Names of the parts it rests on.
    pub parts: Vec<&'static str>,
}

impl ChainLink {
    /// A link: its values in force as they are said, why it is in doubt (part of a sentence), and the route
    /// card of the open job.
    #[must_use]
    pub fn new(
        parameter: Parameter,
        values: Vec<String>,
        doubt: Option<&str>,
        card: Option<&Traveller>,
    ) -> Self {
        let p = parameter;
        let line = card.and_then(|c| {
            c.lines.iter().find(|l| {
                matches!(l.key.parse(), Ok(Stop::Parameter(q, _)) if q == p)
                    && l.state != LineState::Closed
            })
        });
        let (state, reason) = match (line, doubt) {
            (Some(l), _) if matches!(l.state, LineState::Open | LineState::Stopped) => {
                (ChainState::Open, l.reason.clone())
            }
            (Some(l), _) if l.state == LineState::Conditional => {
                (ChainState::Conditional, l.reason.clone())
            }
            (Some(l), _) if l.state == LineState::Waived => (
                ChainState::InDoubt,
                format!("{}: unproven, {}.", p.label(), l.line),
            ),
            (_, Some(clause)) => (
                ChainState::InDoubt,
                format!("{}: in doubt, since {clause}.", p.label()),
            ),
            _ if values.is_empty() => (
                ChainState::NeverSet,
                format!("{}: no value noted yet.", p.label()),
            ),
            _ => (ChainState::Holds, format!("{}: holds.", p.label())),
        };
        let shakes = |part: Part| {
            let mut of_part = Replacement::ALL
                .iter()
                .copied()
                .filter(|r| r.part() == part);
            of_part.any(|r| default_cell(r, p).is_some())
        };
        Self {
            parameter,
            label: p.label().into(),
            values,
            state,
            reason,
            rests_on: ARROWS
                .iter()
                .filter(|a| a.downstream == p)
                .map(|a| a.upstream)
                .collect(),
            parts: Part::ALL
                .iter()
                .copied()
                .filter(|part| shakes(*part))
                .map(Part::label)
                .collect(),
        }
    }
}
