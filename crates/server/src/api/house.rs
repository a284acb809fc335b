//! House rules.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::chain::CellOverride;
use wattotherm_job::house::{Choice, House, OwnStep, RULES, RuleId, TOLERANCES, ToleranceId};
use wattotherm_measure::entry::Entry;
use wattotherm_measure::{Instrument, Pen};

use crate::body::{Body, Path};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::state::App;

/// A rule as it is in force.
#[derive(Serialize, ToSchema)]
pub struct RuleInForce {
    /// Which rule.
    pub id: RuleId,
    /// Option in force.
    pub option: String,
    /// Why.
    pub reason: String,
    /// Whether the shop chose it.
    pub own: bool,
}

/// A tolerance as it is in force.
#[derive(Serialize, ToSchema)]
pub struct ToleranceInForce {
    /// Which tolerance.
    pub id: ToleranceId,
    /// Value, in the unit in which it is kept.
    pub value: f64,
    /// The same as a number in the unit of the shop.
    pub shown: String,
}

/// House rules in force.
#[derive(Serialize, ToSchema)]
pub struct HousePage {
    /// Every rule.
    pub rules: Vec<RuleInForce>,
    /// Every tolerance.
    pub tolerances: Vec<ToleranceInForce>,
    /// Instruments.
    pub instruments: Vec<Instrument>,
    /// The shop's cells of the chain's first table.
    pub cells: Vec<CellOverride>,
    /// Steps of the shop's own.
    pub own_steps: Vec<OwnStep>,
    /// Units in which the shop is shown its numbers.
    pub units: Pen,
}

/// A tolerance to set.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewTolerance {
    /// Value; without a unit behind it, in the one in which it is kept.
    pub value: Entry,
}

fn page(house: House) -> HousePage {
    HousePage {
        rules: RULES
            .iter()
            .map(|r| RuleInForce {
                id: r.id,
                option: house.option(r.id).id.into(),
                reason: house.reason(r.id),
                own: house.choices.contains_key(&r.id),
            })
            .collect(),
        tolerances: TOLERANCES
            .iter()
            .map(|t| ToleranceInForce {
                id: t.id,
                value: house.tolerance(t.id),
                shown: house.pen.plain_number(house.tolerance(t.id), t.unit, 4),
            })
            .collect(),
        instruments: house.instruments,
        cells: house.cells,
        own_steps: house.own_steps,
        units: house.pen,
    }
}

#[utoipa::path(get, path = "/api/v1/house", responses((status = 200, body = HousePage)))]
/// The house rules: choices, tolerances, instruments, cells.
async fn house(State(app): State<App>) -> Result<Json<HousePage>, ApiError> {
    Ok(Json(page(app.read(|s| Ok(s.house()?)).await?)))
}

fn id_of<T: serde::de::DeserializeOwned>(what: &str, id: &str) -> Result<T, ApiError> {
    serde_json::from_value(serde_json::Value::String(id.into()))
        .map_err(|_| ApiError::NotFound(format!("There is no such {what}.")))
}

#[utoipa::path(put, path = "/api/v1/house/rules/{rule}", params(("rule" = String, Path)), request_body = Choice,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Answers one question of the house rules.
async fn choose(
    State(app): State<App>,
    Path(rule): Path<String>,
    Body(choice): Body<Choice>,
) -> Result<StatusCode, ApiError> {
    let rule: RuleId = id_of("house rule", &rule)?;
    if choice.reason.chars().count() > 400 {
        return Err(ApiError::Values {
            field: "reason",
            message: "Say it in at most 400 characters.".into(),
        });
    }
    app.with(move |s| Ok(s.choose(rule, &choice, &now())?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(put, path = "/api/v1/house/tolerances/{id}", params(("id" = String, Path)), request_body = NewTolerance,
    responses((status = 200, body = ToleranceInForce), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Sets a tolerance of the shop.
async fn tolerance(
    State(app): State<App>,
    Path(id): Path<String>,
    Body(new): Body<NewTolerance>,
) -> Result<Json<ToleranceInForce>, ApiError> {
    let id: ToleranceId = id_of("tolerance", &id)?;
    let spec = id.spec();
    let Some(value) = new.value.parse(spec.unit).filter(|v| v.is_finite()) else {
        let pen = app.read(|s| Ok(s.house()?.pen)).await?;
        return Err(ApiError::Values {
            field: "value",
            message: format!(
                "{}: “{}” is not a number. Type {} to {}.",
                spec.label,
                new.value.shown(),
                pen.plain_number(spec.min, spec.unit, 4),
                pen.plain(spec.max, spec.unit, 4)
            ),
        });
    };
    let pen = app
        .with(move |s| {
            s.set_tolerance(id, value, &now())?;
            Ok(s.house()?.pen)
        })
        .await?;
    Ok(Json(ToleranceInForce {
        id,
        value,
        shown: pen.plain_number(value, spec.unit, 4),
    }))
}

#[utoipa::path(put, path = "/api/v1/house/instruments/{id}", params(("id" = String, Path)), request_body = Instrument,
    responses((status = 204), (status = 422, body = Problem)))]
/// Changes an instrument of the shop.
async fn instrument(
    State(app): State<App>,
    Path(id): Path<String>,
    Body(new): Body<Instrument>,
) -> Result<StatusCode, ApiError> {
    if id != new.id
        || new.id.is_empty()
        || new.id.len() > 40
        || new.name.trim().is_empty()
        || new.name.chars().count() > 60
    {
        return Err(ApiError::Values {
            field: "name",
            message: "Type the instrument’s name, 1 to 60 characters.".into(),
        });
    }
    app.with(move |s| Ok(s.set_instrument(&new, &now())?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(put, path = "/api/v1/house/cells", request_body = CellOverride,
    responses((status = 204), (status = 422, body = Problem)))]
/// Changes a cell of the chain for this shop, or sets it back.
async fn cell(
    State(app): State<App>,
    Body(new): Body<CellOverride>,
) -> Result<StatusCode, ApiError> {
    app.with(move |s| Ok(s.set_cell(&new, &now())?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(put, path = "/api/v1/house/units", request_body = Pen,
    responses((status = 204), (status = 400, body = Problem)))]
/// Chooses the units in which numbers are shown: °C or °F, millimetres or inches.
async fn units(State(app): State<App>, Body(pen): Body<Pen>) -> Result<StatusCode, ApiError> {
    app.with(move |s| Ok(s.set_units(pen, &now())?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(put, path = "/api/v1/house/steps", request_body = OwnStep,
    responses((status = 204), (status = 422, body = Problem)))]
/// Adds a step of the shop's own to a list, or puts it in the place of one of its steps.
async fn own_step(
    State(app): State<App>,
    Body(step): Body<OwnStep>,
) -> Result<StatusCode, ApiError> {
    step.checked()
        .map_err(|(field, message)| ApiError::Values { field, message })?;
    app.with(move |s| Ok(s.set_own_step(&step, &now())?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(delete, path = "/api/v1/house/steps/{list}/{id}", params(("list" = String, Path), ("id" = String, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
/// Takes a step of the shop's own away again; the list is as it was delivered there.
async fn no_own_step(
    State(app): State<App>,
    Path((list, id)): Path<(String, String)>,
) -> Result<StatusCode, ApiError> {
    app.with(move |s| Ok(s.drop_own_step(&list, &id, &now())?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(units))
        .routes(routes!(house))
        .routes(routes!(choose))
        .routes(routes!(tolerance))
        .routes(routes!(instrument))
        .routes(routes!(cell))
        .routes(routes!(own_step))
        .routes(routes!(no_own_step))
}
