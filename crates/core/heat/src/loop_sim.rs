//! A heater loop in simulation: what gains will do before they are sent.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::control::{Controller, ControllerSettings};
use super::figures::{LoopFigures, loop_figures};
use super::model::{Plant, Stepper};

/// What the loop is put through: from warm to target, hold, part fan, end.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct LoopScript {
    /// Temperature before the step, held steadily [°C].
    pub start_c: f64,
    /// Target from time 0 on [°C].
    pub target_c: f64,
    /// When the part fan starts [s].
    pub fan_at_s: f64,
    /// When it stops, and the run ends [s].
    pub end_s: f64,
    /// Heat the fan takes, as duty.
    pub fan_duty: f64,
    /// Step of the simulation [s].
    pub dt_s: f64,
}

/// Heat that a part fan takes from a block, as duty, where it isn't known better. Common practice, no
/// source.
const FAN_DUTY: f64 = 0.08;

impl LoopScript {
    /// From 40 °C below to `target_c`, 60 s of approach and 180 s of hold, 60 s of fan.
    #[must_use]
    pub fn usual(target_c: f64) -> Self {
        Self {
            start_c: (target_c - 40.0).max(25.0),
            target_c,
            fan_at_s: 240.0,
            end_s: 300.0,
            fan_duty: FAN_DUTY,
            dt_s: 0.05,
        }
    }
}

/// A simulated run.
#[derive(Clone, Debug, PartialEq)]
pub struct LoopRun {
    /// (time [s], temperature [°C]) about every quarter second.
    pub points: Vec<(f64, f64)>,
    /// Its figures.
    pub figures: LoopFigures,
}

/// Runs the loop: plant stepped exactly, controller sampled at its own pace, output between 0 and 1.
#[must_use]
pub fn simulate_loop(plant: &Plant, settings: ControllerSettings, script: &LoopScript) -> LoopRun {
    let dt = script.dt_s.clamp(0.001, 1.0);
    // OK because a run is at most hours and a step at least a millisecond.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let steps = (script.end_s / dt).round().clamp(0.0, 5e7) as u64;
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let each = ((settings.sample_s / dt).round() as u64).max(1);
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let keep = ((0.25 / dt).round() as u64).max(1);
    #[allow(clippy::cast_precision_loss)]
    let settings = settings.sampled_every(each as f64 * dt);
    let holding = plant.holding_duty(script.start_c);
    let mut stepper = Stepper::new(plant, dt, script.start_c, holding);
    let mut controller = Controller::new(settings).holding(holding, script.start_c);
    let mut temp = script.start_c;
    let mut duty = holding;
    // OK because keep ≥ 1 and steps fits memory once divided.
    #[allow(clippy::cast_possible_truncation)]
    let mut points = Vec::with_capacity((steps / keep) as usize + 2);
    points.push((0.0, temp));
    let (mut till_sample, mut till_keep) = (0, keep);
    for i in 0..steps {
        #[allow(clippy::cast_precision_loss)]
        let t = i as f64 * dt;
        if till_sample == 0 {
            duty = controller.update(script.target_c, temp);
            till_sample = each;
        }
        till_sample -= 1;
        let blown = if t >= script.fan_at_s {
            script.fan_duty
        } else {
            0.0
        };
        temp = stepper.step(duty - blown);
        till_keep -= 1;
        if till_keep == 0 {
            points.push((t + dt, temp));
            till_keep = keep;
        }
    }
    let fan = (script.fan_at_s < script.end_s).then_some((script.fan_at_s, script.end_s));
    let figures = loop_figures(&points, script.target_c, 0.0, fan);
    LoopRun { points, figures }
}
