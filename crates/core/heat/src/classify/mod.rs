//! What a temperature log shows: the loop, the sensor, the heater, or the fan?

mod fact;
mod hold;
mod in_print;
mod segments;
mod strays;
mod swing;
mod words;

pub use fact::TraceFact;
pub use in_print::alarms_in_print;
pub use segments::SegmentKind;
pub(crate) use strays::noise;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::Heater;
use wattotherm_measure::Pen;

use super::model::Plant;
use super::trace::{Sample, Trace};
use segments::{Piece, pieces};
use strays::{Reach, Stray, strays};

/// What a log shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TraceClass {
    /// Holds its target.
    Steady,
    /// Swings about its target at a rate the block can follow: the loop.
    LoopSwinging,
    /// Changes faster than the block can: sensor or wiring.
    SensorIntermittent,
    /// Pinned at an end of the table: open circuit or short.
    OpenOrShort,
    /// Full duty, and the temperature falls.
    HeaterFailing,
    /// Sags while the part fan blows, and comes back after.
    FanStealingHeat,
    /// Full duty, and the temperature levels off below the target.
    NeverReaching,
    /// Holds still, beside its target and not at full duty.
    Offset,
    /// Scatters about its target without a beat: the reading is noisy.
    Noisy,
    /// Wanders off slowly.
    Drifting,
    /// Needs more and more duty for the same temperature.
    LossGrew,
    /// Strays, and the log doesn't show from what.
    CannotSay,
    /// No stretch long enough to judge.
    TooShort,
}

impl TraceClass {
    /// The class in a few words.
    #[must_use]
    pub const fn label(self) -> &'static str {
        match self {
            Self::Steady => "steady",
            Self::LoopSwinging => "the loop swings",
            Self::SensorIntermittent => "sensor or wiring: faster than heat can",
            Self::OpenOrShort => "sensor open or short",
            Self::HeaterFailing => "heater failing",
            Self::FanStealingHeat => "the part fan steals heat",
            Self::NeverReaching => "never reaches its target",
            Self::Offset => "holds still, beside its target",
            Self::Noisy => "the reading is noisy",
            Self::Drifting => "it drifts",
            Self::LossGrew => "it loses more heat than before",
            Self::CannotSay => "strays, from what can’t be said",
            Self::TooShort => "too short to judge",
        }
    }

    /// Whether tuning is no answer: a part is at fault.
    #[must_use]
    pub const fn is_fault(self) -> bool {
        matches!(
            self,
            Self::SensorIntermittent
                | Self::OpenOrShort
                | Self::HeaterFailing
                | Self::NeverReaching
        )
    }

    /// Whether gains are the answer: only where the loop itself was seen to swing.
    #[must_use]
    pub const fn is_the_loop(self) -> bool {
        matches!(self, Self::LoopSwinging)
    }

    /// How much it matters beside the other pieces of a log; the most is the log's.
    const fn weight(self) -> u8 {
        match self {
            Self::OpenOrShort => 12,
            Self::SensorIntermittent => 11,
            Self::HeaterFailing => 10,
            Self::NeverReaching => 9,
            Self::FanStealingHeat => 8,
            Self::LoopSwinging => 7,
            Self::LossGrew => 6,
            Self::Drifting => 5,
            Self::Offset => 4,
            Self::Noisy => 3,
            Self::CannotSay => 2,
            Self::Steady => 1,
            Self::TooShort => 0,
        }
    }
}

/// How fast a hot end can change at all.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PhysicalLimits {
    /// Fastest rise [°C/s].
    pub heat_c_s: f64,
    /// Time constant of the fastest cooling, part fan at full [s]: it falls by (T − Tair)/τ at most.
    pub cool_tau_s: f64,
    /// Air [°C].
    pub ambient_c: f64,
}

