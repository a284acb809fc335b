//! What every page is shown of a connected printer.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_gcode::Heater;
use wattotherm_heat::{Cooling, HeatWord, HoldResult, TuneResult, VerifyResult};
use wattotherm_link::routines::{PrintPlace, Progress};
use wattotherm_link::{Heaters, LinkState, LinkStatus};
use wattotherm_measure::text::{capital, join_and, plain};

use super::RoutineKind;

/// What came of a routine.
#[derive(Clone, Debug, Default, PartialEq, Serialize, ToSchema)]
pub struct RoutineDone {
    /// Why it ended before its end; none if it didn't.
    pub failed: Option<String>,
    /// Number of its kept log.
    pub trace: Option<i64>,
    /// A hold's result.
    pub hold: Option<HoldResult>,
    /// An autotune's result.
    pub tune: Option<TuneResult>,
    /// A verification's result.
    pub verify: Option<VerifyResult>,
    /// Target that the printer took [°C].
    pub taken_c: Option<f64>,
    /// Nozzle at the end [°C].
    pub at_c: Option<f64>,
    /// A print's end.
    pub print: Option<PrintDone>,
}

/// What came of a print.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct PrintDone {
    /// `done`, `stopped` or `broken`.
    pub how: String,
    /// How it ended and what to do with the hand, in words.
    pub says: String,
    /// Number of the file.
    pub file: i64,
    /// Seconds that it took, without heating, homing and pauses.
    pub seconds: f64,
    /// How far it came.
    pub place: PrintPlace,
}

/// A routine as pages see it.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct RoutineView {
    /// Its number, rising.
    pub number: u64,
    /// What it is.
    pub kind: RoutineKind,
    /// Target [°C].
    pub target_c: f64,
    /// The job's station it runs for, e.g. `3/heater_loop`.
    pub for_stop: Option<String>,
    /// How far it is.
    pub progress: Progress,
    /// What came of it; none while it runs.
    pub done: Option<RoutineDone>,
}

/// One heater as pages show it.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct MetalView {
    /// Which.
    pub heater: Heater,
    /// Its name, e.g. "the bed".
    pub name: String,
    /// Measured [°C].
    pub at_c: f64,
    /// Target [°C].
    pub target_c: f64,
    /// Whether it is heated, may be, or is about to be.
    pub heats: bool,
    /// Whether that heat was switched on from here.
    pub own: bool,
    /// How hot, in a word.
    pub word: HeatWord,
}

/// A stop that is not confirmed.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct StopView {
    /// Whether it is an emergency stop.
    pub emergency: bool,
    /// Asked for this long ago [s].
    pub since_s: u64,
    /// How often it was put on the wire.
    pub sent: u32,
    /// All of it in words, and what to do with the hand.
    pub says: String,
}

/// A connected printer as every page sees it.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct LivePrinter {
    /// The printer.
    pub printer_id: i64,
    /// Its name.
    pub name: String,
    /// What is known of it.
    pub status: LinkStatus,
    /// Every heater, each named.
    pub metal: Vec<MetalView>,
    /// The hottest of all that can be touched, in a word.
    pub worst: HeatWord,
    /// How hot the nozzle is, in a word.
    pub nozzle: HeatWord,
    /// How hot the bed is, in a word.
    pub bed: HeatWord,
    /// Age of the newest report [s], where it is older than three seconds.
    pub silent_s: Option<u64>,
    /// Seconds until all of it can be touched; none while it is heated or nothing is known.
    pub touch_safe_in_s: Option<f64>,
    /// Whether that rests on this very hot end's cooling.
    pub own_cooling: bool,
    /// The sentence of the heat strip.
    pub says: String,
    /// A stop that is not confirmed.
    pub stop: Option<StopView>,
    /// A target above its ceiling, in words.
    pub alarm: Option<String>,
    /// Heat that a server which ended without a word left on, in words.
    pub left_over: Option<String>,
    /// Heat goes off in so many seconds because nobody is there.
    pub idle_off_in_s: Option<u64>,
    /// The work that runs, or ran last.
    pub routine: Option<RoutineView>,
}

