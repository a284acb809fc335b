//! What a worktop shows before anything is typed: instruction, caution, house rule, commands.

use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use utoipa::ToSchema;
use wattotherm_gcode::{Command, FeedOrder, feed_for_drive_test, read_back};
use wattotherm_heat::{Gains, OutputForm, TuningRule, sensor_options};
use wattotherm_measure::entry::Entry;
use wattotherm_measure::text::plain;
use wattotherm_printer::{FactFieldShown, HotEndKind, Parameter, typed_fields};

use super::{Context, StationName, acceptance, flow, trial_spec};
use crate::caution::{Caution, SignalWord};
use crate::house::{RuleId, ToleranceId};
use crate::sheets::sheet;

/// What a worktop shows before readings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SetUp {
    /// What to do, as heading.
    pub heading: String,
    /// More to know, a sentence each.
    pub hints: Vec<String>,
    /// Caution of this station.
    pub caution: Option<Caution>,
    /// The house rule that decides here.
    pub rule: Option<RuleId>,
    /// Its choice and limit in one sentence.
    pub rule_text: Option<String>,
    /// Commands for the set-up.
    pub commands: Vec<Command>,
    /// Why commands are withheld.
    pub withheld: Option<String>,
    /// Nozzle temperature that the work asks for [°C].
    pub target_c: Option<f64>,
    /// What is asked of a new part; typed under `fitted`.
    pub part_fields: Vec<FactFieldShown>,
}

fn rule_text(context: &Context, rule: RuleId) -> String {
    format!("{}.", context.house.option(rule).label)
}

fn hot(c: Option<f64>) -> Caution {
    let at = c.map_or(String::new(), |c| format!(", {} °C", plain(c, 0)));
    Caution::new(
        SignalWord::Caution,
        format!(
            "Hot nozzle{at}. Keep hands and sleeves off the hot end, and never put fingers under \
             the nozzle. Stay with it while it heats. Ventilate."
        ),
    )
}

