//! Jobs: plan, start, worktop, typing, closing, reopening, files.

use axum::Json;
use axum::extract::{DefaultBodyLimit, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::effects::{Effect, effects_of};
use wattotherm_job::finding::Finding;
use wattotherm_job::form::Form;
use wattotherm_job::route::{LineState, Stop, Traveller, TravellerLine, left_in_doubt, traveller};
use wattotherm_job::sheets::{Sheet, sheet};
use wattotherm_job::stations::SetUp;
use wattotherm_measure::{Instrument, Pen, Verdict};
use wattotherm_store::{
    Change, ChangedAt, Closing, DeedEntry, DraftConflict, Job, JobEnd, JobFile, JobFilter, JobHead,
    NewJob, Printer, Store,
};

use super::printers::Made;
use crate::body::{Body, FileText, IMPORT_LIMIT, Path, Query};
use crate::error::{ApiError, Problem};
use crate::found::{FoundShown, found_on};
use crate::moment::now;
use crate::state::{App, context_of, traveller_of};

/// A job with its route card.
#[derive(Serialize, ToSchema)]
pub struct JobPage {
    /// The job.
    pub job: Job,
    /// Its printer.
    pub printer: Printer,
    /// Its route card.
    pub traveller: Traveller,
    /// What happened to it besides its stations, oldest first.
    pub deeds: Vec<DeedEntry>,
    /// What its cases have found, the newest first.
    pub found: Vec<FoundShown>,
    /// What of the printer isn't as it belongs; for a job that is over, as it was then.
    pub changed: Vec<ChangedAt>,
}

/// A station, ready to work at.
#[derive(Serialize, ToSchema)]
pub struct Worktop {
    /// The printer.
    pub printer_id: i64,
    /// Its line on the route card.
    pub line: TravellerLine,
    /// The station, e.g. `drive`.
    pub station: &'static str,
    /// Its form, given what is typed so far.
    pub form: Form,
    /// Instruction, caution, rule, commands.
    pub set_up: SetUp,
    /// What is typed so far, or the readings to begin with.
    pub readings: Value,
    /// Whether any of it was typed before.
    pub kept: bool,
    /// Revision of what is kept; 0 where nothing is.
    pub revision: u64,
    /// Fields in which two pages typed different things.
    pub conflicts: Vec<DraftConflict>,
    /// Instruments of the shop.
    pub instruments: Vec<Instrument>,
    /// Steps, for a check.
    pub sheet: Option<Sheet>,
    /// Earlier closings of this station, oldest first.
    pub closings: Vec<Closing>,
}

/// What keeping typed readings answers.
#[derive(Serialize, ToSchema)]
pub struct Kept {
    /// On disk since.
    pub kept_at: String,
    /// The set-up with the typed numbers.
    pub set_up: SetUp,
    /// The form with what is typed.
    pub form: Form,
    /// All that is kept now, with what other pages typed.
    pub readings: Value,
    /// Its revision.
    pub revision: u64,
    /// Fields in which two pages typed different things.
    pub conflicts: Vec<DraftConflict>,
}

/// Changes of one write at most: more than any station has fields.
const MOST_CHANGES: usize = 500;

/// What a page typed since it last heard of the draft.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DraftBody {
    /// Readings as typed: all of them.
    #[serde(default)]
    pub readings: Option<Value>,
    /// Revision that the page had seen; with `changes`.
    #[serde(default)]
    pub base: u64,
    /// What it changed since; without it `readings` replace what is kept.
    #[serde(default)]
    pub changes: Vec<Change>,
}

/// Readings to keep or to close with.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReadingsBody {
    /// Readings as typed.
    pub readings: Value,
}

/// Why a station is opened again.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Reopen {
    /// Reason, in the technician's words.
    pub reason: String,
}

/// A closed station.
#[derive(Serialize, ToSchema)]
pub struct Closed {
    /// Number of the logbook entry.
    pub seq: i64,
    /// What was found.
    pub finding: Finding,
    /// The route card after it.
    pub traveller: Traveller,
}

