//! What is wrong with it: cases, what is told of them, and what follows from a proven cause.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_diagnosis::{Action, Answer, Entry, From, SHIPPED};
use wattotherm_heat::{PhysicalLimits, TraceClass, read_class};
use wattotherm_measure::entry::Entry as Typed;
use wattotherm_measure::{Pen, Unit};
use wattotherm_printer::Replacement;
use wattotherm_store::{CaseEnd, FaultCase, NewCase, Store};

use super::files::in_pieces;
use super::printers::Made;
use crate::body::{Body, Path, Query};
use crate::cases::earlier::is_back;
use crate::cases::evidence;
use crate::cases::job::open_or_extend;
use crate::cases::shown::CasePage;
use crate::cases::{Gathered, HOUR, gather, outcome_word};
use crate::error::{ApiError, Problem};
use crate::help_pack::help_pack;
use crate::moment::now;
use crate::state::App;
use crate::typed::values;

fn short(field: &'static str, text: &str, most: usize) -> Result<(), ApiError> {
    if text.chars().count() > most {
        return Err(values(
            field,
            format!("Say it in at most {most} characters."),
        ));
    }
    Ok(())
}

#[utoipa::path(post, path = "/api/v1/cases", request_body = NewCase,
    responses((status = 201, body = Made), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Begins a case: something is wrong with a printer. Of one printer one case is open at a time.
async fn begin(
    State(app): State<App>,
    Body(mut new): Body<NewCase>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    new.sentence = new.sentence.trim().to_owned();
    short("sentence", &new.sentence, 2000)?;
    short("who", &new.who, 80)?;
    let id = app
        .with(move |s| {
            // What was told at the job's start is told.
            if let Some(job) = new.job_id {
                let job = s.job(job)?;
                if new.sentence.is_empty() {
                    new.sentence = job.complaint;
                }
                if new.who.is_empty() {
                    new.who = job.technician;
                }
            }
            let known = known_from(s, &new)?;
            let id = s.begin_case(&new, &now())?;
            if !known.is_empty() {
                s.tell_case(&s.fault_case(id)?, &known, &[], &now())?;
            }
            Ok(id)
        })
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

/// What the stop or the log that leads to a case has shown.
fn known_from(store: &Store, new: &NewCase) -> Result<Vec<Entry>, ApiError> {
    let mut known = Vec::new();
    if let (Some(job), Some(stop)) = (new.job_id, &new.stop) {
        let closings = store.closings(job)?;
        let last = closings.iter().rev().find(|c| c.stop == *stop);
        if let Some(cause) = last.and_then(|c| c.finding.facts.cause) {
            known.extend(evidence::of_cause(cause));
        }
    }
    if let Some(trace) = new.trace {
        let class = log_class(store, new.printer_id, trace)?;
        known.extend(evidence::of_class(class, false, From::Log));
    }
    Ok(known)
}

/// What a heat log of a printer shows.
fn log_class(store: &Store, printer_id: i64, trace: i64) -> Result<TraceClass, ApiError> {
    let (head, trace) = store.trace(trace)?;
    if head.printer_id != printer_id {
        return Err(values("trace", "That log is of another printer."));
    }
    Ok(read_class(&trace, &PhysicalLimits::default()).class)
}

/// A heat log to be read.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LogOfCase {
    /// Its number.
    pub trace: i64,
    /// The head was moved by hand while it was logged.
    #[serde(default)]
    pub moved: bool,
}

#[utoipa::path(post, path = "/api/v1/cases/{id}/log", params(("id" = i64, Path)), request_body = LogOfCase,
    responses((status = 200, body = CasePage), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Takes what a heat log of the printer shows as evidence. A log that can't say adds nothing.
async fn take_log(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<LogOfCase>,
) -> Result<Json<CasePage>, ApiError> {
    let page = app
        .with(move |store| {
            let case = store.fault_case(id)?;
            let class = log_class(store, case.printer_id, body.trace)?;
            let entries = evidence::of_class(class, body.moved, From::Printer);
            if entries.is_empty() {
                return Err(values(
                    "trace",
                    format!(
                        "The log shows: {}. That tells nothing of this check; answer it by eye.",
                        class.label()
                    ),
                ));
            }
            store.tell_case(&case, &entries, &[], &now())?;
            gather(store, id)?.page(store)
        })
        .await?;
    Ok(Json(page))
}

/// Cases that somebody has an eye on.
#[derive(Serialize, ToSchema)]
pub struct Cases {
    /// Those that are open, or are to be asked about again.
    pub watched: Vec<FaultCase>,
    /// Those whose cause is known.
    pub proven: Vec<FaultCase>,
    /// Names of causes by id.
    pub causes: BTreeMap<&'static str, &'static str>,
}

#[utoipa::path(get, path = "/api/v1/cases", responses((status = 200, body = Cases)))]
/// Cases that are open or to be asked about again, and those whose cause is known.
async fn list(State(app): State<App>) -> Result<Json<Cases>, ApiError> {
    let all = app
        .read(|s| {
            Ok(Cases {
                watched: s.cases_to_watch()?,
                proven: s.proven_cases()?,
                causes: SHIPPED.causes.iter().map(|c| (c.id, c.label)).collect(),
            })
        })
        .await?;
    Ok(Json(all))
}

#[utoipa::path(get, path = "/api/v1/cases/{id}", params(("id" = i64, Path)),
    responses((status = 200, body = CasePage), (status = 404, body = Problem)))]
