//! Routes under /api/v1. Thin: parse, call core or store, answer.

mod blocks;
mod cases;
mod catalogue;
mod deeds;
mod diagnose;
mod files;
mod heat;
mod house;
mod jobs;
mod live;
mod logbook;
mod pace;
mod photos;
mod pieces;
mod printers;
mod prints;
mod stations;
mod stream;
mod timeline;

use axum::Json;
use serde::{Deserialize, Serialize};
use utoipa::{OpenApi, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::stations::all_stations;

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

/// The description with the readings of every station.
fn description() -> utoipa::openapi::OpenApi {
    let mut all = Description::openapi();
    let schemas = &mut all.components.get_or_insert_default().schemas;
    for station in all_stations() {
        schemas.extend(station.schemas());
    }
    all
}

/// All routes with their description.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(description())
        .routes(routes!(health))
        .merge(catalogue::router())
        .merge(printers::router())
        .merge(jobs::router())
        .merge(photos::router())
        .merge(stations::router())
        .merge(logbook::router())
        .merge(house::router())
        .merge(live::router())
        .merge(files::router())
        .merge(blocks::router())
        .merge(pace::router())
        .merge(pieces::router())
        .merge(prints::router())
        .merge(heat::router())
        .merge(timeline::router())
        .merge(diagnose::router())
        .merge(cases::router())
        .merge(stream::router())
}
