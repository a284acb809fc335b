//! What can be wrong with it.

use std::collections::BTreeSet;
use std::fmt;
use std::str::FromStr;

/// A fault to switch on, alone or with others.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)] // each variant is its label
pub enum Fault {
    SensorOpen,
    SensorShort,
    SensorIntermittent,
    SensorLoose,
    SensorWrongType,
    HeaterWeak,
    HeaterLoose,
    HeaterWrongVoltage,
    FanDead,
    FanReversed,
    FanBlocked,
    SockMissing,
    CouplerSlipping,
    PartialClog,
    GearSlip,
    WrongSteps,
    LimitTooLow,
    SettingsNotSaved,
}

impl Fault {
    /// All faults.
    pub const ALL: [Self; 18] = [
        Self::SensorOpen,
        Self::SensorShort,
        Self::SensorIntermittent,
        Self::SensorLoose,
        Self::SensorWrongType,
        Self::HeaterWeak,
        Self::HeaterLoose,
        Self::HeaterWrongVoltage,
        Self::FanDead,
        Self::FanReversed,
        Self::FanBlocked,
        Self::SockMissing,
        Self::CouplerSlipping,
        Self::PartialClog,
        Self::GearSlip,
        Self::WrongSteps,
        Self::LimitTooLow,
        Self::SettingsNotSaved,
    ];

    /// Identifier on the command line.
    #[must_use]
    pub const fn id(self) -> &'static str {
        match self {
            Self::SensorOpen => "sensor-open",
            Self::SensorShort => "sensor-short",
            Self::SensorIntermittent => "sensor-intermittent",
            Self::SensorLoose => "sensor-loose",
            Self::SensorWrongType => "sensor-wrong-type",
            Self::HeaterWeak => "heater-weak",
            Self::HeaterLoose => "heater-loose",
            Self::HeaterWrongVoltage => "heater-wrong-voltage",
            Self::FanDead => "fan-dead",
            Self::FanReversed => "fan-reversed",
            Self::FanBlocked => "fan-blocked",
            Self::SockMissing => "sock-missing",
            Self::CouplerSlipping => "coupler-slipping",
            Self::PartialClog => "partial-clog",
            Self::GearSlip => "gear-slip",
            Self::WrongSteps => "wrong-steps",
            Self::LimitTooLow => "limit-too-low",
            Self::SettingsNotSaved => "settings-not-saved",
        }
    }
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.id())
    }
}

/// A name that is no fault.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UnknownFault(String);

impl fmt::Display for UnknownFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let known: Vec<&str> = Fault::ALL.iter().map(|x| x.id()).collect();
        write!(
            f,
            "there is no fault “{}”; faults are {}",
            self.0,
            known.join(", ")
        )
    }
}

impl std::error::Error for UnknownFault {}

impl FromStr for Fault {
    type Err = UnknownFault;
    fn from_str(text: &str) -> Result<Self, UnknownFault> {
        Self::ALL
            .into_iter()
            .find(|f| f.id() == text)
            .ok_or_else(|| UnknownFault(text.chars().take(40).collect()))
    }
}

/// The faults of one printer.
pub(crate) type Faults = BTreeSet<Fault>;
