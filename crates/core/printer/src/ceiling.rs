//! How hot a hot end may go.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::facts::PrinterFacts;
use crate::materials::HotEndKind;

/// What can hold the ceiling down.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HeldBy {
    /// Range of the temperature sensor.
    Sensor,
    /// The liner in the heat break.
    Liner,
    /// The firmware's own limit less the shop's margin.
    FirmwareLimit,
    /// What the firmware took when it was asked.
    Firmware,
    /// What was found at its station, or typed of this printer.
    Found,
    /// The nozzle.
    Nozzle,
    /// The heater block.
    Block,
}

impl HeldBy {
    /// "the liner".
    #[must_use]
    pub const fn says(self) -> &'static str {
        match self {
            Self::Sensor => "the temperature sensor",
            Self::Liner => "the liner",
            Self::FirmwareLimit => "the firmware limit less its margin",
            Self::Firmware => "the firmware",
            Self::Found => "the ceiling found at its station",
            Self::Nozzle => "the nozzle",
            Self::Block => "the heater block",
        }
    }
}

/// A part's own limit.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PartLimit {
    /// The part.
    pub part: HeldBy,
    /// Its limit [°C].
    pub most_c: f64,
}

/// A ceiling and the part that holds it down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Ceiling {
    /// Highest target allowed [°C].
    pub ceiling_c: f64,
    /// What holds it there.
    pub held_by: HeldBy,
    /// Every limit, the lowest first.
    pub limits: Vec<PartLimit>,
}

impl Ceiling {
    /// The same with a ceiling in force (`found_c` [°C], finite) where that is lower.
    #[must_use]
    pub fn or_found(mut self, found_c: Option<f64>) -> Self {
        if let Some(most_c) = found_c.filter(|c| *c < self.ceiling_c) {
            self.ceiling_c = most_c;
            self.held_by = HeldBy::Found;
            let found = PartLimit {
                part: HeldBy::Found,
                most_c,
            };
            self.limits.insert(0, found);
        }
        self
    }
}

/// Range of common glass-bead sensors [°C]; common practice, no published source.
const SENSOR_RANGE_C: f64 = 285.0;

/// What a shop and its tables add to what is fitted.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CeilingRules {
    /// Ceiling of a lined hot end by the house rule [°C].
    pub lined_c: f64,
    /// What a target stays below the firmware's own limit [°C].
    pub firmware_margin_c: f64,
    /// Range of the fitted sensor's type [°C]; none where the type isn't known.
    pub sensor_most_c: Option<f64>,
}

/// Ceiling of a hot end: the least of liner, sensor range, nozzle, block, and firmware limit less its
/// margin. Raising the firmware limit never raises what the parts hold down.
///
/// Source: common practice, no published source; the liner's figure is a house rule.
/// Domain: all numbers finite.
#[must_use]
pub fn ceiling(facts: &PrinterFacts, rules: CeilingRules) -> Ceiling {
    let liner = (facts.hot_end == HotEndKind::Lined).then_some(rules.lined_c);
    let firmware = facts.firmware_limit_c.map(|l| l - rules.firmware_margin_c);
    let sensor = rules.sensor_most_c.unwrap_or(SENSOR_RANGE_C);
    let mut limits: Vec<PartLimit> = [
        (Some(sensor), HeldBy::Sensor),
        (liner, HeldBy::Liner),
        (firmware, HeldBy::FirmwareLimit),
        (Some(facts.nozzle.most_c()), HeldBy::Nozzle),
        (Some(facts.block.most_c()), HeldBy::Block),
    ]
    .into_iter()
    .filter_map(|(c, part)| c.map(|most_c| PartLimit { part, most_c }))
    .collect();
    limits.sort_by(|a, b| a.most_c.total_cmp(&b.most_c));
    Ceiling {
        ceiling_c: limits[0].most_c,
        held_by: limits[0].part,
        limits,
    }
}
