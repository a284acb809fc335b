//! What a log is taken for where it doesn't say, and what it was.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What temperatures are counted in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = LogTemperature)]
pub enum TemperatureUnit {
    /// °C.
    #[default]
    Celsius,
    /// °F.
    Fahrenheit,
}

impl TemperatureUnit {
    /// A logged number [this unit] in °C.
    pub(super) fn celsius(self, v: f64) -> f64 {
        match self {
            Self::Celsius => v,
            Self::Fahrenheit => (v - 32.0) / 1.8,
        }
    }
}

/// What times that are plain numbers are counted in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = LogTime)]
pub enum TimeUnit {
    /// Milliseconds.
    Milliseconds,
    /// Seconds.
    Seconds,
    /// Minutes.
    Minutes,
}

impl TimeUnit {
    /// Length of one of them [s].
    #[must_use]
    pub const fn seconds(self) -> f64 {
        match self {
            Self::Milliseconds => 0.001,
            Self::Seconds => 1.0,
            Self::Minutes => 60.0,
        }
    }

    pub(super) const fn name(self) -> &'static str {
        match self {
            Self::Milliseconds => "milliseconds",
            Self::Seconds => "seconds",
            Self::Minutes => "minutes",
        }
    }
}

/// What the heater's duty is counted in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = LogDuty)]
pub enum DutyScale {
    /// 0 to 1.
    One,
    /// Percent.
    Percent,
    /// Steps of a timer of seven bits, 0 to 127.
    SevenBits,
    /// Steps of a timer of eight bits, 0 to 255.
    EightBits,
}

impl DutyScale {
    /// What full power reads [its own counts].
    #[must_use]
    pub const fn full(self) -> f64 {
        match self {
            Self::One => 1.0,
            Self::Percent => 100.0,
            Self::SevenBits => 127.0,
            Self::EightBits => 255.0,
        }
    }

    pub(super) const fn name(self) -> &'static str {
        match self {
            Self::One => "0 to 1",
            Self::Percent => "percent",
            Self::SevenBits => "0 to 127",
            Self::EightBits => "0 to 255",
        }
    }

    /// The least scale that holds the largest value of a table.
    pub(super) fn holding(most: f64) -> Self {
        [Self::One, Self::Percent, Self::SevenBits]
            .into_iter()
            .find(|s| most <= s.full())
            .unwrap_or(Self::EightBits)
    }
}

/// What a log is to be taken for; none: what it suggests itself.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct ReadAs {
    /// Unit of temperatures and targets.
    pub temperatures: Option<TemperatureUnit>,
    /// Unit of times that are plain numbers.
    pub times: Option<TimeUnit>,
    /// From one report to the next [s], in a log without a clock.
    pub every_s: Option<f64>,
    /// What duty is counted in.
    pub duty: Option<DutyScale>,
}

impl ReadAs {
    /// What may lie between two reports [s]: from a hundred a second to one in two minutes. Judgement.
    pub const EVERY_S: [f64; 2] = [0.01, 120.0];
}

/// What a log was taken for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Taken {
    /// Unit of its temperatures.
    pub temperatures: TemperatureUnit,
    /// Unit of its times; none where it writes the time of day, or none at all.
    pub times: Option<TimeUnit>,
    /// From one report to the next [s]; none where it has a clock.
    pub every_s: Option<f64>,
    /// What its duty is counted in; none where it has none.
    pub duty: Option<DutyScale>,
    /// It has no target: one has to be given beside it.
    pub no_target: bool,
}
