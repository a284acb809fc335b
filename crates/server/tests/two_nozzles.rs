//! A printer with two nozzles, from the check of its file to the last line: what is sent, and what stays hot.
#![allow(clippy::unwrap_used)]

use std::time::{Duration, Instant};

use crate::common::Server;
use crate::common::printer::Printer;
use serde_json::{Value, json};
use wattotherm_twin::port::Speed;
use wattotherm_twin::{Build, Eyes, Kind, Twin};

#[test]
fn combs_go_out_once_it_is_known_where_the_second_nozzle_stands_and_leave_both_cold() {
    let build = Build::new(Kind::Standard, 5, []).with_nozzles(2);
    let twin = Printer::new(Twin::new(build, 5), Speed::Free);
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let facts = json!({"bed_x_mm": 235, "bed_y_mm": 235, "height_mm": 250, "path": "direct", "hot_end": "all_metal",
        "nozzle_mm": 0.4, "nozzles": 2, "firmware_limit_c": 275});
    let printer = json!({"name": "Rowan", "kind": "two nozzles", "facts": facts});
    let id = s.call("POST", "/api/v1/printers", Some(&printer)).1["id"].clone();
    let wanted = json!({"name": "combs", "printer_id": id});
    let (status, piece) = s.call("POST", "/api/v1/pieces", Some(&wanted));
    assert_eq!(status, 201, "{piece}");
    let file = format!("/api/v1/prints/{}", piece["id"]);
    let cleared = || s.get(&format!("{file}/clearance?printer_id={id}"));

    // Without a connection nobody knows where the second nozzle stands.
    let before = cleared();
    assert_eq!(before["clear"], false, "{before}");
    assert!(
        before["says"].as_str().unwrap().contains("Where T1 stands"),
        "{before}"
    );

    twin.connect(&s, id.as_i64().unwrap());
    let until = |what: &str, holds: &mut dyn FnMut() -> bool| {
        let end = Instant::now() + Duration::from_secs(60);
        while !holds() {
            assert!(Instant::now() < end, "{what} never came");
            std::thread::sleep(Duration::from_millis(50));
        }
    };
    until("its word on the offset", &mut || cleared()["clear"] == true);
    let clear = cleared()["clearance"].clone();
    assert_eq!(clear["nozzles_c"].as_array().unwrap().len(), 2);

    let asked = |what: &str| {
        twin.running
            .look()
            .ran
            .iter()
            .filter(|l| *l == what)
            .count()
    };
    assert_eq!(asked("M503"), 1, "it is asked once where they stand");

    let (status, begun) = s.call(
        "POST",
        &format!("{file}/print"),
        Some(&json!({ "printer_id": id })),
    );
    assert_eq!(status, 202, "{begun}");
    let shown = || -> Value {
        let all = s.get("/api/v1/live/now");
        let all = all.as_array().unwrap();
        all.iter().find(|p| p["printer_id"] == id).unwrap().clone()
    };
    let mut both_hot = false;
    until("the end of the print", &mut || {
        let now = shown();
        let own = now["status"]["own_heat"].as_array().unwrap().len();
        // Both nozzles, maybe the bed.
        both_hot |= own >= 2;
        !now["routine"]["done"].is_null()
    });
    let done = shown()["routine"]["done"].clone();
    assert!(done["failed"].is_null(), "{done}");
    assert!(both_hot, "the server never said that both are hot");
    until("cold targets", &mut || {
        shown()["status"]["heaters"] == "off"
    });

    // Each has a curve of its own, and so has the bed.
    let hottest = |of: &str| {
        let curve = s.get(&format!("/api/v1/printers/{id}/curve?seconds=14400&{of}"));
        curve["samples"]
            .as_array()
            .unwrap()
            .iter()
            .map(|s| s["temp_c"].as_f64().unwrap())
            .reduce(f64::max)
    };
    for (of, least_c, most_c) in [
        ("nozzle=0", 180.0, 275.0),
        ("nozzle=1", 180.0, 275.0),
        ("of=bed", 45.0, 120.0),
    ] {
        let got_c = hottest(of).unwrap();
        assert!((least_c..most_c).contains(&got_c), "{of}: {got_c}");
    }
    assert_eq!(hottest("nozzle=7"), None);

    let ran = twin.running.look().ran.clone();
    let at = |line: &str| ran.iter().position(|l| l.starts_with(line));
    // The first nozzle is named before anything of the file.
    assert!(at("T0").unwrap() < at("G21").unwrap(), "{ran:?}");
    assert!(at("T1").is_some() && at("M109 T1").unwrap() < at("T1").unwrap());

    // What lies on the plate tells how far the second nozzle is off: a tooth to the right meets where it lies too far left.
    let (truth, printed) = {
        let twin = twin.running.look();
        (twin.truth, twin.printed().clone())
    };
    let teeth = Eyes::new(truth, 1).combs(&printed);
    for (teeth, true_mm) in teeth.into_iter().zip(truth.offset_mm) {
        assert!((teeth * 0.05 + true_mm).abs() < 0.035, "{teeth} {true_mm}");
    }
}
