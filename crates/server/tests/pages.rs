//! The pages' headers, the command line, and the demo.

#![allow(clippy::unwrap_used)]

use std::process::Output;

use crate::common::{Server, run};
use serde_json::{Value, json};

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

#[test]
fn the_page_comes_with_a_strict_policy_and_a_fresh_nonce() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let fetch = || {
        let mut answer = ureq::get(&s.url).call().unwrap();
        let policy = answer.headers()["content-security-policy"]
            .to_str()
            .unwrap()
            .to_owned();
        let sniff = answer.headers()["x-content-type-options"]
            .to_str()
            .unwrap()
            .to_owned();
        (policy, sniff, answer.body_mut().read_to_string().unwrap())
    };
    let (policy, sniff, page) = fetch();
    assert!(
        policy.contains("default-src 'none'") && policy.contains("script-src 'self';"),
        "{policy}"
    );
    assert!(!policy.contains("unsafe"), "{policy}");
    assert_eq!(sniff, "nosniff");
    let nonce = policy
        .split("'nonce-")
        .nth(1)
        .unwrap()
        .split('\'')
        .next()
        .unwrap()
        .to_owned();
    assert!(nonce.len() == 32 && page.contains(&nonce) && !page.contains("__STYLE_NONCE__"));
    assert!(!fetch().0.contains(&nonce), "a nonce is used once");
}

#[test]
fn unknown_pages_are_the_application_and_unknown_assets_are_not() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let status = |path: &str| s.raw("GET", path, None, &[]).unwrap().0;
    assert_eq!((status("/jobs/3/drive"), status("/rules")), (200, 200));
    assert_eq!(
        (
            status("/assets/gone.js"),
            status("/api/v1/oven"),
            status("/api/oven")
        ),
        (404, 404, 404)
    );
    assert_eq!(
        status("/../../etc/passwd"),
        200,
        "a path outside is the one page, never a file"
    );
}

#[test]
fn the_command_line_says_what_is_wrong() {
    let unknown = run(&["evaluate", "oven"], "{}");
    assert!(!unknown.status.success());
    assert!(
        said(&unknown).contains("There is no station “oven”. Stations are drive, tram"),
        "{}",
        said(&unknown)
    );
    let empty = run(&["evaluate", "drive"], "{}");
    assert!(
        said(&empty).contains("Type the steps per millimetre."),
        "{}",
        said(&empty)
    );
    let broken = run(&["evaluate", "drive"], "{\"runs\": [");
    assert!(
        !broken.status.success() && said(&broken).contains("line 1"),
        "{}",
        said(&broken)
    );
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().to_str().unwrap();
    let none = run(&["export", "5", "--data", data], "");
    assert_eq!(said(&none).trim(), "there is no job 5");
    let file = folder.path().join("job.json");
    std::fs::write(&file, "{\n\"wattotherm_job\": \"one\"}").unwrap();
    let import = run(&["import", file.to_str().unwrap(), "--data", data], "");
    assert!(
        said(&import).contains("Line 2") && said(&import).contains("wattotherm_job"),
        "{}",
        said(&import)
    );
}

#[test]
fn export_and_import_by_command_line_agree_with_the_api() {
    let s = Server::demo();
    let file = s.get("/api/v1/jobs/2/export");
    let folder = tempfile::tempdir().unwrap();
    let (path, data) = (
        folder.path().join("job.json"),
        folder.path().to_str().unwrap().to_owned(),
    );
    std::fs::write(&path, serde_json::to_string_pretty(&file).unwrap()).unwrap();
    let imported = run(&["import", path.to_str().unwrap(), "--data", &data], "");
    assert_eq!(
        String::from_utf8_lossy(&imported.stdout).trim(),
        "Imported as job 1.",
        "{}",
        said(&imported)
    );
    let exported = run(&["export", "1", "--data", &data], "");
    let again: Value = serde_json::from_slice(&exported.stdout).unwrap();
    assert_eq!(again, file);
}

#[test]
fn a_context_can_come_with_the_readings() {
    let readings =
        json!({"steps_set": "93", "mark_mm": "120", "feed_mm": "100", "runs": ["27.5", "27"]});
    let input = json!({"readings": readings, "context": {"adjusts_so_far": 3}});
    let out = run(&["evaluate", "drive"], &input.to_string());
    let finding: Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!(finding["facts"]["verdict"], "stop");
    assert_eq!(
        finding["words"]["cause"],
        "3 adjusts without a pass: the cause lies elsewhere"
    );
}

#[test]
fn the_demo_is_one_invented_workshop_with_jobs_at_different_stages() {
    let s = Server::demo();
    let bench = s.get("/api/v1/bench");
    let rows = bench["rows"].as_array().unwrap();
    let names: Vec<&str> = rows
        .iter()
        .map(|r| r["printer"]["name"].as_str().unwrap())
        .collect();
    assert_eq!(names, ["Alder", "Aspen", "Hazel", "Larch", "Rowan", "Yew"]);
    assert!(rows.iter().all(|r| r["printer"]["invented"] == true));
    assert_eq!(
        bench["now"],
        "Yew: Stopped at Drive: resistance downstream of the drive."
    );
    let jobs = s.get("/api/v1/jobs");
    let finished = jobs
        .as_array()
        .unwrap()
        .iter()
        .filter(|j| j["finished_at"].is_string())
        .count();
    assert_eq!((jobs.as_array().unwrap().len(), finished), (7, 1));
    let log = s.get("/api/v1/logbook");
    let entries = log.as_array().unwrap();
    let (newest, oldest) = (
        entries[0]["at"].as_str().unwrap(),
        entries.last().unwrap()["at"].as_str().unwrap(),
    );
    assert!(
        newest > oldest && newest[..4] >= oldest[..4],
        "a year of history: {oldest} to {newest}"
    );
    assert!(
        entries
            .windows(2)
            .all(|w| w[0]["at"].as_str() >= w[1]["at"].as_str()),
        "the invented clock runs forward"
    );
}

