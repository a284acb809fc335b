//! Pictures of a job.

use axum::Json;
use axum::extract::{DefaultBodyLimit, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::route::{Stop, UnknownStop};
use wattotherm_store::{MOST_PHOTOS, NewPhoto, Photo, PhotoWords};

use super::files::in_pieces;
use super::printers::Made;
use crate::body::{Body, Path, Query};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::photo;
use crate::state::App;

/// Largest picture as it comes from a camera [bytes].
const PHOTO_LIMIT: usize = 24 * 1024 * 1024;

/// What a picture belongs to.
/// Longest name of a step, in characters: what is put back has up to 80 of its own.
const MOST_STEP: usize = 120;

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct PhotoQuery {
    /// Step of the list; blank for the station as a whole.
    #[serde(default)]
    pub step: String,
    /// What the file is called.
    #[serde(default)]
    pub name: String,
}

#[utoipa::path(post, path = "/api/v1/jobs/{id}/stops/{key}/photos", params(("id" = i64, Path), ("key" = String, Path), PhotoQuery),
    request_body(content = String, content_type = "application/octet-stream"),
    responses((status = 201, body = Made), (status = 404, body = Problem), (status = 413, body = Problem), (status = 422, body = Problem), (status = 507, body = Problem)))]
/// Keeps a picture at a station: upright, shrunk, and without the place that a camera writes beside it.
async fn add_photo(
    State(app): State<App>,
    Path((id, key)): Path<(i64, String)>,
    Query(of): Query<PhotoQuery>,
    bytes: axum::body::Bytes,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    let stop: Stop = key
        .parse()
        .map_err(|e: UnknownStop| ApiError::NotFound(e.to_string()))?;
    if of.step.chars().count() > MOST_STEP {
        return Err(ApiError::Values {
            field: "step",
            message: "There is no such step.".into(),
        });
    }
    // Asked first: nobody waits for a picture of a job that isn't there.
    app.read(move |store| {
        store.job(id)?;
        if store.photos(id)?.len() >= MOST_PHOTOS {
            return Err(ApiError::Conflict(format!(
                "A job keeps at most {MOST_PHOTOS} pictures. Take one back first."
            )));
        }
        Ok(())
    })
    .await?;
    let files = app.files.clone();
    let (kept, blob) = tokio::task::spawn_blocking(move || {
        let kept = photo::keep(&bytes).map_err(|e| ApiError::Values {
            field: "photo",
            message: e.to_string(),
        })?;
        let blob = files.keep(&kept.jpeg, "image/jpeg")?;
        Ok::<_, ApiError>((kept, blob))
    })
    .await
    .map_err(|_| ApiError::Internal)??;
    let made = app
        .with(move |store| {
            let job = store.job(id)?;
            let new = NewPhoto {
                stop,
                step: &of.step,
                name: &of.name,
                size: kept.size,
            };
            Ok(store.add_photo(&job, new, &blob, &now())?)
        })
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id: made })))
}

#[utoipa::path(get, path = "/api/v1/jobs/{id}/photos", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<Photo>), (status = 404, body = Problem)))]
/// Pictures of a job, the oldest first.
async fn photos(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<Photo>>, ApiError> {
    let all = app
        .read(move |store| {
            store.job(id)?;
            Ok(store.photos(id)?)
        })
        .await?;
    Ok(Json(all))
}

#[utoipa::path(get, path = "/api/v1/photos/{id}", params(("id" = i64, Path)),
    responses((status = 200, content_type = "image/jpeg"), (status = 404, body = Problem)))]
/// A picture as it is kept: upright and shrunk.
async fn photo_file(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, ApiError> {
    let (file, blob) = app
        .read(move |store| {
            let blob = store.photo_file(id)?;
            Ok((store.files().open(&blob.sha256)?, blob))
        })
        .await?;
    let headers = [
        (header::CONTENT_TYPE, "image/jpeg".to_owned()),
        (header::CONTENT_LENGTH, blob.bytes.to_string()),
        (
            header::CACHE_CONTROL,
            "private, max-age=31536000, immutable".to_owned(),
        ),
    ];
    Ok((headers, in_pieces(file)).into_response())
}

#[utoipa::path(put, path = "/api/v1/photos/{id}", params(("id" = i64, Path)), request_body = PhotoWords,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Says what a picture shows, and keeps what is drawn on it.
async fn describe_photo(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(words): Body<PhotoWords>,
) -> Result<StatusCode, ApiError> {
    words.check()?;
    app.with(move |store| Ok(store.describe_photo(id, &words)?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(delete, path = "/api/v1/photos/{id}", params(("id" = i64, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
/// Takes a picture back: it is shown no more.
async fn take_photo_back(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<StatusCode, ApiError> {
    app.with(move |store| Ok(store.take_photo_back(id, &now())?))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

pub fn router() -> OpenApiRouter<App> {
    let add = OpenApiRouter::new()
        .routes(routes!(add_photo))
        .layer(DefaultBodyLimit::max(PHOTO_LIMIT));
    OpenApiRouter::new()
        .routes(routes!(photos))
        .routes(routes!(photo_file, describe_photo, take_photo_back))
        .merge(add)
}