impl Default for PhysicalLimits {
    /// For any hot end: 20 °C/s up (120 W on 6 J/K), τ of 15 s down (6 J/K losing 0.4 W/K in a strong
    /// draught). Common practice, no published source; wide on purpose, for use where a log shows neither
    /// how its own block heats nor how it cools.
    fn default() -> Self {
        Self {
            heat_c_s: 20.0,
            cool_tau_s: 15.0,
            ambient_c: 22.0,
        }
    }
}

impl PhysicalLimits {
    /// For any bed or chamber: 5 °C/s up (300 W on 60 J/K), τ of 60 s down. Common practice, no published
    /// source; wide on purpose.
    #[must_use]
    pub fn of_a_bed() -> Self {
        Self {
            heat_c_s: 5.0,
            cool_tau_s: 60.0,
            ..Self::default()
        }
    }

    /// For an identified plant: rise (K − (T − Tamb))/τ at the bottom, fall with losses tripled by
    /// the fan; both with half as much again to spare.
    #[must_use]
    pub fn of(plant: &Plant) -> Self {
        let any = Self::default();
        Self {
            heat_c_s: (1.5 * plant.gain_c / plant.tau_s).min(any.heat_c_s),
            cool_tau_s: (plant.tau_s / 4.5).max(any.cool_tau_s),
            ..any
        }
    }
}

/// A stretch of the log that the class rests on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Mark {
    /// From [s].
    pub from_s: f64,
    /// To [s].
    pub to_s: f64,
    /// What is there; none in a log that an earlier version read.
    #[serde(default)]
    pub shows: Option<TraceFact>,
    /// The same in words.
    pub says: String,
}

impl Mark {
    fn new(from_s: f64, to_s: f64, shows: TraceFact) -> Self {
        Self {
            from_s,
            to_s,
            shows: Some(shows),
            says: String::new(),
        }
    }
}

/// What was made of a log.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TraceReading {
    /// Whose log it is.
    #[serde(default = "first_nozzle")]
    pub heater: Heater,
    /// The class.
    pub class: TraceClass,
    /// What the class rests on; nothing in a log that an earlier version read.
    #[serde(default)]
    pub facts: Vec<TraceFact>,
    /// In words: what it is, one sentence.
    pub headline: String,
    /// In words: what to do about it.
    pub advice: String,
    /// In words: the facts, one a sentence.
    pub evidence: Vec<String>,
    /// Offending stretches.
    pub marks: Vec<Mark>,
    /// Target it was judged by [°C].
    pub target_c: Option<f64>,
    /// Mean at the target [°C].
    pub mean_c: Option<f64>,
    /// Peak to peak at the target [°C].
    pub swing_c: Option<f64>,
    /// Period of a swing [s].
    pub period_s: Option<f64>,
    /// The pieces of the log, each judged by itself.
    #[serde(default)]
    pub segments: Vec<SegmentReading>,
}

const fn first_nozzle() -> Heater {
    Heater::Tool(0)
}

/// A piece of a log and what it shows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SegmentReading {
    /// What it is.
    pub kind: SegmentKind,
    /// From [s].
    pub from_s: f64,
    /// To [s].
    pub to_s: f64,
    /// Its target [°C]; none where the heater is off or the log has no targets.
    pub target_c: Option<f64>,
    /// What it shows.
    pub class: TraceClass,
    /// The same in a few words.
    pub label: String,
    /// Mean [°C], where it is held.
    pub mean_c: Option<f64>,
    /// Peak to peak [°C], where it is held.
    pub swing_c: Option<f64>,
}

/// Marks listed at most; a loose wire makes hundreds.
const MOST_MARKS: usize = 40;

