//! Temperature sensors: resistance and temperature.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// 0 °C in kelvin.
pub(crate) const ZERO_C_K: f64 = 273.15;

/// How a sensor's resistance goes with temperature.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum SensorTable {
    /// Falls with temperature: R = R25·exp(B·(1/T − 1/298.15 K)).
    NtcBeta {
        /// Resistance at 25 °C [Ω].
        r25_ohm: f64,
        /// Beta [K].
        beta_k: f64,
    },
    /// Falls with temperature: 1/T = a + b·ln R + c·(ln R)³.
    SteinhartHart {
        /// First coefficient [1/K].
        a: f64,
        /// Second coefficient [1/K].
        b: f64,
        /// Third coefficient [1/K].
        c: f64,
    },
    /// Rises with temperature, by IEC 60751.
    Platinum {
        /// Resistance at 0 °C [Ω].
        r0_ohm: f64,
    },
}

/// Why a sensor can't be described.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SensorError {
    /// Three points that don't lie on a falling curve.
    #[error(
        "the three points are not those of a sensor whose resistance falls with temperature: give three different temperatures, hotter with less resistance"
    )]
    Points,
}

// IEC 60751:2008, 4.2: the coefficients of the platinum curve.
const A: f64 = 3.9083e-3;
const B: f64 = -5.775e-7;
const C: f64 = -4.183e-12;

impl SensorTable {
    /// Resistance [Ω] at `temp_c` [°C].
    ///
    /// Source: NTC by beta, the usual two-parameter form; Steinhart & Hart 1968, Deep-Sea Research 15;
    /// platinum IEC 60751:2008 (Callendar-Van Dusen). Domain: finite, above -200 °C.
    #[must_use]
    pub fn resistance_ohm(&self, temp_c: f64) -> f64 {
        let kelvin = (temp_c + ZERO_C_K).max(1.0);
        match *self {
            Self::NtcBeta { r25_ohm, beta_k } => {
                r25_ohm * (beta_k * (1.0 / kelvin - 1.0 / 298.15)).exp()
            }
            Self::SteinhartHart { a, b, c } => {
                // Depressed cubic in ln R: c·L³ + b·L + (a − 1/T) = 0, one real root for b, c > 0.
                if c.abs() < 1e-15 {
                    return ((1.0 / kelvin - a) / b).exp();
                }
                let half_q = (a - 1.0 / kelvin) / (2.0 * c);
                let third_p = b / (3.0 * c);
                let root = (half_q * half_q + third_p.powi(3)).max(0.0).sqrt();
                ((root - half_q).cbrt() - (root + half_q).cbrt()).exp()
            }
            Self::Platinum { r0_ohm } => {
                let t = temp_c;
                let below = if t < 0.0 {
                    C * (t - 100.0) * t * t * t
                } else {
                    0.0
                };
                r0_ohm * (1.0 + A * t + B * t * t + below)
            }
        }
    }

    /// Temperature [°C] at `resistance_ohm` [Ω]; the inverse of [`SensorTable::resistance_ohm`].
    ///
    /// Domain: finite, > 0. Outside it the nearest end: an open NTC is infinitely cold.
    #[must_use]
    pub fn temp_c(&self, resistance_ohm: f64) -> f64 {
        let r = resistance_ohm.clamp(1e-3, 1e12);
        match *self {
            Self::NtcBeta { r25_ohm, beta_k } => {
                1.0 / (1.0 / 298.15 + (r / r25_ohm).ln() / beta_k) - ZERO_C_K
            }
            Self::SteinhartHart { a, b, c } => {
                let l = r.ln();
                1.0 / (a + b * l + c * l * l * l) - ZERO_C_K
            }
            Self::Platinum { r0_ohm } => {
                let ratio = r / r0_ohm;
                let above = (-A + (A * A - 4.0 * B * (1.0 - ratio)).max(0.0).sqrt()) / (2.0 * B);
                if above >= 0.0 {
                    return above;
                }
                // Below 0 °C the curve is a quartic: Newton from the quadratic's root.
                let mut t = above;
                for _ in 0..20 {
                    let f = 1.0 + A * t + B * t * t + C * (t - 100.0) * t.powi(3) - ratio;
                    let df = A + 2.0 * B * t + C * (4.0 * t.powi(3) - 300.0 * t * t);
                    let step = f / df;
                    t -= step;
                    if step.abs() < 1e-10 {
                        break;
                    }
                }
                t
            }
        }
    }

