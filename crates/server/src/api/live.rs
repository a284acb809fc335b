//! Connecting printers, what all pages are shown of them, and work on them.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_gcode::{Heater, Words, wanted_by};
use wattotherm_heat::{Gains, SETTLE_BAND_C, Sample, thinned};
use wattotherm_link::routines::{Written, read_settings_text, write_settings};
use wattotherm_link::{Address, BAUDS, Port, ports};
use wattotherm_store::WireLine;

use crate::body::{Body, Path, Query};
use crate::error::{ApiError, Problem};
use crate::live::{LivePrinter, RoutineKind};
use crate::state::App;
use crate::work::Order;

/// Serial ports and speeds to choose from.
#[derive(Serialize, ToSchema)]
pub struct Ports {
    /// Ports of this computer, the likely ones first.
    pub ports: Vec<Port>,
    /// Speeds that printers are set to.
    pub bauds: Vec<u32>,
}

/// Where to connect.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ConnectBody {
    /// The address.
    pub address: Address,
    /// Time between two temperature reports [s], 0.25 to 10.
    #[serde(default = "one")]
    pub report_every_s: f64,
}

const fn one() -> f64 {
    1.0
}

/// What could be said at the end.
#[derive(Serialize, ToSchema)]
pub struct Said {
    /// In a sentence.
    pub says: String,
}

/// A command to send.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SendBody {
    /// The line.
    pub line: String,
    /// Said to be meant, where the guard asked.
    #[serde(default)]
    pub confirmed: bool,
}

/// What was answered.
#[derive(Serialize, ToSchema)]
pub struct SendAnswer {
    /// Line by line.
    pub answer: Vec<String>,
    /// For a setting: what was found when it was read back.
    pub written: Option<Written>,
}

/// Setting commands to write, store and read back.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct WriteBody {
    /// The lines, at most 20.
    pub lines: Vec<String>,
}

/// A settings report.
#[derive(Serialize, ToSchema)]
pub struct ReportAnswer {
    /// The text.
    pub text: String,
    /// Gains of the nozzle's loop in it, as they are typed for output 0 to 255: P, I, D.
    pub gains: Option<[String; 3]>,
}

/// Work to start.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RoutineBody {
    /// What.
    pub kind: RoutineKind,
    /// Target [°C].
    pub target_c: f64,
    /// Length of a hold [s].
    #[serde(default = "hold_s")]
    pub seconds: f64,
    /// Swings of an autotune.
    #[serde(default = "cycles")]
    pub cycles: u32,
    /// Part fan in an autotune, 0 to 1.
    #[serde(default)]
    pub fan: f64,
    /// The job it is for.
    #[serde(default)]
    pub job: Option<i64>,
    /// Key of the job's stop.
    #[serde(default)]
    pub stop: Option<String>,
}

const fn hold_s() -> f64 {
    180.0
}
const fn cycles() -> u32 {
    6
}

/// A routine that began.
#[derive(Serialize, ToSchema)]
pub struct RoutineBegun {
    /// Its number.
    pub number: u64,
}

/// Which lines of the wire to show.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct WireQuery {
    /// Containing this text.
    pub find: Option<String>,
    /// Older than this line.
    pub before: Option<i64>,
}

/// How much of the curve to show.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct CurveQuery {
    /// Seconds back by the printer's clock, 30 to 14400.
    pub seconds: Option<f64>,
    /// Of what; the nozzle where nothing is said.
    #[param(inline)]
    pub of: Option<CurveOf>,
    /// Which of several nozzles, from 0.
    pub nozzle: Option<u8>,
}

/// What a curve is of.
#[derive(Clone, Copy, Default, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum CurveOf {
    /// A nozzle.
    #[default]
    Nozzle,
    /// The bed.
    Bed,
    /// The chamber.
    Chamber,
}

