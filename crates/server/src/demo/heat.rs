//! The demo's heat: jobs in the middle of a heater loop, and two connected simulated printers.

use serde_json::{Value, json};
use wattotherm_gcode::{AutotuneReport, read_autotune, read_temperatures};
use wattotherm_heat::{PhysicalLimits, Sample, Trace, hold_result, tune_result};
use wattotherm_link::Address;
use wattotherm_printer::Replacement as R;
use wattotherm_store::{NewJob, NewTrace, Shows};
use wattotherm_twin::port::{Running, Speed};
use wattotherm_twin::{Build, Fault, Kind, Twin};

use super::{Demo, Failure};
use crate::state::App;

impl Demo<'_> {
    /// A new heater, and the loop in the middle of its first round: hold and autotune are done.
    pub(super) fn aspen_loop(&mut self, printer: i64, filament: i64) -> Result<(), Failure> {
        self.days_before_now(0, 4);
        let job = self.start(&NewJob {
            printer_id: printer,
            complaint: "Heats slowly, then stops with an alarm.".into(),
            shows: Shows::AtOnce,
            customer: "garden class".into(),
            technician: "bench B".into(),
            replaced: vec![R::HeaterCartridge],
            filament_ids: vec![filament],
            ..NewJob::default()
        })?;
        self.begin(job)?;
        self.tick_all(job, "fit.heater_cartridge", Some(5))?;
        self.close(
            job,
            "heater",
            &json!({"ohm": "9.7", "marked_w": "60", "planned_c": "235"}),
        )?;
        self.tick_all(job, "power_up", None)?;
        self.tick_all(job, "first_heat", None)?;
        let (hold, tune) = self.tuned(printer, job)?;
        self.draft(
            job,
            "heater_loop",
            &json!({"target_c": "235", "hold": hold, "tune": tune}),
        )
    }

    /// A new sensor whose wire is breaking: the hold test has shown it.
    pub(super) fn hazel_wire(&mut self, printer: i64, filament: i64) -> Result<(), Failure> {
        self.days_before_now(0, 2);
        let job = self.start(&NewJob {
            printer_id: printer,
            complaint: "Temperature jumps about since the sensor was changed.".into(),
            shows: Shows::AtRandom,
            tried: "Autotune, twice.".into(),
            customer: "stage class".into(),
            technician: "bench A".into(),
            replaced: vec![R::SensorSameType],
            filament_ids: vec![filament],
            ..NewJob::default()
        })?;
        self.begin(job)?;
        self.tick_all(job, "fit.sensor_same_type", Some(4))?;
        self.close(
            job,
            "sensor_type",
            &json!({"room_c": "20", "shown_c": "20.4", "bed_c": "20.2", "ohm": "125100"}),
        )?;
        self.tick_all(job, "power_up", None)?;
        self.close(job, "ceiling", &json!({"planned_c": "205"}))?;
        self.tick_all(job, "first_heat", None)?;
        let mut twin = torn_twin();
        twin.ask("M155 S1");
        twin.ask("M104 S205");
        let (log, _) = logged(&mut twin, 300.0);
        let at = self.minutes(6);
        let mut hold = hold_result(&log, 205.0, &PhysicalLimits::default());
        hold.trace = Some(self.store.keep_trace(
            &NewTrace {
                printer_id: printer,
                job_id: Some(job),
                kind: "hold",
                target_c: Some(205.0),
                trace: &log,
                source: None,
            },
            &at,
        )?);
        self.draft(
            job,
            "heater_loop",
            &json!({"target_c": "205", "hold": hold}),
        )
    }

    /// Hold test and autotune of the demo's healthy twin, as its connected self would give them.
    fn tuned(&mut self, printer: i64, job: i64) -> Result<(Value, Value), Failure> {
        let mut twin = healthy_twin();
        let limits = PhysicalLimits::default();
        twin.ask("M155 S1");
        twin.ask("M104 S235");
        let (hold, _) = logged(&mut twin, 330.0);
        twin.ask("M104 S0");
        twin.ask("M106 S255");
        logged(&mut twin, 120.0);
        twin.ask("M107");
        twin.receive(b"M303 E0 S235 C6\n");
        let (swing, said) = logged(&mut twin, 240.0);
        let mut report = AutotuneReport::default();
        for line in said.lines().filter(|l| !l.starts_with("T:")) {
            read_autotune(line, &mut report);
        }
        let swing = Trace::new(
            swing
                .samples
                .into_iter()
                .filter(|s| s.target_c == Some(235.0)),
        );
        let at = self.minutes(6);
        let mut keep = |kind: &str, trace: &Trace| {
            self.store.keep_trace(
                &NewTrace {
                    printer_id: printer,
                    job_id: Some(job),
                    kind,
                    target_c: Some(235.0),
                    trace,
                    source: None,
                },
                &at,
            )
        };
        let mut held = hold_result(&hold, 235.0, &limits);
        held.trace = Some(keep("hold", &hold)?);
        let mut tune = tune_result(&swing, 235.0, 0.0, &report, &limits);
        tune.trace = Some(keep("autotune", &swing)?);
        Ok((json!(held), json!(tune)))
    }
}

/// The twin that stands for Aspen: a large all-metal hot end, nothing wrong with it.
fn healthy_twin() -> Twin {
    Twin::new(Build::new(Kind::Heavy, 5, []), 5)
}

/// The twin that stands for Hazel: a sensor wire that is breaking.
fn torn_twin() -> Twin {
    Twin::new(
        Build::new(Kind::Standard, 8, [Fault::SensorIntermittent]),
        8,
    )
}

/// How much faster than the wall clock the demo's twins live.
const DEMO_SPEED: f64 = 6.0;

/// Starts the two connected printers of the demo, each behind a port of this computer, and connects
/// them as any printer is connected.
/// # Errors
/// If no port can be had, or the store can't be read.
pub async fn connect_demo(app: &App) -> Result<(), Failure> {
    let printers = app.read(|store| Ok(store.printers()?)).await?;
    for (name, twin) in [("Aspen", healthy_twin()), ("Hazel", torn_twin())] {
        let Some(printer) = printers.iter().find(|p| p.name == name) else {
            continue;
        };
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
        let host = listener.local_addr()?.to_string();
        let running = Running::new(twin, Speed::Times(DEMO_SPEED));
        tokio::spawn(async move { running.serve_tcp(listener).await });
        app.connect(printer.id, Address::Tcp { host }, 1.0).await?;
    }
    Ok(())
}

fn logged(twin: &mut Twin, seconds: f64) -> (Trace, String) {
    let (mut samples, mut said) = (Vec::new(), String::new());
    let start = twin.uptime_s();
    let mut passed = 0.0;
    while passed < seconds {
        twin.advance(0.5);
        passed += 0.5;
        let text = String::from_utf8_lossy(&twin.take_output()).into_owned();
        for t in text.lines().filter_map(read_temperatures) {
            samples.push(Sample {
                t_s: t.uptime_s.unwrap_or(passed) - start,
                temp_c: t.nozzle().at_c,
                target_c: Some(t.nozzle().target_c),
                duty: t.nozzle().duty(),
                fan: Some(0.0),
            });
        }
        said.push_str(&text);
    }
    (Trace::new(samples), said)
}
