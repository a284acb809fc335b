//! Sliced parts: kept once, looked through, drawn.

mod bands;
mod bores;
mod sending;

use axum::Json;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::route::Stop;
use wattotherm_job::stations::acceptance::run_length;
use wattotherm_measure::text::duration_s;
use wattotherm_store::{Files, NewPrintFile, PrintFile, Store};
use wattotherm_toolpath::{
    BandTable, Bead, Binds, Bounds, Diagnostic, DrawnLayer, Factor, Layer, Limits, RetractionKind,
    Survey, SurveyOptions, draw_layer, survey,
};

use super::files::receive;
use super::printers::Made;
use crate::body::{Path, Query};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::printing::{HELPERS, Pace, broke_off, usual};
use crate::reading::ReadingThrough;
use crate::state::{App, context_of, traveller_of};
use crate::typed::values;

/// Largest sliced part [bytes].
const PRINT_LIMIT: usize = 2 * 1024 * 1024 * 1024;
/// Longest name, in characters.
const MOST_NAME: usize = 120;

/// What a sliced part is called.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct PrintQuery {
    /// What the file is called.
    #[serde(default)]
    pub name: String,
}

/// A sliced part in the list.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct PrintHead {
    /// Its number.
    pub id: i64,
    /// What it is called.
    pub name: String,
    /// Its content's name among the files.
    pub sha256: String,
    /// Its length in bytes; a number.
    pub bytes: u64,
    /// When it was kept.
    pub kept_at: String,
    /// The file it was made from by a change.
    pub made_from: Option<i64>,
    /// What was changed, if it was made here.
    #[schema(value_type = Option<BandTable>)]
    pub change: Option<serde_json::Value>,
}

/// A sliced part, looked through.
#[derive(Serialize, ToSchema)]
pub struct PrintPage {
    /// What it is called and where it comes from.
    pub print: PrintHead,
    /// In a sentence: how long it takes, and what holds it.
    pub says: String,
    /// How long it takes [s]; heating isn't counted where its time isn't known.
    pub seconds: f64,
    /// Waits for heat whose time isn't known; a number of.
    pub unknown_heating: u64,
    /// Filament used [mm].
    pub filament_mm: f64,
    /// Volume used [mm³].
    pub volume_mm3: f64,
    /// Highest flow that the moves ask for [mm³/s].
    pub top_flow_mm3_s: f64,
    /// Hottest the nozzle is set [°C].
    pub nozzle_c: Option<f64>,
    /// Hottest the bed is set [°C].
    pub bed_c: Option<f64>,
    /// Its beads.
    pub bead: Option<Bead>,
    /// How often filament is taken back; a number.
    pub retractions: u64,
    /// Retractions that are alike, the most frequent first.
    pub retraction_kinds: Vec<RetractionKind>,
    /// What its beads cover.
    pub bounds: Option<Bounds>,
    /// What its beads above the first layer cover, without the line that primes.
    pub upper_bounds: Option<Bounds>,
    /// Layers in the order they are laid.
    pub layers: Vec<Layer>,
    /// Seconds by what binds, over all.
    pub binds: Binds,
    /// What can't be read; the first of it.
    pub diagnostics: Vec<Diagnostic>,
    /// All that can't be read; a number of.
    pub wrong: u64,
    /// Limits that it is timed under.
    pub limits: Limits,
    /// Where they are known from: `report`, `typed`, or `usual`.
    pub limits_from: String,
    /// What this printer's clock said of predictions before.
    pub factor: Option<Factor>,
    /// How long it takes by that clock [s], and how far that may be off [s].
    pub by_the_clock_s: Option<[f64; 2]>,
    /// What a clean print of it proves for the job that is open on the printer.
    pub proves: Option<String>,
}

fn head(p: PrintFile) -> PrintHead {
    PrintHead {
        id: p.id,
        name: p.name,
        sha256: p.sha256,
        bytes: p.bytes,
        kept_at: p.kept_at,
        made_from: p.made_from,
        change: p.change.and_then(|c| serde_json::from_str(&c).ok()),
    }
}

/// Which printer a part is timed for.
#[derive(Clone, Copy, Default, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ForPrinter {
    /// The printer; without one usual limits count.
    pub printer_id: Option<i64>,
}

