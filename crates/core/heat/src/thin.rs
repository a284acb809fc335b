//! Fewer points for a picture, with every peak kept.

use super::trace::Sample;

/// At most about `most` samples: of each stretch the lowest and the highest, in order of time.
///
/// A log of tens of thousands of samples is drawn with as many points as a screen has; peaks stay,
/// which taking every nth sample would lose.
#[must_use]
pub fn thinned(samples: &[Sample], most: usize) -> Vec<Sample> {
    let most = most.max(4);
    if samples.len() <= most {
        return samples.to_vec();
    }
    let stretch = samples.len().div_ceil(most / 2);
    let mut kept = Vec::with_capacity(most + 2);
    for part in samples.chunks(stretch) {
        let by_temp = |a: &&Sample, b: &&Sample| a.temp_c.total_cmp(&b.temp_c);
        let (Some(low), Some(high)) = (part.iter().min_by(by_temp), part.iter().max_by(by_temp))
        else {
            continue;
        };
        let (first, second) = if low.t_s <= high.t_s {
            (low, high)
        } else {
            (high, low)
        };
        kept.push(*first);
        if second.t_s > first.t_s {
            kept.push(*second);
        }
    }
    kept
}
