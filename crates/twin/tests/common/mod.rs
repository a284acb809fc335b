//! A technician at a twin, without a wire: commands in, a log out, hands and instruments at the bench.
#![allow(dead_code, clippy::unwrap_used)]

use serde_json::{Value, json};
use wattotherm_gcode::{AutotuneReport, read_autotune, read_settings, read_temperatures};
use wattotherm_heat::{
    AUTOTUNE_BELOW_C, Gains, OutputForm, PhysicalLimits, Sample, Trace, TuneResult, TuningRule,
    hold_result, loop_figures, tune_result,
};
use wattotherm_job::Context;
use wattotherm_job::finding::Finding;
use wattotherm_job::stations::{self, AnyStation};
use wattotherm_printer::GearFacts;
use wattotherm_twin::{Build, Fault, Kind, Twin};

pub const TARGET_C: f64 = 210.0;

pub struct Bench {
    pub twin: Twin,
    pub kind: Kind,
    pub log: Vec<Sample>,
    pub text: String,
    /// The log of the last autotune.
    pub swung: Trace,
    fan: f64,
    rng: fastrand::Rng,
}

impl Bench {
    pub fn new(kind: Kind, seed: u64, faults: impl IntoIterator<Item = Fault>) -> Self {
        let mut twin = Twin::new(Build::new(kind, seed, faults), seed);
        twin.ask("M155 S1");
        Self {
            twin,
            kind,
            log: Vec::new(),
            text: String::new(),
            swung: Trace::default(),
            fan: 0.0,
            rng: fastrand::Rng::with_seed(seed ^ 0xBE7C),
        }
    }

    /// Lets time pass, at most until nothing keeps the printer busy.
    pub fn run(&mut self, seconds: f64, until_idle: bool) {
        let mut passed = 0.0;
        while passed < seconds && !(until_idle && self.twin.is_idle() && passed > 1.0) {
            self.twin.advance(0.5);
            passed += 0.5;
            let text = String::from_utf8(self.twin.take_output()).unwrap();
            for t in text.lines().filter_map(read_temperatures) {
                self.log.push(Sample {
                    t_s: t.uptime_s.unwrap(),
                    temp_c: t.nozzle().at_c,
                    target_c: Some(t.nozzle().target_c),
                    duty: t.nozzle().duty(),
                    fan: Some(self.fan),
                });
            }
            self.text.push_str(&text);
        }
    }

    pub fn take_log(&mut self) -> Trace {
        Trace::new(std::mem::take(&mut self.log))
    }

    /// Heats and holds; the log of it.
    pub fn hold(&mut self, seconds: f64) -> Trace {
        self.log.clear();
        self.twin.ask(&format!("M104 S{TARGET_C}"));
        self.run(420.0_f64.min(seconds + 270.0), false);
        self.take_log()
    }

    pub fn autotune(&mut self) -> TuneResult {
        // As the routine does: a swing that begins with a heat-up shows the slow lag too.
        self.twin.ask("M104 S0");
        self.twin.ask("M106 S255");
        while self.twin.world.shown_c() > TARGET_C - AUTOTUNE_BELOW_C {
            self.run(5.0, false);
        }
        self.twin.ask("M107");
        self.log.clear();
        self.text.clear();
        self.twin
            .receive(format!("M303 E0 S{TARGET_C} C6\n").as_bytes());
        self.run(2_400.0, true);
        let mut trace = self.take_log();
        if let Some(last) = trace
            .samples
            .iter()
            .rposition(|s| s.duty.is_some_and(|d| d > 0.0))
        {
            trace.samples.truncate(last + 1);
        }
        let mut report = AutotuneReport::default();
        for line in self.text.lines().filter(|l| !l.starts_with("T:")) {
            read_autotune(line, &mut report);
        }
        let result = tune_result(&trace, TARGET_C, 0.0, &report, &PhysicalLimits::default());
        self.swung = trace;
        result
    }

    pub fn set(&mut self, gains: &Gains) {
        let [p, i, d] = gains.in_form(OutputForm::Byte);
        self.twin.ask(&format!("M301 P{p:.2} I{i:.2} D{d:.2}"));
    }

