//! What a temperature log shows: the loop, the sensor, the heater, or the fan?

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::text::{fixed, plain};

use super::figures::SETTLE_BAND_C;
use super::model::Plant;
use super::trace::{Sample, Trace};

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
            Self::SensorIntermittent => "sensor or wiring: faster than the block can",
            Self::OpenOrShort => "sensor open or short",
            Self::HeaterFailing => "heater failing",
            Self::FanStealingHeat => "the part fan steals heat",
            Self::NeverReaching => "never reaches its target",
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
    /// For any hot end: 12 °C/s up (100 W on 8 J/K), τ of 25 s down (8 J/K losing 0.32 W/K in a
    /// strong draught). Common practice, no published source; wide on purpose.
    fn default() -> Self {
        Self {
            heat_c_s: 12.0,
            cool_tau_s: 25.0,
            ambient_c: 22.0,
        }
    }
}

impl PhysicalLimits {
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
    /// What is there, with its numbers.
    pub says: String,
}

/// What was made of a log.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TraceReading {
    /// The class.
    pub class: TraceClass,
    /// What it is, one sentence.
    pub headline: String,
    /// What to do about it.
    pub advice: String,
    /// Numbers it rests on, one a sentence.
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
}

/// Marks listed at most; a loose wire makes hundreds.
const MOST_MARKS: usize = 40;

/// Reads a log's class. `limits` say how fast this hot end can change.
///
/// Order of the questions: is the reading pinned; can the block do this; is the heater at full and
/// losing; does it never get there; does the fan take it down; does it swing. A later question is
/// only asked if the earlier ones are answered no: a broken sensor makes every other class lie.
/// Source: section 3 of the method notes; common practice, no published source.
#[must_use]
pub fn read_class(trace: &Trace, limits: &PhysicalLimits) -> TraceReading {
    let samples = &trace.samples;
    let target = trace.main_target_c();
    let mut reading = TraceReading {
        class: TraceClass::TooShort,
        headline: String::new(),
        advice: String::new(),
        evidence: Vec::new(),
        marks: Vec::new(),
        target_c: target,
        mean_c: None,
        swing_c: None,
        period_s: None,
    };
    if samples.len() >= 5 {
        classify(samples, trace, limits, target, &mut reading);
    }
    let class = reading.class;
    (reading.headline, reading.advice) = words(class, &reading);
    reading
}

fn classify(
    samples: &[Sample],
    trace: &Trace,
    limits: &PhysicalLimits,
    target: Option<f64>,
    reading: &mut TraceReading,
) {
    let pinned = pinned(samples);
    let jumps = impossible(samples, limits);
    // A wire that breaks for good is open or short; one that comes and goes is intermittent.
    if let Some(mark) = pinned {
        reading.class = TraceClass::OpenOrShort;
        reading.evidence.push(mark.says.clone());
        reading.marks.push(mark);
        return;
    }
    if jumps.len() >= 2 || jumps.iter().any(|j| j.2 >= 12.0) {
        reading.class = TraceClass::SensorIntermittent;
        let worst = jumps.iter().max_by(|a, b| a.2.total_cmp(&b.2));
        if let Some((i, allowed, over)) = worst {
            let (a, b) = (samples[i - 1], samples[*i]);
            reading.evidence.push(format!(
                "{} → {} °C within {} s; this block can change by {} °C in that time at most ({} °C too much).",
                fixed(a.temp_c, 1), fixed(b.temp_c, 1), plain(b.t_s - a.t_s, 2), fixed(*allowed, 1), fixed(*over, 1)
            ));
        }
        reading.evidence.push(format!(
            "{} of {} samples are out of reach.",
            jumps.len(),
            samples.len()
        ));
        reading.marks = jumps
            .iter()
            .take(MOST_MARKS)
            .map(|(i, ..)| Mark {
                from_s: samples[i - 1].t_s,
                to_s: samples[*i].t_s,
                says: format!(
                    "{} → {} °C",
                    fixed(samples[i - 1].temp_c, 1),
                    fixed(samples[*i].temp_c, 1)
                ),
            })
            .collect();
        return;
    }
    if let Some(mark) = losing_at_full(samples) {
        let blown = mean_fan(samples, mark.from_s, mark.to_s) > 0.2;
        reading.class = if blown {
            TraceClass::FanStealingHeat
        } else {
            TraceClass::HeaterFailing
        };
        reading.evidence.push(mark.says.clone());
        reading.marks.push(mark);
        return;
    }
    let Some(target) = target else { return };
    if let Some(mark) = never_there(samples, target) {
        reading.class = TraceClass::NeverReaching;
        reading.evidence.push(mark.says.clone());
        reading.marks.push(mark);
        return;
    }
    hold(trace, target, reading);
}

