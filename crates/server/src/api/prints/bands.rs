//! A setting changed by height in a copy of a sliced part.

use std::io::BufWriter;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_measure::entry::Entry as Typed;
use wattotherm_printer::PrinterFacts;
use wattotherm_store::{Blob, Files, Incoming, NewPrintFile, Store};
use wattotherm_toolpath::{
    Band, BandKind, BandTable, BandsError, Wanted, apply_edits, band_values, change_by_height,
    check_change,
};

use super::MOST_NAME;
use crate::body::{Body, Path};
use crate::error::{ApiError, Problem};
use crate::live::limits_of;
use crate::moment::now;
use crate::printing::{HELPERS, broke_off};
use crate::state::App;
use crate::typed::{number, number_or, values};

/// Bands as they were typed.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewBands {
    /// What is set.
    pub kind: BandKind,
    /// Value of the first band, in the unit of the kind; for flow a number.
    #[schema(value_type = String)]
    pub first: Typed,
    /// Value of the last band, in the same unit.
    #[schema(value_type = String)]
    pub last: Typed,
    /// Step from band to band, in the same unit.
    #[schema(value_type = String)]
    pub step: Typed,
    /// Height of a band [mm].
    #[schema(value_type = String)]
    pub every: Typed,
    /// Where the first begins [mm].
    #[schema(value_type = String)]
    pub from: Typed,
    /// The printer it is for: its ceiling holds. Without one, that of the most careful hot end does.
    #[serde(default)]
    pub printer_id: Option<i64>,
    /// Flow of the profile, a number; blank for 1.
    #[schema(value_type = String)]
    pub profile_flow: Typed,
}

/// A file that was changed.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct BandsMade {
    /// Number of the new file.
    pub id: i64,
    /// The table of it.
    #[schema(value_type = BandTable)]
    pub table: serde_json::Value,
}

fn wanted(body: &NewBands, ceiling_c: f64) -> Result<Wanted, ApiError> {
    const ANY: [f64; 2] = [-1e4, 1e4];
    let first = number("first", &body.first, ANY)?;
    let last = number_or("last", &body.last, ANY)?.unwrap_or(first);
    let step = number_or("step", &body.step, ANY)?;
    let list = match step {
        None if (last - first).abs() < 1e-12 => Ok(vec![first]),
        None => Err(values("step", "Type the step from band to band.")),
        // Downward is meant where the last is below the first.
        Some(step) => band_values(first, last, step.abs().copysign(last - first))
            .map_err(|e| values("step", e.to_string())),
    }?;
    let wanted = Wanted {
        kind: body.kind,
        values: list,
        every_mm: number("every", &body.every, [0.05, 500.0])?,
        from_mm: number_or("from", &body.from, [0.0, 2_000.0])?.unwrap_or(0.0),
        profile_flow: number_or("profile_flow", &body.profile_flow, [0.2, 3.0])?.unwrap_or(1.0),
        ceiling_c,
    };
    wanted.check().map_err(|e| values("first", e.to_string()))?;
    Ok(wanted)
}

#[utoipa::path(post, path = "/api/v1/prints/bands", request_body = NewBands,
    responses((status = 200, body = Vec<Band>), (status = 422, body = Problem)))]
/// The bands that are being typed, with what the printer makes of each; nothing is kept.
async fn typed_bands(
    State(app): State<App>,
    Body(body): Body<NewBands>,
) -> Result<Json<Vec<Band>>, ApiError> {
    let printer_id = body.printer_id;
    let ceiling_c = app.read(move |store| ceiling_of(store, printer_id)).await?;
    Ok(Json(wanted(&body, ceiling_c)?.bands()))
}

/// The ceiling [°C] in force: of the printer it is for, or of the most careful hot end.
fn ceiling_of(store: &Store, printer_id: Option<i64>) -> Result<f64, ApiError> {
    let careful = || Ok(store.house()?.ceiling(&PrinterFacts::default()).ceiling_c);
    match printer_id {
        None => careful(),
        Some(id) => {
            let (_, limits) = limits_of(store, id)?;
            limits
                .tools
                .first()
                .map_or_else(careful, |t| Ok(t.ceiling_c))
        }
    }
}

/// A file on its way to the disk, written into.
struct Onto<'a>(&'a mut Incoming);

impl std::io::Write for Onto<'_> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.write(bytes).map_err(std::io::Error::other)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// The changed file on the disk, read again, and its table. Nobody who writes to the database waits for it.
fn make(
    files: &Files,
    sha256: &str,
    wanted: &Wanted,
    asks: impl Fn(u64) -> bool,
) -> Result<(Blob, BandTable), ApiError> {
    let changed =
        change_by_height(files.open(sha256)?, wanted, HELPERS, &asks).map_err(|e| match e {
            BandsError::Read(e) => broke_off(e),
            e => values("first", e.to_string()),
        })?;
    let mut incoming = files.begin()?;
    apply_edits(
        files.open(sha256)?,
        &changed.edits,
        BufWriter::with_capacity(1 << 18, Onto(&mut incoming)),
        &asks,
    )
    .map_err(broke_off)?;
    let blob = incoming.keep("application/octet-stream")?;
    check_change(
        files.open(sha256)?,
        files.open(&blob.sha256)?,
        wanted,
        HELPERS,
    )
    .map_err(|e| {
        values(
            "first",
            format!("The changed file was read again and is not what it should be. {e}"),
        )
    })?;
    Ok((blob, changed.table))
}

/// What a changed file is called.
fn called(was: &str, kind: BandKind) -> String {
    let stem = was.rsplit_once('.').map_or(was, |(stem, _)| stem);
    let stem: String = stem.chars().take(MOST_NAME - 40).collect();
    format!("{stem}-{}.gcode", kind.name().replace('_', "-"))
}

#[utoipa::path(post, path = "/api/v1/prints/{id}/bands", params(("id" = i64, Path)), request_body = NewBands,
    responses((status = 201, body = BandsMade), (status = 404, body = Problem), (status = 422, body = Problem), (status = 507, body = Problem)))]
/// Changes a setting by height in a copy of the file; all else stays byte for byte, and the copy is read again.
async fn add_bands(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<NewBands>,
) -> Result<(StatusCode, Json<BandsMade>), ApiError> {
    let printer_id = body.printer_id;
    let (p, ceiling_c) = app
        .read(move |store| Ok((store.print_file(id)?, ceiling_of(store, printer_id)?)))
        .await?;
    let wanted = wanted(&body, ceiling_c)?;
    let files = app.files.clone();
    let (was, kind) = (p.sha256.clone(), wanted.kind);
    let (_asks, asks) = app.readings.begin(Some(id), p.bytes, 2);
    let (blob, table) = tokio::task::spawn_blocking(move || make(&files, &was, &wanted, asks))
        .await
        .map_err(|_| ApiError::Internal)??;
    let table = serde_json::to_value(&table).map_err(broke_off)?;
    let change = table.to_string();
    let id = app
        .with(move |store| {
            let at = now();
            store.enter_blob(&blob, &at)?;
            let new = NewPrintFile {
                sha256: &blob.sha256,
                name: &called(&p.name, kind),
                printer_id: printer_id.or(p.printer_id),
                made_from: Some(p.id),
                change: Some(&change),
                bead_mm: p.bead_mm,
            };
            Ok(store.keep_print_file(&new, &at)?)
        })
        .await?;
    let made = BandsMade { id, table };
    Ok((StatusCode::CREATED, Json(made)))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(typed_bands))
        .routes(routes!(add_bands))
}
