//! The API as a program sees it: whole jobs, errors word for word, guards.

#![allow(clippy::unwrap_used)]

use crate::common::{Server, run};
use serde_json::{Value, json};
use wattotherm_job::house::ToleranceId;
use wattotherm_store::{OpenOptions, Store};

fn printer(s: &Server, name: &str) -> i64 {
    let gear =
        json!({"full_steps": 200, "microsteps": 16, "gear_ratio": 3, "drive_diameter_mm": 7.3});
    let facts = json!({"bed_x_mm": 235, "bed_y_mm": 235, "height_mm": 250, "path": "tube", "hot_end": "lined", "nozzle_mm": 0.4, "nozzles": 1,
                       "firmware_limit_c": 260, "gear": gear});
    let (status, made) = s.call(
        "POST",
        "/api/v1/printers",
        Some(&json!({"name": name, "kind": "bed-slinger", "facts": facts})),
    );
    assert_eq!(status, 201, "{made}");
    made["id"].as_i64().unwrap()
}

fn filament(s: &Server) -> i64 {
    s.call(
        "POST",
        "/api/v1/filaments",
        Some(&json!({"name": "PETG, green", "material": "PETG"})),
    )
    .1["id"]
        .as_i64()
        .unwrap()
}

fn start(s: &Server, printer: i64, replaced: &[&str], filaments: &[i64]) -> i64 {
    let body = json!({"printer_id": printer, "replaced": replaced, "filament_ids": filaments, "technician": "bench A"});
    let (status, made) = s.call("POST", "/api/v1/jobs", Some(&body));
    assert_eq!(status, 201, "{made}");
    made["id"].as_i64().unwrap()
}

fn close(s: &Server, job: i64, key: &str, over: &Value) -> (u16, Value) {
    let mut readings = s.get(&format!("/api/v1/jobs/{job}/stops/{key}"))["readings"].clone();
    for (k, v) in over.as_object().unwrap() {
        readings[k] = v.clone();
    }
    s.call(
        "POST",
        &format!("/api/v1/jobs/{job}/stops/{key}/close"),
        Some(&json!({"readings": readings})),
    )
}

fn tick(s: &Server, job: i64, key: &str) {
    let n = s.get(&format!("/api/v1/jobs/{job}/stops/{key}"))["readings"]["steps"]
        .as_array()
        .unwrap()
        .len();
    let steps = vec![json!({"state": "done", "reason": ""}); n];
    let (status, got) = close(
        s,
        job,
        key,
        &json!({"steps": steps, "counted_out": 4, "counted_in": 4}),
    );
    assert_eq!(status, 200, "{key}: {got}");
}

fn state(card: &Value, key: &str) -> (String, String) {
    let line = card["lines"]
        .as_array()
        .unwrap()
        .iter()
        .find(|l| l["key"] == key)
        .unwrap_or_else(|| panic!("no {key}"));
    (
        line["state"].as_str().unwrap().into(),
        line["reason"].as_str().unwrap().into(),
    )
}

