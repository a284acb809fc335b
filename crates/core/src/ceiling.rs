//! How hot a hot end may go.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::heat::sensor_type;
use crate::house::{House, RuleId, ToleranceId};
use crate::stations::PrinterFacts;

/// How filament is led to the melt zone.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HotEndKind {
    /// A plastic liner reaches down to the nozzle.
    #[default]
    Lined,
    /// Metal all the way.
    AllMetal,
}

/// What a nozzle is made of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum NozzleMaterial {
    /// Brass.
    #[default]
    Brass,
    /// Plated copper.
    Copper,
    /// Hardened or stainless steel.
    Steel,
}

/// What a heater block is made of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum BlockMaterial {
    /// Aluminium.
    #[default]
    Aluminium,
    /// Plated copper or bronze.
    Copper,
}

impl NozzleMaterial {
    /// Highest temperature [°C] before the threads soften. Common practice, no published source.
    #[must_use]
    pub const fn most_c(self) -> f64 {
        match self {
            Self::Brass => 300.0,
            Self::Copper | Self::Steel => 500.0,
        }
    }
}

impl BlockMaterial {
    /// Highest temperature [°C] before the block softens. Common practice, no published source.
    #[must_use]
    pub const fn most_c(self) -> f64 {
        match self {
            Self::Aluminium => 300.0,
            Self::Copper => 500.0,
        }
    }
}

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

/// Ceiling of a hot end: the least of liner, sensor range, nozzle, block, and firmware limit less its
/// margin. Raising the firmware limit never raises what the parts hold down.
///
/// Source: common practice, no published source; the liner's figure is a house rule.
/// Domain: `firmware_limit_c` finite.
#[must_use]
pub fn ceiling(facts: &PrinterFacts, house: &House) -> Ceiling {
    let liner =
        (facts.hot_end == HotEndKind::Lined).then(|| match house.option(RuleId::LinedCeiling).id {
            "c240" => 240.0,
            "c250" => 250.0,
            _ => 235.0,
        });
    let firmware = facts
        .firmware_limit_c
        .map(|l| l - house.tolerance(ToleranceId::FirmwareMarginC));
    let sensor = sensor_type(&facts.sensor).map_or(SENSOR_RANGE_C, |s| s.most_c);
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
