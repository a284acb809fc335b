//! Connected printers through the API: guard, record, routines, power cuts of either side.

#![allow(clippy::unwrap_used)]

mod common;

use std::time::{Duration, Instant};

use common::printer::Printer;
use common::{Page, Server};
use serde_json::{Value, json};
use wattotherm_twin::port::Speed;
use wattotherm_twin::{Build, Fault, Kind, Twin};

fn twin(seed: u64, faults: &[Fault], speed: f64) -> Printer {
    let build = Build::new(Kind::Standard, seed, faults.iter().copied());
    Printer::new(Twin::new(build, seed), Speed::Times(speed))
}

fn printer(s: &Server, name: &str) -> i64 {
    let body = json!({"name": name, "kind": "bed-slinger", "facts": {"firmware_limit_c": 260.0}});
    s.call("POST", "/api/v1/printers", Some(&body)).1["id"]
        .as_i64()
        .unwrap()
}

fn connected(s: &Server, id: i64, host: &str) -> Value {
    let body = json!({"address": {"kind": "tcp", "host": host}});
    let (status, got) = s.call("POST", &format!("/api/v1/printers/{id}/link"), Some(&body));
    assert_eq!(status, 200, "{got}");
    got
}

fn send(s: &Server, id: i64, line: &str) -> (u16, Value) {
    s.call(
        "POST",
        &format!("/api/v1/printers/{id}/send"),
        Some(&json!({ "line": line })),
    )
}

fn within(seconds: u64, mut holds: impl FnMut() -> bool) -> bool {
    let until = Instant::now() + Duration::from_secs(seconds);
    while Instant::now() < until {
        if holds() {
            return true;
        }
        std::thread::sleep(Duration::from_millis(40));
    }
    holds()
}

fn live(s: &Server, id: i64) -> Value {
    let all = s.get("/api/v1/live/now");
    all.as_array()
        .unwrap()
        .iter()
        .find(|p| p["printer_id"] == id)
        .cloned()
        .unwrap_or_default()
}

#[test]
fn the_guard_the_record_and_the_read_back_stand_behind_the_api() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let t = twin(1, &[], 20.0);
    let id = printer(&s, "Alder");
    assert_eq!(
        send(&s, id, "M105").1["detail"],
        "This printer isn’t connected. Connect it first."
    );
    let got = connected(&s, id, &t.host);
    assert_eq!(
        (got["status"]["state"].as_str(), got["nozzle"].as_str()),
        (Some("connected"), Some("safe"))
    );
    let (status, refused) = send(&s, id, "M104 S250");
    assert_eq!(
        (status, refused["code"].as_str(), refused["detail"].as_str()),
        (
            422,
            Some("refused"),
            Some(
                "250 °C is above the ceiling of 235 °C, held down by the liner. Nothing was sent; ask for 235 °C or less."
            )
        )
    );
    let (status, kept) = send(&s, id, "M92 E417.25");
    assert_eq!(status, 200);
    assert_eq!(
        kept["written"]["says"],
        "Written, stored, and read back from the printer’s memory."
    );
    // However it is written: what sets a value is read back.
    let (_, close) = send(&s, id, "m92e417.25");
    assert!(close["written"].is_object(), "{close}");
    let wire = s.get(&format!("/api/v1/printers/{id}/wire?find=E417.25"));
    assert!(
        wire.as_array().unwrap().iter().any(|w| w["way"] == "sent"),
        "{wire}"
    );
    assert_eq!(
        s.get(&format!("/api/v1/printers/{id}/report"))["gains"],
        json!(["22.40", "1.32", "95.00"])
    );
    assert!(within(5, || s
        .get(&format!("/api/v1/printers/{id}/curve?seconds=60"))["samples"]
        .as_array()
        .unwrap()
        .len()
        > 5));
    let (_, said) = s.call("DELETE", &format!("/api/v1/printers/{id}/link"), None);
    assert_eq!(said["says"], "Closed; heaters are off.");
    assert_eq!(live(&s, id), Value::Null);
    // A stricter house rule binds a connected printer's guard too.
    connected(&s, id, &t.host);
    let facts = json!({"parameter": "ceiling", "value": 220.0});
    s.call(
        "POST",
        &format!("/api/v1/printers/{id}/settings"),
        Some(&facts),
    );
    assert!(within(8, || send(&s, id, "M104 S230").1["detail"]
        .as_str()
        .unwrap_or_default()
        .contains("ceiling of 220 °C")));
}

