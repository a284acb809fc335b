//! The relay test: ultimate gain and period from a forced swing.

use std::f64::consts::PI;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::classify::noise;
use super::interval::Interval;
use super::model::Plant;
use super::trace::{Sample, Trace};

/// Ultimate gain [duty/°C] and period [s]: with this gain the loop would just keep swinging.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Ultimate {
    /// Ku [duty/°C].
    pub ku: f64,
    /// Tu [s].
    pub tu_s: f64,
}

/// A swing under a relay.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RelayCycle {
    /// Half the peak-to-peak swing [°C].
    pub amplitude_c: f64,
    /// Period [s].
    pub period_s: f64,
}

/// Why a swing gives no ultimate gain.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum RelayError {
    /// The swing hides in the relay's hysteresis.
    #[error(
        "the swing of ±{amplitude_c} °C is no larger than the hysteresis of ±{hysteresis_c} °C"
    )]
    Hidden {
        /// Half the swing [°C].
        amplitude_c: f64,
        /// Half the hysteresis [°C].
        hysteresis_c: f64,
    },
    /// Numbers that can't be.
    #[error("a relay test needs an output step and a period above 0")]
    Domain,
    /// Fewer than two whole swings.
    #[error("the log holds {found} whole swings: let the test run for two or more")]
    TooFew {
        /// Whole swings found.
        found: usize,
    },
}

/// Ku = 4d/(π·√(a² − h²)) for a relay of half-amplitude `d` [duty], half the swing `a` [°C] and
/// hysteresis `h` [°C]; Tu is the period.
///
/// Source: Åström & Hägglund 1984, Automatica 20, 645-651 (describing function: the swing is taken
/// for a sine, which for lag-dominant plants makes Ku some 20 % small).
/// # Errors
/// [`RelayError::Hidden`] unless a > h; [`RelayError::Domain`] for d or period not above 0.
pub fn relay_analysis(
    half_step_duty: f64,
    cycle: RelayCycle,
    hysteresis_c: f64,
) -> Result<Ultimate, RelayError> {
    let fine = half_step_duty > 0.0
        && cycle.period_s > 0.0
        && cycle.period_s.is_finite()
        && half_step_duty.is_finite();
    if !fine || hysteresis_c.is_nan() || hysteresis_c < 0.0 {
        return Err(RelayError::Domain);
    }
    let a = cycle.amplitude_c;
    if a.is_nan() || a <= hysteresis_c {
        return Err(RelayError::Hidden {
            amplitude_c: a,
            hysteresis_c,
        });
    }
    Ok(Ultimate {
        ku: 4.0 * half_step_duty / (PI * (a * a - hysteresis_c * hysteresis_c).sqrt()),
        tu_s: cycle.period_s,
    })
}

/// The swing that a relay of half-amplitude `d` [duty] forces on an FOPDT plant, exactly:
/// a = K·d·(1 − e^(−L/τ)), period 2τ·ln(2e^(L/τ) − 1).
///
/// Source: Åström & Hägglund 1984; derivation by integrating the plant over half a period. Uses
/// [`Plant::as_fopdt`].
#[must_use]
pub fn exact_relay_cycle(plant: &Plant, half_step_duty: f64) -> RelayCycle {
    let p = plant.as_fopdt();
    let ratio = p.delay_s / p.tau_s;
    RelayCycle {
        amplitude_c: p.gain_c * half_step_duty * -(-ratio).exp_m1(),
        period_s: 2.0 * p.tau_s * (2.0 * ratio.exp() - 1.0).ln(),
    }
}

