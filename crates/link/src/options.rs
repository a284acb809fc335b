//! How a link behaves.

use tokio::runtime::Handle;
use wattotherm_gcode::GuardLimits;

use crate::protocol::Patience;

/// How a link behaves.
#[derive(Clone, Debug)]
pub struct LinkOptions {
    /// Bounds of the guard.
    pub limits: GuardLimits,
    /// Time between two temperature reports [s].
    pub report_every_s: f64,
    /// How long to wait for what.
    pub patience: Patience,
    /// Where its task runs; none for where it is started. A runtime of its own keeps the links going
    /// whatever the rest of the program is busy with.
    pub runtime: Option<Handle>,
}

impl LinkOptions {
    /// One report a second, usual patience.
    #[must_use]
    pub fn new(limits: GuardLimits) -> Self {
        Self {
            limits,
            report_every_s: 1.0,
            patience: Patience::default(),
            runtime: None,
        }
    }

    /// With another time between reports [s].
    #[must_use]
    pub const fn reporting_every(mut self, seconds: f64) -> Self {
        self.report_every_s = seconds;
        self
    }

    /// With its task in this runtime.
    #[must_use]
    pub fn running_in(mut self, runtime: Handle) -> Self {
        self.runtime = Some(runtime);
        self
    }

    /// With another patience.
    #[must_use]
    pub const fn with_patience(mut self, patience: Patience) -> Self {
        self.patience = patience;
        self
    }
}
