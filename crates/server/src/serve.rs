//! The router with its guards, and listening.

use std::net::SocketAddr;

use axum::Router;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderValue, header};
use axum::middleware::{Next, from_fn, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;

use crate::body::BODY_LIMIT;
use crate::error::ApiError;
use crate::state::App;
use crate::{api, pages};

/// Description of the API as JSON.
#[must_use]
pub fn openapi_json() -> String {
    let (_, description) = api::router().split_for_parts();
    description.to_pretty_json().unwrap_or_default()
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
    /// Answers until `stop` resolves.
    /// # Errors
    /// If the listener fails.
    pub async fn run(
        self,
        app: App,
        stop: impl Future<Output = ()> + Send + 'static,
    ) -> std::io::Result<()> {
        let port = self.address.port();
        let mut hosts = vec![self.address.to_string(), format!("localhost:{port}")];
        if self.address.ip().is_loopback() || self.address.ip().is_unspecified() {
            hosts.push(format!("127.0.0.1:{port}"));
            hosts.push(format!("[::1]:{port}"));
        }
        let live = app.live.clone();
        tokio::spawn(app.clone().watch_printers());
        app.connect_wanted().await;
        let record = app.clone();
        let router = app_router(app, hosts);
        let ending = async move {
            stop.await;
            // Heaters first; then the pages' streams end, or they would keep the server waiting.
            live.close().await;
            record.keep_record().await;
        };
        axum::serve(self.listener, router)
            .with_graceful_shutdown(ending)
            .await
    }
}
