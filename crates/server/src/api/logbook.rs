//! The logbook.

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse as _, Response};
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_printer::Part;
use wattotherm_store::{About, Found, LogEntry, LogFilter};

use super::printers::Made;
use crate::body::{Body, Query};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::state::App;

/// Which entries to show.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct LogQuery {
    /// Of one printer.
    pub printer: Option<i64>,
    /// Of one job.
    pub job: Option<i64>,
    /// Of one part, by id.
    pub part: Option<String>,
    /// Containing this text.
    pub text: Option<String>,
    /// Older than this entry.
    pub before: Option<i64>,
}

/// A note.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewNote {
    /// Printer concerned.
    #[serde(default)]
    pub printer_id: Option<i64>,
    /// Job concerned.
    #[serde(default)]
    pub job_id: Option<i64>,
    /// Part concerned.
    #[serde(default)]
    pub part: Option<Part>,
    /// Who writes it.
    #[serde(default)]
    pub who: String,
    /// What happened.
    pub text: String,
}

#[utoipa::path(get, path = "/api/v1/logbook", params(LogQuery), responses((status = 200, body = Vec<LogEntry>)))]
/// Entries of the logbook, the newest first, a page at a time.
async fn logbook(
    State(app): State<App>,
    Query(q): Query<LogQuery>,
) -> Result<Json<Vec<LogEntry>>, ApiError> {
    let filter = LogFilter {
        printer_id: q.printer,
        job_id: q.job,
        part: q.part.as_deref().and_then(Part::from_id),
        text: q.text.filter(|t| !t.trim().is_empty()),
        before: q.before,
    };
    Ok(Json(app.read(move |s| Ok(s.logbook(&filter)?)).await?))
}

/// Words to find.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct FindQuery {
    /// Words that must all be there.
    pub text: String,
}

#[utoipa::path(get, path = "/api/v1/find", params(FindQuery), responses((status = 200, body = Vec<Found>)))]
/// Finds printers, jobs, filaments, parts and notes by words of theirs.
async fn find(
    State(app): State<App>,
    Query(q): Query<FindQuery>,
) -> Result<Json<Vec<Found>>, ApiError> {
    let text: String = q.text.chars().take(200).collect();
    Ok(Json(app.read(move |s| Ok(s.find(&text)?)).await?))
}

#[utoipa::path(post, path = "/api/v1/logbook", request_body = NewNote,
    responses((status = 201, body = Made), (status = 422, body = Problem), (status = 507, body = Problem)))]
/// Writes a note into the logbook.
async fn note(
    State(app): State<App>,
    Body(new): Body<NewNote>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    let n = new.text.trim().chars().count();
    if n == 0 || n > 4000 || new.who.chars().count() > 80 {
        return Err(ApiError::Values {
            field: "text",
            message: "Type the note, 1 to 4000 characters.".into(),
        });
    }
    let id = app
        .with(move |s| {
            Ok(s.note(
                About {
                    printer_id: new.printer_id,
                    job_id: new.job_id,
                    part: new.part,
                },
                &new.who,
                new.text.trim(),
                &now(),
            )?)
        })
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

#[utoipa::path(get, path = "/api/v1/everything",
    responses((status = 200, content_type = "application/zip"), (status = 507, body = Problem)))]
/// Everything of the shop as a zip of open formats: logbook, jobs, printers, filaments, house rules, logs.
async fn everything(State(app): State<App>) -> Result<Response, ApiError> {
    // A reader of its own: it takes seconds in an old shop, and nobody waits for it.
    let store = app.with(|s| Ok(s.reader()?)).await?;
    let file = tokio::task::spawn_blocking(move || crate::everything::everything(&store))
        .await
        .map_err(|_| ApiError::Internal)??;
    let headers = [
        (header::CONTENT_TYPE, "application/zip"),
        (
            header::CONTENT_DISPOSITION,
            "attachment; filename=\"wattotherm.zip\"",
        ),
    ];
    Ok((headers, super::files::in_pieces(file)).into_response())
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(everything))
        .routes(routes!(find))
        .routes(routes!(logbook, note))
}
