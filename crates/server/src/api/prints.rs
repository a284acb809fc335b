//! Sliced parts: kept once, looked through, drawn, changed by height, compared.

use std::io::BufWriter;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use axum::Json;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::route::Stop;
use wattotherm_job::stations::acceptance::run_length;
use wattotherm_job::stations::flow::density_g_cm3;
use wattotherm_job::stations::other_bore;
use wattotherm_measure::Unit;
use wattotherm_measure::entry::Entry as Typed;
use wattotherm_measure::text::{duration_s, join_and};
use wattotherm_printer::{Parameter, PrinterFacts};
use wattotherm_store::{
    Blob, Files, Incoming, MadePrint, NewMadePrint, NewPrintFile, PrintFile, Store,
};
use wattotherm_toolpath::{
    Band, BandKind, BandTable, BandsError, Bead, Binds, BoreEstimate, Bores, Bounds, Clearance,
    Diagnostic, DrawnLayer, Factor, Layer, Limits, NewBore, RetractionKind, Survey, SurveyOptions,
    Wanted, apply_edits, band_values, change_by_height, check_change, compare_bores, draw_layer,
    estimate_bore, survey,
};

use super::files::receive;
use super::live::RoutineBegun;
use super::printers::Made;
use crate::body::{Body, Path, Query};
use crate::error::{ApiError, Problem};
use crate::live::limits_of;
use crate::moment::now;
use crate::printing::{HELPERS, Pace, broke_off, usual};
use crate::state::{App, context_of, traveller_of};

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

/// Bands as they were typed.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewBands {
    /// What is set.
    pub kind: BandKind,
    /// Value of the first band, in the unit of the kind; for flow a number.
    #[schema(value_type = String)]
    pub first: Typed,
    /// Value of the last band, in the same unit.
    #[schema(value_type = String)]
    pub last: Typed,
    /// Step from band to band, in the same unit.
    #[schema(value_type = String)]
    pub step: Typed,
    /// Height of a band [mm].
    #[schema(value_type = String)]
    pub every: Typed,
    /// Where the first begins [mm].
    #[schema(value_type = String)]
    pub from: Typed,
    /// The printer it is for: its ceiling holds. Without one, that of the most careful hot end does.
    #[serde(default)]
    pub printer_id: Option<i64>,
    /// Flow of the profile, a number; blank for 1.
    #[schema(value_type = String)]
    pub profile_flow: Typed,
}

/// A file that was changed.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct BandsMade {
    /// Number of the new file.
    pub id: i64,
    /// The table of it.
    #[schema(value_type = BandTable)]
    pub table: serde_json::Value,
}

/// Another bore as it was typed.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TypedBore {
    /// Width of its beads [mm].
    #[schema(value_type = String)]
    pub width: Typed,
    /// Height of its layers [mm].
    #[schema(value_type = String)]
    pub height: Typed,
    /// Its top speed [mm/s]; blank for the file's.
    #[schema(value_type = String)]
    pub speed: Typed,
    /// Its volumetric limit [mm³/s]; blank for none.
    #[schema(value_type = String)]
    pub flow_limit: Typed,
    /// What an hour of the machine costs the shop; a number in its own money, blank if that isn't asked.
    #[serde(default)]
    #[schema(value_type = String)]
    pub hour: Typed,
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

pub(super) fn values(field: &'static str, message: impl Into<String>) -> ApiError {
    ApiError::Values {
        field,
        message: message.into(),
    }
}

/// A number as it was typed, in its own unit.
fn number(field: &'static str, typed: &Typed, within: [f64; 2]) -> Result<f64, ApiError> {
    let value = typed
        .parse(Unit::One)
        .ok_or_else(|| values(field, format!("“{}” is no number.", typed.shown())))?;
    if !(within[0]..=within[1]).contains(&value) {
        return Err(values(
            field,
            format!(
                "{value} can’t be meant: type {} to {}.",
                within[0], within[1]
            ),
        ));
    }
    Ok(value)
}

/// The same, or none where nothing is typed.
pub(super) fn number_or(
    field: &'static str,
    typed: &Typed,
    within: [f64; 2],
) -> Result<Option<f64>, ApiError> {
    if typed.is_blank() {
        return Ok(None);
    }
    number(field, typed, within).map(Some)
}

/// Which printer a part is timed for.
#[derive(Clone, Copy, Default, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ForPrinter {
    /// The printer; without one usual limits count.
    pub printer_id: Option<i64>,
}

/// A printer that a part goes to.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ToPrinter {
    /// The printer.
    pub printer_id: i64,
}