#[test]
fn a_drive_with_a_wrong_gear_ratio_stops_adjusts_passes_and_opens_what_rests_on_it() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let (p, f) = (printer(&s, "Rowan"), filament(&s));
    let note = json!({"parameter": "drive", "value": 139.5});
    assert_eq!(
        s.call(
            "POST",
            &format!("/api/v1/printers/{p}/settings"),
            Some(&note)
        )
        .0,
        204
    );
    let job = start(&s, p, &["extruder_drive"], &[f]);
    let (status, early) = close(&s, job, "drive", &json!({"runs": ["20"]}));
    assert_eq!(
        (status, early["detail"].as_str()),
        (409, Some("Close “Intake” first: “Drive” rests on it."))
    );
    tick(&s, job, "intake");
    let kept = json!({"report": "echo:  M92 X80.00 Y80.00 Z400.00 E139.50\n"});
    assert_eq!(close(&s, job, "snapshot", &kept).0, 200);
    for key in ["baseline", "fit.extruder_drive", "power_up"] {
        tick(&s, job, key);
    }
    let (_, stop) = close(&s, job, "drive", &json!({"runs": ["86.7", "86.6"]}));
    assert_eq!(
        stop["finding"]["words"]["cause"],
        "the gear ratio of 3 was left out of 139.5 steps/mm"
    );
    assert_eq!(state(&stop["traveller"], "drive").0, "stopped");
    let (_, adjust) = close(
        &s,
        job,
        "drive",
        &json!({"steps_set": "418.6", "runs": ["22.1", "22.0"], "instrument": "caliper"}),
    );
    assert_eq!(
        (
            adjust["finding"]["facts"]["verdict"].as_str(),
            adjust["finding"]["facts"]["after"].as_f64()
        ),
        (Some("adjust"), Some(427.36))
    );
    let (_, again) = close(
        &s,
        job,
        "drive",
        &json!({"runs": ["20.1"], "steps_set": "427.36", "instrument": "rule"}),
    );
    assert_eq!(
        again["status"], 422,
        "a rule and one run can’t settle it: {again}"
    );
    let (_, pass) = close(
        &s,
        job,
        "drive",
        &json!({"runs": ["20.02", "20.0"], "instrument": "caliper"}),
    );
    assert_eq!(pass["finding"]["facts"]["verdict"], "pass");
    let (now, why) = state(&pass["traveller"], &format!("flow.{f}"));
    assert_eq!(
        (now.as_str(), why.as_str()),
        (
            "open",
            "Flow: redo, since the extruder drive was replaced and the drive moved."
        )
    );
    let settings = s.get(&format!("/api/v1/printers/{p}"))["settings"].clone();
    let values: Vec<f64> = settings
        .as_array()
        .unwrap()
        .iter()
        .filter(|x| x["parameter"] == "drive")
        .map(|x| x["value"].as_f64().unwrap())
        .collect();
    assert_eq!(values, [427.36, 139.5], "histories keep the old value");
    let log = s.get(&format!("/api/v1/logbook?job={job}"));
    let stopped = log
        .as_array()
        .unwrap()
        .iter()
        .find(|e| e["verdict"] == "stop")
        .unwrap();
    assert!(
        stopped["superseded_by"].is_i64(),
        "the stop stays, marked as replaced"
    );
}

#[test]
fn evaluate_stores_nothing_and_reads_like_the_command_line() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let readings = json!({"steps_set": "93", "mark_mm": "120", "feed_mm": "100", "instrument": "steel_rule", "runs": ["27.5", "27,0"]});
    let before = s.get("/api/v1/logbook");
    let (status, finding) = s.call(
        "POST",
        "/api/v1/stations/drive/evaluate",
        Some(&json!({"readings": readings})),
    );
    assert_eq!(status, 200);
    assert_eq!(s.get("/api/v1/logbook"), before);
    let out = run(&["evaluate", "drive"], &readings.to_string());
    let printed: Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!(printed, finding);
}

