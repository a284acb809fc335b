//! Evaluating readings; stores nothing.

use axum::Json;
use axum::extract::State;
use serde::Deserialize;
use serde_json::Value;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::Context;
use wattotherm_job::finding::Finding;
use wattotherm_job::stations::{all_stations, station_named};

use crate::body::{Body, Path};
use crate::error::{ApiError, Problem};
use crate::state::App;

/// Where the readings were taken.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct JobStation {
    /// The job.
    pub id: i64,
    /// Key of its stop.
    pub stop: String,
}

/// Readings to evaluate.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EvaluateBody {
    /// Readings as typed.
    pub readings: Value,
    /// What the station needs to know; all has defaults.
    #[serde(default)]
    pub context: Option<Context>,
    /// Or the job that knows it.
    #[serde(default)]
    pub job: Option<JobStation>,
}

#[utoipa::path(get, path = "/api/v1/stations", responses((status = 200, body = Vec<String>)))]
/// Every kind of station, by its identifier.
async fn stations() -> Json<Vec<&'static str>> {
    Json(all_stations().iter().map(|s| s.id()).collect())
}

#[utoipa::path(post, path = "/api/v1/stations/{station}/evaluate", params(("station" = String, Path)), request_body = EvaluateBody,
    responses((status = 200, body = Finding), (status = 400, body = Problem), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Evaluates readings of a station; nothing is kept.
async fn evaluate_station(
    State(app): State<App>,
    Path(station): Path<String>,
    Body(body): Body<EvaluateBody>,
) -> Result<Json<Finding>, ApiError> {
    let station = station_named(&station).ok_or_else(|| {
        let known: Vec<&str> = all_stations().iter().map(|s| s.id()).collect();
        let known = known.join(", ");
        ApiError::NotFound(format!("There is no such station. Stations are {known}."))
    })?;
    let (at, own);
    let context = match body.job {
        Some(job) => {
            at = app.station(job.id, job.stop).await?;
            &at.context
        }
        None => {
            own = body.context.unwrap_or_default();
            &own
        }
    };
    let finding = station
        .evaluate(&body.readings, context)
        .map_err(|e| ApiError::Evaluate(e, context.house.pen))?;
    Ok(Json(finding))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(stations))
        .routes(routes!(evaluate_station))
}
