//! What all routes share.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use tokio::sync::broadcast;
use wattotherm_job::route::{LineState, Stop, Traveller, UnknownStop, traveller};
use wattotherm_job::{Changed, Closed, Comes, Context, InForce, Situation, SlicedFile};
use wattotherm_measure::Pen;
use wattotherm_store::{Change, Files, Job, Shows, Store, StoreError};

use crate::error::ApiError;
use crate::found::found_on;
use crate::live::Live;
use crate::moment::now;
use crate::reading::Readings;

/// A job's station as what is on record makes it.
pub struct AtStation {
    /// Which it is.
    pub stop: Stop,
    /// Where its line of the route card stands; none where the card has no such line.
    pub line: Option<LineState>,
    /// What it needs to know besides its readings.
    pub context: Context,
}

/// What stands still while a station stays what it was: how often this program changed anything that stations rest on,
/// and the logbook's newest entry, since another program may import a job into the same file.
type AsOf = (u64, i64);

/// Stations by job and key, each with the moment before it was worked out.
type Stations = HashMap<(i64, String), (AsOf, Arc<AtStation>)>;

/// The store, one request at a time.
#[derive(Clone)]
pub struct App {
    /// Reads beside the writes; none where there can't be a second connection.
    reader: Option<Arc<Mutex<Store>>>,
    /// Reads one row at a time: whoever wants it never waits for a page.
    glance: Option<Arc<Mutex<Store>>>,
    store: Arc<Mutex<Store>>,
    /// Files beside the data file: read and written without waiting for the database.
    pub(crate) files: Files,
    stations: Arc<Mutex<Stations>>,
    /// How often anything was changed that stations rest on.
    changes: Arc<AtomicU64>,
    /// Files that are being read through.
    pub(crate) readings: Readings,
    /// Connected printers.
    pub(crate) live: Live,
    /// What pages are told of each other's typing.
    pub(crate) drafts: broadcast::Sender<Arc<str>>,
    /// Whether printers may be connected: only while nobody but this computer is answered.
    connects: Arc<AtomicBool>,
}

/// Stations kept before all are let go: more than one workshop works at in a day.
const MOST_STATIONS: usize = 256;

impl App {
    /// Shares a store.
    /// # Errors
    /// If the system gives no thread for the printers' links.
    pub fn new(store: Store) -> std::io::Result<Self> {
        let reader = || store.reader().ok().map(|r| Arc::new(Mutex::new(r)));
        Ok(Self {
            files: store.files().clone(),
            reader: reader(),
            glance: reader(),
            store: Arc::new(Mutex::new(store)),
            stations: Arc::default(),
            changes: Arc::default(),
            readings: Readings::default(),
            live: Live::start()?,
            drafts: broadcast::channel(64).0,
            connects: Arc::new(true.into()),
        })
    }

    /// Tells all pages that something was typed at a station.
    pub fn tell_of_draft(&self, job: i64, stop: &str, revision: u64) {
        let news =
            serde_json::json!({"kind": "draft", "job": job, "stop": stop, "revision": revision});
        // Nobody listens where no page is open.
        let _ = self.drafts.send(news.to_string().into());
    }

    /// Refuses to connect printers from now on.
    pub fn without_printers(&self) {
        self.connects.store(false, Ordering::Relaxed);
    }

    /// Whether printers may be connected.
    #[must_use]
    pub fn may_connect(&self) -> bool {
        self.connects.load(Ordering::Relaxed)
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
        let app = self.clone();
        self.with_aside(move |store| {
            let at = app.at_station(store, (job_id, key.clone()))?;
            let begun = at.stop.station().start(&at.context);
            let seen = store.whole_draft(job_id, &key)?;
            // A draft that is no object can't take fields; it begins anew.
            let seen = match seen {
                Some(d) if !d.readings.is_object() => {
                    store.save_draft(job_id, &key, &begun, &now())?
                }
                other => other.unwrap_or_default(),
            };
            let changes = fields
                .into_iter()
                .map(|(name, value)| Change {
                    path: format!("/{name}"),
                    value,
                    base: None,
                })
                .collect();
            let kept = store.change_draft(job_id, &key, seen.revision, changes, &begun, &now())?;
            app.tell_of_draft(job_id, &key, kept.revision);
            Ok(())
        })
        .await
    }