#[test]
fn bad_requests_get_their_status_and_a_text_that_helps() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let evaluate = "/api/v1/stations/drive/evaluate";
    let json_type = [("content-type", "application/json")];
    let cases: [(&str, &str, u16, &str); 8] = [
        (
            evaluate,
            r#"{"readings": {"runs": [NaN]}}"#,
            400,
            "expected value",
        ),
        (
            evaluate,
            r#"{"readings": {"runs": [1e999]}}"#,
            400,
            "number out of range",
        ),
        (evaluate, r#"{"readings": {"runs": "#, 400, "EOF"),
        (
            evaluate,
            r#"{"readings": {"runs": {}}}"#,
            400,
            "runs: invalid type: map, expected a sequence",
        ),
        (
            evaluate,
            r#"{"readings": {}}"#,
            422,
            "Type the steps per millimetre.",
        ),
        (
            "/api/v1/stations/oven/evaluate",
            r#"{"readings": {}}"#,
            404,
            "There is no such station. Stations are drive, tram, offset_z, flow, acceptance, profile, offset_xy, print_temp, volumetric_limit, pressure_advance, retraction, check, snapshot, compare, sensor, heater, heater_loop, hot_tighten, tube_length, probe, mesh, worth, bed_loop, gantry.",
        ),
        (
            "/api/v1/nothing",
            "{}",
            404,
            "There is no such route. See docs/openapi.json.",
        ),
        (
            "/api/v1/printers",
            r#"{"name": "", "kind": "x"}"#,
            422,
            "Type the printer’s name, 1 to 80 characters.",
        ),
    ];
    for (path, body, status, text) in cases {
        let (got, problem) = s.raw("POST", path, Some(body), &json_type).unwrap();
        let said = problem["detail"].as_str().unwrap_or_default();
        assert!(
            got == status && said.contains(text),
            "{body}: {got} {problem}"
        );
    }
    assert_eq!(
        s.raw(
            "POST",
            evaluate,
            Some("{}"),
            &[("content-type", "text/plain")]
        )
        .unwrap()
        .0,
        415
    );
    let big = format!(r#"{{"readings": {{"runs": ["{}"]}}}}"#, "1".repeat(300_000));
    let (status, problem) = s.raw("POST", evaluate, Some(&big), &json_type).unwrap();
    assert_eq!(
        (status, problem["detail"].as_str()),
        (
            413,
            Some("The body is larger than 262144 bytes. Send less.")
        )
    );
    assert_eq!(
        s.call("GET", "/api/v1/jobs/99", None).1["detail"],
        "there is no job 99"
    );
    let twins = |name: &str| {
        s.call(
            "POST",
            "/api/v1/printers",
            Some(&json!({"name": name, "kind": "x"})),
        )
        .0
    };
    assert_eq!((twins("Yew"), twins("Yew")), (201, 409));
}

#[test]
fn foreign_host_and_origin_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let host = s.url.trim_start_matches("http://").to_owned();
    let own = format!("http://{host}");
    let status =
        |headers: &[(&str, &str)]| s.raw("GET", "/api/v1/health", None, headers).unwrap().0;
    assert_eq!(status(&[]), 200);
    assert_eq!(status(&[("origin", &own)]), 200);
    assert_eq!(status(&[("origin", "http://elsewhere.example")]), 403);
    assert_eq!(status(&[("origin", "null")]), 403);
    assert_eq!(status(&[("host", "elsewhere.example")]), 403);
    assert_eq!(
        s.raw("GET", "/", None, &[("host", "elsewhere.example")])
            .unwrap()
            .0,
        403
    );
}

#[test]
fn a_job_goes_out_and_comes_in_again_whole_or_not_at_all() {
    let s = Server::demo();
    let file = s.get("/api/v1/jobs/1/export");
    let folder = tempfile::tempdir().unwrap();
    let other = Server::serve(folder.path());
    let (status, made) = other.call("POST", "/api/v1/import", Some(&file));
    assert_eq!((status, made["id"].as_i64()), (201, Some(1)));
    assert_eq!(other.get("/api/v1/jobs/1/export"), file);
    assert_eq!(other.get("/api/v1/jobs/1")["traveller"]["now"], Value::Null);

    let count = other.get("/api/v1/jobs").as_array().unwrap().len();
    let text = serde_json::to_string_pretty(&file).unwrap();
    let broken = text.replacen("\"verdict\": \"pass\"", "\"verdict\": \"splendid\"", 1);
    let line = broken.lines().position(|l| l.contains("splendid")).unwrap() + 1;
    let (status, problem) = other
        .raw(
            "POST",
            "/api/v1/import",
            Some(&broken),
            &[("content-type", "application/json")],
        )
        .unwrap();
    let said = problem["detail"].as_str().unwrap();
    assert_eq!(status, 400);
    assert!(
        said.starts_with(&format!("Line {line}, column"))
            && said.contains("finding.facts.verdict")
            && said.ends_with("Nothing was imported."),
        "{said}"
    );
    let mut wrong = file.clone();
    wrong["entries"][3]["stop"] = json!("oven");
    let (status, problem) = other.call("POST", "/api/v1/import", Some(&wrong));
    assert_eq!(
        (status, problem["detail"].as_str()),
        (
            422,
            Some("entries.3.stop: There is no station “oven”. Nothing was imported.")
        )
    );
    wrong["wattotherm_job"] = json!(7);
    assert_eq!(other.call("POST", "/api/v1/import", Some(&wrong)).0, 422);
    assert_eq!(other.get("/api/v1/jobs").as_array().unwrap().len(), count);
}

