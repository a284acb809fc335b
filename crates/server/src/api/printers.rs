//! Printers, their parts and values, and the bench.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::chain::{ARROWS, default_cell};
use wattotherm_job::route::{LineState, Stop};
use wattotherm_measure::text::{plain, spaced};
use wattotherm_printer::{Parameter, Part, Replacement};
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
    /// All printers.
    pub rows: Vec<BenchRow>,
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
    pub state: LinkState,
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
pub enum LinkState {
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
}

/// What was made.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct Made {
    /// Its id.
    pub id: i64,
}

#[utoipa::path(get, path = "/api/v1/bench", responses((status = 200, body = Bench)))]
async fn bench(State(app): State<App>) -> Result<Json<Bench>, ApiError> {
    let bench = app
        .with(|store| {
            let jobs = store.jobs()?;
            let mut rows = Vec::new();
            for printer in store.printers()? {
                let job = jobs
                    .iter()
                    .find(|j| j.printer_id == printer.id && j.finished_at.is_none())
                    .cloned();
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
                            l.line.trim_start_matches("stopped: ")
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
            })
        })
        .await?;
    Ok(Json(bench))
}

#[utoipa::path(post, path = "/api/v1/printers", request_body = NewPrinter,
    responses((status = 201, body = Made), (status = 409, body = Problem), (status = 422, body = Problem)))]
async fn add_printer(
    State(app): State<App>,
    Body(new): Body<NewPrinter>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    new.check()?;
    let id = app.with(move |s| Ok(s.add_printer(&new, &now())?)).await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

#[utoipa::path(get, path = "/api/v1/printers/{id}", params(("id" = i64, Path)),
    responses((status = 200, body = PrinterPage), (status = 404, body = Problem)))]
async fn printer(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<PrinterPage>, ApiError> {
    let page = app
        .with(move |store| {
            let printer = store.printer(id)?;
            let job = store
                .jobs()?
                .into_iter()
                .find(|j| j.printer_id == id && j.finished_at.is_none());
            let (settings, stale) = (store.settings(id)?, store.stale(id)?);
            let filaments = store.filaments()?;
            let card = job.as_ref().map(|j| traveller_of(store, j)).transpose()?;
            let chain = Parameter::ALL
                .into_iter()
                .filter(|p| *p != Parameter::OffsetXy || printer.facts.nozzles > 1)
                .map(|p| link(p, &settings, &stale, &filaments, card.as_ref()))
                .collect();
            Ok(PrinterPage {
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
                |v| format!("{}{}", plain(v, 3), spaced(p.unit())),
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
            (LinkState::Open, l.reason.clone())
        }
        (Some(l), _) if l.state == LineState::Conditional => {
            (LinkState::Conditional, l.reason.clone())
        }
        (_, Some(d)) => (
            LinkState::InDoubt,
            format!("{}: in doubt, since {}.", p.label(), d.clause),
        ),
        _ if values.is_empty() => (
            LinkState::NeverSet,
            format!("{}: no value noted yet.", p.label()),
        ),
        _ => (LinkState::Holds, format!("{}: holds.", p.label())),
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
async fn filaments(State(app): State<App>) -> Result<Json<Vec<Filament>>, ApiError> {
    Ok(Json(app.with(|s| Ok(s.filaments()?)).await?))
}

#[utoipa::path(post, path = "/api/v1/filaments", request_body = NewFilament,
    responses((status = 201, body = Made), (status = 422, body = Problem)))]
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
        .routes(routes!(printer))
        .routes(routes!(put_setting))
        .routes(routes!(filaments, add_filament))
}