fn options(limits: Limits) -> SurveyOptions<'static> {
    SurveyOptions {
        limits,
        heating: None,
        cores: HELPERS,
    }
}

fn look(
    files: &Files,
    sha256: &str,
    limits: Limits,
    wanted: impl Fn(u64) -> bool,
) -> Result<Survey, ApiError> {
    survey(files.open(sha256)?, &options(limits), wanted).map_err(broke_off)
}

/// What holds a part is named from this share of its time on, 0 to 1. Judgement, no published source.
const WORTH_SAYING: f64 = 0.05;

/// How long a part takes and what holds it most.
fn says(s: &Survey) -> String {
    let time = duration_s(s.seconds);
    let held = [
        (s.binds.flow_s, "held by flow"),
        (s.binds.acceleration_s, "gaining and losing speed"),
        (s.binds.corner_s, "held by corners"),
        (s.binds.axis_s, "held by an axis"),
    ]
    .into_iter()
    .max_by(|a, b| a.0.total_cmp(&b.0))
    .filter(|(seconds, _)| *seconds > WORTH_SAYING * s.seconds);
    match held {
        Some((seconds, how)) => {
            format!("{time}, {:.0} % of it {how}", 100.0 * seconds / s.seconds)
        }
        None => format!("{time}, at its own speed"),
    }
}

fn page(p: PrintFile, s: Survey, pace: Pace) -> PrintPage {
    let limits = pace.limits;
    PrintPage {
        proves: None,
        by_the_clock_s: pace
            .factor
            .map(|f| [s.seconds * f.value, s.seconds * f.spread]),
        factor: pace.factor,
        limits_from: pace.source,
        print: head(p),
        says: says(&s),
        seconds: s.seconds,
        unknown_heating: s.unknown_heating,
        filament_mm: s.filament_mm,
        volume_mm3: s.volume_mm3,
        top_flow_mm3_s: s.top_flow_mm3_s,
        nozzle_c: s.nozzle_c,
        bed_c: s.bed_c,
        bead: Bead::of(&s, limits.filament_mm2()),
        retractions: s.retractions,
        bounds: s.bounds,
        upper_bounds: s.upper_bounds,
        layers: s.layers,
        binds: s.binds,
        retraction_kinds: s.retraction_kinds.into_iter().take(8).collect(),
        diagnostics: s.reading.diagnostics.into_iter().take(20).collect(),
        wrong: s.reading.wrong,
        limits,
    }
}

#[utoipa::path(post, path = "/api/v1/prints", params(PrintQuery), request_body(content = String, content_type = "application/octet-stream"),
    responses((status = 201, body = Made), (status = 413, body = Problem), (status = 422, body = Problem), (status = 507, body = Problem)))]
/// Keeps a sliced part, once by what it holds. A file that lays no bead is refused.
async fn add_print(
    State(app): State<App>,
    Query(of): Query<PrintQuery>,
    request: Request,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    let name = of.name.trim().to_owned();
    if name.is_empty() || name.chars().count() > MOST_NAME {
        return Err(values("name", "Name the file, in up to 120 characters."));
    }
    let blob = receive(&app, request, PRINT_LIMIT).await?;
    let files = app.files.clone();
    let sha256 = blob.sha256.clone();
    let (_asks, wanted) = app.readings.begin(None, blob.bytes, 1);
    let s = tokio::task::spawn_blocking(move || look(&files, &sha256, usual(), wanted))
        .await
        .map_err(|_| ApiError::Internal)??;
    if s.layers.is_empty() {
        return Err(values(
            "file",
            "This file lays no bead. Drop a sliced part: lines like G1 X10 Y5 E0.3.",
        ));
    }
    let bead_mm = Bead::of(&s, usual().filament_mm2()).map(|b| [b.width_mm, b.height_mm]);
    let id = app
        .with(move |store| {
            let new = NewPrintFile {
                sha256: &blob.sha256,
                name: &name,
                printer_id: None,
                made_from: None,
                change: None,
                bead_mm,
            };
            Ok(store.keep_print_file(&new, &now())?)
        })
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

#[utoipa::path(get, path = "/api/v1/prints", responses((status = 200, body = Vec<PrintHead>)))]
/// Sliced parts, the newest first.
async fn list_prints(State(app): State<App>) -> Result<Json<Vec<PrintHead>>, ApiError> {
    app.read(|store| Ok(Json(store.print_files()?.into_iter().map(head).collect())))
        .await
}

/// Clean run that the open job of a printer asks for before its part counts as the cure [s]; none without a job.
fn clean_run(store: &Store, printer_id: i64) -> Result<Option<f64>, ApiError> {
    let Some(job) = store.open_job_of(printer_id)? else {
        return Ok(None);
    };
    let card = traveller_of(store, &job)?;
    let context = context_of(store, &job, Stop::Acceptance, &card)?;
    Ok(Some(60.0 * run_length(&context).minutes))
}

/// What a clean print of so many seconds proves where a run of so many is asked for.
fn proves(seconds: f64, run_s: f64) -> String {
    let run = duration_s(run_s);
    if seconds < run_s {
        format!(
            "The job that is open here asks for a clean run of {run}. This print is shorter: it finds a value, it doesn’t prove the fault gone."
        )
    } else {
        format!("As long as the clean run of {run} that the job open here asks for.")
    }
}

#[utoipa::path(get, path = "/api/v1/prints/{id}", params(("id" = i64, Path), ForPrinter),
    responses((status = 200, body = PrintPage), (status = 404, body = Problem)))]
