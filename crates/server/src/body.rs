//! JSON bodies: read with the field's path in every complaint.

use axum::body::Bytes;
use axum::extract::rejection::BytesRejection;
use axum::extract::{FromRequest, FromRequestParts, Request};
use axum::http::request::Parts;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use serde::de::DeserializeOwned;

use crate::error::ApiError;

/// Largest body of an ordinary request.
pub const BODY_LIMIT: usize = 256 * 1024;
/// Largest file to import.
pub const IMPORT_LIMIT: usize = 8 * 1024 * 1024;

/// A body must be there by then.
pub const BODY_PATIENCE: std::time::Duration = std::time::Duration::from_secs(20);

/// The ids in a path; what doesn't read is a problem like any other.
pub struct Path<T>(pub T);
/// The query; likewise.
pub struct Query<T>(pub T);

impl<T: DeserializeOwned + Send, S: Send + Sync> FromRequestParts<S> for Path<T> {
    type Rejection = ApiError;
    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, ApiError> {
        axum::extract::Path::from_request_parts(parts, state)
            .await
            .map(|axum::extract::Path(v)| Self(v))
            .map_err(|e| ApiError::Syntax {
                field: "path".into(),
                message: format!("This address doesn’t read: {}", e.body_text()),
            })
    }
}

impl<T: DeserializeOwned, S: Send + Sync> FromRequestParts<S> for Query<T> {
    type Rejection = ApiError;
    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, ApiError> {
        axum::extract::Query::from_request_parts(parts, state)
            .await
            .map(|axum::extract::Query(v)| Self(v))
            .map_err(|e| ApiError::Syntax {
                field: "query".into(),
                message: format!("This query doesn’t read: {}", e.body_text()),
            })
    }
}

/// A JSON body.
pub struct Body<T>(pub T);
/// A JSON body of up to `N` bytes.
pub struct BodyUpTo<T, const N: usize>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Body<T> {
    type Rejection = ApiError;
    async fn from_request(request: Request, state: &S) -> Result<Self, ApiError> {
        let BodyUpTo(value) = BodyUpTo::<T, BODY_LIMIT>::from_request(request, state).await?;
        Ok(Self(value))
    }
}

impl<T: DeserializeOwned, S: Send + Sync, const N: usize> FromRequest<S> for BodyUpTo<T, N> {
    type Rejection = ApiError;
    async fn from_request(request: Request, state: &S) -> Result<Self, ApiError> {
        if !is_json(&request) {
            return Err(ApiError::MediaType);
        }
        let bytes = read(request, state, N).await?;
        let mut reader = serde_json::Deserializer::from_slice(&bytes);
        let value = serde_path_to_error::deserialize(&mut reader).map_err(|e| {
            let path = e.path().to_string();
            let field = if path == "." { String::new() } else { path };
            ApiError::Syntax {
                field,
                message: e.inner().to_string(),
            }
        })?;
        reader.end().map_err(|e| ApiError::Syntax {
            field: String::new(),
            message: e.to_string(),
        })?;
        Ok(Self(value))
    }
}

/// A text body, for files that report line and column themselves.
pub struct FileText(pub String);

impl<S: Send + Sync> FromRequest<S> for FileText {
    type Rejection = ApiError;
    async fn from_request(request: Request, state: &S) -> Result<Self, ApiError> {
        if !is_json(&request) {
            return Err(ApiError::MediaType);
        }
        let bytes = read(request, state, IMPORT_LIMIT).await?;
        String::from_utf8(bytes.to_vec())
            .map(Self)
            .map_err(|_| ApiError::Syntax {
                field: String::new(),
                message: "The file is not UTF-8 text.".into(),
            })
    }
}

fn is_json(request: &Request) -> bool {
    request
        .headers()
        .get(header::CONTENT_TYPE)
        .and_then(|v| v.to_str().ok())
        .is_some_and(|v| {
            v.split(';')
                .next()
                .is_some_and(|m| m.trim() == "application/json")
        })
}

async fn read<S: Send + Sync>(
    request: Request,
    state: &S,
    limit: usize,
) -> Result<Bytes, ApiError> {
    tokio::time::timeout(BODY_PATIENCE, Bytes::from_request(request, state))
        .await
        .map_err(|_| ApiError::Slow)?
        .map_err(|e: BytesRejection| {
            if e.into_response().status() == StatusCode::PAYLOAD_TOO_LARGE {
                ApiError::TooLarge { limit }
            } else {
                ApiError::Syntax {
                    field: String::new(),
                    message: "The body broke off.".into(),
                }
            }
        })
}
