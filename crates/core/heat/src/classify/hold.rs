//! One hold, judged by itself.

use super::super::figures::SETTLE_BAND_C;
use super::super::trace::Sample;
use super::strays::noise;
use super::swing::{Swing, line, swing};
use super::{Mark, TraceClass, TraceFact, mean_fan};

/// What a piece shows.
#[derive(Clone, Debug)]
pub(crate) struct Judged {
    pub class: TraceClass,
    pub facts: Vec<TraceFact>,
    pub marks: Vec<Mark>,
    pub mean_c: Option<f64>,
    pub swing_c: Option<f64>,
    pub period_s: Option<f64>,
}

impl Judged {
    pub(crate) fn new(class: TraceClass) -> Self {
        Self {
            class,
            facts: Vec::new(),
            marks: Vec::new(),
            mean_c: None,
            swing_c: None,
            period_s: None,
        }
    }

    /// What a mark shows is a fact too.
    pub(crate) fn rests_on(&mut self, mark: Mark) {
        self.facts.extend(mark.shows.clone());
        self.marks.push(mark);
    }
}

/// Shorter than this nothing is said of a hold [s].
const LEAST_S: f64 = 30.0;
/// A long hold is looked at in windows of this length [s]: a swing that comes and goes is found in one.
const WINDOW_S: f64 = 600.0;
/// Windows looked at, spread over a hold.
const WINDOWS: usize = 5;
/// Duty that swings by less than this doesn't make the temperature swing.
const DUTY_STILL: f64 = 0.01;
/// The part fan is in it where it swings by more than this.
const FAN_BEATS: f64 = 0.1;
/// Full duty.
const FULL: f64 = 0.95;
/// More duty by this part, and by this much, for the same temperature, is a loss that grew.
const LOSS_TIMES: f64 = 1.35;
const LOSS_MORE: f64 = 0.08;
/// More than this it strays not even once in a steady hold [°C].
const ONCE_C: f64 = 8.0;
/// Where it swings by more than this, duty says nothing of losses [°C], standard deviation.
const LOSS_SD_C: f64 = 2.0;
/// Scatter that a hold may have and still stand still [°C], standard deviation.
const STILL_C: f64 = 0.8;
/// Samples farther apart than this can't tell a swing from noise [s].
const FAST_S: f64 = 2.5;
/// Samples farther apart than this show no hold: hot ends swing in 10 to 60 s [s]. Common practice, no source.
const RARE_S: f64 = 20.0;
/// Levelled off this far below, it lacks power even where the duty isn't known: no loop stops that short [°C].
const FAR_C: f64 = 10.0;
/// Scatter from which a reading is called noisy [°C], standard deviation.
const NOISY_C: f64 = 0.3;

struct Figures {
    mean: f64,
    low: f64,
    high: f64,
    /// Standard deviation about the straight line [°C].
    sd: f64,
    /// Change along the straight line, from end to end [°C].
    slope_c: f64,
    duty: Option<f64>,
    span_s: f64,
    /// Usual time between samples [s].
    every_s: f64,
}

/// The part of a hold after it has settled: an overshoot of the heat-up is not the hold's.
fn settled(part: &[Sample]) -> &[Sample] {
    let (Some(first), Some(last)) = (part.first(), part.last()) else {
        return part;
    };
    let wait = ((last.t_s - first.t_s) * 0.3).clamp(30.0, 90.0);
    let from = part
        .iter()
        .position(|s| s.t_s >= first.t_s + wait)
        .unwrap_or(part.len());
    &part[from..]
}

