//! Eyes on what a simulated printer printed: numbers and photos as somebody at the machine would find them.
//!
//! A second opening beside the protocol, for practice and tests; the application never asks it.

use std::io::Cursor;
use std::sync::{Arc, Mutex, PoisonError};

use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::{Json, Router};
use image::{GrayImage, ImageFormat};
use serde_json::{Value, json};
use wattotherm_twin::port::Running;
use wattotherm_twin::{Eyes, Printed};

#[derive(Clone)]
struct At {
    twin: Running,
    eyes: Arc<Mutex<Eyes>>,
}

impl At {
    fn look<T>(&self, what: impl FnOnce(&mut Eyes, &Printed) -> T) -> T {
        let printed = self.twin.look().printed().clone();
        what(
            &mut self.eyes.lock().unwrap_or_else(PoisonError::into_inner),
            &printed,
        )
    }
}

/// Density of the filament that it prints, PLA [g/cm³].
const DENSITY: f64 = 1.24;

/// Answers until it is ended.
pub async fn serve(twin: Running, seed: u64, listener: tokio::net::TcpListener) {
    let truth = twin.look().truth;
    let at = At {
        twin,
        eyes: Arc::new(Mutex::new(Eyes::new(truth, seed))),
    };
    let app = Router::new()
        .route("/look/{what}", get(look))
        .route("/photo/{what}", get(photo))
        .route("/truth", get(what_is_true))
        .with_state(at);
    // A port that is gone ends the practice, not the printer.
    let _ = axum::serve(listener, app).await;
}

async fn look(State(at): State<At>, Path(what): Path<String>) -> Result<Json<Value>, StatusCode> {
    let seen = match what.as_str() {
        "bands" => at.look(|eyes, printed| {
            let temps = Eyes::band_temps(printed);
            let scores = eyes.bands(&temps);
            json!({"temps_c": temps, "scores": scores})
        }),
        "heaps" => at.look(|eyes, printed| json!({"grams": eyes.heaps(printed, DENSITY)})),
        "lines" => at.look(|eyes, printed| {
            let good: Vec<u32> = eyes.good_lines(printed).iter().map(|i| i + 1).collect();
            json!({"good": good})
        }),
        "cards" => at.look(|eyes, printed| json!({"good": eyes.good_cards(printed)})),
        "posts" => at.look(|eyes, printed| {
            let [strings, gaps] = eyes.posts(printed);
            json!({"strings": strings, "gaps": gaps})
        }),
        "combs" => at.look(|eyes, printed| json!({"teeth": eyes.combs(printed)})),
        "walls" => at.look(|eyes, printed| json!({"sides_mm": eyes.walls(printed)})),
        "patches" => at.look(|eyes, printed| json!({"patches": eyes.patches(printed)})),
        "cube" => at.look(|eyes, printed| json!({"sizes_mm": eyes.cube(printed)})),
        _ => return Err(StatusCode::NOT_FOUND),
    };
    Ok(Json(seen))
}

/// What is true of it: how far off an answer was.
async fn what_is_true(State(at): State<At>) -> Json<Value> {
    let t = at.twin.look().truth;
    Json(json!({
        "best_c": t.best_c, "limit_mm3_s": t.limit_mm3_s, "pressure_s": t.pressure_s, "retract_mm": t.retract_mm,
        "grips_mm_s": t.grips_mm_s, "flow": t.flow, "offset_mm": t.offset_mm, "shrinks": t.shrinks,
        "high_mm": t.high_mm, "tilts": t.tilts,
    }))
}

async fn photo(State(at): State<At>, Path(what): Path<String>) -> Result<Response, StatusCode> {
    let picture: GrayImage = match what.as_str() {
        "posts" => at.look(Eyes::photo_of_posts),
        "above" => at.look(|eyes, printed| eyes.photo_from_above(printed).0),
        _ => return Err(StatusCode::NOT_FOUND),
    };
    let mut png = Cursor::new(Vec::new());
    picture
        .write_to(&mut png, ImageFormat::Png)
        .map_err(|_| StatusCode::INTERNAL_SERVER_ERROR)?;
    Ok(([(header::CONTENT_TYPE, "image/png")], png.into_inner()).into_response())
}