#[utoipa::path(post, path = "/api/v1/plan", request_body = NewJob,
    responses((status = 200, body = Traveller), (status = 404, body = Problem)))]
/// The traveller that a job would begin with, before it is started.
async fn plan(
    State(app): State<App>,
    Body(new): Body<NewJob>,
) -> Result<Json<Traveller>, ApiError> {
    let card = app
        .read(move |store| {
            let facts = store.planned_facts(&new)?;
            Ok(traveller(&store.house()?, &facts, &[]))
        })
        .await?;
    Ok(Json(card))
}

/// A job of the list, with where it stands.
#[derive(Serialize, ToSchema)]
pub struct JobRow {
    /// The job.
    #[serde(flatten)]
    pub head: JobHead,
    /// Whether a station of it stopped.
    pub stopped: bool,
    /// Name of the station to work on now, while it is open.
    pub now: Option<String>,
}

/// Which jobs to show.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct JobsQuery {
    /// Older than this job.
    pub before: Option<i64>,
    /// Of this printer.
    pub printer: Option<i64>,
    /// Where they stand.
    #[param(inline)]
    pub state: Option<JobState>,
    /// Containing this: number, printer, complaint, customer, technician, what was tried.
    pub text: Option<String>,
}

/// Where a job stands, for a list.
#[derive(Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum JobState {
    /// Not handed over.
    Open,
    /// Open and stopped by a fault.
    Stopped,
    /// Handed over.
    HandedOver,
    /// Ended with its fault.
    Unfixed,
    /// Called off.
    Cancelled,
}

impl JobState {
    const fn end(self) -> Option<JobEnd> {
        match self {
            Self::Open | Self::Stopped => None,
            Self::HandedOver => Some(JobEnd::HandedOver),
            Self::Unfixed => Some(JobEnd::Unfixed),
            Self::Cancelled => Some(JobEnd::Cancelled),
        }
    }
}

/// Jobs of one page of the list.
const JOBS_A_PAGE: u32 = 100;

#[utoipa::path(get, path = "/api/v1/jobs", params(JobsQuery), responses((status = 200, body = Vec<JobRow>)))]
/// Jobs, the newest first, a hundred at a time, with their printers and where they stand.
async fn jobs(
    State(app): State<App>,
    Query(q): Query<JobsQuery>,
) -> Result<Json<Vec<JobRow>>, ApiError> {
    let page = app
        .read(move |store| {
            let mut rows = Vec::new();
            let filter = JobFilter {
                before: q.before,
                printer_id: q.printer,
                open: q.state.map(|s| s.end().is_none()),
                ended: q.state.and_then(JobState::end),
                text: q.text.unwrap_or_default().chars().take(200).collect(),
            };
            for head in store.job_heads(&filter, JOBS_A_PAGE)? {
                let mut row = JobRow {
                    stopped: false,
                    now: None,
                    head,
                };
                if row.head.finished_at.is_none() {
                    let card = traveller_of(store, &store.job(row.head.id)?)?;
                    row.stopped = card.lines.iter().any(|l| l.state == LineState::Stopped);
                    row.now = card
                        .lines
                        .iter()
                        .find(|l| Some(&l.key) == card.now.as_ref())
                        .map(|l| l.title.clone());
                }
                if q.state != Some(JobState::Stopped) || row.stopped {
                    rows.push(row);
                }
            }
            Ok(rows)
        })
        .await?;
    Ok(Json(page))
}

#[utoipa::path(post, path = "/api/v1/jobs", request_body = NewJob,
    responses((status = 201, body = Made), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Starts a job on a printer for the parts that were replaced.
async fn start_job(
    State(app): State<App>,
    Body(new): Body<NewJob>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    new.check()?;
    let id = app
        .with(move |store| {
            if let Some(open) = store.open_job_of(new.printer_id)? {
                return Err(ApiError::Conflict(format!(
                    "Job {} is still open on this printer. Finish it first.",
                    open.id
                )));
            }
            Ok(store.start_job(&new, &now())?)
        })
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

#[utoipa::path(get, path = "/api/v1/jobs/{id}", params(("id" = i64, Path)),
    responses((status = 200, body = JobPage), (status = 404, body = Problem)))]
