//! Bed loop: does the bed hold its temperature, and which gains its own autotune found.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{autotune_bed, read_back, set_bed_gains, store_settings};
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::plain;
use wattotherm_measure::{Combined, Pen, Unit, Verdict, u_rectangular};

use super::reported::last_named;
use super::set_up::tolerance;
use super::{SetUp, Station};
use crate::caution::SignalWord;
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, Row, Words};
use crate::form::{Field, Form};
use crate::house::ToleranceId;

/// The bed's heater loop.
pub struct BedLoop;

/// How the firmware holds a bed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum BedHeld {
    /// By gains, as the nozzle.
    #[default]
    ByGains,
    /// On below the target, off above it.
    OnOff,
}

/// What is read at the bed.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct BedLoopReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Temperature that the bed is printed on with [°C].
    pub target_c: Entry,
    /// How the firmware holds it.
    pub held: BedHeld,
    /// Lowest shown in ten minutes of holding [°C].
    pub low_c: Entry,
    /// Highest shown in them [°C].
    pub high_c: Entry,
    /// The plate's middle by a thermometer [°C]; blank where it was not measured.
    pub surface_c: Entry,
    /// What the printer reported after its autotune: Kp, Ki, Kd.
    pub report: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What was found of the bed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BedLoopFound {
    target_c: f64,
    held: BedHeld,
    /// Lowest and highest of the hold [°C].
    hold_c: Option<[f64; 2]>,
    /// The plate less the display [K].
    surface_off_k: Option<f64>,
    /// Gains that its autotune found.
    gains: Option<[f64; 3]>,
    /// They are set already, by the last round here.
    set_already: bool,
}

const TARGET: Limit = Limit::new(
    "target_c",
    "bed temperature",
    Unit::Celsius,
    [30.0, 160.0, 40.0, 120.0],
    "beds are used in this range",
);
const LOW: Limit = Limit::new(
    "low_c",
    "lowest in the hold",
    Unit::Celsius,
    [0.0, 200.0, 15.0, 130.0],
    "it lies between the room and the target",
);
const HIGH: Limit = Limit::new(
    "high_c",
    "highest in the hold",
    Unit::Celsius,
    [0.0, 200.0, 25.0, 135.0],
    "it lies near the target",
);
const SURFACE: Limit = Limit::new(
    "surface_c",
    "surface of the plate",
    Unit::Celsius,
    [0.0, 200.0, 20.0, 130.0],
    "a plate is a little cooler than its heater",
);
/// Longest report.
const MOST_CHARS: usize = 20_000;
/// Where nothing is known of the filament [°C]. Common practice, no published source.
const USUAL_BED_C: f64 = 60.0;
/// A bed whose hold stays wholly this far below its target never reaches it [K]. Common practice.
const NEVER_K: f64 = 3.0;
/// A display of whole tenths, or of whole degrees on small ones [K].
const DISPLAY_K: f64 = 0.5;
/// A plate that differs by less from its display is as shown [K]. Common practice.
const SURFACE_K: f64 = 3.0;
/// Bounds of the gains that a printer takes.
const MOST_GAIN: [f64; 3] = [5_000.0, 5_000.0, 50_000.0];

/// The last Kp, Ki and Kd of a report, whatever stands around them.
fn gains_of(report: &str) -> Option<[f64; 3]> {
    let gains = ["kp", "ki", "kd"].map(|name| last_named(report, name));
    let [Some(p), Some(i), Some(d)] = gains else {
        return None;
    };
    let gains = [p, i, d];
    let possible = gains[0] > 0.0 && gains.iter().zip(MOST_GAIN).all(|(g, most)| *g <= most);
    possible.then_some(gains)
}

fn in_words([p, i, d]: [f64; 3]) -> String {
    format!("P {} I {} D {}", plain(p, 2), plain(i, 2), plain(d, 2))
}

