//! The demo workshop: the print room of a college for stage and garden design. All invented.

mod cases;
mod heat;
mod prints;

pub use heat::connect_demo;

use serde_json::{Value, json};
use wattotherm_job::effects::effects_of;
use wattotherm_job::house::House;
use wattotherm_job::route::{Begins, Stop};
use wattotherm_printer::{
    FilamentPath, GearFacts, HotEndKind, HotEndMass, Parameter, Part, PrinterFacts,
    Replacement as R,
};
use wattotherm_store::{
    About, NewFilament, NewJob, NewPrinter, NewSetting, Shows, Store, StoreError,
};

use crate::state::{context_of, traveller_of};

type Failure = Box<dyn std::error::Error>;

/// An invented settings report.
const REPORT: &str = "echo:; steps per unit\necho:  M92 X80.00 Y80.00 Z400.00 E418.60\necho:; heater loops\necho:  M301 P22.40 I1.32 D95.00\necho:  M304 P96.00 I8.20 D280.00\necho:; offsets\necho:  M851 X-42.00 Y-8.00 Z-1.620\necho:; filament\necho:  M900 K0.040\necho:  M207 S0.80 F2400.0\n";

struct Demo<'a> {
    store: &'a mut Store,
    clock: jiff::Timestamp,
}

const fn printer(
    kind: &'static str,
    bed: [f64; 3],
    path: FilamentPath,
    hot_end: HotEndKind,
    gear: GearFacts,
) -> (&'static str, [f64; 3], FilamentPath, HotEndKind, GearFacts) {
    (kind, bed, path, hot_end, gear)
}

const fn gear(gear_ratio: f64, drive_diameter_mm: f64) -> GearFacts {
    GearFacts {
        full_steps: 200.0,
        microsteps: 16.0,
        gear_ratio,
        drive_diameter_mm,
    }
}

/// Fills an empty store with invented printers, jobs and a year of history.
/// # Errors
/// If the store can't be written, or an invented reading is refused.
pub fn fill_with_demo(store: &mut Store) -> Result<(), Failure> {
    let today = jiff::Timestamp::now();
    let mut demo = Demo {
        store,
        clock: today - jiff::SignedDuration::from_hours(24 * 364),
    };
    let filaments: Vec<i64> = [
        ("PLA, white", "PLA"),
        ("PETG, green", "PETG"),
        ("TPU 95A, black", "TPU"),
        ("ASA, grey", "ASA"),
    ]
    .iter()
    .map(|(n, m)| {
        demo.store.add_filament(&NewFilament {
            name: (*n).into(),
            material: (*m).into(),
        })
    })
    .collect::<Result<_, StoreError>>()?;
    use FilamentPath::{Direct, Tube};
    use HotEndKind::{AllMetal, Lined};
    let shop = [
        (
            "Alder",
            printer(
                "bed-slinger, tube drive, 235 mm bed",
                [235.0, 235.0, 250.0],
                Tube,
                Lined,
                gear(1.0, 10.95),
            ),
        ),
        (
            "Rowan",
            printer(
                "bed-slinger, tube drive, 235 mm bed",
                [235.0, 235.0, 250.0],
                Tube,
                Lined,
                gear(3.0, 7.3),
            ),
        ),
        (
            "Larch",
            printer(
                "cube frame, direct drive, 300 mm bed",
                [300.0, 300.0, 320.0],
                Direct,
                AllMetal,
                gear(3.0, 7.3),
            ),
        ),
        (
            "Hazel",
            printer(
                "practice printer, simulated: its clock runs six times as fast",
                [220.0, 220.0, 240.0],
                Direct,
                Lined,
                gear(3.0, 7.3),
            ),
        ),
        (
            "Aspen",
            printer(
                "practice printer, simulated: its clock runs six times as fast",
                [256.0, 256.0, 256.0],
                Direct,
                AllMetal,
                gear(3.5, 8.1),
            ),
        ),
        (
            "Yew",
            printer(
                "flying gantry, tube drive, 350 mm bed",
                [350.0, 350.0, 400.0],
                Tube,
                Lined,
                gear(1.0, 10.95),
            ),
        ),
    ];
    let mut ids = Vec::new();
    for (name, (kind, [x, y, z], path, hot_end, gear)) in shop {
        let facts = PrinterFacts {
            bed_x_mm: x,
            bed_y_mm: y,
            height_mm: z,
            path,
            hot_end,
            nozzle_mm: 0.4,
            nozzles: 1,
            firmware_limit_c: Some(if hot_end == AllMetal { 300.0 } else { 260.0 }),
            gear: Some(gear),
            mass: if name == "Aspen" {
                HotEndMass::Heavy
            } else {
                HotEndMass::Standard
            },
            heater_w: Some(if name == "Aspen" { 60.0 } else { 40.0 }),
            ..PrinterFacts::default()
        };
        let ceiling_c = House::default().ceiling(&facts).ceiling_c;
        let at = demo.tick(3);
        let id = demo.store.add_printer(
            &NewPrinter {
                name: name.into(),
                kind: kind.into(),
                facts,
                invented: true,
            },
            &at,
        )?;
        ids.push(id);
        demo.first_values(id, path, ceiling_c, &gear, &filaments)?;
    }
    demo.year(&ids)?;
    let [alder, rowan, larch, hazel, aspen, yew] = ids[..] else {
        return Err("six printers".into());
    };
    demo.finished_job(hazel, filaments[0])?;
    demo.proven_case(alder)?;
    demo.stopped_job(yew, filaments[1])?;
    demo.rowan_at_drive(rowan, filaments[1])?;
    demo.larch_fresh(larch, filaments[3])?;
    demo.alder_z(alder, filaments[0])?;
    demo.aspen_loop(aspen, filaments[1])?;
    demo.hazel_wire(hazel, filaments[0])?;
    demo.open_case(yew)?;
    prints::fill(demo.store)?;
    Ok(())
}

