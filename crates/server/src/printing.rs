//! Prints from here: the whole file through the printer's guard, then line by line, each with its end on record.

use std::io::BufRead as _;
use std::time::Duration;

use tokio::sync::mpsc;
use wattotherm_gcode::{Guard, Heater, PrintLine, PrintLines};
use wattotherm_link::routines::{
    Control, PrintClock, PrintStep, Printed, RoutineError, control, print,
};
use wattotherm_measure::text::duration_s;
use wattotherm_store::{Files, MadePrintEnd, NewMadePrint, PrintFile, Store};
use wattotherm_toolpath::{
    Clearance, Factor, Limits, Nozzles, Survey, SurveyOptions, clear_path, factor_of, survey,
};

use crate::error::ApiError;
use crate::live::{Begun, PrintDone, RoutineDone, RoutineKind, limits_of};
use crate::moment::now;
use crate::state::App;

/// Threads beside the one that follows a path.
pub const HELPERS: usize = 1;
/// Lines read ahead of the wire.
const READ_AHEAD: usize = 128;
/// Between two times that how far it is goes to the disk.
const KEEP_EVERY: Duration = Duration::from_secs(5);
/// Longest line of a file that is read at all [bytes]; the guard takes far shorter ones.
const MOST_LINE: usize = 4_096;

/// What a printer can do, where that is known from, and what its clock said of predictions.
#[derive(Clone, Debug)]
pub struct Pace {
    /// Its limits, the factor not in them.
    pub limits: Limits,
    /// `report`, `typed`, or `usual` where nothing is known of it.
    pub source: String,
    /// Clock over prediction.
    pub factor: Option<Factor>,
}

impl Pace {
    /// Of a printer, or the usual one.
    /// # Errors
    /// [`ApiError`] of the store.
    pub fn of(store: &Store, printer_id: Option<i64>) -> Result<Self, ApiError> {
        let usual = || Self {
            limits: usual(),
            source: "usual".into(),
            factor: None,
        };
        let Some(id) = printer_id else {
            return Ok(usual());
        };
        store.printer(id)?;
        let factor = factor_of(&store.timed_prints(id)?);
        let known = store
            .path_limits(id)?
            .and_then(|(json, source)| Some((serde_json::from_str(&json).ok()?, source)));
        Ok(match known {
            Some((limits, source)) => Self {
                limits,
                source,
                factor,
            },
            None => Self { factor, ..usual() },
        })
    }
}

/// The limits that a part is timed under while it belongs to no printer, or to one that nothing is known of.
pub fn usual() -> Limits {
    Limits {
        junction_mm: Some(wattotherm_toolpath::DEFAULT_JUNCTION_MM),
        ..Limits::default()
    }
}

/// What was looked through before a print.
pub struct Cleared {
    /// The file.
    pub file: PrintFile,
    /// What the guard made of it.
    pub clearance: Clearance,
    /// Its time.
    pub survey: Survey,
    /// Nozzles of the printer.
    pub tools: usize,
}

/// A file that was kept and can't be read.
pub fn broke_off(e: impl std::fmt::Display) -> ApiError {
    tracing::warn!(error = %e, "a sliced part could not be read");
    ApiError::Internal
}

/// Reads the file's lines as they are sent, until nobody takes them.
fn read_steps(
    files: &Files,
    sha256: &str,
    tools: usize,
    put: &mpsc::Sender<PrintStep>,
) -> Result<(), ApiError> {
    let mut from = std::io::BufReader::with_capacity(1 << 16, files.open(sha256)?);
    let mut lines = PrintLines::new(tools);
    let mut bytes = Vec::new();
    let mut number = 0;
    loop {
        bytes.clear();
        let got = (&mut from).take_line(&mut bytes).map_err(broke_off)?;
        if !got {
            return Ok(());
        }
        number += 1;
        let line = match number {
            1 => bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&bytes),
            _ => &bytes,
        };
        let texts = match lines.line(line) {
            PrintLine::Nothing | PrintLine::LeaveOut(..) => continue,
            // The file was clear when it began. One that isn't any more ends the print at this line.
            PrintLine::Refuse(_) => return Err(ApiError::Internal),
            PrintLine::Person => {
                if put.blocking_send(PrintStep::Person { number }).is_err() {
                    return Ok(());
                }
                continue;
            }
            PrintLine::Send(words) => vec![words.line()],
            PrintLine::SendAndSay(words, says) => vec![words.line(), says.to_owned()],
        };
        for text in texts {
            if put.blocking_send(PrintStep::Line { number, text }).is_err() {
                return Ok(());
            }
        }
    }
}