/// A sliced part: time, what binds, layers, retractions.
async fn print_page(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(on): Query<ForPrinter>,
) -> Result<Json<PrintPage>, ApiError> {
    let (p, pace, run) = app
        .read(move |store| {
            let run = match on.printer_id {
                Some(printer) => clean_run(store, printer)?,
                None => None,
            };
            Ok((store.print_file(id)?, Pace::of(store, on.printer_id)?, run))
        })
        .await?;
    let files = app.files.clone();
    let (_asks, wanted) = app.readings.begin(Some(id), p.bytes, 1);
    tokio::task::spawn_blocking(move || {
        let s = look(&files, &p.sha256, pace.limits.clone(), wanted)?;
        let mut page = page(p, s, pace);
        page.proves = run.map(|run| proves(page.seconds, run));
        Ok(Json(page))
    })
    .await
    .map_err(|_| ApiError::Internal)?
}

#[utoipa::path(get, path = "/api/v1/prints/{id}/layers/{line}", params(("id" = i64, Path), ("line" = u64, Path), ForPrinter),
    responses((status = 200, body = DrawnLayer), (status = 404, body = Problem)))]
/// One layer, bead by bead, named by the line that it begins on.
async fn layer(
    State(app): State<App>,
    Path((id, line)): Path<(i64, u64)>,
    Query(on): Query<ForPrinter>,
) -> Result<Json<DrawnLayer>, ApiError> {
    let (p, pace) = app
        .read(move |store| Ok((store.print_file(id)?, Pace::of(store, on.printer_id)?)))
        .await?;
    let files = app.files.clone();
    let (_asks, wanted) = app.readings.begin(Some(id), p.bytes, 1);
    tokio::task::spawn_blocking(move || {
        let file = files.open(&p.sha256)?;
        draw_layer(file, &pace.limits, line, HELPERS, wanted)
            .map_err(broke_off)?
            .map(Json)
            .ok_or_else(|| ApiError::NotFound(format!("No layer begins on line {line}.")))
    })
    .await
    .map_err(|_| ApiError::Internal)?
}

#[utoipa::path(get, path = "/api/v1/reading", responses((status = 200, body = Vec<ReadingThrough>)))]
/// Sliced parts that are being read through just now, and how far each is.
async fn reading(State(app): State<App>) -> Json<Vec<ReadingThrough>> {
    Json(app.readings.now())
}

#[utoipa::path(delete, path = "/api/v1/prints/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
/// Lets a sliced part go.
async fn drop_print(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.with(move |store| Ok(store.drop_print_file(id)?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(add_print))
        .layer(DefaultBodyLimit::disable())
        .routes(routes!(list_prints))
        .routes(routes!(print_page, drop_print))
        .routes(routes!(layer))
        .routes(routes!(reading))
        .merge(bands::router())
        .merge(bores::router())
        .merge(sending::router())
}
