//! Readings for every verdict of every station, as a technician might type them.
#![allow(dead_code)]

pub mod searches;

use serde_json::{Value, json};
use wattotherm_heat::{PhysicalLimits, Sample, Trace, hold_result};
use wattotherm_job::finding::Finding;
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_job::{Context, ExpectedSetting};
use wattotherm_printer::{FilamentFacts, Parameter, Replacement};

/// What a station finds, with `over` typed over its beginning.
pub fn found(station: &dyn AnyStation, over: &Value, context: &Context) -> Finding {
    station
        .evaluate(&typed(station, over, context), context)
        .unwrap()
}

/// A station's beginning with `over` typed over it.
pub fn typed(station: &dyn AnyStation, over: &Value, context: &Context) -> Value {
    let mut all = station.start(context);
    for (k, v) in over.as_object().unwrap() {
        all[k] = v.clone();
    }
    all
}

/// A case: its name, its station, what is typed over the station's beginning, what the station knows.
pub struct Example {
    pub name: &'static str,
    pub station: &'static dyn AnyStation,
    pub typed: Value,
    pub context: Context,
}

impl Example {
    /// The station's beginning with what is typed laid over it.
    pub fn readings(&self) -> Value {
        typed(self.station, &self.typed, &self.context)
    }
}

const REPORT: &str = "echo:; Steps per unit:\necho: M92 X80.00 Y80.00 Z400.00 E93.00\necho:; PID settings:\necho: M301 P22.40 I1.32 D95.00\necho:; Z probe offset:\necho: M851 X-40.00 Y-10.00 Z-1.62\n";

fn loop_context(strength: Option<wattotherm_job::chain::Strength>) -> Context {
    Context {
        parameter: Some(Parameter::HeaterLoop),
        before_text: Some("P 22.40 I 1.32 D 95.00".into()),
        strength,
        ..Context::default()
    }
}

fn hold(swing_c: f64, seconds: u32) -> Value {
    let trace = Trace::new((0..seconds).map(|i| {
        let t = f64::from(i);
        Sample {
            t_s: t,
            temp_c: 210.0 + swing_c * (t / 4.0).sin(),
            target_c: Some(210.0),
            duty: Some(0.4),
            fan: Some(0.0),
        }
    }));
    serde_json::to_value(hold_result(&trace, 210.0, &PhysicalLimits::default())).unwrap()
}

/// Every place of the bed at the height that a plane gives it, and what it leaves over in the middle.
fn bed(slope: f64, middle: f64) -> Value {
    let places = [
        ("front left", 30.0, 30.0),
        ("front right", 200.0, 30.0),
        ("back left", 30.0, 200.0),
        ("back right", 200.0, 200.0),
        ("middle", 115.0, 115.0),
    ];
    let points: Vec<Value> = places
        .iter()
        .map(|(name, x, y)| {
            let screw = *name != "middle";
            let z = 0.1 + slope * (x - 30.0) / 170.0 + if screw { 0.0 } else { middle };
            json!({"name": name, "x_mm": x, "y_mm": y, "z_mm": format!("{z:.2}"), "screw": screw})
        })
        .collect();
    json!({"points": points})
}

fn walls(low: &str, high: &str) -> Value {
    let walls: Vec<Value> = (0..8)
        .map(|i| {
            let (height, t) = if i < 4 { ("low", low) } else { ("high", high) };
            json!({"side": i % 4 + 1, "height": height, "t_mm": t})
        })
        .collect();
    json!({"walls": walls, "wall_mm": "0.45", "flow_set_percent": "98", "instrument": "micrometer"})
}

fn patches(t: &[&str]) -> Value {
    let places = [
        (40.0, 40.0),
        (180.0, 40.0),
        (110.0, 110.0),
        (40.0, 180.0),
        (180.0, 180.0),
    ];
    let patches: Vec<Value> = t
        .iter()
        .zip(places)
        .map(|(t, (x, y))| json!({"x_mm": x, "y_mm": y, "t_mm": t}))
        .collect();
    json!({"patches": patches, "offset_set_mm": "-1.62", "commanded_mm": "0.2", "instrument": "micrometer"})
}