impl CurveQuery {
    fn heater(&self) -> Heater {
        match self.of.unwrap_or_default() {
            CurveOf::Nozzle => Heater::Tool(self.nozzle.unwrap_or(0)),
            CurveOf::Bed => Heater::Bed,
            CurveOf::Chamber => Heater::Chamber,
        }
    }
}

/// A connected printer's curve, thinned for a screen.
#[derive(Serialize, ToSchema)]
pub struct Curve {
    /// Samples, times counted back from now: 0 is now, -60 a minute ago.
    pub samples: Vec<Sample>,
    /// Highest target that the guard lets through [°C].
    pub ceiling_c: f64,
    /// Half width of the band about the target that counts as settled [°C].
    pub band_c: f64,
}

/// Points of a curve on a screen.
const MOST_POINTS: usize = 600;

#[utoipa::path(get, path = "/api/v1/ports", responses((status = 200, body = Ports)))]
/// Serial ports of this computer.
async fn list_ports() -> Json<Ports> {
    let found = tokio::task::spawn_blocking(ports).await.unwrap_or_default();
    Json(Ports {
        ports: found,
        bauds: BAUDS.to_vec(),
    })
}

fn checked(address: &Address) -> Result<(), ApiError> {
    let bad = |field, message: &str| {
        Err(ApiError::Values {
            field,
            message: message.into(),
        })
    };
    match address {
        Address::Serial { port, baud } => {
            if port.trim().is_empty() || port.chars().count() > 200 {
                return bad("address.port", "Choose a port, or type its name.");
            }
            if !(1_200..=2_000_000).contains(baud) {
                return bad(
                    "address.baud",
                    "Type a speed from 1200 to 2 000 000 baud; 115200 is usual.",
                );
            }
        }
        Address::Tcp { host } => {
            let port = host
                .rsplit_once(':')
                .and_then(|(_, p)| p.parse::<u16>().ok());
            if host.chars().count() > 200 || port.is_none_or(|p| p == 0) {
                return bad(
                    "address.host",
                    "Type a host and a port, for example 192.168.1.20:4871.",
                );
            }
        }
    }
    Ok(())
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/link", params(("id" = i64, Path)), request_body = ConnectBody,
    responses((status = 200, body = LivePrinter), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Connects a printer at a serial port or a network address.
async fn connect(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<ConnectBody>,
) -> Result<Json<LivePrinter>, ApiError> {
    checked(&body.address)?;
    if !(0.25..=10.0).contains(&body.report_every_s) {
        return Err(ApiError::Values {
            field: "report_every_s",
            message: "Type 0.25 to 10 s between two reports.".into(),
        });
    }
    Ok(Json(
        app.connect(id, body.address, body.report_every_s).await?,
    ))
}

#[utoipa::path(delete, path = "/api/v1/printers/{id}/link", params(("id" = i64, Path)),
    responses((status = 200, body = Said), (status = 409, body = Problem)))]
/// Disconnects a printer, heaters first.
async fn disconnect(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Said>, ApiError> {
    Ok(Json(Said {
        says: app.disconnect(id).await?,
    }))
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/stop", params(("id" = i64, Path)),
    responses((status = 202), (status = 409, body = Problem)))]
/// Emergency stop of a connected printer.
async fn stop(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.live.emergency_stop(id)?;
    Ok(StatusCode::ACCEPTED)
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/heaters-off", params(("id" = i64, Path)),
    responses((status = 202), (status = 409, body = Problem)))]
/// Sets all heaters of a connected printer to 0, past everything that waits.
async fn heaters_off(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.live.heaters_off(id)?;
    Ok(StatusCode::ACCEPTED)
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/release", params(("id" = i64, Path)),
    responses((status = 202), (status = 409, body = Problem)))]
/// Takes a halted printer back into work.
async fn release(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.live.link(id)?.release();
    Ok(StatusCode::ACCEPTED)
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/send", params(("id" = i64, Path)), request_body = SendBody,
    responses((status = 200, body = SendAnswer), (status = 409, body = Problem), (status = 422, body = Problem), (status = 502, body = Problem)))]
