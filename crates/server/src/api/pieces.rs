//! Test pieces, made for a printer and kept as any sliced part.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::Deserialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_job::stations::flow::density_g_cm3;
use wattotherm_measure::entry::Entry as Typed;
use wattotherm_measure::text::{capital, plain};
use wattotherm_printer::{FilamentPath, Parameter, usual_bed_c};
use wattotherm_store::{NewPrintFile, Store};
use wattotherm_toolpath::{PIECES, PieceError, PieceFor, PieceKind, make_piece, piece_named};

use super::printers::Made;
use crate::body::Body;
use crate::error::{ApiError, Problem};
use crate::live::limits_of;
use crate::moment::now;
use crate::state::App;
use crate::typed::{unbounded_or, values};

/// A piece that is wanted.
#[derive(Default, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPiece {
    /// Its name, e.g. `cube`.
    pub name: String,
    /// The printer.
    pub printer_id: i64,
    /// The filament: its temperature, flow and limit are taken.
    #[serde(default)]
    pub filament_id: Option<i64>,
    /// Nozzle [°C]; blank for the filament's.
    #[serde(default)]
    #[schema(value_type = String)]
    pub nozzle: Typed,
    /// Bed [°C]; blank for the material's.
    #[serde(default)]
    #[schema(value_type = String)]
    pub bed: Typed,
    /// Flow [%]; blank for the filament's.
    #[serde(default)]
    #[schema(value_type = String)]
    pub flow: Typed,
    /// Values by key, as typed, each in the unit of its setting; blank ones stay as they are.
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, String>)]
    pub set: BTreeMap<String, Typed>,
}

/// A printer and a filament as a piece needs them: what is in force, else what is usual.
pub(super) fn facts(store: &Store, wanted: &NewPiece) -> Result<PieceFor, ApiError> {
    let printer = store.printer(wanted.printer_id)?.facts;
    let (_, limits) = limits_of(store, wanted.printer_id)?;
    let usual = PieceFor::default();
    let ceiling_c = limits
        .tools
        .first()
        .map_or(usual.ceiling_c, |t| t.ceiling_c);
    let filament = match wanted.filament_id {
        None => None,
        Some(id) => Some(
            store
                .filaments()?
                .into_iter()
                .find(|f| f.id == id)
                .ok_or_else(|| values("filament_id", "There is no such filament."))?,
        ),
    };
    let in_force = store.settings(wanted.printer_id)?;
    let of = |parameter: Parameter| {
        in_force
            .iter()
            .find(|s| {
                s.parameter == parameter
                    && s.until_at.is_none()
                    && s.filament_id == wanted.filament_id
            })
            .filter(|s| s.filament_id.is_some())
            .and_then(|s| s.value)
    };
    let material = filament.as_ref().map_or("PLA", |f| f.material.as_str());
    let nozzle_c = unbounded_or("nozzle", &wanted.nozzle)?
        .or_else(|| of(Parameter::PrintTemp))
        .unwrap_or(usual.nozzle_c.min(ceiling_c));
    let [start, end] = store.print_blocks(wanted.printer_id)?;
    Ok(PieceFor {
        bed_mm: [printer.bed_x_mm, printer.bed_y_mm],
        height_mm: printer.height_mm,
        bore_mm: printer.nozzle_mm,
        nozzles: printer.nozzles,
        density_g_cm3: density_g_cm3(material).unwrap_or(usual.density_g_cm3),
        nozzle_c,
        ceiling_c,
        bed_c: unbounded_or("bed", &wanted.bed)?
            .or_else(|| usual_bed_c(material))
            .unwrap_or(usual.bed_c),
        flow_limit_mm3_s: of(Parameter::VolumetricLimit).unwrap_or(usual.flow_limit_mm3_s),
        retract_mm: of(Parameter::Retraction).unwrap_or(match printer.path {
            FilamentPath::Direct => 1.0,
            _ => 4.0,
        }),
        flow: unbounded_or("flow", &wanted.flow)?
            .or_else(|| of(Parameter::Flow))
            .map_or(1.0, |percent| percent / 100.0),
        start,
        end,
        ..usual
    })
}

fn refused(kind: &PieceKind, e: &PieceError) -> ApiError {
    let (field, what) = match e.field.as_str() {
        "nozzle_c" => ("nozzle", "Nozzle"),
        "bed_c" => ("bed", "Bed"),
        "flow" => ("flow", "Flow"),
        key => {
            // As its field is called on the page: without its unit.
            let setting = kind.settings.iter().find(|s| s.key == key);
            let says = setting.map_or(key, |s| s.says);
            ("set", says.split(" [").next().unwrap_or(says))
        }
    };
    values(field, format!("{}: {}", capital(what), e.says))
}

#[utoipa::path(get, path = "/api/v1/pieces", responses((status = 200, body = Vec<PieceKind>)))]
/// Test pieces: what each finds, proves and doesn't, and what can be set.
async fn pieces() -> Json<Vec<PieceKind>> {
    Json(PIECES.to_vec())
}

#[utoipa::path(post, path = "/api/v1/pieces", request_body = NewPiece,
    responses((status = 201, body = Made), (status = 404, body = Problem), (status = 422, body = Problem), (status = 507, body = Problem)))]
/// Makes a test piece for a printer, and keeps it as a sliced part.
async fn add_piece(
    State(app): State<App>,
    Body(wanted): Body<NewPiece>,
) -> Result<(StatusCode, Json<Made>), ApiError> {
    let kind = piece_named(&wanted.name)
        .ok_or_else(|| ApiError::NotFound(format!("There is no piece “{}”.", wanted.name)))?;
    let mut set = BTreeMap::new();
    for (key, typed) in &wanted.set {
        if let Some(v) = unbounded_or("set", typed)? {
            set.insert(key.clone(), v);
        }
    }
    let printer_id = wanted.printer_id;
    let facts = app.read(move |store| facts(store, &wanted)).await?;
    let files = app.files.clone();
    let (blob, bead) = tokio::task::spawn_blocking(move || {
        let piece = make_piece(kind, &facts, &set).map_err(|e| refused(kind, &e))?;
        let blob = files.keep(piece.gcode.as_bytes(), "application/octet-stream")?;
        Ok::<_, ApiError>((blob, [facts.width(), facts.layer(), facts.bore_mm]))
    })
    .await
    .map_err(|_| ApiError::Internal)??;
    let [width, layer, bore] = bead;
    let name = format!("{}-{}.gcode", kind.name, plain(bore, 2));
    let id = app
        .with(move |store| {
            let at = now();
            store.enter_blob(&blob, &at)?;
            let new = NewPrintFile {
                sha256: &blob.sha256,
                name: &name,
                printer_id: Some(printer_id),
                made_from: None,
                change: None,
                bead_mm: Some([width, layer]),
            };
            Ok(store.keep_print_file(&new, &at)?)
        })
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(pieces, add_piece))
}
