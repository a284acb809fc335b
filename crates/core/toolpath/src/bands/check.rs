//! The changed file read again: nothing else may have changed.

use std::io::Read;

use wattotherm_gcode::Machine;

use super::{BandKind, Wanted};
use crate::chunks::ReadError;
use crate::layers::{Layer, Layers};
use crate::read::{Follow, Item, LineRef, MoveKind, Setting, Wait, read_path};

/// What a change must leave as it is.
#[derive(Default)]
struct Kept {
    layers: Layers,
    beads: u64,
    length_mm: f64,
    /// Filament in beads of first layers and of all others [mm].
    fed_mm: [f64; 2],
    /// Where beads are and when: a moment of each about the corner of the bed.
    moment: f64,
    hottest_c: f64,
}

impl Follow for Kept {
    fn item(&mut self, item: &Item, line: LineRef<'_>, _: &Machine) -> bool {
        match item {
            Item::Move(m) if m.kind == MoveKind::Print => {
                self.layers.see(m, &line);
                self.beads += 1;
                self.length_mm += m.length_mm;
                let first = self.layers.now().is_none_or(Layer::is_first);
                self.fed_mm[usize::from(!first)] += m.fed_mm;
                // OK because only its order matters.
                #[allow(clippy::cast_precision_loss)]
                let weight = (self.beads % 9_973) as f64;
                self.moment += weight * (m.to_mm[0] + 2.0 * m.to_mm[1] + 3.0 * m.to_mm[2]) * 1e-6;
            }
            Item::Set(Setting::Nozzle(c))
            | Item::Wait(Wait::Heat {
                bed: false,
                to_c: c,
            }) => {
                self.hottest_c = self.hottest_c.max(*c);
            }
            _ => {}
        }
        true
    }
}

fn kept(from: impl Read + Send, cores: usize) -> Result<Kept, ReadError> {
    let mut kept = Kept::default();
    read_path(from, cores, &mut kept, |_| true)?;
    Ok(kept)
}

/// Reads a file and the changed one, and compares what must be the same: beads, their length, their places, their
/// filament; and that no temperature is above the ceiling that wasn't before.
/// # Errors
/// What is not as it should be.
pub fn check_change(
    original: impl Read + Send,
    changed: impl Read + Send,
    wanted: &Wanted,
    cores: usize,
) -> Result<(), String> {
    let was = kept(original, cores).map_err(|e| e.to_string())?;
    let is = kept(changed, cores).map_err(|e| e.to_string())?;
    let same = |what: &str, a: f64, b: f64, within: f64| {
        if (a - b).abs() <= within {
            Ok(())
        } else {
            Err(format!("The {what} would be {b:.4} and not {a:.4}."))
        }
    };
    if was.beads != is.beads {
        return Err(format!("It lays {} beads and not {}.", is.beads, was.beads));
    }
    same(
        "length of beads",
        was.length_mm,
        is.length_mm,
        1e-6 * was.length_mm,
    )?;
    same(
        "places of beads",
        was.moment,
        is.moment,
        1e-9 * was.moment.abs() + 1e-6,
    )?;
    let first = match wanted.kind {
        BandKind::FirstLayerFlow => wanted.values.first().copied().unwrap_or(1.0),
        _ => 1.0,
    };
    // Five places behind the point in each line that is written anew.
    #[allow(clippy::cast_precision_loss)]
    let rounding = 1e-5 * (was.beads as f64).sqrt() + 1e-3;
    same(
        "filament of the first layer",
        was.fed_mm[0] * first,
        is.fed_mm[0],
        rounding,
    )?;
    same("filament above it", was.fed_mm[1], is.fed_mm[1], rounding)?;
    if is.hottest_c > was.hottest_c.max(wanted.ceiling_c) {
        return Err(format!("It heats to {} °C.", is.hottest_c));
    }
    Ok(())
}