/// A job with its traveller as it stands.
async fn job(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<JobPage>, ApiError> {
    let page = app
        .read(move |store| {
            let job = store.job(id)?;
            Ok(JobPage {
                printer: store.printer(job.printer_id)?,
                traveller: traveller_of(store, &job)?,
                deeds: store.deeds(id)?,
                found: found_on(store, id)?,
                changed: store.changed(job.printer_id, job.finished_at.as_deref())?,
                job,
            })
        })
        .await?;
    Ok(Json(page))
}

#[utoipa::path(get, path = "/api/v1/jobs/{id}/closings", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<Closing>), (status = 404, body = Problem)))]
/// What each station of a job was closed with, oldest first.
async fn closings(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<Vec<Closing>>, ApiError> {
    Ok(Json(
        app.read(move |s| {
            s.job(id)?;
            Ok(shown_in(s.house()?.pen, s.closings(id)?).collect())
        })
        .await?,
    ))
}

/// Closings in the units of the shop.
fn shown_in(pen: Pen, closings: Vec<Closing>) -> impl Iterator<Item = Closing> {
    closings.into_iter().map(move |mut c| {
        // What is kept is said in metric units.
        if pen != Pen::METRIC {
            c.finding = c.finding.in_units(pen);
        }
        c
    })
}

/// A job's station with all that routes below need.
pub(super) fn find(
    store: &Store,
    id: i64,
    key: &str,
) -> Result<(Job, Stop, Traveller, TravellerLine), ApiError> {
    let job = store.job(id)?;
    let stop: Stop = key
        .parse()
        .map_err(|e: wattotherm_job::route::UnknownStop| ApiError::NotFound(e.to_string()))?;
    let card = traveller_of(store, &job)?;
    let line = card
        .lines
        .iter()
        .find(|l| l.key == key)
        .cloned()
        .ok_or_else(|| no_station(id, key))?;
    Ok((job, stop, card, line))
}

fn no_station(id: i64, key: &str) -> ApiError {
    ApiError::NotFound(format!("Job {id} has no station “{key}”."))
}

#[utoipa::path(get, path = "/api/v1/jobs/{id}/stops/{key}", params(("id" = i64, Path), ("key" = String, Path)),
    responses((status = 200, body = Worktop), (status = 404, body = Problem)))]
/// A station with what is typed so far, its set-up and its earlier closings.
async fn worktop(
    State(app): State<App>,
    Path((id, key)): Path<(i64, String)>,
) -> Result<Json<Worktop>, ApiError> {
    let page = app
        .read(move |store| {
            let (job, stop, card, line) = find(store, id, &key)?;
            let context = context_of(store, &job, stop, &card)?;
            let station = stop.station();
            let draft = store.whole_draft(id, &key)?;
            let closings: Vec<Closing> = shown_in(context.house.pen, store.closings(id)?)
                .filter(|c| c.stop == key)
                .collect();
            let kept = draft.is_some();
            let (revision, conflicts) = draft
                .as_ref()
                .map_or((0, Vec::new()), |d| (d.revision, d.conflicts.clone()));
            // What a closed station was closed with, whatever other pages wrote since.
            let shown = match (draft, closings.last(), line.state) {
                (_, Some(c), LineState::Closed) => c.readings.clone(),
                (Some(d), ..) => d.readings,
                _ => station.start(&context),
            };
            let list = (station.id() == "check").then(|| {
                let mut list = sheet(&key, &context);
                // What a closed list was closed with, whatever its strip looks like since.
                let ids = |s: &Value| s["id"].as_str().map(str::to_owned);
                let ticked: Vec<String> = shown["steps"]
                    .as_array()
                    .map_or(Vec::new(), |s| s.iter().filter_map(ids).collect());
                if line.state == LineState::Closed && !ticked.is_empty() {
                    list.steps.retain(|s| ticked.iter().any(|t| *t == s.id));
                }
                list
            });
            Ok(Worktop {
                printer_id: job.printer_id,
                set_up: station.set_up(&shown, &context),
                form: station.form(&shown, &context),
                line,
                station: station.id(),
                readings: shown,
                kept,
                revision,
                conflicts,
                instruments: context.house.instruments,
                sheet: list,
                closings,
            })
        })
        .await?;
    Ok(Json(page))
}

