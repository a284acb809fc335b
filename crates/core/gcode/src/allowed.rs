//! A command that passed the guard.

use super::command::Effect;
use super::settings::SettingKey;
use super::temperatures::Heater;
use super::words::Words;

/// A command that may be sent.
#[derive(Clone, Debug, PartialEq)]
pub struct Allowed {
    /// The command in its one form.
    pub line: String,
    /// What it does.
    pub effect: Effect,
    /// Heat that it asks for: which heater (none: the nozzle in use) and its target [°C].
    pub heat: Option<(Option<Heater>, f64)>,
    /// Values to find in a settings report afterwards.
    pub read_back: Vec<(SettingKey, f64)>,
    pub(crate) words: Words,
}

impl Allowed {
    /// The words, for following the machine.
    #[must_use]
    pub const fn words(&self) -> &Words {
        &self.words
    }
}
