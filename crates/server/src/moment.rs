//! Moments as the store keeps them.

/// The moment, as all records carry it.
#[must_use]
pub fn now() -> String {
    // Milliseconds of fixed width, so that texts sort as the moments do.
    format!("{:.3}", jiff::Timestamp::now())
}

/// Minutes since a moment; 0 where it can't be read.
#[must_use]
pub fn minutes_since(at: &str) -> f64 {
    let then: Result<jiff::Timestamp, _> = at.parse();
    then.map_or(0.0, |then| {
        jiff::Timestamp::now().duration_since(then).as_secs_f64() / 60.0
    })
}

/// Days since a moment; 0 where it can't be read.
#[must_use]
pub fn days_since(at: &str) -> f64 {
    minutes_since(at) / 1_440.0
}

/// The moment so many days ago, in the same form.
#[must_use]
pub fn ago(days: i64) -> String {
    let then = jiff::Timestamp::now() - jiff::SignedDuration::from_hours(24 * days);
    format!("{then:.3}")
}