#[utoipa::path(put, path = "/api/v1/jobs/{id}/stops/{key}/draft", params(("id" = i64, Path), ("key" = String, Path)), request_body = DraftBody,
    responses((status = 200, body = Kept), (status = 404, body = Problem), (status = 409, body = Problem), (status = 507, body = Problem)))]
/// Keeps what is typed; what two pages type beside each other is merged by field.
async fn keep(
    State(app): State<App>,
    Path((id, key)): Path<(i64, String)>,
    Body(body): Body<DraftBody>,
) -> Result<Json<Kept>, ApiError> {
    if body.changes.len() > MOST_CHANGES {
        return Err(ApiError::Values {
            field: "changes",
            message: format!("Send at most {MOST_CHANGES} changes at once."),
        });
    }
    let (at, shared) = (key.clone(), app.clone());
    let kept = app
        .with_aside(move |store| {
            let known = shared.at_station(store, (id, key.clone()))?;
            let line = known.line.ok_or_else(|| no_station(id, &key))?;
            if line == LineState::Closed {
                return Err(ApiError::Conflict(
                    "This station was closed at another page. Open it again there or here to go on.".into(),
                ));
            }
            let kept_at = now();
            let (stop, context) = (known.stop, &known.context);
            let draft = match body.readings {
                Some(readings) if body.changes.is_empty() => {
                    store.save_draft(id, &key, &readings, &kept_at)?
                }
                _ => {
                    let begun = stop.station().start(context);
                    store.change_draft(id, &key, body.base, body.changes, &begun, &kept_at)?
                }
            };
            shared.tell_of_draft(id, &at, draft.revision);
            Ok(Kept {
                kept_at,
                set_up: stop.station().set_up(&draft.readings, context),
                form: stop.station().form(&draft.readings, context),
                readings: draft.readings,
                revision: draft.revision,
                conflicts: draft.conflicts,
            })
        })
        .await?;
    Ok(Json(kept))
}

#[utoipa::path(post, path = "/api/v1/jobs/{id}/stops/{key}/close", params(("id" = i64, Path), ("key" = String, Path)), request_body = ReadingsBody,
    responses((status = 200, body = Closed), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem), (status = 507, body = Problem)))]
