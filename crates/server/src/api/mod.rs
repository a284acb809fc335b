//! Routes under /api/v1. Thin: parse, call core or store, answer.

mod catalogue;
mod heat;
mod house;
mod jobs;
mod live;
mod logbook;
mod printers;
mod stations;
mod stream;

use axum::Json;
use serde::{Deserialize, Serialize};
use utoipa::{OpenApi, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::state::App;

/// Description of the interface.
#[derive(OpenApi)]
#[openapi(
    info(
        title = "Wattotherm",
        description = "Recalibration of FDM printers: plan, measure, decide, record.",
        version = "1",
        license(name = "MIT OR Apache-2.0")
    ),
    components(schemas(
        wattotherm_store::JobFile,
        wattotherm_job::stations::drive::DriveReadings,
        wattotherm_job::stations::tram::TramReadings,
        wattotherm_job::stations::OffsetZReadings,
        wattotherm_job::stations::flow::FlowReadings,
        wattotherm_job::stations::acceptance::AcceptanceReadings,
        wattotherm_job::stations::TrialReadings,
        wattotherm_job::stations::check::CheckReadings,
        wattotherm_job::stations::snapshot::SnapshotReadings,
        wattotherm_job::stations::compare::CompareReadings,
        wattotherm_job::stations::sensor::SensorReadings,
        wattotherm_job::stations::heater::HeaterReadings,
        wattotherm_job::stations::heater_loop::HeaterLoopReadings,
        wattotherm_job::stations::hot_tighten::HotTightenReadings,
        stream::PageHears,
        stream::PageSays,
        crate::error::Problem
    ))
)]
struct Description;

/// Whether the server answers.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct Health {
    /// Always "ok".
    pub status: String,
    /// Version of the application.
    pub version: String,
}

#[utoipa::path(get, path = "/api/v1/health", responses((status = 200, body = Health)))]
/// Says that the server is there.
async fn health() -> Json<Health> {
    Json(Health {
        status: "ok".into(),
        version: env!("CARGO_PKG_VERSION").into(),
    })
}

/// All routes with their description.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(Description::openapi())
        .routes(routes!(health))
        .merge(catalogue::router())
        .merge(printers::router())
        .merge(jobs::router())
        .merge(stations::router())
        .merge(logbook::router())
        .merge(house::router())
        .merge(live::router())
        .merge(heat::router())
        .merge(stream::router())
}
