//! Standard, combined and expanded uncertainty.

use statrs::distribution::{ContinuousCDF, Normal, StudentsT};

/// What can be wrong with an uncertainty.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum UncertaintyError {
    /// A negative or non-finite half-width.
    #[error("a half-width of {got} is not possible: give zero or more")]
    HalfWidth {
        /// What was given [unit of the argument].
        got: f64,
    },
    /// A probability outside (0, 1) or degrees of freedom below 1.
    #[error("no t value for a probability of {p} with {dof} degrees of freedom")]
    Quantile {
        /// Two-sided probability.
        p: f64,
        /// Degrees of freedom.
        dof: f64,
    },
}

/// Standard uncertainty of a reading known only to lie within ±`half_width`, in its unit.
///
/// Formula: u = a / √3. Source: JCGM 100:2008, 4.3.7. Domain: finite, ≥ 0.
/// # Errors
/// [`UncertaintyError::HalfWidth`] for a negative or non-finite half-width.
/// # Example
/// ```
/// let u = wattotherm_measure::u_rectangular(0.5)?;
/// assert!((u - 0.2887).abs() < 1e-4);
/// # Ok::<(), wattotherm_measure::UncertaintyError>(())
/// ```
pub fn u_rectangular(half_width: f64) -> Result<f64, UncertaintyError> {
    if half_width.is_finite() && half_width >= 0.0 {
        Ok(half_width / 3.0_f64.sqrt())
    } else {
        Err(UncertaintyError::HalfWidth { got: half_width })
    }
}

/// One input of a measurement: its standard uncertainty, how strongly the result follows it, and
/// how well the uncertainty itself is known.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Component {
    /// Standard uncertainty, in the input's unit.
    pub u: f64,
    /// Sensitivity ∂result/∂input, result unit per input unit.
    pub sensitivity: f64,
    /// Degrees of freedom; infinite for type B.
    pub dof: f64,
}

impl Component {
    /// A type B input: known from a limit, infinite degrees of freedom.
    #[must_use]
    pub const fn type_b(u: f64, sensitivity: f64) -> Self {
        Self {
            u,
            sensitivity,
            dof: f64::INFINITY,
        }
    }
}

/// A combined standard uncertainty with its effective degrees of freedom.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Combined {
    /// Standard uncertainty, in the result's unit.
    pub u: f64,
    /// Effective degrees of freedom; infinite where no type A input counts.
    pub dof: f64,
}

/// Combines independent inputs.
///
/// Formula: u² = Σ (cᵢ uᵢ)², ν = u⁴ / Σ ((cᵢ uᵢ)⁴ / νᵢ).
/// Source: JCGM 100:2008, equations 10 and G.2b (Welch-Satterthwaite). Domain: independent inputs.
#[must_use]
pub fn combine(components: &[Component]) -> Combined {
    let variance: f64 = components
        .iter()
        .map(|c| (c.sensitivity * c.u).powi(2))
        .sum();
    let weak: f64 = components
        .iter()
        .filter(|c| c.dof.is_finite())
        .map(|c| (c.sensitivity * c.u).powi(4) / c.dof)
        .sum();
    let dof = if weak > 0.0 {
        variance.powi(2) / weak
    } else {
        f64::INFINITY
    };
    Combined {
        u: variance.sqrt(),
        dof,
    }
}

/// Two-sided t value: the interval ±t holds probability `p` of Student's distribution.
///
/// Source: JCGM 100:2008, annex G, table G.2; infinite `dof` gives the normal distribution.
/// Domain: 0 < p < 1, dof ≥ 1 (not necessarily whole).
/// # Errors
/// [`UncertaintyError::Quantile`] outside the domain.
pub fn t_two_sided(p: f64, dof: f64) -> Result<f64, UncertaintyError> {
    let error = UncertaintyError::Quantile { p, dof };
    if !(p > 0.0 && p < 1.0 && dof >= 1.0) {
        return Err(error);
    }
    let upper = f64::midpoint(1.0, p);
    // Past 1e6 degrees of freedom t and normal agree to more digits than anyone shows.
    if dof > 1e6 {
        return Normal::new(0.0, 1.0)
            .map(|d| d.inverse_cdf(upper))
            .map_err(|_| error);
    }
    StudentsT::new(0.0, 1.0, dof)
        .map(|d| d.inverse_cdf(upper))
        .map_err(|_| error)
}

/// Expanded uncertainty U = t(p, ν)·u, in the unit of `combined`.
///
/// Effective degrees of freedom below 1 are taken as 1. Source: JCGM 100:2008, G.4.
/// # Errors
/// [`UncertaintyError::Quantile`] for a probability outside (0, 1).
pub fn expanded(combined: Combined, p: f64) -> Result<f64, UncertaintyError> {
    Ok(t_two_sided(p, combined.dof.max(1.0))? * combined.u)
}

/// One-sided expanded uncertainty: the true value lies above by more with probability 1 − `p`, in the unit of
/// `combined`.
///
/// Source: JCGM 106:2012, 8.3.2. Effective degrees of freedom below 1 are taken as 1.
/// # Errors
/// [`UncertaintyError::Quantile`] for a probability outside (½, 1).
pub fn expanded_one_sided(combined: Combined, p: f64) -> Result<f64, UncertaintyError> {
    // The upper point p of the distribution is the two-sided one of 2p − 1.
    Ok(t_two_sided(2.0 * p - 1.0, combined.dof.max(1.0))? * combined.u)
}
