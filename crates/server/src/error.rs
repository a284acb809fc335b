//! One map from errors to HTTP: problem details (RFC 9457) with field names.

use axum::Json;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::Refusal;
use wattotherm_job::stations::EvaluateError;
use wattotherm_link::SendError;
use wattotherm_measure::Pen;
use wattotherm_store::{BadRecord, ImportError, StoreError};

use crate::zip_file::ZipError;

/// What is wrong with one field.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct FieldError {
    /// Path of the field, e.g. `runs.2`.
    pub field: String,
    /// Stable code, e.g. `out_of_range`.
    pub code: String,
    /// What was wrong and what to do.
    pub message: String,
    /// The value that was probably meant.
    pub suggestion: Option<f64>,
    /// The same as one would type it, in the shop's units.
    pub take: Option<String>,
}

/// An error answer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Problem {
    /// Short name of the kind of error.
    pub title: String,
    /// HTTP status.
    pub status: u16,
    /// Stable code.
    pub code: String,
    /// What was wrong and what to do.
    pub detail: String,
    /// Where the server's log has it, for our own faults.
    pub id: Option<String>,
    /// Field by field, where fields are to blame.
    pub errors: Vec<FieldError>,
}

/// Any failure of a route.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ApiError {
    #[error("{message}")]
    Syntax { field: String, message: String },
    #[error("Send the body as application/json.")]
    MediaType,
    #[error("The body did not come in time. Send it again.")]
    Slow,
    #[error("The body is larger than {limit} bytes. Send less.")]
    TooLarge { limit: usize },
    #[error("{message}")]
    Values {
        field: &'static str,
        message: String,
    },
    #[error(transparent)]
    Record(#[from] BadRecord),
    #[error("{0}")]
    NotFound(String),
    #[error("{0}")]
    Conflict(String),
    /// Readings that settle nothing can't close anything.
    #[error("Not settled yet. {0}")]
    Unsettled(String),
    #[error("{0}")]
    Forbidden(&'static str),
    #[error("{}", said(.0, *.1))]
    Evaluate(EvaluateError, Pen),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Zip(#[from] ZipError),
    #[error(transparent)]
    Import(#[from] ImportError),
    #[error(transparent)]
    Link(#[from] SendError),
    #[error("The server failed at this request. Nothing was changed.")]
    Internal,
}

/// What is wrong with readings, in the units of the shop.
fn said(error: &EvaluateError, pen: Pen) -> String {
    match error {
        EvaluateError::Readings(e) => {
            let all: Vec<String> = e.problems.iter().map(|p| p.says(pen)).collect();
            all.join(" ")
        }
        other => other.to_string(),
    }
}

impl ApiError {
    fn parts(&self) -> (StatusCode, &'static str, &'static str) {
        use StatusCode as S;
        match self {
            Self::Syntax { .. } | Self::Evaluate(EvaluateError::Shape { .. }, _) => {
                (S::BAD_REQUEST, "syntax", "The request doesn’t read")
            }
            Self::MediaType => (S::UNSUPPORTED_MEDIA_TYPE, "media_type", "Wrong media type"),
            Self::Slow => (S::REQUEST_TIMEOUT, "slow", "Too slow"),
            Self::TooLarge { .. } => (S::PAYLOAD_TOO_LARGE, "too_large", "Too large"),
            Self::Values { .. } | Self::Record(_) | Self::Evaluate(..) => {
                (S::UNPROCESSABLE_ENTITY, "values", "Check the readings")
            }
            Self::Import(ImportError::Shape { .. }) => {
                (S::BAD_REQUEST, "import_shape", "The file doesn’t read")
            }
            Self::Import(ImportError::Content { .. }) => (
                S::UNPROCESSABLE_ENTITY,
                "import_content",
                "The file can’t be imported",
            ),
            Self::Link(SendError::Refused(Refusal::Asks { .. })) => {
                (S::UNPROCESSABLE_ENTITY, "asks", "Is that meant?")
            }
            Self::Link(SendError::Refused(_)) => (S::UNPROCESSABLE_ENTITY, "refused", "Not sent"),
            Self::Link(
                SendError::NotConnected
                | SendError::Halted
                | SendError::Withdrawn { .. }
                | SendError::Prints { .. }
                | SendError::Owned { .. },
            ) => (S::CONFLICT, "conflict", "Not now"),
            Self::Link(_) => (S::BAD_GATEWAY, "printer", "The printer"),
            Self::NotFound(_) => (S::NOT_FOUND, "not_found", "Not found"),
            Self::Forbidden(_) => (S::FORBIDDEN, "forbidden", "Not from here"),
            Self::Unsettled(_) => (S::UNPROCESSABLE_ENTITY, "unsettled", "Not settled yet"),
            Self::Conflict(_) => (S::CONFLICT, "conflict", "Not now"),
            Self::Store(e)
            | Self::Import(ImportError::Store(e))
            | Self::Zip(ZipError::Store(e)) => match e {
                StoreError::NotFound { .. } | StoreError::Reference => {
                    (S::NOT_FOUND, "not_found", "Not found")
                }
                StoreError::Check => (S::UNPROCESSABLE_ENTITY, "values", "Check the readings"),
                StoreError::Busy => (S::SERVICE_UNAVAILABLE, "busy", "Try again"),
                StoreError::Damaged { .. } => (
                    S::INTERNAL_SERVER_ERROR,
                    "damaged",
                    "The data file is damaged",
                ),
                StoreError::Value(_) => (S::UNPROCESSABLE_ENTITY, "values", "Values can’t be kept"),
                StoreError::Conflict(_) => (S::CONFLICT, "conflict", "Not now"),
                StoreError::DiskFull => (S::INSUFFICIENT_STORAGE, "disk_full", "Disk full"),
                StoreError::ReadOnly => (S::INSUFFICIENT_STORAGE, "read_only", "Read-only"),
                _ => (S::INTERNAL_SERVER_ERROR, "internal", "Our fault"),
            },
            _ => (S::INTERNAL_SERVER_ERROR, "internal", "Our fault"),
        }
    }

    fn fields(&self) -> Vec<FieldError> {
        let one = |field: &str, code: &str, message: &str| {
            vec![FieldError {
                field: field.into(),
                code: code.into(),
                message: message.into(),
                suggestion: None,
                take: None,
            }]
        };
        match self {
            Self::Syntax { field, message } => one(field, "syntax", message),
            Self::Values { field, message } => one(field, "value", message),
            Self::Record(b) => one(b.field, "value", &b.message),
            Self::Link(SendError::Refused(r)) => one("line", "refused", &r.to_string()),
            Self::Evaluate(EvaluateError::Shape { field, message }, _) => {
                one(field, "syntax", message)
            }
            Self::Evaluate(EvaluateError::Readings(e), pen) => e
                .problems
                .iter()
                .map(|p| FieldError {
                    field: p.field().into(),
                    code: p.code().into(),
                    message: p.says(*pen),
                    suggestion: p.suggestion(),
                    take: p.take(*pen),
                })
                .collect(),
            Self::Import(
                ImportError::Shape { field, message, .. } | ImportError::Content { field, message },
            ) => one(field, "import", message),
            _ => Vec::new(),
        }
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        let (status, code, title) = self.parts();
        let mut detail = self.to_string();
        // Our own fault: the log says what it was, the page says which line of the log.
        let id = (status == StatusCode::INTERNAL_SERVER_ERROR).then(error_id);
        if let Some(id) = &id {
            tracing::error!(id, error = %self, "request failed");
            if code == "internal" {
                detail = format!(
                    "The server failed at this request. Nothing was changed. Its log has it under {id}."
                );
            }
        }
        let problem = Problem {
            title: title.into(),
            status: status.as_u16(),
            code: code.into(),
            detail,
            id,
            errors: self.fields(),
        };
        let mut response = (status, Json(problem)).into_response();
        response.headers_mut().insert(
            header::CONTENT_TYPE,
            HeaderValue::from_static("application/problem+json"),
        );
        if status == StatusCode::SERVICE_UNAVAILABLE {
            response
                .headers_mut()
                .insert(header::RETRY_AFTER, HeaderValue::from_static("1"));
        }
        response
    }
}

/// Eight hexadecimal digits by which a failure is found in the log.
fn error_id() -> String {
    let mut bytes = [0_u8; 4];
    // Without random bytes all failures have the same number: still better than none.
    let _ = getrandom::fill(&mut bytes);
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
