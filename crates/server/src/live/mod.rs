//! Connected printers: their links, the work that runs on them, and what all pages are shown.
//!
//! Everything here goes on without a browser; a page only looks. Links live in a runtime of their own, so
//! that nothing that the rest of the program is busy with can hold a stop up.

mod connect;
mod heat;
mod heat_kept;
mod limits;
mod pages;
mod picture;
mod watch;

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicI64, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use serde::{Deserialize, Serialize};
use strum::IntoStaticStr;
use tokio::runtime::Handle;
use utoipa::ToSchema;
use wattotherm_gcode::GuardLimits;
use wattotherm_heat::Cooling;
use wattotherm_link::routines::Remote;
use wattotherm_link::{Link, LinkState, Told, Watch, told};
use wattotherm_store::HeatSeen;

use crate::error::ApiError;

pub use limits::limits_of;
pub use picture::{LivePrinter, PrintDone, RoutineDone, RoutineView};

/// What work runs on a printer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema, IntoStaticStr)]
#[strum(serialize_all = "snake_case")]
#[serde(rename_all = "snake_case")]
pub enum RoutineKind {
    /// Heat and hold.
    Hold,
    /// The printer's own autotune.
    Autotune,
    /// Step, hold, part fan, cooling.
    Verify,
    /// Heat and stay hot.
    Warm,
    /// Which target the printer takes.
    Limit,
    /// A sliced part, line by line.
    Print,
}

impl RoutineKind {
    /// Identifier of its log.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.into()
    }

    /// Its name in a sentence.
    #[must_use]
    pub const fn says(self) -> &'static str {
        match self {
            Self::Hold => "hold test",
            Self::Autotune => "autotune",
            Self::Verify => "verification",
            Self::Warm => "warm-up",
            Self::Limit => "question for the ceiling",
            Self::Print => "print",
        }
    }
}

struct Routine {
    number: u64,
    kind: RoutineKind,
    target_c: f64,
    for_stop: Option<(i64, String)>,
    remote: Remote,
    done: Arc<Mutex<Option<RoutineDone>>>,
}

impl Routine {
    fn is_running(&self) -> bool {
        self.done
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .is_none()
    }
}

struct Connected {
    name: String,
    link: Link,
    limits: GuardLimits,
    cooling: Cooling,
    routine: Option<Routine>,
    /// Last line of the record that the store has.
    kept: u64,
    /// Heat that a server which ended without a word left on: in words, and whether it is to be zeroed.
    left_over: Option<heat::LeftOver>,
    /// What the store has of this printer's own heat.
    noted: Vec<heat::Noted>,
    /// Since when the same heat is on with no routine running.
    heat_since: Option<Instant>,
    idle_off_in_s: Option<u64>,
    /// What the temperatures of a print show, where that is no good.
    trace_alarm: Option<String>,
    /// What was said of it last, so that the logbook is told once.
    logged: heat::Logged,
}

/// All connected printers.
#[derive(Clone)]
pub struct Live {
    printers: Arc<Mutex<HashMap<i64, Connected>>>,
    shown: Arc<Told<Arc<str>>>,
    looking: Watch<Arc<str>>,
    numbers: Arc<AtomicU64>,
    closing: Arc<AtomicBool>,
    links: Handle,
    pages: pages::Pages,
    /// When somebody last did something at a page.
    here: Arc<Mutex<Instant>>,
    /// Entry of the logbook that the guards' limits were worked out after.
    limits_as_of: Arc<AtomicI64>,
    /// What was seen of heat and isn't kept yet, the oldest first.
    heat_to_keep: Arc<Mutex<Vec<HeatSeen>>>,
}

impl Live {
    /// None connected. The links' runtime lives in a thread of its own until the process ends.
    /// # Errors
    /// If the system gives no thread.
    pub fn start() -> std::io::Result<Self> {
        let runtime = tokio::runtime::Builder::new_current_thread()
            .enable_all()
            .build()?;
        let links = runtime.handle().clone();
        std::thread::Builder::new()
            .name("links".into())
            .spawn(move || runtime.block_on(std::future::pending::<()>()))?;
        let (shown, looking) = told::<Arc<str>>("[]".into());
        Ok(Self {
            printers: Arc::default(),
            shown: Arc::new(shown),
            looking,
            numbers: Arc::default(),
            closing: Arc::default(),
            links,
            pages: pages::Pages::default(),
            here: Arc::new(Mutex::new(Instant::now())),
            limits_as_of: Arc::new(AtomicI64::new(-1)),
            heat_to_keep: Arc::default(),
        })
    }