#[test]
fn a_routine_goes_on_without_a_page_and_its_result_waits_in_the_draft() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let t = twin(2, &[], 100.0);
    let id = printer(&s, "Rowan");
    let body = json!({"printer_id": id, "replaced": ["heater_cartridge"], "technician": "bench A"});
    let job = s.call("POST", "/api/v1/jobs", Some(&body)).1["id"]
        .as_i64()
        .unwrap();
    connected(&s, id, &t.host);
    let path = format!("/api/v1/printers/{id}/routine");
    let tune = json!({"kind": "autotune", "target_c": 210, "job": job, "stop": "heater_loop"});
    assert_eq!(s.call("POST", &path, Some(&tune)).0, 202);
    let (status, busy) = s.call("POST", &path, Some(&tune));
    assert_eq!(
        (status, busy["detail"].as_str()),
        (
            409,
            Some("A routine runs already (autotune). Stop it, or wait for its end.")
        )
    );
    let station = format!("/api/v1/jobs/{job}/stops/heater_loop");
    assert!(
        within(60, || s.get(&station)["readings"]["tune"]["plant"]
            .is_object()),
        "{}",
        live(&s, id)
    );
    assert_eq!(t.running.look().targets_c(), (0.0, 0.0));
    let readings = s.get(&station)["readings"].clone();
    let trace = readings["tune"]["trace"].as_i64().unwrap();
    assert!(
        s.get(&format!("/api/v1/traces/{trace}"))["all"]
            .as_u64()
            .unwrap()
            > 50
    );
    let rules = json!({"plant": readings["tune"]["plant"]["plant"], "ultimate": readings["tune"]["ultimate"], "target_c": 210, "set": "P 22.40 I 1.32 D 95.00"});
    let (status, runs) = s.call("POST", "/api/v1/heat/rules", Some(&rules));
    assert_eq!((status, runs["runs"].as_array().unwrap().len()), (200, 7));
    assert!(runs["set"]["figures"]["overshoot_c"].is_number());
    // Stopped by hand: the heater goes off, and what was found before stays.
    assert_eq!(s.call("POST", &path, Some(&tune)).0, 202);
    assert!(within(20, || live(&s, id)["status"]["heaters"] == "on"));
    assert_eq!(s.call("DELETE", &path, None).0, 202);
    assert!(
        within(20, || live(&s, id)["routine"]["done"]["failed"]
            == "Stopped by hand. Heaters are set to 0."),
        "{}",
        live(&s, id)
    );
    assert_eq!(s.get(&station)["readings"]["tune"]["trace"], trace);
}

#[test]
fn a_breaking_sensor_ends_a_routine_and_its_log_says_why() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let t = twin(8, &[Fault::SensorIntermittent], 100.0);
    let id = printer(&s, "Hazel");
    let body = json!({"printer_id": id, "replaced": ["sensor_same_type"], "technician": "bench A"});
    let job = s.call("POST", "/api/v1/jobs", Some(&body)).1["id"]
        .as_i64()
        .unwrap();
    connected(&s, id, &t.host);
    let hold = json!({"kind": "hold", "target_c": 210, "job": job, "stop": "heater_loop"});
    assert_eq!(
        s.call(
            "POST",
            &format!("/api/v1/printers/{id}/routine"),
            Some(&hold)
        )
        .0,
        202
    );
    let station = format!("/api/v1/jobs/{job}/stops/heater_loop");
    assert!(within(60, || s.get(&station)["readings"]["hold"].is_object()));
    let readings = s.get(&station)["readings"].clone();
    let (_, finding) = s.call(
        "POST",
        "/api/v1/stations/heater_loop/evaluate",
        Some(&json!({"readings": readings, "job": {"id": job, "stop": "heater_loop"}})),
    );
    assert_eq!(finding["facts"]["verdict"], "stop", "{finding}");
    assert_eq!(finding["facts"]["commands"], json!([]));
}