/// Reads a log's class. `limits` say how fast this hot end can change where the log itself doesn't.
///
/// The log is cut by its targets, and each piece is judged by itself; what weighs most is the log's. Order of
/// the questions: is the reading pinned; can this block do that; is the heater at full and losing; does it
/// level off below its target; and only in a hold: does it swing to a beat, sag under the fan, lose more than
/// before, drift, hold beside its target, or only scatter. Each class needs evidence of its own, and nothing but a
/// swing of the loop itself leads to tuning.
/// Source: section 3 of the method notes; common practice, no published source.
#[must_use]
pub fn read_class(trace: &Trace, limits: &PhysicalLimits) -> TraceReading {
    let mut reading = TraceReading {
        heater: first_nozzle(),
        class: TraceClass::TooShort,
        facts: Vec::new(),
        headline: String::new(),
        advice: String::new(),
        evidence: Vec::new(),
        marks: Vec::new(),
        target_c: trace.main_target_c(),
        mean_c: None,
        swing_c: None,
        period_s: None,
        segments: Vec::new(),
    };
    if trace.samples.len() >= 5 {
        let samples = spread_bunches(&trace.samples, trace.period_s());
        classify(&samples, trace.period_s(), limits, &mut reading);
    }
    reading.worded(Pen::METRIC)
}

/// Reads the class of another heater's log: a bed and a chamber are slow, and have advice of their own.
#[must_use]
pub fn read_class_of(heater: Heater, trace: &Trace) -> TraceReading {
    let limits = match heater {
        Heater::Tool(_) => PhysicalLimits::default(),
        Heater::Bed | Heater::Chamber => PhysicalLimits::of_a_bed(),
    };
    let reading = TraceReading {
        heater,
        ..read_class(trace, &limits)
    };
    reading.worded(Pen::METRIC)
}

/// Lines that were written at once after a silence get back the times at which they were reported: a program
/// that slept stamps them all when it wakes.
fn spread_bunches(samples: &[Sample], usual_s: f64) -> Vec<Sample> {
    let mut out = samples.to_vec();
    let mut i = 1;
    while i + 1 < out.len() {
        let silent = samples[i].t_s - samples[i - 1].t_s > 1.8 * usual_s;
        let mut end = i;
        while end + 1 < samples.len() && samples[end + 1].t_s - samples[end].t_s < 0.3 * usual_s {
            end += 1;
        }
        if silent && end > i {
            let (from, to) = (samples[i - 1].t_s, samples[end].t_s);
            let n = end - i + 1;
            for (k, s) in out[i..=end].iter_mut().enumerate() {
                // OK because a bunch is short.
                #[allow(clippy::cast_precision_loss)]
                let part = (k + 1) as f64 / n as f64;
                s.t_s = from + (to - from) * part;
            }
        }
        i = end + 1;
    }
    out
}

fn classify(samples: &[Sample], usual_s: f64, limits: &PhysicalLimits, reading: &mut TraceReading) {
    let pieces = pieces(samples);
    let reach = Reach::of(samples, &pieces, limits);
    for p in &pieces {
        judge(samples, p, reading);
    }
    // A wire that breaks for good is open or short; one that comes and goes is intermittent.
    if let Some(mark) = pinned(samples) {
        over_all(reading, TraceClass::OpenOrShort, mark);
        return;
    }
    let jumps = strays(samples, &reach, usual_s);
    if jumps.len() >= 2 || jumps.iter().any(|j| j.over >= 15.0) {
        intermittent(samples, &jumps, &reach, reading);
        return;
    }
    if let [Stray { at: i, .. }] = jumps[..] {
        reading.facts.push(TraceFact::OneStray {
            at_s: samples[i].t_s,
            temp_c: samples[i].temp_c,
        });
    }
}

/// What is found of the whole log stands before what its pieces show.
fn over_all(reading: &mut TraceReading, class: TraceClass, mark: Mark) {
    reading.class = class;
    reading.facts = mark.shows.iter().cloned().collect();
    reading.marks = vec![mark];
}

