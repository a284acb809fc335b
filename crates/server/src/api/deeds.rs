//! What happens to a job besides its stations.

use axum::Json;
use axum::extract::State;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::route::{Deed, DeedRefused, Stop, Traveller, left_in_doubt};
use wattotherm_store::JobEnd;

use crate::body::{Body, Path};
use crate::error::{ApiError, Problem};
use crate::moment::now;
use crate::state::{App, changed_of, traveller_of};

#[utoipa::path(post, path = "/api/v1/jobs/{id}/deeds", params(("id" = i64, Path)), request_body = Deed,
    responses((status = 200, body = Traveller), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
/// Adds a part or takes one back, notes what was changed and put back and that the complaint came back, leaves a station out, pauses, hands on, ends
/// or opens a job again. The plan follows; done work stays where it still holds.
async fn add_deed(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(deed): Body<Deed>,
) -> Result<Json<Traveller>, ApiError> {
    let deed = deed.trimmed();
    let card = app
        .with(move |store| {
            let job = store.job(id)?;
            let card = traveller_of(store, &job)?;
            let changed = changed_of(store, job.printer_id, None)?;
            deed.check(&card, &job.replaced, &changed, job.finished_at.is_some())?;
            let reopens_hand_over =
                matches!(deed, Deed::Reopened { .. }) && job.ended == Some(JobEnd::HandedOver);
            if reopens_hand_over {
                store.reopen_station(&job, Stop::HandOver, deed.reason(), &now())?;
            } else {
                let title_of = |key: &str| {
                    let line = card.lines.iter().find(|l| l.key == key);
                    line.map_or_else(|| key.to_owned(), |l| l.title.clone())
                };
                let says = deed.says(title_of);
                let left = left_in_doubt(&card, job.id);
                store.add_deed(&job, &deed, &says, &left, &now())?;
            }
            Ok(traveller_of(store, &store.job(id)?)?)
        })
        .await?;
    Ok(Json(card))
}

impl From<DeedRefused> for ApiError {
    fn from(refused: DeedRefused) -> Self {
        match refused {
            DeedRefused::Typed { field, message } => Self::Values { field, message },
            DeedRefused::State(message) => Self::Conflict(message),
        }
    }
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(add_deed))
}
