//! What hot ends are made of, and what it stands.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

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
