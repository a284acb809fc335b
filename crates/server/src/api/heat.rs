//! Temperature logs, sensor tables, and what tuning rules would do.

use std::io::Read as _;

use axum::Json;
use axum::extract::State;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_gcode::{AutotuneReport, Heater};
use wattotherm_heat::{
    ControllerKind, DutyScale, Gains, GainsRun, HeaterTrace, HoldResult, LoopScript,
    PhysicalLimits, Plant, RULE_RUN_STEP_S, ReadAs, RuleRun, SENSOR_TYPES, SETTLE_BAND_C, Sample,
    SensorType, Taken, TemperatureUnit, TimeUnit, Trace, TraceDiagnostic, TraceKind, TraceReading,
    Trial, TuneResult, TuningRule, Ultimate, WrongTypePoint, hold_result, identify, read_class,
    read_class_of, read_trace, read_trace_as, safest, sensor_type, thinned, tune_result,
    wrong_type_curve,
};
use wattotherm_job::house::ToleranceId;
use wattotherm_measure::entry::Entry as Typed;
use wattotherm_measure::text::capital;
use wattotherm_measure::{Pen, Unit};
use wattotherm_printer::HotEndMass;
use wattotherm_store::{Files, NewTrace, Source, StoreError, TraceHead};

use crate::body::{Body, Path, Query};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::state::App;
use crate::typed::quantity_or;

/// Points of a log on a screen.
const MOST_POINTS: usize = 900;

/// Sensor kinds to choose from.
#[utoipa::path(get, path = "/api/v1/heat/sensors", responses((status = 200, body = Vec<SensorType>)))]
async fn sensors() -> Json<Vec<SensorType>> {
    Json(SENSOR_TYPES.to_vec())
}

/// Two sensor kinds.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct TwoTypes {
    /// Fitted, by id.
    pub fitted: String,
    /// Set in the firmware, by id.
    pub set: String,
}

#[utoipa::path(get, path = "/api/v1/heat/wrong-type", params(TwoTypes),
    responses((status = 200, body = Vec<WrongTypePoint>), (status = 404, body = Problem)))]
/// What a printer would show with another sensor than the one it is set to.
async fn wrong_type(Query(q): Query<TwoTypes>) -> Result<Json<Vec<WrongTypePoint>>, ApiError> {
    let table = |id: &str| {
        sensor_type(id)
            .map(|s| s.table)
            .ok_or_else(|| ApiError::NotFound("There is no such sensor type.".into()))
    };
    Ok(Json(wrong_type_curve(&table(&q.fitted)?, &table(&q.set)?)))
}

/// A plant to simulate on.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RulesBody {
    /// The plant.
    pub plant: Plant,
    /// Ultimate gain and period, where a relay test gave them.
    #[serde(default)]
    pub ultimate: Option<Ultimate>,
    /// Target [°C].
    pub target_c: f64,
    /// Gains set now, as `P 22.40 I 1.32 D 95.00`: simulated too.
    #[serde(default)]
    pub set: Option<String>,
    /// Number of the kept log that the plant is from: what else it allows is tried too.
    #[serde(default)]
    pub trace: Option<i64>,
    /// How the printer's controller goes about a step.
    #[serde(default)]
    pub controller: ControllerKind,
}

/// All rules, simulated.
#[derive(Serialize, ToSchema)]
pub struct RulesAnswer {
    /// Time between two points [s].
    pub step_s: f64,
    /// One a rule.
    pub runs: Vec<RuleRun>,
    /// The rule that is best where it is worst, over all plants that the log allows; none where none keeps its
    /// margins and the house's overshoot on all of them.
    pub safest: Option<TuningRule>,
    /// Plants that the log allows, tried for every rule; 0 where they aren't known.
    pub plants: u32,
    /// The gains set now; none where they were not given or don't read.
    pub set: Option<GainsRun>,
    /// When the part fan starts [s].
    pub fan_at_s: f64,
    /// Half width of the band about the target that counts as settled [°C].
    pub band_c: f64,
}

