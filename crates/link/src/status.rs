//! What is known of a connected printer at this moment.

use serde::{Deserialize, Serialize};
use tokio::time::Instant;
use utoipa::ToSchema;
use wattotherm_gcode::{Channel, Heater, Refusal, Temperatures};
use wattotherm_heat::{HeatWord, heat_word};

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
    /// A report made after everything that was sent says target 0 and output 0 of every heater, and none
    /// of them rises beyond what stored heat explains.
    Off,
    /// A heater has a target or output, is being swung, was just told to heat, or rises by itself.
    On,
    /// It can't be known from here.
    #[default]
    Unknown,
}

/// Heat that was switched on from here.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct OwnHeat {
    /// The heater.
    pub heater: Heater,
    /// Its target [°C], as the printer took it.
    pub target_c: f64,
}

/// A target above the ceiling in force.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CeilingAlarm {
    /// The heater.
    pub heater: Heater,
    /// Reported target [°C].
    pub target_c: f64,
    /// Ceiling in force [°C].
    pub ceiling_c: f64,
    /// What holds it down.
    pub held_by: String,
}

/// One heater, as somebody who may touch it must know it.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Metal {
    /// Which.
    pub heater: Heater,
    /// Measured [°C].
    pub at_c: f64,
    /// Target [°C].
    pub target_c: f64,
    /// Whether it is heated, may be, or is about to be.
    pub heats: bool,
    /// How hot, in a word.
    pub word: HeatWord,
}

/// A stop that is not confirmed yet.
#[derive(Clone, Debug, PartialEq)]
pub struct StopUnderWay {
    /// Whether it is an emergency stop.
    pub emergency: bool,
    /// When it was asked for.
    pub since: Instant,
    /// When it was last put on the wire; none if it never could be.
    pub last_sent: Option<Instant>,
    /// How often it was put on the wire.
    pub sent: u32,
    /// Whether the printer has acknowledged its zeros.
    pub taken: bool,
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
    /// When that was; by the clock of this computer.
    #[serde(skip)]
    pub reported: Option<Instant>,
    /// Whether that report is fresh.
    pub fresh: bool,
    /// Seconds by the printer's clock, rising over restarts.
    pub clock_s: f64,
    /// What is known of the heaters.
    pub heaters: Heaters,
    /// Heaters that rise though they are reported to be off.
    pub rising: Vec<Heater>,
    /// Heaters told to heat that no later report has answered yet.
    pub told: Vec<Heater>,
    /// Heat that was switched on from here.
    pub own_heat: Vec<OwnHeat>,
    /// Whether the printer prints from its own card; none while that isn't known.
    pub card_print: Option<bool>,
    /// A target above its ceiling.
    pub alarm: Option<CeilingAlarm>,
    /// A stop that is not confirmed yet.
    #[serde(skip)]
    pub stopping: Option<StopUnderWay>,
    /// Whether all axes are homed.
    pub homed: bool,
    /// Part fan as last set, 0 to 1.
    pub fan: f64,
    /// The command it is busy with.
    pub busy_with: Option<String>,
    /// Whose the heaters are while a routine runs, e.g. "autotune".
    pub owner: Option<String>,
}

impl LinkStatus {
    /// Nozzles that the printer reports, at least one.
    #[must_use]
    pub fn tools(&self) -> usize {
        self.temperatures.as_ref().map_or(1, |t| t.tools.len())
    }

    /// The first nozzle, as last reported.
    #[must_use]
    pub fn nozzle(&self) -> Option<Channel> {
        self.temperatures.as_ref().map(Temperatures::nozzle)
    }

    /// Every heater with how hot it is, as reported; `heats` where it is heated, may be, or is about to be.
    #[must_use]
    pub fn metal(&self) -> Vec<Metal> {
        let Some(t) = self.temperatures.as_ref() else {
            return Vec::new();
        };
        t.each()
            .map(|(heater, c)| {
                let heats =
                    c.heats() || self.rising.contains(&heater) || self.told.contains(&heater);
                let word = match heat_word(Some(c.at_c), if heats { 1.0 } else { 0.0 }) {
                    _ if !self.fresh => HeatWord::Unknown,
                    // Cold metal is safe only while it is known that nothing heats it.
                    HeatWord::Safe if self.heaters == Heaters::Unknown => HeatWord::Unknown,
                    word => word,
                };
                Metal {
                    heater,
                    at_c: c.at_c,
                    target_c: c.target_c,
                    heats,
                    word,
                }
            })
            .collect()
    }

    /// Whether heat is on that was not switched on from here: at the panel, or by a print from the card.
    #[must_use]
    pub fn foreign_heat(&self) -> bool {
        self.temperatures.as_ref().is_some_and(|t| {
            t.each()
                .any(|(h, c)| c.target_c > 0.0 && !self.own_heat.iter().any(|o| o.heater == h))
        })
    }
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
        "The connection broke before the printer answered “{line}”: it can’t be known whether it ran."
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
    #[error("This printer doesn’t know “{line}”.")]
    NotKnown {
        /// The command.
        line: String,
    },
    /// The printer is halted.
    #[error(
        "The printer is halted. Release it on its page, or switch it off and on. Nothing was sent."
    )]
    Halted,
    /// The printer prints from its own card.
    #[error(
        "The printer prints from its own card: “{line}” would disturb it. Nothing was sent. Stop the print first, or wait for its end."
    )]
    Prints {
        /// The command.
        line: String,
    },
    /// A routine owns the heater.
    #[error(
        "The {owner} has the printer while it runs. “{line}” was not sent. Stop the {owner} first, or wait for its end."
    )]
    Owned {
        /// The command.
        line: String,
        /// The routine.
        owner: String,
    },
    /// A stop came first.
    #[error("Stopped before “{line}” was sent.")]
    Withdrawn {
        /// The command.
        line: String,
    },
}