fn intermittent(samples: &[Sample], jumps: &[Stray], reach: &Reach, reading: &mut TraceReading) {
    reading.class = TraceClass::SensorIntermittent;
    reading.facts.clear();
    if let Some(j) = jumps.iter().max_by(|a, b| a.over.total_cmp(&b.over)) {
        let (a, b) = (samples[j.at - 1], samples[j.at]);
        let (from_c, to_c) = (a.temp_c, b.temp_c);
        reading.facts.push(if j.back {
            TraceFact::Spike {
                from_c,
                to_c,
                back_c: samples[(j.at + 1).min(samples.len() - 1)].temp_c,
            }
        } else {
            TraceFact::Jump {
                from_c,
                to_c,
                within_s: b.t_s - a.t_s,
                could_c: j.could,
                over_c: j.over,
                own: reach.own,
            }
        });
    }
    reading.facts.push(TraceFact::OutOfReach {
        samples: jumps.len(),
        of: samples.len(),
    });
    reading.marks = jumps
        .iter()
        .take(MOST_MARKS)
        .map(|j| {
            let (a, b) = (samples[j.at - 1], samples[j.at]);
            Mark::new(
                a.t_s,
                b.t_s,
                TraceFact::Step {
                    from_c: a.temp_c,
                    to_c: b.temp_c,
                },
            )
        })
        .collect();
}

/// Judges one piece, and lets it speak for the log where it weighs more than those before it.
fn judge(samples: &[Sample], piece: &Piece, reading: &mut TraceReading) {
    let part = &samples[piece.from..piece.to];
    let mut own = hold::Judged::new(TraceClass::TooShort);
    match piece.kind {
        // Off, or on the way down: nothing is asked of the loop there.
        SegmentKind::Pause | SegmentKind::CoolDown => {}
        SegmentKind::HeatUp => {
            if let Some(judged) = heat_lost(part) {
                own = judged;
            }
        }
        SegmentKind::Hold | SegmentKind::Standby => {
            own = heat_lost(part).unwrap_or_else(|| hold::judge(part, piece.target_c));
        }
    }
    reading.segments.push(SegmentReading {
        kind: piece.kind,
        from_s: part[0].t_s,
        to_s: part[part.len() - 1].t_s,
        target_c: piece.target_c,
        class: own.class,
        label: own.class.label().into(),
        mean_c: own.mean_c,
        swing_c: own.swing_c,
    });
    if own.class.weight() > reading.class.weight()
        || (own.class == reading.class && reading.mean_c.is_none() && own.mean_c.is_some())
    {
        reading.class = own.class;
        reading.facts = own.facts;
        reading.marks = own.marks;
        reading.target_c = piece.target_c.or(reading.target_c);
        reading.mean_c = own.mean_c;
        reading.swing_c = own.swing_c;
        reading.period_s = own.period_s;
    }
}

/// A fall at full duty that comes back within this time may be a draught [s].
const SHORT_FALL_S: f64 = 60.0;

/// Full duty, and it falls: the heater, or what blows on it.
fn heat_lost(part: &[Sample]) -> Option<hold::Judged> {
    let mark = losing_at_full(part)?;
    let blown = mean_fan(part, mark.from_s, mark.to_s) > 0.2;
    // An open door takes heat for half a minute and gives it back: that is no heater that fails.
    let top = part.iter().find(|s| s.t_s >= mark.from_s)?.temp_c;
    let back = part
        .iter()
        .any(|s| s.t_s > mark.to_s && s.temp_c >= top - 3.0);
    if back && !blown && mark.to_s - mark.from_s < SHORT_FALL_S {
        return None;
    }
    let mut own = hold::Judged::new(if blown {
        TraceClass::FanStealingHeat
    } else {
        TraceClass::HeaterFailing
    });
    own.rests_on(mark);
    Some(own)
}

/// Readings at or below this are an open circuit with a glass bead [°C].
const BOTTOM_C: f64 = 1.0;
/// Readings from this on can be the top of a table [°C].
const TOP_C: f64 = 300.0;
/// So still is no reading of a sensor that is connected [°C].
const DEAD_C: f64 = 0.11;

