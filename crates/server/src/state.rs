//! What all routes share.

use std::sync::{Arc, Mutex};

use wattotherm_core::Parameter;
use wattotherm_core::route::{Stop, Traveller, traveller};
use wattotherm_core::stations::{Context, FilamentFacts};
use wattotherm_store::{Job, Store, StoreError};

use crate::error::ApiError;

/// The store, one request at a time.
#[derive(Clone)]
pub struct App {
    store: Arc<Mutex<Store>>,
}

impl App {
    /// Shares a store.
    #[must_use]
    pub fn new(store: Store) -> Self {
        Self {
            store: Arc::new(Mutex::new(store)),
        }
    }

    /// Runs `work` with the store, off the event loop.
    pub async fn with<T, F>(&self, work: F) -> Result<T, ApiError>
    where
        T: Send + 'static,
        F: FnOnce(&mut Store) -> Result<T, ApiError> + Send + 'static,
    {
        let store = Arc::clone(&self.store);
        tokio::task::spawn_blocking(move || {
            // A panic in another request left no half-written row: every write is a transaction.
            let mut guard = store
                .lock()
                .unwrap_or_else(std::sync::PoisonError::into_inner);
            work(&mut guard)
        })
        .await
        .map_err(|_| ApiError::Internal)?
    }
}

/// The moment, as all records carry it.
#[must_use]
pub fn now() -> String {
    // Milliseconds of fixed width, so that texts sort as the moments do.
    format!("{:.3}", jiff::Timestamp::now())
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
    let printer = store.printer(job.printer_id)?;
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
        list: parameter.is_none().then_some(key),
    })
}
