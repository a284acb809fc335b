//! The order in which parts of a piece lie, where their values are hidden.

/// The order of so many things (a number of), shuffled by a seed: which value lies at each place; 0 leaves them as they are.
#[must_use]
pub fn shuffled(count: u32, seed: u32) -> Vec<u32> {
    let mut all: Vec<u32> = (0..count).collect();
    if seed == 0 {
        return all;
    }
    // A linear congruential generator (Knuth, TAOCP 3.3.4, from memory): an order is all that is asked of it.
    let mut state = u64::from(seed)
        .wrapping_mul(6_364_136_223_846_793_005)
        .wrapping_add(1);
    for i in (1..all.len()).rev() {
        state = state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        // OK because a card has a small number.
        #[allow(clippy::cast_possible_truncation)]
        let j = ((state >> 33) as usize) % (i + 1);
        all.swap(i, j);
    }
    all
}
