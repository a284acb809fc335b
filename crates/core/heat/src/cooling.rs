//! Cooling: when metal may be touched.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::trace::Trace;

/// Warmest bare metal for contacts up to ten minutes [°C]. Source: ISO 13732-1:2006, table for
/// contact periods of 10 min: 48 °C for all materials.
pub const TOUCH_SAFE_C: f64 = 48.0;

/// Time constant of cooling before this printer's own is known [s]; a small block with its sock.
/// Common practice, no published source: some ten minutes from 210 °C to touch-safe.
pub const DEFAULT_COOLING_TAU_S: f64 = 320.0;

/// How a hot end cools without heat: T = Tair + (T0 − Tair)·e^(−t/τ), Newton's law.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Cooling {
    /// Time constant τ = C/k [s].
    pub tau_s: f64,
    /// Temperature of the air [°C].
    pub ambient_c: f64,
    /// Whether τ was found on this very hot end.
    pub own: bool,
}

impl Default for Cooling {
    fn default() -> Self {
        Self {
            tau_s: DEFAULT_COOLING_TAU_S,
            ambient_c: 24.0,
            own: false,
        }
    }
}

impl Cooling {
    /// Seconds until `temp_c` has fallen to touch-safe; 0 if it is there; none if the air itself is
    /// as warm.
    #[must_use]
    pub fn touch_safe_in_s(&self, temp_c: f64) -> Option<f64> {
        if temp_c <= TOUCH_SAFE_C {
            return Some(0.0);
        }
        (self.ambient_c < TOUCH_SAFE_C - 1.0).then(|| {
            self.tau_s * ((temp_c - self.ambient_c) / (TOUCH_SAFE_C - self.ambient_c)).ln()
        })
    }
}

impl Cooling {
    /// Seconds in which `from_c` [°C] falls to `to_c` without heat; 0 where it is there; none where the air is
    /// not at least a kelvin colder than `to_c`.
    ///
    /// Formula: t = τ·ln((T0 − Tair)/(T − Tair)). Source: Newton's law of cooling.
    #[must_use]
    pub fn falls_in_s(&self, from_c: f64, to_c: f64) -> Option<f64> {
        if from_c <= to_c {
            return Some(0.0);
        }
        (self.ambient_c < to_c - 1.0)
            .then(|| self.tau_s * ((from_c - self.ambient_c) / (to_c - self.ambient_c)).ln())
    }

    /// Seconds in which `power_w` [W] lifts a hot end of this heat capacity [J/K] from `from_c` to `to_c` [°C]; 0
    /// where it is there; none where that power doesn't reach it.
    ///
    /// Formula: t = τ·ln((T∞ − T0)/(T∞ − T)) with T∞ = Tair + P·τ/C. Source: a first-order balance of heat.
    #[must_use]
    pub fn rises_in_s(
        &self,
        from_c: f64,
        to_c: f64,
        power_w: f64,
        capacity_j_k: f64,
    ) -> Option<f64> {
        if from_c >= to_c {
            return Some(0.0);
        }
        let top_c = self.ambient_c + power_w * self.tau_s / capacity_j_k;
        (top_c > to_c + 1.0).then(|| self.tau_s * ((top_c - from_c) / (top_c - to_c)).ln())
    }
}

/// τ from the end of a log where the heater is off: ln(T − Tair) against time, by least squares.
/// None unless the last stretch without heat is at least 30 s long and falls by 8 °C above touch-safe.
#[must_use]
pub fn cooling_from(trace: &Trace, ambient_c: f64) -> Option<Cooling> {
    let off: Vec<_> = trace
        .samples
        .iter()
        .rev()
        .take_while(|s| s.target_c.unwrap_or(0.0) <= 0.0 && s.duty.unwrap_or(0.0) <= 0.0)
        .collect();
    let last = off.first()?.t_s;
    let first = off.last()?.t_s;
    // The first seconds still carry the cartridge's heat.
    let used: Vec<_> = off
        .iter()
        .filter(|s| s.t_s > first + 8.0 && s.temp_c > (ambient_c + 12.0).max(TOUCH_SAFE_C - 4.0))
        .collect();
    if last - first < 30.0 || used.len() < 10 || used[used.len() - 1].temp_c - used[0].temp_c < 8.0
    {
        return None;
    }
    #[allow(clippy::cast_precision_loss)]
    let n = used.len() as f64;
    let (mt, my) = used.iter().fold((0.0, 0.0), |(t, y), s| {
        (t + s.t_s / n, y + (s.temp_c - ambient_c).ln() / n)
    });
    let (mut stt, mut sty) = (0.0, 0.0);
    for s in &used {
        stt += (s.t_s - mt).powi(2);
        sty += (s.t_s - mt) * ((s.temp_c - ambient_c).ln() - my);
    }
    let slope = sty / stt;
    let tau_s = -1.0 / slope;
    (slope < 0.0 && (20.0..5_000.0).contains(&tau_s)).then_some(Cooling {
        tau_s,
        ambient_c,
        own: true,
    })
}

/// How hot something is, in a word; the first is the worst.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HeatWord {
    /// Burns at a touch.
    Hot,
    /// The sensor says nothing that can be believed, or whether it is heated can't be known.
    Unknown,
    /// Above touch-safe, below what burns at once.
    Warm,
    /// At or below touch-safe, and not heated.
    Safe,
}

/// The word for a reading: hot above 70 °C (burns bare skin within a second or so on metal: ISO
/// 13732-1:2006, 65 to 70 °C for 1 s), warm above [`TOUCH_SAFE_C`] or while heat is asked for.
#[must_use]
pub fn heat_word(temp_c: Option<f64>, target_c: f64) -> HeatWord {
    match temp_c {
        // A reading at the end of the table is no temperature.
        Some(t) if t <= 1.0 || t >= 345.0 => HeatWord::Unknown,
        Some(t) if t > 70.0 => HeatWord::Hot,
        Some(t) if t > TOUCH_SAFE_C || target_c > 0.0 => HeatWord::Warm,
        Some(_) => HeatWord::Safe,
        None => HeatWord::Unknown,
    }
}