/// Closes a station with its readings and does what follows: values, parts, doubts.
async fn close(
    State(app): State<App>,
    Path((id, key)): Path<(i64, String)>,
    Body(body): Body<ReadingsBody>,
) -> Result<Json<Closed>, ApiError> {
    let closed = app
        .with(move |store| {
            let (job, stop, card, line) = find(store, id, &key)?;
            if let Some(ended) = &card.ended {
                return Err(ApiError::Conflict(format!(
                    "This job was {}. Open it again first.",
                    ended.how.says()
                )));
            }
            if card.paused.is_some() {
                return Err(ApiError::Conflict(
                    "This job is paused. Go on with it first.".into(),
                ));
            }
            if matches!(line.state, LineState::Closed | LineState::Waived) {
                return Err(ApiError::Conflict(
                    "This station is closed. Reopen it first.".into(),
                ));
            }
            if let Some(first) = line.waits_for.first() {
                let name = card
                    .lines
                    .iter()
                    .find(|l| l.key == *first)
                    .map_or(first.as_str(), |l| l.title.as_str());
                return Err(ApiError::Conflict(format!(
                    "Close “{name}” first: “{}” rests on it.",
                    line.title
                )));
            }
            let context = context_of(store, &job, stop, &card)?;
            let finding = stop
                .station()
                .evaluate(&body.readings, &context)
                .map_err(|e| ApiError::Evaluate(e, context.house.pen))?;
            if finding.facts.verdict == Verdict::MeasureAgain {
                return Err(ApiError::Unsettled(finding.words.sentence));
            }
            let mut effects = effects_of(stop, &body.readings, &finding, &context);
            if stop == Stop::HandOver && finding.facts.verdict == Verdict::Pass {
                effects.extend(left_in_doubt(&card, job.id).into_iter().map(Effect::Leave));
            }
            let seq =
                store.close_station(&job, stop, &body.readings, &finding, &effects, &now())?;
            let job = store.job(id)?;
            Ok(Closed {
                seq,
                finding,
                traveller: traveller_of(store, &job)?,
            })
        })
        .await?;
    Ok(Json(closed))
}

#[utoipa::path(post, path = "/api/v1/jobs/{id}/stops/{key}/reopen", params(("id" = i64, Path), ("key" = String, Path)), request_body = Reopen,
    responses((status = 200, body = Traveller), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Opens a closed station again, or a stopped one once its cause is mended; the old closing stays in the logbook.
async fn reopen(
    State(app): State<App>,
    Path((id, key)): Path<(i64, String)>,
    Body(body): Body<Reopen>,
) -> Result<Json<Traveller>, ApiError> {
    let reason = body.reason.trim().to_owned();
    if reason.is_empty() || reason.chars().count() > 400 {
        return Err(ApiError::Values {
            field: "reason",
            message: "Say why it is opened again, in 1 to 400 characters.".into(),
        });
    }
    let card = app
        .with(move |store| {
            let (job, stop, _, line) = find(store, id, &key)?;
            if !matches!(
                line.state,
                LineState::Closed | LineState::Stopped | LineState::Waived
            ) {
                return Err(ApiError::Conflict("This station is open already.".into()));
            }
            store.reopen_station(&job, stop, &reason, &now())?;
            Ok(traveller_of(store, &store.job(id)?)?)
        })
        .await?;
    Ok(Json(card))
}

#[utoipa::path(get, path = "/api/v1/jobs/{id}/export", params(("id" = i64, Path)),
    responses((status = 200, body = JobFile), (status = 404, body = Problem)))]
/// A whole job as a file.
async fn export(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<JobFile>, ApiError> {
    Ok(Json(app.read(move |s| Ok(s.export(id)?)).await?))
}

#[utoipa::path(post, path = "/api/v1/import", request_body = JobFile,
    responses((status = 201, body = Made), (status = 400, body = Problem), (status = 422, body = Problem)))]
/// Takes a job file in as a new job: all of it or nothing.
async fn import(
    State(app): State<App>,
    FileText(text): FileText,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    // Reading thousands of entries takes a while: off the event loop, and without the store.
    let file = tokio::task::spawn_blocking(move || JobFile::parse(&text))
        .await
        .map_err(|_| ApiError::Internal)??;
    let id = app.with(move |s| Ok(s.import(&file, &now())?)).await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

pub fn router() -> OpenApiRouter<App> {
    let import = OpenApiRouter::new()
        .routes(routes!(import))
        .layer(DefaultBodyLimit::max(IMPORT_LIMIT));
    OpenApiRouter::new()
        .routes(routes!(plan))
        .routes(routes!(jobs, start_job))
        .routes(routes!(job))
        .routes(routes!(closings))
        .routes(routes!(worktop))
        .routes(routes!(keep))
        .routes(routes!(close))
        .routes(routes!(reopen))
        .merge(super::deeds::router())
        .routes(routes!(export))
        .merge(import)
}