/// A case: what is known, what to do next, what is believed.
async fn page(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<CasePage>, ApiError> {
    Ok(Json(app.read(move |s| gather(s, id)?.page(s)).await?))
}

/// A reading as it was typed.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TypedReading {
    /// Which observation, by id.
    pub observation: String,
    /// What was read, with a unit behind it or in the shop's own.
    pub value: Typed,
}

/// What is told of a case at once.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Telling {
    /// Entries, in their order.
    #[serde(default)]
    pub entries: Vec<Entry>,
    /// Readings as they were typed.
    #[serde(default)]
    pub typed: Vec<TypedReading>,
}

/// A typed reading as an entry.
fn read(typed: &TypedReading, store: &Store) -> Result<Entry, ApiError> {
    let known = SHIPPED.observation_named(&typed.observation);
    let reads = known
        .and_then(|o| o.reads)
        .ok_or_else(|| values("typed", "Answer this one with yes or no."))?;
    let pen = store.house()?.pen;
    let value = typed.value.parse(reads.unit).ok_or_else(|| {
        values(
            "typed",
            format!(
                "“{}” is no number. Type it in {}.",
                typed.value.shown(),
                pen.symbol(reads.unit)
            ),
        )
    })?;
    let [least, most] = reads.bounds;
    if !(least..=most).contains(&value) {
        return Err(values(
            "typed",
            format!(
                "{} can’t be meant: type {} to {}.",
                pen.plain(value, reads.unit, 2),
                pen.plain(least, reads.unit, 0),
                pen.plain(most, reads.unit, 0)
            ),
        ));
    }
    Ok(Entry::Seen {
        observation: typed.observation.clone(),
        answer: Answer::Number(value),
        from: From::Seen,
    })
}

/// What of an entry belongs into the logbook: what was tried, and what was passed over.
fn line_of(id: i64, entry: &Entry) -> Option<String> {
    let does = |a: &str| Pen::METRIC.text(SHIPPED.action_named(a).map_or("", |x| x.does));
    match entry {
        Entry::Tried {
            action,
            outcome,
            reason,
            ..
        } => {
            let more = if reason.is_empty() {
                String::new()
            } else {
                format!("; {reason}")
            };
            let plain = does(action);
            Some(format!(
                "Case {id}: {plain} {}{more}",
                outcome_word(*outcome)
            ))
        }
        Entry::PassedOver { action, reason } => Some(format!(
            "Case {id}: passed over “{}”; {reason}",
            does(action)
        )),
        _ => None,
    }
}