    fn lock(&self) -> MutexGuard<'_, HashMap<i64, Connected>> {
        self.printers.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The link of a printer.
    /// # Errors
    /// [`ApiError::Conflict`] if it isn't connected.
    pub fn link(&self, printer_id: i64) -> Result<Link, ApiError> {
        self.lock()
            .get(&printer_id)
            .map(|c| c.link.clone())
            .ok_or_else(not_connected)
    }

    /// Numbers of all connected printers.
    #[must_use]
    pub fn ids(&self) -> Vec<i64> {
        self.lock().keys().copied().collect()
    }

    /// Emergency stop of a printer, and the end of its routine. Waits for nothing.
    /// # Errors
    /// [`ApiError::Conflict`] if it isn't connected.
    pub fn emergency_stop(&self, printer_id: i64) -> Result<(), ApiError> {
        self.link(printer_id)?.emergency_stop();
        self.stop_routine(printer_id);
        Ok(())
    }

    /// All heaters of a printer to 0, and the end of its routine. Waits for nothing.
    /// # Errors
    /// [`ApiError::Conflict`] if it isn't connected.
    pub fn heaters_off(&self, printer_id: i64) -> Result<(), ApiError> {
        let link = self.link(printer_id)?;
        self.stop_routine(printer_id);
        link.heaters_off();
        Ok(())
    }

    /// Pictures of all connected printers, as JSON, each time they change.
    #[must_use]
    pub fn pictures(&self) -> Watch<Arc<str>> {
        self.looking.clone()
    }

    /// Places for pages.
    #[must_use]
    pub const fn pages(&self) -> &pages::Pages {
        &self.pages
    }

    /// Whether the server is ending.
    #[must_use]
    pub fn is_closing(&self) -> bool {
        self.closing.load(Ordering::Relaxed)
    }

    /// Somebody does something at a page.
    pub fn somebody_is_here(&self) {
        *self.here.lock().unwrap_or_else(PoisonError::into_inner) = Instant::now();
    }

    fn nobody_for(&self) -> Duration {
        self.here
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .elapsed()
    }

    /// What is known of one printer.
    #[must_use]
    pub fn one(&self, printer_id: i64) -> Option<LivePrinter> {
        self.lock().get(&printer_id).map(|c| paint(printer_id, c))
    }

    /// What is known of all.
    #[must_use]
    pub fn all(&self) -> Vec<LivePrinter> {
        let printers = self.lock();
        let mut all: Vec<_> = printers.iter().map(|(id, c)| paint(*id, c)).collect();
        all.sort_by(|a, b| a.name.cmp(&b.name));
        all
    }

    /// Limits that a printer's guard has.
    #[must_use]
    pub fn limits(&self, printer_id: i64) -> Option<GuardLimits> {
        self.lock().get(&printer_id).map(|c| c.limits.clone())
    }

    fn put_limits(&self, printer_id: i64, limits: GuardLimits) {
        if let Some(c) = self.lock().get_mut(&printer_id)
            && c.limits != limits
        {
            c.link.set_limits(limits.clone());
            c.limits = limits;
        }
    }

    fn limits_as_of(&self) -> i64 {
        self.limits_as_of.load(Ordering::Relaxed)
    }

    fn set_limits_as_of(&self, entry: i64) {
        self.limits_as_of.store(entry, Ordering::Relaxed);
    }

    /// Closes a printer's link, what was switched on from here first.
    /// # Errors
    /// [`ApiError::Conflict`] if it isn't connected.
    pub async fn disconnect(&self, printer_id: i64) -> Result<String, ApiError> {
        let link = self.link(printer_id)?;
        link.close().await;
        self.lock().remove(&printer_id);
        Ok(link.status().says)
    }

    /// Closes all links, what was switched on from here first; what could not be confirmed, by printer.
    pub async fn close(&self) -> Vec<(i64, String)> {
        self.closing.store(true, Ordering::Relaxed);
        // Wakes the pages' streams, so that they end.
        self.shown.change(|_| {});
        let links: Vec<(i64, String, Link)> = self
            .lock()
            .iter()
            .map(|(id, c)| (*id, c.name.clone(), c.link.clone()))
            .collect();
        let mut closing = tokio::task::JoinSet::new();
        for (id, name, link) in links {
            closing.spawn(async move {
                let before = link.status();
                let owed = !before.own_heat.is_empty()
                    || !before.told.is_empty()
                    || before.stopping.is_some();
                link.close().await;
                let after = link.status();
                let unsure = after.state != LinkState::Closed
                    || after.stopping.is_some()
                    || !after.own_heat.is_empty();
                (owed && unsure).then(|| {
                    (
                        id,
                        format!(
                            "{name}: it could not be confirmed that its heaters are off. Switch it off at its mains switch. {}",
                            after.says
                        ),
                    )
                })
            });
        }
        let mut unconfirmed = Vec::new();
        while let Some(one) = closing.join_next().await {
            unconfirmed.extend(one.ok().flatten());
        }
        unconfirmed
    }