/// What the worktop of a station shows, given what is typed so far.
#[must_use]
pub fn set_up(station: StationName, readings: &Value, context: &Context) -> SetUp {
    let mut up = SetUp {
        heading: String::new(),
        hints: Vec::new(),
        caution: None,
        rule: None,
        rule_text: None,
        commands: Vec::new(),
        withheld: None,
        target_c: None,
        part_fields: Vec::new(),
    };
    let tolerance = |id: ToleranceId| plain(context.house.tolerance(id), 3);
    match station {
        StationName::Drive => drive_set_up(&mut up, readings, context),
        StationName::Tram => {
            up.heading = "Heat bed and nozzle, then read the height at every screw.".into();
            up.hints
                .push("Clean the nozzle tip first: a bead of plastic reads as height.".into());
            up.rule_text = Some(format!(
                "At most {} mm across the screws.",
                tolerance(ToleranceId::TramMm)
            ));
            up.caution = Some(hot(None));
        }
        StationName::OffsetZ => {
            let method = context.house.option(RuleId::NozzleGap).id;
            up.heading = match method {
                "paper" | "feeler" => {
                    "Lower the warm nozzle until the gauge just drags, and type the Z shown.".into()
                }
                _ => "Print the first-layer patches, let them cool, and measure each one.".into(),
            };
            up.hints
                .push("At working temperature: a hot nozzle is longer.".into());
            up.hints
                .push("After a new nozzle, plate or probe start 1 mm high.".into());
            up.rule = Some(RuleId::NozzleGap);
            up.rule_text = Some(format!(
                "{} Limit {} mm.",
                rule_text(context, RuleId::NozzleGap),
                tolerance(ToleranceId::OffsetZMm)
            ));
            up.caution = Some(hot(None));
        }
        StationName::Flow => {
            up.heading =
                "Print the single-wall box and measure its walls, away from corners and seam."
                    .into();
            up.hints
                .push("Four sides, low and high: eight readings.".into());
            up.rule = Some(RuleId::FlowBy);
            up.rule_text = Some(format!(
                "{} Limit {} %.",
                rule_text(context, RuleId::FlowBy),
                tolerance(ToleranceId::FlowPercent)
            ));
        }
        StationName::Acceptance => {
            let run = acceptance::run_length(context);
            up.heading = format!(
                "Print the cube, then run clean for {}.",
                wattotherm_measure::text::duration_min(run.minutes)
            );
            up.hints.push(run.why);
            up.rule = Some(RuleId::CubeBy);
            up.rule_text = Some(rule_text(context, RuleId::CubeBy));
            up.caution = Some(Caution::new(
                SignalWord::Warning,
                "Fire. Stay in the room until the run is accepted: no unattended print before that.",
            ));
        }
        StationName::Trial => {
            let parameter = context.parameter.unwrap_or(Parameter::PrintTemp);
            up.heading = trial_spec(parameter).heading.into();
            up.rule = match parameter {
                Parameter::PrintTemp => Some(RuleId::AllMetalConversion),
                Parameter::Retraction => Some(RuleId::RetractionSearch),
                _ => None,
            };
            up.rule_text = up.rule.map(|r| rule_text(context, r));
            if parameter != Parameter::Profile {
                up.caution = Some(hot(None));
            }
        }
        StationName::Snapshot => {
            up.heading = "Read every stored setting and keep it.".into();
            up.hints.push("Connected: one press. Otherwise send M503 from the printer's own console and paste the whole answer.".into());
            up.commands = vec![read_back()];
        }
        StationName::Compare => {
            up.heading = "Switch the printer off and on, then read its settings once more.".into();
            up.hints.push(
                "What was never stored is gone now, on the bench and not at the customer's.".into(),
            );
            up.commands = vec![read_back()];
        }
        StationName::Sensor => {
            up.heading = "Cold: compare the sensor with the room before you heat.".into();
            up.hints
                .push("Hold the thermometer to the block until it stands still.".into());
            up.hints
                .push("Resistance: at the sensor's plug, unplugged from the board.".into());
            up.rule_text = Some(format!(
                "Within {} °C of the room.",
                tolerance(ToleranceId::SensorRoomC)
            ));
            up.caution = Some(Caution::new(
                SignalWord::Danger,
                "Electric shock. Power off and pull the mains plug before you unplug a sensor or a heater. Mains-side work is for a licensed electrician under the local code.",
            ));
        }
        StationName::Heater => {
            up.heading = if context.parameter.is_some() {
                "Find what holds the ceiling down, and measure the heater where it is new.".into()
            } else {
                "Measure the new heater cold, before it gets power.".into()
            };
            up.hints
                .push("Resistance: at the heater's leads, unplugged. Watts are V²/R.".into());
            if context.printer.hot_end == HotEndKind::Lined {
                up.rule = Some(RuleId::LinedCeiling);
                up.rule_text = Some(format!(
                    "Ceiling of a lined hot end: {}",
                    rule_text(context, RuleId::LinedCeiling)
                ));
            }
            up.caution = Some(Caution::new(
                SignalWord::Danger,
                "Fire and electric shock. Power off and pull the mains plug. A heater for a lower voltage burns: never try it. Mains-side work is for a licensed electrician under the local code.",
            ));
        }
        StationName::HeaterLoop => {
            let target = typed_number(readings, "target_c", "°C");
            up.target_c = target;
            up.heading = target.map_or_else(
                || "Hold the print temperature, then tune and verify.".into(),
                |t| format!("Hold {} °C, then tune and verify.", plain(t, 0)),
            );
            up.hints
                .push("Tune at the temperature you will print with.".into());
            up.rule = Some(RuleId::RetuneLoop);
            up.rule_text = Some(format!(
                "{} Overshoot {} °C, settled {} s, spread {} °C, dip {} °C at most.",
                rule_text(context, RuleId::RetuneLoop),
                tolerance(ToleranceId::LoopOvershootC),
                tolerance(ToleranceId::LoopSettleS),
                tolerance(ToleranceId::LoopSdC),
                tolerance(ToleranceId::LoopDipC)
            ));
            up.caution = Some(Caution::new(
                SignalWord::Warning,
                "Fire and burns. Stay with it from the first degree to the last; hands and sleeves off the hot end; ventilate, for hot plastic and liners give off fumes. If the reading stands still while it heats, stop at once. Mains-side work is for a licensed electrician under the local code.",
            ));
        }
        StationName::HotTighten => {
            let at_c = crate::sheets::tightening_c(context);
            up.target_c = Some(at_c);
            up.heading = format!(
                "Tighten the nozzle at {} °C, holding the block.",
                plain(at_c, 0)
            );
            up.hints.push(
                "2.5 to 3 N·m; then load, extrude 50 mm, wait two minutes, look above the nozzle."
                    .into(),
            );
            up.rule = Some(RuleId::HotTightening);
            up.rule_text = Some(rule_text(context, RuleId::HotTightening));
            up.caution = Some(Caution::new(
                SignalWord::Warning,
                "Burns and a broken heat break. Heat-proof gloves; second tool on the block, never on the heat sink or the wires. Never fingers under the nozzle.",
            ));
        }
        StationName::Check => {
            let list = sheet(context.list.as_deref().unwrap_or("intake"), context);
            up.heading = list.heading;
            up.rule = list.rule;
            up.rule_text = list.rule.map(|r| rule_text(context, r));
            up.caution = list.caution;
            up.hints = list.hints;
            let sensors = sensor_options();
            up.part_fields = super::check::asked_of(context)
                .into_iter()
                .map(|(f, needed)| f.shown(needed, &sensors))
                .collect();
        }
    }
    up
}