pub(crate) fn judge(part: &[Sample], target: Option<f64>) -> Judged {
    let held = settled(part);
    let (Some(first), Some(last)) = (held.first(), held.last()) else {
        return Judged::new(TraceClass::TooShort);
    };
    if last.t_s - first.t_s < LEAST_S || held.len() < 8 {
        return Judged::new(TraceClass::TooShort);
    }
    let f = figures(held);
    // Where the log has no target, what it holds is its own middle.
    let about = target.unwrap_or(f.mean);
    let mut own = Judged::new(TraceClass::CannotSay);
    own.mean_c = Some(f.mean);
    own.swing_c = Some(f.high - f.low);
    own.facts.push(TraceFact::Held {
        mean_c: f.mean,
        target_c: target,
        low_c: f.low,
        high_c: f.high,
        span_s: f.span_s,
    });
    if f.every_s > RARE_S {
        own.facts.push(TraceFact::RareLines { every_s: f.every_s });
        return own;
    }
    let inside = (f.low - about).abs() <= SETTLE_BAND_C
        && (f.high - about).abs() <= SETTLE_BAND_C
        && held.iter().all(|s| (s.temp_c - about).abs() <= ONCE_C);
    // Even where it still holds: the next print may not.
    if f.sd <= LOSS_SD_C
        && let Some(mark) = loss_grew(held)
    {
        own.rests_on(mark);
        own.class = TraceClass::LossGrew;
        return own;
    }
    if inside {
        own.class = TraceClass::Steady;
        return own;
    }
    if let Some(mark) = fan_dip(held, about) {
        own.class = TraceClass::FanStealingHeat;
        own.rests_on(mark);
        return own;
    }
    if let Some((mark, s)) = worst_swing(held) {
        swings(&mut own, mark, &s);
        return own;
    }
    own.class = without_a_beat(&f, held, about, &mut own.facts);
    own
}

fn swings(own: &mut Judged, mark: Mark, s: &Swing) {
    own.period_s = Some(s.period_s);
    own.swing_c = Some(s.swing_c);
    own.rests_on(mark);
    if s.fan.is_some_and(|f| f > FAN_BEATS) {
        own.class = TraceClass::FanStealingHeat;
        own.facts.push(TraceFact::FanBeats);
    } else if s.duty.is_some_and(|d| d < DUTY_STILL) {
        own.class = TraceClass::CannotSay;
        own.facts.push(TraceFact::DutyStill);
    } else {
        own.class = TraceClass::LoopSwinging;
        if s.duty.is_some() {
            own.facts.push(TraceFact::DutyBeats);
        }
    }
}

/// Out of its band, and to no beat.
fn without_a_beat(
    f: &Figures,
    held: &[Sample],
    about: f64,
    facts: &mut Vec<TraceFact>,
) -> TraceClass {
    let n = noise(held);
    let off = f.mean - about;
    // Rare samples of a swing look like noise: there its scatter proves nothing.
    let fast = f.every_s <= FAST_S;
    let still = f.sd
        <= if fast {
            (1.5 * n).max(STILL_C)
        } else {
            STILL_C
        };
    let drifts = f.slope_c.abs() > 2.0 && f.slope_c.abs() > 4.0 * f.sd && f.span_s >= 120.0;
    let full = f.duty.is_some_and(|d| d >= FULL);
    if drifts && off < -FAR_C && f.slope_c < 0.0 {
        facts.push(TraceFact::Falls {
            by_c: -f.slope_c,
            duty: f.duty,
        });
        return TraceClass::CannotSay;
    }
    if drifts {
        facts.push(TraceFact::Moves {
            by_c: f.slope_c,
            span_s: f.span_s,
        });
        return TraceClass::Drifting;
    }
    if off < -SETTLE_BAND_C
        && f.slope_c < 1.0_f64.max(-0.25 * off)
        && (full || (still && f.duty.is_none() && off < -FAR_C))
    {
        facts.push(TraceFact::LevelsOff {
            below_c: -off,
            full,
        });
        return TraceClass::NeverReaching;
    }
    if still && off.abs() > SETTLE_BAND_C {
        facts.push(TraceFact::StandsOff {
            off_c: off,
            duty: f.duty,
        });
        return TraceClass::Offset;
    }
    // Scatter from sample to sample that is all there is.
    if fast && n >= NOISY_C && f.sd <= 1.35 * n && off.abs() <= SETTLE_BAND_C {
        facts.push(TraceFact::Scatters { by_c: 2.0 * n });
        return TraceClass::Noisy;
    }
    if !fast {
        facts.push(TraceFact::RareLines { every_s: f.every_s });
    }
    facts.push(TraceFact::Strays {
        by_c: (f.high - about).abs().max((f.low - about).abs()),
    });
    TraceClass::CannotSay
}

