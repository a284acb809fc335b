//! What a score is worth: an eye steps by one.

/// Standard uncertainty of a score by reference pictures [1]: half a step either way, rectangular.
/// Source: JCGM 100:2008, 4.3.7.
pub const SCORE_U: f64 = 0.288_675_134_594_812_9;

/// Degrees of freedom of such a limit: doubted by a quarter. Source: JCGM 100:2008, G.4.2.
const LIMIT_DOF: f64 = 8.0;

/// Standard deviation of one observation [unit of `own`] and its degrees of freedom [1]: what is known of it
/// beforehand, pooled with the scatter about a fit with `dof` (a number of) degrees of freedom.
///
/// Formula: σ² = (8·own² + dof·s²)/(8 + dof). Source: JCGM 100:2008, G.4.2 and H.3.6. Domain: all ≥ 0.
#[must_use]
pub fn pooled(own: f64, scatter: f64, dof: usize) -> (f64, f64) {
    // OK because nobody prints 2^52 times.
    #[allow(clippy::cast_precision_loss)]
    let free = dof as f64;
    let variance = (LIMIT_DOF * own * own + free * scatter * scatter) / (LIMIT_DOF + free);
    (variance.sqrt(), LIMIT_DOF + free)
}