/// Time constant of a bed's cooling [s]. Common practice, no published source: some six minutes from 60 °C
/// to touch-safe.
const BED_TAU_S: f64 = 900.0;

/// What a picture is painted from.
pub struct Seen<'a> {
    /// The printer.
    pub printer_id: i64,
    /// Its name.
    pub name: &'a str,
    /// What the link knows.
    pub status: LinkStatus,
    /// How its hot end cools.
    pub cooling: Cooling,
    /// What the temperatures of a print show, where that is no good.
    pub trace_alarm: Option<&'a str>,
    /// Heat left over from a server that ended without a word.
    pub left_over: Option<&'a str>,
    /// Seconds until idle heat goes off, once that is near.
    pub idle_off_in_s: Option<u64>,
    /// Its routine.
    pub routine: Option<RoutineView>,
}

/// Paints the picture.
pub fn picture(seen: Seen<'_>) -> LivePrinter {
    let status = seen.status;
    let tools = status.tools();
    let metal: Vec<MetalView> = status
        .metal()
        .into_iter()
        .map(|m| MetalView {
            heater: m.heater,
            name: m.heater.says(tools),
            at_c: m.at_c,
            target_c: m.target_c,
            heats: m.heats,
            own: status.own_heat.iter().any(|o| o.heater == m.heater),
            word: m.word,
        })
        .collect();
    let word_of = |wanted: Heater| {
        metal
            .iter()
            .find(|m| m.heater == wanted)
            .map_or(HeatWord::Unknown, |m| m.word)
    };
    let worst = metal
        .iter()
        .map(|m| m.word)
        .min()
        .unwrap_or(HeatWord::Unknown);
    let touch_safe_in_s = touch_safe_in_s(&status, &metal, &seen.cooling);
    let stop = status.stopping.as_ref().map(|s| {
        let since_s = s.since.elapsed().as_secs();
        StopView {
            emergency: s.emergency,
            since_s,
            sent: s.sent,
            says: stop_says(&status, since_s),
        }
    });
    let silent_s = status
        .reported
        .map(|r| r.elapsed().as_secs())
        .filter(|s| *s > 3);
    let says = match (&stop, seen.idle_off_in_s) {
        // Right after it was asked for, a stop is on its way like any command.
        (Some(s), _) if s.since_s >= 2 || status.state != LinkState::Connected => s.says.clone(),
        (None, Some(left)) => format!(
            "Nobody has been here for a while: heat goes off in {left} s. Press a key to keep it on."
        ),
        _ => sentence(&status, &metal, worst, touch_safe_in_s),
    };
    LivePrinter {
        printer_id: seen.printer_id,
        name: seen.name.to_owned(),
        worst,
        nozzle: word_of(Heater::Tool(0)),
        bed: word_of(Heater::Bed),
        silent_s,
        touch_safe_in_s: touch_safe_in_s.map(f64::round),
        own_cooling: seen.cooling.own,
        says,
        stop,
        alarm: status
            .alarm
            .as_ref()
            .map(|a| {
            format!(
                "The target of {} stands at {} °C, above the ceiling of {} °C, held down by {}.",
                a.heater.says(tools),
                plain(a.target_c, 0),
                plain(a.ceiling_c, 0),
                a.held_by
            )
        })
            .or_else(|| seen.trace_alarm.map(str::to_owned)),
        left_over: seen.left_over.map(str::to_owned),
        idle_off_in_s: seen.idle_off_in_s,
        routine: seen.routine,
        metal,
        status,
    }
}

fn touch_safe_in_s(status: &LinkStatus, metal: &[MetalView], nozzle: &Cooling) -> Option<f64> {
    if status.heaters != Heaters::Off || !status.fresh {
        return None;
    }
    let mut longest = None;
    for m in metal {
        match m.word {
            HeatWord::Safe => continue,
            HeatWord::Unknown => return None,
            HeatWord::Hot | HeatWord::Warm => {}
        }
        let cooling = match m.heater {
            Heater::Tool(_) => *nozzle,
            Heater::Bed | Heater::Chamber => Cooling {
                tau_s: BED_TAU_S,
                ambient_c: nozzle.ambient_c,
                own: false,
            },
        };
        let s = cooling.touch_safe_in_s(m.at_c)?;
        longest = Some(longest.map_or(s, |l: f64| l.max(s)));
    }
    longest
}