/// A stretch of 5 s or more at an end of the table.
fn pinned(samples: &[Sample]) -> Option<Mark> {
    let at_end = |t: f64| t <= 1.0 || t >= 345.0;
    let mut from: Option<usize> = None;
    let mut best: Option<(usize, usize)> = None;
    for (i, s) in samples.iter().enumerate() {
        if at_end(s.temp_c) {
            let start = *from.get_or_insert(i);
            if best
                .is_none_or(|(a, b)| s.t_s - samples[start].t_s > samples[b].t_s - samples[a].t_s)
            {
                best = Some((start, i));
            }
        } else {
            from = None;
        }
    }
    let (a, b) = best?;
    let span = samples[b].t_s - samples[a].t_s;
    // Gone for good, or for long: short breaks are an intermittent contact.
    let lasting = span >= 5.0 && (b + 1 == samples.len() || span >= 20.0);
    lasting.then(|| Mark {
        from_s: samples[a].t_s,
        to_s: samples[b].t_s,
        says: format!(
            "{} °C without a change for {} s: {}.",
            fixed(samples[a].temp_c, 1),
            plain(span, 0),
            if samples[a].temp_c <= 1.0 {
                "the bottom of the table, an open circuit with a glass bead"
            } else {
                "the top of the table, a short with a glass bead"
            }
        ),
    })
}

/// Samples whose change is more than the block can do: (index, allowed, excess) [°C].
fn impossible(samples: &[Sample], limits: &PhysicalLimits) -> Vec<(usize, f64, f64)> {
    // Allow for the reading's own steps and noise: the usual change from sample to sample.
    let mut changes: Vec<f64> = samples
        .windows(2)
        .map(|w| (w[1].temp_c - w[0].temp_c).abs())
        .collect();
    let middle = changes.len() / 2;
    let (_, median, _) = changes.select_nth_unstable_by(middle, f64::total_cmp);
    let slack = 1.5 + 3.0 * median.min(1.0);
    samples
        .windows(2)
        .enumerate()
        .filter_map(|(i, w)| {
            let (a, b) = (w[0], w[1]);
            let dt = b.t_s - a.t_s;
            // A pause in the log says nothing about rates.
            if dt > 5.0 {
                return None;
            }
            let change = b.temp_c - a.temp_c;
            let allowed = if change > 0.0 {
                limits.heat_c_s * dt
            } else {
                (a.temp_c - limits.ambient_c).max(20.0) / limits.cool_tau_s * dt
            } + slack;
            (change.abs() > allowed).then(|| (i + 1, allowed, change.abs() - allowed))
        })
        .collect()
}

