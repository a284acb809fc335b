//! Test pieces as stations ask for them: what is measured on them is what was asked.
#![allow(clippy::unwrap_used)]

use crate::common::Server;
use serde_json::{Value, json};

fn make(s: &Server, set: &Value) -> (u16, Value) {
    let mut wanted = json!({"name": "box", "printer_id": 1});
    for (k, v) in set.as_object().unwrap() {
        wanted[k] = v.clone();
    }
    s.call("POST", "/api/v1/pieces", Some(&wanted))
}

/// Filament that a piece feeds [mm], read by words alone.
fn fed(s: &Server, set: &Value) -> f64 {
    let (status, made) = make(s, set);
    assert_eq!(status, 201, "{made}");
    let page = s.get(&format!("/api/v1/prints/{}", made["id"]));
    let sha = page["print"]["sha256"].as_str().unwrap();
    s.raw_text(&format!("/api/v1/files/{sha}"))
        .lines()
        .filter(|l| l.starts_with("G1 X"))
        .filter_map(|l| l.split_whitespace().find_map(|w| w.strip_prefix('E')))
        .map(|e| e.parse::<f64>().unwrap())
        .sum()
}

#[test]
fn a_piece_has_the_flow_and_the_wall_that_its_station_reckons_with() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let facts = json!({"bed_x_mm": 220, "bed_y_mm": 220, "height_mm": 250, "path": "direct", "hot_end": "all_metal",
        "nozzle_mm": 0.4, "nozzles": 1, "firmware_limit_c": 285});
    let printer = json!({"name": "Boxes", "kind": "test", "facts": facts});
    assert_eq!(s.call("POST", "/api/v1/printers", Some(&printer)).0, 201);
    let usual = fed(&s, &json!({"flow": "100"}));
    assert!((fed(&s, &json!({})) / usual - 1.0).abs() < 1e-9);
    let less = fed(&s, &json!({"flow": "95"}));
    assert!((less / usual - 0.95).abs() < 1e-3, "{less} of {usual}");
    // A wider wall takes more of it.
    let wide = fed(&s, &json!({"set": {"wall": "0.6"}}));
    assert!(wide > 1.3 * usual, "{wide} of {usual}");
    // What can't be meant is said by its name.
    for (set, says) in [
        (json!({"flow": "350"}), "30 to 200 %"),
        (json!({"flow": "x"}), "no number"),
        (json!({"set": {"wall": "1.4"}}), "Thickness of the wall"),
    ] {
        let (status, said) = make(&s, &set);
        assert_eq!(status, 422, "{said}");
        assert!(said.to_string().contains(says), "{says}: {said}");
    }
}
