//! State of the machine, by what was ticked.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_printer::Parameter;

use crate::gate::Gate;
use crate::route::Stop;
use crate::sheets::sheet;
use crate::situation::Situation;
use crate::stations::check::{StepState, ticks_of};
use crate::stations::{Check, read};

/// Whether a machine has power.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Power {
    /// Its mains plug is pulled.
    Unplugged,
    /// It is switched on, or may be.
    #[default]
    Live,
}

/// What a machine is like by the steps that were ticked, the last one first heard.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct Machine {
    /// Power.
    pub power: Power,
    /// Whether its filament was taken out; none where no step says.
    pub filament_in: Option<bool>,
    /// Whether covers or fans are off.
    pub open: bool,
}

/// Steps that take the filament out.
const UNLOADS: &[&str] = &["unload"];
/// … and that print, so that one is in.
const LOADS: &[&str] = &["print_old", "print_first"];
/// Steps after which something is off that hands or air need.
const OPENS: &[&str] = &["cover", "hang", "park"];
/// … and after which it is on again.
const SHUTS: &[&str] = &["fans_back", "plugs_in", "close", "go_over"];

impl Machine {
    /// What the closed stops of a job leave.
    #[must_use]
    pub fn after(situation: &Situation<'_>) -> Self {
        let mut machine = Self::default();
        for closed in situation.closings {
            let Ok(stop) = closed.stop.parse::<Stop>() else {
                continue;
            };
            if stop.station().id() != <Check as crate::stations::Station>::ID {
                // Whatever else is closed was worked with the machine on, but for what is measured cold.
                let cold = matches!(
                    stop,
                    Stop::Heater
                        | Stop::TubeLength
                        | Stop::Worth
                        | Stop::Parameter(Parameter::SensorType, _)
                );
                if !cold {
                    machine.power = Power::Live;
                }
                let extrudes = match stop {
                    Stop::HotTighten | Stop::Acceptance => true,
                    Stop::Parameter(p, _) => {
                        p.per_filament() || matches!(p, Parameter::Drive | Parameter::OffsetZ)
                    }
                    _ => false,
                };
                if extrudes {
                    machine.filament_in = Some(true);
                }
                continue;
            }
            let list = sheet(closed.stop, &situation.context(stop));
            let Ok(typed) = read::<Check>(closed.readings) else {
                continue;
            };
            for (step, (_, tick)) in list.steps.iter().zip(ticks_of(&list, &typed.steps)) {
                if tick.state == StepState::Done {
                    machine.did(&step.id, step.gate);
                }
            }
        }
        machine
    }

    fn did(&mut self, id: &str, gate: Gate) {
        match gate {
            Gate::Unplugged => self.power = Power::Unplugged,
            Gate::Live | Gate::Hot { .. } => self.power = Power::Live,
            Gate::Any | Gate::Cold | Gate::Warm => {}
        }
        if UNLOADS.contains(&id) {
            self.filament_in = Some(false);
        }
        if LOADS.contains(&id) {
            self.filament_in = Some(true);
        }
        if OPENS.contains(&id) {
            self.open = true;
        }
        if SHUTS.contains(&id) {
            self.open = false;
        }
    }

    /// In words, e.g. "unplugged, filament out, covers off"; blank where nothing is special.
    #[must_use]
    pub fn says(&self) -> String {
        let mut words = Vec::new();
        if self.power == Power::Unplugged {
            words.push("unplugged");
        }
        if self.filament_in == Some(false) {
            words.push("filament out");
        }
        if self.open {
            words.push("covers off");
        }
        words.join(", ")
    }
}
