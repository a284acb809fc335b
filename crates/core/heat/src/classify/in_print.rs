//! What the nozzles show while something is printed.

use wattotherm_gcode::Heater;

use super::{TraceClass, read_class_of};
use crate::trace::Trace;

/// Which nozzles must be looked at while something is printed, and what the last minutes of each show: a fault, a loop that
/// swings, or a fan that takes more heat than the heater gives. What drifts or scatters can wait for the print's end.
/// `logs` are those of all nozzles, each with its own target; common practice, no published source.
#[must_use]
pub fn alarms_in_print(
    logs: impl IntoIterator<Item = (Heater, Trace)>,
) -> Vec<(Heater, TraceClass)> {
    logs.into_iter()
        .map(|(heater, log)| (heater, read_class_of(heater, &log).class))
        .filter(|(_, class)| {
            class.is_fault()
                || matches!(
                    class,
                    TraceClass::LoopSwinging | TraceClass::FanStealingHeat
                )
        })
        .collect()
}
