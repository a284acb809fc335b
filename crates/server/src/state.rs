//! What all routes share.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use tokio::sync::broadcast;
use wattotherm_job::route::{Stop, Traveller, UnknownStop, traveller};
use wattotherm_job::{Changed, Closed, Comes, Context, InForce, Situation, SlicedFile};
use wattotherm_measure::Pen;
use wattotherm_store::{Change, Files, Job, Shows, Store, StoreError};

use crate::error::ApiError;
use crate::live::Live;
use crate::moment::now;
use crate::reading::Readings;

/// Contexts by job and station, each with the logbook's newest entry when it was worked out.
type Contexts = HashMap<(i64, String), (i64, Arc<Context>)>;

/// The store, one request at a time.
#[derive(Clone)]
pub struct App {
    /// Reads beside the writes; none where there can't be a second connection.
    reader: Option<Arc<Mutex<Store>>>,
    store: Arc<Mutex<Store>>,
    /// Files beside the data file: read and written without waiting for the database.
    pub(crate) files: Files,
    contexts: Arc<Mutex<Contexts>>,
    /// Files that are being read through.
    pub(crate) readings: Readings,
    /// Connected printers.
    pub(crate) live: Live,
    /// What pages are told of each other's typing.
    pub(crate) drafts: broadcast::Sender<Arc<str>>,
    /// Whether printers may be connected: only while nobody but this computer is answered.
    connects: Arc<std::sync::atomic::AtomicBool>,
}

/// Contexts kept before all are let go: more stations than one workshop works at in a day.
const MOST_CONTEXTS: usize = 256;

impl App {
    /// Shares a store.
    /// # Errors
    /// If the system gives no thread for the printers' links.
    pub fn new(store: Store) -> std::io::Result<Self> {
        Ok(Self {
            files: store.files().clone(),
            reader: store.reader().ok().map(|r| Arc::new(Mutex::new(r))),
            store: Arc::new(Mutex::new(store)),
            contexts: Arc::default(),
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
        self.connects
            .store(false, std::sync::atomic::Ordering::Relaxed);
    }

    /// Whether printers may be connected.
    #[must_use]
    pub fn may_connect(&self) -> bool {
        self.connects.load(std::sync::atomic::Ordering::Relaxed)
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
        self.with(move |store| {
            let (stop, context) = context_at(store, job_id, &key)?;
            let begun = stop.station().start(&context);
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
        off_the_loop(Arc::clone(&self.store), work).await
    }

    /// The shop's units.
    pub async fn pen(&self) -> Result<Pen, ApiError> {
        self.read(|store| Ok(store.house()?.pen)).await
    }

    /// Context of a job's station, kept while the logbook doesn't grow: it is asked for at every
    /// key that is typed.
    pub async fn context(&self, job_id: i64, stop: String) -> Result<Arc<Context>, ApiError> {
        let key = (job_id, stop);
        if let Some(context) = self.kept_context(&key) {
            return Ok(context);
        }
        let contexts = Arc::clone(&self.contexts);
        self.read(move |store| {
            let newest = store.newest_entry()?;
            let mut kept = contexts.lock().unwrap_or_else(PoisonError::into_inner);
            if let Some((_, context)) = kept.get(&key).filter(|(at, _)| *at == newest) {
                return Ok(Arc::clone(context));
            }
            let context = Arc::new(context_at(store, job_id, &key.1)?.1);
            if kept.len() >= MOST_CONTEXTS {
                kept.clear();
            }
            kept.insert(key, (newest, Arc::clone(&context)));
            Ok(context)
        })
        .await
    }

    /// The context that was worked out before, if nothing was logged since. Asked on the spot where the reader is free:
    /// one row out of memory costs less than the way to another thread.
    fn kept_context(&self, key: &(i64, String)) -> Option<Arc<Context>> {
        let kept = self.contexts.lock().unwrap_or_else(PoisonError::into_inner);
        let (at, context) = kept.get(key).cloned()?;
        drop(kept);
        let reader = self.reader.as_ref()?.try_lock().ok()?;
        (reader.newest_entry().ok()? == at).then_some(context)
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

/// A job's station by its key, and what it needs to know.
fn context_at(store: &Store, job_id: i64, key: &str) -> Result<(Stop, Context), ApiError> {
    let job = store.job(job_id)?;
    let stop: Stop = key
        .parse()
        .map_err(|e: UnknownStop| ApiError::NotFound(e.to_string()))?;
    let card = traveller_of(store, &job)?;
    Ok((stop, context_of(store, &job, stop, &card)?))
}

/// What the station needs to know besides its readings.
pub fn context_of(
    store: &Store,
    job: &Job,
    stop: Stop,
    card: &Traveller,
) -> Result<Context, StoreError> {
    with_situation(store, job, card, |situation| situation.context(stop))
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
