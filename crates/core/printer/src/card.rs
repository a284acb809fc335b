//! What a material asks for around its temperature.

use crate::materials::{fan_off, kind_of, usual_bed_c, usual_print_c};

/// How a material is printed. Common practice, no published source: the seller's own card goes before it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MaterialCard {
    /// Nozzle: least and most [°C].
    pub nozzle_c: [f64; 2],
    /// Bed [°C].
    pub bed_c: f64,
    /// Part fan off.
    pub fan_off: bool,
    /// Closed in, against draught and warping.
    pub enclosed: bool,
    /// What it is stuck down with, where a clean plate isn't enough; blank otherwise.
    pub glue: &'static str,
    /// A brim, against corners that lift.
    pub brim: bool,
    /// Drying: at [°C], for hours [h].
    pub dry: [f64; 2],
    /// Softens at about [°C].
    pub softens_c: f64,
    /// What annealing may bring, quantities in braces; blank where it brings nothing.
    pub anneal: &'static str,
}

/// The card of a material; none for one that isn't known.
#[must_use]
pub fn material_card(material: &str) -> Option<MaterialCard> {
    let usual = usual_print_c(material)?;
    let (half, enclosed, glue, brim, dry, softens_c, anneal) = match kind_of(material).as_str() {
        "PLA" => (
            15.0,
            false,
            "",
            false,
            [45.0, 6.0],
            55.0,
            "{100 °C} for an hour stiffens it against heat; it shrinks a few per cent",
        ),
        "PETG" | "PET" => (
            12.0,
            false,
            "a thin film of glue, so that it comes off glass again",
            false,
            [65.0, 6.0],
            75.0,
            "",
        ),
        "ABS" => (
            12.0,
            true,
            "glue or its own slurry",
            true,
            [75.0, 4.0],
            100.0,
            "{90 °C} for an hour eases its stress",
        ),
        "ASA" => (12.0, true, "glue", true, [75.0, 4.0], 98.0, ""),
        "TPU" => (
            12.0,
            false,
            "a thin film of glue, so that it comes off again",
            false,
            [55.0, 8.0],
            60.0,
            "",
        ),
        "PVA" => (10.0, false, "", false, [45.0, 10.0], 60.0, ""),
        "PA" => (
            15.0,
            true,
            "glue made for it",
            true,
            [80.0, 12.0],
            90.0,
            "{80 °C} for some hours hardens it",
        ),
        "PC" => (15.0, true, "glue", true, [90.0, 6.0], 110.0, ""),
        _ => return None,
    };
    Some(MaterialCard {
        nozzle_c: [usual - half, usual + half],
        bed_c: usual_bed_c(material)?,
        fan_off: fan_off(material),
        enclosed,
        glue,
        brim,
        dry,
        softens_c,
        anneal,
    })
}

impl MaterialCard {
    /// The card in two sentences; quantities in braces.
    #[must_use]
    pub fn says(&self, material: &str) -> Vec<String> {
        let mut how = vec![
            format!(
                "nozzle {{{:.0} to {:.0} °C}}",
                self.nozzle_c[0], self.nozzle_c[1]
            ),
            format!("bed {{{:.0} °C}}", self.bed_c),
            if self.fan_off {
                "part fan off"
            } else {
                "part fan on"
            }
            .into(),
        ];
        if self.enclosed {
            how.push("closed in".into());
        }
        if self.brim {
            how.push("with a brim".into());
        }
        if !self.glue.is_empty() {
            how.push(self.glue.into());
        }
        let mut says = vec![
            format!(
                "{material} usually: {}. The seller’s card goes before it.",
                how.join(", ")
            ),
            format!(
                "Damp filament strings and pops: dry it at {{{:.0} °C}} for {:.0} h. It softens at about {{{:.0} °C}}.",
                self.dry[0], self.dry[1], self.softens_c
            ),
        ];
        if !self.anneal.is_empty() {
            says.push(format!("Annealing: {}.", self.anneal));
        }
        says
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_card_is_of_the_material_and_its_bed_stays_below_where_it_softens() {
        for material in ["PLA", "PETG", "ABS", "ASA", "TPU", "PVA", "PA6-CF", "PC"] {
            let card = material_card(material).unwrap_or_else(|| panic!("{material}"));
            let usual = usual_print_c(material).unwrap_or_default();
            assert!((card.nozzle_c[0]..=card.nozzle_c[1]).contains(&usual));
            assert!(card.bed_c <= card.softens_c + 10.0, "{material}");
            assert!(
                card.dry[0] < card.softens_c,
                "{material} would melt on its spool"
            );
            assert_eq!(card.fan_off, fan_off(material));
        }
        assert_eq!(material_card("PCTG"), None);
        assert_eq!(material_card(""), None);
    }
}
