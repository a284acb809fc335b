//! The thermal timeline of a job.

use axum::Json;
use axum::extract::State;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_gcode::Heater;
use wattotherm_job::route::running;
use wattotherm_job::timeline::{Start, Timeline};
use wattotherm_job::{Desk, Waits, what_now};
use wattotherm_store::Store;

use crate::body::Path;
use crate::error::{ApiError, Problem};
use crate::moment::minutes_since;
use crate::state::{App, traveller_of, with_situation};

/// A job's open work on the clock, with what it says.
#[derive(Serialize, ToSchema)]
pub struct TimelineShown {
    /// The clock.
    pub timeline: Timeline,
    /// What comes next on it, in a sentence; blank where nothing is left.
    pub says: String,
    /// State of the machine in words; blank where nothing is special.
    pub machine: String,
    /// Timers of the job that are set, the oldest first.
    pub timers: Vec<TimerShown>,
    /// What waits at another printer, while this one heats or cools; none where nothing does.
    pub elsewhere: Option<String>,
}

/// A timer as it stands.
#[derive(Serialize, ToSchema)]
pub struct TimerShown {
    /// What waits.
    pub what: String,
    /// Whether it is over.
    pub over: bool,
    /// How long it still runs, or for how long it is over.
    pub says: String,
}

#[utoipa::path(get, path = "/api/v1/jobs/{id}/timeline", params(("id" = i64, Path)),
    responses((status = 200, body = TimelineShown), (status = 404, body = Problem)))]
/// What is left of a job on the clock: power and nozzle, minutes of heating and cooling by this hot end's own
/// model, what can be done meanwhile.
async fn timeline(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<TimelineShown>, ApiError> {
    let live = app.live.all();
    let shown = app
        .read(move |store| {
            let job = store.job(id)?;
            let card = traveller_of(store, &job)?;
            let pen = store.house()?.pen;
            let connected = live.iter().find(|l| l.printer_id == job.printer_id);
            let start = Start {
                cooling: store.cooling(job.printer_id)?.unwrap_or_default(),
                nozzle_c: connected
                    .and_then(|l| l.metal.iter().find(|m| matches!(m.heater, Heater::Tool(0))))
                    .map(|m| m.at_c)
                    .filter(|c| c.is_finite()),
            };
            let timeline = with_situation(store, &job, &card, |s| s.timeline(&start))?;
            let says = timeline.says(pen);
            let elsewhere = if timeline.waits_now() {
                waits_elsewhere(store, job.printer_id)?
            } else {
                None
            };
            let deeds = store.deeds(id)?;
            let timers = running(deeds.iter().map(|d| (d.at.as_str(), &d.deed)))
                .into_iter()
                .map(|(at, timer)| {
                    let since_min = minutes_since(at);
                    TimerShown {
                        over: since_min >= timer.minutes,
                        says: timer.says(since_min),
                        what: timer.what,
                    }
                })
                .collect();
            Ok(TimelineShown {
                timers,
                machine: timeline.machine.says(),
                says,
                elsewhere,
                timeline,
            })
        })
        .await?;
    Ok(Json(shown))
}

/// What waits for hands at the other printers, as the bench says it.
fn waits_elsewhere(store: &Store, not_here: i64) -> Result<Option<String>, ApiError> {
    let mut others = Vec::new();
    for job in store.open_jobs()? {
        if job.printer_id != not_here {
            let waits = Waits::of(&traveller_of(store, &job)?);
            others.push((store.printer(job.printer_id)?.name, job.id, waits));
        }
    }
    let desks: Vec<Desk<'_>> = others
        .iter()
        .map(|(printer, job, waits)| Desk {
            printer,
            job: Some(*job),
            waits,
        })
        .collect();
    let (says, at) = what_now(&desks);
    Ok(at.map(|_| says))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(timeline))
}
