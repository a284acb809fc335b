//! Cautions, by the signal words of the standards.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How bad it gets if a caution is ignored. Source: ANSI Z535.6 / ISO 3864-2.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SignalWord {
    /// Property damage.
    Notice,
    /// Minor or moderate injury could result.
    Caution,
    /// Death or serious injury could result.
    Warning,
    /// Death or serious injury will result.
    Danger,
}

/// A caution shown at the step it belongs to.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Caution {
    /// Signal word.
    pub signal: SignalWord,
    /// What the hazard is and what to do.
    pub text: String,
}

impl Caution {
    /// A caution.
    #[must_use]
    pub fn new(signal: SignalWord, text: impl Into<String>) -> Self {
        Self {
            signal,
            text: text.into(),
        }
    }
}