/// Sends one line to a connected printer, if its guard lets it through.
async fn send(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<SendBody>,
) -> Result<Json<SendAnswer>, ApiError> {
    let link = app.live.link(id)?;
    let is_set = Words::read(&body.line).is_ok_and(|w| !wanted_by(&w).is_empty());
    if is_set {
        // A setting is never only sent: it is read back, stored, and read once more.
        let written = write_settings(&link, &[body.line]).await?;
        return Ok(Json(SendAnswer {
            answer: vec![written.says.clone()],
            written: Some(written),
        }));
    }
    if let Some((heater, target_c)) = heat_of(&body.line) {
        app.note_heat(id, heater, target_c, "by hand").await?;
    }
    Ok(Json(SendAnswer {
        answer: link.send_meant(&body.line, body.confirmed).await?,
        written: None,
    }))
}

/// Heat that a typed line asks for, as far as it must be on disk before it goes out.
fn heat_of(line: &str) -> Option<(Heater, f64)> {
    let words = Words::read(line).ok()?;
    // OK because a cast saturates, and what no printer has is refused by the guard.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let tool = |letter| Heater::Tool(words.value(letter).unwrap_or(0.0) as u8);
    let heater = match words.code() {
        "M104" | "M109" => tool('T'),
        "M140" | "M190" => Heater::Bed,
        "M141" | "M191" => Heater::Chamber,
        "M303" if words.value('E').is_some_and(|e| e < 0.0) => Heater::Bed,
        "M303" => tool('E'),
        _ => return None,
    };
    let target_c = words.value('S').or(words.value('R')).unwrap_or(0.0);
    (target_c > 0.0 && target_c <= 500.0).then_some((heater, target_c))
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/write", params(("id" = i64, Path)), request_body = WriteBody,
    responses((status = 200, body = Written), (status = 409, body = Problem), (status = 422, body = Problem), (status = 502, body = Problem)))]
/// Writes values to a printer, stores them and reads them back.
async fn write(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<WriteBody>,
) -> Result<Json<Written>, ApiError> {
    if body.lines.is_empty() || body.lines.len() > 20 {
        return Err(ApiError::Values {
            field: "lines",
            message: "Write 1 to 20 commands at once.".into(),
        });
    }
    let link = app.live.link(id)?;
    // Storing and reading back belong to the writing itself.
    let own = ["M500", "M501", "M503"];
    let lines: Vec<String> = body
        .lines
        .into_iter()
        .filter(|l| !own.iter().any(|o| l.trim() == *o))
        .collect();
    Ok(Json(write_settings(&link, &lines).await?))
}

#[utoipa::path(get, path = "/api/v1/printers/{id}/report", params(("id" = i64, Path)),
    responses((status = 200, body = ReportAnswer), (status = 409, body = Problem), (status = 502, body = Problem)))]