/// Reads lines that end with `\n`, `\r`, or both: as those were counted that were looked through.
trait TakeLine {
    /// One line without its end; false at the end of the file.
    fn take_line(&mut self, into: &mut Vec<u8>) -> std::io::Result<bool>;
}

impl<R: std::io::Read> TakeLine for &mut std::io::BufReader<R> {
    fn take_line(&mut self, into: &mut Vec<u8>) -> std::io::Result<bool> {
        let mut any = false;
        loop {
            let bytes = self.fill_buf()?;
            if bytes.is_empty() {
                return Ok(any);
            }
            any = true;
            let end = bytes.iter().position(|b| matches!(b, b'\n' | b'\r'));
            let upto = end.unwrap_or(bytes.len());
            let room = MOST_LINE.saturating_sub(into.len());
            into.extend_from_slice(&bytes[..upto.min(room)]);
            let Some(end) = end else {
                self.consume(upto);
                continue;
            };
            let carriage = bytes[end] == b'\r';
            self.consume(end + 1);
            if carriage && self.fill_buf()?.first() == Some(&b'\n') {
                self.consume(1);
            }
            return Ok(true);
        }
    }
}

/// What a file heats, and how hot at most [°C].
fn heats(clearance: &Clearance) -> Vec<(Heater, f64)> {
    (0..)
        .map(Heater::Tool)
        .zip(clearance.nozzles_c.iter().copied())
        .chain([(Heater::Bed, clearance.bed_c)])
        .filter_map(|(heater, c)| Some((heater, c.filter(|c| *c > 0.0)?)))
        .collect()
}

/// The hottest that any nozzle is set [°C]; 0 where none is.
fn hottest_nozzle_c(clearance: &Clearance) -> f64 {
    clearance
        .nozzles_c
        .iter()
        .flatten()
        .fold(0.0, |most: f64, c| most.max(*c))
}

/// How a print ended, in words: where it stands and what to do with the hand.
fn ended(printed: &Printed) -> (&'static str, String) {
    let p = printed.place;
    let at = match p.layer {
        0 => format!("line {}, before the first layer", p.line),
        layer => format!("line {}, layer {layer} of {}", p.line, p.layers),
    };
    let head = if printed.lifted {
        "the head was lifted"
    } else {
        "the head stands where it was"
    };
    match &printed.end {
        Ok(()) => (
            "done",
            format!("printed in {}.", duration_s(printed.seconds)),
        ),
        Err(RoutineError::Stopped) => (
            "stopped",
            format!("stopped by hand after {at}. Heaters are set to 0, {head}."),
        ),
        Err(RoutineError::Broken { says }) => (
            "broken",
            format!(
                "broken off after {at}. {says} The nozzle may stand on the part: lift the head by hand once it can be touched."
            ),
        ),
        Err(e) => (
            "broken",
            format!("broken off after {at}. {e} Heaters are set to 0, {head}."),
        ),
    }
}

impl App {
    /// Says of prints that a server left running which ended without a word how far they came.
    pub async fn end_lost_prints(&self) {
        let ended = self
            .with(|store| Ok(store.end_lost_made_prints(&now())?))
            .await;
        match ended {
            Ok(0) => {}
            Ok(n) => tracing::warn!(prints = n, "prints ended with the server before this one"),
            Err(e) => tracing::warn!(error = %e, "prints of the server before were not ended"),
        }
    }

    /// Nozzles of a printer: as it reports them, or as many as it is known to have.
    pub async fn nozzles_of(&self, printer_id: i64, known: usize) -> Nozzles {
        let Ok(link) = self.live.link(printer_id) else {
            return Nozzles {
                count: known.max(1),
                ..Nozzles::ONE
            };
        };
        let reported = link.status().temperatures.map(|t| t.tools.len());
        Nozzles {
            count: reported.unwrap_or(known).max(1),
            offsets_mm: link.machine().await.offsets_mm,
        }
    }