/// True ultimate gain and period of a plant: where its phase passes −180°.
///
/// Formula: ωL + atan ωτ1 + atan ωτ2 = π; Ku = √(1 + ω²τ1²)·√(1 + ω²τ2²)/K; Tu = 2π/ω.
/// None for a plant without dead time: its phase never gets there.
#[must_use]
pub fn ultimate_of(plant: &Plant) -> Option<Ultimate> {
    if plant.delay_s <= 1e-9 {
        return None;
    }
    let phase =
        |w: f64| w * plant.delay_s + (w * plant.tau_s).atan() + (w * plant.tau2_s).atan() - PI;
    let (mut low, mut high) = (0.0, PI / plant.delay_s);
    for _ in 0..200 {
        let mid = f64::midpoint(low, high);
        if phase(mid) < 0.0 {
            low = mid;
        } else {
            high = mid;
        }
    }
    let w = f64::midpoint(low, high);
    Some(Ultimate {
        ku: (w * plant.tau_s).hypot(1.0) * (w * plant.tau2_s).hypot(1.0) / plant.gain_c,
        tu_s: 2.0 * PI / w,
    })
}

/// What a log of a relay test shows.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RelayFound {
    /// The swing.
    pub cycle: RelayCycle,
    /// Half the step of the output [duty].
    pub half_step: f64,
    /// Ultimate gain and period, by the describing function.
    pub ultimate: Ultimate,
    /// Where the true ultimate gain lies by this swing [duty/°C], 95 %.
    pub ku: Interval,
    /// Where the true ultimate period lies by this swing [s], 95 %.
    pub tu_s: Interval,
}

/// A swing that is no sine: for a plant that only integrates behind its dead time Ku is π²/8 times what the describing
/// function says. Derived from a = K·d·L/τ and Ku = π·τ/(2·K·L); a second lag and a shorter time constant bring it
/// nearer to 1.
const NO_SINE: f64 = PI * PI / 8.0;
/// A printer's relay looks several times a second at a sensor that it smooths, and some wait before they switch back:
/// it switches late by up to this [s]. Common practice, no published source; found on invented plants.
const RELAY_LATE_S: f64 = 0.9;
/// Part of a period that may at most be put down to a late relay: beyond it the swing would be the relay's alone.
/// Judgement, no published source.
const LATE_AT_MOST: f64 = 0.8;
/// What a second lag changes of period and gain beside dead time alone, as a part; found on invented plants.
const LAGS: f64 = 0.08;
/// A second lag makes a relay's period longer than the ultimate one by up to this part; found on invented plants.
const LONGER: f64 = 0.22;
/// Standard deviations of the noise that a swing must go beyond.
const CLEAR_OF_NOISE: f64 = 3.0;
/// What noise adds to half a swing, in its standard deviations: a top and a bottom are each the largest of some ten
/// samples, of which the expected one lies 1.54 out (normal order statistics; *Harter 1961*, from memory).
const OF_NOISE: f64 = 1.5;
/// Standard uncertainties of a mean that hold it in 95 of 100: Student's t of five degrees of freedom, 2.571, for the
/// six swings of a usual test.
const OF_FIVE: f64 = 2.57;
/// Part that the mean of few swings may be off by where they don't show it themselves: two are too few for a spread.
const FEW_SWINGS: f64 = 0.15;

/// Where the true figures lie: the swing is no sine, the relay is late, lines miss the peaks by up to Δ/P of the swing,
/// noise adds to them, and the swings differ.
fn doubt(
    samples: &[Sample],
    amplitudes: &[f64],
    periods: &[f64],
    ultimate: Ultimate,
) -> (Interval, Interval) {
    let mean = |v: &[f64]| {
        // OK because there are a few swings.
        #[allow(clippy::cast_precision_loss)]
        let n = v.len() as f64;
        let m = v.iter().sum::<f64>() / n;
        let s = (v.iter().map(|x| (x - m).powi(2)).sum::<f64>() / (n - 1.0).max(1.0)).sqrt();
        (
            m,
            if v.len() < 3 {
                FEW_SWINGS * m
            } else {
                OF_FIVE * s / n.sqrt()
            },
        )
    };
    let ((a, of_a), (period, of_period)) = (mean(amplitudes), mean(periods));
    // OK because there are a few thousand samples at most.
    #[allow(clippy::cast_precision_loss)]
    let every = samples
        .last()
        .zip(samples.first())
        .map_or(0.0, |(b, a)| b.t_s - a.t_s)
        / samples.len().saturating_sub(1).max(1) as f64;
    let missed = (every / period).min(0.5);
    let noisy = OF_NOISE * noise(samples) / a;
    let spread = of_a / a;
    // A late relay is dead time that the plant hasn't: four times it in the period, and Ku goes with 1/dead time.
    let late = (4.0 * RELAY_LATE_S / period).min(LATE_AT_MOST);
    let ku = Interval {
        low: ultimate.ku * (1.0 - missed) * (1.0 - LAGS) / (1.0 + spread),
        high: ultimate.ku * NO_SINE * (1.0 + LAGS) / (1.0 - late) * (1.0 + noisy + spread),
    };
    let tu_s = Interval {
        low: ((1.0 - LONGER - late) * period - of_period).max(0.0),
        high: period * (1.0 + LAGS) + of_period,
    };
    (ku, tu_s)
}