/// The number typed so far in a field; none where it is blank or not a number yet.
fn typed_number(readings: &Value, field: &str, unit: &str) -> Option<f64> {
    let entry: Entry = serde_json::from_value(readings.get(field)?.clone()).ok()?;
    entry.parse(unit)
}

fn drive_set_up(up: &mut SetUp, readings: &Value, context: &Context) {
    let mark = typed_number(readings, "mark_mm", "mm").unwrap_or(120.0);
    let feed = typed_number(readings, "feed_mm", "mm").unwrap_or(100.0);
    let speed = typed_number(readings, "speed_mm_s", "mm/s").unwrap_or(1.5);
    let nozzle = typed_number(readings, "nozzle_c", "°C");
    up.heading = format!(
        "Mark the filament {} mm above the inlet, feed {} mm, measure what is left.",
        plain(mark, 1),
        plain(feed, 1)
    );
    up.hints.push("Mark afresh before every run.".into());
    if context.fresh_drive() {
        up.hints
            .push("Direction first: feed 10 mm. Does it go forward?".into());
    }
    up.rule = Some(RuleId::MeasuringSteps);
    up.rule_text = Some(format!(
        "{} {} Limit {} %.",
        rule_text(context, RuleId::StepsOrFlow),
        rule_text(context, RuleId::MeasuringSteps),
        plain(context.house.tolerance(ToleranceId::DrivePercent), 2)
    ));
    let free_air = context.house.option(RuleId::MeasuringSteps).id == "free_air";
    let order = FeedOrder {
        nozzle_c: if free_air {
            None
        } else {
            Some(nozzle.unwrap_or(0.0))
        },
        ceiling_c: context.house.ceiling(&context.printer).ceiling_c,
        feed_mm: feed,
        feed_mm_s: speed,
    };
    if !free_air && nozzle.is_none() {
        up.withheld = Some("Type the nozzle temperature to get the feed commands.".into());
    } else {
        match feed_for_drive_test(&order) {
            Ok(commands) => up.commands = commands,
            Err(e) => up.withheld = Some(e.to_string()),
        }
    }
    up.caution = Some(hot(if free_air { None } else { nozzle }));
}