impl Station for BedLoop {
    type Readings = BedLoopReadings;
    type Own = BedLoopFound;
    const ID: &'static str = "bed_loop";
    const STAYS: &'static [&'static str] = &["target_c", "held", "report"];

    fn start(context: &Context) -> BedLoopReadings {
        let usual = context
            .filament
            .as_ref()
            .and_then(|f| wattotherm_printer::usual_bed_c(&f.material));
        BedLoopReadings {
            target_c: plain(usual.unwrap_or(USUAL_BED_C), 0).as_str().into(),
            ..BedLoopReadings::default()
        }
    }

    fn form(r: &BedLoopReadings, _: &Context) -> Form {
        Form::default()
            .group(
                "",
                vec![
                    Field::number(&TARGET)
                        .named("Bed, print temperature")
                        .needed(),
                    Field::choice(
                        "held",
                        "The firmware holds it",
                        &[("by_gains", "by gains"), ("on_off", "on and off")],
                    ),
                ],
            )
            .group(
                "Ten minutes of holding, as shown",
                vec![
                    Field::number(&LOW).named("Lowest"),
                    Field::number(&HIGH).named("Highest"),
                    Field::number(&SURFACE).named("Plate, by thermometer"),
                ],
            )
            .large()
            .group(
                "",
                vec![
                    Field::text("report", "Report of the autotune", MOST_CHARS)
                        .hint("Paste it, or type its end: Kp 210.5 Ki 41.2 Kd 715")
                        .when(r.held == BedHeld::ByGains),
                ],
            )
    }

    fn set_up(r: &BedLoopReadings, context: &Context) -> SetUp {
        let pen = context.house.pen;
        let target = r
            .target_c
            .parse(Unit::Celsius)
            .filter(|t| (TARGET.min..=TARGET.max).contains(t));
        let shown = target.map_or_else(
            || "its print temperature".into(),
            |t| pen.plain(t, Unit::Celsius, 0),
        );
        let mut up = SetUp::new(format!("Hold the bed at {shown} for ten minutes and read its lowest and highest."))
            .hint("Wait until it has come to rest: the first swing belongs to the heat-up.")
            .caution(
                SignalWord::Warning,
                "Fire and burns. Stay with it while it heats; keep hands off the plate. A bed on mains voltage and its wiring are for a licensed electrician under the local code.",
            )
            .limit(format!(
                "Highest less lowest: at most {}; twice that where it is switched on and off.",
                tolerance(context, ToleranceId::BedSpreadC, Unit::Kelvin)
            ));
        if r.held == BedHeld::ByGains {
            up = up
                .hint("If it swings more: send the autotune below, wait for its report, paste it.");
            up.commands = target
                .and_then(|t| autotune_bed(t).ok())
                .into_iter()
                .collect();
        }
        up
    }

    /// Formula: range = highest less lowest, each read to ±0.5 K; decided one-sided against the house's limit (twice
    /// it for on-off control).
    /// Source: guard bands by JCGM 106:2012; limits common practice, no published source.
    fn facts(r: &BedLoopReadings, context: &Context) -> Result<Facts<BedLoopFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        super::snapshot::no_longer(&mut intake, "report", &r.report, MOST_CHARS);
        let target_c = intake.need(&TARGET, "target_c", &r.target_c);
        let low = intake.may(&LOW, "low_c", &r.low_c);
        let high = intake.may(&HIGH, "high_c", &r.high_c);
        let surface = intake.may(&SURFACE, "surface_c", &r.surface_c);
        if let (Some(l), Some(h)) = (low, high)
            && l > h
        {
            intake.conflict("low_c", "The lowest is above the highest: swapped?");
        }
        let tunes = r.held == BedHeld::ByGains;
        let gains = gains_of(&r.report).filter(|_| tunes);
        if tunes && !r.report.trim().is_empty() && gains.is_none() {
            intake.conflict(
                "report",
                "No Kp, Ki and Kd of a bed can be read in it. Type them: Kp 210.5 Ki 41.2 Kd 715.",
            );
        }
        if low.is_some() != high.is_some() {
            intake.count(
                if low.is_some() { "high_c" } else { "low_c" },
                "Read both, the lowest and the highest.",
            );
        } else if low.is_none() && gains.is_none() {
            intake.count("low_c", "Read the lowest and the highest of ten minutes.");
        }
        intake.finish()?;
        let target_c = target_c.unwrap_or(USUAL_BED_C);
        let hold_c = low.zip(high).map(|(l, h)| [l, h]);
        let own = BedLoopFound {
            target_c,
            held: r.held,
            hold_c,
            surface_off_k: surface
                .zip(hold_c)
                .map(|(s, [l, h])| s - f64::midpoint(l, h)),
            gains,
            set_already: gains.is_some()
                && gains.map(in_words) == context.previous_gains("report").map(in_words),
        };
        let limit =
            context.house.tolerance(ToleranceId::BedSpreadC) * if tunes { 1.0 } else { 2.0 };
        let mut facts = Facts::new(Self::ID, Unit::Kelvin, Verdict::Pass, own);
        if let Some([low, high]) = hold_c {
            if high < target_c - NEVER_K {
                return Ok(facts.stopped(Cause::NeverReaches));
            }
            let one = u_rectangular(DISPLAY_K).unwrap_or(DISPLAY_K);
            let combined = Combined {
                u: one * std::f64::consts::SQRT_2,
                dof: f64::INFINITY,
            };
            let band = Band::small("range", Unit::Kelvin, high - low, combined, limit);
            facts.verdict = band.verdict;
            facts.bands.push(band);
        }
        // Gains that were found are set, unless the bed holds as it is: then nothing is to be mended.
        let holds = facts.verdict == Verdict::Pass && hold_c.is_some();
        match gains {
            Some(found) if !holds && !facts.own.set_already => {
                facts.verdict = Verdict::Adjust;
                facts.after_text = Some(in_words(found));
                if let Ok(set) = set_bed_gains(found) {
                    facts.commands = vec![set, store_settings(), read_back()];
                }
            }
            Some(_) if hold_c.is_none() => facts.verdict = Verdict::MeasureAgain,
            // Nothing to set yet: another reading, or the autotune.
            _ if facts.verdict == Verdict::Adjust => {
                if facts.own.set_already || !tunes {
                    return Ok(facts.stopped(Cause::BedSwings));
                }
                facts.verdict = Verdict::MeasureAgain;
            }
            _ => {}
        }
        Ok(facts)
    }

    fn words(f: &Facts<BedLoopFound>, pen: Pen) -> Words {
        let own = &f.own;
        let c = |v| pen.plain(v, Unit::Celsius, 1);
        let k = |v: f64| pen.plain(v, Unit::Kelvin, 1);
        let mut w = Words::new("bed loop").with_bands(f, pen, |_| "highest less lowest".into());
        if let Some([low, high]) = own.hold_c {
            w.rows.push(Row::new("lowest", None, Some(c(low))));
            w.rows.push(Row::new("highest", None, Some(c(high))));
        }
        if let Some(off) = own.surface_off_k {
            let side = if off < 0.0 { "cooler" } else { "warmer" };
            w.rows.push(Row::new(
                "plate against display",
                None,
                Some(format!("{} {side}", k(off.abs()))),
            ));
            if off.abs() > SURFACE_K {
                w.reasons.push(format!(
                    "The plate is {} {side} than shown: set the bed by the plate, not by the display.",
                    k(off.abs())
                ));
            }
        }
        if let Some(gains) = own.gains {
            w.rows.push(Row::new(
                "gains of the autotune",
                None,
                Some(in_words(gains)),
            ));
        }
        let at = pen.plain(own.target_c, Unit::Celsius, 0);
        let swing = w
            .bands
            .first()
            .map_or_else(String::new, |b| b.measured.clone());
        match (f.cause, f.verdict) {
            (Some(Cause::NeverReaches), _) => w.stop(
                &format!("the bed never comes to {at}"),
                "Fire. A weak heater, a loose terminal or a thin wire gets hot where nobody looks. Off and unplugged; look for brown plugs, measure the heater cold, ask whether the supply bears it.",
            ),
            (Some(_), _) => w.stop(
                &format!("the bed swings by {swing}, and no gains are left to set"),
                "Look whether its sensor sits tight under the plate, and whether a relay or a fan breaks in.",
            ),
            (None, Verdict::Pass) => w.say(
                format!("Pass: the bed holds {at} within {swing}."),
                "Inside the limit. Its gains stay.",
                format!("holds {at} within {swing}"),
                "Go on.",
            ),
            (None, Verdict::Adjust) => {
                let gains = f.after_text.clone().unwrap_or_default();
                w.say(
                    format!("Adjust: bed {gains}."),
                    "Set, store, read back. Then hold it again for ten minutes.",
                    format!("set to {gains}"),
                    "Set the gains, then hold and read again.",
                )
            }
            _ if own.hold_c.is_none() => {
                w.settle = vec!["ten minutes of holding with the new gains".into()];
                w.say(
                    "Measure again: the gains are set, and nobody saw them hold.",
                    "Hold the bed for ten minutes; read its lowest and highest.",
                    "gains set, not seen to hold",
                    "Hold the bed and read.",
                )
            }
            _ if f.bands.iter().any(|b| b.verdict == Verdict::Adjust) => {
                w.settle = vec!["the autotune’s report, pasted below".into()];
                w.say(
                    format!("Measure again: the bed swings by {swing}, more than the limit."),
                    "Its gains don’t hold it. Run its autotune at this temperature.",
                    format!("swings by {swing}"),
                    "Run the bed’s autotune and paste its report.",
                )
            }
            _ => w
                .unsettled(
                    vec!["the autotune’s report, pasted below".into(), "ten more minutes of holding".into()],
                    "the bed",
                )
                .headed(
                    format!("Measure again: the bed swings by {swing}."),
                    format!("swings by {swing}, not settled"),
                    "Run the bed’s autotune and paste its report, or hold it again.",
                ),
        }
    }
}

impl Context {
    /// Gains of the report that was typed under `name` in the last round of this job.
    fn previous_gains(&self, name: &str) -> Option<[f64; 3]> {
        self.previous
            .as_ref()?
            .get(name)?
            .as_str()
            .and_then(gains_of)
    }
}

#[cfg(test)]
mod tests {
    use super::gains_of;

    #[test]
    fn gains_are_read_whatever_stands_around_them() {
        let long = "bias: 92 d: 92 min: 59.6 max: 60.3\n Kp: 100.0 Ki: 9.1 Kd: 300\nfinished!\n#define bed_Kp 210.56\n#define bed_Ki 41.2\n#define bed_Kd 715.";
        assert_eq!(gains_of(long), Some([210.56, 41.2, 715.0]));
        assert_eq!(gains_of("kp=12 ki=0 kd=0.5"), Some([12.0, 0.0, 0.5]));
        for none in [
            "",
            "Kp 12 Ki 3",
            "Kp 0 Ki 1 Kd 1",
            "Kp 9999 Ki 1 Kd 1",
            "Kp x Ki y Kd z",
        ] {
            assert_eq!(gains_of(none), None, "{none}");
        }
    }
}