#[utoipa::path(post, path = "/api/v1/cases/{id}/entries", params(("id" = i64, Path)), request_body = Telling,
    responses((status = 200, body = CasePage), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Tells what was seen, tried, passed over or taken back. The page follows.
async fn tell(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(mut telling): Body<Telling>,
) -> Result<Json<CasePage>, ApiError> {
    if telling.entries.len() + telling.typed.len() > 100 {
        return Err(values("entries", "A hundred entries at once are enough."));
    }
    for entry in &telling.entries {
        entry
            .check(&SHIPPED)
            .map_err(|e| values("entries", e.message))?;
    }
    let page = app
        .with(move |store| {
            for typed in &telling.typed {
                telling.entries.push(read(typed, store)?);
            }
            let case = store.fault_case(id)?;
            let before = gather(store, id)?;
            for entry in &telling.entries {
                may_try(&before, entry)?;
            }
            let lines: Vec<String> = telling
                .entries
                .iter()
                .filter_map(|e| line_of(id, e))
                .collect();
            store.tell_case(&case, &telling.entries, &lines, &now())?;
            gather(store, id)?.page(store)
        })
        .await?;
    Ok(Json(page))
}

/// Climbing past a milder rung asks for a reason.
fn may_try(known: &Gathered, entry: &Entry) -> Result<(), ApiError> {
    let Entry::Tried { action, reason, .. } = entry else {
        return Ok(());
    };
    let again = known.told.tried.iter().any(|t| t.action == *action);
    if !reason.trim().is_empty() || again {
        return Ok(());
    }
    match known.milder(action).first() {
        Some(does) => Err(values(
            "reason",
            format!("A milder way wasn’t tried: “{does}” Say why it is left out."),
        )),
        None => Ok(()),
    }
}

/// A remedy by its id.
fn remedy_named(id: &str) -> Result<&'static Action, ApiError> {
    SHIPPED
        .action_named(id)
        .filter(|a| !a.mends().is_empty())
        .ok_or_else(|| values("by", "There is no such remedy. The list has them all."))
}

/// How a case ends.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EndCase {
    /// How; none opens it again.
    pub how: Option<CaseEnd>,
    /// The cause that was proven, by id.
    #[serde(default)]
    pub cause: Option<String>,
    /// The action by which it is mended, by id; its parts and values go onto the job.
    #[serde(default)]
    pub by: Option<String>,
    /// Whether the shop's weights learn from it.
    #[serde(default)]
    pub counts: bool,
    /// Whether a job is opened, or the printer's open one extended.
    #[serde(default)]
    pub job: bool,
    /// Filaments to work through, by number; for a job that is opened.
    #[serde(default)]
    pub filament_ids: Vec<i64>,
}

/// What came of it.
#[derive(Serialize, ToSchema)]
pub struct CaseEnded {
    /// The job that was opened or extended.
    pub job: Option<i64>,
}

