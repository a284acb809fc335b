//! Connected printers: their links, the work that runs on them, and what all pages are shown.
//!
//! Everything here goes on without a browser; a page only looks.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use serde::{Deserialize, Serialize};
use tokio::sync::watch;
use utoipa::ToSchema;
use wattotherm_core::ceiling::ceiling;
use wattotherm_core::gcode::GuardLimits;
use wattotherm_core::heat::{
    Cooling, HeatWord, HoldResult, TOUCH_SAFE_C, Trace, TuneResult, VerifyResult, cooling_from,
    heat_word,
};
use wattotherm_core::{Parameter, route::Stop, stations};
use wattotherm_link::routines::{Progress, Remote};
use wattotherm_link::{Address, Heaters, Link, LinkOptions, LinkState, LinkStatus, Way};
use wattotherm_store::{Connection, NewWire, Store};

use crate::error::ApiError;
use crate::state::{App, now, traveller_of};

/// Highest bed target that the guard lets through [°C]. Common practice: beds and their glue end here.
const BED_CEILING_C: f64 = 120.0;

/// What work runs on a printer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
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
}

impl RoutineKind {
    /// Identifier of its log.
    #[must_use]
    pub const fn id(self) -> &'static str {
        match self {
            Self::Hold => "hold",
            Self::Autotune => "autotune",
            Self::Verify => "verify",
            Self::Warm => "warm",
            Self::Limit => "limit",
        }
    }
}

/// What came of a routine.
#[derive(Clone, Debug, Default, PartialEq, Serialize, ToSchema)]
pub struct RoutineDone {
    /// Why it ended before its end; none if it didn't.
    pub failed: Option<String>,
    /// Number of its kept log.
    pub trace: Option<i64>,
    /// A hold's result.
    pub hold: Option<HoldResult>,
    /// An autotune's result.
    pub tune: Option<TuneResult>,
    /// A verification's result.
    pub verify: Option<VerifyResult>,
    /// Target that the printer took [°C].
    pub taken_c: Option<f64>,
    /// Nozzle at the end [°C].
    pub at_c: Option<f64>,
}

/// A routine as pages see it.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct RoutineView {
    /// Its number, rising.
    pub number: u64,
    /// What it is.
    pub kind: RoutineKind,
    /// Target [°C].
    pub target_c: f64,
    /// The job's station it runs for, e.g. `3/heater_loop`.
    pub for_station: Option<String>,
    /// How far it is.
    pub progress: Progress,
    /// What came of it; none while it runs.
    pub done: Option<RoutineDone>,
}

/// A connected printer as every page sees it.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct LivePrinter {
    /// The printer.
    pub printer_id: i64,
    /// Its name.
    pub name: String,
    /// What is known of it.
    pub status: LinkStatus,
    /// How hot the nozzle is, in a word.
    pub nozzle: HeatWord,
    /// How hot the bed is, in a word.
    pub bed: HeatWord,
    /// Seconds until the nozzle can be touched; none while it is heated or nothing is known.
    pub touch_safe_in_s: Option<f64>,
    /// Whether that rests on this very hot end's cooling.
    pub own_cooling: bool,
    /// The sentence of the heat strip.
    pub says: String,
    /// The work that runs, or ran last.
    pub routine: Option<RoutineView>,
}

struct Routine {
    number: u64,
    kind: RoutineKind,
    target_c: f64,
    for_station: Option<(i64, String)>,
    remote: Remote,
    done: Arc<Mutex<Option<RoutineDone>>>,
}

struct Connected {
    name: String,
    link: Link,
    cooling: Cooling,
    routine: Option<Routine>,
    /// Last line of the record that the store has.
    kept: u64,
}

/// All connected printers.
#[derive(Clone)]
pub struct Live {
    printers: Arc<Mutex<HashMap<i64, Connected>>>,
    shown: watch::Sender<Arc<str>>,
    numbers: Arc<std::sync::atomic::AtomicU64>,
    closing: Arc<AtomicBool>,
}

impl Default for Live {
    fn default() -> Self {
        let (shown, _) = watch::channel("[]".into());
        Self {
            printers: Arc::default(),
            shown,
            numbers: Arc::default(),
            closing: Arc::default(),
        }
    }
}

/// Time between two pictures for the pages.
const PICTURE: Duration = Duration::from_millis(250);
/// Pictures between two writings of the record, and between two looks at the cooling.
const KEEP_EVERY: u32 = 6;
const COOLING_EVERY: u32 = 40;
/// How far back the cooling is looked for [s].
const COOLING_BACK_S: f64 = 420.0;

impl Live {
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

    /// Pictures of all connected printers, as JSON, each time they change.
    #[must_use]
    pub fn pictures(&self) -> watch::Receiver<Arc<str>> {
        self.shown.subscribe()
    }

