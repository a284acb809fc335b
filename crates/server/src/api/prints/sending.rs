//! Sliced parts sent to a printer, and how long its prints took.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::stations::other_bore;
use wattotherm_measure::entry::Entry as Typed;
use wattotherm_measure::text::{duration_s, join_and};
use wattotherm_printer::Parameter;
use wattotherm_store::{MadePrint, NewMadePrint};
use wattotherm_toolpath::{Bead, Clearance};

use super::super::live::RoutineBegun;
use super::super::printers::Made;
use super::look;
use crate::body::{Body, Path, Query};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::printing::{Pace, usual};
use crate::state::App;
use crate::typed::{number, values};

/// A printer that a part goes to.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ToPrinter {
    /// The printer.
    pub printer_id: i64,
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
    let (_asks, wanted) = app.readings.begin(Some(id), p.bytes, 1);
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
        .routes(routes!(clearance))
        .routes(routes!(begin_print))
        .routes(routes!(runs, add_run))
}