#[utoipa::path(post, path = "/api/v1/cases/{id}/end", params(("id" = i64, Path)), request_body = EndCase,
    responses((status = 200, body = CaseEnded), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Ends a case, with its job's parts and values filled in; or opens it again.
async fn end(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(end): Body<EndCase>,
) -> Result<Json<CaseEnded>, ApiError> {
    let ended = app
        .with(move |store| {
            let case = store.fault_case(id)?;
            let Some(how) = end.how else {
                if case.ended_at.is_none() {
                    return Err(ApiError::Conflict("This case is open already.".into()));
                }
                store.end_case(&case, None, &format!("Case {id} goes on"), &now())?;
                return Ok(CaseEnded { job: None });
            };
            if case.ended_at.is_some() {
                return Err(ApiError::Conflict("This case is over already.".into()));
            }
            let label = match (how, &end.cause) {
                (CaseEnd::Proven, Some(cause)) => SHIPPED
                    .cause_named(cause)
                    .filter(|c| c.id != "none")
                    .map(|c| c.label)
                    .ok_or_else(|| {
                        values("cause", "There is no such cause. The list has them all.")
                    })?,
                (CaseEnd::Proven, None) => return Err(values("cause", "Say which cause it was.")),
                _ => "",
            };
            let by = end.by.as_deref().map(remedy_named).transpose()?;
            let job = match by.filter(|_| end.job) {
                Some(action) => open_or_extend(store, &case, action, label, &end.filament_ids)?,
                None => None,
            };
            let text = match how {
                CaseEnd::Proven => format!("Case {id}: it is the {label}"),
                CaseEnd::NothingFound => format!("Case {id}: nothing found"),
                CaseEnd::GivenUp => format!("Case {id}: given up"),
            };
            let case = store.fault_case(id)?;
            let cause = end.cause.as_deref().filter(|_| how == CaseEnd::Proven);
            let counts = end.counts && how == CaseEnd::Proven;
            store.end_case(&case, Some((how, cause, counts)), &text, &now())?;
            Ok(CaseEnded { job })
        })
        .await?;
    Ok(Json(ended))
}

/// What is to be mended by a job, before it is proven.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct JobForCase {
    /// The remedy, by the id of its action.
    pub by: String,
    /// Filaments to work through, by number; for a job that is opened.
    #[serde(default)]
    pub filament_ids: Vec<i64>,
}

#[utoipa::path(post, path = "/api/v1/cases/{id}/job", params(("id" = i64, Path)), request_body = JobForCase,
    responses((status = 200, body = CaseEnded), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Opens a job for a remedy, or extends the open one; the case goes on until it is known whether it helped.
async fn job_for(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<JobForCase>,
) -> Result<Json<CaseEnded>, ApiError> {
    let made = app
        .with(move |store| {
            let case = store.fault_case(id)?;
            if case.ended_at.is_some() {
                return Err(ApiError::Conflict(
                    "This case is over. Open it again first.".into(),
                ));
            }
            let action = remedy_named(&body.by)?;
            let does = Pen::METRIC.text(action.does);
            let job = open_or_extend(
                store,
                &case,
                action,
                does.trim_end_matches('.'),
                &body.filament_ids,
            )?;
            Ok(CaseEnded { job })
        })
        .await?;
    Ok(Json(made))
}

/// A case kept in mind.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FollowUp {
    /// The day on which somebody asks again, e.g. 2026-12-03; none takes it off.
    pub day: Option<String>,
}

#[utoipa::path(put, path = "/api/v1/cases/{id}/follow-up", params(("id" = i64, Path)), request_body = FollowUp,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Sets the day on which somebody asks again, or takes it off.
async fn follow_up(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<FollowUp>,
) -> Result<StatusCode, ApiError> {
    let day = match body.day.as_deref().map(str::trim) {
        None | Some("") => None,
        Some(day) => Some(
            day.parse::<jiff::civil::Date>()
                .map_err(|_| {
                    values(
                        "day",
                        format!("“{day}” is no day. Type it like 2026-12-03."),
                    )
                })?
                .to_string(),
        ),
    };
    app.with(move |s| {
        let case = s.fault_case(id)?;
        Ok(s.follow_up(&case, day.as_deref(), &now())?)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Whether a case counts.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Counts {
    /// Whether the shop's weights learn from it.
    pub counts: bool,
}

#[utoipa::path(put, path = "/api/v1/cases/{id}/counts", params(("id" = i64, Path)), request_body = Counts,
    responses((status = 204), (status = 404, body = Problem), (status = 409, body = Problem)))]
/// Lets the shop's weights learn from a case, or forget it.
async fn counts(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<Counts>,
) -> Result<StatusCode, ApiError> {
    app.with(move |s| {
        let case = s.fault_case(id)?;
        if case.ended != Some(CaseEnd::Proven) {
            return Err(ApiError::Conflict(
                "Only a case whose cause was proven can count.".into(),
            ));
        }
        Ok(s.count_case(&case, body.counts, &now())?)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// An earlier case.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct BackAgain {
    /// Its number.
    pub case: i64,
}

#[utoipa::path(post, path = "/api/v1/cases/{id}/back", params(("id" = i64, Path)), request_body = BackAgain,
    responses((status = 200, body = CasePage), (status = 404, body = Problem), (status = 409, body = Problem)))]
/// Says that the complaint of an earlier case of the same job is back: what was proven then didn't hold.
async fn back_again(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<BackAgain>,
) -> Result<Json<CasePage>, ApiError> {
    let page = app
        .with(move |store| {
            let case = store.fault_case(id)?;
            if case.ended_at.is_some() {
                return Err(ApiError::Conflict(
                    "This case is over. Open it again first.".into(),
                ));
            }
            is_back(store, &case, body.case)?;
            gather(store, id)?.page(store)
        })
        .await?;
    Ok(Json(page))
}

/// A price.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Price {
    /// A replacement by id, or `hour` for an hour of hands.
    pub what: String,
    /// What it costs, as it was typed; blank takes it off.
    pub price: Typed,
}