#[utoipa::path(post, path = "/api/v1/heat/rules", request_body = RulesBody,
    responses((status = 200, body = RulesAnswer), (status = 422, body = Problem)))]
/// Simulates every tuning rule on the hot ends that a log allows.
async fn rules(
    State(app): State<App>,
    Body(body): Body<RulesBody>,
) -> Result<Json<RulesAnswer>, ApiError> {
    let plant = body.plant.checked().map_err(|e| ApiError::Values {
        field: "plant",
        message: format!("This can’t be a plant: {e}."),
    })?;
    if !(40.0..=500.0).contains(&body.target_c) {
        return Err(ApiError::Values {
            field: "target_c",
            message: "Type a target of 40 to 500 °C.".into(),
        });
    }
    let trace = body.trace;
    let (log, most) = app
        .read(move |store| {
            let log = trace.map(|id| store.trace(id)).transpose()?;
            let house = store.house()?;
            Ok((
                log.map(|l| l.1),
                house.tolerance(ToleranceId::LoopOvershootC),
            ))
        })
        .await?;
    let answer = tokio::task::spawn_blocking(move || {
        let ensemble = log
            .and_then(|log| identify(&log, body.target_c).ok())
            .map(|i| i.ensemble)
            .unwrap_or_default();
        let trial = Trial {
            plant: &plant,
            ensemble: &ensemble,
            target_c: body.target_c,
            controller: body.controller,
        };
        let runs = trial.compare(body.ultimate);
        RulesAnswer {
            step_s: RULE_RUN_STEP_S,
            safest: safest(&runs, most),
            plants: u32::try_from(ensemble.len()).unwrap_or(u32::MAX),
            runs,
            set: body
                .set
                .as_deref()
                .and_then(Gains::from_text)
                .map(|g| trial.run(g)),
            fan_at_s: LoopScript::usual(body.target_c).fan_at_s,
            band_c: SETTLE_BAND_C,
        }
    })
    .await
    .map_err(|_| ApiError::Internal)?;
    Ok(Json(answer))
}

/// A log as a page shows it.
#[derive(Serialize, ToSchema)]
pub struct TraceView {
    /// Where it is kept; none for a file that was only read.
    pub kept: Option<TraceHead>,
    /// Samples, thinned for a screen with every peak kept.
    pub samples: Vec<Sample>,
    /// How many there are in all.
    pub all: usize,
    /// Length [s].
    pub span_s: f64,
    /// Half width of the band about the target that counts as settled [°C].
    pub band_c: f64,
    /// What it shows.
    pub reading: TraceReading,
    /// What kind of file it was; none for one that is kept.
    pub file_kind: Option<TraceKind>,
    /// What it was taken for; none for one that is kept.
    pub taken: Option<Taken>,
    /// Whose log it is.
    pub of: String,
    /// The other heaters of the file that were heated, each judged by itself.
    pub others: Vec<OtherHeater>,
    /// What was made of the file.
    pub notes: Vec<String>,
    /// Lines that didn't read, the first few.
    pub diagnostics: Vec<TraceDiagnostic>,
    /// As a hold test, where that was asked for.
    pub hold: Option<HoldResult>,
    /// As an autotune, where that was asked for.
    pub tune: Option<TuneResult>,
}

/// Another heater of a log.
#[derive(Serialize, ToSchema)]
pub struct OtherHeater {
    /// Whose log it is.
    pub of: String,
    /// Samples, thinned for a screen with every peak kept.
    pub samples: Vec<Sample>,
    /// What it shows.
    pub reading: TraceReading,
}

/// Nozzles are told apart where a log has another than the first.
const SEVERAL: usize = 2;