    /// Notes a routine that begins; its number.
    /// # Errors
    /// [`ApiError::Conflict`] while another runs, or without a connection.
    pub fn begin(
        &self,
        printer_id: i64,
        kind: RoutineKind,
        target_c: f64,
        for_stop: Option<(i64, String)>,
        remote: Remote,
    ) -> Result<Begun, ApiError> {
        let mut printers = self.lock();
        let c = printers.get_mut(&printer_id).ok_or_else(not_connected)?;
        let status = c.link.status();
        if status.state != LinkState::Connected {
            return Err(ApiError::Conflict(status.says));
        }
        if status.card_print == Some(true) {
            return Err(ApiError::Conflict(
                "The printer prints from its own card. Wait for its end, or stop it at the printer.".into(),
            ));
        }
        if let Some(r) = c.routine.as_ref().filter(|r| r.is_running()) {
            return Err(ApiError::Conflict(format!(
                "A routine runs already ({}). Stop it, or wait for its end.",
                r.kind.says()
            )));
        }
        let number = self.numbers.fetch_add(1, Ordering::Relaxed) + 1;
        let done = Arc::new(Mutex::new(None));
        c.routine = Some(Routine {
            number,
            kind,
            target_c,
            for_stop,
            remote,
            done: Arc::clone(&done),
        });
        Ok(Begun {
            number,
            link: c.link.clone(),
            done,
        })
    }

    /// Asks a printer's routine to stop.
    pub fn stop_routine(&self, printer_id: i64) {
        if let Some(r) = self
            .lock()
            .get(&printer_id)
            .and_then(|c| c.routine.as_ref())
        {
            r.remote.stop();
        }
    }

    /// Lets a printer's print pause, or go on.
    /// # Errors
    /// [`ApiError::Conflict`] if none runs.
    pub fn pause_print(&self, printer_id: i64, pause: bool) -> Result<(), ApiError> {
        let printers = self.lock();
        let c = printers.get(&printer_id).ok_or_else(not_connected)?;
        let print = c
            .routine
            .as_ref()
            .filter(|r| r.kind == RoutineKind::Print && r.is_running());
        let r = print.ok_or_else(|| {
            ApiError::Conflict("Nothing is printed from here on this printer.".into())
        })?;
        r.remote.pause(pause);
        Ok(())
    }

    fn show(&self) {
        let all = self.all();
        let json: Arc<str> = serde_json::to_string(&all).unwrap_or_default().into();
        if *self.shown.now() != *json {
            self.shown.change(|old| *old = json);
        }
    }
}

/// A routine that was let begin.
pub struct Begun {
    /// Its number.
    pub number: u64,
    /// The printer's link.
    pub link: Link,
    done: Arc<Mutex<Option<RoutineDone>>>,
}

impl Begun {
    /// Notes its end.
    pub fn end(&self, done: RoutineDone) {
        *self.done.lock().unwrap_or_else(PoisonError::into_inner) = Some(done);
    }
}

impl Drop for Begun {
    fn drop(&mut self) {
        // A routine that failed in this program has ended too.
        let mut done = self.done.lock().unwrap_or_else(PoisonError::into_inner);
        done.get_or_insert_with(|| RoutineDone {
            failed: Some("Wattotherm failed in this routine. Its heater is set to 0.".into()),
            ..RoutineDone::default()
        });
    }
}

fn not_connected() -> ApiError {
    ApiError::Conflict("This printer isn’t connected. Connect it first.".into())
}

fn paint(printer_id: i64, c: &Connected) -> LivePrinter {
    picture::picture(picture::Seen {
        printer_id,
        name: &c.name,
        status: c.link.status(),
        cooling: c.cooling,
        trace_alarm: c.trace_alarm.as_deref(),
        left_over: c.left_over.as_ref().map(|l| l.says.as_str()),
        idle_off_in_s: c.idle_off_in_s,
        routine: c.routine.as_ref().map(|r| RoutineView {
            number: r.number,
            kind: r.kind,
            target_c: r.target_c,
            for_stop: r.for_stop.as_ref().map(|(j, k)| format!("{j}/{k}")),
            progress: r.remote.progress.now(),
            done: r
                .done
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .clone(),
        }),
    })
}
