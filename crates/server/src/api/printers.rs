//! Printers, their parts and values, and the bench.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_heat::{sensor_ids, sensor_options};
use wattotherm_job::chain::{ARROWS, default_cell};
use wattotherm_job::effects::effects_of_edit;
use wattotherm_job::route::{LineState, Stop};
use wattotherm_measure::Pen;
use wattotherm_measure::entry::Entry;
use wattotherm_printer::{
    FACT_FIELDS, FactFieldShown, Fitted, Parameter, Part, PrinterFacts, Replacement, read_fields,
    typed_in,
};
use wattotherm_store::{
    Filament, Fitting, Job, NewFilament, NewPrinter, NewSetting, Printer, Setting, StaleMark,
};

use crate::body::{Body, Path};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::state::{App, traveller_of};

/// A printer on the bench.
#[derive(Serialize, ToSchema)]
pub struct BenchRow {
    /// The printer.
    pub printer: Printer,
    /// Its open job.
    pub job: Option<Job>,
    /// What it waits for, one sentence.
    pub waits_for: String,
    /// Key of the station to work on now.
    pub now_key: Option<String>,
    /// Stations closed and all, for a tally.
    pub closed: usize,
    /// All stations not released.
    pub all: usize,
}

/// The bench.
#[derive(Serialize, ToSchema)]
pub struct Bench {
    /// What to do now, one sentence.
    pub now: String,
    /// The row it speaks of.
    pub now_printer: Option<i64>,
    /// All printers in the shop.
    pub rows: Vec<BenchRow>,
    /// Those that were taken out of it.
    pub retired: Vec<Printer>,
}

/// One parameter as a link of a printer's chain.
#[derive(Serialize, ToSchema)]
pub struct ChainLink {
    /// Which parameter.
    pub parameter: Parameter,
    /// Name.
    pub label: String,
    /// Values in force, with unit; one a filament.
    pub values: Vec<String>,
    /// Whether the link holds.
    pub state: ChainState,
    /// Why, one sentence.
    pub reason: String,
    /// Parameters it rests on.
    pub rests_on: Vec<Parameter>,
    /// Names of the parts it rests on.
    pub parts: Vec<&'static str>,
}

/// Whether a link holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ChainState {
    /// Calibrated and untouched since.
    Holds,
    /// To be worked through in the open job.
    Open,
    /// Opens only if something moves.
    Conditional,
    /// In doubt for a filament that was not worked through.
    InDoubt,
    /// No value noted yet.
    NeverSet,
}

/// A printer with its histories.
#[derive(Serialize, ToSchema)]
pub struct PrinterPage {
    /// The printer.
    pub printer: Printer,
    /// Its open job.
    pub job: Option<Job>,
    /// Its parts over time.
    pub fittings: Vec<Fitting>,
    /// Its values over time.
    pub settings: Vec<Setting>,
    /// Values in doubt.
    pub stale: Vec<StaleMark>,
    /// Its chain.
    pub chain: Vec<ChainLink>,
    /// Filaments by id, for names.
    pub filaments: Vec<Filament>,
    /// What is known of it, as its form has it.
    pub typed: BTreeMap<String, String>,
}

/// What was made.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct Made {
    /// Its id.
    pub id: i64,
}

#[utoipa::path(get, path = "/api/v1/bench", responses((status = 200, body = Bench)))]
/// Every printer in the shop, what it waits for, and what to do now.
async fn bench(State(app): State<App>) -> Result<Json<Bench>, ApiError> {
    let bench = app
        .read(|store| {
            let jobs = store.open_jobs()?;
            let mut rows = Vec::new();
            let mut retired = Vec::new();
            for printer in store.printers()? {
                if printer.retired_at.is_some() {
                    retired.push(printer);
                    continue;
                }
                let job = jobs.iter().find(|j| j.printer_id == printer.id).cloned();
                let mut row = BenchRow {
                    printer,
                    job: None,
                    waits_for: "Nothing to do.".into(),
                    now_key: None,
                    closed: 0,
                    all: 0,
                };
                if let Some(job) = job {
                    let card = traveller_of(store, &job)?;
                    let counted = card.lines.iter().filter(|l| l.state != LineState::Released);
                    row.all = counted.clone().count();
                    row.closed = counted.filter(|l| l.state == LineState::Closed).count();
                    let line = card
                        .now
                        .as_ref()
                        .and_then(|k| card.lines.iter().find(|l| l.key == *k));
                    row.waits_for = match line {
                        Some(l) if l.state == LineState::Stopped => format!(
                            "Stopped at {}: {}.",
                            l.title,
                            l.cause.as_deref().unwrap_or(&l.line)
                        ),
                        Some(l) => format!("Next: {}.", l.title),
                        None => "Nothing to do.".into(),
                    };
                    row.now_key = card.now;
                    row.job = Some(job);
                }
                rows.push(row);
            }
            // The oldest open job first: it has waited longest.
            let next = rows
                .iter()
                .filter(|r| r.now_key.is_some())
                .min_by_key(|r| r.job.as_ref().map_or(i64::MAX, |j| j.id));
            let (now, now_printer) = match next {
                Some(r) => (
                    format!("{}: {}", r.printer.name, r.waits_for),
                    Some(r.printer.id),
                ),
                None if rows.is_empty() => ("Add your first printer.".into(), None),
                None => (
                    "No job is open. Start one when a part was replaced.".into(),
                    None,
                ),
            };
            Ok(Bench {
                now,
                now_printer,
                rows,
                retired,
            })
        })
        .await?;
    Ok(Json(bench))
}