fn other(log: &HeaterTrace, pen: Pen) -> OtherHeater {
    OtherHeater {
        of: capital(&log.heater.says(SEVERAL)),
        samples: thinned(&log.trace.samples, MOST_POINTS),
        reading: read_class_of(log.heater, &log.trace).worded(pen),
    }
}

fn view(heater: Heater, trace: &Trace, mass: Option<HotEndMass>, pen: Pen) -> TraceView {
    let reading = match (heater, mass) {
        (Heater::Tool(_), Some(mass)) => read_class(trace, &limits_of(mass)),
        _ => read_class_of(heater, trace),
    };
    let tools = if heater == Heater::Tool(0) {
        1
    } else {
        SEVERAL
    };
    TraceView {
        kept: None,
        samples: thinned(&trace.samples, MOST_POINTS),
        all: trace.samples.len(),
        span_s: trace.span_s(),
        band_c: SETTLE_BAND_C,
        reading: reading.worded(pen),
        file_kind: None,
        taken: None,
        of: capital(&heater.says(tools)),
        others: Vec::new(),
        notes: Vec::new(),
        diagnostics: Vec::new(),
        hold: None,
        tune: None,
    }
}

/// What a block of this mass can do: the general bounds, scaled by its heat capacity.
fn limits_of(mass: HotEndMass) -> PhysicalLimits {
    let any = PhysicalLimits::default();
    let times = mass.capacity_j_k() / HotEndMass::Light.capacity_j_k();
    PhysicalLimits {
        heat_c_s: any.heat_c_s / times,
        cool_tau_s: any.cool_tau_s * times,
        ..any
    }
}

#[utoipa::path(get, path = "/api/v1/traces/{id}", params(("id" = i64, Path)),
    responses((status = 200, body = TraceView), (status = 404, body = Problem)))]
/// One temperature log with its reading.
async fn trace(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<TraceView>, ApiError> {
    let shown = app
        .read(move |store| {
            let (head, trace) = store.trace(id)?;
            let pen = store.house()?.pen;
            Ok(TraceView {
                kept: Some(head),
                ..view(Heater::Tool(0), &trace, None, pen)
            })
        })
        .await?;
    Ok(Json(shown))
}

#[utoipa::path(get, path = "/api/v1/printers/{id}/traces", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<TraceHead>), (status = 404, body = Problem)))]
/// Temperature logs that are kept of a printer.
async fn traces(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<Vec<TraceHead>>, ApiError> {
    let all = app
        .read(move |store| {
            store.printer(id)?;
            Ok(store.traces(id)?)
        })
        .await?;
    Ok(Json(all))
}

/// Logs that are listed without their printer.
const NEWEST_LOGS: u32 = 12;

#[utoipa::path(get, path = "/api/v1/traces", responses((status = 200, body = Vec<TraceHead>)))]
/// The newest temperature logs that are kept, of all printers.
async fn newest_traces(State(app): State<App>) -> Result<Json<Vec<TraceHead>>, ApiError> {
    Ok(Json(
        app.read(|store| Ok(store.newest_traces(NEWEST_LOGS)?))
            .await?,
    ))
}

/// A log that nobody recorded: made by the simulated printer with a sensor that sits loose.
const EXAMPLE_LOG: &str = include_str!("../../assets/example-log.csv");

#[utoipa::path(get, path = "/api/v1/traces/example", responses((status = 200, body = TraceView)))]
/// An invented temperature log with its reading, to see what one is for and how a file looks.
async fn example_trace(State(app): State<App>) -> Result<Json<TraceView>, ApiError> {
    let pen = app.pen().await?;
    let file = read_trace(EXAMPLE_LOG);
    Ok(Json(view(file.heater, &file.trace, None, pen)))
}

#[utoipa::path(get, path = "/api/v1/traces/example.csv",
    responses((status = 200, content_type = "text/csv", body = String)))]
/// The file of the invented log.
async fn example_file() -> ([(&'static str, &'static str); 2], &'static str) {
    (
        [
            ("content-type", "text/csv; charset=utf-8"),
            (
                "content-disposition",
                "attachment; filename=\"example-log.csv\"",
            ),
        ],
        EXAMPLE_LOG,
    )
}

