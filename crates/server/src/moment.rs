//! Moments as the store keeps them.

/// The moment, as all records carry it.
#[must_use]
pub fn now() -> String {
    // Milliseconds of fixed width, so that texts sort as the moments do.
    format!("{:.3}", jiff::Timestamp::now())
}

/// The moment so many days ago, in the same form.
#[must_use]
pub fn ago(days: i64) -> String {
    let then = jiff::Timestamp::now() - jiff::SignedDuration::from_hours(24 * days);
    format!("{then:.3}")
}
