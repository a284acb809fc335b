//! The pen: numbers with their units, as a shop wants to see them.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::text::{decimals_for, fixed, plain, spaced};
use crate::unit::Unit;

/// How temperatures are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TemperatureScale {
    /// °C.
    #[default]
    Celsius,
    /// °F.
    Fahrenheit,
}

/// How lengths are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LengthScale {
    /// mm.
    #[default]
    Millimetre,
    /// Decimal inches.
    Inch,
}

/// Writes numbers with units. Facts are kept in metric units and turned into words by a pen, last.
///
/// Steps per millimetre, volumes and flow of plastic stay metric: firmware and profiles want them so.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Pen {
    /// °C or °F.
    pub temperature: TemperatureScale,
    /// mm or inch.
    pub length: LengthScale,
}

/// An inch has 25.4 mm; two digits more show as much as the millimetre did, and a little more.
const INCH_DIGITS: usize = 2;

impl Pen {
    /// Millimetres and °C: what the application keeps.
    pub const METRIC: Self = Self {
        temperature: TemperatureScale::Celsius,
        length: LengthScale::Millimetre,
    };
    /// Inches and °F.
    pub const IMPERIAL: Self = Self {
        temperature: TemperatureScale::Fahrenheit,
        length: LengthScale::Inch,
    };