#[test]
fn ending_the_server_sets_heaters_to_zero_and_a_power_cut_of_it_is_told_afterwards() {
    let folder = tempfile::tempdir().unwrap();
    let mut s = Server::serve(folder.path());
    let t = twin(3, &[], 5.0);
    let id = printer(&s, "Yew");
    connected(&s, id, &t.host);
    assert_eq!(send(&s, id, "M104 S150").0, 200);
    s.kill();
    assert!(
        t.running.look().targets_c().0 > 100.0,
        "nobody could say anything"
    );
    let again = Server::serve(folder.path());
    // By house rule, and said on every page until it is known to be off.
    let left = within(15, || {
        live(&again, id)["left_over"].as_str().is_some_and(|l| {
            l.starts_with(
                "The server ended while heat was on (by hand, the nozzle at 150 °C, since ",
            ) && l.ends_with("It is set to 0 as soon as the printer answers.")
        }) || t.running.look().targets_c().0 < 1.0
    });
    assert!(left, "{}", live(&again, id));
    assert!(within(8, || t.running.look().targets_c() == (0.0, 0.0)));
    assert!(within(8, || live(&again, id)["left_over"].is_null()));
    let log = again.get("/api/v1/logbook");
    let told = log.as_array().unwrap().iter().any(|e| {
        e["kind"] == "heat"
            && e["text"]
                .as_str()
                .unwrap()
                .ends_with("It was set to 0, and the printer reports that it is off.")
    });
    assert!(told, "{log}");
}

#[test]
fn what_a_dead_server_left_on_is_shown_until_its_end_stands_in_the_logbook() {
    let folder = tempfile::tempdir().unwrap();
    let mut s = Server::serve(folder.path());
    let t = twin(4, &[], 5.0);
    let id = printer(&s, "Elm");
    let leaves = json!({"option": "say", "reason": ""});
    let (status, said) = s.call("PUT", "/api/v1/house/rules/dead_heat", Some(&leaves));
    assert_eq!(status, 204, "{said}");
    connected(&s, id, &t.host);
    assert_eq!(send(&s, id, "M104 S150").0, 200);
    s.kill();
    let again = Server::serve(folder.path());
    let left = |s: &Server| !live(s, id)["left_over"].is_null();
    assert!(within(15, || left(&again)));
    let logged = || {
        let log = again.get("/api/v1/logbook");
        log.as_array().unwrap().iter().any(|e| {
            e["text"]
                .as_str()
                .is_some_and(|t| t.ends_with("The printer reports that it is off."))
        })
    };
    // Another program holds the file while the heater goes off.
    let file = rusqlite::Connection::open(folder.path().join("wattotherm.sqlite")).unwrap();
    file.execute_batch("BEGIN IMMEDIATE").unwrap();
    assert_eq!(send(&again, id, "M104 S0").0, 200);
    assert!(within(10, || live(&again, id)["status"]["heaters"] == "off"));
    std::thread::sleep(Duration::from_secs(3));
    assert!(left(&again) && !logged(), "{}", live(&again, id));
    file.execute_batch("COMMIT").unwrap();
    assert!(within(20, || !left(&again)), "{}", live(&again, id));
    assert!(logged());
}

