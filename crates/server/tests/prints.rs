//! Sliced parts over HTTP, and the commands that read them.
#![allow(clippy::unwrap_used)]

use std::process::Command;

use crate::common::Server;
use serde_json::{Value, json};

/// A wall of four sides, 15 layers; one of them wants more than a nozzle gives.
fn part() -> String {
    let mut out = String::from("M83\nG90\nM104 S210\nM106 S128\nG28\n");
    for l in 1..=15 {
        out += &format!(
            "G1 Z{:.1} F600\nG1 E-0.8 F2100\nG0 X20 Y20 F7800\nG1 E0.8 F2100\nG1 F1800\n",
            0.2 * f64::from(l)
        );
        for (x, y) in [(50, 20), (50, 50), (20, 50), (20, 20)] {
            out += &format!("G1 X{x} Y{y} E1\n");
        }
    }
    out + "M104 S0\n"
}

fn send(s: &Server, name: &str, bytes: &[u8]) -> (u16, Value) {
    s.post_bytes(&format!("/api/v1/prints?name={name}"), bytes)
}

#[test]
fn a_part_is_kept_once_looked_through_drawn_changed_and_let_go() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let (status, made) = send(&s, "wall.gcode", part().as_bytes());
    assert_eq!(status, 201, "{made}");
    let (_, again) = send(&s, "other-name.gcode", part().as_bytes());
    assert_eq!(made["id"], again["id"]);
    let at = format!("/api/v1/prints/{}", made["id"]);
    let (_, page) = s.call("GET", &at, None);
    assert_eq!(page["print"]["name"], "wall.gcode");
    assert_eq!(page["layers"].as_array().unwrap().len(), 15);
    assert!((page["bead"]["height_mm"].as_f64().unwrap() - 0.2).abs() < 1e-9);
    assert_eq!(
        (&page["retractions"], &page["wrong"]),
        (&json!(15), &json!(0))
    );
    let (status, layer) = s.call(
        "GET",
        &format!("{at}/layers/{}", page["layers"][3]["line"]),
        None,
    );
    assert_eq!(status, 200, "{layer}");
    // Four beads, and the travel to where the next layer begins is none: it is the same place.
    let widths = layer["widths_mm"].as_array().unwrap();
    assert_eq!(
        widths.iter().filter(|w| w.as_f64().unwrap() > 0.0).count(),
        4
    );
    assert_eq!(s.call("GET", &format!("{at}/layers/1"), None).0, 404);

    let bands = |first: &str, last: &str, step: &str, every: &str| {
        let body = json!({"kind": "flow", "first": first, "last": last, "step": step, "every": every, "from": "", "profile_flow": "1,12"});
        s.call("POST", &format!("{at}/bands"), Some(&body))
    };
    let typed = json!({"kind": "flow", "first": "1.3", "last": "1.1", "step": "0.1", "every": "2", "from": "1", "profile_flow": ""});
    let (status, meant) = s.call("POST", "/api/v1/prints/bands", Some(&typed));
    assert_eq!(status, 200, "{meant}");
    let from: Vec<f64> = meant
        .as_array()
        .unwrap()
        .iter()
        .map(|b| b["from_mm"].as_f64().unwrap())
        .collect();
    assert_eq!(
        (from, &meant[2]["value"]),
        (vec![1.0, 3.0, 5.0], &json!(1.1))
    );
    let (status, got) = bands("1,15", "1.25", "0.05", "1");
    assert_eq!(status, 201, "{got}");
    let effective: Vec<f64> = got["table"]["bands"]
        .as_array()
        .unwrap()
        .iter()
        .map(|b| b["effective"].as_f64().unwrap())
        .collect();
    assert_eq!(effective, [1.288, 1.344, 1.4]);
    let (_, new) = s.call("GET", &format!("/api/v1/prints/{}", got["id"]), None);
    assert_eq!(new["print"]["name"], "wall-flow.gcode");
    assert_eq!(new["print"]["made_from"], made["id"]);
    assert_eq!(new["print"]["change"]["bands"].as_array().unwrap().len(), 3);
    assert!(new["filament_mm"].as_f64().unwrap() > 1.1 * page["filament_mm"].as_f64().unwrap());

    for (typed, field, says) in [
        (("much", "1.2", "0.1", "1"), "first", "“much” is no number"),
        (("1.1", "1.5", "0.1", "1"), "first", "outside the part"),
        (("1.1", "1.2", "", "1"), "step", "Type the step"),
        (("9", "", "", "1"), "first", "beyond its limits"),
        (("1.1", "", "", "0"), "every", "can’t be meant"),
    ] {
        let (status, problem) = bands(typed.0, typed.1, typed.2, typed.3);
        assert_eq!(status, 422, "{problem}");
        assert_eq!(problem["errors"][0]["field"], field, "{problem}");
        assert!(
            problem["detail"].as_str().unwrap().contains(says),
            "{problem}"
        );
    }

    // How hot it may become is the printer's affair; of no printer, that of a lined hot end.
    let hot = |printer: Value| {
        let body = json!({"kind": "temperature", "first": "250", "last": "", "step": "", "every": "4", "from": "", "profile_flow": "", "printer_id": printer});
        s.call("POST", &format!("{at}/bands"), Some(&body))
    };
    let (status, problem) = hot(Value::Null);
    assert_eq!(status, 422, "{problem}");
    assert!(
        problem["detail"]
            .as_str()
            .unwrap()
            .contains("above the ceiling of 235 °C")
    );
    let metal = json!({"name": "Metal", "kind": "bed-slinger", "facts": {"hot_end": "all_metal", "firmware_limit_c": 290}});
    let metal = &s.call("POST", "/api/v1/printers", Some(&metal)).1["id"];
    let (status, made) = hot(json!(metal));
    assert_eq!(status, 201, "{made}");
    assert_eq!(hot(json!(99)).0, 404);

    let (_, both) = s.call("GET", &format!("{at}/beside/{}", got["id"]), None);
    assert!(both["saved_percent"].as_f64().unwrap().abs() < 1e-6);
    let bore = |width: &str, height: &str| {
        let body = json!({"width": width, "height": height, "speed": "", "flow_limit": "12"});
        s.call("POST", &format!("{at}/bore"), Some(&body))
    };
    let (status, estimate) = bore("0.65", "0.3");
    assert_eq!(
        (status, &estimate["layers_then"]),
        (200, &json!(10)),
        "{estimate}"
    );
    assert_eq!(bore("0.2", "0.3").0, 422);

    assert_eq!(s.call("DELETE", &at, None).0, 204);
    assert_eq!(s.call("GET", &at, None).0, 404);
    // What was made of it stays.
    let (_, left) = s.call("GET", "/api/v1/prints", None);
    let names: Vec<&str> = left
        .as_array()
        .unwrap()
        .iter()
        .map(|p| p["name"].as_str().unwrap())
        .collect();
    assert_eq!(names, ["wall-temperature.gcode", "wall-flow.gcode"]);
    assert!(
        left.as_array()
            .unwrap()
            .iter()
            .all(|p| p["made_from"].is_null())
    );
}