#[utoipa::path(post, path = "/api/v1/printers", request_body = NewPrinter,
    responses((status = 201, body = Made), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Adds a printer of which all facts are known as numbers.
async fn add_printer(
    State(app): State<App>,
    Body(new): Body<NewPrinter>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    new.check()?;
    let id = app.with(move |s| Ok(s.add_printer(&new, &now())?)).await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

/// A printer as typed: blank fields are not known.
#[derive(Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TypedPrinter {
    /// Name in the shop.
    pub name: String,
    /// Kind in words.
    pub kind: String,
    /// What is typed, by the path of the field.
    #[serde(default)]
    pub fields: BTreeMap<String, Entry>,
    /// Paths of unusual values that were confirmed.
    #[serde(default)]
    pub confirmed: Vec<String>,
}

impl TypedPrinter {
    /// The printer and what is fitted to it.
    fn read(&self, pen: Pen) -> Result<(NewPrinter, Vec<Fitted>), ApiError> {
        let new = NewPrinter {
            name: self.name.trim().to_owned(),
            kind: self.kind.trim().to_owned(),
            facts: PrinterFacts::default(),
            invented: false,
        };
        new.check()?;
        let fitted = read_fields(&FACT_FIELDS, &self.fields, &self.confirmed, &sensor_ids())
            .map_err(|e| ApiError::Evaluate(e.into(), pen))?;
        Ok((new, fitted))
    }
}

#[utoipa::path(get, path = "/api/v1/printer-fields", responses((status = 200, body = Vec<FactFieldShown>)))]
/// The form of a printer: every fact with its unit, its choices and where to find it.
async fn printer_fields(State(app): State<App>) -> Result<Json<Vec<FactFieldShown>>, ApiError> {
    let pen = app.read(|s| Ok(s.house()?.pen)).await?;
    let sensors = sensor_options();
    Ok(Json(
        FACT_FIELDS
            .iter()
            .map(|f| f.shown(false, &sensors, pen))
            .collect(),
    ))
}

#[utoipa::path(post, path = "/api/v1/printers/typed", request_body = TypedPrinter,
    responses((status = 201, body = Made), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Adds a printer from its form.
async fn add_typed(
    State(app): State<App>,
    Body(typed): Body<TypedPrinter>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    let pen = app.read(|s| Ok(s.house()?.pen)).await?;
    let (new, fitted) = typed.read(pen)?;
    let id = app
        .with(move |s| Ok(s.add_printer_with(&new, &fitted, &now())?))
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

#[utoipa::path(put, path = "/api/v1/printers/{id}", params(("id" = i64, Path)), request_body = TypedPrinter,
    responses((status = 204), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Renames a printer or puts right what is known of it.
async fn edit_printer(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(typed): Body<TypedPrinter>,
) -> Result<StatusCode, ApiError> {
    app.with(move |s| {
        s.printer(id)?;
        let house = s.house()?;
        let (new, told) = typed.read(house.pen)?;
        let effects = effects_of_edit(&s.fitted(id)?, &told, &house);
        Ok(s.edit_printer(id, &new.name, &new.kind, &effects, &now())?)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Whether a printer is in the shop.
#[derive(Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Retire {
    /// Out of the shop, or back in.
    pub retired: bool,
}

#[utoipa::path(put, path = "/api/v1/printers/{id}/retired", params(("id" = i64, Path)), request_body = Retire,
    responses((status = 204), (status = 404, body = Problem), (status = 409, body = Problem)))]
/// Takes a printer out of the shop, or back in; its history stays.
async fn retire(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<Retire>,
) -> Result<StatusCode, ApiError> {
    if body.retired && app.live.ids().contains(&id) {
        return Err(ApiError::Conflict(
            "It is connected. Disconnect it first, then retire it.".into(),
        ));
    }
    app.with(move |s| Ok(s.retire_printer(id, body.retired, &now())?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(get, path = "/api/v1/printers/{id}", params(("id" = i64, Path)),
    responses((status = 200, body = PrinterPage), (status = 404, body = Problem)))]
/// A printer with its parts and values over time and its chain.
async fn printer(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<PrinterPage>, ApiError> {
    let page = app
        .with(move |store| {
            let printer = store.printer(id)?;
            let job = store.open_job_of(id)?;
            let (settings, stale) = (store.settings(id)?, store.stale(id)?);
            let filaments = store.filaments()?;
            let pen = store.house()?.pen;
            let card = job.as_ref().map(|j| traveller_of(store, j)).transpose()?;
            let chain = Parameter::ALL
                .into_iter()
                .filter(|p| *p != Parameter::OffsetXy || printer.facts.nozzles > 1)
                .map(|p| link(p, pen, &settings, &stale, &filaments, card.as_ref()))
                .collect();
            Ok(PrinterPage {
                typed: typed_in(&store.fitted(id)?, pen),
                fittings: store.fittings(id)?,
                printer,
                job,
                settings,
                stale,
                chain,
                filaments,
            })
        })
        .await?;
    Ok(Json(page))
}

fn link(
    p: Parameter,
    pen: Pen,
    settings: &[Setting],
    stale: &[StaleMark],
    filaments: &[Filament],
    card: Option<&wattotherm_job::route::Traveller>,
) -> ChainLink {
    let values: Vec<String> = settings
        .iter()
        .filter(|s| s.parameter == p && s.until_at.is_none())
        .map(|s| {
            let value = s.value.map_or_else(
                || s.value_text.clone().unwrap_or_default(),
                |v| pen.plain(v, p.unit(), 3),
            );
            match s
                .filament_id
                .and_then(|f| filaments.iter().find(|x| x.id == f))
            {
                Some(f) => format!("{}: {value}", f.name),
                None => value,
            }
        })
        .collect();
    let line = card.and_then(|c| {
        c.lines.iter().find(|l| {
            matches!(l.key.parse(), Ok(Stop::Parameter(q, _)) if q == p)
                && l.state != LineState::Closed
        })
    });
    let doubt = stale.iter().find(|s| s.parameter == p);
    let (state, reason) = match (line, doubt) {
        (Some(l), _) if matches!(l.state, LineState::Open | LineState::Stopped) => {
            (ChainState::Open, l.reason.clone())
        }
        (Some(l), _) if l.state == LineState::Conditional => {
            (ChainState::Conditional, l.reason.clone())
        }
        (_, Some(d)) => (
            ChainState::InDoubt,
            format!("{}: in doubt, since {}.", p.label(), d.clause),
        ),
        _ if values.is_empty() => (
            ChainState::NeverSet,
            format!("{}: no value noted yet.", p.label()),
        ),
        _ => (ChainState::Holds, format!("{}: holds.", p.label())),
    };
    let parts = Part::ALL
        .into_iter()
        .filter(|part| {
            Replacement::ALL
                .into_iter()
                .any(|r| r.part() == *part && default_cell(r, p).is_some())
        })
        .map(Part::label)
        .collect();
    ChainLink {
        parameter: p,
        label: p.label().into(),
        values,
        state,
        reason,
        rests_on: ARROWS
            .iter()
            .filter(|a| a.downstream == p)
            .map(|a| a.upstream)
            .collect(),
        parts,
    }
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/settings", params(("id" = i64, Path)), request_body = NewSetting,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Notes a value that was not found in a job, such as one read off the printer.
async fn put_setting(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(new): Body<NewSetting>,
) -> Result<StatusCode, ApiError> {
    let bad = |field, message: &str| {
        Err(ApiError::Values {
            field,
            message: message.into(),
        })
    };
    if new.value.is_none() && new.value_text.as_ref().is_none_or(|t| t.trim().is_empty()) {
        return bad("value", "Type the value.");
    }
    if new.value.is_some_and(|v| !v.is_finite() || v.abs() > 1e6)
        || new
            .value_text
            .as_ref()
            .is_some_and(|t| t.chars().count() > 120)
    {
        return bad(
            "value",
            "That can't be a setting. Type a value the printer could have.",
        );
    }
    if new.parameter.per_filament() != new.filament_id.is_some() {
        return bad(
            "filament_id",
            "Name the filament for filament values, and none for machine values.",
        );
    }
    app.with(move |s| Ok(s.put_setting(id, &new, &now())?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(get, path = "/api/v1/filaments", responses((status = 200, body = Vec<Filament>)))]
/// All filaments by name.
async fn filaments(State(app): State<App>) -> Result<Json<Vec<Filament>>, ApiError> {
    Ok(Json(app.with(|s| Ok(s.filaments()?)).await?))
}

#[utoipa::path(post, path = "/api/v1/filaments", request_body = NewFilament,
    responses((status = 201, body = Made), (status = 422, body = Problem)))]
/// Adds a filament, or finds it by its name.
async fn add_filament(
    State(app): State<App>,
    Body(new): Body<NewFilament>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    new.check()?;
    let id = app.with(move |s| Ok(s.add_filament(&new)?)).await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(bench))
        .routes(routes!(add_printer))
        .routes(routes!(add_typed))
        .routes(routes!(printer_fields))
        .routes(routes!(printer, edit_printer))
        .routes(routes!(retire))
        .routes(routes!(put_setting))
        .routes(routes!(filaments, add_filament))
}