#[test]
fn heat_with_nobody_there_is_warned_of_and_goes_off_and_somebody_keeps_it_on() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let t = twin(8, &[], 5.0);
    let id = printer(&s, "Oak");
    // Twelve seconds, the least that house rules allow.
    let rule = json!({"value": 0.2});
    assert_eq!(
        s.call("PUT", "/api/v1/house/tolerances/idle_heat_min", Some(&rule))
            .0,
        200
    );
    connected(&s, id, &t.host);
    assert_eq!(send(&s, id, "M104 S90").0, 200);
    // A page where somebody is: it stays on for longer than that.
    let mut page = Page::open(&s);
    for _ in 0..8 {
        page.say(&json!({"kind": "here"}));
        std::thread::sleep(Duration::from_secs(2));
    }
    assert!((t.running.look().targets_c().0 - 90.0).abs() < 0.1);
    // Then they leave, page open or not.
    let warned = within(12, || {
        live(&s, id)["says"]
            .as_str()
            .is_some_and(|l| l.starts_with("Nobody has been here for a while: heat goes off in "))
    });
    assert!(warned, "{}", live(&s, id));
    assert!(
        within(8, || t.running.look().targets_c().0 < 0.1),
        "{}",
        live(&s, id)
    );
    let logged = within(5, || {
        let log = s.get("/api/v1/logbook");
        log.as_array().unwrap().iter().any(|e| {
            e["text"] == "Heat was set to 0: nobody was at a page for 0.2 min, and nothing ran."
        })
    });
    assert!(logged);
}

#[test]
fn a_ceiling_lowered_in_the_house_rules_holds_when_the_request_is_answered() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let t = twin(9, &[], 5.0);
    let id = printer(&s, "Pine");
    let rule = |option: &str| {
        let body = json!({"option": option, "reason": ""});
        s.call("PUT", "/api/v1/house/rules/lined_ceiling", Some(&body))
            .0
    };
    assert_eq!(rule("c240"), 204);
    connected(&s, id, &t.host);
    assert_eq!(send(&s, id, "M104 S239").0, 200);
    assert_eq!(rule("c235"), 204);
    assert!(within(10, || (t.running.look().targets_c().0 - 235.0)
        .abs()
        < 0.1));
    let (status, refused) = send(&s, id, "M104 S239");
    assert_eq!(status, 422, "{refused}");
    let curve = s.get(&format!("/api/v1/printers/{id}/curve?seconds=60"));
    assert_eq!(curve["ceiling_c"], 235.0, "the same number everywhere");
    assert!(within(5, || {
        let wire = s.get(&format!(
            "/api/v1/printers/{id}/wire?find=it%20was%20lowered"
        ));
        !wire.as_array().unwrap().is_empty()
    }));
}

#[test]
fn bad_requests_about_printers_and_logs_say_what_to_do() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let id = printer(&s, "Larch");
    let link = format!("/api/v1/printers/{id}/link");
    let serial =
        |port: &str, baud: u32| json!({"address": {"kind": "serial", "port": port, "baud": baud}});
    let cases = [
        (
            link.as_str(),
            json!({"address": {"kind": "tcp", "host": "no port"}}),
            422,
            "Type a host and a port, for example 192.168.1.20:4871.",
        ),
        (
            &link,
            serial("", 115_200),
            422,
            "Choose a port, or type its name.",
        ),
        (&link, serial("/dev/ttyX", 3), 422, "115200 is usual"),
        (
            "/api/v1/printers/99/link",
            serial("/dev/ttyX", 115_200),
            404,
            "there is no printer 99",
        ),
        (
            "/api/v1/traces/read",
            json!({"file": s.send_file(b"nothing\nhere")}),
            422,
            "No temperatures were found in this file",
        ),
        (
            "/api/v1/heat/rules",
            json!({"plant": {"gain_c": -1.0, "tau_s": 1.0, "tau2_s": 0.0, "delay_s": 0.0, "ambient_c": 20.0}, "target_c": 200}),
            422,
            "This can’t be a plant",
        ),
    ];
    for (path, body, status, text) in cases {
        let (got, problem) = s.call("POST", path, Some(&body));
        let said = problem["detail"].as_str().unwrap_or_default();
        assert!(
            got == status && said.contains(text),
            "{body}: {got} {problem}"
        );
    }
    // Nobody at that port: told at once, and tried again.
    let got = connected(&s, id, "127.0.0.1:1");
    assert!(
        got["status"]["says"]
            .as_str()
            .unwrap()
            .contains("127.0.0.1:1 can’t be opened"),
        "{got}"
    );
    let routine = json!({"kind": "hold", "target_c": 900});
    assert_eq!(
        s.call(
            "POST",
            &format!("/api/v1/printers/{id}/routine"),
            Some(&routine)
        )
        .1["detail"],
        "900 °C is no target. Type 40 to 500 °C."
    );
    assert_eq!(s.call("GET", "/api/v1/traces/77", None).0, 404);
    assert_eq!(
        s.call(
            "GET",
            "/api/v1/heat/wrong-type?fitted=pt1000&set=nothing",
            None
        )
        .0,
        404
    );
    assert!(
        s.get("/api/v1/ports")["bauds"]
            .as_array()
            .unwrap()
            .contains(&json!(115_200))
    );
    let (status, foreign) = s
        .raw(
            "GET",
            "/api/v1/live/now",
            None,
            &[("host", "elsewhere.example")],
        )
        .unwrap();
    assert_eq!(status, 403, "{foreign}");
}