    /// Runs `work` that only reads, beside writes, off the event loop.
    pub async fn read<T, F>(&self, work: F) -> Result<T, ApiError>
    where
        T: Send + 'static,
        F: FnOnce(&Store) -> Result<T, ApiError> + Send + 'static,
    {
        let store = Arc::clone(self.reader.as_ref().unwrap_or(&self.store));
        off_the_loop(store, |s| work(s)).await
    }

    /// Runs `work` with the store, off the event loop.
    pub async fn with<T, F>(&self, work: F) -> Result<T, ApiError>
    where
        T: Send + 'static,
        F: FnOnce(&mut Store) -> Result<T, ApiError> + Send + 'static,
    {
        let changes = Arc::clone(&self.changes);
        off_the_loop(Arc::clone(&self.store), move |store| {
            let done = work(store);
            changes.fetch_add(1, Ordering::Release);
            done
        })
        .await
    }

    /// The same for what no station rests on: what is typed, the record of the wire.
    pub async fn with_aside<T, F>(&self, work: F) -> Result<T, ApiError>
    where
        T: Send + 'static,
        F: FnOnce(&mut Store) -> Result<T, ApiError> + Send + 'static,
    {
        off_the_loop(Arc::clone(&self.store), work).await
    }

    /// The shop's units.
    pub async fn pen(&self) -> Result<Pen, ApiError> {
        self.read(|store| Ok(store.house()?.pen)).await
    }

    /// A job's station, kept while nothing is changed that it rests on: it is asked for at every key that is typed.
    pub async fn station(&self, job_id: i64, key: String) -> Result<Arc<AtStation>, ApiError> {
        let key = (job_id, key);
        // Asked on the spot: one row out of memory costs less than the way to another thread.
        let as_of = self.glance.as_ref().and_then(|store| {
            let store = store.lock().unwrap_or_else(PoisonError::into_inner);
            self.as_of(&store).ok()
        });
        if let Some(kept) = as_of.and_then(|as_of| self.kept_station(&key, as_of)) {
            return Ok(kept);
        }
        let app = self.clone();
        self.read(move |store| app.at_station(store, key)).await
    }

    /// The same for who has the store already.
    pub fn at_station(
        &self,
        store: &Store,
        key: (i64, String),
    ) -> Result<Arc<AtStation>, ApiError> {
        // Told before it is read: what is written meanwhile makes it worthless.
        let as_of = self.as_of(store)?;
        if let Some(kept) = self.kept_station(&key, as_of) {
            return Ok(kept);
        }
        let job = store.job(key.0)?;
        let stop: Stop = key
            .1
            .parse()
            .map_err(|e: UnknownStop| ApiError::NotFound(e.to_string()))?;
        let card = traveller_of(store, &job)?;
        let at = Arc::new(AtStation {
            stop,
            line: card.lines.iter().find(|l| l.key == key.1).map(|l| l.state),
            context: context_of(store, &job, stop, &card)?,
        });
        let mut kept = self.stations.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.len() >= MOST_STATIONS {
            kept.clear();
        }
        kept.insert(key, (as_of, Arc::clone(&at)));
        Ok(at)
    }

    fn as_of(&self, store: &Store) -> Result<AsOf, StoreError> {
        let changes = self.changes.load(Ordering::Acquire);
        Ok((changes, store.newest_entry()?))
    }

    /// The station as it was worked out at that moment.
    fn kept_station(&self, key: &(i64, String), as_of: AsOf) -> Option<Arc<AtStation>> {
        let kept = self.stations.lock().unwrap_or_else(PoisonError::into_inner);
        let (was, at) = kept.get(key)?;
        (*was == as_of).then(|| Arc::clone(at))
    }
}

