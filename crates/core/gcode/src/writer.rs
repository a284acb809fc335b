//! Writes the commands a finding sends.
//!
//! Source: words and numbers after NIST IR 6556 (RS274/NGC) and ISO 6983-1; the M-codes as
//! printers' firmwares commonly have them (common practice, no published source).

use std::fmt;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::text::plain;
use wattotherm_measure::{Pen, Unit};

/// A command for a printer that takes values over its line protocol.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Command {
    /// The line to send, e.g. `M92 E100.27`.
    pub line: String,
    /// What it does, in a few words.
    pub says: String,
}

/// Below this nothing is extruded: cold filament strips the drive. Common practice, no source.
pub const LEAST_EXTRUSION_C: f64 = 170.0;

/// Why a command is not written.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub enum CommandError {
    /// Not a number, or far outside what the command can mean.
    Value {
        /// Word of the command.
        word: &'static str,
        /// Value asked for [unit of the command].
        got: f64,
        /// Least allowed [the same].
        min: f64,
        /// Greatest allowed [the same].
        max: f64,
    },
    /// Cold extrusion.
    TooCold {
        /// Temperature asked for [°C].
        got_c: f64,
        /// Least temperature for feeding [°C].
        least_c: f64,
    },
    /// Above the ceiling.
    AboveCeiling {
        /// Temperature asked for [°C].
        got_c: f64,
        /// Ceiling of the parts [°C].
        ceiling_c: f64,
    },
}

impl fmt::Display for CommandError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.says(Pen::METRIC))
    }
}

impl std::error::Error for CommandError {}

impl CommandError {
    /// What is wrong and what to do, in the units of a shop.
    #[must_use]
    pub fn says(&self, pen: Pen) -> String {
        let c = |v: f64| pen.plain(v, Unit::Celsius, 1);
        match *self {
            Self::Value {
                word,
                got,
                min,
                max,
            } => format!("{word} of {got} is not possible: give {min} to {max}"),
            Self::TooCold { got_c, least_c } => format!(
                "Feeding at {} would strip the filament. Heat to at least {}.",
                c(got_c),
                c(least_c)
            ),
            Self::AboveCeiling { got_c, ceiling_c } => format!(
                "{} is above this hot end’s ceiling of {top}. Feed at {top} or below.",
                c(got_c),
                top = c(ceiling_c)
            ),
        }
    }
}

fn bounded(word: &'static str, got: f64, min: f64, max: f64) -> Result<f64, CommandError> {
    if got >= min && got <= max {
        Ok(got)
    } else {
        Err(CommandError::Value {
            word,
            got,
            min,
            max,
        })
    }
}

fn command(line: String, says: &str) -> Command {
    Command {
        line,
        says: says.to_owned(),
    }
}

/// `M92 E…`: sets the extruder's steps/mm. Domain: 1 to 20 000 steps/mm.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_steps_per_mm(steps_per_mm: f64) -> Result<Command, CommandError> {
    let value = bounded("steps/mm", steps_per_mm, 1.0, 20_000.0)?;
    Ok(command(format!("M92 E{}", plain(value, 2)), "set steps/mm"))
}

/// `M851 Z…`: sets the nozzle's offset [mm]; more negative is closer. Domain: -20 to 20 mm.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_z_offset_mm(offset_mm: f64) -> Result<Command, CommandError> {
    let value = bounded("Z offset", offset_mm, -20.0, 20.0)?;
    Ok(command(
        format!("M851 Z{}", plain(value, 3)),
        "set Z offset",
    ))
}

/// `M851 X… Y…`: sets the bed probe's place from the nozzle [mm]; positive to the right and to the back. Domain:
/// -150 to 150 mm each.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_probe_xy_mm([x_mm, y_mm]: [f64; 2]) -> Result<Command, CommandError> {
    let x = bounded("probe offset X", x_mm, -150.0, 150.0)?;
    let y = bounded("probe offset Y", y_mm, -150.0, 150.0)?;
    Ok(command(
        format!("M851 X{} Y{}", plain(x, 2), plain(y, 2)),
        "set probe offset",
    ))
}

/// `M221 S…`: sets the flow override [%]. Domain: 10 to 300 %.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_flow_percent(percent: f64) -> Result<Command, CommandError> {
    let value = bounded("flow", percent, 10.0, 300.0)?;
    Ok(command(
        format!("M221 S{}", plain(value, 1)),
        "set flow override",
    ))
}

/// `M900 K…`: sets the pressure advance [s]. Domain: 0 to 10 s.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_pressure_advance_s(seconds: f64) -> Result<Command, CommandError> {
    let value = bounded("pressure advance", seconds, 0.0, 10.0)?;
    Ok(command(
        format!("M900 K{}", plain(value, 4)),
        "set pressure advance",
    ))
}

/// `M207 S… F…`: sets the printer's own retraction, length [mm] and speed [mm/s]. Domain: 0 to 20 mm, 1 to 200 mm/s.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_retraction(length_mm: f64, speed_mm_s: f64) -> Result<Command, CommandError> {
    let length = bounded("retraction", length_mm, 0.0, 20.0)?;
    let speed = bounded("retraction speed", speed_mm_s, 1.0, 200.0)?;
    Ok(command(
        format!("M207 S{} F{}", plain(length, 2), plain(speed * 60.0, 0)),
        "set retraction",
    ))
}