#[test]
fn every_pages_stream_shows_the_same_picture_and_ends_with_the_server() {
    let folder = tempfile::tempdir().unwrap();
    let mut s = Server::serve(folder.path());
    let t = twin(4, &[], 10.0);
    let id = printer(&s, "Rowan");
    connected(&s, id, &t.host);
    let (mut one, mut two) = (Page::open(&s), Page::open(&s));
    for page in [&mut one, &mut two] {
        let first = page.picture().unwrap();
        assert_eq!(first[0]["name"], "Rowan");
        assert_eq!(first[0]["says"], "Safe to touch.");
        assert!(
            page.next("beat").is_some(),
            "a page that hears nothing new hears that the server is there"
        );
    }
    send(&s, id, "M104 S120");
    for page in [&mut one, &mut two] {
        let until = Instant::now() + Duration::from_secs(8);
        while page.picture().unwrap()[0]["says"] != "Heated: the nozzle to 120 °C. Do not touch." {
            assert!(Instant::now() < until, "the picture never changed");
        }
    }
    two.say(&json!({"kind": "heaters_off", "printer": id, "n": 7}));
    assert_eq!(
        two.next("heard").unwrap(),
        json!({"kind": "heard", "n": 7, "failed": null})
    );
    two.say(&json!({"kind": "stop", "printer": 999, "n": 8}));
    assert_eq!(
        two.next("heard").unwrap()["failed"],
        "This printer isn’t connected. Connect it first."
    );
    assert!(within(5, || t.running.look().targets_c() == (0.0, 0.0)));
    send(&s, id, "M104 S120");
    s.end();
    assert!(
        one.next("never").is_none(),
        "the stream ends with the server"
    );
    assert!(within(5, || t.running.look().targets_c() == (0.0, 0.0)));
}

#[test]
fn a_log_file_is_kept_whole_and_read_as_a_test() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let id = printer(&s, "Larch");
    let mut text = String::from("time_s;temp_c;target;duty\n");
    for i in 0..30_000_u32 {
        let t = f64::from(i) / 10.0;
        text.push_str(&format!(
            "{t:.1};{:.2};210;0,4\n",
            210.0 + 0.3 * (t / 9.0).sin()
        ));
    }
    let file = s.send_file(text.as_bytes());
    let body = json!({"file": file, "name": "night.csv", "printer_id": id, "target_c": 210.0});
    let begun = Instant::now();
    let (status, view) = s.call("POST", "/api/v1/traces/read", Some(&body));
    assert_eq!(status, 200, "{view}");
    assert!(begun.elapsed() < Duration::from_secs(10));
    assert_eq!(
        (view["all"].as_u64(), view["reading"]["class"].as_str()),
        (Some(30_000), Some("steady"))
    );
    assert!(
        view["samples"].as_array().unwrap().len() <= 902,
        "thinned for a screen"
    );
    let kept = view["kept"]["id"].as_i64().unwrap();
    assert_eq!(view["hold"]["trace"], kept);
    assert_eq!(s.get(&format!("/api/v1/traces/{kept}"))["all"], 30_000);
    assert_eq!(
        s.get(&format!("/api/v1/printers/{id}/traces"))[0]["kind"],
        "file"
    );
    // A target given beside a file that has none is what it is judged by.
    let bare: String = (0..400)
        .map(|i| format!("{i},{:.1}\n", 205.0 + f64::from(i % 3) * 0.1))
        .collect();
    let bare = s.send_file(format!("time_s,temp\n{bare}").as_bytes());
    let class = |body: &Value| s.call("POST", "/api/v1/traces/read", Some(body)).1;
    let alone = class(&json!({"file": bare}));
    assert_eq!(alone["reading"]["class"], "steady");
    let beside = class(&json!({"file": bare, "target_c": 210.0}));
    assert_eq!(beside["reading"]["class"], "offset");
    assert_eq!(
        beside["notes"].as_array().unwrap().last().unwrap(),
        "The log has no target: 210 °C is taken."
    );
    // The same file as an autotune: nothing switches in it, so nothing comes out.
    let body = json!({"file": file, "target_c": 210.0, "autotune": true});
    let (_, view) = s.call("POST", "/api/v1/traces/read", Some(&body));
    assert_eq!(
        (&view["tune"]["ultimate"], &view["tune"]["plant"]),
        (&Value::Null, &Value::Null)
    );
    assert!(
        view["tune"]["no_plant"]
            .as_str()
            .unwrap()
            .contains("hardly changed"),
        "{}",
        view["tune"]
    );
}