    pub fn gains_now(&mut self) -> Option<Gains> {
        let report = read_settings(&self.twin.ask("M503"));
        let get = |letter: char| {
            report
                .values
                .iter()
                .find(|(k, _)| k.code == "M301" && k.letter == letter)
                .map(|(_, v)| *v)
        };
        Gains::from_form(get('P')?, get('I')?, get('D')?, OutputForm::Byte).ok()
    }

    /// Step, hold and fan; figures and what the log shows, as the station keeps them.
    pub fn verify(&mut self) -> Value {
        self.log.clear();
        self.twin.ask(&format!("M104 S{}", TARGET_C - 40.0));
        self.run(300.0, false);
        let step = self.twin.uptime_s();
        self.twin.ask(&format!("M104 S{TARGET_C}"));
        self.run(240.0, false);
        let from = self.twin.uptime_s();
        self.twin.ask("M106 S255");
        self.fan = 1.0;
        self.run(60.0, false);
        let to = self.twin.uptime_s();
        self.twin.ask("M107");
        self.fan = 0.0;
        let now = self.gains_now().map(|g| g.text());
        self.twin.ask("M104 S0");
        let trace = self.take_log();
        let points: Vec<(f64, f64)> = trace.samples.iter().map(|s| (s.t_s, s.temp_c)).collect();
        let figures = loop_figures(&points, TARGET_C, step, Some((from, to)));
        let reading = hold_result(&trace, TARGET_C, &PhysicalLimits::default()).reading;
        json!({"trace": null, "target_c": TARGET_C, "reading": reading, "figures": figures, "gains_now": now})
    }

    /// A reading as an eye takes it, half a unit of `step` either way.
    fn seen(&mut self, value: f64, step: f64) -> String {
        let off = step * (self.rng.f64() - 0.5);
        format!("{:.2}", value + off)
    }

    pub fn at_sensor(&mut self) -> Finding {
        let bench = self.twin.world.look();
        let answer = self.twin.ask("M105");
        let t = read_temperatures(answer.trim_start_matches("ok ")).unwrap();
        let room = self.seen(bench.room_c, 1.0);
        let ohm = if bench.sensor_ohm.is_finite() && bench.sensor_ohm > 0.0 {
            format!("{:.0}", bench.sensor_ohm)
        } else {
            String::new()
        };
        found(
            &stations::Sensor,
            &Context::default(),
            &json!({"room_c": room, "shown_c": t.nozzle().at_c, "bed_c": t.bed.map(|b| b.at_c), "ohm": ohm}),
        )
    }

    pub fn at_heater(&mut self) -> Finding {
        let bench = self.twin.world.look();
        let marked = match self.kind {
            Kind::Light => "30",
            Kind::Standard => "40",
            Kind::Heavy => "60",
        };
        let wanted = 230.0;
        self.twin.ask(&format!("M104 S{wanted}"));
        let answer = self.twin.ask("M105");
        self.twin.ask("M104 S0");
        let taken = read_temperatures(answer.trim_start_matches("ok "))
            .unwrap()
            .nozzle()
            .target_c;
        let ohm = self.seen(bench.heater_ohm, 0.1);
        found(
            &stations::Heater,
            &Context::default(),
            &json!({"ohm": ohm, "marked_w": marked, "planned_c": wanted, "taken_c": taken}),
        )
    }

    /// The heater loop, both rounds: what it ends in.
    pub fn at_loop(&mut self) -> Finding {
        let context = Context::default();
        let hold = hold_result(&self.hold(150.0), TARGET_C, &PhysicalLimits::default());
        let mut typed = json!({"target_c": TARGET_C, "hold": hold});
        let first = found(&stations::HeaterLoop, &context, &typed);
        if first.facts.cause.is_some() {
            return first;
        }
        let tune = self.autotune();
        typed["tune"] = json!(tune);
        typed["rule"] = json!(TuningRule::TyreusLuyben);
        let proposed = found(&stations::HeaterLoop, &context, &typed);
        let Some(gains) = proposed
            .facts
            .after_text
            .as_deref()
            .and_then(Gains::from_text)
        else {
            return proposed;
        };
        self.set(&gains);
        let [p, i, d] = gains.in_form(OutputForm::Byte);
        typed["set_p"] = json!(p);
        typed["set_i"] = json!(i);
        typed["set_d"] = json!(d);
        typed["verify"] = self.verify();
        typed["sink_c"] = json!(self.twin.world.look().sink_c);
        found(&stations::HeaterLoop, &context, &typed)
    }

