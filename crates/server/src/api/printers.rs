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
use wattotherm_job::effects::effects_of_edit;
use wattotherm_job::{ChainLink, Desk, Waits, due_by_age, what_now};
use wattotherm_measure::entry::Entry;
use wattotherm_measure::{Pen, Unit};
use wattotherm_printer::{
    FACT_FIELDS, FactFieldShown, Fitted, Parameter, PrinterFacts, read_fields, typed_in,
};
use wattotherm_store::{
    ChangedAt, Filament, Fitting, Job, NewFilament, NewPrinter, NewSetting, Photo, Printer,
    Setting, StaleMark,
};

use crate::body::{Body, Path};
use crate::error::{ApiError, Problem};
use crate::moment::{days_since, now};
use crate::state::{App, traveller_of};

/// A printer on the bench.
#[derive(Serialize, ToSchema)]
pub struct BenchRow {
    /// The printer.
    pub printer: Printer,
    /// Its open job.
    pub job: Option<Job>,
    /// Its open case: something is wrong, and the cause is looked for.
    pub case: Option<i64>,
    /// What it waits for.
    #[serde(flatten)]
    pub waits: Waits,
}

/// A case that somebody asks about again.
#[derive(Serialize, ToSchema)]
pub struct AskAgain {
    /// Its number.
    pub case: i64,
    /// The printer's name.
    pub printer: String,
    /// What was said of it.
    pub sentence: String,
    /// The day, e.g. 2026-12-03.
    pub day: String,
    /// Whether that day has come.
    pub due: bool,
}

/// The bench.
#[derive(Serialize, ToSchema)]
pub struct Bench {
    /// What to do now, one sentence.
    pub now: String,
    /// The row it speaks of.
    pub now_printer: Option<i64>,
    /// Cases that somebody asks about again.
    pub ask_again: Vec<AskAgain>,
    /// All printers in the shop.
    pub rows: Vec<BenchRow>,
    /// Those that were taken out of it.
    pub retired: Vec<Printer>,
}

/// A value with the words for it.
#[derive(Serialize, ToSchema)]
pub struct SettingShown {
    /// The value.
    #[serde(flatten)]
    pub setting: Setting,
    /// As the shop reads it, with its unit.
    pub shown: String,
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
    /// What of its parts is due, a sentence each.
    pub due: Vec<String>,
    /// Parts that the open job replaced, by name.
    pub replaced: Vec<&'static str>,
    /// Its values over time.
    pub settings: Vec<SettingShown>,
    /// Values in doubt.
    pub stale: Vec<StaleMark>,
    /// What isn't as it belongs.
    pub changed: Vec<ChangedAt>,
    /// Its chain.
    pub chain: Vec<ChainLink>,
    /// The newest pictures of its jobs.
    pub photos: Vec<PhotoOfJob>,
    /// Filaments by id, for names.
    pub filaments: Vec<Filament>,
    /// What is known of it, as its form has it.
    pub typed: BTreeMap<String, String>,
}

/// A picture with the job that it belongs to.
#[derive(Serialize, ToSchema)]
pub struct PhotoOfJob {
    /// The job.
    pub job_id: i64,
    /// The picture.
    pub photo: Photo,
}

