//! Files in and out, in pieces: whoever sends one may take a minute, and nobody waits for it.

use axum::Json;
use axum::body::Body;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use futures_util::{StreamExt as _, stream};
use serde::{Deserialize, Serialize};
use tokio::io::AsyncReadExt as _;
use tokio::sync::mpsc;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_store::Blob;

use crate::body::{BODY_PATIENCE, Path};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::state::App;

/// Largest file [bytes].
pub const FILE_LIMIT: usize = 64 * 1024 * 1024;
/// Bytes of a download at once.
const PIECE: usize = 64 * 1024;
/// Pieces of an upload on their way to the disk.
const PIECES_WAITING: usize = 8;
/// Kinds of content that are given out as what they are; everything else goes out as plain bytes.
const MEDIA: [&str; 4] = ["text/csv", "text/plain", "image/jpeg", "image/png"];
const BYTES: &str = "application/octet-stream";

/// A file that is kept.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct KeptFile {
    /// Its name: SHA-256 of its content.
    pub sha256: String,
    /// Its length.
    pub bytes: u64,
}

/// Takes a file of up to `limit` bytes to the disk as it comes, and enters it.
pub async fn receive(app: &App, request: Request, limit: usize) -> Result<Blob, ApiError> {
    let media = request
        .headers()
        .get(header::CONTENT_TYPE)
        .and_then(|v| v.to_str().ok())
        .and_then(|v| MEDIA.into_iter().find(|m| v.starts_with(m)))
        .unwrap_or(BYTES);
    let (send, mut receive) = mpsc::channel::<axum::body::Bytes>(PIECES_WAITING);
    let files = app.files.clone();
    let writing = tokio::task::spawn_blocking(move || {
        let mut incoming = files.begin()?;
        while let Some(piece) = receive.blocking_recv() {
            incoming.write(&piece)?;
        }
        Ok::<_, ApiError>(incoming)
    });
    let mut pieces = request.into_body().into_data_stream();
    let mut bytes = 0;
    while let Some(piece) = tokio::time::timeout(BODY_PATIENCE, pieces.next())
        .await
        .map_err(|_| ApiError::Slow)?
    {
        let piece = piece.map_err(|_| ApiError::Syntax {
            field: String::new(),
            message: "The file broke off.".into(),
        })?;
        bytes += piece.len();
        if bytes > limit {
            return Err(ApiError::TooLarge { limit });
        }
        // It ends early where the disk does: why is said below.
        if send.send(piece).await.is_err() {
            break;
        }
    }
    drop(send);
    let incoming = writing.await.map_err(|_| ApiError::Internal)??;
    if bytes == 0 {
        return Err(ApiError::Values {
            field: "file",
            message: "The file is empty.".into(),
        });
    }
    // Bringing it to the disk may take a while: nobody who writes to the database waits for it.
    let blob: Blob = tokio::task::spawn_blocking(move || incoming.keep(media))
        .await
        .map_err(|_| ApiError::Internal)??;
    let entered = blob.clone();
    app.with(move |store| Ok(store.enter_blob(&entered, &now())?))
        .await?;
    Ok(blob)
}

#[utoipa::path(post, path = "/api/v1/files", request_body(content = String, content_type = "application/octet-stream"),
    responses((status = 201, body = KeptFile), (status = 413, body = Problem), (status = 422, body = Problem), (status = 507, body = Problem)))]
/// Keeps a file, whatever it holds, under the name that its content gives it; what nothing names within a
/// day is let go.
async fn upload(
    State(app): State<App>,
    request: Request,
) -> Result<(StatusCode, Json<KeptFile>), ApiError> {
    let blob = receive(&app, request, FILE_LIMIT).await?;
    let kept = KeptFile {
        sha256: blob.sha256,
        bytes: blob.bytes,
    };
    Ok((StatusCode::CREATED, Json(kept)))
}

#[utoipa::path(get, path = "/api/v1/files/{sha256}", params(("sha256" = String, Path)),
    responses((status = 200, content_type = "application/octet-stream"), (status = 404, body = Problem)))]
/// A file that is kept, as it came.
async fn download(
    State(app): State<App>,
    Path(sha256): Path<String>,
) -> Result<Response, ApiError> {
    let (file, blob) = app
        .read(move |store| Ok((store.files().open(&sha256)?, store.blob(&sha256)?)))
        .await?;
    let media = MEDIA.into_iter().find(|m| *m == blob.media);
    let headers = [
        (header::CONTENT_TYPE, media.unwrap_or(BYTES).to_owned()),
        (header::CONTENT_LENGTH, blob.bytes.to_string()),
        // Nothing that was sent here is ever shown as a page of ours.
        (header::CONTENT_DISPOSITION, "attachment".to_owned()),
    ];
    Ok((headers, in_pieces(file)).into_response())
}

/// A file as a body, read as it is taken.
pub fn in_pieces(file: std::fs::File) -> Body {
    Body::from_stream(stream::try_unfold(
        tokio::fs::File::from_std(file),
        |mut file| async move {
            let mut piece = vec![0; PIECE];
            let n = file.read(&mut piece).await?;
            piece.truncate(n);
            Ok::<_, std::io::Error>((n > 0).then_some((piece, file)))
        },
    ))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(upload))
        .layer(DefaultBodyLimit::disable())
        .routes(routes!(download))
}