#[test]
fn a_reopened_station_keeps_its_history_and_gives_its_readings_back() {
    let demo = Server::demo();
    let again = json!({"reason": "first layer looks thin"});
    let (status, busy) = demo.call("POST", "/api/v1/jobs/1/stops/offset_z/reopen", Some(&again));
    assert_eq!(status, 409, "another job is open on its printer");
    assert_eq!(
        busy["detail"],
        "Job 7 is open on this printer, and there can be one. Hand it over first; then this one can be opened again."
    );
    // The same job in a shop where its printer has no other.
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let file = demo.get("/api/v1/jobs/1/export");
    assert_eq!(s.call("POST", "/api/v1/import", Some(&file)).0, 201);
    let (status, card) = s.call(
        "POST",
        "/api/v1/jobs/1/stops/offset_z/reopen",
        Some(&json!({"reason": "first layer looks thin"})),
    );
    assert_eq!(status, 200, "{card}");
    assert_eq!(state(&card, "offset_z").0, "open");
    assert_eq!(
        state(&card, "acceptance"),
        (
            "open".into(),
            "Acceptance: again, since a station was opened after it.".into()
        )
    );
    let top = s.get("/api/v1/jobs/1/stops/offset_z");
    assert_eq!(top["readings"]["patches"][0]["t_mm"], "0.20");
    assert_eq!(
        s.call(
            "POST",
            "/api/v1/jobs/1/stops/offset_z/reopen",
            Some(&json!({"reason": " "}))
        )
        .0,
        422
    );
    let log = s.get("/api/v1/logbook?job=1");
    assert_eq!(log[0]["text"], "Reopened: first layer looks thin");
}

#[test]
fn a_filament_left_out_of_a_job_is_in_doubt_until_it_is_worked_through() {
    let s = Server::demo();
    let page = s.get("/api/v1/printers/4");
    let stale: Vec<(&str, i64)> = page["stale"]
        .as_array()
        .unwrap()
        .iter()
        .map(|m| {
            (
                m["parameter"].as_str().unwrap(),
                m["filament_id"].as_i64().unwrap(),
            )
        })
        .collect();
    assert_eq!(
        stale,
        [
            ("flow", 2),
            ("print_temp", 2),
            ("retraction", 2),
            ("volumetric_limit", 2)
        ],
        "the nozzle job and the sensor job named only the first filament"
    );
    let plan = s
        .call(
            "POST",
            "/api/v1/plan",
            Some(&json!({"printer_id": 4, "replaced": ["heater_cartridge"], "filament_ids": [2]})),
        )
        .1;
    let (now, why) = state(&plan, "flow.2");
    assert_eq!(
        (now.as_str(), why.as_str()),
        (
            "open",
            "Flow: verify, since the temperature sensor was replaced in job 7, with another filament."
        )
    );
}

