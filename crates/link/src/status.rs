//! What is known of a connected printer at this moment.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_core::gcode::{Refusal, Temperatures};

/// Where the link stands.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ConnectionState)]
pub enum LinkState {
    /// Opening the way, or waiting for the first answer.
    #[default]
    Connecting,
    /// It answers.
    Connected,
    /// The way is gone; it is tried again.
    Lost,
    /// Stopped by an emergency stop or by the printer's own protection.
    Halted,
    /// Closed from here.
    Closed,
}

/// What is known of the heaters.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Heaters {
    /// The printer reports targets of 0.
    Off,
    /// A heater has a target, or is being swung.
    On,
    /// It can't be known from here.
    #[default]
    Unknown,
}

/// What is known of a connected printer.
#[derive(Clone, Debug, Default, PartialEq, Serialize, ToSchema)]
pub struct LinkStatus {
    /// Where the link stands.
    pub state: LinkState,
    /// The same in a sentence; what could not be done is said here.
    pub says: String,
    /// Where the printer is reached.
    pub address: String,
    /// As last reported.
    pub temperatures: Option<Temperatures>,
    /// Whether that report is fresh.
    pub fresh: bool,
    /// Seconds by the printer's clock, rising over restarts.
    pub clock_s: f64,
    /// What is known of the heaters.
    pub heaters: Heaters,
    /// Whether the axes are homed.
    pub homed: bool,
    /// Part fan as last set, 0 to 1.
    pub fan: f64,
    /// The command it is busy with.
    pub busy_with: Option<String>,
}

/// Why a command gave no answer.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum SendError {
    /// The guard said no.
    #[error("{0}")]
    Refused(#[from] Refusal),
    /// There is no way to the printer now.
    #[error("The printer is not connected. Nothing was sent.")]
    NotConnected,
    /// The way broke, or the printer was started anew, before it answered.
    #[error(
        "The connection broke before the printer answered “{line}”: it can't be known whether it ran."
    )]
    Lost {
        /// The command.
        line: String,
    },
    /// The printer complained.
    #[error("The printer says: {says}")]
    Printer {
        /// Its words.
        says: String,
    },
    /// The printer doesn't have this command.
    #[error("This printer doesn't know “{line}”.")]
    NotKnown {
        /// The command.
        line: String,
    },
    /// The printer is halted.
    #[error(
        "The printer is halted. Release it on its page, or switch it off and on. Nothing was sent."
    )]
    Halted,
    /// A stop came first.
    #[error("Stopped before “{line}” was sent.")]
    Withdrawn {
        /// The command.
        line: String,
    },
}