    /// Whether resistance falls with temperature.
    #[must_use]
    pub const fn falls(&self) -> bool {
        !matches!(self, Self::Platinum { .. })
    }
}

/// Steinhart-Hart coefficients through three points (°C, Ω).
///
/// Source: Steinhart & Hart 1968; three linear equations in a, b, c.
/// # Errors
/// [`SensorError::Points`] unless the points differ and hotter means less resistance.
pub fn steinhart_hart_from_points(points: [(f64, f64); 3]) -> Result<SensorTable, SensorError> {
    let mut p = points;
    p.sort_by(|x, y| x.0.total_cmp(&y.0));
    let falls = p
        .windows(2)
        .all(|w| w[1].0 - w[0].0 > 0.5 && w[1].1 < w[0].1 && w[1].1 > 0.0);
    if !falls || p.iter().any(|(t, r)| !t.is_finite() || !r.is_finite()) {
        return Err(SensorError::Points);
    }
    let l = p.map(|(_, r)| r.ln());
    let y = p.map(|(t, _)| 1.0 / (t + ZERO_C_K));
    let g2 = (y[1] - y[0]) / (l[1] - l[0]);
    let g3 = (y[2] - y[0]) / (l[2] - l[0]);
    let c = (g3 - g2) / (l[2] - l[1]) / (l[0] + l[1] + l[2]);
    let b = g2 - c * (l[0] * l[0] + l[0] * l[1] + l[1] * l[1]);
    let a = y[0] - (b + l[0] * l[0] * c) * l[0];
    Ok(SensorTable::SteinhartHart { a, b, c })
}

/// A kind of sensor that printers are built with.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct SensorType {
    /// Identifier.
    pub id: &'static str,
    /// Name at the bench.
    pub label: &'static str,
    /// Its curve.
    pub table: SensorTable,
    /// Highest temperature it bears [°C].
    pub most_c: f64,
    /// Tolerance of its resistance at room temperature [%].
    pub tolerance_percent: f64,
}

const fn ntc(id: &'static str, label: &'static str, r25_ohm: f64, beta_k: f64) -> SensorType {
    SensorType {
        id,
        label,
        table: SensorTable::NtcBeta { r25_ohm, beta_k },
        most_c: 285.0,
        tolerance_percent: 5.0,
    }
}

/// Sensor kinds to choose from. Ranges and tolerances: common practice, no published source, except
/// platinum's, IEC 60751 class B (±0.3 °C at 0 °C, some 0.12 %; 1 % leaves room for leads).
pub const SENSOR_TYPES: [SensorType; 6] = [
    ntc(
        "ntc_100k_3950",
        "glass bead, 100 kΩ, B 3950",
        100_000.0,
        3950.0,
    ),
    ntc(
        "ntc_100k_4267",
        "glass bead, 100 kΩ, B 4267",
        100_000.0,
        4267.0,
    ),
    ntc(
        "ntc_10k_3950",
        "glass bead, 10 kΩ, B 3950",
        10_000.0,
        3950.0,
    ),
    SensorType {
        id: "ntc_500k_5000",
        label: "high-temperature bead, 500 kΩ, B 5000",
        table: SensorTable::NtcBeta {
            r25_ohm: 500_000.0,
            beta_k: 5000.0,
        },
        most_c: 400.0,
        tolerance_percent: 5.0,
    },
    SensorType {
        id: "pt1000",
        label: "platinum, 1000 Ω (Pt1000)",
        table: SensorTable::Platinum { r0_ohm: 1000.0 },
        most_c: 450.0,
        tolerance_percent: 1.0,
    },
    SensorType {
        id: "pt100",
        label: "platinum, 100 Ω (Pt100)",
        table: SensorTable::Platinum { r0_ohm: 100.0 },
        most_c: 450.0,
        tolerance_percent: 1.0,
    },
];

/// The kind with this id.
#[must_use]
pub fn sensor_type(id: &str) -> Option<&'static SensorType> {
    SENSOR_TYPES.iter().find(|s| s.id == id)
}

/// Ids of the table of temperature sensors.
#[must_use]
pub fn sensor_ids() -> Vec<&'static str> {
    SENSOR_TYPES.iter().map(|s| s.id).collect()
}

/// Sensors by id and name, for a choice.
#[must_use]
pub fn sensor_options() -> Vec<(&'static str, &'static str)> {
    SENSOR_TYPES.iter().map(|s| (s.id, s.label)).collect()
}