/// `M218 T1 X… Y…`: sets where the second nozzle stands from the first [mm]. Domain: -200 to 200 mm each.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_nozzle_offset_mm([x_mm, y_mm]: [f64; 2]) -> Result<Command, CommandError> {
    let x = bounded("nozzle offset X", x_mm, -200.0, 200.0)?;
    let y = bounded("nozzle offset Y", y_mm, -200.0, 200.0)?;
    Ok(command(
        format!("M218 T1 X{} Y{}", plain(x, 3), plain(y, 3)),
        "set offset of the second nozzle",
    ))
}

/// `M301 P… I… D…`: sets the nozzle's heater loop, output 0 to 255. Domain: P above 0 to 1200, I 0
/// to 1200, D 0 to 20 000.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_heater_gains([p, i, d]: [f64; 3]) -> Result<Command, CommandError> {
    let p = bounded("P", p, 0.01, 1_200.0)?;
    let i = bounded("I", i, 0.0, 1_200.0)?;
    let d = bounded("D", d, 0.0, 20_000.0)?;
    Ok(command(
        format!("M301 P{} I{} D{}", plain(p, 2), plain(i, 2), plain(d, 2)),
        "set heater loop",
    ))
}

/// `M304 P… I… D…`: sets the bed's heater loop. Domain: P above 0 to 5000, I 0 to 5000, D 0 to 50 000.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn set_bed_gains([p, i, d]: [f64; 3]) -> Result<Command, CommandError> {
    let p = bounded("P", p, 0.01, 5_000.0)?;
    let i = bounded("I", i, 0.0, 5_000.0)?;
    let d = bounded("D", d, 0.0, 50_000.0)?;
    Ok(command(
        format!("M304 P{} I{} D{}", plain(p, 2), plain(i, 2), plain(d, 2)),
        "set bed loop",
    ))
}

/// Cycles of an autotune: the first two settle, the rest are averaged. Common practice.
const AUTOTUNE_CYCLES: u32 = 8;

/// `M303 E0 S… C8`: the nozzle's own autotune at `target_c` [°C], 100 to 450. The ceiling of the parts is the caller's to
/// keep.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn autotune_nozzle(target_c: f64) -> Result<Command, CommandError> {
    let target = bounded("target", target_c, 100.0, 450.0)?;
    Ok(command(
        format!("M303 E0 S{} C{AUTOTUNE_CYCLES}", plain(target, 0)),
        "autotune of the nozzle",
    ))
}

/// `M303 E-1 S… C8`: the bed's own autotune at `target_c` [°C], 30 to 160.
/// # Errors
/// [`CommandError::Value`] outside the domain.
pub fn autotune_bed(target_c: f64) -> Result<Command, CommandError> {
    let target = bounded("target", target_c, 30.0, 160.0)?;
    Ok(command(
        format!("M303 E-1 S{} C{AUTOTUNE_CYCLES}", plain(target, 0)),
        "autotune of the bed",
    ))
}

/// `M500`: stores settings, so that they outlive a power cycle.
#[must_use]
pub fn store_settings() -> Command {
    command("M500".into(), "store")
}

/// `M503`: reports the settings, for comparing.
#[must_use]
pub fn read_back() -> Command {
    command("M503".into(), "read back")
}

/// What a drive test feeds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FeedOrder {
    /// Nozzle temperature while feeding [°C]; none where the filament is out of the hot end.
    pub nozzle_c: Option<f64>,
    /// Ceiling of the parts [°C].
    pub ceiling_c: f64,
    /// Length commanded [mm], 1 to 500.
    pub feed_mm: f64,
    /// Feed rate [mm/s], 0.1 to 20.
    pub feed_mm_s: f64,
}

/// Heats, waits, and feeds a length of filament slowly, relative.
///
/// # Errors
/// [`CommandError::TooCold`] below [`LEAST_EXTRUSION_C`], [`CommandError::AboveCeiling`],
/// [`CommandError::Value`] for lengths and speeds outside their domain.
pub fn feed_for_drive_test(order: &FeedOrder) -> Result<Vec<Command>, CommandError> {
    let feed_mm = bounded("feed", order.feed_mm, 1.0, 500.0)?;
    let feed_mm_s = bounded("feed rate", order.feed_mm_s, 0.1, 20.0)?;
    let mut commands = Vec::new();
    if let Some(got_c) = order.nozzle_c {
        if got_c.is_nan() || got_c < LEAST_EXTRUSION_C {
            return Err(CommandError::TooCold {
                got_c,
                least_c: LEAST_EXTRUSION_C,
            });
        }
        if got_c > order.ceiling_c {
            return Err(CommandError::AboveCeiling {
                got_c,
                ceiling_c: order.ceiling_c,
            });
        }
        commands.push(command(
            format!("M109 S{}", plain(got_c, 0)),
            "heat and wait",
        ));
    }
    commands.push(command("M83".into(), "extruder relative"));
    commands.push(command(
        format!("G1 E{} F{}", plain(feed_mm, 2), plain(feed_mm_s * 60.0, 1)),
        "feed",
    ));
    Ok(commands)
}