/// How two files are compared.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct BesideQuery {
    /// The printer; without one usual limits count.
    pub printer_id: Option<i64>,
    /// Material, e.g. `PLA`: for the grams.
    #[serde(default)]
    pub material: String,
    /// What an hour of the machine costs the shop, as typed; a number in its own money.
    #[serde(default)]
    pub hour: String,
}

/// Two files side by side.
#[derive(Serialize, ToSchema)]
pub struct Beside {
    /// Time, layers, beads.
    #[serde(flatten)]
    pub bores: Bores,
    /// What the first and the second weigh [g], where the material's density is known.
    pub grams: Option<[f64; 2]>,
    /// What the second saves, a number in the shop's own money.
    pub saved_money: Option<f64>,
}

/// What another bore would take.
#[derive(Serialize, ToSchema)]
pub struct Estimated {
    /// Time, layers, what binds.
    #[serde(flatten)]
    pub estimate: BoreEstimate,
    /// What it saves, a number in the shop's own money.
    pub saved_money: Option<f64>,
}

/// What seconds of the machine cost, where an hour's price is typed.
fn money(hour: &Typed, seconds: f64) -> Result<Option<f64>, ApiError> {
    let hour = number_or("hour", hour, [0.01, 10_000.0])?;
    Ok(hour.map(|h| h * seconds / 3_600.0))
}

/// A print that is to begin.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPrint {
    /// The printer.
    pub printer_id: i64,
    /// Said to be meant that commands which nobody here knows are left out.
    #[serde(default)]
    pub without_unknown: bool,
}

/// What a printer's guard makes of a file, before a line of it goes out.
#[derive(Serialize, ToSchema)]
pub struct ClearanceView {
    /// Whether it may be sent.
    pub clear: bool,
    /// All of it in a sentence.
    pub says: String,
    /// What speaks of another bore than is fitted, in words.
    pub mismatch: Option<String>,
    /// Line by line.
    pub clearance: Clearance,
}

/// A print that was made, with the clock.
#[derive(Serialize, ToSchema)]
pub struct RunView {
    /// Its number.
    pub id: i64,
    /// The printer.
    pub printer_id: i64,
    /// Its name.
    pub printer: String,
    /// When it began (RFC 3339).
    pub began_at: String,
    /// `running`, `done`, `stopped`, `broken`, or `typed` for one that was made elsewhere.
    pub how: String,
    /// How it ended, in words.
    pub says: String,
    /// Seconds predicted, the printer's factor not in them [s].
    pub predicted_s: f64,
    /// Seconds that it took [s].
    pub took_s: Option<f64>,
}

/// A print that was made elsewhere, timed by hand.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TypedRun {
    /// The printer.
    pub printer_id: i64,
    /// How long it took, without heating [min].
    #[schema(value_type = String)]
    pub minutes: Typed,
}

fn options(limits: Limits) -> SurveyOptions<'static> {
    SurveyOptions {
        limits,
        heating: None,
        cores: HELPERS,
    }
}

/// Whoever asked is still there: long reading ends with the request that wanted it.
struct Wanting(Arc<AtomicBool>);

impl Wanting {
    fn new() -> (Self, impl Fn(u64) -> bool + Clone + Send + 'static) {
        let gone = Arc::new(AtomicBool::new(false));
        let seen = Arc::clone(&gone);
        (Self(gone), move |_| !seen.load(Ordering::Relaxed))
    }
}

