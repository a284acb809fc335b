//! What all routes share.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use tokio::sync::broadcast;
use wattotherm_gcode::{Words, wanted_by};
use wattotherm_job::finding::Finding;
use wattotherm_job::route::{Stop, Traveller, UnknownStop, traveller};
use wattotherm_job::{Context, ExpectedSetting};
use wattotherm_measure::Verdict;
use wattotherm_printer::{FilamentFacts, Parameter};
use wattotherm_store::{Change, Closing, Job, Store, StoreError};

use crate::error::ApiError;
use crate::live::Live;
use crate::moment::now;

/// Contexts by job and station, each with the logbook's newest entry when it was worked out.
type Contexts = HashMap<(i64, String), (i64, Context)>;

/// The store, one request at a time.
#[derive(Clone)]
pub struct App {
    /// Reads beside the writes; none where there can't be a second connection.
    reader: Option<Arc<Mutex<Store>>>,
    store: Arc<Mutex<Store>>,
    contexts: Arc<Mutex<Contexts>>,
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
            reader: store.reader().ok().map(|r| Arc::new(Mutex::new(r))),
            store: Arc::new(Mutex::new(store)),
            contexts: Arc::default(),
            live: Live::start()?,
            drafts: broadcast::channel(64).0,
            connects: Arc::new(true.into()),
        })
    }

    /// Tells all pages that something was typed at a station.
    pub fn tell_of_draft(&self, job: i64, station: &str, revision: u64) {
        let news = serde_json::json!({"kind": "draft", "job": job, "station": station, "revision": revision});
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

    /// Context of a job's station, kept while the logbook doesn't grow: it is asked for at every
    /// key that is typed.
    pub async fn context(&self, job_id: i64, station: String) -> Result<Context, ApiError> {
        let contexts = Arc::clone(&self.contexts);
        self.read(move |store| {
            let newest = store.newest_entry()?;
            let key = (job_id, station);
            let mut kept = contexts.lock().unwrap_or_else(PoisonError::into_inner);
            if let Some((_, context)) = kept.get(&key).filter(|(at, _)| *at == newest) {
                return Ok(context.clone());
            }
            let (_, context) = context_at(store, job_id, &key.1)?;
            if kept.len() >= MOST_CONTEXTS {
                kept.clear();
            }
            kept.insert(key, (newest, context.clone()));
            Ok(context)
        })
        .await
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
    // A job that was handed over is shown with the printer as it was then.
    let printer = store.printer_at(job.printer_id, job.finished_at.as_deref())?;
    let settings = store.settings(job.printer_id)?;
    let in_force = |p: Parameter, f: Option<i64>| {
        settings
            .iter()
            .find(|s| s.parameter == p && s.filament_id == f && s.until_at.is_none())
    };
    let (parameter, filament_id) = match stop {
        Stop::Parameter(p, f) => (Some(p), f),
        _ => (None, None),
    };
    // Machine stations run with the job's first filament loaded.
    let filament = job
        .filaments
        .iter()
        .find(|f| filament_id.is_none_or(|id| f.id == id));
    let value = parameter.and_then(|p| in_force(p, filament_id));
    let key = stop.to_string();
    let closings = store.closings(job.id)?;
    let last = |station: &str| closings.iter().rev().find(|c| c.station == station);
    let line = card.lines.iter().find(|l| l.key == key);
    Ok(Context {
        house: store.house()?,
        printer: printer.facts,
        filament: filament.map(|f| FilamentFacts {
            name: f.name.clone(),
            material: f.material.clone(),
            print_temp_c: in_force(Parameter::PrintTemp, Some(f.id)).and_then(|s| s.value),
        }),
        before: value.and_then(|s| s.value),
        before_text: value.and_then(|s| s.value_text.clone()),
        strength: line.and_then(|l| l.strength),
        adjusts_so_far: line.map_or(0, |l| l.adjusts),
        replaced: job.replaced.clone(),
        failure_times_min: job.failure_times_min.clone(),
        parameter,
        snapshot: last("snapshot")
            .and_then(|c| c.readings["report"].as_str())
            .map(str::to_owned),
        expected: expected_of(card, &closings),
        previous: last(&key).map(|c| c.readings.clone()),
        list: parameter.is_none().then_some(key),
    })
}

/// Values that a job's stations left in the printer's memory: the commands of the last adjust of each,
/// in the order of the route card.
fn expected_of(card: &Traveller, closings: &[Closing]) -> Vec<ExpectedSetting> {
    let mut expected: Vec<ExpectedSetting> = Vec::new();
    for line in &card.lines {
        let adjusted = |c: &&Closing| {
            let f: &Finding = &c.finding;
            c.station == line.key
                && f.facts.verdict == Verdict::Adjust
                && f.facts.station != "compare"
        };
        let Some(closing) = closings.iter().rev().find(adjusted) else {
            continue;
        };
        for command in &closing.finding.facts.commands {
            let Ok(words) = Words::read(&command.line) else {
                continue;
            };
            for (key, value) in wanted_by(&words) {
                expected.retain(|e| e.code != key.code || e.letter != key.letter);
                expected.push(ExpectedSetting {
                    code: key.code,
                    letter: key.letter,
                    value,
                    station: line.title.clone(),
                });
            }
        }
    }
    expected
}
