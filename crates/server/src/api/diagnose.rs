//! What is wrong with it: the engine over HTTP, by the same path as the command line.

use axum::Json;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_diagnosis::{Diagnosis, Facts, Known, SHIPPED, diagnose, everything_known};

use crate::body::Body;
use crate::error::{ApiError, Problem};
use crate::state::App;

#[utoipa::path(post, path = "/api/v1/diagnose", request_body = Facts,
    responses((status = 200, body = Diagnosis), (status = 422, body = Problem)))]
/// Ranks the causes of what was seen, and says what to do next.
async fn ask(Body(facts): Body<Facts>) -> Result<Json<Diagnosis>, ApiError> {
    diagnose(&SHIPPED, &facts).map(Json).map_err(|e| {
        let replaced = e.field.starts_with("replaced");
        ApiError::Values {
            field: if replaced { "replaced" } else { "evidence" },
            message: e.message,
        }
    })
}

#[utoipa::path(get, path = "/api/v1/diagnose", responses((status = 200, body = Known)))]
/// Names of all causes, observations, actions and replacements.
async fn known() -> Json<Known> {
    Json(everything_known(&SHIPPED))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(ask, known))
}
