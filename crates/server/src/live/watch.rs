//! What goes on all the time: showing, keeping, learning.

use std::time::Duration;

use futures_util::FutureExt as _;
use wattotherm_gcode::Heater;
use wattotherm_heat::{Cooling, TOUCH_SAFE_C, Trace, alarms_in_print, cooling_from};
use wattotherm_link::{Heaters, Way};
use wattotherm_store::NewWire;

use super::{Live, RoutineKind};
use crate::moment::{ago, now};
use crate::state::App;

/// Time between two pictures for the pages.
const PICTURE: Duration = Duration::from_millis(250);
/// Pictures between two writings of the record, two looks at heat, at the cooling, at old lines.
const KEEP_EVERY: u32 = 6;
const HEAT_EVERY: u32 = 2;
const COOLING_EVERY: u32 = 40;
const PRUNE_EVERY: u32 = 240;
/// How far back the cooling is looked for [s].
const COOLING_BACK_S: f64 = 420.0;
/// How far back the trace of a print is read [s].
const TRACE_BACK_S: f64 = 240.0;
/// Lines of the wire kept: this many days, and this many of each printer.
const WIRE_DAYS: i64 = 60;
const WIRE_LINES: u32 = 100_000;

impl Live {
    /// Lines that the store has not, with the number up to which it will have them then.
    fn unkept(&self) -> (Vec<NewWire>, Vec<(i64, u64)>) {
        let at = now();
        let (mut lines, mut upto) = (Vec::new(), Vec::new());
        for (id, c) in self.lock().iter() {
            let record = c.link.record_after(c.kept);
            upto.extend(record.last().map(|w| (*id, w.seq)));
            for w in record {
                // Reports are kept as logs; here they would bury what was said.
                let report = w.way == Way::Answered
                    && (w.text.starts_with("T:") || w.text.starts_with("ok T:") || w.text == "ok");
                let asks = [" M105*", " M27*"];
                let question = w.way == Way::Sent && asks.iter().any(|q| w.text.contains(q))
                    || w.way == Way::Answered && w.text.starts_with("Not SD");
                if report || question {
                    continue;
                }
                lines.push(NewWire {
                    printer_id: *id,
                    at: at.clone(),
                    way: match w.way {
                        Way::Sent => "sent",
                        Way::Answered => "answered",
                        Way::Noted => "noted",
                    },
                    text: w.text,
                });
            }
        }
        (lines, upto)
    }

    fn are_kept(&self, upto: &[(i64, u64)]) {
        let mut printers = self.lock();
        for (id, seq) in upto {
            if let Some(c) = printers.get_mut(id) {
                c.kept = c.kept.max(*seq);
            }
        }
    }

    /// Reads the last minutes of every printer that prints from here: a fault of sensor or heater is an alarm while it
    /// can still be stopped.
    fn look_at_traces(&self) {
        for c in self.lock().values_mut() {
            let prints = c
                .routine
                .as_ref()
                .is_some_and(|r| r.kind == RoutineKind::Print && r.is_running());
            if !prints {
                c.trace_alarm = None;
                continue;
            }
            let status = c.link.status();
            let tools = status.temperatures.as_ref().map_or(0, |t| t.tools.len());
            let from_s = status.clock_s - TRACE_BACK_S;
            let logs = (0..=u8::MAX)
                .map(Heater::Tool)
                .take(tools)
                .map(|heater| (heater, Trace::new(c.link.samples_after(heater, from_s))));
            let alarms: Vec<String> = alarms_in_print(logs)
                .into_iter()
                .map(|(heater, class)| match tools {
                    1 => class.label().to_owned(),
                    _ => format!("{}, {}", heater.says(tools), class.label()),
                })
                .collect();
            c.trace_alarm = (!alarms.is_empty()).then(|| {
                format!(
                    "While it prints: {}. Look at the printer; pause or stop the print.",
                    alarms.join("; ")
                )
            });
        }
    }