/// A stretch in which the reading stands still at an end of its table, and not where the heater would have it.
///
/// The bottom counts only where it is cold for no other reason: the heater asks for heat, or it came there at a
/// jump. The top counts only away from the target: a hot end that holds 360 °C is no short.
fn pinned(samples: &[Sample]) -> Option<Mark> {
    let mut best: Option<(usize, usize)> = None;
    let mut from = 0;
    for i in 1..=samples.len() {
        let still = i < samples.len() && (samples[i].temp_c - samples[from].temp_c).abs() <= DEAD_C;
        if still {
            continue;
        }
        let (a, b) = (&samples[from], &samples[i - 1]);
        let asked = samples[from..i]
            .iter()
            .any(|s| s.target_c.is_some_and(|t| t > 40.0));
        let jumped = from > 0 && (samples[from - 1].temp_c - a.temp_c).abs() > 15.0;
        let away = a.target_c.is_none_or(|t| (t - a.temp_c).abs() > 20.0);
        let end = (a.temp_c <= BOTTOM_C && (asked || jumped))
            || (a.temp_c >= TOP_C && away && jumped)
            || (a.temp_c >= TOP_C && a.target_c.is_some_and(|t| t < a.temp_c - 60.0));
        // Gone for good, or for long: short breaks are an intermittent contact.
        let span = b.t_s - a.t_s;
        let lasting = span >= 5.0 && (i == samples.len() || span >= 20.0);
        if end && lasting && best.is_none_or(|(x, y)| span > samples[y].t_s - samples[x].t_s) {
            best = Some((from, i - 1));
        }
        from = i;
    }
    let (a, b) = best?;
    Some(Mark::new(
        samples[a].t_s,
        samples[b].t_s,
        TraceFact::Pinned {
            at_c: samples[a].temp_c,
            span_s: samples[b].t_s - samples[a].t_s,
            open: samples[a].temp_c <= BOTTOM_C,
        },
    ))
}

/// Means over some five seconds about each sample [°C], so that noise neither falls nor rises.
fn smoothed(samples: &[Sample]) -> Vec<f64> {
    let (mut a, mut b) = (0, 0);
    let mut sum = 0.0;
    samples
        .iter()
        .map(|s| {
            while b < samples.len() && samples[b].t_s <= s.t_s + 2.5 {
                sum += samples[b].temp_c;
                b += 1;
            }
            while samples[a].t_s < s.t_s - 2.5 {
                sum -= samples[a].temp_c;
                a += 1;
            }
            // OK because a window has far fewer than 2^52 samples.
            #[allow(clippy::cast_precision_loss)]
            let n = (b - a) as f64;
            sum / n
        })
        .collect()
}

/// A stretch of 25 s or more at full duty over which the temperature falls by 4 °C or more.
fn losing_at_full(samples: &[Sample]) -> Option<Mark> {
    let full = |s: &Sample| s.duty.is_some_and(|d| d >= 0.95);
    if !samples.iter().any(full) {
        return None;
    }
    let calm = smoothed(samples);
    let mut from: Option<usize> = None;
    let mut highest = 0;
    for (i, s) in samples.iter().enumerate() {
        if !full(s) {
            from = None;
            continue;
        }
        if from.is_none() {
            from = Some(i);
            highest = i;
        }
        if calm[i] > calm[highest] {
            highest = i;
        }
        // From the highest point on, so that a heat-up before it doesn't hide the fall.
        if s.t_s - samples[highest].t_s >= 25.0 && calm[highest] - calm[i] >= 4.0 {
            let mut end = i;
            while end + 1 < samples.len()
                && full(&samples[end + 1])
                && calm[end + 1] <= calm[end] + 0.5
            {
                end += 1;
            }
            let (top, last) = (&samples[highest], &samples[end]);
            return Some(Mark::new(
                top.t_s,
                last.t_s,
                TraceFact::Losing {
                    span_s: last.t_s - top.t_s,
                    from_c: calm[highest],
                    to_c: calm[end],
                },
            ));
        }
    }
    None
}

fn mean_fan(samples: &[Sample], from_s: f64, to_s: f64) -> f64 {
    let (mut sum, mut n) = (0.0, 0.0_f64);
    for f in samples
        .iter()
        .filter(|s| s.t_s >= from_s && s.t_s <= to_s)
        .filter_map(|s| s.fan)
    {
        sum += f;
        n += 1.0;
    }
    sum / n.max(1.0)
}
