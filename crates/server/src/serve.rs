//! The router with its guards, and listening.

use std::net::SocketAddr;

use axum::Router;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderValue, header};
use axum::middleware::{Next, from_fn, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use futures_util::FutureExt as _;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::trace::TraceLayer;

use crate::body::BODY_LIMIT;
use crate::connections;
use crate::error::ApiError;
use crate::state::App;
use crate::{api, pages};

/// Description of the API as JSON.
#[must_use]
pub fn openapi_json() -> String {
    let (_, description) = api::router().split_for_parts();
    let mut description = serde_json::to_value(description).unwrap_or_default();
    let paths = description["paths"].as_object_mut();
    for operation in paths.into_iter().flat_map(|p| p.values_mut()) {
        for operation in operation
            .as_object_mut()
            .into_iter()
            .flat_map(|o| o.values_mut())
        {
            as_problems(operation);
        }
    }
    serde_json::to_string_pretty(&description).unwrap_or_default()
}

/// Describes what really comes: problems under their own media type, and one for every path or query
/// that doesn't read.
fn as_problems(operation: &mut serde_json::Value) {
    let asks = operation["parameters"]
        .as_array()
        .is_some_and(|p| !p.is_empty());
    let problem = serde_json::json!({ "schema": { "$ref": "#/components/schemas/Problem" } });
    let Some(responses) = operation["responses"].as_object_mut() else {
        return;
    };
    for response in responses.values_mut() {
        if let Some(content) = response.get_mut("content").and_then(|c| c.as_object_mut())
            && content.get("application/json") == Some(&problem)
        {
            content.remove("application/json");
            content.insert("application/problem+json".into(), problem.clone());
        }
    }
    if asks {
        responses.entry("400").or_insert_with(|| {
            serde_json::json!({
                "description": "The path or the query doesn’t read.",
                "content": { "application/problem+json": problem }
            })
        });
    }
}

/// JSON Schema of the job file, cut out of the API's description.
#[must_use]
pub fn job_schema_json() -> String {
    let text = openapi_json().replace("#/components/schemas/", "#/$defs/");
    let description: serde_json::Value = serde_json::from_str(&text).unwrap_or_default();
    let all = &description["components"]["schemas"];
    let mut wanted = vec!["JobFile".to_owned()];
    let mut defs = serde_json::Map::new();
    while let Some(name) = wanted.pop() {
        if defs.contains_key(&name) {
            continue;
        }
        let schema = all[&name].clone();
        let as_text = schema.to_string();
        for part in as_text.split("#/$defs/").skip(1) {
            wanted.extend(part.split('"').next().map(str::to_owned));
        }
        defs.insert(name, schema);
    }
    let schema = serde_json::json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Wattotherm job, version 1",
        "$ref": "#/$defs/JobFile",
        "$defs": defs,
    });
    serde_json::to_string_pretty(&schema).unwrap_or_default()
}

/// All routes and pages behind their guards. `hosts` are the names this server answers to.
pub fn app_router(app: App, hosts: Vec<String>) -> Router {
    let (routes, _) = api::router().split_for_parts();
    routes
        .layer(from_fn_with_state(app.clone(), after_a_change))
        .with_state(app)
        .route("/api/{*rest}", axum::routing::any(no_such_route))
        .fallback(pages::serve)
        .layer(DefaultBodyLimit::max(BODY_LIMIT))
        .layer(CatchPanicLayer::custom(
            |_: Box<dyn std::any::Any + Send>| ApiError::Internal.into_response(),
        ))
        .layer(from_fn_with_state(
            std::sync::Arc::new(hosts),
            same_host_only,
        ))
        .layer(from_fn(headers))
        .layer(CompressionLayer::new().gzip(true))
        // Each request with its status and time, at debug level; failures are logged where they are made.
        .layer(TraceLayer::new_for_http().on_failure(()))
}

