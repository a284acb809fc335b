//! Longer pieces of work on a printer, written against [`Link`] alone: each shows its progress, can be
//! stopped, and leaves the heaters off however it ends. Time is the printer's own clock.

mod autotune;
mod heat;
mod print;
mod settings;

use std::sync::Arc;
use std::time::Duration;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::Heater;
use wattotherm_heat::Trace;

use crate::link::Link;
use crate::status::{LinkState, LinkStatus, SendError};
use crate::watch::{Told, Watch, told};

pub use autotune::{Autotuned, autotune};
pub use heat::{VERIFY_FAN_S, VERIFY_HOLD_S, Verified, hold, limit, verify, warm};
pub use print::{PrintClock, PrintPlace, PrintStep, Printed, print};
pub use settings::{Mismatch, Written, read_settings_text, write_settings};

/// How far a routine is.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Progress {
    /// What it does now, e.g. "heating to 210 °C".
    pub says: String,
    /// Part done, 0 to 1.
    pub part: f64,
    /// Seconds left by the printer's clock, where they can be told.
    pub left_s: Option<f64>,
    /// Whether it pauses until somebody lets it go on.
    pub paused: bool,
    /// Where a print is.
    pub print: Option<PrintPlace>,
}

/// Shows progress and hears a stop.
#[derive(Debug)]
pub struct Control {
    progress: Told<Progress>,
    seen: Watch<Progress>,
    stop: Watch<bool>,
    /// Whether it is to pause; the routine itself may ask for it.
    pause: Arc<Told<bool>>,
    pausing: Watch<bool>,
}

/// The other end of a [`Control`].
#[derive(Debug)]
pub struct Remote {
    /// How far it is.
    pub progress: Watch<Progress>,
    stop: Told<bool>,
    pause: Arc<Told<bool>>,
}

impl Remote {
    /// Asks the routine to stop.
    pub fn stop(&self) {
        self.stop.change(|s| *s = true);
    }

    /// Asks the routine to pause, or to go on. Only a print pauses.
    pub fn pause(&self, pause: bool) {
        self.pause.change(|p| *p = pause);
    }
}

/// Both ends.
#[must_use]
pub fn control() -> (Control, Remote) {
    let (progress, seen) = told(Progress::default());
    let (stop, heard) = told(false);
    let (pause, pausing) = told(false);
    let pause = Arc::new(pause);
    (
        Control {
            progress,
            seen: seen.clone(),
            stop: heard,
            pause: Arc::clone(&pause),
            pausing,
        },
        Remote {
            progress: seen,
            stop,
            pause,
        },
    )
}

/// Why a routine ended before its end.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum RoutineError {
    /// Stopped by hand.
    #[error("Stopped by hand. Heaters are set to 0.")]
    Stopped,
    /// A command didn't go through.
    #[error(transparent)]
    Send(#[from] SendError),
    /// The connection or the printer ended it.
    #[error("{says}")]
    Broken {
        /// What happened.
        says: String,
    },
    /// It didn't get there.
    #[error("{says}")]
    NotReached {
        /// What was wanted, and how far it got.
        says: String,
    },
}

/// A routine's log, and how it ended. A log of a failed run is worth as much as one that ended well.
#[derive(Clone, Debug, PartialEq)]
pub struct Logged<T> {
    /// The log.
    pub trace: Trace,
    /// What came of it.
    pub end: Result<T, RoutineError>,
}

/// The heater that routines work on.
const HEATER: Heater = Heater::Tool(0);

/// Its heater to 0 when dropped, however the routine ends.
struct HeatOff<'a>(&'a Link);

impl Drop for HeatOff<'_> {
    fn drop(&mut self) {
        self.0.off(&[HEATER]);
    }
}

/// Why work can't go on with a link that stands like this. How far a stop has come is told where the heat is shown,
/// and is over long before what it ended is read.
fn broken(status: &LinkStatus) -> RoutineError {
    let says = match &status.stopping {
        Some(stop) if stop.emergency => "The emergency stop ended it.".into(),
        _ => status.says.clone(),
    };
    RoutineError::Broken { says }
}

/// Sets the target of the routine's heater [°C].
async fn target(link: &Link, target_c: f64) -> Result<(), SendError> {
    let line = HEATER.target(link.status().tools(), target_c);
    link.send(&line).await.map(drop)
}

impl Control {
    /// How far it is, for whoever keeps that.
    #[must_use]
    pub fn watch(&self) -> Watch<Progress> {
        self.seen.clone()
    }

    fn show(&self, says: impl Into<String>, part: f64, left_s: Option<f64>) {
        let progress = Progress {
            says: says.into(),
            part: part.clamp(0.0, 1.0),
            left_s: left_s.map(|s| s.max(0.0)),
            ..Progress::default()
        };
        self.progress.change(|p| *p = progress);
    }

    /// Waits until `done` says so of the status, looking at every change.
    async fn until(
        &mut self,
        link: &Link,
        mut done: impl FnMut(&LinkStatus, &Self) -> Result<bool, RoutineError>,
    ) -> Result<(), RoutineError> {
        let mut watch = link.watch();
        let mut status = watch.seen();
        loop {
            if self.stop.now() {
                return Err(RoutineError::Stopped);
            }
            if status.state != LinkState::Connected {
                return Err(broken(&status));
            }
            if done(&status, self)? {
                return Ok(());
            }
            tokio::select! {
                changed = watch.next() => match changed {
                    Some(now) => status = now,
                    None => return Err(RoutineError::Send(SendError::NotConnected)),
                },
                // Nobody who could stop it is there any more: it ends.
                stop = self.stop.next() => if stop.unwrap_or(true) {
                    return Err(RoutineError::Stopped);
                },
                () = tokio::time::sleep(Duration::from_secs(15)) => {
                    return Err(RoutineError::Broken {
                        says: "No temperature came for 15 s. Look at the cable.".into(),
                    });
                }
            }
        }
    }

    /// Waits this long by the printer's clock.
    async fn pass(
        &mut self,
        link: &Link,
        seconds: f64,
        says: &str,
        [from, to]: [f64; 2],
    ) -> Result<(), RoutineError> {
        let start = link.status().clock_s;
        self.until(link, |s, me| {
            let passed = s.clock_s - start;
            me.show(
                says,
                from + (to - from) * (passed / seconds).min(1.0),
                Some(seconds - passed),
            );
            Ok(passed >= seconds)
        })
        .await
    }
}
