//! The controller a printer's firmware runs, and its gains in the forms firmwares write them.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::read_settings;
use wattotherm_measure::text::fixed;

/// Range of the controller's output in a firmware.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum OutputForm {
    /// 0 to 255.
    #[default]
    Byte,
    /// 0 to 1.
    Unit,
}

impl OutputForm {
    /// Full output in this form: 1 or 255 [no unit].
    #[must_use]
    pub const fn full(self) -> f64 {
        match self {
            Self::Byte => 255.0,
            Self::Unit => 1.0,
        }
    }
    /// "output 0-255".
    #[must_use]
    pub const fn label(self) -> &'static str {
        match self {
            Self::Byte => "output 0-255",
            Self::Unit => "output 0-1",
        }
    }
}

/// Parallel gains, output in duty (0 to 1).
///
/// u = Kp·e + Ki·∫e dt + Kd·de/dt. Kp [duty/°C], Ki [duty/(°C·s)], Kd [duty·s/°C].
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Gains {
    /// Proportional [duty/°C].
    pub kp: f64,
    /// Integral [duty/(°C·s)].
    pub ki: f64,
    /// Derivative [duty·s/°C].
    pub kd: f64,
}

/// Gains that no printer can run.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("gains must be numbers of 0 or more, with P above 0 and below 5 duty per °C")]
pub struct GainsError;

impl Gains {
    /// From the standard form: Kp, Ti [s], Td [s]; Ki = Kp/Ti, Kd = Kp·Td.
    #[must_use]
    pub fn from_times(kp: f64, ti_s: f64, td_s: f64) -> Self {
        let ki = if ti_s.is_finite() && ti_s > 0.0 {
            kp / ti_s
        } else {
            0.0
        };
        Self {
            kp,
            ki,
            kd: kp * td_s,
        }
    }

    /// From the numbers a firmware of this form writes.
    /// # Errors
    /// [`GainsError`] for numbers that are negative, not finite, or absurd.
    pub fn from_form(p: f64, i: f64, d: f64, form: OutputForm) -> Result<Self, GainsError> {
        let full = form.full();
        let g = Self {
            kp: p / full,
            ki: i / full,
            kd: d / full,
        };
        let fine = |v: f64| v.is_finite() && v >= 0.0;
        if fine(g.kp)
            && fine(g.ki)
            && fine(g.kd)
            && g.kp > 0.0
            && g.kp < 5.0
            && g.ki < 5.0
            && g.kd < 100.0
        {
            Ok(g)
        } else {
            Err(GainsError)
        }
    }

    /// The three numbers [output/K, output/(K·s), output·s/K] as a firmware of this form writes them.
    #[must_use]
    pub fn in_form(&self, form: OutputForm) -> [f64; 3] {
        let full = form.full();
        [self.kp * full, self.ki * full, self.kd * full]
    }

    /// "P 22.40 I 1.32 D 95.03", output 0-255: how a heater loop's value is kept and compared.
    #[must_use]
    pub fn text(&self) -> String {
        let [p, i, d] = self.in_form(OutputForm::Byte);
        format!("P {} I {} D {}", fixed(p, 2), fixed(i, 2), fixed(d, 2))
    }

    /// Reads what [`Gains::text`] wrote.
    #[must_use]
    pub fn from_text(text: &str) -> Option<Self> {
        let mut numbers = [None; 3];
        let words: Vec<&str> = text.split_whitespace().collect();
        for pair in words.chunks(2) {
            let [name, value] = pair else { return None };
            let at = ["P", "I", "D"].iter().position(|n| n == name)?;
            numbers[at] = value.parse::<f64>().ok();
        }
        let [Some(p), Some(i), Some(d)] = numbers else {
            return None;
        };
        Self::from_form(p, i, d, OutputForm::Byte).ok()
    }

    /// The nozzle's gains in a settings report, whichever output they are for.
    ///
    /// Gains for output 0 to 1 would be nothing on 0 to 255, so a P below 1 is taken for one of those.
    /// Source: common practice, no published source. None where the report has none that a printer could run.
    #[must_use]
    pub fn reported(report: &str) -> Option<Self> {
        let report = read_settings(report);
        let get = |letter: char| {
            let found = report
                .values
                .iter()
                .find(|(k, _)| k.code == "M301" && k.letter == letter);
            found.map(|(_, v)| *v)
        };
        let (p, i, d) = (get('P')?, get('I')?, get('D')?);
        let form = if p < 1.0 {
            OutputForm::Unit
        } else {
            OutputForm::Byte
        };
        Self::from_form(p, i, d, form).ok()
    }

    /// As they are typed for output 0 to 255: P, I, D.
    #[must_use]
    pub fn typed(&self) -> [String; 3] {
        self.in_form(OutputForm::Byte).map(|v| fixed(v, 2))
    }

    /// Integral time [s]; infinite without integral.
    #[must_use]
    pub fn ti_s(&self) -> f64 {
        if self.ki > 0.0 {
            self.kp / self.ki
        } else {
            f64::INFINITY
        }
    }

