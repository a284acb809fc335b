//! Routines on a connected printer: run, kept, read by the core, laid into the station's draft.

use serde_json::{Map, Value, json};
use wattotherm_gcode::Heater;
use wattotherm_heat::{
    Gains, PhysicalLimits, Trace, VerifyResult, hold_result, read_class, tune_result,
};
use wattotherm_link::Link;
use wattotherm_link::routines::{
    RoutineError, autotune, control, hold, limit, read_settings_text, verify, warm,
};
use wattotherm_measure::Pen;
use wattotherm_store::NewTrace;

use crate::error::ApiError;
use crate::live::{Begun, RoutineDone, RoutineKind};
use crate::moment::now;
use crate::state::App;

/// What to run.
#[derive(Clone, Debug)]
pub struct Order {
    /// What.
    pub kind: RoutineKind,
    /// Target [°C].
    pub target_c: f64,
    /// Length of a hold [s].
    pub seconds: f64,
    /// Swings of an autotune.
    pub cycles: u32,
    /// Part fan in an autotune, 0 to 1.
    pub fan: f64,
    /// The job's station it is for.
    pub for_stop: Option<(i64, String)>,
}

async fn gains_now(link: &Link) -> Option<String> {
    let report = read_settings_text(link).await.ok()?;
    Gains::reported(&report).map(|g| g.text())
}

impl App {
    /// Starts a routine; it goes on by itself. Its number.
    /// # Errors
    /// [`ApiError::Conflict`] without a connection, or while another runs.
    pub fn start_routine(&self, printer_id: i64, order: Order) -> Result<u64, ApiError> {
        let (control, remote) = control();
        let begun = self.live.begin(
            printer_id,
            order.kind,
            order.target_c,
            order.for_stop.clone(),
            remote,
        )?;
        let number = begun.number;
        let app = self.clone();
        tokio::spawn(async move {
            // On disk before it is switched on: a server that is killed leaves no heat without a word.
            let noted = app
                .note_heat(
                    printer_id,
                    Heater::Tool(0),
                    order.target_c,
                    order.kind.says(),
                )
                .await;
            let done = match noted {
                Ok(()) => app.run(&begun, printer_id, &order, control).await,
                Err(e) => RoutineDone {
                    failed: Some(format!("Nothing was switched on: {e}")),
                    ..RoutineDone::default()
                },
            };
            begun.end(done);
        });
        Ok(number)
    }

    async fn run(
        &self,
        begun: &Begun,
        printer_id: i64,
        order: &Order,
        control: wattotherm_link::routines::Control,
    ) -> RoutineDone {
        let claim = begun.link.claim(order.kind.says());
        let link = claim.link();
        let mut done = RoutineDone::default();
        let mut fields = Map::new();
        let limits = PhysicalLimits::default();
        let pen = match self.pen().await {
            Ok(pen) => pen,
            Err(e) => {
                tracing::warn!(error = %e, "the house’s units were not read");
                Pen::METRIC
            }
        };
        let fail = |e: RoutineError| Some(e.to_string());
        match order.kind {
            RoutineKind::Hold => {
                let gains = gains_now(link).await;
                let logged = hold(control, link, order.target_c, order.seconds).await;
                done.failed = logged.end.err().and_then(fail);
                done.trace = self.keep(printer_id, order, &logged.trace).await;
                let mut result = hold_result(&logged.trace, order.target_c, &limits);
                result.trace = done.trace;
                result.gains_now = gains;
                result.reading = result.reading.worded(pen);
                fields.insert("hold".into(), json!(result));
                done.hold = Some(result);
            }
            RoutineKind::Autotune => {
                let logged = autotune(control, link, order.target_c, order.cycles, order.fan).await;
                let report = logged.end.as_ref().map(|t| t.report).unwrap_or_default();
                let stopped = matches!(logged.end, Err(RoutineError::Stopped));
                done.failed = logged.end.err().and_then(fail);
                done.trace = self.keep(printer_id, order, &logged.trace).await;
                let mut result =
                    tune_result(&logged.trace, order.target_c, order.fan, &report, &limits);
                result.trace = done.trace;
                result.reading = result.reading.worded(pen);
                // What was broken off is no autotune, but a log in which a fault shows is a finding.
                if !stopped && (done.failed.is_none() || result.reading.class.is_fault()) {
                    fields.insert("tune".into(), json!(result));
                    fields.insert("verify".into(), Value::Null);
                    done.tune = Some(result);
                }
            }
            RoutineKind::Verify => {
                let gains = gains_now(link).await;
                let logged = verify(control, link, order.target_c).await;
                done.trace = self.keep(printer_id, order, &logged.trace).await;
                let reading = read_class(&logged.trace, &limits).worded(pen);
                let figures = match logged.end {
                    Ok(v) => Some(v.figures),
                    Err(e) => {
                        done.failed = fail(e);
                        // Without its end there are no figures; a fault in its log counts all the same.
                        reading.class.is_fault().then(Default::default)
                    }
                };
                if let Some(figures) = figures {
                    let result = VerifyResult {
                        trace: done.trace,
                        target_c: order.target_c,
                        reading,
                        figures,
                        gains_now: gains,
                    };
                    fields.insert("verify".into(), json!(result));
                    done.verify = Some(result);
                }
            }
            RoutineKind::Warm => {
                let logged = warm(control, link, order.target_c).await;
                done.failed = logged.end.err().and_then(fail);
                done.trace = self.keep(printer_id, order, &logged.trace).await;
            }
            // It has a way of its own: `printing`.
            RoutineKind::Print => {}
            RoutineKind::Limit => match limit(control, link, order.target_c).await {
                Ok(c) => {
                    fields.insert(
                        "taken_c".into(),
                        json!(wattotherm_measure::text::plain(c, 1)),
                    );
                    done.taken_c = Some(c);
                }
                Err(e) => done.failed = fail(e),
            },
        }
        done.at_c = link.status().nozzle().map(|t| t.at_c);
        if let (Some((job, key)), false) = (&order.for_stop, fields.is_empty())
            && let Err(e) = self.lay_into_draft(*job, key.clone(), fields).await
        {
            tracing::warn!(error = %e, "a routine’s result was not laid into its draft");
        }
        done
    }

    async fn keep(&self, printer_id: i64, order: &Order, trace: &Trace) -> Option<i64> {
        if trace.samples.len() < 2 {
            return None;
        }
        let (kind, target_c) = (order.kind.id(), order.target_c);
        let job_id = order.for_stop.as_ref().map(|(j, _)| *j);
        // Time from the log's own start.
        let start = trace.samples[0].t_s;
        let trace = Trace::new(trace.samples.iter().map(|s| wattotherm_heat::Sample {
            t_s: s.t_s - start,
            ..*s
        }));
        self.with(move |store| {
            let new = NewTrace {
                printer_id,
                job_id,
                kind,
                target_c: Some(target_c),
                trace: &trace,
                source: None,
            };
            Ok(store.keep_trace(&new, &now())?)
        })
        .await
        .inspect_err(|e| tracing::warn!(error = %e, "a log was not kept"))
        .ok()
    }
}