impl Drop for Wanting {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
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
    let (_asks, wanted) = Wanting::new();
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
            "The job that is open here asks for a clean run of {run}. This print is shorter: it finds a value, it doesn't prove the fault gone."
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
    let (_asks, wanted) = Wanting::new();
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
    let (_asks, wanted) = Wanting::new();
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

#[utoipa::path(delete, path = "/api/v1/prints/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
/// Lets a sliced part go.
async fn drop_print(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.with(move |store| Ok(store.drop_print_file(id)?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

fn wanted(body: &NewBands, ceiling_c: f64) -> Result<Wanted, ApiError> {
    const ANY: [f64; 2] = [-1e4, 1e4];
    let first = number("first", &body.first, ANY)?;
    let last = number_or("last", &body.last, ANY)?.unwrap_or(first);
    let step = number_or("step", &body.step, ANY)?;
    let list = match step {
        None if (last - first).abs() < 1e-12 => Ok(vec![first]),
        None => Err(values("step", "Type the step from band to band.")),
        // Downward is meant where the last is below the first.
        Some(step) => band_values(first, last, step.abs().copysign(last - first))
            .map_err(|e| values("step", e.to_string())),
    }?;
    let wanted = Wanted {
        kind: body.kind,
        values: list,
        every_mm: number("every", &body.every, [0.05, 500.0])?,
        from_mm: number_or("from", &body.from, [0.0, 2_000.0])?.unwrap_or(0.0),
        profile_flow: number_or("profile_flow", &body.profile_flow, [0.2, 3.0])?.unwrap_or(1.0),
        ceiling_c,
    };
    wanted.check().map_err(|e| values("first", e.to_string()))?;
    Ok(wanted)
}

#[utoipa::path(post, path = "/api/v1/prints/bands", request_body = NewBands,
    responses((status = 200, body = Vec<Band>), (status = 422, body = Problem)))]
/// The bands that are being typed, with what the printer makes of each; nothing is kept.
async fn typed_bands(
    State(app): State<App>,
    Body(body): Body<NewBands>,
) -> Result<Json<Vec<Band>>, ApiError> {
    let printer_id = body.printer_id;
    let ceiling_c = app.read(move |store| ceiling_of(store, printer_id)).await?;
    Ok(Json(wanted(&body, ceiling_c)?.bands()))
}

/// The ceiling [°C] in force: of the printer it is for, or of the most careful hot end.
fn ceiling_of(store: &Store, printer_id: Option<i64>) -> Result<f64, ApiError> {
    let careful = || Ok(store.house()?.ceiling(&PrinterFacts::default()).ceiling_c);
    match printer_id {
        None => careful(),
        Some(id) => {
            let (_, limits) = limits_of(store, id)?;
            limits
                .tools
                .first()
                .map_or_else(careful, |t| Ok(t.ceiling_c))
        }
    }
}

/// A file on its way to the disk, written into.
struct Onto<'a>(&'a mut Incoming);

impl std::io::Write for Onto<'_> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.write(bytes).map_err(std::io::Error::other)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// The changed file on the disk, read again, and its table. Nobody who writes to the database waits for it.
fn make(
    files: &Files,
    sha256: &str,
    wanted: &Wanted,
    asks: impl Fn(u64) -> bool,
) -> Result<(Blob, BandTable), ApiError> {
    let changed =
        change_by_height(files.open(sha256)?, wanted, HELPERS, &asks).map_err(|e| match e {
            BandsError::Read(e) => broke_off(e),
            e => values("first", e.to_string()),
        })?;
    let mut incoming = files.begin()?;
    apply_edits(
        files.open(sha256)?,
        &changed.edits,
        BufWriter::with_capacity(1 << 18, Onto(&mut incoming)),
        &asks,
    )
    .map_err(broke_off)?;
    let blob = incoming.keep("application/octet-stream")?;
    check_change(
        files.open(sha256)?,
        files.open(&blob.sha256)?,
        wanted,
        HELPERS,
    )
    .map_err(|e| {
        values(
            "first",
            format!("The changed file was read again and is not what it should be. {e}"),
        )
    })?;
    Ok((blob, changed.table))
}

/// What a changed file is called.
fn called(was: &str, kind: BandKind) -> String {
    let stem = was.rsplit_once('.').map_or(was, |(stem, _)| stem);
    let stem: String = stem.chars().take(MOST_NAME - 40).collect();
    format!("{stem}-{}.gcode", kind.name().replace('_', "-"))
}

#[utoipa::path(post, path = "/api/v1/prints/{id}/bands", params(("id" = i64, Path)), request_body = NewBands,
    responses((status = 201, body = BandsMade), (status = 404, body = Problem), (status = 422, body = Problem), (status = 507, body = Problem)))]
/// Changes a setting by height in a copy of the file; all else stays byte for byte, and the copy is read again.
async fn add_bands(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<NewBands>,
) -> Result<(StatusCode, Json<BandsMade>), ApiError> {
    let printer_id = body.printer_id;
    let (p, ceiling_c) = app
        .read(move |store| Ok((store.print_file(id)?, ceiling_of(store, printer_id)?)))
        .await?;
    let wanted = wanted(&body, ceiling_c)?;
    let files = app.files.clone();
    let (was, kind) = (p.sha256.clone(), wanted.kind);
    let (_asks, asks) = Wanting::new();
    let (blob, table) = tokio::task::spawn_blocking(move || make(&files, &was, &wanted, asks))
        .await
        .map_err(|_| ApiError::Internal)??;
    let table = serde_json::to_value(&table).map_err(broke_off)?;
    let change = table.to_string();
    let id = app
        .with(move |store| {
            let at = now();
            store.enter_blob(&blob, &at)?;
            let new = NewPrintFile {
                sha256: &blob.sha256,
                name: &called(&p.name, kind),
                printer_id: printer_id.or(p.printer_id),
                made_from: Some(p.id),
                change: Some(&change),
                bead_mm: p.bead_mm,
            };
            Ok(store.keep_print_file(&new, &at)?)
        })
        .await?;
    let made = BandsMade { id, table };
    Ok((StatusCode::CREATED, Json(made)))
}