/// Readings to begin with: the fields that are known, blanks for the rest.
#[must_use]
pub fn start(station: StationName, context: &Context) -> Value {
    let before = context.before.map_or(json!(""), |b| json!(plain(b, 3)));
    match station {
        StationName::Drive => start_drive(&before, context),
        StationName::Tram => {
            let (w, d) = (context.printer.bed_x_mm, context.printer.bed_y_mm);
            let points: Vec<Value> = screw_places(context.printer.bed_screws)
                .iter()
                .map(|(name, x, y)| (*name, w * x, d * y, true))
                .chain([("middle", w / 2.0, d / 2.0, false)])
                .map(|(name, x, y, screw)| {
                    json!({"name": name, "x_mm": plain(x, 1), "y_mm": plain(y, 1), "z_mm": "", "screw": screw})
                })
                .collect();
            json!({
                "version": 1, "sense": "gap", "clockwise": "lowers", "thread": context.printer.bed_thread.unwrap_or_default(),
                "instrument": "height_gauge",
                "points": points,
                "confirmed": [],
            })
        }
        StationName::OffsetZ => {
            let method = match context.house.option(RuleId::NozzleGap).id {
                "paper" => "paper",
                "feeler" => "feeler",
                _ => "patch",
            };
            let (w, d) = (context.printer.bed_x_mm, context.printer.bed_y_mm);
            let patch = |fx: f64, fy: f64| json!({"x_mm": w * fx, "y_mm": d * fy, "t_mm": ""});
            let instrument = match method {
                "patch" => "caliper",
                other => other,
            };
            json!({
                "version": 1, "method": method, "offset_set_mm": before, "instrument": instrument,
                // Half the bore: as high as a line of this nozzle still presses on. Common practice, no source.
                "commanded_mm": plain(context.printer.nozzle_mm * 0.5, 2),
                "patches": [patch(0.2, 0.2), patch(0.8, 0.2), patch(0.5, 0.5), patch(0.2, 0.8), patch(0.8, 0.8)],
                "touches_mm": ["", "", ""], "confirmed": [],
            })
        }
        StationName::Flow => {
            let density = context
                .filament
                .as_ref()
                .and_then(|f| flow::density_g_cm3(&f.material));
            let walls: Vec<Value> = (1..=4)
                .flat_map(|side| {
                    ["low", "high"].map(|h| json!({"side": side, "height": h, "t_mm": ""}))
                })
                .collect();
            let method = if context.house.option(RuleId::FlowBy).id == "mass" {
                "mass"
            } else {
                "walls"
            };
            json!({
                "version": 1, "method": method,
                "flow_set_percent": if context.before.is_some() { before } else { json!("100") },
                "instrument": if method == "mass" { "balance" } else { "caliper" },
                "wall_mm": plain(context.printer.nozzle_mm * 1.125, 3), "walls": walls,
                "volume_mm3": "", "density_g_cm3": density.map_or(json!(""), |d| json!(plain(d, 2))),
                "masses_g": [""], "confirmed": [],
            })
        }
        StationName::Acceptance => json!({
            "version": 1, "edge_mm": "20", "instrument": "caliper",
            "x_mm": ["", "", ""], "y_mm": ["", "", ""], "z_mm": ["", "", ""],
            "strings": "", "first_layer_good": "open", "walls_even": "open", "clicking": "open",
            "clean_run_min": "", "came_back": "open", "confirmed": [],
        }),
        StationName::Trial => json!({
            "version": 1,
            "before": context.before_text.as_ref().map_or(before, |t| json!(t)),
            "best": if context.parameter == Some(Parameter::Profile) {
                json!(plain(context.printer.nozzle_mm, 3))
            } else {
                json!("")
            }, "outcome": "open", "note": "", "confirmed": [],
        }),
        StationName::Snapshot => json!({
            "version": 1, "report": "", "none_because": "", "confirmed": [],
        }),
        StationName::Compare => json!({
            "version": 1, "report": "", "power_cycled": "open", "none_because": "", "explained": "",
            "confirmed": [],
        }),
        StationName::Sensor => json!({
            "version": 1, "set_type": context.printer.sensor, "room_c": "", "shown_c": "", "bed_c": "",
            "ohm": "", "confirmed": [],
        }),
        StationName::Heater => json!({
            "version": 1, "supply_v": known(context.printer.supply_v, 1),
            "marked_w": known(context.printer.heater_w, 1), "ohm": "",
            "sensor": context.printer.sensor, "nozzle": context.printer.nozzle,
            "block": context.printer.block,
            "firmware_limit_c": known(context.printer.firmware_limit_c, 0),
            "taken_c": "", "planned_c": plain(print_temp_c(context), 0), "confirmed": [],
        }),
        StationName::HeaterLoop => start_heater_loop(context),
        StationName::HotTighten => json!({
            "version": 1, "at_c": "", "block_held": "open", "gap_left": "open", "torque_nm": "",
            "waited_min": "", "seeps": "open", "confirmed": [],
        }),
        StationName::Check => {
            let list = sheet(context.list.as_deref().unwrap_or("intake"), context);
            let steps: Vec<Value> = list
                .steps
                .iter()
                .map(|s| json!({"id": s.id, "state": "open", "reason": ""}))
                .collect();
            let known = typed_fields(&context.printer.fitted());
            // What must be told changes by the very name of the replacement: it isn't taken from the old part.
            let fitted: serde_json::Map<String, Value> = super::check::asked_of(context)
                .into_iter()
                .map(|(f, needed)| {
                    let text = known.get(f.path).filter(|_| !needed).cloned();
                    (f.path.to_owned(), json!(text.unwrap_or_default()))
                })
                .collect();
            json!({"version": 1, "steps": steps, "counted_out": "", "counted_in": "", "fitted": fitted, "note": "", "confirmed": []})
        }
    }
}