/// What a logged relay test shows: half-step, swing, ultimate gain, and where the true one lies.
///
/// Reads the log from the first time it reaches `target_c`; swings are counted from one upward
/// crossing of the target to the next; the first is left out, since the heat-up is still in it.
/// # Errors
/// [`RelayError::TooFew`] with fewer than two whole swings, else as [`relay_analysis`].
pub fn relay_from_trace(trace: &Trace, target_c: f64) -> Result<RelayFound, RelayError> {
    let start = trace
        .first_reaching_s(target_c)
        .ok_or(RelayError::TooFew { found: 0 })?;
    let part: Vec<_> = trace.samples.iter().filter(|s| s.t_s >= start).collect();
    // A relay switches at its target, so every swing crosses it; the middle of the swing would be
    // pulled up by the overshoot of the heat-up.
    let middle = target_c;
    let all: Vec<Sample> = part.iter().map(|s| **s).collect();
    // Noise crosses the target many times about a crossing: it counts anew only after a swing well beyond it.
    let well_below = middle - CLEAR_OF_NOISE * noise(&all);
    let (mut ups, mut below) = (Vec::new(), false);
    for (i, w) in part.windows(2).enumerate() {
        below |= w[0].temp_c < well_below;
        if below && w[0].temp_c < middle && w[1].temp_c >= middle {
            below = false;
            let share = (middle - w[0].temp_c) / (w[1].temp_c - w[0].temp_c);
            ups.push((i + 1, w[0].t_s + share * (w[1].t_s - w[0].t_s)));
        }
    }
    if ups.len() < 3 {
        return Err(RelayError::TooFew {
            found: ups.len().saturating_sub(1),
        });
    }
    let swings = &ups[1..];
    // OK because there are at most as many swings as samples.
    #[allow(clippy::cast_precision_loss)]
    let count = (swings.len() - 1) as f64;
    let amplitudes: Vec<f64> = swings
        .windows(2)
        .map(|w| {
            let temps = part[w[0].0..w[1].0].iter().map(|s| s.temp_c);
            let (low, high) = temps.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), t| {
                (l.min(t), h.max(t))
            });
            (high - low) / 2.0
        })
        .collect();
    let amplitude = amplitudes.iter().sum::<f64>() / count;
    let periods: Vec<f64> = swings.windows(2).map(|w| w[1].1 - w[0].1).collect();
    let period = (swings[swings.len() - 1].1 - swings[0].1) / count;
    let duties: Vec<f64> = part[swings[0].0..swings[swings.len() - 1].0]
        .iter()
        .filter_map(|s| s.duty)
        .collect();
    let (low, high) = duties
        .iter()
        .fold((1.0_f64, 0.0_f64), |(l, h), d| (l.min(*d), h.max(*d)));
    let cycle = RelayCycle {
        amplitude_c: amplitude,
        period_s: period,
    };
    let half_step = (high - low) / 2.0;
    let ultimate = relay_analysis(half_step, cycle, 0.0)?;
    let (ku, tu_s) = doubt(&all, &amplitudes, &periods, ultimate);
    Ok(RelayFound {
        cycle,
        half_step,
        ultimate,
        ku,
        tu_s,
    })
}
