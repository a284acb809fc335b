//! What is wanted by height: the kind, its values, its limits.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::Band;

/// What can be set by height.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum BandKind {
    /// Flow override, a number: `M221`.
    Flow,
    /// Nozzle temperature [°C]: `M104`.
    Temperature,
    /// Part fan, 0 to 1: `M106`.
    Fan,
    /// Pressure advance [s]: `M900`.
    PressureAdvance,
    /// Length of the board's own retraction [mm]: `M207`, for files that leave it to the board (G10).
    OwnRetraction,
    /// Length of a retraction [mm]: in the moves.
    RetractionDistance,
    /// Speed of taking back [mm/s]: in the moves.
    RetractionSpeed,
    /// Speed of travel [mm/s]: in the moves.
    TravelSpeed,
    /// Lift in travel [mm]: in the moves.
    Hop,
    /// Flow of the first layer, a number: in the moves.
    FirstLayerFlow,
}

struct Of {
    kind: BandKind,
    name: &'static str,
    what: &'static str,
    unit: &'static str,
    least: f64,
    most: f64,
}

/// Limits are those of common practice, no source: beyond them nobody means it.
const KINDS: [Of; 10] = [
    Of {
        kind: BandKind::Flow,
        name: "flow",
        what: "flow override",
        unit: "",
        least: 0.5,
        most: 2.0,
    },
    Of {
        kind: BandKind::Temperature,
        name: "temperature",
        what: "nozzle temperature",
        unit: " °C",
        least: 150.0,
        most: 500.0,
    },
    Of {
        kind: BandKind::Fan,
        name: "fan",
        what: "part fan",
        unit: "",
        least: 0.0,
        most: 1.0,
    },
    Of {
        kind: BandKind::PressureAdvance,
        name: "pressure_advance",
        what: "pressure advance",
        unit: " s",
        least: 0.0,
        most: 2.0,
    },
    Of {
        kind: BandKind::OwnRetraction,
        name: "own_retraction",
        what: "board’s own retraction",
        unit: " mm",
        least: 0.0,
        most: 15.0,
    },
    Of {
        kind: BandKind::RetractionDistance,
        name: "retraction_distance",
        what: "retraction",
        unit: " mm",
        least: 0.0,
        most: 15.0,
    },
    Of {
        kind: BandKind::RetractionSpeed,
        name: "retraction_speed",
        what: "retraction",
        unit: " mm/s",
        least: 1.0,
        most: 150.0,
    },
    Of {
        kind: BandKind::TravelSpeed,
        name: "travel_speed",
        what: "travel",
        unit: " mm/s",
        least: 5.0,
        most: 600.0,
    },
    Of {
        kind: BandKind::Hop,
        name: "hop",
        what: "travel after a retraction",
        unit: " mm",
        least: 0.0,
        most: 5.0,
    },
    Of {
        kind: BandKind::FirstLayerFlow,
        name: "first_layer_flow",
        what: "first layer",
        unit: "",
        least: 0.5,
        most: 2.0,
    },
];

impl BandKind {
    fn of(self) -> &'static Of {
        // OK because every kind stands in the list; a test asks for each.
        KINDS.iter().find(|k| k.kind == self).unwrap_or(&KINDS[0])
    }

    /// All of them.
    pub fn all() -> impl Iterator<Item = Self> {
        KINDS.iter().map(|k| k.kind)
    }

    /// Its name in a command line.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.of().name
    }

    /// What it sets, in words.
    #[must_use]
    pub fn what(self) -> &'static str {
        self.of().what
    }

    /// Its unit, with a space before it; nothing for a number.
    #[must_use]
    pub fn unit(self) -> &'static str {
        self.of().unit
    }

    /// Whether a command sets it, and no move has to be written anew.
    #[must_use]
    pub const fn is_command(self) -> bool {
        matches!(
            self,
            Self::Flow
                | Self::Temperature
                | Self::Fan
                | Self::PressureAdvance
                | Self::OwnRetraction
        )
    }
}

/// Bands that are wanted.
#[derive(Clone, Debug, PartialEq)]
pub struct Wanted {
    /// What is set.
    pub kind: BandKind,
    /// Its values from below, in the unit of the kind.
    pub values: Vec<f64>,
    /// Height of a band [mm].
    pub every_mm: f64,
    /// Where the first begins [mm].
    pub from_mm: f64,
    /// Flow that the profile has already [1]: the override multiplies it.
    pub profile_flow: f64,
    /// Highest temperature that may be set [°C].
    pub ceiling_c: f64,
}

/// Bands kept apart.
pub(super) const MOST_BANDS: usize = 400;

/// Something wanted that can't be meant.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct WantedError(pub String);

