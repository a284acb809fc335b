//! Names that never change while the server runs.

use axum::Json;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::chain::{Strength, default_cell};
use wattotherm_job::house::{RULES, RuleSpec, TOLERANCES, ToleranceSpec};
use wattotherm_printer::{Parameter, Part, Replacement};

use crate::state::App;

/// A way in which a part can have been replaced.
#[derive(Serialize, ToSchema)]
pub struct ReplacementName {
    /// Id.
    pub id: Replacement,
    /// Name, e.g. "nozzle, other bore".
    pub label: &'static str,
    /// What the trade's table says, a cell a parameter.
    pub cells: Vec<Option<Strength>>,
}

/// A part.
#[derive(Serialize, ToSchema)]
pub struct PartName {
    /// Id.
    pub id: Part,
    /// Name.
    pub label: &'static str,
    /// Ways of replacing it, the usual one first.
    pub replacements: Vec<ReplacementName>,
}

/// A parameter.
#[derive(Serialize, ToSchema)]
pub struct ParameterName {
    /// Id.
    pub id: Parameter,
    /// Name.
    pub label: &'static str,
    /// Unit of its value.
    pub unit: &'static str,
    /// Whether it belongs to a filament.
    pub per_filament: bool,
}

/// Parts, parameters, questions.
#[derive(Serialize, ToSchema)]
pub struct Catalogue {
    /// Parts.
    pub parts: Vec<PartName>,
    /// Parameters in the order of work.
    pub parameters: Vec<ParameterName>,
    /// House rules with their schools.
    pub rules: Vec<RuleSpec>,
    /// Tolerances with their bounds.
    pub tolerances: Vec<ToleranceSpec>,
}

#[utoipa::path(get, path = "/api/v1/catalogue", responses((status = 200, body = Catalogue)))]
/// The words of the trade: parts, replacements, parameters, for forms and names.
async fn catalogue() -> Json<Catalogue> {
    let replacement = |r: Replacement| ReplacementName {
        id: r,
        label: r.label(),
        cells: Parameter::ALL
            .into_iter()
            .map(|p| default_cell(r, p))
            .collect(),
    };
    Json(Catalogue {
        parts: Part::ALL
            .into_iter()
            .map(|p| PartName {
                id: p,
                label: p.label(),
                replacements: p.replacements().into_iter().map(replacement).collect(),
            })
            .collect(),
        parameters: Parameter::ALL
            .into_iter()
            .map(|p| ParameterName {
                id: p,
                label: p.label(),
                unit: p.unit().symbol(),
                per_filament: p.per_filament(),
            })
            .collect(),
        rules: RULES.to_vec(),
        tolerances: TOLERANCES.to_vec(),
    })
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(catalogue))
}
