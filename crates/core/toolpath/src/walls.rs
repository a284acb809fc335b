//! Which beads of a layer are seen from outside: the outermost lines of the part, and the innermost of its holes.

use crate::read::{Move, MoveKind};

/// Loops of a layer told apart one by one; where there are more, each counts as seen.
const MOST_LOOPS: usize = 600;

/// A run of beads without travel between.
#[derive(Clone, Debug)]
struct Run {
    moves: std::ops::Range<usize>,
    low: [f64; 2],
    high: [f64; 2],
    closed: bool,
}

impl Run {
    fn holds(&self, other: &Self) -> bool {
        (0..2).all(|i| self.low[i] <= other.low[i] && self.high[i] >= other.high[i])
    }

    fn area(&self) -> f64 {
        (self.high[0] - self.low[0]) * (self.high[1] - self.low[1])
    }

    /// The widest gap between the boxes of two loops, one in the other [mm].
    fn gap_mm(&self, inner: &Self) -> f64 {
        (0..2)
            .map(|i| (inner.low[i] - self.low[i]).max(self.high[i] - inner.high[i]))
            .fold(0.0, f64::max)
    }
}

/// For each move of a layer, whether it lays a line that is seen from outside. `width_mm` is that of a bead.
///
/// Loops within less than two widths of each other are walls of one surface. The outermost of a part's outline is
/// seen, the innermost of a hole's, the outermost of an island in it, and so on. It goes by the boxes around the loops, so
/// it is an estimate. Own method, no source.
#[must_use]
pub(crate) fn seen(moves: &[Move], width_mm: f64) -> Vec<bool> {
    let runs = runs(moves, width_mm);
    let mut loops: Vec<&Run> = runs.iter().filter(|r| r.closed).collect();
    let mut out = vec![false; moves.len()];
    let mut mark = |run: &Run| out[run.moves.clone()].fill(true);
    if loops.len() > MOST_LOOPS {
        loops.iter().for_each(|l| mark(l));
        return out;
    }
    loops.sort_by(|a, b| b.area().total_cmp(&a.area()));
    // Each loop's parent is the smallest that holds it; a near one is of the same surface.
    let mut surfaces: Vec<(usize, bool)> = Vec::with_capacity(loops.len());
    let mut has_near_child = vec![false; loops.len()];
    for (i, l) in loops.iter().enumerate() {
        let parent = (0..i).rev().find(|p| loops[*p].holds(l));
        let of = match parent {
            None => (0, true),
            Some(p) => {
                let (depth, _) = surfaces[p];
                if loops[p].gap_mm(l) < 1.8 * width_mm {
                    has_near_child[p] = true;
                    (depth, false)
                } else {
                    (depth + 1, true)
                }
            }
        };
        surfaces.push(of);
    }
    for (i, l) in loops.iter().enumerate() {
        let (depth, outermost) = surfaces[i];
        let is_hole = depth % 2 == 1;
        if if is_hole {
            !has_near_child[i]
        } else {
            outermost
        } {
            mark(l);
        }
    }
    out
}

fn runs(moves: &[Move], width_mm: f64) -> Vec<Run> {
    let mut out = Vec::new();
    let mut at = 0;
    while at < moves.len() {
        if moves[at].kind != MoveKind::Print {
            at += 1;
            continue;
        }
        let start = at;
        let mut run = Run {
            moves: start..start,
            low: [f64::INFINITY; 2],
            high: [f64::NEG_INFINITY; 2],
            closed: false,
        };
        let mut length = 0.0;
        while at < moves.len() && moves[at].kind == MoveKind::Print {
            let m = &moves[at];
            for i in 0..2 {
                run.low[i] = run.low[i].min(m.from_mm[i]).min(m.to_mm[i]);
                run.high[i] = run.high[i].max(m.from_mm[i]).max(m.to_mm[i]);
            }
            length += m.length_mm;
            at += 1;
        }
        run.moves = start..at;
        let (a, b) = (moves[start].from_mm, moves[at - 1].to_mm);
        run.closed = (a[0] - b[0]).hypot(a[1] - b[1]) < 1.5 * width_mm
            && length > 6.0 * width_mm
            && (at - start > 2 || moves[start].arc.is_some());
        out.push(run);
    }
    out
}