fn cube(over: &Value) -> Value {
    let mut all = json!({
        "x_mm": ["20.02", "20.03"], "y_mm": ["20.01", "20.02"], "z_mm": ["20.0", "19.99"],
        "strings": "1", "first_layer_good": "yes", "walls_even": "yes", "clicking": "no", "came_back": "no",
        "clean_run_min": "300",
    });
    for (k, v) in over.as_object().unwrap() {
        all[k] = v.clone();
    }
    all
}

fn drive(over: &Value) -> Value {
    let mut all = json!({"steps_set": "93", "runs": ["27.5", "27.0"]});
    for (k, v) in over.as_object().unwrap() {
        all[k] = v.clone();
    }
    all
}

fn ticks(context: &Context, first: &str) -> Value {
    let mut steps = stations::Check.start(context)["steps"].clone();
    for (i, s) in steps.as_array_mut().unwrap().iter_mut().enumerate() {
        s["state"] = json!(if i == 0 { first } else { "done" });
        s["reason"] = json!(if i == 0 { "the clip was broken" } else { "" });
    }
    steps
}

/// Every station in every state that its words know of.
pub fn examples() -> Vec<Example> {
    let plain = Context::default;
    let petg = Context {
        filament: Some(FilamentFacts {
            name: "PETG green".into(),
            material: "PETG".into(),
            print_temp_c: Some(235.0),
        }),
        ..plain()
    };
    let at = |p: Parameter| Context {
        parameter: Some(p),
        ..plain()
    };
    let fresh = Context {
        replaced: vec![Replacement::ExtruderDrive],
        ..plain()
    };
    let gear = json!({"full_steps": "200", "microsteps": "16", "gear_ratio": "3", "drive_diameter_mm": "7.3"});
    let geared = |over: Value| {
        let mut all = drive(&over);
        for (k, v) in gear.as_object().unwrap() {
            all[k] = v.clone();
        }
        all
    };
    let nozzle = Context {
        list: Some("fit.nozzle_other_bore".into()),
        ..plain()
    };
    let cartridge = Context {
        list: Some("fit.heater_cartridge".into()),
        ..plain()
    };
    let intake = Context {
        list: Some("intake".into()),
        ..plain()
    };
    let ticked = |context: &Context, first: &str, over: Value| {
        let mut all = json!({"steps": ticks(context, first)});
        for (k, v) in over.as_object().unwrap() {
            all[k] = v.clone();
        }
        all
    };
    let done = Context {
        snapshot: Some(REPORT.into()),
        expected: vec![ExpectedSetting {
            code: "M301".into(),
            letter: 'P',
            value: 30.0,
            station: "Heater loop".into(),
        }],
        ..plain()
    };
    let kept = REPORT.replace("P22.40", "P30.00");
    let hour = Context {
        failure_times_min: vec![60.0, 75.0],
        ..plain()
    };
    let tired = Context {
        adjusts_so_far: 3,
        ..plain()
    };
    let mut strict = plain();
    strict
        .house
        .tolerances
        .insert(wattotherm_job::house::ToleranceId::TramMm, 0.02);
    let mut all = Vec::new();
    let mut add = |name, station: &'static dyn AnyStation, typed: Value, context: &Context| {
        all.push(Example {
            name,
            station,
            typed,
            context: context.clone(),
        });
    };
    let d: &dyn AnyStation = &stations::Drive;
    add(
        "pass",
        d,
        drive(&json!({"instrument": "caliper", "runs": ["20.00", "20.02", "19.99"]})),
        &plain(),
    );
    add("adjust", d, drive(&json!({})), &plain());
    add("again", d, drive(&json!({"runs": ["20.2"]})), &plain());
    add(
        "backward",
        d,
        drive(&json!({"runs": ["219", "220"]})),
        &plain(),
    );
    add(
        "nothing",
        d,
        drive(&json!({"runs": ["120", "120"]})),
        &plain(),
    );
    add(
        "slips",
        d,
        drive(&json!({"runs": ["20", "20"], "fast_runs": ["34", "35"]})),
        &plain(),
    );
    add(
        "held back",
        d,
        drive(&json!({"runs": ["32", "32"], "free_runs": ["20", "20"]})),
        &plain(),
    );
    add(
        "far off after work",
        d,
        drive(&json!({"runs": ["88", "88"]})),
        &fresh,
    );
    add(
        "far off untouched",
        d,
        drive(&json!({"runs": ["88", "88"]})),
        &plain(),
    );
    add(
        "ratio left out",
        d,
        geared(json!({"steps_set": "139.5", "runs": ["86.7", "86.6"]})),
        &fresh,
    );
    add(
        "other microsteps",
        d,
        geared(json!({"steps_set": "418.6", "runs": ["70", "70"]})),
        &fresh,
    );
    add("too many adjusts", d, drive(&json!({})), &tired);
    let t: &dyn AnyStation = &stations::Tram;
    add("pass", t, bed(0.01, 0.0), &plain());
    add("adjust", t, bed(0.7, 0.2), &plain());
    add("again", t, bed(0.01, 0.0), &strict);
    add(
        "beyond its screws",
        t,
        {
            let mut b = bed(9.0, 0.0);
            b["confirmed"] = json!(
                (0..5)
                    .map(|i| format!("points.{i}.z_mm"))
                    .collect::<Vec<_>>()
            );
            b
        },
        &plain(),
    );
    let m: &dyn AnyStation = &stations::Mesh;
    let mesh = |rows: &[&str]| json!({"heights": rows.join("\n")});
    add(
        "flat",
        m,
        mesh(&[
            "       0      1      2",
            " 0 +0.020 +0.010 +0.015",
            " 1 -0.010 +0.030 +0.005",
            " 2 +0.012 +0.008 +0.018",
        ]),
        &plain(),
    );
    add(
        "tilted",
        m,
        mesh(&[
            "[-0.30, 0.00, 0.30]",
            "[-0.31, 0.01, 0.29]",
            "[-0.30, 0.00, 0.31]",
        ]),
        &plain(),
    );
    add(
        "bent",
        m,
        mesh(&["0.00 -0.25 0.00", "-0.25 -0.50 -0.25", "0.00 -0.25 0.00"]),
        &plain(),
    );
    add(
        "dirty",
        m,
        mesh(&[
            "0.00 0.01 0.00 0.01",
            "0.01 0.44 0.01 0.00",
            "0.00 0.01 0.00 0.01",
            "0.01 0.00 0.01 0.00",
        ]),
        &plain(),
    );
    let b: &dyn AnyStation = &stations::BedLoop;
    add(
        "holds",
        b,
        json!({"low_c": "59.5", "high_c": "60.5", "surface_c": "54"}),
        &plain(),
    );
    add(
        "never comes up",
        b,
        json!({"low_c": "48", "high_c": "51"}),
        &plain(),
    );
    add(
        "swings",
        b,
        json!({"low_c": "57", "high_c": "63"}),
        &plain(),
    );
    add(
        "gains found",
        b,
        json!({"low_c": "57", "high_c": "63", "report": "Kp: 210.5 Ki: 41.2 Kd: 715"}),
        &plain(),
    );
    add(
        "swings on and off",
        b,
        json!({"held": "on_off", "low_c": "53", "high_c": "66"}),
        &plain(),
    );
    let g: &dyn AnyStation = &stations::Gantry;
    let mut strict_gantry = plain();
    strict_gantry
        .house
        .tolerances
        .insert(wattotherm_job::house::ToleranceId::GantryMm, 0.05);
    add("level", g, json!({"heights": ["120.1", "120.1"]}), &plain());
    add("askew", g, json!({"heights": ["120.1", "121.3"]}), &plain());
    add(
        "at the limit",
        g,
        json!({"heights": ["120.1", "120.12"]}),
        &strict_gantry,
    );
    add(
        "jumped",
        g,
        json!({"heights": ["120", "140"], "confirmed": ["heights.0", "heights.1", "heights"]}),
        &plain(),
    );
    let z: &dyn AnyStation = &stations::OffsetZ;
    add(
        "pass",
        z,
        patches(&["0.20", "0.20", "0.201", "0.199", "0.20"]),
        &plain(),
    );
    add(
        "adjust",
        z,
        patches(&["0.26", "0.26", "0.27", "0.26", "0.26"]),
        &plain(),
    );
    add(
        "again",
        z,
        {
            let mut p = patches(&["0.215"]);
            p["instrument"] = json!("caliper");
            p
        },
        &plain(),
    );
    add(
        "far off",
        z,
        {
            let mut p = patches(&["1.6", "1.6"]);
            p["confirmed"] = json!(["patches.0.t_mm", "patches.1.t_mm"]);
            p
        },
        &plain(),
    );
    add(
        "tilted",
        z,
        patches(&["0.10", "0.50", "0.30", "0.10", "0.50"]),
        &plain(),
    );
    add(
        "by paper",
        z,
        json!({"method": "paper", "instrument": "paper", "offset_set_mm": "-1.2", "touches_mm": ["0.25", "0.26", "0.25"]}),
        &plain(),
    );
    let f: &dyn AnyStation = &stations::Flow;
    add("pass", f, walls("0.451", "0.450"), &petg);
    add("adjust", f, walls("0.49", "0.50"), &petg);
    add(
        "again",
        f,
        {
            let mut w = walls("0.456", "0.455");
            w["instrument"] = json!("caliper");
            w
        },
        &petg,
    );
    add("varies", f, walls("0.45", "0.38"), &petg);
    add("not flow", f, walls("0.22", "0.22"), &petg);
    add(
        "by mass",
        f,
        json!({"method": "mass", "instrument": "balance", "volume_mm3": "8000", "masses_g": ["9.0"]}),
        &petg,
    );
    let a: &dyn AnyStation = &stations::Acceptance;
    add("pass", a, cube(&json!({})), &hour);
    add(
        "not long enough",
        a,
        cube(&json!({"clean_run_min": "60"})),
        &hour,
    );
    add("came back", a, cube(&json!({"came_back": "yes"})), &hour);
    add("clicks", a, cube(&json!({"clicking": "yes"})), &plain());
    add(
        "edges",
        a,
        cube(&json!({"x_mm": ["20.4", "20.5"]})),
        &plain(),
    );
    add("strings", a, cube(&json!({"strings": "4"})), &plain());
    add(
        "first layer",
        a,
        cube(&json!({"first_layer_good": "no"})),
        &plain(),
    );
    searches::examples(&mut add);
    let c: &dyn AnyStation = &stations::Check;
    add("pass", c, ticked(&intake, "done", json!({})), &intake);
    add("skipped", c, ticked(&intake, "skipped", json!({})), &intake);
    add("failed", c, ticked(&intake, "failed", json!({})), &intake);
    add("open", c, json!({}), &intake);
    let fitted = json!({"fitted": {"nozzle.bore_mm": "0.6", "nozzle.material": "brass"}});
    add("fitted", c, ticked(&nozzle, "done", fitted), &nozzle);
    add(
        "left over",
        c,
        ticked(
            &cartridge,
            "done",
            json!({"counted_out": "4", "counted_in": "3", "fitted": {"heater_cartridge.power_w": "40"}}),
        ),
        &cartridge,
    );
    let s: &dyn AnyStation = &stations::Snapshot;
    add("kept", s, json!({"report": REPORT}), &plain());
    add(
        "none",
        s,
        json!({"none_because": "this board reports nothing"}),
        &plain(),
    );
    let cmp: &dyn AnyStation = &stations::Compare;
    add(
        "pass",
        cmp,
        json!({"report": kept, "power_cycled": "yes"}),
        &done,
    );
    add(
        "lost",
        cmp,
        json!({"report": REPORT, "power_cycled": "yes"}),
        &done,
    );
    add(
        "unexplained",
        cmp,
        json!({"report": kept.replace("E93.00", "E96.00"), "power_cycled": "yes"}),
        &done,
    );
    let se: &dyn AnyStation = &stations::Sensor;
    let bead = |room: &str, shown: &str, ohm: &str| json!({"set_type": "ntc_100k_3950", "room_c": room, "shown_c": shown, "bed_c": room, "ohm": ohm});
    add("pass", se, bead("22", "22.8", ""), &plain());
    add("open", se, bead("22", "0", ""), &plain());
    add("shorted", se, bead("22", "400", ""), &plain());
    add("wrong type", se, bead("22", "60", "11500"), &plain());
    add("unknown", se, bead("22", "22", "330"), &plain());
    add("off the room", se, bead("22", "40", ""), &plain());
    add("near the limit", se, bead("22", "25.5", ""), &plain());
    let h: &dyn AnyStation = &stations::Heater;
    let heater =
        |ohm: &str| json!({"supply_v": "24", "marked_w": "40", "ohm": ohm, "planned_c": "210"});
    add("pass", h, heater("14.4"), &plain());
    add("of lower voltage", h, heater("3.6"), &plain());
    add("too weak", h, heater("57"), &plain());
    add("open", h, heater("10000000"), &plain());
    add("shorted", h, heater("0.3"), &plain());
    let rated = Context {
        printer: wattotherm_printer::PrinterFacts {
            heater_a: Some(1.0),
            ..Default::default()
        },
        ..plain()
    };
    add("overload", h, heater("14.4"), &rated);
    let ceiling = Context {
        before: Some(240.0),
        ..at(Parameter::Ceiling)
    };
    add("ceiling lowered", h, json!({"planned_c": "230"}), &ceiling);
    add("planned too hot", h, json!({"planned_c": "260"}), &ceiling);
    add(
        "firmware lower",
        h,
        json!({"planned_c": "230", "taken_c": "215"}),
        &ceiling,
    );
    let l: &dyn AnyStation = &stations::HeaterLoop;
    use wattotherm_job::chain::Strength::{Redo, Verify};
    add("untested", l, json!({}), &loop_context(Some(Redo)));
    add(
        "holds",
        l,
        json!({"hold": hold(0.3, 200)}),
        &loop_context(Some(Verify)),
    );
    add(
        "tune it",
        l,
        json!({"hold": hold(0.3, 200)}),
        &loop_context(Some(Redo)),
    );
    add(
        "proposed",
        l,
        json!({"typed_ku": "50", "typed_tu_s": "18.7"}),
        &loop_context(Some(Redo)),
    );
    let seen = json!({"typed_overshoot_c": "1", "typed_settle_s": "30", "typed_swing_c": "1", "typed_dip_c": "2"});
    add("verified", l, seen.clone(), &loop_context(Some(Redo)));
    add(
        "dips and swings",
        l,
        {
            let mut s = seen;
            s["typed_swing_c"] = json!("9");
            s["typed_overshoot_c"] = json!("12");
            s
        },
        &loop_context(Some(Redo)),
    );
    add(
        "sink too hot",
        l,
        json!({"sink_c": "85"}),
        &loop_context(Some(Redo)),
    );
    let n: &dyn AnyStation = &stations::HotTighten;
    let tight = |over: Value| {
        let mut all = json!({"at_c": "230", "block_held": "yes", "gap_left": "yes", "torque_nm": "2.8", "waited_min": "3", "seeps": "no"});
        for (k, v) in over.as_object().unwrap() {
            all[k] = v.clone();
        }
        all
    };
    add("pass", n, tight(json!({})), &plain());
    add(
        "too cold and too early",
        n,
        tight(json!({"at_c": "190", "waited_min": "1"})),
        &plain(),
    );
    add("leaks", n, tight(json!({"seeps": "yes"})), &plain());
    add(
        "on the block",
        n,
        tight(json!({"gap_left": "no"})),
        &plain(),
    );
    add(
        "block not held",
        n,
        tight(json!({"block_held": "no"})),
        &plain(),
    );
    add(
        "too much torque",
        n,
        tight(json!({"torque_nm": "4.5"})),
        &plain(),
    );
    let probed = |touches: &[&str], x: &str| {
        json!({
            "touches_mm": touches, "nozzle_x_mm": "110", "nozzle_y_mm": "100", "probe_x_mm": x, "probe_y_mm": "110",
            "set_x_mm": "-40", "set_y_mm": "-10",
        })
    };
    let steady = [
        "1.251", "1.249", "1.250", "1.252", "1.250", "1.248", "1.251", "1.250", "1.249", "1.250",
    ];
    let loose = [
        "1.24", "1.27", "1.22", "1.26", "1.28", "1.23", "1.25", "1.21", "1.27", "1.24",
    ];
    let p: &dyn AnyStation = &stations::Probe;
    add("pass", p, probed(&steady, "150.1"), &plain());
    add("moved", p, probed(&steady, "137"), &plain());
    add(
        "again",
        p,
        probed(&["1.25", "1.26", "1.25", "1.24", "1.25", "1.25"], "150"),
        &plain(),
    );
    add("loose", p, probed(&loose, "150"), &plain());
    let nozzle: &dyn AnyStation = &stations::Profile;
    let read_off = |more: Value| {
        let mut r = json!({
            "before": "0.4", "bore": "0.4", "outer_width": "0.44", "inner_width": "0.45", "layer": "0.2",
            "first_layer": "0.2", "outer_speed": "60", "infill_speed": "120", "flow_limit": "9",
            "name": "0.4 fine", "saved_printer": true, "saved_process": true,
        });
        r.as_object_mut()
            .unwrap()
            .extend(more.as_object().unwrap().clone());
        r
    };
    add(
        "as it is",
        nozzle,
        read_off(json!({"infill_speed": "90", "file_width": "0.45", "file_height": "0.2"})),
        &plain(),
    );
    add("too fast", nozzle, read_off(json!({})), &plain());
    add(
        "a new bore, and was it worth it",
        nozzle,
        read_off(json!({
            "before": "0.6", "outer_width": "0.65", "inner_width": "0.7", "layer": "0.3", "outer_speed": "", "infill_speed": "",
            "minutes_before": "44", "minutes_now": "63", "grams_before": "31.5", "grams_now": "30.2", "hour": "3",
        })),
        &plain(),
    );
    add(
        "a file of another bore",
        nozzle,
        read_off(json!({"infill_speed": "90", "file_width": "0.65", "file_height": "0.3"})),
        &plain(),
    );
    add(
        "the record is odd",
        nozzle,
        read_off(
            json!({"before": "0.6", "bore": "0.6", "outer_width": "0.65", "inner_width": "0.65", "layer": "0.3", "first_layer": "0.3",
            "infill_speed": "30", "outer_speed": "30", "file_width": "0.65", "file_height": "0.3", "confirmed": ["bore"]}),
        ),
        &plain(),
    );
    let t: &dyn AnyStation = &stations::TubeLength;
    let ways = json!([
        {"name": "front left", "way_mm": "402"}, {"name": "back right", "way_mm": "418"}, {"name": "", "way_mm": ""}
    ]);
    add("the old one", t, json!({"old_mm": "415"}), &plain());
    add(
        "the way",
        t,
        json!({"old_mm": "415", "ways": ways}),
        &plain(),
    );
    add(
        "kinks",
        t,
        json!({"old_mm": "415", "bend_mm": "18"}),
        &plain(),
    );
    let w: &dyn AnyStation = &stations::Worth;
    let pieces = json!([
        {"name": "mains cable", "state": "there", "price": ""}, {"name": "plate and clips", "state": "damaged", "price": "22.50"},
        {"name": "a spare fan", "state": "missing", "price": "9"},
    ]);
    let hands = Context {
        hands_left_min: Some([60.0, 150.0]),
        ..plain()
    };
    add(
        "worth it",
        w,
        json!({"worth": "180", "paid": "60", "hour": "20", "pieces": pieces}),
        &hands,
    );
    add(
        "too dear",
        w,
        json!({"worth": "90", "paid": "60", "hour": "20", "pieces": pieces}),
        &hands,
    );
    add(
        "hands not counted",
        w,
        json!({"worth": "90", "paid": "20", "pieces": pieces}),
        &hands,
    );
    let z: &dyn AnyStation = &stations::OffsetZ;
    add(
        "by routine",
        z,
        json!({"method": "routine", "instrument": "", "offset_set_mm": "-1.62", "touches_mm": ["-1.68", "-1.69", "-1.68"]}),
        &plain(),
    );
    add(
        "by routine, as set",
        z,
        json!({"method": "routine", "instrument": "", "offset_set_mm": "-1.62", "touches_mm": ["-1.62", "-1.62", "-1.62"]}),
        &plain(),
    );
    add(
        "trimmed",
        z,
        json!({"method": "trim", "instrument": "", "offset_set_mm": "-1.62", "touches_mm": ["-0.06"]}),
        &plain(),
    );
    add(
        "trimmed by nothing",
        z,
        json!({"method": "trim", "instrument": "", "offset_set_mm": "-1.62", "touches_mm": ["0"]}),
        &plain(),
    );
    all
}