fn figures(held: &[Sample]) -> Figures {
    let points: Vec<(f64, f64)> = held.iter().map(|s| (s.t_s, s.temp_c)).collect();
    let (slope, mean, mid) = line(&points);
    // OK because a log has far fewer than 2^52 samples.
    #[allow(clippy::cast_precision_loss)]
    let n = points.len() as f64;
    let sd = (points
        .iter()
        .map(|(t, y)| (y - mean - slope * (t - mid)).powi(2))
        .sum::<f64>()
        / (n - 1.0).max(1.0))
    .sqrt();
    let mut temps: Vec<f64> = points.iter().map(|p| p.1).collect();
    // One in a hundred at each end may be anything.
    let cut = temps.len() / 100;
    let top = temps.len() - 1 - cut;
    let low = *temps.select_nth_unstable_by(cut, f64::total_cmp).1;
    let high = *temps.select_nth_unstable_by(top, f64::total_cmp).1;
    let duties: Vec<f64> = held.iter().filter_map(|s| s.duty).collect();
    #[allow(clippy::cast_precision_loss)]
    let duty = (duties.len() * 10 >= held.len() * 8)
        .then(|| duties.iter().sum::<f64>() / duties.len() as f64);
    let span_s = points[points.len() - 1].0 - points[0].0;
    Figures {
        mean,
        low,
        high,
        sd,
        slope_c: slope * span_s,
        duty,
        span_s,
        every_s: span_s / (n - 1.0).max(1.0),
    }
}

/// The largest swing of the windows of a hold.
fn worst_swing(held: &[Sample]) -> Option<(Mark, Swing)> {
    let (first, last) = (held.first()?.t_s, held.last()?.t_s);
    let span = last - first;
    let windows: Vec<(f64, f64)> = if span <= 1.5 * WINDOW_S {
        vec![(first, last)]
    } else {
        (0..WINDOWS)
            .map(|k| {
                // OK because k is small.
                #[allow(clippy::cast_precision_loss)]
                let at = first + (span - WINDOW_S) * k as f64 / (WINDOWS - 1) as f64;
                (at, at + WINDOW_S)
            })
            .collect()
    };
    let mut worst: Option<(Mark, Swing)> = None;
    for (from_s, to_s) in windows {
        let a = held.partition_point(|s| s.t_s < from_s);
        let b = held.partition_point(|s| s.t_s <= to_s);
        let Some(s) = swing(&held[a..b]).filter(|s| s.swing_c >= SETTLE_BAND_C) else {
            continue;
        };
        if worst.as_ref().is_none_or(|(_, w)| s.swing_c > w.swing_c) {
            let beat = TraceFact::Beat {
                period_s: s.period_s,
                swing_c: s.swing_c,
                cycles: s.cycles,
            };
            let mark = Mark::new(from_s, to_s, beat);
            worst = Some((mark, s));
        }
    }
    worst
}

/// More duty at the end of a hold than at its beginning for the same temperature, or a lower one, and the fan
/// not the reason.
fn loss_grew(held: &[Sample]) -> Option<Mark> {
    let (first, last) = (held.first()?, held.last()?);
    let span = last.t_s - first.t_s;
    if span < 180.0 {
        return None;
    }
    let mean = |a: f64, b: f64, get: &dyn Fn(&Sample) -> Option<f64>| {
        let part = held
            .iter()
            .filter(|s| s.t_s >= first.t_s + a * span && s.t_s <= first.t_s + b * span);
        let (sum, n) = part
            .filter_map(get)
            .fold((0.0, 0.0_f64), |(sum, n), v| (sum + v, n + 1.0));
        (n >= 8.0).then(|| sum / n)
    };
    let duty = |s: &Sample| s.duty;
    let (early, late) = (mean(0.0, 0.3, &duty)?, mean(0.7, 1.0, &duty)?);
    let (was, is) = (
        mean(0.0, 0.3, &|s| Some(s.temp_c))?,
        mean(0.7, 1.0, &|s| Some(s.temp_c))?,
    );
    let fan = |a: f64, b: f64| mean_fan(held, first.t_s + a * span, first.t_s + b * span);
    let blown = fan(0.7, 1.0) > fan(0.0, 0.3) + 0.1;
    (late > LOSS_TIMES * early && late > early + LOSS_MORE && is < was + SETTLE_BAND_C && !blown)
        .then(|| {
            Mark::new(
                first.t_s + 0.7 * span,
                last.t_s,
                TraceFact::LossGrew {
                    duty_was: early,
                    duty_is: late,
                    was_c: was,
                    is_c: is,
                },
            )
        })
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
    (worst > SETTLE_BAND_C && worst > 2.0 * calm).then(|| {
        Mark::new(
            first.t_s,
            last.t_s,
            TraceFact::UnderFan {
                dip_c: worst,
                calm_c: calm,
            },
        )
    })
}
