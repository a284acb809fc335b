//! What a stop of a job needs of the machine, one thing after another.

use wattotherm_printer::Parameter;

use crate::chain::effort_of;
use crate::context::Context;
use crate::gate::Gate;
use crate::route::{Stop, TravellerLine};
use crate::sheets::{USUAL_C, sheet, tightening_c, wanted_c};

/// A stretch of work at one state of the machine.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Need {
    /// The state.
    pub gate: Gate,
    /// Minutes of hands.
    pub hands_min: f64,
    /// Minutes without hands, at that state.
    pub wait_min: f64,
    /// What of it can be done while the machine heats or cools.
    pub any_time: Vec<String>,
}

/// What is printed with here [°C], never above the ceiling.
pub(super) fn print_c(context: &Context) -> f64 {
    let c = context.filament.as_ref().and_then(wanted_c);
    c.unwrap_or(USUAL_C).min(context.ceiling().ceiling_c)
}

/// What the stop of a line needs, in order. A check needs what its steps need; its minutes are spread over them.
pub(super) fn needs_of(stop: Stop, line: &TravellerLine, context: &Context) -> Vec<Need> {
    let effort = match (stop, line.strength) {
        (Stop::Parameter(p, _), Some(s)) => effort_of(p, s),
        _ => line.effort,
    };
    let one = |gate, wait_min| {
        vec![Need {
            gate,
            hands_min: effort.hands_min,
            wait_min,
            any_time: Vec::new(),
        }]
    };
    let hot = Gate::HOT;
    match stop {
        Stop::Heater | Stop::Parameter(Parameter::SensorType, _) => one(Gate::Unplugged, 0.0),
        Stop::Snapshot | Stop::Compare | Stop::Probe | Stop::Parameter(Parameter::Ceiling, _) => {
            one(Gate::Live, 0.0)
        }
        Stop::Worth | Stop::TubeLength | Stop::Parameter(Parameter::Profile, _) => {
            let mut need = one(Gate::Any, 0.0);
            need[0].any_time.push(line.title.clone());
            need
        }
        Stop::Mesh => one(hot, effort.wait_min),
        Stop::BedLoop => one(Gate::Live, effort.wait_min),
        Stop::Gantry => one(Gate::Cold, 0.0),
        // The first heating goes on to where the joint is tightened.
        Stop::HotTighten | Stop::FirstHeat => one(
            Gate::Hot {
                at_c: Some(tightening_c(context)),
            },
            0.0,
        ),
        Stop::Baseline | Stop::FirstPrint | Stop::Acceptance | Stop::Parameter(..) => {
            one(hot, effort.wait_min)
        }
        Stop::Intake
        | Stop::Inspection
        | Stop::Cause
        | Stop::Fit(_)
        | Stop::PowerUp
        | Stop::HandOver => of_steps(stop, effort.hands_min, context),
    }
}

fn of_steps(stop: Stop, hands_min: f64, context: &Context) -> Vec<Need> {
    let steps = sheet(&stop.to_string(), context).steps;
    // OK because a sheet has fewer steps than a hundred.
    #[allow(clippy::cast_precision_loss)]
    let each = hands_min / steps.len().max(1) as f64;
    let mut needs: Vec<Need> = Vec::new();
    for step in steps {
        let gate = match step.gate {
            // Work that any state allows is done in the state that it finds.
            Gate::Any => needs.last().map_or(Gate::Any, |n| n.gate),
            gate => gate,
        };
        let same = needs.last().is_some_and(|n| n.gate == gate);
        if !same {
            needs.push(Need {
                gate,
                hands_min: 0.0,
                wait_min: 0.0,
                any_time: Vec::new(),
            });
        }
        if let Some(need) = needs.last_mut() {
            need.hands_min += each;
            if step.any_time {
                need.any_time.push(step.act);
            }
        }
    }
    needs
}
