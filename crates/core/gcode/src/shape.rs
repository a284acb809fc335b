//! How a line of a move is written: where its letters and numbers stand. Millions of lines share a few dozen shapes, so
//! one is worked out once and used for all lines that are written alike.

use super::moves::{BEGINS, PlainMove, TEN_TO};

/// Bytes of a line that a shape is of, its end included.
pub(super) const BLOCK: usize = 64;
/// Bytes before a line that are looked at with it: a number's are taken by its end.
pub(super) const AHEAD: usize = 8;
/// Bytes that are looked at for one line: behind its 64th may stand a letter and its sign.
pub(super) const WINDOW: usize = AHEAD + BLOCK + 2;

/// Where a number stands, and what is done with its digits.
#[derive(Clone, Copy, Debug, Default)]
struct Number {
    /// Keeps, of the eight bytes before its end, those behind the point; all where there is none.
    behind: u64,
    /// Keeps as many of the last bytes as it has digits.
    digits: u64,
    /// The same of the eight bytes before the point, where it has more digits than are added up at once; else 0.
    before: u64,
    /// What those before the point count more than those behind it.
    times: u64,
    /// What the whole number of its digits is divided by.
    over: f64,
    /// The bit of a minus.
    sign: u64,
    /// Its letter's place among those of a move.
    letter: u8,
    /// The byte behind its last digit and the one behind its last before the point, counted from the line's first.
    end: u8,
    point: u8,
}

/// How a line is written.
#[derive(Clone, Debug, Default)]
pub(super) struct Shape {
    /// The marks of what is no digit, those of its end or of its remark's `;` the last; 0 while it is of no line.
    key: u64,
    /// What is no digit, and that the code is 0 or 1: which bits, and what they are.
    masks: [u64; BLOCK / 8],
    bytes: [u64; BLOCK / 8],
    has: u8,
    count: u8,
    numbers: [Number; 5],
}

impl Shape {
    /// Whether a line with these marks is written so.
    #[inline]
    pub(super) fn is_of(&self, key: u64, window: &[u8; WINDOW]) -> bool {
        let mut other = 0;
        for i in 0..BLOCK / 8 {
            other |= (eight(window, AHEAD + 8 * i) & self.masks[i]) ^ self.bytes[i];
        }
        (self.key == key) & (other == 0)
    }

    /// Takes the shape of a line `G0` or `G1` and words of up to seven digits before the point and seven behind it, with
    /// one space between or none, and perhaps a remark; false where it is written otherwise, which says nothing about it.
    #[inline(never)]
    pub(super) fn take(&mut self, key: u64, window: &[u8; WINDOW]) -> bool {
        self.key = 0;
        if window[AHEAD] != b'G' || !matches!(window[AHEAD + 1], b'0' | b'1') {
            return false;
        }
        let mut at = if window[AHEAD + 2] == b' ' { 3 } else { 2 };
        // The lowest mark is the next byte that is no digit behind the letter at `at`; none is left behind the line's end.
        let mut marks = key & (!0 << at << 1);
        (self.has, self.count) = (0, 0);
        loop {
            let letter = BEGINS[usize::from(window[AHEAD + at])];
            let mut first = at + 1;
            let negative = window[AHEAD + first] == b'-';
            if negative {
                marks = without_lowest(marks);
                first += 1;
            }
            let point = marks.trailing_zeros() as usize;
            marks = without_lowest(marks);
            let end = if window[AHEAD + point] == b'.' {
                let end = marks.trailing_zeros() as usize;
                marks = without_lowest(marks);
                end
            } else {
                point
            };
            if letter > 4 || end >= BLOCK || first > point || self.has >> letter & 1 == 1 {
                return false;
            }
            let (before, places) = (point - first, (end - point).saturating_sub(1));
            if before | places > 7 || before + places == 0 {
                return false;
            }
            self.has |= 1 << letter;
            #[allow(clippy::cast_possible_truncation)] // all below 64
            let number = Number {
                behind: if end > point { LAST[places] } else { !0 },
                digits: LAST[(before + places).min(7)],
                before: if before + places > 7 { LAST[before] } else { 0 },
                times: 10_u64.pow(places as u32),
                over: TEN_TO[places],
                sign: u64::from(negative) << 63,
                letter,
                end: end as u8,
                point: point as u8,
            };
            self.numbers[usize::from(self.count)] = number;
            self.count += 1;
            let behind = window[AHEAD + end];
            if behind == b' ' && !is_end(window[AHEAD + end + 1]) {
                marks = without_lowest(marks);
                at = end + 1;
            } else if BEGINS[usize::from(behind)] < 5 && behind | 0x20 != b'e' {
                at = end;
            } else if behind == b' ' || is_end(behind) {
                break;
            } else {
                // Among others an E that touches a number: whether that is an exponent the lexer says.
                return false;
            }
        }
        for i in 0..BLOCK / 8 {
            self.masks[i] = of_bits((key >> (8 * i)) & 0xFF) | if i == 0 { CODE } else { 0 };
            self.bytes[i] = eight(window, AHEAD + 8 * i) & self.masks[i];
        }
        self.key = key;
        true
    }

    /// Reads a line that is written so.
    #[inline]
    pub(super) fn read(&self, window: &[u8; WINDOW], out: &mut PlainMove) {
        (out.code, out.has) = (window[AHEAD + 1] & 1, self.has);
        for n in self.numbers.iter().take(usize::from(self.count)) {
            let text = eight(window, usize::from(n.end & 63)) ^ ZEROS;
            let whole = if n.before == 0 {
                // The point is taken out, so that all digits are added up at once.
                whole_of(((text & n.behind) | (text << 8 & !n.behind)) & n.digits)
            } else {
                let before = eight(window, usize::from(n.point & 63)) ^ ZEROS;
                whole_of(before & n.before) * n.times + whole_of(text & n.behind)
            };
            let value = (exact(whole) / n.over).to_bits() ^ n.sign;
            out.values[usize::from(n.letter)] = f64::from_bits(value);
        }
    }
}

/// Whether a byte ends a line or begins its remark.
const fn is_end(byte: u8) -> bool {
    matches!(byte, b'\n' | b'\r' | b';')
}

/// A byte of ones for each bit of eight that is set.
const fn of_bits(bits: u64) -> u64 {
    let mut bytes = 0;
    let mut i = 0;
    while i < 8 {
        bytes |= (((bits >> i) & 1) * 0xFF) << (8 * i);
        i += 1;
    }
    bytes
}

/// The digit behind G but for its last bit: `0` and `1` are written alike.
const CODE: u64 = 0xFE00;
/// Eight times the code of `0`.
const ZEROS: u64 = 0x3030_3030_3030_3030;

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

/// Eight bytes of the window: those from `at`, which are those before the line's byte `at`.
#[inline]
fn eight(window: &[u8; WINDOW], at: usize) -> u64 {
    let mut eight = [0; 8];
    eight.copy_from_slice(&window[at..at + 8]);
    u64::from_le_bytes(eight)
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
/// three multiplications, since a loop whose length the processor can't guess costs more than the digits.
#[inline]
const fn whole_of(digits: u64) -> u64 {
    let pairs = (digits.wrapping_mul(10).wrapping_add(digits >> 8)) & 0x00FF_00FF_00FF_00FF;
    let fours = (pairs.wrapping_mul(100).wrapping_add(pairs >> 16)) & 0x0000_FFFF_0000_FFFF;
    (fours.wrapping_mul(10_000).wrapping_add(fours >> 32)) & 0xFFFF_FFFF
}