async fn off_the_loop<T, F>(store: Arc<Mutex<Store>>, work: F) -> Result<T, ApiError>
where
    T: Send + 'static,
    F: FnOnce(&mut Store) -> Result<T, ApiError> + Send + 'static,
{
    tokio::task::spawn_blocking(move || {
        // A panic in another request left no half-written row: every write is a transaction.
        let mut guard = store.lock().unwrap_or_else(PoisonError::into_inner);
        work(&mut guard)
    })
    .await
    .map_err(|_| ApiError::Internal)?
}

/// The traveller of a job as it stands.
pub fn traveller_of(store: &Store, job: &Job) -> Result<Traveller, StoreError> {
    Ok(traveller(
        &store.house()?,
        &store.job_facts(job)?,
        &store.events(job.id)?,
    ))
}

/// What the station needs to know besides its readings.
pub fn context_of(
    store: &Store,
    job: &Job,
    stop: Stop,
    card: &Traveller,
) -> Result<Context, StoreError> {
    let mut context = with_situation(store, job, card, |situation| situation.context(stop))?;
    if stop == Stop::Cause {
        let found = found_on(store, job.id)?.into_iter().find(|f| !f.came_back);
        context.cause_found = found.map(|f| format!("Case {}: {}.", f.case, f.cause));
    }
    Ok(context)
}

/// What of a printer isn't as it belongs, by its jobs so far, or by those up to a moment.
pub fn changed_of(
    store: &Store,
    printer_id: i64,
    until: Option<&str>,
) -> Result<Vec<Changed>, StoreError> {
    let all = store.changed(printer_id, until)?;
    Ok(all.into_iter().map(|c| c.changed).collect())
}

/// Gathers what is on record around a job, and asks it something.
pub fn with_situation<T>(
    store: &Store,
    job: &Job,
    card: &Traveller,
    ask: impl FnOnce(&Situation<'_>) -> T,
) -> Result<T, StoreError> {
    // A job that was handed over is shown with the printer as it was then.
    let printer = store.printer_at(job.printer_id, job.finished_at.as_deref())?;
    let house = store.house()?;
    let closings = store.closings(job.id)?;
    let closed: Vec<Closed<'_>> = closings
        .iter()
        .map(|c| Closed {
            stop: &c.stop,
            readings: &c.readings,
            finding: &c.finding,
        })
        .collect();
    let in_force: Vec<InForce> = store
        .settings(job.printer_id)?
        .into_iter()
        // The newest first: what a part that this job fitted made worthless is still what the printer came with.
        .filter(|s| s.until_at.is_none() || s.in_force_at(&job.opened_at))
        .map(|s| InForce {
            parameter: s.parameter,
            filament_id: s.filament_id,
            value: s.value,
            text: s.value_text,
        })
        .collect();
    let changed = changed_of(store, job.printer_id, job.finished_at.as_deref())?;
    let filaments: Vec<(i64, String, String)> = job
        .filaments
        .iter()
        .map(|f| (f.id, f.name.clone(), f.material.clone()))
        .collect();
    let last_print = store.last_print_of(job.printer_id)?.and_then(|p| {
        p.bead_mm.map(|[width_mm, height_mm]| SlicedFile {
            name: p.name,
            width_mm,
            height_mm,
        })
    });
    let situation = Situation {
        last_print: last_print.as_ref(),
        house: &house,
        printer: &printer.facts,
        filaments: &filaments,
        in_force: &in_force,
        closings: &closed,
        card,
        replaced: &job.replaced,
        changed: &changed,
        failure_times_min: &job.failure_times_min,
        comes: match job.shows {
            Shows::AfterAWhile => Comes::SamePoint,
            _ => Comes::AtRandom,
        },
    };
    Ok(ask(&situation))
}
