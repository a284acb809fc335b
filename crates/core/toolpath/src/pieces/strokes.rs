//! Letters and numbers as strokes: what a nozzle can write.

/// A stroke from one place to another, in a field one wide and two high.
type Stroke = [[f64; 2]; 2];

/// Where the ends of strokes lie: corners and middles of the field, from its lower left, and one between.
const PLACES: [[f64; 2]; 10] = [
    [0.0, 0.0],
    [0.5, 0.0],
    [1.0, 0.0],
    [0.0, 1.0],
    [0.5, 1.0],
    [1.0, 1.0],
    [0.0, 2.0],
    [0.5, 2.0],
    [1.0, 2.0],
    // Where the flag of a 1 ends.
    [0.1, 1.6],
];

/// Strokes of a letter as pairs of places: our own drawing, upright lines and slants alone, so that a bead can lay them.
const fn pairs(letter: char) -> &'static [u8] {
    match letter {
        '0' => &[0, 2, 2, 8, 8, 6, 6, 0],
        '1' => &[1, 7, 7, 9],
        '2' => &[6, 8, 8, 5, 5, 3, 3, 0, 0, 2],
        '3' => &[6, 8, 8, 2, 2, 0, 3, 5],
        '4' => &[6, 3, 3, 5, 8, 2],
        '5' => &[8, 6, 6, 3, 3, 5, 5, 2, 2, 0],
        '6' => &[8, 6, 6, 0, 0, 2, 2, 5, 5, 3],
        '7' => &[6, 8, 8, 0],
        '8' => &[0, 2, 2, 8, 8, 6, 6, 0, 3, 5],
        '9' => &[0, 2, 2, 8, 8, 6, 6, 3, 3, 5],
        'A' => &[0, 6, 6, 8, 8, 2, 3, 5],
        'B' => &[0, 6, 6, 7, 7, 5, 5, 2, 2, 0, 3, 4],
        'C' => &[8, 6, 6, 0, 0, 2],
        'D' => &[0, 6, 6, 7, 7, 5, 5, 1, 1, 0],
        'E' => &[8, 6, 6, 0, 0, 2, 3, 5],
        'F' => &[8, 6, 6, 0, 3, 5],
        'G' => &[8, 6, 6, 0, 0, 2, 2, 5, 5, 4],
        'H' => &[0, 6, 2, 8, 3, 5],
        'I' => &[1, 7],
        'J' => &[8, 2, 2, 0, 0, 3],
        'K' => &[0, 6, 3, 8, 3, 2],
        'L' => &[6, 0, 0, 2],
        'X' => &[0, 8, 6, 2],
        'Y' => &[6, 4, 8, 4, 4, 1],
        'Z' => &[6, 8, 8, 0, 0, 2],
        '-' => &[3, 5],
        '+' => &[3, 5, 1, 7],
        // A point: a short stroke at the foot.
        '.' => &[1, 1],
        _ => &[],
    }
}

/// Strokes of a text [mm] from its lower left corner, letters `high` tall and half as wide, a third of that between
/// them; and how long the text is. A letter that there is none of leaves its room free.
#[must_use]
pub(super) fn strokes(text: &str, high: f64) -> (Vec<Stroke>, f64) {
    let mut out = Vec::new();
    let mut left = 0.0;
    for letter in text.chars() {
        let scale = high / 2.0;
        for pair in pairs(letter).chunks(2) {
            let place = |i: u8| {
                let [x, y] = PLACES[usize::from(i)];
                [left + x * scale, y * scale]
            };
            let (a, mut b) = (place(pair[0]), place(pair[1]));
            if pair[0] == pair[1] {
                b[1] += 0.2 * scale;
            }
            out.push([a, b]);
        }
        left += scale * 1.6;
    }
    (out, left - high * 0.3)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_letter_has_its_own_strokes_inside_its_field() {
        let all = "0123456789ABCDEFGHIJKLXYZ-+.";
        let mut seen = std::collections::BTreeSet::new();
        for letter in all.chars() {
            let (s, length) = strokes(&letter.to_string(), 4.0);
            assert!(!s.is_empty(), "{letter}");
            assert!((length - 2.0).abs() < 1e-9, "{letter}: {length}");
            for [a, b] in &s {
                for p in [a, b] {
                    assert!(
                        (0.0..=2.0).contains(&p[0]) && (0.0..=4.0).contains(&p[1]),
                        "{letter}"
                    );
                }
            }
            assert!(seen.insert(format!("{s:?}")), "{letter} looks like another");
        }
    }
}
