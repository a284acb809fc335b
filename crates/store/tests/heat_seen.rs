//! What is noted of heat, and what a look at it does to that.
#![allow(clippy::unwrap_used)]

use wattotherm_gcode::Heater;
use wattotherm_store::{HeatOn, HeatSeen, LogFilter};

use crate::common;

const AT: [&str; 3] = [
    "2026-11-02T08:00:00.000Z",
    "2026-11-02T08:00:01.000Z",
    "2026-11-02T08:00:02.000Z",
];

fn on(printer_id: i64, at: &str) -> HeatOn {
    HeatOn {
        printer_id,
        heater: Heater::Tool(0),
        target_c: 210.0,
        why: "by hand".into(),
        at: at.into(),
    }
}

fn seen(printer_id: i64, at: &str, log: &[&str]) -> HeatSeen {
    HeatSeen {
        printer_id,
        at: at.into(),
        off: true,
        on: Vec::new(),
        log: log.iter().map(|l| (*l).to_owned()).collect(),
    }
}

#[test]
fn what_was_noted_after_a_look_stays_though_the_look_is_kept_later() {
    let mut shop = common::shop(AT[0]);
    let (store, printer) = (&mut shop.store, shop.printer);
    // Looked at, then heated, then kept.
    store.put_heat_on(&on(printer, AT[1])).unwrap();
    store.keep_heat_seen(&[seen(printer, AT[0], &[])]).unwrap();
    assert_eq!(store.heat_on().unwrap().len(), 1);
    store.keep_heat_seen(&[seen(printer, AT[2], &[])]).unwrap();
    assert_eq!(store.heat_on().unwrap(), []);
}

#[test]
fn looks_are_kept_whole_or_not_at_all() {
    let mut shop = common::shop(AT[0]);
    let (store, printer) = (&mut shop.store, shop.printer);
    store.put_heat_on(&on(printer, AT[0])).unwrap();
    let logged = |store: &wattotherm_store::Store| {
        let lines = store.logbook(&LogFilter::default()).unwrap();
        lines.iter().filter(|l| l.kind == "heat").count()
    };
    // The second look is of a printer that isn't there.
    let both = [
        seen(printer, AT[1], &["It is off."]),
        seen(printer + 99, AT[1], &["Whose is that?"]),
    ];
    assert!(store.keep_heat_seen(&both).is_err());
    assert_eq!((store.heat_on().unwrap().len(), logged(store)), (1, 0));
    store.keep_heat_seen(&both[..1]).unwrap();
    assert_eq!((store.heat_on().unwrap().len(), logged(store)), (0, 1));
}
