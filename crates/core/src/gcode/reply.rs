//! What a printer answers.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A temperature report, e.g. `T:205.1 /210.0 B:60.0 /60.0 @:87 B@:30 UP:12.25`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Temperatures {
    /// Nozzle [°C].
    pub nozzle_c: f64,
    /// Its target [°C].
    pub nozzle_target_c: f64,
    /// Bed [°C].
    pub bed_c: Option<f64>,
    /// Its target [°C].
    pub bed_target_c: Option<f64>,
    /// Heater output as the printer counts it, usually 0 to 127.
    pub nozzle_output: Option<f64>,
    /// Seconds by the printer's own clock, where it says so.
    pub uptime_s: Option<f64>,
}

/// One line of an answer.
#[derive(Clone, Debug, PartialEq)]
pub enum Reply {
    /// The line was taken; the rest of the line, if any.
    Ok(String),
    /// The printer wants line `n` again, and all after it.
    Resend(u64),
    /// Still at it.
    Busy,
    /// Something went wrong; the words after `Error:`.
    Error(String),
    /// The printer has just started.
    Started,
    /// Anything else.
    Other(String),
}

/// Reads one line of an answer. Temperatures inside it are read by [`read_temperatures`].
#[must_use]
pub fn read_reply(line: &str) -> Reply {
    let t = line.trim();
    let lower: String = t.chars().take(24).collect::<String>().to_ascii_lowercase();
    if lower == "ok" || lower.starts_with("ok ") {
        // OK because "ok" is two ASCII bytes.
        return Reply::Ok(t[2..].trim().to_owned());
    }
    if let Some(rest) = lower
        .strip_prefix("resend:")
        .or_else(|| lower.strip_prefix("rs "))
    {
        let digits: String = rest
            .trim()
            .trim_start_matches('n')
            .chars()
            .take_while(char::is_ascii_digit)
            .collect();
        return digits
            .parse()
            .map_or_else(|_| Reply::Other(t.to_owned()), Reply::Resend);
    }
    if lower.starts_with("error:") {
        return Reply::Error(t[6..].trim().to_owned());
    }
    if lower.contains("busy:") {
        return Reply::Busy;
    }
    if lower == "start" {
        return Reply::Started;
    }
    Reply::Other(t.to_owned())
}

/// Reads the temperatures in a line, if it is a report.
///
/// A value that is no number makes the whole line no report: half a report was damaged on the way.
/// Domain: nozzle −300 to 1500 °C.
#[must_use]
pub fn read_temperatures(line: &str) -> Option<Temperatures> {
    let mut out = Temperatures::default();
    let mut seen = false;
    let spaced = line.replace('/', " /");
    let mut words = spaced.split_whitespace().peekable();
    while let Some(word) = words.next() {
        let Some((name, value)) = word.split_once(':') else {
            continue;
        };
        if !matches!(name, "T" | "T0" | "B" | "@" | "UP") {
            continue;
        }
        let value = plain_number(value)?;
        let mut target = || {
            words
                .peek()
                .and_then(|w| w.strip_prefix('/'))
                .map(plain_number)
                .inspect(|_| {
                    words.next();
                })
        };
        match name {
            "T" | "T0" if !seen => {
                out.nozzle_c = value;
                out.nozzle_target_c = target()??;
                seen = true;
            }
            "B" => {
                out.bed_c = Some(value);
                out.bed_target_c = Some(target()??);
            }
            "@" => out.nozzle_output = Some(value),
            "UP" => out.uptime_s = Some(value),
            _ => {}
        }
    }
    let range = -300.0..=1_500.0;
    (seen && range.contains(&out.nozzle_c) && range.contains(&out.nozzle_target_c)).then_some(out)
}

fn plain_number(text: &str) -> Option<f64> {
    let fine = !text.is_empty()
        && text
            .chars()
            .all(|c| c.is_ascii_digit() || matches!(c, '.' | '-'));
    if fine { text.parse().ok() } else { None }
}

/// What a printer's own autotune reports at the end of a swing.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct AutotuneReport {
    /// Half of the relay's step, 0 to 255.
    pub d: Option<f64>,
    /// Lowest of the swing [°C].
    pub min_c: Option<f64>,
    /// Highest of the swing [°C].
    pub max_c: Option<f64>,
    /// Ultimate gain, output 0 to 255.
    pub ku: Option<f64>,
    /// Ultimate period [s].
    pub tu_s: Option<f64>,
    /// Proportional gain it proposes, output 0 to 255.
    pub kp: Option<f64>,
    /// Integral gain [1/s].
    pub ki: Option<f64>,
    /// Derivative gain [s].
    pub kd: Option<f64>,
}

/// Reads `name: value` pairs of an autotune into `report`; true if there was one of them.
pub fn read_autotune(line: &str, report: &mut AutotuneReport) -> bool {
    let mut found = false;
    let spaced = line.replace(':', ": ");
    let words: Vec<&str> = spaced.split_whitespace().collect();
    for pair in words.windows(2) {
        let Some(name) = pair[0].strip_suffix(':') else {
            continue;
        };
        let Some(value) = plain_number(pair[1]).filter(|v| v.abs() < 1e6) else {
            continue;
        };
        let slot = match name.to_ascii_lowercase().as_str() {
            "d" => &mut report.d,
            "min" => &mut report.min_c,
            "max" => &mut report.max_c,
            "ku" => &mut report.ku,
            "tu" => &mut report.tu_s,
            "kp" => &mut report.kp,
            "ki" => &mut report.ki,
            "kd" => &mut report.kd,
            _ => continue,
        };
        *slot = Some(value);
        found = true;
    }
    found
}