impl Demo<'_> {
    /// The invented clock, moved on by some hours but never past now.
    fn tick(&mut self, hours: i64) -> String {
        self.clock += jiff::SignedDuration::from_hours(hours);
        format!("{:.3}", self.clock)
    }

    fn minutes(&mut self, minutes: i64) -> String {
        self.clock += jiff::SignedDuration::from_mins(minutes);
        format!("{:.3}", self.clock)
    }

    fn days_before_now(&mut self, days: i64, hours: i64) {
        self.clock = jiff::Timestamp::now() - jiff::SignedDuration::from_hours(24 * days + hours);
    }

    fn first_values(
        &mut self,
        id: i64,
        path: FilamentPath,
        ceiling_c: f64,
        gear: &GearFacts,
        filaments: &[i64],
    ) -> Result<(), Failure> {
        let tube = path == FilamentPath::Tube;
        let steps =
            (wattotherm_job::stations::drive::computed_steps_per_mm(gear) * 10.0).round() / 10.0;
        let machine = [
            (Parameter::Ceiling, Some(ceiling_c), None),
            (Parameter::Drive, Some(steps), None),
            (Parameter::Profile, Some(0.4), None),
            (Parameter::Tram, Some(0.04), None),
            (Parameter::OffsetZ, Some(-1.62), None),
            (
                Parameter::SensorType,
                None,
                Some("glass bead, 100 kΩ, B 3950"),
            ),
            (Parameter::HeaterLoop, None, Some("P 22.4 I 1.32 D 95.0")),
        ];
        let at = self.tick(1);
        for (parameter, value, text) in machine {
            let new = NewSetting {
                parameter,
                filament_id: None,
                value,
                value_text: text.map(str::to_owned),
                expanded: None,
            };
            self.store.put_setting(id, &new, &at)?;
        }
        for (f, temp) in filaments.iter().zip([205.0, 235.0]) {
            let rows = [
                (Parameter::PrintTemp, temp),
                (Parameter::VolumetricLimit, 9.0),
                (Parameter::Flow, 98.0),
                (Parameter::PressureAdvance, if tube { 0.55 } else { 0.04 }),
                (Parameter::Retraction, if tube { 4.8 } else { 0.8 }),
            ];
            for (parameter, value) in rows {
                let new = NewSetting {
                    parameter,
                    filament_id: Some(*f),
                    value: Some(value),
                    value_text: None,
                    expanded: None,
                };
                self.store.put_setting(id, &new, &at)?;
            }
        }
        for (part, what) in [
            (Part::Nozzle, "brass 0.4"),
            (Part::TemperatureSensor, "glass bead, 100 kΩ"),
            (Part::HeaterCartridge, "24 V, 40 W"),
            (Part::BedSurface, "spring steel, textured"),
        ] {
            self.store.fit(id, part, what, None, &at)?;
        }
        if tube {
            self.store
                .fit(id, Part::Tube, "2.0 mm bore, 400 mm", None, &at)?;
        }
        Ok(())
    }

    fn year(&mut self, ids: &[i64]) -> Result<(), Failure> {
        let notes = [
            "Brushed the nozzle, tip still round.",
            "Belts checked, no slack.",
            "Plate washed; corners had lifted on a stage model.",
            "Dust under the drive gear, blown out.",
            "Fan rattled, hair removed.",
            "Two spools dried for six hours.",
            "First layer a touch close after moving the table.",
            "Term break: switched off and covered.",
        ];
        for (i, note) in notes.iter().cycle().take(24).enumerate() {
            let at = self.tick(24 * 13);
            let printer = ids[(i * 5 + 2) % ids.len()];
            let about = About {
                printer_id: Some(printer),
                ..About::default()
            };
            self.store.note(about, "workshop", note, &at)?;
            if i % 6 == 3 {
                // OK because i < 24.
                #[allow(clippy::cast_precision_loss)]
                let z = -1.62 + 0.01 * (i as f64 / 6.0).floor();
                let new = NewSetting {
                    parameter: Parameter::OffsetZ,
                    filament_id: None,
                    value: Some((z * 100.0).round() / 100.0),
                    value_text: None,
                    expanded: Some(0.01),
                };
                self.store.put_setting(printer, &new, &at)?;
            }
        }
        Ok(())
    }

    fn start(&mut self, new: &NewJob) -> Result<i64, Failure> {
        let at = self.minutes(1);
        Ok(self.store.start_job(new, &at)?)
    }

    /// Closes a station with the readings it begins with and `typed` laid over them.
    fn close(&mut self, job_id: i64, key: &str, typed: &Value) -> Result<(), Failure> {
        let at = self.minutes(9);
        let (job, stop, context) = self.at(job_id, key)?;
        let mut readings = stop.station().start(&context);
        merge(&mut readings, typed);
        let finding = stop.station().evaluate(&readings, &context)?;
        let effects = effects_of(stop, &readings, &finding, &context);
        self.store
            .close_station(&job, stop, &readings, &finding, &effects, &at)?;
        Ok(())
    }

    fn draft(&mut self, job_id: i64, key: &str, typed: &Value) -> Result<(), Failure> {
        let at = self.minutes(4);
        let (_, stop, context) = self.at(job_id, key)?;
        let mut readings = stop.station().start(&context);
        merge(&mut readings, typed);
        self.store.save_draft(job_id, key, &readings, &at)?;
        Ok(())
    }

    fn at(
        &self,
        job_id: i64,
        key: &str,
    ) -> Result<(wattotherm_store::Job, Stop, wattotherm_job::Context), Failure> {
        let job = self.store.job(job_id)?;
        let stop: Stop = key.parse()?;
        let card = traveller_of(self.store, &job)?;
        let context = context_of(self.store, &job, stop, &card)?;
        Ok((job, stop, context))
    }

    /// Ticks every step of a check.
    fn tick_all(&mut self, job_id: i64, key: &str, pieces: Option<u32>) -> Result<(), Failure> {
        let (_, stop, context) = self.at(job_id, key)?;
        let begun = stop.station().start(&context);
        let n = begun["steps"].as_array().map_or(0, Vec::len);
        let steps: Vec<Value> = (0..n)
            .map(|_| json!({"state": "done", "reason": ""}))
            .collect();
        let count = pieces.map_or(String::new(), |p| p.to_string());
        self.close(
            job_id,
            key,
            &json!({"steps": steps, "counted_out": count, "counted_in": count}),
        )
    }

    /// A trial board: each print's distance, speed and hop, and its strings.
    fn board(
        &mut self,
        job_id: i64,
        key: &str,
        prints: &[([&str; 3], u32)],
        note: &str,
    ) -> Result<(), Failure> {
        let prints: Vec<Value> = prints
            .iter()
            .map(|([distance, speed, hop], strings)| {
                json!({
                    "distance": distance, "speed": speed, "travel": "150", "hop": hop, "wipe": "0",
                    "strings": strings, "minutes": "14",
                })
            })
            .collect();
        self.close(job_id, key, &json!({"prints": prints, "note": note}))
    }

    fn finished_job(&mut self, printer: i64, filament: i64) -> Result<(), Failure> {
        self.days_before_now(41, 6);
        let job = self.start(&NewJob {
            printer_id: printer,
            complaint: "Blobs and thin first layers since spring.".into(),
            shows: Shows::AtOnce,
            customer: "stage class".into(),
            technician: "bench A".into(),
            replaced: vec![R::NozzleSame],
            filament_ids: vec![filament],
            ..NewJob::default()
        })?;
        let flow = format!("flow.{filament}");
        self.begin(job)?;
        self.tick_all(job, "fit.nozzle_same", None)?;
        self.close(
            job,
            "hot_tighten",
            &json!({"at_c": "205", "block_held": "yes", "gap_left": "yes", "torque_nm": "2.8", "waited_min": "3", "seeps": "no"}),
        )?;
        self.close(job, "offset_z", &json!({"patches": patches(["0.26", "0.25", "0.26", "0.27", "0.26"]), "instrument": "micrometer"}))?;
        self.close(job, "offset_z", &json!({"patches": patches(["0.20", "0.20", "0.20", "0.21", "0.20"]), "instrument": "micrometer"}))?;
        self.tick_all(job, "first_print", None)?;
        self.close(
            job,
            &flow,
            &walls([
                "0.451", "0.449", "0.455", "0.450", "0.448", "0.452", "0.450", "0.453",
            ]),
        )?;
        self.board(
            job,
            &format!("retraction.{filament}"),
            &[
                (["0.8", "35", "0.2"], 3),
                (["0.8", "35", "0"], 1),
                (["0.4", "35", "0"], 4),
                (["1.2", "35", "0"], 1),
                (["0.6", "35", "0"], 2),
                (["0.8", "60", "0"], 2),
                (["0.8", "20", "0"], 1),
            ],
            "Hop off did most of it.",
        )?;
        self.accept(job)
    }

    fn accept(&mut self, job: i64) -> Result<(), Failure> {
        self.close(job, "acceptance", &json!({
            "x_mm": ["20.04", "20.05", "20.03"], "y_mm": ["20.02", "20.03", "20.02"], "z_mm": ["19.98", "19.99", "19.98"],
            "strings": "1", "first_layer_good": "yes", "walls_even": "yes", "clicking": "no", "came_back": "no", "clean_run_min": "185",
        }))?;
        self.close(
            job,
            "compare",
            &json!({"report": REPORT.replace("Z-1.620", "Z-1.680"), "power_cycled": "yes"}),
        )?;
        self.tick_all(job, "hand_over", None)
    }

    /// Intake, snapshot and baseline.
    fn begin(&mut self, job: i64) -> Result<(), Failure> {
        self.tick_all(job, "intake", None)?;
        self.close(job, "snapshot", &json!({ "report": REPORT }))?;
        self.tick_all(job, "baseline", None)
    }

    fn stopped_job(&mut self, printer: i64, filament: i64) -> Result<(), Failure> {
        self.days_before_now(3, 5);
        let job = self.start(&NewJob {
            printer_id: printer,
            complaint: "Prints fine for an hour, then gaps, then nothing comes out.".into(),
            shows: Shows::AfterAWhile,
            tried: "Two nozzles, a new spool.".into(),
            customer: "garden class".into(),
            technician: "bench B".into(),
            begins: Begins::Parts,
            replaced: vec![R::ExtruderDrive],
            filament_ids: vec![filament],
            failure_times_min: vec![55.0, 70.0, 62.0],
        })?;
        self.begin(job)?;
        self.tick_all(job, "fit.extruder_drive", Some(6))?;
        self.tick_all(job, "power_up", None)?;
        self.close(
            job,
            "drive",
            &json!({"runs": ["31.5", "32.0", "31.5"], "free_runs": ["20.5", "20.0"]}),
        )
    }

    fn rowan_at_drive(&mut self, printer: i64, filament: i64) -> Result<(), Failure> {
        self.days_before_now(0, 9);
        let job = self.start(&NewJob {
            printer_id: printer,
            complaint: "Strings and gaps since the extruder was changed.".into(),
            shows: Shows::AtOnce,
            customer: "stage class".into(),
            technician: "bench A".into(),
            replaced: vec![R::ExtruderDrive],
            filament_ids: vec![filament],
            ..NewJob::default()
        })?;
        self.begin(job)?;
        self.tick_all(job, "fit.extruder_drive", Some(6))?;
        self.tick_all(job, "power_up", None)?;
        self.draft(job, "drive", &json!({"runs": ["27.5", "27.0", ""]}))
    }

    fn larch_fresh(&mut self, printer: i64, filament: i64) -> Result<(), Failure> {
        self.days_before_now(0, 7);
        self.start(&NewJob {
            printer_id: printer,
            complaint: "Switch to 0.6 for the garden models.".into(),
            technician: "bench B".into(),
            replaced: vec![R::NozzleOtherBore],
            filament_ids: vec![filament],
            ..NewJob::default()
        })?;
        Ok(())
    }

    fn alder_z(&mut self, printer: i64, filament: i64) -> Result<(), Failure> {
        self.days_before_now(0, 6);
        let job = self.start(&NewJob {
            printer_id: printer,
            complaint: "Plate scratched, new one fitted.".into(),
            technician: "bench A".into(),
            replaced: vec![R::BedSurface],
            filament_ids: vec![filament],
            ..NewJob::default()
        })?;
        self.begin(job)?;
        self.tick_all(job, "fit.bed_surface", Some(4))?;
        self.draft(job, "tram", &json!({"points": heights(&self.bed(printer)?, ["0.31", "0.12", "0.24", "0.05", "0.19"])}))
    }

    fn bed(&self, printer: i64) -> Result<[f64; 2], Failure> {
        let f = self.store.printer(printer)?.facts;
        Ok([f.bed_x_mm, f.bed_y_mm])
    }
}

