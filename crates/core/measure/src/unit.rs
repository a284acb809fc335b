//! Units of what is measured and set.

use serde::{Deserialize, Serialize};
use strum::VariantArray;
use utoipa::ToSchema;

/// Unit in which a number is kept. What a shop is shown may differ: that is the [`crate::Pen`]'s work.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize, ToSchema, VariantArray,
)]
#[serde(rename_all = "snake_case")]
pub enum Unit {
    /// A count, a ratio, a gain.
    #[default]
    One,
    /// Length [mm].
    Mm,
    /// Speed [mm/s].
    MmPerS,
    /// Volume [mm³].
    Mm3,
    /// Flow of plastic [mm³/s].
    Mm3PerS,
    /// Temperature [°C].
    Celsius,
    /// Difference of two temperatures [K], written in degrees.
    Kelvin,
    /// Time [s].
    Second,
    /// Time [min].
    Minute,
    /// Percent.
    Percent,
    /// Mass [g].
    Gram,
    /// Density [g/cm³].
    GramPerCm3,
    /// Motor steps for a millimetre of filament [1/mm].
    StepsPerMm,
    /// Resistance [Ω].
    Ohm,
    /// Voltage [V].
    Volt,
    /// Power [W].
    Watt,
    /// Current [A].
    Ampere,
    /// Torque [N·m].
    NewtonMetre,
}

impl Unit {
    /// All units.
    pub const ALL: &[Self] = Self::VARIANTS;

    /// Symbol in which it is kept, e.g. "mm"; empty for a count.
    #[must_use]
    pub const fn symbol(self) -> &'static str {
        match self {
            Self::One => "",
            Self::Mm => "mm",
            Self::MmPerS => "mm/s",
            Self::Mm3 => "mm³",
            Self::Mm3PerS => "mm³/s",
            Self::Celsius | Self::Kelvin => "°C",
            Self::Second => "s",
            Self::Minute => "min",
            Self::Percent => "%",
            Self::Gram => "g",
            Self::GramPerCm3 => "g/cm³",
            Self::StepsPerMm => "steps/mm",
            Self::Ohm => "Ω",
            Self::Volt => "V",
            Self::Watt => "W",
            Self::Ampere => "A",
            Self::NewtonMetre => "N·m",
        }
    }

    /// The unit with this symbol; "°C" is a temperature, never a difference. None for a symbol of no unit.
    #[must_use]
    pub fn of(symbol: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|u| u.symbol() == symbol)
    }

    /// The unit of a difference of two such values.
    #[must_use]
    pub const fn of_difference(self) -> Self {
        match self {
            Self::Celsius => Self::Kelvin,
            other => other,
        }
    }

    /// The unit of a typed suffix that measures the same, with what turns it into this one:
    /// value = typed · factor + offset; no turn where it is this unit. None for a suffix of something else.
    ///
    /// Source: 1 in = 25.4 mm exactly (ISO 80000-3); t/°C = (t/°F − 32)/1.8 (ISO 80000-5).
    #[must_use]
    pub fn suffix(self, typed: &str) -> Option<Option<(f64, f64)>> {
        const INCH: f64 = 25.4;
        let same = match self {
            Self::Celsius => matches!(typed, "°C" | "C" | "c" | "°c"),
            Self::Kelvin => matches!(typed, "°C" | "C" | "c" | "°c" | "K"),
            Self::Ohm => matches!(typed, "Ω" | "\u{2126}" | "ohm" | "Ohm" | "ohms" | "R"),
            Self::NewtonMetre => matches!(typed, "N·m" | "Nm" | "N m" | "nm"),
            _ => typed == self.symbol(),
        };
        if typed.is_empty() || same {
            return Some(None);
        }
        match (self, typed) {
            (Self::Mm, "in" | "\"" | "″" | "inch") | (Self::MmPerS, "in/s") => {
                Some(Some((INCH, 0.0)))
            }
            (Self::Mm, "cm") => Some(Some((10.0, 0.0))),
            (Self::Mm, "µm" | "μm" | "um") => Some(Some((0.001, 0.0))),
            (Self::Ohm, "k" | "kΩ" | "k\u{2126}" | "kohm" | "kOhm" | "K" | "KΩ" | "Kohm") => {
                Some(Some((1_000.0, 0.0)))
            }
            (Self::Ohm, "M" | "MΩ" | "M\u{2126}" | "Mohm" | "MOhm") => Some(Some((1e6, 0.0))),
            (Self::Volt, "mV") | (Self::Ampere, "mA") | (Self::Gram, "mg") => {
                Some(Some((0.001, 0.0)))
            }
            (Self::Gram, "kg") | (Self::Watt, "kW") => Some(Some((1_000.0, 0.0))),
            (Self::NewtonMetre, "N·cm" | "Ncm") => Some(Some((0.01, 0.0))),
            (Self::Second, "min") | (Self::Minute, "h") => Some(Some((60.0, 0.0))),
            (Self::Celsius, "°F" | "F" | "f" | "°f") => Some(Some((1.0 / 1.8, -32.0 / 1.8))),
            (Self::Kelvin, "°F" | "F" | "f" | "°f") => Some(Some((1.0 / 1.8, 0.0))),
            _ => None,
        }
    }
}