/// A stretch of 25 s or more at full duty over which the temperature falls by 4 °C or more.
fn losing_at_full(samples: &[Sample]) -> Option<Mark> {
    let full = |s: &Sample| s.duty.is_some_and(|d| d >= 0.95);
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
        if s.temp_c > samples[highest].temp_c {
            highest = i;
        }
        let top = &samples[highest];
        // From the highest point on, so that a heat-up before it doesn't hide the fall.
        if s.t_s - top.t_s >= 25.0 && top.temp_c - s.temp_c >= 4.0 {
            let mut end = i;
            while end + 1 < samples.len()
                && full(&samples[end + 1])
                && samples[end + 1].temp_c <= samples[end].temp_c + 0.5
            {
                end += 1;
            }
            let e = &samples[end];
            return Some(Mark {
                from_s: top.t_s,
                to_s: e.t_s,
                says: format!(
                    "Full duty for {} s while the temperature fell from {} to {} °C.",
                    plain(e.t_s - top.t_s, 0),
                    fixed(top.temp_c, 1),
                    fixed(e.temp_c, 1)
                ),
            });
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

/// A last 60 s of full duty in which it rises by less than 2 °C, more than 5 °C below the target.
fn never_there(samples: &[Sample], target: f64) -> Option<Mark> {
    let highest = samples
        .iter()
        .map(|s| s.temp_c)
        .fold(f64::NEG_INFINITY, f64::max);
    let last = samples.last()?;
    if highest >= target - 5.0 {
        return None;
    }
    let tail: Vec<_> = samples
        .iter()
        .filter(|s| s.t_s >= last.t_s - 60.0)
        .collect();
    let first = tail.first()?;
    let all_full = tail.iter().all(|s| s.duty.is_some_and(|d| d >= 0.95));
    let rise = last.temp_c - first.temp_c;
    (last.t_s - first.t_s >= 50.0 && all_full && rise < 2.0).then(|| Mark {
        from_s: first.t_s,
        to_s: last.t_s,
        says: format!(
            "Full duty for the last {} s, and only {} °C more: it levels off at {} °C, {} °C below the target.",
            plain(last.t_s - first.t_s, 0), fixed(rise, 1), fixed(last.temp_c, 1), fixed(target - last.temp_c, 0)
        ),
    })
}

/// Steady, swinging, or taken down by the fan.
fn hold(trace: &Trace, target: f64, reading: &mut TraceReading) {
    let at_target = |s: &&Sample| s.target_c.is_none_or(|t| (t - target).abs() < 0.5);
    let Some(arrived) = trace
        .samples
        .iter()
        .filter(at_target)
        .find(|s| (s.temp_c - target).abs() <= 3.0)
        .map(|s| s.t_s)
    else {
        return;
    };
    // Half a minute to settle after arriving.
    let part: Vec<Sample> = trace
        .samples
        .iter()
        .filter(at_target)
        .filter(|s| s.t_s >= arrived + 30.0)
        .copied()
        .collect();
    let (Some(first), Some(last)) = (part.first(), part.last()) else {
        return;
    };
    if last.t_s - first.t_s < 30.0 || part.len() < 10 {
        return;
    }
    #[allow(clippy::cast_precision_loss)]
    let n = part.len() as f64;
    let mean = part.iter().map(|s| s.temp_c).sum::<f64>() / n;
    let (low, high) = part
        .iter()
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), s| {
            (l.min(s.temp_c), h.max(s.temp_c))
        });
    reading.mean_c = Some(mean);
    reading.swing_c = Some(high - low);
    reading.evidence.push(format!(
        "Mean {} °C against {} °C, {} to {} °C over {} s.",
        fixed(mean, 1),
        plain(target, 1),
        fixed(low, 1),
        fixed(high, 1),
        plain(last.t_s - first.t_s, 0)
    ));
    if (low - target).abs() <= SETTLE_BAND_C && (high - target).abs() <= SETTLE_BAND_C {
        reading.class = TraceClass::Steady;
        return;
    }
    if let Some(mark) = fan_dip(&part, target) {
        reading.class = TraceClass::FanStealingHeat;
        reading.evidence.push(mark.says.clone());
        reading.marks.push(mark);
        return;
    }
    // Swings: upward crossings of the mean, with a dead band against noise.
    let half = (high - low) / 2.0;
    let mut below = false;
    let mut ups = Vec::new();
    for s in &part {
        if s.temp_c < mean - 0.3 * half {
            below = true;
        } else if below && s.temp_c > mean + 0.3 * half {
            below = false;
            ups.push(s.t_s);
        }
    }
    let gaps: Vec<f64> = ups.windows(2).map(|w| w[1] - w[0]).collect();
    reading.class = TraceClass::LoopSwinging;
    if gaps.len() >= 2 {
        #[allow(clippy::cast_precision_loss)]
        let m = gaps.len() as f64;
        let period = gaps.iter().sum::<f64>() / m;
        let sd = (gaps.iter().map(|g| (g - period).powi(2)).sum::<f64>() / m).sqrt();
        reading.period_s = Some(period);
        reading.evidence.push(format!(
            "{} swings of ±{} °C, one every {} s ({}), at rates the block can follow.",
            gaps.len(),
            fixed(half, 1),
            plain(period, 0),
            if sd < 0.35 * period {
                "regular"
            } else {
                "irregular"
            }
        ));
    } else {
        reading.evidence.push(format!(
            "It strays by up to {} °C, slowly enough for the block.",
            fixed((high - target).abs().max((low - target).abs()), 1)
        ));
    }
}

