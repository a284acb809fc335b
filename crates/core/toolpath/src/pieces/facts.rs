//! For which printer a piece is made.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::text::plain;

/// A printer, its bore and filament, as far as a test piece depends on them. What isn't said is that of a common
/// small printer with a bore of 0.4 mm [common practice, no source].
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct PieceFor {
    /// Plate: X, Y [mm].
    pub bed_mm: [f64; 2],
    /// Height that can be printed [mm].
    pub height_mm: f64,
    /// Rim of the plate that stays free: clips, edges [mm].
    pub rim_mm: f64,
    /// Bore [mm].
    pub bore_mm: f64,
    /// Nozzles, 1 or 2; a number of.
    pub nozzles: u8,
    /// Width of a line [mm]; 110 % of the bore unless said.
    pub width_mm: Option<f64>,
    /// Height of a layer [mm]; half the bore unless said.
    pub layer_mm: Option<f64>,
    /// Diameter of the filament [mm].
    pub filament_mm: f64,
    /// Its density [g/cm³].
    pub density_g_cm3: f64,
    /// Nozzle [°C].
    pub nozzle_c: f64,
    /// Ceiling of the hot end [°C].
    pub ceiling_c: f64,
    /// Bed [°C].
    pub bed_c: f64,
    /// Part fan above the first layer, 0 to 1.
    pub fan: f64,
    /// Speed of printing [mm/s].
    pub speed_mm_s: f64,
    /// Speed of the first layer [mm/s].
    pub first_speed_mm_s: f64,
    /// Speed of travel [mm/s].
    pub travel_mm_s: f64,
    /// Volumetric limit [mm³/s].
    pub flow_limit_mm3_s: f64,
    /// Retraction [mm].
    pub retract_mm: f64,
    /// Its speed [mm/s].
    pub retract_mm_s: f64,
    /// Lift over travel [mm].
    pub hop_mm: f64,
    /// Flow multiplier of the profile [1].
    pub flow: f64,
    /// The shop's own block at the begin, with `{nozzle}` and `{bed}` for the temperatures; blank for the usual one.
    pub start: String,
    /// The shop's own block at the end; blank for the usual one.
    pub end: String,
}

impl Default for PieceFor {
    fn default() -> Self {
        Self {
            bed_mm: [220.0, 220.0],
            height_mm: 220.0,
            rim_mm: 12.0,
            bore_mm: 0.4,
            nozzles: 1,
            width_mm: None,
            layer_mm: None,
            filament_mm: 1.75,
            density_g_cm3: 1.24,
            nozzle_c: 210.0,
            ceiling_c: 235.0,
            bed_c: 60.0,
            fan: 1.0,
            speed_mm_s: 50.0,
            first_speed_mm_s: 20.0,
            travel_mm_s: 130.0,
            flow_limit_mm3_s: 8.0,
            retract_mm: 1.0,
            retract_mm_s: 35.0,
            hop_mm: 0.0,
            flow: 1.0,
            start: String::new(),
            end: String::new(),
        }
    }
}

/// Why a piece isn't made.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{field}: {says}")]
pub struct PieceError {
    /// What of the facts or the settings.
    pub field: String,
    /// What is wrong and what to do.
    pub says: String,
}

impl PieceError {
    pub(super) fn new(field: &str, says: impl Into<String>) -> Self {
        Self {
            field: field.to_owned(),
            says: says.into(),
        }
    }
}

impl PieceFor {
    /// Width of a line [mm].
    #[must_use]
    pub fn width(&self) -> f64 {
        self.width_mm.unwrap_or(1.1 * self.bore_mm)
    }

    /// Height of a layer [mm].
    #[must_use]
    pub fn layer(&self) -> f64 {
        self.layer_mm
            .unwrap_or((0.5 * self.bore_mm / 0.01).round() * 0.01)
    }

    /// Cross-section of the filament [mm²].
    #[must_use]
    pub fn filament_mm2(&self) -> f64 {
        std::f64::consts::FRAC_PI_4 * self.filament_mm * self.filament_mm
    }

    /// Checks that each fact can be meant, and that they fit each other.
    /// # Errors
    /// [`PieceError`] naming the first that can't.
    pub fn check(&self) -> Result<(), PieceError> {
        let within = |field: &str, value: f64, least: f64, most: f64| {
            if (least..=most).contains(&value) {
                Ok(())
            } else {
                Err(PieceError::new(
                    field,
                    format!("{value} is out of range. Give {least} to {most}."),
                ))
            }
        };
        within("bed_mm", self.bed_mm[0].min(self.bed_mm[1]), 60.0, 2_000.0)?;
        within("height_mm", self.height_mm, 40.0, 2_000.0)?;
        within("rim_mm", self.rim_mm, 0.0, 60.0)?;
        within("bore_mm", self.bore_mm, 0.1, 2.0)?;
        within("nozzles", f64::from(self.nozzles), 1.0, 2.0)?;
        within(
            "width_mm",
            self.width(),
            0.95 * self.bore_mm,
            1.6 * self.bore_mm,
        )?;
        within(
            "layer_mm",
            self.layer(),
            0.2 * self.bore_mm,
            0.8 * self.bore_mm,
        )?;
        within("filament_mm", self.filament_mm, 0.5, 5.0)?;
        within("density_g_cm3", self.density_g_cm3, 0.5, 4.0)?;
        within("nozzle_c", self.nozzle_c, 170.0, 500.0)?;
        within("bed_c", self.bed_c, 0.0, 200.0)?;
        within("fan", self.fan, 0.0, 1.0)?;
        within("speed_mm_s", self.speed_mm_s, 2.0, 1_000.0)?;
        within("first_speed_mm_s", self.first_speed_mm_s, 2.0, 500.0)?;
        within("travel_mm_s", self.travel_mm_s, 5.0, 1_500.0)?;
        within("flow_limit_mm3_s", self.flow_limit_mm3_s, 0.1, 500.0)?;
        within("retract_mm", self.retract_mm, 0.0, 20.0)?;
        within("retract_mm_s", self.retract_mm_s, 1.0, 200.0)?;
        within("hop_mm", self.hop_mm, 0.0, 5.0)?;
        if !(0.3..=2.0).contains(&self.flow) {
            return Err(PieceError::new(
                "flow",
                format!(
                    "{} % is out of range. Give 30 to 200 %.",
                    plain(100.0 * self.flow, 1)
                ),
            ));
        }
        if self.nozzle_c > self.ceiling_c {
            return Err(PieceError::new(
                "nozzle_c",
                format!(
                    "{} °C is above the ceiling of {} °C.",
                    self.nozzle_c, self.ceiling_c
                ),
            ));
        }
        Ok(())
    }
}
