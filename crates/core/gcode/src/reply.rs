//! What a printer answers.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

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

/// Reads one line of an answer. Temperatures inside it are read by [`super::read_temperatures`].
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

pub(super) fn plain_number(text: &str) -> Option<f64> {
    let fine = !text.is_empty()
        && text
            .chars()
            .all(|c| c.is_ascii_digit() || matches!(c, '.' | '-'));
    if fine { text.parse().ok() } else { None }
}

/// Whether a printer prints from its own card, as it answers `M27`; none if this says nothing of it.
#[must_use]
pub fn read_card_print(line: &str) -> Option<bool> {
    let lower = line.trim().to_ascii_lowercase();
    if lower.starts_with("not ") && lower.contains("printing") {
        return Some(false);
    }
    (lower.contains("printing byte")).then_some(true)
}

/// Place of the head [mm] in an answer to `M114`, e.g. `X:10.00 Y:20.00 Z:5.00 E:0.00 Count …`.
#[must_use]
pub fn read_place(line: &str) -> Option<[f64; 3]> {
    let mut place = [None; 3];
    for word in line.split_whitespace() {
        if word == "Count" {
            break;
        }
        let Some((name, value)) = word.split_once(':') else {
            continue;
        };
        let Some(i) = ["X", "Y", "Z"].iter().position(|n| *n == name) else {
            continue;
        };
        place[i] = Some(plain_number(value).filter(|v| v.abs() < 10_000.0)?);
    }
    Some([place[0]?, place[1]?, place[2]?])
}

/// How many times faster than the wall clock a simulated printer says that it lives, in its answer to
/// `M115`: infinite for "free". Printers of metal say nothing of the kind.
#[must_use]
pub fn read_simulated_speed(line: &str) -> Option<f64> {
    let word = line
        .split_whitespace()
        .find_map(|w| w.strip_prefix("SIMULATED_SPEED:"))?;
    if word == "free" {
        return Some(f64::INFINITY);
    }
    plain_number(word).filter(|s| (0.01..=10_000.0).contains(s))
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
