//! A log made ready for a fit: what the heater was given, summed up over time, and what the sensor showed.

use super::{IdentifyError, LEAST_SAMPLES};
use crate::trace::Trace;

/// Most steps of a simulated record.
const MOST_STEPS: f64 = 2_500.0;
/// Most samples that a fit looks at; neighbours of a longer log are averaged.
const MOST_SAMPLES: usize = 1_000;
/// A change of the duty from one report to the next that is a switch. Judgement, no published source, as what follows.
const SWITCH: f64 = 0.2;
/// Most switches whose moments are fitted too: more is no relay test.
const MOST_SWITCHES: usize = 60;
/// A log with reports closer than this has every decision of the controller, each held until the next [s].
const EVERY_DECISION_S: f64 = 0.15;
/// A block colder than this at the log's start has stood in the room [°C].
const COLD_C: f64 = 45.0;

/// One reading to fit to.
pub(super) struct Shown {
    /// Whole steps from the start.
    pub step: usize,
    /// Part of a step beyond them.
    pub part: f64,
    pub temp_c: f64,
}

/// A moment between two reports at which the heater switched.
pub(super) struct Switch {
    /// Midway between the two reports [s from the start].
    middle_s: f64,
    /// How far from there it is taken to have been [s].
    pub moved_s: f64,
    /// Half the time between the two reports [s].
    half_s: f64,
    /// Change of the duty.
    pub by: f64,
    /// Standard deviation of when [s]: anywhere between the two reports.
    pub doubt_s: f64,
}

impl Switch {
    /// When [steps from the start].
    pub fn at(&self, dt: f64) -> f64 {
        (self.middle_s + self.moved_s) / dt
    }
}

/// A log on even steps.
pub(super) struct Record {
    /// Step [s].
    pub dt: f64,
    pub steps: usize,
    /// ∫duty dt from the start to each step [s].
    given: Vec<f64>,
    /// (time from the start [s], duty) of each report.
    reports: Vec<(f64, f64)>,
    /// Duty taken to have stood before the start: none for a cold block, else the first.
    pub first_duty: f64,
    pub shown: Vec<Shown>,
    pub switches: Vec<Switch>,
    /// Median time between samples of the log [s].
    pub period_s: f64,
    /// Begins with a block that stood in the room without heat.
    pub cold: bool,
    pub first_c: f64,
}