    /// Looks a whole file through as it would go to a printer.
    /// # Errors
    /// [`ApiError`] where there is no such file or printer.
    pub async fn clear_print(&self, file_id: i64, printer_id: i64) -> Result<Cleared, ApiError> {
        let (file, limits, pace, nozzles) = self
            .read(move |store| {
                let file = store.print_file(file_id)?;
                let (_, limits) = limits_of(store, printer_id)?;
                let nozzles = store.printer(printer_id)?.facts.nozzles;
                Ok((file, limits, Pace::of(store, Some(printer_id))?, nozzles))
            })
            .await?;
        let nozzles = self.nozzles_of(printer_id, usize::from(nozzles)).await;
        let tools = nozzles.count;
        let files = self.files.clone();
        let (_asks, wanted) = self.readings.begin(Some(file_id), file.bytes, 2);
        tokio::task::spawn_blocking(move || {
            let guard = Guard { limits };
            let clearance = clear_path(
                files.open(&file.sha256)?,
                &guard,
                &nozzles,
                HELPERS,
                wanted.clone(),
            )
            .map_err(broke_off)?;
            let options = SurveyOptions {
                limits: pace.limits,
                heating: None,
                cores: HELPERS,
            };
            let survey = survey(files.open(&file.sha256)?, &options, wanted).map_err(broke_off)?;
            Ok(Cleared {
                file,
                clearance,
                survey,
                tools,
            })
        })
        .await
        .map_err(|_| ApiError::Internal)?
    }

    /// Starts a print of a file that the guard lets through as a whole; it goes on by itself. Its number.
    /// # Errors
    /// [`ApiError::Values`] for a file that must not be sent, [`ApiError::Conflict`] without a connection or while
    /// something runs.
    pub async fn start_print(
        &self,
        file_id: i64,
        printer_id: i64,
        unknown_ok: bool,
    ) -> Result<u64, ApiError> {
        let cleared = self.clear_print(file_id, printer_id).await?;
        let refuse = |message: String| ApiError::Values {
            field: "printer_id",
            message,
        };
        if let Some(first) = cleared.clearance.refused.first() {
            return Err(refuse(format!(
                "{} of its lines may not be sent. Line {}: {}. Nothing was sent.",
                cleared.clearance.refused_lines, first.line, first.message
            )));
        }
        if let Some(first) = cleared.clearance.unknown.first().filter(|_| !unknown_ok) {
            return Err(refuse(format!(
                "The file has commands that nobody here knows, {} on line {} first: they would be left out. Say that this is meant. Nothing was sent.",
                first.code, first.line
            )));
        }
        let heats = heats(&cleared.clearance);
        let (control, remote) = control();
        let target_c = hottest_nozzle_c(&cleared.clearance);
        let begun = self
            .live
            .begin(printer_id, RoutineKind::Print, target_c, None, remote)?;
        let number = begun.number;
        let kept = self
            .with({
                let (file_id, name) = (cleared.file.id, cleared.file.name.clone());
                let (predicted_s, layers) =
                    (cleared.survey.seconds, cleared.survey.layers.len() as u64);
                move |store| {
                    let new = NewMadePrint {
                        printer_id,
                        print_file_id: file_id,
                        name: &name,
                        predicted_s: predicted_s.max(1.0),
                        layers,
                        took_s: None,
                    };
                    Ok(store.begin_made_print(&new, &now())?)
                }
            })
            .await;
        let run_id = match kept {
            Ok(id) => id,
            Err(e) => {
                begun.end(RoutineDone {
                    failed: Some(format!("Nothing was sent: {e}")),
                    ..RoutineDone::default()
                });
                return Err(e);
            }
        };
        let app = self.clone();
        tokio::spawn(async move {
            // On disk before it is switched on: a server that is killed leaves no heat without a word.
            for (heater, c) in &heats {
                let noted = app
                    .note_heat(printer_id, *heater, *c, RoutineKind::Print.says())
                    .await;
                if let Err(e) = noted {
                    app.not_begun(begun, run_id, &e).await;
                    return;
                }
            }
            app.run_print(begun, run_id, cleared, control).await;
        });
        Ok(number)
    }