/// Values from `start` to `stop` by `step`, both included.
/// # Errors
/// [`WantedError`] where the step leads nowhere, or to more than 400.
pub fn band_values(start: f64, stop: f64, step: f64) -> Result<Vec<f64>, WantedError> {
    let wrong = |says: String| Err(WantedError(says));
    if ![start, stop, step].iter().all(|v| v.is_finite())
        || step == 0.0
        || (stop - start) * step < 0.0
    {
        return wrong(format!("From {start} to {stop} by {step} leads nowhere."));
    }
    // A last value that misses its end by rounding is meant.
    let count = ((stop - start) / step + 1e-6).floor() + 1.0;
    if count > MOST_BANDS as f64 {
        return wrong(format!(
            "{count:.0} values are too many: {MOST_BANDS} at most."
        ));
    }
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)] // bounded above
    let count = count as usize;
    #[allow(clippy::cast_precision_loss)]
    // Tenths of millionths: what adding steps leaves behind isn't meant.
    Ok((0..count)
        .map(|i| ((start + i as f64 * step) * 1e7).round() / 1e7)
        .collect())
}

/// Reads `kind=start:stop:step`, `kind=value` or `kind=value,value,…`.
/// # Errors
/// [`WantedError`] that says what is wrong and what there is.
pub fn read_wanted(text: &str) -> Result<(BandKind, Vec<f64>), WantedError> {
    let (name, values) = text.split_once('=').ok_or_else(|| {
        WantedError(format!(
            "“{text}” sets nothing. Write it like flow=1.15:1.40:0.05."
        ))
    })?;
    let name = name.trim().to_ascii_lowercase().replace(['-', ' '], "_");
    let name = match name.as_str() {
        "retraction" => "retraction_distance",
        "first_layer" => "first_layer_flow",
        other => other,
    };
    let kind = KINDS
        .iter()
        .find(|k| k.name == name)
        .map(|k| k.kind)
        .ok_or_else(|| {
            let all: Vec<&str> = KINDS.iter().map(|k| k.name).collect();
            WantedError(format!(
                "“{name}” can’t be set by height. There are {}.",
                all.join(", ")
            ))
        })?;
    let number = |t: &str| {
        t.trim()
            .parse::<f64>()
            .ok()
            .filter(|v| v.is_finite())
            .ok_or_else(|| WantedError(format!("“{t}” is no number.")))
    };
    let parts: Vec<&str> = values.split(':').collect();
    let values = match parts.as_slice() {
        [list] => list.split(',').map(number).collect::<Result<_, _>>()?,
        [start, stop, step] => band_values(number(start)?, number(stop)?, number(step)?)?,
        _ => {
            return Err(WantedError(format!(
                "“{values}” is no list. Write start:stop:step."
            )));
        }
    };
    Ok((kind, values))
}

impl Wanted {
    /// What the printer makes of a value [unit of the kind].
    #[must_use]
    pub fn effective(&self, value: f64) -> f64 {
        match self.kind {
            // Tenths of millionths: what multiplying leaves behind isn't meant.
            BandKind::Flow | BandKind::FirstLayerFlow => {
                (value * self.profile_flow * 1e7).round() / 1e7
            }
            _ => value,
        }
    }

    /// The bands, from below, with nothing in them yet.
    #[must_use]
    pub fn bands(&self) -> Vec<Band> {
        self.values
            .iter()
            .enumerate()
            .map(|(i, value)| {
                #[allow(clippy::cast_precision_loss)] // a few hundred bands at most
                let from_mm = self.from_mm + i as f64 * self.every_mm;
                Band {
                    from_mm,
                    to_mm: from_mm + self.every_mm,
                    value: *value,
                    effective: self.effective(*value),
                    line: None,
                    printed_mm: 0.0,
                }
            })
            .collect()
    }

    /// Whether it can be meant.
    /// # Errors
    /// [`WantedError`] with what is wrong and what to do.
    pub fn check(&self) -> Result<(), WantedError> {
        let of = self.kind.of();
        let wrong = |says: String| Err(WantedError(says));
        if self.values.is_empty() || self.values.len() > MOST_BANDS {
            return wrong(format!("Give 1 to {MOST_BANDS} values."));
        }
        if self.kind == BandKind::FirstLayerFlow && self.values.len() > 1 {
            return wrong("There is one first layer: give one value for it.".into());
        }
        let most = match self.kind {
            BandKind::Temperature => self.ceiling_c.min(of.most),
            _ => of.most,
        };
        if let Some(out) = self.values.iter().find(|v| !(of.least..=most).contains(*v)) {
            let why = if self.kind == BandKind::Temperature && *out > most {
                format!(
                    "{out}{} is above the ceiling of {most}{}.",
                    of.unit, of.unit
                )
            } else {
                format!(
                    "A {} of {out}{} is beyond its limits: {} to {most}{}.",
                    of.what, of.unit, of.least, of.unit
                )
            };
            return wrong(why);
        }
        if !(0.05..=500.0).contains(&self.every_mm) {
            return wrong(format!(
                "Bands of {} mm can’t be made: 0.05 to 500 mm.",
                self.every_mm
            ));
        }
        if !(0.0..=2_000.0).contains(&self.from_mm) {
            return wrong(format!("Bands can’t begin at {} mm.", self.from_mm));
        }
        if !(0.2..=3.0).contains(&self.profile_flow) {
            return wrong(format!(
                "A profile’s flow of {} can’t be meant: 0.2 to 3.",
                self.profile_flow
            ));
        }
        Ok(())
    }
}
