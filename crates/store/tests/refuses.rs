//! Every table refuses what can't be meant, whoever writes it.
#![allow(clippy::unwrap_used)]

use crate::common::shop;
use rusqlite::Connection;

const AT: &str = "2026-11-25T08:00:00.000Z";

#[test]
fn rows_that_can_not_be_meant_are_refused_by_their_table() {
    let shop = shop(AT);
    let path = shop.folder.path().join("shop.sqlite");
    drop(shop.store);
    let raw = Connection::open(path).unwrap();
    raw.execute_batch(
        "INSERT INTO job (printer_id, complaint, shows, tried, customer, technician, opened_at)
         VALUES (1, '', 'at_once', '', '', '', '2026-11-25T08:00:00Z')",
    )
    .unwrap();
    let rows = [
        (
            "printer",
            "(name, kind, added_at) VALUES ('', 'x', '2026-01-01T00:00:00Z')",
        ),
        ("filament", "(name, material) VALUES ('', 'PLA')"),
        (
            "job",
            "(printer_id, complaint, shows, tried, customer, technician, opened_at) VALUES (1, '', '', '', '', '', '2026-01-01T00:00:00Z')",
        ),
        (
            "job",
            "(printer_id, complaint, shows, tried, customer, technician, opened_at) VALUES (1, '', 'at_once', '', '', '', 'yesterday')",
        ),
        (
            "logbook",
            "(at, kind, text) VALUES ('2026-01-01T00:00:00Z', '', 'x')",
        ),
        (
            "logbook",
            "(id, at, kind, text, supersedes) VALUES (5, '2026-01-01T00:00:00Z', 'note', 'x', 6)",
        ),
        (
            "draft",
            "(job_id, stop, readings, at) VALUES (1, '', '{}', '2026-01-01T00:00:00Z')",
        ),
        (
            "draft",
            "(job_id, stop, readings, at, revision) VALUES (1, 'drive', '{}', '2026-01-01T00:00:00Z', 0)",
        ),
        (
            "draft",
            "(job_id, stop, readings, at, fields) VALUES (1, 'drive', '{}', '2026-01-01T00:00:00Z', '{')",
        ),
        (
            "setting",
            "(printer_id, parameter, from_at) VALUES (1, 'drive', '2026-01-01T00:00:00Z')",
        ),
        (
            "setting",
            "(printer_id, parameter, value, from_at) VALUES (1, 'drive', 1e12, '2026-01-01T00:00:00Z')",
        ),
        (
            "setting",
            "(printer_id, parameter, value, expanded, from_at) VALUES (1, 'drive', 93, -1, '2026-01-01T00:00:00Z')",
        ),
        (
            "setting",
            "(printer_id, parameter, value, from_at, until_at) VALUES (1, 'drive', 93, '2026-01-02T00:00:00Z', '2026-01-01T00:00:00Z')",
        ),
        ("failure_time", "(job_id, minutes) VALUES (1, 0)"),
        (
            "wire",
            "(printer_id, at, way, text) VALUES (1, 'now', 'thought', 'x')",
        ),
        (
            "cooling",
            "(printer_id, tau_s, ambient_c, at) VALUES (1, 0, 20, 'now')",
        ),
        (
            "connection",
            "(printer_id, address, wanted) VALUES (1, 'here', 1)",
        ),
        (
            "heat_on",
            "(printer_id, heater, target_c, why, at) VALUES (1, 'tool0', 900, '', 'now')",
        ),
        ("house_tolerance", "(id, value) VALUES ('edge', 0)"),
        (
            "blob",
            "(sha256, bytes, media, at) VALUES ('../../etc', 1, 'text/plain', '2026-01-01T00:00:00Z')",
        ),
        (
            "attachment",
            "(sha256, kind, name, at) VALUES ('00', 'log', 'x', '2026-01-01T00:00:00Z')",
        ),
    ];
    for (table, row) in rows {
        let refused = raw.execute_batch(&format!("INSERT INTO {table} {row}"));
        let said = refused.unwrap_err().to_string();
        assert!(
            said.contains("CHECK constraint failed"),
            "{table} {row}: {said}"
        );
    }
    for change in [
        "UPDATE logbook SET text = ''",
        "DELETE FROM logbook",
        "INSERT INTO job (printer_id, complaint, shows, tried, customer, technician, opened_at)
         VALUES (1, '', 'at_once', '', '', '', '2026-11-26T08:00:00Z')",
    ] {
        assert!(raw.execute_batch(change).is_err(), "{change}");
    }
}
