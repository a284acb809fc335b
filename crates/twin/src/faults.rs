//! What can be wrong with it.

use std::collections::BTreeSet;
use std::fmt;
use std::str::FromStr;

use strum::{IntoStaticStr, VariantArray};

/// A fault to switch on, alone or with others.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, IntoStaticStr, VariantArray)]
#[strum(serialize_all = "kebab-case")]
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
    pub const ALL: &[Self] = Self::VARIANTS;

    /// Identifier on the command line.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.into()
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
            .iter()
            .copied()
            .find(|f| f.id() == text)
            .ok_or_else(|| UnknownFault(text.chars().take(40).collect()))
    }
}

/// The faults of one printer.
pub(crate) type Faults = BTreeSet<Fault>;