fn merge(base: &mut Value, over: &Value) {
    if let (Some(base), Some(over)) = (base.as_object_mut(), over.as_object()) {
        for (k, v) in over {
            base.insert(k.clone(), v.clone());
        }
    }
}

fn patches(t: [&str; 5]) -> Value {
    let places = [
        (44.0, 44.0),
        (176.0, 44.0),
        (110.0, 110.0),
        (44.0, 176.0),
        (176.0, 176.0),
    ];
    places
        .iter()
        .zip(t)
        .map(|((x, y), t)| json!({"x_mm": x, "y_mm": y, "t_mm": t}))
        .collect()
}

fn walls(t: [&str; 8]) -> Value {
    let walls: Vec<Value> =
        t.iter().enumerate().map(|(i, t)| json!({"side": i / 2 + 1, "height": if i % 2 == 0 { "low" } else { "high" }, "t_mm": t})).collect();
    json!({"walls": walls, "instrument": "micrometer"})
}

fn heights([w, d]: &[f64; 2], z: [&str; 5]) -> Value {
    let at = [
        ("front left", 0.13, 0.13),
        ("front right", 0.87, 0.13),
        ("back left", 0.13, 0.87),
        ("back right", 0.87, 0.87),
        ("middle", 0.5, 0.5),
    ];
    at.iter()
        .zip(z)
        .map(|((name, x, y), z)| json!({"name": name, "x_mm": w * x, "y_mm": d * y, "z_mm": z, "screw": *name != "middle"}))
        .collect()
}
