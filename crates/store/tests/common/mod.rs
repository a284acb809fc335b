//! A shop with one printer, in a file of its own.

use tempfile::TempDir;
use wattotherm_store::{NewPrinter, OpenOptions, Store};

#[allow(dead_code)] // each test file uses its own part of it
pub struct Shop {
    pub store: Store,
    pub folder: TempDir,
    pub printer: i64,
}

pub fn shop(at: &str) -> Shop {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shop.sqlite");
    let mut store = Store::open(&path, OpenOptions::default()).unwrap();
    let new = NewPrinter {
        name: "Alder".into(),
        kind: "bed-slinger".into(),
        facts: Default::default(),
        invented: false,
    };
    let printer = store.add_printer(&new, at).unwrap();
    Shop {
        store,
        folder,
        printer,
    }
}
