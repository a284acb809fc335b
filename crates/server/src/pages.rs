//! The built pages, embedded, with a content security policy.

use axum::http::{HeaderValue, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "$CARGO_MANIFEST_DIR/../../web/dist"]
#[allow_missing = true]
struct Built;

/// Word in index.html that becomes a fresh nonce in every answer.
const NONCE_MARK: &str = "__STYLE_NONCE__";

/// Serves a built file, or the one page for any other path.
pub async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    if let Some(file) = Built::get(path).filter(|_| path != "index.html") {
        let mime = mime_guess::from_path(path).first_or_octet_stream();
        // Names of built files carry a hash of their content.
        let cache = if path.starts_with("assets/") {
            "public, max-age=31536000, immutable"
        } else {
            "no-cache"
        };
        return (
            [
                (header::CONTENT_TYPE, mime.as_ref()),
                (header::CACHE_CONTROL, cache),
            ],
            file.data,
        )
            .into_response();
    }
    if path.starts_with("assets/") || path.starts_with("api/") {
        return StatusCode::NOT_FOUND.into_response();
    }
    index()
}

fn index() -> Response {
    let Some(page) = Built::get("index.html") else {
        let help = "The pages are not built. Run: npm ci && npm run build";
        return (StatusCode::SERVICE_UNAVAILABLE, help).into_response();
    };
    let mut bytes = [0_u8; 16];
    if getrandom::fill(&mut bytes).is_err() {
        return StatusCode::INTERNAL_SERVER_ERROR.into_response();
    }
    let nonce: String = bytes.iter().map(|b| format!("{b:02x}")).collect();
    let html = String::from_utf8_lossy(&page.data).replace(NONCE_MARK, &nonce);
    let policy = format!(
        "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' data:; \
         font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    );
    let mut response = (
        [
            (header::CONTENT_TYPE, "text/html; charset=utf-8"),
            (header::CACHE_CONTROL, "no-store"),
        ],
        html,
    )
        .into_response();
    if let Ok(value) = HeaderValue::from_str(&policy) {
        response
            .headers_mut()
            .insert(header::CONTENT_SECURITY_POLICY, value);
    }
    response
}
