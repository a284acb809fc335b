//! Least squares for planes and lines.

use nalgebra::{DMatrix, DVector};

/// Why a fit has no answer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum FitError {
    /// Fewer points than coefficients.
    #[error("{points} points can’t fix {coefficients} coefficients")]
    TooFew {
        /// Points given.
        points: usize,
        /// Coefficients wanted.
        coefficients: usize,
    },
    /// The points don't spread in every direction (e.g. all on one line).
    #[error("the points lie on one line or one spot: spread them out")]
    Degenerate,
}

/// What a least-squares fit found.
#[derive(Clone, Debug)]
pub struct LeastSquares {
    /// One coefficient a column of the design [unit of y over that of the column].
    pub coefficients: Vec<f64>,
    /// Observed less fitted, a point each [unit of y].
    pub residuals: Vec<f64>,
    /// Residual standard deviation [unit of y]; 0 where points equal coefficients.
    pub residual_sd: f64,
    /// Points less coefficients.
    pub dof: usize,
    /// (XᵀX)⁻¹: times a variance it is the covariance of the coefficients.
    pub unit_covariance: DMatrix<f64>,
}

impl LeastSquares {
    /// Variance of the fitted value Σ dᵢ·cᵢ, per unit variance of one observation.
    #[must_use]
    pub fn unit_variance(&self, direction: &[f64]) -> f64 {
        let d = DVector::from_row_slice(direction);
        (d.transpose() * &self.unit_covariance * d)[(0, 0)]
    }
}

/// Solves min ‖X·c - y‖² by QR of the design, whose rows are `rows`.
///
/// Source: Golub and Van Loan, "Matrix Computations", 5.3 (full-rank least squares by QR); checked
/// against NIST StRD Norris. Domain: finite numbers, rows of one length.
/// # Errors
/// [`FitError::TooFew`], [`FitError::Degenerate`].
pub fn least_squares(rows: &[Vec<f64>], y: &[f64]) -> Result<LeastSquares, FitError> {
    let points = y.len();
    let coefficients = rows.first().map_or(0, Vec::len);
    if points < coefficients || coefficients == 0 {
        return Err(FitError::TooFew {
            points,
            coefficients,
        });
    }
    let flat: Vec<f64> = rows.iter().flatten().copied().collect();
    let design = DMatrix::from_row_slice(points, coefficients, &flat);
    let observed = DVector::from_row_slice(y);
    let qr = design.clone().qr();
    let r = qr.r();
    let largest = r.diagonal().amax();
    if largest.is_nan() || largest <= 0.0 || r.diagonal().iter().any(|d| d.abs() < 1e-10 * largest)
    {
        return Err(FitError::Degenerate);
    }
    let solution = r
        .solve_upper_triangular(&(qr.q().transpose() * &observed))
        .ok_or(FitError::Degenerate)?;
    let r_inverse = r.try_inverse().ok_or(FitError::Degenerate)?;
    let residuals = &observed - &design * &solution;
    let dof = points - coefficients;
    // OK because counts are small.
    #[allow(clippy::cast_precision_loss)]
    let residual_sd = if dof > 0 {
        (residuals.norm_squared() / dof as f64).sqrt()
    } else {
        0.0
    };
    Ok(LeastSquares {
        coefficients: solution.iter().copied().collect(),
        residuals: residuals.iter().copied().collect(),
        residual_sd,
        dof,
        unit_covariance: &r_inverse * r_inverse.transpose(),
    })
}
