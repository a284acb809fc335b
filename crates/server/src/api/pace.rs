//! What a printer's axes can do, and what its clock says of predictions.

use axum::Json;
use axum::extract::State;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_gcode::read_settings;
use wattotherm_link::routines::read_settings_text;
use wattotherm_measure::entry::Entry as Typed;
use wattotherm_toolpath::{AxisLimits, Factor, Limits};

use crate::body::{Body, Path};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::printing::Pace;
use crate::state::App;
use crate::typed::{number_or, values};

/// How fast a printer is, as far as it is known.
#[derive(Serialize, ToSchema)]
pub struct PaceView {
    /// What its axes can do.
    pub limits: Limits,
    /// Where that is known from: `report`, `typed`, or `usual`.
    pub limits_from: String,
    /// What its clock said of predictions.
    pub factor: Option<Factor>,
    /// All of it in a sentence.
    pub says: String,
}

/// Limits as they were typed; blank for none, or for the usual one where there must be one.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TypedLimits {
    /// Acceleration of moves that print [mm/s²].
    #[schema(value_type = String)]
    pub accel: Typed,
    /// Acceleration of other moves [mm/s²].
    #[schema(value_type = String)]
    pub travel_accel: Typed,
    /// Top speed of X and Y [mm/s].
    #[schema(value_type = String)]
    pub speed: Typed,
    /// Top speed of Z [mm/s].
    #[schema(value_type = String)]
    pub speed_z: Typed,
    /// Junction deviation [mm].
    #[schema(value_type = String)]
    pub junction: Typed,
    /// Moves that its planner sees; a number of.
    #[schema(value_type = String)]
    pub look_ahead: Typed,
    /// Volumetric limit [mm³/s].
    #[schema(value_type = String)]
    pub flow_limit: Typed,
}

fn view(pace: Pace) -> PaceView {
    let from = match pace.source.as_str() {
        "report" => "Limits as the printer reported them",
        "typed" => "Limits as typed",
        _ => "Usual limits: nothing is known of this printer’s",
    };
    let clock = match &pace.factor {
        None => "no print of it was timed yet".to_owned(),
        Some(f) => format!(
            "{} timed: the clock says {:.2} ± {:.2} of what is predicted, one print ± {:.0} %",
            if f.prints == 1 {
                "1 print".to_owned()
            } else {
                format!("{} prints", f.prints)
            },
            f.value,
            f.u,
            100.0 * f.spread / f.value
        ),
    };
    PaceView {
        says: format!("{from}; {clock}."),
        limits: pace.limits,
        limits_from: pace.source,
        factor: pace.factor,
    }
}

async fn kept(
    app: &App,
    id: i64,
    limits: &Limits,
    source: &'static str,
) -> Result<Json<PaceView>, ApiError> {
    let json = serde_json::to_string(limits).map_err(|_| ApiError::Internal)?;
    app.with(move |store| {
        store.printer(id)?;
        store.put_path_limits(id, &json, source, &now())?;
        Ok(Json(view(Pace::of(store, Some(id))?)))
    })
    .await
}

#[utoipa::path(get, path = "/api/v1/printers/{id}/pace", params(("id" = i64, Path)),
    responses((status = 200, body = PaceView), (status = 404, body = Problem)))]
/// How fast a printer is: its limits, and its clock beside predictions.
async fn pace(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<PaceView>, ApiError> {
    app.read(move |store| Ok(Json(view(Pace::of(store, Some(id))?))))
        .await
}

#[utoipa::path(put, path = "/api/v1/printers/{id}/pace", params(("id" = i64, Path)), request_body = TypedLimits,
    responses((status = 200, body = PaceView), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Keeps a printer's limits as they were typed; what was timed under others counts no more.
async fn put_pace(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<TypedLimits>,
) -> Result<Json<PaceView>, ApiError> {
    let before = app
        .read(move |store| Ok(Pace::of(store, Some(id))?.limits))
        .await?;
    let speed = number_or("speed", &body.speed, [1.0, 2_000.0])?;
    let look_ahead = number_or("look_ahead", &body.look_ahead, [2.0, 10_000.0])?;
    let limits = Limits {
        accel_mm_s2: number_or("accel", &body.accel, [10.0, 100_000.0])?
            .unwrap_or(Limits::default().accel_mm_s2),
        travel_accel_mm_s2: number_or("travel_accel", &body.travel_accel, [10.0, 100_000.0])?,
        max_speed_mm_s: AxisLimits {
            x: speed,
            y: speed,
            z: number_or("speed_z", &body.speed_z, [0.1, 500.0])?,
            e: before.max_speed_mm_s.e,
        },
        junction_mm: number_or("junction", &body.junction, [0.0, 2.0])?.or(before.junction_mm),
        flow_limit_mm3_s: number_or("flow_limit", &body.flow_limit, [0.1, 500.0])?,
        // OK because the bounds above are far below the largest number.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        look_ahead: look_ahead.map(|n| n as usize),
        ..before
    };
    kept(&app, id, &limits, "typed").await
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/pace/read", params(("id" = i64, Path)),
    responses((status = 200, body = PaceView), (status = 409, body = Problem), (status = 422, body = Problem), (status = 502, body = Problem)))]
/// Reads a connected printer's limits out of its settings report.
async fn read_pace(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<PaceView>, ApiError> {
    let text = read_settings_text(&app.live.link(id)?).await?;
    let limits = Limits::reported(&read_settings(&text)).ok_or_else(|| {
        values(
            "accel",
            "The printer’s report says nothing of acceleration (M204). Type its limits.",
        )
    })?;
    let before = app
        .read(move |store| Ok(Pace::of(store, Some(id))?.limits))
        .await?;
    // What no report tells stays as it was typed.
    let limits = Limits {
        flow_limit_mm3_s: before.flow_limit_mm3_s,
        look_ahead: before.look_ahead,
        filament_mm: before.filament_mm,
        ..limits
    };
    kept(&app, id, &limits, "report").await
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(pace, put_pace))
        .routes(routes!(read_pace))
}
