//! The relay test: ultimate gain and period from a forced swing.

use std::f64::consts::PI;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::model::Plant;
use super::trace::Trace;

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

/// What a logged relay test shows: half-step, swing, ultimate gain.
///
/// Reads the log from the first time it reaches `target_c`; swings are counted from one upward
/// crossing of the target to the next; the first is left out, since the heat-up is still in it.
/// # Errors
/// [`RelayError::TooFew`] with fewer than two whole swings, else as [`relay_analysis`].
pub fn relay_from_trace(
    trace: &Trace,
    target_c: f64,
) -> Result<(RelayCycle, f64, Ultimate), RelayError> {
    let start = trace
        .first_reaching_s(target_c)
        .ok_or(RelayError::TooFew { found: 0 })?;
    let part: Vec<_> = trace.samples.iter().filter(|s| s.t_s >= start).collect();
    // A relay switches at its target, so every swing crosses it; the middle of the swing would be
    // pulled up by the overshoot of the heat-up.
    let middle = target_c;
    let mut ups = Vec::new();
    for (i, w) in part.windows(2).enumerate() {
        if w[0].temp_c < middle && w[1].temp_c >= middle {
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
    let mut amplitude = 0.0;
    for w in swings.windows(2) {
        let temps = part[w[0].0..w[1].0].iter().map(|s| s.temp_c);
        let (low, high) = temps.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), t| {
            (l.min(t), h.max(t))
        });
        amplitude += (high - low) / 2.0 / count;
    }
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
    let half = (high - low) / 2.0;
    Ok((cycle, half, relay_analysis(half, cycle, 0.0)?))
}
