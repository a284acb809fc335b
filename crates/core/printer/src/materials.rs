//! How hot ends and drives are built, and what it stands.

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

/// How a nozzle is changed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum NozzleMount {
    /// Hot, by a wrench, against its heat break or tube.
    #[default]
    HotChange,
    /// Cold, by hand: it brings its own heat break.
    QuickChange,
}

impl NozzleMount {
    /// Identifiers and labels.
    pub const CHOICES: &'static [(&'static str, &'static str)] = &[
        ("hot_change", "changed hot, by a wrench"),
        (
            "quick_change",
            "changed cold by hand, with its own heat break",
        ),
    ];
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
    /// Identifiers and labels.
    pub const CHOICES: &'static [(&'static str, &'static str)] = &[
        ("brass", "brass"),
        ("copper", "plated copper"),
        ("steel", "steel"),
    ];

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
    /// Identifiers and labels.
    pub const CHOICES: &'static [(&'static str, &'static str)] = &[
        ("aluminium", "aluminium"),
        ("copper", "plated copper or bronze"),
    ];

    /// Highest temperature [°C] before the block softens. Common practice, no published source.
    #[must_use]
    pub const fn most_c(self) -> f64 {
        match self {
            Self::Aluminium => 300.0,
            Self::Copper => 500.0,
        }
    }
}

/// How heavy a hot end is: bounds for what it can do.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HotEndMass {
    /// A small block, some 8 J/K.
    Light,
    /// The usual block, some 12 J/K.
    #[default]
    Standard,
    /// A large or all-metal high-flow block, some 20 J/K.
    Heavy,
}

impl HotEndMass {
    /// Heat capacity of block, nozzle and cartridge [J/K]; common practice: 3 to 7 cm³ of aluminium
    /// at 2.4 J/(cm³·K) and some brass.
    #[must_use]
    pub const fn capacity_j_k(self) -> f64 {
        match self {
            Self::Light => 8.0,
            Self::Standard => 12.0,
            Self::Heavy => 20.0,
        }
    }
    /// In words.
    #[must_use]
    pub const fn label(self) -> &'static str {
        match self {
            Self::Light => "small block",
            Self::Standard => "usual block",
            Self::Heavy => "large block",
        }
    }
}

/// How filament gets from the drive to the hot end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FilamentPath {
    /// The drive stands off and pushes through a tube.
    #[default]
    Tube,
    /// The drive sits on the hot end.
    Direct,
}

/// Temperature of the bed that a material usually wants [°C]; none for a material that isn't known. Common practice, no
/// published source.
#[must_use]
pub fn usual_bed_c(material: &str) -> Option<f64> {
    const USUAL: [(&str, f64); 9] = [
        ("PETG", 75.0),
        ("PET", 75.0),
        ("PLA", 60.0),
        ("ABS", 100.0),
        ("ASA", 100.0),
        ("TPU", 45.0),
        ("PVA", 55.0),
        ("PA", 80.0),
        ("PC", 110.0),
    ];
    of_material(&USUAL, material)
}

/// Whether a material is printed with the part fan off: a cold draught splits or curls it. Common practice, no published
/// source.
#[must_use]
pub fn fan_off(material: &str) -> bool {
    ["ABS", "ASA", "PC", "PA", "HIPS"].contains(&kind_of(material).as_str())
}

/// Whether a material gives under the jaws of a caliper and stretches behind the nozzle. Common practice, no published
/// source.
#[must_use]
pub fn is_soft(material: &str) -> bool {
    ["TPU", "TPE", "TPC"].contains(&kind_of(material).as_str())
}

/// The letters that a material's name begins with: "PA" of "PA6-CF", "PCTG" of "PCTG", which is no PC.
#[must_use]
pub fn kind_of(material: &str) -> String {
    let name = material.trim().to_uppercase();
    name.chars().take_while(|c| c.is_alphabetic()).collect()
}

/// What a table says of a material.
fn of_material(table: &[(&str, f64)], material: &str) -> Option<f64> {
    let kind = kind_of(material);
    table.iter().find(|(m, _)| *m == kind).map(|(_, c)| *c)
}

/// Temperature at which a material is usually printed [°C], for plans made before a filament has its own; none for
/// a material that isn't known. Common practice, no published source.
#[must_use]
pub fn usual_print_c(material: &str) -> Option<f64> {
    const USUAL: [(&str, f64); 9] = [
        ("PETG", 240.0),
        ("PET", 240.0),
        ("PLA", 210.0),
        ("ABS", 245.0),
        ("ASA", 250.0),
        ("TPU", 225.0),
        ("PVA", 200.0),
        ("PA", 255.0),
        ("PC", 275.0),
    ];
    of_material(&USUAL, material)
}
