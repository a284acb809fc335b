//! Strings counted, as the reference pictures show them.

/// Strings in each reference picture, 0 (none) to 5 (a curtain); the pictures are drawn with these numbers.
pub const STRINGS_IN_PICTURES: [u32; 6] = [0, 1, 4, 8, 12, 22];

/// Score of a number of strings, 0 to 5 [1]: the picture that it is nearest to, by ratio. Common practice, no source.
#[must_use]
pub fn strings_score(count: usize) -> u32 {
    // OK because strings are counted to sixty.
    #[allow(clippy::cast_precision_loss)]
    let off = |shown: u32| ((f64::from(shown) + 0.3) / (count as f64 + 0.3)).ln().abs();
    (0_u32..)
        .zip(STRINGS_IN_PICTURES)
        .min_by(|a, b| off(a.1).total_cmp(&off(b.1)))
        .map_or(0, |(score, _)| score)
}