    /// Symbol under which a unit is shown.
    #[must_use]
    pub const fn symbol(self, unit: Unit) -> &'static str {
        match (unit, self.temperature, self.length) {
            (Unit::Celsius | Unit::Kelvin, TemperatureScale::Fahrenheit, _) => "°F",
            (Unit::Mm, _, LengthScale::Inch) => "in",
            (Unit::MmPerS, _, LengthScale::Inch) => "in/s",
            _ => unit.symbol(),
        }
    }

    /// The number shown for a value kept in `unit`, and how many digits more it needs.
    ///
    /// Source: 1 in = 25.4 mm exactly (ISO 80000-3); t/°F = 1.8·t/°C + 32 (ISO 80000-5).
    #[must_use]
    pub fn shown(self, value: f64, unit: Unit) -> (f64, usize) {
        match (unit, self.temperature, self.length) {
            (Unit::Celsius, TemperatureScale::Fahrenheit, _) => (1.8 * value + 32.0, 0),
            (Unit::Kelvin, TemperatureScale::Fahrenheit, _) => (1.8 * value, 0),
            (Unit::Mm | Unit::MmPerS, _, LengthScale::Inch) => (value / 25.4, INCH_DIGITS),
            _ => (value, 0),
        }
    }

    /// "392 °F": without trailing zeros, at most `decimals` of them for a value in °C or mm.
    #[must_use]
    pub fn plain(self, value: f64, unit: Unit, decimals: usize) -> String {
        format!(
            "{}{}",
            self.plain_number(value, unit, decimals),
            spaced(self.symbol(unit))
        )
    }

    /// As [`Pen::plain`], without the unit.
    #[must_use]
    pub fn plain_number(self, value: f64, unit: Unit, decimals: usize) -> String {
        let (v, more) = self.shown(value, unit);
        // Turned into inches a round number gets a tail; three digits of it are as much as anyone reads.
        let most = if more == 0 {
            decimals
        } else {
            (decimals + more).min(decimals_for(v.abs(), 3))
        };
        plain(v, most)
    }

    /// "0.10 mm": with a fixed count of decimals.
    #[must_use]
    pub fn fixed(self, value: f64, unit: Unit, decimals: usize) -> String {
        format!(
            "{}{}",
            self.fixed_number(value, unit, decimals),
            spaced(self.symbol(unit))
        )
    }

    /// As [`Pen::fixed`], without the unit.
    #[must_use]
    pub fn fixed_number(self, value: f64, unit: Unit, decimals: usize) -> String {
        let (v, more) = self.shown(value, unit);
        fixed(v, decimals + more)
    }

    /// "92.75 ±0.57 mm": the uncertainty to two digits, the value to the same place.
    #[must_use]
    pub fn with_uncertainty(self, value: f64, uncertainty: f64, unit: Unit) -> String {
        let u = self.shown(uncertainty, unit.of_difference()).0;
        let decimals = decimals_for(u, 2);
        format!(
            "{} ±{}{}",
            fixed(self.shown(value, unit).0, decimals),
            fixed(u, decimals),
            spaced(self.symbol(unit))
        )
    }

    /// "100.00 ±0.50 mm": a value and the error allowed, to the same place.
    #[must_use]
    pub fn with_limit(self, value: f64, limit: f64, unit: Unit) -> String {
        let (l, _) = self.shown(limit, unit.of_difference());
        let decimals = decimals_for(l, 2);
        format!(
            "{} ±{}{}",
            fixed(self.shown(value, unit).0, decimals),
            fixed(l, decimals),
            spaced(self.symbol(unit))
        )
    }

    /// A text with quantities in braces, "Heat to {200 °C}, extrude {50 mm}.", in this pen's units. A space of
    /// digits, "{2 to 5 mm}", keeps its word. What is no quantity in braces stays as it is.
    ///
    /// For texts that stand in the program: what is measured goes through the other functions.
    #[must_use]
    pub fn text(self, template: &str) -> String {
        let mut out = String::with_capacity(template.len());
        let mut rest = template;
        while let Some((before, after)) = rest.split_once('{') {
            out.push_str(before);
            let Some((inside, behind)) = after.split_once('}') else {
                out.push('{');
                out.push_str(after);
                return out;
            };
            match self.quantity(inside) {
                Some(shown) => out.push_str(&shown),
                None => {
                    out.push('{');
                    out.push_str(inside);
                    out.push('}');
                }
            }
            rest = behind;
        }
        out.push_str(rest);
        out
    }

    /// "200 °C", "2 to 5 mm", "±1 K" in this pen's units.
    fn quantity(self, inside: &str) -> Option<String> {
        let (numbers, symbol) = inside.rsplit_once(' ')?;
        let unit = if symbol == "K" {
            Unit::Kelvin
        } else {
            Unit::of(symbol)?
        };
        let parts: Option<Vec<String>> = numbers
            .split(' ')
            .map(|p| {
                if p == "to" || p == "or" {
                    return Some(p.to_owned());
                }
                let (sign, digits) = p.strip_prefix('±').map_or(("", p), |d| ("±", d));
                let value: f64 = digits.parse().ok()?;
                let decimals = digits.split_once('.').map_or(0, |(_, d)| d.len());
                Some(format!(
                    "{sign}{}",
                    self.plain_number(value, unit, decimals)
                ))
            })
            .collect();
        Some(format!("{}{}", parts?.join(" "), spaced(self.symbol(unit))))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_fact_is_written_in_the_units_of_the_shop() {
        let (m, i) = (Pen::METRIC, Pen::IMPERIAL);
        assert_eq!(m.plain(200.0, Unit::Celsius, 0), "200 °C");
        assert_eq!(i.plain(200.0, Unit::Celsius, 0), "392 °F");
        // A difference of 5 °C is one of 9 °F, not a temperature of 41 °F.
        assert_eq!(i.plain(5.0, Unit::Kelvin, 1), "9 °F");
        assert_eq!(i.plain(25.4, Unit::Mm, 1), "1 in");
        assert_eq!(i.fixed(0.4, Unit::Mm, 2), "0.0157 in");
        assert_eq!(
            m.with_uncertainty(92.7512, 0.5731, Unit::Mm),
            "92.75 ±0.57 mm"
        );
        assert_eq!(
            i.with_uncertainty(92.7512, 0.5731, Unit::Mm),
            "3.652 ±0.023 in"
        );
        assert_eq!(i.with_uncertainty(20.0, 1.0, Unit::Celsius), "68.0 ±1.8 °F");
        assert_eq!(i.plain(93.0, Unit::StepsPerMm, 1), "93 steps/mm");
    }

    #[test]
    fn a_text_of_the_program_names_its_quantities() {
        let text = "Heat to {200 °C}, within {±1 K}, extrude {50 mm}; {2.5 to 3 N·m}; {that} stays";
        assert_eq!(
            Pen::METRIC.text(text),
            "Heat to 200 °C, within ±1 °C, extrude 50 mm; 2.5 to 3 N·m; {that} stays"
        );
        assert_eq!(
            Pen::IMPERIAL.text(text),
            "Heat to 392 °F, within ±2 °F, extrude 1.97 in; 2.5 to 3 N·m; {that} stays"
        );
    }
}
