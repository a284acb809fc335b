//! How hot a hot end may go.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::facts::PrinterFacts;
use crate::materials::HotEndKind;

/// A part's own limit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PartLimit {
    /// The part, e.g. "the liner".
    pub part: String,
    /// Its limit [°C].
    pub most_c: f64,
}

/// A ceiling and the part that holds it down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Ceiling {
    /// Highest target allowed [°C].
    pub ceiling_c: f64,
    /// What holds it there, e.g. "the liner".
    pub held_by: String,
    /// Every limit, the lowest first.
    pub limits: Vec<PartLimit>,
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
        (Some(sensor), "the temperature sensor"),
        (liner, "the liner"),
        (firmware, "the firmware limit less its margin"),
        (Some(facts.nozzle.most_c()), "the nozzle"),
        (Some(facts.block.most_c()), "the heater block"),
    ]
    .into_iter()
    .filter_map(|(c, part)| {
        c.map(|most_c| PartLimit {
            part: part.to_owned(),
            most_c,
        })
    })
    .collect();
    limits.sort_by(|a, b| a.most_c.total_cmp(&b.most_c));
    Ceiling {
        ceiling_c: limits[0].most_c,
        held_by: limits[0].part.clone(),
        limits,
    }
}
