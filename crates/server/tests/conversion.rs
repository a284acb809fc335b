//! A lined hot end becomes all-metal, and a bore another one, in a job: everything follows at once.

#![allow(clippy::unwrap_used)]

use crate::common::Server;
use crate::common::printer::Printer;
use serde_json::{Value, json};
use wattotherm_twin::port::Speed;
use wattotherm_twin::{Build, Kind, Twin};

/// Closes the station that the traveller is at, as a technician who has nothing to remark; `told` of a new part.
fn close_now(s: &Server, job: i64, told: &[(&str, &str)]) -> String {
    let page = s.get(&format!("/api/v1/jobs/{job}"));
    let key = page["traveller"]["now"].as_str().unwrap().to_owned();
    let worktop = s.get(&format!("/api/v1/jobs/{job}/stops/{key}"));
    let mut readings = worktop["readings"].clone();
    if let Some(steps) = readings.get_mut("steps").and_then(Value::as_array_mut) {
        for step in steps {
            step["state"] = json!("done");
        }
    }
    if key.starts_with("fit.") {
        readings["counted_out"] = json!("3");
        readings["counted_in"] = json!("3");
        for (path, text) in told {
            if readings["fitted"].get(*path).is_some() {
                readings["fitted"][*path] = json!(text);
            }
        }
    }
    if key == "snapshot" {
        readings["none_because"] = json!("the printer answers nothing");
    }
    let (status, got) = s.call(
        "POST",
        &format!("/api/v1/jobs/{job}/stops/{key}/close"),
        Some(&json!({ "readings": readings })),
    );
    assert_eq!(status, 200, "{key}: {got}");
    key
}

fn sent(s: &Server, printer: i64, line: &str) -> (u16, Value) {
    let body = json!({ "line": line });
    s.call(
        "POST",
        &format!("/api/v1/printers/{printer}/send"),
        Some(&body),
    )
}

#[test]
fn a_conversion_lifts_ceiling_guard_targets_and_page_at_once_and_reopening_takes_it_back() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let facts = json!({"firmware_limit_c": 300.0, "hot_end": "lined", "nozzle_mm": 0.4});
    let body = json!({"name": "Osier", "kind": "bed-slinger", "facts": facts});
    let printer = s.call("POST", "/api/v1/printers", Some(&body)).1["id"]
        .as_i64()
        .unwrap();
    let old = json!({"parameter": "ceiling", "value": 235.0});
    assert_eq!(
        s.call(
            "POST",
            &format!("/api/v1/printers/{printer}/settings"),
            Some(&old)
        )
        .0,
        204
    );

    let twin = Twin::new(Build::new(Kind::Standard, 3, []), 3);
    let twin = Printer::new(twin, Speed::Times(5.0));
    twin.connect(&s, printer);

    let (status, refused) = sent(&s, printer, "M104 S250");
    assert_eq!(status, 422, "{refused}");
    assert!(
        refused["detail"].as_str().unwrap().contains("235 °C"),
        "{refused}"
    );

    let job = json!({"printer_id": printer, "replaced": ["heat_break_to_all_metal", "nozzle_other_bore"]});
    let job = s.call("POST", "/api/v1/jobs", Some(&job)).1["id"]
        .as_i64()
        .unwrap();
    let told = [("nozzle.bore_mm", "0.6"), ("nozzle.material", "steel")];
    let mut closed = Vec::new();
    while closed
        .iter()
        .filter(|k: &&String| k.starts_with("fit."))
        .count()
        < 2
    {
        closed.push(close_now(&s, job, &told));
    }

    // The guard.
    let (status, taken) = sent(&s, printer, "M104 S250");
    assert_eq!(status, 200, "{taken}");
    assert_eq!(sent(&s, printer, "M104 S0").0, 200);
    // The page: facts, parts, and no ceiling in force that was found with the liner.
    let page = s.get(&format!("/api/v1/printers/{printer}"));
    assert_eq!(page["printer"]["facts"]["hot_end"], "all_metal");
    assert_eq!(page["printer"]["facts"]["nozzle_mm"], 0.6);
    assert_eq!(page["typed"]["nozzle.material"], "steel");
    let link = page["chain"]
        .as_array()
        .unwrap()
        .iter()
        .find(|l| l["parameter"] == "ceiling")
        .unwrap();
    assert_eq!(link["values"], json!([]));
    // What stations expect: the ceiling's own, the profile's and the height's.
    let at = |key: &str| s.get(&format!("/api/v1/jobs/{job}/stops/{key}"));
    assert_eq!(at("profile")["readings"]["bore"], "0.6");
    assert_eq!(at("offset_z")["readings"]["commanded_mm"], "0.3");
    assert_eq!(at("ceiling")["readings"]["nozzle"], "steel");
    // The plan: the ceiling is to be found anew.
    let lines = s.get(&format!("/api/v1/jobs/{job}"))["traveller"]["lines"].clone();
    let ceiling = lines
        .as_array()
        .unwrap()
        .iter()
        .find(|l| l["key"] == "ceiling")
        .unwrap();
    assert_eq!(ceiling["state"], "open");

    // The old heat break goes back in: the liner holds everything down again.
    let fit = closed.iter().find(|k| k.contains("all_metal")).unwrap();
    let why = json!({"reason": "the thread was torn"});
    let (status, got) = s.call(
        "POST",
        &format!("/api/v1/jobs/{job}/stops/{fit}/reopen"),
        Some(&why),
    );
    assert_eq!(status, 200, "{got}");
    let (status, refused) = sent(&s, printer, "M104 S250");
    assert_eq!(status, 422, "{refused}");
    let page = s.get(&format!("/api/v1/printers/{printer}"));
    assert_eq!(page["printer"]["facts"]["hot_end"], "lined");
    assert_eq!(page["printer"]["facts"]["nozzle_mm"], 0.6);
}