#[utoipa::path(put, path = "/api/v1/house/prices", request_body = Price,
    responses((status = 204), (status = 422, body = Problem)))]
/// Sets what a part, or an hour of hands, costs this shop.
async fn price(State(app): State<App>, Body(body): Body<Price>) -> Result<StatusCode, ApiError> {
    if body.what != HOUR && Replacement::from_id(&body.what).is_none() {
        return Err(values(
            "what",
            "There is no such part. The list has them all.",
        ));
    }
    let price = if body.price.is_blank() {
        None
    } else {
        let typed = body.price.parse(Unit::One);
        let fits = typed.filter(|p| (0.0..=1e6).contains(p));
        Some(fits.ok_or_else(|| {
            values(
                "price",
                format!(
                    "“{}” is no price. Type 0 to 1 000 000, like 4.50.",
                    body.price.shown()
                ),
            )
        })?)
    };
    app.with(move |s| Ok(s.set_price(&body.what, price)?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What goes into a help pack.
#[derive(Deserialize, IntoParams)]
struct PackQuery {
    /// Whether names of customer and technician go along.
    #[serde(default)]
    names: bool,
}

#[utoipa::path(get, path = "/api/v1/cases/{id}/help-pack", params(("id" = i64, Path), PackQuery),
    responses((status = 200, content_type = "application/zip"), (status = 404, body = Problem)))]
/// All of a case as one zip: a readable page, JSON, pictures, settings, the record of the wire, heat logs.
async fn pack(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(q): Query<PackQuery>,
) -> Result<Response, ApiError> {
    let file = app.read(move |s| help_pack(s, id, q.names)).await?;
    Ok((
        [
            (header::CONTENT_TYPE, "application/zip".to_owned()),
            (
                header::CONTENT_DISPOSITION,
                format!("attachment; filename=\"case-{id}.zip\""),
            ),
        ],
        in_pieces(file),
    )
        .into_response())
}

/// Something that can be seen.
#[derive(Serialize, ToSchema)]
pub struct ObservationName {
    /// Id.
    pub id: &'static str,
    /// A yes in a few words.
    pub says: String,
}

#[utoipa::path(get, path = "/api/v1/observations", responses((status = 200, body = Vec<ObservationName>)))]
/// Everything that can be seen of a machine, in a few words, in the units of the shop.
async fn observations(State(app): State<App>) -> Result<Json<Vec<ObservationName>>, ApiError> {
    let pen = app.pen().await?;
    let all = SHIPPED.observations.iter();
    Ok(Json(
        all.map(|o| ObservationName {
            id: o.id,
            says: pen.text(o.says),
        })
        .collect(),
    ))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(begin, list))
        .routes(routes!(page))
        .routes(routes!(tell))
        .routes(routes!(take_log))
        .routes(routes!(end))
        .routes(routes!(job_for))
        .routes(routes!(follow_up))
        .routes(routes!(counts))
        .routes(routes!(back_again))
        .routes(routes!(price))
        .routes(routes!(pack))
        .routes(routes!(observations))
}
