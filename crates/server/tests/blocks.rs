//! The shop's own begin and end of test pieces: tried before they are kept, and in every piece from then on.
#![allow(clippy::unwrap_used)]

use crate::common::Server;
use serde_json::{Value, json};

fn printer(s: &Server, name: &str) -> i64 {
    printer_with(s, name, 1)
}

fn printer_with(s: &Server, name: &str, nozzles: u8) -> i64 {
    let facts = json!({"bed_x_mm": 220, "bed_y_mm": 220, "height_mm": 250, "path": "direct", "hot_end": "all_metal",
        "nozzle_mm": 0.4, "nozzles": nozzles, "firmware_limit_c": 285});
    let (status, made) = s.call(
        "POST",
        "/api/v1/printers",
        Some(&json!({"name": name, "kind": "test", "facts": facts})),
    );
    assert_eq!(status, 201, "{made}");
    made["id"].as_i64().unwrap()
}

fn put(s: &Server, id: i64, begin: &str, end: &str) -> (u16, Value) {
    s.call(
        "PUT",
        &format!("/api/v1/printers/{id}/blocks"),
        Some(&json!({"begin": begin, "end": end})),
    )
}

const BEGIN: &str =
    "G21\nG90\nM140 S{bed}\nG28 ; as this machine likes it\nM190 S{bed}\nM109 S{nozzle}";
const END: &str = "G91\nG1 Z5 F600\nG90\nM104 S0\nM140 S0\nM84";

#[test]
fn a_printer_s_own_begin_and_end_stand_in_its_pieces_and_in_no_other_s() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let (own, other) = (printer(&s, "Own"), printer(&s, "Other"));
    let (status, kept) = put(&s, own, BEGIN, END);
    assert_eq!(status, 200, "{kept}");
    let gcode = |id: i64| {
        let wanted = json!({"name": "box", "printer_id": id, "nozzle": "215", "bed": "63"});
        let (status, made) = s.call("POST", "/api/v1/pieces", Some(&wanted));
        assert_eq!(status, 201, "{made}");
        {
            let page = s.get(&format!("/api/v1/prints/{}", made["id"]));
            s.raw_text(&format!(
                "/api/v1/files/{}",
                page["print"]["sha256"].as_str().unwrap()
            ))
        }
    };
    let text = gcode(own);
    for line in [
        "M140 S63",
        "G28 ; as this machine likes it",
        "M109 S215",
        "G1 Z5 F600",
    ] {
        assert!(text.lines().any(|l| l == line), "{line}");
    }
    assert!(!text.contains('{'));
    assert!(!gcode(other).contains("as this machine likes it"));
    // Blank again: the usual one.
    assert_eq!(put(&s, own, "", "").0, 200);
    assert!(!gcode(own).contains("as this machine likes it"));
}

#[test]
fn what_the_guard_would_stop_is_refused_with_its_line_and_nothing_is_kept() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let id = printer(&s, "Guarded");
    assert_eq!(put(&s, id, BEGIN, END).0, 200);
    let refused = |begin: &str, end: &str, why: &str| {
        let (status, said) = put(&s, id, begin, end);
        assert_eq!(status, 422, "{said}");
        assert!(said.to_string().contains(why), "{why}: {said}");
    };
    // Hotter than its ceiling; a place beyond its plate; a printer that stays cold.
    refused("G28\nM109 S320", END, "Line 2");
    refused("G28\nM109 S{nozzle}\nG1 X900 F3000", END, "Line 3");
    refused("G28", END, "After this begin");
    refused("G28\nM109 S{heat}", END, "only {nozzle} and {bed}");
    refused("G28\nM109 S{nozzle}\nM118 \u{fc}ber", END, "plain letters");
    // An end that leaves it hot.
    refused(BEGIN, "M84", "leaves the nozzle hot");
    refused(BEGIN, "M104 S0\nM84", "leaves the bed hot");
    refused(BEGIN, "M104 S0\nM140 S0\nG1 X-50 F3000", "Line 3");
    refused(&"G4 P1\n".repeat(900), END, "at most 4000");
    let (_, kept) = s.call("GET", &format!("/api/v1/printers/{id}/blocks"), None);
    assert_eq!(kept["begin"], BEGIN);
    assert_eq!(s.call("GET", "/api/v1/printers/999/blocks", None).0, 404);
}

#[test]
fn each_nozzle_that_there_is_may_be_heated_and_none_stays_hot() {
    let folder = tempfile::tempdir().unwrap();
    let s = Server::serve(folder.path());
    let (one, two) = (printer(&s, "One"), printer_with(&s, "Two", 2));
    let begin = BEGIN.replace("M109", "M104 T1 S170\nM109");
    let end = END.replace("M104 S0", "M104 T0 S0\nM104 T1 S0");
    let (status, says) = put(&s, one, &begin, &end);
    assert_eq!(status, 422);
    assert!(
        says.to_string()
            .contains("M104 heats a nozzle that this printer doesn’t have"),
        "{says}"
    );
    let (status, says) = put(&s, two, &begin, &end);
    assert_eq!(status, 200, "{says}");
    let second = "nozzle 2 hot. Add M104 T1 S0.";
    for (hot, says_so) in [
        ("M104 T1 S0", "the nozzle hot. Add M104 S0."),
        ("M104 S0\nM104 T1 S170", second),
        // Its begin heated the second, and its end has no word on it.
        ("M104 S0", second),
        ("T1\nM104 S0\nM104 T1 S170\nM104 T0 S0", second),
    ] {
        let (status, says) = put(&s, two, &begin, &END.replace("M104 S0", hot));
        assert_eq!(status, 422, "{hot}");
        let says = says.to_string();
        assert!(
            says.contains(&format!("This end leaves {says_so}")),
            "{says}"
        );
    }
    let (status, says) = put(&s, two, &begin, "");
    assert_eq!(status, 422);
    assert!(
        says.to_string()
            .contains(&format!("The usual end leaves {second}")),
        "{says}"
    );
}