/// Reads the settings that a connected printer has stored.
async fn report(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<ReportAnswer>, ApiError> {
    let text = read_settings_text(&app.live.link(id)?).await?;
    Ok(Json(ReportAnswer {
        gains: Gains::reported(&text).map(|g| g.typed()),
        text,
    }))
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/routine", params(("id" = i64, Path)), request_body = RoutineBody,
    responses((status = 202, body = RoutineBegun), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Starts a routine on a connected printer: hold, autotune, verify, warm or limit.
async fn routine(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<RoutineBody>,
) -> Result<(StatusCode, Json<RoutineBegun>), ApiError> {
    let bad = |field, message: String| Err(ApiError::Values { field, message });
    if !(40.0..=500.0).contains(&body.target_c) {
        return bad(
            "target_c",
            format!("{} °C is no target. Type 40 to 500 °C.", body.target_c),
        );
    }
    if !(30.0..=3_600.0).contains(&body.seconds) {
        return bad("seconds", "Hold for 30 to 3600 s.".into());
    }
    if !(3..=15).contains(&body.cycles) {
        return bad("cycles", "Run 3 to 15 swings.".into());
    }
    if !(0.0..=1.0).contains(&body.fan) {
        return bad("fan", "A fan runs from 0 to 1.".into());
    }
    if body.kind == RoutineKind::Print {
        return bad("kind", "A print begins on the page of its file.".into());
    }
    let for_stop = match (body.job, body.stop) {
        (Some(j), Some(k)) => Some((j, k)),
        _ => None,
    };
    let order = Order {
        kind: body.kind,
        target_c: body.target_c,
        seconds: body.seconds,
        cycles: body.cycles,
        fan: body.fan,
        for_stop,
    };
    let number = app.start_routine(id, order)?;
    Ok((StatusCode::ACCEPTED, Json(RoutineBegun { number })))
}

#[utoipa::path(delete, path = "/api/v1/printers/{id}/routine", params(("id" = i64, Path)),
    responses((status = 202), (status = 409, body = Problem)))]
/// Ends what runs on a printer, heater off.
async fn stop_routine(State(app): State<App>, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    app.live.link(id)?;
    app.live.stop_routine(id);
    Ok(StatusCode::ACCEPTED)
}

/// Whether a print pauses.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PauseBody {
    /// True lifts the head and waits; false goes on.
    pub pause: bool,
}

#[utoipa::path(post, path = "/api/v1/printers/{id}/pause", params(("id" = i64, Path)), request_body = PauseBody,
    responses((status = 202), (status = 409, body = Problem)))]
/// Lets a print from here pause, head lifted and heaters kept, or go on.
async fn pause(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<PauseBody>,
) -> Result<StatusCode, ApiError> {
    app.live.pause_print(id, body.pause)?;
    Ok(StatusCode::ACCEPTED)
}

#[utoipa::path(get, path = "/api/v1/printers/{id}/wire", params(("id" = i64, Path), WireQuery),
    responses((status = 200, body = Vec<WireLine>), (status = 404, body = Problem)))]
/// What was sent to a printer and answered.
async fn wire(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(query): Query<WireQuery>,
) -> Result<Json<Vec<WireLine>>, ApiError> {
    app.keep_record().await;
    let find = query.find.filter(|f| !f.trim().is_empty());
    let lines = app
        .read(move |store| {
            store.printer(id)?;
            Ok(store.wire(id, find.as_deref(), query.before)?)
        })
        .await?;
    Ok(Json(lines))
}

#[utoipa::path(get, path = "/api/v1/printers/{id}/curve", params(("id" = i64, Path), CurveQuery),
    responses((status = 200, body = Curve), (status = 409, body = Problem)))]
/// Temperatures of a connected printer over the last hours.
async fn curve(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(query): Query<CurveQuery>,
) -> Result<Json<Curve>, ApiError> {
    let link = app.live.link(id)?;
    let seconds = query.seconds.unwrap_or(600.0).clamp(30.0, 14_400.0);
    let clock_s = link.status().clock_s;
    let heater = query.heater();
    let samples = link.samples_after(heater, clock_s - seconds);
    let samples = thinned(&samples, MOST_POINTS)
        .into_iter()
        .map(|s| Sample {
            t_s: s.t_s - clock_s,
            ..s
        })
        .collect();
    // The guard's own, so that the line on the curve is the one that holds.
    let ceiling_c = app.live.limits(id).map_or(0.0, |l| l.of(heater).ceiling_c);
    Ok(Json(Curve {
        samples,
        ceiling_c,
        band_c: SETTLE_BAND_C,
    }))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list_ports))
        .routes(routes!(connect, disconnect))
        .routes(routes!(stop))
        .routes(routes!(heaters_off))
        .routes(routes!(release))
        .routes(routes!(send))
        .routes(routes!(write))
        .routes(routes!(report))
        .routes(routes!(routine, stop_routine))
        .routes(routes!(pause))
        .routes(routes!(wire))
        .routes(routes!(curve))
}