    /// Looks how hot ends cool that are cooling just now.
    fn coolings(&self) -> Vec<(i64, Cooling)> {
        let mut found = Vec::new();
        for (id, c) in self.lock().iter_mut() {
            let status = c.link.status();
            let cooling = status.heaters == Heaters::Off
                && status.fan < 0.05
                && status
                    .nozzle()
                    .is_some_and(|t| t.at_c > TOUCH_SAFE_C + 10.0);
            if !cooling {
                continue;
            }
            let log = Trace::new(
                c.link
                    .samples_after(Heater::Tool(0), status.clock_s - COOLING_BACK_S),
            );
            // Blown on, it cools faster: that tail says nothing about standing still.
            let still = Trace::new(
                log.samples
                    .into_iter()
                    .filter(|s| s.fan.unwrap_or(0.0) < 0.05),
            );
            if let Some(own) = cooling_from(&still, c.cooling.ambient_c)
                && (own.tau_s - c.cooling.tau_s).abs() > 0.02 * own.tau_s
            {
                c.cooling = own;
                found.push((*id, own));
            }
        }
        found
    }
}

impl App {
    /// Writes what was sent and answered to the disk. What a failed write didn't keep comes with the next.
    pub async fn keep_record(&self) {
        let (lines, upto) = self.live.unkept();
        if lines.is_empty() {
            self.live.are_kept(&upto);
            return;
        }
        let kept = self
            .with_aside(move |store| Ok(store.keep_wire(&lines)?))
            .await;
        match kept {
            Ok(()) => self.live.are_kept(&upto),
            Err(e) => tracing::warn!(error = %e, "the record of the wire was not kept yet"),
        }
    }

    /// Paints pictures for the pages until the server ends.
    pub async fn show_printers(self) {
        let mut tick = tokio::time::interval(PICTURE);
        tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        while !self.live.is_closing() {
            tick.tick().await;
            self.live.show();
        }
    }

    /// Keeps, learns and watches over heat until the server ends; picked up again if it fails.
    pub async fn watch_printers(self) {
        while !self.live.is_closing() {
            let watching = std::panic::AssertUnwindSafe(self.watch_once()).catch_unwind();
            if watching.await.is_err() {
                tracing::error!("the watch over printers failed; it is picked up again");
                tokio::time::sleep(PICTURE).await;
            }
        }
    }

    async fn watch_once(&self) {
        let mut tick = tokio::time::interval(PICTURE);
        tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        let mut n = 0_u32;
        while !self.live.is_closing() {
            tick.tick().await;
            n = n.wrapping_add(1);
            if self.live.ids().is_empty() {
                // What a disconnected one left unkept.
                self.keep_heat().await;
                continue;
            }
            if n.is_multiple_of(HEAT_EVERY) {
                self.watch_heat().await;
            }
            if n.is_multiple_of(KEEP_EVERY) {
                self.keep_record().await;
                // What another program changed in the file; our own requests refresh at once.
                self.refresh_guards().await;
            }
            if n.is_multiple_of(COOLING_EVERY) {
                self.live.look_at_traces();
                self.keep_coolings().await;
            }
            if n.is_multiple_of(PRUNE_EVERY) {
                let pruned = self
                    .with_aside(|store| Ok(store.prune_wire(&ago(WIRE_DAYS), WIRE_LINES)?))
                    .await;
                if let Err(e) = pruned {
                    tracing::warn!(error = %e, "old lines of the wire were not let go");
                }
            }
        }
    }

    async fn keep_coolings(&self) {
        let found = self.live.coolings();
        if found.is_empty() {
            return;
        }
        let kept = self
            .with(move |store| {
                for (id, c) in &found {
                    store.put_cooling(*id, c, &now())?;
                }
                Ok(())
            })
            .await;
        if let Err(e) = kept {
            tracing::warn!(error = %e, "how a hot end cools was not kept");
        }
    }
}
