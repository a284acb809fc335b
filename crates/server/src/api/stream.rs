//! One socket a page: pictures of all printers out, stops in.
//!
//! A socket doesn't count among the few connections that a browser opens to one place at a time, so a dozen
//! open pages leave Stop its way; and a stop takes the socket that is open already.

use std::sync::Arc;
use std::time::Duration;

use axum::Json;
use axum::extract::State;
use axum::extract::ws::{Message, Utf8Bytes, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use serde::{Deserialize, Serialize};
use tokio::sync::broadcast;
use tokio::time::{MissedTickBehavior, interval, timeout};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::live::LivePrinter;
use crate::state::App;

/// A page is told at least this often that the server is there.
const BEAT: Duration = Duration::from_secs(1);
/// A page that takes nothing for this long is gone.
const SEND_PATIENCE: Duration = Duration::from_secs(10);
/// Longest message of a page.
const MOST_BYTES: usize = 4_096;

/// What a page says.
#[derive(Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum PageSays {
    /// Emergency stop.
    Stop {
        /// The printer.
        printer: i64,
        /// The page's own number for it, given back in the answer.
        n: u64,
    },
    /// All heaters to 0.
    HeatersOff {
        /// The printer.
        printer: i64,
        /// The page's own number for it.
        n: u64,
    },
    /// Somebody does something at the page.
    Here,
}

/// What a page is told.
#[derive(Serialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[allow(dead_code)] // pictures are written as text that all pages share; this describes them
pub enum PageHears {
    /// All connected printers.
    Printers {
        /// By name.
        printers: Vec<LivePrinter>,
    },
    /// The server is there, and nothing has changed.
    Beat,
    /// Something was typed at a station, here or at another page.
    Draft {
        /// The job.
        job: i64,
        /// Key of the stop.
        stop: String,
        /// Revision of what is kept now.
        revision: u64,
    },
    /// What became of what the page said: handed to the printer's link, or why not.
    Heard {
        /// The page's own number for it.
        n: u64,
        /// Why not; none if it was handed over.
        failed: Option<String>,
    },
}

/// Upgrades to a socket that tells of all connected printers and takes stops.
#[utoipa::path(get, path = "/api/v1/live", responses(
    (status = 101, description = "A socket. It sends PageHears and takes PageSays, as JSON text.")))]
async fn live(State(app): State<App>, upgrade: WebSocketUpgrade) -> Response {
    upgrade
        .max_message_size(MOST_BYTES)
        .max_frame_size(MOST_BYTES)
        .on_upgrade(move |socket| page(app, socket))
}

#[utoipa::path(get, path = "/api/v1/live/now", responses((status = 200, body = Vec<LivePrinter>)))]
/// All connected printers, as every page is shown them.
async fn live_now(State(app): State<App>) -> Json<Vec<LivePrinter>> {
    Json(app.live.all())
}

async fn page(app: App, mut socket: WebSocket) {
    let place = app.live.pages().enter();
    let mut pictures = app.live.pictures();
    let mut drafts = app.drafts.subscribe();
    let mut beat = interval(BEAT);
    beat.set_missed_tick_behavior(MissedTickBehavior::Delay);
    let first = pictures.seen();
    if !tell(&mut socket, with_kind(&first)).await {
        return;
    }
    loop {
        let out = tokio::select! {
            biased;
            said = socket.recv() => match said {
                Some(Ok(Message::Text(text))) => match heard(&app, text.as_str()) {
                    Some(answer) => answer,
                    None => continue,
                },
                Some(Ok(Message::Close(_)) | Err(_)) | None => return,
                Some(Ok(_)) => continue,
            },
            () = place.taken_by_another() => return,
            picture = pictures.next() => match picture {
                Some(p) if !app.live.is_closing() => {
                    beat.reset();
                    with_kind(&p)
                }
                _ => return,
            },
            typed = drafts.recv() => match typed {
                Ok(news) => news.to_string(),
                // Missed news comes with the page's own next write.
                Err(broadcast::error::RecvError::Lagged(_)) => continue,
                Err(broadcast::error::RecvError::Closed) => return,
            },
            _ = beat.tick() => r#"{"kind":"beat"}"#.to_owned(),
        };
        if !tell(&mut socket, out).await {
            return;
        }
    }
}

fn with_kind(printers: &Arc<str>) -> String {
    format!(r#"{{"kind":"printers","printers":{printers}}}"#)
}

async fn tell(socket: &mut WebSocket, text: String) -> bool {
    let sending = socket.send(Message::Text(Utf8Bytes::from(text)));
    matches!(timeout(SEND_PATIENCE, sending).await, Ok(Ok(())))
}

/// Does what a page says; what to answer.
fn heard(app: &App, text: &str) -> Option<String> {
    let (n, done) = match serde_json::from_str(text).ok()? {
        PageSays::Here => {
            app.live.somebody_is_here();
            return None;
        }
        PageSays::Stop { printer, n } => (n, app.live.emergency_stop(printer)),
        PageSays::HeatersOff { printer, n } => (n, app.live.heaters_off(printer)),
    };
    app.live.somebody_is_here();
    let answer = PageHears::Heard {
        n,
        failed: done.err().map(|e| e.to_string()),
    };
    serde_json::to_string(&answer).ok()
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(live))
        .routes(routes!(live_now))
}