    fn fed(&mut self, speed_mm_s: f64) -> f64 {
        self.twin.world.look();
        self.twin.ask("M83");
        self.twin
            .receive(format!("G1 E100 F{}\n", speed_mm_s * 60.0).as_bytes());
        self.run(200.0, true);
        self.twin.world.look().fed_mm
    }

    pub fn at_drive(&mut self) -> Finding {
        self.twin.ask("M104 S210");
        self.run(200.0, false);
        let steps = read_settings(&self.twin.ask("M503"));
        let set = steps
            .values
            .iter()
            .find(|(k, _)| k.code == "M92" && k.letter == 'E')
            .map(|(_, v)| *v);
        let rests = |me: &mut Self, speed: f64, n: usize| -> Vec<String> {
            (0..n)
                .map(|_| {
                    let rest = 120.0 - me.fed(speed);
                    me.seen(rest, 0.03)
                })
                .collect()
        };
        let runs = rests(self, 1.5, 3);
        let fast = rests(self, 5.0, 2);
        self.twin.world.free_air = true;
        let free = rests(self, 1.5, 2);
        self.twin.world.free_air = false;
        let mut context = Context {
            before: set,
            ..Context::default()
        };
        context.printer.gear = Some(GearFacts {
            full_steps: 200.0,
            microsteps: 16.0,
            gear_ratio: 3.0,
            drive_diameter_mm: 7.3,
        });
        found(
            &stations::Drive,
            &context,
            &json!({"steps_set": set, "runs": runs, "fast_runs": fast, "free_runs": free, "instrument": "caliper", "nozzle_c": "210"}),
        )
    }

    /// The step of the tube's sheet that pulls at the coupler: more than 0.2 mm of play fails it.
    pub fn at_tube(&mut self) -> Finding {
        let play = self.twin.world.look().tube_play_mm;
        let context = Context {
            list: Some("fit.tube".into()),
            ..Context::default()
        };
        let n = stations::Check.start(&context)["steps"]
            .as_array()
            .unwrap()
            .len();
        let steps: Vec<Value> = (0..n).map(|i| {
            if i == 4 && play > 0.2 {
                json!({"state": "failed", "reason": format!("the coupler doesn’t hold: {play} mm of play")})
            } else {
                json!({"state": "done", "reason": ""})
            }
        }).collect();
        found(
            &stations::Check,
            &context,
            &json!({"steps": steps, "counted_out": "4", "counted_in": "4"}),
        )
    }

    /// Settings at the end: set, stored, power-cycled, read.
    pub fn at_compare(&mut self) -> Finding {
        let snapshot = self.twin.ask("M503");
        self.twin.ask("M301 P31.5 I2.2 D110");
        self.twin.ask("M500");
        self.twin.power_cycle();
        let report = self.twin.ask("M503");
        let expected = [('P', 31.5), ('I', 2.2), ('D', 110.0)].map(|(letter, value)| {
            json!({"code": "M301", "letter": letter, "value": value, "station": "Heater loop"})
        });
        let context: Context =
            serde_json::from_value(json!({"snapshot": snapshot, "expected": expected})).unwrap();
        found(
            &stations::Compare,
            &context,
            &json!({"report": report, "power_cycled": "yes"}),
        )
    }
}

pub fn found(station: &dyn AnyStation, context: &Context, typed: &Value) -> Finding {
    let mut readings = station.start(context);
    for (k, v) in typed.as_object().unwrap() {
        readings[k] = v.clone();
    }
    station
        .evaluate(&readings, context)
        .unwrap_or_else(|e| panic!("{station:?}: {e}\n{readings}"))
}