#[test]
fn an_imported_job_keeps_its_figures_and_lets_go_of_the_numbers_of_logs() {
    let folder = tempfile::tempdir().unwrap();
    let demo = Server::demo();
    let s = Server::serve(folder.path());
    let file = demo.get("/api/v1/jobs/7/export");
    let (status, made) = s.call("POST", "/api/v1/import", Some(&file));
    assert_eq!(status, 201, "{made}");
    let id = made["id"].as_i64().unwrap();
    let closings = s.get(&format!("/api/v1/jobs/{id}/closings"));
    let sensor = closings
        .as_array()
        .unwrap()
        .iter()
        .find(|c| c["stop"] == "sensor_type")
        .unwrap();
    assert_eq!(sensor["finding"]["facts"]["verdict"], "pass");
    assert!(
        closings
            .as_array()
            .unwrap()
            .iter()
            .all(|c| c["readings"]["hold"]["trace"].is_null())
    );
}

#[test]
fn the_demo_has_two_connected_printers_one_of_them_with_a_fault_in_its_log() {
    let s = Server::demo();
    assert!(within(10, || s
        .get("/api/v1/live/now")
        .as_array()
        .unwrap()
        .len()
        == 2));
    let all = s.get("/api/v1/live/now");
    let names: Vec<&str> = all
        .as_array()
        .unwrap()
        .iter()
        .map(|p| p["name"].as_str().unwrap())
        .collect();
    assert_eq!(names, ["Aspen", "Hazel"]);
    let station = |job: i64| s.get(&format!("/api/v1/jobs/{job}/stops/heater_loop"));
    let finding = |job: i64| {
        let readings = station(job)["readings"].clone();
        let body = json!({"readings": readings, "job": {"id": job, "stop": "heater_loop"}});
        s.call("POST", "/api/v1/stations/heater_loop/evaluate", Some(&body))
            .1
    };
    assert_eq!(finding(6)["facts"]["verdict"], "adjust");
    assert!(
        finding(6)["facts"]["commands"][0]["line"]
            .as_str()
            .unwrap()
            .starts_with("M301 P")
    );
    let torn = finding(7);
    assert_eq!(
        (
            torn["facts"]["verdict"].as_str(),
            torn["words"]["cause"].as_str()
        ),
        (Some("stop"), Some("sensor or wiring: faster than heat can"))
    );
    let log = station(7)["readings"]["hold"]["trace"].as_i64().unwrap();
    let view = s.get(&format!("/api/v1/traces/{log}"));
    assert!(!view["reading"]["marks"].as_array().unwrap().is_empty());
    assert!(send(&s, 5, "M104 S200").0 == 200 && within(10, || live(&s, 5)["nozzle"] == "hot"));
}