#[test]
fn house_rules_change_the_plan_and_are_logged() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let p = printer(&s, "Alder");
    let has_flow = || {
        let plan = s
            .call(
                "POST",
                "/api/v1/plan",
                Some(&json!({"printer_id": p, "replaced": ["nozzle_same"]})),
            )
            .1;
        plan["lines"]
            .as_array()
            .unwrap()
            .iter()
            .any(|l| l["key"] == "flow")
    };
    assert!(has_flow());
    assert_eq!(
        s.call(
            "PUT",
            "/api/v1/house/rules/same_bore_nozzle",
            Some(&json!({"option": "z_only", "reason": "we weigh spools"}))
        )
        .0,
        204
    );
    assert!(!has_flow());
    let cell = json!({"replacement": "nozzle_same", "parameter": "flow", "strength": "verify", "reason": "our nozzles vary"});
    assert_eq!(s.call("PUT", "/api/v1/house/cells", Some(&cell)).0, 204);
    assert!(has_flow());
    assert_eq!(
        s.call(
            "PUT",
            "/api/v1/house/rules/same_bore_nozzle",
            Some(&json!({"option": "never"}))
        )
        .0,
        422
    );
    let (status, problem) = s.call(
        "PUT",
        "/api/v1/house/tolerances/drive_percent",
        Some(&json!({"value": 50})),
    );
    assert_eq!(
        (status, problem["detail"].as_str()),
        (
            422,
            Some("Drive: length fed can’t be 50 %. Type 0.05 to 5 %.")
        )
    );
    assert_eq!(
        s.get("/api/v1/logbook")[0]["text"],
        "Chain: Flow after nozzle, same bore and material: verify"
    );
}

/// A station's context is kept between keystrokes; anything that changes it must show at once.
#[test]
fn evaluating_in_a_job_follows_every_change_at_once() {
    let s = Server::demo();
    let readings = json!({"steps_set": "418.6", "mark_mm": "120", "feed_mm": "100", "instrument": "caliper", "runs": ["22", "22"]});
    let body = json!({"readings": readings, "job": {"id": 3, "stop": "drive"}});
    let finding = || {
        s.call("POST", "/api/v1/stations/drive/evaluate", Some(&body))
            .1
    };
    assert_eq!(
        (
            &finding()["facts"]["verdict"],
            &finding()["facts"]["verdict"]
        ),
        (&json!("adjust"), &json!("adjust"))
    );
    let wide = json!({"value": 3});
    assert_eq!(
        s.call("PUT", "/api/v1/house/tolerances/drive_percent", Some(&wide))
            .0,
        200
    );
    assert_eq!(finding()["facts"]["verdict"], "pass");
    let narrow = json!({"value": 0.5});
    assert_eq!(
        s.call(
            "PUT",
            "/api/v1/house/tolerances/drive_percent",
            Some(&narrow)
        )
        .0,
        200
    );
    for _ in 0..3 {
        let (status, closed) = close(&s, 3, "drive", &readings);
        assert_eq!(status, 200, "{closed}");
    }
    assert_eq!(
        finding()["words"]["cause"],
        "3 adjusts without a pass: the cause lies elsewhere"
    );
    let gone = json!({"readings": readings, "job": {"id": 99, "stop": "drive"}});
    assert_eq!(
        s.call("POST", "/api/v1/stations/drive/evaluate", Some(&gone))
            .0,
        404
    );
}

/// What a station needs to know is kept between keystrokes for those who type as well.
#[test]
fn typing_at_a_station_follows_every_change_at_once() {
    let s = Server::demo();
    let mut typed = 0;
    let mut keep = || {
        typed += 1;
        let body = json!({"base": 0, "changes": [{"path": "/steps_set", "value": format!("{}", 400 + typed)}]});
        s.call("PUT", "/api/v1/jobs/3/stops/drive/draft", Some(&body))
    };
    let lengths = |answer: &Value| {
        answer["form"]
            .to_string()
            .matches("\"symbol\":\"mm\"")
            .count()
    };
    let (first, second) = (keep(), keep());
    assert_eq!((first.0, second.0), (200, 200));
    assert!(
        lengths(&first.1) > 0 && lengths(&first.1) == lengths(&second.1),
        "{}",
        first.1
    );
    let inches = json!({"temperature": "fahrenheit", "length": "inch"});
    assert_eq!(s.call("PUT", "/api/v1/house/units", Some(&inches)).0, 204);
    assert_eq!(
        lengths(&keep().1),
        0,
        "a form in inches asks for no millimetres"
    );
    let mm = json!({"temperature": "celsius", "length": "millimetre"});
    assert_eq!(s.call("PUT", "/api/v1/house/units", Some(&mm)).0, 204);
    let readings = json!({"steps_set": "418.6", "mark_mm": "120", "feed_mm": "100", "instrument": "caliper", "runs": ["20", "20"]});
    let (status, closed) = close(&s, 3, "drive", &readings);
    assert_eq!(
        (status, &closed["finding"]["facts"]["verdict"]),
        (200, &json!("pass")),
        "{closed}"
    );
    assert_eq!(keep().0, 409, "closed meanwhile");
    let nowhere = json!({"base": 0, "changes": []});
    for (place, answer) in [
        ("jobs/3/stops/nowhere", 404),
        ("jobs/3/stops/acceptance", 200),
        ("jobs/99/stops/drive", 404),
    ] {
        let path = format!("/api/v1/{place}/draft");
        assert_eq!(s.call("PUT", &path, Some(&nowhere)).0, answer, "{place}");
    }
}