    /// Ends a print whose heat can't be kept on disk: what can't be kept isn't switched on.
    async fn not_begun(&self, begun: Begun, run_id: i64, e: &ApiError) {
        let says = format!("Nothing was sent: {e}");
        let end = says.clone();
        let kept = self
            .with(move |store| {
                let end = MadePrintEnd {
                    how: "broken",
                    says: &end,
                    ..MadePrintEnd::default()
                };
                Ok(store.put_made_print(run_id, &end, &now())?)
            })
            .await;
        if let Err(e) = kept {
            tracing::warn!(error = %e, "the end of a print was not kept");
        }
        begun.end(RoutineDone {
            failed: Some(says),
            ..RoutineDone::default()
        });
    }

    async fn run_print(&self, begun: Begun, run_id: i64, cleared: Cleared, control: Control) {
        let claim = begun.link.claim_alone(RoutineKind::Print.says());
        let (put, take) = mpsc::channel(READ_AHEAD);
        let (files, sha256, tools) = (
            self.files.clone(),
            cleared.file.sha256.clone(),
            cleared.tools,
        );
        let reading = tokio::task::spawn_blocking(move || read_steps(&files, &sha256, tools, &put));
        let progress = control.watch();
        let app = self.clone();
        let keeping = tokio::spawn(async move {
            let mut every = tokio::time::interval(KEEP_EVERY);
            every.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
            loop {
                every.tick().await;
                let Some(p) = progress.now().print else {
                    continue;
                };
                let kept = app
                    .with(move |store| {
                        let end = MadePrintEnd {
                            how: "running",
                            line: p.line,
                            layer: p.layer as u64,
                            z_mm: p.z_mm,
                            ..MadePrintEnd::default()
                        };
                        Ok(store.put_made_print(run_id, &end, &now())?)
                    })
                    .await;
                if let Err(e) = kept {
                    tracing::warn!(error = %e, "how far a print is was not kept");
                }
            }
        });
        let mut gone_s = cleared.survey.before_s;
        let layers = cleared.survey.layers.iter().map(|l| {
            let from_s = gone_s;
            gone_s += l.seconds;
            (l.line, l.z_mm, from_s)
        });
        let clock = PrintClock {
            layers: layers.collect(),
            lines: cleared.survey.reading.lines,
            seconds: cleared.survey.seconds,
        };
        let mut printed = print(
            control,
            claim.link(),
            take,
            clock,
            &cleared.clearance.sets,
            &[Heater::Tool(0), Heater::Bed],
        )
        .await;
        keeping.abort();
        if !matches!(reading.await, Ok(Ok(()))) {
            tracing::warn!("the file of a print could not be read to its end");
            if printed.end.is_ok() {
                printed.end = Err(RoutineError::NotReached {
                    says: "The file could not be read to its end.".into(),
                });
            }
        }
        let (how, says) = ended(&printed);
        let done = PrintDone {
            how: how.to_owned(),
            says: format!("{}: {says}", cleared.file.name),
            file: cleared.file.id,
            seconds: printed.seconds,
            place: printed.place,
        };
        let kept = self
            .with(move |store| {
                let end = MadePrintEnd {
                    how,
                    says: &says,
                    took_s: Some(printed.seconds).filter(|_| how == "done"),
                    paused_s: printed.paused_s,
                    line: printed.place.line,
                    layer: printed.place.layer as u64,
                    z_mm: printed.place.z_mm,
                };
                Ok(store.put_made_print(run_id, &end, &now())?)
            })
            .await;
        if let Err(e) = kept {
            tracing::warn!(error = %e, "the end of a print was not kept");
        }
        begun.end(RoutineDone {
            failed: (how != "done").then(|| done.says.clone()),
            at_c: begun.link.status().nozzle().map(|t| t.at_c),
            print: Some(done),
            ..RoutineDone::default()
        });
    }
}
