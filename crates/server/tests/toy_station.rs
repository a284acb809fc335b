//! A station is its file and its line: this one stands in no list of the application, and everything knows it.
#![allow(clippy::unwrap_used)]

mod common;

use std::sync::mpsc;

use common::ask;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use utoipa::ToSchema;
use wattotherm_job::Context;
use wattotherm_job::finding::{Band, Facts, Words};
use wattotherm_job::form::{Field, Form};
use wattotherm_job::stations::{SetUp, Station, add_station};
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::{Pen, Unit, Verdict};
use wattotherm_printer::Parameter;
use wattotherm_server::{App, listen, openapi_json};
use wattotherm_store::{OpenOptions, Store};

/// A toy: retraction by counting the strings between two towers.
struct Towers;

#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
struct TowersReadings {
    version: u32,
    set_mm: Entry,
    gap_mm: Entry,
    confirmed: Vec<String>,
}

#[derive(Serialize, Deserialize)]
struct TowersFound {
    gap_mm: f64,
}

const SET: Limit = Limit::new(
    "set_mm",
    "retraction set",
    Unit::Mm,
    [0.0, 20.0, 0.0, 12.0],
    "no tube is longer",
);
const GAP: Limit = Limit::new(
    "gap_mm",
    "gap without strings",
    Unit::Mm,
    [0.0, 50.0, 0.0, 50.0],
    "towers stand closer",
);

impl Station for Towers {
    type Readings = TowersReadings;
    type Own = TowersFound;
    const ID: &'static str = "toy_towers";
    const SETTLES: &'static [Parameter] = &[Parameter::Retraction];

    fn start(context: &Context) -> TowersReadings {
        TowersReadings {
            set_mm: context.before.map_or_else(Entry::default, Entry::from),
            ..TowersReadings::default()
        }
    }

    fn form(_: &TowersReadings, _: &Context) -> Form {
        Form::default().group(
            "Towers",
            vec![Field::number(&SET).needed(), Field::number(&GAP).needed()],
        )
    }

    fn set_up(_: &TowersReadings, context: &Context) -> SetUp {
        SetUp::new(context.house.pen.text("Print two towers {50 mm} apart."))
    }

    fn facts(r: &TowersReadings, _: &Context) -> Result<Facts<TowersFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let set = intake.need(&SET, "set_mm", &r.set_mm);
        let gap = intake.need(&GAP, "gap_mm", &r.gap_mm);
        intake.finish()?;
        let (set, gap_mm) = (set.unwrap_or(0.0), gap.unwrap_or(0.0));
        let band = Band::new("gap", Unit::Mm, (gap_mm, 50.0), (0.5, f64::INFINITY), 1.0);
        let mut facts = Facts::new(Self::ID, Unit::Mm, band.verdict, TowersFound { gap_mm });
        facts.before = Some(set);
        facts.after = Some(set + 0.2).filter(|_| band.verdict == Verdict::Adjust);
        facts.bands.push(band);
        Ok(facts)
    }

    fn words(f: &Facts<TowersFound>, pen: Pen) -> Words {
        let gap = pen.plain(f.own.gap_mm, Unit::Mm, 1);
        Words::new("toy towers")
            .with_bands(f, pen, |_| "gap".into())
            .say(
                format!("The gap is {gap}."),
                "A toy.",
                format!("gap {gap}"),
                "Go on.",
            )
    }
}

/// The application in this process, with an empty shop and the toy.
struct Shop {
    url: String,
    _folder: tempfile::TempDir,
}

impl Shop {
    fn new() -> Self {
        static ONCE: std::sync::Once = std::sync::Once::new();
        ONCE.call_once(|| add_station(&Towers));
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("shop.sqlite");
        let (tell, url) = mpsc::channel();
        std::thread::spawn(move || {
            let runtime = tokio::runtime::Runtime::new().unwrap();
            runtime.block_on(async move {
                let store = Store::open(&file, OpenOptions::default()).unwrap();
                let app = App::new(store).unwrap();
                let listening = listen("127.0.0.1:0".parse().unwrap()).await.unwrap();
                tell.send(format!("http://{}", listening.address)).unwrap();
                listening.run(app, std::future::pending()).await;
            });
        });
        Self {
            url: url.recv().unwrap(),
            _folder: folder,
        }
    }

