//! The shop's own begin and end of test pieces, tried by the guard before they are kept.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use wattotherm_gcode::{Guard, Words};
use wattotherm_toolpath::{Nozzles, PieceFor, clear_path, make_piece, piece_named};

use super::pieces::{NewPiece, facts};
use crate::body::{Body, Path};
use crate::error::{ApiError, Problem};
use crate::live::limits_of;
use crate::moment::now;
use crate::state::App;

/// Longest block [characters].
const MOST: usize = 4_000;
/// Lines of a piece before the block begins.
const BEFORE: u64 = 2;

/// Begin and end of a printer's test pieces.
#[derive(Deserialize, Serialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PrintBlocks {
    /// Before the piece, with `{nozzle}` and `{bed}` for the temperatures; blank for the usual one.
    pub begin: String,
    /// Behind it; blank for the usual one.
    pub end: String,
}

fn refuse(field: &'static str, message: String) -> ApiError {
    ApiError::Values { field, message }
}

/// What can be read of a block at all.
fn check_text(field: &'static str, text: &str) -> Result<(), ApiError> {
    if text.chars().count() > MOST {
        return Err(refuse(field, format!("Use at most {MOST} characters.")));
    }
    for (n, line) in (1..).zip(text.lines()) {
        if line.chars().any(|c| !(' '..='~').contains(&c) && c != '\t') {
            return Err(refuse(
                field,
                format!("Line {n}: use plain letters and numbers only."),
            ));
        }
        let rest = line.replace("{nozzle}", "").replace("{bed}", "");
        if rest
            .split(';')
            .next()
            .is_some_and(|code| code.contains(['{', '}']))
        {
            return Err(refuse(
                field,
                format!("Line {n}: only {{nozzle}} and {{bed}} are filled in."),
            ));
        }
    }
    Ok(())
}

/// The nozzle (or bed, 0) that a text leaves hot, by the last word on each: the first, and every other that is named.
fn left_hot(text: &str, codes: [&str; 2]) -> Option<u8> {
    let mut hot = BTreeMap::from([(0, true)]);
    let mut in_use = 0;
    for line in text.lines() {
        let said = line.split(';').next().unwrap_or_default().trim();
        let Ok(words) = Words::read(said) else {
            continue;
        };
        if let Some(picked) = words.code().strip_prefix('T') {
            in_use = picked.parse().unwrap_or(in_use);
        }
        if codes.contains(&words.code()) {
            // OK because a cast saturates, and the guard knows how many there are.
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
            let which = words.value('T').map_or(in_use, |t| t as u8);
            hot.insert(which, words.value('S') != Some(0.0));
        }
    }
    hot.into_iter()
        .find_map(|(which, hot)| hot.then_some(which))
}

/// Tries a small piece with these blocks: all that printing one would refuse is refused now.
fn try_out(
    blocks: &PrintBlocks,
    facts: &PieceFor,
    guard: &Guard,
    nozzles: &Nozzles,
) -> Result<(), ApiError> {
    check_text("begin", &blocks.begin)?;
    check_text("end", &blocks.end)?;
    let kind = piece_named("box").ok_or(ApiError::Internal)?;
    let facts = PieceFor {
        start: blocks.begin.clone(),
        end: blocks.end.clone(),
        ..facts.clone()
    };
    let piece = make_piece(kind, &facts, &BTreeMap::new()).map_err(|e| refuse("begin", e.says))?;
    let whose = if blocks.end.trim().is_empty() {
        "The usual"
    } else {
        "This"
    };
    for (codes, what) in [(["M104", "M109"], "nozzle"), (["M140", "M190"], "bed")] {
        let code = codes[0];
        let left = match left_hot(&piece.gcode, codes) {
            None => continue,
            Some(0) => format!("the {what} hot. Add {code} S0."),
            Some(n) => format!("{what} {} hot. Add {code} T{n} S0.", u16::from(n) + 1),
        };
        return Err(refuse("end", format!("{whose} end leaves {left}")));
    }
    let lines = piece.gcode.lines().count() as u64;
    let (begin, end) = (
        blocks.begin.trim_end().lines().count() as u64,
        blocks.end.trim_end().lines().count() as u64,
    );
    let clear = clear_path(piece.gcode.as_bytes(), guard, nozzles, 0, |_| true)
        .map_err(|_| ApiError::Internal)?;
    let Some(first) = clear.refused.first() else {
        return Ok(());
    };
    Err(if end > 0 && first.line > lines - end {
        let n = first.line - (lines - end);
        refuse("end", format!("Line {n}: {}", first.message))
    } else if first.line <= BEFORE + begin {
        let n = first.line.saturating_sub(BEFORE);
        refuse("begin", format!("Line {n}: {}", first.message))
    } else {
        refuse(
            "begin",
            format!(
                "After this begin a piece can’t be printed: {}",
                first.message
            ),
        )
    })
}

#[utoipa::path(get, path = "/api/v1/printers/{id}/blocks", params(("id" = i64, Path)),
    responses((status = 200, body = PrintBlocks), (status = 404, body = Problem)))]
/// Begin and end of a printer's test pieces.
async fn blocks(
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<PrintBlocks>, ApiError> {
    app.read(move |store| {
        store.printer(id)?;
        let [begin, end] = store.print_blocks(id)?;
        Ok(Json(PrintBlocks { begin, end }))
    })
    .await
}

#[utoipa::path(put, path = "/api/v1/printers/{id}/blocks", params(("id" = i64, Path)), request_body = PrintBlocks,
    responses((status = 200, body = PrintBlocks), (status = 404, body = Problem), (status = 422, body = Problem)))]
/// Keeps begin and end of a printer's test pieces, once the guard lets a small piece with them through.
async fn put_blocks(
    State(app): State<App>,
    Path(id): Path<i64>,
    Body(body): Body<PrintBlocks>,
) -> Result<Json<PrintBlocks>, ApiError> {
    let known = app
        .read(move |store| Ok(store.printer(id)?.facts.nozzles))
        .await?;
    let nozzles = app.nozzles_of(id, usize::from(known)).await;
    app.with(move |store| {
        let (_, limits) = limits_of(store, id)?;
        let wanted = NewPiece {
            printer_id: id,
            ..NewPiece::default()
        };
        try_out(&body, &facts(store, &wanted)?, &Guard { limits }, &nozzles)?;
        store.put_print_blocks(id, [body.begin.trim_end(), body.end.trim_end()], &now())?;
        Ok(Json(body))
    })
    .await
}

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(blocks, put_blocks))
}