/// A log file to read.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReadTraceBody {
    /// The file that was sent, by its name among the files: CSV of time, temperature, target, duty, or a
    /// saved serial log.
    pub file: String,
    /// What it was called where it came from.
    #[serde(default)]
    pub name: String,
    /// How heavy the heater block is, where it is known.
    #[serde(default)]
    pub mass: Option<HotEndMass>,
    /// Keep it with this printer.
    #[serde(default)]
    pub printer_id: Option<i64>,
    /// … and this job.
    #[serde(default)]
    pub job_id: Option<i64>,
    /// Read it as a hold test or an autotune at this target [°C].
    #[serde(default)]
    pub target_c: Option<f64>,
    /// Read it as an autotune rather than a hold test.
    #[serde(default)]
    pub autotune: bool,
    /// What it is to be taken for; blank: what it suggests.
    #[serde(default)]
    pub read_as: TypedReadAs,
    /// Number of the log that it was kept as when it was read before.
    #[serde(default)]
    pub kept: Option<i64>,
}

/// What a log is to be taken for, as it was typed.
#[derive(Default, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct TypedReadAs {
    /// Unit of temperatures and targets.
    pub temperatures: Option<TemperatureUnit>,
    /// Unit of times that are plain numbers.
    pub times: Option<TimeUnit>,
    /// From one report to the next, in a log without a clock.
    #[schema(value_type = String)]
    pub every: Typed,
    /// What duty is counted in.
    pub duty: Option<DutyScale>,
    /// Target of a log that has none.
    #[schema(value_type = String)]
    pub target: Typed,
}

impl TypedReadAs {
    /// What it says, and a target [°C].
    fn read(&self, pen: Pen) -> Result<(ReadAs, Option<f64>), ApiError> {
        let every_s = quantity_or("every", &self.every, Unit::Second, ReadAs::EVERY_S, pen)?;
        let target_c = quantity_or("target", &self.target, Unit::Celsius, TARGETS_C, pen)?;
        let read_as = ReadAs {
            temperatures: self.temperatures,
            times: self.times,
            every_s,
            duty: self.duty,
        };
        Ok((read_as, target_c))
    }
}

/// What a heater, a bed too, is ever set to [°C]. Common practice, no published source.
const TARGETS_C: [f64; 2] = [30.0, 500.0];

#[utoipa::path(post, path = "/api/v1/traces/read", request_body = ReadTraceBody,
    responses((status = 200, body = TraceView), (status = 404, body = Problem), (status = 413, body = Problem), (status = 422, body = Problem)))]