/// A job may be imported into the file while pages are open.
#[test]
fn what_another_program_writes_into_the_file_is_followed_at_once() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let job = start(&s, printer(&s, "Rowan"), &["extruder_drive"], &[]);
    let readings = json!({"steps_set": "418.6", "mark_mm": "120", "feed_mm": "100", "instrument": "caliper", "runs": ["22", "22"]});
    let body = json!({"readings": readings, "job": {"id": job, "stop": "drive"}});
    let verdict = || {
        let path = "/api/v1/stations/drive/evaluate";
        s.call("POST", path, Some(&body)).1["facts"]["verdict"].clone()
    };
    assert_eq!((verdict(), verdict()), (json!("adjust"), json!("adjust")));
    let file = folder.path().join("wattotherm.sqlite");
    let mut other = Store::open(&file, OpenOptions::default()).unwrap();
    let at = "2026-12-01T09:00:00Z";
    other
        .set_tolerance(ToleranceId::DrivePercent, 3.0, at)
        .unwrap();
    assert_eq!(verdict(), json!("pass"));
}

#[test]
fn the_committed_descriptions_are_not_stale() {
    let committed = include_str!("../../../docs/openapi.json");
    assert_eq!(
        committed.trim(),
        wattotherm_server::openapi_json().trim(),
        "run: make api"
    );
    let schema = include_str!("../../../docs/job.schema.json");
    assert_eq!(
        schema.trim(),
        wattotherm_server::job_schema_json().trim(),
        "run: make api"
    );
}

#[test]
fn every_operation_of_the_description_has_a_sentence() {
    let api: Value = serde_json::from_str(&wattotherm_server::openapi_json()).unwrap();
    for (path, methods) in api["paths"].as_object().unwrap() {
        for (method, operation) in methods.as_object().unwrap() {
            let says = [&operation["summary"], &operation["description"]];
            let sentence = says
                .iter()
                .filter_map(|s| s.as_str())
                .any(|s| s.trim().len() > 12);
            assert!(sentence, "{method} {path}");
        }
    }
}

#[test]
fn what_only_one_kind_of_system_has_stands_in_modules_of_its_own() {
    fn look(at: &std::path::Path, found: &mut Vec<String>) {
        for entry in std::fs::read_dir(at).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                if !path.ends_with("system") && !path.ends_with("tests") {
                    look(&path, found);
                }
            } else if path.extension().is_some_and(|e| e == "rs") {
                let text = std::fs::read_to_string(&path).unwrap();
                let marks = [
                    "cfg(unix)",
                    "cfg(not(unix))",
                    "os::unix",
                    "signal::unix",
                    "rustix",
                    "SerialStream::pair",
                ];
                if marks.iter().any(|m| text.contains(m)) {
                    found.push(path.display().to_string());
                }
            }
        }
    }
    let mut found = Vec::new();
    let crates = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    look(&crates, &mut found);
    assert_eq!(found, Vec::<String>::new());
}
