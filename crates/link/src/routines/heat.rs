//! Heating, holding, and the verification of a loop.

use wattotherm_gcode::Heater;
use wattotherm_heat::{LoopFigures, Trace, loop_figures};
use wattotherm_measure::text::plain;

use super::{Control, HeatOff, Logged, RoutineError, target};
use crate::link::Link;

/// Hold of a verification [s]; the method notes' figure, approach included.
pub const VERIFY_HOLD_S: f64 = 240.0;
/// Part fan in a verification [s].
pub const VERIFY_FAN_S: f64 = 60.0;
/// Longest heat-up before it counts as not reaching [s].
const MOST_HEATING_S: f64 = 600.0;
/// Without two degrees of rise for this long, a heat-up goes nowhere [s].
const STANDSTILL_S: f64 = 75.0;
/// Log of the cooling after a verification: what the touch-safe time rests on [s].
const COOLING_S: f64 = 70.0;

/// What a verification showed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Verified {
    /// Figures of step, hold and fan.
    pub figures: LoopFigures,
    /// When the step came [s], by the log.
    pub step_s: f64,
    /// When the fan blew [s].
    pub fan_s: (f64, f64),
}

/// Sets the nozzle's target and waits until it is within `near_c` [°C].
async fn heat(
    control: &mut Control,
    link: &Link,
    target_c: f64,
    near_c: f64,
    [from, to]: [f64; 2],
) -> Result<(), RoutineError> {
    target(link, target_c).await?;
    let begun = link.status();
    let first_c = begun.nozzle().map_or(target_c, |t| t.at_c);
    let (mut best_c, mut best_s) = (first_c, begun.clock_s);
    let fraction = |c: f64| {
        if (target_c - first_c).abs() < 1.0 {
            1.0
        } else {
            ((c - first_c) / (target_c - first_c)).clamp(0.0, 1.0)
        }
    };
    let says = format!("heating to {} °C", plain(target_c, 0));
    control
        .until(link, |s, me| {
            let Some(t) = s.nozzle() else {
                return Ok(false);
            };
            let way = (target_c - t.at_c).abs();
            if way < (target_c - best_c).abs() - 2.0 {
                best_c = t.at_c;
                best_s = s.clock_s;
            }
            me.show(&says, from + (to - from) * fraction(t.at_c), None);
            if way <= near_c {
                return Ok(true);
            }
            let passed = s.clock_s - begun.clock_s;
            if passed > MOST_HEATING_S || s.clock_s - best_s > STANDSTILL_S {
                return Err(RoutineError::NotReached {
                    says: format!(
                        "{} °C was wanted; after {} s it stands at {} °C.",
                        plain(target_c, 0),
                        plain(passed, 0),
                        plain(t.at_c, 1)
                    ),
                });
            }
            Ok(false)
        })
        .await
}

fn log(link: &Link, from_s: f64) -> Trace {
    Trace::new(link.samples_after(Heater::Tool(0), from_s))
}

/// Heats and holds for `seconds`; heaters off at the end.
pub async fn hold(mut control: Control, link: &Link, target_c: f64, seconds: f64) -> Logged<()> {
    let from_s = link.status().clock_s - 0.01;
    let _off = HeatOff(link);
    let end = async {
        heat(&mut control, link, target_c, 3.0, [0.0, 0.4]).await?;
        let says = format!("holding {} °C", plain(target_c, 0));
        control.pass(link, seconds, &says, [0.4, 1.0]).await
    }
    .await;
    Logged {
        trace: log(link, from_s),
        end,
    }
}

/// Heats and stays hot, for work on the hot nozzle: heaters stay on when it ends well.
pub async fn warm(mut control: Control, link: &Link, target_c: f64) -> Logged<()> {
    let from_s = link.status().clock_s - 0.01;
    let off = HeatOff(link);
    let end = heat(&mut control, link, target_c, 2.0, [0.0, 1.0]).await;
    if end.is_ok() {
        std::mem::forget(off);
    }
    Logged {
        trace: log(link, from_s),
        end,
    }
}

/// Step from 40 °C below to the target, hold, part fan, cooling.
pub async fn verify(mut control: Control, link: &Link, target_c: f64) -> Logged<Verified> {
    let from_s = link.status().clock_s - 0.01;
    let off = HeatOff(link);
    let end = async {
        let low = (target_c - 40.0).max(40.0);
        link.send("M107").await?;
        heat(&mut control, link, low, 2.0, [0.0, 0.15]).await?;
        let says = format!("settling at {} °C before the step", plain(low, 0));
        control.pass(link, 45.0, &says, [0.15, 0.22]).await?;
        target(link, target_c).await?;
        let step_s = link.status().clock_s;
        let says = format!("step to {} °C, then hold", plain(target_c, 0));
        control
            .pass(link, VERIFY_HOLD_S, &says, [0.22, 0.7])
            .await?;
        link.send("M106 S255").await?;
        let fan_from = link.status().clock_s;
        control
            .pass(link, VERIFY_FAN_S, "part fan at full", [0.7, 0.85])
            .await?;
        let fan_s = (fan_from, link.status().clock_s);
        link.send("M107").await?;
        target(link, 0.0).await?;
        control
            .pass(
                link,
                COOLING_S,
                "heater off; logging how it cools",
                [0.85, 1.0],
            )
            .await?;
        Ok((step_s, fan_s))
    }
    .await;
    drop(off);
    let trace = log(link, from_s);
    let start = trace.samples.first().map_or(from_s, |s| s.t_s);
    let end = end.map(|(step_s, fan_s): (f64, (f64, f64))| {
        let points: Vec<(f64, f64)> = trace
            .samples
            .iter()
            .filter(|s| s.t_s <= fan_s.1)
            .map(|s| (s.t_s - start, s.temp_c))
            .collect();
        let fan = (fan_s.0 - start, fan_s.1 - start);
        Verified {
            figures: loop_figures(&points, target_c, step_s - start, Some(fan)),
            step_s: step_s - start,
            fan_s: fan,
        }
    });
    Logged { trace, end }
}

/// The target [°C] that the printer takes when asked for `wanted_c`: firmwares refuse or lower what
/// is too near their limit. The heater is on for some seconds.
/// # Errors
/// [`RoutineError`].
pub async fn limit(mut control: Control, link: &Link, wanted_c: f64) -> Result<f64, RoutineError> {
    let _off = HeatOff(link);
    control.show("asking for the ceiling", 0.2, None);
    target(link, wanted_c).await?;
    let begun = link.status().clock_s;
    let mut taken = 0.0;
    control
        .until(link, |s, _| {
            taken = s.nozzle().map_or(0.0, |t| t.target_c);
            Ok(s.clock_s > begun + 1.5)
        })
        .await?;
    Ok(taken)
}
