//! Pictures of a job.

use std::io::Read as _;

use axum::Json;
use axum::extract::{DefaultBodyLimit, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::photo::{PhotoProposal, measure_photo};
use wattotherm_job::route::{Stop, UnknownStop};
use wattotherm_store::{MOST_PHOTOS, NewPhoto, Photo, PhotoWords};

use super::files::in_pieces;
use super::jobs::find;
use super::printers::Made;
use crate::body::{Body, Path, Query};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::photo;
use crate::state::{App, context_of};

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
            // Steps of a list are named by their list; of a search, a step is a print, in words.
            let listed = stop.station().id() == "check";
            let new = NewPhoto {
                caption: if listed { "" } else { &of.step },
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

/// What to measure on a picture.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MeasurePhoto {
    /// Path of the reading it is for.
    pub into: String,
    /// Four corners round it: top left, top right, bottom right, bottom left [parts of width and height].
    pub corners: [[f64; 2]; 4],
}

#[utoipa::path(post, path = "/api/v1/jobs/{id}/stops/{key}/photos/{photo}/measure",
    params(("id" = i64, Path), ("key" = String, Path), ("photo" = i64, Path)), request_body = MeasurePhoto,
    responses((status = 200, body = PhotoProposal), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Measures on a picture what a reading of its station wants; a proposal, nothing is kept.
async fn measure(
    State(app): State<App>,
    Path((id, key, photo)): Path<(i64, String, i64)>,
    Body(body): Body<MeasurePhoto>,
) -> Result<Json<PhotoProposal>, ApiError> {
    let (ask, pen, mut file) = app
        .read(move |store| {
            let (job, stop, card, _) = find(store, id, &key)?;
            let context = context_of(store, &job, stop, &card)?;
            let readings = store
                .whole_draft(id, &key)?
                .map_or_else(|| stop.station().start(&context), |d| d.readings);
            let ask = stop
                .station()
                .form(&readings, &context)
                .photos
                .into_iter()
                .find(|p| p.into == body.into)
                .ok_or_else(|| ApiError::Values {
                    field: "into",
                    message: "This reading isn’t taken from a picture.".into(),
                })?;
            if !store.photos(id)?.iter().any(|p| p.id == photo) {
                return Err(ApiError::NotFound("This job has no such picture.".into()));
            }
            let blob = store.photo_file(photo)?;
            Ok((ask, context.house.pen, store.files().open(&blob.sha256)?))
        })
        .await?;
    let found = tokio::task::spawn_blocking(move || {
        let refused = |message: String| ApiError::Values {
            field: "corners",
            message,
        };
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes)
            .map_err(|_| ApiError::Internal)?;
        let picture = photo::gray(&bytes).map_err(|e| refused(e.to_string()))?;
        measure_photo(&ask, &picture, &body.corners, pen).map_err(|e| refused(e.to_string()))
    })
    .await
    .map_err(|_| ApiError::Internal)??;
    Ok(Json(found))
}

pub fn router() -> OpenApiRouter<App> {
    let add = OpenApiRouter::new()
        .routes(routes!(add_photo))
        .layer(DefaultBodyLimit::max(PHOTO_LIMIT));
    OpenApiRouter::new()
        .routes(routes!(photos))
        .routes(routes!(measure))
        .routes(routes!(photo_file, describe_photo, take_photo_back))
        .merge(add)
}
