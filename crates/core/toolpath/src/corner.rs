//! How fast one move may go over into the next.

use crate::limits::Corner;

/// Below this angle between two moves [1 − cos] there is no corner: it is what rounding of a file's last digit makes.
const STRAIGHT: f64 = 1e-9;

/// Square of the speed [mm²/s²] at which a path that leaves along `before` may go on along `after`; infinite
/// where it goes straight on. Both are directions of X, Y, Z (of length 1) with the filament per millimetre
/// behind; `accel_mm_s2` is the lesser of the two moves'.
///
/// Sources: junction deviation J: v² = a·J·sin(θ/2) / (1 − sin(θ/2)) with θ the inner angle; jerk: the largest
/// speed at which no axis changes by more than its limit. Both common practice in motion firmware, no
/// published source.
#[must_use]
pub fn corner_speed2(corner: Corner, before: [f64; 4], after: [f64; 4], accel_mm_s2: f64) -> f64 {
    slowing_corner2(corner, before, after, accel_mm_s2, f64::INFINITY).unwrap_or(f64::INFINITY)
}

/// The same where it is below `least2` [mm²/s²], what the two moves allow themselves; none where it isn't. Nothing is
/// divided where no corner slows down.
#[inline]
pub(crate) fn slowing_corner2(
    corner: Corner,
    before: [f64; 4],
    after: [f64; 4],
    accel_mm_s2: f64,
    least2: f64,
) -> Option<f64> {
    match corner {
        Corner::Junction(junction_mm) => {
            let straight = before[0] * after[0] + before[1] * after[1] + before[2] * after[2];
            if 1.0 - straight < STRAIGHT {
                return None;
            }
            // sin(θ/2) where cos θ = −straight.
            let half = (0.5 * (1.0 + straight).max(0.0)).sqrt();
            let turns = accel_mm_s2 * junction_mm * half;
            (turns < least2 * (1.0 - half)).then(|| turns / (1.0 - half))
        }
        Corner::Jerk(most) => {
            let mut found2 = least2;
            for i in 0..4 {
                let change = (after[i] - before[i]).abs();
                // A file's last digit again.
                if change > 1e-4 && change * change * found2 > most[i] * most[i] {
                    found2 = (most[i] / change) * (most[i] / change);
                }
            }
            (found2 < least2).then_some(found2)
        }
    }
}
