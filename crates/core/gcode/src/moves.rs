//! Plain lines of moves, read with nothing allocated; those that nearly all files write are read faster still, by their
//! shape.

/// Letters of a plain move, in the order of [`PlainMove::values`].
pub const MOVE_LETTERS: [u8; 5] = *b"XYZEF";

/// A straight move written plainly: `G0` or `G1` and each of X, Y, Z, E, F once at most.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct PlainMove {
    /// 0 or 1.
    pub code: u8,
    /// Bit i is set where [`MOVE_LETTERS`]`[i]` stands with a number.
    pub has: u8,
    /// The numbers [unit of the file]; what isn't written is 0.
    pub values: [f64; 5],
}

impl PlainMove {
    /// The number behind the letter at `i` of [`MOVE_LETTERS`] [unit of the file], if it is written.
    #[must_use]
    #[inline]
    pub const fn value(&self, i: usize) -> Option<f64> {
        if self.has >> i & 1 == 1 {
            Some(self.values[i])
        } else {
            None
        }
    }
}

/// What a line of a file is, and where it ends.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Short {
    /// Nothing, or a remark alone.
    Blank,
    /// A plain move.
    Move(PlainMove),
    /// Anything else: the lexer tells what.
    Other,
}

const fn powers() -> [f64; 16] {
    let mut all = [1.0; 16];
    let mut i = 1;
    while i < 16 {
        all[i] = all[i - 1] * 10.0;
        i += 1;
    }
    all
}
pub(super) const TEN_TO: [f64; 16] = powers();
/// Digits whose whole number and power of ten are both exact in an f64, so that one division rounds once.
const EXACT_DIGITS: usize = 15;

/// Reads a decimal number at `at`; gives it and the byte behind it. None where it isn't written in up to 15
/// digits with one sign and one point at most: those are left to the slow way.
///
/// Source: a quotient of two exactly held numbers is the nearest f64 (IEEE 754, 4.3), so this is the same
/// number as the standard library's. That library reads it in the tests.
#[must_use]
#[inline]
pub fn plain_number(bytes: &[u8], at: usize) -> Option<(f64, usize)> {
    let first = *bytes.get(at)?;
    let start = at + usize::from(matches!(first, b'-' | b'+'));
    let (whole, places, end) = digits(bytes, start)?;
    #[allow(clippy::cast_precision_loss)] // at most 15 digits
    let value = whole as f64 / TEN_TO[places & 15];
    // Another sign or point belongs to no number: the slow way says what is wrong.
    if value >= 1e9 || matches!(bytes.get(end), Some(b'.' | b'-' | b'+')) {
        return None;
    }
    Some((if first == b'-' { -value } else { value }, end))
}

/// The digits at `start` as one whole number, how many of them stand behind a point, and the byte behind them.
fn digits(bytes: &[u8], start: usize) -> Option<(u64, usize, usize)> {
    let mut whole: u64 = 0;
    let mut at = start;
    let mut point = None;
    while let Some(c) = bytes.get(at) {
        match c {
            b'0'..=b'9' => {
                whole = whole.wrapping_mul(10).wrapping_add(u64::from(c - b'0'));
            }
            b'.' if point.is_none() => point = Some(at),
            _ => break,
        }
        at += 1;
    }
    let count = at - start - usize::from(point.is_some());
    let places = point.map_or(0, |p| at - p - 1);
    (1..=EXACT_DIGITS)
        .contains(&count)
        .then_some((whole, places, at))
}

/// What a byte begins: a letter of a move by its place in [`MOVE_LETTERS`], or one of these.
const END: u8 = 8;
const REMARK: u8 = 9;
const GAP: u8 = 10;
const ELSE: u8 = 11;
#[allow(clippy::cast_possible_truncation)] // 0 to 4
pub(super) const BEGINS: [u8; 256] = {
    let mut table = [ELSE; 256];
    let mut i = 0;
    while i < 5 {
        table[MOVE_LETTERS[i] as usize] = i as u8;
        table[(MOVE_LETTERS[i] | 0x20) as usize] = i as u8;
        i += 1;
    }
    table[b'\n' as usize] = END;
    table[b'\r' as usize] = END;
    table[b';' as usize] = REMARK;
    table[b' ' as usize] = GAP;
    table[b'\t' as usize] = GAP;
    table
};

/// Reads the line that begins at `at`. Gives what it is and the place of its end (of `\n` or `\r`, or the
/// length of `bytes`). Whatever isn't plain is `Other`, and then its end is found without reading it.
#[must_use]
#[inline]
pub fn short_line(bytes: &[u8], at: usize) -> (Short, usize) {
    let mut start = at;
    while matches!(bytes.get(start), Some(b' ' | b'\t')) {
        start += 1;
    }
    match bytes.get(start) {
        None | Some(b'\n' | b'\r') => (Short::Blank, start),
        Some(b';') => (Short::Blank, line_end(bytes, start)),
        Some(b'G' | b'g') => {
            let mut got = PlainMove::default();
            match plain(bytes, start + 1, &mut got) {
                Some(end) => (Short::Move(got), end),
                None => (Short::Other, line_end(bytes, start)),
            }
        }
        Some(_) => (Short::Other, line_end(bytes, start)),
    }
}

/// The place of the end of the line that `from` lies in.
#[must_use]
pub fn line_end(bytes: &[u8], from: usize) -> usize {
    memchr::memchr2(b'\n', b'\r', bytes.get(from..).unwrap_or_default())
        .map_or(bytes.len(), |n| from + n)
}

/// A move behind its G; where its line ends, or none if it isn't plain.
#[inline]
fn plain(bytes: &[u8], mut at: usize, got: &mut PlainMove) -> Option<usize> {
    at +=
        usize::from(bytes.get(at) == Some(&b'0') && matches!(bytes.get(at + 1), Some(b'0' | b'1')));
    let code = bytes.get(at)?.wrapping_sub(b'0');
    at += 1;
    if code > 1 || matches!(bytes.get(at), Some(b'0'..=b'9' | b'.' | b'-' | b'+')) {
        return None;
    }
    got.code = code;
    loop {
        let Some(byte) = bytes.get(at) else {
            return Some(at);
        };
        match BEGINS[usize::from(*byte)] {
            i @ 0..=4 => {
                let (value, behind) = plain_number(bytes, at + 1)?;
                // `1E5`: two ways to read it, so the lexer refuses it with its column.
                let exponent = matches!(bytes.get(behind), Some(b'e' | b'E'))
                    && begins_exponent(
                        bytes.get(behind + 1).copied(),
                        bytes.get(behind + 2).copied(),
                    );
                if got.has >> i & 1 == 1 || exponent {
                    return None;
                }
                got.has |= 1 << i;
                got.values[usize::from(i)] = value;
                at = behind;
            }
            GAP => at += 1,
            END => return Some(at),
            REMARK => return Some(line_end(bytes, at)),
            _ => return None,
        }
    }
}

/// Whether what follows an E right behind a number could be an exponent: a digit, or a sign and a digit.
/// `Y-.5E+.01` is none: no exponent begins with a point.
pub(crate) fn begins_exponent(first: Option<u8>, second: Option<u8>) -> bool {
    let digit = |c: Option<u8>| c.is_some_and(|c| c.is_ascii_digit());
    match first {
        Some(b'-' | b'+') => digit(second),
        other => digit(other),
    }
}
