//! Whether two looks at the same things agree by more than chance.

/// How well two rounds of answers agree.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Agreement {
    /// Share of equal answers [1].
    pub share: f64,
    /// Cohen's kappa [1]: 1 for answers that are all equal, 0 for no better than chance; none where chance alone would
    /// make them equal, as where only one answer was ever given.
    pub kappa: Option<f64>,
}

/// Agreement of two rounds, an answer each a thing; none where there are no things.
///
/// Formula: κ = (po − pe)/(1 − pe), po the share of equal answers, pe the share that both rounds' own frequencies would
/// make equal by chance.
/// Source: Cohen, "A coefficient of agreement for nominal scales", 1960.
#[must_use]
pub fn agreement<T: PartialEq>(rounds: &[(T, T)]) -> Option<Agreement> {
    if rounds.is_empty() {
        return None;
    }
    // OK because nobody answers 2^52 times.
    #[allow(clippy::cast_precision_loss)]
    let (n, equal) = (
        rounds.len() as f64,
        rounds.iter().filter(|(a, b)| a == b).count() as f64,
    );
    let share = equal / n;
    // Pairs of a first and any second answer that are equal, over all pairs.
    let by_chance = rounds
        .iter()
        .map(|(a, _)| rounds.iter().filter(|(_, b)| a == b).count())
        .sum::<usize>();
    #[allow(clippy::cast_precision_loss)]
    let expected = by_chance as f64 / (n * n);
    let kappa = (expected < 1.0).then(|| (share - expected) / (1.0 - expected));
    Some(Agreement { share, kappa })
}
