//! Heat: is the sensor right, the heater the right one, does the loop hold, and is it the loop at all?
//!
//! Pure: no I/O, no clock, no async.
#![deny(missing_docs)]

mod classify;
mod coast;
mod control;
mod cooling;
mod divider;
mod figures;
mod heater;
mod identify;
mod interval;
mod loop_sim;
mod margins;
mod model;
mod read_trace;
mod relay;
mod results;
mod rules;
mod sensor;
mod thin;
mod trace;
mod tuning;

pub use classify::{
    Mark, PhysicalLimits, SegmentKind, SegmentReading, TraceClass, TraceFact, TraceReading,
    alarms_in_print, read_class, read_class_of,
};
pub use coast::{Coast, CoastLag};
pub use control::{Controller, ControllerKind, ControllerSettings, Gains, GainsError, OutputForm};
pub use cooling::{
    Cooling, DEFAULT_COOLING_TAU_S, HeatWord, TOUCH_SAFE_C, cooling_from, heat_word,
};
pub use divider::{Divider, WrongTypePoint, displayed_c, wrong_type_curve};
pub use figures::{LoopFigures, SETTLE_BAND_C, loop_figures};
pub use heater::{HeaterPower, VoltageVerdict, heater_power, watts};
pub use identify::{AUTOTUNE_BELOW_C, Identification, Identified, IdentifyError, Known, identify};
pub use interval::Interval;
pub use loop_sim::{LoopRun, LoopScript, simulate_loop};
pub use margins::{Margins, margins};
pub use model::{ModelError, Plant};
pub use read_trace::{
    DutyScale, HeaterTrace, ReadAs, Taken, TemperatureUnit, TimeUnit, TraceDiagnostic, TraceFile,
    TraceKind, read_trace, read_trace_as,
};
pub use relay::{
    RelayCycle, RelayError, RelayFound, Ultimate, exact_relay_cycle, relay_analysis,
    relay_from_trace, ultimate_of,
};
pub use results::{HoldResult, TuneResult, VerifyResult, hold_result, tune_result};
pub use rules::{GainsBand, GainsRun, RULE_RUN_STEP_S, RuleRun, Trial, safest};
pub use sensor::{
    SENSOR_TYPES, SensorError, SensorTable, SensorType, sensor_ids, sensor_options, sensor_type,
    steinhart_hart_from_points,
};
pub use thin::thinned;
pub use trace::{Sample, Trace};
pub use tuning::{RuleGains, TUNING_RULES, TuningRule, TuningRuleSpec, tune};
