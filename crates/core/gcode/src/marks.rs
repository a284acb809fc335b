//! Where the digits of a text end and where its lines do: a bit for each byte, so that a line's words are found without
//! looking at its bytes one by one.

use wide::u8x16;

use super::moves::{PlainMove, line_end};
use super::shape::{AHEAD, BLOCK, Shape, WINDOW};

/// Shapes of lines kept; a file has a few dozen. A power of two.
const SHAPES: usize = 32;

/// Where a shape with these marks is kept. The upper bits of a product hang on all bits of both: 2⁶⁴ over the golden
/// ratio spreads them (multiplicative hashing after Knuth, The Art of Computer Programming 3, 6.4; from memory).
#[inline]
#[allow(clippy::cast_possible_truncation)] // below SHAPES
const fn place_of(key: u64) -> usize {
    (key.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> (64 - SHAPES.ilog2())) as usize
}

/// Marks of a text, and how its lines of moves are written.
#[derive(Clone, Debug)]
pub struct Marks {
    /// For each 64 bytes: a bit where there is no digit, and one where a line ends or a remark begins.
    words: Vec<[u64; 2]>,
    shapes: Vec<Shape>,
}

impl Default for Marks {
    fn default() -> Self {
        Self {
            words: Vec::new(),
            shapes: vec![Shape::default(); SHAPES],
        }
    }
}

/// The marks of 64 bytes.
#[inline]
fn mark(block: &[u8; BLOCK]) -> [u64; 2] {
    let mut marks = [0; 2];
    for (i, part) in block.as_chunks::<16>().0.iter().enumerate() {
        let part = u8x16::new(*part);
        let others = (part - u8x16::splat(b'0')).simd_gt(u8x16::splat(9));
        let ends = part.simd_eq(u8x16::splat(b'\n'))
            | part.simd_eq(u8x16::splat(b'\r'))
            | part.simd_eq(u8x16::splat(b';'));
        marks[0] |= u64::from(others.to_bitmask()) << (16 * i);
        marks[1] |= u64::from(ends.to_bitmask()) << (16 * i);
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
        self.words.extend([mark(&last), [!0; 2]]);
    }

    /// The marks of the line that begins at `at` up to its end or remark; none where that is more than 64 bytes away.
    #[inline]
    fn of_line(&self, at: usize) -> Option<u64> {
        let (word, bit) = (at / BLOCK, at % BLOCK);
        let [low, high] = self.words.get(word..)?.first_chunk::<2>()?;
        let both = |i: usize| (low[i] >> bit) | (high[i] << 1 << (BLOCK - 1 - bit));
        let ends = both(1);
        // All bits up to the lowest that is set.
        (ends != 0).then(|| both(0) & (ends ^ ends.wrapping_sub(1)))
    }

    /// Reads the move that begins at `start` as nearly all are written: `G0` or `G1` and words of up to seven digits
    /// before the point and seven behind it, one space between or none, in 63 bytes at most, some text before and behind
    /// it. Gives the place of its line's end; none where it is written in any other way, which says nothing about it.
    #[inline]
    pub fn usual_move(&mut self, bytes: &[u8], start: usize, out: &mut PlainMove) -> Option<usize> {
        let window = bytes
            .get(start.checked_sub(AHEAD)?..)?
            .first_chunk::<WINDOW>()?;
        let key = self.of_line(start)?;
        let shape = self.shapes.get_mut(place_of(key))?;
        if !shape.is_of(key, window) && !shape.take(key, window) {
            return None;
        }
        shape.read(window, out);
        let end = start + (BLOCK - 1 - key.leading_zeros() as usize);
        Some(match bytes[end] {
            b';' => line_end(bytes, end),
            _ => end,
        })
    }
}