/// Pictures that a printer's page shows.
const SHOWN_PHOTOS: u32 = 12;

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
            let cases = store.cases_to_watch()?;
            let mut rows = Vec::new();
            let mut retired = Vec::new();
            for printer in store.printers()? {
                if printer.retired_at.is_some() {
                    retired.push(printer);
                    continue;
                }
                let job = jobs.iter().find(|j| j.printer_id == printer.id).cloned();
                let waits = match &job {
                    Some(job) => Waits::of(&traveller_of(store, job)?),
                    None => Waits::without_job(
                        &store
                            .stale(printer.id)?
                            .iter()
                            .map(|mark| mark.parameter)
                            .collect(),
                    ),
                };
                rows.push(BenchRow {
                    case: cases
                        .iter()
                        .find(|c| c.ended_at.is_none() && c.printer_id == printer.id)
                        .map(|c| c.id),
                    printer,
                    job,
                    waits,
                });
            }
            let desks: Vec<Desk<'_>> = rows
                .iter()
                .map(|r| Desk {
                    printer: &r.printer.name,
                    job: r.job.as_ref().map(|j| j.id),
                    waits: &r.waits,
                })
                .collect();
            let today = now();
            let (now, row) = what_now(&desks);
            let now_printer = row.map(|i| rows[i].printer.id);
            Ok(Bench {
                now,
                now_printer,
                ask_again: cases
                    .iter()
                    .filter_map(|c| {
                        let day = c.follow_up.clone()?;
                        let row = rows.iter().find(|r| r.printer.id == c.printer_id)?;
                        Some(AskAgain {
                            case: c.id,
                            due: day.as_str() <= &today[..10],
                            day,
                            printer: row.printer.name.clone(),
                            sentence: c.sentence.clone(),
                        })
                    })
                    .collect(),
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
        .read(move |store| {
            let printer = store.printer(id)?;
            let job = store.open_job_of(id)?;
            let (settings, stale) = (store.settings(id)?, store.stale(id)?);
            let filaments = store.filaments()?;
            let house = store.house()?;
            let pen = house.pen;
            let fittings = store.fittings(id)?;
            let due = fittings
                .iter()
                .filter(|f| f.until_at.is_none())
                .filter_map(|f| due_by_age(&house, f.part, days_since(&f.from_at)))
                .collect();
            let card = job.as_ref().map(|j| traveller_of(store, j)).transpose()?;
            let chain = Parameter::ALL
                .iter()
                .copied()
                .filter(|p| *p != Parameter::OffsetXy || printer.facts.nozzles > 1)
                .map(|p| {
                    let values = values_of(p, pen, &settings, &filaments);
                    let doubt = stale.iter().find(|s| s.parameter == p);
                    ChainLink::new(p, values, doubt.map(|d| d.clause.as_str()), card.as_ref())
                })
                .collect();
            let settings = settings
                .into_iter()
                .map(|setting| SettingShown {
                    shown: value_of(&setting, pen),
                    setting,
                })
                .collect();
            Ok(PrinterPage {
                replaced: job.as_ref().map_or_else(Vec::new, |j| {
                    j.replaced.iter().map(|r| r.part().label()).collect()
                }),
                typed: typed_in(&store.fitted(id)?, pen),
                fittings,
                due,
                printer,
                job,
                settings,
                stale,
                changed: store.changed(id, None)?,
                photos: store
                    .photos_of_printer(id, SHOWN_PHOTOS)?
                    .into_iter()
                    .map(|(job_id, photo)| PhotoOfJob { job_id, photo })
                    .collect(),
                chain,
                filaments,
            })
        })
        .await?;
    Ok(Json(page))
}

/// A value as the shop reads it.
fn value_of(s: &Setting, pen: Pen) -> String {
    s.value.map_or_else(
        || s.value_text.clone().unwrap_or_default(),
        |v| pen.plain(v, s.parameter.unit(), 3),
    )
}

/// Values in force of a parameter, as the page says them: one a filament.
fn values_of(p: Parameter, pen: Pen, settings: &[Setting], filaments: &[Filament]) -> Vec<String> {
    let in_force = settings
        .iter()
        .filter(|s| s.parameter == p && s.until_at.is_none());
    in_force
        .map(|s| {
            let value = value_of(s, pen);
            let filament = s
                .filament_id
                .and_then(|f| filaments.iter().find(|x| x.id == f));
            match filament {
                Some(f) => format!("{}: {value}", f.name),
                None => value,
            }
        })
        .collect()
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
            "That can’t be a setting. Type a value the printer could have.",
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

/// A value as typed: with a unit behind it, or in the parameter's.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TypedSetting {
    /// Which parameter.
    pub parameter: Parameter,
    /// Its filament; none for machine parameters.
    #[serde(default)]
    pub filament_id: Option<i64>,
    /// The value.
    pub value: Entry,
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/values", params(("id" = i64, Path)), request_body = TypedSetting,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Notes a value that was typed by hand, such as one read off the printer.
async fn type_setting(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(typed): Body<TypedSetting>,
) -> Result<StatusCode, ApiError> {
    let unit = typed.parameter.unit();
    let mut new = NewSetting {
        parameter: typed.parameter,
        filament_id: typed.filament_id,
        value: None,
        value_text: None,
        expanded: None,
    };
    if unit == Unit::One {
        new.value_text = Some(typed.value.shown());
    } else {
        new.value = typed.value.parse(unit);
        if new.value.is_none() {
            let pen = app.read(|s| Ok(s.house()?.pen)).await?;
            return Err(ApiError::Values {
                field: "value",
                message: format!(
                    "{}: “{}” is not a number. Type it in {}.",
                    typed.parameter.label(),
                    typed.value.shown(),
                    pen.symbol(unit)
                ),
            });
        }
    }
    put_setting(State(app), Path(id), Body(new)).await
}

#[utoipa::path(get, path = "/api/v1/filaments", responses((status = 200, body = Vec<Filament>)))]
/// All filaments by name.
async fn filaments(State(app): State<App>) -> Result<Json<Vec<Filament>>, ApiError> {
    Ok(Json(app.read(|s| Ok(s.filaments()?)).await?))
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
        .routes(routes!(type_setting))
        .routes(routes!(filaments, add_filament))
}