/// Where the levelling screws of a bed are, as parts of its width and depth: three, four or six, as beds are
/// commonly built (common practice, no published source); the technician moves what is elsewhere. Other
/// counts begin as four.
fn screw_places(screws: Option<f64>) -> Vec<(&'static str, f64, f64)> {
    const NEAR: f64 = 0.13;
    const FAR: f64 = 1.0 - NEAR;
    let corners = [
        ("front left", NEAR, NEAR),
        ("front right", FAR, NEAR),
        ("back left", NEAR, FAR),
        ("back right", FAR, FAR),
    ];
    match screws.unwrap_or(4.0) {
        n if (n - 3.0).abs() < 0.5 => vec![corners[0], corners[1], ("back middle", 0.5, FAR)],
        n if (n - 6.0).abs() < 0.5 => {
            let mut six = corners.to_vec();
            six.extend([("left middle", NEAR, 0.5), ("right middle", FAR, 0.5)]);
            six
        }
        _ => corners.to_vec(),
    }
}

/// A fact as it is typed; blank where it isn't known.
fn known(fact: Option<f64>, decimals: usize) -> Value {
    fact.map_or(json!(""), |v| json!(plain(v, decimals)))
}

/// Print temperature that the job works for [°C]; 210 where no filament says so.
fn print_temp_c(context: &Context) -> f64 {
    let top = context.house.ceiling(&context.printer).ceiling_c;
    context
        .filament
        .as_ref()
        .and_then(|f| f.print_temp_c)
        .unwrap_or(210.0)
        .min(top)
}

/// The gains in force come from the last round; its autotune stays, so that another rule can be tried
/// without another quarter of an hour.
fn start_heater_loop(context: &Context) -> Value {
    let gains = context.before_text.as_deref().and_then(Gains::from_text);
    let [p, i, d] = gains.map_or([None; 3], |g| g.in_form(OutputForm::Byte).map(Some));
    let set = |v: Option<f64>| v.map_or(json!(""), |v| json!(plain(v, 2)));
    let kept = |name: &str| {
        context
            .previous
            .as_ref()
            .and_then(|p| p.get(name))
            .cloned()
            .unwrap_or(Value::Null)
    };
    let kept_or = |name: &str, other: Value| match kept(name) {
        Value::Null => other,
        v => v,
    };
    json!({
        "version": 1,
        "target_c": kept_or("target_c", json!(plain(print_temp_c(context), 0))),
        "fan_percent": kept_or("fan_percent", json!("0")),
        "form": "byte", "set_p": set(p), "set_i": set(i), "set_d": set(d),
        "hold": Value::Null, "tune": kept("tune"), "rule": kept_or("rule", json!(TuningRule::default())),
        "written": kept("written"), "verify": Value::Null, "sink_c": "",
        "typed_ku": "", "typed_tu_s": "", "typed_overshoot_c": "", "typed_settle_s": "",
        "typed_swing_c": "", "typed_dip_c": "", "confirmed": [],
    })
}

fn start_drive(before: &Value, context: &Context) -> Value {
    let gear = context.printer.gear.as_ref();
    let fact = |get: fn(&wattotherm_printer::GearFacts) -> f64| {
        gear.map_or(json!(""), |g| json!(plain(get(g), 4)))
    };
    let temp = context
        .filament
        .as_ref()
        .and_then(|f| f.print_temp_c)
        .unwrap_or(210.0);
    json!({
        "version": 1, "steps_set": before, "mark_mm": "120", "feed_mm": "100", "speed_mm_s": "1.5",
        "nozzle_c": plain(temp, 0), "instrument": "steel_rule", "runs": ["", "", ""],
        "fast_mm_s": "5", "fast_runs": [""], "free_runs": [""],
        "full_steps": fact(|g| g.full_steps), "microsteps": fact(|g| g.microsteps),
        "gear_ratio": fact(|g| g.gear_ratio), "drive_diameter_mm": fact(|g| g.drive_diameter_mm),
        "confirmed": [],
    })
}