/// What is known of a stop that is not confirmed, and what to do with the hand.
fn stop_says(status: &LinkStatus, since_s: u64) -> String {
    let Some(s) = &status.stopping else {
        return String::new();
    };
    let what = if s.emergency {
        "Emergency stop"
    } else {
        "Stop"
    };
    let way = match (s.sent, s.last_sent) {
        (0, _) | (_, None) => "it could not be sent: there is no connection".to_owned(),
        (n, Some(last)) => {
            let times = if n == 1 {
                "once".into()
            } else {
                format!("{n} times")
            };
            let answer = if s.taken {
                "the printer took it, but its reports don’t show that all heaters are off"
            } else {
                "the printer has not answered it"
            };
            format!(
                "sent {times}, last {} s ago; {answer}",
                last.elapsed().as_secs()
            )
        }
    };
    if since_s < 4 {
        return format!(
            "{what} sent. Waiting for the printer to confirm that its heaters are off."
        );
    }
    format!(
        "{what} not confirmed after {since_s} s: {way}. Switch the printer off at its mains switch. It is sent again and again."
    )
}

fn sentence(
    status: &LinkStatus,
    metal: &[MetalView],
    worst: HeatWord,
    touch_safe_in_s: Option<f64>,
) -> String {
    if status.state != LinkState::Connected {
        return status.says.clone();
    }
    if !status.rising.is_empty() {
        let tools = status.tools();
        let names: Vec<String> = status.rising.iter().map(|h| h.says(tools)).collect();
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        return format!(
            "{} is reported to be off and gets hotter all the same: switch the printer off at its mains switch.",
            capital(&join_and(&names))
        );
    }
    let listed = |which: &dyn Fn(&&MetalView) -> bool| -> String {
        let names: Vec<String> = metal
            .iter()
            .filter(which)
            .map(|m| format!("{} {} °C", m.name, plain(m.at_c, 0)))
            .collect();
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        join_and(&names)
    };
    let whose = if status.card_print == Some(true) {
        " The printer prints from its own card: its heat is its own."
    } else if status.foreign_heat() {
        " Not switched on from here."
    } else {
        ""
    };
    match (worst, touch_safe_in_s) {
        (HeatWord::Safe, _) => "Safe to touch.".into(),
        (_, Some(s)) => {
            let hot = listed(&|m| m.word != HeatWord::Safe);
            let time = if s >= 90.0 {
                format!("{} min", plain(s / 60.0, 0))
            } else {
                format!("{} s", plain((s / 5.0).ceil() * 5.0, 0))
            };
            // One nozzle alone is what everybody takes it for.
            if metal
                .iter()
                .filter(|m| m.word != HeatWord::Safe)
                .all(|m| m.name == "the nozzle")
            {
                format!("Touch-safe in {time}.")
            } else {
                format!("Touch-safe in {time}: {hot}.")
            }
        }
        _ => {
            let heated: Vec<String> = metal
                .iter()
                .filter(|m| m.heats)
                .map(|m| {
                    if m.target_c > 0.0 {
                        format!("{} to {} °C", m.name, plain(m.target_c, 0))
                    } else {
                        format!("{}, without a target", m.name)
                    }
                })
                .collect();
            let heated: Vec<&str> = heated.iter().map(String::as_str).collect();
            if !heated.is_empty() {
                format!("Heated: {}. Do not touch.{whose}", join_and(&heated))
            } else if worst == HeatWord::Unknown {
                "What the sensors or heaters do can’t be known: treat it as hot.".into()
            } else {
                format!("Do not touch: {}.", listed(&|m| m.word != HeatWord::Safe))
            }
        }
    }
}
