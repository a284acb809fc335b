//! Stored settings: read, written, read back, and proven to outlive a power cycle.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_gcode::{SettingKey, SettingsReport, Words, read_settings, wanted_by};
use wattotherm_measure::text::plain;

use crate::link::Link;
use crate::status::SendError;

/// A value that is not what was written.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Mismatch {
    /// Command and letter, e.g. "M301 P".
    pub name: String,
    /// Written.
    pub wanted: String,
    /// Found; none where the report doesn't hold it.
    pub got: Option<String>,
}

/// What became of written settings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Written {
    /// Lines that were sent.
    pub sent: Vec<String>,
    /// Values that the printer didn't take.
    pub not_taken: Vec<Mismatch>,
    /// Values that were gone after the printer had read its memory again.
    pub not_stored: Vec<Mismatch>,
    /// The settings report after it.
    pub report: String,
    /// All of it in one sentence.
    pub says: String,
}

/// The settings report as text.
/// # Errors
/// [`SendError`].
pub async fn read_settings_text(link: &Link) -> Result<String, SendError> {
    Ok(link.send("M503").await?.join("\n"))
}

fn missing(wanted: &[(SettingKey, f64)], report: &SettingsReport) -> Vec<Mismatch> {
    wanted
        .iter()
        .filter_map(|(key, value)| {
            let got = report.values.get(key);
            // Reports print two or three decimals.
            let same = got.is_some_and(|g| (g - value).abs() <= (1e-4 * value.abs()).max(1.1e-3));
            (!same).then(|| Mismatch {
                name: format!("{} {}", key.code, key.letter),
                wanted: plain(*value, 4),
                got: got.map(|g| plain(*g, 4)),
            })
        })
        .collect()
}

/// Sends setting commands, reads them back, stores them (`M500`), lets the printer read its memory
/// again (`M501`) and reads once more: what a power cycle would lose shows at once.
/// # Errors
/// [`SendError`], the guard's refusal included; nothing after a refused line is sent.
pub async fn write_settings(link: &Link, lines: &[String]) -> Result<Written, SendError> {
    let mut wanted = Vec::new();
    for line in lines {
        link.send(line).await?;
        if let Ok(words) = Words::read(line) {
            wanted.extend(wanted_by(&words));
        }
    }
    if wanted.is_empty() {
        return Ok(Written {
            sent: lines.to_vec(),
            not_taken: Vec::new(),
            not_stored: Vec::new(),
            report: String::new(),
            says: "Sent. It can’t be read back; it holds until the printer is switched off.".into(),
        });
    }
    let taken = read_settings(&read_settings_text(link).await?);
    let not_taken = missing(&wanted, &taken);
    let mut not_stored = Vec::new();
    let mut report = String::new();
    if not_taken.is_empty() {
        link.send("M500").await?;
        link.send("M501").await?;
        report = read_settings_text(link).await?;
        not_stored = missing(&wanted, &read_settings(&report));
    }
    let list = |m: &[Mismatch]| {
        let all: Vec<String> = m
            .iter()
            .map(|m| {
                let got = m.got.as_deref().unwrap_or("nothing");
                format!("{} is {got}, not {}", m.name, m.wanted)
            })
            .collect();
        all.join("; ")
    };
    let says = if !not_taken.is_empty() {
        format!("Not taken: {}.", list(&not_taken))
    } else if !not_stored.is_empty() {
        format!(
            "Not stored: after the printer read its memory again {}. It will be gone at the next power cycle.",
            list(&not_stored)
        )
    } else {
        "Written, stored, and read back from the printer’s memory.".into()
    };
    Ok(Written {
        sent: lines.to_vec(),
        not_taken,
        not_stored,
        report,
        says,
    })
}