    /// Whether the server is ending.
    #[must_use]
    pub fn is_closing(&self) -> bool {
        self.closing.load(Ordering::Relaxed)
    }

    /// What is known of one printer.
    #[must_use]
    pub fn one(&self, printer_id: i64) -> Option<LivePrinter> {
        self.lock().get(&printer_id).map(|c| picture(printer_id, c))
    }

    /// What is known of all.
    #[must_use]
    pub fn all(&self) -> Vec<LivePrinter> {
        let printers = self.lock();
        let mut all: Vec<_> = printers.iter().map(|(id, c)| picture(*id, c)).collect();
        all.sort_by(|a, b| a.name.cmp(&b.name));
        all
    }

    fn add(&self, printer_id: i64, name: String, link: Link, cooling: Cooling) {
        self.lock().insert(
            printer_id,
            Connected {
                name,
                link,
                cooling,
                routine: None,
                kept: 0,
            },
        );
    }

    /// Closes a printer's link, heaters first.
    /// # Errors
    /// [`ApiError::Conflict`] if it isn't connected.
    pub async fn disconnect(&self, printer_id: i64) -> Result<String, ApiError> {
        let link = self.link(printer_id)?;
        link.close().await;
        self.lock().remove(&printer_id);
        Ok(link.status().says)
    }

    /// Closes all links, heaters first.
    pub async fn close(&self) {
        self.closing.store(true, Ordering::Relaxed);
        // Wakes the pages' streams, so that they end.
        self.shown.send_modify(|_| {});
        let links: Vec<Link> = self.lock().values().map(|c| c.link.clone()).collect();
        let mut closing = tokio::task::JoinSet::new();
        for link in links {
            closing.spawn(async move { link.close().await });
        }
        while closing.join_next().await.is_some() {}
    }