    fn call(&self, method: &str, path: &str, body: Option<Value>) -> (u16, Value) {
        let body = body.map(|b| b.to_string());
        let json = [("content-type", "application/json")];
        ask(&self.url, method, path, body.as_deref(), &json).unwrap()
    }

    fn ok(&self, method: &str, path: &str, body: Option<Value>) -> Value {
        let (status, got) = self.call(method, path, body);
        assert!(
            (200..300).contains(&status),
            "{method} {path}: {status} {got}"
        );
        got
    }

    /// A job in which the toy's stop is the only one that isn't a check, and what comes before it is done.
    fn job_at_the_towers(&self) -> String {
        let printer = self.ok(
            "POST",
            "/api/v1/printers/typed",
            Some(json!({"name": "Toy", "kind": "bed-slinger", "fields": {"heat_break.kind": "all_metal"}})),
        )["id"]
            .clone();
        let filament = self.ok(
            "POST",
            "/api/v1/filaments",
            Some(json!({"name": "PLA", "material": "PLA"})),
        )["id"]
            .clone();
        let job = self.ok(
            "POST",
            "/api/v1/jobs",
            Some(json!({
                "printer_id": printer, "technician": "T", "customer": "", "complaint": "strings",
                "replaced": ["tube"], "filament_ids": [filament], "failure_times_min": []
            })),
        )["id"]
            .clone();
        format!("/api/v1/jobs/{job}")
    }
}

/// Closes what comes before the towers: ticks what is a list, takes the rest as it was.
fn work_up_to(shop: &Shop, job: &str, key: &str) {
    for _ in 0..40 {
        let card = shop.ok("GET", job, None);
        let now = card["traveller"]["now"].as_str().unwrap().to_owned();
        if now == key {
            return;
        }
        let at = format!("{job}/stops/{now}");
        let top = shop.ok("GET", &at, None);
        let mut readings = top["readings"].clone();
        match top["station"].as_str().unwrap() {
            "check" => {
                for step in readings["steps"].as_array_mut().unwrap() {
                    step["state"] = json!("done");
                }
                readings["counted_out"] = json!("2");
                readings["counted_in"] = json!("2");
            }
            "snapshot" => readings["none_because"] = json!("it reports nothing"),
            "volumetric_limit" | "pressure_advance" => {
                readings["way"] = json!("own");
                readings["before"] = json!("0.5");
                readings["best"] = json!("0.5");
                readings["outcome"] = json!("good");
                readings["confirmed"] = json!(["before", "best"]);
            }
            "flow" => {
                let asked = readings["wall_mm"].clone();
                readings["instrument"] = json!("micrometer");
                for wall in readings["walls"].as_array_mut().unwrap() {
                    wall["t_mm"] = asked.clone();
                }
            }
            "tube_length" => readings["old_mm"] = json!("415"),
            other => panic!("{other} stands before the towers"),
        }
        shop.ok(
            "POST",
            &format!("{at}/close"),
            Some(json!({"readings": readings})),
        );
    }
    panic!("never came to {key}");
}

fn key_of(card: &Value) -> String {
    let lines = card["traveller"]["lines"].as_array().unwrap();
    let of = |l: &&Value| l["key"].as_str().unwrap().starts_with("retraction.");
    lines.iter().find(of).unwrap()["key"]
        .as_str()
        .unwrap()
        .to_owned()
}