impl Record {
    /// A log made ready.
    /// # Errors
    /// [`IdentifyError::TooShort`] and [`IdentifyError::NoChange`].
    pub fn new(trace: &Trace) -> Result<Self, IdentifyError> {
        let known: Vec<(f64, f64, f64)> = trace
            .samples
            .iter()
            .filter_map(|s| s.duty.map(|d| (s.t_s, s.temp_c, d.clamp(0.0, 1.0))))
            .collect();
        if known.len() < LEAST_SAMPLES {
            return Err(IdentifyError::TooShort {
                got: known.len(),
                need: LEAST_SAMPLES,
            });
        }
        // What stood idle before the heat says no more than its last moments do.
        let heated = known.iter().position(|k| k.2 > 0.0).unwrap_or(0);
        let from = known[heated].0 - 10.0;
        let begin = known.iter().position(|k| k.0 >= from).unwrap_or(0);
        let known = &known[begin..];
        let spread = |at: fn(&(f64, f64, f64)) -> f64| {
            let (low, high) = known
                .iter()
                .map(at)
                .fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), x| {
                    (l.min(x), h.max(x))
                });
            high - low
        };
        if known.len() < LEAST_SAMPLES || spread(|k| k.1) < 1.0 || spread(|k| k.2) < 0.05 {
            return Err(IdentifyError::NoChange);
        }
        let period_s = trace.period_s();
        let (start, span) = (known[0].0, known[known.len() - 1].0 - known[0].0);
        let dt = (period_s / 2.0).clamp(0.05, 0.25).max(span / MOST_STEPS);
        // OK because dt is at least the span over the most steps.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let steps = (span / dt).ceil() as usize + 1;
        let mut switches = Vec::new();
        let mut reports = Vec::with_capacity(known.len());
        for w in known.windows(2) {
            let (a, b) = (w[0], w[1]);
            reports.push((a.0 - start, a.2));
            if (a.2 - b.2).abs() > SWITCH {
                let half_s = (b.0 - a.0) / 2.0;
                switches.push(Switch {
                    // What a relay compares its target with is filtered: the crossing that the log shows isn't
                    // the one it saw.
                    middle_s: if period_s < EVERY_DECISION_S {
                        b.0
                    } else {
                        f64::midpoint(a.0, b.0)
                    } - start,
                    moved_s: 0.0,
                    half_s,
                    by: b.2 - a.2,
                    doubt_s: half_s / 3.0_f64.sqrt(),
                });
            }
        }
        reports.push((span, known[known.len() - 1].2));
        let many = switches.len() > MOST_SWITCHES;
        let shown = known
            .chunks(known.len().div_ceil(MOST_SAMPLES))
            .map(|c| {
                #[allow(clippy::cast_precision_loss)]
                let n = c.len() as f64;
                let t = c.iter().map(|k| k.0).sum::<f64>() / n;
                let place = (t - start) / dt;
                // OK because a place lies within the steps.
                #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
                let step = (place as usize).min(steps - 1);
                #[allow(clippy::cast_precision_loss)]
                let part = place - step as f64;
                Shown {
                    step,
                    part,
                    temp_c: c.iter().map(|k| k.1).sum::<f64>() / n,
                }
            })
            .collect();
        let cold = known[0].1 < COLD_C && trace.samples[0].temp_c < COLD_C;
        let mut record = Self {
            dt,
            steps,
            given: Vec::new(),
            reports,
            first_duty: if cold { 0.0 } else { known[0].2 },
            shown,
            switches,
            period_s,
            cold,
            first_c: known[0].1,
        };
        record.give();
        if many {
            record.switches.clear();
        }
        Ok(record)
    }

    /// Moves each switch by so much more [s], as far as its two reports let it.
    pub fn move_switches(&mut self, by_s: &[f64]) {
        for (s, by) in self.switches.iter_mut().zip(by_s) {
            s.moved_s = (s.moved_s + by).clamp(-s.half_s, s.half_s);
        }
        if !by_s.is_empty() {
            self.give();
        }
    }

    /// Sums up what the heater was given: between reports along the straight line, a switch at its moment.
    fn give(&mut self) {
        let mut course: Vec<(f64, f64)> = Vec::with_capacity(self.reports.len() + 64);
        let mut switches = self.switches.iter();
        for w in self.reports.windows(2) {
            let (a, b) = (w[0], w[1]);
            course.push(a);
            if (a.1 - b.1).abs() > SWITCH
                && let Some(s) = switches.next()
            {
                let t = s.middle_s + s.moved_s;
                course.push((t, a.1));
                course.push((t, b.1));
            } else if self.period_s < EVERY_DECISION_S {
                course.push((b.0, a.1));
            }
        }
        let (end, duty) = self.reports[self.reports.len() - 1];
        course.push((end, duty));
        course.push((end + 2.0 * self.dt, duty));
        self.given.clear();
        let (mut k, mut sum) = (0, 0.0);
        for n in 0..=self.steps {
            #[allow(clippy::cast_precision_loss)]
            let until = n as f64 * self.dt;
            while k + 2 < course.len() && course[k + 1].0 <= until {
                let (a, b) = (course[k], course[k + 1]);
                sum += (b.0 - a.0) * f64::midpoint(a.1, b.1);
                k += 1;
            }
            let (a, b) = (course[k], course[k + 1]);
            let held = until - a.0;
            let share = if b.0 > a.0 { held / (b.0 - a.0) } else { 0.0 };
            self.given
                .push(sum + held * (a.1 + share / 2.0 * (b.1 - a.1)));
        }
    }

    /// ∫duty dt [s] up to `steps` steps from the start, before which the first duty stood.
    #[inline]
    pub fn given_until(&self, steps: f64) -> f64 {
        if steps <= 0.0 {
            return self.first_duty * steps * self.dt;
        }
        // OK because the place is clamped to the record.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let whole = (steps as usize).min(self.steps - 1);
        #[allow(clippy::cast_precision_loss)]
        let part = steps - whole as f64;
        self.given[whole] + (self.given[whole + 1] - self.given[whole]) * part
    }
}