#[test]
fn a_station_of_another_job_or_of_none_is_not_found() {
    let s = Server::demo();
    for (path, text) in [
        ("/api/v1/jobs/4/stops/oven", "there is no station “oven”"),
        (
            "/api/v1/jobs/4/stops/heater_loop",
            "Job 4 has no station “heater_loop”.",
        ),
        ("/api/v1/jobs/77/stops/intake", "there is no job 77"),
        ("/api/v1/printers/77", "there is no printer 77"),
    ] {
        let (status, problem) = s.call("GET", path, None);
        assert_eq!((status, problem["detail"].as_str()), (404, Some(text)));
    }
}

#[test]
fn a_closed_station_is_not_closed_twice_and_an_open_job_blocks_a_second() {
    let s = Server::demo();
    let readings = s.get("/api/v1/jobs/3/stops/intake")["readings"].clone();
    let (status, problem) = s.call(
        "POST",
        "/api/v1/jobs/3/stops/intake/close",
        Some(&json!({"readings": readings})),
    );
    assert_eq!(
        (status, problem["detail"].as_str()),
        (409, Some("This station is closed. Reopen it first."))
    );
    let (status, problem) = s.call(
        "POST",
        "/api/v1/jobs",
        Some(&json!({"printer_id": 2, "replaced": ["tube"]})),
    );
    assert_eq!(
        (status, problem["detail"].as_str()),
        (
            409,
            Some("Job 3 is still open on this printer. Finish it first.")
        )
    );
    for (body, text) in [
        (
            json!({"printer_id": 5, "replaced": []}),
            "Choose at least one part that was replaced.",
        ),
        (
            json!({"printer_id": 5, "replaced": ["tube"], "failure_times_min": [-3]}),
            "Type minutes of printing, above 0 and at most 100 000.",
        ),
        (
            json!({"printer_id": 5, "replaced": ["tube"], "complaint": "x".repeat(2001)}),
            "That is too long. Type at most 2000 characters.",
        ),
    ] {
        let (status, problem) = s.call("POST", "/api/v1/jobs", Some(&body));
        assert_eq!((status, problem["detail"].as_str()), (422, Some(text)));
    }
}

#[test]
fn what_a_user_types_never_becomes_markup_or_code() {
    let s = Server::demo();
    let nasty = "<script>alert(1)</script>\nM104 S300";
    let (status, _) = s.call("POST", "/api/v1/logbook", Some(&json!({"text": nasty})));
    assert_eq!(status, 201);
    assert_eq!(
        s.get("/api/v1/logbook")[0]["text"],
        nasty,
        "kept as typed; the page shows it as text"
    );
    let readings =
        json!({"steps_set": "93\nM104 S300", "mark_mm": "120", "feed_mm": "100", "runs": ["27"]});
    let (status, problem) = s.call(
        "POST",
        "/api/v1/stations/drive/evaluate",
        Some(&json!({"readings": readings})),
    );
    assert_eq!(
        (status, problem["errors"][0]["code"].as_str()),
        (422, Some("not_a_number"))
    );
}

#[test]
fn words_find_printers_jobs_customers_filaments_parts_and_notes() {
    let s = Server::demo();
    let note = json!({"text": "the spare drive wheel is in the blue box", "printer_id": 1});
    assert_eq!(s.call("POST", "/api/v1/logbook", Some(&note)).0, 201);
    let kinds = |text: &str| -> Vec<String> {
        let hits = s.get(&format!("/api/v1/find?text={text}"));
        let mut kinds: Vec<String> = hits
            .as_array()
            .unwrap()
            .iter()
            .map(|h| h["kind"].as_str().unwrap().to_owned())
            .collect();
        kinds.dedup();
        kinds
    };
    assert_eq!(kinds("blue%20wheel"), ["note"]);
    assert_eq!(
        kinds("STAGE%20class"),
        ["job"],
        "a customer, whatever the case"
    );
    assert_eq!(kinds("petg"), ["filament"]);
    assert!(kinds("larch").starts_with(&["printer".into(), "job".into()]));
    assert!(kinds("spring%20steel").contains(&"part".into()));
    assert_eq!(
        kinds("%25"),
        Vec::<String>::new(),
        "a sign of the query language is a letter here"
    );
    assert_eq!(kinds(""), Vec::<String>::new());
    assert_eq!(
        kinds("in%20lue%20heel"),
        ["note"],
        "long words and short ones together"
    );
    assert!(
        kinds("in%20bl").contains(&"note".into()),
        "short words alone"
    );
    assert_eq!(
        kinds("%22blue%20OR%20NEAR(wheel)"),
        Vec::<String>::new(),
        "no sign means anything to the index"
    );
    let note = json!({"text": "Schraube \"M3\" ÜBERDREHT", "who": "Zoë"});
    assert_eq!(s.call("POST", "/api/v1/logbook", Some(&note)).0, 201);
    assert_eq!(kinds("%22m3%22%20%C3%BCberdreht%20zo%C3%AB"), ["note"]);
}