#[test]
fn a_station_of_another_file_is_worked_through_like_any_other() {
    let shop = Shop::new();
    let job = shop.job_at_the_towers();
    let key = key_of(&shop.ok("GET", &job, None));
    let at = format!("{job}/stops/{key}");
    let top = shop.ok("GET", &at, None);
    assert_eq!(top["station"], "toy_towers");
    assert_eq!(top["set_up"]["heading"], "Print two towers 50 mm apart.");
    let fields = top["form"]["groups"][0]["fields"].as_array().unwrap();
    assert_eq!(fields[0]["path"], "set_mm");
    assert_eq!(
        (
            fields[1]["symbol"].as_str(),
            fields[1]["limit"]["max"].as_f64()
        ),
        (Some("mm"), Some(50.0))
    );
    // What is typed is kept, and the form says what it reads.
    let typed = json!({"version": 1, "set_mm": "4", "gap_mm": "49.8", "confirmed": []});
    let kept = shop.ok(
        "PUT",
        &format!("{at}/draft"),
        Some(json!({"readings": typed})),
    );
    assert_eq!(kept["form"]["groups"][0]["fields"][1]["says"], "49.8 mm");
    // Evaluated by its id, in a job.
    let job_id: i64 = job.rsplit('/').next().unwrap().parse().unwrap();
    let body = json!({"readings": typed, "job": {"id": job_id, "stop": key}});
    let found = shop.ok("POST", "/api/v1/stations/toy_towers/evaluate", Some(body));
    assert_eq!(found["facts"]["verdict"], "pass");
    assert_eq!(found["words"]["bands"][0]["measured"], "49.80 ±0.50 mm");
    // Closed, it stands in the logbook, on the route card and in the report, with its own facts.
    work_up_to(&shop, &job, &key);
    let closed = shop.ok(
        "POST",
        &format!("{at}/close"),
        Some(json!({"readings": typed})),
    );
    assert_eq!(closed["finding"]["facts"]["own"]["gap_mm"], 49.8);
    let lines = closed["traveller"]["lines"].as_array().unwrap();
    let line = lines.iter().find(|l| l["key"] == key).unwrap();
    assert_eq!(
        (&line["state"], &line["line"]),
        (&json!("closed"), &json!("gap 49.8 mm"))
    );
    let report = shop.ok("GET", &format!("{job}/closings"), None);
    let last = report.as_array().unwrap().last().unwrap();
    assert_eq!(last["finding"]["words"]["title"], "toy towers");
    let again = shop.call(
        "POST",
        &format!("{at}/close"),
        Some(json!({"readings": typed})),
    );
    assert_eq!(again.0, 409);
    // A shop of inches sees it in inches; the facts stay.
    shop.ok(
        "PUT",
        "/api/v1/house/units",
        Some(json!({"temperature": "fahrenheit", "length": "inch"})),
    );
    let top = shop.ok("GET", &at, None);
    assert_eq!(top["set_up"]["heading"], "Print two towers 1.97 in apart.");
    assert_eq!(top["form"]["groups"][0]["fields"][1]["symbol"], "in");
    let report = shop.ok("GET", &format!("{job}/closings"), None);
    let last = report.as_array().unwrap().last().unwrap();
    assert_eq!(last["finding"]["words"]["line"], "gap 1.96 in");
    let body = json!({"readings": typed, "job": {"id": job_id, "stop": key}});
    let abroad = shop.ok("POST", "/api/v1/stations/toy_towers/evaluate", Some(body));
    assert_eq!(abroad["facts"], found["facts"]);
    assert_eq!(abroad["words"]["bands"][0]["measured"], "1.961 ±0.020 in");
}

#[test]
fn bad_input_to_it_is_refused_at_the_field_as_anywhere() {
    let shop = Shop::new();
    let evaluate = |gap: Value| {
        let body = json!({"readings": {"set_mm": "4", "gap_mm": gap}});
        shop.call("POST", "/api/v1/stations/toy_towers/evaluate", Some(body))
    };
    for (gap, code) in [
        (json!(""), "missing"),
        (json!("far"), "not_a_number"),
        (json!("60"), "out_of_range"),
        (json!(-1), "out_of_range"),
    ] {
        let (status, problem) = evaluate(gap);
        assert_eq!(status, 422, "{problem}");
        assert_eq!(problem["errors"][0]["field"], "gap_mm");
        assert_eq!(problem["errors"][0]["code"], code);
    }
    let body = json!({"readings": {"surprise": 1}});
    let (status, problem) = shop.call("POST", "/api/v1/stations/toy_towers/evaluate", Some(body));
    assert_eq!(
        (status, problem["errors"][0]["code"].as_str()),
        (400, Some("syntax"))
    );
}

#[test]
fn the_description_of_the_interface_has_its_readings() {
    let _shop = Shop::new();
    let described: Value = serde_json::from_str(&openapi_json()).unwrap();
    let readings = &described["components"]["schemas"]["TowersReadings"]["properties"];
    assert!(readings["gap_mm"].is_object(), "{readings}");
}