/// Reads a temperature log from a file and says what it shows.
async fn read_file(
    State(app): State<App>,
    Body(body): Body<ReadTraceBody>,
) -> Result<Json<TraceView>, ApiError> {
    let files = app.files.clone();
    let pen = app.pen().await?;
    let (trace, mut shown, body) = tokio::task::spawn_blocking(move || {
        let (read_as, typed_target) = body.read_as.read(pen)?;
        let mut file = read_trace_as(&text_of(&files, &body.file)?, &read_as);
        let mut trace = std::mem::take(&mut file.trace);
        if let Some(target) = typed_target.or(body.target_c)
            && file.taken.no_target
        {
            trace = trace.with_target(target);
            file.notes.push(format!(
                "The log has no target: {} is taken.",
                pen.plain(target, Unit::Celsius, 1)
            ));
        }
        if trace.samples.len() < 2 {
            let first = file.diagnostics.first().map_or_else(
                || "it holds no line with a time and a temperature".to_owned(),
                |d| format!("line {}, column {}: {}", d.line, d.column, d.says),
            );
            return Err(ApiError::Values {
                field: "file",
                message: format!(
                    "No temperatures were found in this file: {first}. Give a CSV with a heading line (time, temperature, target, duty), or a saved serial log with T: reports."
                ),
            });
        }
        let nozzle = matches!(file.heater, Heater::Tool(_));
        if body.target_c.is_some() && !nozzle {
            return Err(ApiError::Values {
                field: "file",
                message: format!(
                    "In this log only {} is heated. Give a log in which the nozzle heats up and holds.",
                    file.heater.says(1)
                ),
            });
        }
        let mut body = body;
        if body.printer_id.is_some() && !nozzle {
            // A kept log is a nozzle's: another one would be judged as one when it is looked at again.
            body.printer_id = None;
            file.notes.push("Only logs in which a nozzle is heated are kept with a printer: this one was read.".into());
        }
        let mut shown = view(file.heater, &trace, body.mass, pen);
        shown.others = file.others.iter().map(|log| other(log, pen)).collect();
        shown.file_kind = Some(file.kind);
        shown.taken = Some(file.taken);
        shown.notes = file.notes;
        shown.diagnostics = file.diagnostics.into_iter().take(20).collect();
        let limits = body.mass.map_or_else(PhysicalLimits::default, limits_of);
        if let Some(target) = body.target_c {
            if body.autotune {
                let none = AutotuneReport::default();
                let mut tune = tune_result(&trace, target, 0.0, &none, &limits);
                tune.reading = tune.reading.worded(pen);
                shown.tune = Some(tune);
            } else {
                let mut hold = hold_result(&trace, target, &limits);
                hold.reading = hold.reading.worded(pen);
                shown.hold = Some(hold);
            }
        }
        Ok((trace, shown, body))
    })
    .await
    .map_err(|_| ApiError::Internal)??;
    if let Some(printer_id) = body.printer_id {
        let (job_id, target_c, kept) = (body.job_id, body.target_c, body.kept);
        let name: String = match body.name.trim() {
            "" => "log".into(),
            name => name.chars().take(120).collect(),
        };
        let head = app
            .with(move |store| {
                store.printer(printer_id)?;
                let new = NewTrace {
                    printer_id,
                    job_id,
                    kind: "file",
                    target_c,
                    trace: &trace,
                    source: Some(Source {
                        sha256: &body.file,
                        name: &name,
                    }),
                };
                let id = match kept {
                    Some(kept) => store.keep_trace_again(kept, &new, &now())?,
                    None => store.keep_trace(&new, &now())?,
                };
                Ok(store.trace(id)?.0)
            })
            .await?;
        for result in [
            shown.hold.as_mut().map(|h| &mut h.trace),
            shown.tune.as_mut().map(|t| &mut t.trace),
        ]
        .into_iter()
        .flatten()
        {
            *result = Some(head.id);
        }
        shown.kept = Some(head);
    }
    Ok(Json(shown))
}

/// The text of a file that was sent. A log of another encoding than UTF-8 is read as far as it is plain.
fn text_of(files: &Files, sha256: &str) -> Result<String, ApiError> {
    let mut bytes = Vec::new();
    files
        .open(sha256)?
        .take(MOST_LOG_BYTES)
        .read_to_end(&mut bytes)
        .map_err(StoreError::from)?;
    if bytes.len() as u64 == MOST_LOG_BYTES {
        return Err(ApiError::Values {
            field: "file",
            message: format!(
                "This file is larger than {} MB. Give the part of the log that matters.",
                MOST_LOG_BYTES / 1_000_000
            ),
        });
    }
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// Largest log that is read [bytes]: a day at four samples a second has half of it.
const MOST_LOG_BYTES: u64 = 32_000_000;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(sensors))
        .routes(routes!(wrong_type))
        .routes(routes!(rules))
        .routes(routes!(trace))
        .routes(routes!(traces))
        .routes(routes!(newest_traces))
        .routes(routes!(example_trace))
        .routes(routes!(example_file))
        .routes(routes!(read_file))
}
