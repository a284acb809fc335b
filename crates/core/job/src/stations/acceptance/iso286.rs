//! Tolerance grades of ISO 286-1.

/// Tolerance factor i of ISO 286-1 [µm] for a nominal size range.
///
/// Formula: i = 0.45·∛D + 0.001·D, D the geometric mean of the range's ends [mm].
/// Source: ISO 286-1:2010, annex B (grades IT5 to IT18, sizes up to 500 mm).
/// Domain: 0 < low < high ≤ 500.
#[must_use]
pub fn tolerance_factor_um(low_mm: f64, high_mm: f64) -> f64 {
    let d = (low_mm * high_mm).sqrt();
    0.45 * d.cbrt() + 0.001 * d
}

/// Nominal size ranges of ISO 286-1:2010, table 1, up to 500 mm [mm]: above … up to and including.
const RANGES: [(f64, f64); 13] = [
    (1.0, 3.0),
    (3.0, 6.0),
    (6.0, 10.0),
    (10.0, 18.0),
    (18.0, 30.0),
    (30.0, 50.0),
    (50.0, 80.0),
    (80.0, 120.0),
    (120.0, 180.0),
    (180.0, 250.0),
    (250.0, 315.0),
    (315.0, 400.0),
    (400.0, 500.0),
];

/// Widths of the grades IT11, IT12, IT13 [µm], a row for each of [`RANGES`].
/// Source: ISO 286-1:2010, table 1 (values from memory; the formula below checks them).
const IT11_TO_13_UM: [[f64; 3]; 13] = [
    [60.0, 100.0, 140.0],
    [75.0, 120.0, 180.0],
    [90.0, 150.0, 220.0],
    [110.0, 180.0, 270.0],
    [130.0, 210.0, 330.0],
    [160.0, 250.0, 390.0],
    [190.0, 300.0, 460.0],
    [220.0, 350.0, 540.0],
    [250.0, 400.0, 630.0],
    [290.0, 460.0, 720.0],
    [320.0, 520.0, 810.0],
    [360.0, 570.0, 890.0],
    [400.0, 630.0, 970.0],
];

fn range_of(size_mm: f64) -> Option<usize> {
    RANGES
        .into_iter()
        .position(|(low, high)| size_mm > low && size_mm <= high)
}

/// Width of an ISO 286-1 grade [µm] for a nominal size [mm], as the standard tabulates it.
///
/// Source: ISO 286-1:2010, table 1. Domain: grade 11 to 13, size above 1 up to 500 mm; none outside.
#[must_use]
pub fn it_grade_um(grade: u8, size_mm: f64) -> Option<f64> {
    let column = usize::from(grade.checked_sub(11)?);
    IT11_TO_13_UM[range_of(size_mm)?].get(column).copied()
}

/// Width of an ISO 286-1 grade [µm] by its formula, unrounded.
///
/// Formula: IT6 to IT13 are 10, 16, 25, 40, 64, 100, 160, 250 times i. Source: ISO 286-1:2010,
/// annex B. The table rounds, in a few ranges by a step more than plain rounding would.
/// Domain: grade 6 to 13, size above 1 up to 500 mm; none outside.
#[must_use]
pub fn it_grade_by_formula_um(grade: u8, size_mm: f64) -> Option<f64> {
    let factor = *[10.0, 16.0, 25.0, 40.0, 64.0, 100.0, 160.0, 250.0]
        .get(usize::from(grade.checked_sub(6)?))?;
    let (low, high) = RANGES[range_of(size_mm)?];
    Some(factor * tolerance_factor_um(low, high))
}
