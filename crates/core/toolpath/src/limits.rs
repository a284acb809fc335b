//! What a printer can do: speeds, accelerations, corners, flow.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{SettingKey, SettingsReport};

/// A limit for each axis; none where there is none.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct AxisLimits {
    /// Along X, in the unit of the limit (mm/s or mm/s²).
    pub x: Option<f64>,
    /// Along Y, in the unit of the limit (mm/s or mm/s²).
    pub y: Option<f64>,
    /// Along Z, in the unit of the limit (mm/s or mm/s²).
    pub z: Option<f64>,
    /// Of the filament, in the unit of the limit (mm/s or mm/s²).
    pub e: Option<f64>,
}

impl AxisLimits {
    /// X, Y, Z and E [unit of the limit]; infinite where there is none.
    #[must_use]
    pub fn all(&self) -> [f64; 4] {
        [self.x, self.y, self.z, self.e].map(|l| l.unwrap_or(f64::INFINITY))
    }
}

/// How fast a corner is taken.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Corner {
    /// Junction deviation [mm].
    Junction(f64),
    /// Largest sudden change of speed of X, Y, Z and E [mm/s].
    Jerk([f64; 4]),
}

/// Junction deviation [mm] where nothing is said of corners: common practice, no source.
pub const DEFAULT_JUNCTION_MM: f64 = 0.05;

/// Limits of a printer. What isn't said binds nothing, but for the acceleration and the corner, without which
/// there is no time: 1 000 mm/s² and a junction deviation of 0.05 mm [common practice, no source].
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
#[schema(as = PathLimits)]
pub struct Limits {
    /// Acceleration of moves that print [mm/s²].
    pub accel_mm_s2: f64,
    /// Acceleration of moves that don't [mm/s²]; as those that print unless said.
    pub travel_accel_mm_s2: Option<f64>,
    /// Top speed of each axis [mm/s].
    pub max_speed_mm_s: AxisLimits,
    /// Top acceleration of each axis [mm/s²].
    pub max_accel_mm_s2: AxisLimits,
    /// Junction deviation [mm]; rules where both are said.
    pub junction_mm: Option<f64>,
    /// Largest sudden change of speed of each axis [mm/s].
    pub jerk_mm_s: Option<AxisLimits>,
    /// Volumetric limit [mm³/s].
    pub flow_limit_mm3_s: Option<f64>,
    /// Number of moves that the planner sees; without it the whole path.
    pub look_ahead: Option<usize>,
    /// What every time is multiplied by [1]: found from finished prints of this printer.
    pub factor: f64,
    /// Diameter of the filament [mm].
    pub filament_mm: f64,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            accel_mm_s2: 1_000.0,
            travel_accel_mm_s2: None,
            max_speed_mm_s: AxisLimits::default(),
            max_accel_mm_s2: AxisLimits::default(),
            junction_mm: None,
            jerk_mm_s: None,
            flow_limit_mm3_s: None,
            look_ahead: None,
            factor: 1.0,
            filament_mm: 1.75,
        }
    }
}

/// A limit that can't be meant.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{field}: {says}")]
pub struct LimitsError {
    /// Name of the limit.
    pub field: &'static str,
    /// What is wrong and what to do.
    pub says: String,
}

impl Limits {
    /// Checks that each limit can be meant.
    /// # Errors
    /// [`LimitsError`] naming the first that can't.
    pub fn checked(self) -> Result<Self, LimitsError> {
        let within = |field: &'static str, value: f64, least: f64, most: f64| {
            if (least..=most).contains(&value) {
                Ok(())
            } else {
                Err(LimitsError {
                    field,
                    says: format!("{value} is out of range. Give {least} to {most}."),
                })
            }
        };
        within("accel_mm_s2", self.accel_mm_s2, 1.0, 1e6)?;
        within(
            "travel_accel_mm_s2",
            self.travel_accel_mm_s2.unwrap_or(self.accel_mm_s2),
            1.0,
            1e6,
        )?;
        for value in self.max_speed_mm_s.all() {
            within("max_speed_mm_s", value.min(1e5), 1e-3, 1e5)?;
        }
        for value in self.max_accel_mm_s2.all() {
            within("max_accel_mm_s2", value.min(1e6), 1.0, 1e6)?;
        }
        within("junction_mm", self.junction_mm.unwrap_or(0.0), 0.0, 10.0)?;
        for value in self.jerk_mm_s.unwrap_or_default().all() {
            within("jerk_mm_s", value.min(1e4), 0.0, 1e4)?;
        }
        within(
            "flow_limit_mm3_s",
            self.flow_limit_mm3_s.unwrap_or(10.0),
            0.01,
            1e3,
        )?;
        within("factor", self.factor, 0.1, 10.0)?;
        within("filament_mm", self.filament_mm, 0.5, 5.0)?;
        if self.look_ahead.is_some_and(|n| n < 2) {
            return Err(LimitsError {
                field: "look_ahead",
                says: "A planner sees 2 moves at least. Leave it out for the whole path.".into(),
            });
        }
        Ok(self)
    }

    /// Limits as a board's settings report tells them (`M201`, `M203`, `M204`, `M205`); none where it tells no
    /// acceleration. What the report leaves out stays as it is by default.
    #[must_use]
    pub fn reported(report: &SettingsReport) -> Option<Self> {
        let value = |code: &str, letter: char| {
            let key = SettingKey {
                code: code.to_owned(),
                letter,
            };
            report.values.get(&key).copied().filter(|v| *v > 0.0)
        };
        let axes = |code: &str| AxisLimits {
            x: value(code, 'X'),
            y: value(code, 'Y'),
            z: value(code, 'Z'),
            e: value(code, 'E'),
        };
        let accel_mm_s2 = value("M204", 'P').or_else(|| value("M204", 'S'))?;
        let jerk = axes("M205");
        let limits = Self {
            accel_mm_s2,
            travel_accel_mm_s2: value("M204", 'T'),
            max_speed_mm_s: axes("M203"),
            max_accel_mm_s2: axes("M201"),
            junction_mm: value("M205", 'J'),
            jerk_mm_s: (jerk != AxisLimits::default()).then_some(jerk),
            ..Self::default()
        };
        limits.checked().ok()
    }

    /// How corners are taken.
    #[must_use]
    pub fn corner(&self) -> Corner {
        match (self.junction_mm, self.jerk_mm_s) {
            (None, Some(jerk)) => Corner::Jerk(jerk.all()),
            (junction, _) => Corner::Junction(junction.unwrap_or(DEFAULT_JUNCTION_MM)),
        }
    }

    /// Cross-section of the filament [mm²].
    #[must_use]
    pub fn filament_mm2(&self) -> f64 {
        std::f64::consts::FRAC_PI_4 * self.filament_mm * self.filament_mm
    }
}