    /// Derivative time [s].
    #[must_use]
    pub fn td_s(&self) -> f64 {
        if self.kp > 0.0 {
            self.kd / self.kp
        } else {
            0.0
        }
    }
}

/// How a firmware's controller goes about a step. Common practice, no published source.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[derive(strum::IntoStaticStr)]
#[strum(serialize_all = "snake_case")]
pub enum ControllerKind {
    /// Full heat or none beyond 10 °C from the target, where the integral is cleared.
    #[default]
    FullHeatBand,
    /// All the way by its gains; the integral is held while the output is at its limit.
    NoBand,
    /// As the last, with the derivative of the error: a new target kicks it.
    ErrorDerivative,
}

impl ControllerKind {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::FullHeatBand, Self::NoBand, Self::ErrorDerivative];

    /// In words.
    #[must_use]
    pub const fn label(self) -> &'static str {
        match self {
            Self::FullHeatBand => "full heat beyond 10 °C",
            Self::NoBand => "by its gains all the way",
            Self::ErrorDerivative => "by its gains, derivative of the error",
        }
    }
}

/// How the controller runs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ControllerSettings {
    /// Gains.
    pub gains: Gains,
    /// Time between two decisions [s].
    pub sample_s: f64,
    /// Time constant of the derivative's filter [s]; 0 for none.
    pub derivative_filter_s: f64,
    /// Most the integral may hold [duty].
    pub integral_limit: f64,
    /// Beyond this error the output is full or nothing and the integral is cleared [°C]; none for a
    /// controller without such a band. Common practice, no published source.
    pub band_c: Option<f64>,
    /// Whether the derivative is of the error, target and all, and not of the measurement alone.
    pub of_error: bool,
}

impl ControllerSettings {
    /// Settings as firmwares commonly have them: ten decisions a second, derivative filtered over
    /// one second, integral up to full output, band of 10 °C. Common practice, no published source.
    #[must_use]
    pub const fn common(gains: Gains) -> Self {
        Self {
            gains,
            sample_s: 0.1,
            derivative_filter_s: 1.0,
            integral_limit: 1.0,
            band_c: Some(10.0),
            of_error: false,
        }
    }

    /// As [`ControllerSettings::common`], going about a step in this way.
    #[must_use]
    pub const fn of_kind(gains: Gains, kind: ControllerKind) -> Self {
        let mut s = Self::common(gains);
        if !matches!(kind, ControllerKind::FullHeatBand) {
            s.band_c = None;
        }
        s.of_error = matches!(kind, ControllerKind::ErrorDerivative);
        s
    }

    /// With another sample time [s].
    #[must_use]
    pub const fn sampled_every(mut self, sample_s: f64) -> Self {
        self.sample_s = sample_s;
        self
    }

    /// With another band [°C].
    #[must_use]
    pub const fn with_band(mut self, band_c: Option<f64>) -> Self {
        self.band_c = band_c;
        self
    }

    /// With another derivative filter [s].
    #[must_use]
    pub const fn filtered_over(mut self, filter_s: f64) -> Self {
        self.derivative_filter_s = filter_s;
        self
    }
}

/// The running controller: parallel form, integral held while the output is saturated and clamped to its
/// limit.
#[derive(Clone, Copy, Debug)]
pub struct Controller {
    settings: ControllerSettings,
    integral: f64,
    slope: f64,
    last: Option<f64>,
}

impl Controller {
    /// At rest.
    #[must_use]
    pub const fn new(settings: ControllerSettings) -> Self {
        Self {
            settings,
            integral: 0.0,
            slope: 0.0,
            last: None,
        }
    }

    /// After a long hold at `at_c` [°C] with this duty.
    #[must_use]
    pub const fn holding(mut self, duty: f64, at_c: f64) -> Self {
        self.integral = duty;
        self.last = Some(if self.settings.of_error { 0.0 } else { at_c });
        self
    }

    /// Output [duty, 0 to 1] for a target and a measurement [°C]; call once a sample time.
    pub fn update(&mut self, target_c: f64, measured_c: f64) -> f64 {
        let s = &self.settings;
        let g = &s.gains;
        let followed = if s.of_error {
            measured_c - target_c
        } else {
            measured_c
        };
        let raw = self.last.map_or(0.0, |l| (followed - l) / s.sample_s);
        self.last = Some(followed);
        let mix = s.sample_s / (s.derivative_filter_s + s.sample_s);
        self.slope += (raw - self.slope) * mix;
        let error = target_c - measured_c;
        if let Some(band) = s.band_c
            && error.abs() > band
        {
            self.integral = 0.0;
            return if error > 0.0 { 1.0 } else { 0.0 };
        }
        let grown = (self.integral + g.ki * error * s.sample_s).clamp(0.0, s.integral_limit);
        let wanted = g.kp * error + grown - g.kd * self.slope;
        // Held while saturated and still pushing: otherwise the heat-up winds it up.
        let pushing = (wanted > 1.0 && error > 0.0) || (wanted < 0.0 && error < 0.0);
        if !pushing {
            self.integral = grown;
        }
        (g.kp * error + self.integral - g.kd * self.slope).clamp(0.0, 1.0)
    }
}
