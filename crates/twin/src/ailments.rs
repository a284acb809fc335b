//! What can be wrong that no wire tells of: what only hands and eyes find.

use strum::{IntoStaticStr, VariantArray};

/// Something wrong with the metal, the plastic or the plate.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, IntoStaticStr, VariantArray)]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs)] // each variant is its label
pub enum Ailment {
    NozzleClogged,
    NozzleWorn,
    TubeGap,
    LinerBurnt,
    BreakPasteDry,
    PlugLoose,
    LoopUntuned,
    MotorCurrentLow,
    SpoolStiff,
    FilamentWet,
    CutterStuck,
    ProfileOfOtherBore,
    NozzleTooNear,
    NozzleTooFar,
    BedLoose,
    ThreadsLeak,
    Blob,
    AxisLoose,
    PlateGreasy,
    TooHotForFilament,
    TooColdForFilament,
}

impl Ailment {
    /// All of them.
    pub const ALL: &[Self] = Self::VARIANTS;

    /// Identifier.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.into()
    }
}