#[test]
fn what_is_no_part_is_refused_kindly() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let (status, problem) = send(&s, "notes.txt", b"buy filament\n");
    assert_eq!(
        (status, &problem["errors"][0]["field"]),
        (422, &json!("file")),
        "{problem}"
    );
    assert_eq!(send(&s, "", part().as_bytes()).0, 422);
    assert_eq!(send(&s, "none.gcode", b"").0, 422);
    assert_eq!(s.call("GET", "/api/v1/prints/7", None).0, 404);
}

fn wattotherm(arguments: &[&str]) -> (bool, String, String) {
    let out = Command::new(env!("CARGO_BIN_EXE_wattotherm"))
        .args(arguments)
        .output()
        .unwrap();
    let text = |b: &[u8]| String::from_utf8_lossy(b).into_owned();
    (out.status.success(), text(&out.stdout), text(&out.stderr))
}

#[test]
fn the_command_line_times_changes_and_compares() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    std::fs::write(
        at("square"),
        "G90\nM83\nG1 X50 F6000\nG1 Y50\nG1 X0\nG1 Y0\n",
    )
    .unwrap();
    std::fs::write(
        at("limits"),
        r#"{"accel_mm_s2": 1000, "junction_mm": 0.05}"#,
    )
    .unwrap();
    let (good, out, _) = wattotherm(&["path", &at("square"), "--limits", &at("limits"), "--json"]);
    let got: Value = serde_json::from_str(&out).unwrap();
    assert!(good && (got["seconds"].as_f64().unwrap() - 2.337_70).abs() < 5e-6);
    for key in [
        "filament_mm",
        "retractions",
        "bounds",
        "layers",
        "binds",
        "diagnostics",
    ] {
        assert!(got.get(key).is_some(), "{key}");
    }
    std::fs::write(at("bad"), r#"{"accel": 1000}"#).unwrap();
    let (good, _, says) = wattotherm(&["path", &at("square"), "--limits", &at("bad")]);
    assert!(!good && says.contains("accel"), "{says}");

    std::fs::write(at("part"), part()).unwrap();
    let bands = |set: &str, every: &str| {
        wattotherm(&[
            "bands",
            &at("part"),
            "--set",
            set,
            "--every",
            every,
            "--profile-flow",
            "1.12",
            "-o",
            &at("out"),
        ])
    };
    let (good, out, says) = bands("flow=1.15:1.25:0.05", "1");
    assert!(good && out.contains("1.344"), "{out}{says}");
    let changed = std::fs::read_to_string(at("out")).unwrap();
    let ours = |l: &&str| !l.starts_with("M221");
    assert_eq!(
        changed.lines().filter(ours).collect::<Vec<_>>(),
        part().lines().collect::<Vec<_>>()
    );
    assert_eq!(changed.matches("M221 S").count(), 4);
    let (good, _, says) = bands("temperature=230:260:10", "0.5");
    assert!(
        !good && says.contains("above the ceiling of 240 °C"),
        "{says}"
    );
    let (good, _, says) =
        wattotherm(&["bands", &at("part"), "--set", "flow=1.1", "-o", &at("part")]);
    assert!(!good && says.contains("a name of its own"), "{says}");
    assert_eq!(std::fs::read_to_string(at("part")).unwrap(), part());

    let (good, out, _) = wattotherm(&["bores", &at("part"), &at("out"), "--json"]);
    let got: Value = serde_json::from_str(&out).unwrap();
    assert!(good && got["a"]["seconds"] == got["b"]["seconds"]);
    let (good, out, _) = wattotherm(&["bores", &at("part"), "--width", "0.65", "--height", "0.3"]);
    assert!(good && out.contains("An estimate"), "{out}");
}
