//! Where the digits of a text end: a bit for each byte, so that a line's words are found without looking at its bytes.

use wide::u8x16;

use super::moves::{BEGINS, PlainMove, TEN_TO, WHOLE_TEN_TO};

/// Bytes that one word of marks stands for.
const BLOCK: usize = 64;
/// Bytes before a line that are looked at with it: a number's are taken by its end.
const AHEAD: usize = 8;
/// Bytes that are looked at for one line.
const WINDOW: usize = AHEAD + BLOCK + 2;

/// A bit for each byte of a text: set where it is no digit.
#[derive(Clone, Debug, Default)]
pub struct Marks {
    words: Vec<u64>,
}

/// The marks of 64 bytes.
#[inline]
fn mark(block: &[u8; BLOCK]) -> u64 {
    let mut marks = 0;
    for (i, part) in block.as_chunks::<16>().0.iter().enumerate() {
        let others = (u8x16::new(*part) - u8x16::splat(b'0')).simd_gt(u8x16::splat(9));
        marks |= u64::from(others.to_bitmask()) << (16 * i);
    }
    marks
}

impl Marks {
    /// Marks `bytes` anew.
    pub fn read(&mut self, bytes: &[u8]) {
        self.words.clear();
        let (blocks, rest) = bytes.as_chunks::<BLOCK>();
        self.words.extend(blocks.iter().map(mark));
        let mut last = [b'\n'; BLOCK];
        last[..rest.len()].copy_from_slice(rest);
        self.words.extend([mark(&last), !0]);
    }

    /// The marks of the 64 bytes from `at` on.
    #[inline]
    fn from(&self, at: usize) -> Option<u64> {
        let (word, bit) = (at / BLOCK, at % BLOCK);
        let [low, high] = *self.words.get(word..)?.first_chunk::<2>()?;
        Some((low >> bit) | (high << 1 << (BLOCK - 1 - bit)))
    }

    /// Reads the move that begins at `start` as nearly all are written: `G0` or `G1`, a space, and words of up to
    /// seven digits before the point and seven behind it with one space between, in 64 bytes at most, some text
    /// before and behind it. Gives the place of its line's end; none where it is written in any other way, which says
    /// nothing about it.
    #[inline]
    pub fn usual_move(&self, bytes: &[u8], start: usize, out: &mut PlainMove) -> Option<usize> {
        let window = bytes
            .get(start.checked_sub(AHEAD)?..)?
            .first_chunk::<WINDOW>()?;
        let code = match [window[AHEAD], window[AHEAD + 1], window[AHEAD + 2]] {
            [b'G', b'0', b' '] => 0,
            [b'G', b'1', b' '] => 1,
            _ => return None,
        };
        // The lowest mark is the next byte that is no digit; none is left where the 64 bytes end.
        let mut marks = self.from(start)? & !0b111;
        let mut at = 3;
        let (mut has, mut sum) = (0_u8, 0_u8);
        loop {
            // The letter, and a sign behind it.
            marks = without_lowest(marks);
            let letter = BEGINS[usize::from(window[AHEAD + at])];
            let mut first = at + 1;
            let negative = window[AHEAD + first] == b'-';
            if negative {
                marks = without_lowest(marks);
                first += 1;
            }
            let point = marks.trailing_zeros() as usize;
            marks = without_lowest(marks);
            let (places, end) = if window[AHEAD + point] == b'.' {
                let end = marks.trailing_zeros() as usize;
                marks = without_lowest(marks);
                (end.wrapping_sub(point + 1), end)
            } else {
                (0, point)
            };
            let before = point.wrapping_sub(first);
            if letter > 4 || end >= BLOCK || before | places > 7 {
                return None;
            }
            let digits = before + places;
            let text = eight_before(window, end);
            let whole = if matches!(digits, 1..8) {
                // The point is taken out, so that all digits are added up at once.
                let behind = LAST[places];
                let text = if end > point {
                    (text & behind) | (text << 8 & !behind)
                } else {
                    text
                };
                whole_of(text & LAST[digits])
            } else if digits == 0 {
                return None;
            } else {
                whole_of(eight_before(window, point) & LAST[before]) * WHOLE_TEN_TO[places]
                    + whole_of(text & LAST[places])
            };
            let bit = 1_u8 << letter;
            has |= bit;
            sum = sum.wrapping_add(bit);
            let value = exact(whole) / TEN_TO[places];
            out.values[usize::from(letter)] = if negative { -value } else { value };
            at = end + 1;
            if window[AHEAD + end] != b' ' {
                break;
            }
        }
        let ends = matches!(window[AHEAD + at - 1], b'\n' | b'\r');
        // A letter that stands twice adds its bit once more.
        if !ends || sum != has {
            return None;
        }
        (out.code, out.has) = (code, has);
        Some(start + at - 1)
    }
}

/// A whole number below 2⁵² as an f64, put together from its bits: the processor's own conversion waits for the
/// division before it.
#[inline]
const fn exact(whole: u64) -> f64 {
    const TWO_TO_52: f64 = 4_503_599_627_370_496.0;
    f64::from_bits(TWO_TO_52.to_bits() | whole) - TWO_TO_52
}

#[inline]
const fn without_lowest(marks: u64) -> u64 {
    marks & marks.wrapping_sub(1)
}

/// The eight bytes before a place of the window, each less the code of `0`.
#[inline]
fn eight_before(window: &[u8; WINDOW], at: usize) -> u64 {
    let mut eight = [0; 8];
    eight.copy_from_slice(&window[at..at + 8]);
    u64::from_le_bytes(eight) ^ 0x3030_3030_3030_3030
}

/// Keeps so many of the last of eight bytes.
const LAST: [u64; 8] = {
    let mut all = [0; 8];
    let mut i = 1;
    while i < 8 {
        all[i] = !0 << (64 - 8 * i);
        i += 1;
    }
    all
};

/// The whole number of eight digits, each a byte, the first in the lowest: pairs, fours and eights are added up by
/// three multiplications.
#[inline]
const fn whole_of(digits: u64) -> u64 {
    let pairs = (digits.wrapping_mul(10).wrapping_add(digits >> 8)) & 0x00FF_00FF_00FF_00FF;
    let fours = (pairs.wrapping_mul(100).wrapping_add(pairs >> 16)) & 0x0000_FFFF_0000_FFFF;
    (fours.wrapping_mul(10_000).wrapping_add(fours >> 32)) & 0xFFFF_FFFF
}
