//! Files that are not as they should be: foreign, newer, damaged, held, on a full disk.
#![allow(clippy::unwrap_used)]

use std::path::Path;

use rusqlite::Connection;
use wattotherm_store::{
    About, FolderLock, LogFilter, NewPrinter, NewWire, OpenOptions, Store, StoreError,
};

const AT: &str = "2026-01-01T08:00:00.000Z";

fn open(path: &Path) -> Result<Store, StoreError> {
    Store::open(path, OpenOptions::default())
}

fn with_a_printer(path: &Path) -> i64 {
    let mut store = open(path).unwrap();
    let new = NewPrinter {
        name: "Alder".into(),
        kind: "bed-slinger".into(),
        facts: Default::default(),
        invented: false,
    };
    store.add_printer(&new, AT).unwrap()
}

#[test]
fn what_is_no_data_file_of_ours_is_left_as_it_is_and_said_in_plain_words() {
    let folder = tempfile::tempdir().unwrap();
    let text = folder.path().join("letter.sqlite");
    std::fs::write(&text, "Dear all, the printer is warm.".repeat(50)).unwrap();
    let other = folder.path().join("other.sqlite");
    Connection::open(&other)
        .unwrap()
        .execute_batch("CREATE TABLE song (title TEXT); INSERT INTO song VALUES ('x');")
        .unwrap();
    for path in [&text, &other] {
        let before = std::fs::read(path).unwrap();
        let said = open(path).unwrap_err().to_string();
        assert_eq!(
            said,
            format!(
                "{} is not a Wattotherm data file. It was left as it is. Move it away, or name another folder with --data.",
                path.display()
            )
        );
        assert_eq!(std::fs::read(path).unwrap(), before);
    }
}

#[test]
fn a_newer_file_and_a_damaged_one_say_the_way_out() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shop.sqlite");
    with_a_printer(&path);
    Connection::open(&path)
        .unwrap()
        .pragma_update(None, "user_version", 99)
        .unwrap();
    let said = open(&path).unwrap_err().to_string();
    assert!(
        said.contains("was written by a newer Wattotherm (data version 99; this one knows")
            && said.contains("open the copy that it made beside the file"),
        "{said}"
    );
    let path = folder.path().join("torn.sqlite");
    with_a_printer(&path);
    let mut bytes = std::fs::read(&path).unwrap();
    for b in bytes.iter_mut().skip(4_096) {
        *b = 0x5a;
    }
    std::fs::write(&path, bytes).unwrap();
    let said = open(&path)
        .and_then(|s| s.printers().map(drop))
        .unwrap_err()
        .to_string();
    assert!(
        said.starts_with("The data file is damaged (")
            && said.contains("put back a copy of the file"),
        "{said}"
    );
}

#[test]
fn a_second_server_on_one_folder_is_refused_and_one_after_it_is_not() {
    let folder = tempfile::tempdir().unwrap();
    let first = FolderLock::take(folder.path()).unwrap();
    let said = FolderLock::take(folder.path()).unwrap_err().to_string();
    assert!(
        said.contains("Another Wattotherm serves")
            && said.contains(&format!("(process {})", std::process::id())),
        "{said}"
    );
    drop(first);
    assert!(FolderLock::take(folder.path()).is_ok());
}

#[test]
fn a_file_that_another_program_holds_is_said_to_be_busy_within_a_second() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shop.sqlite");
    with_a_printer(&path);
    let mut store = open(&path).unwrap();
    let other = Connection::open(&path).unwrap();
    other.execute_batch("BEGIN IMMEDIATE").unwrap();
    let refused = store
        .note(About::default(), "", "while it is held", AT)
        .unwrap_err();
    assert!(matches!(refused, StoreError::Busy), "{refused}");
    other.execute_batch("COMMIT").unwrap();
    store
        .note(About::default(), "", "and after it", AT)
        .unwrap();
}

#[test]
fn one_unreadable_row_takes_no_other_off_the_page() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shop.sqlite");
    let id = with_a_printer(&path);
    {
        let mut store = open(&path).unwrap();
        let new = NewPrinter {
            name: "Birch".into(),
            kind: "bed-slinger".into(),
            facts: Default::default(),
            invented: false,
        };
        store.add_printer(&new, AT).unwrap();
    }
    Connection::open(&path)
        .unwrap()
        .execute(
            "UPDATE fitting SET fitted = '{\"bed_x_mm\": tw' WHERE printer_id = ?1",
            [id],
        )
        .unwrap();
    let store = open(&path).unwrap();
    let all = store.printers().unwrap();
    assert_eq!(all.len(), 2);
    let why = all[0].unreadable.as_deref().unwrap();
    assert!(
        why.contains("can’t be read") && why.contains("treated as a lined hot end"),
        "{why}"
    );
    assert_eq!(all[1].unreadable, None);
    assert!(store.printer(id).unwrap().unreadable.is_some());
}

#[test]
fn lines_of_the_wire_are_let_go_by_age_and_number() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shop.sqlite");
    let id = with_a_printer(&path);
    let mut store = open(&path).unwrap();
    let line = |day: u32, n: u32| NewWire {
        printer_id: id,
        at: format!("2026-01-{day:02}T08:00:00.000Z"),
        way: "sent",
        text: format!("line {n}"),
    };
    let lines: Vec<NewWire> = (0..60_u32).map(|n| line(1 + n / 10, n)).collect();
    store.keep_wire(&lines).unwrap();
    assert_eq!(
        store.prune_wire("2026-01-02T00:00:00.000Z", 1_000).unwrap(),
        10
    );
    assert_eq!(
        store.prune_wire("2026-01-02T00:00:00.000Z", 20).unwrap(),
        30
    );
    let left = store.wire(id, None, None).unwrap();
    assert_eq!(
        (left.len(), left[0].text.as_str(), left[19].text.as_str()),
        (20, "line 59", "line 40")
    );
    assert_eq!(store.prune_wire("2026-01-02T00:00:00.000Z", 20).unwrap(), 0);
}

#[test]
fn a_disk_without_room_is_opened_for_reading() {
    // A real file system of one megabyte where that can be made; elsewhere the file's own page cap.
    let folder = tempfile::tempdir().unwrap();
    let small = std::process::Command::new("mount")
        .args(["-t", "tmpfs", "-o", "size=1m", "tmpfs"])
        .arg(folder.path())
        .output()
        .is_ok_and(|o| o.status.success());
    let path = folder.path().join("shop.sqlite");
    with_a_printer(&path);
    if small {
        // All of it, to the last byte.
        let _ = std::fs::write(folder.path().join("filler"), vec![0_u8; 4 << 20]);
    }
    let options = if small {
        OpenOptions::default()
    } else {
        OpenOptions { max_pages: Some(1) }
    };
    let read = Store::open(&path, options).and_then(|mut s| {
        let names: Vec<String> = s.printers()?.into_iter().map(|p| p.name).collect();
        let long = "x".repeat(400_000);
        let full = s.note(About::default(), "", &long, AT).unwrap_err();
        assert!(matches!(full, StoreError::DiskFull), "{full}");
        let log = s.logbook(&LogFilter::default())?.len();
        Ok((names, log))
    });
    if small {
        let _ = std::process::Command::new("umount")
            .arg("-l")
            .arg(folder.path())
            .status();
    }
    assert_eq!(read.unwrap(), (vec!["Alder".to_owned()], 1));
}
