//! What the board remembers, and what of it outlives a power cycle.

use std::fmt::Write as _;

use serde::{Deserialize, Serialize};

/// Settings in the board's memory.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct Settings {
    pub steps_mm: [f64; 4],
    pub nozzle_pid: [f64; 3],
    pub bed_pid: [f64; 3],
    pub probe_mm: [f64; 3],
    pub tool_mm: [f64; 3],
    pub advance_s: f64,
    pub retract_mm: f64,
    pub retract_mm_s: f64,
}

impl Settings {
    /// As it left the bench long ago: a loop tuned for another hot end.
    pub fn old(extruder_steps_mm: f64) -> Self {
        Self {
            steps_mm: [80.0, 80.0, 400.0, extruder_steps_mm],
            nozzle_pid: [22.4, 1.32, 95.0],
            bed_pid: [96.0, 8.2, 280.0],
            probe_mm: [-42.0, -8.0, -1.62],
            tool_mm: [0.0; 3],
            advance_s: 0.0,
            retract_mm: 4.8,
            retract_mm_s: 40.0,
        }
    }

    /// Sets values of a command; true if it is one of ours.
    pub fn set(&mut self, code: &str, value: impl Fn(char) -> Option<f64>) -> bool {
        let fill = |slots: &mut [f64], letters: &str| {
            for (slot, letter) in slots.iter_mut().zip(letters.chars()) {
                if let Some(v) = value(letter) {
                    // The board keeps two to four decimals, as its reports print.
                    *slot = v;
                }
            }
        };
        match code {
            "M92" => fill(&mut self.steps_mm, "XYZE"),
            "M301" => fill(&mut self.nozzle_pid, "PID"),
            "M304" => fill(&mut self.bed_pid, "PID"),
            "M851" => fill(&mut self.probe_mm, "XYZ"),
            "M218" => fill(&mut self.tool_mm, "XYZ"),
            "M900" => fill(std::slice::from_mut(&mut self.advance_s), "K"),
            "M207" => {
                fill(std::slice::from_mut(&mut self.retract_mm), "S");
                if let Some(f) = value('F') {
                    self.retract_mm_s = f / 60.0;
                }
            }
            _ => return false,
        }
        true
    }

    pub fn report(&self) -> String {
        let [x, y, z, e] = self.steps_mm;
        let [p, i, d] = self.nozzle_pid;
        let [bp, bi, bd] = self.bed_pid;
        let [px, py, pz] = self.probe_mm;
        let [tx, ty, tz] = self.tool_mm;
        let mut out = String::new();
        let _ = writeln!(out, "echo:; steps per unit");
        let _ = writeln!(out, "echo:  M92 X{x:.2} Y{y:.2} Z{z:.2} E{e:.2}");
        let _ = writeln!(out, "echo:; heater loops");
        let _ = writeln!(out, "echo:  M301 P{p:.2} I{i:.2} D{d:.2}");
        let _ = writeln!(out, "echo:  M304 P{bp:.2} I{bi:.2} D{bd:.2}");
        let _ = writeln!(out, "echo:; offsets");
        let _ = writeln!(out, "echo:  M851 X{px:.3} Y{py:.3} Z{pz:.3}");
        let _ = writeln!(out, "echo:  M218 T1 X{tx:.3} Y{ty:.3} Z{tz:.3}");
        let _ = writeln!(out, "echo:; filament");
        let _ = writeln!(out, "echo:  M900 K{:.3}", self.advance_s);
        let _ = writeln!(
            out,
            "echo:  M207 S{:.2} F{:.1}",
            self.retract_mm,
            self.retract_mm_s * 60.0
        );
        out
    }
}