    /// Notes a routine that begins; its number.
    /// # Errors
    /// [`ApiError::Conflict`] while another runs, or without a connection.
    pub fn begin(
        &self,
        printer_id: i64,
        kind: RoutineKind,
        target_c: f64,
        for_station: Option<(i64, String)>,
        remote: Remote,
    ) -> Result<Begun, ApiError> {
        let mut printers = self.lock();
        let c = printers.get_mut(&printer_id).ok_or_else(not_connected)?;
        let status = c.link.status();
        if status.state != LinkState::Connected {
            return Err(ApiError::Conflict(status.says));
        }
        let running = c.routine.as_ref().filter(|r| {
            r.done
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .is_none()
        });
        if let Some(r) = running {
            return Err(ApiError::Conflict(format!(
                "A routine runs already ({}). Stop it, or wait for its end.",
                r.kind.id()
            )));
        }
        let number = self.numbers.fetch_add(1, Ordering::Relaxed) + 1;
        let done = Arc::new(Mutex::new(None));
        c.routine = Some(Routine {
            number,
            kind,
            target_c,
            for_station,
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

    fn show(&self) {
        let all = self.all();
        let json: Arc<str> = serde_json::to_string(&all).unwrap_or_default().into();
        self.shown.send_if_modified(|old| {
            let new = **old != *json;
            if new {
                *old = json;
            }
            new
        });
    }

    fn unkept(&self) -> Vec<NewWire> {
        let at = now();
        let mut lines = Vec::new();
        for (id, c) in self.lock().iter_mut() {
            for w in c.link.record_after(c.kept) {
                c.kept = w.seq;
                // Reports are kept as logs; here they would bury what was said.
                let report = w.way == Way::Answered
                    && (w.text.starts_with("T:") || w.text.starts_with("ok T:") || w.text == "ok");
                let question = w.way == Way::Sent && w.text.contains(" M105*");
                if report || question {
                    continue;
                }
                lines.push(NewWire {
                    printer_id: *id,
                    at: at.clone(),
                    way: match w.way {
                        Way::Sent => "sent",
                        Way::Answered => "answered",
                        Way::Noted => "noted",
                    },
                    text: w.text,
                });
            }
        }
        lines
    }

    /// Looks how hot ends cool that are cooling just now.
    fn coolings(&self) -> Vec<(i64, Cooling)> {
        let mut found = Vec::new();
        for (id, c) in self.lock().iter_mut() {
            let status = c.link.status();
            let cooling = status.heaters == Heaters::Off
                && status.fan < 0.05
                && status
                    .temperatures
                    .is_some_and(|t| t.nozzle_c > TOUCH_SAFE_C + 10.0);
            if !cooling {
                continue;
            }
            let log = Trace::new(c.link.samples_after(status.clock_s - COOLING_BACK_S));
            // Blown on, it cools faster: that tail says nothing about standing still.
            let still = Trace::new(
                log.samples
                    .into_iter()
                    .filter(|s| s.fan.unwrap_or(0.0) < 0.05),
            );
            if let Some(own) = cooling_from(&still, c.cooling.ambient_c)
                && (own.tau_s - c.cooling.tau_s).abs() > 0.02 * own.tau_s
            {
                c.cooling = own;
                found.push((*id, own));
            }
        }
        found
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

fn not_connected() -> ApiError {
    ApiError::Conflict("This printer isn't connected. Connect it first.".into())
}

fn picture(printer_id: i64, c: &Connected) -> LivePrinter {
    let status = c.link.status();
    let known = status.temperatures.filter(|_| status.fresh);
    let nozzle_c = known.map(|t| t.nozzle_c);
    let nozzle = heat_word(nozzle_c, known.map_or(0.0, |t| t.nozzle_target_c));
    let bed = match known {
        Some(t) if t.bed_c.is_some() => heat_word(t.bed_c, t.bed_target_c.unwrap_or(0.0)),
        _ => HeatWord::Unknown,
    };
    let touch_safe_in_s = match (nozzle, nozzle_c) {
        (HeatWord::Hot | HeatWord::Warm, Some(t)) if status.heaters == Heaters::Off => {
            c.cooling.touch_safe_in_s(t)
        }
        _ => None,
    };
    let says = sentence(&status, nozzle, touch_safe_in_s);
    LivePrinter {
        printer_id,
        name: c.name.clone(),
        nozzle,
        bed,
        touch_safe_in_s: touch_safe_in_s.map(f64::round),
        own_cooling: c.cooling.own,
        says,
        routine: c.routine.as_ref().map(|r| RoutineView {
            number: r.number,
            kind: r.kind,
            target_c: r.target_c,
            for_station: r.for_station.as_ref().map(|(j, k)| format!("{j}/{k}")),
            progress: r.remote.progress.borrow().clone(),
            done: r
                .done
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .clone(),
        }),
        status,
    }
}

fn sentence(status: &LinkStatus, word: HeatWord, touch_safe_in_s: Option<f64>) -> String {
    if status.state != LinkState::Connected {
        return status.says.clone();
    }
    match (word, touch_safe_in_s) {
        (HeatWord::Unknown, _) => {
            "The sensor says nothing that can be believed: treat it as hot.".into()
        }
        (HeatWord::Safe, _) => "Safe to touch.".into(),
        (_, Some(s)) if s >= 90.0 => format!("Touch-safe in {} min.", (s / 60.0).round()),
        (_, Some(s)) => format!("Touch-safe in {} s.", (s / 5.0).ceil() * 5.0),
        _ => {
            let target = status.temperatures.map_or(0.0, |t| t.nozzle_target_c);
            if target > 0.0 {
                format!("Heated to {target:.0} °C: do not touch.")
            } else {
                "Do not touch.".into()
            }
        }
    }
}

/// What the guard of a printer must know: the ceiling of its parts, or the one found in a job where
/// that is lower.
/// # Errors
/// [`ApiError`] of the store.
pub fn limits_of(store: &Store, printer_id: i64) -> Result<(String, GuardLimits), ApiError> {
    let printer = store.printer(printer_id)?;
    let top = ceiling(&printer.facts, &store.house()?);
    let found = store
        .settings(printer_id)?
        .into_iter()
        .find(|s| s.parameter == Parameter::Ceiling && s.until_at.is_none())
        .and_then(|s| s.value);
    let (ceiling_c, held_by) = match found {
        Some(c) if c < top.ceiling_c => (c, "the ceiling found at its station".to_owned()),
        _ => (top.ceiling_c, top.held_by),
    };
    let f = &printer.facts;
    Ok((
        printer.name,
        GuardLimits {
            ceiling_c,
            held_by,
            bed_ceiling_c: BED_CEILING_C,
            volume_mm: [f.bed_x_mm, f.bed_y_mm, f.height_mm],
        },
    ))
}

impl App {
    /// Connects a printer; an older link of it is closed first.
    /// # Errors
    /// [`ApiError`] of the store.
    pub async fn connect(
        &self,
        printer_id: i64,
        address: Address,
        report_every_s: f64,
    ) -> Result<LivePrinter, ApiError> {
        let keep = address.clone();
        let (name, limits, cooling) = self
            .with(move |store| {
                let (name, limits) = limits_of(store, printer_id)?;
                let cooling = store.cooling(printer_id)?.unwrap_or_default();
                store.put_connection(&Connection {
                    printer_id,
                    address: serde_json::to_string(&keep).unwrap_or_default(),
                    wanted: true,
                })?;
                Ok((name, limits, cooling))
            })
            .await?;
        // Not connected before is no failure here.
        let _ = self.live.disconnect(printer_id).await;
        let options = LinkOptions::new(limits).reporting_every(report_every_s);
        let link = Link::start(address.opener(), &address.says(), options);
        let mut watch = link.watch();
        self.live.add(printer_id, name, link, cooling);
        // The first answer, or the first failure, is worth a short wait.
        let settled = watch.wait_for(|s| {
            s.state == LinkState::Lost
                || (s.state == LinkState::Connected && s.temperatures.is_some())
        });
        let _ = tokio::time::timeout(Duration::from_secs(4), settled).await;
        self.live.show();
        self.live.one(printer_id).ok_or(ApiError::Internal)
    }

    /// Closes a printer's link and remembers that it is wanted no more; what could be said of it.
    /// # Errors
    /// [`ApiError::Conflict`] if it isn't connected.
    pub async fn disconnect(&self, printer_id: i64) -> Result<String, ApiError> {
        self.keep_record().await;
        let says = self.live.disconnect(printer_id).await?;
        self.live.show();
        self.with(move |store| {
            let known = store
                .connections()?
                .into_iter()
                .find(|c| c.printer_id == printer_id);
            if let Some(c) = known {
                store.put_connection(&Connection { wanted: false, ..c })?;
            }
            Ok(())
        })
        .await?;
        Ok(says)
    }

    /// Connects every printer that was connected when the server ended.
    pub async fn connect_wanted(&self) {
        let wanted = self.with(|store| Ok(store.connections()?)).await;
        let away = |c: &Connection| c.wanted && self.live.one(c.printer_id).is_none();
        for c in wanted.unwrap_or_default().into_iter().filter(away) {
            if let Ok(address) = serde_json::from_str::<Address>(&c.address) {
                let app = self.clone();
                tokio::spawn(async move {
                    if let Err(e) = app.connect(c.printer_id, address, 1.0).await {
                        tracing::warn!(error = %e, "a printer was not connected");
                    }
                });
            }
        }
    }

    /// Writes what was sent and answered to the disk.
    pub async fn keep_record(&self) {
        let lines = self.live.unkept();
        if lines.is_empty() {
            return;
        }
        if let Err(e) = self.with(move |store| Ok(store.keep_wire(&lines)?)).await {
            tracing::warn!(error = %e, "the record of the wire was not kept");
        }
    }

    /// Shows, keeps and learns, until the server ends.
    pub async fn watch_printers(self) {
        let mut tick = tokio::time::interval(PICTURE);
        tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        let mut n = 0_u32;
        let mut newest = 0;
        while !self.live.is_closing() {
            tick.tick().await;
            n = n.wrapping_add(1);
            self.live.show();
            if n.is_multiple_of(KEEP_EVERY) && !self.live.all().is_empty() {
                self.keep_record().await;
                // Ceilings and house rules leave an entry in the logbook when they change.
                let entry = self.with(|store| Ok(store.newest_entry()?)).await;
                if let Ok(entry) = entry
                    && entry != newest
                {
                    newest = entry;
                    self.refresh_guards().await;
                }
            }
            if n.is_multiple_of(COOLING_EVERY) {
                let found = self.live.coolings();
                if !found.is_empty() {
                    let kept = self
                        .with(move |store| {
                            for (id, c) in &found {
                                store.put_cooling(*id, c, &now())?;
                            }
                            Ok(())
                        })
                        .await;
                    if let Err(e) = kept {
                        tracing::warn!(error = %e, "how a hot end cools was not kept");
                    }
                }
            }
        }
    }

    /// Gives the guards the limits that hold after a change of facts, rules or ceilings.
    pub async fn refresh_guards(&self) {
        let ids: Vec<i64> = self.live.all().iter().map(|p| p.printer_id).collect();
        for id in ids {
            let limits = self.with(move |store| limits_of(store, id)).await;
            if let (Ok((_, limits)), Ok(link)) = (limits, self.live.link(id)) {
                link.set_limits(limits);
            }
        }
    }

    /// Lays a routine's result into what is typed at its station, so that it is there whether or not a
    /// page looks.
    /// # Errors
    /// [`ApiError`] of the store.
    pub async fn lay_into_draft(
        &self,
        job_id: i64,
        key: String,
        fields: serde_json::Map<String, serde_json::Value>,
    ) -> Result<(), ApiError> {
        self.with(move |store| {
            let job = store.job(job_id)?;
            let stop: Stop = key
                .parse()
                .map_err(|e: wattotherm_core::route::UnknownStop| {
                    ApiError::NotFound(e.to_string())
                })?;
            let card = traveller_of(store, &job)?;
            let context = crate::state::context_of(store, &job, stop, &card)?;
            let mut readings = match store.draft(job_id, &key)? {
                Some(d) => d,
                None => stations::start(stop.station(), &context),
            };
            for (name, value) in fields {
                readings[name] = value;
            }
            Ok(store.save_draft(job_id, &key, &readings, &now())?)
        })
        .await
    }
}