#[utoipa::path(get, path = "/api/v1/prints/{id}/beside/{other}", params(("id" = i64, Path), ("other" = i64, Path), BesideQuery),
    responses((status = 200, body = Beside), (status = 404, body = Problem)))]
/// Two files side by side: time, layers, beads.
async fn beside(
    State(app): State<App>,
    Path((id, other)): Path<(i64, i64)>,
    Query(on): Query<BesideQuery>,
) -> Result<Json<Beside>, ApiError> {
    let hour = Typed::from(on.hour.as_str());
    money(&hour, 0.0)?;
    let density = density_g_cm3(&on.material);
    let (a, b, pace) = app
        .read(move |store| {
            let pace = Pace::of(store, on.printer_id)?;
            Ok((store.print_file(id)?, store.print_file(other)?, pace))
        })
        .await?;
    let files = app.files.clone();
    let (_asks, wanted) = Wanting::new();
    tokio::task::spawn_blocking(move || {
        let mm2 = pace.limits.filament_mm2();
        let a = look(&files, &a.sha256, pace.limits.clone(), wanted.clone())?;
        let b = look(&files, &b.sha256, pace.limits, wanted)?;
        let bores = compare_bores(&a, &b, mm2);
        Ok(Json(Beside {
            grams: density.map(|d| [a.volume_mm3, b.volume_mm3].map(|v| v / 1_000.0 * d)),
            saved_money: money(&hour, bores.saved_s)?,
            bores,
        }))
    })
    .await
    .map_err(|_| ApiError::Internal)?
}

#[utoipa::path(post, path = "/api/v1/prints/{id}/bore", params(("id" = i64, Path), ForPrinter), request_body = TypedBore,
    responses((status = 200, body = Estimated), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// What the same part would take with another bore: an estimate.
async fn bore(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(on): Query<ForPrinter>,
    Body(body): Body<TypedBore>,
) -> Result<Json<Estimated>, ApiError> {
    money(&body.hour, 0.0)?;
    let new = NewBore {
        width_mm: number("width", &body.width, [0.1, 3.0])?,
        height_mm: number("height", &body.height, [0.03, 2.0])?,
        speed_mm_s: number_or("speed", &body.speed, [1.0, 1_000.0])?,
        flow_limit_mm3_s: number_or("flow_limit", &body.flow_limit, [0.1, 500.0])?,
    };
    if new.height_mm > new.width_mm {
        return Err(values("height", "A bead is no higher than it is wide."));
    }
    let (p, pace) = app
        .read(move |store| Ok((store.print_file(id)?, Pace::of(store, on.printer_id)?)))
        .await?;
    let files = app.files.clone();
    let (_asks, wanted) = Wanting::new();
    tokio::task::spawn_blocking(move || {
        let limits = pace.limits;
        let s = look(&files, &p.sha256, limits.clone(), wanted.clone())?;
        let bead = Bead::of(&s, limits.filament_mm2())
            .ok_or_else(|| values("width", "The file lays no bead."))?;
        let file = files.open(&p.sha256)?;
        let estimate =
            estimate_bore(file, &options(limits), bead, &new, wanted).map_err(broke_off)?;
        Ok(Json(Estimated {
            saved_money: money(&body.hour, estimate.now_s - estimate.then_s)?,
            estimate,
        }))
    })
    .await
    .map_err(|_| ApiError::Internal)?
}

#[utoipa::path(get, path = "/api/v1/prints/{id}/clearance", params(("id" = i64, Path), ToPrinter),
    responses((status = 200, body = ClearanceView), (status = 404, body = Problem)))]
