//! Tuning rules: from ultimate gain and period, or from a plant, to gains.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::control::Gains;
use super::model::Plant;
use super::relay::Ultimate;

/// A rule.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "snake_case")]
#[derive(Deserialize, ToSchema, strum::IntoStaticStr)]
#[strum(serialize_all = "snake_case")]
#[allow(missing_docs)] // each variant is its entry in TUNING_RULES
pub enum TuningRule {
    ZieglerNichols,
    #[default]
    TyreusLuyben,
    SomeOvershoot,
    NoOvershoot,
    CohenCoon,
    Simc,
    Amigo,
}

/// A rule in words.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct TuningRuleSpec {
    /// Which rule.
    pub rule: TuningRule,
    /// Name.
    pub label: &'static str,
    /// Why one would take it.
    pub why: &'static str,
    /// Where it was published.
    pub source: &'static str,
    /// Whether it starts from ultimate gain and period; else from the plant.
    pub from_ultimate: bool,
}

const fn spec(
    rule: TuningRule,
    label: &'static str,
    why: &'static str,
    source: &'static str,
    from_ultimate: bool,
) -> TuningRuleSpec {
    TuningRuleSpec {
        rule,
        label,
        why,
        source,
        from_ultimate,
    }
}

/// All rules.
pub const TUNING_RULES: [TuningRuleSpec; 7] = [
    spec(
        TuningRule::ZieglerNichols,
        "Ziegler-Nichols",
        "Strong against the fan; overshoots and rings most.",
        "Ziegler & Nichols 1942, Trans. ASME 64, 759-768",
        true,
    ),
    spec(
        TuningRule::TyreusLuyben,
        "Tyreus-Luyben",
        "Calm integral: little ringing, slow to make up for the fan.",
        "Tyreus & Luyben 1992, Ind. Eng. Chem. Res. 31, 2625-2628",
        true,
    ),
    spec(
        TuningRule::SomeOvershoot,
        "Some overshoot",
        "Ziegler-Nichols with less gain and more derivative.",
        "variant of Ziegler-Nichols in common use; no published source",
        true,
    ),
    spec(
        TuningRule::NoOvershoot,
        "No overshoot",
        "The gentlest of the family; weak against the fan.",
        "variant of Ziegler-Nichols in common use; no published source",
        true,
    ),
    spec(
        TuningRule::CohenCoon,
        "Cohen-Coon",
        "For plants with much dead time; on hot ends it is harsh.",
        "Cohen & Coon 1953, Trans. ASME 75, 827-834",
        false,
    ),
    spec(
        TuningRule::Simc,
        "SIMC",
        "One knob, set to the dead time: smooth, with good margins.",
        "Skogestad 2003, J. Process Control 13, 291-309",
        false,
    ),
    spec(
        TuningRule::Amigo,
        "AMIGO",
        "Made to keep margins on many kinds of plants.",
        "Åström & Hägglund 2004, J. Process Control 14, 635-650",
        false,
    ),
];

impl TuningRule {
    /// The rule in words.
    #[must_use]
    pub const fn spec(self) -> &'static TuningRuleSpec {
        // OK because TUNING_RULES has one entry a variant, in order; a test holds it.
        &TUNING_RULES[self as usize]
    }

    /// Identifier, as it is kept.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.into()
    }
}

/// Gains by one rule.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct RuleGains {
    /// Which rule.
    pub rule: TuningRule,
    /// Its gains.
    pub gains: Gains,
}

/// Gains by a rule; none where it starts from something that isn't known.
///
/// Formulas, all for the parallel form: Ziegler-Nichols 0.6 Ku, Tu/2, Tu/8; Tyreus-Luyben Ku/2.2,
/// 2.2 Tu, Tu/6.3; some overshoot 0.33 Ku, Tu/2, Tu/3; no overshoot 0.2 Ku, Tu/2, Tu/3; Cohen-Coon
/// (PID) Kc = (τ/KL)(4/3 + r/4), Ti = L(32 + 6r)/(13 + 8r), Td = 4L/(11 + 2r) with r = L/τ; SIMC
/// with τc = L: Kc = τ1/(K·2L), Ti = min(τ1, 8L), Td = τ2, its series form changed to the parallel
/// one; AMIGO Kc = (0.2 + 0.45 τ/L)/K, Ti = L(0.4L + 0.8τ)/(L + 0.1τ), Td = 0.5Lτ/(0.3L + τ).
/// Cohen-Coon and AMIGO take the plant as FOPDT ([`Plant::as_fopdt`]).
/// Sources: see [`TUNING_RULES`].
#[must_use]
pub fn tune(rule: TuningRule, ultimate: Option<Ultimate>, plant: Option<&Plant>) -> Option<Gains> {
    let from_ultimate = |kp: f64, ti: f64, td: f64| {
        ultimate.map(|u| Gains::from_times(kp * u.ku, ti * u.tu_s, td * u.tu_s))
    };
    let first_order = plant.map(Plant::as_fopdt).filter(|p| p.delay_s > 1e-6);
    match rule {
        TuningRule::ZieglerNichols => from_ultimate(0.6, 0.5, 0.125),
        TuningRule::TyreusLuyben => from_ultimate(1.0 / 2.2, 2.2, 1.0 / 6.3),
        TuningRule::SomeOvershoot => from_ultimate(0.33, 0.5, 1.0 / 3.0),
        TuningRule::NoOvershoot => from_ultimate(0.2, 0.5, 1.0 / 3.0),
        TuningRule::CohenCoon => first_order.map(|p| {
            let (k, tau, l) = (p.gain_c, p.tau_s, p.delay_s);
            let r = l / tau;
            Gains::from_times(
                tau / (k * l) * (4.0 / 3.0 + r / 4.0),
                l * (32.0 + 6.0 * r) / (13.0 + 8.0 * r),
                4.0 * l / (11.0 + 2.0 * r),
            )
        }),
        TuningRule::Simc => plant
            .filter(|p| p.delay_s > 1e-6 || p.tau2_s > 1e-6)
            .map(|p| {
                // A plant with hardly any dead time has its lag in τ2: then that lag is halved into L.
                let p = if p.delay_s < 0.5 * p.tau2_s {
                    p.as_fopdt()
                } else {
                    *p
                };
                let (tau1, tau2, l) = (p.tau_s, p.tau2_s, p.delay_s);
                let kc = tau1 / (p.gain_c * 2.0 * l);
                let ti = tau1.min(8.0 * l);
                // Series to parallel: factor f = 1 + τD/τI.
                let f = 1.0 + tau2 / ti;
                Gains::from_times(kc * f, ti * f, tau2 / f)
            }),
        TuningRule::Amigo => first_order.map(|p| {
            let (k, tau, l) = (p.gain_c, p.tau_s, p.delay_s);
            Gains::from_times(
                (0.2 + 0.45 * tau / l) / k,
                l * (0.4 * l + 0.8 * tau) / (l + 0.1 * tau),
                0.5 * l * tau / (0.3 * l + tau),
            )
        }),
    }
}
