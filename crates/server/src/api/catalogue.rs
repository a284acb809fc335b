//! Names that never change while the server runs.

use axum::Json;
use axum::extract::State;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::chain::{Strength, default_cell};
use wattotherm_job::house::{RULES, RuleId, RuleSpec, TOLERANCES, ToleranceId, ToleranceSpec};
use wattotherm_measure::Pen;
use wattotherm_printer::{Parameter, Part, Replacement};

use crate::error::ApiError;
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
    /// Unit in which its value is kept.
    pub unit: &'static str,
    /// Unit in which the shop reads it.
    pub symbol: &'static str,
    /// Whether it belongs to a filament.
    pub per_filament: bool,
}

/// One school of a rule.
#[derive(Serialize, ToSchema)]
pub struct SchoolShown {
    /// Identifier.
    pub id: &'static str,
    /// What one does in this school.
    pub label: String,
}

/// A question of the house rules with its schools.
#[derive(Serialize, ToSchema)]
pub struct RuleShown {
    /// Which question.
    pub id: RuleId,
    /// The question.
    pub question: &'static str,
    /// What it decides, and where.
    pub decides: &'static str,
    /// The schools, default first.
    pub options: Vec<SchoolShown>,
}

/// A tolerance with its bounds, in the units of the shop.
#[derive(Serialize, ToSchema)]
pub struct ToleranceShown {
    /// Which limit.
    pub id: ToleranceId,
    /// What it limits.
    pub label: &'static str,
    /// Symbol of the shop's unit.
    pub symbol: &'static str,
    /// Symbol of the unit in which it is kept: what a number without one is in.
    pub kept: &'static str,
    /// Bounds and default in a sentence.
    pub bounds: String,
    /// Where the default comes from.
    pub why: String,
}

/// Parts, parameters, questions.
#[derive(Serialize, ToSchema)]
pub struct Catalogue {
    /// Parts.
    pub parts: Vec<PartName>,
    /// Parameters in the order of work.
    pub parameters: Vec<ParameterName>,
    /// House rules with their schools.
    pub rules: Vec<RuleShown>,
    /// Tolerances with their bounds.
    pub tolerances: Vec<ToleranceShown>,
}

fn rule_in(rule: &RuleSpec, pen: Pen) -> RuleShown {
    RuleShown {
        id: rule.id,
        question: rule.question,
        decides: rule.decides,
        options: rule
            .options
            .iter()
            .map(|o| SchoolShown {
                id: o.id,
                label: pen.text(o.label),
            })
            .collect(),
    }
}

fn tolerance_in(t: &ToleranceSpec, pen: Pen) -> ToleranceShown {
    ToleranceShown {
        id: t.id,
        label: t.label,
        symbol: pen.symbol(t.unit),
        kept: t.unit.symbol(),
        bounds: format!(
            "{} to {}; default {}.",
            pen.plain_number(t.min, t.unit, 4),
            pen.plain(t.max, t.unit, 4),
            pen.plain_number(t.default, t.unit, 4)
        ),
        why: pen.text(t.why),
    }
}

#[utoipa::path(get, path = "/api/v1/catalogue", responses((status = 200, body = Catalogue)))]
/// The words of the trade: parts, replacements, parameters, for forms and names.
async fn catalogue(State(app): State<App>) -> Result<Json<Catalogue>, ApiError> {
    let pen = app.pen().await?;
    let replacement = |r: Replacement| ReplacementName {
        id: r,
        label: r.label(),
        cells: Parameter::ALL
            .iter()
            .copied()
            .map(|p| default_cell(r, p))
            .collect(),
    };
    Ok(Json(Catalogue {
        parts: Part::ALL
            .iter()
            .copied()
            .map(|p| PartName {
                id: p,
                label: p.label(),
                replacements: p.replacements().into_iter().map(replacement).collect(),
            })
            .collect(),
        parameters: Parameter::ALL
            .iter()
            .copied()
            .map(|p| ParameterName {
                id: p,
                label: p.label(),
                unit: p.unit().symbol(),
                symbol: pen.symbol(p.unit()),
                per_filament: p.per_filament(),
            })
            .collect(),
        rules: RULES
            .iter()
            .filter(|r| !r.decides.is_empty())
            .map(|r| rule_in(r, pen))
            .collect(),
        tolerances: TOLERANCES.iter().map(|t| tolerance_in(t, pen)).collect(),
    }))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(catalogue))
}
