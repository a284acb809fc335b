//! The heater: watts, and whether it is made for this supply.

/// Power of a heater [W]: P = V²/R. Domain: `supply_v` ≥ 0, `resistance_ohm` > 0.
#[must_use]
pub fn watts(supply_v: f64, resistance_ohm: f64) -> f64 {
    supply_v * supply_v / resistance_ohm
}

/// What the power says about the heater.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum VoltageVerdict {
    /// As marked, within its tolerance.
    Right,
    /// Far too much power: made for a lower voltage. A fire hazard.
    TooLowAVoltage,
    /// A quarter more than its mark, or more: another heater, or a supply set too high.
    TooStrong,
    /// Far too little: made for a higher voltage, or worn.
    TooWeak,
    /// Open circuit: no power at all.
    Open,
    /// Nearly a short circuit.
    Shorted,
}

/// A heater at a supply.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct HeaterPower {
    /// At the machine's supply [W].
    pub watts: f64,
    /// Ratio to the mark on the heater, 1 = as marked.
    pub ratio: f64,
    /// What that says.
    pub verdict: VoltageVerdict,
}

/// Most watts a hot end of this trade is built for; above it nothing is left to doubt. Common
/// practice, no published source: cartridges are sold at 25 to 80 W.
pub const MOST_HOT_END_W: f64 = 120.0;

/// More than this many times its mark is another heater or too high a supply. Common practice, no published source.
const TOO_STRONG: f64 = 1.25;

/// Judges a heater by its resistance: marked power is met within 20 % (common practice: cartridges
/// vary by 5 to 10 %, meters and leads add some).
///
/// A 12 V cartridge on 24 V gives four times its watts; a 24 V cartridge on 12 V a quarter.
/// Domain: `resistance_ohm` ≥ 0; open circuit as infinity.
#[must_use]
pub fn heater_power(supply_v: f64, resistance_ohm: f64, marked_w: f64) -> HeaterPower {
    let power = if resistance_ohm > 0.0 {
        watts(supply_v, resistance_ohm)
    } else {
        f64::INFINITY
    };
    let ratio = power / marked_w;
    let verdict = if resistance_ohm > 2_000.0 {
        VoltageVerdict::Open
    } else if resistance_ohm < 0.7 {
        VoltageVerdict::Shorted
    } else if ratio > 1.8 || power > MOST_HOT_END_W {
        VoltageVerdict::TooLowAVoltage
    } else if ratio > TOO_STRONG {
        VoltageVerdict::TooStrong
    } else if ratio < 0.8 {
        VoltageVerdict::TooWeak
    } else {
        VoltageVerdict::Right
    };
    HeaterPower {
        watts: power,
        ratio,
        verdict,
    }
}