#[test]
fn a_printer_is_added_and_put_right_by_its_form_with_problems_at_their_fields() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let fields = s.get("/api/v1/printer-fields");
    assert!(fields.as_array().unwrap().iter().all(|f| f["find"] != ""));
    let mut typed = json!({"name": "Sallow", "kind": "cube", "fields": {
        "heater_cartridge.power_w": "400", "control_board.supply_v": "230", "frame.x_mm": "wide"}});
    let (status, problem) = s.call("POST", "/api/v1/printers/typed", Some(&typed));
    assert_eq!(status, 422);
    let wrong: Vec<&str> = problem["errors"]
        .as_array()
        .unwrap()
        .iter()
        .map(|e| e["field"].as_str().unwrap())
        .collect();
    assert_eq!(
        wrong,
        [
            "frame.x_mm",
            "heater_cartridge.power_w",
            "control_board.supply_v"
        ]
    );
    typed["fields"] = json!({"heater_cartridge.power_w": "60"});
    let (status, made) = s.call("POST", "/api/v1/printers/typed", Some(&typed));
    assert_eq!(status, 201, "{made}");
    let path = format!("/api/v1/printers/{}", made["id"]);
    // Unknown is unknown: what was not typed doesn't come back as if it had been.
    assert_eq!(
        s.get(&path)["typed"],
        json!({"heater_cartridge.power_w": "60"})
    );
    assert_eq!(s.get(&path)["printer"]["facts"]["supply_v"], Value::Null);
    typed["fields"] = json!({});
    assert_eq!(s.call("PUT", &path, Some(&typed)).0, 204);
    assert_eq!(s.get(&path)["typed"], json!({}));
    let retire = json!({"retired": true});
    assert_eq!(
        s.call("PUT", &format!("{path}/retired"), Some(&retire)).0,
        204
    );
    let bench = s.get("/api/v1/bench");
    assert_eq!(
        (
            bench["rows"].as_array().unwrap().len(),
            &bench["retired"][0]["name"]
        ),
        (0, &json!("Sallow"))
    );
    let job = json!({"printer_id": made["id"], "replaced": ["nozzle_same"]});
    assert_eq!(s.call("POST", "/api/v1/jobs", Some(&job)).0, 409);
}
