//! The printer's own autotune, watched from here.

use wattotherm_gcode::{AutotuneReport, Heater, read_autotune};
use wattotherm_heat::{AUTOTUNE_BELOW_C, Trace};
use wattotherm_measure::text::plain;

use super::{Control, HEATER, HeatOff, Logged, RoutineError, target};
use crate::link::Link;
use crate::record::Way;
use crate::status::SendError;

/// What an autotune reported.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Autotuned {
    /// Its last figures.
    pub report: AutotuneReport,
    /// Swings it ran.
    pub swings: u32,
}

/// Runs `M303` at `target_c` over `cycles` swings, part fan at `fan` (0 to 1) meanwhile: gains found
/// at another temperature or without the fan are those of another plant.
pub async fn autotune(
    mut control: Control,
    link: &Link,
    target_c: f64,
    cycles: u32,
    fan: f64,
) -> Logged<Autotuned> {
    let off = HeatOff(link);
    let cooled = cool(&mut control, link, target_c - AUTOTUNE_BELOW_C).await;
    let from_s = link.status().clock_s - 0.01;
    if let Err(e) = cooled {
        return Logged {
            trace: Trace::default(),
            end: Err(e),
        };
    }
    let end = run(&mut control, link, target_c, cycles, fan).await;
    drop(off);
    // The swing alone: what comes after the heater was set to 0 is cooling.
    let mut trace = Trace::new(link.samples_after(Heater::Tool(0), from_s));
    if let Some(last) = trace
        .samples
        .iter()
        .rposition(|s| s.duty.is_some_and(|d| d > 0.0))
    {
        trace.samples.truncate(last + 1);
    }
    Logged { trace, end }
}

/// Lets it cool to `below_c` with the part fan, if it is hotter.
async fn cool(control: &mut Control, link: &Link, below_c: f64) -> Result<(), RoutineError> {
    let hot = |s: &crate::status::LinkStatus| s.nozzle().map(|t| t.at_c).filter(|t| *t > below_c);
    let Some(first_c) = hot(&link.status()) else {
        return Ok(());
    };
    target(link, 0.0).await?;
    link.send("M106 S255").await?;
    let says = format!(
        "cooling to {} °C: the test begins with a heat-up",
        plain(below_c, 0)
    );
    control
        .until(link, |s, me| {
            let now = hot(s);
            let way = now.map_or(1.0, |t| (first_c - t) / (first_c - below_c).max(1.0));
            me.show(&says, 0.08 * way, None);
            Ok(now.is_none())
        })
        .await?;
    link.send("M107").await?;
    Ok(())
}

async fn run(
    control: &mut Control,
    link: &Link,
    target_c: f64,
    cycles: u32,
    fan: f64,
) -> Result<Autotuned, RoutineError> {
    if fan > 0.0 {
        link.send(&format!("M106 S{}", plain(fan * 255.0, 0)))
            .await?;
    } else {
        link.send("M107").await?;
    }
    let mut seen = link.record_after(0).last().map_or(0, |w| w.seq);
    let mut found = Autotuned::default();
    let mut look = |found: &mut Autotuned| {
        for wire in link.record_after(seen) {
            seen = wire.seq;
            if wire.way == Way::Answered
                && !wire.text.starts_with("T:")
                && read_autotune(&wire.text, &mut found.report)
                && wire.text.contains("max")
            {
                found.swings += 1;
            }
        }
    };
    let command = format!("M303 E0 S{} C{cycles}", plain(target_c, 0));
    let sending = link.send(&command);
    tokio::pin!(sending);
    let begun_s = link.status().clock_s;
    let mut watch = link.watch();
    let answer = loop {
        tokio::select! {
            answer = &mut sending => break answer,
            changed = watch.next() => {
                let Some(status) = changed else {
                    return Err(RoutineError::Send(SendError::NotConnected));
                };
                look(&mut found);
                let passed = status.clock_s - begun_s;
                let done = f64::from(found.swings) / f64::from(cycles.max(1));
                // Swings are alike: what one took, the next will take.
                let left = (found.swings > 0).then(|| passed / f64::from(found.swings)
                    * f64::from(cycles.saturating_sub(found.swings)));
                let says = if found.swings == 0 {
                    format!("heating to {} °C, then swinging about it", plain(target_c, 0))
                } else {
                    format!("swing {} of {cycles} about {} °C", found.swings, plain(target_c, 0))
                };
                control.show(says, 0.08 + 0.92 * done, left);
            }
            stop = control.stop.next() => {
                if stop.unwrap_or(true) {
                    link.off(&[HEATER]);
                    let _ = (&mut sending).await;
                    return Err(RoutineError::Stopped);
                }
            }
        }
    };
    look(&mut found);
    answer?;
    if found.report.kp.is_none() && found.report.ku.is_none() {
        return Err(RoutineError::Broken {
            says: "The autotune ended without figures. Read what was answered, then run it again."
                .into(),
        });
    }
    Ok(found)
}
