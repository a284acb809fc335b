//! Sliced parts compared, and what another bore would do.

use axum::Json;
use axum::extract::State;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::stations::flow::density_g_cm3;
use wattotherm_measure::entry::Entry as Typed;
use wattotherm_toolpath::{Bead, BoreEstimate, Bores, NewBore, compare_bores, estimate_bore};

use super::{ForPrinter, look, options};
use crate::body::{Body, Path, Query};
use crate::error::{ApiError, Problem};
use crate::printing::{Pace, broke_off};
use crate::state::App;
use crate::typed::{number, number_or, values};

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
    let (_asks, wanted) = app.readings.begin(Some(id), a.bytes.max(b.bytes), 2);
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
    let (_asks, wanted) = app.readings.begin(Some(id), p.bytes, 2);
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

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(beside))
        .routes(routes!(bore))
}