/// What a printer's guard makes of the whole file; nothing is sent.
async fn clearance(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(to): Query<ToPrinter>,
) -> Result<Json<ClearanceView>, ApiError> {
    let cleared = app.clear_print(id, to.printer_id).await?;
    let bead = Bead::of(&cleared.survey, usual().filament_mm2());
    let mismatch = app
        .read(move |store| {
            let facts = store.printer(to.printer_id)?.facts;
            let profile = store
                .settings(to.printer_id)?
                .into_iter()
                .find(|s| s.parameter == Parameter::Profile && s.until_at.is_none())
                .and_then(|s| s.value);
            Ok(bead.and_then(|b| other_bore([b.width_mm, b.height_mm], facts.nozzle_mm, profile)))
        })
        .await?;
    let c = cleared.clearance;
    let says = match (c.refused.first(), c.unknown.as_slice()) {
        (Some(first), _) => format!(
            "{} of its lines may not be sent. Line {}: {}.",
            c.refused_lines, first.line, first.message
        ),
        (None, []) => format!("All {} lines may be sent.", c.lines),
        (None, unknown) => {
            let codes: Vec<&str> = unknown.iter().take(6).map(|g| g.code.as_str()).collect();
            format!(
                "{} lines may be sent. Left out, because nobody here knows what they do: {}.",
                c.lines,
                join_and(&codes)
            )
        }
    };
    Ok(Json(ClearanceView {
        clear: c.is_clear(),
        says,
        mismatch,
        clearance: c,
    }))
}

#[utoipa::path(post, path = "/api/v1/prints/{id}/print", params(("id" = i64, Path)), request_body = NewPrint,
    responses((status = 202, body = RoutineBegun), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Prints a file on a connected printer, line by line; it goes on by itself.
async fn begin_print(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<NewPrint>,
) -> Result<(StatusCode, Json<RoutineBegun>), ApiError> {
    let number = app
        .start_print(id, body.printer_id, body.without_unknown)
        .await?;
    Ok((StatusCode::ACCEPTED, Json(RoutineBegun { number })))
}

#[utoipa::path(get, path = "/api/v1/prints/{id}/runs", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<RunView>), (status = 404, body = Problem)))]
/// Prints of a file that were made, with the clock beside the prediction.
async fn runs(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<RunView>>, ApiError> {
    app.read(move |store| {
        store.print_file(id)?;
        let runs = store.made_prints_of_file(id)?;
        let view = |r: MadePrint| -> Result<RunView, ApiError> {
            Ok(RunView {
                id: r.id,
                printer_id: r.printer_id,
                printer: store.printer(r.printer_id)?.name,
                began_at: r.began_at,
                how: r.how,
                says: r.says,
                predicted_s: r.predicted_s,
                took_s: r.took_s,
            })
        };
        Ok(Json(runs.into_iter().map(view).collect::<Result<_, _>>()?))
    })
    .await
}

#[utoipa::path(post, path = "/api/v1/prints/{id}/runs", params(("id" = i64, Path)), request_body = TypedRun,
    responses((status = 201, body = Made), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Keeps how long a print took that was made elsewhere.
async fn add_run(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<TypedRun>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    let took_s = 60.0 * number("minutes", &body.minutes, [0.1, 20_000.0])?;
    let (p, pace) = app
        .read(move |store| {
            Ok((
                store.print_file(id)?,
                Pace::of(store, Some(body.printer_id))?,
            ))
        })
        .await?;
    let files = app.files.clone();
    let sha256 = p.sha256.clone();
    let (_asks, wanted) = Wanting::new();
    let s = tokio::task::spawn_blocking(move || look(&files, &sha256, pace.limits, wanted))
        .await
        .map_err(|_| ApiError::Internal)??;
    let ratio = took_s / s.seconds.max(1e-9);
    if !(0.25..=4.0).contains(&ratio) {
        return Err(values(
            "minutes",
            format!(
                "{} was predicted: {} can’t be the same print. Type how long it took, in minutes.",
                duration_s(s.seconds),
                duration_s(took_s)
            ),
        ));
    }
    let id = app
        .with(move |store| {
            let new = NewMadePrint {
                printer_id: body.printer_id,
                print_file_id: p.id,
                name: &p.name,
                predicted_s: s.seconds,
                layers: s.layers.len() as u64,
                took_s: Some(took_s),
            };
            Ok(store.begin_made_print(&new, &now())?)
        })
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(add_print))
        .layer(DefaultBodyLimit::disable())
        .routes(routes!(list_prints))
        .routes(routes!(print_page, drop_print))
        .routes(routes!(layer))
        .routes(routes!(typed_bands))
        .routes(routes!(add_bands))
        .routes(routes!(beside))
        .routes(routes!(bore))
        .routes(routes!(clearance))
        .routes(routes!(begin_print))
        .routes(routes!(runs, add_run))
}
