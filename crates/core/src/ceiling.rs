//! How hot a hot end may go.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::house::{House, RuleId, ToleranceId};

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

/// A ceiling and the part that holds it down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Ceiling {
    /// Highest target allowed [°C].
    pub ceiling_c: f64,
    /// What holds it there, e.g. "the liner".
    pub held_by: String,
}

/// Range of common glass-bead sensors [°C]; common practice, no published source.
const SENSOR_RANGE_C: f64 = 285.0;

/// Ceiling of a hot end: the least of liner, sensor range, and firmware limit less its margin.
///
/// Source: common practice, no published source; the liner's figure is a house rule.
/// Domain: `firmware_limit_c` finite.
#[must_use]
pub fn ceiling(kind: HotEndKind, firmware_limit_c: Option<f64>, house: &House) -> Ceiling {
    let liner = (kind == HotEndKind::Lined).then(|| {
        let c = match house.option(RuleId::LinedCeiling).id {
            "c240" => 240.0,
            "c250" => 250.0,
            _ => 235.0,
        };
        (c, "the liner")
    });
    let firmware = firmware_limit_c.map(|l| {
        (
            l - house.tolerance(ToleranceId::FirmwareMarginC),
            "the firmware limit less its margin",
        )
    });
    let least = [liner, firmware].into_iter().flatten().fold(
        (SENSOR_RANGE_C, "the temperature sensor"),
        |least, next| {
            if next.0 < least.0 { next } else { least }
        },
    );
    Ceiling {
        ceiling_c: least.0,
        held_by: least.1.to_owned(),
    }
}