/// After every request that may have changed something, guards have the limits that hold now before the
/// answer goes out; and somebody is there.
async fn after_a_change(State(app): State<App>, request: Request, next: Next) -> Response {
    let asks = request.method() == axum::http::Method::GET;
    let evaluates = request.uri().path().ends_with("/evaluate");
    let response = next.run(request).await;
    if !asks {
        app.live.somebody_is_here();
        if !evaluates && response.status().is_success() {
            app.refresh_guards().await;
        }
    }
    response
}

async fn no_such_route() -> ApiError {
    ApiError::NotFound("There is no such route. See docs/openapi.json.".into())
}

/// Refuses foreign Host and Origin: no other site may talk to the printer's bench.
async fn same_host_only(
    State(hosts): State<std::sync::Arc<Vec<String>>>,
    request: Request,
    next: Next,
) -> Response {
    match refusal(&hosts, &request) {
        Some(why) => ApiError::Forbidden(why).into_response(),
        None => next.run(request).await,
    }
}

fn refusal(hosts: &[String], request: &Request) -> Option<&'static str> {
    let text = |name| {
        request
            .headers()
            .get(name)
            .map(|v: &HeaderValue| v.to_str().unwrap_or_default())
    };
    let twice = |name| request.headers().get_all(name).iter().count() > 1;
    if twice(header::HOST) || twice(header::ORIGIN) {
        return Some("A request names its Host and its Origin once.");
    }
    let known = |host: &str| hosts.iter().any(|h| h.eq_ignore_ascii_case(host));
    if !text(header::HOST).is_some_and(known) {
        return Some("This Host is not served here. Open the address that the server printed.");
    }
    let foreign = |origin: &str| !origin.strip_prefix("http://").is_some_and(known);
    if text(header::ORIGIN).is_some_and(foreign) {
        return Some("Requests from another site are refused.");
    }
    None
}

async fn headers(request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    let h = response.headers_mut();
    h.insert(
        header::X_CONTENT_TYPE_OPTIONS,
        HeaderValue::from_static("nosniff"),
    );
    h.insert(
        header::REFERRER_POLICY,
        HeaderValue::from_static("no-referrer"),
    );
    h.insert(
        "cross-origin-resource-policy",
        HeaderValue::from_static("same-origin"),
    );
    response
}

/// A bound server, not yet answering.
#[derive(Debug)]
pub struct Listening {
    listener: tokio::net::TcpListener,
    /// Where it listens.
    pub address: SocketAddr,
}

/// Binds `address`; port 0 takes a free one.
/// # Errors
/// If the address can't be bound.
pub async fn listen(address: SocketAddr) -> std::io::Result<Listening> {
    let listener = tokio::net::TcpListener::bind(address).await?;
    let address = listener.local_addr()?;
    Ok(Listening { listener, address })
}

impl Listening {
    /// Answers until `stop` resolves; then heat that was switched on from here is set to 0, confirmed or
    /// said, whatever the reason for the end.
    pub async fn run(self, app: App, stop: impl Future<Output = ()>) {
        let port = self.address.port();
        let mut hosts = vec![self.address.to_string(), format!("localhost:{port}")];
        if self.address.ip().is_loopback() || self.address.ip().is_unspecified() {
            hosts.push(format!("127.0.0.1:{port}"));
            hosts.push(format!("[::1]:{port}"));
        }
        if !self.address.ip().is_loopback() {
            app.without_printers();
        }
        tokio::spawn(app.clone().show_printers());
        tokio::spawn(app.clone().watch_printers());
        let ending = app.clone();
        let serving = async {
            app.end_lost_prints().await;
            app.connect_wanted().await;
            let router = app_router(app.clone(), hosts);
            // Heaters first; then the pages' streams end, or they would keep the server waiting.
            connections::serve(self.listener, router, stop, app.end()).await;
        };
        // A failure of this program must not leave a heater on either.
        if std::panic::AssertUnwindSafe(serving)
            .catch_unwind()
            .await
            .is_err()
        {
            ending.end().await;
        }
    }
}