/// A dip that comes with the fan and goes with it.
fn fan_dip(part: &[Sample], target: f64) -> Option<Mark> {
    let blown: Vec<_> = part
        .iter()
        .filter(|s| s.fan.is_some_and(|f| f > 0.2))
        .collect();
    let still: Vec<_> = part
        .iter()
        .filter(|s| s.fan.is_some_and(|f| f <= 0.2))
        .collect();
    let (first, last) = (blown.first()?, blown.last()?);
    let worst = blown.iter().map(|s| target - s.temp_c).fold(0.0, f64::max);
    let calm = still
        .iter()
        .filter(|s| s.t_s < first.t_s)
        .map(|s| (s.temp_c - target).abs())
        .fold(0.0, f64::max);
    (worst > SETTLE_BAND_C && worst > 2.0 * calm).then(|| Mark {
        from_s: first.t_s,
        to_s: last.t_s,
        says: format!(
            "{} °C below the target while the part fan blows, within {} °C before it.",
            fixed(worst, 1),
            fixed(calm, 1)
        ),
    })
}

fn words(class: TraceClass, reading: &TraceReading) -> (String, String) {
    let (headline, advice): (String, &str) = match class {
        TraceClass::Steady => ("Steady: the loop holds.".into(), "Leave the loop alone."),
        TraceClass::LoopSwinging => (
            format!(
                "The loop swings{}.",
                reading.swing_c.map_or(String::new(), |s| format!(
                    " by {} °C peak to peak",
                    fixed(s, 1)
                ))
            ),
            "The block can do this, so it is the loop: tune it.",
        ),
        TraceClass::SensorIntermittent => (
            "Sensor or wiring: the block can't change that fast.".into(),
            "Don't tune. Power off and unplug; wiggle-test the plug, then the wire along the moving loom, then the sensor in its hole. Replace what breaks.",
        ),
        TraceClass::OpenOrShort => (
            "Sensor open or short: the reading is pinned at the end of its table.".into(),
            "Don't tune and don't change the sensor type. Check the plug, then the wire, then the sensor. If you changed a setting while looking, set it back.",
        ),
        TraceClass::HeaterFailing => (
            "Heater failing: full duty, and the temperature falls.".into(),
            "Don't tune. Power off and unplug; measure the heater's resistance cold, look at its plug and screw terminal for heat marks, and feel whether it is loose in its hole.",
        ),
        TraceClass::FanStealingHeat => (
            "The part fan steals heat.".into(),
            "Look at the sock and at where the fan blows before you tune: air belongs on the part, not on the block.",
        ),
        TraceClass::NeverReaching => (
            "It never reaches its target: too little power, or too much loss.".into(),
            "Don't tune. Measure the heater's resistance and the supply, then look at sock and fan ducts.",
        ),
        TraceClass::TooShort => (
            "Too short to judge.".into(),
            "Log the heat-up and two minutes at the target, with duty if the printer reports it.",
        ),
    };
    (headline, advice.to_owned())
}
