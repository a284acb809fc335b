//! What is calibrated on a printer.

use serde::{Deserialize, Serialize};
use strum::{EnumString, IntoStaticStr, VariantArray};
use utoipa::ToSchema;
use wattotherm_measure::Unit;

/// One calibrated quantity of a printer, or of printer + nozzle + filament.
///
/// The declaration order is a topological order of [`wattotherm_job::chain::ARROWS`] and the order of
/// work on the traveller; a test holds both.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[derive(ToSchema, EnumString, IntoStaticStr, VariantArray)]
#[strum(serialize_all = "snake_case")]
pub enum Parameter {
    /// Which sensor table the firmware uses.
    SensorType,
    /// Highest temperature the weakest part of the hot end allows.
    Ceiling,
    /// Gains of the hot end's heater loop.
    HeaterLoop,
    /// Extruder steps per millimetre of filament.
    Drive,
    /// Bore, line widths and layer heights in printer and profile.
    Profile,
    /// The bed's plane against the axes.
    Tram,
    /// Nozzle height against bed or probe.
    OffsetZ,
    /// Second nozzle against the first.
    OffsetXy,
    /// Print temperature of one filament.
    PrintTemp,
    /// Highest volumetric flow of one filament.
    VolumetricLimit,
    /// Flow multiplier of one filament.
    Flow,
    /// Pressure advance of one filament.
    PressureAdvance,
    /// Retraction of one filament.
    Retraction,
}

impl Parameter {
    /// All parameters, upstream before downstream.
    pub const ALL: &[Self] = Self::VARIANTS;

    /// Name as a heading, e.g. "Print temperature".
    #[must_use]
    pub const fn label(self) -> &'static str {
        match self {
            Self::SensorType => "Sensor type",
            Self::Ceiling => "Temperature ceiling",
            Self::HeaterLoop => "Heater loop",
            Self::Drive => "Drive",
            Self::Profile => "Nozzle profile",
            Self::Tram => "Bed tram",
            Self::OffsetZ => "Z offset",
            Self::OffsetXy => "XY offset",
            Self::PrintTemp => "Print temperature",
            Self::VolumetricLimit => "Volumetric limit",
            Self::Flow => "Flow",
            Self::PressureAdvance => "Pressure advance",
            Self::Retraction => "Retraction",
        }
    }

    /// Name inside a sentence, e.g. "the print temperature".
    #[must_use]
    pub const fn in_sentence(self) -> &'static str {
        match self {
            Self::SensorType => "the sensor type",
            Self::Ceiling => "the temperature ceiling",
            Self::HeaterLoop => "the heater loop",
            Self::Drive => "the drive",
            Self::Profile => "the nozzle profile",
            Self::Tram => "the bed tram",
            Self::OffsetZ => "the Z offset",
            Self::OffsetXy => "the XY offset",
            Self::PrintTemp => "the print temperature",
            Self::VolumetricLimit => "the volumetric limit",
            Self::Flow => "the flow",
            Self::PressureAdvance => "the pressure advance",
            Self::Retraction => "the retraction",
        }
    }

    /// Unit of the stored value; [`Unit::One`] where the value is a text.
    #[must_use]
    pub const fn unit(self) -> Unit {
        match self {
            Self::SensorType | Self::HeaterLoop | Self::OffsetXy => Unit::One,
            Self::Ceiling | Self::PrintTemp => Unit::Celsius,
            Self::Drive => Unit::StepsPerMm,
            Self::Profile | Self::Tram | Self::OffsetZ | Self::Retraction => Unit::Mm,
            Self::VolumetricLimit => Unit::Mm3PerS,
            Self::Flow => Unit::Percent,
            Self::PressureAdvance => Unit::Second,
        }
    }

    /// Whether the value belongs to printer + nozzle + filament (true) or to the printer (false).
    #[must_use]
    pub const fn per_filament(self) -> bool {
        matches!(
            self,
            Self::PrintTemp
                | Self::VolumetricLimit
                | Self::Flow
                | Self::PressureAdvance
                | Self::Retraction
        )
    }

    /// Identifier used in JSON, URLs and the database, e.g. `print_temp`.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.into()
    }

    /// The parameter with this [`Parameter::id`], if there is one.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        id.parse().ok()
    }
}
